package store

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"gorm.io/gorm"

	"loyallatch.example/latch/internal/core/org"
)

// PartOfPast says whose part of the past is loaded: that of some people, or that of everybody who had an assignment or
// an exception at some places, with the owners. Places, catalogue and templates are loaded whole: they are few, and
// without them nobody's part means anything.
type PartOfPast struct {
	Staff  []uint32
	Places []uint32
}

// KeptSince returns the moment at which the kept history begins; zero where nothing is on record.
func (s *Store) KeptSince(ctx context.Context) (time.Time, error) {
	var at sql.NullTime
	if err := s.db.WithContext(ctx).Raw("SELECT MIN(at) FROM audit_entries WHERE id <= 10").Row().Scan(
		&at); err != nil {
		return at.Time, err
	}
	trimmed, err := s.Looked(ctx, keptFrom)
	if trimmed.After(at.Time) {
		return trimmed, err
	}
	return at.Time, err
}

// PlacesAt returns the places as they were at a moment, in a state that holds nothing else.
func (s *Store) PlacesAt(ctx context.Context, at time.Time) (*org.State, error) {
	state := &org.State{}
	stamp, err := stampAt(s.db.WithContext(ctx), at)
	if err != nil {
		return nil, err
	}
	return state, places.load(&loading{source: source{db: s.db.WithContext(ctx), asOf: stamp}, into: state})
}

// LoadAt returns a part of the state as it was at a moment.
func (s *Store) LoadAt(ctx context.Context, at time.Time, whose PartOfPast) (*org.State, error) {
	state := &org.State{Settings: org.DefaultSettings()}
	err := transact(ctx, s.db, func(db *gorm.DB) error {
		at, err := stampAt(db, at)
		if err != nil {
			return err
		}
		from := source{db: db, asOf: at, staff: append([]uint32{}, whose.Staff...)}
		if len(whose.Places) > 0 {
			for _, table := range []string{"assignments", "exceptions"} { // a bar adds nobody who could do anything
				var ids []uint32
				if err := from.table(table).Where("place_id IN ? AND NOT ended",
					whose.Places).Distinct("staff_id").Pluck("staff_id", &ids).Error; err != nil {
					return err
				}
				from.staff = append(from.staff, ids...)
			}
			var owners []uint32
			if err := from.table("staff").Where("owner").Pluck("id", &owners).Error; err != nil {
				return err
			}
			from.staff = append(from.staff, owners...)
		}
		return (&loading{source: from, into: state}).all()
	}, snapshotted...)
	return state, err
}

// StateOf returns the whole state as a revision left it, read on from an earlier state, which may be empty; nil where
// the moment of the revision is not on record.
func (s *Store) StateOf(ctx context.Context, revision uint64, from *org.State) (*org.State, error) {
	next := from.Fork()
	known := false
	err := transact(ctx, s.db, func(db *gorm.DB) error {
		var stamp time.Time
		err := db.Raw("SELECT stamp FROM instants WHERE revision = ?", revision).Row().Scan(&stamp)
		if errors.Is(err, errNoRows) {
			return nil
		}
		if err != nil {
			return err
		}
		known, next = true, from.Fork()
		next.Revision, next.Settings = revision, org.DefaultSettings()
		return (&loading{source: source{db: db, since: from.Revision, asOf: stamp}, into: next}).all()
	}, snapshotted...)
	if err != nil || !known {
		return nil, err
	}
	return next, nil
}
