package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

func (s *session) localCommand() *cobra.Command {
	edit := &cobra.Command{Use: "edit ID", Short: "Change the level or the dates of a local setting",
		Args: cobra.ExactArgs(1), Example: "  loyal local edit 3 --until 2027-01-31"}
	var f api.LocalSettingEdit
	fill := fieldFlags(edit, []fieldFlag{{&f.Level, "level", "level that the template has there; none takes it away"},
		{&f.From, "from", "first day"}, {&f.Until, "until", "last day on which it applies"}})
	edit.RunE = func(c *cobra.Command, args []string) error {
		fill()
		_, err := s.change(c.Context(), "The local setting is changed.",
			api.Operation{Op: "local_setting.edit", On: args[0], Set: raw(f)})
		return err
	}
	end := &cobra.Command{Use: "end ID...", Short: "End local settings; they stay on record",
		Args:    cobra.MinimumNArgs(1),
		Example: "  loyal local end 3 --reason 'the line is new'",
		RunE: func(c *cobra.Command, args []string) error {
			var operations []api.Operation
			for _, id := range args {
				operations = append(operations, api.Operation{Op: "local_setting.end", On: id})
			}
			_, err := s.change(c.Context(), words.Count(len(args), "local setting is ended.",
				"local settings are ended."), operations...)
			return err
		}}
	return noun("local", "What a template gives otherwise at a place, for everybody who has it there", s.localList(),
		s.localSet(), edit, end)
}

func (s *session) localList() *cobra.Command {
	var place, template, permission, q, sort, when string
	listing := &cobra.Command{Use: "list", Short: "All local settings with their age and end", Args: cobra.NoArgs,
		Example: "  loyal local list\n  loyal local list --place HB\n  loyal local list --template line-operator"}
	limit := limitFlag(listing, 500)
	listing.Flags().StringVar(&place, "place", "", "that count at this place, above it or below it")
	listing.Flags().StringVar(&template, "template", "", "of this template, or of one that it is based on")
	listing.Flags().StringVar(&permission, "permission", "", "of this permission")
	listing.Flags().StringVar(&q, "search", "", "words of the template, the permission, the place or the reason")
	listing.Flags().StringVar(&when, "when", "", "now, later, past or ended; all but ended where left out")
	listing.Flags().StringVar(&sort, "sort", "newest", "newest, oldest, until, place or template")
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/local-settings", *limit, []column[api.LocalSetting]{
			{"ID", func(l api.LocalSetting) string { return fmt.Sprint(l.ID) }},
			{"TEMPLATE", func(l api.LocalSetting) string { return l.TemplateName }},
			{"AT", func(l api.LocalSetting) string { return l.Place.Name }},
			{"WHAT", func(l api.LocalSetting) string { return l.Title }},
			{"LEVEL", func(l api.LocalSetting) string { return l.Level }},
			{"OTHERWISE", func(l api.LocalSetting) string { return l.Otherwise }},
			{"AGE", func(l api.LocalSetting) string { return words.Count(l.Days, "day", "days") }},
			{"FROM", func(l api.LocalSetting) string { return l.From }},
			{"UNTIL", func(l api.LocalSetting) string { return or(l.Until, "open") }},
			{"WHY", func(l api.LocalSetting) string { return l.Reason }},
		}, client.Query("place", place), client.Query("template", template), client.Query("permission", permission),
			client.Query("q", q), client.Query("when", when), client.Query("sort", sort))
	}
	return listing
}

func (s *session) localSet() *cobra.Command {
	var permission, place, level, from, until string
	c := &cobra.Command{Use: "set TEMPLATE",
		Short: "Let a template have another level of a permission, or none, at a place",
		Args:  cobra.ExactArgs(1), ValidArgsFunction: s.completeTemplates(),
		Example: "  loyal local set line-operator --permission 'stop a line' --place HB-PACK --level none --preview\n" +
			"  loyal local set line-operator --permission 'stop a line' --place HB-PACK --level none " +
			"--until 2027-01-31 --reason 'new machine'"}
	c.Flags().StringVar(&permission, "permission", "", "key, or any words of the title")
	c.Flags().StringVar(&place, "place", "", "the place, with all below it")
	c.Flags().StringVar(&level, "level", "", "level that the template has there; none takes it away")
	c.Flags().StringVar(&from, "from", "", "first day")
	c.Flags().StringVar(&until, "until", "", "last day on which it applies")
	completeFlag(c, "permission", s.completePermissions())
	completeFlag(c, "place", s.completePlaces())
	c.RunE = func(c *cobra.Command, args []string) error {
		for name, typed := range map[string]string{"permission": permission, "place": place, "level": level} {
			if typed == "" {
				return usagef("say the %s, with --%s", name, name)
			}
		}
		finder := s.finder(c.Context())
		template, err := finder.template(args[0])
		if err != nil {
			return err
		}
		what, err := finder.permission(permission)
		if err != nil {
			return err
		}
		at, err := finder.place(place)
		if err != nil {
			return err
		}
		_, err = s.change(c.Context(), "The local setting is made.", api.Operation{Op: "local_setting.add",
			Set: raw(api.LocalSettingFields{Template: template.Code, Permission: what.Key, Place: at.Code, Level: level,
				From: from, Until: until})})
		return err
	}
	return c
}
