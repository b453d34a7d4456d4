package access

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// watched draws an organisation in which the permission to see staff is the one that says whose records.
func watched(t *rapid.T) *Snapshot {
	s := drawState(t)
	sees := *s.Permissions.Get(2)
	sees.Key, sees.Kinds = permit.ViewStaff, estate.Kinds
	s.Permissions.Put(2, &sees)
	return compiled(t, s)
}

// Whom somebody sees at a place is what Decide answers to the question whether they may see that person's record there.
func TestSightIsWhatAskingAboutEachPersonSays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := watched(t)
		actor := people.StaffID(rapid.IntRange(1, 4).Draw(t, "actor"))
		at := noon.Unix()
		sight := s.Sight(actor, at)
		assert.Equal(t, s.HoldsAnywhere(actor, permit.ViewStaff, at), sight.Anywhere)
		for _, p := range s.State().Staff.All() {
			if p.ID == actor {
				if sight.Anywhere {
					assert.Equal(t, Whole, sight.Of(p), "oneself")
				}
				continue
			}
			seen := func(place estate.PlaceID) bool {
				return s.Decide(&Question{Staff: actor, Permission: 2, Place: place, At: at, About: p.ID, AnyHour: true,
					Retired: true}).Allowed
			}
			for here := range s.Tree().All {
				require.Equal(t, seen(here.Place.ID), sight.At(p.ID, here.Place.ID), "%d at %s", p.ID, here.Place.Code)
				if seen(here.Place.ID) {
					assert.True(t, sight.SomeAt(here.Place.ID))
				}
			}
			assert.Equal(t, seen(p.HomeSite), sight.Of(p) == Whole, "%d at home", p.ID)
		}
	})
}

// Somebody with the level team sees those in a team that they lead and nobody else, at the places where they hold it.
func TestALeadSeesTheirTeam(t *testing.T) {
	s := mill(t, nil).State().Fork()
	sees := &permit.Permission{ID: permit.PermissionID(s.Permissions.Next()), Key: permit.ViewStaff, Title: "See staff",
		Group: 1, Scale: permit.ConsoleReach, Kinds: estate.Kinds, Since: 9}
	s.Permissions.Put(uint32(sees.ID), sees)
	home := s.Person(1).HomeSite
	for id := people.StaffID(2); id <= 4; id++ {
		s.Put(&people.Staff{ID: id, Number: string(rune('A' + id)), GivenName: "G", FamilyName: "F",
			Engagement: people.Employee, HomeSite: home, StartDate: today - 9})
	}
	s.Put(&org.Exception{ID: 9, Staff: 2, Permission: sees.ID, Place: home, Level: 2, Reason: "r"})
	s.Put(&org.Team{ID: 1, Code: "T", Name: "T"})
	s.Put(&org.Member{ID: 1, Team: 1, Staff: 2, Lead: true})
	s.Put(&org.Member{ID: 2, Team: 1, Staff: 3})
	view := func(s *org.State, of people.StaffID) View {
		return compiled(t, s).Sight(2, noon.Unix()).Of(s.Person(of))
	}
	assert.Equal(t, Whole, view(s, 2), "themselves")
	assert.Equal(t, Whole, view(s, 3), "who is in it")
	assert.Equal(t, Hidden, view(s, 4), "who is in no team")
	for what, spoil := range map[string]func(*org.State){
		"who no longer leads": func(s *org.State) { s.Put(&org.Member{ID: 1, Team: 1, Staff: 2}) },
		"taken out":           func(s *org.State) { s.Put(&org.Member{ID: 2, Team: 1, Staff: 3, Ended: true}) },
		"a retired team":      func(s *org.State) { s.Put(&org.Team{ID: 1, Code: "T", Name: "T", Retired: true}) },
		"only their own": func(s *org.State) {
			s.Put(&org.Exception{ID: 9, Staff: 2, Permission: sees.ID, Place: home, Level: 1, Reason: "r"})
		},
	} {
		other := s.Fork()
		spoil(other)
		assert.Equal(t, Hidden, view(other, 3), what)
		assert.Equal(t, Whole, view(other, 2), what)
	}
}
