package store

import (
	"context"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"time"
)

var errNoRows = sql.ErrNoRows

// Binding is what binds a database to its key file, and how its PINs are hashed.
type Binding struct {
	Revision uint64
	KeyCheck []byte // nil: bound to none yet
	PINSalt  []byte
	PINCost  string
	Schema   int64 // the version of the tables
}

// Binding returns what binds the database to its key file.
func (s *Store) Binding(ctx context.Context) (h Binding, err error) {
	row := s.own.WithContext(ctx).Raw(
		"SELECT revision, key_check, pin_salt, pin_cost, (SELECT MAX(version_id) FROM goose_db_version) " +
			"FROM organisation WHERE id = 1").Row()
	err = row.Scan(&h.Revision, &h.KeyCheck, &h.PINSalt, &h.PINCost, &h.Schema)
	if errors.Is(err, errNoRows) {
		err = fmt.Errorf("%w: it has no organisation; restore a whole backup into an empty schema", ErrHalf)
	}
	return h, err
}

// Bind binds a database that is bound to no key file yet.
func (s *Store) Bind(ctx context.Context, h Binding) error {
	result := s.db.WithContext(ctx).Exec(
		"UPDATE organisation SET key_check = ?, pin_salt = ?, pin_cost = ? WHERE id = 1 AND key_check IS NULL",
		h.KeyCheck, h.PINSalt, h.PINCost)
	if result.Error == nil && result.RowsAffected != 1 {
		return errors.New("another instance has bound this database to a key file just now; start again")
	}
	return result.Error
}

// Head is the end of the audit log: how many entries it has, and the hash of the last.
type Head struct {
	Entries uint64
	Hash    []byte
}

// Message is what is signed of a head.
func (h Head) Message() []byte {
	return fmt.Appendf(nil, "loyal latch audit head\n%d\n%s\n", h.Entries, hex.EncodeToString(h.Hash))
}

// SignWith has each new head of the audit log signed. It is called once, before the first change.
func (s *Store) SignWith(sign func(Head) []byte) { s.sign = sign }

// Head returns the head of the audit log with its signature, which is empty where none was ever made.
func (s *Store) Head(ctx context.Context) (head Head, signature []byte, err error) {
	row := s.db.WithContext(ctx).Raw("SELECT audit_count, audit_hash, audit_seal FROM organisation WHERE id = 1").Row()
	return head, signature, row.Scan(&head.Entries, &head.Hash, &signature)
}

// SealedPIN is the encrypted slow hash of a PIN in use.
type SealedPIN struct {
	ID     uint32
	Sealed []byte
	Digest []byte
}

// Rekeying is how a database is given another key.
type Rekeying struct {
	Was     []byte // what must bind the database now; nil: whatever does
	Becomes []byte
	Sign    func(Head) []byte
	Seal    Sealer
	// Renew writes a PIN anew under the other key; kept is false where it cannot be read, so that it is withdrawn
	Renew  func(*SealedPIN) (kept bool)
	Why    string // a PIN is withdrawn, in the words of its record
	Action string
	Origin string
	Says   string
}

