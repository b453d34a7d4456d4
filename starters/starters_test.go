package starters

import (
	"crypto/rand"
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/rulebook"
)

// Every starter set is a rulebook that an empty organisation can begin from, and each can be put on top of the others.
func TestEveryStarterSetCanBeBegunFrom(t *testing.T) {
	files, err := FS.ReadDir(".")
	require.NoError(t, err)
	assert.Len(t, files, 5)
	empty, err := access.Compile(&org.State{Settings: org.DefaultSettings()})
	require.NoError(t, err)
	env := change.Env{Now: time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC), Random: rand.Reader}
	// An organisation that is set up has the permissions of this product itself.
	operation := func(name string, fields map[string]any) change.Operation {
		encoded, err := json.Marshal(fields)
		require.NoError(t, err)
		return change.Operation{Op: name, Set: encoded}
	}
	console := []change.Operation{operation("group.add",
		map[string]any{"key": permit.ConsoleGroup, "title": "Console"})}
	for _, p := range permit.ConsolePermissions() {
		console = append(console, operation("permission.add",
			map[string]any{"key": p.Key, "title": p.Title, "sentence": p.Sentence, "group": permit.ConsoleGroup,
				"scale": p.Scale, "kinds": p.Kinds}))
	}
	begun, err := change.Apply(empty, change.Actor{System: "test"}, env, "", console)
	require.NoError(t, err)
	empty = begun.After
	together := empty
	for _, file := range files {
		text, err := FS.ReadFile(file.Name())
		require.NoError(t, err)
		book, err := rulebook.Parse(text)
		require.NoError(t, err, file.Name())
		assert.NotEmpty(t, book.Name, file.Name())
		assert.NotEmpty(t, book.Summary, file.Name())
		assert.GreaterOrEqual(t, len(book.Templates), 5, file.Name())
		for _, onto := range []**access.Snapshot{&together, new(*access.Snapshot)} {
			if *onto == nil {
				*onto = empty
			}
			steps, err := book.Steps((*onto).State())
			require.NoError(t, err, file.Name())
			d, err := change.Apply(*onto, change.Actor{System: "test"}, env, "beginning", rulebook.Operations(steps))
			require.NoError(t, err, file.Name())
			*onto = d.After
			for _, template := range d.State.Templates.All() {
				given := 0
				for _, resolved := range d.After.Resolved(template.ID) {
					if resolved.Level > 0 {
						given++
					}
				}
				assert.Positive(t, given, "%s in %s gives something", template.Code, file.Name())
				assert.NotEmpty(t, template.Summary, "%s in %s says who it is for", template.Code, file.Name())
			}
		}
	}
}
