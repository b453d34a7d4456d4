package access

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/sample"
)

// altered is a state in which something else is given than before: by templates, assignments, exceptions or locks.
func altered(t *rapid.T, s *org.State) *org.State {
	next := s.Fork()
	next.Revision++
	for range rapid.IntRange(1, 4).Draw(t, "alterations") {
		switch rapid.IntRange(0, 18).Draw(t, "what") {
		case 17:
			next.Put(sample.Schedule(t))
		case 18:
			p := *next.Person(people.StaffID(rapid.IntRange(1, 4).Draw(t, "whose hours")))
			p.Hours = sample.Hours(t)
			next.Put(&p)
		case 5, 6, 10, 11:
			place := *next.Place(estate.PlaceID(rapid.IntRange(lastZone+1, 8).Draw(t, "door")))
			place.Asks = rapid.SampledFrom(append(sample.ForDoors(s), place.Asks)).Draw(t, "asks now")
			place.Proof = rapid.SampledFrom(proofs).Draw(t, "proof now")
			next.Put(&place)
		case 7:
			place := *next.Place(estate.PlaceID(rapid.IntRange(1, lastZone).Draw(t, "open otherwise")))
			place.Opening = rapid.SampledFrom(
				[]*hours.Opening{nil, {Rules: []hours.Rule{{Days: hours.EveryDay, From: 300, Until: 1000}}},
					{Rules: []hours.Rule{{Days: hours.EveryDay, From: 360, Until: 1080}},
						Dated: []hours.Dated{{Name: "d", From: today + 1, Until: today + 2}}}}).Draw(t, "opening now")
			next.Put(&place)
		case 8:
			place := *next.Place(estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "place")))
			place.Retired = !place.Retired
			next.Put(&place)
		case 9:
			next.Put(sample.Badge(t, people.StaffID(rapid.IntRange(1, 4).Draw(t, "badge of"))))
		case 12:
			c := sample.Certificate(t, org.CertificateID(next.Certificates.Next()))
			if rapid.Bool().Draw(t, "another") {
				if other := next.Certificate(c.ID - 1); other != nil {
					c.ID, c.Staff, c.Qualification = other.ID, other.Staff, other.Qualification
				}
			}
			next.Put(c)
		case 15:
			next.Put(sample.Notice(t))
		case 16:
			next.Put(sample.Notice(t))
			next.Put(&org.Acceptance{ID: org.AcceptanceID(next.Acceptances.Next()), Notice: 1, Version: 1,
				Staff: people.StaffID(rapid.IntRange(1, 4).Draw(t, "accepts")), How: org.OnPaper, At: noon})
		case 13:
			place := *next.Place(estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "requiring place")))
			place.Requires = sample.Requires(t, 2)
			next.Put(&place)
		case 14:
			template := *next.Template(permit.TemplateID(rapid.IntRange(1, 3).Draw(t, "requiring template")))
			template.Requires = sample.Requires(t, 2)
			next.Put(&template)
		case 0:
			next.Put(sample.Assignment(t, org.AssignmentID(next.Assignments.Next())))
		case 1:
			if a := next.Assignment(org.AssignmentID(rapid.IntRange(1, 10).Draw(t, "assignment"))); a != nil {
				ended := *a
				ended.Ended = !a.Ended
				next.Put(&ended)
			}
		case 2:
			template := *next.Template(permit.TemplateID(rapid.IntRange(1, 3).Draw(t, "template")))
			template.Settings = []permit.Setting{{Permission: 3,
				Word: rapid.SampledFrom([]string{"0", "5", "40", "60"}).Draw(t, "limit")}}
			next.Put(&template)
		case 3:
			e := &org.Exception{ID: org.ExceptionID(next.Exceptions.Next()),
				Staff:      people.StaffID(rapid.IntRange(1, 4).Draw(t, "whose")),
				Permission: permit.PermissionID(rapid.IntRange(1, 3).Draw(t, "permission")),
				Place:      estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "where")),
				Withheld:   rapid.Bool().Draw(t, "withheld"), Reason: "r"}
			if !e.Withheld {
				e.Level = 1
			}
			if rapid.Bool().Draw(t, "for a while") {
				e.From = today + day.Date(rapid.IntRange(-2, 3).Draw(t, "from"))
				e.Until = e.From + day.Date(rapid.IntRange(0, 4).Draw(t, "days"))
			}
			next.Put(e)
		case 4:
			p := *next.Person(people.StaffID(rapid.IntRange(1, 4).Draw(t, "locked")))
			if p.Lock = nil; rapid.Bool().Draw(t, "lock") {
				p.Lock = &people.Lock{Cause: people.ByManager, Reason: "r", Since: noon.Add(-1)}
			}
			next.Put(&p)
		}
	}
	return next
}

