// Package intake turns the rows of a file into operations: people who are enrolled, changed or brought back, with what
// they need to work, each row on its own and all of them in one change.
//
// # Invariants
//
// A row is read against the organisation as it is; nothing is written. All that is wrong with a row is said, each with
// the column, and where something near it is right, with that. A row that is brought again makes nobody twice: people
// are known again by their staff number, their external id, or by name, first day and home site together.
//
// # Ownership and concurrency
//
// Read and Plan may run at the same time as others. A Plan belongs to whoever asked for it.
package intake

import (
	"fmt"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/words"
)

// Column describes one column that a file may have.
type Column struct {
	Name     string
	Title    string
	Says     string   // what to write in it
	Example  string   // of the row that shows how
	Also     []string // what others call it
	Required bool     // of somebody new
}

// whole are the columns of names that hold more than one field.
const fullName = "name"

// Columns are those that a file may have, in the order of a file to start from.
type Columns []Column

// ColumnsOf returns the columns of files for an organisation: those that all have, and its fields of its own making. Of
// those that only owners see nobody else is told.
func ColumnsOf(settings *org.Settings, owner bool) Columns {
	all := slices.Clone(everywhere)
	for i := range settings.Fields {
		field := &settings.Fields[i]
		if field.Retired || field.SeenBy == people.Owners && !owner {
			continue
		}
		says := field.Says
		if field.Kind == people.OwnChoice {
			says = strings.TrimSpace(says + " " + words.Either(field.Choices))
		}
		all = append(all, Column{Name: people.OwnPrefix + field.Key, Title: field.Name, Says: says,
			Also: []string{Key(field.Key)}})
	}
	return all
}

// Columns of where somebody stands, which no field of the record says.
const (
	status      = "status"
	leavingDate = "leaving_date"
)

var everywhere = columns()

func columns() Columns {
	var all Columns
	required := []string{"given_name", "family_name", "home_site"}
	for _, f := range people.Fields {
		all = append(all, Column{Name: f.Name, Title: f.Title, Says: f.Says, Example: f.Example, Also: f.Also,
			Required: slices.Contains(required, f.Name)})
	}
	return append(all,
		Column{Name: fullName, Title: "Full name", Says: "In place of given and family name: “Ana Reyes” or “Reyes, " +
			"Ana”",
			Also: []string{"full name", "employee", "worker", "person", "staff member"}},
		Column{Name: "place", Title: "Works at", Says: "Code or name of a place, which covers all below it",
			Example: "HB",
			Also:    []string{"workplace", "work place", "works in", "department", "area", "assigned to"}},
		Column{Name: "template", Title: "Works as", Says: "Code or name of a template", Example: "packer",
			Also: []string{"permission template", "access template", "profile", "works with"}},
		Column{Name: "from", Title: "Works from", Says: "First day at that place; the start date where left empty",
			Also: []string{"assigned from", "valid from"}},
		Column{Name: "until", Title: "Works until", Says: "Last day at that place; the contract’s end where left empty",
			Also: []string{"assigned until", "valid until", "to"}},
		Column{Name: "schedule", Title: "Hours", Says: "Code or name of a schedule; those of the template where left " +
			"empty",
			Also: []string{"access hours", "shift", "working hours"}},
		Column{Name: "qualification", Title: "Qualification", Says: "Code or name of one that they hold",
			Also: []string{"certificate", "ticket", "licence"}},
		Column{Name: "qualified_on", Title: "Qualified on", Says: "Day of issue of the certificate; the start date " +
			"where " +
			"left empty", Also: []string{"issued", "issued on", "certificate date"}},
		Column{Name: "qualified_until", Title: "Qualified until", Says: "Its last day; as long as such certificates " +
			"count " +
			"where left empty", Also: []string{"expires", "certificate until"}},
		Column{Name: "team", Title: "Team", Says: "Code or name of a team that they are in",
			Also: []string{"group", "crew", "gang", "squad"}},
		Column{Name: "pin", Title: "PIN", Says: "yes to generate one; no PIN is ever taken from a file", Example: "yes",
			Also: []string{"generate pin", "pin code"}},
		Column{Name: "badge", Title: "Badge", Says: "Number of a badge in stock", Also: []string{"badge number", "card",
			"card number"}},
		Column{Name: status, Title: "Status", Says: "active brings back somebody who has left; left leaves them as " +
			"they are", Also: []string{"staff status", "employment status"}},
		Column{Name: leavingDate, Title: "Leaving date", Says: "Read, and not changed by a file",
			Also: []string{"left on", "date left", "termination date"}})
}

