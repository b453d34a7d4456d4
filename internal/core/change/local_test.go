package change

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/fault"
)

// local is a local setting of a template at a place.
func local(template, permission, place, level string, more ...set) Operation {
	fields := set{"template": template, "permission": permission, "place": place, "level": level}
	for _, m := range more {
		for field, value := range m {
			fields[field] = value
		}
	}
	return op("local_setting.add", "", fields)
}

func (h *organisation) lastLocal() string { return fmt.Sprint(h.snap.State().LocalSettings.Last()) }

// One local setting in the place of an exception for each: whoever has the template at the place, now and later, and by
// a template that takes the permission from it; nobody else, and nowhere else.
func TestALocalSettingIsForWhoeverHasTheTemplateThere(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "r", op("place.add", "", set{"code": "A-3", "name": "Yard", "kind": "door", "parent": "A",
		"asks": "door.open"}),
		op("assignment.add", "", set{"staff": "S4", "place": "A", "template": "keeper"}))
	require.True(t, h.may("S3", "door.open", "A-1") && h.may("S4", "door.open", "A-1"))
	h.must(h.who("S2"), "wet floor", local("packer", "door.open", "A-Z", "no"))
	assert.False(t, h.may("S3", "door.open", "A-1"))
	assert.False(t, h.may("S4", "door.open", "A-1"), "keepers take it from packers")
	assert.True(t, h.may("S2", "door.open", "A-1"), "managers have it of their own")
	assert.True(t, h.may("S3", "door.open", "A-3"), "elsewhere nothing changes")
	h.must(owner, "", op("staff.enrol", "", set{"staff_number": "S8", "given_name": "Nia", "family_name": "New",
		"home_site": "A", "start_date": "2020-01-01"}),
		op("assignment.add", "", set{"staff": "S8", "place": "A-Z", "template": "packer"}))
	assert.False(t, h.may("S8", "door.open", "A-1"), "whoever has it later too")
	h.must(owner, "for one", op("exception.add", "", set{"staff": "S8", "place": "A-1", "permission": "door.open"}))
	assert.True(t, h.may("S8", "door.open", "A-1"), "an exception is more particular")
	h.must(owner, "", op("template.edit", "keeper", set{"decide": set{"door.open": "yes"}}))
	assert.True(t, h.may("S4", "door.open", "A-1"), "a keeper has it of their own now")
	h.must(owner, "r", local("keeper", "door.open", "A-1", "no"))
	assert.False(t, h.may("S4", "door.open", "A-1"))
	h.must(h.who("S2"), "dry", op("local_setting.end", "1", nil))
	assert.True(t, h.may("S3", "door.open", "A-1"))
	assert.False(t, h.may("S4", "door.open", "A-1"), "that of keepers goes on")
}

// The place that is nearer says what counts, and on its days.
func TestTheNearerLocalSettingCountsOnItsDays(t *testing.T) {
	h := newOrganisation(t)
	h.must(h.who("S1"), "r", local("packer", "door.open", "A", "no"),
		local("packer", "door.open", "A-1", "yes", set{"from": "2026-11-26", "until": "2026-11-27"}))
	s := h.snap.State()
	door, permission := s.PlaceByCode("A-1").ID, h.snap.Catalogue().PermissionByKey("door.open").ID
	for after, may := range map[int]bool{0: false, 1: false, 2: true, 3: true, 4: false} {
		at := time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC).AddDate(0, 0, after).Unix()
		assert.Equal(t, may, h.snap.Holds(h.who("S3").Staff, permission, door, at) > 0, "after %d days", after)
	}
	require.NotNil(t, h.snap.LocalAt(s.TemplateByCode("packer").ID, permission, door, noon.Unix()))
}

