package draft

import (
	"crypto/rand"
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
)

type set = map[string]any

func op(name, on string, fields set) change.Operation {
	encoded, err := json.Marshal(fields)
	if err != nil {
		panic(err)
	}
	return change.Operation{Op: name, On: on, Set: encoded}
}

var (
	system = change.Actor{System: "test"}
	env    = change.Env{Now: time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC), Random: rand.Reader}
)

func apply(t *testing.T, s *access.Snapshot, operations ...change.Operation) *access.Snapshot {
	t.Helper()
	d, err := change.Apply(s, system, env, "because", operations)
	require.NoError(t, err)
	return d.After
}

// organisation holds a site, a line with two permissions, a template and two people who have it.
func organisation(t *testing.T) *access.Snapshot {
	s, err := access.Compile(&org.State{Settings: org.DefaultSettings()})
	require.NoError(t, err)
	levels := set{"kind": "levels", "levels": []string{"none", "view", "run"}}
	return apply(t, s,
		op("group.add", "", set{"key": "line", "title": "Lines"}),
		op("permission.add", "", set{"key": "line.run", "title": "Run a line", "sentence": "Runs.", "group": "line",
			"scale": levels, "kinds": []string{"site", "work_centre"}}),
		op("permission.add", "", set{"key": "line.stop", "title": "Stop a line", "sentence": "Stops.", "group": "line",
			"scale": set{"kind": "switch"}, "kinds": []string{"site", "work_centre"}}),
		op("place.add", "", set{"code": "A", "name": "Site A", "kind": "site", "time_zone": "Europe/Dublin"}),
		op("template.add", "", set{"code": "packer", "name": "Packer", "settings": set{"line.run": "view"}}),
		op("staff.enrol", "", set{"staff_number": "S1", "given_name": "Ana", "family_name": "Able", "home_site": "A",
			"start_date": "2020-01-01"}),
		op("staff.enrol", "", set{"staff_number": "S2", "given_name": "Ben", "family_name": "Bold", "home_site": "A",
			"start_date": "2020-01-01"}),
		op("assignment.add", "", set{"staff": "S1", "place": "A", "template": "packer", "from": "2026-01-01"}),
		op("assignment.add", "", set{"staff": "S2", "place": "A", "template": "packer", "from": "2026-01-01"}))
}

func decide(key string, word any) change.Operation {
	return op("template.edit", "packer", set{"decide": set{key: word}})
}

func cell(staff, level string) change.Operation {
	return op("exception.set", "", set{"staff": staff, "permission": "line.stop", "place": "A", "level": level})
}

func add(t *testing.T, lines []Line, s *access.Snapshot, operations ...change.Operation) []Line {
	t.Helper()
	next := 1
	for _, line := range lines {
		next = max(next, line.ID+1)
	}
	lines, _, err := Add(lines, next, s, system, env, operations)
	require.NoError(t, err)
	return lines
}

func TestTheNewestEditOfAThingCounts(t *testing.T) {
	s := organisation(t)
	lines := add(t, nil, s, decide("line.run", "run"), cell("S1", "yes"), cell("S2", "yes"))
	require.Len(t, lines, 3)
	lines = add(t, lines, s, decide("line.run", "none"))
	require.Len(t, lines, 3)
	assert.Equal(t, 4, lines[2].ID, "numbers are not used twice")
	lines = add(t, lines, s, decide("line.run", "view"))
	assert.Len(t, lines, 2, "as it is live: nothing is left of it")
	lines = add(t, lines, s, cell("S1", "no"))
	assert.Len(t, lines, 1)
	lines = add(t, lines, s, cell("S2", ""))
	assert.Empty(t, lines)
}

func TestSeveralSettingsAreSeveralLines(t *testing.T) {
	s := organisation(t)
	lines := add(t, nil, s, op("template.edit", "packer",
		set{"decide": set{"line.run": "run", "line.stop": "yes"}, "name": "Packer and more"}))
	require.Len(t, lines, 3)
	assert.Equal(t, "template:1", lines[0].Record)
	assert.Equal(t, map[string]any{"settings.line.run": "view"}, lines[0].Was)
	assert.Equal(t, map[string]any{"name": "Packer"}, lines[2].Was)
}

