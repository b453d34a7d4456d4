package app_test

import (
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// A key that is lost is replaced by one command: whoever had a PIN is named and gets another, everything else goes on,
// it is on record, and the new key can be rotated like any.
func TestALostKeyIsReplaced(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	s.App.Close()
	lost := filepath.Join(t.TempDir(), "latch.key")
	require.NoError(t, os.Rename(filepath.Join(s.Keys, "latch.key"), lost))
	had := len(s.App.HavePINs())
	_, err := app.KeysFor(ctx, s.Store, s.Keys)
	assert.ErrorIs(t, err, app.ErrNoKey)
	assert.ErrorContains(t, err, "keys replace --lost")
	count, err := s.Store.VerifyAudit(ctx, nil)
	require.NoError(t, err, "the chain is walked without a key")
	assert.Positive(t, count)
	_, err = app.ReplaceLost(ctx, s.Store, filepath.Dir(lost))
	assert.ErrorIs(t, err, app.ErrKeyThere, "where it is")
	wrong := t.TempDir()
	_, err = app.MakeKeys(wrong)
	require.NoError(t, err)
	_, err = app.KeysOf(ctx, s.Store, wrong)
	assert.ErrorIs(t, err, app.ErrOtherKey, "which is told from tampering")
	_, err = app.ReplaceLost(ctx, s.Store, wrong)
	assert.ErrorContains(t, err, "another database")

	withdrawn, err := app.ReplaceLost(ctx, s.Store, s.Keys)
	require.NoError(t, err)
	assert.Equal(t, had, withdrawn)
	next := s.Second(t)
	assert.False(t, opens(t, next, "480216"))
	next.Client(t, "idris")
	whom, why, err := next.App.LostPINs(ctx)
	require.NoError(t, err)
	assert.Equal(t, "The key was lost", why)
	assert.NotEmpty(t, whom)
	assert.LessOrEqual(t, len(whom), had, "who has left needs none")
	made := map[string]string{}
	require.NoError(t, next.App.RenewPINs(ctx, "The key was lost", whom, nil, func(lot []app.RenewedPIN) error {
		for _, one := range lot {
			made[one.Staff.Number] = one.PIN
		}
		return nil
	}, func(int, int) {}))
	assert.Len(t, made, len(whom))
	assert.True(t, opens(t, next, made["Q0011"]))
	left, _, err := next.App.LostPINs(ctx)
	require.NoError(t, err)
	assert.Empty(t, left)
	entries, _, err := next.Store.AuditEntries(ctx, store.AuditFilter{Action: "key-replaced", Limit: 9})
	require.NoError(t, err)
	require.Len(t, entries, 1)
	assert.Contains(t, entries[0].Summary, "cannot be read and are withdrawn")
	_, err = next.App.VerifyAudit(ctx)
	assert.NoError(t, err)
	next.App.Close()
	unread, err := app.Rotate(ctx, s.Store, s.Keys)
	require.NoError(t, err)
	assert.Zero(t, unread)
	assert.True(t, opens(t, s.Second(t), made["Q0011"]))
}

// A PIN that the key cannot read does not keep the key from being rotated: it is withdrawn, and whose it was is said.
func TestAPINThatCannotBeReadKeepsNoKeyFromBeingRotated(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	s.App.Close()
	_, err := database(t, s.DSN).Exec("UPDATE credentials c JOIN staff s ON s.id = c.staff_id SET c.sealed = "+
		"REPEAT('x', 60) WHERE s.staff_number = ? AND c.kind = 'pin' AND c.state = 'valid'", "Q0011")
	require.NoError(t, err)
	lost, err := app.Rotate(ctx, s.Store, s.Keys)
	require.NoError(t, err)
	assert.Equal(t, 1, lost)
	next := s.Second(t)
	whom, _, err := next.App.LostPINs(ctx)
	require.NoError(t, err)
	require.Len(t, whom, 1)
	assert.Equal(t, staffOf(s, "Q0011"), people.StaffID(whom[0].ID))
	assert.False(t, opens(t, next, "480216"))
}

// A rotation that was cut short after the database took the new key goes on counting where the service may not write,
// as under the unit that ships with it; the instance says so until the rotation is finished.
func TestARotationThatWasCutShortCountsWhereNothingMayBeWritten(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	s.App.Close()
	was, err := os.ReadFile(filepath.Join(s.Keys, "latch.key"))
	require.NoError(t, err)
	_, err = app.Rotate(ctx, s.Store, s.Keys)
	require.NoError(t, err)
	// As a kill before the last step leaves it
	folder := t.TempDir()
	became, err := os.ReadFile(filepath.Join(s.Keys, "latch.key"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "latch.key"), was, 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "latch.key.next"), became, 0o600))
	readOnly := t.TempDir()
	out, err := exec.Command("mount", "--bind", folder, readOnly).CombinedOutput()
	require.NoError(t, err, "mounting needs root: %s", out)
	t.Cleanup(func() { _ = exec.Command("umount", "-l", readOnly).Run() })
	out, err = exec.Command("mount", "-o", "remount,ro,bind", readOnly).CombinedOutput()
	require.NoError(t, err, string(out))
	require.Error(t, os.WriteFile(filepath.Join(readOnly, "x"), nil, 0o600))
	keys, err := app.KeysFor(ctx, s.Store, readOnly)
	require.NoError(t, err)
	troubles := app.NewTroubles(slog.New(slog.NewTextHandler(io.Discard, nil)))
	a, err := app.New(ctx, testkit.Store(t, s.DSN), keys, slog.New(slog.NewTextHandler(io.Discard, nil)),
		app.Options{Journal: t.TempDir(), Troubles: troubles})
	require.NoError(t, err)
	assert.True(t, opens(t, &testkit.Service{App: a, Store: s.Store}, "480216"))
	assert.True(t, troubles.Has(app.TroubleRotation))
	a.Close()
	done, err := app.FinishRotation(ctx, s.Store, folder)
	require.NoError(t, err)
	assert.True(t, done)
	now, err := os.ReadFile(filepath.Join(folder, "latch.key"))
	require.NoError(t, err)
	assert.Equal(t, became, now)
	done, err = app.FinishRotation(ctx, s.Store, folder)
	require.NoError(t, err)
	assert.False(t, done)
	copied := filepath.Join(t.TempDir(), "copy")
	require.NoError(t, app.BackUpKey(ctx, s.Store, folder, copied))
	again, err := os.ReadFile(copied)
	require.NoError(t, err)
	assert.Equal(t, became, again)
	at, err := s.Store.KeyBackup(ctx)
	require.NoError(t, err)
	assert.False(t, at.IsZero())
}
