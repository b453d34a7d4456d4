package app_test

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	_ "github.com/go-sql-driver/mysql" // what a stranger does to the database is done without the store
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

func database(t *testing.T, dsn string) *sql.DB {
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	return db
}

// forms are, for each operation, fields that are taken. What is drawn puts nonsense of every sort in their place.
var forms = map[string]set{
	"organisation.edit": {"name": "Quillmere", "number_prefix": "Q", "number_digits": 4, "max_owners": 3,
		"first_password_hours": 72, "idle_minutes": 30, "tries_allowed": 4, "tries_window_minutes": 6,
		"tries_hold_minutes": 20},
	"place.add": {"code": "HB-NEW", "name": "New", "kind": "zone", "parent": "HB", "opening": openings[0]},
	"place.edit": {"name": "Hall", "opening": openings[0], "proof": "pin", "asks": "door.open", "parent": "HB",
		"time_zone": "Europe/Dublin"},
	"group.add":  {"key": "fresh", "title": "Fresh", "parent": "line", "since": 1},
	"group.edit": {"title": "Other", "parent": "door", "since": 3},
	"permission.add": {"key": "line.fresh", "title": "Fresh", "sentence": "Does it.", "group": "line",
		"scale": set{"kind": "limit", "unit": "kg", "most": 5}, "kinds": []any{"device", "door"}, "sensitive": true,
		"since": 2},
	"permission.edit": {"title": "Other", "sentence": "Does.", "group": "line",
		"scale": set{"kind": "levels", "levels": []any{"none", "view", "run"}}, "kinds": []any{"work_centre"}},
	"template.add": {"code": "fresh", "name": "Fresh", "base": "packer", "settings": set{"door.open": "yes"},
		"hours": accesses[0], "days": 30, "needs": []any{"pin"}, "idle_seconds": 60,
		"summary": "For those who are new."},
	"template.edit": {"name": "Other", "hours": accesses[0], "decide": set{"line.run": "run"}, "days": 3,
		"needs": []any{"badge"}, "idle_seconds": 30},
	"staff.enrol": {"given_name": "A", "family_name": "B", "home_site": "HB", "start_date": "2026-01-01",
		"contract_end": "2027-01-01", "email": "a@example.org", "phone": "1", "engagement": "agency", "employer": "X",
		"line_manager": "Q0002", "notes": "n", "external_id": "e", "known_as": "k", "job_title": "j",
		"driving_licence": "B", "insurance_number": "QQ", "emergency_contact": "Ola", "emergency_phone": "2",
		"own": set{"size": "small"}},
	"field.define": {"key": "size", "name": "Size", "says": "Of shoes.", "kind": "choice",
		"choices": []any{"small", "large"}, "required": true, "seen_by": "editors"},
	"field.edit": {"name": "Other", "choices": []any{"a", "b"}, "required": false, "seen_by": "owners"},
	"staff.edit": {"given_name": "C", "start_date": "2026-01-01", "contract_end": "2027-01-01",
		"email": "c@example.org", "line_manager": "Q0003", "home_site": "SM", "notes": "n"},
	"staff.lock":  {"until": "2027-01-01T00:00:00Z"},
	"staff.leave": {"on": "2027-01-01"},
	"staff.like":  {"like": "Q0012", "from": "2027-01-02", "until": "2027-02-02", "exceptions": true},
	"staff.hand_over": {"to": "Q0012", "from": "2027-01-02", "assignments": []any{1}, "all": true, "exceptions": true,
		"reports": true},
	"staff.cover": {"by": "Q0012", "from": "2027-01-02", "until": "2027-02-02", "assignments": []any{1}, "pause": true},
	"bar.add":     {"staff": "Q0011", "place": "HB", "until": "2027-01-01T00:00:00Z"},
	"assignment.add": {"staff": "Q0011", "place": "HB-PACK", "template": "grader", "from": "2027-01-01",
		"until": "2027-02-01", "hours": accesses[0]},
	"assignment.edit": {"from": "2026-01-01", "until": "2027-02-01", "hours": accesses[0]},
	"assignment.move": {"place": "HB-PACK", "template": "grader", "from": "2027-01-02", "until": "2027-02-02",
		"overlap_days": 3},
	"exception.add": {"staff": "Q0011", "place": "HB", "permission": "stock.adjust", "level": "20",
		"from": "2027-01-01", "until": "2027-02-01"},
	"exception.set":    {"staff": "Q0011", "place": "HB", "permission": "stock.adjust", "level": "20"},
	"exception.edit":   {"from": "2027-01-01", "until": "2027-02-01", "level": "5"},
	"pin.set":          {"staff": "Q0011", "pin": "482917", "must_change": true, "until": "2027-01-01T00:00:00Z"},
	"pin.withdraw":     {"staff": "Q0011"},
	"credential.renew": {"until": "2027-02-01T00:00:00Z"},
	"password.issue":   {"staff": "Q0011"},
	"badge.add": {"format": "wiegand26", "number": "118-900", "last": "118-902", "label": "Blue", "site": "HB",
		"day": true},
	"badge.edit":  {"label": "Red", "site": "SM", "day": true},
	"badge.issue": {"badge": "3", "staff": "Q0011", "until": "2027-01-01T00:00:00Z"},
	"badge.found": {"holder": true},
	"device.add":  {"name": "Reader", "place": "HB", "token": "lld_chosen-token-that-is-long-enough"},
}

