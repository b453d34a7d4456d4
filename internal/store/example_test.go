package store_test

import (
	"context"
	"time"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/store"
)

// What a change has written is saved in one transaction; whoever follows reads what is newer than what they have.
func ExampleStore_Change() {
	save := func(db *store.Store, now *org.State, written []change.Record) (*org.State, error) {
		ctx := context.Background()
		err := db.Change(ctx, time.Time{}, func(tx *store.Tx) error { return tx.Save(written) })
		if err != nil {
			return nil, err
		}
		return db.Load(ctx, now)
	}
	_ = save // a Store needs a database
}
