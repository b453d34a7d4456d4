package change

import (
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Authority is judged by the state before the change, so nobody can give themselves in one operation what they use in
// the next; and at the moment at which a change is made, also for one that was planned long before. An operation asks for
// authority before it compares anything with the record, so that a refusal tells nothing of it.

// actorStands asks that whoever makes the change is at work and not locked.
func (d *Trial) actorStands() error {
	if d.actor.System != "" {
		return nil
	}
	switch d.before.Stands(d.actor.Staff, d.env.Now.Unix()) {
	case access.Granted:
		return nil
	case access.Locked:
		return fault.Refusedf("not-permitted", "Whoever makes this change is locked at the moment at which it is made.")
	case access.NotStarted:
		return fault.Refusedf("not-permitted", "Whoever makes this change has not started work yet.")
	}
	return fault.Refusedf("not-permitted", "Whoever makes this change no longer works here.")
}

// holds reports whether the actor holds a console permission at a place, or everywhere where the place is 0.
func (d *Trial) holds(key string, place estate.PlaceID) bool {
	switch {
	case d.actor.System != "":
		return true
	case place != 0:
		return d.before.HoldsKey(d.actor.Staff, key, d.known(place), d.env.Now.Unix())
	}
	return d.before.HoldsEverywhere(d.actor.Staff, key, d.env.Now.Unix())
}

// require asks that the actor holds a console permission at a place, or everywhere where the place is 0.
func (d *Trial) require(key string, place estate.PlaceID) error {
	if d.holds(key, place) {
		return nil
	}
	return d.refuse(key, place)
}

// known returns the place itself, or for one that this very change has added the nearest above it that was there before.
func (d *Trial) known(place estate.PlaceID) estate.PlaceID {
	for place != 0 && d.before.State().Place(place) == nil {
		place = d.State.Place(place).Parent
	}
	return place
}

func (d *Trial) refuse(key string, place estate.PlaceID) error {
	title := key
	if permission := d.before.Catalogue().PermissionByKey(key); permission != nil {
		title = permission.Title
	}
	where := "at every site"
	if p := d.State.Place(place); p != nil {
		where = "at " + p.Name
	}
	return fault.Refusedf("not-permitted", "This needs the permission “%s” %s, which you do not hold. Ask somebody who does.", title, where)
}

// view is how much of a person's record the actor sees. Whom this very change has enrolled they see whole.
func (d *Trial) view(p *people.Staff) access.View {
	if d.actor.System != "" || d.actor.Staff == p.ID || d.before.State().Person(p.ID) == nil {
		return access.Whole
	}
	if d.reach == nil {
		d.reach = map[string][]bool{}
	}
	reach, known := d.reach[permit.ViewStaff]
	if !known {
		reach, _ = d.before.Reach(d.actor.Staff, permit.ViewStaff, d.env.Now.Unix())
		d.reach[permit.ViewStaff] = reach
	}
	return d.before.ViewOf(d.before.State().Person(p.ID), reach, d.env.Now.Unix())
}

// requireFor asks that the actor holds a console permission at the person's home site.
func (d *Trial) requireFor(key string, p *people.Staff) error {
	if err := d.ownersOnly(p); err != nil {
		return err
	}
	if d.holds(key, p.HomeSite) {
		return nil
	}
	if d.view(p) != access.Whole {
		return fault.Refusedf("not-permitted", "%s belongs to another site. Ask whoever looks after their home site.", p.FullName())
	}
	return d.refuse(key, p.HomeSite)
}

// ownersOnly keeps an owner's record from everybody but owners.
func (d *Trial) ownersOnly(p *people.Staff) error {
	if !p.Owner || d.byAnOwner() {
		return nil
	}
	return fault.Refusedf("not-permitted", "%s is an owner; only an owner may do this.", p.FullName())
}

// byAnOwner reports whether the system or an owner makes the change.
func (d *Trial) byAnOwner() bool {
	actor := d.before.State().Person(d.actor.Staff)
	return d.actor.System != "" || actor != nil && actor.Owner
}

// notOneself keeps everybody from changing their own access.
func (d *Trial) notOneself(p *people.Staff) error {
	if d.actor.System == "" && d.actor.Staff == p.ID {
		return fault.Refusedf("own-access", "Nobody changes their own access. Ask another manager to do it.")
	}
	return nil
}

// Touchable says why a manager may not change what somebody may do, whoever holds what: it is their own access, or that
// of an owner.
func Touchable(before *access.Snapshot, actor people.StaffID, p *people.Staff) error {
	d := &Trial{before: before, actor: Actor{Staff: actor}}
	if err := d.ownersOnly(p); err != nil {
		return err
	}
	return d.notOneself(p)
}

// Editable says why a manager may not change a template, whatever it gives: they are assigned it, or one based on it, and
// nobody changes their own access.
func Editable(before *access.Snapshot, actor people.StaffID, t *permit.Template) error {
	d := &Trial{before: before, actor: Actor{Staff: actor}}
	return d.templateNotOwn(t)
}

// MayActFor says why a manager may not do something about a person that takes a permission at their home site and standing
// over all that they may do by their record.
func MayActFor(before *access.Snapshot, actor people.StaffID, p *people.Staff, key string, now time.Time) error {
	d := &Trial{before: before, State: before.State(), actor: Actor{Staff: actor}, env: Env{Now: now}}
	if err := d.requireFor(key, p); err != nil {
		return err
	}
	return d.standing(p, 0, false)
}

// ceiling asks that the actor holds, at the place, every permission that a template gives, at its level.
func (d *Trial) ceiling(template permit.TemplateID, place estate.PlaceID) error {
	if d.actor.System != "" {
		return nil
	}
	for id, resolved := range d.before.Resolved(template) {
		if resolved.Level > 0 {
			if err := d.mayGive(permit.PermissionID(id), resolved.Level, place); err != nil {
				return err
			}
		}
	}
	return nil
}

// mayGive asks that the actor holds a permission at a place, at the level or above. What this very change adds to the
// catalogue, or to a scale, nobody holds yet but owners.
func (d *Trial) mayGive(id permit.PermissionID, level permit.Level, place estate.PlaceID) error {
	if d.byAnOwner() {
		return nil
	}
	if d.before.Catalogue().Permission(id) != nil && d.before.MayGive(d.actor.Staff, id, d.known(place), d.env.Now.Unix()) >= level {
		return nil
	}
	return fault.Refusedf("above-ceiling", "You cannot give “%s” at %s to this extent, because you do not hold it there yourself.",
		d.catalogue().Permission(id).Title, d.State.Place(place).Name)
}

// liftCeiling asks that whatever people gain by what is no longer withheld from them is the actor's to give there.
func (d *Trial) liftCeiling() error {
	if d.byAnOwner() {
		return nil
	}
	for _, e := range d.lifted {
		for _, gain := range access.Lifted(d.before, d.After, e.Staff, e.Permission, e.Place, d.env.Now.Unix()) {
			if err := d.mayGive(gain.Permission, gain.After, gain.Place); err != nil {
				return err
			}
		}
	}
	return nil
}

// placeCeiling asks that whatever people gain by what places are now is the actor's to give there: where a place stands,
// whether it is in use, when it is open, what it asks for and by what proof decide who may do what at it. What a place asked
// for until now is given to whoever has what it asks for next, also to those who come to have it later.
func (d *Trial) placeCeiling() error {
	if d.byAnOwner() {
		return nil
	}
	for id := range d.places {
		before, after := d.before.State().Place(id), d.State.Place(id)
		if asked := d.before.Catalogue().PermissionByKey(before.Asks); asked != nil && (before.Asks != after.Asks || before.Proof != after.Proof) {
			if err := d.mayGive(asked.ID, 1, id); err != nil {
				return err
			}
		}
		if before.Parent != after.Parent {
			// What lies idle below would be felt when it comes back, and not now.
			for below := range d.before.Tree().Below(id) {
				if below.Retired && len(d.before.Inside(below.Place.ID)) > 0 {
					return fault.Refusedf("above-ceiling", "%s, which stands in %s, is retired and people are assigned at it; bring it back before moving, or ask an owner.", below.Place.Name, before.Name)
				}
			}
		}
		gains := access.At(d.before, d.After, id, d.env.Now.Unix()).Gains
		if before.TimeZone != after.TimeZone {
			// Those whose home it is begin and end here by its days, wherever they work.
			var theirs []people.StaffID
			for _, p := range d.State.Staff.All() {
				if p.HomeSite == id {
					theirs = append(theirs, p.ID)
				}
			}
			gains = append(gains, access.Of(d.before, d.After, theirs, d.env.Now.Unix()).Gains...)
		}
		for _, gain := range gains {
			switch p := d.State.Person(gain.Staff); {
			case p.Owner:
				continue // owners hold everything, whatever a place is
			case before.Parent == after.Parent && before.TimeZone == after.TimeZone && d.before.Catalogue().OfConsole(d.catalogue().Permission(gain.Permission).Group):
				continue // a say over a place outlasts its retirement, and has no hours; it has dates
			case p.ID == d.actor.Staff && (gain.Hours || gain.Proof || before.TimeZone != after.TimeZone || before.Asks != after.Asks && gain.Place == id):
				return d.notOneself(p)
			}
			if err := d.mayGive(gain.Permission, gain.After, gain.Place); err != nil {
				return err
			}
		}
	}
	return nil
}

// standing asks that the actor may do all that somebody may by their record, whatever keeps them from using it now: who
// gives them a credential, or brings them back, could act as them. consoleOnly asks it of what they may do in this product
// alone; within asks it of what they may do at one place and below it.
func (d *Trial) standing(p *people.Staff, within estate.PlaceID, consoleOnly bool) error {
	if d.byAnOwner() || d.actor.Staff == p.ID {
		return nil
	}
	now := d.env.Now.Unix()
	for _, h := range d.before.OnRecord(p.ID, now) {
		permission, place := d.before.Catalogue().Permission(h.Permission), h.Place
		if consoleOnly && !d.before.Catalogue().OfConsole(permission.Group) {
			continue
		}
		if within != 0 {
			switch {
			case d.before.Tree().Within(d.known(within), place):
				place = d.known(within)
			case !d.before.Tree().Within(place, d.known(within)):
				continue
			}
		}
		if d.before.MayGive(d.actor.Staff, h.Permission, place, now) < h.Level {
			return fault.Refusedf("above-standing", "%s holds “%s” at %s, which you do not hold there to this extent. Ask somebody who does.",
				p.FullName(), permission.Title, d.before.State().Place(place).Name)
		}
	}
	return nil
}
