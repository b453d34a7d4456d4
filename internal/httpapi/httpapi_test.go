package httpapi_test

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/paper"
	"loyallatch.example/latch/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

var ctx = context.Background()

// call sends a plain request and returns status, problem and body.
func call(t *testing.T, s *testkit.Service, method, path, body string, headers ...string) (int, api.Problem, []byte,
	http.Header) {
	t.Helper()
	request, err := http.NewRequest(method, s.URL+path, strings.NewReader(body))
	require.NoError(t, err)
	if body != "" {
		request.Header.Set("Content-Type", "application/json")
	}
	for i := 0; i+1 < len(headers); i += 2 {
		request.Header.Set(headers[i], headers[i+1])
	}
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	defer func() { _ = response.Body.Close() }()
	answer, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	var p api.Problem
	if response.StatusCode >= 400 && method != http.MethodHead {
		assert.Equal(t, "application/problem+json", response.Header.Get("Content-Type"), string(answer))
		require.NoError(t, json.Unmarshal(answer, &p), string(answer))
		assert.NotEmpty(t, p.Detail)
		assert.True(t, strings.HasPrefix(p.Type, api.ProblemPrefix), p.Type)
	}
	return response.StatusCode, p, answer, response.Header
}

func bearer(c *client.Client) []string { return []string{"Authorization", "Bearer " + c.Token} }

// public are the routes that take whoever brings a secret in the body, each with one that is made up; or that tell
// nothing that is not everybody's.
var public = map[string]string{
	"/session":             `{"name":"idris@quillmere.example","password":"made-up"}`,
	"/rulebook/schema":     "",
	"/password-link":       "", // answers everybody alike: TestAForgottenPasswordIsChosenByALink
	"/password-link/check": `{"token":"made-up","staff_number":"Q0002"}`,
	"/password-link/use":   `{"token":"made-up","staff_number":"Q0002","password":"a password that is new"}`,
	"/pin-link/check":      `{"token":"made-up","staff_number":"Q0002"}`,
	"/pin-link/use":        `{"token":"made-up","staff_number":"Q0002","pin":"480216"}`,
	"/terminal/register":   `{"code":"ABCD-EFGH"}`,
}

// Every operation of the API refuses whoever it is not for: nobody, a device, and a shift supervisor who may see and
// lock people at one site and nothing else.
func TestEveryRouteRefusesTheWrongCaller(t *testing.T) {
	s := testkit.Demo(t)
	joss, door, tablet := s.Client(t, "joss"), s.Door(), registered(t, s, "HB-PACK")
	held := map[string]bool{permit.LockStaff: true, permit.ViewStaff: true}
	routes := s.HTTP.Routes()
	walked := 0
	require.NoError(t, chi.Walk(s.HTTP.Router(),
		func(method, path string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
			if strings.HasPrefix(path, "/api/v1/") && !strings.HasPrefix(path, "/api/v1/openapi") {
				walked++
			}
			return nil
		}))
	require.Equal(t, len(routes), walked, "every route under /api/v1 says who may call it")
	for _, r := range routes {
		path := "/api/v1" + strings.NewReplacer("{id}", "1").Replace(r.Path)
		name := r.Method + " " + r.Path
		if r.Access.Public {
			body, known := public[r.Path]
			assert.True(t, known, "%s is public: say with what secret it is refused", name)
			if body != "" {
				status, p, _, _ := call(t, s, r.Method, path, body)
				assert.Contains(t, []int{http.StatusUnauthorized, http.StatusForbidden, http.StatusNotFound}, status,
					"%s with a secret that is made up: %v", name, p)
			}
			continue
		}
		if r.Access.Terminal || r.Access.Visit {
			for _, headers := range [][]string{nil, {"Cookie", "latch_terminal=made-up"}, bearer(joss), bearer(door),
				{"Cookie", "latch_terminal=" + joss.Token}, {"Cookie", "latch_terminal=" + door.Token}} {
				status, _, _, _ := call(t, s, r.Method, path, "{}", headers...)
				assert.Equal(t, http.StatusUnauthorized, status, "no terminal: "+name)
			}
			if r.Access.Visit {
				for _, visit := range []string{"", "made-up", "0.0.0"} {
					status, _, _, _ := call(t, s, r.Method, path, "{}", append(tablet.headers(), "X-Visit", visit)...)
					assert.Equal(t, http.StatusForbidden, status, "nobody at a terminal: "+name)
				}
			}
			continue
		}
		status, _, _, header := call(t, s, r.Method, path, "{}")
		assert.Equal(t, http.StatusUnauthorized, status, "nobody: "+name)
		assert.NotEmpty(t, header.Get("WWW-Authenticate"))
		for _, token := range []string{"llt_made-up", "lld_made-up", "llc_made-up"} {
			status, _, _, _ = call(t, s, r.Method, path, "{}", "Authorization", "Bearer "+token)
			assert.Equal(t, http.StatusUnauthorized, status, token+": "+name)
		}
		status, _, _, _ = call(t, s, r.Method, path, "{}", bearer(door)...)
		if r.Access.Device {
			assert.NotEqual(t, http.StatusForbidden, status, "a device: "+name)
		} else {
			assert.Equal(t, http.StatusForbidden, status, "a device: "+name)
		}
		if r.Access.Permission != "" && !held[r.Access.Permission] {
			status, p, _, _ := call(t, s, r.Method, path, "{}", bearer(joss)...)
			assert.Equal(t, http.StatusForbidden, status, "a shift supervisor: "+name)
			assert.Contains(t, p.Detail, "permission")
		}
	}
}

