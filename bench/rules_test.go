package bench

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/rulebook"
	"loyallatch.example/latch/internal/core/wording"
	"loyallatch.example/latch/internal/demo"
	"loyallatch.example/latch/internal/httpapi"
	"loyallatch.example/latch/internal/mariadb"
	"loyallatch.example/latch/internal/store"
)

// estateOf is a service on a generated estate of so many staff.
type estateOf struct {
	app      *app.App
	store    *store.Store
	keys     *app.Keys
	client   *client.Client
	snapshot *access.Snapshot
	then     time.Time // a moment before which everything was generated and after which people were changed
	affected int
	disarmed int    // managers, by the preview
	rulebook []byte // of as many templates as a fortieth of the people
}

// rulebookOf is the text of a rulebook of so many templates, each with 40 settings.
func rulebookOf(templates int) []byte {
	var text bytes.Buffer
	text.WriteString("rulebook: 1\ntemplates:\n")
	for i := range templates {
		fmt.Fprintf(&text, "  - code: work-%d\n    name: Work %d\n    settings:\n", i, i)
		for j := range 40 {
			fmt.Fprintf(&text, "      task.%d: yes\n", j)
		}
	}
	return text.Bytes()
}

func (e *estateOf) readRulebook(t *testing.T) {
	_, err := rulebook.Parse(e.rulebook)
	require.NoError(t, err)
}

func size(staff int) demo.Size {
	return demo.Size{Staff: staff, Places: staff / 20, Assignments: 3 * staff, Seed: 1, Today: day.Of(time.Now())}
}

func newEstate(t *testing.T, database *mariadb.Server, staff int) *estateOf {
	ctx := context.Background()
	name := fmt.Sprintf("rules_%d", staff)
	folder := filepath.Join(t.TempDir(), name)
	require.NoError(t, database.CreateSchema(ctx, name))
	require.NoError(t, demo.Generate(ctx, database.DSN(name), folder, size(staff), io.Discard))
	db, err := store.Open(ctx, database.DSN(name))
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	keys, err := app.LoadKeys(folder)
	require.NoError(t, err)
	a, err := app.New(ctx, db, keys, slog.New(slog.NewTextHandler(io.Discard, nil)), app.Options{})
	require.NoError(t, err)
	server := httptest.NewServer(httpapi.New(a, httpapi.Config{Log: slog.New(slog.NewTextHandler(io.Discard, nil))}))
	t.Cleanup(func() { server.Close(); a.Close() })
	c := client.New(server.URL, "")
	_, err = c.SignIn(ctx, "G000001", demo.OwnerPassword, "bench")
	require.NoError(t, err)
	e := &estateOf{app: a, store: db, keys: keys, client: c, snapshot: a.Live().Snapshot, then: time.Now().Add(
		time.Second),
		rulebook: rulebookOf(staff / 40)}
	e.addManagers(t)
	time.Sleep(2 * time.Second)
	// Since then every tenth of a hundred people was locked and unlocked, so that there is a past to read.
	for id := 2; id <= staff/100; id += 10 {
		for _, op := range []string{"staff.lock", "staff.unlock"} {
			_, err := a.Commit(ctx, app.Request{Actor: change.Actor{System: "bench"}, Origin: "bench",
				Reason: "because", Operations: []change.Operation{{Op: op, On: fmt.Sprintf("G%06d", id)}}})
			require.NoError(t, err)
		}
	}
	return e
}

// managers are how many people manage a site each, a tenth of them at the organisation.
const managers = 50

