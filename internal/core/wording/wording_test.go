package wording

import (
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
	"loyallatch.example/latch/internal/core/sample"
)

var (
	noon  = sample.Noon
	today = sample.Today
)

type spoil = sample.Spoil

func anybody(people.StaffID) bool { return true }

func mill(t require.TestingT, spoil sample.Spoil) *access.Snapshot {
	return compiled(t, sample.Mill(spoil))
}

func compiled(t require.TestingT, s *org.State) *access.Snapshot {
	snapshot, err := access.Compile(s)
	require.NoError(t, err)
	return snapshot
}

// excepted is a mill in which Ana has some exceptions.
func excepted(t *testing.T, exceptions ...*org.Exception) *access.Snapshot {
	return mill(t, func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
		for i, e := range exceptions {
			e.ID, e.Staff, e.Reason = org.ExceptionID(i+1), 1, "because"
			s.Put(e)
		}
	})
}

// What is said of a credential that does not count names nobody who may have lost it.
func TestACredentialThatDoesNotCountIsToldWithWhy(t *testing.T) {
	pin := access.Question{PIN: 1, Shown: access.ShownPIN, Permission: 1, Place: 3, At: noon.Unix()}
	with := func(change func(*access.Question)) access.Question { q := pin; change(&q); return q }
	for _, c := range []struct {
		name                       string
		spoil                      spoil
		q                          access.Question
		reason, sentence, remedied string
	}{
		{"a lost one", func(_ *org.State, _ *people.Staff, _ *org.Assignment, c *credential.Credential) {
			c.State = credential.Lost
			c.Kind, c.Badge = credential.Badge, 1
		}, with(func(q *access.Question) { q.Shown, q.Badge = access.ShownBadge, 1 }), "credential_not_valid",
			"This badge is reported lost.", "If it was found"},
		{"a suspended one", func(_ *org.State, _ *people.Staff, _ *org.Assignment, c *credential.Credential) {
			c.State, c.Kind, c.Badge = credential.Suspended, credential.Badge, 1
		}, with(func(q *access.Question) { q.Shown, q.Badge = access.ShownBadge, 1 }), "credential_not_valid",
			"This badge is suspended.", "Resume the badge."},
		{"one that has run out", func(_ *org.State, _ *people.Staff, _ *org.Assignment, c *credential.Credential) {
			c.Until = noon
		}, pin, "credential_not_valid", "This PIN has run out.", "Issue Ana a new PIN, or one for longer."},
		{"one that does not count yet", func(_ *org.State, _ *people.Staff, _ *org.Assignment,
			c *credential.Credential) {
			c.From = noon.Add(time.Hour)
		}, pin, "credential_not_valid", "Ana's credential does not count at this moment.", "Issue a new one."},
		{"a badge and a wrong PIN", func(_ *org.State, _ *people.Staff, _ *org.Assignment, c *credential.Credential) {
			c.Kind, c.Badge = credential.Badge, 1
		}, with(func(q *access.Question) {
			q.Shown, q.Badge, q.PIN = access.ShownBadge|access.ShownPIN, 1, 0
		}), "wrong_pin", "The PIN that was typed is not the one that goes with this badge.", "new one issued"},
	} {
		t.Run(c.name, func(t *testing.T) {
			e := English.Explain(mill(t, c.spoil), &c.q)
			assert.Equal(t, c.reason, e.Reason.String())
			assert.Equal(t, c.sentence, e.Sentence)
			assert.Contains(t, e.Remedy, c.remedied)
		})
	}
}

