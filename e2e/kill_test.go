package e2e

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	mathrand "math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/mariadb"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// mortal is a service and a database that are killed and started again.
type mortal struct {
	t        *testing.T
	bin      string
	folder   string
	address  string
	database *mariadb.Server
	service  *exec.Cmd
}

func (m *mortal) keys() string { return filepath.Join(m.folder, "keys") }

func (m *mortal) startDatabase() {
	var err error
	m.database, err = mariadb.Start(ctx, filepath.Join(m.folder, "mariadb"), 0)
	require.NoError(m.t, err)
}

func (m *mortal) startService() {
	m.service = exec.Command(filepath.Join(m.bin, "loyald"), "serve", "--keys", m.keys(), "--listen", m.address,
		"--log-file", filepath.Join(m.folder, "service.log"))
	m.service.Env = append(os.Environ(), "LOYAL_DSN="+m.database.DSN("latch"))
	require.NoError(m.t, m.service.Start())
}

func (m *mortal) awaitReady() {
	require.Eventually(m.t, func() bool {
		response, err := http.Get("http://" + m.address + "/readyz")
		if err != nil {
			return false
		}
		_ = response.Body.Close()
		return response.StatusCode == http.StatusOK
	}, time.Minute, 20*time.Millisecond)
}

// newMortal starts a service with the demo, and signs its owner in.
func newMortal(t *testing.T) (*mortal, *client.Client) {
	// A short name, so that the socket of the database keeps its place
	folder, err := os.MkdirTemp("", "latch-kill-")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(folder) })
	m := &mortal{t: t, bin: programs(t), folder: folder, address: free(t, 1)[0]}
	m.startDatabase()
	t.Cleanup(func() { _ = m.database.Stop() })
	require.NoError(t, m.database.CreateSchema(ctx, "latch"))
	testkit.LoadDemo(t, m.database.DSN("latch"), m.keys())
	m.startService()
	t.Cleanup(func() { _ = m.service.Process.Kill(); _ = m.service.Wait() })
	m.awaitReady()
	maren := client.New("http://"+m.address, "")
	_, err = maren.SignIn(ctx, "maren@quillmere.example", testkit.Passwords["maren"], "killed")
	require.NoError(t, err)
	return m, maren
}

// kill ends the service, or the database, without a warning, and starts it again.
func (m *mortal) kill(service bool) {
	if service {
		require.NoError(m.t, m.service.Process.Kill())
		_ = m.service.Wait()
		m.startService()
	} else {
		require.NoError(m.t, m.database.Kill())
		m.startDatabase()
	}
	m.awaitReady()
}

// change makes a change and asks, with the same key, until it is told what became of it.
func (m *mortal) change(c *client.Client, operations []api.Operation) error {
	key := rand.Text()
	for until := time.Now().Add(15 * time.Minute); ; time.Sleep(50 * time.Millisecond) {
		err := c.Do(ctx, "POST", "/changes", api.ChangeRequest{Reason: "killed", Operations: operations}, nil,
			client.Header("Idempotency-Key", key))
		var told *api.Problem
		gone := errors.Is(err, client.ErrUnreachable) || errors.As(err, &told) &&
			(told.Status == http.StatusServiceUnavailable || told.Type == api.ProblemPrefix+"conflict" &&
				told.Errors == nil)
		if !gone || time.Now().After(until) {
			return err
		}
	}
}

// Law 8: whatever is killed, at whatever moment, what was acknowledged is there, once and whole, and the same key tells
// what became of a request. LATCH_STRESS=100 kills so many times.
func TestWhateverIsKilledNothingIsLostDoubledHalfOrStuck(t *testing.T) {
	kills, err := strconv.Atoi(os.Getenv("LATCH_STRESS"))
	if err != nil {
		kills = 4
	}
	m, maren := newMortal(t)
	var crowd []api.Operation
	for i := range many {
		crowd = append(crowd, api.Operation{Op: "staff.enrol", Set: fmt.Appendf(nil,
			`{"staff_number":"K%04d","given_name":"One","family_name":"Of Many","home_site":"HB"}`, i)})
	}
	require.NoError(t, m.change(maren, crowd))

	stop := make(chan bool)
	running := func() bool {
		select {
		case <-stop:
			return false
		default:
			return true
		}
	}
	var working sync.WaitGroup
	made := make([]int, 3) // how many changes of each worker were acknowledged
	for worker := range made {
		working.Go(func() {
			for running() {
				err := m.change(maren, []api.Operation{{Op: "staff.enrol", Set: fmt.Appendf(nil,
					`{"given_name":"Nr %d","family_name":"Single %d","home_site":"HB"}`, made[worker], worker)}})
				if !assert.NoError(t, err) {
					return
				}
				made[worker]++
			}
		})
	}
	large := 0
	working.Go(func() {
		for running() {
			var edits []api.Operation
			for i := range many {
				edits = append(edits, api.Operation{Op: "staff.edit", On: fmt.Sprintf("K%04d", i),
					Set: fmt.Appendf(nil, `{"known_as":"Round %d"}`, large+1)})
			}
			if !assert.NoError(t, m.change(maren, edits)) {
				return
			}
			large++
		}
	})
	random := mathrand.New(mathrand.NewPCG(1, uint64(kills)))
	for kill := range kills {
		time.Sleep(time.Duration(100+random.IntN(5000)) * time.Millisecond)
		m.kill(kill%2 == 0)
	}
	close(stop)
	working.Wait()
	require.NoError(t, m.service.Process.Signal(syscall.SIGTERM))
	require.NoError(t, m.service.Wait(), "it ends cleanly")

	t.Log(kills, "kills,", made, "single changes and", large, "of", many, "operations")
	m.check(made, large)
}

