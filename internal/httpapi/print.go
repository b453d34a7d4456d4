package httpapi

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/paper"
	"loyallatch.example/latch/internal/store"
)

// printed is a PDF to be taken along.
type printed struct {
	Type        string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

func pdf(name string, body []byte) *printed {
	return &printed{paper.Type, fmt.Sprintf("attachment; filename=%q", name), body}
}

// Bounds on what is printed at once.
const (
	mostBadges = 1000
	mostSlips  = 200
)

// registerPrinting registers what is printed: badges, and PINs on slips.
func (s *Server) registerPrinting() {
	type badgesIn struct {
		BadgesAsked
		IDs  []uint32 `query:"ids" maxItems:"1000" doc:"Numbers of the records; left out: all that the filter keeps"`
		Code string   `query:"code" enum:"code128,qr" default:"code128" doc:"How the number is printed for machines"`
	}
	route(s, "GET", "/badges/print", "print-badges", "badges", "Print badges as PDF, ten to an A4 sheet",
		Access{Permission: permit.IssueCredentials}, func(ctx context.Context, in *badgesIn) (*printed, error) {
			v := s.view(ctx)
			all, err := s.badges(ctx, v, &in.BadgesAsked)
			if err != nil {
				return nil, err
			}
			faces, holders := []paper.Badge{}, []people.StaffID{}
			for i := range all {
				b := &all[i]
				if len(in.IDs) > 0 && !slices.Contains(in.IDs, b.ID) ||
					!access.InReach(v.sees.issues(), v.live.State().PlaceByCode(b.Site.Code).ID) {
					continue
				}
				face := paper.Badge{Organisation: v.live.State().Settings.Name, Site: b.Site.Name, Label: b.Label,
					Number: b.Number}
				if b.Holder != nil && !b.Day {
					face.Name, face.StaffNumber = b.Holder.Staff.Name, b.Holder.Staff.StaffNumber
				}
				var holder people.StaffID
				if face.Name != "" && v.sees.whole(v.live.State().StaffByNumber(face.StaffNumber).ID) {
					holder = v.live.State().StaffByNumber(face.StaffNumber).ID
				}
				faces, holders = append(faces, face), append(holders, holder)
			}
			switch {
			case len(faces) == 0:
				return nil, fault.Missingf("query", "no badge fits, so there is nothing to print")
			case len(faces) > mostBadges:
				return nil, fault.Invalidf("query", "at most %d badges are printed at once, and %d fit; choose fewer",
					mostBadges, len(faces))
			}
			photos, err := s.app.Photos(ctx, holders)
			if err != nil {
				return nil, err
			}
			for i := range faces {
				faces[i].Photo = photos[holders[i]]
			}
			var body bytes.Buffer
			err = paper.Badges(&body, faces, paper.Code(in.Code), s.app.Now())
			return pdf("badges.pdf", body.Bytes()), err
		})
	type slipsIn struct {
		Key  string `header:"Idempotency-Key" doc:"The same key with the same request is carried out once"`
		Body api.SlipsWrite
	}
	route(s, "POST", slipsPath, "print-pin-slips", "credentials",
		"Generate PINs and print each on a slip to be folded in three, this once", Access{Operation: "pin.set"},
		func(ctx context.Context, in *slipsIn) (*printed, error) {
			return s.slips(ctx, &in.Body)
		})
}

// slips generates PINs and returns them on paper, and nowhere else.
func (s *Server) slips(ctx context.Context, body *api.SlipsWrite) (*printed, error) {
	if len(body.Staff) == 0 || len(body.Staff) > mostSlips {
		return nil, fault.Invalidf("body.staff", "1 to %d people get slips at once", mostSlips)
	}
	operations := make([]change.Operation, len(body.Staff))
	for i, number := range body.Staff {
		operations[i] = change.Operation{Op: "pin.set",
			Set: set(map[string]any{"staff": number, "must_change": body.MustChange, "until": body.Until})}
	}
	request := s.request(ctx, body.Reason)
	request.Operations = operations
	// Drawn before the change is kept: what cannot be handed over replaces nothing
	var out bytes.Buffer
	request.Within = func(_ *store.Tx, _ uint64, trial *change.Trial) error {
		out.Reset()
		return paper.Slips(&out, slipsOf(trial.After, trial.Secrets), s.app.Now())
	}
	if _, err := s.app.Commit(ctx, request); err != nil {
		return nil, renamed(err, func(name string) string {
			number, field := operationOf(name)
			if field == "set.staff" {
				return "body.staff[" + number + "]"
			}
			return "body." + strings.TrimPrefix(field, "set.")
		})
	}
	return pdf("pin-slips.pdf", out.Bytes()), nil
}

// slipsPath is the route that prints them.
const slipsPath = "/credentials/slips"

// slipsOf are the slips of PINs that a change generated.
func slipsOf(after *access.Snapshot, secrets []change.Secret) []paper.Slip {
	state := after.State()
	slips := make([]paper.Slip, 0, len(secrets))
	for _, secret := range secrets {
		p := state.StaffByNumber(secret.Owner)
		if p == nil {
			continue // whose number was changed since
		}
		slip := paper.Slip{Organisation: state.Settings.Name, Name: p.FullName(), StaffNumber: p.Number,
			Site: state.Place(p.HomeSite).Name, PIN: secret.Value}
		if c := state.CredentialOf(p.ID, credential.PIN); c != nil {
			slip.MustChange = c.MustChange
			if !c.Until.IsZero() {
				slip.Until = c.Until.In(after.Location(p.ID)).Format("2 Jan 2006 15:04")
			}
		}
		slips = append(slips, slip)
	}
	return slips
}
