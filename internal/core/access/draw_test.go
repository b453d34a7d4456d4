package access

import (
	"flag"
	"fmt"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// TestMain draws more than is usual: what is drawn is small and quickly judged, and much of it is about nobody.
func TestMain(m *testing.M) {
	flag.Parse()
	if checks := flag.Lookup("rapid.checks"); checks.Value.String() == checks.DefValue {
		if err := flag.Set("rapid.checks", "500"); err != nil {
			panic(err)
		}
	}
	os.Exit(m.Run())
}

// noon is a Tuesday in Dublin.
var noon = time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)

var today = day.Of(noon)

var proofs = []estate.Proof{estate.AnyProof, estate.PIN, estate.Badge, estate.BadgeOrPIN, estate.BadgeAndPIN}

// lastZone is the last of the places that hold others; those after it are doors.
const lastZone = 6

// drawState makes a small organisation in which anything may be the case that the rules allow.
func drawState(t *rapid.T) *org.State {
	s := &org.State{Revision: 1, Settings: org.DefaultSettings()}
	oneIn := func(n int, what string) bool { return rapid.IntRange(1, n).Draw(t, what) == 1 }
	date := func(what string) day.Date {
		return today + day.Date(rapid.SampledFrom([]int{-400, -2, -1, 0, 1, 2, 400}).Draw(t, what))
	}
	optional := func(what string) day.Date {
		if oneIn(2, what+" open") {
			return 0
		}
		return date(what)
	}
	var openings = []*hours.Opening{nil, {Rules: []hours.Rule{{Days: hours.EveryDay, From: 360, Until: 1080}}}, {Rules: []hours.Rule{{Days: 1 << 3, From: 0, Until: 1440}}}}
	s.Groups.Put(1, &permit.Group{ID: 1, Key: "g", Title: "Group"})
	for id := permit.PermissionID(1); id <= 3; id++ {
		scale := []permit.Scale{{Kind: permit.Switch}, {Kind: permit.Levels, Levels: []string{"none", "Own", "all"}}, {Kind: permit.Limit, Unit: "kg"}}[id-1]
		s.Permissions.Put(uint32(id), &permit.Permission{ID: id, Key: fmt.Sprint("p", id), Title: fmt.Sprint("Do ", id), Group: 1, Scale: scale,
			Kinds: rapid.SampledFrom([][]estate.Kind{estate.Kinds, estate.Kinds, {estate.Site, estate.Zone}}).Draw(t, "kinds"), Since: uint32(id)})
	}
	for id := estate.PlaceID(1); id <= 8; id++ {
		p := &estate.Place{ID: id, Code: fmt.Sprint("P", id), Name: fmt.Sprint("Place ", id), Kind: estate.Site, TimeZone: rapid.SampledFrom([]string{"Europe/Dublin", "Asia/Tokyo"}).Draw(t, "zone"),
			Retired: oneIn(12, "retired"), Opening: rapid.SampledFrom(openings).Draw(t, "opening")}
		if id > 2 {
			p.Kind, p.TimeZone, p.Parent = estate.Zone, "", estate.PlaceID(rapid.IntRange(1, min(int(id)-1, lastZone)).Draw(t, "parent"))
			p.Proof = rapid.SampledFrom(proofs).Draw(t, "proof")
		}
		if id > lastZone {
			p.Kind, p.Opening, p.Asks = estate.Door, nil, rapid.SampledFrom(append(forDoors(s), "")).Draw(t, "asks")
		}
		s.PutPlace(p)
	}
	for id := permit.TemplateID(1); id <= 3; id++ {
		template := &permit.Template{ID: id, Code: fmt.Sprint("t", id), Name: fmt.Sprint("Work ", id), Base: permit.TemplateID(rapid.IntRange(0, int(id)-1).Draw(t, "base")), Hours: drawHours(t)}
		for permission := permit.PermissionID(1); permission <= 3; permission++ {
			if oneIn(2, "set") {
				word := [][]string{{"no", "yes"}, {"none", "own", "all"}, {"0", "5", "40"}}[permission-1]
				template.Settings = append(template.Settings, permit.Setting{Permission: permission, Word: rapid.SampledFrom(word).Draw(t, "word")})
			}
		}
		s.PutTemplate(template)
	}
	for id := people.StaffID(1); id <= 4; id++ {
		p := &people.Staff{ID: id, Number: fmt.Sprint("S", id), GivenName: fmt.Sprint("Name", id), FamilyName: "Family", Engagement: people.Employee,
			HomeSite: estate.PlaceID(rapid.IntRange(1, 2).Draw(t, "home")), StartDate: date("start"), Owner: oneIn(6, "owner")}
		if end := optional("contract"); end >= p.StartDate {
			p.ContractEnd = end
		}
		if oneIn(4, "leaving") {
			p.LeavingDate = date("leaving date")
		}
		if oneIn(4, "locked") {
			p.Lock = &people.Lock{Cause: people.ByManager, Reason: "r", Since: noon.Add(-time.Hour)}
			if oneIn(2, "lock ends") {
				p.Lock.Until = noon.Add(time.Duration(rapid.IntRange(-1, 1).Draw(t, "lock end")) * time.Minute)
			}
		}
		s.PutStaff(p)
		s.PutCredential(&credential.Credential{ID: credential.ID(id), Staff: id, Kind: credential.PIN, Digest: credential.Digest{byte(id)},
			State: rapid.SampledFrom([]credential.State{credential.Valid, credential.Valid, credential.Lost, credential.Withdrawn}).Draw(t, "state")})
		s.PutCredential(drawBadge(t, id))
		if oneIn(4, "barred") {
			b := &org.Bar{ID: org.BarID(id), Staff: id, Place: estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "barred from")), Reason: "r", Since: noon.Add(-time.Hour), Ended: oneIn(3, "lifted")}
			if oneIn(2, "bar ends") {
				b.Until = noon.Add(time.Duration(rapid.IntRange(-1, 50).Draw(t, "bar end")) * time.Hour)
			}
			s.PutBar(b)
		}
	}
	for id := org.AssignmentID(1); int(id) <= rapid.IntRange(0, 10).Draw(t, "assignments"); id++ {
		s.PutAssignment(drawAssignment(t, id))
	}
	for id := org.ExceptionID(1); int(id) <= rapid.IntRange(0, 3).Draw(t, "exceptions"); id++ {
		e := &org.Exception{ID: id, Staff: people.StaffID(rapid.IntRange(1, 4).Draw(t, "whose")), Permission: permit.PermissionID(rapid.IntRange(1, 3).Draw(t, "what")),
			Place: estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "where")), Withheld: oneIn(2, "withheld"), From: optional("from"), Until: optional("until"), Reason: "r", Ended: oneIn(5, "ended")}
		if !e.Withheld {
			e.Level = 1
		}
		s.PutException(e)
	}
	return s
}

