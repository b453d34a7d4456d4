package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"log"
	"math/rand/v2"
	"net"
	"time"

	"github.com/go-sql-driver/mysql"
	gormmysql "gorm.io/driver/mysql"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// No statement is waited for longer than longestStatement, whatever its context says; the database gives it up itself
// a little before. Whoever asks with a context that ends is told at once.
const (
	longestStatement = 90 * time.Second
	dialWithin       = 2 * time.Second
)

// How many connections are open at most: for what is asked of the service, and apart from them for what keeps it
// going, which never waits behind requests.
const (
	connections    = 32
	ownConnections = 6
)

// Open connects to the database that a DSN of the Go MySQL driver names and brings its tables up to date.
func Open(ctx context.Context, dsn string) (*Store, error) {
	if _, err := Migrate(ctx, dsn, 0, nil); err != nil {
		return nil, err
	}
	s, err := Connect(ctx, dsn)
	if err != nil {
		return nil, err
	}
	if err := s.Whole(ctx); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// Connect connects to a database as it is, for reading alone.
func Connect(ctx context.Context, dsn string) (*Store, error) {
	config, err := configOf(dsn)
	if err != nil {
		return nil, err
	}
	config.ReadTimeout, config.WriteTimeout = longestStatement, longestStatement
	config.Params["max_statement_time"] = fmt.Sprint(int((longestStatement - 10*time.Second).Seconds()))
	config.Params["innodb_lock_wait_timeout"] = "50"
	s := &Store{}
	if s.db, err = pooled(ctx, config, connections); err != nil {
		return nil, err
	}
	if s.own, err = pooled(ctx, config, ownConnections); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

func configOf(dsn string) (*mysql.Config, error) {
	config, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("the database address is not understood: %w", err)
	}
	config.ParseTime, config.InterpolateParams, config.Loc = true, true, time.UTC
	config.Timeout = dialWithin
	if config.Params == nil {
		config.Params = map[string]string{}
	}
	config.Params["sql_mode"] = "'STRICT_ALL_TABLES,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION'"
	config.Params["time_zone"] = "'+00:00'"
	return config, nil
}

func pooled(ctx context.Context, config *mysql.Config, most int) (*gorm.DB, error) {
	pool, err := dial(ctx, config)
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(most)
	pool.SetMaxIdleConns(most / 2)
	pool.SetConnMaxLifetime(time.Hour)
	db, err := gorm.Open(gormmysql.New(gormmysql.Config{Conn: retrying{pool}}), &gorm.Config{
		Logger: logger.New(log.Default(), logger.Config{LogLevel: logger.Silent}), SkipDefaultTransaction: true,
	})
	if err != nil {
		return nil, errors.Join(err, pool.Close())
	}
	return db, nil
}

func dial(ctx context.Context, config *mysql.Config) (*sql.DB, error) {
	connector, err := mysql.NewConnector(config)
	if err != nil {
		return nil, err
	}
	pool := sql.OpenDB(connector)
	if err := pool.PingContext(ctx); err != nil {
		return nil, errors.Join(fmt.Errorf("%w: %w", ErrUnreachable, err), pool.Close())
	}
	return pool, nil
}

// ErrUnreachable says that the database does not answer, or lets nobody in.
var ErrUnreachable = errors.New("the database cannot be reached")

// Unavailable reports whether an error says that the database cannot do its work at the moment: it is away or full,
// takes no more connections, lets the service in no more, is a node of a cluster that has lost the others, or did not
// keep a change. What it was asked may be asked again.
func Unavailable(err error) bool {
	var refused *mysql.MySQLError
	if errors.As(err, &refused) {
		switch refused.Number {
		case 1021, 1114, 1026, 1040, 1047, 1053, 1180, 1290, 1317, 1836, 1969, 3, // its disk, connections, nodes
			1044, 1045, 1129, 1142, 1203, 1226, 1698: // it lets the service in no more, or not as far
			return true
		}
		return yields(err)
	}
	var network *net.OpError
	return errors.Is(err, ErrUnreachable) || errors.As(err, &network) || lost(err) || Transient(err)
}

// retrying repeats single statements that the database gave up in favour of another's: nothing of them was done.
type retrying struct{ *sql.DB }

// GetDBConn gives the pool beneath, as gorm.GetDBConnector says.
func (r retrying) GetDBConn() (*sql.DB, error) { return r.DB, nil }

// ExecContext executes a statement.
func (r retrying) ExecContext(ctx context.Context, query string, args ...any) (result sql.Result, err error) {
	return result, again(ctx, func() error {
		result, err = r.DB.ExecContext(ctx, query, args...)
		return err
	})
}

// mostAgain bounds how often something is tried again that others stood in the way of, longestAgain how long is waited
// before that.
const (
	mostAgain    = 16
	longestAgain = 400 * time.Millisecond
)

// again does something until it is not given up in favour of another's.
func again(ctx context.Context, do func() error) error {
	for tries := 1; ; tries++ {
		err := do()
		if !yields(err) || tries == mostAgain {
			return err
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(rand.N(min(longestAgain, 4*time.Millisecond<<tries))):
		}
	}
}

// yields reports whether the database gave something up in favour of another's: a deadlock, which is also what a node
// of a cluster says of what another node has written, or a lock that was waited for too long.
func yields(err error) bool {
	var refused *mysql.MySQLError
	return errors.As(err, &refused) && (refused.Number == 1213 || refused.Number == 1205)
}

// lost reports whether the connection to the database was lost.
func lost(err error) bool {
	return errors.Is(err, mysql.ErrInvalidConn) || errors.Is(err, driver.ErrBadConn)
}

// transact runs fn in one transaction and commits it. If MariaDB aborts the transaction (deadlock, lock timeout, failed
// certification), transact rolls back and calls fn again, so fn must not keep results between calls. When ctx ends,
// transact rolls back and returns the cause, also while it waits for COMMIT. No statement of fn is executed after one
// that failed. The transaction starts with statements, or START TRANSACTION if there are none.
func transact(ctx context.Context, db *gorm.DB, fn func(db *gorm.DB) error, statements ...string) error {
	return again(ctx, func() error { _, err := once(ctx, db, fn, statements...); return err })
}

// snapshotted are the statements that begin a transaction which reads as of one moment.
var snapshotted = []string{"SET TRANSACTION ISOLATION LEVEL REPEATABLE READ",
	"START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY"}

// once is transact without trying again. commitFailed reports that COMMIT itself returned err, so that the outcome is
// unknown and the caller must look for its audit entry.
func once(ctx context.Context, db *gorm.DB, fn func(db *gorm.DB) error, statements ...string) (commitFailed bool,
	err error) {
	err = db.WithContext(ctx).Connection(func(db *gorm.DB) (err error) {
		db = db.Session(&gorm.Session{NewDB: true})
		within, tx, err := begin(ctx, db, statements)
		if err != nil {
			return err
		}
		ended := false
		defer func() {
			if !ended {
				abandon(ctx, db)
			}
		}()
		if err := fn(within); err != nil {
			return err
		}
		if tx.failed != nil {
			return tx.failed
		}
		commitFailed = true
		err = db.Exec("COMMIT").Error
		ended = err == nil
		return err
	})
	return commitFailed, err
}

// abandon ends a transaction that comes to nothing. A connection that does not even take that is closed, which ends it
// too.
func abandon(ctx context.Context, db *gorm.DB) {
	ending, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Second)
	defer cancel()
	if db.WithContext(ending).Exec("ROLLBACK").Error == nil {
		return
	}
	if connection, is := db.Statement.ConnPool.(*sql.Conn); is {
		_ = connection.Raw(func(any) error { return driver.ErrBadConn }) // it is thrown away
	}
}

// LogTo takes the lines that the database driver writes, such as of connections that were lost.
func LogTo(lines *log.Logger) error { return mysql.SetLogger(lines) }

// Stats says how the connections are used that requests have.
func (s *Store) Stats() sql.DBStats {
	pool, err := s.db.DB()
	if err != nil {
		return sql.DBStats{}
	}
	return pool.Stats()
}

// Close closes the connections.
func (s *Store) Close() error {
	var errs []error
	for _, db := range []*gorm.DB{s.db, s.own} {
		if db == nil {
			continue
		}
		pool, err := db.DB()
		if err == nil {
			err = pool.Close()
		}
		errs = append(errs, err)
	}
	return errors.Join(errs...)
}
