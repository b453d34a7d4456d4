package httpapi

import (
	"context"
	"slices"
	"strings"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/card"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/wording"
	"loyallatch.example/latch/internal/core/words"
)

func (s *Server) registerToday() {
	type today struct{ Body api.Today }
	route(s, "GET", "/today", "today", "today", "What a manager looks at first", Access{Permission: permit.ViewStaff},
		func(ctx context.Context, _ *struct{}) (*today, error) {
			t, err := s.app.Today(ctx, callerOf(ctx).id())
			if err != nil {
				return nil, err
			}
			v := s.view(ctx)
			out := &today{Body: api.Today{Date: v.at.In(v.live.Location(callerOf(ctx).id())).Format(time.DateOnly),
				Counts:   t.Counts,
				Starting: []api.Person{}, Stuck: []api.Person{}, Ending: []api.Person{}, Locked: []api.Person{},
				Undecided: waiting(t.Undecided), Drafts: []api.Draft{}, Redundant: t.Redundant, Barred: []api.Bar{},
				Aside: t.Aside, Tampering: t.Tampering, Badges: []api.Badge{}, Paused: v.paused(t.Paused),
				Gaps: []api.Gap{}, LostPINs: t.LostPINs, LostWhy: t.LostWhy}}
			for _, b := range t.Badges {
				out.Body.Badges = append(out.Body.Badges, v.badge(b))
			}
			for _, one := range t.Troubles {
				out.Body.Troubles = append(out.Body.Troubles, api.Trouble{Kind: one.Name, What: one.What, Do: one.Do,
					Since: one.Since.UTC()})
			}
			for _, g := range t.Gaps {
				out.Body.Gaps = append(out.Body.Gaps, v.gap(g))
			}
			for _, b := range t.Barred {
				out.Body.Barred = append(out.Body.Barred, v.bar(b.Bar))
			}
			for _, p := range t.Starting {
				line := v.person(p)
				line.Date = p.StartDate.String()
				out.Body.Starting = append(out.Body.Starting, line)
			}
			for _, stuck := range t.Stuck {
				line := v.person(stuck.Staff)
				line.Obstacles = v.obstacles(wording.English.Obstacles(v.live.Snapshot, stuck.Staff.ID,
					stuck.Obstacles))
				out.Body.Stuck = append(out.Body.Stuck, line)
			}
			for _, e := range t.Ending {
				line := v.person(e.Staff)
				line.Date, line.What = e.On, strings.TrimSpace(e.What+" "+e.Where)
				out.Body.Ending = append(out.Body.Ending, line)
			}
			for _, p := range t.Locked {
				out.Body.Locked = append(out.Body.Locked, v.person(p))
			}
			for i := range t.Drafts {
				out.Body.Drafts = append(out.Body.Drafts, s.draft(v, &t.Drafts[i], callerOf(ctx).id()))
			}
			return out, nil
		})
	s.registerFind()
}

// gap says what nobody takes care of but owners.
func (v view) gap(g access.Gap) (out api.Gap) {
	out.Sentence, out.Mend = wording.English.Gap(v.live.Snapshot, g)
	switch state := v.live.State(); {
	case g.Team != 0:
		out.Kind, out.Code, out.Name = "team", state.Team(g.Team).Code, state.Team(g.Team).Name
	case g.Site != 0:
		out.Kind, out.Code, out.Name = "site", state.Place(g.Site).Code, state.Place(g.Site).Name
	default:
		out.Kind, out.Code, out.Name = "template", state.Template(g.Template).Code, state.Template(g.Template).Name
	}
	return out
}

