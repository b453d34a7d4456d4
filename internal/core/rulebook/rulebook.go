// Package rulebook writes the catalogue and the templates as one YAML document that people read, keep under version
// control, compare with what is live and apply. Its form is described by the JSON Schema in schema.json.
package rulebook

import (
	"bytes"
	_ "embed"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"loyallatch.example/latch/internal/core/fault"
)

// Schema is the JSON Schema (draft 2020-12) of a rulebook.
//
//go:embed schema.json
var Schema []byte

// Version is the number of the form of a rulebook that this package reads and writes.
const Version = 1

// MostBytes bounds a rulebook.
const MostBytes = 2 << 20

// Book is a rulebook: a catalogue, templates, or both. Applying one leaves alone what it does not name.
type Book struct {
	Version   int     `yaml:"rulebook"`
	Name      string  `yaml:"name,omitempty"`
	Summary   string  `yaml:"summary,omitempty"`
	Catalogue []Group `yaml:"catalogue,omitempty"`
	// What people may have to be qualified in
	Qualifications []Qualification `yaml:"qualifications,omitempty"`
	// Access hours with a name
	Schedules []Schedule `yaml:"schedules,omitempty"`
	Templates []Template `yaml:"templates,omitempty"`
}

// Schedule is a set of access hours with a name.
type Schedule struct {
	Code    string `yaml:"code"`
	Name    string `yaml:"name"`
	Summary string `yaml:"summary,omitempty"`
	Hours   Hours  `yaml:"hours"`
	Retired bool   `yaml:"retired,omitempty"`

	at marks
}

// Qualification is what people may have to be qualified in.
type Qualification struct {
	Code    string `yaml:"code"`
	Name    string `yaml:"name"`
	Summary string `yaml:"summary,omitempty"`
	Months  int    `yaml:"months,omitempty"`
	Retired bool   `yaml:"retired,omitempty"`

	at marks
}

// Group is a group of the catalogue with what stands in it.
type Group struct {
	Key         string       `yaml:"group"`
	Title       string       `yaml:"title"`
	Retired     bool         `yaml:"retired,omitempty"`
	Permissions []Permission `yaml:"permissions,omitempty"`
	Groups      []Group      `yaml:"groups,omitempty"`

	at marks
}

// Permission is one thing somebody may do.
type Permission struct {
	Key       string   `yaml:"key"`
	Title     string   `yaml:"title"`
	Sentence  string   `yaml:"sentence"`
	Scale     Scale    `yaml:"scale,flow"`
	Kinds     []string `yaml:"kinds,flow"`
	Sensitive bool     `yaml:"sensitive,omitempty"`
	Retired   bool     `yaml:"retired,omitempty"`

	at marks
}

// Scale is the scale of a permission.
type Scale struct {
	Kind   string   `yaml:"kind" json:"kind"`
	Levels []string `yaml:"levels,omitempty,flow" json:"levels,omitempty"`
	Unit   string   `yaml:"unit,omitempty" json:"unit,omitempty"`
	Most   int      `yaml:"most,omitempty" json:"most,omitempty"`
}

// Template is a named set of settings.
type Template struct {
	Code        string            `yaml:"code"`
	Name        string            `yaml:"name"`
	Summary     string            `yaml:"summary,omitempty"`
	Base        string            `yaml:"base,omitempty"`
	Days        int               `yaml:"days,omitempty"`
	Needs       []string          `yaml:"needs,omitempty,flow"`
	Requires    []string          `yaml:"requires,omitempty,flow"`
	IdleSeconds int               `yaml:"idle_seconds,omitempty"`
	Hours       *Hours            `yaml:"hours,omitempty"`
	Retired     bool              `yaml:"retired,omitempty"`
	Settings    map[string]string `yaml:"settings,omitempty"`
	Giving      map[string]string `yaml:"giving,omitempty"`
	// What it gives otherwise at places; nil leaves alone what there is, and an empty list ends it
	Local []Local `yaml:"local,omitempty"`

	at marks
}

// Local is another level of one permission, or none, that a template has at a place and all below it.
type Local struct {
	Permission string `yaml:"permission"`
	Place      string `yaml:"place"`
	Level      string `yaml:"level"`
	From       string `yaml:"from,omitempty"`
	Until      string `yaml:"until,omitempty"`
	Reason     string `yaml:"reason"`

	at marks
}

// Hours are access hours.
type Hours struct {
	Kind          string `yaml:"kind" json:"kind"`
	BeforeMinutes int    `yaml:"before_minutes,omitempty" json:"before_minutes,omitempty"`
	AfterMinutes  int    `yaml:"after_minutes,omitempty" json:"after_minutes,omitempty"`
	Rules         []Rule `yaml:"rules,omitempty" json:"rules,omitempty"`
	Schedule      string `yaml:"schedule,omitempty" json:"schedule,omitempty"` // of the kind schedule: its code
}

// Rule is one weekly stretch.
type Rule struct {
	Days  string `yaml:"days" json:"days"`
	From  string `yaml:"from" json:"from"`
	Until string `yaml:"until" json:"until"`
}

