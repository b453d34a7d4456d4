package permit

import (
	"iter"
	"slices"
	"strings"
)

// Line is one row of a template shown as the tree of the catalogue: a group, or a permission in it.
type Line struct {
	Group      *Group      // the group itself, or nil
	Permission *Permission // the permission, or nil
	Depth      int
	Own        string // the word that the template itself sets here; "" where it sets none
	Resolved   Resolved
	OwnGiving  string   // the word up to which the template itself says that its holders can give
	Giving     Resolved // of a permission: up to which level they can give it; where nothing is said, what they hold
	Undecided  bool     // of a permission: it came into the catalogue after anybody decided, and nothing decides it
	// Of a group: how many permissions it holds, how many of them are given, undecided, or say something else than
	// what the group is set to. It is mixed where its permissions differ.
	Total, Given, Pending, Differ int
	Mixed                         bool
}

// Outline lays a template out as the tree of the catalogue: groups in the order of their numbers, in each its
// permissions and then the groups inside it. Nothing retired is in it.
func (c *Catalogue) Outline(template *Template, lookup func(TemplateID) *Template) []Line {
	resolved := c.Resolve(template, lookup)
	own := map[any]string{}
	for _, setting := range template.Settings {
		if setting.Permission != 0 {
			own[setting.Permission] = setting.Word
		} else {
			own[setting.Group] = setting.Word
		}
	}
	giving, ownGiving := c.ResolveGiving(template, lookup), map[any]string{}
	for _, setting := range template.Giving {
		if setting.Permission != 0 {
			ownGiving[setting.Permission] = setting.Word
		} else {
			ownGiving[setting.Group] = setting.Word
		}
	}
	undecided := c.undecided(template, resolved, lookup)
	inGroup, below := map[GroupID][]*Permission{}, map[GroupID][]*Group{}
	for permission := range c.Permissions {
		inGroup[permission.Group] = append(inGroup[permission.Group], permission)
	}
	for group := range c.Groups {
		below[group.Parent] = append(below[group.Parent], group)
	}
	var lines []Line
	var lay func(group *Group, depth int)
	lay = func(group *Group, depth int) {
		at := len(lines)
		lines = append(lines, Line{Group: group, Depth: depth, Own: own[group.ID],
			OwnGiving: ownGiving[group.ID]})
		for _, permission := range inGroup[group.ID] {
			lines = append(lines, Line{Permission: permission, Depth: depth + 1, Own: own[permission.ID],
				Resolved: resolved[permission.ID], OwnGiving: ownGiving[permission.ID], Giving: giving[permission.ID],
				Undecided: undecided[permission.ID]})
		}
		for _, inner := range below[group.ID] {
			lay(inner, depth+1)
		}
		lines[at].sum(lines[at+1:])
	}
	for _, group := range below[0] {
		lay(group, 0)
	}
	return lines
}

// sum works out what a group's line says of the permissions below it.
func (l *Line) sum(below []Line) {
	var extents []string
	for i := range below {
		line := &below[i]
		if line.Permission == nil {
			continue
		}
		l.Total++
		if line.Resolved.Level > 0 {
			l.Given++
		}
		if line.Undecided {
			l.Pending++
		}
		if l.Own != "" && line.Resolved.Group != l.Group.ID {
			l.Differ++
		}
		if extent := extent(line); !slices.Contains(extents, extent) {
			extents = append(extents, extent)
		}
	}
	l.Mixed = len(extents) > 1
}

// extent is what makes permissions of different scales alike: all of it, nothing, or the same level by name.
func extent(line *Line) string {
	scale := line.Permission.Scale
	switch {
	case line.Undecided:
		return "undecided"
	case line.Resolved.Level == 0:
		return WordNone
	case line.Resolved.Level == scale.Highest():
		return WordFull
	}
	return scale.Word(line.Resolved.Level)
}

