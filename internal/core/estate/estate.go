// Package estate holds the places of an organisation as a tree: the organisation itself at the root, sites in it, zones
// below them, and doors, devices and work centres as leaves. A tree of the past, or of a test, may have no
// organisation: then its sites stand at the top.
package estate

import (
	"fmt"
	"time"

	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/qualification"
)

// PlaceID numbers a place.
type PlaceID uint32

// Kind is a kind of place.
type Kind string

// The kinds of place.
const (
	Organisation Kind = "organisation" // the root, of which there is one
	Site         Kind = "site"
	Zone         Kind = "zone"
	Door         Kind = "door"
	Device       Kind = "device"
	WorkCentre   Kind = "work_centre"
)

// Kinds are all kinds of place, from the root down.
var Kinds = []Kind{Organisation, Site, Zone, Door, Device, WorkCentre}

// Known reports whether the kind is one of Kinds.
func (k Kind) Known() bool {
	for _, known := range Kinds {
		if k == known {
			return true
		}
	}
	return false
}

// HoldsOthers reports whether places of the kind can have places below them.
func (k Kind) HoldsOthers() bool { return k == Organisation || k == Site || k == Zone }

// Words returns the kind as a person says it.
func (k Kind) Words() string {
	if k == WorkCentre {
		return "work centre"
	}
	return string(k)
}

// Proof is what a door or terminal asks somebody to show.
type Proof string

// The proofs. The empty Proof asks for nothing in particular: any valid credential will do.
const (
	AnyProof    Proof = ""
	Badge       Proof = "badge"
	PIN         Proof = "pin"
	BadgeOrPIN  Proof = "badge_or_pin"
	BadgeAndPIN Proof = "badge_and_pin"
)

// Known reports whether the proof is one of the above.
func (p Proof) Known() bool {
	switch p {
	case AnyProof, Badge, PIN, BadgeOrPIN, BadgeAndPIN:
		return true
	}
	return false
}

// Stricter reports whether whoever satisfies the proof satisfies another one as well, and not the other way round.
func (p Proof) Stricter(other Proof) bool {
	switch other {
	case AnyProof, BadgeOrPIN:
		return p == Badge || p == PIN || p == BadgeAndPIN
	case Badge, PIN:
		return p == BadgeAndPIN
	}
	return false
}

// Words returns the proof as a person says it.
func (p Proof) Words() string {
	switch p {
	case Badge:
		return "a badge"
	case PIN:
		return "a PIN"
	case BadgeOrPIN:
		return "a badge or a PIN"
	case BadgeAndPIN:
		return "a badge and a PIN"
	}
	return "any credential"
}

// Place is a node of the estate.
type Place struct {
	ID       PlaceID        `json:"id"`
	Code     string         `json:"code"` // short, unique: HB-COLD-2
	Name     string         `json:"name"`
	Kind     Kind           `json:"kind"`
	Parent   PlaceID        `json:"parent,omitempty"`    // 0 for the organisation
	TimeZone string         `json:"time_zone,omitempty"` // IANA name, the organisation and sites only
	Opening  *hours.Opening `json:"opening,omitempty"`   // its own, of what holds others; nil takes the parent's
	Proof    Proof          `json:"proof,omitempty"`
	// Of a door: what it asks for outside opening hours, where that is more; empty: the same
	ProofOutside Proof `json:"proof_outside,omitempty"`
	// Key of the permission that a request here is about unless it says otherwise
	Asks string `json:"asks,omitempty"`
	// Qualifications without which nobody may do anything here and below; in the order of their numbers
	Requires []qualification.ID `json:"requires,omitempty"`
	Retired  bool               `json:"retired,omitempty"`
	Revision uint64             `json:"-"`
}

// Standing is a place as it stands in the tree: what it has from those above it.
type Standing struct {
	Place    *Place
	Site     *Place // the site it stands in, or is; of the organisation itself, the organisation
	Location *time.Location
	Opening  *hours.Opening // the nearest stated opening hours; nil when none are: never closes
	Retired  bool           // the place, or one above it, is retired
	Depth    int
}

// span is a place's interval in a depth-first walk. Spans stand apart from the rest so that the ancestor test, which
// every decision makes several times, finds thousands of places in little memory.
type span struct{ enter, exit int32 }

// Tree is the estate with its ancestor test in constant time: a place's descendants are exactly those
// whose entry number in a depth-first walk lies within its own interval.
type Tree struct {
	standings []Standing // by PlaceID; Place is nil where there is none
	spans     []span     // by PlaceID; empty where there is none
	order     []PlaceID
}

// NewTree builds the tree of the places. Children stand in the order in which they come.
func NewTree(places func(yield func(uint32, *Place) bool)) (*Tree, error) {
	tree := &Tree{}
	children := map[PlaceID][]*Place{}
	count := 0
	for _, place := range places {
		children[place.Parent] = append(children[place.Parent], place)
		for len(tree.standings) <= int(place.ID) {
			tree.standings = append(tree.standings, Standing{})
			tree.spans = append(tree.spans, span{enter: -1, exit: -1})
		}
		count++
	}
	tree.order = make([]PlaceID, 0, count)
	locations := map[string]*time.Location{}
	var number int32
	var walk func(place *Place, above Standing) error
	walk = func(place *Place, above Standing) error {
		here := Standing{Place: place, Site: above.Site, Location: above.Location, Opening: above.Opening,
			Retired: above.Retired || place.Retired, Depth: above.Depth}
		enter := number
		if above.Place != nil {
			here.Depth++
		}
		if place.Parent == 0 || place.Kind == Site {
			location, err := locate(locations, place.TimeZone)
			if err != nil {
				return err
			}
			here.Site, here.Location = place, location
		}
		if place.Opening != nil {
			here.Opening = place.Opening
		}
		number++
		tree.order = append(tree.order, place.ID)
		for _, child := range children[place.ID] {
			if err := walk(child, here); err != nil {
				return err
			}
		}
		tree.standings[place.ID], tree.spans[place.ID] = here, span{enter, number}
		return nil
	}
	for _, top := range children[0] {
		if err := walk(top, Standing{}); err != nil {
			return nil, err
		}
	}
	if len(tree.order) != count {
		return nil, fmt.Errorf("the place tree has a circle or a parent that is missing")
	}
	return tree, nil
}

