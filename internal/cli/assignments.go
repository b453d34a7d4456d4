package cli

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

func (s *session) assignmentCommand() *cobra.Command {
	return noun("assignment",
		"Who works where, as what, between which dates and at which hours; loyal assign makes them",
		s.assignmentList(), s.assignmentEdit(), s.assignmentEnd())
}

func (s *session) assignments(ctx context.Context, most int, options ...client.Option) error {
	return list(ctx, s, "/assignments", most, []column[api.Assignment]{
		{"ID", func(a api.Assignment) string { return fmt.Sprint(a.ID) }},
		{"NUMBER", func(a api.Assignment) string { return a.Staff.StaffNumber }},
		{"NAME", func(a api.Assignment) string { return a.Staff.Name }},
		{"AT", func(a api.Assignment) string { return a.Place.Code }},
		{"AS", func(a api.Assignment) string { return a.TemplateOf }},
		{"FROM", func(a api.Assignment) string { return or(a.From, "ever") }},
		{"UNTIL", func(a api.Assignment) string { return or(a.Until, "open") }},
		{"HOURS", func(a api.Assignment) string { return a.HoursWords }},
		{"BY", func(a api.Assignment) string { return a.HoursBy }},
	}, options...)
}

func (s *session) assignmentList() *cobra.Command {
	var staff, place, template, schedule, when string
	listing := &cobra.Command{Use: "list", Short: "Assignments, with their dates and hours", Args: cobra.NoArgs,
		Example: "  loyal assignment list --staff Q0241\n  loyal assignment list --schedule EARLY --when now -o csv"}
	limit := limitFlag(listing, 100)
	listing.Flags().StringVar(&staff, "staff", "", "of this person")
	listing.Flags().StringVar(&place, "place", "", "at this place or below it")
	listing.Flags().StringVar(&template, "template", "", "with this template")
	listing.Flags().StringVar(&schedule, "schedule", "", "that have the hours of this schedule")
	listing.Flags().StringVar(&when, "when", "", "now, later, past or ended; all but those taken back where left out")
	completeFlag(listing, "staff", s.completeStaff())
	completeFlag(listing, "place", s.completePlaces())
	completeFlag(listing, "template", s.completeTemplates())
	completeFlag(listing, "schedule", s.completeSchedules())
	listing.RunE = func(c *cobra.Command, _ []string) error {
		if staff != "" {
			p, err := s.staff(c.Context(), staff)
			if err != nil {
				return err
			}
			staff = p.StaffNumber
		}
		if place != "" {
			p, err := s.place(c.Context(), place)
			if err != nil {
				return err
			}
			place = p.Code
		}
		if template != "" {
			t, err := s.template(c.Context(), template)
			if err != nil {
				return err
			}
			template = t.Code
		}
		if schedule != "" {
			of, err := s.schedule(c.Context(), schedule)
			if err != nil {
				return err
			}
			schedule = of.Code
		}
		return s.assignments(c.Context(), *limit, client.Query("staff", staff), client.Query("place", place),
			client.Query("template", template), client.Query("schedule", schedule), client.Query("when", when))
	}
	return listing
}

func (s *session) assignmentEdit() *cobra.Command {
	edit := &cobra.Command{Use: "edit ID", Short: "Change the dates or the access hours of an assignment",
		Args: cobra.ExactArgs(1), Example: "  loyal assignment edit 112 --until 2027-03-31\n" +
			"  loyal assignment edit 112 --hours 'schedule EARLY' --preview"}
	var f api.AssignmentFields
	fill := fieldFlags(edit, []fieldFlag{{&f.From, "from", "first day, such as 2027-01-04; empty for since ever"},
		{&f.Until, "until", "last day that counts; empty for open"}})
	access := s.hoursFlag(edit)
	edit.RunE = func(c *cobra.Command, args []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --hours")
		}
		id, err := recordNumber(args[0], "an assignment", "loyal assignment list")
		if err != nil {
			return err
		}
		fill()
		if f.Hours, err = access(c.Context()); err != nil {
			return err
		}
		body := api.AssignmentWrite{AssignmentFields: f}
		body.Reason = s.reason
		_, err = s.write(c.Context(), "PATCH", fmt.Sprint("/assignments/", id), body, "The assignment is changed.")
		return err
	}
	return edit
}

func (s *session) assignmentEnd() *cobra.Command {
	return &cobra.Command{Use: "end ID", Short: "Take an assignment back at once; it stays on record",
		Args: cobra.ExactArgs(1), Example: "  loyal assignment end 112 --reason 'the harvest is in'",
		RunE: func(c *cobra.Command, args []string) error {
			id, err := recordNumber(args[0], "an assignment", "loyal assignment list")
			if err != nil {
				return err
			}
			_, err = s.write(c.Context(), "DELETE", fmt.Sprint("/assignments/", id), nil, "The assignment is ended.",
				client.Query("reason", s.reason))
			return err
		}}
}
