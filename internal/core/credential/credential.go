// Package credential holds what somebody shows to be known: PINs, badges and console passwords, the rules a PIN
// keeps, and the counting of wrong tries. Secrets are held as digests only.
package credential

import (
	"time"

	"loyallatch.example/latch/internal/core/people"
)

// ID numbers a credential.
type ID uint32

// BadgeID numbers a badge, the thing; each time it is issued makes a credential.
type BadgeID uint32

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

// Digest is the keyed digest (HMAC-SHA-256) of a PIN.
type Digest [32]byte

// Credential is what one person shows.
type Credential struct {
	ID    ID             `json:"id"`
	Staff people.StaffID `json:"staff"`
	Kind  Kind           `json:"kind"`
	Badge BadgeID        `json:"badge,omitempty"` // of a badge: which thing it is
	// Of a PIN; a badge is known by its number, which is no secret. One that is withdrawn keeps it, so that its holder
	// does not take the same again.
	Digest Digest `json:"-"`
	// What the digest of a PIN was made from, encrypted: for doors that decide offline.
	Sealed     []byte    `json:"-"`
	Hash       string    `json:"-"` // argon2id, of a password
	State      State     `json:"state"`
	From       time.Time `json:"from,omitzero"`
	Until      time.Time `json:"until,omitzero"` // first instant at which it no longer counts
	MustChange bool      `json:"must_change,omitempty"`
	Duress     bool      `json:"duress,omitempty"` // a PIN that opens and raises a silent alarm
	IssuedAt   time.Time `json:"issued_at"`
	// Since when it is suspended, lost or withdrawn, and why; zero and empty of one that is valid
	StateSince  time.Time `json:"state_since,omitzero"`
	StateReason string    `json:"state_reason,omitempty"`
	Revision    uint64    `json:"-"`
}

// HeldAt reports whether the thing or the secret was its holder's at an instant, whether or not it counted.
func (c *Credential) HeldAt(at time.Time) bool {
	return !at.Before(c.IssuedAt) && (c.State != Withdrawn || at.Before(c.StateSince))
}

// ValidAt reports whether the credential counts at an instant in Unix seconds.
func (c *Credential) ValidAt(at int64) bool {
	return c.State == Valid && (c.From.IsZero() || c.From.Unix() <= at) && (c.Until.IsZero() || at < c.Until.Unix())
}

// passwordLetters leaves out those that are easily mistaken for one another.
const passwordLetters = "abcdefghjkmnpqrstuvwxyz23456789"
