// Package app holds the use cases: the one write path, the reads, sign-in, and the decisions that doors ask for.
// It holds the live compiled state that all of them read.
package app

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/words"
	"loyallatch.example/latch/internal/store"
)

// App is the service without its interfaces.
type App struct {
	store *store.Store
	keys  *Keys
	log   *slog.Logger
	now   func() time.Time

	writing sync.Mutex // one change at a time in this process; the revision row orders processes
	live    atomic.Pointer[Live]
	events  *recorder
	tries   triesByName
	stop    context.CancelFunc
	done    sync.WaitGroup
}

// Live is the newest state, compiled, with the texts that searches go through.
type Live struct {
	*access.Snapshot
	texts texts
}

// followEvery is how often the revision is compared with the database's, where other instances may have written.
const followEvery = 500 * time.Millisecond

// New loads the state and starts following it. now is the clock; nil takes the machine's.
func New(ctx context.Context, db *store.Store, keys *Keys, log *slog.Logger, now func() time.Time) (*App, error) {
	if now == nil {
		now = time.Now
	}
	a := &App{store: db, keys: keys, log: log, now: now, tries: triesByName{names: map[string]*entry{}}}
	state, err := db.Load(ctx, &org.State{})
	if err != nil {
		return nil, fmt.Errorf("the organisation cannot be loaded: %w", err)
	}
	if err := a.show(state); err != nil {
		return nil, err
	}
	running, stop := context.WithCancel(context.WithoutCancel(ctx))
	a.stop = stop
	a.events = newRecorder(db, log)
	a.done.Go(func() { a.events.run(running) })
	a.done.Go(func() { a.follow(running) })
	return a, nil
}

