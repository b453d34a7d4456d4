package access

import (
	"cmp"
	"fmt"
	"slices"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Difference is one person gaining, or losing, a permission at a place. The levels are those before and after, in the
// first stretch of time in which they differ.
type Difference struct {
	Staff      people.StaffID
	Permission permit.PermissionID
	Instead    permit.PermissionID // at a place that asks for another permission than before: the one on the other side
	Place      estate.PlaceID
	// What it comes from: of the assignment that gives or gave it; 0 for exceptions and owners
	Template permit.TemplateID
	Before   permit.Level
	After    permit.Level
	Later    bool  // it begins on a day ahead: with a start, an end, or the end of what is withheld until then
	Until    int64 // the instant from which it is as on the other side again; 0: for good
	Hours    bool  // the hours are what differs, the levels do not
	Proof    bool  // what has to be shown at a door is what differs, or what the person has to show
}

// Effect is what a change changes: who gains what where, and who loses.
type Effect struct {
	Gains  []Difference // ordered by permission, template, levels, place, person; none twice
	Losses []Difference
	// A door that asked about something sensitive asks about something else, or by an easier proof: it is opened wider,
	// also while nobody has what it takes to pass
	Opened bool
}

// Gainers returns how many people gain something.
func (e *Effect) Gainers() int { return countStaff(e.Gains) }

// Losers returns how many people lose something.
func (e *Effect) Losers() int { return countStaff(e.Losses) }

func countStaff(shifts []Difference) int {
	seen := make(map[people.StaffID]struct{}, len(shifts))
	for _, shift := range shifts {
		seen[shift.Staff] = struct{}{}
	}
	return len(seen)
}

// GivesSensitive reports whether somebody gains a permission that the catalogue marks sensitive, or passes where such a
// one was asked for, or a door that asked for one is opened wider.
func (e *Effect) GivesSensitive(catalogue *permit.Catalogue) bool {
	sensitive := func(id permit.PermissionID) bool {
		permission := catalogue.Permission(id)
		return permission != nil && permission.Sensitive
	}
	return e.Opened || slices.ContainsFunc(e.Gains,
		func(shift Difference) bool { return sensitive(shift.Permission) || sensitive(shift.Instead) })
}

// NeedsReason reports whether a change with this effect has to say why: it takes something from somebody, or gives
// somebody something sensitive.
func (e *Effect) NeedsReason(after *permit.Catalogue) bool {
	return len(e.Losses) > 0 || e.GivesSensitive(after)
}

// Group is one line of an effect: the people who gain or lose one permission by one template, from one level to
// another.
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
	Proof         bool
	Instead       *permit.Permission
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
	if g.Proof {
		sign += "-proof"
	}
	if g.Instead != nil {
		sign += "-instead-" + g.Instead.Key
	}
	if g.Until != 0 {
		sign += fmt.Sprint("-until-", g.Until)
	}
	return fmt.Sprintf("%s:%s:%s:%d:%d", sign, g.Permission.Key, code, g.Before, g.After)
}

// Groups puts the shifts of an effect together as people read them, the largest first. The snapshot is one in which
// what shifts is known: the one after for gains, the one before for losses.
func (s *Snapshot) Groups(shifts []Difference, lost bool) []Group {
	var groups []Group
	for i := 0; i < len(shifts); {
		first, sites := shifts[i], map[estate.PlaceID]bool{}
		g := Group{Permission: s.catalogue.Permission(first.Permission), Template: s.state.Template(first.Template),
			Before: first.Before, After: first.After, Lost: lost, Later: first.Later, Until: first.Until,
			Hours: first.Hours,
			Proof: first.Proof, Instead: s.catalogue.Permission(first.Instead)}
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

func alike(a, b Difference) bool {
	return a.Permission == b.Permission && a.Template == b.Template && a.Before == b.Before && a.After == b.After &&
		a.Later == b.Later && a.Until == b.Until && a.Hours == b.Hours && a.Proof == b.Proof && a.Instead == b.Instead
}
