package httpapi

import (
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"hash/fnv"
	"io"
	"net/url"
	"reflect"
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
		usual, most = mostInFile, mostInFile
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
func follow(out any, request url.URL) {
	v := reflect.ValueOf(out).Elem()
	link, body := v.FieldByName("Link"), v.FieldByName("Body")
	if !link.IsValid() || !body.IsValid() {
		return
	}
	if list, is := body.Interface().(interface{ Following() string }); is && list.Following() != "" {
		query := request.Query()
		query.Set("after", list.Following())
		link.SetString(fmt.Sprintf(`<%s?%s>; rel="next"`, request.EscapedPath(), query.Encode()))
	}
}

// pageOf cuts a list that is held in memory anyway into pages. A cursor names the items on both sides of the cut, so
// that a list goes on at the right one while others come, go or are renamed; the position counts where both are gone.
func pageOf[T any](all []T, p *Paging) (*listed[T], error) {
	limit, err := p.limit()
	if err != nil {
		return nil, err
	}
	first := 0
	if p.After != "" {
		cut, err := cursorOf(p.After, 3)
		if err != nil {
			return nil, err
		}
		first = cutAt(all, int(min(cut[0], uint64(len(all)))), cut[1], cut[2])
	}
	last := min(first+limit, len(all))
	next := ""
	if last < len(all) && last > 0 {
		next = cursor(uint64(last), identity(&all[last-1]), identity(&all[last]))
	}
	return page(all[first:last], len(all), next), nil
}

// cutAt finds where a list goes on: behind one item, or before another, whichever is nearer to where that was.
func cutAt[T any](all []T, near int, behind, before uint64) int {
	if near > 0 && near <= len(all) && identity(&all[near-1]) == behind {
		return near
	}
	found, distance := near, -1
	for i := range all {
		at := -1
		switch identity(&all[i]) {
		case behind:
			at = i + 1
		case before:
			at = i
		}
		if away := max(at-near, near-at); at >= 0 && (distance < 0 || away < distance) {
			found, distance = at, away
		}
	}
	return found
}

// cursor writes numbers as the text of a cursor, with a sum that tells it from what is none.
func cursor(numbers ...uint64) string {
	var out []byte
	for _, n := range numbers {
		out = binary.AppendUvarint(out, n)
	}
	return base64.RawURLEncoding.EncodeToString(binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(out)))
}

// cursorOf reads so many numbers from a cursor.
func cursorOf(text string, count int) ([]uint64, error) {
	unknown := fault.Invalidf("query.after", "send the 'next' of the page before")
	whole, err := base64.RawURLEncoding.DecodeString(text)
	if err != nil || len(whole) < 4 {
		return nil, unknown
	}
	rest, sum := whole[:len(whole)-4], binary.BigEndian.Uint32(whole[len(whole)-4:])
	if crc32.ChecksumIEEE(rest) != sum {
		return nil, unknown
	}
	numbers := make([]uint64, count)
	for i := range numbers {
		n, length := binary.Uvarint(rest)
		if length <= 0 {
			return nil, unknown
		}
		numbers[i], rest = n, rest[length:]
	}
	return numbers, nil
}

// identifying are the fields that say which item one is, whatever else of it changes.
var identifying = map[string]bool{"id": true, "staff_number": true, "code": true, "key": true, "kind": true,
	"number": true, "template": true, "permission": true, "from": true, "row": true}

// identity is a digest of what says which item one is; of all of it where nothing does.
func identity(item any) uint64 {
	sum := fnv.New64a()
	v := reflect.ValueOf(item).Elem()
	if v.Kind() != reflect.Struct || !identified(sum, v, true) {
		fmt.Fprintf(sum, "%v", v.Interface())
	}
	return sum.Sum64()
}

func identified(sum io.Writer, v reflect.Value, deeper bool) (any bool) {
	for i := range v.NumField() {
		field := v.Field(i)
		if field.Kind() == reflect.Pointer && !field.IsNil() {
			field = field.Elem()
		}
		name, _, _ := strings.Cut(v.Type().Field(i).Tag.Get("json"), ",")
		switch {
		case identifying[name] && plainKinds[field.Kind()]:
			fmt.Fprint(sum, name, "=", field.Interface(), ";")
			any = true
		case deeper && field.Kind() == reflect.Struct && v.Type().Field(i).IsExported():
			any = identified(sum, field, false) || any
		}
	}
	return any
}

// sortBy orders a list by one of its keys, descending where the name has a - before it. What has the same key stays in
// the order in which it comes.
func sortBy[T any](all []T, by string, keys map[string]func(*T) string) {
	field, falls := strings.CutPrefix(by, "-")
	key := keys[field]
	type keyed struct {
		key string
		of  T
	}
	list := make([]keyed, len(all)) // each key is made once, not once a comparison
	for i := range all {
		list[i] = keyed{key(&all[i]), all[i]}
	}
	slices.SortStableFunc(list, func(a, b keyed) int {
		if falls {
			return strings.Compare(b.key, a.key)
		}
		return strings.Compare(a.key, b.key)
	})
	for i := range list {
		all[i] = list[i].of
	}
}
