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
	t := &Trial{State: before.State().Fork(), Refs: map[string]uint32{}, before: before, actor: actor, env: env,
		reason: words.Tidy(reason),
		seen:   map[string]int{}, staff: map[people.StaffID]bool{}, places: map[estate.PlaceID]bool{}}
	if len(operations) == 0 {
		return nil, fault.Invalidf("operations", "a change needs at least one operation")
	}
	if len(operations) > MaxOperations {
		return nil, fault.Invalidf("operations", "a change holds at most %d operations; send %d in several",
			MaxOperations, len(operations))
	}
	if err := t.actorStands(); err != nil {
		return nil, err
	}
	for i := range operations {
		t.op, t.index = &operations[i], i
		if err := t.takeReason(); err != nil {
			return nil, fault.At(i+1, fault.Within(t.prefix(), err))
		}
		described := Describe(operations[i].Op)
		if described.apply == nil || described.Own && actor.System == "" && !env.Present {
			return nil, fault.At(i+1, fault.Within(t.prefix(), fault.Invalidf("op", "%s", unknown(operations[i].Op))))
		}
		if err := described.apply(t); err != nil {
			return nil, fault.At(i+1, fault.Within(t.prefix(), err))
		}
	}
	for i := range t.Written {
		r := &t.Written[i]
		if field, err := t.State.Check(r.Value); err != nil {
			return nil, fault.At(r.index+1,
				fault.Invalidf(fmt.Sprintf("operations[%d].set.%s", r.index, field), "%s", err))
		}
	}
	t.State.Revision++
	for id := range t.staff {
		t.Touched.Staff = append(t.Touched.Staff, id)
	}
	slices.Sort(t.Touched.Staff)
	var err error
	if t.After, err = before.Next(t.State, t.Touched); err != nil {
		return nil, fault.Invalidf("", "%s", err)
	}
	t.Effect = access.Diff(t.before, t.After, t.env.Now.Unix())
	if err := t.liftCeiling(); err != nil {
		return nil, err
	}
	return t, t.placeCeiling()
}

// prefix is put before field names, so that they say which operation they belong to.
func (t *Trial) prefix() string { return fmt.Sprintf("operations[%d].", t.index) }

// takeReason takes down the reason that an operation gives for itself.
func (t *Trial) takeReason() error {
	own := words.Tidy(t.op.Reason)
	t.silent = t.silent || own == ""
	if own != "" && !slices.Contains(t.each, own) {
		t.each = append(t.each, own)
	}
	return bounded("reason", own, 500)
}

// why returns the reason of an operation that cannot do without: its own, else that of the change; where there is
// neither, a fault in the words given.
func (t *Trial) why(missing string, args ...any) (string, error) {
	reason := cmp.Or(words.Tidy(t.op.Reason), t.reason)
	if reason == "" {
		return "", fault.Invalidf("reason", missing, args...)
	}
	t.wanted = t.wanted || reason == ReasonLater
	return reason, bounded("reason", reason, 500)
}

// Reason returns why the change is made: what is given for the whole of it, else what its operations say.
func (t *Trial) Reason() string { return cmp.Or(t.reason, strings.Join(t.each, "; ")) }

// NeedsReason reports whether the change has to be given a reason beside those that its operations give for themselves.
func (t *Trial) NeedsReason() bool {
	return t.wanted || t.silent && t.Effect.NeedsReason(t.After.Catalogue())
}

// Judge says whether the change may be made as it is: whatever takes access away or gives something sensitive needs a
// reason.
func (t *Trial) Judge() error {
	if t.reason != "" || !t.silent || t.actor.System != "" {
		return nil
	}
	if n := t.Effect.Losers(); n > 0 {
		return fault.Invalidf("reason", "this takes access from %s; say why", words.Count(n, "person", "people"))
	}
	if t.Effect.NeedsReason(t.After.Catalogue()) {
		return fault.Invalidf("reason", "this gives somebody a sensitive permission; say why")
	}
	return nil
}

// form reads the operation's fields into a form; fields that are not sent keep what the form holds.
func (t *Trial) form(form any) error { return decode(t.op.Set, form, "set") }

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

func (t *Trial) date(field, text string) (day.Date, error) {
	date, err := day.Parse(text)
	if err != nil {
		return 0, fault.Invalidf("set."+field, "%s", err)
	}
	return date, nil
}

// bounded says when a text is longer than it may be.
func bounded(field, text string, longest int) error {
	if utf8.RuneCountInString(text) > longest {
		return fault.Invalidf("set."+field, "%s has at most %d characters", strings.ReplaceAll(field, "_", " "),
			longest)
	}
	return nil
}

