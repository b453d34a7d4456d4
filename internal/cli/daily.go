package cli

import (
	"context"
	"fmt"
	"net/url"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

// fieldFlag is a field of a record as a flag: into is set only where the flag is given.
type fieldFlag struct {
	into       **string
	name, help string
}

// fieldFlags adds the flags; what it returns fills in the fields whose flags were given.
func fieldFlags(c *cobra.Command, flags []fieldFlag) (fill func()) {
	values := make([]string, len(flags))
	for i, flag := range flags {
		c.Flags().StringVar(&values[i], flag.name, "", flag.help)
	}
	return func() {
		for i, flag := range flags {
			if c.Flags().Changed(flag.name) {
				*flag.into = &values[i]
			}
		}
	}
}

// staffFlags makes a flag of each field of a staff member that can be written: given_name is --given-name.
func staffFlags(c *cobra.Command) func() api.StaffFields {
	var f api.StaffFields
	var flags []fieldFlag
	fields := reflect.ValueOf(&f).Elem()
	for i := range fields.NumField() {
		field := fields.Type().Field(i)
		name, _, _ := strings.Cut(field.Tag.Get("json"), ",")
		if into, is := fields.Field(i).Addr().Interface().(**string); is && name != "staff_number" {
			flags = append(flags, fieldFlag{into, strings.ReplaceAll(name, "_", "-"),
				words.LowerFirst(field.Tag.Get("doc"))})
		}
	}
	fill := fieldFlags(c, flags)
	c.Flags().SetNormalizeFunc(func(_ *pflag.FlagSet, name string) pflag.NormalizedName {
		if name == "start" { // the short name of it
			name = "start-date"
		}
		return pflag.NormalizedName(name)
	})
	return func() api.StaffFields { fill(); return f }
}

func (s *session) enrolCommand() *cobra.Command {
	var number, place, template, from, until string
	var pin bool
	c := &cobra.Command{Use: "enrol",
		Short: "Put somebody on record, and at once assign them and give a PIN if you like", Args: cobra.NoArgs,
		Example: "  loyal enrol --given-name Ana --family-name Reyes --engagement seasonal --home-site HB " +
			"--contract-end 2027-01-19 \\\n    --place HB --template packer --pin\n" +
			"  loyal enrol --given-name Ana --family-name Reyes --home-site HB --preview"}
	fields := staffFlags(c)
	c.Flags().StringVar(&number, "staff-number", "", "staff number; made by the numbering rule where left out")
	c.Flags().StringVar(&place, "place", "", "assign them here")
	c.Flags().StringVar(&template, "template", "", "with this template")
	c.Flags().StringVar(&from, "from", "", "first day of the assignment (the start date)")
	c.Flags().StringVar(&until, "until", "", "last day of the assignment (the contract's end)")
	c.Flags().BoolVar(&pin, "pin", false, "generate a PIN; it is printed this once")
	completeFlag(c, "home-site", s.completePlaces())
	completeFlag(c, "place", s.completePlaces())
	completeFlag(c, "template", s.completeTemplates())
	c.RunE = func(c *cobra.Command, _ []string) error {
		f := fields()
		if number != "" {
			f.StaffNumber = &number
		}
		if err := s.warnOfDoubles(c.Context(), &f); err != nil {
			return err
		}
		operations := []api.Operation{{Op: "staff.enrol", Ref: "person", Set: raw(f)}}
		if (place == "") != (template == "") {
			return usagef("an assignment needs both --place and --template")
		}
		if place != "" {
			at, err := s.place(c.Context(), place)
			if err != nil {
				return err
			}
			with, err := s.template(c.Context(), template)
			if err != nil {
				return err
			}
			set := map[string]string{"staff": "@person", "place": at.Code, "template": with.Code,
				"from": or(from, value(f.StartDate), todayIn(at.TimeZone)), "until": or(until, value(f.ContractEnd))}
			operations = append(operations, api.Operation{Op: "assignment.add", Set: raw(set)})
		}
		if pin {
			operations = append(operations,
				api.Operation{Op: "pin.set", Set: raw(map[string]string{"staff": "@person"})})
		}
		result, err := s.send(c.Context(), "POST", "/changes",
			api.ChangeRequest{Reason: s.reason, Operations: operations})
		if err != nil {
			return err
		}
		done := "Enrolled."
		for _, m := range result.Made {
			if m.Kind == "staff" {
				done = fmt.Sprintf("Enrolled %s %s as %s.", value(f.GivenName), value(f.FamilyName), m.Code)
			}
		}
		if err := s.report(result, done); err != nil || s.output == "json" {
			return err
		}
		s.sentences(result.People)
		return nil
	}
	return c
}

func (s *session) warnOfDoubles(ctx context.Context, f *api.StaffFields) error {
	var doubles api.Page[api.Double]
	if err := s.client.Get(ctx, "/staff/doubles", &doubles, client.Query("given_name", value(f.GivenName)),
		client.Query("family_name", value(f.FamilyName)), client.Query("email", value(f.Email))); err != nil {
		return err
	}
	if len(doubles.Items) == 0 {
		return nil
	}
	fmt.Fprintln(s.err, "Somebody on record may be the same person:")
	for _, d := range doubles.Items {
		fmt.Fprintf(s.err, "  %-10s %s, %s, %s (%s)\n", d.StaffNumber, d.Name, d.Status, d.HomeSite, d.Why)
	}
	return s.confirm("Enrol all the same?")
}

// sentences says what people can do.
func (s *session) sentences(people []api.Access) {
	for _, access := range people {
		for _, statement := range access.Statements {
			fmt.Fprintln(s.out, statement.Sentence)
			if statement.Further != "" {
				fmt.Fprintln(s.out, statement.Further)
			}
		}
		for _, obstacle := range access.Obstacles {
			fmt.Fprintf(s.out, "Not ready: %s %s\n", obstacle.Sentence, obstacle.Mend)
		}
	}
}

func (s *session) assignCommand() *cobra.Command {
	var place, template, from, until string
	c := &cobra.Command{Use: "assign [STAFF...]",
		Short:             "Say where one or many work, with which template and between which dates",
		ValidArgsFunction: s.completeStaff(),
		Example: "  loyal assign Q0241 --place HB --template packer --until 2027-01-19\n  loyal assign 'Ana Reyes' " +
			"--place 'Packing hall' --template 'Line operator' --preview\n" +
			"  loyal assign --from season.csv --template packer\n  (the columns are staff, place, template, from, " +
			"until; what a flag says holds for every row)"}
	c.Flags().StringVar(&place, "place", "", "where")
	c.Flags().StringVar(&template, "template", "", "with which template")
	c.Flags().StringVar(&from, "from", "",
		"first day, today where left out; or a CSV file, - for stdin, with a row for each person")
	c.Flags().StringVar(&until, "until", "", "last day that counts; the template's own length where left out")
	completeFlag(c, "place", s.completePlaces())
	completeFlag(c, "template", s.completeTemplates())
	c.RunE = func(c *cobra.Command, args []string) error {
		file, first := fileOrDay(from, "")
		rows, err := s.many(args, file,
			map[string]string{"place": place, "template": template, "from": first, "until": until}, "staff", "place",
			"template", "from", "until")
		if err != nil {
			return err
		}
		var operations []api.Operation
		finder, done := s.finder(c.Context()), ""
		if err := finder.expect(len(rows)); err != nil {
			return err
		}
		for i, row := range rows {
			p, err := finder.staff(row["staff"])
			if err != nil {
				return atRow(file, i, err)
			}
			at, err := finder.place(row["place"])
			if err != nil {
				return atRow(file, i, err)
			}
			with, err := finder.template(row["template"])
			if err != nil {
				return atRow(file, i, err)
			}
			operations = append(operations,
				api.Operation{Op: "assignment.add",
					Set: raw(map[string]string{"staff": p.StaffNumber, "place": at.Code, "template": with.Code,
						"from": or(row["from"], todayIn(at.TimeZone)), "until": row["until"]})})
			done = fmt.Sprintf("%s is assigned at %s as %s.", fullName(p), at.Name, with.Name)
		}
		if len(rows) > 1 {
			done = words.Count(len(rows), "assignment is made.", "assignments are made.")
		}
		result, err := s.change(c.Context(), done, operations...)
		if err == nil && result != nil && s.output != "json" {
			s.sentences(result.People)
		}
		return err
	}
	return c
}

func (s *session) pinCommand() *cobra.Command {
	var choose bool
	c := &cobra.Command{Use: "pin STAFF",
		Short: "Give somebody a PIN: generated and printed this once, or read from stdin with --choose",
		Args:  cobra.ExactArgs(1), ValidArgsFunction: s.completeStaff(),
		Example: "  loyal pin Q0241\n  printf '480216\\n' | loyal pin Q0241 --choose",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			body := api.PINWrite{PINFields: api.PINFields{Staff: p.StaffNumber}}
			body.Reason = s.reason
			if choose {
				if body.PIN, err = s.secret("PIN: "); err != nil {
					return err
				}
			}
			var has api.Page[api.Credential]
			if err := s.client.Get(c.Context(), "/credentials", &has, client.Query("staff", p.StaffNumber),
				client.Query("limit", "500")); err != nil {
				return err
			}
			if slices.ContainsFunc(has.Items,
				func(c api.Credential) bool { return c.Kind == "pin" && c.State == "valid" }) {
				s.ask(fmt.Sprintf("The PIN that %s (%s) has now stops counting. Go on?", fullName(p), p.StaffNumber))
			}
			_, err = s.write(c.Context(), "POST", "/credentials/pin", body,
				fmt.Sprintf("%s has a new PIN; the one before no longer counts.", fullName(p)))
			return err
		}}
	c.Flags().BoolVar(&choose, "choose", false, "read the PIN without echo, or from stdin")
	return c
}