func TestAShiftSupervisorLocksAtTheirSiteAndDoesNothingElse(t *testing.T) {
	s := testkit.Demo(t)
	joss := s.Client(t, "joss")
	_, err := joss.Write(ctx, "POST", "/staff/Q0011/lock", api.LockWrite{Reasoned: api.Reasoned{Reason: "incident"}})
	require.NoError(t, err)
	_, err = joss.Write(ctx, "POST", "/staff/Q0011/unlock", api.Reasoned{})
	require.NoError(t, err)
	elsewhere, at := "Q0122", "/changes"
	for name, ops := range map[string][]api.Operation{
		"somebody at another site": {{Op: "staff.lock", On: elsewhere}},
		"enrol by way of a change": {{Op: "staff.enrol",
			Set: json.RawMessage(`{"given_name":"A","family_name":"B","home_site":"HB"}`)}},
		"a PIN": {{Op: "pin.set", Set: json.RawMessage(`{"staff":"Q0011"}`)}},
		"an assignment": {{Op: "assignment.add",
			Set: json.RawMessage(`{"staff":"Q0011","place":"HB-PACK","template":"picker"}`)}},
		"one that may, one not": {{Op: "staff.lock", On: "Q0012"}, {Op: "staff.leave", On: "Q0012"}},
		"a place":               {{Op: "place.retire", On: "HB-PACK-1"}},
	} {
		_, err := joss.Write(ctx, "POST", at, api.ChangeRequest{Reason: "r", Operations: ops})
		var p *api.Problem
		require.ErrorAs(t, err, &p, name)
		assert.Equal(t, map[bool]int{true: http.StatusNotFound,
			false: http.StatusForbidden}[name == "somebody at another site"], p.Status, name)
	}
	assert.Nil(t, s.App.Live().State().StaffByNumber("Q0012").Lock)
	var staff api.Page[api.Staff]
	require.NoError(t, joss.Get(ctx, "/staff", &staff, client.Query("limit", "500")))
	for _, p := range staff.Items {
		assert.NotEqual(t, "SM", p.HomeSite.Code, "sees their own site's people only: "+p.StaffNumber)
	}
	assert.ErrorContains(t, joss.Get(ctx, "/staff/"+elsewhere, nil), "you may see has",
		"those of other sites are not there")
	assert.ErrorContains(t, joss.Get(ctx, "/audit", nil), "audit log")
	assert.NoError(t, joss.Get(ctx, "/audit", nil, client.Query("staff", "Q0011")))
}

// A manager who checks is told all that stands in the way at once, in the order in which it is to be mended; what is
// advised, made together, opens the door. Whoever sees somebody narrowly, and a device, are told nothing of it.
func TestAdviceNamesAllThatStandsInTheWay(t *testing.T) {
	s := testkit.Demo(t)
	ctx, idris := context.Background(), s.Client(t, "idris")
	maren := s.Client(t, "maren")
	_, err := idris.Write(ctx, "POST", "/changes", api.ChangeRequest{Reason: "trying", Operations: []api.Operation{
		{Op: "staff.lock", On: "Q0011"}, {Op: "bar.add", Set: []byte(`{"staff":"Q0011","place":"HB-CHEM-1"}`)},
		{Op: "staff.edit", On: "Q0011", Set: fmt.Appendf(nil, `{"contract_end":%q}`, testkit.InDays(-3))}}})
	require.NoError(t, err)
	ask := api.DecisionRequest{Staff: "Q0011", Place: "HB-CHEM-1", Permission: "door.chemical"}
	var d api.Decision
	require.NoError(t, idris.Do(ctx, "POST", "/decisions", ask, &d))
	var reasons []string
	var operations []api.Operation
	for _, one := range d.Advice {
		reasons = append(reasons, one.Reason)
		assert.NotEmpty(t, one.Sentence)
		if one.Operation != nil {
			operations = append(operations, *one.Operation)
		}
	}
	require.GreaterOrEqual(t, len(reasons), 4, "%v", reasons)
	assert.Equal(t, []string{"locked", "contract_ended", "barred_here", "permission_not_in_template"}, reasons[:4])
	assert.Equal(t, "exception.add", d.Advice[3].Operation.Op)
	assert.NotEmpty(t, d.Advice[3].Templates)
	_, err = maren.Write(ctx, "POST", "/changes", api.ChangeRequest{Reason: "advised", Operations: operations})
	require.NoError(t, err)
	require.NoError(t, idris.Do(ctx, "POST", "/decisions", ask, &d))
	if last := reasons[len(reasons)-1]; last == "proof_not_sufficient" {
		assert.Equal(t, last, d.Reason, "what is to be handed over comes last")
	} else {
		assert.Equal(t, "allow", d.Outcome)
	}
	yesterday := time.Now().Add(-time.Minute)
	ask.At = &yesterday
	d = api.Decision{}
	require.NoError(t, idris.Do(ctx, "POST", "/decisions", ask, &d))
	assert.Empty(t, d.Advice, "what is past is not mended")
	require.NoError(t, s.Door().Do(ctx, "POST", "/decisions", api.DecisionRequest{PIN: "480216", Place: "HB-CHEM-1"},
		&d))
	assert.Empty(t, d.Advice)
}

