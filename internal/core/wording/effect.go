package wording

import (
	"strings"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Group says a group of an effect in a few words: "41 Packers at 2 sites gain “Clear a jam”".
// may says who may be named; others are counted.
func (l *Language) Group(s *access.Snapshot, g *access.Group, may func(people.StaffID) bool) string {
	m, n := &l.Messages, len(g.Staff)
	who := l.count(m.People, n)
	switch first := s.State().Person(g.Staff[0]); {
	case n == 1 && first != nil && may(first.ID):
		who = first.FullName()
	case g.Template != nil:
		who = l.count(m.ManyOf, n, "one", g.Template.Name, "many", l.Many(g.Template.Name))
	}
	where := ""
	switch {
	case g.Sites > 1:
		where = l.count(m.AtSites, g.Sites)
	case len(g.Places) == 1:
		where = fill(m.AtPlace, "place", placeName(s, g.Places[0], m.APlace))
	case len(g.Places) > 1:
		where = l.count(m.AtPlaces, len(g.Places))
	}
	message := m.Gain
	if g.Lost {
		message = m.Lose
	}
	return l.count(message, n, "who", who, "where", where, "title", g.Permission.Title, "detail", l.detail(s, g))
}

// detail says how much of a permission a group is about, and when.
func (l *Language) detail(s *access.Snapshot, g *access.Group) string {
	m, scale, detail := &l.Messages, g.Permission.Scale, ""
	switch {
	case g.Proof && g.Lost:
		detail = m.ShowsMore
	case g.Proof:
		detail = m.ShowsLess
	case g.Hours:
		detail = m.OtherHours
	case scale.Kind != permit.Switch:
		detail = fill(m.Levels, "before", scale.Word(g.Before), "after", scale.Word(g.After))
	}
	switch {
	case g.Instead == nil:
	case g.Lost:
		detail += fill(m.AsksInstead, "title", g.Instead.Title)
	default:
		detail += fill(m.AskedInstead, "title", g.Instead.Title)
	}
	if g.Later {
		detail += m.OnADayAhead
	}
	switch here := s.Tree().At(g.Places[0]); {
	case g.Until == 0 || here == nil:
	case g.Lost:
		detail += fill(m.LosesUntil, "date", l.on(g.Until-1, here.Location))
	default:
		detail += fill(m.AlreadyBefore, "date", l.on(g.Until, here.Location))
	}
	return detail
}

// groupsSaid is how many groups of each side a summary names.
const groupsSaid = 2

// Summary says an effect in a sentence: "41 Packers at 2 sites gain “Clear a jam”; nobody loses."
func (l *Language) Summary(before, after *access.Snapshot, effect *access.Effect, gains, losses []access.Group,
	may func(people.StaffID) bool) string {
	m := &l.Messages
	side := func(s *access.Snapshot, groups []access.Group, people int, many string) string {
		if len(groups) > groupsSaid {
			return l.count(many, people)
		}
		var said []string
		for i := range groups {
			said = append(said, l.Group(s, &groups[i], may))
		}
		return strings.Join(said, ", ")
	}
	gained, lost := side(after, gains, effect.Gainers(), m.PeopleGain),
		side(before, losses, effect.Losers(), m.PeopleLose)
	switch {
	case len(gains) == 0 && len(losses) == 0:
		return m.NobodyFeels
	case len(losses) == 0:
		return fill(m.NobodyLoses, "gained", gained)
	case len(gains) == 0:
		return fill(m.NobodyGains, "lost", lost)
	}
	return fill(m.Both, "gained", gained, "lost", lost)
}
