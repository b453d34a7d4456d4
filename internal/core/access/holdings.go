package access

import (
	"slices"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

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

// Holdings returns all that somebody holds now or later: nothing while locked or after leaving.
func (s *Snapshot) Holdings(id people.StaffID, at int64) []Holding {
	return s.holdings(nil, id, at, nil, 0)
}

// OnRecord returns all that somebody's record gives them from an instant on, whatever keeps them from using it: a
// lock, a bar, a start ahead, an ended contract, having left, a qualification that they lack, or a place that is
// retired for now; with all that they can give by it. By it is judged who may stand over them.
func (s *Snapshot) OnRecord(id people.StaffID, at int64) []Holding {
	p := s.person(id)
	if p == nil {
		return nil
	}
	return s.holdingsOf(nil, p.freed(), at, nil, 0, true)
}

// freed is somebody whom nothing keeps from using what their record gives them: no lock, no bar, no dates of their own.
func (p *person) freed() *person {
	freed := *p
	freed.span, freed.lockSince, freed.lockUntil = people.Span{Start: everBefore, Contract: everAfter, Gone: everAfter},
		everAfter, everAfter
	freed.exceptions = slices.DeleteFunc(slices.Clone(p.exceptions), func(x exception) bool { return x.bar != 0 })
	return &freed
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

// HoursHeld returns the access hours of all by which somebody holds a permission at a place, now or later.
func (s *Snapshot) HoursHeld(id people.StaffID, permission permit.PermissionID, place estate.PlaceID,
	at int64) (list []*hours.Access) {
	for _, h := range s.holdings(nil, id, at, []permit.PermissionID{permission}, place) {
		list = append(list, h.Hours)
	}
	return list
}

// holdingsOf is holdings for somebody's compiled form; onRecord counts retired places, and what can be given beside
// what can be done.
func (s *Snapshot) holdingsOf(list []Holding, p *person, at int64, only []permit.PermissionID, within estate.PlaceID,
	onRecord bool) []Holding {
	if within != 0 {
		if here := s.tree.At(within); here == nil || here.Retired && !onRecord {
			return list
		}
	}
	end, kept := min(p.span.Gone, p.span.Contract), p
	if !onRecord {
		kept = s.withoutCertificates(p)
	}
	hold := func(h Holding) {
		h.From, h.Until = max(h.From, p.span.Start), min(h.Until, end)
		if within != 0 {
			if !s.tree.Within(within, h.Place) || slices.ContainsFunc(h.Except, func(x Exclusion) bool {
				return s.tree.Within(within, x.Place)
			}) {
				return
			}
			h.Place = within
			h.Except = slices.DeleteFunc(slices.Clone(h.Except), func(x Exclusion) bool {
				return !s.tree.Within(x.Place, within)
			})
		}
		if h.Owner {
			list = s.held(list, p, h, 0, at)
		} else {
			list = s.held(list, kept, h, 0, at)
		}
	}
	var pieces []piece
	grants := p.grants()
	for i := range grants {
		g := &grants[i]
		here := s.tree.At(g.place)
		if here == nil || here.Retired && !onRecord || int(g.template) >= len(s.levels) {
			continue
		}
		h := Holding{Template: g.template, Assignment: g.assignment, Hours: s.accessOf(g)}
		fit := []stretch{{g.from, g.until}} // what is required is left out with what is retired
		if !onRecord {
			fit = s.fit(p, g)
		}
		each := func(id permit.PermissionID) {
			least := permit.Level(0)
			if onRecord {
				least = s.givesApart(g.template, id)
			}
			if least == 0 && s.mayGiveEver(g.template, id) == 0 || !s.meansSomething(id, here.Place) {
				return
			}
			for _, held := range fit {
				during := *g
				during.from, during.until = held.from, held.until
				pieces = s.pieces(pieces, &during, id, least)
				for i := range pieces {
					h.Permission, h.Level, h.Place = id, pieces[i].level, pieces[i].place
					h.Except = slices.Clip(pieces[i].except)
					h.From, h.Until = pieces[i].during.from, pieces[i].during.until
					hold(h)
				}
			}
		}
		if only == nil {
			for permission := range s.ever[g.template] {
				each(permit.PermissionID(permission))
			}
		}
		for _, permission := range only {
			each(permission)
		}
	}
	counts := func(id permit.PermissionID) bool { return only == nil || slices.Contains(only, id) }
	for i := range p.exceptions {
		if x := &p.exceptions[i]; !x.withheld && counts(x.permission) {
			if here := s.tree.At(x.place); here != nil && (onRecord || !here.Retired) && s.inUse(x.permission) {
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
			for here := range s.tree.Tops {
				if onRecord || !here.Retired {
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
		if !s.excludes(x, h.Permission) || x.until <= max(at, h.From) || x.from >= h.Until {
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
