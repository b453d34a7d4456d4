package demo

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"time"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/store"
)

// shifts are when people come, go for a break, come back and leave, in minutes after midnight.
var shifts = [][]int{{330, 600, 630, 850}, {480, 720, 750, 990}, {840, 1080, 1110, 1310}}

// fitting draws a shift that somebody's access hours let them come to, if there is one.
func fitting(live *app.Live, id people.StaffID, gate *estate.Standing, now time.Time, random *rand.Rand) []int {
	first := random.IntN(len(shifts))
	for i := range shifts {
		shift := shifts[(first+i)%len(shifts)]
		q := access.Question{Staff: id, Permission: live.Catalogue().PermissionByKey(gate.Place.Asks).ID,
			Place: gate.Place.ID, At: at(now, gate.Location, -2, shift[0]).Unix()}
		if live.Decide(&q).Allowed {
			return shift
		}
	}
	return shifts[first]
}

// theirs are those of some doors that somebody may open at some hour.
func theirs(live *app.Live, id people.StaffID, doors []*estate.Standing, now time.Time) []*estate.Standing {
	var own []*estate.Standing
	for _, door := range doors {
		if live.HoldsKey(id, door.Place.Asks, door.Place.ID, now.Unix()) {
			own = append(own, door)
		}
	}
	return own
}

// traffic makes a week of events: everybody who is assigned somewhere comes to work on most days and passes doors
// there. Each event is what the service would have decided at that moment.
func traffic(ctx context.Context, a *app.App) (int, error) {
	live, now := a.Live(), a.Now()
	random := rand.New(rand.NewPCG(11, 17))
	devices := map[estate.PlaceID]uint32{}
	for id, device := range live.State().Devices.All() {
		devices[device.Place] = id
	}
	var events []store.Event
	visit := func(id people.StaffID, door *estate.Standing, moment time.Time) {
		permission := live.Catalogue().PermissionByKey(door.Place.Asks)
		// For an afternoon the yard gate was off the network and nothing arrived from it.
		if permission == nil || !moment.Before(now) ||
			door.Place.Code == "UQ-GATE" && moment.After(at(now, door.Location, -3, 720)) &&
				moment.Before(at(now, door.Location, -3, 1080)) {
			return
		}
		q := access.Question{Staff: id, Permission: permission.ID, Place: door.Place.ID, At: moment.Unix()}
		d := live.Decide(&q)
		events = append(events, app.EventOf(live, &q, &d, devices[door.Site.ID], moment))
	}
	doors := map[estate.PlaceID][]*estate.Standing{}
	for here := range live.Tree().All {
		if here.Place.Kind == estate.Door && here.Place.Asks == "door.open" {
			doors[here.Site.ID] = append(doors[here.Site.ID], here)
		}
	}
	for id, p := range live.State().Staff.All() {
		assigned := live.State().AssignmentsOf(people.StaffID(id))
		if len(assigned) == 0 {
			continue
		}
		site := live.Tree().At(live.State().Assignment(assigned[0]).Place).Site.ID
		if len(doors[site]) == 0 { // of all sites, they come to the one they belong to
			site = p.HomeSite
		}
		if live.Status(people.StaffID(id), now.AddDate(0, 0, -7).Unix()) != people.Active {
			continue
		}
		gate := doors[site][0]
		shift := fitting(live, people.StaffID(id), gate, now, random)
		for days := -7; days <= 0; days++ {
			if random.IntN(5) == 0 {
				continue
			}
			for i, minute := range shift {
				door := gate
				if own := theirs(live, people.StaffID(id), doors[site], now); i%3 != 0 && len(own) > 0 {
					door = own[random.IntN(len(own))]
				}
				visit(people.StaffID(id), door,
					at(now, door.Location, days, minute+
						random.IntN(15)-7).Add(time.Duration(random.IntN(60))*time.Second))
			}
			if random.IntN(60) == 0 { // somebody tries a door that is not theirs
				if chemical := live.State().PlaceByCode("HB-CHEM-1"); chemical != nil {
					visit(people.StaffID(id), live.Tree().At(chemical.ID),
						at(now, time.UTC, days, 540+random.IntN(300)))
				}
			}
		}
	}
	lost, err := shown()
	if err != nil {
		return 0, err
	}
	for _, row := range lost {
		days, err := strconv.Atoi(row["day"])
		b, place := live.State().BadgeNamed(row["badge"]), live.State().PlaceByCode(row["place"])
		if err != nil || b == nil || place == nil {
			return 0, fmt.Errorf(
				"badge_events.csv: no badge %q, place %q or day %q",
				row["badge"],
				row["place"],
				row["day"],
			)
		}
		here := live.Tree().At(place.ID)
		moment := at(now, here.Location, days, 1337)
		q := access.Question{Shown: access.ShownBadge, Badge: live.State().IssuesOf(b.ID)[0].ID, Place: place.ID,
			Permission: live.Catalogue().PermissionByKey(place.Asks).ID, At: moment.Unix()}
		d := live.Decide(&q)
		events = append(events, app.EventOf(live, &q, &d, devices[here.Site.ID], moment))
	}
	slices.SortFunc(events, func(a, b store.Event) int { return a.At.Compare(b.At) })
	return len(events), a.Backfill(ctx, events)
}
