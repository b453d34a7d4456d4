package httpapi_test

import (
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"net/http"
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

func list[T any](s ...T) *[]T { return &s }

// jam is the permission of the story.
var jam = api.PermissionWrite{PermissionFields: api.PermissionFields{Key: text("line.jam"), Title: text("Clear a jam"),
	Sentence: text("Takes a jam out of a stopped line."), Group: text("line"),
	Scale: &api.Scale{Kind: "switch"}, Kinds: list("work_centre")}}

func reason(t *testing.T, c *client.Client, staff, place, permission string) string {
	t.Helper()
	var d api.Decision
	require.NoError(t, c.Do(ctx, "POST", "/decisions",
		api.DecisionRequest{Staff: staff, Place: place, Permission: permission}, &d))
	return d.Reason
}

// The story: the co-operative gets a jam-clearing procedure.
func TestTheJamStoryThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	added, err := maren.Write(ctx, "POST", "/permissions", jam)
	require.NoError(t, err)
	assert.Equal(t, api.Made{Kind: "permission", ID: added.Made[0].ID, Code: "line.jam"}, added.Made[0])
	assert.Equal(t, 15, get[api.Permission](t, maren, "/permissions/line.jam").Undecided)
	today := get[api.Today](t, maren, "/today")
	require.Len(t, today.Undecided, 15)
	assert.Equal(t, []string{"line.jam"}, today.Undecided[0].Permissions)
	waiting := get[api.Page[api.OutlineLine]](t, maren, "/templates/line-operator/outline",
		client.Query("undecided", "true"))
	require.Len(t, waiting.Items, 2)
	assert.Equal(t, []string{"line", "line.jam"}, []string{waiting.Items[0].Key, waiting.Items[1].Key})
	tiers := get[api.Page[api.OutlineLine]](t, maren, "/permissions/line.jam/templates")
	require.Len(t, tiers.Items, 15)
	tier := func(items []api.OutlineLine, code string) api.OutlineLine {
		at := slices.IndexFunc(items, func(l api.OutlineLine) bool { return l.Key == code })
		require.GreaterOrEqual(t, at, 0)
		return items[at]
	}
	lead := tier(tiers.Items, "line-lead")
	assert.Equal(t, []any{"Line lead", "template", "line-operator", 2, "undecided", "no", 5, false},
		[]any{lead.Title, lead.Kind, lead.Parent, lead.Depth, lead.Origin, lead.Level, lead.Assigned, lead.Fixed})
	idris := s.Client(t, "idris")
	own := tier(get[api.Page[api.OutlineLine]](t, idris, "/permissions/line.jam/templates").Items, "site-manager")
	assert.True(t, own.Fixed, "his own template is based on it")
	assert.Contains(t, own.WhyNot, "Nobody changes their own access")
	assert.Contains(t, get[api.Template](t, idris, "/templates/operations-manager").Fixed,
		"Nobody changes their own access")
	assert.Empty(t, get[api.Template](t, idris, "/templates/packer").Fixed)
	packer := tier(get[api.Page[api.OutlineLine]](t, idris, "/permissions/line.jam/templates").Items, "packer")
	assert.Empty(t, packer.WhyNot, "he does not clear jams, and can give all that is on the lines")
	assert.Equal(t, []string{"no", "held"}, []string{packer.Gives, packer.GivesFrom})
	assert.Equal(t, []string{"yes", "group"}, []string{own.Gives, own.GivesFrom})
	require.NoError(t, maren.Do(ctx, "POST", "/drafts/open/edits",
		api.DraftEdits{Operations: []api.Operation{{Op: "template.edit", On: "line-operator",
			Set: json.RawMessage(`{"decide":{"line.jam":"yes"}}`)}}}, nil))
	drafted := get[api.Page[api.OutlineLine]](t, maren, "/permissions/line.jam/templates",
		client.Query("draft", "open"))
	lead = tier(drafted.Items, "line-lead")
	assert.Equal(t, []any{"yes", "base", "Line operator", true},
		[]any{lead.Level, lead.Origin, lead.OriginName, lead.Drafted})
	assert.False(t, tier(drafted.Items, "packer").Drafted)
	assert.Len(t, get[api.Page[api.OutlineLine]](t, maren, "/permissions/line.jam/templates",
		client.Query("draft", "open"), client.Query("undecided", "true")).Items, 12)
	require.NoError(t, maren.Do(ctx, "POST", "/drafts/open/discard", nil, nil))

	operations := []api.Operation{{Op: "template.edit", On: "line-operator",
		Set: json.RawMessage(`{"decide":{"line.jam":"yes"}}`)},
		{Op: "exception.add", Set: json.RawMessage(
			`{"staff":"Q0066","permission":"line.jam","place":"HB","withheld":true,"until":"` + testkit.InWeeks(6) +
				`"}`)}}
	preview, err := maren.Write(ctx, "POST", "/changes/preview",
		api.ChangeRequest{Reason: "new procedure", Operations: operations})
	require.NoError(t, err)
	assert.Equal(t, "33 people gain; nobody loses.", preview.Effect.Summary)
	require.Len(t, preview.Effect.Gains, 4)
	assert.Equal(t, "Wren Okonjo at Harrow Bend Packhouse gains “Clear a jam”, on a day ahead",
		preview.Effect.Gains[3].Words)
	first := preview.Effect.Gains[0]
	assert.Equal(t, "23 Line operators at 2 sites gain “Clear a jam”", first.Words)
	assert.Len(t, first.Staff, 23)
	var people api.Page[api.StaffRef]
	require.NoError(t, maren.Do(ctx, "POST", "/changes/preview/people",
		api.EffectPeople{Line: first.Key, ChangeRequest: api.ChangeRequest{Reason: "r", Operations: operations}},
		&people, client.Query("limit", "10")))
	assert.Equal(t, 23, people.Total)
	assert.Len(t, people.Items, 10)
	err = maren.Do(ctx, "POST", "/changes/preview/people",
		api.EffectPeople{Line: "gain:nope", ChangeRequest: api.ChangeRequest{Reason: "r", Operations: operations}}, nil)
	assert.ErrorContains(t, err, "no line")
	assert.Equal(t, "permission_not_in_template", reason(t, maren, "Q0063", "HB-LINE-1", "line.jam"))
	theJamIsMadeAndUndone(t, maren, operations)
}

