package e2e

import (
	"database/sql"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// The operator's day, by the commands as the papers have them: look, back up, check, restore, verify, lose the key, and
// give everybody another PIN, with slips.
func TestTheOperatorsDay(t *testing.T) {
	s := testkit.Demo(t)
	run := shell(t, s)
	folder := t.TempDir()
	address := func(dsn string) string {
		path := filepath.Join(t.TempDir(), "dsn")
		require.NoError(t, os.WriteFile(path, []byte(dsn), 0o600))
		return path
	}
	dsn := address(s.DSN)
	does := func(wants string, args ...string) string {
		t.Helper()
		out, said, code := run("", "loyald", args...)
		require.Zero(t, code, "%v: %s", args, said)
		assert.Contains(t, out, wants, "%v", args)
		return out
	}
	fails := func(wants string, args ...string) {
		t.Helper()
		_, said, code := run("", "loyald", args...)
		assert.Equal(t, 1, code, "%v", args)
		assert.Contains(t, said, wants, "%v", args)
	}
	does("tables of this database: version", "version", "--dsn-file", dsn)
	does("There is nothing to do", "migrate", "--plan", "--dsn-file", dsn)
	does("groups:", "alerts")
	out, _, _ := run("", "loyald", "doctor", "--dsn-file", dsn, "--keys", s.Keys, "--events-folder", folder)
	assert.Contains(t, out, "well  key             it belongs to this database")
	assert.Contains(t, out, "loyald keys backup --to FILE")
	does("Keep it apart", "keys", "backup", "--to", filepath.Join(folder, "key"), "--dsn-file", dsn, "--keys", s.Keys)
	fails("cannot be made", "keys", "backup", "--to", filepath.Join(folder, "key"), "--dsn-file", dsn, "--keys", s.Keys)

	file := filepath.Join(folder, "latch.sql.gz")
	does("manifest", "backup", "--to", file, "--dsn-file", dsn, "--keys", s.Keys)
	does("is signed by this key", "restore", "--check", file, "--keys", s.Keys)
	into := testkit.DSN(t)
	restored := address(into)
	does("as the manifest says", "restore", file, "--dsn-file", restored, "--keys", s.Keys)
	fails("is not empty", "restore", file, "--dsn-file", restored, "--keys", s.Keys)
	does("are as changes have written them", "verify", "--dsn-file", restored, "--keys", s.Keys)
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, text[:len(text)/2], 0o600))
	fails("not whole", "restore", "--check", file, "--keys", s.Keys)

	// The key is lost, with all its backups
	none := t.TempDir()
	fails("is not known", "verify", "--dsn-file", restored, "--keys", none)
	fails("say --lost", "keys", "replace", "--dsn-file", restored, "--keys", none)
	pins, slips := filepath.Join(folder, "pins.csv"), filepath.Join(folder, "pins.pdf")
	does("count no more", "keys", "replace", "--lost", "--new-pins", pins, "--slips", slips, "--dsn-file", restored,
		"--keys", none, "--log-file", filepath.Join(folder, "log"))
	lines, err := os.ReadFile(pins)
	require.NoError(t, err)
	assert.Greater(t, strings.Count(string(lines), "\n"), 200)
	drawn, err := os.ReadFile(slips)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(string(drawn), "%PDF"))
	does("are as they were written", "verify", "--dsn-file", restored, "--keys", none)
	does("Nobody has lost", "pins", "replace", "--dsn-file", restored, "--keys", none, "--log-file", "/dev/null")
	does("is a new one", "keys", "rotate", "--dsn-file", restored, "--keys", none)
	does("the key is as it was", "keys", "rotate", "--finish", "--dsn-file", restored, "--keys", none)
	fails("say where the database is", "backup", "--to", file+".again")

	// A newer version has been there
	db, err := sql.Open("mysql", into)
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	_, err = db.Exec("INSERT INTO goose_db_version (version_id, is_applied) VALUES (?, TRUE)", store.Newest()+1)
	require.NoError(t, err)
	fails("newer than this program", "serve", "--dsn-file", restored, "--keys", none, "--listen", "127.0.0.1:0")
}
