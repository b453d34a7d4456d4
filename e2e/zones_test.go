package e2e

import (
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/testkit"
)

// Whoever manages from another time zone reads and types the time of the place, which is named.
func TestTimesAreThoseOfThePlace(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.do(call(emulation.SetTimezoneOverride, emulation.SetTimezoneOverrideParams{TimezoneID: "Asia/Tokyo"}))
	p.signIn("maren")
	p.visit("/staff/Q0011")
	p.press("Lock")
	p.see("In Dublin time. Left empty: until somebody unlocks.")
	p.fill("Why", "Left a badge on the counter")
	p.fill("Until", "tomorrow 6 pm")
	p.see("18:00 Dublin time")
	p.press("Lock now")
	p.see("18:00:00 Dublin time")
	var person api.Staff
	require.NoError(t, s.Client(t, "maren").Do(t.Context(), "GET", "/staff/Q0011", nil, &person))
	require.NotNil(t, person.Lock)
	require.NotNil(t, person.Lock.Until)
	there, err := time.LoadLocation("Europe/Dublin")
	require.NoError(t, err)
	assert.Equal(t, "18:00", person.Lock.Until.In(there).Format("15:04"), "as was typed, there")
	assert.Equal(t, testkit.InDays(1), person.Lock.Until.In(there).Format(time.DateOnly), "the day there")

	p.visit("/estate/HB-PACK-1")
	p.see("In Dublin time.")
}
