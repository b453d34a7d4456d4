package access

import (
	"cmp"
	"slices"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// PlaceLook is what somebody would meet at one place at one moment: a door that opens or stays shut, or what a terminal
// there would offer them.
type PlaceLook struct {
	Standing *estate.Standing
	Door     *Question // of what a door asks; nil where the place is no door
	Offers   []Ability // of a device or a work centre, or what counts in a zone or site as a whole
}

// Look returns what somebody would meet at a place and below it at an instant, access hours counted, in the order of
// the tree. Nobody signs in as anybody for it.
func (s *Snapshot) Look(id people.StaffID, place estate.PlaceID, at int64) []PlaceLook {
	atDoors := map[string]bool{}
	for here := range s.tree.All {
		if here.Place.Kind == estate.Door {
			atDoors[here.Place.Asks] = true
		}
	}
	var sights []PlaceLook
	for here := range s.tree.Below(place) {
		if here.Retired {
			continue
		}
		sight := PlaceLook{Standing: here}
		asked := s.catalogue.PermissionByKey(here.Place.Asks)
		if here.Place.Kind == estate.Door && asked != nil {
			sight.Door = &Question{Staff: id, Permission: asked.ID, Place: here.Place.ID, At: at, Proves: true}
		}
		for permission := range s.catalogue.Permissions {
			// What doors ask about is not offered at them, and managers' permissions are offered by the console, not by
			// a terminal.
			if !permission.AppliesTo(here.Place.Kind) || here.Place.Kind == estate.Door && atDoors[permission.Key] ||
				here.Place.Kind != estate.Site && here.Place.Kind != estate.Organisation &&
					s.catalogue.OfConsole(permission.Group) {
				continue
			}
			if d := s.Decide(&Question{Staff: id, Permission: permission.ID, Place: here.Place.ID, At: at}); d.Allowed {
				sight.Offers = append(sight.Offers, Ability{Permission: permission, Level: d.Level})
			}
		}
		sights = append(sights, sight)
	}
	return sights
}

// Origin says what a cell of the grid rests on.
type Origin string

// The origins.
const (
	FromNothing   Origin = ""
	FromTemplate  Origin = "template"
	FromLocal     Origin = "local" // a local setting of the template
	FromException Origin = "added"
	IsWithheld    Origin = "withheld"
	FromOwner     Origin = "owner"
	FromBelow     Origin = "below" // not at the place as a whole, but at some place below it
)

// Cell is what one person holds of one permission at one place, access hours left out.
type Cell struct {
	Level  permit.Level
	Origin Origin
}

// Cell returns what somebody is entitled to of a permission at a place; where that is nothing, the highest level they
// hold somewhere below it.
func (s *Snapshot) Cell(id people.StaffID, permission permit.PermissionID, place estate.PlaceID, at int64) Cell {
	d := s.Entitled(id, permission, place, at)
	switch {
	case d.Owner:
		return Cell{d.Level, FromOwner}
	case d.Allowed && d.Exception != 0:
		return Cell{d.Level, FromException}
	case d.Allowed && s.setLocally(&d, permission, place, at):
		return Cell{d.Level, FromLocal}
	case d.Allowed:
		return Cell{d.Level, FromTemplate}
	case d.Reason == Withheld:
		return Cell{0, IsWithheld}
	}
	p := s.person(id)
	if p == nil || d.Reason < Withheld {
		return Cell{}
	}
	below := Cell{}
	if d.Reason == PermissionNotInTemplate && s.setLocally(&d, permission, place, at) {
		below.Origin = FromLocal
	}
	look := func(there estate.PlaceID) {
		if there != place && s.tree.Within(there, place) {
			if level := s.Entitled(id, permission, there, at).Level; level > below.Level {
				below = Cell{level, FromBelow}
			}
		}
	}
	p.places(look)
	for i := range p.grants() {
		g := &p.grants()[i]
		s.localPlaces(g.template, permission, g.place, look)
	}
	return below
}

// setLocally reports whether the assignment that a decision rests on gives, or does not give, a permission at a place
// by a local setting.
func (s *Snapshot) setLocally(d *Decision, permission permit.PermissionID, place estate.PlaceID, at int64) bool {
	a := s.state.Assignment(d.Assignment)
	return a != nil && s.localAt(a.Template, permission, place, at) != nil
}

// Likeness is how a template of its own for what somebody can do at a place would look: based on one of their
// templates, and stating the differences.
type Likeness struct {
	Base     permit.TemplateID
	Settings map[permit.PermissionID]permit.Level
}

// Like works out a template that gives what somebody holds at a place at an instant, access hours left out: it is based
// on that of their templates there which needs the fewest differences, the others and the exceptions become settings.
func (s *Snapshot) Like(id people.StaffID, place estate.PlaceID, at int64) (Likeness, bool) {
	p := s.person(id)
	if p == nil || p.owner {
		return Likeness{}, false
	}
	var bases []permit.TemplateID
	grants := p.grants()
	for i := range grants {
		if g := &grants[i]; s.tree.Within(place, g.place) && s.fitAt(p, g, max(at, p.span.Start)) &&
			!slices.Contains(bases, g.template) {
			bases = append(bases, g.template)
		}
	}
	var likest []Likeness
	for _, base := range bases {
		like := Likeness{Base: base, Settings: map[permit.PermissionID]permit.Level{}}
		for permission := range s.catalogue.Permissions {
			if held := s.Entitled(id, permission.ID, place, at).Level; held != s.level(base, permission.ID, place, at) {
				like.Settings[permission.ID] = held
			}
		}
		likest = append(likest, like)
	}
	if len(likest) == 0 {
		return Likeness{}, false
	}
	return slices.MinFunc(likest, func(a, b Likeness) int { return cmp.Compare(len(a.Settings), len(b.Settings)) }),
		true
}

// Ceiling returns, by PermissionID, the most that somebody may give at a place, or everywhere where the place is 0.
func (s *Snapshot) Ceiling(id people.StaffID, place estate.PlaceID, at int64) []permit.Level {
	ceiling := make([]permit.Level, s.catalogue.Size())
	for permission := range s.catalogue.Permissions {
		if place != 0 {
			ceiling[permission.ID] = s.MayGive(id, permission.ID, place, at)
			continue
		}
		lowest, tops := permit.Unbounded, 0
		for here := range s.tree.Tops {
			if !here.Retired {
				lowest = min(lowest, s.MayGive(id, permission.ID, here.Place.ID, at))
				tops++
			}
		}
		if tops > 0 {
			ceiling[permission.ID] = lowest
		}
	}
	return ceiling
}

// Beyond returns the first permission of which a template lets its holders at a place do or give more than somebody may
// give there, of whom the ceiling is, or nil where none does.
func (s *Snapshot) Beyond(template permit.TemplateID, place estate.PlaceID, id people.StaffID, ceiling []permit.Level,
	at int64) *permit.Permission {
	for _, of := range s.Gives(template, place, at) {
		may := permit.Level(0)
		if of.Place != place {
			may = s.MayGive(id, of.Permission, of.Place, at)
		} else if int(of.Permission) < len(ceiling) {
			may = ceiling[of.Permission]
		}
		if may < of.Level {
			return s.catalogue.Permission(of.Permission)
		}
	}
	return nil
}

// Holder is somebody who holds a permission somewhere.
type Holder struct {
	Staff people.StaffID
	Holding
}

// Holders returns everybody who holds a permission anywhere, now or later, once for each place it is held at.
func (s *Snapshot) Holders(permission permit.PermissionID, at int64) []Holder {
	var holders []Holder
	only := []permit.PermissionID{permission}
	var buffer []Holding
	for id := range s.persons.Numbers {
		buffer = s.holdings(buffer[:0], people.StaffID(id), at, only, 0)
		for _, h := range buffer {
			holders = append(holders, Holder{people.StaffID(id), h})
		}
	}
	return holders
}
