package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

func (s *session) signInCommand() *cobra.Command {
	return noun("sign-in", "Who signs in to the console, or may, and when they last did", s.signInList(),
		s.signInAct("end", "/sign-ins/end", "End all sessions and tokens of somebody, or of several",
			"End all sessions and tokens of %d people?", "Ended for %d."),
		s.signInAct("mail", "/sign-ins/links", "Mail somebody, or several, a link at which they choose a password", "",
			"A link is sent to %d."))
}

func unused(days *int) string {
	if days == nil {
		return ""
	}
	return fmt.Sprint(*days)
}

func (s *session) signInList() *cobra.Command {
	var q, state, sort string
	var days int
	listing := &cobra.Command{Use: "list", Short: "Who signs in, or may, with the last sign-in of each",
		Args:    cobra.NoArgs,
		Example: "  loyal sign-in list --unused-days 60\n  loyal sign-in list --sort last -o csv"}
	limit := limitFlag(listing, 500)
	listing.Flags().StringVar(&q, "search", "", "words of the name, number or email")
	listing.Flags().StringVar(&state, "state", "", "signs_in, first_password, none, run_out or locked")
	listing.Flags().IntVar(&days, "unused-days", 0, "who have not signed in for at least this many days")
	listing.Flags().StringVar(&sort, "sort", "", "name or last; - for descending")
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/sign-ins", *limit, []column[api.SignInAccount]{
			{"NUMBER", func(a api.SignInAccount) string { return a.Staff.StaffNumber }},
			{"NAME", func(a api.SignInAccount) string { return a.Staff.Name }},
			{"STATE", func(a api.SignInAccount) string { return signInStates[a.State] }},
			{"LAST SIGN-IN", func(a api.SignInAccount) string { return or(local(a.Last), "never") }},
			{"UNUSED DAYS", func(a api.SignInAccount) string { return unused(a.UnusedDays) }},
			{"SESSIONS", func(a api.SignInAccount) string { return fmt.Sprint(a.Sessions) }},
		}, client.Query("q", q), client.Query("state", state), client.Query("sort", sort), number("unused_days", days))
	}
	return listing
}

var signInStates = map[string]string{"signs_in": "signs in", "first_password": "first password",
	"none": "has no password", "run_out": "password has run out", "locked": "locked"}

// number adds a query parameter where it is not 0.
func number(name string, n int) client.Option {
	if n == 0 {
		return client.Query(name, "")
	}
	return client.Query(name, fmt.Sprint(n))
}

// signInAct does something at once for one person or several, and says for whom it was refused.
func (s *session) signInAct(use, path, short, question, done string) *cobra.Command {
	return &cobra.Command{Use: use + " STAFF...", Short: short, Args: cobra.MinimumNArgs(1),
		ValidArgsFunction: s.completeStaff(), Example: "  loyal sign-in " + use + " Q0003 Q0004",
		RunE: func(c *cobra.Command, args []string) error {
			if err := s.atOnce(); err != nil {
				return err
			}
			body := api.StaffChosen{}
			for _, typed := range args {
				p, err := s.staff(c.Context(), typed)
				if err != nil {
					return err
				}
				body.Staff = append(body.Staff, p.StaffNumber)
			}
			if question != "" {
				if err := s.confirm(fmt.Sprintf(question, len(args))); err != nil {
					return err
				}
			}
			var settled api.Settled
			if err := s.client.Do(c.Context(), "POST", path, body, &settled); err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(settled)
			}
			for _, fail := range settled.Refused {
				fmt.Fprintf(s.err, "%s: %s\n", fail.Staff, fail.Why)
			}
			fmt.Fprintf(s.err, done+"\n", len(settled.Done))
			if len(settled.Refused) > 0 {
				return refusal{}
			}
			return nil
		}}
}

func (s *session) credentialCommand() *cobra.Command {
	var staff, kind, sort string
	var days int
	listing := &cobra.Command{Use: "list", Args: cobra.NoArgs,
		Short:   "PINs, badges and passwords in use, with when each was last used",
		Example: "  loyal credential list --unused-days 90 --kind badge\n  loyal credential list --staff Q0241"}
	limit := limitFlag(listing, 500)
	listing.Flags().StringVar(&staff, "staff", "", "of this person, those that were withdrawn too")
	listing.Flags().StringVar(&kind, "kind", "", "pin, badge or password")
	listing.Flags().IntVar(&days, "unused-days", 0, "not used for at least this many days")
	listing.Flags().StringVar(&sort, "sort", "", "issued, last_used or name; - for descending")
	completeFlag(listing, "staff", s.completeStaff())
	listing.RunE = func(c *cobra.Command, _ []string) error {
		if staff != "" {
			p, err := s.staff(c.Context(), staff)
			if err != nil {
				return err
			}
			staff = p.StaffNumber
		}
		return list(c.Context(), s, "/credentials", *limit, []column[api.Credential]{
			{"NUMBER", func(c api.Credential) string { return c.Staff.StaffNumber }},
			{"NAME", func(c api.Credential) string { return c.Staff.Name }},
			{"KIND", func(c api.Credential) string {
				if c.Badge != nil {
					return "badge " + c.Badge.Number
				}
				return c.Kind
			}},
			{"STATE", func(c api.Credential) string { return c.State }},
			{"ISSUED", func(c api.Credential) string { return local(&c.IssuedAt) }},
			{"LAST USED", func(c api.Credential) string { return or(local(c.LastUsed), "never") }},
			{"UNUSED DAYS", func(c api.Credential) string { return unused(c.UnusedDays) }},
		}, client.Query("staff", staff), client.Query("kind", kind), client.Query("sort", sort), number("unused_days",
			days))
	}
	return noun("credential", "PINs, badges and passwords, and when they were last used", listing)
}
