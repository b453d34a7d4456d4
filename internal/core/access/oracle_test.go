package access_test

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
)

// The oracle answers questions as the guide tells managers, by other means than the code that it judges: it goes
// through the records one by one, asks of each date whether the calendar on the wall shows it, and of each hour whether
// a minute lies in it. It compiles nothing and uses nothing of the core but the types of records.
type oracle struct {
	w     *world
	zones map[estate.PlaceID]*time.Location
}

func newOracle(w *world) *oracle { return &oracle{w, map[estate.PlaceID]*time.Location{}} }

var loaded = map[string]*time.Location{}

func located(name string) *time.Location {
	if loaded[name] == nil {
		location, err := time.LoadLocation(name)
		if err != nil {
			panic(err)
		}
		loaded[name] = location
	}
	return loaded[name]
}

// A condition is something that may be the case about a question. Those up to duress are reasons of a refusal or of an
// alarm; the others say what an answer rests on.
type condition int

const (
	unknown condition = iota
	wrongPIN
	notValid
	shownTooLittle
	ofTwo
	isLocked
	hasLeft
	contractOver
	notBegun
	placeAway
	notForKind
	barred
	withheld
	nothingHere
	undated
	tooLittle
	unqualified
	certificateGap
	unqualifiedHere
	unread
	closedNow
	duress
	isOwner
	added
	bySchedule
	byPerson
	byTemplate
	byMargin
	byWeek
	dated
	pastMidnight
	console
	records
	aLimit
	byGroup
	byBase
	locally
	locallyNone
	conditions int = iota
)

var conditionNames = [...]string{"unknown", "wrong PIN", "not valid", "shown too little", "of two people", "locked",
	"left", "contract over", "not begun", "place retired", "not for this kind", "barred", "withheld", "nothing here",
	"undated", "too little", "unqualified", "certificate gap", "unqualified at the place", "notice unread",
	"outside hours", "duress", "owner", "exception added", "hours of a schedule", "hours of the person",
	"hours of the template", "margins", "weekly hours", "dated opening hours", "past midnight", "console",
	"whose records", "limit", "set on a group", "set by a base",
	"set locally", "set to none locally"}

// An answer is what the oracle says, with all conditions that are the case, whichever of them decides.
type answer struct {
	allowed bool
	reason  access.Reason
	level   permit.Level
	met     [conditions]bool
}

// chain returns a place and all it stands in, itself first.
func (o *oracle) chain(id estate.PlaceID) (list []*estate.Place) {
	for p := o.w.state.Places.Get(uint32(id)); p != nil; p = o.w.state.Places.Get(uint32(p.Parent)) {
		list = append(list, p)
	}
	return list
}

func (o *oracle) covers(above, below estate.PlaceID) bool {
	return slices.ContainsFunc(o.chain(below), func(p *estate.Place) bool { return p.ID == above })
}

func (o *oracle) zone(id estate.PlaceID) *time.Location {
	if o.zones[id] == nil {
		for _, p := range o.chain(id) {
			if p.TimeZone != "" { // its site's, which is the nearest that has one
				o.zones[id] = located(p.TimeZone)
				break
			}
		}
	}
	return o.zones[id]
}

// wall is a date and a minute of it, as a clock on a wall shows them.
type wall struct {
	date   int // days since 1970
	minute int
}

func onTheWall(at int64, zone *time.Location) wall {
	t := time.Unix(at, 0).In(zone)
	midnight := time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.UTC)
	return wall{int(midnight.Unix() / 86400), t.Hour()*60 + t.Minute()}
}

// reached is the latest date that the calendar on the wall has shown by an instant: clocks may go back past midnight.
func reached(at int64, zone *time.Location) (date int) {
	for back := int64(0); back <= 3*3600; back += 900 {
		date = max(date, onTheWall(at-back, zone).date)
	}
	return date
}

// within reports whether an instant lies on one of the days from one until another, either of which may be open.
func within(from, until day.Date, at int64, zone *time.Location) bool {
	today := reached(at, zone)
	return (from == 0 || today >= int(from)) && (until == 0 || today <= int(until))
}

