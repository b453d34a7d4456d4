// Package hours answers whether something is open at an instant and when that next changes.
// All rules are in the wall-clock time of the site, so they hold through clock changes.
package hours

import (
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"loyallatch.example/latch/internal/core/day"
)

const minutesPerDay = 24 * 60

// Days is a set of weekdays, bit n for time.Weekday n (Sunday is 0).
type Days uint8

// EveryDay holds all seven weekdays.
const EveryDay Days = 0x7f

var dayNames = [7]string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

// weekOrder is Monday to Sunday, the order people say the days of a week in (ISO 8601).
var weekOrder = [7]time.Weekday{1, 2, 3, 4, 5, 6, 0}

// Has reports whether the weekday is in the set.
func (d Days) Has(weekday time.Weekday) bool { return d&(1<<weekday) != 0 }

// MarshalText writes the set as comma-separated names: "mon,tue".
func (d Days) MarshalText() ([]byte, error) {
	var names []string
	for _, weekday := range weekOrder {
		if d.Has(weekday) {
			names = append(names, dayNames[weekday])
		}
	}
	return []byte(strings.Join(names, ",")), nil
}

// UnmarshalText reads names and ranges: "mon-fri,sun".
func (d *Days) UnmarshalText(text []byte) error {
	var set Days
	for part := range strings.SplitSeq(strings.ToLower(string(text)), ",") {
		first, last, isRange := strings.Cut(strings.TrimSpace(part), "-")
		from, err := dayNumber(first)
		if err != nil {
			return err
		}
		until := from
		if isRange {
			if until, err = dayNumber(last); err != nil {
				return err
			}
		}
		for weekday := from; ; weekday = (weekday + 1) % 7 {
			set |= 1 << weekday
			if weekday == until {
				break
			}
		}
	}
	*d = set
	return nil
}

func dayNumber(name string) (time.Weekday, error) {
	for i, known := range dayNames {
		if known == name {
			return time.Weekday(i), nil
		}
	}
	return 0, fmt.Errorf("%q is not a day; use mon, tue, wed, thu, fri, sat or sun", name)
}

// Words returns the set as a person says it: "Mon–Sat", "daily".
func (d Days) Words() string {
	if d == EveryDay {
		return "daily"
	}
	var parts []string
	title := func(weekday time.Weekday) string {
		return strings.ToUpper(dayNames[weekday][:1]) + dayNames[weekday][1:]
	}
	for i := 0; i < 7; i++ {
		if !d.Has(weekOrder[i]) {
			continue
		}
		first := i
		for i+1 < 7 && d.Has(weekOrder[i+1]) {
			i++
		}
		switch i - first {
		case 0:
			parts = append(parts, title(weekOrder[first]))
		case 1:
			parts = append(parts, title(weekOrder[first]), title(weekOrder[i]))
		default:
			parts = append(parts, title(weekOrder[first])+"–"+title(weekOrder[i]))
		}
	}
	return strings.Join(parts, ", ")
}

// Minute is a time of day in minutes after midnight, 0 to 1440.
type Minute uint16

// MarshalText writes HH:MM.
func (m Minute) MarshalText() ([]byte, error) { return []byte(m.String()), nil }

// String returns HH:MM.
func (m Minute) String() string { return fmt.Sprintf("%02d:%02d", m/60, m%60) }

// UnmarshalText reads HH:MM, up to 24:00.
func (m *Minute) UnmarshalText(text []byte) error {
	var hour, minute int
	if n, err := fmt.Sscanf(string(text), "%d:%d", &hour, &minute); err != nil || n != 2 || len(text) != 5 ||
		hour < 0 || minute < 0 || minute > 59 || hour*60+minute > minutesPerDay {
		return fmt.Errorf("%q is not a time of day; write it as 05:30", text)
	}
	*m = Minute(hour*60 + minute)
	return nil
}

// Rule is one weekly stretch: on Days from From to Until. An Until at or before From passes midnight.
type Rule struct {
	Days  Days   `json:"days"`
	From  Minute `json:"from"`
	Until Minute `json:"until"`
}

