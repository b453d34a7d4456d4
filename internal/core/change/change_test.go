package change

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

var noon = time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)

func env() Env {
	return Env{Now: noon, Random: rand.Reader, Strength: func(string, []string) int { return 4 }}
}

// prepared is what making some operations needs, as the service prepares it.
func prepared(ops []Operation) Env {
	e := env()
	e.Secrets = map[int]Prepared{}
	for i, o := range ops {
		var form PINForm
		_ = json.Unmarshal(o.Set, &form)
		pin := form.PIN
		if pin == "" {
			var err error
			if pin, err = credential.GeneratePIN(rand.Reader, 6, &credential.PINPolicy{Digits: 6}, ""); err != nil {
				panic(err)
			}
		}
		if Describe(o.Op).Secret != NoSecret {
			e.Secrets[i] = Prepared{Plain: pin, Digest: digestOf(pin), Hash: "hash of " + pin}
		}
	}
	return e
}

func digestOf(pin string) credential.Digest { return sha256.Sum256([]byte(pin)) }

type set = map[string]any

func op(name, on string, fields set) Operation {
	o := Operation{Op: name, On: on}
	if fields != nil {
		encoded, err := json.Marshal(fields)
		if err != nil {
			panic(err)
		}
		o.Set = encoded
	}
	return o
}

func named(ref string, o Operation) Operation {
	o.Ref = ref
	return o
}

// organisation is a small organisation: two sites, an owner (S1), a manager of site A (S2) and a packer at A (S3).
type organisation struct {
	t    *testing.T
	snap *access.Snapshot
}

var system = Actor{System: "test"}

func newOrganisation(t *testing.T) *organisation {
	empty, err := access.Compile(&org.State{Settings: org.DefaultSettings()})
	require.NoError(t, err)
	h := &organisation{t: t, snap: empty}
	ops := []Operation{op("group.add", "", set{"key": "console", "title": "Console"}),
		op("group.add", "", set{"key": "door", "title": "Doors"}),
		op("group.add", "", set{"key": "stock", "title": "Stock"})}
	for _, p := range permit.ConsolePermissions() {
		ops = append(ops, op("permission.add", "",
			set{"key": p.Key, "title": p.Title, "sentence": p.Sentence, "group": "console", "scale": p.Scale,
				"kinds": p.Kinds}))
	}
	ops = append(ops,
		op("permission.add", "", set{"key": "door.open", "title": "Open doors", "sentence": "Opens doors.",
			"group": "door", "scale": set{"kind": "switch"}, "kinds": []string{"door"}}),
		op("permission.add", "", set{"key": "door.chemical", "title": "Open the store", "sentence": "Opens it.",
			"group": "door", "scale": set{"kind": "switch"}, "kinds": []string{"door"}, "sensitive": true}),
		op("permission.add", "", set{"key": "stock.adjust", "title": "Adjust", "sentence": "Adjusts.", "group": "stock",
			"scale": set{"kind": "limit", "unit": "kg"}, "kinds": []string{"device"}}),
		op("place.add", "", set{"code": "A", "name": "Site A", "kind": "site", "time_zone": "Europe/Dublin"}),
		op("place.add", "", set{"code": "B", "name": "Site B", "kind": "site", "time_zone": "Europe/Dublin"}),
		op("place.add", "", set{"code": "A-Z", "name": "Zone", "kind": "zone", "parent": "A"}),
		op("place.add", "", set{"code": "A-1", "name": "Door", "kind": "door", "parent": "A-Z", "asks": "door.open"}),
		op("place.add", "", set{"code": "A-2", "name": "Store", "kind": "door", "parent": "A",
			"asks": "door.chemical"}),
		op("place.add", "", set{"code": "A-S", "name": "Scale", "kind": "device", "parent": "A"}),
		op("template.add", "", set{"code": "packer", "name": "Packer", "settings": set{"door.open": "yes"}}),
		op("template.add", "", set{"code": "keeper", "name": "Keeper", "base": "packer",
			"settings": set{"door.chemical": "yes", "stock.adjust": "100"}}),
		op("template.add", "", set{"code": "manager", "name": "Manager",
			"settings": set{"console": "full", "console.edit_templates": "no", "door.open": "yes",
				"stock.adjust": "40"}}),
		op("staff.enrol", "", set{"staff_number": "S1", "given_name": "Olive", "family_name": "Owner", "home_site": "A",
			"start_date": "2020-01-01"}), op("staff.make_owner", "S1", nil),
		op("staff.enrol", "", set{"staff_number": "S2", "given_name": "Max", "family_name": "Manager", "home_site": "A",
			"start_date": "2020-01-01", "email": "max@example.org"}),
		op("assignment.add", "", set{"staff": "S2", "place": "A", "template": "manager"}),
		op("staff.enrol", "", set{"staff_number": "S3", "given_name": "Pia", "family_name": "Packer", "home_site": "A",
			"start_date": "2020-01-01"}),
		op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "packer", "from": "2026-01-01"}),
		op("staff.enrol", "", set{"staff_number": "S4", "given_name": "Bea", "family_name": "Beyond", "home_site": "B",
			"start_date": "2020-01-01"}))
	h.must(system, "", ops...)
	return h
}

