package card

import (
	"encoding/binary"
	"fmt"
)

// Reads returns what readers may send for a badge of a number: its bits, the number as it is printed, what a reader
// types that works like a keyboard, and an identifier in either byte order, in hexadecimal or as a decimal number. The
// number is canonical.
func Reads(f Format, number string) (reads []string) {
	if f.bytesOf() > 0 {
		id, err := identifier(number)
		if err != nil {
			return nil
		}
		for _, order := range []uid{id, id.reversed()} {
			reads = append(reads, order.text())
			if f == UID4 {
				reads = append(reads, fmt.Sprintf("%010d", binary.BigEndian.Uint32(order)))
			}
		}
		return reads
	}
	if sent, err := Bits(f, number); err == nil {
		reads = append(reads, sent)
	}
	l, _ := layoutOf(f)
	facility, own, err := l.parse(number)
	switch {
	case err != nil:
	case l.facility.bits == 0:
		// As it is, or with zeros before it as many digits as something else has that is typed
		for _, width := range []int{1, 8, 10, 14, 20} {
			reads = append(reads, fmt.Sprintf("%0*d", width, own))
		}
	default:
		reads = append(reads, number)
		if facility < 1000 && own < 100_000 {
			reads = append(reads, fmt.Sprintf("%03d%05d", facility, own))
		}
	}
	return reads
}

// Alike returns the numbers of all formats that a badge of a number may be taken for at some reader, itself left out.
func Alike(f Format, number string) (alike []Reading) {
	seen := map[Reading]bool{{Format: f, Number: number}: true}
	for _, read := range Reads(f, number) {
		readings, err := Read(read)
		if err != nil {
			continue
		}
		for _, r := range readings {
			one := Reading{Format: r.Format, Number: r.Number}
			if r.Problem == "" && !seen[one] {
				seen[one] = true
				alike = append(alike, one)
			}
		}
	}
	return alike
}
