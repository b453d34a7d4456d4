package access_test

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/card"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// A world is an organisation in which anything may be the case that the rules allow, drawn from a number. Every moment
// and every edge of hours in it lies on a quarter of an hour.
type world struct {
	*rand.Rand
	seed  uint64
	state *org.State
	noon  time.Time // around which everything happens
	today day.Date
	grown bool // with what was drawn later
}

const (
	worldPlaces    = 9
	worldStaff     = 3
	worldTemplates = 3
)

// zones have clocks that change by an hour or by half, at midnight or later, and days that begin half a day apart.
var zones = []string{"Europe/Dublin", "America/New_York", "Asia/Tokyo", "Australia/Lord_Howe", "America/Santiago"}

// days are those around which the worlds lie: an ordinary week, and days on which clocks change in those zones.
var days = []time.Time{time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC), time.Date(2026, 10, 25, 12, 0, 0, 0, time.UTC),
	time.Date(2027, 3, 28, 12, 0, 0, 0, time.UTC), time.Date(2026, 9, 6, 12, 0, 0, 0, time.UTC),
	time.Date(2027, 4, 4, 12, 0, 0, 0, time.UTC), time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)}

// newWorld draws a world. Half of them have an organisation in which their sites stand.
func newWorld(seed uint64) *world {
	w := formerWorld(seed)
	w.grown = true
	w.grow(rand.New(rand.NewPCG(seed, 20261130)))
	return w
}

// grow adds what was drawn later, by numbers of its own: what was drawn before stays, and with it the cases kept.
func (w *world) grow(by *rand.Rand) {
	from := w.Rand
	w.Rand = by
	defer func() { w.Rand = from }()
	if w.oneIn(2) {
		root := &estate.Place{ID: worldPlaces + 1, Code: "ALL", Name: "All", Kind: estate.Organisation,
			TimeZone: pick(w, zones), Opening: w.opening(), Requires: w.requires(12)}
		w.state.Put(root)
		for id := uint32(1); id <= 2; id++ {
			site := *w.state.Places.Get(id)
			if site.Parent = root.ID; w.oneIn(3) {
				site.Opening = nil
			}
			w.state.Put(&site)
		}
		for number, a := range w.state.Assignments.All() {
			if w.oneIn(6) {
				moved := *a
				moved.Place = root.ID
				w.state.Assignments.Put(number, &moved)
			}
		}
	}
	for id, t := range w.state.Templates.All() {
		giving := *t
		for permission, words := range [][]string{{"yes", "no"}, {"view", "run", "full"},
			{"0", "20", "full"}, {"team", "all"}, {"yes", "no"}} {
			if w.oneIn(4) {
				giving.Giving = append(giving.Giving, permit.Setting{Permission: permit.PermissionID(permission + 1),
					Word: pick(w, words)})
			}
		}
		for group := permit.GroupID(1); group <= 4; group++ {
			if w.oneIn(5) {
				giving.Giving = append(giving.Giving, permit.Setting{Group: group,
					Word: pick(w, []string{"full", "none"}), AsOf: uint32(w.IntN(9))})
			}
		}
		w.state.Templates.Put(id, &giving)
	}
	for range w.IntN(7) {
		w.state.Put(w.localSetting())
	}
}

// localSetting draws a local setting.
func (w *world) localSetting() *org.LocalSetting {
	l := &org.LocalSetting{ID: org.LocalSettingID(w.state.LocalSettings.Next()),
		Place:    pick(w, []estate.PlaceID{1, 1, 2, 2, 3, estate.PlaceID(1 + w.IntN(worldPlaces))}),
		Template: permit.TemplateID(1 + w.IntN(worldTemplates)), Permission: permit.PermissionID(1 + w.IntN(5)),
		Level: permit.Level(w.IntN(3)), Reason: "r", MadeAt: w.noon, Ended: w.oneIn(8), Revision: uint64(w.IntN(9))}
	if w.oneIn(2) {
		l.From = w.open()
		if l.Until = w.open(); !l.Until.IsZero() {
			l.Until = max(l.From, l.Until)
		}
	}
	return l
}