func (h *organisation) try(actor Actor, reason string, ops ...Operation) (*Trial, error) {
	d, err := Apply(h.snap, actor, prepared(ops), reason, ops)
	if err != nil {
		return nil, err
	}
	return d, d.Judge()
}

// must makes a change and goes on from it.
func (h *organisation) must(actor Actor, reason string, ops ...Operation) *Trial {
	h.t.Helper()
	d, err := h.try(actor, reason, ops...)
	require.NoError(h.t, err)
	h.snap = d.After
	return d
}

func (h *organisation) who(number string) Actor {
	return Actor{Staff: h.snap.State().StaffByNumber(number).ID}
}

func (h *organisation) may(number, permission, place string) bool {
	s := h.snap.State()
	return h.snap.Holds(s.StaffByNumber(number).ID, h.snap.Catalogue().PermissionByKey(permission).ID,
		s.PlaceByCode(place).ID, noon.Unix()) > 0
}

func TestBadInputIsRefusedByFieldAndWritesNothing(t *testing.T) {
	h := newOrganisation(t)
	before := h.snap.State().Revision
	enrol := func(fields set) Operation {
		all := set{"given_name": "Ana", "family_name": "Reyes", "home_site": "A"}
		for k, v := range fields {
			all[k] = v
		}
		return op("staff.enrol", "", all)
	}
	assign := func(fields set) Operation {
		all := set{"staff": "S3", "place": "A-Z", "template": "packer"}
		for k, v := range fields {
			all[k] = v
		}
		return op("assignment.add", "", all)
	}
	for _, c := range []struct {
		name   string
		op     Operation
		kind   fault.Kind
		field  string
		reason string
	}{
		{"a numbering rule that no number follows", op("organisation.edit", "", set{"number_prefix": "9"}),
			fault.Invalid, "set.number_prefix", ""},
		{"an unknown operation", op("staff.clone", "S3", nil), fault.Invalid, "op", ""},
		{"an unknown field", enrol(set{"nickname": "A"}), fault.Invalid, "set.nickname", ""},
		{"a field of another type", enrol(set{"given_name": 7}), fault.Invalid, "set.given_name", ""},
		{"no family name", enrol(set{"family_name": " "}), fault.Invalid, "set.family_name", ""},
		{"a contract that ends before it starts", enrol(set{"start_date": "2026-12-01", "contract_end": "2026-11-30"}),
			fault.Invalid, "set.contract_end", ""},
		{"a date that is none", enrol(set{"start_date": "tomorrow"}), fault.Invalid, "set.start_date", ""},
		{"a work email in use", enrol(set{"email": "MAX@example.org"}), fault.Conflict, "set.email", ""},
		{"an email that is none", enrol(set{"email": "max at example"}), fault.Invalid, "set.email", ""},
		{"a staff number in use", enrol(set{"staff_number": "s3"}), fault.Conflict, "set.staff_number", ""},
		{"an unknown home site", enrol(set{"home_site": "X"}), fault.NotFound, "set.home_site", ""},
		{"a home site that is a zone", enrol(set{"home_site": "A-Z"}), fault.Invalid, "set.home_site", ""},
		{"a name that is too long", enrol(
			set{"given_name": string(make([]byte, 81)) +
				"aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa"}),
			fault.Invalid, "set.given_name", ""},
		{"an assignment that ends before it begins", assign(set{"from": "2026-12-02", "until": "2026-12-01"}),
			fault.Invalid, "set.until", ""},
		{"an unknown place", assign(set{"place": "NOPE"}), fault.NotFound, "set.place", ""},
		{"an unknown template", assign(set{"template": "nope"}), fault.NotFound, "set.template", ""},
		{"an unknown person", assign(set{"staff": "S99"}), fault.NotFound, "set.staff", ""},
		{"a template at a kind of place it has no permission for", assign(set{"place": "A-S"}), fault.Invalid,
			"set.template", ""},
		{"the same assignment twice", assign(set{"place": "A", "from": "2026-06-01"}), fault.Conflict, "set.template",
			""},
		{"hours of no kind", assign(set{"hours": set{"kind": "sometimes"}}), fault.Invalid, "set.hours", ""},
		{"a PIN with letters", op("pin.set", "", set{"staff": "S3", "pin": "12ab56"}), fault.Invalid, "set.pin", ""},
		{"a parent that would make a circle", op("place.edit", "A-Z", set{"parent": "A-Z"}), fault.Invalid,
			"set.parent", ""},
		{"a place code in use", op("place.add", "", set{"code": "a-z", "name": "Z", "kind": "zone", "parent": "A"}),
			fault.Conflict, "set.code", ""},
		{"a code with a space", op("place.add", "", set{"code": "A Z", "name": "Z", "kind": "zone", "parent": "A"}),
			fault.Invalid, "set.code", ""},
		{"a door that asks about what no door has", op("place.edit", "A-1", set{"asks": "stock.adjust"}), fault.Invalid,
			"set.asks", ""},
		{"a base that would make a circle", op("template.edit", "packer", set{"base": "keeper"}), fault.Invalid,
			"set.base", ""},
		{"a level that is not on the scale", op("template.edit", "packer", set{"settings": set{"door.open": "often"}}),
			fault.Invalid, "set.settings.door.open", ""},
		{"a limit below nothing", op("template.edit", "packer", set{"settings": set{"stock.adjust": "-1"}}),
			fault.Invalid, "set.settings.stock.adjust", ""},
		{"a setting for what is not in the catalogue",
			op("template.edit", "packer", set{"settings": set{"door.fly": "yes"}}), fault.NotFound,
			"set.settings.door.fly", ""},
		{"retiring a template in use", op("template.retire", "packer", nil), fault.Conflict, "on", ""},
		{"a lock without a reason", op("staff.lock", "S3", nil), fault.Invalid, "reason", ""},
		{"a lock that ends in the past", op("staff.lock", "S3", set{"until": "2020-01-01T00:00:00Z"}), fault.Invalid,
			"set.until", "r"},
		{"unlocking who is not locked", op("staff.unlock", "S3", nil), fault.Conflict, "on", ""},
		{"an exception without a reason",
			op("exception.add", "", set{"staff": "S3", "place": "A", "permission": "door.open", "withheld": true}),
			fault.Invalid, "reason", ""},
		{"an exception that adds nothing",
			op("exception.add", "", set{"staff": "S3", "place": "A", "permission": "stock.adjust", "level": "0"}),
			fault.Invalid, "set.level", "r"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := h.try(h.who("S1"), c.reason, c.op)
			var f *fault.Fault
			require.ErrorAs(t, err, &f)
			assert.Equal(t, c.kind, f.Kind, f.Message)
			require.NotEmpty(t, f.Fields, f.Message)
			assert.Equal(t, "operations[0]."+c.field, f.Fields[0].Name)
			assert.NotContains(t, f.Message, "12ab56", "a PIN is never repeated")
		})
	}
	assert.Equal(t, before, h.snap.State().Revision)
}

