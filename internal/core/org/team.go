package org

import (
	"iter"

	"loyallatch.example/latch/internal/core/people"
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

// PutTeam stores a team.
func (s *State) PutTeam(t *Team) {
	s.Teams.Put(uint32(t.ID), t)
	s.teamByCode.Put(key(t.Code), t.ID)
}

// PutMember stores who is in a team; whose it is, and of which team, never changes.
func (s *State) PutMember(m *Member) {
	if s.Members.Get(uint32(m.ID)) == nil {
		s.belong(m.Staff, func(of *belongings) {
			of.members = append(of.members[:len(of.members):len(of.members)], m.ID)
		})
		list := append(s.membersOf(m.Team)[:len(s.membersOf(m.Team)):len(s.membersOf(m.Team))], m.ID)
		s.ofTeam.Put(uint32(m.Team), &list)
	}
	s.Members.Put(uint32(m.ID), m)
}

// Team returns the team with the number, or nil.
func (s *State) Team(id TeamID) *Team { return s.Teams.Get(uint32(id)) }

// TeamByCode returns the team with the code, or nil.
func (s *State) TeamByCode(code string) *Team {
	id, _ := s.teamByCode.Get(key(code))
	return s.Team(id)
}

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
