package store

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"time"

	"gorm.io/gorm"

	"loyallatch.example/latch/internal/core/credential"
)

// The kinds of what guesses are counted at.
const (
	TryAccount = "account" // somebody's sign-in name
	TryAddress = "address"
	TryPair    = "pair"   // an account from an address it has signed in from before
	TryReader  = "reader" // a place at which a PIN alone is typed
	TryDevice  = "device" // all places that one device asks for
	TryPIN     = "pin"    // somebody who asks about PINs, or chooses one
	TryBadge   = "badge"  // a badge that was shown with a PIN, at a place or a site
)

type tryRow struct {
	Subject   []byte
	Kind      string
	Count     int
	FirstAt   time.Time
	HeldUntil *time.Time
	Holds     int
	LastAt    time.Time
}

func (tryRow) TableName() string { return "tries" }

// Tried is one thing at which a guess is counted, and what it is, where it can be named.
type Tried struct {
	Subject      [32]byte
	Kind         string
	Rule         credential.TryRule
	Place, Staff uint32
}

// Try counts a guess at all that it is counted at, before it is known to be wrong, so that many at once do not pass
// together. Where one of them takes none until some time, none is counted, and held says so. Else until is the latest
// time until which one takes none after this guess, zero where each takes more. Right takes a guess back.
func (s *Store) Try(ctx context.Context, at []Tried, now time.Time) (until time.Time, held bool, err error) {
	now = now.UTC()
	at = slices.Clone(at) // locked in one order, so that two guesses do not wait for each other
	slices.SortFunc(at, func(a, b Tried) int { return cmp.Compare(string(a.Subject[:]), string(b.Subject[:])) })
	err = transact(ctx, s.db, func(db *gorm.DB) error {
		until, held = time.Time{}, false
		all := make([]credential.Tries, len(at))
		for i := range at {
			subject := at[i].Subject[:]
			if err := db.Exec("INSERT INTO tries (kind, subject, count, first_at, holds, last_at) VALUES (?, ?, 0, ?, "+
				"0, ?) ON DUPLICATE KEY UPDATE subject = subject", at[i].Kind, subject, now, now).Error; err != nil {
				return err
			}
			var row tryRow
			if err := db.Raw("SELECT * FROM tries WHERE subject = ? FOR UPDATE", subject).Scan(&row).Error; err != nil {
				return err
			}
			all[i] = credential.TriesOf(row.Count, row.FirstAt, value(row.HeldUntil), row.Holds)
			if to, is := all[i].Held(now); is {
				until, held = later(until, to), true
			}
		}
		if held {
			return nil
		}
		for i := range at {
			all[i].Wrong(at[i].Rule, now)
			count, first, to, holds := all[i].Parts()
			if to.After(now) {
				until = later(until, to)
			}
			if err := db.Exec("UPDATE tries SET count = ?, first_at = ?, held_until = ?, holds = ?, last_at = ?, "+
				"place_id = ?, staff_id = ? WHERE subject = ?", count, first, filled(to), holds, now,
				filled(at[i].Place), filled(at[i].Staff), at[i].Subject[:]).Error; err != nil {
				return err
			}
		}
		return nil
	})
	return until, held, err
}

func later(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}

// Right takes back a guess that was right. With forget, all that was counted there is forgotten.
func (s *Store) Right(ctx context.Context, at []Tried, forget bool) error {
	subjects := make([][]byte, len(at))
	for i := range at {
		subjects[i] = at[i].Subject[:]
	}
	if len(at) == 0 {
		return nil
	}
	if forget {
		return s.db.WithContext(ctx).Exec("DELETE FROM tries WHERE subject IN ?", subjects).Error
	}
	return s.db.WithContext(ctx).Exec("UPDATE tries SET count = IF(count > 0, count - 1, 0), "+
		"holds = IF(held_until IS NULL OR holds = 0, holds, holds - 1), held_until = NULL WHERE subject IN ?",
		subjects).Error
}

// Held is something at which tries are held up.
type Held struct {
	Subject   []byte
	HeldUntil time.Time
	PlaceID   uint32
	StaffID   uint32
	Kind      string
}

// mostHeld bounds how many are read.
const mostHeld = 10_000

// HeldUp returns where tries at doors and terminals are held up.
func (s *Store) HeldUp(ctx context.Context, now time.Time) (held []Held, err error) {
	return held, s.own.WithContext(ctx).Raw("SELECT subject, held_until, COALESCE(place_id, 0) AS place_id, "+
		"COALESCE(staff_id, 0) AS staff_id, kind FROM tries WHERE kind IN ? AND held_until > ? "+
		"ORDER BY held_until LIMIT ?", []string{TryReader, TryDevice, TryBadge}, now.UTC(), mostHeld).Scan(&held).Error
}

// ForgetTries forgets what was counted at the readers of a place, and at the devices that stand at it or at places
// above
// it.
func (s *Store) ForgetTries(ctx context.Context, place uint32, above ...uint32) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM tries WHERE kind = ? AND place_id = ? OR kind = ? AND place_id IN ?",
		TryReader, place, TryDevice, append(above, place)).Error
}

// ForgetBadgeTries forgets what was counted at the badges of somebody, wherever it was.
func (s *Store) ForgetBadgeTries(ctx context.Context, staff uint32) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM tries WHERE staff_id = ? AND kind = ?", staff, TryBadge).Error
}

// Knows reports whether an account has signed in from an address before.
func (s *Store) Knows(ctx context.Context, subject [32]byte) (bool, error) {
	var last time.Time
	err := s.db.WithContext(ctx).Raw("SELECT last_at FROM known_addresses WHERE subject = ?",
		subject[:]).Row().Scan(&last)
	if errors.Is(err, errNoRows) {
		return false, nil
	}
	return err == nil, err
}

// Know notes that an account has signed in from an address.
func (s *Store) Know(ctx context.Context, subject [32]byte, now time.Time) error {
	return s.db.WithContext(ctx).Exec(
		"INSERT INTO known_addresses (last_at, subject) VALUES (?, ?) "+
			"ON DUPLICATE KEY UPDATE last_at = VALUES(last_at)", now.UTC(), subject[:]).Error
}

// HeldAt reports whether tries at a subject are held up, and until when, without counting one.
func (s *Store) HeldAt(ctx context.Context, subject [32]byte, now time.Time) (until time.Time, held bool, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT held_until FROM tries WHERE subject = ? AND held_until > ?", subject[:],
		now.UTC()).Row().Scan(&until)
	if errors.Is(err, errNoRows) {
		return until, false, nil
	}
	return until, err == nil, err
}
