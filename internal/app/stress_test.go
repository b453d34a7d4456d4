package app_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"os"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/testkit"
)

// stress is a round of the stress test: instances whose connections to the database break, and managers who do
// everything at once.
type stress struct {
	t         *testing.T
	instances []*testkit.Service
	lines     []*line
	mu        sync.Mutex
	asked     map[string]outcome // by the family name of those who were enrolled
	done      map[string]int     // what was done, and with which end
}

// outcome is what is known of people who were enrolled under one family name.
type outcome struct {
	people int
	made   bool // it was answered that they are
	never  bool // it was answered that they are not
}

// once does one thing at an instance, as a manager.
func (s *stress) once(random *rand.Rand, c *client.Client, door *client.Client, name string) error {
	person := fmt.Sprintf("Q00%02d", 11+random.IntN(12))
	because := set{"reason": "stress"}
	within, cancel := ctx, func() {}
	if random.IntN(8) == 0 {
		within, cancel = context.WithTimeout(ctx, time.Duration(1+random.IntN(40))*time.Millisecond)
	}
	defer cancel()
	enrol := func(many int) error {
		operations := make([]api.Operation, many)
		for i := range operations {
			operations[i] = api.Operation{Op: "staff.enrol", Set: fmt.Appendf(nil,
				`{"given_name":"Hand","family_name":%q,"home_site":"HB"}`, name)}
		}
		err := c.Do(within, "POST", "/changes", api.ChangeRequest{Reason: "stress", Operations: operations}, nil)
		var refused *api.Problem
		s.mu.Lock()
		defer s.mu.Unlock()
		s.asked[name] = outcome{many, err == nil, errors.As(err, &refused) && refused.Status < 500}
		return err
	}
	switch random.IntN(12) {
	case 0, 1:
		return enrol(1)
	case 2:
		return enrol(60)
	case 3:
		return c.Do(within, "POST", "/staff/"+person+"/lock", because, nil)
	case 4:
		return c.Do(within, "POST", "/staff/"+person+"/unlock", set{}, nil)
	case 5:
		return c.Do(within, "PATCH", "/staff/"+person, set{"known_as": name}, nil)
	case 6:
		var list api.Page[api.Change]
		if err := c.Get(within, "/changes", &list, client.Query("limit", "3")); err != nil || len(list.Items) == 0 {
			return err
		}
		which := list.Items[random.IntN(len(list.Items))].ID
		return c.Do(within, "POST", fmt.Sprintf("/changes/%d/undo", which), because, nil)
	case 7:
		if err := c.Do(within, "POST", "/drafts/open/edits", set{"operations": []set{{"op": "staff.edit", "on": person,
			"set": set{"job_title": name}}}}, nil); err != nil {
			return err
		}
		return c.Do(within, "POST", "/drafts/open/apply", because, nil)
	case 8:
		_, err := client.New(c.Server, "").SignIn(within, "tamsin@quillmere.example", testkit.Passwords["tamsin"],
			"stress")
		return err
	case 9:
		return c.Get(within, "/staff", nil, client.Query("q", "hand"))
	}
	pin := "480216"
	if random.IntN(6) == 0 {
		pin = fmt.Sprint(100000 + random.IntN(900000))
	}
	return door.Do(within, "POST", "/decisions", set{"pin": pin, "place": "HB-PACK-1"}, nil)
}

// note takes down how something ended: with an answer, a refusal, or unavailability. Nothing else may be.
func (s *stress) note(err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	var refused *api.Problem
	switch {
	case err == nil:
		s.done["made"]++
	case errors.As(err, &refused) && refused.Status == http.StatusServiceUnavailable:
		s.done["unavailable"]++
	case errors.As(err, &refused) && refused.Status < 500:
		s.done["refused"]++
	case errors.As(err, &refused):
		s.t.Errorf("%d: %s", refused.Status, refused.Detail)
	default:
		s.done["given up"]++
	}
}

