package day

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestDatesAreReadAsPeopleWriteThem(t *testing.T) {
	for text, want := range map[string]string{
		"2026-11-30": "2026-11-30", " 2026-11-30 ": "2026-11-30", "2026/11/30": "2026-11-30",
		"30/11/2026": "2026-11-30",
		"11/30/2026": "2026-11-30", "30.11.2026": "2026-11-30", "30.11.26": "2026-11-30", "3.4.2026": "2026-04-03",
		"30-11-2026": "2026-11-30", "30 Nov 2026": "2026-11-30", "30-Nov-26": "2026-11-30",
		"Nov 30, 2026":     "2026-11-30",
		"November 30 2026": "2026-11-30", "1st December 2026": "2026-12-01", "2026 Nov 30": "2026-11-30",
		"5/5/2026": "2026-05-05", "2026-11-30 00:00:00": "2026-11-30", "2026-11-30T00:00:00": "2026-11-30",
		"30/11/2026 00:00": "2026-11-30", "2 Sept 2026": "2026-09-02", "": "",
	} {
		date, err := Read(text, AnyOrder)
		require.NoError(t, err, text)
		assert.Equal(t, want, date.String(), text)
	}
	for _, text := range []string{"soon", "30/02/2026", "31/31/2026", "2026-13-01", "1/2", "1/2/3/4", "Nov 2026",
		"30 Nov",
		"46356", "12/12/1066", "30 Novembre 2026", "Friday", "1-2-3-", "99/99/99", "30/11/026", "0/1/2026"} {
		_, err := Read(text, AnyOrder)
		assert.Error(t, err, text)
	}
}

func TestADateThatIsTwoIsRefusedWithBoth(t *testing.T) {
	_, err := Read("03/04/2026", AnyOrder)
	var two *AmbiguousError
	require.True(t, errors.As(err, &two))
	assert.Equal(t, [2]string{"2026-04-03", "2026-03-04"}, [2]string{two.Either[0].String(), two.Either[1].String()})
	assert.Contains(t, err.Error(), "3 Apr 2026 or 4 Mar 2026")
	for order, want := range map[Order]string{DayMonthYear: "2026-04-03", MonthDayYear: "2026-03-04"} {
		date, err := Read("03/04/2026", order)
		require.NoError(t, err)
		assert.Equal(t, want, date.String())
	}
	date, err := Read("26/04/03", YearMonthDay)
	require.NoError(t, err)
	assert.Equal(t, "2026-04-03", date.String())
	_, err = Read("13/25/2026", MonthDayYear)
	assert.Error(t, err, "the order that is said holds")
}

func FuzzRead(f *testing.F) {
	for _, seed := range []string{"2026-11-30", "3/4/26", "1st Dec 2026", "30.11.2026 00:00", "é/é/é"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for _, order := range []Order{AnyOrder, DayMonthYear, MonthDayYear, YearMonthDay} {
			date, err := Read(text, order)
			if err != nil || date == 0 {
				continue
			}
			again, err := Read(date.String(), order)
			if err != nil || again != date {
				t.Fatalf("%q is %v, which is read as %v, %v", text, date, again, err)
			}
		}
	})
}
