package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

func (s *session) readinessCommand() *cobra.Command {
	var site, code string
	var prepared bool
	c := &cobra.Command{Use: "readiness", Args: cobra.NoArgs,
		Short: "Who cannot work as intended, what keeps them and what mends it",
		Example: "  loyal readiness --site HB\n  loyal readiness --code no_credential -o csv\n" +
			"  loyal readiness --prepared"}
	limit := limitFlag(c, 500)
	c.Flags().StringVar(&site, "site", "", "of this home site")
	c.Flags().StringVar(&code, "code", "", "with this obstacle, such as no_assignment")
	c.Flags().BoolVar(&prepared, "prepared", false, "also those who start later than within a week")
	completeFlag(c, "site", s.completePlaces())
	c.RunE = func(c *cobra.Command, _ []string) error {
		options := []client.Option{client.Query("code", code)}
		if prepared {
			options = append(options, client.Query("prepared", "true"))
		}
		if site != "" {
			at, err := s.place(c.Context(), site)
			if err != nil {
				return err
			}
			options = append(options, client.Query("site", at.Code))
		}
		if err := list(c.Context(), s, "/readiness", *limit, []column[api.Person]{
			{"NUMBER", func(p api.Person) string { return p.StaffNumber }},
			{"NAME", func(p api.Person) string { return p.Name }},
			{"SITE", func(p api.Person) string { return p.HomeSite.Code }},
			{"WHY", func(p api.Person) string {
				return obstaclesOf(p, func(
					o api.Obstacle) string {
					return o.Sentence
				})
			}},
			{"WHAT MENDS IT", func(p api.Person) string {
				return obstaclesOf(p, func(
					o api.Obstacle) string {
					return o.Mend
				})
			}},
		}, options...); err != nil || s.output != "text" {
			return err
		}
		var counts api.Readiness
		if code != "" {
			return nil
		}
		if err := s.client.Get(c.Context(), "/readiness/counts", &counts, options[1:]...); err != nil {
			return err
		}
		fmt.Fprintf(s.err, "%s of %d cannot work as intended.\n", words.Count(counts.Stuck, "person", "people"),
			counts.Workers)
		return nil
	}
	return c
}

// obstaclesOf puts what is said of each obstacle of somebody into a line, each once.
func obstaclesOf(p api.Person, say func(api.Obstacle) string) string {
	var said []string
	for _, o := range p.Obstacles {
		if text := say(o); !slices.Contains(said, text) {
			said = append(said, text)
		}
	}
	return strings.Join(said, " ")
}

func (s *session) coverCommand() *cobra.Command {
	var body api.CoverWrite
	c := &cobra.Command{Use: "cover STAFF --by COLLEAGUE --until DATE", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeStaff(),
		Short:             "Give a colleague what somebody absent has, for the days of the absence",
		Example: "  loyal cover Q0007 --by Q0012 --from 2026-12-01 --until 2026-12-14 --pause --reason holidays\n" +
			"  loyal cover Q0011 --by 'Ana Reyes' --until 2026-12-14 --assignments 112 --preview"}
	var by string
	c.Flags().StringVar(&by, "by", "", "who covers (required)")
	c.Flags().StringVar(&body.From, "from", "", "first day; today where left out")
	c.Flags().StringVar(&body.Until, "until", "", "last day: what is covered ends with it (required)")
	c.Flags().UintSlice("assignments", nil, "numbers of the assignments that are covered; all where left out")
	c.Flags().BoolVar(&body.Pause, "pause", false, "the absent one's own assignments do not count on these days")
	completeFlag(c, "by", s.completeStaff())
	c.RunE = func(c *cobra.Command, args []string) error {
		if by == "" || body.Until == "" {
			return usagef("say who covers with --by, and until which day with --until")
		}
		absent, colleague, err := s.pair(c.Context(), args[0], by)
		if err != nil {
			return err
		}
		if body.Assignments, err = assignmentsOf(c); err != nil {
			return err
		}
		body.By, body.Reason = colleague.StaffNumber, s.reason
		result, err := s.write(c.Context(), "POST", "/staff/"+absent.StaffNumber+"/cover", body,
			fmt.Sprintf("%s covers %s until %s.", fullName(colleague), fullName(absent), body.Until))
		if err == nil && result != nil && s.output == "text" {
			s.sentences(result.People)
		}
		return err
	}
	return c
}

// pair finds two people by name or number: of whom one gives and the other takes.
func (s *session) pair(ctx context.Context, giving, taking string) (gives, takes *api.Staff, err error) {
	if gives, err = s.staff(ctx, giving); err != nil {
		return nil, nil, err
	}
	takes, err = s.staff(ctx, taking)
	return gives, takes, err
}

// assignmentsOf are the numbers of assignments that a command names.
func assignmentsOf(c *cobra.Command) (numbers []uint32, err error) {
	typed, err := c.Flags().GetUintSlice("assignments")
	for _, n := range typed {
		numbers = append(numbers, uint32(n))
	}
	return numbers, err
}