func TestEveryRefusalHasItsSentenceAndItsRemedy(t *testing.T) {
	said := map[string]bool{}
	pin := access.Question{PIN: 1, Shown: access.ShownPIN, Permission: 1, Place: 3, At: noon.Unix()}
	with := func(change func(*access.Question)) access.Question { q := pin; change(&q); return q }
	named := with(func(q *access.Question) { q.Shown, q.Staff = 0, 1 })
	for _, c := range []struct {
		name                       string
		spoil                      spoil
		q                          access.Question
		reason, sentence, remedied string
	}{
		{"granted", nil, pin, "granted", "Ana may open doors at Hall door.", ""},
		{"granted to a level", nil, with(func(q *access.Question) { q.Permission, q.Place = 3, 5 }), "granted",
			"Ana may run a line at Line (view).", ""},
		{"granted to a limit", nil, with(func(q *access.Question) { q.Permission, q.Place = 4, 5 }), "granted",
			"Ana may adjust a weight at Line up to 25 kg.", ""},
		{"nobody's PIN", nil, with(func(q *access.Question) { q.PIN = 0 }), "unknown_credential",
			"This is not known here.", "have a new PIN issued"},
		{"another proof", nil, with(func(q *access.Question) { q.Permission, q.Place = 2, 4 }), "proof_not_sufficient",
			"Store asks for a badge and a PIN.", "Show a badge and a PIN."},
		{"a PIN where a badge was shown", nil,
			with(func(q *access.Question) { q.Shown, q.Badge = access.ShownBadge, 1 }), "unknown_credential",
			"This is not known here.", "Try again"},
		{"somebody else's PIN", func(s *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			other := *ana
			other.ID, other.Number = 2, "S2"
			s.Put(&other)
			s.Put(&credential.Credential{ID: 2, Staff: 2, Kind: credential.Badge,
				Badge: 2, State: credential.Valid})
		}, with(func(q *access.Question) { q.Shown, q.Badge = access.ShownBadge|access.ShownPIN, 2 }),
			"credentials_of_two_people", "What was shown belongs to two people.", "one person"},
		{"at another kind of place", nil, with(func(q *access.Question) { q.Permission, q.Place = 3, 3 }),
			"permission_not_for_place", "“Run a line” has no meaning at a door.", "Ask about a work centre."},

		{"locked", func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.Lock = &people.Lock{Reason: "talk first", Since: noon.Add(-time.Hour), Until: noon.Add(time.Hour)}
		}, pin, "locked", "Ana is locked.", "Unlock Ana."},
		{"left", func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.LeavingDate = today - 1
		}, pin, "left", "Ana has left.", "Reinstate Ana."},
		{"contract ended", func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.ContractEnd = today - 1
		}, pin, "contract_ended", "Ana's contract ended on 23 Nov 2026.", "later end"},
		{"not started", func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.StartDate = today + 1
		}, pin, "not_started", "Ana starts on 25 Nov 2026.", "activate Ana now"},
		{"retired", func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			hall := *s.Place(2)
			hall.Retired = true
			s.Put(&hall)
		}, pin, "place_retired", "Hall door is no longer in use.", "back into use"},
		{"withheld", func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			s.Put(&org.Exception{ID: 1, Staff: 1, Permission: 1, Place: 2, Withheld: true,
				Reason: "light duty"})
		}, pin, "permission_withheld", "Ana may not open doors: it is withheld at Hall.", "End the exception."},
		{"nowhere assigned", func(_ *org.State, _ *people.Staff, a *org.Assignment,
			_ *credential.Credential) {
			a.Ended = true
		}, pin, "no_assignment_here", "Ana has no assignment at Hall door.", "Assign Ana"},
		{"not yet", func(_ *org.State, _ *people.Staff, a *org.Assignment,
			_ *credential.Credential) {
			a.From = today + 2
		}, pin, "assignment_not_in_its_dates", "Ana's assignment at Mill begins on 26 Nov 2026.", "begin earlier"},
		{"no longer", func(_ *org.State, _ *people.Staff, a *org.Assignment,
			_ *credential.Credential) {
			a.Until = today - 1
		}, pin, "assignment_not_in_its_dates", "Ana's assignment at Mill ended on 23 Nov 2026.", "later end"},
		{"not in the template", nil, with(func(q *access.Question) { *q = named; q.Permission, q.Place = 2, 4 }),
			"permission_not_in_template", "The template Packer does not include “Open the store”.", "by an exception"},
		{"not to that extent", nil, with(func(q *access.Question) { q.Permission, q.Place, q.Level = 4, 5, 40 }),
			"permission_not_in_template", "Ana may adjust a weight, but only up to 25 kg.", "by an exception"},
		{"at the wrong hour", nil, with(func(q *access.Question) { q.At = noon.Add(10 * time.Hour).Unix() }),
			"outside_access_hours", "Ana may open doors at Hall door, but not at this hour.",
			"Wait until Wed 25 Nov 06:00"},
	} {
		said[c.reason] = true
		t.Run(c.name, func(t *testing.T) {
			e := English.Explain(mill(t, c.spoil), &c.q)
			assert.Equal(t, c.reason, e.Reason.String())
			assert.Equal(t, c.sentence, e.Sentence)
			assert.Contains(t, e.Remedy, c.remedied)
		})
	}
	for _, other := range []string{"too_many_tries", "wrong_pin", "credential_not_valid", "barred_here",
		"qualification_missing", "notice_not_accepted"} { // said in tests of their own
		said[other] = true
	}
	for rank := range access.Reasons {
		if _, change := access.Reason(rank).Means(); change != "" {
			assert.True(t, said[access.Reason(rank).String()], "what is said of %s", access.Reason(rank))
		}
	}
}

