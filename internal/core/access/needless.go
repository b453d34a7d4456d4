package access

import (
	"slices"

	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/table"
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
	with, without := s.alone(p, e.Staff, 0), s.alone(p, e.Staff, x.number)
	d := newDiffer(without, with, at)
	d.only, d.atDoors = []permit.PermissionID{x.permission}, true
	d.person(e.Staff, 0, true)
	effect := d.done()
	switch {
	case len(effect.Gains)+len(effect.Losses) > 0:
		return Needed, 0
	case x.withheld:
		return NothingToWithhold, 0
	}
	for i := range p.grants() {
		g := &p.grants()[i]
		if t := s.state.Template(g.template); t != nil && s.level(g.template, x.permission, x.place, max(at,
			x.from)) >= x.level &&
			at < g.until && s.tree.Within(x.place, g.place) {
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

// alone returns the snapshot of one person alone, as they would be if one of their exceptions were not there; 0 leaves
// none out. A lock passes, and makes nobody's exception redundant: they are taken as not locked.
func (s *Snapshot) alone(p *person, id people.StaffID, without org.ExceptionID) *Snapshot {
	spared := *p
	spared.exceptions = slices.DeleteFunc(slices.Clone(p.exceptions), func(x exception) bool {
		return x.number == without && x.bar == 0
	})
	spared.lockSince, spared.lockUntil = everAfter, everAfter
	alone := *s
	alone.persons, alone.rolls = table.Rows[person]{}, rolls{}
	alone.persons.Put(uint32(id), spared)
	return &alone
}
