package httpapi

import (
	"context"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/wording"
)

var schedules = &coded[hours.Schedule, api.Schedule, api.ScheduleWrite]{kind: "schedule",
	text: func(c *hours.Schedule) string { return c.Summary },
	name: func(c *api.Schedule) string { return c.Name },
	shows: func(v view) func(*hours.Schedule) api.Schedule {
		shown := v.schedules()
		return func(c *hours.Schedule) api.Schedule { return shown[c.ID] }
	},
	completes: func(v view, c *hours.Schedule, shown *api.Schedule) {
		if p := v.live.State().Person(v.sees.actor); p != nil {
			if err := change.ScheduleEditable(v.live.Snapshot, p.ID, c.ID); err != nil {
				shown.Fixed = err.Error()
			}
		}
	},
	writes: func(w *api.ScheduleWrite) (any, string) { return w.ScheduleFields, w.Reason }}

func init() {
	says := &schedules.summary
	says.list, says.get = "Access hours with a name, and what has them", "One schedule"
	says.add, says.edit = "Add a schedule", "Change a schedule, and so the hours of all that have it"
	says.retire = "Retire a schedule: nothing new has its hours; what has them keeps them"
	says.restore = "Bring a retired schedule back"
}

func (s *Server) registerStaffHours() {
	type timelineIn struct {
		OneCoded
		Days
		Place string `query:"place" maxLength:"64" required:"true" doc:"Where: hours follow the opening hours and the time zone of a place"`
	}
	route(s, "GET", "/schedules/{id}/timeline", "schedule-timeline", "hours",
		"When a schedule lets people in at a place, day by day", Access{},
		func(ctx context.Context, in *timelineIn) (*timelineOut, error) {
			v := s.view(ctx)
			c, err := schedules.find(v, "path.id", in.ID)
			if err != nil {
				return nil, err
			}
			return v.timelineAt(&in.Days, in.Place, c.Name, &c.Hours)
		})
	type staffIn struct {
		OneStaff
		Writing
		Body api.StaffHoursWrite
	}
	route(s, "PUT", "/staff/{id}/hours", "set-staff-hours", "staff",
		"Give somebody access hours of their own: those of all their assignments that state none",
		Access{Operation: "staff.hours"}, func(ctx context.Context, in *staffIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: "staff.hours", On: in.ID,
				Set: set(map[string]any{"hours": in.Body.Hours})})
		})
}

// schedules shows all schedules, by their numbers, in one pass over all that uses them.
func (v view) schedules() map[hours.ScheduleID]api.Schedule {
	state, all := v.live.State(), map[hours.ScheduleID]*api.Schedule{}
	for _, c := range state.Schedules.All() {
		all[c.ID] = &api.Schedule{ID: uint32(c.ID), Code: c.Code, Name: c.Name, Summary: c.Summary,
			Hours: *v.accessHours(&c.Hours), HoursWords: c.Hours.Stated(), Templates: []api.TemplateRef{},
			Retired: c.Retired, ETag: etag(c.Revision)}
	}
	for _, t := range state.Templates.All() {
		if c := all[t.Hours.Schedule]; c != nil && !t.Retired {
			c.Templates = append(c.Templates, api.TemplateRef{Code: t.Code, Name: t.Name})
		}
	}
	for _, p := range state.Staff.All() {
		if c := all[p.Hours.Schedule]; c != nil && v.sees.whole(p.ID) {
			c.People++
		}
	}
	concerned := map[people.StaffID]map[hours.ScheduleID]bool{}
	for _, a := range state.Assignments.All() {
		if a.Ended || !v.sees.whatIsAt(a.Staff, a.Place) {
			continue
		}
		if c := all[a.Hours.Schedule]; c != nil {
			c.Assignments++
		}
		_, _, schedule := v.live.HoursOf(a)
		if schedule == nil || concerned[a.Staff][schedule.ID] {
			continue
		}
		if concerned[a.Staff] == nil {
			concerned[a.Staff] = map[hours.ScheduleID]bool{}
		}
		concerned[a.Staff][schedule.ID] = true
		all[schedule.ID].Concerned++
	}
	shown := make(map[hours.ScheduleID]api.Schedule, len(all))
	for id, c := range all {
		shown[id] = *c
	}
	return shown
}

// timelineAt draws access hours at a place.
func (v view) timelineAt(days *Days, at, title string, access *hours.Access) (*timelineOut, error) {
	place, err := v.placeFor("query.place", at)
	if err != nil || place == nil {
		return nil, cmpErr(err, fault.Invalidf("query.place", "say at which place"))
	}
	out, from, until, err := v.timeline(days, v.live.Tree().At(place.ID), title+" at "+place.Name)
	if err != nil {
		return nil, err
	}
	if access.Kind == hours.Weekly || access.Kind == hours.Always { // the dates of the place have no say
		for i := range out.Days {
			out.Days[i].Note = ""
		}
	}
	v.fill(out, v.live.TimelineOf(access, place.ID, from, until), wording.English.PlaceEdge)
	return &timelineOut{*out}, nil
}
