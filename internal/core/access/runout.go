package access

import (
	"cmp"
	"slices"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/people"
)

// RunOutKind says what it is that runs out.
type RunOutKind string

// The kinds of what runs out.
const (
	ContractRunsOut   RunOutKind = "contract"
	LeavingRunsOut    RunOutKind = "leaving"
	AssignmentRunsOut RunOutKind = "assignment"
	ExceptionRunsOut  RunOutKind = "exception"
	PINRunsOut        RunOutKind = "pin"
	BadgeRunsOut      RunOutKind = "badge"
	PasswordRunsOut   RunOutKind = "password"
	BarRunsOut        RunOutKind = "bar"
	LockRunsOut       RunOutKind = "lock"
	// Of a certificate, where no other goes on with the qualification
	CertificateRunsOut RunOutKind = "certificate"
	// Of a client's sign-in, which is on record beside the state: RunsOut does not tell of it
	TokenRunsOut RunOutKind = "token"
)

// RunOutKinds are all kinds, in the order in which they are told of one moment.
var RunOutKinds = []RunOutKind{LeavingRunsOut, ContractRunsOut, AssignmentRunsOut, ExceptionRunsOut, BadgeRunsOut,
	PINRunsOut, PasswordRunsOut, CertificateRunsOut, TokenRunsOut, BarRunsOut, LockRunsOut}

// Ending is something of somebody's that ends by itself.
type Ending struct {
	Kind   RunOutKind
	Staff  people.StaffID
	Record uint32         // its number; of a contract, a leaving date or a lock that of the person
	Place  estate.PlaceID // where it counts; 0: everywhere
	At     int64          // the first instant at which it no longer counts
}

// RunsOut returns what of somebody's runs out from one instant until before another, the earliest first. What lasts
// until they leave, or until their contract ends, ends with that and is not told apart.
func (s *Snapshot) RunsOut(id people.StaffID, from, until int64) (list []Ending) {
	p, staff := s.person(id), s.state.Person(id)
	if p == nil || staff == nil || p.span.Gone <= from {
		return nil
	}
	gone := min(p.span.Gone, p.span.Contract)
	add := func(kind RunOutKind, record uint32, place estate.PlaceID, at int64) {
		if at >= from && at < until {
			list = append(list, Ending{kind, id, record, place, at})
		}
	}
	before := func(kind RunOutKind, record uint32, place estate.PlaceID, at int64) {
		if at < gone {
			add(kind, record, place, at)
		}
	}
	if p.span.Gone <= p.span.Contract {
		add(LeavingRunsOut, uint32(id), 0, p.span.Gone)
	} else {
		add(ContractRunsOut, uint32(id), 0, p.span.Contract)
	}
	grants := p.grants()
	for i := range grants {
		before(AssignmentRunsOut, uint32(grants[i].assignment), grants[i].place, grants[i].until)
	}
	for i := range p.exceptions {
		if x := &p.exceptions[i]; x.bar != 0 {
			before(BarRunsOut, uint32(x.bar), x.place, x.until)
		} else {
			before(ExceptionRunsOut, uint32(x.number), x.place, x.until)
		}
	}
	before(LockRunsOut, uint32(id), 0, p.lockUntil)
	for _, number := range s.state.CredentialsOf(id) {
		c := s.state.Credential(number)
		if c.Until.IsZero() || c.State != credential.Valid && c.State != credential.Suspended {
			continue
		}
		kind := map[credential.Kind]RunOutKind{credential.PIN: PINRunsOut, credential.Badge: BadgeRunsOut,
			credential.Password: PasswordRunsOut}[c.Kind]
		before(kind, uint32(number), 0, c.Until.Unix())
	}
	for _, c := range s.Certificates(id) {
		if c.Until.IsZero() {
			continue
		}
		ends := (c.Until + 1).Start(s.Location(id)).Unix()
		if until, ok := s.Certified(id, c.Qualification, ends-1); ok && until == ends {
			before(CertificateRunsOut, uint32(c.ID), 0, ends)
		}
	}
	slices.SortFunc(list, func(a, b Ending) int {
		return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(slices.Index(RunOutKinds, a.Kind),
			slices.Index(RunOutKinds, b.Kind)), cmp.Compare(a.Record, b.Record))
	})
	return list
}
