package change

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// managed is an organisation with a manager of a site, S2, somebody who may only assign and except there, S7, and one
// who looks after both sites, S6.
func managed(t *testing.T) *organisation {
	h := given(t)
	h.must(h.who("S1"), "given by an owner",
		op("template.add", "", set{"code": "clerk", "name": "Clerk", "settings": set{"console.view_staff": "all",
			"console.assign": "yes", "console.except": "yes", "door.open": "yes"}}),
		op("staff.enrol", "", set{"staff_number": "S7", "given_name": "Cleo", "family_name": "Clerk", "home_site": "A",
			"start_date": "2020-01-01"}),
		op("assignment.add", "", set{"staff": "S7", "place": "A", "template": "clerk", "from": "2026-01-01"}))
	return h
}

func (h *organisation) assignmentOf(staff, place string) string {
	for _, id := range h.snap.State().AssignmentsOf(h.who(staff).Staff) {
		a := h.snap.State().Assignment(id)
		if !a.Ended && h.snap.State().Place(a.Place).Code == place {
			return fmt.Sprint(a.ID)
		}
	}
	return ""
}

// Nobody takes permissions of this product from somebody over whom they do not stand, by whichever operation: else a
// manager could disarm those above them.
func TestNobodyDisarmsThoseAboveThem(t *testing.T) {
	h := managed(t)
	above := "Ria Rules holds"
	for _, o := range []Operation{
		op("exception.add", "", set{"staff": "S6", "place": "A", "permission": "console.lock", "withheld": true}),
		op("exception.add", "", set{"staff": "S6", "place": "A-Z", "permission": "console.lock", "withheld": true,
			"from": "2027-01-01"}),
		op("exception.set", "", set{"staff": "S6", "place": "A-Z", "permission": "console.lock", "level": "no"}),
		op("assignment.end", h.assignmentOf("S6", "A"), nil),
		op("assignment.edit", h.assignmentOf("S6", "A"), set{"until": "2026-12-01"}),
		op("assignment.edit", h.assignmentOf("S6", "A"), set{"from": "2026-12-01"}),
		op("assignment.move", h.assignmentOf("S6", "A"), set{"template": "packer"}),
	} {
		refuses(t, h, "S7", above, o)
	}
	h.must(h.who("S1"), "talk", op("staff.lock", "S6", nil))
	refuses(t, h, "S7", above, op("assignment.end", h.assignmentOf("S6", "A"), nil))
	h.must(h.who("S1"), "settled", op("staff.unlock", "S6", nil))
	h.must(h.who("S1"), "r", op("assignment.end", h.assignmentOf("S6", "A"), nil))
}

// To take something away nobody has to hold it: it takes the permission to change what somebody has there. Giving it
// back does.
func TestTakingAwayNeedsNoHolding(t *testing.T) {
	h := managed(t)
	h.must(h.who("S1"), "given by an owner",
		op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "keeper", "from": "2026-01-01"}),
		op("exception.add", "", set{"staff": "S3", "place": "A-S", "permission": "stock.adjust", "level": "300"}))
	added := fmt.Sprint(h.snap.State().Exceptions.Last())
	clerk := h.who("S7")
	h.must(clerk, "not fit", op("exception.add", "", set{"staff": "S3", "place": "A-2", "permission": "door.chemical",
		"withheld": true}))
	withheld := fmt.Sprint(h.snap.State().Exceptions.Last())
	assert.False(t, h.may("S3", "door.chemical", "A-2"))
	refuses(t, h, "S7", "You cannot give “Open the store”", op("exception.end", withheld, nil))
	h.must(clerk, "less", op("exception.edit", added, set{"level": "50"}))
	refuses(t, h, "S7", "You cannot give “Adjust”", op("exception.edit", added, set{"level": "60"}))
	h.must(clerk, "sooner", op("exception.edit", added, set{"until": "2026-12-20"}))
	h.must(clerk, "no more", op("exception.end", added, nil))
	refuses(t, h, "S7", "You cannot give “Adjust”", op("exception.restore", added, nil))
}

// What rests on a cover or a dated assignment gives no further than its last day.
func TestNothingIsGivenForLongerThanItsGiverHasIt(t *testing.T) {
	h := managed(t)
	owner, clerk := h.who("S1"), h.who("S7")
	h.must(owner, "on leave", op("staff.cover", "S2", set{"by": "S7", "from": "2026-11-24", "until": "2026-11-30"}))
	refuses(t, h, "S7", "until 30 Nov 2026 and no longer",
		op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "manager"}))
	refuses(t, h, "S7", "until 30 Nov 2026 and no longer",
		op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "manager", "until": "2026-12-01"}))
	refuses(t, h, "S7", "until 30 Nov 2026 and no longer",
		op("exception.add", "", set{"staff": "S3", "place": "A-S", "permission": "stock.adjust", "level": "10"}))
	refuses(t, h, "S7", "until 30 Nov 2026 and no longer",
		op("staff.like", "S3", set{"like": "S2"}))
	h.must(clerk, "for the week", op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "manager",
		"until": "2026-11-30"}))
	made := fmt.Sprint(h.snap.State().Assignments.Last())
	refuses(t, h, "S7", "until 30 Nov 2026 and no longer", op("assignment.edit", made, set{"until": ""}))
	h.must(clerk, "sooner", op("assignment.edit", made, set{"until": "2026-11-29"}))
	h.must(clerk, "theirs without end", op("assignment.add", "", set{"staff": "S6", "place": "A-Z",
		"template": "packer"}))
	h.must(owner, "for good", op("assignment.edit", made, set{"until": "2030-01-01"}))
	h.must(clerk, "shorter is taking", op("assignment.edit", made, set{"until": "2029-01-01"}))
}

// An address is where invitations go, now or later: it is changed by whoever stands over the person, whether or not
// they have a password yet.
func TestAnAddressIsChangedByWhoeverStandsOverThePerson(t *testing.T) {
	h := managed(t)
	owner := h.who("S1")
	h.must(owner, "", op("staff.enrol", "", set{"staff_number": "S8", "given_name": "New", "family_name": "Boss",
		"home_site": "A", "start_date": "2020-01-01", "email": "new@example.org"}))
	h.must(h.who("S2"), "", op("staff.edit", "S8", set{"email": "newer@example.org"}))
	h.must(owner, "", op("assignment.add", "", set{"staff": "S8", "place": "A", "template": "rules"}))
	refuses(t, h, "S2", "New Boss holds", op("staff.edit", "S8", set{"email": "max@example.org"}))
	require.NoError(t, func() error {
		_, err := h.try(owner, "", op("staff.edit", "S8", set{"email": "newest@example.org"}))
		return err
	}())
}
