// Package calendar reads and writes opening hours as iCalendar (RFC 5545).
//
// # What an event means
//
// An event of whole days is a closure: a holiday, on each day on which it recurs. An event with times is when a place
// is open: one that recurs every week without an end is a weekly rule, any other opens the days on which it falls, in
// place
// of the weekly rules. A season, which is what dated hours with rules are, is an event of whole days with the category
// SEASON, and the events of its rules name it by RELATED-TO.
//
// # Bounds
//
// What recurs without an end is written down from the first day asked for until the last. A file is at most as large as
// MostBytes, with MostEvents events; a recurrence more often than daily, and a time zone that nobody knows, are
// refused.
package calendar

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/teambition/rrule-go"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/hours"
)

// Bounds on a file.
const (
	MostBytes  = 1 << 20
	MostEvents = 2000

	mostDays = 400             // on which something falls that is dated
	mostTime = 2 * time.Second // that the days of all rules take to find
)

// errSlow says that the days on which events fall take too long to find.
var errSlow = errors.New("the days on which it falls take too long to find, as they do of rules that never fall on " +
	"any; " +
	"write the days down, or leave such events out")

const season = "SEASON"

var weekdays = map[time.Weekday]string{time.Monday: "MO", time.Tuesday: "TU", time.Wednesday: "WE", time.Thursday: "TH",
	time.Friday: "FR", time.Saturday: "SA", time.Sunday: "SU"}

// Write writes opening hours of a place in a time zone. uid names the place in the events' identifiers.
func Write(w io.Writer, uid, name, zone string, opening *hours.Opening, at time.Time) error {
	cal := ics.NewCalendarFor("-//Loyal Latch//Opening hours//EN")
	cal.SetName(name)
	cal.SetXWRTimezone(zone)
	if opening == nil {
		opening = &hours.Opening{}
	}
	first := day.Of(at)
	for i, rule := range opening.Rules {
		writeRule(cal, fmt.Sprintf("%s-weekly-%d", uid, i+1), "Open", zone, rule, first, 0, at)
	}
	for i, dated := range opening.Dated {
		id := fmt.Sprintf("%s-dated-%d", uid, i+1)
		event := cal.AddEvent(id)
		event.SetDtStampTime(at.UTC())
		event.SetSummary(cmp.Or(dated.Name, "Closed"))
		event.SetProperty(ics.ComponentPropertyDtStart, compact(dated.From), ics.WithValue("DATE"))
		event.SetProperty(ics.ComponentPropertyDtEnd, compact(dated.Until+1), ics.WithValue("DATE"))
		if len(dated.Rules) == 0 {
			continue
		}
		event.AddCategory(season)
		for j, rule := range dated.Rules {
			inside := writeRule(cal, fmt.Sprintf("%s-%d", id, j+1), cmp.Or(dated.Name, "Open"), zone, rule, dated.From,
				dated.Until, at)
			inside.SetProperty(ics.ComponentPropertyRelatedTo, id)
		}
	}
	return cal.SerializeTo(w, ics.WithNewLineWindows)
}

func compact(date day.Date) string { return strings.ReplaceAll(date.String(), "-", "") }

func writeRule(
	cal *ics.Calendar,
	uid, summary, zone string,
	rule hours.Rule,
	from, until day.Date,
	at time.Time,
) *ics.VEvent {
	for !rule.Days.Has(from.Weekday()) {
		from++
	}
	ends := from
	if rule.Until <= rule.From || rule.Until == 1440 {
		ends++
	}
	event := cal.AddEvent(uid)
	event.SetDtStampTime(at.UTC())
	event.SetSummary(summary)
	event.SetProperty(ics.ComponentPropertyDtStart, compact(from)+clock(rule.From), ics.WithTZID(zone))
	event.SetProperty(ics.ComponentPropertyDtEnd, compact(ends)+clock(rule.Until%1440), ics.WithTZID(zone))
	var days []string
	for _, weekday := range []time.Weekday{1, 2, 3, 4, 5, 6, 0} {
		if rule.Days.Has(weekday) {
			days = append(days, weekdays[weekday])
		}
	}
	recurs := "FREQ=WEEKLY;BYDAY=" + strings.Join(days, ",")
	if until != 0 {
		recurs += ";UNTIL=" + compact(until) + "T235959Z"
	}
	event.AddRrule(recurs)
	return event
}

