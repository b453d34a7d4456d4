// Package change holds every way in which the organisation's state may be written, as typed operations. A list of
// operations is applied to a fork of the state, each checked against the rules and the actor's authority; what
// comes out is the next state, who gains and who loses by it, and the record for the audit log. Nothing here
// touches a database: the one write path stores what a Trial has written, a preview throws it away.
package change

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

// Operation is one typed step of a change.
type Operation struct {
	Op       string          `json:"op"`                    // "staff.enrol"
	Ref      string          `json:"ref,omitempty"`         // a name for what this makes; later operations say "@name"
	On       string          `json:"on,omitempty"`          // what it is done to, by number or code
	Revision uint64          `json:"if_revision,omitempty"` // of On, as the caller read it; 0 does not ask
	Set      json.RawMessage `json:"set,omitempty"`         // the fields
	Reason   string          `json:"reason,omitempty"`      // why; that of the whole change where left out
}

// ReasonLater stands for a reason that is yet to be given: in a preview, and in a draft until it is applied.
const ReasonLater = "(the reason is given when it is made)"

// Actor is who makes a change. A system actor (setup, loading a demo) is bound by the rules but not by authority.
type Actor struct {
	Staff  people.StaffID
	System string
}

// Env is what applying a change needs from outside. Nothing in it is costly to call: secrets come prepared, so that a
// change that others wait for hashes nothing.
type Env struct {
	Now      time.Time
	Random   io.Reader
	Secrets  map[int]Prepared    // by the index of the operation that needs one; none in a preview
	Strength credential.Strength // of passwords
	Preview  bool                // nothing will be written: nothing is said of whether a secret is in use
	Present  bool                // the actor has proved just now to be there, by the present password
}

// Prepared is a secret as an operation stores it.
type Prepared struct {
	Plain  string            // to be shown once; empty where the holder chose it
	Digest credential.Digest // of a PIN
	Sealed []byte            // of a PIN: for the digests of doors that decide offline
	Hash   string            // of a password
}

// Entry is one operation as the audit log keeps it, with the fields that changed before and after.
type Entry struct {
	Op     string         `json:"op"`
	On     string         `json:"on"`
	Record string         `json:"record"` // kind and number: "staff:12"
	Before map[string]any `json:"before,omitempty"`
	After  map[string]any `json:"after,omitempty"`
	Reason string         `json:"reason,omitempty"` // of the operation, where it gives one for itself
	Index  int            `json:"-"`                // of the operation in its change
}

// Secret is something generated that is shown once and never again.
type Secret struct {
	Operation int // index
	Kind      string
	Owner     string // staff number or device name
	Value     string
}

// Record is a record in its final form, and whether the change has made it.
type Record struct {
	Value any
	New   bool
	index int // of the operation that wrote it last
}

// Trial is a change being tried on a fork of the state: applied, judged, and then kept or thrown away.
type Trial struct {
	State   *org.State
	Touched access.Touched
	Written []Record // each once, in the order of their first writing
	Entries []Entry
	Secrets []Secret
	Refs    map[string]uint32
	Effect  access.Effect
	After   *access.Snapshot

	before *access.Snapshot
	actor  Actor
	env    Env
	reason string
	each   []string // the reasons that operations give for themselves, each once
	silent bool     // some operation gives none
	wanted bool     // some operation asks for a reason that is yet to be given
	op     *Operation
	index  int
	cached *permit.Catalogue // as the operations so far have left it; nil where it has to be made anew
	seen   map[string]int    // record → index in Written
	staff  map[people.StaffID]bool
	places map[estate.PlaceID]bool
	lifted []*org.Exception  // withheld until this change, whose end, dates or return it is about
	reach  map[string][]bool // by permission key: where the actor holds it
}

// MaxOperations bounds one change.
const MaxOperations = 5000

