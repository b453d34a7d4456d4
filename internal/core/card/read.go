package card

import (
	"encoding/binary"
	"fmt"
	"strconv"
	"strings"
)

// Reading is what a read means in one format.
type Reading struct {
	Format   Format
	Number   string // canonical; empty where the read does not fit
	Reversed bool   // its bytes stand in the other order than that in which they were read
	Problem  string // why the read does not fit
}

// longestRead bounds what is read, in bytes.
const longestRead = 256

// Read returns what a raw read may mean: all readings that fit, in the order of Formats, and then those of the same
// length that do not, with why. A raw read is zeros and ones as a reader sends them, of 26 or more; hexadecimal with
// the
// count of its bits before it, such as 26:2EC0C86; the bytes of an identifier in hexadecimal; a printed pair such as
// 118-1603; or what a reader types that works like a keyboard: a pair in eight digits, an identifier of four bytes in
// ten decimal ones, or a plain number. What is none of these is an error that says what it should be.
func Read(text string) ([]Reading, error) {
	text = strings.TrimSpace(text)
	if text == "" || len(text) > longestRead {
		return nil, fmt.Errorf("a read is 1 to %d characters long", longestRead)
	}
	if word, length, is, err := wordOf(text); is {
		if err != nil {
			return nil, err
		}
		return readBits(word, length)
	}
	var readings []Reading
	if first, last, paired := cutPair(text); paired && isDigits(first) && isDigits(last) {
		readings = append(readings, printed(first+"-"+last)...)
	} else if id, err := identifier(text); err == nil {
		readings = append(readings, identifiers(id)...)
	}
	if isDigits(text) {
		readings = append(readings, typed(text)...)
	}
	if len(readings) == 0 {
		return nil, fmt.Errorf("%q is no read of a card: give bits such as %026b, 26:2EC0C86, bytes such as "+
			"04A23BC9, or a printed number such as 118-1603", cut(text), layout26.encode(118, 1603))
	}
	return readings, nil
}

var layout26 = layouts[Wiegand26]

func cut(text string) string {
	if runes := []rune(text); len(runes) > 40 {
		return string(runes[:40]) + "…"
	}
	return text
}

// wordOf reads bits: zeros and ones, or hexadecimal after the count of bits.
func wordOf(text string) (word uint64, length int, is bool, err error) {
	if count, digits, counted := strings.Cut(text, ":"); counted && len(count) == 2 && isDigits(count) &&
		!strings.ContainsAny(digits, ":-") && len(digits) > 5 {
		length, _ = strconv.Atoi(count)
		if word, err = strconv.ParseUint(digits, 16, 64); err != nil {
			return 0, 0, true, fmt.Errorf("%q is not hexadecimal", cut(digits))
		}
		if length < 64 && word>>length != 0 {
			return 0, 0, true, fmt.Errorf("%q has more than %d bits", cut(digits), length)
		}
		return word, length, true, nil
	}
	bare := strings.ReplaceAll(text, " ", "")
	if len(bare) < 21 || strings.Trim(bare, "01") != "" { // shorter ones may be bytes or digits
		return 0, 0, false, nil
	}
	if word, err = strconv.ParseUint(bare, 2, 64); err != nil {
		return 0, 0, true, fmt.Errorf("a read of %d bits fits no layout; %s", len(bare), lengths)
	}
	return word, len(bare), true, nil
}

const lengths = "there are layouts of 26, 34, 35, 37 and 48 bits"

func readBits(word uint64, length int) ([]Reading, error) {
	var fitting, others []Reading
	for _, f := range Formats {
		l, laid := layouts[f]
		if !laid || l.bits != length {
			continue
		}
		facility, number, err := l.decode(word)
		if err != nil {
			others = append(others, Reading{Format: f, Problem: err.Error()})
			continue
		}
		fitting = append(fitting, Reading{Format: f, Number: l.write(facility, number)})
	}
	if len(fitting)+len(others) == 0 {
		return nil, fmt.Errorf("a read of %d bits fits no layout; %s", length, lengths)
	}
	return append(fitting, others...), nil
}

// printed returns what a printed pair may be: a number of every layout that has a facility.
func printed(pair string) (readings []Reading) {
	for _, f := range Formats {
		if l, paired := layoutOf(f); paired && l.facility.bits > 0 {
			if facility, number, err := l.parse(pair); err == nil {
				readings = append(readings, Reading{Format: f, Number: l.write(facility, number)})
			}
		}
	}
	return readings
}

// typed returns what digits may be that a reader types: a number without a facility, a pair of three and five digits,
// an identifier of four bytes.
func typed(digits string) (readings []Reading) {
	if len(digits) == 8 {
		readings = append(readings, printed(digits[:3]+"-"+digits[3:])...)
	}
	if number, err := Canonical(Wiegand37Plain, digits); err == nil {
		readings = append(readings, Reading{Format: Wiegand37Plain, Number: number})
	}
	if value, err := strconv.ParseUint(digits, 10, 32); err == nil && len(digits) == 10 {
		id := uid(binary.BigEndian.AppendUint32(nil, uint32(value)))
		readings = append(readings, Reading{Format: UID4, Number: id.text()},
			Reading{Format: UID4, Number: id.reversed().text(), Reversed: true})
	}
	return readings
}

func identifiers(id uid) (readings []Reading) {
	for _, f := range []Format{UID4, UID7, UID10} {
		if len(id) != f.bytesOf() {
			continue
		}
		readings = append(readings, Reading{Format: f, Number: id.text()})
		if other := id.reversed().text(); other != id.text() {
			readings = append(readings, Reading{Format: f, Number: other, Reversed: true})
		}
	}
	return readings
}