func lockedForGood(s *Snapshot, id people.StaffID) bool {
	p := s.State().Person(id)
	return p.Locked(noon) && p.Lock.Until.IsZero()
}

var everybody = []people.StaffID{1, 2, 3, 4}

// Whoever passes a door after a change, at some moment and showing something, where they did not before, stands in its
// gains at that door or above it; whoever no longer does in its losses.
func TestWhoPassesADoorByAChangeStandsInItsEffect(t *testing.T) {
	felt := map[string]int{}
	rapid.Check(t, func(t *rapid.T) {
		before := compiled(t, drawState(t))
		after := compiled(t, altered(t, before.State()))
		effect := Diff(before, after, noon.Unix())
		passes := func(s *Snapshot, id people.StaffID, door estate.PlaceID, shown Shown, at int64) bool {
			here := s.Tree().At(door)
			asked := s.Catalogue().PermissionByKey(here.Place.Asks)
			return asked != nil && s.HasToShow(id, at)&shown == shown && shown.satisfies(ProofAt(here, at)) &&
				s.Decide(&Question{Staff: id, Permission: asked.ID, Place: door, At: at}).Allowed
		}
		told := func(shifts []Difference, id people.StaffID, door estate.PlaceID, asked string) bool {
			return slices.ContainsFunc(shifts, func(shift Difference) bool {
				return shift.Staff == id && after.Tree().Within(door, shift.Place) &&
					after.Catalogue().Permission(shift.Permission).Key == asked
			})
		}
		var moments []int64
		for hour := int64(0); hour < 9*24; hour += int64(rapid.IntRange(1, 9).Draw(t, "step")) {
			moments = append(moments, noon.Unix()+hour*3600)
		}
		for _, id := range everybody {
			if lockedForGood(before, id) || lockedForGood(after, id) {
				continue // who is locked holds nothing in either
			}
			for door := estate.PlaceID(lastZone + 1); door <= 8; door++ {
				for _, shown := range []Shown{ShownPIN, ShownBadge, ShownPIN | ShownBadge} {
					for _, at := range moments {
						was, is := passes(before, id, door, shown, at), passes(after, id, door, shown, at)
						if is && !was {
							felt["gain"]++
							assert.True(t, told(effect.Gains, id, door, after.State().Place(door).Asks),
								"S%d passes P%d at %s showing %d: %+v", id, door, time.Unix(at, 0).UTC(), shown,
								effect.Gains)
						}
						if was && !is {
							felt["loss"]++
							assert.True(t, told(effect.Losses, id, door, before.State().Place(door).Asks),
								"S%d no longer passes P%d at %s showing %d: %+v", id, door, time.Unix(at, 0).UTC(),
								shown, effect.Losses)
						}
					}
				}
			}
		}
	})
	assert.Greater(t, felt["gain"]+felt["loss"], 5, "%v", felt)
}

