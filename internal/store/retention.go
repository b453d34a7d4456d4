package store

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
)

// History is removed from its beginning: events by month, which is dropping a partition, and entries of the audit log
// by
// number. From where on it is kept is noted under a seal of the service, with the link that the chain goes on from, so
// that what is left still verifies and nobody else takes anything off unseen.

// The kinds of history that are removed by age.
const (
	KeptEvents = "events"
	KeptAudit  = "audit"
)

// keptRow is from where on a kind of history is kept.
type keptRow struct {
	Kind      string
	FirstID   uint64
	Previous  []byte // of the audit log the hash of the entry before; else empty
	Removed   uint64
	RemovedAt time.Time
	Mac       []byte
}

func (r *keptRow) sealed(seal Sealer) []byte {
	return seal([]byte("kept from"), []byte(r.Kind), binary.BigEndian.AppendUint64(nil, r.FirstID), r.Previous,
		binary.BigEndian.AppendUint64(nil, r.Removed))
}

// keptFromRow returns from where on a kind of history is kept; the zero row: from its beginning. sound is false where
// something else than the service has written that. A nil seal takes it as it is.
func keptFromRow(db *gorm.DB, seal Sealer, kind string) (row keptRow, sound bool, err error) {
	err = db.Raw("SELECT * FROM kept_from WHERE kind = ?", kind).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return keptRow{Kind: kind}, true, nil
	}
	return row, err == nil && (seal == nil || string(row.sealed(seal)) == string(row.Mac)), err
}

func (tx *Tx) keep(row keptRow) error {
	row.RemovedAt = time.Now().UTC()
	row.Mac = row.sealed(tx.seal)
	return tx.db.Exec("REPLACE INTO kept_from (kind, first_id, previous, removed, removed_at, mac) VALUES "+
		"(?, ?, ?, ?, ?, ?)", row.Kind, row.FirstID, row.Previous, row.Removed, row.RemovedAt, row.Mac).Error
}

// resealKept seals anew, under another key, from where on history is kept.
func (tx *Tx) resealKept(seal Sealer) error {
	var rows []keptRow
	if err := tx.db.Raw("SELECT * FROM kept_from").Scan(&rows).Error; err != nil {
		return err
	}
	for i := range rows {
		if err := tx.db.Exec("UPDATE kept_from SET mac = ? WHERE kind = ?", rows[i].sealed(seal),
			rows[i].Kind).Error; err != nil {
			return err
		}
	}
	return nil
}

// EventMonth is a month of events that can be removed whole.
type EventMonth struct {
	Partition string
	Until     time.Time // the end of it
	Events    uint64    // as the database estimates
	UntilID   uint64    // that no event of it reaches
}

// EventMonths returns the months whose events are all from before a moment, the oldest first.
func (s *Store) EventMonths(ctx context.Context, before time.Time) (months []EventMonth, err error) {
	var rows []struct {
		Name  string
		Until uint64
		Found uint64
	}
	if err := s.own.WithContext(ctx).Raw("SELECT partition_name AS name, CAST(partition_description AS UNSIGNED) AS " +
		"until, table_rows AS found FROM information_schema.partitions WHERE table_schema = DATABASE() AND " +
		"table_name = " +
		"'events' AND partition_description <> 'MAXVALUE' ORDER BY partition_ordinal_position").
		Scan(&rows).Error; err != nil {
		return nil, err
	}
	for _, row := range rows {
		until := time.UnixMilli(int64(row.Until >> 22)).UTC()
		if until.After(before) {
			break
		}
		months = append(months, EventMonth{row.Name, until, row.Found, row.Until})
	}
	return months, nil
}

// RemoveEvents removes the events of months, and notes it in the audit log with them. Doors go on meanwhile: their
// events stand on disk. It returns how many there were.
func (s *Store) RemoveEvents(ctx context.Context, months []EventMonth, entry AuditEntry) (removed uint64, err error) {
	if len(months) == 0 {
		return 0, nil
	}
	until := months[len(months)-1].UntilID
	var names []string
	for _, m := range months {
		names = append(names, m.Partition)
	}
	row := s.own.WithContext(ctx).Raw("SELECT COUNT(*) FROM events WHERE id < ?", until).Row()
	switch err := row.Scan(&removed); {
	case err != nil:
		return 0, err
	case removed == 0:
		return 0, s.dropMonths(ctx, names)
	}
	// What is noted first says from where on events are kept; a kill between the two is made good by the next time
	if err := s.Change(ctx, time.Time{}, func(tx *Tx) error {
		before, _, err := keptFromRow(tx.db, tx.seal, KeptEvents)
		if err != nil {
			return err
		}
		if until <= before.FirstID { // another instance did
			removed = 0
			return nil
		}
		if err := tx.keep(keptRow{Kind: KeptEvents, FirstID: until, Previous: []byte{},
			Removed: before.Removed + removed}); err != nil {
			return err
		}
		entry.Summary = fmt.Sprintf(entry.Summary, removed)
		_, err = tx.Audit(entry, nil)
		return err
	}); err != nil {
		return 0, err
	}
	return removed, s.dropMonths(ctx, names)
}

// dropMonths drops months of events, and batches that hold no others, but for the last of each chain, which the next
// one
// follows.
func (s *Store) dropMonths(ctx context.Context, names []string) error {
	db := s.own.WithContext(ctx)
	var there []string
	if err := db.Raw("SELECT partition_name FROM information_schema.partitions WHERE table_schema = DATABASE() AND "+
		"table_name = 'events' AND partition_name IN ?", names).Scan(&there).Error; err != nil {
		return err
	}
	if len(there) > 0 { // names of our own making
		if err := db.Exec("ALTER TABLE events DROP PARTITION " + strings.Join(there, ", ")).Error; err != nil {
			return err
		}
	}
	kept, _, err := keptFromRow(db, nil, KeptEvents)
	if err != nil {
		return err
	}
	return db.Exec("DELETE b FROM event_batches b JOIN (SELECT instance, MAX(number) AS last FROM event_batches WHERE "+
		"last_id < ? GROUP BY instance) l ON l.instance = b.instance AND b.number < l.last", kept.FirstID).Error
}

