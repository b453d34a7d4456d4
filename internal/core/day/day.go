// Package day holds calendar dates without a time of day. A date becomes an instant only together
// with the time zone of the site where it counts.
package day

import (
	"fmt"
	"time"
)

// Date is a number of days since 1 January 1970. The zero Date means "no date".
type Date int32

const (
	layout        = "2006-01-02"
	secondsPerDay = 24 * 60 * 60
)

// The years in which dates lie: further away there is nobody, and databases and time zones end.
const (
	FirstYear = 1900
	LastYear  = 2200
)

// First and Last are the first date and the last.
var (
	First = Of(time.Date(FirstYear, 1, 1, 0, 0, 0, 0, time.UTC))
	Last  = Of(time.Date(LastYear, 12, 31, 0, 0, 0, 0, time.UTC))
)

// Of returns the date of t in t's own location.
func Of(t time.Time) Date {
	year, month, dayOfMonth := t.Date()
	seconds := time.Date(year, month, dayOfMonth, 0, 0, 0, 0, time.UTC).Unix()
	return Date(seconds / secondsPerDay)
}

// Parse reads an ISO 8601 calendar date such as 2026-11-30. The empty string is "no date".
func Parse(s string) (Date, error) {
	if s == "" {
		return 0, nil
	}
	t, err := time.Parse(layout, s)
	if err != nil {
		return 0, fmt.Errorf("%q is not a date; write it as 2026-11-30", s)
	}
	if t.Year() < FirstYear || t.Year() > LastYear {
		return 0, fmt.Errorf("%q lies too far away; a date is between %d and %d", s, FirstYear, LastYear)
	}
	return Of(t), nil
}

// IsZero reports whether d is "no date".
func (d Date) IsZero() bool { return d == 0 }

// Start returns the first instant of the date in a time zone. Where clocks go forward at midnight the date begins when
// they have; where they go back over it, with the first midnight. A date that a zone has left out whole begins with the
// next.
func (d Date) Start(location *time.Location) time.Time {
	midnight := int64(d) * secondsPerDay
	t := time.Unix(midnight-secondsPerDay, 0).In(location) // no zone is a day ahead of UTC, so the date has not begun
	for {
		_, offset := t.Zone()
		start := time.Unix(midnight-int64(offset), 0).In(location)
		if start.Before(t) { // the clocks have just gone past midnight
			return t
		}
		end := Steady(t)
		if start.Before(end) {
			return start
		}
		t = end
	}
}

// AddMonths returns the date some months on, or back: the same day of its month, or the first of the next month where
// the month has no such day.
func (d Date) AddMonths(n int) Date {
	at := d.utc()
	first := time.Date(at.Year(), at.Month()+time.Month(n), 1, 0, 0, 0, 0, time.UTC)
	next := Of(first.AddDate(0, 1, 0))
	return min(Of(first)+Date(at.Day()-1), next)
}

// Steady returns an instant after t, at most a day, until which the clocks of t's location keep the offset that they
// have at t.
func Steady(t time.Time) time.Time {
	limit := t.Add(secondsPerDay * time.Second)
	// Past the table of a zone, the end that time.Time.ZoneBounds gives on the last day of a leap year is not after t.
	if _, end := t.ZoneBounds(); end.After(t) && end.Before(limit) {
		return end
	}
	return limit
}

// Weekday returns the day of the week.
func (d Date) Weekday() time.Weekday { return d.utc().Weekday() }

// String returns the ISO 8601 form, or the empty string for "no date".
func (d Date) String() string {
	if d == 0 {
		return ""
	}
	return d.utc().Format(layout)
}

// Words returns the date as a person writes it, such as "30 Nov 2026".
func (d Date) Words() string {
	if d == 0 {
		return ""
	}
	return d.utc().Format("2 Jan 2006")
}

// LastOf returns the last day of something that no longer counts from an instant on, in the zone of that instant;
// within says that it ends within the day and not with it.
func LastOf(end time.Time) (last Date, within bool) {
	on := Of(end)
	if end.Equal(on.Start(end.Location())) {
		return on - 1, false
	}
	return on, true
}

// UntilWords says until when something counts that no longer does from an instant on: "4 Dec 2026", or, where it ends
// within a day, "4 Dec 2026, 14:30".
func UntilWords(end time.Time) string {
	last, within := LastOf(end)
	if within {
		return last.Words() + end.Format(", 15:04")
	}
	return last.Words()
}

// MarshalText writes the ISO 8601 form.
func (d Date) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// UnmarshalText reads the ISO 8601 form.
func (d *Date) UnmarshalText(text []byte) error {
	parsed, err := Parse(string(text))
	if err == nil {
		*d = parsed
	}
	return err
}

func (d Date) utc() time.Time { return time.Unix(int64(d)*secondsPerDay, 0).UTC() }
