package cli

import (
	"context"
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

func (s *session) expiringCommand() *cobra.Command {
	feed := noun("feed", "Secret addresses at which your calendar reads what runs out", s.feedList(), s.feedAdd(),
		s.feedEnd())
	feed.Example = "  loyal expiring feed list"
	return noun("expiring", "What runs out by itself: contracts, assignments, credentials, bars and locks",
		s.expiringList(), s.expiringRenew(), s.expiringLetGo(), feed)
}

// expiringFlags choose what runs out.
func (s *session) expiringFlags(c *cobra.Command) func(ctx context.Context) ([]client.Option, error) {
	var from, until, kind, site, manager, staff, letGo string
	flags := c.Flags()
	flags.StringVar(&from, "from", "", "first day looked at; today where left out")
	flags.StringVar(
		&until,
		"within",
		"",
		"last day looked at, such as 2027-03-31, or how many days ahead; 30 where left out",
	)
	flags.StringVar(&kind, "kind", "",
		"leaving, contract, assignment, exception, badge, pin, password, certificate, bar or lock")
	flags.StringVar(&site, "site", "", "home site")
	flags.StringVar(&manager, "manager", "", "line manager")
	flags.StringVar(&staff, "staff", "", "of one person")
	flags.StringVar(&letGo, "let-go", "", "true: what somebody has let go; all: that too")
	completeFlag(c, "site", s.completePlaces())
	completeFlag(c, "manager", s.completeStaff())
	completeFlag(c, "staff", s.completeStaff())
	return func(ctx context.Context) ([]client.Option, error) {
		if days, err := strconv.Atoi(until); err == nil {
			if days < 0 || days > 3660 {
				return nil, usagef("--within takes a day, such as 2027-03-31, or 0 to 3660 days")
			}
			until = time.Now().AddDate(0, 0, days).Format(time.DateOnly)
		}
		options := []client.Option{
			client.Query("from", from),
			client.Query("until", until),
			client.Query("kind", kind),
			client.Query("let_go", letGo),
		}
		if site != "" {
			p, err := s.place(ctx, site)
			if err != nil {
				return nil, err
			}
			options = append(options, client.Query("site", p.Code))
		}
		for name, typed := range map[string]string{"manager": manager, "staff": staff} {
			if typed == "" {
				continue
			}
			p, err := s.staff(ctx, typed)
			if err != nil {
				return nil, err
			}
			options = append(options, client.Query(name, p.StaffNumber))
		}
		return options, nil
	}
}

func (s *session) expiringList() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "What runs out, the earliest first", Args: cobra.NoArgs,
		Example: "  loyal expiring list\n  loyal expiring list --within 2027-03-31 --kind contract --site HB -o csv"}
	limit := limitFlag(c, 50)
	chosen := s.expiringFlags(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		options, err := chosen(c.Context())
		if err != nil {
			return err
		}
		return list(c.Context(), s, "/expiring", *limit, []column[api.Expiring]{
			{"ITEM", itemOf},
			{"UNTIL", func(e api.Expiring) string { return e.UntilWhen }},
			{"DAYS", func(e api.Expiring) string { return strconv.Itoa(e.Days) }},
			{"WHO", func(e api.Expiring) string { return e.Staff.StaffNumber + " " + e.Staff.Name }},
			{"WHAT", func(e api.Expiring) string { return e.What }},
			{"WHERE", func(e api.Expiring) string {
				if e.Place == nil {
					return ""
				}
				return e.Place.Code
			}},
			{"MANAGER", func(e api.Expiring) string {
				if e.Manager == nil {
					return ""
				}
				return e.Manager.Name
			}},
			{"LET GO", func(e api.Expiring) string {
				if e.LetGo == nil {
					return ""
				}
				return e.LetGo.Reason
			}},
		}, options...)
	}
	return c
}

// itemOf names something that runs out, as renew and let-go take it.
func itemOf(e api.Expiring) string { return e.Kind + ":" + strconv.FormatUint(uint64(e.ID), 10) }

// expiringItems are the items named, or all that the flags choose.
func (s *session) expiringItems(ctx context.Context, args []string, all bool,
	chosen func(context.Context) ([]client.Option, error)) ([]api.ExpiringItem, error) {
	if all == (len(args) > 0) {
		return nil, usagef(
			"name items, such as contract:12 from loyal expiring list, or choose with --all and the filters",
		)
	}
	var items []api.ExpiringItem
	for _, arg := range args {
		kind, number, _ := strings.Cut(arg, ":")
		id, err := strconv.ParseUint(number, 10, 32)
		if err != nil {
			return nil, usagef("%q is not an item; write it as contract:12", arg)
		}
		items = append(items, api.ExpiringItem{Kind: kind, ID: uint32(id)})
	}
	if !all {
		return items, nil
	}
	options, err := chosen(ctx)
	if err != nil {
		return nil, err
	}
	found, _, err := client.All[api.Expiring](ctx, s.client, "/expiring", everything, options...)
	if err != nil {
		return nil, err
	}
	found = slices.DeleteFunc(found, func(e api.Expiring) bool { return !e.Renewable })
	for _, e := range found {
		items = append(items, api.ExpiringItem{Kind: e.Kind, ID: e.ID})
	}
	if len(items) == 0 {
		return nil, notFound{fmt.Errorf("nothing runs out that fits")}
	}
	return items, nil
}

