package cli

import (
	"encoding/json"
	"fmt"
	"net/url"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

// raw encodes the fields of an operation; our own types always encode.
func raw(v any) json.RawMessage {
	encoded, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return encoded
}

func value[T any](p *T) (v T) {
	if p != nil {
		v = *p
	}
	return v
}

// or returns the first text that is not empty.
func or(texts ...string) string {
	for _, text := range texts {
		if text != "" {
			return text
		}
	}
	return ""
}

func noun(use, short string, children ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{Use: use, Short: short, Example: "  loyal " + use + " list"}
	c.AddCommand(children...)
	return c
}

func limitFlag(c *cobra.Command, usual int) *int {
	limit := c.Flags().Int("limit", -usual, "how many at most; all where the list does not go to a terminal")
	c.Flags().Lookup("limit").DefValue = fmt.Sprint(usual)
	return limit
}

func status(p api.Staff) string {
	if p.Lock != nil {
		return p.Status + ", locked"
	}
	return p.Status
}

func (s *session) staffCommand() *cobra.Command {
	var q, statusIs, engagement, site, template, place, sort string
	var locked bool
	listing := &cobra.Command{Use: "list", Short: "Search, filter and sort staff", Args: cobra.NoArgs,
		Example: "  loyal staff list --search reyes\n  loyal staff list --site HB --status prepared --sort " +
			"start_date -o csv"}
	limit := limitFlag(listing, 50)
	listing.Flags().StringVar(&q, "search", "", "words of the name, number, email, job title or employer")
	listing.Flags().StringVar(&statusIs, "status", "", "prepared, active or departed")
	listing.Flags().StringVar(&engagement, "engagement", "", "employee, agency, contractor or seasonal")
	listing.Flags().StringVar(&site, "site", "", "home site")
	listing.Flags().StringVar(&template, "template", "", "assigned with this template")
	listing.Flags().StringVar(&place, "place", "", "assigned at this place or below it")
	listing.Flags().StringVar(&sort, "sort", "", "fields with commas, - before one that falls")
	listing.Flags().BoolVar(&locked, "locked", false, "locked only")
	completeFlag(listing, "site", s.completePlaces())
	completeFlag(listing, "place", s.completePlaces())
	completeFlag(listing, "template", s.completeTemplates())
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
			client.Query("place", place), client.Query("sort", sort), client.Query("locked", isLocked))
	}
	show := &cobra.Command{Use: "show STAFF", Short: "One person: who, where, and what they can do",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeStaff(), Example: "  loyal staff show Q0241",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			var access api.Access
			if err := s.client.Get(c.Context(), "/staff/"+p.StaffNumber+"/access", &access); err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(struct {
					*api.Staff
					Access api.Access `json:"access"`
				}{p, access})
			}
			s.showStaff(p)
			fmt.Fprintln(s.out)
			s.sentences([]api.Access{access})
			return nil
		}}
	edit := &cobra.Command{Use: "edit STAFF", Short: "Change a person's record", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeStaff(),
		Example:           "  loyal staff edit Q0241 --contract-end 2027-02-28 --job-title 'Line operator'"}
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
	return noun("staff", "People on record", listing, show, edit)
}

// changed reports whether any flag of the command's own was given.
func changed(c *cobra.Command) bool {
	own := false
	c.Flags().Visit(func(flag *pflag.Flag) { own = own || c.InheritedFlags().Lookup(flag.Name) == nil })
	return own
}

func (s *session) line(name, text string) {
	if text != "" {
		fmt.Fprintf(s.out, "%-13s %s\n", name, text)
	}
}

