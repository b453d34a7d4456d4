package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

func (s *session) noticeCommand() *cobra.Command {
	c := noun("notice", "Texts that people read and accept, and who has", s.noticeList(), s.noticeShow(), s.noticeAdd(),
		s.noticeEdit(), s.noticePublish(), s.noticeRecord())
	c.AddCommand(retiring(s, "notice", "HALL-RULES", s.completeNotices(), s.notice,
		func(of *api.Notice) (code, name, etag string) { return of.Code, of.Title, of.ETag },
		"Retire a notice: nobody has to accept it any more", "Bring a retired notice back")...)
	return c
}

func (s *session) notice(ctx context.Context, typed string) (*api.Notice, error) {
	return find(ctx, s, "/notices", "q", typed, "notice",
		func(n api.Notice) (string, string) { return n.Code, n.Title })
}

func (s *session) completeNotices() func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return complete(s, "/notices", "q", func(n api.Notice) (string, string) { return n.Code, n.Title })
}

func forWhom(n api.Notice) string {
	var names []string
	for _, p := range n.Places {
		names = append(names, p.Code)
	}
	for _, t := range n.Templates {
		names = append(names, t.Name)
	}
	return or(strings.Join(names, ", "), "everybody")
}

func (s *session) noticeList() *cobra.Command {
	var q string
	var retired bool
	listing := &cobra.Command{Use: "list", Short: "All notices: whom each is for, and how many have accepted it",
		Args: cobra.NoArgs, Example: "  loyal notice list"}
	limit := limitFlag(listing, 500)
	listing.Flags().StringVar(&q, "search", "", "words of the title, the code or the text")
	listing.Flags().BoolVar(&retired, "retired", false, "retired ones only")
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/notices", *limit, []column[api.Notice]{
			{"CODE", func(n api.Notice) string { return n.Code }}, {"TITLE",
				func(n api.Notice) string { return n.Title }},
			{"VERSION", func(n api.Notice) string { return fmt.Sprint(n.Version) }}, {"FOR", forWhom},
			{"REFUSES", func(n api.Notice) string { return map[bool]string{true: "yes", false: "no"}[n.Refuses] }},
			{"ACCEPTED", func(n api.Notice) string { return fmt.Sprintf("%d of %d", n.Accepted, n.Meant) }},
		}, client.Query("q", q), client.Query("retired", map[bool]string{true: "true"}[retired]))
	}
	return listing
}

func (s *session) noticeShow() *cobra.Command {
	var state string
	show := &cobra.Command{Use: "show NOTICE", Short: "One notice, its text, and who has accepted it",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeNotices(),
		Example: "  loyal notice show HALL-RULES\n  loyal notice show HALL-RULES --state waiting -o csv",
		RunE: func(c *cobra.Command, args []string) error {
			n, err := s.notice(c.Context(), args[0])
			if err != nil {
				return err
			}
			if s.output == "text" {
				s.line("Title", n.Title+" ("+n.Code+")")
				s.line("Version", fmt.Sprintf("%d, since %s", n.Version, local(&n.Since)))
				s.line("For", forWhom(*n))
				fmt.Fprintf(s.out, "\n%s\n\n", n.Text)
			}
			return list(c.Context(), s, "/acceptances", everything, []column[api.NoticePerson]{
				{"NUMBER", func(p api.NoticePerson) string { return p.Staff.StaffNumber }},
				{"NAME", func(p api.NoticePerson) string { return p.Staff.Name }},
				{"ACCEPTED", func(p api.NoticePerson) string { return or(local(p.Accepted), "not yet") }},
				{"HOW", func(p api.NoticePerson) string { return p.How }},
			}, client.Query("notice", n.Code), client.Query("state", state))
		}}
	show.Flags().StringVar(&state, "state", "", "accepted or waiting")
	return show
}

