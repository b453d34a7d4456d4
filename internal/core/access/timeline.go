package access

import (
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Stretch is a stretch of time in which something is open, or allowed, throughout, or is not.
type Stretch struct {
	From, Until int64 // cut to what was asked about
	Open        bool
	// Why it is not: what Decide says; OutsideHours of a place and of a template
	Why Reason
	// By which hours it is what it is: the name of dated hours; empty: the weekly ones, or none
	Dated string
}

// mostStretches bounds a timeline: more than a year of shifts.
const mostStretches = 1000

// Timeline returns when a question is allowed, from the instant of a question until another, access hours counted.
// Stretches follow each other without a gap.
func (s *Snapshot) Timeline(q Question, until int64) (list []Stretch) {
	for q.At < until && len(list) < mostStretches {
		d := s.Decide(&q)
		stretch := Stretch{From: q.At, Until: until, Open: d.Allowed, Why: d.Reason, Dated: s.datedFor(&q)}
		if d.Allowed {
			if at, ok := s.Closes(q); ok {
				stretch.Until = min(until, at.Unix())
			}
		} else {
			stretch.Until = s.otherwise(q, d.Reason, until)
		}
		list = append(list, stretch)
		q.At = stretch.Until
	}
	return list
}

// otherwise returns the first instant after that of a question, and before another, at which it is allowed, or refused
// for another reason than before.
func (s *Snapshot) otherwise(q Question, reason Reason, until int64) int64 {
	end := until
	if at, ok := s.Begins(q); ok {
		end = min(end, at)
	}
	for _, turn := range s.turns(q.Staff, q.At)[1:] {
		if turn >= end {
			break
		}
		q.At = turn
		if s.Decide(&q).Reason != reason {
			return turn
		}
	}
	return end
}

// datedFor names the dated hours of the place that hold at the instant of a question.
func (s *Snapshot) datedFor(q *Question) string {
	if here := s.tree.At(q.Place); here != nil {
		return here.Opening.DatedAt(here.Location, q.At)
	}
	return ""
}

// TimelineOf returns when hours are open at a place, from one instant until another: those of the place itself where no
// others are given.
func (s *Snapshot) TimelineOf(access *hours.Access, place estate.PlaceID, from, until int64) (list []Stretch) {
	here := s.tree.At(place)
	if here == nil {
		return nil
	}
	if access == nil {
		access = inherited
	}
	for at := from; at < until && len(list) < mostStretches; {
		stretch := Stretch{From: at, Until: until, Open: access.Open(here.Opening, here.Location, at)}
		if !stretch.Open {
			stretch.Why = OutsideHours
		}
		if access.Kind != hours.Weekly && access.Kind != hours.Always {
			stretch.Dated = here.Opening.DatedAt(here.Location, at)
		}
		if next, ok := access.NextChange(here.Opening, here.Location, at); ok {
			stretch.Until = min(until, next.Unix())
		}
		list = append(list, stretch)
		at = stretch.Until
	}
	return list
}

// Usual returns what somebody's hours at a place are best seen by: a door there, or what stands there, that asks about
// what most of the doors they may pass ask about; ok is false where they may do nothing there.
func (s *Snapshot) Usual(id people.StaffID, place estate.PlaceID, at int64) (door estate.PlaceID,
	permission permit.PermissionID, ok bool) {
	count, first, most := map[permit.PermissionID]int{}, map[permit.PermissionID]estate.PlaceID{}, 0
	for here := range s.tree.Below(place) {
		asked := s.catalogue.PermissionByKey(here.Place.Asks)
		if asked == nil || here.Retired || !s.mayEver(id, asked.ID, here.Place.ID) {
			continue
		}
		if first[asked.ID] == 0 {
			first[asked.ID] = here.Place.ID
		}
		if count[asked.ID]++; count[asked.ID] > most {
			most, permission, door, ok = count[asked.ID], asked.ID, first[asked.ID], true
		}
	}
	return door, permission, ok
}

// mayEver reports whether an assignment of somebody, whenever it counts, gives a permission at a place.
func (s *Snapshot) mayEver(id people.StaffID, permission permit.PermissionID, place estate.PlaceID) bool {
	p := s.person(id)
	if p == nil {
		return false
	}
	if p.owner {
		return true
	}
	for i := range p.grants() {
		g := &p.grants()[i]
		if s.tree.Within(place, g.place) && s.mayGiveEver(g.template, permission) > 0 {
			return true
		}
	}
	return false
}
