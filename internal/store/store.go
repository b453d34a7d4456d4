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
	"embed"
	"encoding/json"
	"slices"

	"gorm.io/gorm"

	"loyallatch.example/latch/internal/core/message"
	"loyallatch.example/latch/internal/core/org"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is a connection to the database.
type Store struct {
	db   *gorm.DB
	own  *gorm.DB          // for what keeps the service going: it never waits behind requests
	sign func(Head) []byte // of the audit log; nil signs none
	seal Sealer            // of records; nil seals none
}

// Revision returns the revision of the newest change.
func (s *Store) Revision(ctx context.Context) (uint64, error) {
	var revision uint64
	err := s.db.WithContext(ctx).Raw("SELECT revision FROM organisation WHERE id = 1").Row().Scan(&revision)
	return revision, err
}

// Load brings a state up to the database's newest revision: rows written after the state's own revision are read
// and put in. An empty state is loaded whole. The result is a fork; the state itself stays as it is.
func (s *Store) Load(ctx context.Context, state *org.State) (*org.State, error) {
	var loaded *org.State
	err := transact(ctx, s.own, func(db *gorm.DB) error {
		var err error
		loaded, err = load(db, state)
		if err == nil && len(loaded.AsideRecords()) > 0 && state.Revision > 0 {
			loaded, err = load(db, &org.State{}) // what refers to a record set aside may be older than it
		}
		return err
	}, snapshotted...)
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
	// The wording of a message that a version of before sent, and that there is no more, is nothing to keep
	next.Settings.Messages = slices.DeleteFunc(next.Settings.Messages,
		func(w message.Wording) bool { return message.Of(w.Kind) == nil })
	return next, (&loading{source: source{db: db, since: state.Revision}, into: next}).all()
}
