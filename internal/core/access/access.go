// Package access decides. A Snapshot is the compiled, immutable form of a state of the organisation; Decide
// answers one question of it, Explain answers the same question in words, and the rest of the package asks the
// snapshot what people can do, who can do something, what keeps somebody from working, and what a change changes.
package access

import (
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/table"
)

// Reason is why a decision is what it is. Refusals are named in this order: the first that holds.
type Reason uint8

// The reasons. Where somebody has several assignments, the refusal is that of the one that came furthest.
const (
	Granted Reason = iota
	TooManyTries
	UnknownCredential
	CredentialNotValid
	ProofNotSufficient
	TwoPeople
	Locked
	HasDeparted
	ContractEnded
	NotStarted
	PlaceRetired
	NotForPlace
	BarredHere
	Withheld
	NoAssignment
	AssignmentNotInDates
	PermissionNotInTemplate
	OutsideHours
)

var reasonCodes = [...]string{"granted", "too_many_tries", "unknown_credential", "credential_not_valid",
	"proof_not_sufficient",
	"credentials_of_two_people", "locked", "departed", "contract_ended", "not_started", "place_retired",
	"permission_not_for_place", "barred_here", "permission_withheld", "no_assignment_here",
	"assignment_not_in_its_dates", "permission_not_in_template", "outside_access_hours"}

// recorded are the numbers under which reasons are recorded. They never change, whatever rank a reason has.
var recorded = [...]uint8{Granted: 0, TooManyTries: 1, UnknownCredential: 2, CredentialNotValid: 3,
	ProofNotSufficient: 4, Locked: 5, HasDeparted: 6, ContractEnded: 7,
	NotStarted: 8, PlaceRetired: 9, Withheld: 10, NoAssignment: 11, AssignmentNotInDates: 12,
	PermissionNotInTemplate: 13, OutsideHours: 14, BarredHere: 15,
	TwoPeople: 16, NotForPlace: 17}

// Number returns the number under which the reason is recorded.
func (r Reason) Number() uint8 { return recorded[r] }

// ReasonOf returns the reason that was recorded under a number.
func ReasonOf(number uint8) Reason {
	return Reason(max(0, slices.Index(recorded[:], number)))
}

// String returns the code that programs rely on.
func (r Reason) String() string { return reasonCodes[r] }

// Shown is what somebody has shown to be known, as a set.
type Shown uint8

// What may be shown.
const (
	ShownPIN Shown = 1 << iota
	ShownBadge
)

func (s Shown) satisfies(proof estate.Proof) bool {
	switch proof {
	case estate.PIN:
		return s&ShownPIN != 0
	case estate.Badge:
		return s&ShownBadge != 0
	case estate.BadgeAndPIN:
		return s&ShownPIN != 0 && s&ShownBadge != 0
	}
	return s != 0
}

// Question asks whether somebody may do something at a place at an instant. Who it is about is named, or known by all
// that they show.
type Question struct {
	Staff      people.StaffID // who; set where they are named and show nothing
	Shown      Shown          // what was shown; with it, who is asked about is whoever it identifies
	PIN, Badge credential.ID  // that was shown; 0: it is known to nobody
	Permission permit.PermissionID
	Level      permit.Level // at least; 0 asks for any
	// whose records, for a permission whose levels are own, team and all; 0: nobody's in particular
	About people.StaffID
	Place estate.PlaceID
	At    int64 // Unix seconds
	// a named person shows at a door whatever they have that counts then; else it is taken as shown. What they lack is
	// named last
	Proves bool
	// what somebody holds, not whether they may use it there and now: access hours and the kind of place are left out
	AnyHour bool
	Retired bool // take a retired place as one in use: what somebody would hold there, and their say over it
}

// Decision answers a Question. The numbers point at the records that decided; 0 where none did.
type Decision struct {
	Allowed    bool
	Reason     Reason
	Level      permit.Level
	Staff      people.StaffID
	Credential credential.ID
	Assignment org.AssignmentID
	Exception  org.ExceptionID
	Bar        org.BarID
	Owner      bool // held as an owner, who holds everything
}

type person struct {
	known      bool
	span       people.Span
	lockSince  int64
	lockUntil  int64
	owner      bool
	count      uint8            // of few that are in use
	few        [fewGrants]grant // the grants of most people stand beside the rest of what a decision reads
	many       []grant          // all grants, of those who have more
	exceptions []exception
}

