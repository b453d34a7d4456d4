package httpapi_test

import (
	"net/http"
	"regexp"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

func TestWhoSignsInIsListedAndSignedOut(t *testing.T) {
	s := testkit.Demo(t)
	idris, tamsin := s.Client(t, "idris"), s.Client(t, "tamsin")
	list := get[api.Page[api.SignInAccount]](t, idris, "/sign-ins", client.Query("q", "tamsin"))
	require.Len(t, list.Items, 1)
	who := list.Items[0]
	assert.Equal(t, "signs_in", who.State)
	assert.NotNil(t, who.Last)
	assert.Equal(t, 1, who.Sessions)
	for _, a := range get[api.Page[api.SignInAccount]](t, tamsin, "/sign-ins", client.Query("limit", "500")).Items {
		assert.Equal(t, "HB", a.HomeSite.Code, "of their own site alone")
	}
	var settled api.Settled
	require.NoError(t, idris.Do(ctx, "POST", "/sign-ins/end", api.StaffChosen{Staff: []string{who.Staff.StaffNumber,
		"Q0001"}},
		&settled))
	assert.Equal(t, []string{who.Staff.StaffNumber}, settled.Done)
	require.Len(t, settled.Refused, 1, "an owner is not theirs to sign out")
	assert.Error(t, tamsin.Get(ctx, "/me", nil))
	s.Clock.Move(40 * 24 * time.Hour)
	maren := s.Client(t, "maren")
	unused := get[api.Page[api.SignInAccount]](t, maren, "/sign-ins", client.Query("unused_days", "30"))
	assert.NotEmpty(t, unused.Items)
	for _, a := range unused.Items {
		assert.GreaterOrEqual(t, *a.UnusedDays, 30)
		assert.NotEqual(t, "Maren Quill", a.Staff.Name)
	}
}

func TestACredentialSaysWhenItWasLastUsed(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	_, err := idris.Write(ctx, "POST", "/credentials/pin", api.PINWrite{PINFields: api.PINFields{Staff: "Q0011",
		PIN: "480216"}})
	require.NoError(t, err)
	read := func() api.Credential {
		list := get[api.Page[api.Credential]](t, idris, "/credentials", client.Query("staff", "Q0011"),
			client.Query("kind", "pin"))
		return list.Items[len(list.Items)-1]
	}
	assert.Nil(t, read().LastUsed)
	var d api.Decision
	require.NoError(t, s.Door().Do(ctx, "POST", "/decisions", api.DecisionRequest{PIN: "480216", Place: "HB-PACK-1"},
		&d))
	require.NotNil(t, read().LastUsed)
	assert.WithinDuration(t, s.Clock.Now(), *read().LastUsed, time.Minute)
	s.Clock.Move(3 * 24 * time.Hour)
	assert.Equal(t, 3, *read().UnusedDays)
	maren := s.Client(t, "maren")
	all := get[api.Page[api.Credential]](t, maren, "/credentials", client.Query("unused_days", "4"),
		client.Query("sort", "last_used"),
		client.Query("limit", "500"))
	assert.Greater(t, all.Total, 100)
	for _, c := range all.Items {
		assert.NotEqual(t, read().ID, c.ID)
	}
}

// Whoever locks somebody sees which doors and terminals ask about them, and when each last did, at any instance.
func TestADeviceSaysWhenItLastAsked(t *testing.T) {
	s := testkit.Demo(t)
	second := s.Second(t)
	door := s.Door()
	require.NoError(t, door.Do(ctx, "POST", "/decisions", api.DecisionRequest{PIN: "111111", Place: "HB-PACK-1"}, nil))
	list := func(of string, at *testkit.Service) []api.Device {
		return get[api.Page[api.Device]](t, at.Client(t, "maren"), "/staff/"+of+"/devices").Items
	}
	found := list("Q0011", s)
	require.NotEmpty(t, found)
	asked := 0
	for _, d := range found {
		if d.LastAsked != nil {
			asked++
			assert.WithinDuration(t, s.Clock.Now(), *d.LastAsked, time.Minute)
		}
	}
	assert.Equal(t, 1, asked, "the one that asked")
	assert.Equal(t, found, list("Q0011", second))
	everywhere := get[api.Page[api.Device]](t, s.Client(t, "maren"), "/devices")
	assert.Subset(t, everywhere.Items, found)
	assert.Greater(t, everywhere.Total, len(found), "those of other sites do not ask about them")
	elsewhere := get[api.Page[api.Staff]](t, s.Client(t, "maren"), "/staff", client.Query("site", "SM"))
	require.NotEmpty(t, elsewhere.Items)
	err := s.Client(t, "joss").Get(ctx, "/staff/"+elsewhere.Items[0].StaffNumber+"/devices", nil)
	assert.Equal(t, http.StatusNotFound, statusOf(err), "of those he does not see nothing is told")
}

// A password is chosen by a link that is asked for at the sign-in, and nobody learns whether anybody goes by a name.
func TestAForgottenPasswordIsChosenByALink(t *testing.T) {
	s := testkit.Demo(t)
	b := newTablet(t, s)
	for _, name := range []string{"tamsin@quillmere.example", "nobody@quillmere.example", "Q0011", ""} {
		status, said := b.do("POST", "/password-link", api.Forgotten{Name: name}, nil)
		assert.Equal(t, http.StatusNoContent, status, "%s %s", name, said)
	}
	_, body := mailed(t, s, "tamsin@quillmere.example")
	token := regexp.MustCompile(`/password/([\w-]+)`).FindStringSubmatch(body)[1]
	assert.Len(t, s.Mail.Caught(""), 1)
	number := s.App.Live().State().StaffByEmail("tamsin@quillmere.example").Number
	use := func(number, password string) (int, string) {
		return b.do("POST", "/password-link/use", api.PasswordLinkUse{Token: token, StaffNumber: number,
			Password: password}, nil)
	}
	tamsin := s.Client(t, "tamsin")
	_, said := use(number, "short")
	assert.Contains(t, said, "15")
	_, said = use("Q0011", "nine green ladders lean")
	assert.Contains(t, said, "does not work")
	status, said := use(number, "nine green ladders lean")
	require.Equal(t, http.StatusNoContent, status, said)
	assert.Error(t, tamsin.Get(ctx, "/me", nil), "their sessions end")
	_, err := client.New(s.URL, "").SignIn(ctx, "tamsin@quillmere.example", "nine green ladders lean", "test")
	require.NoError(t, err)
	_, said = use(number, "ten green ladders lean over")
	assert.Contains(t, said, "does not work", "used twice")
	throttled := false
	for range 40 {
		status, _ := b.do("POST", "/password-link", api.Forgotten{Name: "tamsin@quillmere.example"}, nil)
		throttled = throttled || status == http.StatusTooManyRequests
	}
	assert.True(t, throttled, "nobody's mailbox is filled")
}
