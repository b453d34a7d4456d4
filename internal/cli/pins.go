package cli

import (
	"context"
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

func (s *session) pinCommand() *cobra.Command {
	var choose bool
	c := &cobra.Command{Use: "pin STAFF",
		Short: "Give somebody a PIN: generated and printed this once, or read from stdin with --choose",
		Args:  cobra.ExactArgs(1), ValidArgsFunction: s.completeStaff(),
		Example: "  loyal pin Q0241\n  printf '480216\\n' | loyal pin Q0241 --choose\n  loyal pin expire Q0241",
		RunE: func(c *cobra.Command, args []string) error {
			return s.givePIN(c.Context(), args[0], &api.PINFields{}, choose, "")
		}}
	c.Flags().BoolVar(&choose, "choose", false, "read the PIN without echo, or from stdin")
	c.AddCommand(s.pinGive("generate", "Generate a PIN, which is printed this once", false),
		s.pinGive("set", "Give a PIN that is read without echo, or from stdin", true), s.pinSlip(), s.pinMail(),
		s.pinExpire(), s.pinWithdraw())
	return c
}

func (s *session) pinGive(use, short string, choose bool) *cobra.Command {
	var fields api.PINFields
	var until string
	c := &cobra.Command{
		Use:               use + " STAFF",
		Short:             short,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: s.completeStaff(),
		Example: "  loyal pin " + use + " Q0241\n  loyal pin " + use +
			" Q0241 --until '2026-12-18 18:00' --must-change",
		RunE: func(c *cobra.Command, args []string) error {
			return s.givePIN(c.Context(), args[0], &fields, choose, until)
		},
	}
	c.Flags().BoolVar(&fields.MustChange, "must-change", false, "it is changed at its first use")
	c.Flags().BoolVar(&fields.Duress, "duress", false, "their second PIN, which opens and raises a silent alarm")
	c.Flags().StringVar(&until, "until", "",
		"when it stops counting, in the time zone of the home site; as the settings say where left out")
	return c
}

func (s *session) givePIN(ctx context.Context, typed string, fields *api.PINFields, choose bool, until string) error {
	p, err := s.staff(ctx, typed)
	if err != nil {
		return err
	}
	body := api.PINWrite{PINFields: *fields}
	body.Staff, body.Reason = p.StaffNumber, s.reason
	if body.Until, err = s.momentAt(ctx, until, p.HomeSite.Code); err != nil {
		return err
	}
	if choose {
		if body.PIN, err = s.secret("PIN: "); err != nil {
			return err
		}
	}
	has, err := s.pinsOf(ctx, p)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(has, func(c api.Credential) bool { return c.Duress == fields.Duress }) {
		s.ask(fmt.Sprintf("The PIN that %s (%s) has now stops counting. Go on?", fullName(p), p.StaffNumber))
	}
	_, err = s.write(ctx, "POST", "/credentials/pin", body,
		fmt.Sprintf("%s has a new PIN; the one before no longer counts.", fullName(p)))
	return err
}

// pinsOf returns the PINs of somebody that are not withdrawn.
func (s *session) pinsOf(ctx context.Context, p *api.Staff) ([]api.Credential, error) {
	has, _, err := client.All[api.Credential](ctx, s.client, "/credentials", everything,
		client.Query("staff", p.StaffNumber))
	return slices.DeleteFunc(has,
		func(c api.Credential) bool { return c.Kind != "pin" || c.State == "withdrawn" }), err
}

func (s *session) pinWithdraw() *cobra.Command {
	var duress bool
	c := &cobra.Command{Use: "withdraw STAFF", Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeStaff(),
		Short:   "Withdraw the PIN of somebody: it no longer counts, and they get no other",
		Example: "  loyal pin withdraw Q0241 --reason 'seen over the shoulder'",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			s.ask(fmt.Sprintf("The PIN of %s (%s) stops counting. Go on?", fullName(p), p.StaffNumber))
			_, err = s.change(c.Context(), "The PIN of "+fullName(p)+" is withdrawn.",
				api.Operation{Op: "pin.withdraw", Set: raw(map[string]any{"staff": p.StaffNumber, "duress": duress})})
			return err
		}}
	c.Flags().BoolVar(&duress, "duress", false, "their second PIN, which raises a silent alarm")
	return c
}

func (s *session) pinSlip() *cobra.Command {
	var mustChange bool
	var into, until string
	c := &cobra.Command{Use: "slip STAFF...", Args: cobra.MinimumNArgs(1), ValidArgsFunction: s.completeStaff(),
		Short: "Generate PINs and print each on a slip to be folded in three; nobody sees them on a screen",
		Example: "  loyal pin slip Q0241 --into slip.pdf\n" +
			"  loyal pin slip Q0241 Q0242 Q0243 --must-change --into slips.pdf --yes"}
	c.Flags().BoolVar(&mustChange, "must-change", false, "they choose one of their own at first use")
	c.Flags().StringVar(&until, "until", "", "when they stop counting, in the time zone of the first one's home site")
	c.Flags().StringVar(&into, "into", "pin-slips.pdf", "file to write, - for stdout")
	c.RunE = func(c *cobra.Command, args []string) error {
		if s.preview || s.drafting {
			return usagef("PINs that are printed are made at once; leave out --preview and --draft")
		}
		body := api.SlipsWrite{MustChange: mustChange}
		body.Reason = s.reason
		replaces := 0
		for i, arg := range args {
			p, err := s.staff(c.Context(), arg)
			if err != nil {
				return err
			}
			if i == 0 {
				if body.Until, err = s.momentAt(c.Context(), until, p.HomeSite.Code); err != nil {
					return err
				}
			}
			has, err := s.pinsOf(c.Context(), p)
			if err != nil {
				return err
			}
			replaces += min(len(has), 1)
			body.Staff = append(body.Staff, p.StaffNumber)
		}
		if replaces > 0 {
			if err := s.confirm(words.Count(replaces, "PIN that is in use stops counting.",
				"PINs that are in use stop counting.") + " Go on?"); err != nil {
				return err
			}
		}
		var pdf []byte
		if err := s.client.Do(c.Context(), "POST", "/credentials/slips", body, &pdf,
			client.Header("Accept", "application/pdf")); err != nil {
			return err
		}
		return s.take(into, pdf, words.Count(len(args), "slip is", "slips are"))
	}
	return c
}

func (s *session) pinExpire() *cobra.Command {
	return &cobra.Command{Use: "expire STAFF", Short: "Withdraw the PIN that somebody has", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeStaff(), Example: "  loyal pin expire Q0241 --reason 'seen over the shoulder'",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			has, err := s.pinsOf(c.Context(), p)
			if err != nil {
				return err
			}
			if len(has) == 0 {
				return notFound{fmt.Errorf("%s has no PIN", fullName(p))}
			}
			s.ask(fmt.Sprintf("Withdraw the PIN of %s (%s)?", fullName(p), p.StaffNumber))
			_, err = s.write(c.Context(), "DELETE", fmt.Sprint("/credentials/", has[0].ID), nil,
				"The PIN of "+fullName(p)+" no longer counts.", client.Query("reason", s.reason))
			return err
		}}
}
