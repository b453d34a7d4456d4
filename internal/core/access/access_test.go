package access

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
	"loyallatch.example/latch/internal/core/sample"
)

// identified finds whom what was shown identifies, or what is wrong with it.
func identified(s *org.State, q Question, place *estate.Place, at time.Time) (people.StaffID, Reason) {
	pin, badge := q.Shown&ShownPIN != 0, q.Shown&ShownBadge != 0
	var all []*credential.Credential
	if pin {
		all = append(all, s.Credential(q.PIN))
	}
	if badge {
		all = append(all, s.Credential(q.Badge))
	}
	for i, c := range all {
		if c == nil || c.Kind == credential.PIN != (pin && i == 0) {
			if shown := s.Credential(
				q.Badge,
			); i == 0 && pin && badge && shown != nil &&
				shown.Kind == credential.Badge {
				return 0, WrongPIN
			}
			return 0, UnknownCredential
		}
	}
	for _, c := range all {
		if c.State != credential.Valid || !c.From.IsZero() && at.Before(c.From) ||
			!c.Until.IsZero() && !at.Before(c.Until) {
			return 0, CredentialNotValid
		}
	}
	proof := place.Proof
	_, _, opening := around(s, place)
	location, err := time.LoadLocation(siteOf(s, place).TimeZone)
	if err != nil {
		panic(err)
	}
	if place.ProofOutside != "" && !q.AnyHour && !(&hours.Access{}).Open(opening, location, at.Unix()) {
		proof = place.ProofOutside
	}
	if proof == estate.PIN && !pin || proof == estate.Badge && !badge ||
		proof == estate.BadgeAndPIN && !(pin && badge) {
		return 0, ProofNotSufficient
	}
	if all[0].Staff != all[len(all)-1].Staff {
		return 0, TwoPeople
	}
	return all[0].Staff, Granted
}

func siteOf(s *org.State, place *estate.Place) *estate.Place {
	for place.Parent != 0 {
		place = s.Place(place.Parent)
	}
	return place
}

// around says of a place, record by record, what it stands in, whether it is in use, and when it is open.
func around(s *org.State, place *estate.Place) (within func(estate.PlaceID) bool, retired bool,
	opening *hours.Opening) {
	within = func(ancestor estate.PlaceID) bool {
		for here := place; here != nil; here = s.Place(here.Parent) {
			if here.ID == ancestor {
				return true
			}
		}
		return false
	}
	for here := place; here != nil; here = s.Place(here.Parent) {
		retired = retired || here.Retired
		if opening == nil {
			opening = here.Opening
		}
	}
	return within, retired, opening
}

// keeps says, as the rules are written, what keeps a person from everything.
func keeps(p *people.Staff, home *time.Location, at time.Time) Reason {
	switch {
	case p.Locked(at):
		return Locked
	case !p.LeavingDate.IsZero() && !at.Before((p.LeavingDate + 1).Start(home)):
		return HasLeft
	case !p.ContractEnd.IsZero() && !at.Before((p.ContractEnd + 1).Start(home)):
		return ContractEnded
	case at.Before(p.StartDate.Start(home)):
		return NotStarted
	}
	return Granted
}

// hoursPlainly are the access hours of an assignment, else of the person, else of its template, else of the bases of
// that; of a schedule where they are one's.
func hoursPlainly(s *org.State, a *org.Assignment) *hours.Access {
	access := &a.Hours
	if access.Kind == hours.Inherit {
		access = &s.Person(a.Staff).Hours
	}
	template := s.Template(a.Template)
	for ; template != nil && access.Kind == hours.Inherit; template = s.Template(template.Base) {
		access = &template.Hours
	}
	if access.Kind == hours.BySchedule {
		return &s.Schedule(access.Schedule).Hours
	}
	return access
}

// qualified says, record by record, whether somebody holds all that a place requires, and those it stands in, and a
// template or the nearest of its bases that requires something.
func qualified(s *org.State, p *people.Staff, home *time.Location, at time.Time, place *estate.Place,
	template *permit.Template) bool {
	var required []qualification.ID
	for here := place; here != nil; here = s.Place(here.Parent) {
		required = append(required, here.Requires...)
	}
	for ; template != nil; template = s.Template(template.Base) {
		if len(template.Requires) > 0 {
			required = append(required, template.Requires...)
			break
		}
	}
	for _, id := range required {
		held := false
		for _, c := range s.Certificates.All() {
			held = held || c.Staff == p.ID && c.Qualification == id && !c.Ended && !at.Before(c.Issued.Start(home)) &&
				(c.Until.IsZero() || at.Before((c.Until+1).Start(home)))
		}
		if !held {
			return false
		}
	}
	return true
}

