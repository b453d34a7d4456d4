package cli

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

func (s *session) badgeCommand() *cobra.Command {
	c := noun("badge", "Badges: the stock, who has which, and what has become of each", s.badgeList(), s.badgeShow(),
		s.badgeAdd(), s.badgeEdit(), s.badgeIssue(), s.badgeReplace(), s.badgeFound(), s.badgeDecode(), s.badgePrint())
	for _, act := range []struct{ name, short, question, done, example string }{
		{"lost", "Report a badge lost: every door refuses it from then on", "",
			"The badge %s is reported lost; no door takes it any more.", "'left on the bus'"},
		{"return", "Take a badge back into stock", "", "The badge %s is in stock again.", "'end of the day'"},
		{"suspend", "Let a badge not count for a while", "", "The badge %s does not count until it is resumed.",
			"'left at home'"},
		{"resume", "Let a suspended badge count again", "", "The badge %s counts again.", "'brought in'"},
		{"destroy", "Record that a badge is destroyed", "Record the badge %s as destroyed?",
			"The badge %s is destroyed.", "'broken'"},
	} {
		c.AddCommand(&cobra.Command{Use: act.name + " BADGE", Short: act.short, Args: cobra.ExactArgs(1),
			ValidArgsFunction: s.completeBadges(),
			Example:           "  loyal badge " + act.name + " 118-1603 --reason " + act.example,
			RunE: func(c *cobra.Command, args []string) error {
				b, err := s.badge(c.Context(), args[0])
				if err != nil {
					return err
				}
				if act.question != "" {
					s.ask(fmt.Sprintf(act.question, b.Number))
				}
				_, err = s.write(c.Context(), "POST", badgePath(b)+"/"+act.name, api.Reasoned{Reason: s.reason},
					fmt.Sprintf(act.done, b.Number), client.IfMatch(b.ETag))
				return err
			}})
	}
	return c
}

// badgeReference names a badge and no other.
func badgeReference(b *api.Badge) string { return b.Format + ":" + b.Number }

func badgePath(b *api.Badge) string { return "/badges/" + url.PathEscape(badgeReference(b)) }

// badge finds the badge that somebody means: by its number, whatever separates its parts, with the format and a colon
// before it where several have it; by what a reader reads; or by part of its label.
func (s *session) badge(ctx context.Context, typed string) (*api.Badge, error) {
	typed = strings.TrimSpace(typed)
	if typed == "" {
		return nil, usagef("say which badge: its number, or part of its label")
	}
	fitting := map[uint32]api.Badge{}
	read := typed
	format := ""
	if before, number, stated := strings.Cut(typed, ":"); stated && !strings.ContainsAny(before, "0123456789") ||
		strings.HasPrefix(typed, "wiegand") || strings.HasPrefix(typed, "uid") {
		format, read = before, number
	}
	var readings api.Page[api.CardReading]
	if err := s.client.Get(ctx, "/badges/decode", &readings, client.Query("read", read)); err == nil {
		for _, r := range readings.Items {
			if r.Badge != nil && (format == "" || r.Format == format) {
				fitting[r.Badge.ID] = *r.Badge
			}
		}
	}
	if len(fitting) == 0 {
		items, _, err := client.All[api.Badge](ctx, s.client, "/badges", 200, client.Query("q", read))
		if err != nil {
			return nil, err
		}
		for _, b := range items {
			if format == "" || b.Format == format {
				fitting[b.ID] = b
			}
		}
	}
	switch len(fitting) {
	case 0:
		return nil, notFound{fmt.Errorf("no badge is called %q", typed)}
	case 1:
		for _, b := range fitting {
			return &b, nil
		}
	}
	var b strings.Builder
	for _, one := range fitting {
		fmt.Fprintf(&b, "\n  %s:%-16s %s", one.Format, one.Number, one.Label)
	}
	return nil, usagef("%q fits %d badges; say which one, with its format:%s", typed, len(fitting), b.String())
}

func (s *session) completeBadges() func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return complete(s, "/badges", "q", func(b api.Badge) (string, string) { return b.Number, or(holderOf(b), b.Label) })
}

func holderOf(b api.Badge) string {
	if b.Holder == nil {
		return ""
	}
	return b.Holder.Staff.Name
}

func local(t *time.Time) string {
	if t == nil {
		return ""
	}
	return t.Local().Format("2006-01-02 15:04")
}

