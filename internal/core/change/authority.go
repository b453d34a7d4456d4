package change

import (
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// require asks that the actor holds a console permission at a place. Authority is judged by the state before the
// change, so nobody can give themselves in one operation what they use in the next.
func (d *Trial) require(key string, place estate.PlaceID) error {
	if d.actor.System != "" {
		return nil
	}
	if place != 0 && d.before.HoldsKey(d.actor.Staff, key, d.known(place), d.env.Now.Unix()) {
		return nil
	}
	if place == 0 && d.before.HoldsEverywhere(d.actor.Staff, key, d.env.Now.Unix()) {
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

// requireFor asks that the actor holds a console permission at the person's home site.
func (d *Trial) requireFor(key string, p *people.Staff) error {
	if err := d.ownersOnly(p); err != nil {
		return err
	}
	return d.require(key, p.HomeSite)
}

// requireAround asks that the actor holds a console permission at the person's home site or where they are assigned.
func (d *Trial) requireAround(key string, p *people.Staff) error {
	if d.actor.System != "" {
		return nil
	}
	if err := d.ownersOnly(p); err != nil {
		return err
	}
	reach, _ := d.before.Reach(d.actor.Staff, key, d.env.Now.Unix())
	if d.before.BelongsWithin(p, reach) {
		return nil
	}
	return d.refuse(key, p.HomeSite)
}

// ownersOnly keeps an owner's record from everybody but owners.
func (d *Trial) ownersOnly(p *people.Staff) error {
	if !p.Owner || d.actor.System != "" {
		return nil
	}
	if actor := d.before.State().Person(d.actor.Staff); actor != nil && actor.Owner {
		return nil
	}
	return fault.Refusedf("not-permitted", "%s is an owner; only an owner may do this.", p.FullName())
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

// unbounded reports whether the actor may give everything: the system, and owners.
func (d *Trial) unbounded() bool {
	actor := d.before.State().Person(d.actor.Staff)
	return d.actor.System != "" || actor != nil && actor.Owner
}

// mayGive asks that the actor holds a permission at a place, at the level or above. What this very change adds to the
// catalogue, or to a scale, nobody holds yet but owners.
func (d *Trial) mayGive(id permit.PermissionID, level permit.Level, place estate.PlaceID) error {
	if d.unbounded() {
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
	if d.unbounded() {
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

// moveCeiling asks that whatever people, the actor too, gain at places that were moved in the tree is the actor's to give
// there: where a place stands decides who may do what at it. What comes back with a place that was retired was given before.
func (d *Trial) moveCeiling() error {
	if d.unbounded() {
		return nil
	}
	for id := range d.places {
		before := d.before.State().Place(id)
		if before.Parent == d.State.Place(id).Parent {
			continue
		}
		// What lies idle below would be felt when it comes back, and not now.
		for below := range d.before.Tree().Below(id) {
			if below.Retired && len(d.before.Inside(below.Place.ID)) > 0 {
				return fault.Refusedf("above-ceiling", "%s, which stands in %s, is retired and people are assigned at it; bring it back before moving, or ask an owner.", below.Place.Name, before.Name)
			}
		}
		for _, gain := range access.Moved(d.before, d.After, id, d.env.Now.Unix()).Gains {
			if d.State.Person(gain.Staff).Owner {
				continue // owners hold everything, wherever it stands
			}
			if err := d.mayGive(gain.Permission, gain.After, gain.Place); err != nil {
				return err
			}
		}
	}
	return nil
}

// mayStandFor asks that the actor holds everything that a credential of a kind would let its holder do, so that
// nobody can issue themselves a way in to more than they have.
func (d *Trial) mayStandFor(p *people.Staff, console bool) error {
	if d.actor.System != "" || d.actor.Staff == p.ID {
		return nil
	}
	group := d.before.Catalogue().GroupByKey(permit.ConsoleGroup)
	for _, holding := range d.before.Holdings(p.ID, d.env.Now.Unix()) {
		permission := d.before.Catalogue().Permission(holding.Permission)
		if (group != nil && d.before.Catalogue().Inside(permission.Group, group.ID)) != console {
			continue
		}
		if err := d.mayGive(holding.Permission, holding.Level, holding.Place); err != nil {
			return err
		}
	}
	return nil
}