// Whose records, at which kind of place, and after how long a terminal signs out are part of what is decided.
func TestADecisionKnowsWhoseRecordsAndWhatKindOfPlace(t *testing.T) {
	s := testkit.Demo(t)
	ctx, idris := context.Background(), s.Client(t, "idris")
	decide := func(ask api.DecisionRequest) (d api.Decision) {
		require.NoError(t, idris.Do(ctx, "POST", "/decisions", ask, &d))
		return d
	}
	shifts := api.DecisionRequest{Staff: "Q0011", Place: "HB", Permission: "records.shifts"}
	assert.Equal(t, "allow", decide(shifts).Outcome)
	shifts.About = "Q0011"
	assert.Equal(t, "allow", decide(shifts).Outcome, "one's own")
	shifts.About = "Q0012"
	assert.Equal(t, "permission_not_in_template", decide(shifts).Reason, "not another person's")
	at := decide(api.DecisionRequest{Staff: "Q0011", Place: "HB-PACK-1", Permission: "line.run"})
	assert.Equal(t, "permission_not_for_place", at.Reason)
	assert.Equal(t, "“Run a line” has no meaning at a door.", at.Sentence)

	var packer api.Template
	require.NoError(t, s.Client(t, "maren").Do(ctx, "PATCH", "/templates/packer", map[string]any{"idle_seconds": 90},
		nil))
	require.NoError(t, idris.Get(ctx, "/templates/line-lead", &packer))
	assert.Zero(t, packer.IdleSeconds)
	assert.Equal(t, 90, packer.EffectiveIdleSeconds, "from the template it is based on")
	assert.Equal(t, "a PIN", packer.NeedsWords)
}

// Every field of a person that people write is written by the API and shown by it, alone and among others, and as CSV.
func TestEveryFieldOfAPersonIsWrittenAndShown(t *testing.T) {
	s := testkit.Demo(t)
	ctx, idris := context.Background(), s.Client(t, "idris")
	values := map[string]string{"engagement": "agency", "home_site": "SM", "line_manager": "Q0012",
		"start_date":   "2026-01-02",
		"contract_end": "2028-01-02", "email": "kept@quillmere.example", "staff_number": "Q0011"}
	for _, field := range people.Fields {
		if values[field.Name] == "" {
			values[field.Name] = "kept " + field.Name
		}
	}
	require.NoError(t, idris.Do(ctx, "PATCH", "/staff/Q0011", map[string]any{"reason": "moves"}, nil))
	body := map[string]any{"reason": "moves"}
	for name, value := range values {
		body[name] = value
	}
	require.NoError(t, idris.Do(ctx, "PATCH", "/staff/Q0011", body, nil))
	var shown map[string]any
	require.NoError(t, idris.Get(ctx, "/staff/Q0011", &shown))
	for name, value := range values {
		switch is := shown[name].(type) {
		case map[string]any:
			assert.Contains(t, []any{is["code"], is["staff_number"]}, value, name)
		default:
			assert.Equal(t, value, is, name)
		}
	}
	_, _, answer, _ := call(t, s, "GET", "/api/v1/staff?q=Q0011", "", append(bearer(idris), "Accept", "text/csv")...)
	for name, value := range values {
		assert.Contains(t, string(answer), name)
		assert.Contains(t, string(answer), value, name)
	}
}