// shape says which keys a mapping may have, and what stands under those that hold more mappings.
type shape struct {
	keys  []string
	inner map[string]*shape // a list of them, or one
	free  []string          // mappings whose keys are names of the organisation's own
}

var (
	ruleShape  = &shape{keys: []string{"days", "from", "until"}}
	hoursShape = &shape{keys: []string{"kind", "before_minutes", "after_minutes", "rules", "schedule"},
		inner: map[string]*shape{"rules": ruleShape}}
	groupShape = &shape{keys: []string{"group", "title", "retired", "permissions", "groups"}, inner: map[string]*shape{
		"permissions": {keys: []string{"key", "title", "sentence", "scale", "kinds", "sensitive", "retired"},
			inner: map[string]*shape{
				"scale": {keys: []string{"kind", "levels", "unit", "most"}}}},
	}}
	bookShape = &shape{keys: []string{"rulebook", "name", "summary", "catalogue", "qualifications", "schedules",
		"templates"},
		inner: map[string]*shape{
			"catalogue":      groupShape,
			"qualifications": {keys: []string{"code", "name", "summary", "months", "retired"}},
			"schedules": {keys: []string{"code", "name", "summary", "hours", "retired"},
				inner: map[string]*shape{"hours": hoursShape}},
			"templates": {keys: []string{"code", "name", "summary", "base", "days", "needs", "requires",
				"idle_seconds", "hours",
				"retired", "settings", "giving", "local"}, free: []string{"settings", "giving"},
				inner: map[string]*shape{
					"hours": hoursShape, "local": {keys: []string{"permission", "place", "level", "from", "until",
						"reason"}}}},
		}}
)

func init() { groupShape.inner["groups"] = groupShape }

// Parse reads a rulebook. A fault names the line and, where it is known, the column.
func Parse(text []byte) (*Book, error) {
	if len(text) > MostBytes {
		return nil, fault.Invalidf("rulebook", "a rulebook has at most %d MiB", MostBytes>>20)
	}
	var document yaml.Node
	if err := yaml.Unmarshal(text, &document); err != nil {
		return nil, fault.Invalidf("rulebook", "this is not YAML: %s", plainly(err))
	}
	if len(document.Content) != 1 || document.Content[0].Kind != yaml.MappingNode {
		return nil, fault.Invalidf("rulebook",
			"a rulebook begins with “rulebook: %d” and has a catalogue, templates, or both", Version)
	}
	if err := bookShape.check(document.Content[0], 0); err != nil {
		return nil, err
	}
	book := &Book{}
	if err := document.Decode(book); err != nil {
		return nil, fault.Invalidf("rulebook", "%s", plainly(err))
	}
	if book.Version != Version {
		return nil, fault.Invalidf("rulebook", "line 1: this reads rulebooks of the form %d; begin with “rulebook: %d”",
			Version, Version)
	}
	return book, nil
}

// deepest bounds how deep a document is gone into.
const deepest = 64

func (s *shape) check(node *yaml.Node, depth int) error {
	switch {
	case depth > deepest:
		return fault.Invalidf("rulebook", "line %d: this is nested deeper than a rulebook can be", node.Line)
	case node.Kind == yaml.AliasNode || node.Anchor != "":
		return fault.Invalidf("rulebook",
			"line %d, column %d: anchors and aliases are not used in a rulebook; write it out", node.Line, node.Column)
	case node.Kind == yaml.SequenceNode:
		for _, item := range node.Content {
			if err := s.check(item, depth+1); err != nil {
				return err
			}
		}
		return nil
	case node.Kind != yaml.MappingNode:
		if node.Tag == "!!null" {
			return nil
		}
		return fault.Invalidf("rulebook", "line %d, column %d: here stand the keys %s, not a plain value", node.Line,
			node.Column, strings.Join(s.keys, ", "))
	}
	seen := map[string]bool{}
	for i := 0; i+1 < len(node.Content); i += 2 {
		key, value := node.Content[i], node.Content[i+1]
		switch {
		case !slices.Contains(s.keys, key.Value):
			return fault.Invalidf("rulebook", "line %d, column %d: there is no key %q here; use %s", key.Line,
				key.Column, key.Value, strings.Join(s.keys, ", "))
		case seen[key.Value]:
			return fault.Invalidf("rulebook", "line %d, column %d: the key %q stands here twice", key.Line, key.Column,
				key.Value)
		}
		seen[key.Value] = true
		if inner := s.inner[key.Value]; inner != nil {
			if err := inner.check(value, depth+1); err != nil {
				return err
			}
		} else if err := plain(value, slices.Contains(s.free, key.Value)); err != nil {
			return err
		}
	}
	return nil
}

// mostKeys bounds a mapping: the library that reads YAML compares each key with all others.
const mostKeys = 2000