func TestAGrantRestsOnItsAssignmentSettingAndHours(t *testing.T) {
	q := access.Question{Staff: 1, Permission: 1, Place: 3, At: noon.Unix()}
	e := English.Explain(mill(t, nil), &q)
	assert.Equal(t, []Ground{{"assignment", "1", "Packer at Mill, from 14 Nov 2026 until 24 Dec 2026"},
		{"setting", "packer", "“Open doors” is set to yes by template Packer"},
		{"hours", "", "Mon–Fri 06:00–18:00 (opening hours)"}}, e.Grounds)
	e = English.Explain(mill(t, func(s *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) {
		a.Ended = true
		s.Put(&org.Exception{ID: 1, Staff: 1, Permission: 1, Place: 3, Level: 1, Until: today,
			Reason: "stands in"})
	}), &q)
	assert.True(t, e.Allowed)
	assert.Equal(t, []Ground{{"exception", "1", "added at Hall door by exception, until 24 Nov 2026: stands in"}},
		e.Grounds)
	e = English.Explain(mill(t, func(_ *org.State, ana *people.Staff, a *org.Assignment, _ *credential.Credential) {
		ana.Owner, a.Ended = true, true
	}), &q)
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
		"doors first": {nil, "Ana opens 1 door at Mill, Mon–Fri 06:00–18:00, until 24 Dec 2026.",
			"There, Ana can also run a line (view) and adjust a weight up to 25 kg.", "now"},
		"later": {func(_ *org.State, _ *people.Staff, a *org.Assignment,
			_ *credential.Credential) {
			a.From = today + 3
		},
			"Ana opens 1 door at Mill, Mon–Fri 06:00–18:00, from 27 Nov 2026, until 24 Dec 2026.",
			"There, Ana can also run a line (view) and adjust a weight up to 25 kg.", "later"},
		"past": {func(_ *org.State, _ *people.Staff, a *org.Assignment,
			_ *credential.Credential) {
			a.Until = today - 3
		},
			"Ana opened 1 door at Mill; this ended on 21 Nov 2026.",
			"There, Ana could also run a line (view) and adjust a weight up to 25 kg.", "past"},
		"past, with the contract": {func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.ContractEnd = today - 3
		},
			"Ana opened 1 door at Mill; this ended with the contract on 21 Nov 2026.",
			"There, Ana could also run a line (view) and adjust a weight up to 25 kg.", "past"},
		"until somebody leaves": {func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.LeavingDate = today + 8
		},
			"Ana opens 1 door at Mill, Mon–Fri 06:00–18:00, until 2 Dec 2026, with the leaving date.",
			"There, Ana can also run a line (view) and adjust a weight up to 25 kg.", "now"},
		"locked": {func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.Lock = &people.Lock{Cause: people.ByManager, Reason: "r", Since: noon.Add(-time.Hour)}
		}, "Once unlocked, Ana opens 1 door at Mill, Mon–Fri 06:00–18:00, until 24 Dec 2026.",
			"There, Ana can also run a line (view) and adjust a weight up to 25 kg.", "now"},
		"without a PIN": {func(_ *org.State, _ *people.Staff, _ *org.Assignment, c *credential.Credential) {
			c.State = credential.Withdrawn
		},
			"Ana can run a line (view) and adjust a weight up to 25 kg at Mill, Mon–Fri 06:00–18:00, " +
				"until 24 Dec 2026.",
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
		}, "Annie opens 1 door at Mill, at all hours.",
			"There, Annie can also run a line (view) and adjust a weight up to 25 kg.", "now"},
	} {
		t.Run(name, func(t *testing.T) {
			statements := English.Statements(mill(t, c.spoil), 1, at)
			require.Len(t, statements, 1)
			assert.Equal(t, c.sentence, statements[0].Sentence)
			assert.Equal(t, c.further, statements[0].Further)
			assert.Equal(t, c.when, string(statements[0].When))
		})
	}
	withheld := English.Statements(
		mill(t, func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			s.Put(&org.Exception{ID: 1, Staff: 1, Permission: 1, Place: 3, Withheld: true, Reason: "r"})
		}), 1, at)
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
		"no_assignment": func(_ *org.State, _ *people.Staff, a *org.Assignment,
			_ *credential.Credential) {
			a.Ended = true
		},
		"assignment_ended": func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) {
			a.Until = today - 1
		},
		"template_gives_nothing": func(_ *org.State, _ *people.Staff, a *org.Assignment,
			_ *credential.Credential) {
			a.Template = 2
		},
		"hours_never_meet": func(_ *org.State, _ *people.Staff, a *org.Assignment,
			_ *credential.Credential) {
			a.Hours = night
		},
		"no_credential": func(_ *org.State, _ *people.Staff, _ *org.Assignment, c *credential.Credential) {
			c.State = credential.Withdrawn
		},
		"credential_not_accepted": func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			door := *s.Place(3)
			door.Proof = estate.Badge
			s.Put(&door)
		},
		"badge_suspended": func(s *org.State, _ *people.Staff, _ *org.Assignment, c *credential.Credential) {
			c.Kind, c.Badge, c.State = credential.Badge, 1, credential.Suspended
			door := *s.Place(3)
			door.Proof = estate.Badge
			s.Put(&door)
		},
		"some_doors_shut": func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			s.Put(&estate.Place{ID: 6, Code: "M-E", Name: "Side door", Kind: estate.Door, Parent: 2,
				Proof: estate.Badge, Asks: "door.open"})
		},
		"credential_needed": func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			packer := *s.Template(1)
			packer.Needs = []string{"pin", "badge"}
			s.Put(&packer)
		},
	} {
		obstacles := English.Readiness(mill(t, spoil), 1, noon.Unix())
		if code == "" {
			assert.Empty(t, obstacles)
			continue
		}
		require.NotEmpty(t, obstacles, code)
		assert.Equal(t, code, obstacles[0].Code)
		assert.NotEmpty(t, obstacles[0].Mend)
	}
	left := func(_ *org.State, ana *people.Staff, a *org.Assignment, _ *credential.Credential) {
		ana.LeavingDate, a.Ended = today-1, true
	}
	assert.Empty(t, English.Readiness(mill(t, left), 1, noon.Unix()), "who has left is not meant to work")
	prepared := func(_ *org.State, ana *people.Staff, a *org.Assignment, _ *credential.Credential) {
		ana.StartDate, a.From, a.Until = today+5, today+5, today+40
	}
	assert.Empty(t, English.Readiness(mill(t, prepared), 1, noon.Unix()),
		"who starts later is judged by the day of the start")
}