func theJamIsMadeAndUndone(t *testing.T, maren *client.Client, operations []api.Operation) {
	ctx := context.Background()
	made, err := maren.Write(ctx, "POST", "/changes",
		api.ChangeRequest{Reason: "new procedure", Operations: operations})
	require.NoError(t, err)
	assert.Equal(t, 2, made.Total)
	assert.Equal(t, []api.StepChange{{Field: "Clear a jam", Was: "", Now: "yes"}}, made.Steps[0].Changes)
	assert.Equal(t, "granted", reason(t, maren, "Q0063", "HB-LINE-1", "line.jam"))
	assert.Equal(t, "permission_withheld", reason(t, maren, "Q0066", "HB-LINE-1", "line.jam"))
	access := get[api.Access](t, maren, "/staff/Q0066/access")
	assert.Contains(t, access.Statements[len(access.Statements)-1].Sentence,
		"Wren may not clear a jam at Harrow Bend Packhouse")
	var can []string
	for _, p := range get[api.Page[api.PlacePerson]](t, maren, "/places/HB-LINE-1/people",
		client.Query("permission", "line.jam"), client.Query("limit", "500")).Items {
		can = append(can, p.StaffNumber)
	}
	assert.Contains(t, can, "Q0063")
	assert.NotContains(t, can, "Q0066")
	grid := get[api.Grid](t, maren, "/grid", client.Query("place", "HB"), client.Query("columns", "line.jam"),
		client.Query("q", "Q0066"))
	require.Len(t, grid.Items, 1)
	assert.Equal(t, []api.GridCell{{Origin: "withheld"}}, grid.Items[0].Cells)

	undone, err := maren.Write(ctx, "POST", fmt.Sprintf("/changes/%d/undo", made.AuditID),
		api.Reasoned{Reason: "not yet"})
	require.NoError(t, err)
	assert.Equal(t, "33 people lose; nobody gains.", undone.Effect.Summary)
	assert.Equal(t, "permission_not_in_template", reason(t, maren, "Q0063", "HB-LINE-1", "line.jam"))
	change := get[api.Change](t, maren, fmt.Sprintf("/changes/%d", made.AuditID))
	assert.Equal(t, undone.AuditID, change.UndoneBy)
	assert.Equal(t, made.AuditID, get[api.Change](t, maren, fmt.Sprintf("/changes/%d", undone.AuditID)).Undoes)
}

func TestTheCatalogueIsKeptThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	idris, maren := s.Client(t, "idris"), s.Client(t, "maren")
	_, err := idris.Write(ctx, "POST", "/groups",
		api.GroupWrite{GroupFields: api.GroupFields{Key: text("line.care"), Title: text("Care"), Parent: text("line")}})
	require.NoError(t, err)
	groups := get[api.Page[api.Group]](t, idris, "/groups")
	at := slices.IndexFunc(groups.Items, func(g api.Group) bool { return g.Key == "line.care" })
	require.Positive(t, at)
	assert.Equal(t, []any{"line", 1, 0},
		[]any{groups.Items[at].Parent, groups.Items[at].Depth, groups.Items[at].Permissions})
	_, err = idris.Write(ctx, "PATCH", "/permissions/line.clean",
		api.PermissionWrite{PermissionFields: api.PermissionFields{Group: text("line.care"),
			Title: text("Clean a line well")}})
	require.NoError(t, err)
	moved := get[api.Permission](t, idris, "/permissions/line.clean")
	assert.Equal(t, []string{"line.care", "Care", "Clean a line well"},
		[]string{moved.Group, moved.GroupTitle, moved.Title})
	_, err = idris.Write(ctx, "PATCH", "/permissions/line.clean",
		api.PermissionWrite{PermissionFields: api.PermissionFields{Title: text("x")}}, client.IfMatch(`"r1"`))
	assert.ErrorContains(t, err, "nothing was overwritten")
	_, err = idris.Write(ctx, "POST", "/groups/line.care/retire", api.Reasoned{})
	assert.ErrorContains(t, err, "Clean a line well")
	_, err = idris.Write(ctx, "POST", "/permissions/line.clean/retire", api.Reasoned{Reason: "done by machine"})
	assert.ErrorContains(t, err, "Nobody changes their own access", "he holds it by his template")
	_, err = maren.Write(ctx, "POST", "/permissions/line.clean/retire", api.Reasoned{Reason: "done by machine"})
	require.NoError(t, err)
	assert.Equal(t, 1, get[api.Page[api.Permission]](t, idris, "/permissions", client.Query("retired", "true")).Total)
	_, err = idris.Write(ctx, "POST", "/groups/line.care/retire", api.Reasoned{})
	require.NoError(t, err)
	_, err = idris.Write(ctx, "POST", "/permissions/line.clean/restore", api.Reasoned{})
	assert.ErrorContains(t, err, "bring that back first")
	_, err = idris.Write(ctx, "POST", "/groups/line.care/restore", api.Reasoned{})
	require.NoError(t, err)
	_, err = idris.Write(ctx, "PATCH", "/groups/line.care",
		api.GroupWrite{GroupFields: api.GroupFields{Title: text("Care of lines")}})
	require.NoError(t, err)
	holders := get[api.Page[api.Holder]](t, idris, "/permissions/door.chemical/people", client.Query("under", "HB"))
	through := map[string]bool{}
	for _, h := range holders.Items {
		through[h.Through] = true
	}
	assert.Equal(t, map[string]bool{"owner": true, "Operations manager": true, "Site manager": true,
		"Maintenance fitter": true}, through)
	// Searched and ordered by what is said of each.
	names := func(path string, options ...client.Option) (names, until []string) {
		for _, p := range get[api.Page[api.PlacePerson]](t, idris, path,
			append(options, client.Query("limit", "500"))...).Items {
			names, until = append(names, p.Name), append(until, cmp.Or(p.Until, "open"))
		}
		return names, until
	}
	fitters, _ := names("/places/HB-CHEM-1/people", client.Query("q", "fitter"))
	backwards, _ := names("/places/HB-CHEM-1/people", client.Query("q", "FITTER"), client.Query("sort", "-name"))
	require.Len(t, fitters, 3)
	slices.Reverse(backwards)
	assert.Equal(t, fitters, backwards)
	assert.True(t, slices.IsSortedFunc(fitters, func(a, b string) int {
		return strings.Compare(a[strings.LastIndex(a, " "):], b[strings.LastIndex(b, " "):])
	}), "by family name: %v", fitters)
	one, _ := names("/places/HB-CHEM-1/people", client.Query("q", strings.ToLower(fitters[0])))
	assert.Equal(t, fitters[:1], one)
	_, until := names("/places/HB-PACK-1/people", client.Query("sort", "until"))
	assert.True(t, slices.IsSorted(until), "what is open stands last")
	assert.Equal(t, "open", until[len(until)-1])
	nobody, _ := names("/permissions/door.chemical/people", client.Query("q", "packer"))
	assert.Empty(t, nobody)
	assert.ErrorContains(t, idris.Get(ctx, "/places/HB-CHEM-1/people?sort=height", nil), "sort")
}

