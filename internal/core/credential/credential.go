// Package credential holds what somebody shows to be known: PINs, badges and console passwords, the rules a PIN
// keeps, and the counting of wrong tries. Secrets are held as digests only.
package credential

import (
	"crypto/rand"
	"fmt"
	"io"
	"math/big"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"loyallatch.example/latch/internal/core/people"
)

// ID numbers a credential.
type ID uint32

// Kind is a kind of credential.
type Kind string

// The kinds of credential.
const (
	PIN      Kind = "pin"
	Badge    Kind = "badge"
	Password Kind = "password"
)

// State says whether a credential counts.
type State string

// The states. A credential is never deleted.
const (
	Valid     State = "valid"
	Suspended State = "suspended"
	Lost      State = "lost"
	Withdrawn State = "withdrawn"
)

// Digest is the keyed digest (HMAC-SHA-256) of a PIN or a badge number.
type Digest [32]byte

// Credential is what one person shows.
type Credential struct {
	ID     ID             `json:"id"`
	Staff  people.StaffID `json:"staff"`
	Kind   Kind           `json:"kind"`
	Digest Digest         `json:"-"` // of a PIN or a badge number
	// what the digest of a PIN was made from, encrypted: for doors that decide offline
	Sealed     []byte    `json:"-"`
	Hash       string    `json:"-"` // argon2id, of a password
	State      State     `json:"state"`
	From       time.Time `json:"from,omitzero"`
	Until      time.Time `json:"until,omitzero"` // first instant at which it no longer counts
	MustChange bool      `json:"must_change,omitempty"`
	IssuedAt   time.Time `json:"issued_at"`
	Revision   uint64    `json:"-"`
}

// ValidAt reports whether the credential counts at an instant in Unix seconds.
func (c *Credential) ValidAt(at int64) bool {
	return c.State == Valid && (c.From.IsZero() || c.From.Unix() <= at) && (c.Until.IsZero() || at < c.Until.Unix())
}

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

// passwordLetters leaves out those that are easily mistaken for one another.
const passwordLetters = "abcdefghjkmnpqrstuvwxyz23456789"

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

// TryRule says after how many wrong tries within a while further ones are held up, and for how long.
type TryRule struct {
	Allowed            int
	Window             time.Duration
	FirstHold, Longest time.Duration // each hold is twice as long as the one before, up to the longest
}

// The rules. A name is held up for a minute only, so that nobody is kept out for long by others' tries.
var (
	ByAccount = TryRule{Allowed: 5, Window: 5 * time.Minute, FirstHold: time.Minute, Longest: time.Minute}
	ByAddress = TryRule{Allowed: 25, Window: 5 * time.Minute, FirstHold: time.Minute, Longest: 15 * time.Minute}
	ByReader  = TryRule{Allowed: 5, Window: 5 * time.Minute, FirstHold: time.Minute, Longest: 15 * time.Minute}
)

// Tries counts wrong tries at one place where they are made: a sign-in name, an address or a reader. The zero Tries has
// seen none.
type Tries struct {
	count int
	first time.Time
	until time.Time
	holds int // in a row
}

// TriesOf returns tries as they were kept.
func TriesOf(count int, first, until time.Time, holds int) Tries {
	return Tries{count: count, first: first, until: until, holds: holds}
}

// Parts returns what is to be kept.
func (t *Tries) Parts() (count int, first, until time.Time, holds int) {
	return t.count, t.first, t.until, t.holds
}

// Held reports whether tries are held up, and until when.
func (t *Tries) Held(at time.Time) (until time.Time, held bool) { return t.until, at.Before(t.until) }

// Wrong counts a try that is taken for wrong.
func (t *Tries) Wrong(rule TryRule, at time.Time) {
	if t.count == 0 || at.Sub(t.first) > rule.Window {
		t.count, t.first = 0, at
		if at.Sub(t.until) > rule.Longest {
			t.holds = 0
		}
	}
	t.count++
	if t.count >= rule.Allowed {
		t.holds++
		t.until, t.count = at.Add(min(rule.FirstHold<<min(t.holds-1, 10), rule.Longest)), 0
	}
}

// Right takes back a try that turned out right.
func (t *Tries) Right() {
	if t.count > 0 {
		t.count--
		return
	}
	t.until, t.holds = time.Time{}, max(0, t.holds-1)
}
