package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/draft"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
	"loyallatch.example/latch/internal/store"
)

// The states of a draft.
const (
	DraftOpen      = "open"
	DraftPlanned   = "planned"
	DraftFailed    = "failed"
	DraftGiven     = "given" // by another manager, and not accepted yet
	DraftApplied   = "applied"
	DraftDiscarded = "discarded"
)

// Draft is a draft with its edits.
type Draft struct {
	store.Draft
	Lines []draft.Line
}

// Review is a draft held against what is live.
type Review struct {
	Draft *Draft
	Lines []draft.Reviewed
	Trial *change.Trial // of what can be made; nil where nothing can
	live  *Live
}

// Before returns the live state that the review was made on.
func (r *Review) Before() *Live { return r.live }

// Clashing returns how many lines somebody else was at meanwhile, and Problems how many cannot be made.
func (r *Review) Clashing() (clashing, problems int) {
	for _, line := range r.Lines {
		if len(line.Clashes) > 0 {
			clashing++
		}
		if line.Problem != nil {
			problems++
		}
	}
	return clashing, problems
}

// unsettled are the states of drafts that wait for something, which others may see and, where their owner can act no
// more, take over.
var unsettled = []string{DraftPlanned, DraftFailed, DraftGiven}

const (
	// mostDrafts bounds how many drafts somebody keeps open, planned or failed.
	mostDrafts = 50
	// mostGiven bounds how many drafts from one manager wait until another accepts them.
	mostGiven = 10
)

func withLines(stored *store.Draft) (*Draft, error) {
	d := &Draft{Draft: *stored}
	return d, json.Unmarshal([]byte(stored.Edits), &d.Lines)
}

// DraftFor returns one of somebody's drafts by its number, or by the word open their newest open one. A planned one is
// for everybody to see who may read the audit log everywhere.
func (a *App) DraftFor(ctx context.Context, actor people.StaffID, reference string) (*Draft, error) {
	var stored *store.Draft
	var err error
	if reference == DraftOpen {
		stored, err = a.store.OpenDraft(ctx, uint32(actor))
	} else {
		stored, err = a.store.Draft(ctx, uint64(number(reference)))
	}
	if err != nil {
		return nil, err
	}
	if stored == nil || stored.OwnerID != uint32(actor) &&
		(!slices.Contains(unsettled, stored.State) ||
			!a.Live().HoldsEverywhere(actor, permit.ReadAudit, a.now().Unix())) {
		if reference == DraftOpen {
			return nil, fault.Missingf("draft",
				"there is no draft of yours that is open; an edit put into the draft begins one")
		}
		return nil, fault.Missingf("draft", "there is no draft %q of yours", reference)
	}
	return withLines(stored)
}

// own is DraftFor for what only its owner does.
func (a *App) own(ctx context.Context, actor people.StaffID, reference string) (*Draft, error) {
	d, err := a.DraftFor(ctx, actor, reference)
	if err == nil && d.OwnerID != uint32(actor) {
		return nil, fault.Refusedf("not-permitted",
			"This draft is another manager's; only they change it, apply it or discard it.")
	}
	return d, err
}

// Drafts returns somebody's drafts, newest first, and with all also the planned ones of others that they may see.
func (a *App) Drafts(ctx context.Context, actor people.StaffID, states []string, all bool, before uint64,
	limit int) ([]Draft, int64, error) {
	f := store.DraftFilter{Owner: uint32(actor), States: states, Before: before, Limit: limit}
	if all && a.Live().HoldsEverywhere(actor, permit.ReadAudit, a.now().Unix()) {
		f.Owner, f.States = 0, unsettled
	}
	stored, total, err := a.store.Drafts(ctx, f)
	if err != nil {
		return nil, 0, err
	}
	drafts := make([]Draft, len(stored))
	for i := range stored {
		d, err := withLines(&stored[i])
		if err != nil {
			return nil, 0, err
		}
		drafts[i] = *d
	}
	return drafts, total, nil
}

// Collect puts edits into a draft; into somebody's open one, which is begun where there is none, by the word open.
func (a *App) Collect(ctx context.Context, actor people.StaffID, reference, title string,
	operations []change.Operation) (*Review, error) {
	for {
		review, err := a.collect(ctx, actor, reference, title, operations)
		if !errors.Is(err, errBegun) || ctx.Err() != nil {
			return review, err
		}
	}
}

