package bench

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/mariadb"
	"loyallatch.example/latch/internal/store"
)

// numbered makes names that no other round has used.
var numbered atomic.Int64

// arrivals are people who are enrolled, assigned and, where asked for, given a PIN.
func arrivals(people int, pin bool) (operations []change.Operation) {
	for i := range people {
		number := numbered.Add(1)
		operations = append(operations,
			change.Operation{Op: "staff.enrol", Ref: fmt.Sprint("p", i), Set: fmt.Appendf(nil,
				`{"given_name":"New","family_name":"Arrival %d","home_site":"S000"}`, number)},
			change.Operation{Op: "assignment.add", Set: fmt.Appendf(nil,
				`{"staff":"@p%d","place":"S000","template":"t01","from":"2026-01-01"}`, i)})
		if pin {
			operations = append(operations, change.Operation{Op: "pin.set", Set: fmt.Appendf(nil, `{"staff":"@p%d"}`,
				i)})
		}
	}
	return operations
}

func asked(operations []change.Operation) app.Request {
	return app.Request{Actor: change.Actor{Staff: 1}, Origin: "bench", Reason: "because", Operations: operations}
}

// percentile returns one of sorted values.
func percentile(values []float64, part float64) float64 {
	slices.Sort(values)
	return values[int(float64(len(values)-1)*part)]
}

// TestChangeFigures measures what writing costs, and that nothing urgent waits for it. It asserts no timing.
func TestChangeFigures(t *testing.T) {
	if os.Getenv("LATCH_BENCH") == "" {
		t.Skip("make bench measures")
	}
	ctx := context.Background()
	database, err := mariadb.Start(ctx, filepath.Join(t.TempDir(), "mariadb"), 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = database.Stop() })
	e := newEstate(t, database, staff)
	row := func(what, measured, aim string) { fmt.Printf("%-66s %14s %10s\n", what, measured, aim) }
	fmt.Println()
	var perOperation float64
	for _, count := range []int{1000, 10_000, 20_000} {
		operations := arrivals(count/2, false)
		start := time.Now()
		_, err := e.app.Preview(context.Background(), asked(operations))
		require.NoError(t, err)
		preview := time.Since(start)
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		start = time.Now()
		_, err = e.app.Commit(ctx, asked(operations))
		require.NoError(t, err)
		took := time.Since(start)
		runtime.ReadMemStats(&after)
		each := took.Seconds() / float64(count)
		if perOperation == 0 {
			perOperation = each
		}
		row(fmt.Sprintf("preview and commit of %d operations", count), fmt.Sprintf("%.2f s, %.2f s", preview.Seconds(),
			took.Seconds()), "")
		row("  allocated; cost of an operation against that of 1,000", fmt.Sprintf("%d MB, %.2f",
			(after.TotalAlloc-before.TotalAlloc)>>20, each/perOperation), "")
	}
	e.drafts(t, row)
	for _, kind := range []struct {
		what string
		pin  bool
	}{{"enrol and assign", false}, {"enrol, assign and a PIN", true}} {
		for _, writers := range []int{1, 8} {
			aim := ""
			if kind.pin {
				aim = "500"
			}
			row(fmt.Sprintf("%s, %d writers, a second", kind.what, writers),
				fmt.Sprintf("%.0f", e.write(t, writers, kind.pin)), aim)
		}
	}
	e.urgent(t, row)
	e.elsewhere(t, database, row)
}

// drafts measures edits put into a draft.
func (e *estateOf) drafts(t *testing.T, row func(what, measured, aim string)) {
	var took [2]float64
	for i, count := range []int{400, 4000} {
		var edits []change.Operation
		for id := range count {
			edits = append(edits, change.Operation{Op: "staff.edit", On: fmt.Sprintf("G%06d", id+10),
				Set: fmt.Appendf(nil, `{"known_as":"D%d"}`, i)})
		}
		start := time.Now()
		review, err := e.app.Collect(context.Background(), 1, app.DraftOpen, "", edits)
		require.NoError(t, err)
		took[i] = time.Since(start).Seconds()
		_, err = e.app.Discard(context.Background(), 1, fmt.Sprint(review.Draft.ID))
		require.NoError(t, err)
	}
	row("4,000 edits put into a draft; against 400", fmt.Sprintf("%.2f s, %.1f×", took[1], took[1]/took[0]), "10×")
}

