package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// FileKind says what a file shows.
type FileKind string

// The kinds: a photo of a person, a scan of a certificate.
const (
	Photo FileKind = "photo"
	Scan  FileKind = "scan"
)

// File is a photo or a scan, one for a record. It stands beside the records: nobody's access depends on it.
type File struct {
	Kind      FileKind `gorm:"primaryKey"`
	Record    uint32   `gorm:"primaryKey"`
	MediaType string
	Content   []byte
	KeptBy    uint32
	KeptAt    time.Time
}

// KeepFile writes a file in the place of the one before, and what is said of it into the audit log, both or neither.
func (s *Store) KeepFile(ctx context.Context, file *File, entry AuditEntry, subject Subject) error {
	return s.Change(ctx, time.Time{}, func(tx *Tx) error {
		if err := tx.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(file).Error; err != nil {
			return err
		}
		_, err := tx.Audit(entry, []Subject{subject})
		return err
	})
}

// RemoveFile deletes a file, and says so in the audit log.
func (s *Store) RemoveFile(ctx context.Context, kind FileKind, record uint32, entry AuditEntry,
	subject Subject) (found bool, err error) {
	err = s.Change(ctx, time.Time{}, func(tx *Tx) error {
		result := tx.db.Where("kind = ? AND record = ?", kind, record).Delete(&File{})
		if found = result.RowsAffected > 0; result.Error != nil || !found {
			return result.Error
		}
		_, err := tx.Audit(entry, []Subject{subject})
		return err
	})
	return found, err
}

// FileOf returns the file of a record, or nil.
func (s *Store) FileOf(ctx context.Context, kind FileKind, record uint32) (*File, error) {
	var file File
	err := s.db.WithContext(ctx).Where("kind = ? AND record = ?", kind, record).Take(&file).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	return &file, err
}

// FilesOf returns the files of some records.
func (s *Store) FilesOf(ctx context.Context, kind FileKind, records []uint32) (files []File, err error) {
	return files, s.db.WithContext(ctx).Where("kind = ? AND record IN ?", kind, records).Find(&files).Error
}

// WithFile returns which of some records have a file.
func (s *Store) WithFile(ctx context.Context, kind FileKind, records []uint32) (have []uint32, err error) {
	return have, s.db.WithContext(ctx).Model(&File{}).Where("kind = ? AND record IN ?", kind, records).
		Pluck("record", &have).Error
}
