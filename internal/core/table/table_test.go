package table

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// A fork and the one it was made from stay as independent as two maps that were copied.
func TestForksDoNotNoticeEachOther(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		type pair struct {
			table Table[int]
			rows  Rows[int]
			index Index[string, int]
			model map[uint32]int
		}
		pairs := []*pair{{model: map[uint32]int{}}}
		for range rapid.IntRange(1, 60).Draw(t, "steps") {
			p := pairs[rapid.IntRange(0, len(pairs)-1).Draw(t, "which")]
			id := uint32(rapid.IntRange(1, 700).Draw(t, "id"))
			switch rapid.IntRange(0, 5).Draw(t, "act") {
			case 0:
				forked := &pair{table: p.table.Fork(), rows: p.rows.Fork(), index: p.index.Fork(),
					model: map[uint32]int{}}
				for k, v := range p.model {
					forked.model[k] = v
				}
				// From here on the first is read only, as its documentation asks.
				for i := range pairs {
					if pairs[i] == p {
						pairs[i] = &pair{table: p.table.Fork(), rows: p.rows.Fork(), index: p.index.Fork(),
							model: p.model}
					}
				}
				pairs = append(pairs, forked)
			default:
				value := rapid.Int().Draw(t, "value")
				p.table.Put(id, &value)
				p.rows.Put(id, value)
				p.index.Put(string(rune(id)), value)
				p.model[id] = value
			}
		}
		for _, p := range pairs {
			seen := 0
			for id, item := range p.table.All() {
				assert.Equal(t, p.model[id], *item)
				found, ok := p.index.Get(string(rune(id)))
				assert.True(t, ok)
				assert.Equal(t, *item, found)
				seen++
			}
			assert.Equal(t, len(p.model), seen)
			for id := range p.rows.Numbers {
				assert.Equal(t, p.model[id], *p.rows.Get(id))
				seen--
			}
			assert.Zero(t, seen)
			assert.Nil(t, p.rows.Get(1_000_000))
		}
	})
}

func TestDeletingFromAForkLeavesTheOther(t *testing.T) {
	var first Index[string, int]
	first.Put("a", 1)
	second := first.Fork()
	second.Delete("a")
	_, inFirst := first.Get("a")
	_, inSecond := second.Get("a")
	assert.True(t, inFirst)
	assert.False(t, inSecond)
}
