package cli

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

// column is one column of a list for people.
type column[T any] struct {
	title string
	text  func(T) string
}

// list prints a list: aligned for people, or as the service's own JSON or CSV for programs.
// A limit below nothing is the usual one, which holds on a terminal: what goes elsewhere is whole.
func list[T any](ctx context.Context, s *session, path string, most int, columns []column[T],
	options ...client.Option) error {
	asked := ""
	switch {
	case most == everything: // a CSV holds all of it unless a limit is said
	case most > 0:
		asked = fmt.Sprint(most)
	case s.output == "text" && onTerminal(s.out):
		most = -most
	default:
		most = everything
	}
	if s.output == "csv" {
		var raw []byte
		if err := s.client.Get(ctx, path, &raw,
			append(options, client.Header("Accept", "text/csv"), client.Query("limit", asked))...); err != nil {
			return err
		}
		return s.csv(raw)
	}
	items, total, err := client.All[T](ctx, s.client, path, most, options...)
	if err != nil {
		return err
	}
	if s.output == "json" {
		if items == nil {
			items = []T{}
		}
		s.shown(len(items), total)
		return s.json(items)
	}
	table(s, items, columns)
	if total == 0 {
		fmt.Fprintln(s.err, "Nothing found.")
	}
	s.shown(len(items), total)
	return nil
}

// csv prints a CSV as a shell expects it: its lines end as those of other programs do.
func (s *session) csv(raw []byte) error {
	_, err := s.out.Write(bytes.ReplaceAll(raw, []byte("\r\n"), []byte("\n")))
	return err
}

// shown says how much of a list is shown, where it is not all.
func (s *session) shown(shown, total int) {
	switch {
	case total == client.Uncounted:
		fmt.Fprintf(s.err, "The first %d; --limit shows more.\n", shown)
	case total > shown:
		fmt.Fprintf(s.err, "%d of %d; --limit shows more.\n", shown, total)
	}
}

// everything is more than any list holds.
const everything = 10_000_000

func onTerminal(w io.Writer) bool {
	file, is := w.(*os.File)
	return is && term.IsTerminal(int(file.Fd()))
}

func table[T any](s *session, items []T, columns []column[T]) {
	if len(items) == 0 {
		return
	}
	widths := make([]int, len(columns))
	rows := make([][]string, len(items))
	for j, c := range columns {
		widths[j] = utf8.RuneCountInString(c.title)
	}
	for i, item := range items {
		rows[i] = make([]string, len(columns))
		for j, c := range columns {
			rows[i][j] = c.text(item)
			widths[j] = max(widths[j], utf8.RuneCountInString(rows[i][j]))
		}
	}
	if s.width > 0 {
		narrow(widths, s.width)
	}
	line := func(cells []string, style string) {
		var b strings.Builder
		for j, cell := range cells {
			if utf8.RuneCountInString(cell) > widths[j] {
				cell = string([]rune(cell)[:widths[j]-1]) + "…"
			}
			b.WriteString(cell)
			if j < len(cells)-1 {
				b.WriteString(strings.Repeat(" ", widths[j]-utf8.RuneCountInString(cell)+2))
			}
		}
		fmt.Fprintln(s.out, s.styled(style, strings.TrimRight(b.String(), " ")))
	}
	titles := make([]string, len(columns))
	for j, c := range columns {
		titles[j] = c.title
	}
	line(titles, "2")
	for _, row := range rows {
		line(row, "")
	}
}

// leastWidth is how narrow a column becomes to fit the terminal: codes and numbers stay whole.
const leastWidth = 10

// narrow makes the widest columns narrower until they fit beside each other, or none can be narrower.
func narrow(widths []int, room int) {
	for {
		sum, widest := 2*(len(widths)-1), 0
		for j, width := range widths {
			if sum += width; width > widths[widest] {
				widest = j
			}
		}
		if sum <= room || widths[widest] <= leastWidth {
			return
		}
		widths[widest]--
	}
}

// widthOf is how wide a terminal is; 0 of what is none: programs read whole lines.
func widthOf(w io.Writer) int {
	file, is := w.(*os.File)
	if !is {
		return 0
	}
	width, _, err := term.GetSize(int(file.Fd()))
	if err != nil {
		return 0
	}
	return width
}

// styled colours a text on a terminal, where NO_COLOR is not set.
func (s *session) styled(style, text string) string {
	if style == "" || !colours(s.out) {
		return text
	}
	return "\x1b[" + style + "m" + text + "\x1b[0m"
}

func colours(w io.Writer) bool {
	file, is := w.(*os.File)
	return is && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb" && term.IsTerminal(int(file.Fd()))
}

// The finders turn what a person types into the one record they mean: by a code, a number or a whole name, and where
// nothing is written also by an unambiguous part of a name.

// nothingGuessed refuses to write about something that was not named by its code or its whole name. A question is no
// write, whatever the method by which it is asked.
func (s *session) nothingGuessed(method, path string) error {
	if method == http.MethodGet || path == "/decisions" || len(s.guessed) == 0 {
		return nil
	}
	return s.guessed[0]
}

