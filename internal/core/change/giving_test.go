package change

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/wording"
)

// gate adds a permission to the doors, and gives it to packers.
func gate(sensitive bool) []Operation {
	return []Operation{op("permission.add", "", set{"key": "door.gate", "title": "Open the gate",
		"sentence": "Opens it.", "group": "door", "scale": set{"kind": "switch"}, "kinds": []string{"door"},
		"sensitive": sensitive}),
		op("template.edit", "packer", set{"decide": set{"door.gate": "yes"}})}
}

// managing says the third list of an effect: who can no longer manage whom, and who can from now on.
func (h *organisation) managing(d *Trial) []string {
	var said []string
	c := &wording.Compared{Before: d.before, After: d.After, At: noon.Unix()}
	for _, of := range access.ManagingBetween(d.before, d.After, noon.Unix()) {
		said = append(said, wording.English.Managing(c, &of, func(people.StaffID) bool { return true }))
	}
	return said
}

// A permission that is added and given to packers takes them from a manager who does not have it, and the preview says
// so; a manager who can give all that is in the group keeps them, and does not come to have it.
func TestAManagerGivesWhatTheyDoNotDo(t *testing.T) {
	h := given(t)
	owner := h.who("S1")
	lost, err := h.try(owner, "a gate", gate(false)...)
	require.NoError(t, err)
	assert.Equal(t, []string{
		"Max Manager can no longer manage Pia Packer: cannot give “Open the gate” at Site A",
		"Ria Rules can no longer manage Pia Packer: cannot give “Open the gate” at Site A",
	}, h.managing(lost))

	d := h.must(owner, "what they can give", op("template.edit", "manager", set{"decide_giving": set{"door": "full"}}),
		op("template.edit", "rules", set{"giving": set{"door": "full"}}))
	assert.Empty(t, h.managing(d))
	d = h.must(owner, "a gate", gate(false)...)
	assert.Empty(t, h.managing(d), "nobody is disarmed by what comes into the group")
	assert.True(t, h.may("S3", "door.gate", "A-1"))
	assert.False(t, h.may("S2", "door.gate", "A-1"), "who gives it does not have it")
	for _, o := range []Operation{op("pin.set", "", set{"staff": "S3"}), op("staff.lock", "S3", nil),
		op("staff.unlock", "S3", nil), op("assignment.end", h.assignmentOf("S3", "A"), nil),
		op("assignment.add", "", set{"staff": "S3", "place": "A-Z", "template": "packer"}),
		op("exception.add", "", set{"staff": "S3", "place": "A-2", "permission": "door.gate"})} {
		h.must(h.who("S2"), "because", o)
	}
	refuses(t, h, "S2", "You cannot give “Open the store” at Site A to this extent: you do not hold it there, and no "+
		"template", op("exception.add", "", set{"staff": "S3", "place": "A", "permission": "door.chemical"}))
}

// What is sensitive is given on only where it is named; a limit up to its number.
func TestWhatIsSensitiveIsNamedToBeGiven(t *testing.T) {
	h := given(t)
	owner := h.who("S1")
	h.must(owner, "r", op("template.edit", "manager", set{"decide_giving": set{"door": "full", "stock": "full"}}))
	keeper := op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "keeper"})
	refuses(t, h, "S2", "You cannot give “Open the store”", keeper)
	h.must(owner, "r", op("template.edit", "manager", set{"decide_giving": set{"door.chemical": "yes"}}))
	d, err := h.try(h.who("S2"), "r", keeper)
	require.NoError(t, err, "the keeper's limit of 100 kg too, of which they hold 40")
	assert.True(t, d.Effect.GivesSensitive(d.After.Catalogue()))
	h.must(owner, "r", op("template.edit", "manager", set{"decide_giving": set{"stock": nil, "stock.adjust": "60"}}))
	refuses(t, h, "S2", "You cannot give “Adjust”", keeper)
	assert.Equal(t, "60", h.snap.Catalogue().PermissionByKey("stock.adjust").Scale.Word(
		h.snap.Ceiling(h.who("S2").Staff, h.snap.State().PlaceByCode("A").ID, noon.Unix())[h.snap.Catalogue().
			PermissionByKey("stock.adjust").ID]), "and it is shown so beforehand")
	h.must(owner, "r", op("template.edit", "manager", set{"decide_giving": set{"stock.adjust": "none"}}))
	refuses(t, h, "S2", "You cannot give “Adjust”", op("exception.add", "",
		set{"staff": "S3", "place": "A-S", "permission": "stock.adjust", "level": "1"}))
}