func clock(m hours.Minute) string { return fmt.Sprintf("T%02d%02d00", m/60, m%60) }

// occurrence is an event as it is read.
type occurrence struct {
	uid, name, related string
	allDay, isSeason   bool
	start              time.Time
	clock              time.Time // what the begin says in writing, be it a moment that a change of the clocks left out
	length             time.Duration
	rule               *rrule.ROption
	except             map[int64]bool
	more               []time.Time
	instead            *time.Time // of the one that it stands in for
}

// Read reads opening hours for a place in a time zone, from a day until another, both included.
func Read(ctx context.Context, r io.Reader, zone *time.Location, from, until day.Date) (*hours.Opening, error) {
	text, err := io.ReadAll(io.LimitReader(r, MostBytes+1))
	if err != nil {
		return nil, err
	}
	if len(text) > MostBytes {
		return nil, fmt.Errorf("a calendar file is at most %d KiB", MostBytes>>10)
	}
	cal, err := ics.ParseCalendar(strings.NewReader(string(text)))
	if err != nil {
		return nil, fmt.Errorf("this is no iCalendar file: %w", err)
	}
	events := cal.Events()
	if len(events) > MostEvents {
		return nil, fmt.Errorf("a calendar has at most %d events; this one has %d", MostEvents, len(events))
	}
	ctx, cancel := context.WithTimeout(ctx, mostTime)
	defer cancel()
	read := &reading{
		ctx:     ctx,
		zone:    zone,
		from:    from,
		until:   until,
		closed:  map[day.Date]string{},
		open:    map[day.Date][]hours.Rule{},
		seasons: map[string]*hours.Dated{},
		names:   map[day.Date]string{},
	}
	var list []*occurrence
	for _, event := range events {
		one, err := read.event(event)
		if err != nil {
			return nil, fmt.Errorf("the event “%s”: %w", one.name, err)
		}
		list = append(list, one)
	}
	for _, one := range list { // what stands in for an occurrence takes its place
		if one.instead != nil {
			for _, other := range list {
				if other.uid == one.uid && other.instead == nil {
					other.except[one.instead.Unix()] = true
				}
			}
		}
	}
	slices.SortStableFunc(list, func(a, b *occurrence) int { // seasons before what is in them
		return cmp.Compare(map[bool]int{true: 0, false: 1}[a.isSeason], map[bool]int{true: 0, false: 1}[b.isSeason])
	})
	for _, one := range list {
		if err := read.take(one); err != nil {
			return nil, fmt.Errorf("the event “%s”: %w", one.name, err)
		}
	}
	return read.opening()
}

// reading gathers what the events say.
type reading struct {
	ctx         context.Context // that ends when it takes too long
	zone        *time.Location
	from, until day.Date
	weekly      []hours.Rule
	closed      map[day.Date]string
	open        map[day.Date][]hours.Rule
	names       map[day.Date]string
	skipped     []skip // weekly rules that do not hold on a day
	seasons     map[string]*hours.Dated
	order       []string
}

type skip struct {
	date day.Date
	rule int
}

func value(event *ics.VEvent, name ics.ComponentProperty) (string, map[string][]string) {
	if p := event.GetProperty(name); p != nil {
		return p.Value, p.ICalParameters
	}
	return "", nil
}

