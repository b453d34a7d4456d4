package app

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"

	"github.com/ccojocar/zxcvbn-go"
	"golang.org/x/crypto/argon2"
)

// Cost is how much work a slow hash (argon2id, RFC 9106) takes.
type Cost struct {
	Memory uint32 // KiB
	Passes uint32
	Lanes  uint8
}

// StrongCost is OWASP's first recommendation: 19 MiB, two passes, one lane.
var StrongCost = Cost{Memory: 19 * 1024, Passes: 2, Lanes: 1}

// String writes the cost as it stands in a hash: "m=19456,t=2,p=1".
func (c Cost) String() string { return fmt.Sprintf("m=%d,t=%d,p=%d", c.Memory, c.Passes, c.Lanes) }

// ParseCost reads what String wrote.
func ParseCost(text string) (Cost, error) {
	var c Cost
	if _, err := fmt.Sscanf(text, "m=%d,t=%d,p=%d", &c.Memory, &c.Passes, &c.Lanes); err != nil || c.Memory == 0 ||
		c.Passes == 0 || c.Lanes == 0 {
		return c, fmt.Errorf("%q is not the cost of a hash", text)
	}
	return c, nil
}

const hashSize = 32

// HashPassword returns the argon2id hash of a password with a new salt, in the usual text form.
func HashPassword(password string, cost Cost) (string, error) {
	salt := make([]byte, 16)
	if _, err := rand.Read(salt); err != nil {
		return "", err
	}
	key := argon2.IDKey([]byte(password), salt, cost.Passes, cost.Memory, cost.Lanes, hashSize)
	encode := base64.RawStdEncoding.EncodeToString
	return fmt.Sprintf("$argon2id$v=%d$%s$%s$%s", argon2.Version, cost, encode(salt), encode(key)), nil
}

// verifyPassword compares a password with a hash. Where there is no hash it takes as long and says no.
func verifyPassword(hash, password string, cost Cost) bool {
	parts := strings.Split(hash, "$")
	genuine := len(parts) == 6
	if !genuine {
		argon2.IDKey([]byte(password), make([]byte, 16), cost.Passes, cost.Memory, cost.Lanes, hashSize)
		return false
	}
	stated, err := ParseCost(parts[3])
	salt, saltErr := base64.RawStdEncoding.DecodeString(parts[4])
	want, keyErr := base64.RawStdEncoding.DecodeString(parts[5])
	if err := errors.Join(err, saltErr, keyErr); err != nil {
		return false
	}
	got := argon2.IDKey([]byte(password), salt, stated.Passes, stated.Memory, stated.Lanes, uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1
}

// strength estimates how hard a password is to guess, 0 to 4: by what is commonly used, by leaked ones, patterns, dates
// and the keyboard.
func strength(password string, known []string) int {
	return zxcvbn.PasswordStrength(password, known).Score
}
