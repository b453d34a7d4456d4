package app

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/words"
	"loyallatch.example/latch/internal/store"
)

// Preview says what a change would do, and whether it may be made; nothing is written, and nothing is said of whether a
// secret is in use. Its reason may follow later.
func (a *App) Preview(ctx context.Context, r Request) (*Result, error) {
	live := a.Live()
	if err := r.work(live); err != nil {
		return nil, err
	}
	if err := a.mayAsk(ctx, r.Actor, r.Operations); err != nil {
		return nil, err
	}
	env := a.preview()
	env.Most, env.Own = r.Most, r.Own
	trial, err := change.Apply(live.Snapshot, r.Actor, env,
		cmp.Or(words.Tidy(r.Reason), change.ReasonLater), r.Operations)
	if err != nil {
		return nil, a.told(ctx, r.Actor, err)
	}
	return &Result{Trial: trial}, nil
}

// work works the operations out on what is live, where they depend on that.
func (r *Request) work(live *Live) (err error) {
	if r.Work != nil {
		r.Operations, err = r.Work(live)
	}
	return err
}

// preview is what trying a change that is not made needs.
func (a *App) preview() change.Env {
	return change.Env{Now: a.now(), Random: rand.Reader, Strength: strength, Preview: true}
}

// Commit makes a change: whole or not at all. When it returns, the live state is the one after the change. Secrets are
// worked out before others have to wait for it. ErrAway says that the database went away before the change was kept.
func (a *App) Commit(ctx context.Context, r Request) (result *Result, err error) {
	ctx, done, err := a.Reach(ctx)
	if err != nil {
		return nil, err
	}
	defer done()
	defer func() {
		if err != nil && errors.Is(context.Cause(ctx), ErrAway) && !errors.Is(err, ErrAway) {
			err = errors.Join(ErrAway, err)
		}
	}()
	if err := a.mayAsk(ctx, r.Actor, r.Operations); err != nil {
		return nil, err
	}
	var secrets map[int]change.Prepared // what was made for one try serves the next
	for tries := 1; ; tries++ {
		if r.Work != nil {
			secrets = nil // they belong to operations that are worked out anew
		}
		if secrets, err = a.prepare(ctx, &r, secrets); err != nil {
			return nil, a.told(ctx, r.Actor, err)
		}
		result, err = a.inTurn(ctx, &r, secrets)
		if store.Transient(err) && tries < mostTries && ctx.Err() == nil {
			a.log.Warn("a change is tried again", "tries", tries, "error", err)
			continue
		}
		var f *fault.Fault
		if errors.As(err, &f) && f.Code == change.ErrPINInUse {
			if !a.chosenPIN(r.Operations[f.Operation-1]) && tries < mostTries {
				delete(secrets, f.Operation-1) // one that was generated was given to somebody else meanwhile
				continue
			}
			return nil, a.pinInUse(ctx, &r, err)
		}
		if err == nil {
			a.remember(&r, secrets)
		} else if !errors.As(err, &f) && ctx.Err() == nil {
			a.counts.auditFailed.Add(1)
		}
		return result, a.told(ctx, r.Actor, err)
	}
}

// mostTries bounds how often a change is tried that others stood in the way of.
const mostTries = 5

// ErrOutcomeUnknown says that the database was lost at the end of a change and does not answer, so that nobody knows
// yet whether it is made.
var ErrOutcomeUnknown = errors.New("the database was lost while the change was made, and does not answer")

// outcomeWithin is for how long it is asked whether a change was kept.
const outcomeWithin = 5 * time.Second