func TestTemplatesAreMadeComparedAndRetiredThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	idris, tamsin := s.Client(t, "idris"), s.Client(t, "tamsin")
	outline := get[api.Page[api.OutlineLine]](t, idris, "/templates/line-lead/outline")
	line := map[string]api.OutlineLine{}
	for _, l := range outline.Items {
		line[l.Key] = l
	}
	assert.Equal(t, []string{"own", "base", "open"},
		[]string{line["line.run"].Origin, line["line.stop"].Origin, line["door.cold"].Origin})
	assert.Equal(t, "Line operator", line["line.stop"].OriginName)
	assert.True(t, line["line"].Mixed)
	assert.Equal(t, []string{"none", "view", "run", "print", "full"}, line["line"].Words)
	assert.Equal(t, 6, line["line"].Given)
	found := get[api.Page[api.OutlineLine]](t, idris, "/templates/line-lead/outline", client.Query("q", "sotck adjsut"))
	assert.Equal(t, []string{"stock", "stock.adjust"}, []string{found.Items[0].Key, found.Items[1].Key},
		"letters may be wrong")
	hers := get[api.Page[api.OutlineLine]](t, tamsin, "/templates/line-lead/outline",
		client.Query("q", "edit templates"))
	require.NotEmpty(t, hers.Items)
	assert.Contains(t, hers.Items[len(hers.Items)-1].WhyNot, "You cannot give “Edit templates” at the organisation:")

	_, err := idris.Write(ctx, "POST", "/templates",
		api.TemplateWrite{TemplateFields: api.TemplateFields{Code: text("cover"), Name: text("Line cover"),
			Like: &api.Like{Staff: "Q0064", Place: "HB"}}})
	require.NoError(t, err)
	compared := get[api.Comparison](t, idris, "/comparison", client.Query("templates", "line-operator,cover"),
		client.Query("staff", "Q0064"), client.Query("differences", "true"))
	require.Len(t, compared.Sides, 3)
	require.Len(t, compared.Items, 2)
	assert.Equal(t, []string{"no", "yes", "yes"}, compared.Items[0].Levels)
	assert.Equal(t, []string{"80", "80", "60"}, compared.Items[1].Gives, "a local setting in the wash hall limits it")
	assert.Equal(t, 2, compared.Differing)
	var raw []byte
	require.NoError(t, idris.Get(ctx, "/comparison", &raw, client.Query("templates", "packer,grader"),
		client.Header("Accept", "text/csv")))
	lines, err := csv.NewReader(strings.NewReader(string(raw))).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"permission", "title", "group", "Packer", "Grader", "Packer can give",
		"Grader can give"}, lines[0])
	assert.Len(t, lines, 65)
	for _, path := range []string{"/comparison?templates=packer", "/comparison?templates=packer,nope",
		"/comparison?templates=packer&staff=nobody"} {
		assert.Error(t, idris.Get(ctx, path, nil), path)
	}

	_, err = idris.Write(ctx, "POST", "/templates/grader/retire", api.TemplateRetire{})
	var p *api.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, http.StatusConflict, p.Status)
	assert.Contains(t, p.Detail, "29 assignments")
	assert.Equal(t, "path.id", p.Errors[0].Field)
	_, err = idris.Write(ctx, "POST", "/templates/grader/retire",
		api.TemplateRetire{ReplaceWith: "packer", Reasoned: api.Reasoned{Reason: "one kind of work"}})
	require.NoError(t, err)
	_, err = idris.Write(ctx, "POST", "/templates/grader/restore", api.Reasoned{})
	require.NoError(t, err)

	assert.Equal(t, 15, get[api.Page[api.Template]](t, tamsin, "/templates", client.Query("place", "HB")).Total-1)
	for _, template := range get[api.Page[api.Template]](t, tamsin, "/templates", client.Query("place", "SM")).Items {
		assert.False(t, template.Assignable, template.Code)
		assert.Contains(t, template.WhyNot, "you cannot give there")
	}
	ceiling := get[api.Page[api.Ceiling]](t, tamsin, "/me/ceiling", client.Query("place", "HB"))
	most := map[string]api.Ceiling{}
	for _, c := range ceiling.Items {
		most[c.Permission] = c
	}
	assert.Empty(t, most["line.run"].WhyNot)
	assert.Equal(t, "500", most["stock.adjust"].Level)
	assert.Contains(t, most["figures.payroll"].WhyNot, "You cannot give")
	sheets := get[api.Page[api.SheetTemplate]](t, tamsin, "/sheet", client.Query("templates", "packer,line-operator"))
	require.Len(t, sheets.Items, 2)
	assert.Equal(t, "Line operator", sheets.Items[0].Name)
	assert.Equal(t, "Packer", sheets.Items[0].BasedOn)
	assert.Contains(t, sheets.Items[0].Sections[1].Lines,
		"Set the line speed up to 80 percent: sets the speed of a line.")
}

func TestARulebookThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	var book []byte
	require.NoError(t, maren.Get(ctx, "/rulebook", &book))
	assert.True(t, strings.HasPrefix(string(book), "#"))
	send := func(text string, preview bool) (*api.ChangeResult, error) {
		return maren.Write(ctx, "POST", "/rulebook", nil, client.Body("application/yaml", []byte(text)),
			client.Preview(preview), client.Query("reason", "agreed"))
	}
	same, err := send(string(book), true)
	require.NoError(t, err)
	assert.Zero(t, same.Total, "what was taken out is what is live")
	changed := strings.Replace(string(book), "line.speed: \"80\"", "line.speed: \"85\"", 1)
	require.NotEqual(t, string(book), changed)
	preview, err := send(changed, true)
	require.NoError(t, err)
	assert.Equal(t, 1, preview.Total)
	assert.Equal(t, []api.StepChange{{Field: "Set the line speed", Was: "80", Now: "85"}}, preview.Steps[0].Changes)
	_, err = send(changed, false)
	require.NoError(t, err)
	_, err = send(strings.Replace(string(book), "    summary: Picks", "    sumary: Picks", 1), true)
	assert.ErrorContains(t, err, "there is no key \"sumary\" here")
	assert.ErrorContains(t, err, "column 5")
	_, err = send("rulebook: 1\ntemplates:\n  - code: packer\n    name: Packer\n    settings:\n      line.runn: view\n",
		true)
	assert.ErrorContains(t, err, "Line 6, column 7, template packer: the catalogue has neither a permission nor a "+
		"group \"line.runn\"")
	var drafted api.Draft
	require.NoError(t, maren.Do(ctx, "POST", "/drafts/open/rulebook", nil, &drafted,
		client.Body("application/yaml", []byte(string(book)))))
	require.Len(t, drafted.Edits, 1, "back to 80")
	err = maren.Do(ctx, "POST", "/drafts/open/rulebook", nil, nil, client.Body("application/yaml", book))
	assert.ErrorContains(t, err, "verything is so already", "with the draft")
	err = maren.Do(ctx, "POST", "/drafts/open/rulebook", nil, nil,
		client.Body("application/yaml",
			[]byte("rulebook: 1\ntemplates:\n  - {code: packer, name: Packer, days: -4}\n")))
	assert.ErrorContains(t, err, "Line 3, column 34, template packer: an assignment lasts 0 (open) to 3660 days")
	require.NoError(t, maren.Do(ctx, "POST", "/drafts/open/discard", nil, nil))
	status, p, _, _ := call(t, s, "POST", "/api/v1/rulebook", "", bearer(maren)...)
	assert.Equal(t, http.StatusBadRequest, status)
	assert.Contains(t, p.Detail, "nothing in the body")
	status, _, schema, header := call(t, s, "GET", "/api/v1/rulebook/schema", "")
	assert.Equal(t, http.StatusOK, status)
	assert.Equal(t, "application/schema+json", header.Get("Content-Type"))
	assert.True(t, json.Valid(schema))
	starters := get[api.Page[api.StarterSet]](t, maren, "/starters")
	assert.Equal(t, 5, starters.Total)
	for _, starter := range starters.Items {
		_, err := maren.Write(ctx, "POST", "/starters/"+starter.Code+"/apply", api.Reasoned{Reason: "beginning"},
			client.Preview(true))
		assert.NoError(t, err, starter.Code)
		var text []byte
		require.NoError(t, maren.Get(ctx, "/starters/"+starter.Code, &text))
		assert.Contains(t, string(text), "rulebook: 1")
	}
	_, err = maren.Write(ctx, "POST", "/starters/nope/apply", api.Reasoned{})
	assert.ErrorContains(t, err, "no starter set")
	only := get[[]byte](t, maren, "/rulebook", client.Query("templates", "packer"), client.Query("catalogue", "false"))
	assert.Contains(t, string(only), "code: packer")
	assert.NotContains(t, string(only), "catalogue:")
}

