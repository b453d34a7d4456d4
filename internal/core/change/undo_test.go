package change

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
)

// kept are the entries of a change as the audit log gives them back.
func kept(t require.TestingT, d *Trial) []Entry {
	encoded, err := json.Marshal(d.Entries)
	require.NoError(t, err)
	var entries []Entry
	require.NoError(t, json.Unmarshal(encoded, &entries))
	return entries
}

func (h *organisation) undo(d *Trial) (*Trial, error) {
	operations, err := Undo(h.snap, d.State.Revision, kept(h.t, d))
	if err != nil {
		return nil, err
	}
	return h.try(h.who("S1"), "undoing", operations...)
}

// entitlements are what everybody holds everywhere.
func entitlements(s *access.Snapshot) map[string]int32 {
	all := map[string]int32{}
	for id := range s.State().Staff.All() {
		for p := range s.Catalogue().Permissions {
			for here := range s.Tree().All {
				if level := s.Holds(people.StaffID(id), p.ID, here.Place.ID, noon.Unix()); level > 0 {
					all[fmt.Sprint(id, " ", p.Key, " ", here.Place.Code)] = int32(level)
				}
			}
		}
	}
	return all
}

// Undoing a change sets back what everybody holds; where it is refused, it says why.
func TestUndoingSetsBackWhatEverybodyHolds(t *testing.T) {
	base := newOrganisation(t).snap
	owner := Actor{Staff: base.State().StaffByNumber("S1").ID}
	undone := map[string]int{}
	rapid.Check(t, func(t *rapid.T) {
		start := drawEstate(t, base)
		now := start
		var d *Trial
		for range rapid.IntRange(1, 6).Draw(t, "steps") {
			var operations []Operation
			for range rapid.IntRange(1, 3).Draw(t, "operations") {
				operations = append(operations, anyOperation(t, now))
			}
			if next, err := Apply(now, owner, env(), "because", operations); err == nil && len(next.Entries) > 0 {
				d, start, now = next, now, next.After
			}
		}
		if d == nil {
			return
		}
		operations, err := Undo(now, d.State.Revision, kept(t, d))
		if err != nil {
			assert.True(t, fault.Is(err, fault.Refused) || fault.Is(err, fault.Conflict), "%v", err)
			return
		}
		back, err := Apply(now, owner, env(), "undoing", operations)
		if err != nil {
			// A rule may stand in the way by now, and says so: an owner's own access, somebody who has left.
			var f *fault.Fault
			require.ErrorAs(t, err, &f)
			return
		}
		for _, e := range d.Entries {
			undone[e.Op]++
		}
		assert.Equal(t, entitlements(start), entitlements(back.After), "%+v undone by %+v", d.Entries, operations)
		asBefore(t, start.State(), back.After.State(), d.Entries)
	})
	assert.Greater(t, len(undone), 8, "many kinds of change were undone: %v", undone)
}

func TestAnUndoBringsBackReasonsAndPlannedDates(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "keys are missing", op("staff.lock", "S3", set{"until": "2026-12-01T10:00:00Z"}))
	was := *h.snap.State().StaffByNumber("S3").Lock
	unlocked := h.must(owner, "found", op("staff.unlock", "S3", nil))
	d, err := h.undo(unlocked)
	require.NoError(t, err)
	again := d.State.StaffByNumber("S3").Lock
	assert.Equal(t, was.Reason, again.Reason)
	assert.Equal(t, was.Until, again.Until)

	h.must(owner, "the season ends", op("staff.leave", "S3", set{"on": "2026-12-20"}))
	gone := h.must(owner, "sooner", op("staff.leave", "S3", nil))
	d, err = h.undo(gone)
	require.NoError(t, err)
	p := d.State.StaffByNumber("S3")
	assert.Equal(t, "2026-12-20", p.LeavingDate.String())
	assert.True(t, p.LeavesAt.IsZero())
}