func TestBadRequests(t *testing.T) {
	s := testkit.Demo(t)
	token := bearer(s.Client(t, "idris"))
	revision := s.App.Live().State().Revision
	for _, c := range []struct {
		name, method, path, body string
		status                   int
		field                    string
		headers                  []string
	}{
		{"an unknown staff number", "GET", "/staff/NOBODY", "", 404, "staff", nil},
		{"an unknown place", "GET", "/places/NOWHERE", "", 404, "path.id", nil},
		{"an unknown template", "GET", "/templates/nothing", "", 404, "path.id", nil},
		{"an end before a start", "POST", "/assignments",
			`{"staff":"Q0011","place":"HB-PACK","template":"grader","from":"2027-02-01","until":"2027-01-01"}`, 422,
			"body.until", nil},
		{"a PIN with letters", "POST", "/credentials/pin", `{"staff":"Q0011","pin":"48a216"}`, 422, "body.pin", nil},
		{"a second person with an email", "POST", "/staff",
			`{"given_name":"A","family_name":"B","home_site":"HB","email":"idris@quillmere.example"}`, 409,
			"body.email", nil},
		{"a template at a kind it has nothing for", "POST", "/assignments",
			`{"staff":"Q0011","place":"HB-LINE-1","template":"picker"}`, 422, "body.template", nil},
		{"a parent that makes a circle", "PATCH", "/places/HB-PACK", `{"parent":"HB-PACK"}`, 422, "body.parent", nil},
		{"broken JSON", "POST", "/staff", `{"given_name": "A`, 400, "body", nil},
		{"an unknown field", "POST", "/staff", `{"given_name":"A","family_name":"B","home_site":"HB","nickname":"C"}`,
			422, "body.nickname", nil},
		{"a field of another type", "POST", "/staff", `{"given_name":7}`, 422, "body.given_name", nil},
		{"a wrong method", "PUT", "/staff/Q0011", `{}`, 405, "", nil},
		{"an address that leads nowhere", "GET", "/nothing", "", 404, "", nil},
		{"a stale etag", "PATCH", "/staff/Q0011", `{"job_title":"x"}`, 412, "", []string{"If-Match", `"r1"`}},
		{"an etag that is none", "PATCH", "/staff/Q0011", `{"job_title":"x"}`, 422, "header.If-Match",
			[]string{"If-Match", "yesterday"}},
		{"a page that is too long", "GET", "/staff?limit=501", "", 422, "query.limit", nil},
		{"a sort there is not", "GET", "/staff?sort=shoe_size", "", 422, "query.sort", nil},
		{"a status there is not", "GET", "/staff?status=asleep", "", 422, "query.status", nil},
		{"records of nobody", "POST", "/decisions",
			`{"staff":"Q0011","place":"HB","permission":"records.shifts","about":"NOBODY"}`, 404, "body.about", nil},
		{"a person and a PIN", "POST", "/decisions", `{"staff":"Q0011","pin":"480216","place":"HB-PACK-1"}`, 422,
			"body.pin", nil},
		{"no operations", "POST", "/changes", `{"operations":[]}`, 422, "operations", nil},
		{"a lock without a reason", "POST", "/staff/Q0011/lock", `{}`, 422, "body.reason", nil},
		{"an oversized body", "POST", "/staff", `{"notes":"` + strings.Repeat("x", 5<<20) + `"}`, 413, "", nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			status, p, answer, _ := call(t, s, c.method, "/api/v1"+c.path, c.body, append(c.headers, token...)...)
			assert.Equal(t, c.status, status, string(answer))
			if c.field != "" {
				require.NotEmpty(t, p.Errors, string(answer))
				assert.Equal(t, c.field, p.Errors[0].Field)
				assert.NotEmpty(t, p.Errors[0].Message)
			}
			for _, inner := range []string{"goroutine", "SELECT", "gorm", ".go:", "48a216"} {
				assert.NotContains(t, string(answer), inner, "nothing internal leaks")
			}
		})
	}
	assert.Equal(t, revision, s.App.Live().State().Revision, "nothing bad was written")
}

func TestAPINInUseIsRefused(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	set := func(staff string) error {
		_, err := idris.Write(ctx, "POST", "/credentials/pin",
			api.PINWrite{PINFields: api.PINFields{Staff: staff, PIN: "480216"}})
		return err
	}
	require.NoError(t, set("Q0011"))
	var p *api.Problem
	require.ErrorAs(t, set("Q0012"), &p)
	assert.Equal(t, http.StatusConflict, p.Status)
	assert.Equal(t, "body.pin", p.Errors[0].Field)
	assert.NotContains(t, p.Detail, "Q0011", "whose it is, is not told")
}

func TestARepeatedRequestIsCarriedOutOnce(t *testing.T) {
	s := testkit.Demo(t)
	token := bearer(s.Client(t, "idris"))
	body := `{"given_name":"Ana","family_name":"Onceonly","home_site":"HB"}`
	headers := append([]string{"Idempotency-Key", "key-1"}, token...)
	first, _, answer, _ := call(t, s, "POST", "/api/v1/staff", body, headers...)
	second, _, again, header := call(t, s, "POST", "/api/v1/staff", body, headers...)
	assert.Equal(t, http.StatusCreated, first)
	assert.Equal(t, first, second)
	assert.Equal(t, "true", header.Get("Answered-Before"))
	assert.Equal(t, answer, again)
	_, _, list, _ := call(t, s, "GET", "/api/v1/staff?q=onceonly", "", token...)
	assert.Contains(t, string(list), `"total":1`)
	status, p, _, _ := call(t, s, "POST", "/api/v1/staff", strings.Replace(body, "Ana", "Bea", 1), headers...)
	assert.Equal(t, http.StatusConflict, status)
	assert.Equal(t, "header.Idempotency-Key", p.Errors[0].Field)
	status, _, _, _ = call(t, s, "POST", "/api/v1/staff", body,
		append([]string{"Idempotency-Key", "key-1"}, bearer(s.Client(t, "tamsin"))...)...)
	assert.Equal(t, http.StatusCreated, status, "keys are each caller's own")
}

// drawn is what the first page of a PDF draws; its other parts come in no order.
func drawn(pdf []byte) string {
	_, after, _ := bytes.Cut(pdf, []byte("stream\n"))
	stream, _, _ := bytes.Cut(after, []byte("endstream"))
	return string(stream)
}