// inRules reports whether a minute of a date lies in weekly rules: those of the date, or those of the day before that
// pass midnight.
func inRules(today, yesterday []hours.Rule, w wall) (in, past bool) {
	on := func(r hours.Rule, date int) bool {
		weekday := ((date+4)%7 + 7) % 7 // 1 January 1970 was a Thursday
		return r.Days>>weekday&1 == 1
	}
	for _, r := range today {
		if on(r, w.date) && w.minute >= int(r.From) && (w.minute < int(r.Until) || r.Until <= r.From) {
			in = true
		}
	}
	for _, r := range yesterday {
		if on(r, w.date-1) && r.Until <= r.From && w.minute < int(r.Until) {
			in, past = true, true
		}
	}
	return in, past
}

// openingOf returns the opening hours that hold at a place: its own, else those of what it stands in.
func (o *oracle) openingOf(id estate.PlaceID) *hours.Opening {
	for _, p := range o.chain(id) {
		if p.Opening != nil {
			return p.Opening
		}
	}
	return nil
}

// rulesOn returns the rules of opening hours for a date. Of several dated hours the fewest days win, then the later
// start, then the first that is named. Where there are neither weekly rules nor dated ones for it, nothing closes.
func rulesOn(opening *hours.Opening, date int) (rules []hours.Rule, always, special bool) {
	best := -1
	for i, d := range opening.Dated {
		if date < int(d.From) || date > int(d.Until) {
			continue
		}
		if best < 0 {
			best = i
			continue
		}
		b := opening.Dated[best]
		if d.Until-d.From < b.Until-b.From || d.Until-d.From == b.Until-b.From && d.From > b.From {
			best = i
		}
	}
	if best >= 0 {
		return opening.Dated[best].Rules, false, true
	}
	return opening.Rules, len(opening.Rules) == 0, false
}

// placeOpen reports whether a place is open at a minute on the wall.
func placeOpen(opening *hours.Opening, w wall) (open, past, special bool) {
	if opening == nil {
		return true, false, false
	}
	for w.minute < 0 {
		w.date, w.minute = w.date-1, w.minute+1440
	}
	for w.minute >= 1440 {
		w.date, w.minute = w.date+1, w.minute-1440
	}
	today, always, special := rulesOn(opening, w.date)
	yesterday, _, _ := rulesOn(opening, w.date-1)
	in, past := inRules(today, yesterday, w)
	return always || in, past, special
}

// accessOpen reports whether access hours let somebody in at a place at a minute on the wall.
func (o *oracle) accessOpen(a hours.Access, place estate.PlaceID, w wall, met *[conditions]bool) bool {
	switch a.Kind {
	case hours.Always:
		return true
	case hours.Weekly:
		met[byWeek] = true
		in, past := inRules(a.Rules, a.Rules, w)
		met[pastMidnight] = met[pastMidnight] || past
		return in
	case hours.BySchedule:
		met[bySchedule] = true
		schedule := o.w.state.Schedules.Get(uint32(a.Schedule))
		if schedule == nil {
			return false
		}
		return o.accessOpen(schedule.Hours, place, w, met)
	}
	opening := o.openingOf(place)
	if a.BeforeMinutes+a.AfterMinutes > 0 {
		met[byMargin] = true
	}
	for minute := -a.AfterMinutes; minute <= a.BeforeMinutes; minute += 15 { // all edges lie on a quarter of an hour
		open, past, special := placeOpen(opening, wall{w.date, w.minute/15*15 + minute})
		if met[dated] = met[dated] || special; open {
			met[pastMidnight] = met[pastMidnight] || past
			return true
		}
	}
	return false
}

// chainOf returns a template and all it is based on, itself first.
func (o *oracle) chainOf(id permit.TemplateID) (list []*permit.Template) {
	for t := o.w.state.Templates.Get(uint32(id)); t != nil; t = o.w.state.Templates.Get(uint32(t.Base)) {
		list = append(list, t)
	}
	return list
}

func levelOf(scale permit.Scale, word string) permit.Level {
	if word == "none" || word == "no" {
		return 0
	}
	switch scale.Kind {
	case permit.Switch:
		return 1
	case permit.Levels:
		if word == "full" {
			return permit.Level(len(scale.Levels) - 1)
		}
		return permit.Level(slices.Index(scale.Levels, word))
	}
	number, err := strconv.Atoi(word)
	if err != nil {
		return -1 // a limit has no full: the setting says nothing of it
	}
	return permit.Level(number)
}

