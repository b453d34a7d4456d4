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

// Known is an instance as it last said that it is there.
type Known struct {
	ID          uint64
	Revision    uint64
	RefuseAfter float64   `gorm:"column:refuse_after_seconds"`
	SeenAt      time.Time // by the clock of its node
	Knows       bool      // the act that is asked about
	Became      bool      // that act has become a change, or there is none
	Newest      uint64    // revision of the last change at the moment at which this was read
}

// Refuses returns after how long without its database the instance answers no door.
func (k *Known) Refuses() time.Duration { return time.Duration(k.RefuseAfter * float64(time.Second)) }

// Instances returns all that have said that they are there, as of one moment, and whether each counts an act.
func (s *Store) Instances(ctx context.Context, act uint64) (list []Known, err error) {
	return list, s.own.WithContext(ctx).Raw("SELECT id, revision, refuse_after_seconds, seen_at, "+
		"EXISTS (SELECT 1 FROM urgent_acts_known WHERE act_id = ? AND instance_id = instances.id) AS knows, "+
		"NOT EXISTS (SELECT 1 FROM urgent_acts WHERE id = ?) AS became, "+
		"(SELECT revision FROM organisation WHERE id = 1) AS newest FROM instances", act, act).Scan(&list).Error
}
