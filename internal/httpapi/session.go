package httpapi

import (
	"context"
	"net/http"
	"strings"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/permit"
)

func (s *Server) registerSession() {
	type signIn struct{ Body api.SignIn }
	type signedIn struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
		Body      api.SignedIn
	}
	route(s, "POST", "/session", "sign-in", "session", "Sign in", Access{Public: true},
		func(ctx context.Context, in *signIn) (*signedIn, error) {
			kind := in.Body.Kind
			if kind == "" {
				kind = "console"
			}
			signed, err := s.app.SignIn(ctx,
				app.SignIn{Name: in.Body.Name, Password: in.Body.Password, Kind: kind, Scope: in.Body.Scope,
					Device: in.Body.Device, Address: callerOf(ctx).address})
			if err != nil {
				return nil, err
			}
			out := &signedIn{Body: api.SignedIn{Me: s.me(signed), ExpiresAt: &signed.Session.ExpiresAt}}
			if kind == "client" {
				out.Body.Token = signed.Token
			} else {
				out.SetCookie = http.Cookie{Name: s.cookieName(), Value: signed.Token, Path: "/", HttpOnly: true,
					Secure: s.config.Secure, SameSite: http.SameSiteStrictMode,
					MaxAge: int(app.ConsoleSession.Seconds())}
			}
			return out, nil
		})
	type signedOut struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
	}
	route(s, "DELETE", "/session", "sign-out", "session",
		"Sign out: the session or token used for this no longer counts", Access{BeforePass: true, Scope: app.ScopeRead},
		func(ctx context.Context, _ *struct{}) (*signedOut, error) {
			return &signedOut{SetCookie: http.Cookie{Name: s.cookieName(), Path: "/", HttpOnly: true,
					Secure: s.config.Secure, SameSite: http.SameSiteStrictMode, MaxAge: -1}},
				s.app.SignOut(ctx, callerOf(ctx).signed.Session)
		})
	type me struct{ Body api.Me }
	route(s, "GET", "/me", "me", "session", "Who is signed in, and what they may do", Access{BeforePass: true},
		func(ctx context.Context, _ *struct{}) (*me, error) {
			return &me{Body: s.me(callerOf(ctx).signed)}, nil
		})
	type passwordIn struct{ Body api.PasswordChange }
	route(s, "POST", "/me/password", "change-password", "session", "Change one's own password; other sessions end",
		Access{BeforePass: true}, func(ctx context.Context, in *passwordIn) (*struct{}, error) {
			c := callerOf(ctx)
			return nil, renamed(s.app.ChangePassword(ctx, c.signed, in.Body.OldPassword, in.Body.NewPassword,
				c.origin()),
				func(name string) string {
					return "body." + strings.Replace(name, "operations[0].set.password", "new_password", 1)
				})
		})
}

