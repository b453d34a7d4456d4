package app

import (
	"context"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// Replayed says what came of deciding recorded events again.
type Replayed struct {
	Decided int // again
	Differ  int // of them
	// Those that cannot be: held up by wrong tries, which no state keeps, or recorded before events said on what
	HeldUp, Unknown int
}

// Difference is an event whose decision comes out otherwise when it is decided again.
type Difference struct {
	Event store.Event
	Now   access.Decision
	On    *access.Snapshot
}

// replayed is how many events are read at once.
const replayed = 5000

// earlyWithin is how many changes an event that was decided with urgent acts on top is looked for among: those are
// changes of their own soon after.
const earlyWithin = 50

// Replay decides the recorded events of a period again, each on the state of its revision as the history keeps it, and
// reports those that come out otherwise.
func Replay(ctx context.Context, db *store.Store, from, until time.Time, report func(Difference)) (done Replayed,
	err error) {
	r := replay{db: db, done: &done, report: report}
	since, err := db.KeptSince(ctx)
	if err != nil {
		return done, err
	}
	if from = later(from, since); !from.Before(until) { // what was decided before the history begins is not on record
		return done, nil
	}
	for after := uint64(0); ; {
		events, err := db.EventsOn(ctx, from, until, after, replayed)
		if err != nil || len(events) == 0 {
			return done, err
		}
		for i := range events {
			if err := r.again(ctx, &events[i]); err != nil {
				return done, err
			}
		}
		after = events[len(events)-1].ID
	}
}

type replay struct {
	db     *store.Store
	done   *Replayed
	report func(Difference)
	now    *access.Snapshot // the one that was asked last
	kept   map[uint64]*access.Snapshot
}

// mostKept bounds how many states are kept: an instance that is behind decides on one that is a little older.
const mostKept = 16

// at returns the state of a revision; nil where it is not on record.
func (r *replay) at(ctx context.Context, revision uint64) (*access.Snapshot, error) {
	if s, kept := r.kept[revision]; kept {
		return s, nil
	}
	from, before := &org.State{}, r.now
	if before != nil && before.State().Revision < revision {
		from = before.State()
	} else {
		before = nil
	}
	state, err := r.db.StateOf(ctx, revision, from)
	if err != nil || state == nil {
		return nil, err
	}
	var s *access.Snapshot
	if before == nil {
		s, err = access.Compile(state)
	} else {
		s, err = before.Next(state, access.Between(from, state))
	}
	if err != nil {
		return nil, err
	}
	if len(r.kept) >= mostKept || r.kept == nil {
		r.kept = map[uint64]*access.Snapshot{}
	}
	r.kept[revision], r.now = s, s
	return s, nil
}

func (r *replay) again(ctx context.Context, e *store.Event) error {
	switch {
	case e.Revision == 0:
		r.done.Unknown++
		return nil
	case e.Reason == access.TooManyTries.Number():
		r.done.HeldUp++
		return nil
	}
	first, err := r.at(ctx, e.Revision)
	if err != nil {
		return err
	}
	if first == nil {
		r.done.Unknown++
		return nil
	}
	r.done.Decided++
	d := decidedAgain(first, e)
	same := alike(e, &d)
	for later := e.Revision + 1; !same && e.Shown&early != 0 && later <= e.Revision+earlyWithin; later++ {
		on, err := r.at(ctx, later)
		if err != nil {
			return err
		}
		if on == nil {
			break
		}
		d := decidedAgain(on, e)
		same = alike(e, &d)
	}
	if !same {
		r.done.Differ++
		r.report(Difference{*e, d, first})
	}
	return nil
}

func decidedAgain(on *access.Snapshot, e *store.Event) access.Decision {
	q := access.Question{Shown: access.Shown(e.Shown &^ early), PIN: credential.ID(e.PINID),
		Badge: credential.ID(e.BadgeID), Permission: permit.PermissionID(e.PermissionID),
		Level: permit.Level(e.AskedLevel), About: people.StaffID(e.AboutID), Place: estate.PlaceID(e.PlaceID),
		At: e.At.Unix()}
	if q.Shown == 0 {
		q.Staff = people.StaffID(e.StaffID)
	}
	q.Proves = q.Shown != 0 && q.Permission != 0
	d := on.Decide(&q)
	if q.Permission == 0 {
		return greeted(&Live{Snapshot: on}, &q, d)
	}
	return d
}

func alike(e *store.Event, d *access.Decision) bool {
	return e.Allowed == d.Allowed && e.Reason == d.Reason.Number() && e.StaffID == uint32(d.Staff) &&
		e.Level == int32(d.Level) && e.AssignmentID == uint32(d.Assignment)
}
