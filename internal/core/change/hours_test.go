package change

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/wording"
)

// withEarly is an organisation in which the packers have the hours of an early shift.
func withEarly(t *testing.T) (*organisation, Actor) {
	h := newOrganisation(t)
	h.must(system, "", op("schedule.add", "", set{"code": "EARLY", "name": "Early shift", "hours": weekly("05:30",
		"14:15")}), op("template.edit", "packer", set{"hours": set{"kind": "schedule", "schedule": "early"}}))
	return h, h.who("S1")
}

func weekly(from, until string) set {
	return set{"kind": "weekly", "rules": []set{{"days": "mon-sun", "from": from, "until": until}}}
}

// in reports whether somebody may pass the door at an hour of the day, their hours counted.
func (h *organisation) in(who string, hour int) bool {
	s := h.snap.State()
	return h.snap.Decide(&access.Question{Staff: s.StaffByNumber(who).ID, Place: s.PlaceByCode("A-1").ID,
		Permission: h.snap.Catalogue().PermissionByKey("door.open").ID,
		At:         noon.Unix() + int64(hour-noon.Hour())*3600}).Allowed
}

func TestAScheduleIsSharedAndItsEditSaysWhoGainsAndLoses(t *testing.T) {
	h, owner := withEarly(t)
	assert.True(t, h.in("S3", 8))
	assert.False(t, h.in("S3", 18))
	d := h.must(owner, "they work later", op("schedule.edit", "EARLY", set{"hours": weekly("14:00", "22:00")}))
	assert.False(t, h.in("S3", 8))
	assert.True(t, h.in("S3", 18))
	assert.Equal(t, 1, d.Effect.Gainers())
	assert.Equal(t, 1, d.Effect.Losers(), "of other hours somebody gains some and loses some")
	assert.Equal(t, "Pia Packer at Site A gains “Open doors”: daily 14:00–22:00 instead of daily 05:30–14:15; "+
		"Pia Packer at Site A loses “Open doors”: daily 14:00–22:00 instead of daily 05:30–14:15.", h.said(d))
	_, err := h.try(owner, "", op("schedule.edit", "EARLY", set{"hours": weekly("05:30", "14:15")}))
	assert.ErrorContains(t, err, "say why")
	d, err = h.undo(d)
	require.NoError(t, err)
	h.snap = d.After
	assert.True(t, h.in("S3", 8))
	d = h.must(owner, "", op("schedule.edit", "EARLY", set{"name": "Morning"}))
	assert.Empty(t, d.Effect.Gains)
	assert.Empty(t, d.Effect.Losses)
}

// said is the sentence of the effect of a change that was made on what came before it.
func (h *organisation) said(d *Trial) string {
	return wording.English.Summary(&wording.Compared{Before: d.before, After: d.After, At: noon.Unix()}, &d.Effect,
		d.After.Groups(d.Effect.Gains, false), d.before.Groups(d.Effect.Losses, true), anybody)
}

// What differs in its hours alone is said once, and not permission by permission.
func TestHoursThatAreTheSameForAllAreSaidOnce(t *testing.T) {
	h, owner := withEarly(t)
	d := h.must(owner, "because", op("template.edit", "keeper", set{"base": "", "hours": set{"kind": "schedule",
		"schedule": "EARLY"}, "decide": set{"door.open": "yes"}}),
		op("assignment.add", "", set{"staff": "S4", "place": "A", "template": "keeper"}))
	assert.Contains(t, h.said(d), "1 person gains")
	d = h.must(owner, "later", op("schedule.edit", "EARLY", set{"hours": weekly("05:30", "18:00")}))
	assert.Equal(t, "2 people gain; nobody loses.", h.said(d), "packers and keepers")
	d = h.must(owner, "r", op("staff.hours", "S4", set{"hours": set{"kind": "always"}}))
	assert.Equal(t, "Bea Beyond at Site A gains hours: at all hours instead of daily 05:30–18:00; nobody loses.",
		h.said(d))
}

