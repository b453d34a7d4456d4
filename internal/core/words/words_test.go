package words

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestFindingForgivesALetter(t *testing.T) {
	text := "Clear a jam. Takes a jam out of a stopped line. line.jam"
	for _, typed := range []string{"clear jam", "JAM", "claer", "stoped", "takes out", "line.jam", "cle", "",
		"  jam  "} {
		assert.True(t, Fits(text, typed), typed)
	}
	for _, typed := range []string{"jem", "forklift", "clear forklift", "zzz"} {
		assert.False(t, Fits(text, typed), typed)
	}
	assert.True(t, Fits("Gefährliche Güter", "gefahrlich guter"), "marks are no matter")
	assert.True(t, Fits("Open the laboratory", "labrotory"), "two letters in a long word")
}

func TestWhateverStandsInATextIsFound(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		words := rapid.SliceOfN(rapid.StringMatching(`[a-z]{1,12}`), 1, 6).Draw(t, "words")
		typed := rapid.Permutation(words).Draw(t, "typed")
		assert.True(t, Fits(strings.Join(words, " "), strings.Join(typed, " ")))
		// One letter left out of a word of five or more is forgiven.
		for _, word := range words {
			if at := rapid.IntRange(0, len(word)-1).Draw(t, "at"); len(word) >= 5 {
				assert.True(t, Fits(strings.Join(words, " "), word[:at]+word[at+1:]), word)
			}
		}
	})
}

func TestNamesOfWorkHaveTheirPlurals(t *testing.T) {
	for one, many := range map[string]string{"Packer": "Packers", "Deputy": "Deputies", "Foreman": "Foremen",
		"Kitchen staff": "Kitchen staff", "Cashier at boxes": "Cashier at boxes",
		"Fox": "Foxes", "Bench": "Benches", "Day": "Days",
		"Quality technician (nights)": "Quality technicians (nights)", "Ö": "Ös", "": ""} {
		assert.Equal(t, many, Plural(one))
	}
}

func TestTextsAreTidied(t *testing.T) {
	assert.Equal(t, "a b c", Tidy(" a\t b\x00\nc "))
	assert.Equal(t, "1 person", Count(1, "person", "people"))
	assert.Equal(t, "0 people", Count(0, "person", "people"))
	assert.Equal(t, "a, b and c", List([]string{"a", "b", "c"}))
	assert.Equal(t, "", List(nil))
	assert.Equal(t, "clear a jam", LowerFirst("Clear a jam"))
	assert.Equal(t, "PIN", LowerFirst("PIN"))
	assert.Equal(t, "öffnet Türen", LowerFirst("Öffnet Türen"), "letters, not bytes")
	assert.Equal(t, "Öffnet Türen", Sentence("öffnet Türen")[:len("Öffnet Türen")])
}
