package app_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/serve"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// A large change that is being made holds up no lock, unlock, withdrawal or sign-in, here or at another instance. What
// was acknowledged meanwhile counts everywhere at once, survives a restart, and becomes changes of its own afterwards.
func TestUrgentActsDoNotWaitForALargeChange(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	pinFor(t, s, "Q0013", "480315")
	other := s.Second(t)
	maren := s.Client(t, "maren")
	begun, end, ended := make(chan bool), make(chan bool), make(chan error, 1)
	enrol := change.Operation{Op: "staff.enrol",
		Set: []byte(`{"given_name":"L","family_name":"Arge","home_site":"HB"}`)}
	large := request(enrol)
	finish := sync.OnceFunc(func() { close(end) })
	t.Cleanup(finish) // what a test leaves open keeps its schema from going
	large.Within = func(*store.Tx, uint64, *change.Trial) error { begun <- true; <-end; return nil }
	go func() { _, err := other.App.Commit(ctx, large); ended <- err }()
	<-begun
	before := s.App.Live().State().StaffByNumber("Q0011").Revision
	acts := []change.Operation{{Op: "staff.lock", On: "Q0011", Reason: "Left the site with keys"},
		{Op: "pin.withdraw", Set: []byte(`{"staff":"Q0013"}`)}}
	for i, instance := range []*testkit.Service{s, other} {
		result, err := instance.App.Commit(ctx, app.Request{Actor: change.Actor{Staff: staffOf(s, "Q0001")},
			Origin: "test", Reason: "because", Operations: acts[i : i+1]})
		require.NoError(t, err)
		assert.Zero(t, result.AuditID, "its turn has not come")
		assert.NotEmpty(t, result.Trial.Effect.Losers())
		for _, pin := range []string{"480216", "480315"}[:i+1] {
			assert.False(t, opens(t, s, pin), "%s after act %d", pin, i)
			assert.False(t, opens(t, other, pin), "%s after act %d at the other instance", pin, i)
		}
	}
	locked := s.App.Live().State().StaffByNumber("Q0011")
	require.NotNil(t, locked.Lock)
	assert.Greater(t, locked.Revision, before+1, "no version of a change")
	_, err := s.App.Commit(ctx, request(acts[0]))
	assert.ErrorContains(t, err, "locked already")
	third := s.Second(t)
	assert.False(t, opens(t, third, "480216"), "one that starts meanwhile knows it too")
	tamsin := third.Client(t, "tamsin")
	var page struct{ Data any }
	require.NoError(t, tamsin.Get(ctx, "/today", &page))
	_, err = database(t, s.DSN).Exec("INSERT INTO urgent_acts (at, content, mac) VALUES (NOW(), ?, ?)",
		`{"system":"x","reason":"x","operations":[{"op":"staff.unlock","on":"Q0011"}]}`, make([]byte, 32))
	require.NoError(t, err)
	select {
	case err := <-ended:
		t.Fatal("the large change has ended, so nothing was shown: ", err)
	default:
	}
	finish()
	require.NoError(t, <-ended)
	require.Eventually(t, func() bool {
		return s.App.ActsWaiting()+other.App.ActsWaiting()+third.App.ActsWaiting() == 0
	}, 20*time.Second, 20*time.Millisecond)
	for _, instance := range []*testkit.Service{s, other, third} {
		require.Eventually(t, func() bool { return instance.App.Revision() == s.App.Revision() }, 10*time.Second,
			20*time.Millisecond)
		for _, pin := range []string{"480216", "480315"} {
			assert.False(t, opens(t, instance, pin))
		}
	}
	loaded, err := s.Store.Load(ctx, &org.State{})
	require.NoError(t, err)
	assert.Equal(t, testkit.Records(loaded), testkit.Records(s.App.Live().State()), "what is live is what is kept")
	var list api.Page[api.AuditEntry]
	require.NoError(t, maren.Get(ctx, "/audit", &list, client.Query("limit", "50")))
	said := fmt.Sprintf("%+v", list)
	assert.Contains(t, said, "Locked Q0011")
	assert.Contains(t, said, "Withdrew the PIN of Q0013")
	assert.Equal(t, 1, strings.Count(said, "Locked Q0011"), "once")
	assert.Contains(t, said, "Signed in", "the sign-in is in the log")
	assert.NotContains(t, said, "Unlocked", "an act that the service did not keep counts for nothing")
	s.Explained(t)
	_, err = s.App.VerifyAudit(ctx)
	assert.NoError(t, err)
	done, err := app.Replay(ctx, s.Store, time.Now().Add(-time.Hour), time.Now().Add(time.Hour), func(
		d app.Difference) {
		t.Errorf("%+v is decided as %v now", d.Event, d.Now)
	})
	require.NoError(t, err)
	assert.Positive(t, done.Decided)
}

