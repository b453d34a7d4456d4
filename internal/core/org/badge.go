package org

import "loyallatch.example/latch/internal/core/credential"

// BadgeState says where a badge is.
type BadgeState string

// The states of a badge. One that is returned is in stock again; what it was before is in its history.
const (
	InStock   BadgeState = "stock"
	Issued    BadgeState = "issued" // somebody has it, by the credential that is theirs
	Lost      BadgeState = "lost"
	Destroyed BadgeState = "destroyed"
)

// Badge is a thing of its own, which people hold one after another: each time it is issued makes a credential of its
// own, so that whose it was, and from when until when, stays on record. Its number is no secret; two badges of one
// format have different numbers.
type Badge struct {
	ID       credential.BadgeID `json:"id"`
	Format   string             `json:"format"` // of the card: "wiegand26", "uid7"
	Number   string             `json:"number"` // as the format writes it
	Label    string             `json:"label,omitempty"`
	State    BadgeState         `json:"state"`
	Day      bool               `json:"day,omitempty"` // lent for a shift, and due at its end
	Revision uint64             `json:"-"`
}

// PutBadge stores a badge; its format and number never change.
func (s *State) PutBadge(b *Badge) {
	s.Badges.Put(uint32(b.ID), b)
	s.badgeByNumber.Put(badgeKey(b.Format, b.Number), b.ID)
}

// BadgeByNumber returns the badge of a format with a number, or nil.
func (s *State) BadgeByNumber(format, number string) *Badge {
	id, _ := s.badgeByNumber.Get(badgeKey(format, number))
	return s.Badges.Get(uint32(id))
}

func badgeKey(format, number string) string { return key(format) + " " + key(number) }
