package access

import (
	"cmp"
	"maps"
	"slices"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// local is a local setting in its compiled form, for one template that it is about: its own, or one that is based on
// that and takes the permission from it, or from one further up.
type local struct {
	number      org.LocalSettingID
	permission  permit.PermissionID
	place       estate.PlaceID
	level       permit.Level
	from, until int64
}

// compileLocals works out, by TemplateID, the local settings that are about each template, those that come first where
// several count: of the template itself before those of a base, of a place before those of one above it.
func (s *Snapshot) compileLocals() {
	s.locals, s.ever = make([][]local, len(s.levels)), s.levels
	if s.state.LocalSettings.Last() == 0 {
		return
	}
	of := map[permit.TemplateID][]local{}
	for number, l := range s.state.LocalSettings.All() {
		if l.Ended || !s.inUse(l.Permission) || s.tree.At(l.Place) == nil {
			continue
		}
		compiled := local{org.LocalSettingID(number), l.Permission, l.Place, l.Level, 0, 0}
		compiled.from, compiled.until = s.dates(l.Place, l.From.Start, !l.From.IsZero(), (l.Until + 1).Start,
			!l.Until.IsZero())
		of[l.Template] = append(of[l.Template], compiled)
	}
	for _, list := range of {
		slices.SortStableFunc(list, func(a, b local) int {
			return cmp.Or(cmp.Compare(s.tree.At(b.place).Depth, s.tree.At(a.place).Depth),
				cmp.Compare(a.number, b.number))
		})
	}
	s.ever = slices.Clone(s.levels)
	for id, template := range s.state.Templates.All() {
		if s.suspect[id] {
			continue // it gives nothing
		}
		above := map[permit.TemplateID]bool{} // the bases that a template has gone past
		for base, steps := template, 0; base != nil && steps < permit.MostBases; steps++ {
			for _, l := range of[base.ID] {
				if by := s.resolved[id][l.permission]; !by.Decided || !above[by.Template] {
					s.locals[id] = append(s.locals[id], l)
				}
			}
			above[base.ID] = true
			base = s.state.Template(base.Base)
		}
		if len(s.locals[id]) > 0 {
			s.ever[id] = slices.Clone(s.levels[id])
			for _, l := range s.locals[id] {
				s.ever[id][l.permission] = max(s.ever[id][l.permission], l.level)
			}
		}
	}
}

// localsOf returns the local settings that are about a template, those that come first where several count first.
func (s *Snapshot) localsOf(id permit.TemplateID) []local {
	if int(id) < len(s.locals) {
		return s.locals[id]
	}
	return nil
}

// localAt returns the local setting by which a template gives what it gives of a permission at a place at an instant;
// nil where it is the template itself that says so.
func (s *Snapshot) localAt(template permit.TemplateID, permission permit.PermissionID, place estate.PlaceID,
	at int64) *local {
	list := s.localsOf(template)
	for i := range list {
		l := &list[i]
		if l.permission == permission && at >= l.from && at < l.until && s.tree.Within(place, l.place) {
			return l
		}
	}
	return nil
}

// localBegins reports whether a local setting of a template begins to count at a place itself at an instant.
func (s *Snapshot) localBegins(template permit.TemplateID, permission permit.PermissionID, place estate.PlaceID,
	at int64) bool {
	l := s.localAt(template, permission, place, at)
	return l != nil && l.place == place
}

// isSetAt reports whether a local setting of a template, at a door itself, is about what the door asks for.
func (s *Snapshot) isSetAt(template permit.TemplateID, door estate.PlaceID) bool {
	asked := s.askedAt(door)
	return asked != 0 && slices.ContainsFunc(s.localsOf(template), func(l local) bool {
		return l.place == door && l.permission == asked
	})
}

// LocalAt returns the local setting by which a template gives what it gives of a permission at a place at an instant;
// nil where it is the template itself that says so.
func (s *Snapshot) LocalAt(template permit.TemplateID, permission permit.PermissionID, place estate.PlaceID,
	at int64) *org.LocalSetting {
	if l := s.localAt(template, permission, place, at); l != nil {
		return s.state.LocalSetting(l.number)
	}
	return nil
}

// LocalSettingsOf returns the local settings that are about a template at an instant or later, its own and those of
// what it is based on, those that come first where several count first.
func (s *Snapshot) LocalSettingsOf(template permit.TemplateID, at int64) (list []*org.LocalSetting) {
	for _, l := range s.localsOf(template) {
		if l.until > at {
			list = append(list, s.state.LocalSetting(l.number))
		}
	}
	return list
}

// LevelAt returns the level of a permission that a template gives at a place at an instant, local settings counted.
func (s *Snapshot) LevelAt(template permit.TemplateID, permission permit.PermissionID, place estate.PlaceID,
	at int64) permit.Level {
	return s.level(template, permission, place, at)
}

// mayGiveEver returns the highest level of a permission that a template gives at any place at any time.
func (s *Snapshot) mayGiveEver(template permit.TemplateID, permission permit.PermissionID) permit.Level {
	if int(template) >= len(s.ever) || int(permission) >= len(s.ever[template]) {
		return 0
	}
	return s.ever[template][permission]
}

// localPlaces calls do with the places at which local settings of a template begin that are about the holders of it at
// a place and below; of one permission, or of all where none is named.
func (s *Snapshot) localPlaces(template permit.TemplateID, permission permit.PermissionID, within estate.PlaceID,
	do func(estate.PlaceID)) {
	list := s.localsOf(template)
	for i := range list {
		if l := &list[i]; (permission == 0 || l.permission == permission) && s.tree.Within(l.place, within) {
			do(l.place)
		}
	}
}

// LocalPlacesOf returns the places at which local settings begin that are about what somebody has by assignments.
func (s *Snapshot) LocalPlacesOf(id people.StaffID) (places []estate.PlaceID) {
	p := s.person(id)
	if p == nil {
		return nil
	}
	for i := range p.grants() {
		g := &p.grants()[i]
		s.localPlaces(g.template, 0, g.place, func(place estate.PlaceID) { places = append(places, place) })
	}
	return places
}

// concerns reports whether a local setting is about anybody who has its template at a place: it counts there or below.
func (s *Snapshot) concerns(l *local, place estate.PlaceID) bool {
	return s.tree.Within(l.place, place) || s.tree.Within(place, l.place)
}

// piece is what an assignment gives of a permission at a place and below, while nothing turns.
type piece struct {
	place  estate.PlaceID
	level  permit.Level
	during stretch
	except []Exclusion // below, where it gives less; what it gives there is a piece of its own
}

// pieces returns, in place of what is in a list, what an assignment gives of a permission, place by place, one stretch
// of time after the other; least is what its holders can give at any rate, where that counts too.
func (s *Snapshot) pieces(list []piece, g *grant, permission permit.PermissionID, least permit.Level) []piece {
	list = list[:0]
	whole := stretch{g.from, g.until}
	places, turns := []estate.PlaceID{g.place}, []int64{g.from, g.until}
	locals := s.localsOf(g.template)
	for i := range locals {
		if l := &locals[i]; l.permission == permission && s.concerns(l, g.place) {
			if l.place != g.place && s.tree.Within(l.place, g.place) {
				places = append(places, l.place)
			}
			turns = append(turns, l.from, l.until)
		}
	}
	if len(turns) == 2 {
		if level := max(least, s.level(g.template, permission, g.place, everBefore)); level > 0 {
			list = append(list, piece{place: g.place, level: level, during: whole})
		}
		return list
	}
	slices.SortFunc(places, func(a, b estate.PlaceID) int {
		return cmp.Or(cmp.Compare(s.tree.At(a).Depth, s.tree.At(b).Depth), cmp.Compare(a, b))
	})
	places = slices.Compact(places)
	slices.Sort(turns)
	turns = slices.Compact(turns)
	levels := make([]permit.Level, len(places))
	for i, from := range turns[:len(turns)-1] {
		during := stretch{max(from, g.from), min(turns[i+1], g.until)}
		if during.from >= during.until {
			continue
		}
		for j, place := range places {
			levels[j] = max(least, s.level(g.template, permission, place, during.from))
		}
		for j, place := range places {
			nearest := -1 // above it, among the places: the last, as those are ordered by depth
			for k := range j {
				if s.tree.Within(place, places[k]) {
					nearest = k
				}
			}
			if levels[j] == 0 || nearest >= 0 && levels[nearest] == levels[j] {
				continue
			}
			p := piece{place: place, level: levels[j], during: during}
			for k := j + 1; k < len(places); k++ {
				if levels[k] < levels[j] && s.tree.Within(places[k], place) {
					p.except = append(p.except, Exclusion{places[k], during.from, during.until})
				}
			}
			list = append(list, p)
		}
	}
	return list
}

// Extent is a permission, at a level, at a place and below it.
type Extent struct {
	Permission permit.PermissionID
	Level      permit.Level
	Place      estate.PlaceID
}

// Gives returns all that an assignment of a template at a place gives or lets be given from an instant on, at any time,
// in the order of permissions; the same permission more than once where local settings say otherwise below the place.
func (s *Snapshot) Gives(template permit.TemplateID, place estate.PlaceID, at int64) (list []Extent) {
	return s.givesWithin(&grant{template: template, place: place, from: at, until: everAfter}, at)
}

// givesWithin is Gives for an assignment, between its dates.
func (s *Snapshot) givesWithin(of *grant, at int64) (list []Extent) {
	if s.tree.At(of.place) == nil {
		return nil
	}
	g := *of
	g.from = max(g.from, at)
	var pieces []piece
	for id := range s.Most(g.template) {
		permission := permit.PermissionID(id)
		pieces = s.pieces(pieces, &g, permission, s.givesApart(g.template, permission))
		for _, p := range pieces {
			extent := Extent{permission, p.level, p.place}
			if i := slices.IndexFunc(list, func(e Extent) bool {
				return e.Permission == permission && e.Place == p.place
			}); i >= 0 {
				list[i].Level = max(list[i].Level, p.level)
			} else {
				list = append(list, extent)
			}
		}
	}
	return list
}

// localTurns says between which turns of the local settings of its template an assignment lies, from an instant on: two
// that lie between the same give the same.
func (s *Snapshot) localTurns(g *grant, at int64) (from, until int) {
	for _, l := range s.localsOf(g.template) {
		for _, turn := range [2]int64{l.from, l.until} {
			if turn <= max(g.from, at) {
				from++
			}
			if turn < g.until {
				until++
			}
		}
	}
	return from, until
}

// givesApart returns up to which level the holders of a template can give a permission where the template says so apart
// from what they can do; 0 where it does not.
func (s *Snapshot) givesApart(template permit.TemplateID, permission permit.PermissionID) permit.Level {
	if s.isSuspect(template) { // what it gives is not known, and is taken as what it says
		return s.most[template][permission]
	}
	if level, apart := s.gives(template, permission, 0, everBefore); apart {
		return level
	}
	return 0
}

// isSuspect reports whether a template gives nothing, as a local setting that may have limited it could not be read.
func (s *Snapshot) isSuspect(id permit.TemplateID) bool {
	return int(id) < len(s.suspect) && s.suspect[id]
}

// suspects returns, by TemplateID, the templates that are suspect: their own, or a base's, could not be read.
func (s *Snapshot) suspects() []bool {
	suspect := make([]bool, len(s.resolved))
	for id, template := range s.state.Templates.All() {
		for of, steps := template, 0; of != nil && steps < permit.MostBases; steps++ {
			suspect[id] = suspect[id] || s.state.SuspectTemplate(of.ID)
			of = s.state.Template(of.Base)
		}
	}
	return suspect
}

// LocalChange is a template that gives another level of a permission at a place, and from there on below, than before.
type LocalChange struct {
	Template   permit.TemplateID
	Permission permit.PermissionID
	Place      estate.PlaceID
	At, Until  int64 // from when on, and until when something turns
	Before     permit.Level
	After      permit.Level
}

// LocalChanges returns, for the templates whose local settings differ between two snapshots, or count otherwise, what
// they give at the places of these from an instant on, where that differs.
func LocalChanges(before, after *Snapshot, at int64) (list []LocalChange) {
	for number := range max(len(before.locals), len(after.locals)) {
		id := permit.TemplateID(number)
		was, is := before.localsOf(id), after.localsOf(id)
		if len(was)+len(is) == 0 {
			continue
		}
		turns := []int64{at}
		asked := map[permit.PermissionID]map[estate.PlaceID]bool{}
		for _, l := range slices.Concat(was, is) {
			if before.tree.At(l.place) == nil || l.until <= at {
				continue
			}
			if asked[l.permission] == nil {
				asked[l.permission] = map[estate.PlaceID]bool{}
			}
			asked[l.permission][l.place] = true
			turns = append(turns, max(l.from, at), max(l.until, at))
		}
		slices.Sort(turns)
		turns = slices.Compact(turns)
		for _, permission := range slices.Sorted(maps.Keys(asked)) {
			for _, place := range slices.Sorted(maps.Keys(asked[permission])) {
				for i, turn := range turns {
					until := int64(everAfter)
					if i+1 < len(turns) {
						until = turns[i+1]
					}
					had, has := before.level(id, permission, place, turn), after.level(id, permission, place, turn)
					if had != has && turn < everAfter {
						list = append(list, LocalChange{id, permission, place, turn, until, had, has})
					}
				}
			}
		}
	}
	return list
}
