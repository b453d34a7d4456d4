package card_test

import (
	"fmt"
	"math/bits"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/card"
)

// Reads whose meaning is published, or worked out by hand from the published layouts.
func TestReadsMeanWhatIsPublished(t *testing.T) {
	for read, want := range map[string]card.Reading{
		"26:2EC0C86":                       {Format: card.Wiegand26, Number: "118-1603"},
		"10111011000000110010000110":       {Format: card.Wiegand26, Number: "118-1603"},
		"1011 1011 0000 0011 0010 0001 10": {Format: card.Wiegand26, Number: "118-1603"},
		"00000000000000000000000001":       {Format: card.Wiegand26, Number: "0-0"},
		// One one among the first half, so its even bit is set; one among the second, so its odd bit is not.
		"1000000000000000100000000000000010":    {Format: card.Wiegand34, Number: "1-1"},
		"1000000000000000100000000000000000001": {Format: card.Wiegand37, Number: "1-0"},
	} {
		readings, err := card.Read(read)
		if assert.NoError(t, err, read) {
			assert.Equal(t, want, readings[0], read)
		}
	}
}

// masks are the parity sets of the layouts as their descriptions list them: the bits counted from 0.
var masks = map[card.Format]struct {
	length int
	even   map[int][]int
	odd    map[int][]int
}{
	card.Wiegand26: {26, map[int][]int{0: span(1, 12)}, map[int][]int{25: span(13, 24)}},
	card.Wiegand34: {34, map[int][]int{0: span(1, 16)}, map[int][]int{33: span(17, 32)}},
	card.Wiegand35: {35, map[int][]int{1: {2, 3, 5, 6, 8, 9, 11, 12, 14, 15, 17, 18, 20, 21, 23, 24, 26, 27, 29, 30, 32,
		33}}, map[int][]int{34: {1, 2, 4, 5, 7, 8, 10, 11, 13, 14, 16, 17, 19, 20, 22, 23, 25, 26, 28, 29, 31, 32},
		0: span(1, 34)}},
	card.Wiegand37:      {37, map[int][]int{0: span(1, 18)}, map[int][]int{36: span(18, 35)}},
	card.Wiegand37Plain: {37, map[int][]int{0: span(1, 18)}, map[int][]int{36: span(18, 35)}},
	card.Wiegand48: {
		48,
		map[int][]int{1: {3, 4, 6, 7, 9, 10, 12, 13, 15, 16, 18, 19, 21, 22, 24, 25, 27, 28, 30, 31, 33,
			34, 36, 37, 39, 40, 42, 43, 45, 46}},
		map[int][]int{47: {2, 3, 5, 6, 8, 9, 11, 12, 14, 15, 17, 18, 20, 21, 23,
			24, 26, 27, 29, 30, 32, 33, 35, 36, 38, 39, 41, 42, 44, 45}, 0: span(1, 47)},
	},
}

func span(from, until int) (list []int) {
	for i := from; i <= until; i++ {
		list = append(list, i)
	}
	return list
}

var fields = map[card.Format]struct{ facility, number uint64 }{card.Wiegand26: {255, 65535},
	card.Wiegand34: {65535, 65535}, card.Wiegand35: {4095, 1<<20 - 1}, card.Wiegand37: {65535, 1<<19 - 1},
	card.Wiegand37Plain: {0, 1<<35 - 1}, card.Wiegand48: {1<<22 - 1, 1<<23 - 1}, card.Pair: {1<<32 - 1, 1<<40 - 1}}

func drawNumber(t *rapid.T, f card.Format) string {
	most, counts := fields[f]
	if !counts {
		length := map[card.Format]int{card.UID4: 4, card.UID7: 7, card.UID10: 10}[f]
		return fmt.Sprintf("%X", rapid.SliceOfN(rapid.Byte(), length, length).Draw(t, "bytes"))
	}
	number := rapid.Uint64Range(0, most.number).Draw(t, "number")
	if most.facility == 0 {
		return strconv.FormatUint(number, 10)
	}
	return fmt.Sprint(rapid.Uint64Range(0, most.facility).Draw(t, "facility"), "-", number)
}

