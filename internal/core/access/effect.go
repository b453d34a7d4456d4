package access

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

// Shift is one person gaining, or losing, a permission at a place. The levels are those before and after, in the first
// stretch of time in which they differ.
type Shift struct {
	Staff      people.StaffID
	Permission permit.PermissionID
	Place      estate.PlaceID
	Template   permit.TemplateID // what it comes from: of the assignment that gives or gave it; 0 for exceptions and owners
	Before     permit.Level
	After      permit.Level
	Later      bool  // it begins on a day ahead: with a start, an end, or the end of what is withheld until then
	Until      int64 // the instant from which it is as on the other side again; 0: for good
	Hours      bool  // the access hours are what differs, the levels do not
}

// Effect is what a change changes: who gains what where, and who loses.
type Effect struct {
	Gains  []Shift // ordered by permission, template, levels, place, person; none twice
	Losses []Shift
}

// Add puts another effect to this one: of other people, or of other permissions.
func (e *Effect) Add(other Effect) {
	d := differ{effect: Effect{append(e.Gains, other.Gains...), append(e.Losses, other.Losses...)}}
	*e = d.done()
}

// Gainers returns how many people gain something.
func (e *Effect) Gainers() int { return countStaff(e.Gains) }

// Losers returns how many people lose something.
func (e *Effect) Losers() int { return countStaff(e.Losses) }

func countStaff(shifts []Shift) int {
	seen := make(map[people.StaffID]struct{}, len(shifts))
	for _, shift := range shifts {
		seen[shift.Staff] = struct{}{}
	}
	return len(seen)
}

// GivesSensitive reports whether somebody gains a permission that the catalogue marks sensitive.
func (e *Effect) GivesSensitive(catalogue *permit.Catalogue) bool {
	return slices.ContainsFunc(e.Gains, func(shift Shift) bool {
		permission := catalogue.Permission(shift.Permission)
		return permission != nil && permission.Sensitive
	})
}

// NeedsReason reports whether a change with this effect has to say why: it takes something from somebody, or gives
// somebody something sensitive.
func (e *Effect) NeedsReason(after *permit.Catalogue) bool {
	return len(e.Losses) > 0 || e.GivesSensitive(after)
}

// Diff compares what people hold in two snapshots, from an instant on. only limits it to some permissions; nil
// compares all.
func Diff(before, after *Snapshot, staff []people.StaffID, only []permit.PermissionID, at int64) Effect {
	d := differ{before: before, after: after, at: at, only: only}
	for _, id := range staff {
		d.person(id, 0)
	}
	return d.done()
}

// DiffPlace adds to an effect what people whose assignments stand above a place gain or lose at it: for a place that
// was moved in the tree, retired or brought back.
func DiffPlace(effect *Effect, before, after *Snapshot, place estate.PlaceID, at int64) {
	d := differ{before: before, after: after, at: at, effect: *effect, kinds: after.kindsAt(place)}
	if retired := after.tree.At(place); retired == nil || retired.Retired {
		d.kinds = before.kindsAt(place)
	}
	ids := append(before.candidates(place), after.candidates(place)...)
	slices.Sort(ids)
	for _, id := range slices.Compact(ids) {
		d.person(id, place)
	}
	*effect = d.done()
}

// Lifted returns what one person gains of a permission at a place and below it: what comes of no longer withholding it.
func Lifted(before, after *Snapshot, id people.StaffID, permission permit.PermissionID, place estate.PlaceID, at int64) []Shift {
	d := differ{before: before, after: after, at: at, only: []permit.PermissionID{permission}}
	d.person(id, place)
	for below := range after.tree.Below(place) {
		if below.Place.ID != place {
			d.person(id, below.Place.ID)
		}
	}
	return d.done().Gains
}

// Moved returns what people gain or lose at a place and below it by where it stands, also of permissions that no place
// there is about today: what they could give there.
func Moved(before, after *Snapshot, place estate.PlaceID, at int64) Effect {
	d := differ{before: before, after: after, at: at}
	for _, id := range before.Inside(place) {
		d.person(id, 0)
	}
	ids := append(before.candidates(place), after.candidates(place)...)
	slices.Sort(ids)
	for _, id := range slices.Compact(ids) {
		d.person(id, place)
	}
	outside := func(shift Shift) bool { return !after.tree.Within(shift.Place, place) }
	d.effect.Gains, d.effect.Losses = slices.DeleteFunc(d.effect.Gains, outside), slices.DeleteFunc(d.effect.Losses, outside)
	return d.done()
}

// kindsAt returns the kinds of a place and all below it.
func (s *Snapshot) kindsAt(id estate.PlaceID) map[estate.Kind]bool {
	kinds := map[estate.Kind]bool{}
	for here := range s.tree.Below(id) {
		kinds[here.Place.Kind] = true
	}
	return kinds
}

