package words

import (
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"golang.org/x/text/unicode/norm"
	"pgregory.net/rapid"
)

func TestWhatIsKeptIsWhatIsSeen(t *testing.T) {
	for typed, kept := range map[string]string{
		"  Ana \t Reyes\n":         "Ana Reyes",
		"Ana":                      "Ana",
		"":                         "",
		" ":                        "",
		"\u200b":                   "", // zero width
		"\u200b\u2060\ufeff\u00ad": "",
		"\u3164\u2800":             "", // drawn as nothing
		"Ana \u202elanoitarepO":    "Ana lanoitarepO",
		"\u2066Ana\u2069":          "Ana",
		"Ana\u2028Reyes":           "Ana Reyes",
		"Zoe\u0308":                "Zoë",
		"\u0301Ana":                "Ana",
		"Ana \u0301Reyes":          "Ana Reyes",
		"A" + strings.Repeat("\u0323", 50) + "na": "Ạ\u0323\u0323\u0323na",
		"Nguyễn Thị Ánh":                          "Nguyễn Thị Ánh",
		"علی\u200cرضا":                            "علی\u200cرضا", // without it, it reads otherwise
		"Ali\u200creza":                           "Alireza",
		"क्\u200dष":                               "क्\u200dष",
		"李\ue000明":                                "李明",
		"A\U000e0041na":                           "Ana",
		"O’Neill-Ødegård":                         "O’Neill-Ødegård",
	} {
		assert.Equal(t, kept, Tidy(typed), "%q", typed)
	}
	assert.Equal(t, "First  line\n\nSecond", TidyLines("\n First  line\r\n\r\nSecond\u202e \n"))
}

// Whatever is typed, what is kept is kept as it is from then on, and holds nothing that nobody sees.
func TestTidyingTwiceIsTidyingOnce(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		odd := rapid.RuneFrom([]rune("aé \u200b\u200d\u202e\u0301\u3164ع"))
		typed := rapid.StringOf(rapid.OneOf(rapid.Rune(), odd)).Draw(t, "typed")
		for _, kept := range []string{Tidy(typed), TidyLines(typed)} {
			assert.True(t, norm.NFC.IsNormalString(kept))
			for _, r := range kept {
				assert.False(t, unicode.Is(unicode.Bidi_Control, r), "%q", r)
				assert.False(t, unicode.Is(unicode.Cf, r) && r != '\u200c' && r != '\u200d', "%q", r)
			}
		}
		assert.Equal(t, Tidy(typed), Tidy(Tidy(typed)))
		assert.Equal(t, TidyLines(typed), TidyLines(TidyLines(typed)))
		assert.NotContains(t, Tidy(typed), "\n")
		assert.NotContains(t, Tidy(typed), "  ")
	})
}
