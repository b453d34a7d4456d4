package cli

import (
	"encoding/csv"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/words"
)

// todayLine is one thing that needs a hand today.
type todayLine struct{ section, number, name, what, when string }

func (s *session) todayCommand() *cobra.Command {
	return &cobra.Command{Use: "today", Args: cobra.NoArgs,
		Short:   "What needs a hand today: who starts, who can't get in, who is locked, what ends",
		Example: "  loyal today\n  loyal today -o csv",
		RunE: func(c *cobra.Command, _ []string) error {
			var today api.Today
			if err := s.client.Get(c.Context(), "/today", &today); err != nil {
				return err
			}
			lines := todayLines(&today)
			switch s.output {
			case "json":
				return s.json(today)
			case "csv":
				return s.todayCSV(lines)
			}
			for i, line := range lines {
				if i == 0 || line.section != lines[i-1].section {
					if i > 0 {
						fmt.Fprintln(s.out)
					}
					fmt.Fprintln(s.out, s.styled("1", line.section))
				}
				said := fmt.Sprintf("  %-8s %s  %s  %s", line.number, line.name, line.what, line.when)
				fmt.Fprintln(s.out, strings.TrimRight(said, " "))
			}
			if len(lines) == 0 {
				fmt.Fprintln(s.err, "Nothing needs a hand today.")
			}
			return nil
		}}
}

func (s *session) todayCSV(lines []todayLine) error {
	out := csv.NewWriter(s.out)
	if err := out.Write([]string{"section", "number", "name", "what", "when"}); err != nil {
		return err
	}
	for _, line := range lines {
		if err := out.Write([]string{line.section, line.number, line.name, line.what, line.when}); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

func todayLines(today *api.Today) (lines []todayLine) {
	add := func(section, number, name, what, when string) {
		lines = append(lines, todayLine{section, number, name, what, when})
	}
	for _, p := range today.Stuck {
		var why []string
		for _, o := range p.Obstacles {
			why = append(why, o.Sentence+" "+o.Mend)
		}
		add("Not ready", p.StaffNumber, p.Name, strings.Join(why, " "), "")
	}
	for _, p := range today.Starting {
		add("Starting within a week", p.StaffNumber, p.Name, p.JobTitle+", "+p.HomeSite.Name, p.Date)
	}
	for _, p := range today.Locked {
		if p.Lock != nil {
			add("Locked", p.StaffNumber, p.Name, p.Lock.Reason, local(&p.Lock.Since))
		}
	}
	for _, b := range today.Barred {
		add("Barred from a place", b.Staff.StaffNumber, b.Staff.Name, b.Place.Name+": "+b.Reason, local(b.Until))
	}
	for _, b := range today.Badges {
		number, holder := "", ""
		if b.Holder != nil {
			number, holder = b.Holder.Staff.StaffNumber, b.Holder.Staff.Name
		}
		add("Badges to settle", number, holder, "badge "+b.Number+", "+b.State, "")
	}
	if today.Tampering != "" {
		add("Written in the database by something else", "", today.Tampering, "loyald verify names all of it", "")
	}
	for _, one := range today.Troubles {
		add("Wrong with the service", "", one.What, one.Do, local(&one.Since))
	}
	if today.LostPINs > 0 {
		add("Lost their PIN", "", words.Count(today.LostPINs, "person has none any more",
			"people have none any more")+": "+
			today.LostWhy, "loyald pins replace gives each another", "")
	}
	for _, p := range today.Paused {
		number, whose, what := p.Place.Code, p.Place.Name, "PINs are not taken; loyal place unpause "+p.Place.Code
		if p.Staff != nil {
			number, whose = p.Staff.StaffNumber, p.Staff.Name
			what = "badge opens nothing at " + p.Place.Name + "; loyal staff unpause " + number
		}
		add("Paused after wrong PINs", number, whose, what, local(&p.Until))
	}
	for _, p := range today.Ending {
		add("Ending within two weeks", p.StaffNumber, p.Name, p.What, p.Date)
	}
	for _, w := range today.Undecided {
		add("Templates that wait for a decision", w.Template, w.Name, words.Count(w.Count, "permission", "permissions"),
			"")
	}
	for _, g := range today.Gaps {
		add("Nobody takes care of", g.Code, g.Name, g.Sentence+" "+g.Mend, "")
	}
	if today.Redundant > 0 {
		add("Rules to settle", "", words.Count(today.Redundant, "exception changes nothing any more",
			"exceptions change nothing any more"),
			"loyal exception tidy", "")
	}
	return lines
}
