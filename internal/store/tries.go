package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"

	"loyallatch.example/latch/internal/core/credential"
)

// The kinds of what wrong tries are counted at.
const (
	TryAccount = "account" // somebody's sign-in name
	TryAddress = "address"
	TryPair    = "pair" // an account from an address it has signed in from before
	TryReader  = "reader"
	TryPIN     = "pin"   // a manager who asks about PINs, or chooses them
	TryStaff   = "staff" // somebody whose badge was shown with a wrong PIN
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

// Tried is where a try is made: the subject it is counted at, and what that is, where it can be named.
type Tried struct {
	Subject      [32]byte
	Kind         string
	Place, Staff uint32
}

// TryAt is Try for one that can be named; where it is the last that is taken, the row says where and whose.
func (s *Store) TryAt(ctx context.Context, at Tried, rule credential.TryRule, now time.Time) (heldUntil time.Time,
	held bool, err error) {
	heldUntil, held, err = s.Try(ctx, at.Subject[:], at.Kind, rule, now)
	if err != nil || held || !heldUntil.After(now) {
		return heldUntil, held, err
	}
	return heldUntil, held, s.db.WithContext(ctx).Exec("UPDATE tries SET place_id = ?, staff_id = ? WHERE subject = ?",
		filled(at.Place), filled(at.Staff), at.Subject[:]).Error
}

// Try counts a try before it is known to be wrong, so that many at once do not pass together. Where tries are held up
// it counts none and says until when. Right takes a try back that was right.
func (s *Store) Try(ctx context.Context, subject []byte, kind string, rule credential.TryRule,
	now time.Time) (heldUntil time.Time, held bool, err error) {
	now = now.UTC()
	err = transact(ctx, s.db, func(db *gorm.DB) error {
		if err := db.Exec("INSERT INTO tries (kind, subject, count, first_at, holds, last_at) VALUES (?, ?, 0, ?, "+
			"0, ?) ON DUPLICATE KEY UPDATE subject = subject",
			kind, subject, now, now).Error; err != nil {
			return err
		}
		var row tryRow
		if err := db.Raw("SELECT * FROM tries WHERE subject = ? FOR UPDATE", subject).Scan(&row).Error; err != nil {
			return err
		}
		tries := credential.TriesOf(row.Count, row.FirstAt, value(row.HeldUntil), row.Holds)
		if heldUntil, held = tries.Held(now); held {
			return nil
		}
		tries.Wrong(rule, now)
		count, first, until, holds := tries.Parts()
		heldUntil = until
		return db.Exec("UPDATE tries SET count = ?, first_at = ?, held_until = ?, holds = ?, last_at = ? WHERE "+
			"subject = ?", count, first, filled(until), holds, now, subject).Error
	})
	return heldUntil, held, err
}

// Right takes back a try that was right. With forget, it forgets all that was counted there.
func (s *Store) Right(ctx context.Context, subject []byte, forget bool) error {
	if forget {
		return s.db.WithContext(ctx).Exec("DELETE FROM tries WHERE subject = ?", subject).Error
	}
	return s.db.WithContext(ctx).Exec("UPDATE tries SET count = IF(count > 0, count - 1, 0), "+
		"holds = IF(held_until IS NULL OR holds = 0, holds, holds - 1), held_until = NULL WHERE subject = ?",
		subject).Error
}

// Held is something at which tries are held up.
type Held struct {
	Subject   []byte
	HeldUntil time.Time
	PlaceID   uint32
	StaffID   uint32
	Count     int
}

// mostHeld bounds how many are read.
const mostHeld = 10_000

// HeldUp returns where tries at doors and terminals are held up.
func (s *Store) HeldUp(ctx context.Context, now time.Time) (held []Held, err error) {
	return held, s.own.WithContext(ctx).Raw("SELECT subject, held_until, COALESCE(place_id, 0) AS place_id, "+
		"COALESCE(staff_id, 0) AS staff_id, count FROM tries WHERE kind IN (?, ?) AND held_until > ? "+
		"ORDER BY held_until LIMIT ?", TryReader, TryStaff, now.UTC(), mostHeld).Scan(&held).Error
}

// ForgetTries forgets what was counted at the readers of places, or of people.
func (s *Store) ForgetTries(ctx context.Context, places, staff []uint32) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM tries WHERE place_id IN ? OR staff_id IN ?",
		append([]uint32{0}, places...), append([]uint32{0}, staff...)).Error
}

// Knows reports whether an account has signed in from an address before.
func (s *Store) Knows(ctx context.Context, subject []byte) (bool, error) {
	var last time.Time
	err := s.db.WithContext(ctx).Raw("SELECT last_at FROM known_addresses WHERE subject = ?", subject).Row().Scan(&last)
	if errors.Is(err, errNoRows) {
		return false, nil
	}
	return err == nil, err
}

// Know notes that an account has signed in from an address.
func (s *Store) Know(ctx context.Context, subject []byte, now time.Time) error {
	return s.db.WithContext(ctx).Exec(
		"INSERT INTO known_addresses (last_at, subject) VALUES (?, ?) "+
			"ON DUPLICATE KEY UPDATE last_at = VALUES(last_at)", now.UTC(), subject).Error
}

// HeldAt reports whether tries at a subject are held up, and until when, without counting one.
func (s *Store) HeldAt(ctx context.Context, subject []byte, now time.Time) (until time.Time, held bool, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT held_until FROM tries WHERE subject = ? AND held_until > ?", subject,
		now.UTC()).Row().Scan(&until)
	if errors.Is(err, errNoRows) {
		return until, false, nil
	}
	return until, err == nil, err
}
