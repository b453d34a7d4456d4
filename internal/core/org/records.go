package org

import (
	"fmt"
	"slices"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
	"loyallatch.example/latch/internal/core/table"
)

// The descriptions of kinds whose records are types of other packages follow, and of those in org.go.

var placeKind = &kindOf[estate.Place, estate.PlaceID]{name: "place", plural: "places",
	table:    func(s *State) *table.Table[estate.Place] { return &s.Places },
	id:       func(p *estate.Place) estate.PlaceID { return p.ID },
	revision: func(p *estate.Place) *uint64 { return &p.Revision },
	code:     func(p *estate.Place) string { return p.Code },
	label:    func(_ *State, p *estate.Place) string { return p.Code + " " + p.Name },
	outOfUse: func(p *estate.Place) bool { return p.Retired },
	refers: func(p *estate.Place, to Reference) bool {
		return refersTo("place", p.Parent, to) || refersToOne("qualification", p.Requires, to)
	},
	checks: (*checking).place,
	placed: func(s *State, _, p *estate.Place) {
		if p.Kind == estate.Organisation {
			s.root = p.ID
		}
	}}

var groupKind = &kindOf[permit.Group, permit.GroupID]{name: "group",
	table:    func(s *State) *table.Table[permit.Group] { return &s.Groups },
	id:       func(g *permit.Group) permit.GroupID { return g.ID },
	revision: func(g *permit.Group) *uint64 { return &g.Revision },
	code:     func(g *permit.Group) string { return g.Key }, codeField: "key",
	label:    func(_ *State, g *permit.Group) string { return g.Key + " " + g.Title },
	outOfUse: func(g *permit.Group) bool { return g.Retired },
	refers:   func(g *permit.Group, to Reference) bool { return refersTo("group", g.Parent, to) },
	checks: func(c *checking, g *permit.Group) {
		c.text("key", g.Key, 64, true).text("title", g.Title, 120, true).refers("parent",
			g.Parent == 0 || c.state.Groups.Get(uint32(g.Parent)) != nil)
	}}

var permissionKind = &kindOf[permit.Permission, permit.PermissionID]{name: "permission", plural: "permissions",
	table:    func(s *State) *table.Table[permit.Permission] { return &s.Permissions },
	id:       func(p *permit.Permission) permit.PermissionID { return p.ID },
	revision: func(p *permit.Permission) *uint64 { return &p.Revision },
	code:     func(p *permit.Permission) string { return p.Key }, codeField: "key",
	label:    func(_ *State, p *permit.Permission) string { return p.Key + " " + p.Title },
	outOfUse: func(p *permit.Permission) bool { return p.Retired },
	refers:   func(p *permit.Permission, to Reference) bool { return refersTo("group", p.Group, to) },
	checks:   (*checking).permission}

var templateKind = &kindOf[permit.Template, permit.TemplateID]{name: "template", plural: "templates",
	table:    func(s *State) *table.Table[permit.Template] { return &s.Templates },
	id:       func(t *permit.Template) permit.TemplateID { return t.ID },
	revision: func(t *permit.Template) *uint64 { return &t.Revision },
	code:     func(t *permit.Template) string { return t.Code },
	label:    func(_ *State, t *permit.Template) string { return t.Code + " " + t.Name },
	outOfUse: func(t *permit.Template) bool { return t.Retired },
	refers: func(t *permit.Template, to Reference) bool {
		decides := func(s permit.Setting) bool {
			return refersTo("permission", s.Permission, to) || refersTo("group", s.Group, to)
		}
		return refersTo("template", t.Base, to) || refersTo("schedule", t.Hours.Schedule, to) ||
			refersToOne("qualification", t.Requires, to) || slices.ContainsFunc(t.Settings, decides) ||
			slices.ContainsFunc(t.Giving, decides)
	},
	checks: (*checking).template}

