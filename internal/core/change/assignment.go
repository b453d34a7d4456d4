package change

import (
	"cmp"
	"encoding/json"
	"errors"
	"reflect"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

var assignmentOperations = []Description{
	{Name: "assignment.add", Do: "Assign", Done: "Assigned",
		Needs: permit.AssignStaff, Daily: true, Fields: assignmentForm{}, Makes: "assignment", Undone: "assignment.end",
		apply: assignmentAdd},
	{Name: "assignment.edit", Do: "Change the assignment of", Done: "Changed the assignment of",
		Needs: permit.AssignStaff, Daily: true, Fields: assignmentForm{}, subject: fieldsEdited, apply: assignmentEdit},
	{Name: "assignment.end", Do: "End the assignment of", Done: "Ended the assignment of",
		Needs: permit.AssignStaff, Daily: true, subject: fieldsEdited, apply: assignmentEnd},
	{Name: "assignment.move", Do: "Move", Done: "Moved",
		Needs: permit.AssignStaff, Daily: true, Fields: moveForm{}, Makes: "assignment", Undone: "assignment.end",
		apply: assignmentMove},
	{Name: "assignment.restore", Do: "Bring back the assignment of", Done: "Brought back the assignment of",
		Needs: permit.AssignStaff, Daily: true, apply: assignmentRestore},
}

type assignmentForm struct {
	Staff    string          `json:"staff"`
	Place    string          `json:"place"`
	Template string          `json:"template"`
	From     string          `json:"from"`
	Until    string          `json:"until"`
	Hours    json.RawMessage `json:"hours"`
}

func assignmentAdd(t *Trial) error {
	var form assignmentForm
	if err := t.form(&form); err != nil {
		return err
	}
	p, err := t.findStaff("set.staff", form.Staff)
	if err != nil {
		return err
	}
	place, err := t.findPlace("set.place", form.Place)
	if err != nil {
		return err
	}
	template, err := t.findTemplate("set.template", form.Template)
	if err != nil {
		return err
	}
	a := &org.Assignment{ID: org.AssignmentID(t.State.Assignments.Next()), Staff: p.ID, Place: place.ID,
		Template: template.ID}
	if err := t.assignable(a); err != nil {
		return err
	}
	if err := t.lendable(p); err != nil {
		return err
	}
	if err := t.fillAssignment(a, &form); err != nil {
		return err
	}
	if days := permit.DaysOf(template, t.State.Template); a.Until.IsZero() && days > 0 {
		a.Until = max(a.From, t.today(place)) + day.Date(days) - 1
	}
	switch {
	case t.statusOf(p) == people.Left:
		return fault.Conflictf("set.staff", "%s has left; reinstate first", p.FullName())
	case place.Retired:
		return fault.Conflictf("set.place", "%s is retired; choose a place in use", place.Name)
	case template.Retired:
		return fault.Conflictf("set.template", "the template %s is retired; choose another", template.Name)
	}
	if err := t.templateFits(template, place); err != nil {
		return err
	}
	if t.assignedAlready(a) {
		return fault.Conflictf("set.template",
			"%s is assigned at %s as %s in these days already; change that assignment's dates instead", p.FullName(),
			place.Name, template.Name)
	}
	t.put(a)
	t.named(uint32(a.ID))
	return nil
}

// lendable asks that whoever assigns somebody looks after their home site too: people are lent to another site by those
// who answer for both, and borrowed by nobody.
func (t *Trial) lendable(p *people.Staff) error {
	if t.takesBack() || t.view(p) == access.Whole && t.holds(permit.AssignStaff, p.HomeSite) {
		return nil
	}
	return fault.Refusedf("not-permitted",
		"%s belongs to another site. Ask somebody who may assign staff at their home site and here to lend them.",
		p.FullName())
}

// assignedAlready reports whether the person has the template at the place on some of the same days already.
func (t *Trial) assignedAlready(a *org.Assignment) bool {
	for _, id := range t.State.AssignmentsOf(a.Staff) {
		other := t.State.Assignment(id)
		if other.ID != a.ID && !other.Ended && other.Place == a.Place && other.Template == a.Template &&
			overlap(a, other) {
			return true
		}
	}
	return false
}

func overlap(a, b *org.Assignment) bool {
	return (a.Until.IsZero() || b.From <= a.Until) && (b.Until.IsZero() || a.From <= b.Until)
}

func (t *Trial) today(place *estate.Place) day.Date {
	if here := t.before.Tree().At(t.known(place.ID)); here != nil {
		return day.Of(t.env.Now.In(here.Location))
	}
	return day.Of(t.env.Now)
}

// templateFits asks that the template has at least one permission that applies to the kind of place. A site or
// zone takes any template that gives something, as places of every kind may come to stand below it.
func (t *Trial) templateFits(template *permit.Template, place *estate.Place) error {
	catalogue := t.catalogue()
	for id, resolved := range catalogue.Resolve(template, t.State.Template) {
		if resolved.Level > 0 && (place.Kind.HoldsOthers() ||
			catalogue.Permission(permit.PermissionID(id)).AppliesTo(place.Kind)) {
			return nil
		}
	}
	return fault.Invalidf("set.template",
		"the template %s has no permission that applies to a %s; choose another template or another place",
		template.Name, place.Kind.Words())
}

// assignable checks the actor's authority over an assignment as it is to be.
func (t *Trial) assignable(a *org.Assignment) error {
	if err := t.endable(a); err != nil {
		return err
	}
	return t.ceiling(a.Template, a.Place)
}

func (t *Trial) fillAssignment(a *org.Assignment, form *assignmentForm) error {
	var err error
	if a.From, err = t.date("from", form.From); err != nil {
		return err
	}
	if a.Until, err = t.date("until", form.Until); err != nil {
		return err
	}
	if !a.Until.IsZero() && a.Until < a.From {
		return fault.Invalidf("set.until",
			"the assignment ends on %s, before it begins on %s; put the end on or after the start", a.Until, a.From)
	}
	return t.fillHours(form.Hours, &a.Hours)
}

// assignment finds the one an operation is about, at a place or of a person that the actor may see.
func (t *Trial) assignment(may func(*org.Assignment) error) (*org.Assignment, error) {
	a := t.State.Assignment(org.AssignmentID(t.number(t.op.On)))
	if a == nil || !t.seesAt(a.Staff, a.Place) {
		return nil, fault.Missingf("on", "there is no assignment %q that you may see", t.op.On)
	}
	if err := may(a); err != nil {
		return nil, err
	}
	return a, t.fresh(a.Revision, "This assignment")
}

// seesAt reports whether the actor may see what a person has at a place: all of somebody who belongs to them, and of
// others what is at the actor's own places.
func (t *Trial) seesAt(id people.StaffID, place estate.PlaceID) bool {
	p := t.State.Person(id)
	return t.view(p) == access.Whole || t.sees().At(p.ID, place)
}

func assignmentEdit(t *Trial) error {
	before, err := t.assignment(t.endable)
	if err != nil {
		return err
	}
	form := assignmentForm{From: before.From.String(), Until: before.Until.String()}
	if err := t.form(&form); err != nil {
		return err
	}
	if form.Staff != "" || form.Place != "" || form.Template != "" {
		return fault.Invalidf("set", "an assignment keeps its person, place and template; end it and make another")
	}
	a := *before
	if err := t.fillAssignment(&a, &form); err != nil {
		return err
	}
	if before.Ended {
		return fault.Conflictf("on", "this assignment was taken back; assign anew")
	}
	if t.assignedAlready(&a) {
		return fault.Conflictf("set.until",
			"another assignment with the same template at the same place has some of these days already")
	}
	// Of somebody lent by another site the days may become fewer, not more
	longer := a.From < before.From || !before.Until.IsZero() && (a.Until.IsZero() || a.Until > before.Until)
	if longer {
		if err := t.lendable(t.State.Person(a.Staff)); err != nil {
			return err
		}
	}
	if longer || !reflect.DeepEqual(a.Hours, before.Hours) {
		if err := t.ceiling(a.Template, a.Place); err != nil {
			return err
		}
	}
	t.put(&a)
	return nil
}

// endable checks the actor's authority to take an assignment away.
func (t *Trial) endable(a *org.Assignment) error {
	p := t.State.Person(a.Staff)
	if err := t.ownersOnly(p); err != nil {
		return err
	}
	if err := t.notOneself(p); err != nil {
		return err
	}
	return t.require(permit.AssignStaff, a.Place)
}

func assignmentEnd(t *Trial) error {
	before, err := t.assignment(t.endable)
	if err != nil {
		return err
	}
	if before.Ended {
		return fault.Conflictf("on", "this assignment is ended already")
	}
	a := *before
	a.Ended = true
	t.put(&a)
	return nil
}

// assignmentRestore lets an assignment that was taken back count again: what undoing its end needs.
func assignmentRestore(t *Trial) error {
	before, err := t.assignment(t.assignable)
	if err != nil {
		return err
	}
	if err := t.lendable(t.State.Person(before.Staff)); err != nil {
		return err
	}
	a := *before
	a.Ended = false
	template, place := t.State.Template(a.Template), t.State.Place(a.Place)
	switch {
	case !before.Ended:
		return fault.Conflictf("on", "this assignment has not ended")
	case template.Retired:
		return fault.Conflictf("on", "the template %s is retired; assign another", template.Name)
	case t.assignedAlready(&a):
		return fault.Conflictf("on", "%s is assigned at %s as %s in these days by another assignment already",
			t.State.Person(a.Staff).FullName(), place.Name, template.Name)
	}
	t.put(&a)
	return nil
}

// moveForm says where somebody goes on in the place of an assignment, or as what. What is left out stays.
type moveForm struct {
	Place    string `json:"place"`
	Template string `json:"template"`
	From     string `json:"from"`         // first day of the next assignment; today where left out
	Until    string `json:"until"`        // last day of the next; that of the one before where left out
	Overlap  int    `json:"overlap_days"` // for so many days both count
}

// mostOverlap is for how many days somebody may work at two places while moving.
const mostOverlap = 366

// assignmentMove lets an assignment end and another begin, at another place or with another template, on a day.
func assignmentMove(t *Trial) error {
	before, err := t.assignment(t.endable)
	if err != nil {
		return err
	}
	var form moveForm
	if err := t.form(&form); err != nil {
		return err
	}
	p, next := t.State.Person(before.Staff), *before
	next.ID = org.AssignmentID(t.State.Assignments.Next())
	if form.Place != "" {
		place, err := t.findPlace("set.place", form.Place)
		if err != nil {
			return err
		}
		next.Place = place.ID
	}
	if form.Template != "" {
		template, err := t.findTemplate("set.template", form.Template)
		if err != nil {
			return err
		}
		next.Template = template.ID
	}
	if err := errors.Join(t.assignable(&next), t.lendable(p)); err != nil {
		return err
	}
	place, template := t.State.Place(next.Place), t.State.Template(next.Template)
	if next.From, err = t.date("from", cmp.Or(form.From, t.today(place).String())); err != nil {
		return err
	}
	if form.Until != "" {
		if next.Until, err = t.date("until", form.Until); err != nil {
			return err
		}
	}
	switch {
	case before.Ended || !before.Until.IsZero() && before.Until < t.today(place):
		return fault.Conflictf("on", "this assignment has ended; assign anew")
	case next.Place == before.Place && next.Template == before.Template:
		return fault.Invalidf("set.place", "say another place or another template; a move to the same is none")
	case form.Overlap < 0 || form.Overlap > mostOverlap:
		return fault.Invalidf("set.overlap_days", "both count for 0 to %d days", mostOverlap)
	case next.From < t.today(place) && t.actor.System == "":
		return fault.Invalidf("set.from", "the move is today or later")
	case !next.Until.IsZero() && next.Until < next.From:
		return fault.Invalidf("set.until", "the next assignment ends on %s, before it begins on %s", next.Until,
			next.From)
	case t.statusOf(p) == people.Left:
		return fault.Conflictf("on", "%s has left; reinstate first", p.FullName())
	case place.Retired:
		return fault.Conflictf("set.place", "%s is retired; choose a place in use", place.Name)
	case template.Retired:
		return fault.Conflictf("set.template", "the template %s is retired; choose another", template.Name)
	}
	if err := t.templateFits(template, place); err != nil {
		return err
	}
	if t.assignedAlready(&next) {
		return fault.Conflictf("on", "%s is assigned at %s as %s in these days already", p.FullName(), place.Name,
			template.Name)
	}
	last := *before
	last.Until = next.From - 1 + day.Date(form.Overlap)
	switch {
	case !before.Until.IsZero() && before.Until < last.Until:
		last.Until = before.Until
	case last.Until < before.From: // it had not begun
		last.Until, last.Ended = before.Until, true
	}
	t.put(&last)
	t.put(&next)
	t.named(uint32(next.ID))
	return nil
}