// check holds what must be true once all have come to an end.
func (s *stress) check() {
	t := s.t
	first := s.instances[0]
	require.Eventually(t, func() bool {
		for _, instance := range s.instances {
			if instance.App.ActsWaiting() > 0 || instance.App.Revision() != first.App.Revision() {
				return false
			}
		}
		return true
	}, 30*time.Second, 20*time.Millisecond)
	for _, instance := range s.instances {
		instance.App.Close() // the events are written
	}
	live := first.App.Live().State()
	loaded, err := first.Store.Load(ctx, &org.State{})
	require.NoError(t, err)
	history, err := first.Store.StateOf(ctx, live.Revision, &org.State{})
	require.NoError(t, err)
	kept, past := testkit.Records(loaded), testkit.Records(history)
	delete(past, "settings 0")
	for i, instance := range s.instances {
		assert.Equal(t, kept, testkit.Records(instance.App.Live().State()), "what is live at instance %d", i)
	}
	delete(kept, "settings 0")
	assert.Equal(t, kept, past, "the history of the last revision")
	compiled, err := access.Compile(loaded)
	require.NoError(t, err)
	for _, pair := range [][2]*access.Snapshot{{first.App.Live().Snapshot, compiled}, {compiled,
		first.App.Live().Snapshot}} {
		differ := access.Diff(pair[0], pair[1], time.Now().Unix())
		assert.Zero(t, differ.Losers(), "what is live decides as what is compiled afresh")
	}
	_, err = first.App.VerifyAudit(ctx)
	assert.NoError(t, err)
	done, err := app.Replay(ctx, first.Store, time.Now().Add(-time.Hour), time.Now().Add(time.Hour),
		func(d app.Difference) { t.Errorf("%+v comes out as %+v", d.Event, d.Now) })
	require.NoError(t, err)
	assert.Positive(t, done.Decided)
	there := map[string]int{}
	for _, p := range live.Staff.All() {
		there[p.FamilyName]++
	}
	for name, o := range s.asked {
		switch count := there[name]; {
		case count != 0 && count != o.people:
			t.Errorf("%s: %d of %d people", name, count, o.people)
		case o.made && count == 0:
			t.Errorf("%s is lost", name)
		case o.never && count != 0:
			t.Errorf("%s was refused and made", name)
		}
	}
	t.Log(s.done, "replayed", done.Decided, "revision", live.Revision)
}

// Law 7 to 9 and 15: whatever breaks, is cancelled or made at once, at one instance or two, what is live is what is
// kept, is what the history says; the log is whole; recorded decisions come out the same; what was acknowledged is
// made, once and whole. LATCH_STRESS=25 runs so many rounds.
func TestWhateverBreaksNothingIsLostDoubledOrHalf(t *testing.T) {
	rounds, err := strconv.Atoi(os.Getenv("LATCH_STRESS"))
	if err != nil {
		rounds = 2
	}
	for round := range rounds {
		t.Run(fmt.Sprint("round ", round+1), func(t *testing.T) {
			s := &stress{t: t, asked: map[string]outcome{}, done: map[string]int{}}
			plain := testkit.Demo(t)
			pinFor(t, plain, "Q0011", "480216")
			for range 1 + round%2 {
				between, behind := &line{}, *plain
				behind.DSN = between.through(t, plain.DSN)
				s.lines, s.instances = append(s.lines, between), append(s.instances, behind.Second(t))
			}
			// Whoever asks is signed in before anything breaks: a sign-in that is broken off may be answered 503
			var asking [6]struct{ c, door *client.Client }
			for i := range asking {
				at := s.instances[i%len(s.instances)]
				asking[i].c, asking[i].door = at.Client(t, "maren"), at.Door()
			}
			stop := make(chan bool)
			var breaking, working sync.WaitGroup
			breaking.Go(func() {
				random := rand.New(rand.NewPCG(uint64(round), 1))
				for {
					select {
					case <-stop:
						return
					case <-time.After(time.Duration(20+random.IntN(150)) * time.Millisecond):
					}
					of := s.lines[random.IntN(len(s.lines))]
					[]func(){func() { of.breakBefore.Store(true) }, func() { of.breakAfter.Store(true) }}[random.IntN(
						2)]()
					if random.IntN(6) == 0 {
						_, err := plain.App.VerifyAudit(ctx)
						assert.NoError(t, err, "the log is whole at any moment")
					}
				}
			})
			for i := range asking {
				working.Go(func() {
					random := rand.New(rand.NewPCG(uint64(round), uint64(10+i)))
					for j := range 60 {
						s.note(s.once(random, asking[i].c, asking[i].door, fmt.Sprintf("Stress %d %d", i, j)))
					}
				})
			}
			working.Wait()
			close(stop)
			breaking.Wait()
			for _, l := range s.lines {
				l.breakBefore.Store(false)
				l.breakAfter.Store(false)
			}
			plain.App.Close()
			s.check()
		})
	}
}
