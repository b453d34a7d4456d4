package store

import (
	"encoding/json"
	"fmt"
	"strconv"
	"time"

	"loyallatch.example/latch/internal/core/day"
)

// column is one column of a table: its name, how the field of a record is made of a value that the driver hands over,
// and the value that the driver takes for it. All that the store knows of a field stands in its one column.
type column[R any] struct {
	name  string
	read  func(record *R, from any) error
	write func(record *R) any
}

// The kinds of column follow. Each is given the field that it is about.

// text keeps a text.
func text[R any, T ~string](name string, field func(*R) *T) column[R] {
	return column[R]{name,
		func(r *R, from any) error {
			read, err := textOf(from)
			*field(r) = T(read)
			return err
		},
		func(r *R) any { return string(*field(r)) }}
}

// optional keeps a text, and NULL where it is empty: of a unique column, so that many may have none.
func optional[R any, T ~string](name string, field func(*R) *T) column[R] {
	c := text(name, field)
	return nullable(c, func(r *R) bool { return *field(r) == "" })
}

// number keeps a number.
func number[R any, T ~int | ~int32 | ~uint32 | ~uint64](name string, field func(*R) *T) column[R] {
	return column[R]{name,
		func(r *R, from any) error {
			read, err := numberOf(from)
			if *field(r) = T(read); err == nil && int64(T(read)) != read {
				err = fmt.Errorf("%d is beyond what this can be", read)
			}
			return err
		},
		func(r *R) any { return int64(*field(r)) }}
}

// reference keeps the number of another record, and NULL where it is none.
func reference[R any, T ~uint32](name string, field func(*R) *T) column[R] {
	return nullable(number(name, field), func(r *R) bool { return *field(r) == 0 })
}

// flag keeps a yes or no.
func flag[R any](name string, field func(*R) *bool) column[R] {
	return column[R]{name,
		func(r *R, from any) error {
			read, err := numberOf(from)
			*field(r) = read != 0
			return err
		},
		func(r *R) any { return *field(r) }}
}

// date keeps a date, and NULL where it is none.
func date[R any](name string, field func(*R) *day.Date) column[R] {
	c := column[R]{name,
		func(r *R, from any) error {
			read, ok := from.(time.Time)
			if !ok {
				return fmt.Errorf("%v is not a date", from)
			}
			*field(r) = day.Of(read)
			return nil
		},
		func(r *R) any { return field(r).Start(time.UTC) }}
	return nullable(c, func(r *R) bool { return field(r).IsZero() })
}

// moment keeps an instant, to the second, and NULL where it is none.
func moment[R any](name string, field func(*R) *time.Time) column[R] {
	c := column[R]{name,
		func(r *R, from any) error {
			read, ok := from.(time.Time)
			if !ok {
				return fmt.Errorf("%v is not a moment", from)
			}
			*field(r) = read
			return nil
		},
		func(r *R) any { return *field(r) }}
	return nullable(c, func(r *R) bool { return field(r).IsZero() })
}

// digest keeps 32 bytes.
func digest[R any, T ~[32]byte](name string, field func(*R) *T) column[R] {
	return column[R]{name,
		func(r *R, from any) error {
			read, ok := from.([]byte)
			if !ok || len(read) != 32 {
				return fmt.Errorf("a digest has 32 bytes")
			}
			*field(r) = T(read)
			return nil
		},
		func(r *R) any {
			all := [32]byte(*field(r))
			return all[:]
		}}
}

// bytes keeps bytes, and NULL where there are none.
func bytes[R any](name string, field func(*R) *[]byte) column[R] {
	c := column[R]{name,
		func(r *R, from any) error {
			read, ok := from.([]byte)
			if !ok {
				return fmt.Errorf("%T are not bytes", from)
			}
			*field(r) = append([]byte{}, read...)
			return nil
		},
		func(r *R) any { return *field(r) }}
	return nullable(c, func(r *R) bool { return len(*field(r)) == 0 })
}

// document keeps a value of several parts as JSON.
func document[R, V any](name string, field func(*R) *V) column[R] {
	return column[R]{name,
		func(r *R, from any) error {
			read, err := textOf(from)
			if err != nil {
				return err
			}
			return json.Unmarshal([]byte(read), field(r))
		},
		func(r *R) any { return encode(*field(r)) }}
}

// nullable keeps NULL where a field is empty.
func nullable[R any](c column[R], empty func(*R) bool) column[R] {
	return column[R]{c.name,
		func(r *R, from any) error {
			if from == nil {
				return nil
			}
			return c.read(r, from)
		},
		func(r *R) any {
			if empty(r) {
				return nil
			}
			return c.write(r)
		}}
}

// within keeps a field of a part that a record may be without; all columns of the part are then NULL.
func within[R, P any](part func(*R) **P, c column[P]) column[R] {
	return column[R]{c.name,
		func(r *R, from any) error {
			if from == nil {
				return nil
			}
			if *part(r) == nil {
				*part(r) = new(P)
			}
			return c.read(*part(r), from)
		},
		func(r *R) any {
			if *part(r) == nil {
				return nil
			}
			return c.write(*part(r))
		}}
}

func textOf(from any) (string, error) {
	switch v := from.(type) {
	case []byte:
		return string(v), nil
	case string:
		return v, nil
	}
	return "", fmt.Errorf("%v is not a text", from)
}

func numberOf(from any) (int64, error) {
	switch v := from.(type) {
	case int64:
		return v, nil
	case uint64:
		return int64(v), nil
	case bool:
		if v {
			return 1, nil
		}
		return 0, nil
	case []byte:
		return strconv.ParseInt(string(v), 10, 64)
	}
	return 0, fmt.Errorf("%v is not a number", from)
}

func encode(v any) string {
	text, err := json.Marshal(v)
	if err != nil {
		panic(err) // our own record types always encode
	}
	return string(text)
}