func (s *Server) registerFind() {
	type findIn struct {
		Q     string `query:"q" maxLength:"100" required:"true"`
		Limit int    `query:"limit" default:"8" minimum:"1" maximum:"50"`
	}
	type found struct{ Body api.Page[api.Found] }
	route(s, "GET", "/find", "find", "today", "Find people, places and templates by any part of a name or code",
		Access{}, func(ctx context.Context, in *findIn) (*found, error) {
			v := s.view(ctx)
			out := &found{Body: api.Page[api.Found]{Items: []api.Found{}}}
			// Whoever may see no staff still finds places: the refusal is not worth failing a search for.
			if staff, total, err := s.app.FindStaff(callerOf(ctx).id(),
				app.StaffQuery{Search: in.Q, Limit: in.Limit}); err == nil {
				out.Body.Total = total
				for _, p := range staff {
					shown := v.staff(p) // a narrow one comes narrowed
					out.Body.Items = append(out.Body.Items, api.Found{Kind: "staff", Code: p.Number, Name: p.FullName(),
						Detail: strings.Join(nonEmpty(p.JobTitle, shown.HomeSite.Name, shown.Status), " · "),
						Status: shown.Status, Locked: shown.Lock != nil})
				}
			}
			badges := v.foundBadges(in.Q, in.Limit)
			out.Body.Items, out.Body.Total = append(out.Body.Items, badges...), out.Body.Total+len(badges)
			paused, err := s.app.PausedFor(ctx, callerOf(ctx).id())
			if err != nil {
				return nil, err
			}
			search := words.Fold(in.Q)
			add := func(kind, code, name, detail string) {
				if !strings.Contains(words.Fold(name+" "+code), search) {
					return
				}
				out.Body.Total++
				if len(out.Body.Items) < 2*in.Limit {
					held := kind == "place" && slices.ContainsFunc(paused,
						func(p app.Paused) bool { return p.Staff == nil && p.Place.Code == code })
					out.Body.Items = append(out.Body.Items,
						api.Found{Kind: kind, Code: code, Name: name, Detail: detail, Held: held})
				}
			}
			for st := range v.live.Tree().All {
				if !st.Retired {
					add("place", st.Place.Code, st.Place.Name, st.Place.Kind.Words()+" · "+st.Site.Name)
				}
			}
			for _, t := range v.live.State().Templates.All() {
				if !t.Retired {
					add("template", t.Code, t.Name, "template")
				}
			}
			return out, nil
		})
}

// foundBadges are the badges that what was typed, or read by a reader that types, names.
func (v view) foundBadges(typed string, most int) (found []api.Found) {
	readings, err := card.Read(typed)
	if err != nil {
		return nil
	}
	for _, b := range v.live.State().BadgesOf(readings) {
		if !v.seesBadge(b) || len(found) == most {
			continue
		}
		shown := v.badge(b)
		one := api.Found{Kind: "badge", Code: b.Reference(), Name: "Badge " + b.Number,
			Detail: strings.Join(nonEmpty(b.State.Words(), b.Label, shown.Site.Name), " · ")}
		if shown.Holder != nil {
			one.Detail = shown.State + " · " + shown.Holder.Staff.Name
		}
		found = append(found, one)
	}
	return found
}

// waitingNamed is how many of the permissions that wait in a template are named.
const waitingNamed = 20

func waiting(list []app.Waiting) []api.Waiting {
	out := make([]api.Waiting, len(list))
	for i, w := range list {
		out[i] = api.Waiting{Template: w.Template.Code, Name: w.Template.Name, Count: len(w.Permissions),
			Permissions: []string{}}
		for _, p := range w.Permissions[:min(len(w.Permissions), waitingNamed)] {
			out[i].Permissions = append(out[i].Permissions, p.Key)
		}
	}
	return out
}

func nonEmpty(parts ...string) []string {
	var kept []string
	for _, part := range parts {
		if part != "" {
			kept = append(kept, part)
		}
	}
	return kept
}

func (v view) person(p *people.Staff) api.Person {
	return api.Person{StaffNumber: p.Number, Name: p.FullName(), JobTitle: p.JobTitle, HomeSite: v.placeRef(p.HomeSite),
		Lock: v.lock(p)}
}

// paused are the places at which too many wrong PINs were typed.
func (v view) paused(list []app.Paused) []api.Paused {
	out := make([]api.Paused, len(list))
	for i, p := range list {
		out[i] = api.Paused{Place: v.placeRef(p.Place.ID), Until: p.Until}
		if p.Staff != nil {
			out[i].Staff = &api.StaffRef{StaffNumber: p.Staff.Number, Name: p.Staff.FullName()}
		}
	}
	return out
}

// registerPaused registers the acts that end a pause after wrong PINs.
func (s *Server) registerPaused() {
	route(s, "DELETE", "/places/{id}/tries", "take-tries-again", "places",
		"Let the readers of a place take tries again, after too many wrong ones",
		Access{Permission: permit.LockStaff, Scope: app.ScopeDaily},
		func(ctx context.Context, in *OnePlace) (*struct{}, error) {
			c := callerOf(ctx)
			return nil, s.app.TakeTriesAgain(ctx, c.id(), in.ID, c.origin())
		})
	route(s, "DELETE", "/staff/{id}/tries", "unpause-badge", "staff",
		"Let somebody's badge open again where wrong PINs have paused it",
		Access{Permission: permit.LockStaff, Scope: app.ScopeDaily},
		func(ctx context.Context, in *OneStaff) (*struct{}, error) {
			c := callerOf(ctx)
			return nil, s.app.ResumeBadge(ctx, c.id(), in.ID, c.origin())
		})
}
