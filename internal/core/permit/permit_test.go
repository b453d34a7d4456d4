package permit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/table"
)

var levels = Scale{Kind: Levels, Levels: []string{"none", "own", "team", "all"}}

// catalogue: group 1 holds permission 1 and group 2; group 2 holds permissions 2 (levels), 3 (limit) and, later, 4.
func catalogue() *Catalogue {
	var groups table.Table[Group]
	groups.Put(1, &Group{ID: 1, Key: "line", Title: "Lines"})
	groups.Put(2, &Group{ID: 2, Key: "line.care", Title: "Care", Parent: 1})
	var permissions table.Table[Permission]
	for i, scale := range []Scale{{Kind: Switch}, levels, {Kind: Limit, Unit: "kg"}, {Kind: Switch}} {
		id := PermissionID(i + 1)
		group := GroupID(2)
		if id == 1 {
			group = 1
		}
		permissions.Put(uint32(id), &Permission{ID: id, Key: string(rune('a' + i)), Group: group, Scale: scale,
			Since: uint32(id), Kinds: []estate.Kind{estate.Door}})
	}
	return NewCatalogue(groups.All(), permissions.All())
}

func resolve(template *Template, bases ...*Template) []Resolved {
	return catalogue().Resolve(template, func(id TemplateID) *Template {
		for _, base := range bases {
			if base.ID == id {
				return base
			}
		}
		return nil
	})
}

func levelsOf(resolved []Resolved) []Level {
	var found []Level
	for _, r := range resolved[1:] {
		found = append(found, r.Level)
	}
	return found
}

func TestSettingsFlowDownAndTheNearerWins(t *testing.T) {
	base := &Template{ID: 1, Settings: []Setting{{Permission: 2, Word: "all"}, {Permission: 3, Word: "40"}}}
	for _, c := range []struct {
		name     string
		settings []Setting
		base     TemplateID
		want     []Level
	}{
		{"nothing stated gives nothing", nil, 0, []Level{0, 0, 0, 0}},
		{"a group flows down to all below it", []Setting{{Group: 1, Word: WordFull, AsOf: 4}}, 0, []Level{1, 3, 0, 1}},
		{"full never means a limit", []Setting{{Group: 2, Word: WordFull, AsOf: 4}}, 0, []Level{0, 3, 0, 1}},
		{"the nearer group wins", []Setting{{Group: 1, Word: WordFull, AsOf: 4}, {Group: 2, Word: WordNone, AsOf: 4}},
			0, []Level{1, 0, 0, 0}},
		{"a leaf wins over its group", []Setting{{Group: 1, Word: WordNone, AsOf: 4}, {Permission: 2, Word: "team"}}, 0,
			[]Level{0, 2, 0, 0}},
		{"a level's name sets those that have it", []Setting{{Group: 1, Word: "own", AsOf: 4}}, 0, []Level{0, 1, 0, 0}},
		{"what came later is not decided by a group", []Setting{{Group: 1, Word: WordFull, AsOf: 3}}, 0,
			[]Level{1, 3, 0, 0}},
		{"the base's where nothing is stated", nil, 1, []Level{0, 3, 40, 0}},
		{"one's own group wins over the base's leaf", []Setting{{Group: 2, Word: WordNone, AsOf: 4}}, 1,
			[]Level{0, 0, 0, 0}},
		{"one's own leaf wins over the base's", []Setting{{Permission: 3, Word: "5"}}, 1, []Level{0, 3, 5, 0}},
	} {
		t.Run(c.name, func(t *testing.T) {
			assert.Equal(t, c.want, levelsOf(resolve(&Template{ID: 9, Base: c.base, Settings: c.settings}, base)))
		})
	}
}

func TestAResolvedSettingSaysWhereItComesFrom(t *testing.T) {
	base := &Template{ID: 1, Settings: []Setting{{Group: 1, Word: WordFull, AsOf: 4}}}
	resolved := resolve(&Template{ID: 2, Base: 1, Settings: []Setting{{Permission: 1, Word: "no"}}}, base)
	assert.Equal(t, Resolved{Level: 0, Decided: true, Template: 2}, resolved[1])
	assert.Equal(t, Resolved{Level: 3, Decided: true, Template: 1, Group: 1}, resolved[2])
	assert.False(t, resolved[3].Decided, "a limit is decided by a number only")
}

