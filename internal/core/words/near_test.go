package words

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWhatIsMeantIsTheNearest(t *testing.T) {
	codes := []string{"HB", "HB-PACK", "HB-PACK-1", "packer", "picker"}
	for typed, want := range map[string]string{"HB-PAK": "HB-PACK", "paker": "packer", "Packer ": "packer",
		"hb-pack-2": "HB-PACK-1"} {
		near, found := Nearest(typed, codes)
		assert.True(t, found, typed)
		assert.Equal(t, want, near, typed)
	}
	for _, typed := range []string{"", "SM-COLD", "driver", "x"} {
		_, found := Nearest(typed, codes)
		assert.False(t, found, typed)
	}
}

// The values are those of Winkler's paper.
func TestLikenessIsThatOfJaroAndWinkler(t *testing.T) {
	for pair, want := range map[[2]string]float64{{"MARTHA", "MARHTA"}: 0.961, {"DIXON", "DICKSONX"}: 0.813,
		{"DWAYNE", "DUANE"}: 0.84, {"abc", "xyz"}: 0, {"", "abc"}: 0, {"Zoë", "zoe"}: 1} {
		assert.InDelta(t, want, Likeness(pair[0], pair[1]), 0.001, "%v", pair)
		assert.InDelta(t, want, Likeness(pair[1], pair[0]), 0.001, "%v", pair)
	}
}