// noticeFlags are the fields of a notice; its text is read from a file, or from stdin.
func (s *session) noticeFlags(c *cobra.Command) func(ctx context.Context) (api.NoticeFields, error) {
	var f api.NoticeFields
	var file, refuses string
	var places, templates []string
	fill := fieldFlags(c, []fieldFlag{{&f.Title, "title", "title"}})
	c.Flags().StringVar(&file, "text", "", "file with the text; - reads it from stdin")
	c.Flags().StringSliceVar(&places, "place", nil, "for those who work there; may be given several times")
	c.Flags().StringSliceVar(&templates, "template", nil, "for those who work as that; may be given several times")
	c.Flags().StringVar(&refuses, "refuses", "", "yes: until they accept it they may not do that work; or no")
	completeFlag(c, "place", s.completePlaces())
	completeFlag(c, "template", s.completeTemplates())
	return func(ctx context.Context) (api.NoticeFields, error) {
		fill()
		if c.Flags().Changed("text") {
			text, err := s.read(file)
			if err != nil {
				return f, err
			}
			f.Text = new(string(text))
		}
		if c.Flags().Changed("place") {
			codes := []string{}
			for _, typed := range places {
				p, err := s.place(ctx, typed)
				if err != nil {
					return f, err
				}
				codes = append(codes, p.Code)
			}
			f.Places = &codes
		}
		if c.Flags().Changed("template") {
			codes := []string{}
			for _, typed := range templates {
				t, err := s.template(ctx, typed)
				if err != nil {
					return f, err
				}
				codes = append(codes, t.Code)
			}
			f.Templates = &codes
		}
		switch refuses {
		case "":
		case "yes", "no":
			f.Refuses = new(refuses == "yes")
		default:
			return f, usagef("--refuses is yes or no, not %q", refuses)
		}
		return f, nil
	}
}

func (s *session) noticeAdd() *cobra.Command {
	add := &cobra.Command{Use: "add CODE --title TITLE --text FILE", Short: "Publish a notice",
		Args: cobra.ExactArgs(1),
		Example: "  loyal notice add HALL-RULES --title 'Rules of the packing hall' --text rules.txt --place HB-PACK " +
			"--refuses yes --reason safety"}
	fields := s.noticeFlags(add)
	add.RunE = func(c *cobra.Command, args []string) error {
		body := api.NoticeWrite{}
		var err error
		if body.NoticeFields, err = fields(c.Context()); err != nil {
			return err
		}
		body.Code, body.Reason = &args[0], s.reason
		_, err = s.write(c.Context(), "POST", "/notices", body, value(body.Title)+" is published.")
		return err
	}
	return add
}

func (s *session) noticeEdit() *cobra.Command {
	edit := &cobra.Command{Use: "edit NOTICE", Short: "Change whom a notice is for, or its title",
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: s.completeNotices(),
		Example:           "  loyal notice edit HALL-RULES --place HB-PACK --place HB-GRADE"}
	fields := s.noticeFlags(edit)
	edit.RunE = func(c *cobra.Command, args []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --title")
		}
		n, err := s.notice(c.Context(), args[0])
		if err != nil {
			return err
		}
		body := api.NoticeWrite{}
		if body.NoticeFields, err = fields(c.Context()); err != nil {
			return err
		}
		body.Reason = s.reason
		_, err = s.write(c.Context(), "PATCH", "/notices/"+n.Code, body, n.Title+" is changed.", client.IfMatch(n.ETag))
		return err
	}
	return edit
}

