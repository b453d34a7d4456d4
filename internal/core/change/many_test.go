package change

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
)

func anywhere(people.StaffID, estate.PlaceID) bool { return true }

func (h *organisation) groups(name string, fields map[string]any, whom ...string) [][]Operation {
	act := Act{Op: name, Set: fields, See: anywhere}
	for _, number := range whom {
		act.Whom = append(act.Whom, h.snap.State().StaffByNumber(number))
	}
	groups, err := act.Groups(h.snap, noon.Unix())
	require.NoError(h.t, err)
	return groups
}

// Each operation that may be done about many names each of them, whatever way it names people.
func TestEveryOperationAboutManyNamesEachOfThem(t *testing.T) {
	h := newOrganisation(t)
	require.Greater(t, len(ManyOperations()), 12)
	h.must(system, "", named("t", op("team.add", "", set{"code": "EARLY", "name": "Early"})),
		op("member.add", "", set{"team": "@t", "staff": "S3"}), op("member.add", "", set{"team": "@t", "staff": "S2"}))
	for _, name := range ManyOperations() {
		groups := h.groups(name, nil, "S3", "S2")
		require.Len(t, groups, 2, name)
		for i, number := range []string{"S3", "S2"} {
			require.NotEmpty(t, groups[i], "%s about %s", name, number)
			for _, o := range groups[i] {
				p := h.snap.State().StaffByNumber(number)
				switch descriptions[name].aboutPeople() {
				case onPerson:
					assert.Equal(t, number, o.On, name)
				case setStaff:
					assert.JSONEq(t, fmt.Sprintf(`{"staff": %q}`, number), string(o.Set), name)
				case onAssignment:
					id := h.snap.State().AssignmentsOf(p.ID)[0]
					assert.Equal(t, fmt.Sprint(id), o.On, name)
				case onMember:
					assert.Equal(t, fmt.Sprint(h.snap.State().MemberOf(p.ID, 1).ID), o.On, name)
				}
			}
		}
	}
	for _, name := range []string{"staff.enrol", "template.edit", "pin.choose", "staff.make_owner", "nonsense"} {
		_, err := (&Act{Op: name, See: anywhere}).Groups(h.snap, noon.Unix())
		assert.True(t, fault.Is(err, fault.Invalid), name)
	}
}

// Sift says of each group what stands in its way, all of them at once, and of those that can be made nothing; what it
// lets through can be applied together.
func TestSiftNamesEveryGroupThatCannotBeMade(t *testing.T) {
	h := newOrganisation(t)
	h.must(h.who("S1"), "left", op("staff.leave", "S4", nil))
	enrol := func(number, site string) []Operation {
		return []Operation{named("p", op("staff.enrol", "", set{"staff_number": number, "given_name": "N",
			"family_name": "H", "home_site": site})),
			op("assignment.add", "", set{"staff": "@p", "place": site, "template": "packer"})}
	}
	groups := append([][]Operation{enrol("S8", "A"), enrol("S8", "A"), enrol("S9", "nowhere"), enrol("S10", "A")},
		h.groups("staff.lock", nil, "S3", "S4")...)
	faults, err := Sift(h.snap, h.who("S1"), env(), groups)
	require.NoError(t, err)
	assert.Len(t, faults, 3)
	assert.ErrorContains(t, faults[1], "has the staff number S8 already")
	assert.ErrorContains(t, faults[2], "no place has the code")
	assert.ErrorContains(t, faults[5], "has left")
	var f *fault.Fault
	require.ErrorAs(t, faults[2], &f)
	assert.Equal(t, 1, f.Operation, "counted within the group")
	var rest []Operation
	for i, group := range groups {
		if faults[i] == nil {
			rest = append(rest, group...)
		}
	}
	d, err := h.try(h.who("S1"), "r", rest...)
	require.NoError(t, err)
	assert.NotNil(t, d.State.StaffByNumber("S10"))
	assert.Nil(t, h.snap.State().StaffByNumber("S10"), "nothing is left of the trial")
}

