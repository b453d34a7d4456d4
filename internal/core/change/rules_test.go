package change

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/wording"
)

func (h *organisation) level(template, permission string) string {
	p := h.snap.Catalogue().PermissionByKey(permission)
	return p.Scale.Word(h.snap.Resolved(h.snap.State().TemplateByCode(template).ID)[p.ID].Level)
}

func (h *organisation) undecided(template string) int {
	t := h.snap.State().TemplateByCode(template)
	return len(h.snap.Catalogue().Undecided(t, h.snap.Resolved(t.ID), h.snap.State().Template))
}

func newPermission(fields set) Operation {
	all := set{"key": "stock.count", "title": "Count", "sentence": "Counts.", "group": "stock",
		"scale": set{"kind": "switch"}, "kinds": []string{"device"}}
	for k, v := range fields {
		all[k] = v
	}
	return op("permission.add", "", all)
}
func newException(fields set) Operation {
	all := set{"staff": "S3", "permission": "door.chemical", "place": "A"}
	for k, v := range fields {
		all[k] = v
	}
	return op("exception.add", "", all)
}
func TestBadRulesAreRefusedByFieldAndWriteNothing(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "also owners adjust no more", op("permission.edit", "stock.adjust",
		set{"scale": set{"kind": "limit", "unit": "kg", "most": 500}}))
	before := h.snap.State().Revision
	for _, c := range []struct {
		name  string
		op    Operation
		kind  fault.Kind
		field string
	}{
		{"a base that would make a circle", op("template.edit", "packer", set{"base": "keeper"}), fault.Invalid,
			"set.base"},
		{"a template based on itself", op("template.edit", "packer", set{"base": "packer"}), fault.Invalid, "set.base"},
		{"a level not on the scale", op("template.edit", "packer", set{"decide": set{"door.open": "perhaps"}}),
			fault.Invalid, "set.decide.door.open"},
		{"a level that no permission of a group has", op("template.edit", "packer", set{"decide": set{"door": "team"}}),
			fault.Invalid, "set.decide.door"},
		{"a limit below nothing", op("template.edit", "packer", set{"decide": set{"stock.adjust": "-1"}}),
			fault.Invalid, "set.decide.stock.adjust"},
		{"a limit beyond the ceiling", op("template.edit", "packer", set{"decide": set{"stock.adjust": "501"}}),
			fault.Invalid, "set.decide.stock.adjust"},
		{"a setting of nothing", op("template.edit", "packer", set{"decide": set{"stock.fly": "yes"}}), fault.NotFound,
			"set.decide.stock.fly"},
		{"a section of no group", op("template.edit", "packer", set{"section": set{"from": "keeper", "group": "nope"}}),
			fault.NotFound, "set.section.group"},
		{"a section from no template",
			op("template.edit", "packer", set{"section": set{"from": "nope", "group": "door"}}), fault.NotFound,
			"set.section.from"},
		{"another code", op("template.edit", "packer", set{"code": "p"}), fault.Invalid, "set.code"},
		{"a copy and a person at once",
			op("template.add", "", set{"code": "x", "name": "X", "copy_of": "packer",
				"like": set{"staff": "S3", "place": "A"}}), fault.Invalid, "set.like"},
		{"like somebody without an assignment there",
			op("template.add", "", set{"code": "x", "name": "X", "like": set{"staff": "S4", "place": "B"}}),
			fault.Conflict, "set.like"},
		{"retiring a template in use without a word on its people", op("template.retire", "packer", nil),
			fault.Conflict, "on"},
		{"retiring it both ways", op("template.retire", "manager",
			set{"replace_with": "packer", "end_assignments": true}), fault.Invalid, "set.end_assignments"},
		{"retiring it for itself", op("template.retire", "manager", set{"replace_with": "manager"}), fault.Invalid,
			"set.replace_with"},
		{"bringing back what is in use", op("template.restore", "packer", nil), fault.Conflict, "on"},
		{"an exception where the permission does not apply", newException(set{"place": "A-S"}), fault.Invalid,
			"set.permission"},
		{"an exception with a level that is none", newException(set{"permission": "stock.adjust", "level": "0"}),
			fault.Invalid, "set.level"},
		{"what is withheld with a level", newException(set{"withheld": true, "level": "yes"}), fault.Invalid,
			"set.level"},
		{"an exception that ends before it begins", newException(set{"from": "2026-12-02", "until": "2026-12-01"}),
			fault.Invalid, "set.until"},
		{"an end of no exception", op("exception.end", "99", nil), fault.NotFound, "on"},
		{"a key that is none", newPermission(set{"key": "Stock Count"}), fault.Invalid, "set.key"},
		{"a key in use", newPermission(set{"key": "stock.adjust"}), fault.Conflict, "set.key"},
		{"no title", newPermission(set{"title": " "}), fault.Invalid, "set.title"},
		{"no sentence", newPermission(set{"sentence": ""}), fault.Invalid, "set.sentence"},
		{"no group", newPermission(set{"group": "nope"}), fault.NotFound, "set.group"},
		{"a scale that is none", newPermission(set{"scale": set{"kind": "colour"}}), fault.Invalid, "set.scale"},
		{"a limit without a unit", newPermission(set{"scale": set{"kind": "limit"}}), fault.Invalid, "set.scale"},
		{"levels that are one", newPermission(set{"scale": set{"kind": "levels", "levels": []string{"none"}}}),
			fault.Invalid, "set.scale"},
		{"no kind of place", newPermission(set{"kinds": []string{}}), fault.Invalid, "set.kinds"},
		{"a kind that is none", newPermission(set{"kinds": []string{"roof"}}), fault.Invalid, "set.kinds"},
		{"a scale that lacks what a template says",
			op("permission.edit", "stock.adjust", set{"scale": set{"kind": "switch"}}), fault.Conflict, "set.scale"},
		{"kinds that a door's question needs", op("permission.edit", "door.open", set{"kinds": []string{"device"}}),
			fault.Conflict, "set.kinds"},
		{"retiring what a door asks", op("permission.retire", "door.open", nil), fault.Conflict, "on"},
		{"retiring what the product asks", op("permission.retire", "console.lock", nil), fault.Refused, ""},
		{"rescaling what the product asks",
			op("permission.edit", "console.lock", set{"scale": set{"kind": "limit", "unit": "kg"}}), fault.Refused, ""},
		{"retiring a group that holds something", op("group.retire", "door", nil), fault.Conflict, "on"},
		{"a group in itself", op("group.edit", "door", set{"parent": "door"}), fault.Invalid, "set.parent"},
		{"a new key for a group", op("group.edit", "door", set{"key": "doors"}), fault.Invalid, "set.key"},
	} {
		_, err := h.try(owner, "because", c.op)
		var f *fault.Fault
		require.ErrorAs(t, err, &f, c.name)
		assert.Equal(t, c.kind, f.Kind, c.name)
		assert.Equal(t, 1, f.Operation, c.name)
		if c.field != "" && assert.NotEmpty(t, f.Fields, c.name) {
			assert.Equal(t, "operations[0]."+c.field, f.Fields[0].Name, c.name)
		}
	}
	_, err := h.try(owner, "", newException(nil))
	assert.ErrorContains(t, err, "an exception needs a reason")
	assert.Equal(t, before, h.snap.State().Revision, "nothing was written")
}