// formerWorld draws a world as it was drawn before worlds had an organisation, and templates said what can be given:
// the cases that are kept are of these.
func formerWorld(seed uint64) *world {
	w := &world{Rand: rand.New(rand.NewPCG(seed, 20261129)), seed: seed,
		state: &org.State{Revision: 1, Settings: org.DefaultSettings()}}
	w.noon = pick(w, days)
	w.today = day.Of(w.noon)
	w.catalogue()
	w.places()
	w.templates()
	for id := people.StaffID(1); id <= worldStaff; id++ {
		w.person(id)
	}
	w.given()
	return w
}

func pick[T any](w *world, of []T) T { return of[w.IntN(len(of))] }

// oneIn reports true once in n times.
func (w *world) oneIn(n int) bool { return w.IntN(n) == 0 }

// date draws one near today; far ones seldom.
func (w *world) date() day.Date {
	return w.today + pick(w, []day.Date{-400, -3, -2, -1, -1, 0, 0, 1, 1, 2, 3, 400})
}

// open draws a date, or none.
func (w *world) open() day.Date {
	if w.oneIn(2) {
		return 0
	}
	return w.date()
}

// moment draws one within some days of noon.
func (w *world) moment() time.Time {
	return w.noon.Add(time.Duration(w.IntN(6*96)-3*96) * 15 * time.Minute)
}

func (w *world) moments() time.Time {
	if w.oneIn(2) {
		return time.Time{}
	}
	return w.moment()
}

func (w *world) rules(most int) (rules []hours.Rule) {
	for range 1 + w.IntN(most) {
		r := hours.Rule{Days: hours.Days(1 + w.IntN(127)), From: hours.Minute(15 * w.IntN(96)),
			Until: hours.Minute(15 * w.IntN(97))}
		if w.oneIn(2) {
			r.Days = hours.EveryDay
		}
		rules = append(rules, r)
	}
	return rules
}

func (w *world) opening() *hours.Opening {
	if w.oneIn(2) {
		return nil
	}
	o := &hours.Opening{}
	if !w.oneIn(6) {
		o.Rules = w.rules(2)
	}
	for range w.IntN(3) {
		d := hours.Dated{Name: "Dated", From: w.today + day.Date(w.IntN(6)-3)}
		d.Until = d.From + day.Date(w.IntN(4))
		if !w.oneIn(3) {
			d.Rules = w.rules(1)
		}
		o.Dated = append(o.Dated, d)
	}
	return o
}

// access draws access hours; as a schedule's they state themselves.
func (w *world) access(forSchedule bool) hours.Access {
	switch n := w.IntN(9); {
	case n < 3 && !forSchedule:
		return hours.Access{}
	case n == 3 && !forSchedule:
		return hours.Access{Kind: hours.BySchedule, Schedule: hours.ScheduleID(1 + w.IntN(2))}
	case n == 4:
		return hours.Access{Kind: hours.Always}
	case n < 7:
		return hours.Access{Kind: hours.ByPlace, BeforeMinutes: 15 * w.IntN(9) * w.IntN(7),
			AfterMinutes: 15 * w.IntN(49)}
	}
	return hours.Access{Kind: hours.Weekly, Rules: w.rules(2)}
}

func (w *world) requires(oneIn int) []qualification.ID {
	if !w.oneIn(oneIn) {
		return nil
	}
	return pick(w, [][]qualification.ID{{1}, {2}, {1, 2}})
}

