package access

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// excepted is a mill in which Ana has some exceptions.
func excepted(t *testing.T, exceptions ...*org.Exception) *Snapshot {
	return mill(t, func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
		for i, e := range exceptions {
			e.ID, e.Staff, e.Reason = org.ExceptionID(i+1), 1, "because"
			s.Put(e)
		}
	})
}

func TestACellSaysWhatItRestsOn(t *testing.T) {
	snapshot := excepted(t,
		&org.Exception{Permission: 2, Place: 4, Level: 1},
		&org.Exception{Permission: 1, Place: 3, Withheld: true},
		&org.Exception{Permission: 3, Place: 5, Level: 2},
		&org.Exception{Permission: 4, Place: 1, Level: 40, Until: today - 1})
	for _, c := range []struct {
		name       string
		permission permit.PermissionID
		place      estate.PlaceID
		cell       Cell
	}{
		{"by the template", 1, 1, Cell{1, FromTemplate}},
		{"withheld at the door", 1, 3, Cell{0, IsWithheld}},
		{"and not at its zone", 1, 2, Cell{1, FromTemplate}},
		{"added at the store", 2, 4, Cell{1, FromException}},
		{"further in only", 2, 1, Cell{1, FromBelow}},
		{"the higher of the two", 3, 5, Cell{2, FromException}},
		{"less, one further up", 3, 2, Cell{1, FromTemplate}},
		{"what has run out gives nothing", 4, 1, Cell{25, FromTemplate}},
	} {
		assert.Equal(t, c.cell, snapshot.Cell(1, c.permission, c.place, noon.Unix()), c.name)
	}
	assert.Equal(t, Cell{}, snapshot.Cell(9, 1, 1, noon.Unix()), "nobody holds nothing")
	owner := mill(t, func(_ *org.State, ana *people.Staff, _ *org.Assignment,
		_ *credential.Credential) {
		ana.Owner = true
	})
	assert.Equal(t, FromOwner, owner.Cell(1, 2, 4, noon.Unix()).Origin)
	locked := mill(t, func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
		ana.Lock = &people.Lock{Cause: people.ByManager, Reason: "r", Since: noon.Add(-time.Hour)}
	})
	assert.Equal(t, Cell{1, FromTemplate}, locked.Cell(1, 1, 1, noon.Unix()),
		"a lock passes: the cell says what is given")
}

func TestRedundantSaysWhy(t *testing.T) {
	for _, c := range []struct {
		name string
		e    org.Exception
		says Redundant
	}{
		{"added beside the template", org.Exception{Permission: 2, Place: 1, Level: 1}, Needed},
		{"added as the template has it", org.Exception{Permission: 1, Place: 2, Level: 1, Until: today + 9},
			GivenByTemplate},
		{"added less than the template has", org.Exception{Permission: 4, Place: 1, Level: 10, Until: today + 9},
			GivenByTemplate},
		{"added more than the template has", org.Exception{Permission: 4, Place: 1, Level: 26}, Needed},
		{"without an end, where the assignment has one", org.Exception{Permission: 1, Place: 2, Level: 1}, Needed},
		{"beyond the assignment's end", org.Exception{Permission: 1, Place: 2, Level: 1, Until: today + 60}, Needed},
		{"within the assignment", org.Exception{Permission: 1, Place: 2, Level: 1, Until: today + 30}, GivenByTemplate},
		{"run out", org.Exception{Permission: 2, Place: 1, Level: 1, Until: today - 1}, RunOut},
		{"withheld from the template", org.Exception{Permission: 1, Place: 3, Withheld: true}, Needed},
		{"withheld where nothing gives it", org.Exception{Permission: 2, Place: 4, Withheld: true}, NothingToWithhold},
		{"withheld after all has ended", org.Exception{Permission: 1, Place: 3, Withheld: true, From: today + 31},
			NothingToWithhold},
		{"ended", org.Exception{Permission: 1, Place: 2, Level: 1, Ended: true}, Needed},
	} {
		why, by := excepted(t, &c.e).Redundant(1, noon.Unix())
		assert.Equal(t, c.says, why, c.name)
		assert.Equal(t, why == GivenByTemplate, by == 1, c.name)
	}
	assert.False(t, excepted(t).IsRedundant(7, noon.Unix()), "there is none")
	retired := mill(t, func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
		p := *s.Permissions.Get(2)
		p.Retired = true
		s.Permissions.Put(2, &p)
		s.Put(&org.Exception{ID: 1, Staff: 1, Permission: 2, Place: 1, Level: 1, Reason: "r"})
	})
	why, _ := retired.Redundant(1, noon.Unix())
	assert.Equal(t, PermissionRetired, why)
	left := mill(t, func(s *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
		ana.LeavingDate = today - 1
		s.Put(&org.Exception{ID: 1, Staff: 1, Permission: 2, Place: 1, Level: 1, Reason: "r"})
	})
	why, _ = left.Redundant(1, noon.Unix())
	assert.Equal(t, WorksNoLonger, why)
}