var openings = []any{
	set{"rules": []any{set{"days": "mon tue", "from": "06:00", "until": "22:00"}}},
	set{"rules": []any{set{"from": "06:00", "until": "22:00"}}},
	set{"rules": []any{set{"days": "", "from": "06:00", "until": "22:00"}}},
	set{"rules": []any{set{"days": "mon"}}},
	set{"rules": []any{set{}}},
	set{"rules": []any{nil}},
	set{"rules": nil, "dated": []any{set{}}},
	set{"dated": []any{set{"name": "Holiday", "from": "2026-12-24", "until": "2026-12-26", "closed": true}}},
	set{"dated": []any{set{"name": "", "from": "0001-01-01", "until": "9999-12-31",
		"rules": []any{set{"days": "mon", "from": "24:00", "until": "00:00"}}}}},
	set{}, nil, []any{},
}

var accesses = []any{
	set{"kind": "weekly", "rules": []any{set{"days": "mon tue", "from": "06:00", "until": "22:00"}}},
	set{"kind": "weekly", "rules": []any{set{"from": "06:00", "until": "22:00"}}},
	set{"kind": "weekly", "rules": []any{set{"days": "", "from": "06:00", "until": "22:00"}}},
	set{"kind": "weekly", "rules": []any{set{"days": "sun", "from": "06:00", "until": "06:00"}}},
	set{"kind": "weekly"}, set{"kind": "place", "before_minutes": -5, "after_minutes": 1e9},
	set{"kind": "place", "before_minutes": 15, "after_minutes": 15}, set{"kind": "always", "rules": []any{set{}}},
	set{"kind": ""}, set{}, nil,
}

var nonsense = []any{nil, "", " ", "no", 0, -1, 1 << 40, 1.5, true, "\x00", "ÖÖÖ", "\u202e\u200b",
	"'; DROP TABLE staff; --", strings.Repeat("ö", 5000), "9999-12-31", "0000-00-00", "1899-12-31", "2201-01-01",
	"2026-02-30", "23:59:60", "2026-11-26T25:00:00Z", "9999-12-31T23:59:59Z", "@1", []any{}, []any{nil}, []any{"x"},
	set{}, set{"x": nil}, set{"kind": "switch"}, set{"kind": "limit"}, set{"kind": "levels", "levels": []any{"", ""}}}