// Until somebody may no longer do something is the first instant at which Decide says no.
func TestEndsAreTheFirstInstantAtWhichDecideSaysNo(t *testing.T) {
	ended := 0
	rapid.Check(t, func(t *rapid.T) {
		s := compiled(t, drawState(t))
		for range 8 {
			q := Question{Staff: people.StaffID(rapid.IntRange(1, 4).Draw(t, "staff")),
				Permission: permit.PermissionID(rapid.IntRange(1, 3).Draw(t, "permission")),
				Place:      estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "place")),
				At:         noon.Unix() + int64(rapid.IntRange(-50, 50).Draw(t, "hour"))*3600, AnyHour: true}
			if !s.Decide(&q).Allowed {
				continue
			}
			end := s.Ends(q)
			for at := q.At; at < q.At+500*24*3600; at += 1800 {
				now := q
				now.At = at
				if allowed := s.Decide(&now).Allowed; at < end.At {
					require.True(t, allowed, "at %s, before the end", time.Unix(at, 0).UTC())
				} else {
					require.False(t, allowed, "at %s, the end", time.Unix(at, 0).UTC())
					ended++
					break
				}
			}
		}
	})
	assert.Greater(t, ended, 10)
}

// Begins is the first minute at which Decide says yes: every minute of the days ahead is asked.
func TestBeginsIsTheFirstInstantAtWhichDecideSaysYes(t *testing.T) {
	seen := map[string]int{}
	rapid.Check(t, func(t *rapid.T) {
		s := compiled(t, drawState(t))
		q := drawQuestion(t)
		if a := s.state.Assignment(1); a != nil && rapid.Bool().Draw(t, "of somebody who works there") {
			q.Staff, q.Shown, q.Place = a.Staff, 0, a.Place
		}
		q.Proves = rapid.Bool().Draw(t, "proves")
		begins, ok := s.Begins(q)
		if ok {
			then := q
			then.At = begins
			require.True(t, s.Decide(&then).Allowed, "at %d it says %s", begins, s.Decide(&then).Reason)
		}
		horizon := q.At + 24*3600
		for then := q; then.At < horizon; then.At += 60 {
			if s.Decide(&then).Allowed {
				require.True(t, ok, "it is allowed at %s", time.Unix(then.At, 0).UTC())
				require.Equal(t, time.Unix(then.At, 0).UTC(), time.Unix(begins, 0).UTC())
				seen[fmt.Sprint("found ", then.At > q.At)]++
				return
			}
		}
		require.True(t, !ok || begins >= horizon, "nothing allows it before %d", horizon)
		seen[fmt.Sprint("not yet ", ok)]++
	})
	for _, what := range []string{"found true", "found false", "not yet true", "not yet false"} {
		assert.Positive(t, seen[what], what)
	}
}

// Closes is the first instant at which Decide says no, hours counted: no minute before it does.
func TestClosesIsTheFirstInstantAtWhichDecideSaysNo(t *testing.T) {
	closed := 0
	rapid.Check(t, func(t *rapid.T) {
		s := compiled(t, drawState(t))
		q := drawQuestion(t)
		if a := s.state.Assignment(1); a != nil && rapid.Bool().Draw(t, "of somebody who works there") {
			q.Staff, q.Place = a.Staff, a.Place
		}
		q.Shown, q.Proves = 0, rapid.Bool().Draw(t, "proves")
		if q.Staff == 0 || !s.Decide(&q).Allowed {
			return
		}
		at, ok := s.Closes(q)
		horizon := q.At + 2*24*3600
		for then := q; then.At < horizon; then.At += 60 {
			if !s.Decide(&then).Allowed {
				require.True(t, ok)
				require.Equal(t, time.Unix(then.At, 0).UTC(), at.UTC())
				closed++
				return
			}
		}
		require.True(t, !ok || at.Unix() >= horizon)
	})
	assert.Positive(t, closed)
}

