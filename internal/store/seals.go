package store

import (
	"context"
	"crypto/sha256"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/permit"
)

// A record is sealed when a change writes it: the seal is a keyed digest of its row, and the sum of all seals is signed
// and stands beside the revision. A row that was written by anything else, put in or taken out does not fit its seal,
// or the sum. Columns that a later version adds, and that hold nothing, are no part of a seal.

// Sealer makes the keyed digest of something. It may be called by any number of goroutines.
type Sealer func(parts ...[]byte) []byte

// SealWith has records sealed when they are written. It is called once, before the first change.
func (s *Store) SealWith(seal Sealer) { s.seal = seal }

// sealKey names a record.
type sealKey struct {
	Kind   string
	Number uint32
}

type sealRow struct {
	Kind   string
	Number uint32
	Seal   []byte
}

// TableName names the table.
func (sealRow) TableName() string { return "record_seals" }

// content is what of a record is sealed: each column that holds something, by its name.
func (t *table[R]) content(record any) []byte {
	var b strings.Builder
	r := record.(*R)
	for i := range t.columns {
		value := t.columns[i].write(r)
		if v := reflect.ValueOf(value); value == nil || v.IsZero() || v.Kind() == reflect.Slice && v.Len() == 0 {
			continue
		}
		fmt.Fprintf(&b, "%s=", t.columns[i].name)
		switch v := value.(type) {
		case time.Time:
			b.WriteString(v.UTC().Truncate(time.Microsecond).Format(time.RFC3339Nano))
		case []byte:
			fmt.Fprintf(&b, "%x", v)
		default:
			fmt.Fprintf(&b, "%q", fmt.Sprint(v))
		}
		b.WriteByte('\n')
	}
	if template, is := record.(*permit.Template); is {
		b.WriteString(encode(template.Settings))
		if len(template.Giving) > 0 { // a template of before has the seal that it had
			b.WriteString(encode(template.Giving))
		}
	}
	return []byte(b.String())
}

// sealed is the seal of what a record holds.
func (s Sealer) sealed(key sealKey, content []byte) []byte {
	return s([]byte(key.Kind), fmt.Append(nil, key.Number), content)
}

// signed is the signature of a sum of seals.
func (s Sealer) signed(sum []byte) []byte { return s([]byte("sum"), sum) }

// sealRecords seals records that were written, and moves the sum on.
func (tx *Tx) sealRecords(contents map[sealKey][]byte) error {
	if tx.seal == nil || len(contents) == 0 {
		return nil
	}
	keys := make([]sealKey, 0, len(contents))
	for key := range contents {
		keys = append(keys, key)
	}
	slices.SortFunc(keys, func(a, b sealKey) int {
		if a.Kind != b.Kind {
			return strings.Compare(a.Kind, b.Kind)
		}
		return int(int64(a.Number) - int64(b.Number))
	})
	var sum []byte
	if err := tx.db.Raw("SELECT seals_sum FROM organisation WHERE id = 1").Row().Scan(&sum); err != nil {
		return err
	}
	for part := range slices.Chunk(keys, batch) {
		pairs, rows := make([][]any, len(part)), make([]sealRow, len(part))
		for i, key := range part {
			pairs[i] = []any{key.Kind, key.Number}
			rows[i] = sealRow{key.Kind, key.Number, tx.seal.sealed(key, contents[key])}
			add(sum, rows[i].Seal)
		}
		var before []sealRow
		if err := tx.db.Where("(kind, number) IN ?", pairs).Find(&before).Error; err != nil {
			return err
		}
		for i := range before {
			add(sum, before[i].Seal)
		}
		query, values := "REPLACE INTO record_seals (kind, number, seal) VALUES ", make([]any, 0, 3*len(rows))
		for i := range rows {
			if i > 0 {
				query += ", "
			}
			query += "(?, ?, ?)"
			values = append(values, rows[i].Kind, rows[i].Number, rows[i].Seal)
		}
		if err := tx.db.Exec(query, values...).Error; err != nil {
			return err
		}
	}
	if sum == nil { // the whole is not sealed yet
		return nil
	}
	return tx.db.Exec("UPDATE organisation SET seals_sum = ?, seals_mac = ? WHERE id = 1", sum,
		tx.seal.signed(sum)).Error
}

// add adds a seal to a sum of seals, or takes it out of it.
func add(sum, seal []byte) {
	for i := range sum {
		sum[i] ^= seal[i]
	}
}

// contentsOf returns what is sealed of every record of the database, as of now, and of the settings.
func contentsOf(l *loading, settings []byte) (map[sealKey][]byte, error) {
	if err := l.all(); err != nil {
		return nil, err
	}
	contents := map[sealKey][]byte{{"organisation", 1}: settings}
	for _, record := range l.read {
		t, err := tableOf(record)
		if err != nil {
			return nil, err
		}
		kind, id := org.Name(record)
		contents[sealKey{kind, id}] = t.content(record)
	}
	return contents, nil
}

