package change

import (
	"fmt"
	"maps"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/fault"
)

// undoOwn undoes a change by somebody, as the service does: where they made it, it is their own.
func (h *organisation) undoOwn(who string, d *Trial) (*Trial, error) {
	operations, err := Undo(h.snap, d.State.Revision, kept(h.t, d))
	require.NoError(h.t, err)
	e := prepared(operations)
	if d.actor == h.who(who) {
		e.Own = d.State.Revision
	}
	return Apply(h.snap, h.who(who), e, "undoing", operations)
}

// Whoever took something may take that back, also where it is more than they could give, while nothing newer stands
// against it; nobody else may who could not give it.
func TestWhoeverTookMayGiveBack(t *testing.T) {
	act := map[string]func(h *organisation) Operation{
		"an assignment ended": func(h *organisation) Operation {
			return op("assignment.end", h.assignmentOf("S3", "A-2"), nil)
		},
		"an assignment shortened": func(h *organisation) Operation {
			return op("assignment.edit", h.assignmentOf("S3", "A-2"), set{"until": "2026-12-01"})
		},
		"a permission withheld": func(*organisation) Operation {
			return op("exception.add", "", set{"staff": "S3", "place": "A-2", "permission": "door.chemical",
				"withheld": true})
		},
		"what was added ended": func(h *organisation) Operation {
			for _, id := range h.snap.State().ExceptionsOf(h.who("S3").Staff) {
				return op("exception.end", fmt.Sprint(id), nil)
			}
			return Operation{}
		},
	}
	newer := map[string]Operation{
		"a PIN":           op("pin.set", "", set{"staff": "S3"}),
		"another address": op("staff.edit", "S3", set{"email": "pia@example.org"}),
		"a wider template": op("template.edit", "keeper",
			set{"decide": set{"stock.adjust": "900"}}),
		"another door":       op("place.edit", "A-2", set{"proof": "badge"}),
		"another permission": op("permission.edit", "door.chemical", set{"title": "Open all stores"}),
	}
	for name, of := range act {
		begin := func() (*organisation, *Trial, map[string]int32) {
			h := managed(t)
			h.must(h.who("S1"), "more than S7 can give", op("assignment.add", "", set{"staff": "S3", "place": "A-2",
				"template": "keeper", "from": "2026-01-01"}), op("exception.add", "", set{"staff": "S3", "place": "A-Z",
				"permission": "door.chemical"}))
			had := entitlements(h.snap)
			return h, h.must(h.who("S7"), "because", of(h)), had
		}
		h, d, had := begin()
		_, err := h.undoOwn("S2", d)
		assert.True(t, fault.Is(err, fault.Refused), "%s: S2 could not give it either, and did not take it: %v", name,
			err)
		back, err := h.undoOwn("S7", d)
		require.NoError(t, err, name)
		assert.True(t, maps.Equal(had, entitlements(back.After)), name)
		for what, later := range newer {
			h, d, _ := begin()
			h.must(h.who("S1"), "newer", later)
			_, err := h.undoOwn("S7", d)
			byException := name == "a permission withheld" || name == "what was added ended"
			touches := map[string]bool{"a PIN": true, "another address": true, "another permission": byException,
				"a wider template": !byException, "another door": name != "what was added ended"}[what]
			assert.Equal(t, touches, fault.Is(err, fault.Refused), "%s, then %s: %v", name, what, err)
		}
	}
}
