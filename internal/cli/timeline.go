package cli

import (
	"encoding/csv"
	"fmt"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

// hoursWeek draws hours day by day: of a place, of a template or a schedule at a place, or of a person.
func (s *session) hoursWeek() *cobra.Command {
	var template, schedule, staff, permission, from string
	var days int
	c := &cobra.Command{Use: "week [PLACE]", Args: cobra.MaximumNArgs(1), ValidArgsFunction: s.completePlaces(),
		Short: "Hours day by day as a picture: of a place, a template or a schedule at a place, or a person",
		Example: "  loyal hours week HB\n  loyal hours week HB --template packer\n" +
			"  loyal hours week --staff Q0241 --from 2026-12-01 --days 31"}
	c.Flags().StringVar(&template, "template", "", "of this template at the place")
	c.Flags().StringVar(&schedule, "schedule", "", "of this schedule at the place")
	c.Flags().StringVar(&staff, "staff", "", "of this person, at the place or their home site")
	c.Flags().StringVar(&permission, "permission", "",
		"for a person: key of what they may do; the doors where left out")
	c.Flags().StringVar(&from, "from", "", "first day; Monday of this week where left out")
	c.Flags().IntVar(&days, "days", 7, "how many days, at most 42")
	completeFlag(c, "template", s.completeTemplates())
	completeFlag(c, "schedule", s.completeSchedules())
	completeFlag(c, "staff", s.completeStaff())
	completeFlag(c, "permission", s.completePermissions())
	c.RunE = func(c *cobra.Command, args []string) error {
		place := ""
		if len(args) == 1 {
			p, err := s.place(c.Context(), args[0])
			if err != nil {
				return err
			}
			place = p.Code
		}
		path := "/places/" + url.PathEscape(place) + "/timeline"
		options := []client.Option{client.Query("from", from), client.Query("days", fmt.Sprint(days))}
		switch {
		case template != "" && schedule != "" || template != "" && staff != "" || schedule != "" && staff != "":
			return usagef("say one of --template, --schedule and --staff")
		case staff != "":
			p, err := s.staff(c.Context(), staff)
			if err != nil {
				return err
			}
			path = "/staff/" + p.StaffNumber + "/timeline"
			options = append(options, client.Query("place", place), client.Query("permission", permission))
		case place == "":
			return usagef("say which place, or whose hours with --staff")
		case schedule != "":
			of, err := s.schedule(c.Context(), schedule)
			if err != nil {
				return err
			}
			path = "/schedules/" + of.Code + "/timeline"
			options = append(options, client.Query("place", place))
		case template != "":
			t, err := s.template(c.Context(), template)
			if err != nil {
				return err
			}
			path = "/templates/" + t.Code + "/timeline"
			options = append(options, client.Query("place", place))
		}
		var t api.Timeline
		if err := s.client.Get(c.Context(), path, &t, options...); err != nil {
			return err
		}
		switch s.output {
		case "json":
			return s.json(t)
		case "csv":
			out := csv.NewWriter(s.out)
			_ = out.Write([]string{"from", "until", "begins", "ends"})
			for _, o := range t.Open {
				_ = out.Write([]string{o.From.Format(time.RFC3339), o.Until.Format(time.RFC3339), o.Begins, o.Ends})
			}
			out.Flush()
			return out.Error()
		}
		s.drawTimeline(&t)
		return nil
	}
	return c
}

var edges = []column[api.TimelineStretch]{
	{"FROM", func(o api.TimelineStretch) string { return o.From.Format("Mon 2006-01-02 15:04") }},
	{"UNTIL", func(o api.TimelineStretch) string { return o.Until.Format("Mon 2006-01-02 15:04") }},
	{"BEGINS BY", func(o api.TimelineStretch) string { return o.Begins }},
	{"ENDS BY", func(o api.TimelineStretch) string { return o.Ends }},
}

// drawTimeline draws each day as a line of half hours, and says the edges below.
func (s *session) drawTimeline(t *api.Timeline) {
	fmt.Fprintf(s.out, "%s (%s)\n\n", t.Title, t.TimeZone)
	fmt.Fprintln(s.out, strings.Repeat(" ", 15)+"0     3     6     9     12    15    18    21    24")
	for _, d := range t.Days {
		const halves = 48
		cells := make([]rune, halves)
		long := d.Until.Sub(d.From)
		for i := range cells {
			at := d.From.Add(long * time.Duration(2*i+1) / (2 * halves))
			cells[i] = '·'
			for _, o := range t.Open {
				if !at.Before(o.From) && at.Before(o.Until) {
					cells[i] = '█'
				}
			}
		}
		fmt.Fprintf(s.out, "%-14s %s %s\n", d.From.Format("Mon 2 Jan"), string(cells), d.Note)
	}
	fmt.Fprintln(s.out)
	table(s, t.Open, edges)
}
