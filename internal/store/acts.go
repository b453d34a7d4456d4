package store

import (
	"context"
	"time"
)

// UrgentAct is something that cannot wait for the change that is being made. It counts from the moment it is kept, and
// becomes a change, or an entry of the audit log, as soon as its turn comes.
type UrgentAct struct {
	ID      uint64
	At      time.Time
	Content []byte // JSON
	MAC     []byte // by which an act is known that the service itself has kept
}

// TableName names the table.
func (UrgentAct) TableName() string { return "urgent_acts" }

// mostActs bounds how many acts are read: more stand in the line as other changes do.
const mostActs = 5000

// AddAct keeps an act.
func (s *Store) AddAct(ctx context.Context, act *UrgentAct) error {
	return s.own.WithContext(ctx).Create(act).Error
}

// UrgentActs returns the acts that wait for their turn, the earliest first.
func (s *Store) UrgentActs(ctx context.Context) (acts []UrgentAct, err error) {
	return acts, s.own.WithContext(ctx).Order("at, id").Limit(mostActs).Find(&acts).Error
}

// ActMade ends an act within the change that it becomes; ok is false where it has become one already.
func (tx *Tx) ActMade(id uint64) (ok bool, err error) {
	result := tx.db.Exec("DELETE FROM urgent_acts WHERE id = ?", id)
	if result.Error != nil || result.RowsAffected == 0 {
		return false, result.Error
	}
	return true, tx.db.Exec("DELETE FROM urgent_acts_known WHERE act_id = ?", id).Error
}

// Instance is a service that runs on the database.
type Instance struct {
	ID          uint64
	Host        string
	Revision    uint64        // up to which it knows all changes
	RefuseAfter time.Duration // after which it answers no door where it does not hear of changes
}

// Beat says that an instance is there, and what it knows.
func (s *Store) Beat(ctx context.Context, i Instance) error {
	return s.own.WithContext(ctx).Exec("INSERT INTO instances (id, host, revision, refuse_after_seconds, seen_at) "+
		"VALUES "+
		"(?, ?, ?, ?, SYSDATE(6)) ON DUPLICATE KEY UPDATE revision = VALUES(revision), seen_at = VALUES(seen_at)", i.ID,
		i.Host, i.Revision, i.RefuseAfter.Seconds()).Error
}

// Left says that an instance is there no more.
func (s *Store) Left(ctx context.Context, id uint64) error {
	return s.own.WithContext(ctx).Exec("DELETE FROM instances WHERE id = ?", id).Error
}

// KnowsAct says that an instance counts an act.
func (s *Store) KnowsAct(ctx context.Context, instance, act uint64) error {
	return s.own.WithContext(ctx).Exec("INSERT IGNORE INTO urgent_acts_known (act_id, instance_id) VALUES (?, ?)", act,
		instance).Error
}

// beatLate is how much later than it is written the word of an instance may be seen: nodes of a cluster have clocks of
// their own.
const beatLate = 2 * time.Second

// NotKnownBy returns how many other instances may still answer doors without knowing a revision, or an act where that
// is not 0.
func (s *Store) NotKnownBy(ctx context.Context, instance, revision, act uint64) (count int64, err error) {
	query := "SELECT COUNT(*) FROM instances WHERE id <> ? AND seen_at > SYSDATE(6) - INTERVAL (refuse_after_seconds " +
		"+ " +
		"?) SECOND AND revision < ?"
	values := []any{instance, beatLate.Seconds(), revision}
	if act != 0 {
		query = "SELECT COUNT(*) FROM instances WHERE id <> ? AND seen_at > SYSDATE(6) - INTERVAL " +
			"(refuse_after_seconds + ?) SECOND AND id NOT IN (SELECT instance_id FROM urgent_acts_known WHERE " +
			"act_id = ?) AND EXISTS (SELECT 1 FROM urgent_acts WHERE id = ?)"
		values = []any{instance, beatLate.Seconds(), act, act}
	}
	return count, s.own.WithContext(ctx).Raw(query, values...).Row().Scan(&count)
}