// Whatever is sent raw and taken is loaded again, equal, with nothing set aside; and compiles.
func TestWhatCanBeWrittenCanBeLoaded(t *testing.T) {
	s := testkit.Demo(t)
	taken := map[string]int{}
	names := change.Operations()
	fitting := map[string][]string{
		"staff":      {"Q0011", "Q0012", "Q0013"},
		"place":      {"HB", "HB-PACK", "HB-PACK-1"},
		"template":   {"packer", "grader"},
		"permission": {"line.run", "door.cold"},
		"group":      {"line", "door"},
		"assignment": {
			"1",
			"2",
			"5",
		},
		"exception":  {"1", "2"},
		"bar":        {"1"},
		"device":     {"1", "2"},
		"badge":      {"1", "2", "118-1001", "118-1002"},
		"credential": {"1", "20", "21"},
	}
	if checks := flag.Lookup("rapid.checks"); checks.Value.String() == checks.DefValue {
		require.NoError(t, flag.Set("rapid.checks", "200")) // most nonsense is refused
		t.Cleanup(func() { assert.NoError(t, flag.Set("rapid.checks", checks.DefValue)) })
	}
	rapid.Check(t, func(t *rapid.T) {
		for range rapid.IntRange(1, 8).Draw(t, "operations") {
			name := rapid.SampledFrom(names).Draw(t, "operation")
			fields := set{}
			for key, value := range forms[name] {
				if rapid.IntRange(0, 7).Draw(t, "given "+key) > 0 {
					fields[key] = value
				}
			}
			for key := range forms[name] {
				switch rapid.IntRange(0, 11).Draw(t, "otherwise "+key) {
				case 0:
					fields[key] = rapid.SampledFrom(nonsense).Draw(t, "nonsense")
				case 1:
					if key == "opening" {
						fields[key] = rapid.SampledFrom(openings).Draw(t, "opening")
					}
					if key == "hours" {
						fields[key] = rapid.SampledFrom(accesses).Draw(t, "hours")
					}
				}
			}
			encoded, err := json.Marshal(fields)
			require.NoError(t, err)
			kind, verb, _ := strings.Cut(name, ".")
			on := append([]string{"", "999999999", "@x", "Q0011"}, fitting[kind]...)
			if fits := fitting[kind]; fits != nil && rapid.IntRange(0, 9).Draw(t, "on something fitting") > 0 {
				on = fits
			}
			o := change.Operation{Op: name, Set: encoded}
			if verb != "add" && name != "staff.enrol" {
				o.On = rapid.SampledFrom(on).Draw(t, "on")
			}
			if len(fields) == 0 {
				o.Set = nil
			}
			if _, err := s.App.Commit(ctx, request(o)); err == nil {
				taken[name]++
			}
		}
		loaded, err := s.Store.Load(ctx, &org.State{})
		require.NoError(t, err)
		assert.Empty(t, loaded.AsideRecords(), "nothing is set aside")
		_, err = access.Compile(loaded)
		require.NoError(t, err)
		want, got := testkit.Records(s.App.Live().State()), testkit.Records(loaded)
		assert.Equal(t, len(want), len(got))
		for key, record := range want {
			assert.JSONEq(t, record, got[key], key)
		}
	})
	assert.Greater(t, len(taken), 25, "many kinds of operation were taken: %v", taken)
	other := s.Second(t)
	assert.Equal(t, s.App.Live().State().Revision, other.App.Live().State().Revision,
		"and another instance starts on it")
}

