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
	"loyallatch.example/latch/internal/core/qualification"
	"loyallatch.example/latch/internal/core/table"
)

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
	// What they are qualified in, by when it begins
	certificates []certificate
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

// grant is an assignment in its compiled form: there is one of each that is not ended.
type grant struct {
	assignment  org.AssignmentID
	place       estate.PlaceID
	template    permit.TemplateID
	from, until int64         // the dates of the assignment
	access      *hours.Access // of the assignment, else of the person; nil: the template's
}

// exception is what is added or withheld for one person. A bar is compiled as one that withholds every permission; bars
// come before all others.
type exception struct {
	number      org.ExceptionID
	bar         org.BarID
	permission  permit.PermissionID // 0: every one
	place       estate.PlaceID
	withheld    bool
	required    bool // withheld for want of a qualification that the place requires
	level       permit.Level
	from, until int64
}

// about reports whether it is about a permission.
func (x *exception) about(id permit.PermissionID) bool {
	return x.permission == id || x.permission == 0
}

// excludes reports whether something is withheld that is about a permission.
func (s *Snapshot) excludes(x *exception, id permit.PermissionID) bool {
	return x.withheld && x.about(id) && !(x.required && s.ofConsole(id))
}

// ofConsole reports whether this product itself asks about a permission. No place requires a qualification for that: a
// say over a place is no work there.
func (s *Snapshot) ofConsole(id permit.PermissionID) bool {
	return int(id) < len(s.console) && s.console[id]
}

const (
	everBefore = -1 << 62
	everAfter  = 1 << 62
)

// Ever stands for an end that is open.
const Ever = everAfter

// Snapshot is the compiled form of a state. It is immutable and safe for any number of readers.
type Snapshot struct {
	state      *org.State
	tree       *estate.Tree
	catalogue  *permit.Catalogue
	resolved   [][]permit.Resolved   // by TemplateID, then PermissionID
	levels     [][]permit.Level      // the same, levels alone: what Decide reads
	giving     [][]permit.Resolved   // the same, of what its holders can give
	most       [][]permit.Level      // the higher of both, by which standing is judged
	locals     [][]local             // the same, of what it gives otherwise at places
	ever       [][]permit.Level      // the highest level that is given anywhere
	suspect    []bool                // the same: it gives nothing, as what it gives is not known
	hours      []hours.Access        // by TemplateID, a base's where the template states none
	idle       []int                 // the same, of the seconds after which a shared terminal signs somebody out
	needs      []Shown               // the same, of what somebody has to have
	required   [][]qualification.ID  // the same, of what somebody has to be qualified in
	asks       []permit.PermissionID // by PlaceID: what a place asks about; 0: nothing that is in the catalogue
	looking    []permit.PermissionID // by which people are looked after
	console    []bool                // by PermissionID: what this product itself asks about
	requiresAt [][]qualification.ID  // by PlaceID: what a place requires, with those above it
	requiring  []requirement         // the places that require something themselves
	persons    table.Rows[person]
	rolls      rolls
}

// Touched says which parts of a state a change has written.
type Touched struct {
	Staff     []people.StaffID
	Places    bool
	Catalogue bool // permissions, groups, templates or local settings
	Zones     bool // a site's time zone, which moves everybody's dates
	Notices   bool
	Schedules bool
}

// Compile makes the snapshot of a state. It fails only where the place tree is broken.
func Compile(state *org.State) (*Snapshot, error) {
	return (&Snapshot{}).next(state, Touched{Places: true, Catalogue: true, Zones: true, Notices: true,
		Schedules: true})
}

// Next makes the snapshot of the state that follows, compiling again only what was touched.
func (s *Snapshot) Next(state *org.State, touched Touched) (*Snapshot, error) {
	return s.next(state, touched)
}

