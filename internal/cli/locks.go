package cli

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
)

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
