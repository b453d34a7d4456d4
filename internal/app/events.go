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
	queue  chan store.Event
	number atomic.Uint64
	gone   chan struct{}
	closed sync.Once
}

const (
	waitingEvents = 200_000
	eventBatch    = 2000
	gatherFor     = 40 * time.Millisecond
)

var errRecorderGone = errors.New("the service is ending and takes no more decisions")

func newRecorder(db *store.Store, log *slog.Logger) *recorder {
	r := &recorder{db: db, log: log, queue: make(chan store.Event, waitingEvents), gone: make(chan struct{})}
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
	select {
	case r.queue <- event:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	case <-r.gone:
		return errRecorderGone
	}
}

func (r *recorder) run(ctx context.Context) {
	defer r.closed.Do(func() { close(r.gone) })
	batch := make([]store.Event, 0, eventBatch)
	for {
		batch = batch[:0]
		select {
		case <-ctx.Done():
			r.drain(batch)
			return
		case event := <-r.queue:
			batch = append(batch, event)
		}
		// A short pause lets a batch gather: one statement for many events is what keeps up with many doors.
		pause := time.NewTimer(gatherFor)
	gather:
		for len(batch) < eventBatch {
			select {
			case event := <-r.queue:
				batch = append(batch, event)
			case <-pause.C:
				break gather
			case <-ctx.Done():
				break gather
			}
		}
		pause.Stop()
		r.write(ctx, batch)
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
		r.log.Error("events could not be written; trying again", "events", len(batch), "waiting", len(r.queue), "error", err)
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			if wait > time.Second {
				return
			}
		}
	}
}

func (r *recorder) drain(batch []store.Event) {
	for {
		select {
		case event := <-r.queue:
			batch = append(batch, event)
			if len(batch) == eventBatch {
				r.write(context.Background(), batch)
				batch = batch[:0]
			}
		default:
			if len(batch) > 0 {
				r.write(context.Background(), batch)
			}
			return
		}
	}
}

// EventsWaiting returns how many events wait to be written.
func (a *App) EventsWaiting() int { return len(a.events.queue) }

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