func TestAMoveEndsOneAssignmentAndBeginsTheNext(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	s3 := h.snap.State().StaffByNumber("S3")
	first := h.snap.State().AssignmentsOf(s3.ID)[0]
	was := *h.snap.State().Assignment(first)
	d := h.must(owner, "needed there", op("assignment.move", fmt.Sprint(first),
		set{"place": "B", "from": "2026-12-01", "overlap_days": 2}))
	ids := d.State.AssignmentsOf(s3.ID)
	last, next := d.State.Assignment(first), d.State.Assignment(ids[len(ids)-1])
	assert.Equal(t, "2026-12-02", last.Until.String(), "both count for two days")
	assert.Equal(t, "2026-12-01", next.From.String())
	assert.Equal(t, was.Template, next.Template)
	assert.Equal(t, was.Until, next.Until)
	undone, err := h.undo(d)
	require.NoError(t, err)
	assert.Equal(t, was.Until, undone.State.Assignment(first).Until, "one change, undone as one")
	assert.True(t, undone.State.Assignment(next.ID).Ended)
	for name, c := range map[string]struct {
		fields set
		field  string
	}{
		"to the same":     {set{}, "set.place"},
		"in the past":     {set{"place": "A-1", "from": "2026-11-01"}, "set.from"},
		"an end before":   {set{"place": "A-1", "from": "2026-12-09", "until": "2026-12-01"}, "set.until"},
		"a long overlap":  {set{"place": "A-1", "overlap_days": 4000}, "set.overlap_days"},
		"nowhere":         {set{"place": "nowhere"}, "set.place"},
		"no such work":    {set{"template": "nothing"}, "set.template"},
		"again the same":  {set{"place": "B", "from": "2026-12-02"}, "on"},
		"one that is not": {set{"place": "A-1", "from": "soon"}, "set.from"},
	} {
		_, err := h.try(owner, "r", op("assignment.move", fmt.Sprint(first), c.fields))
		var f *fault.Fault
		require.ErrorAs(t, err, &f, name)
		require.NotEmpty(t, f.Fields, "%s: %v", name, err)
		assert.Equal(t, "operations[0]."+c.field, f.Fields[0].Name, name)
	}
	_, err = h.try(h.who("S2"), "r", op("assignment.move", fmt.Sprint(first), set{"place": "B", "template": "keeper"}))
	assert.True(t, fault.Is(err, fault.Refused), "a manager of A sends nobody to B")
}

func TestLeavingIsAtOnceAfterADayOrAtAMoment(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	at := func(fields set) people.Staff {
		d, err := h.try(owner, "r", op("staff.leave", "S3", fields))
		require.NoError(t, err)
		return *d.State.StaffByNumber("S3")
	}
	now := at(nil)
	assert.Equal(t, noon, now.LeavesAt)
	later := at(set{"at": "2026-11-24T18:00:00Z"})
	assert.Equal(t, people.Active, later.SpanIn(noon.Location()).Status(noon.Unix()), "not before its moment")
	assert.Equal(t, people.Left, later.SpanIn(noon.Location()).Status(noon.Unix()+6*3600), "at its moment, by itself")
	passed := at(set{"at": "2026-11-23T18:00:00Z"})
	assert.Equal(t, noon, passed.LeavesAt)
	friday := at(set{"on": "2026-11-20"})
	assert.Equal(t, "2026-11-20", friday.LeavingDate.String(), "what is on record is when they left")
	assert.Equal(t, people.Left, friday.SpanIn(noon.Location()).Status(noon.Unix()))
	h.must(owner, "", op("staff.enrol", "", set{"staff_number": "S9", "given_name": "N", "family_name": "H",
		"home_site": "A", "start_date": "2026-12-10"}))
	for name, c := range map[string]struct {
		who    string
		fields set
		field  string
	}{
		"both":                     {"S3", set{"on": "2026-12-01", "at": "2026-12-01T10:00:00Z"}, "set.at"},
		"no moment":                {"S3", set{"at": "at noon"}, "set.at"},
		"no day":                   {"S3", set{"on": "31/12/2026"}, "set.on"},
		"before the first day":     {"S9", set{"on": "2026-12-01"}, "set.on"},
		"a moment before it":       {"S9", set{"at": "2026-12-01T10:00:00Z"}, "set.at"},
		"beyond what a day can be": {"S3", set{"at": "9999-12-01T10:00:00Z"}, "set.at"},
	} {
		_, err := h.try(owner, "r", op("staff.leave", c.who, c.fields))
		var f *fault.Fault
		require.ErrorAs(t, err, &f, name)
		assert.Equal(t, "operations[0]."+c.field, f.Fields[0].Name, name)
	}
	gone := h.must(owner, "never came", op("staff.leave", "S9", nil))
	assert.Equal(t, people.Left, gone.State.StaffByNumber("S9").SpanIn(noon.Location()).Status(noon.Unix()))
}

