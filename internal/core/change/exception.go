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

var exceptionOperations = []Description{
	{Name: "exception.add", Do: "Make an exception for", Done: "Made an exception for",
		Needs: permit.ExceptStaff, Daily: true, Fields: exceptionForm{}, Makes: "exception", Undone: "exception.end",
		subject: exceptionEdited, apply: exceptionAdd},
	{Name: "exception.set", Do: "Set by exception for", Done: "Set by exception for",
		Needs: permit.ExceptStaff, Daily: true, Fields: exceptionForm{}, Makes: "exception", Undone: "exception.end",
		subject: exceptionEdited, apply: exceptionSet},
	{Name: "exception.edit", Do: "Change an exception for", Done: "Changed an exception for",
		Needs: permit.ExceptStaff, Daily: true, Fields: exceptionForm{}, subject: exceptionEdited,
		apply: exceptionEdit},
	{Name: "exception.end", Do: "End an exception for", Done: "Ended an exception for",
		Needs: permit.ExceptStaff, Daily: true, subject: exceptionEdited, apply: exceptionEnd},
	{Name: "exception.restore", Do: "Bring back an exception for", Done: "Brought back an exception for",
		Needs: permit.ExceptStaff, Daily: true, apply: exceptionRestore},
}

type exceptionForm struct {
	Staff      string `json:"staff"`
	Permission string `json:"permission"`
	Place      string `json:"place"`
	Withheld   bool   `json:"withheld"`
	Level      string `json:"level"`
	From       string `json:"from"`
	Until      string `json:"until"`
}

// exceptionForm reads the form of an exception and finds whom, where and what it names.
func (t *Trial) exceptionForm() (form *exceptionForm, p *people.Staff, place *estate.Place,
	permission *permit.Permission, err error) {
	form = &exceptionForm{}
	if err = t.form(form); err != nil {
		return
	}
	if p, err = t.findStaff("set.staff", form.Staff); err != nil {
		return
	}
	if place, err = t.findPlace("set.place", form.Place); err != nil {
		return
	}
	permission, err = t.findPermission("set.permission", form.Permission)
	return
}

func exceptionAdd(t *Trial) error {
	form, p, place, permission, err := t.exceptionForm()
	if err != nil {
		return err
	}
	return t.addException(p, place, permission, form)
}

func (t *Trial) addException(p *people.Staff, place *estate.Place, permission *permit.Permission,
	form *exceptionForm) error {
	if err := t.excepting(&org.Exception{Staff: p.ID, Place: place.ID, Permission: permission.ID,
		Withheld: form.Withheld}); err != nil {
		return err
	}
	switch {
	case permission.Retired:
		return fault.Conflictf("set.permission", "“%s” is retired", permission.Title)
	case !place.Kind.HoldsOthers() && !permission.AppliesTo(place.Kind):
		return fault.Invalidf("set.permission",
			"“%s” does not apply to a %s such as %s; choose a place it applies to, or one above", permission.Title,
			place.Kind.Words(), place.Code)
	case place.Retired:
		return fault.Conflictf("set.place", "%s is retired; choose a place in use", place.Name)
	}
	reason, err := t.why("an exception needs a reason; say why")
	if err != nil {
		return err
	}
	e := &org.Exception{ID: org.ExceptionID(t.State.Exceptions.Next()), Staff: p.ID, Place: place.ID,
		Permission: permission.ID,
		Withheld:   form.Withheld, Reason: reason, MadeAt: t.env.Now.UTC().Truncate(time.Second)}
	if err := t.fillException(e, form); err != nil {
		return err
	}
	for _, id := range t.State.ExceptionsOf(p.ID) {
		other := t.State.Exception(id)
		if !other.Ended && other.Permission == e.Permission && other.Place == e.Place && other.Withheld == e.Withheld &&
			other.Level == e.Level && other.From == e.From && other.Until == e.Until {
			return fault.Conflictf("set.permission", "this exception stands already: “%s” for %s at %s",
				permission.Title, p.FullName(), place.Name)
		}
	}
	if err := t.excepting(e); err != nil {
		return err
	}
	t.put(e)
	t.named(uint32(e.ID))
	return nil
}

// fillException reads dates and level.
func (t *Trial) fillException(e *org.Exception, form *exceptionForm) error {
	permission := t.catalogue().Permission(e.Permission)
	var err error
	if e.From, err = t.date("from", form.From); err != nil {
		return err
	}
	if e.Until, err = t.date("until", form.Until); err != nil {
		return err
	}
	if !e.Until.IsZero() && e.Until < e.From {
		return fault.Invalidf("set.until",
			"the exception ends on %s, before it begins on %s; put the end on or after the start", e.Until, e.From)
	}
	if e.Withheld {
		if form.Level != "" {
			return fault.Invalidf("set.level", "what is withheld has no level; leave it out")
		}
		return nil
	}
	if form.Level == "" && permission.Scale.Kind == permit.Switch {
		form.Level = "yes"
	}
	if e.Level, err = permission.Scale.Parse(form.Level); err != nil {
		return fault.Invalidf("set.level", "%s", err)
	}
	if e.Level == 0 {
		return fault.Invalidf("set.level", "an added permission needs a level above none; to take it away, withhold it")
	}
	return nil
}

