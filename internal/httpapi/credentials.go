package httpapi

import (
	"context"
	"slices"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

func (s *Server) registerCredentials() {
	type listIn struct {
		Paging
		Staff      string `query:"staff" maxLength:"64" doc:"Staff number; left out: of all whom you see whole, those that are in use"`
		Kind       string `query:"kind" enum:"pin,badge,password"`
		UnusedDays int    `query:"unused_days" minimum:"0" doc:"Those not used for so many days"`
		Sort       string `query:"sort" enum:"issued,-issued,last_used,-last_used,name,-name" doc:"- for descending; left out: as they were issued"`
	}
	route(s, "GET", "/credentials", "list-credentials", "credentials", "Somebody's credentials, without their secrets",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *listIn) (*listed[api.Credential], error) {
			var of people.StaffID
			if in.Staff != "" {
				p, err := s.app.PersonWhole(callerOf(ctx).id(), in.Staff)
				if err != nil {
					return nil, err
				}
				of = p.ID
			}
			all, err := s.credentials(ctx, of)
			if err != nil {
				return nil, err
			}
			all = slices.DeleteFunc(all, func(c api.Credential) bool {
				return in.Kind != "" && c.Kind != in.Kind || in.UnusedDays > 0 &&
					(c.UnusedDays == nil || *c.UnusedDays < in.UnusedDays)
			})
			if in.Sort != "" {
				sortBy(all, in.Sort, map[string]func(*api.Credential) string{
					"issued":    func(c *api.Credential) string { return c.IssuedAt.UTC().Format(time.RFC3339) },
					"last_used": func(c *api.Credential) string { return momentKey(c.LastUsed) },
					"name":      func(c *api.Credential) string { return words.Fold(c.Staff.Name) }})
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

// momentKey is a moment as it is sorted; what never came is first.
func momentKey(t *time.Time) string {
	if t == nil {
		return ""
	}
	return t.UTC().Format(time.RFC3339)
}

// credentials returns somebody's credentials, or those in use of all whom the caller sees whole, with when each was
// last used.
func (s *Server) credentials(ctx context.Context, of people.StaffID) ([]api.Credential, error) {
	v, all := s.view(ctx), []api.Credential{}
	used, err := s.app.LastUses(ctx)
	if err != nil {
		return nil, err
	}
	signedIn, _, err := s.app.LastSignIns(ctx)
	if err != nil {
		return nil, err
	}
	add := func(c *credential.Credential) {
		one := v.credential(c)
		last := used[uint32(c.ID)]
		if c.Kind == credential.Password && c.State != credential.Withdrawn {
			last = signedIn[uint32(c.Staff)]
		}
		one.LastUsed = moment(last)
		if c.State != credential.Withdrawn {
			since := c.IssuedAt
			if !last.IsZero() {
				since = last
			}
			days := int(v.at.Sub(since) / (24 * time.Hour))
			one.UnusedDays = &days
		}
		all = append(all, one)
	}
	if of != 0 {
		for _, id := range v.live.State().CredentialsOf(of) {
			add(v.live.State().Credential(id))
		}
		return all, nil
	}
	for _, c := range v.live.State().Credentials.All() {
		if c.State != credential.Withdrawn && v.sees.whole(c.Staff) {
			add(c)
		}
	}
	return all, nil
}
