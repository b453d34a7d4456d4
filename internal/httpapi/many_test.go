package httpapi_test

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/testkit"
)

// acts does one thing about many people.
func acts(c *client.Client, act api.StaffAct, options ...client.Option) (out api.StaffActResult, err error) {
	err = c.Do(ctx, "POST", "/staff/acts", act, &out, options...)
	return out, err
}

var preview = client.Query("preview", "true")

func TestAnAgencyIsLockedInOneActOnceTheCountIsConfirmed(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	act := api.StaffAct{Op: "staff.lock", Filter: &api.StaffFilter{Employer: "Tern Labour Services"},
		Reasoned: api.Reasoned{Reason: "the agency's papers are not in order"}}
	would, err := acts(maren, act, preview)
	require.NoError(t, err)
	assert.Equal(t, 11, would.Count+len(would.LeftOut))
	assert.Positive(t, would.Effect.Losing)
	_, err = acts(maren, act)
	assert.ErrorContains(t, err, "and you confirmed 0")
	act.Count = would.Count + 1
	_, err = acts(maren, act)
	assert.ErrorContains(t, err, fmt.Sprintf("would be done about %d people", would.Count))
	assert.Zero(t, get[api.Page[api.Staff]](t, maren, "/staff", client.Query("employer", "Tern Labour Services"),
		client.Query("locked", "true")).Total-len(would.LeftOut))
	act.Count = would.Count
	done, err := acts(maren, act)
	require.NoError(t, err)
	assert.Equal(t, would.Count, done.Count)
	assert.Equal(t, 11, get[api.Page[api.Staff]](t, maren, "/staff", client.Query("employer", "Tern Labour Services"),
		client.Query("locked", "true")).Total)
	// Again there is nobody left
	act.Count = 0
	_, err = acts(maren, act)
	assert.ErrorContains(t, err, "is locked already")
	act.Op, act.Count = "staff.unlock", would.Count
	if len(would.LeftOut) == 0 {
		_, err = acts(maren, act)
		require.NoError(t, err)
	}
	_, err = acts(maren, api.StaffAct{Op: "staff.lock", Filter: &api.StaffFilter{Employer: "Nobody Ltd"}})
	assert.ErrorContains(t, err, "Nobody fits")
}

func TestAnActAboutChosenPeopleNamesEachWhomItCannotBeDoneAbout(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	act := api.StaffAct{Op: "staff.leave", Staff: []string{"Q0011", "Q0233", "Q0012", "Q0234"},
		Reasoned: api.Reasoned{Reason: "the season ends"}}
	_, err := acts(maren, act)
	var problem *api.Problem
	require.True(t, errors.As(err, &problem))
	assert.Contains(t, problem.Detail, "It cannot be done about 2 people")
	require.Len(t, problem.Errors, 2, "each is named")
	assert.Equal(t, "body.staff.Q0233", problem.Errors[0].Field)
	assert.Equal(t, "active", get[api.Staff](t, maren, "/staff/Q0011").Status, "nothing was done")
	act.LeaveOut = true
	done, err := acts(maren, act)
	require.NoError(t, err)
	assert.Equal(t, 2, done.Count)
	assert.Equal(t, "Q0233", done.LeftOut[0].Staff.StaffNumber)
	assert.Contains(t, done.LeftOut[0].Why, "has left already")
	assert.Equal(t, "left", get[api.Staff](t, maren, "/staff/Q0012").Status)
	_, err = maren.Write(ctx, "POST", fmt.Sprintf("/changes/%d/undo", done.AuditID), api.Reasoned{Reason: "too soon"})
	require.NoError(t, err)
	assert.Equal(t, "active", get[api.Staff](t, maren, "/staff/Q0012").Status, "undone as one")
	for name, wrong := range map[string]struct {
		act api.StaffAct
		why string
	}{
		"nobody": {api.StaffAct{Op: "staff.lock"}, "Name people, or give a filter"},
		"both": {api.StaffAct{Op: "staff.lock", Staff: []string{"Q0011"}, Filter: &api.StaffFilter{}},
			"not both"},
		"not on record": {api.StaffAct{Op: "staff.lock", Staff: []string{"Q0011", "Q9999"}}, "Q9999"},
		"about no people": {api.StaffAct{Op: "template.retire", Staff: []string{"Q0011"}},
			"is not done about many people at once"},
		"a site there is not": {api.StaffAct{Op: "staff.lock", Filter: &api.StaffFilter{Site: "XX"}}, "No place has"},
		"a field there is not": {api.StaffAct{Op: "staff.lock", Staff: []string{"Q0011"},
			Set: map[string]any{"till": "noon"}, Reasoned: api.Reasoned{Reason: "r"}}, "There is no field till"},
	} {
		_, err := acts(maren, wrong.act)
		assert.ErrorContains(t, err, wrong.why, name)
	}
}

