// Package sample makes organisations for the tests of the core: one that is always the same, and any that the rules
// allow.
package sample

import (
	"fmt"
	"time"

	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// Mill is an organisation of one site with a hall, two doors and a line, a packer (1), and whatever spoil changes.
func Mill(spoil Spoil) *org.State {
	s := &org.State{Revision: 1, Settings: org.DefaultSettings()}
	s.Groups.Put(1, &permit.Group{ID: 1, Key: "doors", Title: "Doors"})
	for id, p := range map[uint32]*permit.Permission{
		1: {Key: "door.open", Title: "Open doors", Scale: permit.Scale{Kind: permit.Switch},
			Kinds: []estate.Kind{estate.Door}},
		2: {Key: "door.store", Title: "Open the store", Scale: permit.Scale{Kind: permit.Switch},
			Kinds: []estate.Kind{estate.Door}, Sensitive: true},
		3: {Key: "line.run", Title: "Run a line",
			Scale: permit.Scale{Kind: permit.Levels, Levels: []string{"none", "view", "run"}},
			Kinds: []estate.Kind{estate.WorkCentre}},
		4: {Key: "stock.adjust", Title: "Adjust a weight", Scale: permit.Scale{Kind: permit.Limit, Unit: "kg"},
			Kinds: []estate.Kind{estate.Zone, estate.WorkCentre}},
	} {
		p.ID, p.Group, p.Since = permit.PermissionID(id), 1, id
		s.Permissions.Put(id, p)
	}
	day := &hours.Opening{Rules: []hours.Rule{{Days: 0x3e, From: 360, Until: 1080}}} // Mon–Fri 06:00–18:00
	for _, p := range []*estate.Place{
		{ID: 1, Code: "M", Name: "Mill", Kind: estate.Site, TimeZone: "Europe/Dublin", Opening: day},
		{ID: 2, Code: "M-H", Name: "Hall", Kind: estate.Zone, Parent: 1},
		{ID: 3, Code: "M-D", Name: "Hall door", Kind: estate.Door, Parent: 2, Proof: estate.PIN, Asks: "door.open"},
		{ID: 4, Code: "M-S", Name: "Store", Kind: estate.Door, Parent: 1, Proof: estate.BadgeAndPIN,
			Asks: "door.store"},
		{ID: 5, Code: "M-L", Name: "Line", Kind: estate.WorkCentre, Parent: 2, Asks: "line.run"},
	} {
		s.Put(p)
	}
	s.Put(&permit.Template{ID: 1, Code: "packer", Name: "Packer",
		Settings: []permit.Setting{{Permission: 1, Word: "yes"}, {Permission: 3, Word: "view"},
			{Permission: 4, Word: "25"}}})
	s.Put(&permit.Template{ID: 2, Code: "idle", Name: "Idle"})
	ana := &people.Staff{ID: 1, Number: "S1", GivenName: "Ana", FamilyName: "Reyes", Engagement: people.Seasonal,
		HomeSite: 1, StartDate: Today - 10}
	a := &org.Assignment{ID: 1, Staff: 1, Place: 1, Template: 1, From: Today - 10, Until: Today + 30}
	c := &credential.Credential{ID: 1, Staff: 1, Kind: credential.PIN, Digest: credential.Digest{1},
		State: credential.Valid}
	if spoil != nil {
		spoil(s, ana, a, c)
	}
	s.Put(ana)
	s.Put(a)
	s.Put(c)
	return s
}

// Spoil changes the records of a mill before they are put into it.
type Spoil = func(s *org.State, ana *people.Staff, a *org.Assignment, c *credential.Credential)

// Noon is a Tuesday in Dublin.
var Noon = time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)

// Today is its date.
var Today = day.Of(Noon)

// Proofs are all that a door may ask for.
var Proofs = []estate.Proof{estate.AnyProof, estate.PIN, estate.Badge, estate.BadgeOrPIN, estate.BadgeAndPIN}

// LastZone is the last of the places that hold others; those after it are doors.
const LastZone = 6