func (s *session) badgeList() *cobra.Command {
	var q, state, site, staff, sort, at string
	var day, left bool
	listing := &cobra.Command{Use: "list", Short: "Badges: where each is, and who has it", Args: cobra.NoArgs,
		Example: "  loyal badge list --state lost\n  loyal badge list --left\n  loyal badge list --site HB --day " +
			"--state issued -o csv\n  loyal badge list --search 118-1603 --at '2026-11-20 12:00'"}
	limit := limitFlag(listing, 50)
	flags := listing.Flags()
	flags.StringVar(&q, "search", "", "part of the number or label, or of the holder's name or number")
	flags.StringVar(&state, "state", "", "stock, issued, suspended, overdue, lost or destroyed")
	flags.StringVar(&site, "site", "", "whose stock they belong to")
	flags.StringVar(&staff, "staff", "", "those that somebody has")
	flags.BoolVar(&day, "day", false, "day badges only")
	flags.BoolVar(&left, "left", false, "those still out with people who have left")
	flags.StringVar(&at, "at", "", "who had them at this moment; now where left out")
	flags.StringVar(&sort, "sort", "", "number, holder or until, - for descending")
	completeFlag(listing, "site", s.completePlaces())
	completeFlag(listing, "staff", s.completeStaff())
	listing.RunE = func(c *cobra.Command, _ []string) error {
		options := []client.Option{client.Query("q", q), client.Query("state", state), client.Query("sort", sort)}
		if site != "" {
			place, err := s.place(c.Context(), site)
			if err != nil {
				return err
			}
			options = append(options, client.Query("site", place.Code))
		}
		if staff != "" {
			p, err := s.staff(c.Context(), staff)
			if err != nil {
				return err
			}
			options = append(options, client.Query("staff", p.StaffNumber))
		}
		if day {
			options = append(options, client.Query("day", "true"))
		}
		if left {
			options = append(options, client.Query("left", "true"))
		}
		if at != "" {
			moment, err := readMoment(at, "Local")
			if err != nil {
				return err
			}
			options = append(options, client.Query("at", moment.Format(time.RFC3339)))
		}
		return list(c.Context(), s, "/badges", *limit, []column[api.Badge]{
			{"NUMBER", func(b api.Badge) string { return b.Number }},
			{"FORMAT", func(b api.Badge) string { return b.Format }},
			{"STATE", func(b api.Badge) string { return b.State }},
			{"HOLDER", holderOf},
			{"SINCE", func(b api.Badge) string {
				if b.Holder == nil {
					return ""
				}
				return local(&b.Holder.IssuedAt)
			}},
			{"UNTIL", func(b api.Badge) string {
				if b.Holder == nil {
					return ""
				}
				return local(b.Holder.Until)
			}},
			{"SITE", func(b api.Badge) string { return b.Site.Code }},
			{"LABEL", func(b api.Badge) string { return b.Label }},
		}, options...)
	}
	return listing
}

func (s *session) badgeShow() *cobra.Command {
	return &cobra.Command{Use: "show BADGE", Short: "One badge, and whose it was from when until when",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeBadges(), Example: "  loyal badge show 118-1603",
		RunE: func(c *cobra.Command, args []string) error {
			b, err := s.badge(c.Context(), args[0])
			if err != nil {
				return err
			}
			issues, _, err := client.All[api.BadgeIssue](c.Context(), s.client, badgePath(b)+"/issues", everything)
			if err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(struct {
					*api.Badge
					Issues []api.BadgeIssue `json:"issues"`
				}{b, issues})
			}
			s.line("Number", b.Number)
			s.line("Format", b.FormatWords)
			s.line("Label", b.Label)
			s.line("Site", b.Site.Name+" ("+b.Site.Code+")")
			s.line("State", b.State)
			if b.Day {
				s.line("Lent", "for a shift: it is due at its end")
			}
			fmt.Fprintln(s.out)
			table(s, issues, []column[api.BadgeIssue]{
				{"HOLDER", func(i api.BadgeIssue) string { return i.Staff.Name }},
				{"NUMBER", func(i api.BadgeIssue) string { return i.Staff.StaffNumber }},
				{"ISSUED", func(i api.BadgeIssue) string { return local(&i.IssuedAt) }},
				{"UNTIL", func(i api.BadgeIssue) string { return local(i.Until) }},
				{"STATE", func(i api.BadgeIssue) string { return i.State }},
				{"SINCE", func(i api.BadgeIssue) string { return local(i.Since) }},
				{"WHY", func(i api.BadgeIssue) string { return i.Reason }},
			})
			return nil
		}}
}