func (r *reading) event(event *ics.VEvent) (*occurrence, error) {
	one := &occurrence{uid: event.Id(), except: map[int64]bool{}}
	summary, _ := value(event, ics.ComponentPropertySummary)
	one.name = ics.FromText(summary)
	if len([]rune(one.name)) > 120 {
		one.name = string([]rune(one.name)[:120])
	}
	one.related, _ = value(event, ics.ComponentPropertyRelatedTo)
	categories, _ := value(event, ics.ComponentPropertyCategories)
	one.isSeason = categories == season
	text, parameters := value(event, ics.ComponentPropertyDtStart)
	if text == "" {
		return one, errors.New("it has no begin")
	}
	var err error
	if one.start, one.allDay, err = r.moment(text, parameters); err != nil {
		return one, err
	}
	one.clock = written(text)
	if one.length, err = r.length(event, one); err != nil {
		return one, err
	}
	if text, _ := value(event, ics.ComponentPropertyRrule); text != "" {
		if one.rule, err = rrule.StrToROptionInLocation(text, r.zone); err != nil {
			return one, fmt.Errorf("its recurrence %q cannot be read: %w", text, err)
		}
		if one.rule.Freq > rrule.DAILY {
			return one, errors.New("it recurs more often than daily, which opening hours do not")
		}
		one.rule.Dtstart = one.start
	}
	for name, add := range map[ics.ComponentProperty]func(time.Time){
		ics.ComponentPropertyExdate: func(t time.Time) { one.except[t.Unix()] = true },
		ics.ComponentPropertyRdate:  func(t time.Time) { one.more = append(one.more, t) }} {
		for _, p := range event.GetProperties(name) {
			for part := range strings.SplitSeq(p.Value, ",") {
				at, _, err := r.moment(part, p.ICalParameters)
				if err != nil {
					return one, err
				}
				add(at)
			}
		}
	}
	if text, parameters := value(event, ics.ComponentPropertyRecurrenceId); text != "" {
		at, _, err := r.moment(text, parameters)
		if err != nil {
			return one, err
		}
		one.instead = &at
	}
	return one, nil
}

// length is how long an event lasts by the clock: doors open and close by it, also where the first of many stretches
// passes a change of the clocks and lasts an hour more or less than the others.
func (r *reading) length(event *ics.VEvent, one *occurrence) (time.Duration, error) {
	if text, parameters := value(event, ics.ComponentPropertyDtEnd); text != "" {
		end, allDay, err := r.moment(text, parameters)
		switch {
		case err != nil:
			return 0, err
		case allDay != one.allDay:
			return 0, errors.New("it begins with a date and ends with a time, or the other way round")
		case !end.After(one.start):
			return 0, errors.New("it ends before it begins")
		}
		length := written(text).Sub(one.clock)
		if length > 0 && end.Location().String() == one.start.Location().String() {
			return length, nil
		}
		return end.Sub(one.start), nil
	}
	if text, _ := value(event, ics.ComponentPropertyDuration); text != "" {
		return duration(text)
	}
	if one.allDay {
		return 24 * time.Hour, nil
	}
	return 0, errors.New("it has times, and no end")
}

// written is what a clock shows by the text of a moment, as if no clock ever changed. The text has been read before.
func written(text string) time.Time {
	at, _ := time.Parse("20060102T150405", strings.TrimSuffix(text, "Z"))
	if len(text) == len("20060102") {
		at, _ = time.Parse("20060102", text)
	}
	return at
}

// duration reads a DURATION of RFC 5545, of weeks, days, hours, minutes and seconds.
func duration(text string) (length time.Duration, err error) {
	rest, ok := strings.CutPrefix(strings.TrimPrefix(text, "+"), "P")
	units := map[byte]time.Duration{'W': 168 * time.Hour, 'D': 24 * time.Hour, 'H': time.Hour, 'M': time.Minute,
		'S': time.Second}
	number := 0
	for i := 0; ok && i < len(rest); i++ {
		switch c := rest[i]; {
		case c >= '0' && c <= '9' && number < 1e6:
			number = number*10 + int(c-'0')
		case c == 'T':
		case units[c] != 0:
			length += time.Duration(number) * units[c]
			number = 0
		default:
			ok = false
		}
	}
	if !ok || length <= 0 || length > 366*24*time.Hour {
		return 0, fmt.Errorf("%q is no length of time that hours can have", text)
	}
	return length, nil
}

