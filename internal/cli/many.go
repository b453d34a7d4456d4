package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

// whom is the people that a command is about: named in its words, in a CSV file, or all whom a filter keeps.
type whom struct {
	s      *session
	file   string
	filter api.StaffFilter
	count  int
	skip   bool
}

// whomFlags adds the flags by which many people are chosen.
func (s *session) whomFlags(c *cobra.Command, fileFlag string) *whom {
	w := &whom{s: s}
	if fileFlag != "" {
		c.Flags().StringVar(&w.file, fileFlag, "", "a CSV file with a column staff, - for stdin, in place of names")
	}
	c.Flags().StringVar(&w.filter.Site, "site", "", "all of this home site, in place of names")
	c.Flags().StringVar(&w.filter.Employer, "employer", "", "all of this agency or employer")
	c.Flags().StringVar(&w.filter.Engagement, "engagement", "", "all employee, agency, contractor or seasonal")
	c.Flags().StringVar(&w.filter.Template, "with-template", "", "all who are assigned this template")
	c.Flags().StringVar(&w.filter.Place, "working-at", "", "all who are assigned at this place or below")
	c.Flags().StringVar(&w.filter.Team, "team", "", "all who are in this team")
	c.Flags().StringVar(&w.filter.Readiness, "readiness", "", "all whom this keeps from working, such as "+
		"no_credential; "+
		"stuck for whatever")
	c.Flags().StringVar(&w.filter.Status, "status", "", "all prepared, active or left")
	c.Flags().IntVar(&w.count, "count", 0, "of a filter: for how many it is done, as --preview says, in place of "+
		"asking")
	c.Flags().BoolVar(&w.skip, "skip", false, "leave out those for whom it cannot be done")
	completeFlag(c, "site", s.completePlaces())
	completeFlag(c, "working-at", s.completePlaces())
	completeFlag(c, "team", s.completeTeams())
	completeFlag(c, "with-template", s.completeTemplates())
	c.ValidArgsFunction = s.completeStaff()
	return w
}

// choose fills in whom an act is about. The person is returned where it is one.
func (w *whom) choose(ctx context.Context, args []string, act *api.StaffAct) (one *api.Staff, err error) {
	filtered := w.filter != api.StaffFilter{}
	switch {
	case filtered && (len(args) > 0 || w.file != ""):
		return nil, usagef("name people, or choose them by flags such as --site, not both")
	case filtered:
		act.Filter, act.Count = &w.filter, w.count
		if w.filter.Site != "" {
			at, err := w.s.place(ctx, w.filter.Site)
			if err != nil {
				return nil, err
			}
			w.filter.Site = at.Code
		}
		return nil, nil
	}
	rows, err := w.s.many(args, w.file, nil, "staff")
	if err != nil {
		return nil, err
	}
	finder := w.s.finder(ctx)
	if err := finder.expect(len(rows)); err != nil {
		return nil, err
	}
	var wrong []string
	for i, row := range rows {
		p, err := finder.staff(row["staff"])
		if err != nil {
			if len(rows) == 1 {
				return nil, atRow(w.file, i, err)
			}
			wrong = append(wrong, atRow(w.file, i, err).Error())
			continue
		}
		one, act.Staff = p, append(act.Staff, p.StaffNumber)
	}
	if wrong != nil {
		return nil, usagef("%s", strings.Join(wrong, "\n"))
	}
	if act.LeaveOut = w.skip; len(rows) > 1 {
		one = nil
	}
	return one, nil
}

// sayMany is how an act is asked about and told of: with the name of one, or the count of many.
type sayMany struct {
	ask  string // "Lock %s?"; empty where nothing is asked
	one  string // "%s is locked."
	many string // "%s are locked."
}

// act does one thing about those whom a command names. Whatever it takes is shown and asked about first.
func (w *whom) act(ctx context.Context, act api.StaffAct, one *api.Staff, say sayMany) error {
	s := w.s
	if s.drafting {
		return usagef("this is made at once and does not go into a draft; leave out --draft")
	}
	act.Reason = s.reason
	asks := !s.yes
	if act.Filter != nil { // the count is confirmed, whoever says yes to whatever comes
		asks = act.Count == 0
	}
	if asks && !s.preview {
		would, err := w.send(ctx, act, true)
		if err != nil {
			return err
		}
		if act.Count, err = w.agree(would, act.Filter != nil, one, say); err != nil {
			return err
		}
	}
	result, err := w.send(ctx, act, s.preview)
	if err != nil {
		return err
	}
	if s.output == "json" {
		return s.json(result)
	}
	w.leftOut(result)
	done := fmt.Sprintf(say.many, words.Count(result.Count, "person", "people"))
	if one != nil {
		done = fmt.Sprintf(say.one, fullName(one))
	} else if result.Count == 1 {
		done = fmt.Sprintf(say.one, "1 person")
	}
	return s.report(&result.ChangeResult, done)
}

