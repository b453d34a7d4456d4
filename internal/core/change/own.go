package change

import (
	"slices"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Whoever did something may take it back: an undo of one's own act asks for no more than the act did, while nothing
// newer stands against it. Newer is whatever could make what comes back more than what was taken: the person's record
// and what they identify with, the template and those it is based on, the permission, and the places.

// takenBack are the operations by which an undo gives people back what its actor had taken, or takes what they had
// given.
var takenBack = []string{"assignment.restore", "assignment.edit", "assignment.end", "exception.restore",
	"exception.edit", "exception.end", "exception.set", "local_setting.restore", "local_setting.edit",
	"local_setting.end"}

// takesBack reports whether the change does nothing but take back an act of the actor's own, and nothing newer stands
// against that.
func (t *Trial) takesBack() bool {
	if t.env.Own == 0 || len(t.operations) == 0 {
		return false
	}
	if t.own == nil {
		own := !slices.ContainsFunc(t.operations, func(o Operation) bool { return !t.asItLeft(&o) })
		t.own = &own
	}
	return *t.own
}

// asItLeft reports whether an operation takes back what the change that is undone wrote, and all that this rests on is
// as that change left it.
func (t *Trial) asItLeft(o *Operation) bool {
	if !o.undoes || !slices.Contains(takenBack, o.Op) {
		return false
	}
	state := t.before.State()
	if a := state.Assignment(org.AssignmentID(t.number(o.On))); o.Op[0] == 'a' {
		return a != nil && t.asIs(state.Person(a.Staff)) && t.placeAsIs(a.Place) && t.templateAsIs(a.Template)
	}
	if o.Op[0] == 'l' {
		return t.localAsIs(state.LocalSetting(org.LocalSettingID(t.number(o.On))))
	}
	e := state.Exception(org.ExceptionID(t.number(o.On)))
	if e == nil || !t.asIs(state.Person(e.Staff)) || !t.placeAsIs(e.Place) {
		return false
	}
	p := t.before.Catalogue().Permission(e.Permission)
	return p != nil && p.Revision <= t.env.Own
}

// asIs reports whether somebody's record and what they identify with are as the change that is undone left them.
func (t *Trial) asIs(p *people.Staff) bool {
	state := t.before.State()
	if p == nil || p.Owner || p.Revision > t.env.Own {
		return false
	}
	for _, id := range state.CredentialsOf(p.ID) {
		if state.Credential(id).Revision > t.env.Own {
			return false
		}
	}
	return true
}

func (t *Trial) placeAsIs(id estate.PlaceID) bool {
	state := t.before.State()
	for p := state.Place(id); p != nil; p = state.Place(p.Parent) {
		if p.Revision > t.env.Own {
			return false
		}
	}
	return true
}

func (t *Trial) templateAsIs(id permit.TemplateID) bool {
	state := t.before.State()
	for of := state.Template(id); of != nil; of = state.Template(of.Base) {
		if of.Revision > t.env.Own {
			return false
		}
	}
	return true
}
