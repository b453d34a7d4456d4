package app_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

func edit(on, fields string) change.Operation {
	return change.Operation{Op: "place.edit", On: on, Set: []byte(fields)}
}

// Wherever another instance is stopped while it takes a lock in, the lock is not acknowledged before that instance
// refuses the person: what is reported is answered by. So it is of a lock that is a change, of one that is an act which
// waits for its turn, and of an act that becomes a change before the other instance has read it.
func TestNoLockIsAcknowledgedBeforeItIsAnsweredBy(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	other := s.Second(t)
	require.True(t, opens(t, other, "480216"))
	stopAt, stopped, goOn := atomic.Value{}, make(chan string, 100), atomic.Value{}
	stopAt.Store("")
	other.App.BeforeEach(func(step string) {
		if step == stopAt.Load() {
			stopped <- step
			<-goOn.Load().(chan bool)
		}
	})
	for _, how := range []string{"change", "act", "act that becomes a change"} {
		for _, step := range app.Steps {
			t.Run(how+", stopped before "+step, func(t *testing.T) {
				release := make(chan bool)
				goOn.Store(release)
				let := sync.OnceFunc(func() { stopAt.Store(""); close(release) })
				defer let()
				begun, end, ended := make(chan bool), make(chan bool), make(chan error, 1)
				finish := sync.OnceFunc(func() { close(end) })
				defer finish()
				if how != "change" { // a change that lasts makes the lock an act
					lasting := request(edit("HB-PACK-1", fmt.Sprintf(`{"name":"Door %s %s"}`, how, step)))
					lasting.Within = func(*store.Tx, uint64, *change.Trial) error { begun <- true; <-end; return nil }
					go func() { _, err := s.App.Commit(ctx, lasting); ended <- err }()
					<-begun
				}
				stopAt.Store(step)
				acknowledged := make(chan error, 1)
				go func() {
					_, err := s.App.Commit(ctx, request(change.Operation{Op: "staff.lock", On: "Q0011"}))
					acknowledged <- err
				}()
				require.Eventually(t, func() bool { return len(stopped) > 0 }, 20*time.Second, time.Millisecond)
				if how == "act that becomes a change" {
					finish()
					require.NoError(t, <-ended)
					require.Eventually(t, func() bool { return s.App.ActsWaiting() == 0 }, 20*time.Second,
						time.Millisecond)
				}
				early := false
				select {
				case err := <-acknowledged:
					early = true
					require.NoError(t, err)
					assert.False(t, opens(t, other, "480216"), "acknowledged, and let in")
				case <-time.After(300 * time.Millisecond):
				}
				let()
				if !early {
					require.NoError(t, <-acknowledged)
				}
				assert.False(t, opens(t, other, "480216"))
				finish()
				if how == "act" {
					require.NoError(t, <-ended)
				}
				for len(stopped) > 0 {
					<-stopped
				}
				_, err := s.App.Commit(ctx, request(change.Operation{Op: "staff.unlock", On: "Q0011"}))
				require.NoError(t, err)
				require.True(t, opens(t, other, "480216"))
			})
		}
	}
}

// Only so many acts wait before their turn: further ones wait for it, and hold from their acknowledgement all the same.
func TestMoreUrgentActsThanMayWaitAreMadeInTheirTurn(t *testing.T) {
	s := testkit.Demo(t)
	other := s.Second(t)
	begun, end, ended := make(chan bool), make(chan bool), make(chan error, 1)
	finish := sync.OnceFunc(func() { close(end) })
	defer finish()
	lasting := request(edit("HB-PACK-1", `{"name":"Door that takes long"}`))
	lasting.Within = func(*store.Tx, uint64, *change.Trial) error { begun <- true; <-end; return nil }
	go func() { _, err := s.App.Commit(ctx, lasting); ended <- err }()
	<-begun
	const locks = 72
	var whom []string
	for _, p := range s.App.Live().State().Staff.All() {
		if len(whom) < locks && p.Lock == nil && !p.Owner &&
			s.App.Live().Status(p.ID, s.App.Now().Unix()) == people.Active {
			whom = append(whom, p.Number)
		}
	}
	require.Len(t, whom, locks)
	var acknowledged atomic.Int64
	var group sync.WaitGroup
	for i, number := range whom {
		if i == 60 { // the last of them come one after another, so that they count each other
			require.Eventually(t, func() bool { return acknowledged.Load() == 60 }, time.Minute, 5*time.Millisecond)
		}
		lock := func() {
			_, err := s.App.Commit(ctx, request(change.Operation{Op: "staff.lock", On: number}))
			assert.NoError(t, err)
			acknowledged.Add(1)
		}
		if group.Go(lock); i >= 60 && i < 64 {
			require.Eventually(t, func() bool { return acknowledged.Load() == int64(i)+1 }, time.Minute,
				5*time.Millisecond)
		}
	}
	time.Sleep(500 * time.Millisecond)
	assert.EqualValues(t, 64, acknowledged.Load(), "the others wait for their turn")
	finish()
	require.NoError(t, <-ended)
	group.Wait()
	for _, number := range whom {
		p := other.App.Live().State().StaffByNumber(number)
		assert.Equal(t, access.Locked, other.App.Live().Stands(p.ID, s.App.Now().Unix()), number)
	}
}