// settle finds out whether a change was kept that the database was lost at the end of. An error that is left says that
// it was not; it may be tried again.
func (a *App) settle(ctx context.Context, entry *store.AuditEntry, lost error) error {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), outcomeWithin)
	defer cancel()
	ctx, done, err := a.Reach(ctx)
	if err != nil {
		return errors.Join(ErrOutcomeUnknown, lost)
	}
	defer done()
	for {
		kept, err := a.store.Kept(ctx, entry)
		switch {
		case err == nil && kept:
			a.log.Warn("the database was lost after a change was kept", "audit", entry.ID, "error", lost)
			return nil
		case err == nil:
			return store.ErrNotKept
		}
		select {
		case <-ctx.Done():
			return errors.Join(ErrOutcomeUnknown, lost)
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// inTurn makes a change in its turn; one that is urgent does not wait for that longer than a moment, and is answered
// once every instance knows it.
func (a *App) inTurn(ctx context.Context, r *Request, secrets map[int]change.Prepared) (*Result, error) {
	a.counts.changes.Add(1)
	defer a.counts.changes.Add(-1)
	came := time.Now()
	if !r.urgent() || a.ActsWaiting() >= mostActs {
		a.carryFirst(ctx, r)
		select {
		case a.line <- struct{}{}:
		case <-ctx.Done():
			return nil, context.Cause(ctx)
		}
		defer func() { <-a.line }()
		a.counts.waited.Add(int64(time.Since(came)))
		result, err := a.commit(ctx, r, secrets, func(fn func(tx *store.Tx) error) error {
			return a.store.Change(ctx, r.At, fn)
		})
		if err != nil || !r.urgent() {
			return result, err
		}
		return result, a.awaitKnown(ctx, result.Trial.State.Revision, 0)
	}
	if a.ActsWaiting() > 0 { // they come first
		return a.keepAct(ctx, r)
	}
	select {
	case a.line <- struct{}{}:
		a.counts.waited.Add(int64(time.Since(came)))
	case <-time.After(urgentPatience):
		return a.keepAct(ctx, r)
	}
	result, err := func() (*Result, error) {
		defer func() { <-a.line }() // also where a panic ends it
		return a.commit(ctx, r, secrets, func(fn func(tx *store.Tx) error) error {
			return a.store.ChangeSoon(ctx, urgentPatience, fn)
		})
	}()
	if errors.Is(err, store.ErrOccupied) {
		return a.keepAct(ctx, r)
	}
	if err != nil {
		return nil, err
	}
	return result, a.awaitKnown(ctx, result.Trial.State.Revision, 0)
}

// judged says why a change that may be made by the rules is not made.
func judged(trial *change.Trial) error {
	if len(trial.Entries) == 0 {
		return fault.Conflictf("operations", "no change: everything is so already")
	}
	return trial.Judge()
}

func (a *App) commit(ctx context.Context, r *Request, secrets map[int]change.Prepared,
	within func(func(tx *store.Tx) error) error) (*Result, error) {
	result := &Result{}
	live := a.state.Published()
	env := change.Env{Now: a.now(), Random: rand.Reader, Secrets: secrets, Strength: strength, Present: r.Present,
		Most: r.Most, Own: r.Own}
	switch {
	case !r.told.IsZero():
		env.Now = r.told
	case !r.At.IsZero() && r.Actor.System != "":
		env.Now = r.At
	}
	var entry store.AuditEntry
	err := within(func(tx *store.Tx) error {
		if tx.Revision != live.State().Revision {
			state, err := tx.Load(live.State())
			if err != nil {
				return err
			}
			if live, err = a.taken(live, state); err != nil {
				return err
			}
			a.state.Publish(live)
		}
		if r.Check != nil {
			if err := r.Check(live); err != nil {
				return err
			}
		}
		if err := r.work(live); err != nil {
			return err
		}
		trial, err := change.Apply(live.Snapshot, r.Actor, env, r.Reason, r.Operations)
		if err != nil {
			return err
		}
		if err := judged(trial); err != nil {
			return err
		}
		if err := eraseFirst(tx, trial); err != nil {
			return err
		}
		if err := tx.Save(trial.Written); err != nil {
			return err
		}
		entry, err = a.auditChange(tx, r, trial, env.Now)
		result.Trial, result.AuditID = trial, entry.ID
		if err != nil {
			return err
		}
		if of := keyOf(ctx); of != nil {
			if err := a.keepSecrets(of, trial.Secrets); err != nil {
				return err
			}
			if err := tx.Keyed(of, entry.ID); err != nil {
				return err
			}
		}
		if err := endSessions(tx, r, trial, env.Now); err != nil {
			return err
		}
		if err := a.tell(tx, r, live, trial, env.Now); err != nil || r.Within == nil {
			return err
		}
		return r.Within(tx, entry.ID, trial)
	})
	if errors.Is(err, store.ErrOutcomeUnknown) {
		err = a.settle(ctx, &entry, err)
	}
	if err != nil {
		return nil, err
	}
	a.state.Publish(live.with(result.Trial.After, result.Trial.Touched))
	a.log.Info("change", "audit", result.AuditID, "actor", actorName(live, r.Actor), "origin", r.Origin, "operations",
		len(r.Operations))
	return result, nil
}

// eraseFirst writes over what is to leave no trace before the change is written.
func eraseFirst(tx *store.Tx, trial *change.Trial) error {
	var erased []any
	for i := range trial.Written {
		if trial.Erases(trial.Written[i].Value) {
			erased = append(erased, trial.Written[i].Value)
		}
	}
	return tx.EraseInPlace(erased)
}

// endSessions ends all sessions of those who are locked, or who have left, and those that came from credentials which
// count no more.
func endSessions(tx *store.Tx, r *Request, trial *change.Trial, at time.Time) error {
	var ended []uint32
	instead := map[uint32]uint32{}
	for i := range trial.Written {
		c, is := trial.Written[i].Value.(*credential.Credential)
		if !is || c.State != credential.Withdrawn && c.State != credential.Lost {
			continue
		}
		ended = append(ended, uint32(c.ID))
		if next := trial.State.CredentialOf(c.Staff, c.Kind); next != nil && r.Keep != 0 {
			instead[uint32(c.ID)] = uint32(next.ID)
		}
	}
	if err := tx.EndDerived(ended, r.Keep, instead); err != nil {
		return err
	}
	var locked, left []uint32
	for i := range trial.Entries {
		switch record := change.RecordOf(trial.State, trial.Entries[i].Record).(type) {
		case *people.Staff:
			switch op := trial.Entries[i].Op; {
			case op == "staff.lock":
				locked = append(locked, uint32(record.ID))
			case op == "staff.leave" &&
				record.SpanIn(trial.After.Location(record.ID)).Status(at.Unix()) == people.Left:
				left = append(left, uint32(record.ID))
			}
		}
	}
	// A lock may become a change later than it was made: what began since has been let in again
	if err := tx.EndSessions(locked, 0, at); err != nil {
		return err
	}
	return tx.EndSessions(left, 0, time.Time{})
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
