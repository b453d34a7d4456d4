package httpapi_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// at asks a door of the demo, which the Harrow Bend controller serves.
func at(t *testing.T, s *testkit.Service, ask api.DecisionRequest) api.Decision {
	t.Helper()
	var d api.Decision
	require.NoError(t, s.Door().Do(ctx, "POST", "/decisions", ask, &d))
	return d
}

// The week in the life of a badge: issued, left at home while a day badge is lent, lost, replaced, shown at a door
// after that, and returned.
func TestTheWeekInTheLifeOfABadge(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	do := func(path string, body any) *api.ChangeResult {
		t.Helper()
		result, err := idris.Write(ctx, "POST", path, body)
		require.NoError(t, err, path)
		return result
	}
	cold := func(badge string) string {
		return at(t, s, api.DecisionRequest{Badge: badge, Place: "HB-COLD-1"}).Reason
	}
	do("/badges", api.BadgeFields{Format: "wiegand26", Number: "118-5000", Last: "118-5001", Site: "HB"})
	do(
		"/badges",
		api.BadgeFields{Format: "uid7", Number: "04:A2:3B:C9:1D:5E:80", Site: "HB", Label: "Day badge 9", Day: true},
	)
	assert.Equal(t, "unknown_credential", cold("118-5000"), "in stock")
	issued := do("/badges/118-5000/issue", api.BadgeIssueWrite{Staff: "Q0117"})
	assert.Equal(t, 1, issued.Effect.Gaining)
	assert.Equal(t, "granted", cold("118-5000"))
	assert.Equal(t, "granted", cold(bits(t, "118-5000")), "as the reader sends it")

	do("/badges/118-5000/suspend", api.Reasoned{Reason: "left at home"})
	do("/badges/04A23BC91D5E80/issue", api.BadgeIssueWrite{Staff: "Q0117"})
	assert.Equal(t, "credential_not_valid", cold("118-5000"))
	assert.Equal(t, "granted", cold("04A23BC91D5E80"))
	assert.Equal(t, "granted", cold("805E1DC93BA204"), "by a reader that sends the bytes in the other order")
	s.Clock.Move(30 * time.Hour)
	assert.Equal(t, "credential_not_valid", cold("04A23BC91D5E80"), "a day badge ends with the shift, by itself")
	var badge api.Badge
	require.NoError(t, idris.Get(ctx, "/badges/04A23BC91D5E80", &badge))
	assert.Equal(t, "overdue", badge.State)
	do("/badges/04A23BC91D5E80/return", api.Reasoned{})
	do("/badges/118-5000/resume", api.Reasoned{Reason: "brought in"})
	assert.Equal(t, "granted", cold("118-5000"))

	do("/badges/118-5000/replace", api.BadgeReplaceWrite{With: "118-5001", Old: "lost"})
	assert.Equal(t, "credential_not_valid", cold("118-5000"))
	refused := at(t, s, api.DecisionRequest{Badge: "118-5000", Place: "HB-COLD-1"})
	assert.Equal(t, "This badge is reported lost.", refused.Sentence)
	assert.Nil(t, refused.Staff, "whoever found it is not told whose it is")
	assert.Equal(t, "granted", cold("118-5001"))
	do("/badges/118-5000/found", api.BadgeFoundWrite{})
	do("/badges/118-5001/return", api.Reasoned{})
	assert.Equal(t, "unknown_credential", cold("118-5001"))
	issues, total, err := client.All[api.BadgeIssue](ctx, idris, "/badges/118-5000/issues", 50)
	require.NoError(t, err)
	require.Equal(t, 1, total)
	assert.Equal(t, "withdrawn", issues[0].State)
	var events api.Page[api.Event]
	require.Eventually(t, func() bool {
		require.NoError(t, idris.Get(ctx, "/events", &events, client.Query("reason", "credential_not_valid"),
			client.Query("staff", "Q0117")))
		return events.Total >= 4
	}, 5*time.Second, 50*time.Millisecond, "each is on record, with whose badge it was")
}