// A person is refused at every instance from the moment at which their lock is acknowledged, also while many write.
// LATCH_LOCKS says how many locks are made. On a busy machine the database may be away for a while: what is answered so
// is no acknowledgement.
func TestAnAcknowledgedLockIsInForceEverywhere(t *testing.T) {
	s := testkit.Demo(t)
	instances := []*testkit.Service{s, s.Second(t), s.Second(t)}
	pins := map[string]string{"Q0011": "480216", "Q0013": "480315", "Q0014": "480417", "Q0015": "480519"}
	locks, pause := 24, 10*time.Millisecond
	if given, err := strconv.Atoi(os.Getenv("LATCH_LOCKS")); err == nil {
		locks, pause = given, 250*time.Millisecond // in a long run the database is to keep up with the writers
	}
	lost := func(err error) bool {
		return errors.Is(err, app.ErrAway) || errors.Is(err, context.Canceled) || store.Unavailable(err)
	}
	made := func(at int, o change.Operation) bool {
		_, err := instances[at%3].App.Commit(ctx, request(o))
		if err != nil && !lost(err) {
			assert.NoError(t, err, o.Op)
		}
		return err == nil
	}
	for staff, pin := range pins {
		pinFor(t, s, staff, pin)
	}
	stop := make(chan bool)
	var writers, lockers sync.WaitGroup
	for i := range 6 {
		writers.Go(func() {
			for turn := 0; ; turn++ {
				select {
				case <-stop:
					return
				case <-time.After(pause):
				}
				made(i, edit("HB-PACK-1", fmt.Sprintf(`{"name":"Door %d %d"}`, i, turn)))
			}
		})
	}
	var acknowledged, asked, letIn atomic.Int64
	for staff, pin := range pins {
		lockers.Go(func() {
			for turn := range locks / len(pins) {
				_, err := instances[turn%3].App.Commit(ctx, request(change.Operation{Op: "staff.lock", On: staff}))
				if err != nil && !lost(err) && !strings.Contains(err.Error(), "is locked already") {
					assert.NoError(t, err)
				}
				if err == nil {
					acknowledged.Add(1)
					for next := range 2 {
						e, _, err := instances[(turn+1+next)%3].App.Decide(ctx, door(t, s), app.Ask{PIN: pin,
							Place: "HB-PACK-1"})
						if asked.Add(1); err == nil && e.Allowed {
							letIn.Add(1)
						}
					}
				}
				_, err = instances[turn%3].App.Commit(ctx, request(change.Operation{Op: "staff.unlock", On: staff}))
				for tries := 0; err != nil && lost(err) && tries < 20; tries++ { // it may have been made all the same
					time.Sleep(100 * time.Millisecond)
					_, err = instances[turn%3].App.Commit(ctx, request(change.Operation{Op: "staff.unlock", On: staff}))
					if err != nil && strings.HasSuffix(err.Error(), "is not locked") {
						err = nil
					}
				}
				assert.NoError(t, err)
			}
		})
	}
	lockers.Wait()
	close(stop)
	writers.Wait()
	t.Logf("%d locks acknowledged, %d questions asked at once at other instances, %d let in", acknowledged.Load(),
		asked.Load(), letIn.Load())
	assert.Greater(t, acknowledged.Load(), int64(locks/2))
	assert.Zero(t, letIn.Load())
}

func door(t *testing.T, s *testkit.Service) *org.Device {
	device := s.App.DeviceOf("lld_demo-hb-controller-token")
	require.NotNil(t, device)
	return device
}
