package cli

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

func (s *session) permissionCommand() *cobra.Command {
	listing := s.permissionList()
	add := s.permissionAdd()
	edit := s.permissionEdit()
	retire := &cobra.Command{Use: "retire PERMISSION",
		Short: "Take a permission out of the catalogue: nobody has it any more", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completePermissions(),
		Example:           "  loyal permission retire dispatch.return --reason 'returns go to the yard now'",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.permission(c.Context(), args[0])
			if err != nil {
				return err
			}
			s.ask(fmt.Sprintf("Retire “%s”, which %s?", p.Title,
				words.Count(p.Given, "template gives", "templates give")))
			_, err = s.change(c.Context(), p.Title+" is retired.", api.Operation{Op: "permission.retire", On: p.Key})
			return err
		}}
	restore := &cobra.Command{Use: "restore KEY", Short: "Bring a retired permission back", Args: cobra.ExactArgs(1),
		Example: "  loyal permission restore dispatch.return", RunE: func(c *cobra.Command, args []string) error {
			_, err := s.change(c.Context(), args[0]+" is back in the catalogue.",
				api.Operation{Op: "permission.restore", On: args[0]})
			return err
		}}
	people := s.permissionPeople()
	return noun("permission", "The catalogue of what somebody may do", listing, s.permissionShow(), add, edit,
		s.permissionDecide(), retire, restore, people, s.groupCommand(), s.exportCommand("permission"),
		s.importCommand("permission"))
}

func (s *session) permissionShow() *cobra.Command {
	return &cobra.Command{Use: "show PERMISSION", Short: "One permission, and what each template says of it",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completePermissions(),
		Example: "  loyal permission show line.run\n  loyal permission show 'count stock' -o json",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.permission(c.Context(), args[0])
			if err != nil {
				return err
			}
			lines, err := s.tiers(c.Context(), p)
			if err != nil {
				return err
			}
			switch s.output {
			case "json":
				return s.json(map[string]any{"permission": p, "templates": lines})
			case "csv":
				return s.passOn(c.Context(), "/permissions/"+p.Key+"/templates", client.Header("Accept", "text/csv"))
			}
			s.line("May", p.Title+" ("+p.Key+")")
			s.line("Says", p.Sentence)
			s.line("Group", p.GroupTitle)
			s.line("Scale", scaleText(p.Scale))
			s.line("At", strings.ReplaceAll(strings.Join(p.Kinds, ", "), "_", " "))
			if p.Sensitive {
				s.line("Sensitive", "giving it asks for a reason")
			}
			fmt.Fprintln(s.out)
			table(s, lines, []column[api.OutlineLine]{
				{"TEMPLATE", func(l api.OutlineLine) string { return strings.Repeat("   ", l.Depth) + l.Title }},
				{"CODE", func(l api.OutlineLine) string { return l.Key }},
				{"LEVEL", func(l api.OutlineLine) string { return l.Level }}, {"SETTING", settingText},
				{"ASSIGNED", func(l api.OutlineLine) string { return strconv.Itoa(l.Assigned) }},
			})
			return nil
		}}
}

// tiers are what each template says of a permission, each template below the one it is based on.
func (s *session) tiers(ctx context.Context, p *api.Permission) ([]api.OutlineLine, error) {
	var page api.Page[api.OutlineLine]
	err := s.client.Get(ctx, "/permissions/"+p.Key+"/templates", &page)
	return page.Items, err
}

func settingText(l api.OutlineLine) string {
	switch l.Origin {
	case "own":
		return "its own"
	case "group":
		return "on the group " + l.OriginName
	case "base":
		return "from " + l.OriginName
	case "undecided":
		return "not decided yet"
	}
	return "not given"
}

