package change

import (
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/words"
)

var ownerOperations = []Description{
	{Name: "staff.make_owner", Do: "Make an owner of", Done: "Made an owner of",
		apply: staffMakeOwner},
	{Name: "staff.unmake_owner", Do: "Take ownership from", Done: "Took ownership from",
		apply: staffUnmakeOwner},
}

// ownersStay sees that an owner who can act remains when this one works on other days.
func (t *Trial) ownersStay(p *people.Staff, span people.Span) error {
	if span.Status(t.env.Now.Unix()) == people.Active && t.env.Now.Unix() < span.Contract && span.Gone == 1<<63-1 &&
		span.Contract == 1<<63-1 {
		return nil
	}
	return t.ownersLeft(p)
}

// ownersLeft sees that an owner who can act remains when this one no longer can.
func (t *Trial) ownersLeft(p *people.Staff) error {
	if !p.Owner {
		return nil
	}
	for _, other := range t.State.Staff.All() {
		if other.Owner && other.ID != p.ID && !other.Locked(t.env.Now) && t.stays(other) {
			return nil
		}
	}
	return fault.Refusedf("last-owner", "%s is the last owner who can act. Make somebody else an owner first.",
		p.FullName())
}

// stays reports whether somebody is at work, with no end of it on record.
func (t *Trial) stays(p *people.Staff) bool {
	return t.statusOf(p) == people.Active && p.ContractEnd.IsZero() && !p.Leaves()
}

func (t *Trial) byOwner() error {
	if actor := t.before.State().Person(t.actor.Staff); t.actor.System == "" && (actor == nil || !actor.Owner) {
		return fault.Refusedf("not-permitted", "Only an owner makes and unmakes owners.")
	}
	return nil
}

// owned finds the one whom an owner makes an owner, or no longer.
func (t *Trial) owned() (*people.Staff, error) {
	if err := t.byOwner(); err != nil {
		return nil, err
	}
	p, err := t.findStaff("on", t.op.On)
	if err != nil {
		return nil, err
	}
	return p, t.fresh(p.Revision, p.FullName())
}

func staffMakeOwner(t *Trial) error {
	before, err := t.owned()
	if err != nil {
		return err
	}
	if before.Owner {
		return fault.Conflictf("on", "%s is an owner already", before.FullName())
	}
	if limit := t.State.Settings.MaxOwners; t.State.Owners() >= limit {
		return fault.Refusedf("too-many-owners", "There are %s already, as many as the settings allow.",
			words.Count(limit, "owner", "owners"))
	}
	if t.statusOf(before) == people.Left {
		return fault.Conflictf("on", "%s has left", before.FullName())
	}
	p := *before
	p.Owner = true
	t.put(&p)
	return nil
}

func staffUnmakeOwner(t *Trial) error {
	before, err := t.owned()
	if err != nil {
		return err
	}
	if !before.Owner {
		return fault.Conflictf("on", "%s is not an owner", before.FullName())
	}
	if err := t.ownersLeft(before); err != nil {
		return err
	}
	p := *before
	p.Owner = false
	t.put(&p)
	return nil
}
