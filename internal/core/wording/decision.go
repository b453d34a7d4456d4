package wording

import (
	"fmt"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Explanation is a decision in words. It is made from the Decision itself, so the two cannot disagree.
type Explanation struct {
	access.Decision
	At       int64 // Unix seconds: the instant that was decided about
	Sentence string
	Grounds  []Ground
	Remedy   string // what would change a refusal
}

// Explain answers the question as Decide does, and says why.
func (l *Language) Explain(s *access.Snapshot, q *access.Question) Explanation {
	return l.decide(s, q, false)
}

// Say answers the question as Decide does, in one sentence, without the grounds and without what would change it: what
// a door has time for.
func (l *Language) Say(s *access.Snapshot, q *access.Question) Explanation {
	return l.decide(s, q, true)
}

// Refuse words a refusal that was decided before the question reached the snapshot.
func (l *Language) Refuse(s *access.Snapshot, q *access.Question, reason access.Reason) Explanation {
	return l.tell(s, q, access.Decision{Reason: reason}, true)
}

func (l *Language) decide(s *access.Snapshot, q *access.Question, brief bool) Explanation {
	return l.tell(s, q, s.Decide(q), brief)
}

func (l *Language) tell(s *access.Snapshot, q *access.Question, d access.Decision, brief bool) Explanation {
	t := &telling{Language: l, m: &l.Messages, brief: brief, s: s, q: q, e: Explanation{Decision: d, At: q.At}}
	t.at = time.Unix(q.At, 0)
	if t.here = s.Tree().At(q.Place); t.here != nil {
		t.at = t.at.In(t.here.Location)
	}
	t.permission = s.Catalogue().Permission(q.Permission)
	t.person = s.State().Person(t.e.Staff)
	t.write()
	return t.e
}

// telling is one decision being put into words.
type telling struct {
	*Language
	m          *Messages
	brief      bool // no grounds, and no remedy
	s          *access.Snapshot
	q          *access.Question
	e          Explanation
	at         time.Time
	here       *estate.Standing
	permission *permit.Permission
	person     *people.Staff
}

// text fills a message of a decision: who, what, where and the title of the permission stand in many of them.
func (t *telling) text(message string, pairs ...string) string {
	return fillBy(message, func(name string) string {
		switch name {
		case "who":
			return t.who()
		case "what":
			return t.what()
		case "where":
			return t.where()
		case "title":
			return t.title()
		}
		return among(pairs, name)
	})
}

func (t *telling) say(sentence, remedy string, pairs ...string) {
	t.e.Sentence = t.text(sentence, pairs...)
	if !t.brief {
		t.e.Remedy = t.text(remedy, pairs...)
	}
}

func (t *telling) ground(kind, ref, message string, pairs ...string) {
	if !t.brief {
		t.e.Grounds = append(t.e.Grounds, Ground{Kind: kind, Ref: ref, Text: t.text(message, pairs...)})
	}
}

func (t *telling) who() string {
	if t.person == nil {
		return t.m.Nobody
	}
	return t.person.Called()
}

func (t *telling) what() string {
	if t.permission == nil {
		return t.m.DoThis
	}
	return t.Inside(t.permission.Title)
}

func (t *telling) title() string {
	if t.permission == nil {
		return t.m.This
	}
	return t.permission.Title
}

func (t *telling) where() string {
	if t.here == nil {
		return t.m.PlaceNotOnRecord
	}
	return t.here.Place.Name
}

func (t *telling) placeCode() string {
	if t.here == nil {
		return ""
	}
	return t.here.Place.Code
}

func (t *telling) place(id estate.PlaceID) string { return placeName(t.s, id, t.m.APlace) }

func (t *telling) write() {
	if c := t.s.State().Credential(t.e.Credential); c != nil && t.e.Reason > access.UnknownCredential {
		t.ground("credential", "", t.m.CredentialOf, "kind", string(c.Kind), "state", string(c.State))
	}
	switch t.e.Reason {
	case access.Granted, access.UnderDuress:
		t.granted()
	case access.UnknownCredential:
		t.say(t.m.Unknown, t.m.UnknownRemedy)
	case access.TooManyTries:
		t.say(t.m.TooManyTries, t.m.TooManyTriesRemedy)
	case access.WrongPIN:
		t.say(t.m.WrongPIN, t.m.WrongPINRemedy)
	case access.CredentialNotValid:
		t.notValid(t.s.State().Credential(t.e.Credential))
	case access.ProofNotSufficient:
		t.proof()
	case access.TwoPeople:
		t.say(t.m.TwoPeople, t.m.TwoPeopleRemedy)
	case access.Locked, access.HasLeft, access.ContractEnded, access.NotStarted:
		t.byPerson()
	case access.PlaceRetired:
		t.ground("place", t.placeCode(), t.m.IsRetired)
		t.say(t.m.PlaceRetired, t.m.RetiredRemedy)
	case access.NotForPlace:
		t.notForPlace()
	case access.BarredHere:
		t.barred(t.s.State().Bar(t.e.Bar))
	case access.Withheld:
		x := t.s.State().Exception(t.e.Exception)
		t.exception(x)
		t.say(t.m.Withheld, t.m.WithheldRemedy, "place", t.place(x.Place))
	case access.NoAssignment:
		t.say(t.m.NoAssignment, t.m.NoAssignmentRemedy)
	default:
		t.refusedByGrant()
	}
}

// proof says what is shown short of: by whoever stands at the door, or by what a named person has.
func (t *telling) proof() {
	proof := t.here.Place.Proof
	if !t.q.AnyHour {
		proof = access.ProofAt(t.here, t.q.At)
	}
	asked := proof.Words()
	t.ground("place", t.here.Place.Code, t.m.PlaceAsks, "asked", asked)
	if t.q.Shown != 0 {
		t.say(t.m.AsksFor, t.m.AsksForRemedy, "asked", asked)
		return
	}
	if a := t.s.State().Assignment(t.e.Assignment); a != nil { // all else is in order, and this is what
		t.grant(a)
	}
	owned := t.m.HasNeither
	switch has := t.s.HasToShow(t.e.Staff, t.q.At); {
	case has&access.ShownPIN != 0:
		owned = t.m.HasPINOnly
	case has&access.ShownBadge != 0:
		owned = t.m.HasBadgeOnly
	}
	remedy := t.m.ShowsShortRemedy
	if t.s.SuspendedBadge(t.e.Staff, t.q.At) != 0 && proof != estate.PIN {
		owned, remedy = t.m.HasSuspended, t.m.SuspendedRemedy
	}
	t.say(t.m.ShowsShort, remedy, "asked", asked, "owned", owned)
}

// notValid says why a credential does not count. A lost badge may be in anybody's hands, so it names nobody.
func (t *telling) notValid(c *credential.Credential) {
	sentence, remedy := t.m.NotValid, t.m.NotValidRemedy
	switch {
	case c == nil:
	case c.State == credential.Lost:
		sentence, remedy = t.m.BadgeLost, t.m.BadgeLostRemedy
	case c.State == credential.Suspended:
		sentence, remedy = t.m.BadgeSuspended, t.m.BadgeSuspendedRemedy
	case !c.Until.IsZero() && c.Until.Unix() <= t.q.At:
		sentence, remedy = t.m.RunOut, t.m.RunOutRemedy
	}
	t.say(sentence, remedy, "kind", map[credential.Kind]string{credential.PIN: "PIN",
		credential.Badge: "badge"}[kindOf(c)])
}

func kindOf(c *credential.Credential) credential.Kind {
	if c == nil {
		return ""
	}
	return c.Kind
}

// byPerson words a refusal that is about the person, wherever they are.
func (t *telling) byPerson() {
	switch t.e.Reason {
	case access.Locked:
		t.locked()
	case access.HasLeft:
		t.ground("staff", t.person.Number, t.m.HasLeft, "name", t.person.FullName())
		t.say(t.m.Left, t.m.LeftRemedy)
	case access.ContractEnded:
		ended := t.Date(t.person.ContractEnd)
		t.ground("staff", t.person.Number, t.m.ContractEndedOn, "date", ended)
		t.say(t.m.ContractEnded, t.m.ContractRemedy, "date", ended)
	case access.NotStarted:
		starts := t.Date(t.person.StartDate)
		t.ground("staff", t.person.Number, t.m.StartsOn, "date", starts)
		t.say(t.m.NotStarted, t.m.NotStartedRemedy, "date", starts)
	}
}

func (t *telling) locked() {
	if lock := t.person.Lock; lock != nil {
		home := t.s.Location(t.person.ID)
		text := fill(t.m.LockedSince, "since", t.Moment(lock.Since.In(home)), "reason", lock.Reason)
		if !lock.Until.IsZero() {
			text += fill(t.m.LockedUntil, "until", t.Moment(lock.Until.In(home)))
		}
		t.ground("lock", t.person.Number, "{text}", "text", text)
	}
	t.say(t.m.Locked, t.m.LockedRemedy)
}

func (t *telling) notForPlace() {
	kinds := make([]string, len(t.permission.Kinds))
	for i, kind := range t.permission.Kinds {
		kinds[i] = fill(t.m.AKind, "kind", kind.Words())
	}
	t.say(t.m.NotForPlace, t.m.NotForPlaceRemedy, "kind", fill(t.m.AKind, "kind", t.here.Place.Kind.Words()), "kinds",
		t.Either(kinds))
}

func (t *telling) barred(b *org.Bar) {
	t.ground("bar", fmt.Sprint(b.ID), t.m.BarredFrom, "place", t.place(b.Place), "reason", b.Reason)
	until := ""
	if !b.Until.IsZero() {
		until = fill(t.m.BarredUntil, "until", t.Moment(b.Until.In(t.at.Location())))
	}
	t.say(t.m.Barred, t.m.BarredRemedy, "place", t.place(b.Place), "until", until)
}

func (t *telling) granted() {
	extent := ""
	if t.permission != nil {
		if extent = t.permission.Scale.Words(t.e.Level); extent != "" {
			extent = " " + extent
		}
	}
	t.say(t.m.May, "", "extent", extent)
	switch {
	case t.brief:
	case t.e.Owner:
		t.ground("owner", t.person.Number, t.m.IsOwner)
	case t.e.Exception != 0:
		t.exception(t.s.State().Exception(t.e.Exception))
	default:
		t.grant(t.s.State().Assignment(t.e.Assignment))
	}
}

func (t *telling) exception(x *org.Exception) {
	message := t.m.ExceptionAdded
	if x.Withheld {
		message = t.m.ExceptionWithheld
	}
	t.ground("exception", fmt.Sprint(x.ID), message, "place", t.place(x.Place), "dates", t.dates(x.From, x.Until),
		"reason", x.Reason)
}

func (t *telling) assignment(a *org.Assignment) {
	t.ground("assignment", fmt.Sprint(a.ID), t.m.TemplateAt, "template", t.s.State().Template(a.Template).Name,
		"place", t.place(a.Place), "dates", t.dates(a.From, a.Until))
}

// grant names the assignment, the setting of the template and the hours.
func (t *telling) grant(a *org.Assignment) {
	if t.brief {
		return
	}
	template := t.s.State().Template(a.Template)
	t.assignment(a)
	if local := t.local(a); local != nil {
		t.ground("local_setting", fmt.Sprint(local.ID), "{text}", "text", t.LocalSetting(t.s, local))
	} else if resolved := t.s.Resolved(a.Template); t.permission != nil && int(t.permission.ID) < len(resolved) {
		t.ground("setting", template.Code, "{text}", "text", t.Setting(t.s, t.permission, resolved[t.permission.ID]))
	}
	hours, _, _ := t.s.HoursOf(a)
	t.ground("hours", "", t.m.HoursFrom, "hours", hours.Words(t.here.Opening, day.Of(t.at)), "from",
		t.HoursBy(t.s, a))
}

// local is the local setting by which an assignment gives what it gives; nil where it is the template that says so.
func (t *telling) local(a *org.Assignment) *org.LocalSetting {
	if t.permission == nil {
		return nil
	}
	return t.s.LocalAt(a.Template, t.permission.ID, t.q.Place, t.q.At)
}

func (t *telling) refusedByGrant() {
	if t.e.Exception != 0 {
		t.exception(t.s.State().Exception(t.e.Exception))
	}
	a := t.s.State().Assignment(t.e.Assignment)
	switch t.e.Reason {
	case access.AssignmentNotInDates:
		t.assignment(a)
		if today := day.Of(t.at); !a.From.IsZero() && today < a.From {
			t.say(t.m.AssignmentBegins, t.m.BeginsRemedy, "place", t.place(a.Place), "date", t.Date(a.From))
			return
		}
		t.say(t.m.AssignmentEnded, t.m.AssignmentEndedRemedy, "place", t.place(a.Place), "date", t.Date(a.Until))
	case access.PermissionNotInTemplate:
		t.notInTemplate(a)
	case access.QualificationMissing, access.NoticeNotAccepted:
		if a != nil {
			t.grant(a)
		}
		sentence, remedy := t.m.Unqualified, t.m.UnqualifiedRemedy
		if t.e.Reason == access.NoticeNotAccepted {
			sentence, remedy = t.m.NotAccepted, t.m.NotAcceptedRemedy
		}
		t.say(sentence, remedy, "needed", t.qualifications(t.s, t.s.Missing(t.q, &t.e.Decision)))
	case access.OutsideHours:
		if a != nil {
			t.grant(a)
		}
		if t.brief {
			t.say(t.m.WrongHour, "")
			return
		}
		if at, ok := t.s.Begins(*t.q); ok {
			t.say(t.m.WrongHour, t.m.WaitUntil, "moment", t.Weekday(time.Unix(at, 0).In(t.here.Location)))
			return
		}
		t.say(t.m.WrongHour, t.m.WiderHours)
	}
}

func (t *telling) notInTemplate(a *org.Assignment) {
	if a == nil {
		t.say(t.m.NotToThatExtent, t.m.RaiseLevel)
		return
	}
	t.grant(a)
	remedy, local := t.m.IncludeRemedy, t.local(a)
	if local != nil {
		remedy = t.m.IncludeHereRemedy
	}
	if t.permission != nil {
		if held := t.s.LevelAt(a.Template, t.permission.ID, t.q.Place, t.q.At); held > 0 {
			if scale := t.permission.Scale; scale.Kind == permit.Levels {
				t.say(t.m.OnlyAtLevel, remedy, "level", scale.Word(held))
			} else {
				t.say(t.m.OnlySoFar, remedy, "extent", scale.Words(held))
			}
			return
		}
	}
	if local != nil {
		t.say(t.m.NotIncludedHere, remedy, "template", t.s.State().Template(a.Template).Name, "place",
			t.place(local.Place))
		return
	}
	t.say(t.m.NotIncluded, remedy, "template", t.s.State().Template(a.Template).Name)
}
