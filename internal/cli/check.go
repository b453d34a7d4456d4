package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

// asking are the flags of check and why.
func (s *session) asking(use, short, example string, explain bool) *cobra.Command {
	var permission, place, at, about string
	var level int32
	var pin bool
	var how fixing
	c := &cobra.Command{Use: use, Short: short, Example: example, Args: cobra.RangeArgs(0, 1),
		ValidArgsFunction: s.completeStaff(), RunE: func(c *cobra.Command, args []string) error {
			body := api.DecisionRequest{Level: level}
			switch {
			case pin == (len(args) == 1):
				return usagef("name a person, or say --pin and send the PIN on stdin")
			case pin:
				var err error
				if body.PIN, err = s.secret("PIN: "); err != nil {
					return err
				}
			default:
				p, err := s.staff(c.Context(), args[0])
				if err != nil {
					return err
				}
				body.Staff = p.StaffNumber
			}
			if explain && body.Staff != "" && permission == "" {
				return s.whatIsInTheWay(c.Context(), body.Staff, place, at, &how)
			}
			where, err := s.place(c.Context(), place)
			if err != nil {
				return err
			}
			body.Place = where.Code
			if permission != "" {
				p, err := s.permission(c.Context(), permission)
				if err != nil {
					return err
				}
				body.Permission = p.Key
			}
			if at != "" {
				moment, err := readMoment(at, where.TimeZone)
				if err != nil {
					return err
				}
				body.At = &moment
			}
			if about != "" {
				p, err := s.staff(c.Context(), about)
				if err != nil {
					return err
				}
				body.About = p.StaffNumber
			}
			var d api.Decision
			if err := s.client.Do(c.Context(), "POST", "/decisions", body, &d); err != nil {
				return err
			}
			return s.answered(c.Context(), &d, explain, &how)
		}}
	if explain {
		c.Flags().BoolVar(&how.fix, "fix", false, "fix everything that blocks the person, as one change")
		c.Flags().StringVar(&how.template, "template", "", "with --fix: the template to assign, instead of the one "+
			"with the fewest other permissions")
		completeFlag(c, "template", s.completeTemplates())
	}
	c.Flags().StringVar(&place, "place", "", "where; of a person, why may leave it out and asks about their home site")
	c.Flags().StringVar(&permission, "permission", "",
		"key, or any words of the title; what the place asks about where left out")
	c.Flags().StringVar(&at, "at", "", "when, such as '2026-11-30 02:00' in the place's time zone; now where left out")
	c.Flags().StringVar(&about, "about", "", "whose records, of a permission whose levels are own, team and all")
	c.Flags().Int32Var(&level, "level", 0, "at least this level or limit")
	c.Flags().BoolVar(&pin, "pin", false, "by PIN, read without echo or from stdin")
	completeFlag(c, "place", s.completePlaces())
	completeFlag(c, "permission", s.completePermissions())
	completeFlag(c, "about", s.completeStaff())
	return c
}

func (s *session) checkCommand() *cobra.Command {
	return s.asking("check [STAFF]", "May somebody do something at a place? Exit code 0 is yes, 3 is no",
		"  loyal check Q0241 --place HB-PACK-1\n  loyal check 'Ana Reyes' --place 'Packing line 2' --permission "+
			"line.run --at '2026-11-30 06:00'", false)
}

func (s *session) whyCommand() *cobra.Command {
	return s.asking("why [STAFF]", "What is in somebody's way, everywhere or at a place, and the act that mends it",
		"  loyal why 'Ana Reyes'\n  loyal why Q0241 --place HB-CHEM-1\n  loyal why Q0241 --place HB-CHEM-1 --fix "+
			"--reason 'covers the store'\n  printf '480216\\n' | loyal why --pin "+
			"--place HB-CHEM-1", true)
}

