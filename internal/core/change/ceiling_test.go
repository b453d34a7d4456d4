package change

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/fault"
)

// given makes an organisation in which S2 manages site A and zone work, and S6 manages the rules everywhere.
func given(t *testing.T) *house {
	h := newHouse(t)
	owner := h.who("S1")
	h.must(owner, "given by an owner",
		op("template.add", "", set{"code": "rules", "name": "Rules", "settings": set{"console": "full", "door.open": "yes", "stock.adjust": "40"}}),
		op("staff.enrol", "", set{"staff_number": "S6", "given_name": "Ria", "family_name": "Rules", "home_site": "A", "start_date": "2020-01-01"}),
		op("assignment.add", "", set{"staff": "S6", "place": "A", "template": "rules", "from": "2026-01-01"}),
		op("assignment.add", "", set{"staff": "S6", "place": "B", "template": "rules", "from": "2026-01-01"}),
		op("assignment.edit", "1", set{"from": "2026-01-01"}))
	return h
}

func refuses(t *testing.T, h *house, who, says string, ops ...Operation) {
	t.Helper()
	before := h.snap.State().Revision
	_, err := h.try(h.who(who), "because", ops...)
	var f *fault.Fault
	if assert.ErrorAs(t, err, &f) {
		assert.Equal(t, fault.Refused, f.Kind, f.Message)
		assert.Contains(t, f.Message, says)
	}
	assert.Equal(t, before, h.snap.State().Revision)
}

func TestWhatIsWithheldBelowIsNotGivenAbove(t *testing.T) {
	h := given(t)
	h.must(h.who("S1"), "not in the zone", op("exception.add", "", set{"staff": "S2", "place": "A-Z", "permission": "door.open", "withheld": true}))
	refuses(t, h, "S2", "You cannot give “Open doors” at Site A", op("assignment.add", "", set{"staff": "S4", "place": "A", "template": "packer"}))
	refuses(t, h, "S2", "You cannot give “Open doors” at Zone", op("assignment.add", "", set{"staff": "S4", "place": "A-Z", "template": "packer"}))
	h.must(h.who("S2"), "elsewhere it is theirs", op("exception.add", "", set{"staff": "S3", "place": "A-2", "permission": "door.open"}))
	ceiling := h.snap.Ceiling(h.who("S2").Staff, h.snap.State().PlaceByCode("A").ID, noon.Unix())
	assert.Zero(t, ceiling[h.snap.Catalogue().PermissionByKey("door.open").ID], "and it is shown so beforehand")
}

func TestEndingWhatIsWithheldGivesItBack(t *testing.T) {
	h := given(t)
	owner := h.who("S1")
	h.must(owner, "careful", op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "keeper", "from": "2026-01-01"}),
		op("exception.add", "", set{"staff": "S3", "place": "A", "permission": "stock.adjust", "withheld": true}),
		op("exception.add", "", set{"staff": "S3", "place": "A", "permission": "door.open", "withheld": true}))
	require.False(t, h.may("S3", "stock.adjust", "A-S"))
	refuses(t, h, "S2", "You cannot give “Adjust” at Site A to this extent", op("exception.end", "1", nil))
	refuses(t, h, "S2", "You cannot give “Adjust”", op("exception.edit", "1", set{"until": "2026-11-30"}))
	refuses(t, h, "S2", "You cannot give “Adjust”", op("exception.set", "", set{"staff": "S3", "place": "A", "permission": "stock.adjust", "level": ""}))
	h.must(h.who("S2"), "they may give 40 kg, not 100, but they may open doors", op("exception.end", "2", nil))
	assert.True(t, h.may("S3", "door.open", "A-1"))
	h.must(owner, "settled", op("exception.end", "1", nil))
	assert.True(t, h.may("S3", "stock.adjust", "A-S"))
}

