package backup_test

import (
	"bytes"
	"compress/gzip"
	"database/sql"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/serve"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// released loads a database that a released version has left, and returns its address and a folder with its key.
func released(t *testing.T, version string) (dsn, keys string) {
	t.Helper()
	packed, err := os.ReadFile(filepath.Join("testdata", version+".sql.gz"))
	require.NoError(t, err)
	unpacked, err := gzip.NewReader(bytes.NewReader(packed))
	require.NoError(t, err)
	dump, err := io.ReadAll(unpacked)
	require.NoError(t, err)
	dsn, keys = testkit.DSN(t), t.TempDir()
	load(t, dsn, dump)
	key, err := os.ReadFile(filepath.Join("testdata", version+".key"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(keys, "latch.key"), key, 0o600))
	return dsn, keys
}

// What the last two released versions have left is taken over: PINs open, everybody is there, the log verifies,
// recorded decisions come out the same, and what was done is in the log of the service and in the audit log.
func TestAnUpgradeKeepsWhatReleasedVersionsLeft(t *testing.T) {
	for version, schema := range map[string]int64{"0.1.0": 25, "0.2.0": 33} {
		t.Run(version, func(t *testing.T) {
			dsn, keys := released(t, version)
			count := func(db *store.Store) map[string]int64 {
				rows, err := db.CountRows(ctx)
				require.NoError(t, err)
				return rows
			}
			db, err := store.Connect(ctx, dsn)
			require.NoError(t, err)
			before := count(db)
			plan, err := store.Plan(ctx, dsn, 0)
			require.NoError(t, err)
			assert.Equal(t, schema, plan.From)
			assert.Len(t, plan.Steps, int(store.Newest()-schema))
			var said bytes.Buffer
			a, done, err := serve.Open(ctx, serve.Config{DSN: dsn, Keys: keys, Journal: t.TempDir(),
				Log: slog.New(slog.NewJSONHandler(&said, nil))})
			require.NoError(t, err)
			defer done()
			assert.Contains(t, said.String(), "the tables are up to date")
			after := count(db)
			for _, table := range []string{"staff", "events", "badges", "certificates"} {
				assert.GreaterOrEqual(t, after[table], before[table], table)
			}
			device := a.DeviceOf("lld_demo-hb-controller-token")
			require.NotNil(t, device)
			e, _, err := a.Decide(ctx, device, app.Ask{PIN: "480216", Place: "HB-PACK-1"})
			require.NoError(t, err)
			assert.True(t, e.Allowed, e.Sentence)
			require.NoError(t, a.Complete(ctx))
			_, err = a.VerifyAudit(ctx)
			require.NoError(t, err)
			_, unexplained, err := a.VerifyRecords(ctx)
			require.NoError(t, err)
			assert.Empty(t, unexplained)
			replayed, err := app.Replay(ctx, db, time.Now().AddDate(-1, -1, 0), time.Now(), func(d app.Difference) {
				t.Errorf("%+v is decided as %v now", d.Event, d.Now)
			})
			require.NoError(t, err)
			assert.Positive(t, replayed.Decided)
			require.Eventually(t, func() bool {
				entries, _, err := db.AuditEntries(ctx, store.AuditFilter{Action: "upgraded", Limit: 9})
				return err == nil && len(entries) == 1
			}, 30*time.Second, 100*time.Millisecond, "it is in the audit log, once")
			require.NoError(t, db.Close())
		})
	}
}

// An instance of before that runs on while a newer version brings the tables up to date refuses, and says why; a
// program
// of before does not start on them.
func TestAnInstanceOfBeforeRefusesNewerTables(t *testing.T) {
	s := testkit.Demo(t)
	device := s.App.DeviceOf("lld_demo-hb-controller-token")
	require.NoError(t, s.App.Ready())
	db, err := sql.Open("mysql", s.DSN)
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	_, err = db.Exec("INSERT INTO goose_db_version (version_id, is_applied) VALUES (?, TRUE)", store.Newest()+1)
	require.NoError(t, err)
	require.Eventually(t, func() bool { return s.App.Ready() != nil }, 5*time.Second, 10*time.Millisecond)
	assert.ErrorContains(t, s.App.Ready(), "newer version")
	_, _, err = s.App.Decide(ctx, device, app.Ask{Badge: "4711", Place: "HB-PACK-1"})
	assert.ErrorIs(t, err, app.ErrStale)
	_, err = store.Open(ctx, s.DSN)
	assert.ErrorIs(t, err, store.ErrNewer)
}