var staffKind = &kindOf[people.Staff, people.StaffID]{name: "staff", plural: "staff", words: "person",
	table:    func(s *State) *table.Table[people.Staff] { return &s.Staff },
	id:       func(p *people.Staff) people.StaffID { return p.ID },
	revision: func(p *people.Staff) *uint64 { return &p.Revision },
	code:     func(p *people.Staff) string { return p.Number }, codeField: "staff_number",
	holder: func(p *people.Staff) people.StaffID { return p.ID },
	label:  func(_ *State, p *people.Staff) string { return p.Number + " " + p.FullName() },
	refers: func(p *people.Staff, to Reference) bool {
		return refersTo("place", p.HomeSite, to) || refersTo("staff", p.LineManager, to) ||
			refersTo("schedule", p.Hours.Schedule, to)
	},
	checks: (*checking).staff,
	placed: func(s *State, before, p *people.Staff) {
		if before != nil {
			s.uncount(before)
		}
		if p.Owner {
			s.owners++
		}
		if p.Email != "" {
			s.staffByEmail.Put(key(p.Email), p.ID)
		}
	},
	removed: (*State).uncount}

// uncount takes a person out of what is indexed of people beside their numbers.
func (s *State) uncount(p *people.Staff) {
	if holder, _ := s.staffByEmail.Get(key(p.Email)); holder == p.ID { // otherwise another person has it by now
		s.staffByEmail.Delete(key(p.Email))
	}
	if p.Owner {
		s.owners--
	}
}

var assignmentKind = &kindOf[Assignment, AssignmentID]{name: "assignment", plural: "assignments",
	table:    func(s *State) *table.Table[Assignment] { return &s.Assignments },
	id:       func(a *Assignment) AssignmentID { return a.ID },
	revision: func(a *Assignment) *uint64 { return &a.Revision },
	holder:   func(a *Assignment) people.StaffID { return a.Staff },
	owned:    func(b *belongings) *[]AssignmentID { return &b.assignments },
	label: func(s *State, a *Assignment) string {
		return fmt.Sprintf("%s: %s at %s", s.naming(a.Staff), s.Template(a.Template).Name, s.Place(a.Place).Code)
	},
	outOfUse: func(a *Assignment) bool { return a.Ended },
	refers: func(a *Assignment, to Reference) bool {
		return refersTo("place", a.Place, to) || refersTo("template", a.Template, to) ||
			refersTo("schedule", a.Hours.Schedule, to) || refersTo("assignment", a.Covers, to)
	},
	checks: func(c *checking, a *Assignment) {
		c.person(a.Staff).at(a.Place).refers("template", c.state.Template(a.Template) != nil)
		c.dates(a.From, a.Until).hours(&a.Hours)
	},
	placed: func(s *State, before, a *Assignment) {
		if before == nil && a.Covers != 0 {
			list := append(s.CoveredBy(a.Covers)[:len(s.CoveredBy(a.Covers)):len(s.CoveredBy(a.Covers))], a.ID)
			s.coveredBy.Put(uint32(a.Covers), &list)
		}
	}}

var exceptionKind = &kindOf[Exception, ExceptionID]{name: "exception", plural: "exceptions",
	table:    func(s *State) *table.Table[Exception] { return &s.Exceptions },
	id:       func(e *Exception) ExceptionID { return e.ID },
	revision: func(e *Exception) *uint64 { return &e.Revision },
	holder:   func(e *Exception) people.StaffID { return e.Staff },
	owned:    func(b *belongings) *[]ExceptionID { return &b.exceptions },
	limiting: true,
	label: func(s *State, e *Exception) string {
		sense := map[bool]string{true: "withheld", false: "added"}[e.Withheld]
		return fmt.Sprintf("%s: “%s” %s at %s", s.naming(e.Staff), s.Permissions.Get(uint32(e.Permission)).Title, sense,
			s.Place(e.Place).Code)
	},
	outOfUse: func(e *Exception) bool { return e.Ended },
	refers: func(e *Exception, to Reference) bool {
		return refersTo("place", e.Place, to) || refersTo("permission", e.Permission, to)
	},
	checks: func(c *checking, e *Exception) {
		c.person(e.Staff).at(e.Place).refers("permission", c.state.Permissions.Get(uint32(e.Permission)) != nil)
		c.dates(e.From, e.Until).text("reason", e.Reason, 500, true).moment("made_at", e.MadeAt)
		c.that("level", e.Level >= 0 && e.Withheld == (e.Level == 0),
			"what is added has a level, and what is withheld has none")
	}}