// What sentences say of doors and of when is what Decide answers.
func TestSentencesSayWhatWouldBeDecided(t *testing.T) {
	said := map[When]int{}
	rapid.Check(t, func(t *rapid.T) {
		s := compiled(t, drawState(t))
		at := noon.Unix()
		for _, id := range everybody {
			p := s.person(id)
			for _, st := range s.Statements(id, at) {
				if st.Assignment == 0 && st.Exception == 0 || p.owner {
					continue
				}
				said[st.When]++
				locked := p.stands(at) == Locked
				for list, opens := range map[*[]*estate.Place]bool{&st.Doors: true, &st.Short: false} {
					for _, door := range *list {
						d := s.Decide(&Question{Staff: id, Permission: s.Catalogue().PermissionByKey(door.Asks).ID,
							Place: door.ID, At: at, AnyHour: true, Proves: true})
						if st.When == Now && !locked && opens {
							assert.True(t, d.Allowed, "S%d is said to open P%d: %s", id, door.ID, d.Reason)
						}
						if st.When == Now && !locked && !opens {
							assert.Equal(t, ProofNotSufficient, d.Reason)
						}
					}
				}
				if st.When != Now && st.Assignment != 0 && len(s.state.AssignmentsOf(id)) == 1 &&
					len(p.exceptions) == 0 {
					for _, door := range st.Doors {
						assert.False(t, s.Decide(&Question{Staff: id,
							Permission: s.Catalogue().PermissionByKey(door.Asks).ID, Place: door.ID, At: at}).Allowed,
							"%+v", st)
					}
				}
			}
		}
	})
	for _, when := range []When{Now, Later, Past} {
		assert.Greater(t, said[when], 5, when)
	}
}

// The groups of an effect hold all its people, each line once.
func TestGroupsLeaveNobodyOut(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		before := compiled(t, drawState(t))
		after := compiled(t, altered(t, before.State()))
		effect := Diff(before, after, noon.Unix())
		seen, keys := map[string]bool{}, map[string]bool{}
		groups := append(after.Groups(effect.Gains, false), before.Groups(effect.Losses, true)...)
		for i := range groups {
			g := &groups[i]
			assert.False(t, keys[g.Key()], "the key %s stands once", g.Key())
			keys[g.Key()] = true
			for _, id := range g.Staff {
				seen[fmt.Sprint(g.Lost, g.Permission.ID, id)] = true
			}
		}
		for lost, shifts := range map[bool][]Difference{false: effect.Gains, true: effect.Losses} {
			for _, shift := range shifts {
				assert.True(t, seen[fmt.Sprint(lost, shift.Permission, shift.Staff)])
			}
		}
	})
}

// An exception that is called redundant takes nothing from anybody when it ends; one that is not is felt, unless hours
// or dates that lie ahead are all it is about.
func TestEndingWhatIsRedundantIsNotFelt(t *testing.T) {
	redundant := 0
	rapid.Check(t, func(t *rapid.T) {
		s := drawState(t)
		before := compiled(t, s)
		for number, e := range s.Exceptions.All() {
			if !before.IsRedundant(org.ExceptionID(number), noon.Unix()) {
				continue
			}
			redundant++
			next := s.Fork()
			next.Revision++
			ended := *e
			ended.Ended = true
			next.Put(&ended)
			effect := Diff(before, compiled(t, next), noon.Unix())
			assert.Empty(t, append(effect.Gains, effect.Losses...), "exception %d of S%d", number, e.Staff)
		}
	})
	assert.Greater(t, redundant, 5, "some exceptions were redundant")
}

// Who can do something by the rolls is who can when everybody is asked.
func TestWhoCanIsEverybodyWhoMay(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		first := compiled(t, drawState(t))
		s, err := first.Next(altered(t, first.State()), Touched{Staff: everybody, Catalogue: true, Schedules: true})
		assert.NoError(t, err)
		q := drawQuestion(t)
		anyHour := rapid.Bool().Draw(t, "any hour")
		var can, may []people.StaffID
		for _, c := range s.WhoCan(q.Permission, q.Place, q.At, anyHour) {
			can = append(can, c.Staff)
		}
		for _, id := range everybody {
			if s.Decide(&Question{Staff: id, Permission: q.Permission, Place: q.Place, At: q.At,
				AnyHour: anyHour}).Allowed {
				may = append(may, id)
			}
		}
		assert.Equal(t, may, can)
	})
}

