package cli

import (
	"context"
	"fmt"
	"io"
	"maps"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

func (s *session) messageCommand() *cobra.Command {
	return noun("message", "What the service sends by mail: how it is worded, what was sent, what you are told",
		s.messageList(), s.messageShow(), s.messageEdit(), s.messageReset(), s.messageTry(), s.messageSent(),
		s.messageChoose())
}

func (s *session) messages(ctx context.Context) ([]api.Message, error) {
	items, _, err := client.All[api.Message](ctx, s.client, "/messages", 200)
	return items, err
}

// message finds a sort of message by its kind or its title.
func (s *session) message(ctx context.Context, typed string) (*api.Message, error) {
	items, err := s.messages(ctx)
	if err != nil {
		return nil, err
	}
	var kinds []string
	for i := range items {
		if m := &items[i]; strings.EqualFold(m.Kind, typed) || strings.EqualFold(m.Title, typed) {
			return m, nil
		}
		kinds = append(kinds, items[i].Kind)
	}
	return nil, usagef("there is no message %q; use one of %s", typed, strings.Join(kinds, ", "))
}

func (s *session) completeMessages() func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return complete(s, "/messages", "", func(m api.Message) (string, string) { return m.Kind, m.Title })
}

func (s *session) messageList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "All that the service sends by mail", Args: cobra.NoArgs,
		Example: "  loyal message list", RunE: func(c *cobra.Command, _ []string) error {
			return list(c.Context(), s, "/messages", everything, []column[api.Message]{
				{"KIND", func(m api.Message) string { return m.Kind }},
				{"TITLE", func(m api.Message) string { return m.Title }},
				{"TO", func(m api.Message) string {
					return map[bool]string{true: "managers", false: "the person"}[m.ToOthers]
				}},
				{"SENT", func(m api.Message) string { return yesNo(m.Send) }},
				{"EDITED", func(m api.Message) string { return yesNo(m.Edited) }},
				{"WHEN", func(m api.Message) string { return m.When }},
			})
		}}
}

func yesNo(is bool) string { return map[bool]string{true: "yes", false: "no"}[is] }

func (s *session) messageShow() *cobra.Command {
	return &cobra.Command{Use: "show KIND", Short: "How a message is worded, and what fills it", Args: cobra.ExactArgs(
		1),
		ValidArgsFunction: s.completeMessages(), Example: "  loyal message show welcome",
		RunE: func(c *cobra.Command, args []string) error {
			m, err := s.message(c.Context(), args[0])
			if err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(m)
			}
			s.line("Title", m.Title)
			s.line("When", m.When)
			s.line("Sent", yesNo(m.Send))
			s.line("Subject", m.Subject)
			fmt.Fprintf(s.out, "\n%s\n", strings.TrimSpace(m.Text))
			fmt.Fprintln(s.out, "\nWhat is in braces is filled in:")
			for _, p := range m.Placeholders {
				fmt.Fprintf(s.out, "  %-15s %s\n", "{"+p.Name+"}", p.Says)
			}
			return nil
		}}
}

// wordingFlags are another wording: a subject, and a text in a file.
func wordingFlags(c *cobra.Command, in io.Reader) func() (subject, text *string, err error) {
	var subject, file string
	c.Flags().StringVar(&subject, "subject", "", "the subject; empty for as at first")
	c.Flags().StringVar(&file, "text", "", "file that holds the text, - for stdin")
	return func() (*string, *string, error) {
		var s, t *string
		if c.Flags().Changed("subject") {
			s = &subject
		}
		if file == "" {
			return s, nil, nil
		}
		var content []byte
		var err error
		if file == "-" {
			content, err = io.ReadAll(in)
		} else {
			content, err = os.ReadFile(file)
		}
		if err != nil {
			return nil, nil, usagef("%s", err)
		}
		text := string(content)
		t = &text
		return s, t, nil
	}
}

func (s *session) messageEdit() *cobra.Command {
	var send bool
	edit := &cobra.Command{Use: "edit KIND", Short: "Change how a message is worded, and whether it is sent",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeMessages(),
		Example: "  loyal message edit welcome --subject 'Your first day at {organisation}' --text welcome.txt\n" +
			"  loyal message edit changed --send"}
	wording := wordingFlags(edit, s.in)
	edit.Flags().BoolVar(&send, "send", false, "whether it is sent; --send=false for not")
	edit.RunE = func(c *cobra.Command, args []string) error {
		m, err := s.message(c.Context(), args[0])
		if err != nil {
			return err
		}
		body := api.MessageWrite{Reasoned: api.Reasoned{Reason: s.reason}}
		if body.Subject, body.Text, err = wording(); err != nil {
			return err
		}
		if c.Flags().Changed("send") {
			body.Send = &send
		}
		if body.MessageFields == (api.MessageFields{}) {
			return usagef("say what to change, such as --subject")
		}
		ask := "“%s” reads so from now on; message try shows how. Go on?"
		if body.Send != nil {
			ask = map[bool]string{true: "“%s” is mailed to everybody whom it is about from now on. Go on?",
				false: "“%s” is mailed to nobody any more. Go on?"}[send]
		}
		s.ask(fmt.Sprintf(ask, m.Title))
		_, err = s.write(c.Context(), "PATCH", "/messages/"+m.Kind, body, m.Title+" is changed.")
		return err
	}
	return edit
}

