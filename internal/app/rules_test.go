package app_test

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

type set = map[string]any

func operation(name, on string, fields set) change.Operation {
	encoded, err := json.Marshal(fields)
	if err != nil {
		panic(err)
	}
	return change.Operation{Op: name, On: on, Set: encoded}
}

func decide(template, key string, word any) change.Operation {
	return operation("template.edit", template, set{"decide": set{key: word}})
}

func staffOf(s *testkit.Service, number string) people.StaffID {
	return s.App.Live().State().StaffByNumber(number).ID
}

func level(s *testkit.Service, template, key string) string {
	live := s.App.Live()
	p := live.Catalogue().PermissionByKey(key)
	return p.Scale.Word(live.Resolved(live.State().TemplateByCode(template).ID)[p.ID].Level)
}

func TestADraftOutlivesTheServiceAndIsAppliedOnce(t *testing.T) {
	s := testkit.Demo(t)
	idris := staffOf(s, "Q0002")
	review, err := s.App.Collect(ctx, idris, app.DraftOpen, "",
		[]change.Operation{decide("packer", "line.run", "run"), decide("packer", "line.stop", "yes")})
	require.NoError(t, err)
	assert.Len(t, review.Draft.Lines, 2)
	assert.Equal(t, "view", level(s, "packer", "line.run"), "nothing is written")

	other := s.Second(t) // as after a restart, or on another page
	review, err = other.App.ReviewDraft(ctx, idris, app.DraftOpen)
	require.NoError(t, err)
	require.Len(t, review.Lines, 2)
	review, err = other.App.Drop(ctx, idris, app.DraftOpen, []int{review.Lines[1].ID})
	require.NoError(t, err)
	assert.Len(t, review.Lines, 1)
	_, err = other.App.Drop(ctx, idris, app.DraftOpen, []int{99})
	assert.True(t, fault.Is(err, fault.NotFound))

	d := review.Draft
	reference := "1"
	result, err := other.App.ApplyDraft(ctx, idris, reference, "agreed", "test")
	require.NoError(t, err)
	assert.NotZero(t, result.AuditID)
	assert.Equal(t, "run", level(other, "packer", "line.run"))
	_, err = other.App.ApplyDraft(ctx, idris, reference, "agreed", "test")
	assert.ErrorContains(t, err, "applied already, as change")
	_, err = other.App.Collect(ctx, idris, reference, "", []change.Operation{decide("packer", "line.stop", "yes")})
	assert.ErrorContains(t, err, "applied already")
	_, err = other.App.Reopen(ctx, idris, reference)
	assert.ErrorContains(t, err, "applied already")
	d.Version--
	assert.True(t, fault.Is(s.Store.SaveDraft(ctx, &d.Draft), fault.Stale), "an older reading of it overwrites nothing")
}

func TestADraftIsItsOwners(t *testing.T) {
	s := testkit.Demo(t)
	idris, maren, tamsin := staffOf(s, "Q0002"), staffOf(s, "Q0001"), staffOf(s, "Q0003")
	_, err := s.App.Collect(ctx, idris, app.DraftOpen, "Season",
		[]change.Operation{decide("packer", "line.run", "run")})
	require.NoError(t, err)
	_, err = s.App.DraftFor(ctx, maren, "1")
	assert.True(t, fault.Is(err, fault.NotFound), "an open draft is nobody else's to see")
	_, err = s.App.Plan(ctx, idris, "1", "", "", s.App.Now().Add(-time.Hour))
	assert.ErrorContains(t, err, "a moment that lies ahead")
	_, err = s.App.Plan(ctx, idris, "1", "", "", s.App.Now().AddDate(3, 0, 0))
	assert.ErrorContains(t, err, "two years")
	_, err = s.App.Plan(ctx, idris, "1", "agreed", "First day", s.App.Now().Add(time.Hour))
	require.NoError(t, err)
	d, err := s.App.DraftFor(ctx, maren, "1")
	require.NoError(t, err, "a planned one is for all who may read the audit log")
	assert.Equal(t, "First day", d.Title)
	_, err = s.App.DraftFor(ctx, tamsin, "1")
	assert.True(t, fault.Is(err, fault.NotFound))
	_, err = s.App.ApplyDraft(ctx, maren, "1", "mine now", "test")
	assert.True(t, fault.Is(err, fault.Refused))
	_, err = s.App.Collect(ctx, idris, "1", "", []change.Operation{decide("packer", "line.stop", "yes")})
	assert.ErrorContains(t, err, "take the plan back before changing it")
	_, err = s.App.Reopen(ctx, idris, "1")
	require.NoError(t, err)
	gone, err := s.App.Discard(ctx, idris, "1")
	require.NoError(t, err)
	assert.Equal(t, app.DraftDiscarded, gone.State)
	_, err = s.App.ApplyDraft(ctx, idris, "1", "r", "test")
	assert.ErrorContains(t, err, "discarded")
}

