package card

import (
	"fmt"
	"math/bits"
	"strings"
)

// field is a run of bits, the first of which is the highest.
type field struct{ from, bits int }

func (f field) most() uint64 { return 1<<f.bits - 1 }

func (f field) of(word uint64, length int) uint64 {
	return word >> (length - f.from - f.bits) & f.most()
}

// parity is a bit that makes the count of ones among others, and itself, even or odd. The others are given as a mask
// over the layout: x where a bit is counted.
type parity struct {
	at   int
	odd  bool
	over string
}

// layout is how the bits of a Wiegand format stand.
type layout struct {
	bits             int
	facility, number field
	parities         []parity
}

func run(from, bits, length int) string {
	return strings.Repeat(".", from) + strings.Repeat("x", bits) + strings.Repeat(".", length-from-bits)
}

// The 35- and 48-bit layouts count two of three bits for the two inner parity bits, and all others for the first.
var layouts = map[Format]layout{
	Wiegand26: {26, field{1, 8}, field{9, 16}, []parity{{0, false, run(1, 12, 26)}, {25, true, run(13, 12, 26)}}},
	Wiegand34: {34, field{1, 16}, field{17, 16}, []parity{{0, false, run(1, 16, 34)}, {33, true, run(17, 16, 34)}}},
	Wiegand35: {35, field{2, 12}, field{14, 20}, []parity{
		{1, false, "..xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.xx."},
		{34, true, ".xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.."},
		{0, true, run(1, 34, 35)}}},
	Wiegand37: {37, field{1, 16}, field{17, 19}, []parity{{0, false, run(1, 18, 37)}, {36, true, run(18, 18, 37)}}},
	Wiegand37Plain: {37, field{1, 0}, field{1, 35}, []parity{{0, false, run(1, 18, 37)},
		{36, true, run(18, 18, 37)}}},
	Wiegand48: {48, field{2, 22}, field{24, 23}, []parity{
		{1, false, "...xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.xx."},
		{47, true, "..xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.xx.."},
		{0, true, run(1, 47, 48)}}},
}

// counted returns a parity's mask as a word.
func (p *parity) counted() (mask uint64) {
	for _, r := range p.over {
		if mask <<= 1; r == 'x' {
			mask |= 1
		}
	}
	return mask
}

// set is what the parity bit has to be.
func (p *parity) set(word uint64) uint64 {
	ones := uint64(bits.OnesCount64(word & p.counted()))
	if p.odd {
		ones++
	}
	return ones & 1
}

// encode returns the bits of a facility and a number, parity included.
func (l *layout) encode(facility, number uint64) uint64 {
	word := facility<<(l.bits-l.facility.from-l.facility.bits) | number<<(l.bits-l.number.from-l.number.bits)
	for i := range l.parities { // in their order: the last one of some layouts counts the others
		p := &l.parities[i]
		word |= p.set(word) << (l.bits - 1 - p.at)
	}
	return word
}

// decode returns facility and number of a word, or which parity bit is wrong.
func (l *layout) decode(word uint64) (facility, number uint64, err error) {
	for i := range l.parities {
		p := &l.parities[i]
		if word>>(l.bits-1-p.at)&1 != p.set(word) {
			sort := map[bool]string{true: "odd", false: "even"}[p.odd]
			return 0, 0, fmt.Errorf("the parity is wrong: bit %d does not make an %s count", p.at+1, sort)
		}
	}
	return l.facility.of(word, l.bits), l.number.of(word, l.bits), nil
}

// Bits returns what a reader sends for a number, as zeros and ones; of an identifier its bytes.
func Bits(f Format, number string) (string, error) {
	canonical, err := Canonical(f, number)
	if err != nil {
		return "", err
	}
	if n := f.bytesOf(); n > 0 {
		id, err := identifier(canonical)
		var b strings.Builder
		for _, octet := range id {
			fmt.Fprintf(&b, "%08b", octet)
		}
		return b.String(), err
	}
	l, laid := layouts[f]
	if !laid {
		return "", fmt.Errorf("a number of the format %s has no bits: its layout is not known", f)
	}
	facility, own, err := l.parse(canonical)
	return fmt.Sprintf("%0*b", l.bits, l.encode(facility, own)), err
}
