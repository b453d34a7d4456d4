package access

import (
	"cmp"
	"fmt"
	"strings"
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
	Bar        org.BarID
	Place      estate.PlaceID
	When       string          // now, later or past
	Doors      []*estate.Place // that open for the person, by what they have to show
	Short      []*estate.Place // doors that ask for more than they have to show
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

// Statements says everything that somebody can do by their assignments and exceptions, now, later and in the past. What it
// says of doors and of dates is what would be decided: doors that ask for more than somebody has are not among those that
// open, and an end is the earliest of all that apply, with which one it is.
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
		statements = append(statements, s.stateException(staff, p, &p.exceptions[i], at))
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
	return s.describe(staff, p, g, s.state.Assignment(g.assignment), s.tree.At(g.place), at)
}

// span is from when until when something counts for somebody, and what ends it.
type term struct {
	from, until int64
	ended       string // "when the contract ends": of an end that is not its own
}

// termOf cuts the dates of an assignment or an exception to those on which somebody works here at all.
func (p *person) termOf(from, until int64) term {
	t := term{from: max(from, p.span.Start), until: until}
	if p.span.Contract < t.until {
		t.until, t.ended = p.span.Contract, "the contract"
	}
	if p.span.Gone < t.until {
		t.until, t.ended = p.span.Gone, "the departure"
	}
	return t
}

// words says the dates of a term as they are seen at an instant: ", from 1 Dec 2026, until 30 Jan 2027, when the contract ends".
func (t *term) words(at int64, location *time.Location) string {
	on := func(instant int64) string { return day.Of(time.Unix(instant, 0).In(location)).Words() }
	tail := ""
	if at < t.from && t.from > everBefore {
		tail += ", from " + on(t.from)
	}
	switch {
	case t.until >= everAfter:
	case at >= t.until && t.ended != "":
		tail += "; this ended with " + t.ended + " on " + on(t.until-1)
	case at >= t.until:
		tail += "; this ended on " + on(t.until-1)
	case t.ended != "":
		tail += ", until " + on(t.until-1) + ", with " + t.ended
	default:
		tail += ", until " + on(t.until-1)
	}
	return tail
}