func TestANewPermissionWaitsInEveryTemplateUntilDecided(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "", op("template.edit", "packer", set{"decide": set{"stock": "full"}}))
	d := h.must(owner, "", op("permission.add", "",
		set{"key": "stock.count", "title": "Count stock", "sentence": "Counts.", "group": "stock",
			"scale": set{"kind": "switch"}, "kinds": []string{"device"}}))
	assert.Empty(t, append(d.Effect.Gains, d.Effect.Losses...), "it is nobody's")
	assert.Equal(t, "no", h.level("packer", "stock.count"), "a group set before does not flow into it")
	assert.Equal(t, 1, h.undecided("packer"))
	assert.Equal(t, 1, h.undecided("keeper"))
	assert.False(t, h.may("S3", "stock.count", "A-S"))

	d = h.must(owner, "", op("template.edit", "packer", set{"decide": set{"stock.count": "yes"}}))
	assert.Equal(t, 1, d.Effect.Gainers())
	assert.True(t, h.may("S3", "stock.count", "A-S"))
	assert.Zero(t, h.undecided("keeper"), "what the base decides is decided")
	assert.Equal(t, "yes", h.level("keeper", "stock.count"))
	assert.Equal(t, 1, h.undecided("manager"))
	h.must(owner, "", op("template.edit", "manager", set{"decide_rest": true}))
	assert.Zero(t, h.undecided("manager"))

	h.must(owner, "not yet", op("template.edit", "packer", set{"decide": set{"stock.count": nil}}))
	assert.Equal(t, "no", h.level("packer", "stock.count"), "set back to nothing: it waits again")
	h.must(owner, "", op("template.edit", "packer", set{"decide": set{"stock": "full"}}))
	assert.Equal(t, "yes", h.level("packer", "stock.count"), "a group decided anew flows into what has come since")
}