// number returns the number that a reference stands for: "@name" of this change, or digits.
func (t *Trial) number(reference string) uint32 {
	if name, isRef := strings.CutPrefix(reference, "@"); isRef {
		return t.Refs[name]
	}
	n, err := strconv.ParseUint(reference, 10, 32)
	if err != nil {
		return 0
	}
	return uint32(n)
}

// findStaff finds somebody whom the actor may see; anybody else is not there for them.
func (t *Trial) findStaff(field, reference string) (*people.Staff, error) {
	p := t.State.StaffByNumber(reference)
	if p == nil {
		p = t.State.Person(people.StaffID(t.number(reference)))
	}
	if p == nil || t.view(p) == access.Hidden {
		return nil, fault.Missingf(field, "nobody you may see has the staff number %q", reference)
	}
	return p, nil
}

func (t *Trial) findPlace(field, reference string) (*estate.Place, error) {
	if p := t.State.PlaceByCode(reference); p != nil {
		return p, nil
	}
	if p := t.State.Place(estate.PlaceID(t.number(reference))); p != nil {
		return p, nil
	}
	return nil, fault.Missingf(field, "no place has the code %q", reference)
}

func (t *Trial) findTemplate(field, reference string) (*permit.Template, error) {
	if template := t.State.TemplateByCode(reference); template != nil {
		return template, nil
	}
	if template := t.State.Template(permit.TemplateID(t.number(reference))); template != nil {
		return template, nil
	}
	return nil, fault.Missingf(field, "no template has the code %q", reference)
}

// fresh says when the record was changed after the caller read it.
func (t *Trial) fresh(revision uint64, what string) error {
	if t.op.Revision != 0 && t.op.Revision != revision {
		return fault.Stalef("%s was changed by somebody else in the meantime. Read it again and repeat your edit; "+
			"nothing was overwritten.", what)
	}
	return nil
}

// named remembers what an operation has made under its ref.
func (t *Trial) named(id uint32) {
	if t.op.Ref != "" {
		t.Refs[t.op.Ref] = id
	}
}

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

func (t *Trial) putPlace(p *estate.Place) {
	before := t.State.Place(p.ID)
	p.Revision = t.next()
	t.State.PutPlace(p)
	t.Touched.Places = true
	if before != nil {
		t.places[p.ID] = true
		if before.TimeZone != p.TimeZone || before.Parent != p.Parent {
			t.Touched.Zones = true
		}
	}
	t.wrote("place", uint32(p.ID), p.Code+" "+p.Name, orNil(before), p)
}

func (t *Trial) putStaff(p *people.Staff) {
	before := t.State.Person(p.ID)
	p.Revision = t.next()
	t.State.PutStaff(p)
	t.staff[p.ID] = true
	t.wrote("staff", uint32(p.ID), p.Number+" "+p.FullName(), orNil(before), p)
}

func (t *Trial) putAssignment(a *org.Assignment) {
	before := t.State.Assignment(a.ID)
	a.Revision = t.next()
	t.State.PutAssignment(a)
	t.staff[a.Staff] = true
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
	t.staff[e.Staff] = true
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
	t.staff[b.Staff] = true
	p := t.State.Person(b.Staff)
	t.wrote("bar", uint32(b.ID), fmt.Sprintf("%s %s from %s %s", p.Number, p.FullName(), t.State.Place(b.Place).Code,
		t.State.Place(b.Place).Name), orNil(before), b)
}

func (t *Trial) putCredential(c *credential.Credential) {
	before := t.State.Credential(c.ID)
	c.Revision = t.next()
	t.State.PutCredential(c)
	t.staff[c.Staff] = true
	p := t.State.Person(c.Staff)
	t.wrote("credential", uint32(c.ID), p.Number+" "+p.FullName(), orNil(before), c)
}

func (t *Trial) putTemplate(template *permit.Template) {
	before := t.State.Template(template.ID)
	template.Revision = t.next()
	t.State.PutTemplate(template)
	t.Touched.Catalogue = true
	t.wrote("template", uint32(template.ID), template.Code+" "+template.Name, orNil(before), template)
}

func (t *Trial) putGroup(g *permit.Group) {
	before := t.State.Groups.Get(uint32(g.ID))
	g.Revision = t.next()
	t.State.Groups.Put(uint32(g.ID), g)
	if t.Touched.Catalogue = true; before == nil && t.cached != nil {
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
	if t.Touched.Catalogue = true; before == nil && t.cached != nil {
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
