package app

import (
	"context"
	"crypto/hmac"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/store"
)

// Locks, unlocks, the withdrawal of credentials and sign-ins do not wait for a large change that is being made. Where
// their turn does not come within a moment they are kept apart, as urgent acts: an act counts at every instance from
// then on, as what is live is the last change with the acts that wait applied on top, and it becomes a change of its
// own, with its entry in the audit log, as soon as its turn comes.

const (
	// urgentPatience is for how long an urgent act waits for its turn.
	urgentPatience = 25 * time.Millisecond
	// mostUrgent bounds the operations of one act.
	mostUrgent = 200
	// carryEvery is how often acts are tried to be made changes of.
	carryEvery = 200 * time.Millisecond
	// ahead is added to the revision of a state with acts applied, so that no version of a record that it gives out is
	// ever that of a change. It leaves a number that JSON carries exactly.
	ahead = 1 << 50
)

// act is what is kept of an urgent act.
type act struct {
	Staff      people.StaffID     `json:"staff,omitempty"`
	System     string             `json:"system,omitempty"`
	Origin     string             `json:"origin,omitempty"`
	Reason     string             `json:"reason,omitempty"`
	Operations []change.Operation `json:"operations,omitempty"`
	Key        *store.KeyedRequest
	// Of one that is an entry of the audit log and no change
	Entry    *store.AuditEntry `json:"entry,omitempty"`
	Subjects []store.Subject   `json:"subjects,omitempty"`
}

// waitingAct is an act that waits for its turn.
type waitingAct struct {
	act
	id uint64
	at time.Time
}

// urgent reports whether a request may be kept as an act.
func (r *Request) urgent() bool {
	if r.Work != nil || r.Within != nil || r.Check != nil || len(r.Operations) > mostUrgent || r.act != 0 {
		return false
	}
	return len(r.Operations) > 0 && !slices.ContainsFunc(r.Operations, func(o change.Operation) bool {
		return !change.Describe(o.Op).Urgent
	})
}

// doer is who an act counts as done by: their authority was asked when it was kept.
func (w *act) doer() change.Actor {
	system := w.System
	if system == "" {
		system = "an urgent act"
	}
	return change.Actor{Staff: w.Staff, System: system}
}

// applyActs applies acts to a state, on which others may stand already. One that changes nothing any more, as it has
// become a change, is passed over.
func (a *App) applyActs(on *Live, acts []waitingAct) *Live {
	live := on
	for i := range acts {
		w := &acts[i]
		if w.Entry != nil {
			continue
		}
		from := live.Snapshot
		if live.acts == 0 {
			state := live.State().Fork()
			state.Revision |= ahead
			next, err := live.Next(state, access.Touched{})
			if err != nil {
				a.log.Error("an urgent act cannot be applied", "act", w.id, "error", err)
				continue
			}
			from = next
		}
		trial, err := change.Apply(from, w.doer(), change.Env{Now: w.at, Strength: strength}, w.Reason, w.Operations)
		if err != nil || len(trial.Entries) == 0 {
			continue
		}
		done := live.acts + 1
		live = live.with(trial.After, trial.Touched)
		live.acts = done
	}
	return live
}

// mostActs bounds how many urgent acts wait before further ones wait for their turn instead: all that wait are applied
// again on top of each change, so that many of them slow down what they wait for.
const mostActs = 64

// keepAct keeps a change as an act and has it count: here at once, and at every instance that answers when it returns.
func (a *App) keepAct(ctx context.Context, r *Request) (*Result, error) {
	at := a.now().UTC().Truncate(time.Microsecond)
	trial, err := change.Apply(a.Live().Snapshot, r.Actor, change.Env{Now: at, Strength: strength}, r.Reason,
		r.Operations)
	if err == nil {
		err = judged(trial)
	}
	if err != nil {
		return nil, err
	}
	w := act{Staff: r.Actor.Staff, System: r.Actor.System, Origin: r.Origin, Reason: r.Reason,
		Operations: slices.Clone(r.Operations), Key: keyOf(ctx)}
	for i := range w.Operations {
		w.Operations[i].Revision = 0 // it was asked
	}
	id, err := a.addAct(ctx, w, at)
	if err != nil {
		return nil, err
	}
	a.log.Info("an urgent act is in force before its turn", "act", id, "actor", actorName(a.Live(), r.Actor))
	return &Result{Trial: trial}, a.awaitKnown(ctx, 0, id)
}

func (a *App) addAct(ctx context.Context, w act, at time.Time) (uint64, error) {
	content, err := json.Marshal(w)
	if err != nil {
		return 0, err
	}
	mac := a.keys.mac(forActs, content)
	row := store.UrgentAct{At: at, Content: content, MAC: mac[:]}
	if err := a.store.AddAct(ctx, &row); err != nil {
		return 0, err
	}
	a.state.AddAct(waitingAct{w, row.ID, at})
	return row.ID, nil
}

