package cli

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
)

// Whatever lists rules answers people with a table, and programs with JSON or CSV on stdout alone.
func TestListsOfRulesAnswerPeopleAndPrograms(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	d.ok("template", "edit", "packer", "--set", "stock.count=yes", "--draft")
	for _, c := range []struct {
		args   []string
		title  string // of a column of the table
		column string // of the CSV
		least  int
	}{
		{[]string{"permission", "list"}, "UNDECIDED", "key", 63},
		{[]string{"permission", "group", "list"}, "PERMISSIONS", "title", 10},
		{[]string{"permission", "people", "door.chemical"}, "THROUGH", "staff_number", 5},
		{[]string{"template", "list"}, "EXCEPTIONS", "code", 15},
		{[]string{"exception", "list"}, "REDUNDANT", "reason", 9},
		{[]string{"change", "list"}, "WHAT", "summary", 20},
		{[]string{"who-can", "HB-PACK-1"}, "THROUGH", "name", 50},
		{[]string{"draft", "list"}, "PLANNED FOR", "state", 1},
	} {
		name := strings.Join(c.args, " ")
		out, problems, code := d.run("", c.args...)
		require.Zero(t, code, problems)
		assert.Contains(t, strings.Split(out, "\n")[0], c.title, name)
		out, problems, code = d.run("", append(c.args, "-o", "json")...)
		require.Zero(t, code, problems)
		var items []map[string]any
		require.NoError(t, json.Unmarshal([]byte(out), &items), name)
		assert.GreaterOrEqual(t, len(items), c.least, name)
		out, problems, code = d.run("", append(c.args, "-o", "csv")...)
		require.Zero(t, code, problems)
		lines, err := csv.NewReader(strings.NewReader(out)).ReadAll()
		require.NoError(t, err, name)
		assert.Contains(t, lines[0], c.column, name)
		assert.Equal(t, len(items), len(lines)-1, name)
	}
}

func TestOneThingAnswersProgramsWhole(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	read := func(into any, args ...string) {
		t.Helper()
		out, problems, code := d.run("", append(args, "-o", "json")...)
		require.Zero(t, code, problems)
		require.NoError(t, json.Unmarshal([]byte(out), into), out)
	}
	var preview api.ChangeResult
	read(&preview, "template", "edit", "packer", "--set", "stock.count=yes", "--preview")
	assert.True(t, preview.Preview)
	assert.Equal(t, 76, preview.Effect.Gaining)
	assert.Equal(t, "Change template packer Packer", preview.Steps[0].Words)
	var made api.ChangeResult
	read(&made, "template", "edit", "packer", "--set", "stock.count=yes")
	assert.NotZero(t, made.AuditID)
	assert.Equal(t, "Changed template packer Packer", made.Steps[0].Words)
	var change api.Change
	read(&change, "change", "show", fmt.Sprint(made.AuditID))
	assert.Equal(t, []api.StepChange{{Field: "Count stock", Now: "yes"}}, change.Steps[0].Changes)
	var draft api.Draft
	read(&draft, "template", "edit", "packer", "--set", "stock.count=no", "--draft")
	assert.Equal(t, 1, draft.Count)
	assert.True(t, draft.Effect.NeedsReason)
	var compared api.Comparison
	read(&compared, "template", "compare", "packer", "picker", "--differences")
	assert.Len(t, compared.Items, compared.Differing)
	var look api.Look
	read(&look, "look-as", "Q0011", "--place", "HB-PACK-1")
	assert.Len(t, look.Items, 1)
	var sheets []api.SheetTemplate
	read(&sheets, "template", "sheet", "picker")
	assert.Equal(t, "Picker", sheets[0].Name)
	out, _, code := d.run("", "template", "compare", "packer", "picker", "-o", "csv")
	require.Zero(t, code)
	lines, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, []string{"permission", "title", "group", "Packer", "Picker", "Packer can give",
		"Picker can give"}, lines[0])
}

func TestRulesAreCompletedFromTheService(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	offered := func(args ...string) string {
		out, _, _ := d.run("", append([]string{"__complete"}, args...)...)
		return out
	}
	assert.Contains(t, offered("permission", "edit", "chem"), "door.chemical\tOpen the chemical store")
	assert.Contains(t, offered("template", "compare", "line"), "line-operator\tLine operator")
	assert.Contains(t, offered("template", "retire", "picker", "--replace-with", "pack"), "packer\tPacker")
	assert.Contains(t, offered("exception", "add", "Q0011", "--permission", "adjust"), "stock.adjust")
	assert.Contains(t, offered("who-can", "HB-CHEM"), "HB-CHEM-1\tChemical store door")
	assert.Contains(t, offered("template", "add", "x", "--like", "okonjo"), "Q0066\tWren Okonjo")
}

func TestScalesAreReadAsTheyAreListed(t *testing.T) {
	for text, want := range map[string]api.Scale{
		"switch":                    {Kind: "switch"},
		"none < view < run":         {Kind: "levels", Levels: []string{"none", "view", "run"}},
		"none<own":                  {Kind: "levels", Levels: []string{"none", "own"}},
		"limit in kg":               {Kind: "limit", Unit: "kg"},
		"limit in kg, at most 1000": {Kind: "limit", Unit: "kg", Most: 1000},
	} {
		got, err := readScale(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, *got, text)
		if !strings.Contains(text, "<own") {
			assert.Equal(t, text, scaleText(*got))
		}
	}
	for _, text := range []string{"", "wide", "limit of kg", "limit in kg, at most many"} {
		_, err := readScale(text)
		assert.Error(t, err, text)
	}
}

func TestWhatFromNamesIsADayOrAFile(t *testing.T) {
	for from, want := range map[string][2]string{
		"": {"", "usual"}, "2026-11-30": {"", "2026-11-30"}, "-": {"-", "usual"}, "season.csv": {"season.csv", "usual"},
	} {
		file, day := fileOrDay(from, "usual")
		assert.Equal(t, want, [2]string{file, day}, from)
	}
	assert.Equal(t, uint64(12), revision(`"r12"`))
	assert.Zero(t, revision(""))
}

func TestAnEditMadeMeanwhileIsNotOverwritten(t *testing.T) {
	d := newDesk(t)
	d.login("maren")
	var before api.Template
	idris := d.s.Client(t, "idris")
	require.NoError(t, idris.Get(t.Context(), "/templates/packer", &before))
	d.ok("template", "edit", "packer", "--summary", "Packs fruit into trays.")
	_, err := idris.Write(t.Context(), "POST", "/changes",
		api.ChangeRequest{Operations: []api.Operation{{Op: "template.edit", On: "packer",
			IfRevision: revision(before.ETag), Set: json.RawMessage(`{"summary":"x"}`)}}})
	assert.ErrorContains(t, err, "nothing was overwritten")
	assert.Contains(t, d.ok("template", "show", "packer"), "Packs fruit into trays.")
}
