package app

import (
	"context"
	"errors"
	"log/slog"
	"math/rand/v2"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"loyallatch.example/latch/internal/store"
)

// recorder writes events in batches behind the decisions. Before a decision is answered its event stands in the
// journal: it is lost neither when the process is killed nor while the database is slow, away or full, and doors wait
// for none of that. An event that the journal does not take, or that has none, is in the database before the decision
// is answered, and the decision is not answered where that takes it not in time.
type recorder struct {
	db       *store.Store
	log      *slog.Logger
	took     func(error) // told of each batch
	troubles *Troubles
	number   atomic.Uint64
	failed   atomic.Int64     // batches that could not be written at once
	chain    store.EventChain // of what is written here
	hurry    chan struct{}    // somebody waits for what is to be written

	mu      sync.Mutex
	waiting []store.Event
	batch   *eventBatches // of those that wait
	more    int           // that stand in the journal alone, as too many wait
	spare   []store.Event
	oldest  time.Time // of those that wait or are being written; zero: none
	journal *journal  // nil: none
	failing bool      // the journal took nothing when it was last asked
	gone    bool
}

// eventBatches are events that are written together: written is closed once the database has them, and taken says that
// writing has begun.
type eventBatches struct {
	written chan struct{}
	taken   bool
}

func newBatch() *eventBatches { return &eventBatches{written: make(chan struct{})} }

const (
	waitingEvents = 200_000
	eventBatch    = 2000
	gatherFor     = 40 * time.Millisecond
	// with a journal nothing is lost meanwhile, and fewer, larger statements cost less
	gatherKept  = 200 * time.Millisecond
	writeWithin = 5 * time.Second
	// recordWithin is for how long a decision waits for the database to take its event, where the journal does not
	recordWithin = 4 * time.Second
)

var (
	errRecorderGone = errors.New("the service is ending and takes no more decisions")
	// ErrUnrecorded says that neither the journal nor the database takes an event.
	ErrUnrecorded = errors.New("events can be kept neither on disk nor in the database; nothing is answered")
)

func newRecorder(db *store.Store, log *slog.Logger, folder string, troubles *Troubles,
	took func(error)) (*recorder, error) {
	r := &recorder{db: db, log: log, took: took, chain: store.EventChain{Instance: rand.Uint64()}, troubles: troubles,
		batch: newBatch(), hurry: make(chan struct{}, 1)}
	// Numbers grow with time and differ between instances: milliseconds, then 22 bits that begin at a random place.
	r.number.Store(uint64(time.Now().UnixMilli())<<22 | rand.Uint64N(1<<22))
	if folder == "" {
		return r, nil
	}
	var err error
	r.journal, err = openJournal(folder)
	return r, err
}

// next returns a number that is higher than all before and not below the present millisecond's.
func (r *recorder) next(at time.Time) uint64 {
	floor := uint64(at.UnixMilli()) << 22
	for {
		last := r.number.Load()
		number := last + 1
		if floor > last {
			number = floor | rand.Uint64N(1<<21)
		}
		if r.number.CompareAndSwap(last, number) {
			return number
		}
	}
}

// record takes an event in, and returns once it is kept: on disk, else in the database.
func (r *recorder) record(ctx context.Context, event store.Event) error {
	event.ID = r.next(event.At)
	batch, err := r.takeIn(event)
	if batch == nil || err != nil {
		return err
	}
	select {
	case r.hurry <- struct{}{}:
	default:
	}
	within, cancel := context.WithTimeout(ctx, recordWithin)
	defer cancel()
	select {
	case <-batch.written:
		return nil
	case <-within.Done():
		r.takeBack(batch, event.ID)
		return ErrUnrecorded
	}
}

// takeIn puts an event with those that wait. Where the journal does not hold it, batch is what it is written with.
func (r *recorder) takeIn(event store.Event) (batch *eventBatches, err error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.gone {
		return nil, errRecorderGone
	}
	kept := false
	if r.journal != nil {
		failed := r.journal.add(&event)
		if kept = failed == nil; kept == r.failing {
			r.failing = !kept
			r.troubles.Err(TroubleJournal, failed)
		}
	}
	switch {
	case len(r.waiting) < waitingEvents && r.more == 0:
		r.waiting = append(r.waiting, event)
	case kept:
		r.more++
	default:
		return nil, ErrUnrecorded
	}
	if r.oldest.IsZero() {
		r.oldest = event.At
	}
	if kept {
		return nil, nil
	}
	return r.batch, nil
}

// takeBack takes an event out again whose decision is not answered, unless it is being written already.
func (r *recorder) takeBack(batch *eventBatches, id uint64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if !batch.taken {
		r.waiting = slices.DeleteFunc(r.waiting, func(e store.Event) bool { return e.ID == id })
	}
}