// gives returns the level of a permission that a template gives: its own setting, else that of the nearest group which
// was there when it was set, else what its base says.
func (o *oracle) gives(id permit.TemplateID, p *permit.Permission, place estate.PlaceID, at int64,
	met *[conditions]bool) permit.Level {
	if p == nil || p.Retired {
		return 0
	}
	for depth, t := range o.chainOf(id) {
		for _, here := range o.chain(place) {
			for _, l := range o.w.state.LocalSettings.All() {
				if l.Template == t.ID && l.Permission == p.ID && l.Place == here.ID && !l.Ended &&
					within(l.From, l.Until, at, o.zone(l.Place)) {
					met[locally], met[locallyNone] = true, met[locallyNone] || l.Level == 0
					met[byBase] = met[byBase] || depth > 0
					return l.Level
				}
			}
		}
		for _, s := range t.Settings {
			if s.Permission == p.ID {
				met[byBase] = met[byBase] || depth > 0
				return levelOf(p.Scale, s.Word)
			}
		}
		came := p.Since
		for g := o.w.state.Groups.Get(uint32(p.Group)); g != nil; g = o.w.state.Groups.Get(uint32(g.Parent)) {
			for _, s := range t.Settings {
				if s.Group == g.ID && s.Permission == 0 && came <= s.AsOf && levelOf(p.Scale, s.Word) >= 0 {
					met[byGroup], met[byBase] = true, met[byBase] || depth > 0
					return levelOf(p.Scale, s.Word)
				}
			}
			came = max(came, g.Since)
		}
	}
	return 0
}

// qualifies reports whether somebody holds a qualification on a date, and, where they do not, whether they did before
// and will again.
func (o *oracle) qualifies(p *people.Staff, id qualification.ID, at int64) (holds, gap bool) {
	before, after := false, false
	for _, c := range o.w.state.Certificates.All() {
		if c.Staff != p.ID || c.Qualification != id || c.Ended {
			continue
		}
		today := day.Date(reached(at, o.zone(p.HomeSite)))
		holds = holds || within(c.Issued, c.Until, at, o.zone(p.HomeSite))
		before, after = before || c.Until != 0 && c.Until < today, after || c.Issued > today
	}
	return holds, !holds && before && after
}

// accepts reports whether somebody has accepted the version of a notice that is published.
func (o *oracle) accepts(p *people.Staff, n *org.Notice, at int64) bool {
	for _, a := range o.w.state.Acceptances.All() {
		if a.Staff == p.ID && a.Notice == n.ID && a.Version == n.Version && a.At.Unix() <= at {
			return true
		}
	}
	return false
}

// lacksAt says for want of what a place refuses somebody.
func (o *oracle) lacksAt(p *people.Staff, place estate.PlaceID, at int64, met *[conditions]bool) access.Reason {
	reason := access.Granted
	for _, n := range o.w.state.Notices.All() {
		for _, here := range o.chain(place) {
			meant := slices.Contains(n.Places, here.ID) || len(n.Places)+len(n.Templates) == 0
			if meant && n.Refuses && !n.Retired && !o.accepts(p, n, at) {
				met[unread], reason = true, access.NoticeNotAccepted
			}
		}
	}
	for _, here := range o.chain(place) {
		for _, id := range here.Requires {
			if holds, gap := o.qualifies(p, id, at); !holds {
				met[unqualifiedHere], reason = true, access.QualificationMissing
				met[certificateGap] = met[certificateGap] || gap
			}
		}
	}
	return reason
}

// lacksBy says for want of what a template refuses somebody.
func (o *oracle) lacksBy(p *people.Staff, id permit.TemplateID, at int64, met *[conditions]bool) access.Reason {
	reason := access.Granted
	for _, n := range o.w.state.Notices.All() {
		for _, t := range o.chainOf(id) {
			if slices.Contains(n.Templates, t.ID) && n.Refuses && !n.Retired && !o.accepts(p, n, at) {
				met[unread], reason = true, access.NoticeNotAccepted
			}
		}
	}
	for _, t := range o.chainOf(id) {
		if len(t.Requires) == 0 {
			continue
		}
		for _, id := range t.Requires {
			if holds, gap := o.qualifies(p, id, at); !holds {
				met[unqualified], reason = true, access.QualificationMissing
				met[certificateGap] = met[certificateGap] || gap
			}
		}
		break // the nearest that requires something
	}
	return reason
}

