// Package permit holds what somebody may do: the catalogue of permissions with their scales, the templates that set
// them, and how a setting on a group flows down and a base is overridden.
//
// # Invariants
//
// A setting further down wins over one further up, and what a template states itself, on a permission or on a group
// above it, wins over all that its base states. A group's setting does not flow into permissions that came after it was
// made: those are given to nobody until somebody decides. What somebody can give is set apart from what they can do; it
// flows into what comes later, but never into what is sensitive. A Level is 0 for none, 1 for a switch that is on, the
// position for levels, the number itself for a limit; levels of different scales are not compared.
//
// # Ownership and concurrency
//
// A Catalogue may be read by any number of goroutines once nobody adds to it. Records are not changed: a changed one is
// a new one. Parsing and checking return errors that are for people to read; they do not name the field, which the
// caller knows.
package permit

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/qualification"
)

// Numbers of permissions, groups and templates.
type (
	PermissionID uint32
	GroupID      uint32
	TemplateID   uint32
)

// Level is how much of a permission somebody has: 0 is none; 1 is yes for a switch; the position in the
// list for levels; the number itself for a limit.
type Level int32

// Unbounded is the level of those who hold everything.
const Unbounded Level = 1<<31 - 1

// ScaleKind says which sort of scale a permission has.
type ScaleKind string

// The kinds of scale.
const (
	Switch ScaleKind = "switch"
	Levels ScaleKind = "levels"
	Limit  ScaleKind = "limit"
)

// Scale is the one scale of a permission.
type Scale struct {
	Kind   ScaleKind `json:"kind"`
	Levels []string  `json:"levels,omitempty"` // lowest first; the first means none
	Unit   string    `json:"unit,omitempty"`   // of a limit
	Most   Level     `json:"most,omitempty"`   // the highest number a limit can be set to; 0: any
}

// Words that mean the same on every scale. Full has no meaning on a limit: a number has to be decided.
const (
	WordNone = "none"
	WordFull = "full"
)

// Check says what is wrong with the scale.
func (s Scale) Check() error {
	switch s.Kind {
	case Switch:
	case Levels:
		if len(s.Levels) < 2 {
			return fmt.Errorf("a scale of levels needs at least two, the lowest first, such as none, own, team")
		}
		for i, level := range s.Levels {
			alike := func(other string) bool { return strings.EqualFold(other, level) }
			switch {
			case level == "" || level != strings.TrimSpace(level) || slices.ContainsFunc(s.Levels[:i], alike):
				return fmt.Errorf("the levels of a scale need names of their own, also without regard to case")
			case alike(WordFull) && i < len(s.Levels)-1 || alike(WordNone) && i > 0:
				return fmt.Errorf("%q has a meaning of its own on every scale; a level needs another name", level)
			}
		}
	case Limit:
		if s.Unit == "" {
			return fmt.Errorf("a limit needs a unit, such as kg")
		}
		if s.Most < 0 {
			return fmt.Errorf("the most that a limit can be set to is a number above 0, or left out")
		}
	default:
		return fmt.Errorf("%q is not a scale; use switch, levels or limit", s.Kind)
	}
	return nil
}

// Parse reads a word as a level of the scale: "yes", "use", "40"; "none" and "full" go with every scale but a limit's
// full.
func (s Scale) Parse(word string) (Level, error) {
	word = strings.ToLower(strings.TrimSpace(word))
	switch {
	case word == WordNone:
		return 0, nil
	case s.Kind == Switch:
		switch word {
		case "yes", WordFull:
			return 1, nil
		case "no":
			return 0, nil
		}
		return 0, fmt.Errorf("%q is not yes or no", word)
	case s.Kind == Levels:
		if i := s.position(word); i >= 0 {
			return Level(i), nil
		}
		if word == WordFull {
			return Level(len(s.Levels) - 1), nil
		}
		return 0, fmt.Errorf("%q is not a level of this scale; use one of %s", word, strings.Join(s.Levels, ", "))
	}
	number, err := strconv.ParseInt(word, 10, 32)
	if err != nil || number < 0 || Level(number) == Unbounded {
		return 0, fmt.Errorf("%q is not a limit; write a whole number of %s, 0 or more", word, s.Unit)
	}
	if s.Most > 0 && Level(number) > s.Most {
		return 0, fmt.Errorf("%d %s is beyond the most that this can be, %d %s", number, s.Unit, s.Most, s.Unit)
	}
	return Level(number), nil
}