func (w *whom) send(ctx context.Context, act api.StaffAct, preview bool) (*api.StaffActResult, error) {
	var result api.StaffActResult
	return &result, w.s.client.Do(ctx, "POST", "/staff/acts", act, &result, client.Preview(preview))
}

func (w *whom) leftOut(result *api.StaffActResult) {
	if len(result.LeftOut) == 0 {
		return
	}
	fmt.Fprintf(w.s.err, "%s left out:\n", words.Count(len(result.LeftOut), "person is", "people are"))
	for _, out := range result.LeftOut {
		fmt.Fprintf(w.s.err, "  %-10s %s: %s\n", out.Staff.StaffNumber, out.Staff.Name, out.Why)
	}
}

// agree says whom an act is about and who loses by it, and asks. Of those whom a filter chooses, the count is typed.
func (w *whom) agree(would *api.StaffActResult, filtered bool, one *api.Staff, say sayMany) (int, error) {
	s := w.s
	if would.Effect.NeedsReason && s.reason == "" {
		return 0, usagef("this takes access from somebody, or gives something sensitive, so it needs a reason; say " +
			"why with --reason")
	}
	about := words.Count(would.Count, "person", "people")
	if one != nil {
		about = fmt.Sprintf("%s (%s)", fullName(one), one.StaffNumber)
	}
	if say.ask != "" {
		s.ask(fmt.Sprintf(say.ask, about))
	}
	if !filtered {
		return 0, s.agreed(&would.Effect)
	}
	w.leftOut(would)
	question := fmt.Sprintf(or(say.ask, "Do this for %s?"), about)
	if s.question = ""; !s.interactive() {
		return 0, usagef("%s There is no terminal to ask on: say --count %d to go on", question, would.Count)
	}
	for _, line := range would.Effect.Losses[:min(len(would.Effect.Losses), lossesSaid)] {
		s.effectLineTo(s.err, "-", line)
	}
	fmt.Fprintf(s.err, "%s Type the count, %d, to go on: ", question, would.Count)
	line, err := s.in.ReadString('\n')
	if err != nil {
		return 0, err
	}
	if n, err := strconv.Atoi(strings.TrimSpace(line)); err != nil || n != would.Count {
		return 0, fmt.Errorf("that is not %d; nothing was changed", would.Count)
	}
	return would.Count, nil
}

func (s *session) leaveCommand() *cobra.Command {
	var on string
	c := &cobra.Command{Use: "leave [STAFF...] --reason WHY",
		Short: "Record that people leave: at once, after a last day, or at a moment",
		Example: "  loyal leave Q0241 --on 2027-01-19 --reason 'end of season'\n" +
			"  loyal leave Q0241 --on '2027-01-19 14:30' --reason 'end of shift'\n" +
			"  loyal leave --from leavers.csv --reason 'end of season' --yes\n" +
			"  loyal leave --employer 'Tern Labour Services' --reason 'contract ended' --preview"}
	w := s.whomFlags(c, "from")
	c.Flags().StringVar(&on, "on", "",
		"last day that counts, or the moment of that day, in the time zone of the home site; at once where left out")
	c.RunE = func(c *cobra.Command, args []string) error {
		act := api.StaffAct{Op: "staff.leave"}
		one, err := w.choose(c.Context(), args, &act)
		if err != nil {
			return err
		}
		say := sayMany{"Record that %s leaves?", "%s has left.", "%s have left."}
		if one == nil {
			say.ask = "Record that %s leave?"
		}
		if on != "" {
			say.one, say.many = "%s leaves after "+on+".", "%s leave after "+on+"."
			act.Set = map[string]any{"on": on}
			if _, err := time.Parse(time.DateOnly, on); err != nil {
				at, err := clockTime(on)
				if err != nil {
					return err
				}
				act.Set = map[string]any{"at": at}
				say.one, say.many = "%s leaves on "+on+".", "%s leave on "+on+"."
			}
		}
		return w.act(c.Context(), act, one, say)
	}
	return c
}