func TestAChangeIsAppliedWholeOrNotAtAll(t *testing.T) {
	h := newOrganisation(t)
	last := h.snap.State().Staff.Last()
	_, err := h.try(h.who("S1"), "",
		op("staff.enrol", "", set{"given_name": "Ana", "family_name": "Reyes", "home_site": "A"}),
		op("assignment.add", "", set{"staff": "S99", "place": "A", "template": "packer"}))
	require.Error(t, err)
	assert.Equal(t, "operations[1].set.staff", err.(*fault.Fault).Fields[0].Name)
	assert.Equal(t, last, h.snap.State().Staff.Last())
}

func TestAPersonIsEnrolledAssignedAndGivenAPINInOneChange(t *testing.T) {
	h := newOrganisation(t)
	d := h.must(h.who("S2"), "", named("p",
		op("staff.enrol", "", set{"given_name": "Ana", "family_name": "Reyes", "home_site": "A"})),
		op("assignment.add", "", set{"staff": "@p", "place": "A", "template": "packer", "until": "2027-01-19"}),
		op("pin.set", "", set{"staff": "@p"}))
	require.Len(t, d.Secrets, 1)
	assert.True(t, credential.IsPIN(d.Secrets[0].Value))
	ana := h.snap.State().Person(people.StaffID(d.Refs["p"]))
	assert.Equal(t, "S00005", ana.Number, "the numbering rule")
	c := h.snap.State().PINByDigest(digestOf(d.Secrets[0].Value))
	require.NotNil(t, c)
	assert.Equal(t, ana.ID, c.Staff)
	assert.Equal(t, 1, d.Effect.Gainers())
	for _, entry := range d.Entries {
		encoded, err := json.Marshal(entry)
		require.NoError(t, err)
		assert.NotContains(t, string(encoded), d.Secrets[0].Value, "the audit log never holds a PIN")
	}
}