func TestMovingWithinTheCatalogueChangesNobodysAccess(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "", op("template.add", "",
		set{"code": "stocker", "name": "Stocker", "settings": set{"stock": "none", "door": "full"}}),
		op("group.add", "", set{"key": "door.far", "title": "Far doors", "parent": "door"}))
	for _, move := range []Operation{op("permission.edit", "door.chemical", set{"group": "door.far"}),
		op("permission.edit", "door.open", set{"group": "stock"}), op("group.edit", "door.far", set{"parent": ""}),
		op("group.edit", "door.far", set{"parent": "stock"})} {
		d := h.must(owner, "", move)
		assert.Empty(t, append(d.Effect.Gains, d.Effect.Losses...))
		assert.Equal(t, []string{"yes", "yes"},
			[]string{h.level("stocker", "door.chemical"), h.level("stocker", "door.open")})
		assert.Equal(t, []string{"yes", "yes", "no"},
			[]string{h.level("packer", "door.open"), h.level("keeper", "door.chemical"),
				h.level("packer", "door.chemical")})
	}
}

func TestMovingAPermissionGivesItToNobody(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "", op("template.edit", "packer", set{"decide": set{"stock": "full"}}),
		op("permission.add", "", set{"key": "door.hatch", "title": "Open hatches", "sentence": "Opens them.",
			"group": "door", "scale": set{"kind": "switch"}, "kinds": []string{"device"}}))
	d := h.must(owner, "", op("permission.edit", "door.hatch", set{"group": "stock", "title": "Open the hatch"}))
	assert.Empty(t, d.Effect.Gains)
	assert.Equal(t, "no", h.level("packer", "door.hatch"))
	h.must(owner, "tidying", op("permission.edit", "stock.adjust", set{"group": "door"}))
	assert.Equal(t, "100", h.level("keeper", "stock.adjust"), "its own setting goes with it")
}

func TestRetiringAPermissionTakesItFromEverybodyAndBringingItBackGivesIt(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "covers", op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "keeper"}))
	require.True(t, h.may("S3", "stock.adjust", "A-S"))
	d, err := Apply(h.snap, owner, env(), "", []Operation{op("permission.retire", "stock.adjust", nil)})
	require.NoError(t, err)
	assert.ErrorContains(t, d.Judge(), "this takes access from")
	d = h.must(owner, "sold the scales", op("permission.retire", "stock.adjust", nil))
	assert.Equal(t, 2, d.Effect.Losers(), "the keeper and the manager")
	assert.False(t, h.may("S3", "stock.adjust", "A-S"))
	assert.False(t, h.may("S1", "stock.adjust", "A-S"), "not even owners")
	h.must(owner, "", op("permission.restore", "stock.adjust", nil))
	assert.True(t, h.may("S3", "stock.adjust", "A-S"))
	h.must(owner, "", op("group.add", "", set{"key": "spare", "title": "Spare"}), op("group.retire", "spare", nil))
	_, err = h.try(owner, "", op("permission.edit", "stock.adjust", set{"group": "spare"}))
	assert.Error(t, err, "nothing goes into a retired group")
}

