package store

import (
	"context"
	"time"
)

// What is used once, until it runs out: codes by which terminals are registered, and links by which people choose a
// PIN. All that is kept of either is a keyed digest.

// AddTerminalCode keeps a code by which a device is registered.
func (s *Store) AddTerminalCode(ctx context.Context, digest []byte, device uint32, expires time.Time) error {
	return s.db.WithContext(ctx).Exec("INSERT INTO terminal_codes (device_id, code, expires_at) VALUES (?, ?, ?)",
		device,
		digest, expires.UTC()).Error
}

// UseTerminalCode uses a code, once; ok is false for one that is none, was used, or has run out.
func (s *Store) UseTerminalCode(ctx context.Context, digest []byte, now time.Time) (device uint32, ok bool, err error) {
	result := s.db.WithContext(ctx).Exec("UPDATE terminal_codes SET used_at = ? WHERE code = ? AND used_at IS "+
		"NULL AND "+
		"expires_at > ?", now.UTC(), digest, now.UTC())
	if result.Error != nil || result.RowsAffected == 0 {
		return 0, false, result.Error
	}
	err = s.db.WithContext(ctx).Raw("SELECT device_id FROM terminal_codes WHERE code = ?", digest).Scan(&device).Error
	return device, err == nil, err
}

// Link is an address at which somebody chooses a PIN or a password. It counts while what it replaces is the credential
// that it replaced when it was sent.
type Link struct {
	Token        []byte
	Kind         string
	StaffID      uint32
	MadeBy       uint32
	CredentialID uint32 // that it replaces; 0: none
	MadeAt       *time.Time
	ExpiresAt    time.Time
	UsedAt       *time.Time
	Wrong        uint32
}

// MostWrong is how often something wrong may be said at a link before it leads nowhere.
const MostWrong = 5

// AddLink keeps a link. Where a manager sent it, those that somebody had before lead nowhere from then on; one that
// somebody asks for leaves them, as anybody may ask.
func (tx *Tx) AddLink(link *Link, now time.Time) error {
	if link.MadeBy != 0 {
		if err := tx.db.Exec("UPDATE links SET used_at = ? WHERE staff_id = ? AND kind = ? AND used_at IS NULL",
			now.UTC(), link.StaffID, link.Kind).Error; err != nil {
			return err
		}
	}
	link.MadeAt = &now
	return tx.db.Create(link).Error
}

// Links returns somebody's links that still lead somewhere, newest first.
func (s *Store) Links(ctx context.Context, staff uint32, now time.Time) (links []Link, err error) {
	return links, s.db.WithContext(ctx).Where("staff_id = ? AND used_at IS NULL AND expires_at > ? AND wrong < ?",
		staff,
		now.UTC(), MostWrong).Order("made_at DESC").Limit(100).Find(&links).Error
}

// LinkOf returns the link of a token that still leads somewhere; nil where there is none. Looking at it counts as
// something wrong until RightLink says otherwise, so that many who try at once do not pass together.
func (s *Store) LinkOf(ctx context.Context, digest []byte, now time.Time) (*Link, error) {
	result := s.db.WithContext(ctx).Exec("UPDATE links SET wrong = wrong + 1 WHERE token = ? AND used_at IS NULL AND "+
		"expires_at > ? AND wrong < ?", digest, now.UTC(), MostWrong)
	if result.Error != nil || result.RowsAffected == 0 {
		return nil, result.Error
	}
	var link Link
	err := s.db.WithContext(ctx).Where("token = ?", digest).Take(&link).Error
	return &link, err
}

// RightLink takes back that something wrong was said at a link.
func (s *Store) RightLink(ctx context.Context, digest []byte) error {
	return s.db.WithContext(ctx).Exec("UPDATE links SET wrong = wrong - 1 WHERE token = ? AND wrong > 0", digest).Error
}

// UseLink uses a link up, within a change; ok is false where another has.
func (tx *Tx) UseLink(digest []byte, now time.Time) (ok bool, err error) {
	result := tx.db.Exec("UPDATE links SET used_at = ? WHERE token = ? AND used_at IS NULL AND expires_at > ?",
		now.UTC(),
		digest, now.UTC())
	return result.RowsAffected == 1, result.Error
}