// Apply applies the operations to a fork of the state behind a snapshot: all of them, or none with a fault that
// names the operation. The effect is worked out; whether it asks for a reason is judged by Judge.
func Apply(before *access.Snapshot, actor Actor, env Env, reason string, operations []Operation) (*Trial, error) {
	d := &Trial{State: before.State().Fork(), Refs: map[string]uint32{}, before: before, actor: actor, env: env, reason: words.Tidy(reason),
		seen: map[string]int{}, staff: map[people.StaffID]bool{}, places: map[estate.PlaceID]bool{}}
	if len(operations) == 0 {
		return nil, fault.Invalidf("operations", "a change needs at least one operation")
	}
	if len(operations) > MaxOperations {
		return nil, fault.Invalidf("operations", "a change holds at most %d operations; send %d in several", MaxOperations, len(operations))
	}
	if err := d.actorStands(); err != nil {
		return nil, err
	}
	for i := range operations {
		d.op, d.index = &operations[i], i
		if err := d.hear(); err != nil {
			return nil, fault.At(i+1, fault.Within(d.prefix(), err))
		}
		described := Describe(operations[i].Op)
		if described.apply == nil || described.Own && actor.System == "" && !env.Present {
			return nil, fault.At(i+1, fault.Within(d.prefix(), fault.Invalidf("op", "%s", unknown(operations[i].Op))))
		}
		if err := described.apply(d); err != nil {
			return nil, fault.At(i+1, fault.Within(d.prefix(), err))
		}
	}
	for i := range d.Written {
		r := &d.Written[i]
		if field, err := d.State.Check(r.Value); err != nil {
			return nil, fault.At(r.index+1, fault.Invalidf(fmt.Sprintf("operations[%d].set.%s", r.index, field), "%s", err))
		}
	}
	d.State.Revision++
	for id := range d.staff {
		d.Touched.Staff = append(d.Touched.Staff, id)
	}
	slices.Sort(d.Touched.Staff)
	var err error
	if d.After, err = before.Next(d.State, d.Touched); err != nil {
		return nil, fault.Invalidf("", "%s", err)
	}
	d.Effect = access.Diff(d.before, d.After, d.env.Now.Unix())
	if err := d.liftCeiling(); err != nil {
		return nil, err
	}
	return d, d.placeCeiling()
}

// prefix is put before field names, so that they say which operation they belong to.
func (d *Trial) prefix() string { return fmt.Sprintf("operations[%d].", d.index) }

// hear takes down the reason that an operation gives for itself.
func (d *Trial) hear() error {
	own := words.Tidy(d.op.Reason)
	d.silent = d.silent || own == ""
	if own != "" && !slices.Contains(d.each, own) {
		d.each = append(d.each, own)
	}
	return bounded("reason", own, 500)
}

// why returns the reason of an operation that cannot do without: its own, else that of the change; where there is
// neither, a fault in the words given.
func (d *Trial) why(missing string, args ...any) (string, error) {
	reason := cmp.Or(words.Tidy(d.op.Reason), d.reason)
	if reason == "" {
		return "", fault.Invalidf("reason", missing, args...)
	}
	d.wanted = d.wanted || reason == ReasonLater
	return reason, bounded("reason", reason, 500)
}

// Reason returns why the change is made: what is given for the whole of it, else what its operations say.
func (d *Trial) Reason() string { return cmp.Or(d.reason, strings.Join(d.each, "; ")) }

// NeedsReason reports whether the change has to be given a reason beside those that its operations give for themselves.
func (d *Trial) NeedsReason() bool {
	return d.wanted || d.silent && d.Effect.NeedsReason(d.After.Catalogue())
}

// Judge says whether the change may be made as it is: whatever takes access away or gives something sensitive needs a reason.
func (d *Trial) Judge() error {
	if d.reason != "" || !d.silent || d.actor.System != "" {
		return nil
	}
	if n := d.Effect.Losers(); n > 0 {
		return fault.Invalidf("reason", "this takes access from %s; say why", words.Count(n, "person", "people"))
	}
	if d.Effect.NeedsReason(d.After.Catalogue()) {
		return fault.Invalidf("reason", "this gives somebody a sensitive permission; say why")
	}
	return nil
}

// form reads the operation's fields into a form; fields that are not sent keep what the form holds.
func (d *Trial) form(form any) error { return decode(d.op.Set, form, "set") }

func decode(raw json.RawMessage, into any, name string) error {
	if len(raw) == 0 {
		return nil
	}
	decoder := json.NewDecoder(bytes.NewReader(raw))
	decoder.DisallowUnknownFields()
	err := decoder.Decode(into)
	if err == nil {
		return nil
	}
	var mismatch *json.UnmarshalTypeError
	if errors.As(err, &mismatch) {
		return fault.Invalidf(name+"."+mismatch.Field, "%s cannot be a %s here", mismatch.Field, mismatch.Value)
	}
	if field, unknown := strings.CutPrefix(err.Error(), "json: unknown field "); unknown {
		field = strings.Trim(field, `"`)
		return fault.Invalidf(name+"."+field, "there is no field %s here", field)
	}
	return fault.Invalidf(name, "%s", strings.TrimPrefix(err.Error(), "json: "))
}

