package store

import (
	"context"
	"time"

	"gorm.io/gorm/clause"
)

// LeavingDone is something of somebody's leaving that was ticked off by hand.
type LeavingDone struct {
	StaffID uint32 `gorm:"primaryKey"`
	Item    string `gorm:"primaryKey"`
	DoneBy  uint32
	DoneAt  time.Time
}

// TableName names the table.
func (LeavingDone) TableName() string { return "leaving_done" }

// LeavingsDone returns what was ticked off of the leaving of some people.
func (s *Store) LeavingsDone(ctx context.Context, staff []uint32) (map[uint32]map[string]LeavingDone, error) {
	all := map[uint32]map[string]LeavingDone{}
	for first := 0; first < len(staff); first += batch {
		var rows []LeavingDone
		if err := s.db.WithContext(ctx).Where("staff_id IN ?", staff[first:min(first+batch, len(staff))]).
			Find(&rows).Error; err != nil {
			return nil, err
		}
		for _, row := range rows {
			if all[row.StaffID] == nil {
				all[row.StaffID] = map[string]LeavingDone{}
			}
			all[row.StaffID][row.Item] = row
		}
	}
	return all, nil
}

// Tick notes that something is done, or with done false that it is not.
func (tx *Tx) Tick(row *LeavingDone, done bool) error {
	if !done {
		return tx.db.Where("staff_id = ? AND item = ?", row.StaffID, row.Item).Delete(&LeavingDone{}).Error
	}
	return tx.db.Clauses(clause.OnConflict{DoNothing: true}).Create(row).Error
}
