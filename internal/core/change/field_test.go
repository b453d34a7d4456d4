package change

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
)

// The organisation says which fields its records have besides: of which kind, who has to fill them in, who sees them.
func TestTheOrganisationSaysWhichFieldsItsRecordsHave(t *testing.T) {
	h := newOrganisation(t)
	olive := h.who("S1")
	h.refuses(h.who("S2"), "", "Only an owner says", op("field.define", "", set{"key": "size", "name": "Size"}))
	h.must(olive, "", op("field.define", "", set{"key": "size", "name": "Size", "kind": "number"}),
		op("field.define", "", set{"key": "coat", "name": "Coat", "kind": "choice", "choices": []string{"S", "M"}}),
		op("field.define", "", set{"key": "check", "name": "Checked on", "kind": "date"}))
	for says, o := range map[string]Operation{
		"has the key size already":    op("field.define", "", set{"key": "size", "name": "Other"}),
		"every record has phone":      op("field.define", "", set{"key": "phone", "name": "Other"}),
		"is not a key":                op("field.define", "", set{"key": "Shoe size", "name": "Other"}),
		"needs a name":                op("field.define", "", set{"key": "other", "name": " "}),
		"is not a kind of field":      op("field.define", "", set{"key": "other", "name": "Other", "kind": "file"}),
		"at least two to choose":      op("field.define", "", set{"key": "other", "name": "Other", "kind": "choice"}),
		"has choices":                 op("field.edit", "size", set{"choices": []string{"a", "b"}}),
		"stands among the choices":    op("field.edit", "coat", set{"choices": []string{"S", "s"}}),
		"sees no field":               op("field.edit", "size", set{"seen_by": "all"}),
		"keeps its kind":              op("field.edit", "size", set{"kind": "text"}),
		"no field of people's":        op("field.edit", "hat", set{"name": "Hat"}),
		"is not a number":             op("staff.edit", "S3", set{"own": set{"size": "big"}}),
		"is not among the choices":    op("staff.edit", "S3", set{"own.coat": "XL"}),
		"is not a date":               op("staff.edit", "S3", set{"own": set{"check": "soon"}}),
		"there is no field own.hat":   op("staff.edit", "S3", set{"own": set{"hat": "7"}}),
		"own.size is said twice":      op("staff.edit", "S3", set{"own": set{"size": "7"}, "own.size": "8"}),
		"own.size is a text and take": op("staff.edit", "S3", set{"own": set{"size": 7}}),
	} {
		h.refuses(olive, "", says, o)
	}
	h.must(h.who("S2"), "", op("staff.edit", "S3", set{"own": set{"size": "42,50", "coat": "m",
		"check": "2026-01-02"}}))
	own := h.snap.State().StaffByNumber("S3").Own
	assert.Equal(t, "42.5 M 2026-01-02", own["size"]+" "+own["coat"]+" "+own["check"])

	// What stands there stays when the choices change, when the field is retired, and when it is taken out.
	h.must(olive, "", op("field.edit", "coat", set{"choices": []string{"one", "two"}}))
	h.must(h.who("S2"), "", op("staff.edit", "S3", set{"own": set{"coat": "M", "size": "43"}}))
	h.must(olive, "", op("field.retire", "coat", nil))
	h.refuses(h.who("S2"), "", "is retired", op("staff.edit", "S3", set{"own": set{"coat": "one"}}))
	h.refuses(olive, "", "retire it instead", op("organisation.edit", "", set{"fields": []set{}}))
	h.refuses(olive, "", "retire it instead", op("organisation.edit", "", set{"fields": []set{
		{"key": "size", "name": "Size", "kind": "date", "seen_by": "viewers"},
		{"key": "coat", "name": "Coat", "kind": "text", "seen_by": "viewers"},
		{"key": "check", "name": "Checked on", "kind": "date", "seen_by": "viewers"}}}))
	assert.Equal(t, "M", h.snap.State().StaffByNumber("S3").Own["coat"])
}

// What is required is asked of whoever is enrolled, by whoever may write it; those on record stay as they are until
// somebody fills it in, and then it is not emptied, but by an undo.
func TestARequiredFieldIsAskedOfThoseWhoAreEnrolled(t *testing.T) {
	h := newOrganisation(t)
	h.must(h.who("S1"), "", op("field.define", "", set{"key": "size", "name": "Size", "required": true}),
		op("field.define", "", set{"key": "risk", "name": "Risk", "required": true, "seen_by": "owners"}))
	enrol := func(own set) Operation {
		return op("staff.enrol", "", set{"given_name": "Ana", "family_name": "Reyes", "home_site": "A", "own": own})
	}
	h.refuses(h.who("S2"), "", "“Size” is required; write it", enrol(set{}))
	h.refuses(h.who("S1"), "", "“Risk” is required", enrol(set{"size": "4"}))
	h.refuses(h.who("S2"), "", "there is no field own.risk here", enrol(set{"size": "4", "risk": "none"}))
	h.must(h.who("S2"), "", enrol(set{"size": "4"}))
	h.must(h.who("S2"), "", op("staff.edit", "S3", set{"job_title": "Packer"}))
	filled := h.must(h.who("S2"), "", op("staff.edit", "S3", set{"own": set{"size": "5"}}))
	h.refuses(h.who("S2"), "", "“Size” is required", op("staff.edit", "S3", set{"own": set{"size": ""}}))
	undo, err := Undo(h.snap, h.snap.State().Revision, filled.Entries)
	require.NoError(t, err)
	h.must(h.who("S2"), "", undo...)
	assert.Empty(t, h.snap.State().StaffByNumber("S3").Own)
}

// What only some see is shown to no others, neither in the record's history nor where an undo says what is in its way.
func TestAFieldIsSeenByThoseItIsFor(t *testing.T) {
	h := newOrganisation(t)
	h.must(h.who("S1"), "", op("field.define", "", set{"key": "risk", "name": "Risk", "seen_by": "owners"}))
	first := h.must(h.who("S1"), "", op("staff.edit", "S3", set{"own": set{"risk": "high"},
		"insurance_number": "QQ 1"}))
	h.refuses(h.who("S2"), "", "there is no field own.risk here", op("staff.edit", "S3",
		set{"own": set{"risk": "low"}}))
	// Nor does a guess tell whether it is right.
	h.refuses(h.who("S2"), "", "there is no field own.risk here", op("staff.edit", "S3",
		set{"own": set{"risk": "high"}}))
	revision := h.snap.State().Revision
	h.must(h.who("S1"), "", op("staff.edit", "S3", set{"own": set{"risk": "secret"}}))
	_, err := Undo(h.snap, revision, first.Entries)
	assert.ErrorContains(t, err, "changed again since (own.risk)")
	e := first.Entries[0]
	for who, sees := range map[string][]bool{"S1": {true, true}, "S2": {false, true}, "S3": {false, false}} {
		reader := func() *access.Sight { return h.snap.Sight(h.snap.State().StaffByNumber(who).ID, env().Now.Unix()) }
		assert.Equal(t, sees, []bool{e.Shows(h.snap.State(), reader, "own.risk"),
			e.Shows(h.snap.State(), reader, "insurance_number")}, who)
	}
}
