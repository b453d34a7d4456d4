package httpapi_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

func gangways(places ...string) api.NoticeWrite {
	return api.NoticeWrite{NoticeFields: api.NoticeFields{Code: new("GANGWAY"), Title: new("Gangways"),
		Text: new("Keep the gangway free."), Places: &places}}
}

// A text that somebody has accepted stays as it is; a new version is another, and what was accepted is kept with its
// own.
func TestANoticeStaysAsItWasAccepted(t *testing.T) {
	s := testkit.Demo(t)
	tamsin := s.Client(t, "tamsin")
	_, err := tamsin.Write(ctx, "POST", "/notices", gangways("HB-PACK"))
	require.NoError(t, err)
	_, err = tamsin.Write(ctx, "PATCH", "/notices/GANGWAY", api.NoticeWrite{NoticeFields: api.NoticeFields{
		Text: new("Keep every gangway free.")}})
	require.NoError(t, err, "nobody has read it yet")
	_, err = tamsin.Write(ctx, "POST", "/notices/GANGWAY/acceptances", api.NoticeRecord{Staff: "Q0011"})
	require.NoError(t, err)
	_, err = tamsin.Write(ctx, "PATCH", "/notices/GANGWAY", api.NoticeWrite{NoticeFields: api.NoticeFields{
		Text: new("Something else.")}})
	assert.ErrorContains(t, err, "accepted")
	assert.Equal(t, "Keep every gangway free.", get[api.Notice](t, tamsin, "/notices/GANGWAY").Text,
		"nothing is written")

	_, err = tamsin.Write(ctx, "POST", "/notices/GANGWAY/publish", api.NoticePublish{Text: "Keep the exits free too."})
	require.NoError(t, err)
	n := get[api.Notice](t, tamsin, "/notices/GANGWAY")
	assert.EqualValues(t, 2, n.Version)
	require.Len(t, n.Past, 1)
	assert.Equal(t, "Keep every gangway free.", n.Past[0].Text)
	assert.Zero(t, n.Accepted)
	of := get[api.Page[api.NoticePerson]](t, tamsin, "/acceptances", client.Query("notice", "GANGWAY"),
		client.Query("staff", "Q0011"))
	require.Len(t, of.Items, 1)
	assert.Nil(t, of.Items[0].Accepted)
	assert.EqualValues(t, 1, of.Items[0].Before, "what they accepted before is told")
}

// Whoever publishes looks after all that a notice is for, by whichever route it comes.
func TestANoticeIsItsPlacesManagersToPublish(t *testing.T) {
	s := testkit.Demo(t)
	tamsin, idris, joss := s.Client(t, "tamsin"), s.Client(t, "idris"), s.Client(t, "joss")
	for _, places := range [][]string{{"SM"}, {"HB-PACK", "SM"}, {}} {
		_, err := tamsin.Write(ctx, "POST", "/notices", gangways(places...))
		assert.ErrorContains(t, err, "permission", "%v", places)
		encoded, err := json.Marshal(gangways(places...).NoticeFields)
		require.NoError(t, err)
		_, err = tamsin.Write(ctx, "POST", "/changes", api.ChangeRequest{Reason: "r",
			Operations: []api.Operation{{Op: "notice.add", Set: encoded}}})
		assert.ErrorContains(t, err, "permission", "%v by the raw route", places)
	}
	_, err := joss.Write(ctx, "POST", "/notices", gangways("HB-PACK"))
	assert.ErrorContains(t, err, "permission")
	_, err = tamsin.Write(ctx, "POST", "/notices", gangways("HB-PACK"))
	require.NoError(t, err)
	_, err = idris.Write(ctx, "POST", "/notices", gangways("HB-PACK"))
	assert.ErrorContains(t, err, "already")
	// Nor does anybody widen one beyond their own places, or accept for somebody else.
	_, err = tamsin.Write(ctx, "PATCH", "/notices/GANGWAY", api.NoticeWrite{NoticeFields: api.NoticeFields{
		Places: &[]string{"HB-PACK", "SM"}}})
	assert.ErrorContains(t, err, "permission")
	for _, set := range []string{`{"notice":"GANGWAY","version":1,"how":"terminal","place":"HB-PACK"}`,
		`{"notice":"GANGWAY","version":1,"how":"terminal","staff":"Q0011"}`} {
		for _, on := range []string{"", "Q0011"} {
			_, err = idris.Write(ctx, "POST", "/changes", api.ChangeRequest{Reason: "r",
				Operations: []api.Operation{{Op: "notice.accept", On: on, Set: json.RawMessage(set)}}})
			assert.Error(t, err, "%s on %q", set, on)
		}
	}
	assert.Empty(t, get[api.Page[api.NoticePerson]](t, idris, "/acceptances", client.Query("notice", "GANGWAY"),
		client.Query("state", "accepted")).Items)
}