func (a *App) collect(ctx context.Context, actor people.StaffID, reference, title string,
	operations []change.Operation) (*Review, error) {
	now := a.now().UTC().Truncate(time.Second)
	d, err := a.own(ctx, actor, reference)
	if reference == DraftOpen && fault.Is(err, fault.NotFound) {
		if err := a.another(ctx, actor, "you have"); err != nil {
			return nil, err
		}
		d = &Draft{Draft: store.Draft{OwnerID: uint32(actor), State: DraftOpen, Edits: "[]", NextEdit: 1,
			CreatedAt: now}}
	} else if err != nil {
		return nil, err
	}
	if err := editable(d); err != nil {
		return nil, err
	}
	live := a.Live()
	for i := range operations {
		if change.Describe(operations[i].Op).Secret != change.NoSecret {
			return nil, fault.Within(fmt.Sprintf("operations[%d].", i),
				fault.Invalidf("op", "%s hands out a secret at once and is not kept in a draft", operations[i].Op))
		}
	}
	lines, trial, err := draft.Add(d.Lines, d.NextEdit, live.Snapshot, change.Actor{Staff: actor}, a.preview(),
		operations)
	if err != nil {
		return nil, onlyNew(err, len(d.Lines), len(operations))
	}
	if title != "" {
		d.Title = cut(words.Tidy(title), 120)
	}
	d.Lines = lines
	for _, line := range lines {
		d.NextEdit = max(d.NextEdit, line.ID+1)
	}
	if d.ID == 0 && len(lines) == 0 {
		return &Review{Draft: d, live: live}, nil
	}
	if err := a.keep(ctx, d, now); err != nil {
		return nil, err
	}
	if trial == nil {
		return &Review{Draft: d, live: live}, nil
	}
	return a.review(ctx, d, live)
}

// onlyNew puts a fault about a line of the whole draft onto the edit that was sent, where that is the one at fault.
func onlyNew(err error, before, sent int) error {
	var f *fault.Fault
	if !errors.As(err, &f) || f.Operation == 0 || sent != 1 {
		return err
	}
	own := *f
	own.Fields = nil
	for _, field := range f.Fields {
		_, name, _ := strings.Cut(field.Name, "].")
		own.Fields = append(own.Fields, fault.Field{Name: "operations[0]." + name, Message: field.Message})
	}
	return &own
}

func editable(d *Draft) error {
	switch d.State {
	case DraftOpen, DraftFailed:
		return nil
	case DraftPlanned:
		return fault.Conflictf("draft", "this draft is planned; take the plan back before changing it")
	case DraftApplied:
		return fault.Conflictf("draft", "this draft was applied already, as change %d", *d.AuditID)
	case DraftGiven:
		return fault.Conflictf("draft", "this draft was given to you; accept it before you go on with it")
	}
	return fault.Conflictf("draft", "this draft was discarded")
}

// errBegun says that somebody's open draft was begun by another edit at the same time.
var errBegun = errors.New("the draft was begun by another edit")

func (a *App) keep(ctx context.Context, d *Draft, now time.Time) error {
	encoded, err := json.Marshal(d.Lines)
	if err != nil {
		return err
	}
	if d.Lines == nil {
		encoded = []byte("[]")
	}
	d.Edits, d.UpdatedAt = string(encoded), now
	if d.ID == 0 {
		added, err := a.store.AddDraft(ctx, &d.Draft)
		if err == nil && !added {
			return errBegun
		}
		return err
	}
	return a.store.SaveDraft(ctx, &d.Draft)
}

func (a *App) review(ctx context.Context, d *Draft, live *Live) (*Review, error) {
	actor := change.Actor{Staff: people.StaffID(d.OwnerID)}
	if err := a.mayAsk(ctx, actor, draft.Operations(d.Lines)); err != nil {
		return nil, err
	}
	lines, trial := draft.Review(d.Lines, live.Snapshot, actor, a.preview(), d.Reason)
	var unseen []string
	for i := range lines {
		if f := (*fault.Fault)(nil); errors.As(lines[i].Problem, &f) && f.Unseen != "" {
			unseen = append(unseen, f.Unseen)
		}
	}
	if err := a.countUnseen(ctx, actor.Staff, unseen); err != nil {
		return nil, err
	}
	return &Review{Draft: d, Lines: lines, Trial: trial, live: live}, nil
}

// ReviewDraft holds a draft against what is live: line by line what it writes, where somebody else was meanwhile, what
// cannot be made, and who gains and loses by the rest.
func (a *App) ReviewDraft(ctx context.Context, actor people.StaffID, reference string) (*Review, error) {
	d, err := a.DraftFor(ctx, actor, reference)
	if err != nil {
		return nil, err
	}
	return a.review(ctx, d, a.Live())
}