func TestAnEditThatTheRulesRefuseIsNotPutIn(t *testing.T) {
	s := organisation(t)
	_, _, err := Add(nil, 1, s, system, env, []change.Operation{decide("line.run", "fly")})
	assert.True(t, fault.Is(err, fault.Invalid))
	var f *fault.Fault
	require.ErrorAs(t, err, &f)
	assert.Equal(t, "operations[0].set.decide.line.run", f.Fields[0].Name)
	many := make([]change.Operation, MostLines+1)
	for i := range many {
		many[i] = op("place.add", "", set{"code": "X"})
	}
	_, _, err = Add(nil, 1, s, system, env, many)
	assert.ErrorContains(t, err, "a draft holds at most")
}

func TestAClashSaysExactlyWhere(t *testing.T) {
	s := organisation(t)
	lines := add(t, nil, s, decide("line.run", "run"), decide("line.stop", "yes"))
	s = apply(t, s, decide("line.run", "none"))
	reviewed, trial := Review(lines, s, system, env, "")
	require.NotNil(t, trial)
	assert.Equal(t, []Clash{{Field: "settings.line.run", Was: "view", Now: "none"}}, reviewed[0].Clashes)
	assert.Empty(t, reviewed[1].Clashes, "another setting of the same template is another matter")
	s = apply(t, s, op("template.edit", "packer", set{"name": "Packers"}))
	reviewed, _ = Review(lines, s, system, env, "")
	assert.Len(t, reviewed[0].Clashes, 1)
	assert.Empty(t, reviewed[1].Clashes)
}

func TestAReviewSaysWhatCannotBeMadeAndTriesTheRest(t *testing.T) {
	s := organisation(t)
	lines := add(t, nil, s, cell("S1", "yes"), decide("line.run", "run"), cell("S2", "yes"))
	s = apply(t, s, op("permission.retire", "line.stop", nil))
	reviewed, trial := Review(lines, s, system, env, "")
	require.NotNil(t, trial)
	assert.ErrorContains(t, reviewed[0].Problem, "is retired")
	assert.NoError(t, reviewed[1].Problem)
	assert.ErrorContains(t, reviewed[2].Problem, "is retired")
	assert.Equal(t, 2, trial.Effect.Gainers(), "both run lines by the one edit that is left")
	assert.Equal(t, "S1", lines[0].Subject())
	assert.Equal(t, "packer", lines[1].Subject())
	s = apply(t, s, op("template.edit", "packer", set{"decide": set{"line.run": nil}}),
		op("permission.retire", "line.run", nil))
	_, trial = Review(lines, s, system, env, "")
	assert.Nil(t, trial, "nothing can be made any more")
}

// However edits are put in, one by one or together, over one another or apart, the draft makes the same as making each
// of them in its turn.
func TestADraftMakesWhatItsEditsMakeOneAfterAnother(t *testing.T) {
	start := organisation(t)
	rapid.Check(t, func(rt *rapid.T) {
		live, lines, next := start, []Line(nil), 1
		for range rapid.IntRange(1, 12).Draw(rt, "edits") {
			operation := rapid.SampledFrom([]change.Operation{
				decide("line.run", "none"), decide("line.run", "view"), decide("line.run", "run"),
				decide("line.run", nil), decide("line.stop", "yes"), decide("line.stop", "no"),
				decide("line.stop", nil),
				decide("line", "full"), decide("line", "none"), decide("line", nil),
				op("template.edit", "packer", set{"name": "Packers"}),
				op("template.edit", "packer", set{"name": "Packer"}),
			}).Draw(rt, "edit")
			put, _, err := Add(lines, next, start, system, env, []change.Operation{operation})
			require.NoError(rt, err)
			lines = put
			for _, line := range lines {
				next = max(next, line.ID+1)
			}
			made, err := change.Apply(live, system, env, "because", []change.Operation{operation})
			require.NoError(rt, err)
			live = made.After
		}
		drafted := start
		if len(lines) > 0 {
			_, trial := Review(lines, start, system, env, "because")
			require.NotNil(rt, trial)
			drafted = trial.After
		}
		want, got := live.State().TemplateByCode("packer"), drafted.State().TemplateByCode("packer")
		assert.Equal(rt, want.Name, got.Name)
		for permission := range live.Catalogue().Permissions {
			assert.Equal(rt, live.Resolved(want.ID)[permission.ID].Level, drafted.Resolved(got.ID)[permission.ID].Level,
				permission.Key)
		}
		seen := map[string]bool{}
		for _, line := range lines {
			if subject := change.SubjectOf(line.Operation); subject != "" {
				assert.False(rt, seen[subject], "a thing stands in it once")
				seen[subject] = true
			}
		}
	})
}