func TestTheWordsOfAnEffect(t *testing.T) {
	before, after := mill(t, nil),
		excepted(t, &org.Exception{Permission: 2, Place: 4, Level: 1},
			&org.Exception{Permission: 4, Place: 1, Level: 40}, &org.Exception{Permission: 1, Place: 3, Withheld: true})
	effect := access.Diff(before, after, noon.Unix())
	gains, losses := after.Groups(effect.Gains, false), before.Groups(effect.Losses, true)
	assert.Equal(t, "Ana Reyes at Store gains “Open the store”, Ana Reyes at Mill gains “Adjust a weight” "+
		"(25 → 40); Ana Reyes at Hall door loses “Open doors”.",
		English.Summary(&Compared{before, after, noon.Unix()}, &effect, gains, losses, anybody))
	assert.Equal(t, "gain:door.store:-:0:1", gains[0].Key())
	assert.Equal(t, "loss:door.open:packer:1:0", losses[0].Key())
	assert.True(t, effect.GivesSensitive(after.Catalogue()))
	assert.True(t, effect.NeedsReason(after.Catalogue()))
	assert.Equal(t, "Nobody gains and nobody loses.",
		English.Summary(&Compared{before, before, noon.Unix()}, &access.Effect{}, nil, nil, anybody))
	only := access.Effect{Gains: []access.Difference{effect.Gains[len(effect.Gains)-1]}}
	assert.Equal(t, "Ana Reyes at Mill gains “Adjust a weight” (25 → 40); nobody loses.",
		English.Summary(&Compared{before, after, noon.Unix()}, &only, after.Groups(only.Gains, false), nil, anybody))
	later := excepted(t, &org.Exception{Permission: 2, Place: 4, Level: 1, From: today + 7})
	ahead := access.Diff(before, later, noon.Unix())
	groups := later.Groups(ahead.Gains, false)
	require.Len(t, groups, 1)
	assert.Equal(t, "Ana Reyes at Store gains “Open the store”, on a day ahead",
		English.Group(&Compared{before, later, noon.Unix()}, &groups[0], anybody))
}

