package rulebook

import (
	"crypto/rand"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/permit"
)

const text = `# Rules of a small works.
rulebook: 1
name: Small works
catalogue:
  - group: line
    title: Lines
    permissions:
      - key: line.run
        title: Run a line
        sentence: Runs it.
        scale: {kind: levels, levels: [none, view, run]}
        kinds: [work_centre]
    groups:
      - group: line.care
        title: Care
        permissions:
          - {key: line.jam, title: Clear a jam, sentence: Clears it., scale: {kind: switch}, kinds: [work_centre], sensitive: true}
          - {key: line.oil, title: Draw oil, sentence: Draws oil., scale: {kind: limit, unit: l, most: 20}, kinds: [zone]}
templates:
  - code: lead
    name: Line lead
    base: operator
    settings: {line.jam: "yes"}
  - code: operator
    name: Line operator
    summary: Runs a line.
    days: 90
    needs: [pin]
    hours:
      kind: weekly
      rules:
        - {days: mon-fri, from: "06:00", until: "14:00"}
    settings: {line.run: run, line.oil: "5"}
`

var env = change.Env{Now: time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC), Random: rand.Reader}

func empty(t require.TestingT) *access.Snapshot {
	s, err := access.Compile(&org.State{Settings: org.DefaultSettings()})
	require.NoError(t, err)
	return s
}

func applied(t require.TestingT, s *access.Snapshot, b *Book) *access.Snapshot {
	steps, err := b.Steps(s.State())
	require.NoError(t, err)
	if len(steps) == 0 {
		return s
	}
	d, err := change.Apply(s, change.Actor{System: "test"}, env, "because", Operations(steps))
	require.NoError(t, err)
	return d.After
}

func all(*permit.Template) bool { return true }

func TestARulebookIsAppliedAndWrittenBack(t *testing.T) {
	book, err := Parse([]byte(text))
	require.NoError(t, err)
	s := applied(t, empty(t), book)
	lead := s.State().TemplateByCode("lead")
	run := s.Catalogue().PermissionByKey("line.run")
	assert.Equal(t, "run", run.Scale.Word(s.Resolved(lead.ID)[run.ID].Level),
		"from the base, whatever the order in the file")
	steps, err := book.Steps(s.State())
	require.NoError(t, err)
	assert.Empty(t, steps, "applying it again does nothing")

	written, err := Of(s.State(), true, all).Write()
	require.NoError(t, err)
	again, err := Parse(written)
	require.NoError(t, err)
	other := applied(t, empty(t), again)
	steps, err = again.Steps(s.State())
	require.NoError(t, err)
	assert.Empty(t, steps, "what is written is what is live:\n%s", written)
	back, err := Of(other.State(), true, all).Write()
	require.NoError(t, err)
	assert.Equal(t, string(written), string(back))
}

func TestWhatABookDoesNotNameIsLeftAlone(t *testing.T) {
	book, err := Parse([]byte(text))
	require.NoError(t, err)
	s := applied(t, empty(t), book)
	part, err := Parse([]byte("rulebook: 1\ntemplates:\n  - {code: operator, name: Operator, settings: {line.run: " +
		"view}}\n"))
	require.NoError(t, err)
	s = applied(t, s, part)
	operator := s.State().TemplateByCode("operator")
	assert.Equal(t, "Operator", operator.Name)
	assert.Len(t, operator.Settings, 1, "its settings are those of the book")
	assert.Equal(t, "Line lead", s.State().TemplateByCode("lead").Name)
	assert.NotNil(t, s.Catalogue().PermissionByKey("line.oil"))
	without := Of(s.State(), false, func(t *permit.Template) bool { return t.Code == "lead" })
	assert.Empty(t, without.Catalogue)
	assert.Len(t, without.Templates, 1)
}

// A book says what templates give otherwise at places: what it names is made, what it leaves out of a list ends, and
// where it has no list at all, what there is stays.
func TestLocalSettingsAreWrittenAppliedAndEnded(t *testing.T) {
	book, err := Parse([]byte(text))
	require.NoError(t, err)
	s := applied(t, empty(t), book)
	d, err := change.Apply(s, change.Actor{System: "test"}, env, "because", []change.Operation{{Op: "place.add",
		Set: json.RawMessage(`{"code":"A","name":"Works","kind":"site","time_zone":"Europe/Dublin"}`)}})
	require.NoError(t, err)
	s = d.After
	local := strings.Replace(text, "    settings: {line.run: run, line.oil: \"5\"}", `    settings: {line.run: run, line.oil: "5"}
    local:
      - {permission: line.run, place: A, level: none, until: 2027-01-31, reason: New machine}
      - {permission: line.oil, place: A, level: "2", reason: Little oil}`, 1)
	book, err = Parse([]byte(local))
	require.NoError(t, err)
	s = applied(t, s, book)
	require.Equal(t, uint32(2), s.State().LocalSettings.Last())
	assert.Equal(t, "New machine", s.State().LocalSetting(1).Reason)
	steps, err := book.Steps(s.State())
	require.NoError(t, err)
	assert.Empty(t, steps, "applying it again does nothing")
	written, err := Of(s.State(), true, all).Write()
	require.NoError(t, err)
	again, err := Parse(written)
	require.NoError(t, err)
	steps, err = again.Steps(s.State())
	require.NoError(t, err)
	assert.Empty(t, steps, "what is written is what is live:\n%s", written)

	without, err := Parse([]byte(text))
	require.NoError(t, err)
	steps, err = without.Steps(s.State())
	require.NoError(t, err)
	assert.Empty(t, steps, "what it does not name is left alone")
	book.Templates[1].Local = book.Templates[1].Local[:1]
	s = applied(t, s, book)
	assert.False(t, s.State().LocalSetting(1).Ended)
	assert.True(t, s.State().LocalSetting(2).Ended)
	book.Templates[1].Local = []Local{}
	s = applied(t, s, book)
	assert.True(t, s.State().LocalSetting(1).Ended)

	_, err = Parse([]byte(strings.Replace(local, "level: none", "levle: none", 1)))
	assert.ErrorContains(t, err, "there is no key \"levle\" here")
	nowhere, err := Parse([]byte(strings.Replace(local, "place: A", "place: B", 1)))
	require.NoError(t, err)
	steps, err = nowhere.Steps(s.State())
	require.NoError(t, err)
	require.Len(t, steps, 2)
	assert.Equal(t, "line 35, column 32", steps[0].At("set.place").String())
}