func (s *session) showStaff(p *api.Staff) {
	s.line("Name", fullName(p))
	s.line("Known as", p.KnownAs)
	s.line("Staff number", p.StaffNumber)
	s.line("Status", status(*p))
	if p.Lock != nil {
		s.line("Lock", fmt.Sprintf("since %s: %s", p.Lock.Since.Local().Format("2 Jan 15:04"), p.Lock.Reason))
	}
	s.line("Job title", p.JobTitle)
	s.line("Engagement", strings.TrimSuffix(p.Engagement+", "+p.Employer, ", "))
	s.line("Home site", p.HomeSite.Name+" ("+p.HomeSite.Code+")")
	if p.LineManager != nil {
		s.line("Line manager", p.LineManager.Name)
	}
	s.line("Email", p.Email)
	s.line("Phone", p.Phone)
	s.line("Start", p.StartDate)
	s.line("Contract end", p.ContractEnd)
	s.line("Leaves", p.LeavingDate)
	s.line("Notes", p.Notes)
}

func (s *session) placeCommand() *cobra.Command {
	var q, kind, under string
	var retired bool
	listing := &cobra.Command{Use: "list", Short: "The estate as a tree", Args: cobra.NoArgs,
		Example: "  loyal place list\n  loyal place list --under HB-PACK --kind door -o csv"}
	limit := limitFlag(listing, 10000)
	listing.Flags().StringVar(&q, "search", "", "part of a name or code")
	listing.Flags().StringVar(&kind, "kind", "", "site, zone, door, device or work_centre")
	listing.Flags().StringVar(&under, "under", "", "this place and those below it")
	listing.Flags().BoolVar(&retired, "retired", false, "retired places only")
	completeFlag(listing, "under", s.completePlaces())
	listing.RunE = func(c *cobra.Command, _ []string) error {
		indent := q == "" && kind == ""
		isRetired := ""
		if retired {
			isRetired = "true"
		}
		return list(c.Context(), s, "/places", *limit, []column[api.Place]{
			{"PLACE", func(p api.Place) string {
				if indent {
					return strings.Repeat("   ", p.Depth) + p.Name
				}
				return p.Name
			}}, {"CODE", func(p api.Place) string { return p.Code }},
			{"KIND", func(p api.Place) string { return strings.ReplaceAll(p.Kind, "_", " ") }},
			{"PROOF", func(p api.Place) string { return strings.ReplaceAll(p.Proof, "_", " ") }},
			{"ASKS FOR", func(p api.Place) string { return p.Asks }},
			{"OPEN", func(p api.Place) string {
				if p.Opening == nil {
					return ""
				}
				return p.OpeningWords
			}},
		}, client.Query("q", q), client.Query("kind", kind), client.Query("under", under),
			client.Query("retired", isRetired))
	}
	show := &cobra.Command{Use: "show PLACE", Short: "One place, and who can do there what it asks about",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completePlaces(), Example: "  loyal place show HB-CHEM-1",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.place(c.Context(), args[0])
			if err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(p)
			}
			s.line("Name", p.Name)
			s.line("Code", p.Code)
			s.line("Kind", strings.ReplaceAll(p.Kind, "_", " "))
			if p.Parent != nil {
				s.line("Stands in", p.Parent.Name+" ("+p.Parent.Code+")")
			}
			if p.Retired {
				s.line("State", "retired, or in something that is")
			}
			s.line("Open", p.OpeningWords+" ("+p.TimeZone+")")
			s.line("Proof", strings.ReplaceAll(p.Proof, "_", " "))
			s.line("Asks for", p.Asks)
			if p.Asks == "" {
				return nil
			}
			fmt.Fprintln(s.out)
			return list(c.Context(), s, "/places/"+p.Code+"/people", -500, []column[api.PlacePerson]{
				{"NUMBER", func(p api.PlacePerson) string { return p.StaffNumber }},
				{"NAME", func(p api.PlacePerson) string { return p.Name }},
				{"AS", func(p api.PlacePerson) string { return p.Template }},
				{"THROUGH", func(p api.PlacePerson) string { return p.Through }},
				{"LEVEL", func(p api.PlacePerson) string { return p.Level }},
				{"UNTIL", func(p api.PlacePerson) string { return p.Until }},
			})
		}}
	add := &cobra.Command{Use: "add CODE", Short: "Add a place", Args: cobra.ExactArgs(1),
		Example: "  loyal place add HB-COLD-4 --name 'Cold room 4' --kind door --parent HB-COLD --proof badge " +
			"--asks door.cold"}
	addFields := placeFlags(add, true)
	completeFlag(add, "parent", s.completePlaces())
	completeFlag(add, "asks", s.completePermissions())
	add.RunE = func(c *cobra.Command, args []string) error {
		body := api.PlaceWrite{PlaceFields: addFields()}
		body.Code, body.Reason = &args[0], s.reason
		_, err := s.write(c.Context(), "POST", "/places", body, value(body.Name)+" is added.")
		return err
	}
	edit := &cobra.Command{Use: "edit PLACE", Short: "Change a place", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completePlaces(),
		Example:           "  loyal place edit HB-PACK-1 --name 'Packing hall main door' --proof badge_or_pin"}
	editFields := placeFlags(edit, false)
	completeFlag(edit, "parent", s.completePlaces())
	completeFlag(edit, "asks", s.completePermissions())
	edit.RunE = func(c *cobra.Command, args []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --name")
		}
		p, err := s.place(c.Context(), args[0])
		if err != nil {
			return err
		}
		body := api.PlaceWrite{PlaceFields: editFields()}
		body.Reason = s.reason
		_, err = s.write(c.Context(), "PATCH", "/places/"+p.Code, body, p.Name+" is changed.", client.IfMatch(p.ETag))
		return err
	}
	retire := &cobra.Command{Use: "retire PLACE", Short: "Take a place and all below it out of use",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completePlaces(),
		Example: "  loyal place retire HB-TRIM --reason 'table sold'\n  loyal place restore HB-TRIM",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.place(c.Context(), args[0])
			if err != nil {
				return err
			}
			s.ask(fmt.Sprintf("Retire %s (%s) and all below it?", p.Name, p.Code))
			_, err = s.write(c.Context(), "POST", "/places/"+p.Code+"/retire", api.Reasoned{Reason: s.reason},
				p.Name+" is retired.", client.IfMatch(p.ETag))
			return err
		}}
	restore := &cobra.Command{Use: "restore CODE", Short: "Bring a retired place back into use",
		Args: cobra.ExactArgs(1), Example: "  loyal place restore HB-TRIM",
		RunE: func(c *cobra.Command, args []string) error {
			_, err := s.write(c.Context(), "POST", "/places/"+url.PathEscape(args[0])+"/restore",
				api.Reasoned{Reason: s.reason}, args[0]+" is back in use.")
			return err
		}}
	return noun("place", "Sites, zones, doors, devices and work centres", listing, show, add, edit, retire, restore)
}

