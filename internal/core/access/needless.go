package access

import (
	"slices"

	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Redundant is why an exception changes nothing.
type Redundant uint8

// The reasons. The zero Redundant says that the exception is needed.
const (
	Needed Redundant = iota
	RunOut
	WorksNoLonger
	PermissionRetired
	NothingToWithhold
	GivenByTemplate
	HeldWithout
)

// Redundant says why an exception changes nothing from an instant on: it has run out, or the person's templates give or
// refuse the same without it; of what a template gives, it says which.
func (s *Snapshot) Redundant(id org.ExceptionID, at int64) (why Redundant, template permit.TemplateID) {
	e := s.state.Exception(id)
	if e == nil || e.Ended {
		return Needed, 0
	}
	p := s.person(e.Staff)
	if p == nil {
		return Needed, 0
	}
	var x *exception
	for i := range p.exceptions {
		if p.exceptions[i].number == id {
			x = &p.exceptions[i]
		}
	}
	switch {
	case x == nil:
		return Needed, 0
	case at >= x.until:
		return RunOut, 0
	case at >= min(p.span.Gone, p.span.Contract):
		return WorksNoLonger, 0
	case !s.inUse(x.permission):
		return PermissionRetired, 0
	}
	alone, spared := s.without(p, x.number, e.Staff)
	others := alone.holdings(nil, e.Staff, at, []permit.PermissionID{x.permission}, 0)
	if x.withheld {
		for i := range others {
			h := &others[i]
			if h.From < x.until && h.Until > x.from &&
				(s.tree.Within(h.Place, x.place) || s.tree.Within(x.place, h.Place)) {
				return Needed, 0
			}
		}
		return NothingToWithhold, 0
	}
	own := Holding{Permission: x.permission, Place: x.place, Level: x.level, From: max(x.from, at, p.span.Start),
		Until: min(x.until, p.span.Gone, p.span.Contract), Hours: inherited}
	for _, h := range alone.held(nil, spared, own, 0, at) {
		if len((side{newDiffer(s, s, at), s, s}).gaps(nil, &h, others, at)) > 0 {
			return Needed, 0
		}
	}
	for i := range others {
		if t := s.state.Template(others[i].Template); t != nil && others[i].Level >= x.level &&
			s.tree.Within(x.place, others[i].Place) {
			return GivenByTemplate, t.ID
		}
	}
	return HeldWithout, 0
}

// IsRedundant reports whether an exception changes nothing from an instant on.
func (s *Snapshot) IsRedundant(id org.ExceptionID, at int64) bool {
	why, _ := s.Redundant(id, at)
	return why != Needed
}

// DiffersFrom returns the templates that an exception differs from: those its person has at its place, above it or
// below it, in the order of their numbers.
func (s *Snapshot) DiffersFrom(id org.ExceptionID) []permit.TemplateID {
	e := s.state.Exception(id)
	p := s.person(e.Staff)
	if p == nil {
		return nil
	}
	var templates []permit.TemplateID
	grants := p.grants()
	for i := range grants {
		if g := &grants[i]; s.tree.Within(e.Place, g.place) || s.tree.Within(g.place, e.Place) {
			templates = append(templates, g.template)
		}
	}
	slices.Sort(templates)
	return slices.Compact(templates)
}

// without returns the snapshot of one person alone, as they would be if one of their exceptions were not there.
func (s *Snapshot) without(p *person, number org.ExceptionID, id people.StaffID) (*Snapshot, *person) {
	spared := *p
	spared.exceptions = nil
	for _, x := range p.exceptions {
		if x.number != number {
			spared.exceptions = append(spared.exceptions, x)
		}
	}
	// A lock passes: it makes nobody's exception redundant.
	spared.lockSince, spared.lockUntil = everAfter, everAfter
	alone := &Snapshot{state: s.state, tree: s.tree, catalogue: s.catalogue, levels: s.levels, hours: s.hours,
		required: s.required}
	alone.persons.Put(uint32(id), spared)
	return alone, &spared
}
