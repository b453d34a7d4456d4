package hours

import (
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/day"
)

// Times are the hours at which somebody is let in at a place: access hours over its opening hours.
type Times struct {
	Access  *Access
	Opening *Opening // nil: never closes
}

// Endless reports whether the hours are open day and night, on all days.
func (t *Times) Endless() bool {
	return t.Access.Kind == Always ||
		t.Access.Kind != Weekly && (t.Opening == nil || len(t.Opening.Rules) == 0 && len(t.Opening.Dated) == 0)
}

// same reports whether two hours are the same by their rules.
func (t *Times) same(o *Times) bool {
	a, b := t.Access, o.Access
	alike := a == b || a.Kind == b.Kind && a.BeforeMinutes == b.BeforeMinutes && a.AfterMinutes == b.AfterMinutes &&
		slices.Equal(a.Rules, b.Rules)
	return alike && (a.Kind == Always || a.Kind == Weekly || t.Opening.Equal(o.Opening))
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
func Covers(a, b []Times, from day.Date) bool {
	if len(b) == 0 || slices.ContainsFunc(a, func(t Times) bool { return t.Endless() }) {
		return true
	}
	if len(a) == 0 {
		return false
	}
	if !slices.ContainsFunc(b, func(
		t Times) bool {
		return !slices.ContainsFunc(a, func(o Times) bool { return o.same(&t) })
	}) {
		return true
	}
	for _, date := range telling(a, b, from) {
		midnight := int64(date) * 86400
		for _, minute := range edges(a, b, date) {
			at := midnight + int64(minute)*60
			if open(b, at) && !open(a, at) {
				return false
			}
		}
	}
	return true
}

func open(list []Times, at int64) bool {
	return slices.ContainsFunc(list, func(t Times) bool { return t.Access.Open(t.Opening, time.UTC, at) })
}

// telling returns dates that between them show everything the hours do from a date on: the first days, and those around
// each boundary of dated hours, a full week of each stretch with the margins on either side.
func telling(a, b []Times, from day.Date) []day.Date {
	const around, week = 3, 10
	var dates []day.Date
	span := func(first, last day.Date) {
		for date := max(first, from); date <= last; date++ {
			dates = append(dates, date)
		}
	}
	span(from, from+week)
	for _, t := range slices.Concat(a, b) {
		if t.Opening == nil || t.Access.Kind == Weekly || t.Access.Kind == Always {
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
func edges(a, b []Times, date day.Date) []int {
	var minutes []int
	for _, t := range slices.Concat(a, b) {
		minutes = append(minutes, t.Access.edges(t.Opening, date)...)
	}
	slices.Sort(minutes)
	return slices.Compact(minutes)
}
