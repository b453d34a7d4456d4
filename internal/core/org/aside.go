package org

import (
	"fmt"
	"maps"
	"slices"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// Aside is a record that could not be read, or contradicts others. It is left out of the state, so it gives nothing.
// Where it may have taken something away, from the person it belongs to, that person can do nothing until it can be
// read.
type Aside struct {
	Kind     string
	ID       uint32
	Staff    people.StaffID    // whose access it may have limited; 0: nobody's
	Template permit.TemplateID // of a local setting: whose holders it may have limited; one not on record: anybody's
	Problem  string
}

// NewAside is for a record that is wrong.
func NewAside(record any, problem error) Aside {
	a := Aside{Problem: problem.Error()}
	a.Kind, a.ID, a.Staff = Name(record)
	if l, is := record.(*LocalSetting); is {
		a.Template = l.Template
	}
	return a
}

// SetAside leaves a record out of the state.
func (s *State) SetAside(a Aside) {
	s.remove(a.Kind, a.ID)
	next := maps.Clone(s.aside)
	if next == nil {
		next = map[string]Aside{}
	}
	next[fmt.Sprint(a.Kind, ":", a.ID)] = a
	s.aside = next
}

// Readmit takes a record that can be read again off the list of those set aside.
func (s *State) Readmit(kind string, id uint32) {
	if len(s.aside) == 0 {
		return
	}
	if name := fmt.Sprint(kind, ":", id); s.aside[name].Kind != "" {
		next := maps.Clone(s.aside)
		delete(next, name)
		s.aside = next
	}
}

// AsideRecords returns what is set aside, in the order of kinds and numbers.
func (s *State) AsideRecords() []Aside {
	var list []Aside
	for _, name := range slices.Sorted(maps.Keys(s.aside)) {
		list = append(list, s.aside[name])
	}
	return list
}

// Suspect reports whether a record that may have limited somebody's access could not be read.
func (s *State) Suspect(id people.StaffID) bool {
	for _, a := range s.aside {
		if a.Staff == id {
			return true
		}
	}
	return false
}

// SuspectTemplate reports whether a local setting that may have limited the holders of a template could not be read.
func (s *State) SuspectTemplate(id permit.TemplateID) bool {
	for _, a := range s.aside {
		if a.Kind == "local_setting" && (a.Template == id || s.Template(a.Template) == nil) {
			return true
		}
	}
	return false
}

// remove takes a record out of the tables and indexes; its number stays in use.
func (s *State) remove(kind string, id uint32) {
	switch kind {
	case "place":
		if p := s.Places.Get(id); p != nil {
			s.placeByCode.Delete(key(p.Code))
		}
		s.Places.Put(id, nil)
	case "group":
		s.Groups.Put(id, nil)
	case "permission":
		s.Permissions.Put(id, nil)
	case "template":
		if t := s.Templates.Get(id); t != nil {
			s.templateByCode.Delete(key(t.Code))
		}
		s.Templates.Put(id, nil)
	case "staff":
		if p := s.Staff.Get(id); p != nil {
			s.staffByNumber.Delete(key(p.Number))
			if holder, _ := s.staffByEmail.Get(key(p.Email)); holder == p.ID {
				s.staffByEmail.Delete(key(p.Email))
			}
			if p.Owner {
				s.owners--
			}
		}
		s.Staff.Put(id, nil)
	case "assignment":
		if a := s.Assignments.Get(id); a != nil {
			s.belong(a.Staff, func(b *belongings) { b.assignments = without(b.assignments, a.ID) })
		}
		s.Assignments.Put(id, nil)
	case "exception":
		if e := s.Exceptions.Get(id); e != nil {
			s.belong(e.Staff, func(b *belongings) { b.exceptions = without(b.exceptions, e.ID) })
		}
		s.Exceptions.Put(id, nil)
	case "local_setting":
		s.LocalSettings.Put(id, nil)
	case "bar":
		if bar := s.Bars.Get(id); bar != nil {
			s.belong(bar.Staff, func(b *belongings) { b.bars = without(b.bars, bar.ID) })
		}
		s.Bars.Put(id, nil)
	case "qualification":
		if q := s.Qualifications.Get(id); q != nil {
			s.qualificationByCode.Delete(key(q.Code))
		}
		s.Qualifications.Put(id, nil)
	case "schedule":
		if c := s.Schedules.Get(id); c != nil {
			s.scheduleByCode.Delete(key(c.Code))
		}
		s.Schedules.Put(id, nil)
	case "notice":
		if n := s.Notices.Get(id); n != nil {
			s.noticeByCode.Delete(key(n.Code))
		}
		s.Notices.Put(id, nil)
	case "acceptance":
		if a := s.Acceptances.Get(id); a != nil {
			s.belong(a.Staff, func(b *belongings) { b.acceptances = without(b.acceptances, a.ID) })
		}
		s.Acceptances.Put(id, nil)
	case "certificate":
		if c := s.Certificates.Get(id); c != nil {
			s.belong(c.Staff, func(b *belongings) { b.certificates = without(b.certificates, c.ID) })
		}
		s.Certificates.Put(id, nil)
	case "team":
		if t := s.Teams.Get(id); t != nil {
			s.teamByCode.Delete(key(t.Code))
		}
		s.Teams.Put(id, nil)
	case "member":
		if m := s.Members.Get(id); m != nil {
			s.belong(m.Staff, func(b *belongings) { b.members = without(b.members, m.ID) })
			list := without(s.membersOf(m.Team), m.ID)
			s.ofTeam.Put(uint32(m.Team), &list)
		}
		s.Members.Put(id, nil)
	default:
		s.removeCredential(kind, id)
	}
}

// removeCredential is remove for what people show, and for the devices to which they do.
func (s *State) removeCredential(kind string, id uint32) {
	switch kind {
	case "badge":
		if b := s.Badges.Get(id); b != nil {
			s.badgeByNumber.Delete(badgeKey(b.Format, b.Number))
		}
		s.Badges.Put(id, nil)
	case "credential":
		if c := s.Credentials.Get(id); c != nil {
			s.belong(c.Staff, func(b *belongings) { b.credentials = without(b.credentials, c.ID) })
			s.unindex(c)
			if c.Badge != 0 {
				s.issued(c.Badge, func(list []credential.ID) []credential.ID { return without(list, c.ID) })
			}
		}
		s.Credentials.Put(id, nil)
	case "device":
		if d := s.Devices.Get(id); d != nil {
			s.deviceByToken.Delete(d.Token)
		}
		s.Devices.Put(id, nil)
	}
}

func without[T comparable](list []T, item T) []T {
	return slices.DeleteFunc(slices.Clone(list), func(other T) bool { return other == item })
}

// Settle sets aside what, among records just loaded, is wrong or refers to what is not there, and what refers to that.
func (s *State) Settle(loaded func(yield func(any) bool)) {
	for again := true; again; {
		again = false
		for record := range loaded {
			kind, id, _ := Name(record)
			if s.Record(kind, id) == nil {
				continue
			}
			if _, err := s.Check(record); err != nil {
				s.SetAside(NewAside(record, err))
				again = true
			}
		}
	}
}

// Record returns the record of a kind with a number, or nil.
func (s *State) Record(kind string, id uint32) any {
	switch kind {
	case "organisation":
		return &s.Settings
	case "place":
		return orNil(s.Places.Get(id))
	case "group":
		return orNil(s.Groups.Get(id))
	case "permission":
		return orNil(s.Permissions.Get(id))
	case "template":
		return orNil(s.Templates.Get(id))
	case "staff":
		return orNil(s.Staff.Get(id))
	case "assignment":
		return orNil(s.Assignments.Get(id))
	case "exception":
		return orNil(s.Exceptions.Get(id))
	case "local_setting":
		return orNil(s.LocalSettings.Get(id))
	case "bar":
		return orNil(s.Bars.Get(id))
	case "qualification":
		return orNil(s.Qualifications.Get(id))
	case "schedule":
		return orNil(s.Schedules.Get(id))
	case "notice":
		return orNil(s.Notices.Get(id))
	case "acceptance":
		return orNil(s.Acceptances.Get(id))
	case "certificate":
		return orNil(s.Certificates.Get(id))
	case "team":
		return orNil(s.Teams.Get(id))
	case "member":
		return orNil(s.Members.Get(id))
	case "badge":
		return orNil(s.Badges.Get(id))
	case "credential":
		return orNil(s.Credentials.Get(id))
	case "device":
		return orNil(s.Devices.Get(id))
	}
	return nil
}

// orNil turns a nil pointer into a nil any.
func orNil[T any](p *T) any {
	if p == nil {
		return nil
	}
	return p
}

// Name returns the kind and the number of a record, and whose access it may limit.
func Name(record any) (kind string, id uint32, limits people.StaffID) {
	switch r := record.(type) {
	case *Settings:
		return "organisation", 1, 0
	case *estate.Place:
		return "place", uint32(r.ID), 0
	case *permit.Group:
		return "group", uint32(r.ID), 0
	case *permit.Permission:
		return "permission", uint32(r.ID), 0
	case *permit.Template:
		return "template", uint32(r.ID), 0
	case *people.Staff:
		return "staff", uint32(r.ID), 0
	case *Assignment:
		return "assignment", uint32(r.ID), 0
	case *Exception:
		return "exception", uint32(r.ID), r.Staff
	case *LocalSetting:
		return "local_setting", uint32(r.ID), 0
	case *Bar:
		return "bar", uint32(r.ID), r.Staff
	case *qualification.Qualification:
		return "qualification", uint32(r.ID), 0
	case *hours.Schedule:
		return "schedule", uint32(r.ID), 0
	case *Notice:
		return "notice", uint32(r.ID), 0
	case *Acceptance:
		return "acceptance", uint32(r.ID), 0
	case *Certificate:
		return "certificate", uint32(r.ID), 0
	case *Team:
		return "team", uint32(r.ID), 0
	case *Member:
		return "member", uint32(r.ID), 0
	case *Badge:
		return "badge", uint32(r.ID), 0
	case *credential.Credential:
		return "credential", uint32(r.ID), 0
	case *Device:
		return "device", uint32(r.ID), 0
	}
	return "", 0, 0
}
