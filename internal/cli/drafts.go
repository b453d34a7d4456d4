package cli

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

func (s *session) draftCommand() *cobra.Command {
	listing := s.draftList()
	show := aboutDraft("show [ID]",
		"A draft line by line, and who gains and loses by it; your open one where no number is "+
			"given", "  loyal draft show\n  loyal draft show 7", func(c *cobra.Command, id string, _ []string) error {
			var d api.Draft
			if err := s.client.Get(c.Context(), "/drafts/"+id, &d); err != nil {
				return err
			}
			return s.draftShown(&d)
		})
	drop := aboutDraft("drop ID EDIT...", "Take edits out of a draft", "  loyal draft drop open 3 4",
		func(c *cobra.Command, id string, rest []string) error {
			var edits []int
			for _, text := range rest {
				n, err := strconv.Atoi(text)
				if err != nil {
					return usagef("%q is not the number of an edit; loyal draft show lists them", text)
				}
				edits = append(edits, n)
			}
			if len(edits) == 0 {
				return usagef("say which edits to take out, by their numbers")
			}
			return s.actOnDraft(c, id, "drop", api.DraftDrop{Edits: edits})
		})
	accept := aboutDraft("accept [ID]", "Take what somebody else changed meanwhile as known", "  loyal draft accept",
		func(c *cobra.Command, id string, _ []string) error { return s.actOnDraft(c, id, "accept", nil) })
	discard := aboutDraft("discard [ID]", "Throw a draft away; reopen takes it up again", "  loyal draft discard",
		func(c *cobra.Command, id string, _ []string) error {
			if err := s.confirm("Discard the draft?"); err != nil {
				return err
			}
			return s.actOnDraft(c, id, "discard", nil)
		})
	reopen := aboutDraft("reopen ID", "Take a plan back, accept a draft that was given to you, or go on with one that "+
		"failed or was discarded",
		"  loyal draft reopen 7", func(c *cobra.Command, id string,
			_ []string) error {
			return s.actOnDraft(c, id, "reopen", nil)
		})
	take := aboutDraft("take ID", "Take over a planned draft whose owner can no longer make changes",
		"  loyal draft take 7",
		func(c *cobra.Command, id string, _ []string) error { return s.actOnDraft(c, id, "take", nil) })
	give := aboutDraft("give ID --to STAFF", "Give a draft of yours to another manager, who reviews it before it is "+
		"made",
		"  loyal draft give 7 --to Q0003", nil)
	to := give.Flags().String("to", "", "who goes on with it (required)")
	completeFlag(give, "to", s.completeStaff())
	give.Args = cobra.ExactArgs(1)
	give.RunE = func(c *cobra.Command, args []string) error {
		if *to == "" {
			return usagef("say who goes on with it, with --to")
		}
		p, err := s.staff(c.Context(), *to)
		if err != nil {
			return err
		}
		if err := s.confirm(fmt.Sprintf("Give draft %s to %s?", args[0], fullName(p))); err != nil {
			return err
		}
		return s.actOnDraft(c, args[0], "give", api.DraftGive{To: p.StaffNumber})
	}
	plan := s.draftPlan()
	apply := aboutDraft("apply [ID]", "Make a draft as one change, whole or not at all",
		"  loyal draft apply --reason 'agreed with the heads of department'",
		func(c *cobra.Command, id string, _ []string) error {
			if s.preview {
				return show.RunE(c, []string{id})
			}
			if !s.yes {
				var d api.Draft
				if err := s.client.Get(c.Context(), "/drafts/"+id, &d); err != nil {
					return err
				}
				if d.Effect != nil {
					if err := s.agreed(d.Effect); err != nil {
						return err
					}
				}
			}
			if s.drafting {
				return usagef("applying a draft does not go into a draft; leave out --draft")
			}
			result, err := s.client.Write(c.Context(), http.MethodPost, "/drafts/"+id+"/apply",
				api.Reasoned{Reason: s.reason})
			if err != nil {
				return err
			}
			return s.report(result, fmt.Sprintf("Applied as change %d. %s", result.AuditID, result.Effect.Summary))
		})
	return noun("draft", "Edits collected to be made as one change", listing, show, drop, accept, plan, apply, discard,
		reopen, take, give)
}