// differ compares people one after another and keeps its lists, so that comparing many allocates little.
type differ struct {
	before, after *Snapshot
	at            int64
	only          []permit.PermissionID
	kinds         map[estate.Kind]bool // of place that matter; nil: all
	was, is       []Holding
	gaps          []gap
	effect        Effect
}

// person compares what one person holds: everywhere, or at one place and below.
func (d *differ) person(id people.StaffID, within estate.PlaceID) {
	d.was = d.before.holdings(d.was[:0], id, d.at, d.only, within)
	d.is = d.after.holdings(d.is[:0], id, d.at, d.only, within)
	byPermission := func(a, b Holding) int { return cmp.Compare(a.Permission, b.Permission) }
	slices.SortStableFunc(d.was, byPermission)
	slices.SortStableFunc(d.is, byPermission)
	for was, is := d.was, d.is; len(was) > 0 || len(is) > 0; {
		var permission permit.PermissionID
		switch {
		case len(was) == 0:
			permission = is[0].Permission
		case len(is) == 0:
			permission = was[0].Permission
		default:
			permission = min(was[0].Permission, is[0].Permission)
		}
		var had, has []Holding
		had, was = cut(was, permission)
		has, is = cut(is, permission)
		if d.kinds != nil && !d.matters(permission) {
			continue
		}
		instead, lostTo := had, has
		if d.wider(permission, d.before, d.after) { // it means something at more kinds of place than before
			instead = nil
		}
		if d.wider(permission, d.after, d.before) {
			lostTo = nil
		}
		d.effect.Gains = d.uncovered(d.effect.Gains, id, has, instead, d.before.tree, false)
		d.effect.Losses = d.uncovered(d.effect.Losses, id, had, lostTo, d.after.tree, true)
	}
}

// wider reports whether a permission applies to kinds of place in one snapshot that it does not apply to in another.
func (d *differ) wider(id permit.PermissionID, narrow, wide *Snapshot) bool {
	a, b := narrow.catalogue.Permission(id), wide.catalogue.Permission(id)
	return a != nil && a != b && b != nil && slices.ContainsFunc(b.Kinds, func(kind estate.Kind) bool { return !a.AppliesTo(kind) })
}

func (d *differ) matters(id permit.PermissionID) bool {
	permission := d.before.catalogue.Permission(id)
	if permission == nil {
		permission = d.after.catalogue.Permission(id)
	}
	return permission == nil || anyKind(permission, d.kinds)
}

// cut takes the holdings of one permission off the front of a list.
func cut(list []Holding, permission permit.PermissionID) (of, rest []Holding) {
	n := 0
	for n < len(list) && list[n].Permission == permission {
		n++
	}
	return list[:n], list[n:]
}

// uncovered appends the shifts of each holding that the others do not reach as far as: in place, level, dates and hours.
func (d *differ) uncovered(shifts []Shift, id people.StaffID, holdings, others []Holding, tree *estate.Tree, lost bool) []Shift {
	for i := range holdings {
		h := &holdings[i]
		d.gaps = gaps(d.gaps[:0], h, others, d.at, tree)
		for _, g := range d.gaps {
			shift := Shift{Staff: id, Permission: h.Permission, Place: g.place, Template: h.Template, Before: min(g.level, h.Level), After: h.Level, Later: g.from > d.at, Hours: g.level >= h.Level}
			if g.until < h.Until {
				shift.Until = g.until
			}
			if lost {
				shift.Before, shift.After = shift.After, shift.Before
			}
			shifts = append(shifts, shift)
		}
	}
	return shifts
}

// gap is a stretch of time in which others do not give, at a place, all that a holding does.
type gap struct {
	place       estate.PlaceID
	from, until int64
	level       permit.Level // what they give there
}

// gaps appends where others do not give, from an instant on, all that a holding does: at its place, and at those below
// where they are withheld. Of each place it is the first stretch of time that counts.
func gaps(list []gap, h *Holding, others []Holding, at int64, tree *estate.Tree) []gap {
	at = max(h.From, at)
	first := len(list)
	whole := stretch(h, others, h.Place, at, tree)
	if whole.from < h.Until {
		list = append(list, whole)
	}
	for i := range others {
		for _, x := range others[i].Except {
			if x.Place == h.Place || !tree.Within(x.Place, h.Place) {
				continue
			}
			part := stretch(h, others, x.Place, at, tree)
			if part.from >= whole.from && part.from < whole.until { // that is said of the whole
				part = stretch(h, others, x.Place, whole.until, tree)
			}
			said := func(g gap) bool { return tree.Within(x.Place, g.place) && g.from <= part.from && part.from < g.until }
			if part.from < h.Until && !slices.ContainsFunc(list[first:], said) {
				list = append(list, part)
			}
		}
	}
	return list
}

