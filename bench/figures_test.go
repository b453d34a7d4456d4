// Package bench measures the built service on a generated estate, as a whole process. make bench prints the table.
package bench

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/mariadb"
	"loyallatch.example/latch/internal/store"
)

// TestMain serves the bare handler when the test's own binary is started for that.
func TestMain(m *testing.M) {
	if address := os.Getenv("LATCH_BARE"); address != "" {
		bare(address)
		return
	}
	os.Exit(m.Run())
}

// bare is the least a service can do on chi: decode and encode the bodies of a decision.
func bare(address string) {
	router := chi.NewMux()
	router.Post("/api/v1/decisions", func(w http.ResponseWriter, r *http.Request) {
		var in api.DecisionRequest
		if json.NewDecoder(r.Body).Decode(&in) != nil {
			w.WriteHeader(http.StatusBadRequest)
			return
		}
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(
			api.Decision{Outcome: "allow", Reason: "granted", Sentence: "Ana may do task 1 at Door S000-02.", Level: 1,
				Staff: &api.StaffRef{StaffNumber: "G000001", Name: "Ana"}, At: time.Now()})
	})
	_ = http.ListenAndServe(address, router)
}

func freeAddress(t *testing.T) string {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { _ = listener.Close() }()
	return listener.Addr().String()
}

// process starts a program and waits until an address answers.
func process(t *testing.T, ready string, command *exec.Cmd) time.Duration {
	return processWithin(t, ready, command, time.Minute)
}

func processWithin(t *testing.T, ready string, command *exec.Cmd, within time.Duration) time.Duration {
	command.Stderr, command.Stdout = os.Stderr, io.Discard
	start := time.Now()
	require.NoError(t, command.Start())
	t.Cleanup(func() { _ = command.Process.Signal(syscall.SIGTERM); _ = command.Wait() })
	for time.Since(start) < within {
		if response, err := http.Get(ready); err == nil {
			_ = response.Body.Close()
			if response.StatusCode < 500 {
				return time.Since(start)
			}
		}
		time.Sleep(5 * time.Millisecond)
	}
	require.Fail(t, "no answer from "+ready)
	return 0
}

const (
	staff       = 100_000
	askers      = 32
	roundLasts  = 4 * time.Second
	rounds      = 5
	searchCount = 400
	// Those who pass one door: each PIN is typed for the first time once, and many times after that.
	regulars = 4_000
)

// load asks for decisions with PINs for a while, or until each of the regulars has asked once where that is what is
// wanted, with many askers, and returns how many were answered a second, and in all.
func load(t *testing.T, address string, once bool) (perSecond float64, total int64) {
	transport := &http.Transport{MaxIdleConnsPerHost: askers, DisableCompression: true}
	defer transport.CloseIdleConnections()
	var count, failures atomic.Int64
	var wait sync.WaitGroup
	start := time.Now()
	for asker := range askers {
		wait.Go(func() {
			for i := 0; once && asker+i*askers < regulars || !once && time.Since(start) < roundLasts; i++ {
				who := asker + i*askers
				if !once {
					who = (asker*7919 + i*104729) % regulars
				}
				body := fmt.Sprintf(`{"pin":%q,"place":"S000-02"}`, demo.PIN(who+1))
				request, _ := http.NewRequest("POST", "http://"+address+"/api/v1/decisions",
					bytes.NewReader([]byte(body)))
				request.Header.Set("Content-Type", "application/json")
				request.Header.Set("Authorization", "Bearer "+demo.DeviceToken(1))
				response, err := transport.RoundTrip(request)
				if err != nil {
					failures.Add(1)
					continue
				}
				_, _ = io.Copy(io.Discard, response.Body)
				_ = response.Body.Close()
				if response.StatusCode != http.StatusOK {
					failures.Add(1)
					continue
				}
				count.Add(1)
			}
		})
	}
	wait.Wait()
	require.Zero(t, failures.Load())
	return float64(count.Load()) / time.Since(start).Seconds(), count.Load()
}

func resident(t *testing.T, pid int) int {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	require.NoError(t, err)
	for line := range strings.Lines(string(text)) {
		if rest, found := strings.CutPrefix(line, "VmRSS:"); found {
			kilobytes, err := strconv.Atoi(strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(rest), "kB")))
			require.NoError(t, err)
			return kilobytes / 1024
		}
	}
	return 0
}

// decide measures Decide on an estate of a size, asking about people and places in turn.
func decide(t *testing.T, staff int) func() (nanoseconds float64, allocations int64) {
	snapshot, err := demo.Snapshot(
		demo.Size{Staff: staff, Places: staff / 20, Assignments: 3 * staff, Seed: 1, Today: day.Of(time.Now())})
	require.NoError(t, err)
	questions := make([]access.Question, 4096)
	for i := range questions {
		id := people.StaffID(i*7919%staff + 1)
		assignments := snapshot.State().AssignmentsOf(id)
		questions[i] = access.Question{Staff: id, Permission: 1,
			Place: snapshot.State().Assignment(assignments[i%len(assignments)]).Place, At: time.Now().Unix()}
	}
	return func() (float64, int64) {
		result := testing.Benchmark(func(b *testing.B) {
			b.ReportAllocs()
			for i := range b.N {
				snapshot.Decide(&questions[i&4095])
			}
		})
		return float64(result.T.Nanoseconds()) / float64(result.N), result.AllocsPerOp()
	}
}

