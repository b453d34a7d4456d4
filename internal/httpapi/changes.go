package httpapi

import (
	"context"
	"encoding/json"
	"strconv"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/store"
)

// OneChange names a change, in a path.
type OneChange struct {
	ID uint64 `path:"id"`
}

func (s *Server) registerChanges() {
	type in struct {
		Writing
		Body api.ChangeRequest
	}
	making := func(preview bool) func(ctx context.Context, in *in) (*changed, error) {
		return func(ctx context.Context, in *in) (*changed, error) {
			preview := preview || in.Preview
			for i := range in.Body.Operations {
				if op := in.Body.Operations[i].Op; !preview &&
					callerOf(ctx).signed.Session.Scope != app.ScopeEverything && !change.Describe(op).Daily {
					return nil, fault.Refusedf("token-scope",
						"This token is for the daily job, to which %s does not belong. Sign in again with the scope "+
							"“everything”.", cutName(op))
				}
			}
			return s.commit(ctx, preview, in.Body.Reason, operations(in.Body.Operations))
		}
	}
	route(s, "POST", "/changes", "make-change", "changes", "Make several operations together, whole or not at all",
		Access{Large: true, Scope: app.ScopeDaily}, making(false))
	route(s, "POST", "/changes/preview", "preview-change", "changes",
		"Say who gains and who loses by a change; nothing is written", Access{Large: true, Scope: app.ScopeRead},
		making(true))
	type peopleIn struct {
		Paging
		Body api.EffectPeople
	}
	route(s, "POST", "/changes/preview/people", "list-effect-people", "changes",
		"The people in one line of the effect of a change that is not made", Access{Large: true, Scope: app.ScopeRead},
		func(ctx context.Context, in *peopleIn) (*listed[api.StaffRef], error) {
			request := s.request(ctx, in.Body.Reason)
			request.Operations = operations(in.Body.Operations)
			before := s.app.Live().Snapshot
			result, err := s.app.Preview(ctx, request)
			if err != nil {
				return nil, fault.Within("body.", err)
			}
			return effectPeople(before, result.Trial.After, &result.Trial.Effect, in.Body.Line, s.seesOf(ctx),
				&in.Paging)
		})
}

// registerChangeList registers the changes that were made.
func (s *Server) registerChangeList() {
	type listIn struct {
		Paging
		Q     string    `query:"q" maxLength:"100" doc:"Words of the summary, the actor or the reason"`
		From  time.Time `query:"from"`
		Until time.Time `query:"until"`
	}
	route(s, "GET", "/changes", "list-changes", "changes",
		"Changes, newest first: your own, and everybody's if you may read the audit log everywhere", Access{},
		func(ctx context.Context, in *listIn) (*listed[api.Change], error) {
			limit, err := in.limit()
			if err != nil {
				return nil, err
			}
			before, err := in.number()
			if err != nil {
				return nil, err
			}
			changes, total, err := s.app.Changes(ctx, callerOf(ctx).id(),
				store.AuditFilter{Search: in.Q, From: in.From, Until: in.Until, Before: before, Limit: limit})
			if err != nil {
				return nil, err
			}
			v := s.view(ctx)
			items := make([]api.Change, len(changes))
			for i := range changes {
				if items[i], err = v.change(&changes[i], 5); err != nil {
					return nil, err
				}
			}
			next := ""
			if len(items) == limit {
				next = strconv.FormatUint(items[len(items)-1].ID, 10)
			}
			return pageOfLog(items, total, next), nil
		})
	type one struct{ Body api.Change }
	route(s, "GET", "/changes/{id}", "get-change", "changes", "One change, step by step in words", Access{},
		func(ctx context.Context, in *OneChange) (*one, error) {
			c, err := s.app.ChangeFor(ctx, callerOf(ctx).id(), in.ID)
			if err != nil {
				return nil, err
			}
			body, err := s.view(ctx).change(c, 500)
			return &one{body}, err
		})
	type undoIn struct {
		OneChange
		Preview bool         `query:"preview" doc:"Answer with the effect and write nothing"`
		Key     string       `header:"Idempotency-Key" doc:"The same key with the same request is carried out once"`
		Body    api.Reasoned `required:"false"`
	}
	route(s, "POST", "/changes/{id}/undo", "undo-change", "changes",
		"Reverse a change by a new one; refused, with the reason, where later changes stand on it", Access{},
		func(ctx context.Context, in *undoIn) (*changed, error) {
			before := s.app.Live().Snapshot
			result, err := s.app.Undo(ctx, callerOf(ctx).id(), in.ID, in.Body.Reason, callerOf(ctx).origin(),
				in.Preview)
			if err != nil {
				return nil, err
			}
			return s.changed(ctx, result, before, in.Preview), nil
		})
}

func (v view) change(c *app.Change, most int) (api.Change, error) {
	out := api.Change{ID: c.ID, At: c.At, Actor: c.Actor, Origin: c.Origin, Reason: c.Reason, Summary: c.Summary,
		UndoneBy: c.UndoneBy}
	if c.Undoes != nil {
		out.Undoes = *c.Undoes
	}
	var entries []change.Entry
	if err := json.Unmarshal([]byte(c.Operations), &entries); err != nil {
		return out, err
	}
	out.Total, out.Steps = len(entries), v.steps(entries, most, done)
	return out, nil
}