// catalogue draws permissions of every scale in groups, one of which is this product's own.
func (w *world) catalogue() {
	s := w.state
	for id := permit.GroupID(1); id <= 4; id++ {
		g := &permit.Group{ID: id, Key: fmt.Sprint("g", id), Title: "Group", Since: uint32(w.IntN(8)),
			Retired: w.oneIn(12)}
		if id == 4 {
			g.Key = permit.ConsoleGroup
		} else {
			g.Parent = permit.GroupID(w.IntN(int(id)))
		}
		s.Groups.Put(uint32(id), g)
	}
	scales := []permit.Scale{{Kind: permit.Switch}, {Kind: permit.Levels, Levels: []string{"none", "view", "run"}},
		{Kind: permit.Limit, Unit: "kg", Most: permit.Level(w.IntN(2) * 50)},
		{Kind: permit.Levels, Levels: []string{"none", "own", "team", "all"}}, {Kind: permit.Switch}}
	for id := permit.PermissionID(1); int(id) <= len(scales); id++ {
		p := &permit.Permission{ID: id, Key: fmt.Sprint("p", id), Title: "Do", Sentence: "Does.", Scale: scales[id-1],
			Group: permit.GroupID(1 + w.IntN(3)), Kinds: estate.Kinds, Since: uint32(w.IntN(8)), Sensitive: w.oneIn(3),
			Retired: w.oneIn(12)}
		if id >= 4 {
			p.Group = 4
		}
		if w.oneIn(4) {
			p.Kinds = pick(w, [][]estate.Kind{{estate.Zone, estate.Site}, {estate.Door}, {estate.Device,
				estate.WorkCentre}})
		}
		s.Permissions.Put(uint32(id), p)
	}
	for id := qualification.ID(1); id <= 2; id++ {
		s.Put(&qualification.Qualification{ID: id, Code: fmt.Sprint("Q", id), Name: "Ticket"})
	}
	for id := hours.ScheduleID(1); id <= 1+hours.ScheduleID(w.IntN(2)); id++ {
		s.Put(&hours.Schedule{ID: id, Code: fmt.Sprint("SCH", id), Name: "Early", Hours: w.access(true),
			Retired: w.oneIn(4)})
	}
}

// proofs are all that a door may ask to be shown.
var proofs = []estate.Proof{estate.AnyProof, estate.PIN, estate.Badge, estate.BadgeOrPIN, estate.BadgeAndPIN}

func (w *world) places() {
	for id := estate.PlaceID(1); id <= worldPlaces; id++ {
		p := &estate.Place{ID: id, Code: fmt.Sprint("P", id), Name: "Place", Retired: w.oneIn(20),
			Requires: w.requires(12)}
		switch {
		case id <= 2:
			p.Kind, p.TimeZone, p.Opening = estate.Site, pick(w, zones), w.opening()
		case id <= 5:
			p.Kind, p.Parent, p.Opening = estate.Zone, estate.PlaceID(1+w.IntN(int(id)-1)), w.opening()
		default:
			p.Kind = pick(w, []estate.Kind{estate.Door, estate.Door, estate.Device, estate.WorkCentre})
			p.Parent = estate.PlaceID(1 + w.IntN(5))
			p.Asks = pick(w, []string{"", "p1", "p1", "p2", "p3", "p5"})
			if p.Kind == estate.Door {
				p.Proof, p.ProofOutside = pick(w, proofs), pick(w, []estate.Proof{"", "", estate.PIN,
					estate.BadgeAndPIN})
			}
		}
		w.state.Put(p)
	}
}

func (w *world) templates() {
	words := [][]string{{"yes", "yes", "no"}, {"view", "run", "none"}, {"0", "20", "40"},
		{"own", "team", "all", "none"}, {"yes", "no"}}
	for id := permit.TemplateID(1); id <= worldTemplates; id++ {
		t := &permit.Template{ID: id, Code: fmt.Sprint("t", id), Name: "Work", Hours: w.access(false),
			Requires: w.requires(4), DecidedAt: uint32(w.IntN(8)), Retired: w.oneIn(8)}
		if w.oneIn(2) {
			t.Base = permit.TemplateID(w.IntN(int(id)))
		}
		for permission := range words {
			if !w.oneIn(3) {
				t.Settings = append(t.Settings, permit.Setting{Permission: permit.PermissionID(permission + 1),
					Word: pick(w, words[permission])})
			}
		}
		for group := permit.GroupID(1); group <= 4; group++ {
			if w.oneIn(4) {
				t.Settings = append(t.Settings, permit.Setting{Group: group, Word: pick(w, []string{"full", "none"}),
					AsOf: uint32(w.IntN(9))})
			}
		}
		w.state.Put(t)
	}
}

