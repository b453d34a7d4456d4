package change

import (
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

var handoverOperations = []Description{
	{Name: "staff.hand_over", Do: "Hand over the work of", Done: "Handed over the work of",
		Needs: permit.AssignStaff, Daily: true, Fields: handOverForm{}, Makes: "assignment", Undone: "assignment.end",
		apply: staffHandOver},
}

// handOverForm says what of somebody's work goes to whom. Each keeps their own name, and their history stays under it.
type handOverForm struct {
	To          string   `json:"to"`          // staff number of the successor
	From        string   `json:"from"`        // first day of what the successor gets; today where left out
	Assignments []uint32 `json:"assignments"` // which go over
	All         bool     `json:"all"`         // all assignments that go on
	Exceptions  bool     `json:"exceptions"`  // exceptions too
	Reports     bool     `json:"reports"`     // those whose line manager they are have the successor for one
}

// staffHandOver gives a successor what somebody leaves behind: chosen assignments from a day on, exceptions, and those
// whose line manager they are.
func staffHandOver(t *Trial) error {
	p, err := t.another(permit.AssignStaff)
	if err != nil {
		return err
	}
	form := handOverForm{From: t.today(t.State.Place(p.HomeSite)).String()}
	if err := t.form(&form); err != nil {
		return err
	}
	to, err := t.findStaff("set.to", form.To)
	if err != nil {
		return err
	}
	from, err := t.date("from", form.From)
	if err != nil {
		return err
	}
	switch {
	case to.ID == p.ID:
		return fault.Invalidf("set.to", "nobody hands over to themselves; name a successor")
	case t.statusOf(to) == people.Left:
		return fault.Conflictf("set.to", "%s has left; name somebody who works here", to.FullName())
	case to.Locked(t.env.Now):
		return fault.Conflictf("set.to", "%s is locked; name somebody who may work", to.FullName())
	case !form.All && len(form.Assignments) == 0 && !form.Exceptions && !form.Reports:
		return fault.Invalidf("set.all", "say what is handed over: assignments, exceptions, or those whose line "+
			"manager %s is",
			p.FullName())
	}
	if err := t.notOneself(to); err != nil && (form.All || len(form.Assignments) > 0 || form.Exceptions) {
		return err
	}
	over, err := t.handOverAssignments(p, to, &form, from)
	if err != nil {
		return err
	}
	if form.Exceptions {
		n, err := t.copyExceptions(p, to)
		if err != nil {
			return err
		}
		over += n
	}
	if form.Reports {
		n, err := t.handOverReports(p, to)
		if err != nil {
			return err
		}
		over += n
	}
	if over == 0 {
		return fault.Conflictf("set.to", "%s has nothing of this that %s does not have already", p.FullName(),
			to.FullName())
	}
	return nil
}

func (t *Trial) handOverAssignments(p, to *people.Staff, form *handOverForm, from day.Date) (over int, err error) {
	chosen := map[org.AssignmentID]bool{}
	for _, id := range form.Assignments {
		a := t.State.Assignment(org.AssignmentID(id))
		if a == nil || a.Staff != p.ID || a.Ended {
			return 0, fault.Missingf("set.assignments", "%s has no assignment %d", p.FullName(), id)
		}
		chosen[a.ID] = true
	}
	for _, id := range t.State.AssignmentsOf(p.ID) {
		of := t.State.Assignment(id)
		if !chosen[id] && (!form.All || t.over(of)) {
			continue
		}
		made, err := t.copied(to, &org.Assignment{Staff: to.ID, Place: of.Place, Template: of.Template, Hours: of.Hours,
			From: max(from, of.From), Until: of.Until}, "set.to")
		if err != nil {
			return 0, err
		}
		over += made
	}
	return over, nil
}

// handOverReports gives those whose line manager somebody is another one.
func (t *Trial) handOverReports(p, to *people.Staff) (over int, err error) {
	for _, of := range t.State.Staff.All() {
		if of.LineManager != p.ID || of.ID == to.ID || t.statusOf(of) == people.Left {
			continue
		}
		if t.view(of) == access.Hidden { // of whom nothing is told, not even the name
			return 0, fault.Refusedf("not-permitted", "Some of those whose line manager %s is belong to other sites. "+
				"Ask "+
				"whoever looks after all of them.", p.FullName())
		}
		if err := t.requireFor(permit.EditStaff, of); err != nil {
			return 0, err
		}
		next := *of
		next.LineManager = to.ID
		t.put(&next)
		over++
	}
	return over, nil
}