// ParseGiving reads a word as a level up to which somebody can give: full is all of it on every scale, also of a limit,
// as no number has to be decided by whoever does not use it.
func (s Scale) ParseGiving(word string) (Level, error) {
	if strings.EqualFold(strings.TrimSpace(word), WordFull) {
		return s.Highest(), nil
	}
	return s.Parse(word)
}

// Word returns a level as it is written: "yes", "use", "40".
func (s Scale) Word(level Level) string {
	switch {
	case s.Kind == Switch && level > 0:
		return "yes"
	case s.Kind == Switch:
		return "no"
	case s.Kind == Levels:
		return s.Levels[min(max(int(level), 0), len(s.Levels)-1)]
	case level == Unbounded:
		return "no limit"
	}
	return strconv.Itoa(int(level))
}

// Words returns a level for a sentence: "up to 40 kg", "(team)"; nothing for a switch.
func (s Scale) Words(level Level) string {
	switch {
	case s.Kind == Switch:
		return ""
	case s.Kind == Limit && level == Unbounded:
		return "without limit"
	case s.Kind == Limit:
		return fmt.Sprintf("up to %d %s", level, s.Unit)
	}
	return "(" + s.Word(level) + ")"
}

// Text says the scale in a line: "switch", "none < view < run", "limit in percent, at most 100".
func (s Scale) Text() string {
	switch {
	case s.Kind == Levels:
		return strings.Join(s.Levels, " < ")
	case s.Kind == Limit && s.Most > 0:
		return fmt.Sprintf("limit in %s, at most %d", s.Unit, s.Most)
	case s.Kind == Limit:
		return "limit in " + s.Unit
	}
	return string(s.Kind)
}

// IsReach reports whether the scale says whose records somebody sees, which is a matter apart from what they may do
// and where: its levels are own, team or all.
func (s Scale) IsReach() bool {
	return s.Kind == Levels && s.position("own") >= 0 && s.position("all") >= 0
}

// position returns the place of a level by its name, whatever its case, or -1.
func (s Scale) position(name string) int {
	return slices.IndexFunc(s.Levels, func(level string) bool { return strings.EqualFold(level, name) })
}

// LevelAbout returns the lowest level at which somebody sees records: their own, those of somebody in a team that they
// lead, or another person's; 0 where the scale does not say whose records.
func (s Scale) LevelAbout(own, team bool) Level {
	switch {
	case !s.IsReach():
		return 0
	case own:
		return Level(s.position("own"))
	case team && s.position("team") >= 0:
		return Level(s.position("team"))
	}
	return Level(s.position("all"))
}

// Equal reports whether two scales are the same.
func (s Scale) Equal(other Scale) bool {
	return s.Kind == other.Kind && s.Unit == other.Unit && s.Most == other.Most && slices.Equal(s.Levels, other.Levels)
}

// Permission is one thing somebody may do, phrased positively.
type Permission struct {
	ID        PermissionID  `json:"id"`
	Key       string        `json:"key"`
	Title     string        `json:"title"`    // "Open hall doors"
	Sentence  string        `json:"sentence"` // one plain sentence
	Group     GroupID       `json:"group"`
	Scale     Scale         `json:"scale"`
	Kinds     []estate.Kind `json:"kinds"` // of place that it applies to
	Sensitive bool          `json:"sensitive,omitempty"`
	Since     uint32        `json:"since"` // catalogue count when it came into its group; see Setting.AsOf
	Retired   bool          `json:"retired,omitempty"`
	Revision  uint64        `json:"-"`
}

