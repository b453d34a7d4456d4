// Package app holds the use cases: the one write path, the reads, sign-in, and the decisions that doors ask for. It
// holds the live compiled state that all of them read.
//
// # Invariants
//
// There is one way to write, Commit, which Preview tries without writing. A lock holds when its call returns. An
// instance that has had no answer from its database for a while decides nothing, as it cannot know who is locked.
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
	"cmp"
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

	"golang.org/x/sync/semaphore"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/store"
)

// App is the service without its interfaces.
type App struct {
	store *store.Store
	keys  *Keys
	log   *slog.Logger
	now   func() time.Time

	line          chan struct{} // one change at a time in this process; the revision row orders processes
	state         publisher     // what is answered from
	pulse         *pulse
	events        *recorder
	hashing       *turns
	pins          *pins
	tries         heldTries
	unseen        unseenTold
	troubles      *Troubles
	unpacking     *semaphore.Weighted // what files unpack to
	counts        counts
	stray         atomic.Pointer[strayed]
	folders       map[string]string // whose disks are looked at, by what they are of
	waited        time.Duration     // for connections, until the last look
	asksForBackup bool              // of the key
	archive       string            // folder; empty: none
	postal        atomic.Pointer[Postal]
	uses          uses
	imports       *imports
	stop          context.CancelFunc
	closed        sync.Once
	done          sync.WaitGroup
}

// Live is the newest state, compiled, with the texts that searches go through.
type Live struct {
	*access.Snapshot
	texts texts
	acts  int // urgent acts that are applied on top of the last change
}

// revision is that of the last change, without the urgent acts on top.
func (l *Live) revision() uint64 { return l.State().Revision&^ahead - uint64(l.acts) }

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

// ErrOtherKey says that a database was given another key than the one that is there.
var ErrOtherKey = errors.New("the key file does not belong to this database: start with the one that setup made, or " +
	"restore it from a backup; where there is none, see loyald keys replace --lost")

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
		return nil, ErrEmpty
	case !hmac.Equal(binding.KeyCheck, keys.check()):
		return nil, ErrOtherKey
	}
	cost, err := ParseCost(binding.PINCost)
	if err != nil {
		return nil, err
	}
	return newPINs(keys, binding.PINSalt, cost)
}

// Options say how an instance runs; the zero value is what is usual.
type Options struct {
	Clock       func() time.Time // nil takes the machine's
	RefuseAfter time.Duration    // without an answer from the database no door is answered after this; 0: RefuseAfter
	Reserve     int              // how many PINs are generated ahead of time
	// Folder in which events stand until the database has them; empty: each decision waits for the database
	Journal  string
	Troubles *Troubles // of the process; nil: of this App alone
	// Folders whose disks are looked at, by what they are of
	Folders map[string]string
	// Folder that history is archived in before it is removed; empty: none
	Archive string
	// The key is to have a backup, and the instance says so where it has none
	KeyBackup bool
}

