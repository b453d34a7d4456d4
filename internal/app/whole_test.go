package app_test

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// tangled draws operations of one change that refer to each other, in whatever order: what is made later is referred to
// by what was made before, values are taken over and swapped.
func tangled(t *rapid.T, round int) []change.Operation {
	made := map[string][]string{}
	some := func(kind string, there ...string) string {
		return rapid.SampledFrom(append(there, made[kind]...)).Draw(t, kind)
	}
	emails := []string{"", "jose@example.org", "josé@example.org", "anna@example.org", "ANNA@example.org",
		"idris@quillmere.example", fmt.Sprintf("r%d@example.org", round)}
	var operations []change.Operation
	add := func(name, on string, fields set) {
		encoded, err := json.Marshal(fields)
		if err != nil {
			panic(err)
		}
		o := change.Operation{Op: name, On: on, Set: encoded}
		kinds := map[string]string{"place.add": "place", "group.add": "group", "template.add": "template",
			"staff.enrol": "staff", "qualification.add": "qualification", "schedule.add": "schedule",
			"badge.add": "badge", "assignment.add": "assignment"}
		if kind := kinds[name]; kind != "" {
			o.Ref = fmt.Sprint(kind, len(operations))
			made[kind] = append(made[kind], "@"+o.Ref)
		}
		operations = append(operations, o)
	}
	code := func(prefix string) string { return fmt.Sprintf("%s-%d-%d", prefix, round, len(operations)) }
	for range rapid.IntRange(2, 9).Draw(t, "operations") {
		switch rapid.IntRange(0, 14).Draw(t, "what") {
		case 0:
			add("place.add", "", set{"code": code("P"), "name": "Place", "kind": "zone", "parent": some("place", "HB",
				"SM")})
		case 1:
			add("place.edit", some("place", "HB-PACK", "SM"), set{"parent": some("place", "HB", "SM", "")})
		case 2:
			add("group.add", "", set{"key": fmt.Sprintf("g%d_%d", round, len(operations)), "title": "Group",
				"parent": some("group", "", "line")})
		case 3:
			add("group.edit", some("group", "line", "door"), set{"parent": some("group", "", "stock")})
		case 4:
			add("template.add", "", set{"code": code("t"), "name": "Template", "base": some("template", "", "packer"),
				"requires": []string{some("qualification", "HYGIENE")}})
		case 5:
			add("template.edit", some("template", "packer", "grader"), set{"base": some("template", "", "grader"),
				"hours": set{"kind": "schedule", "schedule": some("schedule", "EARLY")}})
		case 6:
			add("staff.enrol", "", set{"staff_number": code("R"), "given_name": "New", "family_name": "Hand",
				"home_site": some("site", "HB", "SM"), "email": rapid.SampledFrom(emails).Draw(t, "email"),
				"line_manager": some("staff", "", "Q0003")})
		case 7, 8, 9:
			add("staff.edit", some("staff", "Q0011", "Q0012", "Q0013"),
				rapid.SampledFrom([]set{{"email": rapid.SampledFrom(emails).Draw(t, "email")},
					{"line_manager": some("staff", "", "Q0011", "Q0012")}}).Draw(t, "edit"))
		case 10:
			add("qualification.add", "", set{"code": code("Q"), "name": "Ticket"})
		case 11:
			add("schedule.add", "", set{"code": code("S"), "name": "Schedule", "hours": set{"kind": "always"}})
		case 12:
			add("assignment.add", "", set{"staff": some("staff", "Q0011"), "place": some("place", "HB"),
				"template": some("template", "packer", "grader")})
		case 13:
			add("badge.add", "", set{"format": "wiegand26", "number": fmt.Sprintf("7-%d", 10*round+len(operations)),
				"site": "HB"})
			add("badge.issue", "", set{"badge": some("badge"), "staff": some("staff", "Q0012")})
		case 14:
			add("assignment.edit", some("assignment", "1"), set{"hours": set{"kind": "schedule",
				"schedule": some("schedule", "EARLY", "LATE")}})
		}
	}
	return operations
}

// What a preview accepts the commit makes, and what it refuses the commit refuses for the same reason; what is made is
// in the database as it is live.
func TestWhatAPreviewAcceptsTheCommitMakes(t *testing.T) {
	s := testkit.Demo(t)
	round, accepted := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		round++
		operations := tangled(t, round)
		preview, wrong := s.App.Preview(ctx, app.Request{Actor: change.Actor{System: "test"}, Reason: "because",
			Operations: operations})
		_, err := s.App.Commit(ctx, request(operations...))
		if wrong != nil {
			require.Error(t, err)
			assert.Equal(t, wrong.Error(), err.Error())
			return
		}
		if len(preview.Trial.Entries) == 0 {
			assert.True(t, fault.Is(err, fault.Conflict), "%v", err)
			return
		}
		require.NoError(t, err, "%s", raw(operations))
		accepted++
		loaded, err := s.Store.Load(ctx, &org.State{})
		require.NoError(t, err)
		require.Empty(t, loaded.AsideRecords())
		assert.Equal(t, testkit.Records(s.App.Live().State()), testkit.Records(loaded))
	})
	assert.Greater(t, accepted, 20, "many changes were made")
	t.Log(accepted, "of", round, "were made")
}

