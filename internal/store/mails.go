package store

import (
	"context"
	"errors"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Mail is a message that is to be sent, and what became of it.
type Mail struct {
	ID        uint64
	Kind      string
	StaffID   uint32
	Recipient string
	Subject   string
	Body      *string // gone once it is sent
	Once      *string // two of the same are one
	MadeAt    time.Time
	NextAt    *time.Time // nil: sent, or given up
	Tries     uint32
	SentAt    *time.Time
	Problem   string
	Digest    string // daily or weekly: it waits for that; empty: it is sent by itself
}

// AddMails puts messages among those to be sent; a nil one is none, and those that are there already under the same
// word
// are left alone.
func (s *Store) AddMails(ctx context.Context, mails []*Mail) error {
	return addMails(s.db.WithContext(ctx), mails)
}

// AddMails does so with a change.
func (tx *Tx) AddMails(mails []*Mail) error { return addMails(tx.db, mails) }

func addMails(db *gorm.DB, mails []*Mail) error {
	mails = slices.DeleteFunc(slices.Clone(mails), func(m *Mail) bool { return m == nil })
	if len(mails) == 0 {
		return nil
	}
	return db.Clauses(clause.OnConflict{DoNothing: true}).CreateInBatches(mails, 500).Error
}

// sendingFor is for how long a message that an instance is sending is left to it.
const sendingFor = time.Minute

// DueMail takes the message that waits the longest, for sending: no other instance takes it meanwhile. It is nil where
// none waits.
func (s *Store) DueMail(ctx context.Context, now time.Time) (*Mail, error) {
	var m Mail
	err := transact(ctx, s.db, func(db *gorm.DB) error {
		m = Mail{}
		if err := db.Raw("SELECT * FROM mails WHERE next_at <= ? ORDER BY next_at LIMIT 1 FOR UPDATE SKIP LOCKED",
			now.UTC()).Take(&m).Error; err != nil {
			return err
		}
		return db.Model(&Mail{}).Where("id = ?", m.ID).Updates(map[string]any{"next_at": now.UTC().Add(sendingFor),
			"tries": m.Tries + 1}).Error
	})
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	return &m, err
}

// MailSent notes that a message was sent; its body is kept no longer.
func (s *Store) MailSent(ctx context.Context, id uint64, at time.Time) error {
	return s.db.WithContext(ctx).Model(&Mail{}).Where("id = ?", id).Updates(map[string]any{"sent_at": at.UTC(),
		"next_at": nil, "body": nil, "problem": "", "once": gorm.Expr("IF(kind IN ('changed', 'back'), NULL, once)"),
	}).Error
}

// MailFailed notes that a message could not be sent, and when it is tried again; next is nil where it is given up.
func (s *Store) MailFailed(ctx context.Context, id uint64, problem string, next *time.Time) error {
	fields := map[string]any{"problem": problem, "next_at": nil}
	if next != nil {
		fields["next_at"] = next.UTC()
	} else {
		fields["body"] = nil
	}
	return s.db.WithContext(ctx).Model(&Mail{}).Where("id = ?", id).Updates(fields).Error
}

// MailsTo returns the messages to somebody, the newest first, from before one of them, 0: from the newest; and how
// many there are in all.
func (s *Store) MailsTo(ctx context.Context, staff uint32, before uint64, limit int) (list []Mail, total int,
	err error) {
	if err := s.db.WithContext(ctx).Raw("SELECT COUNT(*) FROM mails WHERE staff_id = ?", staff).Row().Scan(
		&total); err != nil {
		return nil, 0, err
	}
	query := s.db.WithContext(ctx).Where("staff_id = ?", staff)
	if before > 0 {
		query = query.Where("id < ?", before)
	}
	return list, total, query.Omit("body").Order("id DESC").Limit(limit).Find(&list).Error
}

// DigestReader is somebody for whose digest messages wait.
type DigestReader struct {
	StaffID uint32
	Digest  string
}

// DigestReaders returns for whose digests messages wait.
func (s *Store) DigestReaders(ctx context.Context) (list []DigestReader, err error) {
	return list, s.db.WithContext(ctx).Raw("SELECT DISTINCT staff_id, digest FROM mails WHERE digest <> '' AND " +
		"body IS NOT NULL AND sent_at IS NULL").Scan(&list).Error
}

// mostInDigest bounds how many messages one digest holds; the others wait for the next.
const mostInDigest = 200

// SendDigest makes one message of those that wait for somebody's digest. Where there is one under its word already,
// they wait on.
func (s *Store) SendDigest(ctx context.Context, r DigestReader, now time.Time, make func([]Mail) *Mail) error {
	return transact(ctx, s.db, func(db *gorm.DB) error {
		var held []Mail
		if err := db.Raw("SELECT * FROM mails WHERE staff_id = ? AND digest = ? AND body IS NOT NULL AND sent_at IS "+
			"NULL "+
			"ORDER BY id LIMIT ? FOR UPDATE", r.StaffID, r.Digest, mostInDigest).Scan(&held).Error; err != nil || len(
			held) == 0 {
			return err
		}
		m := make(held)
		if m == nil {
			return nil
		}
		made := db.Clauses(clause.OnConflict{DoNothing: true}).Create(m)
		if made.Error != nil || made.RowsAffected == 0 {
			return made.Error
		}
		ids := []uint64{}
		for i := range held {
			ids = append(ids, held[i].ID)
		}
		return db.Model(&Mail{}).Where("id IN ?", ids).Updates(map[string]any{"sent_at": now.UTC(), "body": nil}).Error
	})
}

// MessageChoices returns what people have chosen to be told, by their numbers.
func (s *Store) MessageChoices(ctx context.Context) (map[uint32]string, error) {
	var rows []struct {
		StaffID uint32
		Choice  string
	}
	err := s.db.WithContext(ctx).Raw("SELECT staff_id, choice FROM message_choices").Scan(&rows).Error
	all := map[uint32]string{}
	for _, row := range rows {
		all[row.StaffID] = row.Choice
	}
	return all, err
}

// KeepMessageChoices keeps what somebody has chosen to be told.
func (s *Store) KeepMessageChoices(ctx context.Context, staff uint32, choice string) error {
	return s.db.WithContext(ctx).Exec("INSERT INTO message_choices (staff_id, choice) VALUES (?, ?) "+
		"ON DUPLICATE KEY UPDATE choice = VALUES(choice)", staff, choice).Error
}

// MailWaiting is what of the mail does not go out.
type MailWaiting struct {
	Failing int    // that wait for longer than they should, and were tried
	GivenUp int    // of late
	Problem string // of the newest of them
}

// MailWaiting says how many messages wait since before a moment, and how many were given up since another.
func (s *Store) MailWaiting(ctx context.Context, before, since time.Time) (w MailWaiting, err error) {
	row := s.own.WithContext(ctx).Raw("SELECT COALESCE(SUM(next_at IS NOT NULL AND tries > 0), 0), "+
		"COALESCE(SUM(next_at IS NULL AND tries > 1), 0), "+
		"COALESCE(SUBSTRING_INDEX(GROUP_CONCAT(problem ORDER BY id DESC SEPARATOR '\n'), '\n', 1), '') FROM mails "+
		"WHERE sent_at IS NULL AND problem <> '' AND (next_at IS NOT NULL AND made_at < ? OR next_at IS NULL AND "+
		"made_at > ?)", before.UTC(), since.UTC()).Row()
	return w, row.Scan(&w.Failing, &w.GivenUp, &w.Problem)
}