func (s *session) badgeAdd() *cobra.Command {
	var format, last, label, site, file string
	var day bool
	c := &cobra.Command{Use: "add [NUMBER]", Short: "Add a badge, a range or a CSV file of them to the stock of a site",
		Args: cobra.MaximumNArgs(1),
		Example: "  loyal badge add 118-1603 --format wiegand26 --site HB\n" +
			"  loyal badge add 118-2000 --last 118-2099 --format wiegand26 --site HB\n" +
			"  loyal badge add --from stock.csv --format uid7 --site HB\n" +
			"  (the columns are number, last, format, label, site, day; what a flag says holds for every row)"}
	c.Flags().StringVar(&format, "format", "", "wiegand26, wiegand34, wiegand35, wiegand37, wiegand37-plain, "+
		"wiegand48, pair, uid4, uid7 or uid10")
	c.Flags().StringVar(&last, "last", "", "the last of a range that begins with NUMBER")
	c.Flags().StringVar(&label, "label", "", "what is written on it, or what it is for")
	c.Flags().StringVar(&site, "site", "", "whose stock it belongs to")
	c.Flags().BoolVar(&day, "day", false, "lent for a shift, and due at its end")
	c.Flags().StringVar(&file, "from", "", "a CSV file, - for stdin, with a row for each badge or range")
	completeFlag(c, "site", s.completePlaces())
	c.RunE = func(c *cobra.Command, args []string) error {
		rows, err := s.rows("number", args, file, map[string]string{"format": format, "last": last, "label": label,
			"site": site, "day": map[bool]string{true: "yes"}[day]}, "number", "last", "format", "label", "site", "day")
		if err != nil {
			return err
		}
		finder := s.finder(c.Context())
		type sort struct{ format, site, day string }
		gathered := map[sort]*api.BadgeFields{}
		var operations []api.Operation
		var order []*api.BadgeFields
		for i, row := range rows {
			place, err := finder.place(or(row["site"], "?"))
			if row["site"] == "" {
				err = usagef("say whose stock it belongs to with --site")
			}
			if err != nil {
				return atRow(file, i, err)
			}
			if row["format"] == "" {
				return atRow(file, i, usagef("say the format of the card with --format"))
			}
			like := sort{row["format"], place.Code, row["day"]}
			if gathered[like] == nil {
				gathered[like] = &api.BadgeFields{Format: row["format"], Site: place.Code,
					Day: row["day"] == "yes" || row["day"] == "true"}
				order = append(order, gathered[like])
			}
			gathered[like].More = append(gathered[like].More,
				api.BadgeLine{Number: row["number"], Last: row["last"], Label: row["label"]})
		}
		for _, fields := range order {
			operations = append(operations, api.Operation{Op: "badge.add", Set: raw(fields)})
		}
		result, err := s.send(c.Context(), "POST", "/changes", api.ChangeRequest{Reason: s.reason,
			Operations: operations})
		if err != nil {
			return err
		}
		count := 0
		for _, made := range result.Made {
			if made.Kind == "badge" {
				count++
			}
		}
		return s.report(result, words.Count(count, "badge is", "badges are")+" in stock.")
	}
	return c
}

func (s *session) badgeEdit() *cobra.Command {
	var label, site, day string
	c := &cobra.Command{Use: "edit BADGE", Short: "Change the label or the site of a badge", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeBadges(),
		Example:           "  loyal badge edit 118-1603 --label 'Visitor 7'\n  loyal badge edit 118-1603 --day yes"}
	c.Flags().StringVar(&label, "label", "", "what is written on it, or what it is for")
	c.Flags().StringVar(&site, "site", "", "whose stock it belongs to")
	c.Flags().StringVar(&day, "day", "", "yes or no: lent for a shift, and due at its end")
	completeFlag(c, "site", s.completePlaces())
	c.RunE = func(c *cobra.Command, args []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --label")
		}
		b, err := s.badge(c.Context(), args[0])
		if err != nil {
			return err
		}
		body := api.BadgeEditWrite{}
		body.Reason = s.reason
		if c.Flags().Changed("label") {
			body.Label = &label
		}
		if site != "" {
			place, err := s.place(c.Context(), site)
			if err != nil {
				return err
			}
			body.Site = &place.Code
		}
		if day != "" {
			if day != "yes" && day != "no" {
				return usagef("--day is yes or no, not %q", day)
			}
			is := day == "yes"
			body.Day = &is
		}
		_, err = s.write(c.Context(), "PATCH", badgePath(b), body, "The badge "+b.Number+" is changed.",
			client.IfMatch(b.ETag))
		return err
	}
	return c
}