// An import is made whole or not at all, whatever is killed at whatever moment, and goes on by itself. LATCH_STRESS=20
// kills so many times.
func TestAnImportIsWholeWhateverIsKilledAndWhen(t *testing.T) {
	kills, err := strconv.Atoi(os.Getenv("LATCH_STRESS"))
	if err != nil {
		kills = 2
	}
	m, maren := newMortal(t)
	random := mathrand.New(mathrand.NewPCG(2, uint64(kills)))
	for kill := range kills {
		file := "given name,family name,home site,works at,works as,pin\n"
		for i := range imported {
			file += fmt.Sprintf("Nr%d,Round%d,HB,HB,packer,%s\n", i, kill, []string{"yes", "no"}[i%2])
		}
		var i api.Import
		require.NoError(t, maren.Post(ctx, "/imports?name=round.csv", []byte(file), &i))
		require.Equal(t, imported, i.Counts["new"])
		path := fmt.Sprint("/imports/", i.ID)
		require.NoError(t, maren.Do(ctx, "POST", path+"/run", struct{}{}, &i))
		time.Sleep(time.Duration(random.IntN(1500)) * time.Millisecond)
		m.kill(kill%3 != 2)
		require.Eventually(t, func() bool {
			var there api.Page[api.Staff]
			if err := maren.Get(ctx, "/staff", &there, client.Query("name", fmt.Sprint("Round", kill)),
				client.Query("limit", "1")); err == nil {
				assert.Contains(t, []int{0, imported}, there.Total, "all or nothing")
			}
			return maren.Get(ctx, path, &i) == nil && i.State != "running"
		}, 2*time.Minute, 100*time.Millisecond)
		assert.Equal(t, "done", i.State, i.Problem)
		assert.Len(t, i.Changes, 1, "once")
		var pins api.Page[api.NewPIN]
		require.NoError(t, maren.Do(ctx, "POST", path+"/pins", struct{}{}, &pins))
		assert.Len(t, pins.Items, imported/2)
	}
}

// imported is how many people each import of that test brings in.
const imported = 60

// many is how many operations the large changes have.
const many = 3000

// check looks whether all that was acknowledged is there, once and whole, and nothing else.
func (m *mortal) check(made []int, large int) {
	t := m.t
	db, err := store.Connect(ctx, m.database.DSN("latch"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	state, err := db.Load(ctx, &org.State{})
	require.NoError(t, err)
	there, rounds := map[string]int{}, map[string]int{}
	for _, p := range state.Staff.All() {
		if p.FamilyName == "Of Many" {
			rounds[p.KnownAs]++
		}
		there[p.FamilyName+" "+p.GivenName]++
	}
	for worker, count := range made {
		for i := range count {
			name := fmt.Sprintf("Single %d Nr %d", worker, i)
			assert.Equal(t, 1, there[name], "%s is there once", name)
		}
		assert.Zero(t, there[fmt.Sprintf("Single %d Nr %d", worker, count)], "no more than were asked for")
	}
	assert.Equal(t, map[string]int{fmt.Sprintf("Round %d", large): many}, rounds, "whole, and the last")
	for _, command := range []string{"verify", "replay"} {
		tool := exec.Command(filepath.Join(m.bin, "loyald"), command, "--keys", m.keys())
		tool.Env = append(os.Environ(), "LOYAL_DSN="+m.database.DSN("latch"))
		out, err := tool.CombinedOutput()
		require.NoError(t, err, string(out))
	}
}

var ctx = context.Background()
