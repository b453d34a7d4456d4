package httpapi_test

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
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
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/testkit"
)

// hidden stands in every field of every record outside the reach of Harrow Bend, and nowhere else.
const hidden = "hiddenmark"

func raw(t *testing.T, fields map[string]any) json.RawMessage {
	t.Helper()
	encoded, err := json.Marshal(fields)
	require.NoError(t, err)
	return encoded
}

// plant writes people at another site, and one of that site who works at Harrow Bend too, with the mark in whatever is
// not to be known at Harrow Bend. It returns references to what was written, as routes take them.
func plant(t *testing.T, s *testkit.Service) (references []string) {
	t.Helper()
	maren := s.Client(t, "maren")
	person := func(number, given string) map[string]any {
		fields := map[string]any{"staff_number": number, "given_name": given, "family_name": given, "known_as": given,
			"home_site": "SM", "start_date": "2020-01-01"}
		for _, field := range []string{"phone", "job_title", "employer", "notes", "external_id"} {
			fields[field] = hidden + field + number
		}
		fields["email"] = hidden + number + "@quillmere.example"
		return fields
	}
	write := func(reason string, operations ...api.Operation) {
		result, err := maren.Write(ctx, "POST", "/changes", api.ChangeRequest{Reason: reason, Operations: operations})
		require.NoError(t, err)
		references = append(references, fmt.Sprint(result.AuditID))
		for _, made := range result.Made {
			references = append(references, fmt.Sprint(made.ID))
		}
	}
	step := func(op, on string, fields map[string]any) api.Operation {
		o := api.Operation{Op: op, On: on}
		if fields != nil {
			o.Set = raw(t, fields)
		}
		return o
	}
	gone := person("H-3", hidden+"three")
	gone["line_manager"] = "H-1"
	write(hidden+" enrolling",
		step("staff.enrol", "", person("H-1", hidden+"one")), step("staff.enrol", "", person("H-2", "Working")),
		step("staff.enrol", "", gone),
		step("assignment.add", "", map[string]any{"staff": "H-1", "place": "SM", "template": "grader"}),
		step("assignment.add", "", map[string]any{"staff": "H-2", "place": "SM", "template": "grader"}))
	write("a day here", step("assignment.add", "",
		map[string]any{"staff": "H-2", "place": "HB-PACK", "template": "grader"}))
	for _, who := range []string{"H-1", "H-2"} {
		write(hidden+" about "+who,
			step("exception.add", "", map[string]any{"staff": who, "place": "SM", "permission": "stock.adjust",
				"level": "20"}),
			step("bar.add", "", map[string]any{"staff": who, "place": "SM-GATE"}),
			step("certificate.add", "", map[string]any{"staff": who, "qualification": "HYGIENE", "issued": "2026-01-01",
				"number": hidden + "ticket"}),
			step("pin.set", "", map[string]any{"staff": who}), step("password.issue", "", map[string]any{"staff": who}))
	}
	write(hidden+" locked", step("staff.lock", "H-1", nil), step("staff.lock", "H-2", nil))
	write(hidden+" left", step("staff.leave", "H-3", nil))
	write("a field that owners see, of somebody in reach", step("field.define", "", map[string]any{"key": "risk",
		"name": hidden + " field", "seen_by": "owners"}),
		step("staff.edit", "Q0011", map[string]any{"own": map[string]any{"risk": hidden + " risk"}}))
	write("a team", step("team.add", "", map[string]any{"code": "HIDDEN", "name": hidden + " team"}),
		step("member.add", "", map[string]any{"team": "HIDDEN", "staff": "H-1"}))
	write("a controller", step("device.add", "", map[string]any{"name": hidden + " controller", "place": "SM"}))
	_, err := maren.Write(ctx, "POST", "/drafts/open/edits",
		api.DraftEdits{Operations: []api.Operation{step("staff.edit", "H-1",
			map[string]any{"notes": hidden + " draft"})}})
	require.NoError(t, err)
	live := s.App.Live().State()
	for _, number := range []string{"H-1", "H-2", "H-3"} {
		p := live.StaffByNumber(number)
		references = append(references, number, fmt.Sprint(p.ID))
		for _, id := range live.AssignmentsOf(p.ID) {
			references = append(references, fmt.Sprint(id))
		}
		for _, id := range live.CertificatesOf(p.ID) {
			references = append(references, fmt.Sprint(id))
			require.NoError(t, maren.Send(ctx, fmt.Sprint("/certificates/", id, "/scan"), []byte("%PDF-1.4 "+hidden)))
		}
		for _, id := range live.CredentialsOf(p.ID) {
			references = append(references, fmt.Sprint(id))
		}
	}
	return append(references, "HIDDEN", fmt.Sprint(live.TeamByCode("HIDDEN").ID), "1", "2", "3", fmt.Sprint(
		live.Devices.Last()), "open")
}

