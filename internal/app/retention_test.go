package app_test

import (
	"compress/gzip"
	"database/sql"
	"encoding/json"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// What is past the time for which the settings keep it goes: events by whole months, entries of the audit log, each
// archived and signed before, while doors go on. What is left verifies, and nobody else can take anything off so.
func TestWhatIsKeptHasAnEnd(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	db := database(t, s.DSN)
	count := func(table string) (n int) {
		require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM "+table).Scan(&n))
		return n
	}
	keys, err := app.LoadKeys(s.Keys)
	require.NoError(t, err)
	archive := t.TempDir()
	start := func(folder string) *app.App {
		a, err := app.New(ctx, testkit.Store(t, s.DSN), keys, slog.New(slog.NewTextHandler(io.Discard, nil)),
			app.Options{Journal: t.TempDir(), Clock: s.Clock.Now, Archive: folder})
		require.NoError(t, err)
		t.Cleanup(a.Close)
		return a
	}
	require.True(t, opens(t, s, "480216"))
	require.Eventually(t, func() bool {
		waiting, since := s.App.EventsWaiting()
		return waiting == 0 && since.IsZero()
	}, 10*time.Second, 10*time.Millisecond)
	old := count("events")
	entries := count("audit_entries")
	months := count("(SELECT DISTINCT YEAR(at), MONTH(at) FROM events) months") // two at the beginning of a month
	s.Clock.Move(400 * 24 * time.Hour)
	require.NoError(t, s.Store.AddMonths(ctx, s.Clock.Now()))
	a := start(archive)
	device := a.DeviceOf("lld_demo-hb-controller-token")
	for range 5 {
		_, _, err := a.Decide(ctx, device, app.Ask{Badge: "4711", Place: "HB-PACK-1"})
		require.NoError(t, err)
	}
	require.Eventually(t, func() bool { return count("events") >= old+5 }, 10*time.Second, 20*time.Millisecond)
	require.NoError(t, a.RemoveHistory(ctx))
	assert.Equal(t, old+5, count("events"), "what is kept for good stays")

	_, err = s.App.Commit(ctx, request(operation("organisation.edit", "", set{"events_months": 3, "audit_months": 12,
		"photo_months": 1, "archives": true})))
	require.NoError(t, err)
	without := start("")
	require.Eventually(t, func() bool { return without.Live().State().Settings.Archives }, 5*time.Second,
		10*time.Millisecond)
	assert.ErrorContains(t, without.RemoveHistory(ctx), "--archive-folder")
	assert.Equal(t, old+5, count("events"), "nothing goes that is not archived")

	require.Eventually(t, func() bool { return a.Live().State().Settings.Archives }, 5*time.Second, 10*time.Millisecond)
	var asking sync.WaitGroup
	for range 4 { // doors go on meanwhile, and nothing of theirs goes
		asking.Go(func() {
			for range 25 {
				_, _, err := a.Decide(ctx, device, app.Ask{Badge: "4711", Place: "HB-PACK-1"})
				assert.NoError(t, err)
			}
		})
	}
	require.NoError(t, a.RemoveHistory(ctx))
	asking.Wait()
	require.Eventually(t, func() bool { return count("events") == 105 }, 10*time.Second, 20*time.Millisecond)
	assert.Less(t, count("audit_entries"), entries)
	_, err = a.VerifyAudit(ctx)
	assert.NoError(t, err)
	checked, found, err := a.VerifyEvents(ctx)
	require.NoError(t, err)
	assert.Empty(t, found)
	assert.Equal(t, 105, checked)
	removals, _, err := s.Store.AuditEntries(ctx, store.AuditFilter{Action: "history-removed", Limit: 9})
	require.NoError(t, err)
	assert.Len(t, removals, months+1, "one for each month of events, one for the audit log")
	files, err := filepath.Glob(filepath.Join(archive, "*.jsonl.gz"))
	require.NoError(t, err)
	require.Len(t, files, months+1)
	rows := 0
	for _, file := range files {
		n, err := keys.CheckArchive(file)
		require.NoError(t, err)
		assert.Equal(t, n, linesOf(t, file))
		rows += n
	}
	assert.GreaterOrEqual(t, rows, old+entries)
	require.NoError(t, os.WriteFile(files[0], []byte("another"), 0o600))
	_, err = keys.CheckArchive(files[0])
	assert.Error(t, err)

	require.NoError(t, a.RemoveHistory(ctx))
	again, _, err := s.Store.AuditEntries(ctx, store.AuditFilter{Action: "history-removed", Limit: 9})
	require.NoError(t, err)
	assert.Len(t, again, months+1, "what is gone is not removed again")
	_, err = s.App.Commit(ctx, request(operation("staff.lock", "Q0012", set{})))
	require.NoError(t, err)
	_, err = a.VerifyAudit(ctx)
	require.NoError(t, err, "the chain goes on")
	kept, err := a.KeptFor(ctx, staffOf(s, "Q0001"))
	require.NoError(t, err)
	assert.Equal(t, "3 months", kept[0].For)
	_, err = a.KeptFor(ctx, staffOf(s, "Q0003"))
	assert.Error(t, err)
	takenOffTheBeginning(t, a, db)
}

// takenOffTheBeginning sees that somebody who writes in the database cannot take anything off the beginning unseen.
func takenOffTheBeginning(t *testing.T, a *app.App, db *sql.DB) {
	t.Helper()
	_, err := db.Exec("UPDATE kept_from SET first_id = first_id + 1, previous = (SELECT hash FROM audit_entries " +
		"ORDER BY " +
		"id LIMIT 1) WHERE kind = 'audit'")
	require.NoError(t, err)
	_, err = db.Exec("DELETE FROM audit_subjects WHERE entry_id = (SELECT MIN(id) FROM audit_entries)")
	require.NoError(t, err)
	_, err = db.Exec("DELETE FROM audit_entries ORDER BY id LIMIT 1")
	require.NoError(t, err)
	_, err = a.VerifyAudit(ctx)
	assert.ErrorContains(t, err, "something else than the service")
	_, err = db.Exec("UPDATE kept_from SET first_id = first_id + 10000000 WHERE kind = 'events'")
	require.NoError(t, err)
	_, found, err := a.VerifyEvents(ctx)
	require.NoError(t, err)
	assert.NotEmpty(t, found)
}

// linesOf counts the lines of JSON in a file of the archive.
func linesOf(t *testing.T, path string) (n int) {
	t.Helper()
	file, err := os.Open(path)
	require.NoError(t, err)
	defer func() { require.NoError(t, file.Close()) }()
	unpacked, err := gzip.NewReader(file)
	require.NoError(t, err)
	lines := json.NewDecoder(unpacked)
	for {
		var one map[string]any
		if err := lines.Decode(&one); err == io.EOF {
			return n
		}
		require.NoError(t, err)
		n++
	}
}
