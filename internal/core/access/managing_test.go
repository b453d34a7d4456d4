package access_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// looking renames a permission of the product's own to the one by which people are looked after.
func looking(s *org.State) {
	p := *s.Permissions.Get(5)
	p.Key, p.Retired, p.Group = permit.AssignStaff, false, 4
	s.Permissions.Put(5, &p)
}

// Who can no longer manage whom, and who can from now on, is what is found by asking of everybody about everybody, one
// permission after another.
func TestTheThirdListIsWhatAskingOfEverybodySays(t *testing.T) {
	from, count := worlds(1500)
	met := map[bool]int{}
	for seed := from; seed < from+uint64(count); seed++ {
		w := newWorld(seed)
		looking(w.state)
		state, what := w.altered()
		looking(state)
		before, err := access.Compile(w.state)
		require.NoError(t, err)
		after, err := access.Compile(state)
		require.NoError(t, err)
		at := w.noon.Unix()
		type pair struct {
			manager, staff people.StaffID
			lost           bool
		}
		told := map[pair]bool{}
		for _, of := range access.ManagingBetween(before, after, at) {
			for _, id := range of.Staff {
				told[pair{of.Manager, id, of.Lost}] = true
			}
		}
		for manager := people.StaffID(1); manager <= worldStaff; manager++ {
			for id := people.StaffID(1); id <= worldStaff; id++ {
				if manager == id || after.Status(id, at) == people.Left {
					continue
				}
				could, can := before.Manages(manager, id, at), after.Manages(manager, id, at)
				for _, lost := range []bool{true, false} {
					of := pair{manager, id, lost}
					require.Equal(t, could != can && could == lost, told[of], "world %d, %v: %+v", seed, what, of)
					if told[of] {
						met[lost]++
					}
				}
			}
		}
		assert.Empty(t, access.ManagingBetween(before, before, at))
	}
	t.Logf("%d can no longer, %d can from now on", met[true], met[false])
	assert.Greater(t, met[true], 10)
	assert.Greater(t, met[false], 10)
}
