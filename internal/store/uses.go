package store

import (
	"context"
	"maps"
	"slices"
	"strings"
	"time"
)

// UseKind says what it is that was used.
type UseKind string

// The kinds: a credential at a door or a terminal, by its number; the console, by the number of the person; a device,
// by its number, that asked.
const (
	CredentialUse UseKind = "credential"
	SignInUse     UseKind = "sign_in"
	DeviceUse     UseKind = "device"
)

// usesAtOnce bounds one statement.
const usesAtOnce = 500

// NoteUses notes when things were last used; what is known to be later stays.
func (s *Store) NoteUses(ctx context.Context, kind UseKind, at map[uint32]time.Time) error {
	records := slices.Sorted(maps.Keys(at)) // in one order, so that two instances do not stand in each other's way
	for part := range slices.Chunk(records, usesAtOnce) {
		values := make([]any, 0, 3*len(part))
		for _, record := range part {
			values = append(values, kind, record, at[record].UTC().Truncate(time.Second))
		}
		if err := s.db.WithContext(ctx).Exec("INSERT INTO last_uses (kind, record, used_at) VALUES "+
			strings.Repeat("(?, ?, ?),", len(part)-1)+"(?, ?, ?) ON DUPLICATE KEY UPDATE "+
			"used_at = GREATEST(used_at, VALUES(used_at))", values...).Error; err != nil {
			return err
		}
	}
	return nil
}

// Uses returns when all things of a kind were last used, by their numbers.
func (s *Store) Uses(ctx context.Context, kind UseKind) (map[uint32]time.Time, error) {
	var rows []struct {
		Record uint32
		UsedAt time.Time
	}
	err := s.db.WithContext(ctx).Table("last_uses").Where("kind = ?", kind).Find(&rows).Error
	uses := make(map[uint32]time.Time, len(rows))
	for _, r := range rows {
		uses[r.Record] = r.UsedAt
	}
	return uses, err
}

// SessionCounts returns how many sessions and tokens each person has that count.
func (s *Store) SessionCounts(ctx context.Context, now time.Time) (map[uint32]int, error) {
	var rows []struct {
		StaffID uint32
		Count   int
	}
	err := s.db.WithContext(ctx).Model(&Session{}).Select("staff_id, COUNT(*) AS count").
		Where("expires_at > ?", now.UTC()).Group("staff_id").Find(&rows).Error
	counts := map[uint32]int{}
	for _, r := range rows {
		counts[r.StaffID] = r.Count
	}
	return counts, err
}