// Whatever a format writes as bits is read back as the same number, has the parity that its description lists, and is
// refused once one bit of it is another.
func TestBitsAreReadBackAndGuardedByParity(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := rapid.SampledFrom(card.Formats[:6]).Draw(t, "format")
		number := drawNumber(t, f)
		sent, err := card.Bits(f, number)
		require.NoError(t, err)
		m := masks[f]
		require.Len(t, sent, m.length)
		for odd, sets := range []map[int][]int{m.even, m.odd} {
			for at, over := range sets {
				ones := int(sent[at] - '0')
				for _, i := range over {
					ones += int(sent[i] - '0')
				}
				assert.Equal(t, odd, ones%2, "bit %d of %s", at, sent)
			}
		}
		readings, err := card.Read(sent)
		require.NoError(t, err)
		assert.Contains(t, readings, card.Reading{Format: f, Number: number})
		flipped := []byte(sent)
		flipped[rapid.IntRange(0, len(sent)-1).Draw(t, "flipped")] ^= 1
		readings, err = card.Read(string(flipped))
		require.NoError(t, err)
		for _, r := range readings {
			assert.Empty(t, r.Number, "one wrong bit is no number: %v", r)
			assert.Contains(t, r.Problem, "parity")
		}
		word, err := strconv.ParseUint(sent, 2, 64)
		require.NoError(t, err)
		readings, err = card.Read(fmt.Sprintf("%d:%06X", m.length, word))
		require.NoError(t, err)
		assert.Equal(t, number != "" && bits.Len64(word) <= m.length, len(readings) > 0)
		assert.Contains(t, readings, card.Reading{Format: f, Number: number})
	})
}

// A number is written in one way: what Canonical returns is canonical, and every reading is.
func TestNumbersAreWrittenInOneWay(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := rapid.SampledFrom(card.Formats).Draw(t, "format")
		number := drawNumber(t, f)
		canonical, err := card.Canonical(f, number)
		require.NoError(t, err)
		assert.Equal(t, number, canonical)
		for _, other := range []string{" " + number + " ", strings.ReplaceAll(number, "-", ":"),
			strings.ToLower(number), strings.Repeat("0", map[bool]int{true: 2}[fields[f].number > 0]) + number} {
			again, err := card.Canonical(f, other)
			if assert.NoError(t, err, other) {
				assert.Equal(t, canonical, again)
			}
		}
		readings, err := card.Read(number)
		if err != nil {
			return
		}
		for _, r := range readings {
			if r.Problem == "" {
				again, err := card.Canonical(r.Format, r.Number)
				require.NoError(t, err)
				assert.Equal(t, r.Number, again)
			}
		}
	})
}

func TestIdentifiersAreReadInEitherOrder(t *testing.T) {
	readings, err := card.Read("04:a2:3b:c9:1d:5e:80")
	require.NoError(t, err)
	assert.Equal(t, []card.Reading{{Format: card.UID7, Number: "04A23BC91D5E80"},
		{Format: card.UID7, Number: "805E1DC93BA204", Reversed: true}}, readings)
	readings, err = card.Read("0077741001") // as a reader types it that works like a keyboard
	require.NoError(t, err)
	assert.Contains(t, readings, card.Reading{Format: card.UID4, Number: "04A23BC9"})
	assert.Contains(t, readings, card.Reading{Format: card.UID4, Number: "C93BA204", Reversed: true})
	readings, err = card.Read("11801603")
	require.NoError(t, err)
	assert.Contains(t, readings, card.Reading{Format: card.Wiegand26, Number: "118-1603"})
}

func TestWhatIsNoNumberIsRefusedWithWhy(t *testing.T) {
	for _, wrong := range []struct {
		format       card.Format
		number, says string
	}{{card.Wiegand26, "256-1", "above 255"}, {card.Wiegand26, "1-65536", "above 65535"}, {card.Wiegand26, "1603",
		"facility and a number"}, {card.Wiegand37Plain, "1-2", "no facility"}, {card.UID7, "04A2", "7 bytes"},
		{card.UID4, "04A23BCX", "4 bytes"}, {"mag", "1", "not a card format"}, {card.Pair, "1-+2", "not a number"},
		{card.Wiegand26, "1- 99999999999999999999", "not a number"}} {
		_, err := card.Canonical(wrong.format, wrong.number)
		assert.ErrorContains(t, err, wrong.says, wrong.number)
	}
	for read, says := range map[string]string{"": "1 to 256", strings.Repeat("1", 27): "27 bits",
		strings.Repeat("10", 40): "80 bits", "hello": "no read of a card", "26:FFFFFFF": "more than 26 bits",
		"26:ZZZZZZZ": "not hexadecimal", strings.Repeat("9", 300): "1 to 256"} {
		_, err := card.Read(read)
		assert.ErrorContains(t, err, says, read)
	}
}