func (s *session) noticePublish() *cobra.Command {
	var file string
	c := &cobra.Command{Use: "publish NOTICE --text FILE", Args: cobra.ExactArgs(1),
		Short:             "Publish a new version: everybody who is meant reads and accepts it anew",
		ValidArgsFunction: s.completeNotices(), Example: "  loyal notice publish HALL-RULES --text rules-2.txt"}
	c.Flags().StringVar(&file, "text", "", "file with the text; - reads it from stdin (required)")
	c.RunE = func(c *cobra.Command, args []string) error {
		n, err := s.notice(c.Context(), args[0])
		if err != nil {
			return err
		}
		if file == "" {
			return usagef("say where the new text is, with --text")
		}
		text, err := s.read(file)
		if err != nil {
			return err
		}
		body := api.NoticePublish{Text: string(text)}
		body.Reason = s.reason
		_, err = s.write(c.Context(), "POST", "/notices/"+n.Code+"/publish", body,
			fmt.Sprintf("Version %d of %s is published.", n.Version+1, n.Title), client.IfMatch(n.ETag))
		return err
	}
	return c
}

func (s *session) noticeRecord() *cobra.Command {
	return &cobra.Command{Use: "record NOTICE STAFF", Short: "Put on record that somebody accepted a notice on paper",
		Args: cobra.ExactArgs(2), ValidArgsFunction: s.completeNotices(),
		Example: "  loyal notice record HALL-RULES Q0241",
		RunE: func(c *cobra.Command, args []string) error {
			n, err := s.notice(c.Context(), args[0])
			if err != nil {
				return err
			}
			p, err := s.staff(c.Context(), args[1])
			if err != nil {
				return err
			}
			body := api.NoticeRecord{Staff: p.StaffNumber}
			body.Reason = s.reason
			_, err = s.write(c.Context(), "POST", "/notices/"+n.Code+"/acceptances", body,
				fmt.Sprintf("%s has accepted %s.", fullName(p), n.Title))
			return err
		}}
}

func (s *session) terminalCommand() *cobra.Command {
	var place, name string
	c := &cobra.Command{Use: "register", Args: cobra.NoArgs,
		Short: "Make a code by which a tablet becomes a shared terminal, once, within half an hour",
		Example: "  loyal terminal register --place HB-PACK\n  loyal terminal register --place HB-PACK --name " +
			"'Tablet by the door'"}
	c.Flags().StringVar(&place, "place", "", "where it stands (required)")
	c.Flags().StringVar(&name, "name", "", "its name; by its place where left out")
	completeFlag(c, "place", s.completePlaces())
	c.RunE = func(c *cobra.Command, _ []string) error {
		if s.preview || s.drafting {
			return usagef("a terminal is registered at once; leave --preview and --draft out")
		}
		p, err := s.place(c.Context(), place)
		if err != nil {
			return err
		}
		body := api.TerminalWrite{Name: or(name, "Tablet at "+p.Name), Place: p.Code}
		body.Reason = s.reason
		var made api.TerminalMade
		if err := s.client.Do(c.Context(), "POST", "/terminals", body, &made); err != nil {
			return err
		}
		if s.output == "json" {
			return s.json(made)
		}
		s.line("Open", made.Address)
		s.line("Code", made.Code)
		s.line("Until", local(&made.ExpiresAt))
		return nil
	}
	return noun("terminal", "Shared terminals: tablets at which staff show a PIN or a badge", c)
}

// pinMail mails somebody a link at which they choose their PIN.
func (s *session) pinMail() *cobra.Command {
	return &cobra.Command{Use: "mail STAFF", Args: cobra.ExactArgs(1),
		Short:             "Mail somebody a link at which they choose a PIN; it works once, for two days",
		ValidArgsFunction: s.completeStaff(), Example: "  loyal pin mail Q0241",
		RunE: func(c *cobra.Command, args []string) error {
			if s.preview || s.drafting {
				return usagef("a link is sent at once; leave --preview and --draft out")
			}
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			var sent api.PINLinkSent
			if err := s.client.Do(c.Context(), "POST", "/staff/"+p.StaffNumber+"/pin-link", nil, &sent); err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(sent)
			}
			fmt.Fprintf(s.err, "A link is sent to %s; it works until %s.\n", sent.To, local(&sent.ExpiresAt))
			return nil
		}}
}
