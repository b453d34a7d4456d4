package main

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/store"
)

func keysCommand(f *flags) *cobra.Command {
	c := &cobra.Command{Use: "keys", Short: "Look after the key file"}
	c.AddCommand(rotateCommand(f), replaceCommand(f), backUpKeyCommand(f))
	return c
}

func rotateCommand(f *flags) *cobra.Command {
	var to newPINs
	var finish bool
	c := &cobra.Command{Use: "rotate", Short: "Replace the key file by a new one", Args: cobra.NoArgs,
		Long: "Replace the key file by a new one and renew everything that the old one protects. PINs and passwords " +
			"go on counting.\n" +
			"Stop the service first, or start it again afterwards: running instances answer nothing more. Give all " +
			"instances the new file.\n" +
			"The history of credentials is removed, as it stands under the old key; the audit log keeps who issued " +
			"what.\n" +
			"Whoever had the old key and the database can work out all PINs within hours: --new-pins gives " +
			"everybody who has a PIN\nanother, written to a file that you alone may read, before they count. Run it " +
			"again with the same file where it was cut short.\n" +
			"A rotation that was cut short goes on counting: --finish puts the new key in the place of the old one.",
		Example: "  loyald keys rotate --keys /etc/loyal-latch --dsn-file /etc/loyal-latch/dsn\n  loyald keys rotate " +
			"--keys /etc/loyal-latch --dsn-file /etc/loyal-latch/dsn --new-pins /root/pins.csv",
		RunE: func(c *cobra.Command, _ []string) error {
			if err := needDSN(f); err != nil {
				return err
			}
			if finish {
				return finishRotation(c, f)
			}
			before, err := to.before()
			if err != nil {
				return err
			}
			if len(before) == 0 { // else the key is rotated already, and the PINs are not all renewed
				if err := rotateKey(c, f); err != nil {
					return err
				}
			}
			if to.file == "" {
				return nil
			}
			return to.write(c, f, "The key was rotated", before, func(a *app.App) ([]*people.Staff, error) {
				return a.HavePINs(), nil
			})
		}}
	dsnFlag(c, f)
	to.flags(c, "new-pins", "CSV file to write a new PIN of everybody to who has one; none are renewed where left out")
	c.Flags().BoolVar(&finish, "finish", false, "only put the new key in place, of a rotation that was cut short")
	return c
}

// withStore does something with the database of the command, whose tables are brought up to date.
func withStore(c *cobra.Command, f *flags, do func(db *store.Store) error) error {
	db, err := store.Open(c.Context(), f.dsn)
	if err != nil {
		return err
	}
	done := do(db)
	closed := db.Close()
	return errors.Join(done, closed)
}

func rotateKey(c *cobra.Command, f *flags) error {
	return withStore(c, f, func(db *store.Store) error {
		lost, err := app.Rotate(c.Context(), db, f.keys)
		if err != nil {
			return err
		}
		fmt.Fprintf(c.OutOrStdout(), "The key in %s is a new one. Make a backup of it, apart from the database's: "+
			"loyald keys backup --to FILE.\n", f.keys)
		if lost > 0 {
			fmt.Fprintf(c.OutOrStdout(), "PINs of %d people could not be read and are withdrawn; loyald pins replace "+
				"lists them.\n", lost)
		}
		return nil
	})
}

func finishRotation(c *cobra.Command, f *flags) error {
	return withStore(c, f, func(db *store.Store) error {
		done, err := app.FinishRotation(c.Context(), db, f.keys)
		switch {
		case err != nil:
			return err
		case done:
			fmt.Fprintf(c.OutOrStdout(), "The new key stands in %s now. Make a backup of it.\n", f.keys)
		default:
			fmt.Fprintln(c.OutOrStdout(), "No rotation was cut short; the key is as it was.")
		}
		return nil
	})
}

func replaceCommand(f *flags) *cobra.Command {
	var to newPINs
	var lost bool
	c := &cobra.Command{Use: "replace", Short: "Make a new key in the place of one that is lost", Args: cobra.NoArgs,
		Long: "Make a new key for a database whose key file is lost, and of which no backup is left. Nobody can read " +
			"any PIN then:\nall are withdrawn, as are links that were sent and PINs of imports that were not handed " +
			"out. " +
			"Passwords, badges, devices and\neverything else go on. It names whom it concerns, and with --new-pins " +
			"gives " +
			"each another PIN, written before it counts.\n" +
			"Stop the service first. The chain of the audit log is checked before the new key signs it.",
		Example: "  loyald keys replace --lost --new-pins /root/pins.csv --slips /root/pins.pdf \\\n    --keys " +
			"/etc/loyal-latch --dsn-file /etc/loyal-latch/dsn",
		RunE: func(c *cobra.Command, _ []string) error {
			if !lost {
				return errors.New("say --lost: everybody's PIN is withdrawn. A key that is there is replaced by " +
					"loyald keys " +
					"rotate, and nobody loses theirs")
			}
			if err := needDSN(f); err != nil {
				return err
			}
			if err := withStore(c, f, func(db *store.Store) error {
				count, err := app.ReplaceLost(c.Context(), db, f.keys)
				if err != nil {
					return err
				}
				fmt.Fprintf(c.OutOrStdout(), "There is a new key in %s. Make a backup of it: loyald keys backup --to "+
					"FILE.\nPINs of %d people count no more.\n", f.keys, count)
				return nil
			}); err != nil {
				return err
			}
			if to.file == "" {
				return listLost(c, f)
			}
			return replaceLostPINs(c, f, &to)
		}}
	dsnFlag(c, f)
	to.flags(c, "new-pins", "CSV file to write the new PINs to; whom it concerns is only listed where left out")
	c.Flags().BoolVar(&lost, "lost", false, "the key is lost: withdraw what it alone could read")
	return c
}

func backUpKeyCommand(f *flags) *cobra.Command {
	var to string
	c := &cobra.Command{Use: "backup", Short: "Copy the key file, and note that there is a backup", Args: cobra.NoArgs,
		Long: "Copy the key into a file that you alone may read, see that the copy is whole, and note in the " +
			"database that " +
			"there is one.\nKeep it apart from the database's backup: whoever has both can work out all PINs.",
		Example: "  loyald keys backup --to /media/safe/latch.key --keys /etc/loyal-latch --dsn-file " +
			"/etc/loyal-latch/dsn",
		RunE: func(c *cobra.Command, _ []string) error {
			if to == "" {
				return errors.New("name the file to copy the key into with --to")
			}
			if err := needDSN(f); err != nil {
				return err
			}
			return withStore(c, f, func(db *store.Store) error {
				if err := app.BackUpKey(c.Context(), db, f.keys, to); err != nil {
					return err
				}
				fmt.Fprintf(c.OutOrStdout(), "The key is copied into %s. Keep it apart from the database's backup.\n",
					to)
				return nil
			})
		}}
	dsnFlag(c, f)
	c.Flags().StringVar(&to, "to", "", "file to copy the key into; it may not be there yet")
	return c
}