func TestSomebodyGetsWhatAColleagueHas(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "light duty", op("exception.add", "", set{"staff": "S3", "place": "A-2",
		"permission": "door.chemical",
		"until":      "2026-12-24"}), op("assignment.add", "", set{"staff": "S3", "place": "B", "template": "packer",
		"until": "2026-11-30"}), op("pin.set", "", set{"staff": "S3"}))
	enrol := named("p", op("staff.enrol", "", set{"staff_number": "S9", "given_name": "New", "family_name": "Hand",
		"home_site": "A", "start_date": "2026-11-28", "contract_end": "2027-03-31"}))
	d := h.must(owner, "as agreed", enrol, op("staff.like", "@p", set{"like": "S3", "exceptions": true}))
	p := d.State.StaffByNumber("S9")
	var days []string
	for _, id := range d.State.AssignmentsOf(p.ID) {
		a := d.State.Assignment(id)
		days = append(days, fmt.Sprint(d.State.Place(a.Place).Code, " ", a.From, " ", a.Until))
	}
	assert.Equal(t, []string{"A 2026-11-28 2027-03-31", "B 2026-11-28 2027-03-31"}, days)
	require.Len(t, d.State.ExceptionsOf(p.ID), 1)
	assert.Empty(t, d.State.CredentialsOf(p.ID), "no credential is copied")
	_, err := h.try(owner, "r", op("staff.like", "S9", set{"like": "S3"}))
	assert.ErrorContains(t, err, "does not have already", "a second time there is nothing to give")
	for name, c := range map[string]struct {
		actor  string
		fields set
	}{"oneself": {"S1", set{"like": "S9"}}, "nobody": {"S1", set{"like": "S77"}}, "a day that is none": {"S1",
		set{"like": "S2", "until": "soon"}}, "above the ceiling": {"S2", set{"like": "S3", "exceptions": true}}} {
		_, err := h.try(h.who(c.actor), "r", op("staff.like", "S9", c.fields))
		assert.Error(t, err, name)
	}
}

func TestAnAbsenceIsCoveredForItsDaysAndEndsByItself(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "", op("staff.enrol", "", set{"staff_number": "S9", "given_name": "Cov", "family_name": "Er",
		"home_site": "A", "start_date": "2020-01-01"}))
	d := h.must(owner, "holidays", op("staff.cover", "S3", set{"by": "S9", "from": "2026-12-01", "until": "2026-12-14",
		"pause": true}))
	by, absent := d.State.StaffByNumber("S9"), d.State.StaffByNumber("S3")
	covering := d.State.Assignment(d.State.AssignmentsOf(by.ID)[0])
	assert.Equal(t, d.State.AssignmentsOf(absent.ID)[0], covering.Covers)
	on := func(number, day string) bool {
		at, err := time.Parse(time.RFC3339, day+"T12:00:00Z")
		require.NoError(t, err)
		return d.After.Holds(d.State.StaffByNumber(number).ID, d.After.Catalogue().PermissionByKey("door.open").ID,
			d.State.PlaceByCode("A-1").ID, at.Unix()) > 0
	}
	for day, who := range map[string][2]bool{"2026-11-30": {true, false}, "2026-12-01": {false, true},
		"2026-12-14": {false, true}, "2026-12-15": {true, false}} {
		assert.Equal(t, who, [2]bool{on("S3", day), on("S9", day)}, day)
	}
	undone, err := h.undo(d)
	require.NoError(t, err)
	assert.True(t, undone.State.Assignment(covering.ID).Ended)
	assert.True(t, undone.State.Assignment(covering.Covers).Until.IsZero(), "as it was")
	h.must(owner, "left", op("staff.leave", "S4", nil))
	for name, c := range map[string]struct {
		fields set
		field  string
	}{
		"oneself":        {set{"by": "S3", "until": "2026-12-14"}, "set.by"},
		"one who left":   {set{"by": "S4", "until": "2026-12-14"}, "set.by"},
		"without an end": {set{"by": "S9"}, "set.until"},
		"an end before":  {set{"by": "S9", "from": "2026-12-14", "until": "2026-12-01"}, "set.until"},
		"what is over":   {set{"by": "S9", "from": "2026-11-01", "until": "2026-11-02"}, "set.until"},
		"of another":     {set{"by": "S9", "until": "2027-01-14", "assignments": []int{99}}, "set.assignments"},
		"once more":      {set{"by": "S9", "from": "2026-12-02", "until": "2026-12-13"}, "set.by"},
	} {
		_, err := h.try(owner, "r", op("staff.cover", "S3", c.fields))
		var f *fault.Fault
		require.ErrorAs(t, err, &f, name)
		assert.Equal(t, "operations[0]."+c.field, f.Fields[0].Name, name)
	}
	h.must(owner, "lost badge", op("staff.lock", "S9", nil))
	_, err = h.try(owner, "r", op("staff.cover", "S3", set{"by": "S9", "until": "2027-12-14"}))
	assert.ErrorContains(t, err, "is locked")
}

