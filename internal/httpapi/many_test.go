package httpapi_test

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
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
// that
// whoever acts does not see.
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