func TestBadLocalSettingsAreRefusedByField(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "r", local("packer", "door.open", "A-Z", "no", set{"from": "2026-12-01", "until": "2026-12-09"}))
	h.must(owner, "r", op("place.retire", "A-2", nil), op("template.retire", "keeper", nil))
	for name, of := range map[string]struct {
		operation     Operation
		field, detail string
	}{
		"no level":      {local("packer", "door.open", "A", ""), "set.level", "none takes the permission away"},
		"a wrong level": {local("packer", "door.open", "A", "lots"), "set.level", "lots"},
		"no template":   {local("pack", "door.open", "A", "no"), "set.template", "pack"},
		"no permission": {local("packer", "door.none", "A", "no"), "set.permission", "door.none"},
		"no place":      {local("packer", "door.open", "X", "no"), "set.place", "X"},
		"a place it means nothing at": {local("packer", "door.open", "A-S", "no"), "set.permission",
			"does not apply to a device"},
		"a retired place":    {local("packer", "door.open", "A-2", "no"), "set.place", "retired"},
		"a retired template": {local("keeper", "door.open", "A", "no"), "set.template", "retired"},
		"an end before the start": {local("packer", "door.open", "A", "no", set{"from": "2026-12-02",
			"until": "2026-12-01"}), "set.until", "before it begins"},
		"the same days": {local("packer", "door.open", "A-Z", "yes", set{"from": "2026-12-09"}), "set.permission",
			"to no at Zone; change or end"},
		"an edit of what it is about": {op("local_setting.edit", "1", set{"place": "A"}), "set", "end it and make"},
		"one that is not there":       {op("local_setting.end", "9", nil), "on", "no local setting"},
	} {
		_, err := h.try(owner, "r", of.operation)
		var f *fault.Fault
		require.ErrorAs(t, err, &f, name)
		require.Len(t, f.Fields, 1, name)
		assert.Equal(t, "operations[0]."+of.field, f.Fields[0].Name, name)
		assert.Contains(t, f.Message, of.detail, name)
	}
	_, err := h.try(owner, "", local("packer", "door.open", "B", "no"))
	assert.ErrorContains(t, err, "a local setting requires a reason; enter why Site B differs")
	h.must(owner, "r", local("packer", "door.open", "A-Z", "yes", set{"from": "2026-12-10"}))
	h.must(owner, "r", op("local_setting.end", "1", nil))
	_, err = h.try(owner, "r", op("local_setting.end", "1", nil))
	assert.ErrorContains(t, err, "already ended")
	_, err = h.try(owner, "r", op("local_setting.edit", "1", set{"level": "yes"}))
	assert.ErrorContains(t, err, "already ended")
	h.must(owner, "r", op("local_setting.edit", "2", set{"from": "2026-12-09"}))
	_, err = h.try(owner, "r", op("local_setting.restore", "1", nil))
	assert.ErrorContains(t, err, "to yes at Zone; change or end")
}

// Taking away takes no holding; giving does, for as long, and by whatever a local setting comes to count or no longer
// does. Nobody gives themselves.
func TestALocalSettingGivesWhatItsMakerCanGive(t *testing.T) {
	h := given(t)
	owner := h.who("S1")
	h.must(h.who("S2"), "they need not hold it", local("keeper", "door.chemical", "A", "no"))
	refuses(t, h, "S2", "You cannot give “Open the store”", op("local_setting.end", "1", nil))
	refuses(t, h, "S2", "You cannot give “Open the store”", op("local_setting.edit", "1", set{"level": "yes"}))
	refuses(t, h, "S2", "You cannot give “Open the store”", op("local_setting.edit", "1",
		set{"until": "2026-12-01"}))
	refuses(t, h, "S2", "You cannot give “Open the store”", local("packer", "door.chemical", "A-2", "yes"))
	refuses(t, h, "S2", "You cannot give “Adjust”", local("packer", "stock.adjust", "A", "50"))
	refuses(t, h, "S2", "Make exceptions", local("packer", "door.open", "B", "no"))
	refuses(t, h, "S2", "Nobody changes their own access", local("manager", "stock.adjust", "A-S", "41"))
	h.must(h.who("S2"), "up to their own", local("packer", "stock.adjust", "A", "40"))
	h.must(owner, "for a week", op("local_setting.edit", "1", set{"until": "2026-11-30"}))
	h.must(h.who("S2"), "what is less is theirs to say", op("local_setting.edit", "2", set{"level": "30"}))

	// A keeper where keepers do not open the store is given by whoever cannot give that; where they do again one day,
	// not
	h.must(owner, "without an end", op("local_setting.edit", "1", set{"until": ""}),
		op("template.edit", "keeper", set{"decide": set{"stock.adjust": "20"}}))
	keeper := op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "keeper"})
	_, err := h.try(h.who("S2"), "r", keeper)
	require.NoError(t, err)
	h.must(owner, "for a week", op("local_setting.edit", "1", set{"until": "2026-11-30"}))
	refuses(t, h, "S2", "You cannot give “Open the store”", keeper)
}

