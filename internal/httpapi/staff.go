package httpapi

import (
	"cmp"
	"context"
	"slices"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/estate"
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
		api.StaffFilter
		Sort string `query:"sort" doc:"Fields with commas, - for descending: name, staff_number, job_title, engagement, employer, start_date, contract_end, home_site"`
	}
	route(s, "GET", "/staff", "list-staff", "staff", "Search, filter and page staff",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *listIn) (*listed[api.Staff], error) {
			limit, err := in.limit()
			if err != nil {
				return nil, err
			}
			v := s.view(ctx)
			q, err := s.staffQuery(v, "query.", &in.StaffFilter)
			if err != nil {
				return nil, err
			}
			q.Sort, q.Limit = in.Sort, limit+1
			if q.After, q.From, err = v.staffAfter(in.After); err != nil {
				return nil, err
			}
			found, total, err := s.app.FindStaff(callerOf(ctx).id(), *q)
			if err != nil {
				return nil, fault.Within("query.", err)
			}
			next := ""
			if len(found) > limit {
				next = v.staffCursor(found[limit-1].ID, found[limit].ID)
				found = found[:limit]
			}
			items := make([]api.Staff, len(found))
			for i, p := range found {
				items[i] = v.staff(p)
			}
			return page(items, total, next), nil
		})
}

// staffCursor names the last person of a page and the first of the next, each as they were: whoever is changed
// meanwhile
// may stand elsewhere in the list.
func (v view) staffCursor(last, next people.StaffID) string {
	state := v.live.State()
	return cursor(uint64(last), state.Person(last).Revision, uint64(next), state.Person(next).Revision)
}

// staffAfter finds where a list of staff goes on: after somebody, or from somebody on.
func (v view) staffAfter(text string) (after, from people.StaffID, err error) {
	if text == "" {
		return 0, 0, nil
	}
	cut, err := cursorOf(text, 4)
	if err != nil {
		return 0, 0, err
	}
	last, next := v.live.State().Person(people.StaffID(cut[0])), v.live.State().Person(people.StaffID(cut[2]))
	if last == nil || next == nil {
		return 0, 0, fault.Invalidf("query.after", "send the 'next' of the page before")
	}
	if last.Revision != cut[1] && next.Revision == cut[3] {
		return 0, next.ID, nil
	}
	return last.ID, 0, nil
}

// staffQuery turns a filter of the wire into a query.
func (s *Server) staffQuery(v view, prefix string, in *api.StaffFilter) (*app.StaffQuery, error) {
	q := &app.StaffQuery{Search: cmp.Or(in.Q, in.Name), NamesOnly: in.Q == "" && in.Name != "",
		Status: people.Status(in.Status), Engagement: people.Engagement(in.Engagement), Employer: in.Employer}
	if in.Locked != "" {
		locked := in.Locked == "true"
		q.Locked = &locked
	}
	if in.Owner != "" {
		owner := in.Owner == "true"
		q.Owner = &owner
	}
	state := v.live.State()
	if in.Site != "" {
		site := state.PlaceByCode(in.Site)
		if site == nil {
			return nil, fault.Missingf(prefix+"site", "no place has the code %q", in.Site)
		}
		q.Site = site.ID
	}
	if in.Place != "" {
		place := state.PlaceByCode(in.Place)
		if place == nil {
			return nil, fault.Missingf(prefix+"place", "no place has the code %q", in.Place)
		}
		q.Place = place.ID
	}
	if in.Template != "" {
		template := state.TemplateByCode(in.Template)
		if template == nil {
			return nil, fault.Missingf(prefix+"template", "no template has the code %q", in.Template)
		}
		q.Template = template.ID
	}
	if in.Team != "" {
		team, err := teams.find(v, prefix+"team", in.Team)
		if err != nil {
			return nil, err
		}
		q.Team = team.ID
	}
	q.Obstacle = in.Readiness
	return q, nil
}

