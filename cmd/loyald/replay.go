package main

import (
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/store"
)

func replayCommand(f *flags) *cobra.Command {
	var from, until string
	c := &cobra.Command{Use: "replay", Short: "Decide recorded events again and print those that come out otherwise",
		Long: "Take every recorded event of a period, decide it again on the state of its revision, as the history " +
			"keeps it,\nand print those that come out otherwise. It reads and writes nothing else, and ends with 1 " +
			"where there are any.\n\nEvents that were held up by wrong tries are counted apart: no state keeps tries.",
		Example: "  loyald replay --dsn-file …\n  loyald replay --from 2026-11-01 --until 2026-12-01 --dsn-file …",
		Args:    cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error {
			if err := needDSN(f); err != nil {
				return err
			}
			begin, err := dayOf("from", from, time.Unix(0, 0))
			if err != nil {
				return err
			}
			end, err := dayOf("until", until, time.Now().Add(time.Hour))
			if err != nil {
				return err
			}
			db, err := store.Connect(c.Context(), f.dsn)
			if err != nil {
				return err
			}
			defer func() { _ = db.Close() }()
			done, err := app.Replay(c.Context(), db, begin, end, func(d app.Difference) {
				fmt.Fprintln(c.OutOrStdout(), difference(&d))
			})
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%d events decided again, %d come out otherwise. %d were held up by wrong "+
				"tries, "+
				"%d are not recorded with their state.\n", done.Decided, done.Differ, done.HeldUp, done.Unknown)
			if done.Differ > 0 {
				return fmt.Errorf("%d recorded decisions come out otherwise", done.Differ)
			}
			return nil
		}}
	dsnFlag(c, f)
	c.Flags().StringVar(&from, "from", "", "first day, such as 2026-11-01, in UTC; all where left out")
	c.Flags().StringVar(&until, "until", "", "day before which the period ends; today's are taken too where left out")
	return c
}

func dayOf(flag, text string, otherwise time.Time) (time.Time, error) {
	if text == "" {
		return otherwise, nil
	}
	at, err := time.Parse(time.DateOnly, text)
	if err != nil {
		return at, fmt.Errorf("--%s is a day such as 2026-11-01, not %q", flag, text)
	}
	return at, nil
}

func difference(d *app.Difference) string {
	said := func(allowed bool, reason access.Reason) string {
		if allowed {
			return "allow (" + reason.String() + ")"
		}
		return "refuse (" + reason.String() + ")"
	}
	place, who := "?", "somebody unknown"
	if p := d.On.State().Place(estate.PlaceID(d.Event.PlaceID)); p != nil {
		place = p.Code
	}
	if p := d.On.State().Person(people.StaffID(d.Event.StaffID)); p != nil {
		who = p.Number
	}
	return fmt.Sprintf("%s  event %d  %s at %s, revision %d: recorded %s, comes out as %s",
		d.Event.At.UTC().Format(time.RFC3339), d.Event.ID, who, place, d.Event.Revision,
		said(d.Event.Allowed, access.ReasonOf(d.Event.Reason)), said(d.Now.Allowed, d.Now.Reason))
}
