package change

import (
	"maps"
	"regexp"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

var permissionOperations = []Description{
	{Name: "permission.add", Do: "Add permission", Done: "Added permission",
		Needs: permit.EditCatalogue, Fields: permissionForm{}, Makes: "permission", Undone: "permission.retire",
		apply: permissionAdd},
	{Name: "permission.edit", Do: "Change permission", Done: "Changed permission",
		Needs: permit.EditCatalogue, Fields: permissionForm{}, subject: fieldsEdited, apply: permissionEdit},
	{Name: "permission.retire", Do: "Retire permission", Done: "Retired permission",
		Needs: permit.EditCatalogue, subject: fieldsEdited, apply: permissionRetire},
	{Name: "permission.restore", Do: "Bring back permission", Done: "Brought back permission",
		Needs: permit.EditCatalogue, apply: permissionRestore},
}

var groupOperations = []Description{
	{Name: "group.add", Do: "Add catalogue group", Done: "Added catalogue group",
		Needs: permit.EditCatalogue, Fields: groupForm{}, Makes: "group", Undone: "group.retire", apply: groupAdd},
	{Name: "group.edit", Do: "Change catalogue group", Done: "Changed catalogue group",
		Needs: permit.EditCatalogue, Fields: groupForm{}, subject: fieldsEdited, apply: groupEdit},
	{Name: "group.retire", Do: "Retire catalogue group", Done: "Retired catalogue group",
		Needs: permit.EditCatalogue, subject: fieldsEdited, apply: groupRetire},
	{Name: "group.restore", Do: "Bring back catalogue group", Done: "Brought back catalogue group",
		Needs: permit.EditCatalogue, apply: groupRestore},
}

var keyPattern = regexp.MustCompile(`^[a-z][a-z0-9_]*(\.[a-z][a-z0-9_]*)*$`)

func (t *Trial) checkKey(key string) error {
	if !keyPattern.MatchString(key) || len(key) > 64 {
		return fault.Invalidf("set.key", "a key is lower-case words joined by dots, such as line.changeover")
	}
	catalogue := t.catalogue()
	if catalogue.GroupByKey(key) != nil || catalogue.PermissionByKey(key) != nil {
		return fault.Conflictf("set.key", "the catalogue has %s already", key)
	}
	return nil
}

// catalogue is the catalogue as the trial has it so far.
func (t *Trial) catalogue() *permit.Catalogue {
	if t.cached == nil {
		t.cached = permit.NewCatalogue(t.State.Groups.All(), t.State.Permissions.All())
	}
	return t.cached
}

// nextSince is the catalogue count for what comes into the catalogue, or to another place in it: higher than any at
// which a group's setting was made, so that none flows into it.
func (t *Trial) nextSince() uint32 {
	count := t.catalogue().Count()
	for _, template := range t.State.Templates.All() {
		count = max(count, template.DecidedAt)
		for _, setting := range template.Settings {
			count = max(count, setting.AsOf)
		}
	}
	return count + 1
}

func (t *Trial) findGroup(field, reference string) (*permit.Group, error) {
	group := t.catalogue().GroupByKey(reference)
	if group == nil {
		group = t.catalogue().Group(permit.GroupID(t.number(reference)))
	}
	if group == nil {
		return nil, fault.Missingf(field, "the catalogue has no group %q", reference)
	}
	return group, nil
}

func (t *Trial) findPermission(field, reference string) (*permit.Permission, error) {
	permission := t.catalogue().PermissionByKey(reference)
	if permission == nil {
		permission = t.catalogue().Permission(permit.PermissionID(t.number(reference)))
	}
	if permission == nil {
		return nil, fault.Missingf(field, "the catalogue has no permission %q", reference)
	}
	return permission, nil
}

type groupForm struct {
	Key    string  `json:"key"`
	Title  string  `json:"title"`
	Parent string  `json:"parent"`
	Since  *uint32 `json:"since"` // for setting back
}

func (t *Trial) fillGroup(g *permit.Group, form *groupForm) error {
	if g.Title = words.Tidy(form.Title); g.Title == "" {
		return fault.Invalidf("set.title", "a group needs a title")
	}
	if err := bounded("title", g.Title, 120); err != nil {
		return err
	}
	before := g.Parent
	g.Parent = 0
	if form.Parent != "" {
		parent, err := t.findGroup("set.parent", form.Parent)
		if err != nil {
			return err
		}
		if g.ID != 0 && t.catalogue().Inside(parent.ID, g.ID) {
			return fault.Invalidf("set.parent", "%s stands inside %s; putting %s below it would make a circle",
				parent.Title, g.Title, g.Title)
		}
		if parent.Retired {
			return fault.Conflictf("set.parent", "the group %s is retired", parent.Title)
		}
		if parent.ID != before && t.catalogue().OfConsole(parent.ID) {
			return notOfConsole("set.parent", parent)
		}
		g.Parent = parent.ID
	}
	switch {
	case form.Since != nil:
		g.Since = min(*form.Since, t.nextSince())
	case g.Parent != before:
		g.Since = t.nextSince()
	}
	return nil
}

func groupAdd(t *Trial) error {
	var form groupForm
	if err := t.form(&form); err != nil {
		return err
	}
	if err := t.require(permit.EditCatalogue, 0); err != nil {
		return err
	}
	if err := t.checkKey(form.Key); err != nil {
		return err
	}
	g := &permit.Group{Key: form.Key, Since: t.nextSince()}
	if err := t.fillGroup(g, &form); err != nil {
		return err
	}
	g.ID = permit.GroupID(t.State.Groups.Next())
	t.put(g)
	t.named(uint32(g.ID))
	return nil
}

// group finds the one an operation is about, for somebody who may edit the catalogue.
func (t *Trial) group() (*permit.Group, error) {
	g, err := t.findGroup("on", t.op.On)
	if err != nil {
		return nil, err
	}
	if err := t.require(permit.EditCatalogue, 0); err != nil {
		return nil, err
	}
	return g, t.fresh(g.Revision, g.Title)
}

func groupEdit(t *Trial) error {
	before, err := t.group()
	if err != nil {
		return err
	}
	form := groupForm{Key: before.Key, Title: before.Title}
	if parent := t.catalogue().Group(before.Parent); parent != nil {
		form.Parent = parent.Key
	}
	if err := t.form(&form); err != nil {
		return err
	}
	if form.Key != before.Key {
		return fault.Invalidf("set.key", "a group keeps its key; change its title instead")
	}
	g := *before
	if err := t.fillGroup(&g, &form); err != nil {
		return err
	}
	t.keepFlowing(func(p *permit.Permission) bool {
		return g.Parent != before.Parent && t.catalogue().Inside(p.Group, g.ID)
	}, func() { t.put(&g) })
	return t.catalogueCeiling()
}

func groupRetire(t *Trial) error  { return retireGroup(t, true) }
func groupRestore(t *Trial) error { return retireGroup(t, false) }

func retireGroup(t *Trial, retired bool) error {
	before, err := t.group()
	if err != nil {
		return err
	}
	catalogue := t.catalogue()
	switch {
	case before.Retired == retired:
		return fault.Conflictf("on", "the group %s is %s already", before.Title, retiredWord(retired))
	case before.Key == permit.ConsoleGroup:
		return fault.Refusedf("own-part", "The group %s is what this product itself asks about; it cannot be retired.",
			before.Title)
	case !retired:
		if parent := catalogue.Group(before.Parent); parent != nil && parent.Retired {
			return fault.Conflictf("on", "the group %s that it stands in is retired; bring that back first",
				parent.Title)
		}
	default:
		for permission := range catalogue.Permissions {
			if permission.Group == before.ID {
				return fault.Conflictf("on", "“%s” stands in the group %s; move it or retire it first",
					permission.Title, before.Title)
			}
		}
		for group := range catalogue.Groups {
			if group.Parent == before.ID {
				return fault.Conflictf("on", "the group %s stands in %s; move it or retire it first", group.Title,
					before.Title)
			}
		}
	}
	g := *before
	g.Retired = retired
	t.put(&g)
	return t.catalogueCeiling()
}

func retiredWord(retired bool) string {
	return map[bool]string{true: "retired", false: "in use"}[retired]
}

type permissionForm struct {
	Key       string        `json:"key"`
	Title     string        `json:"title"`
	Sentence  string        `json:"sentence"`
	Group     string        `json:"group"`
	Scale     permit.Scale  `json:"scale"`
	Kinds     []estate.Kind `json:"kinds"`
	Sensitive bool          `json:"sensitive"`
	Since     *uint32       `json:"since"` // for setting back
}

// notOfConsole keeps apart what this product itself asks about, which counts otherwise than what doors and terminals
// ask: holding it lets somebody sign in here, and a say over a place outlasts the retirement of that place.
func notOfConsole(field string, group *permit.Group) error {
	return fault.Invalidf(field, "the group %s holds what this product itself asks about, and nothing else; choose "+
		"another group", group.Title)
}

func (t *Trial) fillPermission(p *permit.Permission, form *permissionForm) error {
	group, err := t.findGroup("set.group", form.Group)
	if err != nil {
		return err
	}
	if group.Retired {
		return fault.Conflictf("set.group", "the group %s is retired", group.Title)
	}
	if p.Group != group.ID && t.catalogue().OfConsole(group.ID) && !permit.AskedByConsole(p.Key) {
		return notOfConsole("set.group", group)
	}
	switch {
	case form.Since != nil:
		p.Since = min(*form.Since, t.nextSince())
	case p.Group != group.ID:
		p.Since = t.nextSince()
	}
	p.Title, p.Sentence, p.Group, p.Scale, p.Sensitive = words.Tidy(form.Title), words.Tidy(form.Sentence), group.ID,
		form.Scale, form.Sensitive
	switch {
	case p.Title == "":
		return fault.Invalidf("set.title", "a permission needs a title that says what somebody may do")
	case p.Sentence == "":
		return fault.Invalidf("set.sentence", "a permission needs one plain sentence")
	case len(form.Kinds) == 0:
		return fault.Invalidf("set.kinds", "say at which kinds of place the permission has a meaning")
	}
	if err := bounded("title", p.Title, 120); err != nil {
		return err
	}
	if err := bounded("sentence", p.Sentence, 500); err != nil {
		return err
	}
	for _, kind := range form.Kinds {
		if !kind.Known() {
			return fault.Invalidf("set.kinds", "%q is not a kind of place; use organisation, site, zone, door, device "+
				"or work_centre",
				kind)
		}
	}
	// Each kind once, in the order of the tree.
	p.Kinds = slices.DeleteFunc(slices.Clone(estate.Kinds),
		func(kind estate.Kind) bool { return !slices.Contains(form.Kinds, kind) })
	if err := p.Scale.Check(); err != nil {
		return fault.Invalidf("set.scale", "%s", err)
	}
	return nil
}

func permissionAdd(t *Trial) error {
	var form permissionForm
	if err := t.form(&form); err != nil {
		return err
	}
	if err := t.require(permit.EditCatalogue, 0); err != nil {
		return err
	}
	if err := t.checkKey(form.Key); err != nil {
		return err
	}
	p := &permit.Permission{Key: form.Key}
	if err := t.fillPermission(p, &form); err != nil {
		return err
	}
	p.ID = permit.PermissionID(t.State.Permissions.Next())
	t.put(p)
	t.named(uint32(p.ID))
	return nil
}

// permission finds the one an operation is about, for somebody who may edit the catalogue.
func (t *Trial) permission() (*permit.Permission, error) {
	p, err := t.findPermission("on", t.op.On)
	if err != nil {
		return nil, err
	}
	if err := t.require(permit.EditCatalogue, 0); err != nil {
		return nil, err
	}
	return p, t.fresh(p.Revision, "“"+p.Title+"”")
}

func permissionEdit(t *Trial) error {
	before, err := t.permission()
	if err != nil {
		return err
	}
	form := permissionForm{Key: before.Key, Title: before.Title, Sentence: before.Sentence,
		Group: t.catalogue().Group(before.Group).Key, Scale: before.Scale,
		// Cloned: reading JSON writes into a list that is there
		Kinds: slices.Clone(before.Kinds), Sensitive: before.Sensitive}
	form.Scale.Levels = slices.Clone(before.Scale.Levels)
	if err := t.form(&form); err != nil {
		return err
	}
	if form.Key != before.Key {
		return fault.Invalidf("set.key",
			"a permission keeps its key, which templates and devices know it by; change its title instead")
	}
	p := *before
	if err := t.fillPermission(&p, &form); err != nil {
		return err
	}
	if t.catalogue().OfConsole(before.Group) &&
		(!p.Scale.Equal(before.Scale) || p.Group != before.Group || !slices.Equal(p.Kinds, before.Kinds)) {
		return fault.Refusedf("own-part",
			"“%s” is what this product itself asks about; its wording may change, its scale, group and kinds may not.",
			before.Title)
	}
	if before.Sensitive && !p.Sensitive && t.actor.System == "" {
		if _, err := t.why("“%s” is marked sensitive; say why it no longer is", before.Title); err != nil {
			return err
		}
	}
	if err := t.kindsReach(before, &p); err != nil {
		return err
	}
	if !p.Scale.Equal(before.Scale) {
		if err := t.rescale(before, &p); err != nil {
			return err
		}
	}
	t.keepFlowing(func(other *permit.Permission) bool { return other.ID == p.ID && p.Group != before.Group },
		func() { t.put(&p) })
	return t.catalogueCeiling()
}

// keepFlowing lets a move within the catalogue change nobody's access: what flowed from a group into the permissions
// that are moved is stated by the templates themselves from then on, both what can be done and what can be given.
func (t *Trial) keepFlowing(moved func(*permit.Permission) bool, move func()) {
	type flow struct{ does, gives []permit.Setting }
	flowed := map[permit.TemplateID]flow{}
	for number, template := range t.State.Templates.All() {
		flowing := func(resolved []permit.Resolved) (settings []permit.Setting) {
			for id, r := range resolved {
				if p := t.catalogue().Permission(permit.PermissionID(id)); p != nil && r.Group != 0 &&
					r.Template == template.ID && moved(p) {
					settings = append(settings, permit.Setting{Permission: p.ID, Word: givingWord(p.Scale, r.Level)})
				}
			}
			return settings
		}
		of := flow{flowing(t.resolve(template)), flowing(t.catalogue().ResolveGiving(template, t.State.Template))}
		if len(of.does)+len(of.gives) > 0 {
			flowed[permit.TemplateID(number)] = of
		}
	}
	move()
	for _, id := range slices.Sorted(maps.Keys(flowed)) {
		template, stated := *t.State.Template(id), false
		keep := func(settings, flowed []permit.Setting, resolved []permit.Resolved) []permit.Setting {
			settings = slices.Clone(settings)
			for _, setting := range flowed {
				level, err := t.catalogue().Permission(setting.Permission).Scale.ParseGiving(setting.Word)
				if now := resolved[setting.Permission]; err == nil && (!now.Decided || now.Level != level) {
					settings, stated = append(settings, setting), true
				}
			}
			return settings
		}
		template.Settings = keep(template.Settings, flowed[id].does, t.resolve(&template))
		template.Giving = keep(template.Giving, flowed[id].gives,
			t.catalogue().ResolveGiving(&template, t.State.Template))
		if stated {
			t.put(&template)
		}
	}
}

// kindsReach keeps a permission from losing the kinds of the doors that ask about it, and of the places at which it
// stands in an exception.
func (t *Trial) kindsReach(before, after *permit.Permission) error {
	lost := func(kind estate.Kind) bool { return before.AppliesTo(kind) && !after.AppliesTo(kind) }
	for _, place := range t.State.Places.All() {
		if place.Asks == before.Key && lost(place.Kind) && !place.Retired {
			return fault.Conflictf("set.kinds",
				"%s asks about “%s”; let it ask about something else before taking the kind %s away", place.Code,
				before.Title, place.Kind.Words())
		}
	}
	for _, e := range t.State.Exceptions.All() {
		if e.Permission == before.ID && !e.Ended && lost(t.State.Place(e.Place).Kind) {
			return fault.Conflictf("set.kinds",
				"%s has an exception for “%s” at %s; end it before taking the kind away",
				t.State.Person(e.Staff).FullName(), before.Title, t.State.Place(e.Place).Code)
		}
	}
	for _, l := range t.State.LocalSettings.All() {
		if l.Permission == before.ID && !l.Ended && lost(t.State.Place(l.Place).Kind) {
			return fault.Conflictf("set.kinds",
				"%s has a local setting for “%s” at %s; end it before taking the kind away",
				t.State.Template(l.Template).Name, before.Title, t.State.Place(l.Place).Code)
		}
	}
	return nil
}

// rescale carries settings and exceptions over to another scale by their words; a word that the new scale lacks is in
// the way. Exceptions hold a number, so theirs are written anew.
func (t *Trial) rescale(before, after *permit.Permission) error {
	for _, template := range t.State.Templates.All() {
		for _, setting := range slices.Concat(template.Settings, template.Giving) {
			if setting.Permission != before.ID || template.Retired {
				continue
			}
			if _, err := after.Scale.ParseGiving(setting.Word); err != nil {
				return fault.Conflictf("set.scale",
					"the template %s sets “%s” to %s, which the new scale does not have; change that first",
					template.Name, before.Title, setting.Word)
			}
		}
	}
	for _, e := range t.State.Exceptions.All() {
		if e.Permission != before.ID || e.Ended || e.Withheld {
			continue
		}
		word := before.Scale.Word(e.Level)
		level, err := after.Scale.Parse(word)
		if err != nil || level == 0 {
			return fault.Conflictf("set.scale",
				"%s has “%s” by exception to %s, which the new scale does not have; end that exception first",
				t.State.Person(e.Staff).FullName(), before.Title, word)
		}
		if level != e.Level {
			carried := *e
			carried.Level = level
			if err := t.excepting(&carried); err != nil {
				return err
			}
			t.put(&carried)
		}
	}
	for _, l := range t.State.LocalSettings.All() {
		if l.Permission != before.ID || l.Ended {
			continue
		}
		word := before.Scale.Word(l.Level)
		level, err := after.Scale.Parse(word)
		if err != nil {
			return fault.Conflictf("set.scale",
				"%s has “%s” to %s at %s by a local setting, which the new scale does not have; end that first",
				t.State.Template(l.Template).Name, before.Title, word, t.State.Place(l.Place).Name)
		}
		if level != l.Level {
			carried := *l
			carried.Level = level
			t.put(&carried)
		}
	}
	return nil
}

func permissionRetire(t *Trial) error  { return retirePermission(t, true) }
func permissionRestore(t *Trial) error { return retirePermission(t, false) }

func retirePermission(t *Trial, retired bool) error {
	before, err := t.permission()
	if err != nil {
		return err
	}
	if before.Retired == retired {
		return fault.Conflictf("on", "“%s” is %s already", before.Title, retiredWord(retired))
	}
	if t.catalogue().OfConsole(before.Group) {
		return fault.Refusedf("own-part", "“%s” is what this product itself asks about; it cannot be retired.",
			before.Title)
	}
	if retired {
		var asking []string
		for _, place := range t.State.Places.All() {
			if place.Asks == before.Key && !place.Retired {
				asking = append(asking, place.Code)
			}
		}
		if len(asking) > 0 {
			return fault.Conflictf("on", "%s about “%s”: %s. Let them ask about something else first.",
				words.Count(len(asking), "place asks", "places ask"), before.Title,
				strings.Join(asking[:min(len(asking), 5)], ", "))
		}
	}
	if group := t.catalogue().Group(before.Group); !retired && group.Retired {
		return fault.Conflictf("on", "the group %s that it stands in is retired; bring that back first", group.Title)
	}
	p := *before
	p.Retired = retired
	t.put(&p)
	return t.catalogueCeiling()
}

// catalogueCeiling asks that whatever templates give by a change of the catalogue, and did not give before, is the
// actor's to give at every site, and does not change the actor's own access.
func (t *Trial) catalogueCeiling() error {
	if t.actor.System != "" {
		return nil
	}
	for id, template := range t.State.Templates.All() {
		if err := t.templateCeiling(template); err != nil {
			return err
		}
		before, after := t.before.Resolved(permit.TemplateID(id)), t.resolve(template)
		could, can := t.before.Giving(permit.TemplateID(id)), t.catalogue().ResolveGiving(template, t.State.Template)
		for permission := range after {
			// What is added to a group can be given by whoever can give all in it, also by the actor
			added := t.before.Catalogue().Permission(permit.PermissionID(permission)) == nil
			if after[permission].Level != levelAt(before, permission) ||
				can[permission].Level != levelAt(could, permission) && !added {
				if err := t.templateNotOwn(template); err != nil {
					return err
				}
				break
			}
		}
	}
	if err := t.kindsCeiling(); err != nil {
		return err
	}
	return t.addedCeiling()
}

func levelAt(resolved []permit.Resolved, id int) permit.Level {
	if id < len(resolved) {
		return resolved[id].Level
	}
	return 0
}

// wider reports whether a permission that was there before has come to mean something at more kinds of place, or is no
// longer retired.
func (t *Trial) wider(id permit.PermissionID) bool {
	before, after := t.before.Catalogue().Permission(id), t.catalogue().Permission(id)
	return before != nil && !after.Retired &&
		(before.Retired || slices.ContainsFunc(after.Kinds,
			func(kind estate.Kind) bool { return !before.AppliesTo(kind) }))
}

// addedCeiling asks the same of what is added for single people.
func (t *Trial) addedCeiling() error {
	for _, e := range t.State.Exceptions.All() {
		if e.Withheld || e.Ended || !t.wider(e.Permission) ||
			!e.Until.IsZero() && e.Until < t.today(t.State.Place(e.Place)) {
			continue
		}
		if err := t.mayGive(e.Permission, e.Level, e.Place); err != nil {
			return err
		}
		if p := t.State.Person(e.Staff); !p.Owner {
			if err := t.notOneself(p); err != nil {
				return err
			}
		}
	}
	return nil
}

// kindsCeiling asks the same of a permission that has come to mean something at more kinds of place.
func (t *Trial) kindsCeiling() error {
	for _, template := range t.State.Templates.All() {
		if err := t.localsOfTemplate(template.ID, t.wider); err != nil {
			return err
		}
		giving := t.catalogue().ResolveGiving(template, t.State.Template)
		for id, resolved := range t.resolve(template) {
			if !t.wider(permit.PermissionID(id)) {
				continue
			}
			if given := giving[id].Level; given > 0 {
				if err := t.giveEverywhere(permit.PermissionID(id), given); err != nil {
					return err
				}
			}
			if resolved.Level == 0 {
				continue
			}
			if err := t.giveEverywhere(permit.PermissionID(id), resolved.Level); err != nil {
				return err
			}
			if err := t.templateNotOwn(template); err != nil {
				return err
			}
		}
	}
	return nil
}
