package cli

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

func (s *session) templateCommand() *cobra.Command {
	return noun("template", "Named sets of permissions for a kind of work", s.templateList(), s.templateShow(),
		s.templateAdd(), s.templateEdit(), s.templateCopy(),
		s.templateCompare(), s.templateRetire(), s.templateRestore(), s.templateSheet(), s.exportCommand("template"),
		s.importCommand("template"))
}

func (s *session) templateList() *cobra.Command {
	listing := &cobra.Command{Use: "list", Short: "All templates", Args: cobra.NoArgs,
		Example: "  loyal template list\n  loyal template list --search 'line' -o csv"}
	limit := limitFlag(listing, 500)
	var q string
	var retired bool
	listing.Flags().StringVar(&q, "search", "", "any words of the name or the summary; a letter may be wrong")
	listing.Flags().BoolVar(&retired, "retired", false, "retired templates only")
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/templates", *limit, []column[api.Template]{
			{"CODE", func(t api.Template) string { return t.Code }},
			{"NAME", func(t api.Template) string { return t.Name }},
			{"BASED ON", func(t api.Template) string { return t.Base }},
			{"GIVES", func(t api.Template) string { return strconv.Itoa(t.Given) }},
			{"UNDECIDED", func(t api.Template) string { return strconv.Itoa(t.Undecided) }},
			{"ASSIGNED", func(t api.Template) string { return strconv.Itoa(t.Assignments) }},
			{"EXCEPTIONS", func(t api.Template) string { return strconv.Itoa(t.Exceptions) }},
			{"HOURS", func(t api.Template) string { return t.HoursWords }},
			{"FOR", func(t api.Template) string { return t.Summary }},
		}, client.Query("q", q), client.Query("retired", strconv.FormatBool(retired)))
	}
	return listing
}

func (s *session) templateShow() *cobra.Command {
	var all bool
	show := &cobra.Command{Use: "show TEMPLATE",
		Short: "One template with what it gives and where each setting comes from", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeTemplates(),
		Example:           "  loyal template show line-lead\n  loyal template show 'Line lead' --all",
		RunE: func(c *cobra.Command, args []string) error {
			found, err := s.template(c.Context(), args[0])
			if err != nil {
				return err
			}
			var t api.Template
			if err := s.client.Get(c.Context(), "/templates/"+found.Code, &t); err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(t)
			}
			s.line("Name", t.Name+" ("+t.Code+")")
			s.line("For", t.Summary)
			s.line("Based on", t.Base)
			s.line("Hours", t.HoursWords)
			s.line("Needs", t.NeedsWords)
			s.line("Requires", t.RequiresWords)
			s.line("Gives", fmt.Sprintf("%s; %d undecided", words.Count(t.Given, "permission", "permissions"),
				t.Undecided))
			s.line("Assigned", words.Count(t.Assignments, "time", "times"))
			fmt.Fprintln(s.out)
			var shown []api.TemplatePermission
			for _, p := range t.Permissions {
				if all || p.Undecided || gives(p.Level) || gives(p.Gives) {
					shown = append(shown, p)
				}
			}
			table(s, shown, []column[api.TemplatePermission]{
				{"GROUP", func(p api.TemplatePermission) string { return p.GroupTitle }},
				{"MAY", func(p api.TemplatePermission) string { return p.Title }},
				{"LEVEL", func(p api.TemplatePermission) string { return p.Level }},
				{"CAN GIVE", func(p api.TemplatePermission) string { return p.Gives }},
				{"SETTING", func(p api.TemplatePermission) string { return p.From }},
			})
			return nil
		}}
	show.Flags().BoolVar(&all, "all", false, "also what it does not give, and has decided so")
	return show
}

// gives reports whether a level is more than none.
func gives(level string) bool { return level != "" && level != "no" && level != "none" && level != "0" }

