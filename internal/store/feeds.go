package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
)

// Feed is an address at which a manager's calendar reads what runs out. Its token is held as its SHA-256.
type Feed struct {
	ID        uint32
	Token     []byte
	StaffID   uint32
	Name      string
	CreatedAt time.Time
	LastUsed  *time.Time
}

// AddFeed stores a feed.
func (s *Store) AddFeed(ctx context.Context, feed *Feed) error {
	return s.db.WithContext(ctx).Create(feed).Error
}

// Feeds returns somebody's feeds, oldest first.
func (s *Store) Feeds(ctx context.Context, staff uint32) (feeds []Feed, err error) {
	return feeds, s.db.WithContext(ctx).Where("staff_id = ?", staff).Order("id").Find(&feeds).Error
}

// FeedByToken returns the feed with the token digest; nil when there is none.
func (s *Store) FeedByToken(ctx context.Context, token []byte) (*Feed, error) {
	var feed Feed
	err := s.db.WithContext(ctx).Where("token = ?", token).Take(&feed).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	return &feed, err
}

// UseFeed notes that a feed was read.
func (s *Store) UseFeed(ctx context.Context, id uint32, at time.Time) error {
	return s.db.WithContext(ctx).Model(&Feed{}).Where("id = ?", id).Update("last_used", at.UTC()).Error
}

// EndFeed deletes one of somebody's feeds; its address leads nowhere from then on.
func (s *Store) EndFeed(ctx context.Context, staff, id uint32) (found bool, err error) {
	result := s.db.WithContext(ctx).Where("id = ? AND staff_id = ?", id, staff).Delete(&Feed{})
	return result.RowsAffected > 0, result.Error
}
