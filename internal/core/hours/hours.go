// Package hours answers whether something is open at an instant and when that next changes.
//
// All rules are in the wall-clock time of the site, so they hold through clock changes: a time that a site's clocks
// show twice is open both times, and one that they skip never comes. An instant is given in Unix seconds; a stretch of
// time holds its first instant and not its last, so 05:30 to 14:15 is closed at 14:15.
//
// Nothing in this package keeps a state: values may be read by any number of goroutines at once, and are never changed
// by a method that has no "Unmarshal" in its name.
package hours

import (
	"fmt"
	"unicode/utf8"

	"loyallatch.example/latch/internal/core/day"
)

const minutesPerDay = 24 * 60

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
			return fmt.Errorf("the dated hours %q need a first and a last day, the last not before the first",
				dated.Name)
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

// Kind says which sort of access hours these are.
type Kind string

// The kinds of access hours. Inherit stands for "not stated here": an assignment's are those of the person, else those
// of the template, else the place's opening hours.
const (
	Inherit    Kind = ""
	Always     Kind = "always"
	ByPlace    Kind = "opening"
	Weekly     Kind = "weekly"
	BySchedule Kind = "schedule"
)

// Access is when an assignment, a person's record or a template lets somebody in.
type Access struct {
	Kind          Kind       `json:"kind,omitempty"`
	BeforeMinutes int        `json:"before_minutes,omitempty"` // opened earlier than the place by so many minutes
	AfterMinutes  int        `json:"after_minutes,omitempty"`  // closed later than the place by so many minutes
	Rules         []Rule     `json:"rules,omitempty"`
	Schedule      ScheduleID `json:"schedule,omitempty"` // whose hours they are
}

// Check says what is wrong with the access hours, if anything.
func (a *Access) Check() error {
	if a.Kind != Weekly && len(a.Rules) > 0 {
		return fmt.Errorf("only weekly hours have rules; say kind weekly, or leave the rules out")
	}
	if a.Kind != ByPlace && (a.BeforeMinutes != 0 || a.AfterMinutes != 0) {
		return fmt.Errorf("only hours of the kind opening begin earlier or end later than the place opens")
	}
	if a.Kind != BySchedule && a.Schedule != 0 {
		return fmt.Errorf("only hours of the kind schedule name one")
	}
	switch a.Kind {
	case Inherit, Always:
	case BySchedule:
		if a.Schedule == 0 {
			return fmt.Errorf("say which schedule they are the hours of")
		}
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
		return fmt.Errorf("%q is not a kind of access hours; use always, opening, weekly or schedule", a.Kind)
	}
	return nil
}
