package httpapi

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

func small(t *testing.T) view {
	s := &org.State{Revision: 1, Settings: org.DefaultSettings()}
	s.Groups.Put(1, &permit.Group{ID: 1, Key: "line", Title: "Lines"})
	s.Permissions.Put(1, &permit.Permission{ID: 1, Key: "line.run", Title: "Run a line", Group: 1,
		Scale: permit.Scale{Kind: permit.Switch}, Kinds: estate.Kinds, Since: 1})
	s.Put(&estate.Place{ID: 1, Code: "A", Name: "Site A", Kind: estate.Site, TimeZone: "Europe/Dublin"})
	s.Put(&permit.Template{ID: 1, Code: "packer", Name: "Packer"})
	s.Put(&people.Staff{ID: 1, Number: "S1", GivenName: "Ana", FamilyName: "Reyes", HomeSite: 1})
	snapshot, err := access.Compile(s)
	require.NoError(t, err)
	return view{live: &app.Live{Snapshot: snapshot}, sees: &sees{}}
}

// A step is said in words: records by their names, settings by the titles of what they set, and nothing that means
// nothing.
func TestAStepIsSaidInWords(t *testing.T) {
	v := small(t)
	step := v.step(&change.Entry{Op: "exception.add", On: "S1 Ana Reyes: “Run a line” withheld at A",
		Record: "exception:1", After: map[string]any{"id": 1.0, "staff": 1.0, "place": 1.0, "permission": 1.0,
			"withheld": true, "until": "2027-01-10", "made_at": "2026-11-25T10:00:00Z", "reason": change.ReasonLater}},
		app.Intend)
	assert.Equal(t, api.Step{Words: "Make an exception for S1 Ana Reyes: “Run a line” withheld at A",
		Changes: []api.StepChange{{Field: "until", Now: "2027-01-10"}}}, step,
		"what the words say already is not said again")
	step = v.step(&change.Entry{Op: "assignment.edit", On: "S1 Ana Reyes: Packer at A", Record: "assignment:1",
		Before: map[string]any{"place": 2.0}, After: map[string]any{"place": 1.0}}, done)
	assert.Equal(t, []api.StepChange{{Field: "place", Was: "2", Now: "Site A"}}, step.Changes,
		"but what becomes another is")
	step = v.step(&change.Entry{Op: "template.edit", On: "packer Packer", Record: "template:1",
		Before: map[string]any{"settings.line.run": "no", "settings.line": "full", "as_of.line": 3.0, "base": 1.0},
		After:  map[string]any{"settings.line.run": "yes", "decided_at": 4.0, "days": 90.0}}, done)
	assert.Equal(t, "Changed template packer Packer", step.Words)
	assert.Equal(t, []api.StepChange{{Field: "base", Was: "Packer"}, {Field: "days", Now: "90"},
		{Field: "the group Lines", Was: "full"}, {Field: "Run a line", Was: "no", Now: "yes"}}, step.Changes)
	decided := v.step(&change.Entry{Op: "template.edit", On: "packer Packer", Record: "template:1",
		After: map[string]any{"settings.line.run": "no", "retired": false}}, done)
	assert.Equal(t, []api.StepChange{{Field: "Run a line", Now: "no"}}, decided.Changes,
		"a setting of no is a decision; another new no goes without saying")
	assert.Len(t, v.steps([]change.Entry{{Op: "staff.lock", On: "a"}, {Op: "staff.lock", On: "b"},
		{Op: "staff.lock", On: "c"}}, 2, done), 2, "the first so many")
}

func TestValuesAreSaidAsPeopleReadThem(t *testing.T) {
	v := small(t)
	for _, c := range []struct {
		field string
		value any
		words string
	}{
		{"name", nil, ""}, {"name", "Packer", "Packer"}, {"sensitive", true, "yes"}, {"sensitive", false, "no"},
		{"days", 30.0, "30"}, {"parent", 1.0, "Site A"}, {"template", 1.0, "Packer"},
		{"group", 1.0, "Lines"}, {"line_manager", 1.0, "Ana Reyes"}, {"parent", 9.0, "9"},
		{"kinds", []any{"door", "site"}, "door, site"},
		{"scale", map[string]any{"kind": "limit", "unit": "kg"}, "kind limit, unit kg"},
		{"settings.gone", "yes", "yes"},
	} {
		assert.Equal(t, c.words, v.valueWords(c.field, c.value), "%s %v", c.field, c.value)
	}
	assert.Equal(t, "gone", v.fieldWords("settings.gone"), "what is not in the catalogue any more is said by its key")
	assert.Equal(t, "idle seconds", v.fieldWords("idle_seconds"))
}

func TestTheMostThatMayBeGivenIsSaidWithItsReason(t *testing.T) {
	place := &estate.Place{Name: "Site A"}
	levels := &permit.Permission{Title: "Run a line",
		Scale: permit.Scale{Kind: permit.Levels, Levels: []string{"none", "view", "run"}}}
	limit := &permit.Permission{Title: "Adjust", Scale: permit.Scale{Kind: permit.Limit, Unit: "kg", Most: 100}}
	for _, c := range []struct {
		permission *permit.Permission
		ceiling    permit.Level
		most, why  string
	}{
		{levels, 2, "", ""}, {levels, 1, "view",
			"You can give “Run a line” at Site A up to view and no more."},
		{levels, 0, "none",
			"You cannot give “Run a line” at Site A: you do not hold it, and no template of yours says so."},
		{limit, 100, "", ""}, {limit, permit.Unbounded, "", ""},
		{limit, 40, "40", "You can give “Adjust” at Site A up to 40 and no more."},
	} {
		most, why := mostOf(c.permission, c.ceiling, place)
		assert.Equal(t, []string{c.most, c.why}, []string{most, why})
	}
	_, why := mostOf(levels, 0, nil)
	assert.Contains(t, why, "at the organisation")
}

func TestSiftingKeepsTheGroupsAbove(t *testing.T) {
	line := func(key string, depth int) api.OutlineLine { return api.OutlineLine{Key: key, Depth: depth} }
	lines := []api.OutlineLine{line("door", 0), line("door.open", 1), line("line", 0), line("line.run", 1),
		line("line.care", 1), line("line.jam", 2), line("stock", 0), line("stock.see", 1)}
	keep := func(wanted ...string) (keys []string) {
		for _, l := range sift(lines, func(l *api.OutlineLine) bool {
			for _, w := range wanted {
				if l.Key == w {
					return true
				}
			}
			return false
		}) {
			keys = append(keys, l.Key)
		}
		return keys
	}
	assert.Equal(t, []string{"line", "line.care", "line.jam"}, keep("line.jam"))
	assert.Equal(t, []string{"door", "door.open", "stock", "stock.see"}, keep("door.open", "stock.see"))
	assert.Empty(t, keep("nothing"))
}
