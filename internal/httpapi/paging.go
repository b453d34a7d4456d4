package httpapi

import (
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/paper"
	"loyallatch.example/latch/internal/sheet"
	"loyallatch.example/latch/internal/store"
)

// Paging are the parameters that every list takes.
type Paging struct {
	Limit  int    `query:"limit" minimum:"0" doc:"How many on a page: 50 unless said, at most 500; as CSV or XLSX all, at most 100000; as PDF at most 10000"`
	After  string `query:"after" maxLength:"64" doc:"The 'next' of the page before"`
	Accept string `header:"Accept" doc:"application/json, text/csv, application/pdf, or application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"`
	rows   int
}

// whole makes a page hold so many unless asked otherwise: for trees, which are read as a whole.
func (p *Paging) whole(rows int) *Paging {
	return &Paging{Limit: p.Limit, After: p.After, Accept: p.Accept, rows: rows}
}

func (p *Paging) limit() (int, error) {
	usual, most := 50, 500
	if p.rows > 0 {
		usual, most = p.rows, p.rows
	}
	switch {
	case strings.Contains(p.Accept, "text/csv"), strings.Contains(p.Accept, sheet.Type):
		usual, most = 100_000, 100_000
	case strings.Contains(p.Accept, paper.Type):
		usual, most = mostOnPaper, mostOnPaper
	}
	if p.Limit > most {
		return 0, fault.Invalidf("query.limit", "a page has at most %d", most)
	}
	if p.Limit == 0 {
		return usual, nil
	}
	return p.Limit, nil
}

func (p *Paging) number() (uint64, error) {
	if p.After == "" {
		return 0, nil
	}
	number, err := strconv.ParseUint(p.After, 10, 63)
	if err != nil {
		return 0, fault.Invalidf("query.after", "send the 'next' of the page before")
	}
	return number, nil
}

type listed[T any] struct {
	Link string `header:"Link" doc:"rel=next, RFC 8288"`
	Body api.Page[T]
}

// pageOfLog is a page of a list that is counted up to a bound: counting all of a log takes longer than reading a page.
func pageOfLog[T any](items []T, total int64, next string) *listed[T] {
	listed := page(items, int(min(total, store.CountedTo)), next)
	listed.Body.More = total > store.CountedTo
	return listed
}

func page[T any](items []T, total int, next string) *listed[T] {
	return &listed[T]{Body: api.Page[T]{Items: items, Total: total, Next: next}}
}

// follow links to the page after this one: the same request, from where this page ends.
func (l *listed[T]) follow(request url.URL) {
	if l.Body.Next == "" {
		return
	}
	query := request.Query()
	query.Set("after", l.Body.Next)
	l.Link = fmt.Sprintf(`<%s?%s>; rel="next"`, request.EscapedPath(), query.Encode())
}

// pageOf cuts a list that is held in memory anyway into pages; after is the position to begin at.
func pageOf[T any](all []T, p *Paging) (*listed[T], error) {
	limit, err := p.limit()
	if err != nil {
		return nil, err
	}
	from, err := p.number()
	if err != nil {
		return nil, err
	}
	first := min(int(from), len(all))
	last := min(first+limit, len(all))
	next := ""
	if last < len(all) {
		next = strconv.Itoa(last)
	}
	return page(all[first:last], len(all), next), nil
}

// sortBy orders a list by one of its keys, falling where the name has a - before it. What has the same key stays in the
// order in which it comes.
func sortBy[T any](all []T, by string, keys map[string]func(*T) string) {
	field, falls := strings.CutPrefix(by, "-")
	key := keys[field]
	slices.SortStableFunc(all, func(a, b T) int {
		if falls {
			return strings.Compare(key(&b), key(&a))
		}
		return strings.Compare(key(&a), key(&b))
	})
}
