package hours

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/day"
)

var dublin = func() *time.Location {
	location, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		panic(err)
	}
	return location
}()

func at(text string) int64 {
	t, err := time.ParseInLocation("2006-01-02 15:04", text, dublin)
	if err != nil {
		panic(err)
	}
	return t.Unix()
}

func opening(t testing.TB, text string) *Opening {
	var o Opening
	require.NoError(t, json.Unmarshal([]byte(text), &o))
	return &o
}

func TestOpenFollowsTheRules(t *testing.T) {
	place := opening(t, `{"rules":[{"days":"mon-fri","from":"05:30","until":"18:15"},{"days":"sat","from":"22:00","until":"02:00"}],
		"dated":[{"name":"holiday","from":"2026-12-25","until":"2026-12-26","rules":[]},{"name":"harvest","from":"2026-09-01","until":"2026-09-07","rules":[{"days":"sun","from":"08:00","until":"12:00"}]}]}`)
	early := Access{Kind: ByPlace, BeforeMinutes: 30, AfterMinutes: 15}
	night := Access{Kind: Weekly, Rules: []Rule{{Days: EveryDay, From: 22 * 60, Until: 6 * 60}}}
	for _, c := range []struct {
		name, moment string
		access       Access
		open         bool
	}{
		{"on a weekday", "2026-11-24 12:00", Access{}, true},
		{"at the first minute", "2026-11-24 05:30", Access{}, true},
		{"a minute before", "2026-11-24 05:29", Access{}, false},
		{"at the end no longer", "2026-11-24 18:15", Access{}, false},
		{"earlier by the margin", "2026-11-24 05:00", early, true},
		{"not before the margin", "2026-11-24 04:59", early, false},
		{"later by the margin", "2026-11-24 18:29", early, true},
		{"past midnight into Sunday", "2026-11-29 01:30", Access{}, true},
		{"not past its end on Sunday", "2026-11-29 02:00", Access{}, false},
		{"closed on a holiday", "2026-12-25 12:00", Access{}, false},
		{"a season replaces the rules", "2026-09-02 12:00", Access{}, false},
		{"a season's own rules", "2026-09-06 09:00", Access{}, true},
		{"always needs no opening", "2026-12-25 03:00", Access{Kind: Always}, true},
		{"a night shift before midnight", "2026-11-24 23:00", night, true},
		{"a night shift after midnight", "2026-11-25 05:59", night, true},
		{"not by day", "2026-11-25 06:00", night, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			assert.Equal(t, c.open, c.access.Open(place, dublin, at(c.moment)))
		})
	}
	assert.True(t, (&Access{}).Open(nil, dublin, at("2026-11-24 03:00")), "a place without opening hours never closes")
}

func TestRulesHoldThroughClockChanges(t *testing.T) {
	place := opening(t, `{"rules":[{"days":"sun","from":"00:30","until":"05:00"}]}`)
	// On 25 October 2026 clocks in Dublin go back at 02:00; on 28 March 2027 they go forward at 01:00.
	for _, date := range []string{"2026-10-25", "2027-03-28"} {
		assert.True(t, (&Access{}).Open(place, dublin, at(date+" 04:59")), date)
		assert.False(t, (&Access{}).Open(place, dublin, at(date+" 05:00")), date)
		assert.True(t, (&Access{}).Open(place, dublin, at(date+" 00:30")), date)
	}
}

func drawRules(t *rapid.T) []Rule {
	return rapid.SliceOfN(rapid.Custom(func(t *rapid.T) Rule {
		return Rule{Days: Days(rapid.IntRange(1, 127).Draw(t, "days")),
			From:  Minute(rapid.IntRange(0, 1439).Draw(t, "from")),
			Until: Minute(rapid.IntRange(1, 1440).Draw(t, "until"))}
	}), 1, 3).Draw(t, "rules")
}

