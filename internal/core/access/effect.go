package access

import (
	"slices"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Shift is one person gaining, or losing, a permission at a place. The levels are those before and after; equal
// levels mean that the dates, the hours or the places it is withheld at have shifted.
type Shift struct {
	Staff      people.StaffID
	Permission permit.PermissionID
	Place      estate.PlaceID
	Before     permit.Level
	After      permit.Level
}

// Effect is what a change changes: who gains what where, and who loses.
type Effect struct {
	Gains  []Shift // ordered by permission, place, person
	Losses []Shift
}

// Gainers returns how many people gain something.
func (e *Effect) Gainers() int { return countStaff(e.Gains) }

// Losers returns how many people lose something.
func (e *Effect) Losers() int { return countStaff(e.Losses) }

func countStaff(shifts []Shift) int {
	seen := map[people.StaffID]bool{}
	for _, shift := range shifts {
		seen[shift.Staff] = true
	}
	return len(seen)
}

// GivesSensitive reports whether somebody gains a permission that the catalogue marks sensitive.
func (e *Effect) GivesSensitive(catalogue *permit.Catalogue) bool {
	return slices.ContainsFunc(e.Gains, func(shift Shift) bool {
		permission := catalogue.Permission(shift.Permission)
		return permission != nil && permission.Sensitive
	})
}

type spot struct {
	permission permit.PermissionID
	place      estate.PlaceID
}

// Diff compares what people hold in two snapshots, from an instant on.
func Diff(before, after *Snapshot, staff []people.StaffID, at int64) Effect {
	var effect Effect
	for _, id := range staff {
		was, is := merge(before.Holdings(id, at)), merge(after.Holdings(id, at))
		for key, now := range is {
			then, had := was[key]
			if !had || reachesFurther(&now, &then) {
				effect.Gains = append(effect.Gains, Shift{id, key.permission, key.place, then.Level, now.Level})
			}
		}
		for key, then := range was {
			now, has := is[key]
			if !has || reachesFurther(&then, &now) {
				effect.Losses = append(effect.Losses, Shift{id, key.permission, key.place, then.Level, now.Level})
			}
		}
	}
	slices.SortFunc(effect.Gains, compareKeys)
	slices.SortFunc(effect.Losses, compareKeys)
	return effect
}

// merge puts several holdings of one permission at one place together: the highest level, the widest dates.
func merge(holdings []Holding) map[spot]Holding {
	merged := make(map[spot]Holding, len(holdings))
	for _, h := range holdings {
		key := spot{h.Permission, h.Place}
		if known, found := merged[key]; found {
			h.Level, h.From, h.Until = max(h.Level, known.Level), min(h.From, known.From), max(h.Until, known.Until)
			if known.Hours.Kind == hours.Always {
				h.Hours = known.Hours
			}
		}
		merged[key] = h
	}
	return merged
}

func reachesFurther(a, b *Holding) bool {
	return a.Level > b.Level || a.From < b.From || a.Until > b.Until ||
		len(a.Except) < len(b.Except) || (!sameHours(a.Hours, b.Hours) && b.Hours.Kind != hours.Always)
}

func sameHours(a, b *hours.Access) bool {
	return a == b || a.Kind == b.Kind && a.BeforeMinutes == b.BeforeMinutes && a.AfterMinutes == b.AfterMinutes && slices.Equal(a.Rules, b.Rules)
}

// DiffPlace adds to an effect what changing a place in the tree (moving it, retiring it, bringing it back) does to
// those whose assignments stand above it: for the place and each door below it, who can no longer, or can now.
func DiffPlace(effect *Effect, before, after *Snapshot, place estate.PlaceID, at int64) {
	for here := range after.tree.Below(place) {
		id := here.Place.ID
		if here.Place.Kind.HoldsOthers() {
			continue
		}
		for permission := range after.catalogue.Permissions {
			if !permission.AppliesTo(here.Place.Kind) || here.Place.Kind == estate.Door && permission.Key != here.Place.Asks {
				continue
			}
			was, is := levelsOf(before.WhoCan(permission.ID, id, at)), levelsOf(after.WhoCan(permission.ID, id, at))
			for staff, level := range is {
				if was[staff] < level {
					effect.Gains = append(effect.Gains, Shift{staff, permission.ID, id, was[staff], level})
				}
			}
			for staff, level := range was {
				if is[staff] < level {
					effect.Losses = append(effect.Losses, Shift{staff, permission.ID, id, level, is[staff]})
				}
			}
		}
	}
	slices.SortFunc(effect.Gains, compareKeys)
	slices.SortFunc(effect.Losses, compareKeys)
	effect.Gains, effect.Losses = slices.Compact(effect.Gains), slices.Compact(effect.Losses)
}

func levelsOf(can []Can) map[people.StaffID]permit.Level {
	levels := make(map[people.StaffID]permit.Level, len(can))
	for _, c := range can {
		levels[c.Staff] = c.Decision.Level
	}
	return levels
}
