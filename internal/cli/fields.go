package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

func (s *session) fieldCommand() *cobra.Command {
	c := noun("field", "Fields of people's records that are of the organisation's own making", s.fieldList(),
		s.fieldAdd(), s.fieldEdit())
	c.AddCommand(retiring(s, "field", "shoe_size", s.completeFields(), s.field,
		func(of *api.RecordField) (code, name, etag string) { return of.Key, of.Name, "" },
		"Retire a field; what was written in it stays", "Bring a retired field back")...)
	return c
}

func (s *session) field(ctx context.Context, typed string) (*api.RecordField, error) {
	return find(ctx, s, "/fields", "q", typed, "field of people's records",
		func(f api.RecordField) (string, string) { return f.Key, f.Name })
}

func (s *session) completeFields() completion {
	return complete(s, "/fields", "q", func(f api.RecordField) (string, string) { return f.Key, f.Name })
}

func (s *session) fieldList() *cobra.Command {
	var q string
	var retired bool
	listing := &cobra.Command{Use: "list", Short: "The fields: what each is for, and who sees it", Args: cobra.NoArgs,
		Example: "  loyal field list\n  loyal field list --retired"}
	limit := limitFlag(listing, 500)
	listing.Flags().StringVar(&q, "search", "", "words of the name or the key")
	listing.Flags().BoolVar(&retired, "retired", false, "retired ones only")
	yes := map[bool]string{true: "yes"}
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/fields", *limit, []column[api.RecordField]{
			{"KEY", func(f api.RecordField) string { return f.Key }},
			{"NAME", func(f api.RecordField) string { return f.Name }},
			{"KIND", func(f api.RecordField) string { return f.Kind }},
			{"CHOICES", func(f api.RecordField) string { return strings.Join(f.Choices, ", ") }},
			{"REQUIRED", func(f api.RecordField) string { return yes[f.Required] }},
			{"SEEN BY", func(f api.RecordField) string { return f.SeenBy }},
			{"FILLED IN", func(f api.RecordField) string { return fmt.Sprint(f.Filled) }},
		}, client.Query("q", q), client.Query("retired", map[bool]string{true: "true"}[retired]))
	}
	return listing
}

func recordFieldFlags(c *cobra.Command) func() api.RecordFieldFields {
	var f api.RecordFieldFields
	fill := fieldFlags(c, []fieldFlag{{&f.Name, "name", "name"}, {&f.Says, "says", "what to write in it"},
		{&f.SeenBy, "seen-by", "viewers (whoever sees the record whole), editors (whoever may change it) or owners"}})
	var choices []string
	var required bool
	c.Flags().StringSliceVar(&choices, "choices", nil, "of the kind choice: what there is to choose, with commas")
	c.Flags().BoolVar(&required, "required", false, "of whoever is enrolled; --required=false where it is no longer")
	completeFlag(c, "seen-by", cobra.FixedCompletions([]string{"viewers", "editors", "owners"},
		cobra.ShellCompDirectiveNoFileComp))
	return func() api.RecordFieldFields {
		fill()
		if c.Flags().Changed("choices") {
			f.Choices = &choices
		}
		if c.Flags().Changed("required") {
			f.Required = &required
		}
		return f
	}
}

func (s *session) fieldAdd() *cobra.Command {
	add := &cobra.Command{Use: "add KEY --name NAME", Short: "Add a field to people's records", Args: cobra.ExactArgs(
		1),
		Example: "  loyal field add shoe_size --name 'Shoe size' --kind number\n  loyal field add coat --name 'Coat " +
			"size' " +
			"--kind choice --choices S,M,L --required"}
	fields := recordFieldFlags(add)
	var kind string
	add.Flags().StringVar(&kind, "kind", "text", "text, number, date or choice; it stays as it is")
	completeFlag(add, "kind", cobra.FixedCompletions([]string{"text", "number", "date", "choice"},
		cobra.ShellCompDirectiveNoFileComp))
	add.RunE = func(c *cobra.Command, args []string) error {
		body := api.RecordFieldWrite{RecordFieldFields: fields()}
		body.Key, body.Kind, body.Reason = &args[0], &kind, s.reason
		_, err := s.write(c.Context(), "POST", "/fields", body, "The field "+value(body.Name)+" is added.")
		return err
	}
	return add
}

func (s *session) fieldEdit() *cobra.Command {
	edit := &cobra.Command{Use: "edit FIELD", Short: "Change a field: its name, its choices, who sees it",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeFields(),
		Example: "  loyal field edit shoe_size --required\n  loyal field edit coat --choices S,M,L,XL"}
	fields := recordFieldFlags(edit)
	edit.RunE = func(c *cobra.Command, args []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --name")
		}
		field, err := s.field(c.Context(), args[0])
		if err != nil {
			return err
		}
		body := api.RecordFieldWrite{RecordFieldFields: fields()}
		body.Reason = s.reason
		_, err = s.write(c.Context(), "PATCH", "/fields/"+field.Key, body, "The field "+field.Name+" is changed.")
		return err
	}
	return edit
}