func TestAPlannedDraftIsAppliedWhenItsMomentComes(t *testing.T) {
	s := testkit.Demo(t)
	idris := staffOf(s, "Q0002")
	for _, plan := range []struct{ template, title string }{{"packer", "first"}, {"grader", "second"}} {
		_, err := s.App.Collect(ctx, idris, app.DraftOpen, "",
			[]change.Operation{decide(plan.template, "line.stop", "yes")})
		require.NoError(t, err)
		_, err = s.App.Plan(ctx, idris, app.DraftOpen, "agreed in June", plan.title, s.App.Now().Add(time.Hour))
		require.NoError(t, err)
	}
	// Somebody else settles the second otherwise before its moment.
	_, err := s.App.Commit(ctx, request(decide("grader", "line.stop", "no")))
	require.NoError(t, err)
	today, err := s.App.Today(ctx, idris)
	require.NoError(t, err)
	assert.Len(t, today.Drafts, 2, "planned ones are visible until then")
	s.Clock.Move(2 * time.Hour)
	require.Eventually(t, func() bool { return level(s, "packer", "line.stop") == "yes" }, 20*time.Second,
		50*time.Millisecond)
	var failed *app.Draft
	require.Eventually(t, func() bool {
		failed, err = s.App.DraftFor(ctx, idris, "2")
		return err == nil && failed.State == app.DraftFailed
	}, 20*time.Second, 50*time.Millisecond)
	assert.Contains(t, failed.Problem, "Somebody else changed the same meanwhile")
	assert.Equal(t, "no", level(s, "grader", "line.stop"))
	today, err = s.App.Today(ctx, idris)
	require.NoError(t, err)
	require.Len(t, today.Drafts, 1, "its owner is told")
	assert.Equal(t, app.DraftFailed, today.Drafts[0].State)
	_, err = s.App.Accept(ctx, idris, "2")
	require.NoError(t, err)
	_, err = s.App.ApplyDraft(ctx, idris, "2", "all the same", "test")
	require.NoError(t, err)
	assert.Equal(t, "yes", level(s, "grader", "line.stop"))
}

func TestAClashingDraftIsNotAppliedUnseen(t *testing.T) {
	s := testkit.Demo(t)
	idris := staffOf(s, "Q0002")
	_, err := s.App.Collect(ctx, idris, app.DraftOpen, "", []change.Operation{decide("packer", "line.run", "run")})
	require.NoError(t, err)
	_, err = s.App.Commit(ctx, request(decide("packer", "line.run", "none")))
	require.NoError(t, err)
	_, err = s.App.ApplyDraft(ctx, idris, app.DraftOpen, "r", "test")
	assert.True(t, fault.Is(err, fault.Stale))
	assert.ErrorContains(t, err, "edit 1 of this draft, line.run")
	live, err := s.App.As(ctx, idris, app.DraftOpen)
	require.NoError(t, err)
	run := live.Catalogue().PermissionByKey("line.run")
	assert.Equal(t, "run", run.Scale.Word(live.Resolved(live.State().TemplateByCode("packer").ID)[run.ID].Level),
		"a draft is shown as it would be")
	_, err = s.App.Collect(ctx, idris, app.DraftOpen, "",
		[]change.Operation{{Op: "pin.set", Set: json.RawMessage(`{"staff":"Q0011"}`)}})
	assert.ErrorContains(t, err, "hands out a secret at once")
}

