// Package org holds the state of the organisation: every record that decides access, at one revision.
//
// # Invariants
//
// A State is immutable once it is shared; the next one is a Fork of it. Records are shared between forks: a changed
// record is a new one that is put in the place of the old. Put keeps the indexes, so records are put by it alone. Check
// is the one check of each record, run before it is written and again when it is loaded; a record that does not pass
// when it is loaded is set aside, gives nothing, and is listed by AsideRecords. A Kind describes each kind of record.
//
// # Units
//
// Dates count in the zone of their site and name days, the last of which counts whole. Instants are in UTC, to the
// second.
//
// # Ownership and concurrency
//
// Any number of goroutines may read one State at once, and one may write a fork that nobody else has seen yet. No
// method fails: what is not there is nil.
package org

import (
	"time"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/message"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
	"loyallatch.example/latch/internal/core/table"
)

// Numbers of the records that belong to no other package.
type (
	AssignmentID uint32
	ExceptionID  uint32
	DeviceID     uint32
	BarID        uint32
	// CertificateID is the number of a certificate.
	CertificateID uint32
)

// Assignment says that somebody works at a place with a template, between two dates.
type Assignment struct {
	ID       AssignmentID      `json:"id"`
	Staff    people.StaffID    `json:"staff"`
	Place    estate.PlaceID    `json:"place"`
	Template permit.TemplateID `json:"template"`
	From     day.Date          `json:"from,omitempty"`   // first day, in the site's time zone; none: since ever
	Until    day.Date          `json:"until,omitempty"`  // last day that counts; none: open
	Hours    hours.Access      `json:"hours,omitzero"`   // Inherit: those of the person, else the template's
	Ended    bool              `json:"ended,omitempty"`  // taken back; kept for the record
	Covers   AssignmentID      `json:"covers,omitempty"` // of somebody absent, in whose place this one works; 0: nobody's
	Revision uint64            `json:"-"`
}

// Exception adds or withholds one permission for one person at a place and all below it.
type Exception struct {
	ID         ExceptionID         `json:"id"`
	Staff      people.StaffID      `json:"staff"`
	Permission permit.PermissionID `json:"permission"`
	Place      estate.PlaceID      `json:"place"`
	Withheld   bool                `json:"withheld"`
	Level      permit.Level        `json:"level,omitempty"` // of one that is added
	From       day.Date            `json:"from,omitempty"`
	Until      day.Date            `json:"until,omitempty"`
	Reason     string              `json:"reason"`
	MadeAt     time.Time           `json:"made_at"`
	Ended      bool                `json:"ended,omitempty"`
	Revision   uint64              `json:"-"`
}

// Bar is a lock limited to a place and all below it, from when it was made until a moment.
type Bar struct {
	ID       BarID          `json:"id"`
	Staff    people.StaffID `json:"staff"`
	Place    estate.PlaceID `json:"place"`
	Reason   string         `json:"reason"`
	Since    time.Time      `json:"since"`
	Until    time.Time      `json:"until,omitzero"` // zero: until it is lifted
	By       people.StaffID `json:"by,omitempty"`
	Ended    bool           `json:"ended,omitempty"`
	Revision uint64         `json:"-"`
}

// Holds reports whether the bar holds at an instant.
func (b *Bar) Holds(at time.Time) bool {
	return !b.Ended && !at.Before(b.Since) && (b.Until.IsZero() || at.Before(b.Until))
}

// Certificate says that somebody is qualified in something, between two dates.
type Certificate struct {
	ID            CertificateID    `json:"id"`
	Staff         people.StaffID   `json:"staff"`
	Qualification qualification.ID `json:"qualification"`
	Number        string           `json:"number,omitempty"` // that stands on it
	Issued        day.Date         `json:"issued"`           // first day that counts, in the zone of the home site
	Until         day.Date         `json:"until,omitempty"`  // last day that counts; none: open
	Ended         bool             `json:"ended,omitempty"`  // withdrawn; kept for the record
	Revision      uint64           `json:"-"`
}

// Device is a door controller or a terminal that may ask for decisions at its place, with a token of its own.
type Device struct {
	ID       DeviceID       `json:"id"`
	Name     string         `json:"name"`
	Place    estate.PlaceID `json:"place"`
	Token    [32]byte       `json:"-"` // SHA-256 of the token
	Until    time.Time      `json:"until,omitzero"`
	Retired  bool           `json:"retired,omitempty"`
	AddedBy  people.StaffID `json:"added_by,omitempty"` // who connected it, and saw its token; 0: not known
	Revision uint64         `json:"-"`
}