// whatIsInTheWay answers what a manager asks: why can't she get in here? At a door it is the decision with its grounds;
// at any other place everything that keeps the person from it, door by door, each with what mends it.
func (s *session) whatIsInTheWay(ctx context.Context, staff, place, at string, how *fixing) error {
	options := []client.Option{}
	zone := ""
	if place != "" {
		where, err := s.place(ctx, place)
		if err != nil {
			return err
		}
		zone = where.TimeZone
		options = append(options, client.Query("place", where.Code))
		if where.Asks != "" {
			body := api.DecisionRequest{Staff: staff, Place: where.Code}
			if at != "" {
				moment, err := readMoment(at, zone)
				if err != nil {
					return err
				}
				body.At = &moment
			}
			var d api.Decision
			if err := s.client.Do(ctx, "POST", "/decisions", body, &d); err != nil {
				return err
			}
			return s.answered(ctx, &d, true, how)
		}
	} else {
		p, err := s.staff(ctx, staff)
		if err != nil {
			return err
		}
		if p.HomeSite.Code == "" {
			return usagef("say at which place: %s belongs to another site", fullName(p))
		}
		if zone, err = s.zoneOf(ctx, p.HomeSite.Code); err != nil {
			return err
		}
	}
	if how.fix {
		return usagef("--fix is about one door, or one permission: name the door with --place, or say --permission")
	}
	moment, err := s.momentOption(at, zone)
	if err != nil {
		return err
	}
	var look api.Look
	if err := s.client.Get(ctx, "/staff/"+staff+"/look", &look, append(options, moment...)...); err != nil {
		return err
	}
	opens, shut := 0, map[string][]string{}
	var causes []string
	for _, sight := range look.Items {
		switch {
		case sight.Opens == nil:
		case *sight.Opens:
			opens++
		default:
			cause := strings.TrimSpace(sight.Remedy)
			if shut[cause] == nil {
				causes = append(causes, cause)
			}
			shut[cause] = append(shut[cause], sight.Place.Name+": "+sight.Sentence)
		}
	}
	free := len(look.Obstacles) == 0 && opens > 0
	if s.output == "json" {
		if err := s.json(look); err != nil {
			return err
		}
	} else {
		fmt.Fprintf(s.out, "%s (%s), %s, at %s: opens %s.\n", look.Staff.Name, look.Staff.StaffNumber, look.Status,
			look.Place.Name, words.Count(opens, "door", "doors"))
		for _, o := range look.Obstacles {
			fmt.Fprintf(s.out, "  in the way  %s\n  remedy      %s\n", o.Sentence, o.Mend)
		}
		for _, cause := range causes {
			fmt.Fprintf(s.out, "  %s shut: %s\n", words.Count(len(shut[cause]), "door stays", "doors stay"),
				or(cause, "ask whoever looks after the place"))
			for _, door := range shut[cause][:min(len(shut[cause]), doorsSaid)] {
				fmt.Fprintf(s.out, "      %s\n", door)
			}
			if more := len(shut[cause]) - doorsSaid; more > 0 {
				fmt.Fprintf(s.out, "      … and %d more\n", more)
			}
		}
	}
	if !free {
		return refusal{}
	}
	return nil
}

// doorsSaid is how many doors of one cause are named.
const doorsSaid = 4

// todayIn is the date in a time zone.
func todayIn(zone string) string {
	location, err := time.LoadLocation(zone)
	if err != nil {
		location = time.UTC
	}
	return time.Now().In(location).Format(time.DateOnly)
}

// zoneOf is the time zone of a site.
func (s *session) zoneOf(ctx context.Context, site string) (string, error) {
	var at api.Place
	err := s.client.Get(ctx, "/places/"+url.PathEscape(site), &at)
	return at.TimeZone, err
}

// ownZone is the time zone of the home site of whoever is signed in.
func (s *session) ownZone(ctx context.Context) (string, error) {
	var me api.Me
	if err := s.client.Get(ctx, "/me", &me); err != nil {
		return "", err
	}
	p, err := s.staff(ctx, me.StaffNumber)
	if err != nil {
		return "", err
	}
	return s.zoneOf(ctx, p.HomeSite.Code)
}