func TestTheHoursOfTheAssignmentComeBeforeThoseOfThePersonAndTheTemplate(t *testing.T) {
	h, owner := withEarly(t)
	by := func(a *org.Assignment) (access.By, string) {
		_, by, schedule := h.snap.HoursOf(a)
		if schedule == nil {
			return by, ""
		}
		return by, schedule.Code
	}
	a := h.snap.State().Assignment(h.snap.State().AssignmentsOf(h.who("S3").Staff)[0])
	stated, code := by(a)
	assert.Equal(t, access.ByTemplate, stated)
	assert.Equal(t, "EARLY", code)
	h.must(owner, "nights", op("schedule.add", "", set{"code": "NIGHT", "name": "Nights", "hours": weekly("22:00",
		"06:00")}), op("staff.hours", "S3", set{"hours": set{"kind": "schedule", "schedule": "NIGHT"}}))
	assert.False(t, h.in("S3", 8))
	assert.True(t, h.in("S3", 23))
	stated, code = by(a)
	assert.Equal(t, access.ByPerson, stated)
	assert.Equal(t, "NIGHT", code)
	d := h.must(owner, "an extra shift", op("assignment.edit", jsonOf(a.ID), set{"hours": set{"kind": "always"}}))
	assert.True(t, h.in("S3", 8))
	assert.Equal(t, 1, d.Effect.Gainers())
	assert.Zero(t, d.Effect.Losers())
	d, err := h.undo(d)
	require.NoError(t, err)
	h.snap = d.After
	d = h.must(owner, "nights are closed", op("schedule.edit", "NIGHT", set{"hours": weekly("22:00", "23:00")}))
	assert.Equal(t, 1, d.Effect.Losers(), "a schedule of a person alone counts too")
	d = h.must(owner, "as the others", op("staff.hours", "S3", set{"hours": set{}}))
	assert.True(t, h.in("S3", 8))
	d, err = h.undo(d)
	require.NoError(t, err)
	assert.Equal(t, h.snap.State().ScheduleByCode("NIGHT").ID, d.State.StaffByNumber("S3").Hours.Schedule)
}

func TestARetiredScheduleGoesOnForThoseWhoHaveIt(t *testing.T) {
	h, owner := withEarly(t)
	h.must(owner, "", op("schedule.retire", "EARLY", nil))
	assert.True(t, h.in("S3", 8))
	h.must(owner, "", op("template.edit", "packer", set{"summary": "Packs", "hours": set{"kind": "schedule",
		"schedule": "EARLY"}}))
	_, err := h.try(owner, "", op("staff.hours", "S3", set{"hours": set{"kind": "schedule", "schedule": "EARLY"}}))
	assert.True(t, fault.Is(err, fault.Conflict), "%v", err)
	_, err = h.try(owner, "", op("schedule.edit", "EARLY", set{"name": "Other"}))
	assert.ErrorContains(t, err, "bring it back")
	h.must(owner, "", op("schedule.restore", "EARLY", nil),
		op("staff.hours", "S3", set{"hours": set{"kind": "schedule", "schedule": "EARLY"}}))
	_, err = h.try(owner, "", op("schedule.restore", "EARLY", nil))
	assert.ErrorContains(t, err, "in use already")
}

func TestWhatIsNoScheduleIsRefused(t *testing.T) {
	h, owner := withEarly(t)
	for name, operation := range map[string]Operation{
		"set.hours": op("schedule.add", "", set{"code": "S", "name": "S", "hours": set{}}),
		"a schedule states its hours itself": op("schedule.add", "", set{"code": "S", "name": "S",
			"hours": set{"kind": "schedule", "schedule": "EARLY"}}),
		"needs a name": op("schedule.add", "", set{"code": "S", "hours": weekly("05:00", "06:00")}),
		"already":      op("schedule.add", "", set{"code": "early", "name": "S", "hours": weekly("05:00", "06:00")}),
		"keeps its code": op("schedule.edit", "EARLY", set{"code": "LATE",
			"hours": weekly("05:00", "06:00")}),
		"no schedule has the code": op("template.edit", "packer", set{"hours": set{"kind": "schedule",
			"schedule": "LATE"}}),
		"say which schedule": op("template.edit", "packer", set{"hours": set{"kind": "schedule"}}),
		"only hours of the kind schedule": op("template.edit", "packer", set{"hours": set{"kind": "always",
			"schedule": "EARLY"}}),
		"say which hours": op("staff.hours", "S3", nil),
		"at most 60":      op("schedule.edit", "EARLY", set{"hours": set{"kind": "weekly", "rules": make([]set, 61)}}),
	} {
		_, err := h.try(owner, "r", operation)
		var f *fault.Fault
		if assert.ErrorAs(t, err, &f, name) && name != "set.hours" {
			assert.ErrorContains(t, err, name)
		}
		require.NotEmpty(t, f.Fields, name)
	}
}