// plain sees that what is no part of a shape is a word, a list of words, or, where that is free, a mapping of words.
func plain(node *yaml.Node, free bool) error {
	if node.Kind == yaml.ScalarNode {
		return nil
	}
	if len(node.Content) > 2*mostKeys {
		return fault.Invalidf("rulebook", "line %d: a mapping has at most %d keys", node.Line, mostKeys)
	}
	seen := map[string]bool{}
	for i, item := range node.Content {
		if item.Kind != yaml.ScalarNode || node.Kind == yaml.MappingNode && !free {
			return fault.Invalidf("rulebook", "line %d, column %d: a plain word is expected here", item.Line,
				item.Column)
		}
		if node.Kind == yaml.MappingNode && i%2 == 0 {
			if seen[item.Value] {
				return fault.Invalidf("rulebook", "line %d, column %d: the key %q stands here twice", item.Line,
					item.Column, item.Value)
			}
			seen[item.Value] = true
		}
	}
	return nil
}

var typeNames = regexp.MustCompile(`rulebook\.([A-Za-z]+)|!!([a-z]+)`)

// plainly says a fault of the YAML library without the names of our types.
func plainly(err error) string {
	var typed *yaml.TypeError
	text := err.Error()
	if errors.As(err, &typed) && len(typed.Errors) > 0 {
		text = typed.Errors[0]
	}
	return strings.TrimPrefix(typeNames.ReplaceAllString(text, "$1$2"), "yaml: ")
}

// Mark is where something stands in the text, both counted from 1; a column of 0 is not known.
type Mark struct{ Line, Column int }

// String says the place as faults name it.
func (m Mark) String() string {
	if m.Column == 0 {
		return fmt.Sprintf("line %d", m.Line)
	}
	return fmt.Sprintf("line %d, column %d", m.Line, m.Column)
}

// marks are where the keys of a part stand, such as "title" or "settings.line.run"; under "" the part itself.
type marks map[string]Mark

func (m marks) line() int { return m[""].Line }

// of returns where a field stands, or what it is part of, or the part itself.
func (m marks) of(field string) Mark {
	for ; field != ""; field = field[:max(0, strings.LastIndexByte(field, '.'))] {
		if mark, known := m[field]; known {
			return mark
		}
	}
	return m[""]
}

func marksOf(node *yaml.Node) marks {
	m := marks{"": {Line: node.Line}}
	var walk func(node *yaml.Node, prefix string)
	walk = func(node *yaml.Node, prefix string) {
		for i := 0; node.Kind == yaml.MappingNode && i+1 < len(node.Content); i += 2 {
			key := node.Content[i]
			m[prefix+key.Value] = Mark{key.Line, key.Column}
			walk(node.Content[i+1], prefix+key.Value+".")
		}
	}
	walk(node, "")
	return m
}

// UnmarshalYAML reads a group, and keeps where it stands for naming it in a fault.
func (g *Group) UnmarshalYAML(node *yaml.Node) error {
	type bare Group
	g.at = marksOf(node)
	return node.Decode((*bare)(g))
}

// UnmarshalYAML reads a permission.
func (p *Permission) UnmarshalYAML(node *yaml.Node) error {
	type bare Permission
	p.at = marksOf(node)
	return node.Decode((*bare)(p))
}

// UnmarshalYAML reads a template.
func (t *Template) UnmarshalYAML(node *yaml.Node) error {
	type bare Template
	t.at = marksOf(node)
	return node.Decode((*bare)(t))
}

// UnmarshalYAML reads a local setting.
func (l *Local) UnmarshalYAML(node *yaml.Node) error {
	type bare Local
	l.at = marksOf(node)
	return node.Decode((*bare)(l))
}

// Write writes a rulebook as YAML.
func (b *Book) Write() ([]byte, error) {
	b.Version = Version
	var out bytes.Buffer
	fmt.Fprintln(&out, "# The catalogue of permissions and the templates. A setting is the key of a permission or a "+
		"group, and a word of its scale.\n# Giving says up to which word the holders of a template can give it to "+
		"others; where nothing is said, what they hold. Local says what is\n# otherwise at a place and all below it.")
	encoder := yaml.NewEncoder(&out)
	encoder.SetIndent(2)
	if err := encoder.Encode(b); err != nil {
		return nil, err
	}
	return out.Bytes(), encoder.Close()
}

// byBase puts templates in an order in which a base comes before what is based on it.
func byBase(templates []Template) ([]Template, error) {
	at := map[string]int{}
	for i, t := range templates {
		if _, twice := at[strings.ToLower(t.Code)]; twice {
			return nil, fault.Invalidf("rulebook", "line %d: the template %s stands here twice", t.at.line(), t.Code)
		}
		at[strings.ToLower(t.Code)] = i
	}
	var ordered []Template
	state := map[int]int{} // 1: being placed, 2: placed
	var place func(i int) error
	place = func(i int) error {
		t := templates[i]
		switch state[i] {
		case 1:
			return fault.Invalidf("rulebook", "line %d: basing %s on %s would make a circle", t.at.line(), t.Code,
				t.Base)
		case 2:
			return nil
		}
		state[i] = 1
		if base, here := at[strings.ToLower(t.Base)]; here && t.Base != "" {
			if err := place(base); err != nil {
				return err
			}
		}
		state[i] = 2
		ordered = append(ordered, t)
		return nil
	}
	for i := range templates {
		if err := place(i); err != nil {
			return nil, err
		}
	}
	return ordered, nil
}