func (s *session) permissionDecide() *cobra.Command {
	var rest bool
	c := &cobra.Command{Use: "decide PERMISSION [TEMPLATE=LEVEL...]",
		Short: "Say in several templates at once what they give of a permission", Args: cobra.MinimumNArgs(1),
		ValidArgsFunction: s.completePermissions(),
		Example: "  loyal permission decide 'clear a jam' line-operator=yes --rest --preview\n  loyal permission " +
			"decide line.speed line-operator=80 line-lead=100 --draft"}
	c.Flags().BoolVar(&rest, "rest", false, "the others in which it is undecided do not give it, and that is decided")
	c.RunE = func(c *cobra.Command, args []string) error {
		p, err := s.permission(c.Context(), args[0])
		if err != nil {
			return err
		}
		if len(args) == 1 && !rest {
			return usagef("say what to decide, such as line-operator=yes, or --rest")
		}
		codes, settled := []string{}, map[string]string{}
		for _, arg := range args[1:] {
			typed, word, is := strings.Cut(arg, "=")
			if !is {
				return usagef("%q says no level; write it as %s=LEVEL", arg, arg)
			}
			t, err := s.template(c.Context(), typed)
			if err != nil {
				return err
			}
			codes, settled[t.Code] = append(codes, t.Code), word
		}
		if rest {
			lines, err := s.tiers(c.Context(), p)
			if err != nil {
				return err
			}
			for _, l := range lines { // a base stands before those based on it, which follow it
				if _, follows := settled[l.Parent]; follows && settled[l.Key] == "" {
					settled[l.Key] = ""
				} else if l.Origin == "undecided" && settled[l.Key] == "" {
					codes, settled[l.Key] = append(codes, l.Key), l.Words[0]
				}
			}
		}
		if len(codes) == 0 {
			fmt.Fprintf(s.err, "Every template has decided “%s” already.\n", p.Title)
			return nil
		}
		var operations []api.Operation
		for _, code := range codes {
			operations = append(operations,
				api.Operation{Op: "template.edit", On: code,
					Set: raw(map[string]any{"decide": map[string]string{p.Key: settled[code]}})})
		}
		_, err = s.change(c.Context(),
			fmt.Sprintf("“%s” is decided in %s.", p.Title, words.Count(len(codes), "template", "templates")),
			operations...)
		return err
	}
	return c
}

func scaleText(scale api.Scale) string {
	switch {
	case len(scale.Levels) > 0:
		return strings.Join(scale.Levels, " < ")
	case scale.Unit != "" && scale.Most > 0:
		return fmt.Sprintf("limit in %s, at most %d", scale.Unit, scale.Most)
	case scale.Unit != "":
		return "limit in " + scale.Unit
	}
	return scale.Kind
}

// readScale reads a scale as it is listed: "switch", "none < view < run", "limit in kg, at most 100".
func readScale(text string) (*api.Scale, error) {
	text = strings.TrimSpace(text)
	if text == "switch" {
		return &api.Scale{Kind: "switch"}, nil
	}
	if rest, limit := strings.CutPrefix(text, "limit in "); limit {
		unit, most, bounded := strings.Cut(rest, ", at most ")
		scale := &api.Scale{Kind: "limit", Unit: strings.TrimSpace(unit)}
		if bounded {
			n, err := strconv.ParseInt(strings.TrimSpace(most), 10, 32)
			if err != nil {
				return nil, usagef("%q is not a number for the most that the limit can be", most)
			}
			scale.Most = int32(n)
		}
		return scale, nil
	}
	if strings.Contains(text, "<") {
		scale := &api.Scale{Kind: "levels"}
		for level := range strings.SplitSeq(text, "<") {
			scale.Levels = append(scale.Levels, strings.TrimSpace(level))
		}
		return scale, nil
	}
	return nil, usagef("%q is not a scale; write switch, none < view < run, or limit in kg, at most 100", text)
}

func (s *session) permissionFlags(c *cobra.Command) func() (*api.PermissionFields, error) {
	var f api.PermissionFields
	var scale string
	var kinds []string
	var sensitive bool
	fill := fieldFlags(c, []fieldFlag{{&f.Title, "title", "what it is, such as 'Clear a jam'"},
		{&f.Sentence, "sentence", "one plain sentence"}, {&f.Group, "group", "key of the group it stands in"}})
	c.Flags().StringVar(&scale, "scale", "",
		"switch, or levels such as 'none < view < run', or 'limit in kg, at most 100'; a new one is a switch where "+
			"left out")
	c.Flags().StringSliceVar(&kinds, "kinds", nil,
		"kinds of place it applies to: organisation, site, zone, door, device, work_centre")
	c.Flags().BoolVar(&sensitive, "sensitive", false, "giving it asks for a reason")
	return func() (*api.PermissionFields, error) {
		fill()
		if c.Flags().Changed("scale") {
			read, err := readScale(scale)
			if err != nil {
				return nil, err
			}
			f.Scale = read
		}
		if c.Flags().Changed("kinds") {
			f.Kinds = &kinds
		}
		if c.Flags().Changed("sensitive") {
			f.Sensitive = &sensitive
		}
		return &f, nil
	}
}