func (d *Trial) date(field, text string) (day.Date, error) {
	date, err := day.Parse(text)
	if err != nil {
		return 0, fault.Invalidf("set."+field, "%s", err)
	}
	return date, nil
}

// bounded says when a text is longer than it may be.
func bounded(field, text string, longest int) error {
	if utf8.RuneCountInString(text) > longest {
		return fault.Invalidf("set."+field, "%s has at most %d characters", strings.ReplaceAll(field, "_", " "), longest)
	}
	return nil
}

// number returns the number that a reference stands for: "@name" of this change, or digits.
func (d *Trial) number(reference string) uint32 {
	if name, isRef := strings.CutPrefix(reference, "@"); isRef {
		return d.Refs[name]
	}
	n, err := strconv.ParseUint(reference, 10, 32)
	if err != nil {
		return 0
	}
	return uint32(n)
}

// findStaff finds somebody whom the actor may see; anybody else is not there for them.
func (d *Trial) findStaff(field, reference string) (*people.Staff, error) {
	p := d.State.StaffByNumber(reference)
	if p == nil {
		p = d.State.Person(people.StaffID(d.number(reference)))
	}
	if p == nil || d.view(p) == access.Hidden {
		return nil, fault.Missingf(field, "nobody you may see has the staff number %q", reference)
	}
	return p, nil
}

func (d *Trial) findPlace(field, reference string) (*estate.Place, error) {
	if p := d.State.PlaceByCode(reference); p != nil {
		return p, nil
	}
	if p := d.State.Place(estate.PlaceID(d.number(reference))); p != nil {
		return p, nil
	}
	return nil, fault.Missingf(field, "no place has the code %q", reference)
}

func (d *Trial) findTemplate(field, reference string) (*permit.Template, error) {
	if t := d.State.TemplateByCode(reference); t != nil {
		return t, nil
	}
	if t := d.State.Template(permit.TemplateID(d.number(reference))); t != nil {
		return t, nil
	}
	return nil, fault.Missingf(field, "no template has the code %q", reference)
}

// fresh says when the record was changed after the caller read it.
func (d *Trial) fresh(revision uint64, what string) error {
	if d.op.Revision != 0 && d.op.Revision != revision {
		return fault.Stalef("%s was changed by somebody else in the meantime. Read it again and repeat your edit; nothing was overwritten.", what)
	}
	return nil
}

// named remembers what an operation has made under its ref.
func (d *Trial) named(id uint32) {
	if d.op.Ref != "" {
		d.Refs[d.op.Ref] = id
	}
}

// wrote notes that a record was written, for the store and for the audit log.
func (d *Trial) wrote(kind string, id uint32, label string, before, after any) {
	name := fmt.Sprintf("%s:%d", kind, id)
	if at, again := d.seen[name]; again {
		d.Written[at].Value, d.Written[at].index = after, d.index
	} else {
		d.seen[name] = len(d.Written)
		d.Written = append(d.Written, Record{Value: after, New: before == nil, index: d.index})
	}
	was, is := d.fields(before), d.fields(after)
	for field, value := range is {
		if old, had := was[field]; had && reflect.DeepEqual(old, value) {
			delete(was, field)
			delete(is, field)
		}
	}
	d.Entries = append(d.Entries, Entry{Op: d.op.Op, On: label, Record: name, Before: was, After: is, Reason: words.Tidy(d.op.Reason), Index: d.index})
}

// fields returns a record as its fields; those marked secret in the type are not among them. A template's settings are
// fields of their own, by key, so that a change of one shows as that and can be undone as that.
func (d *Trial) fields(record any) map[string]any { return Fields(d.State, record) }

