package access

import "fmt"

// Reason is why a decision is what it is. Refusals are named in the order of the constants: the first that holds. Where
// somebody has several assignments, the refusal is that of the one that came furthest.
type Reason uint8

// The reasons. Each has a row in the table below.
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

	// Reasons is how many reasons there are: they are the numbers below it.
	Reasons = int(iota)
)

// NotKnown is what a recorded number means that is no reason's: it was recorded by a newer version.
const NotKnown Reason = 255

// A row is all that is said of a reason beside its rank, which is its place among the constants.
type row struct {
	code   string // that programs rely on
	number uint8  // under which it is recorded; it never changes, whatever the rank
	means  string // for the guide
	change string // what would change it, for the guide; empty: it is no refusal
}

var rows = [Reasons]row{
	Granted: {"granted", 0, "everything is in order", ""},
	TooManyTries: {"too_many_tries", 1, "PINs are paused at the place, or the badge there, after too many wrong ones",
		"waiting, or ending the pause"},
	UnknownCredential: {"unknown_credential", 2, "the PIN or the badge is nobody's; a door says no more than that",
		"a new one"},
	WrongPIN: {"wrong_pin", 18, "the badge is somebody's, the PIN nobody's; a door says `unknown_credential`",
		"typing it again, or a new PIN"},
	CredentialNotValid: {"credential_not_valid", 3, "withdrawn, suspended, lost, or outside its dates", "a new one"},
	ProofNotSufficient: {"proof_not_sufficient", 4, "the door asks for something else, such as a badge and a PIN",
		"showing it"},
	TwoPeople: {"credentials_of_two_people", 16, "a badge and a PIN that belong to two people",
		"showing what belongs to one"},
	Locked:        {"locked", 5, "locked by a manager", "unlocking"},
	HasLeft:       {"left", 6, "left", "reinstating"},
	ContractEnded: {"contract_ended", 7, "the contract on record has run out", "a later end"},
	NotStarted: {"not_started", 8, "prepared; the start date lies ahead",
		"waiting, or activating by hand"},
	PlaceRetired: {"place_retired", 9, "the place, or one above it, is out of use", "bringing it back"},
	NotForPlace: {"permission_not_for_place", 17,
		"the permission has no meaning at this kind of place, such as running a line at a door",
		"asking about another place"},
	BarredHere:   {"barred_here", 15, "barred from the place, or from one above it", "lifting the bar"},
	Withheld:     {"permission_withheld", 10, "an exception withholds it", "ending the exception"},
	NoAssignment: {"no_assignment_here", 11, "no assignment covers the place", "assigning"},
	AssignmentNotInDates: {"assignment_not_in_its_dates", 12, "not yet, or no longer",
		"other dates"},
	PermissionNotInTemplate: {"permission_not_in_template", 13,
		"the template does not give it, or a local setting takes it away there, or not to that extent",
		"another template, the local setting, or an exception"},
	QualificationMissing: {"qualification_missing", 20,
		"a qualification that the template or the place requires is missing or has run out", "a certificate"},
	NoticeNotAccepted: {"notice_not_accepted", 21,
		"a notice that refuses work is not accepted in its present version",
		"accepting it, at a shared terminal or on paper"},
	OutsideHours: {"outside_access_hours", 14, "right person, right place, wrong hour",
		"waiting until the hour named, or wider hours"},
	UnderDuress: {"under_duress", 19, "allowed by a PIN that raises a silent alarm", ""},
}

// A reason without a row of its own would be recorded as granted: nothing starts with one.
func init() {
	codes, numbers := map[string]bool{}, map[uint8]bool{}
	for rank, r := range rows {
		if r.code == "" || r.means == "" || codes[r.code] || numbers[r.number] || (r.number == 0) != (rank == 0) ||
			r.number == uint8(NotKnown) {
			panic(fmt.Sprintf("access: reason %d has no row of its own: %+v", rank, r))
		}
		codes[r.code], numbers[r.number] = true, true
	}
}

// Number returns the number under which the reason is recorded.
func (r Reason) Number() uint8 { return rows[r].number }

// ReasonOf returns the reason that was recorded under a number; NotKnown where none was.
func ReasonOf(number uint8) Reason {
	for rank := range rows {
		if rows[rank].number == number {
			return Reason(rank)
		}
	}
	return NotKnown
}

// ReasonNamed returns the reason with a code.
func ReasonNamed(code string) (r Reason, known bool) {
	for rank := range rows {
		if rows[rank].code == code {
			return Reason(rank), true
		}
	}
	return NotKnown, false
}

// String returns the code that programs rely on.
func (r Reason) String() string {
	if int(r) >= Reasons {
		return "not_known"
	}
	return rows[r].code
}

// Means says in a phrase what the reason means, and what would change a refusal: empty for an allow.
func (r Reason) Means() (means, change string) { return rows[r].means, rows[r].change }
