package hours

import (
	"math/rand/v2"
	"os"
	"strings"
	"testing"
	"time"
	_ "time/tzdata" // the same zones on every machine

	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/day"
)

// walked says whether hours are open at an instant, straight from domain.md: a stretch that begins on some day around,
// on the clock on the wall.
func walked(a *Access, o *Opening, location *time.Location, at int64) bool {
	if a.Kind == Always {
		return true
	}
	local := time.Unix(at, 0).In(location)
	wall := time.Date(local.Year(), local.Month(), local.Day(), local.Hour(), local.Minute(), local.Second(), 0,
		time.UTC)
	midnight := time.Date(local.Year(), local.Month(), local.Day(), 0, 0, 0, 0, time.UTC)
	within := func(day time.Time, from, until int) bool {
		begin := day.Add(time.Duration(from-a.BeforeMinutes) * time.Minute)
		end := day.Add(time.Duration(until+a.AfterMinutes) * time.Minute)
		return !wall.Before(begin) && wall.Before(end)
	}
	for shift := -4; shift <= 4; shift++ {
		on := midnight.AddDate(0, 0, shift)
		rules, closes := a.Rules, a.Kind == Weekly
		if !closes && o != nil {
			rules, closes = o.Rules, len(o.Rules) > 0
			shortest := day.Date(1 << 30)
			for _, d := range o.Dated {
				if today := day.Of(on); d.From <= today && today <= d.Until && d.Until-d.From < shortest {
					rules, closes, shortest = d.Rules, true, d.Until-d.From
				}
			}
		}
		if !closes && within(on, 0, 24*60) {
			return true
		}
		for _, r := range rules {
			until := int(r.Until)
			if r.Until <= r.From {
				until += 24 * 60
			}
			if r.Days.Has(on.Weekday()) && within(on, int(r.From), until) {
				return true
			}
		}
	}
	return false
}

// dice draws hours around a date, those that begin and end about midnight and in the hours that clocks skip or repeat
// among them.
type dice struct{ *rand.Rand }

func (d dice) minute() Minute {
	return Minute([]int{0, 1, 15, 30, 60, 61, 90, 120, 121, 180, 720, 1410, 1439, d.IntN(1440)}[d.IntN(14)])
}

func (d dice) rules(least int) (rules []Rule) {
	for range least + d.IntN(3) {
		rules = append(rules, Rule{Days: Days(1 + d.IntN(127)), From: d.minute(),
			Until: []Minute{d.minute(), d.minute(), 1440}[d.IntN(3)]})
	}
	return rules
}

func (d dice) times(around day.Date) Times {
	t := Times{Access: &Access{Kind: []Kind{Inherit, ByPlace, ByPlace, Weekly, Always}[d.IntN(5)]}}
	switch t.Access.Kind {
	case Weekly:
		t.Access.Rules = d.rules(1)
	case ByPlace:
		t.Access.BeforeMinutes, t.Access.AfterMinutes = d.IntN(721), d.IntN(721)
	}
	if d.IntN(8) == 0 {
		return t
	}
	t.Opening = &Opening{Rules: d.rules(0)}
	for range d.IntN(3) {
		from := around + day.Date(d.IntN(8)-4)
		t.Opening.Dated = append(t.Opening.Dated,
			Dated{From: from, Until: from + day.Date(d.IntN(5)), Rules: d.rules(0)})
	}
	// Two as long on different days are told apart by which begins later, which the walk does not know.
	if n := t.Opening.Dated; len(n) == 2 && n[0].Until-n[0].From == n[1].Until-n[1].From {
		t.Opening.Dated = n[:1]
	}
	return t
}

// moments are when the clocks of a zone change in the years 2020 to 2040, and one moment at which they do not.
func moments(location *time.Location, d dice) []time.Time {
	last := time.Date(2041, 1, 1, 0, 0, 0, 0, time.UTC)
	t := time.Date(2020, 1, 1, 0, 0, 0, 0, location)
	moments := []time.Time{t.Add(time.Duration(d.IntN(21*365*24)) * time.Hour)}
	for _, was := t.Zone(); t.Before(last); t = t.Add(time.Minute) {
		next := t.Add(6 * time.Hour)
		if _, is := next.Zone(); is == was {
			t = next
			continue
		}
		if _, is := t.Zone(); is != was {
			moments, was = append(moments, t), is
		}
	}
	return moments
}

