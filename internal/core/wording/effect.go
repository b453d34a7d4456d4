package wording

import (
	"slices"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Compared are two snapshots as they are compared from an instant on.
type Compared struct {
	Before, After *access.Snapshot
	At            int64
}

// side is the snapshot in which what is lost, or gained, is known.
func (c *Compared) side(lost bool) *access.Snapshot {
	if lost {
		return c.Before
	}
	return c.After
}

// Group says a group of an effect in a few words: "41 Packers at 2 sites gain “Clear a jam”".
// may says who may be named; others are counted.
func (l *Language) Group(c *Compared, g *access.Group, may func(people.StaffID) bool) string {
	m := &l.Messages
	message := m.Gain
	if g.Lost {
		message = m.Lose
	}
	return l.group(c, g, message, l.detail(c, g), may)
}

// group fills a message about a group with who and where it is.
func (l *Language) group(c *Compared, g *access.Group, message, detail string, may func(people.StaffID) bool) string {
	m, n, s := &l.Messages, len(g.Staff), c.side(g.Lost)
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
	return l.count(message, n, "who", who, "where", where, "title", g.Permission.Title, "detail", detail)
}

// detail says how much of a permission a group is about, and when.
func (l *Language) detail(c *Compared, g *access.Group) string {
	m, scale, detail, s := &l.Messages, g.Permission.Scale, "", c.side(g.Lost)
	switch {
	case g.Proof && g.Lost:
		detail = m.ShowsMore
	case g.Proof:
		detail = m.ShowsLess
	case g.Hours:
		detail = m.OtherHours
		if before, after, ok := c.hours(g); ok {
			detail = fill(m.HoursInstead, "before", before, "after", after)
		}
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

// fewHours is of how many people it is looked whether they have the same hours.
const fewHours = 500

// hours says the hours of a group before and after; ok is false where they differ from one to another, or cannot be
// told apart in words.
func (c *Compared) hours(g *access.Group) (before, after string, ok bool) {
	if len(g.Staff) > fewHours || len(g.Places) != 1 {
		return "", "", false
	}
	for i, id := range g.Staff {
		was, is := hoursThere(c.Before, id, g, c.At), hoursThere(c.After, id, g, c.At)
		if i > 0 && (was != before || is != after) {
			return "", "", false
		}
		before, after = was, is
	}
	return before, after, before != after && before != "" && after != ""
}

// hoursThere says at which hours somebody holds the permission of a group at its place.
func hoursThere(s *access.Snapshot, id people.StaffID, g *access.Group, at int64) string {
	here := s.Tree().At(g.Places[0])
	if here == nil {
		return ""
	}
	var said []string
	for _, held := range s.HoursHeld(id, g.Permission.ID, g.Places[0], at) {
		said = append(said, held.Words(here.Opening, day.Of(time.Unix(at, 0).In(here.Location))))
	}
	slices.Sort(said)
	return strings.Join(slices.Compact(said), "; ")
}

// hoursAlone says several groups at once that are the same people at the same hours in place of the same others: all
// that they may do, they may do then. all is false where the groups say more.
func (l *Language) hoursAlone(c *Compared, groups []access.Group, may func(people.StaffID) bool) (said string,
	all bool) {
	if len(groups) < 2 {
		return "", false
	}
	first, message := &groups[0], l.Messages.GainHours
	before, after, ok := c.hours(first)
	for i := range groups {
		g := &groups[i]
		if !ok || !g.Hours || g.Later || g.Until != 0 || g.Template != first.Template ||
			!slices.Equal(g.Staff, first.Staff) || !slices.Equal(g.Places, first.Places) {
			return "", false
		}
		if was, is, ok := c.hours(g); !ok || was != before || is != after {
			return "", false
		}
	}
	if first.Lost {
		message = l.Messages.LoseHours
	}
	return l.group(c, first, message, fill(l.Messages.HoursInstead, "before", before, "after", after), may), true
}

// Managing says whom a manager can no longer manage, or can from now on: "Ana Reyes can no longer manage 44 people:
// “Clear a jam” at Line 2 is not theirs to give". may says who may be named.
func (l *Language) Managing(c *Compared, of *access.Managing, may func(people.StaffID) bool) string {
	m, s := &l.Messages, c.side(of.Lost)
	name := func(id people.StaffID, other string) string {
		if p := s.State().Person(id); p != nil && may(id) {
			return p.FullName()
		}
		return other
	}
	who, whom := name(of.Manager, m.AManager), l.count(m.People, len(of.Staff))
	if len(of.Staff) == 1 {
		whom = name(of.Staff[0], whom)
	}
	if !of.Lost {
		return fill(m.CanManageNow, "who", who, "whom", whom)
	}
	why := m.LooksAfterNoLonger
	if permission := c.After.Catalogue().Permission(of.Permission); permission != nil {
		why = fill(m.NotTheirsToGive, "title", permission.Title, "place", placeName(c.After, of.Place, m.APlace))
	}
	return fill(m.CanNoLongerManage, "who", who, "whom", whom, "why", why)
}

// Disarmed says in a sentence who can no longer manage whom; empty where nobody loses anybody.
func (l *Language) Disarmed(c *Compared, all []access.Managing, may func(people.StaffID) bool) string {
	var lost []access.Managing
	whom := map[people.StaffID]bool{}
	for _, of := range all {
		if of.Lost {
			lost = append(lost, of)
			for _, id := range of.Staff {
				whom[id] = true
			}
		}
	}
	switch len(lost) {
	case 0:
		return ""
	case 1:
		return l.Managing(c, &lost[0], may) + "."
	}
	return l.count(l.Messages.ManagersNoLonger, len(lost), "whom", l.count(l.Messages.People, len(whom))) + "."
}

// Gap says what nobody takes care of but owners, and what mends it.
func (l *Language) Gap(s *access.Snapshot, g access.Gap) (said, mend string) {
	m := &l.Messages
	switch {
	case g.Team != 0:
		return fill(m.TeamWithoutLead, "name", s.State().Team(g.Team).Name), m.MendTeam
	case g.Site != 0:
		return fill(m.SiteWithoutManager, "name", placeName(s, g.Site, m.APlace)), m.MendSite
	}
	return fill(m.TemplateWithoutGiver, "name", s.State().Template(g.Template).Name), m.MendTemplate
}

// groupsSaid is how many groups of each side a summary names.
const groupsSaid = 2

// Summary says an effect in a sentence: "41 Packers at 2 sites gain “Clear a jam”; nobody loses."
func (l *Language) Summary(c *Compared, effect *access.Effect, gains, losses []access.Group,
	may func(people.StaffID) bool) string {
	m := &l.Messages
	side := func(groups []access.Group, people int, many string) string {
		if said, all := l.hoursAlone(c, groups, may); all {
			return said
		}
		if len(groups) > groupsSaid {
			return l.count(many, people)
		}
		var said []string
		for i := range groups {
			said = append(said, l.Group(c, &groups[i], may))
		}
		return strings.Join(said, ", ")
	}
	gained, lost := side(gains, effect.Gainers(), m.PeopleGain), side(losses, effect.Losers(), m.PeopleLose)
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
