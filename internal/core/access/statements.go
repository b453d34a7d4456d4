package access

import (
	"slices"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// When says how a stretch of time lies to a moment.
type When string

// The three.
const (
	Now   When = "now"
	Later When = "later"
	Past  When = "past"
)

// Statement is what one assignment, exception or bar, or being an owner, lets somebody do or keeps them from.
type Statement struct {
	Assignment org.AssignmentID
	Exception  org.ExceptionID
	Bar        org.BarID
	Owner      bool // of an owner, who can do everything
	Place      estate.PlaceID
	When       When
	At         int64 // the moment that is spoken of: the one asked about, or the first or last at which it counts
	// From and Until are when it counts, with the person's time here; Ended is what ends it where that is not its own
	// end.
	From, Until int64
	Ended       Reason             // ContractEnded, HasLeft, QualificationMissing or Granted
	Missing     []qualification.ID // that the template requires: without them it gives nothing
	Locked      bool               // the person is locked at the moment asked about
	Hours       *hours.Access
	Doors       []*estate.Place // that open for the person, by what they have to show
	Short       []*estate.Place // doors that ask for more than they have to show
	Able        []Ability
}

// Ability is one permission that somebody has.
type Ability struct {
	Permission *permit.Permission
	Level      permit.Level
	Resolved   permit.Resolved   // of a template: where it says so
	Local      *org.LocalSetting // by which it is so here, and not as the template says; nil: as the template says
	AtDoor     bool              // a door there asks about it
	From       int64             // where they have it later than the moment spoken of: the first instant; else 0
	Otherwise  []Otherwise       // where, or when, they have another level of it, or none, by local settings
}

// Otherwise is another level of an ability, at a place below and between two instants, or at the place itself from an
// instant on.
type Otherwise struct {
	Place       estate.PlaceID
	Level       permit.Level
	From, Until int64             // From is 0 where it begins before the moment spoken of
	Local       *org.LocalSetting // by which it is so; nil: as the template says
}

// Statements returns everything that somebody can do by their assignments and exceptions, now, later and in the past.
// What it says of doors and of dates is what would be decided: doors that ask for more than somebody has are not among
// those that open, and an end is the earliest of all that apply, with which one it is.
func (s *Snapshot) Statements(id people.StaffID, at int64) []Statement {
	p := s.person(id)
	if s.state.Person(id) == nil || p == nil {
		return nil
	}
	var statements []Statement
	if p.owner {
		statements = append(statements, Statement{Owner: true, When: Now, At: at, From: everBefore, Until: everAfter})
	}
	grants := p.grants()
	for i := range grants {
		statements = append(statements, s.ofGrant(id, p, &grants[i], at)...)
	}
	for i := range p.exceptions {
		statements = append(statements, s.ofException(id, p, &p.exceptions[i], at))
	}
	return statements
}

// statement begins a statement about what counts between two instants, cut to those at which somebody works here at
// all.
func (p *person) statement(place estate.PlaceID, from, until, at int64) Statement {
	st := Statement{Place: place, From: max(from, p.span.Start), Until: until,
		Locked: at >= p.lockSince && at < p.lockUntil}
	if p.span.Contract < st.Until {
		st.Until, st.Ended = p.span.Contract, ContractEnded
	}
	if p.span.Gone < st.Until {
		st.Until, st.Ended = p.span.Gone, HasLeft
	}
	switch {
	case at < st.From:
		st.When, st.At = Later, st.From
	case at >= st.Until:
		st.When, st.At = Past, max(st.From, st.Until-1)
	default:
		st.When, st.At = Now, at
	}
	return st
}

// ofGrant says what an assignment gives: statements for each stretch of time in which what its template requires is
// held, and one that says what is missing where it never is.
func (s *Snapshot) ofGrant(id people.StaffID, p *person, g *grant, at int64) (list []Statement) {
	for _, held := range s.fit(p, g) {
		for _, part := range s.cut(g, held) {
			list = append(list, s.ofStretch(id, p, g, part, at)...)
		}
	}
	if len(list) > 0 {
		return list
	}
	st := p.statement(g.place, g.from, g.until, at)
	st.Assignment, st.Hours = g.assignment, s.accessOf(g)
	for _, id := range s.requires(g.template) {
		if p.lacks([]qualification.ID{id}, st.At) != 0 {
			st.Missing = append(st.Missing, id)
		}
	}
	return []Statement{st}
}

// cut returns a stretch of time in the parts in which no local setting begins or ends that is about what doors ask for
// at the place of an assignment, or below: other doors open then.
func (s *Snapshot) cut(g *grant, during stretch) (parts []stretch) {
	locals := s.localsOf(g.template)
	if len(locals) == 0 {
		return []stretch{during}
	}
	atDoors := map[permit.PermissionID]bool{}
	for here := range s.tree.Below(g.place) {
		if here.Place.Kind == estate.Door {
			atDoors[s.askedAt(here.Place.ID)] = true
		}
	}
	turns := []int64{during.from, during.until}
	for _, l := range locals {
		if atDoors[l.permission] && s.concerns(&l, g.place) {
			turns = append(turns, min(max(l.from, during.from), during.until),
				min(max(l.until, during.from), during.until))
		}
	}
	slices.Sort(turns)
	turns = slices.Compact(turns)
	for i, from := range turns[:len(turns)-1] {
		parts = append(parts, stretch{from, turns[i+1]})
	}
	return parts
}

// ofStretch says what an assignment gives while what its template requires is held. What is otherwise below its place,
// as opening hours are others there or more is required, has statements of its own.
func (s *Snapshot) ofStretch(id people.StaffID, p *person, g *grant, held stretch, at int64) []Statement {
	access, own := s.accessOf(g), s.ownRequired()
	byOpening := access.Kind == hours.Inherit || access.Kind == hours.ByPlace
	begin := func(place estate.PlaceID, during stretch) Statement {
		st := p.statement(place, during.from, during.until, at)
		// An acceptance does not end; where nothing is missing then, a local setting begins or ends
		if during.until < g.until && st.Ended == Granted && (p.wants(s.requires(g.template), during.until) != Granted ||
			p.wants(s.RequiredAt(place), during.until) != Granted) {
			st.Ended = QualificationMissing
		}
		st.Assignment, st.Hours = g.assignment, access
		return st
	}
	// while returns for how long, of what is held, all that a place requires is held too, around the moment spoken of
	while := func(place estate.PlaceID) stretch {
		st := p.statement(g.place, held.from, held.until, at)
		for _, part := range p.qualified(s.RequiredAt(place), held) {
			if st.At < part.until {
				return part
			}
		}
		return held
	}
	all := []Statement{begin(g.place, while(g.place))} // the first is about the place of the assignment
	spoken := all[0].At
	apart := map[estate.PlaceID]int{} // statements about what is otherwise below, by the place from which on it is
	of := func(here *estate.Standing, permission permit.PermissionID) int {
		for above := here; above != nil && above.Place.ID != g.place; above = s.tree.At(above.Place.Parent) {
			place := above.Place
			if byOpening && place.Opening != nil && !place.Opening.Equal(s.tree.At(g.place).Opening) ||
				len(own[place.ID]) > 0 || s.localBegins(g.template, permission, place.ID, spoken) {
				if _, known := apart[place.ID]; !known {
					apart[place.ID] = len(all)
					all = append(all, begin(place.ID, while(here.Place.ID)))
				}
				return apart[place.ID]
			}
		}
		return 0
	}
	has, atDoors := s.HasToShow(id, spoken), map[permit.PermissionID]bool{}
	// Of what is asked about at what is no door: for how long it is fit where it is longest, and the statements of it
	fitAt, askedIn := map[permit.PermissionID]stretch{}, map[permit.PermissionID][]int{}
	for here := range s.tree.Below(g.place) {
		asked := s.catalogue.PermissionByKey(here.Place.Asks)
		if asked == nil {
			continue
		}
		if here.Place.Kind != estate.Door {
			if s.setBelow(g, asked.ID, here.Place.ID, spoken) {
				continue // it is said where that begins
			}
			askedIn[asked.ID] = append(askedIn[asked.ID], of(here, asked.ID))
			if !here.Retired && s.unfit(p, asked.ID, here.Place.ID, spoken) == Granted {
				if fit := while(here.Place.ID); fit.until > fitAt[asked.ID].until {
					fitAt[asked.ID] = fit
				}
			}
			continue
		}
		atDoors[asked.ID] = true
		if !here.Retired && s.level(g.template, asked.ID, here.Place.ID, spoken) > 0 &&
			!s.withheldFrom(p, asked.ID, here.Place.ID, spoken) {
			all[of(here, asked.ID)].door(here.Place, has)
		}
	}
	kinds := s.kindsBelow(g.place)
	for permission := range s.catalogue.Permissions {
		if s.mayGiveEver(g.template, permission.ID) == 0 || !anyKind(permission, kinds) {
			continue
		}
		able, below := s.abilities(g, permission, spoken, all[0].Until)
		able.AtDoor = atDoors[permission.ID]
		for _, there := range below {
			if place := there.Local.Place; !s.withheldFrom(p, permission.ID, place, spoken) {
				in := of(s.tree.At(place), permission.ID)
				there.AtDoor = able.AtDoor
				all[in].Able = append(all[in].Able, there)
			}
		}
		if able.Level == 0 || s.withheldFrom(p, permission.ID, g.place, spoken) {
			continue
		}
		in, fit := askedIn[permission.ID], fitAt[permission.ID]
		switch {
		case len(in) == 0:
			all[0].Able = append(all[0].Able, able)
		case fit.until <= fit.from: // nowhere that it is done
		case slices.Max(in) == slices.Min(in):
			all[in[0]].Able = append(all[in[0]].Able, able)
		case fit.until >= all[0].Until:
			all[0].Able = append(all[0].Able, able)
		default: // wherever it is done, what is required there runs out before
			st := begin(g.place, fit)
			st.Able = []Ability{able}
			all = append(all, st)
		}
	}
	return telling(all)
}

// telling leaves, of some statements, those that tell of something; where none does, the first.
func telling(all []Statement) []Statement {
	kept := slices.DeleteFunc(slices.Clone(all), func(st Statement) bool {
		return len(st.Doors)+len(st.Short) == 0 && !slices.ContainsFunc(st.Able,
			func(a Ability) bool { return !a.AtDoor })
	})
	if len(kept) > 0 {
		return kept
	}
	return all[:1]
}

// setBelow reports whether another local setting decides, at a place below that of an assignment, than at its own.
func (s *Snapshot) setBelow(g *grant, permission permit.PermissionID, place estate.PlaceID, at int64) bool {
	return s.localAt(g.template, permission, place, at) != s.localAt(g.template, permission, g.place, at)
}

// abilities returns what an assignment gives of a permission at its place at an instant, or from a later one on and
// before another, with where and when local settings make it otherwise. Where it gives nothing at the place, it returns
// what it gives at places below.
func (s *Snapshot) abilities(g *grant, permission *permit.Permission, at, until int64) (here Ability, below []Ability) {
	turns := []int64{at}
	var places []estate.PlaceID
	for _, l := range s.localsOf(g.template) {
		if l.permission != permission.ID || !s.concerns(&l, g.place) || l.until <= at || l.from >= until {
			continue
		}
		if l.place != g.place && s.tree.Within(l.place, g.place) {
			places = append(places, l.place)
		}
		for _, turn := range [2]int64{l.from, l.until} {
			if turn > at && turn < until {
				turns = append(turns, turn)
			}
		}
	}
	slices.Sort(turns)
	slices.Sort(places)
	turns, places = slices.Compact(turns), slices.Compact(places)
	here = s.abilityAt(g, permission, g.place, turns)
	for _, place := range places {
		if here.Level > 0 {
			here.Otherwise = append(here.Otherwise, s.otherwiseAt(g, permission.ID, place, turns, until)...)
		} else if there := s.abilityAt(g, permission, place, turns); there.Local != nil &&
			there.Local.Place == place {
			below = append(below, there)
		}
	}
	return here, below
}

// abilityAt returns what an assignment gives of a permission at a place from the first of some turns on, or, where that
// is nothing, from a later one on, with what it is from others on.
func (s *Snapshot) abilityAt(g *grant, permission *permit.Permission, place estate.PlaceID, turns []int64) Ability {
	able := Ability{Permission: permission, Resolved: s.resolved[g.template][permission.ID]}
	last := permit.Level(0)
	for i, turn := range turns {
		level, local := s.level(g.template, permission.ID, place, turn), s.LocalAt(g.template, permission.ID, place,
			turn)
		switch {
		case level == last:
		case able.Level == 0:
			able.Level, able.Local = level, local
			if i > 0 {
				able.From = turn
			}
		default:
			able.Otherwise = append(able.Otherwise, Otherwise{Place: place, Level: level, From: turn, Until: everAfter,
				Local: local})
		}
		last = level
	}
	return able
}

// otherwiseAt returns the stretches of time, between some turns and before an instant, in which a local setting gives
// another level at a place than at that of the assignment.
func (s *Snapshot) otherwiseAt(g *grant, permission permit.PermissionID, place estate.PlaceID, turns []int64,
	until int64) (list []Otherwise) {
	for i, turn := range turns {
		end := until
		if i+1 < len(turns) {
			end = turns[i+1]
		}
		l := s.localAt(g.template, permission, place, turn)
		if l == nil || l.place != place || l.level == s.level(g.template, permission, g.place, turn) {
			continue
		}
		from := turn
		if i == 0 {
			from = 0
		}
		if end >= until {
			end = everAfter // as long as the assignment
		}
		if n := len(list); n > 0 && list[n-1].Level == l.level && list[n-1].Until == turn {
			list[n-1].Until = end
			continue
		}
		list = append(list, Otherwise{place, l.level, from, end, s.state.LocalSetting(l.number)})
	}
	return list
}

func (s *Snapshot) ofException(id people.StaffID, p *person, x *exception, at int64) Statement {
	if x.bar != 0 {
		st := Statement{Bar: x.bar, Place: x.place, From: x.from, Until: x.until, When: Now, At: at}
		switch {
		case at < x.from:
			st.When = Later
		case at >= x.until:
			st.When = Past
		}
		return st
	}
	st := p.statement(x.place, x.from, x.until, at)
	st.Exception = x.number
	if x.withheld {
		return st
	}
	has, key := s.HasToShow(id, st.At), s.catalogue.Permission(x.permission).Key
	for here := range s.tree.Below(x.place) {
		if here.Place.Kind == estate.Door && !here.Retired && here.Place.Asks == key &&
			!s.withheldFrom(p, x.permission, here.Place.ID, st.At) {
			st.door(here.Place, has)
		}
	}
	return st
}

// door adds a door that a statement is about: one that opens by what somebody has to show, or one that asks for more.
func (st *Statement) door(door *estate.Place, has Shown) {
	if has.satisfies(door.Proof) {
		st.Doors = append(st.Doors, door)
	} else {
		st.Short = append(st.Short, door)
	}
}

// withheldFrom reports whether somebody is withheld a permission, or barred, at a place at an instant, or lacks a
// qualification that the place requires.
func (s *Snapshot) withheldFrom(p *person, permission permit.PermissionID, place estate.PlaceID, at int64) bool {
	if s.unfit(p, permission, place, at) != Granted {
		return true
	}
	for i := range p.exceptions {
		if x := &p.exceptions[i]; x.withheld && x.about(permission) && at >= x.from && at < x.until &&
			s.tree.Within(place, x.place) {
			return true
		}
	}
	return false
}

// kindsBelow returns the kinds of the place and of all places below it that are in use.
func (s *Snapshot) kindsBelow(id estate.PlaceID) map[estate.Kind]bool {
	kinds := map[estate.Kind]bool{}
	for here := range s.tree.Below(id) {
		if !here.Retired {
			kinds[here.Place.Kind] = true
		}
	}
	return kinds
}

func anyKind(permission *permit.Permission, kinds map[estate.Kind]bool) bool {
	for _, kind := range permission.Kinds {
		if kinds[kind] {
			return true
		}
	}
	return false
}
