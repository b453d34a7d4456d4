package cli

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

func (s *session) exceptionCommand() *cobra.Command {
	var staff, place, template, permission, q, sort, when string
	var redundant bool
	listing := &cobra.Command{Use: "list",
		Short: "All exceptions with their age and end, and which are redundant by now", Args: cobra.NoArgs,
		Example: "  loyal exception list\n  loyal exception list --template packer\n  loyal exception list --redundant"}
	limit := limitFlag(listing, 500)
	listing.Flags().StringVar(&staff, "staff", "", "of this staff number")
	listing.Flags().StringVar(&place, "place", "", "at this place or below it")
	listing.Flags().StringVar(&template, "template", "", "that differ from this template")
	listing.Flags().StringVar(&permission, "permission", "", "of this permission")
	listing.Flags().StringVar(&q, "search", "", "words of the person, the permission, the place or the reason")
	listing.Flags().StringVar(&when, "when", "", "now, later, past or ended; all but ended where left out")
	listing.Flags().StringVar(&sort, "sort", "newest", "newest, oldest, until or staff")
	listing.Flags().BoolVar(&redundant, "redundant", false, "only those that change nothing any more")
	listing.RunE = func(c *cobra.Command, _ []string) error {
		isRedundant := ""
		if redundant {
			isRedundant = "true"
		}
		return list(c.Context(), s, "/exceptions", *limit, []column[api.Exception]{
			{"ID", func(e api.Exception) string { return fmt.Sprint(e.ID) }},
			{"WHO", func(e api.Exception) string { return e.Staff.StaffNumber + " " + e.Staff.Name }},
			{"WHAT", exceptionWords}, {"AT", func(e api.Exception) string { return e.Place.Name }},
			{"AGE", func(e api.Exception) string { return words.Count(e.Days, "day", "days") }},
			{"UNTIL", func(e api.Exception) string { return or(e.Until, "open") }},
			{"WHY", func(e api.Exception) string { return e.Reason }},
			{"REDUNDANT", func(e api.Exception) string { return e.Redundant }},
		}, client.Query("staff", staff), client.Query("place", place), client.Query("template", template),
			client.Query("permission", permission), client.Query("q", q),
			client.Query("when", when), client.Query("sort", sort), client.Query("redundant", isRedundant))
	}
	end := &cobra.Command{Use: "end ID...", Short: "End exceptions; they stay on record", Args: cobra.MinimumNArgs(1),
		Example: "  loyal exception end 12 --reason 'back to full duty'",
		RunE: func(c *cobra.Command, args []string) error {
			var operations []api.Operation
			for _, id := range args {
				operations = append(operations, api.Operation{Op: "exception.end", On: id})
			}
			_, err := s.change(c.Context(), fmt.Sprintf("%d ended.", len(args)), operations...)
			return err
		}}
	edit := &cobra.Command{Use: "edit ID", Short: "Change the level or the dates of an exception",
		Args: cobra.ExactArgs(1), Example: "  loyal exception edit 12 --until 2027-01-31"}
	var f api.ExceptionEdit
	fill := fieldFlags(edit, []fieldFlag{{&f.Level, "level", "level of what is added"}, {&f.From, "from", "first day"},
		{&f.Until, "until", "last day that counts"}})
	edit.RunE = func(c *cobra.Command, args []string) error {
		fill()
		_, err := s.change(c.Context(), "The exception is changed.",
			api.Operation{Op: "exception.edit", On: args[0], Set: raw(f)})
		return err
	}
	tidy := &cobra.Command{Use: "tidy", Short: "End all exceptions that change nothing any more, in one act",
		Args: cobra.NoArgs, Example: "  loyal exception tidy --preview\n  loyal exception tidy --yes",
		RunE: func(c *cobra.Command, _ []string) error {
			redundant, _, err := client.All[api.Exception](c.Context(), s.client, "/exceptions", 5000,
				client.Query("redundant", "true"))
			if err != nil {
				return err
			}
			if len(redundant) == 0 {
				fmt.Fprintln(s.err, "No exception is redundant.")
				return nil
			}
			var operations []api.Operation
			for _, e := range redundant {
				fmt.Fprintf(s.err, "  %s: %s at %s. %s\n", e.Staff.Name, exceptionWords(e), e.Place.Name, e.Redundant)
				operations = append(operations, api.Operation{Op: "exception.end", On: fmt.Sprint(e.ID)})
			}
			s.ask(fmt.Sprintf("End %s?", words.Count(len(redundant), "redundant exception", "redundant exceptions")))
			_, err = s.change(c.Context(),
				words.Count(len(redundant), "redundant exception", "redundant exceptions")+" ended.", operations...)
			return err
		}}
	return noun("exception", "What one person may do beside their templates, or may not", listing,
		s.exceptionMake("add", "Add one permission for one person, or for many from a CSV",
			"loyal exception add Q0064 --permission line.changeover --place HB --until 2027-03-01 --reason 'trains "+
				"to lead'"),
		s.exceptionMake("withhold", "Withhold one permission from one person, or from many from a CSV",
			"loyal exception withhold Q0018 --permission 'clear a jam' --place HB --until 2027-01-10 --reason "+
				"'light duty'"), edit, end, tidy)
}

func exceptionWords(e api.Exception) string {
	if e.Withheld {
		return "withheld: " + e.Title
	}
	if e.Level == "yes" {
		return "added: " + e.Title
	}
	return fmt.Sprintf("added: %s (%s)", e.Title, e.Level)
}

