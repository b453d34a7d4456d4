package org

import (
	"slices"
	"strconv"
	"strings"

	"loyallatch.example/latch/internal/core/card"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/table"
)

// BadgeState says where a badge is.
type BadgeState string

// The states of a badge. One that is returned is in stock again; what it was before is in its history.
const (
	InStock   BadgeState = "stock"
	Issued    BadgeState = "issued" // somebody has it, by the credential that is theirs
	Lost      BadgeState = "lost"
	Destroyed BadgeState = "destroyed"
)

// Words returns the state as a person says it.
func (s BadgeState) Words() string {
	if s == InStock {
		return "in stock"
	}
	return string(s)
}

// Badge is a thing of its own, which people hold one after another: each time it is issued makes a credential of its
// own, so that whose it was, and from when until when, stays on record. Its number is no secret; two badges of one
// format have different numbers.
type Badge struct {
	ID       credential.BadgeID `json:"id"`
	Format   card.Format        `json:"format"`
	Number   string             `json:"number"` // as the format writes it
	Label    string             `json:"label,omitempty"`
	Site     estate.PlaceID     `json:"site"` // whose stock it belongs to
	State    BadgeState         `json:"state"`
	Day      bool               `json:"day,omitempty"` // lent for a shift, and due at its end
	Revision uint64             `json:"-"`
}

var badgeKind = &kindOf[Badge, credential.BadgeID]{name: "badge", plural: "badges",
	table:    func(s *State) *table.Table[Badge] { return &s.Badges },
	id:       func(b *Badge) credential.BadgeID { return b.ID },
	revision: func(b *Badge) *uint64 { return &b.Revision },
	code:     func(b *Badge) string { return b.Number }, codeField: "number",
	key:      func(b *Badge) string { return badgeKey(b.Format, b.Number) },
	label:    func(_ *State, b *Badge) string { return "badge " + b.Number },
	outOfUse: func(b *Badge) bool { return b.State == Destroyed },
	refers:   func(b *Badge, to Reference) bool { return refersTo("place", b.Site, to) },
	checks:   (*checking).badge}

// BadgeByNumber returns the badge of a format with a number, or nil.
func (s *State) BadgeByNumber(format card.Format, number string) *Badge {
	return badgeKind.byCode(s, badgeKey(format, number))
}

func badgeKey(format card.Format, number string) string { return string(format) + " " + number }

// Badge returns the badge with the number of its record, or nil.
func (s *State) Badge(id credential.BadgeID) *Badge { return s.Badges.Get(uint32(id)) }

// Reference names a badge and no other: its own number, with the format and a colon before it.
func (b *Badge) Reference() string { return string(b.Format) + ":" + b.Number }

// BadgeNamed returns the badge that a reference names: by the number of its record, by its own number, or by that with
// the format and a colon before it, where several badges are meant otherwise. It is nil where there is none or are
// several.
func (s *State) BadgeNamed(reference string) *Badge {
	var found *Badge
	if id, err := strconv.ParseUint(reference, 10, 32); err == nil {
		found = s.Badge(credential.BadgeID(id))
	}
	formats := card.Formats
	if format, number, stated := strings.Cut(reference, ":"); stated && card.Format(format).Known() {
		formats, reference = []card.Format{card.Format(format)}, number
	}
	for _, format := range formats {
		number, err := card.Canonical(format, reference)
		if b := s.BadgeByNumber(format, number); err == nil && b != nil {
			if found != nil && found != b {
				return nil
			}
			found = b
		}
	}
	return found
}

// BadgesOf returns the badges on record that have one of the readings of a read, each once, in their order.
func (s *State) BadgesOf(readings []card.Reading) (badges []*Badge) {
	for _, r := range readings {
		if b := s.BadgeByNumber(r.Format, r.Number); b != nil && r.Problem == "" && !slices.Contains(badges, b) {
			badges = append(badges, b)
		}
	}
	return badges
}

// BadgeShown returns the credential by which somebody holds the badge that was read; nil where nobody does, or where
// the read could be that of badges of several people.
func (s *State) BadgeShown(read string) *credential.Credential {
	readings, err := card.Read(read)
	if err != nil {
		return nil
	}
	var held *credential.Credential
	for _, b := range s.BadgesOf(readings) {
		if c := s.HolderOf(b.ID); c != nil {
			if held != nil {
				return nil
			}
			held = c
		}
	}
	return held
}

// HolderOf returns the credential by which somebody holds a badge, be it suspended or lost; nil where nobody does.
func (s *State) HolderOf(id credential.BadgeID) *credential.Credential {
	number, _ := s.byBadge.Get(id)
	return s.Credential(number)
}

// IssuesOf returns every credential by which a badge was ever held, in the order in which it was issued.
func (s *State) IssuesOf(id credential.BadgeID) (issues []*credential.Credential) {
	if list := s.issues.Get(uint32(id)); list != nil {
		for _, number := range *list {
			issues = append(issues, s.Credential(number))
		}
	}
	return issues
}