// addManagers gives people the template of a manager, who can give all the work there is.
func (e *estateOf) addManagers(t *testing.T) {
	settings := map[string]string{}
	for _, p := range permit.ConsolePermissions() {
		settings[p.Key] = p.Scale.Word(p.Scale.Highest())
	}
	add := func(op string, set map[string]any) change.Operation {
		encoded, err := json.Marshal(set)
		require.NoError(t, err)
		return change.Operation{Op: op, Set: encoded}
	}
	operations := []change.Operation{add("template.add", map[string]any{"code": "manager", "name": "Manager",
		"settings": settings, "giving": map[string]string{"work": "full"}})}
	for i := range managers {
		place := app.RootCode
		if i%10 > 0 {
			place = fmt.Sprintf("S%03d", i%(int(e.snapshot.State().Places.Last())/100))
		}
		operations = append(operations, add("assignment.add", map[string]any{"staff": fmt.Sprintf("G%06d", i+2),
			"place": place, "template": "manager"}))
	}
	_, err := e.app.Commit(context.Background(), app.Request{Actor: change.Actor{System: "bench"}, Origin: "bench",
		Reason: "because", Operations: operations})
	require.NoError(t, err)
	e.snapshot = e.app.Live().Snapshot
}

// authority is what a manager's request asks of what they hold and can give: whom they see, where they assign, and the
// most that they can give at a place.
func (e *estateOf) authority(t *testing.T) {
	at := time.Now().Unix()
	sight := e.snapshot.Sight(3, at)
	require.True(t, sight.Anywhere)
	_, anywhere := e.snapshot.Reach(3, permit.AssignStaff, at)
	require.True(t, anywhere)
	require.NotEmpty(t, e.snapshot.Ceiling(3, e.snapshot.State().PlaceByCode("S001").ID, at))
}

// common edits the template that about half of the people have.
func (e *estateOf) common() []change.Operation {
	t := e.snapshot.State().Template(demo.Common)
	given := map[string]string{}
	for _, setting := range t.Settings {
		given[e.snapshot.Catalogue().Permission(setting.Permission).Key] = setting.Word
	}
	decide := map[string]string{}
	for p := range e.snapshot.Catalogue().Permissions {
		if len(decide) < 3 && given[p.Key] == "" {
			decide[p.Key] = "yes"
		}
	}
	encoded, _ := json.Marshal(map[string]any{"decide": decide})
	return []change.Operation{{Op: "template.edit", On: t.Code, Set: encoded}}
}

func (e *estateOf) preview(t *testing.T) {
	d, err := change.Apply(e.snapshot, change.Actor{Staff: 1}, change.Env{Now: time.Now(), Random: rand.Reader},
		"because", e.common())
	require.NoError(t, err)
	gains, losses := d.After.Groups(d.Effect.Gains, false), e.snapshot.Groups(d.Effect.Losses, true)
	require.NotEmpty(t, wording.English.Summary(&wording.Compared{Before: e.snapshot, After: d.After,
		At: time.Now().Unix()},
		&d.Effect, gains, losses, anybody))
	e.disarmed = len(access.ManagingBetween(e.snapshot, d.After, time.Now().Unix()))
	e.affected = d.Effect.Gainers()
}

func (e *estateOf) previewOverHTTP(t *testing.T) {
	operations := e.common()
	_, err := e.client.Write(context.Background(), "POST", "/changes/preview",
		api.ChangeRequest{Reason: "because",
			Operations: []api.Operation{{Op: operations[0].Op, On: operations[0].On, Set: operations[0].Set}}})
	require.NoError(t, err)
}

func (e *estateOf) compile(t *testing.T) {
	_, err := access.Compile(e.snapshot.State())
	require.NoError(t, err)
}

func (e *estateOf) onePerson(t *testing.T) {
	state := e.snapshot.State().Fork()
	state.Revision++
	p := *state.Person(7)
	p.Lock = &people.Lock{Cause: people.ByManager, Reason: "r", Since: time.Now()}
	state.Put(&p)
	_, err := e.snapshot.Next(state, access.Touched{Staff: []people.StaffID{7}})
	require.NoError(t, err)
}

func (e *estateOf) whoCan(t *testing.T) {
	door := e.snapshot.State().PlaceByCode("S000-02")
	require.NotEmpty(t, e.snapshot.WhoCan(1, door.ID, time.Now().Unix(), true))
}

