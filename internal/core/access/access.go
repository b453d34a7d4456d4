// Package access decides. A Snapshot is the compiled, immutable form of an org.State; Decide answers one Question of
// it, and the rest of the package asks the same snapshot what somebody can do, who can do something, what keeps
// somebody from working, when that begins or ends, and what a change changes.
//
// # Invariants
//
// Everything that tells of access is derived from Decide, over one snapshot: whoever wants to say something about
// access asks it, and does not look into records. What cannot be read denies. Facts leave this package, sentences do
// not: package wording makes text of them.
//
// # Units
//
// An instant, always called at, is in Unix seconds. A stretch of time holds its first instant and not its last: from is
// the first instant that counts, until the first that does not; an end that is open is Ever. Dates of records count in
// the zone of their site, a person's in that of their home site.
//
// # Ownership and concurrency
//
// A Snapshot owns nothing and changes nothing: the state that it was compiled of must not be written any more. Any
// number of goroutines may read one snapshot at once. What a method returns as a slice or a pointer into records is
// read, not written.
//
// # Errors
//
// Decide never fails: a question about a person, a place or a permission that is not on record is refused, with its
// Reason. Compile fails only where the places contradict each other.
//
// # Cost
//
// Decide allocates nothing, and its cost depends on the assignments and exceptions of the one person asked about. Next
// compiles again only what a change has touched.
package access