func TestTheWordsOfAnEffectSayUntilWhen(t *testing.T) {
	both := func(before, after *access.Snapshot, permission permit.PermissionID) (there, back string) {
		there = summary(before, after, permission)
		return there, summary(after, before, permission)
	}
	plain := mill(t, nil)
	lost, won := both(plain, excepted(t, &org.Exception{Permission: 1, Place: 1, Withheld: true, Until: today + 5}), 1)
	assert.Equal(t, "Ana Reyes at Mill loses “Open doors”, until 29 Nov 2026; nobody gains.", lost)
	assert.Equal(t, "Ana Reyes at Mill gains “Open doors”, already before 30 Nov 2026; nobody loses.", won)
	lost, won = both(plain, excepted(t,
		&org.Exception{Permission: 1, Place: 3, Withheld: true, From: today + 2, Until: today + 5}), 1)
	assert.Equal(t, "Ana Reyes at Hall door loses “Open doors”, on a day ahead, until 29 Nov 2026; nobody gains.", lost)
	assert.Equal(t, "Ana Reyes at Hall door gains “Open doors”, on a day ahead, already before 30 Nov 2026; "+
		"nobody loses.", won)
	sooner := mill(t, func(_ *org.State, _ *people.Staff, a *org.Assignment,
		_ *credential.Credential) {
		a.Until = today + 3
	})
	lost, won = both(plain, sooner, 4)
	assert.Equal(t, "Ana Reyes at Mill loses “Adjust a weight” (25 → 0), on a day ahead; nobody gains.", lost)
	assert.Equal(t, "Ana Reyes at Mill gains “Adjust a weight” (0 → 25), on a day ahead; nobody loses.", won)
	always := mill(t, func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) {
		a.Hours = hours.Access{Kind: hours.Always}
	})
	early := mill(t, func(_ *org.State, _ *people.Staff, a *org.Assignment, _ *credential.Credential) {
		a.Hours = hours.Access{Kind: hours.Weekly, Rules: []hours.Rule{{Days: hours.EveryDay, From: 300, Until: 360}}}
	})
	lost, _ = both(always, early, 4)
	assert.Equal(t, "Ana Reyes at Mill loses “Adjust a weight”: daily 05:00–06:00 instead of at all hours; "+
		"nobody gains.", lost)
	within := excepted(t, &org.Exception{Permission: 1, Place: 3, Withheld: true},
		&org.Exception{Permission: 1, Place: 3, Level: 1})
	assert.Equal(t, "Nobody gains and nobody loses.",
		summary(within, excepted(t, &org.Exception{Permission: 1, Place: 3, Withheld: true}), 1),
		"what is withheld wins over what is added")
}

