package change

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/people"
)

// What is advised is all that stands in the way, and it mends: made together, as one change, it leads to an allow.
func TestWhatIsAdvisedMends(t *testing.T) {
	base := newOrganisation(t).snap
	owner := Actor{Staff: base.State().StaffByNumber("S1").ID}
	met, mended, several := map[access.Reason]int{}, 0, 0
	rapid.Check(t, func(t *rapid.T) {
		now := drawEstate(t, base)
		for range rapid.IntRange(1, 12).Draw(t, "steps") {
			if next, err := Apply(now, owner, env(), "because", []Operation{anyOperation(t, now)}); err == nil {
				now = next.After
			}
		}
		for _, hinder := range [][]Operation{{op("staff.lock", "S3", nil)}, {op("staff.leave", "S4", nil)},
			{op("bar.add", "", set{"staff": "S5", "place": "A"})}, {op("place.retire", "A-1", nil)},
			{op("staff.edit", "S5", set{"contract_end": "2026-01-31"})},
			{op("assignment.edit", "2", set{"from": "2026-12-10"})}} {
			if rapid.Bool().Draw(t, "hinder") {
				if next, err := Apply(now, owner, env(), "because", hinder); err == nil {
					now = next.After
				}
			}
		}
		for id := range now.State().Staff.All() {
			for _, code := range []string{"A-1", "A-2", "A-S", "A-L"} {
				place := now.State().PlaceByCode(code)
				key := map[string]string{"A-S": "stock.adjust", "A-L": "line.run"}[code]
				if key == "" {
					key = place.Asks
				}
				permission := now.Catalogue().PermissionByKey(key)
				if permission == nil {
					continue
				}
				q := access.Question{Staff: people.StaffID(id), Permission: permission.ID, Place: place.ID,
					At: noon.Unix(), Proves: rapid.Bool().Draw(t, "proves")}
				advice, opens := Advise(now, q, env())
				d := now.Decide(&q)
				require.Equal(t, d.Allowed, len(advice) == 0)
				if d.Allowed {
					continue
				}
				require.Equal(t, d, advice[0].Decision)
				var operations []Operation
				for i := range advice {
					one := &advice[i]
					met[one.Decision.Reason]++
					require.Equal(t, one.Decision, one.Snapshot.Decide(&one.Question))
					if one.Operation != nil {
						operations = append(operations, one.supposed())
					}
				}
				if !opens {
					last := &advice[len(advice)-1]
					require.Nil(t, last.Operation, "where a mend is known, the next is looked for")
					continue
				}
				together := now
				if len(operations) > 0 {
					d, err := Apply(now, Actor{System: "advice"}, env(), "advice", operations)
					require.NoError(t, err, "%+v", operations)
					together = d.After
				}
				last := advice[len(advice)-1].Question
				begins, ever := together.Begins(last)
				require.True(t, ever, "%+v", operations)
				last.At = begins
				require.True(t, together.Decide(&last).Allowed, "%+v", operations)
				mended++
				if len(operations) > 2 {
					several++
				}
			}
		}
	})
	t.Logf("%d mended, %d by three operations or more; met: %v", mended, several, met)
	assert.Positive(t, several)
	for _, reason := range []access.Reason{access.Locked, access.HasLeft, access.ContractEnded, access.NotStarted,
		access.PlaceRetired, access.BarredHere, access.Withheld, access.NoAssignment, access.AssignmentNotInDates,
		access.PermissionNotInTemplate, access.QualificationMissing, access.NoticeNotAccepted, access.OutsideHours,
		access.ProofNotSufficient} {
		assert.Positive(t, met[reason], reason.String())
	}
}
