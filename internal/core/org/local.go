package org

import (
	"fmt"
	"time"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/table"
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

var localSettingKind = &kindOf[LocalSetting, LocalSettingID]{name: "local_setting", plural: "local-settings",
	table:    func(s *State) *table.Table[LocalSetting] { return &s.LocalSettings },
	id:       func(l *LocalSetting) LocalSettingID { return l.ID },
	revision: func(l *LocalSetting) *uint64 { return &l.Revision },
	label: func(s *State, l *LocalSetting) string {
		permission := s.Permissions.Get(uint32(l.Permission))
		return fmt.Sprintf("%s at %s: “%s” %s", s.Template(l.Template).Name, s.Place(l.Place).Code, permission.Title,
			permission.Scale.Word(l.Level))
	},
	outOfUse: func(l *LocalSetting) bool { return l.Ended },
	refers: func(l *LocalSetting, to Reference) bool {
		return refersTo("place", l.Place, to) || refersTo("template", l.Template, to) ||
			refersTo("permission", l.Permission, to)
	},
	checks: (*checking).localSetting}

// LocalSetting returns the local setting with the number, or nil.
func (s *State) LocalSetting(id LocalSettingID) *LocalSetting { return s.LocalSettings.Get(uint32(id)) }

func (c *checking) localSetting(l *LocalSetting) {
	c.at(l.Place).refers("template", c.state.Template(l.Template) != nil)
	c.refers("permission", c.state.Permissions.Get(uint32(l.Permission)) != nil)
	c.dates(l.From, l.Until).text("reason", l.Reason, 500, true).moment("made_at", l.MadeAt)
	c.that("level", l.Level >= 0, "a level is none or above")
}