// readActs returns acts as they are kept, without those that the service itself has not kept.
func (a *App) readActs(rows []store.UrgentAct) []waitingAct {
	var acts []waitingAct
	for i := range rows {
		mac := a.keys.mac(forActs, rows[i].Content)
		w := waitingAct{id: rows[i].ID, at: rows[i].At}
		if !hmac.Equal(mac[:], rows[i].MAC) || json.Unmarshal(rows[i].Content, &w.act) != nil {
			a.log.Error("an urgent act was not kept by the service and counts for nothing", "act", rows[i].ID)
			continue
		}
		acts = append(acts, w)
	}
	return acts
}

// record appends an entry to the audit log: in its turn where that comes within a moment, else as an act.
func (a *App) record(ctx context.Context, entry store.AuditEntry, about []store.Subject) error {
	err := a.store.ChangeSoon(ctx, urgentPatience, func(tx *store.Tx) error {
		_, err := tx.Audit(entry, about)
		return err
	})
	if errors.Is(err, store.ErrOccupied) {
		_, err = a.addAct(ctx, act{Entry: &entry, Subjects: about}, entry.At.UTC())
	}
	if err != nil {
		a.counts.auditFailed.Add(1)
	}
	return err
}

// carry makes changes, and entries of the audit log, of the acts that wait, each in its turn.
func (a *App) carry(ctx context.Context) {
	every(ctx, carryEvery, func() {
		within, done, err := a.Reach(ctx)
		defer done()
		if err == nil {
			err = a.carryAll(within)
		}
		if err != nil && !errors.Is(err, ErrAway) && ctx.Err() == nil {
			a.log.Error("an urgent act could not be made a change yet", "error", err)
		}
	})
}

// carryAll makes changes of the acts that wait, in the order in which they were kept.
func (a *App) carryAll(ctx context.Context) error {
	acts, _ := a.state.Acts()
	var errs []error
	for i := range acts {
		if err := a.carryOut(ctx, &acts[i]); err != nil {
			errs = append(errs, fmt.Errorf("urgent act %d: %w", acts[i].id, err))
		}
	}
	return errors.Join(errs...)
}

// carryFirst makes changes of the acts that wait before another change, which may be about what they have done. One
// that cannot be made yet keeps nobody from theirs.
func (a *App) carryFirst(ctx context.Context, r *Request) {
	if r.act != 0 || a.ActsWaiting() == 0 {
		return
	}
	if err := a.carryAll(ctx); err != nil && ctx.Err() == nil {
		a.log.Error("an urgent act could not be made a change yet", "error", err)
	}
}

// errActMade says that an act is a change already.
var errActMade = errors.New("this act is a change already")

func (a *App) carryOut(ctx context.Context, w *waitingAct) error {
	end := func(tx *store.Tx, _ uint64) error {
		ok, err := tx.ActMade(w.id)
		if err == nil && !ok {
			err = errActMade
		}
		return err
	}
	var err error
	if w.Entry != nil {
		err = a.store.Change(ctx, time.Time{}, func(tx *store.Tx) error {
			if err := end(tx, 0); err != nil {
				return err
			}
			_, err := tx.Audit(*w.Entry, w.Subjects)
			return err
		})
	} else {
		_, err = a.Commit(ctx, Request{Actor: w.doer(), Origin: w.Origin, Reason: w.Reason, told: w.at, act: w.id,
			Operations: w.Operations, Within: func(tx *store.Tx, auditID uint64, _ *change.Trial) error {
				if err := end(tx, auditID); err != nil || w.Key == nil {
					return err
				}
				return tx.NoteMade(w.Key, auditID)
			}})
	}
	var f *fault.Fault
	if errors.As(err, &f) { // it changes nothing any more
		a.log.Warn("an urgent act is no change any more", "act", w.id, "error", err)
		err = a.store.Change(ctx, time.Time{}, func(tx *store.Tx) error {
			if err := end(tx, 0); err != nil {
				return err
			}
			entry := store.AuditEntry{At: a.now(), Action: "urgent-act-dropped", Actor: actorName(a.Live(), w.doer()),
				Origin: w.Origin, Reason: cut(w.Reason, 500), Summary: cut("An urgent act changed nothing when its "+
					"turn came: "+err.Error(), 480), Operations: "[]"}
			_, err := tx.Audit(entry, nil)
			return err
		})
	}
	if err != nil && !errors.Is(err, errActMade) {
		return err
	}
	a.state.EndAct(w.id)
	return nil
}
