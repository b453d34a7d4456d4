package store_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// moment waits until the database's clock has moved on, and returns a moment between what was and what comes.
func moment(t *testing.T) time.Time {
	t.Helper()
	time.Sleep(30 * time.Millisecond)
	at := time.Now()
	time.Sleep(30 * time.Millisecond)
	return at
}

func commit(t *testing.T, s *testkit.Service, ops ...change.Operation) {
	t.Helper()
	_, err := s.App.Commit(ctx, app(ops...))
	require.NoError(t, err)
}

func edit(name, on, fields string) change.Operation {
	return change.Operation{Op: name, On: on, Set: json.RawMessage(fields)}
}

func TestAPersonsPastIsWhatItWas(t *testing.T) {
	s := testkit.Demo(t)
	otis := uint32(s.App.Live().State().StaffByNumber("Q0011").ID)
	start := moment(t)
	commit(t, s, edit("exception.add", "", `{"staff":"Q0011","place":"HB","permission":"stock.count","level":"yes"}`),
		edit("template.edit", "packer", `{"name":"Packer of fruit","decide":{"line.run":"run"}}`))
	between := moment(t)
	commit(t, s, edit("exception.end", "11", `{}`), edit("permission.edit", "line.run", `{"title":"Run any line"}`),
		edit("staff.lock", "Q0011", `{}`))
	after := moment(t)

	at := func(when time.Time) *org.State {
		state, err := s.Store.LoadAt(ctx, when, store.PartOfPast{Staff: []uint32{otis}})
		require.NoError(t, err)
		_, err = access.Compile(state)
		require.NoError(t, err)
		return state
	}
	before, then, now := at(start), at(between), at(after)
	assert.Equal(t, []string{"Packer", "Packer of fruit", "Packer of fruit"},
		[]string{before.TemplateByCode("packer").Name, then.TemplateByCode("packer").Name,
			now.TemplateByCode("packer").Name})
	assert.Equal(t, []string{"Run a line", "Run a line", "Run any line"},
		[]string{title(before), title(then), title(now)})
	assert.Empty(t, before.ExceptionsOf(s.App.Live().State().StaffByNumber("Q0011").ID))
	require.Len(t, then.ExceptionsOf(s.App.Live().State().StaffByNumber("Q0011").ID), 1)
	assert.False(t, then.Exception(11).Ended)
	assert.True(t, now.Exception(11).Ended)
	assert.Nil(t, then.StaffByNumber("Q0011").Lock)
	assert.NotNil(t, now.StaffByNumber("Q0011").Lock)
	assert.Nil(t, then.StaffByNumber("Q0012"), "only the one who was asked about is loaded")
	assert.Len(t, testkit.Records(s.App.Live().State()), len(testkit.Records(wholeOf(t, s))),
		"the whole of today is untouched by reading the past")
}

func title(s *org.State) string {
	for _, p := range s.Permissions.All() {
		if p.Key == "line.run" {
			return p.Title
		}
	}
	return ""
}

func wholeOf(t *testing.T, s *testkit.Service) *org.State {
	state, err := s.Store.Load(ctx, &org.State{})
	require.NoError(t, err)
	return state
}

func TestAPlacesPastHoldsThoseWhoWereThere(t *testing.T) {
	s := testkit.Demo(t)
	live := s.App.Live().State()
	chemical := live.PlaceByCode("HB-CHEM")
	start := moment(t)
	commit(t, s, edit("assignment.add", "", `{"staff":"Q0011","place":"HB-CHEM","template":"maintenance-fitter"}`))
	then := moment(t)
	last := uint32(s.App.Live().State().Assignments.Last())
	commit(t, s, edit("assignment.end", itoa(last), `{}`))
	after := moment(t)
	who := func(when time.Time) []string {
		state, err := s.Store.LoadAt(ctx, when, store.PartOfPast{Places: []uint32{uint32(chemical.ID)}})
		require.NoError(t, err)
		var numbers []string
		for _, p := range state.Staff.All() {
			numbers = append(numbers, p.Number)
		}
		return numbers
	}
	assert.NotContains(t, who(start), "Q0011")
	assert.Contains(t, who(then), "Q0011")
	assert.NotContains(t, who(after), "Q0011")
	assert.Contains(t, who(after), "Q0001", "owners are there, wherever they are")
	assert.Contains(t, who(start), "Q0007", "whoever has an exception there")
	places, err := s.Store.PlacesAt(ctx, then)
	require.NoError(t, err)
	assert.Equal(t, live.Places.Last(), places.Places.Last())
	assert.Zero(t, places.Staff.Last(), "nothing but places")
	since, err := s.Store.KeptSince(ctx)
	require.NoError(t, err)
	assert.InDelta(t, 300*24, time.Since(since).Hours(), 30, "the demo has a past of three hundred days")
}

