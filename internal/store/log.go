package store

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
	"gorm.io/gorm"
)

// AuditEntry is one line of the audit log: a change, or a sign-in. Entries form a chain: each holds the hash of
// the one before and a hash over itself, so that none can be altered or taken out unseen.
type AuditEntry struct {
	ID         uint64
	At         time.Time
	Action     string
	ActorID    *uint32
	Actor      string
	Origin     string
	Reason     string
	Summary    string
	Revision   uint64
	Undoes     *uint64 // the entry whose change this one reverses
	Operations string  // JSON
	Previous   []byte
	Hash       []byte
	// Digest of what the entry is about; of entries from before that was part of the chain none
	SubjectsHash []byte
}

// TableName names the table.
func (AuditEntry) TableName() string { return "audit_entries" }

// Subject is a record that an audit entry is about.
type Subject struct {
	Kind    string
	Number  uint32
	EntryID uint64
}

// TableName names the table.
func (Subject) TableName() string { return "audit_subjects" }

// sum is the hash over an entry: every field with its length before it, so that no two entries run together alike.
func (e *AuditEntry) sum() []byte {
	h := sha256.New()
	var number [8]byte
	for _, n := range []uint64{e.ID, uint64(e.At.UnixMicro()), uint64(value(e.ActorID)), e.Revision} {
		binary.BigEndian.PutUint64(number[:], n)
		h.Write(number[:])
	}
	for _, text := range []string{e.Action, e.Actor, e.Origin, e.Reason, e.Summary, e.Operations, string(e.Previous)} {
		binary.BigEndian.PutUint64(number[:], uint64(len(text)))
		h.Write(number[:])
		h.Write([]byte(text))
	}
	if e.Undoes != nil { // entries from before there was undoing hash as they did
		binary.BigEndian.PutUint64(number[:], *e.Undoes)
		h.Write(number[:])
	}
	if e.SubjectsHash != nil {
		h.Write(e.SubjectsHash)
	}
	return h.Sum(nil)
}

// subjectsHash is the digest of what an entry is about, whatever the order.
func subjectsHash(subjects []Subject) []byte {
	names := make([]string, len(subjects))
	for i, s := range subjects {
		names[i] = fmt.Sprintf("%s:%d", s.Kind, s.Number)
	}
	slices.Sort(names)
	sum := sha256.Sum256([]byte(strings.Join(slices.Compact(names), "\n")))
	return sum[:]
}

// Audit appends an entry to the chain, and what it is about. The revision row is held, so the chain has one end.
func (tx *Tx) Audit(entry AuditEntry, subjects []Subject) (AuditEntry, error) {
	entry.ID, entry.At, entry.Previous = tx.auditCount+1, entry.At.UTC().Truncate(time.Microsecond), tx.auditHash
	entry.SubjectsHash = subjectsHash(subjects)
	entry.Hash = entry.sum()
	tx.auditCount, tx.auditHash = entry.ID, entry.Hash
	var signature []byte
	if tx.sign != nil {
		signature = tx.sign(Head{entry.ID, entry.Hash})
	}
	if err := tx.db.Create(&entry).Error; err != nil {
		return entry, err
	}
	for i := range subjects {
		subjects[i].EntryID = entry.ID
	}
	if len(subjects) > 0 {
		if err := tx.db.CreateInBatches(subjects, 500).Error; err != nil {
			return entry, err
		}
	}
	if entry.Revision > tx.Revision {
		tx.next = entry.Revision
	}
	return entry, tx.db.Exec("UPDATE organisation SET revision = ?, audit_count = ?, audit_hash = ?, audit_seal = ? "+
		"WHERE id = 1",
		max(entry.Revision, tx.Revision, tx.next), entry.ID, entry.Hash, signature).Error
}

// AuditEntry returns one entry, or nil.
func (s *Store) AuditEntry(ctx context.Context, id uint64) (*AuditEntry, error) {
	var entry AuditEntry
	err := s.db.WithContext(ctx).Where("id = ?", id).Take(&entry).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	return &entry, err
}

