package org

import (
	"fmt"
	"maps"
	"slices"

	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
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
	k := KindOf(record)
	a := Aside{Kind: k.Name(), ID: k.Number(record), Problem: problem.Error()}
	if k.limits() {
		a.Staff = k.Holder(record)
	}
	if l, is := record.(*LocalSetting); is {
		a.Template = l.Template
	}
	return a
}

// SetAside leaves a record out of the state.
func (s *State) SetAside(a Aside) {
	if k := KindNamed(a.Kind); k != nil {
		k.remove(s, a.ID)
	}
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

func without[T comparable](list []T, item T) []T {
	return slices.DeleteFunc(slices.Clone(list), func(other T) bool { return other == item })
}

// Settle sets aside what, among records just loaded, is wrong or refers to what is not there, and what refers to that.
func (s *State) Settle(loaded func(yield func(any) bool)) {
	for again := true; again; {
		again = false
		for record := range loaded {
			kind, id := Name(record)
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
