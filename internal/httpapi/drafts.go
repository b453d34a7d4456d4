package httpapi

import (
	"context"
	"strconv"
	"strings"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/draft"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/words"
)

// OneDraft names a draft, in a path.
type OneDraft struct {
	ID string `path:"id" maxLength:"20" doc:"Number of the draft, or open for your newest open one"`
}

type draftOut struct{ Body api.Draft }

func (s *Server) registerDrafts() {
	type listIn struct {
		Paging
		State []string `query:"state" doc:"open, planned, failed, given, applied, discarded with commas; left out: the first four"`
		All   bool     `query:"all" doc:"The planned ones of every manager, for those who may read the audit log everywhere"`
	}
	route(s, "GET", "/drafts", "list-drafts", "drafts", "Your drafts, newest first", Access{},
		func(ctx context.Context, in *listIn) (*listed[api.Draft], error) {
			limit, err := in.limit()
			if err != nil {
				return nil, err
			}
			before, err := in.number()
			if err != nil {
				return nil, err
			}
			states := in.State
			if len(states) == 0 {
				states = []string{app.DraftOpen, app.DraftPlanned, app.DraftFailed, app.DraftGiven}
			}
			drafts, total, err := s.app.Drafts(ctx, callerOf(ctx).id(), states, in.All, before, limit)
			if err != nil {
				return nil, err
			}
			v := s.view(ctx)
			items := make([]api.Draft, len(drafts))
			for i := range drafts {
				items[i] = s.draft(v, &drafts[i], callerOf(ctx).id())
			}
			next := ""
			if len(items) == limit {
				next = strconv.FormatUint(items[len(items)-1].ID, 10)
			}
			return page(items, int(total), next), nil
		})
	route(s, "GET", "/drafts/{id}", "review-draft", "drafts",
		"A draft line by line: what it writes, where somebody else was meanwhile, what cannot be made, who gains "+
			"and loses", Access{},
		func(ctx context.Context, in *OneDraft) (*draftOut, error) {
			review, err := s.app.ReviewDraft(ctx, callerOf(ctx).id(), in.ID)
			return s.reviewed(ctx, review, nil, err)
		})
	type peopleIn struct {
		OneDraft
		Paging
		Line string `query:"line" maxLength:"200" required:"true" doc:"Key of a line of the effect"`
	}
	route(s, "GET", "/drafts/{id}/people", "list-draft-people", "drafts",
		"The people in one line of the effect of a draft", Access{},
		func(ctx context.Context, in *peopleIn) (*listed[api.StaffRef], error) {
			review, err := s.app.ReviewDraft(ctx, callerOf(ctx).id(), in.ID)
			if err != nil {
				return nil, err
			}
			if review.Trial == nil {
				return nil, fault.Missingf("query.line", "this draft has no effect")
			}
			return effectPeople(review.Before().Snapshot, review.Trial.After, &review.Trial.Effect, in.Line,
				s.seesOf(ctx),
				&in.Paging)
		})
}

