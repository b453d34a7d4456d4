package httpapi_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

func holidays(days ...string) string {
	text := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//test//EN\r\n"
	for _, day := range days {
		text += "BEGIN:VEVENT\r\nUID:" + day +
			"\r\nDTSTAMP:20260101T000000Z\r\nSUMMARY:Stocktaking\r\nDTSTART;VALUE=DATE:" +
			strings.ReplaceAll(
				day,
				"-",
				"",
			) + "\r\nEND:VEVENT\r\n"
	}
	return text + "END:VCALENDAR\r\n"
}

// Public holidays come from a calendar file beside the hours that there are; who loses by them is told before.
func TestHolidaysComeFromACalendarFile(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	closed := testkit.InWeeks(5)
	send := func(text string, options ...client.Option) (*api.ChangeResult, error) {
		return idris.Write(ctx, "POST", "/places/SM/calendar", nil,
			append(options, client.Body("text/calendar", []byte(text)))...)
	}
	preview, err := send(holidays(closed), client.Preview(true))
	require.NoError(t, err)
	assert.Positive(t, preview.Effect.Losing, "who may not come on that day is told")
	_, err = send(holidays(closed))
	assert.ErrorContains(t, err, "say why")
	_, err = send(holidays(closed), client.Query("reason", "stocktaking"))
	require.NoError(t, err)
	var place api.Place
	require.NoError(t, idris.Get(ctx, "/places/SM", &place))
	assert.Len(t, place.Opening.Rules, 1, "the weekly hours stay")
	require.Len(t, place.Opening.Dated, 1)
	assert.Equal(t, api.DatedHours{Name: "Stocktaking", From: closed, Until: closed, Rules: []api.HoursRule{}},
		place.Opening.Dated[0])

	// What is taken along and brought back says the same.
	var text []byte
	require.NoError(t, idris.Get(ctx, "/places/SM/calendar", &text))
	_, err = send(string(text))
	assert.ErrorContains(t, err, "mode=replace")
	_, err = send(string(text), client.Query("mode", "replace"))
	require.NoError(t, err)
	var again api.Place
	require.NoError(t, idris.Get(ctx, "/places/SM", &again))
	assert.Equal(t, place.Opening, again.Opening)

	for _, wrong := range []struct{ text, says string }{{"hello", "no iCalendar file"},
		{holidays("1999-01-01"), "no day between"}, {strings.Repeat("X", 5<<20), "larger than this address takes"},
		{strings.Replace(holidays(closed), "SUMMARY", "RRULE:FREQ=HOURLY\r\nSUMMARY", 1), "more often than daily"}} {
		_, err := send(wrong.text, client.Query("reason", "r"))
		assert.ErrorContains(t, err, wrong.says)
	}
	_, err = s.Client(t, "joss").
		Write(ctx, "POST", "/places/SM/calendar", nil, client.Body("text/calendar", []byte("x")))
	assert.Error(t, err, "a supervisor edits no places")
	_, err = s.Client(t, "tamsin").Write(ctx, "POST", "/places/SM/calendar", nil, client.Query("reason", "r"),
		client.Body("text/calendar", []byte(holidays(closed))))
	assert.ErrorContains(t, err, "which you do not hold")
}
