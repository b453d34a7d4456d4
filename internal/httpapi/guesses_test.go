package httpapi_test

import (
	"errors"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/testkit"
)

// That a number is in use at another site has to be said, in the same words whosever it is; who asks for many is told
// no more for a while, by previews, drafts and files alike, and goes on with all else.
func TestWhatIsInUseElsewhereIsNotToldForLong(t *testing.T) {
	s := testkit.Demo(t)
	tamsin, maren := s.Client(t, "tamsin"), s.Client(t, "maren")
	var elsewhere []string
	for _, site := range []string{"SM", "FC", "UQ"} {
		for _, p := range get[api.Page[api.Person]](t, maren, "/staff", client.Query("site", site),
			client.Query("limit", "500")).Items {
			elsewhere = append(elsewhere, p.StaffNumber)
		}
	}
	require.Greater(t, len(elsewhere), credential.ByGuesser.Allowed)
	ask := func(number string) (status int, said string) {
		_, err := tamsin.Write(ctx, "POST", "/changes/preview", api.ChangeRequest{Operations: []api.Operation{{
			Op: "staff.enrol",
			Set: []byte(`{"given_name":"Ana","family_name":"Guess","home_site":"HB","staff_number":"` +
				number + `"}`)}}})
		if err == nil {
			return http.StatusOK, ""
		}
		var refused *api.Problem
		require.ErrorAs(t, err, &refused)
		return refused.Status, refused.Error()
	}
	told, held := map[string]bool{}, 0
	for range 3 { // the same one again, as a page asks while somebody types, is told once
		_, said := ask(elsewhere[0])
		told[strings.ReplaceAll(said, elsewhere[0], "N")] = true
	}
	for _, number := range elsewhere {
		switch status, said := ask(number); status {
		case http.StatusConflict:
			told[strings.ReplaceAll(said, number, "N")] = true
		case http.StatusTooManyRequests:
			held++
		default:
			require.Fail(t, said)
		}
	}
	assert.Len(t, told, 1, "whosever it is")
	assert.Equal(t, len(elsewhere)-credential.ByGuesser.Allowed, held)
	status, _ := ask("Q9117")
	assert.Equal(t, http.StatusTooManyRequests, status, "nor is it told that one is free")
	err := tamsin.Do(ctx, "POST", "/drafts/open/edits", api.DraftEdits{Operations: []api.Operation{{Op: "team.add",
		Set: []byte(`{"code":"NIGHT","name":"Night"}`)}}}, nil)
	assert.ErrorContains(t, err, "too many")
	_, err = bring(t, tamsin, "a.csv", []byte("staff_number,given_name,family_name,home_site\nQ0100,A,B,HB\n"))
	assert.ErrorContains(t, err, "too many")
	_, err = tamsin.Write(ctx, "POST", "/staff/Q0117/lock", api.Reasoned{Reason: "goes on"})
	require.NoError(t, err)
	s.Clock.Move(25 * time.Hour)
	tamsin = s.Client(t, "tamsin")
	status, _ = ask("Q9117")
	assert.Equal(t, http.StatusOK, status)
}

// A small file tells as little as as many single questions.
func TestAFileOfNumbersTellsNoMoreThanAsking(t *testing.T) {
	s := testkit.Demo(t)
	tamsin, maren := s.Client(t, "tamsin"), s.Client(t, "maren")
	lines := []string{"staff_number,given_name,family_name,home_site"}
	for _, site := range []string{"SM", "FC", "UQ"} {
		for _, p := range get[api.Page[api.Person]](t, maren, "/staff", client.Query("site", site),
			client.Query("limit", "500")).Items {
			lines = append(lines, fmt.Sprintf("%s,Ana,Guess%d,HB", p.StaffNumber, len(lines)))
		}
	}
	require.Greater(t, len(lines), credential.ByGuesser.Allowed+1)
	some, err := bring(t, tamsin, "some.csv", []byte(strings.Join(lines[:20], "\n")))
	require.NoError(t, err)
	assert.Len(t, rowsOf(t, tamsin, some, "faulty"), 19)
	_, err = bring(t, tamsin, "all.csv", []byte(strings.Join(lines, "\n")))
	assert.ErrorContains(t, err, "too many")
}

