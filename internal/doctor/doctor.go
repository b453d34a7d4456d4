// Package doctor looks at what the service needs, before a start and at any time, and says of each thing that is not as
// it should be what to do. It changes nothing.
package doctor

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"syscall"
	"time"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/store"
)

// Level is how bad something is.
type Level int

// The levels.
const (
	Well  Level = iota
	Watch       // it works, and should be better
	Ill         // it does not work, or does not hold
)

// Finding is what was found of one thing.
type Finding struct {
	Level Level
	About string
	Says  string
	Do    string // empty: nothing
}

// Config is what the service is to be started with.
type Config struct {
	DSN, DSNFile            string
	Keys                    string
	Events, Archive, Log    string // folders, the last a file; empty: none
	Mail                    string // host:port; empty: none
	Certificate, PrivateKey string // files of the chain and of its key; empty: none
}

type examination struct{ found []Finding }

func (e *examination) note(level Level, about, do, format string, values ...any) {
	e.found = append(e.found, Finding{level, about, fmt.Sprintf(format, values...), do})
}

// Examine looks at everything.
func Examine(ctx context.Context, c Config) []Finding {
	e := &examination{}
	e.process(&c)
	e.database(ctx, &c)
	e.folders(&c)
	e.mail(ctx, &c)
	e.certificate(&c)
	return e.found
}

func (e *examination) process(c *Config) {
	if os.Geteuid() == 0 {
		e.note(Watch, "user", app.TroubleRoot.Do, "this runs as root; look as the user of the service: runuser -u "+
			"loyal-latch -- loyald doctor")
	} else {
		e.note(Well, "user", "", "not root")
	}
	if c.DSNFile == "" {
		return
	}
	info, err := os.Stat(c.DSNFile)
	switch {
	case err != nil:
		e.note(Ill, "address file", "Make it readable for the service's user.", "%s cannot be read: %v", c.DSNFile, err)
	case info.Mode().IsRegular() && info.Mode().Perm()&0o077 != 0:
		e.note(Watch, "address file", "chmod 600 "+c.DSNFile, "others may read %s, which holds a password", c.DSNFile)
	default:
		e.note(Well, "address file", "", "%s is read by its owner alone", c.DSNFile)
	}
}

// leastVersion is the oldest server that the service works with.
const leastVersion = "10.11"

var versionNumber = regexp.MustCompile(`^(\d+)\.(\d+)`)

func (e *examination) database(ctx context.Context, c *Config) {
	plan, err := store.Plan(ctx, c.DSN, 0)
	if err != nil {
		do := "Look whether the server runs, and at the address, the user and its password."
		if errors.Is(err, store.ErrNewer) {
			do = app.TroubleSchema.Do
		} else if errors.Is(err, store.ErrHalf) {
			do = "Restore a whole backup into an empty schema: loyald restore."
		}
		e.note(Ill, "database", do, "%v", err)
		return
	}
	db, err := store.Connect(ctx, c.DSN)
	if err != nil {
		e.note(Ill, "database", "Look whether the server runs.", "%v", err)
		return
	}
	defer func() { _ = db.Close() }() // nothing was written
	e.server(ctx, db)
	e.rights(ctx, db)
	if apart, err := db.ClockApart(ctx); err != nil {
		e.note(Ill, "clock", "", "the database's clock cannot be asked: %v", err)
	} else if apart.Abs() > 2*time.Second {
		e.note(Ill, "clock", app.TroubleClock.Do, "the database's is %s apart", apart.Abs().Round(time.Millisecond))
	} else {
		e.note(Well, "clock", "", "%d ms apart from the database's", apart.Abs().Milliseconds())
	}
	switch {
	case plan.From == 0:
		e.note(Watch, "tables", "loyald setup makes an organisation.", "the schema is empty")
		return
	case len(plan.Steps) > 0:
		do := "Back up, then start the service, which brings them up to date, or run loyald migrate; --plan says more."
		for _, effect := range plan.Effects {
			do += fmt.Sprintf(" To people: %s (%d).", effect.What, effect.Count)
		}
		e.note(Watch, "tables", do, "of version %d; this program works with %d", plan.From, plan.To)
		return
	}
	if err := db.Whole(ctx); err != nil {
		e.note(Ill, "tables", "Restore a whole backup into an empty schema: loyald restore.", "%v", err)
		return
	}
	e.note(Well, "tables", "", "of version %d, and whole", plan.From)
	e.key(ctx, db, c)
}

