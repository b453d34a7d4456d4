package access

import (
	"slices"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
)

// Reason is why a decision is what it is. Refusals are named in this order: the first that holds.
type Reason uint8

// The reasons. Where somebody has several assignments, the refusal is that of the one that came furthest.
const (
	Granted Reason = iota
	TooManyTries
	UnknownCredential
	WrongPIN // with a badge that is known
	CredentialNotValid
	ProofNotSufficient
	TwoPeople
	Locked
	HasLeft
	ContractEnded
	NotStarted
	PlaceRetired
	NotForPlace
	BarredHere
	Withheld
	NoAssignment
	AssignmentNotInDates
	PermissionNotInTemplate
	QualificationMissing
	NoticeNotAccepted
	OutsideHours
	UnderDuress // allowed, by a PIN that raises a silent alarm; nobody at the door is told
)

var reasonCodes = [...]string{"granted", "too_many_tries", "unknown_credential", "wrong_pin",
	"credential_not_valid",
	"proof_not_sufficient",
	"credentials_of_two_people", "locked", "left", "contract_ended", "not_started", "place_retired",
	"permission_not_for_place", "barred_here", "permission_withheld", "no_assignment_here",
	"assignment_not_in_its_dates", "permission_not_in_template",
	"qualification_missing", "notice_not_accepted", "outside_access_hours", "under_duress"}

// recorded are the numbers under which reasons are recorded. They never change, whatever rank a reason has.
var recorded = [...]uint8{Granted: 0, TooManyTries: 1, UnknownCredential: 2, CredentialNotValid: 3,
	ProofNotSufficient: 4, Locked: 5, HasLeft: 6, ContractEnded: 7,
	NotStarted: 8, PlaceRetired: 9, Withheld: 10, NoAssignment: 11, AssignmentNotInDates: 12,
	PermissionNotInTemplate: 13, OutsideHours: 14, BarredHere: 15,
	TwoPeople: 16, NotForPlace: 17, WrongPIN: 18, UnderDuress: 19, QualificationMissing: 20,
	NoticeNotAccepted: 21}

// Number returns the number under which the reason is recorded.
func (r Reason) Number() uint8 { return recorded[r] }

// ReasonOf returns the reason that was recorded under a number.
func ReasonOf(number uint8) Reason {
	return Reason(max(0, slices.Index(recorded[:], number)))
}

// Reasons is how many reasons there are: they are the numbers below it.
const Reasons = len(reasonCodes)

// ReasonNamed returns the reason with a code.
func ReasonNamed(code string) (r Reason, known bool) {
	i := slices.Index(reasonCodes[:], code)
	return Reason(max(0, i)), i >= 0
}

// String returns the code that programs rely on.
func (r Reason) String() string { return reasonCodes[r] }

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
