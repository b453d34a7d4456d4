package store_test

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	application "loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

var ctx = context.Background()

func TestWhatIsLoadedIsWhatWasWritten(t *testing.T) {
	service := testkit.Demo(t)
	live := service.App.Live().State()
	// Of each kind something is written that a fresh demo does not hold.
	_, err := service.App.Commit(ctx,
		app(change.Operation{Op: "exception.add",
			Set: json.RawMessage(`{"staff":"Q0011","place":"HB-COLD","permission":"door.cold","from":"2026-01-01"}`)},
			change.Operation{Op: "staff.lock", On: "Q0012", Set: json.RawMessage(`{"until":"2099-01-01T10:00:00Z"}`)},
			change.Operation{Op: "place.edit", On: "HB-PACK-1", Set: json.RawMessage(`{"name":"Main door"}`)}))
	require.NoError(t, err)
	assert.NotEqual(t, live.Revision, service.App.Live().State().Revision)
	loaded, err := service.Store.Load(ctx, &org.State{})
	require.NoError(t, err)
	want, got := testkit.Records(service.App.Live().State()), testkit.Records(loaded)
	assert.Equal(t, len(want), len(got))
	for key, record := range want {
		assert.JSONEq(t, record, got[key], key)
	}
	assert.Equal(t, service.App.Live().State().Settings, loaded.Settings)
	_, err = access.Compile(loaded)
	assert.NoError(t, err)
}

func TestLoadReadsOnlyWhatIsNewer(t *testing.T) {
	service := testkit.Demo(t)
	before, err := service.Store.Load(ctx, &org.State{})
	require.NoError(t, err)
	_, err = service.App.Commit(ctx, app(change.Operation{Op: "staff.lock", On: "Q0012"}))
	require.NoError(t, err)
	after, err := service.Store.Load(ctx, before)
	require.NoError(t, err)
	assert.Nil(t, before.StaffByNumber("Q0012").Lock)
	assert.NotNil(t, after.StaffByNumber("Q0012").Lock)
	assert.Same(t, before.StaffByNumber("Q0011"), after.StaffByNumber("Q0011"),
		"what did not change was not read again")
}

type request = application.Request

func app(ops ...change.Operation) request {
	return request{Actor: change.Actor{System: "test"}, Origin: "test", Reason: "test", Operations: ops}
}

func raw(t *testing.T, dsn string) *sql.DB {
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	return db
}

func TestTheDatabaseItselfRefusesBadData(t *testing.T) {
	service := testkit.Demo(t)
	db := raw(t, service.DSN)
	for name, statement := range map[string]string{
		"two people with one staff number": "UPDATE staff SET staff_number = 'Q0002' WHERE staff_number = 'Q0003'",
		"two people with one email": "UPDATE staff SET email = 'idris@quillmere.example' WHERE " +
			"staff_number = 'Q0003'",
		"a PIN twice": "UPDATE credentials a, credentials b SET a.digest = b.digest WHERE " +
			"a.id = 1 AND b.id = 2",
		"a PIN without a digest": "UPDATE credentials SET digest = NULL WHERE kind = 'pin' AND state " +
			"= 'valid' LIMIT 1",
		"an assignment that ends first": "UPDATE assignments SET from_date = '2026-02-01', until_date = " +
			"'2026-01-01' WHERE id = 1",
		"an assignment of nobody":           "UPDATE assignments SET staff_id = 99999 WHERE id = 1",
		"a place with a parent that is not": "UPDATE places SET parent_id = 99999 WHERE code = 'HB-PACK'",
		"a zone that stands in nothing":     "UPDATE places SET parent_id = NULL WHERE code = 'HB-PACK'",
		"a contract that ends before it began": "UPDATE staff SET contract_end = '1999-01-01' WHERE staff_number = " +
			"'Q0002'",
		"a person without a home":         "UPDATE staff SET home_site_id = 99999 WHERE staff_number = 'Q0002'",
		"a deleted person with a history": "DELETE FROM staff WHERE staff_number = 'Q0002'",
		"half a lock":                     "UPDATE staff SET lock_cause = 'manager' WHERE staff_number = 'Q0002'",
		"a setting of both": "UPDATE template_settings SET group_id = 1 WHERE permission_id IS " +
			"NOT NULL LIMIT 1",
		"opening hours that are no JSON": "UPDATE places SET opening = 'always' WHERE code = 'HB'",
	} {
		_, err := db.Exec(statement)
		assert.Error(t, err, name)
	}
}

