package change

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"io"
	"time"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

type assignmentForm struct {
	Staff    string          `json:"staff"`
	Place    string          `json:"place"`
	Template string          `json:"template"`
	From     string          `json:"from"`
	Until    string          `json:"until"`
	Hours    json.RawMessage `json:"hours"`
}

func assignmentAdd(d *Draft) error {
	var form assignmentForm
	if err := d.form(&form); err != nil {
		return err
	}
	p, err := d.findStaff("set.staff", form.Staff)
	if err != nil {
		return err
	}
	place, err := d.findPlace("set.place", form.Place)
	if err != nil {
		return err
	}
	template, err := d.findTemplate("set.template", form.Template)
	if err != nil {
		return err
	}
	a := &org.Assignment{ID: org.AssignmentID(d.State.Assignments.Next()), Staff: p.ID, Place: place.ID, Template: template.ID}
	if err := d.fillAssignment(a, &form); err != nil {
		return err
	}
	if days := permit.DaysOf(template, d.State.Template); a.Until.IsZero() && days > 0 {
		a.Until = max(a.From, d.today(place)) + day.Date(days) - 1
	}
	switch {
	case d.statusOf(p) == people.Departed:
		return fault.Conflictf("set.staff", "%s has departed; reinstate first", p.FullName())
	case place.Retired:
		return fault.Conflictf("set.place", "%s is retired; choose a place in use", place.Name)
	case template.Retired:
		return fault.Conflictf("set.template", "the template %s is retired; choose another", template.Name)
	}
	if err := d.templateFits(template, place); err != nil {
		return err
	}
	for _, id := range d.State.AssignmentsOf(p.ID) {
		other := d.State.Assignment(id)
		if !other.Ended && other.Place == a.Place && other.Template == a.Template && overlap(a, other) {
			return fault.Conflictf("set.template", "%s is assigned at %s as %s in these days already; change that assignment's dates instead", p.FullName(), place.Name, template.Name)
		}
	}
	if err := d.assignable(a); err != nil {
		return err
	}
	d.putAssignment(a)
	d.named(uint32(a.ID))
	return nil
}

func overlap(a, b *org.Assignment) bool {
	return (a.Until.IsZero() || b.From <= a.Until) && (b.Until.IsZero() || a.From <= b.Until)
}

func (d *Draft) today(place *estate.Place) day.Date {
	if here := d.before.Tree().At(d.known(place.ID)); here != nil {
		return day.Of(d.env.Now.In(here.Location))
	}
	return day.Of(d.env.Now)
}

// templateFits asks that the template has at least one permission that applies to the kind of place. A site or
// zone takes any template that gives something, as places of every kind may come to stand below it.
func (d *Draft) templateFits(template *permit.Template, place *estate.Place) error {
	catalogue := d.catalogue()
	for id, resolved := range catalogue.Resolve(template, d.State.Template) {
		if resolved.Level > 0 && (place.Kind.HoldsOthers() || catalogue.Permission(permit.PermissionID(id)).AppliesTo(place.Kind)) {
			return nil
		}
	}
	return fault.Invalidf("set.template", "the template %s has no permission that applies to a %s; choose another template or another place", template.Name, place.Kind.Words())
}

// assignable checks the actor's authority over an assignment as it is to be.
func (d *Draft) assignable(a *org.Assignment) error {
	p := d.State.Person(a.Staff)
	if err := d.ownersOnly(p); err != nil {
		return err
	}
	if err := d.notOneself(p); err != nil {
		return err
	}
	if err := d.require(permit.AssignStaff, a.Place); err != nil {
		return err
	}
	return d.ceiling(a.Template, a.Place)
}

func (d *Draft) fillAssignment(a *org.Assignment, form *assignmentForm) error {
	var err error
	if a.From, err = d.date("from", form.From); err != nil {
		return err
	}
	if a.Until, err = d.date("until", form.Until); err != nil {
		return err
	}
	if !a.Until.IsZero() && a.Until < a.From {
		return fault.Invalidf("set.until", "the assignment ends on %s, before it begins on %s; put the end on or after the start", a.Until, a.From)
	}
	return hoursFrom(form.Hours, &a.Hours)
}

func (d *Draft) assignment() (*org.Assignment, error) {
	a := d.State.Assignment(org.AssignmentID(d.number(d.op.On)))
	if a == nil {
		return nil, fault.Missingf("on", "there is no assignment %q", d.op.On)
	}
	return a, d.fresh(a.Revision, "This assignment")
}

func assignmentEdit(d *Draft) error {
	before, err := d.assignment()
	if err != nil {
		return err
	}
	form := assignmentForm{From: before.From.String(), Until: before.Until.String()}
	if err := d.form(&form); err != nil {
		return err
	}
	if form.Staff != "" || form.Place != "" || form.Template != "" {
		return fault.Invalidf("set", "an assignment keeps its person, place and template; end it and make another")
	}
	a := *before
	if err := d.fillAssignment(&a, &form); err != nil {
		return err
	}
	if err := d.assignable(&a); err != nil {
		return err
	}
	d.putAssignment(&a)
	return nil
}