// A cell of the grid says what is held there; a template like a person gives what that person holds.
func TestCellsAndLikenessSayWhatIsHeld(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := compiled(t, drawState(t))
		id, place := people.StaffID(rapid.IntRange(1, 4).Draw(t, "staff")),
			estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "place"))
		at := noon.Unix()
		like, found := s.Like(id, place, at)
		for permission := range s.Catalogue().Permissions {
			held := s.Entitled(id, permission.ID, place, at)
			cell := s.Cell(id, permission.ID, place, at)
			switch cell.Origin {
			case FromBelow:
				assert.Zero(t, held.Level)
			default:
				assert.Equal(t, held.Level, cell.Level)
			}
			if found {
				level, stated := like.Settings[permission.ID]
				if !stated {
					level = s.Resolved(like.Base)[permission.ID].Level
				}
				assert.Equal(t, held.Level, level, permission.Key)
			}
		}
	})
}

// What Look shows is what would be decided.
func TestLookShowsWhatWouldBeDecided(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := compiled(t, drawState(t))
		q := drawQuestion(t)
		id := people.StaffID(rapid.IntRange(1, 4).Draw(t, "staff"))
		atDoors := map[string]bool{s.State().Place(7).Asks: true, s.State().Place(8).Asks: true}
		for _, sight := range s.Look(id, q.Place, q.At) {
			offered := map[permit.PermissionID]permit.Level{}
			for _, able := range sight.Offers {
				offered[able.Permission.ID] = able.Level
			}
			for permission := range s.Catalogue().Permissions {
				if sight.Standing.Place.Kind == estate.Door && atDoors[permission.Key] {
					continue // what doors ask about is what they open for, and no offer
				}
				d := s.Decide(&Question{Staff: id, Permission: permission.ID, Place: sight.Standing.Place.ID, At: q.At})
				level, is := offered[permission.ID]
				assert.Equal(t, d.Allowed, is)
				if is {
					assert.Equal(t, d.Level, level)
				}
			}
		}
	})
}

// The ceiling at a place is what is held there, or would be if it was in use and asked for no certificate: who assigns
// forklift drivers need not have a forklift ticket. Everywhere it is the least of the sites.
func TestTheCeilingIsWhatIsHeld(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := compiled(t, drawState(t))
		id := people.StaffID(rapid.IntRange(1, 4).Draw(t, "staff"))
		everywhere := s.Ceiling(id, 0, noon.Unix())
		for here := range s.Tree().All {
			ceiling := s.Ceiling(id, here.Place.ID, noon.Unix())
			for permission := range s.Catalogue().Permissions {
				inUse := s.Decide(&Question{Staff: id, Permission: permission.ID, Place: here.Place.ID, At: noon.Unix(),
					AnyHour: true, Retired: true})
				assert.LessOrEqual(t, ceiling[permission.ID], inUse.Level)
				if !here.Retired && s.unfit(s.person(id), permission.ID, here.Place.ID, noon.Unix()) == Granted {
					assert.Equal(t, inUse.Level, s.Holds(id, permission.ID, here.Place.ID, noon.Unix()))
				} else if !s.person(id).owner {
					assert.Zero(t, s.Holds(id, permission.ID, here.Place.ID, noon.Unix()),
						"a retired place lets nobody do anything, and one that asks for a certificate nobody "+
							"without it")
				}
				for below := range s.Tree().Below(here.Place.ID) {
					if !below.Retired {
						there := s.Decide(&Question{Staff: id, Permission: permission.ID, Place: below.Place.ID,
							At: noon.Unix(), AnyHour: true, Retired: true})
						assert.LessOrEqual(t, ceiling[permission.ID], there.Level, "and below")
					}
				}
				if here.Place.Kind == estate.Site && !here.Retired {
					assert.LessOrEqual(t, everywhere[permission.ID], ceiling[permission.ID])
				}
			}
			for template := permit.TemplateID(1); template <= 3; template++ {
				beyond := s.Beyond(template, here.Place.ID, id, ceiling, noon.Unix())
				within := true
				for permission := range s.Catalogue().Permissions {
					within = within && s.Resolved(template)[permission.ID].Level <= ceiling[permission.ID]
				}
				assert.Equal(t, within, beyond == nil)
			}
		}
	})
}
