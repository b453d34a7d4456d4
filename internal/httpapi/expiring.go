package httpapi

import (
	"context"
	"fmt"
	"net/http"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/go-chi/chi/v5"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// expiringDays is how far ahead the list goes unless asked otherwise.
const expiringDays = 30

func (s *Server) registerExpiring() {
	type listIn struct {
		Paging
		Until   string `query:"until" format:"date" doc:"The last day looked at; left out: 30 days ahead"`
		From    string `query:"from" format:"date" doc:"The first day looked at; left out: today"`
		Kind    string `query:"kind" enum:"leaving,contract,assignment,exception,badge,pin,password,certificate,token,bar,lock"`
		Site    string `query:"site" maxLength:"64" doc:"Home site"`
		Manager string `query:"manager" maxLength:"64" doc:"Staff number of the line manager"`
		Staff   string `query:"staff" maxLength:"64" doc:"Staff number"`
		Q       string `query:"q" maxLength:"100" doc:"Words of the name or number"`
		LetGo   string `query:"let_go" enum:"true,false,all" default:"false" doc:"What somebody has let go"`
	}
	route(s, "GET", "/expiring", "list-expiring", "expiring", "What runs out by itself, the earliest first",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *listIn) (*listed[api.Expiring], error) {
			v := s.view(ctx)
			q := app.ExpiringQuery{Kind: access.RunOutKind(in.Kind), Search: in.Q}
			if in.LetGo != "all" {
				settled := in.LetGo == "true"
				q.Settled = &settled
			}
			var err error
			if q.From, q.Until, err = v.days(ctx, in.From, in.Until); err != nil {
				return nil, err
			}
			site, err := v.placeFor("query.site", in.Site)
			if err != nil {
				return nil, err
			}
			if site != nil {
				q.Site = site.ID
			}
			if in.Manager != "" {
				p, _, err := s.app.PersonFor(callerOf(ctx).id(), in.Manager)
				if err != nil {
					return nil, err
				}
				q.Manager = p.ID
			}
			if in.Staff != "" {
				p, err := s.app.PersonWhole(callerOf(ctx).id(), in.Staff)
				if err != nil {
					return nil, err
				}
				q.Staff = p.ID
			}
			list, err := s.app.Expiring(ctx, callerOf(ctx).id(), &q)
			if err != nil {
				return nil, err
			}
			cut, err := pageOf(list, &in.Paging)
			if err != nil {
				return nil, err
			}
			items := make([]api.Expiring, len(cut.Body.Items))
			for i := range cut.Body.Items {
				items[i] = v.expiring(&cut.Body.Items[i])
			}
			return page(items, cut.Body.Total, cut.Body.Next), nil
		})
	type renewIn struct {
		Writing
		Body api.RenewWrite
	}
	route(s, "POST", "/expiring/renew", "renew-expiring", "expiring",
		"Give what runs out a new last day, as one change",
		Access{Permission: permit.ViewStaff, Scope: app.ScopeDaily},
		func(ctx context.Context, in *renewIn) (*changed, error) {
			operations, err := s.app.Renewals(ctx, callerOf(ctx).id(), itemsOf(in.Body.Items), in.Body.Until)
			if err != nil {
				return nil, fault.Within("body.", err)
			}
			out, err := s.commit(ctx, in.Preview, in.Body.Reason, operations)
			return out, renamed(err, func(name string) string {
				if number, _ := operationOf(name); number != "" {
					return "body.items[" + number + "]"
				}
				return "body." + name
			})
		})
	type letGoIn struct {
		Key  string `header:"Idempotency-Key" doc:"The same key with the same request is carried out once"`
		Body api.LetGoWrite
	}
	route(s, "POST", "/expiring/let-go", "let-go-expiring", "expiring",
		"Say that something may run out: it waits on no list any more",
		Access{Permission: permit.ViewStaff, Scope: app.ScopeDaily},
		func(ctx context.Context, in *letGoIn) (*struct{}, error) {
			c := callerOf(ctx)
			return nil, fault.Within("body.",
				s.app.LetGo(ctx, c.id(), itemsOf(in.Body.Items), in.Body.Reason, c.origin()))
		})
}

func itemsOf(list []api.ExpiringItem) []app.Item {
	items := make([]app.Item, len(list))
	for i, one := range list {
		items[i] = app.Item{Kind: access.RunOutKind(one.Kind), Record: one.ID}
	}
	return items
}

// days turns a first and a last day, in the reader's own time zone, into instants.
func (v view) days(ctx context.Context, first, final string) (from, until time.Time, err error) {
	location := v.live.Location(callerOf(ctx).id())
	from, until = v.at, (day.Of(v.at.In(location)) + expiringDays + 1).Start(location)
	for _, one := range []struct {
		text, field string
		into        *time.Time
		plus        day.Date
	}{{first, "query.from", &from, 0}, {final, "query.until", &until, 1}} {
		if one.text == "" {
			continue
		}
		date, err := day.Parse(one.text)
		if err != nil {
			return from, until, fault.Invalidf(one.field, "%s", err)
		}
		*one.into = (date + one.plus).Start(location)
	}
	if !until.After(from) {
		return from, until, fault.Invalidf("query.until", "the last day lies before the first")
	}
	return from, until, nil
}