func TestAScaleIsChangedWithWhatStandsOnIt(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "", op("permission.add", "",
		set{"key": "stock.see", "title": "See stock", "sentence": "Sees.", "group": "stock",
			"scale": set{"kind": "levels", "levels": []string{"none", "own", "all"}},
			"kinds": []string{"site", "device"}}),
		op("template.edit", "packer", set{"decide": set{"stock.see": "own"}}))
	h.must(owner, "covers", op("exception.add", "",
		set{"staff": "S4", "place": "B", "permission": "stock.see", "level": "all"}))
	h.must(owner, "teams now", op("permission.edit", "stock.see",
		set{"scale": set{"kind": "levels", "levels": []string{"none", "own", "team", "all"}}}))
	assert.Equal(t, "own", h.level("packer", "stock.see"))
	e := h.snap.State().Exception(1)
	assert.Equal(t, permit.Level(3), e.Level, "all stays all")
	_, err := h.try(owner, "no more",
		op("permission.edit", "stock.see",
			set{"scale": set{"kind": "levels", "levels": []string{"none", "own", "team"}}}))
	assert.ErrorContains(t, err, "end that exception first")
}

func TestASectionMeansTheSameInTheCopy(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "because", op("template.add", "",
		set{"code": "fitter", "name": "Fitter", "settings": set{"stock.adjust": "7", "door.open": "no"}}))
	h.must(owner, "because", op("template.edit", "fitter", set{"section": set{"from": "keeper", "group": "door"}}))
	assert.Equal(t, []string{"yes", "yes", "7"},
		[]string{h.level("fitter", "door.open"), h.level("fitter", "door.chemical"), h.level("fitter", "stock.adjust")},
		"what comes from the other's base too, and nothing else")
	h.must(owner, "", op("template.add", "", set{"code": "copy", "name": "Copy", "copy_of": "keeper"}))
	assert.Equal(t, "100", h.level("copy", "stock.adjust"))
	assert.Equal(t, h.snap.State().TemplateByCode("packer").ID, h.snap.State().TemplateByCode("copy").Base)
}

func TestAPersonBecomesATemplate(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "covers the keeper",
		op("exception.add", "", set{"staff": "S3", "place": "A", "permission": "stock.adjust", "level": "20"}),
		op("exception.add", "", set{"staff": "S3", "place": "A", "permission": "door.open", "withheld": true}))
	h.must(owner, "", op("template.add", "",
		set{"code": "cover", "name": "Cover", "like": set{"staff": "S3", "place": "A"}}))
	assert.Equal(t, []string{"no", "20"}, []string{h.level("cover", "door.open"), h.level("cover", "stock.adjust")})
	assert.Equal(t, "packer", h.snap.State().Template(h.snap.State().TemplateByCode("cover").Base).Code)
}

func TestRetiringATemplateSettlesItsPeople(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "", op("template.edit", "keeper", set{"base": ""}),
		op("template.edit", "keeper", set{"decide": set{"door.open": "yes"}}))
	d := h.must(owner, "one kind of work", op("template.retire", "packer", set{"replace_with": "keeper"}))
	assert.Zero(t, d.Effect.Losers(), "keepers can do all that packers can")
	assert.True(t, h.may("S3", "door.chemical", "A-2"))
	_, err := h.try(owner, "", op("assignment.add", "", set{"staff": "S4", "place": "B", "template": "packer"}))
	assert.Error(t, err, "a retired template is given to nobody")
	h.must(owner, "season over", op("template.retire", "keeper", set{"end_assignments": true}))
	assert.False(t, h.may("S3", "door.open", "A-1"))
	h.must(owner, "", op("template.restore", "packer", nil))
}

