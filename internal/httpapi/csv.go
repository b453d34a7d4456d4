package httpapi

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"reflect"
	"strings"

	"github.com/danielgtaylor/huma/v2"
)

// csvFormat writes a list as CSV (RFC 4180): a column for each plain field, and for a reference its code.
// What is not a list is written as JSON.
var csvFormat = huma.Format{
	Marshal: func(w io.Writer, v any) error {
		switch list := v.(type) {
		case interface{ Lines() [][]string }:
			return writeLines(w, list.Lines())
		case interface{ Rows() any }:
			return writeCSV(w, reflect.ValueOf(list.Rows()))
		}
		return json.NewEncoder(w).Encode(v)
	},
	Unmarshal: func([]byte, any) error { return fmt.Errorf("send JSON") },
}

var plainKinds = map[reflect.Kind]bool{reflect.String: true, reflect.Bool: true, reflect.Int: true, reflect.Int32: true,
	reflect.Int64:  true,
	reflect.Uint32: true, reflect.Uint64: true}

// writeLines writes lines that a type lays out itself, its header first.
func writeLines(w io.Writer, lines [][]string) error {
	out := csv.NewWriter(w)
	for _, line := range lines {
		for i := range line {
			line[i] = unformulated(line[i])
		}
		if err := out.Write(line); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// unformulated keeps a spreadsheet from taking a name for a formula.
func unformulated(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}

type column struct {
	name string
	path []int
}

func writeCSV(w io.Writer, rows reflect.Value) error {
	columns := columnsOf(rows.Type().Elem(), "", nil)
	out := csv.NewWriter(w)
	header := make([]string, len(columns))
	for i, c := range columns {
		header[i] = c.name
	}
	if err := out.Write(header); err != nil {
		return err
	}
	cells := make([]string, len(columns))
	for i := range rows.Len() {
		for j, c := range columns {
			cells[j] = cell(rows.Index(i), c.path)
		}
		if err := out.Write(cells); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
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
			columns = append(columns, column{prefix + name, here})
		case inner.Kind() == reflect.Slice && inner.Elem().Kind() == reflect.String:
			columns = append(columns, column{prefix + name, here})
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
	if v.Kind() == reflect.String {
		return unformulated(text)
	}
	return text
}
