package httpapi

import (
	"context"
	"net/http"
	"strings"
	"time"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// terminalCookie keeps, on a tablet, the token of the terminal that it is.
const terminalCookie = "latch_terminal"

// registerTerminals registers how tablets become shared terminals.
func (s *Server) registerTerminals() {
	type addIn struct{ Body api.TerminalWrite }
	type added struct{ Body api.TerminalMade }
	route(s, "POST", "/terminals", "add-terminal", "terminals",
		"Make a shared terminal: the answer is a code that is typed on the tablet, once, within half an hour",
		Access{Permission: permit.ManageDevices}, func(ctx context.Context, in *addIn) (*added, error) {
			c := callerOf(ctx)
			code, device, expires, err := s.app.AddTerminal(ctx, s.request(ctx, in.Body.Reason), in.Body.Name,
				in.Body.Place)
			if err != nil {
				return nil, renamed(err, func(name string) string {
					_, name = operationOf(name)
					return "body." + strings.TrimPrefix(name, "set.")
				})
			}
			return &added{api.TerminalMade{ID: device, Code: code, ExpiresAt: expires,
				Address: s.scheme() + "://" + c.host + "/terminal"}}, nil
		})
	type claimIn struct{ Body api.TerminalClaim }
	type claimed struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
	}
	route(s, "POST", "/terminal/register", "register-terminal", "terminals", "Register a tablet by its code",
		Access{Public: true}, func(ctx context.Context, in *claimIn) (*claimed, error) {
			token, err := s.app.ClaimTerminal(ctx, in.Body.Code, callerOf(ctx).address)
			if err != nil {
				return nil, err
			}
			return &claimed{http.Cookie{Name: terminalCookie, Value: token, Path: "/", HttpOnly: true,
				Secure: s.config.Secure, SameSite: http.SameSiteStrictMode, MaxAge: 10 * 365 * 24 * 3600}}, nil
		})
	type shown struct{ Body api.Terminal }
	route(s, "GET", "/terminal", "get-terminal", "terminals", "What a terminal shows while nobody is signed in at it",
		Access{Terminal: true}, func(ctx context.Context, _ *struct{}) (*shown, error) {
			device := callerOf(ctx).device
			live := s.app.Live()
			here := live.Tree().At(device.Place)
			return &shown{api.Terminal{Name: device.Name, Place: api.PlaceRef{Code: here.Place.Code,
				Name: here.Place.Name},
				Organisation: live.State().Settings.Name, TimeZone: here.Location.String(),
				Proof: string(here.Place.Proof),
				At:    s.app.Now().In(here.Location).Format(time.RFC3339)}}, nil
		})
}

func (s *Server) scheme() string {
	if s.config.Secure {
		return "https"
	}
	return "http"
}

// registerVisits registers what somebody does at a shared terminal.
func (s *Server) registerVisits() {
	type showIn struct{ Body api.TerminalShow }
	type visitOut struct{ Body api.Visit }
	route(s, "POST", "/terminal/visit", "visit", "terminals", "Show oneself at a terminal: by a PIN, a badge or both",
		Access{Terminal: true}, func(ctx context.Context, in *showIn) (*visitOut, error) {
			v, token, err := s.app.Greet(ctx, callerOf(ctx).device, in.Body.PIN, in.Body.Badge)
			if err != nil {
				return nil, err
			}
			out := s.visitView(v)
			out.Token = token
			return &visitOut{out}, nil
		})
	route(s, "GET", "/terminal/visit", "get-visit", "terminals",
		"What whoever is signed in at a terminal can do there, now",
		Access{Visit: true}, func(ctx context.Context, _ *struct{}) (*visitOut, error) {
			return &visitOut{s.visitView(callerOf(ctx).visit)}, nil
		})
	type pinIn struct{ Body api.VisitPIN }
	type verdict struct{ Body api.PINVerdict }
	route(s, "POST", "/terminal/visit/pin/check", "check-pin", "terminals",
		"Say what is wrong with a PIN that is being typed; nothing is said of who has it", Access{Visit: true},
		func(ctx context.Context, in *pinIn) (*verdict, error) {
			return &verdict{api.PINVerdict{Wrong: s.app.PINFault(callerOf(ctx).visit.Staff, in.Body.PIN)}}, nil
		})
	route(s, "POST", "/terminal/visit/pin", "choose-pin", "terminals", "Choose a new PIN of one's own",
		Access{Visit: true}, func(ctx context.Context, in *pinIn) (*struct{}, error) {
			return nil, atVisit(s.app.ChoosePIN(ctx, callerOf(ctx).visit, in.Body.PIN))
		})
	type acceptIn struct{ Body api.VisitAccept }
	route(s, "POST", "/terminal/visit/acceptances", "accept-notice", "terminals",
		"Accept a version of a notice that one has read", Access{Visit: true},
		func(ctx context.Context, in *acceptIn) (*struct{}, error) {
			return nil, atVisit(s.app.AcceptNotice(ctx, callerOf(ctx).visit, in.Body.Notice, in.Body.Version))
		})
}

