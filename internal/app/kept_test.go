package app_test

import (
	"bytes"
	"encoding/json"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// smallDisk is a folder on a disk of its own, which is soon full.
func smallDisk(t *testing.T) string {
	t.Helper()
	folder := t.TempDir()
	out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=64k", "tmpfs", folder).CombinedOutput()
	require.NoError(t, err, "mounting needs root: %s", out)
	t.Cleanup(func() { _ = exec.Command("umount", "-l", folder).Run() })
	return folder
}

func journals(t *testing.T, folder string) []string {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(folder, "events-*.jsonl"))
	require.NoError(t, err)
	return files
}

// What is answered is kept: where the disk of the events is full, each decision waits for the database, the instance
// says so, and a decision that neither takes is not answered. Once there is room, all is as before.
func TestADecisionThatIsAnsweredIsKeptWhereTheDiskIsFull(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	keys, err := app.LoadKeys(s.Keys)
	require.NoError(t, err)
	folder := smallDisk(t)
	troubles := app.NewTroubles(slog.New(slog.NewTextHandler(io.Discard, nil)))
	a, err := app.New(ctx, testkit.Store(t, s.DSN), keys, slog.New(slog.NewTextHandler(io.Discard, nil)),
		app.Options{Journal: folder, Troubles: troubles})
	require.NoError(t, err)
	t.Cleanup(a.Close)
	db := database(t, s.DSN)
	device := a.DeviceOf("lld_demo-hb-controller-token")
	answered := 0
	ask := func() error {
		_, _, err := a.Decide(ctx, device, app.Ask{PIN: "480216", Place: "HB-PACK-1"})
		if err == nil {
			answered++
		}
		return err
	}
	require.NoError(t, ask())
	require.Eventually(t, func() bool {
		count, _ := a.EventsWaiting()
		return count == 0
	}, 10*time.Second, 10*time.Millisecond)
	filler := filepath.Join(folder, "filler")
	_ = os.WriteFile(filler, make([]byte, 1<<20), 0o600) // as much as there is room for
	// What a process that is killed now leaves
	kept := func(table string) int {
		ids := map[uint64]bool{}
		for _, file := range journals(t, folder) {
			text, err := os.ReadFile(file)
			require.NoError(t, err)
			for line := range bytes.Lines(text) {
				var e store.Event
				if json.Unmarshal(line, &e) == nil {
					ids[e.ID] = true
				}
			}
		}
		rows, err := db.Query("SELECT id FROM " + table)
		require.NoError(t, err)
		defer func() { _ = rows.Close() }()
		for rows.Next() {
			var id uint64
			require.NoError(t, rows.Scan(&id))
			ids[id] = true
		}
		require.NoError(t, rows.Err())
		return len(ids)
	}
	before, seen := kept("events")-answered, 0
	for range 100 {
		_ = os.WriteFile(filler, make([]byte, 1<<20), 0o600)
		require.NoError(t, ask())
		require.Equal(t, before+answered, kept("events"), "it is kept before it is answered")
		if troubles.Has(app.TroubleJournal) {
			seen++
		}
	}
	require.Positive(t, seen, "the disk was full")
	_, err = db.Exec("RENAME TABLE events TO events_away")
	require.NoError(t, err)
	refused := 0
	for range 40 { // what there is room for is kept on disk
		_ = os.WriteFile(filler, make([]byte, 1<<20), 0o600)
		if err := ask(); err != nil {
			require.ErrorIs(t, err, app.ErrUnrecorded, "neither takes it")
			refused++
			break
		}
	}
	assert.Equal(t, 1, refused)
	_, err = db.Exec("RENAME TABLE events_away TO events")
	require.NoError(t, err)
	require.NoError(t, os.Remove(filler))
	require.Eventually(t, func() bool { return ask() == nil && !troubles.Has(app.TroubleJournal) }, 20*time.Second,
		50*time.Millisecond)
	// A folder that somebody removes is made again, and what was answered meanwhile stands in it
	_, err = db.Exec("RENAME TABLE events TO events_away")
	require.NoError(t, err)
	require.NoError(t, ask())
	files := journals(t, folder)
	require.Len(t, files, 2)
	for _, file := range files {
		require.NoError(t, os.Remove(file))
	}
	require.NoError(t, ask())
	require.Eventually(t, func() bool { return kept("events_away") == before+answered }, 10*time.Second,
		20*time.Millisecond)
	_, err = db.Exec("RENAME TABLE events_away TO events")
	require.NoError(t, err)
}

