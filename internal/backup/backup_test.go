package backup_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/backup"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

var ctx = context.Background()

// A backup that is made while doors open is of one moment, is as its manifest says, and verifies once it is restored.
// The audit log still goes through the head that the manifest names.
func TestABackupIsOfOneMomentAndIsRestoredWhole(t *testing.T) {
	s := testkit.Demo(t)
	keys, err := app.LoadKeys(s.Keys)
	require.NoError(t, err)
	device := s.App.DeviceOf("lld_demo-hb-controller-token")
	stop, stopped := make(chan bool), make(chan bool)
	go func() {
		defer close(stopped)
		for {
			select {
			case <-stop:
				return
			default:
				_, _, err := s.App.Decide(ctx, device, app.Ask{Badge: "4711", Place: "HB-PACK-1"})
				assert.NoError(t, err)
				time.Sleep(time.Millisecond)
			}
		}
	}()
	path := filepath.Join(t.TempDir(), "latch.sql.gz")
	seen := 0
	m, err := backup.Make(ctx, s.Store, s.DSN, "test", path, keys.SignBackup, func(string, int64) { seen++ })
	close(stop)
	<-stopped
	require.NoError(t, err)
	assert.Positive(t, seen, "progress is told")
	assert.Positive(t, m.Tables["events"])
	assert.EqualValues(t, store.Newest(), m.Schema)
	_, err = backup.Make(ctx, s.Store, s.DSN, "test", path, nil, nil)
	assert.ErrorContains(t, err, "is there already")
	checked, err := backup.Check(path, nil)
	require.NoError(t, err)
	assert.Equal(t, m, checked)
	into := testkit.DSN(t)
	restored, err := backup.Restore(ctx, into, path, nil)
	require.NoError(t, err)
	assert.Equal(t, m, restored)
	_, err = backup.Restore(ctx, into, path, nil)
	assert.ErrorContains(t, err, "is not empty")
	db := testkit.Store(t, into)
	_, err = db.VerifyAudit(ctx, keys.VerifyHead)
	assert.NoError(t, err)
	_, unexplained, err := db.VerifyRecords(ctx, keys.SealRecord, nil)
	require.NoError(t, err)
	assert.Empty(t, unexplained)
	_, found, err := db.VerifyEvents(ctx, keys.SealRecord, 9, nil)
	require.NoError(t, err)
	assert.Empty(t, found)
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.EqualValues(t, 0o600, info.Mode().Perm())
}

// A backup that was cut short anywhere, or altered, does not pass for whole: neither by its manifest, nor, where it was
// loaded by hand, as a database in which an organisation is made anew.
func TestABackupThatIsCutShortIsFound(t *testing.T) {
	s := testkit.Demo(t)
	folder := t.TempDir()
	path := filepath.Join(folder, "latch.sql.gz")
	_, err := backup.Make(ctx, s.Store, s.DSN, "test", path, nil, nil)
	require.NoError(t, err)
	manifest, err := os.ReadFile(backup.ManifestOf(path))
	require.NoError(t, err)
	file, err := os.Open(path)
	require.NoError(t, err)
	packed, err := gzip.NewReader(file)
	require.NoError(t, err)
	whole, err := io.ReadAll(packed)
	require.NoError(t, err)
	require.NoError(t, file.Close())
	check := func(dump []byte) error {
		var b bytes.Buffer
		w := gzip.NewWriter(&b)
		_, err := w.Write(dump)
		require.NoError(t, err)
		require.NoError(t, w.Close())
		cut := filepath.Join(t.TempDir(), "cut.sql.gz")
		require.NoError(t, os.WriteFile(cut, b.Bytes(), 0o600))
		require.NoError(t, os.WriteFile(backup.ManifestOf(cut), manifest, 0o600))
		_, err = backup.Check(cut, nil)
		return err
	}
	tables := 0
	for _, at := range indexes(whole, "-- Table structure for table") {
		assert.ErrorIs(t, check(whole[:at]), backup.ErrCut)
		tables++
	}
	assert.Greater(t, tables, 40)
	for part := 1; part < 20; part++ {
		assert.ErrorIs(t, check(whole[:len(whole)*part/20]), backup.ErrCut)
	}
	assert.ErrorIs(t, check(bytes.Replace(whole, []byte("Idris"), []byte("Edris"), 1)), backup.ErrCut)
	raw, err := os.ReadFile(path)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(path, raw[:len(raw)-100], 0o600))
	_, err = backup.Check(path, nil)
	assert.ErrorIs(t, err, backup.ErrCut)

	for _, before := range []string{"event_batches", "organisation", "teams"} {
		dsn := testkit.DSN(t)
		at := bytes.Index(whole, []byte("-- Table structure for table `"+before+"`"))
		require.Positive(t, at)
		load(t, dsn, whole[:at])
		_, err := store.Open(ctx, dsn)
		assert.ErrorIs(t, err, store.ErrHalf, "before %s", before)
	}
	// All tables are there, and the row of the organisation is not, or says nothing
	for _, statement := range []string{"DELETE FROM organisation",
		"UPDATE organisation SET revision = 0, key_check = NULL"} {
		dsn := testkit.DSN(t)
		load(t, dsn, append(bytes.Clone(whole), statement+";\n"...))
		db := testkit.Store(t, dsn)
		_, err := app.Found(ctx, db, t.TempDir(), testkit.Cost)
		assert.ErrorIs(t, err, store.ErrHalf, statement)
	}
}

func indexes(text []byte, part string) (at []int) {
	for from := 0; ; {
		i := bytes.Index(text[from:], []byte(part))
		if i < 0 {
			return at
		}
		at = append(at, from+i)
		from += i + 1
	}
}

// load runs a dump as somebody does by hand.
func load(t *testing.T, dsn string, dump []byte) {
	t.Helper()
	config, err := mysql.ParseDSN(dsn)
	require.NoError(t, err)
	command := exec.Command("mariadb", "-h", "127.0.0.1", "-P", config.Addr[strings.LastIndex(config.Addr, ":")+1:],
		"-u",
		config.User, config.DBName)
	if config.Net == "unix" {
		command = exec.Command("mariadb", "-S", config.Addr, "-u", config.User, config.DBName)
	}
	command.Env = append(os.Environ(), "MYSQL_PWD="+config.Passwd)
	command.Stdin = bytes.NewReader(dump)
	out, err := command.CombinedOutput()
	require.NoError(t, err, string(out))
}