// A database that hangs holds nobody up: managers are told within seconds, doors are refused once a lock might not be
// known, the instance says that it is not ready, and it ends when it is told to. Once the database goes on, so does it.
func TestADatabaseThatHangsHoldsNobodyUp(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	var between line
	behind := *s
	behind.DSN = between.through(t, s.DSN)
	service := behind.Second(t)
	maren := service.Client(t, "maren")
	require.True(t, opens(t, service, "480216"))
	var page struct{ Data any }
	require.NoError(t, maren.Get(ctx, "/staff", &page))
	waiting := make(chan error, 1)
	between.hangs.Store(true)
	go func() {
		_, err := service.App.Commit(ctx, request(change.Operation{Op: "staff.lock", On: "Q0012"}))
		waiting <- err
	}()
	for range 3 { // the first waits until the database counts as away, the others do not
		var refused *api.Problem
		require.ErrorAs(t, maren.Get(ctx, "/staff", &page), &refused)
		assert.Equal(t, http.StatusServiceUnavailable, refused.Status)
		assert.Contains(t, refused.Error(), "database")
	}
	assert.Error(t, <-waiting)
	require.Eventually(t, func() bool { return service.App.Ready() != nil }, 10*time.Second,
		20*time.Millisecond)
	_, err := s.App.Commit(ctx, request(change.Operation{Op: "staff.lock", On: "Q0011"}))
	require.NoError(t, err, "elsewhere it goes on, and the lock is acknowledged once nobody opens any more")
	device := service.App.DeviceOf("lld_demo-hb-controller-token")
	_, _, err = service.App.Decide(ctx, device, app.Ask{PIN: "480216", Place: "HB-PACK-1"})
	assert.ErrorIs(t, err, app.ErrStale)
	between.hangs.Store(false)
	require.Eventually(t, func() bool { return service.App.Ready() == nil }, 20*time.Second,
		20*time.Millisecond)
	require.NoError(t, maren.Get(ctx, "/staff", &page))
	assert.False(t, opens(t, service, "480216"))
	between.hangs.Store(true)
	closed := make(chan bool)
	go func() { service.App.Close(); close(closed) }()
	select {
	case <-closed:
	case <-time.After(15 * time.Second):
		t.Error("the service does not end")
	}
	between.hangs.Store(false)
}

// Decisions are answered whatever becomes of the log: what the database does not take stands on disk, and is written
// once it does, also by the next service. The instance says meanwhile that it is not ready.
func TestEventsStandOnDiskUntilTheDatabaseTakesThem(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	db := database(t, s.DSN)
	count := func(table string) (n int) {
		require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM "+table).Scan(&n))
		return n
	}
	keys, err := app.LoadKeys(s.Keys)
	require.NoError(t, err)
	folder := t.TempDir()
	log := slog.New(slog.NewTextHandler(io.Discard, nil))
	start := func() *app.App {
		a, err := app.New(ctx, testkit.Store(t, s.DSN), keys, log, app.Options{Journal: folder})
		require.NoError(t, err)
		return a
	}
	ask := func(a *app.App, times int) {
		device := a.DeviceOf("lld_demo-hb-controller-token")
		for range times {
			e, _, err := a.Decide(ctx, device, app.Ask{PIN: "480216", Place: "HB-PACK-1"})
			require.NoError(t, err)
			require.True(t, e.Allowed)
		}
	}
	before := count("events")
	a := start()
	ask(a, 10)
	require.Eventually(t, func() bool { return count("events") == before+10 }, 10*time.Second, 10*time.Millisecond)
	_, err = db.Exec("RENAME TABLE events TO events_away")
	require.NoError(t, err)
	ask(a, 25)
	require.Eventually(t, func() bool { return a.Ready() != nil }, 15*time.Second, 20*time.Millisecond)
	ask(a, 25)
	a.Close()
	// A process that was killed leaves as much, and its last line may not be whole
	left, err := filepath.Glob(filepath.Join(folder, "events-*.jsonl"))
	require.NoError(t, err)
	require.NotEmpty(t, left)
	file, err := os.OpenFile(left[len(left)-1], os.O_WRONLY|os.O_APPEND, 0)
	require.NoError(t, err)
	_, err = file.WriteString(`{"ID":1,"At":"20`)
	require.NoError(t, errors.Join(err, file.Close()))
	_, err = db.Exec("RENAME TABLE events_away TO events")
	require.NoError(t, err)
	again := start()
	ask(again, 5)
	require.Eventually(t, func() bool { return count("events") == before+65 }, 10*time.Second, 10*time.Millisecond)
	again.Close()
	left, err = filepath.Glob(filepath.Join(folder, "*"))
	require.NoError(t, err)
	assert.Empty(t, left, "nothing is left over")
}

