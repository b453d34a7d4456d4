package cli

import (
	"context"
	"fmt"
	"reflect"
	"strings"

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
	c.Flags().StringToStringVar(&f.Own, "own", nil,
		"fields of the organisation's own making, as key=value with commas; see loyal field list")
	c.Flags().SetNormalizeFunc(func(_ *pflag.FlagSet, name string) pflag.NormalizedName {
		if name == "start" { // the short name of it
			name = "start-date"
		}
		return pflag.NormalizedName(name)
	})
	return func() api.StaffFields { fill(); return f }
}

func (s *session) enrolCommand() *cobra.Command {
	var number, place, template, from, until, like string
	var pin, exceptions bool
	c := &cobra.Command{Use: "enrol",
		Short: "Put somebody on record, and at once assign them and give a PIN if you like", Args: cobra.NoArgs,
		Example: "  loyal enrol --given-name Ana --family-name Reyes --home-site HB --like 'Gwil Tamm' --pin\n" +
			"  loyal enrol --given-name Ana --family-name Reyes --engagement seasonal --home-site HB " +
			"--contract-end 2027-01-19 \\\n    --place HB --template packer --pin\n" +
			"  loyal enrol --given-name Ana --family-name Reyes --home-site HB --preview"}
	fields := staffFlags(c)
	c.Flags().StringVar(&number, "staff-number", "", "staff number; made by the numbering rule where left out")
	c.Flags().StringVar(&place, "place", "", "assign them here")
	c.Flags().StringVar(&template, "template", "", "with this template")
	c.Flags().StringVar(&from, "from", "", "first day of the assignment (the start date)")
	c.Flags().StringVar(&until, "until", "", "last day of the assignment (the contract's end)")
	c.Flags().StringVar(&like, "like", "", "a colleague whose assignments they get as well; never credentials")
	c.Flags().BoolVar(&exceptions, "like-exceptions", false, "the colleague's exceptions too")
	completeFlag(c, "like", s.completeStaff())
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
		if like != "" {
			colleague, err := s.staff(c.Context(), like)
			if err != nil {
				return err
			}
			operations = append(operations, api.Operation{Op: "staff.like", On: "@person",
				Set: raw(map[string]any{"like": colleague.StaffNumber, "exceptions": exceptions})})
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
	var duplicates api.Page[api.Duplicate]
	if err := s.client.Get(ctx, "/staff/duplicates", &duplicates, client.Query("given_name", value(f.GivenName)),
		client.Query("family_name", value(f.FamilyName)), client.Query("email", value(f.Email)),
		client.Query("phone", value(f.Phone)), client.Query("external_id", value(f.ExternalID))); err != nil {
		return err
	}
	if len(duplicates.Items) == 0 {
		return nil
	}
	fmt.Fprintln(s.err, "Somebody on record may be the same person:")
	for _, d := range duplicates.Items {
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
	access := s.hoursFlag(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		own, err := access(c.Context())
		if err != nil {
			return err
		}
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
			set := map[string]any{"staff": p.StaffNumber, "place": at.Code, "template": with.Code,
				"from": or(row["from"], todayIn(at.TimeZone)), "until": row["until"]}
			if own != nil {
				set["hours"] = own
			}
			operations = append(operations, api.Operation{Op: "assignment.add", Set: raw(set)})
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

func fullName(p *api.Staff) string { return strings.TrimSpace(p.GivenName + " " + p.FamilyName) }
