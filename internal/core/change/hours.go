package change

import (
	"encoding/json"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// A schedule is a part of the rules that count everywhere, and nobody changes their own hours by it.
var scheduleKind = &simple[hours.Schedule, scheduleForm]{kind: "schedule", example: "EARLY",
	needs: permit.EditTemplates, nameField: "name", frozen: true,
	fresh: func(id uint32, code string) *hours.Schedule {
		return &hours.Schedule{ID: hours.ScheduleID(id), Code: code}
	},
	code: func(form *scheduleForm) string { return form.Code },
	name: func(c *hours.Schedule) string { return c.Name },
	form: func(c *hours.Schedule) scheduleForm {
		return scheduleForm{Code: c.Code, Name: c.Name, Summary: c.Summary}
	},
	// What has the hours of a schedule keeps them, so nobody gains or loses where it is retired
	retired: func(c *hours.Schedule) *bool { return &c.Retired },
	mayAdd:  editsTemplates,
	mayChange: func(t *Trial, c *hours.Schedule) error {
		if err := editsTemplates(t); err != nil {
			return err
		}
		return t.scheduleNotOwn(c.ID)
	},
	fill: func(t *Trial, _, c *hours.Schedule, form *scheduleForm) error {
		if err := describe(form.Name, form.Summary, "a schedule", &c.Name, &c.Summary); err != nil {
			return err
		}
		if err := t.fillHours(form.Hours, &c.Hours); err != nil {
			return err
		}
		if err := c.Check(); err != nil {
			return fault.Invalidf("set.hours", "%s", err)
		}
		return nil
	}}

var scheduleOperations = append(scheduleKind.operations(), []Description{
	{Name: "staff.hours", Do: "Set the access hours of", Done: "Set the access hours of", Needs: permit.AssignStaff,
		Daily: true, Fields: staffHoursForm{}, subject: fieldsEdited, apply: staffHours},
}...)

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
		schedule, err := coded[hours.Schedule](t, "schedule", "set.hours.schedule", form.Schedule)
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
	t.put(&p)
	return nil
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
