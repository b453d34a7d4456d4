package cli

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

func (s *session) hoursCommand() *cobra.Command {
	return noun("hours", "Opening hours of sites and zones, with seasons, closures and holidays", s.hoursList(),
		s.hoursShow(), s.hoursWeek(), s.hoursEdit(), s.hoursImport(), s.hoursExport())
}

func (s *session) hoursList() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "The places that have opening hours of their own", Args: cobra.NoArgs,
		Example: "  loyal hours list"}
	c.RunE = func(c *cobra.Command, _ []string) error {
		places, _, err := client.All[api.Place](c.Context(), s.client, "/places", everything)
		if err != nil {
			return err
		}
		places = slices.DeleteFunc(places, func(p api.Place) bool { return p.Opening == nil })
		if s.output == "json" {
			return s.json(places)
		}
		if s.output == "csv" {
			return usagef("opening hours are no table: say -o json, or loyal hours export")
		}
		table(s, places, []column[api.Place]{{"PLACE", func(p api.Place) string { return p.Name }},
			{"CODE", func(p api.Place) string { return p.Code }},
			{"TODAY", func(p api.Place) string { return p.OpeningWords }},
			{"DATED", func(p api.Place) string { return fmt.Sprint(len(p.Opening.Dated)) }}})
		return nil
	}
	return c
}

func rulesWords(rules []api.HoursRule) string {
	if len(rules) == 0 {
		return "closed"
	}
	parts := make([]string, len(rules))
	for i, r := range rules {
		parts[i] = r.Days + " " + r.From + "-" + r.Until
	}
	return strings.Join(parts, "; ")
}

func (s *session) hoursShow() *cobra.Command {
	return &cobra.Command{Use: "show PLACE", Short: "The opening hours of one place", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completePlaces(), Example: "  loyal hours show HB",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.place(c.Context(), args[0])
			if err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(p.Opening)
			}
			s.line("Place", p.Name+" ("+p.Code+")")
			s.line("Time zone", p.TimeZone)
			s.line("Today", p.OpeningWords)
			if p.Opening == nil {
				s.line("Hours", "those of the place above")
				return nil
			}
			weekly := "never closed"
			if len(p.Opening.Rules) > 0 {
				weekly = rulesWords(p.Opening.Rules)
			}
			s.line("Weekly", weekly)
			if len(p.Opening.Dated) == 0 {
				return nil
			}
			fmt.Fprintln(s.out)
			table(
				s,
				p.Opening.Dated,
				[]column[api.DatedHours]{{"FROM", func(d api.DatedHours) string { return d.From }},
					{"UNTIL", func(d api.DatedHours) string { return d.Until }},
					{"HOURS", func(d api.DatedHours) string { return rulesWords(d.Rules) }},
					{"NAME", func(d api.DatedHours) string { return d.Name }}},
			)
			return nil
		}}
}

// readRules reads weekly hours as they are typed: mon-fri 05:30-18:15; sat 06:00-14:00.
func readRules(typed string) ([]api.HoursRule, error) {
	rules := []api.HoursRule{}
	for part := range strings.SplitSeq(typed, ";") {
		days, times, ok := strings.Cut(strings.TrimSpace(part), " ")
		from, until, both := strings.Cut(strings.TrimSpace(times), "-")
		if !ok || !both {
			return nil, usagef("%q are no hours; write them as 'mon-fri 05:30-18:15; sat 06:00-14:00'", part)
		}
		rules = append(rules, api.HoursRule{Days: days, From: strings.TrimSpace(from), Until: strings.TrimSpace(until)})
	}
	return rules, nil
}

// accessHelp says how access hours are typed.
const accessHelp = "access hours: 'always', 'opening', 'opening 30 15' (opened 30 minutes earlier and closed 15 " +
	"later " +
	"than the place), 'mon-fri 05:30-14:15; sat 06:00-14:00', 'schedule EARLY' to have those of a schedule, or " +
	"'inherit' to take them from further up"

