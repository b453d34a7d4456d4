package permit

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func lookup(templates ...*Template) func(TemplateID) *Template {
	return func(id TemplateID) *Template {
		for _, t := range templates {
			if t.ID == id {
				return t
			}
		}
		return nil
	}
}

func keysOf(lines []Line) (keys []string) {
	for _, line := range lines {
		if line.Group != nil {
			keys = append(keys, line.Group.Key)
		} else {
			keys = append(keys, line.Permission.Key)
		}
	}
	return keys
}

func TestAnOutlineIsTheTreeOfTheCatalogue(t *testing.T) {
	base := &Template{ID: 2, DecidedAt: 2, Settings: []Setting{{Permission: 1, Word: "yes"}}}
	own := &Template{ID: 1, Base: 2,
		Settings: []Setting{{Group: 2, Word: "team", AsOf: 3}, {Permission: 3, Word: "40"}}}
	lines := catalogue().Outline(own, lookup(own, base))
	require.Equal(t, []string{"line", "a", "line.care", "b", "c", "d"}, keysOf(lines))
	assert.Equal(t, []int{0, 1, 1, 2, 2, 2},
		[]int{lines[0].Depth, lines[1].Depth, lines[2].Depth, lines[3].Depth, lines[4].Depth, lines[5].Depth})
	assert.Equal(t, TemplateID(2), lines[1].Resolved.Template, "from the base")
	assert.Equal(t, GroupID(2), lines[3].Resolved.Group, "flows from the group")
	assert.Equal(t, "40", lines[4].Own)
	assert.True(t, lines[5].Undecided, "it came after the group was set")
	assert.Equal(t, Line{Group: lines[2].Group, Depth: 1, Own: "team", Total: 3, Given: 2, Pending: 1, Differ: 2,
		Mixed: true}, lines[2])
	assert.Equal(t, 4, lines[0].Total)
	assert.Equal(t, 3, lines[0].Given)
}

func TestDecidingTheRestIsDeciding(t *testing.T) {
	c := catalogue()
	template := &Template{ID: 1, DecidedAt: 1, Settings: []Setting{{Permission: 2, Word: "own"}}}
	waiting := c.Undecided(template, c.Resolve(template, lookup()), lookup())
	assert.Len(t, waiting, 2)
	template.DecidedAt = c.Count()
	assert.Empty(t, c.Undecided(template, c.Resolve(template, lookup()), lookup()))
	above := &Template{ID: 3, Base: 1}
	assert.Empty(t, c.Undecided(above, c.Resolve(above, lookup(template)), lookup(template)),
		"what the base has decided is decided")
}

func TestAPermissionIsLaidOutOverTheTemplatesByTheirBases(t *testing.T) {
	c := catalogue()
	templates := []*Template{
		{ID: 1, Name: "Packer", DecidedAt: 1, Settings: []Setting{{Permission: 2, Word: "team"}}},
		{ID: 2, Name: "Operator", Base: 1},
		{ID: 3, Name: "Gone", Base: 2, Retired: true, Settings: []Setting{{Permission: 2, Word: "own"}}},
		{ID: 4, Name: "Lead", Base: 3},
		{ID: 5, Name: "Cleaner"},
	}
	all := func(yield func(uint32, *Template) bool) {
		for _, t := range templates {
			if !yield(uint32(t.ID), t) {
				return
			}
		}
	}
	var said []string
	for _, tier := range c.Tiers(c.Permission(2), all, lookup(templates...)) {
		said = append(said, fmt.Sprint(strings.Repeat(" ", tier.Depth), tier.Template.Name, " ",
			c.Permission(2).Scale.Word(tier.Line.Resolved.Level), " own=", tier.Line.Own, " waits=",
			tier.Line.Undecided))
	}
	assert.Equal(t, []string{"Cleaner none own= waits=true", "Packer team own=team waits=false",
		" Operator team own= waits=false", "  Lead own own= waits=false"}, said,
		"a retired base is left out, and what it says still counts")
}

func TestComparingShowsWhatDiffers(t *testing.T) {
	c := catalogue()
	one := c.Resolve(&Template{ID: 1, Settings: []Setting{{Permission: 2, Word: "own"}}}, lookup())
	two := c.Resolve(&Template{ID: 2, Settings: []Setting{{Permission: 2, Word: "team"}, {Permission: 1, Word: "no"}}},
		lookup())
	sides := [][]Resolved{one, two}
	rows := c.Compare(sides, sides)
	require.Len(t, rows, 4)
	assert.False(t, rows[0].Differs, "not given and given to nobody is the same")
	assert.True(t, rows[1].Differs)
	assert.Equal(t, []Level{1, 2}, []Level{rows[1].Sides[0].Level, rows[1].Sides[1].Level})
	gives := c.ResolveGiving(&Template{ID: 2, Giving: []Setting{{Permission: 1, Word: "yes"}}}, lookup())
	rows = c.Compare(sides, [][]Resolved{one, gives})
	assert.True(t, rows[0].Differs, "what is given alike may be given on by one of them alone")
	assert.Equal(t, []Level{0, 1}, rows[0].Gives)
}

// What an outline counts of a group is what its lines say.
func TestAGroupCountsItsOwnLines(t *testing.T) {
	c := catalogue()
	rapid.Check(t, func(t *rapid.T) {
		template := &Template{ID: 1, DecidedAt: uint32(rapid.IntRange(0, 4).Draw(t, "decided"))}
		for _, of := range []Setting{{Group: 1}, {Group: 2}, {Permission: 1}, {Permission: 2}, {Permission: 3},
			{Permission: 4}} {
			if rapid.Bool().Draw(t, "set") {
				of.Word, of.AsOf = rapid.SampledFrom([]string{"none", "full", "own", "7"}).Draw(t, "word"),
					uint32(rapid.IntRange(0, 4).Draw(t, "as of"))
				template.Settings = append(template.Settings, of)
			}
		}
		lines := c.Outline(template, lookup())
		for i, group := range lines {
			if group.Group == nil {
				continue
			}
			var total, given, pending int
			for _, below := range lines[i+1:] {
				if below.Depth <= group.Depth {
					break
				}
				if below.Permission == nil {
					continue
				}
				total++
				if below.Resolved.Level > 0 {
					given++
				}
				if below.Undecided {
					pending++
				}
			}
			assert.Equal(t, []int{total, given, pending}, []int{group.Total, group.Given, group.Pending})
		}
	})
}

func TestALimitHasACeiling(t *testing.T) {
	percent := Scale{Kind: Limit, Unit: "percent", Most: 100}
	_, err := percent.Parse("101")
	assert.ErrorContains(t, err, "beyond the most that this can be, 100 percent")
	level, err := percent.Parse("100")
	assert.NoError(t, err)
	assert.Equal(t, Level(100), level)
	assert.Equal(t, Level(100), percent.Highest())
	assert.Equal(t, "limit in percent, at most 100", percent.Text())
	assert.Error(t, Scale{Kind: Limit, Unit: "kg", Most: -1}.Check())
	assert.True(t, levels.IsReach())
	assert.False(t, Scale{Kind: Levels, Levels: []string{"none", "view"}}.IsReach())
	assert.True(t, percent.Equal(Scale{Kind: Limit, Unit: "percent", Most: 100}))
}
