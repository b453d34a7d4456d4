package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
)

// The kinds of what acts for a person by a token.
const (
	ConsoleSession = "console"
	ClientToken    = "client"
	Feed           = "feed"  // an address at which a calendar reads
	Visit          = "visit" // somebody who has shown themselves at a shared terminal
)

// Session is something that acts for a person by a token, which is held as its SHA-256. It ends with the credential
// that it came from.
type Session struct {
	ID           uint64
	Token        []byte
	StaffID      uint32
	Kind         string
	Scope        string
	Name         string
	Address      string // from which it was begun
	CredentialID uint32 // that it came from
	SecondID     uint32 // of a visit by a PIN and a badge, the badge; else 0
	DeviceID     uint32 // the terminal of a visit; else 0
	CreatedAt    time.Time
	LastUsed     *time.Time
	ExpiresAt    time.Time
}

// TableName names the table.
func (Session) TableName() string { return "sessions" }

// AddSession stores a session.
func (s *Store) AddSession(ctx context.Context, session *Session) error {
	return s.db.WithContext(ctx).Create(session).Error
}

// SessionByToken returns the session with the token digest that is of one of some kinds, expired or not; nil when there
// is none.
func (s *Store) SessionByToken(ctx context.Context, token []byte, kinds ...string) (*Session, error) {
	var session Session
	err := s.db.WithContext(ctx).Where("token = ? AND kind IN ?", token, kinds).Take(&session).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	return &session, err
}

// Sessions returns somebody's sessions that have not expired, of some kinds or of all, newest first.
func (s *Store) Sessions(ctx context.Context, staff uint32, now time.Time, kinds ...string) (list []Session,
	err error) {
	of := s.db.WithContext(ctx).Where("staff_id = ? AND expires_at > ?", staff, now.UTC())
	if len(kinds) > 0 {
		of = of.Where("kind IN ?", kinds)
	}
	return list, of.Order("id DESC").Limit(200).Find(&list).Error
}

// Tokens returns the clients' tokens that expire from one instant until before another, at most 10,000 of them, the
// earliest first.
func (s *Store) Tokens(ctx context.Context, from, until time.Time) (tokens []Session, err error) {
	return tokens, s.db.WithContext(ctx).Where("kind = 'client' AND expires_at >= ? AND expires_at < ?", from.UTC(),
		until.UTC()).Order("expires_at, id").Limit(10_000).Find(&tokens).Error
}

// EndSession ends one of somebody's sessions; found is false when it is not theirs or not there.
func (s *Store) EndSession(ctx context.Context, staff uint32, id uint64) (found bool, err error) {
	return (&Tx{db: s.db.WithContext(ctx)}).EndSession(staff, id)
}

// UseSession notes that a session was used.
func (s *Store) UseSession(ctx context.Context, id uint64, now time.Time) error {
	return s.db.WithContext(ctx).Exec("UPDATE sessions SET last_used = ? WHERE id = ?", now.UTC(), id).Error
}

// EndSessions ends all sessions of some people but one, which may be 0; where a moment is given, those that began by
// then.
func (tx *Tx) EndSessions(staff []uint32, keep uint64, by time.Time) error {
	for first := 0; first < len(staff); first += batch {
		of := tx.db.Where("staff_id IN ? AND id <> ?", staff[first:min(first+batch, len(staff))], keep)
		if !by.IsZero() {
			of = of.Where("created_at <= ?", by.UTC())
		}
		if err := of.Delete(&Session{}).Error; err != nil {
			return err
		}
	}
	return nil
}

// EndDerived ends the sessions that came from credentials which count no more, all but one, which may be 0: that one
// goes on with the credential that came in the place of its own.
func (tx *Tx) EndDerived(ended []uint32, keep uint64, instead map[uint32]uint32) error {
	for first := 0; first < len(ended); first += batch {
		of := ended[first:min(first+batch, len(ended))]
		if err := tx.db.Where("(credential_id IN ? OR second_id IN ?) AND id <> ?", of, of,
			keep).Delete(&Session{}).Error; err != nil {
			return err
		}
	}
	for old, next := range instead {
		if err := tx.db.Exec("UPDATE sessions SET credential_id = ? WHERE id = ? AND credential_id = ?", next, keep,
			old).Error; err != nil {
			return err
		}
	}
	return nil
}

// EndSession ends one of somebody's sessions; found is false when it is not theirs or not there.
func (tx *Tx) EndSession(staff uint32, id uint64) (found bool, err error) {
	result := tx.db.Where("id = ? AND staff_id = ?", id, staff).Delete(&Session{})
	return result.RowsAffected > 0, result.Error
}

// EndLink lets one of somebody's links lead nowhere.
func (tx *Tx) EndLink(staff uint32, token []byte, now time.Time) (found bool, err error) {
	result := tx.db.Exec("UPDATE links SET used_at = ? WHERE staff_id = ? AND token = ? AND used_at IS NULL", now.UTC(),
		staff, token)
	return result.RowsAffected > 0, result.Error
}

// unplan takes back plans: the drafts stay, open.
const unplan = "UPDATE drafts SET state = 'open', planned_for = NULL, version = version + 1, updated_at = ? " +
	"WHERE owner_id = ? AND state = 'planned'"

// Unplan takes back the plan of one of somebody's drafts.
func (tx *Tx) Unplan(staff uint32, draft uint64, now time.Time) (found bool, err error) {
	result := tx.db.Exec(unplan+" AND id = ?", now.UTC(), staff, draft)
	return result.RowsAffected > 0, result.Error
}

// EndActing ends all that acts for somebody, but one session, which may be 0: sessions, links, and the plans of drafts,
// which stay as open drafts. It says how many that were.
func (tx *Tx) EndActing(staff uint32, keep uint64, now time.Time) (ended int64, err error) {
	for _, step := range []struct {
		statement string
		by        []any
	}{
		{"DELETE FROM sessions WHERE staff_id = ? AND id <> ?", []any{staff, keep}},
		{"UPDATE links SET used_at = ? WHERE staff_id = ? AND used_at IS NULL AND expires_at > ?",
			[]any{now.UTC(), staff, now.UTC()}},
		{unplan, []any{now.UTC(), staff}},
	} {
		result := tx.db.Exec(step.statement, step.by...)
		if result.Error != nil {
			return ended, result.Error
		}
		ended += result.RowsAffected
	}
	return ended, nil
}
