package access

import (
	"slices"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/table"
)

// rolls say, by PlaceID, whose assignments or exceptions are at that very place, in the order of their numbers: who can
// do something at a door is among those on its own roll and the rolls of the places above it.
type rolls struct {
	at     table.Table[[]people.StaffID]
	owners []people.StaffID // who stand on no roll and hold everything
}

func (r *rolls) fork() rolls { return rolls{at: r.at.Fork(), owners: r.owners} }

// of returns the roll of one place. The caller must not change it.
func (r *rolls) of(id estate.PlaceID) []people.StaffID {
	if roll := r.at.Get(uint32(id)); roll != nil {
		return *roll
	}
	return nil
}

// rollChanges gathers who comes onto rolls and who leaves them, so that each roll is written once however many people
// a change touches.
type rollChanges struct {
	come, leave map[estate.PlaceID][]people.StaffID
	owners      bool
}

func newRollChanges() *rollChanges {
	return &rollChanges{come: map[estate.PlaceID][]people.StaffID{}, leave: map[estate.PlaceID][]people.StaffID{}}
}

// places calls with each place that somebody's grants and exceptions are at, once.
func (p *person) places(with func(estate.PlaceID)) {
	grants := p.grants()
	seen := func(place estate.PlaceID, grantsBefore, exceptionsBefore int) bool {
		for i := range grantsBefore {
			if grants[i].place == place {
				return true
			}
		}
		for i := range exceptionsBefore {
			if p.exceptions[i].place == place {
				return true
			}
		}
		return false
	}
	for i := range grants {
		if !seen(grants[i].place, i, 0) {
			with(grants[i].place)
		}
	}
	for i := range p.exceptions {
		if !seen(p.exceptions[i].place, len(grants), i) {
			with(p.exceptions[i].place)
		}
	}
}

// note notes what somebody's compiled form changes; before is nil for somebody new.
func (c *rollChanges) note(id people.StaffID, before, after *person) {
	was := map[estate.PlaceID]bool{}
	if before != nil {
		before.places(func(place estate.PlaceID) { was[place] = true })
		c.owners = c.owners || before.owner != after.owner
	} else {
		c.owners = c.owners || after.owner
	}
	after.places(func(place estate.PlaceID) {
		if was[place] {
			delete(was, place)
		} else {
			c.come[place] = append(c.come[place], id)
		}
	})
	for place := range was {
		c.leave[place] = append(c.leave[place], id)
	}
}

// make writes the changes.
func (r *rolls) apply(c *rollChanges) {
	for place, gone := range c.leave {
		slices.Sort(gone)
		roll := slices.DeleteFunc(slices.Clone(r.of(place)),
			func(id people.StaffID) bool { _, is := slices.BinarySearch(gone, id); return is })
		r.at.Put(uint32(place), &roll)
	}
	for place, joining := range c.come {
		old := r.of(place)
		roll := make([]people.StaffID, 0, len(old)+len(joining))
		roll = append(append(roll, old...), joining...)
		slices.Sort(roll)
		r.at.Put(uint32(place), &roll)
	}
}

// candidates returns those who may hold something at a place: the people on its roll and on those of the places
// above it, and the owners; each once, in the order of their numbers.
func (s *Snapshot) candidates(place estate.PlaceID) []people.StaffID {
	ids := slices.Clone(s.rolls.owners)
	for here := s.tree.At(place); here != nil; here = s.tree.At(here.Place.Parent) {
		ids = append(ids, s.rolls.of(here.Place.ID)...)
	}
	slices.Sort(ids)
	return slices.Compact(ids)
}

// Inside returns those with an assignment or an exception at a place or below it, in the order of their numbers.
func (s *Snapshot) Inside(place estate.PlaceID) []people.StaffID {
	var ids []people.StaffID
	for here := range s.tree.Below(place) {
		ids = append(ids, s.rolls.of(here.Place.ID)...)
	}
	slices.Sort(ids)
	return slices.Compact(ids)
}

// Around returns those with an assignment or an exception at a place, below it or above it, and the owners: everybody
// who may be able to do something in it.
func (s *Snapshot) Around(place estate.PlaceID) []people.StaffID {
	ids := append(s.candidates(place), s.Inside(place)...)
	slices.Sort(ids)
	return slices.Compact(ids)
}