func (s *session) groupCommand() *cobra.Command {
	listing := &cobra.Command{Use: "list", Short: "The groups of the catalogue as a tree", Args: cobra.NoArgs,
		Example: "  loyal permission group list"}
	limit := limitFlag(listing, 5000)
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/groups", *limit, []column[api.Group]{
			{"GROUP", func(g api.Group) string { return strings.Repeat("   ", g.Depth) + g.Title }},
			{"KEY", func(g api.Group) string { return g.Key }},
			{"PERMISSIONS", func(g api.Group) string { return strconv.Itoa(g.Permissions) }},
		})
	}
	fields := func(c *cobra.Command) func() api.GroupFields {
		var f api.GroupFields
		fill := fieldFlags(c, []fieldFlag{{&f.Title, "title", "title"},
			{&f.Parent, "parent", "key of the group it stands in; empty for the top"}})
		return func() api.GroupFields { fill(); return f }
	}
	add := &cobra.Command{Use: "add KEY", Short: "Add a group", Args: cobra.ExactArgs(1),
		Example: "  loyal permission group add line.care --title 'Care of lines' --parent line"}
	addFields := fields(add)
	add.RunE = func(c *cobra.Command, args []string) error {
		f := addFields()
		f.Key = &args[0]
		_, err := s.change(c.Context(), or(value(f.Title), args[0])+" is added.",
			api.Operation{Op: "group.add", Set: raw(f)})
		return err
	}
	edit := &cobra.Command{Use: "edit KEY", Short: "Rename a group or move it", Args: cobra.ExactArgs(1),
		Example: "  loyal permission group edit line --title 'Production lines'"}
	editFields := fields(edit)
	edit.RunE = func(c *cobra.Command, args []string) error {
		_, err := s.change(c.Context(), args[0]+" is changed.",
			api.Operation{Op: "group.edit", On: args[0], Set: raw(editFields())})
		return err
	}
	plain := func(verb, short, done string) *cobra.Command {
		return &cobra.Command{Use: verb + " KEY", Short: short, Args: cobra.ExactArgs(1),
			Example: "  loyal permission group " + verb + " line.care",
			RunE: func(c *cobra.Command, args []string) error {
				_, err := s.change(c.Context(), args[0]+" "+done+".", api.Operation{Op: "group." + verb, On: args[0]})
				return err
			}}
	}
	group := noun("group", "Groups of the catalogue", listing, add, edit,
		plain("retire", "Take an empty group out of use", "is retired"),
		plain("restore", "Bring a retired group back", "is back in use"))
	group.Example = "  loyal permission group list"
	return group
}

// permission turns what a person types into the one permission they mean.
func (s *session) permission(ctx context.Context, typed string) (*api.Permission, error) {
	return find(ctx, s, "/permissions", "q", typed, "permission",
		func(p api.Permission) (string, string) { return p.Key, p.Title })
}

func (s *session) exportCommand(what string) *cobra.Command {
	c := &cobra.Command{Use: "export", Short: "Write the catalogue as YAML, to keep under version control",
		Args: cobra.NoArgs, Example: "  loyal permission export > catalogue.yaml"}
	options := []client.Option{client.Query("templates", "none")}
	if what == "template" {
		c = &cobra.Command{Use: "export [TEMPLATE...]", Short: "Write templates as YAML, to keep under version control",
			ValidArgsFunction: s.completeTemplates(),
			Example:           "  loyal template export > templates.yaml\n  loyal template export packer line-operator"}
		options = []client.Option{client.Query("catalogue", "false")}
	}
	c.RunE = func(c *cobra.Command, args []string) error {
		var codes []string
		for _, typed := range args {
			t, err := s.template(c.Context(), typed)
			if err != nil {
				return err
			}
			codes = append(codes, t.Code)
		}
		if len(codes) > 0 {
			options = append(options, client.Query("templates", strings.Join(codes, ",")))
		}
		return s.passOn(c.Context(), "/rulebook", options...)
	}
	return c
}