// SealAll seals all records as they are, where that was never done or the key is another since; sealed says how many
// that were. It is noted in the audit log, as nothing is known of what was written before.
func (s *Store) SealAll(ctx context.Context) (sealed int, err error) {
	var done bool
	row := s.own.WithContext(ctx).Raw("SELECT seals_sum IS NOT NULL FROM organisation WHERE id = 1").Row()
	if err := row.Scan(&done); err != nil || done || s.seal == nil {
		return 0, err
	}
	return sealed, s.Change(ctx, time.Time{}, func(tx *Tx) error {
		sealed = 0
		var settings []byte
		row := tx.db.Raw("SELECT seals_sum IS NOT NULL, settings FROM organisation WHERE id = 1").Row()
		if err := row.Scan(&done, &settings); err != nil || done { // another instance was first
			return err
		}
		contents, err := contentsOf(&loading{source: source{db: tx.db}, into: &org.State{}}, settings)
		if err != nil {
			return err
		}
		for _, statement := range []string{"DELETE FROM record_seals",
			"UPDATE organisation SET seals_sum = UNHEX(REPEAT('00', 32)) WHERE id = 1"} {
			if err := tx.db.Exec(statement).Error; err != nil {
				return err
			}
		}
		if err := tx.sealRecords(contents); err != nil || len(contents) == 1 {
			return err
		}
		sealed = len(contents)
		_, err = tx.Audit(AuditEntry{At: time.Now(), Action: "records-sealed", Actor: "loyald", Origin: "loyald",
			Summary: fmt.Sprintf("Sealed %d records as they were", sealed), Operations: "[]"}, nil)
		return err
	})
}

// Unexplained is a record that no change has written as it is.
type Unexplained struct {
	Kind    string
	Number  uint32
	Problem string
}

// VerifyRecords compares every record, as of one moment, with its seal, and the sum of all. It returns how many there
// are and those that no change explains. progress is told of how many were compared; nil: nobody.
func (s *Store) VerifyRecords(ctx context.Context, seal Sealer, progress func(done, of int)) (count int,
	found []Unexplained, err error) {
	return count, found, transact(ctx, s.db, func(db *gorm.DB) error {
		count, found = 0, nil
		var settings, sum, mac []byte
		row := db.Raw("SELECT settings, seals_sum, seals_mac FROM organisation WHERE id = 1").Row()
		if err := row.Scan(&settings, &sum, &mac); err != nil {
			return err
		}
		if sum == nil {
			var action string
			if err := db.Raw("SELECT action FROM audit_entries ORDER BY id DESC LIMIT " +
				"1").Row().Scan(&action); err != nil {
				return err
			}
			if action == "keys-rotated" || action == "key-replaced" { // the service that starts next seals them
				return nil
			}
			found = append(found, Unexplained{"organisation", 1, "the records are not sealed; start the service once"})
			return nil
		}
		contents, err := contentsOf(&loading{source: source{db: db}, into: &org.State{}}, settings)
		if err != nil {
			return err
		}
		rows, err := db.Raw("SELECT kind, number, seal FROM record_seals").Rows()
		if err != nil {
			return err
		}
		defer func() { _ = rows.Close() }()
		total := make([]byte, sha256.Size)
		for rows.Next() {
			var key sealKey
			var kept []byte
			if err := rows.Scan(&key.Kind, &key.Number, &kept); err != nil {
				return err
			}
			add(total, kept)
			content, there := contents[key]
			switch {
			case !there:
				found = append(found, Unexplained{key.Kind, key.Number, "was taken out, or cannot be read"})
			case string(kept) != string(seal.sealed(key, content)):
				found = append(found, Unexplained{key.Kind, key.Number, "was altered"})
			}
			delete(contents, key)
			if count++; progress != nil && count%5000 == 0 {
				progress(count, count+len(contents))
			}
		}
		if err := rows.Err(); err != nil {
			return err
		}
		for key := range contents {
			found = append(found, Unexplained{key.Kind, key.Number, "was put in"})
		}
		if string(mac) != string(seal.signed(sum)) || string(total) != string(sum) {
			found = append(found, Unexplained{"record_seals", 0,
				"do not add up: seals were put in, altered or taken out"})
		}
		slices.SortFunc(found, func(a, b Unexplained) int {
			if a.Kind != b.Kind {
				return strings.Compare(a.Kind, b.Kind)
			}
			return int(int64(a.Number) - int64(b.Number))
		})
		return nil
	}, snapshotted...)
}
