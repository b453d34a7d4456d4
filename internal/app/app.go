// Package app holds the use cases: the one write path, the reads, sign-in, and the decisions that doors ask for. It
// holds the live compiled state that all of them read.
//
// # Invariants
//
// There is one way to write, Commit, which Preview tries without writing. A lock holds when its call returns. An
// instance that has had no answer from its database for five seconds decides nothing, as it cannot know who is locked.
// A decision or a sign-in that cannot be put on record is not answered. Secrets are hashed before anybody waits for the
// change.
//
// # Ownership and concurrency
//
// An App may be used by any number of goroutines. Live returns one snapshot: a use case takes it once and asks nothing
// of another, so that its answer is of one moment. Close ends what runs in the background and writes what waits.
//
// # Errors
//
// A *fault.Fault is for the caller to read; ErrThrottled, ErrBusy and ErrStale say to come again; any other error is
// one of the database or of the machine.
package app

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/store"
)

// App is the service without its interfaces.
type App struct {
	store *store.Store
	keys  *Keys
	log   *slog.Logger
	now   func() time.Time

	writing  sync.Mutex // one change at a time in this process; the revision row orders processes
	live     atomic.Pointer[Live]
	events   *recorder
	hashing  *hasher
	pins     *pins
	tries    heldTries
	answered atomic.Int64 // when the database last said which revision is the newest, in Unix milliseconds
	stray    atomic.Pointer[string]
	postal   atomic.Pointer[Postal]
	uses     uses
	stop     context.CancelFunc
	done     sync.WaitGroup
}

// Live is the newest state, compiled, with the texts that searches go through.
type Live struct {
	*access.Snapshot
	texts texts
}

// followEvery is how often the revision is compared with the database's, where other instances may have written.
const followEvery = 500 * time.Millisecond

// staleAfter is for how long an instance answers doors without an answer from the database. Somebody may have been
// locked meanwhile at another instance, and whoever cannot know refuses.
const staleAfter = 5 * time.Second

// Bind makes a database belong to a key file: setting up an organisation does it once.
func Bind(ctx context.Context, db *store.Store, keys *Keys, cost Cost) error {
	binding, err := db.Binding(ctx)
	if err != nil || binding.KeyCheck != nil {
		return err
	}
	salt := make([]byte, 16)
	if _, err := rand.Read(salt); err != nil {
		return err
	}
	return db.Bind(ctx, store.Binding{KeyCheck: keys.check(), PINSalt: salt, PINCost: cost.String()})
}

// bound sees that the database belongs to the key file, and returns what it says of PINs.
func bound(ctx context.Context, db *store.Store, keys *Keys) (*pins, error) {
	binding, err := db.Binding(ctx)
	if err != nil {
		return nil, err
	}
	if binding.KeyCheck == nil && binding.Revision > 0 { // from before databases knew their key file
		if err := Bind(ctx, db, keys, StrongCost); err != nil {
			return nil, err
		}
		if binding, err = db.Binding(ctx); err != nil {
			return nil, err
		}
	}
	switch {
	case binding.KeyCheck == nil:
		return nil, errors.New("this database is empty: make an organisation in it with loyald setup")
	case !hmac.Equal(binding.KeyCheck, keys.check()):
		return nil, errors.New("the key file does not belong to this database: start with the one that setup made, " +
			"or restore it from a backup")
	}
	cost, err := ParseCost(binding.PINCost)
	if err != nil {
		return nil, err
	}
	return newPINs(keys, binding.PINSalt, cost)
}

// New loads the state and starts following it. now is the clock; nil takes the machine's. The database must belong to
// the keys.
func New(ctx context.Context, db *store.Store, keys *Keys, log *slog.Logger, now func() time.Time) (*App, error) {
	if now == nil {
		now = time.Now
	}
	pins, err := bound(ctx, db, keys)
	if err != nil {
		return nil, err
	}
	db.SignWith(keys.SignHead)
	a := &App{store: db, keys: keys, log: log, now: now, pins: pins, tries: newHeldTries(), hashing: newHasher()}
	state, err := db.Load(ctx, &org.State{})
	if err != nil {
		return nil, fmt.Errorf("the organisation cannot be loaded: %w", err)
	}
	if err := a.show(state); err != nil {
		return nil, err
	}
	a.answered.Store(time.Now().UnixMilli())
	running, stop := context.WithCancel(context.WithoutCancel(ctx))
	a.stop = stop
	a.events = newRecorder(db, log)
	a.done.Go(func() { a.events.run(running) })
	a.done.Go(func() { a.follow(running) })
	a.done.Go(func() { a.runJobs(running) })
	return a, nil
}

// takeIn makes a state the live one that was read on from what is live: what differs is compiled, as for a change of
// one's own. Where records are set aside, whose absence others may feel, the whole is compiled.
func (a *App) takeIn(state *org.State) error {
	live := a.Live()
	if len(state.AsideRecords())+len(live.State().AsideRecords()) > 0 {
		return a.show(state)
	}
	touched := access.Between(live.State(), state)
	snapshot, err := live.Next(state, touched)
	if err != nil {
		return fmt.Errorf("the organisation cannot be compiled: %w", err)
	}
	next := &Live{Snapshot: snapshot, texts: live.texts.fork()}
	for _, id := range touched.Staff {
		if p := state.Person(id); p != nil {
			next.texts.put(p)
		}
	}
	a.live.Store(next)
	return nil
}

