package httpapi_test

import (
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// acting is a manager with one of each thing that acts for a person, and how each is asked whether it still does.
type acting struct {
	s     *testkit.Service
	works map[string]func() bool
}

// actsByItself returns a site manager for whom everything acts, at once.
func actsByItself(t *testing.T) *acting {
	s := testkit.Demo(t)
	idris, tamsin := s.Client(t, "idris"), s.Client(t, "tamsin")
	pinFor(t, s, "Q0003", "480216")
	_, err := idris.Write(ctx, "POST", "/badges", api.BadgeFields{Format: "wiegand26", Number: "118-7001", Site: "HB"})
	require.NoError(t, err)
	_, err = idris.Write(ctx, "POST", "/badges/118-7001/issue", api.BadgeIssueWrite{Staff: "Q0003"})
	require.NoError(t, err)
	var feed api.FeedMade
	require.NoError(t, tamsin.Do(ctx, "POST", "/me/feeds", api.FeedWrite{Name: "phone"}, &feed))
	byPIN, byBadge := registered(t, s, "HB-PACK"), registered(t, s, "HB-WASH")
	_, refused := byPIN.show(api.TerminalShow{PIN: "480216"})
	require.Empty(t, refused)
	_, refused = byBadge.show(api.TerminalShow{Badge: "118-7001"})
	require.Empty(t, refused)
	require.NoError(t, idris.Do(ctx, "POST", "/staff/Q0003/pin-link", nil, nil))
	_, pinMail := mailed(t, s, "tamsin@quillmere.example")
	pinLink := regexp.MustCompile(`/pin/([\w-]+)`).FindStringSubmatch(pinMail)[1]
	status, _ := newTablet(t, s).do("POST", "/password-link", api.Forgotten{Name: "Q0003"}, nil)
	require.Equal(t, http.StatusNoContent, status)
	require.Eventually(t, func() bool { return len(s.Mail.Caught("tamsin@quillmere.example")) == 2 }, 20*time.Second,
		50*time.Millisecond)
	_, passwordMail := mailed(t, s, "tamsin@quillmere.example")
	passwordLink := regexp.MustCompile(`/password/([\w-]+)`).FindStringSubmatch(passwordMail)[1]
	require.NoError(t, tamsin.Do(ctx, "POST", "/drafts/open/edits", api.DraftEdits{Operations: []api.Operation{{
		Op: "place.edit", On: "HB-PACK-1", Set: []byte(`{"name":"Hall door"}`)}}}, nil))
	_, err = tamsin.Write(ctx, "POST", "/drafts/open/plan", api.DraftPlan{Reason: "works", At: s.Clock.Now().Add(48 *
		time.Hour)})
	require.NoError(t, err)
	ok := func(status int, _ string) bool { return status < 300 }
	return &acting{s: s, works: map[string]func() bool{
		"client": func() bool { return tamsin.Get(ctx, "/me", nil) == nil },
		"feed": func() bool {
			response, err := http.Get(feed.Address)
			require.NoError(t, err)
			_ = response.Body.Close()
			return response.StatusCode == http.StatusOK
		},
		"visit by PIN":   func() bool { return ok(byPIN.do("GET", "/terminal/visit", nil, nil)) },
		"visit by badge": func() bool { return ok(byBadge.do("GET", "/terminal/visit", nil, nil)) },
		"pin_link": func() bool {
			return ok(newTablet(t, s).do("POST", "/pin-link/check", api.PINLinkUse{Token: pinLink,
				StaffNumber: "Q0003"}, nil))
		},
		"password_link": func() bool {
			return ok(newTablet(t, s).do("POST", "/password-link/check", api.PasswordLinkUse{Token: passwordLink,
				StaffNumber: "Q0003"}, nil))
		},
		"plan": func() bool {
			return slices.ContainsFunc(get[api.Page[api.Draft]](t, s.Client(t, "maren"), "/drafts", client.Query("all",
				"true"),
				client.Query("state", "planned")).Items,
				func(d api.Draft) bool { return d.Owner.StaffNumber == "Q0003" })
		},
	}}
}

// still names what still acts.
func (a *acting) still() (names []string) {
	for name, works := range a.works {
		if works() {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// What is derived from a credential ends with it, whatever ends it, and nothing else does.
func TestWhatActsForSomebodyEndsWithWhatItCameFrom(t *testing.T) {
	all := []string{"client", "feed", "password_link", "pin_link", "plan", "visit by PIN", "visit by badge"}
	for _, end := range []struct {
		name string
		do   func(t *testing.T, idris *client.Client) error
		ends []string
	}{
		{"nothing", func(*testing.T, *client.Client) error { return nil }, nil},
		{"the PIN withdrawn", func(_ *testing.T, idris *client.Client) error {
			_, err := idris.Write(ctx, "POST", "/changes", api.ChangeRequest{Reason: "seen",
				Operations: []api.Operation{{
					Op: "pin.withdraw", Set: []byte(`{"staff":"Q0003"}`)}}})
			return err
		}, []string{"visit by PIN", "pin_link"}},
		{"another PIN", func(_ *testing.T, idris *client.Client) error {
			_, err := idris.Write(ctx, "POST", "/credentials/pin",
				api.PINWrite{PINFields: api.PINFields{Staff: "Q0003"}})
			return err
		}, []string{"visit by PIN", "pin_link"}},
		{"the badge lost", func(_ *testing.T, idris *client.Client) error {
			_, err := idris.Write(ctx, "POST", "/badges/118-7001/lost", api.Reasoned{Reason: "on the bus"})
			return err
		}, []string{"visit by badge"}},
		{"the badge suspended", func(_ *testing.T, idris *client.Client) error {
			_, err := idris.Write(ctx, "POST", "/badges/118-7001/suspend", api.Reasoned{Reason: "at home"})
			return err
		}, []string{"visit by badge"}},
		{"a first password", func(_ *testing.T, idris *client.Client) error {
			_, err := idris.Write(ctx, "POST", "/changes", api.ChangeRequest{Reason: "forgot",
				Operations: []api.Operation{{
					Op: "password.issue", Set: []byte(`{"staff":"Q0003"}`)}}})
			return err
		}, []string{"client", "feed", "password_link"}},
		{"a lock", func(_ *testing.T, idris *client.Client) error {
			_, err := idris.Write(ctx, "POST", "/staff/Q0003/lock", api.LockWrite{Reasoned: api.Reasoned{Reason: "r"}})
			return err
		}, []string{"client", "feed", "visit by PIN", "visit by badge"}},
		{"all of it ended", func(t *testing.T, idris *client.Client) error {
			var list api.Page[api.Session]
			require.NoError(t, idris.Get(ctx, "/staff/Q0003/sessions", &list))
			kinds := map[string]int{}
			for _, one := range list.Items {
				kinds[one.Kind]++
				assert.NotContains(t, one.Name+one.Address, "480216")
			}
			assert.Equal(t, map[string]int{"client": 1, "feed": 1, "visit": 2, "pin_link": 1, "password_link": 1,
				"plan": 1}, kinds, "they are on one list")
			return idris.Do(ctx, "DELETE", "/staff/Q0003/sessions", nil, nil)
		}, all},
	} {
		t.Run(end.name, func(t *testing.T) {
			a := actsByItself(t)
			require.NoError(t, end.do(t, a.s.Client(t, "idris")))
			want := slices.DeleteFunc(slices.Clone(all), func(name string) bool {
				return slices.Contains(end.ends,
					name)
			})
			assert.Equal(t, want, append([]string{}, a.still()...))
		})
	}
}

// A thief at a terminal who got in with a PIN keeps nothing once it is withdrawn, not by choosing another in time.
func TestAVisitByAStolenPINChoosesNoOther(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	b := registered(t, s, "HB-PACK")
	_, refused := b.show(api.TerminalShow{PIN: "480216"})
	require.Empty(t, refused)
	_, err := s.Client(t, "idris").Write(ctx, "POST", "/changes", api.ChangeRequest{Reason: "seen",
		Operations: []api.Operation{{Op: "pin.withdraw", Set: []byte(`{"staff":"Q0011"}`)}}})
	require.NoError(t, err)
	_, refused = b.do("POST", "/terminal/visit/pin", api.VisitPIN{PIN: "592841"}, nil)
	assert.Contains(t, refused, "signed out")
	assert.Equal(t, "unknown_credential", at(t, s, api.DecisionRequest{PIN: "592841", Place: "HB-PACK-1"}).Reason)
	// Whoever chooses another by themselves stays
	pinFor(t, s, "Q0011", "480217")
	_, refused = b.show(api.TerminalShow{PIN: "480217"})
	require.Empty(t, refused)
	_, refused = b.do("POST", "/terminal/visit/pin", api.VisitPIN{PIN: "592841"}, nil)
	require.Empty(t, refused)
	status, _ := b.do("GET", "/terminal/visit", nil, nil)
	assert.Equal(t, http.StatusOK, status)
	assert.Equal(t, "granted", at(t, s, api.DecisionRequest{PIN: "592841", Place: "HB-PACK-1"}).Reason)
}

// A stranger who asks for links spoils none that was sent.
func TestAskingForALinkLeavesTheOneBefore(t *testing.T) {
	s := testkit.Demo(t)
	b := newTablet(t, s)
	ask := func(n int) string {
		status, _ := b.do("POST", "/password-link", api.Forgotten{Name: "tamsin@quillmere.example"}, nil)
		require.Equal(t, http.StatusNoContent, status)
		require.Eventually(t, func() bool { return len(s.Mail.Caught("tamsin@quillmere.example")) == n },
			20*time.Second,
			50*time.Millisecond)
		_, body := mailed(t, s, "tamsin@quillmere.example")
		return regexp.MustCompile(`/password/([\w-]+)`).FindStringSubmatch(body)[1]
	}
	first, second := ask(1), ask(2)
	use := func(token, password string) string {
		_, said := b.do("POST", "/password-link/use", api.PasswordLinkUse{Token: token, StaffNumber: "Q0003",
			Password: password}, nil)
		return said
	}
	assert.Empty(t, use(first, "nine green ladders lean"))
	assert.Contains(t, use(second, "ten green ladders lean over"), "does not work", "what it would replace is gone")
}

// The token that a tablet keeps is that of a terminal and of nothing else, and the other way round.
func TestATerminalsCookieIsNoDeviceToken(t *testing.T) {
	s := testkit.Demo(t)
	b := registered(t, s, "HB-PACK")
	cookie := strings.TrimPrefix(b.headers()[3], "latch_terminal=")
	require.True(t, strings.HasPrefix(cookie, "llk_"), "%v", b.headers())
	for _, path := range []string{"/api/v1/decisions", "/access/v1/evaluation"} {
		status, _, _, _ := call(t, s, "POST", path, `{"pin":"480216","place":"HB-PACK-1"}`, "Authorization",
			"Bearer "+cookie)
		assert.Equal(t, http.StatusUnauthorized, status, path)
	}
	status, _, _, _ := call(t, s, "GET", "/api/v1/terminal", "", "Cookie",
		"latch_terminal=lld_demo-hb-controller-token")
	assert.Equal(t, http.StatusUnauthorized, status)
	// Schemes have no case (RFC 9110)
	for _, scheme := range []string{"bearer ", "BEARER  "} {
		status, _, _, _ := call(t, s, "POST", "/api/v1/decisions", `{"pin":"480216","place":"HB-PACK-1"}`,
			"Authorization",
			scheme+"lld_demo-hb-controller-token")
		assert.Equal(t, http.StatusOK, status, scheme)
		status, _, _, _ = call(t, s, "GET", "/api/v1/me", "", "Authorization", scheme+s.Client(t, "idris").Token)
		assert.Equal(t, http.StatusOK, status, scheme)
	}
}