// State makes a small organisation in which anything may be the case that the rules allow.
func State(t *rapid.T) *org.State {
	s := &org.State{Revision: 1, Settings: org.DefaultSettings()}
	oneIn := func(n int, what string) bool { return rapid.IntRange(1, n).Draw(t, what) == 1 }
	date := func(what string) day.Date {
		return Today + day.Date(rapid.SampledFrom([]int{-400, -2, -1, 0, 1, 2, 400}).Draw(t, what))
	}
	optional := func(what string) day.Date {
		if oneIn(2, what+" open") {
			return 0
		}
		return date(what)
	}
	var openings = []*hours.Opening{nil, {Rules: []hours.Rule{{Days: hours.EveryDay, From: 360, Until: 1080}}},
		{Rules: []hours.Rule{{Days: 1 << 3, From: 0, Until: 1440}}}}
	catalogue(t, s)
	for id := estate.PlaceID(1); id <= 8; id++ {
		p := &estate.Place{ID: id, Code: fmt.Sprint("P", id), Name: fmt.Sprint("Place ", id), Kind: estate.Site,
			TimeZone: rapid.SampledFrom([]string{"Europe/Dublin", "Asia/Tokyo"}).Draw(t, "zone"),
			Retired:  oneIn(12, "retired"), Opening: rapid.SampledFrom(openings).Draw(t, "opening")}
		if id > 2 {
			p.Kind, p.TimeZone, p.Parent = estate.Zone, "",
				estate.PlaceID(rapid.IntRange(1, min(int(id)-1, LastZone)).Draw(t, "parent"))
			p.Proof = rapid.SampledFrom(Proofs).Draw(t, "proof")
		}
		if id > LastZone {
			p.Kind, p.Opening, p.Asks = estate.Door, nil, rapid.SampledFrom(append(ForDoors(s), "")).Draw(t, "asks")
			if stricter := rapid.SampledFrom(Proofs).Draw(t, "proof outside"); stricter.Stricter(p.Proof) {
				p.ProofOutside = stricter
			}
		}
		p.Requires = Requires(t, 10)
		s.Put(p)
	}
	for id := permit.TemplateID(1); id <= 3; id++ {
		template := &permit.Template{ID: id, Code: fmt.Sprint("t", id), Name: fmt.Sprint("Work ", id),
			Base: permit.TemplateID(rapid.IntRange(0, int(id)-1).Draw(t, "base")), Hours: Hours(t),
			Requires: Requires(t, 5)}
		for permission := permit.PermissionID(1); permission <= 3; permission++ {
			if oneIn(2, "set") {
				word := [][]string{{"no", "yes"}, {"none", "own", "team", "all"}, {"0", "5", "40"}}[permission-1]
				template.Settings = append(template.Settings,
					permit.Setting{Permission: permission, Word: rapid.SampledFrom(word).Draw(t, "word")})
			}
		}
		s.Put(template)
	}
	for id := people.StaffID(1); id <= 4; id++ {
		for range rapid.IntRange(0, 2).Draw(t, "certificates") {
			s.Put(Certificate(t, org.CertificateID(s.Certificates.Next())))
		}
		p := &people.Staff{ID: id, Number: fmt.Sprint("S", id), GivenName: fmt.Sprint("Name", id), FamilyName: "Family",
			Engagement: people.Employee,
			HomeSite:   estate.PlaceID(rapid.IntRange(1, 2).Draw(t, "home")), StartDate: date("start"),
			Owner: oneIn(6, "owner")}
		if end := optional("contract"); end >= p.StartDate {
			p.ContractEnd = end
		}
		if oneIn(4, "hours of their own") {
			p.Hours = Hours(t)
		}
		if oneIn(4, "leaving") {
			p.LeavingDate = date("leaving date")
		}
		if oneIn(4, "locked") {
			p.Lock = &people.Lock{Cause: people.ByManager, Reason: "r", Since: Noon.Add(-time.Hour)}
			if oneIn(2, "lock ends") {
				p.Lock.Until = Noon.Add(time.Duration(rapid.IntRange(-1, 1).Draw(t, "lock end")) * time.Minute)
			}
		}
		s.Put(p)
		s.Put(&credential.Credential{ID: credential.ID(id), Staff: id, Kind: credential.PIN,
			Digest: credential.Digest{byte(id)}, Duress: oneIn(5, "for duress"),
			State: rapid.SampledFrom([]credential.State{credential.Valid, credential.Valid, credential.Lost,
				credential.Withdrawn}).Draw(t, "state")})
		s.Put(Badge(t, id))
		if oneIn(4, "barred") {
			b := &org.Bar{ID: org.BarID(id), Staff: id,
				Place: estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "barred from")), Reason: "r",
				Since: Noon.Add(-time.Hour), Ended: oneIn(3, "lifted")}
			if oneIn(2, "bar ends") {
				b.Until = Noon.Add(time.Duration(rapid.IntRange(-1, 50).Draw(t, "bar end")) * time.Hour)
			}
			s.Put(b)
		}
	}
	most := org.AssignmentID(rapid.SampledFrom([]int{8, 10, 4, 1, 0}).Draw(t, "assignments"))
	for id := org.AssignmentID(1); id <= most; id++ {
		s.Put(Assignment(t, id))
	}
	for id := org.ExceptionID(1); int(id) <= rapid.IntRange(0, 3).Draw(t, "exceptions"); id++ {
		s.Put(exception(t, id, optional))
	}
	if oneIn(3, "a notice") {
		notice(t, s)
	}
	for id := org.TeamID(1); int(id) <= rapid.IntRange(0, 2).Draw(t, "teams"); id++ {
		team(t, s, id)
	}
	return s
}