// A row that cannot be read takes no instance down: it is left out, gives nothing to those it is about, and is told of.
func TestARowThatCannotBeReadIsSetAside(t *testing.T) {
	for name, statement := range map[string]string{
		"an assignment's " +
			"hours": `UPDATE assignments a JOIN staff s ON s.id = a.staff_id SET a.hours = '{"kind":"weekly","rules":[{"days":"","from":"06:00","until":"22:00"}]}', a.revision = %d WHERE s.staff_number = 'Q0011'`,
		"where a person is " +
			"home": `UPDATE staff SET home_site_id = (SELECT id FROM (SELECT * FROM places) p WHERE code = 'HB-PACK'), revision = %d WHERE staff_number = 'Q0011'`,
		"an opening that is " +
			"open": `UPDATE places SET opening = '{"rules":[{"days":""}]}', revision = %d WHERE code = 'HB-PACK-1'`,
		"a template's " +
			"hours": `UPDATE templates SET hours = '{"kind":"weekly","rules":[{}]}', revision = %d WHERE code IN ('packer', 'line-operator', 'line-lead', 'shift-supervisor', 'grader', 'picker')`,
		"a permission's own scale": "UPDATE permissions SET scale = '{\"kind\":\"moon\"}', revision = %d WHERE " +
			"`key` = 'door.open'",
		"a local setting of what their template is based on": `UPDATE local_settings SET level = -1, revision = %d`,
		"a local setting, of which the template is not known": `UPDATE local_settings SET template_id = 4000000, ` +
			`revision = %d`,
	} {
		t.Run(name, func(t *testing.T) {
			s := testkit.Demo(t)
			pinFor(t, s, "Q0011", "480216")
			_, err := s.App.Commit(ctx, request(operation("local_setting.add", "", set{"template": "packer",
				"permission": "door.cold", "place": "HB", "level": "none"})))
			require.NoError(t, err)
			require.True(t, opens(t, s, "480216"))
			db := database(t, s.DSN)
			revision := s.App.Live().State().Revision + 1
			db.SetMaxOpenConns(1)
			_, err = db.Exec("SET SESSION foreign_key_checks = 0")
			require.NoError(t, err)
			_, err = db.Exec(fmt.Sprintf(statement, revision))
			require.NoError(t, err)
			_, err = db.Exec("UPDATE organisation SET revision = ? WHERE id = 1", revision)
			require.NoError(t, err)
			require.Eventually(t, func() bool { return s.App.Live().State().Revision == revision }, 10*time.Second,
				20*time.Millisecond, "what runs goes on following")
			for what, instance := range map[string]*testkit.Service{"running": s, "started after": s.Second(t)} {
				require.NoError(t, instance.App.Ready(), what)
				aside := len(instance.App.Live().State().AsideRecords())
				assert.Positive(t, aside, what)
				device := instance.App.DeviceOf("lld_demo-hb-controller-token")
				if device != nil {
					e, _, err := instance.App.Decide(ctx, device, app.Ask{PIN: "480216", Place: "HB-PACK-1"})
					assert.False(t, err == nil && e.Allowed, "%s: %v", what, e.Reason)
				}
				today, err := instance.App.Today(ctx, staffOf(s, "Q0001"))
				require.NoError(t, err, what)
				assert.Equal(t, aside, today.Aside, what)
				response := instance.Get(t, "/readyz")
				body, err := io.ReadAll(response.Body)
				require.NoError(t, err)
				assert.Equal(t, http.StatusOK, response.StatusCode)
				assert.Contains(t, string(body), "set aside", what)
			}
			_, err = s.App.Commit(ctx, request(operation("staff.lock", "Q0012", set{})))
			assert.NoError(t, err, "what is about others goes on")
		})
	}
}

// A database belongs to one key file: with another, or none, nothing starts, and none is made.
func TestTheServiceStartsWithItsOwnKeyOnly(t *testing.T) {
	s := testkit.Demo(t)
	log := slog.New(slog.NewTextHandler(io.Discard, nil))
	none := t.TempDir()
	_, err := app.KeysFor(ctx, s.Store, none)
	assert.ErrorIs(t, err, app.ErrNoKey)
	_, err = app.Found(ctx, s.Store, none, testkit.Cost)
	assert.ErrorIs(t, err, app.ErrNoKey, "setting up makes no key for a database that has one")
	files, err := os.ReadDir(none)
	require.NoError(t, err)
	assert.Empty(t, files, "none is made")
	other, err := app.MakeKeys(t.TempDir())
	require.NoError(t, err)
	_, err = app.New(ctx, s.Store, other, log, app.Options{Clock: s.Clock.Now})
	assert.ErrorContains(t, err, "does not belong to this database")
	empty := testkit.Store(t, testkit.DSN(t))
	_, err = app.New(ctx, empty, other, log, app.Options{Clock: s.Clock.Now})
	assert.ErrorContains(t, err, "loyald setup")
}

