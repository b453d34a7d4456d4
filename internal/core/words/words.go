// Package words holds what is done to texts: tidying what was typed, folding for comparison, finding by words that may
// be misspelt, and putting counts and lists into sentences.
package words

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// plain maps letters with marks that staff names commonly have to those without, for finding duplicates and for search.
var plain = strings.NewReplacer(
	"á", "a", "à", "a", "â", "a", "ä", "a", "ã", "a", "å", "a", "ą", "a", "ā", "a", "ă", "a", "æ", "ae",
	"ç", "c", "ć", "c", "č", "c", "ď", "d", "đ", "d", "é", "e", "è", "e", "ê", "e", "ë", "e", "ę", "e", "ě", "e", "ē",
	"e",
	"ğ", "g", "í", "i", "ì", "i", "î", "i", "ï", "i", "ī", "i", "ı", "i", "ł", "l", "ñ", "n", "ń", "n", "ň", "n",
	"ó", "o", "ò", "o", "ô", "o", "ö", "o", "õ", "o", "ø", "o", "ő", "o", "œ", "oe", "ř", "r", "ś", "s", "š", "s", "ş",
	"s", "ș", "s", "ß", "ss",
	"ť", "t", "ț", "t", "ú", "u", "ù", "u", "û", "u", "ü", "u", "ů", "u", "ű", "u", "ū", "u", "ý", "y", "ÿ", "y", "ź",
	"z", "ż", "z", "ž", "z",
	"-", " ", "'", "", "’", "")

// Fold returns a text as it is compared: lower case, without marks.
func Fold(s string) string { return plain.Replace(strings.ToLower(s)) }

// Fits reports whether every word that was typed stands in the text: whole, as part of a word, or misspelt by a letter
// (by two in words of eight letters or more). Both texts are folded first.
func Fits(text, typed string) bool {
	folded := Fold(text)
	known := strings.FieldsFunc(folded, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	for _, word := range strings.Fields(Fold(typed)) {
		if !strings.Contains(folded, word) && !nearAny(known, []rune(word)) {
			return false
		}
	}
	return true
}

func nearAny(known []string, word []rune) bool {
	most := 0
	switch {
	case len(word) >= 8:
		most = 2
	case len(word) >= 4:
		most = 1
	default:
		return false
	}
	for _, k := range known {
		runes := []rune(k)
		// The beginning of a longer word counts too: somebody is still typing.
		if distance(runes, word, most) <= most ||
			len(runes) > len(word) && distance(runes[:len(word)], word, most) <= most {
			return true
		}
	}
	return false
}

// distance counts the letters to put in, leave out, exchange or swap with their neighbour to make b of a (the optimal
// string alignment distance); what is more than most is not counted on.
func distance(a, b []rune, most int) int {
	if len(a)-len(b) > most || len(b)-len(a) > most {
		return most + 1
	}
	before, last, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, last, row = last, row, before
	}
	return last[len(b)]
}

// Count says how many: "1 person", "41 people".
func Count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// Plural returns the plural of a name of a kind of work: "Packer" → "Packers", "Deputy" → "Deputies", "Foreman" →
// "Foremen".
func Plural(name string) string {
	// What stands in brackets says more of the same: "Quality technicians (nights)".
	if head, tail, more := strings.Cut(name, " ("); more && head != "" {
		return Plural(head) + " (" + tail
	}
	lower := strings.ToLower(name)
	ends := func(suffixes ...string) bool {
		for _, suffix := range suffixes {
			if strings.HasSuffix(lower, suffix) {
				return true
			}
		}
		return false
	}
	switch {
	case name == "" || ends("staff", "crew", "people", "team", "help", "s"):
		return name
	case ends("man"):
		return name[:len(name)-2] + "en"
	case ends("x", "z", "ch", "sh"):
		return name + "es"
	case ends("y") && !ends("ay", "ey", "oy", "uy"):
		return name[:len(name)-1] + "ies"
	}
	return name + "s"
}

// List joins phrases as a sentence does: "a, b and c".
func List(phrases []string) string { return join(phrases, " and ") }

// Either joins phrases of which one is meant: "a, b or c".
func Either(phrases []string) string { return join(phrases, " or ") }

func join(phrases []string, last string) string {
	if len(phrases) < 2 {
		return strings.Join(phrases, "")
	}
	return strings.Join(phrases[:len(phrases)-1], ", ") + last + phrases[len(phrases)-1]
}

// LowerFirst begins a text with a small letter, as within a sentence; an abbreviation stays as it is.
func LowerFirst(s string) string {
	first, size := utf8.DecodeRuneInString(s)
	if second, _ := utf8.DecodeRuneInString(s[size:]); s == "" || unicode.IsUpper(second) {
		return s
	}
	return string(unicode.ToLower(first)) + s[size:]
}

// Sentence makes a text begin with a capital and end with a stop.
func Sentence(s string) string {
	if s == "" {
		return s
	}
	first, size := utf8.DecodeRuneInString(s)
	s = string(unicode.ToUpper(first)) + s[size:]
	if !strings.HasSuffix(s, ".") && !strings.HasSuffix(s, "?") {
		s += "."
	}
	return s
}
