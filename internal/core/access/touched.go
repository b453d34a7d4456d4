package access

import (
	"cmp"
	"maps"
	"slices"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/table"
)

// Between says which parts differ between two states, of which one was forked of the other, however it came to that: by
// a change made here, or by rows that were read. Its cost is that of what differs.
func Between(before, after *org.State) Touched {
	touched := Touched{}
	staff := map[people.StaffID]bool{}
	for id := range before.Staff.Differing(&after.Staff) {
		staff[people.StaffID(id)] = true
	}
	whose(staff, &before.Assignments, &after.Assignments, func(a *org.Assignment) people.StaffID { return a.Staff })
	whose(staff, &before.Exceptions, &after.Exceptions, func(e *org.Exception) people.StaffID { return e.Staff })
	whose(staff, &before.Bars, &after.Bars, func(b *org.Bar) people.StaffID { return b.Staff })
	whose(staff, &before.Credentials, &after.Credentials,
		func(c *credential.Credential) people.StaffID { return c.Staff })
	whose(staff, &before.Certificates, &after.Certificates, func(c *org.Certificate) people.StaffID { return c.Staff })
	whose(staff, &before.Acceptances, &after.Acceptances, func(a *org.Acceptance) people.StaffID { return a.Staff })
	for id := range before.Badges.Differing(&after.Badges) {
		if held := after.HolderOf(credential.BadgeID(id)); held != nil { // whose it was, a credential says
			staff[held.Staff] = true
		}
	}
	touched.Staff = slices.Sorted(maps.Keys(staff))
	for id := range before.Places.Differing(&after.Places) {
		touched.Places = true
		was, is := before.Places.Get(id), after.Places.Get(id)
		touched.Zones = touched.Zones || was != nil && (is == nil || was.TimeZone != is.TimeZone ||
			was.Parent != is.Parent)
	}
	touched.Catalogue = differs(before.Groups.Differing(&after.Groups)) ||
		differs(before.Permissions.Differing(&after.Permissions)) ||
		differs(before.Templates.Differing(&after.Templates)) ||
		differs(before.LocalSettings.Differing(&after.LocalSettings))
	touched.Notices = differs(before.Notices.Differing(&after.Notices))
	touched.Schedules = differs(before.Schedules.Differing(&after.Schedules))
	return touched
}

// whose adds those to whom records belong that differ. Whose a record is never changes.
func whose[R any](staff map[people.StaffID]bool, before, after *table.Table[R], of func(*R) people.StaffID) {
	for id := range before.Differing(after) {
		if record := cmp.Or(after.Get(id), before.Get(id)); record != nil {
			staff[of(record)] = true
		}
	}
}

// differs reports whether anything differs.
func differs(differing func(yield func(uint32) bool)) bool {
	for range differing {
		return true
	}
	return false
}