// wayIn is one way in which somebody may guess a secret. A guess says whether it was looked at.
type wayIn struct {
	name  string
	most  int // guesses that are looked at before the first hold
	guess func(n int) (looked bool)
}

// A guess is counted at every way in, by what whoever guesses cannot choose: a new reader, a new place, a new badge
// number or a new name with each guess helps nothing.
func TestGuessesAreHeldAtEveryWayIn(t *testing.T) {
	s := testkit.Demo(t)
	idris, maren := s.Client(t, "idris"), s.Client(t, "maren")
	pinFor(t, s, "Q0113", "480216")
	allowed := s.App.Live().State().Settings.TriesAllowed
	decides := func(n int, request api.DecisionRequest) bool {
		request.PIN = fmt.Sprint(919100 + n)
		return at(t, s, request).Reason != "too_many_tries"
	}
	doors := []string{"HB-PACK-1", "HB-PACK-2", "HB-COLD-1", "HB-GATE"}
	tablet, mine := registered(t, s, "HB-PACK"), registered(t, s, "HB-TRIM")
	taken := func(status int, _ string) bool { return status != http.StatusTooManyRequests }
	public := func(method, path string, body any) bool {
		status, _ := newTablet(t, s).do(method, path, body, nil)
		return status != http.StatusTooManyRequests
	}
	asked := func(err error) bool {
		var p *api.Problem
		return err == nil || errors.As(err, &p) && p.Status != http.StatusTooManyRequests
	}
	ways := []wayIn{
		{"a PIN at a door, with a new reader each time", allowed, func(n int) bool {
			return decides(n, api.DecisionRequest{Place: "HB-PACK-1", Reader: fmt.Sprint("reader ", n)})
		}},
		{"a PIN at many doors of one controller", 4 * allowed, func(n int) bool {
			return decides(n, api.DecisionRequest{Place: doors[n%len(doors)]})
		}},
		{"a PIN with a badge, at many doors", allowed, func(n int) bool {
			return decides(n, api.DecisionRequest{Place: doors[n%len(doors)], Badge: "118-1067"})
		}},
		{"a PIN with badge numbers that are nobody's", allowed, func(n int) bool {
			return decides(n, api.DecisionRequest{Place: "HB-CHEM-1", Badge: fmt.Sprint("119-", 2000+n)})
		}},
		{"a PIN at a terminal", allowed, func(n int) bool {
			return !strings.Contains(second(tablet.show(api.TerminalShow{
				PIN: fmt.Sprint(919100 + n)})), "Too many")
		}},
		{"a PIN asked about by a manager", credential.ByAsker.Allowed, func(n int) bool {
			return asked(idris.Do(ctx, "POST", "/decisions", api.DecisionRequest{PIN: fmt.Sprint(919100 + n),
				Place: "HB-PACK-1"}, nil))
		}},
		{"a PIN chosen at a terminal", credential.ByChooser.Allowed, func(n int) bool {
			if n == 0 {
				_, refused := mine.show(api.TerminalShow{PIN: "480216"})
				require.Empty(t, refused)
			}
			return taken(mine.do("POST", "/terminal/visit/pin", api.VisitPIN{PIN: fmt.Sprint(480216)}, nil))
		}},
		{"a PIN chosen by a manager for others", credential.ByChooser.Allowed, func(n int) bool {
			_, err := idris.Write(ctx, "POST", "/credentials/pin", api.PINWrite{PINFields: api.PINFields{
				Staff: fmt.Sprintf("Q%04d", 101+n%10), PIN: fmt.Sprint(739101 + n*37)}})
			return asked(err)
		}},
		{"a password, at an account", credential.ByAccount.Allowed, func(n int) bool {
			return public("POST", "/session", api.SignIn{Name: "joss@quillmere.example", Password: fmt.Sprint(n),
				Kind: "client"})
		}},
		{"a password, at many accounts from one address", credential.ByAddress.Allowed, func(n int) bool {
			return public("POST", "/session", api.SignIn{Name: fmt.Sprintf("Q%04d", 10+n), Password: "packing-hall",
				Kind: "client"})
		}},
		{"one's present password", credential.ByAccount.Allowed, func(n int) bool {
			return asked(maren.Do(ctx, "POST", "/me/password", api.PasswordChange{OldPassword: fmt.Sprint(n),
				NewPassword: "an-entirely-new-orchard"}, nil))
		}},
		{"the code of a terminal", credential.ByAddress.Allowed, func(n int) bool {
			return public("POST", "/terminal/register", api.TerminalClaim{Code: fmt.Sprintf("AAAA-%04d", n)})
		}},
		{"a forgotten password, asked for a name", credential.ByAccount.Allowed, func(n int) bool {
			return public("POST", "/password-link", api.Forgotten{Name: "idris@quillmere.example"})
		}},
	}
	for _, way := range ways {
		looked, held := 0, false
		idris, maren = s.Client(t, "idris"), s.Client(t, "maren")
		for n := 0; n < way.most+20 && !held; n++ {
			if held = !way.guess(n); !held {
				looked++
			}
		}
		assert.True(t, held, "%s: %d guesses and no hold", way.name, looked)
		assert.LessOrEqual(t, looked, way.most, way.name)
		t.Logf("%-55s %3d until held", way.name, looked)
		s.Clock.Move(48 * time.Hour)
	}
}