// bits are what a 26-bit reader sends, worked out by the decoder that reads them.
func bits(t *testing.T, number string) string {
	t.Helper()
	var facility, own int
	_, err := fmt.Sscanf(number, "%d-%d", &facility, &own)
	require.NoError(t, err)
	word := fmt.Sprintf("%08b%016b", facility, own)
	ones := func(text string) int { return strings.Count(text, "1") }
	return fmt.Sprint(ones(word[:12])%2) + word + fmt.Sprint(1-ones(word[12:])%2)
}

func TestWhoHadABadgeOnADay(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	on := func(days int) string {
		var list api.Page[api.Badge]
		require.NoError(t, idris.Get(ctx, "/badges", &list, client.Query("q", "118-1048"),
			client.Query("at", s.App.Now().AddDate(0, 0, days).Format(time.RFC3339))))
		require.Equal(t, 1, list.Total)
		if list.Items[0].Holder == nil {
			return list.Items[0].State
		}
		return list.Items[0].State + " " + list.Items[0].Holder.Staff.Name
	}
	assert.Equal(t, "issued Niko Thorne", on(-10))
	assert.Equal(t, "stock", on(0))
	var found api.Page[api.Badge]
	require.NoError(t, idris.Get(ctx, "/badges", &found, client.Query("q", "118-112 day"), client.Query("limit", "50")))
	for _, b := range found.Items {
		assert.Contains(t, b.Number, "118-112", "a number is one word")
	}
	assert.Equal(t, 3, found.Total)
	var left api.Page[api.Badge]
	require.NoError(t, idris.Get(ctx, "/badges", &left, client.Query("left", "true")))
	assert.Equal(t, 4, left.Total, "badges still out with people who have left")
	for _, b := range left.Items {
		assert.Equal(t, "left", b.Holder.Status)
	}
}

// A badge with a wrong PIN, or with somebody else's, is refused in one and the same way; the manager sees which it was.
func TestABadgeWithAWrongPINTellsTheKeypadNothing(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	pinFor(t, s, "Q0113", "480216")
	pinFor(t, s, "Q0114", "480217")
	badgeOf := func(number string) string {
		var list api.Page[api.Badge]
		require.NoError(t, idris.Get(ctx, "/badges", &list, client.Query("staff", number)))
		return list.Items[0].Number
	}
	fitter := badgeOf("Q0113")
	chemical := func(badge, pin string) api.Decision {
		d := at(t, s, api.DecisionRequest{Badge: badge, PIN: pin, Place: "HB-CHEM-1"})
		d.At = time.Time{}
		return d
	}
	assert.Equal(t, "granted", chemical(fitter, "480216").Reason)
	wrong, others := chemical(fitter, "919190"), chemical(fitter, "480217")
	assert.Equal(t, wrong, others, "somebody else's right PIN answers as a wrong one does")
	assert.Equal(t, "unknown_credential", wrong.Reason)
	assert.Equal(t, wrong, chemical("118-9999", "480216"), "and so does a right PIN with a badge that nobody has")
	assert.Equal(t, chemical("", "480216"), chemical("", "919191"), "and at a door that asks for more, any PIN")
	reasons := func() (list []string) {
		var events api.Page[api.Event]
		require.NoError(
			t,
			idris.Get(ctx, "/events", &events, client.Query("staff", "Q0113"), client.Query("limit", "5")),
		)
		for _, e := range events.Items {
			list = append(list, e.Reason)
		}
		return list
	}
	want := []string{"proof_not_sufficient", "unknown_credential", "credentials_of_two_people", "wrong_pin", "granted"}
	require.Eventually(t, func() bool { return slices.Equal(want, reasons()) }, 5*time.Second, 50*time.Millisecond,
		"the manager sees what it was")
}

