package testkit

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
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
	var dsn, keys string
	for range 5 {
		if dsn, err = newSchema(); err != nil {
			return made, err
		}
		if keys, err = os.MkdirTemp(folder, "keys of the demo"); err != nil {
			return made, err
		}
		if err = load(dsn, keys); err != nil {
			return made, err
		}
		if made.dump, err = Database(dsn, "mariadb-dump", nil, "--single-transaction", "--dump-history",
			"--skip-comments"); err != nil {
			return made, err
		}
		if err = untyped(made.dump, keys); !errors.Is(err, errTyped) {
			break
		}
	}
	if err != nil {
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
	return made, nil
})

// typed are PINs that tests type. The demo draws those of its people at random, so that it may draw one of them.
var typed = []string{"480216", "592841", "480217", "738196", "480315", "739152", "919190", "736194", "735190", "591327",
	"481630", "481502", "480519", "480417", "917352", "801900", "640273", "637284", "482917", "480218"}

var errTyped = errors.New("the demo has drawn a PIN that tests type")

// nobodyHas gives some PINs to people, in a copy of the demo that is thrown away, and fails where one is in use.
func nobodyHas(a *app.App, pins []string) error {
	const most = 5 // that a change may choose
	for some := range slices.Chunk(pins, most) {
		request := app.Request{Actor: change.Actor{System: "test"}, Origin: "test", Reason: "is it in use?"}
		for i, pin := range some {
			request.Operations = append(request.Operations, change.Operation{Op: "pin.set",
				Set: fmt.Appendf(nil, `{"staff":"Q%04d","pin":%q}`, 11+i, pin)})
		}
		_, err := a.Commit(context.Background(), request)
		if fault.Is(err, fault.Conflict) {
			return errTyped
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// untyped sees, in a copy of the demo, that it has drawn no PIN that tests type.
func untyped(dump []byte, keyFolder string) error {
	dsn, err := newSchema()
	if err != nil {
		return err
	}
	if _, err := Database(dsn, "mariadb", dump); err != nil {
		return err
	}
	keys, err := app.LoadKeys(keyFolder)
	if err != nil {
		return err
	}
	db, err := store.Open(context.Background(), dsn)
	if err != nil {
		return err
	}
	defer func() { _ = db.Close() }()
	a, err := app.New(context.Background(), db, keys, slog.New(slog.DiscardHandler), app.Options{})
	if err != nil {
		return err
	}
	defer a.Close()
	return nobodyHas(a, typed)
}

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
