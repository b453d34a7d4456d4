package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

func (s *session) teamCommand() *cobra.Command {
	c := noun("team", "Named groups of staff across sites, and who leads them", s.teamList(), s.teamShow(),
		s.teamAdd(), s.teamEdit(), s.teamJoin(), s.teamLead(), s.teamOut())
	c.AddCommand(retiring(s, "team", "NIGHT-PACK", s.completeTeams(), s.team,
		func(of *api.Team) (code, name, etag string) { return of.Code, of.Name, of.ETag },
		"Retire a team; who is in it stays on record", "Bring a retired team back")...)
	return c
}

func (s *session) team(ctx context.Context, typed string) (*api.Team, error) {
	return find(ctx, s, "/teams", "q", typed, "team",
		func(t api.Team) (string, string) { return t.Code, t.Name })
}

func (s *session) completeTeams() func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return complete(s, "/teams", "q", func(t api.Team) (string, string) { return t.Code, t.Name })
}

func (s *session) teamList() *cobra.Command {
	var q string
	var retired bool
	listing := &cobra.Command{Use: "list", Short: "All teams: who leads each, and how many are in it",
		Args: cobra.NoArgs, Example: "  loyal team list\n  loyal team list --retired"}
	limit := limitFlag(listing, 500)
	listing.Flags().StringVar(&q, "search", "", "words of the name or the code")
	listing.Flags().BoolVar(&retired, "retired", false, "retired ones only")
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/teams", *limit, []column[api.Team]{
			{"CODE", func(t api.Team) string { return t.Code }},
			{"NAME", func(t api.Team) string { return t.Name }},
			{"MEMBERS", func(t api.Team) string { return fmt.Sprint(t.Members) }},
			{"LED BY", leadsOf},
			{"SITES", func(t api.Team) string { return codesOf(t.Sites) }},
		}, client.Query("q", q), client.Query("retired", map[bool]string{true: "true"}[retired]))
	}
	return listing
}

func leadsOf(t api.Team) string {
	names := make([]string, len(t.Leads))
	for i, lead := range t.Leads {
		names[i] = lead.Name
	}
	return strings.Join(names, ", ")
}

func codesOf(places []api.PlaceRef) string {
	codes := make([]string, len(places))
	for i, p := range places {
		codes[i] = p.Code
	}
	return strings.Join(codes, ", ")
}

func (s *session) teamShow() *cobra.Command {
	return &cobra.Command{Use: "show TEAM", Short: "One team, and everybody in it", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeTeams(), Example: "  loyal team show NIGHT-PACK",
		RunE: func(c *cobra.Command, args []string) error {
			t, err := s.team(c.Context(), args[0])
			if err != nil {
				return err
			}
			if s.output == "text" {
				s.line("Name", t.Name+" ("+t.Code+")")
				s.line("What it is", t.Summary)
				s.line("Led by", leadsOf(*t))
				s.line("Members", words.Count(t.Members, "person", "people"))
				fmt.Fprintln(s.out)
			}
			return list(c.Context(), s, "/teams/"+t.Code+"/members", everything, []column[api.Member]{
				{"NUMBER", func(m api.Member) string { return m.Staff.StaffNumber }},
				{"NAME", func(m api.Member) string { return m.Staff.Name }},
				{"LEADS", func(m api.Member) string { return map[bool]string{true: "yes"}[m.Lead] }},
				{"JOB TITLE", func(m api.Member) string { return m.JobTitle }},
				{"HOME SITE", func(m api.Member) string { return m.HomeSite.Code }},
				{"STATUS", func(m api.Member) string { return m.Status }},
			})
		}}
}

func teamFlags(c *cobra.Command) func() api.TeamFields {
	var f api.TeamFields
	fill := fieldFlags(c, []fieldFlag{{&f.Name, "name", "name"}, {&f.Summary, "summary", "what it is for"}})
	return func() api.TeamFields { fill(); return f }
}