func (s *session) badgeIssue() *cobra.Command {
	var until, staff, file string
	c := &cobra.Command{Use: "issue [BADGE] --staff STAFF", Short: "Give a badge that is in stock to somebody",
		Args: cobra.MaximumNArgs(1), ValidArgsFunction: s.completeBadges(),
		Example: "  loyal badge issue 118-1603 --staff Q0241\n  loyal badge issue 118-1700 --staff 'Ana Reyes' " +
			"--until '2026-11-30 18:00'\n  loyal badge issue --from badges.csv   (the columns are badge, staff, until)"}
	c.Flags().StringVar(&staff, "staff", "", "to whom")
	c.Flags().StringVar(&until, "until", "",
		"when it stops counting, in the time zone of the home site; of a day badge the end of the shift where left out")
	c.Flags().StringVar(&file, "from", "", "a CSV file, - for stdin, with a row for each badge")
	completeFlag(c, "staff", s.completeStaff())
	c.RunE = func(c *cobra.Command, args []string) error {
		rows, err := s.rows("badge", args, file, map[string]string{"staff": staff, "until": until}, "badge", "staff",
			"until")
		if err != nil {
			return err
		}
		finder, done := s.finder(c.Context()), ""
		operations := make([]api.Operation, len(rows))
		for i, row := range rows {
			if row["staff"] == "" {
				return atRow(file, i, usagef("say who gets the badge with --staff"))
			}
			b, err := s.badge(c.Context(), row["badge"])
			if err != nil {
				return atRow(file, i, err)
			}
			p, err := finder.staff(row["staff"])
			if err != nil {
				return atRow(file, i, err)
			}
			end, err := s.momentAt(c.Context(), row["until"], p.HomeSite.Code)
			if err != nil {
				return atRow(file, i, err)
			}
			operations[i] = api.Operation{Op: "badge.issue",
				Set: raw(map[string]string{"badge": badgeReference(b), "staff": p.StaffNumber, "until": end})}
			done = fmt.Sprintf("%s has the badge %s.", fullName(p), b.Number)
		}
		if len(rows) > 1 {
			done = words.Count(len(rows), "badge is issued.", "badges are issued.")
		}
		_, err = s.change(c.Context(), done, operations...)
		return err
	}
	return c
}

// momentAt reads a moment in the time zone of a site; none where nothing is typed.
func (s *session) momentAt(ctx context.Context, typed, site string) (string, error) {
	if typed == "" {
		return "", nil
	}
	zone, err := s.zoneOf(ctx, site)
	if err != nil {
		return "", err
	}
	moment, err := readMoment(typed, zone)
	if err != nil {
		return "", err
	}
	return moment.Format(time.RFC3339), nil
}

func (s *session) badgeReplace() *cobra.Command {
	var with, old string
	c := &cobra.Command{Use: "replace BADGE --with BADGE", Short: "Give the holder of a badge another one",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeBadges(),
		Example: "  loyal badge replace 118-1603 --with 118-1700\n" +
			"  loyal badge replace 118-1603 --with 118-1700 --old destroyed --reason 'snapped'"}
	c.Flags().StringVar(&with, "with", "", "the badge that they get (required)")
	c.Flags().StringVar(&old, "old", "lost", "what has become of the old one: lost, destroyed, returned or suspended")
	completeFlag(c, "with", s.completeBadges())
	c.RunE = func(c *cobra.Command, args []string) error {
		b, err := s.badge(c.Context(), args[0])
		if err != nil {
			return err
		}
		if with == "" {
			return usagef("say which badge they get with --with")
		}
		next, err := s.badge(c.Context(), with)
		if err != nil {
			return err
		}
		body := api.BadgeReplaceWrite{With: badgeReference(next), Old: old}
		body.Reason = s.reason
		_, err = s.write(c.Context(), "POST", badgePath(b)+"/replace", body,
			fmt.Sprintf("%s has the badge %s in place of %s.", holderOf(*b), next.Number, b.Number),
			client.IfMatch(b.ETag))
		return err
	}
	return c
}

