package httpapi

import (
	"context"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

func (s *Server) registerBars() {
	type listIn struct {
		Paging
		Staff string `query:"staff" maxLength:"64"`
		Place string `query:"place" maxLength:"64" doc:"At this place or below it"`
		All   bool   `query:"all" doc:"Those that are lifted or have run out too"`
	}
	route(s, "GET", "/bars", "list-bars", "bars", "Who is kept out of which place, of those you may see",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *listIn) (*listed[api.Bar], error) {
			v := s.view(ctx)
			place, err := v.placeFor("query.place", in.Place)
			if err != nil {
				return nil, err
			}
			var of people.StaffID
			if in.Staff != "" {
				p, _, err := s.app.PersonFor(callerOf(ctx).id(), in.Staff)
				if err != nil {
					return nil, err
				}
				of = p.ID
			}
			all := []api.Bar{}
			for _, b := range v.live.State().Bars.All() {
				if (of == 0 || b.Staff == of) && (place == nil || v.live.Tree().Within(b.Place, place.ID)) &&
					(in.All || b.Holds(v.at)) && v.sees.whatIsAt(b.Staff, b.Place) {
					all = append(all, v.bar(b))
				}
			}
			return pageOf(all, &in.Paging)
		})
	type addIn struct {
		OneStaff
		Writing
		Body api.BarWrite
	}
	route(s, "POST", "/staff/{id}/bars", "bar-staff", "bars",
		"Bar somebody from a place and all below it: it holds when this returns", Access{Operation: "bar.add"},
		func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "bar.add",
					Set: set(map[string]string{"staff": in.ID, "place": in.Body.Place, "until": in.Body.Until})})
		})
	route(s, "DELETE", "/bars/{id}", "lift-bar", "bars", "Lift a bar; it stays on record", Access{Operation: "bar.end"},
		func(ctx context.Context, in *ending) (*changed, error) {
			return s.write(ctx, in.Writing, in.Reason, change.Operation{Op: "bar.end", On: in.text()})
		})
}

func (v view) bar(b *org.Bar) api.Bar {
	return api.Bar{ID: uint32(b.ID), Staff: v.named(b.Staff), Place: v.placeRef(b.Place), Reason: b.Reason,
		Since: b.Since, Until: moment(b.Until), By: v.staffRef(b.By), Ended: b.Ended, ETag: etag(b.Revision)}
}