// team puts one, with some of the people in it, some of whom lead it.
func team(t *rapid.T, s *org.State, id org.TeamID) {
	s.Put(&org.Team{ID: id, Code: fmt.Sprint("TEAM-", id), Name: fmt.Sprint("Team ", id),
		Retired: rapid.IntRange(1, 5).Draw(t, "team retired") == 1})
	for staff := people.StaffID(1); staff <= 4; staff++ {
		if rapid.Bool().Draw(t, "in it") {
			s.Put(&org.Member{ID: org.MemberID(s.Members.Next()), Team: id, Staff: staff,
				Lead: rapid.Bool().Draw(t, "leads"), Ended: rapid.IntRange(1, 5).Draw(t, "taken out") == 1})
		}
	}
}

// catalogue puts three permissions, one of each scale, and two qualifications.
func catalogue(t *rapid.T, s *org.State) {
	s.Groups.Put(1, &permit.Group{ID: 1, Key: "g", Title: "Group"})
	for id := permit.PermissionID(1); id <= 3; id++ {
		scale := []permit.Scale{{Kind: permit.Switch}, {Kind: permit.Levels, Levels: []string{"none", "Own", "team",
			"all"}},
			{Kind: permit.Limit, Unit: "kg"}}[id-1]
		s.Permissions.Put(uint32(id), &permit.Permission{ID: id, Key: fmt.Sprint("p", id), Title: fmt.Sprint("Do ", id),
			Group: 1, Scale: scale,
			Kinds: rapid.SampledFrom([][]estate.Kind{estate.Kinds, estate.Kinds, {estate.Site, estate.Zone}}).Draw(t,
				"kinds"), Since: uint32(id)})
	}
	for id := qualification.ID(1); id <= 2; id++ {
		s.Put(&qualification.Qualification{ID: id, Code: fmt.Sprint("Q", id),
			Name: fmt.Sprint("Ticket ", id)})
	}
	s.Put(Schedule(t))
}

// Schedule draws the one that hours may be those of.
func Schedule(t *rapid.T) *hours.Schedule {
	c := &hours.Schedule{ID: 1, Code: "EARLY", Name: "Early", Hours: hours.Access{Kind: hours.Always},
		Retired: rapid.IntRange(0, 5).Draw(t, "schedule retired") == 0}
	if drawn := Hours(t); drawn.Kind != hours.Inherit && drawn.Kind != hours.BySchedule {
		c.Hours = drawn
	}
	return c
}

func exception(t *rapid.T, id org.ExceptionID, optional func(string) day.Date) *org.Exception {
	e := &org.Exception{ID: id, Staff: people.StaffID(rapid.IntRange(1, 4).Draw(t, "whose")),
		Permission: permit.PermissionID(rapid.IntRange(1, 3).Draw(t, "what")),
		Place:      estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "where")), Withheld: rapid.Bool().Draw(t, "withheld"),
		From: optional("from"), Until: optional("until"), Reason: "r",
		Ended: rapid.IntRange(1, 5).Draw(t, "ended") == 1}
	if !e.Withheld {
		e.Level = 1
	}
	return e
}

// notice puts one, which some have accepted, in whichever version.
func notice(t *rapid.T, s *org.State) {
	s.Put(Notice(t))
	for id := people.StaffID(1); id <= 4; id++ {
		if rapid.Bool().Draw(t, "accepted") {
			s.Put(&org.Acceptance{ID: org.AcceptanceID(s.Acceptances.Next()), Staff: id, Notice: 1,
				Version: uint32(rapid.IntRange(1, 2).Draw(t, "version")), How: org.OnPaper,
				At: Noon.Add(time.Duration(rapid.IntRange(-40, 2).Draw(t, "accepted at")) * time.Hour)})
		}
	}
}

