package access

import (
	"slices"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// Obstacle is one thing that keeps somebody from working.
type Obstacle struct {
	Code string
	// That mends it: unlock, lift_bar, assign, extend_assignment, extend_contract, issue_pin, issue_badge,
	// resume_badge, change_template, change_hours, add_certificate, accept_notice, issue_password
	Act      string
	Bar      org.BarID         // that bars them
	Doors    int               // they are meant to pass and cannot, by what they have to show
	Place    estate.PlaceID    // one of those doors
	Template permit.TemplateID // that needs a credential, or a qualification, which they do not have
	// That they lack
	Qualification qualification.ID
	Notice        org.NoticeID // that they have not accepted
	Mild          bool         // it is to be settled, and keeps them from nothing
}

// obstacles are what may keep somebody from working, each with the act that mends it.
var (
	isLocked         = Obstacle{Code: "locked", Act: "unlock"}
	contractOver     = Obstacle{Code: "contract_ended", Act: "extend_contract"}
	assignmentOver   = Obstacle{Code: "assignment_ended", Act: "extend_assignment"}
	nowhereAssigned  = Obstacle{Code: "no_assignment", Act: "assign"}
	nothingGiven     = Obstacle{Code: "template_gives_nothing", Act: "change_template"}
	hoursApart       = Obstacle{Code: "hours_never_meet", Act: "change_hours"}
	nothingToShow    = Obstacle{Code: "no_credential"}
	nothingThatOpens = Obstacle{Code: "credential_not_accepted"}
	someDoorsShut    = Obstacle{Code: "some_doors_shut"}
	badgeSuspended   = Obstacle{Code: "badge_suspended"}
	credentialNeeded = Obstacle{Code: "credential_needed"}
	noSignIn         = Obstacle{Code: "no_sign_in", Act: "issue_password", Mild: true}
)

// issuing says how somebody comes to have what they lack: a badge of theirs that is suspended is resumed.
func (s *Snapshot) issuing(id people.StaffID, lacks Shown, at int64) string {
	switch {
	case lacks&ShownBadge == 0:
		return "issue_pin"
	case s.SuspendedBadge(id, at) != 0:
		return "resume_badge"
	}
	return "issue_badge"
}

// SuspendedBadge returns the credential of a badge that would count at an instant if it was not suspended; 0 where
// somebody has none.
func (s *Snapshot) SuspendedBadge(id people.StaffID, at int64) credential.ID {
	for _, number := range s.state.CredentialsOf(id) {
		c := *s.state.Credential(number)
		if c.Kind == credential.Badge && c.State == credential.Suspended {
			if c.State = credential.Valid; c.ValidAt(at) {
				return number
			}
		}
	}
	return 0
}

// lacking returns what has to be had beside what there is, to satisfy a proof.
func (s Shown) lacking(proof estate.Proof) Shown {
	switch proof {
	case estate.Badge:
		return ShownBadge &^ s
	case estate.BadgeAndPIN:
		return (ShownBadge | ShownPIN) &^ s
	}
	return ShownPIN
}

// Hindered returns those obstacles that keep somebody from something.
func Hindered(obstacles []Obstacle) []Obstacle {
	return slices.DeleteFunc(obstacles, func(o Obstacle) bool { return o.Mild })
}

// Readiness returns what keeps somebody from working at an instant, gravest first; nothing for those who are ready,
// and nothing for those who have left, who are not meant to work.
func (s *Snapshot) Readiness(id people.StaffID, at int64) []Obstacle {
	p := s.person(id)
	if s.state.Person(id) == nil || p == nil || p.span.Status(at) == people.Left {
		return nil
	}
	var found []Obstacle
	if at >= p.lockSince && at < p.lockUntil {
		found = append(found, isLocked)
	}
	if at >= p.span.Contract {
		return append(found, contractOver)
	}
	if s.lacksSignIn(id, p, max(at, p.span.Start)) {
		found = append(found, noSignIn)
	}
	if p.owner {
		return found
	}
	for i := range p.exceptions {
		if x := &p.exceptions[i]; x.bar != 0 && at >= x.from && at < x.until {
			found = append(found, Obstacle{Code: "barred", Act: "lift_bar", Bar: x.bar})
		}
	}
	found = append(found, s.assignmentObstacles(p, max(at, p.span.Start))...)
	found = append(found, s.qualificationObstacles(p, max(at, p.span.Start))...)
	for _, of := range s.Notices(id, at) {
		if of.Accepted == nil {
			found = append(found, Obstacle{Code: "notice_not_accepted", Act: "accept_notice", Notice: of.Notice.ID,
				Mild: !of.Notice.Refuses})
		}
	}
	found = append(found, s.credentialObstacles(id, p, at)...)
	slices.SortStableFunc(found, func(a, b Obstacle) int { // what keeps them from nothing comes last
		switch {
		case a.Mild == b.Mild:
			return 0
		case b.Mild:
			return -1
		}
		return 1
	})
	return found
}

// lacksSignIn reports whether somebody is given something of this product itself, from an instant on, and has no
// password with which to sign in to it. It keeps them from no door and no terminal.
func (s *Snapshot) lacksSignIn(id people.StaffID, p *person, at int64) bool {
	c := s.state.CredentialOf(id, credential.Password)
	return (c == nil || !c.ValidAt(at)) && s.givenConsole(p, at)
}

// GivenConsole reports whether somebody may, at an instant or later, be given something of this product itself. It
// looks at what their templates give at all, so it is quick, and true of some who hold nothing of it at their places.
func (s *Snapshot) GivenConsole(id people.StaffID, at int64) bool {
	p := s.person(id)
	return p != nil && s.givenConsole(p, at)
}

func (s *Snapshot) givenConsole(p *person, at int64) bool {
	if p.owner {
		return true
	}
	for i := range p.exceptions {
		if x := &p.exceptions[i]; !x.withheld && at < x.until && s.ofConsole(x.permission) {
			return true
		}
	}
	grants := p.grants()
	for i := range grants {
		if at >= grants[i].until {
			continue
		}
		for permission, console := range s.console {
			if console && s.mayGiveEver(grants[i].template, permit.PermissionID(permission)) > 0 {
				return true
			}
		}
	}
	return false
}

func (s *Snapshot) assignmentObstacles(p *person, at int64) []Obstacle {
	current, ended, gives, meets := 0, false, false, false
	grants := p.grants()
	for i := range grants {
		g := &grants[i]
		if at >= g.until {
			ended = true
			continue
		}
		if here := s.tree.At(g.place); here == nil || here.Retired {
			continue
		}
		current++
		gives = gives || s.givesAnything(g)
		meets = meets || s.hoursMeet(g, at)
	}
	switch {
	case current == 0 && ended:
		return []Obstacle{assignmentOver}
	case current == 0:
		return []Obstacle{nowhereAssigned}
	case !gives:
		return []Obstacle{nothingGiven}
	case !meets:
		return []Obstacle{hoursApart}
	}
	return nil
}

func (s *Snapshot) givesAnything(g *grant) bool {
	kinds := s.kindsBelow(g.place)
	var pieces []piece
	for permission := range s.catalogue.Permissions {
		if s.mayGiveEver(g.template, permission.ID) > 0 && anyKind(permission, kinds) {
			if pieces = s.pieces(pieces, g, permission.ID, 0); len(pieces) > 0 {
				return true
			}
		}
	}
	return false
}

// hoursMeet reports whether, from an instant until a grant ends, its weekly hours and the place's opening hours are
// ever open together.
func (s *Snapshot) hoursMeet(g *grant, at int64) bool {
	access, here := s.accessOf(g), s.tree.At(g.place)
	if access.Kind != hours.Weekly || here.Opening == nil {
		return true
	}
	at = max(at, g.from)
	for sides := 0; at < g.until && sides < mostSides; sides++ {
		mine, ok := access.NextOpen(here.Opening, here.Location, at)
		if !ok {
			return false
		}
		both, ok := inherited.NextOpen(here.Opening, here.Location, mine.Unix())
		if !ok || both.Equal(mine) {
			return ok && both.Unix() < g.until
		}
		at = both.Unix()
	}
	return false
}

// mostSides bounds how often two hours are asked in turn when the other is open next: each time goes on to another
// stretch, so that it is more than a year of daily ones.
const mostSides = 400

// credentialObstacles goes through the doors that somebody is meant to pass, one by one, and through what their
// templates need.
func (s *Snapshot) credentialObstacles(id people.StaffID, p *person, at int64) []Obstacle {
	at = max(at, p.span.Start)
	shown := s.HasToShow(id, at)
	opens, lacks := 0, Shown(0)
	var shut, needs Obstacle
	grants := p.grants()
	for i := range grants {
		g := &grants[i]
		fit := slices.DeleteFunc(s.fit(p, g), func(held stretch) bool { return held.until <= at })
		if len(fit) == 0 {
			continue
		}
		for here := range s.tree.Below(g.place) {
			asked := s.askedAt(here.Place.ID)
			if here.Place.Kind != estate.Door || here.Retired || asked == 0 || s.level(g.template, asked,
				here.Place.ID, max(at, fit[0].from)) == 0 {
				continue
			}
			switch {
			case shown.satisfies(here.Place.Proof): // who works at night only is told by the door
				opens++
			case s.Decide(&Question{Staff: id, Permission: asked, Place: here.Place.ID, At: max(at, fit[0].from),
				AnyHour: true}).Reason == Granted:
				shut.Doors, lacks = shut.Doors+1, lacks|shown.lacking(here.Place.Proof)
				if shut.Place == 0 {
					shut.Place = here.Place.ID
				}
			}
		}
		if need := s.needs[g.template] &^ shown; need != 0 && needs.Template == 0 {
			needs = Obstacle{Code: credentialNeeded.Code, Act: s.issuing(id, need, at), Template: g.template}
		}
	}
	found := shut
	switch {
	case shut.Doors == 0 && needs.Template == 0:
		return nil
	case shut.Doors == 0:
		return []Obstacle{needs}
	case shown == 0:
		found.Code = nothingToShow.Code
	case opens == 0:
		found.Code = nothingThatOpens.Code
	default:
		found.Code = someDoorsShut.Code
	}
	if found.Act = s.issuing(id, lacks, at); found.Act == "resume_badge" {
		found.Code = badgeSuspended.Code
	}
	return []Obstacle{found}
}
