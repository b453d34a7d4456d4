// Package store keeps the organisation in MariaDB: it loads the state, writes what a change has written, and holds what
// is not part of the state: audit log, events, sessions, drafts, tries. It knows no rules.
//
// # Invariants
//
// Every row carries the revision that wrote it last: it is the record's ETag, and a following instance reads what is
// newer than its own. Changes stand in a line behind the organisation's revision row. A column of a table is described
// once, in tables.go; by that description a record is written, loaded and read from the history. Audit entries form a
// chain of hashes whose head is signed.
//
// # Units
//
// Instants are stored in UTC; those that decide access to the second. A past is asked for by the moment of the
// transaction.
//
// # Ownership and concurrency
//
// A Store may be used by any number of goroutines, and several services may share one database. A Tx belongs to the
// function that Change gives it to. Nothing that is returned is shared with the store.
//
// # Errors
//
// An error of the database is returned as it is, wrapped at most; a row that cannot be read is no error: it is set
// aside in the state that is loaded.
package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
	gormmysql "gorm.io/driver/mysql"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"loyallatch.example/latch/internal/core/org"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is a connection to the database.
type Store struct {
	db   *gorm.DB
	sign func(Head) []byte // of the audit log; nil signs none
}

// Open connects to the database that a DSN of the Go MySQL driver names and brings its tables up to date.
func Open(ctx context.Context, dsn string) (*Store, error) {
	s, err := Connect(ctx, dsn)
	if err != nil {
		return nil, err
	}
	pool, err := s.db.DB()
	if err == nil {
		err = migrate(ctx, pool)
	}
	if err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// Connect connects to a database as it is, for reading alone.
func Connect(ctx context.Context, dsn string) (*Store, error) {
	config, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("the database address is not understood: %w", err)
	}
	config.ParseTime, config.InterpolateParams, config.Loc = true, true, time.UTC
	config.Timeout = 5 * time.Second
	if config.Params == nil {
		config.Params = map[string]string{}
	}
	config.Params["sql_mode"] = "'STRICT_ALL_TABLES,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION'"
	config.Params["time_zone"] = "'+00:00'"
	connector, err := mysql.NewConnector(config)
	if err != nil {
		return nil, err
	}
	pool := sql.OpenDB(connector)
	pool.SetMaxOpenConns(32)
	pool.SetMaxIdleConns(16)
	pool.SetConnMaxLifetime(time.Hour)
	if err := pool.PingContext(ctx); err != nil {
		return nil, errors.Join(fmt.Errorf("the database cannot be reached: %w", err), pool.Close())
	}
	db, err := gorm.Open(gormmysql.New(gormmysql.Config{Conn: pool}), &gorm.Config{
		Logger: logger.New(log.Default(), logger.Config{LogLevel: logger.Silent}), SkipDefaultTransaction: true,
	})
	if err != nil {
		return nil, err
	}
	return &Store{db: db}, nil
}

func migrate(ctx context.Context, pool *sql.DB) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	// Several instances may start at once: one of them brings the tables up to date, the others wait for it.
	locker, err := lock.NewMySQLTableLocker(lock.WithTableLockTimeout(200*time.Millisecond, 1500))
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectMySQL, pool, files, goose.WithLogger(goose.NopLogger()),
		goose.WithLocker(locker))
	if err != nil {
		return err
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("the database tables could not be brought up to date: %w", err)
	}
	return nil
}

// LogTo takes the lines that the database driver writes, such as of connections that were lost.
func LogTo(lines *log.Logger) error { return mysql.SetLogger(lines) }

// Stats says how the connections are used.
func (s *Store) Stats() sql.DBStats {
	pool, err := s.db.DB()
	if err != nil {
		return sql.DBStats{}
	}
	return pool.Stats()
}

// Close closes the connections.
func (s *Store) Close() error {
	pool, err := s.db.DB()
	if err != nil {
		return err
	}
	return pool.Close()
}

// Ping reports whether the database answers.
func (s *Store) Ping(ctx context.Context) error {
	pool, err := s.db.DB()
	if err != nil {
		return err
	}
	return pool.PingContext(ctx)
}

// Revision returns the revision of the newest change.
func (s *Store) Revision(ctx context.Context) (uint64, error) {
	var revision uint64
	err := s.db.WithContext(ctx).Raw("SELECT revision FROM organisation WHERE id = 1").Row().Scan(&revision)
	return revision, err
}

// Tx is the one transaction of a change. It holds the organisation's revision row, so changes stand in a line.
type Tx struct {
	db         *gorm.DB
	Revision   uint64
	next       uint64 // the revision that the change makes; 0: it makes none
	auditCount uint64
	auditHash  []byte
	sign       func(Head) []byte
}

// ErrOutcomeUnknown says that the database was lost while it was told to keep a change: it may have kept it.
var ErrOutcomeUnknown = errors.New("whether the change was kept is not known")

// ErrNotKept says that the database was lost while it was told to keep a change, and did not keep it.
var ErrNotKept = errors.New("the database was lost before the change was kept")