func TestANewPINReplacesTheOldAndAPINInUseIsRefused(t *testing.T) {
	h := newOrganisation(t)
	h.must(h.who("S2"), "", op("pin.set", "", set{"staff": "S3", "pin": "480216"}))
	h.must(system, "", op("staff.enrol", "",
		set{"staff_number": "S5", "given_name": "Eve", "family_name": "Extra", "home_site": "A"}))
	taken := op("pin.set", "", set{"staff": "S5", "pin": "480216"})
	_, err := h.try(h.who("S2"), "", taken)
	assert.True(t, fault.Is(err, fault.Conflict))
	preview := env()
	preview.Preview = true
	_, err = Apply(h.snap, h.who("S2"), preview, "", []Operation{taken})
	assert.NoError(t, err, "a preview does not tell")
	_, err = h.try(h.who("S2"), "", op("pin.set", "", set{"staff": "S2"}))
	assert.ErrorContains(t, err, "Nobody changes their own access")
	h.must(h.who("S2"), "", op("pin.set", "", set{"staff": "S3", "pin": "480217"}))
	assert.Nil(t, h.snap.State().PINByDigest(digestOf("480216")),
		"the old one no longer identifies anybody")
	h.must(h.who("S2"), "", taken)
	assert.Equal(t, 2, h.snap.State().PINs())
	_, err = h.try(h.who("S2"), "", op("pin.set", "", set{"staff": "S3", "pin": "480216"}))
	assert.ErrorContains(t, err, "in use", "it is somebody else's by now")
	h.must(h.who("S2"), "", op("pin.withdraw", "", set{"staff": "S5"}))
	_, err = h.try(h.who("S2"), "", op("pin.set", "", set{"staff": "S3", "pin": "480216"}))
	assert.ErrorContains(t, err, "this was a PIN of Pia before", "and nobody takes their own again")
}

func TestTheSecondOfTwoEditsOfOneRecordIsToldSo(t *testing.T) {
	h := newOrganisation(t)
	read := h.snap.State().StaffByNumber("S3").Revision
	first, second := op("staff.edit", "S3", set{"job_title": "Packer"}),
		op("staff.edit", "S3", set{"job_title": "Grader"})
	first.Revision, second.Revision = read, read
	h.must(h.who("S2"), "", first)
	_, err := h.try(h.who("S1"), "", second)
	assert.True(t, fault.Is(err, fault.Stale))
	assert.Equal(t, "Packer", h.snap.State().StaffByNumber("S3").JobTitle)
}

