package app_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/testkit"
)

func numbers(page []*people.Staff) (list []string) {
	for _, p := range page {
		list = append(list, p.Number)
	}
	return list
}

// A page asked for by its position is the page that following each page from the first leads to.
func TestPagesByPositionAreThoseByFollowing(t *testing.T) {
	s := testkit.Demo(t)
	idris := staffOf(s, "Q0002")
	for _, sort := range []string{"name", "-start_date,name", "home_site,-staff_number"} {
		var followed []string
		var after people.StaffID
		for {
			page, _, err := s.App.FindStaff(idris, app.StaffQuery{Sort: sort, After: after, Limit: 37})
			require.NoError(t, err)
			followed = append(followed, numbers(page)...)
			if len(page) < 37 {
				break
			}
			after = page[len(page)-1].ID
		}
		for skip := 0; skip < len(followed); skip += 37 {
			page, total, err := s.App.FindStaff(idris, app.StaffQuery{Sort: sort, Skip: skip, Limit: 37})
			require.NoError(t, err)
			assert.Equal(t, len(followed), total)
			assert.Equal(t, followed[skip:min(skip+37, len(followed))], numbers(page), "%s from %d", sort, skip)
		}
	}
	page, total, err := s.App.FindStaff(idris, app.StaffQuery{Skip: 10_000, Limit: 10})
	require.NoError(t, err)
	assert.Empty(t, page)
	assert.Equal(t, 240, total)
}

func TestThoseAroundAPlaceAreThoseWhoMayBeAbleToDoSomethingThere(t *testing.T) {
	s := testkit.Demo(t)
	idris := staffOf(s, "Q0002")
	state := s.App.Live().State()
	around := func(code string) []string {
		page, _, err := s.App.FindStaff(idris, app.StaffQuery{Around: state.PlaceByCode(code).ID, Limit: 1000})
		require.NoError(t, err)
		return numbers(page)
	}
	site, hall, line := around("HB"), around("HB-PACK"), around("HB-LINE-1")
	assert.Contains(t, hall, "Q0011", "assigned at the site above")
	assert.Contains(t, hall, "Q0067", "assigned at the hall")
	assert.NotContains(t, hall, "Q0065", "assigned at another hall")
	assert.Contains(t, site, "Q0065")
	assert.Contains(t, line, "Q0001", "owners")
	for _, number := range line {
		assert.Contains(t, hall, number, "whoever is around a line is around its hall")
	}
	left, _, err := s.App.FindStaff(idris, app.StaffQuery{Status: people.Left, Limit: 20})
	require.NoError(t, err)
	for _, p := range left {
		assert.NotContains(t, site, p.Number, "who has left is not")
	}
}

func TestTitlesAreFoundByAPart(t *testing.T) {
	s := testkit.Demo(t)
	idris := staffOf(s, "Q0002")
	page, total, err := s.App.FindStaff(idris, app.StaffQuery{Title: "OPERATOR", Limit: 1000})
	require.NoError(t, err)
	assert.Equal(t, total, len(page))
	titles := map[string]bool{}
	for _, p := range page {
		titles[p.JobTitle] = true
	}
	assert.Equal(t, map[string]bool{"Line operator": true, "Press operator": true, "Bottling operator": true}, titles)
	none, _, err := s.App.FindStaff(idris, app.StaffQuery{Title: "astronaut", Limit: 10})
	require.NoError(t, err)
	assert.Empty(t, none)
}

func TestTodayTellsWhatWaitsAboutRules(t *testing.T) {
	s := testkit.Demo(t)
	maren, tamsin, joss := staffOf(s, "Q0001"), staffOf(s, "Q0003"), staffOf(s, "Q0007")
	_, err := s.App.Commit(ctx, request(
		operation("permission.add", "",
			set{"key": "line.jam", "title": "Clear a jam", "sentence": "Clears it.", "group": "line",
				"scale": set{"kind": "switch"}, "kinds": []string{"work_centre"}}),
		operation("permission.add", "",
			set{"key": "line.oil", "title": "Oil a line", "sentence": "Oils it.", "group": "line",
				"scale": set{"kind": "switch"}, "kinds": []string{"work_centre"}})))
	require.NoError(t, err)
	today := func(who people.StaffID) *app.Today {
		found, err := s.App.Today(ctx, who)
		require.NoError(t, err)
		return found
	}
	require.Len(t, today(maren).Undecided, 15)
	assert.Len(t, today(maren).Undecided[0].Permissions, 2)
	assert.Empty(t, today(tamsin).Undecided, "for those who may edit templates")
	assert.Equal(t, 2, today(maren).Redundant)
	assert.Equal(t, 2, today(tamsin).Redundant)
	assert.Zero(t, today(joss).Redundant, "for those who may make exceptions")
	_, err = s.App.Commit(ctx, request(decide("packer", "line.jam", "no"),
		operation("template.edit", "packer", set{"decide_rest": true}), decide("picker", "line", "none")))
	require.NoError(t, err)
	left := today(maren).Undecided
	var codes []string
	for _, w := range left {
		codes = append(codes, w.Template.Code)
	}
	for _, settled := range []string{"packer", "line-operator", "line-lead", "shift-supervisor", "grader", "picker"} {
		assert.NotContains(t, codes, settled, "it, and what is based on it")
	}
	assert.Len(t, codes, 9)
	_, err = s.App.Commit(ctx, request(operation("template.retire", "dispatcher", set{"end_assignments": true})))
	require.NoError(t, err)
	assert.Len(t, today(maren).Undecided, 8, "a retired template waits for nothing")
}

func TestAChangeThatChangesNothingIsNoChange(t *testing.T) {
	s := testkit.Demo(t)
	revision := s.App.Live().State().Revision
	_, err := s.App.Commit(ctx, request(
		operation("exception.set", "",
			set{"staff": "Q0011", "permission": "line.clean", "place": "HB", "level": "yes"})))
	assert.ErrorContains(t, err, "no change: everything is so already")
	assert.Equal(t, revision, s.App.Live().State().Revision)
	preview, err := s.App.Preview(ctx, request(decide("packer", "line.run", "run")))
	require.NoError(t, err)
	assert.Zero(t, preview.AuditID)
	assert.Equal(t, revision, s.App.Live().State().Revision)
	assert.True(t, slices.IsSortedFunc(preview.Trial.Effect.Gains,
		func(a, b access.Difference) int { return int(a.Permission) - int(b.Permission) }))
	assert.Contains(t, change.Operations(), "exception.set")
}