// What a change generates waits for whoever made it, whether its answer was lost on the line or the service died before
// it: the same key tells it again for an hour, to them alone, and what is kept of it is sealed.
func TestASecretWhoseAnswerIsLostIsToldAgain(t *testing.T) {
	s := testkit.Demo(t)
	token := bearer(s.Client(t, "idris"))
	db, err := sql.Open("mysql", s.DSN)
	require.NoError(t, err)
	defer db.Close()
	secret := func(at *testkit.Service, path, body, key string, of []string) string {
		_, _, answer, header := call(t, at, "POST", "/api/v1"+path, body,
			append([]string{"Idempotency-Key", key}, of...)...)
		if header.Get("Content-Type") == paper.Type {
			return drawn(answer)
		}
		var result api.ChangeResult
		require.NoError(t, json.Unmarshal(answer, &result), string(answer))
		if len(result.Secrets) == 0 {
			return ""
		}
		return result.Secrets[0].Value
	}
	for _, act := range []struct{ path, body string }{
		{"/credentials/pin", `{"staff":"Q0011"}`},
		{"/changes", `{"operations":[{"op":"pin.set","set":{"staff":"Q0012"}}]}`},
		{"/credentials/slips", `{"staff":["Q0013"]}`},
	} {
		first := secret(s, act.path, act.body, act.path, token)
		require.NotEmpty(t, first, act.path)
		revision := s.App.Live().State().Revision
		assert.Equal(t, first, secret(s, act.path, act.body, act.path, token), act.path)
		_, err = db.Exec("UPDATE idempotency_keys SET status = 0, response = NULL WHERE `key` = ?", act.path)
		require.NoError(t, err)
		assert.Equal(t, first, secret(s.Second(t), act.path, act.body, act.path, token), "where the service died")
		assert.Equal(t, revision, s.App.Live().State().Revision, "and nothing is generated anew")
		var sealed []byte
		require.NoError(t, db.QueryRow("SELECT sealed_secrets FROM idempotency_keys WHERE `key` = ?", act.path).
			Scan(&sealed))
		assert.NotContains(t, string(sealed), first)
		assert.NotEqual(t, first, secret(s, act.path, act.body, act.path, bearer(s.Client(t, "maren"))),
			"keys are each caller's own")
	}
	s.Clock.Move(61 * time.Minute)
	assert.Empty(t, secret(s, "/credentials/pin", `{"staff":"Q0011"}`, "/credentials/pin", token), "after an hour")
	status, p, _, _ := call(t, s, "POST", "/api/v1/credentials/slips", `{"staff":["Q0013"]}`,
		append([]string{"Idempotency-Key", "/credentials/slips"}, token...)...)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, p.Type, "printed-already")
	require.NoError(t, s.Store.Sweep(t.Context(), s.Clock.Now()))
	var left int
	require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM idempotency_keys WHERE sealed_secrets IS NOT NULL").
		Scan(&left))
	assert.Zero(t, left)
}

func TestTwoManagersEditingOneRecord(t *testing.T) {
	s := testkit.Demo(t)
	idris, tamsin := s.Client(t, "idris"), s.Client(t, "tamsin")
	var read api.Staff
	require.NoError(t, idris.Get(ctx, "/staff/Q0011", &read))
	title := func(text string) api.StaffWrite { return api.StaffWrite{StaffFields: api.StaffFields{JobTitle: &text}} }
	_, err := idris.Write(ctx, "PATCH", "/staff/Q0011", title("First"), client.IfMatch(read.ETag))
	require.NoError(t, err)
	_, err = tamsin.Write(ctx, "PATCH", "/staff/Q0011", title("Second"), client.IfMatch(read.ETag))
	var p *api.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, http.StatusPreconditionFailed, p.Status)
	assert.Contains(t, p.Detail, "nothing was overwritten")
	require.NoError(t, idris.Get(ctx, "/staff/Q0011", &read))
	assert.Equal(t, "First", read.JobTitle)
}

func TestTheConsoleSessionIsSafeFromOtherPages(t *testing.T) {
	s := testkit.Demo(t)
	status, _, body, header := call(t, s, "POST", "/api/v1/session",
		`{"name":"idris@quillmere.example","password":"orchard-ladder-seven"}`)
	require.Equal(t, http.StatusOK, status)
	var signed api.SignedIn
	require.NoError(t, json.Unmarshal(body, &signed))
	assert.Empty(t, signed.Token, "the token is in the cookie alone")
	cookie := header.Get("Set-Cookie")
	for _, part := range []string{"HttpOnly", "SameSite=Strict", "Path=/"} {
		assert.Contains(t, cookie, part)
	}
	value, _, _ := strings.Cut(cookie, ";")
	lock := func(csrf string) int {
		status, _, _, _ := call(t, s, "POST", "/api/v1/staff/Q0011/lock", `{"reason":"r"}`, "Cookie", value,
			"X-CSRF-Token", csrf)
		return status
	}
	assert.Equal(t, http.StatusForbidden, lock(""))
	assert.Equal(t, http.StatusForbidden, lock("wrong"))
	assert.Nil(t, s.App.Live().State().StaffByNumber("Q0011").Lock)
	assert.Equal(t, http.StatusOK, lock(signed.Me.CSRF))
	_, token, _ := strings.Cut(value, "=")
	status, _, _, _ = call(t, s, "GET", "/api/v1/me", "", "Authorization", "Bearer "+token)
	assert.Equal(t, http.StatusUnauthorized, status, "a cookie's token is no bearer token")
	s.Clock.Move(13 * time.Hour)
	status, _, _, _ = call(t, s, "GET", "/api/v1/me", "", "Cookie", value)
	assert.Equal(t, http.StatusUnauthorized, status, "it expires")
}

