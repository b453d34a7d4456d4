package httpapi

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"loyallatch.example/latch/internal/paper"
	"loyallatch.example/latch/internal/sheet"
)

// csvFormat writes a list as CSV (RFC 4180): a column for each plain field, and for a reference its code.
// What is not a list is written as JSON.
var csvFormat = huma.Format{
	Marshal: func(w io.Writer, v any) error {
		if lines := linesOf(v); lines != nil {
			return writeLines(w, ended(v, lines))
		}
		return json.NewEncoder(w).Encode(v)
	},
	Unmarshal: func([]byte, any) error { return fmt.Errorf("send JSON") },
}

// xlsxFormat writes a list as a workbook (ISO/IEC 29500), each cell as text: no code becomes a date there, and no name
// a formula.
var xlsxFormat = huma.Format{
	Marshal: func(w io.Writer, v any) error {
		if lines := linesOf(v); lines != nil {
			return sheet.Write(w, ended(v, lines))
		}
		return json.NewEncoder(w).Encode(v)
	},
	Unmarshal: csvFormat.Unmarshal,
}

// mostOnPaper bounds how many rows of a list are printed.
const mostOnPaper = 10_000

// pdfFormat writes a list as a table on paper (ISO 32000).
var pdfFormat = huma.Format{
	Marshal: func(w io.Writer, v any) error {
		lines := linesOf(v)
		if lines == nil {
			return json.NewEncoder(w).Encode(v)
		}
		total := len(lines) - 1
		if page, ok := v.(interface{ Of() int }); ok {
			total = page.Of()
		}
		for _, line := range lines[1:] {
			for i := range line {
				line[i] = momentOfCell.ReplaceAllString(line[i], "$1 $2")
			}
		}
		for i, name := range lines[0] {
			lines[0][i] = strings.ToUpper(name[:min(1, len(name))]) + strings.ReplaceAll(name[min(1, len(name)):], "_",
				" ")
		}
		return paper.List(w, lines, total, time.Now().UTC())
	},
	Unmarshal: csvFormat.Unmarshal,
}

// momentOfCell is an RFC 3339 moment in UTC: on paper it has no seconds.
var momentOfCell = regexp.MustCompile(`^([0-9-]{10})T([0-9:]{5}):[0-9.]+Z$`)

// linesOf lays a list out as lines of cells, its header first; nil where it is no list.
func linesOf(v any) [][]string {
	switch list := v.(type) {
	case interface{ Lines() [][]string }:
		return list.Lines()
	case interface{ Rows() any }:
		return tableOf(reflect.ValueOf(list.Rows()))
	}
	return nil
}

// mostInFile bounds how many rows of a list go into a file of CSV or a workbook.
const mostInFile = 100_000

// ended adds, to a list that goes on beyond the bound of a file, a last line that says so.
func ended(v any, lines [][]string) [][]string {
	page, is := v.(interface{ Following() string })
	if !is || page.Following() == "" || len(lines) <= mostInFile {
		return lines
	}
	last := make([]string, len(lines[0]))
	last[0] = fmt.Sprintf("This file ends after %d lines, and the list goes on: narrow it, or ask for the next with "+
		"after=%s", len(lines)-1, page.Following())
	return append(lines, last)
}

var plainKinds = map[reflect.Kind]bool{reflect.String: true, reflect.Bool: true, reflect.Int: true, reflect.Int32: true,
	reflect.Int64:  true,
	reflect.Uint32: true, reflect.Uint64: true}

// writeLines writes lines that a type lays out itself, its header first.
func writeLines(w io.Writer, lines [][]string) error {
	out := csv.NewWriter(w)
	out.UseCRLF = true // RFC 4180, 2
	for _, line := range lines {
		safe := make([]string, len(line))
		for i := range line {
			safe[i] = unformulated(line[i])
		}
		if err := out.Write(safe); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// number is what a spreadsheet takes for a number, and may: also one of a telephone.
var number = regexp.MustCompile(`^[+-]?[0-9][0-9 .()/-]*$`)

// unformulated keeps a spreadsheet from taking a name for a formula.
func unformulated(text string) string {
	if text != "" && !number.MatchString(text) && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}

type column struct {
	name string
	path []int
	key  string // of a field that holds texts by their keys: whose this column is
}

// spread makes of a column that holds texts by their keys one for each key that a row has.
func spread(columns []column, rows reflect.Value) (all []column) {
	for _, c := range columns {
		if c.key == "" {
			all = append(all, c)
			continue
		}
		keys := map[string]bool{}
		for i := range rows.Len() {
			for _, key := range rows.Index(i).FieldByIndex(c.path).MapKeys() {
				keys[key.String()] = true
			}
		}
		for _, key := range slices.Sorted(maps.Keys(keys)) {
			all = append(all, column{c.name + "." + key, c.path, key})
		}
	}
	return all
}

func tableOf(rows reflect.Value) [][]string {
	columns := spread(columnsOf(rows.Type().Elem(), "", nil), rows)
	lines := make([][]string, 1, rows.Len()+1)
	for _, c := range columns {
		lines[0] = append(lines[0], c.name)
	}
	for i := range rows.Len() {
		cells := make([]string, len(columns))
		for j, c := range columns {
			if c.key == "" {
				cells[j] = cell(rows.Index(i), c.path)
			} else if value := rows.Index(i).FieldByIndex(c.path).MapIndex(reflect.ValueOf(c.key)); value.IsValid() {
				cells[j] = value.String()
			}
		}
		lines = append(lines, cells)
	}
	return lines
}

func columnsOf(t reflect.Type, prefix string, path []int) []column {
	var columns []column
	for i := range t.NumField() {
		field := t.Field(i)
		name, _, _ := strings.Cut(field.Tag.Get("json"), ",")
		here := append(append([]int(nil), path...), i)
		inner := field.Type
		if inner.Kind() == reflect.Pointer {
			inner = inner.Elem()
		}
		switch {
		case name == "" || name == "-" || name == "etag" || name == "hash":
		case inner.String() == "time.Time" || plainKinds[inner.Kind()]:
			columns = append(columns, column{name: prefix + name, path: here})
		case inner.Kind() == reflect.Map && prefix == "" && inner.Elem().Kind() == reflect.String:
			columns = append(columns, column{name: name, path: here, key: "*"})
		case inner.Kind() == reflect.Slice && inner.Elem().Kind() == reflect.String:
			columns = append(columns, column{name: prefix + name, path: here})
		case inner.Kind() == reflect.Struct && prefix == "":
			columns = append(columns, columnsOf(inner, name+"_", here)...)
		}
	}
	return columns
}

func cell(v reflect.Value, path []int) string {
	for _, i := range path {
		if v.Kind() == reflect.Pointer {
			if v.IsNil() {
				return ""
			}
			v = v.Elem()
		}
		v = v.Field(i)
	}
	if v.Kind() == reflect.Pointer {
		if v.IsNil() {
			return ""
		}
		v = v.Elem()
	}
	text := ""
	switch value := v.Interface().(type) {
	case []string:
		text = strings.Join(value, "; ")
	case interface{ MarshalText() ([]byte, error) }:
		if encoded, err := value.MarshalText(); err == nil {
			text = string(encoded)
		}
	default:
		text = fmt.Sprint(value)
	}
	return text
}
