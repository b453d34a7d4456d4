package change

import (
	"encoding/json"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

type assignmentForm struct {
	Staff    string          `json:"staff"`
	Place    string          `json:"place"`
	Template string          `json:"template"`
	From     string          `json:"from"`
	Until    string          `json:"until"`
	Hours    json.RawMessage `json:"hours"`
}

func assignmentAdd(d *Trial) error {
	var form assignmentForm
	if err := d.form(&form); err != nil {
		return err
	}
	p, err := d.findStaff("set.staff", form.Staff)
	if err != nil {
		return err
	}
	place, err := d.findPlace("set.place", form.Place)
	if err != nil {
		return err
	}
	template, err := d.findTemplate("set.template", form.Template)
	if err != nil {
		return err
	}
	a := &org.Assignment{ID: org.AssignmentID(d.State.Assignments.Next()), Staff: p.ID, Place: place.ID, Template: template.ID}
	if err := d.fillAssignment(a, &form); err != nil {
		return err
	}
	if days := permit.DaysOf(template, d.State.Template); a.Until.IsZero() && days > 0 {
		a.Until = max(a.From, d.today(place)) + day.Date(days) - 1
	}
	switch {
	case d.statusOf(p) == people.Departed:
		return fault.Conflictf("set.staff", "%s has departed; reinstate first", p.FullName())
	case place.Retired:
		return fault.Conflictf("set.place", "%s is retired; choose a place in use", place.Name)
	case template.Retired:
		return fault.Conflictf("set.template", "the template %s is retired; choose another", template.Name)
	}
	if err := d.templateFits(template, place); err != nil {
		return err
	}
	if d.assignedAlready(a) {
		return fault.Conflictf("set.template", "%s is assigned at %s as %s in these days already; change that assignment's dates instead", p.FullName(), place.Name, template.Name)
	}
	if err := d.assignable(a); err != nil {
		return err
	}
	d.putAssignment(a)
	d.named(uint32(a.ID))
	return nil
}

// assignedAlready reports whether the person has the template at the place on some of the same days already.
func (d *Trial) assignedAlready(a *org.Assignment) bool {
	for _, id := range d.State.AssignmentsOf(a.Staff) {
		other := d.State.Assignment(id)
		if other.ID != a.ID && !other.Ended && other.Place == a.Place && other.Template == a.Template && overlap(a, other) {
			return true
		}
	}
	return false
}

func overlap(a, b *org.Assignment) bool {
	return (a.Until.IsZero() || b.From <= a.Until) && (b.Until.IsZero() || a.From <= b.Until)
}

func (d *Trial) today(place *estate.Place) day.Date {
	if here := d.before.Tree().At(d.known(place.ID)); here != nil {
		return day.Of(d.env.Now.In(here.Location))
	}
	return day.Of(d.env.Now)
}

// templateFits asks that the template has at least one permission that applies to the kind of place. A site or
// zone takes any template that gives something, as places of every kind may come to stand below it.
func (d *Trial) templateFits(template *permit.Template, place *estate.Place) error {
	catalogue := d.catalogue()
	for id, resolved := range catalogue.Resolve(template, d.State.Template) {
		if resolved.Level > 0 && (place.Kind.HoldsOthers() || catalogue.Permission(permit.PermissionID(id)).AppliesTo(place.Kind)) {
			return nil
		}
	}
	return fault.Invalidf("set.template", "the template %s has no permission that applies to a %s; choose another template or another place", template.Name, place.Kind.Words())
}

// assignable checks the actor's authority over an assignment as it is to be.
func (d *Trial) assignable(a *org.Assignment) error {
	p := d.State.Person(a.Staff)
	if err := d.ownersOnly(p); err != nil {
		return err
	}
	if err := d.notOneself(p); err != nil {
		return err
	}
	if err := d.require(permit.AssignStaff, a.Place); err != nil {
		return err
	}
	return d.ceiling(a.Template, a.Place)
}

func (d *Trial) fillAssignment(a *org.Assignment, form *assignmentForm) error {
	var err error
	if a.From, err = d.date("from", form.From); err != nil {
		return err
	}
	if a.Until, err = d.date("until", form.Until); err != nil {
		return err
	}
	if !a.Until.IsZero() && a.Until < a.From {
		return fault.Invalidf("set.until", "the assignment ends on %s, before it begins on %s; put the end on or after the start", a.Until, a.From)
	}
	return hoursFrom(form.Hours, &a.Hours)
}

func (d *Trial) assignment() (*org.Assignment, error) {
	a := d.State.Assignment(org.AssignmentID(d.number(d.op.On)))
	if a == nil {
		return nil, fault.Missingf("on", "there is no assignment %q", d.op.On)
	}
	return a, d.fresh(a.Revision, "This assignment")
}

func assignmentEdit(d *Trial) error {
	before, err := d.assignment()
	if err != nil {
		return err
	}
	form := assignmentForm{From: before.From.String(), Until: before.Until.String()}
	if err := d.form(&form); err != nil {
		return err
	}
	if form.Staff != "" || form.Place != "" || form.Template != "" {
		return fault.Invalidf("set", "an assignment keeps its person, place and template; end it and make another")
	}
	a := *before
	if err := d.fillAssignment(&a, &form); err != nil {
		return err
	}
	if err := d.assignable(&a); err != nil {
		return err
	}
	d.putAssignment(&a)
	return nil
}

// endable checks the actor's authority to take an assignment away.
func (d *Trial) endable(a *org.Assignment) error {
	p := d.State.Person(a.Staff)
	if err := d.ownersOnly(p); err != nil {
		return err
	}
	if err := d.notOneself(p); err != nil {
		return err
	}
	return d.require(permit.AssignStaff, a.Place)
}

func assignmentEnd(d *Trial) error {
	before, err := d.assignment()
	if err != nil {
		return err
	}
	if err := d.endable(before); err != nil {
		return err
	}
	if before.Ended {
		return fault.Conflictf("on", "this assignment is ended already")
	}
	a := *before
	a.Ended = true
	d.putAssignment(&a)
	return nil
}

// assignmentRestore lets an assignment that was taken back count again: what undoing its end needs.
func assignmentRestore(d *Trial) error {
	before, err := d.assignment()
	if err != nil {
		return err
	}
	a := *before
	a.Ended = false
	if err := d.assignable(&a); err != nil {
		return err
	}
	template, place := d.State.Template(a.Template), d.State.Place(a.Place)
	switch {
	case !before.Ended:
		return fault.Conflictf("on", "this assignment has not ended")
	case template.Retired:
		return fault.Conflictf("on", "the template %s is retired; assign another", template.Name)
	case d.assignedAlready(&a):
		return fault.Conflictf("on", "%s is assigned at %s as %s in these days by another assignment already", d.State.Person(a.Staff).FullName(), place.Name, template.Name)
	}
	d.putAssignment(&a)
	return nil
}