func TestUndoReversesAChangeOnceAndSaysWhoIsInTheWay(t *testing.T) {
	s := testkit.Demo(t)
	idris := staffOf(s, "Q0002")
	commit := func(op change.Operation) uint64 {
		result, err := s.App.Commit(ctx,
			app.Request{Actor: change.Actor{Staff: idris}, Origin: "test", Reason: "because",
				Operations: []change.Operation{op}})
		require.NoError(t, err)
		return result.AuditID
	}
	first := commit(decide("packer", "line.run", "run"))
	preview, err := s.App.Undo(ctx, idris, first, "", "test", true)
	require.NoError(t, err)
	assert.Zero(t, preview.AuditID)
	assert.Positive(t, preview.Trial.Effect.Losers())
	second := commit(decide("packer", "line.run", "none"))
	_, err = s.App.Undo(ctx, idris, first, "", "test", false)
	assert.ErrorContains(t, err, "was changed again since")
	assert.ErrorContains(t, err, "The latest is change")
	assert.ErrorContains(t, err, "by Q0002 Idris Calloway")
	undoing, err := s.App.Undo(ctx, idris, second, "", "test", false)
	require.NoError(t, err)
	assert.Equal(t, "run", level(s, "packer", "line.run"))
	_, err = s.App.Undo(ctx, idris, second, "", "test", false)
	assert.ErrorContains(t, err, "was undone already, by change")
	_, err = s.App.Undo(ctx, idris, undoing.AuditID, "after all", "test", false)
	require.NoError(t, err, "an undoing can be undone")
	assert.Equal(t, "none", level(s, "packer", "line.run"))
	changes, total, err := s.App.Changes(ctx, idris, store.AuditFilter{Limit: 3})
	require.NoError(t, err)
	assert.Greater(t, total, int64(4))
	assert.Equal(t, []uint64{0, changes[0].ID, undoing.AuditID},
		[]uint64{changes[0].UndoneBy, changes[1].UndoneBy, changes[2].UndoneBy})
	joss := staffOf(s, "Q0007")
	_, err = s.App.ChangeFor(ctx, joss, first)
	assert.True(t, fault.Is(err, fault.NotFound), "others' changes are for those who may read the audit log")
	count, err := s.App.VerifyAudit(ctx)
	require.NoError(t, err)
	assert.Positive(t, count)
}

func TestThePastAnswersFromTheKeptHistory(t *testing.T) {
	s := testkit.Demo(t)
	idris := staffOf(s, "Q0002")
	live := s.App.Live()
	chemical, store := live.Catalogue().PermissionByKey("door.chemical"), live.State().PlaceByCode("HB-CHEM-1")
	joss := staffOf(s, "Q0007")
	within := func(days int) []people.StaffID {
		moment, can, err := s.App.WhoCan(ctx, idris, store, chemical, s.App.Now().AddDate(0, 0, days))
		require.NoError(t, err)
		assert.Equal(t, "past", moment.Tense)
		var ids []people.StaffID
		for _, c := range can {
			ids = append(ids, c.Staff)
		}
		return ids
	}
	at := s.App.Now()
	noon := time.Date(at.Year(), at.Month(), at.Day(), 12, 0, 0, 0, time.UTC)
	for noon.AddDate(0, 0, -270).Weekday() == time.Sunday { // a day on which the site is open
		noon = noon.AddDate(0, 0, -1)
	}
	days := -270 + int(noon.Sub(time.Date(at.Year(), at.Month(), at.Day(), 12, 0, 0, 0, time.UTC)).Hours()/24)
	_, can, err := s.App.WhoCan(ctx, idris, store, chemical,
		time.Date(at.Year(), at.Month(), at.Day()+days, 12, 0, 0, 0, time.UTC))
	require.NoError(t, err)
	stoodIn := false
	for _, c := range can {
		stoodIn = stoodIn || c.Staff == joss
	}
	assert.True(t, stoodIn, "Joss stood in then")
	assert.NotContains(t, within(-200), joss)

	e, moment, q, err := s.App.Check(ctx, idris,
		app.Ask{Staff: "Q0007", Place: "HB-CHEM-1",
			At: time.Date(at.Year(), at.Month(), at.Day()+days, 12, 0, 0, 0, time.UTC)})
	require.NoError(t, err)
	assert.Equal(t, access.Granted, e.Reason, "a badge and a PIN are asked for, and Joss had both")
	assert.Equal(t, "past", moment.Tense)
	assert.Equal(t, joss, q.Staff)
	_, _, _, err = s.App.Check(ctx, idris,
		app.Ask{Staff: "Q0007", Place: "HB-CHEM-1", At: s.App.Now().AddDate(-2, 0, 0)})
	assert.ErrorContains(t, err, "nothing was kept before")
	_, _, _, err = s.App.Check(ctx, idris,
		app.Ask{Staff: "Q0013", Place: "HB-PACK-1", At: s.App.Now().AddDate(0, 0, -100)})
	assert.ErrorContains(t, err, "was not on record yet at that moment")
	_, _, _, err = s.App.Check(ctx, idris,
		app.Ask{PIN: "480216", Place: "HB-PACK-1", At: s.App.Now().AddDate(0, 0, -1)})
	assert.ErrorContains(t, err, "name the person to ask about the past")

	look, person, standing, err := s.App.LookAs(ctx, idris, "Q0007", "HB",
		time.Date(at.Year(), at.Month(), at.Day()+days, 12, 0, 0, 0, time.UTC))
	require.NoError(t, err)
	assert.Equal(t, joss, person.ID)
	assert.Equal(t, estate.Site, standing.Place.Kind)
	opens := false
	for _, sight := range look.Look(person.ID, standing.Place.ID, look.At.Unix()) {
		opens = opens || sight.Door != nil && look.Decide(sight.Door).Allowed
	}
	assert.True(t, opens)
	tamsin := staffOf(s, "Q0003")
	_, _, _, err = s.App.LookAs(ctx, tamsin, "Q0007", "SM", time.Time{})
	assert.True(t, fault.Is(err, fault.Refused), "where one may not check, one may not look")
}