// Whoever knows the number of a badge pauses it where they type wrong PINs, and shuts nobody out.
func TestAfterTooManyWrongPINsABadgeIsPausedThere(t *testing.T) {
	s := testkit.Demo(t)
	second := s.Second(t)
	idris := s.Client(t, "idris")
	pinFor(t, s, "Q0113", "480216")
	var list api.Page[api.Badge]
	require.NoError(t, idris.Get(ctx, "/badges", &list, client.Query("staff", "Q0113")))
	badge := list.Items[0].Number
	// Forty tries at two instances at once: never one more than the limit is looked at.
	var group sync.WaitGroup
	var mu sync.Mutex
	told := map[string]int{}
	for i := range 40 {
		group.Go(func() {
			instance := []*testkit.Service{s, second}[i%2]
			var d api.Decision
			err := instance.Door().Do(ctx, "POST", "/decisions", api.DecisionRequest{Badge: badge,
				PIN: fmt.Sprint(919100 + i), Place: "HB-CHEM-1"}, &d)
			mu.Lock()
			defer mu.Unlock()
			if assert.NoError(t, err) {
				told[d.Reason]++
			}
		})
	}
	group.Wait()
	assert.Equal(t, map[string]int{"unknown_credential": 5, "too_many_tries": 35}, told)
	// The door: this badge opens nothing there, with the right PIN or alone; the PIN alone, and others, do
	right := api.DecisionRequest{Badge: badge, PIN: "480216", Place: "HB-CHEM-1"}
	assert.Equal(t, "too_many_tries", at(t, s, right).Reason)
	assert.Equal(t, "too_many_tries", at(t, s, api.DecisionRequest{Badge: badge, Place: "HB-COLD-1"}).Reason)
	assert.Equal(t, "granted", at(t, s, api.DecisionRequest{Badge: "118-1067", Place: "HB-COLD-1"}).Reason)
	// The person is not locked, and the manager sees it, on Today, on the person's page, by mail and in the log
	var who api.Staff
	require.NoError(t, idris.Get(ctx, "/staff/Q0113", &who))
	assert.Nil(t, who.Lock)
	require.Len(t, who.Paused, 1)
	assert.Equal(t, "HB", who.Paused[0].Place.Code)
	var today api.Today
	require.NoError(t, idris.Get(ctx, "/today", &today))
	require.Len(t, today.Paused, 1)
	assert.Equal(t, "Q0113", today.Paused[0].Staff.StaffNumber)
	var log api.Page[api.AuditEntry]
	require.NoError(t, idris.Get(ctx, "/audit", &log, client.Query("staff", "Q0113"), client.Query("limit", "1")))
	assert.Contains(t, log.Items[0].Summary, "Paused the badge of Q0113")
	// Nobody else's manager ends it; hers does
	assert.Error(t, s.Client(t, "leif").Do(ctx, "DELETE", "/staff/Q0113/tries", nil, nil))
	require.NoError(t, idris.Do(ctx, "DELETE", "/staff/Q0113/tries", nil, nil))
	assert.Equal(t, "granted", at(t, s, right).Reason, "one act ends it")
}

// A badge that some reader takes for another's takes nothing from its holder: it is not added.
func TestABadgeThatReadsAsAnotherIsRefused(t *testing.T) {
	s := testkit.Demo(t)
	idris, leif := s.Client(t, "idris"), s.Client(t, "leif")
	_, err := idris.Write(ctx, "POST", "/badges", api.BadgeFields{Format: "uid4", Number: "04A23BC9", Site: "HB"})
	require.NoError(t, err)
	_, err = idris.Write(ctx, "POST", "/badges/04A23BC9/issue", api.BadgeIssueWrite{Staff: "Q0117"})
	require.NoError(t, err)
	opens := func(badge string) string {
		return at(t, s, api.DecisionRequest{Badge: badge, Place: "HB-COLD-1"}).Reason
	}
	before := []string{opens("04A23BC9"), opens("118-1067")}
	for _, other := range []api.BadgeFields{{Format: "uid4", Number: "C93BA204"}, {Format: "pair", Number: "118-1067"},
		{Format: "wiegand34", Number: "118-1067"}, {Format: "wiegand37-plain", Number: "11801067"},
		{Format: "wiegand34", Number: "118-1000", Last: "118-1100"}} {
		other.Site = "SM"
		_, err := leif.Write(ctx, "POST", "/badges", other)
		assert.ErrorContains(t, err, "reads as", "%v", other)
		assert.NotContains(t, err.Error(), "Q0117")
	}
	assert.Equal(t, before, []string{opens("04A23BC9"), opens("118-1067")}, "and both go on opening")
}

