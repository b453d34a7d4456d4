package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

func (s *session) ownerCommand() *cobra.Command {
	listing := &cobra.Command{Use: "list", Short: "Who owns the organisation here: they hold everything everywhere",
		Args: cobra.NoArgs, Example: "  loyal owner list"}
	limit := limitFlag(listing, 50)
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/staff", *limit, []column[api.Staff]{
			{"NUMBER", func(p api.Staff) string { return p.StaffNumber }},
			{"NAME", func(p api.Staff) string { return fullName(&p) }},
			{"EMAIL", func(p api.Staff) string { return p.Email }}, {"STATUS", status},
		}, client.Query("owner", "true"))
	}
	return noun("owner", "Those who hold everything everywhere; only owners say who they are", listing,
		s.ownerAct("add", "staff.make_owner", "Make somebody an owner: they hold everything everywhere",
			"%s (%s) will hold every permission at every place, and can give them all. Go on?", "%s is an owner."),
		s.ownerAct("end", "staff.unmake_owner", "Take ownership from somebody; they keep what they are assigned",
			"%s (%s) will hold what they are assigned, and nothing else. Go on?", "%s is no longer an owner."))
}

func (s *session) ownerAct(use, op, short, question, done string) *cobra.Command {
	return &cobra.Command{Use: use + " STAFF", Short: short, Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeStaff(),
		Example:           "  loyal owner " + use + " Q0002 --reason 'shares the work'",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			s.ask(fmt.Sprintf(question, fullName(p), p.StaffNumber))
			_, err = s.change(c.Context(), fmt.Sprintf(done, fullName(p)), api.Operation{Op: op, On: p.StaffNumber})
			return err
		}}
}

// passwordCommand gives somebody a first password.
func (s *session) passwordCommand() *cobra.Command {
	return &cobra.Command{Use: "password STAFF", Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeStaff(),
		Short:   "Give somebody a first password for the console, which is printed this once",
		Example: "  loyal password Q0007 --reason 'a new supervisor'",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			s.ask(fmt.Sprintf("A password that %s (%s) has now stops counting. Go on?", fullName(p), p.StaffNumber))
			_, err = s.write(c.Context(), "POST", "/credentials/password",
				api.PasswordWrite{Staff: p.StaffNumber, Reasoned: api.Reasoned{Reason: s.reason}},
				"The first password of "+fullName(p)+" is made.")
			return err
		}}
}