func (s *session) importCommand(what string) *cobra.Command {
	var starter string
	c := &cobra.Command{Use: "import [FILE]",
		Short: "Apply a YAML file of catalogue and templates; --preview compares it with what is live",
		Args:  cobra.MaximumNArgs(1),
		Example: "  loyal " + what + " import rules.yaml --preview\n  loyal " + what +
			" import - --reason 'agreed for the season' < rules.yaml\n  loyal " + what +
			" import --starter workshop --preview"}
	c.Flags().StringVar(&starter, "starter", "",
		"a set that ships with the service instead of a file: food-production, warehouse, workshop, shop or kitchen")
	c.RunE = func(c *cobra.Command, args []string) error {
		if (starter == "") == (len(args) == 0) {
			return usagef("name a file, - for stdin, or --starter with one of the sets that ship with the service")
		}
		var text []byte
		var err error
		if starter != "" {
			err = s.client.Get(c.Context(), "/starters/"+url.PathEscape(starter), &text)
		} else {
			text, err = s.read(args[0])
		}
		if err != nil {
			return err
		}
		book := client.Body("application/yaml", text)
		if s.drafting {
			var d api.Draft
			if err := s.client.Do(c.Context(), http.MethodPost, "/drafts/open/rulebook", nil, &d, book,
				client.Query("reason", s.reason)); err != nil {
				return err
			}
			return s.draftShown(&d)
		}
		result, err := s.send(c.Context(), http.MethodPost, "/rulebook", nil, book, client.Query("reason", s.reason))
		if err != nil {
			return err
		}
		if len(result.Steps) == 0 && s.output != "json" {
			fmt.Fprintln(s.err, "Nothing to do: no change.")
			return nil
		}
		if err := s.report(result, fmt.Sprintf("Applied: %s. %s", words.Count(result.Total, "step", "steps"),
			result.Effect.Summary)); err != nil {
			return err
		}
		if s.preview && s.output != "json" && result.Total == 1 { // of several the report says them
			s.steps(result.Steps, result.Total)
		}
		return nil
	}
	return c
}

// mostRead bounds what is read from a file or stdin, as the service bounds what it takes.
const mostRead = 4 << 20

// read reads a file, or stdin for "-".
func (s *session) read(name string) ([]byte, error) {
	var from io.Reader = s.in
	if name != "-" {
		file, err := os.Open(name)
		if err != nil {
			return nil, usagef("%s cannot be read: %w", name, err)
		}
		defer func() { _ = file.Close() }()
		from = file
	}
	text, err := io.ReadAll(io.LimitReader(from, mostRead+1))
	if err == nil && len(text) > mostRead {
		return nil, usagef("%s is longer than the %d MB that are taken at once; make several of it", name, mostRead>>20)
	}
	return text, err
}

func (s *session) permissionList() *cobra.Command {
	var q, group, kind string
	var retired bool
	listing := &cobra.Command{Use: "list", Short: "The catalogue", Args: cobra.NoArgs,
		Example: "  loyal permission list --search chemical\n  loyal permission list --group line -o csv"}
	limit := limitFlag(listing, 1000)
	listing.Flags().StringVar(&q, "search", "", "any words of the title or the sentence; a letter may be wrong")
	listing.Flags().StringVar(&group, "group", "", "in this group or below it")
	listing.Flags().StringVar(&kind, "kind", "", "that apply to this kind of place")
	listing.Flags().BoolVar(&retired, "retired", false, "retired permissions only")
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/permissions", *limit, []column[api.Permission]{
			{"KEY", func(p api.Permission) string { return p.Key }},
			{"MAY", func(p api.Permission) string { return p.Title }},
			{"SCALE", func(p api.Permission) string { return scaleText(p.Scale) }},
			{"AT", func(p api.Permission) string { return strings.ReplaceAll(strings.Join(p.Kinds, ", "), "_", " ") }},
			{"GIVEN BY", func(p api.Permission) string { return words.Count(p.Given, "template", "templates") }},
			{"UNDECIDED", func(p api.Permission) string {
				if p.Undecided == 0 {
					return ""
				}
				return fmt.Sprintf("in %d", p.Undecided)
			}},
			{"", func(p api.Permission) string {
				if p.Sensitive {
					return "sensitive"
				}
				return ""
			}},
		}, client.Query("q", q), client.Query("group", group), client.Query("kind", kind),
			client.Query("retired", strconv.FormatBool(retired)))
	}
	return listing
}

