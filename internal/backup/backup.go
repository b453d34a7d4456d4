// Package backup makes a backup of the database as one file, with a manifest beside it that says what is in it, and
// checks and restores it. It runs MariaDB's own mariadb-dump and mariadb, which every server comes with.
//
// A file is a dump in SQL, compressed by gzip (RFC 1952): it can be read without this program. The manifest is JSON.
// Both
// have their final names only once they are whole. The key file is no part of it.
package backup

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net"
	"os"
	"os/exec"
	"slices"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"

	"loyallatch.example/latch/internal/store"
)

// Manifest says what a backup holds.
type Manifest struct {
	MadeAt  time.Time `json:"made_at"`
	Program string    `json:"program"` // version
	Schema  int64     `json:"schema"`  // version of the tables
	Bytes   int64     `json:"bytes"`   // of the file
	SHA256  string    `json:"sha256"`  // of the file
	// Rows of each table, the past of those that keep it along
	Tables map[string]int64 `json:"tables"`
	// A head of the audit log that the backup goes through: the newest when it was begun
	Entries uint64 `json:"audit_entries"`
	Hash    string `json:"audit_hash"`
	// By the key of the database, where it was there
	Signature string `json:"signature,omitempty"`
}

// Message is what is signed of a manifest.
func (m Manifest) Message() []byte {
	m.Signature = ""
	text, err := json.Marshal(m)
	if err != nil {
		panic(err) // it has plain fields alone
	}
	return append([]byte("loyal latch backup\n"), text...)
}

// ManifestOf is the name of the manifest of a backup.
func ManifestOf(path string) string { return path + ".manifest.json" }

// Progress is told how many rows of which table are done.
type Progress func(table string, rows int64)

// Make writes a backup of a database to a file, while others go on writing. A file that is there already is left alone.
// sign signs the manifest; nil: nobody does.
func Make(ctx context.Context, db *store.Store, dsn, program, path string, sign func([]byte) []byte,
	progress Progress) (m *Manifest, err error) {
	for _, taken := range []string{path, ManifestOf(path)} {
		if _, err := os.Lstat(taken); err == nil {
			return nil, fmt.Errorf("%s is there already; name another file, or remove it", taken)
		}
	}
	if err := db.Whole(ctx); err != nil {
		return nil, err
	}
	binding, err := db.Binding(ctx)
	if err != nil {
		return nil, err
	}
	head, _, err := db.Head(ctx)
	if err != nil {
		return nil, err
	}
	m = &Manifest{MadeAt: time.Now().UTC().Truncate(time.Second), Program: program, Schema: binding.Schema,
		Entries: head.Entries, Hash: hex.EncodeToString(head.Hash)}
	part := path + ".part"
	defer func() {
		if err != nil {
			err = errors.Join(err, removed(part))
		}
	}()
	if err := m.dump(ctx, dsn, part, progress); err != nil {
		return nil, err
	}
	if sign != nil {
		m.Signature = hex.EncodeToString(sign(m.Message()))
	}
	text, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return nil, err
	}
	if err := os.WriteFile(ManifestOf(path), append(text, '\n'), 0o600); err != nil {
		return nil, errors.Join(err, removed(ManifestOf(path)))
	}
	return m, os.Rename(part, path)
}

func removed(path string) error {
	if err := os.Remove(path); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	return nil
}

// dump runs mariadb-dump into a file, and notes what goes by.
func (m *Manifest) dump(ctx context.Context, dsn, path string, progress Progress) error {
	file, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return fmt.Errorf("the backup cannot be written: %w", err)
	}
	closed := false
	defer func() {
		if !closed {
			_ = file.Close() // it is removed
		}
	}()
	config, err := mysql.ParseDSN(dsn)
	if err != nil {
		return fmt.Errorf("the database address is not understood: %w", err)
	}
	// One transaction sees one moment and holds nobody up; nothing is locked
	command, err := client(ctx, config, "mariadb-dump", "--single-transaction", "--quick", "--dump-history",
		"--skip-add-locks", "--no-tablespaces", "--skip-triggers", "--hex-blob", config.DBName)
	if err != nil {
		return err
	}
	var said bytes.Buffer
	command.Stderr = &said
	out, err := command.StdoutPipe()
	if err != nil {
		return err
	}
	if err := command.Start(); err != nil {
		return fmt.Errorf("mariadb-dump cannot be run; install mariadb-client: %w", err)
	}
	sum := sha256.New()
	counted := &counter{to: io.MultiWriter(file, sum)}
	packed := gzip.NewWriter(counted)
	rows, whole, err := read(io.TeeReader(out, packed), progress)
	if err != nil {
		_ = command.Process.Kill()
		return errors.Join(err, command.Wait())
	}
	if err := command.Wait(); err != nil {
		return fmt.Errorf("mariadb-dump failed: %s: %w", strings.TrimSpace(said.String()), err)
	}
	if !whole {
		return errors.New("mariadb-dump did not come to its end")
	}
	if err := packed.Close(); err != nil {
		return err
	}
	if err := file.Sync(); err != nil {
		return err
	}
	closed = true
	m.Tables, m.Bytes, m.SHA256 = rows, counted.bytes, hex.EncodeToString(sum.Sum(nil))
	return file.Close()
}