// readAccess reads access hours as they are typed.
func (s *session) readAccess(ctx context.Context, typed string) (*api.AccessHours, error) {
	parts := strings.Fields(strings.ToLower(typed))
	switch {
	case len(parts) > 1 && parts[0] == "schedule":
		c, err := s.schedule(ctx, strings.TrimSpace(strings.TrimSpace(typed)[len("schedule"):]))
		if err != nil {
			return nil, err
		}
		return &api.AccessHours{Kind: "schedule", Schedule: c.Code}, nil
	case len(parts) == 0:
		return nil, usagef("say the %s", accessHelp)
	case parts[0] == "inherit" && len(parts) == 1:
		return &api.AccessHours{}, nil
	case parts[0] == "always" && len(parts) == 1:
		return &api.AccessHours{Kind: "always"}, nil
	case parts[0] == "opening" && (len(parts) == 1 || len(parts) == 3):
		hours := &api.AccessHours{Kind: "opening"}
		if len(parts) == 3 {
			var errs [2]error
			hours.BeforeMinutes, errs[0] = strconv.Atoi(parts[1])
			hours.AfterMinutes, errs[1] = strconv.Atoi(parts[2])
			if errs[0] != nil || errs[1] != nil {
				return nil, usagef("%q are no minutes; say the %s", typed, accessHelp)
			}
		}
		return hours, nil
	}
	rules, err := readRules(typed)
	return &api.AccessHours{Kind: "weekly", Rules: rules}, err
}

// hoursFlag adds the flag by which something is given access hours; what it returns reads them where it was given.
func (s *session) hoursFlag(c *cobra.Command) func(ctx context.Context) (*api.AccessHours, error) {
	typed := c.Flags().String("hours", "", accessHelp)
	return func(ctx context.Context) (*api.AccessHours, error) {
		if !c.Flags().Changed("hours") {
			return nil, nil
		}
		return s.readAccess(ctx, *typed)
	}
}

// readDated reads days, hours and a name: 2026-12-24 06:00-12:00 Christmas Eve.
func readDated(typed string, closed bool) (api.DatedHours, error) {
	days, rest, _ := strings.Cut(strings.TrimSpace(typed), " ")
	first, last, span := strings.Cut(days, "..")
	if !span {
		last = first
	}
	d := api.DatedHours{Name: strings.TrimSpace(rest), From: first, Until: last, Rules: []api.HoursRule{}}
	if closed {
		return d, nil
	}
	times, name, _ := strings.Cut(d.Name, " ")
	from, until, both := strings.Cut(times, "-")
	if !both {
		return d, usagef("%q names no hours; write it as '2026-12-24 06:00-12:00 Christmas Eve'", typed)
	}
	d.Name, d.Rules = strings.TrimSpace(name), []api.HoursRule{{Days: "mon-sun", From: from, Until: until}}
	return d, nil
}

func (s *session) hoursEdit() *cobra.Command {
	var weekly string
	var closed, open, without []string
	var always, inherit bool
	c := &cobra.Command{Use: "edit PLACE", Short: "Change the opening hours of a site or a zone",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completePlaces(),
		Example: "  loyal hours edit HB --weekly 'mon-fri 05:30-18:15; sat 06:00-14:00' --preview\n" +
			"  loyal hours edit HB --closed '2026-12-25 Christmas Day'\n" +
			"  loyal hours edit HB --open '2026-12-24 06:00-12:00 Christmas Eve'\n" +
			"  loyal hours edit HB --open '2027-08-01..2027-10-31 00:00-24:00 Harvest weeks'\n" +
			"  loyal hours edit HB --without 'Christmas Eve'"}
	flags := c.Flags()
	flags.StringVar(&weekly, "weekly", "", "the weekly hours; those that pass midnight end before they begin")
	flags.StringArrayVar(&closed, "closed", nil, "a day, or FIRST..LAST, on which it is closed, and a name")
	flags.StringArrayVar(&open, "open", nil, "a day, or FIRST..LAST, with hours of its own, and a name")
	flags.StringArrayVar(&without, "without", nil, "name of dated hours to remove")
	flags.BoolVar(&always, "always", false, "it never closes, but on the days that are closed")
	flags.BoolVar(&inherit, "inherit", false, "take the hours of the place above")
	c.RunE = func(c *cobra.Command, args []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --weekly or --closed")
		}
		p, err := s.place(c.Context(), args[0])
		if err != nil {
			return err
		}
		set := map[string]any{"opening": nil}
		if !inherit {
			o, err := editedHours(p, weekly, closed, open, without, always)
			if err != nil {
				return err
			}
			set["opening"] = o
		}
		_, err = s.change(c.Context(), "The hours of "+p.Name+" are changed.",
			api.Operation{Op: "place.edit", On: p.Code, Set: raw(set)})
		return err
	}
	return c
}