// templateFlags are the fields of a template as flags.
func (s *session) templateFlags(c *cobra.Command) func(ctx context.Context) (*api.TemplateFields, error) {
	var f api.TemplateFields
	var base string
	var days, idle int
	var needs, set, unset, giving, ungiving []string
	fill := fieldFlags(c, []fieldFlag{{&f.Name, "name", "name"}, {&f.Summary, "summary", "who it is for"}})
	c.Flags().StringVar(&base, "base", "", "template it is based on; empty for none")
	c.Flags().IntVar(&days, "days", 0, "how long an assignment lasts unless it says otherwise; 0 is open")
	c.Flags().IntVar(&idle, "idle-seconds", 0, "after which an idle shared terminal signs the person out")
	c.Flags().StringSliceVar(&needs, "needs", nil, "kinds of credential: pin, badge")
	c.Flags().StringArrayVar(&set, "set", nil,
		"a setting, such as line.run=run or stock=full; give it several times for several")
	c.Flags().StringArrayVar(&unset, "unset", nil,
		"set a permission or group back to what flows or comes from the base")
	c.Flags().StringArrayVar(&giving, "giving", nil,
		"what its holders can give to others, such as line=full or line.run=run; several times for several")
	c.Flags().StringArrayVar(&ungiving, "ungiving", nil,
		"say nothing of what they can give of a permission or group: then they give what they hold")
	completeFlag(c, "giving", s.completePermissions())
	completeFlag(c, "ungiving", s.completePermissions())
	requires, access := s.requiresFlag(c), s.hoursFlag(c)
	completeFlag(c, "base", s.completeTemplates())
	completeFlag(c, "set", s.completePermissions())
	completeFlag(c, "unset", s.completePermissions())
	return func(ctx context.Context) (*api.TemplateFields, error) {
		fill()
		if c.Flags().Changed("base") {
			if base != "" {
				t, err := s.template(ctx, base)
				if err != nil {
					return nil, err
				}
				base = t.Code
			}
			f.Base = &base
		}
		if c.Flags().Changed("days") {
			f.Days = &days
		}
		if c.Flags().Changed("idle-seconds") {
			f.IdleSeconds = &idle
		}
		if c.Flags().Changed("needs") {
			f.Needs = &needs
		}
		var err error
		if f.Requires, err = requires(ctx); err != nil {
			return nil, err
		}
		if f.Hours, err = access(ctx); err != nil {
			return nil, err
		}
		if f.Decide, err = s.settings(ctx, "--set", set, unset); err != nil {
			return nil, err
		}
		if f.DecideGiving, err = s.settings(ctx, "--giving", giving, ungiving); err != nil {
			return nil, err
		}
		return &f, nil
	}
}

// settings reads what a flag sets, such as line.run=run, and what is set back.
func (s *session) settings(ctx context.Context, flag string, set, back []string) (map[string]*string, error) {
	settings := map[string]*string{}
	for _, setting := range set {
		name, word, stated := strings.Cut(setting, "=")
		if !stated {
			return nil, usagef("%s takes a permission or group and a level, such as %s line.run=run, not %q", flag,
				flag, setting)
		}
		key, err := s.settingKey(ctx, name)
		if err != nil {
			return nil, err
		}
		settings[key] = &word
	}
	for _, name := range back {
		key, err := s.settingKey(ctx, name)
		if err != nil {
			return nil, err
		}
		settings[key] = nil
	}
	return settings, nil
}

// settingKey turns what a person types into the key of a group or a permission.
func (s *session) settingKey(ctx context.Context, typed string) (string, error) {
	groups, _, err := client.All[api.Group](ctx, s.client, "/groups", 5000)
	if err != nil {
		return "", err
	}
	for _, g := range groups {
		if strings.EqualFold(g.Key, strings.TrimSpace(typed)) {
			return g.Key, nil
		}
	}
	p, err := s.permission(ctx, typed)
	if err != nil {
		return "", err
	}
	return p.Key, nil
}

func (s *session) templateAdd() *cobra.Command {
	var like, place string
	c := &cobra.Command{Use: "add CODE", Short: "Make a template: from nothing, or from what a person holds",
		Args: cobra.ExactArgs(1),
		Example: "  loyal template add tray-line --name 'Tray line operator' --base line-operator --set " +
			"line.speed=100\n  loyal template add line-cover --name 'Line cover' --like Q0066 --place HB --preview"}
	fields := s.templateFlags(c)
	c.Flags().StringVar(&like, "like", "", "give what this person holds, by templates and exceptions")
	c.Flags().StringVar(&place, "place", "", "with --like: at this place")
	completeFlag(c, "like", s.completeStaff())
	completeFlag(c, "place", s.completePlaces())
	c.RunE = func(c *cobra.Command, args []string) error {
		f, err := fields(c.Context())
		if err != nil {
			return err
		}
		f.Code = &args[0]
		if like != "" {
			p, err := s.staff(c.Context(), like)
			if err != nil {
				return err
			}
			at, err := s.place(c.Context(), or(place, p.HomeSite.Code))
			if err != nil {
				return err
			}
			f.Like = &api.Like{Staff: p.StaffNumber, Place: at.Code}
		}
		_, err = s.change(c.Context(), or(value(f.Name), args[0])+" is made.",
			api.Operation{Op: "template.add", Set: raw(f)})
		return err
	}
	return c
}