type counter struct {
	to    io.Writer
	bytes int64
}

// Write counts what goes by.
func (c *counter) Write(p []byte) (int, error) {
	n, err := c.to.Write(p)
	c.bytes += int64(n)
	return n, err
}

// client prepares a program of MariaDB's for a database. Its password goes through an open file: arguments and the
// environment can be read by others.
func client(ctx context.Context, config *mysql.Config, program string, arguments ...string) (*exec.Cmd, error) {
	var options strings.Builder
	option := func(name, value string) {
		fmt.Fprintf(&options, "%s=\"%s\"\n", name, strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(value))
	}
	options.WriteString("[client]\n")
	option("user", config.User)
	option("password", config.Passwd)
	if config.Net == "unix" {
		option("socket", config.Addr)
	} else {
		host, port, err := net.SplitHostPort(config.Addr)
		if err != nil {
			return nil, fmt.Errorf("the database address is not understood: %w", err)
		}
		option("host", host)
		option("port", port)
		option("protocol", "tcp")
	}
	switch config.TLSConfig {
	case "", "false":
	case "skip-verify", "preferred":
		options.WriteString("ssl\n")
	default:
		options.WriteString("ssl\nssl-verify-server-cert\n")
	}
	reading, writing, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	if _, err := writing.WriteString(options.String()); err != nil { // less than a pipe holds
		return nil, errors.Join(err, reading.Close(), writing.Close())
	}
	command := exec.CommandContext(ctx, program, append([]string{"--defaults-file=/dev/fd/3",
		"--default-character-set=utf8mb4"}, arguments...)...)
	command.ExtraFiles = []*os.File{reading}
	return command, writing.Close()
}

// read counts the rows of each table in a dump, and says whether it comes to its end. mariadb-dump writes a row on a
// line
// of its own, and no line break within a value.
func read(dump io.Reader, progress Progress) (rows map[string]int64, whole bool, err error) {
	rows = map[string]int64{}
	lines := bufio.NewReaderSize(dump, 1<<20)
	table, inserting, total := "", false, int64(0)
	for {
		line, err := lines.ReadSlice('\n')
		switch {
		case bytes.HasPrefix(line, []byte("CREATE TABLE `")):
			table, inserting = quoted(line), false
			rows[table] = 0
		case bytes.HasPrefix(line, []byte("INSERT INTO `")):
			table, inserting = quoted(line), true
			if bytes.Contains(line, []byte("VALUES (")) { // else the first row is on the next line
				rows[table]++
				total++
			}
		case len(line) == 0:
		case inserting && line[0] == '(': // partitions of a table are written alike
			rows[table]++
			total++
		case bytes.HasPrefix(line, []byte("-- Dump completed")):
			whole = true
		}
		for errors.Is(err, bufio.ErrBufferFull) { // the rest of a long line
			_, err = lines.ReadSlice('\n')
		}
		if total%10_000 == 1 && progress != nil {
			progress(table, total)
		}
		if err == io.EOF {
			return rows, whole, nil
		}
		if err != nil {
			return rows, false, err
		}
	}
}

func quoted(line []byte) string {
	_, after, _ := bytes.Cut(line, []byte("`"))
	name, _, _ := bytes.Cut(after, []byte("`"))
	return string(name)
}

// ReadManifest reads the manifest of a backup.
func ReadManifest(path string) (*Manifest, error) {
	text, err := os.ReadFile(ManifestOf(path))
	if err != nil {
		return nil, fmt.Errorf("the manifest of the backup cannot be read: %w", err)
	}
	var m Manifest
	if err := json.Unmarshal(text, &m); err != nil {
		return nil, fmt.Errorf("%s is no manifest of a backup: %w", ManifestOf(path), err)
	}
	return &m, nil
}

// ErrCut says that a backup is not what its manifest says.
var ErrCut = errors.New("this backup is not whole")

