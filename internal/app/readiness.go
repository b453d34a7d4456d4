package app

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
)

// ReadinessQuery chooses among those who cannot work as intended.
type ReadinessQuery struct {
	Site estate.PlaceID // home site; 0: any
	Code string         // of an obstacle; empty: any
	// Those who are prepared and start later than within a week are no fault yet; with Prepared they are looked at too
	Prepared bool
}

// Readiness is everybody who cannot work as intended, with what keeps them.
type Readiness struct {
	Stuck   []Stuck                // by home site, then by name
	Sites   map[estate.PlaceID]int // how many at each home site, whatever code is asked about
	Codes   map[string]int         // how many with each obstacle, whatever code is asked about
	Workers int                    // how many are to work
}

// anyObstacle is what the filter of people calls whatever keeps somebody from working as intended.
const anyObstacle = "stuck"

// stuck reports whether something keeps somebody from working as intended, or that which is named by its code.
func (a *App) stuck(l *Live, p *people.Staff, code string) bool {
	if l.Status(p.ID, a.now().Unix()) == people.Left {
		return false
	}
	obstacles, _ := l.obstacles(p, a.now(), true)
	return slices.ContainsFunc(obstacles, func(o access.Obstacle) bool { return code == anyObstacle || o.Code == code })
}

// ReadinessOf gathers those whom the actor sees whole and who cannot work as intended.
func (a *App) ReadinessOf(actor people.StaffID, q ReadinessQuery) (*Readiness, error) {
	live, now := a.Live(), a.now()
	sight := live.Sight(actor, now.Unix())
	if !sight.Anywhere {
		return nil, fault.Refusedf("not-permitted",
			"This needs the permission “See staff”, which you do not hold anywhere.")
	}
	r := &Readiness{Sites: map[estate.PlaceID]int{}, Codes: map[string]int{}}
	for _, p := range live.State().Staff.All() {
		if sight.Of(p) != access.Whole || q.Site != 0 && p.HomeSite != q.Site {
			continue
		}
		obstacles, works := live.obstacles(p, now, q.Prepared)
		if works {
			r.Workers++
		}
		if len(obstacles) == 0 {
			continue
		}
		r.Sites[p.HomeSite]++
		seen := map[string]bool{}
		for _, o := range obstacles {
			if !seen[o.Code] {
				seen[o.Code] = true
				r.Codes[o.Code]++
			}
		}
		if q.Code == "" || seen[q.Code] {
			r.Stuck = append(r.Stuck, Stuck{p, obstacles})
		}
	}
	slices.SortFunc(r.Stuck, func(x, y Stuck) int {
		return cmp.Or(strings.Compare(live.codeOf(x.Staff.HomeSite), live.codeOf(y.Staff.HomeSite)),
			strings.Compare(live.texts.table.Get(uint32(x.Staff.ID)).name, live.texts.table.Get(uint32(
				y.Staff.ID)).name))
	})
	return r, nil
}

// obstacles are what keeps somebody from working who is to work now or within a week, prepared ones who start later
// where they are asked about; works says whether they are to work.
func (l *Live) obstacles(p *people.Staff, now time.Time, prepared bool) (list []access.Obstacle, works bool) {
	switch l.Status(p.ID, now.Unix()) {
	case people.Left:
		return nil, false
	case people.Prepared:
		if today := dateIn(now, l.Location(p.ID)); !prepared && p.StartDate > today+daysAhead {
			return nil, false
		}
	}
	return access.Hindered(l.Readiness(p.ID, now.Unix())), true
}