// summary says what Ana gains and loses of one permission.
func summary(before, after *access.Snapshot, permission permit.PermissionID) string {
	effect := access.Diff(before, after, noon.Unix())
	other := func(shift access.Difference) bool { return shift.Permission != permission }
	effect.Gains, effect.Losses = slices.DeleteFunc(effect.Gains, other), slices.DeleteFunc(effect.Losses, other)
	return English.Summary(&Compared{before, after, noon.Unix()}, &effect, after.Groups(effect.Gains, false),
		before.Groups(effect.Losses, true), anybody)
}

// What is said of a decision is that of Decide, in whole sentences, whatever the organisation; so is what is said of
// all that somebody can do, of what keeps them from working, and of what a change changes.
func TestWhatIsSaidIsWholeAndThatOfDecide(t *testing.T) {
	whole := func(t *rapid.T, text string) {
		assert.NotEmpty(t, text)
		assert.NotContains(t, text, "{", "a place of a message is left open")
		assert.NotContains(t, text, "|", "a form of a message was not chosen")
	}
	rapid.Check(t, func(t *rapid.T) {
		state := sample.State(t)
		s := compiled(t, state)
		for range 8 {
			q := access.Question{Permission: permit.PermissionID(rapid.IntRange(1, 3).Draw(t, "permission")),
				At:    noon.Unix() + 3600*int64(rapid.IntRange(-72, 72).Draw(t, "hour")),
				Place: estate.PlaceID(rapid.IntRange(1, 8).Draw(t, "place")),
				Staff: people.StaffID(rapid.IntRange(1, 5).Draw(t, "staff")), Proves: rapid.Bool().Draw(t, "proves"),
				Level: permit.Level(rapid.SampledFrom([]int{0, 1, 20}).Draw(t, "level"))}
			if rapid.Bool().Draw(t, "shows") {
				q.Staff, q.Shown = 0, access.Shown(rapid.IntRange(1, 3).Draw(t, "shown"))
				q.PIN, q.Badge = credential.ID(rapid.IntRange(0, 5).Draw(t, "PIN")),
					credential.ID(rapid.IntRange(4, 9).Draw(t, "badge"))
			}
			e, said := English.Explain(s, &q), English.Say(s, &q)
			assert.Equal(t, s.Decide(&q), e.Decision)
			assert.Equal(t, e.Decision, said.Decision)
			assert.Equal(t, e.Sentence, said.Sentence)
			assert.Empty(t, said.Grounds)
			assert.Empty(t, said.Remedy)
			whole(t, e.Sentence)
			if !e.Allowed {
				whole(t, e.Remedy)
			}
			for _, ground := range e.Grounds {
				whole(t, ground.Text)
			}
			if e.Assignment != 0 {
				assert.Contains(t, e.Grounds, Ground{Kind: "assignment", Ref: refOf(e.Assignment),
					Text: textOf(e.Grounds, "assignment")})
			}
		}
		for id := people.StaffID(1); id <= 4; id++ {
			for _, statement := range English.Statements(s, id, noon.Unix()) {
				whole(t, statement.Sentence)
			}
			for _, obstacle := range English.Readiness(s, id, noon.Unix()) {
				whole(t, obstacle.Sentence)
				whole(t, obstacle.Mend)
			}
		}
		for number, e := range state.Exceptions.All() {
			if why, by := s.Redundant(org.ExceptionID(number), noon.Unix()); why != access.Needed {
				whole(t, English.Redundant(s, e.Staff, why, by))
			}
		}
		other := compiled(t, sample.State(t))
		effect := access.Diff(s, other, noon.Unix())
		gains, losses := other.Groups(effect.Gains, false), s.Groups(effect.Losses, true)
		whole(t, English.Summary(&Compared{s, other, noon.Unix()}, &effect, gains, losses, anybody))
	})
}

func refOf(id org.AssignmentID) string { return strconv.Itoa(int(id)) }

func textOf(grounds []Ground, kind string) string {
	for _, g := range grounds {
		if g.Kind == kind {
			return g.Text
		}
	}
	return ""
}