// UndoneBy returns, for each of some entries that a later one undid, the newest that did.
func (s *Store) UndoneBy(ctx context.Context, ids []uint64) (map[uint64]uint64, error) {
	var rows []AuditEntry
	err := s.db.WithContext(ctx).Select("id", "undoes").Where("undoes IN ?",
		append([]uint64{0}, ids...)).Order("id").Find(&rows).Error
	by := map[uint64]uint64{}
	for _, row := range rows {
		by[*row.Undoes] = row.ID
	}
	return by, err
}

// LaterOn returns the newest entry after a revision that is about one of some records, or nil.
func (s *Store) LaterOn(ctx context.Context, records []Subject, revision uint64) (*AuditEntry, error) {
	pairs := make([][]any, len(records))
	for i, r := range records {
		pairs[i] = []any{r.Kind, r.Number}
	}
	var entry AuditEntry
	err := s.db.WithContext(ctx).Where(
		"id IN (SELECT entry_id FROM audit_subjects WHERE (kind, number) IN ?) AND revision > ?", pairs, revision).
		Order("id DESC").Take(&entry).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	return &entry, err
}

// AuditFilter chooses entries of the audit log.
type AuditFilter struct {
	Kind   string // of a record that entries are about, with Number
	Number uint32
	Actor  uint32
	Action string
	Search string
	From   time.Time
	Until  time.Time
	Before uint64 // entries older than this number; 0 begins with the newest
	Limit  int
}

// AuditEntries returns entries, newest first, and how many there are in all, as far as they are counted.
func (s *Store) AuditEntries(ctx context.Context, f AuditFilter) (entries []AuditEntry, total int64, err error) {
	query := s.db.WithContext(ctx).Model(&AuditEntry{})
	if f.Kind != "" {
		query = query.Where("id IN (SELECT entry_id FROM audit_subjects WHERE kind = ? AND number = ?)", f.Kind,
			f.Number)
	}
	if f.Actor != 0 {
		query = query.Where("actor_id = ?", f.Actor)
	}
	if f.Action != "" {
		query = query.Where("action = ?", f.Action)
	}
	if f.Search != "" {
		like := "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(f.Search) + "%"
		query = query.Where("summary LIKE ? OR actor LIKE ? OR reason LIKE ?", like, like, like)
	}
	if !f.From.IsZero() {
		query = query.Where("at >= ?", f.From.UTC())
	}
	if !f.Until.IsZero() {
		query = query.Where("at < ?", f.Until.UTC())
	}
	query = query.Session(&gorm.Session{})
	if total, err = s.counted(ctx, query); err != nil {
		return nil, 0, err
	}
	if f.Before != 0 {
		query = query.Where("id < ?", f.Before)
	}
	return entries, total, query.Order("id DESC").Limit(f.Limit).Find(&entries).Error
}

// VerifyAudit checks the whole chain, as it stood at one moment, and returns how many entries it has; an error names
// the first that does not fit. signed reports whether the key has signed a head: the newest must be, so that nobody
// takes entries off the end unseen; nil: the key is not there, and the signature is not checked. since are heads that
// were kept elsewhere and that the log must still go through.
func (s *Store) VerifyAudit(ctx context.Context, signed func(Head, []byte) bool, since ...Head) (count int, err error) {
	err = transact(ctx, s.db, func(db *gorm.DB) error {
		count, err = (&Store{db: db, seal: s.seal}).verify(ctx, signed, since)
		return err
	}, snapshotted...)
	return count, err
}