// A notice that refuses keeps those from the work who have not accepted it, from that moment, and undoing lets them in.
func TestANoticeThatRefusesSaysWhoLosesFirst(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	pack := api.DecisionRequest{Staff: "Q0011", Place: "HB-PACK-1"}
	ask := func() (d api.Decision) {
		require.NoError(t, idris.Do(ctx, "POST", "/decisions", pack, &d))
		return d
	}
	require.Equal(t, "granted", ask().Reason)
	body := gangways("HB-PACK")
	body.Refuses, body.Reason = new(true), "after an accident"
	preview, err := idris.Write(ctx, "POST", "/notices", body, client.Preview(true))
	require.NoError(t, err)
	assert.NotEmpty(t, preview.Effect.Losses)
	assert.Equal(t, "granted", ask().Reason, "a preview writes nothing")
	made, err := idris.Write(ctx, "POST", "/notices", body)
	require.NoError(t, err)
	d := ask()
	assert.Equal(t, "notice_not_accepted", d.Reason)
	assert.Contains(t, d.Sentence, "Gangways")
	_, err = idris.Write(ctx, "POST", "/notices/GANGWAY/acceptances", api.NoticeRecord{Staff: "Q0011"})
	require.NoError(t, err)
	assert.Equal(t, "granted", ask().Reason)
	_, err = idris.Write(ctx, "POST", "/notices/GANGWAY/publish", api.NoticePublish{Text: "Anew.",
		Reasoned: api.Reasoned{Reason: "another accident"}})
	require.NoError(t, err)
	assert.Equal(t, "notice_not_accepted", ask().Reason, "a new version is read anew")
	_, err = idris.Write(ctx, "POST", fmt.Sprint("/changes/", made.AuditID, "/undo"), api.Reasoned{Reason: "r"})
	assert.Error(t, err, "later changes build upon it")
	_, err = idris.Write(ctx, "POST", "/notices/GANGWAY/retire", api.Reasoned{Reason: "settled"})
	assert.ErrorContains(t, err, "their own access", "he is meant himself, and has not accepted it")
	_, err = s.Client(t, "maren").Write(ctx, "POST", "/notices/GANGWAY/retire", api.Reasoned{Reason: "settled"})
	require.NoError(t, err)
	assert.Equal(t, "granted", ask().Reason)
}

// What is wrong is named by its field, and nothing is written; of two who record the same, one does.
func TestWrongNoticesAreRefused(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	before := s.App.Live().State().Revision
	for _, c := range []struct {
		method, path, body, field string
		status                    int
	}{
		{"POST", "/notices", `{"code":"has spaces","title":"T","text":"x"}`, "body.code", 422},
		{"POST", "/notices", `{"code":"NEW","title":" ","text":"x"}`, "body.title", 422},
		{"POST", "/notices", `{"code":"NEW","title":"T","text":" "}`, "body.text", 422},
		{"POST", "/notices", `{"code":"NEW","title":"T","text":"x","places":["NOWHERE"]}`, "body.places[0]", 404},
		{"POST", "/notices", `{"code":"NEW","title":"T","text":"x","templates":["packer","none"]}`, "body.templates[1]", 404},
		{"POST", "/notices?previw=true", `{"code":"NEW","title":"T","text":"x"}`, "query.previw", 422},
		{"POST", "/notices", `{"code":"NEW","title":"T","text":"x","refusing":true}`, "body.refusing", 422},
		{"PATCH", "/notices/HALL-RULES", `{"code":"OTHER"}`, "body.code", 422},
		{"POST", "/notices/NONE/publish", `{"text":"x"}`, "path.id", 404},
		{"POST", "/notices/HALL-RULES/acceptances", `{"staff":"Q9999"}`, "body.staff", 404},
		{"GET", "/acceptances?notice=NONE", "", "query.notice", 404},
		{"GET", "/acceptances?state=maybe", "", "query.state", 422},
	} {
		status, p, _, _ := call(t, s, c.method, "/api/v1"+c.path, c.body, bearer(idris)...)
		assert.Equal(t, c.status, status, "%s %s %s: %v", c.method, c.path, c.body, p)
		fields := map[string]bool{}
		for _, e := range p.Errors {
			fields[e.Field] = true
		}
		assert.True(t, fields[c.field], "%s %s names %s: %v", c.path, c.body, c.field, p.Errors)
	}
	n := get[api.Notice](t, idris, "/notices/HALL-RULES")
	status, _, _, _ := call(t, s, "PATCH", "/api/v1/notices/HALL-RULES", `{"title":"Other"}`,
		append(bearer(idris), "If-Match", `"1"`)...)
	assert.Equal(t, http.StatusPreconditionFailed, status)
	assert.Equal(t, before, s.App.Live().State().Revision, "nothing is written")

	waiting := get[api.Page[api.NoticePerson]](t, idris, "/acceptances", client.Query("notice", n.Code),
		client.Query("state", "waiting"))
	require.NotEmpty(t, waiting.Items)
	var wait sync.WaitGroup
	var mu sync.Mutex
	done := 0
	for range 8 {
		wait.Go(func() {
			_, err := idris.Write(ctx, "POST", "/notices/HALL-RULES/acceptances",
				api.NoticeRecord{Staff: waiting.Items[0].Staff.StaffNumber})
			mu.Lock()
			defer mu.Unlock()
			if err == nil {
				done++
			} else {
				assert.ErrorContains(t, err, "accepted")
			}
		})
	}
	wait.Wait()
	assert.Equal(t, 1, done)
}
