package org

import (
	"cmp"
	"fmt"
	"iter"
	"reflect"
	"strings"

	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/table"
)

// Kind describes one kind of record: all that is said of it wherever records are stored, found, written, undone or
// named. Each description stands beside the type of its record; Kinds lists them.
//
// A record is passed as a pointer to its type. A method panics where the record is of another kind.
type Kind interface {
	// Name is its name on the wire, in the audit log and in names of operations: "team".
	Name() string
	// Words is its name in a sentence: "local setting".
	Words() string
	// Plural is its name in addresses of the API: "teams". It is empty where the kind has no addresses of its own.
	Plural() string
	// Number returns the number of a record among those of its kind.
	Number(record any) uint32
	// Code returns what people call a record by and type: the code, the staff number. It is empty where there is none.
	Code(record any) string
	// Holder returns the person to whom a record belongs; 0 where records of the kind belong to nobody.
	Holder(record any) people.StaffID
	// Label says which record it is, for the audit log.
	Label(s *State, record any) string
	// Revision returns where the revision stands at which a record was written last, to be read or set.
	Revision(record any) *uint64
	// OutOfUse reports whether a record is retired, ended or withdrawn.
	OutOfUse(record any) bool
	// Refers reports whether a record refers to another by its number; to what it belongs is no reference.
	Refers(record any, to Reference) bool
	// Record returns the record of the kind with a number, or nil.
	Record(s *State, id uint32) any
	// ByCode returns the record that a code names, or nil.
	ByCode(s *State, code string) any
	// Next returns the lowest number above all that records of the kind have ever had.
	Next(s *State) uint32
	// Each goes through the records of a state in the order of their numbers.
	Each(s *State) iter.Seq[any]

	put(s *State, record any)
	remove(s *State, id uint32)
	fork(from, to *State)
	check(c *checking, record any)
	limits() bool
	typed() reflect.Type
}

// Reference names a record by its kind and number.
type Reference struct {
	Kind string
	ID   uint32
}

// String returns a reference as the audit log writes it, such as "template:5".
func (r Reference) String() string { return fmt.Sprint(r.Kind, ":", r.ID) }

// kinds lists the kinds in an order in which each comes after those that it refers to. The organisation's settings come
// last, as they are one record and no table.
var kinds = []Kind{qualificationKind, scheduleKind, placeKind, groupKind, permissionKind, templateKind, staffKind,
	assignmentKind, exceptionKind, localSettingKind, barKind, badgeKind, credentialKind, deviceKind, certificateKind,
	noticeKind, acceptanceKind, teamKind, memberKind, settingsKind{}}

// mostKinds bounds how many kinds have an index of codes.
const mostKinds = 32

var (
	kindNamed = map[string]Kind{}
	kindTyped = map[reflect.Type]Kind{}
)

func init() {
	if len(kinds) > mostKinds {
		panic("more kinds of record than there are indexes")
	}
	for i, k := range kinds {
		if kindNamed[k.Name()] != nil || kindTyped[k.typed()] != nil {
			panic("two kinds of record are called " + k.Name())
		}
		kindNamed[k.Name()], kindTyped[k.typed()] = k, k
		if numbered, is := k.(interface{ setOrdinal(int) }); is {
			numbered.setOrdinal(i)
		}
	}
}

// Kinds returns all kinds, each after those that it refers to. The caller must not change the slice.
func Kinds() []Kind { return kinds }

// KindOf returns the kind of a record, or nil where it is none.
func KindOf(record any) Kind { return kindTyped[reflect.TypeOf(record)] }

// KindNamed returns the kind with a name, or nil.
func KindNamed(name string) Kind { return kindNamed[name] }

// Name returns the kind and the number of a record.
func Name(record any) (kind string, id uint32) {
	k := KindOf(record)
	if k == nil {
		return "", 0
	}
	return k.Name(), k.Number(record)
}

// Put stores a record in the place of the one with its number, and keeps the indexes. To whom a record belongs never
// changes. It panics where the record is of no kind.
func (s *State) Put(record any) { KindOf(record).put(s, record) }

// Record returns the record of a kind with a number, or nil.
func (s *State) Record(kind string, id uint32) any {
	if k := kindNamed[kind]; k != nil {
		return k.Record(s, id)
	}
	return nil
}

// kindOf describes a kind whose records stand in a table of the state. What is left out does not apply.
type kindOf[R any, ID ~uint32] struct {
	name, plural string
	words        string // left out: the name
	table        func(*State) *table.Table[R]
	id           func(*R) ID
	revision     func(*R) *uint64
	code         func(*R) string // no two records have the same, whatever the case of its letters
	codeField    string          // the field in which the code stands; left out: code
	key          func(*R) string // under which a record is found by its code; left out: the code
	holder       func(*R) people.StaffID
	owned        func(*belongings) *[]ID // where those of one person are listed
	limiting     bool                    // one that cannot be read may have limited what its holder may do
	label        func(*State, *R) string
	outOfUse     func(*R) bool
	refers       func(*R, Reference) bool
	checks       func(*checking, *R)
	placed       func(s *State, before, r *R) // keeps what else is indexed; before is nil for a new record
	removed      func(s *State, r *R)

	ordinal int
}

func (k *kindOf[R, ID]) setOrdinal(i int)    { k.ordinal = i }
func (k *kindOf[R, ID]) typed() reflect.Type { return reflect.TypeFor[*R]() }
func (k *kindOf[R, ID]) limits() bool        { return k.limiting }

