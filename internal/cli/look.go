package cli

import (
	"context"
	"fmt"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

func (s *session) whoCanCommand() *cobra.Command {
	var permission, at string
	c := &cobra.Command{Use: "who-can PLACE",
		Short: "Everybody who can do something at a place, through which assignment, until when",
		Args:  cobra.ExactArgs(1), ValidArgsFunction: s.completePlaces(),
		Example: "  loyal who-can HB-CHEM-1\n  loyal who-can 'Chemical store' --permission door.chemical --at " +
			"'2026-03-03 02:00'\n  loyal who-can HB-LINE-2 --permission line.run -o csv"}
	limit := limitFlag(c, 500)
	c.Flags().StringVar(&permission, "permission", "",
		"key, or any words of the title; what the place asks about where left out")
	c.Flags().StringVar(&at, "at", "",
		"a moment, past or future, access hours counted: '2026-03-03 02:00' in the place's time zone; where left "+
			"out now, at any hour")
	among := peopleFlags(c)
	completeFlag(c, "permission", s.completePermissions())
	c.RunE = func(c *cobra.Command, args []string) error {
		where, err := s.place(c.Context(), args[0])
		if err != nil {
			return err
		}
		options, err := s.momentOption(at, where.TimeZone)
		if err != nil {
			return err
		}
		if permission != "" {
			p, err := s.permission(c.Context(), permission)
			if err != nil {
				return err
			}
			options = append(options, client.Query("permission", p.Key))
		}
		return list(c.Context(), s, "/places/"+url.PathEscape(where.Code)+"/people", *limit, []column[api.PlacePerson]{
			{"NUMBER", func(p api.PlacePerson) string { return p.StaffNumber }},
			{"NAME", func(p api.PlacePerson) string { return p.Name }},
			{"AS", func(p api.PlacePerson) string { return or(p.Template, "–") }},
			{"THROUGH", func(p api.PlacePerson) string { return p.Through }},
			{"LEVEL", func(p api.PlacePerson) string { return p.Level }},
			{"UNTIL", func(p api.PlacePerson) string { return strings.TrimSuffix(p.Until+", "+p.Ends, ", ") }},
			{"LACKS", func(p api.PlacePerson) string { return p.Lacks }},
		}, append(options, among()...)...)
	}
	return c
}

// peopleFlags adds what chooses and orders a list of people who can do something.
func peopleFlags(c *cobra.Command) (options func() []client.Option) {
	q := c.Flags().String("search", "", "words of the name, number or job title, or of what it comes through")
	sort := c.Flags().String("sort", "name", "name, number or until; - for descending")
	return func() []client.Option { return []client.Option{client.Query("q", *q), client.Query("sort", *sort)} }
}

// momentOption asks about a moment that is written in a time zone; about none where the text is empty.
func (s *session) momentOption(text, zone string) ([]client.Option, error) {
	if text == "" {
		return nil, nil
	}
	moment, err := readMoment(text, zone)
	if err != nil {
		return nil, err
	}
	return []client.Option{client.Query("at", moment.Format(time.RFC3339))}, nil
}

func (s *session) lookAsCommand() *cobra.Command {
	var place, at string
	c := &cobra.Command{Use: "look-as STAFF",
		Short: "What somebody meets at a place: which doors open, what terminals offer. Nobody signs in as them",
		Args:  cobra.ExactArgs(1), ValidArgsFunction: s.completeStaff(),
		Example: "  loyal look-as Q0064 --place HB-PACK\n  loyal look-as 'Joss Hallam' --place HB-CHEM --at " +
			"'2026-03-03 02:00'"}
	c.Flags().StringVar(&place, "place", "", "the place, with all below it; their home site where left out")
	c.Flags().StringVar(&at, "at", "", "a moment, past or future, in the place's time zone; now where left out")
	completeFlag(c, "place", s.completePlaces())
	c.RunE = func(c *cobra.Command, args []string) error {
		p, err := s.staff(c.Context(), args[0])
		if err != nil {
			return err
		}
		where, err := s.place(c.Context(), or(place, p.HomeSite.Code))
		if err != nil {
			return err
		}
		options, err := s.momentOption(at, where.TimeZone)
		if err != nil {
			return err
		}
		var look api.Look
		if err := s.client.Get(c.Context(), "/staff/"+p.StaffNumber+"/look", &look,
			append(options, client.Query("place", where.Code))...); err != nil {
			return err
		}
		if s.output == "json" {
			return s.json(look)
		}
		fmt.Fprintf(s.out, "%s (%s), %s, at %s on %s, %s\n", look.Staff.Name, look.Staff.StaffNumber, look.Status,
			look.Place.Name, look.At.Format("2 Jan 2006 15:04"),
			map[string]string{"past": "from the kept history", "present": "as it is now",
				"future": "by what is on record now"}[look.Tense])
		for _, o := range look.Obstacles {
			fmt.Fprintln(s.out, "  "+o.Sentence)
		}
		table(s, look.Items, []column[api.PlaceLook]{
			{"PLACE", func(o api.PlaceLook) string { return strings.Repeat("   ", o.Depth) + o.Place.Name }},
			{"", func(o api.PlaceLook) string {
				switch {
				case o.Opens != nil && *o.Opens:
					return "opens"
				case o.Opens != nil:
					return "stays shut"
				}
				return ""
			}},
			{"OFFERS", func(o api.PlaceLook) string { return strings.Join(o.Offers, ", ") }},
		})
		return nil
	}
	return c
}

// finder finds records for many rows, each once.
type finder struct {
	s           *session
	ctx         context.Context
	people      map[string]*api.Staff
	places      map[string]*api.Place
	templates   map[string]*api.Template
	permissions map[string]*api.Permission
}

func (s *session) finder(ctx context.Context) *finder {
	return &finder{s, ctx, map[string]*api.Staff{}, map[string]*api.Place{}, map[string]*api.Template{},
		map[string]*api.Permission{}}
}

func once[T any](known map[string]*T, typed string, find func(string) (*T, error)) (*T, error) {
	if found, is := known[typed]; is {
		return found, nil
	}
	found, err := find(typed)
	if err == nil {
		known[typed] = found
	}
	return found, err
}

// fewRows is up to how many people of a file are asked about one by one; of more the list is read once.
const fewRows = 20

// expect says how many rows are to come.
func (f *finder) expect(rows int) error {
	if rows <= fewRows {
		return nil
	}
	all, _, err := client.All[api.Staff](f.ctx, f.s.client, "/staff", 1_000_000)
	for i := range all {
		f.people[all[i].StaffNumber] = &all[i]
	}
	return err
}

func (f *finder) staff(typed string) (*api.Staff, error) {
	return once(f.people, typed, func(typed string) (*api.Staff, error) { return f.s.staff(f.ctx, typed) })
}

func (f *finder) place(typed string) (*api.Place, error) {
	return once(f.places, typed, func(typed string) (*api.Place, error) { return f.s.place(f.ctx, typed) })
}

func (f *finder) template(typed string) (*api.Template, error) {
	return once(f.templates, typed, func(typed string) (*api.Template, error) { return f.s.template(f.ctx, typed) })
}

func (f *finder) permission(typed string) (*api.Permission, error) {
	return once(f.permissions, typed,
		func(typed string) (*api.Permission, error) { return f.s.permission(f.ctx, typed) })
}