func (e *examination) server(ctx context.Context, db *store.Store) {
	s, err := db.Server(ctx)
	if err != nil {
		e.note(Ill, "database", "", "it cannot be asked about itself: %v", err)
		return
	}
	if older(s.Version, leastVersion) {
		e.note(Ill, "database", "Install MariaDB "+leastVersion+" or newer.", "it is of version %s", s.Version)
	} else {
		e.note(Well, "database", "", "%s, schema %s", s.Version, s.Schema)
	}
	for _, want := range []struct {
		name  string
		least int64
		level Level
		why   string
	}{
		{"max_connections", 60, Watch, "an instance takes up to 38, and a backup and you some more"},
		{"max_allowed_packet", 16 << 20, Ill, "a photo or a file of people is one statement"},
	} {
		if is := s.Number(want.name); is < want.least {
			e.note(want.level, "setting", fmt.Sprintf("Set %s = %d or more in the server's configuration.", want.name,
				want.least), "%s is %d: %s", want.name, is, want.why)
		}
	}
	if s.Number("innodb_flush_log_at_trx_commit") != 1 {
		e.note(Ill, "setting", "Set innodb_flush_log_at_trx_commit = 1.",
			"changes that were answered may be lost when the "+
				"machine of the database loses power")
	}
	if s.Variables["read_only"] != "OFF" && s.Variables["read_only"] != "0" {
		e.note(Ill, "setting", "Name the server that takes changes, or set read_only = OFF.", "the server is read-only")
	}
	if pool := s.Number("innodb_buffer_pool_size"); pool < s.Data/4 && pool < 8<<30 {
		e.note(Watch, "setting", "Set innodb_buffer_pool_size to a quarter of the data or more.",
			"the tables take %d MB, and the server holds %d MB in memory", s.Data>>20, pool>>20)
	}
}

// older reports whether a version is before another.
func older(version, least string) bool {
	is, want := versionNumber.FindStringSubmatch(version), versionNumber.FindStringSubmatch(least)
	if is == nil || want == nil {
		return true
	}
	for i := 1; i <= 2; i++ {
		a, errA := strconv.Atoi(is[i])
		b, errB := strconv.Atoi(want[i])
		if errA != nil || errB != nil || a != b {
			return a < b
		}
	}
	return false
}

func (e *examination) rights(ctx context.Context, db *store.Store) {
	lacks, beyond, err := db.Granted(ctx)
	switch {
	case err != nil:
		e.note(Watch, "rights", "", "they cannot be asked for: %v", err)
		return
	case len(lacks) > 0:
		e.note(Ill, "rights", "GRANT "+strings.Join(lacks, ", ")+" on the schema to the service's user.", "it lacks %s",
			strings.Join(lacks, ", "))
	}
	if len(beyond) > 0 {
		e.note(Watch, "rights", "REVOKE them, so that a stolen password is worth less.",
			"it has more than it needs: %s",
			strings.Join(beyond, ", "))
	} else if len(lacks) == 0 {
		e.note(Well, "rights", "", "as many as it needs, and no more")
	}
}

