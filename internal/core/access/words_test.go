package access

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// mill is an organisation of one site with a hall, two doors and a line, a packer (1), and whatever spoil changes.
func mill(t *testing.T, spoil func(s *org.State, ana *people.Staff, a *org.Assignment, c *credential.Credential)) *Snapshot {
	s := &org.State{Revision: 1, Settings: org.DefaultSettings()}
	s.Groups.Put(1, &permit.Group{ID: 1, Key: "doors", Title: "Doors"})
	for id, p := range map[uint32]*permit.Permission{
		1: {Key: "door.open", Title: "Open doors", Scale: permit.Scale{Kind: permit.Switch}, Kinds: []estate.Kind{estate.Door}},
		2: {Key: "door.store", Title: "Open the store", Scale: permit.Scale{Kind: permit.Switch}, Kinds: []estate.Kind{estate.Door}, Sensitive: true},
		3: {Key: "line.run", Title: "Run a line", Scale: permit.Scale{Kind: permit.Levels, Levels: []string{"none", "view", "run"}}, Kinds: []estate.Kind{estate.WorkCentre}},
		4: {Key: "stock.adjust", Title: "Adjust a weight", Scale: permit.Scale{Kind: permit.Limit, Unit: "kg"}, Kinds: []estate.Kind{estate.Zone, estate.WorkCentre}},
	} {
		p.ID, p.Group, p.Since = permit.PermissionID(id), 1, id
		s.Permissions.Put(id, p)
	}
	day := &hours.Opening{Rules: []hours.Rule{{Days: 0x3e, From: 360, Until: 1080}}} // Mon–Fri 06:00–18:00
	for _, p := range []*estate.Place{
		{ID: 1, Code: "M", Name: "Mill", Kind: estate.Site, TimeZone: "Europe/Dublin", Opening: day},
		{ID: 2, Code: "M-H", Name: "Hall", Kind: estate.Zone, Parent: 1},
		{ID: 3, Code: "M-D", Name: "Hall door", Kind: estate.Door, Parent: 2, Proof: estate.PIN, Asks: "door.open"},
		{ID: 4, Code: "M-S", Name: "Store", Kind: estate.Door, Parent: 1, Proof: estate.BadgeAndPIN, Asks: "door.store"},
		{ID: 5, Code: "M-L", Name: "Line", Kind: estate.WorkCentre, Parent: 2, Asks: "line.run"},
	} {
		s.PutPlace(p)
	}
	s.PutTemplate(&permit.Template{ID: 1, Code: "packer", Name: "Packer", Settings: []permit.Setting{{Permission: 1, Word: "yes"}, {Permission: 3, Word: "view"}, {Permission: 4, Word: "25"}}})
	s.PutTemplate(&permit.Template{ID: 2, Code: "idle", Name: "Idle"})
	ana := &people.Staff{ID: 1, Number: "S1", GivenName: "Ana", FamilyName: "Reyes", Engagement: people.Seasonal, HomeSite: 1, StartDate: today - 10}
	a := &org.Assignment{ID: 1, Staff: 1, Place: 1, Template: 1, From: today - 10, Until: today + 30}
	c := &credential.Credential{ID: 1, Staff: 1, Kind: credential.PIN, Digest: credential.Digest{1}, State: credential.Valid}
	if spoil != nil {
		spoil(s, ana, a, c)
	}
	s.PutStaff(ana)
	s.PutAssignment(a)
	s.PutCredential(c)
	return compiled(t, s)
}

type spoil = func(s *org.State, ana *people.Staff, a *org.Assignment, c *credential.Credential)