func (s *session) expiringRenew() *cobra.Command {
	var until string
	var all bool
	c := &cobra.Command{Use: "renew [ITEM...] --until DAY", Short: "Give what runs out a new last day, as one change",
		Example: "  loyal expiring renew contract:12 assignment:40 --until 2027-03-31\n" +
			"  loyal expiring renew --all --kind contract --site HB --until 2027-03-31 --reason 'season goes on'"}
	c.Flags().StringVar(&until, "until", "", "the new last day that counts (required)")
	c.Flags().BoolVar(&all, "all", false, "all that the filters choose")
	chosen := s.expiringFlags(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		if until == "" {
			return usagef("say the new last day with --until")
		}
		items, err := s.expiringItems(c.Context(), args, all, chosen)
		if err != nil {
			return err
		}
		body := api.RenewWrite{Items: items, Until: until}
		body.Reason = s.reason
		_, err = s.write(c.Context(), "POST", "/expiring/renew", body,
			words.Count(len(items), "thing counts", "things count")+" until "+until+".")
		return err
	}
	return c
}

func (s *session) expiringLetGo() *cobra.Command {
	return &cobra.Command{Use: "let-go ITEM... --reason WHY", Short: "Say that something may run out",
		Args: cobra.MinimumNArgs(1), Example: "  loyal expiring let-go contract:12 --reason 'goes back to school'",
		RunE: func(c *cobra.Command, args []string) error {
			items, err := s.expiringItems(c.Context(), args, false, nil)
			if err != nil {
				return err
			}
			if s.preview || s.drafting {
				return usagef("this is noted at once; leave out --preview and --draft")
			}
			if err := s.client.Do(
				c.Context(),
				"POST",
				"/expiring/let-go",
				api.LetGoWrite{Items: items, Reason: s.reason},
				nil,
			); err != nil {
				return err
			}
			fmt.Fprintln(s.err, words.Count(len(items), "thing runs out", "things run out")+" and waits on no list.")
			return nil
		}}
}

func (s *session) feedList() *cobra.Command {
	c := &cobra.Command{Use: "list", Short: "Your calendar addresses", Args: cobra.NoArgs,
		Example: "  loyal expiring feed list"}
	limit := limitFlag(c, 50)
	c.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/me/feeds", *limit, []column[api.Feed]{
			{"ID", func(f api.Feed) string { return fmt.Sprint(f.ID) }},
			{"NAME", func(f api.Feed) string { return f.Name }},
			{"MADE", func(f api.Feed) string { return local(&f.CreatedAt) }},
			{"LAST READ", func(f api.Feed) string { return local(f.LastUsed) }},
		})
	}
	return c
}

func (s *session) feedAdd() *cobra.Command {
	return &cobra.Command{Use: "add NAME", Short: "Make a secret address for your calendar; it is printed this once",
		Args: cobra.ExactArgs(1), Example: "  loyal expiring feed add 'Calendar on my phone'",
		RunE: func(c *cobra.Command, args []string) error {
			var made api.FeedMade
			if err := s.client.Do(c.Context(), "POST", "/me/feeds", api.FeedWrite{Name: args[0]}, &made); err != nil {
				return err
			}
			if s.output == "json" {
				return s.json(made)
			}
			fmt.Fprintln(s.out, made.Address)
			fmt.Fprintln(s.err, "Whoever has this address reads what runs out, as you would. It is shown this once.")
			return nil
		}}
}

func (s *session) feedEnd() *cobra.Command {
	return &cobra.Command{Use: "end ID", Short: "End a calendar address: it leads nowhere from then on",
		Args: cobra.ExactArgs(1), Example: "  loyal expiring feed end 3",
		RunE: func(c *cobra.Command, args []string) error {
			if _, err := strconv.ParseUint(args[0], 10, 32); err != nil {
				return usagef("%q is not the number of an address; see loyal expiring feed list", args[0])
			}
			if err := s.client.Do(c.Context(), "DELETE", "/me/feeds/"+args[0], nil, nil); err != nil {
				return err
			}
			fmt.Fprintln(s.err, "The address leads nowhere now.")
			return nil
		}}
}