// New loads the state and starts following it. The database must belong to the keys.
func New(ctx context.Context, db *store.Store, keys *Keys, log *slog.Logger, o Options) (*App, error) {
	if o.Clock == nil {
		o.Clock = time.Now
	}
	o.Troubles = cmp.Or(o.Troubles, NewTroubles(log))
	pins, err := bound(ctx, db, keys)
	if err != nil {
		return nil, err
	}
	db.SignWith(keys.SignHead)
	db.SealWith(keys.SealRecord)
	if sealed, err := db.SealAll(ctx); err != nil {
		log.Error("the records cannot be sealed", "error", err)
	} else if sealed > 0 {
		log.Warn("the records are sealed as they are; what was written before is not known", "records", sealed)
	}
	if keys.Unfinished() {
		o.Troubles.Note(TroubleRotation, "the new key stands beside the old one")
	}
	a := &App{store: db, keys: keys, log: log, now: o.Clock, pins: pins, tries: newHeldTries(), hashing: newTurns(),
		imports: newImports(), unpacking: newUnpacking(), troubles: o.Troubles,
		folders: o.Folders, asksForBackup: o.KeyBackup, archive: o.Archive,
		line: make(chan struct{}, 1), pulse: newPulse(cmp.Or(o.RefuseAfter, RefuseAfter))}
	// Before anything is read, so that whoever locks somebody from now on waits for this instance to know
	if err := a.beatOnce(ctx, 0); err != nil {
		log.Error("the database takes nothing", "error", err)
	}
	rows, err := db.UrgentActs(ctx)
	if err != nil {
		return nil, err
	}
	asking := time.Now()
	state, err := db.Load(ctx, &org.State{})
	if err != nil {
		return nil, fmt.Errorf("the organisation cannot be loaded: %w", err)
	}
	base, err := a.compiled(state)
	if err != nil {
		return nil, err
	}
	a.state.apply = a.applyActs
	if _, err := a.state.TakeIn(0, a.readActs(rows), func(*Live) (*Live, error) { return base, nil }); err != nil {
		return nil, err
	}
	if err := a.becomeCurrent(ctx, asking); err != nil {
		return nil, err
	}
	if a.events, err = newRecorder(db, log, o.Journal, a.troubles,
		func(err error) { a.pulse.took(recordings, err) }); err != nil {
		return nil, err
	}
	running, stop := context.WithCancel(context.WithoutCancel(ctx))
	a.stop = stop
	a.done.Go(func() { a.events.run(running) })
	for _, run := range []func(context.Context){a.follow, a.watch, a.beat, a.carry, a.bringIn, a.runJobs,
		a.lookAround, a.keepHistory} {
		a.done.Go(func() { run(running) })
	}
	if o.Reserve > 0 {
		a.done.Go(func() { a.fillReserve(running, o.Reserve) })
	}
	return a, nil
}

// taken compiles a state that was read on from a base: what differs is compiled, as for a change of one's own. Where
// records are set aside, whose absence others may feel, the whole is compiled.
func (a *App) taken(base *Live, state *org.State) (*Live, error) {
	if len(state.AsideRecords())+len(base.State().AsideRecords()) > 0 {
		return a.compiled(state)
	}
	touched := access.Between(base.State(), state)
	snapshot, err := base.Next(state, touched)
	if err != nil {
		return nil, fmt.Errorf("the organisation cannot be compiled: %w", err)
	}
	return base.with(snapshot, touched), nil
}

// with is what is live once a snapshot follows, whose texts differ in what was touched.
func (l *Live) with(snapshot *access.Snapshot, touched access.Touched) *Live {
	next := &Live{Snapshot: snapshot, texts: l.texts.fork()}
	for _, id := range touched.Staff {
		if p := next.State().Person(id); p != nil {
			next.texts.put(p)
		}
	}
	return next
}

// compiled compiles a state whole.
func (a *App) compiled(state *org.State) (*Live, error) {
	snapshot, err := access.Compile(state)
	if err != nil {
		return nil, fmt.Errorf("the organisation cannot be compiled: %w", err)
	}
	for _, aside := range state.AsideRecords() {
		a.log.Error("a record cannot be read and is set aside; it gives nothing", "kind", aside.Kind, "number",
			aside.ID, "problem", aside.Problem)
	}
	live := &Live{Snapshot: snapshot}
	for _, staff := range state.Staff.All() {
		live.texts.put(staff)
	}
	return live, nil
}

// closeWithin is for how long ending waits for a database that does not answer.
const closeWithin = 3 * time.Second

// Close writes what is still to be written and stops following. It takes seconds at most, whatever the database does.
func (a *App) Close() { a.closed.Do(a.close) }

