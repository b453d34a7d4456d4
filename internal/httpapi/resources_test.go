package httpapi_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// get reads into a new value.
func get[T any](t *testing.T, c *client.Client, path string, options ...client.Option) T {
	t.Helper()
	var out T
	require.NoError(t, c.Get(ctx, path, &out, options...), path)
	return out
}

func text(s string) *string { return &s }

func TestAStaffMembersLifeThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	tomorrow := time.Now().AddDate(0, 0, 2).Format(time.DateOnly)
	result, err := idris.Write(ctx, "POST", "/staff",
		api.StaffWrite{StaffFields: api.StaffFields{GivenName: text("Ana"), FamilyName: text("Quennell"),
			HomeSite: text("HB"), StartDate: &tomorrow, LineManager: text("Q0007")}})
	require.NoError(t, err)
	require.Equal(t, "Q0241", result.Made[0].Code)
	p := get[api.Staff](t, idris, "/staff/q0241")
	assert.Equal(t, "prepared", p.Status)
	assert.Equal(t, "Joss Hallam", p.LineManager.Name)
	assert.Equal(t, p.StaffNumber, get[api.Staff](t, idris, fmt.Sprint("/staff/", p.ID)).StaffNumber,
		"by number or by id alike")
	act := func(verb string, body any) api.Staff {
		t.Helper()
		_, err := idris.Write(ctx, "POST", "/staff/Q0241/"+verb, body)
		require.NoError(t, err)
		return get[api.Staff](t, idris, "/staff/Q0241")
	}
	assert.Equal(t, "active", act("activate", api.Reasoned{}).Status)
	p = act("leave", api.LeaveWrite{Reasoned: api.Reasoned{Reason: "gave notice"}, On: testkit.InWeeks(2)})
	assert.Equal(t, "active", p.Status)
	assert.Equal(t, testkit.InWeeks(2), p.LeavingDate)
	assert.Empty(t, act("reinstate", api.Reasoned{}).LeavingDate)
	assert.Equal(t, "left", act("leave", api.LeaveWrite{Reasoned: api.Reasoned{Reason: "left"}}).Status)
	assert.Equal(t, "active", act("reinstate", api.Reasoned{}).Status)
	until := time.Now().Add(time.Hour).UTC().Truncate(time.Second)
	p = act("lock", api.LockWrite{Reasoned: api.Reasoned{Reason: "talk first"}, Until: until.Format(time.RFC3339)})
	require.NotNil(t, p.Lock)
	assert.Equal(t, "Idris Calloway", p.Lock.By.Name)
	s.Clock.Move(time.Hour + time.Second)
	assert.Nil(t, get[api.Staff](t, idris, "/staff/Q0241").Lock, "a lock with an end ends by itself")
	history := get[api.Page[api.AuditEntry]](t, idris, "/audit", client.Query("staff", "Q0241"))
	assert.Equal(t, 7, history.Total)
	assert.Equal(t, "Locked Q0241 Ana Quennell", history.Items[0].Summary)
	whole := get[api.AuditEntry](t, idris, fmt.Sprint("/audit/", history.Items[0].ID))
	assert.Equal(t, "staff.lock", whole.Operations[0].Op)
	assert.Contains(t, fmt.Sprint(whole.Operations[0].After["lock"]), "talk first")
	assert.Nil(t, whole.Operations[0].Before["lock"])
}

func TestAssignmentsThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	result, err := idris.Write(ctx, "POST", "/assignments",
		api.AssignmentWrite{AssignmentFields: api.AssignmentFields{Staff: text("Q0011"), Place: text("HB-GRADE"),
			Template: text("grader"),
			From:     text(testkit.InWeeks(1)),
			Hours: &api.AccessHours{Kind: "weekly",
				Rules: []api.HoursRule{{Days: "mon-fri", From: "22:00", Until: "06:00"}}}}})
	require.NoError(t, err)
	path := fmt.Sprint("/assignments/", result.Made[0].ID)
	a := get[api.Assignment](t, idris, path)
	assert.Equal(t, "later", a.When)
	assert.Equal(t, "Mon–Fri 22:00–06:00", a.HoursWords)
	assert.NotEmpty(t, a.Until, "the template says how long an assignment lasts")
	_, err = idris.Write(ctx, "PATCH", path,
		api.AssignmentWrite{AssignmentFields: api.AssignmentFields{From: text(testkit.InWeeks(0))}},
		client.IfMatch(a.ETag))
	require.NoError(t, err)
	assert.Equal(t, "now", get[api.Assignment](t, idris, path).When)
	_, err = idris.Write(ctx, "PATCH", path,
		api.AssignmentWrite{AssignmentFields: api.AssignmentFields{Place: text("HB")}})
	assert.ErrorContains(t, err, "keeps its person, place and template")
	_, err = idris.Write(ctx, "DELETE", path, nil)
	assert.ErrorContains(t, err, "say why", "it takes something away")
	_, err = idris.Write(ctx, "DELETE", path, nil, client.Query("reason", "not needed"))
	require.NoError(t, err)
	assert.Equal(t, "ended", get[api.Assignment](t, idris, path).When)
	here := get[api.Page[api.Assignment]](t, idris, "/assignments", client.Query("staff", "Q0011"))
	assert.Equal(t, 1, here.Total, "what was taken back is not listed unless asked for")
	assert.Equal(t, 1, get[api.Page[api.Assignment]](t, idris, "/assignments", client.Query("staff", "Q0011"),
		client.Query("when", "ended")).Total)
	all := get[api.Page[api.Assignment]](t, idris, "/assignments", client.Query("template", "site-manager"))
	assert.Equal(t, 4, all.Total)
	cold := get[api.Page[api.Assignment]](t, idris, "/assignments", client.Query("place", "SM"),
		client.Query("when", "now"), client.Query("limit", "1"))
	assert.Greater(t, cold.Total, 20)
	assert.Len(t, cold.Items, 1)
}

func TestExceptionsThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	check := func(permission, place string) string {
		var d api.Decision
		require.NoError(t, idris.Do(ctx, "POST", "/decisions",
			api.DecisionRequest{Staff: "Q0011", Permission: permission, Place: place}, &d))
		return d.Reason
	}
	write := func(f api.ExceptionFields) (*api.ChangeResult, error) {
		return idris.Write(ctx, "POST", "/exceptions",
			api.ExceptionWrite{ExceptionFields: f, Reasoned: api.Reasoned{Reason: "light duty"}})
	}
	require.Equal(t, "granted", check("line.clean", "HB-LINE-1"))
	made, err := write(api.ExceptionFields{Staff: "Q0011", Permission: "line.clean", Place: "HB-PACK", Withheld: true})
	require.NoError(t, err)
	assert.Equal(t, "permission_withheld", check("line.clean", "HB-LINE-1"))
	assert.Equal(t, "granted", check("line.clean", "HB-WASHLINE-1"), "elsewhere it still counts")
	_, err = write(api.ExceptionFields{Staff: "Q0011", Permission: "stock.adjust", Place: "HB-PACK", Level: "10",
		Until: testkit.InWeeks(1)})
	require.NoError(t, err)
	assert.Equal(t, "granted", check("stock.adjust", "HB-SCAN-1"))
	listed := get[api.Page[api.Exception]](t, idris, "/exceptions", client.Query("staff", "Q0011"))
	require.Equal(t, 2, listed.Total)
	assert.Equal(t, "10", listed.Items[0].Level, "the newest comes first")
	assert.True(t, listed.Items[1].Withheld)
	_, err = idris.Write(ctx, "DELETE", fmt.Sprint("/exceptions/", made.Made[0].ID), nil)
	require.NoError(t, err)
	assert.Equal(t, "granted", check("line.clean", "HB-LINE-1"))
	access := get[api.Access](t, idris, "/staff/Q0011/access")
	require.Len(t, access.Statements, 2)
	assert.Contains(t, access.Statements[1].Sentence, "by exception")
}

func TestPlacesThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	idris, tamsin := s.Client(t, "idris"), s.Client(t, "tamsin")
	site := api.PlaceWrite{PlaceFields: api.PlaceFields{Code: text("NW"), Name: text("North Wharf"), Kind: text("site"),
		TimeZone: text("Europe/Dublin"),
		Opening: &api.OpeningHours{Rules: []api.HoursRule{{Days: "mon-fri", From: "08:00", Until: "16:00"}},
			Dated: []api.DatedHours{{Name: "Holiday", From: "2030-01-01", Until: "2030-01-01",
				Rules: []api.HoursRule{}}}}}}
	_, err := tamsin.Write(ctx, "POST", "/places", site)
	assert.ErrorContains(t, err, "at Quillmere Fruit Co-operative", "a new site is for who looks after all")
	_, err = idris.Write(ctx, "POST", "/places", site)
	require.NoError(t, err)
	nw := get[api.Place](t, idris, "/places/nw")
	assert.Equal(t, "Mon–Fri 08:00–16:00", nw.OpeningWords)
	assert.Equal(t, "Holiday", nw.Opening.Dated[0].Name)
	_, err = tamsin.Write(ctx, "POST", "/places",
		api.PlaceWrite{PlaceFields: api.PlaceFields{Code: text("HB-NEW"), Name: text("New hall"), Kind: text("zone"),
			Parent: text("HB")}})
	require.NoError(t, err, "within her own site she may")
	_, err = tamsin.Write(ctx, "PATCH", "/places/HB-NEW",
		api.PlaceWrite{PlaceFields: api.PlaceFields{Parent: text("SM")}})
	assert.ErrorContains(t, err, "which you do not hold")
	bad := site
	bad.Code, bad.TimeZone = text("XX"), text("Mars/Base")
	_, err = s.Client(t, "maren").Write(ctx, "POST", "/places", bad)
	assert.ErrorContains(t, err, "not a known time zone")
	retire := func(code string, verb string) error {
		_, err := idris.Write(ctx, "POST", "/places/"+code+"/"+verb, api.Reasoned{Reason: "sold"})
		return err
	}
	require.NoError(t, retire("HB-PACK", "retire"))
	assert.True(t, get[api.Place](t, idris, "/places/HB-PACK-1").Retired, "with all below it")
	assert.Error(t, retire("HB-PACK", "retire"))
	assert.Equal(t, 14, get[api.Page[api.Place]](t, idris, "/places", client.Query("retired", "true")).Total)
	require.NoError(t, retire("HB-PACK", "restore"))
	assert.False(t, get[api.Place](t, idris, "/places/HB-PACK-1").Retired)
	for query, want := range map[string]int{"kind=site": 5, "q=cold+room": 9, "under=HB-COLD": 4,
		"under=HB-COLD&kind=door": 3} {
		_, _, body, _ := call(t, s, "GET", "/api/v1/places?"+query, "", bearer(idris)...)
		var page api.Page[api.Place]
		require.NoError(t, json.Unmarshal(body, &page))
		assert.Equal(t, want, page.Total, query)
	}
	people := get[api.Page[api.PlacePerson]](t, idris, "/places/HB-CHEM-1/people")
	assert.Greater(t, people.Total, 3)
	for _, p := range people.Items {
		assert.Contains(t, []string{"", "Operations manager", "Site manager", "Maintenance fitter"}, p.Template)
	}
	_, err = tamsin.Write(ctx, "GET", "/places/SM-GATE/people", nil)
	assert.ErrorContains(t, err, "See staff")
}

func TestTemplatesAndCatalogueThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	idris, tamsin := s.Client(t, "idris"), s.Client(t, "tamsin")
	lead := get[api.Template](t, tamsin, "/templates/line-lead")
	assert.Equal(t, "line-operator", lead.Base)
	from := map[string]string{}
	for _, p := range lead.Permissions {
		from[p.Permission] = p.Level + " " + p.From
	}
	assert.Equal(t, "lead its own", from["line.run"])
	assert.Equal(t, "yes from Line operator", from["line.stop"])
	assert.Equal(t, "yes from Packer", from["door.open"])
	assert.True(t, lead.Assignable)
	operations := get[api.Template](t, tamsin, "/templates/operations-manager")
	assert.False(t, operations.Assignable, "it gives more than she holds")
	_, err := tamsin.Write(ctx, "PATCH", "/templates/packer",
		api.TemplateWrite{TemplateFields: api.TemplateFields{Name: text("x")}})
	assert.ErrorContains(t, err, "Edit templates")
	settings := map[string]string{"door": "full", "line.run": "run", "stock.adjust": "15"}
	result, err := idris.Write(ctx, "POST", "/templates",
		api.TemplateWrite{TemplateFields: api.TemplateFields{Code: text("helper"), Name: text("Helper"),
			Base: text("picker"), Settings: settings,
			Hours: &api.AccessHours{Kind: "opening", BeforeMinutes: 15}}})
	require.NoError(t, err)
	assert.Equal(t, "template", result.Made[0].Kind)
	helper := get[api.Template](t, idris, "/templates/helper")
	assert.Equal(t, settings, helper.Settings)
	_, err = idris.Write(ctx, "POST", "/templates/helper/retire", api.Reasoned{})
	require.NoError(t, err)
	assert.Equal(t, 15, get[api.Page[api.Template]](t, idris, "/templates").Total)
	assert.Equal(t, 16, get[api.Page[api.Template]](t, idris, "/templates", client.Query("retired", "all")).Total)
	_, err = idris.Write(ctx, "POST", "/assignments",
		api.AssignmentWrite{AssignmentFields: api.AssignmentFields{Staff: text("Q0011"), Place: text("HB"),
			Template: text("helper")}})
	assert.ErrorContains(t, err, "retired")
	assert.Equal(t, 64, get[api.Page[api.Permission]](t, idris, "/permissions").Total)
	chemical := get[api.Page[api.Permission]](t, idris, "/permissions", client.Query("q", "fuel stores"))
	require.Equal(t, 1, chemical.Total, "by any word of the sentence")
	assert.True(t, chemical.Items[0].Sensitive)
	assert.Equal(t, 6, get[api.Page[api.Permission]](t, idris, "/permissions", client.Query("group", "door")).Total)
}

func TestDevicesAndEventsThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	result, err := idris.Write(ctx, "POST", "/devices", api.DeviceWrite{Name: "Hall controller", Place: "HB-PACK"})
	require.NoError(t, err)
	door := client.New(s.URL, result.Secrets[0].Value)
	_, err = idris.Write(ctx, "POST", "/credentials/pin",
		api.PINWrite{PINFields: api.PINFields{Staff: "Q0011", PIN: "480216"}})
	require.NoError(t, err)
	var d api.Decision
	require.NoError(t, door.Do(ctx, "POST", "/decisions", api.DecisionRequest{PIN: "480216", Place: "HB-PACK-1"}, &d))
	assert.Equal(t, "allow", d.Outcome)
	assert.Empty(t, d.Grounds, "a door is not told why somebody may")
	require.Eventually(t, func() bool {
		events := get[api.Page[api.Event]](t, idris, "/events", client.Query("staff", "Q0011"),
			client.Query("place", "HB-PACK"), client.Query("from", time.Now().Add(-time.Minute).Format(time.RFC3339)))
		return events.Total == 1 && events.Items[0].Device == "Hall controller"
	}, 5*time.Second, 20*time.Millisecond)
	refused := get[api.Page[api.Event]](t, idris, "/events", client.Query("outcome", "refuse"),
		client.Query("limit", "3"))
	require.Len(t, refused.Items, 3)
	older := get[api.Page[api.Event]](t, idris, "/events", client.Query("outcome", "refuse"),
		client.Query("limit", "3"), client.Query("after", refused.Next))
	assert.True(t, older.Items[0].At.Before(refused.Items[2].At) || older.Items[0].ID < refused.Items[2].ID)
	_, err = idris.Write(ctx, "DELETE", fmt.Sprint("/devices/", result.Made[0].ID), nil)
	require.NoError(t, err)
	assert.ErrorContains(t, door.Do(ctx, "POST", "/decisions", api.DecisionRequest{PIN: "480216", Place: "HB-PACK-1"},
		nil), "does not count here")
	for body, want := range map[string]int{`{"pin":`: http.StatusBadRequest,
		`{"pin":"` + strings.Repeat("1", 5000) + `"}`: http.StatusRequestEntityTooLarge,
		`{"pin":"480216","place":"NOWHERE"}`:          http.StatusNotFound} {
		status, _, _, _ := call(t, s, "POST", "/api/v1/decisions", body, "Authorization",
			"Bearer lld_demo-hb-controller-token")
		assert.Equal(t, want, status)
	}
}

func TestCredentialsAreListedWithoutTheirSecrets(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	_, _, body, _ := call(t, s, "GET", "/api/v1/credentials?staff=Q0007", "", bearer(idris)...)
	var listed api.Page[api.Credential]
	require.NoError(t, json.Unmarshal(body, &listed))
	require.Equal(t, 3, listed.Total, "a PIN, a badge and a password")
	for _, secret := range []string{"argon2", "digest", "hash"} {
		assert.NotContains(t, string(body), secret)
	}
	for _, c := range listed.Items {
		_, err := idris.Write(ctx, "DELETE", fmt.Sprint("/credentials/", c.ID), nil, client.Query("reason", "r"))
		if c.Kind == "pin" {
			assert.NoError(t, err)
		} else {
			assert.ErrorContains(t, err, "no PIN")
		}
	}
}

func TestFindingIsByAnyPart(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	for q, want := range map[string]string{"rusk sil": "staff Silvan Rusk", "q0011": "staff Otis Thorne",
		"hb-cold-2": "place Cold room 2", "line lead": "template Line lead"} {
		found := get[api.Page[api.Found]](t, idris, "/find", client.Query("q", q))
		var names []string
		for _, f := range found.Items {
			names = append(names, f.Kind+" "+f.Name)
		}
		assert.Contains(t, names, want, q)
	}
	joss := s.Client(t, "joss")
	assert.Empty(t, get[api.Page[api.Found]](t, joss, "/find", client.Query("q", "Hanne Strand")).Items,
		"of another site")
}