func itoa(n uint32) string {
	encoded, err := json.Marshal(n)
	if err != nil {
		panic(err)
	}
	return string(encoded)
}

func TestADraftIsWrittenOncePerReading(t *testing.T) {
	s := testkit.Demo(t)
	now := time.Now().UTC().Truncate(time.Second)
	draft := &store.Draft{OwnerID: 2, State: "open", Title: "Season", Edits: "[]", NextEdit: 1, CreatedAt: now,
		UpdatedAt: now}
	added, err := s.Store.AddDraft(ctx, draft)
	require.NoError(t, err)
	require.True(t, added)
	assert.NotZero(t, draft.ID)
	first, err := s.Store.Draft(ctx, draft.ID)
	require.NoError(t, err)
	second, err := s.Store.Draft(ctx, draft.ID)
	require.NoError(t, err)
	first.Title = "First"
	require.NoError(t, s.Store.SaveDraft(ctx, first))
	second.Title = "Second"
	err = s.Store.SaveDraft(ctx, second)
	assert.True(t, fault.Is(err, fault.Stale))
	kept, err := s.Store.Draft(ctx, draft.ID)
	require.NoError(t, err)
	assert.Equal(t, "First", kept.Title)
	none, err := s.Store.Draft(ctx, 999)
	require.NoError(t, err)
	assert.Nil(t, none)
}