func (a *App) close() {
	a.stop()
	a.done.Wait()
	ending, cancel := context.WithTimeout(context.Background(), closeWithin)
	defer cancel()
	if err := a.uses.write(ending, a.store); err != nil {
		a.log.Error("noting what was used failed", "error", err)
	}
	a.hashing.close()
}

// Live returns the newest state.
func (a *App) Live() *Live { return a.state.Live() }

// Now returns the time.
func (a *App) Now() time.Time { return a.now() }

// Connections says how the connections to the database are used.
func (a *App) Connections() sql.DBStats { return a.store.Stats() }

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
		within, done, err := a.Reach(ctx)
		if err != nil {
			continue
		}
		for _, job := range []struct {
			what  string
			every int // rounds
			do    func(context.Context) error
		}{
			{"applying planned drafts", 1, a.applyDue},
			{"noting what was used", 1, func(ctx context.Context) error { return a.uses.write(ctx, a.store) }},
			{"sending mail", 1, a.sendDue},
			{"writing reminders", remindEvery, a.Remind},
			{"writing of comings and goings", comingsEvery, a.TellOfComings},
			{"sending digests", digestsEvery, a.SendDigests},
			{"mailing reports", digestsEvery, a.SendReports},
			{"completing the catalogue", sweepEvery, a.Complete},
			{"telling of upgrades", sweepEvery, a.tellUpgrades},
			{"checking what the database holds", verifyEvery, a.VerifyDaily},
			{"sweeping", sweepEvery, func(ctx context.Context) error {
				swept, added := a.store.Sweep(ctx, a.now()), a.store.AddMonths(ctx, a.now())
				erased := a.EraseLeavers(ctx)
				return errors.Join(swept, added, erased)
			}},
		} {
			if rounds%job.every != min(soon, job.every-1) {
				continue
			}
			if err := job.do(within); err != nil && ctx.Err() == nil {
				a.log.Error(job.what+" failed", "error", err)
			}
		}
		done()
	}
}

// planEvery is how often planned drafts whose moment has come are looked for, sweepEvery how many of those rounds pass
// between sweeps.
const (
	planEvery  = time.Second
	sweepEvery = 3600
	// soon is the round at which what is not done in each is done first
	soon = 5
	// remindEvery is how many rounds pass between looks at what runs out; a reminder of one day is written once
	remindEvery = 600
	// digestsEvery is how many rounds pass between looks at what waits for a digest
	digestsEvery = 60
	// verifyEvery is how many rounds pass between looks at whether the database was checked today
	verifyEvery = 1800
	// comingsEvery is how many rounds pass between looks at who begins and who goes
	comingsEvery = 60
)

// Request is a change somebody asks for.
type Request struct {
	Actor      change.Actor
	Origin     string         // console, client, api or setup, and the address it came from
	For        people.StaffID // whose link it is, where somebody acts by one; 0: nobody's
	Reason     string
	Operations []change.Operation
	// Works the operations out, in place of Operations, on what is live once no other change can come between
	Work   func(live *Live) ([]change.Operation, error)
	Undoes uint64 // the audit entry whose change this reverses; 0: none
	Own    uint64 // revision of that change, where the actor made it; else 0
	act    uint64 // the urgent act that becomes a change, and when it was kept; 0: none
	told   time.Time
	// The actor has just proved to be there, by the present password
	Present bool
	Keep    uint64 // the session that goes on when those of the actor end
	// When it was made, of a past that is loaded by the system; zero: now
	At    time.Time
	Check func(live *Live) error // asked once no other change can come between; nil: nothing
	// Writes along in the same transaction; nil: nothing
	Within   func(tx *store.Tx, auditID uint64, trial *change.Trial) error
	Most     int                   // operations; 0: change.MaxOperations
	Progress func(done, total int) // told of the secrets that are being made, which takes longest; nil: nobody
}

// Result is what came of a change, or would come of it.
type Result struct {
	Trial   *change.Trial
	AuditID uint64 // 0 in a preview, and for an urgent act that waits for its turn
}
