package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/command"
	"loyallatch.example/latch/internal/store"
)

func migrateCommand(f *flags) *cobra.Command {
	var plan bool
	var to int64
	c := &cobra.Command{Use: "migrate", Short: "Bring the tables up to date, or say what that would do",
		Args: cobra.NoArgs,
		Long: "Bring the tables of the database up to date, which the service also does when it starts. Back up " +
			"before: " +
			"tables go forwards only.\n--plan says what would be done, and what that does to people, and does nothing.",
		Example: "  loyald migrate --plan --dsn-file /etc/loyal-latch/dsn\n  loyald migrate --dsn-file " +
			"/etc/loyal-latch/dsn",
		RunE: func(c *cobra.Command, _ []string) error {
			if err := needDSN(f); err != nil {
				return err
			}
			planned, err := store.Plan(c.Context(), f.dsn, to)
			if err != nil {
				return err
			}
			if len(planned.Steps) == 0 {
				fmt.Fprintf(c.OutOrStdout(), "The tables are of version %d. There is nothing to do.\n", planned.From)
				return nil
			}
			fmt.Fprintf(c.OutOrStdout(), "From version %d to %d, in %d steps.\n", planned.From, planned.To,
				len(planned.Steps))
			for _, effect := range planned.Effects {
				fmt.Fprintf(c.OutOrStdout(), "Version %d, to people: %s (%d of them).\n", effect.Version, effect.What,
					effect.Count)
			}
			if plan {
				for _, step := range planned.Steps {
					fmt.Fprintf(c.OutOrStdout(), "  %s\n", step.Name)
				}
				return nil
			}
			done, err := store.Migrate(c.Context(), f.dsn, to, func(step store.Step) {
				fmt.Fprintf(c.OutOrStdout(), "  %s: %.2f s\n", step.Name, step.Took.Seconds())
			})
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "The tables are of version %d now, after %.1f seconds.\n", done.To,
				done.Took.Seconds())
			for _, effect := range done.Effects {
				if len(effect.PINs) > 0 {
					fmt.Fprintln(c.OutOrStdout(), "loyald pins replace --to FILE --slips FILE gives those who lost "+
						"their "+
						"PIN another.")
				}
			}
			return nil
		}}
	dsnFlag(c, f)
	c.Flags().BoolVar(&plan, "plan", false, "say what would be done, and do nothing")
	c.Flags().Int64Var(&to, "to", 0, "version to go to; the newest that this program knows where left out")
	return c
}

func versionCommand(f *flags) *cobra.Command {
	c := &cobra.Command{Use: "version", Short: "Say the version of the program, and of the tables that it works with",
		Example: "  loyald version\n  loyald version --dsn-file /etc/loyal-latch/dsn", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			fmt.Fprintf(c.OutOrStdout(), "loyald %s\ntables that it works with: version %d\n", command.Version(),
				store.Newest())
			if err := needDSN(f); err != nil {
				return nil // no database is named, so nothing is said of one
			}
			plan, err := store.Plan(c.Context(), f.dsn, 0)
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "tables of this database: version %d\n", plan.From)
			return nil
		}}
	dsnFlag(c, f)
	return c
}