func TestWhatTakesAwayOrGivesSomethingSensitiveAsksWhy(t *testing.T) {
	h := newOrganisation(t)
	h.must(h.who("S1"), "", op("pin.set", "", set{"staff": "S3"}))
	end := op("assignment.end", "2", nil)
	_, err := h.try(h.who("S2"), "", end)
	assert.Equal(t, "reason", err.(*fault.Fault).Fields[0].Name)
	d, err := h.try(h.who("S2"), "moved on", end)
	require.NoError(t, err)
	assert.Equal(t, 1, d.Effect.Losers())
	keeper := op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "keeper"})
	_, err = h.try(h.who("S1"), "", keeper)
	assert.Equal(t, "reason", err.(*fault.Fault).Fields[0].Name)
	_, err = h.try(h.who("S1"), "trained today", keeper)
	assert.NoError(t, err)
	_, err = h.try(h.who("S1"), "", op("template.edit", "packer", set{"settings": set{"door.open": "no"}}))
	assert.Equal(t, "reason", err.(*fault.Fault).Fields[0].Name, "also by way of a template")
	_, err = h.try(h.who("S1"), "", op("place.retire", "A-1", nil))
	assert.Equal(t, "reason", err.(*fault.Fault).Fields[0].Name, "and of a place")
}

func TestTheCeilingHolds(t *testing.T) {
	h := newOrganisation(t)
	manager := h.who("S2")
	for name, o := range map[string]Operation{
		"a template that gives more": op("assignment.add", "",
			set{"staff": "S3", "place": "A", "template": "keeper"}),
		"a place that is not theirs": op("assignment.add", "",
			set{"staff": "S3", "place": "B", "template": "packer"}),
		"an owner": op("staff.lock", "S1", nil),
		"their own access": op("assignment.add", "",
			set{"staff": "S2", "place": "A-Z", "template": "packer"}),
		"their own lock":     op("staff.lock", "S2", nil),
		"their own contract": op("staff.edit", "S2", set{"contract_end": "2030-01-01"}),
		"an exception above their level": op("exception.add", "",
			set{"staff": "S3", "place": "A", "permission": "stock.adjust", "level": "41"}),
		"an exception they do not hold": op("exception.add", "",
			set{"staff": "S3", "place": "A", "permission": "door.chemical"}),
		"templates at every site": op("template.edit", "packer", set{"name": "Other"}),
		"the catalogue":           op("group.add", "", set{"key": "more", "title": "More"}),
		"ownership":               op("staff.make_owner", "S3", nil),
		"the settings":            op("organisation.edit", "", set{"name": "Mine"}),
		"enrolling elsewhere": op("staff.enrol", "",
			set{"given_name": "A", "family_name": "B", "home_site": "B"}),
		"a new site": op("place.add", "",
			set{"code": "C", "name": "C", "kind": "site", "time_zone": "UTC"}),
		"moving a place away": op("place.edit", "A-Z", set{"parent": "B"}),
		"a device elsewhere":  op("device.add", "", set{"name": "d", "place": "B"}),
	} {
		_, err := h.try(manager, "because", o)
		assert.True(t, fault.Is(err, fault.Refused), "%s: %v", name, err)
	}
	_, err := h.try(manager, "because",
		op("exception.add", "", set{"staff": "S3", "place": "A", "permission": "stock.adjust", "level": "40"}))
	assert.NoError(t, err, "up to their own level")
}

func TestNobodyIssuesThemselvesAWayIntoMoreThanTheyHold(t *testing.T) {
	h := newOrganisation(t)
	h.must(system, "", op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "keeper"}))
	_, err := h.try(h.who("S2"), "", op("pin.set", "", set{"staff": "S3"}))
	assert.True(t, fault.Is(err, fault.Refused), "a PIN that opens the store, which the manager may not")
	_, err = h.try(h.who("S1"), "", op("pin.set", "", set{"staff": "S3"}))
	assert.ErrorContains(t, err, "sensitive", "it opens the store to somebody who could show nothing there")
	_, err = h.try(h.who("S1"), "trained", op("pin.set", "", set{"staff": "S3"}))
	assert.NoError(t, err)
}

