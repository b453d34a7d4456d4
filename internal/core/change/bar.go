package change

import (
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

var barOperations = []Description{
	{Name: "bar.add", Do: "Bar", Done: "Barred",
		Needs: permit.LockStaff, Daily: true, Fields: barForm{}, Makes: "bar", Undone: "bar.end", apply: barAdd},
	{Name: "bar.end", Do: "Lift the bar of", Done: "Lifted the bar of",
		Needs: permit.LockStaff, Daily: true, apply: barEnd},
}

type barForm struct {
	Staff string `json:"staff"`
	Place string `json:"place"`
	Until string `json:"until"`
}

// barAdd locks somebody out of a place and all below it. It is what somebody who looks after a place may do about a
// person from another site, and as with a lock it takes, of those who hold anything in this product there, that as
// well.
func barAdd(t *Trial) error {
	var form barForm
	if err := t.form(&form); err != nil {
		return err
	}
	place, err := t.findPlace("set.place", form.Place)
	if err != nil {
		return err
	}
	if err := t.require(permit.LockStaff, place.ID); err != nil {
		return err
	}
	p, err := t.findStaff("set.staff", form.Staff)
	if err != nil {
		return err
	}
	if err := t.barrable(p, place); err != nil {
		return err
	}
	if err := t.standing(p, place.ID, true); err != nil {
		return err
	}
	reason, err := t.why("a bar needs a reason; say why %s is kept out of %s", p.Called(), place.Name)
	if err != nil {
		return err
	}
	if place.Retired {
		return fault.Conflictf("set.place", "%s is retired; choose a place in use", place.Name)
	}
	for _, id := range t.State.BarsOf(p.ID) {
		if b := t.State.Bar(id); b.Place == place.ID && b.Holds(t.env.Now) {
			return fault.Conflictf("set.place", "%s is barred from %s already: %s", p.FullName(), place.Name, b.Reason)
		}
	}
	b := &org.Bar{ID: org.BarID(t.State.Bars.Next()), Staff: p.ID, Place: place.ID, Reason: reason,
		Since: t.env.Now.UTC().Truncate(time.Second), By: t.actor.Staff}
	if b.Until, err = t.moment(form.Until, t.zoneAt(place.ID), "bar until it is lifted"); err != nil {
		return err
	}
	t.put(b)
	t.named(uint32(b.ID))
	return nil
}

// barrable asks that somebody is neither the actor nor an owner, who may do everything everywhere.
func (t *Trial) barrable(p *people.Staff, place *estate.Place) error {
	if err := t.notOneself(p); err != nil {
		return err
	}
	if p.Owner {
		return fault.Refusedf("not-permitted", "%s is an owner and cannot be barred from %s.", p.FullName(), place.Name)
	}
	return nil
}

func barEnd(t *Trial) error {
	before := t.State.Bar(org.BarID(t.number(t.op.On)))
	if before == nil || t.view(t.State.Person(before.Staff)) == access.Hidden ||
		!t.sees().At(before.Staff, before.Place) && t.view(t.State.Person(before.Staff)) != access.Whole {
		return fault.Missingf("on", "there is no bar %q that you may see", t.op.On)
	}
	if err := t.require(permit.LockStaff, before.Place); err != nil {
		return err
	}
	p := t.State.Person(before.Staff)
	if err := t.barrable(p, t.State.Place(before.Place)); err != nil {
		return err
	}
	if before.By != t.actor.Staff { // whoever barred somebody may lift the bar
		if err := t.standing(p, before.Place, false); err != nil {
			return err
		}
	}
	if err := t.fresh(before.Revision, "This bar"); err != nil {
		return err
	}
	if before.Ended {
		return fault.Conflictf("on", "this bar is lifted already")
	}
	b := *before
	b.Ended = true
	t.put(&b)
	return nil
}
