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
}

// Binding returns what binds the database to its key file.
func (s *Store) Binding(ctx context.Context) (h Binding, err error) {
	row := s.own.WithContext(ctx).Raw(
		"SELECT revision, key_check, pin_salt, pin_cost FROM organisation WHERE id = 1").Row()
	return h, row.Scan(&h.Revision, &h.KeyCheck, &h.PINSalt, &h.PINCost)
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

// Rotate writes, in one transaction, everything that depends on the key: the sealed PINs and their digests, what binds
// the database, the signature of the audit log's head, and none of what was kept under the old one.
func (s *Store) Rotate(ctx context.Context, was []byte, becomes Binding, sign func(Head) []byte,
	renew func(*SealedPIN) error) error {
	return s.Change(ctx, time.Time{}, func(tx *Tx) error {
		var check []byte
		if err := tx.db.Raw("SELECT key_check FROM organisation WHERE id = 1").Row().Scan(&check); err != nil {
			return err
		}
		if string(check) != string(was) {
			return errors.New("this database is not bound to the present key file")
		}
		var sealed []SealedPIN
		if err := tx.db.Raw("SELECT id, sealed, digest FROM credentials WHERE kind = 'pin' AND digest IS NOT NULL " +
			"ORDER BY id").Scan(&sealed).Error; err != nil {
			return err
		}
		for i := range sealed {
			if err := renew(&sealed[i]); err != nil {
				return fmt.Errorf("credential %d: %w", sealed[i].ID, err)
			}
			if err := tx.db.Exec("UPDATE credentials SET sealed = ?, digest = ?, revision = ? WHERE id = ?",
				sealed[i].Sealed, sealed[i].Digest, tx.Revision+1, sealed[i].ID).Error; err != nil {
				return err
			}
		}
		// Of those that were withdrawn only the digest under the old key is left.
		const forget = "UPDATE credentials SET former_digest = NULL, revision = ? WHERE former_digest IS NOT NULL"
		if err := tx.db.Exec(forget, tx.Revision+1).Error; err != nil {
			return err
		}
		// All seals are made anew, under the new key, by the service that starts next.
		// Events of before stand in no batch from then on.
		for _, statement := range []string{"UPDATE organisation SET seals_sum = NULL, seals_mac = NULL WHERE id = 1",
			"DELETE FROM event_batches"} {
			if err := tx.db.Exec(statement).Error; err != nil {
				return err
			}
		}
		// What is kept of PINs in the past stands under the old key, also of those that count today.
		if err := tx.db.Exec("DELETE HISTORY FROM credentials").Error; err != nil {
			return err
		}
		for _, table := range []string{"idempotency_keys", "tries", "known_addresses", "pin_reserve"} {
			if err := tx.db.Exec("DELETE FROM " + table).Error; err != nil {
				return err
			}
		}
		tx.sign = sign
		entry := AuditEntry{At: time.Now(), Action: "keys-rotated", Actor: "loyald", Origin: "loyald keys rotate",
			Summary: "Rotated the key", Revision: tx.Revision + 1, Operations: "[]"}
		if _, err := tx.Audit(entry, nil); err != nil {
			return err
		}
		return tx.db.Exec("UPDATE organisation SET key_check = ? WHERE id = 1", becomes.KeyCheck).Error
	})
}
