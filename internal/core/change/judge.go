package change

import (
	"maps"
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// What a change leads to is judged by comparing before and after, whatever operations it is made of: an operation that
// nobody thought of as giving or taking is judged like the others.

// judge asks whether the actor may cause what the change leads to.
func (t *Trial) judge() error {
	if t.byAnOwner() {
		return nil
	}
	if err := t.takenFromManagers(); err != nil {
		return err
	}
	if err := t.localCeiling(); err != nil {
		return err
	}
	if err := t.letGive(); err != nil {
		return err
	}
	return t.givenForLonger()
}

// takenFromManagers asks for standing over everybody who loses a permission of this product, by their record or by
// what somebody else's record says: else a manager could take from those above them what they would be stopped by.
func (t *Trial) takenFromManagers() error {
	ofConsole := func(id permit.PermissionID) bool {
		permission := t.before.Catalogue().Permission(id)
		return permission != nil && t.before.Catalogue().OfConsole(permission.Group)
	}
	type taken struct {
		staff people.StaffID
		place estate.PlaceID
	}
	asked := map[taken]bool{}
	ask := func(id people.StaffID, place estate.PlaceID) error {
		if asked[taken{id, place}] || id == t.actor.Staff || t.before.State().Person(id) == nil {
			return nil
		}
		asked[taken{id, place}] = true
		return t.standing(t.before.State().Person(id), place, true)
	}
	now := t.env.Now.Unix()
	for _, loss := range t.Effect.Losses {
		// A say over a place outlasts its retirement
		if ofConsole(loss.Permission) && (loss.Later ||
			t.After.RecordLevel(loss.Staff, loss.Permission, loss.Place, now) <
				t.before.RecordLevel(loss.Staff, loss.Permission, loss.Place, now)) {
			if err := ask(loss.Staff, loss.Place); err != nil {
				return err
			}
		}
	}
	for _, id := range t.people() {
		held := slices.DeleteFunc(t.before.OnRecord(id, now), func(h access.Holding) bool {
			return !ofConsole(h.Permission)
		})
		for _, h := range held {
			for _, place := range t.placesOf(id, h.Place) {
				for _, at := range t.datesOf(id, max(now, h.From), h.Until) {
					if t.After.RecordLevel(id, h.Permission, place, at) < min(h.Level,
						t.before.RecordLevel(id, h.Permission, place, at)) {
						if err := ask(id, place); err != nil {
							return err
						}
					}
				}
			}
		}
	}
	return nil
}

// letGive asks that what people can give from now on, by assignments, exceptions or where places stand, is the actor's
// to give too, by their record: also while they lack a certificate, which nobody needs for giving.
func (t *Trial) letGive() error {
	var moved []estate.PlaceID
	whose := t.given()
	t.localHolders(whose)
	for id := range t.places {
		if t.before.State().Place(id).Parent == t.State.Place(id).Parent {
			continue
		}
		moved = append(moved, id)
		for _, s := range []*access.Snapshot{t.before, t.After} {
			for _, staff := range s.Around(id) {
				whose[staff] = nil // whatever it is
			}
		}
	}
	for _, id := range slices.Sorted(maps.Keys(whose)) {
		if was := t.before.State().Person(id); was == nil || was.Owner {
			continue
		}
		places := t.placesGiven(id, moved)
		for _, at := range t.datesOf(id, t.env.Now.Unix(), access.Ever) {
			could, can := t.before.GivesOnRecord(id, at), t.After.GivesOnRecord(id, at)
			for permission := range t.before.Catalogue().Permissions {
				if whose[id] != nil && !whose[id][permission.ID] {
					continue
				}
				for _, place := range places {
					// Where something is withheld below, they gain it at the place itself alone
					all, there := can(permission.ID, place)
					before, thereBefore := could(permission.ID, place)
					gained := max(more(all, before), more(there, thereBefore))
					if gained == 0 {
						continue
					}
					if id == t.actor.Staff {
						return t.notOneself(t.State.Person(id))
					}
					if err := t.mayGive(permission.ID, gained, place); err != nil {
						return err
					}
				}
			}
		}
	}
	return nil
}

// given returns whose assignments and exceptions the change has written, and the permissions that they are about.
func (t *Trial) given() map[people.StaffID]map[permit.PermissionID]bool {
	whose := map[people.StaffID]map[permit.PermissionID]bool{}
	about := func(staff people.StaffID, permissions ...permit.PermissionID) {
		if whose[staff] == nil {
			whose[staff] = map[permit.PermissionID]bool{}
		}
		for _, id := range permissions {
			whose[staff][id] = true
		}
	}
	for i := range t.Written {
		switch r := t.Written[i].Value.(type) {
		case *org.Exception:
			about(r.Staff, r.Permission)
		case *org.Assignment:
			about(r.Staff)
			for _, s := range []*access.Snapshot{t.before, t.After} {
				if a := s.State().Assignment(r.ID); a != nil {
					for _, of := range s.Gives(a.Template, a.Place, t.env.Now.Unix()) {
						about(r.Staff, of.Permission)
					}
				}
			}
		}
	}
	return whose
}

// more returns a level where it is above another, and 0 where it is not.
func more(level, than permit.Level) permit.Level {
	if level > than {
		return level
	}
	return 0
}

// placesGiven returns the places at which somebody has assignments or exceptions, before or after, those that were
// moved, and what all of these stand in: between them what somebody can give is the same as above.
func (t *Trial) placesGiven(id people.StaffID, moved []estate.PlaceID) (places []estate.PlaceID) {
	places = slices.Clone(moved)
	for _, state := range []*org.State{t.before.State(), t.State} {
		for _, number := range state.AssignmentsOf(id) {
			places = append(places, state.Assignment(number).Place)
		}
		for _, number := range state.ExceptionsOf(id) {
			places = append(places, state.Exception(number).Place)
		}
	}
	places = append(append(places, t.before.LocalPlacesOf(id)...), t.After.LocalPlacesOf(id)...)
	for _, place := range slices.Clone(places) {
		for _, tree := range []*estate.Tree{t.before.Tree(), t.After.Tree()} {
			for here := tree.At(place); here != nil; here = tree.At(here.Place.Parent) {
				places = append(places, here.Place.ID)
			}
		}
	}
	slices.Sort(places)
	return slices.DeleteFunc(slices.Compact(places), func(id estate.PlaceID) bool {
		return t.before.State().Place(id) == nil
	})
}

// people returns those whose assignments or exceptions the change has written, in order.
func (t *Trial) people() []people.StaffID {
	whose := map[people.StaffID]bool{}
	for i := range t.Written {
		switch r := t.Written[i].Value.(type) {
		case *org.Assignment:
			whose[r.Staff] = true
		case *org.Exception:
			whose[r.Staff] = true
		}
	}
	return slices.Sorted(maps.Keys(whose))
}

// placesOf returns a place and those below it at which somebody has an exception, before or after.
func (t *Trial) placesOf(id people.StaffID, place estate.PlaceID) []estate.PlaceID {
	places := []estate.PlaceID{place}
	for _, state := range []*org.State{t.before.State(), t.State} {
		for _, number := range state.ExceptionsOf(id) {
			e := state.Exception(number)
			if t.After.Tree().Within(e.Place, place) && !slices.Contains(places, e.Place) {
				places = append(places, e.Place)
			}
		}
	}
	return places
}

// datesOf returns an instant and those before another at which what somebody has on record turns, before or after.
func (t *Trial) datesOf(id people.StaffID, from, until int64) []int64 {
	dates := []int64{from}
	for _, s := range []*access.Snapshot{t.before, t.After} {
		for _, turn := range s.RecordTurns(id, from) {
			if turn > from && turn < until {
				dates = append(dates, turn)
			}
		}
	}
	slices.Sort(dates)
	return slices.Compact(dates)
}

// givenForLonger asks that what is given ends, at the latest, when what the actor gives it by does: a cover or a dated
// assignment gives no further than its last day.
func (t *Trial) givenForLonger() error {
	for i := range t.Written {
		switch r := t.Written[i].Value.(type) {
		case *org.Assignment:
			if err := t.assignedForLonger(t.State.Assignment(r.ID)); err != nil {
				return err
			}
		case *org.Exception:
			if err := t.exceptedForLonger(t.State.Exception(r.ID)); err != nil {
				return err
			}
		}
	}
	if !t.rulesWritten() {
		return nil
	}
	for _, gain := range t.Effect.Gains {
		end := gain.Until
		if end == 0 {
			end = access.Ever
		}
		if err := t.lasts(gain.Permission, gain.After, gain.Place, end); err != nil {
			return err
		}
	}
	return nil
}

// rulesWritten reports whether the change has written what many people hold things by.
func (t *Trial) rulesWritten() bool {
	return slices.ContainsFunc(t.Written, func(r Record) bool {
		switch r.Value.(type) {
		case *permit.Template, *permit.Group, *permit.Permission, *estate.Place, *hours.Schedule, *org.Notice,
			*qualification.Qualification:
			return true
		}
		return false
	})
}

func (t *Trial) assignedForLonger(a *org.Assignment) error {
	was := t.before.State().Assignment(a.ID)
	if a.Ended || was != nil && !was.Ended && was.Place == a.Place && was.Template == a.Template &&
		was.From <= a.From && (was.Until.IsZero() || !a.Until.IsZero() && a.Until <= was.Until) {
		return nil
	}
	end := t.endAt(a.Until, a.Place)
	for _, of := range t.After.Gives(a.Template, a.Place, t.env.Now.Unix()) {
		if err := t.lasts(of.Permission, of.Level, of.Place, end); err != nil {
			return err
		}
	}
	return nil
}

func (t *Trial) exceptedForLonger(e *org.Exception) error {
	was := t.before.State().Exception(e.ID)
	gives := !e.Withheld && !e.Ended
	if was != nil && !was.Ended && (was.Withheld || was.Level >= e.Level) && was.From <= e.From &&
		(was.Until.IsZero() || !e.Until.IsZero() && e.Until <= was.Until) {
		gives = false
	}
	level, end := e.Level, t.endAt(e.Until, e.Place)
	if e.Withheld && was != nil && !was.Ended && (e.Ended || was.From < e.From ||
		!e.Until.IsZero() && (was.Until.IsZero() || e.Until < was.Until)) {
		// What is withheld no longer is given back
		gives, level, end = true, 1, t.endAt(was.Until, e.Place)
		for _, at := range t.datesOf(e.Staff, t.env.Now.Unix(), end) {
			_, there := t.After.GivesOnRecord(e.Staff, at)(e.Permission, t.known(e.Place))
			level = max(level, there, t.After.RecordLevel(e.Staff, e.Permission, t.known(e.Place), at))
		}
	}
	if !gives {
		return nil
	}
	return t.lasts(e.Permission, level, e.Place, end)
}

// endAt is the first instant that no longer counts of what has a last day at a place.
func (t *Trial) endAt(last day.Date, place estate.PlaceID) int64 {
	if last.IsZero() {
		return access.Ever
	}
	return (last + 1).Start(t.zoneAt(place)).Unix()
}

// lasts asks that the actor may give a permission at a place until before an instant.
func (t *Trial) lasts(id permit.PermissionID, level permit.Level, place estate.PlaceID, end int64) error {
	if t.takesBack() {
		return nil
	}
	place = t.known(place)
	key := lasting{id, level, place}
	until, known := t.lasting[key]
	if !known {
		until = t.before.GivesUntil(t.actor.Staff, id, level, place, t.env.Now.Unix())
		if t.lasting == nil {
			t.lasting = map[lasting]int64{}
		}
		t.lasting[key] = until
	}
	if until >= end || until <= t.env.Now.Unix() { // whether it may be given at all is asked where it is given
		return nil
	}
	return fault.Refusedf("above-ceiling",
		"You may give “%s” at %s until %s and no longer, because your own ends then. Choose a last day that is not "+
			"later, or ask a manager whose own has no end.", t.catalogue().Permission(id).Title,
		t.State.Place(place).Name, day.UntilWords(time.Unix(until, 0).In(t.zoneAt(place))))
}

// lasting is what may be given for a while.
type lasting struct {
	permission permit.PermissionID
	level      permit.Level
	place      estate.PlaceID
}