// Named returns the column with a name, or nil.
func (c Columns) Named(name string) *Column {
	for i := range c {
		if c[i].Name == name {
			return &c[i]
		}
	}
	return nil
}

// Match names the column that each of a header is taken for; empty for those that are not read. What was chosen before
// for a header of that name is taken again. Of two for the same column the first is.
func (c Columns) Match(header []string, remembered map[string]string) []string {
	matched, taken := make([]string, len(header)), map[string]bool{}
	take := func(i int, name string) {
		if matched[i] == "" && name != "" && !taken[name] {
			matched[i], taken[name] = name, true
		}
	}
	for i, title := range header {
		if name, is := remembered[Key(title)]; is {
			if name == "" {
				matched[i] = "-" // not read: as was chosen
			} else if c.Named(name) != nil {
				take(i, name)
			}
		}
	}
	for _, fits := range []func(c *Column, key string) bool{
		func(c *Column, key string) bool { return key == Key(c.Name) || key == Key(c.Title) },
		func(c *Column, key string) bool { return slices.Contains(c.Also, key) },
	} {
		for i, title := range header {
			for j := range c {
				if fits(&c[j], Key(title)) {
					take(i, c[j].Name)
				}
			}
		}
	}
	for i := range matched {
		matched[i] = strings.TrimPrefix(matched[i], "-")
	}
	return matched
}

// Key is how names of columns are compared.
func Key(title string) string {
	return words.Tidy(strings.NewReplacer("_", " ", "*", "", ":", "").Replace(words.Fold(title)))
}

// Outcome is what becomes of a row.
type Outcome string

// The outcomes.
const (
	New    Outcome = "new"    // somebody is enrolled
	Update Outcome = "update" // somebody on record is changed, or gets what they lack
	Back   Outcome = "back"   // somebody who has left is brought back
	Same   Outcome = "same"   // nothing is to be done
	Asked  Outcome = "asked"  // whether it is somebody on record has to be said
	Faulty Outcome = "faulty"
	In     Outcome = "in"  // it was brought in before
	Out    Outcome = "out" // it is left out
)

// Outcomes are all of them.
var Outcomes = []Outcome{New, Update, Back, Same, Asked, Faulty, In, Out}

// Fault is one thing that is wrong with a row.
type Fault struct {
	Column  string // name of the column; empty: the row as such
	Value   string
	Message string
	Nearest string // what may be meant; empty: nothing is near
}

// Row is what becomes of a line.
type Row struct {
	Line       int
	Values     map[string]string // by column: as they stand, mended and with what is taken where a cell is empty
	Outcome    Outcome
	Why        string // why it is left out
	Person     people.StaffID
	Maybe      []Likely // who it may be, where that has to be said
	Faults     []Fault
	Operations []change.Operation
	// Of which values the faults tell that a record has them which whoever brings the file in does not see
	Unseen []string
}

// Likely is somebody on record who may be the person of a row.
type Likely struct {
	Staff people.StaffID
	Why   string
}

// Decision is what somebody said of a line.
type Decision struct {
	Out   bool              `json:"out,omitempty"`   // leave it out
	Is    string            `json:"is,omitempty"`    // staff number of the person that it is, or IsNew
	Cells map[string]string `json:"cells,omitempty"` // by column: in the place of what stands in the file
	Made  string            `json:"made,omitempty"`  // staff number of whom it became, once it was brought in
}

// IsNew says of a line that it is nobody on record.
const IsNew = "new"