func (s *session) permissionAdd() *cobra.Command {
	add := &cobra.Command{Use: "add KEY", Short: "Add a permission; nobody has it until a template decides it",
		Args: cobra.ExactArgs(1),
		Example: "  loyal permission add line.jam --title 'Clear a jam' --sentence 'Takes a jam out of a stopped " +
			"line.' --group line --scale switch --kinds work_centre\n" +
			"  loyal permission add stock.crates --title 'Lend crates' --sentence 'Lends crates to growers, up to a " +
			"number.' --group stock --scale 'limit in crates, at most 200' --kinds zone,site"}
	addFields := s.permissionFlags(add)
	add.RunE = func(c *cobra.Command, args []string) error {
		f, err := addFields()
		if err != nil {
			return err
		}
		f.Key = &args[0]
		if f.Scale == nil {
			f.Scale = &api.Scale{Kind: "switch"}
		}
		_, err = s.change(c.Context(),
			or(value(f.Title), args[0])+" is in the catalogue; nobody has it until a template decides it.",
			api.Operation{Op: "permission.add", Set: raw(f)})
		return err
	}
	return add
}

func (s *session) permissionEdit() *cobra.Command {
	edit := &cobra.Command{Use: "edit PERMISSION",
		Short: "Reword a permission, move it, or change its scale, kinds or mark", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completePermissions(),
		Example: "  loyal permission edit line.clean --title 'Clean a line' --sensitive --reason 'guards " +
			"are open'"}
	editFields := s.permissionFlags(edit)
	edit.RunE = func(c *cobra.Command, args []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --title")
		}
		p, err := s.permission(c.Context(), args[0])
		if err != nil {
			return err
		}
		f, err := editFields()
		if err != nil {
			return err
		}
		_, err = s.change(c.Context(), p.Title+" is changed.",
			api.Operation{Op: "permission.edit", On: p.Key, IfRevision: revision(p.ETag), Set: raw(f)})
		return err
	}
	return edit
}

func (s *session) permissionPeople() *cobra.Command {
	people := &cobra.Command{Use: "people PERMISSION",
		Short: "Everybody who holds a permission anywhere, through what, until when", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completePermissions(),
		Example: "  loyal permission people 'open the chemical store'\n  loyal permission people quality.release " +
			"--place HB -o csv"}
	most := limitFlag(people, 500)
	among := peopleFlags(people)
	under := people.Flags().String("place", "", "held at this place, below it, or above it")
	completeFlag(people, "place", s.completePlaces())
	people.RunE = func(c *cobra.Command, args []string) error {
		p, err := s.permission(c.Context(), args[0])
		if err != nil {
			return err
		}
		options := among()
		if *under != "" {
			where, err := s.place(c.Context(), *under)
			if err != nil {
				return err
			}
			options = append(options, client.Query("under", where.Code))
		}
		return list(c.Context(), s, "/permissions/"+p.Key+"/people", *most, []column[api.Holder]{
			{"NUMBER", func(h api.Holder) string { return h.StaffNumber }},
			{"NAME", func(h api.Holder) string { return h.Name }},
			{"AT", func(h api.Holder) string { return h.Place.Name }},
			{"LEVEL", func(h api.Holder) string { return h.Level }},
			{"THROUGH", func(h api.Holder) string { return h.Through }},
			{"FROM", func(h api.Holder) string { return h.From }},
			{"UNTIL", func(h api.Holder) string { return h.Until }},
		}, options...)
	}
	return people
}
