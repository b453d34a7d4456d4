package hours

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/day"
)

// Covers agrees with a walk minute by minute over the weeks that matter.
func TestCoversAgreesWithAWalkMinuteByMinute(t *testing.T) {
	first := day.Of(time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC))
	rule := rapid.Custom(func(t *rapid.T) Rule {
		return Rule{Days: Days(rapid.IntRange(1, 127).Draw(t, "days")),
			From:  Minute(60 * rapid.IntRange(0, 23).Draw(t, "from")),
			Until: Minute(60 * rapid.IntRange(0, 24).Draw(t, "until"))}
	})
	times := rapid.Custom(func(t *rapid.T) Times {
		drawn := Times{Access: &Access{Kind: rapid.SampledFrom([]Kind{Inherit, ByPlace, Weekly, Weekly, Always}).Draw(t,
			"kind")}, While: rapid.SampledFrom([]While{Ever, Ever, PlaceOpen, PlaceClosed}).Draw(t, "while")}
		if drawn.Access.Kind == Weekly {
			drawn.Access.Rules = rapid.SliceOfN(rule, 1, 2).Draw(t, "weekly")
		}
		if drawn.Access.Kind == ByPlace {
			drawn.Access.BeforeMinutes, drawn.Access.AfterMinutes = 60*rapid.IntRange(0, 3).Draw(t, "before"),
				60*rapid.IntRange(0, 3).Draw(t, "after")
		}
		if rapid.IntRange(0, 3).Draw(t, "opening") > 0 {
			drawn.Opening = &Opening{Rules: rapid.SliceOfN(rule, 0, 2).Draw(t, "rules")}
			if rapid.Bool().Draw(t, "dated") {
				from := first + day.Date(rapid.IntRange(-3, 20).Draw(t, "dated from"))
				drawn.Opening.Dated = []Dated{{Name: "d", From: from,
					Until: from + day.Date(rapid.IntRange(0, 12).Draw(t, "long")),
					Rules: rapid.SliceOfN(rule, 0, 1).Draw(t, "dated rules")}}
			}
		}
		return drawn
	})
	seen := map[bool]int{}
	rapid.Check(t, func(t *rapid.T) {
		a, b := rapid.SliceOfN(times, 1, 2).Draw(t, "a"), rapid.SliceOfN(times, 1, 2).Draw(t, "b")
		if rapid.Bool().Draw(t, "some of it the same") {
			a = append(a, b[0])
		}
		within := rapid.SliceOfN(times, 0, 1).Draw(t, "within")
		walked := true
		for minute := int64(first) * 1440; minute < int64(first+50)*1440 && walked; minute += 30 {
			walked = !open(b, minute*60) || open(a, minute*60) || len(within) > 0 && !open(within, minute*60)
		}
		seen[walked]++
		assert.Equal(t, walked, CoversWithin(a, b, within, first))
	})
	assert.Positive(t, seen[true])
	assert.Positive(t, seen[false])
}
