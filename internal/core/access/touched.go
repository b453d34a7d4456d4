package access

import (
	"maps"
	"slices"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
)

// Between says which parts differ between two states, of which one was forked of the other, however it came to that: by
// a change made here, or by rows that were read. Its cost is that of what differs.
func Between(before, after *org.State) Touched {
	touched := Touched{}
	staff := map[people.StaffID]bool{}
	for id := range before.Staff.Differing(&after.Staff) {
		staff[people.StaffID(id)] = true
	}
	// whose adds those whom a record belonged to, or belongs to.
	whose := func(differing func(yield func(uint32) bool), of func(s *org.State, id uint32) people.StaffID) {
		for id := range differing {
			for _, s := range []*org.State{before, after} {
				if p := of(s, id); p != 0 {
					staff[p] = true
				}
			}
		}
	}
	whose(before.Assignments.Differing(&after.Assignments), func(s *org.State, id uint32) people.StaffID {
		if a := s.Assignments.Get(id); a != nil {
			return a.Staff
		}
		return 0
	})
	whose(before.Exceptions.Differing(&after.Exceptions), func(s *org.State, id uint32) people.StaffID {
		if e := s.Exceptions.Get(id); e != nil {
			return e.Staff
		}
		return 0
	})
	whose(before.Bars.Differing(&after.Bars), func(s *org.State, id uint32) people.StaffID {
		if b := s.Bars.Get(id); b != nil {
			return b.Staff
		}
		return 0
	})
	whose(before.Credentials.Differing(&after.Credentials), func(s *org.State, id uint32) people.StaffID {
		if c := s.Credentials.Get(id); c != nil {
			return c.Staff
		}
		return 0
	})
	whose(before.Badges.Differing(&after.Badges), func(s *org.State, id uint32) people.StaffID {
		if c := s.HolderOf(credential.BadgeID(id)); c != nil {
			return c.Staff
		}
		return 0
	})
	whose(before.Certificates.Differing(&after.Certificates), func(s *org.State, id uint32) people.StaffID {
		if c := s.Certificates.Get(id); c != nil {
			return c.Staff
		}
		return 0
	})
	whose(before.Acceptances.Differing(&after.Acceptances), func(s *org.State, id uint32) people.StaffID {
		if a := s.Acceptances.Get(id); a != nil {
			return a.Staff
		}
		return 0
	})
	touched.Staff = slices.Sorted(maps.Keys(staff))
	for id := range before.Places.Differing(&after.Places) {
		touched.Places = true
		was, is := before.Places.Get(id), after.Places.Get(id)
		touched.Zones = touched.Zones || was != nil && (is == nil || was.TimeZone != is.TimeZone ||
			was.Parent != is.Parent)
	}
	touched.Catalogue = differs(before.Groups.Differing(&after.Groups)) ||
		differs(before.Permissions.Differing(&after.Permissions)) ||
		differs(before.Templates.Differing(&after.Templates))
	touched.Notices = differs(before.Notices.Differing(&after.Notices))
	touched.Schedules = differs(before.Schedules.Differing(&after.Schedules))
	return touched
}

// differs reports whether anything differs.
func differs(differing func(yield func(uint32) bool)) bool {
	for range differing {
		return true
	}
	return false
}