const fewGrants = 3

func (p *person) grants() []grant {
	if p.many != nil {
		return p.many
	}
	return p.few[:p.count]
}

func (p *person) grant(g grant) {
	switch {
	case p.many != nil:
		p.many = append(p.many, g)
	case p.count < fewGrants:
		p.few[p.count] = g
		p.count++
	default:
		p.many = append(append([]grant{}, p.few[:]...), g)
	}
}

type grant struct {
	assignment  org.AssignmentID
	place       estate.PlaceID
	template    permit.TemplateID
	from, until int64
	access      *hours.Access // nil: the template's
}

// exception is what is added or withheld for one person. A bar is compiled as one that withholds every permission; bars
// come before all others.
type exception struct {
	number      org.ExceptionID
	bar         org.BarID
	permission  permit.PermissionID // 0: every one
	place       estate.PlaceID
	withheld    bool
	level       permit.Level
	from, until int64
}

// about reports whether it is about a permission.
func (x *exception) about(id permit.PermissionID) bool {
	return x.permission == id || x.permission == 0
}

const (
	everBefore = -1 << 62
	everAfter  = 1 << 62
)

// Ever stands for an end that is open.
const Ever = everAfter

// Snapshot is the compiled form of a state. It is immutable and safe for any number of readers.
type Snapshot struct {
	state     *org.State
	tree      *estate.Tree
	catalogue *permit.Catalogue
	resolved  [][]permit.Resolved // by TemplateID, then PermissionID
	levels    [][]permit.Level    // the same, levels alone: what Decide reads
	hours     []hours.Access      // by TemplateID, a base's where the template states none
	idle      []int               // the same, of the seconds after which a shared terminal signs somebody out
	persons   table.Rows[person]
	rolls     rolls
}

// Touched says which parts of a state a change has written.
type Touched struct {
	Staff     []people.StaffID
	Places    bool
	Catalogue bool // permissions, groups or templates
	Zones     bool // a site's time zone, which moves everybody's dates
}

// Compile makes the snapshot of a state. It fails only where the place tree is broken.
func Compile(state *org.State) (*Snapshot, error) {
	return (&Snapshot{}).next(state, Touched{Places: true, Catalogue: true, Zones: true})
}

// Next makes the snapshot of the state that follows, compiling again only what was touched.
func (s *Snapshot) Next(state *org.State, touched Touched) (*Snapshot, error) {
	return s.next(state, touched)
}

func (s *Snapshot) next(state *org.State, touched Touched) (*Snapshot, error) {
	n := &Snapshot{state: state, tree: s.tree, catalogue: s.catalogue, resolved: s.resolved, levels: s.levels,
		hours: s.hours, idle: s.idle, persons: s.persons.Fork(), rolls: s.rolls.fork()}
	if touched.Places {
		tree, err := estate.NewTree(state.Places.All())
		if err != nil {
			return nil, err
		}
		n.tree = tree
	}
	if touched.Catalogue {
		n.catalogue = permit.NewCatalogue(state.Groups.All(), state.Permissions.All())
		n.resolved = make([][]permit.Resolved, state.Templates.Last()+1)
		n.levels, n.hours, n.idle = make([][]permit.Level, len(n.resolved)), make([]hours.Access, len(n.resolved)),
			make([]int, len(n.resolved))
		for id, template := range state.Templates.All() {
			n.hours[id], n.idle[id] = permit.HoursOf(template, state.Template),
				permit.IdleSecondsOf(template, state.Template)
			n.resolved[id] = n.catalogue.Resolve(template, state.Template)
			n.levels[id] = make([]permit.Level, len(n.resolved[id]))
			for i, resolved := range n.resolved[id] {
				n.levels[id][i] = resolved.Level
			}
		}
	}
	changes := newRollChanges()
	put := func(staff *people.Staff) {
		compiled := n.compile(staff)
		changes.note(staff.ID, s.person(staff.ID), &compiled)
		n.persons.Put(uint32(staff.ID), compiled)
	}
	if touched.Zones {
		for _, staff := range state.Staff.All() {
			put(staff)
		}
	} else {
		for _, id := range touched.Staff {
			if staff := state.Person(id); staff != nil {
				put(staff)
			}
		}
	}
	n.rolls.apply(changes)
	if changes.owners {
		n.rolls.owners = nil
		for id, staff := range state.Staff.All() {
			if staff.Owner {
				n.rolls.owners = append(n.rolls.owners, people.StaffID(id))
			}
		}
	}
	return n, nil
}