// Nobody lets others give more than they can give themselves: by no edit of a template or of the catalogue, and by no
// assignment.
func TestNobodyLetsMoreBeGivenThanTheyCanGive(t *testing.T) {
	h := given(t)
	owner := h.who("S1")
	h.must(owner, "r", op("template.add", "", set{"code": "stocker", "name": "Stocker",
		"settings": set{"door.open": "yes"},
		"giving":   set{"stock": "full"}}),
		op("template.add", "", set{"code": "giver", "name": "Giver", "settings": set{"door.open": "yes"},
			"giving": set{"door": "full"}}))
	refuses(t, h, "S6", "You cannot give “Open the store”",
		op("permission.edit", "door.chemical", set{"sensitive": false}))
	h.must(owner, "r", op("template.edit", "rules", set{"decide_giving": set{"door.chemical": "yes"}}))
	h.must(h.who("S6"), "yes", op("template.edit", "packer", set{"decide_giving": set{"door.chemical": "yes"}}))
	for _, o := range []Operation{
		op("template.edit", "packer", set{"decide_giving": set{"stock": "full"}}),
		op("template.edit", "packer", set{"giving": set{"stock.adjust": "41"}}),
		op("template.edit", "packer", set{"base": "stocker"}),
		op("template.add", "", set{"code": "copy", "name": "Copy", "copy_of": "stocker"}),
		op("template.edit", "packer", set{"section": set{"from": "stocker", "group": "stock"}}),
		op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "stocker"}),
	} {
		refuses(t, h, "S6", "You cannot give “Adjust”", o)
	}
	refuses(t, h, "S6", "Nobody changes their own access",
		op("template.edit", "rules", set{"decide_giving": set{"door.chemical": nil}}))
	refuses(t, h, "S2", "You cannot give “Open the store”", op("assignment.add", "",
		set{"staff": "S3", "place": "A", "template": "packer"}), op("assignment.end", h.assignmentOf("S3", "A"), nil))
	refuses(t, h, "S2", "Pia Packer holds “Open the store” at Site A, which you cannot give",
		op("pin.set", "", set{"staff": "S3"}))
}

// What can be given is undone as it was, and flows to what is based on a template.
func TestWhatCanBeGivenIsInheritedAndUndone(t *testing.T) {
	h := given(t)
	owner := h.who("S1")
	d := h.must(owner, "r", op("template.edit", "packer",
		set{"decide_giving": set{"door": "full", "stock.adjust": "7"}}))
	could := func(template, permission string) string {
		p := h.snap.Catalogue().PermissionByKey(permission)
		return p.Scale.Word(h.snap.Giving(h.snap.State().TemplateByCode(template).ID)[p.ID].Level)
	}
	assert.Equal(t, []string{"yes", "yes", "7"}, []string{could("packer", "door.open"), could("keeper", "door.open"),
		could("keeper", "stock.adjust")}, "the keeper's own 100 kg is what they do")
	undone, err := h.undo(d)
	require.NoError(t, err)
	h.snap = undone.After
	assert.Equal(t, []string{"yes", "100", "0"}, []string{could("packer", "door.open"), could("keeper", "stock.adjust"),
		could("packer", "stock.adjust")})
	assert.Empty(t, h.snap.State().TemplateByCode("packer").Giving)
}

// A move within the catalogue leaves alone what can be given.
func TestAMoveWithinTheCatalogueKeepsWhatCanBeGiven(t *testing.T) {
	h := given(t)
	h.must(h.who("S1"), "r", append(gate(false),
		op("template.edit", "manager", set{"decide_giving": set{"door": "full"}}))...)
	d := h.must(h.who("S1"), "r", op("permission.edit", "door.gate", set{"group": "stock"}))
	assert.Empty(t, h.managing(d))
	h.must(h.who("S2"), "r", op("pin.set", "", set{"staff": "S3"}))
}