func TestAuthorityIsThatFromBeforeTheChange(t *testing.T) {
	h := newOrganisation(t)
	h.must(system, "", op("staff.enrol", "",
		set{"staff_number": "S5", "given_name": "New", "family_name": "Hand", "home_site": "A"}))
	_, err := h.try(h.who("S5"), "r", op("assignment.add", "", set{"staff": "S5", "place": "A", "template": "manager"}),
		op("staff.lock", "S3", nil))
	assert.True(t, fault.Is(err, fault.Refused))
}

func TestAnOwnerWhoCanActAlwaysRemains(t *testing.T) {
	h := newOrganisation(t)
	for name, o := range map[string]Operation{"locked": op("staff.lock", "S1", nil),
		"left": op("staff.leave", "S1", nil), "demoted": op("staff.unmake_owner", "S1", nil)} {
		_, err := h.try(system, "r", o)
		assert.True(t, fault.Is(err, fault.Refused), name)
	}
	h.must(h.who("S1"), "shares the load", op("staff.make_owner", "S4", nil))
	_, err := h.try(h.who("S1"), "", op("staff.make_owner", "S3", nil))
	assert.True(t, fault.Is(err, fault.Refused), "not more than the settings allow")
	h.must(h.who("S4"), "on leave", op("staff.lock", "S1", nil))
	_, err = h.try(system, "r", op("staff.leave", "S4", nil))
	assert.True(t, fault.Is(err, fault.Refused), "the other owner is locked and cannot act")
}

func TestLockUnlockLeaveReinstate(t *testing.T) {
	h := newOrganisation(t)
	require.True(t, h.may("S3", "door.open", "A-1"))
	h.must(h.who("S2"), "badge lost", op("staff.lock", "S3", nil))
	assert.False(t, h.may("S3", "door.open", "A-1"))
	assert.Equal(t, "badge lost", h.snap.State().StaffByNumber("S3").Lock.Reason)
	h.must(h.who("S2"), "", op("staff.unlock", "S3", nil))
	assert.True(t, h.may("S3", "door.open", "A-1"))
	h.must(h.who("S2"), "left", op("staff.leave", "S3", nil))
	assert.False(t, h.may("S3", "door.open", "A-1"))
	_, err := h.try(h.who("S2"), "", op("pin.set", "", set{"staff": "S3"}))
	assert.True(t, fault.Is(err, fault.Conflict), "no credential for who has left")
	h.must(h.who("S2"), "", op("staff.reinstate", "S3", nil))
	assert.True(t, h.may("S3", "door.open", "A-1"), "nothing was lost")
}

func TestANewPermissionIsNobodysUntilDecided(t *testing.T) {
	h := newOrganisation(t)
	h.must(h.who("S1"), "new doors", op("template.edit", "packer", set{"settings": set{"door": "full"}}),
		op("template.edit", "manager", set{"settings": set{"console": "full", "door": "full"}}))
	h.must(h.who("S1"), "", op("permission.add", "",
		set{"key": "door.vault", "title": "Open the vault", "sentence": "Opens it.", "group": "door",
			"scale": set{"kind": "switch"}, "kinds": []string{"door"}}))
	assert.False(t, h.may("S3", "door.vault", "A-1"))
	// Saving the template again as it was decides nothing new; setting the permission does.
	h.must(h.who("S1"), "", op("template.edit", "packer", set{"settings": set{"door": "full"}}))
	assert.False(t, h.may("S3", "door.vault", "A-1"))
	h.must(h.who("S1"), "agreed", op("template.edit", "packer",
		set{"settings": set{"door": "full", "door.vault": "yes"}}))
	assert.True(t, h.may("S3", "door.vault", "A-1"))
}

