package org

import (
	"time"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/permit"
)

// LocalSettingID is the number of a local setting.
type LocalSettingID uint32

// LocalSetting says that at a place and all below it a template has another level of one permission, or none, between
// two dates: for everybody who has the template there, now and later.
type LocalSetting struct {
	ID         LocalSettingID      `json:"id"`
	Place      estate.PlaceID      `json:"place"`
	Template   permit.TemplateID   `json:"template"`
	Permission permit.PermissionID `json:"permission"`
	Level      permit.Level        `json:"level"`           // 0: none
	From       day.Date            `json:"from,omitempty"`  // first day, in the site's time zone; none: since ever
	Until      day.Date            `json:"until,omitempty"` // last day that counts; none: open
	Reason     string              `json:"reason"`
	MadeAt     time.Time           `json:"made_at"`
	Ended      bool                `json:"ended,omitempty"` // taken back; kept for the record
	Revision   uint64              `json:"-"`
}

// About reports whether two local settings are about the same template, permission and place.
func (l *LocalSetting) About(other *LocalSetting) bool {
	return l.Place == other.Place && l.Template == other.Template && l.Permission == other.Permission
}

// Overlaps reports whether there is a day on which two of them count.
func (l *LocalSetting) Overlaps(other *LocalSetting) bool {
	return (l.Until.IsZero() || other.From <= l.Until) && (other.Until.IsZero() || l.From <= other.Until)
}

// PutLocalSetting stores a local setting.
func (s *State) PutLocalSetting(l *LocalSetting) { s.LocalSettings.Put(uint32(l.ID), l) }

// LocalSetting returns the local setting with the number, or nil.
func (s *State) LocalSetting(id LocalSettingID) *LocalSetting { return s.LocalSettings.Get(uint32(id)) }

func (c *checking) localSetting(l *LocalSetting) {
	c.refers("place", c.state.Place(l.Place) != nil).refers("template", c.state.Template(l.Template) != nil)
	c.refers("permission", c.state.Permissions.Get(uint32(l.Permission)) != nil)
	c.dates(l.From, l.Until).text("reason", l.Reason, 500, true).moment("made_at", l.MadeAt)
	c.that("level", l.Level >= 0, "a level is none or above")
}