func TestMovingAPlaceGivesNobodyMoreThanTheMoverHolds(t *testing.T) {
	h := given(t)
	owner := h.who("S1")
	h.must(owner, "the chemist at B", op("template.add", "", set{"code": "chemist", "name": "Chemist", "settings": set{"door.chemical": "yes"}}),
		op("assignment.add", "", set{"staff": "S4", "place": "B", "template": "chemist", "from": "2026-01-01"}))
	refuses(t, h, "S6", "You cannot give “Open the store”", op("place.edit", "A-2", set{"parent": "B"}))
	h.must(owner, "moved by an owner", op("place.edit", "A-2", set{"parent": "B"}))
	assert.True(t, h.may("S4", "door.chemical", "A-2"))
	// The same by a detour: retired, moved, brought back.
	h.must(owner, "back", op("place.edit", "A-2", set{"parent": "A"}))
	h.must(h.who("S6"), "out of use", op("place.retire", "A-2", nil))
	_, err := h.try(h.who("S6"), "a detour", op("place.edit", "A-2", set{"parent": "B"}))
	assert.ErrorContains(t, err, "bring it back before moving it")
	h.must(h.who("S6"), "in use again", op("place.restore", "A-2", nil))
	// And by another: the place it goes to is retired first, and brought back with it.
	h.must(owner, "out of use", op("place.retire", "B", nil))
	for _, into := range []Operation{op("place.edit", "A-2", set{"parent": "B"}), op("place.add", "", set{"code": "B-9", "name": "Shed", "kind": "zone", "parent": "B"})} {
		_, err = h.try(owner, "a detour", into)
		assert.ErrorContains(t, err, "Site B is retired; bring it back first")
	}
	h.must(owner, "its name may change", op("place.edit", "B", set{"name": "Old site"}))
}

func TestARetiredPlaceComesBackToThoseWhoHadIt(t *testing.T) {
	h := given(t)
	d := h.must(h.who("S2"), "out of use", op("place.retire", "A-Z", nil))
	assert.Equal(t, 4, d.Effect.Losers(), "the owner, the packer and both managers")
	_, err := h.try(h.who("S6"), "moved", op("place.edit", "A-Z", set{"parent": "B"}))
	assert.ErrorContains(t, err, "bring it back before moving it")
	d = h.must(h.who("S2"), "in use again", op("place.restore", "A-Z", nil))
	assert.Equal(t, 4, d.Effect.Gainers(), "though some of them hold more than the manager")
	assert.True(t, h.may("S3", "door.open", "A-1"))
}

func TestARetiredSiteComesBack(t *testing.T) {
	h := given(t)
	for _, who := range []string{"S1", "S2", "S6"} {
		h.must(h.who("S1"), "closed", op("place.retire", "A", nil))
		assert.False(t, h.may("S3", "door.open", "A-1"))
		refuses(t, h, "S3", "Edit places", op("place.restore", "A", nil))
		h.must(h.who(who), "open again", op("place.restore", "A", nil))
		assert.True(t, h.may("S3", "door.open", "A-1"))
	}
}

func TestWhatLiesIdleBelowIsNotMovedUnseen(t *testing.T) {
	h := given(t)
	owner := h.who("S1")
	h.must(owner, "at the door alone", op("assignment.add", "", set{"staff": "S4", "place": "A-1", "template": "packer", "from": "2026-01-01"}))
	h.must(h.who("S6"), "out of use", op("place.retire", "A-1", nil))
	refuses(t, h, "S6", "is retired and people are assigned at it", op("place.edit", "A-Z", set{"parent": "B"}))
	h.must(owner, "an owner may", op("place.edit", "A-Z", set{"parent": "B"}))
}

func TestAManagerOfRulesChangesNeitherTheirOwnAccessNorMoreThanTheyHold(t *testing.T) {
	h := given(t)
	refuses(t, h, "S6", "You cannot give “Open the store”", op("template.edit", "packer", set{"decide": set{"door.chemical": "yes"}}))
	refuses(t, h, "S6", "You cannot give “Open the store”", op("template.edit", "packer", set{"decide": set{"door": "full"}}))
	refuses(t, h, "S6", "You cannot give “Open the store”", op("template.add", "", set{"code": "x", "name": "X", "copy_of": "keeper"}))
	refuses(t, h, "S6", "You cannot give “Open the store”", op("template.edit", "packer", set{"section": set{"from": "keeper", "group": "door"}}))
	refuses(t, h, "S6", "You cannot give “Adjust”", op("template.edit", "packer", set{"decide": set{"stock.adjust": "41"}}))
	h.must(h.who("S6"), "as much as they hold", op("template.edit", "packer", set{"decide": set{"stock.adjust": "40"}}))
	refuses(t, h, "S6", "Nobody changes their own access", op("template.edit", "rules", set{"decide": set{"door.open": "no"}}))
	refuses(t, h, "S6", "Nobody changes their own access", op("permission.retire", "stock.adjust", nil))
	refuses(t, h, "S6", "You cannot give", op("template.edit", "manager", set{"base": "keeper"}))
	refuses(t, h, "S2", "This needs the permission “Edit templates” at every site", op("template.edit", "packer", set{"name": "P"}))
	refuses(t, h, "S2", "at every site", op("permission.edit", "door.open", set{"title": "Doors"}))
	refuses(t, h, "S2", "at every site", op("template.retire", "packer", set{"end_assignments": true}))
}

