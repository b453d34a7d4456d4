package store

import (
	"context"
	"errors"
	"time"

	"github.com/go-sql-driver/mysql"
	"gorm.io/gorm"
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
}

// duplicate is the number of the error that a unique key is in use.
const duplicate = 1062

// AddMail puts a message among those to be sent; one that is there already under the same word is left alone.
func (s *Store) AddMail(ctx context.Context, m *Mail) error {
	return unlessThere(s.db.WithContext(ctx).Create(m).Error)
}

// AddMail puts a message among those to be sent, with a change.
func (tx *Tx) AddMail(m *Mail) error { return unlessThere(tx.db.Create(m).Error) }

func unlessThere(err error) error {
	var refused *mysql.MySQLError
	if errors.As(err, &refused) && refused.Number == duplicate {
		return nil
	}
	return err
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
		"next_at": nil, "body": nil, "problem": ""}).Error
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

// MailsUnsent returns messages that were given up, the newest first.
func (s *Store) MailsUnsent(ctx context.Context, since time.Time) (list []Mail, err error) {
	return list, s.db.WithContext(ctx).Where("sent_at IS NULL AND next_at IS NULL AND made_at > ?", since.UTC()).
		Order("id DESC").Limit(100).Find(&list).Error
}
