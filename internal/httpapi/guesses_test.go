package httpapi_test

import (
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
			Op: "staff.enrol", Set: []byte(`{"given_name":"Ana","family_name":"Guess","home_site":"HB","staff_number":"` +
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
