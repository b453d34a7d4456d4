// Package draft holds edits that somebody collects before making them as one change: putting them in so that the
// newest edit of a thing counts, reviewing them against what is live, and saying where somebody else was meanwhile.
package draft

import (
	"cmp"
	"encoding/json"
	"errors"
	"maps"
	"reflect"
	"slices"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
)

// Line is one edit.
type Line struct {
	ID        int              `json:"id"`
	Operation change.Operation `json:"operation"`
	// Record is what it changes and Was the fields it changes, as they were when it was put in; empty where it makes
	// something new. By them it is seen that somebody else changed the same thing meanwhile.
	Record string         `json:"record,omitempty"`
	Was    map[string]any `json:"was,omitempty"`
}

// MostLines bounds a draft: all of it has to fit into one change.
const MostLines = change.MaxOperations

// Add puts edits into a draft. An edit of a thing replaces what the draft says of the same thing already, and one that
// leaves it as it is live takes the earlier edit out. An edit that the rules refuse is not put in.
func Add(lines []Line, next int, live *access.Snapshot, actor change.Actor, env change.Env,
	operations []change.Operation) ([]Line, *change.Trial, error) {
	lines = slices.Clone(lines)
	for _, operation := range split(operations) {
		lines = append(lines, Line{ID: next, Operation: operation})
		next++
	}
	lines = newest(lines)
	if len(lines) > MostLines {
		return nil, nil, fault.Invalidf("operations",
			"a draft holds at most %d edits; apply this one first, or change a template instead of many people",
			MostLines)
	}
	if len(lines) == 0 {
		return nil, nil, nil
	}
	trial, err := change.Apply(live, actor, env, change.ReasonLater, Operations(lines))
	if err != nil {
		return nil, nil, err
	}
	lines, idle := note(lines, trial)
	if idle {
		// What changes nothing is taken out; the effect is the same without it.
		if len(lines) == 0 {
			return nil, nil, nil
		}
		if trial, err = change.Apply(live, actor, env, change.ReasonLater, Operations(lines)); err != nil {
			return nil, nil, err
		}
	}
	return lines, trial, nil
}

// Operations returns the operations of the lines, in their order.
func Operations(lines []Line) []change.Operation {
	operations := make([]change.Operation, len(lines))
	for i := range lines {
		operations[i] = lines[i].Operation
	}
	return operations
}

// note keeps with each new line what it changes; idle says that some line changed nothing and was left out.
func note(lines []Line, trial *change.Trial) (kept []Line, idle bool) {
	touched := make([]int, len(lines))
	for i := range trial.Entries {
		e := &trial.Entries[i]
		line := &lines[e.Index]
		if len(e.Before) == 0 && len(e.After) == 0 {
			continue
		}
		touched[e.Index]++
		if _, made := e.After["id"]; !made && line.Record == "" && touched[e.Index] == 1 {
			line.Record, line.Was = e.Record, map[string]any{}
			for field := range e.After {
				line.Was[field] = e.Before[field]
			}
			maps.Copy(line.Was, e.Before)
		}
	}
	for i := range lines {
		if touched[i] == 0 {
			idle = true
			continue
		}
		kept = append(kept, lines[i])
	}
	return kept, idle
}

// split makes an edit of several settings of a template into one of each, so that each can be reviewed and dropped.
func split(operations []change.Operation) []change.Operation {
	var all []change.Operation
	for _, operation := range operations {
		operation.Revision = 0 // a draft sees by the fields it changes whether somebody else was at them meanwhile
		decided, rest := change.Decided(operation)
		if operation.Op != "template.edit" || len(decided) < 2 && (len(decided) == 0 || len(rest) == 0) {
			all = append(all, operation)
			continue
		}
		for _, setting := range decided {
			one := operation
			one.Set = encode(map[string]any{setting.Field: map[string]any{setting.Key: setting.Word}})
			all = append(all, one)
		}
		if len(rest) > 0 {
			operation.Set = encode(rest)
			all = append(all, operation)
		}
	}
	return all
}