// registerDraftEdits registers what goes into drafts and comes out of them.
func (s *Server) registerDraftEdits() {
	type editsIn struct {
		OneDraft
		Body api.DraftEdits
	}
	route(s, "POST", "/drafts/{id}/edits", "add-draft-edits", "drafts",
		"Put edits into a draft; open begins one where you have none", Access{Large: true},
		func(ctx context.Context, in *editsIn) (*draftOut, error) {
			review, err := s.app.Collect(ctx, callerOf(ctx).id(), in.ID, in.Body.Title, operations(in.Body.Operations))
			return s.reviewed(ctx, review, nil, fault.Within("body.", err))
		})
	type bookIn struct {
		OneDraft
		Reason  string `query:"reason" maxLength:"500"`
		RawBody []byte `contentType:"application/yaml"`
	}
	route(s, "POST", "/drafts/{id}/rulebook", "add-draft-rulebook", "drafts",
		"Put into a draft what makes the catalogue and the templates as a rulebook says", Access{File: true},
		func(ctx context.Context, in *bookIn) (*draftOut, error) {
			review, err := s.app.CollectRulebook(ctx, callerOf(ctx).id(), in.ID, in.Reason, in.RawBody)
			return s.reviewed(ctx, review, nil, err)
		})
	type gridIn struct {
		OneDraft
		Body api.GridSet
	}
	route(s, "POST", "/drafts/{id}/grid", "set-grid", "drafts",
		"Set whole rows or columns of a grid, in a draft; what the rules refuse is left out and said", Access{},
		func(ctx context.Context, in *gridIn) (*draftOut, error) {
			b := &in.Body
			v := s.view(ctx)
			q, err := v.gridQuery("body.", b.Place, b.Permission, b.ContainedIn, "", b.Columns)
			if err != nil {
				return nil, err
			}
			if q.Staff, err = v.gridStaff("body.", b.Q, b.Template, b.Title, b.Engagement, b.Employer, ""); err != nil {
				return nil, err
			}
			review, skipped, err := s.app.SetGrid(ctx, callerOf(ctx).id(), in.ID, q, b.Staff, b.Level)
			return s.reviewed(ctx, review, skipped, err)
		})
	type dropIn struct {
		OneDraft
		Body api.DraftDrop
	}
	route(s, "POST", "/drafts/{id}/drop", "drop-draft-edits", "drafts", "Take edits out of a draft", Access{},
		func(ctx context.Context, in *dropIn) (*draftOut, error) {
			review, err := s.app.Drop(ctx, callerOf(ctx).id(), in.ID, in.Body.Edits)
			return s.reviewed(ctx, review, nil, err)
		})
	route(s, "POST", "/drafts/{id}/accept", "accept-draft", "drafts",
		"Take what somebody else changed meanwhile as known; your edits count on top of it", Access{},
		func(ctx context.Context, in *OneDraft) (*draftOut, error) {
			review, err := s.app.Accept(ctx, callerOf(ctx).id(), in.ID)
			return s.reviewed(ctx, review, nil, err)
		})
}

// registerDraftEnds registers what becomes of drafts.
func (s *Server) registerDraftEnds() {
	type planIn struct {
		OneDraft
		Body api.DraftPlan
	}
	route(s, "POST", "/drafts/{id}/plan", "plan-draft", "drafts",
		"Plan a draft for a moment; it is checked now and again when the moment comes", Access{},
		func(ctx context.Context, in *planIn) (*draftOut, error) {
			d, err := s.app.Plan(ctx, callerOf(ctx).id(), in.ID, in.Body.Reason, in.Body.Title, in.Body.At)
			return s.drawn(ctx, d, fault.Within("body.", err))
		})
	type applyIn struct {
		OneDraft
		Key  string       `header:"Idempotency-Key" doc:"The same key with the same request is carried out once"`
		Body api.Reasoned `required:"false"`
	}
	route(s, "POST", "/drafts/{id}/apply", "apply-draft", "drafts", "Make a draft as one change, whole or not at all",
		Access{}, func(ctx context.Context, in *applyIn) (*changed, error) {
			before := s.app.Live().Snapshot
			result, err := s.app.ApplyDraft(ctx, callerOf(ctx).id(), in.ID, in.Body.Reason, callerOf(ctx).origin())
			if err != nil {
				return nil, err
			}
			return s.changed(ctx, result, before, false), nil
		})
	route(s, "POST", "/drafts/{id}/discard", "discard-draft", "drafts",
		"Throw a draft away; it stays on record and can be taken up again", Access{},
		func(ctx context.Context, in *OneDraft) (*draftOut, error) {
			d, err := s.app.Discard(ctx, callerOf(ctx).id(), in.ID)
			return s.drawn(ctx, d, err)
		})
	route(s, "POST", "/drafts/{id}/take", "take-draft", "drafts",
		"Take over a planned draft whose owner can no longer make changes; it is then made with your authority",
		Access{},
		func(ctx context.Context, in *OneDraft) (*draftOut, error) {
			d, err := s.app.TakeOver(ctx, callerOf(ctx).id(), in.ID, callerOf(ctx).origin())
			return s.drawn(ctx, d, err)
		})
	type giveIn struct {
		OneDraft
		Body api.DraftGive
	}
	route(s, "POST", "/drafts/{id}/give", "give-draft", "drafts",
		"Give a draft of yours to another manager, who reviews it before it is made", Access{},
		func(ctx context.Context, in *giveIn) (*draftOut, error) {
			d, err := s.app.Give(ctx, callerOf(ctx).id(), in.ID, in.Body.To, callerOf(ctx).origin())
			return s.drawn(ctx, d, renamed(err, func(name string) string {
				if field, _, _ := strings.Cut(name, "."); field == "to" {
					return "body.to"
				}
				return name
			}))
		})
	route(s, "POST", "/drafts/{id}/reopen", "reopen-draft", "drafts",
		"Take back a plan, accept a draft that was given to you, or go on with one that failed or was discarded",
		Access{},
		func(ctx context.Context, in *OneDraft) (*draftOut, error) {
			d, err := s.app.Reopen(ctx, callerOf(ctx).id(), in.ID)
			return s.drawn(ctx, d, err)
		})
}