func (s *Snapshot) compile(staff *people.Staff) person {
	p := person{known: true, owner: staff.Owner, lockSince: everAfter, lockUntil: everAfter}
	location := time.UTC
	if home := s.tree.At(staff.HomeSite); home != nil {
		location = home.Location
	}
	p.span = staff.SpanIn(location)
	if s.state.Suspect(staff.ID) {
		p.lockSince = everBefore
		return p
	}
	if staff.Lock != nil {
		p.lockSince = staff.Lock.Since.Unix()
		if !staff.Lock.Until.IsZero() {
			p.lockUntil = staff.Lock.Until.Unix()
		}
	}
	for _, id := range s.state.AssignmentsOf(staff.ID) {
		a := s.state.Assignment(id)
		if a.Ended {
			continue
		}
		g := grant{assignment: id, place: a.Place, template: a.Template}
		g.from, g.until = s.dates(a.Place, a.From.Start, !a.From.IsZero(), (a.Until + 1).Start, !a.Until.IsZero())
		if a.Hours.Kind != hours.Inherit {
			g.access = &a.Hours
		}
		p.grant(g)
	}
	for _, id := range s.state.BarsOf(staff.ID) {
		if b := s.state.Bar(id); !b.Ended {
			x := exception{bar: id, place: b.Place, withheld: true, from: b.Since.Unix(), until: everAfter}
			if !b.Until.IsZero() {
				x.until = b.Until.Unix()
			}
			p.exceptions = append(p.exceptions, x)
		}
	}
	for _, id := range s.state.ExceptionsOf(staff.ID) {
		e := s.state.Exception(id)
		if e.Ended {
			continue
		}
		x := exception{number: id, permission: e.Permission, place: e.Place, withheld: e.Withheld, level: e.Level}
		x.from, x.until = s.dates(e.Place, e.From.Start, !e.From.IsZero(), (e.Until + 1).Start, !e.Until.IsZero())
		p.exceptions = append(p.exceptions, x)
	}
	return p
}

// dates turns dates at a place into instants in its site's time zone.
func (s *Snapshot) dates(place estate.PlaceID, from func(*time.Location) time.Time, hasFrom bool,
	until func(*time.Location) time.Time, hasUntil bool) (int64, int64) {
	first, last := int64(everBefore), int64(everAfter)
	if standing := s.tree.At(place); standing != nil {
		if hasFrom {
			first = from(standing.Location).Unix()
		}
		if hasUntil {
			last = until(standing.Location).Unix()
		}
	}
	return first, last
}

// State returns the records the snapshot was made of.
func (s *Snapshot) State() *org.State { return s.state }

// Tree returns the estate.
func (s *Snapshot) Tree() *estate.Tree { return s.tree }

// Catalogue returns the catalogue.
func (s *Snapshot) Catalogue() *permit.Catalogue { return s.catalogue }

// Resolved returns what a template says of each permission, by PermissionID.
func (s *Snapshot) Resolved(id permit.TemplateID) []permit.Resolved {
	if int(id) >= len(s.resolved) {
		return nil
	}
	return s.resolved[id]
}

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
	if d.Allowed && q.Proves && q.Shown == 0 && s.Lacks(d.Staff, q.Place, q.At) {
		d.Allowed, d.Level, d.Reason = false, 0, ProofNotSufficient
	}
	return d
}

// stands says why somebody can do nothing at all at an instant; Granted where nothing keeps them.
func (p *person) stands(at int64) Reason {
	switch {
	case at >= p.lockSince && at < p.lockUntil:
		return Locked
	case at >= p.span.Gone:
		return HasDeparted
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
	return here != nil && here.Place.Kind == estate.Door && !s.HasToShow(id, at).satisfies(here.Place.Proof)
}

func shownBy(kind credential.Kind) Shown {
	switch kind {
	case credential.PIN:
		return ShownPIN
	case credential.Badge:
		return ShownBadge
	}
	return 0
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
			reason = UnknownCredential
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
	case here != nil && !q.Shown.satisfies(here.Place.Proof):
		return ProofNotSufficient
	case known[0] != nil && known[1] != nil && known[0].Staff != known[1].Staff:
		return TwoPeople
	}
	return Granted
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
		reached := Granted
		switch {
		case x.level < least:
			reached = PermissionNotInTemplate
		case !q.AnyHour && !inherited.Open(here.Opening, here.Location, q.At):
			reached = OutsideHours
		}
		d.consider(reached, x.level, 0, x.number)
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
		reached, level := Granted, s.level(g.template, q.Permission)
		switch {
		case q.At < g.from || q.At >= g.until:
			reached = AssignmentNotInDates
		case level < least:
			reached = PermissionNotInTemplate
		case !q.AnyHour && !s.accessOf(g).Open(here.Opening, here.Location, q.At):
			reached = OutsideHours
		}
		d.consider(reached, level, g.assignment, 0)
	}
}

