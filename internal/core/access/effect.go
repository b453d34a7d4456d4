package access

import (
	"cmp"
	"fmt"
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

// Difference is one person gaining, or losing, a permission at a place. The levels are those before and after, in the
// first stretch of time in which they differ.
type Difference struct {
	Staff      people.StaffID
	Permission permit.PermissionID
	Instead    permit.PermissionID // at a place that asks for another permission than before: the one on the other side
	Place      estate.PlaceID
	// What it comes from: of the assignment that gives or gave it; 0 for exceptions and owners
	Template permit.TemplateID
	Before   permit.Level
	After    permit.Level
	Later    bool  // it begins on a day ahead: with a start, an end, or the end of what is withheld until then
	Until    int64 // the instant from which it is as on the other side again; 0: for good
	Hours    bool  // the hours are what differs, the levels do not
	Proof    bool  // what has to be shown at a door is what differs, or what the person has to show
}

// Effect is what a change changes: who gains what where, and who loses.
type Effect struct {
	Gains  []Difference // ordered by permission, template, levels, place, person; none twice
	Losses []Difference
}

// Gainers returns how many people gain something.
func (e *Effect) Gainers() int { return countStaff(e.Gains) }

// Losers returns how many people lose something.
func (e *Effect) Losers() int { return countStaff(e.Losses) }

func countStaff(shifts []Difference) int {
	seen := make(map[people.StaffID]struct{}, len(shifts))
	for _, shift := range shifts {
		seen[shift.Staff] = struct{}{}
	}
	return len(seen)
}

// GivesSensitive reports whether somebody gains a permission that the catalogue marks sensitive, or passes where such a
// one was asked for.
func (e *Effect) GivesSensitive(catalogue *permit.Catalogue) bool {
	sensitive := func(id permit.PermissionID) bool {
		permission := catalogue.Permission(id)
		return permission != nil && permission.Sensitive
	}
	return slices.ContainsFunc(e.Gains,
		func(shift Difference) bool { return sensitive(shift.Permission) || sensitive(shift.Instead) })
}

// NeedsReason reports whether a change with this effect has to say why: it takes something from somebody, or gives
// somebody something sensitive.
func (e *Effect) NeedsReason(after *permit.Catalogue) bool {
	return len(e.Losses) > 0 || e.GivesSensitive(after)
}

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
	for _, id := range slices.Sorted(maps.Keys(whole)) {
		d.person(id, 0)
		d.proofs(id)
	}
	d.rules(whole)
	for _, id := range slices.Sorted(maps.Keys(moved)) {
		d.place(id)
	}
	for _, id := range asking {
		for _, staff := range d.around(id) {
			d.passing(staff, id)
		}
	}
	return d.done()
}