// wantsFor says, record by record, for want of what somebody is refused at a place, by a template: of a qualification,
// or of having accepted a notice.
func wantsFor(s *org.State, p *people.Staff, home *time.Location, at time.Time, place *estate.Place,
	template *permit.Template) Reason {
	if !qualified(s, p, home, at, place, template) {
		return QualificationMissing
	}
	for _, n := range s.Notices.All() {
		meant := len(n.Places)+len(n.Templates) == 0
		for here := place; here != nil; here = s.Place(here.Parent) {
			meant = meant || slices.Contains(n.Places, here.ID)
		}
		for t := template; t != nil; t = s.Template(t.Base) {
			meant = meant || slices.Contains(n.Templates, t.ID)
		}
		if !meant || n.Retired || !n.Refuses {
			continue
		}
		if a := s.Accepted(p.ID, n.ID, n.Version); a == nil || at.Before(a.At) {
			return NoticeNotAccepted
		}
	}
	return Granted
}

// plainly answers a question as the rules are written, record by record, with no compiled form and no care for speed.
func plainly(s *org.State, q Question) (Reason, permit.Level) {
	at := time.Unix(q.At, 0)
	place := s.Place(q.Place)
	within, retired, opening := around(s, place)
	zoneOf := func(id estate.PlaceID) *time.Location {
		p := s.Place(id)
		for p.Parent != 0 {
			p = s.Place(p.Parent)
		}
		location, _ := time.LoadLocation(p.TimeZone)
		return location
	}
	who := q.Staff
	if q.Shown != 0 {
		var wrong Reason
		if who, wrong = identified(s, q, place, at); wrong != Granted {
			return wrong, 0
		}
	}
	p := s.Person(who)
	if p == nil {
		return UnknownCredential, 0
	}
	switch kept := keeps(p, zoneOf(p.HomeSite), at); {
	case kept != Granted:
		return kept, 0
	case retired:
		return PlaceRetired, 0
	case !slices.Contains(s.Permissions.Get(uint32(q.Permission)).Kinds, place.Kind):
		return NotForPlace, 0
	}
	least := leastPlainly(s, q, who)
	for _, bar := range s.Bars.All() {
		if !bar.Ended && bar.Staff == who && within(bar.Place) && !at.Before(bar.Since) &&
			(bar.Until.IsZero() || at.Before(bar.Until)) {
			return BarredHere, 0
		}
	}
	best, level := NoAssignment, permit.Level(0)
	better := func(reason Reason, held permit.Level) {
		switch {
		case reason == Granted && (best != Granted || held > level):
			best, level = Granted, held
		case best != Granted && reason > best:
			best = reason
		}
	}
	openFor := func(a *hours.Access) bool { return a.Open(opening, zoneOf(q.Place), q.At) }
	for _, e := range s.Exceptions.All() {
		zone := zoneOf(e.Place)
		if e.Ended || e.Staff != who || e.Permission != q.Permission || !within(e.Place) ||
			!e.From.IsZero() && at.Before(e.From.Start(zone)) ||
			!e.Until.IsZero() && !at.Before((e.Until+1).Start(zone)) {
			continue
		}
		switch {
		case e.Withheld:
			return Withheld, 0
		case e.Level < least:
			better(PermissionNotInTemplate, 0)
		case wantsFor(s, p, zoneOf(p.HomeSite), at, place, nil) != Granted:
			better(wantsFor(s, p, zoneOf(p.HomeSite), at, place, nil), 0)
		case !openFor(&hours.Access{}):
			better(OutsideHours, 0)
		default:
			better(Granted, e.Level)
		}
	}
	if p.Owner {
		return Granted, []permit.Level{1, 3, permit.Unbounded}[q.Permission-1]
	}
	catalogue := permit.NewCatalogue(s.Groups.All(), s.Permissions.All())
	for _, a := range s.Assignments.All() {
		if a.Ended || a.Staff != who || !within(a.Place) {
			continue
		}
		zone := zoneOf(a.Place)
		access := hoursPlainly(s, a)
		held := catalogue.Resolve(s.Template(a.Template), s.Template)[q.Permission].Level
		switch {
		case !a.From.IsZero() && at.Before(a.From.Start(zone)),
			!a.Until.IsZero() && !at.Before((a.Until + 1).Start(zone)):
			better(AssignmentNotInDates, 0)
		case held < least:
			better(PermissionNotInTemplate, 0)
		case wantsFor(s, p, zoneOf(p.HomeSite), at, place, s.Template(a.Template)) != Granted:
			better(wantsFor(s, p, zoneOf(p.HomeSite), at, place, s.Template(a.Template)), 0)
		case !openFor(access):
			better(OutsideHours, 0)
		default:
			better(Granted, held)
		}
	}
	return best, level
}