func (e *examination) key(ctx context.Context, db *store.Store, c *Config) {
	keys, err := app.KeysOf(ctx, db, c.Keys)
	switch {
	case errors.Is(err, app.ErrEmpty):
		e.note(Watch, "key", "loyald setup makes an organisation, and the key.", "there is no organisation yet")
		return
	case errors.Is(err, app.ErrNoKey):
		e.note(Ill, "key", "Restore it from its backup; where there is none, see loyald keys replace --lost.",
			"there is "+
				"none in %s", c.Keys)
		return
	case err != nil:
		e.note(Ill, "key", "Restore the one of this database from its backup.", "%v", err)
		return
	case keys.Unfinished():
		e.note(Watch, "key", app.TroubleRotation.Do, "a rotation was cut short; the new key stands beside the old one")
	default:
		e.note(Well, "key", "", "it belongs to this database")
	}
	if at, err := db.KeyBackup(ctx); err == nil && at.IsZero() {
		e.note(Watch, "key backup", app.TroubleKeyBackup.Do, "none is known")
	} else if err == nil {
		e.note(Well, "key backup", "", "made on %s", at.Format("2 January 2006"))
	}
}

// fullest is which share of a disk is free at least.
const fullest = 0.05

func (e *examination) folders(c *Config) {
	for _, f := range []struct{ about, path, missing string }{
		{"events folder", c.Events, "Name one with --events-folder on a disk of this machine: without one each door " +
			"waits " +
			"for the database."},
		{"archive folder", c.Archive, ""}, {"log folder", filepath.Dir(c.Log), ""},
	} {
		if f.path == "" || f.path == "." && c.Log == "" {
			if f.missing != "" {
				e.note(Watch, f.about, f.missing, "there is none")
			}
			continue
		}
		e.folder(f.about, f.path)
	}
}

func (e *examination) folder(about, path string) {
	if _, err := os.Stat(path); errors.Is(err, os.ErrNotExist) {
		if parent, err := os.Stat(filepath.Dir(path)); err == nil && parent.IsDir() {
			path = filepath.Dir(path) // the service makes the last part
		}
	}
	try, err := os.CreateTemp(path, "try-")
	if err == nil {
		_, written := try.Write(make([]byte, 4096))
		closed := try.Close()
		removed := os.Remove(try.Name())
		err = errors.Join(written, closed, removed)
	}
	if err != nil {
		e.note(Ill, about, "Make it, and give it to the service's user (mode 0700); make room on its disk.",
			"it cannot be written: %v", err)
		return
	}
	var disk syscall.Statfs_t
	if err := syscall.Statfs(path, &disk); err != nil {
		e.note(Watch, about, "", "its disk cannot be asked: %v", err)
		return
	}
	free := float64(disk.Bavail) / float64(max(disk.Blocks, 1))
	if free < fullest {
		e.note(Ill, about, "Make room on its disk.", "%.1f %% of the disk of %s is left", 100*free, path)
		return
	}
	e.note(Well, about, "", "%s can be written; %.0f %% of its disk is left", path, 100*free)
}

func (e *examination) mail(ctx context.Context, c *Config) {
	if c.Mail == "" {
		e.note(Watch, "mail", "Name a server with --mail-server, or do without mail.",
			"no server is named, so nothing is sent")
		return
	}
	within, cancel := context.WithTimeout(ctx, 3*time.Second)
	defer cancel()
	connection, err := (&net.Dialer{}).DialContext(within, "tcp", c.Mail)
	if err != nil {
		e.note(Ill, "mail", app.TroubleMail.Do, "%s does not answer: %v", c.Mail, err)
		return
	}
	_ = connection.Close() // nothing was said
	e.note(Well, "mail", "", "%s answers", c.Mail)
}

func (e *examination) certificate(c *Config) {
	if c.Certificate == "" {
		return
	}
	pair, err := tls.LoadX509KeyPair(c.Certificate, c.PrivateKey)
	if err != nil {
		e.note(Ill, "certificate", app.TroubleCertificate.Do, "%v", err)
		return
	}
	left := time.Until(pair.Leaf.NotAfter)
	switch ends := pair.Leaf.NotAfter.Format("2 January 2006"); {
	case left < 0:
		e.note(Ill, "certificate", app.TroubleCertificate.Do, "it ended on %s", ends)
	case left < 14*24*time.Hour:
		e.note(Watch, "certificate", app.TroubleCertificate.Do, "it ends on %s", ends)
	default:
		e.note(Well, "certificate", "", "it counts until %s", ends)
	}
}
