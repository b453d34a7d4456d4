package qualification_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/qualification"
)

// Two versions of one notice, two notices, and a notice and a qualification never share a number.
func TestNoticesHaveNumbersOfTheirOwn(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		notice := rapid.Uint32Range(1, qualification.MostNotices).Draw(t, "notice")
		version := rapid.Uint32Range(1, qualification.MostVersions).Draw(t, "version")
		id := qualification.OfNotice(notice, version)
		read, ok := id.Notice()
		assert.True(t, ok)
		assert.Equal(t, notice, read)
		otherNotice := rapid.Uint32Range(1, qualification.MostNotices).Draw(t, "other notice")
		otherVersion := rapid.Uint32Range(1, qualification.MostVersions).Draw(t, "other version")
		assert.Equal(t, notice == otherNotice && version == otherVersion,
			id == qualification.OfNotice(otherNotice, otherVersion))
		_, ok = qualification.ID(rapid.Uint32Range(1, 1<<31-1).Draw(t, "qualification")).Notice()
		assert.False(t, ok)
	})
}

// What is left of requirements is in one list and not in the other, in its order.
func TestWithoutTakesAway(t *testing.T) {
	ids := rapid.SliceOfN(rapid.Map(rapid.Uint32Range(1, 6), func(n uint32) qualification.ID {
		return qualification.ID(n)
	}), 0, 6)
	rapid.Check(t, func(t *rapid.T) {
		required, others := ids.Draw(t, "required"), ids.Draw(t, "others")
		left := qualification.Without(required, others)
		for _, id := range left {
			assert.Contains(t, required, id)
			assert.NotContains(t, others, id)
		}
		for _, id := range required {
			has := false
			for _, other := range others {
				has = has || other == id
			}
			if !has {
				assert.Contains(t, left, id)
			}
		}
		assert.Empty(t, qualification.Without(required, required))
	})
}
