package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// KeyedRequest is a request that was made under an idempotency key, with what became of it.
type KeyedRequest struct {
	StaffID   uint32
	Key       string
	Request   []byte // digest of method, path and body
	Attempt   uint32 // how often it was begun: of several at once the last may write
	Status    int    // 0 while the request is being carried out, or where its answer was lost
	AuditID   *uint64
	Response  []byte // sealed, without secrets
	CreatedAt time.Time
	// Secrets that its change generated, sealed, and until when they are kept
	Secrets      []byte     `gorm:"column:sealed_secrets"`
	SecretsUntil *time.Time `gorm:"column:secrets_until"`
}

// TableName names the table.
func (KeyedRequest) TableName() string { return "idempotency_keys" }

// ClaimKey claims an idempotency key. Where it is claimed already, claimed is false and the earlier request is
// returned.
func (s *Store) ClaimKey(ctx context.Context, kept KeyedRequest) (earlier KeyedRequest, claimed bool, err error) {
	result := s.db.WithContext(ctx).Exec("INSERT IGNORE INTO idempotency_keys (staff_id, `key`, request, attempt, "+
		"status, created_at) VALUES (?, ?, ?, 1, 0, ?)", kept.StaffID, kept.Key, kept.Request, kept.CreatedAt.UTC())
	if result.Error != nil || result.RowsAffected == 1 {
		kept.Attempt = 1
		return kept, result.Error == nil, result.Error
	}
	earlier, err = s.KeyOf(ctx, kept)
	return earlier, false, err
}

// KeyOf returns what became of a request; the zero value where its key was given free meanwhile.
func (s *Store) KeyOf(ctx context.Context, of KeyedRequest) (kept KeyedRequest, err error) {
	err = s.db.WithContext(ctx).Where("staff_id = ? AND `key` = ?", of.StaffID, of.Key).Take(&kept).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return KeyedRequest{}, nil
	}
	return kept, err
}

// TakeOver begins a request again whose end is not known: the one before can write no more. ok is false where that has
// come to an end meanwhile, or was taken over by another.
func (s *Store) TakeOver(ctx context.Context, of KeyedRequest) (kept KeyedRequest, ok bool, err error) {
	result := s.db.WithContext(ctx).Exec("UPDATE idempotency_keys SET attempt = attempt + 1 WHERE staff_id = ? AND "+
		"`key` = ? AND attempt = ? AND status = 0 AND audit_id IS NULL", of.StaffID, of.Key, of.Attempt)
	of.Attempt++
	return of, result.RowsAffected == 1, result.Error
}

// ErrOutlived is the error of a request that was begun again by another with its key.
var ErrOutlived = errors.New("this request was begun again with its key; that one goes on")

// Keyed notes, within a change, that it was made by a request, with the secrets that it generated, unless that was
// taken over.
func (tx *Tx) Keyed(of *KeyedRequest, auditID uint64) error {
	var attempt uint32
	if err := tx.db.Raw("SELECT attempt FROM idempotency_keys WHERE staff_id = ? AND `key` = ? FOR UPDATE", of.StaffID,
		of.Key).Row().Scan(&attempt); err != nil {
		return fmt.Errorf("the idempotency key of this request is gone: %w", err)
	}
	if attempt != of.Attempt {
		return ErrOutlived
	}
	return tx.db.Exec("UPDATE idempotency_keys SET audit_id = COALESCE(audit_id, ?), sealed_secrets = ?, "+
		"secrets_until = ? WHERE staff_id = ? AND `key` = ?", auditID, of.Secrets, of.SecretsUntil, of.StaffID,
		of.Key).Error
}

// NoteMade is Keyed for a change that counted before its turn came: it is made whatever became of the request
// meanwhile.
func (tx *Tx) NoteMade(of *KeyedRequest, auditID uint64) error {
	return tx.db.Exec("UPDATE idempotency_keys SET audit_id = COALESCE(audit_id, ?) WHERE staff_id = ? AND `key` = ? AND "+
		"attempt = ?", auditID, of.StaffID, of.Key, of.Attempt).Error
}

// Answer keeps the answer to a request; status 0 gives the key free again, unless a change was made under it.
func (s *Store) Answer(ctx context.Context, kept KeyedRequest) error {
	db := s.db.WithContext(ctx)
	if kept.Status == 0 {
		return db.Where("staff_id = ? AND `key` = ? AND attempt = ? AND audit_id IS NULL", kept.StaffID, kept.Key,
			kept.Attempt).Delete(&KeyedRequest{}).Error
	}
	return db.Exec("UPDATE idempotency_keys SET status = ?, response = ? WHERE staff_id = ? AND `key` = ? AND "+
		"attempt = ?", kept.Status, kept.Response, kept.StaffID, kept.Key, kept.Attempt).Error
}
