package app

import (
	"cmp"
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
)

// Team is a team with those in it whom somebody may see.
type Team struct {
	*org.Team
	Members []*org.Member // leads first, then by name
}

// TeamSeen returns a team with those in it who have not left at a moment, of those whom somebody may see.
func (l *Live) TeamSeen(t *org.Team, sight *access.Sight, at time.Time) *Team {
	now := at.Unix()
	team := &Team{Team: t}
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