// What was edited and set back is as it was: whoever moves somebody, edits the new assignment and undoes that can undo
// the move as well.
func TestAnUndoGoesOnBeyondOneThatWasUndone(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	made := h.must(owner, "", op("assignment.add", "", set{"staff": "S4", "place": "A", "template": "packer"}),
		op("staff.edit", "S4", set{"home_site": "A"}))
	_, id, _ := strings.Cut(made.Entries[0].Record, ":")
	edited := h.must(owner, "r", op("assignment.edit", id, set{"until": "2026-12-20"}))
	_, err := h.undo(made)
	assert.ErrorContains(t, err, "changed again since")
	back, err := h.undo(edited)
	require.NoError(t, err)
	h.snap = back.After
	undone, err := h.undo(made)
	require.NoError(t, err)
	assert.Equal(t, "B", undone.State.Place(undone.State.StaffByNumber("S4").HomeSite).Code)
	again := h.must(owner, "r", op("assignment.edit", id, set{"hours": weekly("09:00", "17:00")}))
	_, err = h.undo(again)
	require.NoError(t, err)
	_, err = h.undo(made)
	assert.ErrorContains(t, err, "changed again since")
	assert.NotContains(t, err.Error(), "{")
}

// An operation may make records of another kind than its own: who goes on with another template is assigned anew.
func TestAnUndoTakesBackWhatAnotherKindOfOperationMade(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "", op("template.add", "", set{"code": "hand", "name": "Hand", "settings": set{"door.open": "yes"}}),
		op("template.add", "", set{"code": "help", "name": "Help", "settings": set{"door.open": "yes"}}),
		op("assignment.add", "", set{"staff": "S3", "place": "B", "template": "hand", "from": "2026-01-01"}))
	retired := h.must(owner, "one name for both", op("template.retire", "hand", set{"replace_with": "help"}))
	d, err := h.undo(retired)
	require.NoError(t, err)
	templates := map[string]bool{}
	for _, id := range d.State.AssignmentsOf(h.who("S3").Staff) {
		if a := d.State.Assignment(id); !a.Ended {
			templates[d.State.Template(a.Template).Code] = true
		}
	}
	assert.True(t, templates["hand"] && !templates["help"], "%v", templates)
}

// asBefore sees that every record that a change wrote is what it was before, reasons and dates included. What the
// change made is out of use; when a lock or a bar began, and who made it, is of the undoing.
func asBefore(t *rapid.T, start, back *org.State, entries []Entry) {
	for _, e := range entries {
		was, is := RecordOf(start, e.Record), RecordOf(back, e.Record)
		before, after := Fields(start, was), Fields(back, is)
		if was == nil {
			assert.True(t, after["retired"] == true || after["ended"] == true ||
				after["state"] == "destroyed" || after["state"] == "withdrawn" || after["leaves_at"] != nil,
				"%s was made and is out of use: %v", e.Record, after)
			continue
		}
		if strings.HasPrefix(e.Record, "bar:") {
			continue // a bar that was lifted is made anew
		}
		for _, fields := range []map[string]any{before, after} {
			if lock, is := fields["lock"].(map[string]any); is {
				delete(lock, "since")
				delete(lock, "by")
			}
			if fields["leaves_at"] != nil {
				fields["leaves_at"] = "then"
			}
		}
		assert.Equal(t, before, after, "%s by %s", e.Record, e.Op)
	}
}

func TestAnUndoOfSomethingBuiltUponIsRefused(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	added := h.must(owner, "", op("permission.add", "",
		set{"key": "stock.count", "title": "Count stock", "sentence": "Counts.", "group": "stock",
			"scale": set{"kind": "switch"}, "kinds": []string{"device"}}))
	decided := h.must(owner, "", op("template.edit", "packer", set{"decide": set{"stock.count": "yes"}}))
	_, err := h.undo(added)
	assert.ErrorContains(t, err, "is used by a later change: the template “packer Packer”. Undo that first.")
	var f *fault.Fault
	require.ErrorAs(t, err, &f)
	assert.Equal(t, "built-upon", f.Code)
	again := h.must(owner, "because", op("template.edit", "packer", set{"decide": set{"stock.count": "no"}}))
	_, err = h.undo(decided)
	assert.ErrorContains(t, err, "was changed again since")
	d, err := h.undo(again)
	require.NoError(t, err)
	h.snap = d.After
	d, err = h.undo(decided)
	require.NoError(t, err)
	h.snap = d.After
	assert.Equal(t, "no", h.level("packer", "stock.count"))
	d, err = h.undo(added)
	require.NoError(t, err)
	assert.True(t, d.After.Catalogue().PermissionByKey("stock.count").Retired, "nothing is deleted")
}

