package people

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/words"
)

// SeenBy says who sees a field of somebody's record.
type SeenBy string

// Who sees a field. Each sees what the ones before see.
const (
	Viewers SeenBy = "viewers" // whoever sees the record whole
	Editors SeenBy = "editors" // whoever may change the record
	Owners  SeenBy = "owners"
)

// Own is what a record says in the fields of the organisation's own making, by the key of the field. It is never
// changed in place, as records share it.
type Own map[string]string

// With returns the values with one of them changed; empty takes it away.
func (o Own) With(key, value string) Own {
	next := maps.Clone(o)
	if next == nil {
		next = Own{}
	}
	if next[key] = value; value == "" {
		delete(next, key)
	}
	return next
}

// OwnKind is what is written in a field of the organisation's own making.
type OwnKind string

// The kinds of fields of the organisation's own making.
const (
	OwnText   OwnKind = "text"
	OwnNumber OwnKind = "number" // a decimal number
	OwnDate   OwnKind = "date"   // ISO 8601
	OwnChoice OwnKind = "choice" // one of the choices
)

// OwnKinds are all of them.
var OwnKinds = []OwnKind{OwnText, OwnNumber, OwnDate, OwnChoice}

// Bounds of fields of the organisation's own making.
const (
	MostOwn        = 30  // fields
	MostChoices    = 50  // of one field
	LongestOwn     = 200 // characters of a value
	OwnPrefix      = "own."
	longestOwnName = 80
)

// OwnField is a field of a record of the organisation's own making. Its key and its kind stay as they are.
type OwnField struct {
	Key      string   `json:"key"`
	Name     string   `json:"name"`
	Says     string   `json:"says,omitempty"` // what to write in it
	Kind     OwnKind  `json:"kind"`
	Choices  []string `json:"choices,omitempty"`
	Required bool     `json:"required,omitempty"` // of whoever is enrolled by somebody who may write it
	SeenBy   SeenBy   `json:"seen_by"`
	Retired  bool     `json:"retired,omitempty"` // not written any more; what was written is kept
}

var ownKey = regexp.MustCompile(`^[a-z][a-z0-9_]{0,31}$`)

// Check says what is wrong with the description of a field.
func (f *OwnField) Check() (field string, err error) {
	switch {
	case !ownKey.MatchString(f.Key):
		return "key", fmt.Errorf("%q is not a key; use up to 32 small letters, digits and _, such as shoe_size", f.Key)
	case f.Name == "":
		return "name", fmt.Errorf("a field needs a name")
	case utf8.RuneCountInString(f.Name) > longestOwnName:
		return "name", fmt.Errorf("use at most %d letters", longestOwnName)
	case utf8.RuneCountInString(f.Says) > LongestOwn:
		return "says", fmt.Errorf("use at most %d letters", LongestOwn)
	case !slices.Contains(OwnKinds, f.Kind):
		return "kind", fmt.Errorf("%q is not a kind of field; use text, number, date or choice", f.Kind)
	case f.SeenBy != Viewers && f.SeenBy != Editors && f.SeenBy != Owners:
		return "seen_by", fmt.Errorf("%q sees no field; use viewers, editors or owners", f.SeenBy)
	case f.Kind == OwnChoice && len(f.Choices) < 2:
		return "choices", fmt.Errorf("a choice needs at least two to choose from")
	case f.Kind != OwnChoice && len(f.Choices) > 0:
		return "choices", fmt.Errorf("only a field of the kind choice has choices")
	case len(f.Choices) > MostChoices:
		return "choices", fmt.Errorf("use at most %d choices", MostChoices)
	}
	for i, choice := range f.Choices {
		if choice == "" || choice != words.Tidy(choice) || utf8.RuneCountInString(choice) > LongestOwn {
			return "choices", fmt.Errorf("%q is not a choice; write 1 to %d letters", choice, LongestOwn)
		}
		if slices.ContainsFunc(f.Choices[:i], func(c string) bool { return words.Fold(c) == words.Fold(choice) }) {
			return "choices", fmt.Errorf("%q stands among the choices twice", choice)
		}
	}
	return "", nil
}

// Asks says what to do about a field that is empty.
func (f *OwnField) Asks() string {
	switch f.Kind {
	case OwnNumber:
		return "write a number"
	case OwnDate:
		return "write a date"
	case OwnChoice:
		return "choose " + words.Either(f.Choices)
	}
	return "write it"
}

// decimal is a decimal number as people type it, of as many digits as are kept exactly.
var decimal = regexp.MustCompile(`^[+-]?[0-9]{1,12}([.,][0-9]{1,3})?$`)

// Read returns a value as it is kept; the error says what to write instead.
func (f *OwnField) Read(written string) (string, error) {
	written = words.Tidy(written)
	switch {
	case written == "":
		return "", nil
	case utf8.RuneCountInString(written) > LongestOwn:
		return "", fmt.Errorf("use at most %d letters", LongestOwn)
	}
	switch f.Kind {
	case OwnNumber:
		if !decimal.MatchString(written) {
			return "", fmt.Errorf("%q is not a number; write it as 42 or 7.5", written)
		}
		value, err := strconv.ParseFloat(strings.Replace(written, ",", ".", 1), 64)
		return strconv.FormatFloat(value, 'f', -1, 64), err
	case OwnDate:
		date, err := day.Parse(written)
		if err != nil {
			return "", fmt.Errorf("%q is not a date; write it as 2026-11-30", written)
		}
		return date.String(), nil
	case OwnChoice:
		for _, choice := range f.Choices {
			if words.Fold(choice) == words.Fold(written) {
				return choice, nil
			}
		}
		return "", fmt.Errorf("%q is not among the choices; use %s", written, words.Either(f.Choices))
	}
	return written, nil
}
