package hours

import (
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/day"
)

// Times are the hours at which somebody is let in at a place: access hours over its opening hours, or the part of them
// in which the place is open or closed.
type Times struct {
	Access  *Access
	Opening *Opening // nil: never closes
	While   While
}

// While says which part of hours counts.
type While uint8

// The parts of hours: all, and those in which the place is open or closed.
const (
	Ever While = iota
	PlaceOpen
	PlaceClosed
)

// openingHours are the access hours of whoever is let in while the place is open.
var openingHours = &Access{Kind: Inherit}

// Endless reports whether the hours are open day and night, on all days.
func (t *Times) Endless() bool {
	return t.While == Ever && (t.Access.Kind == Always ||
		t.Access.Kind != Weekly && (t.Opening == nil || len(t.Opening.Rules) == 0 && len(t.Opening.Dated) == 0))
}

// Open reports whether the hours are open at an instant.
func (t *Times) Open(zone *time.Location, at int64) bool {
	return t.Access.Open(t.Opening, zone, at) &&
		(t.While == Ever || openingHours.Open(t.Opening, zone, at) == (t.While == PlaceOpen))
}

// byOpening reports whether the place's opening hours have a say.
func (t *Times) byOpening() bool {
	return t.While != Ever || t.Access.Kind != Always && t.Access.Kind != Weekly
}

// same reports whether two hours are the same by their rules.
func (t *Times) same(o *Times) bool {
	a, b := t.Access, o.Access
	alike := a == b || a.Kind == b.Kind && a.BeforeMinutes == b.BeforeMinutes && a.AfterMinutes == b.AfterMinutes &&
		slices.Equal(a.Rules, b.Rules)
	return alike && t.While == o.While && (!t.byOpening() || t.Opening.Equal(o.Opening))
}

// Equal reports whether two opening hours have the same rules; nil has none.
func (o *Opening) Equal(other *Opening) bool {
	if o == other {
		return true
	}
	if o == nil || other == nil {
		return false
	}
	return slices.Equal(o.Rules, other.Rules) && slices.EqualFunc(o.Dated, other.Dated, func(a, b Dated) bool {
		return a.Name == b.Name && a.From == b.From && a.Until == b.Until && slices.Equal(a.Rules, b.Rules)
	})
}

// Covers reports whether, from a date on, some of the hours in a are open whenever some of those in b are. It is exact
// in the wall-clock time of one zone: hours are stretches between minutes of days, so b lies within a where a is open
// at the begin of every stretch of b and where b is closed at the end of every stretch of a.
func Covers(a, b []Times, from day.Date) bool { return CoversWithin(a, b, nil, from) }

// CoversWithin is Covers for the moments at which some of the hours in within are open; for all where there are none.
func CoversWithin(a, b, within []Times, from day.Date) bool {
	if len(b) == 0 || slices.ContainsFunc(a, func(t Times) bool { return t.Endless() }) {
		return true
	}
	if len(a) == 0 && len(within) == 0 {
		return false
	}
	if !slices.ContainsFunc(b, func(
		t Times) bool {
		return !slices.ContainsFunc(a, func(o Times) bool { return o.same(&t) })
	}) {
		return true
	}
	for _, date := range telling(slices.Concat(a, b, within), from) {
		midnight := int64(date) * 86400
		for _, minute := range edges(slices.Concat(a, b, within), date) {
			at := midnight + int64(minute)*60
			if open(b, at) && !open(a, at) && (len(within) == 0 || open(within, at)) {
				return false
			}
		}
	}
	return true
}

func open(list []Times, at int64) bool {
	return slices.ContainsFunc(list, func(t Times) bool { return t.Open(time.UTC, at) })
}

// telling returns dates that between them show everything the hours do from a date on: the first days, and those around
// each boundary of dated hours, a full week of each stretch with the margins on either side.
func telling(list []Times, from day.Date) []day.Date {
	const around, week = 3, 10
	var dates []day.Date
	span := func(first, last day.Date) {
		for date := max(first, from); date <= last; date++ {
			dates = append(dates, date)
		}
	}
	span(from, from+week)
	for _, t := range list {
		if t.Opening == nil || !t.byOpening() {
			continue
		}
		for _, dated := range t.Opening.Dated {
			span(dated.From-around, dated.From+week)
			span(dated.Until-around, dated.Until+week)
		}
	}
	slices.Sort(dates)
	return slices.Compact(dates)
}

// edges returns the minutes of a date at which some of the hours begin or end.
func edges(list []Times, date day.Date) []int {
	var minutes []int
	for _, t := range list {
		minutes = append(minutes, t.Access.edges(t.Opening, date)...)
		if t.While != Ever {
			minutes = append(minutes, openingHours.edges(t.Opening, date)...)
		}
	}
	slices.Sort(minutes)
	return slices.Compact(minutes)
}