var barKind = &kindOf[Bar, BarID]{name: "bar",
	table:    func(s *State) *table.Table[Bar] { return &s.Bars },
	id:       func(b *Bar) BarID { return b.ID },
	revision: func(b *Bar) *uint64 { return &b.Revision },
	holder:   func(b *Bar) people.StaffID { return b.Staff },
	owned:    func(b *belongings) *[]BarID { return &b.bars },
	limiting: true,
	label: func(s *State, b *Bar) string {
		return s.naming(b.Staff) + " from " + s.Place(b.Place).Code + " " + s.Place(b.Place).Name
	},
	outOfUse: func(b *Bar) bool { return b.Ended },
	refers:   func(b *Bar, to Reference) bool { return refersTo("place", b.Place, to) },
	checks: func(c *checking, b *Bar) {
		c.person(b.Staff).at(b.Place)
		c.text("reason", b.Reason, 500, true).moment("since", b.Since).moment("until", b.Until)
	}}

var credentialKind = &kindOf[credential.Credential, credential.ID]{name: "credential",
	table:    func(s *State) *table.Table[credential.Credential] { return &s.Credentials },
	id:       func(c *credential.Credential) credential.ID { return c.ID },
	revision: func(c *credential.Credential) *uint64 { return &c.Revision },
	holder:   func(c *credential.Credential) people.StaffID { return c.Staff },
	owned:    func(b *belongings) *[]credential.ID { return &b.credentials },
	label: func(s *State, c *credential.Credential) string {
		if b := s.Badge(c.Badge); b != nil {
			return "badge " + b.Number + " of " + s.naming(c.Staff)
		}
		return s.naming(c.Staff)
	},
	outOfUse: func(c *credential.Credential) bool { return c.State == credential.Withdrawn },
	refers:   func(c *credential.Credential, to Reference) bool { return refersTo("badge", c.Badge, to) },
	checks:   (*checking).credential,
	// One that is withdrawn keeps its digest, and reserves it for nobody
	placed: func(s *State, before, c *credential.Credential) {
		if before != nil {
			s.unindex(before)
		} else if c.Badge != 0 {
			s.issued(c.Badge, func(list []credential.ID) []credential.ID { return append(list, c.ID) })
		}
		if c.State == credential.Withdrawn {
			return
		}
		switch c.Kind {
		case credential.PIN:
			s.pinByDigest.Put(c.Digest, c.ID)
			s.pins++
		case credential.Badge:
			s.byBadge.Put(c.Badge, c.ID)
		}
	},
	removed: func(s *State, c *credential.Credential) {
		s.unindex(c)
		if c.Badge != 0 {
			s.issued(c.Badge, func(list []credential.ID) []credential.ID { return without(list, c.ID) })
		}
	}}

var deviceKind = &kindOf[Device, DeviceID]{name: "device",
	table:    func(s *State) *table.Table[Device] { return &s.Devices },
	id:       func(d *Device) DeviceID { return d.ID },
	revision: func(d *Device) *uint64 { return &d.Revision },
	label:    func(_ *State, d *Device) string { return d.Name },
	outOfUse: func(d *Device) bool { return d.Retired },
	refers:   func(d *Device, to Reference) bool { return refersTo("place", d.Place, to) },
	checks: func(c *checking, d *Device) {
		c.text("name", d.Name, 120, true).at(d.Place).moment("until", d.Until)
	},
	placed:  func(s *State, _, d *Device) { s.deviceByToken.Put(d.Token, d.ID) },
	removed: func(s *State, d *Device) { s.deviceByToken.Delete(d.Token) }}