// show compiles a state whole and makes it the live one.
func (a *App) show(state *org.State) error {
	snapshot, err := access.Compile(state)
	if err != nil {
		return fmt.Errorf("the organisation cannot be compiled: %w", err)
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
}

// Live returns the newest state.
func (a *App) Live() *Live { return a.live.Load() }

// Now returns the time.
func (a *App) Now() time.Time { return a.now() }

// Ready reports whether the database answers.
func (a *App) Ready(ctx context.Context) error { return a.store.Ping(ctx) }

func (a *App) follow(ctx context.Context) {
	tick := time.NewTicker(followEvery)
	defer tick.Stop()
	for rounds := 0; ; rounds++ {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if err := a.catchUp(ctx); err != nil && ctx.Err() == nil {
			a.log.Error("following the database failed", "error", err)
		}
		if rounds%planEvery == 0 {
			if err := a.applyDue(ctx); err != nil && ctx.Err() == nil {
				a.log.Error("applying planned drafts failed", "error", err)
			}
		}
		if rounds%7200 == 0 {
			if err := a.store.Sweep(ctx, a.now()); err != nil && ctx.Err() == nil {
				a.log.Error("sweeping failed", "error", err)
			}
		}
	}
}

// planEvery is how many rounds pass between looking for planned drafts whose moment has come.
const planEvery = 2

// catchUp takes in what other instances have written.
func (a *App) catchUp(ctx context.Context) error {
	revision, err := a.store.Revision(ctx)
	if err != nil || revision <= a.Live().State().Revision {
		return err
	}
	a.writing.Lock()
	defer a.writing.Unlock()
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
	Undoes     uint64                                   // the audit entry whose change this reverses; 0: none
	At         time.Time                                // when it was made, of a past that is loaded by the system; zero: now
	Check      func(live *Live) error                   // asked once no other change can come between; nil: nothing
	Within     func(tx *store.Tx, auditID uint64) error // writes along in the same transaction; nil: nothing
}

// Result is what came of a change, or would come of it.
type Result struct {
	Trial   *change.Trial
	AuditID uint64 // 0 in a preview
}

// Preview says what a change would do, and whether it may be made; nothing is written. Its reason may follow later.
func (a *App) Preview(r Request) (*Result, error) {
	trial, err := change.Apply(a.Live().Snapshot, r.Actor, a.env(false), cmp.Or(words.Tidy(r.Reason), change.ReasonLater), r.Operations)
	if err != nil {
		return nil, err
	}
	trial.Secrets = nil // what is generated in a preview is nobody's
	return &Result{Trial: trial}, nil
}

func (a *App) env(hash bool) change.Env {
	env := change.Env{Now: a.now(), Random: rand.Reader, Digest: a.keys.Digest, HashPassword: func(string) (string, error) { return "", nil }}
	if hash {
		env.HashPassword = HashPassword
	}
	return env
}

// Commit makes a change: whole or not at all. When it returns, the live state is the one after the change.
func (a *App) Commit(ctx context.Context, r Request) (*Result, error) {
	a.writing.Lock()
	defer a.writing.Unlock()
	result := &Result{}
	live := a.Live()
	env := a.env(true)
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
			return fault.Conflictf("operations", "this changes nothing: it is so already")
		}
		if err := trial.Judge(); err != nil {
			return err
		}
		if err := tx.Save(trial.Written); err != nil {
			return err
		}
		entry, err := a.auditChange(tx, &r, trial, env.Now)
		result.Trial, result.AuditID = trial, entry.ID
		if err != nil || r.Within == nil {
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
	a.log.Info("change", "audit", result.AuditID, "actor", actorName(live, r.Actor), "origin", r.Origin, "operations", len(r.Operations))
	return result, nil
}

func (a *App) auditChange(tx *store.Tx, r *Request, trial *change.Trial, at time.Time) (store.AuditEntry, error) {
	operations, err := json.Marshal(trial.Entries)
	if err != nil {
		return store.AuditEntry{}, err
	}
	entry := store.AuditEntry{At: at, Action: "change", Actor: actorName(a.Live(), r.Actor), Origin: r.Origin, Reason: cut(trial.Reason(), 500),
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

var doing = map[string]string{
	"organisation.edit": "Changed the settings of", "place.add": "Added place", "place.edit": "Changed place", "place.retire": "Retired place",
	"place.restore": "Brought back place", "group.add": "Added catalogue group", "group.edit": "Changed catalogue group", "group.retire": "Retired catalogue group",
	"group.restore": "Brought back catalogue group", "permission.add": "Added permission", "permission.edit": "Changed permission", "permission.retire": "Retired permission",
	"permission.restore": "Brought back permission", "template.add": "Added template", "template.edit": "Changed template", "template.retire": "Retired template",
	"template.restore": "Brought back template", "staff.enrol": "Enrolled", "staff.edit": "Changed the record of",
	"staff.activate": "Activated", "staff.lock": "Locked", "staff.unlock": "Unlocked", "staff.depart": "Recorded the departure of",
	"staff.reinstate": "Reinstated", "staff.make_owner": "Made an owner of", "staff.unmake_owner": "Took ownership from",
	"assignment.add": "Assigned", "assignment.edit": "Changed the assignment of", "assignment.end": "Ended the assignment of", "assignment.restore": "Brought back the assignment of", "exception.set": "Set by exception for",
	"exception.edit": "Changed an exception for", "exception.restore": "Brought back an exception for",
	"exception.add": "Made an exception for", "exception.end": "Ended an exception for", "pin.set": "Issued a PIN to", "pin.withdraw": "Withdrew the PIN of",
	"password.issue": "Issued a first password to", "password.set": "Set the password of", "device.add": "Connected device", "device.revoke": "Disconnected device",
}

// summary says a change in a line.
func summary(trial *change.Trial) string {
	first := trial.Entries[0]
	return Summarise(first.Op, first.On, len(trial.Entries))
}

// Summarise says so many operations in a line by the first of them: "Enrolled S00012 Ana Reyes, and 2 more steps".
func Summarise(op, on string, steps int) string {
	text := doing[op] + " " + on
	switch {
	case steps == 2:
		text += ", and 1 more step"
	case steps > 2:
		text += fmt.Sprintf(", and %d more steps", steps-1)
	}
	return cut(text, 480)
}

// toDo says the first word of what was done as what is still to be done.
var toDo = map[string]string{"Activated": "Activate", "Added": "Add", "Assigned": "Assign", "Brought": "Bring", "Changed": "Change", "Connected": "Connect", "Disconnected": "Disconnect",
	"Ended": "End", "Enrolled": "Enrol", "Issued": "Issue", "Locked": "Lock", "Made": "Make", "Recorded": "Record", "Reinstated": "Reinstate", "Retired": "Retire", "Set": "Set",
	"Took": "Take", "Unlocked": "Unlock", "Withdrew": "Withdraw"}

// Intend says an operation in a line as something that is still to be done: "Change template packer Packer".
func Intend(op, on string) string {
	done, rest, _ := strings.Cut(Summarise(op, on, 1), " ")
	return toDo[done] + " " + rest
}

// cut shortens a text to so many letters.
func cut(text string, most int) string {
	if runes := []rune(text); len(runes) > most {
		return string(runes[:most-1]) + "…"
	}
	return text
}