// Those whose assignments an act is about keep what it is not about: elsewhere, with another template, or at places
// that whoever acts does not see.
func TestAssignmentsOfManyAreMovedEndedAndDated(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	at := func(who string) []api.Assignment {
		return get[api.Page[api.Assignment]](t, maren, "/assignments", client.Query("staff", who)).Items
	}
	before := at("Q0011")
	require.Len(t, before, 1)
	moved, err := acts(maren, api.StaffAct{Op: "assignment.move", Staff: []string{"Q0011", "Q0012"},
		Set: map[string]any{"place": "HB-GRADE", "template": "grader", "from": testkit.InDays(2),
			"overlap_days": 1},
		Reasoned: api.Reasoned{Reason: "graders are needed"}})
	require.NoError(t, err)
	assert.Equal(t, 2, moved.Count)
	after := at("Q0011")
	require.Len(t, after, 2)
	assert.Equal(t, testkit.InDays(2), after[0].Until)
	assert.Equal(t, testkit.InDays(2), after[1].From)
	_, err = acts(maren, api.StaffAct{Op: "assignment.end", Staff: []string{"Q0011"},
		Of: &api.AssignmentsOf{Place: "HB-GRADE"}, Reasoned: api.Reasoned{Reason: "not after all"}})
	require.NoError(t, err)
	require.Len(t, at("Q0011"), 1)
	assert.Equal(t, before[0].ID, at("Q0011")[0].ID)
	left, err := acts(maren, api.StaffAct{Op: "assignment.end", Staff: []string{"Q0011", "Q0012"}, LeaveOut: true,
		Of: &api.AssignmentsOf{Template: "grader"}, Reasoned: api.Reasoned{Reason: "not after all"}})
	require.NoError(t, err)
	assert.Contains(t, left.LeftOut[0].Why, "has no assignment to which this could be done")
}

// A shift supervisor may lock the people of one site, and does no more about many than about one.
func TestAnActAboutManyReachesNoFurtherThanOneAboutOne(t *testing.T) {
	s := testkit.Demo(t)
	joss := s.Client(t, "joss")
	for op, set := range map[string]map[string]any{"staff.leave": nil, "pin.set": nil, "assignment.end": nil,
		"staff.edit": {"notes": "x"}} {
		_, err := acts(joss, api.StaffAct{Op: op, Set: set, Staff: []string{"Q0011"},
			Reasoned: api.Reasoned{Reason: "r"}})
		assert.Equal(t, 403, statusOf(err), "%s: %v", op, err)
	}
	would, err := acts(joss, api.StaffAct{Op: "staff.lock", Filter: &api.StaffFilter{},
		Reasoned: api.Reasoned{Reason: "r"}}, preview)
	require.NoError(t, err)
	for _, out := range would.LeftOut {
		if out.Staff.StaffNumber == "Q0007" {
			assert.Contains(t, out.Why, "Nobody changes their own access")
		}
	}
	elsewhere := get[api.Page[api.Staff]](t, s.Client(t, "maren"), "/staff", client.Query("site", "SM"),
		client.Query("engagement", "employee")).Items[0].StaffNumber
	_, err = acts(joss, api.StaffAct{Op: "staff.lock", Staff: []string{elsewhere}, Reasoned: api.Reasoned{Reason: "r"}})
	assert.Error(t, err, "of another site")
	_, err = acts(s.Door(), api.StaffAct{Op: "staff.lock", Staff: []string{"Q0011"}})
	assert.Equal(t, 403, statusOf(err))
}

// statusOf is the HTTP status of a problem; 0 where there is none.
func statusOf(err error) int {
	var p *api.Problem
	if errors.As(err, &p) {
		return p.Status
	}
	return 0
}

