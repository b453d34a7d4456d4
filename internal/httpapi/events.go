package httpapi

import (
	"context"
	"strconv"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// registerEvents registers what happened at doors and terminals.
func (s *Server) registerEvents() {
	type eventsIn struct {
		Paging
		Staff   string    `query:"staff"`
		Place   string    `query:"place" doc:"At this place or below it"`
		Outcome string    `query:"outcome" enum:"allow,refuse"`
		Reason  string    `query:"reason" maxLength:"64" doc:"Code, such as wrong_pin or under_duress"`
		From    time.Time `query:"from"`
		Until   time.Time `query:"until"`
	}
	route(s, "GET", "/events", "list-events", "events", "Read what happened at doors and terminals, newest first",
		Access{Permission: permit.ReadEvents}, func(ctx context.Context, in *eventsIn) (*listed[api.Event], error) {
			limit, err := in.limit()
			if err != nil {
				return nil, err
			}
			before, err := in.number()
			if err != nil {
				return nil, err
			}
			f := store.EventFilter{From: in.From, Until: in.Until, Before: before, Limit: limit}
			v := s.view(ctx)
			if in.Staff != "" {
				staff, _, err := s.app.PersonFor(callerOf(ctx).id(), in.Staff)
				if err != nil {
					return nil, err
				}
				f.Staff = uint32(staff.ID)
			}
			var at estate.PlaceID
			if in.Place != "" {
				place := v.live.State().PlaceByCode(in.Place)
				if place == nil {
					return nil, fault.Missingf("query.place", "no place has the code %q", in.Place)
				}
				at = place.ID
			}
			if in.Outcome != "" {
				allowed := in.Outcome == "allow"
				f.Allowed = &allowed
			}
			if in.Reason != "" {
				reason, known := access.ReasonNamed(in.Reason)
				if !known {
					return nil, fault.Invalidf("query.reason", "there is no reason %q; see the guide", in.Reason)
				}
				number := reason.Number()
				f.Reason = &number
			}
			events, total, err := s.app.Events(ctx, callerOf(ctx).id(), at, f)
			if err != nil {
				return nil, err
			}
			items := make([]api.Event, len(events))
			for i := range events {
				items[i] = v.event(&events[i])
			}
			next := ""
			if len(items) == limit {
				next = items[len(items)-1].ID
			}
			return pageOfLog(items, total, next), nil
		})
}

// passing names whoever stood at a place, whosoever it was. Who sees nobody but themselves or their team sees no others
// here either.
func (v view) passing(id people.StaffID) *api.StaffRef {
	if sight := v.sees.sight(); sight.Anywhere && !sight.Everybody && v.sees.view(id) == access.Hidden {
		return nil
	}
	return v.staffRef(id)
}

func (v view) event(e *store.Event) api.Event {
	out := api.Event{ID: strconv.FormatUint(e.ID, 10), At: e.At, Place: v.placeRef(estate.PlaceID(e.PlaceID)),
		Staff:   v.passing(people.StaffID(e.StaffID)),
		Outcome: "refuse", Reason: access.ReasonOf(e.Reason).String()}
	if e.Allowed {
		out.Outcome = "allow"
	}
	if device := v.live.State().Devices.Get(e.DeviceID); device != nil {
		out.Device = device.Name
	}
	if permission := v.live.Catalogue().Permission(permit.PermissionID(e.PermissionID)); permission != nil {
		out.Permission = permission.Key
	}
	return out
}