// Whatever somebody asks, nothing comes back of a record outside their reach, whether it is answered or refused: a
// manager of another site, a supervisor, a device, and somebody who may do nothing here.
func TestNothingOutsideTheirReachIsTold(t *testing.T) {
	s := testkit.Demo(t)
	references := plant(t, s)
	slices.Sort(references)
	references = slices.Compact(references)
	told, tried := 0, 0
	callers := map[string]*client.Client{"the site manager": s.Client(t, "tamsin"), "a supervisor": s.Client(t, "joss"),
		"a device": s.Door(), "a lead who sees one team": s.Client(t, "hilde")}
	// The site manager last: among what they do is retiring their own site.
	for _, caller := range []string{"a supervisor", "a lead who sees one team", "a device", "the site manager"} {
		c := callers[caller]
		look := func(method, path, body string) {
			tried++
			request, err := http.NewRequest(method, s.URL+"/api/v1"+path, strings.NewReader(body))
			require.NoError(t, err)
			request.Header.Set("Authorization", "Bearer "+c.Token)
			request.Header.Set("Content-Type", "application/json")
			status, answer := answered(t, request)
			if status < 300 {
				told++
			}
			if strings.Contains(answer, hidden) {
				at := strings.Index(answer, hidden)
				assert.Fail(t, "told", "%s: %s %s %s: %d …%s…", caller, method, path, body, status,
					answer[max(0, at-150):min(len(answer), at+50)])
			}
		}
		for _, r := range s.HTTP.Routes() {
			if r.Access.Public {
				continue
			}
			if r.Method == "DELETE" && strings.Contains(r.Path, "session") {
				continue // it would end their own
			}
			paths := []string{r.Path}
			if strings.Contains(r.Path, "{id}") {
				paths = nil
				for _, reference := range references {
					paths = append(paths, strings.Replace(r.Path, "{id}", reference, 1))
				}
			}
			for _, path := range paths {
				bodies := []string{""}
				if r.Method != "GET" {
					bodies = []string{`{"reason":"r"}`, `{"staff":"H-1","reason":"r"}`}
				}
				for _, body := range bodies {
					look(r.Method, path, body)
				}
				if r.Method == "GET" && !strings.Contains(r.Path, "{id}") {
					for _, query := range []string{"limit=500", "staff=H-1", "staff=H-2", "place=SM", "q=H-1", "q=one",
						"site=SM", "place=HB&limit=500", "permission=door.open&limit=500"} {
						look("GET", path+"?"+query, "")
					}
				}
			}
		}
		if caller == "a device" {
			continue // none of them makes changes, as the routes above have seen
		}
		// The general way of making changes, tried with each operation at each of them; in a short run with one of the
		// eight ways of trying at each, another at the next.
		for i, name := range change.Operations() {
			for j, on := range references {
				for k, to := range []string{"/changes/preview", "/changes"} {
					for l, set := range []map[string]any{nil,
						{"staff": "H-1", "place": "HB-PACK", "template": "grader", "permission": "stock.adjust",
							"level": "20"}, {"line_manager": "H-1"}, {"email": "someone@quillmere.example"}} {
						if !testkit.Long() && (i+j)%8 != 4*k+l {
							continue
						}
						operation := map[string]any{"op": name, "on": on}
						if set != nil {
							operation["set"] = set
						}
						look("POST", to, string(raw(t, map[string]any{"reason": "r", "operations": []any{operation}})))
					}
				}
			}
		}
	}
	t.Logf("tried %d requests with %d references, %d were answered", tried, len(references), told)
	assert.Greater(t, told, 100, "much was answered")
	// Who looks after their home sees it all: the mark is where it was planted.
	for _, path := range []string{"/staff/H-1", "/audit?staff=H-1", "/exceptions?staff=H-1", "/bars?staff=H-1",
		"/certificates?staff=H-1", "/certificates/" + fmt.Sprint(s.App.Live().State().Certificates.Last()) + "/scan",
		"/devices", "/drafts/open"} {
		_, _, answer, _ := call(t, s, "GET", "/api/v1"+path, "", bearer(s.Client(t, "maren"))...)
		assert.Contains(t, string(answer), hidden, path)
	}
}