// asking are the flags of check and why.
func (s *session) asking(use, short, example string, explain bool) *cobra.Command {
	var permission, place, at, about string
	var level int32
	var pin bool
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
				return s.whatIsInTheWay(c.Context(), body.Staff, place, at)
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
			return s.decision(&d, explain)
		}}
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
		"  loyal why 'Ana Reyes'\n  loyal why Q0241 --place HB-CHEM-1\n  printf '480216\\n' | loyal why --pin "+
			"--place HB-CHEM-1", true)
}

// whatIsInTheWay answers what a manager asks: why can't she get in here? At a door it is the decision with its grounds;
// at any other place everything that keeps the person from it, door by door, each with what mends it.
func (s *session) whatIsInTheWay(ctx context.Context, staff, place, at string) error {
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
			return s.decision(&d, true)
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
			if d.Remedy != "" {
				fmt.Fprintf(s.out, "  %-11s %s\n", "remedy", d.Remedy)
			}
		}
	}
	if d.Outcome != "allow" {
		return refusal{}
	}
	return nil
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

func (s *session) lockCommand() *cobra.Command {
	var until string
	c := &cobra.Command{Use: "lock STAFF --reason WHY", Short: "Lock somebody now: nothing opens for them anywhere",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeStaff(),
		Example: "  loyal lock Q0241 --reason 'badge seen in other hands'\n  loyal lock Q0241 --reason 'talk on " +
			"Monday' --until '2026-11-30 08:00' --yes", RunE: func(c *cobra.Command, args []string) error {
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			body := api.LockWrite{}
			body.Reason = s.reason
			if until != "" {
				zone, err := s.zoneOf(c.Context(), p.HomeSite.Code)
				if err != nil {
					return err
				}
				moment, err := readMoment(until, zone)
				if err != nil {
					return err
				}
				body.Until = moment.Format(time.RFC3339)
			}
			s.ask(fmt.Sprintf("Lock %s (%s)?", fullName(p), p.StaffNumber))
			_, err = s.write(c.Context(), "POST", "/staff/"+p.StaffNumber+"/lock", body,
				fmt.Sprintf("%s is locked.", fullName(p)))
			return err
		}}
	c.Flags().StringVar(&until, "until", "",
		"end of the lock, in the time zone of the home site; until unlocked where left out")
	return c
}

