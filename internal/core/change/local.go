package change

import (
	"encoding/json"
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

var localOperations = []Description{
	{Name: "local_setting.add", Do: "Make a local setting:", Done: "Made a local setting:", Needs: permit.ExceptStaff,
		Daily: true, Fields: localForm{}, Makes: "local_setting", Undone: "local_setting.end", subject: localEdited,
		apply: localAdd},
	{Name: "local_setting.edit", Do: "Change a local setting:", Done: "Changed a local setting:",
		Needs: permit.ExceptStaff, Daily: true, Fields: localForm{}, subject: localEdited, apply: localEdit},
	{Name: "local_setting.end", Do: "End a local setting:", Done: "Ended a local setting:",
		Needs: permit.ExceptStaff, Daily: true, subject: localEdited, apply: localEnd},
	{Name: "local_setting.restore", Do: "Restore a local setting:", Done: "Restored a local setting:",
		Needs: permit.ExceptStaff, Daily: true, apply: localRestore},
}

type localForm struct {
	Template   string `json:"template"`
	Permission string `json:"permission"`
	Place      string `json:"place"`
	Level      string `json:"level"`
	From       string `json:"from"`
	Until      string `json:"until"`
}

func localEdited(o Operation) string {
	var of struct{ Template, Permission, Place string }
	if json.Unmarshal(o.Set, &of) == nil && of.Template != "" {
		return "local setting " + of.Template + " " + of.Permission + " " + of.Place
	}
	return "local setting number " + o.On
}

func localAdd(t *Trial) error {
	var form localForm
	if err := t.form(&form); err != nil {
		return err
	}
	place, err := t.findPlace("set.place", form.Place)
	if err != nil {
		return err
	}
	if err := t.require(permit.ExceptStaff, place.ID); err != nil {
		return err
	}
	template, err := t.findTemplate("set.template", form.Template)
	if err != nil {
		return err
	}
	permission, err := t.findPermission("set.permission", form.Permission)
	if err != nil {
		return err
	}
	switch {
	case template.Retired:
		return fault.Conflictf("set.template", "%s is retired; choose a template in use", template.Name)
	case permission.Retired:
		return fault.Conflictf("set.permission", "“%s” is retired", permission.Title)
	case place.Retired:
		return fault.Conflictf("set.place", "%s is retired; choose a place in use", place.Name)
	case !place.Kind.HoldsOthers() && !permission.AppliesTo(place.Kind):
		return fault.Invalidf("set.permission",
			"“%s” does not apply to a %s such as %s; choose a place it applies to, or one above", permission.Title,
			place.Kind.Words(), place.Code)
	}
	reason, err := t.why("a local setting requires a reason; enter why %s differs", place.Name)
	if err != nil {
		return err
	}
	l := &org.LocalSetting{ID: org.LocalSettingID(t.State.LocalSettings.Next()), Place: place.ID,
		Template: template.ID, Permission: permission.ID, Reason: reason,
		MadeAt: t.env.Now.UTC().Truncate(time.Second)}
	if err := t.fillLocal(l, &form); err != nil {
		return err
	}
	t.put(l)
	t.named(uint32(l.ID))
	return nil
}

// fillLocal reads dates and level, and asks that no other counts on the same days.
func (t *Trial) fillLocal(l *org.LocalSetting, form *localForm) error {
	permission := t.catalogue().Permission(l.Permission)
	var err error
	if l.From, err = t.date("from", form.From); err != nil {
		return err
	}
	if l.Until, err = t.date("until", form.Until); err != nil {
		return err
	}
	if !l.Until.IsZero() && l.Until < l.From {
		return fault.Invalidf("set.until",
			"the local setting ends on %s, before it begins on %s; put the end on or after the start", l.Until, l.From)
	}
	if form.Level == "" {
		return fault.Invalidf("set.level",
			"enter the level of the template at this place; none takes the permission away")
	}
	if l.Level, err = permission.Scale.Parse(form.Level); err != nil {
		return fault.Invalidf("set.level", "%s", err)
	}
	return t.alone(l)
}

// alone asks that no other local setting about the same counts on a day on which one does.
func (t *Trial) alone(l *org.LocalSetting) error {
	for _, other := range t.State.LocalSettings.All() {
		if !other.Ended && other.ID != l.ID && other.About(l) && other.Overlaps(l) {
			permission := t.catalogue().Permission(l.Permission)
			return fault.Conflictf("set.permission",
				"a local setting already sets “%s” of %s to %s at %s; change or end that one (number %d)",
				permission.Title, t.State.Template(l.Template).Name, permission.Scale.Word(other.Level),
				t.State.Place(l.Place).Name, other.ID)
		}
	}
	return nil
}

// localSetting finds the one an operation is about and sees that the caller read the newest record.
func (t *Trial) localSetting() (*org.LocalSetting, error) {
	l := t.State.LocalSetting(org.LocalSettingID(t.number(t.op.On)))
	if l == nil {
		return nil, fault.Missingf("on", "there is no local setting %q", t.op.On)
	}
	if err := t.require(permit.ExceptStaff, l.Place); err != nil {
		return nil, err
	}
	return l, t.fresh(l.Revision, "This local setting")
}

func localEdit(t *Trial) error {
	before, err := t.localSetting()
	if err != nil {
		return err
	}
	form := localForm{From: before.From.String(), Until: before.Until.String(),
		Level: t.catalogue().Permission(before.Permission).Scale.Word(before.Level)}
	if err := t.form(&form); err != nil {
		return err
	}
	switch {
	case form.Template != "" || form.Place != "" || form.Permission != "":
		return fault.Invalidf("set",
			"a local setting keeps its template, place and permission; end it and make another")
	case before.Ended:
		return fault.Conflictf("on", "this local setting has already ended")
	}
	l := *before
	if err := t.fillLocal(&l, &form); err != nil {
		return err
	}
	t.put(&l)
	return nil
}

func localEnd(t *Trial) error     { return endLocal(t, true) }
func localRestore(t *Trial) error { return endLocal(t, false) }

// endLocal ends a local setting, or lets one that was ended count again.
func endLocal(t *Trial, ended bool) error {
	before, err := t.localSetting()
	if err != nil {
		return err
	}
	if before.Ended == ended {
		return fault.Conflictf("on", map[bool]string{true: "this local setting has already ended",
			false: "this local setting has not ended"}[ended])
	}
	l := *before
	l.Ended = ended
	if !ended {
		if err := t.alone(&l); err != nil {
			return err
		}
	}
	t.put(&l)
	return nil
}

// localCeiling asks that whatever templates give at places from now on, by local settings or as these no longer count,
// is the actor's to give there, for as long; and that it does not change what the actor has.
func (t *Trial) localCeiling() error {
	for _, c := range access.LocalChanges(t.before, t.After, t.env.Now.Unix()) {
		if t.before.State().Place(c.Place) == nil || t.before.State().Template(c.Template) == nil {
			continue
		}
		if actor := t.before.State().Person(t.actor.Staff); actor != nil &&
			slices.ContainsFunc(t.assigned(actor.ID), func(a *org.Assignment) bool {
				return a.Template == c.Template && t.concerned(a.Place, c.Place)
			}) {
			return t.notOneself(actor)
		}
		if c.After <= c.Before {
			continue
		}
		if err := t.mayGive(c.Permission, c.After, c.Place); err != nil {
			return err
		}
		if err := t.lasts(c.Permission, c.After, c.Place, c.Until); err != nil {
			return err
		}
	}
	return nil
}

// assigned returns the assignments of somebody, before the change, that are not ended.
func (t *Trial) assigned(id people.StaffID) (list []*org.Assignment) {
	for _, number := range t.before.State().AssignmentsOf(id) {
		if a := t.before.State().Assignment(number); !a.Ended {
			list = append(list, a)
		}
	}
	return list
}

// concerned reports whether one of two places stands in the other.
func (t *Trial) concerned(a, b estate.PlaceID) bool {
	return t.After.Tree().Within(a, b) || t.After.Tree().Within(b, a)
}

// localHolders adds, to those whose giving is judged, who has a template that gives more at a place than before, with
// the permissions that it does: of those who have nothing else, one for each place and its dates stands for all.
func (t *Trial) localHolders(whose map[people.StaffID]map[permit.PermissionID]bool) {
	more := map[permit.TemplateID][]access.LocalChange{}
	for _, c := range access.LocalChanges(t.before, t.After, t.env.Now.Unix()) {
		if c.After > c.Before {
			more[c.Template] = append(more[c.Template], c)
		}
	}
	if len(more) == 0 {
		return
	}
	type alike struct {
		template    permit.TemplateID
		place       estate.PlaceID
		from, until int64
	}
	seen := map[alike]bool{}
	for _, a := range t.before.State().Assignments.All() {
		if a.Ended || more[a.Template] == nil {
			continue
		}
		if as := (alike{a.Template, a.Place, int64(a.From), int64(a.Until)}); len(t.assigned(a.Staff)) == 1 &&
			len(t.before.State().ExceptionsOf(a.Staff)) == 0 && a.Staff != t.actor.Staff {
			if seen[as] {
				continue
			}
			seen[as] = true
		}
		for _, c := range more[a.Template] {
			if !t.concerned(a.Place, c.Place) {
				continue
			}
			if of, known := whose[a.Staff]; known && of == nil {
				continue // whatever it is
			}
			if whose[a.Staff] == nil {
				whose[a.Staff] = map[permit.PermissionID]bool{}
			}
			whose[a.Staff][c.Permission] = true
		}
	}
}

// localAsIs reports whether a local setting, and all that it rests on, is as the change that is undone left it, and
// nobody was assigned since to whom it matters.
func (t *Trial) localAsIs(l *org.LocalSetting) bool {
	if l == nil || !t.placeAsIs(l.Place) || !t.templateAsIs(l.Template) {
		return false
	}
	if p := t.before.Catalogue().Permission(l.Permission); p == nil || p.Revision > t.env.Own {
		return false
	}
	state := t.before.State()
	for _, template := range state.Templates.All() {
		if template.Revision > t.env.Own && t.basedOn(template, l.Template) {
			return false
		}
	}
	for _, a := range state.Assignments.All() {
		if a.Revision > t.env.Own && !a.Ended && (a.Template == l.Template ||
			t.basedOn(state.Template(a.Template), l.Template)) {
			return false
		}
	}
	return true
}

// localsOfTemplate asks of what local settings give by a template, where that is more than it gives itself: it is the
// actor's to give at their places. only says of which permissions; nil: of all.
func (t *Trial) localsOfTemplate(template permit.TemplateID, only func(permit.PermissionID) bool) error {
	for _, l := range t.before.LocalSettingsOf(template, t.env.Now.Unix()) {
		if l.Level == 0 || only != nil && !only(l.Permission) {
			continue
		}
		if err := t.mayGive(l.Permission, l.Level, l.Place); err != nil {
			return err
		}
	}
	return nil
}
