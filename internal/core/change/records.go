package change

import (
	"encoding/json"
	"fmt"
	"reflect"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

// put writes a record into the state of the trial, in the place of the one with its number, and notes it for the store
// and for the audit log.
func (t *Trial) put(record any) {
	kind := org.KindOf(record)
	before := kind.Record(t.State, kind.Number(record))
	*kind.Revision(record) = t.next()
	t.State.Put(record)
	t.follow(before, record)
	t.wrote(kind.Name(), kind.Number(record), kind.Label(t.State, record), before, record)
}

// follow keeps what the trial has derived from records that were written; before is nil where a record is new.
func (t *Trial) follow(before, record any) {
	switch r := record.(type) {
	case *estate.Place:
		if before != nil {
			t.places[r.ID] = true
		}
	case *org.Exception:
		if was, is := before.(*org.Exception); is && was.Withheld {
			t.lifted = append(t.lifted, was)
		}
	case *permit.Group:
		if before == nil && t.cached != nil {
			t.cached.AddGroup(r) // the trial's own; making it anew for each of thousands would be most of the work
		} else {
			t.cached = nil
		}
	case *permit.Permission:
		if before == nil && t.cached != nil {
			t.cached.AddPermission(r)
		} else {
			t.cached = nil
		}
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

func (t *Trial) next() uint64 { return t.before.State().Revision + 1 }
