package credential

import (
	"crypto/rand"
	"fmt"
	"io"
	"math/big"
	"strings"
	"unicode"
	"unicode/utf8"
)

// GeneratePassword draws a password of four groups of five letters and digits, 99 bits.
func GeneratePassword(random io.Reader) (string, error) {
	var b strings.Builder
	for i := range 20 {
		if i > 0 && i%5 == 0 {
			b.WriteByte('-')
		}
		number, err := rand.Int(random, big.NewInt(int64(len(passwordLetters))))
		if err != nil {
			return "", err
		}
		b.WriteByte(passwordLetters[number.Int64()])
	}
	return b.String(), nil
}

// Lengths of a password in bytes; the least is that of NIST SP 800-63B for a single factor.
const (
	MinPassword = 15
	MaxPassword = 256
)

// leastScore is the least estimate of strength, 0 to 4, that a password needs: common and leaked ones have less.
const leastScore = 3

// Strength estimates how hard a password is to guess, 0 to 4, knowing the words that would be tried first.
type Strength func(password string, known []string) int

// CheckPassword says why a password is not acceptable; known are words that do not make it stronger, such as a name.
// The rules are those of NIST SP 800-63B-4 for a password without a second factor: length, and not one that is commonly
// used or easily guessed; nothing is said of which characters it has.
func CheckPassword(password string, strength Strength, known ...string) error {
	if n := utf8.RuneCountInString(password); n < MinPassword || n > MaxPassword {
		return fmt.Errorf("a password has %d to %d characters; a few unrelated words do well", MinPassword, MaxPassword)
	}
	var words []string
	for _, word := range known {
		words = append(words, strings.FieldsFunc(word,
			func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })...)
	}
	if strength(password, words) < leastScore {
		return fmt.Errorf("this password is among those tried first: it is common, repeats itself or is made of the " +
			"name; a few unrelated words do well")
	}
	return nil
}
