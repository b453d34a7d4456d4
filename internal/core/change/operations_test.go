package change

import (
	"encoding/json"
	"reflect"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
)

// What is said of an operation is whole, and what it names is there.
func TestEveryDescriptionIsWhole(t *testing.T) {
	name := regexp.MustCompile(`^[a-z_]+\.[a-z_]+$`)
	for key, d := range descriptions {
		assert.Equal(t, key, d.Name)
		assert.Regexp(t, name, d.Name)
		assert.NotEmpty(t, d.Do, key)
		assert.NotEmpty(t, d.Done, key)
		assert.NotNil(t, d.apply, key)
		if d.Urgent { // it counts before its turn comes, so that what it made would have no number yet
			assert.Empty(t, d.Makes, key)
			assert.Equal(t, NoSecret, d.Secret, key)
		}
		if d.Undone != "" {
			assert.NotNil(t, descriptions[d.Undone], "%s is taken back by %s", key, d.Undone)
			assert.Empty(t, d.Kept, key)
		}
		if makes := strings.HasSuffix(key, ".add") || d.Secret != NoSecret; makes {
			assert.NotEmpty(t, d.Makes, "%s makes a record: say of which kind", key)
		}
		if d.Makes != "" {
			maker := makers[d.Makes]
			assert.True(t, d.Undone != "" || d.Kept != "", "%s: say what takes it back, or why nothing does", key)
			assert.Equal(t, maker.Undone, d.Undone, "a record is taken back in one way, whatever made it: %s", key)
		}
		for _, field := range d.FieldNames() {
			assert.Regexp(t, `^[a-z_]+$`, field, key)
		}
	}
	assert.Empty(t, Describe("staff.clone"), "nothing is said of what is none")
}

// full is an organisation in which every field of a record of each kind says something.
func full(t *testing.T) *organisation {
	h := given(t)
	h.must(system, "all of it",
		op("group.add", "", set{"key": "line", "title": "Lines", "parent": "stock"}),
		op("permission.add", "", set{"key": "line.run", "title": "Run", "sentence": "Runs.", "group": "line",
			"sensitive": true,
			"scale":     set{"kind": "levels", "levels": []string{"none", "view", "run"}},
			"kinds":     []string{"work_centre", "zone"}}),
		op("place.add", "", set{"code": "C", "name": "Site C", "kind": "site", "time_zone": "Europe/Lisbon",
			"opening": set{"rules": []set{{"days": "mon-fri", "from": "06:00", "until": "18:00"}},
				"dated": []set{{"name": "closed", "from": "2026-12-25", "until": "2026-12-26", "rules": []set{}}}}}),
		op("qualification.add", "", set{"code": "TICKET", "name": "Ticket", "summary": "For lifts.", "months": 60}),
		op("qualification.add", "", set{"code": "HYGIENE", "name": "Hygiene"}),
		op("schedule.add", "", set{"code": "EARLY", "name": "Early", "summary": "Of the packers.",
			"hours": set{"kind": "weekly", "rules": []set{{"days": "mon-fri", "from": "05:30", "until": "14:15"}}}}),
		op("place.add", "", set{"code": "C-1", "name": "Gate", "kind": "door", "parent": "C", "asks": "door.open",
			"proof": "badge_and_pin", "requires": []string{"HYGIENE", "TICKET"}}),
		op("template.add", "", set{"code": "full", "name": "Full", "summary": "All of it.", "base": "packer",
			"days": 30, "needs": []string{"pin"}, "requires": []string{"TICKET"},
			"idle_seconds": 60, "hours": set{"kind": "opening", "before_minutes": 5, "after_minutes": 10},
			"settings": set{"line": "none", "line.run": "view"}}),
		op("field.define", "", set{"key": "size", "name": "Size", "says": "Of shoes.", "kind": "choice",
			"choices": []string{"small", "large"}, "required": true, "seen_by": "editors"}),
		op("field.define", "", set{"key": "locker", "name": "Locker"}), op("field.retire", "locker", nil),
		op("staff.enrol", "", set{"staff_number": "S50", "given_name": "Una", "family_name": "Full", "known_as": "Un",
			"email": "una@example.org", "phone": "1",
			"job_title": "Hand", "engagement": "agency", "employer": "Agency", "home_site": "C", "line_manager": "S2",
			"start_date":   "2026-01-01",
			"contract_end": "2027-01-01", "notes": "n", "external_id": "x", "driving_licence": "B",
			"insurance_number":  "QQ 1",
			"emergency_contact": "Ola", "emergency_phone": "2", "own": set{"size": "small"}}),
		op("staff.hours", "S50", set{"hours": set{"kind": "schedule", "schedule": "EARLY"}}),
		op("certificate.add", "", set{"staff": "S50", "qualification": "TICKET", "number": "T-1",
			"issued": "2026-01-05", "until": "2027-01-04"}),
		op("notice.add", "", set{"code": "RULES", "title": "Rules", "text": "One.\n\nTwo.", "places": []string{"C",
			"C-1"},
			"templates": []string{"packer"}, "refuses": true}),
		op("assignment.add", "", set{"staff": "S50", "place": "C", "template": "full", "from": "2026-01-02",
			"until": "2026-12-30",
			"hours": set{"kind": "weekly", "rules": []set{{"days": "mon", "from": "06:00", "until": "07:00"}}}}),
		op("exception.add", "", set{"staff": "S50", "place": "C", "permission": "line.run", "level": "run",
			"from": "2026-01-03", "until": "2026-12-29"}),
		op("local_setting.add", "", set{"template": "packer", "permission": "line.run", "place": "C", "level": "view",
			"from": "2026-01-03", "until": "2026-12-29"}),
		named("team", op("team.add", "", set{"code": "EARLY", "name": "Early", "summary": "Comes early."})),
		op("member.add", "", set{"team": "@team", "staff": "S50", "lead": true}),
		op("badge.add", "", set{"format": "uid4", "number": "04A23BC9", "label": "Blue", "site": "C", "day": true}))
	return h
}

