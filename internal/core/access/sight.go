package access

import (
	"slices"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// View is how much of a person's record somebody sees.
type View uint8

// The views. Whoever looks after somebody's home site sees everything; whoever looks after a place where they merely
// work sees the name, the number, the status and what they do there, for as long as they do.
const (
	Hidden View = iota
	Narrow
	Whole
)

// Sight is whom somebody sees in this product, and where: their own record, those of the people in teams that they
// lead, or everybody's. It is derived from the permission to see staff, at one instant, and may be asked about any
// number of people.
type Sight struct {
	Anywhere  bool // they hold it at some place, at some level
	Everybody bool // they hold it for everybody at some place

	snapshot *Snapshot
	actor    people.StaffID
	at       int64
	all      []bool // by PlaceID: where they see everybody
	team     []bool // where they see those in their teams; nil: nowhere else
	led      map[people.StaffID]bool
}

// Sight returns whom somebody sees at an instant.
func (s *Snapshot) Sight(actor people.StaffID, at int64) *Sight {
	v := &Sight{snapshot: s, actor: actor, at: at}
	permission := s.catalogue.PermissionByKey(permit.ViewStaff)
	if permission == nil {
		return v
	}
	levels := s.levelsAt(actor, permission, at)
	v.all = make([]bool, len(levels))
	full, team := fullReach(permission), max(permission.Scale.LevelAbout(false, true), 1)
	wider := false
	for place, level := range levels {
		v.Anywhere = v.Anywhere || level > 0
		v.all[place] = level >= full
		v.Everybody = v.Everybody || v.all[place]
		wider = wider || level >= team && level < full
	}
	if !wider {
		return v
	}
	v.team, v.led = make([]bool, len(levels)), map[people.StaffID]bool{}
	for place, level := range levels {
		v.team[place] = level >= team
	}
	for m := range s.state.TeamsOf(actor) {
		if t := s.state.Team(m.Team); m.Lead && t != nil && !t.Retired {
			for other := range s.state.InTeam(m.Team) {
				v.led[other.Staff] = true
			}
		}
	}
	return v
}

// At reports whether what somebody does at a place is seen from there.
func (v *Sight) At(id people.StaffID, place estate.PlaceID) bool { return InReach(v.reach(id), place) }

// SomeAt reports whether they see people at a place: everybody, or those in their teams.
func (v *Sight) SomeAt(place estate.PlaceID) bool {
	return InReach(v.all, place) || InReach(v.team, place)
}

func (v *Sight) reach(id people.StaffID) []bool {
	if v.led[id] {
		return v.team
	}
	return v.all
}

// Knows reports whether they may know of a team: of one that somebody is in whom they see; of one that nobody is in if
// they say who is in teams anywhere.
func (v *Sight) Knows(team org.TeamID) bool {
	empty := true
	for m := range v.snapshot.state.InTeam(team) {
		if empty = false; v.Of(v.snapshot.state.Person(m.Staff)) != Hidden {
			return true
		}
	}
	return empty && v.snapshot.HoldsAnywhere(v.actor, permit.EditTeams, v.at)
}

// Field reports whether they see what somebody's record says in a field that only some see.
func (v *Sight) Field(p *people.Staff, seen people.SeenBy) bool {
	if v.Of(p) != Whole {
		return false
	}
	actor := v.snapshot.state.Person(v.actor)
	switch owner := actor != nil && actor.Owner; seen {
	case people.Owners:
		return owner
	case people.Editors:
		return owner || !p.Owner && v.snapshot.HoldsKey(v.actor, permit.EditStaff, p.HomeSite, v.at)
	}
	return true
}

// Of returns how much is seen of a person. Whoever sees staff anywhere sees their own record whole.
func (v *Sight) Of(p *people.Staff) View {
	reach := v.reach(p.ID)
	if p.ID == v.actor && v.Anywhere || InReach(reach, p.HomeSite) {
		return Whole
	}
	if p.Owner {
		if slices.Contains(reach, true) { // an owner may do everything everywhere, so there too
			return Narrow
		}
		return Hidden
	}
	if compiled := v.snapshot.person(p.ID); compiled != nil && v.at < compiled.span.Gone {
		grants := compiled.grants()
		for i := range grants {
			if InReach(reach, grants[i].place) && v.at < grants[i].until {
				return Narrow
			}
		}
	}
	return Hidden
}
