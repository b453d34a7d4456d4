package hours

import "fmt"

// ScheduleID is the number of a schedule.
type ScheduleID uint32

// Schedule is a set of access hours with a name, which any number of templates, assignments and people have in common:
// who changes it changes the hours of all of them.
type Schedule struct {
	ID      ScheduleID `json:"id"`
	Code    string     `json:"code"` // short, unique: EARLY
	Name    string     `json:"name"` // "Early shift"
	Summary string     `json:"summary,omitempty"`
	Hours   Access     `json:"hours"` // states them itself: never Inherit, and never those of another schedule
	// Nothing new has these hours; what has them keeps them
	Retired  bool   `json:"retired,omitempty"`
	Revision uint64 `json:"-"`
}

// Check says what is wrong with the hours of a schedule, if anything.
func (s *Schedule) Check() error {
	if s.Hours.Kind == Inherit || s.Hours.Kind == BySchedule {
		return fmt.Errorf("a schedule states its hours itself; use always, opening or weekly")
	}
	return s.Hours.Check()
}

// never are the hours of a schedule that is not on record.
var never = &Access{Kind: Weekly}

// Resolve returns the hours that count: those of the schedule where they are a schedule's, else a itself. Where a
// schedule is not on record nothing is ever open. What is returned is not the caller's to change.
func (a *Access) Resolve(schedule func(ScheduleID) *Schedule) *Access {
	if a.Kind != BySchedule {
		return a
	}
	if found := schedule(a.Schedule); found != nil {
		return &found.Hours
	}
	return never
}
