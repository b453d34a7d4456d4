package main

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io/fs"
	"os"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/serve"
	"loyallatch.example/latch/internal/store"
)

func rotateKey(ctx context.Context, f *flags) error {
	db, err := store.Open(ctx, f.dsn)
	if err != nil {
		return err
	}
	rotated := app.Rotate(ctx, db, f.keys)
	closed := db.Close()
	return errors.Join(rotated, closed)
}

// renewedBefore are the PINs, by staff number, in a file of new ones that an earlier run has begun.
func renewedBefore(path string) (map[string]string, error) {
	before := map[string]string{}
	file, err := os.Open(path)
	if path == "" || errors.Is(err, fs.ErrNotExist) {
		return before, nil
	}
	if err != nil {
		return nil, err
	}
	defer func() { _ = file.Close() }() // read only
	lines, err := csv.NewReader(file).ReadAll()
	if err != nil {
		return nil, fmt.Errorf("%s is no file of new PINs: %w; name another", path, err)
	}
	for _, line := range lines {
		before[line[0]] = line[len(line)-1] // of two lines about one person the last counts
	}
	return before, nil
}

// renewPINs gives everybody who has a PIN another. A lot stands in the file before it counts.
func renewPINs(c *cobra.Command, f *flags, path string, before map[string]string) error {
	file, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o600)
	if err != nil {
		return err
	}
	a, closeApp, err := serve.Open(c.Context(), serve.Config{DSN: f.dsn, Keys: f.keys, Log: f.logger()})
	if err != nil {
		return errors.Join(err, file.Close())
	}
	defer closeApp()
	w := csv.NewWriter(file)
	if len(before) == 0 {
		err = w.Write([]string{"staff_number", "name", "site", "pin"})
	}
	err = errors.Join(err, a.RenewPINs(c.Context(), "The key was rotated", before,
		func(lot []app.RenewedPIN) error {
			for _, one := range lot {
				if err := w.Write([]string{one.Staff.Number, one.Staff.FullName(), one.Site, one.PIN}); err != nil {
					return err
				}
			}
			w.Flush()
			return errors.Join(w.Error(), file.Sync())
		}, func(renewed, total int) { fmt.Fprintf(c.ErrOrStderr(), "%d of %d PINs are new.\n", renewed, total) }))
	if err = errors.Join(err, file.Close()); err != nil {
		return fmt.Errorf("not all PINs are new; run it again with the same file: %w", err)
	}
	fmt.Fprintf(c.OutOrStdout(), "The new PINs are in %s. Hand each over closed, and destroy the file.\n", path)
	return nil
}
