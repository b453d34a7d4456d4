package credential

import (
	"crypto/rand"
	"fmt"
	"io"
	"math/big"
	"strings"
)

// Lengths of a PIN in digits.
const (
	MinPINDigits = 6
	MaxPINDigits = 12
)

// CheckPIN says why a PIN is not acceptable: not digits, too short or long, or among the first that anybody would try.
func CheckPIN(pin string) error {
	for _, r := range pin {
		if r < '0' || r > '9' {
			return fmt.Errorf("a PIN has digits only")
		}
	}
	if len(pin) < MinPINDigits || len(pin) > MaxPINDigits {
		return fmt.Errorf("a PIN has %d to %d digits", MinPINDigits, MaxPINDigits)
	}
	if guessable(pin) {
		return fmt.Errorf("this PIN is too easy to guess: choose one that is not a run or a repeated pattern")
	}
	return nil
}

// guessable reports whether the digits are a run (123456, 987654) or one short pattern repeated (777777, 121212,
// 123123).
func guessable(pin string) bool {
	up, down := true, true
	for i := 1; i < len(pin); i++ {
		up = up && pin[i] == '0'+(pin[i-1]-'0'+1)%10
		down = down && pin[i] == '0'+(pin[i-1]-'0'+9)%10
	}
	if up || down {
		return true
	}
	for size := 1; size <= len(pin)/2; size++ {
		if strings.Repeat(pin[:size], len(pin)/size+1)[:len(pin)] == pin {
			return true
		}
	}
	return false
}

// PINDigits returns how many digits a generated PIN has when so many are in use: enough that a guess
// finds one in use less than once in a thousand tries.
func PINDigits(inUse int) int {
	digits, room := MinPINDigits, 1_000_000
	for digits < MaxPINDigits && inUse*1000 > room {
		digits, room = digits+1, room*10
	}
	return digits
}

// GeneratePIN draws a PIN of so many digits that taken does not know.
func GeneratePIN(random io.Reader, digits int, taken func(pin string) bool) (string, error) {
	bound := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(digits)), nil)
	for range 1000 {
		number, err := rand.Int(random, bound)
		if err != nil {
			return "", err
		}
		pin := fmt.Sprintf("%0*d", digits, number)
		if CheckPIN(pin) == nil && !taken(pin) {
			return pin, nil
		}
	}
	return "", fmt.Errorf("no free PIN of %d digits was found", digits)
}
