package intake

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

var noon = time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)

type set = map[string]any

func op(name, on string, fields set) change.Operation {
	encoded, err := json.Marshal(fields)
	if err != nil {
		panic(err)
	}
	return change.Operation{Op: name, On: on, Set: encoded}
}

var owner = change.Actor{Staff: 1}

func env() change.Env {
	return change.Env{Now: noon, Preview: true, Strength: func(string, []string) int { return 4 }}
}

// mill is a small organisation: an owner, S2 who packs, S3 who has left, S4 of site B with a PIN.
func mill(t testing.TB) *access.Snapshot {
	empty, err := access.Compile(&org.State{Settings: org.DefaultSettings()})
	require.NoError(t, err)
	ops := []change.Operation{op("group.add", "", set{"key": "console", "title": "Console"}),
		op("group.add", "", set{"key": "door", "title": "Doors"})}
	for _, p := range permit.ConsolePermissions() {
		ops = append(ops, op("permission.add", "", set{"key": p.Key, "title": p.Title, "sentence": p.Sentence,
			"group": "console", "scale": p.Scale, "kinds": p.Kinds}))
	}
	ops = append(ops, op("permission.add", "", set{"key": "door.open", "title": "Open doors",
		"sentence": "Opens doors.",
		"group":    "door", "scale": set{"kind": "switch"}, "kinds": []string{"door"}}),
		op("place.add", "", set{"code": "A", "name": "Mill", "kind": "site", "time_zone": "Europe/Dublin"}),
		op("place.add", "", set{"code": "B", "name": "Store", "kind": "site", "time_zone": "Europe/Dublin"}),
		op("place.add", "", set{"code": "A-HALL", "name": "Hall", "kind": "zone", "parent": "A"}),
		op("place.add", "", set{"code": "A-YARD", "name": "Yard", "kind": "zone", "parent": "A"}),
		op("place.add", "", set{"code": "B-YARD", "name": "Yard", "kind": "zone", "parent": "B"}),
		op("template.add", "", set{"code": "packer", "name": "Packer", "settings": set{"door.open": "yes"}}),
		op("template.add", "", set{"code": "old", "name": "Old work", "settings": set{"door.open": "yes"}}),
		op("template.retire", "old", nil),
		op("qualification.add", "", set{"code": "FORK", "name": "Forklift", "months": 24}),
		op("schedule.add", "", set{"code": "EARLY", "name": "Early shift", "hours": set{"kind": "weekly",
			"rules": []any{set{"days": "mon-fri", "from": "06:00", "until": "14:00"}}}}),
		op("badge.add", "", set{"format": "wiegand26", "number": "118-900", "last": "118-905", "site": "A"}),
		op("staff.enrol", "", set{"staff_number": "S1", "given_name": "Olive", "family_name": "Owner", "home_site": "A",
			"start_date": "2020-01-01"}), op("staff.make_owner", "S1", nil),
		op("staff.enrol", "", set{"staff_number": "S2", "given_name": "Pia", "family_name": "Łukić", "home_site": "A",
			"start_date": "2026-01-01", "external_id": "P-77", "email": "pia@example.org"}),
		op("assignment.add", "", set{"staff": "S2", "place": "A", "template": "packer", "from": "2026-01-01"}),
		op("staff.enrol", "", set{"staff_number": "S3", "given_name": "Kasia", "family_name": "Petrak",
			"home_site":  "A",
			"start_date": "2025-01-01"}),
		op("staff.enrol", "", set{"staff_number": "S4", "given_name": "Bea", "family_name": "Beyond", "home_site": "B",
			"start_date": "2020-01-01"}))
	built := empty
	for _, list := range [][]change.Operation{ops, {op("staff.leave", "S3", set{"at": "2026-01-31T12:00:00Z"})}} {
		trial, err := change.Apply(built, change.Actor{System: "test"}, env(), "r", list)
		require.NoError(t, err)
		built = trial.After
	}
	return built
}

func everybody(*people.Staff) bool { return true }

