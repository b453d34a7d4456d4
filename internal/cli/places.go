package cli

import (
	"fmt"
	"net/url"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

func (s *session) placeCommand() *cobra.Command {
	listing := s.placeList()
	show := s.placeShow()
	add := s.placeAdd()
	edit := s.placeEdit()
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
	unpause := &cobra.Command{Use: "unpause PLACE", Short: "Take PINs at a place again, after too many wrong ones",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completePlaces(), Example: "  loyal place unpause HB-PACK-1",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.place(c.Context(), args[0])
			if err != nil {
				return err
			}
			_, err = s.write(c.Context(), "DELETE", "/places/"+p.Code+"/tries", nil, p.Name+" takes PINs again.")
			return err
		}}
	return noun("place", "Sites, zones, doors, devices and work centres", listing, show, add, edit, retire, restore,
		unpause)
}

func placeFlags(c *cobra.Command, adding bool) func() api.PlaceFields {
	var f api.PlaceFields
	flags := []fieldFlag{
		{&f.Name, "name", "name"}, {&f.Parent, "parent", "code of the site or zone it stands in"},
		{&f.TimeZone, "time-zone", "of a site, such as Europe/Dublin"},
		{&f.Proof, "proof", "what it asks to be shown: badge, pin, badge_or_pin, badge_and_pin"},
		{&f.Outside, "proof-outside", "for a door: what it asks for outside opening hours, stricter than --proof"},
		{&f.Asks, "asks", "key of the permission a request there is about"},
	}
	if adding {
		flags = append(flags, fieldFlag{&f.Kind, "kind", "organisation, site, zone, door, device or work_centre"})
	}
	fill := fieldFlags(c, flags)
	return func() api.PlaceFields { fill(); return f }
}

func (s *session) placeList() *cobra.Command {
	var q, kind, under string
	var retired bool
	listing := &cobra.Command{Use: "list", Short: "The estate as a tree", Args: cobra.NoArgs,
		Example: "  loyal place list\n  loyal place list --under HB-PACK --kind door -o csv"}
	limit := limitFlag(listing, 10000)
	listing.Flags().StringVar(&q, "search", "", "part of a name or code")
	listing.Flags().StringVar(&kind, "kind", "", "organisation, site, zone, door, device or work_centre")
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
	return listing
}

func (s *session) placeShow() *cobra.Command {
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
			s.line("Outside hours", strings.ReplaceAll(p.ProofOutside, "_", " "))
			s.line("Asks for", p.Asks)
			var required []string
			for _, q := range p.Requires {
				required = append(required, q.Name)
			}
			s.line("Requires", strings.Join(required, ", "))
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
	return show
}

func (s *session) placeAdd() *cobra.Command {
	add := &cobra.Command{Use: "add CODE", Short: "Add a place", Args: cobra.ExactArgs(1),
		Example: "  loyal place add HB-COLD-4 --name 'Cold room 4' --kind door --parent HB-COLD --proof badge " +
			"--asks door.cold"}
	addFields, requires := placeFlags(add, true), s.requiresFlag(add)
	completeFlag(add, "parent", s.completePlaces())
	completeFlag(add, "asks", s.completePermissions())
	add.RunE = func(c *cobra.Command, args []string) error {
		body := api.PlaceWrite{PlaceFields: addFields()}
		body.Code, body.Reason = &args[0], s.reason
		var err error
		if body.Requires, err = requires(c.Context()); err != nil {
			return err
		}
		_, err = s.write(c.Context(), "POST", "/places", body, value(body.Name)+" is added.")
		return err
	}
	return add
}

func (s *session) placeEdit() *cobra.Command {
	edit := &cobra.Command{Use: "edit PLACE", Short: "Change a place", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completePlaces(),
		Example:           "  loyal place edit HB-PACK-1 --name 'Packing hall main door' --proof badge_or_pin"}
	editFields, requires := placeFlags(edit, false), s.requiresFlag(edit)
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
		if body.Requires, err = requires(c.Context()); err != nil {
			return err
		}
		_, err = s.write(c.Context(), "PATCH", "/places/"+p.Code, body, p.Name+" is changed.", client.IfMatch(p.ETag))
		return err
	}
	return edit
}