func TestThePastIsKept(t *testing.T) {
	service := testkit.Demo(t)
	db := raw(t, service.DSN)
	_, err := service.App.Commit(ctx, app(change.Operation{Op: "staff.lock", On: "Q0012"}))
	require.NoError(t, err)
	time.Sleep(20 * time.Millisecond)
	var moment string
	require.NoError(t, db.QueryRow("SELECT NOW(6)").Scan(&moment))
	time.Sleep(20 * time.Millisecond)
	_, err = service.App.Commit(ctx, app(change.Operation{Op: "staff.unlock", On: "Q0012"}))
	require.NoError(t, err)
	var now, then sql.NullString
	require.NoError(t, db.QueryRow("SELECT lock_reason FROM staff WHERE staff_number = 'Q0012'").Scan(&now))
	require.NoError(t, db.QueryRow("SELECT lock_reason FROM staff FOR SYSTEM_TIME AS OF TIMESTAMP'"+moment+
		"' WHERE staff_number = 'Q0012'").Scan(&then))
	assert.False(t, now.Valid)
	assert.Equal(t, "test", then.String)
}

func TestSecretsAreKeptAsDigestsOnly(t *testing.T) {
	service := testkit.Demo(t)
	result, err := service.App.Commit(ctx,
		app(change.Operation{Op: "pin.set", Set: json.RawMessage(`{"staff":"Q0012","pin":"480216"}`)}))
	require.NoError(t, err)
	db := raw(t, service.DSN)
	var digest []byte
	c := result.Trial.State.CredentialOf(result.Trial.State.StaffByNumber("Q0012").ID, credential.PIN)
	require.NoError(t, db.QueryRow("SELECT digest FROM credentials WHERE id = ?", c.ID).Scan(&digest))
	assert.Equal(t, c.Digest[:], digest)
	var hash string
	require.NoError(t, db.QueryRow("SELECT hash FROM credentials WHERE kind = 'password' LIMIT 1").Scan(&hash))
	assert.Contains(t, hash, "$argon2id$v=19$m=8,t=1,p=1$")
	var found int
	require.NoError(t, db.QueryRow(
		"SELECT COUNT(*) FROM audit_entries WHERE operations LIKE '%480216%' OR operations LIKE '%argon2%' OR "+
			"operations LIKE '%lld_demo%' OR operations LIKE '%orchard-ladder%'").Scan(&found))
	assert.Zero(t, found, "no secret in the audit log")
}

func TestTheAuditChainShowsWhatWasAltered(t *testing.T) {
	for name, statement := range map[string]string{
		"another reason":           "UPDATE audit_entries SET reason = 'other' WHERE id = 3",
		"another actor":            "UPDATE audit_entries SET actor = 'somebody else' WHERE id = 5",
		"another time":             "UPDATE audit_entries SET at = at + INTERVAL 1 SECOND WHERE id = 2",
		"one taken out":            "DELETE FROM audit_entries WHERE id = 4",
		"the newest taken out":     "DELETE FROM audit_entries ORDER BY id DESC LIMIT 1",
		"two in the other's place": "UPDATE audit_entries SET id = CASE id WHEN 6 THEN 900000 ELSE id END",
	} {
		t.Run(name, func(t *testing.T) {
			service := testkit.Demo(t)
			count, err := service.App.VerifyAudit(ctx)
			require.NoError(t, err)
			assert.Greater(t, count, 8)
			db := raw(t, service.DSN)
			_, err = db.Exec("DELETE FROM audit_subjects")
			require.NoError(t, err)
			_, err = db.Exec(statement)
			require.NoError(t, err)
			_, err = service.App.VerifyAudit(ctx)
			assert.Error(t, err)
		})
	}
}

func TestEventsWrittenTwiceAreThereOnce(t *testing.T) {
	db := testkit.Store(t, testkit.DSN(t))
	events := []store.Event{{ID: 1, At: time.Now(), DeviceID: 1, PlaceID: 2, StaffID: 3, Allowed: true},
		{ID: 2, At: time.Now(), PlaceID: 2}}
	require.NoError(t, db.AppendEvents(ctx, &store.EventChain{}, events))
	require.NoError(t, db.AppendEvents(ctx, &store.EventChain{}, events))
	found, total, err := db.Events(ctx, store.EventFilter{Limit: 10})
	require.NoError(t, err)
	assert.EqualValues(t, 2, total)
	assert.Equal(t, uint64(2), found[0].ID, "the newest first")
	_, total, err = db.Events(ctx, store.EventFilter{Places: []uint32{}, Limit: 10})
	require.NoError(t, err)
	assert.Zero(t, total, "no place at all is not all places")
}

