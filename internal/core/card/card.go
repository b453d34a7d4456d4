// Package card reads what a badge says. It holds the open card formats: how the bits of each are laid out, how its
// number is written, and what a raw read may mean in each.
//
// # Formats
//
// The Wiegand layouts carry a facility and a number between parity bits, the first bit sent being bit 0. The
// contactless ones are the identifier of a chip (UID, ISO/IEC 14443-3) of 4, 7 or 10 bytes, which readers send in
// either
// byte order. A pair is a facility and a number as printed on a card whose layout nobody knows.
//
// # Invariants
//
// A number is written in one way only, which Canonical returns; whatever Read says of a text is canonical. A read that
// does not fit a format, by its length or its parity, says so and is a number of none.
//
// Nothing here keeps a state; everything may be used by any number of goroutines at once.
package card

import (
	"encoding/hex"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Format names how a card holds its number.
type Format string

// The formats.
const (
	Wiegand26      Format = "wiegand26"
	Wiegand34      Format = "wiegand34"
	Wiegand35      Format = "wiegand35"
	Wiegand37      Format = "wiegand37"       // facility and number
	Wiegand37Plain Format = "wiegand37-plain" // the same bits, all of them one number
	Wiegand48      Format = "wiegand48"
	Pair           Format = "pair"
	UID4           Format = "uid4"
	UID7           Format = "uid7"
	UID10          Format = "uid10"
)

// Formats are all formats, in the order in which a read is tried.
var Formats = []Format{Wiegand26, Wiegand34, Wiegand35, Wiegand37, Wiegand37Plain, Wiegand48, Pair, UID4, UID7, UID10}

// Known reports whether the format is one of Formats.
func (f Format) Known() bool { return slices.Contains(Formats, f) }

var titles = map[Format]string{Wiegand26: "26-bit Wiegand", Wiegand34: "34-bit Wiegand", Wiegand35: "35-bit Wiegand",
	Wiegand37: "37-bit Wiegand", Wiegand37Plain: "37-bit Wiegand without a facility", Wiegand48: "48-bit Wiegand",
	Pair: "facility and number", UID4: "contactless, 4 bytes", UID7: "contactless, 7 bytes",
	UID10: "contactless, 10 bytes"}

// Words returns the format as a person says it.
func (f Format) Words() string {
	if words := titles[f]; words != "" {
		return words
	}
	return string(f)
}

// bytesOf is how many bytes the identifier of a chip has; 0 for other formats.
func (f Format) bytesOf() int {
	return map[Format]int{UID4: 4, UID7: 7, UID10: 10}[f]
}

// layoutOf returns how a format writes facility and number; the layout of a pair has bounds and no bits.
func layoutOf(f Format) (l layout, ok bool) {
	if f == Pair {
		return layout{facility: field{bits: 32}, number: field{bits: 40}}, true
	}
	l, ok = layouts[f]
	return l, ok
}

// Canonical returns the one way in which a format writes a number: facility and number in decimal with a dash between
// them, a number alone, or the bytes of an identifier in hexadecimal capitals. Leading zeros, and blanks, dots, colons
// and dashes in an identifier, make no difference.
func Canonical(f Format, number string) (string, error) {
	if n := f.bytesOf(); n > 0 {
		id, err := identifier(number)
		if err != nil || len(id) != n {
			return "", fmt.Errorf("a number of the format %s is %d bytes in hexadecimal, such as %s", f, n,
				strings.ToUpper(hex.EncodeToString([]byte("\x04\xa2\x3b\xc9\x1d\x5e\x80\x11\x22\x33")[:n])))
		}
		return id.text(), nil
	}
	l, known := layoutOf(f)
	if !known {
		return "", fmt.Errorf("%q is not a card format; use one of %s", f, list())
	}
	facility, own, err := l.parse(number)
	if err != nil {
		return "", fmt.Errorf("%w of the format %s", err, f)
	}
	return l.write(facility, own), nil
}

func list() string {
	names := make([]string, len(Formats))
	for i, f := range Formats {
		names[i] = string(f)
	}
	return strings.Join(names, ", ")
}

// parse reads facility and number as printed on a card.
func (l *layout) parse(text string) (facility, number uint64, err error) {
	first, last, paired := cutPair(text)
	switch {
	case paired == (l.facility.bits == 0):
		if paired {
			return 0, 0, fmt.Errorf("%q has two parts; a number has no facility", text)
		}
		return 0, 0, fmt.Errorf("%q is not a facility and a number, such as 118-1603,", text)
	case !paired:
		first, last = "0", strings.TrimSpace(text)
	}
	facility, err1 := strconv.ParseUint(first, 10, 64)
	number, err2 := strconv.ParseUint(last, 10, 64)
	if err1 != nil || err2 != nil || !isDigits(first) || !isDigits(last) {
		return 0, 0, fmt.Errorf("%q is not a number", text)
	}
	if facility > l.facility.most() {
		return 0, 0, fmt.Errorf("the facility %d is above %d, the highest", facility, l.facility.most())
	}
	if number > l.number.most() {
		return 0, 0, fmt.Errorf("the number %d is above %d, the highest", number, l.number.most())
	}
	return facility, number, nil
}

func (l *layout) write(facility, number uint64) string {
	if l.facility.bits == 0 {
		return strconv.FormatUint(number, 10)
	}
	return strconv.FormatUint(facility, 10) + "-" + strconv.FormatUint(number, 10)
}

// cutPair takes a printed pair apart: by a dash, a colon, a slash, a comma or a blank.
func cutPair(text string) (facility, number string, paired bool) {
	text = strings.TrimSpace(text)
	at := strings.IndexAny(text, "-:/, ")
	if at < 0 {
		return "", "", false
	}
	return strings.TrimSpace(text[:at]), strings.TrimSpace(text[at+1:]), true
}

func isDigits(text string) bool {
	return text != "" && strings.Trim(text, "0123456789") == ""
}

// uid is the identifier of a chip, in the order in which the chip sends it.
type uid []byte

func (u uid) text() string { return strings.ToUpper(hex.EncodeToString(u)) }

func (u uid) reversed() uid {
	other := slices.Clone(u)
	slices.Reverse(other)
	return other
}

// identifier reads bytes in hexadecimal, with or without separators.
func identifier(text string) (uid, error) {
	text = strings.TrimPrefix(strings.ToLower(strings.TrimSpace(text)), "0x")
	return hex.DecodeString(strings.NewReplacer(" ", "", ":", "", "-", "", ".", "").Replace(text))
}

// Following returns the number that comes so many after one, of a format that counts.
func Following(f Format, number string, by uint64) (string, error) {
	l, counts := layoutOf(f)
	if !counts {
		return "", fmt.Errorf("numbers of the format %s do not follow one another; give them one by one", f)
	}
	facility, own, err := l.parse(number)
	if err != nil {
		return "", fmt.Errorf("%w of the format %s", err, f)
	}
	if by > l.number.most() || own+by > l.number.most() {
		return "", fmt.Errorf("the range goes beyond %d, the highest number of the format %s", l.number.most(), f)
	}
	return l.write(facility, own+by), nil
}

// Span returns how many numbers a range has, its first and last among them.
func Span(f Format, first, last string) (uint64, error) {
	l, counts := layoutOf(f)
	if !counts {
		return 0, fmt.Errorf("numbers of the format %s do not follow one another; give them one by one", f)
	}
	facility, from, err := l.parse(first)
	if err != nil {
		return 0, fmt.Errorf("%w of the format %s", err, f)
	}
	other, until, err := l.parse(last)
	switch {
	case err != nil:
		return 0, fmt.Errorf("%w of the format %s", err, f)
	case other != facility:
		return 0, fmt.Errorf("a range has one facility: %d and %d are two", facility, other)
	case until < from:
		return 0, fmt.Errorf("the last number of the range, %d, is below its first, %d", until, from)
	}
	return until - from + 1, nil
}