func TestWidernessOfAPermissionIsGivingToo(t *testing.T) {
	h := given(t)
	owner := h.who("S1")
	h.must(owner, "", op("place.add", "", set{"code": "A-W", "name": "Bench", "kind": "work_centre", "parent": "A"}))
	refuses(t, h, "S6", "", op("permission.edit", "door.chemical", set{"kinds": []string{"door", "work_centre"}}))
	d := h.must(owner, "benches too", op("permission.edit", "stock.adjust", set{"kinds": []string{"device", "work_centre"}}))
	assert.Positive(t, d.Effect.Gainers(), "who had it gains it at more kinds of place")
	assert.True(t, h.may("S2", "stock.adjust", "A-W"))
}

// What is added for one person comes to mean more as well, where its permission does.
func TestWhatIsAddedForOnePersonGrowsNoFurtherThanTheCeiling(t *testing.T) {
	h := given(t)
	owner := h.who("S1")
	h.must(owner, "benches", op("permission.add", "", set{"key": "door.tank", "title": "Open the tank", "sentence": "Opens it.", "group": "door", "scale": set{"kind": "switch"}, "kinds": []string{"door"}}),
		op("exception.add", "", set{"staff": "S3", "place": "A", "permission": "door.tank"}))
	refuses(t, h, "S6", "You cannot give “Open the tank”", op("permission.edit", "door.tank", set{"kinds": []string{"door", "work_centre"}}))
	h.must(h.who("S6"), "less is theirs", op("permission.retire", "door.tank", nil))
	refuses(t, h, "S6", "You cannot give “Open the tank”", op("permission.restore", "door.tank", nil))
	h.must(owner, "back again", op("permission.restore", "door.tank", nil))
	h.must(owner, "theirs too", op("exception.add", "", set{"staff": "S6", "place": "A", "permission": "door.tank"}))
	refuses(t, h, "S6", "Nobody changes their own access", op("permission.edit", "door.tank", set{"kinds": []string{"door", "work_centre"}}))
	h.must(owner, "S6 gives it back", op("exception.end", fmt.Sprint(h.snap.State().Exceptions.Last()), nil), op("exception.end", fmt.Sprint(h.snap.State().Exceptions.Last()-1), nil))
	h.must(h.who("S6"), "nobody has it", op("permission.edit", "door.tank", set{"kinds": []string{"door", "work_centre"}}))
}

// Reading JSON into a list that is there writes into it: a refused or previewed edit must not reach the record.
func TestATrialLeavesTheRecordsOfTheLiveStateAlone(t *testing.T) {
	h := given(t)
	owner := h.who("S1")
	h.must(owner, "", op("permission.add", "", set{"key": "stock.see", "title": "See stock", "sentence": "Sees.", "group": "stock", "scale": set{"kind": "levels", "levels": []string{"none", "own", "all"}}, "kinds": []string{"site", "device"}}),
		op("template.edit", "packer", set{"needs": []string{"pin"}}))
	kinds := h.snap.Catalogue().PermissionByKey("stock.see").Kinds
	levels := h.snap.Catalogue().PermissionByKey("stock.see").Scale.Levels
	needs := h.snap.State().TemplateByCode("packer").Needs
	_, err := Apply(h.snap, owner, env(), "r", []Operation{
		op("permission.edit", "stock.see", set{"kinds": []string{"door", "zone"}, "scale": set{"kind": "levels", "levels": []string{"never", "some", "much"}}}), op("template.edit", "packer", set{"needs": []string{"badge"}})})
	require.NoError(t, err)
	assert.Equal(t, []string{"none", "own", "all"}, levels)
	assert.Equal(t, []string{"site", "device"}, []string{string(kinds[0]), string(kinds[1])})
	assert.Equal(t, []string{"pin"}, needs)
}

func TestUnlockingAndReinstatingAreNoGivingOfOnesOwn(t *testing.T) {
	h := given(t)
	h.must(h.who("S1"), "covers", op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "keeper", "from": "2026-01-01"}))
	h.must(h.who("S2"), "talk", op("staff.lock", "S3", nil))
	h.must(h.who("S2"), "settled", op("staff.unlock", "S3", nil))
	assert.True(t, h.may("S3", "door.chemical", "A-2"), "what an owner gave counts again")
}