func TestTokensExpireAndEnd(t *testing.T) {
	s := testkit.Demo(t)
	idris, other := s.Client(t, "idris"), s.Client(t, "idris")
	var sessions api.Page[api.Session]
	require.NoError(t, idris.Get(ctx, "/me/sessions", &sessions))
	require.Len(t, sessions.Items, 2)
	for _, session := range sessions.Items {
		if !session.Present {
			require.NoError(t, idris.Do(ctx, "DELETE", "/me/sessions/"+session.ID, nil, nil))
		}
	}
	assert.Error(t, other.Get(ctx, "/me", nil), "ended by its holder")
	tamsin := s.Client(t, "tamsin")
	_, err := idris.Write(ctx, "POST", "/staff/Q0003/lock",
		api.LockWrite{Reasoned: api.Reasoned{Reason: "left her laptop open"}})
	require.NoError(t, err)
	assert.ErrorContains(t, tamsin.Get(ctx, "/me", nil), "Sign in again", "locked at once, here too")
	s.Clock.Move(91 * 24 * time.Hour)
	assert.Error(t, idris.Get(ctx, "/me", nil), "expired")
}

func TestSignInIsThrottledAndTellsNothing(t *testing.T) {
	s := testkit.Demo(t)
	try := func(name, password string) (int, string, string) {
		status, p, _, header := call(t, s, "POST", "/api/v1/session",
			fmt.Sprintf(`{"name":%q,"password":%q}`, name, password))
		return status, p.Detail, header.Get("Retry-After")
	}
	_, known, _ := try("idris@quillmere.example", "wrong")
	_, unknown, _ := try("nobody@quillmere.example", "wrong")
	_, noConsole, _ := try("Q0011", "wrong")
	assert.Equal(t, known, unknown)
	assert.Equal(t, known, noConsole)
	for range 4 {
		try("idris@quillmere.example", "wrong")
	}
	status, _, retry := try("idris@quillmere.example", "orchard-ladder-seven")
	assert.Equal(t, http.StatusTooManyRequests, status, "even the right one waits")
	assert.NotEmpty(t, retry)
	s.Clock.Move(2 * time.Minute)
	status, _, _ = try("idris@quillmere.example", "orchard-ladder-seven")
	assert.Equal(t, http.StatusOK, status)
}

func TestAFirstPasswordHasToBeChanged(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	result, err := idris.Write(ctx, "POST", "/credentials/password", api.PasswordWrite{Staff: "Q0008"})
	require.NoError(t, err)
	first := result.Secrets[0].Value
	dilip := client.New(s.URL, "")
	signed, err := dilip.SignIn(ctx, "Q0008", first, "test")
	require.NoError(t, err)
	assert.True(t, signed.Me.MustChange)
	assert.ErrorContains(t, dilip.Get(ctx, "/staff", nil), "Choose your own")
	change := func(old, next string) error {
		return dilip.Do(ctx, "POST", "/me/password", api.PasswordChange{OldPassword: old, NewPassword: next}, nil)
	}
	assert.ErrorContains(t, change("guess", "quince lantern meadow"), "present password")
	assert.ErrorContains(t, change(first, "short"), "15 to")
	require.NoError(t, change(first, "quince lantern meadow"))
	assert.NoError(t, dilip.Get(ctx, "/staff", nil))
}

func TestADeviceAsksForItsOwnPlaceAndSlowsGuessing(t *testing.T) {
	s := testkit.Demo(t)
	door := s.Door()
	ask := func(body api.DecisionRequest) (api.Decision, error) {
		var d api.Decision
		err := door.Do(ctx, "POST", "/decisions", body, &d)
		return d, err
	}
	_, err := ask(api.DecisionRequest{PIN: "480216", Place: "SM-GATE"})
	assert.ErrorContains(t, err, "places below it only")
	_, err = ask(api.DecisionRequest{Staff: "Q0011", Place: "HB-PACK-1"})
	assert.ErrorContains(t, err, "send the pin", "a device cannot open by a name")
	for range 5 {
		d, err := ask(api.DecisionRequest{PIN: "999999", Place: "HB-PACK-1"})
		require.NoError(t, err)
		assert.Equal(t, "unknown_credential", d.Reason)
		assert.Nil(t, d.Staff)
	}
	d, err := ask(api.DecisionRequest{PIN: "999999", Place: "HB-PACK-1"})
	require.NoError(t, err)
	assert.Equal(t, "too_many_tries", d.Reason)
	s.Clock.Move(61 * time.Second)
	d, err = ask(api.DecisionRequest{PIN: "999999", Place: "HB-PACK-1"})
	require.NoError(t, err)
	assert.Equal(t, "unknown_credential", d.Reason)
}