func raw(v any) string {
	encoded, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return string(encoded)
}

// Two swap their emails, one takes over the email of somebody who gets another, and managers stand above each other,
// all in one change.
func TestValuesAreSwappedInOneChange(t *testing.T) {
	s := testkit.Demo(t)
	edit := func(on string, fields set) change.Operation {
		return change.Operation{Op: "staff.edit", On: on, Set: json.RawMessage(raw(fields))}
	}
	must := func(operations ...change.Operation) {
		t.Helper()
		_, err := s.App.Commit(ctx, request(operations...))
		require.NoError(t, err)
	}
	must(edit("Q0011", set{"email": "one@example.org"}), edit("Q0012", set{"email": "two@example.org"}))
	must(edit("Q0011", set{"email": ""}), edit("Q0012", set{"email": "one@example.org"}),
		edit("Q0011", set{"email": "two@example.org"}))
	enrol := func(ref, manager, email string) change.Operation {
		return change.Operation{Op: "staff.enrol", Ref: ref, Set: json.RawMessage(raw(set{"given_name": ref,
			"family_name": "New", "home_site": "HB", "line_manager": manager, "email": email}))}
	}
	must(edit("Q0012", set{"email": ""}), enrol("a", "", "one@example.org"), enrol("b", "@a", ""),
		enrol("c", "@b", ""), edit("@a", set{"line_manager": "@c"}), edit("Q0012", set{"email": "three@example.org",
			"line_manager": "@b"}))
	loaded, err := s.Store.Load(ctx, &org.State{})
	require.NoError(t, err)
	assert.Empty(t, loaded.AsideRecords())
	assert.Equal(t, testkit.Records(s.App.Live().State()), testkit.Records(loaded))
	assert.Equal(t, "one@example.org", loaded.StaffByEmail("one@example.org").Email)
	assert.Equal(t, "three@example.org", loaded.StaffByNumber("Q0012").Email)
	must(edit("Q0013", set{"email": "jose@example.org"}), edit("Q0014", set{"email": "josé@example.org"}))
}

// What is taken over within one look of another instance, in whatever order it is read, is known there as it is.
func TestAnotherInstanceKnowsWhoTookWhatOver(t *testing.T) {
	here := testkit.Demo(t)
	there := here.Second(t)
	edit := func(on, email string) change.Operation {
		return change.Operation{Op: "staff.edit", On: on, Set: json.RawMessage(raw(set{"email": email}))}
	}
	for round := range 4 {
		one, two := fmt.Sprintf("one%d@example.org", round), fmt.Sprintf("two%d@example.org", round)
		_, err := here.App.Commit(ctx, request(edit("Q0011", one), edit("Q0012", two)))
		require.NoError(t, err)
		if round%2 == 0 {
			follow(t, here, there)
		}
		_, err = here.App.Commit(ctx, request(edit("Q0011", ""), edit("Q0012", one), edit("Q0011", two)))
		require.NoError(t, err)
		follow(t, here, there)
		assert.Equal(t, "Q0012", there.App.Live().State().StaffByEmail(one).Number)
		assert.Equal(t, "Q0011", there.App.Live().State().StaffByEmail(two).Number)
		assert.Equal(t, testkit.Records(here.App.Live().State()), testkit.Records(there.App.Live().State()))
	}
}

func follow(t *testing.T, here, there *testkit.Service) {
	t.Helper()
	require.Eventually(t, func() bool {
		return there.App.Live().State().Revision == here.App.Live().State().Revision
	}, 10*time.Second, 10*time.Millisecond)
}