// stretch returns the first stretch of time, from an instant on, in which others do not give at a place what a holding
// does; where there is none, it begins when the holding ends.
func stretch(h *Holding, others []Holding, place estate.PlaceID, at int64, tree *estate.Tree) gap {
	for at < h.Until {
		next := max(at, excludedUntil(h.Except, place, at, tree))
		for i := range others {
			if o := &others[i]; o.From <= at && o.wouldReach(h, place, tree) {
				next = max(next, o.givenUntil(place, at, tree))
			}
		}
		if next == at {
			break
		}
		at = next
	}
	g := gap{place: place, from: min(at, h.Until), until: h.Until, level: levelThere(others, place, at, tree)}
	for i := range others {
		if o := &others[i]; o.Until > at && o.wouldReach(h, place, tree) {
			if again := max(o.From, excludedUntil(o.Except, place, at, tree)); again > at && again < o.Until {
				g.until = min(g.until, again)
			}
		}
	}
	return g
}

// wouldReach reports whether a holding gives at a place what another does, on the days on which it is held and not withheld.
func (o *Holding) wouldReach(h *Holding, place estate.PlaceID, tree *estate.Tree) bool {
	return o.Level >= h.Level && tree.Within(place, o.Place) && hoursReach(o.Hours, h.Hours)
}

// givenUntil returns until when, from an instant on, a holding is held and not withheld at a place.
func (o *Holding) givenUntil(place estate.PlaceID, at int64, tree *estate.Tree) int64 {
	until := o.Until
	for _, x := range o.Except {
		if x.Until > at && tree.Within(place, x.Place) {
			until = min(until, max(x.From, at))
		}
	}
	return max(until, at)
}

// excludedUntil returns until when exclusions that hold at an instant hold at a place; 0 where none does.
func excludedUntil(exclusions []Exclusion, place estate.PlaceID, at int64, tree *estate.Tree) (until int64) {
	for _, x := range exclusions {
		if x.From <= at && at < x.Until && tree.Within(place, x.Place) {
			until = max(until, x.Until)
		}
	}
	return until
}

// levelThere returns the highest level that holdings give at a place at an instant, whatever the hour.
func levelThere(holdings []Holding, place estate.PlaceID, at int64, tree *estate.Tree) (level permit.Level) {
	for i := range holdings {
		o := &holdings[i]
		if o.From <= at && at < o.Until && tree.Within(place, o.Place) && excludedUntil(o.Except, place, at, tree) == 0 {
			level = max(level, o.Level)
		}
	}
	return level
}

// hoursReach reports whether access hours let in whenever others do.
func hoursReach(a, b *hours.Access) bool {
	switch {
	case a == b || a.Kind == hours.Always:
		return true
	case a.Kind == hours.Weekly || b.Kind == hours.Weekly || b.Kind == hours.Always:
		return a.Kind == b.Kind && slices.Equal(a.Rules, b.Rules)
	}
	return a.BeforeMinutes >= b.BeforeMinutes && a.AfterMinutes >= b.AfterMinutes
}

func (d *differ) done() Effect {
	order := func(a, b Shift) int {
		return cmp.Or(cmp.Compare(a.Permission, b.Permission), cmp.Compare(a.Template, b.Template), cmp.Compare(a.Before, b.Before),
			cmp.Compare(a.After, b.After), compareBool(a.Later, b.Later), cmp.Compare(a.Until, b.Until), compareBool(a.Hours, b.Hours), cmp.Compare(a.Place, b.Place), cmp.Compare(a.Staff, b.Staff))
	}
	slices.SortFunc(d.effect.Gains, order)
	slices.SortFunc(d.effect.Losses, order)
	d.effect.Gains, d.effect.Losses = slices.Compact(d.effect.Gains), slices.Compact(d.effect.Losses)
	return d.effect
}

func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case b:
		return -1
	}
	return 1
}

// Group is one line of an effect: the people who gain or lose one permission by one template, from one level to another.
type Group struct {
	Permission    *permit.Permission
	Template      *permit.Template // nil where it comes from exceptions, or from being an owner
	Before, After permit.Level
	Staff         []people.StaffID // in the order of their numbers
	Places        []estate.PlaceID // of the assignments or exceptions
	Sites         int
	Lost          bool
	Later         bool
	Until         int64
	Hours         bool
}

// Key names the group within its effect.
func (g *Group) Key() string {
	code, sign := "-", "gain"
	if g.Template != nil {
		code = g.Template.Code
	}
	if g.Lost {
		sign = "loss"
	}
	if g.Later {
		sign += "-later"
	}
	if g.Hours {
		sign += "-hours"
	}
	if g.Until != 0 {
		sign += fmt.Sprint("-until-", g.Until)
	}
	return fmt.Sprintf("%s:%s:%s:%d:%d", sign, g.Permission.Key, code, g.Before, g.After)
}

