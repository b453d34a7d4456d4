package wording

import (
	"strings"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/qualification"
)

// Obstacle is one thing that keeps somebody from working, in words, with the step that mends it.
type Obstacle struct {
	access.Obstacle
	Sentence string
	Mend     string // what to do
}

// Readiness says what keeps somebody from working at an instant, gravest first.
func (l *Language) Readiness(s *access.Snapshot, id people.StaffID, at int64) []Obstacle {
	return l.Obstacles(s, id, s.Readiness(id, at))
}

// issue says how a credential is issued.
func (l *Language) issue(act string) string {
	switch act {
	case "issue_badge":
		return l.Messages.MendBadge
	case "resume_badge":
		return l.Messages.MendSuspended
	}
	return l.Messages.MendPIN
}

// qualifications names some qualifications.
func (l *Language) qualifications(s *access.Snapshot, ids []qualification.ID) string {
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = l.Messages.AQualification
		if notice, isNotice := id.Notice(); isNotice {
			names[i] = l.Messages.ANotice
			if n := s.State().Notice(org.NoticeID(notice)); n != nil {
				names[i] = "“" + n.Title + "”"
			}
		} else if q := s.State().Qualification(id); q != nil {
			names[i] = q.Name
		}
	}
	return l.List(names)
}

// Obstacles says what keeps somebody from working.
func (l *Language) Obstacles(s *access.Snapshot, id people.StaffID, facts []access.Obstacle) []Obstacle {
	m, staff := &l.Messages, s.State().Person(id)
	said := make([]Obstacle, len(facts))
	for i, fact := range facts {
		said[i].Obstacle = fact
		put := func(sentence, mend string, pairs ...string) {
			said[i].Sentence, said[i].Mend = fill(sentence, append([]string{"who", staff.Called()}, pairs...)...), mend
		}
		switch fact.Code {
		case "locked":
			reason := m.UnreadableRecord
			if staff.Lock != nil {
				reason = staff.Lock.Reason
			}
			put(m.ObstacleLocked, m.MendLock, "reason", strings.TrimSuffix(reason, "."))
		case "contract_ended":
			put(m.ObstacleContract, m.MendContract, "date", l.Date(staff.ContractEnd))
		case "barred":
			b := s.State().Bar(fact.Bar)
			put(m.ObstacleBarred, m.MendBar, "place", placeName(s, b.Place, m.APlace), "reason",
				strings.TrimSuffix(b.Reason, "."))
		case "assignment_ended":
			put(m.ObstacleEnded, m.MendEnded)
		case "no_assignment":
			put(m.ObstacleNowhere, m.MendNowhere)
		case "template_gives_nothing":
			put(m.ObstacleNothing, m.MendNothing)
		case "hours_never_meet":
			put(m.ObstacleHours, m.MendHours)
		case "no_credential":
			put(m.ObstacleNoCredential, l.issue(fact.Act))
		case "credential_not_accepted":
			put(m.ObstacleNotAccepted, l.issue(fact.Act))
		case "badge_suspended":
			put(m.ObstacleSuspended, l.issue(fact.Act))
		case "some_doors_shut":
			said[i].Mend = l.issue(fact.Act)
			said[i].Sentence = l.count(m.ObstacleSomeDoors, fact.Doors, "who", staff.Called(), "door",
				placeName(s, fact.Place, m.APlace))
		case "qualification_missing":
			what := placeName(s, fact.Place, m.APlace)
			if t := s.State().Template(fact.Template); t != nil {
				what = fill(m.TheTemplate, "template", t.Name)
			}
			put(m.ObstacleQualification, m.MendQualification, "what", what, "needed", l.qualifications(s,
				[]qualification.ID{fact.Qualification}))
		case "notice_not_accepted":
			put(m.ObstacleNotice, m.MendNotice, "notice", s.State().Notice(fact.Notice).Title)
		case "no_sign_in":
			put(m.ObstacleNoSignIn, m.MendNoSignIn)
		case "credential_needed":
			needed := m.APIN
			if fact.Act == "issue_badge" || fact.Act == "resume_badge" {
				needed = m.ABadge
			}
			put(
				m.ObstacleNeeded,
				l.issue(fact.Act),
				"template",
				s.State().Template(fact.Template).Name,
				"needed",
				needed,
			)
		}
	}
	return said
}
