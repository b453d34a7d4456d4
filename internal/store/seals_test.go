package store_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// Whatever is written in the database by anything but a change is named: access that no change gave, a secret that was
// put in the place of another, a record put in or taken out, and the seals themselves.
func TestARecordThatNoChangeExplainsIsNamed(t *testing.T) {
	service := testkit.Demo(t)
	db := raw(t, service.DSN)
	_, err := service.App.Commit(ctx, app(change.Operation{Op: "staff.lock", On: "Q0012"},
		change.Operation{Op: "assignment.end", On: "1"},
		change.Operation{Op: "organisation.edit", Set: []byte(`{"remind_days":9}`)}))
	require.NoError(t, err)
	names := func() (list []string) {
		count, found, err := service.App.VerifyRecords(ctx)
		require.NoError(t, err)
		assert.Greater(t, count, 800)
		for _, one := range found {
			list = append(list, one.Kind+" "+one.Problem)
		}
		return list
	}
	require.Empty(t, names())
	for name, c := range map[string]struct{ tamper, back, found string }{
		"an assignment un-ended": {"UPDATE assignments SET ended = 0 WHERE id = 1",
			"UPDATE assignments SET ended = 1 WHERE id = 1", "assignment was altered"},
		"a lock taken off": {"UPDATE staff SET lock_reason = 'other' WHERE staff_number = 'Q0012'",
			"UPDATE staff SET lock_reason = 'test' WHERE staff_number = 'Q0012'", "staff was altered"},
		"a PIN of one's own": {"UPDATE credentials SET must_change = 1 - must_change WHERE kind = 'pin' LIMIT 1",
			"UPDATE credentials SET must_change = 1 - must_change WHERE kind = 'pin' LIMIT 1",
			"credential was altered"},
		"a setting of a template": {"UPDATE template_settings SET word = 'none' WHERE word = 'yes' ORDER BY " +
			"template_id, " +
			"position LIMIT 1", "UPDATE template_settings SET word = 'yes' WHERE word = 'none' ORDER BY template_id, " +
			"position LIMIT 1", "template was altered"},
		"a setting of the organisation": {"UPDATE organisation SET settings = REPLACE(settings, '\"remind_days\":9', " +
			"'\"remind_days\":8') WHERE id = 1", "UPDATE organisation SET settings = REPLACE(settings, " +
			"'\"remind_days\":8', '\"remind_days\":9') WHERE id = 1", "organisation was altered"},
		"a record put in": {"INSERT INTO qualifications (id, code, name, summary, months, retired, revision) VALUES " +
			"(99, 'ALL', 'All', '', 0, 0, 1)", "DELETE FROM qualifications WHERE id = 99", "qualification was put in"},
		"a seal taken out": {"UPDATE record_seals SET number = 999999 WHERE kind = 'place' AND number = 1",
			"UPDATE record_seals SET number = 1 WHERE kind = 'place' AND number = 999999",
			"place was taken out, or cannot " +
				"be read"},
	} {
		_, err := db.Exec(c.tamper)
		require.NoError(t, err, name)
		assert.Contains(t, names(), c.found, name)
		_, err = db.Exec(c.back)
		require.NoError(t, err, name)
		require.Empty(t, names(), "%s, and back", name)
	}
	_, err = db.Exec("UPDATE organisation SET seals_sum = UNHEX(REPEAT('00', 32)) WHERE id = 1")
	require.NoError(t, err)
	assert.Contains(t, names(), "record_seals do not add up: seals were put in, altered or taken out")
}

// What was written by something else is looked for once a day, and stands in the audit log.
func TestTheDatabaseIsCheckedDaily(t *testing.T) {
	service := testkit.Demo(t)
	_, err := service.App.Commit(ctx, app(change.Operation{Op: "pin.withdraw", Set: []byte(`{"staff":"Q0013"}`)},
		change.Operation{Op: "badge.lost", On: "118-1067"}, change.Operation{Op: "template.edit", On: "packer",
			Set: []byte(`{"decide":{"line.stop":"yes"}}`)}))
	require.NoError(t, err)
	service.Explained(t)
	told := func() int {
		entries, _, err := service.Store.AuditEntries(ctx, store.AuditFilter{Action: "tampering-found", Limit: 9})
		require.NoError(t, err)
		return len(entries)
	}
	require.NoError(t, service.App.VerifyDaily(ctx))
	assert.Zero(t, told())
	db := raw(t, service.DSN)
	var number uint32
	var until any
	require.NoError(t, db.QueryRow("SELECT id, until_date FROM assignments WHERE ended = 0 LIMIT 1").Scan(&number,
		&until))
	_, err = db.Exec("UPDATE assignments SET until_date = '2099-01-01' WHERE id = ?", number)
	require.NoError(t, err)
	require.NoError(t, service.App.VerifyDaily(ctx))
	assert.Zero(t, told(), "it was checked today")
	service.Clock.Move(25 * time.Hour)
	require.NoError(t, service.App.VerifyDaily(ctx))
	assert.Equal(t, 1, told())
	assert.EqualValues(t, 1, service.App.Unexplained())
	today := func(who string) string {
		var today api.Today
		require.NoError(t, service.Client(t, who).Get(ctx, "/today", &today))
		return today.Tampering
	}
	assert.Contains(t, today("maren"), "written in the database by something else")
	assert.Empty(t, today("joss"), "it is for those who read the audit log everywhere")
	_, err = db.Exec("UPDATE assignments SET until_date = ? WHERE id = ?", until, number)
	require.NoError(t, err)
	service.Clock.Move(25 * time.Hour)
	require.NoError(t, service.App.VerifyDaily(ctx))
	assert.Zero(t, service.App.Unexplained())
	assert.Empty(t, today("maren"), "what was set right is told no more")
}