// Notice draws one: in its second version, or its first.
func Notice(t *rapid.T) *org.Notice {
	n := &org.Notice{ID: 1, Code: "RULES", Title: "Rules", Text: "Text", Version: 1, Since: Noon.Add(-48 * time.Hour),
		Refuses: rapid.IntRange(0, 3).Draw(t, "refuses") > 0, Retired: rapid.IntRange(0, 5).Draw(t, "put away") == 0,
		Places:    rapid.SampledFrom([][]estate.PlaceID{nil, {1}, {3}, {4, 7}}).Draw(t, "for places"),
		Templates: rapid.SampledFrom([][]permit.TemplateID{nil, {1}, {2, 3}}).Draw(t, "for templates")}
	if rapid.Bool().Draw(t, "published anew") {
		n.Version, n.Past = 2, []org.NoticeText{{Version: 1, Since: n.Since, Text: "Old"}}
	}
	return n
}

// Requires draws what something requires people to be qualified in: most require nothing.
func Requires(t *rapid.T, oneIn int) []qualification.ID {
	if rapid.IntRange(1, oneIn).Draw(t, "requires") > 1 {
		return nil
	}
	return rapid.SampledFrom([][]qualification.ID{{1}, {2}, {1, 2}}).Draw(t, "required")
}

// Certificate draws one.
func Certificate(t *rapid.T, id org.CertificateID) *org.Certificate {
	c := &org.Certificate{ID: id, Staff: people.StaffID(rapid.IntRange(1, 4).Draw(t, "certificate of")),
		Qualification: qualification.ID(rapid.IntRange(1, 2).Draw(t, "qualified in")),
		Issued:        Today + day.Date(rapid.IntRange(-3, 1).Draw(t, "certified")),
		Ended:         rapid.IntRange(1, 6).Draw(t, "withdrawn") == 1}
	if rapid.Bool().Draw(t, "certificate ends") {
		c.Until = c.Issued + day.Date(rapid.IntRange(0, 4).Draw(t, "certified for"))
	}
	return c
}

// ForDoors returns the keys of the permissions that a door may ask about.
func ForDoors(s *org.State) (keys []string) {
	for _, permission := range s.Permissions.All() {
		if permission.AppliesTo(estate.Door) {
			keys = append(keys, permission.Key)
		}
	}
	return keys
}

// Badge draws one.
func Badge(t *rapid.T, id people.StaffID) *credential.Credential {
	c := &credential.Credential{ID: credential.ID(id) + 4, Staff: id, Kind: credential.Badge,
		Badge: credential.BadgeID(id),
		State: rapid.SampledFrom([]credential.State{credential.Valid, credential.Valid, credential.Lost,
			credential.Withdrawn}).Draw(t, "badge")}
	if rapid.Bool().Draw(t, "badge ends") {
		c.Until = Noon.Add(time.Duration(rapid.IntRange(-1, 72).Draw(t, "badge end")) * time.Hour)
	}
	return c
}

// Hours draws one.
func Hours(t *rapid.T) hours.Access {
	return rapid.SampledFrom([]hours.Access{{}, {}, {Kind: hours.Always}, {Kind: hours.BySchedule, Schedule: 1},
		{Kind: hours.ByPlace, BeforeMinutes: 60, AfterMinutes: 60},
		{Kind: hours.Weekly, Rules: []hours.Rule{{Days: 1 << 2, From: 600, Until: 840}}}}).Draw(t, "hours")
}

// Assignment draws one.
func Assignment(t *rapid.T, id org.AssignmentID) *org.Assignment {
	a := &org.Assignment{ID: id, Staff: people.StaffID(rapid.IntRange(1, 4).Draw(t, "staff")),
		Place:    estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "place")),
		Template: permit.TemplateID(rapid.IntRange(1, 3).Draw(t, "template")), Hours: Hours(t),
		Ended: rapid.IntRange(0, 7).Draw(t, "ended") == 0}
	if rapid.Bool().Draw(t, "dated") {
		a.From = Today + day.Date(rapid.IntRange(-3, 2).Draw(t, "from"))
		a.Until = a.From + day.Date(rapid.IntRange(0, 4).Draw(t, "days"))
	}
	return a
}
