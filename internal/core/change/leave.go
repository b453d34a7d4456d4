package change

import (
	"time"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

var leavingOperations = []Description{
	{Name: "staff.leave", Do: "Record the leaving of", Done: "Recorded the leaving of",
		Needs: permit.RecordLeavers, Daily: true, Fields: leaveForm{}, apply: staffLeave},
	{Name: "staff.reinstate", Do: "Reinstate", Done: "Reinstated",
		Needs: permit.RecordLeavers, Daily: true, apply: staffReinstate},
}

// leaveForm says when somebody leaves: after a last day, or at a moment; at once where it says neither.
type leaveForm struct {
	On string `json:"on"` // last day that counts, at the home site; one that has passed ends access at once
	At string `json:"at"` // moment at which access ends, RFC 3339, or as the clock of the home site says; one that has passed: at once
}

func staffLeave(t *Trial) error {
	before, err := t.another(permit.RecordLeavers)
	if err != nil {
		return err
	}
	if err := t.standing(before, 0, true); err != nil {
		return err
	}
	if t.statusOf(before) == people.Left {
		return fault.Conflictf("on", "%s has left already", before.FullName())
	}
	if _, err := t.why("leaving needs a reason, such as end of season"); err != nil {
		return err
	}
	if err := t.ownersLeft(before); err != nil {
		return err
	}
	var form leaveForm
	if err := t.form(&form); err != nil {
		return err
	}
	p := *before
	if err := t.leaves(&p, &form); err != nil {
		return err
	}
	// A later moment than was planned brings them back
	if p.SpanIn(t.zoneOf(&p)).Gone > before.SpanIn(t.zoneOf(before)).Gone {
		if err := t.standing(before, 0, false); err != nil {
			return err
		}
	}
	t.put(&p)
	return nil
}

// leaves writes into a record when somebody leaves, in the place of what was planned before.
func (t *Trial) leaves(p *people.Staff, form *leaveForm) (err error) {
	p.LeavingDate, p.LeavesAt = 0, time.Time{}
	first := p.StartDate
	if first.IsZero() || p.Activated || first > t.today(t.State.Place(p.HomeSite)) && form.On == "" && form.At == "" {
		first = 0 // who never comes is recorded as a leaver at once
	}
	switch {
	case form.On != "" && form.At != "":
		return fault.Invalidf("set.at", "say the last day or the moment, and not both")
	case form.On != "":
		if p.LeavingDate, err = t.date("on", form.On); err != nil {
			return err
		}
		if p.LeavingDate < first {
			return fault.Invalidf("set.on", "%s starts on %s; the last day is that day or later", p.FullName(),
				p.StartDate)
		}
	case form.At != "":
		at, err := readMoment(form.At, t.zoneOf(p))
		if err != nil {
			return fault.Invalidf("set.at", "%q is not a moment; write it as 2026-11-30T18:00", form.At)
		}
		if day.Of(at.In(t.zoneOf(p))) < first {
			return fault.Invalidf("set.at", "%s starts on %s; the last moment is on that day or later", p.FullName(),
				p.StartDate)
		}
		// One that has passed is no moment at which access could still end
		if p.LeavesAt = at.UTC().Truncate(time.Second); t.actor.System == "" && at.Before(t.env.Now) {
			p.LeavesAt = t.env.Now.UTC().Truncate(time.Second)
		}
	default:
		p.LeavesAt = t.env.Now.UTC().Truncate(time.Second)
	}
	return nil
}

// undoneAtOnce is for how long after somebody has gone an undo of their leaving leaves their badges as they are, in
// seconds.
const undoneAtOnce = 24 * 60 * 60

func staffReinstate(t *Trial) error {
	before, err := t.another(permit.RecordLeavers)
	if err != nil {
		return err
	}
	if err := t.standing(before, 0, false); err != nil {
		return err
	}
	if before.Erased {
		return fault.Conflictf("on", "who %s was is erased; enrol them again", before.Number)
	}
	if !before.Leaves() {
		return fault.Conflictf("on", "%s has not left and has no leaving date", before.FullName())
	}
	gone := t.statusOf(before) == people.Left
	if since := t.env.Now.Unix() - before.SpanIn(t.zoneOf(before)).Gone; t.op.undoes && since < undoneAtOnce {
		gone = false // recorded by mistake: what they carry is still in their hands
	}
	p := *before
	p.LeavingDate, p.LeavesAt = 0, time.Time{}
	t.put(&p)
	if gone {
		t.suspendBadges(&p)
	}
	return nil
}

// suspendBadges suspends what somebody had with them while they were gone: nobody knows in whose hands it was.
func (t *Trial) suspendBadges(p *people.Staff) {
	for _, id := range t.State.CredentialsOf(p.ID) {
		c := *t.State.Credential(id)
		if c.Kind != credential.Badge || c.State != credential.Valid {
			continue
		}
		c.State, c.StateSince = credential.Suspended, t.env.Now.UTC().Truncate(time.Second)
		c.StateReason = "not taken back when they left"
		t.put(&c)
	}
}
