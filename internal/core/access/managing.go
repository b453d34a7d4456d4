package access

import (
	"slices"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Managing is whom one manager can no longer manage, or can from now on: whether they may assign people, or issue
// credentials, at the home site of somebody, and can give all that this person has on record. It is judged by what is
// on record on both sides: a manager who is locked for a day has not lost their people.
type Managing struct {
	Manager people.StaffID
	Staff   []people.StaffID // in the order of their numbers
	Lost    bool
	// Of what is lost, the first permission that is in the way and where; 0 where they look after the site no longer
	Permission permit.PermissionID
	Place      estate.PlaceID
}

// managed are the permissions by which somebody looks after people at their home site.
var managed = []string{permit.AssignStaff, permit.IssueCredentials}

// ManagingBetween returns who can no longer manage whom, and who can from now on, by what differs between two
// snapshots: what people have, what templates give and let be given, and where places stand. Who came on record in
// between is left out. Ordered by manager, what is lost first.
func ManagingBetween(before, after *Snapshot, at int64) []Managing {
	d := newManagement(before, after)
	managers, subjects := d.few(at)
	if d.many() {
		managers, subjects = d.scan(at, d.differs)
	}
	var list []Managing
	bySite := d.atHome(subjects)
	var everybody map[estate.PlaceID][]people.StaffID
	for _, id := range sortedStaff(managers) {
		whom := bySite
		if managers[id] { // what they can do or give differs
			if everybody == nil {
				_, all := d.scan(at, func(people.StaffID) bool { return true })
				everybody = d.atHome(all)
			}
			whom = everybody
		}
		list = append(list, d.compare(id, managers[id], whom, at)...)
	}
	return list
}

// atHome sorts people by their home site, on both sides where it differs. A manager is asked about those alone whose
// home site they look after: most look after one.
func (d *management) atHome(ids []people.StaffID) map[estate.PlaceID][]people.StaffID {
	at := map[estate.PlaceID][]people.StaffID{}
	for _, id := range ids {
		was, is := d.before.state.Person(id).HomeSite, d.after.state.Person(id).HomeSite
		if at[is] = append(at[is], id); was != is {
			at[was] = append(at[was], id)
		}
	}
	return at
}

// management finds whose authority, and whose access on record, may differ between two snapshots.
type management struct {
	before, after *Snapshot
	everybody     bool // places were moved, or a permission has come to mean something elsewhere
	touched       map[people.StaffID]bool
	otherwise     []bool // by TemplateID: it gives, or lets be given, something else
}

func newManagement(before, after *Snapshot) *management {
	touched := Between(before.state, after.state)
	d := &management{before: before, after: after, everybody: touched.Zones, touched: map[people.StaffID]bool{}}
	for _, id := range touched.Staff {
		if d.inBoth(id) && d.recordDiffers(id) {
			d.touched[id] = true
		}
	}
	if touched.Catalogue {
		for id := range before.state.Permissions.Differing(&after.state.Permissions) {
			was, is := before.state.Permissions.Get(id), after.state.Permissions.Get(id)
			d.everybody = d.everybody || was != nil && is != nil && (was.Retired != is.Retired ||
				was.Key != is.Key || !slices.Equal(was.Kinds, is.Kinds))
		}
		d.otherwise = make([]bool, max(len(before.most), len(after.most)))
		for id := range d.otherwise {
			t := permit.TemplateID(id)
			d.otherwise[id] = !sameLevels(before.Resolved(t), after.Resolved(t)) ||
				!sameLevels(before.Giving(t), after.Giving(t)) || !slices.Equal(before.localsOf(t), after.localsOf(t))
		}
	}
	return d
}

func (d *management) inBoth(id people.StaffID) bool {
	return d.before.person(id) != nil && d.after.person(id) != nil && d.before.state.Person(id) != nil
}

// recordDiffers reports whether somebody belongs elsewhere, or has other assignments or exceptions. What keeps them
// from using these is of no account here.
func (d *management) recordDiffers(id people.StaffID) bool {
	was, is := d.before.state.Person(id), d.after.state.Person(id)
	if was.HomeSite != is.HomeSite || was.Owner != is.Owner {
		return true
	}
	p, q := d.before.person(id), d.after.person(id)
	withoutBars := func(of []exception) []exception {
		return slices.DeleteFunc(slices.Clone(of), func(x exception) bool { return x.bar != 0 })
	}
	return !slices.EqualFunc(p.grants(), q.grants(), func(a, b grant) bool {
		return a.place == b.place && a.template == b.template && a.from == b.from && a.until == b.until
	}) || !slices.Equal(withoutBars(p.exceptions), withoutBars(q.exceptions))
}

// many reports whether templates or places differ, so that it may be about anybody.
func (d *management) many() bool { return d.everybody || slices.Contains(d.otherwise, true) }

// few returns those whose records differ, and who may look after them: whether what these can do or give differs.
func (d *management) few(at int64) (managers map[people.StaffID]bool, subjects []people.StaffID) {
	managers = map[people.StaffID]bool{}
	for _, id := range sortedStaff(d.touched) {
		if d.before.manages(d.before.person(id)) || d.after.manages(d.after.person(id)) {
			managers[id] = true
		}
		if d.after.Status(id, at) == people.Left {
			continue
		}
		subjects = append(subjects, id)
		for _, s := range [2]*Snapshot{d.before, d.after} {
			for _, near := range s.candidates(s.state.Person(id).HomeSite) {
				if d.inBoth(near) && !managers[near] && s.manages(s.person(near)) {
					managers[near] = false
				}
			}
		}
	}
	return managers, subjects
}

// scan looks at everybody: who manages people, and whether what they can do or give differs, and of whom that is asked.
func (d *management) scan(at int64, asked func(people.StaffID) bool) (managers map[people.StaffID]bool,
	subjects []people.StaffID) {
	managers = map[people.StaffID]bool{}
	for number := range d.after.persons.Numbers {
		id := people.StaffID(number)
		if !d.inBoth(id) {
			continue
		}
		if d.before.manages(d.before.person(id)) || d.after.manages(d.after.person(id)) {
			managers[id] = d.differs(id)
		}
		if d.after.person(id).span.Status(at) != people.Left && asked(id) {
			subjects = append(subjects, id)
		}
	}
	return managers, subjects
}

func (d *management) differs(id people.StaffID) bool {
	if d.everybody || d.touched[id] {
		return true
	}
	for _, s := range [2]*Snapshot{d.before, d.after} {
		for _, g := range s.person(id).grants() {
			if int(g.template) < len(d.otherwise) && d.otherwise[g.template] {
				return true
			}
		}
	}
	return false
}

// manages reports whether somebody has, by an assignment or an exception, a permission by which people are looked after
// anywhere. Owners manage everybody.
func (s *Snapshot) manages(p *person) bool {
	for _, permission := range s.looking {
		given := func(g grant) bool { return s.mayGiveEver(g.template, permission) > 0 }
		added := func(x exception) bool { return !x.withheld && x.permission == permission }
		if p.owner || slices.ContainsFunc(p.grants(), given) || slices.ContainsFunc(p.exceptions, added) {
			return true
		}
	}
	return false
}

func sortedStaff(of map[people.StaffID]bool) []people.StaffID {
	ids := make([]people.StaffID, 0, len(of))
	for id := range of {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	return ids
}

// sameLevels reports whether a template says the same of every permission on both sides.
func sameLevels(before, after []permit.Resolved) bool {
	level := func(of []permit.Resolved, i int) permit.Level {
		if i < len(of) {
			return of[i].Level
		}
		return 0
	}
	for i := range max(len(before), len(after)) {
		if level(before, i) != level(after, i) {
			return false
		}
	}
	return true
}

// compare compares whom one manager can manage, of some people by their home sites; differs says that what the manager
// can do or give may differ.
func (d *management) compare(manager people.StaffID, differs bool, atHome map[estate.PlaceID][]people.StaffID,
	at int64) []Managing {
	was, is := d.before.authority(manager, at), d.after.authority(manager, at)
	var whom []people.StaffID
	for site, ids := range atHome {
		if was.everybody() || is.everybody() || was.looksAfter(site) || is.looksAfter(site) {
			whom = append(whom, ids...)
		}
	}
	slices.Sort(whom)
	whom = slices.Compact(whom)
	lost, gained := Managing{Manager: manager, Lost: true}, Managing{Manager: manager}
	for _, id := range whom {
		if id == manager {
			continue
		}
		could, can, known := false, false, false
		if !differs {
			could, can, known = d.both(was, is, id)
		}
		if !known {
			could, can = was.manages(id), is.manages(id)
		}
		switch {
		case could && !can:
			if len(lost.Staff) == 0 {
				lost.Permission, lost.Place = is.missing(id)
			}
			lost.Staff = append(lost.Staff, id)
		case can && !could:
			gained.Staff = append(gained.Staff, id)
		}
	}
	var list []Managing
	for _, of := range []Managing{lost, gained} {
		if len(of.Staff) > 0 {
			list = append(list, of)
		}
	}
	return list
}

// both says whether a manager, whose own authority does not differ, manages somebody who has assignments alone, on
// either side; known is false where it has to be asked. What templates say as before is asked on one side, and only
// where it matters.
func (d *management) both(was, is *authority, id people.StaffID) (could, can, known bool) {
	p, q := d.before.person(id), d.after.person(id)
	if d.everybody || d.touched[id] || was.freed == nil || was.freed.owner || p == nil || q == nil ||
		len(p.exceptions)+len(q.exceptions) > 0 {
		return false, false, false
	}
	if p.owner || !was.looksAfter(d.before.state.Person(id).HomeSite) {
		return false, false, true
	}
	could, can = d.gives(was, p, true), d.gives(is, q, true)
	if could != can && !d.gives(was, p, false) {
		return false, false, true
	}
	return could, can, true // where both are the same it does not matter what else there is
}

// gives reports whether a manager can give all that somebody has by templates that say something else than before, or
// by all others.
func (d *management) gives(of *authority, holds *person, otherwise bool) bool {
	grants := holds.grants()
	for i := range grants {
		g := &grants[i]
		differs := int(g.template) < len(d.otherwise) && d.otherwise[g.template]
		if differs == otherwise && g.until > of.at && !of.gives(g) {
			return false
		}
	}
	return true
}

// authority is what one manager can give, kept for asking about many people. What they can give by assignments alone
// depends on which of these stand above a place, and not on the place: most answers are found among those known.
type authority struct {
	s       *Snapshot
	id      people.StaffID
	at      int64
	freed   *person // nil where they are not on record
	local   bool    // what they can give differs by local settings
	homes   map[estate.PlaceID]bool
	byCover [][]covered // by TemplateID: what is known
	byPlace map[placed]bool
}

// covered says whether a template can be given at a kind of place that some of a manager's assignments stand above.
type covered struct {
	cover uint64
	kind  estate.Kind
	can   bool
}

type placed struct {
	place       estate.PlaceID
	template    permit.TemplateID
	from, until int // between which turns of the template's local settings
}

func (s *Snapshot) authority(id people.StaffID, at int64) *authority {
	a := &authority{s: s, id: id, at: at, homes: map[estate.PlaceID]bool{},
		byCover: make([][]covered, len(s.most)), byPlace: map[placed]bool{}}
	if p := s.person(id); p != nil {
		a.freed = p.freed()
		a.local = slices.ContainsFunc(p.grants(), func(g grant) bool { return len(s.localsOf(g.template)) > 0 })
	}
	return a
}

// manages reports whether the manager looks after somebody's home site and can give all that they have on record.
func (a *authority) manages(id people.StaffID) bool {
	p, staff := a.s.person(id), a.s.state.Person(id)
	switch {
	case a.freed == nil || p == nil || staff == nil:
		return false
	case a.freed.owner:
		return true
	case p.owner || !a.looksAfter(staff.HomeSite):
		return false
	}
	if slices.ContainsFunc(p.exceptions, func(x exception) bool { return x.bar == 0 }) {
		permission, _ := a.beyond(id)
		return permission == 0
	}
	for _, g := range p.grants() {
		if g.until > a.at && !a.gives(&g) {
			return false
		}
	}
	return true
}

// missing returns what keeps the manager from managing somebody: the first permission that they cannot give, and where.
func (a *authority) missing(id people.StaffID) (permit.PermissionID, estate.PlaceID) {
	p, staff := a.s.person(id), a.s.state.Person(id)
	if a.freed == nil || p == nil || p.owner || !a.looksAfter(staff.HomeSite) {
		return 0, 0
	}
	return a.beyond(id)
}

// beyond returns the first that somebody has on record and the manager cannot give.
func (a *authority) beyond(id people.StaffID) (permit.PermissionID, estate.PlaceID) {
	for _, h := range a.s.OnRecord(id, a.at) {
		if all, _ := a.givesUpTo(h.Permission, h.Place); all < h.Level {
			return h.Permission, h.Place
		}
	}
	return 0, 0
}

// everybody reports whether the manager is an owner, who manages everybody.
func (a *authority) everybody() bool { return a.freed != nil && a.freed.owner }

func (a *authority) looksAfter(home estate.PlaceID) bool {
	if a.freed == nil {
		return false
	}
	if does, known := a.homes[home]; known {
		return does
	}
	does := slices.ContainsFunc(a.s.looking, func(permission permit.PermissionID) bool {
		return a.s.recordLevel(a.freed, a.id, permission, home, a.at, false) > 0
	})
	a.homes[home] = does
	return does
}

// gives reports whether the manager can give all that an assignment gives and lets be given.
func (a *authority) gives(g *grant) bool {
	here := a.s.tree.At(g.place)
	if here == nil {
		return true // of a place that is set aside nobody has anything
	}
	if len(a.freed.exceptions) > 0 || len(a.freed.grants()) > 64 || a.local || len(a.s.localsOf(g.template)) > 0 {
		key := placed{place: g.place, template: g.template}
		key.from, key.until = a.s.localTurns(g, a.at)
		can, known := a.byPlace[key]
		if !known {
			can = a.all(g, here)
			a.byPlace[key] = can
		}
		return can
	}
	cover := uint64(0)
	mine := a.freed.grants()
	for i := range mine {
		if a.at >= mine[i].from && a.at < mine[i].until && a.s.tree.Within(g.place, mine[i].place) {
			cover |= 1 << i
		}
	}
	if int(g.template) >= len(a.byCover) {
		return a.all(g, here)
	}
	for i := range a.byCover[g.template] {
		if known := &a.byCover[g.template][i]; known.cover == cover && known.kind == here.Place.Kind {
			return known.can
		}
	}
	can := a.all(g, here)
	a.byCover[g.template] = append(a.byCover[g.template], covered{cover, here.Place.Kind, can})
	return can
}

func (a *authority) all(g *grant, here *estate.Standing) bool {
	for _, of := range a.s.givesWithin(g, a.at) {
		if a.s.meansSomething(of.Permission, here.Place) {
			if most, _ := a.givesUpTo(of.Permission, of.Place); most < of.Level {
				return false
			}
		}
	}
	return true
}

// GivesOnRecord returns what says up to which level somebody can give a permission by their record, whatever keeps them
// from it now: at a place and all below it, and at the place itself, also where it is withheld from them below.
func (s *Snapshot) GivesOnRecord(id people.StaffID, at int64) func(permit.PermissionID,
	estate.PlaceID) (all, there permit.Level) {
	a := s.authority(id, at)
	return func(permission permit.PermissionID, place estate.PlaceID) (all, there permit.Level) {
		if a.freed == nil {
			return 0, 0
		}
		return a.givesUpTo(permission, place)
	}
}

// givesUpTo is up to which level the manager can give a permission at a place and all below it, as MayGive says it, by
// the record, and at the place itself.
func (a *authority) givesUpTo(id permit.PermissionID, place estate.PlaceID) (all, there permit.Level) {
	there = a.s.recordLevel(a.freed, a.id, id, place, a.at, true)
	for i := range a.freed.exceptions {
		if x := &a.freed.exceptions[i]; x.withheld && x.about(id) && a.at < x.until && a.s.tree.Within(x.place, place) {
			return 0, there
		}
	}
	return a.s.lowestBelow(a.freed, id, place, there, func(below estate.PlaceID) permit.Level {
		return a.s.recordLevel(a.freed, a.id, id, below, a.at, true)
	}), there
}
