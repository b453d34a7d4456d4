package httpapi

import (
	"cmp"
	"context"
	"strconv"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// OneStaff names a person, in a path.
type OneStaff struct {
	ID string `path:"id" maxLength:"64" doc:"Staff number"`
}

func (s *Server) registerStaff() {
	type listIn struct {
		Paging
		Q          string `query:"q" maxLength:"100" doc:"Words of the name, number, email, job title or employer"`
		Name       string `query:"name" maxLength:"100" doc:"Words of the name or the number and of nothing else"`
		Status     string `query:"status" enum:"prepared,active,departed"`
		Locked     string `query:"locked" enum:"true,false"`
		Engagement string `query:"engagement" enum:"employee,agency,contractor,seasonal"`
		Employer   string `query:"employer" maxLength:"120"`
		Site       string `query:"site" doc:"Code of the home site"`
		Template   string `query:"template" doc:"Code of a template they are assigned"`
		Place      string `query:"place" doc:"Code of a place they are assigned at, or below"`
		Sort       string `query:"sort" doc:"Fields with commas, - before one that falls: name, staff_number, job_title, engagement, employer, start_date, contract_end, home_site"`
	}
	route(s, "GET", "/staff", "list-staff", "staff", "Search, filter and page staff",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *listIn) (*listed[api.Staff], error) {
			limit, err := in.limit()
			if err != nil {
				return nil, err
			}
			after, err := in.number()
			if err != nil {
				return nil, err
			}
			v := s.view(ctx)
			q := app.StaffQuery{Search: cmp.Or(in.Q, in.Name), NamesOnly: in.Q == "" && in.Name != "",
				Status: people.Status(in.Status), Engagement: people.Engagement(in.Engagement), Employer: in.Employer,
				Sort:  in.Sort,
				After: people.StaffID(after), Limit: limit}
			if in.Locked != "" {
				locked := in.Locked == "true"
				q.Locked = &locked
			}
			if in.Site != "" {
				site := v.live.State().PlaceByCode(in.Site)
				if site == nil {
					return nil, fault.Missingf("query.site", "no place has the code %q", in.Site)
				}
				q.Site = site.ID
			}
			if in.Place != "" {
				place := v.live.State().PlaceByCode(in.Place)
				if place == nil {
					return nil, fault.Missingf("query.place", "no place has the code %q", in.Place)
				}
				q.Place = place.ID
			}
			if in.Template != "" {
				template := v.live.State().TemplateByCode(in.Template)
				if template == nil {
					return nil, fault.Missingf("query.template", "no template has the code %q", in.Template)
				}
				q.Template = template.ID
			}
			found, total, err := s.app.FindStaff(callerOf(ctx).id(), q)
			if err != nil {
				return nil, fault.Within("query.", err)
			}
			items := make([]api.Staff, len(found))
			for i, p := range found {
				items[i] = v.staff(p)
			}
			next := ""
			if len(found) == limit && total > limit {
				next = strconv.FormatUint(uint64(found[len(found)-1].ID), 10)
			}
			return page(items, total, next), nil
		})
}

// registerPerson registers what is asked about one person.
func (s *Server) registerPerson() {
	type one struct {
		ETag string `header:"ETag"`
		Body api.Staff
	}
	route(s, "GET", "/staff/{id}", "get-staff", "staff", "One staff member", Access{Permission: permit.ViewStaff},
		func(ctx context.Context, in *OneStaff) (*one, error) {
			p, _, err := s.app.PersonFor(callerOf(ctx).id(), in.ID)
			if err != nil {
				return nil, err
			}
			return &one{ETag: etag(p.Revision), Body: s.view(ctx).staff(p)}, nil
		})
	type accessOut struct{ Body api.Access }
	route(s, "GET", "/staff/{id}/access", "get-staff-access", "staff",
		"What somebody can do, in sentences with their grounds, and what keeps them from it",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *OneStaff) (*accessOut, error) {
			p, _, err := s.app.PersonFor(callerOf(ctx).id(), in.ID)
			if err != nil {
				return nil, err
			}
			return &accessOut{Body: accessOf(s.app.Live().Snapshot, p, s.app.Now(), s.seesOf(ctx))}, nil
		})
	type doublesIn struct {
		Paging
		GivenName  string `query:"given_name" maxLength:"80"`
		FamilyName string `query:"family_name" maxLength:"80"`
		Email      string `query:"email" maxLength:"254"`
	}
	route(s, "GET", "/staff/doubles", "list-doubles", "staff", "Who on record may be the person about to be enrolled",
		Access{Permission: permit.EnrolStaff}, func(ctx context.Context, in *doublesIn) (*listed[api.Double], error) {
			doubles, err := s.app.Doubles(callerOf(ctx).id(), in.GivenName, in.FamilyName, in.Email)
			if err != nil {
				return nil, err
			}
			v := s.view(ctx)
			items := make([]api.Double, len(doubles))
			for i, d := range doubles {
				if d.Staff == nil {
					items[i] = api.Double{Why: d.Why}
					continue
				}
				items[i] = api.Double{StaffNumber: d.Staff.Number, Name: d.Staff.FullName(),
					Status: string(v.live.Status(d.Staff.ID, v.at.Unix())), JobTitle: d.Staff.JobTitle,
					HomeSite: v.placeRef(d.Staff.HomeSite).Name, Why: d.Why}
			}
			return pageOf(items, &in.Paging)
		})
}

// registerStaffActs registers what is done about people.
func (s *Server) registerStaffActs() {
	type enrolIn struct {
		Writing
		Body api.StaffWrite
	}
	route(s, "POST", "/staff", "enrol-staff", "staff", "Enrol somebody", Access{Operation: "staff.enrol"},
		func(ctx context.Context, in *enrolIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "staff.enrol", Set: set(in.Body.StaffFields)})
		})
	type editIn struct {
		OneStaff
		Writing
		Body api.StaffWrite
	}
	route(s, "PATCH", "/staff/{id}", "edit-staff", "staff", "Change somebody's record", Access{Operation: "staff.edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "staff.edit", On: in.ID, Set: set(in.Body.StaffFields)})
		})
	type lockIn struct {
		OneStaff
		Writing
		Body api.LockWrite
	}
	route(s, "POST", "/staff/{id}/lock", "lock-staff", "staff", "Lock somebody: it holds everywhere when this returns",
		Access{Operation: "staff.lock"}, func(ctx context.Context, in *lockIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "staff.lock", On: in.ID, Set: set(map[string]string{"until": in.Body.Until})})
		})
	type departIn struct {
		OneStaff
		Writing
		Body api.DepartWrite
	}
	route(s, "POST", "/staff/{id}/depart", "depart-staff", "staff",
		"Record that somebody leaves, at once or after a last day", Access{Operation: "staff.depart"},
		func(ctx context.Context, in *departIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "staff.depart", On: in.ID, Set: set(map[string]string{"on": in.Body.On})})
		})
	type plainIn struct {
		OneStaff
		Writing
		Body api.Reasoned `required:"false"`
	}
	for _, act := range []struct{ verb, op, summary string }{
		{"unlock", "staff.unlock", "Unlock somebody"},
		{"activate", "staff.activate", "Activate somebody before their start date"},
		{"reinstate", "staff.reinstate", "Take back a departure, or a leaving date"},
	} {
		route(s, "POST", "/staff/{id}/"+act.verb, act.verb+"-staff", "staff", act.summary, Access{Operation: act.op},
			func(ctx context.Context, in *plainIn) (*changed, error) {
				return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: act.op, On: in.ID})
			})
	}
}