// A stranger with the number of a manager's badge, at a keypad, does not keep the manager from signing in.
func TestWrongPINsWithAManagersBadgeKeepNobodyFromSigningIn(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	_, err := idris.Write(ctx, "POST", "/badges", api.BadgeFields{Format: "wiegand26", Number: "118-7001", Site: "HB"})
	require.NoError(t, err)
	_, err = idris.Write(ctx, "POST", "/badges/118-7001/issue", api.BadgeIssueWrite{Staff: "Q0003"})
	require.NoError(t, err)
	for i := range 30 {
		at(t, s, api.DecisionRequest{Badge: "118-7001", PIN: fmt.Sprint(919100 + i), Place: "HB-CHEM-1"})
	}
	assert.Equal(t, "too_many_tries", at(t, s, api.DecisionRequest{Badge: "118-7001", Place: "HB-CHEM-1"}).Reason)
	_, err = s.App.SignIn(ctx, app.SignIn{Name: "tamsin@quillmere.example", Password: testkit.Passwords["tamsin"],
		Kind: "client", Address: "203.0.113.9"})
	assert.NoError(t, err)
}

// At a reader where nobody is named, the reader waits, and one act lets it go on.
func TestAReaderThatWaitsIsToldAndCleared(t *testing.T) {
	s := testkit.Demo(t)
	joss := s.Client(t, "joss")
	pinFor(t, s, "Q0011", "480216")
	for i := range 5 {
		at(t, s, api.DecisionRequest{PIN: fmt.Sprint(919190 + i), Place: "HB-PACK-1"})
	}
	right := api.DecisionRequest{PIN: "480216", Place: "HB-PACK-1"}
	assert.Equal(t, "too_many_tries", at(t, s, right).Reason)
	var today api.Today
	require.NoError(t, joss.Get(ctx, "/today", &today))
	require.Len(t, today.Paused, 1)
	assert.Equal(t, "HB-PACK-1", today.Paused[0].Place.Code)
	assert.Nil(t, today.Paused[0].Staff)
	assert.ErrorContains(
		t,
		s.Client(t, "tamsin").Do(ctx, "DELETE", "/places/SM-GATE/tries", nil, nil),
		"which you do not hold",
	)
	require.NoError(t, joss.Do(ctx, "DELETE", "/places/HB-PACK-1/tries", nil, nil))
	assert.Equal(t, "granted", at(t, s, right).Reason)
}

func TestAPINForDuressOpensAndRaisesASilentAlarm(t *testing.T) {
	s := testkit.Demo(t)
	maren, idris := s.Client(t, "maren"), s.Client(t, "idris")
	duress := api.PINWrite{PINFields: api.PINFields{Staff: "Q0011", PIN: "735190", Duress: true}}
	_, err := idris.Write(ctx, "POST", "/credentials/pin", duress)
	assert.ErrorContains(t, err, "an owner turns them on")
	on := true
	_, err = maren.Write(ctx, "PATCH", "/organisation", api.OrganisationWrite{
		OrganisationFields: api.OrganisationFields{DuressPINs: &on}})
	require.NoError(t, err)
	pinFor(t, s, "Q0011", "480216")
	_, err = idris.Write(ctx, "POST", "/credentials/pin", duress)
	require.NoError(t, err)
	ordinary := at(t, s, api.DecisionRequest{PIN: "480216", Place: "HB-PACK-1"})
	alarmed := at(t, s, api.DecisionRequest{PIN: "735190", Place: "HB-PACK-1"})
	ordinary.At, alarmed.At = time.Time{}, time.Time{}
	assert.Equal(t, "granted", ordinary.Reason)
	assert.Equal(t, ordinary, alarmed, "nobody at the door is told")
	var events api.Page[api.Event]
	require.Eventually(t, func() bool {
		require.NoError(t, idris.Get(ctx, "/events", &events, client.Query("reason", "under_duress")))
		return events.Total == 1
	}, 5*time.Second, 50*time.Millisecond)
	assert.Equal(t, "allow", events.Items[0].Outcome)
	assert.Equal(t, "Q0011", events.Items[0].Staff.StaffNumber)
}