func TestWhatIsChangedNowIsSoAMomentLaterAndWasNotAMomentBefore(t *testing.T) {
	s := testkit.Demo(t)
	idris := staffOf(s, "Q0002")
	time.Sleep(1100 * time.Millisecond)
	before := s.App.Now()
	time.Sleep(1100 * time.Millisecond)
	_, err := s.App.Commit(ctx, request(decide("packer", "stock.count", "yes"),
		operation("place.edit", "HB-PACK", set{"parent": "HB-GRADE"})))
	require.NoError(t, err)
	moment, err := s.App.MomentOf(ctx, before, staffOf(s, "Q0011"), 0)
	require.NoError(t, err)
	count := moment.Catalogue().PermissionByKey("stock.count")
	packer := moment.State().TemplateByCode("packer")
	assert.Zero(t, moment.Resolved(packer.ID)[count.ID].Level)
	assert.Equal(t, "HB", moment.State().Place(moment.State().PlaceByCode("HB-PACK").Parent).Code)
	assert.Equal(t, permit.Level(1), s.App.Live().Resolved(packer.ID)[count.ID].Level)
	_, err = s.App.MomentOf(ctx, s.App.Now().Add(time.Hour), idris, 0)
	require.NoError(t, err)
}

func TestTheGridSetsWhatTheRulesAllowAndSaysTheRest(t *testing.T) {
	s := testkit.Demo(t)
	idris := staffOf(s, "Q0002")
	state := s.App.Live().State()
	q := &app.GridQuery{Place: state.PlaceByCode("HB-PACK"), Columns: []string{"line.run"},
		Staff: app.StaffQuery{Template: state.TemplateByCode("shift-supervisor").ID}}
	_, _, err := s.App.SetGrid(ctx, idris, app.DraftOpen, q, nil, "view")
	assert.ErrorContains(t, err, "the highest level wins", "each has more by a template")
	review, skipped, err := s.App.SetGrid(ctx, idris, app.DraftOpen, q, []string{"Q0007", "Q0002"}, "none")
	require.NoError(t, err)
	assert.Len(t, review.Draft.Lines, 1)
	require.Len(t, skipped, 1)
	assert.ErrorContains(t, skipped[0].Why, "Nobody changes their own access")
	grid, err := s.App.GridFor(ctx, idris, app.DraftOpen,
		&app.GridQuery{Place: q.Place, Columns: q.Columns, Staff: app.StaffQuery{Search: "Q0007", Limit: 10}})
	require.NoError(t, err)
	require.Len(t, grid.Rows, 1)
	assert.Equal(t, "withheld", string(grid.Rows[0].Cells[0].Origin))
	assert.True(t, grid.Rows[0].Drafted[0])
	_, _, err = s.App.SetGrid(ctx, idris, app.DraftOpen,
		&app.GridQuery{Place: state.PlaceByCode("HB"), Staff: app.StaffQuery{}}, nil, "none")
	assert.ErrorContains(t, err, "more than the 5000 cells")
	tamsin := staffOf(s, "Q0003")
	_, err = s.App.GridFor(ctx, tamsin, "",
		&app.GridQuery{Place: state.PlaceByCode("SM"), Staff: app.StaffQuery{Limit: 10}})
	assert.True(t, fault.Is(err, fault.Refused))
}