func TestDraftsAreListedByOwnerAndState(t *testing.T) {
	s := testkit.Demo(t)
	now := time.Now().UTC().Truncate(time.Second)
	soon, later := now.Add(-time.Minute), now.Add(time.Hour)
	for _, d := range []store.Draft{
		{OwnerID: 2, State: "open", Title: "a"}, {OwnerID: 2, State: "planned", Title: "b", PlannedFor: &soon},
		{OwnerID: 2, State: "planned", Title: "c", PlannedFor: &later},
		{OwnerID: 3, State: "open", Title: "d"}, {OwnerID: 3, State: "discarded", Title: "e"},
	} {
		d.Edits, d.NextEdit, d.CreatedAt, d.UpdatedAt = "[]", 1, now, now
		added, err := s.Store.AddDraft(ctx, &d)
		require.NoError(t, err)
		require.True(t, added)
	}
	titles := func(f store.DraftFilter) (list []string) {
		if f.Limit == 0 {
			f.Limit = 10
		}
		drafts, total, err := s.Store.Drafts(ctx, f)
		require.NoError(t, err)
		for _, d := range drafts {
			list = append(list, d.Title)
		}
		if f.Before == 0 && f.Limit == 10 {
			assert.Equal(t, int64(len(list)), total)
		}
		return list
	}
	assert.Equal(t, []string{"c", "b", "a"}, titles(store.DraftFilter{Owner: 2, States: []string{"open", "planned"}}))
	assert.Equal(t, []string{"c", "b"}, titles(store.DraftFilter{States: []string{"planned"}}))
	assert.Equal(t, []string{"c"}, titles(store.DraftFilter{Owner: 2, States: []string{"open", "planned"}, Limit: 1}))
	drafts, _, err := s.Store.Drafts(ctx, store.DraftFilter{Owner: 2, States: []string{"open", "planned"}, Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, []string{"b", "a"},
		titles(store.DraftFilter{Owner: 2, States: []string{"open", "planned"}, Before: drafts[0].ID}))
	due, err := s.Store.DueDrafts(ctx, now)
	require.NoError(t, err)
	require.Len(t, due, 1)
	assert.Equal(t, "b", due[0].Title)
	open, err := s.Store.OpenDraft(ctx, 3)
	require.NoError(t, err)
	assert.Equal(t, "d", open.Title)
	none, err := s.Store.OpenDraft(ctx, 4)
	require.NoError(t, err)
	assert.Nil(t, none)
}

func TestWhatAnEntryUndoesIsPartOfTheChain(t *testing.T) {
	s := testkit.Demo(t)
	result, err := s.App.Commit(ctx, app(edit("template.edit", "packer", `{"name":"Packers"}`)))
	require.NoError(t, err)
	undoing := app(edit("template.edit", "packer", `{"name":"Packer"}`))
	undoing.Undoes = result.AuditID
	second, err := s.App.Commit(ctx, undoing)
	require.NoError(t, err)
	undone, err := s.Store.UndoneBy(ctx, []uint64{result.AuditID, second.AuditID})
	require.NoError(t, err)
	assert.Equal(t, map[uint64]uint64{result.AuditID: second.AuditID}, undone)
	entry, err := s.Store.AuditEntry(ctx, second.AuditID)
	require.NoError(t, err)
	require.NotNil(t, entry.Undoes)
	assert.Equal(t, result.AuditID, *entry.Undoes)
	about := []store.Subject{{Kind: "place", Number: 1},
		{Kind: "template", Number: uint32(s.App.Live().State().TemplateByCode("packer").ID)}}
	later, err := s.Store.LaterOn(ctx, about, entry.Revision-1)
	require.NoError(t, err)
	assert.Equal(t, second.AuditID, later.ID)
	later, err = s.Store.LaterOn(ctx, about, entry.Revision)
	require.NoError(t, err)
	assert.Nil(t, later)
	_, err = s.App.VerifyAudit(ctx)
	require.NoError(t, err)
	db := raw(t, s.DSN)
	_, err = db.Exec("UPDATE audit_entries SET undoes = NULL WHERE id = ?", second.AuditID)
	require.NoError(t, err)
	_, err = s.App.VerifyAudit(ctx)
	assert.Error(t, err, "what an entry undoes cannot be altered unseen")
}

func TestEveryRuleRecordSurvivesTheDatabase(t *testing.T) {
	s := testkit.Demo(t)
	commit(t, s,
		edit("group.add", "", `{"key":"line.care","title":"Care","parent":"line"}`),
		edit("permission.add", "", `{"key":"line.oil","title":"Draw oil","sentence":"Draws it.","group":"line.care","scale":{"kind":"limit","unit":"l","most":20},"kinds":["zone","site"],"sensitive":true}`),
		edit("template.add", "", `{"code":"oiler","name":"Oiler","base":"packer","days":30,"needs":["pin","badge"],"idle_seconds":90,"hours":{"kind":"weekly","rules":[{"days":"mon","from":"08:00","until":"12:00"}]},"settings":{"line.care":"full","line.oil":"7"}}`),
		edit("permission.retire", "dispatch.return", `{}`), edit("template.retire", "oiler", `{}`),
		edit("template.restore", "oiler", `{}`))
	loaded := wholeOf(t, s)
	want, got := testkit.Records(s.App.Live().State()), testkit.Records(loaded)
	assert.Equal(t, len(want), len(got))
	for key, record := range want {
		assert.JSONEq(t, record, got[key], key)
	}
	oiler := loaded.TemplateByCode("oiler")
	assert.Equal(t, []any{30, 90, []string{"pin", "badge"}, false},
		[]any{oiler.Days, oiler.IdleSeconds, oiler.Needs, oiler.Retired})
	snapshot, err := access.Compile(loaded)
	require.NoError(t, err)
	oil := snapshot.Catalogue().PermissionByKey("line.oil")
	assert.Equal(t, "7", oil.Scale.Word(snapshot.Resolved(oiler.ID)[oil.ID].Level))
	assert.True(t, snapshot.Catalogue().PermissionByKey("dispatch.return").Retired)
}