func (r Rule) end() int {
	if r.Until <= r.From {
		return int(r.Until) + minutesPerDay
	}
	return int(r.Until)
}

// Dated replaces the weekly rules between two dates, both included: a holiday (no rules) or a season.
type Dated struct {
	Name  string   `json:"name"`
	From  day.Date `json:"from"`
	Until day.Date `json:"until"`
	Rules []Rule   `json:"rules"`
}

// Opening is when a place is open. With neither rules nor dated exceptions it never closes.
type Opening struct {
	Rules []Rule  `json:"rules,omitempty"`
	Dated []Dated `json:"dated,omitempty"`
}

// Bounds on how much hours may say.
const (
	mostRules = 60
	mostDated = 400
	longest   = 120 // characters of a name
)

// checkRules says what is wrong with weekly rules, if anything.
func checkRules(rules []Rule) error {
	if len(rules) > mostRules {
		return fmt.Errorf("hours have at most %d rules", mostRules)
	}
	for _, rule := range rules {
		switch {
		case rule.Days == 0 || rule.Days > EveryDay:
			return fmt.Errorf("a weekly rule needs at least one day, such as mon-fri")
		case rule.From >= minutesPerDay || rule.Until > minutesPerDay:
			return fmt.Errorf("a rule begins between 00:00 and 23:59 and ends by 24:00")
		}
	}
	return nil
}

// Check says what is wrong with the opening hours, if anything.
func (o *Opening) Check() error {
	if err := checkRules(o.Rules); err != nil {
		return err
	}
	if len(o.Dated) > mostDated {
		return fmt.Errorf("opening hours have at most %d dated exceptions", mostDated)
	}
	for _, dated := range o.Dated {
		if dated.From.IsZero() || dated.Until < dated.From {
			return fmt.Errorf("the dated hours %q need a first and a last day, the last not before the first", dated.Name)
		}
		if utf8.RuneCountInString(dated.Name) > longest {
			return fmt.Errorf("the name of dated hours has at most %d characters", longest)
		}
		if err := checkRules(dated.Rules); err != nil {
			return err
		}
	}
	return nil
}

func (o *Opening) on(date day.Date) (rules []Rule, always bool) {
	for i := range o.Dated {
		if o.Dated[i].From <= date && date <= o.Dated[i].Until {
			return o.Dated[i].Rules, false
		}
	}
	return o.Rules, len(o.Rules) == 0
}

// Kind says which sort of access hours these are.
type Kind string

// The kinds of access hours. Inherit stands for "not stated here": the template's, else the place's opening hours.
const (
	Inherit Kind = ""
	Always  Kind = "always"
	ByPlace Kind = "opening"
	Weekly  Kind = "weekly"
)

// Access is when an assignment or a template lets somebody in.
type Access struct {
	Kind          Kind   `json:"kind,omitempty"`
	BeforeMinutes int    `json:"before_minutes,omitempty"` // opened earlier than the place by so many minutes
	AfterMinutes  int    `json:"after_minutes,omitempty"`  // closed later than the place by so many minutes
	Rules         []Rule `json:"rules,omitempty"`
}

// Check says what is wrong with the access hours, if anything.
func (a *Access) Check() error {
	if a.Kind != Weekly && len(a.Rules) > 0 {
		return fmt.Errorf("only weekly hours have rules; say kind weekly, or leave the rules out")
	}
	if a.Kind != ByPlace && (a.BeforeMinutes != 0 || a.AfterMinutes != 0) {
		return fmt.Errorf("only hours of the kind opening begin earlier or end later than the place opens")
	}
	switch a.Kind {
	case Inherit, Always:
	case ByPlace:
		if a.BeforeMinutes < 0 || a.AfterMinutes < 0 || a.BeforeMinutes > 720 || a.AfterMinutes > 720 {
			return fmt.Errorf("hours may open earlier and close later by 0 to 720 minutes")
		}
	case Weekly:
		if len(a.Rules) == 0 {
			return fmt.Errorf("weekly hours need at least one rule, such as mon-fri 05:30 to 14:15")
		}
		return checkRules(a.Rules)
	default:
		return fmt.Errorf("%q is not a kind of access hours; use always, opening or weekly", a.Kind)
	}
	return nil
}

