package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

// reportKinds are the reports, in words of the client; which columns each has, the service says.
var reportKinds = []struct{ kind, short, takes, example string }{
	{"places", "How many people are assigned where, and as what", "site team", "--site HB"},
	{"weeks", "Who starts and leaves in each week, and how many are active", "site team from until",
		"--from 2026-08-01"},
	{"badges", "Badges that are with people, those of leavers first", "site team", "--site SM"},
	{"unused", "Active people whose PIN and badge have opened nothing for so many days", "site team days", "--days 60"},
	{"exceptions", "What is added or withheld for one person, the oldest first", "site team", "--team LINE-TWO"},
	{"doings", "The changes that one person made and the doors they passed", "staff from until", "--staff Q0007"},
}

func (s *session) reportCommand() *cobra.Command {
	c := noun("report", "Reports: who works where, starters and leavers, badges out, what one person did")
	for _, r := range reportKinds {
		c.AddCommand(s.reportOf(r.kind, r.short, strings.Fields(r.takes), r.example))
	}
	c.AddCommand(s.reportMailed(), s.reportUnmail())
	return c
}

// reportOf is one report: shown, or mailed to whoever asks for it now and then.
func (s *session) reportOf(kind, short string, takes []string, example string) *cobra.Command {
	var asked api.ReportAsked
	var sort, often string
	c := &cobra.Command{Use: kind, Short: short, Args: cobra.NoArgs,
		Example: "  loyal report " + kind + " " + example + "\n  loyal report " + kind + " -o csv\n  loyal report " +
			"" + kind +
			" " + example + " --mail weekly"}
	limit := limitFlag(c, 500)
	for _, name := range takes {
		switch name {
		case "site":
			c.Flags().StringVar(&asked.Site, name, "", "of this site")
			completeFlag(c, name, s.completePlaces())
		case "team":
			c.Flags().StringVar(&asked.Team, name, "", "of this team")
			completeFlag(c, name, s.completeTeams())
		case "staff":
			c.Flags().StringVar(&asked.Staff, name, "", "about this person")
			completeFlag(c, name, s.completeStaff())
			_ = c.MarkFlagRequired(name)
		case "from":
			c.Flags().StringVar(&asked.From, name, "", "first day, such as 2026-09-01")
		case "until":
			c.Flags().StringVar(&asked.Until, name, "", "last day")
		case "days":
			c.Flags().IntVar(&asked.Days, name, 0, "how many days; 90 where left out")
		}
	}
	c.Flags().StringVar(&sort, "sort", "", "a column by its name, - for descending")
	c.Flags().StringVar(&often, "mail", "", "have it mailed to you daily, weekly or monthly, in place of showing it")
	completeFlag(c, "mail", cobra.FixedCompletions([]string{"daily", "weekly", "monthly"},
		cobra.ShellCompDirectiveNoFileComp))
	c.RunE = func(c *cobra.Command, _ []string) error {
		if err := s.named(c.Context(), &asked); err != nil {
			return err
		}
		if often != "" {
			var kept api.MailedReport
			if err := s.client.Do(c.Context(), "POST", "/me/reports",
				api.MailedReportAdd{Report: kind, About: asked, Often: often}, &kept); err != nil {
				return err
			}
			fmt.Fprintf(s.err, "%s is mailed to you %s, next on %s; loyal report unmail %d ends it.\n", kept.Title,
				often,
				kept.NextAt.Local().Format("Monday 2 January 15:04"), kept.ID)
			return nil
		}
		return s.showReport(c.Context(), kind, *limit, &asked, sort)
	}
	return c
}

// named turns parts of names into codes.
func (s *session) named(ctx context.Context, asked *api.ReportAsked) error {
	if asked.Site != "" {
		at, err := s.place(ctx, asked.Site)
		if err != nil {
			return err
		}
		asked.Site = at.Code
	}
	if asked.Team != "" {
		team, err := s.team(ctx, asked.Team)
		if err != nil {
			return err
		}
		asked.Team = team.Code
	}
	if asked.Staff != "" {
		p, err := s.staff(ctx, asked.Staff)
		if err != nil {
			return err
		}
		asked.Staff = p.StaffNumber
	}
	return nil
}

func (s *session) showReport(ctx context.Context, kind string, most int, asked *api.ReportAsked, sort string) error {
	days := ""
	if asked.Days > 0 {
		days = strconv.Itoa(asked.Days)
	}
	options := []client.Option{client.Query("site", asked.Site), client.Query("team", asked.Team),
		client.Query("staff", asked.Staff), client.Query("from", asked.From), client.Query("until", asked.Until),
		client.Query("days", days), client.Query("sort", sort)}
	var report api.Report // its columns
	if err := s.client.Get(ctx, "/reports/"+kind, &report, append(options, client.Query("limit", "1"))...); err != nil {
		return err
	}
	columns := make([]column[[]string], len(report.Columns))
	for i, of := range report.Columns {
		columns[i] = column[[]string]{strings.ToUpper(of.Title), func(row []string) string { return row[i] }}
	}
	return list(ctx, s, "/reports/"+kind, most, columns, options...)
}

func (s *session) reportMailed() *cobra.Command {
	return &cobra.Command{Use: "mailed", Short: "Which reports are mailed to you, and when", Args: cobra.NoArgs,
		Example: "  loyal report mailed", RunE: func(c *cobra.Command, _ []string) error {
			return list(c.Context(), s, "/me/reports", everything, []column[api.MailedReport]{
				{"ID", func(m api.MailedReport) string { return fmt.Sprint(m.ID) }},
				{"REPORT", func(m api.MailedReport) string { return m.Title }},
				{"ABOUT", func(m api.MailedReport) string {
					return or(strings.TrimSpace(m.About.Site+" "+m.About.Team+" "+m.About.Staff), "all")
				}},
				{"OFTEN", func(m api.MailedReport) string { return m.Often }},
				{"NEXT", func(m api.MailedReport) string { return m.NextAt.Local().Format("2 Jan 15:04") }},
			})
		}}
}

func (s *session) reportUnmail() *cobra.Command {
	return &cobra.Command{Use: "unmail ID", Short: "End that a report is mailed to you", Args: cobra.ExactArgs(1),
		Example: "  loyal report unmail 3", RunE: func(c *cobra.Command, args []string) error {
			if _, err := strconv.ParseUint(args[0], 10, 63); err != nil {
				return usagef("%q is no number; loyal report mailed lists them", args[0])
			}
			if err := s.client.Do(c.Context(), "DELETE", "/me/reports/"+args[0], nil, nil); err != nil {
				return err
			}
			fmt.Fprintln(s.err, "It is no longer mailed to you.")
			return nil
		}}
}