// As returns what is live with a draft applied to it, for showing a template or a grid as it would be; with no draft
// what is live.
func (a *App) As(ctx context.Context, actor people.StaffID, reference string) (*Live, error) {
	live := a.Live()
	if reference == "" {
		return live, nil
	}
	d, err := a.DraftFor(ctx, actor, reference)
	if reference == DraftOpen && fault.Is(err, fault.NotFound) {
		return live, nil
	}
	if err != nil {
		return nil, err
	}
	if editable(d) != nil && d.State != DraftPlanned {
		return live, nil
	}
	if _, trial := draft.Review(d.Lines, live.Snapshot, change.Actor{Staff: people.StaffID(d.OwnerID)}, a.preview(),
		d.Reason); trial != nil {
		return &Live{Snapshot: trial.After, texts: live.texts}, nil
	}
	return live, nil
}

// Drop takes lines out of a draft.
func (a *App) Drop(ctx context.Context, actor people.StaffID, reference string, ids []int) (*Review, error) {
	d, err := a.own(ctx, actor, reference)
	if err != nil {
		return nil, err
	}
	if err := editable(d); err != nil {
		return nil, err
	}
	drop := map[int]bool{}
	for _, id := range ids {
		drop[id] = true
	}
	var kept []draft.Line
	for _, line := range d.Lines {
		if !drop[line.ID] {
			kept = append(kept, line)
		}
	}
	if len(kept) == len(d.Lines) {
		return nil, fault.Missingf("edit", "the draft has no such edit")
	}
	d.Lines = kept
	if err := a.keep(ctx, d, a.now().UTC().Truncate(time.Second)); err != nil {
		return nil, err
	}
	return a.review(ctx, d, a.Live())
}

// Accept takes what somebody else changed meanwhile as known: the lines count on top of it.
func (a *App) Accept(ctx context.Context, actor people.StaffID, reference string) (*Review, error) {
	d, err := a.own(ctx, actor, reference)
	if err != nil {
		return nil, err
	}
	if err := editable(d); err != nil {
		return nil, err
	}
	live := a.Live()
	for i := range d.Lines {
		for _, clash := range draft.Clashes(&d.Lines[i], live.Snapshot) {
			d.Lines[i].Was[clash.Field] = clash.Now
		}
	}
	if err := a.keep(ctx, d, a.now().UTC().Truncate(time.Second)); err != nil {
		return nil, err
	}
	return a.review(ctx, d, live)
}

// Discard throws a draft away; it stays on record as discarded.
func (a *App) Discard(ctx context.Context, actor people.StaffID, reference string) (*Draft, error) {
	d, err := a.own(ctx, actor, reference)
	if err != nil {
		return nil, err
	}
	if d.State != DraftPlanned && d.State != DraftGiven {
		if err := editable(d); err != nil {
			return nil, err
		}
	}
	d.State, d.PlannedFor = DraftDiscarded, nil
	return d, a.keep(ctx, d, a.now().UTC().Truncate(time.Second))
}

// Reopen takes a plan back, accepts a draft that was given, or goes on with one that failed or was discarded.
func (a *App) Reopen(ctx context.Context, actor people.StaffID, reference string) (*Draft, error) {
	d, err := a.own(ctx, actor, reference)
	if err != nil {
		return nil, err
	}
	if d.State == DraftApplied {
		return nil, editable(d)
	}
	if d.State == DraftGiven || d.State == DraftDiscarded {
		if err := a.another(ctx, actor, "you have"); err != nil {
			return nil, err
		}
	}
	d.State, d.PlannedFor, d.Problem = DraftOpen, nil, ""
	return d, a.keep(ctx, d, a.now().UTC().Truncate(time.Second))
}

// Free reports whether a draft may be taken over by somebody: it is planned, could not be applied, or was given to a
// manager who can act no more, and they may see it.
func (a *App) Free(d *Draft, actor people.StaffID) bool {
	live, now := a.Live(), a.now().Unix()
	return d.OwnerID != uint32(actor) && slices.Contains(unsettled, d.State) &&
		!a.MayUse(live, people.StaffID(d.OwnerID)) && live.HoldsEverywhere(actor, permit.ReadAudit, now)
}