func TestARulebookIsAppliedAsOneChangeOrNotAtAll(t *testing.T) {
	s := testkit.Demo(t)
	maren := app.Request{Actor: change.Actor{Staff: staffOf(s, "Q0001")}, Origin: "test", Reason: "agreed"}
	book := []byte("rulebook: 1\ntemplates:\n  - {code: tray, name: Tray operator, base: line-operator, settings: " +
		"{line.speed: \"100\"}}\n  - {code: packer, name: Packer, settings: {line.speed: \"400\"}}\n")
	revision := s.App.Live().State().Revision
	_, err := s.App.ApplyRulebook(ctx, maren, book, false)
	assert.ErrorContains(t, err, "line 4, column 45, template packer: 400 percent is beyond the most")
	assert.Equal(t, revision, s.App.Live().State().Revision)
	result, err := s.App.ApplyRulebook(ctx, maren, book[:bytes.Index(book, []byte("  - {code: packer"))], false)
	require.NoError(t, err)
	assert.NotZero(t, result.AuditID)
	result, err = s.App.ApplyRulebook(ctx, maren, book[:bytes.Index(book, []byte("  - {code: packer"))], false)
	require.NoError(t, err)
	assert.Nil(t, result, "it is so already")
	_, err = app.StarterFor("nope")
	assert.True(t, fault.Is(err, fault.NotFound))
}

func TestSeveralInstancesApplyAPlannedDraftOnce(t *testing.T) {
	s := testkit.Demo(t)
	other := s.Second(t)
	idris := staffOf(s, "Q0002")
	_, err := s.App.Collect(ctx, idris, app.DraftOpen, "", []change.Operation{decide("packer", "line.stop", "yes")})
	require.NoError(t, err)
	_, err = s.App.Plan(ctx, idris, app.DraftOpen, "agreed", "Season", s.App.Now().Add(time.Hour))
	require.NoError(t, err)
	before := s.App.Live().State().Revision
	s.Clock.Move(2 * time.Hour)
	require.Eventually(t, func() bool {
		return level(s, "packer", "line.stop") == "yes" && level(other, "packer", "line.stop") == "yes"
	}, 20*time.Second, 20*time.Millisecond)
	time.Sleep(2 * time.Second) // both have looked again by now
	assert.Equal(t, before+1, s.App.Live().State().Revision)
	applied, err := s.App.DraftFor(ctx, idris, "1")
	require.NoError(t, err)
	assert.Equal(t, app.DraftApplied, applied.State)
	changes, _, err := s.App.Changes(ctx, idris, store.AuditFilter{Limit: 2})
	require.NoError(t, err)
	assert.Equal(t, *applied.AuditID, changes[0].ID)
	assert.Equal(t, "planned", changes[0].Origin)
	assert.Equal(t, "agreed", changes[0].Reason)
}

func TestAPlannedDraftIsJudgedByWhatItsOwnerMayThen(t *testing.T) {
	s := testkit.Demo(t)
	idris := staffOf(s, "Q0002")
	_, err := s.App.Collect(ctx, idris, app.DraftOpen, "", []change.Operation{decide("packer", "line.stop", "yes")})
	require.NoError(t, err)
	_, err = s.App.Plan(ctx, idris, app.DraftOpen, "agreed", "Season", s.App.Now().Add(time.Hour))
	require.NoError(t, err)
	_, err = s.App.Commit(ctx, request(operation("staff.leave", "Q0002", set{})))
	require.NoError(t, err)
	s.Clock.Move(2 * time.Hour)
	var failed *app.Draft
	require.Eventually(t, func() bool {
		failed, err = s.App.DraftFor(ctx, idris, "1")
		return err == nil && failed.State == app.DraftFailed
	}, 20*time.Second, 50*time.Millisecond)
	assert.Contains(t, failed.Problem, "no longer works here")
	assert.Equal(t, "no", level(s, "packer", "line.stop"), "who has left changes nothing any more")
}

