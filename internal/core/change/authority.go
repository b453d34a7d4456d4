package change

import (
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// Authority is judged by the state before the change, so nobody can give themselves in one operation what they use in
// the next; and at the moment at which a change is made, also for one that was planned long before. An operation asks
// for authority before it compares anything with the record, so that a refusal tells nothing of it.

// actorStands asks that whoever makes the change is at work and not locked.
func (t *Trial) actorStands() error {
	if t.actor.System != "" {
		return nil
	}
	switch t.before.Stands(t.actor.Staff, t.env.Now.Unix()) {
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
func (t *Trial) holds(key string, place estate.PlaceID) bool {
	switch {
	case t.actor.System != "":
		return true
	case place != 0:
		return t.before.HoldsKey(t.actor.Staff, key, t.known(place), t.env.Now.Unix())
	}
	return t.before.HoldsEverywhere(t.actor.Staff, key, t.env.Now.Unix())
}

// require asks that the actor holds a console permission at a place, or everywhere where the place is 0.
func (t *Trial) require(key string, place estate.PlaceID) error {
	if t.holds(key, place) {
		return nil
	}
	return t.refuse(key, place)
}

// known returns the place itself, or for one that this very change has added the nearest above it that was there
// before.
func (t *Trial) known(place estate.PlaceID) estate.PlaceID {
	for place != 0 && t.before.State().Place(place) == nil {
		place = t.State.Place(place).Parent
	}
	return place
}

func (t *Trial) refuse(key string, place estate.PlaceID) error {
	title := key
	if permission := t.before.Catalogue().PermissionByKey(key); permission != nil {
		title = permission.Title
	}
	where := "at the organisation, for all sites"
	if p := t.State.Place(place); p != nil {
		where = "at " + p.Name
	}
	return fault.Refusedf("not-permitted",
		"This needs the permission “%s” %s, which you do not hold. Ask somebody who does.", title, where)
}

// view is how much of a person's record the actor sees. Whom this very change has enrolled they see whole.
func (t *Trial) view(p *people.Staff) access.View {
	if t.actor.System != "" || t.actor.Staff == p.ID || t.before.State().Person(p.ID) == nil {
		return access.Whole
	}
	return t.sees().Of(t.before.State().Person(p.ID))
}

// sees is whom the actor sees.
func (t *Trial) sees() *access.Sight {
	if t.sight == nil {
		t.sight = t.before.Sight(t.actor.Staff, t.env.Now.Unix())
	}
	return t.sight
}

// requireFor asks that the actor holds a console permission at the person's home site.
func (t *Trial) requireFor(key string, p *people.Staff) error {
	if err := t.ownersOnly(p); err != nil {
		return err
	}
	if t.holds(key, p.HomeSite) {
		return nil
	}
	if t.view(p) == access.Hidden {
		return fault.Refusedf("not-permitted", "This is about somebody of another site, whom you do not see. Ask "+
			"whoever looks after their home site.")
	}
	if t.view(p) != access.Whole {
		return fault.Refusedf("not-permitted", "%s belongs to another site. Ask whoever looks after their home site.",
			p.FullName())
	}
	return t.refuse(key, p.HomeSite)
}

// ownersOnly keeps an owner's record from everybody but owners.
func (t *Trial) ownersOnly(p *people.Staff) error {
	if !p.Owner || t.byAnOwner() {
		return nil
	}
	return fault.Refusedf("not-permitted", "%s is an owner; only an owner may do this.", p.FullName())
}

// byAnOwner reports whether the system or an owner makes the change.
func (t *Trial) byAnOwner() bool {
	actor := t.before.State().Person(t.actor.Staff)
	return t.actor.System != "" || actor != nil && actor.Owner
}

// notOneself keeps everybody from changing their own access.
func (t *Trial) notOneself(p *people.Staff) error {
	if t.actor.System == "" && t.actor.Staff == p.ID {
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

// Editable says why a manager may not change a template, whatever it gives: they are assigned it, or one based on it,
// and nobody changes their own access.
func Editable(before *access.Snapshot, actor people.StaffID, t *permit.Template) error {
	d := &Trial{before: before, actor: Actor{Staff: actor}}
	return d.templateNotOwn(t)
}

// MayEdit says why a manager may not change what is kept of a person beside their record, such as a photo, which tells
// others who they are: it takes a permission at their home site, and nobody does it about themselves.
func MayEdit(before *access.Snapshot, actor people.StaffID, p *people.Staff, key string, now time.Time) error {
	d := &Trial{before: before, State: before.State(), actor: Actor{Staff: actor}, env: Env{Now: now}}
	if err := d.requireFor(key, p); err != nil {
		return err
	}
	return d.notOneself(p)
}

// MayActFor says why a manager may not do something about a person that takes a permission at their home site and
// standing over all that they may do by their record.
func MayActFor(before *access.Snapshot, actor people.StaffID, p *people.Staff, key string, now time.Time) error {
	d := &Trial{before: before, State: before.State(), actor: Actor{Staff: actor}, env: Env{Now: now}}
	if err := d.requireFor(key, p); err != nil {
		return err
	}
	return d.standing(p, 0, false)
}

// ceiling asks that the actor can give, at the place, every permission that a template gives, at its level, and all
// that its holders can give.
func (t *Trial) ceiling(template permit.TemplateID, place estate.PlaceID) error {
	if t.actor.System != "" {
		return nil
	}
	for _, of := range t.before.Gives(template, t.known(place), t.env.Now.Unix()) {
		if of.Place == t.known(place) {
			of.Place = place
		}
		if err := t.mayGive(of.Permission, of.Level, of.Place); err != nil {
			return err
		}
	}
	return nil
}

// mayGive asks that the actor can give a permission at a place, at the level or above. What this very change adds to
// the catalogue, or to a scale, nobody holds yet but owners.
func (t *Trial) mayGive(id permit.PermissionID, level permit.Level, place estate.PlaceID) error {
	if t.byAnOwner() || t.takesBack() {
		return nil
	}
	if t.before.Catalogue().Permission(id) != nil &&
		t.before.MayGive(t.actor.Staff, id, t.known(place), t.env.Now.Unix()) >= level {
		return nil
	}
	return fault.Refusedf("above-ceiling",
		"You cannot give “%s” at %s to this extent: you do not hold it there, and no template of yours says that you "+
			"can give it.",
		t.catalogue().Permission(id).Title, t.State.Place(place).Name)
}

// liftCeiling asks that whatever people gain by what is no longer withheld from them is the actor's to give there.
func (t *Trial) liftCeiling() error {
	if t.byAnOwner() {
		return nil
	}
	for _, e := range t.lifted {
		for _, gain := range access.Lifted(t.before, t.After, e.Staff, e.Permission, e.Place, t.env.Now.Unix()) {
			if err := t.mayGive(gain.Permission, gain.After, gain.Place); err != nil {
				return err
			}
		}
	}
	return nil
}

// placeCeiling asks that whatever people gain by what places are now is the actor's to give there: where a place
// stands, whether it is in use, when it is open, what it asks for and by what proof decide who may do what at it. What
// a place asked for until now is given to whoever has what it asks for next, also to those who come to have it later.
func (t *Trial) placeCeiling() error {
	if t.byAnOwner() {
		return nil
	}
	for id := range t.places {
		before, after := t.before.State().Place(id), t.State.Place(id)
		if asked := t.before.Catalogue().PermissionByKey(before.Asks); asked != nil &&
			(before.Asks != after.Asks || before.Proof != after.Proof || before.ProofOutside != after.ProofOutside) {
			if err := t.mayGive(asked.ID, 1, id); err != nil {
				return err
			}
		}
		if before.Parent != after.Parent {
			// What lies idle below would be felt when it comes back, and not now.
			for below := range t.before.Tree().Below(id) {
				if below.Retired && len(t.before.Inside(below.Place.ID)) > 0 {
					return fault.Refusedf("above-ceiling",
						"%s, which stands in %s, is retired and people are assigned at it; bring it back before "+
							"moving, or ask an owner.", below.Place.Name, before.Name)
				}
			}
		}
		// What it requires, or what it stands in does, is no work of the actor's to be freed from by themselves.
		freed := qualification.Without(t.before.RequiredAt(id), t.After.RequiredAt(id))
		eased := len(freed) > 0
		// Also where they will have left by then: brought back, they would have it on record.
		if actor := t.before.State().Person(t.actor.Staff); eased && actor != nil &&
			slices.Contains(t.before.Around(id), actor.ID) &&
			t.before.EverLacks(actor.ID, freed, t.env.Now.Unix()) {
			return t.notOneself(actor)
		}
		gains := access.At(t.before, t.After, id, t.env.Now.Unix()).Gains
		if before.TimeZone != after.TimeZone {
			// Those whose home it is begin and end here by its days, wherever they work.
			var theirs []people.StaffID
			for _, p := range t.State.Staff.All() {
				if p.HomeSite == id {
					theirs = append(theirs, p.ID)
				}
			}
			gains = append(gains, access.DiffPeople(t.before, t.After, theirs, t.env.Now.Unix()).Gains...)
		}
		for _, gain := range gains {
			switch p := t.State.Person(gain.Staff); {
			case p.Owner:
				continue // owners hold everything, whatever a place is
			case before.Parent == after.Parent && before.TimeZone == after.TimeZone &&
				t.before.Catalogue().OfConsole(t.catalogue().Permission(gain.Permission).Group):
				continue // a say over a place outlasts its retirement, and has no hours; it has dates
			case p.ID == t.actor.Staff && (gain.Hours || gain.Proof || eased || before.TimeZone != after.TimeZone ||
				before.Asks != after.Asks && gain.Place == id):
				return t.notOneself(p)
			}
			if err := t.mayGive(gain.Permission, gain.After, gain.Place); err != nil {
				return err
			}
		}
	}
	return nil
}

// standing asks that the actor may do all that somebody may by their record, whatever keeps them from using it now: who
// gives them a credential, or brings them back, could act as them. consoleOnly asks it of what they may do in this
// product alone; within asks it of what they may do at one place and below it.
func (t *Trial) standing(p *people.Staff, within estate.PlaceID, consoleOnly bool) error {
	if t.byAnOwner() || t.actor.Staff == p.ID || t.takesBack() {
		return nil
	}
	now := t.env.Now.Unix()
	for _, h := range t.before.OnRecord(p.ID, now) {
		permission, place := t.before.Catalogue().Permission(h.Permission), h.Place
		if consoleOnly && !t.before.Catalogue().OfConsole(permission.Group) {
			continue
		}
		if within != 0 {
			switch {
			case t.before.Tree().Within(t.known(within), place):
				place = t.known(within)
			case !t.before.Tree().Within(place, t.known(within)):
				continue
			}
		}
		if t.before.MayGive(t.actor.Staff, h.Permission, place, now) < h.Level {
			return fault.Refusedf("above-standing",
				"%s holds “%s” at %s, which you cannot give there to this extent. Ask somebody who can.",
				p.FullName(), permission.Title, t.before.State().Place(place).Name)
		}
	}
	return nil
}