func (s *session) draftShown(d *api.Draft) error {
	if s.output == "json" {
		return s.json(d)
	}
	head := fmt.Sprintf("Draft %d, %s, %s", d.ID, d.State, words.Count(d.Count, "edit", "edits"))
	if d.Title != "" {
		head += ": " + d.Title
	}
	if d.PlannedFor != nil {
		head += ", planned for " + local(d.PlannedFor)
	}
	fmt.Fprintln(s.out, head)
	s.line("Problem", d.Problem)
	for _, e := range d.Edits {
		fmt.Fprintf(s.out, "  %-4d %s%s\n", e.ID, e.Words, changesText(e.Changes))
		if e.Reason != "" {
			fmt.Fprintf(s.out, "       “%s”\n", e.Reason)
		}
		for _, clash := range e.Clashes {
			fmt.Fprintf(s.out, "       somebody else changed this meanwhile: %s was %s, is %s now\n", clash.Field,
				or(clash.Was, "not set"), or(clash.Now, "not set"))
		}
		if e.Problem != "" {
			fmt.Fprintln(s.out, "       cannot be made:", e.Problem)
		}
	}
	for _, skipped := range d.Skipped {
		fmt.Fprintf(s.out, "  left out: %s, %s: %s\n", skipped.Staff.Name, skipped.Column, skipped.Why)
	}
	if d.Effect != nil && len(d.Edits) > 0 {
		fmt.Fprintln(s.out, d.Effect.Summary)
		s.effectLines(d.Effect)
	}
	return nil
}

func changesText(changes []api.StepChange) string {
	var said []string
	for _, c := range changes {
		if c.Was == "" {
			said = append(said, fmt.Sprintf("%s: %s", c.Field, c.Now))
		} else {
			said = append(said, fmt.Sprintf("%s: %s → %s", c.Field, c.Was, or(c.Now, "not set")))
		}
	}
	if len(said) == 0 {
		return ""
	}
	return " (" + strings.Join(said, "; ") + ")"
}

func (s *session) changeCommand() *cobra.Command {
	var q string
	listing := &cobra.Command{Use: "list", Short: "Changes, newest first", Args: cobra.NoArgs,
		Example: "  loyal change list --search 'line operator'"}
	limit := limitFlag(listing, 30)
	listing.Flags().StringVar(&q, "search", "", "words of the summary, the actor or the reason")
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/changes", *limit, []column[api.Change]{
			{"ID", func(c api.Change) string { return strconv.FormatUint(c.ID, 10) }},
			{"WHEN", func(c api.Change) string { return c.At.Local().Format("2006-01-02 15:04:05") }},
			{"WHO", func(c api.Change) string { return c.Actor }},
			{"WHAT", func(c api.Change) string { return c.Summary }},
			{"WHY", func(c api.Change) string { return c.Reason }},
			{"", func(c api.Change) string {
				if c.UndoneBy != 0 {
					return fmt.Sprintf("undone by %d", c.UndoneBy)
				}
				return ""
			}},
		}, client.Query("q", q))
	}
	show := &cobra.Command{Use: "show ID", Short: "One change, step by step in words", Args: cobra.ExactArgs(1),
		Example: "  loyal change show 118", RunE: func(c *cobra.Command, args []string) error {
			var change api.Change
			if err := s.client.Get(c.Context(), "/changes/"+args[0], &change); err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(change)
			}
			s.line("Change", fmt.Sprintf("%d, %s", change.ID, change.At.Local().Format("2 Jan 2006 15:04:05")))
			s.line("By", change.Actor)
			s.line("Why", change.Reason)
			if change.UndoneBy != 0 {
				s.line("Undone by", fmt.Sprint("change ", change.UndoneBy))
			}
			s.steps(change.Steps, change.Total)
			return nil
		}}
	undo := &cobra.Command{Use: "undo ID",
		Short: "Reverse a change by a new one; refused where later changes stand on it", Args: cobra.ExactArgs(1),
		Example: "  loyal change undo 118 --preview\n  loyal change undo 118 --reason 'wrong template' --yes",
		RunE: func(c *cobra.Command, args []string) error {
			s.ask("Undo change " + args[0] + "?")
			result, err := s.send(c.Context(), http.MethodPost, "/changes/"+args[0]+"/undo",
				api.Reasoned{Reason: s.reason})
			if err != nil {
				return err
			}
			return s.report(result, fmt.Sprintf("Change %s is undone, by change %d. %s", args[0], result.AuditID,
				result.Effect.Summary))
		}}
	return noun("change", "What was changed, and undoing it", listing, show, undo)
}