// Open, NextChange and the begin of a date agree with a walk minute by minute through the days around the moments at
// which clocks change, in the zones of the world. A few of them in each run; all with LATCH_LONG=1.
func TestHoursAgreeWithAWalkMinuteByMinute(t *testing.T) {
	text, err := os.ReadFile("testdata/zones.txt")
	require.NoError(t, err)
	every := 60
	if os.Getenv("LATCH_LONG") != "" {
		every = 1
	}
	d := dice{rand.New(rand.NewPCG(20, 40))}
	var open, changes, dates, windows int
	for _, zone := range strings.Fields(string(text)) {
		location, err := time.LoadLocation(zone)
		require.NoError(t, err)
		for _, moment := range moments(location, d) {
			if windows++; windows%every != 0 {
				continue
			}
			first, days := moment.Truncate(time.Minute).Unix()-3*secondsPerDay, int64(6)
			times := d.times(day.Of(moment))
			is := func(at int64) bool { return walked(times.Access, times.Opening, location, at) }
			asked, was := first, is(first)
			next, changed := times.Access.NextChange(times.Opening, location, first)
			for at := first; at < first+days*secondsPerDay; at += 60 {
				now := is(at)
				require.Equal(t, now, times.Access.Open(times.Opening, location, at), "%s %s %+v %+v",
					time.Unix(at, 0).In(location), zone, times.Access, times.Opening)
				open++
				if now == was {
					continue
				}
				require.True(t, changed, "%s: from %s on, of %+v %+v", zone, time.Unix(asked, 0).In(location),
					times.Access, times.Opening)
				require.Equal(t, time.Unix(at, 0).In(location), next, "%s: from %s on, of %+v %+v", zone,
					time.Unix(asked, 0).In(location), times.Access, times.Opening)
				changes++
				asked, was = at, now
				next, changed = times.Access.NextChange(times.Opening, location, at)
			}
			if changed {
				require.True(t, next.Unix() >= first+days*secondsPerDay, "%s: a change at %s that a walk does not meet",
					zone, next)
			}
			for date := day.Of(time.Unix(first, 0).In(location)) + 1; int64(date) < first/secondsPerDay+days; date++ {
				at := int64(date)*secondsPerDay - 30*3600
				for day.Of(time.Unix(at, 0).In(location)) < date {
					at += 60
				}
				require.Equal(t, time.Unix(at, 0).In(location), date.Start(location), zone)
				dates++
			}
		}
	}
	t.Logf("%d windows of %d: %d moments, %d changes, %d begins of a date", windows/every, windows, open, changes,
		dates)
	require.Positive(t, changes)
	require.Positive(t, dates)
}

// A change that is far away is found, and one that never comes is not looked for without end.
func TestNextChangeLooksAsFarAsThereIsSomething(t *testing.T) {
	date := func(text string) day.Date {
		d, err := day.Parse(text)
		require.NoError(t, err)
		return d
	}
	closed := []Dated{{Name: "closed for good", From: date("2026-01-01"), Until: date("2200-12-31")}}
	for name, c := range map[string]struct {
		access  Access
		opening *Opening
		want    string
	}{
		"always": {Access{Kind: Always}, nil, ""},
		"day and night": {Access{},
			opening(t, `{"rules":[{"days":"mon-sun","from":"00:00","until":"24:00"}]}`), ""},
		"a holiday in ten years": {Access{},
			&Opening{Dated: []Dated{{From: date("2036-12-25"), Until: date("2036-12-25")}}}, "2036-12-25 00:00"},
		"the first opening after a long one": {Access{},
			&Opening{Rules: []Rule{{Days: EveryDay, From: 300, Until: 600}}, Dated: closed[:1]}, "2201-01-01 05:00"},
		"a margin before it": {Access{Kind: ByPlace, BeforeMinutes: 360},
			&Opening{Rules: []Rule{{Days: EveryDay, From: 300, Until: 600}}, Dated: closed[:1]}, "2200-12-31 23:00"},
	} {
		t.Run(name, func(t *testing.T) {
			next, ok := c.access.NextChange(c.opening, dublin, at("2026-11-24 12:00"))
			require.Equal(t, c.want != "", ok)
			if ok {
				require.Equal(t, c.want, next.Format("2006-01-02 15:04"))
			}
		})
	}
}