func (s *Store) verify(ctx context.Context, signed func(Head, []byte) bool, since []Head) (count int, err error) {
	kept := map[uint64][]byte{}
	for _, head := range since {
		kept[head.Entries] = head.Hash
	}
	previous := make([]byte, sha256.Size)
	altered := erasures{map[uint64]string{}, map[uint64]string{}}
	from, sound, err := keptFromRow(s.db.WithContext(ctx), s.seal, KeptAudit)
	switch {
	case err != nil:
		return 0, err
	case !sound:
		return 0, errors.New("from where on the audit log is kept was written by something else than the service")
	}
	var last uint64
	if from.FirstID > 0 { // what was before was removed on purpose
		previous, last = from.Previous, from.FirstID-1
		for entries := range kept {
			if entries <= last {
				delete(kept, entries)
			}
		}
	}
	for {
		var entries []AuditEntry
		if err := s.db.WithContext(ctx).Where("id > ?", last).Order("id").Limit(1000).Find(&entries).Error; err != nil {
			return count, err
		}
		if len(entries) == 0 {
			break
		}
		subjects, err := s.subjectsOf(ctx, entries[0].ID, entries[len(entries)-1].ID)
		if err != nil {
			return count, err
		}
		for i := range entries {
			e := &entries[i]
			if about := subjectsHash(subjects[e.ID]); e.SubjectsHash != nil && string(about) != string(e.SubjectsHash) {
				return count, fmt.Errorf("what audit entry %d is about was altered or taken out", e.ID)
			}
			if e.ID != last+1 || string(e.Previous) != string(previous) || altered.see(e) != nil {
				return count, fmt.Errorf("audit entry %d does not fit the chain: it, or one before it, was altered "+
					"or taken out", e.ID)
			}
			if hash, is := kept[e.ID]; is && string(hash) != string(e.Hash) {
				return count, fmt.Errorf("audit entry %d is not the one that the head kept elsewhere says: the log "+
					"was written anew", e.ID)
			}
			delete(kept, e.ID)
			previous, last = e.Hash, e.ID
			count++
		}
	}
	if id := altered.unexplained(); id != 0 {
		return count, fmt.Errorf("audit entry %d does not fit the chain: it was altered", id)
	}
	head, signature, err := s.Head(ctx)
	switch {
	case err != nil:
		return count, err
	case head.Entries > last:
		return count, errors.New("the newest audit entries are missing from the chain")
	case head.Entries < last || string(head.Hash) != string(previous):
		return count, errors.New("the audit log and its head do not fit each other: entries were put in or taken " +
			"off")
	case signed != nil && !signed(head, signature):
		return count, errors.New("the head of the audit log is not signed by the key: entries were taken off the " +
			"end, or written by something else")
	}
	delete(kept, 0)
	for entries := range kept {
		return count, fmt.Errorf("a head kept elsewhere says that there were %d audit entries, and there are %d: "+
			"the newest were taken off", entries, count)
	}
	return count, nil
}

// subjectsOf returns what some entries in a row are about.
func (s *Store) subjectsOf(ctx context.Context, first, last uint64) (map[uint64][]Subject, error) {
	var rows []Subject
	err := s.db.WithContext(ctx).Where("entry_id BETWEEN ? AND ?", first, last).Find(&rows).Error
	of := map[uint64][]Subject{}
	for _, row := range rows {
		of[row.EntryID] = append(of[row.EntryID], row)
	}
	return of, err
}

// Event is a decision that really happened at a door or terminal.
type Event struct {
	ID           uint64
	At           time.Time
	DeviceID     uint32
	PlaceID      uint32
	StaffID      uint32
	PermissionID uint32
	Allowed      bool
	Reason       uint8
	Level        int32
	AssignmentID uint32
	// What it was decided on, so that it can be decided again: the revision of the state, what was shown, whose it was,
	// about whom and for which level. An event from before these were recorded has the revision 0.
	Revision   uint64
	Shown      uint8
	PINID      uint32 `gorm:"column:pin_id"`
	BadgeID    uint32
	AboutID    uint32
	AskedLevel int32
}

// TableName names the table.
func (Event) TableName() string { return "events" }

// AppendEvents writes events in one statement. Writing the same events again changes nothing, so that a write whose
// outcome is not known can be repeated.
func (s *Store) AppendEvents(ctx context.Context, chain *EventChain, events []Event) error {
	if len(events) == 0 {
		return nil
	}
	if s.seal == nil {
		return insertEvents(s.own.WithContext(ctx), events)
	}
	next := chain.next(s.seal, events)
	err := transact(ctx, s.own, func(db *gorm.DB) error {
		if err := insertEvents(db, events); err != nil {
			return err
		}
		// A repeat, where the first is kept and nobody knows, adds neither twice
		return db.Exec("INSERT IGNORE INTO event_batches (instance, number, first_id, last_id, ids, mac) VALUES "+
			"(?, ?, ?, ?, ?, ?)", next.Instance, next.Number, next.FirstID, next.LastID, next.IDs, next.MAC).Error
	})
	if err == nil {
		chain.number, chain.mac = next.Number, next.MAC
	}
	return err
}

