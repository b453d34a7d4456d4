// Package people holds staff members: who they are, what status they have on a day, and what may follow what.
package people

import (
	"fmt"
	"net/mail"
	"slices"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
)

// StaffID numbers a staff member.
type StaffID uint32

// Engagement says on what terms somebody works here.
type Engagement string

// The engagements.
const (
	Employee   Engagement = "employee"
	Agency     Engagement = "agency"
	Contractor Engagement = "contractor"
	Seasonal   Engagement = "seasonal"
)

// Engagements are all of them.
var Engagements = []Engagement{Employee, Agency, Contractor, Seasonal}

// Status is where somebody stands between coming and going. It follows from the record and the day.
type Status string

// The statuses.
const (
	Prepared Status = "prepared" // on record, no access yet
	Active   Status = "active"
	Left     Status = "left"
)

// LockCause says who locked.
type LockCause string

// The causes of a lock.
const (
	ByManager  LockCause = "manager"
	ByAttempts LockCause = "attempts"
)

// Lock stops somebody everywhere, on top of the status.
type Lock struct {
	Cause  LockCause `json:"cause"`
	Reason string    `json:"reason"`
	Since  time.Time `json:"since"`
	Until  time.Time `json:"until,omitzero"` // zero: until unlocked
	By     StaffID   `json:"by,omitempty"`
}

// Staff is a staff member.
type Staff struct {
	ID          StaffID        `json:"id"`
	Number      string         `json:"staff_number"`
	GivenName   string         `json:"given_name"`
	FamilyName  string         `json:"family_name"`
	KnownAs     string         `json:"known_as,omitempty"`
	Email       string         `json:"email,omitempty"`
	Phone       string         `json:"phone,omitempty"`
	JobTitle    string         `json:"job_title,omitempty"`
	Engagement  Engagement     `json:"engagement"`
	Employer    string         `json:"employer,omitempty"` // the agency or employer, where it is not us
	HomeSite    estate.PlaceID `json:"home_site"`
	LineManager StaffID        `json:"line_manager,omitempty"`
	StartDate   day.Date       `json:"start_date"`
	ContractEnd day.Date       `json:"contract_end,omitempty"` // last day that counts
	Hours       hours.Access   `json:"hours,omitzero"`         // of the assignments that state none
	Notes       string         `json:"notes,omitempty"`
	ExternalID  string         `json:"external_id,omitempty"`

	DrivingLicence   string `json:"driving_licence,omitempty"`
	InsuranceNumber  string `json:"insurance_number,omitempty"`
	EmergencyContact string `json:"emergency_contact,omitempty"`
	EmergencyPhone   string `json:"emergency_phone,omitempty"`
	Own              Own    `json:"own,omitempty"`

	Activated   bool      `json:"activated,omitempty"` // by hand, before the start date
	Owner       bool      `json:"owner,omitempty"`
	Lock        *Lock     `json:"lock,omitempty"`
	LeavingDate day.Date  `json:"leaving_date,omitempty"` // last day that counts
	LeavesAt    time.Time `json:"leaves_at,omitzero"`     // or the instant at which access ends
	Erased      bool      `json:"erased,omitempty"`       // who they were is erased; a pseudonym stands in
	Revision    uint64    `json:"-"`
}

// Leaves reports whether somebody has left or is going to, by their record.
func (s *Staff) Leaves() bool { return !s.LeavingDate.IsZero() || !s.LeavesAt.IsZero() }

// Called returns the name somebody goes by.
func (s *Staff) Called() string {
	if s.KnownAs != "" {
		return s.KnownAs
	}
	return s.GivenName
}

// FullName returns given and family name.
func (s *Staff) FullName() string { return strings.TrimSpace(s.GivenName + " " + s.FamilyName) }

// Span is when somebody can work at all, as Unix seconds: from Start, until before Contract, until before Gone.
type Span struct{ Start, Contract, Gone int64 }

// forever stands for an end that is open.
const forever = 1<<63 - 1

// SpanIn returns when somebody can work, in the time zone of the home site.
func (s *Staff) SpanIn(location *time.Location) Span {
	span := Span{Start: s.StartDate.Start(location).Unix(), Contract: forever, Gone: forever}
	if s.Activated || s.StartDate.IsZero() {
		span.Start = -forever
	}
	if !s.ContractEnd.IsZero() {
		span.Contract = (s.ContractEnd + 1).Start(location).Unix()
	}
	if !s.LeavingDate.IsZero() {
		span.Gone = (s.LeavingDate + 1).Start(location).Unix()
	}
	if !s.LeavesAt.IsZero() {
		span.Gone = min(span.Gone, s.LeavesAt.Unix())
	}
	return span
}

// Status returns the status at an instant.
func (s Span) Status(at int64) Status {
	switch {
	case at >= s.Gone:
		return Left
	case at < s.Start:
		return Prepared
	}
	return Active
}

// Locked reports whether somebody is locked at an instant.
func (s *Staff) Locked(at time.Time) bool {
	return s.Lock != nil && !at.Before(s.Lock.Since) && (s.Lock.Until.IsZero() || at.Before(s.Lock.Until))
}

// Wrong is a field of a record, and what is wrong with it.
type Wrong struct {
	Field string
	Err   error
}

// Check says what is wrong with the record itself: the first thing.
func (s *Staff) Check() (field string, err error) {
	if wrong := s.Wrong(); len(wrong) > 0 {
		return wrong[0].Field, wrong[0].Err
	}
	return "", nil
}

// Wrong says all that is wrong with the record itself.
func (s *Staff) Wrong() (wrong []Wrong) {
	say := func(is bool, field, format string, args ...any) {
		if is {
			wrong = append(wrong, Wrong{field, fmt.Errorf(format, args...)})
		}
	}
	say(s.GivenName == "", "given_name", "a staff member needs a given name")
	say(s.FamilyName == "", "family_name", "a staff member needs a family name")
	say(!slices.Contains(Engagements, s.Engagement), "engagement",
		"%q is not an engagement; use employee, agency, contractor or seasonal", s.Engagement)
	say(s.StartDate.IsZero(), "start_date", "a staff member needs a start date")
	say(!s.ContractEnd.IsZero() && s.ContractEnd < s.StartDate, "contract_end",
		"the contract ends on %s, before it starts on %s; put the end on or after the start", s.ContractEnd,
		s.StartDate)
	if s.Email != "" {
		address, err := mail.ParseAddress(s.Email)
		say(err != nil || address.Address != s.Email, "email",
			"%q is not an email address; write it as name@example.org, or leave it empty", s.Email)
	}
	return wrong
}

// Erase takes out of a record who somebody was. Their number stays, and a pseudonym that is made of it stands in for
// the name, so that what they did stays told apart from what others did.
func (s *Staff) Erase() {
	for i := range Fields {
		if f := &Fields[i]; f.Personal {
			*f.Text(s) = ""
		}
	}
	s.GivenName, s.FamilyName, s.Own, s.Erased = Pseudonym, s.Number, nil, true
	if s.Lock != nil {
		lock := *s.Lock
		lock.Reason = ErasedText
		s.Lock = &lock
	}
}

// What stands in for what was erased: as a given name, and as a text.
const (
	Pseudonym  = "Erased"
	ErasedText = "(erased)"
)