func (s *Snapshot) next(state *org.State, touched Touched) (*Snapshot, error) {
	n := &Snapshot{state: state, tree: s.tree, catalogue: s.catalogue, resolved: s.resolved, levels: s.levels,
		giving: s.giving, most: s.most, hours: s.hours, idle: s.idle, needs: s.needs, required: s.required,
		console: s.console, locals: s.locals, ever: s.ever, suspect: s.suspect,
		asks: s.asks, looking: s.looking,
		requiring: s.requiring, requiresAt: s.requiresAt,
		persons: s.persons.Fork(), rolls: s.rolls.fork()}
	if touched.Places {
		tree, err := estate.NewTree(state.Places.All())
		if err != nil {
			return nil, err
		}
		n.tree = tree
	}
	if touched.Schedules && !touched.Catalogue {
		n.hours = n.templateHours()
	}
	if touched.Catalogue {
		n.catalogue = permit.NewCatalogue(state.Groups.All(), state.Permissions.All())
		n.console = make([]bool, n.catalogue.Size())
		for permission := range n.catalogue.AllPermissions {
			n.console[permission.ID] = n.catalogue.OfConsole(permission.Group)
		}
		n.resolved = make([][]permit.Resolved, state.Templates.Last()+1)
		n.levels, n.hours, n.idle = make([][]permit.Level, len(n.resolved)), n.templateHours(),
			make([]int, len(n.resolved))
		n.needs = make([]Shown, len(n.resolved))
		n.giving, n.most = make([][]permit.Resolved, len(n.resolved)), make([][]permit.Level, len(n.resolved))
		n.suspect = n.suspects()
		for id, template := range state.Templates.All() {
			n.idle[id] = permit.IdleSecondsOf(template, state.Template)
			for _, need := range permit.NeedsOf(template, state.Template) {
				n.needs[id] |= shownBy(credential.Kind(need))
			}
			n.resolved[id] = n.catalogue.Resolve(template, state.Template)
			n.giving[id] = n.catalogue.ResolveGiving(template, state.Template)
			n.levels[id] = make([]permit.Level, len(n.resolved[id]))
			n.most[id] = make([]permit.Level, len(n.resolved[id]))
			for i, resolved := range n.resolved[id] {
				n.most[id][i] = max(resolved.Level, n.giving[id][i].Level)
				if !n.suspect[id] {
					n.levels[id][i] = resolved.Level
				}
			}
		}
	}
	if touched.Places || touched.Catalogue {
		n.compileLocals()
		n.compileAsked()
	}
	if touched.Places || touched.Catalogue || touched.Notices {
		n.require()
	}
	changes := newRollChanges()
	put := func(staff *people.Staff) {
		compiled := n.compile(staff)
		changes.note(staff.ID, s.person(staff.ID), &compiled)
		n.persons.Put(uint32(staff.ID), compiled)
	}
	var otherwise []people.StaffID
	if touched.Schedules {
		otherwise = s.scheduledOtherwise(n)
		slices.Sort(otherwise)
		otherwise = slices.Compact(otherwise)
	}
	switch {
	case touched.Zones:
		for _, staff := range state.Staff.All() {
			put(staff)
		}
	default:
		for _, id := range touched.Staff {
			if staff := state.Person(id); staff != nil {
				put(staff)
			}
		}
		for _, id := range otherwise {
			if staff := state.Person(id); staff != nil && !slices.Contains(touched.Staff, id) {
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

// compileAsked works out which permission each place asks about, and those by which people are looked after.
func (s *Snapshot) compileAsked() {
	s.asks, s.looking = make([]permit.PermissionID, s.state.Places.Last()+1), nil
	for here := range s.tree.All {
		if asked := s.catalogue.PermissionByKey(here.Place.Asks); asked != nil {
			s.asks[here.Place.ID] = asked.ID
		}
	}
	for _, key := range managed {
		if permission := s.catalogue.PermissionByKey(key); permission != nil {
			s.looking = append(s.looking, permission.ID)
		}
	}
}

// askedAt returns the permission that a place asks about; 0 where it asks about nothing that is in the catalogue.
func (s *Snapshot) askedAt(place estate.PlaceID) permit.PermissionID {
	if int(place) < len(s.asks) {
		return s.asks[place]
	}
	return 0
}

// templateHours works out the access hours of each template.
func (s *Snapshot) templateHours() []hours.Access {
	all := make([]hours.Access, s.state.Templates.Last()+1)
	for id, template := range s.state.Templates.All() {
		stated := permit.HoursOf(template, s.state.Template)
		all[id] = *stated.Resolve(s.state.Schedule)
	}
	return all
}

// scheduledOtherwise returns those who have the hours of a schedule, themselves or in an assignment, that says
// something else in the next snapshot.
func (s *Snapshot) scheduledOtherwise(next *Snapshot) (ids []people.StaffID) {
	differs := func(a *hours.Access) bool {
		return a.Kind == hours.BySchedule && (s.state == nil ||
			s.state.Schedule(a.Schedule) != next.state.Schedule(a.Schedule))
	}
	for _, p := range next.state.Staff.All() {
		if differs(&p.Hours) {
			ids = append(ids, p.ID)
		}
	}
	for _, a := range next.state.Assignments.All() {
		if !a.Ended && differs(&a.Hours) {
			ids = append(ids, a.Staff)
		}
	}
	return ids
}

// requiredOtherwise returns those who have an assignment whose template requires other qualifications in another
// snapshot.
func (s *Snapshot) requiredOtherwise(next *Snapshot) (ids []people.StaffID) {
	differ := false
	for id := range max(len(s.required), len(next.required)) {
		differ = differ || !slices.Equal(s.requires(permit.TemplateID(id)), next.requires(permit.TemplateID(id)))
	}
	if !differ {
		return nil
	}
	for _, a := range next.state.Assignments.All() {
		if !slices.Equal(s.requires(a.Template), next.requires(a.Template)) {
			ids = append(ids, a.Staff)
		}
	}
	slices.Sort(ids)
	return slices.Compact(ids)
}

func (s *Snapshot) compile(staff *people.Staff) person {
	p := person{known: true, owner: staff.Owner, lockSince: everAfter, lockUntil: everAfter}
	location := time.UTC
	if home := s.tree.At(staff.HomeSite); home != nil {
		location = home.Location
	}
	p.span = staff.SpanIn(location)
	p.certificates = s.certificates(staff.ID, location)
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
		if stated, by := Stated(staff, a); by != ByTemplate {
			g.access = stated.Resolve(s.state.Schedule)
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

// AsksAbout reports whether a device that is connected asks about somebody: at, in or around a place where they are
// assigned.
func (s *Snapshot) AsksAbout(d *org.Device, id people.StaffID) bool {
	return !d.Retired && slices.ContainsFunc(s.state.AssignmentsOf(id), func(a org.AssignmentID) bool {
		at := s.state.Assignment(a)
		return !at.Ended && (s.tree.Within(at.Place, d.Place) || s.tree.Within(d.Place, at.Place))
	})
}

// Catalogue returns the catalogue.
func (s *Snapshot) Catalogue() *permit.Catalogue { return s.catalogue }

// Resolved returns what a template says of each permission, by PermissionID.
func (s *Snapshot) Resolved(id permit.TemplateID) []permit.Resolved {
	if int(id) >= len(s.resolved) {
		return nil
	}
	return s.resolved[id]
}

// Giving returns up to which level the holders of a template can give each permission, by PermissionID; where nothing
// is said of it, what they hold.
func (s *Snapshot) Giving(id permit.TemplateID) []permit.Resolved {
	if int(id) >= len(s.giving) {
		return nil
	}
	return s.giving[id]
}

// Most returns, by PermissionID, the most that a template lets its holders do or give.
func (s *Snapshot) Most(id permit.TemplateID) []permit.Level {
	if int(id) >= len(s.most) {
		return nil
	}
	return s.most[id]
}