func (s *session) badgeFound() *cobra.Command {
	var holder bool
	c := &cobra.Command{Use: "found BADGE", Short: "Record that a badge was found: into stock, or back to its holder",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeBadges(),
		Example: "  loyal badge found 118-1603\n  loyal badge found 118-1603 --holder --reason 'was in the other coat'"}
	c.Flags().BoolVar(&holder, "holder", false, "it goes back to whoever had it and counts again")
	c.RunE = func(c *cobra.Command, args []string) error {
		b, err := s.badge(c.Context(), args[0])
		if err != nil {
			return err
		}
		body := api.BadgeFoundWrite{Holder: holder}
		body.Reason = s.reason
		done := "The badge " + b.Number + " is in stock again."
		if holder {
			done = fmt.Sprintf("%s has the badge %s back; it counts again.", holderOf(*b), b.Number)
		}
		_, err = s.write(c.Context(), "POST", badgePath(b)+"/found", body, done, client.IfMatch(b.ETag))
		return err
	}
	return c
}

func (s *session) badgePrint() *cobra.Command {
	var state, site, code, into string
	c := &cobra.Command{Use: "print [BADGE...]", Short: "Print badges as PDF, ten to an A4 sheet",
		ValidArgsFunction: s.completeBadges(),
		Example: "  loyal badge print 118-1603 118-1604 --into badges.pdf\n" +
			"  loyal badge print --site HB --state issued --code qr --into hb.pdf"}
	c.Flags().StringVar(&state, "state", "", "all in this state: stock, issued, suspended, overdue or lost")
	c.Flags().StringVar(&site, "site", "", "all of the stock of this site")
	c.Flags().StringVar(&code, "code", "code128", "how the number is printed for machines: code128 or qr")
	c.Flags().StringVar(&into, "into", "badges.pdf", "file to write, - for stdout")
	completeFlag(c, "site", s.completePlaces())
	c.RunE = func(c *cobra.Command, args []string) error {
		if len(args) == 0 && state == "" && site == "" {
			return usagef("name badges, or choose them with --site or --state")
		}
		options := []client.Option{client.Query("state", state), client.Query("code", code),
			client.Header("Accept", "application/pdf")}
		if site != "" {
			place, err := s.place(c.Context(), site)
			if err != nil {
				return err
			}
			options = append(options, client.Query("site", place.Code))
		}
		var ids []string
		for _, arg := range args {
			b, err := s.badge(c.Context(), arg)
			if err != nil {
				return err
			}
			ids = append(ids, fmt.Sprint(b.ID))
		}
		var pdf []byte
		if err := s.client.Get(c.Context(), "/badges/print", &pdf,
			append(options, client.Query("ids", strings.Join(ids, ",")))...); err != nil {
			return err
		}
		return s.take(into, pdf, "The badges are")
	}
	return c
}

// take writes what was printed into a file, or to stdout.
func (s *session) take(into string, pdf []byte, what string) error {
	if into == "-" {
		_, err := s.out.Write(pdf)
		return err
	}
	if err := os.WriteFile(into, pdf, 0o600); err != nil {
		return err
	}
	fmt.Fprintln(s.err, what, "in", into+".")
	return nil
}

func (s *session) badgeDecode() *cobra.Command {
	return &cobra.Command{Use: "decode READ", Short: "Say what a raw read of a card means in each format",
		Args: cobra.ExactArgs(1),
		Example: "  loyal badge decode 26:2EC0C86\n  loyal badge decode 10111011000000110010000110\n" +
			"  loyal badge decode 04:A2:3B:C9:1D:5E:80",
		RunE: func(c *cobra.Command, args []string) error {
			return list(c.Context(), s, "/badges/decode", everything, []column[api.CardReading]{
				{"FORMAT", func(r api.CardReading) string { return r.Format }},
				{"NUMBER", func(r api.CardReading) string { return or(r.Number, "–") }},
				{"NOTE", func(r api.CardReading) string {
					if r.Reversed {
						return "with its bytes in the other order"
					}
					return r.Problem
				}},
				{"BADGE", func(r api.CardReading) string {
					if r.Badge == nil {
						return ""
					}
					return strings.TrimSuffix(r.Badge.State+", "+holderOf(*r.Badge), ", ")
				}},
			}, client.Query("read", args[0]))
		}}
}