// read reads a table of lines written with commas; the first is the header.
func read(t testing.TB, live *access.Snapshot, with Reading, lines ...string) *Plan {
	table := &Table{Header: strings.Split(lines[0], ",")}
	for i, line := range lines[1:] {
		table.Lines = append(table.Lines, Line{Number: i + 2, Cells: strings.Split(line, ",")})
	}
	with.Table, with.Columns = table, ColumnsOf(&live.State().Settings, true).Match(table.Header, nil)
	if with.Sees == nil {
		with.Sees = everybody
		with.Knows = func(*org.Team) bool { return true }
	}
	plan, err := Read(live, owner, env(), &with)
	require.NoError(t, err)
	return plan
}

func opsOf(row *Row) string {
	var names []string
	for _, o := range row.Operations {
		names = append(names, o.Op)
	}
	return strings.Join(names, " ")
}

const header = "given name,family name,site,start,end,works at,works as,hours,qualification,issued,pin,badge"

func TestARowBringsAllThatSomebodyNeeds(t *testing.T) {
	live := mill(t)
	plan := read(t, live, Reading{},
		header, "Ana,Reyes,Mill,30/11/2026,2027-01-19,Hall,Packer,early,Forklift,1 Oct 2026,yes,118-900",
		"Ivo,Marsh,A,,,,,,,,no,")
	require.Empty(t, plan.Rows[0].Faults)
	assert.Equal(t, New, plan.Rows[0].Outcome)
	assert.Equal(t, "staff.enrol assignment.add pin.set badge.issue certificate.add", opsOf(&plan.Rows[0]))
	assert.Equal(t, "staff.enrol", opsOf(&plan.Rows[1]))
	operations, rows := plan.Operations()
	assert.Equal(t, []int{0, 0, 0, 0, 0, 1}, rows)
	trial, err := change.Apply(live, owner, env(), "r", operations)
	require.NoError(t, err)
	ana := trial.State.Person(people.StaffID(trial.Refs["row2"]))
	assert.Equal(t, "2026-11-30", ana.StartDate.String())
	a := trial.State.Assignment(trial.State.AssignmentsOf(ana.ID)[0])
	assert.Equal(t, "A-HALL", trial.State.Place(a.Place).Code)
	assert.Equal(t, "2026-11-30 2027-01-19", a.From.String()+" "+a.Until.String(),
		"with the contract where it says nothing")
	assert.NotZero(t, a.Hours.Schedule)
	assert.NotNil(t, trial.State.CredentialOf(ana.ID, credential.PIN))
	assert.Len(t, trial.After.Certificates(ana.ID), 1)
}