func TestWhatCannotBeTakenBackSaysSo(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	_, err := h.undo(h.must(owner, "", op("pin.set", "", set{"staff": "S3"})))
	assert.ErrorContains(t, err, "a secret that was handed out")
	locked := h.must(owner, "lost badge", op("staff.lock", "S3", nil))
	d, err := h.undo(locked)
	require.NoError(t, err)
	assert.Nil(t, d.State.StaffByNumber("S3").Lock)
	left := h.must(owner, "left", op("staff.leave", "S4", nil))
	d, err = h.undo(left)
	require.NoError(t, err)
	assert.True(t, d.State.StaffByNumber("S4").LeavesAt.IsZero())
}

// Whoever was enrolled by mistake stays on record as somebody who has left, with nothing that opens a door; once others
// have built on it, it stays.
func TestAnEnrolmentIsTakenBackWithAllThatCameWithIt(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	hand := func(number string) []Operation {
		return []Operation{
			named("p", op("staff.enrol", "", set{"staff_number": number, "given_name": "New",
				"family_name": "Hand" + number,
				"home_site":   "A", "start_date": "2026-12-01"})),
			op("assignment.add", "", set{"staff": "@p", "place": "A", "template": "packer"}),
			op("pin.set", "", set{"staff": "@p"}),
		}
	}
	d, err := h.undo(h.must(owner, "", append(hand("S8"), hand("S9")...)...))
	require.NoError(t, err)
	for _, number := range []string{"S8", "S9"} {
		p := d.State.StaffByNumber(number)
		assert.Equal(t, people.Left, p.SpanIn(time.UTC).Status(noon.Unix()))
		assert.Nil(t, d.State.CredentialOf(p.ID, credential.PIN), "the digits are free again")
		assert.True(t, d.State.Assignment(d.State.AssignmentsOf(p.ID)[0]).Ended)
	}
	enrolled := h.must(owner, "", op("staff.enrol", "",
		set{"staff_number": "S7", "given_name": "New", "family_name": "Other", "home_site": "A"}))
	h.must(owner, "", op("assignment.add", "", set{"staff": "S7", "place": "A", "template": "packer"}))
	_, err = h.undo(enrolled)
	assert.ErrorContains(t, err, "was assigned by a later change")
}

// The log is never written again, so what it says in the words of before is read in those of now, and undone.
func TestWhatWasLoggedInFormerWordsIsReadAndUndone(t *testing.T) {
	h := newOrganisation(t)
	left := h.must(h.who("S1"), "left", op("staff.leave", "S3", nil))
	encoded, err := json.Marshal(left.Entries)
	require.NoError(t, err)
	before := strings.NewReplacer("staff.leave", "staff.depart", "leaves_at", "departed_at").Replace(string(encoded))
	require.NotEqual(t, string(encoded), before)
	var entries []Entry
	require.NoError(t, json.Unmarshal([]byte(before), &entries))
	assert.Equal(t, "staff.leave", entries[0].Op)
	operations, err := Undo(h.snap, left.State.Revision, entries)
	require.NoError(t, err)
	assert.Equal(t, "staff.reinstate", operations[0].Op)

	h.must(h.who("S1"), "", op("device.add", "", set{"name": "Door", "place": "A"}))
	retired := h.must(h.who("S1"), "", op("device.retire", "1", nil))
	encoded, err = json.Marshal(retired.Entries)
	require.NoError(t, err)
	before = strings.NewReplacer("device.retire", "device.revoke", `"retired"`, `"revoked"`).Replace(string(encoded))
	require.NotEqual(t, string(encoded), before)
	require.NoError(t, json.Unmarshal([]byte(before), &entries))
	assert.Equal(t, "device.retire", entries[0].Op)
	assert.Equal(t, true, entries[0].After["retired"])
}

// Whoever left on a day that has passed is brought back and, undone, has left on that day.
func TestAnUndoRestoresADayThatHasPassed(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "left on Friday", op("staff.leave", "S3", set{"on": "2026-11-20"}))
	back := h.must(owner, "", op("staff.reinstate", "S3", nil))
	d, err := h.undo(back)
	require.NoError(t, err)
	assert.Equal(t, "2026-11-20", d.State.StaffByNumber("S3").LeavingDate.String())
}
