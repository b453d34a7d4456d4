package change

import (
	"flag"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// anyOperation draws something a manager might try: sensible or not, theirs to do or not.
func anyOperation(t *rapid.T, s *access.Snapshot) Operation {
	who := rapid.SampledFrom([]string{"S1", "S2", "S3", "S4", "S5"}).Draw(t, "who")
	place := rapid.SampledFrom([]string{"A", "B", "A-Z", "A-1", "A-2", "A-S"}).Draw(t, "place")
	template := rapid.SampledFrom([]string{"packer", "keeper", "manager"}).Draw(t, "template")
	permission := rapid.SampledFrom([]string{"door.open", "door.chemical", "stock.adjust", "console.lock", "console.edit_templates"}).Draw(t, "permission")
	number := fmt.Sprint(rapid.IntRange(1, int(s.State().Assignments.Last())+1).Draw(t, "number"))
	level := map[string]string{"stock.adjust": fmt.Sprint(rapid.IntRange(1, 120).Draw(t, "kg"))}[permission]
	switch rapid.IntRange(0, 12).Draw(t, "operation") {
	case 12:
		return op(rapid.SampledFrom([]string{"place.retire", "place.restore"}).Draw(t, "use"), place, nil)
	case 0, 1:
		return op("assignment.add", "", set{"staff": who, "place": place, "template": template})
	case 2:
		return op("assignment.end", number, nil)
	case 3:
		return op("assignment.edit", number, set{"until": "2030-01-01"})
	case 4, 5:
		return op("exception.add", "", set{"staff": who, "place": place, "permission": permission, "level": level})
	case 6:
		return op("exception.end", number, nil)
	case 7:
		return op("template.edit", template, set{"settings": set{permission: map[bool]string{true: "500", false: "yes"}[permission == "stock.adjust"]}})
	case 8:
		return op("staff.make_owner", who, nil)
	case 9:
		return op("place.edit", place, set{"parent": rapid.SampledFrom([]string{"A", "B", "A-Z"}).Draw(t, "parent")})
	case 10:
		return op("staff.enrol", "", set{"staff_number": "S5", "given_name": "New", "family_name": "Hand", "home_site": rapid.SampledFrom([]string{"A", "B"}).Draw(t, "home")})
	default:
		return op("staff.edit", who, set{"home_site": rapid.SampledFrom([]string{"A", "B"}).Draw(t, "home")})
	}
}

// ruleOperation draws something about the rules that a manager might try.
func ruleOperation(t *rapid.T, s *access.Snapshot) Operation {
	permission := rapid.SampledFrom([]string{"door.open", "door.chemical", "stock.adjust", "line.run", "console.lock", "console.edit_templates", "new.one"}).Draw(t, "permission")
	group := rapid.SampledFrom([]string{"door", "stock", "console", "spare"}).Draw(t, "group")
	template := rapid.SampledFrom([]string{"packer", "keeper", "manager", "rules", "fresh"}).Draw(t, "template")
	who := rapid.SampledFrom([]string{"S1", "S2", "S3", "S4", "S5"}).Draw(t, "who")
	place := rapid.SampledFrom([]string{"A", "B", "A-Z", "A-1", "A-S", "A-L"}).Draw(t, "place")
	word := rapid.SampledFrom([]string{"yes", "no", "none", "full", "view", "run", "lead", "20", "400"}).Draw(t, "word")
	number := fmt.Sprint(rapid.IntRange(1, int(s.State().Exceptions.Last())+1).Draw(t, "number"))
	switch rapid.IntRange(0, 17).Draw(t, "rule") {
	case 0, 1:
		return op("template.edit", template, set{"decide": set{permission: word}})
	case 2:
		return op("template.edit", template, set{"decide": set{group: word}})
	case 3:
		return op("template.edit", template, set{"decide": set{permission: nil, group: nil}})
	case 4:
		return op("template.edit", template, set{"base": rapid.SampledFrom([]string{"", "packer", "keeper", "manager", "rules"}).Draw(t, "base")})
	case 5:
		return op("template.edit", template, set{"section": set{"from": rapid.SampledFrom([]string{"keeper", "manager", "rules"}).Draw(t, "from"), "group": group}})
	case 6:
		return op("template.add", "", set{"code": "fresh", "name": "Fresh", "copy_of": template})
	case 7:
		return op("template.add", "", set{"code": "fresh", "name": "Fresh", "like": set{"staff": who, "place": place}})
	case 8:
		return op("template.retire", template, set{"replace_with": rapid.SampledFrom([]string{"packer", "keeper", "manager", "rules"}).Draw(t, "next")})
	case 9:
		return op("template.restore", template, nil)
	case 10:
		return op("permission.add", "", set{"key": "new.one", "title": "New", "sentence": "New.", "group": group, "scale": set{"kind": "switch"}, "kinds": []string{"device", "door"}})
	case 11:
		return op("permission.edit", permission, set{"group": group})
	case 12:
		return op("permission.edit", permission, set{"kinds": []string{"door", "device", "work_centre"}})
	case 13:
		return op(rapid.SampledFrom([]string{"permission.retire", "permission.restore"}).Draw(t, "retiring"), permission, nil)
	case 14:
		return op("permission.edit", "line.run", set{"scale": set{"kind": "levels", "levels": rapid.SampledFrom([][]string{{"none", "view", "run", "lead"}, {"none", "run", "view", "lead"}, {"none", "view", "run", "lead", "more"}}).Draw(t, "levels")}})
	case 15:
		return op("group.edit", rapid.SampledFrom([]string{"door", "stock", "spare"}).Draw(t, "moved"), set{"parent": rapid.SampledFrom([]string{"", "door", "stock", "spare"}).Draw(t, "parent")})
	case 16:
		return op("exception.set", "", set{"staff": who, "place": place, "permission": permission, "level": word})
	default:
		return op(rapid.SampledFrom([]string{"exception.end", "exception.restore", "assignment.restore"}).Draw(t, "again"), number, nil)
	}
}

// drawEstate makes an organisation in which an owner has given some people something somewhere, and withheld some of it.
func drawEstate(t *rapid.T, empty *access.Snapshot) *access.Snapshot {
	some := func(what string, of ...string) string { return rapid.SampledFrom(of).Draw(t, what) }
	operations := []Operation{
		op("group.add", "", set{"key": "spare", "title": "Spare"}),
		op("permission.add", "", set{"key": "line.run", "title": "Run", "sentence": "Runs.", "group": "stock", "scale": set{"kind": "levels", "levels": []string{"none", "view", "run", "lead"}}, "kinds": []string{"work_centre"}}),
		op("place.add", "", set{"code": "A-L", "name": "Line", "kind": "work_centre", "parent": "A-Z"}),
		op("template.add", "", set{"code": "rules", "name": "Rules", "settings": set{"console": "full", "line.run": some("line", "none", "view", "run", "lead"), "stock.adjust": some("kg", "0", "10", "200")}}),
		op("staff.enrol", "", set{"staff_number": "S5", "given_name": "Eve", "family_name": "Extra", "home_site": some("home", "A", "B"), "start_date": "2020-01-01"}),
	}
	for _, template := range []string{"packer", "keeper", "manager"} {
		operations = append(operations, op("template.edit", template, set{"decide": set{"line.run": some("level", "none", "view", "run", "lead"), some("group", "door", "stock", "console"): some("word", "none", "full")}}))
	}
	for _, site := range some("manages", "A", "A B", "A B", "B", "") { // the manager's reach: a site, all, or what chance gives below
		if site != ' ' {
			operations = append(operations, op("assignment.add", "", set{"staff": "S2", "place": string(site), "template": some("manages as", "manager", "rules", "rules"), "from": "2026-01-01"}))
		}
	}
	for range rapid.IntRange(1, 6).Draw(t, "assignments") {
		operations = append(operations, op("assignment.add", "", set{"staff": some("who", "S2", "S2", "S3", "S4", "S5"), "place": some("where", "A", "B", "A-Z", "A-1"), "template": some("as", "packer", "keeper", "manager", "rules"), "from": "2026-01-01"}))
	}
	for range rapid.IntRange(0, 4).Draw(t, "exceptions") {
		fields := set{"staff": some("whose", "S2", "S3", "S4", "S5"), "place": some("at", "A", "B", "A-Z"), "permission": some("what", "door.chemical", "line.run", "stock.adjust", "console.lock"), "withheld": true}
		if rapid.Bool().Draw(t, "added") {
			fields["withheld"], fields["level"] = false, map[string]string{"line.run": "lead", "stock.adjust": "90"}[fields["permission"].(string)]
		}
		operations = append(operations, op("exception.add", "", fields))
	}
	if rapid.IntRange(0, 4).Draw(t, "retired") == 0 {
		operations = append(operations, op("permission.retire", some("out of use", "door.chemical", "stock.adjust", "line.run"), nil))
	}
	now := empty
	for _, operation := range operations {
		if d, err := Apply(now, system, env(), "given by an owner", []Operation{operation}); err == nil { // what is there already is left out
			now = d.After
		}
	}
	return now
}

// No sequence of what a manager is permitted, undoing it and setting things back included, lets anybody end up with more,
// anywhere, than they had or than the manager held at the start: what an owner gave is the ceiling. Levels are compared by
// the scale of the start, or by their names where that was changed.
func TestNoManagerHandsOutMoreThanAnOwnerGave(t *testing.T) {
	house := newHouse(t).snap
	manager := house.State().StaffByNumber("S2").ID
	permitted := map[string]int{}
	if checks := flag.Lookup("rapid.checks"); checks.Value.String() == checks.DefValue {
		require.NoError(t, flag.Set("rapid.checks", "1500")) // most of what is tried is refused; many tries let the rest add up
		t.Cleanup(func() { assert.NoError(t, flag.Set("rapid.checks", checks.DefValue)) })
	}
	rapid.Check(t, func(t *rapid.T) {
		start := drawEstate(t, house)
		now := start
		var made []*Trial
		for range rapid.IntRange(4, 30).Draw(t, "steps") {
			var operations []Operation
			var err error
			switch {
			case len(made) > 0 && rapid.IntRange(0, 5).Draw(t, "undo") == 0:
				d := rapid.SampledFrom(made).Draw(t, "which")
				operations, err = Undo(now, d.State.Revision, kept(t, d))
			case rapid.Bool().Draw(t, "about rules"):
				operations = []Operation{ruleOperation(t, now)}
			default:
				operations = []Operation{anyOperation(t, now)}
			}
			if err != nil {
				continue
			}
			if d, err := Apply(now, Actor{Staff: manager}, env(), "because", operations); err == nil && len(d.Entries) > 0 {
				now, made = d.After, append(made, d)
				for _, e := range d.Entries {
					permitted[e.Op]++
				}
			}
		}
		was, is := held(start), held(now)
		for key, level := range is {
			id, permission, place := key.staff, key.permission, key.place
			ceiling := was[holding{manager, permission, place}]
			if start.State().Person(id) != nil && start.State().Person(id).Owner {
				continue // owners hold everything, also what comes into the catalogue
			}
			if level > max(was[key], ceiling) {
				for _, d := range made {
					t.Logf("made %+v", d.Entries)
				}
				assert.Fail(t, "handed out", "S%d holds %s at %s to %d; had %d, the manager %d", id, permission, place, level, was[key], ceiling)
			}
		}
		for permission := range start.Catalogue().Permissions {
			for st := range start.Tree().Walk {
				key := holding{manager, permission.Key, st.Place.Code}
				assert.LessOrEqual(t, is[key], was[key], "nobody gives themselves more")
			}
		}
	})
	for _, operation := range []string{"assignment.add", "assignment.end", "exception.add", "exception.end", "exception.set", "template.edit", "template.add", "template.retire", "permission.add", "permission.edit", "place.edit", "place.retire", "place.restore"} {
		assert.Positive(t, permitted[operation], "managers were let do %s, or it is not put to the test: %v", operation, permitted)
	}
	t.Log(permitted)
}

type holding struct {
	staff             people.StaffID
	permission, place string
}

// held is what everybody holds everywhere, by the names of things. Levels of a scale whose order was changed are compared
// by the rank that their word has in the first order, as what an owner gave was given by that word.
func held(s *access.Snapshot) map[holding]int {
	rank := map[string]int{"none": 0, "view": 1, "run": 2, "lead": 3}
	all := map[holding]int{}
	for id := range s.State().Staff.All() {
		for p := range s.Catalogue().Permissions {
			for here := range s.Tree().Walk {
				if !here.Place.Kind.HoldsOthers() && !p.AppliesTo(here.Place.Kind) {
					continue // there it means nothing, whatever is given
				}
				level := int(s.Holds(people.StaffID(id), p.ID, here.Place.ID, noon.Unix()))
				if known, is := rank[p.Scale.Word(permit.Level(level))]; p.Key == "line.run" && is {
					level = known
				}
				all[holding{people.StaffID(id), p.Key, here.Place.Code}] = level
			}
		}
	}
	return all
}