// AppliesTo reports whether the permission has a meaning at a kind of place. What has one at sites has it at the
// organisation, which is all of them.
func (p *Permission) AppliesTo(kind estate.Kind) bool {
	return slices.Contains(p.Kinds, kind) || kind == estate.Organisation && slices.Contains(p.Kinds, estate.Site)
}

// Group is a node of the catalogue that holds permissions and other groups.
type Group struct {
	ID       GroupID `json:"id"`
	Key      string  `json:"key"`
	Title    string  `json:"title"`
	Parent   GroupID `json:"parent,omitempty"`
	Since    uint32  `json:"since"` // catalogue count when it came under its parent; see Setting.AsOf
	Retired  bool    `json:"retired,omitempty"`
	Revision uint64  `json:"-"`
}

// Setting sets one permission, or all permissions of a group, to a word of their scale.
type Setting struct {
	Group      GroupID      `json:"group,omitempty"` // one of Group and Permission is set
	Permission PermissionID `json:"permission,omitempty"`
	Word       string       `json:"word"`
	// AsOf is the catalogue count when the setting was made. A group's setting does not flow into permissions
	// that came later: those are given to nobody until somebody decides. What can be given flows into them, unless they
	// are sensitive; there it is 0.
	AsOf uint32 `json:"as_of,omitempty"`
}

// Template is a named set of settings for a kind of work.
type Template struct {
	ID       TemplateID `json:"id"`
	Code     string     `json:"code"`
	Name     string     `json:"name"`
	Summary  string     `json:"summary,omitempty"`
	Base     TemplateID `json:"base,omitempty"`
	Settings []Setting  `json:"settings"`
	// What its holders can give to others, where that is not what they hold by it
	Giving []Setting    `json:"giving,omitempty"`
	Hours  hours.Access `json:"hours,omitzero"`
	// How long an assignment lasts unless it says otherwise; 0 is open
	Days  int      `json:"days,omitempty"`
	Needs []string `json:"needs,omitempty"` // kinds of credential: "pin", "badge"
	// Qualifications without which nobody may do what the template gives; in the order of their numbers
	Requires []qualification.ID `json:"requires,omitempty"`
	// After which an idle shared terminal signs the person out; 0 is the terminal's own
	IdleSeconds int `json:"idle_seconds,omitempty"`
	// DecidedAt is the catalogue count up to which somebody has looked at everything: what came before it and is not
	// set is not given, and that is decided. What came later and is not set waits for a decision.
	DecidedAt uint32 `json:"decided_at"`
	Retired   bool   `json:"retired,omitempty"`
	Revision  uint64 `json:"-"`
}

// Catalogue is the tree of groups with the permissions in it.
type Catalogue struct {
	permissions []*Permission // by number
	groups      []*Group      // by number
	byKey       map[string]any
	count       uint32 // highest Since
}

// NewCatalogue makes the catalogue of the groups and permissions.
func NewCatalogue(groups func(yield func(uint32, *Group) bool),
	permissions func(yield func(uint32, *Permission) bool)) *Catalogue {
	c := &Catalogue{byKey: map[string]any{}}
	for _, group := range groups {
		c.AddGroup(group)
	}
	for _, permission := range permissions {
		c.AddPermission(permission)
	}
	return c
}

// AddGroup puts a group that is not there yet into a catalogue that nobody else reads.
func (c *Catalogue) AddGroup(group *Group) {
	for len(c.groups) <= int(group.ID) {
		c.groups = append(c.groups, nil)
	}
	c.groups[group.ID] = group
	c.byKey[group.Key] = group
	c.count = max(c.count, group.Since)
}

// AddPermission puts a permission that is not there yet into a catalogue that nobody else reads.
func (c *Catalogue) AddPermission(permission *Permission) {
	for len(c.permissions) <= int(permission.ID) {
		c.permissions = append(c.permissions, nil)
	}
	c.permissions[permission.ID] = permission
	c.byKey[permission.Key] = permission
	c.count = max(c.count, permission.Since)
}

// Count is the highest Since of any permission: settings made now carry it.
func (c *Catalogue) Count() uint32 { return c.count }

