package change

import (
	"encoding/json"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

var scheduleOperations = []Description{
	{Name: "schedule.add", Do: "Add schedule", Done: "Added schedule", Needs: permit.EditTemplates,
		Fields: scheduleForm{}, Makes: "schedule", Undone: "schedule.retire", apply: scheduleAdd},
	{Name: "schedule.edit", Do: "Change schedule", Done: "Changed schedule", Needs: permit.EditTemplates,
		Fields: scheduleForm{}, subject: fieldsEdited, apply: scheduleEdit},
	{Name: "schedule.retire", Do: "Retire schedule", Done: "Retired schedule", Needs: permit.EditTemplates,
		apply: scheduleRetire},
	{Name: "schedule.restore", Do: "Bring back schedule", Done: "Brought back schedule",
		Needs: permit.EditTemplates, apply: scheduleRestore},
	{Name: "staff.hours", Do: "Set the access hours of", Done: "Set the access hours of", Needs: permit.AssignStaff,
		Daily: true, Fields: staffHoursForm{}, subject: fieldsEdited, apply: staffHours},
}

type scheduleForm struct {
	Code    string          `json:"code"`
	Name    string          `json:"name"`
	Summary string          `json:"summary"`
	Hours   json.RawMessage `json:"hours"`
}

type staffHoursForm struct {
	Hours json.RawMessage `json:"hours"` // of the assignments that state none
}

// hoursForm are access hours as they are written: a schedule by its code or number.
type hoursForm struct {
	Kind          hours.Kind   `json:"kind"`
	BeforeMinutes int          `json:"before_minutes"`
	AfterMinutes  int          `json:"after_minutes"`
	Rules         []hours.Rule `json:"rules"`
	Schedule      string       `json:"schedule"`
}

// fillHours reads access hours from a form; nothing sent keeps what is there. What had the hours of a schedule may keep
// them, also where that is retired by now.
func (t *Trial) fillHours(raw json.RawMessage, into *hours.Access) error {
	if len(raw) == 0 {
		return nil
	}
	var form hoursForm
	if err := decode(raw, &form, "set.hours"); err != nil {
		return err
	}
	read := hours.Access{Kind: form.Kind, BeforeMinutes: form.BeforeMinutes, AfterMinutes: form.AfterMinutes,
		Rules: form.Rules}
	if form.Schedule != "" {
		schedule, err := t.findSchedule("set.hours.schedule", form.Schedule)
		if err != nil {
			return err
		}
		if read.Schedule = schedule.ID; schedule.Retired && into.Schedule != schedule.ID {
			return fault.Conflictf("set.hours.schedule", "%s is retired; bring it back before giving its hours",
				schedule.Name)
		}
	}
	if err := read.Check(); err != nil {
		return fault.Invalidf("set.hours", "%s", err)
	}
	*into = read
	return nil
}

// findSchedule finds a schedule by its code or number.
func (t *Trial) findSchedule(field, reference string) (*hours.Schedule, error) {
	if c := t.State.ScheduleByCode(reference); c != nil {
		return c, nil
	}
	if c := t.State.Schedule(hours.ScheduleID(t.number(reference))); c != nil {
		return c, nil
	}
	return nil, fault.Missingf(field, "no schedule has the code %q", reference)
}

func (t *Trial) fillSchedule(c *hours.Schedule, form *scheduleForm) error {
	if c.Name, c.Summary = words.Tidy(form.Name), words.Tidy(form.Summary); c.Name == "" {
		return fault.Invalidf("set.name", "a schedule needs a name")
	}
	if err := bounded("name", c.Name, 120); err != nil {
		return err
	}
	if err := bounded("summary", c.Summary, 1000); err != nil {
		return err
	}
	if err := t.fillHours(form.Hours, &c.Hours); err != nil {
		return err
	}
	if err := c.Check(); err != nil {
		return fault.Invalidf("set.hours", "%s", err)
	}
	return nil
}

func scheduleAdd(t *Trial) error {
	var form scheduleForm
	if err := t.form(&form); err != nil {
		return err
	}
	if err := t.require(permit.EditTemplates, 0); err != nil {
		return err
	}
	if err := checkCode("set.code", form.Code, "EARLY"); err != nil {
		return err
	}
	if t.State.ScheduleByCode(form.Code) != nil {
		return fault.Conflictf("set.code", "there is a schedule %s already; choose another code", form.Code)
	}
	c := &hours.Schedule{ID: hours.ScheduleID(t.State.Schedules.Next()), Code: form.Code}
	if err := t.fillSchedule(c, &form); err != nil {
		return err
	}
	t.putSchedule(c)
	t.named(uint32(c.ID))
	return nil
}

// scheduleToChange finds the schedule that an operation is about, for somebody who may change it: it is a part of the
// rules that count everywhere, and nobody changes their own hours by it.
func (t *Trial) scheduleToChange() (*hours.Schedule, error) {
	c, err := t.findSchedule("on", t.op.On)
	if err != nil {
		return nil, err
	}
	if err := t.require(permit.EditTemplates, 0); err != nil {
		return nil, err
	}
	if err := t.scheduleNotOwn(c.ID); err != nil {
		return nil, err
	}
	return c, t.fresh(c.Revision, c.Name)
}

// scheduleNotOwn keeps a manager from changing their own hours by way of a schedule that they have.
func (t *Trial) scheduleNotOwn(id hours.ScheduleID) error {
	actor := t.before.State().Person(t.actor.Staff)
	if t.actor.System != "" || actor == nil || actor.Owner {
		return nil
	}
	if actor.Hours.Schedule == id {
		return t.notOneself(actor)
	}
	for _, number := range t.before.State().AssignmentsOf(actor.ID) {
		a := t.before.State().Assignment(number)
		if _, _, schedule := t.before.HoursOf(a); !a.Ended && schedule != nil && schedule.ID == id {
			return t.notOneself(actor)
		}
	}
	return nil
}

// ScheduleEditable says why a manager may not change a schedule, whatever it says: its hours are theirs.
func ScheduleEditable(live *access.Snapshot, actor people.StaffID, id hours.ScheduleID) error {
	return (&Trial{before: live, actor: Actor{Staff: actor}}).scheduleNotOwn(id)
}

func scheduleEdit(t *Trial) error {
	before, err := t.scheduleToChange()
	if err != nil {
		return err
	}
	if before.Retired {
		return fault.Conflictf("on", "%s is retired; bring it back before changing it", before.Name)
	}
	form := scheduleForm{Code: before.Code, Name: before.Name, Summary: before.Summary}
	if err := t.form(&form); err != nil {
		return err
	}
	if form.Code != before.Code {
		return fault.Invalidf("set.code", "a schedule keeps its code; change its name instead")
	}
	c := *before
	if err := t.fillSchedule(&c, &form); err != nil {
		return err
	}
	t.putSchedule(&c)
	return nil
}

// retireSchedule takes a schedule out of use, or back into it. What has its hours keeps them, so nobody gains or loses
// by it.
func (t *Trial) retireSchedule(retired bool) error {
	before, err := t.scheduleToChange()
	if err != nil {
		return err
	}
	if before.Retired == retired {
		return fault.Conflictf("on", "%s is %s already", before.Name, retiredWord(retired))
	}
	c := *before
	c.Retired = retired
	t.putSchedule(&c)
	return nil
}

func scheduleRetire(t *Trial) error  { return t.retireSchedule(true) }
func scheduleRestore(t *Trial) error { return t.retireSchedule(false) }

// staffHours sets the hours of all assignments of somebody that state none, which is for whoever may change each of
// them.
func staffHours(t *Trial) error {
	before, err := t.findStaff("on", t.op.On)
	if err != nil {
		return err
	}
	if err := t.requireFor(permit.AssignStaff, before); err != nil {
		return err
	}
	if err := t.notOneself(before); err != nil {
		return err
	}
	for _, id := range t.State.AssignmentsOf(before.ID) {
		if a := t.State.Assignment(id); !a.Ended && a.Hours.Kind == hours.Inherit {
			if err := t.assignable(a); err != nil {
				return err
			}
		}
	}
	if err := t.fresh(before.Revision, before.FullName()); err != nil {
		return err
	}
	var form staffHoursForm
	if err := t.form(&form); err != nil {
		return err
	}
	if len(form.Hours) == 0 {
		return fault.Invalidf("set.hours", "say which hours; an empty object takes those of the templates")
	}
	p := *before
	if err := t.fillHours(form.Hours, &p.Hours); err != nil {
		return err
	}
	t.putStaff(&p)
	return nil
}

func (t *Trial) putSchedule(c *hours.Schedule) {
	before := t.State.Schedule(c.ID)
	c.Revision = t.next()
	t.State.PutSchedule(c)
	t.wrote("schedule", uint32(c.ID), c.Code+" "+c.Name, orNil(before), c)
}

// hoursCeiling asks that whatever people may do at more hours, by what a template or a schedule says now, is the
// actor's to give there, and nothing of their own.
func (t *Trial) hoursCeiling() error {
	if !t.Touched.Catalogue && !t.Touched.Schedules || t.byAnOwner() {
		return nil
	}
	for i := range t.Effect.Gains {
		gain := &t.Effect.Gains[i]
		if !gain.Hours {
			continue
		}
		if p := t.State.Person(gain.Staff); p.ID == t.actor.Staff {
			return t.notOneself(p)
		}
		if err := t.mayGive(gain.Permission, gain.After, gain.Place); err != nil {
			return err
		}
	}
	return nil
}

// scheduleInUse refuses where a later change gives the hours of a schedule that was made.
func (u *undoing) scheduleInUse(c *hours.Schedule) error {
	for _, t := range u.state.Templates.All() {
		if u.later("template", uint32(t.ID), t.Revision) && !t.Retired && t.Hours.Schedule == c.ID {
			return builtUpon("the template %s has the hours of %s by a later change. Undo that first.", t.Name, c.Name)
		}
	}
	whose := func(id people.StaffID) error {
		return builtUpon("%s has the hours of %s by a later change. Undo that first.",
			u.state.Person(id).FullName(), c.Name)
	}
	for _, p := range u.state.Staff.All() {
		if u.later("place", uint32(p.ID), p.Revision) && p.Hours.Schedule == c.ID {
			return whose(p.ID)
		}
	}
	for _, a := range u.state.Assignments.All() {
		if u.later("assignment", uint32(a.ID), a.Revision) && !a.Ended && a.Hours.Schedule == c.ID {
			return whose(a.Staff)
		}
	}
	return nil
}

// hoursWritten turns access hours, as JSON has them in a record, into what a form takes.
func hoursWritten(value any) any {
	of, is := value.(map[string]any)
	if !is {
		return map[string]any{}
	}
	if schedule := number(of["schedule"]); schedule != "" {
		return map[string]any{"kind": of["kind"], "schedule": schedule}
	}
	return of
}

// HoursForm are access hours as a form takes them and people read them: a schedule by its code.
func HoursForm(state *org.State, a *hours.Access) any {
	form := hoursForm{Kind: a.Kind, BeforeMinutes: a.BeforeMinutes, AfterMinutes: a.AfterMinutes, Rules: a.Rules}
	if schedule := state.Schedule(a.Schedule); schedule != nil {
		form.Schedule = schedule.Code
	}
	return form
}