// Fields returns the fields of a record of a state, as the audit log and drafts know them.
func Fields(state *org.State, record any) map[string]any {
	m := plainFields(record)
	t, is := record.(*permit.Template)
	if !is || t == nil {
		return m
	}
	delete(m, "settings")
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

// The writers below store a record in the draft with its new revision.

func (d *Trial) putPlace(p *estate.Place) {
	before := d.State.Place(p.ID)
	p.Revision = d.next()
	d.State.PutPlace(p)
	d.Touched.Places = true
	if before != nil {
		d.places[p.ID] = true
		if before.TimeZone != p.TimeZone || before.Parent != p.Parent {
			d.Touched.Zones = true
		}
	}
	d.wrote("place", uint32(p.ID), p.Code+" "+p.Name, orNil(before), p)
}

func (d *Trial) putStaff(p *people.Staff) {
	before := d.State.Person(p.ID)
	p.Revision = d.next()
	d.State.PutStaff(p)
	d.staff[p.ID] = true
	d.wrote("staff", uint32(p.ID), p.Number+" "+p.FullName(), orNil(before), p)
}

func (d *Trial) putAssignment(a *org.Assignment) {
	before := d.State.Assignment(a.ID)
	a.Revision = d.next()
	d.State.PutAssignment(a)
	d.staff[a.Staff] = true
	p := d.State.Person(a.Staff)
	d.wrote("assignment", uint32(a.ID), fmt.Sprintf("%s %s: %s at %s", p.Number, p.FullName(), d.State.Template(a.Template).Name, d.State.Place(a.Place).Code), orNil(before), a)
}

func (d *Trial) putException(e *org.Exception) {
	before := d.State.Exception(e.ID)
	if before != nil && before.Withheld {
		d.lifted = append(d.lifted, before)
	}
	e.Revision = d.next()
	d.State.PutException(e)
	d.staff[e.Staff] = true
	p := d.State.Person(e.Staff)
	sense := map[bool]string{true: "withheld", false: "added"}[e.Withheld]
	d.wrote("exception", uint32(e.ID), fmt.Sprintf("%s %s: “%s” %s at %s", p.Number, p.FullName(), d.catalogue().Permission(e.Permission).Title, sense, d.State.Place(e.Place).Code), orNil(before), e)
}

func (d *Trial) putBar(b *org.Bar) {
	before := d.State.Bar(b.ID)
	b.Revision = d.next()
	d.State.PutBar(b)
	d.staff[b.Staff] = true
	p := d.State.Person(b.Staff)
	d.wrote("bar", uint32(b.ID), fmt.Sprintf("%s %s from %s %s", p.Number, p.FullName(), d.State.Place(b.Place).Code, d.State.Place(b.Place).Name), orNil(before), b)
}

func (d *Trial) putCredential(c *credential.Credential) {
	before := d.State.Credential(c.ID)
	c.Revision = d.next()
	d.State.PutCredential(c)
	d.staff[c.Staff] = true
	p := d.State.Person(c.Staff)
	d.wrote("credential", uint32(c.ID), p.Number+" "+p.FullName(), orNil(before), c)
}

func (d *Trial) putTemplate(t *permit.Template) {
	before := d.State.Template(t.ID)
	t.Revision = d.next()
	d.State.PutTemplate(t)
	d.Touched.Catalogue = true
	d.wrote("template", uint32(t.ID), t.Code+" "+t.Name, orNil(before), t)
}

func (d *Trial) putGroup(g *permit.Group) {
	before := d.State.Groups.Get(uint32(g.ID))
	g.Revision = d.next()
	d.State.Groups.Put(uint32(g.ID), g)
	if d.Touched.Catalogue = true; before == nil && d.cached != nil {
		d.cached.AddGroup(g) // the trial's own; making it anew for each of thousands would be most of the work
	} else {
		d.cached = nil
	}
	d.wrote("group", uint32(g.ID), g.Key+" "+g.Title, orNil(before), g)
}

func (d *Trial) putPermission(p *permit.Permission) {
	before := d.State.Permissions.Get(uint32(p.ID))
	p.Revision = d.next()
	d.State.Permissions.Put(uint32(p.ID), p)
	if d.Touched.Catalogue = true; before == nil && d.cached != nil {
		d.cached.AddPermission(p)
	} else {
		d.cached = nil
	}
	d.wrote("permission", uint32(p.ID), p.Key+" "+p.Title, orNil(before), p)
}

func (d *Trial) putDevice(v *org.Device) {
	before := d.State.Devices.Get(uint32(v.ID))
	v.Revision = d.next()
	d.State.PutDevice(v)
	d.wrote("device", uint32(v.ID), v.Name, orNil(before), v)
}

func (d *Trial) next() uint64 { return d.before.State().Revision + 1 }

// orNil turns a nil pointer into a nil any.
func orNil[T any](p *T) any {
	if p == nil {
		return nil
	}
	return p
}