func (s *session) lockCommand() *cobra.Command {
	var until string
	c := &cobra.Command{Use: "lock [STAFF...] --reason WHY",
		Short: "Lock people now: nothing opens for them anywhere",
		Example: "  loyal lock Q0241 --reason 'badge seen in other hands'\n  loyal lock Q0241 --reason 'talk on " +
			"Monday' --until '2026-11-30 08:00' --yes\n" +
			"  loyal lock --employer 'Tern Labour Services' --reason 'papers not in order' --count 11"}
	w := s.whomFlags(c, "from")
	c.Flags().StringVar(&until, "until", "",
		"end of the lock, in the time zone of the home site; until unlocked where left out")
	c.RunE = func(c *cobra.Command, args []string) error {
		act := api.StaffAct{Op: "staff.lock"}
		one, err := w.choose(c.Context(), args, &act)
		if err != nil {
			return err
		}
		if until != "" {
			at, err := clockTime(until)
			if err != nil {
				return err
			}
			act.Set = map[string]any{"until": at}
		}
		if err := w.act(c.Context(), act, one, sayMany{"Lock %s?", "%s is locked.", "%s are locked."}); err != nil ||
			one == nil || s.preview || s.output == "json" {
			return err
		}
		return s.whoRefuses(c.Context(), one)
	}
	return c
}

// whoRefuses says which doors and terminals ask about somebody who is locked.
func (s *session) whoRefuses(ctx context.Context, p *api.Staff) error {
	devices, _, err := client.All[api.Device](ctx, s.client, "/staff/"+p.StaffNumber+"/devices", 500)
	if err != nil || len(devices) == 0 {
		return err
	}
	fmt.Fprintf(s.err, "%s from now on; to list them: loyal device list --staff %s\n", words.Count(len(devices),
		"controller or terminal refuses them", "controllers and terminals refuse them"), p.StaffNumber)
	return nil
}

// plainMany is a command that does something about people and says nothing more.
func (s *session) plainMany(verb, short string, say sayMany) *cobra.Command {
	c := &cobra.Command{Use: verb + " [STAFF...]", Short: short,
		Example: "  loyal " + verb + " Q0241\n  loyal " + verb + " 'Ana Reyes' 'Gwil Tamm'\n  loyal " + verb +
			" --from people.csv --preview"}
	w := s.whomFlags(c, "from")
	c.RunE = func(c *cobra.Command, args []string) error {
		act := api.StaffAct{Op: "staff." + verb}
		one, err := w.choose(c.Context(), args, &act)
		if err != nil {
			return err
		}
		return w.act(c.Context(), act, one, say)
	}
	return c
}

func (s *session) unlockCommand() *cobra.Command {
	return s.plainMany("unlock", "Unlock people", sayMany{"", "%s is unlocked.", "%s are unlocked."})
}

func (s *session) reinstateCommand() *cobra.Command {
	c := s.plainMany("reinstate", "Bring back people who have left, or take back a leaving date",
		sayMany{"", "%s is back on the staff.", "%s are back on the staff."})
	c.Example += "\n  loyal reinstate Q0241 --assignments 31,32 --new-pin"
	kept := c.Flags().String("assignments", "",
		"for one person: numbers of the assignments that count again, or none; the others end")
	newPIN := c.Flags().Bool("new-pin", false, "of one person: a new PIN is printed once, and the one before ends")
	plain := c.RunE
	c.RunE = func(c *cobra.Command, args []string) error {
		if !*newPIN && *kept == "" {
			return plain(c, args)
		}
		if len(args) != 1 {
			return usagef("name one person: --assignments and --new-pin are about one")
		}
		var chosen []uint32
		for _, typed := range strings.FieldsFunc(*kept, func(r rune) bool { return r == ',' || r == ' ' }) {
			n, err := strconv.ParseUint(typed, 10, 32)
			if err != nil && *kept != "none" {
				return usagef("--assignments takes numbers such as 31,32, or none; %q is neither", typed)
			} else if err == nil {
				chosen = append(chosen, uint32(n))
			}
		}
		return s.reinstateOne(c.Context(), args[0], chosen, *kept != "", *newPIN)
	}
	return c
}

