package words

import (
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// mostMarks is how many marks a letter may carry. Written languages need up to three; more are drawn over the lines
// above and below (Unicode TR 39, section 5.4).
const mostMarks = 4

// Tidy returns a text as a line that is kept: composed (NFC), without surrounding or doubled space, and without what
// nobody sees or what turns the direction of the text after it (Unicode TR 36, section 3).
func Tidy(s string) string {
	if isTidy(s) {
		return s
	}
	var out strings.Builder
	gap := false
	seen(s, func(r rune) {
		if unicode.IsSpace(r) {
			gap = out.Len() > 0
			return
		}
		if gap {
			out.WriteByte(' ')
			gap = false
		}
		out.WriteRune(r)
	})
	return norm.NFC.String(out.String())
}

// TidyLines returns a text of several lines as it is kept: as Tidy does, with its lines and the space within them.
func TidyLines(s string) string {
	var out strings.Builder
	seen(strings.ReplaceAll(s, "\r\n", "\n"), func(r rune) { out.WriteRune(r) })
	return strings.TrimSpace(norm.NFC.String(out.String()))
}

// isTidy reports whether a text is of printed ASCII with single spaces, as most are.
func isTidy(s string) bool {
	space := true // before the first letter
	for i := range len(s) {
		if c := s[i]; c < ' ' || c > '~' || c == ' ' && space {
			return false
		}
		space = s[i] == ' '
	}
	return !space || s == ""
}

// blanks are characters that fonts draw as nothing though they count as letters or symbols.
var blanks = map[rune]bool{'\u115f': true, '\u1160': true, '\u2800': true, '\u3164': true, '\uffa0': true}

// seen gives the characters of a text that somebody sees, control characters and blanks as spaces.
func seen(s string, give func(r rune)) {
	var kept []rune
	marks := mostMarks // a mark that stands on nothing would be drawn over what is before the text
	for _, r := range s {
		switch {
		case r == '\n', isJoiner(r):
		case unicode.IsControl(r), unicode.IsSpace(r), blanks[r]:
			r = ' '
		case unicode.In(r, unicode.Cf, unicode.Co, unicode.Noncharacter_Code_Point, unicode.Variation_Selector):
			continue
		}
		switch {
		case unicode.Is(unicode.M, r):
			if marks++; marks > mostMarks {
				continue
			}
		case unicode.IsSpace(r):
			marks = mostMarks
		case !isJoiner(r):
			marks = 0
		}
		kept = append(kept, r)
	}
	before := rune(0)
	for i, r := range kept {
		if isJoiner(r) && (!joins(before) || i+1 == len(kept) || !joins(kept[i+1])) {
			continue
		}
		before = r
		give(r)
	}
}

// isJoiner reports whether a character joins its neighbours, or keeps them from joining, and is itself not seen.
func isJoiner(r rune) bool { return r == '\u200c' || r == '\u200d' }

// joining are the scripts in which a joiner, or what keeps two letters from joining, makes another word (RFC 5892,
// appendix A, as far as names need it).
var joining = []*unicode.RangeTable{unicode.Arabic, unicode.Syriac, unicode.Mongolian, unicode.Devanagari,
	unicode.Bengali, unicode.Gurmukhi, unicode.Gujarati, unicode.Oriya, unicode.Tamil, unicode.Telugu,
	unicode.Kannada, unicode.Malayalam, unicode.Sinhala, unicode.Khmer, unicode.Myanmar, unicode.Tibetan}

func joins(r rune) bool { return unicode.In(r, joining...) }
