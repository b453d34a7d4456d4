package calendar_test

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/calendar"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/hours"
)

var dublin = location("Europe/Dublin")

func location(name string) *time.Location {
	zone, err := time.LoadLocation(name)
	if err != nil {
		panic(err)
	}
	return zone
}

func date(text string) day.Date {
	d, err := day.Parse(text)
	if err != nil {
		panic(err)
	}
	return d
}

// read reads events for a place from 2026 until 2028.
func read(t *testing.T, events ...string) (*hours.Opening, error) {
	t.Helper()
	return readAt(dublin, date("2026-01-01"), date("2028-12-31"), events...)
}

func readAt(zone *time.Location, from, until day.Date, events ...string) (*hours.Opening, error) {
	text := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//test//EN\r\n"
	for i, event := range events {
		text += fmt.Sprintf("BEGIN:VEVENT\r\nUID:%d@test\r\nDTSTAMP:20260101T000000Z\r\n%s\r\nEND:VEVENT\r\n", i,
			strings.ReplaceAll(event, "\n", "\r\n"))
	}
	return calendar.Read(context.Background(), strings.NewReader(text+"END:VCALENDAR\r\n"), zone, from, until)
}

// Hours that are written are read back the same.
func TestHoursThatAreWrittenAreReadBack(t *testing.T) {
	at := time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC)
	rule := func(t *rapid.T) hours.Rule {
		from := rapid.IntRange(0, 1439).Draw(t, "from")
		until := rapid.IntRange(1, 1440).Draw(t, "until")
		if until == from {
			until = from%1440 + 1
		}
		return hours.Rule{Days: hours.Days(rapid.IntRange(1, 127).Draw(t, "days")), From: hours.Minute(from),
			Until: hours.Minute(until)}
	}
	rapid.Check(t, func(t *rapid.T) {
		o := &hours.Opening{Rules: rapid.SliceOfN(rapid.Custom(rule), 0, 4).Draw(t, "rules")}
		next := date("2026-12-01")
		for i := range rapid.IntRange(0, 5).Draw(t, "dated") {
			d := hours.Dated{
				Name: fmt.Sprint("Holiday, ", i),
				From: next + day.Date(rapid.IntRange(1, 30).Draw(t, "gap")),
			}
			d.Until = d.From + day.Date(rapid.IntRange(7, 20).Draw(t, "days"))
			if next = d.Until; rapid.Bool().Draw(t, "open") {
				d.Name = fmt.Sprint("Season; ", i)
				d.Rules = rapid.SliceOfN(rapid.Custom(rule), 1, 3).Draw(t, "season")
			}
			o.Dated = append(o.Dated, d)
		}
		var b bytes.Buffer
		require.NoError(t, calendar.Write(&b, "HB", "Harrow Bend", "Europe/Dublin", o, at))
		again, err := calendar.Read(context.Background(), &b, dublin, date("2026-11-01"), date("2029-01-01"))
		require.NoError(t, err)
		access := &hours.Access{Kind: hours.ByPlace}
		for d := date("2026-11-26"); d < next+20; d++ {
			for minute := 0; minute < 1440; minute += 7 {
				at := d.Start(dublin).Unix() + int64(minute)*60
				assert.Equal(t, access.Open(o, dublin, at), access.Open(again, dublin, at), "%s %d", d, minute)
			}
		}
	})
}

// Hours of a week whose first stretch passes a change of the clocks end by the clock on all days.
func TestAFirstStretchOverAChangeOfTheClocksEndsByTheClock(t *testing.T) {
	o, err := read(t, "SUMMARY:Open\nDTSTART;TZID=Europe/Dublin:20270328T005900\n"+
		"DTEND;TZID=Europe/Dublin:20270329T000700\nRRULE:FREQ=WEEKLY;BYDAY=SU")
	require.NoError(t, err)
	assert.Equal(t, []hours.Rule{{Days: 1, From: 59, Until: 7}}, o.Rules)
}

func TestHolidaysCloseAndRecurEachYear(t *testing.T) {
	o, err := read(t, "SUMMARY:Christmas Day\nDTSTART;VALUE=DATE:20201225\nRRULE:FREQ=YEARLY",
		"SUMMARY:Growers\\, all of them\nDTSTART;VALUE=DATE:20260803\nDTEND;VALUE=DATE:20260806")
	require.NoError(t, err)
	assert.Empty(t, o.Rules)
	assert.Equal(t, []hours.Dated{
		{Name: "Growers, all of them", From: date("2026-08-03"), Until: date("2026-08-05"), Rules: []hours.Rule{}},
		{Name: "Christmas Day", From: date("2026-12-25"), Until: date("2026-12-25"), Rules: []hours.Rule{}},
		{Name: "Christmas Day", From: date("2027-12-25"), Until: date("2027-12-25"), Rules: []hours.Rule{}},
		{Name: "Christmas Day", From: date("2028-12-25"), Until: date("2028-12-25"), Rules: []hours.Rule{}}}, o.Dated)
}