// Permission returns the permission with the number, or nil.
func (c *Catalogue) Permission(id PermissionID) *Permission {
	if int(id) >= len(c.permissions) {
		return nil
	}
	return c.permissions[id]
}

// Group returns the group with the number, or nil.
func (c *Catalogue) Group(id GroupID) *Group {
	if int(id) >= len(c.groups) {
		return nil
	}
	return c.groups[id]
}

// PermissionByKey returns the permission with the key, or nil.
func (c *Catalogue) PermissionByKey(key string) *Permission {
	permission, _ := c.byKey[key].(*Permission)
	return permission
}

// GroupByKey returns the group with the key, or nil.
func (c *Catalogue) GroupByKey(key string) *Group {
	group, _ := c.byKey[key].(*Group)
	return group
}

// Permissions yields the permissions that are not retired, in the order of their numbers.
func (c *Catalogue) Permissions(yield func(*Permission) bool) {
	for _, permission := range c.permissions {
		if permission != nil && !permission.Retired && !yield(permission) {
			return
		}
	}
}

// AllPermissions yields the permissions, retired ones too, in the order of their numbers.
func (c *Catalogue) AllPermissions(yield func(*Permission) bool) {
	for _, permission := range c.permissions {
		if permission != nil && !yield(permission) {
			return
		}
	}
}

// Groups yields the groups that are not retired in the order of their numbers.
func (c *Catalogue) Groups(yield func(*Group) bool) {
	for _, group := range c.groups {
		if group != nil && !group.Retired && !yield(group) {
			return
		}
	}
}

// Size is one more than the highest number of a permission.
func (c *Catalogue) Size() int { return len(c.permissions) }

// Resolved is what a template says of one permission, and where it says it.
type Resolved struct {
	Level    Level
	Decided  bool       // false: neither the template nor its bases say anything
	Template TemplateID // the template, or one it is based on, that says it
	Group    GroupID    // the group whose setting flows down; 0 when the permission itself is set
}

// Resolve works out every permission of a template, by PermissionID. A setting further down wins over one
// further up, and the template's own settings win over those of its base.
func (c *Catalogue) Resolve(template *Template, lookup func(TemplateID) *Template) []Resolved {
	return c.resolve(template, lookup, doing)
}

// ResolveGiving works out, by PermissionID, up to which level the holders of a template can give each permission to
// others, by the template alone. Where nothing is said they can give what they hold, and Decided is false. Giving apart
// from doing is administrative role-based access control: what Sandhu, Bhamidipati and Munawer, “The ARBAC97 model for
// role-based administration of roles” (1999), call can-assign, with its range as a level; the settings themselves are
// the permission assignment of ANSI INCITS 359.
func (c *Catalogue) ResolveGiving(template *Template, lookup func(TemplateID) *Template) []Resolved {
	giving := c.resolve(template, lookup, giving)
	for id, does := range c.Resolve(template, lookup) {
		if !giving[id].Decided {
			giving[id].Level = does.Level
		}
	}
	return giving
}

// aspect is one of the two things that a template says of a permission: what its holder can do, and what they can give.
type aspect struct {
	settings func(*Template) []Setting
	parse    func(Scale, string) (Level, error)
	// flows reports whether a group's setting reaches a permission that came below it at a count of the catalogue.
	flows func(p *Permission, arrived uint32, setting *Setting) bool
}

var (
	doing = &aspect{settings: func(t *Template) []Setting { return t.Settings }, parse: Scale.Parse,
		flows: func(_ *Permission, arrived uint32, setting *Setting) bool { return arrived <= setting.AsOf }}
	giving = &aspect{settings: func(t *Template) []Setting { return t.Giving }, parse: Scale.ParseGiving,
		flows: func(p *Permission, _ uint32, _ *Setting) bool { return !p.Sensitive }}
)

func (c *Catalogue) resolve(template *Template, lookup func(TemplateID) *Template, of *aspect) []Resolved {
	resolved := make([]Resolved, len(c.permissions))
	for depth := 0; template != nil && depth < MostBases; depth++ {
		c.resolveOwn(template, resolved, of)
		template = lookup(template.Base)
	}
	return resolved
}

