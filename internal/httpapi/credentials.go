package httpapi

import (
	"context"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/permit"
)

func (s *Server) registerCredentials() {
	type listIn struct {
		Paging
		Staff string `query:"staff" maxLength:"64" required:"true"`
	}
	route(s, "GET", "/credentials", "list-credentials", "credentials", "Somebody's credentials, without their secrets",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *listIn) (*listed[api.Credential], error) {
			p, err := s.app.PersonWhole(callerOf(ctx).id(), in.Staff)
			if err != nil {
				return nil, err
			}
			v := s.view(ctx)
			all := []api.Credential{}
			for _, id := range v.live.State().CredentialsOf(p.ID) {
				all = append(all, v.credential(v.live.State().Credential(id)))
			}
			return pageOf(all, &in.Paging)
		})
	type pinIn struct {
		Writing
		Body api.PINWrite
	}
	route(s, "POST", "/credentials/pin", "set-pin", "credentials",
		"Set somebody's PIN, or have one generated that is shown this once", Access{Operation: "pin.set"},
		func(ctx context.Context, in *pinIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "pin.set", Set: set(in.Body.PINFields)})
		})
	type passwordIn struct {
		Writing
		Body api.PasswordWrite
	}
	route(s, "POST", "/credentials/password", "issue-password", "credentials",
		"Issue a first password for the console, shown this once", Access{Operation: "password.issue"},
		func(ctx context.Context, in *passwordIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "password.issue", Set: set(map[string]string{"staff": in.Body.Staff})})
		})
	route(s, "DELETE", "/credentials/{id}", "withdraw-credential", "credentials", "Withdraw a PIN",
		Access{Operation: "pin.withdraw"}, func(ctx context.Context, in *ending) (*changed, error) {
			v := s.view(ctx)
			c := v.live.State().Credential(credential.ID(in.ID))
			if c == nil || c.Kind != credential.PIN || !v.sees.whole(c.Staff) {
				return nil, fault.Missingf("path.id", "there is no PIN %d that you may see", in.ID)
			}
			if c.State == credential.Withdrawn {
				return nil, fault.Conflictf("path.id", "this PIN is withdrawn already")
			}
			return s.write(ctx, in.Writing, in.Reason,
				change.Operation{Op: "pin.withdraw",
					Set: set(map[string]any{"staff": v.named(c.Staff).StaffNumber, "duress": c.Duress})})
		})
}