// A rotated key keeps every PIN and password, leaves nothing that the old one opens, and turns running instances away.
func TestRotatingTheKeyKeepsWhatPeopleKnow(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480217")
	pinFor(t, s, "Q0011", "480216")
	db := database(t, s.DSN)
	former := func() (count int) {
		require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM credentials FOR SYSTEM_TIME ALL "+
			"WHERE former_digest IS NOT NULL").Scan(&count))
		return count
	}
	require.Positive(t, former(), "a withdrawn PIN keeps what forbids its reuse")
	digest := func() (digest []byte) {
		require.NoError(t, db.QueryRow(
			"SELECT c.digest FROM credentials c JOIN staff s ON s.id = c.staff_id WHERE s.staff_number = 'Q0011' "+
				"AND c.kind = 'pin' AND c.state = 'valid'").Scan(&digest))
		return digest
	}
	was := digest()
	old, err := os.ReadFile(filepath.Join(s.Keys, "latch.key"))
	require.NoError(t, err)
	_, err = app.Rotate(ctx, s.Store, s.Keys)
	require.NoError(t, err)
	now, err := os.ReadFile(filepath.Join(s.Keys, "latch.key"))
	require.NoError(t, err)
	assert.NotEqual(t, old, now)
	assert.NotEqual(t, was, digest())
	assert.Zero(t, former(), "what stands under the old key alone is forgotten")
	require.Eventually(t, func() bool { return s.App.Ready() != nil }, 10*time.Second,
		20*time.Millisecond)
	device := s.App.DeviceOf("lld_demo-hb-controller-token")
	_, _, err = s.App.Decide(ctx, device, app.Ask{PIN: "480216", Place: "HB-PACK-1"})
	assert.ErrorIs(t, err, app.ErrStale, "what still has the old key answers nothing")
	next := s.Second(t)
	assert.True(t, opens(t, next, "480216"))
	next.Client(t, "idris")
	next.Explained(t)
	_, err = next.App.VerifyAudit(ctx)
	assert.NoError(t, err)
	var kept int
	require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM credentials FOR SYSTEM_TIME ALL WHERE digest = ?",
		was).Scan(&kept))
	assert.Zero(t, kept)
	// Cut short before the file took its new name, it is finished at the next start.
	require.NoError(t, os.Rename(filepath.Join(s.Keys, "latch.key"), filepath.Join(s.Keys, "latch.key.next")))
	require.NoError(t, os.WriteFile(filepath.Join(s.Keys, "latch.key"), old, 0o600))
	assert.True(t, opens(t, s.Second(t), "480216"))
}

// Entries taken off the end of the log are found, also where its head is set back to fit; and a log written anew is
// found by a head that was kept elsewhere.
func TestATailThatWasTakenOffIsFound(t *testing.T) {
	s := testkit.Demo(t)
	kept, signature, err := s.App.AuditHead(ctx)
	require.NoError(t, err)
	assert.True(t, s.App.SignedByUs(kept, signature))
	_, err = s.App.Commit(ctx, request(operation("staff.lock", "Q0012", set{})))
	require.NoError(t, err)
	_, err = s.App.VerifyAudit(ctx, kept)
	require.NoError(t, err)
	newest, _, err := s.App.AuditHead(ctx)
	require.NoError(t, err)
	db := database(t, s.DSN)
	for _, statement := range []string{"DELETE FROM audit_subjects ORDER BY entry_id DESC LIMIT 1",
		"DELETE FROM audit_entries ORDER BY id DESC LIMIT 1",
		"UPDATE organisation SET audit_count = audit_count - 1, audit_hash = (SELECT hash FROM audit_entries ORDER " +
			"BY id DESC LIMIT 1)"} {
		_, err = db.Exec(statement)
		require.NoError(t, err)
	}
	_, err = s.App.VerifyAudit(ctx)
	assert.ErrorContains(t, err, "not signed")
	// With the old signature put back as well, the head that was kept says so.
	_, err = db.Exec("UPDATE organisation SET audit_count = ?, audit_hash = ?, audit_seal = ?", kept.Entries, kept.Hash,
		signature)
	require.NoError(t, err)
	_, err = s.App.VerifyAudit(ctx)
	assert.NoError(t, err, "this alone cannot be told")
	_, err = s.App.VerifyAudit(ctx, newest)
	assert.ErrorContains(t, err, "the newest were taken off")
}

// Several instances started together on an empty schema come up, each time.
func TestInstancesStartTogetherOnAnEmptySchema(t *testing.T) {
	for range 3 {
		dsn := testkit.DSN(t)
		var group sync.WaitGroup
		for range 3 {
			group.Go(func() {
				db, err := store.Open(ctx, dsn)
				if assert.NoError(t, err) {
					_, err = db.Binding(ctx)
					assert.NoError(t, err)
					assert.NoError(t, db.Close())
				}
			})
		}
		group.Wait()
	}
}