func TestACellOfTheGridBecomesOneException(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	cell := func(permission, place, level string) Operation {
		return op("exception.set", "", set{"staff": "S3", "permission": permission, "place": place, "level": level})
	}
	standing := func() (list []string) {
		for _, e := range h.snap.State().Exceptions.All() {
			if !e.Ended {
				p := h.snap.Catalogue().Permission(e.Permission)
				list = append(list, map[bool]string{true: "withheld", false: p.Scale.Word(e.Level)}[e.Withheld]+" "+
					p.Key)
			}
		}
		return list
	}
	h.must(owner, "r", cell("door.chemical", "A", "yes"))
	assert.Equal(t, []string{"yes door.chemical"}, standing())
	h.must(owner, "r", cell("door.chemical", "A", "no"))
	assert.Equal(t, []string(nil), standing(), "what the template gives needs no exception")
	h.must(owner, "r", cell("door.open", "A", "no"))
	assert.Equal(t, []string{"withheld door.open"}, standing())
	h.must(owner, "r", cell("door.open", "A", "yes"))
	assert.Empty(t, standing())
	h.must(owner, "r", cell("stock.adjust", "A-S", "15"), cell("stock.adjust", "A-S", "20"))
	assert.Equal(t, []string{"20 stock.adjust"}, standing(), "the last one counts")
	h.must(owner, "r", cell("stock.adjust", "A-S", ""))
	assert.Empty(t, standing(), "set back to what the template gives")
	d, err := Apply(h.snap, owner, env(), "r", []Operation{cell("door.open", "A", "yes")})
	require.NoError(t, err)
	assert.Empty(t, d.Written, "it is so already")
	h.must(owner, "r", op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "keeper"}))
	_, err = h.try(owner, "r", cell("stock.adjust", "A", "50"))
	assert.ErrorContains(t, err, "the highest level wins")
}

func TestAnExceptionIsEditedAndComesBack(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "covers", op("exception.add", "",
		set{"staff": "S3", "place": "A", "permission": "stock.adjust", "level": "20", "until": "2026-12-01"}))
	h.must(owner, "", op("exception.edit", "1", set{"until": "2026-12-24", "level": "30"}))
	assert.Equal(t, "2026-12-24", h.snap.State().Exception(1).Until.String())
	_, err := h.try(owner, "again",
		op("exception.add", "", set{"staff": "S3", "place": "A", "permission": "stock.adjust", "level": "30",
			"until": "2026-12-24"}))
	assert.ErrorContains(t, err, "this exception stands already")
	_, err = h.try(owner, "", op("exception.edit", "1", set{"place": "B"}))
	assert.ErrorContains(t, err, "keeps its person, place, permission and sense")
	h.must(owner, "over", op("exception.end", "1", nil))
	_, err = h.try(owner, "", op("exception.end", "1", nil))
	assert.ErrorContains(t, err, "ended already")
	h.must(owner, "", op("exception.restore", "1", nil))
	assert.True(t, h.may("S3", "stock.adjust", "A-S"))
}

