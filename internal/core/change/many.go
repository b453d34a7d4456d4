package change

import (
	"encoding/json"
	"maps"
	"reflect"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Act is one operation that is done about many people. One about an assignment is done about each of theirs that goes
// on, or of those the ones that Place and Template keep.
type Act struct {
	Op       string
	Set      map[string]any
	Place    estate.PlaceID    // at it or below; 0: anywhere
	Template permit.TemplateID // 0: any
	Whom     []*people.Staff
	Team     org.TeamID                                // whose membership it is about; 0: that in any
	See      func(people.StaffID, estate.PlaceID) bool // whether whoever acts may know of an assignment at a place
}

// toPerson says how an operation names the person that it is about: by what it is done to, by a field, or by an
// assignment of theirs.
type toPerson uint8

const (
	toNobody toPerson = iota
	onPerson
	setStaff
	onAssignment
	onMember
)

func (d *Description) aboutPeople() toPerson {
	subject, _, _ := strings.Cut(d.Name, ".")
	switch {
	case d.Own || !d.Daily:
		return toNobody
	case subject == "staff" && d.Makes == "":
		return onPerson
	case subject == "assignment" && d.Makes == "" || d.Name == "assignment.move":
		return onAssignment
	case subject == "member" && d.Makes == "":
		return onMember
	case d.Fields == nil || reflect.TypeOf(d.Fields).Kind() != reflect.Struct:
		return toNobody
	}
	for _, name := range d.FieldNames() {
		if name == "staff" {
			return setStaff
		}
	}
	return toNobody
}

// ManyOperations names the operations that may be done about many people at once, sorted.
func ManyOperations() []string {
	return slices.DeleteFunc(Operations(), func(
		name string) bool {
		return descriptions[name].aboutPeople() == toNobody
	})
}

// Groups returns the operations of an act, those about each person together.
func (a *Act) Groups(live *access.Snapshot, now int64) ([][]Operation, error) {
	described := descriptions[a.Op]
	if described == nil || described.aboutPeople() == toNobody {
		return nil, fault.Invalidf("op", "%q is not done about many people at once; use one of %s", a.Op,
			strings.Join(ManyOperations(), ", "))
	}
	groups := make([][]Operation, len(a.Whom))
	for i, p := range a.Whom {
		switch described.aboutPeople() {
		case onPerson:
			groups[i] = []Operation{{Op: a.Op, On: p.Number, Set: written(a.Set)}}
		case setStaff:
			set := maps.Clone(a.Set)
			if set == nil {
				set = map[string]any{}
			}
			set["staff"] = p.Number
			groups[i] = []Operation{{Op: a.Op, Set: written(set)}}
		case onAssignment:
			groups[i] = a.assignments(live, p, now)
		case onMember:
			for m := range live.State().TeamsOf(p.ID) {
				if a.Team == 0 || m.Team == a.Team {
					groups[i] = append(groups[i], Operation{Op: a.Op, On: number(float64(m.ID)), Set: written(a.Set)})
				}
			}
		}
	}
	return groups, nil
}

func (a *Act) assignments(live *access.Snapshot, p *people.Staff, now int64) (operations []Operation) {
	state := live.State()
	for _, id := range state.AssignmentsOf(p.ID) {
		of := state.Assignment(id)
		here := live.Tree().At(of.Place)
		if of.Ended || a.Template != 0 && of.Template != a.Template || here == nil || !a.See(p.ID, of.Place) ||
			a.Place != 0 && !live.Tree().Within(of.Place, a.Place) ||
			!of.Until.IsZero() && (of.Until+1).Start(here.Location).Unix() <= now {
			continue
		}
		operations = append(operations, Operation{Op: a.Op, On: number(float64(id)), Set: written(a.Set)})
	}
	return operations
}

// written encodes the fields of an operation; none where there are none.
func written(fields any) json.RawMessage {
	if of := reflect.ValueOf(fields); of.Kind() == reflect.Map && of.Len() == 0 {
		return nil
	}
	encoded, err := json.Marshal(fields)
	if err != nil {
		panic(err) // made of what was JSON, or of texts
	}
	return encoded
}