func (s *session) teamAdd() *cobra.Command {
	add := &cobra.Command{Use: "add CODE --name NAME", Short: "Add a team", Args: cobra.ExactArgs(1),
		Example: "  loyal team add FRUIT-RUN --name 'Fruit run' --summary 'Drivers of both yards'"}
	fields := teamFlags(add)
	add.RunE = func(c *cobra.Command, args []string) error {
		body := api.TeamWrite{TeamFields: fields()}
		body.Code, body.Reason = &args[0], s.reason
		_, err := s.write(c.Context(), "POST", "/teams", body, value(body.Name)+" is added.")
		return err
	}
	return add
}

func (s *session) teamEdit() *cobra.Command {
	edit := &cobra.Command{Use: "edit TEAM", Short: "Change the name of a team, or what it is for",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeTeams(),
		Example: "  loyal team edit NIGHT-PACK --name 'Night packers'"}
	fields := teamFlags(edit)
	edit.RunE = func(c *cobra.Command, args []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --name")
		}
		t, err := s.team(c.Context(), args[0])
		if err != nil {
			return err
		}
		body := api.TeamWrite{TeamFields: fields()}
		body.Reason = s.reason
		_, err = s.write(c.Context(), "PATCH", "/teams/"+t.Code, body, t.Name+" is changed.", client.IfMatch(t.ETag))
		return err
	}
	return edit
}

// teamAct is what a command does about people and a team.
type teamAct struct {
	use, short, example string
	op                  string
	say                 sayMany // with the name of the team last
	set                 func(code string) map[string]any
	of                  bool // it is about places in that team that they have
}

func (s *session) teamActCommand(a teamAct) *cobra.Command {
	c := &cobra.Command{Use: a.use + " TEAM [STAFF...]", Short: a.short, Example: a.example, Args: cobra.MinimumNArgs(
		1)}
	w := s.whomFlags(c, "from")
	c.ValidArgsFunction = func(c *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		if len(args) == 0 {
			return s.completeTeams()(c, args, typed)
		}
		return s.completeStaff()(c, args[1:], typed)
	}
	c.RunE = func(c *cobra.Command, args []string) error {
		t, err := s.team(c.Context(), args[0])
		if err != nil {
			return err
		}
		act := api.StaffAct{Op: a.op, Set: a.set(t.Code)}
		if a.of {
			act.Of = &api.AssignmentsOf{Team: t.Code}
		}
		one, err := w.choose(c.Context(), args[1:], &act)
		if err != nil {
			return err
		}
		say := a.say
		say.one, say.many = say.one+t.Name+".", say.many+t.Name+"."
		return w.act(c.Context(), act, one, say)
	}
	return c
}

func (s *session) teamJoin() *cobra.Command {
	var lead bool
	c := s.teamActCommand(teamAct{use: "join", short: "Add people to a team", op: "member.add",
		example: "  loyal team join NIGHT-PACK Q0241 'Mato Marsh'\n  loyal team join NIGHT-PACK Q0103 --lead\n" +
			"  loyal team join NIGHT-PACK --employer 'Tern Labour Services' --count 11",
		say: sayMany{one: "%s is in ", many: "%s are in "},
		set: func(code string) map[string]any { return map[string]any{"team": code, "lead": lead} }})
	c.Flags().BoolVar(&lead, "lead", false, "as those who lead it")
	return c
}

func (s *session) teamLead() *cobra.Command {
	var not bool
	c := s.teamActCommand(teamAct{use: "lead", short: "Say that people in a team lead it, or with --not that they do " +
		"not",
		op: "member.edit", of: true, example: "  loyal team lead NIGHT-PACK Q0103\n  loyal team lead NIGHT-PACK " +
			"Q0103 --not",
		say: sayMany{one: "%s is changed in ", many: "%s are changed in "},
		set: func(string) map[string]any { return map[string]any{"lead": !not} }})
	c.Flags().BoolVar(&not, "not", false, "they no longer lead it")
	return c
}

func (s *session) teamOut() *cobra.Command {
	return s.teamActCommand(teamAct{use: "out", short: "Take people out of a team", op: "member.end", of: true,
		example: "  loyal team out NIGHT-PACK Q0241", say: sayMany{ask: "Take %s out of the team?",
			one: "%s is no longer in ", many: "%s are no longer in "},
		set: func(string) map[string]any { return nil }})
}
