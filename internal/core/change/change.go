// Package change holds every way in which the state of the organisation may be written, as typed operations. A list of
// operations is applied to a fork of the state, each checked against the rules and the actor's authority; what comes
// out is a Trial: the next state, who gains and who loses by it, and the entries for the audit log. The one write path
// stores what a Trial has written; a preview throws it away.
//
// # Invariants
//
// A change is applied whole or not at all. Each operation asks for authority before it looks at the record that it is
// about, so that a refusal tells nothing. Every record that is written passes org.State.Check, which the loader runs as
// well. Nobody gives more than they hold, changes their own access, or takes over somebody whom they do not stand over.
//
// # One place per operation
//
// All that is said of an operation stands in its Description, beside its rule: words, permission, secret, fields, what
// takes it back. A new operation is a Description and a function, and its way of being drawn in the property tests.
//
// # Ownership and concurrency
//
// Apply reads a snapshot and writes a fork of its own; it may run at the same time as others. A Trial belongs to
// whoever asked for it. Nothing here reaches a database, the clock or a random source but by Env.
//
// # Errors
//
// What is refused is a *fault.Fault that names the operation (from 1) and the field: invalid input, not found, in
// conflict, stale, or not permitted.
package change

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
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
	Op        string          `json:"op"`                    // "staff.enrol"
	Ref       string          `json:"ref,omitempty"`         // a name for what this makes; later operations say "@name"
	On        string          `json:"on,omitempty"`          // what it is done to, by number or code
	Revision  uint64          `json:"if_revision,omitempty"` // of On, as the caller read it; 0 does not ask
	Revisions []uint64        `json:"-"`                     // or any of these
	Set       json.RawMessage `json:"set,omitempty"`         // the fields
	Reason    string          `json:"reason,omitempty"`      // why; that of the whole change where left out
	undoes    bool            // it brings back what was there
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
	Most     int                 // operations; 0: MaxOperations
	Own      uint64              // revision of the change that the operations undo, where the actor made it; else 0
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

// former are the names that operations and fields had in entries of the past. What was logged is never written again,
// so it is read under the names of now.
var former = map[string]string{"staff.depart": "staff.leave", "departed_at": "leaves_at",
	"device.revoke": "device.retire", "revoked": "retired"}

// UnmarshalJSON reads an entry as the audit log keeps it, also one of the past.
func (e *Entry) UnmarshalJSON(text []byte) error {
	type plain Entry
	if err := json.Unmarshal(text, (*plain)(e)); err != nil {
		return err
	}
	e.Op = cmp.Or(former[e.Op], e.Op)
	for _, fields := range []map[string]any{e.Before, e.After} {
		for old, now := range former {
			if value, is := fields[old]; is {
				delete(fields, old)
				fields[now] = value
			}
		}
	}
	return nil
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

	before  *access.Snapshot
	actor   Actor
	env     Env
	reason  string
	each    []string // the reasons that operations give for themselves, each once
	silent  bool     // some operation gives none
	wanted  bool     // some operation asks for a reason that is yet to be given
	op      *Operation
	index   int
	base    int               // index of the first operation of the group that is tried
	cached  *permit.Catalogue // as the operations so far have left it; nil where it has to be made anew
	seen    map[string]int    // record → index in Written
	places  map[estate.PlaceID]bool
	lasting map[lasting]int64 // until when the actor may give something, where that was asked
	lifted  []*org.Exception  // withheld until this change, whose end, dates or return it is about
	sight   *access.Sight     // whom the actor sees; nil until it is asked

	operations []Operation
	own        *bool // whether it takes back an act of the actor's own; nil until it is asked
}

// MaxOperations bounds one change that somebody sends.
const MaxOperations = 25_000

// Apply applies the operations to a fork of the state behind a snapshot: all of them, or none with a fault that
// names the operation. The effect is worked out; whether it asks for a reason is judged by Judge.
func Apply(before *access.Snapshot, actor Actor, env Env, reason string, operations []Operation) (*Trial, error) {
	if len(operations) == 0 {
		return nil, fault.Invalidf("operations", "a change needs at least one operation")
	}
	if most := cmp.Or(env.Most, MaxOperations); len(operations) > most {
		return nil, fault.Invalidf("operations", "a change holds at most %d operations; send %d in several", most,
			len(operations))
	}
	t, err := begin(before, actor, env, reason)
	if err != nil {
		return nil, err
	}
	t.operations = operations
	for i := range operations {
		if err := t.step(i, operations[i]); err != nil {
			return nil, err
		}
	}
	for i := range t.Written {
		if err := t.readable(&t.Written[i]); err != nil {
			return nil, err
		}
	}
	return t, t.conclude()
}