func TestRangesFollowAndAreBounded(t *testing.T) {
	next, err := card.Following(card.Wiegand26, "118-1603", 7)
	require.NoError(t, err)
	assert.Equal(t, "118-1610", next)
	_, err = card.Following(card.Wiegand26, "118-65535", 1)
	assert.ErrorContains(t, err, "beyond 65535")
	_, err = card.Following(card.UID4, "04A23BC9", 1)
	assert.ErrorContains(t, err, "one by one")
	count, err := card.Span(card.Pair, "7-10", "7-19")
	require.NoError(t, err)
	assert.EqualValues(t, 10, count)
	for last, says := range map[string]string{"8-19": "one facility", "7-9": "below its first", "x": "facility"} {
		_, err := card.Span(card.Pair, "7-10", last)
		assert.ErrorContains(t, err, says)
	}
}

// Nothing that is read makes the decoder fail, and whatever it takes for a number can be looked up as one.
func FuzzRead(f *testing.F) {
	for _, seed := range []string{"26:2EC0C86", "118-1603", "04A23BC9", "0077741001", "11801603",
		"10111011000000110010000110", " ", "0x04A2", "::", "-1", strings.Repeat("0", 48)} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		readings, err := card.Read(text)
		assert.Equal(t, err == nil, len(readings) > 0)
		for _, r := range readings {
			if (r.Number == "") == (r.Problem == "") {
				t.Errorf("%q: %v is either a number or a problem", text, r)
			}
			if r.Number != "" {
				if again, err := card.Canonical(r.Format, r.Number); err != nil || again != r.Number {
					t.Errorf("%q: %v is not canonical: %q, %v", text, r, again, err)
				}
			}
		}
	})
}

func Example() {
	readings, _ := card.Read("10111011000000110010000110")
	for _, r := range readings {
		fmt.Println(r.Format.Words(), r.Number)
	}
	// Output: 26-bit Wiegand 118-1603
}

// Whether two badges are taken for each other does not depend on which of them is asked about, and each read of one
// that is a read of the other too is found.
func TestWhatIsAlikeIsAlikeBothWays(t *testing.T) {
	met := map[[2]card.Format]int{}
	rapid.Check(t, func(t *rapid.T) {
		f := rapid.SampledFrom(card.Formats).Draw(t, "format")
		number := likelyNumber(t, f)
		for _, other := range card.Alike(f, number) {
			met[[2]card.Format{f, other.Format}]++
			back := card.Alike(other.Format, other.Number)
			require.Contains(t, back, card.Reading{Format: f, Number: number}, "%s %s is read as %s %s", f, number,
				other.Format, other.Number)
		}
	})
	for _, pair := range [][2]card.Format{{card.UID4, card.UID4}, {card.UID7, card.UID7}, {card.Wiegand26, card.Pair},
		{card.Wiegand26, card.Wiegand34}, {card.Wiegand26, card.UID4}, {card.Wiegand26, card.Wiegand37Plain},
		{card.UID4, card.Wiegand37Plain}} {
		assert.NotZero(t, met[pair], "the draw has never met %v", pair)
	}
}

// likelyNumber draws a canonical number of a format: often of digits alone, which more formats read.
func likelyNumber(t *rapid.T, f card.Format) string {
	digits := rapid.StringMatching(`[1-9][0-9]{0,2}`)
	text := digits.Draw(t, "facility") + "-" + rapid.StringMatching(`[1-9][0-9]{0,4}`).Draw(t, "number")
	switch f {
	case card.Wiegand37Plain:
		text = rapid.StringMatching(`[1-9][0-9]{6,9}`).Draw(t, "plain")
	case card.UID4, card.UID7, card.UID10:
		bytes := map[card.Format]int{card.UID4: 4, card.UID7: 7, card.UID10: 10}[f]
		alphabet := rapid.SampledFrom([]string{`[0-9]`, `[0-9A-F]`}).Draw(t, "alphabet")
		text = rapid.StringMatching(fmt.Sprintf("(%s{2}){%d}", alphabet, bytes)).Draw(t, "bytes")
	}
	number, err := card.Canonical(f, text)
	if err != nil { // beyond what the format holds
		number, err = card.Canonical(f, "7-9")
	}
	require.NoError(t, err)
	return number
}