func TestAnExceptionDiffersFromTheTemplatesAround(t *testing.T) {
	snapshot := mill(t, func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
		s.Put(&org.Assignment{ID: 2, Staff: 1, Place: 5, Template: 2})
		s.Put(&org.Exception{ID: 1, Staff: 1, Permission: 1, Place: 2, Withheld: true, Reason: "r"})
		s.Put(&org.Exception{ID: 2, Staff: 1, Permission: 2, Place: 4, Level: 1, Reason: "r"})
	})
	assert.Equal(t, []permit.TemplateID{1, 2}, snapshot.DiffersFrom(1), "the one above, and the one below")
	assert.Equal(t, []permit.TemplateID{1}, snapshot.DiffersFrom(2))
}

func TestLikeFindsTheNearestTemplate(t *testing.T) {
	snapshot := mill(t, func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
		s.Put(&org.Assignment{ID: 2, Staff: 1, Place: 1, Template: 2, From: today - 1})
		s.Put(&org.Exception{ID: 1, Staff: 1, Permission: 3, Place: 1, Level: 2, Reason: "r"})
	})
	like, found := snapshot.Like(1, 1, noon.Unix())
	require.True(t, found)
	assert.Equal(t, Likeness{Base: 1, Settings: map[permit.PermissionID]permit.Level{3: 2}}, like)
	_, found = snapshot.Like(9, 1, noon.Unix())
	assert.False(t, found)
	_, found = snapshot.Like(1, 1, noon.AddDate(0, 2, 0).Unix())
	require.True(t, found, "by the assignment without an end")
}

func TestLookShowsDoorsAndTerminals(t *testing.T) {
	snapshot := excepted(t, &org.Exception{Permission: 3, Place: 5, Level: 2})
	sights := snapshot.Look(1, 1, noon.Unix())
	require.Len(t, sights, 5)
	at := map[string]PlaceLook{}
	for _, sight := range sights {
		at[sight.Standing.Place.Code] = sight
	}
	assert.True(t, snapshot.Decide(at["M-D"].Door).Allowed)
	assert.Equal(t, PermissionNotInTemplate, snapshot.Decide(at["M-S"].Door).Reason)
	require.Len(t, at["M-L"].Offers, 2)
	assert.Equal(t, permit.Level(2), at["M-L"].Offers[0].Level)
	assert.Equal(t, permit.Level(25), at["M-L"].Offers[1].Level)
	assert.Empty(t, at["M-D"].Offers)
	night := snapshot.Look(1, 2, noon.Add(10*time.Hour).Unix())
	require.Len(t, night, 3)
	for _, sight := range night {
		assert.Empty(t, sight.Offers, "at night nothing is offered")
		assert.True(t, sight.Door == nil || !snapshot.Decide(sight.Door).Allowed)
	}
}

