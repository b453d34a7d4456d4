package change

import (
	"time"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

var leavingOperations = []Description{
	{Name: "staff.depart", Do: "Record the departure of", Done: "Recorded the departure of",
		Needs: permit.DepartStaff, Daily: true, Fields: departForm{}, apply: staffDepart},
	{Name: "staff.reinstate", Do: "Reinstate", Done: "Reinstated",
		Needs: permit.DepartStaff, Daily: true, apply: staffReinstate},
}

type departForm struct {
	On string `json:"on"` // last day that counts; empty: at once
}

func staffDepart(d *Trial) error {
	before, err := d.another(permit.DepartStaff)
	if err != nil {
		return err
	}
	if err := d.standing(before, 0, true); err != nil {
		return err
	}
	if d.statusOf(before) == people.Departed {
		return fault.Conflictf("on", "%s has departed already", before.FullName())
	}
	if _, err := d.why("a departure needs a reason, such as end of season"); err != nil {
		return err
	}
	if err := d.ownersLeft(before); err != nil {
		return err
	}
	var form departForm
	if err := d.form(&form); err != nil {
		return err
	}
	p := *before
	if p.LeavingDate, err = d.date("on", form.On); err != nil {
		return err
	}
	switch {
	case form.On == "":
		p.DepartedAt = d.env.Now.UTC().Truncate(time.Second)
	case d.actor.System == "" && p.LeavingDate < day.Of(d.env.Now.In(d.before.Location(p.ID))):
		return fault.Invalidf("set.on", "the last day is today or later; leave it out to part at once")
	}
	if p.SpanIn(d.zoneOf(&p)).Gone > before.SpanIn(d.zoneOf(before)).Gone { // a later day than was planned brings them back
		if err := d.standing(before, 0, false); err != nil {
			return err
		}
	}
	d.putStaff(&p)
	return nil
}

func staffReinstate(d *Trial) error {
	before, err := d.another(permit.DepartStaff)
	if err != nil {
		return err
	}
	if err := d.standing(before, 0, false); err != nil {
		return err
	}
	if before.LeavingDate.IsZero() && before.DepartedAt.IsZero() {
		return fault.Conflictf("on", "%s has neither departed nor a leaving date", before.FullName())
	}
	p := *before
	p.LeavingDate, p.DepartedAt = 0, time.Time{}
	d.putStaff(&p)
	return nil
}