func (k *kindOf[R, ID]) Name() string                { return k.name }
func (k *kindOf[R, ID]) Words() string               { return cmp.Or(k.words, strings.ReplaceAll(k.name, "_", " ")) }
func (k *kindOf[R, ID]) Plural() string              { return k.plural }
func (k *kindOf[R, ID]) Number(record any) uint32    { return uint32(k.id(record.(*R))) }
func (k *kindOf[R, ID]) Revision(record any) *uint64 { return k.revision(record.(*R)) }
func (k *kindOf[R, ID]) OutOfUse(record any) bool {
	return k.outOfUse != nil && k.outOfUse(record.(*R))
}

func (k *kindOf[R, ID]) Code(record any) string {
	if k.code == nil {
		return ""
	}
	return k.code(record.(*R))
}

func (k *kindOf[R, ID]) Holder(record any) people.StaffID {
	if k.holder == nil {
		return 0
	}
	return k.holder(record.(*R))
}

func (k *kindOf[R, ID]) Label(s *State, record any) string { return k.label(s, record.(*R)) }

func (k *kindOf[R, ID]) Refers(record any, to Reference) bool {
	return k.refers != nil && k.refers(record.(*R), to)
}

func (k *kindOf[R, ID]) Record(s *State, id uint32) any {
	if r := k.table(s).Get(id); r != nil {
		return r
	}
	return nil
}

func (k *kindOf[R, ID]) Each(s *State) iter.Seq[any] {
	return func(yield func(any) bool) {
		for _, r := range k.table(s).All() {
			if !yield(r) {
				return
			}
		}
	}
}

func (k *kindOf[R, ID]) check(c *checking, record any) {
	r := record.(*R)
	k.checks(c, r)
	if found, ok := k.keyOf(r); ok {
		other, there := c.state.codes[k.ordinal].Get(found)
		c.that(cmp.Or(k.codeField, "code"), !there || other == uint32(k.id(r)),
			"a "+k.Words()+" with this "+cmp.Or(k.codeField, "code")+" is on record already")
	}
}

func (k *kindOf[R, ID]) fork(from, to *State) {
	*k.table(to) = k.table(from).Fork()
	to.codes[k.ordinal] = from.codes[k.ordinal].Fork()
}

// keyOf returns under what a record is found by its code; ok is false where records of the kind have none.
func (k *kindOf[R, ID]) keyOf(r *R) (found string, ok bool) {
	switch {
	case k.key != nil:
		return key(k.key(r)), true
	case k.code != nil:
		return key(k.code(r)), true
	}
	return "", false
}

// byCode returns the record that a code names, or nil.
func (k *kindOf[R, ID]) byCode(s *State, code string) *R {
	id, _ := s.codes[k.ordinal].Get(key(code))
	return k.table(s).Get(id)
}

func (k *kindOf[R, ID]) ByCode(s *State, code string) any {
	if r := k.byCode(s, code); r != nil {
		return r
	}
	return nil
}

func (k *kindOf[R, ID]) Next(s *State) uint32 { return k.table(s).Next() }

func (k *kindOf[R, ID]) put(s *State, record any) {
	r := record.(*R)
	id := uint32(k.id(r))
	before := k.table(s).Get(id)
	if before == nil && k.owned != nil {
		s.belong(k.holder(r), func(b *belongings) {
			list := k.owned(b)
			*list = append((*list)[:len(*list):len(*list)], k.id(r))
		})
	}
	k.table(s).Put(id, r)
	if found, ok := k.keyOf(r); ok {
		s.codes[k.ordinal].Put(found, id)
	}
	if k.placed != nil {
		k.placed(s, before, r)
	}
}

// remove takes a record out of the table and the indexes; its number stays in use.
func (k *kindOf[R, ID]) remove(s *State, id uint32) {
	if r := k.table(s).Get(id); r != nil {
		if k.owned != nil {
			s.belong(k.holder(r), func(b *belongings) {
				list := k.owned(b)
				*list = without(*list, k.id(r))
			})
		}
		if found, ok := k.keyOf(r); ok {
			if holder, _ := s.codes[k.ordinal].Get(found); holder == id { // otherwise another record has it by now
				s.codes[k.ordinal].Delete(found)
			}
		}
		if k.removed != nil {
			k.removed(s, r)
		}
	}
	k.table(s).Put(id, nil)
}

// settingsKind describes the organisation's settings, of which there is one record.
type settingsKind struct{}

func (settingsKind) Name() string                 { return "organisation" }
func (settingsKind) Words() string                { return "settings" }
func (settingsKind) Plural() string               { return "" }
func (settingsKind) Number(any) uint32            { return 1 }
func (settingsKind) Code(any) string              { return "" }
func (settingsKind) Holder(any) people.StaffID    { return 0 }
func (settingsKind) Label(_ *State, r any) string { return r.(*Settings).Name }
func (settingsKind) Revision(any) *uint64         { return new(uint64) } // the state's own
func (settingsKind) OutOfUse(any) bool            { return false }
func (settingsKind) Refers(any, Reference) bool   { return false }
func (settingsKind) Record(s *State, _ uint32) any {
	return &s.Settings
}
func (settingsKind) ByCode(*State, string) any { return nil }
func (settingsKind) Next(*State) uint32        { return 1 }
func (settingsKind) Each(s *State) iter.Seq[any] {
	return func(yield func(any) bool) { yield(&s.Settings) }
}
func (settingsKind) put(s *State, record any) { s.Settings = *record.(*Settings) }
func (settingsKind) remove(*State, uint32)    {} // an organisation always has settings
func (settingsKind) fork(*State, *State)      {} // they are copied with the state
func (settingsKind) limits() bool             { return false }
func (settingsKind) typed() reflect.Type      { return reflect.TypeFor[*Settings]() }
func (settingsKind) check(c *checking, record any) {
	field, err := record.(*Settings).Check()
	c.wrap(field, err)
}

// key is how codes and email addresses are compared.
func key(s string) string { return strings.ToLower(strings.TrimSpace(s)) }
