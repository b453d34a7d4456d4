package change

import (
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/core/people"
)

// Description is all that is said of a sort of operation, wherever it is said: its rule, the words of previews and of
// the audit log, the permission that its routes ask for, the secret it carries, its fields, what takes it back, and
// when two in a draft are about the same thing. Each stands beside its rule, in the file of what it is about.
type Description struct {
	Name string // "staff.lock": what it is about, and what happens
	// Do and Done say it as something to be done, and as something that was: "Lock", "Locked".
	Do, Done string
	Needs    string // the permission that it asks for at least; empty: it asks for being an owner, or oneself
	Daily    bool   // it belongs to the daily job
	Urgent   bool   // it does not wait for a large change that is being made
	Own      bool   // the general way of making changes does not take it
	Secret   SecretKind
	Fields   any    // what it sets: a form with nothing in it, or the fields of a record; nil where it sets nothing
	Makes    string // the kind of record that it makes; empty: it writes what is there
	Undone   string // the operation that takes back a record of the kind that it makes, whatever made that
	Taken    bool   // it sets what belongs to one record alone, so that its refusal may tell of one that is not seen
	Kept     string // why a record of that kind cannot be taken back
	Says     string // the reason that it is by itself, where nobody gives another

	apply   func(*Trial) error
	subject func(Operation) string // nil: each adds up with the others
}

// SecretKind says which secret an operation takes in or hands out. One that has a secret is kept in no draft.
type SecretKind uint8

// The secrets.
const (
	NoSecret SecretKind = iota
	SecretPIN
	SecretFirstPassword
	SecretPassword
	SecretToken // of a device: long and random, so that it needs no slow hash
)

// handedOut is why a secret is not taken back by an undo.
const handedOut = "a secret that was handed out cannot be taken back unseen. Issue another, or withdraw it"

var (
	descriptions map[string]*Description
	makers       map[string]*Description // by the kind of record that they make
)

func init() {
	descriptions, makers = map[string]*Description{}, map[string]*Description{}
	for _, list := range [][]Description{organisationOperations, placeOperations, groupOperations, permissionOperations,
		templateOperations, staffOperations, lockOperations, leavingOperations, coverOperations, handoverOperations,
		ownerOperations,
		barOperations,
		assignmentOperations, exceptionOperations, localOperations, credentialOperations, badgeOperations,
		deviceOperations,
		qualificationOperations, noticeOperations, scheduleOperations, teamOperations, fieldOperations,
		erasingOperations} {
		for i := range list {
			if descriptions[list[i].Name] != nil {
				panic("two operations are named " + list[i].Name)
			}
			descriptions[list[i].Name] = &list[i]
			if list[i].Makes != "" {
				makers[list[i].Makes] = &list[i]
			}
		}
	}
}

// Describe returns what is said of an operation, which is nothing where there is none of the name: the audit log may
// name one that is no longer there.
func Describe(op string) Description {
	if d := descriptions[op]; d != nil {
		return *d
	}
	return Description{}
}

// Operations returns the names of all operations that may be asked for, sorted.
func Operations() []string {
	names := slices.Collect(maps.Keys(descriptions))
	slices.Sort(names)
	return slices.DeleteFunc(names, func(name string) bool { return descriptions[name].Own })
}

// SubjectOf names what an operation in a draft decides; of those with the same subject the newest counts. It is empty
// for those that add up.
func SubjectOf(o Operation) string {
	if subject := Describe(o.Op).subject; subject != nil {
		return subject(o)
	}
	return ""
}

// FieldNames returns the names of the fields that an operation sets, in the order of its form.
func (d Description) FieldNames() []string {
	var names []string
	switch fields := d.Fields.(type) {
	case nil:
		return nil
	case []people.Field:
		for _, field := range fields {
			names = append(names, field.Name)
		}
		return names
	}
	for field := range reflect.TypeOf(d.Fields).Fields() {
		name, _, _ := strings.Cut(field.Tag.Get("json"), ",")
		names = append(names, name)
	}
	return names
}

// fieldsEdited is the subject of an operation on one record: the record, and which of its fields.
func fieldsEdited(o Operation) string {
	var fields map[string]any
	_ = json.Unmarshal(o.Set, &fields) // what is no JSON is refused when the change is tried
	return fmt.Sprint(o.Op, " ", o.On, " ", sortedKeys(flat(fields)))
}

// flat names the fields of the organisation's own making as "own.key", however they were sent.
func flat(fields map[string]any) map[string]any {
	own, nested := fields["own"].(map[string]any)
	if !nested {
		return fields
	}
	all := maps.Clone(fields)
	delete(all, "own")
	for key, value := range own {
		all[people.OwnPrefix+key] = value
	}
	return all
}

// settingsEdited is the subject of an edit of a template: the one setting that it decides, or its other fields.
func settingsEdited(o Operation) string {
	decided, rest := Decided(o)
	if len(rest) > 0 || len(decided) != 1 {
		return fmt.Sprint("template ", o.On, " ", sortedKeys(rest))
	}
	return decided[0].Field + " of " + o.On + " " + decided[0].Key
}

// Setting is one setting that an edit of a template decides.
type Setting struct {
	Field string // decide, of what can be done; decide_giving, of what can be given
	Key   string // of a permission or a group
	Word  any    // nil sets it back
}

// Decided returns the settings that an edit of a template decides, and its other fields.
func Decided(o Operation) (decided []Setting, rest map[string]any) {
	if json.Unmarshal(o.Set, &rest) != nil {
		return nil, nil
	}
	for _, field := range []string{"decide", "decide_giving"} {
		words, _ := rest[field].(map[string]any)
		for _, key := range sortedKeys(words) {
			decided = append(decided, Setting{field, key, words[key]})
		}
		delete(rest, field)
	}
	return decided, rest
}

// exceptionEdited is the subject of what is said about an exception: whose, of which permission, where.
func exceptionEdited(o Operation) string {
	var of struct{ Staff, Permission, Place string }
	if json.Unmarshal(o.Set, &of) == nil && of.Staff != "" {
		return "exception " + of.Staff + " " + of.Permission + " " + of.Place
	}
	return "exception number " + o.On
}

// unknown says that an operation is none.
func unknown(op string) string {
	return fmt.Sprintf("%q is not an operation; use one of %s", op, strings.Join(Operations(), ", "))
}