func (e *estateOf) pastOfAPerson(t *testing.T) {
	moment, err := e.app.MomentOf(context.Background(), e.then, 7, 0)
	require.NoError(t, err)
	require.NotNil(t, moment.State().Person(7))
}

func (e *estateOf) pastOfAPlace(t *testing.T) {
	door := e.snapshot.State().PlaceByCode("S000-02")
	moment, err := e.app.MomentOf(context.Background(), e.then, 0, door.ID)
	require.NoError(t, err)
	require.NotEmpty(t, moment.WhoCan(1, door.ID, e.then.Unix(), true))
}

// verify is what loyald verify does, and the daily check.
func (e *estateOf) verify(t *testing.T) {
	ctx := context.Background()
	_, err := e.app.VerifyAudit(ctx)
	require.NoError(t, err)
	checked, unexplained, err := e.app.VerifyRecords(ctx)
	require.NoError(t, err)
	require.Empty(t, unexplained)
	require.Greater(t, checked, int(e.snapshot.State().Staff.Last()), "people, and all that they have")
	_, found, err := e.app.VerifyEvents(ctx)
	require.NoError(t, err)
	require.Empty(t, found)
}

// TestRuleFigures measures what managers wait for, each also as a ratio to its cost at a tenth of the size, both taken
// turn about in one run. It asserts no timing.
func TestRuleFigures(t *testing.T) {
	if os.Getenv("LATCH_BENCH") == "" {
		t.Skip("make bench measures")
	}
	database, err := mariadb.Start(context.Background(), filepath.Join(t.TempDir(), "mariadb"), 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = database.Stop() })
	small, large := newEstate(t, database, staff/10), newEstate(t, database, staff)
	fmt.Printf("\n%-58s %12s %10s %22s\n", "on 100,000 staff, 5,000 places, 300,000 assignments", "measured", "aim",
		"against a tenth of it")
	for _, figure := range []struct {
		what, aim string
		rounds    int
		run       func(*estateOf, *testing.T)
	}{
		{"preview of a template that half the people have", "≤ 0.5 s", 7, (*estateOf).preview},
		{"the same over HTTP, named and worded", "≤ 0.5 s", 7, (*estateOf).previewOverHTTP},
		{"authority of a manager's request", "≤ 0.5 ms", 200, (*estateOf).authority},
		{"compiling the whole snapshot", "≤ 2 s", 7, (*estateOf).compile},
		{"applying one person's change to it", "≤ 1 ms", 200, (*estateOf).onePerson},
		{"who can, for a door", "≤ 20 ms", 200, (*estateOf).whoCan},
		{"reading a rulebook of 2,500 templates, 2 MB", "", 7, (*estateOf).readRulebook},
		{"the past of one person", "≤ 3 s", 7, (*estateOf).pastOfAPerson},
		{"the past of one place", "≤ 3 s", 7, (*estateOf).pastOfAPlace},
		{"verifying audit log, records and events", "≤ 1 min", 1, (*estateOf).verify},
	} {
		var took, ratios []float64
		measure := func(e *estateOf) float64 {
			start := time.Now()
			figure.run(e, t)
			return time.Since(start).Seconds()
		}
		measure(small)
		measure(large)
		for range figure.rounds {
			before := measure(small)
			after := measure(large)
			took, ratios = append(took, after), append(ratios, after/before)
		}
		slices.Sort(took)
		slices.Sort(ratios)
		fmt.Printf("%-58s %12s %10s %21.1f×\n", figure.what,
			time.Duration(took[len(took)/2]*float64(time.Second)).Round(10*time.Microsecond), figure.aim,
			ratios[len(ratios)/2])
	}
	fmt.Printf("%-58s %12d\n", "people concerned by the preview", large.affected)
	fmt.Printf("%-58s %12d\n", "managers who can no longer manage somebody by it", large.disarmed)
}

func anybody(people.StaffID) bool { return true }