// A newcomer gets what a colleague has, an absence is covered and said on both pages, and an assignment moves on.
func TestLikeCoverAndMoveThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	_, err := maren.Write(ctx, "POST", "/staff", api.StaffWrite{StaffFields: api.StaffFields{GivenName: text("Ana"),
		FamilyName: text("Quennell"), HomeSite: text("HB")}})
	require.NoError(t, err)
	_, err = maren.Write(ctx, "POST", "/staff/Q0241/like", api.LikeWrite{Like: "Q0012"})
	require.NoError(t, err)
	of := func(who string) []api.Assignment {
		return get[api.Page[api.Assignment]](t, maren, "/assignments", client.Query("staff", who)).Items
	}
	require.Len(t, of("Q0241"), 1)
	assert.Equal(t, of("Q0012")[0].Template, of("Q0241")[0].Template)
	_, err = maren.Write(ctx, "POST", "/staff/Q0007/cover", api.CoverWrite{By: "Q0241", From: testkit.InDays(1),
		Until: testkit.InWeeks(2), Reasoned: api.Reasoned{Reason: "holidays"}})
	require.NoError(t, err)
	covering := of("Q0241")
	require.Len(t, covering, 2)
	assert.Equal(t, "Joss Hallam", covering[1].Covers.Name)
	assert.Equal(t, []api.Cover{{Staff: api.StaffRef{StaffNumber: "Q0241", Name: "Ana Quennell"}, From: testkit.InDays(
		1),
		Until: testkit.InWeeks(2)}}, of("Q0007")[0].CoveredBy)
	_, err = maren.Write(ctx, "POST", "/staff/Q0007/cover", api.CoverWrite{By: "Q0007", Until: testkit.InWeeks(2)})
	assert.ErrorContains(t, err, "Nobody covers themselves")
	_, err = maren.Write(ctx, "POST", fmt.Sprintf("/assignments/%d/move", covering[0].ID),
		api.MoveWrite{Place: "HB-GRADE",
			Template: "grader", Reasoned: api.Reasoned{Reason: "graders are needed"}})
	require.NoError(t, err)
	assert.Equal(t, "grader", of("Q0241")[1].Template)
	joss := s.Client(t, "joss")
	for path, body := range map[string]any{"/staff/Q0012/like": api.LikeWrite{Like: "Q0011"},
		"/staff/Q0012/cover": api.CoverWrite{By: "Q0011", Until: testkit.InWeeks(2)}} {
		_, err := joss.Write(ctx, "POST", path, body)
		assert.Equal(t, 403, statusOf(err), path)
	}
}

// Who cannot work as intended is listed for those who see them, each with what keeps them; who is prepared for later is
// no fault.
func TestReadinessListsWhoCannotWork(t *testing.T) {
	s := testkit.Demo(t)
	maren, tamsin := s.Client(t, "maren"), s.Client(t, "tamsin")
	counts := get[api.Readiness](t, maren, "/readiness/counts")
	all := get[api.Page[api.Person]](t, maren, "/readiness", client.Query("limit", "500"))
	assert.Equal(t, counts.Stuck, all.Total)
	sum := 0
	for _, n := range counts.Sites {
		sum += n
	}
	assert.Equal(t, counts.Stuck, sum)
	for _, p := range all.Items {
		require.NotEmpty(t, p.Obstacles, p.Name)
		assert.NotEmpty(t, p.Obstacles[0].Mend, p.Name)
	}
	for code, n := range counts.Codes {
		assert.Equal(t, n, get[api.Page[api.Person]](t, maren, "/readiness", client.Query("code", code)).Total, code)
	}
	for _, p := range get[api.Page[api.Person]](t, tamsin, "/readiness").Items {
		assert.Equal(t, "HB", p.HomeSite.Code)
	}
	later := testkit.InWeeks(4)
	_, err := maren.Write(ctx, "POST", "/staff", api.StaffWrite{StaffFields: api.StaffFields{GivenName: text("Ana"),
		FamilyName: text("Quennell"), HomeSite: text("HB"), StartDate: &later}})
	require.NoError(t, err)
	assert.Equal(t, counts.Stuck, get[api.Readiness](t, maren, "/readiness/counts").Stuck)
	assert.Equal(t, counts.Stuck+1, get[api.Readiness](t, maren, "/readiness/counts", client.Query("prepared",
		"true")).Stuck)
	assert.Error(t, maren.Get(ctx, "/readiness?site=XX", nil))
}

func TestSeatsAreSaidAndKept(t *testing.T) {
	s := testkit.Demo(t)
	maren := s.Client(t, "maren")
	used := get[api.Organisation](t, maren, "/organisation").SeatsUsed
	require.Greater(t, used, 200)
	seats := used + 1
	_, err := maren.Write(ctx, "PATCH", "/organisation", api.OrganisationWrite{
		OrganisationFields: api.OrganisationFields{Seats: &seats}})
	require.NoError(t, err)
	starters, err := demo.Starters(s.Clock.Now())
	require.NoError(t, err)
	i, err := bring(t, maren, "starters.csv", starters)
	require.NoError(t, err)
	require.Len(t, i.Faults, 1, "an import is told so before it begins")
	assert.Contains(t, i.Faults[0].Message, fmt.Sprintf("There are %d seats, %d of them in use", seats, used))
	_, err = maren.Write(ctx, "POST", fmt.Sprintf("/imports/%d/run", i.ID), api.ImportRun{LeaveOut: true})
	assert.ErrorContains(t, err, "seats")
	today := get[api.Today](t, maren, "/today")
	assert.Equal(t, seats, today.Counts["seats"], "warned at nine tenths")
}

