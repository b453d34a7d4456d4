package httpapi

import (
	"context"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/permit"
)

// registerOrganisation registers the settings of the organisation.
func (s *Server) registerOrganisation() {
	type one struct{ Body api.Organisation }
	route(s, "GET", "/organisation", "get-organisation", "organisation", "The settings of the organisation", Access{},
		func(ctx context.Context, _ *struct{}) (*one, error) {
			live, now := s.app.Live(), s.app.Now().Unix()
			out := &one{Body: *recode[api.Organisation](&live.State().Settings)}
			if live.HoldsAnywhere(callerOf(ctx).id(), permit.EnrolStaff, now) {
				out.Body.SeatsUsed = change.SeatsUsed(live.Snapshot, now)
			}
			return out, nil
		})
	type editIn struct {
		Writing
		Body api.OrganisationWrite
	}
	route(s, "PATCH", "/organisation", "edit-organisation", "organisation",
		"Change the settings of the organisation; for owners", Access{Operation: "organisation.edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "organisation.edit", Set: set(in.Body.OrganisationFields)})
		})
}