// NextOpen is open, is not in the past, and nothing between is: looked at every quarter of an hour.
func TestNextOpenIsTheNextOpening(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		place := &Opening{Rules: drawRules(t)}
		access := &Access{Kind: ByPlace}
		moment := at(rapid.SampledFrom([]string{"2026-10-20 00:00", "2027-03-24 00:00"}).Draw(t, "season")) +
			int64(rapid.IntRange(0, 8*24*60).Draw(t, "minutes"))*60
		next, ok := access.NextOpen(place, dublin, moment)
		require.True(t, ok)
		require.GreaterOrEqual(t, next.Unix(), moment)
		assert.True(t, access.Open(place, dublin, next.Unix()), next)
		for between := moment; between < next.Unix(); between += 900 {
			assert.False(t, access.Open(place, dublin, between), time.Unix(between, 0).In(dublin))
		}
	})
}

func TestOpenDoesNotAllocate(t *testing.T) {
	place := opening(t, `{"rules":[{"days":"mon-fri","from":"05:30","until":"18:15"}]}`)
	access, moment := &Access{Kind: ByPlace, BeforeMinutes: 10}, at("2026-11-24 12:00")
	fewest := 1.0 // what others in the process allocate is counted too
	for attempt := 0; attempt < 20 && fewest > 0; attempt++ {
		fewest = min(fewest, testing.AllocsPerRun(20, func() { access.Open(place, dublin, moment) }))
	}
	assert.Zero(t, fewest)
}

func TestWordsAreSaidAsPeopleSayThem(t *testing.T) {
	date, err := day.Parse("2026-11-24")
	require.NoError(t, err)
	place := opening(t, `{"rules":[{"days":"mon-sat","from":"05:30","until":"18:15"},{"days":"sun","from":"08:00","until":"12:00"}]}`)
	assert.Equal(t, "Mon–Sat 05:30–18:15, Sun 08:00–12:00", (&Access{}).Words(place, date))
	assert.Equal(t, "Mon–Sat 05:00–18:30, Sun 07:30–12:15",
		(&Access{Kind: ByPlace, BeforeMinutes: 30, AfterMinutes: 15}).Words(place, date))
	assert.Equal(t, "at all hours", (&Access{Kind: Always}).Words(place, date))
	assert.Equal(t, "day and night",
		(&Access{}).Words(opening(t, `{"rules":[{"days":"mon-sun","from":"00:00","until":"24:00"}]}`), date))
	assert.Equal(t, "Mon, Wed–Fri 06:00–14:00",
		(&Access{Kind: Weekly, Rules: []Rule{{Days: 1<<1 | 1<<3 | 1<<4 | 1<<5, From: 360, Until: 840}}}).Words(nil,
			date))
}

func FuzzDays(f *testing.F) {
	f.Add("mon-fri,sun")
	f.Fuzz(func(t *testing.T, text string) {
		var days, again Days
		if days.UnmarshalText([]byte(text)) != nil {
			return
		}
		written, err := days.MarshalText()
		require.NoError(t, err)
		require.NoError(t, again.UnmarshalText(written))
		assert.Equal(t, days, again)
	})
}

func FuzzMinute(f *testing.F) {
	f.Add("05:30")
	f.Fuzz(func(t *testing.T, text string) {
		var minute Minute
		if minute.UnmarshalText([]byte(text)) == nil {
			assert.LessOrEqual(t, int(minute), 24*60)
		}
	})
}

func TestBadHoursAreRefused(t *testing.T) {
	for _, text := range []string{`{"rules":[{"days":"moon","from":"05:30","until":"18:15"}]}`,
		`{"rules":[{"days":"mon","from":"25:00","until":"18:15"}]}`,
		`{"rules":[{"days":"mon","from":"5","until":"18:15"}]}`} {
		assert.Error(t, json.Unmarshal([]byte(text), &Opening{}), text)
	}
	assert.Error(t, (&Access{Kind: "sometimes"}).Check())
	assert.Error(t, (&Access{Kind: Weekly}).Check())
	assert.Error(t, (&Access{Kind: ByPlace, BeforeMinutes: -1}).Check())
	assert.Error(t, (&Opening{Dated: []Dated{{From: 10, Until: 9}}}).Check())
}
