package access

import (
	"fmt"
	"time"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

// Ground is one fact that a decision rests on.
type Ground struct {
	Kind string // staff, lock, credential, place, assignment, template, setting, hours, exception, owner
	Ref  string // the code or number of the record
	Text string
}

// Explanation is a decision in words. It is made from the Decision itself, so the two cannot disagree.
type Explanation struct {
	Decision
	Sentence string
	Grounds  []Ground
	Remedy   string // what would change a refusal
}

// Explain answers the question as Decide does, and says why.
func (s *Snapshot) Explain(q *Question) Explanation { return s.word(q, false) }

func (s *Snapshot) word(q *Question, brief bool) Explanation {
	w := &telling{brief: brief, s: s, q: q, e: Explanation{Decision: s.Decide(q)}}
	w.at = time.Unix(q.At, 0)
	w.here = s.tree.At(q.Place)
	if w.here != nil {
		w.at = w.at.In(w.here.Location)
	}
	w.permission = s.catalogue.Permission(q.Permission)
	w.person = s.state.Person(w.e.Staff)
	w.write()
	return w.e
}

// Say answers the question as Decide does, in one sentence, without the grounds: what a door has time for.
func (s *Snapshot) Say(q *Question) Explanation { return s.word(q, true) }

type telling struct {
	brief      bool // no grounds
	s          *Snapshot
	q          *Question
	e          Explanation
	at         time.Time
	here       *estate.Standing
	permission *permit.Permission
	person     *people.Staff
}

func (w *telling) ground(kind, ref, format string, args ...any) {
	if w.brief {
		return
	}
	w.e.Grounds = append(w.e.Grounds, Ground{Kind: kind, Ref: ref, Text: fmt.Sprintf(format, args...)})
}

func (w *telling) say(sentence, remedy string) { w.e.Sentence, w.e.Remedy = sentence, remedy }

func (w *telling) who() string {
	if w.person == nil {
		return "Nobody"
	}
	return w.person.Called()
}

func (w *telling) what() string {
	if w.permission == nil {
		return "do this"
	}
	return words.LowerFirst(w.permission.Title)
}

func (w *telling) where() string {
	if w.here == nil {
		return "a place that is not on record"
	}
	return w.here.Place.Name
}

func (w *telling) write() {
	if !w.brief && w.e.Credential != 0 && w.e.Reason > UnknownCredential {
		if c := w.s.state.Credential(w.e.Credential); c != nil {
			w.ground("credential", "", "%s of %s, %s", c.Kind, w.who(), c.State)
		}
	}
	switch w.e.Reason {
	case Granted:
		w.granted()
	case UnknownCredential:
		w.say("This is not known here.", "Try again carefully, or have a new PIN issued.")
	case TooManyTries:
		w.say("Too many wrong tries. Wait a moment before trying again.", "Wait until the terminal takes tries again.")
	case CredentialNotValid:
		w.say(fmt.Sprintf("%s's credential does not count at this moment.", w.who()), "Issue a new one.")
	case ProofNotSufficient:
		w.ground("place", w.here.Place.Code, "%s asks for %s", w.where(), w.here.Place.Proof.Words())
		w.proof()
	case TwoPeople:
		w.say("What was shown belongs to two people.", "Show what belongs to one person.")
	case Locked:
		w.locked()
	case HasDeparted:
		w.ground("staff", w.person.Number, "%s has departed", w.person.FullName())
		w.say(fmt.Sprintf("%s has departed.", w.who()), fmt.Sprintf("Reinstate %s.", w.who()))
	case ContractEnded:
		w.ground("staff", w.person.Number, "contract ended on %s", w.person.ContractEnd.Words())
		w.say(fmt.Sprintf("%s's contract ended on %s.", w.who(), w.person.ContractEnd.Words()), "Give the contract a later end.")
	case NotStarted:
		w.ground("staff", w.person.Number, "starts on %s", w.person.StartDate.Words())
		w.say(fmt.Sprintf("%s starts on %s.", w.who(), w.person.StartDate.Words()), fmt.Sprintf("Wait until then, or activate %s now.", w.who()))
	case PlaceRetired:
		w.ground("place", w.placeCode(), "%s is retired", w.where())
		w.say(fmt.Sprintf("%s is no longer in use.", w.where()), "Bring the place back into use.")
	case NotForPlace:
		kinds := make([]string, len(w.permission.Kinds))
		for i, kind := range w.permission.Kinds {
			kinds[i] = "a " + kind.Words()
		}
		w.say(fmt.Sprintf("“%s” has no meaning at %s.", w.title(), "a "+w.here.Place.Kind.Words()),
			fmt.Sprintf("Ask about %s.", words.Either(kinds)))
	case BarredHere:
		b := w.s.state.Bar(w.e.Bar)
		w.ground("bar", fmt.Sprint(b.ID), "barred from %s: %s", w.placeName(b.Place), b.Reason)
		until := ""
		if !b.Until.IsZero() {
			until = " until " + b.Until.In(w.at.Location()).Format("2 Jan 15:04")
		}
		w.say(fmt.Sprintf("%s is barred from %s%s.", w.who(), w.placeName(b.Place), until), "Lift the bar.")
	case Withheld:
		x := w.s.state.Exception(w.e.Exception)
		w.exception(x)
		w.say(fmt.Sprintf("%s may not %s: it is withheld at %s.", w.who(), w.what(), w.placeName(x.Place)), "End the exception.")
	case NoAssignment:
		w.say(fmt.Sprintf("%s has no assignment at %s.", w.who(), w.where()), fmt.Sprintf("Assign %s at %s, or at a place above it.", w.who(), w.where()))
	default:
		w.refusedByGrant()
	}
}

func (w *telling) placeCode() string {
	if w.here == nil {
		return ""
	}
	return w.here.Place.Code
}

func (w *telling) placeName(id estate.PlaceID) string {
	if p := w.s.state.Place(id); p != nil {
		return p.Name
	}
	return "a place"
}

// proof says what is shown short of: by whoever stands at the door, or by what a named person has.
func (w *telling) proof() {
	asked := w.here.Place.Proof.Words()
	if w.q.Shown != 0 {
		w.say(fmt.Sprintf("%s asks for %s.", w.where(), asked), fmt.Sprintf("Show %s.", asked))
		return
	}
	has := w.s.hasToShow(w.e.Staff, w.q.At)
	owned := "neither a PIN nor a badge that counts"
	switch {
	case has&ShownPIN != 0:
		owned = "a PIN and no badge"
	case has&ShownBadge != 0:
		owned = "a badge and no PIN"
	}
	w.say(fmt.Sprintf("%s asks for %s, and %s has %s.", w.where(), asked, w.who(), owned), fmt.Sprintf("Issue %s what the door asks for.", w.who()))
}

func (w *telling) locked() {
	lock := w.person.Lock
	remedy := fmt.Sprintf("Unlock %s.", w.who())
	if lock == nil {
		w.say(fmt.Sprintf("%s is locked.", w.who()), remedy)
		return
	}
	since := lock.Since.In(w.s.Location(w.person.ID)).Format("2 Jan 15:04")
	text := fmt.Sprintf("locked since %s: %s", since, lock.Reason)
	if !lock.Until.IsZero() {
		text += ", until " + lock.Until.In(w.s.Location(w.person.ID)).Format("2 Jan 15:04")
	}
	w.ground("lock", w.person.Number, "%s", text)
	w.say(fmt.Sprintf("%s is locked.", w.who()), remedy)
}

func (w *telling) granted() {
	sentence := w.who() + " may " + w.what() + " at " + w.where()
	if w.permission != nil {
		if extent := w.permission.Scale.Words(w.e.Level); extent != "" {
			sentence += " " + extent
		}
	}
	w.say(sentence+".", "")
	switch {
	case w.brief:
	case w.e.Owner:
		w.ground("owner", w.person.Number, "%s is an owner, and owners hold everything", w.who())
	case w.e.Exception != 0:
		w.exception(w.s.state.Exception(w.e.Exception))
	default:
		w.grantGrounds(w.s.state.Assignment(w.e.Assignment))
	}
}

func (w *telling) exception(x *org.Exception) {
	verb := "added"
	if x.Withheld {
		verb = "withheld"
	}
	w.ground("exception", fmt.Sprint(x.ID), "%s at %s by exception%s: %s", verb, w.placeName(x.Place), datesWords(x.From, x.Until), x.Reason)
}

// grantGrounds names the assignment, the setting of the template and the hours.
func (w *telling) grantGrounds(a *org.Assignment) {
	if w.brief {
		return
	}
	template := w.s.state.Template(a.Template)
	w.ground("assignment", fmt.Sprint(a.ID), "%s at %s%s", template.Name, w.placeName(a.Place), datesWords(a.From, a.Until))
	if resolved := w.s.Resolved(a.Template); w.permission != nil && int(w.permission.ID) < len(resolved) {
		w.ground("setting", template.Code, "%s", w.s.SettingWords(w.permission, resolved[w.permission.ID]))
	}
	w.hoursGround(a)
}

func (w *telling) hoursGround(a *org.Assignment) {
	access, origin := &a.Hours, "this assignment"
	if a.Hours.Kind == "" {
		template := w.s.state.Template(a.Template)
		access, origin = w.s.TemplateHours(a.Template), "template "+template.Name
		if access.Kind == "" {
			origin = "opening hours"
		}
	}
	w.ground("hours", "", "%s (%s)", access.Words(w.here.Opening, day.Of(w.at)), origin)
}

// SettingWords says what a template says of a permission, and where.
func (s *Snapshot) SettingWords(permission *permit.Permission, r permit.Resolved) string {
	if !r.Decided {
		return fmt.Sprintf("nothing in this template gives “%s”", permission.Title)
	}
	text := fmt.Sprintf("“%s” is set to %s", permission.Title, permission.Scale.Word(r.Level))
	if template := s.state.Template(r.Template); template != nil {
		text += " by template " + template.Name
	}
	if group := s.catalogue.Group(r.Group); group != nil {
		text += ", on the group " + group.Title
	}
	return text
}

func (w *telling) refusedByGrant() {
	if w.e.Exception != 0 {
		w.exception(w.s.state.Exception(w.e.Exception))
	}
	a := w.s.state.Assignment(w.e.Assignment)
	switch w.e.Reason {
	case AssignmentNotInDates:
		w.ground("assignment", fmt.Sprint(a.ID), "%s at %s%s", w.s.state.Template(a.Template).Name, w.placeName(a.Place), datesWords(a.From, a.Until))
		today := day.Of(w.at)
		if !a.From.IsZero() && today < a.From {
			w.say(fmt.Sprintf("%s's assignment at %s begins on %s.", w.who(), w.placeName(a.Place), a.From.Words()), "Let the assignment begin earlier.")
			return
		}
		w.say(fmt.Sprintf("%s's assignment at %s ended on %s.", w.who(), w.placeName(a.Place), a.Until.Words()), "Give the assignment a later end.")
	case PermissionNotInTemplate:
		w.notInTemplate(a)
	case OutsideHours:
		if a != nil {
			w.grantGrounds(a)
		}
		sentence := fmt.Sprintf("%s may %s at %s, but not at this hour.", w.who(), w.what(), w.where())
		remedy := "Give wider access hours."
		if at, ok := w.s.Begins(*w.q); ok {
			next := time.Unix(at, 0).In(w.here.Location)
			remedy = fmt.Sprintf("Wait until %s, or give wider access hours.", next.Format("Mon 2 Jan 15:04"))
		}
		w.say(sentence, remedy)
	}
}

func (w *telling) notInTemplate(a *org.Assignment) {
	if a == nil {
		w.say(fmt.Sprintf("%s may not %s to that extent at %s.", w.who(), w.what(), w.where()), "Raise the exception's level.")
		return
	}
	w.grantGrounds(a)
	template := w.s.state.Template(a.Template)
	remedy := fmt.Sprintf("Assign a template that includes it, or add it for %s alone by an exception.", w.who())
	held := w.s.level(a.Template, w.q.Permission)
	if held > 0 && w.permission != nil {
		w.say(fmt.Sprintf("%s may %s, but only %s.", w.who(), w.what(), w.permission.Scale.Words(held)), remedy)
		return
	}
	w.say(fmt.Sprintf("The template %s does not include “%s”.", template.Name, w.title()), remedy)
}

func (w *telling) title() string {
	if w.permission == nil {
		return "this"
	}
	return w.permission.Title
}

func datesWords(from, until day.Date) string {
	switch {
	case from.IsZero() && until.IsZero():
		return ", with no end"
	case from.IsZero():
		return ", until " + until.Words()
	case until.IsZero():
		return ", from " + from.Words()
	}
	return ", from " + from.Words() + " until " + until.Words()
}

// Refuse words a refusal that was decided before the question reached the snapshot.
func (s *Snapshot) Refuse(q *Question, reason Reason) Explanation {
	w := &telling{s: s, q: q, e: Explanation{Decision: Decision{Reason: reason}}}
	w.write()
	return w.e
}