// The service listens before its database is there, says so, and goes on by itself.
func TestTheServiceWaitsForItsDatabase(t *testing.T) {
	s := testkit.Demo(t)
	var between line
	between.hangs.Store(true)
	log := slog.New(slog.NewTextHandler(io.Discard, nil))
	within, stop := context.WithCancel(ctx)
	started, ended := make(chan string, 1), make(chan error, 1)
	address := make(chan string, 1)
	go func() {
		ended <- serve.Run(within, serve.Config{DSN: between.through(t, s.DSN), Keys: s.Keys, Listen: "127.0.0.1:0",
			Log:       log,
			Listening: func(at string) { address <- at }, Started: func(at string) error { started <- at; return nil }})
	}()
	at := "http://" + <-address
	status := func(path string) int {
		response, err := http.Get(at + path)
		require.NoError(t, err)
		require.NoError(t, response.Body.Close())
		return response.StatusCode
	}
	assert.Equal(t, http.StatusOK, status("/livez"))
	assert.Equal(t, http.StatusServiceUnavailable, status("/readyz"))
	assert.Equal(t, http.StatusServiceUnavailable, status("/api/v1/staff"))
	assert.Equal(t, http.StatusServiceUnavailable, status("/"))
	select {
	case err := <-ended:
		t.Fatal("it has ended: ", err)
	case <-time.After(3 * time.Second): // longer than it takes to give up one try
	}
	between.hangs.Store(false)
	<-started
	assert.Equal(t, http.StatusOK, status("/readyz"))
	assert.Equal(t, http.StatusUnauthorized, status("/api/v1/staff"))
	stop()
	assert.NoError(t, <-ended)
}

// Every recorded decision of the demo's year, and of what is changed and decided since, comes out the same when it is
// decided again on the state of its revision; one that was altered does not.
func TestRecordedDecisionsComeOutTheSame(t *testing.T) {
	s := testkit.Demo(t)
	other := s.Second(t)
	pinFor(t, s, "Q0011", "480216")
	for i, act := range []string{"staff.lock", "staff.unlock", "staff.lock", "staff.unlock"} {
		opens(t, s, "480216")
		opens(t, other, "480216")
		_, err := s.App.Commit(ctx, request(change.Operation{Op: act, On: "Q0011"}))
		require.NoError(t, err)
		opens(t, s, "111222")
		_, err = s.App.Commit(ctx, request(change.Operation{Op: "place.edit", On: "HB-PACK-1",
			Set: fmt.Appendf(nil, `{"name":"Door %d"}`, i)}))
		require.NoError(t, err)
	}
	s.App.Close()
	other.App.Close()
	period := func() (done app.Replayed, found []app.Difference) {
		done, err := app.Replay(ctx, s.Store, time.Now().AddDate(-2, 0, 0), time.Now().Add(time.Hour),
			func(d app.Difference) { found = append(found, d) })
		require.NoError(t, err)
		return done, found
	}
	done, found := period()
	assert.Empty(t, found)
	assert.Zero(t, done.Differ)
	assert.Zero(t, done.Unknown)
	assert.Greater(t, done.Decided, 1000)
	_, err := database(t, s.DSN).Exec("UPDATE events SET allowed = NOT allowed ORDER BY id DESC LIMIT 1")
	require.NoError(t, err)
	done, found = period()
	assert.Equal(t, 1, done.Differ)
	require.Len(t, found, 1)
	assert.NotEqual(t, found[0].Event.Allowed, found[0].Now.Allowed)
}
