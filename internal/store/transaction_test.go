package store_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// A change that the database gives up in the middle, in favour of another's, and that is not made after that, has left
// nothing: no statement of it ran by itself after the one that failed.
func TestAChangeThatADeadlockEndsLeavesNothing(t *testing.T) {
	service := testkit.Demo(t)
	db := raw(t, service.DSN)
	count := func(query string) (n int) {
		require.NoError(t, db.QueryRow(query).Scan(&n))
		return n
	}
	const settings, revision = "SELECT COUNT(*) FROM template_settings",
		"SELECT revision FROM organisation WHERE id = 1"
	before, at := count(settings), count(revision)
	// Another holds the template's row, has written much, and then asks for what the change holds: the change is given
	// up at its UPDATE. The other goes on holding, so that the change cannot be made when it is tried again.
	other, err := db.Begin()
	require.NoError(t, err)
	t.Cleanup(func() { _ = other.Rollback() })
	_, err = other.Exec("UPDATE templates SET summary = CONCAT(summary, '.')")
	require.NoError(t, err)
	within, end := context.WithTimeout(ctx, time.Minute)
	defer end()
	ended := make(chan error, 1)
	go func() {
		_, err := service.App.Commit(within, app(change.Operation{Op: "template.edit", On: "packer",
			Set: []byte(`{"decide":{"line.run":"run","line.stop":"yes"}}`)}))
		ended <- err
	}()
	require.Eventually(t, func() bool {
		return count("SELECT COUNT(*) FROM information_schema.innodb_trx WHERE trx_state = 'LOCK WAIT'") > 0
	}, 20*time.Second, 200*time.Millisecond) // what it is asked is kept for a while
	_, err = other.Exec("SELECT revision FROM organisation WHERE id = 1 FOR UPDATE")
	require.NoError(t, err, "the change is the one that is given up")
	time.Sleep(100 * time.Millisecond)
	assert.Equal(t, before, count(settings), "nothing of it ran by itself")
	end()
	assert.Error(t, <-ended)
	require.NoError(t, other.Rollback())
	assert.Equal(t, before, count(settings))
	assert.Equal(t, at, count(revision))
}

// After a statement that failed a transaction executes nothing, and is not committed although the error was dropped.
func TestNothingRunsAfterAStatementThatFailed(t *testing.T) {
	service := testkit.Demo(t)
	db := raw(t, service.DSN)
	var before, after int
	require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM audit_entries").Scan(&before))
	err := service.Store.Change(ctx, time.Time{}, func(tx *store.Tx) error {
		assert.Error(t, tx.AddLink(&store.Link{Token: []byte{1}, Kind: "no such kind", StaffID: 999999}, time.Now()))
		_, err := tx.Audit(store.AuditEntry{At: time.Now(), Action: "sign-in", Operations: "[]"}, nil)
		assert.ErrorContains(t, err, "after one that failed")
		return nil
	})
	assert.Error(t, err, "not committed")
	require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM audit_entries").Scan(&after))
	assert.Equal(t, before, after)
	assert.NoError(t, service.Store.Change(ctx, time.Time{}, func(tx *store.Tx) error {
		_, err := tx.Audit(store.AuditEntry{At: time.Now(), Action: "sign-in", Operations: "[]"}, nil)
		return err
	}), "the next one is made")
}