import (
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Decide answers the question. It does not allocate, and its cost depends on the person's own assignments and
// exceptions only.
func (s *Snapshot) Decide(q *Question) Decision {
	d := Decision{Staff: q.Staff}
	here := s.tree.At(q.Place)
	if q.Shown != 0 {
		if d.Reason = s.identify(q, here, &d); d.Reason != Granted {
			return d
		}
	}
	p := s.person(d.Staff)
	if p == nil {
		d.Reason = UnknownCredential
		return d
	}
	if d.Reason = p.stands(q.At); d.Reason != Granted {
		return d
	}
	if here == nil || here.Retired && !q.Retired {
		d.Reason = PlaceRetired
		return d
	}
	if !q.AnyHour && !s.meantAt(q.Permission, here.Place.Kind) {
		d.Reason = NotForPlace
		return d
	}
	s.weigh(q, p, here, &d)
	if d.Allowed && q.Proves && q.Shown == 0 && here.Place.Kind == estate.Door &&
		!s.HasToShow(d.Staff, q.At).satisfies(asked(here, q)) {
		d.Allowed, d.Level, d.Reason = false, 0, ProofNotSufficient
	}
	if d.Allowed && q.Shown&ShownPIN != 0 && s.state.Credential(q.PIN).Duress {
		d.Reason = UnderDuress
	}
	return d
}

// stands says why somebody can do nothing at all at an instant; Granted where nothing keeps them.
func (p *person) stands(at int64) Reason {
	switch {
	case at >= p.lockSince && at < p.lockUntil:
		return Locked
	case at >= p.span.Gone:
		return HasLeft
	case at >= p.span.Contract:
		return ContractEnded
	case at < p.span.Start:
		return NotStarted
	}
	return Granted
}

// Stands says why somebody can do nothing at all at an instant; Granted where nothing keeps them.
func (s *Snapshot) Stands(id people.StaffID, at int64) Reason {
	if p := s.person(id); p != nil {
		return p.stands(at)
	}
	return UnknownCredential
}

// HasToShow returns what somebody has, that counts at an instant, to show at a door.
func (s *Snapshot) HasToShow(id people.StaffID, at int64) (shown Shown) {
	for _, number := range s.state.CredentialsOf(id) {
		if c := s.state.Credential(number); c.ValidAt(at) {
			shown |= shownBy(c.Kind)
		}
	}
	return shown
}

// Lacks reports whether somebody has not, at an instant, what a door asks to be shown. Other places are asked at
// terminals, to which people are known already.
func (s *Snapshot) Lacks(id people.StaffID, place estate.PlaceID, at int64) bool {
	here := s.tree.At(place)
	return here != nil && here.Place.Kind == estate.Door && !s.HasToShow(id, at).satisfies(ProofAt(here, at))
}

// ProofAt returns what a place asks to be shown at an instant: a door may ask for more outside its opening hours.
func ProofAt(here *estate.Standing, at int64) estate.Proof {
	if here.Place.ProofOutside != estate.AnyProof && !inherited.Open(here.Opening, here.Location, at) {
		return here.Place.ProofOutside
	}
	return here.Place.Proof
}

// asked is what a place asks to be shown for a question: with hours left out, what it asks for in opening hours.
func asked(here *estate.Standing, q *Question) estate.Proof {
	if q.AnyHour {
		return here.Place.Proof
	}
	return ProofAt(here, q.At)
}

// person returns somebody's compiled form, or nil.
func (s *Snapshot) person(id people.StaffID) *person {
	if p := s.persons.Get(uint32(id)); p != nil && p.known {
		return p
	}
	return nil
}

// identify finds whom all that was shown identifies, and says what is wrong with it. A badge names a person before a
// PIN does: of a right badge and a wrong PIN it is known whose badge it is.
func (s *Snapshot) identify(q *Question, here *estate.Standing, d *Decision) Reason {
	var known [2]*credential.Credential
	reason := Granted
	for i, shown := range [2]struct {
		what Shown
		id   credential.ID
	}{{ShownBadge, q.Badge}, {ShownPIN, q.PIN}} {
		if q.Shown&shown.what == 0 {
			continue
		}
		c := s.state.Credential(shown.id)
		switch {
		case c == nil || shownBy(c.Kind) != shown.what:
			if reason = UnknownCredential; known[0] != nil {
				reason = WrongPIN
			}
			continue
		case reason == Granted && !c.ValidAt(q.At):
			reason = CredentialNotValid
		}
		if known[i] = c; d.Staff == 0 {
			d.Staff, d.Credential = c.Staff, c.ID
		}
	}
	switch {
	case reason != Granted:
		return reason
	case here != nil && !q.Shown.satisfies(asked(here, q)):
		return ProofNotSufficient
	case known[0] != nil && known[1] != nil && known[0].Staff != known[1].Staff:
		return TwoPeople
	}
	return Granted
}

// Told returns the reason that whoever stands at a door is told of a decision. Where a PIN was typed, no answer tells
// whether it is somebody's: what a door asks for is named first, and all else that is wrong with what was shown is not
// known here. A PIN alone that is somebody's, but opens nothing here at any hour, is not known either. What is recorded
// is the decision's own reason.
func (s *Snapshot) Told(q *Question, d *Decision) Reason {
	if q.Shown&ShownPIN == 0 {
		return d.Reason
	}
	switch d.Reason {
	case UnderDuress:
		return Granted
	case Granted, TooManyTries, QualificationMissing, NoticeNotAccepted, OutsideHours:
		return d.Reason
	case UnknownCredential, WrongPIN, CredentialNotValid, TwoPeople, ProofNotSufficient:
	default:
		if q.Shown != ShownPIN {
			return d.Reason
		}
	}
	if here := s.tree.At(q.Place); here != nil && !q.Shown.satisfies(asked(here, q)) {
		return ProofNotSufficient
	}
	return UnknownCredential
}

// WorksAt reports whether something of somebody's counts, on that day, at a place, below it or above it, whatever the
// hour: an owner's always does.
func (s *Snapshot) WorksAt(id people.StaffID, place estate.PlaceID, at int64) bool {
	p := s.person(id)
	if p == nil {
		return false
	}
	here := func(other estate.PlaceID) bool { return s.tree.Within(place, other) || s.tree.Within(other, place) }
	grants := p.grants()
	return p.owner || slices.ContainsFunc(grants, func(g grant) bool {
		return at >= g.from && at < g.until && here(g.place)
	}) || slices.ContainsFunc(p.exceptions, func(x exception) bool {
		return !x.withheld && at >= x.from && at < x.until && here(x.place)
	})
}

// ShiftEnd returns when a badge that somebody is lent for a shift falls due: when the last of the hours they may work
// in now close, or at the end of their day, where those do not close before.
func (s *Snapshot) ShiftEnd(id people.StaffID, at int64) time.Time {
	location := s.Location(id)
	dayEnds := (day.Of(time.Unix(at, 0).In(location)) + 1).Start(location).UTC()
	p := s.person(id)
	if p == nil {
		return dayEnds
	}
	var end time.Time
	grants := p.grants()
	for i := range grants {
		g := &grants[i]
		here := s.tree.At(g.place)
		if here == nil || !s.fitAt(p, g, at) {
			continue
		}
		times := s.accessOf(g)
		if !times.Open(here.Opening, here.Location, at) {
			continue
		}
		closes, ever := times.NextChange(here.Opening, here.Location, at)
		if !ever || closes.After(dayEnds.Add(12*time.Hour)) {
			return dayEnds
		}
		if closes.After(end) {
			end = closes.UTC()
		}
	}
	if end.IsZero() {
		return dayEnds
	}
	return end
}

// meantAt reports whether a permission has a meaning at a kind of place. Held it may be anywhere: for what stands
// below.
func (s *Snapshot) meantAt(id permit.PermissionID, kind estate.Kind) bool {
	permission := s.catalogue.Permission(id)
	return permission == nil || permission.AppliesTo(kind)
}

// weigh goes through exceptions and assignments: withheld beats everything, then the highest level wins, and a
// refusal is that of the assignment that came furthest.
func (s *Snapshot) weigh(q *Question, p *person, here *estate.Standing, d *Decision) {
	d.Reason = NoAssignment
	least := s.least(q, d.Staff)
	lacks := Granted
	if !q.Retired {
		lacks = s.unfit(p, q.Permission, q.Place, q.At)
	}
	for i := range p.exceptions {
		x := &p.exceptions[i]
		if !x.about(q.Permission) || q.At < x.from || q.At >= x.until || !s.tree.Within(q.Place, x.place) ||
			!s.inUse(q.Permission) {
			continue
		}
		if x.withheld {
			d.Allowed, d.Reason, d.Level, d.Exception, d.Bar, d.Assignment = false, Withheld, 0, x.number, x.bar, 0
			if x.bar != 0 {
				d.Reason = BarredHere
			}
			return
		}
		d.consider(q.keeps(here, true, x.level >= least, lacks, inherited), x.level, 0, x.number)
	}
	if highest := s.highest(q.Permission); p.owner && highest > 0 {
		*d = Decision{Allowed: true, Level: highest, Staff: d.Staff, Credential: d.Credential, Owner: true}
		return
	}
	grants := p.grants()
	for i := range grants {
		g := &grants[i]
		if !s.tree.Within(q.Place, g.place) {
			continue
		}
		level, access := s.level(g.template, q.Permission, q.Place, q.At), s.accessOf(g)
		wants, apart := lacks, false
		if q.gives {
			level, apart = s.gives(g.template, q.Permission, q.Place, q.At)
		}
		if !q.onRecord && !apart { // whoever gives what others do needs no licence for it
			wants = firstOf(lacks, p.wants(s.requires(g.template), q.At))
		}
		d.consider(q.keeps(here, q.At >= g.from && q.At < g.until, level >= least, wants, access), level,
			g.assignment, 0)
	}
}

// keeps returns what keeps somebody from what an assignment or an exception gives at a place, the first in the order of
// domain.md; Granted where nothing does. It is the one place in which either is weighed: counts says whether it does on
// that day, enough whether it gives as much as is asked for, lacks for want of what of all that is required.
func (q *Question) keeps(here *estate.Standing, counts, enough bool, lacks Reason, access *hours.Access) Reason {
	switch {
	case !counts:
		return AssignmentNotInDates
	case !enough:
		return PermissionNotInTemplate
	case lacks != Granted:
		return lacks
	case !q.AnyHour && !access.Open(here.Opening, here.Location, q.At):
		return OutsideHours
	}
	return Granted
}

// firstOf returns which of two reasons is named first; Granted where both are that.
func firstOf(a, b Reason) Reason {
	if a == Granted || b != Granted && b < a {
		return b
	}
	return a
}

// least returns the level that a question asks for at least: that of the records it is about, where it is about
// records.
func (s *Snapshot) least(q *Question, asking people.StaffID) permit.Level {
	least := max(q.Level, 1)
	if q.About == 0 {
		return least
	}
	if permission := s.catalogue.Permission(q.Permission); permission != nil {
		least = max(least, permission.Scale.LevelAbout(q.About == asking,
			q.About != asking && permission.Scale.IsReach() && s.state.Leads(asking, q.About)))
	}
	return least
}

// inherited are the access hours where nothing is stated: the place's opening hours.
var inherited = &hours.Access{}

// consider keeps the better of what is known and one more assignment or exception.
func (d *Decision) consider(reached Reason, level permit.Level, assignment org.AssignmentID, number org.ExceptionID) {
	better := false
	switch {
	case reached == Granted:
		better = !d.Allowed || level > d.Level
	case !d.Allowed:
		better = reached > d.Reason || d.Assignment == 0 && d.Exception == 0
	}
	if better {
		d.Allowed, d.Reason, d.Assignment, d.Exception = reached == Granted, reached, assignment, number
		d.Level = 0
		if d.Allowed {
			d.Level = level
		}
	}
}

// level returns the level of a permission that a template gives at a place at an instant.
func (s *Snapshot) level(template permit.TemplateID, permission permit.PermissionID, place estate.PlaceID,
	at int64) permit.Level {
	if l := s.localAt(template, permission, place, at); l != nil {
		return l.level
	}
	return s.ownLevel(template, permission)
}

// ownLevel returns the level of a permission that a template gives where no local setting says otherwise.
func (s *Snapshot) ownLevel(template permit.TemplateID, permission permit.PermissionID) permit.Level {
	if int(template) >= len(s.levels) || int(permission) >= len(s.levels[template]) {
		return 0
	}
	return s.levels[template][permission]
}

// gives returns up to which level the holders of a template can give a permission at a place at an instant, and whether
// that is said apart from what they can do.
func (s *Snapshot) gives(template permit.TemplateID, permission permit.PermissionID, place estate.PlaceID,
	at int64) (level permit.Level, apart bool) {
	if int(template) >= len(s.giving) || int(permission) >= len(s.giving[template]) {
		return 0, false
	}
	if of := &s.giving[template][permission]; of.Decided {
		return of.Level, true
	}
	return s.level(template, permission, place, at), false
}

func (s *Snapshot) highest(id permit.PermissionID) permit.Level {
	permission := s.catalogue.Permission(id)
	if permission == nil || permission.Retired {
		return 0
	}
	return permission.Scale.Highest()
}

func (s *Snapshot) accessOf(g *grant) *hours.Access {
	if g.access != nil {
		return g.access
	}
	if int(g.template) < len(s.hours) {
		return &s.hours[g.template]
	}
	return inherited
}

// TemplateHours returns the access hours of a template, a base's where it states none.
func (s *Snapshot) TemplateHours(id permit.TemplateID) *hours.Access {
	return s.accessOf(&grant{template: id})
}

// By says what states the access hours of an assignment.
type By uint8

// What states them: the assignment itself, else the person's record, else the template or one that it is based on, else
// nothing, so that they are the opening hours of the place.
const (
	ByAssignment By = iota
	ByPerson
	ByTemplate
	ByOpening
)

// Stated returns the access hours that an assignment of somebody states, or their record; ByTemplate where neither
// does.
func Stated(p *people.Staff, a *org.Assignment) (*hours.Access, By) {
	switch {
	case a.Hours.Kind != hours.Inherit:
		return &a.Hours, ByAssignment
	case p != nil && p.Hours.Kind != hours.Inherit:
		return &p.Hours, ByPerson
	}
	return nil, ByTemplate
}

// HoursOf returns the access hours of an assignment, as they count and what states them. Schedule is the one whose
// hours they are, or nil.
func (s *Snapshot) HoursOf(a *org.Assignment) (access *hours.Access, by By, schedule *hours.Schedule) {
	stated, by := Stated(s.state.Person(a.Staff), a)
	if by == ByTemplate {
		own := hours.Access{}
		if template := s.state.Template(a.Template); template != nil {
			own = permit.HoursOf(template, s.state.Template)
		}
		if stated = &own; own.Kind == hours.Inherit {
			by = ByOpening
		}
	}
	if stated.Kind == hours.BySchedule {
		schedule = s.state.Schedule(stated.Schedule)
	}
	return stated.Resolve(s.state.Schedule), by, schedule
}

// IdleSeconds returns after how many seconds without use a shared terminal signs out somebody whom a decision has let
// in, by the template it rests on; 0 leaves it to the terminal.
func (s *Snapshot) IdleSeconds(d *Decision) int {
	if a := s.state.Assignment(d.Assignment); a != nil && int(a.Template) < len(s.idle) {
		return s.idle[a.Template]
	}
	return 0
}

// Permitted is one person who can do something, and through what.
type Permitted struct {
	Staff    people.StaffID
	Decision Decision
}

// WhoCan returns all who hold a permission at a place at an instant, in the order of their numbers; anyHour leaves
// access hours out. Its cost is that of those assigned at the place and above it, not of all staff.
// What they have to show at a door is told by Lacks.
func (s *Snapshot) WhoCan(permission permit.PermissionID, place estate.PlaceID, at int64, anyHour bool) []Permitted {
	var can []Permitted
	q := Question{Permission: permission, Place: place, At: at, AnyHour: anyHour}
	for _, id := range s.candidates(place) {
		q.Staff = id
		if d := s.Decide(&q); d.Allowed {
			can = append(can, Permitted{Staff: q.Staff, Decision: d})
		}
	}
	return can
}

// inUse reports whether a permission is in the catalogue and not retired.
func (s *Snapshot) inUse(id permit.PermissionID) bool {
	permission := s.catalogue.Permission(id)
	return permission != nil && !permission.Retired
}

// meansSomething reports whether a permission applies to a place, or may to one below it.
func (s *Snapshot) meansSomething(id permit.PermissionID, place *estate.Place) bool {
	return place.Kind.HoldsOthers() || s.meantAt(id, place.Kind)
}