// Each of these is wrong in one way, and is told so at its column, with what may be meant.
func TestAllThatIsWrongWithARowIsSaid(t *testing.T) {
	live := mill(t)
	for name, c := range map[string]struct{ line, column, says, nearest string }{
		"no family name":    {"Ana,,A,2026-12-01,,,,,,,,", "family_name", "needs a family name", ""},
		"no site":           {"Ana,Reyes,,2026-12-01,,,,,,,,", "home_site", "needs a home site", ""},
		"a site misspelt":   {"Ana,Reyes,Mil,2026-12-01,,,,,,,,", "home_site", "no site has", "A"},
		"a zone for a site": {"Ana,Reyes,A-HALL,2026-12-01,,,,,,,,", "home_site", "no site has", ""},
		"an end before":     {"Ana,Reyes,A,2026-12-01,2026-11-30,,,,,,,", "contract_end", "before it starts", ""},
		"no date":           {"Ana,Reyes,A,soon,,,,,,,,", "start_date", "is not a date", ""},
		"two dates":         {"Ana,Reyes,A,03/04/2027,,,,,,,,", "start_date", "3 Apr 2027 or 4 Mar 2027", ""},
		"a name of two": {"Ana,Reyes,A,2026-12-01,,Yard,Packer,,,,,", "place", "2 places are called",
			"A-YARD"},
		"a template misspelt": {"Ana,Reyes,A,2026-12-01,,A,Pakcer,,,,,", "template", "no template in use",
			"packer"},
		"a template retired":  {"Ana,Reyes,A,2026-12-01,,A,old,,,,,", "template", "no template in use", ""},
		"a place and no work": {"Ana,Reyes,A,2026-12-01,,A,,,,,,", "template", "needs a place and a template", ""},
		"no such hours":       {"Ana,Reyes,A,2026-12-01,,A,packer,Erly,,,,", "schedule", "no schedule", "EARLY"},
		"hours of nothing":    {"Ana,Reyes,A,2026-12-01,,,,EARLY,,,,", "schedule", "nothing says where", ""},
		"no such ticket": {"Ana,Reyes,A,2026-12-01,,,,,Forklit,,,", "qualification", "no qualification",
			"FORK"},
		"a day of no ticket": {"Ana,Reyes,A,2026-12-01,,,,,,2026-01-01,,", "qualified_on",
			"of which qualification", ""},
		"a PIN in the file":       {"Ana,Reyes,A,2026-12-01,,,,,,,482916,", "pin", "PINs are generated", "yes"},
		"no such badge":           {"Ana,Reyes,A,2026-12-01,,,,,,,,118-999", "badge", "118-999", ""},
		"a spoiled number":        {"Ana,Reyes,A,2026-12-01,,,,,,,,1.18E+11", "badge", "shortened this number", ""},
		"a broken formula":        {"Ana,#N/A,A,2026-12-01,,,,,,,,", "family_name", "could not work this out", ""},
		"a number that is a date": {"Ana,Reyes,A,2026-12-01,,,,,,,,2018-11-01", "badge", "made a date of this", ""},
		"a site's total":          {"Total,,,,,,,,,,,", "", "", ""},
	} {
		row := read(t, live, Reading{}, header, c.line).Rows[0]
		if c.says == "" {
			assert.Equal(t, Out, row.Outcome, name)
			continue
		}
		assert.Equal(t, Faulty, row.Outcome, name)
		require.Len(t, row.Faults, 1, "%s: %+v", name, row.Faults)
		assert.Equal(t, c.column, row.Faults[0].Column, name)
		assert.Contains(t, strings.ToLower(row.Faults[0].Message), strings.ToLower(c.says), name)
		assert.Equal(t, c.nearest, row.Faults[0].Nearest, name)
		assert.NotContains(t, fmt.Sprint(row), "482916", "a PIN is repeated nowhere")
	}
	many := read(t, live, Reading{}, header, "Ana,,Mil,soon,,A,Pakcer,,,,,").Rows[0]
	assert.Len(t, many.Faults, 4, "all at once")
	ordered := read(t, live, Reading{Order: day.DayMonthYear}, header, "Ana,Reyes,A,03/04/2027,,,,,,,,").Rows[0]
	assert.Equal(t, New, ordered.Outcome)
}

func TestWhatBelongsToOneStandsInOneLine(t *testing.T) {
	live := mill(t)
	plan := read(t, live, Reading{}, "number,given name,family name,site,start,email,badge,external id",
		",Ana,Reyes,A,2026-12-01,ana@example.org,118-900,", ",Bo,Reyes,A,2026-12-01,ANA@example.org,,",
		",Cy,Reyes,A,2026-12-01,,118-900,", ",Ana,Reyes,A,2026-12-01,,,", "N1,D,E,A,2026-12-01,,,",
		"n1,F,G,A,2026-12-01,,,",
		",Pia,Lukic,A,2026-01-01,,,P-77", ",Pia,Lukic,A,2026-01-01,,,")
	for line, says := range map[int]string{3: "line 2 has the same work email", 4: "line 2 has the same badge",
		5: "the same person as in line 2", 7: "line 6 has the same staff number", 9: "the same person as in line 8"} {
		row := plan.Rows[line-2]
		assert.Equal(t, Faulty, row.Outcome, "line %d", line)
		assert.Contains(t, strings.ToLower(row.Faults[0].Message), says)
	}
}

