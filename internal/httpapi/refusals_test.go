package httpapi_test

import (
	"encoding/csv"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// badRequestsAboutRules are what may be wrong with what is sent about rules.
var badRequestsAboutRules = []struct {
	name, method, path, body string
	status                   int
	field, says              string
}{
	{"a base that would make a circle", "PATCH", "/templates/packer", `{"base":"line-lead"}`, 422, "body.base",
		"would make a circle"},
	{"a level not on the scale", "PATCH", "/templates/packer", `{"decide":{"line.run":"fly"}}`, 422,
		"body.decide.line.run", "use one of none, view, run, lead"},
	{"a limit below nothing", "PATCH", "/templates/packer", `{"decide":{"stock.adjust":"-5"}}`, 422,
		"body.decide.stock.adjust", "0 or more"},
	{"a limit beyond the ceiling", "PATCH", "/templates/packer", `{"decide":{"line.speed":"101"}}`, 422,
		"body.decide.line.speed", "beyond the most"},
	{"a setting of nothing", "PATCH", "/templates/packer", `{"decide":{"line.fly":"yes"}}`, 404,
		"body.decide.line.fly", "neither a permission nor a group"},
	{"settings of nothing", "PATCH", "/templates/packer", `{"settings":{"line.fly":"yes"}}`, 404,
		"body.settings.line.fly", "neither a permission nor a group"},
	{"a template of no name", "POST", "/templates", `{"code":"x","name":" "}`, 422, "body.name", "needs a name"},
	{"a code in use", "POST", "/templates", `{"code":"PACKER","name":"P"}`, 409, "body.code", "already"},
	{"a code that is none", "POST", "/templates", `{"code":"two words","name":"P"}`, 422, "body.code", ""},
	{"a copy of nothing", "POST", "/templates", `{"code":"x","name":"X","copy_of":"nope"}`, 404, "body.copy_of",
		"no template"},
	{"like nobody", "POST", "/templates", `{"code":"x","name":"X","like":{"staff":"nobody","place":"HB"}}`, 404,
		"body.like.staff", "nobody you may see has"},
	{"like somebody nowhere", "POST", "/templates",
		`{"code":"x","name":"X","like":{"staff":"Q0011","place":"nowhere"}}`, 404, "body.like.place", "no place"},
	{"needs that are none", "PATCH", "/templates/packer", `{"needs":["key"]}`, 422, "body.needs",
		"use pin or badge"},
	{"days beyond all", "PATCH", "/templates/packer", `{"days":99999}`, 422, "body.days", "3660"},
	{"hours that are none", "PATCH", "/templates/packer",
		`{"hours":{"kind":"weekly","rules":[{"days":"someday","from":"09:00","until":"10:00"}]}}`, 422,
		"body.hours", ""},
	{"an unknown field of a template", "PATCH", "/templates/packer", `{"colour":"red"}`, 422, "body.colour", ""},
	{"retiring what is used", "POST", "/templates/packer/retire", `{}`, 409, "path.id", "based on Packer"},
	{"retiring what people have", "POST", "/templates/picker/retire", `{}`, 409, "path.id",
		"35 assignments of 35 people"},
	{"replacing with nothing", "POST", "/templates/picker/retire", `{"replace_with":"nope"}`, 404,
		"body.replace_with", "no template"},
	{"no such template", "POST", "/templates/nope/retire", `{}`, 404, "path.id", "no template"},
	{"bringing back what is in use", "POST", "/templates/packer/restore", `{}`, 409, "path.id", "in use"},
	{"an outline of nothing", "GET", "/templates/nope/outline", "", 404, "path.id", "no template"},
	{"an outline as no draft", "GET", "/templates/packer/outline?draft=77", "", 404, "draft", "no draft"},
	{"a sheet of nothing", "GET", "/sheet?templates=nope", "", 404, "query.templates", "no template"},
	{"a ceiling nowhere", "GET", "/me/ceiling?place=nope", "", 404, "query.place", "no place"},
	{"comparing one", "GET", "/comparison?templates=packer", "", 422, "query.templates", "two templates or more"},
	{"comparing at no place", "GET", "/comparison?templates=packer&staff=Q0011&place=nope", "", 404, "query.place",
		"no place"},
	{"comparing seven", "GET", "/comparison?templates=a,b,c,d,e,f,g", "", 422, "query.templates", ""},

	{"a key that is none", "POST", "/permissions",
		`{"key":"Clear Jam","title":"Clear","sentence":"Clears.","group":"line","scale":{"kind":"switch"},"kinds":["door"]}`, 422, "body.key", "lower-case words"},
	{"a key in use", "POST", "/permissions",
		`{"key":"line.run","title":"Run","sentence":"Runs.","group":"line","scale":{"kind":"switch"},"kinds":["door"]}`,
		409, "body.key", "already"},
	{"a group there is not", "POST", "/permissions",
		`{"key":"line.x","title":"X","sentence":"X.","group":"nope","scale":{"kind":"switch"},"kinds":["door"]}`,
		404, "body.group", "no group"},
	{"a scale there is not", "POST", "/permissions",
		`{"key":"line.x","title":"X","sentence":"X.","group":"line","scale":{"kind":"colour"},"kinds":["door"]}`,
		422, "body.scale.kind", ""},
	{"levels that are one", "POST", "/permissions",
		`{"key":"line.x","title":"X","sentence":"X.","group":"line","scale":{"kind":"levels","levels":["none"]},"kinds":["door"]}`, 422, "body.scale", "at least two"},
	{"a limit without a unit", "POST", "/permissions",
		`{"key":"line.x","title":"X","sentence":"X.","group":"line","scale":{"kind":"limit"},"kinds":["door"]}`,
		422, "body.scale", "needs a unit"},
	{"no kind of place", "POST", "/permissions",
		`{"key":"line.x","title":"X","sentence":"X.","group":"line","scale":{"kind":"switch"},"kinds":[]}`, 422,
		"body.kinds", ""},
	{"a kind there is not", "POST", "/permissions",
		`{"key":"line.x","title":"X","sentence":"X.","group":"line","scale":{"kind":"switch"},"kinds":["roof"]}`,
		422, "body.kinds", "roof"},
	{"a key that would change", "PATCH", "/permissions/line.run", `{"key":"line.walk"}`, 422, "body.key",
		"keeps its key"},
	{"a scale that lacks what is set", "PATCH", "/permissions/line.run",
		`{"scale":{"kind":"levels","levels":["none","view"]}}`, 409, "body.scale",
		"which the new scale does not have"},
	{"retiring what doors ask", "POST", "/permissions/door.open/retire", `{"reason":"r"}`, 409, "path.id",
		"places ask about"},
	{"retiring what this asks", "POST", "/permissions/console.lock/retire", `{"reason":"r"}`, 403, "",
		"cannot be retired"},
	{"no such permission", "GET", "/permissions/nope", "", 404, "path.id", "no permission"},
	{"people of no permission", "GET", "/permissions/nope/people", "", 404, "path.id", "no permission"},
	{"people under no place", "GET", "/permissions/door.open/people?under=nope", "", 404, "query.under",
		"no place"},
	{"permissions of no group", "GET", "/permissions?group=nope", "", 404, "query.group", "no group"},
	{"a group in itself", "PATCH", "/groups/line", `{"parent":"line"}`, 422, "body.parent", ""},
	{"a group that holds something", "POST", "/groups/line/retire", `{}`, 409, "path.id",
		"stands in the group Lines"},
	{"no such group", "PATCH", "/groups/nope", `{"title":"x"}`, 404, "path.id", "no group"},

	{"an exception where it means nothing", "POST", "/exceptions",
		`{"staff":"Q0011","permission":"door.open","place":"HB-LINE-1","reason":"r"}`, 422, "body.permission",
		"does not apply to a work centre"},
	{"an exception without a reason", "POST", "/exceptions",
		`{"staff":"Q0011","permission":"door.cold","place":"HB"}`, 422, "body.reason", "needs a reason"},
	{"an exception of no level", "POST", "/exceptions",
		`{"staff":"Q0011","permission":"line.run","place":"HB","reason":"r"}`, 422, "body.level", ""},
	{"withheld to a level", "POST", "/exceptions",
		`{"staff":"Q0011","permission":"line.run","place":"HB","withheld":true,"level":"run","reason":"r"}`, 422,
		"body.level", "has no level"},
	{"an exception that ends first", "POST", "/exceptions",
		`{"staff":"Q0011","permission":"door.cold","place":"HB","from":"2027-02-01","until":"2027-01-01","reason":"r"}`,
		422, "body.until", "before it begins"},
	{"no such exception", "DELETE", "/exceptions/999", "", 404, "path.id", "no exception"},
	{"editing no exception", "PATCH", "/exceptions/999", `{"until":"2027-01-01"}`, 404, "path.id", "no exception"},
	{"a sense there is not", "GET", "/exceptions?kind=maybe", "", 422, "query.kind", ""},

	{"a badge that is none", "GET", "/badges/118-9999", "", 404, "path.id", "no badge"},
	{"a badge of no format", "POST", "/badges", `{"format":"pair","number":"x","site":"HB"}`, 422, "body.number", ""},
	{"a badge on record", "POST", "/badges", `{"format":"wiegand26","number":"118-1001","site":"HB"}`, 409,
		"body.number", "on record already"},
	{"a stock of no site", "POST", "/badges", `{"format":"pair","number":"9-9","site":"HB-PACK"}`, 422, "body.site",
		"stock of a site"},
	{"issuing to nobody", "POST", "/badges/118-1103/issue", `{"staff":"nobody"}`, 404, "body.staff", "nobody"},
	{"issuing what is out", "POST", "/badges/118-1001/issue", `{"staff":"Q0011"}`, 409, "path.id",
		"only one that is in stock"},
	{"resuming what counts", "POST", "/badges/118-1015/resume", `{}`, 409, "path.id", "not suspended"},
	{"replacing by nothing", "POST", "/badges/118-1015/replace", `{"with":"118-9999","old":"lost"}`, 404, "body.with",
		"no badge"},
	{"replacing what nobody has", "POST", "/badges/118-1103/replace", `{"with":"118-1104","old":"lost"}`, 409,
		"path.id", "nobody has"},
	{"replacing until before", "POST", "/badges/118-1015/replace",
		`{"with":"118-1104","old":"lost","until":"1990-01-01"}`, 422, "body.until", ""},
	{"printing nothing", "GET", "/badges/print?q=nothing", "", 404, "query", "no badge fits"},
	{"decoding nothing", "GET", "/badges/decode?read=zz", "", 422, "query.read", ""},
	{"slips for nobody", "POST", "/credentials/slips", `{"staff":[]}`, 422, "body.staff", ""},
	{"slips for one who is not", "POST", "/credentials/slips", `{"staff":["Q0011","nobody"]}`, 404, "body.staff[1]",
		"nobody"},
	{"a slip until before", "POST", "/credentials/slips", `{"staff":["Q0011"],"until":"1990-01-01"}`, 422,
		"body.until", ""},
	{"renewing nothing", "POST", "/expiring/renew", `{"items":[],"until":"2031-01-01"}`, 422, "body.items", ""},
	{"renewing what is not", "POST", "/expiring/renew",
		`{"items":[{"kind":"assignment","id":99999}],"until":"2031-01-01"}`, 404, "body.items[0]", ""},
	{"letting go without a word", "POST", "/expiring/let-go", `{"items":[{"kind":"contract","id":133}],"reason":""}`,
		422, "body.reason", ""},
	{"a last day before the first", "GET", "/expiring?from=2031-01-01&until=2030-01-01", "", 422, "query.until",
		"before the first"},
	{"a calendar of no place", "GET", "/places/nope/calendar", "", 404, "path.id", "no place"},
	{"PINs of one digit", "PATCH", "/organisation", `{"pin_digits":1}`, 422, "body.pin_digits", ""},

	{"no such change", "GET", "/changes/999999", "", 404, "path.id", "no change"},
	{"undoing nothing", "POST", "/changes/999999/undo", `{}`, 404, "path.id", "no change"},
	{"a line there is not", "POST", "/changes/preview/people",
		`{"line":"gain:x","operations":[{"op":"template.edit","on":"packer","set":{"name":"P"}}]}`, 404, "line",
		"no line"},
	{"an operation there is not", "POST", "/changes", `{"operations":[{"op":"template.fly"}]}`, 422,
		"operations[0].op", "is not an operation"},
	{"no such draft", "GET", "/drafts/999", "", 404, "draft", "no draft"},
	{"nothing to put in", "POST", "/drafts/open/edits", `{"operations":[{"op":"pin.set","set":{"staff":"Q0011"}}]}`,
		422, "body.operations[0].op", "hands out a secret"},
	{"taking nothing out", "POST", "/drafts/open/drop", `{"edits":[]}`, 422, "body.edits", ""},
	{"applying no draft", "POST", "/drafts/open/apply", `{"reason":"r"}`, 404, "draft", "no draft"},
	{"planning no draft", "POST", "/drafts/open/plan", `{"at":"2030-01-01T00:00:00Z"}`, 404, "body.draft",
		"no draft"},
	{"a moment that is none", "POST", "/drafts/open/plan", `{"at":"soon"}`, 422, "body.at", ""},
	{"a state there is not", "GET", "/drafts?limit=501", "", 422, "query.limit", ""},
	{"a grid of nothing", "GET", "/grid", "", 422, "query.place", "name a place"},
	{"a grid of both", "GET", "/grid?place=HB&permission=door.open", "", 422, "query.permission", "not both"},
	{"a grid of places nowhere", "GET", "/grid?permission=door.open&under=nope", "", 404, "query.under",
		"no place"},
	{"setting no column", "POST", "/drafts/open/grid", `{"place":"HB","columns":[]}`, 422, "body.columns", ""},
	{"looking as nobody", "GET", "/staff/nobody/look", "", 404, "query.staff", "nobody you may see"},
	{"looking nowhere", "GET", "/staff/Q0011/look?place=nope", "", 404, "query.place", "no place"},
	{"looking before anything", "GET", "/staff/Q0011/look?at=1990-01-01T00:00:00Z", "", 422, "query.at",
		"Nothing was kept before"},
	{"who could before anything", "GET", "/places/HB-PACK-1/people?at=1990-01-01T00:00:00Z", "", 422, "query.at",
		"Nothing was kept before"},
	{"a starter there is not", "GET", "/starters/nope", "", 404, "path.id", "no starter set"},
	{"a rulebook of nothing", "GET", "/rulebook?templates=nope", "", 404, "query.templates", "no template"},
}

// Each thing that may be wrong with what is sent about rules is refused with its field, and nothing is half done.
func TestBadRequestsAboutRules(t *testing.T) {
	s := testkit.Demo(t)
	token := bearer(s.Client(t, "maren"))
	revision := s.App.Live().State().Revision
	for _, c := range badRequestsAboutRules {
		t.Run(c.name, func(t *testing.T) {
			status, p, answer, _ := call(t, s, c.method, "/api/v1"+c.path, c.body, token...)
			assert.Equal(t, c.status, status, string(answer))
			if c.field != "" && assert.NotEmpty(t, p.Errors, string(answer)) {
				assert.Equal(t, c.field, p.Errors[0].Field)
			}
			assert.Contains(t, strings.ToLower(p.Detail), strings.ToLower(c.says))
			for _, inner := range []string{"goroutine", "SELECT", "gorm", ".go:", "nil pointer"} {
				assert.NotContains(t, string(answer), inner, "nothing internal leaks")
			}
		})
	}
	assert.Equal(t, revision, s.App.Live().State().Revision, "nothing bad was written")
}

// A site manager acts at her site only, and only with what she holds there.
func TestAManagerActsAtTheirPlacesOnly(t *testing.T) {
	s := testkit.Demo(t)
	tamsin := s.Client(t, "tamsin")
	at := func(place, permission, level string) error {
		_, err := tamsin.Write(ctx, "POST", "/exceptions",
			api.ExceptionWrite{ExceptionFields: api.ExceptionFields{Staff: "Q0011", Permission: permission,
				Place: place, Level: level}, Reasoned: api.Reasoned{Reason: "covers"}})
		return err
	}
	assert.NoError(t, at("HB", "door.cold", ""))
	assert.ErrorContains(t, at("SM", "door.cold", ""), "Make exceptions")
	assert.ErrorContains(t, at("HB", "figures.payroll", ""), "You cannot give")
	assert.NoError(t, at("HB", "stock.adjust", "500"))
	assert.ErrorContains(t, at("HB-PACK", "stock.adjust", "501"), "You cannot give")
	for _, write := range []struct {
		method, path string
		body         any
	}{
		{"POST", "/permissions", jam},
		{"PATCH", "/permissions/line.run",
			api.PermissionWrite{PermissionFields: api.PermissionFields{Title: text("x")}}},
		{"POST", "/groups", api.GroupWrite{GroupFields: api.GroupFields{Key: text("x"), Title: text("x")}}},
		{"POST", "/templates/packer/retire", api.TemplateRetire{EndAssignments: true}},
		{"PATCH", "/templates/packer", api.TemplateWrite{TemplateFields: api.TemplateFields{Name: text("x")}}},
		{"POST", "/starters/shop/apply", api.Reasoned{Reason: "r"}},
	} {
		_, err := tamsin.Write(ctx, write.method, write.path, write.body)
		var p *api.Problem
		if assert.ErrorAs(t, err, &p, write.path) {
			assert.Equal(t, http.StatusForbidden, p.Status, write.path)
		}
	}
	assert.Error(t, tamsin.Get(ctx, "/grid?place=SM", nil))
	assert.Error(t, tamsin.Get(ctx, "/staff/Q0011/look?place=SM", nil))
	assert.Error(t, tamsin.Get(ctx, "/places/SM-GATE/people", nil))
	for _, e := range get[api.Page[api.Exception]](t, tamsin, "/exceptions").Items {
		assert.True(t, strings.HasPrefix(e.Place.Code, "HB"), e.Place.Code)
	}
	changes := get[api.Page[api.Change]](t, tamsin, "/changes")
	assert.Equal(t, 2, changes.Total, "her own, and nobody else's")
}

// Every list about rules pages, and goes along as CSV with a header.
func TestListsAboutRulesPageAndExport(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	for path, column := range map[string]string{
		"/permissions": "key", "/groups": "key", "/templates": "code", "/exceptions": "reason", "/changes": "summary",
		"/me/ceiling":                  "permission",
		"/templates/line-lead/outline": "origin", "/permissions/door.open/people": "through", "/sheet": "name",
	} {
		first := get[api.Page[map[string]any]](t, maren, path, client.Query("limit", "2"))
		require.Len(t, first.Items, 2, path)
		require.NotEmpty(t, first.Next, path)
		second := get[api.Page[map[string]any]](t, maren, path, client.Query("limit", "2"),
			client.Query("after", first.Next))
		require.NotEmpty(t, second.Items, path)
		assert.NotEqual(t, first.Items[0], second.Items[0], path)
		var raw []byte
		require.NoError(t, maren.Get(ctx, path, &raw, client.Header("Accept", "text/csv")), path)
		lines, err := csv.NewReader(strings.NewReader(string(raw))).ReadAll()
		require.NoError(t, err, path)
		assert.Contains(t, lines[0], column, path)
		assert.Equal(t, first.Total+1, len(lines), path)
	}
}

func TestACellIsSaidInAWordOrTwo(t *testing.T) {
	for _, c := range []struct {
		cell api.GridCell
		text string
	}{
		{api.GridCell{}, ""}, {api.GridCell{Level: "run", Origin: "template"}, "run"},
		{api.GridCell{Level: "run", Origin: "added"}, "run (added)"},
		{api.GridCell{Origin: "withheld"}, "withheld"}, {api.GridCell{Level: "yes", Origin: "owner"}, "yes (owner)"},
		{api.GridCell{Level: "80", Origin: "below"}, "80 (further in)"},
	} {
		assert.Equal(t, c.text, c.cell.Text())
	}
}