// take returns the events that wait, and makes room for others. Those that stand in the journal alone are in spilled.
func (r *recorder) take() (taken []store.Event, batch *eventBatches, spilled bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	taken, batch, spilled = r.waiting, r.batch, r.more > 0
	batch.taken, r.batch = true, newBatch()
	if len(taken) > 0 {
		r.oldest = taken[0].At
	} else {
		r.oldest = time.Time{}
	}
	r.waiting, r.spare, r.more = r.spare[:0], nil, 0
	if r.journal != nil && len(taken) > 0 {
		r.journal.turn()
	}
	r.lookAtJournal()
	return taken, batch, spilled
}

// lookAtJournal sees that what the journal takes stands on disk. The lock is held.
func (r *recorder) lookAtJournal() {
	if r.journal == nil {
		return
	}
	if err := r.journal.stands(); err != nil {
		r.failing = true
		r.troubles.Err(TroubleJournal, err)
	}
}

// run writes what has gathered, time and again. Taking events at intervals rather than being woken for each is what
// keeps up with many doors: one statement then holds many.
func (r *recorder) run(ctx context.Context) {
	every := gatherFor
	if r.journal != nil {
		every = gatherKept
		r.inherit(ctx)
	}
	tick := time.NewTicker(every)
	defer tick.Stop()
	for last := false; !last; {
		select {
		case <-tick.C:
		case <-r.hurry:
		case <-ctx.Done():
			r.mu.Lock()
			r.gone = true
			r.mu.Unlock()
			last = true
		}
		taken, batch, spilled := r.take()
		written := r.writeAll(ctx, taken)
		if written {
			close(batch.written)
		}
		if written && spilled {
			written = r.journal.each(func(batch []store.Event) bool { return r.write(ctx, batch) })
		}
		if written && r.journal != nil && len(taken) > 0 {
			r.journal.done()
		}
		r.mu.Lock()
		r.spare = taken[:0]
		r.mu.Unlock()
		if !written && r.journal == nil {
			r.log.Error("events are lost: the database is away and the service ends", "events", len(taken))
		}
	}
	if r.journal != nil {
		r.journal.close()
	}
}

func (r *recorder) writeAll(ctx context.Context, events []store.Event) bool {
	for first := 0; first < len(events); first += eventBatch {
		if !r.write(ctx, events[first:min(first+eventBatch, len(events))]) {
			return false
		}
	}
	return true
}

// write repeats until the database has taken the batch, or the service has ended for too long; events carry their
// numbers, so a repeat adds none twice.
func (r *recorder) write(ctx context.Context, batch []store.Event) bool {
	var ended time.Time
	for wait := 100 * time.Millisecond; ; wait = min(2*wait, 2*time.Second) {
		within := writeWithin
		if ctx.Err() != nil {
			within = closeWithin / 2
		}
		attempt, cancel := context.WithTimeout(context.WithoutCancel(ctx), within)
		stop := context.AfterFunc(ctx, func() { time.AfterFunc(closeWithin/2, cancel) })
		err := r.db.AppendEvents(attempt, &r.chain, batch)
		stop()
		cancel()
		r.took(err)
		if err == nil {
			return true
		}
		if r.failed.Add(1); wait < time.Second {
			r.log.Error("events could not be written; trying again", "events", len(batch), "error", err)
		}
		if r.journal != nil {
			r.mu.Lock()
			r.lookAtJournal()
			taken := r.journal.taken()
			r.mu.Unlock()
			_ = taken.Sync() // it stands with the operating system; doors do not wait for the disk
		}
		if ctx.Err() != nil {
			if ended.IsZero() {
				ended = time.Now()
			}
			if r.journal != nil || time.Since(ended) > closeWithin {
				return false
			}
		}
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			time.Sleep(100 * time.Millisecond)
		}
	}
}

// inherit writes what instances that have ended left in their journals.
func (r *recorder) inherit(ctx context.Context) {
	for _, left := range r.journal.abandoned() {
		count := 0
		written := left.each(func(batch []store.Event) bool {
			count += len(batch)
			return r.write(ctx, batch)
		})
		if written {
			left.remove()
			r.log.Info("events of an instance that has ended are written", "events", count)
		}
		left.close()
	}
}

// EventsWaiting returns how many events wait to be written, and since when the oldest does.
func (a *App) EventsWaiting() (count int, since time.Time) {
	a.events.mu.Lock()
	defer a.events.mu.Unlock()
	return len(a.events.waiting) + a.events.more, a.events.oldest
}

// EventsFailed returns how often events could not be written at once.
func (a *App) EventsFailed() int64 { return a.events.failed.Load() }

// Backfill records events of the past, oldest first, before any others: a demo's, or those of a system replaced.
func (a *App) Backfill(ctx context.Context, events []store.Event) error {
	for i := range events {
		events[i].ID = uint64(events[i].At.UnixMilli())<<22 | uint64(i)&(1<<22-1)
	}
	chain := store.EventChain{Instance: rand.Uint64()}
	for first := 0; first < len(events); first += eventBatch {
		if err := a.store.AppendEvents(ctx, &chain, events[first:min(first+eventBatch, len(events))]); err != nil {
			return err
		}
	}
	return nil
}
