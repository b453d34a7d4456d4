package org

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/people"
)

func TestStaffNumbersAreMadeByAPattern(t *testing.T) {
	ana := &people.Staff{GivenName: "Ána María", FamilyName: "O’Reyes-Łoś"}
	for pattern, number := range map[string]string{
		"":                         "S00007",
		"Q{n:4}":                   "Q0007",
		"{given:1}{family:3}{n:2}": "AORE07",
		"{site}-{n}":               "HB-7",
		"{family}.{given}{n}":      "OREYESLOS.ANAMARIA7",
		"{site:1}{given:12}{n}":    "HANAMARIA7",
	} {
		settings := DefaultSettings()
		settings.NumberPattern = pattern
		field, err := settings.Check()
		require.NoError(t, err, "%s %s", pattern, field)
		assert.Equal(t, number, settings.NumberOf(ana, "HB", 7), pattern)
	}
	assert.Equal(t, "XX1", fill("{given:1}{family:1}{n}", &people.Staff{GivenName: "明", FamilyName: "李"}, "HB", 1),
		"a name without such letters has an X")
	for pattern, says := range map[string]string{"{given}": "one counter", "{n}{n}": "one counter",
		"Q{n:4}{x}": "holds letters",
		"{n}Q":      "begins with a letter", "Q {n}": "holds letters", "{given:0}{n}": "holds nothing",
		"{given}{family}{site}{n}": "at most 32 fit", "Q{n:99}": "at most 32 fit"} {
		settings := DefaultSettings()
		settings.NumberPattern = pattern
		field, err := settings.Check()
		assert.ErrorContains(t, err, says, pattern)
		assert.Equal(t, "number_pattern", field, pattern)
	}
}

// Whatever the pattern that is taken, and whatever the names, what comes out can be a staff number, and no two of one
// name are the same.
func TestEveryPatternMakesNumbers(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		pattern := rapid.StringMatching(`([A-Z-]{0,3}|\{given(:[0-9])?\}|\{family(:[0-9])?\}|\{site(:[0-9])?\}|\{n(:[0-9])?\}){1,4}`).Draw(t,
			"pattern")
		settings := DefaultSettings()
		if settings.NumberPattern = pattern; checkPattern(pattern) != nil {
			return
		}
		p := &people.Staff{GivenName: rapid.String().Draw(t, "given"), FamilyName: rapid.String().Draw(t, "family")}
		one, next := settings.NumberOf(p, "HB-1", 1), settings.NumberOf(p, "HB-1", 999_999_999)
		assert.True(t, IsCode(one) && IsCode(next), "%s: %s %s", pattern, one, next)
		assert.NotEqual(t, one, next)
	})
}
