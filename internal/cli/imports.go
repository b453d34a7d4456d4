package cli

import (
	"context"
	"fmt"
	"net/url"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

// bringing is how a file is brought in.
type bringing struct {
	columns, otherwise      []string
	order                   string
	out                     []int
	leaveOut, keep          bool
	slips, pins, faultyRows string
}

func (s *session) bringInCommand() *cobra.Command {
	var b bringing
	c := &cobra.Command{Use: "import FILE",
		Short: "Bring in people from a CSV or XLSX file: records, assignments, PINs and badges in one change",
		Args:  cobra.ExactArgs(1),
		Example: "  loyal import sample --into starters.xlsx\n" +
			"  loyal import starters.csv --preview\n" +
			"  loyal import starters.csv --leave-out --faulty-rows mend.csv --slips slips.pdf\n" +
			"  loyal import crew.xlsx --set home_site=HB --set pin=yes --column 'Dept=place' --dates dmy"}
	c.Flags().StringArrayVar(&b.columns, "column", nil, "what a column of the file is: 'Name in the file=column'")
	c.Flags().StringArrayVar(&b.otherwise, "set", nil, "value for empty cells: column=value")
	c.Flags().StringVar(&b.order, "dates", "", "in which order dates in digits are written: dmy, mdy or ymd")
	c.Flags().IntSliceVar(&b.out, "skip-line", nil, "lines of the file that are left out")
	c.Flags().BoolVar(&b.leaveOut, "leave-out", false, "leave out the rows that are wrong, and bring in the others")
	c.Flags().StringVar(&b.slips, "slips", "", "print the new PINs on slips into this PDF, in place of showing them")
	c.Flags().StringVar(&b.pins, "pins", "", "write the new PINs into this CSV file, in place of showing them")
	c.Flags().StringVar(&b.faultyRows, "faulty-rows", "", "write the rows that are wrong into this CSV file, to be "+
		"mended")
	completeFlag(c, "dates", cobra.FixedCompletions([]string{"dmy", "mdy", "ymd"}, cobra.ShellCompDirectiveNoFileComp))
	c.RunE = func(c *cobra.Command, args []string) error { return s.bringFile(c.Context(), args[0], &b) }
	var into string
	sample := &cobra.Command{Use: "sample", Short: "Write a file to start from: the columns, what to write in them, " +
		"an " +
		"example", Args: cobra.NoArgs, Example: "  loyal import sample --into starters.xlsx\n" +
		"  loyal import sample --into starters.csv", RunE: func(c *cobra.Command, _ []string) error {
		format := strings.TrimPrefix(strings.ToLower(filepath.Ext(into)), ".")
		if format != "csv" && format != "xlsx" {
			return usagef("--into names a file that ends in .csv or .xlsx")
		}
		var content []byte
		if err := s.client.Get(c.Context(), "/imports/sample", &content, client.Query("format", format),
			client.Header("Accept", "*/*")); err != nil {
			return err
		}
		return s.take(into, content, "The columns are")
	}}
	sample.Flags().StringVar(&into, "into", "starters.xlsx", "file to write")
	columns := &cobra.Command{Use: "columns", Short: "The columns that a file may have", Args: cobra.NoArgs,
		Example: "  loyal import columns", RunE: func(c *cobra.Command, _ []string) error {
			return list(c.Context(), s, "/imports/columns", 100, []column[api.ColumnKind]{
				{"COLUMN", func(k api.ColumnKind) string { return k.Name }},
				{"TITLE", func(k api.ColumnKind) string { return k.Title }},
				{"WHAT TO WRITE", func(k api.ColumnKind) string { return k.Says }}})
		}}
	listing := &cobra.Command{Use: "list", Short: "Your imports, newest first", Args: cobra.NoArgs,
		Example: "  loyal import list"}
	limit := limitFlag(listing, 30)
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/imports", *limit, []column[api.Import]{
			{"ID", func(i api.Import) string { return fmt.Sprint(i.ID) }},
			{"FILE", func(i api.Import) string { return i.Name }}, {"STATE", func(
				i api.Import) string {
				return i.State
			}},
			{"WHEN", func(i api.Import) string { return i.CreatedAt.Local().Format("2006-01-02 15:04") }},
			{"PINS", func(i api.Import) string {
				if i.HasPINs {
					return "wait to be handed out"
				}
				return ""
			}}})
	}
	var handed bringing
	pins := &cobra.Command{Use: "pins ID", Short: "Hand out the PINs of an import, which are kept for a day",
		Args: cobra.ExactArgs(1), Example: "  loyal import pins 3 --slips slips.pdf",
		RunE: func(c *cobra.Command, args []string) error {
			return s.handOut(c.Context(), "/imports/"+url.PathEscape(args[0]), &handed)
		}}
	pins.Flags().StringVar(&handed.slips, "slips", "", "print them on slips into this PDF, in place of showing them")
	pins.Flags().StringVar(&handed.pins, "pins", "", "write them into this CSV file, in place of showing them")
	pins.Flags().BoolVar(&handed.keep, "keep", false, "keep them for an hour, to be handed out once more")
	c.AddCommand(sample, columns, listing, pins)
	return c
}

