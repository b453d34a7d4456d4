package bench

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/mariadb"
)

// starters is a file of so many people.
func starters(rows int, pin string) []byte {
	var b strings.Builder
	b.WriteString("given name,family name,phone,job title,engagement,home site,start date,works at,works as,pin\n")
	for range rows {
		n := numbered.Add(1)
		fmt.Fprintf(&b, "New%d,Starter,+353 1 555 %d,Packer,seasonal,S000,2026-01-05,S000,t01,%s\n", n, n, pin)
	}
	return []byte(b.String())
}

// peak notes the most memory that is in use until stop is called, above what was before.
func peak() (stop func() int64) {
	runtime.GC()
	var before, now runtime.MemStats
	runtime.ReadMemStats(&before)
	var most atomic.Int64
	done := make(chan bool)
	go func() {
		for {
			select {
			case <-done:
				return
			case <-time.After(20 * time.Millisecond):
				runtime.ReadMemStats(&now)
				most.Store(max(most.Load(), int64(now.HeapAlloc)))
			}
		}
	}()
	return func() int64 { close(done); return (most.Load() - int64(before.HeapAlloc)) >> 20 }
}

// TestImportFigures measures what bringing in a file costs, what of it others feel, and acts about many. It asserts no
// timing.
func TestImportFigures(t *testing.T) {
	if os.Getenv("LATCH_BENCH") == "" {
		t.Skip("make bench measures")
	}
	ctx := context.Background()
	database, err := mariadb.Start(ctx, filepath.Join(t.TempDir(), "mariadb"), 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = database.Stop() })
	e := newEstate(t, database, 10_000)
	row := func(what, measured, aim string) { fmt.Printf("%-66s %14s %10s\n", what, measured, aim) }
	fmt.Println()
	var each float64
	acts := 0
	for _, rows := range []int{1000, 10_000} {
		stop := peak()
		start := time.Now()
		i, err := e.app.StartImport(ctx, 1, "bench.csv", starters(rows, "no"))
		require.NoError(t, err)
		trial := time.Since(start)
		ready, wrong := i.ToDo()
		require.Equal(t, rows, ready)
		require.Zero(t, wrong)
		locked := time.Duration(0)
		start = time.Now()
		_, err = e.app.RunImport(ctx, 1, i.ID, "because", "bench", false)
		require.NoError(t, err)
		for ; ; acts++ {
			now, _, err := e.app.Imports(ctx, 1, 0, 1)
			require.NoError(t, err)
			if now[0].State != app.ImportRunning {
				require.Empty(t, now[0].Problem)
				break
			}
			op := []string{"staff.lock", "staff.unlock"}[acts%2]
			begun := time.Now()
			_, err = e.app.Commit(ctx, asked([]change.Operation{{Op: op, On: "G000005"}}))
			require.NoError(t, err)
			locked = max(locked, time.Since(begun))
		}
		took := time.Since(start)
		used := stop()
		aims := []string{"", ""}
		if rows == 10_000 {
			aims = []string{"3 s, 10 s", "300 MB"}
		}
		row(fmt.Sprintf("a file of %d rows: trial run, brought in", rows), fmt.Sprintf("%.2f s, %.2f s",
			trial.Seconds(),
			took.Seconds()), aims[0])
		row("  memory above idle at most", fmt.Sprintf("%d MB", used), aims[1])
		row("  the slowest lock or unlock beside it", fmt.Sprintf("%d ms", locked.Milliseconds()), "200 ms")
		if each == 0 {
			each = took.Seconds() / float64(rows)
		}
		row("  a row against one of 1,000", fmt.Sprintf("%.2f×", took.Seconds()/float64(rows)/each), "1×")
	}
	start := time.Now()
	i, err := e.app.StartImport(ctx, 1, "bench.csv", starters(200, "yes"))
	require.NoError(t, err)
	_, err = e.app.RunImport(ctx, 1, i.ID, "because", "bench", false)
	require.NoError(t, err)
	for i.State != app.ImportDone {
		i, err = e.app.ImportFor(ctx, 1, i.ID)
		require.NoError(t, err)
		time.Sleep(20 * time.Millisecond)
	}
	row("200 rows with a PIN each", fmt.Sprintf("%.1f s", time.Since(start).Seconds()), "")
	e.lockMany(t, row)
}

// lockMany measures one act that locks 1,000 people.
func (e *estateOf) lockMany(t *testing.T, row func(what, measured, aim string)) {
	found, _, err := e.app.FindStaff(1, app.StaffQuery{Status: people.Active, Search: "starter", Limit: math.MaxInt})
	require.NoError(t, err)
	var numbers []string
	for _, p := range found[:min(1000, len(found))] {
		numbers = append(numbers, p.Number)
	}
	require.Len(t, numbers, 1000)
	start := time.Now()
	result, err := e.app.DoMany(context.Background(), asked(nil), app.Many{Act: change.Act{Op: "staff.lock"},
		Staff: numbers})
	require.NoError(t, err)
	require.Equal(t, 1000, result.Count)
	row("1,000 people locked in one act", fmt.Sprintf("%.2f s", time.Since(start).Seconds()), "2 s")
}
