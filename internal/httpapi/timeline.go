package httpapi

import (
	"context"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/wording"
)

// Days chooses what a timeline is of.
type Days struct {
	From string `query:"from" format:"date" doc:"The first day; left out: Monday of this week"`
	Days int    `query:"days" minimum:"1" maximum:"42" default:"7" doc:"How many days"`
}

type timelineOut struct{ Body api.Timeline }

// registerTimelines registers hours as they lie in a week or a month.
func (s *Server) registerTimelines() {
	type placeIn struct {
		OnePlace
		Days
	}
	route(s, "GET", "/places/{id}/timeline", "place-timeline", "hours", "When a place is open, day by day", Access{},
		func(ctx context.Context, in *placeIn) (*timelineOut, error) {
			v := s.view(ctx)
			st, err := v.findPlace(in.ID)
			if err != nil {
				return nil, err
			}
			out, from, until, err := v.timeline(&in.Days, st, st.Place.Name+" is open")
			if err != nil {
				return nil, err
			}
			v.fill(out, v.live.TimelineOf(nil, st.Place.ID, from, until), wording.English.PlaceEdge)
			return &timelineOut{*out}, nil
		})
	type templateIn struct {
		OneTemplate
		Days
		Place string `query:"place" maxLength:"64" required:"true" doc:"Where: hours follow the opening hours and the time zone of a place"`
	}
	route(s, "GET", "/templates/{id}/timeline", "template-timeline", "hours",
		"When a template lets people in at a place, day by day", Access{},
		func(ctx context.Context, in *templateIn) (*timelineOut, error) {
			v := s.view(ctx)
			t, err := v.templateFor("path.id", in.ID)
			if err != nil {
				return nil, err
			}
			return v.timelineAt(&in.Days, in.Place, t.Name, v.live.TemplateHours(t.ID))
		})
	type staffIn struct {
		OneStaff
		Days
		Place      string `query:"place" maxLength:"64" doc:"Where; left out: their home site"`
		Permission string `query:"permission" maxLength:"64" doc:"Key; left out: what most doors there that they may pass ask about"`
	}
	route(s, "GET", "/staff/{id}/timeline", "staff-timeline", "hours",
		"When somebody may do something at a place, day by day, and why not at other times",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *staffIn) (*timelineOut, error) {
			v := s.view(ctx)
			p, err := s.app.PersonWhole(callerOf(ctx).id(), in.ID)
			if err != nil {
				return nil, err
			}
			place, err := v.placeFor("query.place", in.Place)
			if err != nil {
				return nil, err
			}
			if place == nil {
				place = v.live.State().Place(p.HomeSite)
			}
			at, permission, known := v.live.Usual(p.ID, place.ID, v.at.Unix())
			if in.Permission != "" {
				asked := v.live.Catalogue().PermissionByKey(in.Permission)
				if asked == nil {
					return nil, fault.Missingf("query.permission", "the catalogue has no permission %q", in.Permission)
				}
				at, permission, known = place.ID, asked.ID, true
			}
			if !known {
				return nil, fault.Missingf("query.place",
					"%s may pass no door at %s; say another place, or a permission",
					p.FullName(), place.Name)
			}
			st := v.live.Tree().At(at)
			what := v.live.Catalogue().Permission(permission)
			out, from, until, err := v.timeline(&in.Days, st, p.Called()+": "+what.Title+" at "+st.Place.Name)
			if err != nil {
				return nil, err
			}
			q := access.Question{Staff: p.ID, Permission: permission, Place: at, At: from, Proves: true}
			v.fill(out, v.live.Timeline(q, until), wording.English.PersonEdge)
			return &timelineOut{*out}, nil
		})
}

func cmpErr(err, otherwise error) error {
	if err != nil {
		return err
	}
	return otherwise
}

// timeline begins a timeline of the days asked for, in the time zone of a place.
func (v view) timeline(in *Days, st *estate.Standing, title string) (*api.Timeline, int64, int64, error) {
	first, err := day.Parse(in.From)
	if err != nil {
		return nil, 0, 0, fault.Invalidf("query.from", "%s", err)
	}
	if first.IsZero() {
		first = day.Of(v.at.In(st.Location))
		first -= day.Date((int(first.Weekday()) + 6) % 7)
	}
	out := &api.Timeline{Title: title, Place: v.placeRef(st.Place.ID), TimeZone: st.Location.String(),
		From: first.Start(st.Location), Until: (first + day.Date(in.Days)).Start(st.Location),
		Days: []api.TimelineDay{}, Open: []api.TimelineStretch{}}
	for i := range in.Days {
		date := first + day.Date(i)
		out.Days = append(out.Days, api.TimelineDay{Date: date.String(), From: date.Start(st.Location),
			Until: (date + 1).Start(st.Location),
			Note:  st.Opening.DatedAt(st.Location, date.Start(st.Location).Unix()+12*3600)})
	}
	return out, out.From.Unix(), out.Until.Unix(), nil
}

// fill takes the open stretches into a timeline, with the reason for each edge.
func (v view) fill(out *api.Timeline, list []access.Stretch, edge func(before, after *access.Stretch) string) {
	location := out.From.Location()
	for i := range list {
		if !list[i].Open {
			continue
		}
		one := api.TimelineStretch{From: time.Unix(list[i].From, 0).In(location),
			Until: time.Unix(list[i].Until, 0).In(location), Begins: "before this picture", Ends: "after this picture"}
		if i > 0 {
			one.Begins = edge(&list[i-1], &list[i])
		}
		if i+1 < len(list) {
			one.Ends = edge(&list[i], &list[i+1])
		}
		if n := len(out.Open); n > 0 && out.Open[n-1].Until.Equal(one.From) {
			out.Open[n-1].Until, out.Open[n-1].Ends = one.Until, one.Ends
			continue
		}
		out.Open = append(out.Open, one)
	}
}
