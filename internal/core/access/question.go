package access

import (
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Shown is what somebody has shown to be known, as a set.
type Shown uint8

// What may be shown.
const (
	ShownPIN Shown = 1 << iota
	ShownBadge
)

func (s Shown) satisfies(proof estate.Proof) bool {
	switch proof {
	case estate.PIN:
		return s&ShownPIN != 0
	case estate.Badge:
		return s&ShownBadge != 0
	case estate.BadgeAndPIN:
		return s&ShownPIN != 0 && s&ShownBadge != 0
	}
	return s != 0
}

// Question asks whether somebody may do something at a place at an instant. Who it is about is named, or known by all
// that they show.
type Question struct {
	Staff      people.StaffID // who; set where they are named and show nothing
	Shown      Shown          // what was shown; with it, who is asked about is whoever it identifies
	PIN, Badge credential.ID  // that was shown; 0: it is known to nobody
	Permission permit.PermissionID
	Level      permit.Level // at least; 0 asks for any
	// Whose records, for a permission whose levels are own, team and all; 0: nobody's in particular
	About people.StaffID
	Place estate.PlaceID
	At    int64 // Unix seconds
	// A named person shows at a door whatever they have that counts then; else it is taken as shown. What they lack is
	// named last
	Proves bool
	// What somebody holds, not whether they may use it there and now: access hours and the kind of place are left out
	AnyHour bool
	// What somebody would hold at a place, and their say over it: a retired one is taken as one in use, and what it
	// requires people to be qualified in is left out
	Retired bool
	// What their record gives them, also while they lack what its template requires; with Retired
	onRecord bool
	// What they can give to others, where a template says so, in the place of what they hold by it; with Retired
	gives bool
}

// Decision answers a Question. The numbers point at the records that decided; 0 where none did.
type Decision struct {
	Allowed    bool
	Reason     Reason
	Level      permit.Level
	Staff      people.StaffID
	Credential credential.ID
	Assignment org.AssignmentID
	Exception  org.ExceptionID
	Bar        org.BarID
	Owner      bool // held as an owner, who holds everything
}

func shownBy(kind credential.Kind) Shown {
	switch kind {
	case credential.PIN:
		return ShownPIN
	case credential.Badge:
		return ShownBadge
	}
	return 0
}
