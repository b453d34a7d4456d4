package testkit

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/store"
)

// Demo starts a service with the demo loaded.
func Demo(t testing.TB) *Service {
	t.Helper()
	s := &Service{Clock: &Clock{}, DSN: DSN(t), Keys: t.TempDir()}
	LoadDemo(t, s.DSN, s.Keys)
	s.Start(t)
	return s
}

// LoadDemo puts the demo into an empty schema for a service that is started later, with its key in a folder.
func LoadDemo(t testing.TB, dsn, keyFolder string) {
	t.Helper()
	made, err := madeDemo()
	require.NoError(t, err)
	_, err = Database(dsn, "mariadb", made.dump)
	require.NoError(t, err)
	require.NoError(t, os.MkdirAll(keyFolder, 0o700))
	for name, key := range made.keys {
		require.NoError(t, os.WriteFile(filepath.Join(keyFolder, name), key, 0o600))
	}
}

// WriteDemo is LoadDemo by the way that all changes go: for a cluster, whose other nodes take no copy with its past.
func WriteDemo(t testing.TB, dsn, keyFolder string) {
	t.Helper()
	require.NoError(t, load(dsn, keyFolder))
}

type loaded struct {
	dump []byte            // in SQL, with the past
	keys map[string][]byte // what the folder of the key holds, by file
}

// madeDemo loads the demo once in a run: that takes seconds, and a copy of it a fraction of one.
var madeDemo = sync.OnceValues(func() (made loaded, err error) {
	dsn, err := newSchema()
	if err != nil {
		return made, err
	}
	keys := filepath.Join(folder, "keys of the demo")
	if err := os.Mkdir(keys, 0o700); err != nil {
		return made, err
	}
	if err := load(dsn, keys); err != nil {
		return made, err
	}
	files, err := os.ReadDir(keys)
	if err != nil {
		return made, err
	}
	made.keys = map[string][]byte{}
	for _, file := range files {
		if made.keys[file.Name()], err = os.ReadFile(filepath.Join(keys, file.Name())); err != nil {
			return made, err
		}
	}
	made.dump, err = Database(dsn, "mariadb-dump", nil, "--single-transaction", "--dump-history", "--skip-comments")
	return made, err
})

func load(dsn, keyFolder string) error {
	db, err := store.Open(context.Background(), dsn)
	if err != nil {
		return err
	}
	defer func() { _ = db.Close() }()
	keys, err := app.Found(context.Background(), db, keyFolder, Cost)
	if err != nil {
		return err
	}
	a, err := app.New(context.Background(), db, keys, slog.New(slog.DiscardHandler), app.Options{})
	if err != nil {
		return err
	}
	defer a.Close()
	if err := demo.Load(context.Background(), a, io.Discard); err != nil {
		return err
	}
	return db.AddMonths(context.Background(), time.Now()) // not while it is dumped
}

// Database runs one of the database's own programs on a schema, and returns what it prints.
func Database(dsn, program string, input []byte, options ...string) ([]byte, error) {
	config, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, err
	}
	arguments := []string{"--no-defaults", "--user=" + config.User}
	if config.Net == "unix" {
		arguments = append(arguments, "--socket="+config.Addr)
	} else {
		host, port, _ := strings.Cut(config.Addr, ":")
		arguments = append(arguments, "--host="+host, "--port="+port, "--protocol=tcp")
	}
	command := exec.Command(program, append(append(arguments, options...), config.DBName)...)
	command.Env = append(os.Environ(), "MYSQL_PWD="+config.Passwd)
	command.Stdin = bytes.NewReader(input)
	var out, problems bytes.Buffer
	command.Stdout, command.Stderr = &out, &problems
	if err := command.Run(); err != nil {
		return nil, fmt.Errorf("%s: %w: %s", program, err, problems.String())
	}
	return out.Bytes(), nil
}
