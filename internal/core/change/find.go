package change

import (
	"slices"
	"strconv"
	"strings"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

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
	wanted := t.op.Revisions
	if t.op.Revision != 0 {
		wanted = append(slices.Clone(wanted), t.op.Revision)
	}
	if len(wanted) > 0 && !slices.Contains(wanted, revision) {
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