func (s *session) templateCopy() *cobra.Command {
	c := &cobra.Command{Use: "copy TEMPLATE CODE", Short: "Make a template that begins as a copy of another",
		Args: cobra.ExactArgs(2), ValidArgsFunction: s.completeTemplates(),
		Example: "  loyal template copy packer tray-packer --name 'Tray packer'"}
	fields := s.templateFlags(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		from, err := s.template(c.Context(), args[0])
		if err != nil {
			return err
		}
		f, err := fields(c.Context())
		if err != nil {
			return err
		}
		f.Code, f.CopyOf = &args[1], &from.Code
		if f.Name == nil {
			name := from.Name + " (copy)"
			f.Name = &name
		}
		_, err = s.change(c.Context(), *f.Name+" is made.", api.Operation{Op: "template.add", Set: raw(f)})
		return err
	}
	return c
}

func (s *session) templateEdit() *cobra.Command {
	var sectionFrom, section string
	var rest bool
	c := &cobra.Command{Use: "edit TEMPLATE", Short: "Change a template, and so everybody who has it",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeTemplates(),
		Example: "  loyal template edit line-operator --set 'clear a jam=yes' --preview\n  loyal template edit " +
			"packer --unset stock.see --reason 'moved to graders'\n  loyal template edit site-manager --giving " +
			"line=full\n  loyal template edit grader --section quality " +
			"--section-from quality-technician"}
	fields := s.templateFlags(c)
	c.Flags().StringVar(&section, "section", "", "take one group of the catalogue from another template")
	c.Flags().StringVar(&sectionFrom, "section-from", "", "with --section: the other template")
	c.Flags().BoolVar(&rest, "decide-rest", false, "what is still undecided is not given, and that is decided")
	completeFlag(c, "section-from", s.completeTemplates())
	c.RunE = func(c *cobra.Command, args []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --set line.run=run")
		}
		t, err := s.template(c.Context(), args[0])
		if err != nil {
			return err
		}
		f, err := fields(c.Context())
		if err != nil {
			return err
		}
		if (section == "") != (sectionFrom == "") {
			return usagef("a section needs both --section and --section-from")
		}
		if section != "" {
			other, err := s.template(c.Context(), sectionFrom)
			if err != nil {
				return err
			}
			f.Section = &api.Section{From: other.Code, Group: section}
		}
		if rest {
			f.DecideRest = &rest
		}
		_, err = s.change(c.Context(), t.Name+" is changed.",
			api.Operation{Op: "template.edit", On: t.Code, IfRevision: revision(t.ETag), Set: raw(f)})
		return err
	}
	return c
}

// revision reads the etag of a record; an edit says by it which state it was made on.
func revision(etag string) uint64 {
	n, err := strconv.ParseUint(strings.Trim(etag, `"r`), 10, 64)
	if err != nil {
		return 0
	}
	return n
}

func (s *session) templateCompare() *cobra.Command {
	var with, place string
	var differences bool
	c := &cobra.Command{Use: "compare TEMPLATE...",
		Short: "Lay templates side by side, or a template and what a person holds", Args: cobra.MinimumNArgs(1),
		ValidArgsFunction: s.completeTemplates(),
		Example: "  loyal template compare line-operator line-lead --differences\n  loyal template compare packer " +
			"--with Q0018 --place HB --differences"}
	c.Flags().StringVar(&with, "with", "", "a person to put beside them")
	c.Flags().StringVar(&place, "place", "", "with --with: what they hold at this place; their home site where left "+
		"out")
	c.Flags().BoolVar(&differences, "differences", false, "only what differs")
	completeFlag(c, "with", s.completeStaff())
	completeFlag(c, "place", s.completePlaces())
	c.RunE = func(c *cobra.Command, args []string) error {
		var codes []string
		for _, typed := range args {
			t, err := s.template(c.Context(), typed)
			if errors.As(err, new(notFound)) {
				return notFound{fmt.Errorf("%w; a person is named by --with", err)}
			}
			if err != nil {
				return err
			}
			codes = append(codes, t.Code)
		}
		options := []client.Option{client.Query("templates", strings.Join(codes, ",")),
			client.Query("differences", strconv.FormatBool(differences))}
		if with != "" {
			p, err := s.staff(c.Context(), with)
			if err != nil {
				return err
			}
			options = append(options, client.Query("staff", p.StaffNumber))
			if place != "" {
				at, err := s.place(c.Context(), place)
				if err != nil {
					return err
				}
				options = append(options, client.Query("place", at.Code))
			}
		}
		if s.output == "csv" {
			return s.passOn(c.Context(), "/comparison", append(options, client.Header("Accept", "text/csv"))...)
		}
		var compared api.Comparison
		if err := s.client.Get(c.Context(), "/comparison", &compared, options...); err != nil {
			return err
		}
		if s.output == "json" {
			return s.json(compared)
		}
		columns := []column[api.ComparisonRow]{{"GROUP", func(r api.ComparisonRow) string { return r.GroupTitle }},
			{"MAY", func(r api.ComparisonRow) string { return r.Title }}}
		for i, side := range compared.Sides {
			columns = append(columns, column[api.ComparisonRow]{strings.ToUpper(side.Name),
				func(r api.ComparisonRow) string {
					if r.Gives[i] != r.Levels[i] {
						return r.Levels[i] + " (gives " + r.Gives[i] + ")"
					}
					return r.Levels[i]
				}})
		}
		columns = append(columns, column[api.ComparisonRow]{"", func(r api.ComparisonRow) string {
			if r.Differs && !differences {
				return "differs"
			}
			return ""
		}})
		table(s, compared.Items, columns)
		fmt.Fprintln(s.err, words.Count(compared.Differing, "permission differs.", "permissions differ."))
		return nil
	}
	return c
}

