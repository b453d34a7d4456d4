package httpapi_test

import (
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

func expiring(t *testing.T, c *client.Client, options ...client.Option) []api.Expiring {
	t.Helper()
	list, _, err := client.All[api.Expiring](ctx, c, "/expiring", 1000, options...)
	require.NoError(t, err)
	return list
}

// Everything that runs out is told with the first instant at which a decision says no, and stops then by itself.
func TestWhatRunsOutIsToldAndStopsByItself(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	_, err := idris.Write(ctx, "POST", "/badges/118-1067/issue", api.BadgeIssueWrite{Staff: "Q0011"})
	assert.Error(t, err)
	ends := s.App.Now().Add(26 * time.Hour).UTC().Truncate(time.Second)
	_, err = idris.Write(ctx, "POST", "/badges/118-1070/issue", api.BadgeIssueWrite{Staff: "Q0011",
		Until: ends.Format(time.RFC3339)})
	require.NoError(t, err)
	list := expiring(t, idris, client.Query("staff", "Q0011"))
	i := slices.IndexFunc(list, func(e api.Expiring) bool { return e.Kind == "badge" })
	require.GreaterOrEqual(t, i, 0, "%v", list)
	assert.True(t, list[i].At.Equal(ends))
	assert.Equal(t, "Badge 118-1070", list[i].What)
	gate := api.DecisionRequest{Badge: "118-1070", Place: "HB-GATE"}
	assert.Equal(t, "granted", at(t, s, gate).Reason)

	// Renewed for longer, it counts for longer; undone, it ends as it did.
	body := api.RenewWrite{Items: []api.ExpiringItem{{Kind: "badge", ID: list[i].ID}}, Until: testkit.InWeeks(2)}
	result, err := idris.Write(ctx, "POST", "/expiring/renew", body)
	require.NoError(t, err)
	s.Clock.Move(27 * time.Hour)
	assert.Equal(t, "granted", at(t, s, gate).Reason)
	s.Clock.Move(-27 * time.Hour)
	_, err = idris.Write(ctx, "POST", "/changes/"+fmt.Sprint(result.AuditID)+"/undo", api.Reasoned{Reason: "r"})
	require.NoError(t, err)
	s.Clock.Move(27 * time.Hour)
	refused := at(t, s, gate)
	assert.Equal(t, "credential_not_valid", refused.Reason, "without any job having to run")
	assert.Equal(t, "This badge has run out.", refused.Sentence)
}

func TestManyAreRenewedAsOneChangeAndLetGoWithAReason(t *testing.T) {
	s := testkit.Demo(t)
	idris, tamsin := s.Client(t, "idris"), s.Client(t, "tamsin")
	all := expiring(t, idris, client.Query("until", testkit.InWeeks(6)))
	require.Greater(t, len(all), 20)
	assert.True(t, slices.IsSortedFunc(all, func(a, b api.Expiring) int { return a.At.Compare(b.At) }))
	contracts := slices.DeleteFunc(slices.Clone(all), func(e api.Expiring) bool {
		return e.Kind != "contract" || e.HomeSite.Code != "HB"
	})
	require.Greater(t, len(contracts), 3)
	var items []api.ExpiringItem
	for _, e := range contracts[:3] {
		items = append(items, api.ExpiringItem{Kind: e.Kind, ID: e.ID})
	}
	result, err := tamsin.Write(
		ctx,
		"POST",
		"/expiring/renew",
		api.RenewWrite{Items: items, Until: testkit.InWeeks(20)},
	)
	require.NoError(t, err)
	assert.Equal(t, 3, result.Total)
	for _, e := range expiring(t, tamsin, client.Query("until", testkit.InWeeks(6))) {
		assert.False(t, e.Kind == "contract" && e.ID == items[0].ID, "it runs out later now")
	}
	one := []api.ExpiringItem{{Kind: "contract", ID: contracts[3].ID}}
	assert.ErrorContains(t, tamsin.Do(ctx, "POST", "/expiring/let-go", api.LetGoWrite{Items: one, Reason: " "}, nil),
		"Say why it may run out")
	require.NoError(
		t,
		tamsin.Do(ctx, "POST", "/expiring/let-go", api.LetGoWrite{Items: one, Reason: "back to school"}, nil),
	)
	within := client.Query("until", testkit.InWeeks(6))
	is := func(e api.Expiring) bool { return e.Kind == "contract" && e.ID == contracts[3].ID }
	assert.False(t, slices.ContainsFunc(expiring(t, tamsin, within), is), "it waits on no list")
	let := expiring(t, tamsin, within, client.Query("let_go", "true"))
	require.Len(t, let, 1)
	assert.Equal(t, "back to school", let[0].LetGo.Reason)
	assert.Equal(t, "Tamsin Ostrow", let[0].LetGo.By.Name)
}

// Whoever may not see somebody is told nothing of what runs out for them, and renews nothing of theirs.
func TestWhatRunsOutElsewhereIsNotTold(t *testing.T) {
	s := testkit.Demo(t)
	idris, tamsin, joss := s.Client(t, "idris"), s.Client(t, "tamsin"), s.Client(t, "joss")
	var elsewhere *api.Expiring
	for _, e := range expiring(t, idris, client.Query("until", testkit.InWeeks(30))) {
		if e.HomeSite.Code == "UQ" && e.Kind == "contract" {
			elsewhere = &e
		}
	}
	require.NotNil(t, elsewhere)
	for _, e := range expiring(t, tamsin, client.Query("until", testkit.InWeeks(30))) {
		assert.NotEqual(t, "UQ", e.HomeSite.Code)
	}
	item := []api.ExpiringItem{{Kind: elsewhere.Kind, ID: elsewhere.ID}}
	_, err := tamsin.Write(ctx, "POST", "/expiring/renew", api.RenewWrite{Items: item, Until: testkit.InWeeks(40)})
	assert.ErrorContains(t, err, "that you may see")
	assert.ErrorContains(t, tamsin.Do(ctx, "POST", "/expiring/let-go", api.LetGoWrite{Items: item, Reason: "r"}, nil),
		"that you may see")
	mine := expiring(t, joss, client.Query("until", testkit.InWeeks(30)), client.Query("kind", "contract"))
	require.NotEmpty(t, mine, "a supervisor sees")
	item[0].ID = mine[0].ID
	_, err = joss.Write(ctx, "POST", "/expiring/renew", api.RenewWrite{Items: item, Until: testkit.InWeeks(40)})
	assert.ErrorContains(t, err, "which you do not hold", "and renews nothing")
	assert.ErrorContains(t, joss.Do(ctx, "POST", "/expiring/let-go", api.LetGoWrite{Items: item, Reason: "r"}, nil),
		"ask somebody who does")
}

func TestACalendarReadsWhatRunsOutUntilItsAddressEnds(t *testing.T) {
	s := testkit.Demo(t)
	tamsin, idris := s.Client(t, "tamsin"), s.Client(t, "idris")
	var made api.FeedMade
	require.NoError(t, tamsin.Do(ctx, "POST", "/me/feeds", api.FeedWrite{Name: "Phone"}, &made))
	read := func() (int, string) {
		response, err := http.Get(made.Address)
		require.NoError(t, err)
		defer func() { _ = response.Body.Close() }()
		text, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		return response.StatusCode, string(text)
	}
	status, text := read()
	require.Equal(t, 200, status)
	calendar, err := ics.ParseCalendar(strings.NewReader(text))
	require.NoError(t, err)
	want := expiring(t, tamsin, client.Query("until", s.App.Now().AddDate(0, 0, 170).Format(time.DateOnly)))
	assert.GreaterOrEqual(t, len(calendar.Events()), len(want))
	first := calendar.Events()[0]
	assert.Equal(t, want[0].Staff.Name+": "+want[0].What, first.GetProperty(ics.ComponentPropertySummary).Value)
	assert.Equal(t, strings.ReplaceAll(want[0].Until, "-", ""), first.GetProperty(ics.ComponentPropertyDtStart).Value)
	for _, line := range strings.Split(strings.TrimSuffix(text, "\r\n"), "\r\n") {
		assert.LessOrEqual(t, len(line), 75, "lines are folded as RFC 5545 says")
	}
	wrong, err := http.Get(s.URL + "/calendar/nobody.ics")
	require.NoError(t, err)
	assert.Equal(t, http.StatusNotFound, wrong.StatusCode)
	_ = wrong.Body.Close()

	_, err = idris.Write(ctx, "POST", "/staff/Q0003/lock", api.LockWrite{Reasoned: api.Reasoned{Reason: "r"}})
	require.NoError(t, err)
	status, _ = read()
	assert.Equal(t, http.StatusNotFound, status, "a locked manager's calendar reads nothing")
	_, err = idris.Write(ctx, "POST", "/staff/Q0003/unlock", api.Reasoned{Reason: "r"})
	require.NoError(t, err)
	assert.Equal(t, http.StatusUnauthorized, statusOf(tamsin.Get(ctx, "/me", nil)), "a lock has ended the sessions")
	tamsin = s.Client(t, "tamsin")
	var feeds api.Page[api.Feed]
	require.NoError(t, tamsin.Get(ctx, "/me/feeds", &feeds))
	require.Empty(t, feeds.Items, "and the addresses with them")
	require.NoError(t, tamsin.Do(ctx, "POST", "/me/feeds", api.FeedWrite{Name: "Phone"}, &made))
	status, _ = read()
	require.Equal(t, 200, status)
	require.NoError(t, tamsin.Get(ctx, "/me/feeds", &feeds))
	require.Len(t, feeds.Items, 1)
	assert.NotNil(t, feeds.Items[0].LastUsed)
	assert.Error(t, idris.Do(ctx, "DELETE", "/me/feeds/"+fmt.Sprint(feeds.Items[0].ID), nil, nil), "it is Tamsin's")
	require.NoError(t, tamsin.Do(ctx, "DELETE", "/me/feeds/"+fmt.Sprint(feeds.Items[0].ID), nil, nil))
	status, _ = read()
	assert.Equal(t, http.StatusNotFound, status)
	token := strings.TrimSuffix(made.Address[strings.LastIndex(made.Address, "/")+1:], ".ics")
	for name, rows := range tables(t, s.DSN) {
		assert.NotContains(t, rows, token, "the address is in no table: %s", name)
	}
}

// The sign-ins of clients run out too. Whoever stands over somebody is told of theirs; nobody else is.
func TestTokensAreAmongWhatRunsOut(t *testing.T) {
	s := testkit.Demo(t)
	idris, maren, tamsin := s.Client(t, "idris"), s.Client(t, "maren"), s.Client(t, "tamsin")
	far := client.Query("until", testkit.InDays(100))
	byHolder := func(c *client.Client) map[string][]api.Expiring {
		all := map[string][]api.Expiring{}
		for _, e := range expiring(t, c, far, client.Query("kind", "token")) {
			all[e.Staff.StaffNumber] = append(all[e.Staff.StaffNumber], e)
		}
		return all
	}
	whole, own := byHolder(maren), byHolder(tamsin)
	assert.Len(t, own, 1, "her own alone")
	require.GreaterOrEqual(t, len(whole), 3, "an owner stands over all of them")
	for number, theirs := range byHolder(idris) {
		assert.NotEqual(t, "Q0001", number, "an owner's sign-ins are no manager's to know of")
		for _, e := range theirs {
			assert.Contains(t, e.What, "Sign-in of the client")
			assert.False(t, e.Renewable)
			assert.True(t, e.At.After(s.App.Now()))
		}
	}
	assert.Empty(t, expiring(t, maren, client.Query("until", testkit.InDays(60)), client.Query("kind", "token")),
		"they last for ninety days")

	var hers api.Expiring
	for _, theirs := range own {
		hers = theirs[0]
	}
	item := []api.ExpiringItem{{Kind: "token", ID: hers.ID}}
	_, err := tamsin.Write(ctx, "POST", "/expiring/renew", api.RenewWrite{Items: item, Until: testkit.InDays(200)})
	assert.ErrorContains(t, err, "make another")
	for _, e := range whole["Q0001"] {
		err = tamsin.Do(ctx, "POST", "/expiring/let-go", api.LetGoWrite{Reason: "r",
			Items: []api.ExpiringItem{{Kind: "token", ID: e.ID}}}, nil)
		assert.ErrorContains(t, err, "is no token")
	}
	require.NoError(t, maren.Do(ctx, "POST", "/expiring/let-go", api.LetGoWrite{Items: item, Reason: "a trial"}, nil))
	assert.Empty(t, byHolder(tamsin), "let go, it waits no more")
	assert.NotEmpty(t, expiring(t, tamsin, far, client.Query("kind", "token"), client.Query("let_go", "true")))
}

// The list of staff says in what each is qualified today, of those whom the reader sees whole.
func TestTheStaffFileSaysWhoIsQualifiedInWhat(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	staff, _, err := client.All[api.Staff](ctx, maren, "/staff", 1000)
	require.NoError(t, err)
	held := map[string][]string{}
	for _, p := range staff {
		held[p.StaffNumber] = p.Qualified
	}
	certificates, _, err := client.All[api.Certificate](ctx, maren, "/certificates", 1000)
	require.NoError(t, err)
	require.NotEmpty(t, certificates)
	counting := map[string]bool{}
	for _, c := range certificates {
		if _, listed := held[c.Staff.StaffNumber]; listed && c.State == "counts" {
			counting[c.Staff.StaffNumber+c.Qualification.Code] = true
		}
	}
	for number, codes := range held {
		assert.True(t, slices.IsSorted(codes))
		for _, code := range codes {
			assert.True(t, counting[number+code], "%s %s", number, code)
			delete(counting, number+code)
		}
	}
	assert.Empty(t, counting, "each certificate that counts is told of")
	var raw []byte
	require.NoError(t, maren.Get(ctx, "/staff", &raw, client.Header("Accept", "text/csv")))
	head, _, _ := strings.Cut(string(raw), "\n")
	assert.Contains(t, strings.Split(head, ","), "qualifications")
	// Somebody of another site who works here too is shown narrowly, and without them.
	tamsin := s.Client(t, "tamsin")
	i := slices.IndexFunc(certificates, func(c api.Certificate) bool {
		err := tamsin.Get(ctx, "/staff/"+c.Staff.StaffNumber, &api.Staff{})
		return c.State == "counts" && err != nil
	})
	require.GreaterOrEqual(t, i, 0)
	number := certificates[i].Staff.StaffNumber
	_, err = maren.Write(ctx, "POST", "/assignments", map[string]string{"staff": number, "template": "packer",
		"place": "HB-PACK"})
	require.NoError(t, err)
	staff, _, err = client.All[api.Staff](ctx, tamsin, "/staff", 1000)
	require.NoError(t, err)
	i = slices.IndexFunc(staff, func(p api.Staff) bool { return p.StaffNumber == number })
	require.GreaterOrEqual(t, i, 0)
	assert.True(t, staff[i].Narrow)
	assert.Empty(t, staff[i].Qualified)
}
