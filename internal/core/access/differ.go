package access

import (
	"cmp"
	"maps"
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// Diff compares two snapshots: who gains what where, and who loses, from an instant on. What differs between them is
// found by comparing them, whatever it was that a change wrote: people, templates, catalogue, places or credentials. At
// a door it names what that door asks for and nothing else.
func Diff(before, after *Snapshot, at int64) Effect {
	d := newDiffer(before, after, at)
	whole := d.people()
	moved, asking := d.places()
	for id := range moved {
		for _, staff := range append(before.Inside(id), after.Inside(id)...) {
			whole[staff] = true
		}
	}
	d.moved = slices.Sorted(maps.Keys(moved))
	for _, id := range slices.Sorted(maps.Keys(whole)) {
		d.person(id, 0, true)
		d.shown(id)
	}
	d.rules(whole)
	for _, id := range d.moved {
		d.place(id, whole)
	}
	for _, id := range asking {
		d.effect.Opened = d.effect.Opened || d.opens(id)
		for _, staff := range d.around(id) {
			d.door(staff, id, false)
		}
	}
	return d.done()
}

// DiffPeople compares what some people hold in two snapshots, also at doors that ask for something else: what people
// could give there.
func DiffPeople(before, after *Snapshot, people []people.StaffID, at int64) Effect {
	d := newDiffer(before, after, at)
	d.atDoors = true
	for _, id := range people {
		d.person(id, 0, true)
	}
	return d.done()
}

// Freed returns what people gain by what places and templates no longer ask of them, also at doors that ask for
// something else: what people could give there.
func Freed(before, after *Snapshot, at int64) []Difference {
	d := newDiffer(before, after, at)
	d.atDoors = true
	whole := d.people()
	moved, _ := d.places()
	d.moved = slices.Sorted(maps.Keys(moved))
	for _, id := range d.moved {
		for _, staff := range d.around(id) {
			d.person(staff, id, false)
		}
		for _, staff := range append(before.Inside(id), after.Inside(id)...) {
			whole[staff] = true
		}
	}
	for _, id := range slices.Sorted(maps.Keys(whole)) {
		d.person(id, 0, true)
	}
	return d.done().Gains
}

// Lifted returns what one person gains of a permission at a place and below it: what comes of no longer withholding it.
func Lifted(before, after *Snapshot, id people.StaffID, permission permit.PermissionID, place estate.PlaceID,
	at int64) []Difference {
	d := newDiffer(before, after, at)
	d.only, d.atDoors = []permit.PermissionID{permission}, true
	for below := range after.tree.Below(place) {
		d.person(id, below.Place.ID, false)
	}
	return d.done().Gains
}

// At returns what people gain or lose at a place and below it by what the place is: where it stands, whether it is in
// use, when it is open, what it asks for and by what proof. It counts permissions that no place there is about today
// too: what people could give there.
func At(before, after *Snapshot, place estate.PlaceID, at int64) Effect {
	d := newDiffer(before, after, at)
	d.atDoors = true
	// Also what somebody has on record without what is required for it: they could give it on
	for _, d.onRecord = range []bool{false, true} {
		for _, id := range append(before.Inside(place), after.Inside(place)...) {
			d.person(id, 0, true)
		}
		for _, id := range d.around(place) {
			d.person(id, place, false)
		}
	}
	d.onRecord = false
	outside := func(shift Difference) bool { return !after.tree.Within(shift.Place, place) }
	d.effect.Gains, d.effect.Losses = slices.DeleteFunc(d.effect.Gains, outside),
		slices.DeleteFunc(d.effect.Losses, outside)
	for _, door := range d.asksBelow(place) {
		for _, id := range d.around(door) {
			d.door(id, door, false)
		}
	}
	return d.done()
}

// differ compares people one after another. It keeps its lists, so that comparing many allocates little.
type differ struct {
	before, after *Snapshot
	at            int64
	today         day.Date
	only          []permit.PermissionID
	templates     map[permit.TemplateID]bool   // with only: the templates by which something differs; nil: any
	matter        map[permit.PermissionID]bool // what is about the place looked at; nil: all
	atDoors       bool                         // what a door does not ask for counts too, whatever is shown
	onRecord      bool                         // with atDoors: what is required of people is left out
	moved         []estate.PlaceID             // places that are otherwise than before
	covers        map[covering]bool
	effect        Effect
	told          map[people.StaffID][]told

	// Places that have hours of their own, that require something, and doors that ask about a permission of this
	// product, which has no hours but at a door
	ownHours, requiring, consoleDoors []estate.PlaceID
	surveyed                          bool

	was, is held // of the person who is compared
	whose   people.StaffID
	turns   []int64
	may     []bool
	list    []permit.PermissionID
	edges   []estate.PlaceID
	hours   []estate.PlaceID
}

// covering is a question whether hours at a place are open whenever others are.
type covering struct {
	access, other   *hours.Access
	opening, others *hours.Opening
}

// turning is a question when hours at a place turn next.
type turning struct {
	access   *hours.Access
	opening  *hours.Opening
	location *time.Location
	at       int64
}

func newDiffer(before, after *Snapshot, at int64) *differ {
	d := &differ{before: before, after: after, at: at, today: day.Of(time.Unix(at, 0).UTC()) - 1,
		covers: map[covering]bool{}, told: map[people.StaffID][]told{}}
	// Many people have the same hours at the same places: when those turn is worked out once
	turned := map[turning]int64{}
	d.was.turned, d.is.turned = turned, turned
	return d
}

// people returns those whose own records or credentials say something else than before.
func (d *differ) people() map[people.StaffID]bool {
	differ := map[people.StaffID]bool{}
	for number := range d.before.persons.Differing(&d.after.persons) {
		id := people.StaffID(number)
		was, is := d.before.person(id), d.after.person(id)
		if was != is && (was == nil || is == nil || !was.same(is)) {
			differ[id] = true
		}
	}
	for _, id := range d.before.requiredOtherwise(d.after) {
		differ[id] = true
	}
	was, is := d.before.state, d.after.state
	for number := range was.Credentials.Differing(&is.Credentials) {
		for _, state := range []*org.State{was, is} {
			if c := state.Credential(credential.ID(number)); c != nil {
				differ[c.Staff] = true
			}
		}
	}
	return differ
}

// same reports whether two compiled forms give the same.
func (p *person) same(o *person) bool {
	return p.known == o.known && p.span == o.span && p.lockSince == o.lockSince && p.lockUntil == o.lockUntil &&
		p.owner == o.owner && slices.Equal(p.certificates, o.certificates) &&
		slices.Equal(p.exceptions, o.exceptions) && slices.EqualFunc(p.grants(), o.grants(), func(a, b grant) bool {
		alike := a.access == b.access || a.access != nil && b.access != nil && hoursAlike(a.access, b.access)
		a.access, b.access = nil, nil
		return alike && a == b
	})
}

func hoursAlike(a, b *hours.Access) bool {
	return a.Kind == b.Kind && a.BeforeMinutes == b.BeforeMinutes && a.AfterMinutes == b.AfterMinutes &&
		slices.Equal(a.Rules, b.Rules)
}

// places returns the places that stand elsewhere, are something else, are in use where they were not or the reverse, or
// are open at other hours; and those that ask for something else or by another proof. What is at a new place was given
// with the place above.
func (d *differ) places() (moved map[estate.PlaceID]bool, asking []estate.PlaceID) {
	moved = map[estate.PlaceID]bool{}
	for number := range d.before.state.Places.Differing(&d.after.state.Places) {
		was, is := d.before.state.Places.Get(number), d.after.state.Places.Get(number)
		if was == nil || is == nil {
			continue
		}
		if was.Parent != is.Parent || was.Retired != is.Retired || was.TimeZone != is.TimeZone ||
			was.Kind != is.Kind || !was.Opening.Equal(is.Opening) {
			moved[is.ID] = true
		}
		asking = append(asking, d.asksBelow(is.ID)...)
	}
	was, is := d.before.ownRequired(), d.after.ownRequired()
	for _, required := range []map[estate.PlaceID][]qualification.ID{was, is} {
		for id := range required {
			if !slices.Equal(was[id], is[id]) && d.before.tree.At(id) != nil && d.after.tree.At(id) != nil {
				moved[id] = true
			}
		}
	}
	slices.Sort(asking)
	return moved, slices.Compact(asking)
}

func (d *differ) asksOtherwise(id estate.PlaceID) bool {
	was, is := d.before.state.Place(id), d.after.state.Place(id)
	if was == nil || is == nil {
		return false
	}
	if was.Asks != is.Asks || was.Proof != is.Proof || was.ProofOutside != is.ProofOutside {
		return true
	}
	then, now := d.before.tree.At(id), d.after.tree.At(id)
	return was.ProofOutside != estate.AnyProof && then != nil && now != nil &&
		(!then.Opening.Equal(now.Opening) || then.Location.String() != now.Location.String())
}

// opens reports whether a door that asked about something sensitive asks about something else now, or for a proof that
// is easier at some hour.
func (d *differ) opens(id estate.PlaceID) bool {
	was, is := d.before.state.Place(id), d.after.state.Place(id)
	asked := d.before.catalogue.PermissionByKey(was.Asks)
	if was.Kind != estate.Door || asked == nil || !asked.Sensitive {
		return false
	}
	all := ShownPIN | ShownBadge
	return was.Asks != is.Asks || waysFor(all, is)&^waysFor(all, was) != 0 ||
		was.ProofOutside != estate.AnyProof && !d.before.tree.At(id).Opening.Equal(d.after.tree.At(id).Opening)
}

// asksBelow returns the doors at a place and below it that ask otherwise than before.
func (d *differ) asksBelow(id estate.PlaceID) (doors []estate.PlaceID) {
	for below := range d.after.tree.Below(id) {
		if d.asksOtherwise(below.Place.ID) {
			doors = append(doors, below.Place.ID)
		}
	}
	return doors
}

// around returns those who may hold something at a place in either snapshot.
func (d *differ) around(id estate.PlaceID) []people.StaffID {
	ids := append(d.before.candidates(id), d.after.candidates(id)...)
	slices.Sort(ids)
	return slices.Compact(ids)
}

// place compares what people whose assignments stand at a place or above it hold at it, but those who are compared
// whole.
func (d *differ) place(id estate.PlaceID, whole map[people.StaffID]bool) {
	d.matter = map[permit.PermissionID]bool{}
	for _, s := range []*Snapshot{d.before, d.after} {
		kinds := map[estate.Kind]bool{}
		for here := range s.tree.Below(id) {
			if here.Place.Kind != estate.Door {
				kinds[here.Place.Kind] = true
			} else if asked := s.catalogue.PermissionByKey(here.Place.Asks); asked != nil {
				d.matter[asked.ID] = true
			}
		}
		for permission := range s.catalogue.AllPermissions {
			if anyKind(permission, kinds) || len(kinds) > 0 && s.ofConsole(permission.ID) {
				d.matter[permission.ID] = true
			}
		}
	}
	for _, staff := range d.around(id) {
		if !whole[staff] {
			d.person(staff, id, false)
		}
	}
	d.matter = nil
}

// rules compares, in the permissions that templates or the catalogue now say otherwise, those whom it concerns and who
// are not compared whole.
func (d *differ) rules(whole map[people.StaffID]bool) {
	if d.before.catalogue == d.after.catalogue && slices.EqualFunc(d.before.hours, d.after.hours,
		func(a, b hours.Access) bool { return hoursAlike(&a, &b) }) &&
		slices.EqualFunc(d.before.locals, d.after.locals, slices.Equal) {
		return
	}
	templates, permissions := d.changedTemplates()
	if len(permissions) == 0 {
		return
	}
	concerned := map[people.StaffID]bool{}
	for _, a := range d.after.state.Assignments.All() {
		if templates[a.Template] && !a.Ended && !whole[a.Staff] {
			concerned[a.Staff] = true
		}
	}
	for _, e := range d.after.state.Exceptions.All() {
		if slices.Contains(permissions, e.Permission) && !e.Ended && !whole[e.Staff] {
			concerned[e.Staff] = true
		}
	}
	for _, id := range d.before.rolls.owners {
		if slices.Contains(d.after.rolls.owners, id) { // they hold whatever is in the catalogue, and are not told of it
			delete(concerned, id)
		}
	}
	d.only, d.templates = permissions, templates
	for _, id := range slices.Sorted(maps.Keys(concerned)) {
		d.person(id, 0, false)
	}
	d.only, d.templates = nil, nil
	d.kinds()
}

// kinds compares, where permissions now apply to other kinds of place, what people hold at places of those kinds.
func (d *differ) kinds() {
	for permission := range d.after.catalogue.AllPermissions {
		was := d.before.catalogue.Permission(permission.ID)
		if was == nil || was.Retired || permission.Retired || slices.Equal(was.Kinds, permission.Kinds) ||
			d.after.ofConsole(permission.ID) { // what this product asks about it asks of any place
			continue
		}
		for here := range d.after.tree.All {
			if was.AppliesTo(here.Place.Kind) == permission.AppliesTo(here.Place.Kind) {
				continue
			}
			for _, id := range d.around(here.Place.ID) {
				if slices.Contains(d.before.rolls.owners, id) && slices.Contains(d.after.rolls.owners, id) {
					continue
				}
				if d.isDoor(here.Place.ID) {
					d.door(id, here.Place.ID, false)
				} else {
					d.compare(id, permission.ID, permission.ID, here.Place.ID, asking{strict: true})
				}
			}
		}
	}
}

// changedTemplates returns the templates that give something else than before, and the permissions in which they do.
func (d *differ) changedTemplates() (templates map[permit.TemplateID]bool, permissions []permit.PermissionID) {
	templates = map[permit.TemplateID]bool{}
	differs := make([]bool, max(d.before.catalogue.Size(), d.after.catalogue.Size()))
	count := max(len(d.before.levels), len(d.after.levels))
	for number := range count {
		id := permit.TemplateID(number)
		allDiffer := !hoursAlike(d.before.TemplateHours(id), d.after.TemplateHours(id))
		for permission := range differs {
			was, is := d.before.ownLevel(id, permit.PermissionID(permission)),
				d.after.ownLevel(id, permit.PermissionID(permission))
			if was != is || allDiffer && d.before.mayGiveEver(id, permit.PermissionID(permission)) > 0 {
				templates[id], differs[permission] = true, true
			}
		}
		if was, is := d.before.localsOf(id), d.after.localsOf(id); !slices.Equal(was, is) {
			templates[id] = true
			for _, l := range slices.Concat(was, is) {
				differs[l.permission] = true
			}
		}
	}
	for permission := range d.after.catalogue.AllPermissions {
		before := d.before.catalogue.Permission(permission.ID)
		if before != nil && (before.Retired != permission.Retired || !slices.Equal(before.Kinds, permission.Kinds) ||
			before.Scale.Highest() != permission.Scale.Highest() ||
			d.before.ofConsole(permission.ID) != d.after.ofConsole(permission.ID)) {
			differs[permission.ID] = true
			for number := range count {
				if id := permit.TemplateID(number); max(d.before.mayGiveEver(id, permission.ID),
					d.after.mayGiveEver(id, permission.ID)) > 0 {
					templates[id] = true
				}
			}
		}
	}
	for id, differ := range differs {
		if differ {
			permissions = append(permissions, permit.PermissionID(id))
		}
	}
	return templates, permissions
}

// given is one thing that gives somebody a permission at a place, while nothing turns.
type given struct {
	level    permit.Level
	access   *hours.Access
	template permit.TemplateID
}

// held is what somebody holds of a permission at a place while nothing turns: by what, and at a door by showing what.
type held struct {
	gives      []given
	permission permit.PermissionID
	ways       ways // everyWay where it is no door, or where it does not matter what is shown
	opening    *hours.Opening
	location   *time.Location
	console    bool // it has no hours
	door       bool
	turned     map[turning]int64 // what was worked out before; everAfter where hours never turn
}

// everyWay is to show anything, at any hour.
const everyWay ways = 1<<(2*outside) - 1

// level returns the highest level that is held, whatever the hour.
func (h *held) level() (level permit.Level) {
	for i := range h.gives {
		level = max(level, h.gives[i].level)
	}
	return level
}

// waysAt returns the ways at an instant, as those within opening hours.
func (h *held) waysAt(at int64) ways {
	if h.ways.nightDiffers() && !inherited.Open(h.opening, h.location, at) {
		return h.ways >> outside
	}
	return h.ways & (1<<outside - 1)
}

// levelAt returns the level at an instant, hours counted.
func (h *held) levelAt(at int64) (level permit.Level) {
	if len(h.gives) == 0 || h.waysAt(at) == 0 {
		return 0
	}
	for i := range h.gives {
		if g := &h.gives[i]; g.level > level && g.access.Open(h.opening, h.location, at) {
			level = g.level
		}
	}
	return level
}

// turnsAfter returns the first instant after one at which levelAt or waysAt may change; everAfter where none is known.
func (h *held) turnsAfter(at int64) int64 {
	turn := int64(everAfter)
	next := func(access *hours.Access) {
		asked := turning{access, h.opening, h.location, at}
		known, ok := h.turned[asked]
		if !ok {
			known = everAfter
			if change, ever := access.NextChange(h.opening, h.location, at); ever {
				known = change.Unix()
			}
			h.turned[asked] = known
		}
		turn = min(turn, known)
	}
	for i := range h.gives {
		next(h.gives[i].access)
	}
	if h.ways.nightDiffers() {
		next(inherited)
	}
	return turn
}

// template returns the one by which the highest level is held; 0 where that is no assignment's.
func (h *held) template() (id permit.TemplateID) {
	level := permit.Level(0)
	for i := range h.gives {
		if g := &h.gives[i]; g.level > level {
			level, id = g.level, g.template
		}
	}
	return id
}

// asking says how what somebody holds is looked at.
type asking struct {
	bare     bool // also what a door does not ask for, whatever is shown there: what could be given
	strict   bool // at a zone or a site only what applies to it: else it counts for what stands below, now or later
	onRecord bool // what is required of people is left out
	// At a door at which it is given: whoever has nothing to show there, before and after, is told of all the same
	given bool
}

// hold works out what somebody holds of a permission at a place at an instant, access hours left open. It says what
// Decide says.
func (s *Snapshot) hold(h *held, id people.StaffID, permission permit.PermissionID, place estate.PlaceID, at int64,
	how asking) {
	h.gives, h.permission, h.ways, h.console = h.gives[:0], permission, everyWay, s.ofConsole(permission)
	p, here := s.person(id), s.tree.At(place)
	if p == nil || p.stands(at) != Granted || here == nil || here.Retired || !s.inUse(permission) {
		return
	}
	h.opening, h.location, h.door = here.Opening, here.Location, here.Place.Kind == estate.Door
	h.console = h.console && (how.bare || !h.door) // whatever a door asks about, it asks at an hour
	if !how.bare && !h.console && (how.strict || !here.Place.Kind.HoldsOthers()) && !s.meantAt(permission,
		here.Place.Kind) {
		return
	}
	if here.Place.Kind == estate.Door && !how.bare {
		if asked := s.askedAt(place); asked == 0 || asked != permission {
			return
		}
		h.ways = waysFor(s.HasToShow(id, at), here.Place)
	}
	for i := range p.exceptions {
		if x := &p.exceptions[i]; x.withheld && x.about(permission) && at >= x.from && at < x.until &&
			s.tree.Within(place, x.place) {
			return
		}
	}
	give := func(level permit.Level, access *hours.Access, template permit.TemplateID) {
		if level > 0 {
			if h.console {
				access = always
			}
			h.gives = append(h.gives, given{level, access, template})
		}
	}
	if p.owner { // who holds everything, whatever else is given to them
		give(s.highest(permission), always, 0)
		return
	}
	if !how.onRecord && s.unfit(p, permission, place, at) != Granted {
		return
	}
	for i := range p.exceptions {
		if x := &p.exceptions[i]; !x.withheld && x.permission == permission && at >= x.from && at < x.until &&
			s.tree.Within(place, x.place) {
			give(x.level, inherited, 0)
		}
	}
	for i := range p.grants() {
		if g := &p.grants()[i]; s.tree.Within(place, g.place) && at >= g.from && at < g.until &&
			(how.onRecord || p.wants(s.requires(g.template), at) == Granted) {
			give(s.level(g.template, permission, place, at), s.accessOf(g), g.template)
		}
	}
}

// exceeds reports whether somebody may do more by what is held than by what was held, at some instant from one on and
// before another, between which nothing turns in either.
func (d *differ) exceeds(is, was *held, from, until int64) bool {
	if len(is.gives) == 0 || is.ways == 0 || d.covered(is, was) {
		return false
	}
	for at, steps := from, 0; at < until; steps++ {
		if is.levelAt(at) > was.levelAt(at) {
			return true
		}
		if at = min(is.turnsAfter(at), was.turnsAfter(at)); steps >= mostSides {
			return until >= everAfter && exceedsEver(is, was, from)
		}
	}
	return false
}

// exceedsEver is exceeds from an instant on without end, for hours that have been gone through for long without finding
// a difference: it may come with dated hours that lie further ahead.
func exceedsEver(is, was *held, from int64) bool {
	if is.ways.nightDiffers() || was.ways.nightDiffers() ||
		was.location != nil && is.location.String() != was.location.String() {
		return false
	}
	for _, g := range is.gives {
		if _, ever := g.access.NextOpen(is.opening, is.location, from); !ever {
			continue
		}
		var others []hours.Times
		for _, w := range was.gives {
			if w.level >= g.level {
				others = append(others, hours.Times{Access: w.access, Opening: was.opening})
			}
		}
		if !hours.Covers(others, []hours.Times{{Access: g.access, Opening: is.opening}},
			day.Of(time.Unix(from, 0).UTC())+3) { // what lies nearer has been gone through
			return true
		}
	}
	return false
}

// covered reports whether all that is held was held too, whenever it is open: what can be seen without going through
// the hours.
func (d *differ) covered(is, was *held) bool {
	return is.ways&^was.ways == 0 && !was.ways.nightDiffers() && d.givesWhenever(is, was)
}

// givesWhenever reports whether whatever gives what is held is matched, whenever it is open, by something that gave as
// much, by showing whatever it takes.
func (d *differ) givesWhenever(is, was *held) bool {
	zone := is.location == was.location || is.location != nil && was.location != nil &&
		is.location.String() == was.location.String()
	return !slices.ContainsFunc(is.gives, func(g given) bool {
		return !slices.ContainsFunc(was.gives, func(w given) bool {
			return w.level >= g.level && (w.access.Kind == hours.Always || zone && d.whenever(w.access, was.opening,
				g.access, is.opening))
		})
	})
}

// whenever reports whether hours at a place are open whenever others are, in the same time zone.
func (d *differ) whenever(open *hours.Access, opening *hours.Opening, other *hours.Access, others *hours.Opening) bool {
	if opening == others && (open == other || hoursAlike(open, other)) {
		return true
	}
	asked := covering{open, other, opening, others}
	covers, known := d.covers[asked]
	if !known {
		covers = hours.Covers([]hours.Times{{Access: open, Opening: opening}},
			[]hours.Times{{Access: other, Opening: others}}, d.today)
		d.covers[asked] = covers
	}
	return covers
}

// easier reports whether somebody passes, at an instant at which they do in both, showing something with which they did
// not pass before.
func (d *differ) easier(is, was *held, from, until int64) bool {
	if is.ways == was.ways && (!is.ways.nightDiffers() ||
		is.opening.Equal(was.opening) && is.location.String() == was.location.String()) {
		return false
	}
	for at, steps := from, 0; at < until && steps < mostSides; steps++ {
		if is.levelAt(at) > 0 && was.levelAt(at) > 0 && is.waysAt(at)&^was.waysAt(at) != 0 {
			return true
		}
		at = min(is.turnsAfter(at), was.turnsAfter(at))
	}
	return false
}

// shown compares, for somebody whose credentials differ, how they pass each door.
func (d *differ) shown(id people.StaffID) {
	differ := false
	for _, at := range d.turnsOf(id) {
		differ = differ || d.before.HasToShow(id, at) != d.after.HasToShow(id, at)
	}
	if !differ {
		return
	}
	for here := range d.after.tree.All {
		if here.Place.Kind == estate.Door && d.before.tree.At(here.Place.ID) != nil {
			d.door(id, here.Place.ID, false)
		}
	}
}

// run gathers the first stretch of time, of those in which nothing turns, in which something differs without a break.
type run struct {
	found       *Difference
	from, until int64
}

// note goes on to the next stretch. Where what differed ends because it is no longer held, that is its own end, and no
// return to what is on the other side.
func (r *run) note(differs bool, at int64, holds, other *held, made func(holds, other *held) *Difference) {
	switch {
	case differs && r.found == nil:
		r.found, r.from, r.until = made(holds, other), at, everAfter
	case !differs && r.found != nil && r.until == everAfter:
		if r.until = at; len(holds.gives) > 0 {
			r.found.Until = at
		}
	}
}

// compare compares what one person holds at a place, of a permission before and of one after, which are the same but at
// a door that asks for another. It adds the first stretch of time in which they hold more, and the first in which less.
// It reports whether something differs for a while that nobody feels there, as the place is closed all that time: it
// may be felt below, where hours are others.
func (d *differ) compare(id people.StaffID, before, after permit.PermissionID, place estate.PlaceID,
	how asking) (hidden bool) {
	var gain, loss, easier, harder run
	was, is := &d.was, &d.is
	turns := d.turnsOf(id)
	for i, at := range turns {
		until := int64(everAfter)
		if i+1 < len(turns) {
			until = turns[i+1]
		}
		d.before.hold(was, id, before, place, at, how)
		d.after.hold(is, id, after, place, at, how)
		if how.given && is.ways|was.ways == 0 {
			is.ways, was.ways = everyWay, everyWay
		}
		more, less := d.exceeds(is, was, at, until), d.exceeds(was, is, at, until)
		if how.bare { // what is given counts at whichever hour it may be used one day
			more, less = more || is.level() > was.level(), less || was.level() > is.level()
		}
		if before != after && len(is.gives) > 0 && len(was.gives) > 0 { // levels of two permissions do not compare
			more, less = d.passes(is, was, at, until), d.passes(was, is, at, until)
		}
		hidden = hidden || !more && !less && !slices.Equal(is.gives, was.gives)
		differs := func(holds, other *held) *Difference {
			made := Difference{Staff: id, Permission: holds.permission, Place: place, Template: holds.template(),
				Before: min(other.level(), holds.level()), After: holds.level(), Later: at > d.at}
			switch {
			case before != after:
				made.Before, made.Instead = 0, other.permission
			case other.level() >= holds.level():
				made.Proof = holds.door && other.door && d.givesWhenever(holds, other)
				made.Hours = !made.Proof
			}
			return &made
		}
		byProof := func(holds, other *held) *Difference {
			made := differs(holds, other)
			made.Hours, made.Proof = false, true
			return made
		}
		both := !how.bare && is.door && was.door && len(is.gives) > 0 && len(was.gives) > 0
		gain.note(more, at, is, was, differs)
		loss.note(less, at, was, is, differs)
		easier.note(both && !more && d.easier(is, was, at, until), at, is, was, byProof)
		harder.note(both && !less && d.easier(was, is, at, until), at, was, is, byProof)
	}
	for _, r := range [2]run{gain, easier} {
		d.tell(&r, false)
	}
	for _, r := range [2]run{loss, harder} {
		d.tell(&r, true)
	}
	return hidden
}

// passes reports whether somebody passes, at some instant, where they do not in the other.
func (d *differ) passes(is, was *held, from, until int64) bool {
	for at, steps := from, 0; at < until && steps < mostSides; steps++ {
		if is.levelAt(at) > 0 && was.levelAt(at) == 0 {
			return true
		}
		at = min(is.turnsAfter(at), was.turnsAfter(at))
	}
	return false
}

// told is what is told of one person already.
type told struct {
	Difference
	from, until int64
	lost        bool
}

// tell adds what a run has found, unless the same is told already of a place above: what holds there holds below.
func (d *differ) tell(r *run, lost bool) {
	if r.found == nil {
		return
	}
	tree := d.after.tree
	if lost {
		tree = d.before.tree
	}
	id := r.found.Staff
	for i := range d.told[id] {
		t := &d.told[id][i]
		if t.lost == lost && t.Permission == r.found.Permission && t.Instead == r.found.Instead &&
			t.from <= r.from && r.from < t.until && tree.Within(r.found.Place, t.Place) &&
			t.After == r.found.After && t.Before <= r.found.Before && t.Proof == r.found.Proof {
			return
		}
	}
	d.told[id] = append(d.told[id], told{*r.found, r.from, r.until, lost})
	if lost {
		r.found.Before, r.found.After = r.found.After, r.found.Before
		d.effect.Losses = append(d.effect.Losses, *r.found)
	} else {
		d.effect.Gains = append(d.effect.Gains, *r.found)
	}
}

// turnsOf returns the instants at which what somebody may do can change, in either snapshot.
func (d *differ) turnsOf(id people.StaffID) []int64 {
	if d.whose != id || len(d.turns) == 0 {
		d.whose = id
		d.turns = append(append(d.turns[:0], d.before.turns(id, d.at)...), d.after.turns(id, d.at)...)
		slices.Sort(d.turns)
		d.turns = slices.Compact(d.turns)
	}
	return d.turns
}

// person compares what one person holds: everywhere, or, where within is set, at that place alone and what differs from
// it below. whole says that their own records differ.
func (d *differ) person(id people.StaffID, within estate.PlaceID, whole bool) {
	permissions := d.permissionsOf(id)
	if len(permissions) == 0 {
		return
	}
	how := asking{bare: d.atDoors, onRecord: d.onRecord}
	places, below := d.placesOf(id, within, whole)
	alike := within == 0 && len(d.moved) == 0 && d.hoursAlike(id)
	for _, permission := range permissions {
		if d.matter != nil && !d.matter[permission] {
			continue
		}
		hidden := false
		for _, place := range places {
			if !d.isDoor(place) || d.atDoors {
				hidden = d.compare(id, permission, permission, place, how) || hidden
			}
		}
		for _, place := range below {
			if hidden || !alike {
				d.compare(id, permission, permission, place, how)
			}
		}
	}
	for _, place := range places {
		if d.isDoor(place) && !d.atDoors {
			d.door(id, place, d.isGivenAt(id, place))
		}
	}
}

func (d *differ) isDoor(place estate.PlaceID) bool {
	was, is := d.before.tree.At(place), d.after.tree.At(place)
	return was != nil && was.Place.Kind == estate.Door || is != nil && is.Place.Kind == estate.Door
}

// isGivenAt reports whether somebody has an assignment or an exception at a place itself, or a template by which what
// the door asks about is set there.
func (d *differ) isGivenAt(id people.StaffID, place estate.PlaceID) bool {
	for _, s := range [2]*Snapshot{d.before, d.after} {
		if p := s.person(id); p != nil &&
			(slices.ContainsFunc(p.grants(), func(g grant) bool {
				return g.place == place || s.tree.Within(place, g.place) && s.isSetAt(g.template, place)
			}) ||
				slices.ContainsFunc(p.exceptions, func(x exception) bool { return x.place == place && x.bar == 0 })) {
			return true
		}
	}
	return false
}

// door compares how one person passes a door, by what it asks for in each snapshot. A place that is a door in one of
// them alone is compared as what it is in either. given says that they have an assignment or an exception there.
func (d *differ) door(id people.StaffID, place estate.PlaceID, given bool) {
	asks := func(s *Snapshot) (permission permit.PermissionID) {
		if here := s.tree.At(place); here != nil && here.Place.Kind == estate.Door {
			return s.askedAt(place)
		}
		return 0
	}
	was, is := d.before.tree.At(place), d.after.tree.At(place)
	if was == nil || is == nil || was.Place.Kind != is.Place.Kind {
		for _, permission := range d.permissionsOf(id) {
			d.compare(id, permission, permission, place, asking{})
		}
		return
	}
	before, after := asks(d.before), asks(d.after)
	if (before != 0 || after != 0) && d.atDoors {
		d.compare(id, before, after, place, asking{bare: true})
	}
	if before != 0 || after != 0 {
		d.compare(id, before, after, place, asking{given: given})
	}
}

// permissionsOf returns what somebody may hold of anything in either snapshot, in the order of the numbers.
func (d *differ) permissionsOf(id people.StaffID) []permit.PermissionID {
	if d.only != nil {
		return d.only
	}
	size := max(d.before.catalogue.Size(), d.after.catalogue.Size())
	d.may = slices.Grow(d.may[:0], size)[:size]
	clear(d.may)
	for _, s := range [2]*Snapshot{d.before, d.after} {
		p := s.person(id)
		if p == nil {
			continue
		}
		for i := range p.grants() {
			if t := int(p.grants()[i].template); t < len(s.ever) {
				for permission, level := range s.ever[t] {
					d.may[permission] = d.may[permission] || level > 0
				}
			}
		}
		for i := range p.exceptions {
			if x := &p.exceptions[i]; !x.withheld && int(x.permission) < size {
				d.may[x.permission] = true
			}
		}
		if p.owner {
			for permission := range s.catalogue.Permissions {
				d.may[permission.ID] = true
			}
		}
	}
	d.list = d.list[:0]
	for permission, may := range d.may {
		if may {
			d.list = append(d.list, permit.PermissionID(permission))
		}
	}
	return d.list
}

// placesOf returns the places that between them show all that somebody holds, those above others first: where what they
// hold begins, and, below that, where it may be other than above; and apart from them those below that differ by their
// opening hours alone. A place not among them is as the nearest above it.
func (d *differ) placesOf(id people.StaffID, within estate.PlaceID, whole bool) (places, byHours []estate.PlaceID) {
	d.survey()
	places, owner := d.edges[:0], false
	for _, s := range [2]*Snapshot{d.before, d.after} {
		p := s.person(id)
		if p == nil {
			continue
		}
		owner = owner || p.owner
		add := func(place estate.PlaceID) {
			if within == 0 || s.tree.Within(place, within) {
				places = append(places, place)
			}
		}
		p.places(add)
		for i := range p.grants() {
			g := &p.grants()[i]
			s.localPlaces(g.template, 0, g.place, add)
		}
	}
	switch {
	case within != 0:
		places = append(places, within)
	case owner:
		for _, s := range [2]*Snapshot{d.before, d.after} {
			for here := range s.tree.Tops {
				places = append(places, here.Place.ID)
			}
		}
	}
	tops := len(places)
	stands := func(place estate.PlaceID) bool {
		return slices.ContainsFunc(places[:tops], func(top estate.PlaceID) bool {
			return top != place && (d.after.tree.Within(place, top) || d.before.tree.Within(place, top))
		})
	}
	add := func(list []estate.PlaceID) {
		for _, place := range list {
			if stands(place) {
				places = append(places, place)
			}
		}
	}
	if within != 0 || whole || owner {
		add(d.requiring)
	}
	if within == 0 {
		add(d.moved)
	}
	add(d.consoleDoors)
	byHours = d.hours[:0]
	for _, place := range d.ownHours {
		if stands(place) {
			byHours = append(byHours, place)
		}
	}
	if within == 0 && d.templates != nil {
		places, byHours = d.byTemplates(id, places), d.byTemplates(id, byHours)
	}
	byDepth := func(a, b estate.PlaceID) int { return cmp.Or(cmp.Compare(d.depth(a), d.depth(b)), cmp.Compare(a, b)) }
	slices.SortFunc(places, byDepth)
	slices.SortFunc(byHours, byDepth)
	places = slices.Compact(places)
	d.edges, d.hours = places, byHours
	return places, byHours
}

// byTemplates leaves, of some places, those at which somebody may hold something else by the templates that differ:
// where they have one of these, and below. Whoever has an exception about what differs may anywhere.
func (d *differ) byTemplates(id people.StaffID, places []estate.PlaceID) []estate.PlaceID {
	for _, s := range [2]*Snapshot{d.before, d.after} {
		if p := s.person(id); p != nil && (p.owner || slices.ContainsFunc(p.exceptions, func(x exception) bool {
			return x.bar == 0 && slices.Contains(d.only, x.permission)
		})) {
			return places
		}
	}
	return slices.DeleteFunc(places, func(place estate.PlaceID) bool {
		for _, s := range [2]*Snapshot{d.before, d.after} {
			if p := s.person(id); p != nil {
				for i := range p.grants() {
					if g := &p.grants()[i]; d.templates[g.template] && s.tree.Within(place, g.place) {
						return false
					}
				}
			}
		}
		return true
	})
}

func (d *differ) depth(place estate.PlaceID) int {
	if here := d.after.tree.At(place); here != nil {
		return here.Depth
	}
	return 0
}

// survey notes, once, the places that may be otherwise, below what somebody holds, than what is above.
func (d *differ) survey() {
	if d.surveyed {
		return
	}
	d.surveyed = true
	hoursAt, requires := map[estate.PlaceID]bool{}, map[estate.PlaceID]bool{}
	for _, s := range [2]*Snapshot{d.before, d.after} {
		for here := range s.tree.All {
			if here.Place.Parent != 0 && here.Place.Opening != nil {
				hoursAt[here.Place.ID] = true
			}
			if asked := s.askedAt(here.Place.ID); here.Place.Kind == estate.Door && asked != 0 && s.ofConsole(asked) &&
				!slices.Contains(d.consoleDoors, here.Place.ID) {
				d.consoleDoors = append(d.consoleDoors, here.Place.ID)
			}
		}
		for i := range s.requiring {
			requires[s.requiring[i].place] = true
		}
	}
	d.ownHours, d.requiring = slices.Sorted(maps.Keys(hoursAt)), slices.Sorted(maps.Keys(requires))
}

// hoursAlike reports whether all by which somebody holds anything has the same hours, in both snapshots: then no place
// below shows a difference of hours that does not show above.
func (d *differ) hoursAlike(id people.StaffID) bool {
	var first *hours.Access
	alike := true
	see := func(access *hours.Access) {
		if first == nil {
			first = access
		}
		alike = alike && (access == first || hoursAlike(access, first))
	}
	for _, s := range [2]*Snapshot{d.before, d.after} {
		p := s.person(id)
		if p == nil {
			continue
		}
		for i := range p.grants() {
			see(s.accessOf(&p.grants()[i]))
		}
		for i := range p.exceptions {
			if !p.exceptions[i].withheld {
				see(inherited)
			}
		}
		if p.owner {
			see(always)
		}
	}
	return alike
}

func (d *differ) done() Effect {
	order := func(a, b Difference) int {
		return cmp.Or(cmp.Compare(a.Permission, b.Permission), cmp.Compare(a.Instead, b.Instead),
			cmp.Compare(a.Template, b.Template), cmp.Compare(a.Before, b.Before),
			cmp.Compare(a.After, b.After), compareBool(a.Later, b.Later), cmp.Compare(a.Until, b.Until),
			compareBool(a.Hours, b.Hours), compareBool(a.Proof, b.Proof),
			cmp.Compare(a.Place, b.Place), cmp.Compare(a.Staff, b.Staff))
	}
	slices.SortFunc(d.effect.Gains, order)
	slices.SortFunc(d.effect.Losses, order)
	d.effect.Gains, d.effect.Losses = slices.Compact(d.effect.Gains), slices.Compact(d.effect.Losses)
	return d.effect
}

func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case b:
		return -1
	}
	return 1
}
