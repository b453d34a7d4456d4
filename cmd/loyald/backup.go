package main

import (
	"encoding/hex"
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/backup"
	"loyallatch.example/latch/internal/command"
	"loyallatch.example/latch/internal/store"
)

func backupCommand(f *flags) *cobra.Command {
	var to string
	c := &cobra.Command{Use: "backup", Short: "Back up the database into one file, with a manifest beside it",
		Long: "Back up the database, as of one moment and while everybody goes on, into one file of SQL that is " +
			"compressed by gzip.\nThe manifest beside it says what it holds; loyald restore checks both. The key " +
			"file is " +
			"no part of it: see loyald keys backup.",
		Example: "  loyald backup --to /backup/latch-$(date +%F).sql.gz --dsn-file /etc/loyal-latch/dsn --keys " +
			"/etc/loyal-latch",
		Args: cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error {
			if to == "" {
				return errors.New("name the file to back up into with --to, such as latch.sql.gz")
			}
			if err := needDSN(f); err != nil {
				return err
			}
			db, err := store.Connect(c.Context(), f.dsn)
			if err != nil {
				return err
			}
			defer func() { _ = db.Close() }()
			var sign func([]byte) []byte
			keys, err := app.KeysOf(c.Context(), db, f.keys)
			if err == nil {
				sign = keys.SignBackup
			} else {
				fmt.Fprintf(c.ErrOrStderr(), "The manifest is not signed: %v.\n", err)
			}
			m, err := backup.Make(c.Context(), db, f.dsn, command.Version(), to, sign, rowsSaid())
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%s holds %d rows of %d tables, in %.1f MB; %s says which.\n", to, sumOf(m),
				len(m.Tables), float64(m.Bytes)/1e6, backup.ManifestOf(to))
			return nil
		}}
	dsnFlag(c, f)
	c.Flags().StringVar(&to, "to", "", "file to back up into; it may not be there yet")
	return c
}

func restoreCommand(f *flags) *cobra.Command {
	var check bool
	c := &cobra.Command{Use: "restore FILE", Short: "Restore a backup into an empty schema, or check one",
		Long: "Restore a backup into the empty schema that the database's address names, and compare what is there " +
			"then " +
			"with the manifest.\n--check compares the file with its manifest and restores nothing. With the key the " +
			"manifest's signature is checked too.",
		Example: "  loyald restore --check /backup/latch.sql.gz --keys /etc/loyal-latch\n  loyald restore " +
			"/backup/latch.sql.gz --dsn-file drill.dsn --keys /etc/loyal-latch",
		Args: cobra.ExactArgs(1), RunE: func(c *cobra.Command, args []string) error {
			if check {
				m, err := backup.Check(args[0], rowsSaid())
				if err != nil {
					return err
				}
				fmt.Fprintf(c.OutOrStdout(), "%s is whole: %d rows of %d tables, of version %d, made at %s.\n", args[0],
					sumOf(m), len(m.Tables), m.Schema, m.MadeAt.Format("2006-01-02 15:04:05 MST"))
				return signed(c, f, m)
			}
			if err := needDSN(f); err != nil {
				return err
			}
			m, err := backup.Restore(c.Context(), f.dsn, args[0], rowsSaid())
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "Restored %d rows of %d tables. They are as the manifest says, and the "+
				"chain of "+
				"the audit log is whole.\n", sumOf(m), len(m.Tables))
			return signed(c, f, m)
		}}
	dsnFlag(c, f)
	c.Flags().BoolVar(&check, "check", false, "compare the file with its manifest, and restore nothing")
	return c
}

// signed says whether the key has signed a manifest, as far as the key is there.
func signed(c *cobra.Command, f *flags, m *backup.Manifest) error {
	keys, err := app.LoadKeys(f.keys)
	signature, decoded := hex.DecodeString(m.Signature)
	switch {
	case err != nil:
		fmt.Fprintf(c.OutOrStdout(), "Who made the manifest is not known: %v.\n", err)
	case m.Signature == "":
		fmt.Fprintln(c.OutOrStdout(), "The manifest is not signed.")
	case decoded != nil || !keys.VerifyBackup(m.Message(), signature):
		return errors.New("the manifest was not signed by this key: it is of another database, or somebody has " +
			"altered it")
	default:
		fmt.Fprintln(c.OutOrStdout(), "The manifest is signed by this key.")
	}
	return nil
}

// rowsSaid says on a terminal how far it is.
func rowsSaid() backup.Progress {
	if !term.IsTerminal(int(os.Stderr.Fd())) {
		return nil
	}
	return func(table string, rows int64) { fmt.Fprintf(os.Stderr, "\r%d rows, in %-30s", rows, table) }
}

func sumOf(m *backup.Manifest) (sum int64) {
	for _, rows := range m.Tables {
		sum += rows
	}
	return sum
}