func TestThereAreNoMorePeopleThanSeats(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	used := SeatsUsed(h.snap, noon.Unix())
	require.Equal(t, 4, used)
	_, err := h.try(owner, "r", op("organisation.edit", "", set{"seats": 3}))
	assert.ErrorContains(t, err, "4 seats are in use")
	h.must(owner, "r", op("organisation.edit", "", set{"seats": 5}))
	enrol := func(n int) Operation {
		return op("staff.enrol", "", set{"given_name": "N", "family_name": fmt.Sprint("H", n), "home_site": "A",
			"start_date": "2027-01-01"})
	}
	_, err = h.try(owner, "r", enrol(1), enrol(2))
	assert.ErrorContains(t, err, "There are 5 seats, 4 of them in use, and this needs 2 more")
	h.must(owner, "r", enrol(1))
	_, err = h.try(owner, "r", enrol(2))
	assert.True(t, fault.Is(err, fault.Refused))
	h.must(owner, "one for another", op("staff.leave", "S4", nil), enrol(2))
	_, err = h.try(owner, "r", op("staff.reinstate", "S4", nil))
	assert.True(t, fault.Is(err, fault.Refused), "who comes back takes a seat too")
	h.must(owner, "r", op("staff.edit", "S3", set{"notes": "no seat more"}))
}

func TestWorkIsHandedOverAndEachKeepsTheirName(t *testing.T) {
	h := newOrganisation(t)
	owner := h.who("S1")
	h.must(owner, "", op("staff.enrol", "", set{"staff_number": "S9", "given_name": "Suc", "family_name": "Cessor",
		"home_site": "A", "start_date": "2020-01-01"}), op("staff.edit", "S3", set{"line_manager": "S2"}),
		op("staff.edit", "S4", set{"line_manager": "S2"}))
	d := h.must(owner, "S2 leaves", op("staff.hand_over", "S2", set{"to": "S9", "from": "2026-12-01", "all": true,
		"reports": true}))
	to := d.State.StaffByNumber("S9")
	a := d.State.Assignment(d.State.AssignmentsOf(to.ID)[0])
	assert.Equal(t, "manager", d.State.Template(a.Template).Code)
	assert.Equal(t, "2026-12-01", a.From.String())
	for _, number := range []string{"S3", "S4"} {
		assert.Equal(t, to.ID, d.State.StaffByNumber(number).LineManager)
	}
	undone, err := h.undo(d)
	require.NoError(t, err)
	assert.Equal(t, h.who("S2").Staff, undone.State.StaffByNumber("S3").LineManager, "one change, undone as one")
	h.must(owner, "lost badge", op("staff.lock", "S3", nil))
	h.must(owner, "left", op("staff.leave", "S4", nil))
	for name, c := range map[string]struct {
		fields set
		field  string
	}{
		"oneself": {set{"to": "S2", "all": true}, "set.to"}, "a locked one": {set{"to": "S3", "all": true}, "set.to"},
		"one who left": {set{"to": "S4", "all": true}, "set.to"}, "nothing": {set{"to": "S9"}, "set.all"},
		"of another": {set{"to": "S9", "assignments": []int{2}}, "set.assignments"},
		"once more":  {set{"to": "S9", "all": true, "reports": true}, "set.to"},
	} {
		_, err := h.try(owner, "r", op("staff.hand_over", "S2", c.fields))
		var f *fault.Fault
		require.ErrorAs(t, err, &f, name)
		assert.Equal(t, "operations[0]."+c.field, f.Fields[0].Name, name)
	}
	_, err = h.try(h.who("S2"), "r", op("staff.hand_over", "S3", set{"to": "S2", "all": true}))
	assert.True(t, fault.Is(err, fault.Refused), "nobody gives themselves what another has")
	h.must(owner, "", op("staff.unlock", "S3", nil), op("staff.reinstate", "S4", nil),
		op("staff.edit", "S4", set{"line_manager": "S3"}))
	_, err = h.try(h.who("S2"), "r", op("staff.hand_over", "S3", set{"to": "S9", "reports": true}))
	assert.True(t, fault.Is(err, fault.Refused))
	assert.NotContains(t, err.Error(), "Beyond", "of those whom one does not see not even the name is told")
}
