package httpapi

import (
	"cmp"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/words"
)

// PeopleAsked chooses and orders the lines of a list of who can do something.
type PeopleAsked struct {
	Q    string `query:"q" maxLength:"100" doc:"Words of the name, number or job title, or of what it comes through"`
	Sort string `query:"sort" enum:"name,-name,number,-number,until,-until" default:"name" doc:"- for descending"`
}

// choosePeople returns the lines that hold all the words asked for, in the order asked for. of says whom a line is
// about, until when it holds, as a date or empty where it is open, and what else is searched.
func choosePeople[T any](asked *PeopleAsked, lines []T,
	of func(line *T) (p *people.Staff, until, searched string)) []T {
	type keyed struct {
		line  T
		p     *people.Staff
		until string
	}
	sought := strings.Fields(words.Fold(asked.Q))
	kept := make([]keyed, 0, len(lines))
	for i := range lines {
		p, until, searched := of(&lines[i])
		if len(sought) > 0 {
			text := words.Fold(strings.Join(
				[]string{p.GivenName, p.FamilyName, p.KnownAs, p.Number, p.JobTitle, searched}, " "))
			if slices.ContainsFunc(sought, func(word string) bool { return !strings.Contains(text, word) }) {
				continue
			}
		}
		kept = append(kept, keyed{lines[i], p, cmp.Or(until, "open")}) // after all dates
	}
	field, falls := strings.CutPrefix(asked.Sort, "-")
	slices.SortStableFunc(kept, func(a, b keyed) int {
		order := 0
		switch field {
		case "number":
		case "until":
			order = cmp.Compare(a.until, b.until)
		default:
			order = cmp.Or(cmp.Compare(words.Fold(a.p.FamilyName), words.Fold(b.p.FamilyName)),
				cmp.Compare(words.Fold(a.p.GivenName), words.Fold(b.p.GivenName)))
		}
		order = cmp.Or(order, cmp.Compare(a.p.Number, b.p.Number))
		if falls {
			return -order
		}
		return order
	})
	chosen := make([]T, len(kept))
	for i := range kept {
		chosen[i] = kept[i].line
	}
	return chosen
}