// Every message is there, and what a place in one is called is filled: no brace is left in anything that is said.
func TestEveryMessageIsSaid(t *testing.T) {
	messages := reflect.ValueOf(English.Messages)
	for i := range messages.NumField() {
		name, text := messages.Type().Field(i).Name, messages.Field(i).String()
		assert.NotEmpty(t, text, name)
		for part := range strings.SplitSeq(text, "|") {
			assert.Equal(t, strings.Count(part, "{"), len(regexp.MustCompile(`\{[a-z]+\}`).FindAllString(part, -1)),
				"%s: %s", name, part)
		}
	}
}

// Another language is another value: nothing that is said here is English of its own.
func TestAnotherLanguageSaysItsOwn(t *testing.T) {
	other := *English
	messages := reflect.ValueOf(&other.Messages).Elem()
	for i := range messages.NumField() {
		messages.Field(i).SetString("«" + strings.ReplaceAll(messages.Field(i).String(), "|", "»|«") + "»")
	}
	s := excepted(t, &org.Exception{Permission: 2, Place: 4, Level: 1, Until: today + 3})
	said := []string{other.Say(s, &access.Question{Staff: 1, Permission: 1, Place: 3, At: noon.Unix()}).Sentence,
		other.Say(s, &access.Question{Staff: 1, Permission: 1, Place: 3, At: noon.AddDate(0, 9, 0).Unix()}).Sentence}
	for _, statement := range other.Statements(s, 1, noon.Unix()) {
		said = append(said, statement.Sentence)
	}
	for _, text := range said {
		assert.True(t, strings.HasPrefix(text, "«") && strings.HasSuffix(text, "»"), text)
	}
}

func BenchmarkSay(b *testing.B) {
	s := compiled(b, sample.Mill(nil))
	q := access.Question{Shown: access.ShownPIN, PIN: 1, Permission: 1, Place: 3, At: noon.Unix()}
	b.ReportAllocs()
	for b.Loop() {
		English.Say(s, &q)
	}
}

// Sentences say what would be decided: doors that are open at other hours than the site, and what a place requires that
// runs out before the assignment, have sentences of their own; a leaving at a moment is that moment.
func TestSentencesSayWhereItIsOtherwise(t *testing.T) {
	say := func(spoil spoil) (sentences []string) {
		for _, st := range English.Statements(mill(t, spoil), 1, noon.Unix()) {
			sentences = append(sentences, strings.TrimSpace(st.Sentence+" "+st.Further))
		}
		return sentences
	}
	hall := func(s *org.State, change func(*estate.Place)) {
		other := *s.Place(2)
		change(&other)
		s.Put(&other)
	}
	assert.Equal(t, []string{
		"Ana can adjust a weight up to 25 kg at Mill, Mon–Fri 06:00–18:00, until 24 Dec 2026.",
		"Ana opens 1 door at Hall, Mon–Sat 08:00–20:00, until 24 Dec 2026. There, Ana can also run a line (view).",
	}, say(func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
		hall(s, func(p *estate.Place) {
			p.Opening = &hours.Opening{Rules: []hours.Rule{{Days: 0x7e, From: 480, Until: 1200}}}
		})
	}))
	requires := func(at estate.PlaceID) spoil {
		return func(s *org.State, _ *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			s.Put(&qualification.Qualification{ID: 1, Code: "FLT", Name: "Forklift ticket"})
			s.Put(&org.Certificate{ID: 1, Staff: 1, Qualification: 1, Issued: today - 9, Until: today + 6})
			place := *s.Place(at)
			place.Requires = []qualification.ID{1}
			s.Put(&place)
		}
	}
	assert.Equal(t, []string{
		"Ana opens 1 door at Mill, Mon–Fri 06:00–18:00, until 24 Dec 2026. There, Ana can also adjust a weight " +
			"up to 25 kg.",
		"Ana can run a line (view) at Line, Mon–Fri 06:00–18:00, until 30 Nov 2026, with a qualification.",
	}, say(requires(5)), "what the line requires runs out before")
	assert.Equal(t, []string{"Ana opens 1 door at Mill, Mon–Fri 06:00–18:00, until 24 Nov 2026, 14:30, with the " +
		"leaving " +
		"date. There, Ana can also run a line (view) and adjust a weight up to 25 kg."},
		say(func(_ *org.State, ana *people.Staff, _ *org.Assignment, _ *credential.Credential) {
			ana.LeavesAt = noon.Add(150 * time.Minute)
		}))
	leaves := access.End{At: noon.Unix(), Why: access.HasLeft}
	assert.Equal(t, "leaves, 24 Nov 12:00", English.Ends(leaves, time.UTC))
	leaves.At = noon.Add(12 * time.Hour).Unix()
	assert.Equal(t, "leaves", English.Ends(leaves, time.UTC))
}