func TestPINsArePrintedOnceAndNowhereElse(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	print := func(key, body string) (int, []byte, string) {
		request, err := http.NewRequest("POST", s.URL+"/api/v1/credentials/slips", strings.NewReader(body))
		require.NoError(t, err)
		request.Header.Set("Authorization", "Bearer "+idris.Token)
		request.Header.Set("Content-Type", "application/json")
		request.Header.Set("Idempotency-Key", key)
		status, answer := answered(t, request)
		return status, []byte(answer), answer
	}
	status, pdf, _ := print("one", `{"staff":["Q0011","Q0012"],"must_change":true}`)
	assert.Equal(t, 200, status)
	assert.True(t, bytes.HasPrefix(pdf, []byte("%PDF-")))
	assert.Equal(t, 2, bytes.Count(pdf, []byte("/Type /Page\n")))
	revision := s.App.Live().State().Revision
	status, again, _ := print("one", `{"staff":["Q0011","Q0012"],"must_change":true}`)
	assert.Equal(t, 200, status)
	assert.Equal(t, drawn(pdf), drawn(again), "to whoever may have lost them")
	assert.Equal(t, revision, s.App.Live().State().Revision, "and no PIN is issued twice")
	s.Clock.Move(61 * time.Minute)
	status, _, text := print("one", `{"staff":["Q0011","Q0012"],"must_change":true}`)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, text, "kept for an hour")
	for body, want := range map[string]int{`{"staff":[]}`: 422, `{"staff":["Q9999"]}`: 404, `{"staff":["Q0002"]}`: 403,
		`{"staff":["Q0011"],"colour":"red"}`: 422} {
		status, _, text := print("other"+body, body)
		assert.Equal(t, want, status, body)
		var p api.Problem
		require.NoError(t, json.Unmarshal([]byte(text), &p))
		assert.NotEmpty(t, p.Detail)
	}
}

func TestBadgesArePrintedForWhoIssuesThem(t *testing.T) {
	s := testkit.Demo(t)
	var pdf []byte
	require.NoError(t, s.Client(t, "tamsin").Get(ctx, "/badges/print", &pdf, client.Query("state", "issued"),
		client.Query("code", "qr")))
	assert.True(t, bytes.HasPrefix(pdf, []byte("%PDF-")))
	err := s.Client(t, "tamsin").Get(ctx, "/badges/print", nil, client.Query("site", "SM"))
	assert.ErrorContains(t, err, "No badge fits")
	assert.Error(t, s.Client(t, "joss").Get(ctx, "/badges/print", nil, client.Query("site", "HB")),
		"a supervisor issues none")
}

// pinFor gives somebody a PIN that the test knows.
func pinFor(t *testing.T, s *testkit.Service, number, pin string) {
	t.Helper()
	_, err := s.Client(t, "idris").Write(ctx, "POST", "/credentials/pin",
		api.PINWrite{PINFields: api.PINFields{Staff: number, PIN: pin}})
	require.NoError(t, err)
}

// A name in whatever script prints, and the PINs that were printed are the ones that count.
func TestSlipsArePrintedForEveryName(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	_, err := idris.Write(ctx, "PATCH", "/staff/Q0012", json.RawMessage(`{"given_name":"さくら","family_name":"𠮷野"}`))
	require.NoError(t, err)
	status, _, answer, header := call(t, s, "POST", "/api/v1/credentials/slips", `{"staff":["Q0011","Q0012"]}`,
		bearer(idris)...)
	require.Equal(t, http.StatusOK, status, string(answer))
	assert.Equal(t, "application/pdf", header.Get("Content-Type"))
	assert.True(t, bytes.HasPrefix(answer, []byte("%PDF-")))
	status, _, answer, _ = call(t, s, "GET", "/api/v1/staff?limit=500", "", append(bearer(idris), "Accept",
		"application/pdf")...)
	assert.Equal(t, http.StatusOK, status)
	assert.True(t, bytes.HasPrefix(answer, []byte("%PDF-")), "and so do lists")
}