// Open reports whether the access hours, over a place's opening hours, are open at an instant.
// It does not allocate.
func (a *Access) Open(opening *Opening, location *time.Location, at int64) bool {
	if a.Kind == Always {
		return true
	}
	local := time.Unix(at, 0).In(location)
	hour, minute, _ := local.Clock()
	now, today := hour*60+minute, day.Of(local)
	for shift := -1; shift <= 1; shift++ {
		date := today + day.Date(shift)
		rules, always := a.rulesOn(opening, date)
		if always && shift == 0 {
			return true
		}
		weekday := date.Weekday()
		for i := range rules {
			if !rules[i].Days.Has(weekday) {
				continue
			}
			from := shift*minutesPerDay + int(rules[i].From) - a.BeforeMinutes
			until := shift*minutesPerDay + rules[i].end() + a.AfterMinutes
			if from <= now && now < until {
				return true
			}
		}
	}
	return false
}

func (a *Access) rulesOn(opening *Opening, date day.Date) (rules []Rule, always bool) {
	if a.Kind == Weekly {
		return a.Rules, false
	}
	if opening == nil {
		return nil, true
	}
	return opening.on(date)
}

// searchDays bounds how far ahead the next opening is looked for.
const searchDays = 60

// NextOpen returns the next instant from at on at which the hours are open; ok is false when there is none in 60 days.
func (a *Access) NextOpen(opening *Opening, location *time.Location, at int64) (next time.Time, ok bool) {
	if a.Open(opening, location, at) {
		return time.Unix(at, 0).In(location), true
	}
	local := time.Unix(at, 0).In(location)
	for shift := 0; shift <= searchDays; shift++ {
		date := day.Of(local) + day.Date(shift)
		rules, always := a.rulesOn(opening, date)
		if always {
			return date.Start(location), true
		}
		for i := range rules {
			if !rules[i].Days.Has(date.Weekday()) {
				continue
			}
			start := date.Start(location)
			from := a.onset(opening, time.Date(start.Year(), start.Month(), start.Day(), 0, int(rules[i].From)-a.BeforeMinutes, 0, 0, location))
			if from.Unix() > at && (!ok || from.Before(next)) {
				next, ok = from, true
			}
		}
		if ok {
			return next, true
		}
	}
	return time.Time{}, false
}

// onset puts a wall-clock beginning right on a day when clocks change. A time that comes twice begins with the first;
// one that is skipped begins when the clocks have gone forward, which is the first minute that is open.
func (a *Access) onset(opening *Opening, from time.Time) time.Time {
	for _, back := range []time.Duration{time.Hour, 30 * time.Minute} {
		if earlier := from.Add(-back); earlier.Hour() == from.Hour() && earlier.Minute() == from.Minute() {
			from = earlier
			break
		}
	}
	open := func(t time.Time) bool { return a.Open(opening, t.Location(), t.Unix()) }
	const longestChange = 180 // minutes
	for i := 0; i < longestChange && !open(from); i++ {
		from = from.Add(time.Minute)
	}
	for i := 0; i < longestChange && open(from.Add(-time.Minute)); i++ {
		from = from.Add(-time.Minute)
	}
	return from
}

// Words says the hours as a person would, on a date at a place: "Mon–Sat 05:30–18:15", "at all hours".
func (a *Access) Words(opening *Opening, date day.Date) string {
	rules, always := a.rulesOn(opening, date)
	if a.Kind == Always || always {
		return "at all hours"
	}
	if len(rules) == 0 {
		return "closed"
	}
	parts := make([]string, 0, len(rules))
	for _, rule := range rules {
		if rule.Days == EveryDay && rule.end()-int(rule.From) >= minutesPerDay {
			return "day and night"
		}
		from := (int(rule.From) - a.BeforeMinutes + minutesPerDay) % minutesPerDay
		until := (rule.end() + a.AfterMinutes) % minutesPerDay
		if until == 0 {
			until = minutesPerDay
		}
		parts = append(parts, fmt.Sprintf("%s %s–%s", rule.Days.Words(), Minute(from), Minute(until)))
	}
	return strings.Join(parts, ", ")
}