func TestEveryRefusalHasItsSentenceAndItsRemedy(t *testing.T) {
	pin := Question{PIN: 1, Shown: ShownPIN, Permission: 1, Place: 3, At: noon.Unix()}
	with := func(change func(*Question)) Question { q := pin; change(&q); return q }
	named := with(func(q *Question) { q.Shown, q.Staff = 0, 1 })
	for _, c := range []struct {
		name                       string
		spoil                      spoil
		q                          Question
		reason, sentence, remedied string
	}{
		{"granted", nil, pin, "granted", "Ana may open doors at Hall door.", ""},
		{"granted to a level", nil, with(func(q *Question) { q.Permission, q.Place = 3, 5 }), "granted", "Ana may run a line at Line (view).", ""},
		{"granted to a limit", nil, with(func(q *Question) { q.Permission, q.Place = 4, 5 }), "granted", "Ana may adjust a weight at Line up to 25 kg.", ""},
		{"nobody's PIN", nil, with(func(q *Question) { q.PIN = 0 }), "unknown_credential", "This is not known here.", "have a new PIN issued"},
		{"a lost one", func(_ *org.State, _ *people.Staff, _ *org.Assignment, c *credential.Credential) {
			c.State = credential.Lost
		}, pin, "credential_not_valid", "Ana's credential does not count at this moment.", "Issue a new one."},
		{"another proof", nil, with(func(q *Question) { q.Permission, q.Place = 2, 4 }), "proof_not_sufficient", "Store asks for a badge and a PIN.", "Show a badge and a PIN."},
		{"a PIN where a badge was shown", nil, with(func(q *Question) { q.Shown, q.Badge = ShownBadge, 1 }), "unknown_credential", "This is not known here.", "Try again"},
		{"somebody else's PIN", func(s *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			other := *ana
			other.ID, other.Number = 2, "S2"
			s.PutStaff(&other)
			s.PutCredential(&credential.Credential{ID: 2, Staff: 2, Kind: credential.Badge, Digest: credential.Digest{2}, State: credential.Valid})
		}, with(func(q *Question) { q.Shown, q.Badge = ShownBadge|ShownPIN, 2 }), "credentials_of_two_people", "What was shown belongs to two people.", "one person"},
		{"at another kind of place", nil, with(func(q *Question) { q.Permission, q.Place = 3, 3 }), "permission_not_for_place", "“Run a line” has no meaning at a door.", "Ask about a work centre."},

		{"locked", func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.Lock = &people.Lock{Reason: "talk first", Since: noon.Add(-time.Hour), Until: noon.Add(time.Hour)}
		}, pin, "locked", "Ana is locked.", "Unlock Ana."},
		{"departed", func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.LeavingDate = today - 1
		}, pin, "departed", "Ana has departed.", "Reinstate Ana."},
		{"contract ended", func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.ContractEnd = today - 1
		}, pin, "contract_ended", "Ana's contract ended on 23 Nov 2026.", "later end"},
		{"not started", func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.StartDate = today + 1
		}, pin, "not_started", "Ana starts on 25 Nov 2026.", "activate Ana now"},
		{"retired", func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			hall := *s.Place(2)
			hall.Retired = true
			s.PutPlace(&hall)
		}, pin, "place_retired", "Hall door is no longer in use.", "back into use"},
		{"withheld", func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			s.PutException(&org.Exception{ID: 1, Staff: 1, Permission: 1, Place: 2, Withheld: true, Reason: "light duty"})
		}, pin, "permission_withheld", "Ana may not open doors: it is withheld at Hall.", "End the exception."},
		{"nowhere assigned", func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) { a.Ended = true }, pin, "no_assignment_here", "Ana has no assignment at Hall door.", "Assign Ana"},
		{"not yet", func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) { a.From = today + 2 }, pin, "assignment_not_in_its_dates", "Ana's assignment at Mill begins on 26 Nov 2026.", "begin earlier"},
		{"no longer", func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) { a.Until = today - 1 }, pin, "assignment_not_in_its_dates", "Ana's assignment at Mill ended on 23 Nov 2026.", "later end"},
		{"not in the template", nil, with(func(q *Question) { *q = named; q.Permission, q.Place = 2, 4 }), "permission_not_in_template", "The template Packer does not include “Open the store”.", "by an exception"},
		{"not to that extent", nil, with(func(q *Question) { q.Permission, q.Place, q.Level = 4, 5, 40 }), "permission_not_in_template", "Ana may adjust a weight, but only up to 25 kg.", "by an exception"},
		{"at the wrong hour", nil, with(func(q *Question) { q.At = noon.Add(10 * time.Hour).Unix() }), "outside_access_hours", "Ana may open doors at Hall door, but not at this hour.", "Wait until Wed 25 Nov 06:00"},
	} {
		t.Run(c.name, func(t *testing.T) {
			e := mill(t, c.spoil).Explain(&c.q)
			assert.Equal(t, c.reason, e.Reason.String())
			assert.Equal(t, c.sentence, e.Sentence)
			assert.Contains(t, e.Remedy, c.remedied)
		})
	}
}

