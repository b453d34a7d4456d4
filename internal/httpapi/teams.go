package httpapi

import (
	"context"
	"slices"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

// OneTeam names a team, in a path.
type OneTeam struct {
	ID string `path:"id" maxLength:"64" doc:"Its code, or the number of its record"`
}

func (s *Server) registerTeams() {
	sees := Access{Permission: permit.ViewStaff}
	type listIn struct {
		Paging
		Q       string `query:"q" maxLength:"100" doc:"Any words of the name, the code or the summary"`
		Retired string `query:"retired" enum:"true,false,all" default:"false"`
	}
	route(s, "GET", "/teams", "list-teams", "teams", "Teams: who leads each, and how many are in it", sees,
		func(ctx context.Context, in *listIn) (*listed[api.Team], error) {
			v, all := s.view(ctx), []api.Team{}
			for _, t := range s.app.Teams(callerOf(ctx).id()) {
				if (in.Retired == "all" || t.Retired == (in.Retired == "true")) &&
					(in.Q == "" || words.Fits(t.Name+" "+t.Code+" "+t.Summary, in.Q)) {
					all = append(all, v.team(&t))
				}
			}
			return pageOf(all, &in.Paging)
		})
	type one struct {
		ETag string `header:"ETag"`
		Body api.Team
	}
	route(s, "GET", "/teams/{id}", "get-team", "teams", "One team", sees,
		func(ctx context.Context, in *OneTeam) (*one, error) {
			t, err := s.app.TeamFor(callerOf(ctx).id(), "path.id", in.ID)
			if err != nil {
				return nil, err
			}
			return &one{ETag: etag(t.Revision), Body: s.view(ctx).team(t)}, nil
		})
	type membersIn struct {
		OneTeam
		Paging
		Q string `query:"q" maxLength:"100" doc:"Words of the name or the number"`
	}
	route(s, "GET", "/teams/{id}/members", "list-members", "teams", "Who is in a team, leads first", sees,
		func(ctx context.Context, in *membersIn) (*listed[api.Member], error) {
			t, err := s.app.TeamFor(callerOf(ctx).id(), "path.id", in.ID)
			if err != nil {
				return nil, err
			}
			v, all := s.view(ctx), []api.Member{}
			for _, m := range t.Members {
				shown := v.member(m)
				if in.Q == "" || words.Fits(shown.Staff.Name+" "+shown.Staff.StaffNumber, in.Q) {
					all = append(all, shown)
				}
			}
			return pageOf(all, &in.Paging)
		})
	type addIn struct {
		Writing
		Body api.TeamWrite
	}
	route(s, "POST", "/teams", "add-team", "teams", "Add a team", Access{Operation: "team.add"},
		func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "team.add", Set: set(in.Body.TeamFields)})
		})
	type editIn struct {
		OneTeam
		Writing
		Body api.TeamWrite
	}
	route(s, "PATCH", "/teams/{id}", "edit-team", "teams", "Change a team", Access{Operation: "team.edit"},
		func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "team.edit", On: in.ID, Set: set(in.Body.TeamFields)})
		})
	type plainIn struct {
		OneTeam
		Writing
		Body api.Reasoned `required:"false"`
	}
	for verb, does := range map[string]string{"retire": "Retire a team: who is in it stays on record",
		"restore": "Bring a retired team back"} {
		route(s, "POST", "/teams/{id}/"+verb, verb+"-team", "teams", does, Access{Operation: "team." + verb},
			func(ctx context.Context, in *plainIn) (*changed, error) {
				return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: "team." + verb, On: in.ID})
			})
	}
}

func (s *Server) registerMembers() {
	type addIn struct {
		OneTeam
		Writing
		Body api.MemberAdd
	}
	route(s, "POST", "/teams/{id}/members", "add-member", "teams", "Add somebody to a team",
		Access{Operation: "member.add"}, func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: "member.add", Set: set(struct {
				Team  string `json:"team"`
				Staff string `json:"staff"`
				Lead  bool   `json:"lead"`
			}{in.ID, in.Body.Staff, in.Body.Lead})})
		})
	type editIn struct {
		OneNumber
		Writing
		Body api.MemberWrite
	}
	route(s, "PATCH", "/members/{id}", "edit-member", "teams", "Say whether somebody leads a team",
		Access{Operation: "member.edit"}, func(ctx context.Context, in *editIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason, change.Operation{Op: "member.edit", On: in.text(),
				Set: set(struct {
					Lead *bool `json:"lead,omitempty"`
				}{in.Body.Lead})})
		})
	route(s, "DELETE", "/members/{id}", "end-member", "teams", "Take somebody out of a team",
		Access{Operation: "member.end"}, func(ctx context.Context, in *ending) (*changed, error) {
			return s.write(ctx, in.Writing, in.Reason, change.Operation{Op: "member.end", On: in.text()})
		})
}

func (v view) team(t *app.Team) api.Team {
	out := api.Team{ID: uint32(t.ID), Code: t.Code, Name: t.Name, Summary: t.Summary, Members: len(t.Members),
		Leads: []api.StaffRef{}, Sites: []api.PlaceRef{}, Retired: t.Retired, ETag: etag(t.Revision)}
	for _, m := range t.Members {
		if m.Lead {
			out.Leads = append(out.Leads, v.named(m.Staff))
		}
		home := v.placeRef(v.live.State().Person(m.Staff).HomeSite)
		if v.sees.whole(m.Staff) && !slices.Contains(out.Sites, home) {
			out.Sites = append(out.Sites, home)
		}
	}
	return out
}

func (v view) member(m *org.Member) api.Member {
	p := v.live.State().Person(m.Staff)
	out := api.Member{ID: uint32(m.ID), Team: v.teamRef(m), Staff: v.named(m.Staff),
		Status: string(v.live.Status(m.Staff, v.at.Unix())), Lead: m.Lead, ETag: etag(m.Revision)}
	if v.sees.whole(m.Staff) {
		out.JobTitle, out.HomeSite = p.JobTitle, v.placeRef(p.HomeSite)
	}
	return out
}

func (v view) teamRef(m *org.Member) api.TeamRef {
	t := v.live.State().Team(m.Team)
	return api.TeamRef{Code: t.Code, Name: t.Name, Lead: m.Lead}
}

// teamsOf names the teams in use that somebody is in.
func (v view) teamsOf(id people.StaffID) (list []api.TeamRef) {
	for m := range v.live.State().TeamsOf(id) {
		if !v.live.State().Team(m.Team).Retired {
			list = append(list, v.teamRef(m))
		}
	}
	return list
}
