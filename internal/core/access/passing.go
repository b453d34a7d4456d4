package access

import (
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/people"
)

// ways is a set of what may be shown together: bit n for the Shown n, in opening hours; and outside them, from bit 4
// on.
type ways uint8

// outside is where the ways outside opening hours begin.
const outside = 4

// waysFor returns the ways in which somebody who has so much to show satisfies what a place asks for.
func waysFor(has Shown, place *estate.Place) (w ways) {
	atNight := place.ProofOutside
	if atNight == estate.AnyProof {
		atNight = place.Proof
	}
	for _, shown := range []Shown{ShownPIN, ShownBadge, ShownPIN | ShownBadge} {
		if shown&has == shown && shown.satisfies(place.Proof) {
			w |= 1 << shown
		}
		if shown&has == shown && shown.satisfies(atNight) {
			w |= 1 << shown << outside
		}
	}
	return w
}

// nightDiffers reports whether the ways outside opening hours are others.
func (w ways) nightDiffers() bool { return w&(1<<outside-1) != w>>outside }

// turns returns the instants from one on at which what somebody may do can change, hours left out: the first of them,
// and every begin and end of their assignments, exceptions, bars, credentials, lock, and of their time here.
func (s *Snapshot) turns(id people.StaffID, at int64) []int64 {
	turns := []int64{at}
	add := func(instants ...int64) {
		for _, t := range instants {
			if t > at && t < everAfter {
				turns = append(turns, t)
			}
		}
	}
	p := s.person(id)
	if p == nil {
		return turns
	}
	add(p.span.Start, p.span.Contract, p.span.Gone, p.lockSince, p.lockUntil)
	grants := p.grants()
	for i := range grants {
		add(grants[i].from, grants[i].until)
		for _, l := range s.localsOf(grants[i].template) {
			if s.concerns(&l, grants[i].place) {
				add(l.from, l.until)
			}
		}
	}
	for i := range p.exceptions {
		add(p.exceptions[i].from, p.exceptions[i].until)
	}
	for _, c := range p.certificates {
		add(c.from, c.until)
	}
	for _, number := range s.state.CredentialsOf(id) {
		c := s.state.Credential(number)
		if !c.From.IsZero() {
			add(c.From.Unix())
		}
		if !c.Until.IsZero() {
			add(c.Until.Unix())
		}
	}
	slices.Sort(turns)
	return slices.Compact(turns)
}

// RecordTurns returns the instants, from one on, at which what somebody's record gives them may change.
func (s *Snapshot) RecordTurns(id people.StaffID, at int64) []int64 { return s.turns(id, at) }

// End is when something that somebody may do now ends by what is on record, and by what.
type End struct {
	At  int64 // the first instant at which they may not; everAfter where none is known
	Why Reason
}

// Open reports whether no end is known.
func (e End) Open() bool { return e.At >= everAfter }

// Ends returns when what a question asks ends, access hours left out: the first instant at which Decide says no.
func (s *Snapshot) Ends(q Question) End {
	q.AnyHour = true
	for _, at := range s.turns(s.Decide(&q).Staff, q.At)[1:] {
		q.At = at
		if d := s.Decide(&q); !d.Allowed {
			return End{at, d.Reason}
		}
	}
	return End{At: everAfter}
}

// Begins returns the first instant, from that of a question on, at which Decide allows what it asks; ok is false where
// what is on record never lets that come.
func (s *Snapshot) Begins(q Question) (at int64, ok bool) {
	turns := s.turns(s.Decide(&q).Staff, q.At)
	for i, from := range turns {
		until := int64(everAfter)
		if i+1 < len(turns) {
			until = turns[i+1]
		}
		if at, ok = s.beginsWithin(q, from, until); ok {
			return at, true
		}
	}
	return 0, false
}

// beginsWithin is Begins for a stretch of time in which nothing turns but hours.
func (s *Snapshot) beginsWithin(q Question, from, until int64) (at int64, ok bool) {
	hoursCount := !q.AnyHour
	if here := s.tree.At(q.Place); here == nil || hoursCount && !s.meantAt(q.Permission, here.Place.Kind) {
		return 0, false
	}
	whenever := q
	whenever.At, whenever.AnyHour = from, true
	if hoursCount { // whatever is shown: a door may ask for less outside its opening hours
		whenever.Staff, whenever.Shown, whenever.Proves = s.Decide(&q).Staff, 0, false
	}
	d := s.Decide(&whenever)
	if !d.Allowed {
		return 0, false
	}
	if q.At = from; !hoursCount || s.Decide(&q).Allowed {
		return from, true
	}
	for _, access := range s.hoursOf(d.Staff, &q) {
		if next, open := s.opensWithin(q, access, from, until); open && (!ok || next < at) {
			at, ok = next, true
		}
	}
	return at, ok
}

// opensWithin returns the first instant of a stretch at which some access hours are open and a question is allowed: a
// door that asks for something else outside opening hours may ask for too much before it opens, or until it closes.
func (s *Snapshot) opensWithin(q Question, access *hours.Access, from, until int64) (at int64, ok bool) {
	here := s.tree.At(q.Place)
	at = from
	for sides := 0; sides < 2*mostSides; sides++ { // it opens, and it closes
		mine, open := access.NextOpen(here.Opening, here.Location, at)
		if q.At = mine.Unix(); !open || q.At >= until {
			return 0, false
		}
		if s.Decide(&q).Allowed {
			return q.At, true
		}
		turns, ever := inherited.NextChange(here.Opening, here.Location, q.At)
		if !ever {
			return 0, false
		}
		at = turns.Unix()
	}
	return 0, false
}

// hoursOf returns the hours of all that gives somebody what a question asks, at least at its level, on the day it asks
// about.
func (s *Snapshot) hoursOf(id people.StaffID, q *Question) (list []*hours.Access) {
	p := s.person(id)
	if p == nil {
		return nil
	}
	if p.owner {
		list = append(list, always)
	}
	least := s.least(q, id)
	grants := p.grants()
	for i := range grants {
		g := &grants[i]
		if s.tree.Within(q.Place, g.place) && s.level(g.template, q.Permission, q.Place, q.At) >= least && s.fitAt(p, g,
			q.At) {
			list = append(list, s.accessOf(g))
		}
	}
	for i := range p.exceptions {
		x := &p.exceptions[i]
		if !x.withheld && x.permission == q.Permission && x.level >= least && q.At >= x.from && q.At < x.until &&
			s.tree.Within(q.Place, x.place) {
			list = append(list, inherited)
		}
	}
	return list
}

// Closes returns the first instant after that of a question at which Decide no longer allows what it asks, access hours
// counted; ok is false where none is known.
func (s *Snapshot) Closes(q Question) (at time.Time, ok bool) {
	here := s.tree.At(q.Place)
	if here == nil {
		return at, false
	}
	who := s.Decide(&q).Staff
	for _, turn := range append(s.turns(who, q.At)[1:], everAfter) {
		for sides := 0; sides < mostSides && q.At < turn; sides++ {
			next := turn
			// what a door asks for changes with these
			for _, access := range append(s.hoursOf(who, &q), inherited) {
				if change, ever := access.NextChange(here.Opening, here.Location, q.At); ever {
					next = min(next, change.Unix())
				}
			}
			if next >= everAfter {
				return at, false
			}
			if q.At = next; !s.Decide(&q).Allowed {
				return time.Unix(next, 0), true
			}
		}
		q.At = max(q.At, turn)
	}
	return at, false
}