func TestAnAddressThatLeadsNowhereIsSaidPlainly(t *testing.T) {
	_, err := store.Open(ctx, "root@tcp(127.0.0.1:1)/none")
	assert.ErrorContains(t, err, "cannot be reached")
	_, err = store.Open(ctx, "::::")
	assert.ErrorContains(t, err, "not understood")
}

// stepsOf are the statements by which a migration goes up.
func stepsOf(t *testing.T, file string) (steps []string) {
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	up, _, _ := strings.Cut(string(text), "-- +goose Down")
	for step := range strings.SplitSeq(up, ";\n") {
		if strings.TrimSpace(step) != "" {
			steps = append(steps, step)
		}
	}
	return steps
}

// A service that is killed while it brings the tables up to date starts again: each step may have been done already.
func TestEachStepOfAMigrationCanBeDoneAgain(t *testing.T) {
	db := raw(t, testkit.DSN(t))
	db.SetMaxOpenConns(1) // steps set variables of their connection
	files, err := filepath.Glob("migrations/*.sql")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		steps := stepsOf(t, file)
		for i, step := range steps {
			for again := range 2 {
				_, err := db.Exec(step)
				require.NoError(t, err, "%s, step %d, time %d: %s", file, i+1, again+1, step)
			}
		}
		for i, step := range steps {
			_, err := db.Exec(step)
			require.NoError(t, err, "%s, step %d once all are done: %s", file, i+1, step)
		}
	}
}

// Events are kept by month, months ahead, and those of a period are found in theirs alone.
func TestEventsAreKeptByMonth(t *testing.T) {
	dsn := testkit.DSN(t)
	s := testkit.Store(t, dsn)
	at := time.Date(2027, 11, 20, 12, 0, 0, 0, time.UTC)
	for range 2 { // again it does nothing
		require.NoError(t, s.AddMonths(ctx, at))
	}
	var events []store.Event
	for i := range 24 {
		when := at.AddDate(0, -i, 0)
		events = append(events, store.Event{ID: uint64(when.UnixMilli())<<22 | 7, At: when, PlaceID: 1})
	}
	require.NoError(t, s.AppendEvents(ctx, &store.EventChain{}, events))
	found, total, err := s.Events(ctx, store.EventFilter{From: at.AddDate(0, -2, 0), Until: at, Limit: 10})
	require.NoError(t, err)
	assert.EqualValues(t, 2, total)
	assert.Len(t, found, 2)
	db := raw(t, dsn)
	months := func(where string) (count int) {
		require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM information_schema.partitions WHERE table_schema = "+
			"DATABASE() AND table_name = 'events' AND "+where).Scan(&count))
		return count
	}
	assert.Equal(t, 16, months("TRUE"), "December 2026 to January 2028, and what is later")
	var of string
	row := db.QueryRow("SELECT partition_name FROM information_schema.partitions WHERE table_schema = DATABASE() AND " +
		"table_name = 'events' AND partition_description = '" + fmt.Sprint(
		uint64(time.Date(2027, 12, 1, 0, 0, 0, 0, time.UTC).UnixMilli())<<22) + "'")
	require.NoError(t, row.Scan(&of))
	var count int
	require.NoError(t, db.QueryRow("SELECT COUNT(*) FROM events PARTITION ("+of+")").Scan(&count))
	assert.Equal(t, 1, count, "that of November")
	// A log is counted as far as that takes no longer than reading a page.
	for len(events) < store.CountedTo+100 {
		events = append(events, store.Event{ID: events[len(events)-1].ID + 1, At: at, PlaceID: 2})
	}
	require.NoError(t, s.AppendEvents(ctx, &store.EventChain{}, events))
	_, total, err = s.Events(ctx, store.EventFilter{Limit: 1})
	require.NoError(t, err)
	assert.EqualValues(t, store.CountedTo+1, total)
}