func TestListsPageSortSearchAndExport(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	all, total, err := client.All[api.Staff](ctx, idris, "/staff", 1000, client.Query("sort", "-start_date,name"))
	require.NoError(t, err)
	assert.Equal(t, 240, total)
	require.Len(t, all, 240)
	seen := map[string]bool{}
	for i, p := range all {
		assert.False(t, seen[p.StaffNumber], "nobody twice")
		seen[p.StaffNumber] = true
		if i > 0 {
			assert.GreaterOrEqual(t, all[i-1].StartDate, p.StartDate)
		}
	}
	var paged []api.Staff
	for after := ""; ; {
		var page api.Page[api.Staff]
		require.NoError(t, idris.Get(ctx, "/staff", &page, client.Query("sort", "-start_date,name"),
			client.Query("limit", "37"), client.Query("after", after)))
		paged = append(paged, page.Items...)
		if after = page.Next; after == "" {
			break
		}
	}
	assert.Equal(t, all, paged, "pages put together are the whole")
	_, _, _, header := call(t, s, "GET", "/api/v1/staff?limit=5", "", bearer(idris)...)
	assert.Contains(t, header.Get("Link"), `rel="next"`)
	// Who follows the link stays with what was asked for.
	_, _, _, header = call(t, s, "GET", "/api/v1/staff?limit=2&status=active&site=HB&sort=-name", "", bearer(idris)...)
	link := regexp.MustCompile(`^<(.+)>; rel="next"$`).FindStringSubmatch(header.Get("Link"))
	require.Len(t, link, 2)
	_, _, followed, _ := call(t, s, "GET", link[1], "", bearer(idris)...)
	var first4, second api.Page[api.Staff]
	require.NoError(t, idris.Get(ctx, "/staff", &first4, client.Query("limit", "4"), client.Query("status", "active"),
		client.Query("site", "HB"), client.Query("sort", "-name")))
	require.NoError(t, json.Unmarshal(followed, &second))
	assert.Equal(t, first4.Items[2:], second.Items)
	for query, want := range map[string]int{"q=Q0011": 1, "q=rusk+silvan": 1, "status=left": 8, "locked=true": 3,
		"template=site-manager": 4, "site=FC&engagement=agency": 9, "q=nobodyatall": 0} {
		_, _, body, _ := call(t, s, "GET", "/api/v1/staff?"+query, "", bearer(idris)...)
		var page api.Page[api.Staff]
		require.NoError(t, json.Unmarshal(body, &page))
		assert.Equal(t, want, page.Total, query)
	}
	title := "=HYPERLINK(\"x\")"
	_, err = idris.Write(ctx, "PATCH", "/staff/Q0011", api.StaffWrite{StaffFields: api.StaffFields{JobTitle: &title}})
	require.NoError(t, err)
	_, _, body, header := call(t, s, "GET", "/api/v1/staff", "",
		append([]string{"Accept", "text/csv"}, bearer(idris)...)...)
	assert.Contains(t, header.Get("Content-Type"), "text/csv")
	rows, err := csv.NewReader(bytes.NewReader(body)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 241)
	assert.Contains(t, rows[0], "home_site_code")
	assert.Contains(t, string(body), "'=HYPERLINK", "no formula for a spreadsheet")
	for _, path := range []string{"/places", "/templates", "/permissions", "/assignments", "/exceptions", "/audit",
		"/events", "/devices", "/places/HB-PACK-1/people", "/credentials?staff=Q0011"} {
		_, _, body, _ := call(t, s, "GET", "/api/v1"+path, "",
			append([]string{"Accept", "text/csv"}, bearer(idris)...)...)
		_, err := csv.NewReader(bytes.NewReader(body)).ReadAll()
		assert.NoError(t, err, path)
	}
}

func TestAPreviewSaysWhatWouldBeAndWritesNothing(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	revision := s.App.Live().State().Revision
	result, err := idris.Write(ctx, "POST", "/staff/Q0011/lock", api.LockWrite{Reasoned: api.Reasoned{Reason: "r"}},
		client.Preview(true))
	require.NoError(t, err)
	assert.True(t, result.Preview)
	assert.Equal(t, 1, result.Effect.Losing)
	assert.True(t, result.Effect.NeedsReason)
	result, err = idris.Write(ctx, "POST", "/changes/preview",
		api.ChangeRequest{Operations: []api.Operation{{Op: "template.edit", On: "packer",
			Set: json.RawMessage(`{"settings":{"door.open":"no"}}`)}}})
	require.NoError(t, err)
	assert.Greater(t, result.Effect.Losing, 100, "packers and all whose template is based on it")
	result, err = idris.Write(ctx, "POST", "/credentials/pin", api.PINWrite{PINFields: api.PINFields{Staff: "Q0011"}},
		client.Preview(true))
	require.NoError(t, err)
	assert.Empty(t, result.Secrets, "a PIN that will not be issued is not shown")
	assert.Equal(t, revision, s.App.Live().State().Revision)
}