func (s *Snapshot) describe(staff *people.Staff, p *person, g *grant, a *org.Assignment, standing *estate.Standing, at int64) Statement {
	called, template, dated := staff.Called(), s.state.Template(a.Template), p.termOf(g.from, g.until)
	st := Statement{Assignment: g.assignment, Place: g.place, When: whenWord(at, dated.from, dated.until)}
	then := max(at, dated.from) // the moment that is spoken of
	if st.When == "past" {
		then = max(dated.from, dated.until-1)
	}
	withheld := func(permission permit.PermissionID, place estate.PlaceID) bool {
		return s.withheldFrom(p, permission, place, then)
	}
	has := s.hasToShow(staff.ID, then)
	doorPermissions := map[permit.PermissionID]bool{}
	for here := range s.tree.Below(g.place) {
		asked := s.catalogue.PermissionByKey(here.Place.Asks)
		if here.Place.Kind != estate.Door || asked == nil {
			continue
		}
		doorPermissions[asked.ID] = true
		switch {
		case here.Retired || s.level(g.template, asked.ID) == 0 || withheld(asked.ID, here.Place.ID):
		case has.satisfies(here.Place.Proof):
			st.Doors = append(st.Doors, here.Place)
		default:
			st.Short = append(st.Short, here.Place)
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
	hoursSaid := s.accessOf(g).Words(standing.Opening, day.Of(time.Unix(then, 0).In(standing.Location)))
	tail := dated.words(at, standing.Location)
	opens, can := "opens", "can"
	if st.When == "past" {
		opens, can = "opened", "could"
	} else {
		tail = ", " + hoursSaid + tail
	}
	who := called
	if st.When == "now" && at >= p.lockSince && at < p.lockUntil {
		who = "Once unlocked, " + called
	}
	place := standing.Place.Name
	switch doors := len(st.Doors); {
	case doors == 0 && len(st.Short) == 0 && len(phrases) == 0:
		st.Sentence = fmt.Sprintf("%s %s do nothing at %s: the template %s gives nothing there.", called, can, place, template.Name)
	case doors == 0 && len(phrases) > 0:
		st.Sentence = fmt.Sprintf("%s %s %s at %s%s.", who, can, words.List(phrases), place, tail)
	case doors == 0:
		st.Sentence = fmt.Sprintf("%s %s no door at %s%s.", who, opens, place, tail)
	case standing.Place.Kind == estate.Door:
		st.Sentence = fmt.Sprintf("%s %s %s%s.", who, opens, place, tail)
	default:
		st.Sentence = fmt.Sprintf("%s %s %s at %s%s.", who, opens, words.Count(doors, "door", "doors"), place, tail)
	}
	if len(st.Doors) > 0 && len(phrases) > 0 {
		st.Further = fmt.Sprintf("There, %s %s also %s.", called, can, words.List(phrases))
	}
	st.fallsShort(called)
	st.Grounds = []Ground{
		{Kind: "assignment", Ref: fmt.Sprint(g.assignment), Text: fmt.Sprintf("%s at %s%s", template.Name, standing.Place.Name, datesWords(a.From, a.Until))},
		{Kind: "template", Ref: template.Code, Text: template.Name},
		{Kind: "hours", Text: hoursSaid},
	}
	return st
}

// withheldFrom reports whether somebody is withheld a permission, or barred, at a place at an instant.
func (s *Snapshot) withheldFrom(p *person, permission permit.PermissionID, place estate.PlaceID, at int64) bool {
	for i := range p.exceptions {
		if x := &p.exceptions[i]; x.withheld && x.about(permission) && at >= x.from && at < x.until && s.tree.Within(place, x.place) {
			return true
		}
	}
	return false
}

// fallsShort adds that doors ask for more than somebody has to show.
func (st *Statement) fallsShort(called string) {
	n := len(st.Short)
	if n == 0 || st.When == "past" {
		return
	}
	st.Further = strings.TrimSpace(fmt.Sprintf("%s %s for more than %s has to show, such as %s, which asks for %s.", st.Further,
		map[bool]string{true: "1 door asks", false: fmt.Sprint(n, " doors ask")}[n == 1], called, st.Short[0].Name, st.Short[0].Proof.Words()))
}

func (s *Snapshot) stateException(staff *people.Staff, p *person, x *exception, at int64) Statement {
	if x.bar != 0 {
		return s.stateBar(staff, x, at)
	}
	record, permission, standing := s.state.Exception(x.number), s.catalogue.Permission(x.permission), s.tree.At(x.place)
	dated := p.termOf(x.from, x.until)
	st := Statement{Exception: x.number, Place: x.place, When: whenWord(at, dated.from, dated.until)}
	verb := map[bool]string{true: "may not", false: "may also"}[x.withheld]
	if st.When == "past" {
		verb = map[bool]string{true: "might not", false: "might also"}[x.withheld]
	}
	st.Sentence = fmt.Sprintf("%s %s %s at %s by exception%s.", staff.Called(), verb, words.LowerFirst(permission.Title), standing.Place.Name,
		cmp.Or(dated.words(at, standing.Location), ", with no end"))
	if !x.withheld {
		then := max(at, dated.from)
		has := s.hasToShow(staff.ID, then)
		for here := range s.tree.Below(x.place) {
			switch {
			case here.Place.Kind != estate.Door || here.Retired || here.Place.Asks != permission.Key || s.withheldFrom(p, permission.ID, here.Place.ID, then):
			case has.satisfies(here.Place.Proof):
				st.Doors = append(st.Doors, here.Place)
			default:
				st.Short = append(st.Short, here.Place)
			}
		}
		st.fallsShort(staff.Called())
	}
	st.Grounds = []Ground{{Kind: "exception", Ref: fmt.Sprint(x.number), Text: record.Reason}}
	return st
}

func (s *Snapshot) stateBar(staff *people.Staff, x *exception, at int64) Statement {
	standing := s.tree.At(x.place)
	st := Statement{Bar: x.bar, Place: x.place, When: whenWord(at, x.from, x.until)}
	until := ""
	if x.until < everAfter {
		until = ", until " + time.Unix(x.until, 0).In(standing.Location).Format("2 Jan 15:04")
	}
	verb := map[bool]string{true: "was barred from", false: "is barred from"}[st.When == "past"]
	st.Sentence = fmt.Sprintf("%s %s %s and all in it%s.", staff.Called(), verb, standing.Place.Name, until)
	st.Grounds = []Ground{{Kind: "bar", Ref: fmt.Sprint(x.bar), Text: s.state.Bar(x.bar).Reason}}
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