func placeFlags(c *cobra.Command, adding bool) func() api.PlaceFields {
	var f api.PlaceFields
	flags := []fieldFlag{
		{&f.Name, "name", "name"}, {&f.Parent, "parent", "code of the site or zone it stands in"},
		{&f.TimeZone, "time-zone", "of a site, such as Europe/Dublin"},
		{&f.Proof, "proof", "what it asks to be shown: badge, pin, badge_or_pin, badge_and_pin"},
		{&f.Asks, "asks", "key of the permission a request there is about"},
	}
	if adding {
		flags = append(flags, fieldFlag{&f.Kind, "kind", "site, zone, door, device or work_centre"})
	}
	fill := fieldFlags(c, flags)
	return func() api.PlaceFields { fill(); return f }
}

func (s *session) deviceCommand() *cobra.Command {
	listing := &cobra.Command{Use: "list", Short: "Connected devices", Args: cobra.NoArgs,
		Example: "  loyal device list"}
	limit := limitFlag(listing, 500)
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/devices", *limit, []column[api.Device]{
			{"ID", func(d api.Device) string { return fmt.Sprint(d.ID) }},
			{"NAME", func(d api.Device) string { return d.Name }},
			{"PLACE", func(d api.Device) string { return d.Place.Code }}, {"STATE", func(d api.Device) string {
				if d.Revoked {
					return "disconnected"
				}
				return "connected"
			}},
		})
	}
	var place string
	add := &cobra.Command{Use: "add NAME",
		Short: "Connect a door controller or terminal; its token is printed this once", Args: cobra.ExactArgs(1),
		Example: "  loyal device add 'Packing hall controller' --place HB-PACK",
		RunE: func(c *cobra.Command, args []string) error {
			at, err := s.place(c.Context(), place)
			if err != nil {
				return err
			}
			body := api.DeviceWrite{Name: args[0], Place: at.Code}
			body.Reason = s.reason
			_, err = s.write(c.Context(), "POST", "/devices", body, args[0]+" is connected.")
			return err
		}}
	add.Flags().StringVar(&place, "place", "", "the place it may ask for, with all below it (required)")
	completeFlag(add, "place", s.completePlaces())
	retire := &cobra.Command{Use: "retire ID", Short: "Disconnect a device: its token counts no longer",
		Args: cobra.ExactArgs(1), Example: "  loyal device retire 3 --reason 'replaced'",
		RunE: func(c *cobra.Command, args []string) error {
			s.ask("Retire device " + args[0] + "? Its doors get no more answers.")
			_, err := s.write(c.Context(), "DELETE", "/devices/"+url.PathEscape(args[0]), nil,
				"The device is disconnected.", client.Query("reason", s.reason))
			return err
		}}
	return noun("device", "Door controllers and terminals that ask for decisions", listing, add, retire)
}