// People on record are known again, change by what the file says otherwise and are made nobody twice.
func TestPeopleOnRecordAreKnownAgain(t *testing.T) {
	live := mill(t)
	head := "staff number,external id,full name,home site,start date,email,works at,works as,works until,pin,phone"
	plan := read(t, live, Reading{}, head,
		"S2,,Pia Łukić,A,2026-01-01,pia@example.org,A,packer,,,", // as it is
		"s4,,Bea Beyond,B,2020-01-01,,,,,yes,+353 1 555",
		",,\"Petrak\",,,,,,,,")
	assert.Equal(t, Same, plan.Rows[0].Outcome, opsOf(&plan.Rows[0]))
	assert.Equal(t, "staff.edit pin.set", opsOf(&plan.Rows[1]))
	assert.JSONEq(t, `{"phone":"+353 1 555"}`, string(plan.Rows[1].Operations[0].Set), "and nothing else")
	for name, c := range map[string]struct {
		line    string
		outcome Outcome
		does    string
	}{
		"by external id": {",p-77,Pia Lukic,A,2026-01-01,,A,packer,2027-06-30,,", Update,
			"staff.edit assignment.edit"},
		"by name, day and site": {",,Pia Lukic,A,2026-01-01,,,,,,", Update, "staff.edit"},
		"by name alone":         {",,Pia Lukic,A,2027-01-01,,,,,,", Asked, "staff.enrol"},
		"by email alone":        {",,Somebody Else,A,2027-01-01,PIA@example.org,,,,,", Asked, "staff.enrol"},
		"who has left": {"S3,,Kasia Petrak,A,2026-12-01,,A,packer,,yes,", Back,
			"staff.reinstate staff.edit assignment.add pin.set"},
		"a number of nobody": {"S99,,Pia Lukic,A,2027-01-01,,,,,,", New, "staff.enrol"},
	} {
		row := read(t, live, Reading{}, head, c.line).Rows[0]
		require.Empty(t, row.Faults, name)
		assert.Equal(t, c.outcome, row.Outcome, name)
		assert.Equal(t, c.does, opsOf(&row), name)
	}
	decided := func(is string) Row {
		return read(t, live, Reading{Decisions: map[int]Decision{2: {Is: is}}}, head,
			",,Pia Lukic,A,2027-01-01,,,,,,").Rows[0]
	}
	assert.Equal(t, New, decided(IsNew).Outcome)
	assert.Equal(t, Update, decided("S2").Outcome)
	assert.Equal(t, Faulty, decided("S99").Outcome)
	unseen := read(t, live, Reading{Sees: func(p *people.Staff) bool { return p.Number != "S2" }}, head,
		",,Pia Lukic,A,2027-01-01,,,,,,", "S2,,Pia Lukic,A,2027-01-01,,,,,,")
	assert.Equal(t, New, unseen.Rows[0].Outcome, "nothing is told of those whom one does not see")
	assert.Equal(t, Faulty, unseen.Rows[1].Outcome)
}

// The badge that somebody kept while they were gone counts again where the file says that they have it.
func TestWhoComesBackWithTheirBadgeHasItCount(t *testing.T) {
	live := mill(t)
	for _, o := range []change.Operation{op("staff.reinstate", "S3", nil),
		op("badge.issue", "", set{"badge": "118-900", "staff": "S3"}), op("staff.leave", "S3", nil)} {
		trial, err := change.Apply(live, change.Actor{System: "test"}, env(), "r", []change.Operation{o})
		require.NoError(t, err)
		live = trial.After
	}
	row := read(t, live, Reading{}, "number,given name,family name,site,badge", "S3,Kasia,Petrak,A,118-900").Rows[0]
	require.Empty(t, row.Faults)
	assert.Equal(t, "staff.reinstate badge.resume", opsOf(&row))
	trial, err := change.Apply(live, owner, env(), "r", row.Operations)
	require.NoError(t, err)
	badge := trial.State.Badge(1)
	assert.Equal(t, credential.Valid, trial.State.HolderOf(badge.ID).State)
}

func TestColumnsAreMatchedByNameAndAsWasSaidBefore(t *testing.T) {
	assert.Equal(t, []string{"given_name", "family_name", "contract_end", "", "place", ""},
		everywhere.Match([]string{"First name *", "SURNAME", "end date", "Shoe size", "Department:", "first_name"},
			nil))
	assert.Equal(t, []string{"", "family_name", "template"}, everywhere.Match([]string{"First name", "Surname",
		"Shoe size"},
		map[string]string{"first name": "", "shoe size": "template", "surname": "nonsense"}))
	for _, c := range everywhere {
		assert.Equal(t, []string{c.Name}, everywhere.Match([]string{c.Title}, nil), c.Title)
		assert.Equal(t, []string{c.Name}, everywhere.Match([]string{c.Name}, nil), c.Name)
	}
	live := mill(t)
	faults := read(t, live, Reading{Otherwise: map[string]string{"home_site": "A"}}, "surname,surname,shoe",
		"Reyes,x,44").Faults
	require.Len(t, faults, 2)
	assert.Contains(t, faults[0].Message, "No column is read as “Given name”")
	assert.Contains(t, faults[1].Message, "Two columns are called “surname”")
}