// What an entry of the audit log is about is part of its chain.
func TestWhatAnEntryIsAboutIsPartOfTheChain(t *testing.T) {
	service := testkit.Demo(t)
	db := raw(t, service.DSN)
	_, err := service.App.VerifyAudit(ctx)
	require.NoError(t, err)
	_, err = db.Exec("DELETE FROM audit_subjects WHERE kind = 'staff' ORDER BY entry_id DESC LIMIT 1")
	require.NoError(t, err)
	_, err = service.App.VerifyAudit(ctx)
	assert.ErrorContains(t, err, "is about was altered or taken out")
}

// Records that were never sealed are sealed once, when a service starts, and the audit log says so.
func TestRecordsAreSealedOnce(t *testing.T) {
	service := testkit.Demo(t)
	db := raw(t, service.DSN)
	for _, statement := range []string{"DELETE FROM record_seals",
		"UPDATE organisation SET seals_sum = NULL, seals_mac = NULL"} {
		_, err := db.Exec(statement)
		require.NoError(t, err)
	}
	service.Second(t)
	service.Second(t)
	_, found, err := service.App.VerifyRecords(ctx)
	require.NoError(t, err)
	assert.Empty(t, found)
	entries, _, err := service.Store.AuditEntries(ctx, store.AuditFilter{Action: "records-sealed", Limit: 9})
	require.NoError(t, err)
	assert.Len(t, entries, 1)
}

// Events stand in chains of batches: one that is altered, moved in time, taken out or put in is seen.
func TestEventsThatWereTamperedWithAreSeen(t *testing.T) {
	service := testkit.Demo(t)
	db := raw(t, service.DSN)
	found := func() []string {
		count, found, err := service.App.VerifyEvents(ctx)
		require.NoError(t, err)
		assert.Greater(t, count, 1000)
		return found
	}
	require.Empty(t, found())
	for name, c := range map[string]struct{ tamper, back, found string }{
		"altered": {"UPDATE events SET allowed = 1 - allowed ORDER BY id LIMIT 1",
			"UPDATE events SET allowed = 1 - allowed ORDER BY id LIMIT 1", "were altered"},
		"moved in time": {"UPDATE events SET at = at + INTERVAL 1 HOUR ORDER BY id LIMIT 1",
			"UPDATE events SET at = at - INTERVAL 1 HOUR ORDER BY id LIMIT 1", "were altered"},
		"put in": {"INSERT INTO events (id, at, device_id, place_id, staff_id, permission_id, allowed, reason, " +
			"level, " +
			"assignment_id, revision, shown, pin_id, badge_id, about_id, asked_level) SELECT id + 1, at, device_id, " +
			"place_id, staff_id, permission_id, allowed, reason, level, assignment_id, revision, shown, pin_id, " +
			"badge_id, " +
			"about_id, 77 FROM events ORDER BY id LIMIT 1", "DELETE FROM events WHERE asked_level = 77",
			"1 events were put in"},
		"a batch taken out": {"UPDATE event_batches SET number = number + 1000 WHERE number = 1",
			"UPDATE event_batches SET " +
				"number = number - 1000 WHERE number > 1000", "are missing"},
	} {
		_, err := db.Exec(c.tamper)
		require.NoError(t, err, name)
		assert.Contains(t, strings.Join(found(), "; "), c.found, name)
		_, err = db.Exec(c.back)
		require.NoError(t, err, name)
		require.Empty(t, found(), "%s, and back", name)
	}
	_, err := db.Exec("DELETE FROM events ORDER BY id LIMIT 1")
	require.NoError(t, err)
	assert.Contains(t, strings.Join(found(), "; "), "1 events were taken out")
}