// person draws somebody with what they identify with, what they are qualified in, and what keeps them from work.
func (w *world) person(id people.StaffID) {
	s := w.state
	p := &people.Staff{ID: id, Number: fmt.Sprint("S", id), GivenName: "Name", FamilyName: "Family",
		Engagement: pick(w, people.Engagements), HomeSite: estate.PlaceID(1 + w.IntN(2)),
		StartDate: w.today - day.Date(1+w.IntN(300)), Owner: w.oneIn(9), Hours: hours.Access{}}
	if w.oneIn(8) {
		p.StartDate, p.Activated = w.date(), w.oneIn(3)
	}
	if w.oneIn(4) {
		p.Hours = w.access(false)
	}
	if w.oneIn(8) {
		p.ContractEnd = max(p.StartDate, w.date())
	}
	if w.oneIn(9) {
		p.LeavingDate = w.date()
	}
	if w.oneIn(12) {
		p.LeavesAt = w.moment()
	}
	if w.oneIn(8) {
		p.Lock = &people.Lock{Cause: people.ByManager, Reason: "r", Since: w.moment(), Until: w.moments(),
			By: people.StaffID(w.IntN(3))}
	}
	s.Put(p)
	for _, kind := range []credential.Kind{credential.PIN, credential.Badge, credential.Password} {
		for range pick(w, []int{0, 1, 1, 1, 2}) {
			number := credential.ID(s.Credentials.Next())
			c := &credential.Credential{ID: number, Staff: id, Kind: kind, State: credential.Valid, From: w.moments(),
				Until: w.moments(), IssuedAt: w.noon.AddDate(0, -1, 0)}
			if w.oneIn(2) {
				c.From, c.Until = time.Time{}, time.Time{}
			}
			if w.oneIn(4) {
				c.State = pick(w, []credential.State{credential.Suspended, credential.Lost, credential.Withdrawn})
			}
			switch kind {
			case credential.PIN:
				c.Digest, c.Duress = credential.Digest{byte(number)}, w.oneIn(6)
			case credential.Badge:
				c.Badge = credential.BadgeID(number)
				s.Put(&org.Badge{ID: c.Badge, Format: card.Wiegand26, Number: fmt.Sprint("7-", number),
					Site:  p.HomeSite,
					State: org.Issued})
			}
			s.Put(c)
		}
	}
	for range w.IntN(5) {
		c := &org.Certificate{ID: org.CertificateID(s.Certificates.Next()), Staff: id,
			Qualification: qualification.ID(1 + w.IntN(2)), Issued: w.today + day.Date(w.IntN(9)-6), Ended: w.oneIn(8)}
		if !w.oneIn(3) {
			c.Until = c.Issued + day.Date(w.IntN(4))
		}
		s.Put(c)
	}
}