func (s *session) steps(steps []api.Step, total int) {
	for _, step := range steps {
		fmt.Fprintf(s.out, "  %s%s\n", step.Words, changesText(step.Changes))
		if step.Reason != "" {
			fmt.Fprintf(s.out, "      “%s”\n", step.Reason)
		}
	}
	if total > len(steps) {
		fmt.Fprintf(s.out, "  … and %d more\n", total-len(steps))
	}
}

func (s *session) draftList() *cobra.Command {
	var states []string
	var everybody bool
	listing := &cobra.Command{Use: "list", Short: "Your drafts, newest first", Args: cobra.NoArgs,
		Example: "  loyal draft list\n  loyal draft list --state applied,discarded\n  loyal draft list --everybody"}
	limit := limitFlag(listing, 50)
	listing.Flags().StringSliceVar(&states, "state", nil,
		"open, planned, failed, applied, discarded; the first three where left out")
	listing.Flags().BoolVar(&everybody, "everybody", false, "the planned drafts of every manager")
	listing.RunE = func(c *cobra.Command, _ []string) error {
		all := ""
		if everybody {
			all = "true"
		}
		return list(c.Context(), s, "/drafts", *limit, []column[api.Draft]{
			{"ID", func(d api.Draft) string { return strconv.FormatUint(d.ID, 10) }},
			{"STATE", func(d api.Draft) string { return d.State }},
			{"TITLE", func(d api.Draft) string { return or(d.Title, "–") }},
			{"EDITS", func(d api.Draft) string { return strconv.Itoa(d.Count) }},
			{"WHOSE", func(d api.Draft) string { return d.Owner.Name }},
			{"PLANNED FOR", func(d api.Draft) string { return local(d.PlannedFor) }},
			{"PROBLEM", func(d api.Draft) string { return d.Problem }},
		}, client.Query("state", strings.Join(states, ",")), client.Query("all", all))
	}
	return listing
}

func (s *session) draftPlan() *cobra.Command {
	var at, title string
	plan := aboutDraft("plan [ID]", "Plan a draft for a moment; it is checked now and again when the moment comes",
		"  loyal draft plan --at '2027-08-01 05:00' --title 'First day of the season' --reason 'agreed in June'",
		func(c *cobra.Command, id string, _ []string) error {
			zone, err := s.ownZone(c.Context())
			if err != nil {
				return err
			}
			moment, err := readMoment(at, zone)
			if err != nil {
				return err
			}
			return s.actOnDraft(c, id, "plan", api.DraftPlan{At: moment, Title: title, Reason: s.reason})
		})
	plan.Flags().StringVar(&at, "at", "", "moment, in the time zone of your home site (required)")
	plan.Flags().StringVar(&title, "title", "", "what to call it")
	return plan
}

// aboutDraft makes a command about one draft: the one that is named, or the open one.
func aboutDraft(use, short, example string, run func(c *cobra.Command, id string, rest []string) error) *cobra.Command {
	return &cobra.Command{Use: use, Short: short, Example: example,
		RunE: func(c *cobra.Command, args []string) error {
			if len(args) == 0 {
				args = []string{"open"}
			}
			return run(c, args[0], args[1:])
		}}
}

// actOnDraft does something to a draft and shows what came of it.
func (s *session) actOnDraft(c *cobra.Command, id, verb string, body any) error {
	if err := s.atOnce(); err != nil {
		return err
	}
	var d api.Draft
	if err := s.client.Do(c.Context(), http.MethodPost, "/drafts/"+id+"/"+verb, body, &d); err != nil {
		return err
	}
	return s.draftShown(&d)
}