// bringFile sends a file, says what would become of it, and has it brought in.
func (s *session) bringFile(ctx context.Context, file string, b *bringing) error {
	if s.drafting {
		return usagef("a file is brought in at once and does not go into a draft; leave out --draft")
	}
	content, err := s.read(file)
	if err != nil {
		return err
	}
	edit, err := b.edit()
	if err != nil {
		return err
	}
	var i api.Import
	if err := s.client.Post(ctx, "/imports?name="+url.QueryEscape(filepath.Base(file)), content, &i); err != nil {
		return err
	}
	path := fmt.Sprint("/imports/", i.ID)
	kept := false
	defer func() {
		if !kept { // nothing came of it, so nothing of it stays
			_ = s.client.Do(context.WithoutCancel(ctx), "DELETE", path, nil, nil) // it is swept out otherwise
		}
	}()
	if err := s.client.Do(ctx, "PATCH", path, edit, &i); err != nil {
		return err
	}
	faulty, _, err := client.All[api.ImportRow](ctx, s.client, path+"/rows", 500, client.Query("outcome",
		"faulty,asked"))
	if err != nil {
		return err
	}
	if s.preview && s.output == "json" {
		return s.json(map[string]any{"import": i, "rows": faulty})
	}
	s.sayImport(&i, faulty)
	if b.faultyRows != "" && len(faulty) > 0 {
		var rows []byte
		if err := s.client.Get(ctx, path+"/file", &rows, client.Query("outcome", "faulty,asked"),
			client.Header("Accept", "*/*")); err != nil {
			return err
		}
		if err := s.take(b.faultyRows, rows, words.Count(len(faulty), "row is", "rows are")); err != nil {
			return err
		}
	}
	ready := i.Counts["new"] + i.Counts["update"] + i.Counts["back"]
	switch {
	case s.preview:
		if i.Effect != nil {
			fmt.Fprintln(s.out, "Nothing is written. This would happen:", i.Effect.Summary)
		}
		return nil
	case len(i.Faults) > 0 && ready == 0:
		return usagef("%s", i.Faults[0].Message)
	case len(faulty) > 0 && !b.leaveOut:
		return usagef("%s wrong, so nothing is brought in; mend them, or say --leave-out to bring in the others",
			words.Count(len(faulty), "row is", "rows are"))
	case ready == 0:
		fmt.Fprintln(s.err, "Nothing is left to bring in.")
		return nil
	}
	if i.Effect != nil && i.Effect.NeedsReason && s.reason == "" {
		return usagef("this takes access from somebody, or gives something sensitive, so it needs a reason; say why " +
			"with --reason")
	}
	if i.Effect != nil {
		if err := s.agreed(i.Effect); err != nil {
			return err
		}
	}
	run := api.ImportRun{LeaveOut: b.leaveOut}
	run.Reason = s.reason
	kept = true
	if err := s.client.Do(ctx, "POST", path+"/run", run, &i); err != nil {
		return err
	}
	if i, err = s.awaitImport(ctx, path, i); err != nil {
		return err
	}
	if i.Problem != "" {
		return fmt.Errorf("nothing was brought in: %s", i.Problem)
	}
	if s.output == "json" {
		if err := s.json(i); err != nil {
			return err
		}
	}
	fmt.Fprintf(s.err, "%s brought in, as change %d.\n", words.Count(ready, "person is", "people are"),
		i.Changes[len(i.Changes)-1])
	if !i.HasPINs || s.output == "json" {
		return nil
	}
	return s.handOut(ctx, path, b)
}

// edit is what the flags say of how the file is read.
func (b *bringing) edit() (*api.ImportEdit, error) {
	edit := &api.ImportEdit{Columns: map[string]string{}, Otherwise: map[string]string{},
		Rows: map[string]api.ImportDecision{}}
	for _, of := range b.columns {
		at := strings.LastIndexByte(of, '=')
		if at < 0 {
			return nil, usagef("--column is written as 'Name in the file=column'; loyal import columns names the " +
				"columns")
		}
		edit.Columns[of[:at]] = of[at+1:]
	}
	for _, of := range b.otherwise {
		name, value, is := strings.Cut(of, "=")
		if !is {
			return nil, usagef("--set is written as column=value; loyal import columns names the columns")
		}
		edit.Otherwise[name] = value
	}
	if b.order != "" {
		edit.DateOrder = &b.order
	}
	for _, line := range b.out {
		edit.Rows[fmt.Sprint(line)] = api.ImportDecision{Out: true}
	}
	return edit, nil
}