// Settings are the organisation's own.
type Settings struct {
	Name         string `json:"name"`
	NumberPrefix string `json:"number_prefix"` // staff numbers are this and a number of NumberDigits digits
	NumberDigits int    `json:"number_digits"`
	// By which staff numbers are made; empty: by the two above
	NumberPattern string `json:"number_pattern"`
	MaxOwners     int    `json:"max_owners"`
	// How long a first password counts, and a session of the console without use.
	FirstPasswordHours int `json:"first_password_hours"`
	IdleMinutes        int `json:"idle_minutes"`
	// After how many wrong PINs within how long no more are taken at a place, or the badge that was shown with them is
	// paused there, for at most TriesHoldMinutes.
	TriesAllowed       int `json:"tries_allowed"`
	TriesWindowMinutes int `json:"tries_window_minutes"`
	TriesHoldMinutes   int `json:"tries_hold_minutes"`
	// Which PINs are taken: of how many digits at least, and what is refused
	PINDigits            int  `json:"pin_digits"`
	PINRefuseSequences   bool `json:"pin_refuse_sequences"`
	PINRefuseRepeats     bool `json:"pin_refuse_repeats"`
	PINRefuseStaffNumber bool `json:"pin_refuse_staff_number"`
	PINRefuseDates       bool `json:"pin_refuse_dates"`
	PINHistory           int  `json:"pin_history"` // how many of somebody's last PINs are not taken again
	PINDays              int  `json:"pin_days"`    // for how many days a PIN counts; 0: until it is withdrawn
	// A PIN that was generated has to be changed at its first use
	PINMustChange bool `json:"pin_must_change"`
	// How many days before something runs out the managers are written to, and how many days before once more; 0: not
	RemindDays      int `json:"remind_days"`
	RemindAgainDays int `json:"remind_again_days"`
	// How many people may be active at once, those who are prepared among them; 0: as many as come
	Seats int `json:"seats"`
	// How many months after somebody has left their personal data is erased; 0: never
	RetentionMonths int `json:"retention_months"`
	// How many months events are kept, and entries of the audit log, and photos of those who have left; 0: for good
	EventsMonths int `json:"events_months"`
	AuditMonths  int `json:"audit_months"`
	PhotoMonths  int `json:"photo_months"`
	// Events and entries of the audit log are written to a file of their own before they are removed
	Archives bool `json:"archives"`
	// How messages are worded, of those that are worded otherwise than at first
	Messages []message.Wording `json:"messages"`
	// Fields of people's records of the organisation's own making
	Fields []people.OwnField `json:"fields"`
	// People may have a second PIN, which opens as the first does and raises a silent alarm
	DuressPINs bool `json:"duress_pins"`
}

// PINPolicy is what the settings say of PINs.
func (r *Settings) PINPolicy() *credential.PINPolicy {
	return &credential.PINPolicy{Digits: r.PINDigits, Sequences: r.PINRefuseSequences, Repeats: r.PINRefuseRepeats,
		StaffNumber: r.PINRefuseStaffNumber, Dates: r.PINRefuseDates}
}

// Wording is how a message is worded, or nil where it is as at first.
func (r *Settings) Wording(kind message.Kind) *message.Wording {
	for i := range r.Messages {
		if r.Messages[i].Kind == kind {
			return &r.Messages[i]
		}
	}
	return nil
}

// Field is a field of the organisation's own making, or nil where there is none of that key.
func (r *Settings) Field(key string) *people.OwnField {
	for i := range r.Fields {
		if r.Fields[i].Key == key {
			return &r.Fields[i]
		}
	}
	return nil
}

// TryRule is what the settings say of wrong tries at a door or a terminal.
func (r *Settings) TryRule() credential.TryRule {
	return credential.TryRule{Allowed: r.TriesAllowed, Window: time.Duration(r.TriesWindowMinutes) * time.Minute,
		FirstHold: time.Minute, Longest: time.Duration(r.TriesHoldMinutes) * time.Minute}
}

// DefaultSettings are those of a new organisation.
func DefaultSettings() Settings {
	return Settings{Name: "Our organisation", NumberPrefix: "S", NumberDigits: 5, MaxOwners: 2, FirstPasswordHours: 72,
		IdleMinutes: 30, TriesAllowed: 5, TriesWindowMinutes: 5, TriesHoldMinutes: 15, PINDigits: 6,
		PINRefuseSequences: true, PINRefuseRepeats: true, PINRefuseStaffNumber: true, PINHistory: 10,
		RemindDays: 14, RemindAgainDays: 3}
}