func (s *session) messageReset() *cobra.Command {
	return &cobra.Command{Use: "reset KIND", Short: "Word a message as at first", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeMessages(), Example: "  loyal message reset welcome",
		RunE: func(c *cobra.Command, args []string) error {
			m, err := s.message(c.Context(), args[0])
			if err != nil {
				return err
			}
			s.ask(fmt.Sprintf("The wording of “%s” that you have now is lost; it reads as at first. Go on?", m.Title))
			empty := ""
			_, err = s.write(c.Context(), "PATCH", "/messages/"+m.Kind, api.MessageWrite{
				MessageFields: api.MessageFields{Subject: &empty, Text: &empty},
				Reasoned:      api.Reasoned{Reason: s.reason}},
				m.Title+" is worded as at first.")
			return err
		}}
}

func (s *session) messageTry() *cobra.Command {
	try := &cobra.Command{Use: "try KIND STAFF", Short: "Show how a message would read about somebody; nothing is sent",
		Args: cobra.ExactArgs(2), ValidArgsFunction: s.completeMessages(),
		Example: "  loyal message try welcome Q0011\n  loyal message try welcome Q0011 --text welcome.txt"}
	wording := wordingFlags(try, s.in)
	try.RunE = func(c *cobra.Command, args []string) error {
		m, err := s.message(c.Context(), args[0])
		if err != nil {
			return err
		}
		p, err := s.staff(c.Context(), args[1])
		if err != nil {
			return err
		}
		body := api.MessageTry{Staff: p.StaffNumber}
		if body.Subject, body.Text, err = wording(); err != nil {
			return err
		}
		var read api.MessageRead
		if err := s.client.Do(c.Context(), "POST", "/messages/"+m.Kind+"/preview", body, &read); err != nil {
			return err
		}
		if s.output == "json" {
			return s.json(read)
		}
		s.line("Subject", read.Subject)
		fmt.Fprintf(s.out, "\n%s", read.Text)
		return nil
	}
	return try
}

func (s *session) messageSent() *cobra.Command {
	c := &cobra.Command{Use: "sent STAFF", Short: "The messages to somebody, and what became of each",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeStaff(), Example: "  loyal message sent Q0003"}
	limit := limitFlag(c, 50)
	c.RunE = func(c *cobra.Command, args []string) error {
		p, err := s.staff(c.Context(), args[0])
		if err != nil {
			return err
		}
		return list(c.Context(), s, "/staff/"+p.StaffNumber+"/messages", *limit, []column[api.MessageSent]{
			{"MADE", func(m api.MessageSent) string { return m.MadeAt.Local().Format("2 Jan 15:04") }},
			{"MESSAGE", func(m api.MessageSent) string { return m.Title }},
			{"TO", func(m api.MessageSent) string { return m.To }},
			{"STATE", func(m api.MessageSent) string { return strings.TrimSpace(m.State + " " + m.Digest) }},
			{"PROBLEM", func(m api.MessageSent) string { return m.Problem }},
		})
	}
	return c
}

func (s *session) messageChoose() *cobra.Command {
	var kinds map[string]string
	var sites []string
	c := &cobra.Command{Use: "choose", Short: "Choose what you are told by mail, how often, and about which sites",
		Args: cobra.NoArgs, Example: "  loyal message choose\n  loyal message choose --tell " +
			"leaving_soon=weekly,expiring=daily\n" +
			"  loyal message choose --site HB --site SM\n  loyal message choose --site ''"}
	c.Flags().StringToStringVar(&kinds, "tell", nil, "kind=how often: at_once, daily, weekly or never")
	c.Flags().StringSliceVar(&sites, "site", nil, "only about people of these sites; empty for all")
	completeFlag(c, "site", s.completePlaces())
	c.RunE = func(c *cobra.Command, _ []string) error {
		var chosen api.MessageChoices
		if err := s.client.Get(c.Context(), "/me/messages", &chosen); err != nil {
			return err
		}
		if changed(c) {
			maps.Copy(chosen.Kinds, kinds)
			if c.Flags().Changed("site") {
				chosen.Sites = []string{}
				for _, typed := range slices.DeleteFunc(sites, func(site string) bool { return site == "" }) {
					at, err := s.place(c.Context(), typed)
					if err != nil {
						return err
					}
					chosen.Sites = append(chosen.Sites, at.Code)
				}
			}
			if err := s.client.Do(c.Context(), "PUT", "/me/messages", chosen, nil); err != nil {
				return err
			}
		}
		if s.output == "json" {
			return s.json(chosen)
		}
		items, err := s.messages(c.Context())
		if err != nil {
			return err
		}
		for _, m := range items {
			if m.ToOthers && !m.Fixed {
				s.line(m.Title, strings.ReplaceAll(or(chosen.Kinds[m.Kind], "at_once"), "_", " "))
			}
		}
		s.line("Sites", or(strings.Join(chosen.Sites, ", "), "all"))
		return nil
	}
	return c
}
