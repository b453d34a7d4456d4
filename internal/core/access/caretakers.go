package access

import (
	"slices"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Caretakers are those on whom something rests: who leads each team, who looks after each site, and who can give each
// template somewhere. Owners, who can do all of it, are not among them; nor is anybody who has left.
type Caretakers struct {
	Leads    map[org.TeamID][]people.StaffID
	Managers map[estate.PlaceID][]people.StaffID
	Givers   map[permit.TemplateID][]people.StaffID
}

// Caretakers returns those on whom the teams with members, the sites where somebody belongs, and the templates that
// somebody is assigned with rest at an instant.
func (s *Snapshot) Caretakers(at int64) *Caretakers {
	c := &Caretakers{map[org.TeamID][]people.StaffID{}, map[estate.PlaceID][]people.StaffID{},
		map[permit.TemplateID][]people.StaffID{}}
	here := func(id people.StaffID) bool { return s.Status(id, at) != people.Left }
	for id, team := range s.state.Teams.All() {
		for m := range s.state.InTeam(org.TeamID(id)) {
			if team.Retired || m.Ended || !here(m.Staff) {
				continue
			}
			leads := c.Leads[org.TeamID(id)]
			if m.Lead {
				leads = append(leads, m.Staff)
			}
			c.Leads[org.TeamID(id)] = leads
		}
	}
	var managers []people.StaffID
	for number, staff := range s.state.Staff.All() {
		id := people.StaffID(number)
		if !here(id) {
			continue
		}
		if site := s.tree.At(staff.HomeSite); site != nil && !site.Retired {
			c.Managers[staff.HomeSite] = nil
		}
		if p := s.person(id); p != nil && !p.owner && s.manages(p) {
			managers = append(managers, id)
		}
	}
	for _, a := range s.state.Assignments.All() {
		if t := s.state.Template(a.Template); !a.Ended && t != nil && !t.Retired && here(a.Staff) {
			c.Givers[a.Template] = nil
		}
	}
	for _, id := range managers {
		s.takesCare(c, id, at)
	}
	return c
}

// takesCare adds somebody to what rests on them.
func (s *Snapshot) takesCare(c *Caretakers, id people.StaffID, at int64) {
	a := s.authority(id, at)
	for site := range c.Managers {
		if a.looksAfter(site) {
			c.Managers[site] = append(c.Managers[site], id)
		}
	}
	for template := range c.Givers {
		if slices.ContainsFunc(a.freed.grants(), func(g grant) bool {
			return at >= g.from && at < g.until && a.gives(&grant{place: g.place, template: template})
		}) {
			c.Givers[template] = append(c.Givers[template], id)
		}
	}
}

// Gap is a team, a site or a template that nobody takes care of but owners.
type Gap struct {
	Team     org.TeamID
	Site     estate.PlaceID
	Template permit.TemplateID
}

// Gaps returns what nobody takes care of, once somebody has gone where that is not 0: teams, then sites, then
// templates, in the order of their numbers. Where nobody manages anything but owners, sites and templates are theirs.
func (c *Caretakers) Gaps(without people.StaffID) []Gap {
	gaps := gapsOf(c.Leads, without, func(id org.TeamID) Gap { return Gap{Team: id} })
	if c.anybody() {
		gaps = append(gaps, gapsOf(c.Managers, without, func(id estate.PlaceID) Gap { return Gap{Site: id} })...)
		gaps = append(gaps, gapsOf(c.Givers, without, func(id permit.TemplateID) Gap { return Gap{Template: id} })...)
	}
	return gaps
}

// Left returns what nobody takes care of once somebody has gone and somebody does before.
func (c *Caretakers) Left(by people.StaffID) []Gap {
	before := c.Gaps(0)
	return slices.DeleteFunc(c.Gaps(by), func(g Gap) bool { return slices.Contains(before, g) })
}

func (c *Caretakers) anybody() bool {
	for _, managers := range c.Managers {
		if len(managers) > 0 {
			return true
		}
	}
	return false
}

func gapsOf[K ~uint32](of map[K][]people.StaffID, without people.StaffID, gap func(K) Gap) (gaps []Gap) {
	var ids []K
	for id, those := range of {
		if !slices.ContainsFunc(those, func(other people.StaffID) bool { return other != without }) {
			ids = append(ids, id)
		}
	}
	slices.Sort(ids)
	for _, id := range ids {
		gaps = append(gaps, gap(id))
	}
	return gaps
}