// Wherever a change panics, nothing of it is made, what it was to replace is in force, and the next change is made.
func TestAPanicLeavesNothingHalfDone(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	pins := func() (count int) {
		require.NoError(t, database(t, s.DSN).QueryRow("SELECT COUNT(*) FROM credentials FOR SYSTEM_TIME ALL WHERE "+
			"kind = 'pin'").Scan(&count))
		return count
	}
	kept := pins()
	panics := map[string]func(r *app.Request){
		"while it is worked out": func(r *app.Request) {
			r.Work = func(*app.Live) ([]change.Operation,
				error) {
				panic("w")
			}
		},
		"while it is checked":    func(r *app.Request) { r.Check = func(*app.Live) error { panic("c") } },
		"while secrets are made": func(r *app.Request) { r.Progress = func(int, int) { panic("p") } },
		"while it is about to count": func(r *app.Request) {
			r.Within = func(*store.Tx, uint64,
				*change.Trial) error {
				panic("t")
			}
		},
	}
	owner := s.App.Live().State().StaffByNumber("Q0001").ID
	for where, put := range panics {
		for _, operation := range []change.Operation{
			{Op: "pin.set", Set: []byte(`{"staff":"Q0011"}`)}, {Op: "staff.lock", On: "Q0011"}} {
			before := s.App.Live().State().Revision
			r := app.Request{Actor: change.Actor{Staff: owner}, Origin: "test", Reason: "because",
				Operations: []change.Operation{operation}}
			put(&r)
			if r.Progress != nil && operation.Op != "pin.set" {
				continue
			}
			assert.Panics(t, func() { _, _ = s.App.Commit(ctx, r) }, "%s %s", operation.Op, where)
			assert.Equal(t, before, s.App.Live().State().Revision)
			assert.True(t, opens(t, s, "480216"), "%s %s: the PIN before it opens", operation.Op, where)
			within, cancel := context.WithTimeout(ctx, 20*time.Second)
			_, err := s.App.Commit(within, request(edit("HB-PACK-1", fmt.Sprintf(`{"name":"Door %d"}`, before))))
			require.NoError(t, err, "%s %s: the next change is made", operation.Op, where)
			cancel()
		}
	}
	assert.Equal(t, kept, pins(), "and no trace of another PIN")
}

// PINs that are generated come out of the reserve: nobody waits for a hash, none is given twice, and two instances
// share
// it.
func TestPINsAreGivenOutOfTheReserve(t *testing.T) {
	s := testkit.Demo(t)
	keys, err := app.LoadKeys(s.Keys)
	require.NoError(t, err)
	const depth = 60
	var instances []*app.App
	for range 2 {
		a, err := app.New(ctx, testkit.Store(t, s.DSN), keys, slog.New(slog.DiscardHandler),
			app.Options{Reserve: depth})
		require.NoError(t, err)
		defer a.Close()
		instances = append(instances, a)
	}
	db := database(t, s.DSN)
	reserved := func() (count int) {
		require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM pin_reserve").Scan(&count))
		return count
	}
	require.Eventually(t, func() bool { return reserved() >= depth }, 60*time.Second, 100*time.Millisecond)
	// One that an instance with another key has put in, first in the order, is passed over
	_, err = db.Exec("INSERT INTO pin_reserve (digest, digits, sealed, pin) SELECT REPEAT(CHAR(0), 32), digits, " +
		"sealed, " +
		"REPEAT('x', 60) FROM pin_reserve LIMIT 1")
	require.NoError(t, err)
	owner := s.App.Live().State().StaffByNumber("Q0001").ID
	seen := map[string]bool{}
	for i, a := range instances {
		before := a.HashedForManagers()
		var operations []change.Operation
		for n := range 20 {
			operations = append(operations, change.Operation{Op: "pin.set", Set: fmt.Appendf(nil, `{"staff":"Q%04d"}`,
				11+20*i+n)})
		}
		result, err := a.Commit(ctx, app.Request{Actor: change.Actor{Staff: owner}, Origin: "test", Reason: "r",
			Operations: operations})
		require.NoError(t, err)
		for _, secret := range result.Trial.Secrets {
			assert.False(t, seen[secret.Value], "never twice")
			seen[secret.Value] = true
		}
		hashed := map[bool]int64{true: 1}[i == 0] // in the place of the one that was passed over
		assert.Equal(t, before+hashed, a.HashedForManagers(), "nobody waited for another hash")
	}
	assert.Len(t, seen, 40)
	require.Eventually(t, func() bool { return s.App.Live().State().Revision == instances[1].Live().State().Revision },
		20*time.Second, 20*time.Millisecond)
	for pin := range seen {
		e, _, err := s.App.Decide(ctx, s.App.DeviceOf("lld_demo-hb-controller-token"), app.Ask{PIN: pin,
			Place: "HB-PACK-1"})
		require.NoError(t, err)
		if e.Staff == 0 {
			t.Errorf("a PIN of the reserve is nobody's")
		}
		require.NoError(t, s.Store.ForgetTries(ctx, uint32(s.App.Live().State().PlaceByCode("HB-PACK-1").ID),
			uint32(s.App.Live().State().PlaceByCode("HB").ID)))
	}
	var plain int
	for pin := range seen {
		require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM pin_reserve WHERE pin LIKE CONCAT('%', ?, '%')",
			pin).Scan(&plain))
		assert.Zero(t, plain)
	}
}