// registerSessions registers the list of what acts for a person, one's own and others'.
func (s *Server) registerSessions() {
	route(s, "GET", "/me/sessions", "list-sessions", "session",
		"All that acts for you: sessions, tokens, calendar addresses, visits at terminals, links, plans, devices",
		Access{}, func(ctx context.Context, in *Paging) (*listed[api.Session], error) {
			c := callerOf(ctx)
			list, err := s.app.Acting(ctx, c.id())
			if err != nil {
				return nil, err
			}
			return pageOf(sessionViews(list, c.signed.Session.ID), in)
		})
	type ended struct {
		Body struct {
			Ended int64 `json:"ended"`
		}
	}
	route(s, "DELETE", "/me/sessions", "end-other-sessions", "session",
		"End all that acts for you but this session: a plan becomes an open draft, and devices go on",
		Access{Scope: app.ScopeDaily}, func(ctx context.Context, _ *struct{}) (*ended, error) {
			c := callerOf(ctx)
			out := &ended{}
			var err error
			out.Body.Ended, err = s.app.EndActing(ctx, c.id(), c.signed.Staff.Number, "", c.signed.Session.ID,
				c.origin())
			return out, err
		})
	type theirsIn struct {
		OneStaff
		Paging
	}
	route(s, "GET", "/staff/{id}/sessions", "list-staff-sessions", "session",
		"All that acts for somebody over whom you stand: sessions, tokens, calendar addresses, visits, links, plans, "+
			"devices", Access{Permission: permit.IssueCredentials},
		func(ctx context.Context, in *theirsIn) (*listed[api.Session], error) {
			list, err := s.app.ActingFor(ctx, callerOf(ctx).id(), in.ID)
			if err != nil {
				return nil, err
			}
			return pageOf(sessionViews(list, 0), &in.Paging)
		})
	type endTheirsIn struct {
		OneStaff
		Session string `query:"session" maxLength:"80" doc:"One of them; left out: all"`
	}
	route(s, "DELETE", "/staff/{id}/sessions", "end-staff-sessions", "session",
		"End what acts for somebody over whom you stand: a plan becomes an open draft, and devices go on",
		Access{Permission: permit.IssueCredentials, Scope: app.ScopeDaily},
		func(ctx context.Context, in *endTheirsIn) (*struct{}, error) {
			c := callerOf(ctx)
			_, err := s.app.EndActing(ctx, c.id(), in.ID, in.Session, 0, c.origin())
			return nil, err
		})
	type endIn struct {
		ID string `path:"id" maxLength:"80"`
	}
	route(s, "DELETE", "/me/sessions/{id}", "end-session", "session", "End one thing that acts for you",
		Access{Scope: app.ScopeDaily}, func(ctx context.Context, in *endIn) (*struct{}, error) {
			c := callerOf(ctx)
			_, err := s.app.EndActing(ctx, c.id(), c.signed.Staff.Number, in.ID, 0, c.origin())
			return nil, err
		})
}

func sessionViews(list []app.Acting, present uint64) []api.Session {
	items := make([]api.Session, len(list))
	for i, one := range list {
		items[i] = api.Session{ID: one.Key, Kind: one.Kind, Scope: one.Scope, Name: one.Name, Address: one.Where,
			CreatedAt: moment(one.CreatedAt), LastUsed: one.LastUsed, ExpiresAt: moment(one.ExpiresAt),
			Present: one.Session != 0 && one.Session == present}
	}
	return items
}

// me says who is signed in and what they may do in this product, and where.
func (s *Server) me(signed *app.SignedIn) api.Me {
	live, at := s.app.Live(), s.app.Now().Unix()
	out := api.Me{StaffNumber: signed.Staff.Number, Name: signed.Staff.FullName(), Called: signed.Staff.Called(),
		Owner:        signed.Staff.Owner,
		Organisation: live.State().Settings.Name, MustChange: signed.MustChange, May: map[string][]string{},
		Everywhere: []string{}}
	if signed.Session.Kind == "console" {
		out.CSRF = signed.CSRF
	}
	for _, permission := range permit.ConsolePermissions() {
		reach, anywhere := live.Reach(signed.Staff.ID, permission.Key, at)
		held := func(id estate.PlaceID) bool { return reach[id] }
		if permission.Key == permit.ViewStaff { // be it those in teams that they lead, or their own record
			sight := live.Sight(signed.Staff.ID, at)
			held, anywhere = sight.SomeAt, sight.Anywhere
			if anywhere {
				out.May[permission.Key] = []string{}
			}
		}
		if !anywhere {
			continue
		}
		for here := range live.Tree().All {
			if here.Place.Kind != estate.Organisation && held(here.Place.ID) { // its sites are named
				if sites := out.May[permission.Key]; len(sites) == 0 || sites[len(sites)-1] != here.Site.Code {
					out.May[permission.Key] = append(sites, here.Site.Code)
				}
			}
		}
		if live.HoldsEverywhere(signed.Staff.ID, permission.Key, at) {
			out.Everywhere = append(out.Everywhere, permission.Key)
		}
	}
	return out
}