func TestWeeklyEventsAreWeeklyHours(t *testing.T) {
	o, err := read(
		t,
		"SUMMARY:Open\nDTSTART;TZID=Europe/Dublin:20260105T053000\nDTEND;TZID=Europe/Dublin:20260105T181500\n"+
			"RRULE:FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR\nEXDATE;TZID=Europe/Dublin:20260316T053000",
		"SUMMARY:Night\nDTSTART:20260103T220000\nDURATION:PT8H\nRRULE:FREQ=WEEKLY",
	)
	require.NoError(t, err)
	assert.Equal(
		t,
		[]hours.Rule{{Days: 0x3e, From: 330, Until: 1095}, {Days: 1 << time.Saturday, From: 1320, Until: 360}},
		o.Rules,
	)
	assert.Equal(
		t,
		[]hours.Dated{{Name: "Closed", From: date("2026-03-16"), Until: date("2026-03-16"), Rules: []hours.Rule{}}},
		o.Dated,
	)
}

// The examples of RFC 5545, section 3.8.5.3, that hours can have, in its own time zone and years.
func TestTheStandardsOwnExamples(t *testing.T) {
	newYork := location("America/New_York")
	for _, c := range []struct{ start, rule, more, days string }{
		{"19970902T090000", "FREQ=DAILY;COUNT=10", "", "1997-09-02 03 04 05 06 07 08 09 10 11"},
		{"19970902T090000", "FREQ=DAILY;INTERVAL=10;COUNT=5", "", "1997-09-02 12 22|1997-10-02 12"},
		{"19970902T090000", "FREQ=WEEKLY;COUNT=10", "", "1997-09-02 09 16 23 30|1997-10-07 14 21 28|1997-11-04"},
		{"19970902T090000", "FREQ=WEEKLY;UNTIL=19971007T000000Z;WKST=SU;BYDAY=TU,TH", "",
			"1997-09-02 04 09 11 16 18 23 25 30|1997-10-02"},
		{"19970901T090000", "FREQ=WEEKLY;INTERVAL=2;UNTIL=19971024T000000Z;WKST=SU;BYDAY=MO,WE,FR", "",
			"1997-09-01 03 05 15 17 19 29|1997-10-01 03 13 15 17"},
		{"19970905T090000", "FREQ=MONTHLY;COUNT=10;BYDAY=1FR", "",
			"1997-09-05|1997-10-03|1997-11-07|1997-12-05|1998-01-02|1998-02-06|1998-03-06|1998-04-03|" +
				"1998-05-01|1998-06-05"},
		{"19970902T090000", "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=2,15", "",
			"1997-09-02 15|1997-10-02 15|1997-11-02 15|1997-12-02 15|1998-01-02 15"},
		{"19970610T090000", "FREQ=YEARLY;COUNT=4;BYMONTH=6,7", "", "1997-06-10|1997-07-10|1998-06-10|1998-07-10"},
		{"19970902T090000", "FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13", "EXDATE;TZID=America/New_York:19970902T090000",
			"1998-02-13|1998-03-13|1998-11-13|1999-08-13"},
		{"19961105T090000", "FREQ=YEARLY;INTERVAL=4;BYMONTH=11;BYDAY=TU;BYMONTHDAY=2,3,4,5,6,7,8", "", "1996-11-05"},
		{"19970904T090000", "FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3", "", "1997-09-04|1997-10-07|1997-11-06"},
	} {
		event := "SUMMARY:Open\nDTSTART;TZID=America/New_York:" + c.start + "\nDURATION:PT1H\nRRULE:" + c.rule
		if c.more != "" {
			event += "\n" + c.more
		}
		o, err := readAt(newYork, date("1996-01-01"), date("1999-12-31"), event)
		if !assert.NoError(t, err, c.rule) {
			continue
		}
		var got []string
		for _, d := range o.Dated {
			assert.Equal(t, []hours.Rule{{Days: 1 << d.From.Weekday(), From: 540, Until: 600}}, d.Rules)
			got = append(got, d.From.String())
		}
		var want []string
		for month := range strings.SplitSeq(c.days, "|") {
			for i, part := range strings.Fields(month) {
				if i == 0 {
					want = append(want, part)
				} else {
					want = append(want, month[:8]+part)
				}
			}
		}
		assert.Equal(t, want, got, c.rule)
	}
}

func TestOneOccurrenceIsReplacedByAnother(t *testing.T) {
	text := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:a\r\n" +
		"DTSTAMP:20260101T000000Z\r\nSUMMARY:Late\r\n" +
		"DTSTART:20260105T180000\r\nDTEND:20260105T200000\r\nRRULE:FREQ=WEEKLY;COUNT=3\r\nEND:VEVENT\r\n" +
		"BEGIN:VEVENT\r\nUID:a\r\n" +
		"DTSTAMP:20260101T000000Z\r\nSUMMARY:Later\r\nRECURRENCE-ID:20260112T180000\r\nDTSTART:20260113T190000\r\n" +
		"DTEND:20260113T200000\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
	o, err := calendar.Read(context.Background(), strings.NewReader(text), dublin, date("2026-01-01"),
		date("2026-12-31"))
	require.NoError(t, err)
	var days []string
	for _, d := range o.Dated {
		days = append(days, d.From.String()+" "+d.Name)
	}
	assert.Equal(t, []string{"2026-01-05 Late", "2026-01-13 Later", "2026-01-19 Late"}, days)
}

