package change

import (
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
)

// simple describes a kind of record that has a code, and that is added, edited, retired and restored by the same rules
// as every other such kind. R is the type of its records, F the form in which their fields are written. What is special
// to the kind stands in its functions; one that is nil asks for nothing.
type simple[R, F any] struct {
	kind      string // as org names it
	example   string // a code such as people choose, for errors
	needs     string // the permission that its operations ask for at least
	daily     bool   // its operations belong to the daily job
	nameField string // by which people call a record, and which may change: "name", "title"
	// Do and Done of what adds a record; left out: "Add", "Added"
	add, added string
	frozen     bool // one that is retired is not edited

	fresh   func(id uint32, code string) *R
	code    func(*F) string
	name    func(*R) string
	form    func(*R) F // what a record says, as an edit that changes nothing would write it
	retired func(*R) *bool

	mayAdd    func(*Trial) error
	mayChange func(*Trial, *R) error
	knows     func(*Trial, *R) bool // whether the actor may know of a record; nil: everybody may
	// fill writes a form into a record; before is what the record was, or nil where it is being added.
	fill func(t *Trial, before, record *R, form *F) error
}

// operations are those of the kind: add, edit, retire and restore.
func (k *simple[R, F]) operations() []Description {
	words := org.KindNamed(k.kind).Words()
	of := func(verb, do, done string, fields any, apply func(*Trial) error) Description {
		return Description{Name: k.kind + "." + verb, Do: do + " " + words, Done: done + " " + words, Needs: k.needs,
			Daily: k.daily, Fields: fields, apply: apply}
	}
	if k.add == "" {
		k.add, k.added = "Add", "Added"
	}
	add := of("add", k.add, k.added, *new(F), k.adds)
	add.Makes, add.Undone, add.Taken = k.kind, k.kind+".retire", k.knows != nil
	edit := of("edit", "Change", "Changed", *new(F), k.edits)
	edit.subject = fieldsEdited
	return []Description{add, edit,
		of("retire", "Retire", "Retired", nil, func(t *Trial) error { return k.retires(t, true) }),
		of("restore", "Bring back", "Brought back", nil, func(t *Trial) error { return k.retires(t, false) })}
}

// coded finds a record of a kind by its code or number.
func coded[R any](t *Trial, kind, field, reference string) (*R, error) {
	k := org.KindNamed(kind)
	if found := k.ByCode(t.State, reference); found != nil {
		return found.(*R), nil
	}
	if found := k.Record(t.State, t.number(reference)); found != nil {
		return found.(*R), nil
	}
	return nil, fault.Missingf(field, "no %s has the code %q", k.Words(), reference)
}

func (k *simple[R, F]) adds(t *Trial) error {
	var form F
	if err := t.form(&form); err != nil {
		return err
	}
	if k.mayAdd != nil {
		if err := k.mayAdd(t); err != nil {
			return err
		}
	}
	kind := org.KindNamed(k.kind)
	record := k.fresh(kind.Next(t.State), k.code(&form))
	if err := k.fill(t, nil, record, &form); err != nil {
		return err
	}
	if err := checkCode("set.code", k.code(&form), k.example); err != nil {
		return err
	}
	if other, is := kind.ByCode(t.State, k.code(&form)).(*R); is {
		taken := "there is a " + kind.Words() + " " + k.code(&form) + " already; choose another code"
		if k.knows != nil {
			return fault.Takenf(t.actor.System != "" || k.knows(t, other), "set.code", k.code(&form), "%s", taken)
		}
		return fault.Conflictf("set.code", "%s", taken)
	}
	t.put(record)
	t.named(kind.Number(record))
	return nil
}

// toChange finds the record that an operation is about, for somebody who may change it.
func (k *simple[R, F]) toChange(t *Trial) (*R, error) {
	record, err := coded[R](t, k.kind, "on", t.op.On)
	if err != nil {
		return nil, err
	}
	if k.knows != nil && t.actor.System == "" && !k.knows(t, record) {
		return nil, fault.Missingf("on", "no %s has the code %q", org.KindNamed(k.kind).Words(), t.op.On)
	}
	if k.mayChange != nil {
		if err := k.mayChange(t, record); err != nil {
			return nil, err
		}
	}
	return record, t.fresh(*org.KindOf(record).Revision(record), k.name(record))
}

func (k *simple[R, F]) edits(t *Trial) error {
	before, err := k.toChange(t)
	if err != nil {
		return err
	}
	if k.frozen && *k.retired(before) {
		return fault.Conflictf("on", "%s is retired; bring it back before changing it", k.name(before))
	}
	form := k.form(before)
	if err := t.form(&form); err != nil {
		return err
	}
	if k.code(&form) != org.KindOf(before).Code(before) {
		return fault.Invalidf("set.code", "a %s keeps its code; change its %s instead", org.KindOf(before).Words(),
			k.nameField)
	}
	record := *before
	if err := k.fill(t, before, &record, &form); err != nil {
		return err
	}
	t.put(&record)
	return nil
}

// retires takes a record out of use, or back into it. What refers to it goes on doing so.
func (k *simple[R, F]) retires(t *Trial, retired bool) error {
	before, err := k.toChange(t)
	if err != nil {
		return err
	}
	if *k.retired(before) == retired {
		return fault.Conflictf("on", "%s is %s already", k.name(before), retiredWord(retired))
	}
	record := *before
	*k.retired(&record) = retired
	t.put(&record)
	return nil
}