// Whoever leaves is listed with what is to be done, which follows from what they have; what the records say is done by
// itself, the rest is ticked off, and the audit log says by whom.
func TestLeaversAreListedWithWhatIsToBeDone(t *testing.T) {
	s := testkit.Demo(t)
	maren, joss := s.Client(t, "maren"), s.Client(t, "joss")
	all := get[api.Page[api.Leaving]](t, maren, "/leavers", client.Query("open", "true"))
	require.Greater(t, all.Total, 5)
	for _, l := range all.Items {
		assert.Positive(t, l.Open)
	}
	// Joss manages people, holds a badge and leaves
	_, err := maren.Write(ctx, "POST", "/staff/Q0007/leave", api.LeaveWrite{At: s.Clock.Now().Add(
		72 * time.Hour).Format(
		time.RFC3339), Reasoned: api.Reasoned{Reason: "gave notice"}})
	require.NoError(t, err)
	l := get[api.Leaving](t, maren, "/leavers/Q0007")
	keys := map[string]api.LeavingTask{}
	for _, task := range l.Tasks {
		keys[task.Key] = task
	}
	require.Contains(t, keys, "reports")
	assert.Contains(t, keys["reports"].What, "whose line manager they are")
	tick := func(c *client.Client, method, key string) error {
		return c.Do(ctx, method, "/leavers/Q0007/tasks/"+key, nil, nil)
	}
	assert.Equal(t, 409, statusOf(tick(maren, "PUT", "reports")), "the records say when this is done")
	assert.Equal(t, 404, statusOf(tick(maren, "PUT", "dance")))
	assert.Equal(t, 403, statusOf(tick(joss, "PUT", "keys")))
	require.NoError(t, tick(maren, "PUT", "keys"))
	require.NoError(t, tick(maren, "PUT", "keys"), "again it changes nothing")
	audit := get[api.Page[api.AuditEntry]](t, maren, "/audit", client.Query("staff", "Q0007"), client.Query("action",
		"leaving-ticked"))
	assert.Equal(t, 1, audit.Total)
	_, err = maren.Write(ctx, "POST", "/staff/Q0007/handover", api.HandOverWrite{To: "Q0003", Reports: true,
		Reasoned: api.Reasoned{Reason: "leaves"}})
	require.NoError(t, err)
	after := get[api.Leaving](t, maren, "/leavers/Q0007")
	assert.Equal(t, l.Open-2, after.Open)
	require.NoError(t, tick(maren, "DELETE", "keys"))
	assert.Equal(t, after.Open+1, get[api.Leaving](t, maren, "/leavers/Q0007").Open)
	s.Clock.Move(73 * time.Hour)
	assert.Equal(t, "left", get[api.Leaving](t, s.Client(t, "maren"), "/leavers/Q0007").Status,
		"at its moment, by itself")
	assert.Equal(t, 401, statusOf(joss.Get(ctx, "/me", nil)))
	assert.Equal(t, 404, statusOf(s.Client(t, "maren").Get(ctx, "/leavers/Q0011", nil)), "who does not leave")
}

// What those with the same title have at a site is proposed, what most have first, and of nobody whom one does not see.
func TestATitleProposesWhatOthersWithItHave(t *testing.T) {
	s := testkit.Demo(t)
	maren, tamsin := s.Client(t, "maren"), s.Client(t, "tamsin")
	found := get[api.Page[api.Proposal]](t, maren, "/staff/proposals", client.Query("job_title", " packer"),
		client.Query("site", "HB")).Items
	require.NotEmpty(t, found)
	assert.Equal(t, "packer", found[0].Template)
	assert.LessOrEqual(t, found[0].Count, found[0].Of)
	for i := range found[1:] {
		assert.LessOrEqual(t, found[i+1].Count, found[i].Count)
	}
	assert.Empty(t, get[api.Page[api.Proposal]](t, tamsin, "/staff/proposals", client.Query("job_title",
		"Forklift driver"),
		client.Query("site", "SM")).Items, "of another site")
	assert.Empty(t, get[api.Page[api.Proposal]](t, maren, "/staff/proposals").Items)
}
