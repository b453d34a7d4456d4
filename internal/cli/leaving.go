package cli

import (
	"fmt"
	"net/url"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

func (s *session) leavingCommand() *cobra.Command {
	var site string
	var open bool
	listing := &cobra.Command{Use: "list", Short: "Who leaves or has left lately, and what is to be done",
		Args:    cobra.NoArgs,
		Example: "  loyal leaving list --site HB --open"}
	limit := limitFlag(listing, 500)
	listing.Flags().StringVar(&site, "site", "", "of this home site")
	listing.Flags().BoolVar(&open, "open", false, "only those of whom something is to be done")
	completeFlag(listing, "site", s.completePlaces())
	listing.RunE = func(c *cobra.Command, _ []string) error {
		var options []client.Option
		if site != "" {
			at, err := s.place(c.Context(), site)
			if err != nil {
				return err
			}
			options = append(options, client.Query("site", at.Code))
		}
		if open {
			options = append(options, client.Query("open", "true"))
		}
		return list(c.Context(), s, "/leavers", *limit, []column[api.Leaving]{
			{"NUMBER", func(l api.Leaving) string { return l.StaffNumber }},
			{"NAME", func(l api.Leaving) string { return l.Name }},
			{"SITE", func(l api.Leaving) string { return l.HomeSite.Code }},
			{"GOES", func(l api.Leaving) string { return l.Gone.Local().Format("2006-01-02 15:04") }},
			{"STATUS", func(l api.Leaving) string { return l.Status }},
			{"TO DO", func(l api.Leaving) string { return fmt.Sprintf("%d of %d", l.Open, len(l.Tasks)) }},
		}, options...)
	}
	show := &cobra.Command{Use: "show STAFF", Short: "What is to be done for one who leaves", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeStaff(), Example: "  loyal leaving show Q0232",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			var l api.Leaving
			if err := s.client.Get(c.Context(), "/leavers/"+p.StaffNumber, &l); err != nil {
				return err
			}
			return s.sayLeaving(&l)
		}}
	tick := func(use, short, method string) *cobra.Command {
		return &cobra.Command{Use: use + " STAFF TASK", Short: short, Args: cobra.ExactArgs(2),
			ValidArgsFunction: s.completeStaff(), Example: "  loyal leaving " + use + " Q0232 keys",
			RunE: func(c *cobra.Command, args []string) error {
				if err := s.atOnce(); err != nil {
					return err
				}
				p, err := s.staff(c.Context(), args[0])
				if err != nil {
					return err
				}
				var l api.Leaving
				if err := s.client.Do(c.Context(), method, "/leavers/"+p.StaffNumber+"/tasks/"+url.PathEscape(args[1]),
					nil,
					&l); err != nil {
					return err
				}
				return s.sayLeaving(&l)
			}}
	}
	cancel := s.plainMany("reinstate", "Call a leaving off, or bring back who has left",
		sayMany{"", "%s stays.", "%s stay."})
	cancel.Use, cancel.Example = "cancel [STAFF...]", "  loyal leaving cancel Q0232 --reason 'stays on'"
	return noun("leaving", "Who leaves, and what is to be done", listing, show,
		tick("done", "Tick off what is done", "PUT"), tick("undone", "Take a tick back", "DELETE"), cancel)
}

func (s *session) sayLeaving(l *api.Leaving) error {
	if s.output == "json" {
		return s.json(l)
	}
	s.line("Who", l.Name+", "+l.StaffNumber)
	s.line("Goes", l.Gone.Local().Format("2006-01-02 15:04")+", "+l.Status)
	if l.Who != nil {
		s.line("Task of", l.Who.Name)
	}
	table(s, l.Tasks, []column[api.LeavingTask]{{"TASK", func(t api.LeavingTask) string { return t.Key }},
		{"WHAT", func(t api.LeavingTask) string { return t.What }}, {"DONE", func(t api.LeavingTask) string {
			switch {
			case t.Done && t.By != nil:
				return "by " + t.By.Name
			case t.Done:
				return "yes"
			case !t.Hand:
				return "once the records say so"
			}
			return "no"
		}}})
	return nil
}

func (s *session) handoverCommand() *cobra.Command {
	var body api.HandOverWrite
	var to string
	c := &cobra.Command{Use: "handover STAFF --to SUCCESSOR", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeStaff(),
		Short:             "Give a successor what somebody leaves behind; each keeps their own name and history",
		Example: "  loyal handover Q0003 --to Q0007 --all --reports --from 2027-01-04 --reason 'Q0003 leaves'\n" +
			"  loyal handover Q0003 --to 'Joss Hallam' --assignments 12,15 --exceptions --preview"}
	c.Flags().StringVar(&to, "to", "", "the successor (required)")
	c.Flags().StringVar(&body.From, "from", "", "first day of what the successor gets; today where left out")
	c.Flags().UintSlice("assignments", nil, "numbers of the assignments that go over")
	c.Flags().BoolVar(&body.All, "all", false, "all assignments that go on")
	c.Flags().BoolVar(&body.Exceptions, "exceptions", false, "exceptions too")
	c.Flags().BoolVar(&body.Reports, "reports", false, "those whose line manager they are have the successor for one")
	completeFlag(c, "to", s.completeStaff())
	c.RunE = func(c *cobra.Command, args []string) error {
		if to == "" {
			return usagef("say who the successor is with --to")
		}
		p, successor, err := s.pair(c.Context(), args[0], to)
		if err != nil {
			return err
		}
		if body.Assignments, err = assignmentsOf(c); err != nil {
			return err
		}
		body.To, body.Reason = successor.StaffNumber, s.reason
		_, err = s.write(c.Context(), "POST", "/staff/"+p.StaffNumber+"/handover", body,
			fmt.Sprintf("The work of %s is handed over to %s.", fullName(p), fullName(successor)))
		return err
	}
	return c
}