func TestExceptionsAreListedFilteredAndTidied(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	count := func(options ...client.Option) int {
		return get[api.Page[api.Exception]](t, idris, "/exceptions", options...).Total
	}
	assert.Equal(t, 9, count())
	assert.Equal(t, 10, count(client.Query("when", "ended"))+9)
	assert.Equal(t, 4, count(client.Query("template", "line-operator")))
	assert.Equal(t, 2, count(client.Query("kind", "withheld")))
	assert.Equal(t, 2, count(client.Query("redundant", "true")))
	assert.Equal(t, 1, count(client.Query("q", "skin rash")))
	assert.Equal(t, 1, count(client.Query("permission", "quality.release")))
	assert.Equal(t, 4, count(client.Query("place", "HB-PACK")))
	oldest := get[api.Page[api.Exception]](t, idris, "/exceptions", client.Query("sort", "oldest"),
		client.Query("limit", "1"))
	assert.Equal(t, "Q0007", oldest.Items[0].Staff.StaffNumber)
	assert.Equal(t, "It has run out.", oldest.Items[0].Redundant)
	assert.Equal(t, "past", oldest.Items[0].When)
	assert.GreaterOrEqual(t, oldest.Items[0].Days, 289)
	ending := get[api.Page[api.Exception]](t, idris, "/exceptions", client.Query("q", "interlock")).Items[0]
	until := testkit.InWeeks(10)
	longer := api.ExceptionEditWrite{ExceptionEdit: api.ExceptionEdit{Until: &until}}
	_, err := idris.Write(ctx, "PATCH", fmt.Sprint("/exceptions/", ending.ID), longer, client.IfMatch(ending.ETag))
	assert.ErrorContains(t, err, "takes access from 1 person; say why", "withheld for longer")
	longer.Reason = "still under repair"
	_, err = idris.Write(ctx, "PATCH", fmt.Sprint("/exceptions/", ending.ID), longer, client.IfMatch(ending.ETag))
	require.NoError(t, err)
	assert.Equal(t, until, get[api.Page[api.Exception]](t, idris, "/exceptions",
		client.Query("q", "interlock")).Items[0].Until)
	for _, bad := range []string{"staff=nobody", "place=NOPE", "template=nope", "permission=nope"} {
		assert.Error(t, idris.Get(ctx, "/exceptions?"+bad, nil), bad)
	}
	tamsin := s.Client(t, "tamsin")
	_, err = tamsin.Write(ctx, "POST", "/exceptions",
		api.ExceptionWrite{ExceptionFields: api.ExceptionFields{Staff: "Q0003", Permission: "door.laboratory",
			Place: "HB"}, Reasoned: api.Reasoned{Reason: "r"}})
	assert.ErrorContains(t, err, "Nobody changes their own access")
}

func TestDraftsThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	idris, joss := s.Client(t, "idris"), s.Client(t, "joss")
	put := func(c *client.Client, operations ...api.Operation) (api.Draft, error) {
		var d api.Draft
		return d, c.Do(ctx, "POST", "/drafts/open/edits", api.DraftEdits{Operations: operations}, &d)
	}
	do := func(path string, body any) (d api.Draft, err error) {
		return d, idris.Do(ctx, "POST", "/drafts/"+path, body, &d)
	}
	assert.ErrorContains(t, idris.Get(ctx, "/drafts/open", nil), "no draft")
	d, err := put(idris, api.Operation{Op: "template.edit", On: "packer",
		Set: json.RawMessage(`{"decide":{"line.run":"run","stock.see":"no"}}`)})
	require.NoError(t, err)
	require.Len(t, d.Edits, 2)
	assert.Equal(t, "Run a line", d.Edits[0].Changes[0].Field)
	assert.Positive(t, d.Effect.Losing)
	outline := get[api.Page[api.OutlineLine]](t, idris, "/templates/packer/outline", client.Query("draft", "open"),
		client.Query("q", "run a line"))
	assert.Equal(t, []any{"run", true}, []any{outline.Items[1].Level, outline.Items[1].Drafted})
	assert.Equal(t, "view", get[api.Page[api.OutlineLine]](t, idris, "/templates/packer/outline",
		client.Query("q", "run a line")).Items[1].Level, "live it is not so")
	people := get[api.Page[api.StaffRef]](t, idris, "/drafts/open/people", client.Query("line", d.Effect.Losses[0].Key),
		client.Query("limit", "5"))
	assert.Len(t, people.Items, 5)
	assert.Equal(t, d.Effect.Losses[0].People, people.Total)
	_, err = put(idris, api.Operation{Op: "template.edit", On: "packer",
		Set: json.RawMessage(`{"decide":{"line.run":"fly"}}`)})
	var p *api.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "body.operations[0].set.decide.line.run", p.Errors[0].Field)
	_, err = put(joss, api.Operation{Op: "template.edit", On: "packer",
		Set: json.RawMessage(`{"decide":{"line.run":"run"}}`)})
	assert.ErrorContains(t, err, "Edit templates", "a draft holds only what its owner may do")
	d, err = do("open/drop", api.DraftDrop{Edits: []int{d.Edits[1].ID}})
	require.NoError(t, err)
	assert.Len(t, d.Edits, 1)
	number := fmt.Sprint(d.ID)
	at := time.Now().Add(240 * time.Hour).UTC().Truncate(time.Second)
	d, err = do(number+"/plan", api.DraftPlan{At: at, Title: "Season", Reason: "agreed"})
	require.NoError(t, err)
	assert.Equal(t, "planned", d.State)
	assert.Equal(t, at, *d.PlannedFor)
	assert.Equal(t, 1, get[api.Page[api.Draft]](t, s.Client(t, "maren"), "/drafts", client.Query("all", "true")).Total)
	assert.Len(t, get[api.Today](t, s.Client(t, "maren"), "/today").Drafts, 1)
	_, err = do(number+"/reopen", nil)
	require.NoError(t, err)
	applied, err := idris.Write(ctx, "POST", "/drafts/"+number+"/apply", api.Reasoned{Reason: "now"})
	require.NoError(t, err)
	_, err = idris.Write(ctx, "POST", "/drafts/"+number+"/apply", api.Reasoned{Reason: "again"})
	assert.ErrorContains(t, err, fmt.Sprintf("applied already, as change %d", applied.AuditID))
	assert.Equal(t, applied.AuditID,
		get[api.Page[api.Draft]](t, idris, "/drafts", client.Query("state", "applied")).Items[0].AppliedAs)
	_, err = put(idris, api.Operation{Op: "template.edit", On: "packer",
		Set: json.RawMessage(`{"decide":{"line.run":"view"}}`)})
	require.NoError(t, err)
	d, err = do("open/discard", nil)
	require.NoError(t, err)
	assert.Equal(t, "discarded", d.State)
}

func TestTheGridThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	idris, tamsin := s.Client(t, "idris"), s.Client(t, "tamsin")
	grid := get[api.Grid](t, idris, "/grid", client.Query("place", "HB-PACK"), client.Query("limit", "20"))
	assert.Len(t, grid.Items, 20)
	assert.Equal(t, "20", grid.Next)
	second := get[api.Grid](t, idris, "/grid", client.Query("place", "HB-PACK"), client.Query("limit", "20"),
		client.Query("after", "20"))
	assert.NotEqual(t, grid.Items[0].StaffNumber, second.Items[0].StaffNumber)
	for _, row := range grid.Items {
		assert.Len(t, row.Cells, len(grid.Columns))
		if row.StaffNumber == "Q0002" {
			assert.Equal(t, "Nobody changes their own access. Ask another manager to do it.", row.WhyNot)
		}
	}
	agency := get[api.Grid](t, idris, "/grid", client.Query("place", "HB"),
		client.Query("employer", "Brightpath Staffing"), client.Query("engagement", "agency"),
		client.Query("title", "pack"), client.Query("template", "packer"))
	assert.Positive(t, agency.Total)
	for _, row := range agency.Items {
		assert.Equal(t, "Brightpath Staffing", row.Employer)
	}
	places := get[api.Grid](t, idris, "/grid", client.Query("permission", "door.cold"), client.Query("under", "HB"),
		client.Query("template", "forklift-driver"))
	assert.Equal(t, "Open cold rooms", places.Permission)
	assert.Contains(t, []string{places.Columns[0].Key, places.Columns[1].Key}, "HB")
	var raw []byte
	require.NoError(t, idris.Get(ctx, "/grid", &raw, client.Query("place", "HB-PACK"), client.Query("group", "line"),
		client.Query("q", "Q0018"), client.Header("Accept", "text/csv")))
	lines, err := csv.NewReader(strings.NewReader(string(raw))).ReadAll()
	require.NoError(t, err)
	require.Len(t, lines, 2)
	at := slices.Index(lines[0], "Clean a line")
	assert.Equal(t, "withheld", lines[1][at], "as it is shown")
	for _, bad := range []string{"", "place=NOPE", "permission=nope&under=HB", "permission=door.open",
		"place=HB&permission=door.open&under=HB", "place=HB&group=nope", "place=HB&template=nope", "place=HB&after=x"} {
		assert.Error(t, idris.Get(ctx, "/grid?"+bad, nil), bad)
	}
	hers := get[api.Grid](t, tamsin, "/grid", client.Query("place", "HB"), client.Query("group", "figures"))
	why := map[string]string{}
	for _, c := range hers.Columns {
		why[c.Key] = c.WhyNot
	}
	assert.Empty(t, why["figures.cost"])
	assert.Contains(t, why["figures.payroll"], "You cannot give")
	var d api.Draft
	require.NoError(t, idris.Do(ctx, "POST", "/drafts/open/grid",
		api.GridSet{Place: "HB-PACK", Columns: []string{"line.label"}, Level: "change", Template: "packer"}, &d))
	assert.Greater(t, d.Count, 10)
	before := d.Count
	require.NoError(t, idris.Do(ctx, "POST", "/drafts/open/grid",
		api.GridSet{Place: "HB-PACK", Columns: []string{"line.label"}, Staff: []string{"Q0011"}}, &d))
	assert.Equal(t, before-1, d.Count, "set back, nothing is left of it")
	err = idris.Do(ctx, "POST", "/drafts/open/grid",
		api.GridSet{Place: "HB-PACK", Columns: []string{"line.label"}, Template: "nope"}, nil)
	assert.ErrorContains(t, err, "template has the code")
}

func TestLookingAsSomebodyThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	look := get[api.Look](t, idris, "/staff/Q0007/look", client.Query("place", "HB-CHEM"))
	require.Len(t, look.Items, 2)
	assert.Equal(t, []any{"present", "HB-CHEM-1", false},
		[]any{look.Tense, look.Items[1].Place.Code, *look.Items[1].Opens})
	assert.NotEmpty(t, look.Items[1].Sentence)
	assert.NotEmpty(t, look.Statements)
	past := get[api.Look](t, idris, "/staff/Q0007/look", client.Query("place", "HB"),
		client.Query("at", time.Now().AddDate(0, 0, -200).Format(time.RFC3339)))
	assert.Equal(t, "past", past.Tense)
	future := get[api.Look](t, idris, "/staff/Q0011/look",
		client.Query("at", time.Now().AddDate(1, 0, 0).Format(time.RFC3339)))
	assert.Equal(t, "future", future.Tense)
	for _, bad := range []string{"/staff/Q0007/look?place=NOPE", "/staff/nobody/look", "/staff/Q0007/look?at=yesterday",
		"/staff/Q0007/look?at=1999-01-01T00:00:00Z"} {
		assert.Error(t, idris.Get(ctx, bad, nil), bad)
	}
	could := get[api.Page[api.PlacePerson]](t, idris, "/places/HB-CHEM-1/people",
		client.Query("at", time.Now().AddDate(0, 0, -260).Format(time.RFC3339)))
	assert.NotEmpty(t, could.Items)
	assert.ErrorContains(t, idris.Get(ctx, "/places/HB-CHEM-1/people?at=1999-01-01T00:00:00Z", nil),
		"Nothing was kept before")
}
