package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"loyallatch.example/latch/internal/core/fault"
)

// Import is a file of people that is brought in.
type Import struct {
	ID         uint64
	OwnerID    uint32
	State      string
	Name       string // of the file
	Content    []byte
	Reading    string // JSON: how it is read
	Reason     string
	Origin     string
	Problem    string // why it could not be brought in
	Done       int    // of the secrets that are being made
	Total      int
	Changes    string     // JSON: numbers of the changes that came of it
	SealedPINs []byte     `gorm:"column:sealed_pins"` // until they are handed out
	PINsUntil  *time.Time `gorm:"column:pins_until"`
	HeldUntil  *time.Time // an instance works at it
	Version    uint32     // counts writes, so that none is overwritten unseen
	CreatedAt  time.Time
	UpdatedAt  time.Time
}

// TableName names the table.
func (Import) TableName() string { return "imports" }

// ImportColumn is what a name in the first line of a file was said to be.
type ImportColumn struct {
	OwnerID    uint32 `gorm:"primaryKey"`
	Header     string `gorm:"primaryKey"`
	ColumnName string
}

// TableName names the table.
func (ImportColumn) TableName() string { return "import_columns" }

// Imports returns somebody's imports without their content, newest first, and how many there are.
func (s *Store) Imports(ctx context.Context, owner uint32, before uint64, limit int) (list []Import, total int64,
	err error) {
	query := s.db.WithContext(ctx).Model(&Import{}).Where("owner_id = ? AND state <> 'discarded'",
		owner).Session(&gorm.Session{})
	if err := query.Count(&total).Error; err != nil {
		return nil, 0, err
	}
	if before != 0 {
		query = query.Where("id < ?", before)
	}
	return list, total, query.Omit("content", "sealed_pins").Order("id DESC").Limit(limit).Find(&list).Error
}

// Import returns an import, or nil.
func (s *Store) Import(ctx context.Context, id uint64) (*Import, error) {
	var found Import
	err := s.db.WithContext(ctx).Where("id = ?", id).Take(&found).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	return &found, err
}

// AddImport stores a new import.
func (s *Store) AddImport(ctx context.Context, i *Import) error {
	i.Version = 1
	return s.db.WithContext(ctx).Create(i).Error
}

// SaveImport writes an import that was read at its version, but for its content; a fault says so where it was written
// meanwhile.
func (s *Store) SaveImport(ctx context.Context, i *Import) error {
	return saveImport(s.db.WithContext(ctx), i)
}

// SaveImport is Store.SaveImport within the transaction of a change, so that a file is brought in once.
func (tx *Tx) SaveImport(i *Import) error { return saveImport(tx.db, i) }

func saveImport(db *gorm.DB, i *Import) error {
	read := i.Version
	i.Version++
	result := db.Model(&Import{}).Where("id = ? AND version = ?", i.ID, read).Select("*").Omit("id", "created_at",
		"content").Updates(i)
	switch {
	case result.Error != nil:
		return result.Error
	case result.RowsAffected != 1:
		return fault.Stalef("This import was changed or brought in elsewhere in the meantime. Read it again; nothing " +
			"was done twice.")
	}
	return nil
}

// HoldImport takes an import that runs and that nobody works at, until a moment; nil where there is none. Of two
// instances one gets it.
func (s *Store) HoldImport(ctx context.Context, now, until time.Time) (*Import, error) {
	var id uint64
	err := s.db.WithContext(ctx).Raw("SELECT id FROM imports WHERE state = 'running' AND (held_until IS NULL OR "+
		"held_until < ?) ORDER BY id LIMIT 1", now.UTC()).Scan(&id).Error
	if err != nil || id == 0 {
		return nil, err
	}
	held, err := s.Import(ctx, id)
	if err != nil || held == nil || held.State != "running" {
		return nil, err
	}
	until = until.UTC()
	held.HeldUntil = &until
	if err := s.SaveImport(ctx, held); fault.Is(err, fault.Stale) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	return held, nil
}

// NoteImport notes how far an import is that an instance works at, and holds it for longer. It counts as no write.
func (s *Store) NoteImport(ctx context.Context, id uint64, done, total int, until time.Time) error {
	return s.db.WithContext(ctx).Model(&Import{}).Where("id = ? AND state = 'running'", id).UpdateColumns(
		map[string]any{
			"done": done, "total": total, "held_until": until.UTC()}).Error
}

// ImportColumns returns what somebody has said of names of columns, by the name.
func (s *Store) ImportColumns(ctx context.Context, owner uint32) (map[string]string, error) {
	var list []ImportColumn
	if err := s.db.WithContext(ctx).Where("owner_id = ?", owner).Limit(1000).Find(&list).Error; err != nil {
		return nil, err
	}
	known := map[string]string{}
	for _, c := range list {
		known[c.Header] = c.ColumnName
	}
	return known, nil
}

// RememberColumns keeps what somebody says of names of columns.
func (s *Store) RememberColumns(ctx context.Context, list []ImportColumn) error {
	if len(list) == 0 {
		return nil
	}
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&list).Error
}