func TestASchedulesHoursAreForThoseWhoAnswerForThemEverywhere(t *testing.T) {
	h, owner := withEarly(t)
	_, err := h.try(h.who("S2"), "r", op("schedule.edit", "EARLY", set{"hours": weekly("00:00", "24:00")}))
	assert.True(t, fault.Is(err, fault.Refused), "templates are not S2's to change: %v", err)
	h.must(owner, "", op("template.edit", "manager", set{"decide": set{"console.edit_templates": "yes"}}),
		op("assignment.add", "", set{"staff": "S2", "place": "B", "template": "manager"}))
	h.must(h.who("S2"), "r", op("schedule.edit", "EARLY", set{"hours": weekly("05:00", "15:00")}))
	// What the keepers may open S2 may not, so that these are not the hours of S2 to widen.
	h.must(owner, "r", op("template.edit", "keeper", set{"hours": set{"kind": "schedule", "schedule": "EARLY"}}),
		op("assignment.add", "", set{"staff": "S3", "place": "A", "template": "keeper"}))
	_, err = h.try(h.who("S2"), "r", op("schedule.edit", "EARLY", set{"hours": weekly("00:00", "24:00")}))
	assert.True(t, fault.Is(err, fault.Refused), "%v", err)
	_, err = h.try(h.who("S2"), "r", op("template.edit", "keeper", set{"hours": set{"kind": "always"}}))
	assert.True(t, fault.Is(err, fault.Refused), "nor by the template: %v", err)
	h.must(h.who("S2"), "r", op("schedule.edit", "EARLY", set{"hours": weekly("06:00", "14:00")}))

	h.must(owner, "r", op("staff.hours", "S2", set{"hours": set{"kind": "schedule", "schedule": "EARLY"}}))
	_, err = h.try(h.who("S2"), "r", op("schedule.edit", "EARLY", set{"hours": weekly("06:00", "13:00")}))
	assert.ErrorContains(t, err, "own access")
	_, err = h.try(h.who("S2"), "r", op("staff.hours", "S2", set{"hours": set{}}))
	assert.ErrorContains(t, err, "own access")
	_, err = h.try(h.who("S2"), "r", op("staff.hours", "S3", set{"hours": set{"kind": "always"}}))
	assert.True(t, fault.Is(err, fault.Refused), "S3 keeps the store, which S2 does not: %v", err)
	_, err = h.try(h.who("S4"), "r", op("staff.hours", "S3", set{"hours": set{"kind": "always"}}))
	assert.Error(t, err)
}

// What cannot be read opens nothing, and no schedule is lost by undoing what others stand on.
func TestAScheduleThatIsUsedIsNotTakenBack(t *testing.T) {
	h, owner := withEarly(t)
	made := h.must(owner, "", op("schedule.add", "", set{"code": "LATE", "name": "Late", "hours": weekly("14:00",
		"22:00")}))
	for _, use := range []Operation{
		op("staff.hours", "S3", set{"hours": set{"kind": "schedule", "schedule": "LATE"}}),
		op("template.edit", "keeper", set{"hours": set{"kind": "schedule", "schedule": "LATE"}}),
		op("assignment.edit", jsonOf(h.snap.State().AssignmentsOf(3)[0]), set{"hours": set{"kind": "schedule",
			"schedule": "LATE"}})} {
		before := h.snap
		h.must(owner, "r", use)
		_, err := h.undo(made)
		assert.ErrorContains(t, err, "LATE Late is used by a later change: the ", use.Op)
		h.snap = before
	}
	d, err := h.undo(made)
	require.NoError(t, err)
	assert.True(t, d.State.ScheduleByCode("LATE").Retired)
}

// With dated hours alone a place would be open at all hours of every other day: nobody means that who closes it at
// Christmas.
func TestDatedHoursNeedWeeklyOnes(t *testing.T) {
	h := newOrganisation(t)
	christmas := []set{{"name": "Christmas", "from": "2026-12-24", "until": "2026-12-26", "rules": []set{}}}
	_, err := h.try(h.who("S1"), "", op("place.edit", "A", set{"opening": set{"dated": christmas}}))
	assert.ErrorContains(t, err, "Dated hours need weekly hours")
	assert.Equal(t, "operations[0].set.opening", err.(*fault.Fault).Fields[0].Name)
	_, err = h.try(h.who("S1"), "closed", op("place.edit", "A", set{"opening": set{"dated": christmas,
		"rules": []set{{"days": "mon-sun", "from": "00:00", "until": "24:00"}}}}))
	assert.NoError(t, err)
}
