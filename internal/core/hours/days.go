package hours

import (
	"fmt"
	"strings"
	"time"
)

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