func (v view) expiring(e *app.Expiring) api.Expiring {
	staff := v.live.State().Person(e.Staff)
	location := v.live.Location(e.Staff)
	at := time.Unix(e.At, 0).In(location)
	last, _ := day.LastOf(at)
	out := api.Expiring{
		Kind:      string(e.Kind),
		ID:        e.Record,
		Staff:     v.named(e.Staff),
		HomeSite:  v.placeRef(staff.HomeSite),
		Manager:   v.staffRef(staff.LineManager),
		What:      v.expiringWords(e),
		At:        at,
		Until:     last.String(),
		UntilWhen: day.UntilWords(at),
		Days:      int(last - day.Of(v.at.In(location))),
		Renewable: e.Kind != access.BarRunsOut && e.Kind != access.LockRunsOut && e.Kind != access.TokenRunsOut,
	}
	if e.Place != 0 {
		place := v.placeRef(e.Place)
		out.Place = &place
	}
	if e.LetGo != nil {
		out.LetGo = &api.LetGo{By: v.staffRef(people.StaffID(e.LetGo.By)), Reason: e.LetGo.Reason, At: e.LetGo.MadeAt}
	}
	return out
}

func (v view) expiringWords(e *app.Expiring) string {
	state := v.live.State()
	switch e.Kind {
	case access.AssignmentRunsOut:
		return "Assignment as " + state.Template(state.Assignment(org.AssignmentID(e.Record)).Template).Name
	case access.ExceptionRunsOut:
		x := state.Exception(org.ExceptionID(e.Record))
		sense := map[bool]string{true: "withheld", false: "added"}[x.Withheld]
		return "Exception: " + v.live.Catalogue().Permission(x.Permission).Title + ", " + sense
	case access.BadgeRunsOut:
		b := state.Badge(state.Credential(credential.ID(e.Record)).Badge)
		if b.Day {
			return "Day badge " + b.Number + " is due"
		}
		return "Badge " + b.Number
	case access.BarRunsOut:
		return "Bar: " + state.Bar(org.BarID(e.Record)).Reason
	case access.CertificateRunsOut:
		return state.Qualification(state.Certificate(org.CertificateID(e.Record)).Qualification).Name
	case access.TokenRunsOut:
		return "Sign-in of the client: " + e.Token
	case access.LockRunsOut:
		return "Lock: " + state.Person(e.Staff).Lock.Reason
	}
	return map[access.RunOutKind]string{access.LeavingRunsOut: "Leaves", access.ContractRunsOut: "Contract",
		access.PINRunsOut: "PIN", access.PasswordRunsOut: "Password for the console"}[e.Kind]
}

// registerFeeds registers the addresses at which a manager's calendar reads what runs out.
func (s *Server) registerFeeds() {
	route(s, "GET", "/me/feeds", "list-feeds", "expiring", "Your calendar addresses",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *Paging) (*listed[api.Feed], error) {
			feeds, err := s.app.Feeds(ctx, callerOf(ctx).id())
			if err != nil {
				return nil, err
			}
			all := []api.Feed{}
			for _, f := range feeds {
				all = append(all, api.Feed{ID: f.ID, Name: f.Name, CreatedAt: f.CreatedAt, LastUsed: f.LastUsed})
			}
			return pageOf(all, in)
		})
	type addIn struct{ Body api.FeedWrite }
	type made struct{ Body api.FeedMade }
	route(s, "POST", "/me/feeds", "add-feed", "expiring",
		"Make a secret address at which a calendar reads what runs out (iCalendar, RFC 5545); it is shown this once",
		Access{Permission: permit.ViewStaff}, func(ctx context.Context, in *addIn) (*made, error) {
			c := callerOf(ctx)
			token, err := s.app.AddFeed(ctx, c.id(), in.Body.Name, c.origin())
			return &made{api.FeedMade{Address: s.scheme() + "://" + c.host + "/calendar/" + token + ".ics"}}, err
		})
	route(s, "DELETE", "/me/feeds/{id}", "end-feed", "expiring",
		"End a calendar address: it leads nowhere from then on", Access{Permission: permit.ViewStaff},
		func(ctx context.Context, in *OneNumber) (*struct{}, error) {
			c := callerOf(ctx)
			return nil, s.app.EndFeed(ctx, c.id(), uint64(in.ID), c.origin())
		})
	s.router.Get("/calendar/{token}.ics", s.calendar)
}

// calendar serves what runs out to a calendar that knows the address.
func (s *Server) calendar(w http.ResponseWriter, r *http.Request) {
	token := chi.URLParam(r, "token")
	list, whose, known, err := s.app.FeedOf(r.Context(), token)
	if err != nil {
		s.config.Log.Error("a calendar could not be served", "error", err)
		writeProblem(w, problem(http.StatusServiceUnavailable, "unavailable",
			"The service cannot answer at the moment."))
		return
	}
	if !known {
		writeProblem(w, problem(http.StatusNotFound, "not-found", "This calendar address leads nowhere."))
		return
	}
	v := view{s.app.Live(), s.app.Now(), s.seesFor(whose)}
	cal := ics.NewCalendarFor("-//Loyal Latch//What runs out//EN")
	cal.SetName("What runs out")
	cal.SetXWRCalName("What runs out")
	for i := range list {
		e := v.expiring(&list[i])
		event := cal.AddEvent(fmt.Sprintf("%s-%d-%d@loyal-latch", e.Kind, e.ID, e.At.Unix()))
		event.SetDtStampTime(v.at.UTC())
		last, _ := day.LastOf(e.At)
		event.SetAllDayStartAt(last.Start(time.UTC))
		event.SetAllDayEndAt((last + 1).Start(time.UTC))
		event.SetSummary(e.Staff.Name + ": " + e.What)
		event.SetDescription(fmt.Sprintf("%s (%s), %s. It counts until %s.", e.Staff.Name, e.Staff.StaffNumber,
			e.HomeSite.Name, e.At.Format("2 Jan 2006 15:04")))
		if e.Place != nil {
			event.SetLocation(e.Place.Name)
		}
		event.SetTimeTransparency(ics.TransparencyTransparent)
	}
	w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
	w.Header().Set("Cache-Control", "private, no-store")
	_ = cal.SerializeTo(w, ics.WithNewLineWindows)
}
