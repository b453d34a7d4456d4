// Package qualification says what somebody may have to be qualified in for some work: a forklift ticket, food hygiene.
// A template or a place requires qualifications by their numbers; who holds one, and until when, is on record as a
// certificate, which package org keeps.
package qualification

import "slices"

// ID is the number of a qualification.
type ID uint32

// A notice that refuses work until it is accepted is required like a qualification: each version of each has a number
// among these, above those of qualifications.
const (
	notices     ID = 1 << 31
	versionBits    = 10
	// MostVersions and MostNotices bound what has such a number.
	MostVersions = 1<<versionBits - 1
	MostNotices  = 1<<(31-versionBits) - 1
)

// OfNotice returns the number under which a version of a notice is required.
func OfNotice(notice, version uint32) ID { return notices | ID(notice)<<versionBits | ID(version) }

// Notice returns the notice that a number is of; ok is false where it is that of a qualification.
func (id ID) Notice() (notice uint32, ok bool) {
	return uint32(id&^notices) >> versionBits, id&notices != 0
}

// Qualification is what certificates are about.
type Qualification struct {
	ID      ID     `json:"id"`
	Code    string `json:"code"` // short, unique: FLT
	Name    string `json:"name"` // "Forklift ticket"
	Summary string `json:"summary,omitempty"`
	// For how many months a certificate counts from its day of issue unless it says otherwise; 0: until it is withdrawn
	Months int `json:"months,omitempty"`
	// Nobody is certified in it any more, and nothing new requires it; what requires it goes on doing so
	Retired  bool   `json:"retired,omitempty"`
	Revision uint64 `json:"-"`
}

// MostMonths bounds for how long certificates count unless they say otherwise.
const MostMonths = 600

// Without returns those of some requirements that others do not have: what is no longer required.
func Without(required, others []ID) (missing []ID) {
	for _, id := range required {
		if !slices.Contains(others, id) {
			missing = append(missing, id)
		}
	}
	return missing
}