// The planned draft of a manager who can act no more is taken over by somebody who may see it, who is not themselves
// out of action, and is made with their authority.
func TestThePlanOfWhoCanActNoMoreIsTakenOver(t *testing.T) {
	s := testkit.Demo(t)
	idris, maren, tamsin := staffOf(s, "Q0002"), staffOf(s, "Q0001"), staffOf(s, "Q0003")
	_, err := s.App.Collect(ctx, idris, app.DraftOpen, "", []change.Operation{decide("packer", "line.stop", "yes")})
	require.NoError(t, err)
	_, err = s.App.Plan(ctx, idris, app.DraftOpen, "agreed", "Season", s.App.Now().Add(time.Hour))
	require.NoError(t, err)
	_, err = s.App.TakeOver(ctx, maren, "1", "test")
	assert.True(t, fault.Is(err, fault.Refused), "its owner is at work")
	_, err = s.App.Commit(ctx, request(operation("staff.leave", "Q0002", set{})))
	require.NoError(t, err)
	_, err = s.App.TakeOver(ctx, tamsin, "1", "test")
	assert.True(t, fault.Is(err, fault.NotFound), "a manager of one site does not see it")
	taken, err := s.App.TakeOver(ctx, maren, "1", "test")
	require.NoError(t, err)
	assert.Equal(t, app.DraftPlanned, taken.State)
	_, err = s.App.TakeOver(ctx, maren, "1", "test")
	assert.True(t, fault.Is(err, fault.Refused), "it is hers already")
	s.Clock.Move(2 * time.Hour)
	require.Eventually(t, func() bool { return level(s, "packer", "line.stop") == "yes" }, 20*time.Second,
		50*time.Millisecond)
	lines, _, err := s.App.Audit(ctx, maren, store.AuditFilter{Action: "draft-taken", Limit: 5})
	require.NoError(t, err)
	require.Len(t, lines, 1)
	assert.Contains(t, lines[0].Summary, "Took over draft 1 of Q0002")
	// So is one that was given to somebody who left before accepting it: nothing is lost.
	_, err = s.App.Collect(ctx, tamsin, app.DraftOpen, "", []change.Operation{operation("staff.edit", "Q0011",
		set{"known_as": "Oti"})})
	require.NoError(t, err)
	_, err = s.App.Give(ctx, tamsin, "2", "Q0007", "test")
	require.NoError(t, err)
	_, err = s.App.TakeOver(ctx, maren, "2", "test")
	assert.True(t, fault.Is(err, fault.Refused), "whom it was given to can accept it")
	_, err = s.App.Commit(ctx, request(operation("staff.leave", "Q0007", set{})))
	require.NoError(t, err)
	_, err = s.App.TakeOver(ctx, maren, "2", "test")
	require.NoError(t, err)
}

