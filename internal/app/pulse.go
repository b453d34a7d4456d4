package app

import (
	"context"
	"crypto/hmac"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"sync"
	"time"

	"loyallatch.example/latch/internal/store"
)

// ErrAway says that the database does not answer.
var ErrAway = errors.New("the database does not answer at the moment; try again shortly")

const (
	// followEvery is how often the revision is compared with the database's, where other instances may have written.
	followEvery = 100 * time.Millisecond
	// askWithin is how long an answer to that takes at most.
	askWithin = time.Second
	// awayAfter is after how long without an answer the database counts as away: whatever waits for it is told then.
	awayAfter = 2400 * time.Millisecond
	// beatEvery is how often an instance says in the database that it is there, and thereby sees that it can write.
	beatEvery = time.Second
	// unwritableAfter is for how long nothing may have been written before the instance is not fit to serve.
	unwritableAfter = 5 * time.Second
)

// RefuseAfter is for how long an instance answers doors without an answer from the database, where nothing else is
// said. Somebody may have been locked meanwhile at another instance, and whoever cannot know refuses.
const RefuseAfter = 5 * time.Second

// pulse is what an instance knows of its database: when it last answered, took something, and said what the newest
// change is.
type pulse struct {
	name        uint64 // of the instance, among those on the database
	host        string
	refuseAfter time.Duration

	mu     sync.Mutex
	asked  time.Time // when it last answered
	known  time.Time // up to when all changes are known
	writes [2]taking // of the word that the instance is there, and of events
	reach  context.Context
	giveUp context.CancelCauseFunc
	away   bool
	heard  map[uint64]word // of each instance
	acts   map[uint64]bool // of which it was said that they count here; the follower's alone
}

// taking is since when the database has not taken something, and why.
type taking struct {
	since   time.Time
	problem error
}

// What is written time and again, by which an instance sees that it can write.
const (
	beats = iota
	recordings
)

func newPulse(refuseAfter time.Duration) *pulse {
	now := time.Now()
	host, err := os.Hostname()
	if err != nil {
		host = "?"
	}
	p := &pulse{name: rand.Uint64() >> 1, host: host, refuseAfter: refuseAfter, asked: now, known: now}
	p.reach, p.giveUp = context.WithCancelCause(context.Background())
	return p
}

// answered notes that the database answered what was asked at a moment.
func (p *pulse) answered(asking time.Time) (back bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.asked = asking
	if back = p.away; back {
		p.away = false
		p.reach, p.giveUp = context.WithCancelCause(context.Background())
	}
	return back
}

// silentFor reports whether the database has not answered for some time.
func (p *pulse) silentFor(long time.Duration) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.away || time.Since(p.asked) > long
}

func (p *pulse) knows(of time.Time) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.known = of
}

// took notes that the database took something, or why it did not.
func (p *pulse) took(what int, problem error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	w := &p.writes[what]
	if w.problem == nil && problem != nil {
		w.since = time.Now()
	}
	w.problem = problem
}

// look gives up what waits for the database once that has not answered for too long; gone says that it is so now.
func (p *pulse) look() (gone bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.away || time.Since(p.asked) < awayAfter {
		return false
	}
	p.away = true
	p.giveUp(ErrAway)
	return true
}

// end gives up what waits as the instance ends.
func (p *pulse) end() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.giveUp(context.Canceled)
}

// Reach returns a context for something that asks the database, which ends when that goes away; done lets go of it. It
// is ErrAway where it is away already.
func (a *App) Reach(ctx context.Context) (within context.Context, done func(), err error) {
	p := a.pulse
	p.mu.Lock()
	reach, away := p.reach, p.away
	p.mu.Unlock()
	if away {
		return ctx, func() {}, ErrAway
	}
	within, cancel := context.WithCancelCause(ctx)
	stop := context.AfterFunc(reach, func() { cancel(ErrAway) })
	return within, func() { stop(); cancel(nil) }, nil
}

// Behind returns for how long changes may have been made elsewhere that are not known here.
func (a *App) Behind() time.Duration {
	a.pulse.mu.Lock()
	defer a.pulse.mu.Unlock()
	return time.Since(a.pulse.known)
}