// Sift tries groups of operations, such as those of the rows of a file, one after the other, and returns what stands in
// the way of each by its index; of a group without a fault it says nothing. Nothing is left of it but the faults: a
// group that failed may leave a part of itself behind in what the later ones are tried on, so whoever makes the others
// applies them once more without it. Operations are counted within their group.
func Sift(before *access.Snapshot, actor Actor, env Env, groups [][]Operation) (map[int]error, error) {
	env.Preview = true
	t, err := begin(before, actor, env, ReasonLater)
	if err != nil {
		return nil, err
	}
	faults, groupOf, n := map[int]error{}, []int{}, 0
	for g, operations := range groups {
		for i := range operations {
			groupOf = append(groupOf, g)
			t.base = n
			if err := t.step(n+i, operations[i]); err != nil {
				faults[g] = err
				break
			}
		}
		n = len(groupOf)
	}
	for i := range t.Written {
		g := groupOf[t.Written[i].index]
		if err := t.readable(&t.Written[i]); err != nil && faults[g] == nil {
			faults[g] = err
		}
	}
	return faults, nil
}

// begin begins a trial in which nothing is written yet.
func begin(before *access.Snapshot, actor Actor, env Env, reason string) (*Trial, error) {
	t := &Trial{State: before.State().Fork(), Refs: map[string]uint32{}, before: before, actor: actor, env: env,
		reason: words.Tidy(reason), seen: map[string]int{}, places: map[estate.PlaceID]bool{}}
	return t, t.actorStands()
}

// step applies one operation.
func (t *Trial) step(i int, operation Operation) error {
	described := Describe(operation.Op)
	if operation.Reason == "" && (t.reason == "" || t.reason == ReasonLater) {
		operation.Reason = described.Says
	}
	t.op, t.index = &operation, i
	err := t.takeReason()
	if err == nil && (described.apply == nil || described.Own && t.actor.System == "" && !t.env.Present) {
		err = fault.Invalidf("op", "%s", unknown(operation.Op))
	}
	if err == nil {
		err = described.apply(t)
	}
	if err != nil {
		return fault.At(i-t.base+1, fault.Within(t.prefix(), err))
	}
	return nil
}

// readable sees that what was written can be loaded.
func (t *Trial) readable(r *Record) error {
	if field, err := t.State.Check(r.Value); err != nil {
		return fault.At(r.index-t.base+1, fault.Invalidf(fmt.Sprintf("operations[%d].set.%s", r.index-t.base, field),
			"%s", err))
	}
	return nil
}

// conclude compiles what the operations have left, and asks what can only be asked of the whole.
func (t *Trial) conclude() (err error) {
	t.State.Revision++
	t.Touched = access.Between(t.before.State(), t.State)
	if t.After, err = t.before.Next(t.State, t.Touched); err != nil {
		return fault.Invalidf("", "%s", err)
	}
	t.Effect = access.Diff(t.before, t.After, t.env.Now.Unix())
	for _, ceiling := range []func() error{t.liftCeiling, t.noticeCeiling, t.hoursCeiling, t.placeCeiling,
		t.seatsCeiling, t.judge} {
		if err := ceiling(); err != nil {
			return err
		}
	}
	return nil
}

// prefix is put before field names, so that they say which operation they belong to.
func (t *Trial) prefix() string { return fmt.Sprintf("operations[%d].", t.index-t.base) }

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

// said is the reason of an operation as a record keeps it: its own, else that of the change; none where it is yet to be
// given.
func (t *Trial) said() string {
	if reason := cmp.Or(words.Tidy(t.op.Reason), t.reason); reason != ReasonLater {
		return reason
	}
	return ""
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
		if mismatch.Field == "" {
			return fault.Invalidf(name, "the fields stand in an object, such as {\"name\": \"value\"}")
		}
		return fault.Invalidf(name+"."+mismatch.Field, "%s does not take a value of the kind %s", mismatch.Field,
			mismatch.Value)
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

// The writers below store a record in the draft with its new revision.
