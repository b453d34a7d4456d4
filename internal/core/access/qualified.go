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

// certificates compiles what somebody is qualified in, in the zone of their home site.
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
			kept.exceptions = append(kept.exceptions, exception{place: r.place, withheld: true, required: true, from: gap.from,
				until: gap.until})
		}
	}
	return &kept
}

// grantsOf compiles an assignment: one grant for each stretch of time in which what its template requires is held, and
// one that counts at no time where it never is.
func (s *Snapshot) grantsOf(p *person, g grant) (grants []grant) {
	if len(s.requires(g.template)) == 0 {
		g.from, g.until = g.begins, g.ends
		return []grant{g}
	}
	for _, held := range p.qualified(s.requires(g.template), stretch{g.begins, g.ends}) {
		g.from, g.until = held.from, held.until
		grants = append(grants, g)
	}
	if len(grants) == 0 {
		g.from, g.until = everBefore, everBefore
		grants = append(grants, g)
	}
	return grants
}

// requires returns the qualifications that a template requires.
func (s *Snapshot) requires(id permit.TemplateID) []qualification.ID {
	if int(id) < len(s.required) {
		return s.required[id]
	}
	return nil
}

// unfit reports whether somebody lacks, at an instant, a qualification that a place requires for a permission.
func (s *Snapshot) unfit(p *person, permission permit.PermissionID, here *estate.Standing, at int64) bool {
	return len(here.Requires) > 0 && !s.ofConsole(permission) && p.lacks(here.Requires, at) != 0
}

// Missing returns the qualifications for want of which a question is refused: those that the template of the assignment
// which came furthest requires, and the place, and that are not held at the instant asked about.
func (s *Snapshot) Missing(q *Question, d *Decision) (missing []qualification.ID) {
	p, here := s.person(d.Staff), s.tree.At(q.Place)
	if d.Reason != QualificationMissing || p == nil || here == nil {
		return nil
	}
	required := here.Requires
	if a := s.state.Assignment(d.Assignment); a != nil {
		required = slices.Concat(required, s.requires(a.Template))
	}
	for _, id := range required {
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
		if at >= g.ends || here == nil || here.Retired {
			continue
		}
		for _, id := range s.requires(g.template) {
			if p.lacks([]qualification.ID{id}, max(at, g.begins)) != 0 {
				tell(Obstacle{Qualification: id, Template: g.template})
			}
		}
		for _, r := range s.requiring {
			asked := s.catalogue.PermissionByKey(s.tree.At(r.place).Place.Asks)
			if asked == nil || !s.tree.Within(r.place, g.place) || s.level(g.template, asked.ID) == 0 ||
				s.tree.At(r.place).Retired {
				continue
			}
			for _, id := range r.all {
				if p.everHeld(id) && p.lacks([]qualification.ID{id}, max(at, g.begins)) != 0 {
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