func TestWhatHoursCannotBeIsRefusedWithWhy(t *testing.T) {
	for event, says := range map[string]string{
		"SUMMARY:x\nDTSTART:20260105T180000\nDURATION:PT1M\nRRULE:FREQ=SECONDLY": "more often than daily",
		"SUMMARY:x\nDTSTART;TZID=Moon/Base:20260105T180000\n" +
			"DURATION:PT1H": "nobody knows the time zone",
		"SUMMARY:x\nDTSTART;TZID=Asia/Tokyo:20260105T180000\nDURATION:PT1H\n" +
			"RRULE:FREQ=WEEKLY": "by the clocks of Asia/Tokyo",
		"SUMMARY:x\nDTSTART:20260105T180000\nDTEND:20260105T170000": "ends before it begins",
		"SUMMARY:x\nDTSTART:20260105T180000":                        "no end",
		"SUMMARY:x\nDTSTART:20260105T180000\nDURATION:P2D":          "more than a day",
		"SUMMARY:x\nDTSTART:20260105T180030\nDURATION:PT1H":         "whole minutes",
		"SUMMARY:x\nDTSTART;VALUE=DATE:20260105\nRRULE:FREQ=DAILY":  "more than 400 days",
		"SUMMARY:x\nDTSTART;VALUE=DATE:20260105\nRRULE:FREQ=NEVER":  "cannot be read",
		"SUMMARY:x\nDTSTART;" +
			"VALUE=DATE:20260231": "neither a date nor a time",
		"SUMMARY:x\nDTSTART;VALUE=DATE:20260105\nDTEND:20260106T000000": "begins with a date",
		"SUMMARY:x": "no begin",
	} {
		_, err := read(t, event)
		assert.ErrorContains(t, err, says, event)
	}
	_, err := calendar.Read(context.Background(), strings.NewReader("hello"), dublin, 1, 2)
	assert.ErrorContains(t, err, "no iCalendar file")
	_, err = calendar.Read(context.Background(), strings.NewReader(strings.Repeat("X", calendar.MostBytes+2)), dublin,
		1, 2)
	assert.ErrorContains(t, err, "at most 1024 KiB")
	many := make([]string, calendar.MostEvents+1)
	for i := range many {
		many[i] = "DTSTART;VALUE=DATE:20260105"
	}
	_, err = read(t, many...)
	assert.ErrorContains(t, err, "at most 2000 events")
	_, err = read(t, "SUMMARY:x\nDTSTART;VALUE=DATE:20260105\nRRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30")
	assert.NoError(t, err, "a day that never comes is on no list, and is not looked for for ever")
}

// Nothing that is read makes the reader fail or go on for ever, and what it takes for hours are hours.
// Rules that never fall on a day take long to say so: many of them are given up together.
func TestRulesThatNeverFallOnADayAreGivenUp(t *testing.T) {
	var text strings.Builder
	text.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n")
	for i := range calendar.MostEvents {
		fmt.Fprintf(&text, "BEGIN:VEVENT\r\nUID:%d\r\nSUMMARY:Never\r\nDTSTART;VALUE=DATE:20261101\r\n"+
			"RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30\r\nEND:VEVENT\r\n", i)
	}
	text.WriteString("END:VCALENDAR\r\n")
	_, err := calendar.Read(context.Background(), strings.NewReader(text.String()), dublin, date("2026-11-01"),
		date("2029-01-01"))
	assert.ErrorContains(t, err, "take too long to find")
}

func FuzzRead(f *testing.F) {
	f.Add(
		"SUMMARY:Open\nDTSTART;TZID=Europe/Dublin:20260105T053000\nDTEND;TZID=Europe/Dublin:20260105T181500\n" +
			"RRULE:FREQ=WEEKLY;BYDAY=MO",
	)
	f.Add("SUMMARY:x\nDTSTART;VALUE=DATE:20260105\nRRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30")
	f.Add(
		"SUMMARY:x\nDTSTART:20260105T180000\nDURATION:PT1H\nRRULE:FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13\n" +
			"EXDATE:20260105T180000",
	)
	f.Add("RRULE:FREQ=DAILY;INTERVAL=0\nDTSTART:20260105T180000\nDURATION:P1W")
	f.Fuzz(func(t *testing.T, event string) {
		o, err := readAt(dublin, date("2026-01-01"), date("2028-12-31"), event)
		if err == nil && o.Check() != nil {
			t.Errorf("%q is read as hours that are none", event)
		}
	})
}