// State is every record that decides access. Read the tables; write through Put, which keeps the indexes.
type State struct {
	Revision    uint64
	Settings    Settings
	Places      table.Table[estate.Place]
	Groups      table.Table[permit.Group]
	Permissions table.Table[permit.Permission]
	Templates   table.Table[permit.Template]
	Staff       table.Table[people.Staff]
	Assignments table.Table[Assignment]
	Exceptions  table.Table[Exception]
	// By which templates give something else at places
	LocalSettings table.Table[LocalSetting]
	Badges        table.Table[Badge]
	Credentials   table.Table[credential.Credential]
	Devices       table.Table[Device]
	Bars          table.Table[Bar]
	// What people may have to be qualified in, and who is
	Qualifications table.Table[qualification.Qualification]
	Certificates   table.Table[Certificate]
	Notices        table.Table[Notice]
	Acceptances    table.Table[Acceptance]
	Schedules      table.Table[hours.Schedule]
	Teams          table.Table[Team]
	Members        table.Table[Member]

	// By each kind: its numbers by the codes of its records
	codes [mostKinds]table.Index[string, uint32]

	staffByEmail  table.Index[string, people.StaffID]
	pinByDigest   table.Index[credential.Digest, credential.ID]
	byBadge       table.Index[credential.BadgeID, credential.ID] // by which it is held
	issues        table.Table[[]credential.ID]                   // of each badge, ever; never changed in place
	deviceByToken table.Index[[32]byte, DeviceID]
	ofStaff       table.Table[belongings]
	ofTeam        table.Table[[]MemberID]     // of each team, ever; never changed in place
	coveredBy     table.Table[[]AssignmentID] // of each that is or was covered; never changed in place
	aside         map[string]Aside            // never changed in place
	owners        int
	root          estate.PlaceID // the organisation as a place; 0 where there is none
	pins          int
}

// belongings are the numbers of what belongs to one person. Never changed in place.
type belongings struct {
	assignments  []AssignmentID
	exceptions   []ExceptionID
	credentials  []credential.ID
	bars         []BarID
	certificates []CertificateID
	acceptances  []AcceptanceID
	members      []MemberID
}

// Fork returns a state that can be written without s noticing.
func (s *State) Fork() *State {
	f := *s
	for _, k := range kinds {
		k.fork(s, &f)
	}
	f.staffByEmail, f.pinByDigest = s.staffByEmail.Fork(), s.pinByDigest.Fork()
	f.deviceByToken, f.ofStaff = s.deviceByToken.Fork(), s.ofStaff.Fork()
	f.coveredBy, f.ofTeam = s.coveredBy.Fork(), s.ofTeam.Fork()
	f.byBadge, f.issues = s.byBadge.Fork(), s.issues.Fork()
	return &f
}

// Root returns the organisation as a place, or nil in a state that has none.
func (s *State) Root() *estate.Place { return s.Place(s.root) }

// unindex takes a credential out of the indexes by which what is shown is found.
func (s *State) unindex(c *credential.Credential) {
	if c.State == credential.Withdrawn {
		return
	}
	switch c.Kind {
	case credential.PIN:
		if holder, _ := s.pinByDigest.Get(c.Digest); holder == c.ID { // else another has it by now
			s.pinByDigest.Delete(c.Digest)
		}
		s.pins--
	case credential.Badge:
		if holder, _ := s.byBadge.Get(c.Badge); holder == c.ID {
			s.byBadge.Delete(c.Badge)
		}
	}
}

func (s *State) issued(id credential.BadgeID, with func([]credential.ID) []credential.ID) {
	var list []credential.ID
	if before := s.issues.Get(uint32(id)); before != nil {
		list = (*before)[:len(*before):len(*before)]
	}
	list = with(list)
	s.issues.Put(uint32(id), &list)
}

func (s *State) belong(id people.StaffID, add func(*belongings)) {
	var next belongings
	if before := s.ofStaff.Get(uint32(id)); before != nil {
		next = *before
	}
	add(&next)
	s.ofStaff.Put(uint32(id), &next)
}

// Place returns the place with the number, or nil.
func (s *State) Place(id estate.PlaceID) *estate.Place { return s.Places.Get(uint32(id)) }

// Template returns the template with the number, or nil.
func (s *State) Template(id permit.TemplateID) *permit.Template { return s.Templates.Get(uint32(id)) }

// Person returns the staff member with the number, or nil.
func (s *State) Person(id people.StaffID) *people.Staff { return s.Staff.Get(uint32(id)) }

// Assignment returns the assignment with the number, or nil.
func (s *State) Assignment(id AssignmentID) *Assignment { return s.Assignments.Get(uint32(id)) }

// Exception returns the exception with the number, or nil.
func (s *State) Exception(id ExceptionID) *Exception { return s.Exceptions.Get(uint32(id)) }