// Reading is how a table is read.
type Reading struct {
	Table     *Table
	Columns   []string          // for each of the header the column that it is; empty: not read
	Otherwise map[string]string // by column: what stands for an empty cell
	Order     day.Order         // of dates in digits
	Decisions map[int]Decision  // by the number of the line
	Sees      func(*people.Staff) bool
	Knows     func(*org.Team) bool // whether whoever brings them in may know of a team
}

// Plan is what becomes of all lines.
type Plan struct {
	Rows   []Row
	Faults []Fault // of the columns
}

// Counts says how many rows have each outcome.
func (p *Plan) Counts() map[Outcome]int {
	counts := map[Outcome]int{}
	for i := range p.Rows {
		counts[p.Rows[i].Outcome]++
	}
	return counts
}

// Operations returns what the rows that can be brought in do, and for each operation the index of its row.
func (p *Plan) Operations() (operations []change.Operation, rows []int) {
	for i := range p.Rows {
		if p.Rows[i].does() {
			for range p.Rows[i].Operations {
				rows = append(rows, i)
			}
			operations = append(operations, p.Rows[i].Operations...)
		}
	}
	return operations, rows
}

func (r *Row) does() bool { return r.Outcome == New || r.Outcome == Update || r.Outcome == Back }

// Read plans the rows of a table: what each does, and all that is wrong with it. Whoever acts, with their authority, is
// asked for each row.
func Read(live *access.Snapshot, actor change.Actor, env change.Env, reading *Reading) (*Plan, error) {
	r := newReader(live, actor, env.Now, reading)
	plan := &Plan{Rows: make([]Row, 0, len(reading.Table.Lines)), Faults: r.columns()}
	for i := range reading.Table.Lines {
		plan.Rows = append(plan.Rows, r.row(&reading.Table.Lines[i]))
	}
	var groups [][]change.Operation
	var at []int
	for i := range plan.Rows {
		if plan.Rows[i].does() {
			groups, at = append(groups, plan.Rows[i].Operations), append(at, i)
		}
	}
	if len(groups) == 0 {
		return plan, nil
	}
	faults, err := change.Sift(live, actor, env, groups)
	if err != nil {
		return nil, err
	}
	for g, err := range faults {
		row := &plan.Rows[at[g]]
		row.Outcome = Faulty
		row.Faults = append(row.Faults, faultOf(row, err)...)
	}
	return plan, nil
}

// Refuse marks the rows that a change which was tried with all of them could not be made for.
func (p *Plan) Refuse(row int, err error) {
	p.Rows[row].Outcome = Faulty
	p.Rows[row].Faults = append(p.Rows[row].Faults, faultOf(&p.Rows[row], err)...)
}

// Sample is the file to start from: the titles of the columns, what to write in them, and an example.
func (c Columns) Sample() [][]string {
	lines := make([][]string, 2)
	for _, c := range c {
		if c.Name == fullName {
			continue
		}
		lines[0] = append(lines[0], c.Title)
		lines[1] = append(lines[1], c.Example)
	}
	return lines
}

// needs says which columns a new person needs and the header does not have.
func (r *reader) columns() (faults []Fault) {
	for _, c := range r.kinds {
		has := slices.Contains(r.reading.Columns, c.Name) || r.reading.Otherwise[c.Name] != ""
		if (c.Name == "given_name" || c.Name == "family_name") && slices.Contains(r.reading.Columns, fullName) {
			has = true
		}
		byKey := slices.Contains(r.reading.Columns, "staff_number") || slices.Contains(r.reading.Columns, "external_id")
		if c.Required && !has && !byKey {
			faults = append(faults, Fault{Column: c.Name, Message: fmt.Sprintf(
				"No column is read as “%s”. Say which one it "+
					"is, or what it is for everybody.", c.Title)})
		}
	}
	seen := map[string]string{}
	for i, title := range r.reading.Table.Header {
		if title == "" {
			continue
		}
		if _, doubled := seen[Key(title)]; doubled {
			faults = append(faults, Fault{Value: title, Message: fmt.Sprintf(
				"Two columns are called “%s”; the first is read.",
				title)})
		}
		seen[Key(title)] = r.reading.Columns[i]
	}
	return faults
}