func (s *session) staff(ctx context.Context, typed string) (*api.Staff, error) {
	return find(ctx, s, "/staff", "name", typed, "staff member", func(p api.Staff) (string, string) {
		return p.StaffNumber, strings.TrimSpace(p.GivenName + " " + p.FamilyName)
	}, func(p api.Staff) string { return strings.TrimSpace(p.KnownAs + " " + p.FamilyName) })
}

func (s *session) place(ctx context.Context, typed string) (*api.Place, error) {
	return find(ctx, s, "/places", "q", typed, "place", func(p api.Place) (string, string) { return p.Code, p.Name })
}

func (s *session) template(ctx context.Context, typed string) (*api.Template, error) {
	return find(ctx, s, "/templates", "q", typed, "template",
		func(t api.Template) (string, string) { return t.Code, t.Name })
}

const candidatesShown = 12

// retires are the lists that hide what is retired unless asked for it.
var retires = map[string]bool{"/places": true, "/templates": true, "/permissions": true, "/qualifications": true,
	"/fields":    true,
	"/schedules": true, "/notices": true, "/teams": true}

// find finds a record of a list by what is typed. aliases are names that it has beside its own.
func find[T any](ctx context.Context, s *session, path, by, typed, noun string, name func(T) (code, name string),
	aliases ...func(T) string) (*T, error) {
	typed = strings.TrimSpace(typed)
	if typed == "" {
		return nil, usagef("say which %s: a code or part of a name", noun)
	}
	items, total, err := client.All[T](ctx, s.client, path, 200, client.Query(by, typed))
	byCode := func(item T) bool { code, _ := name(item); return strings.EqualFold(code, typed) }
	if err == nil && retires[path] && !slices.ContainsFunc(items, byCode) {
		// What is retired has a past, and can be brought back: by its own code before anything else that fits.
		var past []T
		var count int
		past, count, err = client.All[T](ctx, s.client, path, 200, client.Query(by, typed),
			client.Query("retired", "true"))
		if total == 0 || slices.ContainsFunc(past, byCode) {
			items, total = past, count
		}
	}
	if err != nil {
		return nil, err
	}
	if retires[path] && total == len(items) { // their lists search all text; something is called by code and name alone
		items = slices.DeleteFunc(items, func(item T) bool {
			code, full := name(item)
			return !words.Fits(full+" "+code, typed)
		})
		total = len(items)
	}
	var named []int // those of which it is a whole name
	for i := range items {
		code, full := name(items[i])
		if strings.EqualFold(code, typed) {
			return &items[i], nil
		}
		if strings.EqualFold(full, typed) || slices.ContainsFunc(aliases, func(alias func(T) string) bool {
			return strings.EqualFold(alias(items[i]), typed)
		}) {
			named = append(named, i)
		}
	}
	switch {
	case len(named) == 1 && total == len(items):
		return &items[named[0]], nil
	case len(items) == 1 && total == 1:
		code, full := name(items[0])
		s.guessed = append(s.guessed, usagef("no %s has the code or the whole name %q, so nothing was changed. "+
			"Did you mean this one?\n  %-14s %s", noun, typed, code, full))
		return &items[0], nil
	}
	if len(items) == 0 {
		return nil, notFound{fmt.Errorf("no %s is called %q", noun, typed)}
	}
	if total > len(items) { // the one whose code it is may stand further down
		var exact T
		if err := s.client.Get(ctx, path+"/"+url.PathEscape(typed), &exact); err == nil {
			return &exact, nil
		}
	}
	var b strings.Builder
	for i, item := range items {
		if i == candidatesShown {
			fmt.Fprintf(&b, "\n  … and %d more", total-candidatesShown)
			break
		}
		code, full := name(item)
		fmt.Fprintf(&b, "\n  %-14s %s", code, full)
	}
	return nil, usagef("%q fits %d %ss; say which one:%s", typed, total, noun, b.String())
}

// complete offers codes and names from the service.
func complete[T any](s *session, path, by string, name func(T) (code, name string),
	more ...client.Option) completion {
	return func(c *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		if s.client == nil && s.connect() != nil {
			return nil, cobra.ShellCompDirectiveError
		}
		items, _, err := client.All[T](c.Context(), s.client, path, 50, append(more, client.Query(by, typed))...)
		if err != nil {
			return nil, cobra.ShellCompDirectiveError
		}
		var offers []string
		for _, item := range items {
			code, full := name(item)
			offers = append(offers, code+"\t"+full)
		}
		return offers, cobra.ShellCompDirectiveNoFileComp
	}
}

func (s *session) completeStaff() func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return complete(s, "/staff", "name",
		func(p api.Staff) (string, string) { return p.StaffNumber, p.GivenName + " " + p.FamilyName })
}

func (s *session) completePlaces() func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return complete(s, "/places", "q", func(p api.Place) (string, string) { return p.Code, p.Name })
}

func (s *session) completeTemplates() func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return complete(s, "/templates", "q", func(t api.Template) (string, string) { return t.Code, t.Name })
}

func (s *session) completePermissions() func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return complete(s, "/permissions", "q", func(p api.Permission) (string, string) { return p.Key, p.Title })
}

func completeFlag(c *cobra.Command, flag string,
	offer func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective)) {
	if err := c.RegisterFlagCompletionFunc(flag, offer); err != nil {
		panic(err) // the flag was added beside this call
	}
}
