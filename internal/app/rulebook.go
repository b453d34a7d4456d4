package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/rulebook"
	"loyallatch.example/latch/starters"
)

// ApplyRulebook makes the catalogue and the templates as a rulebook says, as one change, or says in a preview what
// that would do. Where everything is so already, the result is nil.
func (a *App) ApplyRulebook(ctx context.Context, r Request, text []byte, preview bool) (*Result, error) {
	steps, err := stepsOf(text, a.Live())
	if err != nil || len(steps) == 0 {
		return nil, err
	}
	r.Operations = rulebook.Operations(steps)
	var result *Result
	if preview {
		result, err = a.Preview(ctx, r)
	} else {
		result, err = a.Commit(ctx, r)
	}
	return result, atLine(err, steps)
}

// CollectRulebook puts what makes the catalogue and the templates as a rulebook says into one of somebody's drafts.
func (a *App) CollectRulebook(ctx context.Context, actor people.StaffID, reference, reason string,
	text []byte) (*Review, error) {
	drafted, err := a.As(ctx, actor, reference)
	if err != nil {
		return nil, err
	}
	steps, err := stepsOf(text, drafted)
	if err != nil {
		return nil, err
	}
	if len(steps) == 0 {
		return nil, fault.Conflictf("rulebook", "everything is so already; there is nothing to put into the draft")
	}
	operations := rulebook.Operations(steps)
	for i := range operations {
		operations[i].Reason = reason
	}
	// Tried by itself first, so that a fault is named by its line and not by that of the draft.
	if _, err := change.Apply(drafted.Snapshot, change.Actor{Staff: actor}, a.preview(), change.ReasonLater,
		operations); err != nil {
		return nil, atLine(err, steps)
	}
	return a.Collect(ctx, actor, reference, "", operations)
}

func stepsOf(text []byte, live *Live) ([]rulebook.Step, error) {
	book, err := rulebook.Parse(text)
	if err != nil {
		return nil, err
	}
	return book.Steps(live.State())
}

// atLine says a fault of an operation as one of the line of the rulebook that it comes from.
func atLine(err error, steps []rulebook.Step) error {
	var f *fault.Fault
	if !errors.As(err, &f) || f.Operation == 0 || f.Operation > len(steps) {
		return err
	}
	step, field := steps[f.Operation-1], ""
	if len(f.Fields) > 0 {
		field = f.Fields[0].Name
		field = field[max(0, strings.Index(field, "set.")):] // what it is called within the operation
	}
	told := *f
	if f.Kind == fault.NotFound {
		told.Kind, told.Code = fault.Invalid, "invalid-input" // the rulebook was found; what it names is wrong
	}
	told.Message = fmt.Sprintf("%s, %s: %s", step.At(field), step.What, f.Message)
	told.Fields = []fault.Field{{Name: "rulebook", Message: told.Message}}
	return &told
}

// Starter is a rulebook that ships with the service, to begin from.
type Starter struct {
	Code string
	Text []byte
	Book *rulebook.Book
}

// Permissions returns how many permissions the starter holds.
func (s *Starter) Permissions() int {
	count := 0
	for _, group := range s.Book.Catalogue {
		count += len(group.Permissions)
	}
	return count
}

// Starters returns the rulebooks that ship with the service, by name.
func Starters() ([]Starter, error) {
	files, err := starters.FS.ReadDir(".")
	if err != nil {
		return nil, err
	}
	var list []Starter
	for _, file := range files {
		text, err := starters.FS.ReadFile(file.Name())
		if err != nil {
			return nil, err
		}
		book, err := rulebook.Parse(text)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", file.Name(), err)
		}
		list = append(list, Starter{Code: strings.TrimSuffix(file.Name(), path.Ext(file.Name())), Text: text,
			Book: book})
	}
	slices.SortFunc(list, func(a, b Starter) int { return cmp.Compare(a.Book.Name, b.Book.Name) })
	return list, nil
}

// StarterFor returns one of the rulebooks that ship with the service.
func StarterFor(code string) (*Starter, error) {
	all, err := Starters()
	if err != nil {
		return nil, err
	}
	for i := range all {
		if all[i].Code == code {
			return &all[i], nil
		}
	}
	return nil, fault.Missingf("starter", "there is no starter set %q", code)
}