func insertEvents(db *gorm.DB, events []Event) error {
	text := make([]byte, 0, 240+len(events)*128)
	text = append(text, "INSERT IGNORE INTO events (id, at, device_id, place_id, staff_id, permission_id, allowed, "+
		"reason, level, assignment_id, revision, shown, pin_id, badge_id, about_id, asked_level) VALUES "...)
	// Numbers and times only: nothing here is text from outside.
	for i := range events {
		e := &events[i]
		allowed := uint64(0)
		if e.Allowed {
			allowed = 1
		}
		text = append(text, '(')
		text = strconv.AppendUint(text, e.ID, 10)
		text = append(text, ",'"...)
		text = e.At.UTC().AppendFormat(text, "2006-01-02 15:04:05.000")
		text = append(text, '\'')
		for _, number := range [...]uint64{uint64(e.DeviceID), uint64(e.PlaceID), uint64(e.StaffID),
			uint64(e.PermissionID), allowed, uint64(e.Reason)} {
			text = strconv.AppendUint(append(text, ','), number, 10)
		}
		text = strconv.AppendInt(append(text, ','), int64(e.Level), 10)
		for _, number := range [...]uint64{uint64(e.AssignmentID), e.Revision, uint64(e.Shown), uint64(e.PINID),
			uint64(e.BadgeID), uint64(e.AboutID)} {
			text = strconv.AppendUint(append(text, ','), number, 10)
		}
		text = strconv.AppendInt(append(text, ','), int64(e.AskedLevel), 10)
		text = append(text, "),"...)
	}
	return db.Exec(string(text[:len(text)-1])).Error
}

// EventsOn returns events of a period after a number, the earliest first.
func (s *Store) EventsOn(ctx context.Context, from, until time.Time, after uint64, limit int) (events []Event,
	err error) {
	return events, s.db.WithContext(ctx).Where("id > ? AND id < ? AND at >= ? AND at < ?", max(after, firstOf(from)),
		firstOf(until.Add(clockBack)), from.UTC(), until.UTC()).Order("id").Limit(limit).Find(&events).Error
}

// CountedTo is how far the entries and events of a list are counted: one more says that there are more.
const CountedTo = 10_000

// counted counts what a query finds, up to one more than CountedTo.
func (s *Store) counted(ctx context.Context, query *gorm.DB) (total int64, err error) {
	return total, s.db.WithContext(ctx).Table("(?) AS found",
		query.Select("1").Limit(CountedTo+1)).Count(&total).Error
}

// EventCount returns how many events there are, however many that is.
func (s *Store) EventCount(ctx context.Context) (count int64, err error) {
	return count, s.db.WithContext(ctx).Model(&Event{}).Count(&count).Error
}

// clockBack is how far the clock of an instance may step back while numbers of events go on.
const clockBack = 24 * time.Hour

// firstOf returns a number that no event from a moment on is below: numbers begin with their millisecond.
func firstOf(at time.Time) uint64 { return uint64(max(at.UnixMilli(), 1))<<22 - 1 }

// monthsAhead is for how many months ahead events have a partition, monthsAtOnce bounds how many are made at once.
const (
	monthsAhead  = 2
	monthsAtOnce = 24
)

// AddMonths sees that the months to come have a partition of the events.
func (s *Store) AddMonths(ctx context.Context, now time.Time) (err error) {
	for range 5 { // another instance may add the same at once
		var there *mysql.MySQLError
		if err = s.addMonths(ctx, now); !errors.As(err, &there) || there.Number != sameNamePartition {
			return err
		}
	}
	return err
}

// sameNamePartition is the error of adding a partition that is there.
const sameNamePartition = 1517

func (s *Store) addMonths(ctx context.Context, now time.Time) error {
	var last uint64
	if err := s.own.WithContext(ctx).Raw("SELECT MAX(CAST(partition_description AS UNSIGNED)) FROM " +
		"information_schema.partitions WHERE table_schema = DATABASE() AND table_name = 'events' AND " +
		"partition_description <> 'MAXVALUE'").Row().Scan(&last); err != nil {
		return err
	}
	month := time.UnixMilli(int64(last>>22)).UTC().AddDate(0, 1, 0)
	for range monthsAtOnce {
		if month.After(now.AddDate(0, monthsAhead+1, 0)) {
			return nil
		}
		// A name and a number of our own making
		if err := s.own.WithContext(ctx).Exec(fmt.Sprintf("ALTER TABLE events REORGANIZE PARTITION later INTO "+
			"(PARTITION before_%s VALUES LESS THAN (%d), PARTITION later VALUES LESS THAN MAXVALUE)",
			month.Format("2006_01"), uint64(month.UnixMilli())<<22)).Error; err != nil {
			return err
		}
		month = month.AddDate(0, 1, 0)
	}
	return nil
}

