package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// MailedReport is a report that is mailed to somebody now and then.
type MailedReport struct {
	ID      uint64
	StaffID uint32
	Report  string
	Query   string
	Often   string
	NextAt  time.Time
}

// MailedReports returns what is mailed to somebody.
func (s *Store) MailedReports(ctx context.Context, staff uint32) (list []MailedReport, err error) {
	return list, s.db.WithContext(ctx).Where("staff_id = ?", staff).Order("id").Find(&list).Error
}

// AddMailedReport lets a report be mailed, and returns its number.
func (s *Store) AddMailedReport(ctx context.Context, m *MailedReport) (uint64, error) {
	err := s.db.WithContext(ctx).Create(m).Error
	return m.ID, err
}

// EndMailedReport ends that a report is mailed to somebody; ended is false where none of that number is.
func (s *Store) EndMailedReport(ctx context.Context, staff uint32, id uint64) (ended bool, err error) {
	done := s.db.WithContext(ctx).Where("id = ? AND staff_id = ?", id, staff).Delete(&MailedReport{})
	return done.RowsAffected > 0, done.Error
}

// mostDue bounds how many reports are made in one round.
const mostDue = 100

// DueReports returns the reports whose time has come.
func (s *Store) DueReports(ctx context.Context, now time.Time) (list []MailedReport, err error) {
	return list, s.db.WithContext(ctx).Where("next_at <= ?", now.UTC()).Order("next_at").Limit(mostDue).Find(
		&list).Error
}

// SendReport puts the message of a report, which may be none, among those to be sent, and notes when the next is due.
// Whoever does it first does it, of several instances.
func (s *Store) SendReport(ctx context.Context, m *MailedReport, next time.Time, mail *Mail) error {
	return transact(ctx, s.db, func(db *gorm.DB) error {
		done := db.Model(&MailedReport{}).Where("id = ? AND next_at = ?", m.ID, m.NextAt.UTC()).Update("next_at",
			next.UTC())
		if done.Error != nil || done.RowsAffected == 0 {
			return done.Error
		}
		return addMails(db, []*Mail{mail})
	})
}