// The organisation is the root of the estate: who is assigned there has every site, also one that is added later.
func TestTheOrganisationIsTheRootOfTheEstate(t *testing.T) {
	h := given(t)
	h.must(h.who("S1"), "two sites", op("assignment.add", "", set{"staff": "S4", "place": "A", "template": "packer"}),
		op("assignment.add", "", set{"staff": "S4", "place": "B", "template": "packer", "until": "2027-01-01"}))
	before := entitlements(h.snap)
	h.must(system, "", op("place.add", "", set{"code": "ALL", "name": "All", "kind": "organisation",
		"time_zone": "Europe/Dublin"}))
	root := h.snap.State().Root()
	require.NotNil(t, root)
	for key, level := range before {
		assert.Equal(t, level, entitlements(h.snap)[key], key)
	}
	for _, code := range []string{"A", "B"} {
		assert.Equal(t, root.ID, h.snap.State().PlaceByCode(code).Parent)
	}
	assert.Equal(t, "Zone", h.snap.Tree().Path(h.snap.State().PlaceByCode("A-Z").ID)[1])
	assert.NotEmpty(t, h.assignmentOf("S6", "ALL"), "what they had alike at each site")
	assert.Empty(t, h.assignmentOf("S6", "A"))
	assert.NotEmpty(t, h.assignmentOf("S4", "A"), "which is not the same as at the other")
	assert.NotEmpty(t, h.assignmentOf("S2", "A"))

	h.must(h.who("S6"), "growth", op("place.add", "",
		set{"code": "N", "name": "New", "kind": "site", "time_zone": "Europe/Dublin"}))
	assert.Equal(t, root.ID, h.snap.State().PlaceByCode("N").Parent)
	assert.True(t, h.may("S6", "console.edit_templates", "N"))
	h.must(h.who("S6"), "and their templates stay theirs", op("template.edit", "packer", set{"name": "Packing"}))
	refuses(t, h, "S2", "This needs the permission “Edit places” at All", op("place.add", "",
		set{"code": "M", "name": "More", "kind": "site", "time_zone": "Europe/Dublin"}))
	refuses(t, h, "S2", "at All", op("assignment.add", "", set{"staff": "S3", "place": "ALL", "template": "packer"}))
	for says, o := range map[string]Operation{
		"it is not retired": op("place.retire", "ALL", nil),
		"there is one": op("place.add", "",
			set{"code": "O", "name": "O", "kind": "organisation", "time_zone": "UTC"}),
		"stands in a site or zone": op("place.add", "",
			set{"code": "D", "name": "D", "kind": "door", "parent": "ALL"}),
		"stands in the organisation and in no":  op("place.edit", "B", set{"parent": "A"}),
		"a site stands in the organisation":     op("place.edit", "B", set{"parent": ""}),
		"not a site; choose the site that some": op("staff.edit", "S3", set{"home_site": "ALL"}),
	} {
		_, err := h.try(h.who("S1"), "because", o)
		assert.ErrorContains(t, err, says)
	}
	assert.Equal(t, estate.Organisation, h.snap.State().Root().Kind)
}

// A single site has no managers of all sites but those who manage what counts everywhere.
func TestOneSiteIsNotTheOrganisation(t *testing.T) {
	h := given(t)
	h.must(h.who("S1"), "one", op("place.retire", "B", nil))
	h.must(system, "", op("place.add", "", set{"code": "ALL", "name": "All", "kind": "organisation",
		"time_zone": "Europe/Dublin"}))
	assert.NotEmpty(t, h.assignmentOf("S6", "ALL"))
	assert.NotEmpty(t, h.assignmentOf("S3", "A"))
	assert.Empty(t, h.assignmentOf("S3", "ALL"))
}

// What moves, or is lost or given by any change, is told of managers too; who is locked for a day has lost nobody.
func TestAnEffectSaysWhoManagesWhom(t *testing.T) {
	h := given(t)
	owner := h.who("S1")
	for _, c := range []struct {
		says []string
		ops  []Operation
	}{
		{nil, []Operation{op("staff.lock", "S2", nil)}},
		{nil, []Operation{op("assignment.add", "", set{"staff": "S4", "place": "B", "template": "packer"})}},
		{[]string{"Max Manager can no longer manage Pia Packer: cannot give “Open the store” at Store",
			"Ria Rules can no longer manage Pia Packer: cannot give “Open the store” at Store"},
			[]Operation{op("exception.add", "", set{"staff": "S3", "place": "A-2", "permission": "door.chemical"})}},
		{[]string{"Max Manager can no longer manage Pia Packer: no longer a manager of the home site"},
			[]Operation{op("staff.edit", "S3", set{"home_site": "B"})}},
		{[]string{"Pia Packer can manage Max Manager from now on"},
			[]Operation{op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "manager"})}},
		{[]string{"Max Manager can no longer manage Pia Packer: no longer a manager of the home site"},
			[]Operation{op("assignment.end", h.assignmentOf("S2", "A"), nil)}},
		{[]string{"Max Manager can no longer manage Pia Packer: cannot give “Open doors” at Site A"},
			[]Operation{op("exception.add", "", set{"staff": "S2", "place": "A-Z", "permission": "door.open",
				"withheld": true})}},
	} {
		d, err := h.try(owner, "because", c.ops...)
		require.NoError(t, err)
		assert.Equal(t, c.says, h.managing(d), c.ops[0].Op)
	}
}
