package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
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

func (s *session) line(name, text string) {
	if text != "" {
		fmt.Fprintf(s.out, "%-13s %s\n", name, text)
	}
}

func (s *session) deviceCommand() *cobra.Command {
	listing := &cobra.Command{Use: "list", Short: "Connected devices, and when each last asked", Args: cobra.NoArgs,
		Example: "  loyal device list\n  loyal device list --staff Q0241"}
	var staff string
	listing.Flags().StringVar(&staff, "staff", "", "only those that ask about this person: where they are assigned")
	completeFlag(listing, "staff", s.completeStaff())
	limit := limitFlag(listing, 500)
	listing.RunE = func(c *cobra.Command, _ []string) error {
		path := "/devices"
		if staff != "" {
			p, err := s.staff(c.Context(), staff)
			if err != nil {
				return err
			}
			path = "/staff/" + p.StaffNumber + "/devices"
		}
		return list(c.Context(), s, path, *limit, []column[api.Device]{
			{"ID", func(d api.Device) string { return fmt.Sprint(d.ID) }},
			{"NAME", func(d api.Device) string { return d.Name }},
			{"PLACE", func(d api.Device) string { return d.Place.Code }}, {"STATE", func(d api.Device) string {
				if d.Retired {
					return "retired"
				}
				return "in use"
			}}, {"LAST ASKED", func(d api.Device) string {
				if d.LastAsked == nil {
					return "never"
				}
				return local(d.LastAsked)
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
	retire := &cobra.Command{Use: "retire ID", Short: "Retire a device: it asks for nothing more",
		Args: cobra.ExactArgs(1), Example: "  loyal device retire 3 --reason 'replaced'",
		RunE: func(c *cobra.Command, args []string) error {
			s.ask("Retire device " + args[0] + "? Its doors get no more answers.")
			_, err := s.write(c.Context(), "DELETE", "/devices/"+url.PathEscape(args[0]), nil,
				"The device is retired.", client.Query("reason", s.reason))
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
	verify := &cobra.Command{Use: "verify", Short: "Check the hash chain: is every entry as it was written?",
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
	var staff, place, outcome, reason string
	listing := &cobra.Command{Use: "list", Short: "What happened at doors and terminals, newest first",
		Args: cobra.NoArgs, Example: "  loyal event list --place HB-PACK-1\n  loyal event list --outcome refuse " +
			"--limit 20"}
	limit := limitFlag(listing, 30)
	listing.Flags().StringVar(&staff, "staff", "", "of this staff number")
	listing.Flags().StringVar(&place, "place", "", "at this place or below it")
	listing.Flags().StringVar(&outcome, "outcome", "", "allow or refuse")
	listing.Flags().
		StringVar(&reason, "why", "", "reason code, such as wrong_pin, credential_not_valid or under_duress")
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
		}, client.Query("staff", staff), client.Query("place", place), client.Query("outcome", outcome),
			client.Query("reason", reason))
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
	listing := &cobra.Command{Use: "list", Short: "All that acts for you, or for somebody: sessions, tokens, " +
		"calendar addresses, visits, links, plans, devices", Args: cobra.NoArgs,
		Example: "  loyal session list\n  loyal session list --staff Q0003"}
	limit := limitFlag(listing, 200)
	listing.RunE = func(c *cobra.Command, _ []string) error {
		at, err := path(c)
		if err != nil {
			return err
		}
		return list(c.Context(), s, at, *limit, []column[api.Session]{
			{"ID", func(v api.Session) string { return or(v.ID, "-") }},
			{"KIND", func(v api.Session) string { return strings.ReplaceAll(v.Kind, "_", " ") }},
			{"NAME", func(v api.Session) string { return v.Name }},
			{"SCOPE", func(v api.Session) string { return v.Scope }},
			{"BEGUN", func(v api.Session) string { return local(v.CreatedAt) }},
			{"FROM", func(v api.Session) string { return v.Address }},
			{"USED", func(v api.Session) string { return local(v.LastUsed) }},
			{"UNTIL", func(v api.Session) string { return local(v.ExpiresAt) }},
			{"", func(v api.Session) string {
				if v.Present {
					return "this one"
				}
				return ""
			}},
		})
	}
	all := false
	end := &cobra.Command{Use: "end [ID]", Short: "End one thing that acts for you or for somebody, or with --all " +
		"every other one",
		Args: cobra.MaximumNArgs(1), Example: "  loyal session end 12\n  loyal session end --all\n  loyal session " +
			"end --all --staff Q0003", RunE: func(c *cobra.Command, args []string) error {
			if err := s.atOnce(); err != nil {
				return err
			}
			if all == (len(args) == 1) {
				return usagef("say the ID of one, or --all")
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
				if err := s.confirm("End all of them? Plans become open drafts; devices go on."); err != nil {
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

// retiring are the commands that take a record out of use and bring it back: what it is called, a code for the
// examples,
// how it is found, and what is said of both.
func retiring[T any](s *session, noun, example string, completes completion,
	find func(context.Context, string) (*T, error), of func(*T) (code, name, etag string), retire,
	restore string) (commands []*cobra.Command) {
	for _, act := range []struct{ name, short, done string }{{"retire", retire, "%s is retired."},
		{"restore", restore, "%s is in use again."}} {
		commands = append(commands, &cobra.Command{Use: act.name + " " + strings.ToUpper(noun), Short: act.short,
			Args: cobra.ExactArgs(1), ValidArgsFunction: completes, Example: "  loyal " + noun + " " + act.name + " " +
				"" + example,
			RunE: func(c *cobra.Command, args []string) error {
				record, err := find(c.Context(), args[0])
				if err != nil {
					return err
				}
				code, name, etag := of(record)
				if act.name == "retire" {
					follows := retire[strings.IndexAny(retire, ":;")+1:]
					s.ask(fmt.Sprintf("%s Retire %s (%s)?", words.Sentence(strings.TrimSpace(follows)), name, code))
				}
				var options []client.Option
				if etag != "" {
					options = append(options, client.IfMatch(etag))
				}
				_, err = s.write(c.Context(), "POST", "/"+noun+"s/"+code+"/"+act.name, api.Reasoned{Reason: s.reason},
					fmt.Sprintf(act.done, name), options...)
				return err
			}})
	}
	return commands
}

// completion completes a word of a command.
type completion = func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective)
