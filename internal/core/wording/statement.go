package wording

import (
	"cmp"
	"fmt"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
)

// Statement is a statement of what somebody can do, in words.
type Statement struct {
	access.Statement
	Sentence string // "Ana opens 6 doors at Harrow Bend, Mon–Sat 05:30–18:15, until 30 Nov 2026."
	Further  string // "There, Ana can also run a packing line and clear a jam."
	Grounds  []Ground
}

// Statements says everything that somebody can do by their assignments and exceptions, now, later and in the past.
func (l *Language) Statements(s *access.Snapshot, id people.StaffID, at int64) []Statement {
	facts := s.Statements(id, at)
	said := make([]Statement, len(facts))
	for i := range facts {
		t := &stating{Language: l, m: &l.Messages, s: s, staff: s.State().Person(id), here: s.Tree().At(facts[i].Place),
			at: at, st: &said[i]}
		t.st.Statement = facts[i]
		switch {
		case facts[i].Owner:
			t.owner()
		case facts[i].Bar != 0:
			t.bar()
		case facts[i].Exception != 0:
			t.exception()
		default:
			t.assignment()
		}
	}
	return said
}

// stating is one statement being put into words.
type stating struct {
	*Language
	m     *Messages
	s     *access.Snapshot
	staff *people.Staff
	here  *estate.Standing
	at    int64 // the moment that is asked about
	st    *Statement
}

func (t *stating) ground(kind, ref, text string) {
	t.st.Grounds = append(t.st.Grounds, Ground{Kind: kind, Ref: ref, Text: text})
}

func (t *stating) owner() {
	t.st.Sentence = fill(t.m.OwnerCan, "who", t.staff.Called())
	t.ground("owner", t.staff.Number, t.m.OwnersHold)
}

func (t *stating) bar() {
	message, until := t.m.IsBarred, ""
	if t.st.When == access.Past {
		message = t.m.WasBarred
	}
	if t.st.Until < access.Ever {
		until = fill(t.m.UntilMoment, "until", t.Moment(time.Unix(t.st.Until, 0).In(t.here.Location)))
	}
	t.st.Sentence = fill(message, "who", t.staff.Called(), "place", t.here.Place.Name, "until", until)
	t.ground("bar", fmt.Sprint(t.st.Bar), t.s.State().Bar(t.st.Bar).Reason)
}

func (t *stating) exception() {
	record := t.s.State().Exception(t.st.Exception)
	message := map[bool]map[bool]string{
		true:  {true: t.m.MightNot, false: t.m.MayNot},
		false: {true: t.m.MightAlso, false: t.m.MayAlso},
	}[record.Withheld][t.st.When == access.Past]
	t.st.Sentence = fill(message, "who", t.staff.Called(), "what",
		t.Inside(t.s.Catalogue().Permission(record.Permission).Title),
		"place", t.here.Place.Name, "tail", cmp.Or(t.term(), t.m.WithNoEnd))
	t.short()
	t.ground("exception", fmt.Sprint(t.st.Exception), record.Reason)
}

// term says the dates of a statement as they are seen at the moment that is asked about: ", from 1 Dec 2026, until 30
// Jan 2027, with the contract".
func (t *stating) term() string {
	tail, st := "", t.st
	if t.at < st.From && st.From > -access.Ever {
		tail = fill(t.m.TermFrom, "from", t.on(st.From, t.here.Location))
	}
	if st.Until >= access.Ever {
		return tail
	}
	with := map[access.Reason]string{access.ContractEnded: t.m.TheContract,
		access.HasLeft: t.m.TheLeaving, access.QualificationMissing: t.m.TheQualification}[st.Ended]
	message := map[bool]map[bool]string{
		true:  {true: t.m.TermEndedWith, false: t.m.TermEnded},
		false: {true: t.m.TermUntilWith, false: t.m.TermUntil},
	}[t.at >= st.Until][with != ""]
	return tail + fill(message, "until", day.UntilWords(time.Unix(st.Until, 0).In(t.here.Location)), "what", with)
}

func (t *stating) assignment() {
	a := t.s.State().Assignment(t.st.Assignment)
	template := t.s.State().Template(a.Template)
	var phrases []string
	for i := range t.st.Able {
		if !t.st.Able[i].AtDoor {
			phrases = append(phrases, t.Able(t.s, &t.st.Able[i], t.st.Place))
		}
	}
	hours := t.st.Hours.Words(t.here.Opening, day.Of(time.Unix(t.st.At, 0).In(t.here.Location)))
	past, tail := t.st.When == access.Past, t.term()
	if !past {
		tail = ", " + hours + tail
	}
	t.sentence(template.Name, phrases, tail)
	if len(t.st.Doors) > 0 && len(phrases) > 0 {
		also := map[bool]string{true: t.m.AlsoCould, false: t.m.AlsoCan}[past]
		t.st.Further = fill(also, "who", t.staff.Called(), "list", t.List(phrases))
	}
	t.short()
	t.ground("assignment", fmt.Sprint(a.ID),
		fill(t.m.TemplateAt, "template", template.Name, "place", t.here.Place.Name, "dates", t.dates(a.From, a.Until)))
	t.ground("template", template.Code, template.Name)
	t.ground("hours", "", hours)
	t.locals()
}