// moment reads a date, or a time in its zone: of the place where none is stated, Universal Time where it ends in Z.
func (r *reading) moment(text string, parameters map[string][]string) (at time.Time, allDay bool, err error) {
	zone := r.zone
	if named := parameters["TZID"]; len(named) > 0 {
		name := strings.TrimPrefix(strings.Trim(named[0], `"`), "/")
		if zone, err = time.LoadLocation(name); err != nil || name == "" || name == "Local" {
			return at, false, fmt.Errorf("nobody knows the time zone %q; use a name such as Europe/Dublin", name)
		}
	}
	switch {
	case len(text) == len("20260102"):
		at, err = time.ParseInLocation("20060102", text, time.UTC)
		allDay = true
	case strings.HasSuffix(text, "Z"):
		at, err = time.ParseInLocation("20060102T150405Z", text, time.UTC)
	default:
		at, err = time.ParseInLocation("20060102T150405", text, zone)
	}
	if err != nil || at.Year() < day.FirstYear || at.Year() > day.LastYear {
		return at, allDay, fmt.Errorf("%q is neither a date nor a time", text)
	}
	return at, allDay, nil
}

// take puts what an event says where it belongs.
func (r *reading) take(one *occurrence) error {
	switch {
	case one.isSeason && one.allDay && one.rule == nil:
		first := day.Of(one.start)
		r.seasons[one.uid] = &hours.Dated{
			Name:  one.name,
			From:  first,
			Until: first + day.Date(one.length/(24*time.Hour)) - 1,
		}
		r.order = append(r.order, one.uid)
		return nil
	case !one.allDay && r.seasons[one.related] != nil && one.rule != nil && one.rule.Freq == rrule.WEEKLY:
		rule, err := r.weeklyRule(one)
		if err == nil {
			r.seasons[one.related].Rules = append(r.seasons[one.related].Rules, rule)
		}
		return err
	case !one.allDay && r.recursWeekly(one):
		rule, err := r.weeklyRule(one)
		if err != nil {
			return err
		}
		r.weekly = append(r.weekly, rule)
		for at := range one.except {
			r.skipped = append(r.skipped, skip{day.Of(time.Unix(at, 0).In(r.zone)), len(r.weekly) - 1})
		}
		for _, at := range one.more {
			if err := r.opens(one, at); err != nil {
				return err
			}
		}
		return nil
	}
	return r.dated(one)
}

// recursWeekly reports whether an event with times is a weekly rule: each week, without an end.
func (r *reading) recursWeekly(one *occurrence) bool {
	rule := one.rule
	return rule != nil && rule.Count == 0 && rule.Until.IsZero() && max(rule.Interval, 1) == 1 &&
		(rule.Freq == rrule.WEEKLY || rule.Freq == rrule.DAILY) && len(rule.Bymonth)+len(rule.Bymonthday)+
		len(rule.Byyearday)+len(rule.Byweekno)+len(rule.Bysetpos)+len(rule.Byhour)+len(rule.Byminute)+
		len(rule.Bysecond)+len(rule.Byeaster) == 0
}

func (r *reading) weeklyRule(one *occurrence) (hours.Rule, error) {
	if one.start.Location().String() != r.zone.String() {
		return hours.Rule{}, fmt.Errorf("it recurs by the clocks of %s, and the place follows those of %s",
			one.start.Location(), r.zone)
	}
	rule, err := ruleOf(one.clock, one.length)
	if err != nil {
		return rule, err
	}
	switch {
	case len(one.rule.Byweekday) > 0:
		rule.Days = 0
		for _, weekday := range one.rule.Byweekday {
			rule.Days |= 1 << ((weekday.Day() + 1) % 7)
		}
	case one.rule.Freq == rrule.DAILY:
		rule.Days = hours.EveryDay
	}
	return rule, nil
}

// ruleOf is the rule of one stretch: on the weekday on which it begins.
func ruleOf(start time.Time, length time.Duration) (hours.Rule, error) {
	if start.Second() != 0 || length%time.Minute != 0 {
		return hours.Rule{}, errors.New("opening hours are in whole minutes")
	}
	if length > 24*time.Hour {
		return hours.Rule{}, errors.New("it lasts for more than a day; opening hours pass midnight once")
	}
	from := start.Hour()*60 + start.Minute()
	until := (from + int(length/time.Minute)) % 1440
	if until == 0 && from+int(length/time.Minute) == 1440 {
		until = 1440
	}
	return hours.Rule{Days: 1 << start.Weekday(), From: hours.Minute(from), Until: hours.Minute(until)}, nil
}

