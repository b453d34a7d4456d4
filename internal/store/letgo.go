package store

import (
	"context"
	"time"

	"gorm.io/gorm/clause"
)

// RunOut names something that runs out at a moment; once it is renewed it is another.
type RunOut struct {
	Kind   string
	Record uint32
	At     int64 // Unix seconds
}

// LetGo is something that may run out, by whom and why.
type LetGo struct {
	Kind   string
	Record uint32
	At     int64
	By     uint32 `gorm:"column:let_go_by"`
	Reason string
	MadeAt time.Time
}

// TableName names the table.
func (LetGo) TableName() string { return "let_go" }

// LetGoes returns all that was let go.
func (s *Store) LetGoes(ctx context.Context) (map[RunOut]LetGo, error) {
	var rows []LetGo
	if err := s.db.WithContext(ctx).Find(&rows).Error; err != nil {
		return nil, err
	}
	all := make(map[RunOut]LetGo, len(rows))
	for _, row := range rows {
		all[RunOut{row.Kind, row.Record, row.At}] = row
	}
	return all, nil
}

// LetGo notes what may run out.
func (tx *Tx) LetGo(rows []LetGo) error {
	return tx.db.Clauses(clause.OnConflict{UpdateAll: true}).CreateInBatches(rows, batch).Error
}