// locals names the local settings by which it is otherwise than the templates say.
func (t *stating) locals() {
	told := map[org.LocalSettingID]bool{}
	tell := func(local *org.LocalSetting) {
		if local != nil && !told[local.ID] {
			told[local.ID] = true
			t.ground("local_setting", fmt.Sprint(local.ID), t.LocalSetting(t.s, local))
		}
	}
	for i := range t.st.Able {
		tell(t.st.Able[i].Local)
		for _, other := range t.st.Able[i].Otherwise {
			tell(other.Local)
		}
	}
}

// Able says an ability of a statement, and where and when local settings make it otherwise: "set the line speed up to
// 80 percent (up to 60 percent at Wash hall, until 30 Mar 2027)".
func (l *Language) Able(s *access.Snapshot, a *access.Ability, place estate.PlaceID) string {
	phrase, m := l.Ability(a), &l.Messages
	date := func(at int64, of estate.PlaceID) string {
		return l.Date(day.Of(time.Unix(at, 0).In(s.Tree().At(of).Location)))
	}
	if a.From > 0 {
		phrase += fill(m.From, "from", date(a.From, place))
	}
	var notes []string
	for _, other := range a.Otherwise {
		note := m.NotThere
		if other.Level > 0 {
			note = cmp.Or(a.Permission.Scale.Words(other.Level), m.AllOfIt)
		}
		switch {
		case other.Place == place:
			note = fill(m.LevelFrom, "level", note, "from", date(other.From, place))
		case other.From > 0:
			note = fill(m.LevelAt, "level", note, "place", s.State().Place(other.Place).Name) + fill(m.From, "from",
				date(other.From, other.Place))
		default:
			note = fill(m.LevelAt, "level", note, "place", s.State().Place(other.Place).Name)
		}
		if other.Until < access.Ever {
			note += fill(m.Until, "until", date(other.Until-1, other.Place))
		}
		notes = append(notes, note)
	}
	if len(notes) == 0 {
		return phrase
	}
	return fill(m.Otherwise, "what", phrase, "notes", strings.Join(notes, "; "))
}

// sentence says the chief thing that an assignment gives: doors, or where there are none what can be done.
func (t *stating) sentence(template string, phrases []string, tail string) {
	m, who := t.m, t.staff.Called()
	then := func(now, past string) string {
		if t.st.When == access.Past {
			return past
		}
		return now
	}
	if len(t.st.Missing) > 0 && t.st.When != access.Past {
		t.st.Sentence = fill(m.CanNothingWithout, "who", who, "place", t.here.Place.Name, "template", template,
			"needed", t.qualifications(t.s, t.st.Missing))
		return
	}
	if len(t.st.Doors) == 0 && len(t.st.Short) == 0 && len(phrases) == 0 {
		t.st.Sentence = fill(then(m.CanNothing, m.CouldNothing), "who", who, "place", t.here.Place.Name, "template",
			template)
		return
	}
	if t.st.When == access.Now && t.st.Locked {
		who = fill(m.OnceUnlocked, "who", who)
	}
	pairs := func(more ...string) []string {
		return append([]string{"who", who, "place", t.here.Place.Name, "tail", tail}, more...)
	}
	switch doors := len(t.st.Doors); {
	case doors == 0 && len(phrases) > 0:
		t.st.Sentence = fill(then(m.Can, m.Could), pairs("list", t.List(phrases))...)
	case doors == 0:
		t.st.Sentence = fill(then(m.OpensNone, m.OpenedNone), pairs()...)
	case t.here.Place.Kind == estate.Door:
		t.st.Sentence = fill(then(m.OpensIt, m.OpenedIt), pairs()...)
	default:
		t.st.Sentence = t.count(then(m.Opens, m.Opened), doors, pairs()...)
	}
}

// short adds that doors ask for more than somebody has to show.
func (t *stating) short() {
	if n := len(t.st.Short); n > 0 && t.st.When != access.Past {
		more := t.count(t.m.AskForMore, n, "who", t.staff.Called(), "door", t.st.Short[0].Name, "asked",
			t.st.Short[0].Proof.Words())
		t.st.Further = strings.TrimSpace(t.st.Further + " " + more)
	}
}
