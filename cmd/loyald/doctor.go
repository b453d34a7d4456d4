package main

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/command"
	"loyallatch.example/latch/internal/doctor"
	"loyallatch.example/latch/internal/store"
)

func doctorCommand(f *flags) *cobra.Command {
	c := &cobra.Command{Use: "doctor", Short: "Look at all that the service needs, and say what to do",
		Long: "Look at the database, its settings and rights, the tables, the key, clocks, folders, mail and TLS, " +
			"before a " +
			"start or at any\ntime, and say of each what is not as it should be and what to do. It changes nothing. " +
			"Give it " +
			"the options of loyald serve.\nIt exits 1 where something does not work.",
		Example: "  runuser -u loyal-latch -- loyald doctor --dsn-file /etc/loyal-latch/dsn --keys /etc/loyal-latch",
		Args:    cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error {
			if err := needDSN(f); err != nil {
				return err
			}
			events := f.journal
			if events == "" {
				events = filepath.Join(cmp.Or(os.Getenv("STATE_DIRECTORY"), f.keys), "events")
			}
			fmt.Fprintf(c.OutOrStdout(), "      %-15s loyald %s, for tables of version %d\n", "program",
				command.Version(),
				store.Newest())
			ill := 0
			for _, one := range doctor.Examine(c.Context(), doctor.Config{DSN: f.dsn, DSNFile: f.dsnFrom, Keys: f.keys,
				Events: events, Archive: f.archive, Log: f.logFile, Mail: f.mail.Server, Certificate: f.certificate,
				PrivateKey: f.certificateKey}) {
				mark := [...]string{"well ", "watch", "ILL  "}[one.Level]
				fmt.Fprintf(c.OutOrStdout(), "%s %-15s %s\n", mark, one.About, one.Says)
				if one.Do != "" {
					fmt.Fprintf(c.OutOrStdout(), "      %-15s → %s\n", "", one.Do)
				}
				if one.Level == doctor.Ill {
					ill++
				}
			}
			if ill > 0 {
				return errors.New(map[bool]string{true: "one thing does not work",
					false: fmt.Sprintf("%d things do not "+
						"work", ill)}[ill == 1])
			}
			return nil
		}}
	dsnFlag(c, f)
	serviceFlags(c, f)
	return c
}