// dated writes down the days on which an event falls.
func (r *reading) dated(one *occurrence) error {
	first, last := r.from.Start(r.zone).AddDate(0, 0, -1), (r.until+1).Start(r.zone).AddDate(0, 0, 1)
	times := []time.Time{one.start}
	if r.ctx.Err() != nil { // a rule that never occurs takes long to say so
		return errSlow
	}
	if one.rule != nil {
		rule, err := rrule.NewRRule(*one.rule)
		if err != nil {
			return fmt.Errorf("its recurrence cannot be read: %w", err)
		}
		times = nil
		next, step := rule.Iterator(), 0
		for at, more := next(); more && at.Before(last); at, more = next() {
			if step++; step%1000 == 0 && r.ctx.Err() != nil {
				return errSlow
			}
			if at.Add(one.length).Before(first) {
				continue
			}
			if times = append(times, at); len(times) > mostDays {
				return fmt.Errorf("it falls on more than %d days", mostDays)
			}
		}
	}
	for _, at := range append(times, one.more...) {
		if one.except[at.Unix()] {
			continue
		}
		if !one.allDay {
			if err := r.opens(one, at); err != nil {
				return err
			}
			continue
		}
		begins := day.Of(at)
		for date := begins; date < begins+day.Date(one.length/(24*time.Hour)); date++ {
			if date >= r.from && date <= r.until {
				r.closed[date] = one.name
			}
			if len(r.closed) > mostDays {
				return fmt.Errorf("closures fall on more than %d days", mostDays)
			}
		}
	}
	return nil
}

// opens opens a day for a stretch.
func (r *reading) opens(one *occurrence, at time.Time) error {
	local := at.In(r.zone)
	date := day.Of(local)
	if date < r.from || date > r.until {
		return nil
	}
	rule, err := ruleOf(local, one.length)
	if err != nil {
		return err
	}
	if r.open[date] = append(r.open[date], rule); len(r.open) > mostDays {
		return fmt.Errorf("hours of their own fall on more than %d days", mostDays)
	}
	r.names[date] = one.name
	return nil
}

// opening puts together what was gathered. A day on which a weekly rule is left out keeps the others.
func (r *reading) opening() (*hours.Opening, error) {
	o := &hours.Opening{Rules: r.weekly}
	for _, uid := range r.order {
		o.Dated = append(o.Dated, *r.seasons[uid])
	}
	left := map[day.Date][]int{}
	for _, s := range r.skipped {
		if s.date >= r.from && s.date <= r.until {
			left[s.date] = append(left[s.date], s.rule)
		}
	}
	for date, without := range left {
		if _, isOpen := r.open[date]; isOpen || r.closed[date] != "" {
			continue
		}
		var kept []hours.Rule
		for i, rule := range r.weekly {
			if rule.Days.Has(date.Weekday()) && !slices.Contains(without, i) {
				rule.Days = 1 << date.Weekday()
				kept = append(kept, rule)
			}
		}
		if r.names[date] = "Other hours"; len(kept) == 0 {
			r.closed[date] = "Closed"
			continue
		}
		r.open[date] = kept
	}
	for _, date := range slices.Sorted(maps.Keys(r.open)) {
		o.Dated = append(o.Dated, hours.Dated{Name: r.names[date], From: date, Until: date, Rules: r.open[date]})
	}
	for _, date := range slices.Sorted(maps.Keys(r.closed)) {
		name := r.closed[date]
		if n := len(o.Dated); n > 0 && o.Dated[n-1].Until == date-1 && o.Dated[n-1].Name == name &&
			len(o.Dated[n-1].Rules) == 0 {
			o.Dated[n-1].Until = date
			continue
		}
		o.Dated = append(o.Dated, hours.Dated{Name: name, From: date, Until: date, Rules: []hours.Rule{}})
	}
	return o, o.Check()
}