// TestFigures measures and prints; it asserts no timing, only that no event was lost.
func TestFigures(t *testing.T) {
	if os.Getenv("LATCH_BENCH") == "" {
		t.Skip("make bench measures")
	}
	folder := t.TempDir()
	ctx := context.Background()
	out, err := exec.Command("go", "build", "-o", folder, "../cmd/loyald").CombinedOutput()
	require.NoError(t, err, string(out))
	database, err := mariadb.Start(ctx, filepath.Join(folder, "mariadb"), 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = database.Stop() })
	require.NoError(t, database.CreateSchema(ctx, "latch"))
	keys := filepath.Join(folder, "keys")
	generate := exec.Command(filepath.Join(folder, "loyald"), "generate", "--keys", keys)
	generate.Env = append(os.Environ(), "LOYAL_DSN="+database.DSN("latch"))
	generate.Stderr = os.Stderr
	require.NoError(t, generate.Run())

	small, large := decide(t, staff/100), decide(t, staff)
	var decideRatios, decideTimes []float64
	var allocations int64
	for range rounds {
		before, _ := small()
		after, allocated := large()
		decideRatios, decideTimes, allocations = append(decideRatios, after/before), append(decideTimes, after),
			max(allocations, allocated)
	}
	small, large = nil, nil

	address := freeAddress(t)
	service := exec.Command(filepath.Join(folder, "loyald"), "serve", "--keys", keys, "--listen", address,
		"--log-file", filepath.Join(folder, "log"))
	service.Env = append(os.Environ(), "LOYAL_DSN="+database.DSN("latch"))
	ready := process(t, "http://"+address+"/readyz", service)
	atStart := resident(t, service.Process.Pid)

	c := client.New("http://"+address, "")
	_, err = c.SignIn(ctx, "G000001", demo.OwnerPassword, "bench")
	require.NoError(t, err)
	searches := []string{"reyes", "an", "g0421", "hand", "lind b", "søren", "farrow q17", "nobody at all"}
	var took []time.Duration
	for i := range searchCount {
		start := time.Now()
		require.NoError(t, c.Get(ctx, "/staff", nil, client.Query("q", searches[i%len(searches)]),
			client.Query("sort", []string{"name", "-start_date,name", "staff_number"}[i%3])))
		took = append(took, time.Since(start))
	}
	slices.Sort(took)

	bareAddress := freeAddress(t)
	bareServer := exec.Command(os.Args[0])
	bareServer.Env = append(os.Environ(), "LATCH_BARE="+bareAddress)
	process(t, "http://"+bareAddress+"/", bareServer)
	db, err := store.Open(ctx, database.DSN("latch"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	var ratios, rates, bares []float64
	firstRate, asked := load(t, address, true)
	for range rounds {
		bareRate, _ := load(t, bareAddress, false)
		rate, count := load(t, address, false)
		asked += count
		ratios, rates, bares = append(ratios, rate/bareRate), append(rates, rate), append(bares, bareRate)
	}
	afterLoad := resident(t, service.Process.Pid)
	var events int64
	require.Eventually(t, func() bool {
		events, err = db.EventCount(ctx)
		return err == nil && events == asked
	}, time.Minute, 100*time.Millisecond, "every decision is an event")
	median := func(values []float64) float64 { slices.Sort(values); return values[len(values)/2] }
	fmt.Printf("\n%-58s %12s %10s\n", "on 100,000 staff, 5,000 places, 300,000 assignments", "measured", "aim")
	row := func(what, measured, aim string) { fmt.Printf("%-58s %12s %10s\n", what, measured, aim) }
	row("Decide", fmt.Sprintf("%.0f ns", median(decideTimes)), "< 1000 ns")
	row("Decide, allocations", strconv.FormatInt(allocations, 10), "0")
	row("Decide against the same at 1,000 staff, median", fmt.Sprintf("%.2f", median(decideRatios)), "≤ 1.50")
	row("ready after start", fmt.Sprintf("%.1f s", ready.Seconds()), "< 5 s")
	row("resident when ready", fmt.Sprintf("%d MB", atStart), "< 600 MB")
	row("resident after the load", fmt.Sprintf("%d MB", afterLoad), "< 600 MB")
	row("staff search, first page, median", fmt.Sprintf("%.1f ms", float64(took[len(took)/2].Microseconds())/1000), "")
	row("staff search, first page, 99th percentile",
		fmt.Sprintf("%.1f ms", float64(took[len(took)*99/100].Microseconds())/1000), "< 50 ms")
	row("bare chi handler, requests a second", fmt.Sprintf("%.0f", median(bares)), "")
	row("POST /api/v1/decisions, requests a second", fmt.Sprintf("%.0f", median(rates)), "")
	row("the same with PINs that were never typed before", fmt.Sprintf("%.0f", firstRate), "")
	row("decisions against bare, median of rounds", fmt.Sprintf("%.2f", median(ratios)), "≥ 0.70")
	row("events recorded of decisions asked", fmt.Sprintf("%d/%d", events, asked), "all")
}