func TestEachOperationMayGiveItsOwnReason(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	withhold := func(place, reason string) Operation {
		o := op("exception.add", "", set{"staff": "S2", "place": place, "permission": "door.open", "withheld": true})
		o.Reason = reason
		return o
	}
	d, err := h.try(owner, "", withhold("A", " light  duty "), withhold("B", "interlock"),
		withhold("A-Z", "light duty"))
	require.NoError(t, err)
	assert.Equal(t, "light duty", d.State.Exception(1).Reason)
	assert.Equal(t, "interlock", d.State.Exception(2).Reason)
	assert.Equal(t, "light duty; interlock", d.Reason(), "each is said once")
	assert.False(t, d.NeedsReason())

	d, err = h.try(owner, "agreed", withhold("A", "light duty"), withhold("B", ""))
	require.NoError(t, err)
	assert.Equal(t, "light duty", d.State.Exception(1).Reason)
	assert.Equal(t, "agreed", d.State.Exception(2).Reason)
	assert.Equal(t, "agreed", d.Reason(), "what is given for the whole stands for it")
	assert.Equal(t, []string{"light duty", ""}, []string{d.Entries[0].Reason, d.Entries[1].Reason},
		"and what one says for itself stays with it")

	_, err = h.try(owner, "", withhold("A", "light duty"), withhold("B", ""))
	assert.ErrorContains(t, err, "an exception needs a reason")
	d, err = h.try(owner, ReasonLater, withhold("A", "light duty"), withhold("B", ""))
	require.NoError(t, err)
	assert.True(t, d.NeedsReason(), "one of them has none yet")
	d, err = h.try(owner, ReasonLater,
		op("exception.add", "", set{"staff": "S3", "place": "A", "permission": "door.open"}))
	require.NoError(t, err)
	assert.True(t, d.NeedsReason(), "also where nobody loses by it")

	ends := op("assignment.end", "1", nil)
	_, err = h.try(owner, "", withhold("A", "light duty"), ends)
	assert.ErrorContains(t, err, "say why", "the reason of another does not speak for it")
	ends.Reason = "moves on"
	_, err = h.try(owner, "", withhold("A", "light duty"), ends)
	assert.NoError(t, err)
	_, err = h.try(owner, "", withhold("A", strings.Repeat("x", 501)))
	assert.True(t, fault.Is(err, fault.Invalid))
}

func TestTheSentenceOfAnEffectNamesItsGroups(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	d := h.must(owner, "because", op("template.edit", "packer", set{"decide": set{"door.chemical": "yes"}}))
	gains := d.After.Groups(d.Effect.Gains, false)
	require.Len(t, gains, 1)
	assert.Equal(t, "Pia Packer at Site A gains “Open the store”; nobody loses.",
		wording.English.Summary(&wording.Compared{Before: h.snap, After: d.After, At: noon.Unix()},
			&d.Effect, gains, nil, anybody))
	assert.True(t, d.Effect.GivesSensitive(d.After.Catalogue()))
	for n := range 3 {
		number := string(rune('5' + n))
		h.must(owner, "because", op("staff.enrol", "",
			set{"staff_number": "S" + number, "given_name": "Hand", "family_name": number, "home_site": "A",
				"start_date": "2020-01-01"}),
			op("assignment.add", "", set{"staff": "S" + number, "place": map[bool]string{true: "A", false: "B"}[n == 0],
				"template": "packer", "from": "2026-01-01"}))
	}
	d = h.must(owner, "because", op("template.edit", "packer", set{"decide": set{"stock.adjust": "10"}}))
	gains = d.After.Groups(d.Effect.Gains, false)
	assert.Equal(t, "4 Packers at 2 sites gain “Adjust” (0 → 10)",
		wording.English.Group(&wording.Compared{Before: h.snap,
			After: d.After, At: noon.Unix()}, &gains[0], anybody))
	d = h.must(owner, "because", op("template.edit", "packer",
		set{"decide": set{"stock.adjust": nil, "door.chemical": nil}}))
	losses := h.snap.Groups(d.Effect.Losses, true)
	assert.Len(t, losses, 2)
	assert.True(t, d.Effect.NeedsReason(d.After.Catalogue()))
}

func TestWhatAManagerMayTouchIsSaidBeforehand(t *testing.T) {
	h := newOrganisation(t)
	manager, owner := h.who("S2").Staff, h.who("S1").Staff
	person := func(number string) error {
		return Touchable(h.snap, manager, h.snap.State().StaffByNumber(number))
	}
	assert.NoError(t, person("S3"))
	assert.ErrorContains(t, person("S2"), "Nobody changes their own access")
	assert.ErrorContains(t, person("S1"), "only an owner may do this")
	assert.NoError(t, Touchable(h.snap, owner, h.snap.State().StaffByNumber("S2")))
}