// passOn prints what the service answers, as it is.
func (s *session) passOn(ctx context.Context, path string, options ...client.Option) error {
	var answer []byte
	if err := s.client.Get(ctx, path, &answer, options...); err != nil {
		return err
	}
	return s.csv(answer)
}

func (s *session) templateRetire() *cobra.Command {
	var replaceWith string
	var endAssignments bool
	c := &cobra.Command{Use: "retire TEMPLATE",
		Short: "Take a template out of use, saying what happens to those who have it", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeTemplates(),
		Example: "  loyal template retire grader --replace-with packer --reason 'one kind of work from now on'\n  " +
			"loyal template retire picker --end-assignments --reason 'season over' --preview"}
	c.Flags().StringVar(&replaceWith, "replace-with", "", "their assignments go on with this template")
	c.Flags().BoolVar(&endAssignments, "end-assignments", false, "their assignments end")
	completeFlag(c, "replace-with", s.completeTemplates())
	c.RunE = func(c *cobra.Command, args []string) error {
		t, err := s.template(c.Context(), args[0])
		if err != nil {
			return err
		}
		set := map[string]any{}
		if replaceWith != "" {
			next, err := s.template(c.Context(), replaceWith)
			if err != nil {
				return err
			}
			set["replace_with"] = next.Code
		}
		if endAssignments {
			set["end_assignments"] = true
		}
		s.ask(fmt.Sprintf("Retire %s, which %s?", t.Name,
			words.Count(t.Assignments, "assignment uses", "assignments use")))
		_, err = s.change(c.Context(), t.Name+" is retired.",
			api.Operation{Op: "template.retire", On: t.Code, Set: raw(set)})
		return err
	}
	return c
}

func (s *session) templateRestore() *cobra.Command {
	return &cobra.Command{Use: "restore CODE", Short: "Bring a retired template back into use",
		Args: cobra.ExactArgs(1), Example: "  loyal template restore grader",
		RunE: func(c *cobra.Command, args []string) error {
			_, err := s.change(c.Context(), args[0]+" is back in use.",
				api.Operation{Op: "template.restore", On: args[0]})
			return err
		}}
}

func (s *session) templateSheet() *cobra.Command {
	return &cobra.Command{Use: "sheet [TEMPLATE...]",
		Short:             "Who each template is for and what it allows, in sentences, to agree on before a season",
		ValidArgsFunction: s.completeTemplates(),
		Example:           "  loyal template sheet > sheet.md\n  loyal template sheet packer line-operator",
		RunE: func(c *cobra.Command, args []string) error {
			var codes []string
			for _, typed := range args {
				t, err := s.template(c.Context(), typed)
				if err != nil {
					return err
				}
				codes = append(codes, t.Code)
			}
			sheets, _, err := client.All[api.SheetTemplate](c.Context(), s.client, "/sheet", 500,
				client.Query("templates", strings.Join(codes, ",")))
			if err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(sheets)
			}
			for _, sheet := range sheets {
				s.sheet(&sheet)
			}
			return nil
		}}
}

// sheet prints a template as Markdown.
func (s *session) sheet(t *api.SheetTemplate) {
	fmt.Fprintf(s.out, "## %s\n\n%s\n\n", t.Name, or(t.Summary, "For whom: not said yet."))
	have := words.Count(t.People, "person has it", "people have it")
	if len(t.Sites) > 0 {
		have += ", at " + strings.Join(t.Sites, ", ")
	}
	facts := append([]string{have}, t.Facts...)
	if t.BasedOn != "" {
		facts = append(facts, "Based on: "+t.BasedOn)
	}
	for _, fact := range facts {
		fmt.Fprintf(s.out, "- %s.\n", fact)
	}
	for _, section := range t.Sections {
		fmt.Fprintf(s.out, "\n**%s**\n\n", section.Group)
		for _, line := range section.Lines {
			fmt.Fprintf(s.out, "- %s\n", line)
		}
	}
	if len(t.Undecided) > 0 {
		fmt.Fprintf(s.out, "\nNot decided yet: %s.\n", strings.Join(t.Undecided, ", "))
	}
	fmt.Fprintln(s.out)
}