func (c *Catalogue) undecided(template *Template, resolved []Resolved, lookup func(TemplateID) *Template) []bool {
	seen := DecidedAt(template, lookup)
	pending := make([]bool, len(resolved))
	for permission := range c.Permissions {
		pending[permission.ID] = waits(permission, resolved, seen)
	}
	return pending
}

// waits reports whether nobody has decided a permission: it came later than what was seen, and nothing decides it.
func waits(permission *Permission, resolved []Resolved, seen uint32) bool {
	return !resolved[permission.ID].Decided && permission.Since > seen
}

// Tier is one template in the tree of templates: those that are based on it stand below it.
type Tier struct {
	Template *Template
	Depth    int
	Line     Line // what the template says of the permission
}

// Tiers lays one permission out over the templates that are not retired, by name, each below the one it is based on.
func (c *Catalogue) Tiers(permission *Permission, templates iter.Seq2[uint32, *Template],
	lookup func(TemplateID) *Template) []Tier {
	below := map[TemplateID][]*Template{}
	for _, t := range templates {
		base := t.Base
		for above := lookup(base); above != nil && above.Retired; above = lookup(base) { // a retired base is not shown
			base = above.Base
		}
		if !t.Retired {
			below[base] = append(below[base], t)
		}
	}
	for _, those := range below {
		slices.SortFunc(those, func(a, b *Template) int { return strings.Compare(a.Name, b.Name) })
	}
	var tiers []Tier
	var lay func(base TemplateID, depth int)
	lay = func(base TemplateID, depth int) {
		for _, t := range below[base] {
			resolved := c.Resolve(t, lookup)
			line := Line{Permission: permission, Resolved: resolved[permission.ID],
				Giving:    c.ResolveGiving(t, lookup)[permission.ID],
				Undecided: waits(permission, resolved, DecidedAt(t, lookup))}
			for _, setting := range t.Settings {
				if setting.Permission == permission.ID {
					line.Own = setting.Word
				}
			}
			for _, setting := range t.Giving {
				if setting.Permission == permission.ID {
					line.OwnGiving = setting.Word
				}
			}
			tiers = append(tiers, Tier{Template: t, Depth: depth, Line: line})
			lay(t.ID, depth+1)
		}
	}
	lay(0, 0)
	return tiers
}

// Undecided returns the permissions that wait for a decision in a template: they came into the catalogue, or into
// their group, after it was decided, and neither it nor a base says anything of them.
func (c *Catalogue) Undecided(template *Template, resolved []Resolved,
	lookup func(TemplateID) *Template) []*Permission {
	var waiting []*Permission
	pending := c.undecided(template, resolved, lookup)
	for permission := range c.Permissions {
		if pending[permission.ID] {
			waiting = append(waiting, permission)
		}
	}
	return waiting
}

// DecidedAt returns the catalogue count up to which a template, or one it is based on, is decided.
func DecidedAt(template *Template, lookup func(TemplateID) *Template) uint32 {
	var count uint32
	for depth := 0; template != nil && depth < MostBases; depth++ {
		count = max(count, template.DecidedAt)
		template = lookup(template.Base)
	}
	return count
}

// Contrast is one permission in which templates differ, or are alike.
type Contrast struct {
	Permission *Permission
	Sides      []Resolved // one for each template compared
	Gives      []Level    // the same, of what can be given
	Differs    bool
}

// Compare lays what several templates say of each permission side by side.
func (c *Catalogue) Compare(sides, gives [][]Resolved) []Contrast {
	var rows []Contrast
	for permission := range c.Permissions {
		row := Contrast{Permission: permission}
		for i, side := range sides {
			var r, g Resolved
			if int(permission.ID) < len(side) {
				r, g = side[permission.ID], gives[i][permission.ID]
			}
			row.Differs = row.Differs || i > 0 && (row.Sides[0].Level != r.Level || row.Gives[0] != g.Level)
			row.Sides, row.Gives = append(row.Sides, r), append(row.Gives, g.Level)
		}
		rows = append(rows, row)
	}
	return rows
}
