// Package fault holds the errors a rule answers with. A fault has a kind, which says what sort of
// answer it is, a code that programs can rely on, a sentence for a person, and the fields it is about.
package fault

import (
	"errors"
	"fmt"
)

// Kind says what sort of refusal a fault is; each kind has one HTTP status and one exit code.
type Kind uint8

// The kinds of fault.
const (
	Invalid  Kind = iota // the input itself is wrong
	NotFound             // it names something that is not there
	Conflict             // it contradicts what is on record
	Stale                // it was made from an older state of the record
	Refused              // a rule or the actor's authority forbids it
)

// Field names one wrong part of the input and says how to put it right.
type Field struct {
	Name    string
	Message string
}

// Fault is an error with a kind. The message is a whole sentence and holds nothing secret.
type Fault struct {
	Kind    Kind
	Code    string
	Message string
	Fields  []Field
	// Operation is which operation of a change it is about, counted from 1; 0 where it is about none in particular.
	Operation int
	// Unseen is the field and value of which the answer tells that a record has it which whoever asks does not see;
	// empty where it tells nothing of that sort. It is for counting what is told, and is not part of the answer.
	Unseen string
}

// Error returns the sentence.
func (f *Fault) Error() string { return f.Message }

// Invalidf says that a field is wrong.
func Invalidf(field, format string, args ...any) *Fault {
	return about(Invalid, "invalid-input", field, format, args)
}

// Missingf says that a field names something that is not on record.
func Missingf(field, format string, args ...any) *Fault {
	return about(NotFound, "not-found", field, format, args)
}

// Conflictf says that a field contradicts what is on record.
func Conflictf(field, format string, args ...any) *Fault {
	return about(Conflict, "conflict", field, format, args)
}

// Takenf says that a value that belongs to one record is another's. Where whoever asks does not see that record, the
// fault says nothing of it, and holds the value: who asks for too many learns no more.
func Takenf(seen bool, field, value, format string, args ...any) *Fault {
	f := Conflictf(field, format, args...)
	if !seen {
		f.Unseen = field + " " + value
	}
	return f
}

// Stalef says that the record has changed since the caller read it.
func Stalef(format string, args ...any) *Fault {
	return &Fault{Kind: Stale, Code: "changed-meanwhile", Message: fmt.Sprintf(format, args...)}
}

// Refusedf says that a rule or the actor's authority forbids it.
func Refusedf(code, format string, args ...any) *Fault {
	return &Fault{Kind: Refused, Code: code, Message: fmt.Sprintf(format, args...)}
}

func about(kind Kind, code, field, format string, args []any) *Fault {
	message := fmt.Sprintf(format, args...)
	f := &Fault{Kind: kind, Code: code, Message: message}
	if field != "" {
		f.Fields = []Field{{Name: field, Message: message}}
	}
	return f
}

// Within returns err with prefix put before the name of each field.
func Within(prefix string, err error) error {
	var f *Fault
	if !errors.As(err, &f) {
		return err
	}
	moved := *f
	moved.Fields = make([]Field, len(f.Fields))
	for i, field := range f.Fields {
		moved.Fields[i] = Field{Name: prefix + field.Name, Message: field.Message}
	}
	return &moved
}

// Is reports whether err is a fault of the kind.
func Is(err error, kind Kind) bool {
	var f *Fault
	return errors.As(err, &f) && f.Kind == kind
}

// At returns err as one about an operation of a change, counted from 1.
func At(operation int, err error) error {
	var f *Fault
	if !errors.As(err, &f) {
		return err
	}
	at := *f
	at.Operation = operation
	return &at
}