// EventFilter chooses events.
type EventFilter struct {
	Staff   uint32
	Places  []uint32 // nil: all
	Allowed *bool
	Reason  *uint8 // as it is recorded
	From    time.Time
	Until   time.Time
	Before  uint64
	Limit   int
}

// Events returns events, newest first, and how many there are in all, as far as they are counted.
func (s *Store) Events(ctx context.Context, f EventFilter) (events []Event, total int64, err error) {
	query := s.db.WithContext(ctx).Model(&Event{})
	if f.Staff != 0 {
		query = query.Where("staff_id = ?", f.Staff)
	}
	if f.Places != nil {
		query = query.Where("place_id IN ?", append([]uint32{0}, f.Places...))
	}
	if f.Allowed != nil {
		query = query.Where("allowed = ?", *f.Allowed)
	}
	if f.Reason != nil {
		query = query.Where("reason = ?", *f.Reason)
	}
	if !f.From.IsZero() {
		query = query.Where("id > ? AND at >= ?", firstOf(f.From), f.From.UTC())
	}
	if !f.Until.IsZero() {
		query = query.Where("id < ? AND at < ?", firstOf(f.Until.Add(clockBack)), f.Until.UTC())
	}
	query = query.Session(&gorm.Session{})
	if total, err = s.counted(ctx, query); err != nil {
		return nil, 0, err
	}
	if f.Before != 0 {
		query = query.Where("id < ?", f.Before)
	}
	return events, total, query.Order("id DESC").Limit(f.Limit).Find(&events).Error
}

// Sweep removes what has served its time: sessions that expired and idempotency keys older than a day.
func (s *Store) Sweep(ctx context.Context, now time.Time) error {
	now = now.UTC()
	month := now.AddDate(0, 0, -30)
	day := now.AddDate(0, 0, -1)
	var errs []error
	for _, sweep := range []struct {
		statement string
		by        []any
	}{
		{"DELETE FROM sessions WHERE expires_at < ? LIMIT 10000", []any{month}},
		{"DELETE FROM idempotency_keys WHERE created_at < ? LIMIT 10000", []any{day}},
		{"UPDATE idempotency_keys SET sealed_secrets = NULL WHERE secrets_until < ?", []any{now}},
		{"UPDATE imports SET sealed_pins = NULL WHERE pins_until < ?", []any{now}},
		{"DELETE FROM imports WHERE updated_at < ? LIMIT 100", []any{now.AddDate(0, 0, -90)}},
		{"DELETE FROM instances WHERE seen_at < SYSDATE(6) - INTERVAL 1 DAY", nil},
		{"DELETE FROM urgent_acts_known WHERE act_id NOT IN (SELECT id FROM urgent_acts)", nil},
		{"DELETE FROM let_go WHERE at < ? LIMIT 10000", []any{now.AddDate(0, 0, -90).Unix()}},
		{"DELETE FROM mails WHERE made_at < ? AND next_at IS NULL LIMIT 10000", []any{month}},
		{"DELETE FROM links WHERE expires_at < ? LIMIT 10000", []any{day}},
		{"DELETE FROM terminal_codes WHERE expires_at < ? LIMIT 10000", []any{day}},
		{"DELETE FROM lost_pins WHERE staff_id IN (SELECT staff_id FROM credentials WHERE kind = 'pin' AND NOT " +
			"duress " +
			"AND state <> 'withdrawn')", nil},
		{"DELETE FROM tries WHERE last_at < ? LIMIT 10000", []any{day}},
		{"DELETE FROM known_addresses WHERE last_at < ? LIMIT 10000", []any{now.AddDate(0, 0, -180)}},
	} {
		errs = append(errs, s.db.WithContext(ctx).Exec(sweep.statement, sweep.by...).Error)
	}
	return errors.Join(errs...)
}
