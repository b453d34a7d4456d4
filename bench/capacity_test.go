package bench

import (
	"database/sql"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/mariadb"
)

// TestCapacityFigures measures what an instance takes for estates of several sizes, and with several numbers of doors
// that each ask once a second; docs/capacity.md has the table. LATCH_CAPACITY names the sizes.
func TestCapacityFigures(t *testing.T) {
	if os.Getenv("LATCH_BENCH") == "" {
		t.Skip("run make bench")
	}
	folder := t.TempDir()
	out, err := exec.Command("go", "build", "-o", folder, "../cmd/...").CombinedOutput()
	require.NoError(t, err, string(out))
	sizes := strings.Split(os.Getenv("LATCH_CAPACITY"), ",")
	if sizes[0] == "" {
		sizes = []string{"1000", "20000", "100000"}
	}
	for _, text := range sizes {
		size, err := strconv.Atoi(text)
		require.NoError(t, err)
		t.Run(text, func(t *testing.T) { capacity(t, folder, size) })
	}
}

func capacity(t *testing.T, programs string, staff int) {
	t.Helper()
	folder, err := os.MkdirTemp("", "latch-capacity-")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(folder) })
	database, err := mariadb.Start(t.Context(), filepath.Join(folder, "mariadb"), 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = database.Stop() })
	require.NoError(t, database.CreateSchema(t.Context(), "latch"))
	keys := filepath.Join(folder, "keys")
	require.NoError(t, demo.Generate(t.Context(), database.DSN("latch"), keys, demo.Size{Staff: staff,
		Places: max(300, staff/20), Assignments: 3 * staff, Seed: 1}, os.Stderr))
	address := freeAddress(t)
	service := exec.Command(filepath.Join(programs, "loyald"), "serve", "--keys", keys, "--listen", address,
		"--log-file",
		filepath.Join(folder, "log"))
	service.Env = append(os.Environ(), "LOYAL_DSN="+database.DSN("latch"))
	ready := process(t, "http://"+address+"/readyz", service)
	db, err := sql.Open("mysql", database.DSN("latch"))
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	var megabytes float64
	require.NoError(t, db.QueryRow("SELECT SUM(data_length + index_length) / 1e6 FROM information_schema.tables WHERE "+
		"table_schema = 'latch'").Scan(&megabytes))
	t.Logf("%7d people: ready after %.1f s, %d MB resident, %.0f MB in the database", staff, ready.Seconds(),
		resident(t, service.Process.Pid), megabytes)
	for _, doors := range []int{10, 100, 500} {
		one := []string{address}
		asks(t, one, doors, time.Second, 3) // connects
		before, begun := spent(t, service.Process.Pid), time.Now()
		slow, count := asks(t, one, doors, time.Second, 10)
		used := spent(t, service.Process.Pid) - before
		var connections int
		require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM information_schema.processlist WHERE db = 'latch'").
			Scan(&connections))
		t.Logf("%7d people, %3d doors: %5.1f %% of a core, %d MB resident, %d connections, %d answers, the slowest "+
			"after %s",
			staff, doors, 100*used.Seconds()/time.Since(begun).Seconds(), resident(t, service.Process.Pid),
			connections-1,
			count, slow.Round(time.Millisecond))
	}
}

