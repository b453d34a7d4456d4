package access_test

import (
	"fmt"
	"reflect"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// altered returns the world after a change: some records are those of another world, or are new.
func (w *world) altered() (after *org.State, what []string) {
	other := formerWorld(w.Uint64())
	if w.grown {
		other = newWorld(other.seed)
	}
	after = w.state.Fork()
	for range 1 + w.IntN(3) {
		switch kind := pick(w, []string{"Places", "Templates", "Staff", "Assignments", "Assignments", "Exceptions",
			"Credentials", "Bars", "Certificates", "Notices", "Acceptances", "Schedules", "Permissions",
			"Groups"}); kind {
		case "Permissions", "Groups": // they stand in no index
			from := reflect.ValueOf(other.state).Elem().FieldByName(kind).Addr()
			to := reflect.ValueOf(after).Elem().FieldByName(kind).Addr()
			id := reflect.ValueOf(uint32(1 + w.IntN(4)))
			record := from.MethodByName("Get").Call([]reflect.Value{id})[0]
			to.MethodByName("Put").Call([]reflect.Value{id, record})
			what = append(what, fmt.Sprint(kind, id))
		default:
			from := reflect.ValueOf(other.state).Elem().FieldByName(kind).Addr()
			has := reflect.ValueOf(after).Elem().FieldByName(kind).Addr()
			last := from.MethodByName("Last").Call(nil)[0].Uint()
			id := uint32(1 + w.Uint64N(last+1))
			record := from.MethodByName("Get").Call([]reflect.Value{reflect.ValueOf(id)})[0]
			was := has.MethodByName("Get").Call([]reflect.Value{reflect.ValueOf(id)})[0]
			if record.IsNil() || uint64(id) > has.MethodByName("Last").Call(nil)[0].Uint()+1 {
				continue
			}
			if !was.IsNil() { // whose a record is never changes, nor what kind of thing it is
				same := true
				for _, name := range []string{"Staff", "Kind", "Badge", "Notice", "Permission", "Withheld",
					"Qualification"} {
					if f := record.Elem().FieldByName(name); f.IsValid() && kind != "Places" {
						same = same && reflect.DeepEqual(f.Interface(), was.Elem().FieldByName(name).Interface())
					}
				}
				if !same {
					continue
				}
			}
			if place, is := record.Interface().(*estate.Place); is { // sites stand in the organisation, if any
				if place.Kind == estate.Organisation && after.Root() == nil {
					continue
				}
				if place.Kind == estate.Site {
					site := *place
					if site.Parent = 0; after.Root() != nil {
						site.Parent = after.Root().ID
					}
					record = reflect.ValueOf(&site)
				}
			}
			after.Put(record.Interface())
			what = append(what, fmt.Sprint(kind, " ", id))
		}
	}
	if w.grown && w.oneIn(2) {
		l := w.localSetting()
		if id := l.ID; id > 1 && w.oneIn(2) { // one that there is, with what may change of it
			was := *after.LocalSetting(1 + org.LocalSettingID(w.IntN(int(id-1))))
			was.Level, was.From, was.Until, was.Ended = l.Level, l.From, l.Until, l.Ended
			l = &was
		}
		after.Put(l)
		what = append(what, fmt.Sprint("LocalSettings ", l.ID))
	}
	return after, what
}

// compared is a change that is judged.
type compared struct {
	w             *world
	before, after *access.Snapshot
	at            int64
	moments       []int64 // some at which it is looked
}

// level is what somebody may do at a place at an instant: at a door, what it asks about and whether they pass.
func level(s *access.Snapshot, id people.StaffID, permission permit.PermissionID, place estate.PlaceID,
	at int64) permit.Level {
	here := s.Tree().At(place)
	if here == nil {
		return 0
	}
	q := access.Question{Staff: id, Permission: permission, Place: place, At: at, Proves: true}
	if here.Place.Kind != estate.Door {
		q.AnyHour = s.OfConsole(&q)
	} else if asked, ok := s.Asked(place); !ok || asked.Permission != permission {
		return 0
	}
	return s.Decide(&q).Level
}

// told reports whether a list names somebody at a place, or above it, for a permission.
func (c *compared) told(list []access.Difference, id people.StaffID, permission permit.PermissionID,
	place estate.PlaceID) bool {
	return slices.ContainsFunc(list, func(d access.Difference) bool {
		return d.Staff == id && (d.Permission == permission || d.Instead == permission) &&
			(c.before.Tree().Within(place, d.Place) || c.after.Tree().Within(place, d.Place))
	})
}

// ofTheCatalogue reports whether somebody is an owner, who holds whatever is in the catalogue and is not told of what
// changes there.
func (c *compared) ofTheCatalogue(id people.StaffID, permission permit.PermissionID) bool {
	was, is := c.before.State(), c.after.State()
	regrouped := false
	for range was.Groups.Differing(&is.Groups) {
		regrouped = true
	}
	return was.Person(id).Owner && is.Person(id).Owner && (regrouped ||
		was.Permissions.Get(uint32(permission)) != is.Permissions.Get(uint32(permission)))
}

// passing reports whether the door somebody passes by one permission is passed by another in the other snapshot.
func passes(s *access.Snapshot, id people.StaffID, place estate.PlaceID, at int64) bool {
	q, ok := s.Asked(place)
	q.Staff, q.At = id, at
	return ok && s.Decide(&q).Allowed
}

// missed names somebody who gains, going from one snapshot to another, and is not in the list.
func (c *compared) missed(from, to *access.Snapshot, list []access.Difference) string {
	for id := people.StaffID(1); id <= worldStaff; id++ {
		for permission := permit.PermissionID(1); permission <= 5; permission++ {
			for place := estate.PlaceID(1); place <= worldPlaces; place++ {
				if c.told(list, id, permission, place) || c.ofTheCatalogue(id, permission) {
					continue
				}
				for _, at := range c.moments {
					if level(to, id, permission, place, at) > level(from, id, permission, place, at) &&
						(to.Tree().At(place).Place.Kind != estate.Door || !passes(from, id, place, at) ||
							level(from, id, permission, place, at) > 0) {
						return fmt.Sprintf("S%d may do %d at P%d at %s", id, permission, place,
							time.Unix(at, 0).In(to.Tree().At(place).Location))
					}
				}
			}
		}
	}
	return ""
}

// unfelt names a difference that nobody feels at any quarter of an hour after anything turns.
func (c *compared) unfelt(from, to *access.Snapshot, list []access.Difference) string {
	for i := range list {
		// Nearly all is felt within days; where clocks change before it is, within half a year
		if d := &list[i]; !c.felt(from, to, d, 9) && !c.felt(from, to, d, 190) {
			return fmt.Sprintf("%+v", *d)
		}
	}
	return ""
}

func (c *compared) felt(from, to *access.Snapshot, d *access.Difference, days int64) bool {
	q := access.Question{Staff: d.Staff, Permission: d.Permission, Place: d.Place, At: c.at}
	var below []estate.PlaceID
	for _, s := range []*access.Snapshot{from, to} {
		for here := range s.Tree().Below(d.Place) {
			below = append(below, here.Place.ID)
		}
	}
	turns := slices.Concat(from.Turns(&q), to.Turns(&q), c.dated(from), c.dated(to))
	slices.Sort(turns)
	for _, turn := range slices.Compact(turns) {
		for at := turn; at < turn+days*86400; at += 900 {
			q.At, q.AnyHour = at, c.after.OfConsole(&q)
			// What is given is told where it is given, also to somebody who has nothing to show at a door; whatever a
			// door asks about, it asks at an hour
			if here := to.Tree().At(d.Place); here != nil && (here.Place.Kind != estate.Door || given(to, d) ||
				given(from, d)) && (heldMore(from, to, q, d) || here.Place.Kind == estate.Door &&
				heldMore(from, to, access.Question{Staff: q.Staff, Permission: q.Permission, Place: q.Place, At: at},
					d)) {
				return true
			}
			for _, place := range below {
				if level(to, d.Staff, d.Permission, place, at) > level(from, d.Staff, d.Permission, place, at) ||
					passes(to, d.Staff, place, at) && !passes(from, d.Staff, place, at) || c.easier(from, to, d,
					place, at) {
					return true
				}
			}
		}
	}
	return false
}

// heldMore reports whether somebody holds more than before, or of what a door asked before.
func heldMore(from, to *access.Snapshot, q access.Question, d *access.Difference) bool {
	was := q
	if d.Instead != 0 {
		was.Permission = d.Instead
	}
	return to.Held(&q).Level > from.Held(&was).Level
}

// given reports whether somebody has an assignment or an exception at a place itself.
func given(s *access.Snapshot, d *access.Difference) bool {
	for _, a := range s.State().Assignments.All() {
		if a.Staff == d.Staff && a.Place == d.Place {
			return true
		}
	}
	for _, x := range s.State().Exceptions.All() {
		if x.Staff == d.Staff && x.Place == d.Place {
			return true
		}
	}
	for _, l := range s.State().LocalSettings.All() {
		if l.Place == d.Place && (l.Permission == d.Permission || l.Permission == d.Instead) {
			return true
		}
	}
	return false
}

// dated returns moments just before which dated hours begin or end.
func (c *compared) dated(s *access.Snapshot) (moments []int64) {
	for here := range s.Tree().All {
		if here.Place.Opening != nil {
			for _, d := range here.Place.Opening.Dated {
				for _, date := range []day.Date{d.From - 2, d.Until - 2} {
					moments = append(moments, max(c.at, int64(date)*86400))
				}
			}
		}
	}
	return moments
}

// easier reports whether somebody passes a door showing less than before.
func (c *compared) easier(from, to *access.Snapshot, d *access.Difference, place estate.PlaceID, at int64) bool {
	if !d.Proof {
		return false
	}
	lets := func(s *access.Snapshot, shown access.Shown) bool {
		q, ok := s.Asked(place)
		if !ok {
			return false
		}
		q.Staff, q.At, q.Proves = d.Staff, at, false
		return s.HasToShow(d.Staff, at)&shown == shown && s.Decide(&q).Allowed &&
			shown.Satisfies(access.ProofAt(s.Tree().At(place), at))
	}
	for shown := access.ShownPIN; shown <= access.ShownPIN|access.ShownBadge; shown++ {
		if lets(to, shown) && !lets(from, shown) {
			return true
		}
	}
	return false
}

// formerly are worlds of which an effect once said too little or too much.
var formerly = []uint64{50282, 51072, 51279, 51434, 52704, 53169, 54208, 55307, 55422, 300462, 303932, 306657, 307540,
	308137, 308427, 308763, 9000000344, 9000000678, 9000002163, 9000002401, 9000005912, 9000008345, 9000021457,
	9000028992, 9000035039}

// A preview names everybody who gains and loses anything at any place at any hour, and nobody else.
func TestAnEffectNamesWhoeverFeelsItAndNobodyElse(t *testing.T) {
	from, count := worlds(400)
	seeds := slices.Clone(formerly)
	for seed := from; seed < from+uint64(count); seed++ {
		seeds = append(seeds, seed)
	}
	missed, unfelt, named := 0, 0, 0
	for _, seed := range seeds {
		w := newWorld(seed)
		if slices.Contains(formerly, seed) {
			w = formerWorld(seed)
		}
		state, what := w.altered()
		c := &compared{w: w, before: compiled(t, w), at: w.noon.Unix()}
		var err error
		c.after, err = access.Compile(state)
		require.NoError(t, err)
		for range 40 {
			c.moments = append(c.moments, c.at+900*w.Int64N(5*96))
		}
		c.moments = append(c.moments, c.at, c.at+402*86400)
		effect := access.Diff(c.before, c.after, c.at)
		named += len(effect.Gains) + len(effect.Losses)
		back, same := access.Diff(c.after, c.before, c.at), access.Diff(c.before, c.before, c.at)
		assert.Len(t, back.Gains, len(effect.Losses), "world %d: seen from the other side gains are losses", seed)
		assert.Len(t, back.Losses, len(effect.Gains), "world %d", seed)
		assert.Empty(t, append(same.Gains, same.Losses...), "world %d: without a change nobody gains or loses", seed)
		for _, side := range []struct {
			name     string
			from, to *access.Snapshot
			list     []access.Difference
		}{{"gains", c.before, c.after, effect.Gains}, {"loses", c.after, c.before, effect.Losses}} {
			if said := c.missed(side.from, side.to, side.list); said != "" {
				missed++
				t.Logf("world %d, %v: not told who %s: %s", seed, what, side.name, said)
			}
			if said := c.unfelt(side.from, side.to, side.list); said != "" {
				unfelt++
				t.Logf("world %d, %v: told, and not felt who %s: %s", seed, what, side.name, said)
			}
		}
	}
	t.Logf("%d changes, %d differences named; %d missed, %d told that nobody feels", count, named, missed, unfelt)
	assert.Zero(t, missed)
	assert.Zero(t, unfelt)
	assert.Greater(t, named, count/2)
}
