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

var teams = &coded[org.Team, api.Team, api.TeamWrite]{kind: "team", needs: permit.ViewStaff,
	text:  func(t *org.Team) string { return t.Summary },
	name:  func(t *api.Team) string { return t.Name },
	knows: func(v view, t *org.Team) bool { return v.sees.sight().Knows(t.ID) },
	shows: func(v view) func(*org.Team) api.Team {
		return func(t *org.Team) api.Team { return v.team(v.live.TeamSeen(t, v.sees.sight(), v.at)) }
	},
	writes: func(w *api.TeamWrite) (any, string) { return w.TeamFields, w.Reason }}

func init() {
	says := &teams.summary
	says.list, says.get = "Teams: who leads each, and how many are in it", "One team"
	says.add, says.edit = "Add a team", "Change a team"
	says.retire, says.restore = "Retire a team: who is in it stays on record", "Bring a retired team back"
}

func (s *Server) registerMembers() {
	type membersIn struct {
		OneCoded
		Paging
		Q string `query:"q" maxLength:"100" doc:"Words of the name or the number"`
	}
	route(s, "GET", "/teams/{id}/members", "list-members", "teams", "Who is in a team, leads first",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *membersIn) (*listed[api.Member], error) {
			v, all := s.view(ctx), []api.Member{}
			t, err := teams.find(v, "path.id", in.ID)
			if err != nil {
				return nil, err
			}
			for _, m := range v.live.TeamSeen(t, v.sees.sight(), v.at).Members {
				shown := v.member(m)
				if in.Q == "" || words.Fits(shown.Staff.Name+" "+shown.Staff.StaffNumber, in.Q) {
					all = append(all, shown)
				}
			}
			return pageOf(all, &in.Paging)
		})
	type addIn struct {
		OneCoded
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