// given draws what people are given and refused: assignments, exceptions, bars, notices, teams.
func (w *world) given() {
	s := w.state
	staff := func() people.StaffID { return people.StaffID(1 + w.IntN(worldStaff)) }
	place := func() estate.PlaceID { return estate.PlaceID(1 + w.IntN(worldPlaces)) }
	high := func() estate.PlaceID { return pick(w, []estate.PlaceID{1, 1, 2, 2, 3, place()}) }
	for range 2 + w.IntN(9) {
		a := &org.Assignment{ID: org.AssignmentID(s.Assignments.Next()), Staff: staff(), Place: high(),
			Template: permit.TemplateID(1 + w.IntN(worldTemplates)), Hours: w.access(false), Ended: w.oneIn(9)}
		if w.oneIn(2) {
			a.From = w.open()
			if a.Until = w.open(); !a.Until.IsZero() {
				a.Until = max(a.From, a.Until)
			}
		}
		s.Put(a)
	}
	for range w.IntN(5) {
		e := &org.Exception{ID: org.ExceptionID(s.Exceptions.Next()), Staff: staff(), Place: high(), Reason: "r",
			Permission: permit.PermissionID(1 + w.IntN(5)), Withheld: w.oneIn(2), MadeAt: w.noon, Ended: w.oneIn(8)}
		if !e.Withheld {
			e.Level = permit.Level(1 + w.IntN(2))
		}
		if w.oneIn(2) {
			e.From = w.open()
			if e.Until = w.open(); !e.Until.IsZero() {
				e.Until = max(e.From, e.Until)
			}
		}
		s.Put(e)
	}
	for range w.IntN(3) {
		s.Put(&org.Bar{ID: org.BarID(s.Bars.Next()), Staff: staff(), Place: place(), Reason: "r", Since: w.moment(),
			Until: w.moments(), Ended: w.oneIn(4)})
	}
	for id := org.NoticeID(1); id <= org.NoticeID(w.IntN(3)); id++ {
		n := &org.Notice{ID: id, Code: fmt.Sprint("N", id), Title: "Rules", Text: "Text",
			Version: uint32(1 + w.IntN(2)),
			Since:   w.noon.AddDate(0, 0, -9), Refuses: !w.oneIn(4), Retired: w.oneIn(6),
			Places:    pick(w, [][]estate.PlaceID{nil, nil, {1}, {3, 7}, {2, 6}}),
			Templates: pick(w, [][]permit.TemplateID{nil, nil, {1}, {2, 3}})}
		if n.Version == 2 {
			n.Past = []org.NoticeText{{Version: 1, Since: n.Since, Text: "Old"}}
		}
		s.Put(n)
		for staff := people.StaffID(1); staff <= worldStaff; staff++ {
			if w.oneIn(2) {
				s.Put(&org.Acceptance{ID: org.AcceptanceID(s.Acceptances.Next()), Notice: id, Staff: staff,
					Version: uint32(1 + w.IntN(int(n.Version))), At: w.moment(), How: org.OnPaper})
			}
		}
	}
	for id := org.TeamID(1); id <= 2; id++ {
		s.Put(&org.Team{ID: id, Code: fmt.Sprint("T", id), Name: "Team", Retired: w.oneIn(4)})
		for staff := people.StaffID(1); staff <= worldStaff; staff++ {
			if w.oneIn(2) {
				s.Put(&org.Member{ID: org.MemberID(s.Members.Next()), Team: id, Staff: staff, Lead: w.oneIn(2),
					Ended: w.oneIn(5)})
			}
		}
	}
	if w.oneIn(3) {
		s.Put(&org.Device{ID: 1, Name: "Reader", Place: place(), Token: [32]byte{1}, Until: w.moments(),
			Retired: w.oneIn(3)})
	}
	w.rest()
}

// rest fills whatever field of whatever record has been left as it is with something, at random: it is of no
// consequence for access, or the answers differ from the oracle's, which does not know of it.
func (w *world) rest() {
	s := reflect.ValueOf(w.state).Elem()
	for i := range s.NumField() {
		table := s.Field(i)
		if !s.Type().Field(i).IsExported() || !strings.HasPrefix(table.Type().Name(), "Table[") {
			continue
		}
		all := table.Addr().MethodByName("All").Call(nil)[0]
		each := reflect.MakeFunc(all.Type().In(0), func(args []reflect.Value) []reflect.Value {
			w.fill(args[1].Elem())
			return []reflect.Value{reflect.ValueOf(true)}
		})
		all.Call([]reflect.Value{each})
	}
}