// What nobody is to know is not told by which refusal comes: somebody else's email, or what is on record of somebody
// whom one may not see, reads as what is not there.
func TestARefusalReadsAsIfNothingWereThere(t *testing.T) {
	s := testkit.Demo(t)
	plant(t, s)
	tamsin := bearer(s.Client(t, "tamsin"))
	for _, c := range []struct{ method, path, there, not string }{
		{"PATCH", "/staff/Q0011", `{"line_manager":"H-1"}`, `{"line_manager":"H-9"}`},
		{"POST", "/decisions", `{"staff":"H-1","place":"HB-PACK-1"}`, `{"staff":"H-9","place":"HB-PACK-1"}`},
		{"POST", "/assignments", `{"staff":"H-1","place":"HB-PACK","template":"grader"}`,
			`{"staff":"H-9","place":"HB-PACK","template":"grader"}`},
		{"POST", "/credentials/pin", `{"staff":"H-1"}`, `{"staff":"H-9"}`},
		{"GET", "/staff/H-1", "", ""},
		{"GET", "/staff/H-1/access", "", ""},
		{"POST", "/staff/H-1/lock", `{"reason":"r"}`, `{"reason":"r"}`},
	} {
		status, there, _, _ := call(t, s, c.method, "/api/v1"+c.path, c.there, tamsin...)
		other, not, _, _ := call(t, s, c.method, "/api/v1"+strings.Replace(c.path, "H-1", "H-9", 1), c.not, tamsin...)
		assert.GreaterOrEqual(t, status, 400, c.path)
		assert.Equal(t, other, status, c.path)
		assert.Equal(t, not.Detail, strings.ReplaceAll(there.Detail, "H-1", "H-9"), c.path)
	}
}

// A misspelt parameter or field is refused on every route; none is passed over, and nothing is written.
func TestWhatIsMisspeltIsRefusedOnEveryRoute(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	atTerminal := registered(t, s, "HB-PACK")
	_, refused := atTerminal.show(api.TerminalShow{Badge: get[api.Page[api.Badge]](t, maren, "/badges",
		client.Query("staff", "Q0116")).Items[0].Number})
	require.Empty(t, refused)
	revision := s.App.Live().State().Revision
	for _, r := range s.HTTP.Routes() {
		token := bearer(maren)
		if r.Access.Terminal || r.Access.Visit {
			token = atTerminal.headers()
		}
		path := "/api/v1" + strings.Replace(r.Path, "{id}", "Q0011", 1)
		if strings.Contains(r.Path, "{id}") && !strings.HasPrefix(r.Path, "/staff") {
			path = "/api/v1" + strings.Replace(r.Path, "{id}", "1", 1)
		}
		body := ""
		if r.Method != "GET" {
			body = "{}"
		}
		status, p, answer, _ := call(t, s, r.Method, path+"?preveiw=true", body, token...)
		assert.Equal(t, http.StatusUnprocessableEntity, status, "%s %s: %s", r.Method, r.Path, answer)
		if assert.NotEmpty(t, p.Errors, r.Path) {
			assert.Equal(t, "query.preveiw", p.Errors[0].Field)
		}
		if r.Method == "POST" || r.Method == "PATCH" {
			if r.Path == "/session" || slices.Contains(
				[]string{"/rulebook", "/drafts/{id}/rulebook", "/places/{id}/calendar", "/imports"}, r.Path) {
				continue // signing in tells nobody anything; the others read no JSON
			}
			status, _, answer, _ = call(t, s, r.Method, path, `{"shoe_size":44}`, token...)
			assert.Contains(t, []int{http.StatusUnprocessableEntity, http.StatusBadRequest}, status, "%s %s: %s",
				r.Method, r.Path, answer)
			assert.Contains(t, string(answer), "shoe_size", r.Path)
		}
	}
	assert.Equal(t, revision, s.App.Live().State().Revision)
}

