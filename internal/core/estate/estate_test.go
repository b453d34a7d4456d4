package estate

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/table"
)

func drawPlaces(t *rapid.T) *table.Table[Place] {
	places := &table.Table[Place]{}
	for id := PlaceID(1); int(id) <= rapid.IntRange(1, 40).Draw(t, "places"); id++ {
		p := &Place{ID: id, Code: fmt.Sprint("p", id), Kind: Site, TimeZone: "Europe/Dublin",
			Retired: rapid.IntRange(0, 9).Draw(t, "retired") == 0}
		if id > 1 {
			if p.Parent = PlaceID(rapid.IntRange(0, int(id)-1).Draw(t, "parent")); p.Parent != 0 {
				p.Kind, p.TimeZone = Zone, ""
			}
		}
		places.Put(uint32(id), p)
	}
	return places
}

// The constant-time test says what climbing from parent to parent says, and retirement is inherited.
func TestWithinSaysWhatClimbingSays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		places := drawPlaces(t)
		tree, err := NewTree(places.All())
		require.NoError(t, err)
		for a, place := range places.All() {
			retired := false
			above := map[PlaceID]bool{}
			for here := place; here != nil; here = places.Get(uint32(here.Parent)) {
				above[here.ID] = true
				retired = retired || here.Retired
			}
			assert.Equal(t, retired, tree.At(PlaceID(a)).Retired)
			assert.Len(t, tree.Path(PlaceID(a)), len(above))
			for b := range places.All() {
				assert.Equal(t, above[PlaceID(b)], tree.Within(PlaceID(a), PlaceID(b)))
			}
		}
		for id := range places.All() {
			below := 0
			for st := range tree.Below(PlaceID(id)) {
				below++
				assert.True(t, tree.Within(st.Place.ID, PlaceID(id)))
			}
			assert.Positive(t, below)
		}
	})
}

func TestAPlaceTakesHoursAndZoneFromTheNearestAbove(t *testing.T) {
	site, zone := &hours.Opening{Rules: []hours.Rule{{Days: 1}}}, &hours.Opening{Rules: []hours.Rule{{Days: 2}}}
	tree, err := NewTree(listed(
		&Place{ID: 1, Kind: Site, TimeZone: "Europe/Dublin", Opening: site},
		&Place{ID: 2, Kind: Zone, Parent: 1, Opening: zone},
		&Place{ID: 3, Kind: Door, Parent: 2},
		&Place{ID: 4, Kind: Door, Parent: 1}))
	require.NoError(t, err)
	assert.Same(t, zone, tree.At(3).Opening)
	assert.Same(t, site, tree.At(4).Opening)
	assert.Equal(t, "Europe/Dublin", tree.At(3).Location.String())
	assert.Equal(t, PlaceID(1), tree.At(3).Site.ID)
	assert.Nil(t, tree.At(99))
}

func TestABrokenTreeIsRefused(t *testing.T) {
	for name, places := range map[string][]*Place{
		"a circle":         {{ID: 1, Kind: Zone, Parent: 2}, {ID: 2, Kind: Zone, Parent: 1}},
		"a missing parent": {{ID: 1, Kind: Zone, Parent: 7}},
		"no time zone":     {{ID: 1, Kind: Site}},
		"a false zone":     {{ID: 1, Kind: Site, TimeZone: "Europe/Nowhere"}},
	} {
		_, err := NewTree(listed(places...))
		assert.Error(t, err, name)
	}
}

func TestCheckHoldsTheTreeRules(t *testing.T) {
	site, door := &Place{Code: "S", Kind: Site, TimeZone: "UTC"}, &Place{Code: "D", Kind: Door}
	for _, c := range []struct {
		name   string
		place  Place
		parent *Place
		field  string
	}{
		{"a site", Place{Kind: Site, TimeZone: "UTC"}, nil, ""},
		{"a door in a site", Place{Kind: Door, Proof: PIN}, site, ""},
		{"an unknown kind", Place{Kind: "cellar"}, site, "kind"},
		{"a site below a site", Place{Kind: Site, TimeZone: "UTC"}, site, "parent"},
		{"a door without a parent", Place{Kind: Door}, nil, "parent"},
		{"a device in a door", Place{Kind: Device}, door, "parent"},
		{"an unknown proof", Place{Kind: Door, Proof: "handshake"}, site, "proof"},
		{"a door with opening hours", Place{Kind: Door, Opening: &hours.Opening{}}, site, "opening"},
		{"a zone with a time zone", Place{Kind: Zone, TimeZone: "UTC"}, site, "time_zone"},
		{"a site without one", Place{Kind: Site}, nil, "time_zone"},
	} {
		field, err := Check(&c.place, c.parent)
		assert.Equal(t, c.field, field, c.name)
		assert.Equal(t, c.field != "", err != nil, c.name)
	}
}

func listed(places ...*Place) func(yield func(uint32, *Place) bool) {
	return func(yield func(uint32, *Place) bool) {
		for _, p := range places {
			if !yield(uint32(p.ID), p) {
				return
			}
		}
	}
}
