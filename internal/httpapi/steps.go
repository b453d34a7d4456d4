package httpapi

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// done says an operation as one that was made; app.Intend as one that is not.
func done(op, on string) string { return app.Summarise(op, on, 1) }

// steps says what a change writes in words, the first so many of its steps.
func (v view) steps(entries []change.Entry, most int, word func(op, on string) string) []api.Step {
	steps := make([]api.Step, 0, min(len(entries), most))
	for i := range entries[:min(len(entries), most)] {
		steps = append(steps, v.step(&entries[i], word))
	}
	return steps
}

// unsaid are fields that mean nothing to people.
var unsaid = map[string]bool{"id": true, "since": true, "decided_at": true, "made_at": true}

// inWords are the fields of what is made that the words of its step say already, by the kind of record.
var inWords = map[string][]string{"assignment": {"staff", "place", "template"},
	"exception":     {"staff", "place", "permission", "withheld"},
	"local_setting": {"template", "place", "permission", "level"}}

func (v view) step(e *change.Entry, word func(op, on string) string) api.Step {
	step := api.Step{Words: word(e.Op, e.On), Reason: e.Reason, Changes: []api.StepChange{}}
	fields := maps.Clone(e.Before)
	if fields == nil {
		fields = map[string]any{}
	}
	maps.Copy(fields, e.After)
	kind, _, _ := strings.Cut(e.Record, ":")
	_, made := e.After["id"]
	for _, field := range slices.Sorted(maps.Keys(fields)) {
		if made && slices.Contains(inWords[kind], field) ||
			field == "reason" && e.Reason != "" && e.After[field] == e.Reason {
			continue
		}
		if unsaid[field] || strings.HasPrefix(field, "as_of.") || e.After[field] == change.ReasonLater {
			continue
		}
		said := api.StepChange{Field: v.fieldWords(field), Was: v.valueWords(field, e.Before[field]),
			Now: v.valueWords(field, e.After[field])}
		if x, is := change.RecordOf(v.live.State(), e.Record).(*org.Exception); is && field == "level" {
			said.Was, said.Now = v.levelWords(x.Permission, e.Before[field]), v.levelWords(x.Permission, e.After[field])
		}
		if !e.Shows(v.live.State(), v.sees.sight, field) {
			said.Was, said.Now = "", change.NotShown
		}
		if said.Was == "" && said.Now == "no" && !strings.HasPrefix(field, "settings.") &&
			!strings.HasPrefix(field, "giving.") {
			continue // what is new and not so goes without saying
		}
		step.Changes = append(step.Changes, said)
	}
	return step
}

// levelWords says the level of an exception, which is kept as a number, by its name.
func (v view) levelWords(id permit.PermissionID, value any) string {
	level, is := value.(float64)
	permission := v.live.Catalogue().Permission(id)
	if !is || permission == nil {
		return ""
	}
	return permission.Scale.Word(permit.Level(level))
}

// fieldWords says a field of a record in words; a setting by the title of what it sets.
func (v view) fieldWords(field string) string {
	if key, isGiving := strings.CutPrefix(field, "giving."); isGiving {
		return "can give " + v.fieldWords("settings."+key)
	}
	key, isSetting := strings.CutPrefix(field, "settings.")
	if own := v.live.State().Settings.Field(strings.TrimPrefix(field, people.OwnPrefix)); own != nil &&
		strings.HasPrefix(field, people.OwnPrefix) {
		return own.Name
	}
	if !isSetting {
		return strings.ReplaceAll(field, "_", " ")
	}
	if p := v.live.Catalogue().PermissionByKey(key); p != nil {
		return p.Title
	}
	if g := v.live.Catalogue().GroupByKey(key); g != nil {
		return "the group " + g.Title
	}
	return key
}

// valueWords says the value of a field in words; the number of a record by the name of what it is.
func (v view) valueWords(field string, value any) string {
	switch value := value.(type) {
	case nil:
		return ""
	case string:
		return value
	case bool:
		return map[bool]string{true: "yes", false: "no"}[value]
	case float64:
		return v.numberWords(field, uint32(value))
	}
	encoded, err := json.Marshal(value)
	if err != nil {
		return ""
	}
	if of := (hours.Access{}); field == "hours" && json.Unmarshal(encoded, &of) == nil {
		return v.statedWords(&of)
	}
	return strings.NewReplacer(`"`, "", "{", "", "}", "", "[", "", "]", "", ",", ", ", ":",
		" ").Replace(string(encoded))
}

func (v view) numberWords(field string, n uint32) string {
	state := v.live.State()
	switch field {
	case "staff", "line_manager":
		if p := state.Person(people.StaffID(n)); p != nil {
			return p.FullName()
		}
	case "place", "parent", "home_site":
		if p := state.Place(estate.PlaceID(n)); p != nil && n != 0 {
			return p.Name
		}
	case "template", "base":
		if t := state.Template(permit.TemplateID(n)); t != nil {
			return t.Name
		}
	case "permission":
		if p := v.live.Catalogue().Permission(permit.PermissionID(n)); p != nil {
			return p.Title
		}
	case "group":
		if g := v.live.Catalogue().Group(permit.GroupID(n)); g != nil {
			return g.Title
		}
	}
	return fmt.Sprint(n)
}
