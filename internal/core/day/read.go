package day

import (
	"fmt"
	"strconv"
	"strings"
	"time"
	"unicode"
)

// Order is the order in which somebody writes the parts of a date in digits.
type Order string

// The orders.
const (
	AnyOrder     Order = ""    // whichever is the only one that makes a date
	DayMonthYear Order = "dmy" // 31/12/2026
	MonthDayYear Order = "mdy" // 12/31/2026
	YearMonthDay Order = "ymd" // 2026/12/31
)

// AmbiguousError says that a date can be read in two ways.
type AmbiguousError struct {
	Text   string
	Either [2]Date
}

// Error names the two readings.
func (e *AmbiguousError) Error() string {
	return fmt.Sprintf("%q may be %s or %s; write it as %s or %s", e.Text, e.Either[0].Words(), e.Either[1].Words(),
		e.Either[0], e.Either[1])
}

// Read reads a date as people and spreadsheets write it: 2026-11-30, 30/11/2026, 30.11.26, 30 Nov 2026, November 30,
// 2026. Digits that are a date in two ways are read in the order that is given, and otherwise refused with both
// readings. A year of two digits is one of this century.
func Read(text string, order Order) (Date, error) {
	text = strings.TrimSpace(text)
	if date, err := Parse(text); err == nil || text == "" {
		return date, err
	}
	// A spreadsheet may add a time to a date; midnight is none
	for _, midnight := range []string{" 00:00:00", "T00:00:00Z", "T00:00:00", " 00:00", " 0:00"} {
		text = strings.TrimSuffix(text, midnight)
	}
	parts := strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	wrong := fmt.Errorf("%q is not a date; write it as 2026-11-30", text)
	if len(parts) != 3 {
		return 0, wrong
	}
	numbers, month, at := [3]int{}, time.Month(0), -1
	for i, part := range parts {
		n, err := strconv.Atoi(strings.TrimRight(strings.ToLower(part), "stndrh"))
		switch {
		case err == nil && n >= 0:
			numbers[i] = n
		case month == 0 && monthNamed(part) != 0:
			month, at = monthNamed(part), i
		default:
			return 0, wrong
		}
	}
	if month != 0 {
		switch at {
		case 0: // November 30 2026
			return among(wrong, made(numbers[1], month, numbers[2], len(parts[2]) == 2))
		case 1: // 30 November 2026, 2026 Nov 30
			if len(parts[0]) == 4 {
				return among(wrong, made(numbers[2], month, numbers[0], false))
			}
			return among(wrong, made(numbers[0], month, numbers[2], len(parts[2]) == 2))
		}
		return 0, wrong
	}
	dotted := strings.Contains(text, ".")
	short := len(parts[2]) == 2
	switch {
	case len(parts[0]) == 4:
		return among(wrong, made(numbers[2], time.Month(numbers[1]), numbers[0], false))
	case order == YearMonthDay && short:
		return among(wrong, made(numbers[2], time.Month(numbers[1]), numbers[0], true))
	case len(parts[2]) != 4 && !short:
		return 0, wrong
	}
	first := made(numbers[0], time.Month(numbers[1]), numbers[2], short)  // day first
	second := made(numbers[1], time.Month(numbers[0]), numbers[2], short) // month first
	switch {
	case order == DayMonthYear || dotted:
		return among(wrong, first)
	case order == MonthDayYear:
		return among(wrong, second)
	case first != 0 && second != 0 && first != second:
		return 0, &AmbiguousError{text, [2]Date{first, second}}
	}
	return among(wrong, first, second)
}

// among returns the date that there is, or the error.
func among(wrong error, dates ...Date) (Date, error) {
	for _, date := range dates {
		if date != 0 {
			return date, nil
		}
	}
	return 0, wrong
}

// made makes a date of its parts; none where they make none.
func made(dayOfMonth int, month time.Month, year int, short bool) Date {
	if short {
		year += 2000
	}
	if year < FirstYear || year > LastYear || month < 1 || month > 12 || dayOfMonth < 1 || dayOfMonth > 31 {
		return 0
	}
	at := time.Date(year, month, dayOfMonth, 0, 0, 0, 0, time.UTC)
	if at.Day() != dayOfMonth { // 30 February
		return 0
	}
	return Of(at)
}

// monthNamed returns the month of a name or of its first three letters or more.
func monthNamed(name string) time.Month {
	name = strings.ToLower(name)
	for month := time.January; month <= time.December; month++ {
		if long := strings.ToLower(month.String()); len(name) >= 3 && strings.HasPrefix(long, name) || name == "sept" &&
			month == time.September {
			return month
		}
	}
	return 0
}
