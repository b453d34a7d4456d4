package store

import (
	"context"
	"encoding/binary"
	"fmt"
	"slices"
	"time"
)

// EventChain is the chain of the batches in which one instance writes events: each is sealed with the seal of the one
// before. One goroutine uses it.
type EventChain struct {
	Instance uint64 // differs from that of every other chain
	number   uint64
	mac      []byte
}

// eventBatch is one of a chain: which events it holds, and the seal over them and the batch before.
type eventBatch struct {
	Instance, Number uint64
	FirstID, LastID  uint64
	IDs              []byte `gorm:"column:ids"` // eight bytes each, in order
	MAC              []byte `gorm:"column:mac"`
}

// TableName names the table.
func (eventBatch) TableName() string { return "event_batches" }

func (c *EventChain) next(seal Sealer, events []Event) eventBatch {
	b := eventBatch{Instance: c.Instance, Number: c.number + 1}
	events = slices.Clone(events)
	slices.SortFunc(events, func(a, b Event) int { return int(int64(a.ID) - int64(b.ID)) })
	for i := range events {
		b.IDs = binary.BigEndian.AppendUint64(b.IDs, events[i].ID)
	}
	b.FirstID, b.LastID = events[0].ID, events[len(events)-1].ID
	b.MAC = b.sealed(seal, c.mac, events)
	return b
}

// sealed is the seal over a batch that comes after another.
func (b *eventBatch) sealed(seal Sealer, previous []byte, events []Event) []byte {
	content := make([]byte, 0, 128*len(events))
	for i := range events {
		e := &events[i]
		content = fmt.Appendf(content, "%d %d %d %d %d %d %t %d %d %d %d %d %d %d %d %d\n", e.ID, e.At.UnixMilli(),
			e.DeviceID, e.PlaceID, e.StaffID, e.PermissionID, e.Allowed, e.Reason, e.Level, e.AssignmentID, e.Revision,
			e.Shown, e.PINID, e.BadgeID, e.AboutID, e.AskedLevel)
	}
	return seal([]byte("event batch"), fmt.Append(nil, b.Instance), fmt.Append(nil, b.Number), previous, content)
}

// VerifyEvents checks the chains of events: that none was altered, moved in time, taken out or put in since they are
// kept. It returns how many events there are in them, and what is wrong, at most so many things. progress is told of
// how many were checked; nil: nobody. What an instance wrote last can be taken off the end together with its batches;
// copies of the head that are kept elsewhere, as of the audit log, are the remedy for that.
func (s *Store) VerifyEvents(ctx context.Context, seal Sealer, most int, progress func(done int)) (count int,
	found []string, err error) {
	var instances []uint64
	if err := s.db.WithContext(ctx).Raw("SELECT DISTINCT instance FROM " +
		"event_batches").Scan(&instances).Error; err != nil {
		return 0, nil, err
	}
	kept, sound, err := keptFromRow(s.db.WithContext(ctx), seal, KeptEvents)
	if err != nil {
		return 0, nil, err
	}
	if !sound {
		found = append(found, "from where on events are kept was written by something else than the service")
	}
	for _, instance := range instances {
		var previous []byte
		var last uint64
		for {
			var batches []eventBatch
			if err := s.db.WithContext(ctx).Where("instance = ? AND number > ?", instance, last).Order("number").
				Limit(100).Find(&batches).Error; err != nil {
				return count, found, err
			}
			if len(batches) == 0 {
				break
			}
			for i := range batches {
				b := &batches[i]
				if b.FirstID < kept.FirstID { // events of it were removed on purpose; the next one follows it
					previous, last = b.MAC, b.Number
					continue
				}
				ids := idsOf(b.IDs)
				var events []Event
				if err := s.db.WithContext(ctx).Where("id IN ?", ids).Order("id").Find(&events).Error; err != nil {
					return count, found, err
				}
				switch {
				case b.Number != last+1:
					found = append(found, fmt.Sprintf("batches %d to %d of events are missing", last+1, b.Number-1))
				case len(events) != len(ids):
					found = append(found, fmt.Sprintf("%d events were taken out after %s", len(ids)-len(events),
						eventTime(b.FirstID)))
				case string(b.MAC) != string(b.sealed(seal, previous, events)):
					found = append(found, fmt.Sprintf("events between %s and %s were altered, or their batch was",
						eventTime(b.FirstID), eventTime(b.LastID)))
				}
				previous, last = b.MAC, b.Number
				if count += len(events); progress != nil {
					progress(count)
				}
				if len(found) >= most {
					return count, found, nil
				}
			}
		}
	}
	put, err := s.eventsPutIn(ctx)
	if put > 0 {
		found = append(found, fmt.Sprintf("%d events were put in", put))
	}
	return count, found, err
}

// eventsPutIn counts the events that stand in no batch, since there are batches, day by day.
func (s *Store) eventsPutIn(ctx context.Context) (count int, err error) {
	var first, last uint64
	row := s.db.WithContext(ctx).Raw("SELECT COALESCE(MIN(first_id), 0), COALESCE((SELECT MAX(id) FROM events), 0) " +
		"FROM event_batches").Row()
	if err := row.Scan(&first, &last); err != nil || first == 0 {
		return 0, err
	}
	kept, _, err := keptFromRow(s.db.WithContext(ctx), nil, KeptEvents)
	if err != nil {
		return 0, err
	}
	first = max(first, kept.FirstID)
	const day = uint64(24*time.Hour/time.Millisecond) << 22
	for from := first; from <= last; from += day {
		var batches []eventBatch
		if err := s.db.WithContext(ctx).Select("ids").Where("first_id < ? AND last_id >= ?", from+day, from).
			Find(&batches).Error; err != nil {
			return count, err
		}
		known := map[uint64]bool{}
		for i := range batches {
			for _, id := range idsOf(batches[i].IDs) {
				known[id] = true
			}
		}
		var ids []uint64
		if err := s.db.WithContext(ctx).Raw("SELECT id FROM events WHERE id >= ? AND id < ?", from, from+day).
			Scan(&ids).Error; err != nil {
			return count, err
		}
		for _, id := range ids {
			if !known[id] {
				count++
			}
		}
	}
	return count, nil
}

func idsOf(encoded []byte) []uint64 {
	ids := make([]uint64, len(encoded)/8)
	for i := range ids {
		ids[i] = binary.BigEndian.Uint64(encoded[8*i:])
	}
	return ids
}

// eventTime is when an event happened, by its number.
func eventTime(id uint64) string {
	return time.UnixMilli(int64(id >> 22)).UTC().Format("2006-01-02 15:04:05")
}
