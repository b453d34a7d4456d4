package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

func (s *session) staffCommand() *cobra.Command {
	var q, statusIs, engagement, site, template, place, team, readiness, sort string
	var locked bool
	listing := &cobra.Command{Use: "list", Short: "Search, filter and sort staff", Args: cobra.NoArgs,
		Example: "  loyal staff list --search reyes\n  loyal staff list --site HB --status prepared --sort " +
			"start_date -o csv"}
	limit := limitFlag(listing, 50)
	listing.Flags().StringVar(&q, "search", "", "words of the name, number, email, job title or employer")
	listing.Flags().StringVar(&statusIs, "status", "", "prepared, active or left")
	listing.Flags().StringVar(&engagement, "engagement", "", "employee, agency, contractor or seasonal")
	listing.Flags().StringVar(&site, "site", "", "home site")
	listing.Flags().StringVar(&template, "template", "", "assigned with this template")
	listing.Flags().StringVar(&place, "place", "", "assigned at this place or below it")
	listing.Flags().StringVar(&sort, "sort", "", "fields with commas, - for descending")
	listing.Flags().BoolVar(&locked, "locked", false, "locked only")
	completeFlag(listing, "site", s.completePlaces())
	completeFlag(listing, "place", s.completePlaces())
	completeFlag(listing, "template", s.completeTemplates())
	listing.Flags().StringVar(&team, "team", "", "in this team")
	listing.Flags().StringVar(&readiness, "readiness", "", "whom this keeps from working, such as no_credential; "+
		"stuck for "+
		"whatever")
	completeFlag(listing, "team", s.completeTeams())
	listing.RunE = func(c *cobra.Command, _ []string) error {
		isLocked := ""
		if locked {
			isLocked = "true"
		}
		return list(c.Context(), s, "/staff", *limit, []column[api.Staff]{
			{"NUMBER", func(p api.Staff) string { return p.StaffNumber }},
			{"NAME", func(p api.Staff) string { return fullName(&p) }}, {"STATUS", status},
			{"SITE", func(p api.Staff) string { return p.HomeSite.Code }},
			{"WORKS AS", func(p api.Staff) string { return or(strings.Join(p.Templates, ", "), "–") }},
			{"ENGAGEMENT", func(p api.Staff) string { return p.Engagement }},
			{"START", func(p api.Staff) string { return p.StartDate }},
			{"ENDS", func(p api.Staff) string { return or(p.LeavingDate, p.ContractEnd) }},
		}, client.Query("q", q), client.Query("status", statusIs), client.Query("engagement", engagement),
			client.Query("site", site), client.Query("template", template),
			client.Query("place", place), client.Query("sort", sort), client.Query("locked", isLocked),
			client.Query("team", team), client.Query("readiness", readiness))
	}
	show := &cobra.Command{Use: "show STAFF", Short: "One person: who, where, and what they can do",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeStaff(), Example: "  loyal staff show Q0241",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			var access api.Access
			if err := s.client.Get(c.Context(), "/staff/"+p.StaffNumber, p); err != nil {
				return err // one person is told of with more than a list tells
			}
			if err := s.client.Get(c.Context(), "/staff/"+p.StaffNumber+"/access", &access); err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(struct {
					*api.Staff
					Access api.Access `json:"access"`
				}{p, access})
			}
			var own api.Page[api.RecordField]
			if len(p.Own) > 0 {
				if err := s.client.Get(c.Context(), "/fields", &own, client.Query("limit", "30")); err != nil {
					return err
				}
			}
			s.showStaff(p, own.Items)
			fmt.Fprintln(s.out)
			s.sentences([]api.Access{access})
			return nil
		}}
	edit := &cobra.Command{Use: "edit STAFF", Short: "Change a person's record", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeStaff(),
		Example: "  loyal staff edit Q0241 --contract-end 2027-02-28 --job-title 'Line operator'\n" +
			"  loyal staff edit Q0241 --emergency-contact 'Ola Reyes' --emergency-phone '+353 1 555 0100'\n" +
			"  loyal staff edit Q0241 --own shoe_size=42"}
	fields := staffFlags(edit)
	edit.RunE = func(c *cobra.Command, args []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --job-title")
		}
		p, err := s.staff(c.Context(), args[0])
		if err != nil {
			return err
		}
		body := api.StaffWrite{StaffFields: fields()}
		body.Reason = s.reason
		_, err = s.write(c.Context(), "PATCH", "/staff/"+p.StaffNumber, body,
			"The record of "+fullName(p)+" is changed.", client.IfMatch(p.ETag))
		return err
	}
	return noun("staff", "People on record", listing, show, edit, s.staffHours(), s.staffUnpause())
}

