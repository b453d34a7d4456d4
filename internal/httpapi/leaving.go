package httpapi

import (
	"context"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/permit"
)

// registerLeaving registers who leaves, and what is to be done.
func (s *Server) registerLeaving() {
	sees := Access{Permission: permit.ViewStaff}
	type listIn struct {
		Paging
		Site string `query:"site" maxLength:"64" doc:"Code of the home site"`
		Open bool   `query:"open" doc:"Only those of whom something is to be done"`
	}
	route(s, "GET", "/leavers", "list-leavers", "leavers",
		"Who leaves or has left lately, by when they go, with what is to be done", sees,
		func(ctx context.Context, in *listIn) (*listed[api.Leaving], error) {
			v := s.view(ctx)
			q := app.LeavingQuery{Open: in.Open}
			if in.Site != "" {
				site := v.live.State().PlaceByCode(in.Site)
				if site == nil {
					return nil, fault.Missingf("query.site", "no place has the code %q", in.Site)
				}
				q.Site = site.ID
			}
			found, err := s.app.Leavings(ctx, callerOf(ctx).id(), q)
			if err != nil {
				return nil, err
			}
			items := make([]api.Leaving, len(found))
			for i := range found {
				items[i] = v.leaving(&found[i])
			}
			return pageOf(items, &in.Paging)
		})
	type one struct{ Body api.Leaving }
	route(s, "GET", "/leavers/{id}", "get-leaver", "leavers", "One who leaves, with what is to be done", sees,
		func(ctx context.Context, in *OneStaff) (*one, error) {
			l, err := s.app.LeavingOf(ctx, callerOf(ctx).id(), in.ID)
			if err != nil {
				return nil, fault.Within("path.", err)
			}
			return &one{s.view(ctx).leaving(l)}, nil
		})
	type tickIn struct {
		OneStaff
		Item string `path:"item" maxLength:"40" doc:"Key of the task"`
	}
	ticks := Access{Permission: permit.RecordLeavers, Scope: app.ScopeDaily}
	for _, act := range []struct {
		method, id, summary string
		done                bool
	}{{"PUT", "tick-leaver", "Tick off what is done by hand", true},
		{"DELETE", "untick-leaver", "Take a tick back", false}} {
		route(s, act.method, "/leavers/{id}/tasks/{item}", act.id, "leavers", act.summary, ticks,
			func(ctx context.Context, in *tickIn) (*one, error) {
				c := callerOf(ctx)
				if err := s.app.TickLeaving(ctx, c.id(), in.ID, in.Item, act.done, c.origin()); err != nil {
					return nil, fault.Within("path.", err)
				}
				l, err := s.app.LeavingOf(ctx, c.id(), in.ID)
				if err != nil {
					return nil, err
				}
				return &one{s.view(ctx).leaving(l)}, nil
			})
	}
	type handIn struct {
		OneStaff
		Writing
		Body api.HandOverWrite
	}
	route(s, "POST", "/staff/{id}/handover", "hand-over-staff", "staff",
		"Give a successor what somebody leaves behind: assignments, exceptions, and those whose line manager they are",
		Access{Operation: "staff.hand_over"}, func(ctx context.Context, in *handIn) (*changed, error) {
			fields := in.Body
			fields.Reasoned = api.Reasoned{}
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "staff.hand_over", On: in.ID, Set: set(fields)})
		})
}

func (v view) leaving(l *app.Leaving) api.Leaving {
	p := l.Staff
	out := api.Leaving{StaffNumber: p.Number, Name: p.FullName(), JobTitle: p.JobTitle, HomeSite: v.placeRef(
		p.HomeSite),
		Status: string(v.live.Status(p.ID, v.at.Unix())), Gone: l.Gone, Who: v.staffRef(l.Who), Open: l.Open(),
		Tasks: make([]api.LeavingTask, len(l.Tasks))}
	for i, task := range l.Tasks {
		out.Tasks[i] = api.LeavingTask{Key: task.Key, What: task.What, Hand: task.Hand, Done: task.Done}
		if task.Done && task.Hand {
			out.Tasks[i].By, out.Tasks[i].At = v.staffRef(task.By), &task.At
		}
	}
	return out
}
