package demo_test

import (
	"bytes"
	"context"
	"io"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

var ctx = context.Background()

func TestTheDemoHasAPast(t *testing.T) {
	s := testkit.Demo(t)
	entries, total, err := s.Store.AuditEntries(ctx, store.AuditFilter{Action: "change", Limit: 100})
	require.NoError(t, err)
	require.Equal(t, int(total), len(entries))
	for i := 1; i < len(entries); i++ {
		assert.False(t, entries[i].At.After(entries[i-1].At), "entry %d is not older than the one after it",
			entries[i].ID)
	}
	oldest := entries[len(entries)-1]
	assert.InDelta(t, 300, time.Since(oldest.At).Hours()/24, 1)
	assert.Less(t, time.Since(entries[0].At), 10*time.Minute)
	then, err := s.Store.LoadAt(ctx, time.Now().AddDate(0, 0, -100), store.PartOfPast{Places: []uint32{1}})
	require.NoError(t, err)
	now := s.App.Live().State()
	assert.Less(t, int(then.Staff.Last()), int(now.Staff.Last()), "fewer were on record then")
	assert.Equal(t, now.Templates.Last(), then.Templates.Last())
}

func TestTheDemosExceptionsAreOfEveryKind(t *testing.T) {
	s := testkit.Demo(t)
	live, at := s.App.Live(), s.App.Now().Unix()
	kinds := map[string]int{}
	for id, e := range live.State().Exceptions.All() {
		switch {
		case e.Ended:
			kinds["ended"]++
		case e.Withheld:
			kinds["withheld"]++
		default:
			kinds["added"]++
		}
		if live.IsRedundant(e.ID, at) {
			kinds["redundant"]++
		}
		assert.NotEmpty(t, e.Reason, id)
		assert.False(t, e.MadeAt.IsZero())
	}
	assert.Equal(t, map[string]int{"added": 7, "withheld": 2, "ended": 1, "redundant": 2}, kinds)
}

func TestLoadingAgainSaysNothingAndKeepsWhatWasChanged(t *testing.T) {
	s := testkit.Empty(t)
	var said bytes.Buffer
	require.NoError(t, demo.Load(ctx, s.App, &said))
	assert.Contains(t, said.String(), "loaded the demo: ")
	assert.Contains(t, said.String(), "made a week of events: ")
	revision := s.App.Live().State().Revision
	said.Reset()
	require.NoError(t, demo.Load(ctx, s.App, &said))
	assert.Empty(t, said.String())
	assert.Equal(t, revision, s.App.Live().State().Revision)
	said.Reset()
	require.NoError(t, demo.Greet(&said, "127.0.0.1:8420", "127.0.0.1:8421", ".local"))
	for who, password := range testkit.Passwords {
		assert.Contains(t, said.String(), who+"@quillmere.example")
		assert.Contains(t, said.String(), password)
	}
}

// Whatever a manager changed of the rules stays when the demo is started again.
func TestLoadingAgainKeepsTheRulesThatWereChanged(t *testing.T) {
	s := testkit.Demo(t)
	for op, on := range map[string]string{"schedule.edit": "EARLY", "qualification.edit": "FORKLIFT",
		"template.edit": "packer", "place.edit": "HB-PACK"} {
		_, err := s.App.Commit(ctx, app.Request{Actor: change.Actor{System: "test"}, Origin: "test", Reason: "r",
			Operations: []change.Operation{{Op: op, On: on, Set: []byte(`{"name":"Another name"}`)}}})
		require.NoError(t, err)
	}
	_, err := s.App.Commit(ctx, app.Request{Actor: change.Actor{System: "test"}, Origin: "test", Reason: "r",
		Operations: []change.Operation{{Op: "permission.edit", On: "door.cold", Set: []byte(`{"title":"Another"}`)},
			{Op: "qualification.retire", On: "FIRST-AID"}}})
	require.NoError(t, err)
	before := testkit.Records(s.App.Live().State())
	require.NoError(t, demo.Load(ctx, s.App, io.Discard))
	assert.Equal(t, before, testkit.Records(s.App.Live().State()))
}

func TestAnEstateIsMadeFromItsSeed(t *testing.T) {
	size := demo.Size{Staff: 400, Places: 300, Assignments: 1200, Seed: 7, Today: day.Of(time.Now())}
	one, two := demo.State(size), demo.State(size)
	size.Seed = 8
	other := demo.State(size)
	same, differs := 0, 0
	for id, a := range one.Assignments.All() {
		if assert.ObjectsAreEqual(a, two.Assignments.Get(id)) {
			same++
		}
		if a.Place != other.Assignments.Get(id).Place {
			differs++
		}
	}
	assert.Equal(t, 1200, same, "the same seed makes the same")
	assert.Greater(t, differs, 600, "another seed another")
	have := map[people.StaffID]bool{}
	for _, a := range one.Assignments.All() {
		if a.Template == demo.Common {
			have[a.Staff] = true
		}
	}
	assert.InDelta(t, 200, len(have), 40, "about half of the people have the common template")
	snapshot, err := demo.Snapshot(size)
	require.NoError(t, err)
	assert.NotNil(t, snapshot.Tree().At(300))
	dsn, keys := testkit.DSN(t), t.TempDir()
	require.NoError(t, demo.Generate(ctx, dsn, keys, size, io.Discard))
	assert.ErrorContains(t, demo.Generate(ctx, dsn, keys, size, io.Discard), "holds something already")
}
