package httpapi

import (
	"context"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/wording"
)

// registerReadiness registers who cannot work as intended, and why.
func (s *Server) registerReadiness() {
	type in struct {
		Paging
		Site     string `query:"site" maxLength:"64" doc:"Code of the home site"`
		Code     string `query:"code" maxLength:"40" doc:"With this obstacle"`
		Prepared bool   `query:"prepared" doc:"Also those who start later than within a week"`
	}
	query := func(ctx context.Context, v view, in *in) (*app.Readiness, error) {
		q := app.ReadinessQuery{Code: in.Code, Prepared: in.Prepared}
		if in.Site != "" {
			site := v.live.State().PlaceByCode(in.Site)
			if site == nil {
				return nil, fault.Missingf("query.site", "no place has the code %q", in.Site)
			}
			q.Site = site.ID
		}
		return s.app.ReadinessOf(callerOf(ctx).id(), q)
	}
	route(s, "GET", "/readiness", "list-readiness", "today",
		"Who cannot work as intended: what keeps each, and the act that mends it", Access{Permission: permit.ViewStaff},
		func(ctx context.Context, in *in) (*listed[api.Person], error) {
			v := s.view(ctx)
			r, err := query(ctx, v, in)
			if err != nil {
				return nil, err
			}
			cut, err := pageOf(r.Stuck, &in.Paging)
			if err != nil {
				return nil, err
			}
			items := make([]api.Person, len(cut.Body.Items))
			for i, stuck := range cut.Body.Items {
				items[i] = v.person(stuck.Staff)
				items[i].Obstacles = v.obstacles(wording.English.Obstacles(v.live.Snapshot, stuck.Staff.ID,
					stuck.Obstacles))
			}
			return page(items, cut.Body.Total, cut.Body.Next), nil
		})
	type countsIn struct {
		Site     string `query:"site" maxLength:"64" doc:"Code of the home site"`
		Prepared bool   `query:"prepared" doc:"Also those who start later than within a week"`
	}
	type out struct{ Body api.Readiness }
	route(s, "GET", "/readiness/counts", "count-readiness", "today",
		"How many cannot work as intended, by home site and by what keeps them", Access{Permission: permit.ViewStaff},
		func(ctx context.Context, counted *countsIn) (*out, error) {
			v := s.view(ctx)
			r, err := query(ctx, v, &in{Site: counted.Site, Prepared: counted.Prepared})
			if err != nil {
				return nil, err
			}
			body := api.Readiness{Stuck: len(r.Stuck), Workers: r.Workers, Codes: r.Codes, Sites: map[string]int{}}
			for site, n := range r.Sites {
				body.Sites[v.placeRef(site).Code] = n
			}
			return &out{Body: body}, nil
		})
}