// staffHours gives somebody access hours of their own.
func (s *session) staffHours() *cobra.Command {
	return &cobra.Command{Use: "hours STAFF HOURS", Args: cobra.ExactArgs(2), ValidArgsFunction: s.completeStaff(),
		Short: "Give a person access hours of their own: those of all their assignments that state none",
		Long: "Gives a person access hours of their own: those of all their assignments that state none.\n\nThe " +
			accessHelp + ".",
		Example: "  loyal staff hours Q0241 'mon-fri 08:00-18:00'\n  loyal staff hours Q0241 'schedule DAY'\n" +
			"  loyal staff hours Q0241 inherit",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			own, err := s.readAccess(c.Context(), args[1])
			if err != nil {
				return err
			}
			body := api.StaffHoursWrite{Hours: *own}
			body.Reason = s.reason
			_, err = s.write(c.Context(), "PUT", "/staff/"+p.StaffNumber+"/hours", body,
				"The access hours of "+fullName(p)+" are set.", client.IfMatch(p.ETag))
			return err
		}}
}

// staffUnpause lets the badge of somebody open again where wrong PINs have paused it.
func (s *session) staffUnpause() *cobra.Command {
	return &cobra.Command{Use: "unpause STAFF", Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeStaff(),
		Short: "Let a person's badge open again where wrong PINs have paused it",
		Long: "Lets a person's badge open again where wrong PINs have paused it. Ask the person first whether it " +
			"was them.",
		Example: "  loyal staff unpause Q0113",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			_, err = s.write(c.Context(), "DELETE", "/staff/"+p.StaffNumber+"/tries", nil,
				"The badge of "+fullName(p)+" opens again.")
			return err
		}}
}

// changed reports whether any flag of the command's own was given.
func changed(c *cobra.Command) bool {
	own := false
	c.Flags().Visit(func(flag *pflag.Flag) { own = own || c.InheritedFlags().Lookup(flag.Name) == nil })
	return own
}

func (s *session) showStaff(p *api.Staff, own []api.RecordField) {
	s.line("Name", fullName(p))
	s.line("Known as", p.KnownAs)
	s.line("Staff number", p.StaffNumber)
	s.line("Status", status(*p))
	if p.Lock != nil {
		s.line("Lock", fmt.Sprintf("since %s: %s", p.Lock.Since.Local().Format("2 Jan 15:04"), p.Lock.Reason))
	}
	for _, paused := range p.Paused {
		s.line("Badge paused", fmt.Sprintf("at %s until %s, after wrong PINs; loyal staff unpause %s",
			paused.Place.Name,
			paused.Until.Local().Format("2 Jan 15:04"), p.StaffNumber))
	}
	s.line("Job title", p.JobTitle)
	s.line("Engagement", strings.TrimSuffix(p.Engagement+", "+p.Employer, ", "))
	s.line("Home site", p.HomeSite.Name+" ("+p.HomeSite.Code+")")
	if p.LineManager != nil {
		s.line("Line manager", p.LineManager.Name)
	}
	var teams []string
	for _, t := range p.Teams {
		teams = append(teams, t.Name+map[bool]string{true: " (leads it)"}[t.Lead])
	}
	s.line("Teams", strings.Join(teams, ", "))
	s.line("Email", p.Email)
	s.line("Phone", p.Phone)
	s.line("Start", p.StartDate)
	s.line("Contract end", p.ContractEnd)
	s.line("Leaves", p.LeavingDate)
	s.line("Access hours", p.HoursWords)
	s.line("Driving licence", p.DrivingLicence)
	s.line("Insurance number", p.InsuranceNumber)
	s.line("Emergency", strings.TrimPrefix(p.EmergencyContact+", "+p.EmergencyPhone, ", "))
	for _, f := range own {
		s.line(f.Name, p.Own[f.Key])
	}
	s.line("Notes", p.Notes)
}