// TestSimulationFigures simulates a large organisation on one machine: LATCH_SIMULATED people, 5,000 doors that each
// ask every ten seconds, three instances on one database. It is a simulation: on three machines there is more of all.
func TestSimulationFigures(t *testing.T) {
	staff, err := strconv.Atoi(os.Getenv("LATCH_SIMULATED"))
	if err != nil {
		t.Skip("say how many people with LATCH_SIMULATED")
	}
	programs, folder := t.TempDir(), t.TempDir()
	out, err := exec.Command("go", "build", "-o", programs, "../cmd/...").CombinedOutput()
	require.NoError(t, err, string(out))
	database, err := mariadb.Start(t.Context(), filepath.Join(folder, "mariadb"), 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = database.Stop() })
	require.NoError(t, database.CreateSchema(t.Context(), "latch"))
	keys := filepath.Join(folder, "keys")
	begun := time.Now()
	require.NoError(t, demo.Generate(t.Context(), database.DSN("latch"), keys, demo.Size{Staff: staff, Places: 10_000,
		Assignments: 2 * staff, Seed: 1}, os.Stderr))
	t.Logf("%d people are made after %.0f s", staff, time.Since(begun).Seconds())
	var addresses []string
	var pids []int
	for i := range 3 {
		address := freeAddress(t)
		service := exec.Command(filepath.Join(programs, "loyald"), "serve", "--keys", keys, "--listen", address,
			"--events-folder", filepath.Join(folder, fmt.Sprint("events-", i)), "--log-file", filepath.Join(folder,
				"log"))
		service.Env = append(os.Environ(), "LOYAL_DSN="+database.DSN("latch"))
		ready := processWithin(t, "http://"+address+"/readyz", service, 15*time.Minute)
		t.Logf("instance %d: ready after %.1f s, %d MB resident", i+1, ready.Seconds(), resident(t,
			service.Process.Pid))
		addresses, pids = append(addresses, address), append(pids, service.Process.Pid)
	}
	asks(t, addresses, 5000, 10*time.Second, 1)
	slow, count := asks(t, addresses, 5000, 10*time.Second, 3)
	t.Logf("5,000 doors: %d answers, the slowest after %s; resident %d, %d and %d MB", count,
		slow.Round(time.Millisecond),
		resident(t, pids[0]), resident(t, pids[1]), resident(t, pids[2]))
}

// asks has so many doors ask so many times, and returns the slowest answer and how many there were. Doors are spread
// over
// addresses.
func asks(t *testing.T, addresses []string, doors int, every time.Duration, rounds int) (slowest time.Duration,
	count int64) {
	t.Helper()
	transport := &http.Transport{MaxIdleConnsPerHost: doors}
	defer transport.CloseIdleConnections()
	var slow, answers, failed atomic.Int64
	var wait sync.WaitGroup
	for door := range doors {
		wait.Go(func() {
			time.Sleep(every * time.Duration(door) / time.Duration(doors))
			for round := range rounds {
				body := fmt.Sprintf(`{"pin":%q,"place":"S000-02"}`, demo.PIN((door*7+round)%100+1))
				request, err := http.NewRequest("POST", "http://"+addresses[door%len(addresses)]+"/api/v1/decisions",
					strings.NewReader(body))
				if err != nil {
					panic(err)
				}
				request.Header.Set("Content-Type", "application/json")
				request.Header.Set("Authorization", "Bearer "+demo.DeviceToken(1))
				begun := time.Now()
				response, err := transport.RoundTrip(request)
				if err != nil || response.StatusCode != http.StatusOK {
					failed.Add(1)
				}
				if err == nil {
					_ = response.Body.Close()
				}
				took := int64(time.Since(begun))
				for was := slow.Load(); took > was && !slow.CompareAndSwap(was, took); was = slow.Load() {
				}
				answers.Add(1)
				time.Sleep(every - time.Duration(took))
			}
		})
	}
	wait.Wait()
	require.Zero(t, failed.Load())
	return time.Duration(slow.Load()), answers.Load()
}

// spent is how much time of a processor a process has taken.
func spent(t *testing.T, pid int) time.Duration {
	t.Helper()
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	require.NoError(t, err)
	fields := strings.Fields(string(text[strings.LastIndexByte(string(text), ')')+2:]))
	var ticks int64
	for _, field := range fields[11:13] { // utime and stime, proc(5)
		n, err := strconv.ParseInt(field, 10, 64)
		require.NoError(t, err)
		ticks += n
	}
	return time.Duration(ticks) * 10 * time.Millisecond
}