// What a local setting gives or takes is told of a decision with its reason, and of what somebody can do with where it
// is otherwise.
func TestALocalSettingIsToldWhereItDecides(t *testing.T) {
	with := func(l org.LocalSetting) *access.Snapshot {
		state := mill(t, nil).State().Fork()
		l.ID, l.Template, l.Reason = 1, 1, "old belts"
		state.Put(&l)
		return compiled(t, state)
	}
	run := func(s *access.Snapshot) permit.PermissionID { return s.Catalogue().PermissionByKey("line.run").ID }
	s := with(org.LocalSetting{})
	hall := s.State().PlaceByCode("M-H")
	s = with(org.LocalSetting{Permission: run(s), Place: hall.ID, Until: sample.Today + 3})
	line := s.State().PlaceByCode("M-L")
	q := access.Question{Staff: 1, Permission: run(s), Place: line.ID, At: noon.Unix()}
	e := English.Explain(s, &q)
	assert.Contains(t, e.Sentence, "at "+hall.Name+", by a local setting.")
	assert.Contains(t, e.Remedy, "End or change the local setting")
	assert.Equal(t,
		"“Run a line” is set to none at "+hall.Name+", until 27 Nov 2026, by a local setting of Packer: old "+
			"belts", textOf(e.Grounds, "local_setting"))
	said := English.Statements(s, 1, noon.Unix())
	require.NotEmpty(t, said)
	assert.Contains(t, said[0].Further, "run a line (view) (not at "+hall.Name+", until 27 Nov 2026)")
	assert.Contains(t, textOf(said[0].Grounds, "local_setting"), "old belts")

	for phrase, l := range map[string]org.LocalSetting{
		"adjust a weight up to 25 kg (up to 10 kg at Hall, from 27 Nov 2026)": {Permission: 4, Place: hall.ID,
			Level: 10,
			From:  sample.Today + 3},
		"adjust a weight up to 10 kg (up to 25 kg from 28 Nov 2026)": {Permission: 4, Place: 1, Level: 10,
			Until: sample.Today + 3},
		"adjust a weight up to 25 kg (not from 27 Nov 2026; up to 25 kg from 29 Nov 2026)": {Permission: 4, Place: 1,
			From: sample.Today + 3, Until: sample.Today + 4},
		"run a line (view), from 28 Nov 2026": {Permission: run(s), Place: 1, Until: sample.Today + 3},
		"adjust a weight up to 25 kg (up to 10 kg at Hall, from 25 Nov 2026, until 26 Nov 2026)": {Permission: 4,
			Place: hall.ID, Level: 10, From: sample.Today + 1, Until: sample.Today + 2},
	} {
		said := English.Statements(with(l), 1, noon.Unix())
		require.Len(t, said, 1, "what is asked about at no door parts no sentence: %s", phrase)
		assert.Contains(t, said[0].Further, phrase)
	}
	doors := English.Statements(with(org.LocalSetting{Permission: 1, Place: hall.ID, Until: sample.Today + 3}), 1,
		noon.Unix())
	require.Len(t, doors, 2, "other doors open then")
	assert.Contains(t, doors[0].Sentence, "until 27 Nov 2026")
	assert.Contains(t, doors[1].Sentence, "opens 1 door")

	s = with(org.LocalSetting{Permission: run(s), Place: hall.ID, Level: 1})
	q.Level = 2
	assert.Contains(t, English.Explain(s, &q).Remedy, "End or change the local setting", "not to that extent")
}