// auditAtOnce is how many entries are removed in one change.
const auditAtOnce = 2000

// RemoveAudit removes the oldest entries of the audit log from before a moment, as many as in one change, and notes it
// as an entry. The chain goes on from the last that was removed. It returns how many there were.
func (s *Store) RemoveAudit(ctx context.Context, before time.Time, entry AuditEntry) (removed uint64, err error) {
	return removed, s.Change(ctx, time.Time{}, func(tx *Tx) error {
		removed = 0
		kept, sound, err := keptFromRow(tx.db, tx.seal, KeptAudit)
		if err != nil {
			return err
		}
		if !sound {
			return errors.New("from where on the audit log is kept was written by something else than the service")
		}
		var last AuditEntry
		err = tx.db.Raw("SELECT * FROM (SELECT * FROM audit_entries ORDER BY id LIMIT ?) AS first WHERE at < ? AND "+
			"id < "+
			"(SELECT MIN(id) FROM audit_entries WHERE at >= ?) ORDER BY id DESC LIMIT 1", auditAtOnce, before.UTC(),
			before.UTC()).Take(&last).Error
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		removed = last.ID - max(kept.FirstID, 1) + 1
		for _, statement := range []string{"DELETE FROM audit_subjects WHERE entry_id <= ?",
			"DELETE FROM audit_entries WHERE id <= ?"} {
			if err := tx.db.Exec(statement, last.ID).Error; err != nil {
				return err
			}
		}
		if err := tx.keep(keptRow{Kind: KeptAudit, FirstID: last.ID + 1, Previous: last.Hash,
			Removed: kept.Removed + removed}); err != nil {
			return err
		}
		entry.Summary = fmt.Sprintf(entry.Summary, removed)
		_, err = tx.Audit(entry, nil)
		return err
	})
}

// AuditBefore returns entries of the audit log that are older than a moment, after a number, in order.
func (s *Store) AuditBefore(ctx context.Context, before time.Time, after uint64, limit int) (list []AuditEntry,
	err error) {
	return list, s.own.WithContext(ctx).Where("id > ? AND at < ?", after, before.UTC()).Order("id").Limit(limit).
		Find(&list).Error
}

// EventsPage returns events before a number, after another, in order.
func (s *Store) EventsPage(ctx context.Context, after, until uint64, limit int) (list []Event, err error) {
	return list, s.own.WithContext(ctx).Where("id > ? AND id < ?", after, until).Order("id").Limit(limit).
		Find(&list).Error
}

// Alone does something unless another instance does it: ran is false then.
func (s *Store) Alone(ctx context.Context, what string, do func() error) (ran bool, err error) {
	err = s.own.WithContext(ctx).Connection(func(db *gorm.DB) error {
		var got *int
		// A name per database: locks are of the server
		if err := db.Raw("SELECT GET_LOCK(LEFT(CONCAT(DATABASE(), ' ', ?), 64), 0)",
			what).Row().Scan(&got); err != nil {
			return err
		}
		if ran = got != nil && *got == 1; !ran {
			return nil
		}
		done := do()
		released := db.WithContext(context.WithoutCancel(ctx)).Exec("DO RELEASE_LOCK(LEFT(CONCAT(DATABASE(), ' ', ?), "+
			"64))", what).Error
		return errors.Join(done, released)
	})
	return ran, err
}

// DropPhotos removes the photos of some people.
func (s *Store) DropPhotos(ctx context.Context, staff []uint32) (count int64, err error) {
	for part := range slices.Chunk(staff, batch) {
		result := s.own.WithContext(ctx).Exec("DELETE FROM files WHERE kind = 'photo' AND record IN ?", part)
		if result.Error != nil {
			return count, result.Error
		}
		count += result.RowsAffected
	}
	return count, nil
}

// Amount is how much there is of a kind of what is kept.
type Amount struct {
	Rows   int64 // as the database estimates
	Bytes  int64
	Oldest *time.Time
}

// Amounts says how much there is of some tables, and from when the oldest is, by the column that says so.
func (s *Store) Amounts(ctx context.Context, tables map[string]string) (map[string]Amount, error) {
	db := s.own.WithContext(ctx)
	var rows []struct {
		Name  string
		Found int64
		Bytes int64
	}
	names := make([]string, 0, len(tables))
	for name := range tables {
		names = append(names, name)
	}
	if err := db.Raw("SELECT table_name AS name, table_rows AS found, data_length + index_length AS bytes FROM "+
		"information_schema.tables WHERE table_schema = DATABASE() AND table_name IN ?", names).
		Scan(&rows).Error; err != nil {
		return nil, err
	}
	amounts := map[string]Amount{}
	for _, row := range rows {
		amount := Amount{Rows: row.Found, Bytes: row.Bytes}
		if column := tables[row.Name]; column != "" { // of our own making, as is the name
			query := "SELECT MIN(" + column + ") FROM " + row.Name
			if row.Name == "events" || row.Name == "audit_entries" { // in the order of their numbers
				query = "SELECT " + column + " FROM " + row.Name + " ORDER BY id LIMIT 1"
			}
			if err := db.Raw(query).Row().Scan(&amount.Oldest); err != nil && !errors.Is(err, errNoRows) {
				return nil, err
			}
		}
		amounts[row.Name] = amount
	}
	return amounts, nil
}
