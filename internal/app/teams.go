package app

import (
	"cmp"
	"slices"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
)

// Team is a team with those in it whom somebody may see.
type Team struct {
	*org.Team
	Members []*org.Member // leads first, then by name
}

// Teams returns the teams that somebody may know of, by name.
func (a *App) Teams(actor people.StaffID) (list []Team) {
	live, now := a.Live(), a.now().Unix()
	sight := live.Sight(actor, now)
	for _, t := range live.State().Teams.All() {
		if sight.Knows(t.ID) {
			list = append(list, live.team(t, sight, now))
		}
	}
	slices.SortFunc(list, func(x, y Team) int { return cmp.Or(cmp.Compare(x.Name, y.Name), cmp.Compare(x.ID, y.ID)) })
	return list
}

// TeamFor returns a team that somebody may know of; any other is not there.
func (a *App) TeamFor(actor people.StaffID, field, reference string) (*Team, error) {
	live, now := a.Live(), a.now().Unix()
	found, err := change.FindTeam(live.State(), field, reference)
	if err != nil {
		return nil, err
	}
	sight := live.Sight(actor, now)
	if !sight.Knows(found.ID) {
		return nil, fault.Missingf(field, "no team has the code %q", reference)
	}
	team := live.team(found, sight, now)
	return &team, nil
}

func (l *Live) team(t *org.Team, sight *access.Sight, now int64) Team {
	team := Team{Team: t}
	for m := range l.State().InTeam(t.ID) {
		if p := l.State().Person(m.Staff); sight.Of(p) != access.Hidden && l.Status(p.ID, now) != people.Left {
			team.Members = append(team.Members, m)
		}
	}
	name := func(m *org.Member) string { return l.texts.table.Get(uint32(m.Staff)).name }
	slices.SortStableFunc(team.Members, func(x, y *org.Member) int {
		if x.Lead != y.Lead {
			return map[bool]int{true: -1, false: 1}[x.Lead]
		}
		return cmp.Compare(name(x), name(y))
	})
	return team
}
