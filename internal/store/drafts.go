package store

import (
	"context"
	"errors"
	"slices"
	"time"

	"gorm.io/gorm"

	"loyallatch.example/latch/internal/core/fault"
)

// Draft is a list of edits that a manager collects.
type Draft struct {
	ID         uint64
	OwnerID    uint32
	State      string
	Title      string
	Reason     string
	Edits      string // JSON
	NextEdit   int
	PlannedFor *time.Time
	Problem    string // why it could not be applied when its moment came
	AuditID    *uint64
	GivenBy    *uint32 // who gave it last
	Version    uint32  // counts writes, so that none is overwritten unseen
	CreatedAt  time.Time
	UpdatedAt  time.Time
}

// TableName names the table.
func (Draft) TableName() string { return "drafts" }

// DraftFilter chooses drafts.
type DraftFilter struct {
	Owner   uint32 // 0: everybody's
	GivenBy uint32 // 0: whoever gave it, or nobody
	States  []string
	Before  uint64
	Limit   int
}

// Drafts returns drafts, newest first, and how many there are in all.
func (s *Store) Drafts(ctx context.Context, f DraftFilter) (drafts []Draft, total int64, err error) {
	query := s.db.WithContext(ctx).Model(&Draft{}).Where("state IN ?", f.States)
	if f.Owner != 0 {
		query = query.Where("owner_id = ?", f.Owner)
	}
	if f.GivenBy != 0 {
		query = query.Where("given_by = ?", f.GivenBy)
	}
	query = query.Session(&gorm.Session{})
	if err := query.Count(&total).Error; err != nil {
		return nil, 0, err
	}
	if f.Before != 0 {
		query = query.Where("id < ?", f.Before)
	}
	return drafts, total, query.Order("id DESC").Limit(f.Limit).Find(&drafts).Error
}

// Draft returns a draft, or nil.
func (s *Store) Draft(ctx context.Context, id uint64) (*Draft, error) {
	return takeDraft(s.db.WithContext(ctx).Where("id = ?", id))
}

// OpenDraft returns the newest open draft of somebody, or nil.
func (s *Store) OpenDraft(ctx context.Context, owner uint32) (*Draft, error) {
	return takeDraft(s.db.WithContext(ctx).Where("owner_id = ? AND state = 'open'", owner).Order("id DESC"))
}

func takeDraft(query *gorm.DB) (*Draft, error) {
	var draft Draft
	err := query.Take(&draft).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	return &draft, err
}

// PlannedOf counts the planned drafts of people.
func (s *Store) PlannedOf(ctx context.Context, owners []uint32) (map[uint32]int, error) {
	counts := map[uint32]int{}
	for part := range slices.Chunk(owners, batch) {
		var rows []struct {
			OwnerID uint32
			Count   int
		}
		if err := s.db.WithContext(ctx).Model(&Draft{}).Select("owner_id, COUNT(*) AS count").
			Where("state = 'planned' AND owner_id IN ?", part).Group("owner_id").Find(&rows).Error; err != nil {
			return nil, err
		}
		for _, r := range rows {
			counts[r.OwnerID] = r.Count
		}
	}
	return counts, nil
}

// DueDrafts returns planned drafts whose moment has come, the earliest first.
func (s *Store) DueDrafts(ctx context.Context, now time.Time) (drafts []Draft, err error) {
	return drafts, s.db.WithContext(ctx).Where("state = 'planned' AND planned_for <= ?",
		now.UTC()).Order("planned_for, id").Limit(20).Find(&drafts).Error
}

// AddDraft stores a new draft, unless it is open and its owner has an open one; added says so. Of two that are begun at
// once the database lets one through.
func (s *Store) AddDraft(ctx context.Context, draft *Draft) (added bool, err error) {
	err = transact(ctx, s.db, func(db *gorm.DB) error {
		if draft.Version, added = 1, true; draft.State != "open" {
			return db.Create(draft).Error
		}
		var open []uint64
		if err := db.Raw("SELECT id FROM drafts WHERE owner_id = ? AND state = 'open' FOR UPDATE",
			draft.OwnerID).Scan(&open).Error; err != nil || len(open) > 0 {
			added = false
			return err
		}
		return db.Create(draft).Error
	})
	if Transient(err) { // another was first
		return false, nil
	}
	return added && err == nil, err
}

// SaveDraft writes a draft that was read at its version; a fault says so where it was written meanwhile.
func (s *Store) SaveDraft(ctx context.Context, draft *Draft) error {
	return saveDraft(s.db.WithContext(ctx), draft)
}

// SaveDraft is Store.SaveDraft within the transaction of a change, so that a draft is applied once.
func (tx *Tx) SaveDraft(draft *Draft) error { return saveDraft(tx.db, draft) }

func saveDraft(db *gorm.DB, draft *Draft) error {
	read := draft.Version
	draft.Version++
	result := db.Model(&Draft{}).Where("id = ? AND version = ?", draft.ID, read).Select("*").Omit("id",
		"created_at").Updates(draft)
	switch {
	case result.Error != nil:
		return result.Error
	case result.RowsAffected != 1:
		return fault.Stalef("This draft was changed or applied elsewhere in the meantime. Read it again; nothing " +
			"was done twice.")
	}
	return nil
}