func TestAGrantRestsOnItsAssignmentSettingAndHours(t *testing.T) {
	q := Question{Staff: 1, Permission: 1, Place: 3, At: noon.Unix()}
	e := mill(t, nil).Explain(&q)
	assert.Equal(t, []Ground{{"assignment", "1", "Packer at Mill, from 14 Nov 2026 until 24 Dec 2026"}, {"setting", "packer", "“Open doors” is set to yes by template Packer"},
		{"hours", "", "Mon–Fri 06:00–18:00 (opening hours)"}}, e.Grounds)
	e = mill(t, func(s *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) {
		a.Ended = true
		s.PutException(&org.Exception{ID: 1, Staff: 1, Permission: 1, Place: 3, Level: 1, Until: today, Reason: "stands in"})
	}).Explain(&q)
	assert.True(t, e.Allowed)
	assert.Equal(t, []Ground{{"exception", "1", "added at Hall door by exception, until 24 Nov 2026: stands in"}}, e.Grounds)
	e = mill(t, func(_ *org.State, ana *people.Staff, a *org.Assignment, _ *credential.Credential) {
		ana.Owner, a.Ended = true, true
	}).Explain(&q)
	assert.Equal(t, "owner", e.Grounds[0].Kind)
}

func TestStatementsSayWhatSomebodyCanDo(t *testing.T) {
	at := noon.Unix()
	for name, c := range map[string]struct {
		spoil    spoil
		sentence string
		further  string
		when     string
	}{
		"doors first": {nil, "Ana opens 1 door at Mill, Mon–Fri 06:00–18:00, until 24 Dec 2026.", "There, Ana can also run a line (view) and adjust a weight up to 25 kg.", "now"},
		"later": {func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) { a.From = today + 3 },
			"Ana opens 1 door at Mill, Mon–Fri 06:00–18:00, from 27 Nov 2026, until 24 Dec 2026.", "There, Ana can also run a line (view) and adjust a weight up to 25 kg.", "later"},
		"past": {func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) { a.Until = today - 3 },
			"Ana opened 1 door at Mill; this ended on 21 Nov 2026.", "There, Ana could also run a line (view) and adjust a weight up to 25 kg.", "past"},
		"past, with the contract": {func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.ContractEnd = today - 3
		},
			"Ana opened 1 door at Mill; this ended with the contract on 21 Nov 2026.", "There, Ana could also run a line (view) and adjust a weight up to 25 kg.", "past"},
		"until somebody leaves": {func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.LeavingDate = today + 8
		},
			"Ana opens 1 door at Mill, Mon–Fri 06:00–18:00, until 2 Dec 2026, with the departure.", "There, Ana can also run a line (view) and adjust a weight up to 25 kg.", "now"},
		"locked": {func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.Lock = &people.Lock{Cause: people.ByManager, Reason: "r", Since: noon.Add(-time.Hour)}
		}, "Once unlocked, Ana opens 1 door at Mill, Mon–Fri 06:00–18:00, until 24 Dec 2026.", "There, Ana can also run a line (view) and adjust a weight up to 25 kg.", "now"},
		"without a PIN": {func(_ *org.State, _ *people.Staff, _ *org.Assignment, c *credential.Credential) {
			c.State = credential.Withdrawn
		},
			"Ana can run a line (view) and adjust a weight up to 25 kg at Mill, Mon–Fri 06:00–18:00, until 24 Dec 2026.",
			"1 door asks for more than Ana has to show, such as Hall door, which asks for a PIN.", "now"},
		"one door alone": {func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) {
			a.Place, a.Until = 3, 0
		},
			"Ana opens Hall door, Mon–Fri 06:00–18:00.", "", "now"},
		"a line alone": {func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) {
			a.Place, a.Until = 5, 0
		},
			"Ana can run a line (view) and adjust a weight up to 25 kg at Line, Mon–Fri 06:00–18:00.", "", "now"},
		"nothing": {func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) { a.Template = 2 },
			"Ana can do nothing at Mill: the template Idle gives nothing there.", "", "now"},
		"by the name they go by": {func(_ *org.State, ana *people.Staff, a *org.Assignment, _ *credential.Credential) {
			ana.KnownAs, a.Until, a.Hours = "Annie", 0, hours.Access{Kind: hours.Always}
		}, "Annie opens 1 door at Mill, at all hours.", "There, Annie can also run a line (view) and adjust a weight up to 25 kg.", "now"},
	} {
		t.Run(name, func(t *testing.T) {
			statements := mill(t, c.spoil).Statements(1, at)
			require.Len(t, statements, 1)
			assert.Equal(t, c.sentence, statements[0].Sentence)
			assert.Equal(t, c.further, statements[0].Further)
			assert.Equal(t, c.when, statements[0].When)
		})
	}
	withheld := mill(t, func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
		s.PutException(&org.Exception{ID: 1, Staff: 1, Permission: 1, Place: 3, Withheld: true, Reason: "r"})
	}).Statements(1, at)
	assert.Empty(t, withheld[0].Doors, "a door that is withheld is not counted")
	assert.Equal(t, "Ana may not open doors at Hall door by exception, with no end.", withheld[1].Sentence)
}