// An instance that cannot learn of a lock made elsewhere opens nothing.
func TestAnInstanceWithoutItsDatabaseRefuses(t *testing.T) {
	s := testkit.Demo(t)
	pinFor(t, s, "Q0011", "480216")
	require.True(t, opens(t, s, "480216"))
	device := s.App.DeviceOf("lld_demo-hb-controller-token")
	require.NoError(t, s.Store.Close())
	require.Eventually(t, func() bool {
		_, _, err := s.App.Decide(ctx, device, app.Ask{PIN: "480216", Place: "HB-PACK-1"})
		return assert.ObjectsAreEqual(app.ErrStale, err)
	}, 20*time.Second, 100*time.Millisecond)
	assert.Error(t, s.App.Ready())
	assert.Equal(t, http.StatusServiceUnavailable, s.Get(t, "/readyz").StatusCode)
}

// Of many wrong passwords at once few are looked at, at whichever instance; and whoever has signed in from their
// address before signs in there all the while.
func TestManyWrongPasswordsAtOnceAreFew(t *testing.T) {
	first := testkit.Demo(t)
	second := first.Second(t)
	honest := func(s *testkit.Service, address string) error {
		_, err := s.App.SignIn(ctx, app.SignIn{Name: "idris@quillmere.example", Password: testkit.Passwords["idris"],
			Kind: "client", Address: address})
		return err
	}
	require.NoError(t, honest(first, "192.0.2.7"))
	var looked, held, busy atomic.Int32
	var group sync.WaitGroup
	for i := range 200 {
		group.Go(func() {
			s := []*testkit.Service{first, second}[i%2]
			_, err := s.App.SignIn(context.Background(),
				app.SignIn{Name: "idris@quillmere.example", Password: fmt.Sprint("wrong ", i), Kind: "client",
					Address: "198.51.100.9"})
			var throttled *app.ErrThrottled
			switch {
			case assert.Error(t, err) && errors.As(err, &throttled):
				held.Add(1)
			case errors.Is(err, app.ErrBusy):
				busy.Add(1)
			default:
				looked.Add(1)
			}
		})
	}
	group.Wait()
	assert.LessOrEqual(t, looked.Load(), int32(5))
	assert.Greater(t, held.Load(), int32(150), "busy %d", busy.Load())
	assert.NoError(t, honest(first, "192.0.2.7"), "an address that has signed in before keeps its way in")
	assert.NoError(t, honest(second, "192.0.2.7"))
	assert.Error(t, honest(first, "203.0.113.5"), "a new one waits")
	_, err := first.App.SignIn(ctx,
		app.SignIn{Name: "tamsin@quillmere.example", Password: testkit.Passwords["tamsin"], Kind: "client",
			Address: "203.0.113.5"})
	assert.NoError(t, err, "others are not held up")
	first.Clock.Move(16 * time.Minute)
	assert.NoError(t, honest(first, "203.0.113.5"), "and nobody for long")
}

// A keypad under attack slows, at every instance, and none beside it does.
func TestAKeypadUnderAttackSlowsAlone(t *testing.T) {
	first := testkit.Demo(t)
	second := first.Second(t)
	pinFor(t, first, "Q0011", "480216")
	require.Eventually(t, func() bool {
		return second.App.Live().State().Revision == first.App.Live().State().Revision
	}, 10*time.Second, 20*time.Millisecond)
	ask := func(s *testkit.Service, place, pin string) access.Reason {
		e, _, err := s.App.Decide(ctx, s.App.DeviceOf("lld_demo-hb-controller-token"), app.Ask{PIN: pin, Place: place})
		require.NoError(t, err)
		return e.Reason
	}
	for i := range 5 {
		assert.Equal(t, access.UnknownCredential, ask(first, "HB-PACK-1", fmt.Sprint(700001+i)))
	}
	assert.Equal(t, access.TooManyTries, ask(first, "HB-PACK-1", "480216"))
	require.Eventually(t, func() bool { return ask(second, "HB-PACK-1", "480216") == access.TooManyTries },
		10*time.Second, 50*time.Millisecond, "other instances know")
	assert.Equal(t, access.Granted, ask(second, "HB-PACK-2", "480216"), "the door beside it")
	first.Clock.Move(61 * time.Second)
	assert.Equal(t, access.Granted, ask(first, "HB-PACK-1", "480216"), "a minute later")
}