// subjectsOf are what the records of a kind are named by, in a state.
func subjectsOf(s *org.State, kind string) (subjects []string) {
	kind = strings.ReplaceAll(kind, "_", "")
	table, has := reflect.TypeOf(*s).FieldByNameFunc(
		func(name string) bool { return strings.EqualFold(name, kind) || strings.EqualFold(name, kind+"s") })
	switch {
	case kind == "message":
		return []string{"welcome", "changed", "pin_link"}
	case kind == "field":
		return []string{"size", "locker"}
	case !has:
		return []string{""}
	}
	all := reflect.ValueOf(s).Elem().FieldByIndex(table.Index).Addr().MethodByName("All").Call(nil)[0]
	for key := range all.Seq2() {
		subjects = append(subjects, key.String())
		subjects[len(subjects)-1] = jsonOf(key.Interface())
	}
	return subjects
}

func jsonOf(v any) string {
	text, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return string(text)
}

// An edit that says nothing changes nothing but the revision, whatever the record: what a form does not carry over is
// emptied by every edit, and is found here by its name.
func TestAnEditThatSaysNothingChangesNothing(t *testing.T) {
	h := full(t)
	tried := map[string]int{}
	for name := range descriptions {
		kind, isEdit := strings.CutSuffix(name, ".edit")
		if !isEdit {
			continue
		}
		for _, on := range subjectsOf(h.snap.State(), kind) {
			d, err := Apply(h.snap, system, env(), "nothing",
				[]Operation{{Op: name, On: on, Set: json.RawMessage("{}")}})
			if err != nil {
				continue // one that is retired or has ended is not edited
			}
			for _, e := range d.Entries {
				assert.Empty(t, e.Before, "%s %s", name, on)
				assert.Empty(t, e.After, "%s %s", name, on)
			}
			for _, r := range d.Written {
				was := RecordOf(h.snap.State(), recordName(r.Value))
				assert.Equal(t, comparable(was), comparable(r.Value), "%s %s", name, on)
			}
			tried[name]++
		}
		assert.Positive(t, tried[name], "%s is put to the test", name)
	}
	require.GreaterOrEqual(t, len(tried), 8, "%v", tried)
}

func recordName(record any) string {
	kind, id := org.Name(record)
	return kind + ":" + jsonOf(id)
}

// comparable is a record without its revision.
func comparable(record any) any {
	copied := reflect.New(reflect.TypeOf(record).Elem()).Elem()
	copied.Set(reflect.ValueOf(record).Elem())
	if revision := copied.FieldByName("Revision"); revision.IsValid() {
		revision.SetUint(0)
	}
	return copied.Interface()
}

// Whatever stands where the fields do, and whatever the operation, the answer says which field does not fit.
func TestWhatIsNoObjectOfFieldsIsToldSo(t *testing.T) {
	h := newOrganisation(t)
	for name, d := range descriptions {
		if len(d.FieldNames()) == 0 {
			continue
		}
		for _, nonsense := range []string{`["x"]`, `7`, `"x"`, `{"` + d.FieldNames()[0] + `":{"a":[1]}}`} {
			on := map[string]string{"staff": "S3", "place": "A-Z", "group": "door", "permission": "door.open",
				"template": "packer", "schedule": "EARLY"}
			kind, _, _ := strings.Cut(name, ".")
			_, err := h.try(system, "r", Operation{Op: name, On: on[kind], Set: json.RawMessage(nonsense)})
			var f *fault.Fault
			if !assert.ErrorAs(t, err, &f, "%s %s", name, nonsense) {
				continue
			}
			assert.NotRegexp(t, `^ `, f.Message, "%s %s", name, nonsense)
			for _, field := range f.Fields {
				assert.NotRegexp(t, `\.$`, field.Name, "%s %s: %s", name, nonsense, f.Message)
			}
		}
	}
}