func TestReadinessNamesWhatKeepsSomebodyFromWorking(t *testing.T) {
	night := hours.Access{Kind: hours.Weekly, Rules: []hours.Rule{{Days: hours.EveryDay, From: 1200, Until: 300}}}
	for code, spoil := range map[string]spoil{
		"": nil,
		"locked": func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.Lock = &people.Lock{Reason: "r", Since: noon.Add(-time.Hour)}
		},
		"contract_ended": func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.ContractEnd = today - 1
		},
		"no_assignment": func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) { a.Ended = true },
		"assignment_ended": func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) {
			a.Until = today - 1
		},
		"template_gives_nothing": func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) { a.Template = 2 },
		"hours_never_meet":       func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) { a.Hours = night },
		"no_credential": func(_ *org.State, _ *people.Staff, _ *org.Assignment, c *credential.Credential) {
			c.State = credential.Withdrawn
		},
		"credential_not_accepted": func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			door := *s.Place(3)
			door.Proof = estate.Badge
			s.PutPlace(&door)
		},
	} {
		obstacles := mill(t, spoil).Readiness(1, noon.Unix())
		if code == "" {
			assert.Empty(t, obstacles)
			continue
		}
		require.NotEmpty(t, obstacles, code)
		assert.Equal(t, code, obstacles[0].Code)
		assert.NotEmpty(t, obstacles[0].Mend)
	}
	departed := func(_ *org.State, ana *people.Staff, a *org.Assignment, _ *credential.Credential) {
		ana.LeavingDate, a.Ended = today-1, true
	}
	assert.Empty(t, mill(t, departed).Readiness(1, noon.Unix()), "who has left is not meant to work")
	prepared := func(_ *org.State, ana *people.Staff, a *org.Assignment, _ *credential.Credential) {
		ana.StartDate, a.From, a.Until = today+5, today+5, today+40
	}
	assert.Empty(t, mill(t, prepared).Readiness(1, noon.Unix()), "who starts later is judged by the day of the start")
}

func TestTheEffectOfMovingAndRetiringAPlaceIsSeen(t *testing.T) {
	before := mill(t, func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) { a.Place = 2 })
	moved := before.State().Fork()
	door := *moved.Place(3)
	door.Parent = 1
	moved.PutPlace(&door)
	after, err := before.Next(moved, Touched{Places: true})
	require.NoError(t, err)
	effect := Diff(before, after, noon.Unix())
	assert.Equal(t, []Shift{{Staff: 1, Permission: 1, Place: 3, Template: 1, Before: 1}}, effect.Losses)
	assert.Empty(t, effect.Gains)
	effect = Diff(after, before, noon.Unix())
	assert.Equal(t, []Shift{{Staff: 1, Permission: 1, Place: 3, Template: 1, After: 1}}, effect.Gains)
}

func TestWhoCanNamesThroughWhat(t *testing.T) {
	snapshot := mill(t, nil)
	can := snapshot.WhoCan(1, 3, noon.Unix(), true)
	require.Len(t, can, 1)
	assert.Equal(t, org.AssignmentID(1), can[0].Decision.Assignment)
	assert.Empty(t, snapshot.WhoCan(2, 4, noon.Unix(), true))
	assert.Len(t, snapshot.WhoCan(1, 3, noon.Add(10*time.Hour).Unix(), true), 1, "hours are left out")
	assert.Empty(t, snapshot.WhoCan(1, 3, noon.AddDate(0, 2, 0).Unix(), true))
}
