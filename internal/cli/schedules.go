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

func (s *session) scheduleCommand() *cobra.Command {
	c := noun("schedule", "Access hours with a name, which templates, assignments and people have in common",
		s.scheduleList(), s.scheduleShow(), s.scheduleAdd(), s.scheduleEdit())
	c.AddCommand(retiring(s, "schedule", "NIGHT", s.completeSchedules(), s.schedule,
		func(of *api.Schedule) (code, name, etag string) { return of.Code, of.Name, of.ETag },
		"Retire a schedule: nothing new has its hours; what has them keeps them", "Bring a retired schedule back")...)
	return c
}

func (s *session) schedule(ctx context.Context, typed string) (*api.Schedule, error) {
	return find(ctx, s, "/schedules", "q", typed, "schedule",
		func(c api.Schedule) (string, string) { return c.Code, c.Name })
}

func (s *session) completeSchedules() func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return complete(s, "/schedules", "q", func(c api.Schedule) (string, string) { return c.Code, c.Name })
}

func (s *session) scheduleList() *cobra.Command {
	var q string
	var retired bool
	listing := &cobra.Command{Use: "list", Short: "All schedules, and what has their hours", Args: cobra.NoArgs,
		Example: "  loyal schedule list\n  loyal schedule list --retired"}
	limit := limitFlag(listing, 500)
	listing.Flags().StringVar(&q, "search", "", "words of the name or the code")
	listing.Flags().BoolVar(&retired, "retired", false, "retired ones only")
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/schedules", *limit, []column[api.Schedule]{
			{"CODE", func(c api.Schedule) string { return c.Code }},
			{"NAME", func(c api.Schedule) string { return c.Name }},
			{"HOURS", func(c api.Schedule) string { return c.HoursWords }},
			{"PEOPLE", func(c api.Schedule) string { return fmt.Sprint(c.Concerned) }},
			{"STATED BY", statedBy},
		}, client.Query("q", q), client.Query("retired", map[bool]string{true: "true"}[retired]))
	}
	return listing
}

// statedBy says what states the hours of a schedule: templates, assignments and people.
func statedBy(c api.Schedule) string {
	var names []string
	for _, t := range c.Templates {
		names = append(names, t.Name)
	}
	if c.Assignments > 0 {
		names = append(names, words.Count(c.Assignments, "assignment", "assignments"))
	}
	if c.People > 0 {
		names = append(names, words.Count(c.People, "person", "people"))
	}
	return strings.Join(names, ", ")
}

func (s *session) scheduleShow() *cobra.Command {
	return &cobra.Command{Use: "show SCHEDULE", Short: "One schedule, and the assignments that have its hours",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeSchedules(), Example: "  loyal schedule show EARLY",
		RunE: func(c *cobra.Command, args []string) error {
			of, err := s.schedule(c.Context(), args[0])
			if err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(of)
			}
			if s.output == "text" {
				s.line("Name", of.Name+" ("+of.Code+")")
				s.line("What it is", of.Summary)
				s.line("Hours", of.HoursWords)
				s.line("Stated by", statedBy(*of))
				fmt.Fprintln(s.out)
			}
			return s.assignments(c.Context(), everything, client.Query("schedule", of.Code))
		}}
}

func (s *session) scheduleFlags(c *cobra.Command) func(ctx context.Context) (api.ScheduleFields, error) {
	var f api.ScheduleFields
	fill := fieldFlags(c, []fieldFlag{{&f.Name, "name", "name"}, {&f.Summary, "summary", "what it is for"}})
	access := s.hoursFlag(c)
	return func(ctx context.Context) (api.ScheduleFields, error) {
		fill()
		var err error
		f.Hours, err = access(ctx)
		return f, err
	}
}

func (s *session) scheduleAdd() *cobra.Command {
	add := &cobra.Command{Use: "add CODE --name NAME --hours HOURS", Short: "Add a schedule", Args: cobra.ExactArgs(1),
		Example: "  loyal schedule add WEEKEND --name 'Weekend shift' --hours 'sat,sun 07:00-15:00'"}
	fields := s.scheduleFlags(add)
	add.RunE = func(c *cobra.Command, args []string) error {
		read, err := fields(c.Context())
		if err != nil {
			return err
		}
		body := api.ScheduleWrite{ScheduleFields: read}
		body.Code, body.Reason = &args[0], s.reason
		_, err = s.write(c.Context(), "POST", "/schedules", body, value(body.Name)+" is added.")
		return err
	}
	return add
}

func (s *session) scheduleEdit() *cobra.Command {
	edit := &cobra.Command{Use: "edit SCHEDULE", Short: "Change a schedule, and so the hours of all that have it",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeSchedules(),
		Example: "  loyal schedule edit EARLY --hours 'mon-sat 05:00-13:45' --preview"}
	fields := s.scheduleFlags(edit)
	edit.RunE = func(c *cobra.Command, args []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --hours")
		}
		of, err := s.schedule(c.Context(), args[0])
		if err != nil {
			return err
		}
		read, err := fields(c.Context())
		if err != nil {
			return err
		}
		body := api.ScheduleWrite{ScheduleFields: read}
		body.Reason = s.reason
		_, err = s.write(c.Context(), "PATCH", "/schedules/"+of.Code, body, of.Name+" is changed.",
			client.IfMatch(of.ETag))
		return err
	}
	return edit
}