// forDoors returns the keys of the permissions that a door may ask about.
func forDoors(s *org.State) (keys []string) {
	for _, permission := range s.Permissions.All() {
		if permission.AppliesTo(estate.Door) {
			keys = append(keys, permission.Key)
		}
	}
	return keys
}

func drawBadge(t *rapid.T, id people.StaffID) *credential.Credential {
	c := &credential.Credential{ID: credential.ID(id) + 4, Staff: id, Kind: credential.Badge, Digest: credential.Digest{0, byte(id)},
		State: rapid.SampledFrom([]credential.State{credential.Valid, credential.Valid, credential.Lost, credential.Withdrawn}).Draw(t, "badge")}
	if rapid.Bool().Draw(t, "badge ends") {
		c.Until = noon.Add(time.Duration(rapid.IntRange(-1, 72).Draw(t, "badge end")) * time.Hour)
	}
	return c
}

func drawHours(t *rapid.T) hours.Access {
	return rapid.SampledFrom([]hours.Access{{}, {}, {Kind: hours.Always}, {Kind: hours.ByPlace, BeforeMinutes: 60, AfterMinutes: 60},
		{Kind: hours.Weekly, Rules: []hours.Rule{{Days: 1 << 2, From: 600, Until: 840}}}}).Draw(t, "hours")
}

func drawAssignment(t *rapid.T, id org.AssignmentID) *org.Assignment {
	a := &org.Assignment{ID: id, Staff: people.StaffID(rapid.IntRange(1, 4).Draw(t, "staff")), Place: estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "place")),
		Template: permit.TemplateID(rapid.IntRange(1, 3).Draw(t, "template")), Hours: drawHours(t), Ended: rapid.IntRange(0, 7).Draw(t, "ended") == 0}
	if rapid.Bool().Draw(t, "dated") {
		a.From = today + day.Date(rapid.IntRange(-3, 2).Draw(t, "from"))
		a.Until = a.From + day.Date(rapid.IntRange(0, 4).Draw(t, "days"))
	}
	return a
}

func drawQuestion(t *rapid.T) Question {
	q := Question{Permission: permit.PermissionID(rapid.IntRange(1, 3).Draw(t, "permission")), Place: estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "place asked")),
		Level: permit.Level(rapid.SampledFrom([]int{0, 0, 1, 2, 20}).Draw(t, "level asked")), At: noon.Unix() + int64(rapid.IntRange(-72, 72).Draw(t, "hour"))*3600}
	if rapid.Bool().Draw(t, "by credential") {
		q.Shown = Shown(rapid.IntRange(1, 3).Draw(t, "shown"))
		q.PIN, q.Badge = credential.ID(rapid.IntRange(0, 5).Draw(t, "PIN")), credential.ID(rapid.IntRange(4, 9).Draw(t, "badge"))
		if rapid.Bool().Draw(t, "of one person") {
			q.Badge = q.PIN + 4
		}
	} else {
		q.Staff = people.StaffID(rapid.IntRange(1, 5).Draw(t, "staff asked"))
	}
	q.About = people.StaffID(rapid.SampledFrom([]int{0, 0, 1, 2}).Draw(t, "about"))
	return q
}

func compiled(t require.TestingT, s *org.State) *Snapshot {
	snapshot, err := Compile(s)
	require.NoError(t, err)
	return snapshot
}