// drawn are the fields that are drawn above, by the record they stand in; what stands in others is filled at random.
var drawn = map[string]string{
	"Place": "ID Code Name Kind Parent TimeZone Opening Proof ProofOutside Asks Requires Retired",
	"Group": "ID Key Title Parent Since Retired",
	"Staff": "ID Number GivenName FamilyName Engagement HomeSite StartDate ContractEnd Hours Activated " +
		"Owner Lock LeavingDate LeavesAt",
	"Bar":        "ID Staff Place Reason Since Until Ended",
	"Badge":      "ID Format Number Site State",
	"Device":     "ID Name Place Token Until Retired",
	"Notice":     "ID Code Title Text Version Since Places Templates Refuses Past Retired",
	"Team":       "ID Code Name Retired",
	"Member":     "ID Team Staff Lead Ended",
	"Permission": "ID Key Title Sentence Group Scale Kinds Sensitive Since Retired",
	"Template":   "ID Code Name Base Settings Giving Hours Requires DecidedAt Retired",
	"Assignment": "ID Staff Place Template From Until Hours Ended",
	"Exception":  "ID Staff Permission Place Withheld Level From Until Reason MadeAt Ended",
	"Credential": "ID Staff Kind Badge Digest State From Until Duress IssuedAt",
	"Schedule":   "ID Code Name Hours Retired",
	"Acceptance": "ID Notice Version Staff At How",

	"Qualification": "ID Code Name",
	"Certificate":   "ID Staff Qualification Issued Until Ended",
}

func (w *world) fill(record reflect.Value) {
	hand := strings.Fields(drawn[record.Type().Name()])
	for i := range record.NumField() {
		field := record.Type().Field(i)
		if by := " " + strings.Join(hand, " ") + " "; !strings.Contains(by, " "+field.Name+" ") && !w.oneIn(3) {
			w.any(record.Field(i))
		}
	}
}

// any sets a value of any type to something.
func (w *world) any(v reflect.Value) {
	switch v.Interface().(type) {
	case time.Time:
		v.Set(reflect.ValueOf(w.moment()))
		return
	case day.Date:
		v.Set(reflect.ValueOf(w.date()))
		return
	}
	switch v.Kind() {
	case reflect.String:
		v.SetString(fmt.Sprint("x", w.IntN(1000)))
	case reflect.Bool:
		v.SetBool(w.oneIn(2))
	case reflect.Int, reflect.Int32, reflect.Int64:
		v.SetInt(int64(w.IntN(90)))
	case reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		v.SetUint(uint64(w.IntN(3)))
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		w.any(v.Index(0))
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		key, value := reflect.New(v.Type().Key()).Elem(), reflect.New(v.Type().Elem()).Elem()
		w.any(key)
		w.any(value)
		v.SetMapIndex(key, value)
	case reflect.Struct:
		w.fill(v)
	}
}

// seen counts, by the name of each field of each kind of record, how often a world sets it.
func (w *world) seen(counts map[string]int) {
	s := reflect.ValueOf(w.state).Elem()
	var look func(path string, v reflect.Value)
	look = func(path string, v reflect.Value) {
		switch {
		case v.Kind() == reflect.Pointer && !v.IsNil():
			counts[path]++
			look(path, v.Elem())
			return
		case v.Kind() == reflect.Struct && v.Type() != reflect.TypeFor[time.Time]():
			for i := range v.NumField() {
				look(path+"."+v.Type().Field(i).Name, v.Field(i))
			}
			return
		case v.Kind() == reflect.Slice && v.Len() > 0 && v.Index(0).Kind() == reflect.Struct:
			for i := range v.Len() {
				look(path, v.Index(i))
			}
		}
		if !v.IsZero() {
			counts[path]++
		} else {
			counts[path] += 0
		}
	}
	for i := range s.NumField() {
		table := s.Field(i)
		if !s.Type().Field(i).IsExported() || !strings.HasPrefix(table.Type().Name(), "Table[") {
			continue
		}
		all := table.Addr().MethodByName("All").Call(nil)[0]
		each := reflect.MakeFunc(all.Type().In(0), func(args []reflect.Value) []reflect.Value {
			look(args[1].Elem().Type().Name(), args[1].Elem())
			return []reflect.Value{reflect.ValueOf(true)}
		})
		all.Call([]reflect.Value{each})
	}
}