// show compiles a state whole and makes it the live one.
func (a *App) show(state *org.State) error {
	snapshot, err := access.Compile(state)
	if err != nil {
		return fmt.Errorf("the organisation cannot be compiled: %w", err)
	}
	for _, aside := range state.AsideRecords() {
		a.log.Error("a record cannot be read and is set aside; it gives nothing", "kind", aside.Kind, "number",
			aside.ID, "problem", aside.Problem)
	}
	live := &Live{Snapshot: snapshot}
	for _, staff := range state.Staff.All() {
		live.texts.put(staff)
	}
	a.live.Store(live)
	return nil
}

// Close writes what is still to be written and stops following.
func (a *App) Close() {
	a.stop()
	a.done.Wait()
	if err := a.uses.write(context.Background(), a.store); err != nil {
		a.log.Error("noting what was used failed", "error", err)
	}
	a.hashing.close()
}

// Live returns the newest state.
func (a *App) Live() *Live { return a.live.Load() }

// Now returns the time.
func (a *App) Now() time.Time { return a.now() }

// Behind returns how long ago the database said which is the newest change.
func (a *App) Behind() time.Duration { return time.Since(time.UnixMilli(a.answered.Load())) }

// Connections says how the connections to the database are used.
func (a *App) Connections() sql.DBStats { return a.store.Stats() }

// Stale reports whether the instance has had no answer from the database for so long that it cannot know who is locked.
func (a *App) Stale() bool {
	return a.Behind() > staleAfter || a.stray.Load() != nil
}

// Ready says why the instance is not fit to serve; records that were set aside are no reason to take it out of service,
// and are told beside.
func (a *App) Ready(ctx context.Context) (aside int, err error) {
	if problem := a.stray.Load(); problem != nil {
		return 0, errors.New(*problem)
	}
	if a.Stale() {
		return 0, errors.New("the newest changes cannot be read, so nothing is answered")
	}
	return len(a.Live().State().AsideRecords()), a.store.Ping(ctx)
}

func (a *App) follow(ctx context.Context) {
	tick := time.NewTicker(followEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		asking := time.Now()
		attempt, cancel := context.WithTimeout(ctx, 2*staleAfter)
		err := a.catchUp(attempt)
		cancel()
		switch {
		case err == nil:
			a.answered.Store(asking.UnixMilli())
		case ctx.Err() == nil:
			a.log.Error("following the database failed", "error", err)
		}
	}
}

// runJobs does what is to be done now and then: planned drafts, and sweeping out what has served its time.
func (a *App) runJobs(ctx context.Context) {
	tick := time.NewTicker(planEvery)
	defer tick.Stop()
	for rounds := 0; ; rounds++ {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if err := a.applyDue(ctx); err != nil && ctx.Err() == nil {
			a.log.Error("applying planned drafts failed", "error", err)
		}
		if err := a.uses.write(ctx, a.store); err != nil && ctx.Err() == nil {
			a.log.Error("noting what was used failed", "error", err)
		}
		if err := a.sendDue(ctx); err != nil && ctx.Err() == nil {
			a.log.Error("sending mail failed", "error", err)
		}
		if rounds%remindEvery == remindEvery/2 {
			if err := a.Remind(ctx); err != nil && ctx.Err() == nil {
				a.log.Error("writing reminders failed", "error", err)
			}
		}
		if rounds%sweepEvery == 0 {
			if err := a.store.Sweep(ctx, a.now()); err != nil && ctx.Err() == nil {
				a.log.Error("sweeping failed", "error", err)
			}
		}
	}
}

// planEvery is how often planned drafts whose moment has come are looked for, sweepEvery how many of those rounds pass
// between sweeps.
const (
	planEvery  = time.Second
	sweepEvery = 3600
	// remindEvery is how many rounds pass between looks at what runs out; a reminder of one day is written once
	remindEvery = 600
)

// catchUp takes in what other instances have written.
func (a *App) catchUp(ctx context.Context) error {
	binding, err := a.store.Binding(ctx)
	if err != nil {
		return err
	}
	if !hmac.Equal(binding.KeyCheck, a.keys.check()) {
		problem := "the key of this database was rotated; start the service again with the new key file"
		a.stray.Store(&problem)
		return errors.New(problem)
	}
	if err := a.tries.learn(ctx, a.store, a.now()); err != nil {
		return err
	}
	if binding.Revision <= a.Live().State().Revision {
		return nil
	}
	a.writing.Lock()
	defer a.writing.Unlock()
	if binding.Revision <= a.Live().State().Revision { // a change of our own was made meanwhile
		return nil
	}
	state, err := a.store.Load(ctx, a.Live().State())
	if err != nil {
		return err
	}
	return a.takeIn(state)
}

// Request is a change somebody asks for.
type Request struct {
	Actor      change.Actor
	Origin     string // console, client, api or setup, and the address it came from
	Reason     string
	Operations []change.Operation
	// Works the operations out, in place of Operations, on what is live once no other change can come between
	Work   func(live *Live) ([]change.Operation, error)
	Undoes uint64 // the audit entry whose change this reverses; 0: none
	// The actor has just proved to be there, by the present password
	Present bool
	Keep    uint64 // the session that goes on when those of the actor end
	// When it was made, of a past that is loaded by the system; zero: now
	At     time.Time
	Check  func(live *Live) error                   // asked once no other change can come between; nil: nothing
	Within func(tx *store.Tx, auditID uint64) error // writes along in the same transaction; nil: nothing
}

// Result is what came of a change, or would come of it.
type Result struct {
	Trial   *change.Trial
	AuditID uint64 // 0 in a preview
}
