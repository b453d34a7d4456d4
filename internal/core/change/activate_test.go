package change

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/people"
)

// Whoever is activated is let in now: what was to begin on the start date begins on the day of the place. What begins
// on another day, or has begun, stays as it is.
func TestActivatingBringsForwardWhatWasToBeginOnTheStartDate(t *testing.T) {
	h := newOrganisation(t)
	owner, manager := h.who("S1"), h.who("S2")
	h.must(owner, "new", op("staff.enrol", "", set{"staff_number": "S5", "given_name": "Ana", "family_name": "Quennell",
		"home_site": "A", "start_date": "2027-03-01"}),
		op("assignment.add", "", set{"staff": "S5", "place": "A-Z", "template": "packer", "from": "2027-03-01",
			"until": "2027-05-31"}),
		op("assignment.add", "", set{"staff": "S5", "place": "A", "template": "packer", "from": "2027-04-01"}),
		op("exception.set", "", set{"staff": "S5", "place": "A-S", "permission": "stock.adjust", "level": "5",
			"from": "2027-03-01"}))
	decide := func(place, permission string) access.Reason {
		s := h.snap.State()
		return h.snap.Decide(&access.Question{Staff: s.StaffByNumber("S5").ID, Place: s.PlaceByCode(place).ID,
			Permission: h.snap.Catalogue().PermissionByKey(permission).ID, At: noon.Unix()}).Reason
	}
	require.Equal(t, access.NotStarted, decide("A-1", "door.open"))
	d := h.must(manager, "", op("staff.activate", "S5", nil))
	assert.Equal(t, access.Granted, decide("A-1", "door.open"), "said to be active, and let in")
	assert.Equal(t, access.Granted, decide("A-S", "stock.adjust"))
	assert.NotEmpty(t, d.Effect.Gains, "who gains is shown")
	s := h.snap.State()
	p := s.StaffByNumber("S5")
	assert.Equal(t, people.Active, h.snap.Status(p.ID, noon.Unix()))
	assert.Equal(t, "2027-03-01", p.StartDate.String())
	first, second := s.Assignment(s.AssignmentsOf(p.ID)[0]), s.Assignment(s.AssignmentsOf(p.ID)[1])
	assert.Equal(t, []string{day.Of(noon).String(), "2027-05-31", "2027-04-01"},
		[]string{first.From.String(), first.Until.String(), second.From.String()})
}

// An assignment that would be a double of another until the start date waits for it, as the other counts until then.
func TestActivatingDoublesNoAssignment(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "new", op("staff.enrol", "", set{"staff_number": "S5", "given_name": "Ana", "family_name": "Quennell",
		"home_site": "A", "start_date": "2027-03-01"}),
		op("assignment.add", "", set{"staff": "S5", "place": "A", "template": "packer", "from": "2026-01-01",
			"until": "2027-02-28"}),
		op("assignment.add", "", set{"staff": "S5", "place": "A", "template": "packer", "from": "2027-03-01"}))
	h.must(owner, "", op("staff.activate", "S5", nil))
	s := h.snap.State()
	assert.Equal(t, "2027-03-01", s.Assignment(s.AssignmentsOf(s.StaffByNumber("S5").ID)[1]).From.String())
}