// A secret that somebody chose is kept nowhere, and what is kept of requests is a keyed digest.
func TestASecretLeavesNoTrace(t *testing.T) {
	s := testkit.Demo(t)
	token := bearer(s.Client(t, "idris"))
	for i, body := range []string{`{"staff":"Q0011","pin":"480217"}`, `{"staff":"Q0011"}`} {
		status, _, answer, _ := call(t, s, "POST", "/api/v1/credentials/pin", body,
			append([]string{"Idempotency-Key", fmt.Sprint("pin-", i)}, token...)...)
		require.Less(t, status, 300, string(answer))
	}
	status, _, answer, _ := call(t, s, "POST", "/api/v1/changes",
		`{"operations":[{"op":"pin.set","set":{"staff":"Q0012","pin":"481502"}}]}`,
		append([]string{"Idempotency-Key", "change"}, token...)...)
	require.Less(t, status, 300, string(answer))
	status, _, answer, _ = call(t, s, "POST", "/api/v1/staff/acts",
		`{"op":"pin.set","set":{"pin":"481630"},"staff":["Q0013"]}`,
		append([]string{"Idempotency-Key", "acts"}, token...)...)
	require.Less(t, status, 300, string(answer))
	status, _, _, _ = call(t, s, "POST", "/api/v1/me/password",
		`{"old_password":"orchard-ladder-seven","new_password":"nine green ladders lean"}`,
		append([]string{"Idempotency-Key", "password"}, token...)...)
	require.Less(t, status, 300)
	for table, rows := range tables(t, s.DSN) {
		for _, secret := range []string{"480217", "481502", "481630", "nine green ladders", "orchard-ladder"} {
			// Digits within a longer number, such as that of an event, are no PIN.
			assert.False(t, regexp.MustCompile(`(^|\D)`+secret+`(\D|$)`).MatchString(rows), "%s holds %s", table, secret)
		}
	}
	for _, key := range []string{"password", "acts", "change", "pin-0"} {
		assert.NotContains(t, tables(t, s.DSN)["idempotency_keys"], key, "a request that carries a secret is not kept")
	}
}

// A preview says nothing of which PINs are in use; making it does, stands in the audit log, and is slowed.
func TestAPreviewIsNoWayToFindPINs(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	_, err := idris.Write(ctx, "POST", "/credentials/pin",
		api.PINWrite{PINFields: api.PINFields{Staff: "Q0011", PIN: "480216"}})
	require.NoError(t, err)
	try := func(path, pin string) (int, string) {
		status, p, answer, _ := call(t, s, "POST", "/api/v1"+path,
			`{"operations":[{"op":"pin.set","set":{"staff":"Q0012","pin":"`+pin+`"}}]}`, bearer(idris)...)
		if status >= 400 {
			return status, p.Detail
		}
		return status, strings.ReplaceAll(string(answer), pin, "")
	}
	used, said := try("/changes/preview", "480216")
	free, other := try("/changes/preview", "739152")
	assert.Equal(t, http.StatusOK, used)
	assert.Equal(t, used, free)
	assert.Equal(t, other, said, "word for word")
	made, _ := try("/changes", "480216")
	assert.Equal(t, http.StatusConflict, made)
	refused := 0
	for range 40 {
		if status, _ := try("/changes", "480216"); status == http.StatusTooManyRequests {
			refused++
		}
	}
	assert.Greater(t, refused, 20, "a few times a minute for one person")
	audit := get[api.Page[map[string]any]](t, s.Client(t, "maren"), "/audit", client.Query("limit", "100"))
	assert.Contains(t, string(raw(t, map[string]any{"items": audit.Items})), "Chose a PIN that is in use",
		"and it is on record")
	// Whose a PIN is, is told to those who may see that person.
	_, err = s.Client(t, "maren").Write(ctx, "POST", "/credentials/pin",
		api.PINWrite{PINFields: api.PINFields{Staff: "Q0122", PIN: "592841"}})
	require.NoError(t, err)
	ask := func(pin string) api.Decision {
		var d api.Decision
		require.NoError(t, s.Client(t, "tamsin").Do(ctx, "POST", "/decisions",
			api.DecisionRequest{PIN: pin, Place: "HB-PACK-1"}, &d))
		return d
	}
	elsewhere, nobody := ask("592841"), ask("637284")
	assert.Nil(t, elsewhere.Staff)
	assert.Equal(t, nobody.Reason, elsewhere.Reason)
	assert.Equal(t, nobody.Sentence, elsewhere.Sentence)
	assert.NotNil(t, ask("480216").Staff)
}

