package access

import (
	"fmt"
	"strings"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/people"
)

// Obstacle is one thing that keeps somebody from working, with the step that mends it.
type Obstacle struct {
	Code     string
	Sentence string
	Mend     string // what to do
	Act      string // the act that does it: unlock, assign, extend_assignment, extend_contract, issue_pin, change_template, change_hours, reinstate
}

// Readiness returns what keeps somebody from working at an instant, gravest first; nothing for those who are ready,
// and nothing for those who have departed, who are not meant to work.
func (s *Snapshot) Readiness(id people.StaffID, at int64) []Obstacle {
	staff, p := s.state.Person(id), s.person(id)
	if staff == nil || p == nil || p.span.Status(at) == people.Departed {
		return nil
	}
	var found []Obstacle
	name := staff.Called()
	if at >= p.lockSince && at < p.lockUntil {
		why := "a record of theirs cannot be read"
		if staff.Lock != nil {
			why = staff.Lock.Reason
		}
		found = append(found, Obstacle{"locked", fmt.Sprintf("%s is locked: %s.", name, strings.TrimSuffix(why, ".")), "Unlock when the cause is settled.", "unlock"})
	}
	if at >= p.span.Contract {
		return append(found, Obstacle{"contract_ended", fmt.Sprintf("%s's contract ended on %s.", name, staff.ContractEnd.Words()), "Extend the contract, or record the departure.", "extend_contract"})
	}
	if p.owner {
		return found
	}
	for i := range p.exceptions {
		if x := &p.exceptions[i]; x.bar != 0 && at >= x.from && at < x.until {
			b := s.state.Bar(x.bar)
			found = append(found, Obstacle{"barred", fmt.Sprintf("%s is barred from %s: %s.", name, s.state.Place(x.place).Name, strings.TrimSuffix(b.Reason, ".")), "Lift the bar when the cause is settled.", "lift_bar"})
		}
	}
	found = append(found, s.assignmentObstacles(name, p, max(at, p.span.Start))...)
	return append(found, s.credentialObstacles(staff, p, at)...)
}

func (s *Snapshot) assignmentObstacles(name string, p *person, at int64) []Obstacle {
	var lastEnd int64 = everBefore
	current, gives, meets := 0, false, false
	grants := p.grants()
	for i := range grants {
		g := &grants[i]
		if at >= g.until {
			lastEnd = max(lastEnd, g.until)
			continue
		}
		if here := s.tree.At(g.place); here == nil || here.Retired {
			continue
		}
		current++
		gives = gives || s.givesAnything(g)
		meets = meets || s.hoursMeet(g, at)
	}
	switch {
	case current == 0 && lastEnd > everBefore:
		return []Obstacle{{"assignment_ended", fmt.Sprintf("%s's last assignment has ended.", name), "Give the assignment a later end, or assign anew.", "extend_assignment"}}
	case current == 0:
		return []Obstacle{{"no_assignment", fmt.Sprintf("%s has no assignment.", name), "Say where and as what.", "assign"}}
	case !gives:
		return []Obstacle{{"template_gives_nothing", fmt.Sprintf("%s's template gives nothing at the places assigned.", name), "Choose a template that fits the place.", "change_template"}}
	case !meets:
		return []Obstacle{{"hours_never_meet", fmt.Sprintf("%s's access hours never meet the opening hours.", name), "Change the access hours.", "change_hours"}}
	}
	return nil
}

func (s *Snapshot) givesAnything(g *grant) bool {
	kinds := s.kindsBelow(g.place)
	for permission := range s.catalogue.Permissions {
		if s.level(g.template, permission.ID) > 0 && anyKind(permission, kinds) {
			return true
		}
	}
	return false
}

// hoursMeet reports whether, from an instant until a grant ends, its weekly hours and the place's opening hours are ever
// open together.
func (s *Snapshot) hoursMeet(g *grant, at int64) bool {
	access, here := s.accessOf(g), s.tree.At(g.place)
	if access.Kind != hours.Weekly || here.Opening == nil {
		return true
	}
	at = max(at, g.from)
	for sides := 0; at < g.until && sides < mostSides; sides++ {
		mine, ok := access.NextOpen(here.Opening, here.Location, at)
		if !ok {
			return false
		}
		both, ok := inherited.NextOpen(here.Opening, here.Location, mine.Unix())
		if !ok || both.Equal(mine) {
			return ok && both.Unix() < g.until
		}
		at = both.Unix()
	}
	return false
}

// mostSides bounds how often two hours are asked in turn when the other is open next: each time goes on to another
// stretch, so that it is more than a year of daily ones.
const mostSides = 400

func (s *Snapshot) credentialObstacles(staff *people.Staff, p *person, at int64) []Obstacle {
	shown := s.hasToShow(staff.ID, max(at, p.span.Start))
	opens, accepts := 0, 0
	grants := p.grants()
	for i := range grants {
		g := &grants[i]
		if at >= g.until {
			continue
		}
		for here := range s.tree.Below(g.place) {
			asked := s.catalogue.PermissionByKey(here.Place.Asks)
			if here.Place.Kind != estate.Door || here.Retired || asked == nil || s.level(g.template, asked.ID) == 0 {
				continue
			}
			opens++
			if shown.satisfies(here.Place.Proof) {
				accepts++
			}
		}
	}
	switch {
	case opens == 0:
		return nil
	case shown == 0:
		return []Obstacle{{"no_credential", fmt.Sprintf("%s has no PIN and no badge.", staff.Called()), "Issue a PIN.", "issue_pin"}}
	case accepts == 0:
		return []Obstacle{{"credential_not_accepted", fmt.Sprintf("No door that %s may open takes what %s has.", staff.Called(), staff.Called()), "Issue the credential that the doors ask for.", "issue_pin"}}
	}
	return nil
}