// Change runs fn in a transaction that holds the revision row; an error rolls everything back. All rows of a change
// carry one instant in the history, which is after the moment at which the change before was kept, whatever the clock
// of the database does. Where dated is set, it is that one: for loading a past that was kept elsewhere. Where the
// connection is lost at the end the error is ErrOutcomeUnknown, and Kept tells.
func (s *Store) Change(ctx context.Context, dated time.Time, fn func(tx *Tx) error) error {
	whole := false
	err := s.db.WithContext(ctx).Transaction(func(db *gorm.DB) (err error) {
		defer func() { whole = err == nil }()
		tx := &Tx{db: db, sign: s.sign}
		var stamp time.Time
		var before sql.NullTime
		row := db.Raw("SELECT revision, audit_count, audit_hash, kept_at, SYSDATE(6) FROM organisation WHERE id = 1 " +
			"FOR UPDATE").Row()
		if err := row.Scan(&tx.Revision, &tx.auditCount, &tx.auditHash, &before, &stamp); err != nil {
			return err
		}
		switch {
		case !dated.IsZero():
			stamp = dated.UTC().Truncate(time.Microsecond)
		case !stamp.After(before.Time):
			stamp = before.Time.Add(time.Microsecond)
		}
		// Half a microsecond more, as what is left of it is cut off
		if err := db.Exec("SET @@timestamp = ?", (float64(stamp.UnixMicro())+0.5)/1e6).Error; err != nil {
			return err
		}
		defer func() { err = errors.Join(err, db.Exec("SET @@timestamp = DEFAULT").Error) }()
		if err := fn(tx); err != nil || tx.next == 0 {
			return err
		}
		return tx.keptAt(stamp, !dated.IsZero())
	})
	if err != nil && whole {
		return fmt.Errorf("%w: %w", ErrOutcomeUnknown, err)
	}
	return err
}

// Transient reports whether an error of a change says that it was not made and may be made when it is tried again: the
// database let another go first, or the connection was lost before the end.
func Transient(err error) bool {
	var refused *mysql.MySQLError
	if errors.As(err, &refused) {
		return refused.Number == 1213 || refused.Number == 1205 // deadlock, waited too long for a lock
	}
	lost := errors.Is(err, mysql.ErrInvalidConn) || errors.Is(err, driver.ErrBadConn)
	return errors.Is(err, ErrNotKept) || lost && !errors.Is(err, ErrOutcomeUnknown)
}

// keptAt notes at which moment a change is kept, as the last thing before it is: that of its rows where they are dated.
func (tx *Tx) keptAt(stamp time.Time, dated bool) error {
	kept := "GREATEST(SYSDATE(6), ?)"
	if dated {
		kept = "?"
	}
	return errors.Join(
		tx.db.Exec("INSERT INTO instants (revision, stamp, kept_at) VALUES (?, ?, "+kept+")", tx.next, stamp,
			stamp).Error,
		tx.db.Exec("UPDATE organisation SET kept_at = GREATEST(COALESCE(kept_at, '1000-01-01'), (SELECT kept_at FROM "+
			"instants WHERE revision = ?)) WHERE id = 1", tx.next).Error)
}

// stampAt returns the instant in the history of what was at a moment: that of the last change that was kept by then.
func stampAt(db *gorm.DB, moment time.Time) (time.Time, error) {
	var stamp sql.NullTime
	err := db.Raw("SELECT MAX(stamp) FROM (SELECT stamp FROM instants WHERE kept_at <= ? ORDER BY kept_at DESC, stamp "+
		"DESC LIMIT 1) AS last", moment.UTC()).Row().Scan(&stamp)
	if err != nil || !stamp.Valid {
		return moment, err // before any change that has an instant
	}
	return stamp.Time, nil
}

// Kept reports whether a change is in the audit log as it was written there. It waits behind the change itself, which
// may still be on its way in the database.
func (s *Store) Kept(ctx context.Context, entry *AuditEntry) (kept bool, err error) {
	return kept, s.db.WithContext(ctx).Transaction(func(db *gorm.DB) error {
		var count uint64
		if err := db.Raw(
			"SELECT audit_count FROM organisation WHERE id = 1 FOR UPDATE").Row().Scan(&count); err != nil {
			return err
		}
		there, err := (&Store{db: db}).AuditEntry(ctx, entry.ID)
		kept = there != nil && string(there.Hash) == string(entry.Hash)
		return err
	})
}

// EndSessions ends all of somebody's sessions and tokens but one, which may be 0.
func (tx *Tx) EndSessions(staff uint32, keep uint64) error {
	return tx.db.Where("staff_id = ? AND id <> ?", staff, keep).Delete(&Session{}).Error
}

// Load brings a state up to the database's newest revision: rows written after the state's own revision are read
// and put in. An empty state is loaded whole. The result is a fork; the state itself stays as it is.
func (s *Store) Load(ctx context.Context, state *org.State) (*org.State, error) {
	var loaded *org.State
	err := s.db.WithContext(ctx).Transaction(func(db *gorm.DB) error {
		var err error
		loaded, err = load(db, state)
		if err == nil && len(loaded.AsideRecords()) > 0 && state.Revision > 0 {
			loaded, err = load(db, &org.State{}) // what refers to a record set aside may be older than it
		}
		return err
	}, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	return loaded, err
}

// Load is Store.Load within the transaction of a change.
func (tx *Tx) Load(state *org.State) (*org.State, error) { return load(tx.db, state) }

func load(db *gorm.DB, state *org.State) (*org.State, error) {
	next := state.Fork()
	var settings []byte
	if err := db.Raw("SELECT revision, settings FROM organisation WHERE id = 1").Row().Scan(&next.Revision,
		&settings); err != nil {
		return nil, err
	}
	next.Settings = org.DefaultSettings()
	next.Readmit("organisation", 1)
	if err := json.Unmarshal(settings, &next.Settings); err != nil {
		next.Settings = org.DefaultSettings()
		next.SetAside(org.Aside{Kind: "organisation", ID: 1, Problem: err.Error()})
	}
	return next, (&loading{source: source{db: db, since: state.Revision}, into: next}).all()
}
