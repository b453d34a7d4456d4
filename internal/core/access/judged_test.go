package access_test

import (
	"fmt"
	"os"
	"sort"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// worlds says from which numbers worlds are drawn: kept ones, so that every run says the same; or, for a long run, as
// many as LATCH_WORLDS says, from LATCH_WORLDS_FROM on.
func worlds(kept int) (from uint64, count int) {
	from, count = 1, kept
	if n, err := strconv.Atoi(os.Getenv("LATCH_WORLDS")); err == nil {
		count = n
	}
	if n, err := strconv.ParseUint(os.Getenv("LATCH_WORLDS_FROM"), 10, 64); err == nil {
		from = n
	}
	return from, count
}

func compiled(t testing.TB, w *world) *access.Snapshot {
	s, err := access.Compile(w.state)
	require.NoError(t, err, "world %d", w.seed)
	return s
}

// question draws one: by name or by what is shown, about any permission at any place, near noon.
func (w *world) question() access.Question {
	q := access.Question{Permission: permit.PermissionID(1 + w.IntN(5)), Place: estate.PlaceID(1 + w.IntN(worldPlaces)),
		At: w.moment().Unix(), AnyHour: w.oneIn(6), Proves: w.oneIn(2)}
	if place := w.state.Places.Get(uint32(q.Place)); !w.oneIn(3) {
		for _, p := range w.state.Permissions.All() {
			if p.Key == place.Asks {
				q.Permission = p.ID
			}
		}
	}
	if w.oneIn(4) {
		q.Level = pick(w, []permit.Level{1, 2, 20, 30})
	}
	if w.oneIn(3) {
		q.About = people.StaffID(w.IntN(worldStaff + 1))
	}
	if w.oneIn(40) {
		q.Permission, q.Place = permit.PermissionID(w.IntN(8)), estate.PlaceID(w.IntN(worldPlaces+2))
	}
	if w.oneIn(3) {
		q.Shown = access.Shown(1 + w.IntN(3))
		q.PIN, q.Badge = w.some(credential.PIN), w.some(credential.Badge)
		if c := w.state.Credentials.Get(uint32(q.PIN)); c != nil && !w.oneIn(3) {
			for _, b := range w.state.Credentials.All() {
				if b.Staff == c.Staff && b.Kind == credential.Badge {
					q.Badge = b.ID
				}
			}
		}
	} else {
		q.Staff = people.StaffID(1 + w.IntN(worldStaff))
		if w.oneIn(50) {
			q.Staff = 77
		}
	}
	return q
}

// some draws a credential, mostly of a kind.
func (w *world) some(kind credential.Kind) credential.ID {
	last := int(w.state.Credentials.Last())
	for range 4 {
		id := uint32(1 + w.IntN(last+1))
		if c := w.state.Credentials.Get(id); c != nil && c.Kind == kind {
			return credential.ID(id)
		}
	}
	return credential.ID(w.IntN(last + 2))
}

// never are the pairs of conditions that cannot be the case at once, each with its reason.
func never(a, b condition) bool {
	if a > b {
		a, b = b, a
	}
	switch {
	case a == unknown && b == wrongPIN: // of a badge that is nobody's no PIN is wrong
	case (a == unknown || a == wrongPIN) && b == ofTwo: // it takes two that are known
	case a == wrongPIN && b == duress: // a PIN that is nobody's raises no alarm
	case b == shownTooLittle && a == wrongPIN, a == shownTooLittle && b == ofTwo: // two are always enough
	case a == contractOver && b == notBegun: // a contract ends after the start
	case a == nothingHere && b > nothingHere: // what is not given has neither dates nor hours
		return b != isOwner && b != console && b != records && b != aLimit && b != unqualifiedHere && b != unread &&
			b != certificateGap && b != duress
	case a == unqualifiedHere && (b == console || b == records): // no place requires anything of a manager
	case a == byPerson && b == byTemplate: // of one person, all that state none have the same
	case b == aLimit && (a == console || a == records): // none of the product's own is a limit
	default:
		return false
	}
	return true
}

// The oracle and Decide say the same of every question, and every two conditions that can be the case at once have
// been.
func TestDecideSaysWhatTheOracleSays(t *testing.T) {
	from, count := worlds(1200)
	const questions = 250
	fields := map[string]int{}
	var pairs [conditions][conditions]int
	asked, allowed := 0, 0
	for seed := from; seed < from+uint64(count); seed++ {
		w := newWorld(seed)
		if seed < from+500 {
			w.seen(fields)
		}
		s, o := compiled(t, w), newOracle(w)
		for range questions {
			q := w.question()
			want, got := o.ask(q), s.Decide(&q)
			if want.reason != got.Reason || want.level != got.Level || want.allowed != got.Allowed {
				require.Fail(t, "they differ", "world %d, %+v: the oracle says %s to %d, Decide %s to %d", seed, q,
					&want,
					want.level, got.Reason, got.Level)
			}
			asked++
			if want.allowed {
				allowed++
			}
			for a := range want.met {
				for b := 0; want.met[a] && b <= a; b++ {
					if want.met[b] {
						pairs[a][b]++
					}
				}
			}
		}
	}
	for field, times := range fields {
		assert.True(t, times > 0 || strings.HasSuffix(field, ".Revision") || field == "Schedule.Hours.Schedule",
			"no world sets %s", field)
	}
	var missing []string
	least, rarest := asked, ""
	for a := range pairs {
		for b := range a + 1 {
			name := fmt.Sprintf("%s with %s", conditionNames[b], conditionNames[a])
			switch n := pairs[a][b]; {
			case never(condition(a), condition(b)):
				assert.Zero(t, n, "%s cannot be", name)
			case n == 0:
				missing = append(missing, name)
			case n < least:
				least, rarest = n, name
			}
		}
	}
	sort.Strings(missing)
	assert.Empty(t, missing, "pairs that no question has met")
	t.Logf("%d worlds, %d questions, %d allowed, 0 differ; the rarest pair, %s, was met %d times", count, asked,
		allowed,
		rarest, least)
}

// scan goes through the quarters of an hour of some days from that of a question on, and returns the first at which the
// oracle says so or otherwise; 0 where none does.
func (o *oracle) scan(q access.Question, allowed bool) int64 {
	for until := q.At + scanned; q.At < until; q.At += 900 {
		if o.ask(q).allowed == allowed {
			return q.At
		}
	}
	return 0
}

// scanned is how far the oracle looks ahead, in seconds.
const scanned = 6 * 86400

// When something begins, ends and closes, who can do it, what a look around shows, a timeline, and whether somebody is
// ready: all of it is what the oracle says, quarter of an hour by quarter of an hour.
func TestWhatIsToldOfAccessIsWhatTheOracleSays(t *testing.T) {
	from, count := worlds(250)
	told := map[string]int{}
	for seed := from; seed < from+uint64(count); seed++ {
		w := newWorld(seed)
		s, o := compiled(t, w), newOracle(w)
		says := func(what string, q access.Question, ok bool, format string, args ...any) {
			if told[what]++; !ok {
				require.Fail(t, what+" differs", "world %d, %+v: %s", seed, q, fmt.Sprintf(format, args...))
			}
		}
		for range 3 {
			q := w.question()
			begins := o.scan(q, true)
			at, ok := s.Begins(q)
			later := q
			later.At = at
			says("begins", q, begins != 0 && ok && at == begins || begins == 0 && (!ok || at >= q.At+scanned &&
				o.ask(later).allowed), "Begins says %d %v, the oracle %d", at, ok, begins)
			if begins == 0 {
				continue
			}
			q.At = begins
			closes := o.scan(q, false)
			shut, ok := s.Closes(q)
			says("closes", q, closes != 0 && ok && shut.Unix() == closes || closes == 0 && (!ok ||
				shut.Unix() >= q.At+scanned),
				"Closes says %d %v, the oracle %d", shut.Unix(), ok, closes)
			q.AnyHour = true
			if !o.ask(q).allowed {
				continue // a proof outside opening hours may be easier
			}
			ends, end := o.scan(q, false), s.Ends(q)
			says("ends", q, ends != 0 && end.At == ends || ends == 0 && (end.Open() || end.At >= q.At+scanned),
				"Ends says %+v, the oracle %d", end, ends)
		}
		w.around(s, o, says)
	}
	t.Logf("%d worlds; compared, none differs: %v", count, told)
	for _, what := range []string{"begins", "closes", "ends", "who can", "look", "grid", "timeline"} {
		assert.Greater(t, told[what], count/4, what)
	}
}

// around compares what is told of many people, places and moments at once.
func (w *world) around(s *access.Snapshot, o *oracle, says func(string, access.Question, bool, string, ...any)) {
	q := w.question()
	q.Shown, q.Proves, q.Level, q.About = 0, false, 0, 0
	var can []people.StaffID
	for _, one := range s.WhoCan(q.Permission, q.Place, q.At, q.AnyHour) {
		can = append(can, one.Staff)
	}
	var could []people.StaffID
	for id := people.StaffID(1); id <= worldStaff; id++ {
		q.Staff = id
		if o.ask(q).allowed {
			could = append(could, id)
		}
	}
	says("who can", q, fmt.Sprint(can) == fmt.Sprint(could), "WhoCan says %v, the oracle %v", can, could)
	q.Staff, q.AnyHour = people.StaffID(1+w.IntN(worldStaff)), false
	for _, look := range s.Look(q.Staff, q.Place, q.At) {
		here := q
		here.Place = look.Standing.Place.ID
		if look.Door != nil {
			asked := *look.Door
			says("look", asked, o.ask(asked).allowed == s.Decide(&asked).Allowed, "at a door")
		}
		for _, offer := range look.Offers {
			here.Permission = offer.Permission.ID
			want := o.ask(here)
			says("look", here, want.allowed && want.level == offer.Level, "it offers %d, the oracle %s",
				offer.Level, &want)
		}
	}
	q.AnyHour = true
	if want := o.ask(q); !want.met[isLocked] && !want.met[hasLeft] && !want.met[contractOver] && !want.met[notBegun] {
		cell := s.Cell(q.Staff, q.Permission, q.Place, q.At)
		says("grid", q, cell.Origin == access.FromBelow && !want.allowed || cell.Level == want.level,
			"it shows %+v, the "+
				"oracle %s", cell, &want)
	}
	q.AnyHour = false
	for _, part := range s.Timeline(q, q.At+3*86400) {
		for range 4 {
			q.At = part.From + 900*w.Int64N(max(1, (part.Until-part.From)/900))
			want := o.ask(q)
			says("timeline", q, want.allowed == part.Open, "it shows %+v, the oracle %s", part, &want)
		}
	}
}
