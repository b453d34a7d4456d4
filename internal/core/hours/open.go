package hours

import (
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/day"
)

const secondsPerDay = 24 * 60 * 60

// Open reports whether the access hours, over a place's opening hours, are open at an instant; nil opening hours never
// close. It does not allocate.
func (a *Access) Open(opening *Opening, location *time.Location, at int64) bool {
	if a.Kind == Always {
		return true
	}
	local := time.Unix(at, 0).In(location)
	hour, minute, _ := local.Clock()
	return a.openAt(opening, day.Of(local), hour*60+minute)
}

// openAt reports whether the hours are open at a minute of a date, by the clock on the wall.
func (a *Access) openAt(opening *Opening, date day.Date, minute int) bool {
	if a.Kind == Always {
		return true
	}
	for shift := a.earliest(); shift <= a.latest(); shift++ {
		rules, always := a.rulesOn(opening, date+day.Date(shift))
		midnight := shift * minutesPerDay
		if always && midnight-a.BeforeMinutes <= minute && minute < midnight+minutesPerDay+a.AfterMinutes {
			return true
		}
		if len(rules) == 0 {
			continue
		}
		weekday := (date + day.Date(shift)).Weekday()
		for i := range rules {
			if rules[i].Days.Has(weekday) && midnight+int(rules[i].From)-a.BeforeMinutes <= minute &&
				minute < midnight+rules[i].end()+a.AfterMinutes {
				return true
			}
		}
	}
	return false
}

// earliest and latest return on which days, counted from the one asked about, a stretch may begin that reaches into it.
// A stretch lasts at most until the end of the day after its first, and a margin at most half a day longer.
func (a *Access) earliest() int {
	if a.AfterMinutes > 0 {
		return -2
	}
	return -1
}

func (a *Access) latest() int {
	if a.BeforeMinutes > 0 {
		return 1
	}
	return 0
}

// rulesOn returns the rules that hold on a date, or that nothing closes on it.
func (a *Access) rulesOn(opening *Opening, date day.Date) (rules []Rule, always bool) {
	if a.Kind == Weekly || a.Kind == BySchedule { // a schedule's are resolved before; else they are never open
		return a.Rules, false
	}
	if opening == nil {
		return nil, true
	}
	return opening.on(date)
}

// on returns the rules of a date. Of several dated exceptions that hold the date, the one with the fewest days counts,
// so that a holiday within a season is a holiday; of two as long, the one that begins later; then the one that is named
// first.
func (o *Opening) on(date day.Date) (rules []Rule, always bool) {
	if found := o.dated(date); found != nil {
		return found.Rules, false
	}
	return o.Rules, len(o.Rules) == 0
}

// DatedAt names the dated hours that hold at an instant; it is empty where none does.
func (o *Opening) DatedAt(location *time.Location, at int64) string {
	if o == nil {
		return ""
	}
	if found := o.dated(day.Of(time.Unix(at, 0).In(location))); found != nil {
		return found.Name
	}
	return ""
}

// dated returns the dated hours that count on a date, or nil.
func (o *Opening) dated(date day.Date) (found *Dated) {
	for i := range o.Dated {
		d := &o.Dated[i]
		if d.From > date || date > d.Until {
			continue
		}
		if found == nil || d.Until-d.From < found.Until-found.From ||
			d.Until-d.From == found.Until-found.From && d.From > found.From {
			found = d
		}
	}
	return found
}

// NextOpen returns the first instant, from one on, at which the hours are open; ok is false where that never comes.
func (a *Access) NextOpen(opening *Opening, location *time.Location, at int64) (next time.Time, ok bool) {
	if a.Open(opening, location, at) {
		return time.Unix(at, 0).In(location), true
	}
	return a.NextChange(opening, location, at)
}

// settled is after how many days without a change the hours of a week are known to be all alike: a week, and on each
// side of it the days into which a stretch of other days may reach.
const settled = 16

// NextChange returns the first instant after one at which the hours open where they were closed, or close where they
// were open; ok is false where that never comes.
func (a *Access) NextChange(opening *Opening, location *time.Location, at int64) (next time.Time, ok bool) {
	if (&Times{Access: a, Opening: opening}).Endless() {
		return time.Time{}, false
	}
	open, quiet := a.Open(opening, location, at), 0
	for {
		local := time.Unix(at, 0).In(location)
		_, offset := local.Zone()
		date := day.Of(local)
		midnight := int64(date)*secondsPerDay - int64(offset)
		follows := min(midnight+secondsPerDay, day.Steady(local).Unix())
		for _, minute := range a.edges(opening, date) {
			turn := midnight + int64(minute)*60
			if turn > at && turn < follows && a.openAt(opening, date, minute) != open {
				return time.Unix(turn, 0).In(location), true
			}
		}
		if a.Open(opening, location, follows) != open {
			return time.Unix(follows, 0).In(location), true
		}
		at = follows
		boundary, more := a.boundary(opening, date)
		switch quiet++; {
		case more && boundary == date:
			quiet = 0
		case quiet < settled:
		case !more:
			return time.Time{}, false
		default: // nothing changes before other dated hours begin or end, or reach into the days before
			at, quiet = max(at, (boundary-3).Start(location).Unix()), 0
		}
	}
}

// boundary returns the first date, from one on, on which dated hours begin or have just ended.
func (a *Access) boundary(opening *Opening, from day.Date) (first day.Date, ok bool) {
	if a.Kind == Weekly || opening == nil {
		return 0, false
	}
	for i := range opening.Dated {
		for _, date := range [...]day.Date{opening.Dated[i].From, opening.Dated[i].Until + 1} {
			if date >= from && (!ok || date < first) {
				first, ok = date, true
			}
		}
	}
	return first, ok
}

// edges returns, in order, the minutes of a date at which the hours may open or close.
func (a *Access) edges(opening *Opening, date day.Date) []int {
	minutes := []int{0}
	add := func(minute int) {
		if minute > 0 && minute < minutesPerDay {
			minutes = append(minutes, minute)
		}
	}
	for shift := a.earliest(); shift <= a.latest(); shift++ {
		rules, always := a.rulesOn(opening, date+day.Date(shift))
		midnight := shift * minutesPerDay
		if always {
			add(midnight - a.BeforeMinutes)
			add(midnight + minutesPerDay + a.AfterMinutes)
		}
		for i := range rules {
			add(midnight + int(rules[i].From) - a.BeforeMinutes)
			add(midnight + rules[i].end() + a.AfterMinutes)
		}
	}
	slices.Sort(minutes)
	return slices.Compact(minutes)
}