// What managers hold and have others do by it is less where a local setting says so, also seen from above.
func TestALocalSettingLimitsWhatCanBeGivenAboveItToo(t *testing.T) {
	h := newOrganisation(t)
	h.must(h.who("S1"), "r", local("manager", "door.open", "A-1", "no"), op("staff.enrol", "", set{"staff_number": "S8",
		"given_name": "Nia", "family_name": "New", "home_site": "A", "start_date": "2020-01-01"}))
	packer := func(place string) Operation {
		return op("assignment.add", "", set{"staff": "S8", "place": place, "template": "packer"})
	}
	refuses(t, h, "S2", "You cannot give “Open doors” at Site A", packer("A"))
	refuses(t, h, "S2", "You cannot give “Open doors” at Zone", packer("A-Z"))
	h.must(h.who("S1"), "apart from what they do", op("template.edit", "manager",
		set{"decide_giving": set{"door.open": "yes"}}))
	h.must(h.who("S2"), "r", packer("A"))
}

// Whoever took by a local setting may take that back, unless somebody was assigned since, or something was made more.
func TestWhoeverSetLocallyTakesItBack(t *testing.T) {
	begin := func() (*organisation, *Trial) {
		h := given(t)
		return h, h.must(h.who("S2"), "r", local("keeper", "door.chemical", "A", "no"))
	}
	h, d := begin()
	_, err := h.undoOwn("S2", d)
	require.NoError(t, err)
	for name, newer := range map[string]Operation{
		"somebody assigned": op("assignment.add", "", set{"staff": "S4", "place": "A", "template": "keeper"}),
		"a wider template":  op("template.edit", "packer", set{"name": "Packers"}),
		"another place":     op("place.edit", "A", set{"name": "Site"}),
		"another word":      op("permission.edit", "door.chemical", set{"title": "Open all"}),
	} {
		h, d := begin()
		h.must(h.who("S1"), "r", newer)
		tried, err := h.undoOwn("S2", d)
		if err == nil {
			err = tried.Judge()
		}
		assert.ErrorContains(t, err, "You cannot give", name)
	}
}

// A change to a scale carries local settings over by their words, and names one that is in the way.
func TestLocalSettingsAreCarriedOverToAnotherScale(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	scale := func(levels ...string) Operation {
		return op("permission.edit", "line.run", set{"scale": set{"kind": "levels", "levels": levels}})
	}
	h.must(owner, "", op("permission.add", "", set{"key": "line.run", "title": "Run", "sentence": "Runs.",
		"group": "stock", "scale": set{"kind": "levels", "levels": []string{"none", "view", "run"}},
		"kinds": []string{"work_centre", "zone"}}), op("template.edit", "packer",
		set{"decide": set{"line.run": "none"}}))
	h.must(owner, "r", local("packer", "line.run", "A-Z", "run"))
	h.must(owner, "", scale("none", "look", "view", "run"))
	assert.EqualValues(t, 3, h.snap.State().LocalSetting(1).Level)
	_, err := h.try(owner, "", scale("none", "look", "view"))
	assert.ErrorContains(t, err, "by a local setting, which the new scale does not have")
	_, err = h.try(owner, "", op("permission.edit", "line.run", set{"kinds": []string{"work_centre"}}))
	assert.ErrorContains(t, err, "has a local setting for “Run” at A-Z")
}

// Undoing brings back what a local setting said, and is refused where it was changed since.
func TestALocalSettingIsUndone(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	undo := func(d *Trial) {
		t.Helper()
		operations, err := Undo(h.snap, d.State.Revision, kept(t, d))
		require.NoError(t, err)
		h.must(owner, "undoing", operations...)
	}
	made := h.must(owner, "r", local("packer", "stock.adjust", "A", "20"))
	edited := h.must(owner, "r", op("local_setting.edit", h.lastLocal(), set{"level": "30", "until": "2027-01-01"}))
	_, err := Undo(h.snap, made.State.Revision, kept(t, made))
	assert.ErrorContains(t, err, "changed again since")
	undo(edited)
	assert.EqualValues(t, 20, h.snap.State().LocalSetting(1).Level)
	assert.True(t, h.snap.State().LocalSetting(1).Until.IsZero())
	ended := h.must(owner, "r", op("local_setting.end", h.lastLocal(), nil))
	undo(ended)
	assert.False(t, h.snap.State().LocalSetting(1).Ended)
	undo(made)
	assert.True(t, h.snap.State().LocalSetting(1).Ended)
	lowered := h.must(owner, "r", local("packer", "door.open", "A", "no"))
	undo(h.must(owner, "r", op("local_setting.edit", h.lastLocal(), set{"level": "yes"})))
	assert.Zero(t, h.snap.State().LocalSetting(2).Level)
	undo(lowered)
}