func TestADecisionMendsLeavesOutAndMarksWhatIsIn(t *testing.T) {
	live := mill(t)
	plan := read(t, live, Reading{Decisions: map[int]Decision{2: {Cells: map[string]string{"template": "packer"}},
		3: {Out: true}, 4: {Made: "S2"}}}, header, "Ana,Reyes,A,2026-12-01,,A,Pakcer,,,,,", "Bo,,,,,,,,,,,",
		"Cy,,,,,,,,,,,")
	assert.Equal(t, New, plan.Rows[0].Outcome)
	assert.Equal(t, "Left out by hand.", plan.Rows[1].Why)
	assert.Contains(t, plan.Rows[2].Why, "as S2")
	assert.Equal(t, map[Outcome]int{New: 1, Out: 1, In: 1}, plan.Counts())
	sample := everywhere.Sample()
	example := read(t, live, Reading{}, strings.Join(sample[0], ","), strings.Join(sample[1], ",")).Rows[0]
	assert.Equal(t, Out, example.Outcome, "the example is nobody")
}

// Fields of the organisation's own making are columns as all others are, with the same help where a cell is wrong.
func TestFieldsOfTheOrganisationsOwnMakingAreColumns(t *testing.T) {
	state := mill(t).State().Fork()
	state.Settings.Fields = []people.OwnField{
		{Key: "shoe_size", Name: "Shoe size", Kind: people.OwnNumber, Required: true, SeenBy: people.Viewers},
		{Key: "coat", Name: "Coat", Kind: people.OwnChoice, Choices: []string{"Small", "Large"},
			SeenBy: people.Viewers},
		{Key: "old", Name: "Old", Kind: people.OwnText, SeenBy: people.Viewers, Retired: true}}
	live, err := access.Compile(state)
	require.NoError(t, err)
	plan := read(t, live, Reading{}, "given name,family name,site,Shoe size,own.coat,old", "Ana,Reyes,A,42,large,x",
		"Bo,Reyes,A,big,Lrge,", "Cy,Reyes,A,,,")
	assert.Equal(t, New, plan.Rows[0].Outcome, "%v", plan.Rows[0].Faults)
	operations, _ := plan.Operations()
	made, err := change.Apply(live, owner, env(), "", operations)
	require.NoError(t, err)
	assert.Equal(t, people.Own{"shoe_size": "42", "coat": "Large"},
		made.State.Person(people.StaffID(made.State.Staff.Last())).Own)
	require.Len(t, plan.Rows[1].Faults, 2)
	assert.Equal(t, "own.shoe_size", plan.Rows[1].Faults[0].Column)
	assert.Equal(t, "Large", plan.Rows[1].Faults[1].Nearest)
	require.Len(t, plan.Rows[2].Faults, 1)
	assert.Equal(t, "own.shoe_size", plan.Rows[2].Faults[0].Column)
	assert.Contains(t, plan.Rows[2].Faults[0].Message, "is required")
}

// Whatever stands in the cells, every row has one outcome, what is said can be brought in is applied whole, and what is
// faulty says why.
func FuzzRows(f *testing.F) {
	f.Add("Ana", "Reyes", "A", "2026-12-01", "Hall", "packer", "yes", "118-900")
	f.Add("=cmd()", "'+1", "#REF!", "1/2/3", "Yard", "old", "1234", "1E+9")
	live := mill(f)
	f.Fuzz(func(t *testing.T, given, family, site, start, place, template, pin, badge string) {
		table := &Table{Header: []string{"given_name", "family_name", "home_site", "start_date", "place", "template",
			"pin",
			"badge"}}
		for n := range 2 {
			table.Lines = append(table.Lines, Line{Number: n + 2,
				Cells: []string{given + strings.Repeat("x", n), family, site, start, place, template, pin, badge}})
		}
		plan, err := Read(live, owner, env(), &Reading{Table: table, Columns: everywhere.Match(table.Header, nil),
			Sees: everybody})
		if err != nil {
			t.Fatal(err)
		}
		for _, row := range plan.Rows {
			if (row.Outcome == Faulty) != (len(row.Faults) > 0) {
				t.Fatalf("%+v", row)
			}
		}
		if operations, _ := plan.Operations(); len(operations) > 0 {
			if _, err := change.Apply(live, owner, env(), "r", operations); err != nil {
				t.Fatalf("%v: %+v", err, plan.Rows)
			}
		}
	})
}
