package store

import (
	"context"

	"gorm.io/gorm/clause"
)

// ReservedPIN is a PIN that was generated and hashed ahead of time: its keyed digest, the slow hash and the PIN itself
// sealed.
type ReservedPIN struct {
	Digest []byte
	Digits int
	Sealed []byte
	PIN    []byte `gorm:"column:pin"`
}

// TableName names the table.
func (ReservedPIN) TableName() string { return "pin_reserve" }

// Reserved counts the PINs in reserve of so many digits; those of other lengths are deleted.
func (s *Store) Reserved(ctx context.Context, digits int) (count int64, err error) {
	if err := s.db.WithContext(ctx).Exec("DELETE FROM pin_reserve WHERE digits <> ?", digits).Error; err != nil {
		return 0, err
	}
	return count, s.db.WithContext(ctx).Model(&ReservedPIN{}).Count(&count).Error
}

// Reserve puts PINs into the reserve; one that is there already is left out.
func (s *Store) Reserve(ctx context.Context, pins []ReservedPIN) error {
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{DoNothing: true}).Create(&pins).Error
}

// TakeReserved takes PINs of so many digits out of the reserve, at most so many. Nobody else is given them.
func (s *Store) TakeReserved(ctx context.Context, digits, most int) (pins []ReservedPIN, err error) {
	return pins, s.db.WithContext(ctx).Raw("DELETE FROM pin_reserve WHERE digits = ? ORDER BY digest LIMIT ? "+
		"RETURNING digest, digits, sealed, pin", digits, most).Scan(&pins).Error
}
