package change

import (
	"cmp"
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/qualification"

	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

var templateOperations = []Description{
	{Name: "template.add", Do: "Add template", Done: "Added template",
		Needs: permit.EditTemplates, Fields: templateForm{}, Makes: "template", Undone: "template.retire",
		apply: templateAdd},
	{Name: "template.edit", Do: "Change template", Done: "Changed template",
		Needs: permit.EditTemplates, Fields: templateForm{}, subject: settingsEdited, apply: templateEdit},
	{Name: "template.retire", Do: "Retire template", Done: "Retired template",
		Needs: permit.EditTemplates, Fields: retireForm{}, subject: fieldsEdited, apply: templateRetire},
	{Name: "template.restore", Do: "Bring back template", Done: "Brought back template",
		Needs: permit.EditTemplates, apply: templateRestore},
}

type templateForm struct {
	Code        string            `json:"code"`
	Name        string            `json:"name"`
	Summary     string            `json:"summary"`
	Base        string            `json:"base"`
	Settings    map[string]string `json:"settings"` // all its own settings: key of a group or permission → word
	Hours       json.RawMessage   `json:"hours"`
	Days        int               `json:"days"`
	Needs       []string          `json:"needs"`
	Requires    []string          `json:"requires"` // qualifications, by code or number
	IdleSeconds int               `json:"idle_seconds"`
	// Decide changes some settings and leaves the others: key → word, or null to set it back to what flows from a group
	// or comes from the base.
	Decide map[string]*string `json:"decide"`
	// Giving is up to which level its holders can give: all of it, as key → word; where nothing is said, what they
	// hold. DecideGiving changes some of it: key → word, or null to say nothing.
	Giving       map[string]string  `json:"giving"`
	DecideGiving map[string]*string `json:"decide_giving"`
	// Section copies the settings of one group of the catalogue, with all below it, from another template.
	Section *struct {
		From  string `json:"from"`
		Group string `json:"group"`
	} `json:"section"`
	DecideRest bool    `json:"decide_rest"` // what is still undecided is decided: not given
	DecidedAt  *uint32 `json:"decided_at"`  // for setting back: catalogue count up to which it is decided
	// For setting back: catalogue count at which a group's setting was made
	AsOf   map[string]uint32 `json:"as_of"`
	CopyOf string            `json:"copy_of"` // of a new one: begin as a copy of this template
	Like   *struct {
		Staff string `json:"staff"`
		Place string `json:"place"`
	} `json:"like"` // of a new one: give what this person holds at this place
}

func (t *Trial) fillTemplate(template *permit.Template, form *templateForm) error {
	template.Name, template.Summary, template.Days, template.Needs, template.IdleSeconds = words.Tidy(form.Name),
		words.Tidy(form.Summary), form.Days, form.Needs, form.IdleSeconds
	switch {
	case template.Name == "":
		return fault.Invalidf("set.name", "a template needs a name")
	case template.Days < 0 || template.Days > 3660:
		return fault.Invalidf("set.days", "an assignment lasts 0 (open) to 3660 days")
	case template.IdleSeconds < 0 || template.IdleSeconds > 86400:
		return fault.Invalidf("set.idle_seconds", "a terminal signs out after 0 (its own time) to 86400 seconds")
	}
	if err := bounded("name", template.Name, 120); err != nil {
		return err
	}
	for _, need := range template.Needs {
		if need != "pin" && need != "badge" {
			return fault.Invalidf("set.needs", "%q is not a credential somebody can need; use pin or badge", need)
		}
	}
	var err error
	if template.Requires, err = t.required(form.Requires, template.Requires); err != nil {
		return err
	}
	template.Base = 0
	if form.Base != "" {
		base, err := t.findTemplate("set.base", form.Base)
		if err != nil {
			return err
		}
		for above := base; above != nil; above = t.State.Template(above.Base) {
			if above.ID == template.ID {
				return fault.Invalidf("set.base", "%s is based on %s; basing %s on it would make a circle", base.Name,
					template.Name, template.Name)
			}
		}
		template.Base = base.ID
	}
	if form.Settings != nil {
		settings, err := t.settings(template, form.Settings)
		if err != nil {
			return err
		}
		template.Settings = settings
	}
	if form.Giving != nil {
		template.Giving = nil
		for _, key := range sortedKeys(form.Giving) {
			setting, err := readGiving(t.catalogue(), "set.giving."+key, key, form.Giving[key])
			if err != nil {
				return err
			}
			template.Giving = append(template.Giving, setting)
		}
	}
	if form.Section != nil {
		if err := t.copySection(template, form.Section.From, form.Section.Group); err != nil {
			return err
		}
	}
	if err := t.decide(template, form); err != nil {
		return err
	}
	if err := t.decideGiving(template, form); err != nil {
		return err
	}
	return t.fillHours(form.Hours, &template.Hours)
}

// without returns settings without those of the same permission or group as another.
func without(settings []permit.Setting, of permit.Setting) []permit.Setting {
	return slices.DeleteFunc(slices.Clone(settings),
		func(s permit.Setting) bool { return s.Group == of.Group && s.Permission == of.Permission })
}

// inOrder sorts settings by their keys.
func inOrder(catalogue *permit.Catalogue, settings []permit.Setting) {
	slices.SortFunc(settings, func(a, b permit.Setting) int {
		return strings.Compare(keyOf(catalogue, a), keyOf(catalogue, b))
	})
}

// decideGiving changes some of what a template's holders can give.
func (t *Trial) decideGiving(template *permit.Template, form *templateForm) error {
	if len(form.DecideGiving) == 0 {
		return nil
	}
	catalogue := t.catalogue()
	giving := slices.Clone(template.Giving)
	for _, key := range sortedKeys(form.DecideGiving) {
		of, err := settingFor(catalogue, key, "set.decide_giving."+key)
		if err != nil {
			return err
		}
		giving = without(giving, of)
		if word := form.DecideGiving[key]; word != nil {
			setting, err := readGiving(catalogue, "set.decide_giving."+key, key, *word)
			if err != nil {
				return err
			}
			giving = append(giving, setting)
		}
	}
	inOrder(catalogue, giving)
	template.Giving = giving
	return nil
}

// decide changes some of a template's settings. A group set to what it is set to already is decided anew: its setting
// flows into what has come into it since.
func (t *Trial) decide(template *permit.Template, form *templateForm) error {
	catalogue := t.catalogue()
	settings := slices.Clone(template.Settings)
	for _, key := range sortedKeys(form.Decide) {
		word := form.Decide[key]
		if word == nil {
			of, err := settingFor(catalogue, key, "set.decide."+key)
			if err != nil {
				return err
			}
			settings = without(settings, of)
			continue
		}
		setting, err := readSetting(catalogue, "set.decide."+key, key, *word)
		if err != nil {
			return err
		}
		settings = append(without(settings, setting), setting)
	}
	for key, count := range form.AsOf {
		of, err := settingFor(catalogue, key, "set.as_of."+key)
		if err != nil {
			return err
		}
		for i := range settings {
			if settings[i].Group == of.Group && settings[i].Group != 0 {
				settings[i].AsOf = min(count, catalogue.Count())
			}
		}
	}
	if len(form.Decide) > 0 {
		inOrder(catalogue, settings)
	}
	template.Settings = settings
	if form.DecideRest {
		template.DecidedAt = catalogue.Count()
	}
	if form.DecidedAt != nil {
		template.DecidedAt = min(*form.DecidedAt, catalogue.Count())
	}
	return nil
}

func keyOf(catalogue *permit.Catalogue, s permit.Setting) string {
	if permission := catalogue.Permission(s.Permission); permission != nil {
		return permission.Key
	}
	if group := catalogue.Group(s.Group); group != nil {
		return group.Key
	}
	return ""
}

// copySection takes another template's own settings in a group of the catalogue; those that this one has there go.
func (t *Trial) copySection(template *permit.Template, from, key string) error {
	other, err := t.findTemplate("set.section.from", from)
	if err != nil {
		return err
	}
	catalogue := t.catalogue()
	group := catalogue.GroupByKey(key)
	if group == nil {
		return fault.Missingf("set.section.group", "the catalogue has no group %q", key)
	}
	inside := func(s permit.Setting) bool {
		if permission := catalogue.Permission(s.Permission); permission != nil {
			return catalogue.Inside(permission.Group, group.ID)
		}
		return catalogue.Inside(s.Group, group.ID)
	}
	settings := slices.DeleteFunc(slices.Clone(template.Settings), inside)
	// What the other has by its base, or by a group further up, is stated here: a section means the same in both.
	base := catalogue.Resolve(&permit.Template{Base: template.Base, Settings: settings}, t.State.Template)
	for permission := range catalogue.Permissions {
		if !catalogue.Inside(permission.Group, group.ID) {
			continue
		}
		theirs := t.resolve(other)[permission.ID]
		if theirs.Level != base[permission.ID].Level || theirs.Decided && !base[permission.ID].Decided {
			settings = append(settings, permit.Setting{Permission: permission.ID,
				Word: permission.Scale.Word(theirs.Level)})
		}
	}
	template.Settings = settings
	t.copyGiving(template, other, group, inside)
	return nil
}

// copyGiving takes another template's own settings of what can be given in a group of the catalogue.
func (t *Trial) copyGiving(template, other *permit.Template, group *permit.Group, inside func(permit.Setting) bool) {
	catalogue := t.catalogue()
	giving := slices.DeleteFunc(slices.Clone(template.Giving), inside)
	base := catalogue.ResolveGiving(&permit.Template{Base: template.Base, Settings: template.Settings, Giving: giving},
		t.State.Template)
	for id, theirs := range catalogue.ResolveGiving(other, t.State.Template) {
		permission := catalogue.Permission(permit.PermissionID(id))
		if permission == nil || permission.Retired || !catalogue.Inside(permission.Group, group.ID) {
			continue
		}
		if theirs.Level != base[id].Level || theirs.Decided && !base[id].Decided {
			giving = append(giving, permit.Setting{Permission: permission.ID,
				Word: givingWord(permission.Scale, theirs.Level)})
		}
	}
	template.Giving = giving
}

// givingWord writes a level up to which something can be given so that it is read again.
func givingWord(scale permit.Scale, level permit.Level) string {
	if level == permit.Unbounded {
		return permit.WordFull
	}
	return scale.Word(level)
}

// resolve works a template out as the trial has it so far.
func (t *Trial) resolve(template *permit.Template) []permit.Resolved {
	return t.catalogue().Resolve(template, t.State.Template)
}

// settings reads key and word pairs. A setting on a group that was there before with the same word keeps the
// moment it was made, so that saving a template again decides nothing new.
func (t *Trial) settings(template *permit.Template, pairs map[string]string) ([]permit.Setting, error) {
	catalogue := t.catalogue()
	var settings []permit.Setting
	for _, key := range sortedKeys(pairs) {
		setting, err := readSetting(catalogue, "set.settings."+key, key, pairs[key])
		if err != nil {
			return nil, err
		}
		if i := slices.IndexFunc(template.Settings,
			func(s permit.Setting) bool {
				return s.Group == setting.Group &&
					s.Word == setting.Word
			}); setting.Group != 0 && i >= 0 {
			setting.AsOf = template.Settings[i].AsOf
		}
		settings = append(settings, setting)
	}
	return settings, nil
}

func sortedKeys[V any](pairs map[string]V) []string { return slices.Sorted(maps.Keys(pairs)) }

// settingFor returns a setting without its word for the permission or the group that a key names.
func settingFor(catalogue *permit.Catalogue, key, field string) (permit.Setting, error) {
	if permission := catalogue.PermissionByKey(key); permission != nil {
		return permit.Setting{Permission: permission.ID}, nil
	}
	if group := catalogue.GroupByKey(key); group != nil {
		return permit.Setting{Group: group.ID}, nil
	}
	return permit.Setting{}, fault.Missingf(field, "the catalogue has neither a permission nor a group %q", key)
}

func readSetting(catalogue *permit.Catalogue, field, key, word string) (permit.Setting, error) {
	setting, err := settingFor(catalogue, key, field)
	if err != nil {
		return setting, err
	}
	if permission := catalogue.Permission(setting.Permission); permission != nil {
		if permission.Retired {
			return setting, fault.Conflictf(field, "“%s” is retired; bring it back into the catalogue first",
				permission.Title)
		}
		level, err := permission.Scale.Parse(word)
		if err != nil {
			return setting, fault.Invalidf(field, "%s", err)
		}
		setting.Word = permission.Scale.Word(level)
		return setting, nil
	}
	group := catalogue.Group(setting.Group)
	if !groupTakes(catalogue, group, word) {
		return setting, fault.Invalidf(field,
			"no permission in %s has a level %q; use none, full or a level that some of them have", group.Title, word)
	}
	setting.Word, setting.AsOf = word, catalogue.Count()
	return setting, nil
}

// readGiving reads up to which level a permission, or all of a group, can be given.
func readGiving(catalogue *permit.Catalogue, field, key, word string) (permit.Setting, error) {
	setting, err := settingFor(catalogue, key, field)
	if err != nil {
		return setting, err
	}
	permission := catalogue.Permission(setting.Permission)
	if permission == nil || !strings.EqualFold(strings.TrimSpace(word), permit.WordFull) {
		setting, err = readSetting(catalogue, field, key, word)
		setting.AsOf = 0 // it flows into what comes later too
		return setting, err
	}
	if permission.Retired {
		return setting, fault.Conflictf(field, "“%s” is retired; bring it back into the catalogue first",
			permission.Title)
	}
	setting.Word = givingWord(permission.Scale, permission.Scale.Highest())
	return setting, nil
}

// groupTakes reports whether a word means something to some permission of a group.
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

// loosened reports whether a template no longer requires a qualification that it required.
func (t *Trial) loosened(template *permit.Template) bool {
	before := t.before.State().Template(template.ID)
	return before != nil && len(qualification.Without(permit.RequiresOf(before, t.before.State().Template),
		permit.RequiresOf(template, t.State.Template))) > 0
}

// templateCeiling asks that the actor can give everywhere whatever the template now gives that it did not give before,
// and whatever its holders can give now and could not before.
func (t *Trial) templateCeiling(template *permit.Template) error {
	if t.actor.System != "" {
		return nil
	}
	before := t.before.Resolved(template.ID)
	if t.loosened(template) {
		before = nil // whoever lacks what it no longer requires is given all of it
		if err := t.localsOfTemplate(template.ID, nil); err != nil {
			return err
		}
	}
	for id, resolved := range t.catalogue().Resolve(template, t.State.Template) {
		if id < len(before) && resolved.Level <= before[id].Level || resolved.Level == 0 {
			continue
		}
		if err := t.giveEverywhere(permit.PermissionID(id), resolved.Level); err != nil {
			return err
		}
	}
	could := t.before.Giving(template.ID)
	for id, resolved := range t.catalogue().ResolveGiving(template, t.State.Template) {
		added := t.before.Catalogue().Permission(permit.PermissionID(id)) == nil
		if id < len(could) && resolved.Level <= could[id].Level || resolved.Level == 0 ||
			added && resolved.Group != 0 { // what is added to a group can be given by whoever can give all in it
			continue
		}
		if err := t.giveEverywhere(permit.PermissionID(id), resolved.Level); err != nil {
			return err
		}
	}
	return nil
}

// giveEverywhere asks that the actor may give a permission everywhere, as templates count everywhere: also at a site
// that is retired while people are assigned in it, as it would come back with them.
func (t *Trial) giveEverywhere(id permit.PermissionID, level permit.Level) error {
	for here := range t.before.Tree().Tops {
		if !here.Retired || len(t.before.Inside(here.Place.ID)) > 0 {
			if err := t.mayGive(id, level, here.Place.ID); err != nil {
				return err
			}
		}
	}
	return nil
}

func templateAdd(t *Trial) error {
	var form templateForm
	if err := t.form(&form); err != nil {
		return err
	}
	if err := t.require(permit.EditTemplates, 0); err != nil {
		return err
	}
	if err := checkCode("set.code", form.Code, "line-operator"); err != nil {
		return err
	}
	if t.State.TemplateByCode(form.Code) != nil {
		return fault.Conflictf("set.code", "there is a template %s already; choose another code", form.Code)
	}
	template := &permit.Template{ID: permit.TemplateID(t.State.Templates.Next()), Code: form.Code,
		DecidedAt: t.catalogue().Count()}
	if err := t.beginTemplate(template, &form); err != nil {
		return err
	}
	if err := t.fillTemplate(template, &form); err != nil {
		return err
	}
	if err := t.templateCeiling(template); err != nil {
		return err
	}
	t.put(template)
	t.named(uint32(template.ID))
	return nil
}

// beginTemplate lets a new template begin as a copy of another, or as what a person holds at a place.
func (t *Trial) beginTemplate(template *permit.Template, form *templateForm) error {
	switch {
	case form.CopyOf != "" && form.Like != nil:
		return fault.Invalidf("set.like", "begin with a copy or with a person, not with both")
	case form.CopyOf != "":
		other, err := t.findTemplate("set.copy_of", form.CopyOf)
		if err != nil {
			return err
		}
		template.Settings, template.Hours, template.DecidedAt = slices.Clone(other.Settings), other.Hours,
			other.DecidedAt
		template.Giving = slices.Clone(other.Giving)
		t.keepFrom(other, form)
		if base := t.State.Template(other.Base); base != nil && form.Base == "" {
			form.Base = base.Code
		}
	case form.Like != nil:
		p, err := t.findStaff("set.like.staff", form.Like.Staff)
		if err != nil {
			return err
		}
		place, err := t.findPlace("set.like.place", form.Like.Place)
		if err != nil {
			return err
		}
		if t.view(p) != access.Whole {
			return fault.Refusedf("not-permitted",
				"%s belongs to another site; a template is made from somebody whose home site you look after.",
				p.FullName())
		}
		like, found := t.before.Like(p.ID, place.ID, t.env.Now.Unix())
		if !found {
			return fault.Conflictf("set.like",
				"%s has no assignment at %s that counts now, so there is nothing to make a template from", p.FullName(),
				place.Name)
		}
		base := t.State.Template(like.Base)
		form.Base = base.Code
		t.keepFrom(base, form)
		for _, permission := range slices.Sorted(maps.Keys(like.Settings)) {
			template.Settings = append(template.Settings,
				permit.Setting{Permission: permission,
					Word: t.catalogue().Permission(permission).Scale.Word(like.Settings[permission])})
		}
	}
	return nil
}

// keepFrom takes over another template's defaults where the form states none.
func (t *Trial) keepFrom(other *permit.Template, form *templateForm) {
	form.Summary = cmp.Or(form.Summary, other.Summary)
	form.Days, form.IdleSeconds = cmp.Or(form.Days, other.Days), cmp.Or(form.IdleSeconds, other.IdleSeconds)
	if form.Needs == nil {
		form.Needs = other.Needs
	}
	if form.Requires == nil {
		form.Requires = numbered(other.Requires)
	}
}

func templateEdit(t *Trial) error {
	before, err := t.findTemplate("on", t.op.On)
	if err != nil {
		return err
	}
	if err := t.require(permit.EditTemplates, 0); err != nil {
		return err
	}
	if err := t.fresh(before.Revision, before.Name); err != nil {
		return err
	}
	form := templateForm{Code: before.Code, Name: before.Name, Summary: before.Summary, Days: before.Days,
		Needs: slices.Clone(before.Needs), Requires: numbered(before.Requires), IdleSeconds: before.IdleSeconds}
	if base := t.State.Template(before.Base); base != nil {
		form.Base = base.Code
	}
	if err := t.form(&form); err != nil {
		return err
	}
	switch {
	case form.Code != before.Code:
		return fault.Invalidf("set.code", "a template keeps its code; change its name instead")
	case form.CopyOf != "" || form.Like != nil:
		return fault.Invalidf("set", "only a new template begins as a copy or from a person; copy a section instead")
	case before.Retired:
		return fault.Conflictf("on", "%s is retired; bring it back before changing it", before.Name)
	}
	template := *before
	if err := t.fillTemplate(&template, &form); err != nil {
		return err
	}
	if err := t.templateCeiling(&template); err != nil {
		return err
	}
	if err := t.templateNotOwn(&template); err != nil {
		return err
	}
	t.put(&template)
	// Those based on it give what it gives now, which must be the actor's to give too.
	for _, other := range t.State.Templates.All() {
		if t.basedOn(other, template.ID) && !other.Retired {
			if err := t.templateCeiling(other); err != nil {
				return err
			}
		}
	}
	return nil
}

// basedOn reports whether a template is based on another, through however many.
func (t *Trial) basedOn(template *permit.Template, base permit.TemplateID) bool {
	for above := t.State.Template(template.Base); above != nil; above = t.State.Template(above.Base) {
		if above.ID == base {
			return true
		}
	}
	return false
}

// templateNotOwn keeps a manager from changing their own access by way of a template they are assigned.
func (t *Trial) templateNotOwn(template *permit.Template) error {
	actor := t.before.State().Person(t.actor.Staff)
	if t.actor.System != "" || actor == nil || actor.Owner {
		return nil
	}
	for _, id := range t.before.State().AssignmentsOf(actor.ID) {
		a := t.before.State().Assignment(id)
		for above := t.before.State().Template(a.Template); above != nil &&
			!a.Ended; above = t.before.State().Template(above.Base) {
			if above.ID == template.ID {
				return t.notOneself(actor)
			}
		}
	}
	return nil
}

func templateRetire(t *Trial) error {
	before, err := t.findTemplate("on", t.op.On)
	if err != nil {
		return err
	}
	if err := t.require(permit.EditTemplates, 0); err != nil {
		return err
	}
	if err := t.fresh(before.Revision, before.Name); err != nil {
		return err
	}
	if before.Retired {
		return fault.Conflictf("on", "%s is retired already", before.Name)
	}
	var form retireForm
	if err := t.form(&form); err != nil {
		return err
	}
	for _, other := range t.State.Templates.All() {
		if other.Base == before.ID && !other.Retired {
			return fault.Conflictf("on", "%s is based on %s; base it on another template, or on none, first",
				other.Name, before.Name)
		}
	}
	if err := t.leaveTemplate(before, &form); err != nil {
		return err
	}
	template := *before
	template.Retired = true
	t.put(&template)
	return nil
}

// retireForm says what happens to those who have a template that is retired.
type retireForm struct {
	ReplaceWith    string `json:"replace_with"`    // their assignments go on with this template
	EndAssignments bool   `json:"end_assignments"` // their assignments end
}

// leaveTemplate ends the assignments of a template that have not run out, or lets them go on with another.
func (t *Trial) leaveTemplate(template *permit.Template, form *retireForm) error {
	var users []*org.Assignment
	staff := map[people.StaffID]bool{}
	for _, a := range t.State.Assignments.All() {
		if a.Template == template.ID && !a.Ended && (a.Until.IsZero() || a.Until >= t.today(t.State.Place(a.Place))) {
			users, staff[a.Staff] = append(users, a), true
		}
	}
	if len(users) == 0 {
		return nil
	}
	var next *permit.Template
	switch {
	case form.ReplaceWith != "" && form.EndAssignments:
		return fault.Invalidf("set.end_assignments",
			"either give those people another template or end their assignments, not both")
	case form.ReplaceWith != "":
		var err error
		if next, err = t.findTemplate("set.replace_with", form.ReplaceWith); err != nil {
			return err
		}
		if next.Retired || next.ID == template.ID {
			return fault.Invalidf("set.replace_with", "choose another template that is in use")
		}
	case !form.EndAssignments:
		return fault.Conflictf("on", "%s is still used by %s of %s; say which template they get instead "+
			"(replace_with), or that their assignments end (end_assignments)",
			template.Name, words.Count(len(users), "assignment", "assignments"),
			words.Count(len(staff), "person", "people"))
	}
	for _, a := range users {
		if err := t.endable(a); err != nil {
			return err
		}
		ended := *a
		ended.Ended = true
		t.put(&ended)
		if next == nil {
			continue
		}
		if err := t.templateFits(next, t.State.Place(a.Place)); err != nil {
			return err
		}
		onward := *a
		onward.ID, onward.Template = org.AssignmentID(t.State.Assignments.Next()), next.ID
		if onward.From < t.today(t.State.Place(a.Place)) {
			onward.From = t.today(t.State.Place(a.Place))
		}
		if t.assignedAlready(&onward) {
			continue
		}
		if err := t.assignable(&onward); err != nil {
			return err
		}
		t.put(&onward)
	}
	return nil
}

func templateRestore(t *Trial) error {
	before, err := t.findTemplate("on", t.op.On)
	if err != nil {
		return err
	}
	if err := t.require(permit.EditTemplates, 0); err != nil {
		return err
	}
	if err := t.fresh(before.Revision, before.Name); err != nil {
		return err
	}
	if !before.Retired {
		return fault.Conflictf("on", "%s is in use already", before.Name)
	}
	template := *before
	template.Retired = false
	t.put(&template)
	return nil
}