func locate(known map[string]*time.Location, name string) (*time.Location, error) {
	if location := known[name]; location != nil {
		return location, nil
	}
	location, err := time.LoadLocation(name)
	if err != nil || name == "" || name == "Local" {
		return nil, fmt.Errorf("%q is not a known time zone; use a name such as Europe/Dublin", name)
	}
	known[name] = location
	return location, nil
}

// At returns how the place stands in the tree, or nil when there is no such place.
func (t *Tree) At(id PlaceID) *Standing {
	if int(id) >= len(t.standings) || t.standings[id].Place == nil {
		return nil
	}
	return &t.standings[id]
}

// Within reports whether place is ancestor itself or stands anywhere below it, in constant time.
func (t *Tree) Within(place, ancestor PlaceID) bool {
	if int(place) >= len(t.spans) || int(ancestor) >= len(t.spans) {
		return false
	}
	entered := t.spans[place].enter
	return entered >= 0 && t.spans[ancestor].enter <= entered && entered < t.spans[ancestor].exit
}

// All yields the places depth first, parents before children.
func (t *Tree) All(yield func(*Standing) bool) {
	for _, id := range t.order {
		if !yield(&t.standings[id]) {
			return
		}
	}
}

// Tops yields what stands at the top, retired places too: the organisation, or the sites of a tree without one. What
// counts everywhere counts at each of them.
func (t *Tree) Tops(yield func(*Standing) bool) {
	for here := range t.All {
		if here.Place.Parent == 0 && !yield(here) {
			return
		}
	}
}

// Sites yields the sites, retired ones too.
func (t *Tree) Sites(yield func(*Standing) bool) {
	for here := range t.All {
		if here.Place.Kind == Site && !yield(here) {
			return
		}
	}
}

// Below yields the place itself and all below it, parents before children.
func (t *Tree) Below(id PlaceID) func(yield func(*Standing) bool) {
	return func(yield func(*Standing) bool) {
		if t.At(id) == nil {
			return
		}
		for _, below := range t.order[t.spans[id].enter:t.spans[id].exit] {
			if !yield(&t.standings[below]) {
				return
			}
		}
	}
}

// Path returns the names from the site down to the place, for people to read; of the organisation, its own.
func (t *Tree) Path(id PlaceID) []string {
	var names []string
	for here := t.At(id); here != nil; here = t.At(here.Place.Parent) {
		if here.Place.Kind != Organisation || here.Place.ID == id {
			names = append([]string{here.Place.Name}, names...)
		}
	}
	return names
}

// Check says what is wrong with the place itself and with where it is put; parent is nil at the top.
func Check(place, parent *Place) (field string, err error) {
	switch {
	case !place.Kind.Known():
		return "kind", fmt.Errorf("%q is not a kind of place; use organisation, site, zone, door, device or "+
			"work_centre",
			place.Kind)
	case place.Kind == Organisation && parent != nil:
		return "parent", fmt.Errorf("the organisation stands at the top of the estate and has no parent")
	case place.Kind == Site && parent != nil && parent.Kind != Organisation:
		return "parent", fmt.Errorf("a site stands in the organisation and in no other place")
	case place.Kind != Site && parent != nil && parent.Kind == Organisation:
		return "parent", fmt.Errorf("a %s stands in a site or zone, not in the organisation itself", place.Kind.Words())
	case place.Kind != Site && place.Kind != Organisation && parent == nil:
		return "parent", fmt.Errorf("a %s needs a parent: the site or zone it stands in", place.Kind.Words())
	case parent != nil && !parent.Kind.HoldsOthers():
		return "parent", fmt.Errorf("%s is a %s and holds no other places; choose a site or zone", parent.Code,
			parent.Kind.Words())
	case !place.Proof.Known():
		return "proof", fmt.Errorf("%q is not a proof; use badge, pin, badge_or_pin or badge_and_pin", place.Proof)
	case place.ProofOutside != AnyProof && place.Kind != Door:
		return "proof_outside", fmt.Errorf("only a door asks for more outside opening hours")
	case place.ProofOutside != AnyProof && !place.ProofOutside.Stricter(place.Proof):
		return "proof_outside", fmt.Errorf("outside opening hours a door asks for more than %s, or for the same where "+
			"this is empty", place.Proof.Words())
	case place.Opening != nil && !place.Kind.HoldsOthers():
		return "opening", fmt.Errorf("only the organisation, sites and zones have opening hours")
	case place.Kind != Site && place.Kind != Organisation && place.TimeZone != "":
		return "time_zone", fmt.Errorf("only the organisation and sites have a time zone; all in a site follow it")
	}
	if place.Opening != nil {
		if err := place.Opening.Check(); err != nil {
			return "opening", err
		}
	}
	if place.Kind == Site || place.Kind == Organisation {
		if _, err := locate(map[string]*time.Location{}, place.TimeZone); err != nil {
			return "time_zone", err
		}
	}
	return "", nil
}
