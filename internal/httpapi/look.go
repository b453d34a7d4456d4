package httpapi

import (
	"context"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/wording"
)

func (s *Server) registerLook() {
	type in struct {
		OneStaff
		Paging
		Place string    `query:"place" maxLength:"64" doc:"Code: what they meet there and below; left out: at their home site"`
		At    time.Time `query:"at" doc:"RFC 3339 moment, past, present or future; left out: now"`
	}
	type out struct {
		Link string `header:"Link" doc:"rel=next, RFC 8288"`
		Body api.Look
	}
	route(s, "GET", "/staff/{id}/look", "look-as", "staff",
		"What somebody meets at a place and below it at a moment: which doors open, what terminals offer. Nobody "+
			"signs in as anybody", Access{Permission: permit.CheckAccess},
		func(ctx context.Context, in *in) (*out, error) {
			moment, p, standing, err := s.app.LookAs(ctx, callerOf(ctx).id(), in.ID, in.Place, in.At)
			if err != nil {
				return nil, fault.Within("query.", err)
			}
			v := s.viewAt(ctx, moment)
			at := moment.At.Unix()
			shown := accessOf(moment.Snapshot, p, moment.At, v.sees)
			body := api.Look{Staff: v.named(p.ID), Place: v.placeRef(standing.Place.ID),
				At: moment.At.In(standing.Location), Tense: moment.Tense,
				Status: string(moment.Status(p.ID, at)), Obstacles: shown.Obstacles, Statements: shown.Statements}
			if p.Locked(moment.At) {
				body.Status = "locked"
			}
			sights := []api.PlaceLook{}
			for _, sight := range moment.Look(p.ID, standing.Place.ID, at) {
				if !v.sees.whatIsAt(p.ID, sight.Standing.Place.ID) {
					continue
				}
				shown := v.sight(&sight, standing.Depth)
				if sight.Door != nil {
					door := wording.English.Explain(moment.Snapshot, sight.Door)
					if !v.sees.whole(p.ID) {
						door = brief(door)
					}
					shown.Opens, shown.Sentence, shown.Remedy, shown.Reason = &door.Allowed, door.Sentence, door.Remedy,
						door.Reason.String()
				}
				sights = append(sights, shown)
			}
			cut, err := pageOf(sights, in.whole(500))
			if err != nil {
				return nil, err
			}
			body.Page = cut.Body
			return &out{Body: body}, nil
		})
}

func (v view) sight(sight *access.PlaceLook, depth int) api.PlaceLook {
	out := api.PlaceLook{Place: v.placeRef(sight.Standing.Place.ID), Kind: string(sight.Standing.Place.Kind),
		Depth: sight.Standing.Depth - depth, Offers: []string{}}
	for _, able := range sight.Offers {
		out.Offers = append(out.Offers, wording.English.Ability(&able))
	}
	return out
}