// excepting checks the actor's authority over an exception that is made, changed or restored: what it gives must be
// theirs to give. To take something away nobody has to hold it; what is given back, as it is no longer withheld, is
// judged by what people gain.
func (t *Trial) excepting(e *org.Exception) error {
	if err := t.exceptable(e); err != nil || e.Withheld {
		return err
	}
	return t.mayGive(e.Permission, max(e.Level, 1), e.Place)
}

// exceptable checks the actor's authority to change what somebody has by exceptions at a place.
func (t *Trial) exceptable(e *org.Exception) error {
	p := t.State.Person(e.Staff)
	if err := t.ownersOnly(p); err != nil {
		return err
	}
	if err := t.notOneself(p); err != nil {
		return err
	}
	if err := t.require(permit.ExceptStaff, e.Place); err != nil {
		return err
	}
	if !e.Withheld && e.Level > 0 && t.view(p) != access.Whole {
		return fault.Refusedf("not-permitted",
			"%s belongs to another site: you may withhold something here, not add to it.", p.FullName())
	}
	return nil
}

// exception finds the one an operation is about and sees that the caller read the newest record.
func (t *Trial) exception() (*org.Exception, error) {
	e := t.State.Exception(org.ExceptionID(t.number(t.op.On)))
	if e == nil || !t.seesAt(e.Staff, e.Place) {
		return nil, fault.Missingf("on", "there is no exception %q that you may see", t.op.On)
	}
	if err := t.exceptable(e); err != nil {
		return nil, err
	}
	return e, t.fresh(e.Revision, "This exception")
}

func exceptionEdit(t *Trial) error {
	before, err := t.exception()
	if err != nil {
		return err
	}
	form := exceptionForm{From: before.From.String(), Until: before.Until.String()}
	if !before.Withheld {
		form.Level = t.catalogue().Permission(before.Permission).Scale.Word(before.Level)
	}
	if err := t.form(&form); err != nil {
		return err
	}
	switch {
	case form.Staff != "" || form.Place != "" || form.Permission != "" || form.Withheld:
		return fault.Invalidf("set", "an exception keeps its person, place, permission and sense; end it and make "+
			"another")
	case before.Ended:
		return fault.Conflictf("on", "this exception is ended already")
	}
	e := *before
	if err := t.fillException(&e, &form); err != nil {
		return err
	}
	less := e.Level <= before.Level && e.From >= before.From &&
		(before.Until.IsZero() || !e.Until.IsZero() && e.Until <= before.Until)
	if !less {
		if err := t.excepting(&e); err != nil {
			return err
		}
	}
	t.put(&e)
	return nil
}

func exceptionEnd(t *Trial) error     { return endException(t, true) }
func exceptionRestore(t *Trial) error { return endException(t, false) }

// endException ends an exception, or lets one that was ended count again: what undoing its end needs.
func endException(t *Trial, ended bool) error {
	before, err := t.exception()
	if err != nil {
		return err
	}
	if before.Ended == ended {
		return fault.Conflictf("on", map[bool]string{true: "this exception is ended already",
			false: "this exception has not ended"}[ended])
	}
	if !ended {
		if err := t.excepting(before); err != nil {
			return err
		}
	}
	e := *before
	e.Ended = ended
	t.put(&e)
	return nil
}

// exceptionSet makes somebody hold a permission at a place to a level, by exceptions alone: those there are at that
// very place end, and one is made where the templates give something else. Choosing what the templates give makes none,
// nor does an empty level, which sets back to what they give.
func exceptionSet(t *Trial) error {
	form, p, place, permission, err := t.exceptionForm()
	if err != nil {
		return err
	}
	if err := t.exceptable(&org.Exception{Staff: p.ID, Place: place.ID, Permission: permission.ID}); err != nil {
		return err
	}
	var level permit.Level
	if form.Level != "" {
		if level, err = permission.Scale.Parse(form.Level); err != nil {
			return fault.Invalidf("set.level", "%s", err)
		}
	}
	if form.Withheld {
		return fault.Invalidf("set.withheld", "say none as the level to withhold it")
	}
	// What the templates give, exceptions at this place left out, is judged on the state as the change has it so far.
	for _, id := range t.State.ExceptionsOf(p.ID) {
		e := t.State.Exception(id)
		if e.Ended || e.Permission != permission.ID || e.Place != place.ID {
			continue
		}
		if err := t.exceptable(e); err != nil {
			return err
		}
		ended := *e
		ended.Ended = true
		t.put(&ended)
	}
	if form.Level == "" {
		return nil
	}
	given, err := t.givenTo(p, permission, place)
	if err != nil {
		return err
	}
	switch {
	case level == given:
		return nil
	case level > 0 && level < given:
		return fault.Conflictf("set.level",
			"%s has “%s” at %s to %s by a template, and the highest level wins: withhold it, change the template, or "+
				"make a local setting for everybody who has it there",
			p.FullName(), permission.Title,
			place.Name, permission.Scale.Word(given))
	}
	form.Withheld = level == 0
	if form.Withheld {
		form.Level = ""
	}
	return t.addException(p, place, permission, form)
}

// givenTo is the level that somebody holds at a place by what the change has left in place so far.
func (t *Trial) givenTo(p *people.Staff, permission *permit.Permission, place *estate.Place) (permit.Level, error) {
	touched := access.Between(t.before.State(), t.State)
	touched.Staff = []people.StaffID{p.ID} // nobody else is asked about
	so, err := t.before.Next(t.State, touched)
	if err != nil {
		return 0, err
	}
	return so.Entitled(p.ID, permission.ID, place.ID, t.env.Now.Unix()).Level, nil
}
