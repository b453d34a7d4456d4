package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// Tx is the one transaction of a change. It holds the organisation's revision row, so changes stand in a line.
type Tx struct {
	db         *gorm.DB
	Revision   uint64
	next       uint64 // the revision that the change makes; 0: it makes none
	auditCount uint64
	auditHash  []byte
	sign       func(Head) []byte
	seal       Sealer
}

// ErrOutcomeUnknown says that the database was lost while it was told to keep a change: it may have kept it.
var ErrOutcomeUnknown = errors.New("whether the change was kept is not known")

// ErrNotKept says that the database was lost while it was told to keep a change, and did not keep it.
var ErrNotKept = errors.New("the database was lost before the change was kept")

// Change runs fn in a transaction that holds the revision row; an error rolls everything back. All rows of a change
// carry one instant in the history, which is after the moment at which the change before was kept, whatever the clock
// of the database does. Where dated is set, it is that one: for loading a past that was kept elsewhere. Where the
// connection is lost at the end the error is ErrOutcomeUnknown, and Kept tells. Where the database gives it up in
// favour
// of another's, fn runs again.
func (s *Store) Change(ctx context.Context, dated time.Time, fn func(tx *Tx) error) error {
	return again(ctx, func() error { return s.changeOnce(ctx, "", dated, fn) })
}

// ErrOccupied says that another change is being made.
var ErrOccupied = errors.New("another change is being made")

// ChangeSoon is Change for what does not wait for others longer than a moment; it is ErrOccupied where it would have
// to.
func (s *Store) ChangeSoon(ctx context.Context, patience time.Duration, fn func(tx *Tx) error) error {
	for waited := time.Now(); ; {
		err := s.changeOnce(ctx, " NOWAIT", time.Time{}, fn)
		if !yields(err) {
			return err
		}
		if time.Since(waited) > patience {
			return ErrOccupied
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(5 * time.Millisecond):
		}
	}
}

func (s *Store) changeOnce(ctx context.Context, wait string, dated time.Time, fn func(tx *Tx) error) error {
	db := s.db
	if wait != "" {
		db = s.own
	}
	commitFailed, err := once(ctx, db, func(db *gorm.DB) error { return s.change(ctx, db, wait, dated, fn) })
	if err != nil && commitFailed && !yields(err) {
		return fmt.Errorf("%w: %w", ErrOutcomeUnknown, err)
	}
	return err
}

func (s *Store) change(ctx context.Context, db *gorm.DB, wait string, dated time.Time,
	fn func(tx *Tx) error) (err error) {
	tx := &Tx{db: db, sign: s.sign, seal: s.seal}
	var stamp time.Time
	var before sql.NullTime
	row := db.Raw("SELECT revision, audit_count, audit_hash, kept_at, SYSDATE(6) FROM organisation WHERE id = 1 " +
		"FOR UPDATE" + wait).Row()
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
	// Also where the change comes to nothing: the connection is used again
	defer func() {
		connection := db.Statement.ConnPool.(*transaction)
		reset := connection.always(context.WithoutCancel(ctx), "SET @@timestamp = DEFAULT")
		err = errors.Join(err, reset)
	}()
	if err := fn(tx); err != nil || tx.next == 0 {
		return err
	}
	return tx.keptAt(stamp, !dated.IsZero())
}

// Transient reports whether an error of a change says that it was not made and may be made when it is tried again: the
// database let another go first, or the connection was lost before the end.
func Transient(err error) bool {
	return yields(err) || errors.Is(err, ErrNotKept) || lost(err) && !errors.Is(err, ErrOutcomeUnknown)
}

// keptAt notes at which moment a change is kept, as the last thing before it is: that of its rows where they are dated.
func (tx *Tx) keptAt(stamp time.Time, dated bool) error {
	kept := "GREATEST(SYSDATE(6), ?)"
	if dated {
		kept = "?"
	}
	if err := tx.db.Exec("INSERT INTO instants (revision, stamp, kept_at) VALUES (?, ?, "+kept+")", tx.next, stamp,
		stamp).Error; err != nil {
		return err
	}
	return tx.db.Exec("UPDATE organisation SET kept_at = GREATEST(COALESCE(kept_at, '1000-01-01'), "+
		"(SELECT kept_at FROM instants WHERE revision = ?)) WHERE id = 1", tx.next).Error
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
	return kept, transact(ctx, s.own, func(db *gorm.DB) error {
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
