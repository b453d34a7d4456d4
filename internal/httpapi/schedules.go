package httpapi

import (
	"cmp"
	"context"
	"slices"
	"strconv"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/wording"
	"loyallatch.example/latch/internal/core/words"
)

// OneSchedule names a schedule, in a path.
type OneSchedule struct {
	ID string `path:"id" maxLength:"64" doc:"Its code, or the number of its record"`
}

func (s *Server) registerSchedules() {
	type listIn struct {
		Paging
		Q       string `query:"q" maxLength:"100" doc:"Any words of the name, the code or the summary"`
		Retired string `query:"retired" enum:"true,false,all" default:"false"`
	}
	route(s, "GET", "/schedules", "list-schedules", "schedules",
		"Access hours with a name, and what has them", Access{},
		func(ctx context.Context, in *listIn) (*listed[api.Schedule], error) {
			v := s.view(ctx)
			shown := v.schedules()
			all := []api.Schedule{}
			for _, c := range v.live.State().Schedules.All() {
				if (in.Retired == "all" || c.Retired == (in.Retired == "true")) &&
					(in.Q == "" || words.Fits(c.Name+" "+c.Code+" "+c.Summary, in.Q)) {
					all = append(all, shown[c.ID])
				}
			}
			slices.SortFunc(all, func(a, b api.Schedule) int { return cmp.Compare(a.Name, b.Name) })
			return pageOf(all, &in.Paging)
		})
	type one struct {
		ETag string `header:"ETag"`
		Body api.Schedule
	}
	route(s, "GET", "/schedules/{id}", "get-schedule", "schedules", "One schedule", Access{},
		func(ctx context.Context, in *OneSchedule) (*one, error) {
			v := s.view(ctx)
			c, err := v.scheduleFor("path.id", in.ID)
			if err != nil {
				return nil, err
			}
			shown := v.schedules()[c.ID]
			if p := v.live.State().Person(callerOf(ctx).id()); p != nil {
				if err := change.ScheduleEditable(v.live.Snapshot, p.ID, c.ID); err != nil {
					shown.Fixed = err.Error()
				}
			}
			return &one{ETag: etag(c.Revision), Body: shown}, nil
		})
	type timelineIn struct {
		OneSchedule
		Days
		Place string `query:"place" maxLength:"64" required:"true" doc:"Where: hours follow the opening hours and the time zone of a place"`
	}
	route(s, "GET", "/schedules/{id}/timeline", "schedule-timeline", "hours",
		"When a schedule lets people in at a place, day by day", Access{},
		func(ctx context.Context, in *timelineIn) (*timelineOut, error) {
			v := s.view(ctx)
			c, err := v.scheduleFor("path.id", in.ID)
			if err != nil {
				return nil, err
			}
			return v.timelineAt(&in.Days, in.Place, c.Name, &c.Hours)
		})
	s.registerScheduleWrites()
}

func (s *Server) registerScheduleWrites() {
	type addIn struct {
		Writing
		Body api.ScheduleWrite
	}
	route(s, "POST", "/schedules", "add-schedule", "schedules", "Add a schedule", Access{Operation: "schedule.add"},
		func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "schedule.add", Set: set(in.Body.ScheduleFields)})
		})
	type editIn struct {
		OneSchedule
		Writing
		Body api.ScheduleWrite
	}
	route(s, "PATCH", "/schedules/{id}", "edit-schedule", "schedules",
		"Change a schedule, and so the hours of all that have it", Access{Operation: "schedule.edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "schedule.edit", On: in.ID, Set: set(in.Body.ScheduleFields)})
		})
	type plainIn struct {
		OneSchedule
		Writing
		Body api.Reasoned `required:"false"`
	}
	for _, verb := range []string{"retire", "restore"} {
		does := map[string]string{
			"retire":  "Retire a schedule: nothing new has its hours; what has them keeps them",
			"restore": "Bring a retired schedule back"}[verb]
		route(s, "POST", "/schedules/{id}/"+verb, verb+"-schedule", "schedules", does,
			Access{Operation: "schedule." + verb}, func(ctx context.Context, in *plainIn) (*changed, error) {
				return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: "schedule." + verb, On: in.ID})
			})
	}
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

// scheduleFor returns the schedule that a reference names.
func (v view) scheduleFor(field, reference string) (*hours.Schedule, error) {
	if c := v.live.State().ScheduleByCode(reference); c != nil {
		return c, nil
	}
	if number, err := strconv.ParseUint(reference, 10, 32); err == nil {
		if c := v.live.State().Schedule(hours.ScheduleID(number)); c != nil {
			return c, nil
		}
	}
	return nil, fault.Missingf(field, "no schedule has the code %q", reference)
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