func operations(wire []api.Operation) []change.Operation {
	operations := make([]change.Operation, len(wire))
	for i, op := range wire {
		operations[i] = change.Operation{Op: op.Op, Ref: op.Ref, On: op.On, Revision: op.IfRevision, Set: op.Set,
			Reason: op.Reason}
	}
	return operations
}

func (s *Server) draft(v view, d *app.Draft, actor people.StaffID) api.Draft {
	out := api.Draft{ID: d.ID, State: d.State, Title: d.Title, Reason: d.Reason, Own: d.OwnerID == uint32(actor),
		Free:  s.app.Free(d, actor),
		Count: len(d.Lines), PlannedFor: d.PlannedFor,
		Problem: d.Problem, UpdatedAt: d.UpdatedAt}
	if owner := v.staffRef(people.StaffID(d.OwnerID)); owner != nil {
		out.Owner = *owner
	}
	if d.AuditID != nil {
		out.AppliedAs = *d.AuditID
	}
	return out
}

func (s *Server) drawn(ctx context.Context, d *app.Draft, err error) (*draftOut, error) {
	if err != nil {
		return nil, err
	}
	return &draftOut{s.draft(s.view(ctx), d, callerOf(ctx).id())}, nil
}

// editsShown is how many edits of a draft a review shows.
const editsShown = 500

func (s *Server) reviewed(ctx context.Context, r *app.Review, skipped []app.Skipped, err error) (*draftOut, error) {
	if err != nil {
		return nil, err
	}
	v := view{r.Before(), s.app.Now(), s.seesOf(ctx)}
	out := s.draft(v, r.Draft, callerOf(ctx).id())
	for i := range skipped {
		column := skipped[i].Column.Permission.Title
		column += ", " + skipped[i].Column.Place.Name
		out.Skipped = append(out.Skipped,
			api.Skipped{Staff: v.named(skipped[i].Staff.ID), Column: column, Why: sentence(skipped[i].Why.Error())})
	}
	after := v
	if r.Trial != nil {
		after.live = &app.Live{Snapshot: r.Trial.After}
		out.Effect = effectView(r.Before().Snapshot, r.Trial, v.sees)
	}
	out.Clashing, out.Problems = r.Clashing()
	out.Edits = []api.DraftEdit{}
	for i := range r.Lines[:min(len(r.Lines), editsShown)] {
		out.Edits = append(out.Edits, after.edit(&r.Lines[i]))
	}
	return &draftOut{out}, nil
}

func (v view) edit(line *draft.Reviewed) api.DraftEdit {
	edit := api.DraftEdit{ID: line.ID, Reason: words.Tidy(line.Operation.Reason), Changes: []api.StepChange{},
		Clashes: []api.DraftClash{}}
	for i := range line.Entries {
		step := v.step(&line.Entries[i], app.Intend)
		if edit.Words == "" {
			edit.Words = step.Words
		}
		edit.Changes = append(edit.Changes, step.Changes...)
	}
	if edit.Words == "" {
		edit.Words = app.Intend(line.Operation.Op, line.Subject())
	}
	for _, clash := range line.Clashes {
		if !(&change.Entry{Record: line.Record}).Shows(v.live.State(), v.sees.sight, clash.Field) {
			clash.Was, clash.Now = nil, change.NotShown
		}
		edit.Clashes = append(edit.Clashes,
			api.DraftClash{Field: v.fieldWords(clash.Field), Was: v.valueWords(clash.Field, clash.Was),
				Now: v.valueWords(clash.Field, clash.Now)})
	}
	if line.Problem != nil {
		edit.Problem = sentence(line.Problem.Error())
	}
	return edit
}