// Several instances that start at once on an empty database all come up.
func TestInstancesThatStartAtOnceAllStart(t *testing.T) {
	dsn := testkit.DSN(t)
	var wait sync.WaitGroup
	for range 5 {
		wait.Go(func() {
			db, err := store.Open(ctx, dsn)
			if assert.NoError(t, err) {
				assert.NoError(t, db.Close())
			}
		})
	}
	wait.Wait()
	// One that meets the tables between two versions, as another makes them, upgrades nothing for anybody
	between := testkit.DSN(t)
	_, err := store.Migrate(ctx, between, 20, func(store.Step) {})
	require.NoError(t, err)
	for _, dsn := range []string{dsn, between} {
		held, err := testkit.Store(t, dsn).HoldsRows(ctx)
		require.NoError(t, err)
		assert.Empty(t, held, "it is empty, and may be set up")
	}
}

// The words of before go with the migration: a permission, a draft and a leaver of then are read in those of now, also
// out of the past.
func TestThoseWhoDepartedHaveLeftAfterTheMigration(t *testing.T) {
	dsn := testkit.DSN(t)
	db := raw(t, dsn)
	db.SetMaxOpenConns(1)
	files, err := filepath.Glob("migrations/*.sql")
	require.NoError(t, err)
	for _, file := range files {
		if filepath.Base(file) == "00015_leavers.sql" {
			_, err := db.Exec("INSERT INTO permission_groups (id, `key`, title, since, retired, revision) " +
				"VALUES (1, 'console', 'Console', 0, FALSE, 1)")
			require.NoError(t, err)
			_, err = db.Exec("INSERT INTO permissions (id, `key`, title, sentence, group_id, scale, kinds, `sensitive`, " +
				"since, retired, revision) VALUES (1, 'console.depart', 'Depart', 'S.', 1, '{\"kind\":\"switch\"}', " +
				"'site', " +
				"FALSE, 0, FALSE, 1)")
			require.NoError(t, err)
			_, err = db.Exec("INSERT INTO permissions SELECT 2, 'console.view_staff', 'See staff', sentence, " +
				"group_id, " +
				"scale, kinds, `sensitive`, since, retired, revision FROM permissions WHERE id = 1")
			require.NoError(t, err)
			_, err = db.Exec("INSERT INTO templates (id, code, name, summary, hours, days, needs, idle_seconds, " +
				"retired, revision) " +
				"VALUES (1, 'lead', 'Lead', '', '{}', 0, '[]', 0, FALSE, 1)")
			require.NoError(t, err)
			_, err = db.Exec("INSERT INTO template_settings VALUES (1, 0, NULL, 2, 'yes', 0)")
			require.NoError(t, err)
			time.Sleep(20 * time.Millisecond)
		}
		for _, step := range stepsOf(t, file) {
			_, err := db.Exec(step)
			require.NoError(t, err, file)
		}
	}
	var key string
	require.NoError(t, db.QueryRow("SELECT `key` FROM permissions WHERE id = 1").Scan(&key))
	assert.Equal(t, "console.leave", key)
	require.NoError(t, db.QueryRow("SELECT `key` FROM permissions FOR SYSTEM_TIME ALL ORDER BY ROW_END LIMIT 1").Scan(&key))
	assert.Equal(t, "console.depart", key, "the history is kept as it was")
	assert.Equal(t, permit.RecordLeavers, permit.KeyNow(key))
	var scale permit.Scale
	var stored, word string
	require.NoError(t, db.QueryRow("SELECT scale, word FROM permissions, template_settings WHERE id = 2 AND "+
		"permission_id = 2").Scan(&stored, &word))
	require.NoError(t, json.Unmarshal([]byte(stored), &scale))
	assert.Equal(t, permit.ConsoleReach, scale, "whose records")
	level, err := scale.Parse(word)
	assert.NoError(t, err)
	assert.Equal(t, scale.LevelAbout(false, false), level, "who saw staff sees all of them")
	_, err = db.Exec("SELECT leaves_at FROM staff FOR SYSTEM_TIME ALL")
	assert.NoError(t, err)
}

// Whatever is tried again, and fails too often, is told as the database's fault, not as the service's.
func TestWhatIsTriedAgainIsTheDatabasesFault(t *testing.T) {
	for _, err := range []error{store.ErrNotKept, driver.ErrBadConn, mysql.ErrInvalidConn,
		&mysql.MySQLError{Number: 1213}, &mysql.MySQLError{Number: 1205}} {
		err = fmt.Errorf("a change: %w", err)
		assert.True(t, store.Transient(err), err)
		assert.True(t, store.Unavailable(err), err)
	}
	refused := &mysql.MySQLError{Number: 1062}
	assert.False(t, store.Transient(refused))
	assert.False(t, store.Unavailable(refused))
}
