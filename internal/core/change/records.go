package change

import (
	"encoding/json"
	"fmt"
	"reflect"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

// wrote notes that a record was written, for the store and for the audit log.
func (t *Trial) wrote(kind string, id uint32, label string, before, after any) {
	name := fmt.Sprintf("%s:%d", kind, id)
	if at, again := t.seen[name]; again {
		t.Written[at].Value, t.Written[at].index = after, t.index
	} else {
		t.seen[name] = len(t.Written)
		t.Written = append(t.Written, Record{Value: after, New: before == nil, index: t.index})
	}
	was, is := t.fields(before), t.fields(after)
	for field, value := range is {
		if old, had := was[field]; had && reflect.DeepEqual(old, value) {
			delete(was, field)
			delete(is, field)
		}
	}
	t.Entries = append(t.Entries, Entry{Op: t.op.Op, On: label, Record: name, Before: was, After: is,
		Reason: words.Tidy(t.op.Reason), Index: t.index})
}

// fields returns a record as its fields; those marked secret in the type are not among them. A template's settings are
// fields of their own, by key, so that a change of one shows as that and can be undone as that.
func (t *Trial) fields(record any) map[string]any { return Fields(t.State, record) }

// Fields returns the fields of a record of a state, as the audit log and drafts know them.
func Fields(state *org.State, record any) map[string]any {
	m := flat(plainFields(record))
	t, is := record.(*permit.Template)
	if !is || t == nil {
		return m
	}
	delete(m, "settings")
	delete(m, "giving")
	for _, setting := range t.Giving {
		if permission := state.Permissions.Get(uint32(setting.Permission)); permission != nil {
			m["giving."+permission.Key] = setting.Word
		} else if group := state.Groups.Get(uint32(setting.Group)); group != nil {
			m["giving."+group.Key] = setting.Word
		}
	}
	for _, setting := range t.Settings {
		if permission := state.Permissions.Get(uint32(setting.Permission)); permission != nil {
			m["settings."+permission.Key] = setting.Word
		} else if group := state.Groups.Get(uint32(setting.Group)); group != nil {
			m["settings."+group.Key] = setting.Word
			m["as_of."+group.Key] = float64(setting.AsOf)
		}
	}
	return m
}

func plainFields(record any) map[string]any {
	encoded, err := json.Marshal(record)
	if err != nil {
		return nil
	}
	var m map[string]any
	if json.Unmarshal(encoded, &m) != nil {
		return nil
	}
	return m
}

func (t *Trial) putPlace(p *estate.Place) {
	before := t.State.Place(p.ID)
	p.Revision = t.next()
	t.State.PutPlace(p)
	if before != nil {
		t.places[p.ID] = true
	}
	t.wrote("place", uint32(p.ID), p.Code+" "+p.Name, orNil(before), p)
}

func (t *Trial) putStaff(p *people.Staff) {
	before := t.State.Person(p.ID)
	p.Revision = t.next()
	t.State.PutStaff(p)
	t.wrote("staff", uint32(p.ID), p.Number+" "+p.FullName(), orNil(before), p)
}

func (t *Trial) putAssignment(a *org.Assignment) {
	before := t.State.Assignment(a.ID)
	a.Revision = t.next()
	t.State.PutAssignment(a)
	p := t.State.Person(a.Staff)
	t.wrote("assignment", uint32(a.ID),
		fmt.Sprintf("%s %s: %s at %s", p.Number, p.FullName(), t.State.Template(a.Template).Name,
			t.State.Place(a.Place).Code), orNil(before), a)
}

func (t *Trial) putException(e *org.Exception) {
	before := t.State.Exception(e.ID)
	if before != nil && before.Withheld {
		t.lifted = append(t.lifted, before)
	}
	e.Revision = t.next()
	t.State.PutException(e)
	p := t.State.Person(e.Staff)
	sense := map[bool]string{true: "withheld", false: "added"}[e.Withheld]
	t.wrote("exception", uint32(e.ID),
		fmt.Sprintf("%s %s: “%s” %s at %s", p.Number, p.FullName(), t.catalogue().Permission(e.Permission).Title, sense,
			t.State.Place(e.Place).Code), orNil(before), e)
}

func (t *Trial) putBar(b *org.Bar) {
	before := t.State.Bar(b.ID)
	b.Revision = t.next()
	t.State.PutBar(b)
	p := t.State.Person(b.Staff)
	t.wrote("bar", uint32(b.ID), fmt.Sprintf("%s %s from %s %s", p.Number, p.FullName(), t.State.Place(b.Place).Code,
		t.State.Place(b.Place).Name), orNil(before), b)
}

func (t *Trial) putCredential(c *credential.Credential) {
	before := t.State.Credential(c.ID)
	c.Revision = t.next()
	t.State.PutCredential(c)
	p := t.State.Person(c.Staff)
	label := p.Number + " " + p.FullName()
	if b := t.State.Badge(c.Badge); b != nil {
		label = "badge " + b.Number + " of " + label
	}
	t.wrote("credential", uint32(c.ID), label, orNil(before), c)
}

func (t *Trial) putBadge(b *org.Badge) {
	before := t.State.Badge(b.ID)
	b.Revision = t.next()
	t.State.PutBadge(b)
	t.wrote("badge", uint32(b.ID), "badge "+b.Number, orNil(before), b)
}

func (t *Trial) putTemplate(template *permit.Template) {
	before := t.State.Template(template.ID)
	template.Revision = t.next()
	t.State.PutTemplate(template)
	t.wrote("template", uint32(template.ID), template.Code+" "+template.Name, orNil(before), template)
}

func (t *Trial) putGroup(g *permit.Group) {
	before := t.State.Groups.Get(uint32(g.ID))
	g.Revision = t.next()
	t.State.Groups.Put(uint32(g.ID), g)
	if before == nil && t.cached != nil {
		t.cached.AddGroup(g) // the trial's own; making it anew for each of thousands would be most of the work
	} else {
		t.cached = nil
	}
	t.wrote("group", uint32(g.ID), g.Key+" "+g.Title, orNil(before), g)
}

func (t *Trial) putPermission(p *permit.Permission) {
	before := t.State.Permissions.Get(uint32(p.ID))
	p.Revision = t.next()
	t.State.Permissions.Put(uint32(p.ID), p)
	if before == nil && t.cached != nil {
		t.cached.AddPermission(p)
	} else {
		t.cached = nil
	}
	t.wrote("permission", uint32(p.ID), p.Key+" "+p.Title, orNil(before), p)
}

func (t *Trial) putDevice(v *org.Device) {
	before := t.State.Devices.Get(uint32(v.ID))
	v.Revision = t.next()
	t.State.PutDevice(v)
	t.wrote("device", uint32(v.ID), v.Name, orNil(before), v)
}

func (t *Trial) next() uint64 { return t.before.State().Revision + 1 }

// orNil turns a nil pointer into a nil any.
func orNil[T any](p *T) any {
	if p == nil {
		return nil
	}
	return p
}