// hoursOf returns the access hours of an assignment: its own, else the person's, else the template's, else its base's.
func (o *oracle) hoursOf(p *people.Staff, a *org.Assignment, met *[conditions]bool) hours.Access {
	if a.Hours.Kind != hours.Inherit {
		return a.Hours
	}
	if p.Hours.Kind != hours.Inherit {
		met[byPerson] = true
		return p.Hours
	}
	for _, t := range o.chainOf(a.Template) {
		if t.Hours.Kind != hours.Inherit {
			met[byTemplate] = true
			return t.Hours
		}
	}
	return hours.Access{}
}

// ofProduct reports whether this product itself asks about a permission.
func (o *oracle) ofProduct(p *permit.Permission) bool {
	for g := o.w.state.Groups.Get(uint32(p.Group)); g != nil; g = o.w.state.Groups.Get(uint32(g.Parent)) {
		if g.Key == permit.ConsoleGroup {
			return true
		}
	}
	return false
}

// least is the lowest level that a question is answered with yes at.
func (o *oracle) least(q *access.Question, p *permit.Permission, who people.StaffID) permit.Level {
	least := max(q.Level, 1)
	if q.About == 0 || p == nil || !slices.Contains(p.Scale.Levels, "own") {
		return least
	}
	whose := "all"
	switch {
	case q.About == who:
		whose = "own"
	case o.leads(who, q.About):
		whose = "team"
	}
	return max(least, permit.Level(slices.Index(p.Scale.Levels, whose)))
}

func (o *oracle) leads(lead, other people.StaffID) bool {
	for _, team := range o.w.state.Teams.All() {
		leads, in := false, false
		for _, m := range o.w.state.Members.All() {
			if m.Team == team.ID && !m.Ended {
				leads, in = leads || m.Staff == lead && m.Lead, in || m.Staff == other
			}
		}
		if leads && in && !team.Retired {
			return true
		}
	}
	return false
}

// requirement is what a place asks to be shown: a door may ask for something else outside its opening hours.
func (o *oracle) requirement(place *estate.Place, q *access.Question) estate.Proof {
	if q.AnyHour || place.ProofOutside == "" {
		return place.Proof
	}
	if open, _, _ := placeOpen(o.openingOf(place.ID), onTheWall(q.At, o.zone(place.ID))); open {
		return place.Proof
	}
	return place.ProofOutside
}

func meets(proof estate.Proof, pin, badge bool) bool {
	switch proof {
	case estate.PIN:
		return pin
	case estate.Badge:
		return badge
	case estate.BadgeAndPIN:
		return pin && badge
	}
	return pin || badge
}

func countsAt(c *credential.Credential, at int64) bool {
	return c.State == credential.Valid && (c.From.IsZero() || c.From.Unix() <= at) &&
		(c.Until.IsZero() || c.Until.Unix() > at)
}

// identify finds whom all that was shown identifies, and notes all that is wrong with it.
func (o *oracle) identify(q *access.Question, place *estate.Place, met *[conditions]bool) people.StaffID {
	find := func(id credential.ID, kind credential.Kind) *credential.Credential {
		if c := o.w.state.Credentials.Get(uint32(id)); c != nil && c.Kind == kind {
			return c
		}
		return nil
	}
	showsPIN, showsBadge := q.Shown&access.ShownPIN != 0, q.Shown&access.ShownBadge != 0
	var shown []*credential.Credential
	if showsBadge {
		if c := find(q.Badge, credential.Badge); c != nil {
			shown = append(shown, c)
		} else {
			met[unknown] = true
		}
	}
	if showsPIN {
		switch c := find(q.PIN, credential.PIN); {
		case c != nil:
			shown, met[duress] = append(shown, c), c.Duress
		case len(shown) > 0:
			met[wrongPIN] = true
		default:
			met[unknown] = true
		}
	}
	for _, c := range shown {
		met[notValid] = met[notValid] || !countsAt(c, q.At)
	}
	met[shownTooLittle] = place != nil && !meets(o.requirement(place, q), showsPIN, showsBadge)
	met[ofTwo] = len(shown) == 2 && shown[0].Staff != shown[1].Staff
	if len(shown) == 0 {
		return 0
	}
	return shown[0].Staff
}

