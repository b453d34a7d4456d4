package app_test

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/testkit"
)

// A trouble is said once when it begins, with what to do, and once when it is over; what stops the service stands
// first.
func TestATroubleIsSaidWhenItBeginsAndWhenItIsOver(t *testing.T) {
	var log bytes.Buffer
	troubles := app.NewTroubles(slog.New(slog.NewTextHandler(&log, nil)))
	troubles.Err(app.TroubleDisk, errors.New("2 % left"))
	troubles.Err(app.TroubleDisk, errors.New("1 % left"))
	troubles.NoteIf(app.TroubleDatabase, true, "no answer for %d seconds", 3)
	troubles.NoteIf(app.TroubleClock, false, "never")
	list := troubles.All()
	require.Len(t, list, 2)
	assert.Equal(t, app.TroubleDatabase, list[0].TroubleKind)
	assert.Equal(t, "1 % left", list[1].Detail, "the newest detail counts")
	assert.Equal(t, 1, strings.Count(log.String(), "A disk is nearly full"))
	assert.Contains(t, log.String(), app.TroubleDisk.Do)
	troubles.Err(app.TroubleDisk, nil)
	assert.False(t, troubles.Has(app.TroubleDisk))
	assert.Contains(t, log.String(), "over: A disk is nearly full")
	names := map[string]bool{}
	for _, k := range app.TroubleKinds {
		assert.False(t, names[k.Name], k.Name)
		names[k.Name] = true
		assert.NotEmpty(t, k.What)
		assert.NotEmpty(t, k.Do)
	}
}

// nowhere is a mail server that takes nothing.
type nowhere struct{}

// Send sends nothing.
func (nowhere) Send(context.Context, string, string, string, string) error {
	return errors.New("refused")
}

// Mail that does not go out, a disk that is nearly full and a key without a backup are told in the log, in /readyz and
// on Today of whom it concerns, until they are mended; who does not read the audit log is not told.
func TestWhatIsWrongIsToldUntilItIsMended(t *testing.T) {
	s := testkit.Demo(t)
	folder := smallDisk(t)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "filler"), make([]byte, 63<<10), 0o600))
	var log bytes.Buffer
	keys, err := app.LoadKeys(s.Keys)
	require.NoError(t, err)
	a, err := app.New(ctx, testkit.Store(t, s.DSN), keys, slog.New(slog.NewTextHandler(&log, nil)),
		app.Options{Journal: t.TempDir(), Clock: s.Clock.Now, Folders: map[string]string{"the log": folder},
			KeyBackup: true})
	require.NoError(t, err)
	defer a.Close()
	has := func(k *app.TroubleKind) bool {
		a.LookAbout(ctx)
		for _, one := range a.Troubles() {
			if one.TroubleKind == k {
				return true
			}
		}
		return false
	}
	assert.True(t, has(app.TroubleDisk))
	assert.True(t, has(app.TroubleKeyBackup))
	assert.False(t, has(app.TroubleMail))
	require.NoError(t, a.Ready(), "none of these stops it")
	today, err := a.Today(ctx, staffOf(s, "Q0001"))
	require.NoError(t, err)
	assert.Len(t, today.Troubles, 2)
	today, err = a.Today(ctx, staffOf(s, "Q0003"))
	require.NoError(t, err)
	assert.Empty(t, today.Troubles)

	s.App.Deliver(app.Postal{})
	a.Deliver(app.Postal{Post: nowhere{}, Address: "https://latch.example"})
	_, err = database(t, s.DSN).Exec("INSERT INTO mails (kind, staff_id, recipient, subject, body, made_at, " +
		"next_at, tries, " +
		"problem, digest) VALUES ('pin_link', 11, 'x@example.org', 'x', 'x', NOW(), NOW(), 0, '', '')")
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		var tries int
		require.NoError(t, database(t, s.DSN).QueryRow("SELECT MAX(tries) FROM mails").Scan(&tries))
		return tries > 0
	}, 20*time.Second, 50*time.Millisecond)
	s.Clock.Move(20 * time.Minute)
	require.Eventually(t, func() bool { return has(app.TroubleMail) }, 10*time.Second, 50*time.Millisecond)

	require.NoError(t, os.Remove(filepath.Join(folder, "filler")))
	require.NoError(t, app.BackUpKey(ctx, s.Store, s.Keys, filepath.Join(t.TempDir(), "copy")))
	_, err = database(t, s.DSN).Exec("DELETE FROM mails")
	require.NoError(t, err)
	for _, k := range []*app.TroubleKind{app.TroubleDisk, app.TroubleKeyBackup, app.TroubleMail} {
		assert.Eventually(t, func() bool { return !has(k) }, 10*time.Second, 50*time.Millisecond, k.Name)
	}
	a.Close()
	for _, k := range []string{"disk", "key_backup", "mail"} {
		assert.Contains(t, log.String(), "trouble="+k)
	}
}
