package change

import (
	"cmp"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

var staffOperations = []Description{
	{Name: "staff.enrol", Taken: true, Do: "Enrol", Done: "Enrolled",
		Needs: permit.EnrolStaff, Daily: true, Fields: people.Fields,
		Makes: "staff", Undone: "staff.leave", apply: staffEnrol},
	{Name: "staff.edit", Taken: true, Do: "Change the record of", Done: "Changed the record of",
		Needs: permit.EditStaff, Daily: true, Fields: people.Fields, subject: fieldsEdited, apply: staffEdit},
	{Name: "staff.activate", Do: "Activate", Done: "Activated",
		Needs: permit.EditStaff, Daily: true, apply: staffActivate},
}

// staffFields are the fields of a person's record that an operation sets, as they are written.
func (t *Trial) staffFields() (map[string]string, error) {
	var raw map[string]any
	if err := t.form(&raw); err != nil {
		return nil, err
	}
	nested, _ := raw["own"].(map[string]any)
	for key := range nested {
		if _, twice := raw[people.OwnPrefix+key]; twice {
			return nil, fault.Invalidf("set."+people.OwnPrefix+key, "own.%s is said twice; say it once", key)
		}
	}
	raw = flat(raw)
	fields := make(map[string]string, len(raw))
	for _, name := range sortedKeys(raw) {
		key, own := strings.CutPrefix(name, people.OwnPrefix)
		known := fieldNamed(name) != nil || own && t.knowsField(key)
		text, isText := raw[name].(string)
		switch {
		case !known:
			return nil, fault.Invalidf("set."+name, "there is no field %s here", name)
		case isText:
			fields[name] = text
		case raw[name] != nil:
			return nil, fault.Invalidf("set."+name, "%s is a text and takes nothing else",
				name)
		}
	}
	return fields, nil
}

// fillStaff writes fields into a record; those that are not among them stay as they are.
func (t *Trial) fillStaff(p *people.Staff, fields map[string]string) error {
	for _, field := range people.Fields {
		if written, is := fields[field.Name]; is {
			// Asked before it is compared: else a guess that is right would be told from one that is not.
			if field.SeenBy != "" && (written != "" || !t.enrolling(p)) {
				if err := t.writes(p, field.Name); err != nil {
					return err
				}
			}
			if err := t.fillField(p, &field, written); err != nil {
				return err
			}
		}
	}
	if err := t.fillOwn(p, fields); err != nil {
		return err
	}
	if field, err := p.Check(); err != nil {
		return fault.Invalidf("set."+field, "%s", err)
	}
	return nil
}

func (t *Trial) fillField(p *people.Staff, field *people.Field, written string) (err error) {
	switch {
	case field.Text != nil:
		*field.Text(p) = words.Tidy(written)
		return bounded(field.Name, *field.Text(p), field.Longest)
	case field.Date != nil:
		*field.Date(p), err = t.date(field.Name, written)
		return err
	case field.Engagement != nil:
		*field.Engagement(p) = cmp.Or(people.Engagement(written), people.Employee)
	case field.Site != nil:
		site, err := t.findPlace("set."+field.Name, written)
		if err != nil {
			return err
		}
		if site.Kind != estate.Site {
			return fault.Invalidf("set."+field.Name, "%s is not a site; choose the site that somebody belongs to",
				site.Code)
		}
		*field.Site(p) = site.ID
	case field.Person != nil:
		// One who is not changed may be somebody whom the actor does not see.
		if now := t.State.Person(*field.Person(p)); now != nil && written == now.Number {
			return nil
		}
		*field.Person(p) = 0
		if written == "" {
			return nil
		}
		other, err := t.findStaff("set."+field.Name, written)
		if err != nil {
			return err
		}
		*field.Person(p) = other.ID
	}
	return nil
}

// emailFree sees that nobody else has somebody's work email. Who has it is told to those who may see them.
func (t *Trial) emailFree(p *people.Staff) error {
	if was := t.before.State().Person(p.ID); (was == nil || was.Email != p.Email) && !people.Reachable(p.Email) {
		return fault.Invalidf("set.email", "%q names no domain that mail could reach; write it as name@example.org, "+
			"or "+
			"leave it empty", p.Email)
	}
	other := t.State.StaffByEmail(p.Email)
	switch {
	case p.Email == "" || other == nil || other.ID == p.ID:
		return nil
	case t.view(other) == access.Whole:
		return fault.Conflictf("set.email", "%s %s has this work email already; a work email belongs to one person",
			other.Number, other.FullName())
	}
	return fault.Takenf(false, "set.email", p.Email,
		"this work email is in use already; a work email belongs to one person")
}

func staffEnrol(t *Trial) error {
	fields, err := t.staffFields()
	if err != nil {
		return err
	}
	site, err := t.findPlace("set.home_site", fields["home_site"])
	if err != nil {
		return err
	}
	if err := t.require(permit.EnrolStaff, site.ID); err != nil {
		return err
	}
	p := &people.Staff{ID: people.StaffID(t.State.Staff.Next()), Engagement: people.Employee, StartDate: t.today(site)}
	if fields["start_date"] == "" {
		delete(fields, "start_date")
	}
	if err := t.fillStaff(p, fields); err != nil {
		return err
	}
	if p.Number == "" {
		p.Number = NextNumber(t.State, &t.State.Settings, p)
	}
	if err := checkCode("set.staff_number", p.Number, "S00123"); err != nil {
		return err
	}
	if other := t.State.StaffByNumber(p.Number); other != nil {
		if t.view(other) == access.Hidden {
			return fault.Takenf(false, "set.staff_number", p.Number, "the staff number %s is in use already", p.Number)
		}
		return fault.Conflictf("set.staff_number", "%s has the staff number %s already", other.FullName(), p.Number)
	}
	if err := t.emailFree(p); err != nil {
		return err
	}
	t.put(p)
	t.named(uint32(p.ID))
	return nil
}

// NextNumber makes the next staff number for somebody by the numbering rule, one that nobody has.
func NextNumber(state *org.State, rule *org.Settings, p *people.Staff) string {
	site := ""
	if home := state.Place(p.HomeSite); home != nil {
		site = home.Code
	}
	n := state.Staff.Next()
	if rule.NumberedByName() {
		n = 1
	}
	for ; ; n++ {
		if number := rule.NumberOf(p, site, n); state.StaffByNumber(number) == nil {
			return number
		}
	}
}

// person finds the one an operation is about, for somebody who holds the permission it needs at their home site, and
// sees that the caller read the newest record.
func (t *Trial) person(key string) (*people.Staff, error) {
	p, err := t.findStaff("on", t.op.On)
	if err != nil {
		return nil, err
	}
	if err := t.requireFor(key, p); err != nil {
		return nil, err
	}
	return p, t.fresh(p.Revision, p.FullName())
}

// another is person for what nobody does to themselves.
func (t *Trial) another(key string) (*people.Staff, error) {
	p, err := t.person(key)
	if err != nil {
		return nil, err
	}
	return p, t.notOneself(p)
}

func staffEdit(t *Trial) error {
	before, err := t.person(permit.EditStaff)
	if err != nil {
		return err
	}
	if before.Erased {
		return fault.Conflictf("on", "who %s was is erased, and nothing is written there any more", before.Number)
	}
	fields, err := t.staffFields()
	if err != nil {
		return err
	}
	p := *before
	if err := t.fillStaff(&p, fields); err != nil {
		return err
	}
	if p.Number != before.Number {
		return fault.Invalidf("set.staff_number", "a staff number stays with the person; it cannot be changed")
	}
	if p.HomeSite != before.HomeSite {
		if err := t.require(permit.EditStaff, p.HomeSite); err != nil {
			return err
		}
	}
	if err := t.bringsBack(before, &p); err != nil {
		return err
	}
	if err := t.emailFree(&p); err != nil {
		return err
	}
	t.put(&p)
	return nil
}

// bringsBack asks for standing where an edit of a record changes how somebody signs in, or on which days they work.
func (t *Trial) bringsBack(before, after *people.Staff) error {
	if before.Email != after.Email { // secrets go there, now or later
		if err := t.standing(before, 0, false); err != nil {
			return err
		}
	}
	was, is := before.SpanIn(t.zoneOf(before)), after.SpanIn(t.zoneOf(after))
	if was == is {
		return nil
	}
	if err := t.notOneself(before); err != nil {
		return err
	}
	if err := t.ownersStay(before, is); err != nil {
		return err
	}
	wider := is.Start < was.Start || is.Contract > was.Contract || is.Gone > was.Gone
	return t.standing(before, 0, !wider)
}

// zoneOf is the time zone in which somebody's dates count.
func (t *Trial) zoneOf(p *people.Staff) *time.Location { return t.zoneAt(p.HomeSite) }

// zoneAt is the time zone of a place.
func (t *Trial) zoneAt(id estate.PlaceID) *time.Location {
	if here := t.before.Tree().At(t.known(id)); here != nil {
		return here.Location
	}
	return time.UTC
}

// staffActivate lets somebody work before their start date. What was to begin on that date begins now; what was to
// begin on another keeps it. Standing is judged by all that they hold on record, whenever it begins.
func staffActivate(t *Trial) error {
	before, err := t.another(permit.EditStaff)
	if err != nil {
		return err
	}
	if err := t.standing(before, 0, false); err != nil {
		return err
	}
	if status := t.statusOf(before); status != people.Prepared {
		return fault.Conflictf("on", "%s is %s; only somebody who is prepared is activated", before.FullName(), status)
	}
	p := *before
	p.Activated = true
	t.put(&p)
	for _, id := range t.State.AssignmentsOf(p.ID) {
		a := *t.State.Assignment(id)
		if today := t.today(t.State.Place(a.Place)); beginsLater(a.From, p.StartDate, today) && !a.Ended {
			if a.From = today; !t.assignedAlready(&a) { // else the other counts until then
				t.put(&a)
			}
		}
	}
	for _, id := range t.State.ExceptionsOf(p.ID) {
		e := *t.State.Exception(id)
		if today := t.today(t.State.Place(e.Place)); beginsLater(e.From, p.StartDate, today) && !e.Ended {
			e.From = today
			t.put(&e)
		}
	}
	return nil
}

// beginsLater reports whether something begins on a start date that is still to come.
func beginsLater(from, start, today day.Date) bool { return from == start && from > today }

func (t *Trial) statusOf(p *people.Staff) people.Status {
	return p.SpanIn(t.zoneOf(p)).Status(t.env.Now.Unix())
}
