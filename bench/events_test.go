package bench

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"fmt"
	"os"
	"strconv"
	"testing"
	"time"

	_ "github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/mariadb"
	"loyallatch.example/latch/internal/store"
)

// TestEventFigures measures what is asked of many events, a year of them, and prints a table. LATCH_EVENTS says how
// many
// millions there are.
func TestEventFigures(t *testing.T) {
	if os.Getenv("LATCH_BENCH") == "" {
		t.Skip("run make bench")
	}
	millions, err := strconv.Atoi(os.Getenv("LATCH_EVENTS"))
	if err != nil {
		millions = 5
	}
	ctx := context.Background()
	folder, err := os.MkdirTemp("", "latch-events-")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(folder) })
	database, err := mariadb.Start(ctx, folder, 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = database.Stop() })
	require.NoError(t, database.CreateSchema(ctx, "latch"))
	db, err := store.Open(ctx, database.DSN("latch"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	db.SealWith(func(parts ...[]byte) []byte { sum := sha256.Sum256(bytes.Join(parts, nil)); return sum[:] })
	raw, err := sql.Open("mysql", database.DSN("latch"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = raw.Close() })
	from := fillEvents(t, raw, millions)

	duress, granted := uint8(access.UnderDuress.Number()), uint8(access.Granted.Number())
	refused := false
	places := make([]uint32, 200)
	for i := range places {
		places[i] = uint32(i + 1)
	}
	month := from.AddDate(0, 6, 0)
	for _, one := range []struct {
		what   string
		filter store.EventFilter
	}{
		{"the newest", store.EventFilter{}},
		{"a person's history", store.EventFilter{Staff: 77}},
		{"a place's history", store.EventFilter{Places: []uint32{77}}},
		{"at a site of 200 places", store.EventFilter{Places: places}},
		{"refused", store.EventFilter{Allowed: &refused}},
		{"a frequent reason", store.EventFilter{Reason: &granted}},
		{"a rare reason", store.EventFilter{Reason: &duress}},
		{"a rare reason, at a site", store.EventFilter{Reason: &duress, Places: places}},
		{"a rare reason, of a person", store.EventFilter{Reason: &duress, Staff: 77}},
		{"a month, half a year ago", store.EventFilter{From: month, Until: month.AddDate(0, 1, 0)}},
		{"refused, in a month", store.EventFilter{From: month, Until: month.AddDate(0, 1, 0), Allowed: &refused}},
		{"the oldest page", store.EventFilter{Until: from.AddDate(0, 0, 1)}},
	} {
		one.filter.Limit = 50
		begun := time.Now()
		list, total, err := db.Events(ctx, one.filter)
		require.NoError(t, err)
		t.Logf("%-30s %8.3f s   (%d of %d)", one.what, time.Since(begun).Seconds(), len(list), total)
	}
	begun, after, read := time.Now(), uint64(0), 0
	for {
		list, err := db.EventsOn(ctx, month, month.AddDate(0, 0, 1), after, 5000)
		require.NoError(t, err)
		if len(list) == 0 {
			break
		}
		after, read = list[len(list)-1].ID, read+len(list)
	}
	t.Logf("%-30s %8.3f s   (%d events)", "a day, read for a replay", time.Since(begun).Seconds(), read)
	months, err := db.EventMonths(ctx, from.AddDate(0, 2, 0))
	require.NoError(t, err)
	require.NotEmpty(t, months)
	begun = time.Now()
	removed, err := db.RemoveEvents(ctx, months[:1], store.AuditEntry{At: time.Now(), Summary: "%d", Operations: "[]"})
	require.NoError(t, err)
	t.Logf("%-30s %8.3f s   (%d events)", "a month removed", time.Since(begun).Seconds(), removed)
	var bytes, rows float64
	require.NoError(t, raw.QueryRow("SELECT SUM(data_length + index_length), SUM(table_rows) FROM "+
		"information_schema.tables WHERE table_schema = 'latch' AND table_name = 'events'").Scan(&bytes, &rows))
	t.Logf("%d million events; %.0f bytes an event", millions, bytes/rows)
}

// fillEvents puts a year of events in, in months, and returns its first moment.
func fillEvents(t *testing.T, raw *sql.DB, millions int) time.Time {
	t.Helper()
	from := time.Now().UTC().AddDate(-1, 0, 0).Truncate(24 * time.Hour)
	parts := ""
	for m := time.Date(from.Year(), from.Month()+1, 1, 0, 0, 0, 0, time.UTC); m.Before(time.Now()); m = m.AddDate(0, 1,
		0) {
		parts += fmt.Sprintf("PARTITION before_%s VALUES LESS THAN (%d), ", m.Format("2006_01"),
			uint64(m.UnixMilli())<<22)
	}
	_, err := raw.Exec("ALTER TABLE events PARTITION BY RANGE (id) (" + parts +
		"PARTITION later VALUES LESS THAN MAXVALUE)")
	require.NoError(t, err)
	count := millions * 1_000_000
	step := int(365 * 24 * time.Hour / time.Millisecond / time.Duration(count))
	begun := time.Now()
	for m := range millions {
		_, err := raw.Exec(fmt.Sprintf("INSERT INTO events (id, at, device_id, place_id, staff_id, permission_id, "+
			"allowed, "+
			"reason, level, assignment_id, revision, shown, pin_id, badge_id, about_id, asked_level) SELECT "+
			"((%d + (%d + seq) * %d) << 22) | (seq & 4194303), FROM_UNIXTIME((%d + (%d + seq) * %d) / 1000), "+
			"1 + seq %% 500, 1 + (seq * 7919) %% 5000, 1 + (seq * 104729) %% 100000, 1 + seq %% 40, seq %% 50 <> 0, "+
			"IF(seq %% 500000 = 1, %d, IF(seq %% 50 = 0, 7, %d)), 1, 1 + seq %% 300000, 1000, 2, 0, 1 + seq %% "+
			"100000, 0, 0 "+
			"FROM seq_1_to_1000000",
			from.UnixMilli(), m*1_000_000, step, from.UnixMilli(), m*1_000_000, step, access.UnderDuress.Number(),
			access.Granted.Number()))
		require.NoError(t, err)
	}
	_, err = raw.Exec("ANALYZE TABLE events")
	require.NoError(t, err)
	t.Logf("%d million events were put in, in %.0f s", millions, time.Since(begun).Seconds())
	return from
}
