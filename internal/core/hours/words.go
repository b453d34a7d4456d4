package hours

import (
	"fmt"
	"strings"

	"loyallatch.example/latch/internal/core/day"
)

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