func TestAPlanIsGivenToWhoReviewsIt(t *testing.T) {
	s := testkit.Demo(t)
	idris, maren := staffOf(s, "Q0002"), staffOf(s, "Q0001")
	_, err := s.App.Collect(ctx, idris, app.DraftOpen, "", []change.Operation{decide("packer", "line.stop", "yes")})
	require.NoError(t, err)
	_, err = s.App.Plan(ctx, idris, app.DraftOpen, "agreed", "Season", s.App.Now().Add(time.Hour))
	require.NoError(t, err)
	_, err = s.App.Commit(ctx, request(operation("staff.leave", "Q0002", set{"on": "2099-01-01"})))
	require.NoError(t, err)
	tasks := func() (keys []string) {
		l, err := s.App.LeavingOf(ctx, maren, "Q0002")
		require.NoError(t, err)
		for _, task := range l.Tasks {
			keys = append(keys, task.Key)
		}
		return keys
	}
	assert.Contains(t, tasks(), "drafts")
	for to, kind := range map[string]fault.Kind{"Q0002": fault.Invalid, "Q0011": fault.Conflict,
		"Q9999": fault.NotFound} {
		_, err = s.App.Give(ctx, idris, "1", to, "test")
		assert.True(t, fault.Is(err, kind), "%s: %v", to, err)
	}
	_, err = s.App.Give(ctx, maren, "1", "Q0003", "test")
	assert.True(t, fault.Is(err, fault.Refused), "nobody gives away what is another's")
	_, err = s.App.Give(ctx, idris, "1", "Q0001", "test")
	require.NoError(t, err)
	assert.NotContains(t, tasks(), "drafts")
	s.Clock.Move(2 * time.Hour)
	time.Sleep(1500 * time.Millisecond) // planned drafts are looked for each second
	assert.Equal(t, "no", level(s, "packer", "line.stop"), "it is not made with authority that nobody reviewed")
	given, err := s.App.DraftFor(ctx, maren, "1")
	require.NoError(t, err)
	assert.Contains(t, given.Problem, "Accept it")
	_, err = s.App.ApplyDraft(ctx, idris, "1", "agreed", "test")
	assert.True(t, fault.Is(err, fault.Refused), "it is hers now")
	_, err = s.App.ApplyDraft(ctx, maren, "1", "agreed", "test")
	assert.ErrorContains(t, err, "accept it")
	_, err = s.App.Reopen(ctx, maren, "1")
	require.NoError(t, err)
	_, err = s.App.ApplyDraft(ctx, maren, "1", "agreed", "test")
	require.NoError(t, err)
	assert.Equal(t, "yes", level(s, "packer", "line.stop"))
}

// What others give uses up nothing of somebody's own: it waits apart until it is accepted, and each gives a few.
func TestWhatOthersGiveUsesUpNothing(t *testing.T) {
	s := testkit.Demo(t)
	idris, maren := staffOf(s, "Q0002"), staffOf(s, "Q0001")
	edits := []change.Operation{decide("packer", "line.stop", "yes")}
	give := func() error {
		made, err := s.App.Collect(ctx, idris, app.DraftOpen, "", edits)
		require.NoError(t, err)
		_, err = s.App.Give(ctx, idris, fmt.Sprint(made.Draft.ID), "Q0001", "test")
		return err
	}
	for range 10 {
		require.NoError(t, give())
	}
	assert.ErrorContains(t, give(), "has not accepted 10 drafts of yours yet")
	for range 50 {
		_, err := s.App.Collect(ctx, maren, app.DraftOpen, "", edits)
		require.NoError(t, err)
		_, err = s.App.Plan(ctx, maren, app.DraftOpen, "agreed", "", s.App.Now().Add(24*time.Hour))
		require.NoError(t, err)
	}
	_, err := s.App.Reopen(ctx, maren, "1")
	assert.ErrorContains(t, err, "you have 50 drafts already")
	_, err = s.App.Discard(ctx, maren, "1")
	require.NoError(t, err)
	assert.NoError(t, give(), "and there is room for another")
}

func TestNobodyKeepsMoreDraftsThanTheyCanOversee(t *testing.T) {
	s := testkit.Demo(t)
	idris := staffOf(s, "Q0002")
	for i := range 50 {
		_, err := s.App.Collect(ctx, idris, app.DraftOpen, "", []change.Operation{decide("packer", "line.stop", "yes")})
		require.NoError(t, err, i)
		_, err = s.App.Plan(ctx, idris, app.DraftOpen, "agreed", "", s.App.Now().Add(24*time.Hour))
		require.NoError(t, err, i)
	}
	_, err := s.App.Collect(ctx, idris, app.DraftOpen, "", []change.Operation{decide("packer", "line.stop", "yes")})
	assert.ErrorContains(t, err, "you have 50 drafts already")
	drafts, total, err := s.App.Drafts(ctx, idris, []string{app.DraftPlanned}, false, 0, 20)
	require.NoError(t, err)
	assert.Equal(t, int64(50), total)
	assert.Len(t, drafts, 20)
	more, _, err := s.App.Drafts(ctx, idris, []string{app.DraftPlanned}, false, drafts[19].ID, 100)
	require.NoError(t, err)
	assert.Len(t, more, 30)
}

