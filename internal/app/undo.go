package app

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// Change is a change as the audit log keeps it, with the one that undid it, if any.
type Change struct {
	store.AuditEntry
	UndoneBy uint64
}

// Changes returns changes, newest first: one's own, and everybody's for those who may read the audit log everywhere.
func (a *App) Changes(ctx context.Context, actor people.StaffID, f store.AuditFilter) ([]Change, int64, error) {
	f.Action = "change"
	if !a.Live().HoldsEverywhere(actor, permit.ReadAudit, a.now().Unix()) {
		f.Actor = uint32(actor)
	}
	entries, total, err := a.store.AuditEntries(ctx, f)
	if err != nil {
		return nil, 0, err
	}
	ids := make([]uint64, len(entries))
	for i := range entries {
		ids[i] = entries[i].ID
	}
	undone, err := a.store.UndoneBy(ctx, ids)
	if err != nil {
		return nil, 0, err
	}
	changes := make([]Change, len(entries))
	for i := range entries {
		changes[i] = Change{entries[i], undone[entries[i].ID]}
	}
	return changes, total, nil
}

// ChangeFor returns one change that somebody may see.
func (a *App) ChangeFor(ctx context.Context, actor people.StaffID, id uint64) (*Change, error) {
	entry, err := a.store.AuditEntry(ctx, id)
	if err != nil {
		return nil, err
	}
	own := entry != nil && entry.ActorID != nil && *entry.ActorID == uint32(actor)
	if entry == nil || entry.Action != "change" ||
		!own && !a.Live().HoldsEverywhere(actor, permit.ReadAudit, a.now().Unix()) {
		return nil, fault.Missingf("path.id", "there is no change %d that you may see", id)
	}
	undone, err := a.store.UndoneBy(ctx, []uint64{id})
	return &Change{*entry, undone[id]}, err
}

// Undo reverses a change by a new one, or says in a preview what that would do. It is refused where later changes stand
// on it, and judged by the authority of whoever undoes.
func (a *App) Undo(ctx context.Context, actor people.StaffID, id uint64, reason, origin string, preview bool) (*Result,
	error) {
	c, err := a.ChangeFor(ctx, actor, id)
	if err != nil {
		return nil, err
	}
	if c.UndoneBy != 0 {
		again, err := a.ChangeFor(ctx, actor, c.UndoneBy)
		if err != nil || again.UndoneBy == 0 { // one whose undoing was undone counts again
			return nil, fault.Conflictf("path.id", "change %d was undone already, by change %d", id, c.UndoneBy)
		}
	}
	var entries []change.Entry
	if err := json.Unmarshal([]byte(c.Operations), &entries); err != nil {
		return nil, err
	}
	if reason == "" {
		reason = fmt.Sprintf("Undoing change %d", id)
	}
	own := uint64(0)
	if c.ActorID != nil && *c.ActorID == uint32(actor) {
		own = c.Revision
	}
	request := Request{Actor: change.Actor{Staff: actor}, Origin: origin, Reason: reason, Undoes: id, Own: own,
		Work: func(live *Live) ([]change.Operation, error) {
			return change.Undo(live.Snapshot, c.Revision, entries)
		}}
	var result *Result
	if preview {
		result, err = a.Preview(ctx, request)
	} else {
		result, err = a.Commit(ctx, request)
	}
	if err != nil {
		return nil, a.whoIsInTheWay(ctx, actor, err, entries, c.Revision)
	}
	return result, nil
}

// whoIsInTheWay adds to a refusal to undo which later change stands on this one, and whose it is. Whoever does not see
// all whom the change was about is told nothing of what has become of them since.
func (a *App) whoIsInTheWay(ctx context.Context, actor people.StaffID, refused error, entries []change.Entry,
	revision uint64) error {
	var f *fault.Fault
	if !errors.As(refused, &f) || f.Code != "built-upon" {
		return refused
	}
	live := a.Live()
	for i := range entries {
		if p := live.State().Person(change.StaffOf(live.State(), entries[i].Record)); p != nil &&
			a.ViewOf(live, actor, p) != access.Whole {
			return fault.Refusedf("built-upon", "This cannot be undone: it was built upon since, and is about "+
				"somebody whom you no longer see. Ask whoever looks after their home site.")
		}
	}
	records := make([]store.Subject, len(entries))
	for i := range entries {
		records[i].Kind, records[i].Number = recordName(entries[i].Record)
	}
	later, err := a.store.LaterOn(ctx, records, revision)
	if err != nil || later == nil {
		return cmp.Or(err, refused)
	}
	told := *f
	told.Message += fmt.Sprintf(" The latest is change %d by %s: %s.", later.ID, later.Actor, later.Summary)
	return &told
}