func TestAWithheldPermissionIsFeltAndItsEndToo(t *testing.T) {
	h := newOrganisation(t)
	d := h.must(h.who("S2"), "light duty",
		op("exception.add", "", set{"staff": "S3", "place": "A-Z", "permission": "door.open", "withheld": true}))
	assert.Equal(t, 1, d.Effect.Losers())
	assert.False(t, h.may("S3", "door.open", "A-1"))
	h.must(h.who("S2"), "well again", op("exception.end", "1", nil))
	assert.True(t, h.may("S3", "door.open", "A-1"))
}

func TestADeviceTokenIsShownOnceAndKeptAsADigest(t *testing.T) {
	h := newOrganisation(t)
	d := h.must(h.who("S2"), "", op("device.add", "", set{"name": "Controller", "place": "A", "token": "mine"}))
	require.Len(t, d.Secrets, 1)
	assert.NotEqual(t, "mine", d.Secrets[0].Value, "a manager does not choose it")
	assert.NotNil(t, h.snap.State().DeviceByToken(sha256.Sum256([]byte(d.Secrets[0].Value))))
	h.must(h.who("S2"), "", op("device.retire", "1", nil))
	_, err := h.try(h.who("S2"), "", op("device.retire", "1", nil))
	assert.True(t, fault.Is(err, fault.Conflict))
}

func TestEveryOperationIsNamedInWordsAndDecodesStrictly(t *testing.T) {
	h := newOrganisation(t)
	for _, name := range Operations() {
		_, err := h.try(h.who("S1"), "r", op(name, "nothing", set{"no_such_field": 1}))
		var f *fault.Fault
		require.ErrorAs(t, err, &f, name)
		assert.Contains(t, []fault.Kind{fault.Invalid, fault.NotFound}, f.Kind, name)
	}
	_, err := h.try(h.who("S1"), "r", op("password.set", "", set{"staff": "S1", "password": "quince lantern meadow"}))
	assert.ErrorContains(t, err, "is not an operation", "a password is changed with the old one and no other way")
	_, err = h.try(h.who("S1"), "r")
	assert.True(t, fault.Is(err, fault.Invalid), "a change of nothing")
	many := make([]Operation, MaxOperations+1)
	_, err = h.try(h.who("S1"), "r", many...)
	assert.ErrorContains(t, err, fmt.Sprintf("at most %d", MaxOperations))
}

func TestTheEffectOfATemplateReachesThoseBasedOnIt(t *testing.T) {
	h := newOrganisation(t)
	h.must(system, "", op("assignment.add", "", set{"staff": "S4", "place": "B", "template": "keeper"}))
	d, err := h.try(h.who("S1"), "tidied", op("template.edit", "packer", set{"settings": set{}}))
	require.NoError(t, err)
	assert.Equal(t, 2, d.Effect.Losers(), "the packer, and the keeper whose template is based on it")
	assert.Zero(t, d.Effect.Gainers())
	d, err = h.try(h.who("S1"), "wider", op("template.edit", "packer", set{"hours": set{"kind": "always"}}))
	require.NoError(t, err)
	assert.Zero(t, d.Effect.Gainers(), "nobody gains where nothing ever closes")
	weekdays := set{"opening": set{"rules": []set{{"days": "mon-fri", "from": "08:00", "until": "17:00"}}}}
	h.must(h.who("S1"), "closes", op("place.edit", "A", weekdays), op("place.edit", "B", weekdays))
	d, err = h.try(h.who("S1"), "wider", op("template.edit", "packer", set{"hours": set{"kind": "always"}}))
	require.NoError(t, err)
	assert.Equal(t, 2, d.Effect.Gainers(), "hours are felt too, also by way of a base")
}

func TestMovingAPlaceShowsWhoLosesIt(t *testing.T) {
	h := newOrganisation(t)
	d, err := h.try(h.who("S1"), "rebuilt", op("place.edit", "A-Z", set{"parent": "B"}))
	require.NoError(t, err)
	assert.GreaterOrEqual(t, d.Effect.Losers(), 2, "those assigned at the site it left")
	assert.Equal(t, "A-Z", h.snap.State().Place(d.Effect.Losses[0].Place).Code)
}
