package change

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"loyallatch.example/latch/internal/core/access"
)

// Who is in a team, and who leads it, is said by whoever looks after the people concerned.
func TestTeamsAreOfThoseWhomOneLooksAfter(t *testing.T) {
	h := newOrganisation(t)
	max := Actor{Staff: h.snap.State().StaffByNumber("S2").ID}
	h.must(max, "", op("team.add", "", set{"code": "EARLY", "name": "Early"}),
		op("member.add", "", set{"team": "EARLY", "staff": "S3"}))
	h.refuses(max, "", "nobody you may see", op("member.add", "", set{"team": "EARLY", "staff": "S4"}))
	h.refuses(max, "", "is in Early already", op("member.add", "", set{"team": "EARLY", "staff": "S3"}))
	h.refuses(max, "", "a team early already", op("team.add", "", set{"code": "early", "name": "Early"}))
	h.refuses(max, "", "needs a name", op("team.edit", "EARLY", set{"name": " "}))
	h.refuses(max, "", "keeps its code", op("team.edit", "EARLY", set{"code": "LATE"}))
	h.refuses(max, "", "no team has the code", op("member.add", "", set{"team": "LATE", "staff": "S3"}))

	// Somebody from another site is in it by now: what happens to the whole of it is no longer one site's matter.
	h.must(system, "", op("member.add", "", set{"team": "EARLY", "staff": "S4"}))
	for _, o := range []Operation{op("team.edit", "EARLY", set{"name": "Late"}), op("team.retire", "EARLY", nil),
		op("member.edit", "1", set{"lead": true})} {
		h.refuses(max, "", "of another site", o)
	}
	h.must(max, "", op("member.end", "1", nil))
	h.refuses(max, "", "no place in a team", op("member.end", "2", nil))
	h.refuses(max, "", "is no longer in Early", op("member.end", "1", nil))
	h.refuses(max, "", "no team has the code", op("member.add", "", set{"team": "EARLY", "staff": "S3"}))
}

// What a lead may see hangs on who is in their team, so they do not say that themselves; an owner sees all anyway.
func TestNobodyChangesATeamThatTheyLead(t *testing.T) {
	h := newOrganisation(t)
	max, olive := h.snap.State().StaffByNumber("S2").ID, h.snap.State().StaffByNumber("S1").ID
	h.refuses(Actor{Staff: max}, "", "Nobody changes their own access",
		named("t", op("team.add", "", set{"code": "OWN", "name": "Own"})),
		op("member.add", "", set{"team": "@t", "staff": "S2", "lead": true}))
	h.must(system, "", named("t", op("team.add", "", set{"code": "EARLY", "name": "Early"})),
		op("member.add", "", set{"team": "@t", "staff": "S2", "lead": true}))
	for _, o := range []Operation{op("member.add", "", set{"team": "EARLY", "staff": "S3"}),
		op("member.edit", "1", set{"lead": false}), op("member.end", "1", nil), op("team.retire", "EARLY", nil)} {
		h.refuses(Actor{Staff: max}, "", "You lead Early", o)
	}
	h.must(Actor{Staff: olive}, "", op("member.add", "", set{"team": "EARLY", "staff": "S1", "lead": true}))
	h.must(Actor{Staff: olive}, "", op("member.add", "", set{"team": "EARLY", "staff": "S3"}))
}

// A manager with the level team finds those of their teams, and for everybody else is told that there is nobody.
func TestALeadFindsTheirTeamAndNobodyElse(t *testing.T) {
	h := newOrganisation(t)
	h.must(system, "", op("template.add", "", set{"code": "lead", "name": "Lead",
		"settings": set{"console.view_staff": "team", "console.lock": "yes"}}),
		op("staff.enrol", "", set{"staff_number": "S7", "given_name": "Lea", "family_name": "Lead", "home_site": "A",
			"start_date": "2020-01-01"}),
		op("assignment.add", "", set{"staff": "S7", "place": "A", "template": "lead"}),
		op("staff.enrol", "", set{"staff_number": "S8", "given_name": "Tom", "family_name": "Team", "home_site": "A",
			"start_date": "2020-01-01"}),
		named("t", op("team.add", "", set{"code": "EARLY", "name": "Early"})),
		op("member.add", "", set{"team": "@t", "staff": "S7", "lead": true}),
		op("member.add", "", set{"team": "@t", "staff": "S8"}))
	lea := Actor{Staff: h.snap.State().StaffByNumber("S7").ID}
	h.must(lea, "r", op("staff.lock", "S8", nil))
	h.refuses(lea, "r", "nobody you may see", op("staff.lock", "S3", nil))
	d := h.must(system, "", op("member.end", "2", nil))
	assert.Equal(t, access.Hidden, d.After.Sight(lea.Staff, noon.Unix()).Of(d.State.StaffByNumber("S8")))
	h.refuses(lea, "r", "nobody you may see", op("staff.unlock", "S8", nil))
}

// refuses asks that operations are refused with a sentence that says so.
func (h *organisation) refuses(actor Actor, reason, says string, ops ...Operation) {
	h.t.Helper()
	_, err := h.try(actor, reason, ops...)
	assert.ErrorContains(h.t, err, says)
}
