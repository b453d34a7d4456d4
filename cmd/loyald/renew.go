package main

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/paper"
	"loyallatch.example/latch/internal/serve"
)

// newPINs is where new PINs are written to.
type newPINs struct {
	file  string // CSV; where it is there already, an earlier run was cut short
	slips string // PDF; empty: none
}

func (n *newPINs) flags(c *cobra.Command, name, help string) {
	c.Flags().StringVar(&n.file, name, "", help)
	c.Flags().StringVar(&n.slips, "slips", "", "PDF to draw a slip of each new PIN in, beside the CSV file")
}

// before are the PINs, by staff number, that an earlier run has written.
func (n *newPINs) before() (map[string]string, error) {
	before := map[string]string{}
	lines, err := n.read()
	for _, line := range lines {
		before[line[0]] = line[len(line)-1] // of two lines about one person the last counts
	}
	return before, err
}

func (n *newPINs) read() ([][]string, error) {
	file, err := os.Open(n.file)
	if n.file == "" || errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer func() { _ = file.Close() }() // read only
	lines, err := csv.NewReader(file).ReadAll()
	if err != nil {
		return nil, fmt.Errorf("%s is no file of new PINs: %w; name another", n.file, err)
	}
	return lines, nil
}

// write gives people a PIN, or another. A lot stands in the file before it counts.
func (n *newPINs) write(c *cobra.Command, f *flags, reason string, before map[string]string,
	whom func(a *app.App) ([]*people.Staff, error)) error {
	file, err := os.OpenFile(n.file, os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o600)
	if err != nil {
		return err
	}
	a, closeApp, err := serve.Open(c.Context(), serve.Config{DSN: f.dsn, Keys: f.keys, Log: f.logger()})
	if err != nil {
		return errors.Join(err, file.Close())
	}
	defer closeApp()
	people, err := whom(a)
	if err != nil {
		return errors.Join(err, file.Close())
	}
	w := csv.NewWriter(file)
	if len(before) == 0 {
		err = w.Write([]string{"staff_number", "name", "site", "pin"})
	}
	renewed := a.RenewPINs(c.Context(), reason, people, before, func(lot []app.RenewedPIN) error {
		for _, one := range lot {
			if err := w.Write([]string{one.Staff.Number, one.Staff.FullName(), one.Site, one.PIN}); err != nil {
				return err
			}
		}
		w.Flush()
		return errors.Join(w.Error(), file.Sync())
	}, func(renewed, total int) { fmt.Fprintf(c.ErrOrStderr(), "%d of %d PINs are new.\n", renewed, total) })
	closed := file.Close()
	if err = errors.Join(err, renewed, closed); err != nil {
		return fmt.Errorf("not all PINs are new; run it again with the same file: %w", err)
	}
	fmt.Fprintf(c.OutOrStdout(), "The new PINs are in %s. Hand each over closed, and destroy the file.\n", n.file)
	return n.draw(c.OutOrStdout(), a.Live().State().Settings.Name)
}

// draw draws a slip of each PIN in the file.
func (n *newPINs) draw(say io.Writer, organisation string) error {
	if n.slips == "" {
		return nil
	}
	lines, err := n.read()
	if err != nil {
		return err
	}
	last := map[string]int{}
	for i, line := range lines {
		last[line[0]] = i
	}
	var slips []paper.Slip
	for i, line := range slices.All(lines) {
		if i > 0 && last[line[0]] == i {
			slips = append(slips, paper.Slip{Organisation: organisation, StaffNumber: line[0], Name: line[1],
				Site: line[2], PIN: line[3]})
		}
	}
	file, err := os.OpenFile(n.slips, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	drawn := paper.Slips(file, slips, time.Now())
	closed := file.Close()
	if err := errors.Join(drawn, closed); err != nil {
		return err
	}
	fmt.Fprintf(say, "Their slips, %d of them, are in %s.\n", len(slips), n.slips)
	return nil
}

func pinsCommand(f *flags) *cobra.Command {
	var to newPINs
	replace := &cobra.Command{Use: "replace", Short: "Give another PIN to everybody who lost theirs by no act of " +
		"anybody",
		Long: "Give another PIN to everybody whose PIN counts no more without anybody having withdrawn it: because " +
			"the " +
			"key was lost,\nor an upgrade could not keep it. Without --to it lists them and does nothing. Each lot " +
			"stands " +
			"in the file before it counts;\nrun it again with the same file where it was cut short.",
		Example: "  loyald pins replace --dsn-file /etc/loyal-latch/dsn --keys /etc/loyal-latch\n  loyald pins " +
			"replace " +
			"--to /root/pins.csv --slips /root/pins.pdf --dsn-file /etc/loyal-latch/dsn --keys /etc/loyal-latch",
		Args: cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error {
			if err := needDSN(f); err != nil {
				return err
			}
			if to.file == "" {
				return listLost(c, f)
			}
			return replaceLostPINs(c, f, &to)
		}}
	dsnFlag(replace, f)
	to.flags(replace, "to", "CSV file to write the new PINs to; they are only listed where left out")
	c := &cobra.Command{Use: "pins", Short: "Look after PINs that were lost"}
	c.AddCommand(replace)
	return c
}

func replaceLostPINs(c *cobra.Command, f *flags, to *newPINs) error {
	before, err := to.before()
	if err != nil {
		return err
	}
	return to.write(c, f, "Their PIN was lost by no act of anybody", before,
		func(a *app.App) ([]*people.Staff, error) {
			lost, _, err := a.LostPINs(c.Context())
			return lost, err
		})
}

// listLost says who lost their PIN by no act of anybody.
func listLost(c *cobra.Command, f *flags) error {
	a, closeApp, err := serve.Open(c.Context(), serve.Config{DSN: f.dsn, Keys: f.keys, Log: f.logger()})
	if err != nil {
		return err
	}
	defer closeApp()
	lost, why, err := a.LostPINs(c.Context())
	if err != nil {
		return err
	}
	if len(lost) == 0 {
		fmt.Fprintln(c.OutOrStdout(), "Nobody has lost their PIN without somebody having withdrawn it.")
		return nil
	}
	state := a.Live().State()
	for _, p := range lost {
		fmt.Fprintf(c.OutOrStdout(), "%s  %s, %s\n", p.Number, p.FullName(), state.Place(p.HomeSite).Name)
	}
	fmt.Fprintf(c.OutOrStdout(), "%d people have no PIN any more: %s. loyald pins replace --to FILE gives each "+
		"another.\n",
		len(lost), why)
	return nil
}