// Rekey writes, in one transaction, everything that depends on the key: the sealed PINs and their digests, what binds
// the database, the signature of the audit log's head, and none of what was kept under the old one. It returns whose
// PIN was withdrawn, by the number of the record.
func (s *Store) Rekey(ctx context.Context, k Rekeying) (lost []uint32, err error) {
	return lost, s.Change(ctx, time.Time{}, func(tx *Tx) error {
		lost = nil
		var check []byte
		if err := tx.db.Raw("SELECT key_check FROM organisation WHERE id = 1").Row().Scan(&check); err != nil {
			return err
		}
		if k.Was != nil && string(check) != string(k.Was) {
			return errors.New("this database is not bound to the present key file")
		}
		if lost, err = tx.renewPINs(k); err != nil {
			return err
		}
		// Of those that were withdrawn only the digest under the old key is left.
		const forget = "UPDATE credentials SET former_digest = NULL, revision = ? WHERE former_digest IS NOT NULL"
		if err := tx.db.Exec(forget, tx.Revision+1).Error; err != nil {
			return err
		}
		for _, statement := range []string{
			// All seals are made anew, under the new key, by the service that starts next.
			"UPDATE organisation SET seals_sum = NULL, seals_mac = NULL, key_backup_at = NULL WHERE id = 1",
			// Events of before stand in no batch from then on.
			"DELETE FROM event_batches",
			// What is kept of PINs in the past stands under the old key, also of those that count today.
			"DELETE HISTORY FROM credentials",
			"UPDATE imports SET sealed_pins = NULL WHERE sealed_pins IS NOT NULL",
			"DELETE FROM idempotency_keys", "DELETE FROM tries", "DELETE FROM known_addresses",
			"DELETE FROM pin_reserve", "DELETE FROM links", "DELETE FROM terminal_codes"} {
			if err := tx.db.Exec(statement).Error; err != nil {
				return err
			}
		}
		tx.sign = k.Sign
		if err := tx.resealKept(k.Seal); err != nil {
			return err
		}
		about := make([]Subject, len(lost))
		for i, staff := range lost {
			about[i] = Subject{Kind: "staff", Number: staff}
		}
		entry := AuditEntry{At: time.Now(), Action: k.Action, Actor: "loyald", Origin: k.Origin, Summary: k.Says,
			Revision: tx.Revision + 1, Operations: "[]"}
		if len(lost) > 0 {
			entry.Summary += fmt.Sprintf("; PINs of %d people cannot be read and are withdrawn", len(lost))
		}
		if _, err := tx.Audit(entry, about); err != nil {
			return err
		}
		return tx.db.Exec("UPDATE organisation SET key_check = ? WHERE id = 1", k.Becomes).Error
	})
}

// renewPINs writes each PIN in use anew, and withdraws those that cannot be read.
func (tx *Tx) renewPINs(k Rekeying) (lost []uint32, err error) {
	var sealed []struct {
		SealedPIN
		StaffID uint32
		Duress  bool
	}
	if err := tx.db.Raw("SELECT id, sealed, digest, staff_id, duress FROM credentials WHERE kind = 'pin' AND digest " +
		"IS " +
		"NOT NULL ORDER BY id").Scan(&sealed).Error; err != nil {
		return nil, err
	}
	now := time.Now().UTC()
	for i := range sealed {
		pin := &sealed[i]
		if k.Renew(&pin.SealedPIN) {
			if err := tx.db.Exec("UPDATE credentials SET sealed = ?, digest = ?, revision = ? WHERE id = ?",
				pin.Sealed, pin.Digest, tx.Revision+1, pin.ID).Error; err != nil {
				return nil, err
			}
			continue
		}
		if err := tx.db.Exec("UPDATE credentials SET state = 'withdrawn', sealed = NULL, digest = NULL, state_since "+
			"= ?, "+
			"state_reason = ?, revision = ? WHERE id = ?", now.Truncate(time.Second), k.Why, tx.Revision+1,
			pin.ID).Error; err != nil {
			return nil, err
		}
		if pin.Duress {
			continue
		}
		lost = append(lost, pin.StaffID)
		if err := tx.db.Exec("INSERT IGNORE INTO lost_pins (staff_id, at, why) VALUES (?, ?, ?)", pin.StaffID, now,
			k.Why).Error; err != nil {
			return nil, err
		}
	}
	return lost, nil
}

// BackedUp notes that the key file has a backup.
func (s *Store) BackedUp(ctx context.Context, at time.Time) error {
	return s.own.WithContext(ctx).Exec("UPDATE organisation SET key_backup_at = ? WHERE id = 1",
		at.UTC().Truncate(time.Second)).Error
}

// KeyBackup returns when the key file was backed up last; zero: never, as far as is known.
func (s *Store) KeyBackup(ctx context.Context) (at time.Time, err error) {
	var kept *time.Time
	row := s.own.WithContext(ctx).Raw("SELECT key_backup_at FROM organisation WHERE id = 1").Row()
	if err := row.Scan(&kept); err != nil || kept == nil {
		return at, err
	}
	return *kept, nil
}
