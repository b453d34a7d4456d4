package hours

import (
	"fmt"
	"strings"

	"loyallatch.example/latch/internal/core/day"
)

// Stated says the hours as they are stated, whatever the place: "always", "opening hours, from 30 minutes before until
// 15 minutes after", "Mon–Fri 05:30–14:15". It is empty where nothing is stated. Of a schedule's the name is not said.
func (a *Access) Stated() string {
	switch a.Kind {
	case Inherit:
		return ""
	case Always:
		return "always"
	case ByPlace:
		text := "opening hours"
		if a.BeforeMinutes > 0 {
			text += fmt.Sprintf(", from %d minutes before", a.BeforeMinutes)
		}
		if a.AfterMinutes > 0 {
			text += map[bool]string{true: " ", false: ", "}[a.BeforeMinutes > 0] +
				fmt.Sprintf("until %d minutes after", a.AfterMinutes)
		}
		return text
	}
	return a.Words(nil, 0)
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