func encode(v any) json.RawMessage {
	encoded, err := json.Marshal(v)
	if err != nil {
		panic(err) // made of what was JSON before
	}
	return encoded
}

// newest takes out the lines that a later edit of the same thing makes pointless.
func newest(lines []Line) []Line {
	kept := make([]Line, 0, len(lines))
	edited := make(map[string]bool, len(lines))
	for _, line := range slices.Backward(lines) {
		subject := change.SubjectOf(line.Operation)
		if subject == "" || !edited[subject] {
			kept = append(kept, line)
		}
		edited[subject] = true
	}
	slices.Reverse(kept)
	return kept
}

// Clash says where somebody else changed, meanwhile, what a line changes.
type Clash struct {
	Field string
	Was   any // when the line was put in
	Now   any
}

// Clashes returns where what a line changes is no longer as it was when the line was put in.
func Clashes(line *Line, live *access.Snapshot) []Clash {
	if line.Record == "" {
		return nil
	}
	record := change.RecordOf(live.State(), line.Record)
	if record == nil {
		return nil
	}
	now := change.Fields(live.State(), record)
	var clashes []Clash
	for _, field := range slices.Sorted(maps.Keys(line.Was)) {
		if !reflect.DeepEqual(now[field], line.Was[field]) {
			clashes = append(clashes, Clash{field, line.Was[field], now[field]})
		}
	}
	return clashes
}

// Subject says what a line is done to, as far as its operation does.
func (l *Line) Subject() string {
	var of struct{ Code, Key, Staff string }
	_ = json.Unmarshal(l.Operation.Set, &of) // what is no JSON was refused when it was put in
	return cmp.Or(l.Operation.On, of.Staff, of.Code, of.Key)
}

// Reviewed is a line with what is to be said of it.
type Reviewed struct {
	Line
	Entries []change.Entry // what it writes
	Clashes []Clash
	Problem error // why it cannot be made as things are
}

// mostProblems is how many lines that cannot be made are looked for.
const mostProblems = 50

// errUntried is said of lines that follow after too many that cannot be made.
var errUntried = fault.Conflictf("draft", "this is not tried yet, as many edits before it cannot be made: mend or "+
	"drop those first")

// Review tries a draft on what is live. A line that cannot be made is said with its reason, and the effect is that of
// the others; trial is nil where none of them can be made. Lines after too many of those are not tried.
func Review(lines []Line, live *access.Snapshot, actor change.Actor, env change.Env,
	reason string) (reviewed []Reviewed, trial *change.Trial) {
	if reason == "" {
		reason = change.ReasonLater
	}
	reviewed = make([]Reviewed, len(lines))
	var able []int
	for i := range lines {
		reviewed[i] = Reviewed{Line: lines[i], Clashes: Clashes(&lines[i], live)}
		able = append(able, i)
	}
	for problems := 0; len(able) > 0; problems++ {
		operations := make([]change.Operation, len(able))
		for i, at := range able {
			operations[i] = lines[at].Operation
		}
		var err error
		if trial, err = change.Apply(live, actor, env, reason, operations); err == nil {
			for i := range trial.Entries {
				e := trial.Entries[i]
				reviewed[able[e.Index]].Entries = append(reviewed[able[e.Index]].Entries, e)
			}
			return reviewed, trial
		}
		at := culprit(err)
		if at < 0 || at >= len(able) {
			reviewed[able[0]].Problem = err
			return reviewed, nil
		}
		reviewed[able[at]].Problem = err
		if problems == mostProblems {
			for _, untried := range able[at+1:] {
				reviewed[untried].Problem = errUntried
			}
			able = able[:at]
			continue
		}
		able = slices.Delete(able, at, at+1)
	}
	return reviewed, nil
}

// culprit returns which operation a fault is about, or -1 where it does not say.
func culprit(err error) int {
	var f *fault.Fault
	if !errors.As(err, &f) {
		return -1
	}
	return f.Operation - 1
}
