package app_test

import (
	"database/sql"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// holding names each column of the database, with its history, in which a text stands.
func holding(t *testing.T, s *testkit.Service, sought string) (columns []string) {
	t.Helper()
	db, err := sql.Open("mysql", s.DSN)
	require.NoError(t, err)
	defer db.Close()
	rows, err := db.Query("SELECT c.table_name, c.column_name, t.table_type FROM information_schema.columns c JOIN " +
		"information_schema.tables t ON t.table_schema = c.table_schema AND t.table_name = c.table_name " +
		"WHERE c.table_schema = DATABASE() AND c.data_type IN ('varchar', 'text', 'mediumtext', 'longtext', 'json', " +
		"'blob', " +
		"'mediumblob', 'longblob')")
	require.NoError(t, err)
	defer rows.Close()
	looked := 0
	for rows.Next() {
		var table, column, kind string
		require.NoError(t, rows.Scan(&table, &column, &kind))
		of := "`" + table + "`"
		if kind == "SYSTEM VERSIONED" {
			of += " FOR SYSTEM_TIME ALL"
		}
		var found int
		require.NoError(t, db.QueryRow(fmt.Sprintf("SELECT COUNT(*) FROM %s WHERE LOWER(CONVERT(`%s` USING "+
			"utf8mb4)) LIKE ?",
			of, column), "%"+sought+"%").Scan(&found))
		if looked++; found > 0 {
			columns = append(columns, table+"."+column)
		}
	}
	require.Greater(t, looked, 50)
	return columns
}

// Once somebody has been gone for as long as the settings say, nothing anywhere tells who they were, and the audit log
// still shows whatever else is altered.
func TestWhoSomebodyWasIsErasedEverywhere(t *testing.T) {
	s := testkit.Demo(t)
	const sought = "zwinglebart"
	act := func(number, reason, op, on string, fields set) { by(t, s, number, reason, op, on, fields) }
	name := "Zwinglebart"
	act("Q0001", "", "staff.enrol", "", set{"staff_number": "Z1", "given_name": name, "family_name": "Of " + name,
		"known_as": name + "y", "email": sought + "@quillmere.example", "phone": "0" + sought, "home_site": "HB",
		"notes": "as " + name + " said", "external_id": "P-" + sought, "start_date": "2025-01-01"})
	act("Q0001", "for "+name, "staff.edit", "Z1", set{"given_name": name + "a", "notes": ""})
	act("Q0001", "", "staff.edit", "Z1", set{"given_name": name})
	act("Q0001", "r", "assignment.add", "", set{"staff": "Z1", "place": "HB", "template": "site-manager"})
	act("Q0001", name+" may", "exception.add", "", set{"staff": "Z1", "place": "HB", "permission": "stock.adjust",
		"level": "20"})
	act("Q0001", name+" shouted", "bar.add", "", set{"staff": "Z1", "place": "HB-PACK"})
	act("Q0001", "", "certificate.add", "", set{"staff": "Z1", "qualification": "HYGIENE", "issued": "2026-01-01",
		"number": "C-" + sought})
	act("Q0001", name+" again", "staff.lock", "Z1", nil)
	act("Q0001", "settled", "staff.unlock", "Z1", nil)
	// What they did themselves, also to others
	act("Z1", "seen at the gate", "staff.lock", "Q0011", nil)
	act("Z1", "as "+name+" says", "staff.edit", "Q0012", set{"phone": "1"})
	act("Q0001", "the season ends for "+name, "staff.leave", "Z1", nil)
	require.NotEmpty(t, holding(t, s, sought))
	second := s.Second(t)

	require.NoError(t, s.App.EraseLeavers(ctx))
	require.NotEmpty(t, holding(t, s, sought), "not unless the settings say so")
	act("Q0001", "", "organisation.edit", "", set{"retention_months": 12})
	require.NoError(t, s.App.EraseLeavers(ctx))
	require.NotEmpty(t, holding(t, s, sought), "not before the time is over")
	s.Clock.Move(366 * 24 * time.Hour)
	for range 4 { // others have left before
		require.NoError(t, s.App.EraseLeavers(ctx))
		require.NoError(t, second.App.EraseLeavers(ctx))
	}
	assert.Empty(t, holding(t, s, sought))
	p := s.App.Live().State().StaffByNumber("Z1")
	assert.Equal(t, "Erased Z1", p.FullName())
	assert.True(t, p.Erased)
	require.Eventually(t, func() bool { return second.App.Live().State().StaffByNumber("Z1").Erased }, time.Minute,
		20*time.Millisecond, "at the other instance too")
	s.Explained(t)
	count, err := s.App.VerifyAudit(ctx)
	require.NoError(t, err)
	assert.Positive(t, count)
	lines, _, err := s.App.Audit(ctx, numbered(s, "Q0001"), auditOf(p.ID))
	require.NoError(t, err)
	require.NotEmpty(t, lines)
	for _, l := range lines {
		assert.Contains(t, l.Summary+l.Actor, "Erased", "what was done stays, under the number")
	}

	// Nobody is brought back whom nobody knows any more.
	for _, o := range []struct {
		op  string
		set set
	}{{"staff.reinstate", nil}, {"staff.erase", nil}, {"staff.edit", set{"given_name": "Another"}}} {
		r := request(operation(o.op, "Z1", o.set))
		r.Actor.System, r.Actor.Staff, r.Reason = "", numbered(s, "Q0001"), "r"
		_, err := s.App.Commit(ctx, r)
		assert.Error(t, err, o.op)
	}
	// The log shows what is altered beside that, also in what was written over.
	db, err := sql.Open("mysql", s.DSN)
	require.NoError(t, err)
	defer db.Close()
	for column, id := range map[string]string{
		"summary": fmt.Sprintf("(SELECT MIN(entry_id) FROM audit_subjects WHERE kind = 'staff' AND number = %d)",
			p.ID),
		"operations": "(SELECT MIN(id) FROM audit_entries WHERE action = 'erased')"} {
		_, err := s.App.VerifyAudit(ctx)
		require.NoError(t, err)
		var at uint64
		var was string
		require.NoError(t, db.QueryRow("SELECT id, "+column+" FROM audit_entries WHERE id = "+id).Scan(&at, &was))
		_, err = db.Exec("UPDATE audit_entries SET "+column+" = ? WHERE id = ?", strings.Replace(was, "e", "i", 1), at)
		require.NoError(t, err)
		_, err = s.App.VerifyAudit(ctx)
		assert.Error(t, err, column)
		_, err = db.Exec("UPDATE audit_entries SET "+column+" = ? WHERE id = ?", was, at)
		require.NoError(t, err)
	}
}

// Of moments before the history begins nothing is said; of later ones it is.
func TestThePastEndsWhereTheHistoryDoes(t *testing.T) {
	s := testkit.Demo(t)
	by(t, s, "Q0001", "", "organisation.edit", "", set{"retention_months": 2})
	of := numbered(s, "Q0011")
	old, recent := s.Clock.Now().AddDate(0, -4, 0), s.Clock.Now().AddDate(0, -1, 0)
	_, err := s.App.MomentOf(ctx, old, of, 0)
	require.NoError(t, err)
	require.NoError(t, s.App.EraseLeavers(ctx))
	_, err = s.App.MomentOf(ctx, old, of, 0)
	assert.ErrorContains(t, err, "nothing was kept before")
	moment, err := s.App.MomentOf(ctx, recent, of, 0)
	require.NoError(t, err)
	assert.Equal(t, people.Active, moment.Status(of, recent.Unix()))
	assert.Equal(t, "Otis", moment.State().Person(of).GivenName)
}

func auditOf(id people.StaffID) store.AuditFilter {
	return store.AuditFilter{Kind: "staff", Number: uint32(id), Limit: 100}
}
