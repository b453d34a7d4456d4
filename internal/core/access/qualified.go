package access

import (
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// stretch is a stretch of time: from one instant until before another.
type stretch struct{ from, until int64 }

// certificate is a stretch of time in which somebody holds a qualification.
type certificate struct {
	qualification qualification.ID
	stretch
}

// requirement is what a place itself requires, beside what those above it do.
type requirement struct {
	place estate.PlaceID
	all   []qualification.ID
}

// require compiles what templates and places require: qualifications, and notices that refuse work until they are
// accepted. A notice that names neither is for every place.
func (s *Snapshot) require() {
	byPlace, byTemplate := map[estate.PlaceID][]qualification.ID{}, map[permit.TemplateID][]qualification.ID{}
	for _, n := range s.state.Notices.All() {
		if n.Retired || !n.Refuses {
			continue
		}
		for _, id := range n.Templates {
			byTemplate[id] = append(byTemplate[id], n.Required())
		}
		for _, id := range n.Places {
			byPlace[id] = append(byPlace[id], n.Required())
		}
		if len(n.Places)+len(n.Templates) == 0 {
			for here := range s.tree.Tops {
				byPlace[here.Place.ID] = append(byPlace[here.Place.ID], n.Required())
			}
		}
	}
	s.required = make([][]qualification.ID, len(s.resolved))
	for id, template := range s.state.Templates.All() {
		required := permit.RequiresOf(template, s.state.Template)
		for t := template; t != nil && len(byTemplate) > 0; t = s.state.Template(t.Base) {
			required = slices.Concat(required, byTemplate[t.ID])
		}
		s.required[id] = required
	}
	s.requiring, s.requiresAt = nil, make([][]qualification.ID, s.state.Places.Last()+1)
	for here := range s.tree.All { // those above come first
		id := here.Place.ID
		own := slices.Concat(here.Place.Requires, byPlace[id])
		if s.requiresAt[id] = s.requiresAt[here.Place.Parent]; len(own) > 0 {
			s.requiresAt[id] = slices.Concat(s.requiresAt[id], own)
			s.requiring = append(s.requiring, requirement{id, own})
		}
	}
}

// RequiredAt returns what somebody has to be qualified in, and to have accepted, to do anything at a place.
func (s *Snapshot) RequiredAt(place estate.PlaceID) []qualification.ID {
	if int(place) < len(s.requiresAt) {
		return s.requiresAt[place]
	}
	return nil
}

// ownRequired returns what each place requires itself.
func (s *Snapshot) ownRequired() map[estate.PlaceID][]qualification.ID {
	own := make(map[estate.PlaceID][]qualification.ID, len(s.requiring))
	for _, r := range s.requiring {
		own[r.place] = r.all
	}
	return own
}

// certificates compiles what somebody is qualified in, in the zone of their home site, and what they have accepted.
func (s *Snapshot) certificates(id people.StaffID, location *time.Location) (list []certificate) {
	for _, number := range s.state.CertificatesOf(id) {
		c := s.state.Certificate(number)
		if c.Ended {
			continue
		}
		counts := certificate{c.Qualification, stretch{c.Issued.Start(location).Unix(), everAfter}}
		if !c.Until.IsZero() {
			counts.until = (c.Until + 1).Start(location).Unix()
		}
		list = append(list, counts)
	}
	for _, a := range s.state.AcceptancesOf(id) {
		list = append(list, certificate{qualification.OfNotice(uint32(a.Notice), a.Version),
			stretch{a.At.Unix(), everAfter}})
	}
	slices.SortFunc(list, func(a, b certificate) int { return int(min(1, max(-1, a.from-b.from))) })
	return list
}

// lacks returns the first of some qualifications that somebody does not hold at an instant; 0 where they hold all.
func (p *person) lacks(required []qualification.ID, at int64) qualification.ID {
	for _, id := range required {
		if !slices.ContainsFunc(p.certificates, func(c certificate) bool {
			return c.qualification == id && at >= c.from && at < c.until
		}) {
			return id
		}
	}
	return 0
}

// wants says for want of which, of some requirements, somebody is refused at an instant: of a qualification before a
// notice; Granted where they want for nothing.
func (p *person) wants(required []qualification.ID, at int64) Reason {
	reason := Granted
	for i, id := range required {
		if p.lacks(required[i:i+1], at) == 0 {
			continue
		}
		if _, isNotice := id.Notice(); !isNotice {
			return QualificationMissing
		}
		reason = NoticeNotAccepted
	}
	return reason
}

// qualified returns the stretches of time within one in which somebody holds all of some qualifications, in order; none
// touches the next.
func (p *person) qualified(required []qualification.ID, within stretch) []stretch {
	left := []stretch{within}
	for _, id := range required {
		var next []stretch
		for _, of := range left {
			for _, c := range p.certificates {
				part := stretch{max(of.from, c.from), min(of.until, c.until)}
				if c.qualification != id || part.from >= part.until {
					continue
				}
				if n := len(next); n > 0 && part.from <= next[n-1].until {
					next[n-1].until = max(next[n-1].until, part.until)
				} else {
					next = append(next, part)
				}
			}
		}
		left = next
	}
	return left
}

// unqualified returns the stretches of time, from ever on, in which somebody does not hold all of some qualifications.
func (p *person) unqualified(required []qualification.ID) (gaps []stretch) {
	from := int64(everBefore)
	for _, held := range p.qualified(required, stretch{everBefore, everAfter}) {
		if held.from > from {
			gaps = append(gaps, stretch{from, held.from})
		}
		from = held.until
	}
	if from < everAfter {
		gaps = append(gaps, stretch{from, everAfter})
	}
	return gaps
}

// EverLacks reports whether somebody does not hold all of some qualifications at some instant from one on, whatever
// else
// keeps them from working then.
func (s *Snapshot) EverLacks(id people.StaffID, required []qualification.ID, at int64) bool {
	p := s.person(id)
	return p == nil || slices.ContainsFunc(p.unqualified(required), func(gap stretch) bool { return gap.until > at })
}

// withoutCertificates is somebody's compiled form with what places require of them, and they do not hold, withheld from
// them there, for as long as they do not hold it.
func (s *Snapshot) withoutCertificates(p *person) *person {
	if len(s.requiring) == 0 {
		return p
	}
	kept := *p
	kept.exceptions = slices.Clone(p.exceptions)
	for _, r := range s.requiring {
		for _, gap := range p.unqualified(r.all) {
			kept.exceptions = append(kept.exceptions, exception{place: r.place, withheld: true, required: true,
				from:  gap.from,
				until: gap.until})
		}
	}
	return &kept
}

// fit returns the stretches of time, between the dates of an assignment, in which what its template requires is held.
func (s *Snapshot) fit(p *person, g *grant) []stretch {
	return p.qualified(s.requires(g.template), stretch{g.from, g.until})
}

// fitAt reports whether an instant lies between the dates of an assignment, and what its template requires is held
// then.
func (s *Snapshot) fitAt(p *person, g *grant, at int64) bool {
	return at >= g.from && at < g.until && p.wants(s.requires(g.template), at) == Granted
}

// requires returns the qualifications that a template requires.
func (s *Snapshot) requires(id permit.TemplateID) []qualification.ID {
	if int(id) < len(s.required) {
		return s.required[id]
	}
	return nil
}

// unfit says for want of which, of what a place requires for a permission, somebody is refused there at an instant;
// Granted where they want for nothing.
func (s *Snapshot) unfit(p *person, permission permit.PermissionID, place estate.PlaceID, at int64) Reason {
	if required := s.RequiredAt(place); len(required) > 0 && !s.ofConsole(permission) {
		return p.wants(required, at)
	}
	return Granted
}

// Missing returns the qualifications, or the notices, for want of which a question is refused: those that the template
// of the assignment which came furthest requires, and the place, and that are not held at the instant asked about.
func (s *Snapshot) Missing(q *Question, d *Decision) (missing []qualification.ID) {
	p := s.person(d.Staff)
	if d.Reason != QualificationMissing && d.Reason != NoticeNotAccepted || p == nil {
		return nil
	}
	required := s.RequiredAt(q.Place)
	if a := s.state.Assignment(d.Assignment); a != nil {
		required = slices.Concat(required, s.requires(a.Template))
	}
	for _, id := range required {
		if _, isNotice := id.Notice(); isNotice != (d.Reason == NoticeNotAccepted) {
			continue
		}
		if p.lacks([]qualification.ID{id}, q.At) != 0 && !slices.Contains(missing, id) {
			missing = append(missing, id)
		}
	}
	return missing
}

// Certified says until when somebody holds a qualification without a break from an instant on, by all their
// certificates in it; ok is false where they do not hold it then.
func (s *Snapshot) Certified(id people.StaffID, in qualification.ID, at int64) (until int64, ok bool) {
	p := s.person(id)
	if p == nil {
		return 0, false
	}
	for _, held := range p.qualified([]qualification.ID{in}, stretch{everBefore, everAfter}) {
		if at >= held.from && at < held.until {
			return held.until, true
		}
	}
	return 0, false
}

// Certificates returns the certificates that somebody has and that are not withdrawn, the newest first.
func (s *Snapshot) Certificates(id people.StaffID) (list []*org.Certificate) {
	for _, number := range slices.Backward(s.state.CertificatesOf(id)) {
		if c := s.state.Certificate(number); !c.Ended {
			list = append(list, c)
		}
	}
	return list
}

// qualificationObstacles are the qualifications that the templates of somebody's assignments require and that they do
// not hold; and those that they held once, and that a place requires where their template gives what it asks about. Of
// a place alone it does not follow that they are meant to do anything there.
func (s *Snapshot) qualificationObstacles(p *person, at int64) (found []Obstacle) {
	told := map[qualification.ID]bool{}
	tell := func(o Obstacle) {
		if !told[o.Qualification] {
			told[o.Qualification] = true
			o.Code, o.Act = "qualification_missing", "add_certificate"
			found = append(found, o)
		}
	}
	for i := range p.grants() {
		g := &p.grants()[i]
		here := s.tree.At(g.place)
		if at >= g.until || here == nil || here.Retired {
			continue
		}
		for _, id := range s.requires(g.template) {
			if _, isNotice := id.Notice(); isNotice {
				continue
			}
			if p.lacks([]qualification.ID{id}, max(at, g.from)) != 0 {
				tell(Obstacle{Qualification: id, Template: g.template})
			}
		}
		for _, r := range s.requiring {
			asked := s.catalogue.PermissionByKey(s.tree.At(r.place).Place.Asks)
			if asked == nil || !s.tree.Within(r.place, g.place) || s.level(g.template, asked.ID, r.place, max(at,
				g.from)) == 0 ||
				s.tree.At(r.place).Retired {
				continue
			}
			for _, id := range r.all {
				if p.everHeld(id) && p.lacks([]qualification.ID{id}, max(at, g.from)) != 0 {
					tell(Obstacle{Qualification: id, Place: r.place})
				}
			}
		}
	}
	return found
}

// everHeld reports whether somebody has a certificate in a qualification, whenever it counts.
func (p *person) everHeld(id qualification.ID) bool {
	return slices.ContainsFunc(p.certificates, func(c certificate) bool { return c.qualification == id })
}

// A NoticeOf is a notice that is for somebody, and whether they have accepted its present version.
type NoticeOf struct {
	Notice   *org.Notice
	Accepted *org.Acceptance // nil: not yet
}

// Notices returns the notices that are for somebody from an instant on, by what they are assigned to, in the order of
// their numbers.
func (s *Snapshot) Notices(id people.StaffID, at int64) (list []NoticeOf) {
	p := s.person(id)
	if p == nil {
		return nil
	}
	for _, n := range s.state.Notices.All() {
		if !n.Retired && s.isFor(n, p, max(at, p.span.Start)) {
			list = append(list, NoticeOf{n, s.state.Accepted(id, n.ID, n.Version)})
		}
	}
	return list
}

// isFor reports whether a notice is for somebody: for everybody who is assigned anywhere, or for those who work at one
// of its places, in it or above it, and those who work by one of its templates, or one that is based on it.
func (s *Snapshot) isFor(n *org.Notice, p *person, at int64) bool {
	for i := range p.grants() {
		g := &p.grants()[i]
		if at >= g.until {
			continue
		}
		if len(n.Places)+len(n.Templates) == 0 || slices.ContainsFunc(n.Places, func(place estate.PlaceID) bool {
			return s.tree.Within(g.place, place) || s.tree.Within(place, g.place)
		}) {
			return true
		}
		for t := s.state.Template(g.template); t != nil; t = s.state.Template(t.Base) {
			if slices.Contains(n.Templates, t.ID) {
				return true
			}
		}
	}
	return false
}