// leastPlainly is the level that a question takes at least: of the permission whose levels are none, own, team and all,
// that of whose record it is about.
func leastPlainly(s *org.State, q Question, who people.StaffID) permit.Level {
	least := max(q.Level, 1)
	if q.About == 0 || q.About == who || q.Permission != 2 {
		return least
	}
	for _, leads := range s.Members.All() {
		for _, in := range s.Members.All() {
			if leads.Lead && leads.Staff == who && in.Staff == q.About && leads.Team == in.Team && !leads.Ended &&
				!in.Ended && !s.Team(in.Team).Retired {
				return max(least, 2)
			}
		}
	}
	return max(least, 3)
}

func TestDecideSaysWhatTheRulesSay(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawState(t)
		if rapid.Bool().Draw(t, "at doors alone") {
			alone := *s.Permissions.Get(1)
			alone.Kinds = []estate.Kind{estate.Door}
			s.Permissions.Put(1, &alone)
		}
		snapshot := compiled(t, s)
		for range 12 {
			q := drawQuestion(t)
			reason, level := plainly(s, q)
			d := snapshot.Decide(&q)
			if c := s.Credential(q.PIN); reason == Granted && q.Shown&ShownPIN != 0 && c.Duress {
				assert.Equal(t, Granted, snapshot.Told(&q, &d), "nobody at the door is told")
				reason = UnderDuress
			}
			require.Equal(t, reason.String(), d.Reason.String(), "%+v", q)
			require.Equal(t, reason == Granted || reason == UnderDuress, d.Allowed)
			require.Equal(t, level, d.Level)
		}
	})
}

// Reach and HoldsAnywhere look at the places that matter, and say what asking at each place says.
func TestReachIsWhatAskingAtEachPlaceSays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawState(t)
		snapshot := compiled(t, s)
		for range 12 {
			q := drawQuestion(t)
			q.Staff = people.StaffID(rapid.IntRange(1, 4).Draw(t, "staff"))
			key := snapshot.Catalogue().Permission(q.Permission).Key
			reach, anywhere := snapshot.Reach(q.Staff, key, q.At)
			somewhere, atAll := false, false
			for here := range snapshot.Tree().All {
				holds := snapshot.HoldsKey(q.Staff, key, here.Place.ID, q.At)
				somewhere = somewhere || holds
				atAll = atAll || snapshot.Decide(&Question{Staff: q.Staff, Permission: q.Permission,
					Place: here.Place.ID, At: q.At, AnyHour: true, Retired: true}).Allowed
				require.Equal(t, holds, reach[here.Place.ID], "%+v at %s", q, here.Place.Code)
			}
			require.Equal(t, somewhere, anywhere)
			require.Equal(t, atAll, snapshot.HoldsAnywhere(q.Staff, key, q.At))
		}
	})
}

func TestAddingAnAssignmentNeverTakesAccessAway(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawState(t)
		before := compiled(t, s)
		next := s.Fork()
		added := sample.Assignment(t, org.AssignmentID(s.Assignments.Next()))
		next.Put(added)
		after, err := before.Next(next, Touched{Staff: []people.StaffID{added.Staff}})
		require.NoError(t, err)
		for range 10 {
			q := drawQuestion(t)
			was, is := before.Decide(&q), after.Decide(&q)
			assert.True(t, !was.Allowed || is.Allowed && is.Level >= was.Level, "%+v", q)
		}
	})
}

func TestLockLeavingWithheldAndRetirementAlwaysTake(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawState(t)
		q := drawQuestion(t)
		q.Shown, q.Staff = 0, people.StaffID(rapid.IntRange(1, 4).Draw(t, "staff"))
		person := *s.Person(q.Staff)
		place := *s.Place(q.Place)
		next := s.Fork()
		touched := Touched{Staff: []people.StaffID{q.Staff}}
		switch rapid.IntRange(0, 3).Draw(t, "what") {
		case 0:
			person.Lock = &people.Lock{Cause: people.ByManager, Reason: "r", Since: time.Unix(q.At, 0)}
			next.Put(&person)
		case 1:
			person.LeavesAt = time.Unix(q.At, 0)
			next.Put(&person)
		case 2:
			above := estate.PlaceID(0)
			for here := &place; here != nil; here = s.Place(here.Parent) {
				above = here.ID
			}
			next.Put(&org.Exception{ID: org.ExceptionID(s.Exceptions.Next()), Staff: q.Staff,
				Permission: q.Permission, Place: above, Withheld: true, Reason: "r"})
		default:
			place.Retired = true
			next.Put(&place)
			touched.Places = true
		}
		after, err := compiled(t, s).Next(next, touched)
		require.NoError(t, err)
		assert.False(t, after.Decide(&q).Allowed)
	})
}

func TestRenamingChangesNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawState(t)
		next := s.Fork()
		for _, p := range s.Staff.All() {
			renamed := *p
			renamed.GivenName, renamed.FamilyName, renamed.JobTitle = "Other", "Name", "Other title"
			next.Put(&renamed)
		}
		for _, p := range s.Places.All() {
			renamed := *p
			renamed.Name = "Other " + p.Name
			next.Put(&renamed)
		}
		for _, template := range s.Templates.All() {
			renamed := *template
			renamed.Name, renamed.Summary = "Other", "Other"
			next.Put(&renamed)
		}
		before, after := compiled(t, s), compiled(t, next)
		for range 10 {
			q := drawQuestion(t)
			assert.Equal(t, before.Decide(&q), after.Decide(&q))
		}
	})
}

// Compiling only what was touched comes to the same as compiling all.
func TestNextIsAsGoodAsCompilingAnew(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawState(t)
		next := s.Fork()
		touched := Touched{}
		for id := range people.StaffID(rapid.IntRange(0, 3).Draw(t, "edited")) {
			p := *s.Person(id + 1)
			p.StartDate = today
			next.Put(&p)
			touched.Staff = append(touched.Staff, p.ID)
		}
		if rapid.Bool().Draw(t, "a schedule") {
			next.Put(sample.Schedule(t))
			touched.Schedules = true
		}
		if rapid.Bool().Draw(t, "a template") {
			template := *s.Template(1)
			template.Settings = []permit.Setting{{Permission: 1, Word: "yes"}}
			next.Put(&template)
			touched.Catalogue = true
		}
		quick, err := compiled(t, s).Next(next, touched)
		require.NoError(t, err)
		whole := compiled(t, next)
		for range 10 {
			q := drawQuestion(t)
			assert.Equal(t, whole.Decide(&q), quick.Decide(&q))
		}
	})
}

// What somebody holds, by Holdings, is what Decide allows them with hours left out; and Diff of a snapshot with itself
// is empty.
func TestHoldingsAndDecideTellTheSameStory(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		snapshot := compiled(t, drawState(t))
		now := noon.Unix()
		at := noon.AddDate(0, 0, rapid.SampledFrom([]int{0, 1, 2, 3, 401}).Draw(t, "days ahead")).Unix()
		for staff := people.StaffID(1); staff <= 4; staff++ {
			if at > now && snapshot.State().Person(staff).Locked(noon) {
				continue // who is locked holds nothing, whatever comes after the lock
			}
			for permission := permit.PermissionID(1); permission <= 3; permission++ {
				for st := range snapshot.Tree().All {
					if st.Retired || !st.Place.Kind.HoldsOthers() &&
						!snapshot.Catalogue().Permission(permission).AppliesTo(st.Place.Kind) {
						continue
					}
					held := permit.Level(0)
					for _, h := range snapshot.Holdings(staff, now) {
						excepted := false
						for _, x := range h.Except {
							excepted = excepted || x.From <= at && at < x.Until &&
								snapshot.Tree().Within(st.Place.ID, x.Place)
						}
						if h.Permission == permission && h.From <= at && at < h.Until &&
							snapshot.Tree().Within(st.Place.ID, h.Place) && !excepted {
							held = max(held, h.Level)
						}
					}
					assert.Equal(t, snapshot.Holds(staff, permission, st.Place.ID, at), held)
				}
			}
		}
		same := Diff(snapshot, snapshot, now)
		assert.Empty(t, same.Gains)
		assert.Empty(t, same.Losses)
	})
}

func TestDecideDoesNotAllocate(t *testing.T) {
	var snapshot *Snapshot
	var questions []Question
	rapid.Check(t, func(t *rapid.T) {
		snapshot, questions = compiled(t, drawState(t)), append(questions, drawQuestion(t))
	})
	for i := range questions {
		// What others in the process allocate is counted too: what Decide allocates would show in every attempt.
		fewest := 1.0
		for attempt := 0; attempt < 20 && fewest > 0; attempt++ {
			fewest = min(fewest, testing.AllocsPerRun(20, func() { snapshot.Decide(&questions[i]) }))
		}
		assert.Zero(t, fewest)
	}
}

// Compiling what differs between two states, whatever it was that wrote it, comes to the same as compiling all.
func TestWhatDiffersIsCompiledAsIfAllWere(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawState(t)
		next := altered(t, s)
		quick, err := compiled(t, s).Next(next, Between(s, next))
		require.NoError(t, err)
		whole := compiled(t, next)
		for range 20 {
			q := drawQuestion(t)
			assert.Equal(t, whole.Decide(&q), quick.Decide(&q))
		}
		effect := Diff(whole, quick, noon.Unix())
		assert.Empty(t, append(effect.Gains, effect.Losses...))
		permission, place := permit.PermissionID(rapid.IntRange(1, 3).Draw(t, "who can do")),
			estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "who can at"))
		assert.Equal(t, whole.WhoCan(permission, place, noon.Unix(), true),
			quick.WhoCan(permission, place, noon.Unix(), true))
	})
}