func TestWhatIsWithheldForAWhileIsHeldBeforeAndAfter(t *testing.T) {
	snapshot := excepted(t, &org.Exception{Permission: 1, Place: 1, Withheld: true, From: today + 3, Until: today + 5})
	var held []Holding
	for _, h := range snapshot.Holdings(1, noon.Unix()) {
		if h.Permission == 1 {
			held = append(held, h)
		}
	}
	require.Len(t, held, 2)
	midnight := func(day int) int64 { return time.Date(2026, 11, 24+day, 0, 0, 0, 0, time.UTC).Unix() }
	assert.Equal(t, midnight(3), held[0].Until)
	assert.Equal(t, midnight(6), held[1].From)
	lifted := Lifted(snapshot, mill(t, nil), 1, 1, 1, noon.Unix())
	require.NotEmpty(t, lifted, "its end is a gain")
	without := Diff(mill(t, nil), snapshot, noon.Unix())
	assert.NotEmpty(t, without.Losses, "and it is a loss")
}

func TestHoldersAreOncePerPlace(t *testing.T) {
	snapshot := excepted(t, &org.Exception{Permission: 1, Place: 2, Level: 1})
	holders := snapshot.Holders(1, noon.Unix())
	require.Len(t, holders, 2)
	assert.Equal(t, []estate.PlaceID{1, 2}, []estate.PlaceID{holders[0].Place, holders[1].Place})
	assert.Equal(t, []org.ExceptionID{0, 1}, []org.ExceptionID{holders[0].Exception, holders[1].Exception})
	assert.Empty(t, snapshot.Holders(2, noon.Unix()))
	assert.Empty(t, snapshot.Holders(1, noon.AddDate(1, 0, 0).Unix())[1:], "the assignment has ended by then")
}

func TestWhereAPlaceStandsDecidesWhatIsGained(t *testing.T) {
	before := mill(t, func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) { a.Place = 2 })
	state := before.State().Fork()
	store := *state.Place(4)
	store.Parent = 2
	state.Put(&store)
	after, err := before.Next(state, Touched{Places: true})
	require.NoError(t, err)
	moved := At(before, after, 4, noon.Unix())
	var permissions []permit.PermissionID
	for _, gain := range moved.Gains {
		permissions = append(permissions, gain.Permission)
		assert.Equal(t, estate.PlaceID(4), gain.Place)
	}
	assert.Equal(t, []permit.PermissionID{1, 3, 4}, permissions,
		"also what no place there is about today: it could be given on there")
	assert.Empty(t, moved.Losses)
	felt := Diff(before, after, noon.Unix())
	assert.Empty(t, felt.Gains, "felt is what a door asks for, and no more")
}

func TestTheEffectOfMovingAndRetiringAPlaceIsSeen(t *testing.T) {
	before := mill(t, func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) { a.Place = 2 })
	moved := before.State().Fork()
	door := *moved.Place(3)
	door.Parent = 1
	moved.Put(&door)
	after, err := before.Next(moved, Touched{Places: true})
	require.NoError(t, err)
	effect := Diff(before, after, noon.Unix())
	assert.Equal(t, []Difference{{Staff: 1, Permission: 1, Place: 3, Template: 1, Before: 1}}, effect.Losses)
	assert.Empty(t, effect.Gains)
	effect = Diff(after, before, noon.Unix())
	assert.Equal(t, []Difference{{Staff: 1, Permission: 1, Place: 3, Template: 1, After: 1}}, effect.Gains)
}

func TestWhoCanNamesThroughWhat(t *testing.T) {
	snapshot := mill(t, nil)
	can := snapshot.WhoCan(1, 3, noon.Unix(), true)
	require.Len(t, can, 1)
	assert.Equal(t, org.AssignmentID(1), can[0].Decision.Assignment)
	assert.Empty(t, snapshot.WhoCan(2, 4, noon.Unix(), true))
	assert.Len(t, snapshot.WhoCan(1, 3, noon.Add(10*time.Hour).Unix(), true), 1, "hours are left out")
	assert.Empty(t, snapshot.WhoCan(1, 3, noon.AddDate(0, 2, 0).Unix(), true))
}