// After an upgrade the catalogue is completed by itself, once, at whichever instance; what is new is nobody's until
// somebody decides.
func TestTheCatalogueIsCompletedAfterAnUpgrade(t *testing.T) {
	s := testkit.Demo(t)
	db, err := sql.Open("mysql", s.DSN)
	require.NoError(t, err)
	defer db.Close()
	// As a database of before: without the permission, and without whoever was given it
	_, err = db.Exec("UPDATE permissions SET `key` = 'console.former' WHERE `key` = 'console.teams'")
	require.NoError(t, err)
	later := s.Second(t)
	require.Nil(t, later.App.Live().Catalogue().PermissionByKey(permit.EditTeams))
	require.NoError(t, later.App.Complete(ctx))
	require.NoError(t, later.App.Complete(ctx))
	added := later.App.Live().Catalogue().PermissionByKey(permit.EditTeams)
	require.NotNil(t, added)
	now := s.Clock.Now().Unix()
	assert.False(t, later.App.Live().HoldsAnywhere(numbered(s, "Q0003"), permit.EditTeams, now), "nobody's yet")
	assert.True(t, later.App.Live().HoldsAnywhere(numbered(s, "Q0001"), permit.EditTeams, now), "but owners'")
}

// After an upgrade the organisation is a place, made as a change of its own, once: who was assigned alike at every site
// is assigned there, everybody may what they could, and the past is what it was.
func TestTheOrganisationIsMadeAPlaceAfterAnUpgrade(t *testing.T) {
	s := testkit.Demo(t)
	root := s.App.Live().State().Root()
	require.NotNil(t, root)
	idris := s.App.Live().State().AssignmentsOf(numbered(s, "Q0002"))
	require.Len(t, idris, 1)
	former := *s.App.Live().State().Assignment(idris[0])
	require.Equal(t, root.ID, former.Place)
	operations := []change.Operation{operation("assignment.end", fmt.Sprint(former.ID), nil)}
	for _, site := range []string{"HB", "SM", "FC", "UQ"} {
		operations = append(operations, operation("assignment.add", "", set{"staff": "Q0002", "place": site,
			"template": "operations-manager", "from": former.From.String(), "until": former.Until.String()}))
	}
	_, err := s.App.Commit(ctx, app.Request{Actor: change.Actor{Staff: numbered(s, "Q0001")}, Reason: "as before",
		Operations: operations})
	require.NoError(t, err)
	db, err := sql.Open("mysql", s.DSN)
	require.NoError(t, err)
	defer db.Close()
	for _, statement := range []string{ // as a database of before
		"UPDATE places SET parent_id = NULL WHERE kind = 'site'",
		"DELETE FROM assignments WHERE place_id = " + fmt.Sprint(root.ID),
		"DELETE FROM places WHERE kind = 'organisation'",
	} {
		_, err = db.Exec(statement)
		require.NoError(t, err, statement)
	}
	later := s.Second(t)
	before := later.App.Live()
	require.Nil(t, before.State().Root())
	now := s.Clock.Now().Unix()
	places := func(live *app.Live) (count int) {
		reach, _ := live.Reach(numbered(s, "Q0002"), permit.LockStaff, now)
		for _, held := range reach {
			if held {
				count++
			}
		}
		return count
	}
	could := places(before)
	require.NoError(t, later.App.Complete(ctx))
	require.NoError(t, later.App.Complete(ctx))
	after := later.App.Live()
	require.NotNil(t, after.State().Root())
	assert.Equal(t, before.State().Revision+1, after.State().Revision, "once")
	assert.Equal(t, could+1, places(after), "the organisation too")
	assert.True(t, after.HoldsEverywhere(numbered(s, "Q0002"), permit.EditTemplates, now))
	standing := 0
	for _, id := range after.State().AssignmentsOf(numbered(s, "Q0002")) {
		if a := after.State().Assignment(id); !a.Ended {
			standing++
			assert.Equal(t, []any{after.State().Root().ID, former.From, former.Until}, []any{a.Place, a.From, a.Until})
		}
	}
	assert.Equal(t, 1, standing)
	assert.Empty(t, access.Diff(before.Snapshot, after.Snapshot, now).Losses)
	for here := range after.Tree().Sites {
		assert.Equal(t, after.State().Root().ID, here.Place.Parent)
	}
}
