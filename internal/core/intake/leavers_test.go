package intake

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
)

// Somebody who has left comes back where the row asks for it, and otherwise stays as they are.
func TestWhoHasLeftComesBackWhereTheRowAsksForIt(t *testing.T) {
	live := mill(t)
	head := "number,given name,family name,site,start,works at,works as,pin,status,leaving date"
	for name, c := range map[string]struct {
		line    string
		outcome Outcome
		does    string
	}{
		"as it is on record":  {"S3,Kasia,Petrak,A,2025-01-01,,,,left,", Same, ""},
		"with nothing asked":  {"S3,Kasia,Petrak,A,2025-01-01,,,,,", Same, ""},
		"begins anew":         {"S3,Kasia,Petrak,A,2026-12-01,,,,,", Back, "staff.reinstate staff.edit"},
		"is active":           {"S3,Kasia,Petrak,A,,,,,Active,", Back, "staff.reinstate"},
		"works somewhere":     {"S3,Kasia,Petrak,A,,A,packer,,,", Back, "staff.reinstate assignment.add"},
		"left, with a mend":   {"S3,Kasia,Petrakova,A,,,,,left,", Update, "staff.edit"},
		"active, and is":      {"S2,Pia,Łukić,A,,,,,active,", Same, ""},
		"left, and has not":   {"S2,Pia,Łukić,A,,,,,left,", Faulty, ""},
		"leaves another day":  {"S2,Pia,Łukić,A,,,,,active,2027-01-01", Faulty, ""},
		"no status":           {"S2,Pia,Łukić,A,,,,,asleep,", Faulty, ""},
		"new, and has left":   {",Ana,Reyes,A,,,,,left,", Faulty, "staff.enrol"},
		"new, and is to work": {",Ana,Reyes,A,,,,,prepared,", New, "staff.enrol"},
	} {
		row := read(t, live, Reading{}, head, c.line).Rows[0]
		assert.Equal(t, c.outcome, row.Outcome, "%s: %+v", name, row.Faults)
		assert.Equal(t, c.does, opsOf(&row), name)
	}
}

// Whatever is on record, a list of everybody that is brought in as it is changes nothing.
func TestAListOfEverybodyThatIsBroughtInChangesNothing(t *testing.T) {
	leavers, empty := 0, mill(t)
	rapid.Check(t, func(t *rapid.T) {
		live := staffed(t, empty)
		state := live.State()
		columns := ColumnsOf(&state.Settings, true)
		table := &Table{}
		for _, f := range people.Fields {
			table.Header = append(table.Header, f.Name)
		}
		table.Header = append(table.Header, status, leavingDate)
		var everyone []*people.Staff
		for number, p := range state.Staff.All() {
			cells := make([]string, 0, len(table.Header))
			for _, f := range people.Fields {
				cells = append(cells, shown(state, &f, p))
			}
			where := live.Status(p.ID, noon.Unix())
			if where == people.Left {
				leavers++
			}
			cells = append(cells, string(where), p.LeavingDate.String())
			table.Lines = append(table.Lines, Line{Number: int(number) + 1, Cells: cells})
			everyone = append(everyone, p)
		}
		plan, err := Read(live, owner, env(), &Reading{Table: table, Columns: columns.Match(table.Header, nil),
			Sees: everybody, Knows: func(*org.Team) bool { return true }})
		require.NoError(t, err)
		for i, row := range plan.Rows {
			require.Equal(t, Same, row.Outcome, "%+v: %s, %v", everyone[i], opsOf(&row), row.Faults)
		}
	})
	assert.NotZero(t, leavers, "some have left")
}

// staffed adds people to an organisation: employed in each way, some with an end, some who leave or have left.
func staffed(t *rapid.T, live *access.Snapshot) *access.Snapshot {
	apply := func(o change.Operation) {
		trial, err := change.Apply(live, change.Actor{System: "test"}, env(), "r", []change.Operation{o})
		if err == nil {
			live = trial.After // what the rules refuse is not made
		}
	}
	for range rapid.IntRange(1, 6).Draw(t, "people") {
		start := day.Of(noon) + day.Date(rapid.IntRange(-400, 60).Draw(t, "start"))
		fields := set{"given_name": rapid.SampledFrom([]string{"Ana", "Bo", "Łucja", "Zoë"}).Draw(t, "given"),
			"family_name": rapid.SampledFrom([]string{"Quennell", "O'Hara-Lind", "de la Mare"}).Draw(t, "family"),
			"home_site":   rapid.SampledFrom([]string{"A", "B"}).Draw(t, "site"), "start_date": start.String(),
			"engagement": rapid.SampledFrom([]string{"employee", "agency", "seasonal"}).Draw(t, "engagement"),
			"employer":   "Tern Labour Services", "phone": "+353 1 555 0112", "line_manager": "S1"}
		if rapid.Bool().Draw(t, "ends") {
			fields["contract_end"] = (start + day.Date(rapid.IntRange(0, 500).Draw(t, "days"))).String()
		}
		number := live.State().Settings.StaffNumber(live.State().Staff.Next())
		fields["staff_number"] = number
		apply(op("staff.enrol", "", fields))
		switch rapid.IntRange(0, 3).Draw(t, "leaves") {
		case 0:
			apply(op("staff.leave", number, set{"at": "2026-10-31T12:00:00Z"}))
		case 1:
			apply(op("staff.leave", number, set{"on": "2026-12-19"}))
		case 2:
			apply(op("staff.leave", number, nil))
		}
	}
	return live
}

// shown is a field of a record as a list writes it.
func shown(state *org.State, f *people.Field, p *people.Staff) string {
	switch {
	case f.Text != nil:
		return strings.TrimSpace(*f.Text(p))
	case f.Date != nil:
		return f.Date(p).String()
	case f.Engagement != nil:
		return string(*f.Engagement(p))
	case f.Site != nil:
		return state.Place(*f.Site(p)).Code
	case f.Person != nil:
		if other := state.Person(*f.Person(p)); other != nil {
			return other.Number
		}
	}
	return ""
}
