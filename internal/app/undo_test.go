package app_test

import (
	"encoding/json"
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/testkit"
)

// An undo that runs while others edit, here and at another instance, comes before their edit or is refused because of
// it: what they wrote stands.
func TestAnUndoNeverLandsOnALaterEdit(t *testing.T) {
	here := testkit.Demo(t)
	there := here.Second(t)
	owner := here.App.Live().State().StaffByNumber("Q0001").ID
	says := func(text string) change.Operation {
		set, err := json.Marshal(map[string]string{"summary": text})
		require.NoError(t, err)
		return change.Operation{Op: "template.edit", On: "packer", Set: set}
	}
	refused, undone := 0, 0
	for round := range 30 {
		made, err := here.App.Commit(ctx, app.Request{Actor: change.Actor{Staff: owner}, Origin: "test",
			Operations: []change.Operation{says(fmt.Sprint("first ", round))}})
		require.NoError(t, err)
		var wait sync.WaitGroup
		wait.Go(func() {
			if _, err := here.App.Undo(ctx, owner, made.AuditID, "", "test", false); err != nil {
				assert.ErrorContains(t, err, "changed again since")
				refused++
				return
			}
			undone++
		})
		theirs := fmt.Sprint("theirs ", round)
		editing := []*testkit.Service{here, there}[round%2]
		wait.Go(func() {
			_, err := editing.App.Commit(ctx, app.Request{Actor: change.Actor{Staff: owner}, Origin: "test",
				Operations: []change.Operation{says(theirs)}})
			assert.NoError(t, err)
		})
		wait.Wait()
		state, err := here.Store.Load(ctx, here.App.Live().State())
		require.NoError(t, err)
		assert.Equal(t, theirs, state.TemplateByCode("packer").Summary, "round %d", round)
	}
	t.Log("refused", refused, "undone", undone)
	assert.Positive(t, refused+undone)
}

// Two first edits at once, here and at another instance, are collected in one draft.
func TestTwoFirstEditsBeginOneDraft(t *testing.T) {
	here := testkit.Demo(t)
	there := here.Second(t)
	owner := here.App.Live().State().StaffByNumber("Q0001").ID
	for round := range 10 {
		var wait sync.WaitGroup
		for i, s := range []*testkit.Service{here, there, here, there} {
			wait.Go(func() {
				for { // who is told that the draft was changed meanwhile reads it and goes on
					_, err := s.App.Collect(ctx, owner, app.DraftOpen, "", []change.Operation{{Op: "template.edit",
						On:  []string{"packer", "grader", "picker", "dispatcher"}[i],
						Set: fmt.Appendf(nil, `{"summary":"%d"}`, round)}})
					if !fault.Is(err, fault.Stale) {
						assert.NoError(t, err)
						return
					}
				}
			})
		}
		wait.Wait()
		drafts, total, err := here.App.Drafts(ctx, owner, []string{app.DraftOpen}, false, 0, 10)
		require.NoError(t, err)
		require.EqualValues(t, 1, total)
		assert.Len(t, drafts[0].Lines, 4, "none is lost")
		_, err = here.App.Discard(ctx, owner, app.DraftOpen)
		require.NoError(t, err)
	}
}