func TestAFaultNamesLineAndColumn(t *testing.T) {
	for _, c := range []struct{ name, from, to, says string }{
		{"an unknown key", "    summary: Runs a line.", "    sumary: Runs a line.",
			"line 26, column 5: there is no key \"sumary\" here"},
		{"an unknown key in a permission", "        sentence: Runs it.", "        sentense: Runs it.",
			"line 10, column 9: there is no key \"sentense\" here"},
		{"an unknown key in a scale", "levels: [none, view, run]", "level: [none, view, run]",
			"there is no key \"level\" here"},
		{"a key that stands twice", "    name: Line operator\n", "    name: Line operator\n    name: Again\n",
			"stands here twice"},
		{"a word where a list belongs", "[work_centre]\n    groups", "work_centre\n    groups", "line 12"},
		{"a version of the future", "rulebook: 1", "rulebook: 2", "this reads rulebooks of the form 1"},
		{"no YAML at all", "rulebook: 1", "rulebook: [1", "line"},
		{"days that are no number", "days: 90", "days: many", "line 27"},
	} {
		require.Contains(t, text, c.from, c.name)
		_, err := Parse([]byte(strings.Replace(text, c.from, c.to, 1)))
		var f *fault.Fault
		if assert.ErrorAs(t, err, &f, c.name) {
			assert.Equal(t, "rulebook", f.Fields[0].Name, c.name)
			assert.Contains(t, f.Message, c.says, c.name)
		}
	}
	_, err := Parse([]byte(""))
	assert.Error(t, err)
	_, err = Parse([]byte(strings.Repeat("# much\n", MostBytes/6)))
	assert.ErrorContains(t, err, "MiB")
}

// What the rules refuse later on is named by the very key as well.
func TestAStepKnowsWhereTheBookSaysEachField(t *testing.T) {
	book, err := Parse([]byte("rulebook: 1\ntemplates:\n  - code: operator\n    name: Operator\n    base: nobody\n  " +
		"  settings:\n      line.run: view\n      line.care: full\n"))
	require.NoError(t, err)
	steps, err := book.Steps(empty(t).State())
	require.NoError(t, err)
	require.Len(t, steps, 1)
	for field, mark := range map[string]Mark{"set.base": {5, 5}, "set.settings.line.run": {7, 7},
		"set.settings.line.care": {8, 7}, "set.settings.line.gone": {6, 5}, "set.days": {3, 0}, "": {3, 0}} {
		assert.Equal(t, mark, steps[0].At(field), field)
	}
	assert.Equal(t, "line 7, column 7", steps[0].At("set.settings.line.run").String())
	assert.Equal(t, "line 3", steps[0].At("").String())
}

func TestWhatStandsTwiceOrInACircleIsRefused(t *testing.T) {
	for says, broken := range map[string]string{
		"stands here twice":   strings.Replace(text, "key: line.jam", "key: line.run", 1),
		"would make a circle": strings.Replace(text, "    summary: Runs a line.", "    base: lead", 1),
	} {
		book, err := Parse([]byte(broken))
		require.NoError(t, err)
		_, err = book.Steps(empty(t).State())
		assert.ErrorContains(t, err, says)
	}
}

func TestTheSchemaIsJSONAndKnowsTheKeys(t *testing.T) {
	var schema struct {
		Schema     string                     `json:"$schema"`
		Properties map[string]json.RawMessage `json:"properties"`
	}
	require.NoError(t, json.Unmarshal(Schema, &schema))
	assert.Equal(t, "https://json-schema.org/draft/2020-12/schema", schema.Schema)
	for _, key := range []string{"rulebook", "name", "summary", "catalogue", "templates"} {
		assert.Contains(t, schema.Properties, key)
	}
}

// No text makes the parser panic, and what it takes it can write.
func TestAnyTextIsReadOrRefused(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		lines := strings.Split(text, "\n")
		for range rapid.IntRange(1, 4).Draw(t, "cuts") {
			at := rapid.IntRange(0, len(lines)-1).Draw(t, "at")
			switch rapid.IntRange(0, 2).Draw(t, "how") {
			case 0:
				lines = append(lines[:at:at], lines[at+1:]...)
			case 1:
				lines[at] = rapid.StringMatching(`[ a-z:{}\[\]&*!|>-]{0,20}`).Draw(t, "line")
			default:
				lines[at] = " " + lines[at]
			}
			if len(lines) == 0 {
				return
			}
		}
		book, err := Parse([]byte(strings.Join(lines, "\n")))
		if err != nil {
			assert.True(t, fault.Is(err, fault.Invalid), "%v", err)
			return
		}
		_, err = book.Write()
		assert.NoError(t, err)
	})
}
