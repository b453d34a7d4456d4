package change

import (
	"encoding/json"
	"regexp"
	"slices"
	"sort"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

var keyPattern = regexp.MustCompile(`^[a-z][a-z0-9_]*(\.[a-z][a-z0-9_]*)*$`)

func (d *Draft) checkKey(key string) error {
	if !keyPattern.MatchString(key) || len(key) > 64 {
		return fault.Invalidf("set.key", "a key is lower-case words joined by dots, such as line.changeover")
	}
	catalogue := d.catalogue()
	if catalogue.GroupByKey(key) != nil || catalogue.PermissionByKey(key) != nil {
		return fault.Conflictf("set.key", "the catalogue has %s already", key)
	}
	return nil
}

// catalogue is the catalogue as the draft has it so far.
func (d *Draft) catalogue() *permit.Catalogue {
	return permit.NewCatalogue(d.State.Groups.All(), d.State.Permissions.All())
}

type groupForm struct {
	Key    string `json:"key"`
	Title  string `json:"title"`
	Parent string `json:"parent"`
}

func groupAdd(d *Draft) error {
	var form groupForm
	if err := d.form(&form); err != nil {
		return err
	}
	if err := d.require(permit.EditCatalogue, 0); err != nil {
		return err
	}
	if err := d.checkKey(form.Key); err != nil {
		return err
	}
	g := &permit.Group{ID: permit.GroupID(d.State.Groups.Next()), Key: form.Key, Title: people.Tidy(form.Title), Revision: d.next()}
	if g.Title == "" {
		return fault.Invalidf("set.title", "a group needs a title")
	}
	if form.Parent != "" {
		parent := d.catalogue().GroupByKey(form.Parent)
		if parent == nil {
			return fault.Missingf("set.parent", "the catalogue has no group %q", form.Parent)
		}
		g.Parent = parent.ID
	}
	d.State.Groups.Put(uint32(g.ID), g)
	d.Touched.Catalogue = true
	d.wrote("group", uint32(g.ID), g.Key, nil, g)
	return nil
}

type permissionForm struct {
	Key       string        `json:"key"`
	Title     string        `json:"title"`
	Sentence  string        `json:"sentence"`
	Group     string        `json:"group"`
	Scale     permit.Scale  `json:"scale"`
	Kinds     []estate.Kind `json:"kinds"`
	Sensitive bool          `json:"sensitive"`
}

func permissionAdd(d *Draft) error {
	var form permissionForm
	if err := d.form(&form); err != nil {
		return err
	}
	if err := d.require(permit.EditCatalogue, 0); err != nil {
		return err
	}
	if err := d.checkKey(form.Key); err != nil {
		return err
	}
	catalogue := d.catalogue()
	group := catalogue.GroupByKey(form.Group)
	if group == nil {
		return fault.Missingf("set.group", "the catalogue has no group %q", form.Group)
	}
	p := &permit.Permission{ID: permit.PermissionID(d.State.Permissions.Next()), Key: form.Key, Title: people.Tidy(form.Title),
		Sentence: people.Tidy(form.Sentence), Group: group.ID, Scale: form.Scale, Sensitive: form.Sensitive,
		Since: catalogue.Count() + 1, Revision: d.next()}
	switch {
	case p.Title == "":
		return fault.Invalidf("set.title", "a permission needs a title that says what somebody may do")
	case p.Sentence == "":
		return fault.Invalidf("set.sentence", "a permission needs one plain sentence")
	case len(form.Kinds) == 0:
		return fault.Invalidf("set.kinds", "say at which kinds of place the permission has a meaning")
	}
	for _, kind := range form.Kinds {
		if !kind.Known() {
			return fault.Invalidf("set.kinds", "%q is not a kind of place", kind)
		}
	}
	// Each kind once, in the order of the tree.
	p.Kinds = slices.DeleteFunc(slices.Clone(estate.Kinds), func(kind estate.Kind) bool { return !slices.Contains(form.Kinds, kind) })
	if err := p.Scale.Check(); err != nil {
		return fault.Invalidf("set.scale", "%s", err)
	}
	d.State.Permissions.Put(uint32(p.ID), p)
	d.Touched.Catalogue = true
	d.wrote("permission", uint32(p.ID), p.Key+" "+p.Title, nil, p)
	return nil
}

type templateForm struct {
	Code        string            `json:"code"`
	Name        string            `json:"name"`
	Summary     string            `json:"summary"`
	Base        string            `json:"base"`
	Settings    map[string]string `json:"settings"` // key of a group or permission → word
	Hours       json.RawMessage   `json:"hours"`
	Days        int               `json:"days"`
	Needs       []string          `json:"needs"`
	IdleSeconds int               `json:"idle_seconds"`
}

func (d *Draft) fillTemplate(t *permit.Template, form *templateForm) error {
	t.Name, t.Summary, t.Days, t.Needs, t.IdleSeconds = people.Tidy(form.Name), people.Tidy(form.Summary), form.Days, form.Needs, form.IdleSeconds
	switch {
	case t.Name == "":
		return fault.Invalidf("set.name", "a template needs a name")
	case t.Days < 0 || t.Days > 3660:
		return fault.Invalidf("set.days", "an assignment lasts 0 (open) to 3660 days")
	case t.IdleSeconds < 0 || t.IdleSeconds > 86400:
		return fault.Invalidf("set.idle_seconds", "a terminal signs out after 0 (its own time) to 86400 seconds")
	}
	if err := bounded("name", t.Name, 120); err != nil {
		return err
	}
	for _, need := range t.Needs {
		if need != "pin" && need != "badge" {
			return fault.Invalidf("set.needs", "%q is not a credential somebody can need; use pin or badge", need)
		}
	}
	t.Base = 0
	if form.Base != "" {
		base, err := d.findTemplate("set.base", form.Base)
		if err != nil {
			return err
		}
		for above := base; above != nil; above = d.State.Template(above.Base) {
			if above.ID == t.ID {
				return fault.Invalidf("set.base", "%s is based on %s; basing %s on it would make a circle", base.Name, t.Name, t.Name)
			}
		}
		t.Base = base.ID
	}
	if form.Settings != nil {
		settings, err := d.settings(t, form.Settings)
		if err != nil {
			return err
		}
		t.Settings = settings
	}
	return hoursFrom(form.Hours, &t.Hours)
}

// settings reads key and word pairs. A setting on a group that was there before with the same word keeps the
// moment it was made, so that saving a template again decides nothing new.
func (d *Draft) settings(t *permit.Template, pairs map[string]string) ([]permit.Setting, error) {
	catalogue := d.catalogue()
	keys := make([]string, 0, len(pairs))
	for key := range pairs {
		keys = append(keys, key)
	}
	sort.Strings(keys)
	var settings []permit.Setting
	for _, key := range keys {
		field, word := "set.settings."+key, pairs[key]
		if permission := catalogue.PermissionByKey(key); permission != nil {
			level, err := permission.Scale.Parse(word)
			if err != nil {
				return nil, fault.Invalidf(field, "%s", err)
			}
			settings = append(settings, permit.Setting{Permission: permission.ID, Word: permission.Scale.Word(level)})
			continue
		}
		group := catalogue.GroupByKey(key)
		if group == nil {
			return nil, fault.Missingf(field, "the catalogue has neither a permission nor a group %q", key)
		}
		if !groupTakes(catalogue, group, word) {
			return nil, fault.Invalidf(field, "no permission in %s has a level %q; use none, full or a level that some of them have", group.Title, word)
		}
		setting := permit.Setting{Group: group.ID, Word: word, AsOf: catalogue.Count()}
		if i := slices.IndexFunc(t.Settings, func(s permit.Setting) bool { return s.Group == group.ID && s.Word == word }); i >= 0 {
			setting.AsOf = t.Settings[i].AsOf
		}
		settings = append(settings, setting)
	}
	return settings, nil
}

func groupTakes(catalogue *permit.Catalogue, group *permit.Group, word string) bool {
	if word == permit.WordNone || word == permit.WordFull {
		return true
	}
	for permission := range catalogue.Permissions {
		if catalogue.Inside(permission.Group, group.ID) && permission.Scale.Kind != permit.Limit {
			if _, err := permission.Scale.Parse(word); err == nil {
				return true
			}
		}
	}
	return false
}

// templateCeiling asks that the actor holds everywhere whatever the template now gives that it did not give before.
func (d *Draft) templateCeiling(t *permit.Template) error {
	if d.actor.System != "" {
		return nil
	}
	before := d.before.Resolved(t.ID)
	for id, resolved := range d.catalogue().Resolve(t, d.State.Template) {
		if id < len(before) && resolved.Level <= before[id].Level || resolved.Level == 0 {
			continue
		}
		for here := range d.before.Tree().Walk {
			if here.Place.Parent == 0 && !here.Retired {
				if err := d.mayGive(permit.PermissionID(id), resolved.Level, here.Place.ID); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

func templateAdd(d *Draft) error {
	var form templateForm
	if err := d.form(&form); err != nil {
		return err
	}
	if err := d.require(permit.EditTemplates, 0); err != nil {
		return err
	}
	if err := checkCode("set.code", form.Code, "line-operator"); err != nil {
		return err
	}
	if d.State.TemplateByCode(form.Code) != nil {
		return fault.Conflictf("set.code", "there is a template %s already; choose another code", form.Code)
	}
	t := &permit.Template{ID: permit.TemplateID(d.State.Templates.Next()), Code: form.Code}
	if err := d.fillTemplate(t, &form); err != nil {
		return err
	}
	if err := d.templateCeiling(t); err != nil {
		return err
	}
	d.putTemplate(t)
	d.named(uint32(t.ID))
	return nil
}

func templateEdit(d *Draft) error {
	before, err := d.findTemplate("on", d.op.On)
	if err != nil {
		return err
	}
	if err := d.require(permit.EditTemplates, 0); err != nil {
		return err
	}
	if err := d.fresh(before.Revision, before.Name); err != nil {
		return err
	}
	form := templateForm{Code: before.Code, Name: before.Name, Summary: before.Summary, Days: before.Days, Needs: before.Needs, IdleSeconds: before.IdleSeconds}
	if base := d.State.Template(before.Base); base != nil {
		form.Base = base.Code
	}
	if err := d.form(&form); err != nil {
		return err
	}
	if form.Code != before.Code {
		return fault.Invalidf("set.code", "a template keeps its code; change its name instead")
	}
	t := *before
	if err := d.fillTemplate(&t, &form); err != nil {
		return err
	}
	if err := d.templateCeiling(&t); err != nil {
		return err
	}
	if err := d.templateNotOwn(&t); err != nil {
		return err
	}
	d.putTemplate(&t)
	return nil
}

// templateNotOwn keeps a manager from changing their own access by way of a template they are assigned.
func (d *Draft) templateNotOwn(t *permit.Template) error {
	actor := d.before.State().Person(d.actor.Staff)
	if d.actor.System != "" || actor == nil || actor.Owner {
		return nil
	}
	for _, id := range d.before.State().AssignmentsOf(actor.ID) {
		a := d.before.State().Assignment(id)
		for above := d.before.State().Template(a.Template); above != nil && !a.Ended; above = d.before.State().Template(above.Base) {
			if above.ID == t.ID {
				return d.notOneself(actor)
			}
		}
	}
	return nil
}

func templateRetire(d *Draft) error {
	before, err := d.findTemplate("on", d.op.On)
	if err != nil {
		return err
	}
	if err := d.require(permit.EditTemplates, 0); err != nil {
		return err
	}
	if err := d.fresh(before.Revision, before.Name); err != nil {
		return err
	}
	if before.Retired {
		return fault.Conflictf("on", "%s is retired already", before.Name)
	}
	users := 0
	for _, a := range d.State.Assignments.All() {
		if a.Template == before.ID && !a.Ended && (a.Until.IsZero() || d.env.Now.Before((a.Until + 1).Start(d.env.Now.Location()))) {
			users++
		}
	}
	if users > 0 {
		return fault.Conflictf("on", "%s is still used by %s; give those people another template first", before.Name, count(users, "assignment", "assignments"))
	}
	t := *before
	t.Retired = true
	d.putTemplate(&t)
	return nil
}
