package httpapi

import (
	"context"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/permit"
)

func (s *Server) registerAssignments() {
	type listIn struct {
		Paging
		Staff    string `query:"staff" maxLength:"64"`
		Place    string `query:"place" maxLength:"64" doc:"At this place or below it"`
		Template string `query:"template" maxLength:"64"`
		Schedule string `query:"schedule" maxLength:"64" doc:"That have its hours, whether they, the person or the template state them"`
		When     string `query:"when" enum:"now,later,past,ended" doc:"Left out: all but those taken back"`
	}
	route(s, "GET", "/assignments", "list-assignments", "assignments", "Assignments of those you may see",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *listIn) (*listed[api.Assignment], error) {
			v := s.view(ctx)
			keep, err := s.assignmentFilter(ctx, v, in.Staff, in.Place, in.Template, in.When)
			if err != nil {
				return nil, err
			}
			if in.Schedule != "" {
				c, err := schedules.find(v, "query.schedule", in.Schedule)
				if err != nil {
					return nil, err
				}
				others := keep
				keep = func(a *org.Assignment) bool {
					_, _, of := v.live.HoursOf(a)
					return of == c && others(a)
				}
			}
			all := []*org.Assignment{}
			if in.Staff != "" {
				p, _, err := s.app.PersonFor(callerOf(ctx).id(), in.Staff)
				if err != nil {
					return nil, err
				}
				for _, id := range v.live.State().AssignmentsOf(p.ID) {
					if a := v.live.State().Assignment(id); keep(a) {
						all = append(all, a)
					}
				}
			} else {
				for _, a := range v.live.State().Assignments.All() {
					if keep(a) {
						all = append(all, a)
					}
				}
			}
			cut, err := pageOf(all, &in.Paging)
			if err != nil {
				return nil, err
			}
			items := make([]api.Assignment, len(cut.Body.Items))
			for i, a := range cut.Body.Items {
				items[i] = v.assignment(a)
			}
			return page(items, cut.Body.Total, cut.Body.Next), nil
		})
	type one struct {
		ETag string `header:"ETag"`
		Body api.Assignment
	}
	route(s, "GET", "/assignments/{id}", "get-assignment", "assignments", "One assignment",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *OneNumber) (*one, error) {
			v := s.view(ctx)
			a := v.live.State().Assignment(org.AssignmentID(in.ID))
			if a != nil && v.sees.whatIsAt(a.Staff, a.Place) {
				return &one{ETag: etag(a.Revision), Body: v.assignment(a)}, nil
			}
			return nil, fault.Missingf("path.id", "there is no assignment %d that you may see", in.ID)
		})
	s.registerAssignmentActs()
}

// registerAssignmentActs registers what is done about assignments.
func (s *Server) registerAssignmentActs() {
	type addIn struct {
		Writing
		Body api.AssignmentWrite
	}
	route(s, "POST", "/assignments", "assign", "assignments", "Assign somebody to a place with a template",
		Access{Operation: "assignment.add"}, func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "assignment.add", Set: set(in.Body.AssignmentFields)})
		})
	type moveIn struct {
		OneNumber
		Writing
		Body api.MoveWrite
	}
	route(s, "POST", "/assignments/{id}/move", "move-assignment", "assignments",
		"Let an assignment end and the next begin, at another place or with another template",
		Access{Operation: "assignment.move"}, func(ctx context.Context, in *moveIn) (*changed, error) {
			fields := in.Body
			fields.Reasoned = api.Reasoned{}
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "assignment.move", On: in.text(), Set: set(fields)})
		})
	type editIn struct {
		OneNumber
		Writing
		Body api.AssignmentWrite
	}
	route(s, "PATCH", "/assignments/{id}", "edit-assignment", "assignments",
		"Change the dates or hours of an assignment", Access{Operation: "assignment.edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "assignment.edit", On: in.text(), Set: set(in.Body.AssignmentFields)})
		})
	route(s, "DELETE", "/assignments/{id}", "end-assignment", "assignments",
		"Take an assignment back at once; it stays on record", Access{Operation: "assignment.end"},
		func(ctx context.Context, in *ending) (*changed, error) {
			return s.write(ctx, in.Writing, in.Reason, change.Operation{Op: "assignment.end", On: in.text()})
		})
}

func (s *Server) assignmentFilter(ctx context.Context, v view, staff, place, template,
	when string) (func(*org.Assignment) bool, error) {
	actor := callerOf(ctx).id()
	if staff != "" {
		if _, _, err := s.app.PersonFor(actor, staff); err != nil {
			return nil, err
		}
	}
	at := v.live.State().PlaceByCode(place)
	if place != "" && at == nil {
		return nil, fault.Missingf("query.place", "no place has the code %q", place)
	}
	of := v.live.State().TemplateByCode(template)
	if template != "" && of == nil {
		return nil, fault.Missingf("query.template", "no template has the code %q", template)
	}
	return func(a *org.Assignment) bool {
		now := v.when(a)
		return (at == nil || v.live.Tree().Within(a.Place, at.ID)) && (of == nil || a.Template == of.ID) &&
			(when == now || when == "" && now != "ended") && v.sees.whatIsAt(a.Staff, a.Place)
	}, nil
}
