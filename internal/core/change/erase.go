package change

import (
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
)

var erasingOperations = []Description{
	{Name: "staff.erase", Do: "Erase the personal data of", Done: "Erased the personal data of", Own: true,
		Says: "Kept for as long as the settings say", apply: staffErase},
}

// staffErase takes out of the records who somebody was that has left. It is done by the service itself once the
// retention time is over, and cannot be undone: what was there is told to nobody, so not to the audit log either.
func staffErase(t *Trial) error {
	before, err := t.findStaff("on", t.op.On)
	if err != nil {
		return err
	}
	switch {
	case t.actor.System == "":
		return fault.Refusedf("not-permitted", "Personal data is erased by the service itself, as the settings say.")
	case t.statusOf(before) != people.Left:
		return fault.Conflictf("on", "%s has not left", before.FullName())
	case before.Owner:
		return fault.Conflictf("on", "%s is an owner", before.FullName())
	case before.Erased:
		return fault.Conflictf("on", "the personal data of %s is erased already", before.Number)
	}
	p := *before
	p.Erase()
	p.Revision = t.next()
	t.State.Put(&p)
	t.erased("staff", uint32(p.ID), &p)
	t.Entries = append(t.Entries, Entry{Op: t.op.Op, On: p.Number + " " + p.FullName(),
		Record: "staff:" + number(float64(p.ID)), After: map[string]any{"erased": true}, Index: t.index})
	for _, id := range t.State.ExceptionsOf(p.ID) {
		e := *t.State.Exception(id)
		e.Reason, e.Revision = people.ErasedText, t.next()
		t.State.Put(&e)
		t.erased("exception", uint32(id), &e)
	}
	for _, id := range t.State.BarsOf(p.ID) {
		b := *t.State.Bar(id)
		b.Reason, b.Revision = people.ErasedText, t.next()
		t.State.Put(&b)
		t.erased("bar", uint32(id), &b)
	}
	for _, id := range t.State.CertificatesOf(p.ID) {
		c := *t.State.Certificate(id)
		c.Number, c.Revision = "", t.next()
		t.State.Put(&c)
		t.erased("certificate", uint32(id), &c)
	}
	for _, id := range t.State.CredentialsOf(p.ID) {
		c := *t.State.Credential(id)
		if c.StateReason == "" {
			continue
		}
		c.StateReason, c.Revision = people.ErasedText, t.next()
		t.State.Put(&c)
		t.erased("credential", uint32(id), &c)
	}
	return nil
}

// erased notes that a record was written, and nothing of what stood there before.
func (t *Trial) erased(kind string, id uint32, record any) {
	name := kind + ":" + number(float64(id))
	if at, again := t.seen[name]; again {
		t.Written[at].Value, t.Written[at].index = record, t.index
		return
	}
	t.seen[name] = len(t.Written)
	t.Written = append(t.Written, Record{Value: record, index: t.index})
}

// Erases reports whether a record belongs to somebody whose personal data is erased, so that what stood there before is
// to leave no trace.
func (t *Trial) Erases(record any) bool {
	var of people.StaffID
	switch r := record.(type) {
	case *people.Staff:
		of = r.ID
	case *org.Exception:
		of = r.Staff
	case *org.Bar:
		of = r.Staff
	case *org.Certificate:
		of = r.Staff
	case *credential.Credential:
		of = r.Staff
	default:
		return false
	}
	before, after := t.before.State().Person(of), t.State.Person(of)
	return before != nil && after != nil && after.Erased && !before.Erased
}