// atVisit names the fields of a fault as they are sent.
func atVisit(err error) error {
	return renamed(err, func(name string) string {
		_, name = operationOf(name)
		return "body." + strings.TrimPrefix(name, "set.")
	})
}

// soon is how far ahead somebody is told at a terminal what runs out.
const soon = 14 * 24 * time.Hour

func (s *Server) visitView(v *app.Visit) api.Visit {
	live, now := s.app.Live(), s.app.Now()
	p := live.State().Person(v.Staff)
	location := live.Tree().At(v.Device.Place).Location
	out := api.Visit{Called: p.Called(), IdleSeconds: s.app.IdleSecondsOf(v), Can: []api.VisitCan{},
		Ends: []api.VisitEnd{}, Notices: []api.VisitNotice{}, MayChoose: v.ByPIN}
	for _, sight := range live.Look(v.Staff, v.Device.Place, now.Unix()) {
		for _, offer := range sight.Offers {
			out.Can = append(out.Can, api.VisitCan{Title: offer.Permission.Title, Where: sight.Standing.Place.Name,
				Words: offer.Permission.Scale.Words(offer.Level),
				Until: s.endsToday(v.Staff, offer.Permission.ID, sight.Standing.Place.ID, now, location)})
		}
	}
	if len(out.Can) == 0 {
		out.Later = "There is nothing for you to do here at this hour. Ask your manager if you expected something."
	}
	for _, e := range live.RunsOut(v.Staff, now.Unix(), now.Add(soon).Unix()) {
		out.Ends = append(out.Ends, api.VisitEnd{What: view{live: live,
			at: now}.expiringWords(&app.Expiring{Ending: e}),
			Until: day.UntilWords(time.Unix(e.At, 0).In(live.Location(v.Staff)))})
	}
	if c := live.State().CredentialOf(v.Staff, credential.PIN); c != nil && v.ByPIN {
		out.ChoosePIN = c.MustChange
	}
	for _, of := range live.Notices(v.Staff, now.Unix()) {
		if of.Accepted == nil {
			n := of.Notice
			out.Notices = append(out.Notices, api.VisitNotice{Code: n.Code, Title: n.Title, Text: n.Text,
				Version: n.Version,
				Refuses: n.Refuses})
		}
	}
	return out
}

// endsToday says when something that somebody may do now ends, where that is within a day: "22:15".
func (s *Server) endsToday(id people.StaffID, permission permit.PermissionID, place estate.PlaceID, now time.Time,
	location *time.Location) string {
	at, ends := s.app.Live().Closes(access.Question{Staff: id, Permission: permission, Place: place, At: now.Unix()})
	if !ends || at.Sub(now) > 24*time.Hour {
		return ""
	}
	return at.In(location).Format("15:04")
}

// registerPINLinks registers how a PIN is handed over by mail: nobody but its holder knows it.
func (s *Server) registerPINLinks() {
	type sent struct{ Body api.PINLinkSent }
	route(s, "POST", "/staff/{id}/pin-link", "send-pin-link", "credentials",
		"Mail somebody a link at which they choose a PIN; it works once, for two days, with their staff number",
		Access{Permission: permit.IssueCredentials, Scope: app.ScopeDaily},
		func(ctx context.Context, in *OneStaff) (*sent, error) {
			c := callerOf(ctx)
			to, expires, err := s.app.SendPINLink(ctx, c.id(), in.ID, c.origin())
			if err != nil {
				return nil, err
			}
			return &sent{api.PINLinkSent{To: to, ExpiresAt: expires}}, nil
		})
	type useIn struct{ Body api.PINLinkUse }
	type verdict struct{ Body api.PINVerdict }
	route(s, "POST", "/pin-link/check", "check-pin-link", "credentials",
		"Say whether a link leads somewhere, and what is wrong with a PIN that is being typed", Access{Public: true},
		func(ctx context.Context, in *useIn) (*verdict, error) {
			called, wrong, err := s.app.CheckPINByLink(ctx, in.Body.Token, in.Body.StaffNumber, in.Body.PIN)
			return &verdict{api.PINVerdict{Wrong: wrong, Called: called}}, err
		})
	route(s, "POST", "/pin-link/use", "use-pin-link", "credentials",
		"Choose one's PIN by a link, which is used up by it",
		Access{Public: true}, func(ctx context.Context, in *useIn) (*struct{}, error) {
			return nil, atVisit(s.app.ChoosePINByLink(ctx, in.Body.Token, in.Body.StaffNumber, in.Body.PIN,
				callerOf(ctx).address))
		})
}