// write returns how many changes a second writers make.
func (e *estateOf) write(t *testing.T, writers int, pin bool) float64 {
	var made atomic.Int64
	var all sync.WaitGroup
	const lasts = 4 * time.Second
	until := time.Now().Add(lasts)
	for range writers {
		all.Go(func() {
			for time.Now().Before(until) {
				if _, err := e.app.Commit(context.Background(), asked(arrivals(1, pin))); err != nil {
					t.Error(err)
					return
				}
				made.Add(1)
			}
		})
	}
	all.Wait()
	return float64(made.Load()) / lasts.Seconds()
}

// urgent measures locks and sign-ins while changes of 20,000 operations are made one after another.
func (e *estateOf) urgent(t *testing.T, row func(what, measured, aim string)) {
	ctx := context.Background()
	stop := make(chan bool)
	var all sync.WaitGroup
	all.Go(func() {
		for {
			select {
			case <-stop:
				return
			default:
			}
			if _, err := e.app.Commit(ctx, asked(arrivals(10_000, false))); err != nil {
				t.Error(err)
				return
			}
		}
	})
	var locks, signIns []float64
	for turn := range 150 {
		on := fmt.Sprintf("G%06d", 2000+turn/2)
		op := []string{"staff.lock", "staff.unlock"}[turn%2]
		start := time.Now()
		_, err := e.app.Commit(ctx, asked([]change.Operation{{Op: op, On: on}}))
		require.NoError(t, err)
		locks = append(locks, time.Since(start).Seconds())
		if turn%5 == 0 {
			start = time.Now()
			_, err := e.app.SignIn(ctx, app.SignIn{Name: "G000001", Password: demo.OwnerPassword, Kind: "client",
				Device: "bench", Address: "127.0.0.1"})
			require.NoError(t, err)
			signIns = append(signIns, time.Since(start).Seconds())
		}
		time.Sleep(40 * time.Millisecond)
	}
	close(stop)
	all.Wait()
	ms := func(values []float64, part float64) float64 { return 1000 * percentile(values, part) }
	row("locks and unlocks beside changes of 20,000: median, 99th percentile",
		fmt.Sprintf("%.0f, %.0f ms", ms(locks, 0.5), ms(locks, 0.99)), "200 ms")
	row("sign-ins beside them: median, 99th percentile", fmt.Sprintf("%.0f, %.0f ms", ms(signIns, 0.5), ms(signIns,
		0.99)), "200 ms")
}

// elsewhere measures when another instance knows a change, and what that costs it.
func (e *estateOf) elsewhere(t *testing.T, database *mariadb.Server, row func(what, measured, aim string)) {
	ctx := context.Background()
	db, err := store.Open(ctx, database.DSN(fmt.Sprintf("rules_%d", staff)))
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	other, err := app.New(ctx, db, e.keys, slog.New(slog.NewTextHandler(io.Discard, nil)), app.Options{})
	require.NoError(t, err)
	t.Cleanup(other.Close)
	var known, local, followed []float64
	for range 100 {
		start := time.Now()
		result, err := e.app.Commit(ctx, asked(arrivals(1, false)))
		require.NoError(t, err)
		committed := time.Now()
		local = append(local, committed.Sub(start).Seconds())
		for other.Revision() < result.Trial.State.Revision {
			time.Sleep(time.Millisecond)
		}
		known = append(known, time.Since(committed).Seconds())
		before := other.Live().State()
		if _, err := e.app.Commit(ctx, asked(arrivals(1, false))); err != nil {
			t.Fatal(err)
		}
		start = time.Now()
		_, err = db.Load(ctx, before)
		require.NoError(t, err)
		followed = append(followed, time.Since(start).Seconds())
	}
	row("a change made elsewhere is known: median, 99th percentile", fmt.Sprintf("%.0f, %.0f ms",
		1000*percentile(known, 0.5), 1000*percentile(known, 0.99)), "300 ms")
	row("reading it on against making it, medians", fmt.Sprintf("%.2f", percentile(followed, 0.5)/percentile(local,
		0.5)),
		"< 3")
}
