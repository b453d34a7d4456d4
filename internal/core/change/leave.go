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

func staffDepart(t *Trial) error {
	before, err := t.another(permit.DepartStaff)
	if err != nil {
		return err
	}
	if err := t.standing(before, 0, true); err != nil {
		return err
	}
	if t.statusOf(before) == people.Departed {
		return fault.Conflictf("on", "%s has departed already", before.FullName())
	}
	if _, err := t.why("a departure needs a reason, such as end of season"); err != nil {
		return err
	}
	if err := t.ownersLeft(before); err != nil {
		return err
	}
	var form departForm
	if err := t.form(&form); err != nil {
		return err
	}
	p := *before
	if p.LeavingDate, err = t.date("on", form.On); err != nil {
		return err
	}
	switch {
	case form.On == "":
		p.DepartedAt = t.env.Now.UTC().Truncate(time.Second)
	case t.actor.System == "" && p.LeavingDate < day.Of(t.env.Now.In(t.before.Location(p.ID))):
		return fault.Invalidf("set.on", "the last day is today or later; leave it out to part at once")
	}
	// A later day than was planned brings them back
	if p.SpanIn(t.zoneOf(&p)).Gone > before.SpanIn(t.zoneOf(before)).Gone {
		if err := t.standing(before, 0, false); err != nil {
			return err
		}
	}
	t.putStaff(&p)
	return nil
}

func staffReinstate(t *Trial) error {
	before, err := t.another(permit.DepartStaff)
	if err != nil {
		return err
	}
	if err := t.standing(before, 0, false); err != nil {
		return err
	}
	if before.LeavingDate.IsZero() && before.DepartedAt.IsZero() {
		return fault.Conflictf("on", "%s has neither departed nor a leaving date", before.FullName())
	}
	p := *before
	p.LeavingDate, p.DepartedAt = 0, time.Time{}
	t.putStaff(&p)
	return nil
}