// TakeOver makes a draft, whose owner can act no more, another manager's. A plan stays: it is made with the authority
// of whoever took it over.
func (a *App) TakeOver(ctx context.Context, actor people.StaffID, reference, origin string) (*Draft, error) {
	d, err := a.DraftFor(ctx, actor, reference)
	if err != nil {
		return nil, err
	}
	if !a.Free(d, actor) {
		return nil, fault.Refusedf("not-permitted",
			"Only a planned draft of somebody who can no longer make changes can be taken over.")
	}
	was := actorName(a.Live(), change.Actor{Staff: people.StaffID(d.OwnerID)})
	d.OwnerID = uint32(actor)
	if err := a.keep(ctx, d, a.now().UTC().Truncate(time.Second)); err != nil {
		return nil, err
	}
	id := uint32(actor)
	return d, a.record(ctx, store.AuditEntry{At: a.now(), Action: "draft-taken", ActorID: &id,
		Actor: actorName(a.Live(), change.Actor{Staff: actor}), Origin: origin,
		Summary: cut(fmt.Sprintf("Took over draft %d of %s", d.ID, was), 480), Operations: "[]"}, nil)
}

// Give makes a draft of somebody's own another manager's, who accepts and reviews it before it is made with their
// authority: a plan is one no more. Until it is accepted it is none of theirs, and uses up nothing of what they may
// keep.
func (a *App) Give(ctx context.Context, actor people.StaffID, reference, to, origin string) (*Draft, error) {
	d, err := a.own(ctx, actor, reference)
	if err != nil {
		return nil, err
	}
	if d.State != DraftPlanned {
		if err := editable(d); err != nil {
			return nil, err
		}
	}
	p, _, err := a.PersonFor(actor, to)
	live, now := a.Live(), a.now().UTC().Truncate(time.Second)
	switch {
	case err != nil:
		return nil, fault.Within("to.", err)
	case p.ID == actor:
		return nil, fault.Invalidf("to", "this draft is yours already; name somebody else")
	case !a.MayUse(live, p.ID) || live.Stands(p.ID, now.Unix()) != access.Granted:
		return nil, fault.Conflictf("to", "%s cannot make changes; name somebody who can", p.FullName())
	}
	_, waiting, err := a.store.Drafts(ctx, store.DraftFilter{Owner: uint32(p.ID), GivenBy: uint32(actor), Limit: 1,
		States: []string{DraftGiven}})
	if err != nil {
		return nil, err
	}
	if waiting >= mostGiven {
		return nil, fault.Conflictf("to", "%s has not accepted %d drafts of yours yet; wait, or name somebody else",
			p.FullName(), waiting)
	}
	giver := actorName(live, change.Actor{Staff: actor})
	planned := ""
	if d.PlannedFor != nil {
		planned = ", planned for " + d.PlannedFor.In(live.Location(p.ID)).Format("2 Jan 2006 15:04")
	}
	id := uint32(actor)
	d.OwnerID, d.State, d.PlannedFor, d.GivenBy = uint32(p.ID), DraftGiven, nil, &id
	d.Problem = cut(fmt.Sprintf("%s gave it to you%s. Accept it, review it, then plan it or apply it.", giver,
		planned), 900)
	if err := a.keep(ctx, d, now); err != nil {
		return nil, err
	}
	return d, a.record(ctx, store.AuditEntry{At: now, Action: "draft-taken", ActorID: &id, Actor: giver, Origin: origin,
		Summary:    cut(fmt.Sprintf("Gave draft %d%s to %s %s", d.ID, planned, p.Number, p.FullName()), 480),
		Operations: "[]"}, nil)
}

// another says why somebody takes no further draft: there are too many already.
func (a *App) another(ctx context.Context, owner people.StaffID, who string) error {
	_, count, err := a.store.Drafts(ctx, store.DraftFilter{Owner: uint32(owner), Limit: 1,
		States: []string{DraftOpen, DraftPlanned, DraftFailed}})
	if err == nil && count >= mostDrafts {
		err = fault.Conflictf("draft", "%s %d drafts already; apply or discard some first", who, count)
	}
	return err
}

// Plan plans a draft for a moment. It is checked now, and again when the moment comes.
func (a *App) Plan(ctx context.Context, actor people.StaffID, reference, reason, title string, at time.Time) (*Draft,
	error) {
	d, err := a.own(ctx, actor, reference)
	if err != nil {
		return nil, err
	}
	if err := editable(d); err != nil {
		return nil, err
	}
	now := a.now().UTC().Truncate(time.Second)
	switch {
	case !at.After(now):
		return nil, fault.Invalidf("at", "plan it for a moment that lies ahead, or apply it now")
	case at.After(now.AddDate(2, 0, 0)):
		return nil, fault.Invalidf("at", "a draft is planned for at most two years ahead")
	}
	d.Reason = cut(words.Tidy(reason), 500)
	if err := a.applicable(ctx, d, a.Live()); err != nil {
		return nil, err
	}
	moment := at.UTC().Truncate(time.Second)
	d.State, d.PlannedFor, d.Problem = DraftPlanned, &moment, ""
	if title != "" {
		d.Title = cut(words.Tidy(title), 120)
	}
	return d, a.keep(ctx, d, now)
}

