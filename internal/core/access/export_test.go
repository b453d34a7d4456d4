package access

import (
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
)

// Held answers a question as Decide does, but takes the permission as one that has a meaning at the place: what
// somebody holds there, at their hours, for what stands below now or later.
func (s *Snapshot) Held(q *Question) Decision {
	d := Decision{Staff: q.Staff}
	p, here := s.person(q.Staff), s.tree.At(q.Place)
	if p == nil || p.stands(q.At) != Granted || here == nil || here.Retired {
		return d
	}
	s.weigh(q, p, here, &d)
	return d
}

// Turns returns the instants from one on at which what somebody may do can change, hours left out.
func (s *Snapshot) Turns(q *Question) []int64 { return s.turns(q.Staff, q.At) }

// OfConsole reports whether this product itself asks about a permission.
func (s *Snapshot) OfConsole(q *Question) bool { return s.ofConsole(q.Permission) }

// Asked returns the place's door question; ok is false where a door asks about nothing.
func (s *Snapshot) Asked(place estate.PlaceID) (q Question, ok bool) {
	here := s.tree.At(place)
	if here == nil || here.Place.Kind != estate.Door {
		return q, false
	}
	permission := s.catalogue.PermissionByKey(here.Place.Asks)
	if permission == nil {
		return q, false
	}
	return Question{Permission: permission.ID, Place: place, Proves: true}, true
}

// Satisfies reports whether what is shown is what a place asks for.
func (s Shown) Satisfies(proof estate.Proof) bool { return s.satisfies(proof) }

// Manages reports whether somebody manages another, asked permission by permission and with nothing kept.
func (s *Snapshot) Manages(manager, id people.StaffID, at int64) bool {
	a := s.authority(manager, at)
	if p := s.person(id); a.freed == nil || p == nil || !a.freed.owner && (p.owner ||
		!a.looksAfter(s.state.Person(id).HomeSite)) {
		return false
	}
	permission, _ := a.beyond(id)
	return a.freed.owner || permission == 0
}