func (s *session) decision(d *api.Decision, explain bool) error {
	if s.output == "json" {
		if err := s.json(d); err != nil {
			return err
		}
	} else {
		word, style := "REFUSED", "1;31"
		if d.Outcome == "allow" {
			word, style = "ALLOWED", "1;32"
		}
		fmt.Fprintf(s.out, "%s  %s\n", s.styled(style, word), d.Sentence)
		if explain {
			for _, g := range d.Grounds {
				fmt.Fprintf(s.out, "  %-11s %s\n", g.Kind, g.Text)
			}
			if len(d.Advice) == 0 && d.Remedy != "" {
				fmt.Fprintf(s.out, "  %-11s %s\n", "remedy", d.Remedy)
			}
			s.advice(d)
		}
	}
	if d.Outcome != "allow" {
		return refusal{}
	}
	return nil
}

// fixing says whether what blocks a person is to be fixed, and how.
type fixing struct {
	fix      bool
	template string
}

// answered says a decision, and fixes what blocks the person where that is wanted.
func (s *session) answered(ctx context.Context, d *api.Decision, explain bool, how *fixing) error {
	if !how.fix {
		return s.decision(d, explain)
	}
	if d.Outcome == "allow" {
		return s.decision(d, explain)
	}
	var operations []api.Operation
	for i := range d.Advice {
		one := &d.Advice[i]
		o := one.Operation
		switch {
		case one.Reason == "outside_access_hours":
			continue
		case o == nil:
			return usagef("%s %s Do that first: no change alone does it", one.Sentence, one.Remedy)
		case o.Op == "certificate.add":
			return usagef("%s Record the certificate with its number first: loyal certificate add", one.Sentence)
		}
		if how.template != "" && slices.Contains(one.Asks, "template") {
			t, err := s.template(ctx, how.template)
			if err != nil {
				return err
			}
			set := map[string]any{}
			if err := json.Unmarshal(o.Set, &set); err != nil {
				return err
			}
			set["template"] = t.Code
			if o.Set, err = json.Marshal(set); err != nil {
				return err
			}
		}
		operations = append(operations, *o)
	}
	if len(operations) == 0 {
		return s.decision(d, explain)
	}
	_, err := s.change(ctx, "Done: "+words.Count(len(operations), "step", "steps")+".", operations...)
	return err
}

// advice says everything that blocks the person, in the order in which to fix it.
func (s *session) advice(d *api.Decision) {
	for i := range d.Advice {
		one := &d.Advice[i]
		head := "blocked by"
		if len(d.Advice) > 1 {
			head = fmt.Sprintf("blocked by %d", i+1)
		}
		fmt.Fprintf(s.out, "  %s  %s %s\n", head, one.Sentence, one.Remedy)
		if len(one.Templates) > 0 {
			names := make([]string, 0, len(one.Templates))
			for _, t := range one.Templates[:min(len(one.Templates), 6)] {
				names = append(names, t.Name)
			}
			fmt.Fprintf(s.out, "                Templates that include it: %s.\n", words.List(names))
		}
	}
	if d.Fixable && slices.ContainsFunc(d.Advice, func(a api.Advice) bool { return a.Operation != nil }) {
		fmt.Fprintln(s.out, "  With all of that fixed, the answer is yes; --fix does it as one change.")
	}
}

// clockTime reads a moment for the service, which takes one without an offset for the time on the clock at the home
// site
// of each whom it is about.
func clockTime(text string) (string, error) {
	if _, err := time.Parse(time.RFC3339, text); err == nil {
		return text, nil
	}
	at, err := readMoment(text, "UTC")
	return at.Format("2006-01-02T15:04:05"), err
}

func readMoment(text, zone string) (time.Time, error) {
	if t, err := time.Parse(time.RFC3339, text); err == nil {
		return t, nil
	}
	location, err := time.LoadLocation(zone)
	if err != nil {
		location = time.Local
	}
	for _, layout := range []string{"2006-01-02 15:04", "2006-01-02T15:04", "2006-01-02"} {
		if t, err := time.ParseInLocation(layout, text, location); err == nil {
			return t, nil
		}
	}
	return time.Time{}, usagef("%q is not a moment; write it as '2026-11-30 02:00'", text)
}
