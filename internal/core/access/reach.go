package access

import (
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Holds returns the level of a permission that somebody holds at a place, access hours left out: what they may
// do in this product.
func (s *Snapshot) Holds(id people.StaffID, permission permit.PermissionID, place estate.PlaceID,
	at int64) permit.Level {
	return s.Decide(&Question{Staff: id, Permission: permission, Place: place, At: at, AnyHour: true}).Level
}

// MayGive returns the highest level of a permission that somebody may give on at a place and all below it: what their
// templates say that they can give, else what they hold there, or would if it was not retired; and nothing where it is
// withheld from them at some place below.
func (s *Snapshot) MayGive(id people.StaffID, permission permit.PermissionID, place estate.PlaceID,
	at int64) permit.Level {
	if p := s.person(id); p != nil {
		for i := range p.exceptions {
			if x := &p.exceptions[i]; x.withheld && x.about(permission) && at < x.until &&
				s.tree.Within(x.place, place) {
				return 0
			}
		}
	}
	ask := func(place estate.PlaceID) permit.Level {
		return s.Decide(&Question{Staff: id, Permission: permission, Place: place, At: at, AnyHour: true,
			Retired: true, gives: true}).Level
	}
	return s.lowestBelow(s.person(id), permission, place, ask(place), ask)
}

// lowestBelow returns the lowest level of a permission at a place, at which it is known, and at those below it where
// local settings of somebody's templates begin.
func (s *Snapshot) lowestBelow(p *person, permission permit.PermissionID, place estate.PlaceID, there permit.Level,
	ask func(estate.PlaceID) permit.Level) permit.Level {
	if p == nil {
		return there
	}
	lowest, grants := there, p.grants()
	for i := range grants {
		s.localPlaces(grants[i].template, permission, place, func(below estate.PlaceID) {
			if lowest > 0 && below != place {
				lowest = min(lowest, ask(below))
			}
		})
	}
	return lowest
}

// GivesUntil returns the instant from which on somebody may no longer give a permission on at a place at a level, by
// the dates of their assignments and exceptions; everAfter where those have no end. Their own contract and leaving date
// end what they do, and not what they have given; nor does the term after which a standing assignment is renewed.
func (s *Snapshot) GivesUntil(id people.StaffID, permission permit.PermissionID, level permit.Level,
	place estate.PlaceID, at int64) int64 {
	p := s.person(id)
	if p == nil {
		return at
	}
	if p.owner {
		return everAfter
	}
	freed := p.freed()
	freed.many = slices.Clone(p.grants())
	turns := []int64{at}
	for i := range freed.many {
		g := &freed.many[i]
		if s.stands(g) {
			g.until = everAfter
		}
		turns = append(turns, g.from, g.until)
		for _, l := range s.localsOf(g.template) {
			if l.permission == permission {
				turns = append(turns, l.from, l.until)
			}
		}
	}
	for i := range p.exceptions {
		turns = append(turns, p.exceptions[i].from, p.exceptions[i].until)
	}
	slices.Sort(turns)
	for _, turn := range turns {
		if turn < at || turn >= everAfter {
			continue
		}
		ask := func(place estate.PlaceID) permit.Level {
			return s.recordLevel(freed, id, permission, place, turn, true)
		}
		if s.lowestBelow(freed, permission, place, ask(place), ask) < level {
			return turn
		}
	}
	return everAfter
}

// standingDays is for how many days an assignment lasts at least that is a standing one, which is renewed when it ends,
// and not one for a while, such as a season, a project or an absence.
const standingDays = 365

// stands reports whether an assignment is a standing one: no cover, and for a year or more.
func (s *Snapshot) stands(g *grant) bool {
	a := s.state.Assignment(g.assignment)
	return a != nil && a.Covers == 0 && !a.From.IsZero() && int(a.Until-a.From)+1 >= standingDays
}

// RecordLevel returns the level of a permission that somebody's record gives them at a place at an instant, whatever
// keeps them from using it.
func (s *Snapshot) RecordLevel(id people.StaffID, permission permit.PermissionID, place estate.PlaceID,
	at int64) permit.Level {
	p := s.person(id)
	if p == nil {
		return 0
	}
	return s.recordLevel(p.freed(), id, permission, place, at, false)
}

func (s *Snapshot) recordLevel(freed *person, id people.StaffID, permission permit.PermissionID, place estate.PlaceID,
	at int64, gives bool) permit.Level {
	d := Decision{Staff: id}
	if here := s.tree.At(place); here != nil {
		s.weigh(&Question{Staff: id, Permission: permission, Place: place, At: at, AnyHour: true, Retired: true,
			onRecord: true, gives: gives}, freed, here, &d)
	}
	return d.Level
}

// Entitled answers what somebody's assignments and exceptions say, whether or not they are locked or have started: what
// would be theirs if they could use it. Access hours are left out; of those who start later it is the day of the start.
func (s *Snapshot) Entitled(id people.StaffID, permission permit.PermissionID, place estate.PlaceID,
	at int64) Decision {
	d := Decision{Staff: id}
	p, here := s.person(id), s.tree.At(place)
	switch {
	case p == nil:
		d.Reason = UnknownCredential
	case here == nil || here.Retired:
		d.Reason = PlaceRetired
	default:
		q := Question{Staff: id, Permission: permission, Place: place, At: max(at, p.span.Start), AnyHour: true}
		s.weigh(&q, p, here, &d)
	}
	return d
}

// HoldsKey reports whether somebody holds a permission, named by its key, at a place; of one that says whose records,
// whether it is everybody's. Their say over a place outlasts its retirement: else nobody could bring it back, or ask
// about its past.
func (s *Snapshot) HoldsKey(id people.StaffID, key string, place estate.PlaceID, at int64) bool {
	permission := s.catalogue.PermissionByKey(key)
	return permission != nil && s.levelThere(id, permission.ID, place, at) >= fullReach(permission)
}

// fullReach is the level of a permission from which on it reaches everybody.
func fullReach(p *permit.Permission) permit.Level { return max(p.Scale.LevelAbout(false, false), 1) }

// HoldsEverywhere reports whether somebody holds a permission at the organisation, and so at every site, also at one
// that is added later.
func (s *Snapshot) HoldsEverywhere(id people.StaffID, key string, at int64) bool {
	tops := 0
	for here := range s.tree.Tops {
		if here.Retired {
			continue
		}
		tops++
		if !s.HoldsKey(id, key, here.Place.ID, at) {
			return false
		}
	}
	return tops > 0 || s.state.Person(id) != nil && s.state.Person(id).Owner
}

// Reach reports, by PlaceID, where somebody holds a permission, and whether that is anywhere at all; of one that says
// whose records, where it is everybody's.
func (s *Snapshot) Reach(id people.StaffID, key string, at int64) (reach []bool, anywhere bool) {
	reach = make([]bool, s.state.Places.Last()+1)
	permission := s.catalogue.PermissionByKey(key)
	if permission == nil {
		return reach, false
	}
	full := fullReach(permission)
	for place, level := range s.levelsAt(id, permission, at) {
		reach[place] = level >= full
		anywhere = anywhere || reach[place]
	}
	return reach, anywhere
}

// levelsAt returns at which level somebody holds a permission, by PlaceID.
func (s *Snapshot) levelsAt(id people.StaffID, permission *permit.Permission, at int64) []permit.Level {
	levels := make([]permit.Level, s.state.Places.Last()+1)
	p := s.person(id)
	if p == nil || p.stands(at) != Granted {
		return levels
	}
	decides := make([]bool, len(levels))
	s.mattering(p, permission.ID, func(place estate.PlaceID) {
		if int(place) < len(decides) { // of a record that was set aside it may not be there
			decides[place] = true
		}
	})
	for here := range s.tree.All {
		of, parent := here.Place.ID, here.Place.Parent
		if parent == 0 || decides[of] {
			levels[of] = s.levelThere(id, permission.ID, of, at)
		} else {
			levels[of] = levels[parent]
		}
	}
	return levels
}

// mattering calls do with the places at which what somebody holds of a permission may differ from what they hold above:
// those of their assignments, exceptions and bars.
func (s *Snapshot) mattering(p *person, permission permit.PermissionID, do func(estate.PlaceID)) {
	grants := p.grants()
	for i := range grants {
		do(grants[i].place)
		s.localPlaces(grants[i].template, permission, grants[i].place, do)
	}
	for i := range p.exceptions {
		if x := &p.exceptions[i]; x.bar != 0 || x.about(permission) {
			do(x.place)
		}
	}
}

// levelThere is the level at which somebody holds a permission at a place, be it retired; 0 where they do not.
func (s *Snapshot) levelThere(id people.StaffID, permission permit.PermissionID, place estate.PlaceID,
	at int64) permit.Level {
	d := s.Decide(&Question{Staff: id, Permission: permission, Place: place, At: at, AnyHour: true, Retired: true})
	if !d.Allowed {
		return 0
	}
	return d.Level
}

// HoldsAnywhere reports whether somebody holds a permission, named by its key, at any place at all, at any level.
func (s *Snapshot) HoldsAnywhere(id people.StaffID, key string, at int64) (held bool) {
	permission, p := s.catalogue.PermissionByKey(key), s.person(id)
	if permission == nil || p == nil || p.stands(at) != Granted {
		return false
	}
	if p.owner { // they hold it at each site, save where it is withheld from them
		_, held = s.Reach(id, key, at)
		return held
	}
	s.mattering(p, permission.ID, func(place estate.PlaceID) {
		held = held || s.levelThere(id, permission.ID, place, at) > 0
	})
	return held
}

// Status returns somebody's status at an instant, in the time zone of their home site.
func (s *Snapshot) Status(id people.StaffID, at int64) people.Status {
	if p := s.person(id); p != nil {
		return p.span.Status(at)
	}
	return people.Left
}

// Location returns the time zone of somebody's home site.
func (s *Snapshot) Location(id people.StaffID) *time.Location {
	if p := s.state.Person(id); p != nil {
		if home := s.tree.At(p.HomeSite); home != nil {
			return home.Location
		}
	}
	return time.UTC
}

// InReach reports whether a place is among those in reach, by PlaceID.
func InReach(reach []bool, id estate.PlaceID) bool { return int(id) < len(reach) && reach[id] }