func (s *session) barCommand() *cobra.Command {
	var place, until string
	c := &cobra.Command{Use: "bar STAFF --place PLACE --reason WHY",
		Short: "Bar somebody from a place and all in it, now; elsewhere nothing changes", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeStaff(),
		Example: "  loyal bar Q0241 --place HB-PACK --until '2026-11-30 06:00' --reason 'incident on the " +
			"line'"}
	c.Flags().StringVar(&place, "place", "", "from where (required)")
	c.Flags().StringVar(&until, "until", "",
		"end of the bar, in the place's time zone; until it is lifted where left out")
	completeFlag(c, "place", s.completePlaces())
	c.RunE = func(c *cobra.Command, args []string) error {
		p, err := s.staff(c.Context(), args[0])
		if err != nil {
			return err
		}
		where, err := s.place(c.Context(), place)
		if err != nil {
			return err
		}
		body := api.BarWrite{Place: where.Code}
		body.Reason = s.reason
		if until != "" {
			moment, err := readMoment(until, where.TimeZone)
			if err != nil {
				return err
			}
			body.Until = moment.Format(time.RFC3339)
		}
		s.ask(fmt.Sprintf("Bar %s (%s) from %s?", fullName(p), p.StaffNumber, where.Name))
		_, err = s.write(c.Context(), "POST", "/staff/"+p.StaffNumber+"/bars", body,
			fmt.Sprintf("%s is barred from %s.", fullName(p), where.Name))
		return err
	}
	return c
}