// registerMany registers what is done about many people at once.
func (s *Server) registerMany() {
	type in struct {
		Preview bool   `query:"preview" doc:"Answer with the effect and write nothing"`
		Key     string `header:"Idempotency-Key" doc:"The same key with the same request is carried out once"`
		Body    api.StaffAct
	}
	type out struct{ Body api.StaffActResult }
	route(s, "POST", "/staff/acts", "act-on-staff", "staff",
		"Do one thing about many people, named or chosen by a filter, as one change",
		Access{Permission: permit.ViewStaff,
			Large: true, Scope: app.ScopeDaily}, func(ctx context.Context, in *in) (*out, error) {
			v, body := s.view(ctx), &in.Body
			m := app.Many{Act: change.Act{Op: body.Op, Set: body.Set}, Staff: body.Staff, Count: body.Count,
				LeaveOut: body.LeaveOut, Preview: in.Preview}
			var err error
			if body.Filter != nil {
				if m.Filter, err = s.staffQuery(v, "body.filter.", body.Filter); err != nil {
					return nil, err
				}
			}
			if body.Of != nil {
				of, err := s.staffQuery(v, "body.of.",
					&api.StaffFilter{Place: body.Of.Place, Template: body.Of.Template, Team: body.Of.Team})
				if err != nil {
					return nil, err
				}
				m.Act.Place, m.Act.Template, m.Act.Team = of.Place, of.Template, of.Team
			}
			before := s.app.Live().Snapshot
			result, err := s.app.DoMany(ctx, s.request(ctx, body.Reason), m)
			if err != nil {
				return nil, fault.Within("body.", err)
			}
			o := &out{Body: api.StaffActResult{ChangeResult: s.changed(ctx, result.Result, before, in.Preview).Body,
				Count: result.Count, LeftOut: []api.LeftOut{}}}
			for _, left := range result.LeftOut {
				o.Body.LeftOut = append(o.Body.LeftOut, api.LeftOut{Staff: api.StaffRef{StaffNumber: left.Staff.Number,
					Name: left.Staff.FullName()}, Why: left.Why.Error()})
			}
			return o, nil
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
			out := &one{ETag: etag(p.Revision), Body: s.view(ctx).staff(p)}
			out.Body.Photo = !out.Body.Narrow && s.app.HasPhoto(ctx, p.ID)
			paused, err := s.app.PausedFor(ctx, callerOf(ctx).id())
			out.Body.Paused = s.view(ctx).paused(slices.DeleteFunc(paused,
				func(one app.Paused) bool { return one.Staff == nil || one.Staff.ID != p.ID }))
			return out, err
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
	type duplicatesIn struct {
		Paging
		GivenName  string `query:"given_name" maxLength:"80"`
		FamilyName string `query:"family_name" maxLength:"80"`
		Email      string `query:"email" maxLength:"254"`
		Phone      string `query:"phone" maxLength:"40"`
		ExternalID string `query:"external_id" maxLength:"64"`
	}
	route(s, "GET", "/staff/duplicates", "list-duplicates", "staff", "Who on record may be the person about to be "+
		"enrolled",
		Access{Permission: permit.EnrolStaff}, func(ctx context.Context, in *duplicatesIn) (*listed[api.Duplicate],
			error) {
			duplicates, err := s.app.Duplicates(callerOf(ctx).id(), app.Newcomer{Given: in.GivenName,
				Family: in.FamilyName, Email: in.Email, Phone: in.Phone, ExternalID: in.ExternalID})
			if err != nil {
				return nil, err
			}
			v := s.view(ctx)
			items := make([]api.Duplicate, len(duplicates))
			for i, d := range duplicates {
				if d.Staff == nil {
					items[i] = api.Duplicate{Why: d.Why}
					continue
				}
				items[i] = api.Duplicate{StaffNumber: d.Staff.Number, Name: d.Staff.FullName(),
					Status: string(v.live.Status(d.Staff.ID, v.at.Unix())), JobTitle: d.Staff.JobTitle,
					HomeSite: v.placeRef(d.Staff.HomeSite).Name, Why: d.Why}
			}
			return pageOf(items, &in.Paging)
		})
}

// registerProposals registers what somebody about to be enrolled may be given.
func (s *Server) registerProposals() {
	type in struct {
		Paging
		JobTitle string `query:"job_title" maxLength:"120" doc:"Job title of the person who is enrolled"`
		Site     string `query:"site" maxLength:"64" doc:"Code of the home site"`
	}
	route(s, "GET", "/staff/proposals", "list-proposals", "staff",
		"The assignments that people with a job title have at a site, what most have first",
		Access{Permission: permit.EnrolStaff}, func(ctx context.Context, in *in) (*listed[api.Proposal], error) {
			v := s.view(ctx)
			var site estate.PlaceID
			if in.Site != "" {
				at := v.live.State().PlaceByCode(in.Site)
				if at == nil {
					return nil, fault.Missingf("query.site", "no place has the code %q", in.Site)
				}
				site = at.ID
			}
			found, err := s.app.Proposals(callerOf(ctx).id(), in.JobTitle, site)
			if err != nil {
				return nil, err
			}
			items := make([]api.Proposal, len(found))
			for i, p := range found {
				template := v.live.State().Template(p.Template)
				items[i] = api.Proposal{Place: v.placeRef(p.Place), Template: template.Code, TemplateOf: template.Name,
					Count: p.Count, Of: p.Of}
			}
			return pageOf(items, &in.Paging)
		})
}

// registerValues registers what others have in a field.
func (s *Server) registerValues() {
	type in struct {
		Paging
		Field string `query:"field" enum:"job_title,employer" default:"job_title"`
		Q     string `query:"q" maxLength:"100" doc:"Any words of it"`
	}
	route(s, "GET", "/staff/values", "list-staff-values", "staff",
		"What stands in a field of people's records, what most have first", Access{Permission: permit.ViewStaff},
		func(ctx context.Context, in *in) (*listed[api.StaffValue], error) {
			found, err := s.app.Values(callerOf(ctx).id(), in.Field, in.Q)
			if err != nil {
				return nil, err
			}
			items := make([]api.StaffValue, len(found))
			for i, v := range found {
				items[i] = api.StaffValue{Value: v.Text, Count: v.Count}
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
	type leaveIn struct {
		OneStaff
		Writing
		Body api.LeaveWrite
	}
	route(s, "POST", "/staff/{id}/leave", "leave-staff", "staff",
		"Record that somebody leaves, at once, after a last day or at a moment", Access{Operation: "staff.leave"},
		func(ctx context.Context, in *leaveIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "staff.leave", On: in.ID,
					Set: set(map[string]string{"on": in.Body.On, "at": in.Body.At})})
		})
	type likeIn struct {
		OneStaff
		Writing
		Body api.LikeWrite
	}
	route(s, "POST", "/staff/{id}/like", "like-staff", "staff",
		"Give somebody the assignments of a colleague, and the exceptions where asked for; no credential is copied",
		Access{Operation: "staff.like"}, func(ctx context.Context, in *likeIn) (*changed, error) {
			fields := in.Body
			fields.Reasoned = api.Reasoned{}
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "staff.like", On: in.ID, Set: set(fields)})
		})
	type coverIn struct {
		OneStaff
		Writing
		Body api.CoverWrite
	}
	route(s, "POST", "/staff/{id}/cover", "cover-staff", "staff",
		"Give another what somebody absent has, for the days of the absence", Access{Operation: "staff.cover"},
		func(ctx context.Context, in *coverIn) (*changed, error) {
			fields := in.Body
			fields.Reasoned = api.Reasoned{}
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "staff.cover", On: in.ID, Set: set(fields)})
		})
	type plainIn struct {
		OneStaff
		Writing
		Body api.Reasoned `required:"false"`
	}
	for _, act := range []struct{ verb, op, summary string }{
		{"unlock", "staff.unlock", "Unlock somebody"},
		{"activate", "staff.activate", "Activate somebody before their start date"},
		{"reinstate", "staff.reinstate", "Bring back somebody who left, or take back a leaving date"},
	} {
		route(s, "POST", "/staff/{id}/"+act.verb, act.verb+"-staff", "staff", act.summary, Access{Operation: act.op},
			func(ctx context.Context, in *plainIn) (*changed, error) {
				return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: act.op, On: in.ID})
			})
	}
}