// Without a folder for events each is in the database before its decision is answered.
func TestWithoutAFolderEachEventIsInTheDatabaseFirst(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	keys, err := app.LoadKeys(s.Keys)
	require.NoError(t, err)
	a, err := app.New(ctx, testkit.Store(t, s.DSN), keys, slog.New(slog.NewTextHandler(io.Discard, nil)), app.Options{})
	require.NoError(t, err)
	t.Cleanup(a.Close)
	before, err := s.Store.EventCount(ctx)
	require.NoError(t, err)
	device := a.DeviceOf("lld_demo-hb-controller-token")
	for i := range int64(10) {
		_, _, err := a.Decide(ctx, device, app.Ask{PIN: "480216", Place: "HB-PACK-1"})
		require.NoError(t, err)
		count, err := s.Store.EventCount(ctx)
		require.NoError(t, err)
		assert.Equal(t, before+i+1, count)
	}
}

// While the database says nothing, a door goes on for as long as is set, by PIN too: who was there before, and who was
// not. Wrong PINs are counted at the instance, and the database knows of them once it answers again.
func TestDoorsGoOnForAsLongAsIsSetWhileTheDatabaseIsSilent(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	pinFor(t, s, "Q0012", "591327")
	var between line
	keys, err := app.LoadKeys(s.Keys)
	require.NoError(t, err)
	a, err := app.New(ctx, testkit.Store(t, between.through(t, s.DSN)), keys,
		slog.New(slog.NewTextHandler(io.Discard, nil)), app.Options{Journal: t.TempDir(),
			RefuseAfter: 20 * time.Second})
	require.NoError(t, err)
	t.Cleanup(func() { between.hangs.Store(false); a.Close() })
	device := a.DeviceOf("lld_demo-hb-controller-token")
	ask := func(pin string) (bool, string) {
		e, _, err := a.Decide(ctx, device, app.Ask{PIN: pin, Place: "HB-PACK-1"})
		if err != nil {
			return false, err.Error()
		}
		return e.Allowed, e.Reason.String()
	}
	opened, _ := ask("480216")
	require.True(t, opened)
	between.hangs.Store(true)
	begun, asked := time.Now(), 0
	for time.Since(begun) < 8*time.Second {
		opened, said := ask("480216")
		require.True(t, opened, "after %s: %s", time.Since(begun), said)
		asked++
		time.Sleep(20 * time.Millisecond)
	}
	opened, said := ask("591327")
	assert.True(t, opened, "who was not there before: %s", said)
	wrong := []string{}
	for i := range 8 {
		opened, said := ask([]string{"100293", "200394", "300495", "400596", "500697", "600798", "700899", "801900"}[i])
		require.False(t, opened)
		wrong = append(wrong, said)
	}
	assert.Contains(t, wrong, "too_many_tries", "guesses are counted here: %v", wrong)
	assert.Equal(t, "unknown_credential", wrong[0])
	between.hangs.Store(false)
	require.Eventually(t, func() bool {
		held, err := s.Store.HeldUp(ctx, time.Now())
		return err == nil && len(held) > 0
	}, 20*time.Second, 50*time.Millisecond, "the database knows of them")
	require.Eventually(t, func() bool {
		waiting, _ := a.EventsWaiting()
		return waiting == 0
	}, 20*time.Second, 50*time.Millisecond)
	between.hangs.Store(true)
	require.Eventually(t, func() bool { _, said := ask("480216"); return said == app.ErrStale.Error() }, 40*time.Second,
		500*time.Millisecond, "after as long as is set it answers no more")
}
