// Package wording turns facts about access into what people read: why a decision is what it is, what somebody can do,
// what keeps them from working, who gains and who loses. It decides nothing. Each text is a message with named places,
// so that a Language is a value and another one can be put beside English; a message that a language lacks fails its
// test.
//
// A Language is not changed once it is made, and may be used by any number of goroutines at once.
package wording

import (
	"strconv"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Language says things in one language.
type Language struct {
	Messages Messages
	// Plural returns which form of a message, of those parted by "|", goes with a number.
	Plural func(n int) int
	// List and Either join phrases as a sentence does.
	List, Either func([]string) string
	// Inside begins a title as it stands within a sentence; Many names several of a kind of work: "Packers".
	Inside, Many func(string) string
	// Date, Moment and Weekday write a date, an instant with its time, and one with its day of the week.
	Date            func(day.Date) string
	Moment, Weekday func(time.Time) string
}

// Ground is one fact that a decision rests on.
type Ground struct {
	Kind string // staff, lock, credential, place, assignment, template, setting, hours, exception, bar, owner
	Ref  string // the code or number of the record
	Text string
}

// fill puts values into the places of a message: "{who} is locked." Names and values come in pairs.
func fill(message string, pairs ...string) string {
	return fillBy(message, func(name string) string { return among(pairs, name) })
}

// among returns the value that stands behind a name. A name that is not there is left as the place it is, for the test
// that looks for such.
func among(pairs []string, name string) string {
	for i := 0; i+1 < len(pairs); i += 2 {
		if pairs[i] == name {
			return pairs[i+1]
		}
	}
	return "{" + name + "}"
}

// fillBy fills a message with what is returned for the name of each place; only what a message asks for is worked out,
// as everybody at a door waits for it.
func fillBy(message string, value func(name string) string) string {
	open := strings.IndexByte(message, '{')
	if open < 0 {
		return message
	}
	var text strings.Builder
	text.Grow(len(message) + 48)
	for ; open >= 0; open = strings.IndexByte(message, '{') {
		name, rest, closed := strings.Cut(message[open+1:], "}")
		if !closed {
			break
		}
		text.WriteString(message[:open])
		text.WriteString(value(name))
		message = rest
	}
	text.WriteString(message)
	return text.String()
}

// count fills the form of a message that goes with a number, which is its {n}.
func (l *Language) count(message string, n int, pairs ...string) string {
	forms := strings.Split(message, "|")
	return fill(forms[min(l.Plural(n), len(forms)-1)], append([]string{"n", strconv.Itoa(n)}, pairs...)...)
}

// on writes the date of an instant.
func (l *Language) on(at int64, location *time.Location) string {
	return l.Date(day.Of(time.Unix(at, 0).In(location)))
}

// Setting says what a template says of a permission, and where.
func (l *Language) Setting(s *access.Snapshot, permission *permit.Permission, r permit.Resolved) string {
	m := &l.Messages
	if !r.Decided {
		return fill(m.NothingGives, "title", permission.Title)
	}
	text := fill(m.SettingIs, "title", permission.Title, "word", permission.Scale.Word(r.Level))
	if template := s.State().Template(r.Template); template != nil {
		text += fill(m.SettingByTemplate, "template", template.Name)
	}
	if group := s.Catalogue().Group(r.Group); group != nil {
		text += fill(m.SettingOnGroup, "group", group.Title)
	}
	return text
}

// LocalSetting says what a local setting says: "“Run a line” is set to view at Packing hall, until 30 Nov 2026, by a
// local setting of Line operator: new machine".
func (l *Language) LocalSetting(s *access.Snapshot, local *org.LocalSetting) string {
	permission := s.Catalogue().Permission(local.Permission)
	return fill(l.Messages.SettingIsHere, "title", permission.Title, "word", permission.Scale.Word(local.Level),
		"place",
		s.State().Place(local.Place).Name, "dates", l.dates(local.From, local.Until), "template",
		s.State().Template(local.Template).Name, "reason", local.Reason)
}

// AbleBy says by which setting somebody has an ability.
func (l *Language) AbleBy(s *access.Snapshot, a *access.Ability) string {
	if a.Local != nil {
		return l.LocalSetting(s, a.Local)
	}
	return l.Setting(s, a.Permission, a.Resolved)
}

// HoursBy says what states the access hours of an assignment: "template Packer", "schedule Early shift, by this
// assignment".
func (l *Language) HoursBy(s *access.Snapshot, a *org.Assignment) string {
	m := &l.Messages
	_, by, schedule := s.HoursOf(a)
	text := m.OpeningHours
	switch by {
	case access.ByAssignment:
		text = m.ThisAssignment
	case access.ByPerson:
		text = fill(m.OwnHoursOf, "who", s.State().Person(a.Staff).Called())
	case access.ByTemplate:
		text = fill(m.TemplateIs, "template", s.State().Template(a.Template).Name)
	}
	if schedule != nil {
		text = fill(m.ScheduleBy, "schedule", schedule.Name, "by", text)
	}
	return text
}

// Ability says a permission with its extent: "adjust a weight up to 25 kg".
func (l *Language) Ability(a *access.Ability) string {
	return strings.TrimSpace(l.Inside(a.Permission.Title) + " " + a.Permission.Scale.Words(a.Level))
}

// Ends says what ends something that somebody may do: "contract ends"; where that is within a day, also at which
// moment.
func (l *Language) Ends(end access.End, location *time.Location) string {
	text := l.ends(end)
	at := time.Unix(end.At, 0).In(location)
	if text == "" || at.Equal(day.Of(at).Start(location)) {
		return text
	}
	return fill(l.Messages.EndsAtMoment, "what", text, "moment", l.Moment(at))
}

func (l *Language) ends(end access.End) string {
	m := &l.Messages
	switch end.Why {
	case access.Locked:
		return m.EndsByLock
	case access.HasLeft:
		return m.EndsByLeaving
	case access.ContractEnded:
		return m.EndsByContract
	case access.AssignmentNotInDates, access.NoAssignment:
		return m.EndsByItself
	case access.PermissionNotInTemplate:
		return m.EndsByLocal
	case access.Withheld:
		return m.EndsByException
	case access.BarredHere:
		return m.EndsByBar
	case access.ProofNotSufficient:
		return m.EndsByCredential
	case access.QualificationMissing, access.NoticeNotAccepted:
		return m.EndsByQualification
	}
	return ""
}

// Redundant says why an exception changes nothing; nothing where it does change something.
func (l *Language) Redundant(s *access.Snapshot, person people.StaffID, why access.Redundant,
	template permit.TemplateID) string {
	m := &l.Messages
	switch why {
	case access.RunOut:
		return m.HasRunOut
	case access.WorksNoLonger:
		return fill(m.WorksNoLonger, "who", s.State().Person(person).Called())
	case access.PermissionRetired:
		return m.PermissionRetired
	case access.NothingToWithhold:
		return m.NothingToWithhold
	case access.GivenByTemplate:
		return fill(m.GivenByTemplate, "template", s.State().Template(template).Name)
	case access.HeldWithout:
		return m.HeldWithout
	}
	return ""
}

// dates says between which dates something counts: ", from 1 Dec 2026 until 30 Jan 2027".
func (l *Language) dates(from, until day.Date) string {
	m := &l.Messages
	switch {
	case from.IsZero() && until.IsZero():
		return m.WithNoEnd
	case from.IsZero():
		return fill(m.Until, "until", l.Date(until))
	case until.IsZero():
		return fill(m.From, "from", l.Date(from))
	}
	return fill(m.FromUntil, "from", l.Date(from), "until", l.Date(until))
}

func placeName(s *access.Snapshot, id estate.PlaceID, otherwise string) string {
	if p := s.State().Place(id); p != nil {
		return p.Name
	}
	return otherwise
}