func (s *session) auditCommand() *cobra.Command {
	var q, staff, place, actor, action string
	listing := &cobra.Command{Use: "list", Short: "Who changed what, when and why, newest first", Args: cobra.NoArgs,
		Example: "  loyal audit list --staff Q0241\n  loyal audit list --search lock --limit 20"}
	limit := limitFlag(listing, 30)
	listing.Flags().StringVar(&q, "search", "", "words of the summary, the actor or the reason")
	listing.Flags().StringVar(&staff, "staff", "", "about this staff number")
	listing.Flags().StringVar(&place, "place", "", "about this place code")
	listing.Flags().StringVar(&actor, "actor", "", "made by this staff number")
	listing.Flags().StringVar(&action, "action", "", "change, sign-in or sign-in-refused")
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/audit", *limit, []column[api.AuditEntry]{
			{"WHEN", func(e api.AuditEntry) string { return e.At.Local().Format("2006-01-02 15:04:05") }},
			{"WHO", func(e api.AuditEntry) string { return e.Actor }},
			{"FROM", func(e api.AuditEntry) string { return e.Origin }},
			{"WHAT", func(e api.AuditEntry) string { return e.Summary }},
			{"WHY", func(e api.AuditEntry) string { return e.Reason }},
		}, client.Query("q", q), client.Query("staff", staff), client.Query("place", place),
			client.Query("actor", actor), client.Query("action", action))
	}
	verify := &cobra.Command{Use: "verify", Short: "Walk the hash chain: is every entry as it was written?",
		Args: cobra.NoArgs, Example: "  loyal audit verify", RunE: func(c *cobra.Command, _ []string) error {
			var check api.AuditCheck
			if err := s.client.Get(c.Context(), "/audit/verify", &check); err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(check)
			}
			fmt.Fprintln(s.out, check.Detail)
			if !check.Whole {
				return refusal{}
			}
			return nil
		}}
	return noun("audit", "The audit log", listing, verify)
}