var outcomeWords = map[string][2]string{"new": {"person is new", "people are new"},
	"update": {"person on record is changed", "people on record are changed"},
	"back":   {"person comes back", "people come back"}, "same": {"row changes nothing", "rows change nothing"},
	"asked": {"row may be somebody on record", "rows may be people on record"},
	"in":    {"row is brought in already", "rows are brought in already"},
	"out":   {"row is left out", "rows are left out"}, "faulty": {"row is wrong", "rows are wrong"}}

// sayImport says what would become of a file: how it is read, how many rows of each kind, and all that is wrong.
func (s *session) sayImport(i *api.Import, faulty []api.ImportRow) {
	if s.output != "text" {
		return
	}
	for _, c := range i.Columns {
		if c.Column == "" && c.Header != "" && c.Header != api.WhatIsWrong {
			fmt.Fprintf(s.err, "The column “%s” is not read; say what it is with --column '%s=…'.\n", c.Header,
				c.Header)
		}
	}
	for _, note := range i.Notes {
		fmt.Fprintln(s.err, note)
	}
	for _, f := range i.Faults {
		fmt.Fprintln(s.err, f.Message)
	}
	for _, outcome := range []string{"new", "update", "back", "same", "in", "out", "asked", "faulty"} {
		if n := i.Counts[outcome]; n > 0 {
			fmt.Fprintln(s.out, words.Count(n, outcomeWords[outcome][0], outcomeWords[outcome][1]))
		}
	}
	for _, row := range faulty {
		for _, f := range row.Faults {
			where := fmt.Sprintf("line %d", row.Line)
			for at, c := range i.Columns {
				if c.Column == f.Column && f.Column != "" {
					where += fmt.Sprintf(", column %d (%s)", at+1, c.Header)
				}
			}
			nearest := ""
			if f.Nearest != "" {
				nearest = fmt.Sprintf(" Did you mean %s?", f.Nearest)
			}
			fmt.Fprintf(s.out, "  %s: %s%s\n", where, f.Message, nearest)
		}
		for _, may := range row.Maybe {
			fmt.Fprintf(s.out, "  line %d: %s may be %s %s (%s, %s). Put that staff number into the row, or leave "+
				"the row "+
				"out.\n", row.Line, row.Name, may.StaffNumber, may.Name, may.Status, may.Why)
		}
	}
}

// awaitImport waits until an import is brought in, and says how far it is. Whoever stops waiting does not stop it.
func (s *session) awaitImport(ctx context.Context, path string, i api.Import) (api.Import, error) {
	shown := onTerminal(s.err)
	for i.State == "running" {
		if shown && i.Total > 0 {
			fmt.Fprintf(s.err, "\rMaking PINs: %d of %d ", i.Progress, i.Total)
		}
		select {
		case <-ctx.Done():
			return i, fmt.Errorf("it goes on without you; loyal import list says when it is done: %w", ctx.Err())
		case <-time.After(250 * time.Millisecond):
		}
		if err := s.client.Get(ctx, path, &i); err != nil {
			return i, err
		}
	}
	if shown {
		fmt.Fprint(s.err, "\r\x1b[K")
	}
	return i, nil
}

// handOut shows the new PINs of an import, or writes them where they are wanted, and then has them forgotten.
func (s *session) handOut(ctx context.Context, path string, b *bringing) error {
	switch {
	case b.slips != "":
		var pdf []byte
		if err := s.client.Do(ctx, "POST", path+"/slips", struct{}{}, &pdf,
			client.Header("Accept", "application/pdf")); err != nil {
			return err
		}
		if err := s.take(b.slips, pdf, "The slips are"); err != nil {
			return err
		}
	case b.pins != "":
		var text []byte
		if err := s.client.Do(ctx, "POST", path+"/pins", struct{}{}, &text, client.Header("Accept",
			"text/csv")); err != nil {
			return err
		}
		if err := s.take(b.pins, text, "The PINs are"); err != nil {
			return err
		}
	default:
		var pins api.Page[api.NewPIN]
		if err := s.client.Do(ctx, "POST", path+"/pins", struct{}{}, &pins); err != nil {
			return err
		}
		fmt.Fprintln(s.err, "PINs, shown this once:")
		table(s, pins.Items, []column[api.NewPIN]{{"NUMBER", func(p api.NewPIN) string { return p.StaffNumber }},
			{"NAME", func(p api.NewPIN) string { return p.Name }}, {"PIN", func(p api.NewPIN) string { return p.PIN }}})
	}
	if b.keep {
		return nil
	}
	return s.client.Do(ctx, "DELETE", path+"/pins", nil, nil)
}
