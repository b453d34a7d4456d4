package org

import (
	"iter"

	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/table"
)

// Numbers of teams, and of who is in them.
type (
	TeamID   uint32
	MemberID uint32
)

// Team is a named group of staff, across sites if need be. Being in one gives no access. Whoever leads one sees the
// records of those in it where they hold the level team.
type Team struct {
	ID       TeamID `json:"id"`
	Code     string `json:"code"`
	Name     string `json:"name"`
	Summary  string `json:"summary,omitempty"`
	Retired  bool   `json:"retired,omitempty"`
	Revision uint64 `json:"-"`
}

// Member says that somebody is in a team.
type Member struct {
	ID       MemberID       `json:"id"`
	Team     TeamID         `json:"team"`
	Staff    people.StaffID `json:"staff"`
	Lead     bool           `json:"lead,omitempty"`
	Ended    bool           `json:"ended,omitempty"` // no longer in it; kept for the record
	Revision uint64         `json:"-"`
}

var teamKind = &kindOf[Team, TeamID]{name: "team", plural: "teams",
	table:    func(s *State) *table.Table[Team] { return &s.Teams },
	id:       func(t *Team) TeamID { return t.ID },
	revision: func(t *Team) *uint64 { return &t.Revision },
	code:     func(t *Team) string { return t.Code },
	label:    func(_ *State, t *Team) string { return t.Code + " " + t.Name },
	outOfUse: func(t *Team) bool { return t.Retired },
	checks:   func(c *checking, t *Team) { c.named(t.Code, t.Name, t.Summary) }}

var memberKind = &kindOf[Member, MemberID]{name: "member",
	table:    func(s *State) *table.Table[Member] { return &s.Members },
	id:       func(m *Member) MemberID { return m.ID },
	revision: func(m *Member) *uint64 { return &m.Revision },
	holder:   func(m *Member) people.StaffID { return m.Staff },
	owned:    func(b *belongings) *[]MemberID { return &b.members },
	label:    func(s *State, m *Member) string { return s.naming(m.Staff) + ": " + s.Team(m.Team).Name },
	outOfUse: func(m *Member) bool { return m.Ended },
	refers:   func(m *Member, to Reference) bool { return refersTo("team", m.Team, to) },
	checks: func(c *checking, m *Member) {
		c.person(m.Staff).refers("team", c.state.Team(m.Team) != nil)
		other := c.state.MemberOf(m.Staff, m.Team)
		c.that("staff", m.Ended || other == nil || other.ID == m.ID, "they are in this team already")
	},
	placed: func(s *State, before, m *Member) {
		if before == nil {
			list := append(s.membersOf(m.Team)[:len(s.membersOf(m.Team)):len(s.membersOf(m.Team))], m.ID)
			s.ofTeam.Put(uint32(m.Team), &list)
		}
	},
	removed: func(s *State, m *Member) {
		list := without(s.membersOf(m.Team), m.ID)
		s.ofTeam.Put(uint32(m.Team), &list)
	}}

// Team returns the team with the number, or nil.
func (s *State) Team(id TeamID) *Team { return s.Teams.Get(uint32(id)) }

// TeamByCode returns the team with the code, or nil.
func (s *State) TeamByCode(code string) *Team { return teamKind.byCode(s, code) }

// Member returns the membership with the number, or nil.
func (s *State) Member(id MemberID) *Member { return s.Members.Get(uint32(id)) }

func (s *State) membersOf(id TeamID) []MemberID {
	if list := s.ofTeam.Get(uint32(id)); list != nil {
		return *list
	}
	return nil
}

// InTeam goes through who is in a team, in the order in which they came.
func (s *State) InTeam(id TeamID) iter.Seq[*Member] {
	return func(yield func(*Member) bool) {
		for _, number := range s.membersOf(id) {
			if m := s.Member(number); m != nil && !m.Ended && !yield(m) {
				return
			}
		}
	}
}

// TeamsOf goes through the teams somebody is in, those that are retired too.
func (s *State) TeamsOf(id people.StaffID) iter.Seq[*Member] {
	return func(yield func(*Member) bool) {
		b := s.ofStaff.Get(uint32(id))
		if b == nil {
			return
		}
		for _, number := range b.members {
			if m := s.Member(number); m != nil && !m.Ended && !yield(m) {
				return
			}
		}
	}
}

// MemberOf returns what says that somebody is in a team, or nil.
func (s *State) MemberOf(id people.StaffID, team TeamID) *Member {
	for m := range s.TeamsOf(id) {
		if m.Team == team {
			return m
		}
	}
	return nil
}

// Leads reports whether somebody leads a team in use that another is in. It allocates nothing.
func (s *State) Leads(lead, other people.StaffID) bool {
	leads, in := s.ofStaff.Get(uint32(lead)), s.ofStaff.Get(uint32(other))
	if leads == nil || in == nil {
		return false
	}
	for _, number := range leads.members {
		m := s.Member(number)
		if m == nil || m.Ended || !m.Lead || s.Team(m.Team) == nil || s.Team(m.Team).Retired {
			continue
		}
		for _, number := range in.members {
			if o := s.Member(number); o != nil && !o.Ended && o.Team == m.Team {
				return true
			}
		}
	}
	return false
}