// Credential returns the credential with the number, or nil.
func (s *State) Credential(id credential.ID) *credential.Credential {
	return s.Credentials.Get(uint32(id))
}

// PlaceByCode returns the place with the code, or nil.
func (s *State) PlaceByCode(code string) *estate.Place { return placeKind.byCode(s, code) }

// TemplateByCode returns the template with the code, or nil.
func (s *State) TemplateByCode(code string) *permit.Template { return templateKind.byCode(s, code) }

// StaffByNumber returns the staff member with the staff number, or nil.
func (s *State) StaffByNumber(number string) *people.Staff { return staffKind.byCode(s, number) }

// StaffByEmail returns the staff member with the work email, or nil.
func (s *State) StaffByEmail(email string) *people.Staff {
	id, _ := s.staffByEmail.Get(key(email))
	return s.Person(id)
}

// PINByDigest returns the credential of the PIN that the digest identifies, or nil.
func (s *State) PINByDigest(digest credential.Digest) *credential.Credential {
	id, _ := s.pinByDigest.Get(digest)
	return s.Credential(id)
}

// DeviceByToken returns the device with the token digest, or nil.
func (s *State) DeviceByToken(token [32]byte) *Device {
	id, _ := s.deviceByToken.Get(token)
	return s.Devices.Get(uint32(id))
}

// AssignmentsOf returns the numbers of a person's assignments, ended ones too. The caller must not change the slice.
func (s *State) AssignmentsOf(id people.StaffID) []AssignmentID {
	if b := s.ofStaff.Get(uint32(id)); b != nil {
		return b.assignments
	}
	return nil
}

// CoveredBy returns the numbers of the assignments that cover another, ended ones too. The caller must not change the
// slice.
func (s *State) CoveredBy(id AssignmentID) []AssignmentID {
	if list := s.coveredBy.Get(uint32(id)); list != nil {
		return *list
	}
	return nil
}

// ExceptionsOf returns the numbers of a person's exceptions, ended ones too. The caller must not change the slice.
func (s *State) ExceptionsOf(id people.StaffID) []ExceptionID {
	if b := s.ofStaff.Get(uint32(id)); b != nil {
		return b.exceptions
	}
	return nil
}

// CredentialsOf returns the numbers of a person's credentials, withdrawn ones too. The caller must not change the
// slice.
func (s *State) CredentialsOf(id people.StaffID) []credential.ID {
	if b := s.ofStaff.Get(uint32(id)); b != nil {
		return b.credentials
	}
	return nil
}

// BarsOf returns the numbers of a person's bars, ended ones too. The caller must not change the slice.
func (s *State) BarsOf(id people.StaffID) []BarID {
	if b := s.ofStaff.Get(uint32(id)); b != nil {
		return b.bars
	}
	return nil
}

// Bar returns the bar with the number, or nil.
func (s *State) Bar(id BarID) *Bar { return s.Bars.Get(uint32(id)) }

// Qualification returns the qualification with the number, or nil.
func (s *State) Qualification(id qualification.ID) *qualification.Qualification {
	return s.Qualifications.Get(uint32(id))
}

// QualificationByCode returns the qualification with the code, or nil.
func (s *State) QualificationByCode(code string) *qualification.Qualification {
	return qualificationKind.byCode(s, code)
}

// Schedule returns the schedule with the number, or nil.
func (s *State) Schedule(id hours.ScheduleID) *hours.Schedule { return s.Schedules.Get(uint32(id)) }

// ScheduleByCode returns the schedule with the code, or nil.
func (s *State) ScheduleByCode(code string) *hours.Schedule { return scheduleKind.byCode(s, code) }

// Certificate returns the certificate with the number, or nil.
func (s *State) Certificate(id CertificateID) *Certificate { return s.Certificates.Get(uint32(id)) }

// CertificatesOf returns the numbers of a person's certificates, withdrawn ones too. The caller must not change the
// slice.
func (s *State) CertificatesOf(id people.StaffID) []CertificateID {
	if b := s.ofStaff.Get(uint32(id)); b != nil {
		return b.certificates
	}
	return nil
}

// CredentialOf returns a person's credential of the kind that is not withdrawn, or nil; a PIN for duress is none.
func (s *State) CredentialOf(id people.StaffID, kind credential.Kind) *credential.Credential {
	for _, number := range s.CredentialsOf(id) {
		if c := s.Credential(number); c.Kind == kind && c.State != credential.Withdrawn && !c.Duress {
			return c
		}
	}
	return nil
}

// Owners returns how many owners there are.
func (s *State) Owners() int { return s.owners }

// PINs returns how many PINs are in use.
func (s *State) PINs() int { return s.pins }