// least returns the level that a question asks for at least: that of the records it is about, where it is about
// records.
func (s *Snapshot) least(q *Question, asking people.StaffID) permit.Level {
	least := max(q.Level, 1)
	if q.About == 0 {
		return least
	}
	if permission := s.catalogue.Permission(q.Permission); permission != nil {
		least = max(least, permission.Scale.LevelAbout(q.About == asking))
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

func (s *Snapshot) level(template permit.TemplateID, permission permit.PermissionID) permit.Level {
	if int(template) >= len(s.levels) || int(permission) >= len(s.levels[template]) {
		return 0
	}
	return s.levels[template][permission]
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

// IdleSeconds returns after how many seconds without use a shared terminal signs out somebody whom a decision has let
// in, by the template it rests on; 0 leaves it to the terminal.
func (s *Snapshot) IdleSeconds(d *Decision) int {
	if a := s.state.Assignment(d.Assignment); a != nil && int(a.Template) < len(s.idle) {
		return s.idle[a.Template]
	}
	return 0
}

// Holds returns the level of a permission that somebody holds at a place, access hours left out: what they may
// give on, and what they may do in this product.
func (s *Snapshot) Holds(id people.StaffID, permission permit.PermissionID, place estate.PlaceID,
	at int64) permit.Level {
	return s.Decide(&Question{Staff: id, Permission: permission, Place: place, At: at, AnyHour: true}).Level
}

// MayGive returns the highest level of a permission that somebody may give on at a place and all below it: what they
// hold there, or would if it was not retired, and nothing where it is withheld from them at some place below.
func (s *Snapshot) MayGive(id people.StaffID, permission permit.PermissionID, place estate.PlaceID,
	at int64) permit.Level {
	if p := s.person(id); p != nil {
		for i := range p.exceptions {
			if x := &p.exceptions[i]; x.withheld && x.about(permission) && at < x.until &&
				s.tree.Within(x.place, place) {
				return 0
			}
		}
	}
	return s.Decide(&Question{Staff: id, Permission: permission, Place: place, At: at, AnyHour: true,
		Retired: true}).Level
}

// Entitled answers what somebody's assignments and exceptions say, whether or not they are locked or have started: what
// would be theirs if they could use it. Access hours are left out; of those who start later it is the day of the start.
func (s *Snapshot) Entitled(id people.StaffID, permission permit.PermissionID, place estate.PlaceID,
	at int64) Decision {
	d := Decision{Staff: id}
	p, here := s.person(id), s.tree.At(place)
	switch {
	case p == nil:
		d.Reason = UnknownCredential
	case here == nil || here.Retired:
		d.Reason = PlaceRetired
	default:
		q := Question{Staff: id, Permission: permission, Place: place, At: max(at, p.span.Start), AnyHour: true}
		s.weigh(&q, p, here, &d)
	}
	return d
}

// HoldsKey reports whether somebody holds a permission, named by its key, at a place. Their say over a place outlasts
// its retirement: else nobody could bring it back, or ask about its past.
func (s *Snapshot) HoldsKey(id people.StaffID, key string, place estate.PlaceID, at int64) bool {
	permission := s.catalogue.PermissionByKey(key)
	return permission != nil && s.Decide(
		&Question{Staff: id, Permission: permission.ID, Place: place, At: at, AnyHour: true, Retired: true}).Allowed
}

// HoldsEverywhere reports whether somebody holds a permission at every site that is not retired.
func (s *Snapshot) HoldsEverywhere(id people.StaffID, key string, at int64) bool {
	sites := 0
	for here := range s.tree.All {
		if here.Place.Parent != 0 || here.Retired {
			continue
		}
		sites++
		if !s.HoldsKey(id, key, here.Place.ID, at) {
			return false
		}
	}
	return sites > 0 || s.state.Person(id) != nil && s.state.Person(id).Owner
}

// Reach reports, by PlaceID, where somebody holds a permission, and whether that is anywhere at all.
func (s *Snapshot) Reach(id people.StaffID, key string, at int64) (reach []bool, anywhere bool) {
	reach = make([]bool, s.state.Places.Last()+1)
	permission := s.catalogue.PermissionByKey(key)
	if permission == nil {
		return reach, false
	}
	for here := range s.tree.All {
		reach[here.Place.ID] = s.Decide(
			&Question{Staff: id, Permission: permission.ID, Place: here.Place.ID, At: at, AnyHour: true,
				Retired: true}).Allowed
		anywhere = anywhere || reach[here.Place.ID]
	}
	return reach, anywhere
}

// Status returns somebody's status at an instant, in the time zone of their home site.
func (s *Snapshot) Status(id people.StaffID, at int64) people.Status {
	if p := s.person(id); p != nil {
		return p.span.Status(at)
	}
	return people.Departed
}

// Location returns the time zone of somebody's home site.
func (s *Snapshot) Location(id people.StaffID) *time.Location {
	if p := s.state.Person(id); p != nil {
		if home := s.tree.At(p.HomeSite); home != nil {
			return home.Location
		}
	}
	return time.UTC
}

// View is how much of a person's record somebody sees.
type View uint8

// The views. Whoever looks after somebody's home site sees everything; whoever looks after a place where they merely
// work sees the name, the number, the status and what they do there, for as long as they do.
const (
	Hidden View = iota
	Narrow
	Whole
)

// ViewOf returns how much is seen of a person from the places in reach, by PlaceID.
func (s *Snapshot) ViewOf(p *people.Staff, reach []bool, at int64) View {
	if InReach(reach, p.HomeSite) {
		return Whole
	}
	if p.Owner {
		if slices.Contains(reach, true) { // an owner may do everything everywhere, so there too
			return Narrow
		}
		return Hidden
	}
	if compiled := s.person(p.ID); compiled != nil && at < compiled.span.Gone {
		grants := compiled.grants()
		for i := range grants {
			if InReach(reach, grants[i].place) && at < grants[i].until {
				return Narrow
			}
		}
	}
	return Hidden
}

// InReach reports whether a place is among those in reach, by PlaceID.
func InReach(reach []bool, id estate.PlaceID) bool { return int(id) < len(reach) && reach[id] }

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

// Holding is a permission that somebody holds at a place and below, from one instant until before another.
type Holding struct {
	Permission  permit.PermissionID
	Place       estate.PlaceID
	Level       permit.Level
	From, Until int64
	Template    permit.TemplateID // of the assignment
	Assignment  org.AssignmentID
	Exception   org.ExceptionID
	Owner       bool
	Hours       *hours.Access
	Except      []Exclusion // below Place, where it is withheld
}

// Exclusion is a place at and below which something is withheld, from one instant until before another.
type Exclusion struct {
	Place       estate.PlaceID
	From, Until int64
}

// Holdings returns all that somebody holds now or later: nothing while locked or departed.
func (s *Snapshot) Holdings(id people.StaffID, at int64) []Holding {
	return s.holdings(nil, id, at, nil, 0)
}

// OnRecord returns all that somebody's record gives them from an instant on, whatever keeps them from using it: a lock,
// a bar, a start ahead, an ended contract, having left, or a place that is retired for now. By it is judged who may
// stand over them.
func (s *Snapshot) OnRecord(id people.StaffID, at int64) []Holding {
	p := s.person(id)
	if p == nil {
		return nil
	}
	freed := *p
	freed.span, freed.lockSince, freed.lockUntil = people.Span{Start: everBefore, Contract: everAfter, Gone: everAfter},
		everAfter, everAfter
	freed.exceptions = slices.DeleteFunc(slices.Clone(p.exceptions), func(x exception) bool { return x.bar != 0 })
	return s.holdingsOf(nil, &freed, at, nil, 0, true)
}

// holdings appends what somebody holds, now or later, to a list: of some permissions, where only is not nil; and at
// one place and below, where within is set, whatever place above it comes from.
func (s *Snapshot) holdings(list []Holding, id people.StaffID, at int64, only []permit.PermissionID,
	within estate.PlaceID) []Holding {
	p := s.person(id)
	if p == nil || at >= p.span.Gone || at >= p.span.Contract {
		return list
	}
	if at >= p.lockSince && at < p.lockUntil {
		if p.lockUntil >= everAfter {
			return list
		}
		unlocked := *p // a lock that ends by itself gives everything back then
		unlocked.span.Start = max(p.span.Start, p.lockUntil)
		p = &unlocked
	}
	return s.holdingsOf(list, p, at, only, within, false)
}

// holdingsOf is holdings for somebody's compiled form, with retired places counted or not.
func (s *Snapshot) holdingsOf(list []Holding, p *person, at int64, only []permit.PermissionID, within estate.PlaceID,
	retired bool) []Holding {
	if within != 0 {
		if here := s.tree.At(within); here == nil || here.Retired && !retired {
			return list
		}
	}
	end := min(p.span.Gone, p.span.Contract)
	hold := func(h Holding) {
		h.From, h.Until = max(h.From, p.span.Start), min(h.Until, end)
		if within != 0 {
			if !s.tree.Within(within, h.Place) {
				return
			}
			h.Place = within
		}
		list = s.held(list, p, h, 0, at)
	}
	grants := p.grants()
	for i := range grants {
		g := &grants[i]
		here := s.tree.At(g.place)
		if here == nil || here.Retired && !retired || int(g.template) >= len(s.levels) {
			continue
		}
		h := Holding{Place: g.place, From: g.from, Until: g.until, Template: g.template, Assignment: g.assignment,
			Hours: s.accessOf(g)}
		each := func(id permit.PermissionID, level permit.Level) {
			if level > 0 && s.meansSomething(id, here.Place) {
				h.Permission, h.Level = id, level
				hold(h)
			}
		}
		if only == nil {
			for permission, level := range s.levels[g.template] {
				each(permit.PermissionID(permission), level)
			}
		}
		for _, permission := range only {
			each(permission, s.level(g.template, permission))
		}
	}
	counts := func(id permit.PermissionID) bool { return only == nil || slices.Contains(only, id) }
	for i := range p.exceptions {
		if x := &p.exceptions[i]; !x.withheld && counts(x.permission) {
			if here := s.tree.At(x.place); here != nil && (retired || !here.Retired) && s.inUse(x.permission) {
				hold(Holding{Permission: x.permission, Place: x.place, Level: x.level, From: x.from, Until: x.until,
					Exception: x.number, Hours: inherited})
			}
		}
	}
	if p.owner {
		for permission := range s.catalogue.Permissions {
			if !counts(permission.ID) {
				continue
			}
			for here := range s.tree.All {
				if here.Place.Parent == 0 && (retired || !here.Retired) {
					hold(Holding{Permission: permission.ID, Place: here.Place.ID, Level: s.highest(permission.ID),
						From: everBefore, Until: everAfter, Owner: true, Hours: always})
				}
			}
		}
	}
	return list
}

// held appends a holding without what exceptions, from one of them on, withhold of it: where they withhold all of it
// for a while, what is left before and after.
func (s *Snapshot) held(list []Holding, p *person, h Holding, first int, at int64) []Holding {
	if h.Until <= at || h.Until <= h.From {
		return list
	}
	for i := first; i < len(p.exceptions); i++ {
		x := &p.exceptions[i]
		if !x.withheld || !x.about(h.Permission) || x.until <= max(at, h.From) || x.from >= h.Until {
			continue
		}
		switch {
		case s.tree.Within(h.Place, x.place):
			before, after := h, h
			before.Until, after.From = x.from, x.until
			before.Except, after.Except = slices.Clone(h.Except), slices.Clone(h.Except)
			return s.held(s.held(list, p, before, i+1, at), p, after, i+1, at)
		case s.tree.Within(x.place, h.Place):
			h.Except = append(h.Except, Exclusion{x.place, x.from, x.until})
		}
	}
	return append(list, h)
}

// always are the hours of owners, who hold everything at any time.
var always = &hours.Access{Kind: hours.Always}

// inUse reports whether a permission is in the catalogue and not retired.
func (s *Snapshot) inUse(id permit.PermissionID) bool {
	permission := s.catalogue.Permission(id)
	return permission != nil && !permission.Retired
}

// meansSomething reports whether a permission applies to a place, or may to one below it.
func (s *Snapshot) meansSomething(id permit.PermissionID, place *estate.Place) bool {
	return place.Kind.HoldsOthers() || s.meantAt(id, place.Kind)
}
