// Package app holds the use cases: the one write path, the reads, sign-in, and the decisions that doors ask for.
// It holds the live compiled state that all of them read.
package app

import (
	"cmp"
	"context"
	"crypto/hmac"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/words"
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
	readers  readerTries
	answered atomic.Int64 // when the database last said which revision is the newest, in Unix milliseconds
	stray    atomic.Pointer[string]
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
	a := &App{store: db, keys: keys, log: log, now: now, pins: pins, readers: newReaderTries(), hashing: newHasher()}
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
	a.hashing.close()
}

// Live returns the newest state.
func (a *App) Live() *Live { return a.live.Load() }

// Now returns the time.
func (a *App) Now() time.Time { return a.now() }

// Stale reports whether the instance has had no answer from the database for so long that it cannot know who is locked.
func (a *App) Stale() bool {
	return time.Since(time.UnixMilli(a.answered.Load())) > staleAfter || a.stray.Load() != nil
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
	if err := a.readers.learn(ctx, a.store, a.now()); err != nil {
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
	return a.show(state)
}

// Request is a change somebody asks for.
type Request struct {
	Actor      change.Actor
	Origin     string // console, client, api or setup, and the address it came from
	Reason     string
	Operations []change.Operation
	Undoes     uint64 // the audit entry whose change this reverses; 0: none
	// the actor has just proved to be there, by the present password
	Present bool
	Keep    uint64 // the session that goes on when those of the actor end
	// when it was made, of a past that is loaded by the system; zero: now
	At     time.Time
	Check  func(live *Live) error                   // asked once no other change can come between; nil: nothing
	Within func(tx *store.Tx, auditID uint64) error // writes along in the same transaction; nil: nothing
}

// Result is what came of a change, or would come of it.
type Result struct {
	Trial   *change.Trial
	AuditID uint64 // 0 in a preview
}

// Preview says what a change would do, and whether it may be made; nothing is written, and nothing is said of whether a
// secret is in use. Its reason may follow later.
func (a *App) Preview(r Request) (*Result, error) {
	trial, err := change.Apply(a.Live().Snapshot, r.Actor, a.preview(),
		cmp.Or(words.Tidy(r.Reason), change.ReasonLater), r.Operations)
	if err != nil {
		return nil, err
	}
	return &Result{Trial: trial}, nil
}

// preview is what trying a change that is not made needs.
func (a *App) preview() change.Env {
	return change.Env{Now: a.now(), Random: rand.Reader, Strength: strength, Preview: true}
}

// Commit makes a change: whole or not at all. When it returns, the live state is the one after the change. Secrets are
// worked out before others have to wait for it.
func (a *App) Commit(ctx context.Context, r Request) (*Result, error) {
	for tries := 1; ; tries++ {
		secrets, err := a.prepare(ctx, &r)
		if err != nil {
			return nil, err
		}
		result, err := a.commit(ctx, &r, secrets)
		var f *fault.Fault
		if errors.As(err, &f) && f.Code == change.ErrPINInUse {
			if !a.chosenPIN(r.Operations[f.Operation-1]) && tries < 5 {
				continue // one that was generated was given to somebody else meanwhile
			}
			return nil, a.pinInUse(ctx, &r, err)
		}
		if err == nil {
			a.remember(&r, secrets)
		}
		return result, err
	}
}

func (a *App) commit(ctx context.Context, r *Request, secrets map[int]change.Prepared) (*Result, error) {
	a.writing.Lock()
	defer a.writing.Unlock()
	result := &Result{}
	live := a.Live()
	env := change.Env{Now: a.now(), Random: rand.Reader, Secrets: secrets, Strength: strength, Present: r.Present}
	if !r.At.IsZero() && r.Actor.System != "" {
		env.Now = r.At
	}
	err := a.store.Change(ctx, r.At, func(tx *store.Tx) error {
		if tx.Revision != live.State().Revision {
			state, err := tx.Load(live.State())
			if err != nil {
				return err
			}
			if err := a.show(state); err != nil {
				return err
			}
			live = a.Live()
		}
		if r.Check != nil {
			if err := r.Check(live); err != nil {
				return err
			}
		}
		trial, err := change.Apply(live.Snapshot, r.Actor, env, r.Reason, r.Operations)
		if err != nil {
			return err
		}
		if len(trial.Entries) == 0 {
			return fault.Conflictf("operations", "no change: everything is so already")
		}
		if err := trial.Judge(); err != nil {
			return err
		}
		if err := tx.Save(trial.Written); err != nil {
			return err
		}
		entry, err := a.auditChange(tx, r, trial, env.Now)
		result.Trial, result.AuditID = trial, entry.ID
		if err != nil {
			return err
		}
		if err := endSessions(tx, r, trial); err != nil || r.Within == nil {
			return err
		}
		return r.Within(tx, entry.ID)
	})
	if err != nil {
		return nil, err
	}
	next := &Live{Snapshot: result.Trial.After, texts: live.texts.fork()}
	for _, id := range result.Trial.Touched.Staff {
		next.texts.put(next.State().Person(id))
	}
	a.live.Store(next)
	a.log.Info("change", "audit", result.AuditID, "actor", actorName(live, r.Actor), "origin", r.Origin, "operations",
		len(r.Operations))
	return result, nil
}

// endSessions ends the sessions and tokens of those whose password is another now, or who have left.
func endSessions(tx *store.Tx, r *Request, trial *change.Trial) error {
	for i := range trial.Entries {
		e := &trial.Entries[i]
		record := change.RecordOf(trial.State, e.Record)
		switch e.Op {
		case "password.issue", "password.set":
			if c, is := record.(*credential.Credential); is {
				if err := tx.EndSessions(uint32(c.Staff), r.Keep); err != nil {
					return err
				}
			}
		case "staff.depart":
			if p, is := record.(*people.Staff); is && !p.DepartedAt.IsZero() {
				if err := tx.EndSessions(uint32(p.ID), 0); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

func (a *App) auditChange(tx *store.Tx, r *Request, trial *change.Trial, at time.Time) (store.AuditEntry, error) {
	operations, err := json.Marshal(trial.Entries)
	if err != nil {
		return store.AuditEntry{}, err
	}
	entry := store.AuditEntry{At: at, Action: "change", Actor: actorName(a.Live(), r.Actor), Origin: r.Origin,
		Reason:  cut(trial.Reason(), 500),
		Summary: summary(trial), Revision: trial.State.Revision, Operations: string(operations)}
	if r.Undoes != 0 {
		entry.Undoes, entry.Summary = &r.Undoes, cut(fmt.Sprintf("Undid change %d: %s", r.Undoes, entry.Summary), 480)
	}
	if r.Actor.Staff != 0 {
		id := uint32(r.Actor.Staff)
		entry.ActorID = &id
	}
	return tx.Audit(entry, subjects(trial))
}

func actorName(live *Live, actor change.Actor) string {
	if p := live.State().Person(actor.Staff); p != nil {
		return p.Number + " " + p.FullName()
	}
	return actor.System
}

// subjects are the records that a change is about: those it wrote, and whose they are.
func subjects(trial *change.Trial) []store.Subject {
	seen := map[store.Subject]bool{}
	var list []store.Subject
	add := func(kind string, number uint32) {
		subject := store.Subject{Kind: kind, Number: number}
		if number != 0 && !seen[subject] {
			seen[subject] = true
			list = append(list, subject)
		}
	}
	for _, entry := range trial.Entries {
		add(recordName(entry.Record))
	}
	for _, id := range trial.Touched.Staff {
		add("staff", uint32(id))
	}
	return list
}

// recordName takes the name of a record, such as "staff:12", apart.
func recordName(record string) (kind string, id uint32) {
	kind, digits, _ := strings.Cut(record, ":")
	return kind, number(digits)
}

// summary says a change in a line.
func summary(trial *change.Trial) string {
	first := trial.Entries[0]
	return Summarise(first.Op, first.On, len(trial.Entries))
}

// Summarise says so many operations in a line by the first of them: "Enrolled S00012 Ana Reyes, and 2 more steps".
func Summarise(op, on string, steps int) string {
	text := change.Describe(op).Done + " " + on
	switch {
	case steps == 2:
		text += ", and 1 more step"
	case steps > 2:
		text += fmt.Sprintf(", and %d more steps", steps-1)
	}
	return cut(text, 480)
}

// Intend says an operation in a line as something that is still to be done: "Change template packer Packer".
func Intend(op, on string) string { return cut(change.Describe(op).Do+" "+on, 480) }

// cut shortens a text to so many letters.
func cut(text string, most int) string {
	if runes := []rune(text); len(runes) > most {
		return string(runes[:most-1]) + "…"
	}
	return text
}