func TestTheServiceDescribesAndGuardsItself(t *testing.T) {
	s := testkit.Demo(t)
	_, _, spec, _ := call(t, s, "GET", "/api/v1/openapi.json", "")
	var openapi struct {
		OpenAPI string         `json:"openapi"`
		Paths   map[string]any `json:"paths"`
	}
	require.NoError(t, json.Unmarshal(spec, &openapi))
	assert.Equal(t, "3.1.0", openapi.OpenAPI)
	assert.Greater(t, len(openapi.Paths), 30)
	_, _, docs, header := call(t, s, "GET", "/api/docs", "")
	assert.NotContains(t, string(docs), "https://", "the docs ask nothing of any other server")
	assert.Contains(t, string(docs), "/staff/{id}/lock")
	for name, want := range map[string]string{"Content-Security-Policy": "default-src 'none'",
		"X-Content-Type-Options": "nosniff", "X-Frame-Options": "DENY", "X-Request-Id": ""} {
		assert.Contains(t, header.Get(name), want)
		assert.NotEmpty(t, header.Get(name))
	}
	for path, want := range map[string]string{"/livez": "alive", "/readyz": "ready"} {
		status, _, body, _ := call(t, s, "GET", path, "")
		assert.Equal(t, http.StatusOK, status)
		assert.Contains(t, string(body), want)
	}
	status, _, page, header := call(t, s, "GET", "/staff/Q0011", "")
	assert.Equal(t, http.StatusOK, status, "the console's one page stands at every address of its own")
	assert.Contains(t, string(page), `<div id="root">`)
	assert.Equal(t, "no-cache", header.Get("Cache-Control"))
}

// Whatever becomes of the service between a change and its answer, the same key tells what was made; a request that
// never came to its end is carried out by the next one, once.
func TestAKeyTellsWhatBecameOfARequest(t *testing.T) {
	s := testkit.Demo(t)
	token := bearer(s.Client(t, "idris"))
	db, err := sql.Open("mysql", s.DSN)
	require.NoError(t, err)
	defer db.Close()
	enrol := func(name, key string) (int, api.ChangeResult) {
		status, _, answer, _ := call(t, s, "POST", "/api/v1/staff",
			`{"given_name":"Ana","family_name":"`+name+`","home_site":"HB"}`,
			append([]string{"Idempotency-Key", key}, token...)...)
		var result api.ChangeResult
		require.NoError(t, json.Unmarshal(answer, &result), string(answer))
		return status, result
	}
	count := func(name string) int {
		return get[api.Page[api.Staff]](t, s.Client(t, "idris"), "/staff", client.Query("q", name)).Total
	}
	status, first := enrol("Lostanswer", "lost")
	require.Equal(t, http.StatusCreated, status)
	_, err = db.Exec("UPDATE idempotency_keys SET status = 0, response = NULL WHERE `key` = 'lost'")
	require.NoError(t, err)
	other := s.Second(t)
	for _, at := range []*testkit.Service{s, other} {
		here := *s
		here.URL = at.URL
		s := &here
		status, _, answer, header := call(t, s, "POST", "/api/v1/staff",
			`{"given_name":"Ana","family_name":"Lostanswer","home_site":"HB"}`,
			append([]string{"Idempotency-Key", "lost"}, token...)...)
		var again api.ChangeResult
		require.NoError(t, json.Unmarshal(answer, &again))
		assert.Equal(t, http.StatusCreated, status)
		assert.Equal(t, "true", header.Get("Answered-Before"))
		assert.Equal(t, "/api/v1/staff/"+again.Made[0].Code, header.Get("Location"))
		assert.Equal(t, first.AuditID, again.AuditID)
		assert.Equal(t, first.Made, again.Made)
	}
	assert.Equal(t, 1, count("Lostanswer"))

	// One that was begun by a service that died: what stands for it is a key without an end.
	_, _ = enrol("Template", "of which")
	_, err = db.Exec("DELETE FROM idempotency_keys WHERE `key` = 'of which'")
	require.NoError(t, err)
	status, _ = enrol("Unbegun", "dead")
	require.Equal(t, http.StatusCreated, status)
	_, err = db.Exec("UPDATE idempotency_keys SET status = 0, response = NULL, audit_id = NULL WHERE `key` = 'dead'")
	require.NoError(t, err)
	before := count("Unbegun")
	var wait sync.WaitGroup
	var made, outlived atomic.Int32
	for range 4 {
		wait.Go(func() {
			switch status, _ := enrol("Unbegun", "dead"); status {
			case http.StatusCreated, http.StatusOK:
				made.Add(1)
			case http.StatusConflict:
				outlived.Add(1)
			}
		})
	}
	wait.Wait()
	assert.EqualValues(t, 4, made.Load()+outlived.Load())
	assert.Positive(t, made.Load())
	assert.Equal(t, before+1, count("Unbegun"), "of four that took it over one made it")
}
