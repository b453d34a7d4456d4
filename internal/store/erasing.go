package store

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
)

// EraseInPlace writes over what says who somebody was, before the rest of a change is written, so that the history
// keeps no former row in which it stands: columns without versioning alone leave none.
func (tx *Tx) EraseInPlace(records []any) error {
	for _, record := range records {
		var err error
		switch r := record.(type) {
		case *people.Staff:
			written := map[string]any{"own": nil}
			if r.Lock != nil {
				written["lock_reason"] = r.Lock.Reason
			}
			for i := range people.Fields {
				if field := &people.Fields[i]; field.Personal {
					written[field.Name] = *field.Text(r)
				}
			}
			written["email"] = nil // two may not have the same
			err = tx.db.Table("staff").Where("id = ?", r.ID).Updates(written).Error
		case *org.Exception:
			err = tx.db.Exec("UPDATE exceptions SET reason = ? WHERE id = ?", r.Reason, r.ID).Error
		case *org.Bar:
			err = tx.db.Exec("UPDATE bars SET reason = ? WHERE id = ?", r.Reason, r.ID).Error
		case *org.Certificate:
			err = tx.db.Exec("UPDATE certificates SET number = '' WHERE id = ?", r.ID).Error
		case *credential.Credential:
			err = tx.db.Exec("UPDATE credentials SET state_reason = ? WHERE id = ?", r.StateReason, r.ID).Error
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// Forget deletes what is kept about people beside their records: files, messages, sessions, links, choices.
func (tx *Tx) Forget(staff []uint32) error {
	for _, statement := range []string{
		"DELETE FROM files WHERE kind = 'photo' AND record IN ?",
		"DELETE FROM files WHERE kind = 'scan' AND record IN (SELECT id FROM certificates WHERE staff_id IN ?)",
		"DELETE FROM mails WHERE staff_id IN ?", "DELETE FROM links WHERE staff_id IN ?",
		"DELETE FROM sessions WHERE staff_id IN ?", "DELETE FROM message_choices WHERE staff_id IN ?",
		"DELETE FROM mailed_reports WHERE staff_id IN ?"} {
		if err := tx.db.Exec(statement, staff).Error; err != nil {
			return err
		}
	}
	return nil
}

// erasure is what an entry of the audit log says of one that was written over: what it hashes to since.
type erasure struct {
	Op    string            `json:"op"`
	On    string            `json:"on"`
	After map[string]string `json:"after"`
}

// Erased is the action of an entry that says which others were written over.
const Erased = "erased"

// EraseAudit writes over what entries of the audit log say of people whose personal data is erased, and says so in an
// entry of its own: which were, and what each hashes to since. So the chain still shows whatever else is altered.
// rewrite is called with each entry that somebody of them made or is about.
func (tx *Tx) EraseAudit(staff []uint32, at time.Time, rewrite func(*AuditEntry) error) error {
	var done []erasure
	err := tx.AuditOf(staff, func(e *AuditEntry) error {
		before := e.sum()
		if err := rewrite(e); err != nil {
			return err
		}
		after := e.sum()
		if string(before) == string(after) || e.Action == Erased {
			return nil
		}
		done = append(done, erasure{Erased, fmt.Sprint("entry ", e.ID),
			map[string]string{"sum": hex.EncodeToString(after)}})
		return tx.db.Model(&AuditEntry{}).Where("id = ?", e.ID).Updates(map[string]any{"actor": e.Actor,
			"origin": e.Origin, "reason": e.Reason, "summary": e.Summary, "operations": e.Operations}).Error
	})
	if err != nil || len(done) == 0 {
		return err
	}
	text, err := json.Marshal(done)
	if err != nil {
		return err
	}
	_, err = tx.Audit(AuditEntry{At: at, Action: Erased, Actor: "Loyal Latch", Origin: "retention", Operations: string(
		text),
		Summary: fmt.Sprintf("Erased who somebody was in %d entries of this log", len(done))}, nil)
	return err
}

// AuditOf goes through the entries of the audit log that one of some people made or is about, the oldest first.
func (tx *Tx) AuditOf(staff []uint32, each func(*AuditEntry) error) error {
	for last := uint64(0); ; {
		var entries []AuditEntry
		if err := tx.db.Where("id > ? AND (actor_id IN ? OR id IN (SELECT entry_id FROM audit_subjects WHERE kind = "+
			"'staff' "+
			"AND number IN ?))", last, staff, staff).Order("id").Limit(500).Find(&entries).Error; err != nil {
			return err
		}
		if len(entries) == 0 {
			return nil
		}
		for i := range entries {
			last = entries[i].ID
			if err := each(&entries[i]); err != nil {
				return err
			}
		}
	}
}

// erasures gathers, while the chain is gone through, which entries do not hash to what they did at first, and what
// later entries say that they hash to since.
type erasures struct {
	found   map[uint64]string // as they are
	allowed map[uint64]string // as they are said to be, by the newest
}

func (r *erasures) see(e *AuditEntry) error {
	sum := e.sum()
	if string(sum) != string(e.Hash) {
		if e.Action == Erased { // what says which others were written over is never written over itself
			return errors.New("it was altered")
		}
		r.found[e.ID] = hex.EncodeToString(sum)
	}
	if e.Action != Erased {
		return nil
	}
	var of []erasure
	if err := json.Unmarshal([]byte(e.Operations), &of); err != nil {
		return err
	}
	for _, one := range of {
		var id uint64
		if _, err := fmt.Sscanf(one.On, "entry %d", &id); err == nil && id < e.ID {
			r.allowed[id] = one.After["sum"]
		}
	}
	return nil
}

// unexplained returns the first entry that was altered and of which no entry says so; 0 where there is none.
func (r *erasures) unexplained() (first uint64) {
	for id, sum := range r.found {
		if r.allowed[id] != sum && (first == 0 || id < first) {
			first = id
		}
	}
	return first
}

// keptFrom is the name under which it is noted from when on the history is kept.
const keptFrom = "history kept from"

// TrimHistory deletes former rows that stopped counting before a moment, of the tables in which it stands who somebody
// is. Nothing can be said of moments before it from then on.
func (s *Store) TrimHistory(ctx context.Context, before time.Time) error {
	if err := s.Look(ctx, keptFrom, before); err != nil {
		return err
	}
	for _, table := range []string{"staff", "exceptions", "bars", "certificates", "credentials"} {
		if err := s.db.WithContext(ctx).Session(&gorm.Session{SkipDefaultTransaction: true}).Exec(
			"DELETE HISTORY FROM "+table+" BEFORE SYSTEM_TIME ?", before.UTC()).Error; err != nil {
			return err
		}
	}
	return nil
}