func second[A, B any](_ A, b B) B { return b }

// A PIN alone that is somebody's, and opens nothing here, is told, counted and timed as one that is nobody's.
func TestAPINThatOpensNothingHereIsUnknown(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216") // a packer, who has nothing to do in the laboratory
	allowed := s.App.Live().State().Settings.TriesAllowed
	elsewhere := api.DecisionRequest{PIN: "480216", Place: "HB-OFFICE-1"}
	require.Equal(t, "granted", at(t, s, api.DecisionRequest{PIN: "480216", Place: "HB-PACK-1"}).Reason)
	unknown := at(t, s, api.DecisionRequest{PIN: "919190", Place: "HB-OFFICE-1"})
	hashed := s.App.Hashed()
	for n := 1; n < allowed; n++ {
		told := at(t, s, elsewhere)
		told.At = unknown.At
		assert.Equal(t, unknown, told)
	}
	assert.EqualValues(t, allowed-1, s.App.Hashed()-hashed, "each was hashed, as one that is nobody's is")
	assert.Equal(t, "too_many_tries", at(t, s, elsewhere).Reason, "and counted")
	// So it is at a door that asks for more than a PIN, and with a badge that is lost, however right the PIN is
	s.Clock.Move(time.Hour)
	for _, shown := range []api.DecisionRequest{{PIN: "480216", Place: "HB-CHEM-1"},
		{PIN: "480216", Badge: "118-1060", Place: "HB-PACK-2"}} {
		hashed = s.App.Hashed()
		for range allowed {
			assert.NotEqual(t, "too_many_tries", at(t, s, shown).Reason)
		}
		assert.EqualValues(t, allowed, s.App.Hashed()-hashed, "%v", shown)
		assert.Equal(t, "too_many_tries", at(t, s, shown).Reason, "%v", shown)
	}
	// The manager reads what it was
	events := get[api.Page[api.Event]](t, s.Client(t, "idris"), "/events", client.Query("staff", "Q0011"))
	assert.NotEmpty(t, events.Items)
	// At a terminal of another site nobody is greeted by a PIN that was guessed
	visit, refused := registered(t, s, "SM-DISP").show(api.TerminalShow{PIN: "480216"})
	assert.Empty(t, visit.Called)
	assert.Equal(t, unknown.Sentence, refused)
}