// ask answers a question.
func (o *oracle) ask(q access.Question) (a answer) {
	met := &a.met
	place := o.w.state.Places.Get(uint32(q.Place))
	permission := o.w.state.Permissions.Get(uint32(q.Permission))
	who := q.Staff
	if q.Shown != 0 {
		who = o.identify(&q, place, met)
	}
	p := o.w.state.Staff.Get(uint32(who))
	if p == nil {
		met[unknown] = true
		a.reason = access.UnknownCredential
		return a
	}
	home := o.zone(p.HomeSite)
	met[isLocked] = p.Lock != nil && p.Lock.Since.Unix() <= q.At && (p.Lock.Until.IsZero() ||
		p.Lock.Until.Unix() > q.At)
	met[hasLeft] = !within(0, p.LeavingDate, q.At, home) || !p.LeavesAt.IsZero() && p.LeavesAt.Unix() <= q.At
	met[contractOver] = !within(0, p.ContractEnd, q.At, home)
	met[notBegun] = !p.Activated && !within(p.StartDate, 0, q.At, home)
	if place == nil {
		met[placeAway] = true
	} else {
		met[placeAway] = slices.ContainsFunc(o.chain(place.ID), func(p *estate.Place) bool { return p.Retired })
		kind := place.Kind
		if kind == estate.Organisation && permission != nil && !slices.Contains(permission.Kinds, kind) {
			kind = estate.Site // the organisation is all sites
		}
		met[notForKind] = !q.AnyHour && permission != nil && !slices.Contains(permission.Kinds, kind)
		o.weigh(&q, p, permission, &a)
	}
	order := []struct {
		condition
		access.Reason
	}{{unknown, access.UnknownCredential}, {wrongPIN, access.WrongPIN}, {notValid, access.CredentialNotValid},
		{shownTooLittle, access.ProofNotSufficient}, {ofTwo, access.TwoPeople}, {isLocked, access.Locked},
		{hasLeft, access.HasLeft}, {contractOver, access.ContractEnded}, {notBegun, access.NotStarted},
		{placeAway, access.PlaceRetired}, {notForKind, access.NotForPlace}}
	for _, one := range order {
		if met[one.condition] {
			return answer{reason: one.Reason, met: a.met}
		}
	}
	if a.allowed && q.Proves && q.Shown == 0 && place.Kind == estate.Door {
		pin, badge := o.has(who, q.At)
		if !meets(o.requirement(place, &q), pin, badge) {
			met[shownTooLittle] = true
			return answer{reason: access.ProofNotSufficient, met: a.met}
		}
	}
	if a.allowed && met[duress] {
		a.reason = access.UnderDuress
	}
	return a
}

// has says what somebody has to show that counts at an instant.
func (o *oracle) has(who people.StaffID, at int64) (pin, badge bool) {
	for _, c := range o.w.state.Credentials.All() {
		if c.Staff == who && countsAt(c, at) {
			pin, badge = pin || c.Kind == credential.PIN, badge || c.Kind == credential.Badge
		}
	}
	return pin, badge
}

