package change

import (
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

var coverOperations = []Description{
	{Name: "staff.like", Do: "Give what a colleague has to", Done: "Gave what a colleague has to",
		Needs: permit.AssignStaff, Daily: true, Fields: likeForm{}, Makes: "assignment", Undone: "assignment.end",
		apply: staffLike},
	{Name: "staff.cover", Do: "Have covered", Done: "Had covered",
		Needs: permit.AssignStaff, Daily: true, Fields: coverForm{}, Makes: "assignment", Undone: "assignment.end",
		apply: staffCover},
}

// likeForm says whose assignments and exceptions somebody gets as well.
type likeForm struct {
	Like       string `json:"like"`       // staff number of the colleague
	From       string `json:"from"`       // first day; the start date, or today, where left out
	Until      string `json:"until"`      // last day; that of the contract, or of the colleague's assignment, where left out
	Exceptions bool   `json:"exceptions"` // exceptions too, not assignments alone
}

// staffLike gives somebody what a colleague has now or later: assignments, and exceptions where they are asked for. No
// credential is copied, and nothing above what the actor may give.
func staffLike(t *Trial) error {
	p, err := t.another(permit.AssignStaff)
	if err != nil {
		return err
	}
	var form likeForm
	if err := t.form(&form); err != nil {
		return err
	}
	other, err := t.findStaff("set.like", form.Like)
	if err != nil {
		return err
	}
	if other.ID == p.ID {
		return fault.Invalidf("set.like", "%s has that already; name a colleague", p.FullName())
	}
	home := t.State.Place(p.HomeSite)
	from, until := max(p.StartDate, t.today(home)), p.ContractEnd
	if form.From != "" {
		if from, err = t.date("from", form.From); err != nil {
			return err
		}
	}
	if form.Until != "" {
		if until, err = t.date("until", form.Until); err != nil {
			return err
		}
	}
	copied := 0
	for _, id := range t.State.AssignmentsOf(other.ID) {
		of := t.State.Assignment(id)
		if t.over(of) || !t.seesAt(other.ID, of.Place) {
			continue
		}
		a := &org.Assignment{Staff: p.ID, Place: of.Place, Template: of.Template, From: max(from, of.From),
			Until: until,
			Hours: of.Hours}
		if a.Until.IsZero() {
			a.Until = of.Until
		}
		made, err := t.copied(p, a, "set.like")
		if err != nil {
			return err
		}
		copied += made
	}
	if form.Exceptions {
		made, err := t.copyExceptions(other, p)
		if err != nil {
			return err
		}
		copied += made
	}
	if copied == 0 {
		return fault.Conflictf("set.like", "%s has nothing that %s does not have already", other.FullName(),
			p.FullName())
	}
	return nil
}

// copyExceptions gives somebody the exceptions that another has, now or later.
func (t *Trial) copyExceptions(of, to *people.Staff) (made int, err error) {
	for _, id := range t.State.ExceptionsOf(of.ID) {
		e := t.State.Exception(id)
		if here := t.before.Tree().At(t.known(e.Place)); e.Ended || here == nil || !t.seesAt(of.ID, e.Place) ||
			!e.Until.IsZero() && e.Until < day.Of(t.env.Now.In(here.Location)) {
			continue
		}
		permission := t.catalogue().Permission(e.Permission)
		form := exceptionForm{Withheld: e.Withheld, From: e.From.String(), Until: e.Until.String()}
		if !e.Withheld {
			form.Level = permission.Scale.Word(e.Level)
		}
		if err := t.addException(to, t.State.Place(e.Place), permission, &form); err != nil {
			return 0, err
		}
		made++
	}
	return made, nil
}

// over reports whether an assignment is behind us.
func (t *Trial) over(a *org.Assignment) bool {
	return a.Ended || !a.Until.IsZero() && a.Until < t.today(t.State.Place(a.Place))
}

// copied makes an assignment of somebody after that of another, unless they have it already; made counts it.
func (t *Trial) copied(p *people.Staff, a *org.Assignment, field string) (made int, err error) {
	place, template := t.State.Place(a.Place), t.State.Template(a.Template)
	if !a.Until.IsZero() && a.Until < a.From || place.Retired || template.Retired || t.assignedAlready(a) {
		return 0, nil
	}
	a.ID = org.AssignmentID(t.State.Assignments.Next())
	if err := t.assignable(a); err != nil {
		return 0, err
	}
	if err := t.lendable(p); err != nil {
		return 0, err
	}
	if t.statusOf(p) == people.Left {
		return 0, fault.Conflictf(field, "%s has left; reinstate first", p.FullName())
	}
	t.put(a)
	return 1, nil
}

// coverForm says who covers somebody's absence, and for which days.
type coverForm struct {
	By          string   `json:"by"`          // staff number
	From        string   `json:"from"`        // first day; today where left out
	Until       string   `json:"until"`       // last day
	Assignments []uint32 `json:"assignments"` // which of the absent one's; all where left out
	Pause       bool     `json:"pause"`       // the absent one's own do not count on these days
}

// staffCover gives another what somebody who is absent has, for the days of the absence: it ends by itself.
func staffCover(t *Trial) error {
	absent, err := t.another(permit.AssignStaff)
	if err != nil {
		return err
	}
	form := coverForm{From: t.today(t.State.Place(absent.HomeSite)).String()}
	if err := t.form(&form); err != nil {
		return err
	}
	by, err := t.findStaff("set.by", form.By)
	if err != nil {
		return err
	}
	from, err := t.date("from", form.From)
	if err != nil {
		return err
	}
	until, err := t.date("until", form.Until)
	if err != nil {
		return err
	}
	switch {
	case by.ID == absent.ID:
		return fault.Invalidf("set.by", "nobody covers themselves; name a colleague")
	case t.statusOf(by) == people.Left:
		return fault.Conflictf("set.by", "%s has left; name somebody who works here", by.FullName())
	case by.Locked(t.env.Now):
		return fault.Conflictf("set.by", "%s is locked; name somebody who may work", by.FullName())
	case until.IsZero():
		return fault.Invalidf("set.until", "say the last day of the absence; what is covered ends with it")
	case until < from:
		return fault.Invalidf("set.until", "the absence ends on %s, before it begins on %s", until, from)
	case until < t.today(t.State.Place(absent.HomeSite)):
		return fault.Invalidf("set.until", "the absence is over")
	}
	chosen := map[org.AssignmentID]bool{}
	for _, id := range form.Assignments {
		a := t.State.Assignment(org.AssignmentID(id))
		if a == nil || a.Staff != absent.ID || a.Ended {
			return fault.Missingf("set.assignments", "%s has no assignment %d", absent.FullName(), id)
		}
		chosen[a.ID] = true
	}
	covered := 0
	for _, id := range t.State.AssignmentsOf(absent.ID) {
		of := t.State.Assignment(id)
		if of.Ended || len(chosen) > 0 && !chosen[id] || of.From > until || !of.Until.IsZero() && of.Until < from {
			continue
		}
		next := &org.Assignment{Staff: by.ID, Place: of.Place, Template: of.Template, From: max(from, of.From),
			Until: until,
			Hours: of.Hours, Covers: of.ID}
		if !of.Until.IsZero() {
			next.Until = min(until, of.Until)
		}
		made, err := t.copied(by, next, "set.by")
		if err != nil {
			return err
		}
		covered += made
		if form.Pause {
			if err := t.pause(of, from, until); err != nil {
				return err
			}
		}
	}
	if covered == 0 {
		return fault.Conflictf("set.by", "%s has nothing in these days that %s does not have already",
			absent.FullName(),
			by.FullName())
	}
	return nil
}

// pause takes some days out of an assignment: it begins after them, or it ends before them and another like it goes on
// after them.
func (t *Trial) pause(a *org.Assignment, from, until day.Date) error {
	if err := t.endable(a); err != nil {
		return err
	}
	first, goesOn := *a, a.Until.IsZero() || a.Until > until
	switch {
	case from > a.From:
		first.Until = from - 1
	case goesOn:
		first.From = until + 1
	default: // nothing is left of it
		first.Ended = true
	}
	t.put(&first)
	if from <= a.From || !goesOn {
		return nil
	}
	next := *a
	next.ID, next.From = org.AssignmentID(t.State.Assignments.Next()), until+1
	if err := t.assignable(&next); err != nil {
		return err
	}
	t.put(&next)
	return nil
}

// seatsCeiling refuses more people than there are seats.
func (t *Trial) seatsCeiling() error {
	seats := t.State.Settings.Seats
	if seats == 0 {
		return nil
	}
	more := 0
	for _, id := range t.Touched.Staff {
		if p := t.State.Person(id); p != nil && Seated(p, t.env.Now.Unix(), t.zoneOf(p)) {
			more++
		}
		if p := t.before.State().Person(id); p != nil && Seated(p, t.env.Now.Unix(), t.zoneOf(p)) {
			more--
		}
	}
	if more <= 0 {
		return nil
	}
	used := SeatsUsed(t.before, t.env.Now.Unix())
	if used+more > seats {
		return fault.Refusedf("no-seats", "There are %d seats, %d of them in use, and this needs %d more. Record "+
			"leavers, "+
			"or ask an owner for more seats.", seats, used, more)
	}
	return nil
}

// Seated reports whether somebody takes a seat: they work here or are going to. Neither has their contract ended, nor
// have they left.
func Seated(p *people.Staff, now int64, zone *time.Location) bool {
	span := p.SpanIn(zone)
	return now < span.Gone && now < span.Contract
}

// SeatsUsed counts those who take a seat.
func SeatsUsed(live *access.Snapshot, now int64) (used int) {
	for id, p := range live.State().Staff.All() {
		if Seated(p, now, live.Location(people.StaffID(id))) {
			used++
		}
	}
	return used
}