// MostBases bounds a chain of bases; circles are refused when they are made, this keeps a broken one from hanging.
const MostBases = 32

// Highest returns the level of those who hold everything.
func (s Scale) Highest() Level {
	switch {
	case s.Kind == Switch:
		return 1
	case s.Kind == Levels:
		return Level(len(s.Levels) - 1)
	case s.Most > 0:
		return s.Most
	}
	return Unbounded
}

// stated returns what a template states, or the nearest of those it is based on that states something.
func stated[T any](template *Template, lookup func(TemplateID) *Template,
	states func(*Template) (T, bool)) (nearest T) {
	for depth := 0; template != nil && depth < MostBases; depth++ {
		if of, does := states(template); does {
			return of
		}
		template = lookup(template.Base)
	}
	return nearest
}

// HoursOf returns the access hours that a template states, or the nearest of those it is based on; Inherit where none
// does.
func HoursOf(template *Template, lookup func(TemplateID) *Template) hours.Access {
	return stated(template, lookup,
		func(t *Template) (hours.Access, bool) { return t.Hours, t.Hours.Kind != hours.Inherit })
}

// DaysOf returns how long an assignment with a template lasts, as the template or the nearest of its bases states; 0 is
// open.
func DaysOf(template *Template, lookup func(TemplateID) *Template) int {
	return stated(template, lookup, func(t *Template) (int, bool) { return t.Days, t.Days > 0 })
}

// NeedsOf returns the kinds of credential that a template needs, as the template or the nearest of its bases states.
func NeedsOf(template *Template, lookup func(TemplateID) *Template) []string {
	return stated(template, lookup, func(t *Template) ([]string, bool) { return t.Needs, len(t.Needs) > 0 })
}

// RequiresOf returns the qualifications that a template requires, as the template or the nearest of its bases states.
func RequiresOf(template *Template, lookup func(TemplateID) *Template) []qualification.ID {
	return stated(template, lookup, func(t *Template) ([]qualification.ID, bool) {
		return t.Requires,
			len(t.Requires) > 0
	})
}

// IdleSecondsOf returns after how many seconds without use a shared terminal signs somebody out, as the template or the
// nearest of its bases states; 0 leaves it to the terminal.
func IdleSecondsOf(template *Template, lookup func(TemplateID) *Template) int {
	return stated(template, lookup, func(t *Template) (int, bool) { return t.IdleSeconds, t.IdleSeconds > 0 })
}

func (c *Catalogue) resolveOwn(template *Template, resolved []Resolved, of *aspect) {
	settings := of.settings(template)
	if len(settings) == 0 {
		return
	}
	groups := make(map[GroupID]Setting, len(settings))
	for _, setting := range settings {
		permission := c.Permission(setting.Permission)
		if permission == nil {
			groups[setting.Group] = setting
			continue
		}
		level, err := of.parse(permission.Scale, setting.Word)
		if err == nil && !resolved[permission.ID].Decided && !permission.Retired {
			resolved[permission.ID] = Resolved{Level: level, Decided: true, Template: template.ID}
		}
	}
	if len(groups) == 0 {
		return
	}
	for permission := range c.Permissions {
		if resolved[permission.ID].Decided {
			continue
		}
		arrived := permission.Since // below the group looked at
		for group := c.Group(permission.Group); group != nil; group = c.Group(group.Parent) {
			if setting, stated := groups[group.ID]; stated && of.flows(permission, arrived, &setting) {
				if level, err := of.parse(permission.Scale, setting.Word); err == nil {
					resolved[permission.ID] = Resolved{Level: level, Decided: true, Template: template.ID,
						Group: group.ID}
					break
				}
			}
			arrived = max(arrived, group.Since)
		}
	}
}

// Inside reports whether group is other or stands anywhere below it.
func (c *Catalogue) Inside(group, other GroupID) bool {
	for here := c.Group(group); here != nil; here = c.Group(here.Parent) {
		if here.ID == other {
			return true
		}
	}
	return false
}