func assignmentEnd(d *Draft) error {
	before, err := d.assignment()
	if err != nil {
		return err
	}
	p := d.State.Person(before.Staff)
	if err := d.ownersOnly(p); err != nil {
		return err
	}
	if err := d.notOneself(p); err != nil {
		return err
	}
	if err := d.require(permit.AssignStaff, before.Place); err != nil {
		return err
	}
	if before.Ended {
		return fault.Conflictf("on", "this assignment is ended already")
	}
	a := *before
	a.Ended = true
	d.putAssignment(&a)
	return nil
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

func exceptionAdd(d *Draft) error {
	var form exceptionForm
	if err := d.form(&form); err != nil {
		return err
	}
	p, err := d.findStaff("set.staff", form.Staff)
	if err != nil {
		return err
	}
	place, err := d.findPlace("set.place", form.Place)
	if err != nil {
		return err
	}
	permission := d.catalogue().PermissionByKey(form.Permission)
	if permission == nil {
		return fault.Missingf("set.permission", "the catalogue has no permission %q", form.Permission)
	}
	if d.reason == "" {
		return fault.Invalidf("reason", "an exception needs a reason")
	}
	e := &org.Exception{ID: org.ExceptionID(d.State.Exceptions.Next()), Staff: p.ID, Place: place.ID, Permission: permission.ID,
		Withheld: form.Withheld, Reason: d.reason, MadeAt: d.env.Now.UTC().Truncate(time.Second)}
	if e.From, err = d.date("from", form.From); err != nil {
		return err
	}
	if e.Until, err = d.date("until", form.Until); err != nil {
		return err
	}
	if !e.Until.IsZero() && e.Until < e.From {
		return fault.Invalidf("set.until", "the exception ends on %s, before it begins on %s", e.Until, e.From)
	}
	if !e.Withheld {
		if form.Level == "" && permission.Scale.Kind == permit.Switch {
			form.Level = "yes"
		}
		if e.Level, err = permission.Scale.Parse(form.Level); err != nil || e.Level == 0 {
			return fault.Invalidf("set.level", "an added permission needs a level above none")
		}
	}
	if err := d.excepting(e); err != nil {
		return err
	}
	d.putException(e)
	d.named(uint32(e.ID))
	return nil
}

// excepting checks the actor's authority over an exception: what it gives, or gives back when it ends, must be theirs to give.
func (d *Draft) excepting(e *org.Exception) error {
	p := d.State.Person(e.Staff)
	if err := d.ownersOnly(p); err != nil {
		return err
	}
	if err := d.notOneself(p); err != nil {
		return err
	}
	if err := d.require(permit.ExceptStaff, e.Place); err != nil {
		return err
	}
	return d.mayGive(e.Permission, max(e.Level, 1), e.Place)
}

func exceptionEnd(d *Draft) error {
	before := d.State.Exception(org.ExceptionID(d.number(d.op.On)))
	if before == nil {
		return fault.Missingf("on", "there is no exception %q", d.op.On)
	}
	if err := d.fresh(before.Revision, "This exception"); err != nil {
		return err
	}
	if before.Ended {
		return fault.Conflictf("on", "this exception is ended already")
	}
	if err := d.excepting(before); err != nil {
		return err
	}
	e := *before
	e.Ended = true
	d.putException(&e)
	return nil
}

type deviceForm struct {
	Name  string `json:"name"`
	Place string `json:"place"`
	Token string `json:"token"` // chosen by a system actor only; otherwise generated
}

func deviceAdd(d *Draft) error {
	var form deviceForm
	if err := d.form(&form); err != nil {
		return err
	}
	place, err := d.findPlace("set.place", form.Place)
	if err != nil {
		return err
	}
	if err := d.require(permit.ManageDevices, place.ID); err != nil {
		return err
	}
	name := people.Tidy(form.Name)
	if name == "" {
		return fault.Invalidf("set.name", "a device needs a name")
	}
	if err := bounded("name", name, 120); err != nil {
		return err
	}
	for _, other := range d.State.Devices.All() {
		if other.Name == name && !other.Revoked {
			return fault.Conflictf("set.name", "a device %s is connected already", name)
		}
	}
	token := form.Token
	if token == "" || d.actor.System == "" {
		var random [32]byte
		if _, err := io.ReadFull(orRandom(d.env.Random), random[:]); err != nil {
			return err
		}
		token = DeviceTokenPrefix + base64.RawURLEncoding.EncodeToString(random[:])
	}
	d.Secrets = append(d.Secrets, Secret{Operation: d.index, Kind: "device_token", Owner: name, Value: token})
	v := &org.Device{ID: org.DeviceID(d.State.Devices.Next()), Name: name, Place: place.ID, Token: sha256.Sum256([]byte(token))}
	d.putDevice(v)
	d.named(uint32(v.ID))
	return nil
}

// DeviceTokenPrefix begins every device token, so that one is recognised as such where it turns up.
const DeviceTokenPrefix = "lld_"

func orRandom(random io.Reader) io.Reader {
	if random == nil {
		return rand.Reader
	}
	return random
}

func deviceRevoke(d *Draft) error {
	before := d.State.Devices.Get(d.number(d.op.On))
	if before == nil {
		return fault.Missingf("on", "there is no device %q", d.op.On)
	}
	if err := d.require(permit.ManageDevices, before.Place); err != nil {
		return err
	}
	if err := d.fresh(before.Revision, before.Name); err != nil {
		return err
	}
	if before.Revoked {
		return fault.Conflictf("on", "%s is disconnected already", before.Name)
	}
	v := *before
	v.Revoked = true
	d.putDevice(&v)
	return nil
}