// reinstateOne brings somebody back with chosen assignments, or all, and with the PIN before or a new one.
func (s *session) reinstateOne(ctx context.Context, named string, keep []uint32, choose, newPIN bool) error {
	p, err := s.staff(ctx, named)
	if err != nil {
		return err
	}
	operations := []api.Operation{{Op: "staff.reinstate", On: p.StaffNumber}}
	if choose {
		all, _, err := client.All[api.Assignment](ctx, s.client, "/assignments", 500, client.Query("staff",
			p.StaffNumber))
		if err != nil {
			return err
		}
		open := map[uint32]bool{}
		for _, a := range all {
			if open[a.ID] = a.When == "now" || a.When == "later"; open[a.ID] && !slices.Contains(keep, a.ID) {
				operations = append(operations, api.Operation{Op: "assignment.end", On: fmt.Sprint(a.ID)})
			}
		}
		for _, id := range keep {
			if !open[id] {
				return notFound{fmt.Errorf("%s has no assignment %d that can count again", fullName(p), id)}
			}
		}
	}
	if newPIN {
		set, err := json.Marshal(map[string]string{"staff": p.StaffNumber})
		if err != nil {
			return err
		}
		operations = append(operations, api.Operation{Op: "pin.set", Set: set})
	}
	_, err = s.change(ctx, fullName(p)+" is back on the staff.", operations...)
	return err
}

func (s *session) activateCommand() *cobra.Command {
	return s.plainMany("activate", "Let prepared people begin now: what was to begin on their start date, too",
		sayMany{"", "%s is active.", "%s are active."})
}

func (s *session) moveCommand() *cobra.Command {
	var to, as, from, until, of, with string
	var overlap int
	c := &cobra.Command{Use: "move [STAFF...] --to PLACE",
		Short: "Let people go on at another place, or with another template, from a day",
		Example: "  loyal move Q0011 --to HB-GRADE --as grader --from 2027-01-04\n" +
			"  loyal move Q0011 Q0012 --to HB-GRADE --overlap-days 2 --preview\n" +
			"  loyal move --working-at HB-PACK --as line-operator --of HB-PACK --reason 'new line' --count 12"}
	w := s.whomFlags(c, "file")
	c.Flags().StringVar(&to, "to", "", "the next place; the same where left out")
	c.Flags().StringVar(&as, "as", "", "the next template; the same where left out")
	c.Flags().StringVar(&from, "from", "", "first day of the next assignment; today where left out")
	c.Flags().StringVar(&until, "until", "", "last day of the next; that of the one before where left out")
	c.Flags().IntVar(&overlap, "overlap-days", 0, "days on which both assignments count")
	c.Flags().StringVar(&of, "of", "", "only their assignments at this place or below")
	c.Flags().StringVar(&with, "of-template", "", "only their assignments with this template")
	for _, flag := range []string{"to", "of"} {
		completeFlag(c, flag, s.completePlaces())
	}
	for _, flag := range []string{"as", "of-template"} {
		completeFlag(c, flag, s.completeTemplates())
	}
	c.RunE = func(c *cobra.Command, args []string) error {
		if to == "" && as == "" {
			return usagef("say where to with --to, or as what with --as")
		}
		act := api.StaffAct{Op: "assignment.move", Of: &api.AssignmentsOf{},
			Set: map[string]any{"from": from, "until": until, "overlap_days": overlap}}
		one, err := w.choose(c.Context(), args, &act)
		if err != nil {
			return err
		}
		for _, place := range []struct {
			typed string
			into  func(string)
		}{{to, func(code string) { act.Set["place"] = code }}, {of, func(code string) { act.Of.Place = code }}} {
			if place.typed != "" {
				at, err := s.place(c.Context(), place.typed)
				if err != nil {
					return err
				}
				place.into(at.Code)
			}
		}
		for _, template := range []struct {
			typed string
			into  func(string)
		}{{as, func(code string) { act.Set["template"] = code }},
			{with, func(code string) { act.Of.Template = code }}} {
			if template.typed != "" {
				found, err := s.template(c.Context(), template.typed)
				if err != nil {
					return err
				}
				template.into(found.Code)
			}
		}
		return w.act(c.Context(), act, one, sayMany{"", "%s is moved.", "%s are moved."})
	}
	return c
}