// Check compares a file with its manifest, and restores nothing.
func Check(path string, progress Progress) (*Manifest, error) {
	m, err := ReadManifest(path)
	if err != nil {
		return nil, err
	}
	file, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer func() { _ = file.Close() }() // read only
	sum := sha256.New()
	counted := &counter{to: sum}
	packed, err := gzip.NewReader(io.TeeReader(file, counted))
	if err != nil {
		return nil, fmt.Errorf("%w: it is no file of gzip: %w", ErrCut, err)
	}
	rows, whole, err := read(packed, progress)
	if err != nil {
		return nil, fmt.Errorf("%w: it ends after %d bytes of %d: %w", ErrCut, counted.bytes, m.Bytes, err)
	}
	switch differs := different(m.Tables, rows); {
	case !whole:
		return nil, fmt.Errorf("%w: the dump in it does not come to its end", ErrCut)
	case differs != "":
		return nil, fmt.Errorf("%w: %s", ErrCut, differs)
	case counted.bytes != m.Bytes || hex.EncodeToString(sum.Sum(nil)) != m.SHA256:
		return nil, fmt.Errorf("%w: it is not the file that the manifest is of", ErrCut)
	}
	return m, nil
}

// different says in which tables there are other numbers of rows; empty: in none.
func different(want, are map[string]int64) string {
	var list []string
	for _, table := range slices.Sorted(maps.Keys(want)) {
		if count, there := are[table]; !there {
			list = append(list, "the table "+table+" is missing")
		} else if count != want[table] {
			list = append(list, fmt.Sprintf("%s has %d rows of %d", table, count, want[table]))
		}
	}
	for _, table := range slices.Sorted(maps.Keys(are)) {
		if _, there := want[table]; !there {
			list = append(list, "the table "+table+" is none of it")
		}
	}
	return strings.Join(list[:min(len(list), 10)], ", ")
}

// Restore puts a backup into an empty schema, and compares what is there then with the manifest.
func Restore(ctx context.Context, dsn, path string, progress Progress) (*Manifest, error) {
	config, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("the database address is not understood: %w", err)
	}
	db, err := store.Connect(ctx, dsn)
	if err != nil {
		return nil, err
	}
	defer func() { _ = db.Close() }()
	before, err := db.CountRows(ctx)
	if err != nil {
		return nil, err
	}
	if len(before) > 0 {
		return nil, fmt.Errorf("the schema %s is not empty: it has %d tables. A backup is restored into an empty "+
			"one, so "+
			"that nothing is lost", config.DBName, len(before))
	}
	m, err := Check(path, nil)
	if err != nil {
		return nil, err
	}
	if m.Schema > store.Newest() {
		return nil, fmt.Errorf("%w: the backup's are of version %d, and it knows %d", store.ErrNewer, m.Schema,
			store.Newest())
	}
	if err := m.load(ctx, config, path, progress); err != nil {
		return nil, err
	}
	return m, Compare(ctx, db, m)
}

func (m *Manifest) load(ctx context.Context, config *mysql.Config, path string, progress Progress) error {
	file, err := os.Open(path)
	if err != nil {
		return err
	}
	defer func() { _ = file.Close() }() // read only
	packed, err := gzip.NewReader(file)
	if err != nil {
		return err
	}
	command, err := client(ctx, config, "mariadb", "--batch", config.DBName)
	if err != nil {
		return err
	}
	into, err := command.StdinPipe()
	if err != nil {
		return err
	}
	var said bytes.Buffer
	command.Stderr = &said
	if err := command.Start(); err != nil {
		return fmt.Errorf("mariadb cannot be run; install mariadb-client: %w", err)
	}
	_, _, read := read(io.TeeReader(packed, into), progress)
	closed := into.Close()
	if err := command.Wait(); err != nil {
		return fmt.Errorf("the backup could not be restored: %s: %w", strings.TrimSpace(said.String()), err)
	}
	return errors.Join(read, closed)
}

// Compare compares a database that a backup was restored into with the manifest.
func Compare(ctx context.Context, db *store.Store, m *Manifest) error {
	rows, err := db.CountRows(ctx)
	if err != nil {
		return err
	}
	if differs := different(m.Tables, rows); differs != "" {
		return fmt.Errorf("%w: %s", ErrCut, differs)
	}
	hash, err := hex.DecodeString(m.Hash)
	if err != nil {
		return fmt.Errorf("the manifest is damaged: %w", err)
	}
	_, err = db.VerifyAudit(ctx, nil, store.Head{Entries: m.Entries, Hash: hash})
	return err
}
