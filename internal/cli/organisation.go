package cli

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

func (s *session) organisationCommand() *cobra.Command {
	show := &cobra.Command{Use: "show", Short: "The settings: numbers, PINs, wrong tries, sessions", Args: cobra.NoArgs,
		Example: "  loyal organisation show",
		RunE: func(c *cobra.Command, _ []string) error {
			var o api.Organisation
			if err := s.client.Get(c.Context(), "/organisation", &o); err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(o)
			}
			type setting struct{ name, value string }
			var settings []setting
			values := reflect.ValueOf(o)
			for i := range values.NumField() {
				value := values.Field(i)
				text := value.String()
				switch value.Kind() {
				case reflect.Int:
					text = strconv.FormatInt(value.Int(), 10)
				case reflect.Bool:
					text = map[bool]string{true: "yes", false: "no"}[value.Bool()]
				}
				settings = append(settings, setting{flagOf(values.Type().Field(i)), text})
			}
			table(s, settings, []column[setting]{{"SETTING", func(o setting) string { return o.name }},
				{"VALUE", func(o setting) string { return o.value }}})
			return nil
		}}
	edit := &cobra.Command{Use: "edit", Short: "Change the settings", Args: cobra.NoArgs,
		Example: "  loyal organisation edit --pin-digits 8 --pin-refuse-dates yes\n" +
			"  loyal organisation edit --events-months 24 --archives yes"}
	fields := settingFlags(edit)
	edit.RunE = func(c *cobra.Command, _ []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --pin-digits")
		}
		body := api.OrganisationWrite{}
		var err error
		if body.OrganisationFields, err = fields(); err != nil {
			return err
		}
		body.Reason = s.reason
		goes, err := s.removed(c.Context(), &body.OrganisationFields)
		if err != nil {
			return err
		}
		if goes != "" {
			s.ask(goes + " Go on?")
		}
		_, err = s.write(c.Context(), "PATCH", "/organisation", body, "The settings are changed.")
		return err
	}
	return noun("organisation", "The settings of the organisation", show, edit, s.keptCommand())
}

// removed says what goes for good, from the next night on, by settings of how long things are kept; empty: nothing.
func (s *session) removed(ctx context.Context, fields *api.OrganisationFields) (string, error) {
	var says []string
	if months := value(fields.RetentionMonths); months > 0 {
		left, _, err := client.All[api.Staff](ctx, s.client, "/staff", 1_000_000, client.Query("status", "left"))
		if err != nil {
			return "", err
		}
		before := time.Now().AddDate(0, -months, 0)
		long := slices.DeleteFunc(left, func(p api.Staff) bool {
			day, err := time.Parse(time.DateOnly, p.LeavingDate)
			if p.LeavesAt != nil {
				day, err = *p.LeavesAt, nil
			}
			return err != nil || day.After(before)
		})
		says = append(says, fmt.Sprintf("The personal data of whoever left more than %s ago is erased for good: "+
			"now %s.", words.Count(months, "month", "months"), words.Count(len(long), "person", "people")))
	}
	for _, kept := range []struct {
		what   string
		months *int
	}{{"Events at doors and terminals", fields.EventsMonths}, {"Entries of the audit log", fields.AuditMonths},
		{"Photos of those who have left", fields.PhotoMonths}} {
		if months := value(kept.months); months > 0 {
			says = append(says, fmt.Sprintf("%s older than %s are removed for good.", kept.what,
				words.Count(months, "month", "months")))
		}
	}
	return strings.Join(says, " "), nil
}

func (s *session) keptCommand() *cobra.Command {
	return &cobra.Command{Use: "kept", Short: "What is kept beside the records, for how long, and how much there is",
		Example: "  loyal organisation kept\n  loyal organisation edit --events-months 24 --archives yes",
		Args:    cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error {
			var kept api.Page[api.Kept]
			if err := s.client.Get(c.Context(), "/kept", &kept); err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(kept.Items)
			}
			table(s, kept.Items, []column[api.Kept]{{"WHAT", func(k api.Kept) string { return k.What }},
				{"KEPT FOR", func(k api.Kept) string { return k.KeptFor }},
				{"LINES", func(k api.Kept) string { return strconv.FormatInt(k.Lines, 10) }},
				{"MEGABYTES", func(k api.Kept) string { return strconv.FormatInt((k.Bytes+999_999)/1_000_000, 10) }},
				{"OLDEST", func(k api.Kept) string {
					if k.Oldest == nil {
						return ""
					}
					return k.Oldest.Local().Format(time.DateOnly)
				}}})
			return nil
		}}
}

func flagOf(field reflect.StructField) string {
	name, _, _ := strings.Cut(field.Tag.Get("json"), ",")
	return strings.ReplaceAll(name, "_", "-")
}

// settingFlags makes a flag of each setting that can be written.
func settingFlags(c *cobra.Command) func() (api.OrganisationFields, error) {
	kind := reflect.TypeFor[api.OrganisationFields]()
	values := make([]string, kind.NumField())
	for i := range kind.NumField() {
		help := strings.ToLower(kind.Field(i).Tag.Get("doc")[:1]) + kind.Field(i).Tag.Get("doc")[1:]
		if kind.Field(i).Type.Elem().Kind() == reflect.Bool {
			help += "; yes or no"
		}
		c.Flags().StringVar(&values[i], flagOf(kind.Field(i)), "", help)
	}
	return func() (f api.OrganisationFields, err error) {
		into := reflect.ValueOf(&f).Elem()
		for i := range kind.NumField() {
			name := flagOf(kind.Field(i))
			if !c.Flags().Changed(name) {
				continue
			}
			value := reflect.New(kind.Field(i).Type.Elem())
			switch value.Elem().Kind() {
			case reflect.Int:
				number, err := strconv.Atoi(values[i])
				if err != nil {
					return f, usagef("--%s is a number, not %q", name, values[i])
				}
				value.Elem().SetInt(int64(number))
			case reflect.Bool:
				if values[i] != "yes" && values[i] != "no" {
					return f, usagef("--%s is yes or no, not %q", name, values[i])
				}
				value.Elem().SetBool(values[i] == "yes")
			default:
				value.Elem().SetString(values[i])
			}
			into.Field(i).Set(value)
		}
		return f, nil
	}
}