var qualificationKind = &kindOf[qualification.Qualification, qualification.ID]{name: "qualification",
	plural:   "qualifications",
	table:    func(s *State) *table.Table[qualification.Qualification] { return &s.Qualifications },
	id:       func(q *qualification.Qualification) qualification.ID { return q.ID },
	revision: func(q *qualification.Qualification) *uint64 { return &q.Revision },
	code:     func(q *qualification.Qualification) string { return q.Code },
	label:    func(_ *State, q *qualification.Qualification) string { return q.Code + " " + q.Name },
	outOfUse: func(q *qualification.Qualification) bool { return q.Retired },
	checks: func(c *checking, q *qualification.Qualification) {
		c.named(q.Code, q.Name, q.Summary)
		c.that("months", q.Months >= 0 && q.Months <= qualification.MostMonths,
			fmt.Sprintf("a certificate counts for 1 to %d months, or until it is withdrawn where it is 0",
				qualification.MostMonths))
	}}

var certificateKind = &kindOf[Certificate, CertificateID]{name: "certificate",
	table:    func(s *State) *table.Table[Certificate] { return &s.Certificates },
	id:       func(c *Certificate) CertificateID { return c.ID },
	revision: func(c *Certificate) *uint64 { return &c.Revision },
	holder:   func(c *Certificate) people.StaffID { return c.Staff },
	owned:    func(b *belongings) *[]CertificateID { return &b.certificates },
	label: func(s *State, c *Certificate) string {
		return s.naming(c.Staff) + ": " + s.Qualification(c.Qualification).Name
	},
	outOfUse: func(c *Certificate) bool { return c.Ended },
	refers: func(c *Certificate, to Reference) bool {
		return refersTo("qualification", c.Qualification, to)
	},
	checks: func(c *checking, r *Certificate) {
		c.person(r.Staff).refers("qualification", c.state.Qualification(r.Qualification) != nil)
		c.text("number", r.Number, 64, false)
		c.that("issued", !r.Issued.IsZero(), "a certificate has a day of issue").date("issued", r.Issued)
		c.date("until", r.Until).that("until", r.Until.IsZero() || r.Until >= r.Issued,
			"it runs out before it is issued")
	}}

var scheduleKind = &kindOf[hours.Schedule, hours.ScheduleID]{name: "schedule", plural: "schedules",
	table:    func(s *State) *table.Table[hours.Schedule] { return &s.Schedules },
	id:       func(c *hours.Schedule) hours.ScheduleID { return c.ID },
	revision: func(c *hours.Schedule) *uint64 { return &c.Revision },
	code:     func(c *hours.Schedule) string { return c.Code },
	label:    func(_ *State, c *hours.Schedule) string { return c.Code + " " + c.Name },
	outOfUse: func(c *hours.Schedule) bool { return c.Retired },
	checks: func(c *checking, r *hours.Schedule) {
		c.named(r.Code, r.Name, r.Summary).wrap("hours", r.Check())
	}}

// refersTo reports whether the number of a record of a kind is the one that a reference names.
func refersTo[ID ~uint32](kind string, id ID, to Reference) bool {
	return to.Kind == kind && id != 0 && uint32(id) == to.ID
}

// refersToOne is refersTo for a list of numbers.
func refersToOne[ID ~uint32](kind string, ids []ID, to Reference) bool {
	return to.Kind == kind && slices.Contains(ids, ID(to.ID))
}

// naming says who somebody is, for labels.
func (s *State) naming(id people.StaffID) string {
	p := s.Person(id)
	return p.Number + " " + p.FullName()
}
