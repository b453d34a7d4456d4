package store_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// The list of tables and columns, by which half a backup is told from a whole one, is what the migrations make.
// LATCH_WRITE=1 writes it anew.
func TestTheListOfTablesIsWhatTheMigrationsMake(t *testing.T) {
	dsn := testkit.DSN(t)
	s := testkit.Store(t, dsn)
	rows, err := raw(t, dsn).Query("SELECT table_name, column_name FROM information_schema.columns WHERE " +
		"table_schema = DATABASE() AND table_name NOT LIKE 'goose%' ORDER BY table_name, column_name")
	require.NoError(t, err)
	defer func() { _ = rows.Close() }()
	var tables []string
	columns := map[string][]string{}
	for rows.Next() {
		var table, column string
		require.NoError(t, rows.Scan(&table, &column))
		if columns[table] == nil {
			tables = append(tables, table)
		}
		columns[table] = append(columns[table], column)
	}
	require.NoError(t, rows.Err())
	var b strings.Builder
	for _, table := range tables {
		fmt.Fprintf(&b, "%s: %s\n", table, strings.Join(columns[table], " "))
	}
	if os.Getenv("LATCH_WRITE") != "" {
		require.NoError(t, os.WriteFile("schema.txt", []byte(b.String()), 0o644))
	}
	kept, err := os.ReadFile("schema.txt")
	require.NoError(t, err)
	assert.Equal(t, b.String(), string(kept), "run: LATCH_WRITE=1 go test ./internal/store -run TheListOfTables")
	missing, err := s.Missing(ctx)
	require.NoError(t, err)
	assert.Empty(t, missing)
	held, err := s.HoldsRows(ctx)
	require.NoError(t, err)
	assert.Empty(t, held, "before there is an organisation")
	_, err = raw(t, dsn).Exec("DROP TABLE lost_pins")
	require.NoError(t, err)
	_, err = raw(t, dsn).Exec("ALTER TABLE mails DROP COLUMN tries")
	require.NoError(t, err)
	missing, err = s.Missing(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"lost_pins", "mails.tries"}, missing)
}

// Bringing tables up to date says before and after what it does, also to people; an older program refuses newer tables.
func TestMigrationsSayWhatTheyDo(t *testing.T) {
	dsn := testkit.DSN(t)
	_, err := store.Migrate(ctx, dsn, 2, nil)
	require.NoError(t, err)
	db := raw(t, dsn)
	for _, statement := range []string{"SET foreign_key_checks = 0", "UPDATE organisation SET revision = 1",
		"INSERT INTO credentials (id, staff_id, kind, state, digest, must_change, issued_at, revision) VALUES " +
			"(1, 11, 'pin', 'valid', REPEAT('a', 32), FALSE, NOW(), 1), (2, 12, 'pin', 'valid', REPEAT('b', 32), " +
			"FALSE, NOW(), 1)"} {
		db.SetMaxOpenConns(1)
		_, err = db.Exec(statement)
		require.NoError(t, err)
	}
	plan, err := store.Plan(ctx, dsn, 0)
	require.NoError(t, err)
	assert.EqualValues(t, 2, plan.From)
	assert.EqualValues(t, store.Newest(), plan.To)
	assert.Len(t, plan.Steps, int(store.Newest())-2)
	require.NotEmpty(t, plan.Effects)
	assert.Equal(t, []uint32{11, 12}, plan.Effects[0].PINs)
	var version int
	require.NoError(t, db.QueryRow("SELECT MAX(version_id) FROM goose_db_version").Scan(&version))
	assert.Equal(t, 2, version, "a plan does nothing")
	_, err = db.Exec("DELETE FROM credentials")
	require.NoError(t, err)
	said := 0
	done, err := store.Migrate(ctx, dsn, 0, func(store.Step) { said++ })
	require.NoError(t, err)
	assert.Equal(t, len(plan.Steps), said)
	assert.Positive(t, done.Took)
	s := testkit.Store(t, dsn)
	told, err := s.UpgradesToTell(ctx)
	require.NoError(t, err)
	require.Len(t, told, 1)
	assert.EqualValues(t, 2, told[0].FromVersion)
	again, err := store.Migrate(ctx, dsn, 0, nil)
	require.NoError(t, err)
	assert.Empty(t, again.Steps)
	_, err = store.Plan(ctx, dsn, 3)
	assert.ErrorContains(t, err, "do not go back")
	_, err = store.Plan(ctx, dsn, store.Newest()+1)
	assert.ErrorContains(t, err, "knows versions up to")
	_, err = db.Exec("INSERT INTO goose_db_version (version_id, is_applied) VALUES (?, TRUE)", store.Newest()+1)
	require.NoError(t, err)
	_, err = store.Open(ctx, dsn)
	assert.ErrorIs(t, err, store.ErrNewer)
}
