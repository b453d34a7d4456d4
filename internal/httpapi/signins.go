package httpapi

import (
	"context"
	"errors"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

// registerSignIns registers who may sign in to the console, when they last did, and what is done about that for several
// at once.
func (s *Server) registerSignIns() {
	type listIn struct {
		Paging
		Q          string `query:"q" maxLength:"100" doc:"Words of the name, number or email"`
		State      string `query:"state" enum:"signs_in,first_password,none,run_out,locked,all" default:"all"`
		UnusedDays int    `query:"unused_days" minimum:"0" doc:"Those who have not signed in for so many days"`
		Sort       string `query:"sort" enum:"name,-name,last,-last" default:"name" doc:"- for descending"`
	}
	route(s, "GET", "/sign-ins", "list-sign-ins", "session",
		"Who signs in to the console, or may, and when they last did",
		Access{Permission: permit.IssueCredentials},
		func(ctx context.Context, in *listIn) (*listed[api.SignInAccount], error) {
			v := s.view(ctx)
			list, err := s.app.SignIns(ctx, callerOf(ctx).id())
			if err != nil {
				return nil, err
			}
			all := []api.SignInAccount{}
			for i := range list {
				one := v.signIn(&list[i])
				if (in.State == "all" || one.State == in.State) &&
					(in.Q == "" || words.Fits(one.Staff.Name+" "+one.Staff.StaffNumber+" "+one.Email, in.Q)) &&
					(in.UnusedDays == 0 || one.UnusedDays != nil && *one.UnusedDays >= in.UnusedDays) {
					all = append(all, one)
				}
			}
			keys := map[string]func(*api.SignInAccount) string{
				"name": func(a *api.SignInAccount) string { return words.Fold(a.Staff.Name) },
				"last": func(a *api.SignInAccount) string { return momentKey(a.Last) }}
			sortBy(all, "name", keys) // also those of the same moment
			if in.Sort != "name" {
				sortBy(all, in.Sort, keys)
			}
			return pageOf(all, &in.Paging)
		})
	type chosenIn struct{ Body api.StaffChosen }
	type settled struct{ Body api.Settled }
	for _, act := range []struct {
		path, id, does string
		do             func(ctx context.Context, c *caller, number string) error
	}{
		{"/sign-ins/end", "end-sign-ins", "End all sessions and tokens of several people",
			func(ctx context.Context, c *caller, number string) error {
				_, err := s.app.EndActing(ctx, c.id(), number, "", 0, c.origin())
				return err
			}},
		{"/sign-ins/links", "send-password-links", "Mail several people a link at which they choose a password",
			func(ctx context.Context, c *caller, number string) error {
				_, _, err := s.app.SendPasswordLink(ctx, c.id(), number, c.origin())
				return err
			}},
	} {
		route(s, "POST", act.path, act.id, "session", act.does,
			Access{Permission: permit.IssueCredentials, Scope: app.ScopeDaily},
			func(ctx context.Context, in *chosenIn) (*settled, error) {
				out := &settled{api.Settled{Done: []string{}, Refused: []api.SettledFail{}}}
				for _, number := range in.Body.Staff {
					err := act.do(ctx, callerOf(ctx), number)
					var f *fault.Fault
					switch {
					case err == nil:
						out.Body.Done = append(out.Body.Done, number)
					case errors.As(err, &f):
						out.Body.Refused = append(out.Body.Refused, api.SettledFail{Staff: number,
							Why: sentence(f.Message)})
					default:
						return nil, err
					}
				}
				return out, nil
			})
	}
	type forgotIn struct{ Body api.Forgotten }
	route(s, "POST", "/password-link", "forgot-password", "session",
		"Ask for a link to choose a new password; the answer is the same whoever asks", Access{Public: true},
		func(ctx context.Context, in *forgotIn) (*struct{}, error) {
			return nil, s.app.ForgotPassword(ctx, in.Body.Name, callerOf(ctx).address)
		})
	type useIn struct{ Body api.PasswordLinkUse }
	type verdict struct{ Body api.PINVerdict }
	route(s, "POST", "/password-link/check", "check-password-link", "session", "Say whether a link leads somewhere",
		Access{Public: true}, func(ctx context.Context, in *useIn) (*verdict, error) {
			called, err := s.app.CheckPasswordLink(ctx, in.Body.Token, in.Body.StaffNumber)
			return &verdict{api.PINVerdict{Called: called}}, err
		})
	route(s, "POST", "/password-link/use", "use-password-link", "session",
		"Choose one's password by a link, which is used up by it", Access{Public: true},
		func(ctx context.Context, in *useIn) (*struct{}, error) {
			return nil, atVisit(s.app.ChoosePasswordByLink(ctx, in.Body.Token, in.Body.StaffNumber, in.Body.Password,
				callerOf(ctx).address))
		})
}

func (v view) signIn(of *app.SignInOf) api.SignInAccount {
	out := api.SignInAccount{Staff: v.named(of.Staff.ID), Email: of.Staff.Email,
		HomeSite: v.placeRef(of.Staff.HomeSite),
		State:    "signs_in", Last: moment(of.Last), Sessions: of.Sessions, Owner: of.Staff.Owner}
	since := of.Last
	if since.IsZero() && of.Password != nil {
		since = of.Password.IssuedAt
	}
	if !since.IsZero() {
		days := int(v.at.Sub(since) / (24 * time.Hour))
		out.UnusedDays = &days
	}
	switch {
	case of.Staff.Locked(v.at):
		out.State = "locked"
	case of.Password == nil:
		out.State = "none"
	case !of.Password.ValidAt(v.at.Unix()):
		out.State = "run_out"
	case of.Password.MustChange:
		out.State = "first_password"
	}
	return out
}
