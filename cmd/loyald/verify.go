package main

import (
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/store"
)

func verifyCommand(f *flags) *cobra.Command {
	var since []string
	c := &cobra.Command{Use: "verify",
		Short: "Check that the audit log, the records and the events are as they were written",
		Long: "Check that nothing was written in the database but by the service. The audit log is a hash chain " +
			"whose " +
			"head is\nsigned by the key; every record has a seal of the change that wrote it; events stand in " +
			"chains of " +
			"batches.\nWith heads that were kept elsewhere by loyald head, entries that were taken off the end " +
			"since are " +
			"found too.",
		Example: "  loyald verify --dsn-file …\n  loyald verify --since head.json --dsn-file …", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := needDSN(f); err != nil {
				return err
			}
			db, err := store.Connect(c.Context(), f.dsn)
			if err != nil {
				return err
			}
			defer func() { _ = db.Close() }()
			if err := db.Whole(c.Context()); err != nil {
				return err
			}
			keys, err := app.KeysOf(c.Context(), db, f.keys)
			if err != nil {
				return verifyWithout(c, db, err)
			}
			db.SealWith(keys.SealRecord)
			var heads []store.Head
			for _, path := range since {
				kept, err := readHead(path, keys, c.ErrOrStderr())
				if err != nil {
					return err
				}
				heads = append(heads, kept)
			}
			count, err := db.VerifyAudit(c.Context(), keys.VerifyHead, heads...)
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "All %d audit entries are as they were written.\n", count)
			return verifyRest(c, db, keys)
		}}
	dsnFlag(c, f)
	c.Flags().StringSliceVar(&since, "since", nil,
		"file with a head that was kept elsewhere; may be given several times")
	return c
}

// verifyWithout checks what can be checked without the key, and says what could not be.
func verifyWithout(c *cobra.Command, db *store.Store, why error) error {
	if !errors.Is(why, app.ErrNoKey) && !errors.Is(why, app.ErrOtherKey) {
		return why
	}
	count, err := db.VerifyAudit(c.Context(), nil)
	if err != nil {
		return err
	}
	fmt.Fprintf(c.OutOrStdout(), "All %d audit entries fit the chain.\n", count)
	return fmt.Errorf("without the key of this database, whether the head of the log was signed, and whether "+
		"records and "+
		"events are as they were written, is not known: %w", why)
}

// verifyRest checks the records and the events, and says how far it is on a terminal.
func verifyRest(c *cobra.Command, db *store.Store, keys *app.Keys) error {
	said := func(what string) func(int) {
		if !term.IsTerminal(int(os.Stderr.Fd())) {
			return nil
		}
		return func(done int) { fmt.Fprintf(os.Stderr, "\r%d %s checked ", done, what) }
	}
	var compared func(done, of int)
	if say := said("records"); say != nil {
		compared = func(done, _ int) { say(done) }
	}
	count, unexplained, err := db.VerifyRecords(c.Context(), keys.SealRecord, compared)
	if err != nil {
		return err
	}
	for _, one := range unexplained {
		fmt.Fprintf(c.OutOrStdout(), "No change explains the %s with the number %d: it %s.\n", one.Kind, one.Number,
			one.Problem)
	}
	events, found, err := db.VerifyEvents(c.Context(), keys.SealRecord, 50, said("events"))
	if err != nil {
		return err
	}
	for _, what := range found {
		fmt.Fprintf(c.OutOrStdout(), "%s%s.\n", strings.ToUpper(what[:1]), what[1:])
	}
	if problems := len(unexplained) + len(found); problems > 0 {
		return fmt.Errorf("something else than the service has written in the database; findings: %d", problems)
	}
	fmt.Fprintf(c.OutOrStdout(), "All %d records are as changes have written them.\nAll %d events are as they were "+
		"recorded.\n", count, events)
	return nil
}