func (s *session) eventCommand() *cobra.Command {
	var staff, place, outcome string
	listing := &cobra.Command{Use: "list", Short: "What happened at doors and terminals, newest first",
		Args: cobra.NoArgs, Example: "  loyal event list --place HB-PACK-1\n  loyal event list --outcome refuse " +
			"--limit 20"}
	limit := limitFlag(listing, 30)
	listing.Flags().StringVar(&staff, "staff", "", "of this staff number")
	listing.Flags().StringVar(&place, "place", "", "at this place or below it")
	listing.Flags().StringVar(&outcome, "outcome", "", "allow or refuse")
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/events", *limit, []column[api.Event]{
			{"WHEN", func(e api.Event) string { return e.At.Local().Format("2006-01-02 15:04:05") }},
			{"PLACE", func(e api.Event) string { return e.Place.Code }},
			{"WHO", func(e api.Event) string {
				if e.Staff == nil {
					return "somebody unknown"
				}
				return e.Staff.StaffNumber + " " + e.Staff.Name
			}}, {"OUTCOME", func(e api.Event) string { return e.Outcome }},
			{"REASON", func(e api.Event) string { return strings.ReplaceAll(e.Reason, "_", " ") }},
			{"PERMISSION", func(e api.Event) string { return e.Permission }},
		}, client.Query("staff", staff), client.Query("place", place), client.Query("outcome", outcome))
	}
	return noun("event", "Decisions that really happened", listing)
}

// sessionCommand shows and ends what one is signed in with, or somebody over whom one stands.
func (s *session) sessionCommand() *cobra.Command {
	var staff string
	path := func(c *cobra.Command) (string, error) {
		if staff == "" {
			return "/me/sessions", nil
		}
		p, err := s.staff(c.Context(), staff)
		if err != nil {
			return "", err
		}
		return "/staff/" + p.StaffNumber + "/sessions", nil
	}
	listing := &cobra.Command{Use: "list", Short: "Sessions and tokens, your own or somebody's", Args: cobra.NoArgs,
		Example: "  loyal session list\n  loyal session list --staff Q0003"}
	limit := limitFlag(listing, 200)
	listing.RunE = func(c *cobra.Command, _ []string) error {
		at, err := path(c)
		if err != nil {
			return err
		}
		return list(c.Context(), s, at, *limit, []column[api.Session]{
			{"ID", func(v api.Session) string { return fmt.Sprint(v.ID) }},
			{"WHAT", func(v api.Session) string { return or(v.Name, v.Kind) }},
			{"SCOPE", func(v api.Session) string { return v.Scope }},
			{"BEGUN", func(v api.Session) string { return v.CreatedAt.Local().Format("2006-01-02 15:04") }},
			{"FROM", func(v api.Session) string { return v.Address }},
			{"USED", func(v api.Session) string { return when(v.LastUsed) }},
			{"UNTIL", func(v api.Session) string { return v.ExpiresAt.Local().Format("2006-01-02") }},
			{"", func(v api.Session) string {
				if v.Present {
					return "this one"
				}
				return ""
			}},
		})
	}
	all := false
	end := &cobra.Command{Use: "end [ID]", Short: "End a session or token, or with --all every other one",
		Args: cobra.MaximumNArgs(1), Example: "  loyal session end 12\n  loyal session end --all\n  loyal session " +
			"end --all --staff Q0003", RunE: func(c *cobra.Command, args []string) error {
			if err := s.atOnce(); err != nil {
				return err
			}
			if all == (len(args) == 1) {
				return usagef("say the number of a session, or --all")
			}
			at, err := path(c)
			if err != nil {
				return err
			}
			var options []client.Option
			switch {
			case len(args) == 1 && staff == "":
				at += "/" + url.PathEscape(args[0])
			case len(args) == 1:
				options = append(options, client.Query("session", args[0]))
			default:
				if err := s.confirm("End all of them?"); err != nil {
					return err
				}
			}
			if err := s.client.Do(c.Context(), "DELETE", at, nil, nil, options...); err != nil {
				return err
			}
			fmt.Fprintln(s.err, "Ended.")
			return nil
		}}
	end.Flags().BoolVar(&all, "all", false, "all but the one you are using")
	for _, c := range []*cobra.Command{listing, end} {
		c.Flags().StringVar(&staff, "staff", "", "of somebody over whom you stand")
		completeFlag(c, "staff", s.completeStaff())
	}
	return noun("session", "Where you, or others, are signed in", listing, end)
}
