package app_test

import (
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

var ctx = context.Background()

func request(ops ...change.Operation) app.Request {
	return app.Request{Actor: change.Actor{System: "test"}, Origin: "test", Reason: "because", Operations: ops}
}

func pinFor(t *testing.T, s *testkit.Service, staff, pin string) {
	set, err := json.Marshal(map[string]string{"staff": staff, "pin": pin})
	require.NoError(t, err)
	_, err = s.App.Commit(ctx, request(change.Operation{Op: "pin.set", Set: set}))
	require.NoError(t, err)
}

func opens(t *testing.T, s *testkit.Service, pin string) bool {
	device := s.App.DeviceOf("lld_demo-hb-controller-token")
	require.NotNil(t, device)
	// A PIN that opens nothing counts as a wrong one, and this one is asked about more often than guesses are taken
	require.NoError(t, s.Store.ForgetTries(ctx, uint32(s.App.Live().State().PlaceByCode("HB-PACK-1").ID),
		uint32(device.Place)))
	e, _, err := s.App.Decide(ctx, device, app.Ask{PIN: pin, Place: "HB-PACK-1"})
	require.NoError(t, err)
	return e.Allowed
}

func TestALockHoldsWhenItsCallReturns(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	for range 20 {
		require.True(t, opens(t, s, "480216"))
		_, err := s.App.Commit(ctx, request(change.Operation{Op: "staff.lock", On: "Q0011"}))
		require.NoError(t, err)
		require.False(t, opens(t, s, "480216"))
		_, err = s.App.Commit(ctx, request(change.Operation{Op: "staff.unlock", On: "Q0011"}))
		require.NoError(t, err)
	}
}

func TestAnotherInstanceFollows(t *testing.T) {
	first := testkit.Demo(t)
	second := first.Second(t)
	pinFor(t, first, "Q0011", "480216")
	caughtUp := func() bool { return second.App.Live().State().Revision == first.App.Live().State().Revision }
	require.Eventually(t, caughtUp, 5*time.Second, 20*time.Millisecond)
	assert.True(t, opens(t, second, "480216"))
	_, err := first.App.Commit(ctx, request(change.Operation{Op: "staff.lock", On: "Q0011"}))
	require.NoError(t, err)
	require.Eventually(t, caughtUp, 5*time.Second, 20*time.Millisecond)
	assert.False(t, opens(t, second, "480216"))
	// The second writes without having read the first's newest change: it takes that in before.
	_, err = first.App.Commit(ctx, request(change.Operation{Op: "staff.lock", On: "Q0012"}))
	require.NoError(t, err)
	_, err = second.App.Commit(ctx, request(change.Operation{Op: "staff.lock", On: "Q0012"}))
	assert.True(t, fault.Is(err, fault.Conflict), "locked already")
	assert.NotNil(t, second.App.Live().State().StaffByNumber("Q0012").Lock)
}

func TestChangesMadeAtOnceAllCount(t *testing.T) {
	first := testkit.Demo(t)
	second := first.Second(t)
	before := first.App.Live().State()
	var wait sync.WaitGroup
	for i, s := range []*testkit.Service{first, second, first, second} {
		wait.Go(func() {
			for j := range 5 {
				set, _ := json.Marshal(map[string]any{"given_name": "Many",
					"family_name": string(rune('A'+i)) + string(rune('A'+j)), "home_site": "HB"})
				_, err := s.App.Commit(ctx, request(change.Operation{Op: "staff.enrol", Set: set}))
				assert.NoError(t, err)
			}
		})
	}
	wait.Wait()
	loaded, err := first.Store.Load(ctx, before)
	require.NoError(t, err)
	assert.Equal(t, before.Staff.Last()+20, loaded.Staff.Last())
	assert.Equal(t, before.Revision+20, loaded.Revision)
	_, err = first.App.VerifyAudit(ctx)
	assert.NoError(t, err, "one chain, whoever wrote")
}

func TestNoEventIsLostAtTheEnd(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	_, before, err := s.Store.Events(ctx, store.EventFilter{Limit: 1})
	require.NoError(t, err)
	keys, err := app.LoadKeys(s.Keys)
	require.NoError(t, err)
	short, err := app.New(ctx, s.Store, keys, slog.New(slog.NewTextHandler(io.Discard, nil)), app.Options{})
	require.NoError(t, err)
	device := short.DeviceOf("lld_demo-hb-controller-token")
	const asked = 3000 // with a week of events of the demo fewer than are counted
	for range asked {
		_, _, err := short.Decide(ctx, device, app.Ask{PIN: "480216", Place: "HB-PACK-1"})
		require.NoError(t, err)
	}
	short.Close()
	_, after, err := s.Store.Events(ctx, store.EventFilter{Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, before+asked, after)
}

func TestLoadingTheDemoTwiceChangesNothing(t *testing.T) {
	s := testkit.Demo(t)
	revision := s.App.Live().State().Revision
	_, events, err := s.Store.Events(ctx, store.EventFilter{Limit: 1})
	require.NoError(t, err)
	assert.Greater(t, events, int64(2000))
	require.NoError(t, demo.Load(ctx, s.App, io.Discard))
	assert.Equal(t, revision, s.App.Live().State().Revision)
	_, again, err := s.Store.Events(ctx, store.EventFilter{Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, events, again)
}

func TestTheDemoIsWhatItSays(t *testing.T) {
	s := testkit.Demo(t)
	live := s.App.Live()
	assert.EqualValues(t, 240, live.State().Staff.Last())
	assert.EqualValues(t, 115, live.State().Places.Last())
	assert.EqualValues(t, 15, live.State().Templates.Last())
	today, err := s.App.Today(context.Background(), live.State().StaffByNumber("Q0002").ID)
	require.NoError(t, err)
	codes := map[string]bool{}
	for _, stuck := range today.Stuck {
		for _, obstacle := range stuck.Obstacles {
			codes[obstacle.Code] = true
		}
	}
	for _, code := range []string{"no_assignment", "assignment_ended", "contract_ended", "no_credential"} {
		assert.True(t, codes[code], code)
	}
	assert.Len(t, today.Locked, 3)
	assert.NotEmpty(t, today.Starting)
	assert.NotEmpty(t, today.Ending)
}

func TestSetupMakesTheOwnerOnceOnAnEmptyDatabase(t *testing.T) {
	s := testkit.Empty(t)
	owner := app.Owner{Organisation: "Our bakery", SiteCode: "HQ", SiteName: "Main bakery", TimeZone: "Europe/Dublin",
		GivenName: "Ada", FamilyName: "Example", Email: "ada@example.org"}
	wrong := owner
	wrong.TimeZone = "Bakery/Time"
	_, err := s.App.Setup(ctx, wrong)
	assert.True(t, fault.Is(err, fault.Invalid), "and nothing is half done")
	password, err := s.App.Setup(ctx, owner)
	require.NoError(t, err)
	signed, err := s.App.SignIn(ctx,
		app.SignIn{Name: "ada@example.org", Password: password, Kind: "console", Address: "127.0.0.1"})
	require.NoError(t, err)
	assert.True(t, signed.MustChange)
	assert.True(t, s.App.Live().HoldsEverywhere(signed.Staff.ID, "console.edit_catalogue", time.Now().Unix()))
	_, err = s.App.Setup(ctx, owner)
	assert.True(t, fault.Is(err, fault.Conflict))
}

func TestSomebodyWithAPasswordAndNoPermissionDoesNotSignIn(t *testing.T) {
	s := testkit.Demo(t)
	_, err := s.App.Commit(ctx, request(
		change.Operation{Op: "password.set",
			Set: json.RawMessage(`{"staff":"Q0011","password":"quince lantern meadow"}`)}))
	require.NoError(t, err)
	_, err = s.App.SignIn(ctx, app.SignIn{Name: "Q0011", Password: "quince lantern meadow", Kind: "console",
		Address: "127.0.0.1"})
	assert.True(t, fault.Is(err, fault.Refused))
}

// Whoever shows the right password is told what is in the way and whom to ask. With a wrong one nobody is told a thing.
func TestWhoeverShowsTheRightPasswordIsToldWhatIsInTheWay(t *testing.T) {
	s := testkit.Demo(t)
	signIn := func(name, password string) string {
		_, err := s.App.SignIn(ctx, app.SignIn{Name: name, Password: password, Kind: "console", Address: "127.0.0.1"})
		if err == nil {
			return ""
		}
		return err.Error()
	}
	_, err := s.App.Commit(ctx, request(operation("staff.enrol", "", set{"staff_number": "Q0900", "given_name": "Ana",
		"family_name": "Quennell", "home_site": "HB", "start_date": testkit.InWeeks(3), "line_manager": "Q0002"}),
		operation("assignment.add", "", set{"staff": "Q0900", "place": "HB", "template": "site-manager"}),
		operation("password.set", "", set{"staff": "Q0900", "password": "nine green ladders lean"}),
		operation("password.set", "", set{"staff": "Q0011", "password": "quince lantern meadow"})))
	require.NoError(t, err)
	starts, err := time.Parse(time.DateOnly, testkit.InWeeks(3))
	require.NoError(t, err)
	unknown := signIn("Q0900", "guessed")
	assert.Equal(t, signIn("nobody", "guessed"), unknown)
	assert.Equal(t, "You can sign in from "+starts.Format("2 January 2006")+", your start date. Ask Idris Calloway if "+
		"you begin sooner.", signIn("Q0900", "nine green ladders lean"))
	assert.Contains(t, signIn("Q0011", "quince lantern meadow"), "Nothing that you are assigned to lets you use this")

	tamsin := testkit.Passwords["tamsin"]
	assert.Empty(t, signIn("tamsin@quillmere.example", tamsin))
	for _, c := range []struct{ op, says string }{{"staff.lock", "Your account is locked. Ask "},
		{"staff.unlock", ""}, {"staff.leave", "You are on record as somebody who has left. Ask "},
		{"staff.reinstate", ""}} {
		_, err := s.App.Commit(ctx, request(operation(c.op, "Q0003", set{})))
		require.NoError(t, err)
		if said := signIn("tamsin@quillmere.example", tamsin); c.says == "" {
			assert.Empty(t, said, c.op)
		} else {
			assert.Contains(t, said, c.says)
			assert.Equal(t, unknown, signIn("tamsin@quillmere.example", "guessed"), "a guess is told nothing: %s", c.op)
		}
	}
}

// A first password for somebody who has not started counts from the start date for as long as any other.
func TestAFirstPasswordBeginsWithTheStart(t *testing.T) {
	s := testkit.Demo(t)
	_, err := s.App.Commit(ctx, request(operation("staff.enrol", "", set{"staff_number": "Q0900", "given_name": "Ana",
		"family_name": "Quennell", "home_site": "HB", "start_date": testkit.InWeeks(3)}),
		operation("assignment.add", "", set{"staff": "Q0900", "place": "HB", "template": "site-manager"})))
	require.NoError(t, err)
	result, err := s.App.Commit(ctx, request(operation("password.issue", "", set{"staff": "Q0900"})))
	require.NoError(t, err)
	first := app.SignIn{Name: "Q0900", Password: result.Trial.Secrets[0].Value, Kind: "console", Address: "127.0.0.1"}
	s.Clock.Move(22 * 24 * time.Hour)
	signed, err := s.App.SignIn(ctx, first)
	require.NoError(t, err)
	assert.True(t, signed.MustChange)
	s.Clock.Move(4 * 24 * time.Hour)
	_, err = s.App.SignIn(ctx, first)
	assert.ErrorContains(t, err, "This password was valid until ")
}

func TestCheckingPINsIsNoWayToFindThem(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.App.Live().State().StaffByNumber("Q0002").ID
	for range 5 {
		_, _, _, err := s.App.Check(context.Background(), idris, app.Ask{PIN: "999999", Place: "HB-PACK-1"})
		require.NoError(t, err)
	}
	_, _, _, err := s.App.Check(context.Background(), idris, app.Ask{PIN: "999999", Place: "HB-PACK-1"})
	var throttled *app.ErrThrottled
	assert.ErrorAs(t, err, &throttled)
}

func TestDoublesAreFoundWithoutMarksAndAmongThoseWhoLeft(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.App.Live().State().StaffByNumber("Q0002").ID
	duplicates, err := s.App.Duplicates(idris, app.Newcomer{Given: "Kasia", Family: "Pétrak"})
	require.NoError(t, err)
	require.Len(t, duplicates, 1)
	assert.Contains(t, duplicates[0].Why, "left")
	duplicates, err = s.App.Duplicates(idris, app.Newcomer{Email: "tamsin@quillmere.example"})
	require.NoError(t, err)
	require.Len(t, duplicates, 1)
	_, err = s.App.Duplicates(people.StaffID(11), app.Newcomer{Given: "A", Family: "B"})
	assert.True(t, fault.Is(err, fault.Refused))
}

func TestTheKeyFileIsItsOwnersAlone(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "keys")
	_, err := app.LoadKeys(folder)
	assert.ErrorIs(t, err, app.ErrNoKey, "starting makes none")
	first, err := app.MakeKeys(folder)
	require.NoError(t, err)
	path := filepath.Join(folder, "latch.key")
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	again, err := app.LoadKeys(folder)
	require.NoError(t, err)
	assert.Equal(t, first.Request([]byte("480216")), again.Request([]byte("480216")))
	other, err := app.MakeKeys(t.TempDir())
	require.NoError(t, err)
	assert.NotEqual(t, first.Request([]byte("480216")), other.Request([]byte("480216")), "a digest needs the key")
	require.NoError(t, os.Chmod(path, 0o644))
	_, err = app.LoadKeys(folder)
	assert.ErrorContains(t, err, "chmod 600")
	require.NoError(t, os.Chmod(path, 0o600))
	require.NoError(t, os.WriteFile(path, []byte("short"), 0o600))
	_, err = app.LoadKeys(folder)
	assert.ErrorContains(t, err, "damaged")
}