// Still returns a context for what is to be done although whoever asked may be gone; it ends soon.
func (a *App) Still(ctx context.Context) (still context.Context, done func()) {
	still, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*askWithin)
	still, let, err := a.Reach(still)
	if err != nil {
		cancel()
	}
	return still, func() { let(); cancel() }
}

// Revision returns that of the last change that is known.
func (a *App) Revision() uint64 { return a.state.Published().State().Revision }

// Stale reports whether the instance has had no answer from the database for so long that it cannot know who is locked.
func (a *App) Stale() bool { return a.Behind() > a.pulse.refuseAfter || a.stray.Load() != nil }

// strayed is why an instance may answer nothing until it is started again.
type strayed struct {
	kind    *TroubleKind
	problem string
}

// every does something at intervals until the context ends.
func every(ctx context.Context, interval time.Duration, do func()) {
	tick := time.NewTicker(interval)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			do()
		}
	}
}

// follow takes in what other instances have written, and notes when the database answers.
func (a *App) follow(ctx context.Context) {
	every(ctx, followEvery, func() {
		asking := time.Now()
		err := a.catchUp(ctx)
		switch {
		case err == nil:
			a.pulse.knows(asking)
		case ctx.Err() == nil:
			a.log.Error("following the database failed", "error", err)
		}
	})
}

// watch tells whatever waits for the database once it is away.
func (a *App) watch(ctx context.Context) {
	every(ctx, followEvery, func() {
		if a.pulse.look() {
			a.log.Error("the database does not answer; whatever waits for it is given up")
		}
	})
	a.pulse.end()
}

// beat says in the database that the instance is there and what it knows, time and again: whoever locks somebody waits
// until all instances know.
func (a *App) beat(ctx context.Context) {
	var told uint64 // the revision that was last said to be known here
	var when time.Time
	every(ctx, followEvery/2, func() {
		revision := a.state.Published().State().Revision
		if revision == told && time.Since(when) < beatEvery {
			return
		}
		attempt, cancel := context.WithTimeout(ctx, 2*askWithin)
		defer cancel()
		a.state.step(stepReport)
		err := a.beatOnce(attempt, revision)
		if ctx.Err() != nil {
			return
		}
		a.pulse.took(beats, err)
		if when = time.Now(); err == nil {
			told = revision
		} else {
			a.log.Error("the database takes nothing", "error", err)
		}
		a.listen(ctx)
	})
	leaving, cancel := context.WithTimeout(context.WithoutCancel(ctx), askWithin)
	defer cancel()
	_ = a.store.Left(leaving, a.pulse.name) // it is forgotten by itself, too
}

// listen hears which instances are there.
func (a *App) listen(ctx context.Context) {
	attempt, cancel := context.WithTimeout(ctx, askWithin)
	defer cancel()
	if list, err := a.store.Instances(attempt, 0); err == nil {
		a.pulse.waitsFor(list, func(*store.Known) bool { return true })
	}
}

func (a *App) beatOnce(ctx context.Context, revision uint64) error {
	return a.store.Beat(ctx, store.Instance{ID: a.pulse.name, Host: a.pulse.host, Revision: revision,
		RefuseAfter: a.pulse.refuseAfter})
}

// catchUp takes in what other instances have written.
func (a *App) catchUp(ctx context.Context) error {
	asking := time.Now()
	attempt, cancel := context.WithTimeout(ctx, askWithin)
	defer cancel()
	_, added := a.state.Acts()
	rows, err := a.store.UrgentActs(attempt)
	if err != nil {
		return err
	}
	binding, err := a.store.Binding(attempt)
	if err != nil {
		return err
	}
	if a.pulse.answered(asking) {
		a.log.Info("the database answers again")
	}
	if !hmac.Equal(binding.KeyCheck, a.keys.check()) {
		return a.strays(TroubleKey, "the key of this database was rotated; start the service again with the new key "+
			"file")
	}
	if newest := store.Newest(); binding.Schema > newest {
		return a.strays(TroubleSchema, fmt.Sprintf("its tables are of version %d, and this program knows %d",
			binding.Schema, newest))
	}
	within, done, err := a.Reach(ctx)
	if err != nil {
		return err
	}
	defer done()
	if err := a.settleTries(within); err != nil {
		return err
	}
	if err := a.tries.learn(attempt, a.store, a.now()); err != nil {
		return err
	}
	acts, err := a.takeIn(within, added, rows, binding.Revision)
	if err != nil {
		return err
	}
	return a.sayKnown(within, acts)
}