// unclashed says where somebody else changed meanwhile what a draft changes.
func (d *Draft) unclashed(live *Live) error {
	for i := range d.Lines {
		if clashes := draft.Clashes(&d.Lines[i], live.Snapshot); len(clashes) > 0 {
			return fault.At(i+1, fault.Stalef(
				"Somebody else changed the same meanwhile: edit %d of this draft, %s. Review it, then apply it.", i+1,
				change.FieldWords(clashes[0].Field)))
		}
	}
	return nil
}

// applicable says why a draft cannot be applied as it is: it is empty, somebody else changed the same, or a rule is in
// the way.
func (a *App) applicable(ctx context.Context, d *Draft, live *Live) error {
	if len(d.Lines) == 0 {
		return fault.Conflictf("draft", "this draft holds no edit")
	}
	if err := d.unclashed(live); err != nil {
		return err
	}
	actor, operations := change.Actor{Staff: people.StaffID(d.OwnerID)}, draft.Operations(d.Lines)
	if err := a.mayAsk(ctx, actor, operations); err != nil {
		return err
	}
	trial, err := change.Apply(live.Snapshot, actor, a.preview(), d.Reason, operations)
	if err != nil {
		return a.told(ctx, actor, err)
	}
	return trial.Judge()
}

// ApplyDraft makes a draft as one change.
func (a *App) ApplyDraft(ctx context.Context, actor people.StaffID, reference, reason, origin string) (*Result, error) {
	d, err := a.own(ctx, actor, reference)
	if err != nil {
		return nil, err
	}
	if err := editable(d); err != nil {
		return nil, err
	}
	if len(d.Lines) == 0 {
		return nil, fault.Conflictf("draft", "this draft holds no edit")
	}
	d.Reason = cut(words.Tidy(reason), 500)
	return a.applyDraft(ctx, d, origin)
}

func (a *App) applyDraft(ctx context.Context, d *Draft, origin string) (*Result, error) {
	now := a.now().UTC().Truncate(time.Second)
	return a.Commit(ctx, Request{Actor: change.Actor{Staff: people.StaffID(d.OwnerID)}, Origin: origin,
		Reason: d.Reason, Operations: draft.Operations(d.Lines),
		Check: d.unclashed,
		Within: func(tx *store.Tx, auditID uint64, _ *change.Trial) error {
			applied := d.Draft
			applied.State, applied.AuditID, applied.UpdatedAt, applied.Problem = DraftApplied, &auditID, now, ""
			return tx.SaveDraft(&applied)
		}})
}

// applyDue applies the planned drafts whose moment has come. Several instances may come to it at once: the draft's
// version lets one of them through. What cannot be applied is kept with the reason, and its owner is told on Today.
func (a *App) applyDue(ctx context.Context) error {
	due, err := a.store.DueDrafts(ctx, a.now())
	if err != nil {
		return err
	}
	for i := range due {
		d, err := withLines(&due[i])
		if err != nil {
			a.log.Error("a planned draft cannot be read", "draft", due[i].ID, "error", err)
			a.counts.plansFailed.Add(1)
			due[i].State, due[i].Problem = DraftFailed, "This draft cannot be read."
			if err := a.store.SaveDraft(ctx, &due[i]); err != nil && !fault.Is(err, fault.Stale) {
				return err
			}
			continue
		}
		_, err = a.applyDraft(ctx, d, "planned")
		var f *fault.Fault
		switch {
		case err == nil:
			a.log.Info("a planned draft was applied", "draft", d.ID)
			continue
		case !errors.As(err, &f): // it is tried again; others do not wait for it
			a.log.Error("applying a planned draft failed", "draft", d.ID, "error", err)
			continue
		}
		a.counts.plansFailed.Add(1)
		d.State, d.Problem = DraftFailed, cut(f.Message, 900)
		if err := a.keep(ctx, d, a.now().UTC().Truncate(time.Second)); err != nil && !fault.Is(err, fault.Stale) {
			return err
		}
		a.log.Warn("a planned draft could not be applied", "draft", d.ID, "problem", d.Problem)
	}
	return nil
}
