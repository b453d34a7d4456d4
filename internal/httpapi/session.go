package httpapi

import (
	"context"
	"net/http"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/permit"
)

func (s *Server) registerSession() {
	type signIn struct{ Body api.SignIn }
	type signedIn struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
		Body      api.SignedIn
	}
	route(s, "POST", "/session", "sign-in", "session", "Sign in", Access{Public: true}, func(ctx context.Context, in *signIn) (*signedIn, error) {
		kind := in.Body.Kind
		if kind == "" {
			kind = "console"
		}
		signed, err := s.app.SignIn(ctx, in.Body.Name, in.Body.Password, kind, in.Body.Device, callerOf(ctx).address)
		if err != nil {
			return nil, err
		}
		out := &signedIn{Body: api.SignedIn{Me: s.me(signed), ExpiresAt: &signed.Session.ExpiresAt}}
		if kind == "client" {
			out.Body.Token = signed.Token
		} else {
			out.SetCookie = http.Cookie{Name: cookieName, Value: signed.Token, Path: "/", HttpOnly: true, Secure: s.config.Secure, SameSite: http.SameSiteStrictMode,
				MaxAge: int(app.ConsoleSession.Seconds())}
		}
		return out, nil
	})
	type signedOut struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
	}
	route(s, "DELETE", "/session", "sign-out", "session", "Sign out: the session or token used for this counts no longer", Access{BeforePass: true}, func(ctx context.Context, _ *struct{}) (*signedOut, error) {
		return &signedOut{SetCookie: http.Cookie{Name: cookieName, Path: "/", HttpOnly: true, Secure: s.config.Secure, SameSite: http.SameSiteStrictMode, MaxAge: -1}},
			s.app.SignOut(ctx, callerOf(ctx).signed.Session)
	})
	type me struct{ Body api.Me }
	route(s, "GET", "/me", "me", "session", "Who is signed in, and what they may do", Access{BeforePass: true}, func(ctx context.Context, _ *struct{}) (*me, error) {
		return &me{Body: s.me(callerOf(ctx).signed)}, nil
	})
	type passwordIn struct{ Body api.PasswordChange }
	route(s, "POST", "/me/password", "change-password", "session", "Change one's own password; other sessions end", Access{BeforePass: true}, func(ctx context.Context, in *passwordIn) (*struct{}, error) {
		c := callerOf(ctx)
		return nil, s.app.ChangePassword(ctx, c.signed, in.Body.OldPassword, in.Body.NewPassword, c.origin())
	})
	route(s, "GET", "/me/sessions", "list-sessions", "session", "One's own sessions and tokens", Access{}, func(ctx context.Context, in *Paging) (*listed[api.Session], error) {
		c := callerOf(ctx)
		sessions, err := s.app.Sessions(ctx, c.id())
		if err != nil {
			return nil, err
		}
		items := make([]api.Session, len(sessions))
		for i, session := range sessions {
			items[i] = api.Session{ID: session.ID, Kind: session.Kind, Name: session.Name, CreatedAt: session.CreatedAt, ExpiresAt: session.ExpiresAt,
				Present: session.ID == c.signed.Session.ID}
		}
		return pageOf(items, in)
	})
	type endIn struct {
		ID uint64 `path:"id"`
	}
	route(s, "DELETE", "/me/sessions/{id}", "end-session", "session", "End one of one's own sessions or tokens", Access{}, func(ctx context.Context, in *endIn) (*struct{}, error) {
		return nil, s.app.EndSession(ctx, callerOf(ctx).id(), in.ID)
	})
}

// me says who is signed in and what they may do in this product, and where.
func (s *Server) me(signed *app.SignedIn) api.Me {
	live, at := s.app.Live(), s.app.Now().Unix()
	out := api.Me{StaffNumber: signed.Staff.Number, Name: signed.Staff.FullName(), Called: signed.Staff.Called(), Owner: signed.Staff.Owner,
		Organisation: live.State().Settings.Name, MustChange: signed.MustChange, May: map[string][]string{}, Everywhere: []string{}}
	if signed.Session.Kind == "console" {
		out.CSRF = signed.CSRF
	}
	for _, permission := range permit.ConsolePermissions() {
		reach, any := live.Reach(signed.Staff.ID, permission.Key, at)
		if !any {
			continue
		}
		for here := range live.Tree().Walk {
			if reach[here.Place.ID] {
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