// weigh goes through what somebody is given and refused at a place. Withheld and barred beat everything, an owner holds
// everything else; then the highest level wins, and of refusals that which came furthest.
func (o *oracle) weigh(q *access.Question, p *people.Staff, permission *permit.Permission, a *answer) {
	met, now := &a.met, onTheWall(q.At, o.zone(q.Place))
	least := o.least(q, permission, p.ID)
	met[aLimit] = permission != nil && permission.Scale.Kind == permit.Limit
	met[records] = permission != nil && slices.Contains(permission.Scale.Levels, "own") && q.About != 0
	lacks := access.Granted
	if met[console] = permission != nil && o.ofProduct(permission); !met[console] {
		lacks = o.lacksAt(p, q.Place, q.At, met)
	}
	a.reason = access.NoAssignment
	better := func(reason access.Reason, level permit.Level) {
		switch {
		case reason == access.Granted:
			a.allowed, a.reason, a.level = true, access.Granted, max(a.level, level)
		case !a.allowed:
			a.reason = max(a.reason, reason)
		}
	}
	here := 0
	for _, x := range o.w.state.Exceptions.All() {
		if x.Staff != p.ID || x.Permission != q.Permission || x.Withheld || x.Ended || !o.covers(x.Place, q.Place) ||
			permission == nil || permission.Retired || !within(x.From, x.Until, q.At, o.zone(x.Place)) {
			continue
		}
		met[added] = true
		here++
		open := q.AnyHour || o.accessOpen(hours.Access{}, q.Place, now, met)
		switch {
		case x.Level < least:
			met[tooLittle] = true
			better(access.PermissionNotInTemplate, 0)
		case lacks != access.Granted:
			better(lacks, 0)
		case !open:
			met[closedNow] = true
			better(access.OutsideHours, 0)
		default:
			better(access.Granted, x.Level)
		}
	}
	for _, as := range o.w.state.Assignments.All() {
		if as.Staff != p.ID || as.Ended || !o.covers(as.Place, q.Place) {
			continue
		}
		here++
		o.weighOne(q, p, permission, as, least, lacks, met, better)
	}
	met[nothingHere] = here == 0
	if p.Owner && permission != nil && !permission.Retired {
		met[isOwner] = true
		a.allowed, a.reason, a.level = true, access.Granted, highest(permission.Scale)
	}
	for _, x := range o.w.state.Exceptions.All() {
		if x.Staff == p.ID && x.Permission == q.Permission && x.Withheld && !x.Ended && o.covers(x.Place, q.Place) &&
			permission != nil && !permission.Retired && within(x.From, x.Until, q.At, o.zone(x.Place)) {
			met[withheld] = true
			a.allowed, a.reason, a.level = false, access.Withheld, 0
		}
	}
	for _, b := range o.w.state.Bars.All() {
		if b.Staff == p.ID && !b.Ended && o.covers(b.Place, q.Place) && b.Since.Unix() <= q.At &&
			(b.Until.IsZero() || b.Until.Unix() > q.At) && permission != nil && !permission.Retired {
			met[barred] = true
			a.allowed, a.reason, a.level = false, access.BarredHere, 0
		}
	}
}

// weighOne weighs one assignment: its dates, what its template gives, what is required, and its hours, in this order.
func (o *oracle) weighOne(q *access.Question, p *people.Staff, permission *permit.Permission, as *org.Assignment,
	least permit.Level, lacks access.Reason, met *[conditions]bool, better func(access.Reason, permit.Level)) {
	level := o.gives(as.Template, permission, q.Place, q.At, met)
	wants := o.lacksBy(p, as.Template, q.At, met)
	if lacks == access.QualificationMissing || wants == access.Granted {
		wants = lacks
	}
	counts := within(as.From, as.Until, q.At, o.zone(as.Place))
	open := q.AnyHour || o.accessOpen(o.hoursOf(p, as, met), q.Place, onTheWall(q.At, o.zone(q.Place)), met)
	met[undated], met[tooLittle] = met[undated] || !counts, met[tooLittle] || level < least
	met[closedNow] = met[closedNow] || !open
	switch {
	case !counts:
		better(access.AssignmentNotInDates, 0)
	case level < least:
		better(access.PermissionNotInTemplate, 0)
	case wants != access.Granted:
		better(wants, 0)
	case !open:
		better(access.OutsideHours, 0)
	default:
		better(access.Granted, level)
	}
}

func highest(s permit.Scale) permit.Level {
	switch {
	case s.Kind == permit.Switch:
		return 1
	case s.Kind == permit.Levels:
		return permit.Level(len(s.Levels) - 1)
	case s.Most > 0:
		return s.Most
	}
	return permit.Unbounded
}

// String names the conditions that are the case.
func (a *answer) String() string {
	var names []string
	for c, met := range a.met {
		if met {
			names = append(names, conditionNames[c])
		}
	}
	return a.reason.String() + " (" + strings.Join(names, ", ") + ")"
}