func (s *session) exceptionMake(verb, short, example string) *cobra.Command {
	var permission, place, level, from, until string
	c := &cobra.Command{Use: verb + " [STAFF...]", Short: short, ValidArgsFunction: s.completeStaff(),
		Example: "  " + example + "\n  loyal exception " + verb +
			" --from list.csv --reason 'agreed with the foremen' --preview\n  (the columns are staff, permission, " +
			"place, level, from, until, reason; what a flag says holds for every row that does not say it)"}
	c.Flags().StringVar(&permission, "permission", "", "key, or any words of the title")
	c.Flags().StringVar(&place, "place", "", "the place, with all below it; the home site where left out")
	c.Flags().StringVar(&from, "from", "", "first day; or a CSV file, - for stdin, with a row for each person")
	c.Flags().StringVar(&until, "until", "", "last day that counts")
	if verb == "add" {
		c.Flags().StringVar(&level, "level", "", "level of what is added; a switch needs none")
	}
	completeFlag(c, "permission", s.completePermissions())
	completeFlag(c, "place", s.completePlaces())
	c.RunE = func(c *cobra.Command, args []string) error {
		file, first := fileOrDay(from, "")
		flags := map[string]string{"permission": permission, "place": place, "level": level, "from": first,
			"until": until, "reason": ""}
		rows, err := s.many(args, file, flags, "staff", "permission", "place", "level", "from", "until", "reason")
		if err != nil {
			return err
		}
		var operations []api.Operation
		finder := s.finder(c.Context())
		if err := finder.expect(len(rows)); err != nil {
			return err
		}
		for i, row := range rows {
			p, err := finder.staff(row["staff"])
			if err == nil && row["permission"] == "" {
				err = usagef("say which permission, with --permission or in the file")
			}
			if err != nil {
				return atRow(file, i, err)
			}
			what, err := finder.permission(row["permission"])
			if err != nil {
				return atRow(file, i, err)
			}
			at, err := finder.place(or(row["place"], p.HomeSite.Code))
			if err != nil {
				return atRow(file, i, err)
			}
			operations = append(operations,
				api.Operation{Op: "exception.add", Reason: row["reason"],
					Set: raw(api.ExceptionFields{Staff: p.StaffNumber, Permission: what.Key, Place: at.Code,
						Withheld: verb == "withhold", Level: row["level"], From: row["from"], Until: row["until"]})})
		}
		result, err := s.change(c.Context(), words.Count(len(operations), "exception is made.", "exceptions are made."),
			operations...)
		if err == nil && result != nil && s.output != "json" {
			s.sentences(result.People)
		}
		return err
	}
	return c
}

// fileOrDay tells what --from names: a day, or a file with a row for each person, whose first day is then the usual
// one.
func fileOrDay(from, usual string) (file, day string) {
	if from == "" {
		return "", usual
	}
	if _, err := time.Parse(time.DateOnly, from); err == nil {
		return "", from
	}
	return from, usual
}

// many gathers the rows of a command that is for one or many: those named as arguments, or the lines of a CSV file.
// What a flag says holds for every row that does not say it itself.
func (s *session) many(args []string, file string, flags map[string]string, columns ...string) ([]map[string]string,
	error) {
	switch {
	case file == "" && len(args) == 0:
		return nil, usagef("name somebody, or a CSV file with --from")
	case file != "" && len(args) > 0:
		return nil, usagef("name people, or a CSV file with --from, not both; a day is written 2027-03-01")
	}
	return s.rows("staff", args, file, flags, columns...)
}

// rows are what a command is about: its words, each a row with one cell in a column, or the rows of a CSV file. What a
// flag says stands in every row that says nothing of it.
func (s *session) rows(column string, args []string, file string, flags map[string]string,
	columns ...string) ([]map[string]string, error) {
	if (file == "") == (len(args) == 0) {
		return nil, usagef("name a %s, or a CSV file with --from, and not both", column)
	}
	var rows []map[string]string
	if file == "" {
		for _, arg := range args {
			rows = append(rows, map[string]string{column: arg})
		}
	} else {
		text, err := s.read(file)
		if errors.Is(err, fs.ErrNotExist) {
			return nil, usagef("%q is neither a day, such as 2027-03-01, nor a file that is there", file)
		}
		if err != nil {
			return nil, err
		}
		reader := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))))
		reader.TrimLeadingSpace = true
		lines, err := reader.ReadAll()
		if err != nil {
			return nil, usagef("%s is not CSV: %v", file, err)
		}
		if len(lines) < 2 {
			return nil, usagef("%s has no row; the first line names the columns: %s", file, strings.Join(columns, ", "))
		}
		for j, name := range lines[0] {
			if lines[0][j] = strings.ToLower(strings.TrimSpace(name)); !slices.Contains(columns, lines[0][j]) {
				return nil, usagef("%s: there is no column %q; use %s", file, name, strings.Join(columns, ", "))
			}
		}
		for _, line := range lines[1:] {
			row := map[string]string{}
			for j, cell := range line {
				row[lines[0][j]] = strings.TrimSpace(cell)
			}
			rows = append(rows, row)
		}
	}
	for _, row := range rows {
		for name, word := range flags {
			row[name] = or(row[name], word)
		}
	}
	return rows, nil
}

// atRow says which row of a file a fault is about.
func atRow(file string, i int, err error) error {
	if file == "" {
		return err
	}
	return fmt.Errorf("%s, line %d: %w", file, i+2, err)
}