// Groups puts the shifts of an effect together as people read them, the largest first. The snapshot is one in which
// what shifts is known: the one after for gains, the one before for losses.
func (s *Snapshot) Groups(shifts []Shift, lost bool) []Group {
	var groups []Group
	for i := 0; i < len(shifts); {
		first, sites := shifts[i], map[estate.PlaceID]bool{}
		g := Group{Permission: s.catalogue.Permission(first.Permission), Template: s.state.Template(first.Template), Before: first.Before, After: first.After, Lost: lost, Later: first.Later, Until: first.Until, Hours: first.Hours}
		for ; i < len(shifts) && alike(first, shifts[i]); i++ {
			g.Staff = append(g.Staff, shifts[i].Staff)
			if n := len(g.Places); n == 0 || g.Places[n-1] != shifts[i].Place {
				g.Places = append(g.Places, shifts[i].Place)
				if here := s.tree.At(shifts[i].Place); here != nil {
					sites[here.Site.ID] = true
				}
			}
		}
		g.Sites = len(sites)
		slices.Sort(g.Staff)
		g.Staff = slices.Compact(g.Staff)
		if g.Permission != nil {
			groups = append(groups, g)
		}
	}
	slices.SortStableFunc(groups, func(a, b Group) int { return cmp.Compare(len(b.Staff), len(a.Staff)) })
	return groups
}

func alike(a, b Shift) bool {
	return a.Permission == b.Permission && a.Template == b.Template && a.Before == b.Before && a.After == b.After && a.Later == b.Later && a.Until == b.Until && a.Hours == b.Hours
}

// Words says a group in a few words: "41 Packers at 2 sites gain “Clear a jam”".
func (s *Snapshot) Words(g *Group) string {
	who := words.Count(len(g.Staff), "person", "people")
	switch {
	case len(g.Staff) == 1 && s.state.Person(g.Staff[0]) != nil:
		who = s.state.Person(g.Staff[0]).FullName()
	case g.Template != nil:
		who = fmt.Sprintf("%d %s", len(g.Staff), words.Plural(g.Template.Name))
	}
	where := ""
	switch {
	case g.Sites > 1:
		where = fmt.Sprintf(" at %d sites", g.Sites)
	case len(g.Places) == 1:
		where = " at " + s.state.Place(g.Places[0]).Name
	case len(g.Places) > 1:
		where = fmt.Sprintf(" at %s", words.Count(len(g.Places), "place", "places"))
	}
	one := len(g.Staff) == 1
	verb, scale := map[bool]string{true: "gains", false: "gain"}[one], g.Permission.Scale
	if g.Lost {
		verb = map[bool]string{true: "loses", false: "lose"}[one]
	}
	detail := ""
	switch {
	case g.Hours:
		detail = ": other access hours than before"
	case scale.Kind != permit.Switch:
		detail = fmt.Sprintf(" (%s → %s)", scale.Word(g.Before), scale.Word(g.After))
	}
	if g.Later {
		detail += ", on a day ahead"
	}
	switch here := s.tree.At(g.Places[0]); {
	case g.Until == 0 || here == nil:
	case g.Lost:
		detail += ", until " + day.Of(time.Unix(g.Until-1, 0).In(here.Location)).Words()
	default:
		detail += ", already before " + day.Of(time.Unix(g.Until, 0).In(here.Location)).Words()
	}
	return fmt.Sprintf("%s%s %s “%s”%s", who, where, verb, g.Permission.Title, detail)
}

// groupsSaid is how many groups of each side a summary names.
const groupsSaid = 2

// Summarise says an effect in a sentence: "41 Packers at 2 sites gain “Clear a jam”; nobody loses."
func Summarise(before, after *Snapshot, effect *Effect, gains, losses []Group) string {
	if len(gains) == 0 && len(losses) == 0 {
		return "Nobody gains and nobody loses."
	}
	side := func(s *Snapshot, groups []Group, people int, verb string) string {
		if len(groups) > groupsSaid {
			return fmt.Sprintf("%s %s", words.Count(people, "person", "people"), map[bool]string{true: verb + "s", false: verb}[people == 1])
		}
		var said []string
		for i := range groups {
			said = append(said, s.Words(&groups[i]))
		}
		return strings.Join(said, ", ")
	}
	gained, lost := side(after, gains, effect.Gainers(), "gain"), side(before, losses, effect.Losers(), "lose")
	switch {
	case len(losses) == 0:
		return gained + "; nobody loses."
	case len(gains) == 0:
		return lost + "; nobody gains."
	}
	return gained + "; " + lost + "."
}