// editedHours are the hours of a place with what the flags say.
func editedHours(p *api.Place, weekly string, closed, open, without []string, always bool) (*api.OpeningHours, error) {
	o := &api.OpeningHours{}
	if p.Opening != nil {
		*o = *p.Opening
	}
	var err error
	switch {
	case weekly != "" && always:
		return nil, usagef("say --weekly or --always, not both")
	case weekly != "":
		if o.Rules, err = readRules(weekly); err != nil {
			return nil, err
		}
	case always:
		o.Rules = nil
	}
	for _, name := range without {
		kept := slices.DeleteFunc(
			slices.Clone(o.Dated),
			func(d api.DatedHours) bool { return strings.EqualFold(d.Name, name) },
		)
		if len(kept) == len(o.Dated) {
			return nil, notFound{fmt.Errorf("%s has no dated hours called %q", p.Name, name)}
		}
		o.Dated = kept
	}
	for i, list := range [][]string{closed, open} {
		for _, typed := range list {
			d, err := readDated(typed, i == 0)
			if err != nil {
				return nil, err
			}
			o.Dated = append(o.Dated, d)
		}
	}
	return o, nil
}

func (s *session) hoursImport() *cobra.Command {
	var mode string
	c := &cobra.Command{Use: "import PLACE FILE", Args: cobra.ExactArgs(2), ValidArgsFunction: s.completePlaces(),
		Short: "Take public holidays, or all opening hours, from an iCalendar file",
		Example: "  loyal hours import HB holidays.ics --preview\n" +
			"  loyal hours import HB-LAB hours.ics --mode replace --reason 'new contract'"}
	c.Flags().StringVar(&mode, "mode", "add", "add: its days beside what there is; replace: the file says all")
	c.RunE = func(c *cobra.Command, args []string) error {
		p, err := s.place(c.Context(), args[0])
		if err != nil {
			return err
		}
		text, err := s.read(args[1])
		if err != nil {
			return err
		}
		if s.drafting {
			return usagef("a file is taken at once and does not go into a draft; leave out --draft")
		}
		path := "/places/" + url.PathEscape(p.Code) + "/calendar"
		options := []client.Option{client.Query("mode", mode), client.Query("reason", s.reason),
			client.Body("text/calendar", text)}
		_, err = s.write(c.Context(), "POST", path, nil, "The hours of "+p.Name+" are changed.", options...)
		return err
	}
	return c
}

func (s *session) hoursExport() *cobra.Command {
	var into string
	c := &cobra.Command{Use: "export PLACE", Short: "Write the opening hours that count at a place as iCalendar",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completePlaces(),
		Example: "  loyal hours export HB\n  loyal hours export HB --into hb.ics"}
	c.Flags().StringVar(&into, "into", "-", "file to write, - for stdout")
	c.RunE = func(c *cobra.Command, args []string) error {
		p, err := s.place(c.Context(), args[0])
		if err != nil {
			return err
		}
		var text []byte
		if err := s.client.Get(c.Context(), "/places/"+url.PathEscape(p.Code)+"/calendar", &text,
			client.Header("Accept", "text/calendar")); err != nil {
			return err
		}
		if into == "-" {
			_, err := s.out.Write(text)
			return err
		}
		if err := os.WriteFile(into, text, 0o600); err != nil {
			return err
		}
		fmt.Fprintln(s.err, "The hours of", p.Name, "are in", into+".")
		return nil
	}
	return c
}
