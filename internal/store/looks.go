package store

import (
	"context"
	"database/sql"
	"time"
)

// Looked returns when something that is done now and then was done last, by whichever instance; zero where never.
func (s *Store) Looked(ctx context.Context, what string) (at time.Time, err error) {
	var last sql.NullTime
	err = s.db.WithContext(ctx).Raw("SELECT MAX(last_at) FROM looks WHERE what = ?", what).Scan(&last).Error
	if last.Valid {
		at = last.Time.UTC()
	}
	return at, err
}

// Look notes that it is done, at an instant; a later one that is noted already stays.
func (s *Store) Look(ctx context.Context, what string, at time.Time) error {
	return s.db.WithContext(ctx).Exec("INSERT INTO looks (what, last_at) VALUES (?, ?) ON DUPLICATE KEY UPDATE "+
		"last_at = GREATEST(last_at, VALUES(last_at))", what, at.UTC()).Error
}