// strays has the instance answer nothing any more.
func (a *App) strays(kind *TroubleKind, problem string) error {
	a.stray.Store(&strayed{kind, problem})
	return errors.New(problem)
}

// sayKnown says of acts that are live that they count here, once.
func (a *App) sayKnown(ctx context.Context, acts []waitingAct) error {
	a.state.step(stepReport)
	told := map[uint64]bool{}
	for i := range acts {
		if !a.pulse.acts[acts[i].id] && acts[i].Entry == nil {
			if err := a.store.KnowsAct(ctx, a.pulse.name, acts[i].id); err != nil {
				return err
			}
		}
		told[acts[i].id] = true
	}
	a.pulse.acts = told
	return nil
}

// takeIn shows what was read of the database: the acts that wait, where none was added or ended here meanwhile, and the
// changes up to a revision.
func (a *App) takeIn(ctx context.Context, added uint64, rows []store.UrgentAct, revision uint64) ([]waitingAct, error) {
	return a.state.TakeIn(added, a.readActs(rows), func(base *Live) (*Live, error) {
		if revision <= base.State().Revision {
			return base, nil
		}
		state, err := a.store.Load(ctx, base.State())
		if err != nil {
			return nil, err
		}
		return a.taken(base, state)
	})
}

// becomeCurrent takes in what was written while the organisation was loaded, which was asked for at a moment: an
// instance that begins to answer knows the newest changes, and its database has answered just now.
func (a *App) becomeCurrent(ctx context.Context, asked time.Time) error {
	a.pulse.knows(asked)
	for {
		asking := time.Now()
		err := a.catchUp(ctx)
		switch {
		case err == nil:
			a.pulse.knows(asking)
			return nil
		case ctx.Err() != nil || a.stray.Load() != nil:
			return err
		}
		a.log.Error("following the database failed", "error", err)
		select {
		case <-ctx.Done():
			return context.Cause(ctx)
		case <-time.After(followEvery):
		}
	}
}

// awaitKnown waits until every instance that may answer doors answers by a change, or by an act where that is not 0. An
// act that has become a change is known by whoever knows that change. An instance that has not taken it in for as long
// as it answers without its database refuses by then; so it is enough to wait for that, also where nothing can be
// asked. What is waited for is made: an error says that the asker is gone, or the database.
func (a *App) awaitKnown(ctx context.Context, revision, act uint64) error {
	longest := a.pulse.refuseAfter // that an instance, as far as is known, answers without its database
	for begun := time.Now(); time.Since(begun) < longest+silent; {
		list, err := a.store.Instances(ctx, act)
		if err == nil {
			for i := range list {
				longest = max(longest, list[i].Refuses())
				if act != 0 && list[i].Became && revision == 0 {
					revision = list[i].Newest // it became a change that is not newer than this
				}
			}
			knows := func(i *store.Known) bool {
				return i.Revision >= revision && (act == 0 || i.Became || i.Knows)
			}
			if !a.pulse.waitsFor(list, knows) {
				return nil
			}
		}
		select {
		case <-ctx.Done():
			return context.Cause(ctx)
		case <-time.After(15 * time.Millisecond):
		}
	}
	return nil
}

// word is the last that was heard of an instance, and since when.
type word struct {
	said  time.Time // by the clock of another machine
	since time.Time // by the own
}

// silent is for how much longer than an instance answers doors without its database it may not be heard of.
const silent = 2 * time.Second

// waitsFor reports whether some instance may answer doors and does not know yet. Whether one is still there is seen by
// its word changing: clocks of other machines say nothing.
func (p *pulse) waitsFor(list []store.Known, knows func(*store.Known) bool) (waits bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	heard := make(map[uint64]word, len(list))
	for i := range list {
		one := &list[i]
		last := p.heard[one.ID]
		if !last.said.Equal(one.SeenAt) || last.since.IsZero() {
			last = word{one.SeenAt, time.Now()}
		}
		heard[one.ID] = last
		there := time.Since(last.since) < one.Refuses()+silent
		waits = waits || one.ID != p.name && there && !knows(one)
	}
	p.heard = heard
	return waits
}