func TestACircleOfBasesEnds(t *testing.T) {
	a, b := &Template{ID: 1, Base: 2}, &Template{ID: 2, Base: 1, Settings: []Setting{{Permission: 1, Word: "yes"}}}
	assert.Equal(t, Level(1), resolve(a, a, b)[1].Level)
}

func TestScalesReadTheirWords(t *testing.T) {
	limit := Scale{Kind: Limit, Unit: "kg"}
	for _, c := range []struct {
		scale Scale
		word  string
		level Level
		ok    bool
	}{
		{Scale{Kind: Switch}, "yes", 1, true}, {Scale{Kind: Switch}, "no", 0, true},
		{Scale{Kind: Switch}, "maybe", 0, false},
		{levels, "team", 2, true}, {levels, "full", 3, true}, {levels, "yes", 0, false},
		{limit, "25", 25, true}, {limit, "none", 0, true}, {limit, "-1", 0, false}, {limit, "full", 0, false},
		{limit, "2147483647", 0, false}, {limit, "1.5", 0, false},
	} {
		level, err := c.scale.Parse(c.word)
		assert.Equal(t, c.ok, err == nil, c.word)
		assert.Equal(t, c.level, level, c.word)
	}
	assert.Equal(t, "up to 25 kg", limit.Words(25))
	assert.Equal(t, "(team)", levels.Words(2))
	for _, bad := range []Scale{{Kind: "mood"}, {Kind: Levels, Levels: []string{"one"}},
		{Kind: Levels, Levels: []string{"a", "a"}}, {Kind: Limit}} {
		assert.Error(t, bad.Check())
	}
}

func FuzzScaleWord(f *testing.F) {
	f.Add("40")
	f.Add("full")
	f.Fuzz(func(t *testing.T, word string) {
		for _, scale := range []Scale{{Kind: Switch}, levels, {Kind: Limit, Unit: "kg"}} {
			if level, err := scale.Parse(word); err == nil {
				again, err := scale.Parse(scale.Word(level))
				require.NoError(t, err)
				assert.Equal(t, level, again)
				assert.GreaterOrEqual(t, level, Level(0))
			}
		}
	})
}

func TestLevelsAreNamedWithoutRegardToCase(t *testing.T) {
	scale := Scale{Kind: Levels, Levels: []string{"None", "Own", "Team", "All"}}
	assert.NoError(t, scale.Check())
	level, err := scale.Parse("TEAM")
	assert.NoError(t, err)
	assert.Equal(t, Level(2), level)
	assert.Equal(t, Level(1), scale.LevelAbout(true, false))
	assert.Equal(t, Level(2), scale.LevelAbout(false, true))
	assert.Equal(t, Level(3), scale.LevelAbout(false, false))
	assert.Equal(t, Level(2), Scale{Kind: Levels, Levels: []string{"none", "own", "all"}}.LevelAbout(false, true),
		"a scale without team reaches others with all")
	assert.Zero(t, Scale{Kind: Levels, Levels: []string{"none", "view", "run"}}.LevelAbout(false, false),
		"it says nothing of whose records")
	for _, levels := range [][]string{{"none", "view", "View"}, {"view", "none"}, {"none", "full", "view"},
		{"none", " "}, {"none"}} {
		assert.Error(t, Scale{Kind: Levels, Levels: levels}.Check(), levels)
	}
}

func TestDefaultsComeFromTheNearestBaseThatStatesThem(t *testing.T) {
	base := &Template{ID: 1, Days: 90, Hours: hours.Access{Kind: hours.Always}}
	middle := &Template{ID: 2, Base: 1}
	own := &Template{ID: 3, Base: 2, Days: 30, Hours: hours.Access{Kind: hours.ByPlace}}
	lookup := func(id TemplateID) *Template { return map[TemplateID]*Template{1: base, 2: middle, 3: own}[id] }
	assert.Equal(t, 90, DaysOf(middle, lookup))
	assert.Equal(t, hours.Always, HoursOf(middle, lookup).Kind)
	assert.Equal(t, 30, DaysOf(own, lookup))
	assert.Equal(t, hours.ByPlace, HoursOf(own, lookup).Kind)
	assert.Equal(t, hours.Inherit, HoursOf(&Template{ID: 4}, lookup).Kind)
}