func (s *session) unbarCommand() *cobra.Command {
	var place string
	c := &cobra.Command{Use: "unbar STAFF", Short: "Lift the bar of somebody", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeStaff(),
		Example:           "  loyal unbar Q0241\n  loyal unbar Q0241 --place HB-PACK --reason settled"}
	c.Flags().StringVar(&place, "place", "", "the place, where they are barred from several")
	completeFlag(c, "place", s.completePlaces())
	c.RunE = func(c *cobra.Command, args []string) error {
		p, err := s.staff(c.Context(), args[0])
		if err != nil {
			return err
		}
		bars, _, err := client.All[api.Bar](c.Context(), s.client, "/bars", 500, client.Query("staff", p.StaffNumber))
		if err != nil {
			return err
		}
		if place != "" {
			where, err := s.place(c.Context(), place)
			if err != nil {
				return err
			}
			bars = slices.DeleteFunc(bars, func(b api.Bar) bool { return b.Place.Code != where.Code })
		}
		switch len(bars) {
		case 0:
			return notFound{fmt.Errorf("%s is barred from no such place", fullName(p))}
		case 1:
		default:
			var places []string
			for _, b := range bars {
				places = append(places, b.Place.Code)
			}
			return usagef("%s is barred from several places (%s); say which with --place", fullName(p),
				strings.Join(places, ", "))
		}
		_, err = s.write(c.Context(), "DELETE", fmt.Sprint("/bars/", bars[0].ID), nil,
			fmt.Sprintf("The bar of %s from %s is lifted.", fullName(p), bars[0].Place.Name),
			client.Query("reason", s.reason))
		return err
	}
	return c
}

func (s *session) unlockCommand() *cobra.Command {
	return s.plainAct("unlock", "Unlock somebody", "is unlocked")
}

func (s *session) reinstateCommand() *cobra.Command {
	return s.plainAct("reinstate", "Take back a departure or a leaving date", "is back on the staff")
}

func (s *session) plainAct(verb, short, done string) *cobra.Command {
	return &cobra.Command{Use: verb + " STAFF", Short: short, Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeStaff(), Example: "  loyal " + verb + " Q0241\n  loyal " + verb + " 'Ana Reyes'",
		RunE: func(c *cobra.Command, args []string) error {
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			_, err = s.write(c.Context(), "POST", "/staff/"+p.StaffNumber+"/"+verb, api.Reasoned{Reason: s.reason},
				fullName(p)+" "+done+".")
			return err
		}}
}

func (s *session) departCommand() *cobra.Command {
	var on string
	c := &cobra.Command{Use: "depart STAFF --reason WHY",
		Short: "Record that somebody leaves, at once or after a last day", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeStaff(),
		Example: "  loyal depart Q0241 --on 2027-01-19 --reason 'end of season'\n  loyal depart Q0241 --reason " +
			"'left today' --yes", RunE: func(c *cobra.Command, args []string) error {
			p, err := s.staff(c.Context(), args[0])
			if err != nil {
				return err
			}
			body := api.DepartWrite{On: on}
			body.Reason = s.reason
			s.ask(fmt.Sprintf("Record the departure of %s (%s)?", fullName(p), p.StaffNumber))
			done := fullName(p) + " has departed."
			if on != "" {
				done = fullName(p) + " departs after " + on + "."
			}
			_, err = s.write(c.Context(), "POST", "/staff/"+p.StaffNumber+"/depart", body, done)
			return err
		}}
	c.Flags().StringVar(&on, "on", "", "last day that counts; at once where left out")
	return c
}

func fullName(p *api.Staff) string { return strings.TrimSpace(p.GivenName + " " + p.FamilyName) }
