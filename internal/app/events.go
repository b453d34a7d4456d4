package app

import (
	"context"
	"errors"
	"log/slog"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"time"

	"loyallatch.example/latch/internal/store"
)

// recorder writes events in batches behind the decisions. It loses none while the process lives: when the database
// is slow or away the events wait, and when too many wait, decisions wait with them. On a clean end all are written;
// a process that is killed loses what it took in during the last twentieth of a second.
type recorder struct {
	db     *store.Store
	log    *slog.Logger
	number atomic.Uint64

	mu      sync.Mutex
	waiting []store.Event
	spare   []store.Event // the slice before, to be filled again
	gone    bool
}

const (
	waitingEvents = 200_000
	eventBatch    = 2000
	gatherFor     = 40 * time.Millisecond
)

var errRecorderGone = errors.New("the service is ending and takes no more decisions")

func newRecorder(db *store.Store, log *slog.Logger) *recorder {
	r := &recorder{db: db, log: log}
	// Numbers grow with time and differ between instances: milliseconds, then 22 bits that begin at a random place.
	r.number.Store(uint64(time.Now().UnixMilli())<<22 | rand.Uint64N(1<<22))
	return r
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

// record takes an event in. It waits while too many wait already.
func (r *recorder) record(ctx context.Context, event store.Event) error {
	event.ID = r.next(event.At)
	for {
		r.mu.Lock()
		switch {
		case r.gone:
			r.mu.Unlock()
			return errRecorderGone
		case len(r.waiting) < waitingEvents:
			r.waiting = append(r.waiting, event)
			r.mu.Unlock()
			return nil
		}
		r.mu.Unlock()
		select {
		case <-time.After(gatherFor):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// take returns the events that wait, and makes room for others.
func (r *recorder) take(last bool) []store.Event {
	r.mu.Lock()
	defer r.mu.Unlock()
	taken := r.waiting
	r.waiting, r.spare = r.spare[:0], nil
	r.gone = last
	return taken
}

// run writes what has gathered, time and again. Taking events at intervals rather than being woken for each is what
// keeps up with many doors: one statement then holds many.
func (r *recorder) run(ctx context.Context) {
	tick := time.NewTicker(gatherFor)
	defer tick.Stop()
	for last := false; !last; {
		select {
		case <-tick.C:
		case <-ctx.Done():
			last = true
		}
		taken := r.take(last)
		for first := 0; first < len(taken); first += eventBatch {
			r.write(ctx, taken[first:min(first+eventBatch, len(taken))])
		}
		r.mu.Lock()
		r.spare = taken[:0]
		r.mu.Unlock()
	}
}

// write repeats until the database has taken the batch; events carry their numbers, so a repeat adds none twice.
func (r *recorder) write(ctx context.Context, batch []store.Event) {
	for wait := 100 * time.Millisecond; ; wait = min(2*wait, 5*time.Second) {
		attempt, cancel := context.WithTimeout(context.WithoutCancel(ctx), 20*time.Second)
		err := r.db.AppendEvents(attempt, batch)
		cancel()
		if err == nil {
			return
		}
		r.log.Error("events could not be written; trying again", "events", len(batch), "error", err)
		if ctx.Err() != nil && wait > 2*time.Second {
			r.log.Error("events are lost: the database is away and the service ends", "events", len(batch))
			return
		}
		time.Sleep(wait)
	}
}

// EventsWaiting returns how many events wait to be written.
func (a *App) EventsWaiting() int {
	a.events.mu.Lock()
	defer a.events.mu.Unlock()
	return len(a.events.waiting)
}

// Backfill records events of the past, oldest first, before any others: a demo's, or those of a system replaced.
func (a *App) Backfill(ctx context.Context, events []store.Event) error {
	for i := range events {
		events[i].ID = uint64(events[i].At.UnixMilli())<<22 | uint64(i)&(1<<22-1)
	}
	for first := 0; first < len(events); first += eventBatch {
		if err := a.store.AppendEvents(ctx, events[first:min(first+eventBatch, len(events))]); err != nil {
			return err
		}
	}
	return nil
}