// Of compares what some people hold in two snapshots, also at doors that ask for something else: what people could give
// there.
func Of(before, after *Snapshot, people []people.StaffID, at int64) Effect {
	d := newDiffer(before, after, at)
	d.atDoors = true
	for _, id := range people {
		d.person(id, 0)
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
	for id := range moved {
		for _, staff := range d.around(id) {
			d.person(staff, id)
		}
		for _, staff := range append(before.Inside(id), after.Inside(id)...) {
			whole[staff] = true
		}
	}
	for id := range whole {
		d.person(id, 0)
	}
	return d.done().Gains
}

// Lifted returns what one person gains of a permission at a place and below it: what comes of no longer withholding it.
func Lifted(before, after *Snapshot, id people.StaffID, permission permit.PermissionID, place estate.PlaceID,
	at int64) []Difference {
	d := newDiffer(before, after, at)
	d.only, d.atDoors = []permit.PermissionID{permission}, true
	d.person(id, place)
	for below := range after.tree.Below(place) {
		if below.Place.ID != place {
			d.person(id, below.Place.ID)
		}
	}
	return d.done().Gains
}

// At returns what people gain or lose at a place and below it by what the place is: where it stands, whether it is in
// use, when it is open, what it asks for and by what proof. It counts permissions that no place there is about today
// too: what people could give there.
func At(before, after *Snapshot, place estate.PlaceID, at int64) Effect {
	d := newDiffer(before, after, at)
	d.atDoors = true
	for _, id := range append(before.Inside(place), after.Inside(place)...) {
		d.person(id, 0)
	}
	for _, id := range d.around(place) {
		d.person(id, place)
	}
	outside := func(shift Difference) bool { return !after.tree.Within(shift.Place, place) }
	d.effect.Gains, d.effect.Losses = slices.DeleteFunc(d.effect.Gains, outside),
		slices.DeleteFunc(d.effect.Losses, outside)
	for _, door := range d.asksBelow(place) {
		for _, id := range d.around(door) {
			d.passing(id, door)
		}
	}
	return d.done()
}

// differ compares people one after another and keeps its lists, so that comparing many allocates little.
type differ struct {
	before, after *Snapshot
	at            int64
	today         day.Date
	only          []permit.PermissionID
	matter        map[permit.PermissionID]bool // what is about the place looked at; nil: all
	atDoors       bool                         // what a door does not ask for counts too
	was, is       []Holding
	gaps          []gap
	covers        map[covering]bool
	effect        Effect
}

// covering is a question whether hours at a place are open whenever others are.
type covering struct {
	access, other   *hours.Access
	opening, others *hours.Opening
}

func newDiffer(before, after *Snapshot, at int64) *differ {
	return &differ{before: before, after: after, at: at, today: day.Of(time.Unix(at, 0).UTC()) - 1,
		covers: map[covering]bool{}}
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

// places returns the places that stand elsewhere, are in use where they were not or the reverse, or are open at other
// hours; and those that ask for something else or by another proof. What is at a new place was given with the place
// above.
func (d *differ) places() (moved map[estate.PlaceID]bool, asking []estate.PlaceID) {
	moved = map[estate.PlaceID]bool{}
	for number := range d.before.state.Places.Differing(&d.after.state.Places) {
		was, is := d.before.state.Places.Get(number), d.after.state.Places.Get(number)
		if was == nil || is == nil {
			continue
		}
		if was.Parent != is.Parent || was.Retired != is.Retired || was.TimeZone != is.TimeZone ||
			!was.Opening.Equal(is.Opening) {
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
	return was.ProofOutside != estate.AnyProof && then != nil && now != nil && !then.Opening.Equal(now.Opening)
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

// place compares what people whose assignments stand at a place or above it hold at it.
func (d *differ) place(id estate.PlaceID) {
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
			if anyKind(permission, kinds) {
				d.matter[permission.ID] = true
			}
		}
	}
	for _, staff := range d.around(id) {
		d.person(staff, id)
	}
	d.matter = nil
}

// rules compares, in the permissions that templates or the catalogue now say otherwise, those whom it concerns and who
// are not compared whole.
func (d *differ) rules(whole map[people.StaffID]bool) {
	if d.before.catalogue == d.after.catalogue && slices.EqualFunc(d.before.hours, d.after.hours,
		func(a, b hours.Access) bool { return hoursAlike(&a, &b) }) {
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
	d.only = permissions
	for _, id := range slices.Sorted(maps.Keys(concerned)) {
		d.person(id, 0)
	}
	d.only = nil
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
			was, is := d.before.level(id, permit.PermissionID(permission)),
				d.after.level(id, permit.PermissionID(permission))
			if was != is || allDiffer && was > 0 {
				templates[id], differs[permission] = true, true
			}
		}
	}
	for permission := range d.after.catalogue.AllPermissions {
		before := d.before.catalogue.Permission(permission.ID)
		if before != nil && (before.Retired != permission.Retired || !slices.Equal(before.Kinds, permission.Kinds)) {
			differs[permission.ID] = true
			for number := range count {
				if id := permit.TemplateID(number); max(d.before.level(id, permission.ID),
					d.after.level(id, permission.ID)) > 0 {
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

// person compares what one person holds: everywhere, or at one place and below.
func (d *differ) person(id people.StaffID, within estate.PlaceID) {
	d.was = d.before.holdings(d.was[:0], id, d.at, d.only, within)
	d.is = d.after.holdings(d.is[:0], id, d.at, d.only, within)
	byPermission := func(a, b Holding) int { return cmp.Compare(a.Permission, b.Permission) }
	slices.SortStableFunc(d.was, byPermission)
	slices.SortStableFunc(d.is, byPermission)
	for was, is := d.was, d.is; len(was) > 0 || len(is) > 0; {
		var permission permit.PermissionID
		switch {
		case len(was) == 0:
			permission = is[0].Permission
		case len(is) == 0:
			permission = was[0].Permission
		default:
			permission = min(was[0].Permission, is[0].Permission)
		}
		var had, has []Holding
		had, was = cut(was, permission)
		has, is = cut(is, permission)
		if d.matter != nil && !d.matter[permission] {
			continue
		}
		instead, lostTo := had, has
		if d.wider(permission, d.before, d.after) { // it means something at more kinds of place than before
			instead = nil
		}
		if d.wider(permission, d.after, d.before) {
			lostTo = nil
		}
		d.effect.Gains = d.uncovered(d.effect.Gains, id, has, instead, side{d, d.after, d.before}, false)
		d.effect.Losses = d.uncovered(d.effect.Losses, id, had, lostTo, side{d, d.before, d.after}, true)
	}
}

// wider reports whether a permission applies to kinds of place in one snapshot that it does not apply to in another.
func (d *differ) wider(id permit.PermissionID, narrow, wide *Snapshot) bool {
	a, b := narrow.catalogue.Permission(id), wide.catalogue.Permission(id)
	return a != nil && a != b && b != nil &&
		slices.ContainsFunc(b.Kinds, func(kind estate.Kind) bool { return !a.AppliesTo(kind) })
}

// cut takes the holdings of one permission off the front of a list.
func cut(list []Holding, permission permit.PermissionID) (of, rest []Holding) {
	n := 0
	for n < len(list) && list[n].Permission == permission {
		n++
	}
	return list[:n], list[n:]
}

// side is one direction of a comparison: what is held in one snapshot, held against what others give in the other.
type side struct {
	*differ
	holds, others *Snapshot
}

// notAsked reports whether a place is a door that asks for something else.
func (s *Snapshot) notAsked(permission permit.PermissionID, place estate.PlaceID) bool {
	here := s.tree.At(place)
	if here == nil || here.Place.Kind != estate.Door {
		return false
	}
	asked := s.catalogue.PermissionByKey(here.Place.Asks)
	return asked == nil || asked.ID != permission
}

// uncovered appends the shifts of each holding that the others do not reach as far as: in place, level, dates and
// hours.
func (d *differ) uncovered(shifts []Difference, id people.StaffID, holdings, others []Holding, way side,
	lost bool) []Difference {
	for i := range holdings {
		h := &holdings[i]
		d.gaps = way.gaps(d.gaps[:0], h, others, d.at)
		for _, g := range d.gaps {
			if !d.atDoors && way.holds.notAsked(h.Permission, g.place) {
				continue
			}
			shift := Difference{Staff: id, Permission: h.Permission, Place: g.place, Template: h.Template,
				Before: min(g.level, h.Level), After: h.Level, Later: g.from > d.at, Hours: g.level >= h.Level}
			if g.until < h.Until {
				shift.Until = g.until
			}
			if lost {
				shift.Before, shift.After = shift.After, shift.Before
			}
			shifts = append(shifts, shift)
		}
	}
	return shifts
}

// gap is a stretch of time in which others do not give, at a place, all that a holding does.
type gap struct {
	place       estate.PlaceID
	from, until int64
	level       permit.Level // what they give there
}

// gaps appends where others do not give, from an instant on, all that a holding does: at its place, and at those below
// where they are withheld. Of each place it is the first stretch of time that counts.
func (w side) gaps(list []gap, h *Holding, others []Holding, at int64) []gap {
	at = max(h.From, at)
	first, tree := len(list), w.others.tree
	whole := w.stretch(h, others, h.Place, at)
	if whole.from < h.Until {
		list = append(list, whole)
	}
	for i := range others {
		for _, x := range others[i].Except {
			if x.Place == h.Place || !tree.Within(x.Place, h.Place) || !w.holds.usable(x.Place) {
				continue
			}
			part := w.stretch(h, others, x.Place, at)
			if part.from >= whole.from && part.from < whole.until { // that is said of the whole
				part = w.stretch(h, others, x.Place, whole.until)
			}
			said := func(g gap) bool {
				return tree.Within(x.Place, g.place) && g.from <= part.from &&
					part.from < g.until
			}
			if part.from < h.Until && !slices.ContainsFunc(list[first:], said) {
				list = append(list, part)
			}
		}
	}
	return list
}

// stretch returns the first stretch of time, from an instant on, in which others do not give at a place what a holding
// does; where there is none, it begins when the holding ends.
func (w side) stretch(h *Holding, others []Holding, place estate.PlaceID, at int64) gap {
	tree := w.others.tree
	for at < h.Until {
		next := max(at, excludedUntil(h.Except, place, at, tree))
		for i := range others {
			if o := &others[i]; o.From <= at && w.wouldReach(o, h, place) {
				next = max(next, o.givenUntil(place, at, tree))
			}
		}
		if next == at {
			break
		}
		at = next
	}
	g := gap{place: place, from: min(at, h.Until), until: h.Until}
	if w.others.usable(place) {
		g.level = levelThere(others, place, at, tree)
	}
	for i := range others {
		if o := &others[i]; o.Until > at && w.wouldReach(o, h, place) {
			if again := max(o.From, excludedUntil(o.Except, place, at, tree)); again > at && again < o.Until {
				g.until = min(g.until, again)
			}
		}
	}
	return g
}

// wouldReach reports whether a holding gives at a place what another does, on the days on which it is held and not
// withheld.
func (w side) wouldReach(o, h *Holding, place estate.PlaceID) bool {
	return o.Level >= h.Level && w.others.tree.Within(place, o.Place) && w.others.usable(place) &&
		w.hoursReach(o, h, place)
}

// usable reports whether a place is there and not retired: at one that is, nothing is given, also by what is given
// above it.
func (s *Snapshot) usable(place estate.PlaceID) bool {
	here := s.tree.At(place)
	return here != nil && !here.Retired
}

// givenUntil returns until when, from an instant on, a holding is held and not withheld at a place.
func (o *Holding) givenUntil(place estate.PlaceID, at int64, tree *estate.Tree) int64 {
	until := o.Until
	for _, x := range o.Except {
		if x.Until > at && tree.Within(place, x.Place) {
			until = min(until, max(x.From, at))
		}
	}
	return max(until, at)
}

// excludedUntil returns until when exclusions that hold at an instant hold at a place; 0 where none does.
func excludedUntil(exclusions []Exclusion, place estate.PlaceID, at int64, tree *estate.Tree) (until int64) {
	for _, x := range exclusions {
		if x.From <= at && at < x.Until && tree.Within(place, x.Place) {
			until = max(until, x.Until)
		}
	}
	return until
}

// levelThere returns the highest level that holdings give at a place at an instant, whatever the hour.
func levelThere(holdings []Holding, place estate.PlaceID, at int64, tree *estate.Tree) (level permit.Level) {
	for i := range holdings {
		o := &holdings[i]
		if o.From <= at && at < o.Until && tree.Within(place, o.Place) &&
			excludedUntil(o.Except, place, at, tree) == 0 {
			level = max(level, o.Level)
		}
	}
	return level
}

// hoursReach reports whether a holding is open at a place whenever another is. What this product itself asks about has
// no hours.
func (w side) hoursReach(o, h *Holding, place estate.PlaceID) bool {
	if o.Hours.Kind == hours.Always {
		return true
	}
	there, here := w.others.tree.At(place), w.holds.tree.At(place)
	if there == nil || here == nil {
		return false
	}
	if there.Location != here.Location && there.Location.String() != here.Location.String() {
		always := hours.Times{Access: o.Hours, Opening: there.Opening}
		return always.Endless() || w.ofConsole(h.Permission)
	}
	if o.Hours == h.Hours && there.Opening == here.Opening {
		return true
	}
	asked := covering{o.Hours, h.Hours, there.Opening, here.Opening}
	covers, known := w.covers[asked]
	if !known {
		covers = hours.Covers([]hours.Times{{Access: o.Hours, Opening: there.Opening}},
			[]hours.Times{{Access: h.Hours, Opening: here.Opening}}, w.today)
		w.covers[asked] = covers
	}
	return covers || w.ofConsole(h.Permission)
}

func (d *differ) ofConsole(id permit.PermissionID) bool {
	permission := d.after.catalogue.Permission(id)
	return permission != nil && d.after.catalogue.OfConsole(permission.Group)
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

// Group is one line of an effect: the people who gain or lose one permission by one template, from one level to
// another.
type Group struct {
	Permission    *permit.Permission
	Template      *permit.Template // nil where it comes from exceptions, or from being an owner
	Before, After permit.Level
	Staff         []people.StaffID // in the order of their numbers
	Places        []estate.PlaceID // of the assignments or exceptions
	Sites         int
	Lost          bool
	Later         bool
	Until         int64
	Hours         bool
	Proof         bool
	Instead       *permit.Permission
}

// Key names the group within its effect.
func (g *Group) Key() string {
	code, sign := "-", "gain"
	if g.Template != nil {
		code = g.Template.Code
	}
	if g.Lost {
		sign = "loss"
	}
	if g.Later {
		sign += "-later"
	}
	if g.Hours {
		sign += "-hours"
	}
	if g.Proof {
		sign += "-proof"
	}
	if g.Instead != nil {
		sign += "-instead-" + g.Instead.Key
	}
	if g.Until != 0 {
		sign += fmt.Sprint("-until-", g.Until)
	}
	return fmt.Sprintf("%s:%s:%s:%d:%d", sign, g.Permission.Key, code, g.Before, g.After)
}

// Groups puts the shifts of an effect together as people read them, the largest first. The snapshot is one in which
// what shifts is known: the one after for gains, the one before for losses.
func (s *Snapshot) Groups(shifts []Difference, lost bool) []Group {
	var groups []Group
	for i := 0; i < len(shifts); {
		first, sites := shifts[i], map[estate.PlaceID]bool{}
		g := Group{Permission: s.catalogue.Permission(first.Permission), Template: s.state.Template(first.Template),
			Before: first.Before, After: first.After, Lost: lost, Later: first.Later, Until: first.Until,
			Hours: first.Hours,
			Proof: first.Proof, Instead: s.catalogue.Permission(first.Instead)}
		for ; i < len(shifts) && alike(first, shifts[i]); i++ {
			g.Staff = append(g.Staff, shifts[i].Staff)
			if n := len(g.Places); n == 0 || g.Places[n-1] != shifts[i].Place {
				g.Places = append(g.Places, shifts[i].Place)
				if here := s.tree.At(shifts[i].Place); here != nil {
					sites[here.Site.ID] = true
				}
			}
		}
		g.Sites = len(sites)
		slices.Sort(g.Staff)
		g.Staff = slices.Compact(g.Staff)
		if g.Permission != nil {
			groups = append(groups, g)
		}
	}
	slices.SortStableFunc(groups, func(a, b Group) int { return cmp.Compare(len(b.Staff), len(a.Staff)) })
	return groups
}

func alike(a, b Difference) bool {
	return a.Permission == b.Permission && a.Template == b.Template && a.Before == b.Before && a.After == b.After &&
		a.Later == b.Later && a.Until == b.Until && a.Hours == b.Hours && a.Proof == b.Proof && a.Instead == b.Instead
}
