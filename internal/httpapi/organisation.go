package httpapi

import (
	"context"
	"strings"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
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
	type numberIn struct {
		Pattern    string `query:"pattern" maxLength:"100" doc:"Another pattern; that of the settings where left out"`
		GivenName  string `query:"given_name" maxLength:"80"`
		FamilyName string `query:"family_name" maxLength:"80"`
		HomeSite   string `query:"home_site" maxLength:"64" doc:"Code of a site"`
	}
	type numberOut struct{ Body api.NextNumber }
	route(s, "GET", "/organisation/number", "next-number", "organisation",
		"Which staff number somebody would get by the numbering rule", Access{Permission: permit.EnrolStaff},
		func(_ context.Context, in *numberIn) (*numberOut, error) {
			state := s.app.Live().State()
			rule := state.Settings
			if in.Pattern != "" {
				rule.NumberPattern = in.Pattern
			}
			if field, err := rule.Check(); err != nil {
				return nil, fault.Invalidf("query."+strings.TrimPrefix(field, "number_"), "%s", err)
			}
			p := &people.Staff{GivenName: in.GivenName, FamilyName: in.FamilyName}
			if site := state.PlaceByCode(in.HomeSite); site != nil {
				p.HomeSite = site.ID
			}
			return &numberOut{api.NextNumber{StaffNumber: change.NextNumber(state, &rule, p)}}, nil
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
