package access

import (
	"fmt"
	"time"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

// Statement says in sentences what one assignment, or one exception, lets somebody do.
type Statement struct {
	Sentence   string // "Ana opens 6 doors at Harrow Bend, Mon–Sat 05:30–18:15, until 30 Nov 2026."
	Further    string // "There, Ana can also run a packing line and clear a jam."
	Assignment org.AssignmentID
	Exception  org.ExceptionID
	When       string // now, later or past
	Doors      []*estate.Place
	Able       []Ability
	Grounds    []Ground
}

// Ability is one permission within a statement.
type Ability struct {
	Permission *permit.Permission
	Level      permit.Level
	Words      string
	Setting    string // where the template says so
}

// Statements says everything that somebody can do by their assignments and exceptions, now, later and in the past.
// It describes what is given; a lock or a departure, which takes it all away, is for the caller to show.
func (s *Snapshot) Statements(id people.StaffID, at int64) []Statement {
	staff, p := s.state.Person(id), s.person(id)
	if staff == nil || p == nil {
		return nil
	}
	var statements []Statement
	if p.owner {
		statements = append(statements, Statement{Sentence: staff.Called() + " is an owner and can do everything, everywhere.", When: "now",
			Grounds: []Ground{{Kind: "owner", Ref: staff.Number, Text: "owners hold everything"}}})
	}
	grants := p.grants()
	for i := range grants {
		statements = append(statements, s.stateGrant(staff, p, &grants[i], at))
	}
	for i := range p.exceptions {
		statements = append(statements, s.stateException(staff, &p.exceptions[i], at))
	}
	return statements
}

func whenWord(at, from, until int64) string {
	switch {
	case at < from:
		return "later"
	case at >= until:
		return "past"
	}
	return "now"
}

func (s *Snapshot) stateGrant(staff *people.Staff, p *person, g *grant, at int64) Statement {
	return s.describe(staff.Called(), p, g, s.state.Assignment(g.assignment), s.tree.At(g.place), at)
}

func (s *Snapshot) describe(called string, p *person, g *grant, a *org.Assignment, standing *estate.Standing, at int64) Statement {
	template := s.state.Template(a.Template)
	st := Statement{Assignment: g.assignment, When: whenWord(at, g.from, g.until)}
	withheld := func(permission permit.PermissionID, place estate.PlaceID) bool {
		for i := range p.exceptions {
			if x := &p.exceptions[i]; x.withheld && x.permission == permission && at >= x.from && at < x.until && s.tree.Within(place, x.place) {
				return true
			}
		}
		return false
	}
	doorPermissions := map[permit.PermissionID]bool{}
	for here := range s.tree.Below(g.place) {
		asked := s.catalogue.PermissionByKey(here.Place.Asks)
		if here.Place.Kind != estate.Door || asked == nil {
			continue
		}
		doorPermissions[asked.ID] = true
		if !here.Retired && s.level(g.template, asked.ID) > 0 && !withheld(asked.ID, here.Place.ID) {
			st.Doors = append(st.Doors, here.Place)
		}
	}
	kinds := s.kindsBelow(g.place)
	var phrases []string
	for permission := range s.catalogue.Permissions {
		level := s.level(g.template, permission.ID)
		if level == 0 || withheld(permission.ID, g.place) || !anyKind(permission, kinds) {
			continue
		}
		ability := s.ability(permission, level)
		ability.Setting = s.SettingWords(permission, s.resolved[g.template][permission.ID])
		st.Able = append(st.Able, ability)
		if !doorPermissions[permission.ID] {
			phrases = append(phrases, ability.Words)
		}
	}
	moment := time.Unix(max(at, g.from), 0).In(standing.Location)
	tail := ", " + s.accessOf(g).Words(standing.Opening, day.Of(moment))
	switch st.When {
	case "later":
		tail += ", from " + a.From.Words()
	case "past":
		tail = ""
	}
	switch {
	case !a.Until.IsZero() && st.When == "past":
		tail += "; this ended on " + a.Until.Words()
	case !a.Until.IsZero():
		tail += ", until " + a.Until.Words()
	}
	switch {
	case len(st.Doors) == 0 && len(phrases) == 0:
		st.Sentence = fmt.Sprintf("%s can do nothing at %s: the template %s gives nothing there.", called, standing.Place.Name, template.Name)
	case len(st.Doors) == 0:
		st.Sentence = fmt.Sprintf("%s can %s at %s%s.", called, words.List(phrases), standing.Place.Name, tail)
	case standing.Place.Kind == estate.Door:
		st.Sentence = fmt.Sprintf("%s opens %s%s.", called, standing.Place.Name, tail)
	case len(st.Doors) == 1:
		st.Sentence = fmt.Sprintf("%s opens 1 door at %s%s.", called, standing.Place.Name, tail)
	default:
		st.Sentence = fmt.Sprintf("%s opens %d doors at %s%s.", called, len(st.Doors), standing.Place.Name, tail)
	}
	if len(st.Doors) > 0 && len(phrases) > 0 {
		st.Further = fmt.Sprintf("There, %s can also %s.", called, words.List(phrases))
	}
	st.Grounds = []Ground{
		{Kind: "assignment", Ref: fmt.Sprint(g.assignment), Text: fmt.Sprintf("%s at %s%s", template.Name, standing.Place.Name, datesWords(a.From, a.Until))},
		{Kind: "template", Ref: template.Code, Text: template.Name},
		{Kind: "hours", Text: s.accessOf(g).Words(standing.Opening, day.Of(moment))},
	}
	return st
}

func (s *Snapshot) stateException(staff *people.Staff, x *exception, at int64) Statement {
	record, permission := s.state.Exception(x.number), s.catalogue.Permission(x.permission)
	st := Statement{Exception: x.number, When: whenWord(at, x.from, x.until)}
	verb, place := "may also", s.state.Place(x.place).Name
	if x.withheld {
		verb = "may not"
	}
	st.Sentence = fmt.Sprintf("%s %s %s at %s%s, by exception.", staff.Called(), verb, words.LowerFirst(permission.Title), place, datesWords(record.From, record.Until))
	st.Grounds = []Ground{{Kind: "exception", Ref: fmt.Sprint(x.number), Text: record.Reason}}
	return st
}

// kindsBelow returns the kinds of the place and of all places below it that are in use.
func (s *Snapshot) kindsBelow(id estate.PlaceID) map[estate.Kind]bool {
	kinds := map[estate.Kind]bool{}
	for here := range s.tree.Below(id) {
		if !here.Retired {
			kinds[here.Place.Kind] = true
		}
	}
	return kinds
}

func anyKind(permission *permit.Permission, kinds map[estate.Kind]bool) bool {
	for _, kind := range permission.Kinds {
		if kinds[kind] {
			return true
		}
	}
	return false
}
