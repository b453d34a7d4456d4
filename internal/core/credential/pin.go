package credential

import (
	"crypto/rand"
	"fmt"
	"io"
	"math/big"
	"strconv"
	"strings"
	"time"
)

// Lengths of a PIN in digits: the least that a policy may ask for, and the most there are. PINs from before a policy
// was
// changed go on counting.
const (
	LeastPINDigits = 4
	MostPINDigits  = 10
	LongestPIN     = 12 // that was ever issued
)

// PINPolicy says which PINs are taken.
type PINPolicy struct {
	Digits      int  // the fewest
	Sequences   bool // refuse 123456, 987654, 890123
	Repeats     bool // refuse 777777, 121212, 123123, and four of the same digit in a row
	StaffNumber bool // refuse the digits of the holder's staff number
	Dates       bool // refuse days and years, such as 0107, 1990 or 010790
}

// Check says why a PIN is not acceptable, of a holder with a staff number.
func (p *PINPolicy) Check(pin, staffNumber string) error {
	switch {
	case !digitsOnly(pin):
		return fmt.Errorf("a PIN has digits only")
	case len(pin) < p.Digits || len(pin) > MostPINDigits:
		return fmt.Errorf("a PIN has %d to %d digits", p.Digits, MostPINDigits)
	case p.Sequences && sequence(pin):
		return fmt.Errorf("this PIN is too easy to guess: its digits follow one another")
	case p.Repeats && repeats(pin):
		return fmt.Errorf("this PIN is too easy to guess: it repeats itself")
	case p.StaffNumber && fromNumber(pin, staffNumber):
		return fmt.Errorf("this PIN is too easy to guess: it is the staff number")
	case p.Dates && date(pin):
		return fmt.Errorf("this PIN is too easy to guess: it is a date")
	}
	return nil
}

// IsPIN reports whether a text has the shape of a PIN that was ever issued, whatever the policy is now.
func IsPIN(text string) bool {
	return digitsOnly(text) && len(text) >= LeastPINDigits && len(text) <= LongestPIN
}

func digitsOnly(text string) bool { return strings.Trim(text, "0123456789") == "" && text != "" }

// sequence reports whether the digits are a run, up or down.
func sequence(pin string) bool {
	up, down := true, true
	for i := 1; i < len(pin); i++ {
		up = up && pin[i] == '0'+(pin[i-1]-'0'+1)%10
		down = down && pin[i] == '0'+(pin[i-1]-'0'+9)%10
	}
	return up || down
}

// repeats reports whether the digits are one short pattern again and again, or have four of the same in a row.
func repeats(pin string) bool {
	for size := 1; size <= len(pin)/2; size++ {
		if strings.Repeat(pin[:size], len(pin)/size+1)[:len(pin)] == pin {
			return true
		}
	}
	for i := 0; i+4 <= len(pin); i++ {
		if pin[i:i+4] == strings.Repeat(pin[i:i+1], 4) {
			return true
		}
	}
	return false
}

// fromNumber reports whether a PIN is made of the digits of a staff number, with zeros before or after them, forwards
// or
// backwards.
func fromNumber(pin, number string) bool {
	digits := strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, number)
	own := strings.Trim(digits, "0")
	if own == "" {
		return false
	}
	backwards := []byte(own)
	for i, j := 0, len(backwards)-1; i < j; i, j = i+1, j-1 {
		backwards[i], backwards[j] = backwards[j], backwards[i]
	}
	bare := strings.Trim(pin, "0")
	return bare == own || bare == string(backwards) || len(own) >= 4 && strings.Contains(pin, own)
}

// dates are the ways in which days and years are written in digits, by their length.
var dates = map[int][]string{4: {"0201", "0102", "2006"}, 6: {"020106", "010206", "060102", "012006", "200601"},
	8: {"02012006", "01022006", "20060102"}}

// date reports whether a PIN is a date or a year in which somebody who works may have been born.
func date(pin string) bool {
	for _, layout := range dates[len(pin)] {
		day, err := time.Parse(layout, pin)
		years := strings.Contains(layout, "2006")
		if err == nil && (!years || day.Year() >= 1930 && day.Year() <= 2049) {
			return true
		}
	}
	return false
}

// PINDigits returns how many digits a generated PIN has when so many are in use, at least as many as asked for: so many
// that a guess finds one in use less than once in a thousand tries, or, where fewer than six are asked for, in twenty.
func PINDigits(inUse, least int) int {
	tries := 1000
	if least < 6 {
		tries = 20
	}
	digits, room := least, 1
	for range least {
		room *= 10
	}
	for digits < MostPINDigits && inUse*tries > room {
		digits, room = digits+1, room*10
	}
	return digits
}

// GeneratePIN draws a PIN of so many digits that a policy takes for whoever has a staff number.
func GeneratePIN(random io.Reader, digits int, policy *PINPolicy, staffNumber string) (string, error) {
	bound := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(digits)), nil)
	for range 1000 {
		number, err := rand.Int(random, bound)
		if err != nil {
			return "", err
		}
		pin := fmt.Sprintf("%0"+strconv.Itoa(digits)+"d", number)
		if policy.Check(pin, staffNumber) == nil {
			return pin, nil
		}
	}
	return "", fmt.Errorf("no PIN of %d digits that the policy takes was found", digits)
}
