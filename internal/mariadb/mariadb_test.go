package mariadb

import (
	"context"
	"database/sql"
	"net"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAServerStartsKeepsItsDataAndEnds(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	s, err := Start(ctx, folder, 0)
	require.NoError(t, err)
	require.NoError(t, s.CreateSchema(ctx, "kept"))
	require.NoError(t, s.CreateSchema(ctx, "kept"), "making it again changes nothing")
	assert.Error(t, s.CreateSchema(ctx, "a; DROP DATABASE kept"))
	db, err := sql.Open("mysql", s.DSN("kept"))
	require.NoError(t, err)
	_, err = db.Exec("CREATE TABLE t (n INT)")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	_, err = Start(ctx, t.TempDir(), s.port)
	assert.ErrorContains(t, err, "is taken")
	require.NoError(t, s.Stop())
	require.NoError(t, s.Stop(), "ending it again is no error")
	select {
	case <-s.Done():
	case <-time.After(time.Second):
		t.Error("it has not ended")
	}
	again, err := Start(ctx, folder, 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = again.Stop() })
	db, err = sql.Open("mysql", again.DSN("kept"))
	require.NoError(t, err)
	_, err = db.Exec("INSERT INTO t VALUES (1)")
	assert.NoError(t, err)
	require.NoError(t, db.Close())
	require.NoError(t, again.DropSchema(ctx, "kept"))
}

func TestNobodyElseOnTheMachineGetsIn(t *testing.T) {
	s, err := Start(context.Background(), t.TempDir(), 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Stop() })
	for _, dsn := range []string{"root@tcp(" + address(s.port) + ")/mysql",
		"root:guess@tcp(" + address(s.port) + ")/mysql", "root@unix(" + s.socket() + ")/mysql",
		"@unix(" + s.socket() + ")/mysql"} {
		db, err := sql.Open("mysql", dsn)
		require.NoError(t, err)
		assert.ErrorContains(t, db.Ping(), "Access denied", dsn)
		require.NoError(t, db.Close())
	}
	for path, mode := range map[string]os.FileMode{s.private: 0o700, filepath.Join(s.folder, "password"): 0o600,
		s.init(): 0o600} {
		info, err := os.Stat(path)
		require.NoError(t, err)
		assert.Equal(t, mode, info.Mode().Perm(), path)
	}
}

func TestItListensOnLoopbackOnly(t *testing.T) {
	s, err := Start(context.Background(), t.TempDir(), 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Stop() })
	addresses, err := net.InterfaceAddrs()
	require.NoError(t, err)
	for _, a := range addresses {
		ip, _, err := net.ParseCIDR(a.String())
		require.NoError(t, err)
		if ip.IsLoopback() || ip.To4() == nil {
			continue
		}
		conn, err := net.DialTimeout("tcp", net.JoinHostPort(ip.String(), address(s.port)[len("127.0.0.1:"):]),
			time.Second)
		if err == nil {
			_ = conn.Close()
		}
		assert.Error(t, err, ip)
	}
}

// A server that starts removes what looks like a temporary table from its temporary folder. In a folder that several
// share, one takes away what another is working on.
func TestAServerLeavesTheSharedTemporaryFolderAlone(t *testing.T) {
	shared := t.TempDir()
	t.Setenv("TMPDIR", shared)
	others := filepath.Join(shared, "#sql-temptable-of-another-server.MAI")
	require.NoError(t, os.WriteFile(others, []byte("in use"), 0o600))
	s, err := Start(context.Background(), filepath.Join(t.TempDir(), "own"), 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Stop() })
	assert.FileExists(t, others)
}