// Requests are as large as their route needs, and what is nonsense in structure is told in a few lines.
func TestBodiesAreBounded(t *testing.T) {
	s := testkit.Demo(t)
	token := bearer(s.Client(t, "maren"))
	status, _, _, _ := call(t, s, "POST", "/api/v1/session", `{"name":"`+strings.Repeat("x", 8<<10)+`","password":"p"}`)
	assert.Equal(t, http.StatusRequestEntityTooLarge, status, "anybody may send little")
	status, _, _, _ = call(t, s, "POST", "/api/v1/staff", `{"notes":"`+strings.Repeat("x", 70<<10)+`"}`, token...)
	assert.Equal(t, http.StatusRequestEntityTooLarge, status)
	status, _, _, _ = call(t, s, "POST", "/api/v1/changes",
		`{"operations":[`+strings.Repeat(`{"op":"place.retire"},`, 30_000)+`{}]}`, token...)
	assert.Less(t, status, 500)
	var wrong []string
	for i := range 500 {
		wrong = append(wrong, fmt.Sprintf(`{"op":7,"colour%d":true}`, i))
	}
	status, p, _, _ := call(t, s, "POST", "/api/v1/changes", `{"operations":[`+strings.Join(wrong, ",")+`]}`, token...)
	assert.GreaterOrEqual(t, status, 400)
	assert.LessOrEqual(t, len(p.Errors), 20)
	deep := strings.Repeat(`{"set":`, 20_000) + "1" + strings.Repeat("}", 20_000)
	began := time.Now()
	status, _, _, _ = call(t, s, "POST", "/api/v1/changes",
		`{"operations":[{"op":"place.edit","on":"HB","set":`+deep+`}]}`, token...)
	assert.GreaterOrEqual(t, status, 400)
	assert.Less(t, status, 500)
	assert.Less(t, time.Since(began), 20*time.Second, "it ends")
}

func answered(t *testing.T, request *http.Request) (int, string) {
	t.Helper()
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	defer func() { _ = response.Body.Close() }()
	answer, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response.StatusCode, string(answer)
}

// tables gives all that each table of a database holds, as text.
func tables(t *testing.T, dsn string) map[string]string {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer func() { _ = db.Close() }()
	names := texts(t, db, "SHOW TABLES")
	all := map[string]string{}
	for _, name := range strings.Fields(names) {
		all[name] = texts(t, db, "SELECT * FROM `"+name+"` FOR SYSTEM_TIME ALL")
		if all[name] == "" {
			all[name] = texts(t, db, "SELECT * FROM `"+name+"`")
		}
	}
	return all
}

func texts(t *testing.T, db *sql.DB, query string) string {
	t.Helper()
	rows, err := db.Query(query)
	if err != nil {
		return "" // it keeps no history
	}
	defer func() { _ = rows.Close() }()
	columns, err := rows.Columns()
	require.NoError(t, err)
	var text strings.Builder
	for rows.Next() {
		values, into := make([]sql.RawBytes, len(columns)), make([]any, len(columns))
		for i := range values {
			into[i] = &values[i]
		}
		require.NoError(t, rows.Scan(into...))
		for _, value := range values {
			text.Write(value)
			text.WriteByte('\n')
		}
	}
	require.NoError(t, rows.Err())
	return text.String()
}
