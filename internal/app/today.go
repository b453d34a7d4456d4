package app

import (
	"cmp"
	"context"
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Today is what a manager looks at first.
type Today struct {
	Starting []*people.Staff // from today to a week ahead
	Stuck    []Stuck         // active, or starting within a week, and unable to work
	Ending   []Ending
	Locked   []*people.Staff
	Counts   map[string]int // of each list, before it is cut
	// Undecided are the templates that wait for a decision, for those who may edit templates, each with how many
	// permissions it waits for.
	Undecided []Waiting
	Drafts    []Draft // one's own that are planned or failed, and those of others that one may see
	// For those who may read the audit log everywhere: records that cannot be read, and what the daily check of the
	// database found
	Aside     int
	Troubles  []Trouble // with how this instance runs
	LostPINs  int       // people who have lost their PIN by no act of anybody
	LostWhy   string
	Tampering string
	Barred    []Barred
	Redundant int          // exceptions that change nothing any more, where one may end them
	Badges    []*org.Badge // overdue, lost without another in their place, or still out with those who have left
	Paused    []Paused     // PINs at places, and badges
	Gaps      []access.Gap // what nobody takes care of but owners, where the actor may mend it
}

// Waiting is a template that waits for a decision.
type Waiting struct {
	Template    *permit.Template
	Permissions []*permit.Permission
}

// Stuck is somebody who is to work and cannot, with why.
type Stuck struct {
	Staff     *people.Staff
	Obstacles []access.Obstacle
}

// Barred is somebody who is kept out of a place.
type Barred struct {
	Staff *people.Staff
	Bar   *org.Bar
}

// Ending is something of somebody's that ends soon.
type Ending struct {
	Staff *people.Staff
	What  string // contract, leaving or assignment
	Where string
	On    string // date
}

const (
	daysAhead  = 7
	endingDays = 14
	longest    = 50
)

// Today gathers what a manager looks at first, of those the actor may see.
func (a *App) Today(ctx context.Context, actor people.StaffID) (*Today, error) {
	live, now := a.Live(), a.now()
	sight := live.Sight(actor, now.Unix())
	if !sight.Anywhere {
		return nil, fault.Refusedf("not-permitted",
			"This needs the permission “See staff”, which you do not hold anywhere.")
	}
	t := &Today{Counts: map[string]int{}}
	for _, staff := range live.State().Staff.All() {
		status := live.Status(staff.ID, now.Unix())
		if status == people.Left || sight.Of(staff) != access.Whole {
			continue
		}
		today := dateIn(now, live.Location(staff.ID))
		soon := staff.StartDate >= today && staff.StartDate <= today+daysAhead
		if soon {
			t.Starting = append(t.Starting, staff)
		}
		if staff.Locked(now) {
			t.Locked = append(t.Locked, staff)
		} else if obstacles, _ := live.obstacles(staff, now, false); len(obstacles) > 0 {
			t.Stuck = append(t.Stuck, Stuck{staff, obstacles})
		}
		t.Ending = append(t.Ending, endings(live, staff, today)...)
	}
	slices.SortFunc(t.Starting, func(a, b *people.Staff) int { return cmp.Compare(a.StartDate, b.StartDate) })
	slices.SortStableFunc(t.Ending, func(a, b Ending) int { return cmp.Compare(a.On, b.On) })
	slices.SortFunc(t.Locked, func(a, b *people.Staff) int { return b.Lock.Since.Compare(a.Lock.Since) })
	t.Counts["starting"], t.Counts["stuck"], t.Counts["ending"], t.Counts["locked"] = len(t.Starting), len(t.Stuck),
		len(t.Ending), len(t.Locked)
	t.Starting, t.Stuck = t.Starting[:min(len(t.Starting), longest)], t.Stuck[:min(len(t.Stuck), longest)]
	t.Ending, t.Locked = t.Ending[:min(len(t.Ending), longest)], t.Locked[:min(len(t.Locked), longest)]
	for _, bar := range live.State().Bars.All() {
		if p := live.State().Person(bar.Staff); bar.Holds(now) && live.Status(p.ID, now.Unix()) != people.Left &&
			(sight.Of(p) == access.Whole ||
				sight.At(p.ID, bar.Place) && sight.Of(p) == access.Narrow) &&
			len(t.Barred) < longest {
			t.Barred = append(t.Barred, Barred{p, bar})
		}
	}
	if seats := live.State().Settings.Seats; seats > 0 && live.HoldsAnywhere(actor, permit.EnrolStaff, now.Unix()) {
		if used := change.SeatsUsed(live.Snapshot, now.Unix()); used*10 >= seats*9 {
			t.Counts["seats"], t.Counts["seats_used"] = seats, used
		}
	}
	if live.HoldsEverywhere(actor, permit.ReadAudit, now.Unix()) {
		t.Aside = len(live.State().AsideRecords())
		t.Troubles = slices.DeleteFunc(a.Troubles(), func(one Trouble) bool { // of these it says more
			return one.TroubleKind == TroubleRecords || one.TroubleKind == TroubleUnexplained
		})
		found, err := a.Tampering(ctx)
		if err != nil {
			return nil, err
		}
		t.Tampering = found
	}
	if _, edits := live.Reach(actor, permit.EditTemplates, now.Unix()); edits {
		t.Undecided = live.Undecided()
	}
	t.Gaps = live.gaps(actor, sight, now)
	if live.HoldsAnywhere(actor, permit.IssueCredentials, now.Unix()) {
		lost, why, err := a.LostPINs(ctx)
		if err != nil {
			return nil, err
		}
		for _, p := range lost {
			if sight.Of(p) == access.Whole {
				t.LostPINs, t.LostWhy = t.LostPINs+1, why
			}
		}
	}
	if reach, anywhere := live.Reach(actor, permit.ExceptStaff, now.Unix()); anywhere {
		for id, e := range live.State().Exceptions.All() {
			if !e.Ended && access.InReach(reach, e.Place) && live.IsRedundant(org.ExceptionID(id), now.Unix()) {
				t.Redundant++
			}
		}
	}
	if reach, anywhere := live.Reach(actor, permit.IssueCredentials, now.Unix()); anywhere {
		t.Badges = badgesToSettle(live, reach, now)
		t.Counts["badges"] = len(t.Badges)
		t.Badges = t.Badges[:min(len(t.Badges), longest)]
	}
	var err error
	if t.Paused, err = a.PausedFor(ctx, actor); err != nil {
		return nil, err
	}
	return t, a.todaysDrafts(ctx, actor, t)
}

// gaps returns what nobody takes care of but owners, of what the actor may mend: teams for those who say who is in
// them, sites for owners, templates for those who edit them.
func (l *Live) gaps(actor people.StaffID, sight *access.Sight, now time.Time) []access.Gap {
	at := now.Unix()
	p := l.State().Person(actor)
	owner := p != nil && p.Owner
	teams, templates := l.HoldsAnywhere(actor, permit.EditTeams, at), l.HoldsEverywhere(actor, permit.EditTemplates, at)
	if !owner && !teams && !templates {
		return nil
	}
	gaps := slices.DeleteFunc(l.Caretakers(at).Gaps(0), func(g access.Gap) bool {
		switch {
		case g.Team != 0:
			return !teams || !sight.Knows(g.Team)
		case g.Site != 0:
			return !owner
		}
		return !templates
	})
	return gaps[:min(len(gaps), longest)]
}

// badgesToSettle returns the badges that somebody has to do something about, at the sites where the actor issues
// credentials.
func badgesToSettle(live *Live, reach []bool, now time.Time) (list []*org.Badge) {
	for _, b := range live.State().Badges.All() {
		held := live.State().HolderOf(b.ID)
		if held == nil || !access.InReach(reach, b.Site) {
			continue
		}
		overdue := !held.Until.IsZero() && !now.Before(held.Until)
		left := live.Status(held.Staff, now.Unix()) == people.Left
		if b.State == org.Issued && (overdue || left) ||
			b.State == org.Lost && !left && live.HasToShow(held.Staff, now.Unix())&access.ShownBadge == 0 {
			list = append(list, b)
		}
	}
	return list
}

func (a *App) todaysDrafts(ctx context.Context, actor people.StaffID, t *Today) error {
	own, _, err := a.Drafts(ctx, actor, unsettled, false, 0, longest)
	if err != nil {
		return err
	}
	t.Drafts = own
	others, _, err := a.Drafts(ctx, actor, unsettled, true, 0, longest)
	if err != nil {
		return err
	}
	for _, d := range others {
		if d.OwnerID != uint32(actor) && d.State != DraftGiven { // that waits for its new owner
			t.Drafts = append(t.Drafts, d)
		}
	}
	return nil
}

// Undecided returns the templates in use that wait for a decision on permissions that came into the catalogue later.
func (l *Live) Undecided() []Waiting {
	var waiting []Waiting
	for id, template := range l.State().Templates.All() {
		if template.Retired {
			continue
		}
		if undecided := l.Catalogue().Undecided(template, l.Resolved(permit.TemplateID(id)),
			l.State().Template); len(undecided) > 0 {
			waiting = append(waiting, Waiting{template, undecided})
		}
	}
	return waiting
}

func dateIn(now time.Time, location *time.Location) day.Date { return day.Of(now.In(location)) }

// endings are what ends for somebody within the next days: leaving, contract, or an assignment before either.
func endings(live *Live, staff *people.Staff, today day.Date) []Ending {
	soon := func(date day.Date) bool { return !date.IsZero() && date >= today && date <= today+endingDays }
	switch {
	case soon(staff.LeavingDate):
		return []Ending{{staff, "leaving", "", staff.LeavingDate.String()}}
	case soon(staff.ContractEnd):
		return []Ending{{staff, "contract", "", staff.ContractEnd.String()}}
	}
	var list []Ending
	for _, id := range live.State().AssignmentsOf(staff.ID) {
		if a := live.State().Assignment(id); !a.Ended && soon(a.Until) {
			list = append(list, Ending{staff, "assignment", live.State().Place(a.Place).Name, a.Until.String()})
		}
	}
	return list
}