func TestOwnersGiveWhatTheSameChangeAddsAndManagersDoNot(t *testing.T) {
	h := newOrganisation(t)
	add := op("permission.add", "",
		set{"key": "stock.count", "title": "Count stock", "sentence": "Counts.", "group": "stock",
			"scale": set{"kind": "switch"}, "kinds": []string{"device"}})
	decide := op("template.edit", "packer", set{"decide": set{"stock.count": "yes"}})
	h.must(h.who("S1"), "", op("template.add", "",
		set{"code": "rules", "name": "Rules", "settings": set{"console": "full"}}),
		op("staff.enrol", "", set{"staff_number": "S6", "given_name": "Ria", "family_name": "Rules", "home_site": "A",
			"start_date": "2020-01-01"}),
		op("assignment.add", "", set{"staff": "S6", "place": "A", "template": "rules"}),
		op("assignment.add", "", set{"staff": "S6", "place": "B", "template": "rules"}))
	_, err := h.try(h.who("S6"), "", add, decide)
	assert.ErrorContains(t, err, "You cannot give “Count stock”")
	h.must(h.who("S6"), "", add)
	_, err = h.try(h.who("S6"), "", decide)
	assert.ErrorContains(t, err, "You cannot give “Count stock”", "nobody holds it yet")
	h.must(h.who("S1"), "", decide)
	assert.True(t, h.may("S3", "stock.count", "A-S"))
	assert.Equal(t, org.DefaultSettings().MaxOwners, h.snap.State().Settings.MaxOwners)
}

func anybody(people.StaffID) bool { return true }

// A moment that is said without an offset is the time on the clock where somebody belongs, whoever says it from where.
func TestATimeWithoutAnOffsetIsThatOfTheHomeSite(t *testing.T) {
	h := newOrganisation(t)
	h.must(system, "", op("place.add", "", set{"code": "T", "name": "Site T", "kind": "site",
		"time_zone": "Asia/Tokyo"}),
		op("staff.enrol", "", set{"staff_number": "S9", "given_name": "Tom", "family_name": "Tokyo", "home_site": "T",
			"start_date": "2020-01-01"}))
	h.must(h.who("S1"), "r", op("staff.lock", "S9", set{"until": "2026-11-30T18:00"}),
		op("staff.leave", "S3", set{"at": "2026-11-30T18:00"}), op("staff.leave", "S9",
			set{"at": "2026-12-01T14:30:00"}))
	p := h.snap.State().StaffByNumber("S9")
	assert.Equal(t, "2026-11-30T09:00:00Z", p.Lock.Until.Format(time.RFC3339))
	assert.Equal(t, "2026-12-01T05:30:00Z", p.LeavesAt.Format(time.RFC3339))
	assert.Equal(t, "2026-11-30T18:00:00Z", h.snap.State().StaffByNumber("S3").LeavesAt.Format(time.RFC3339))
	for _, wrong := range []string{"2026-11-30", "soon", "2026-11-30 18:00", "99999-01-01T00:00"} {
		h.refuses(h.who("S1"), "r", "is not a moment", op("staff.lock", "S2", set{"until": wrong}))
	}
}

// By a pattern with a name in it those of one name are counted, and nobody gets a number that is taken.
func TestANumberByAPatternIsNobodysYet(t *testing.T) {
	h := newOrganisation(t)
	h.must(system, "", op("organisation.edit", "", set{"number_pattern": "{given:1}{family:3}{n:2}"}))
	enrol := func() string {
		d := h.must(h.who("S1"), "", op("staff.enrol", "", set{"given_name": "Ana", "family_name": "Reyes",
			"home_site": "A"}))
		return d.State.Person(people.StaffID(d.State.Staff.Last())).Number
	}
	assert.Equal(t, []string{"AREY01", "AREY02"}, []string{enrol(), enrol()})
	h.must(system, "", op("staff.enrol", "", set{"staff_number": "AREY03", "given_name": "B", "family_name": "C",
		"home_site": "A"}))
	assert.Equal(t, "AREY04", enrol())
	h.refuses(h.who("S1"), "", "worded once", op("organisation.edit", "", set{"messages": []set{
		{"kind": "welcome", "subject": "One"}, {"kind": "welcome", "subject": "Two"}}}))
	h.refuses(h.who("S1"), "", "one counter", op("organisation.edit", "", set{"number_pattern": "{given}"}))
}
