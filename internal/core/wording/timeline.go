package wording

import "loyallatch.example/latch/internal/core/access"

// PlaceEdge says why hours open or close between two stretches of a timeline.
func (l *Language) PlaceEdge(before, after *access.Stretch) string {
	m := &l.Messages
	dated := after.Dated
	if !after.Open && dated == "" {
		dated = before.Dated
	}
	if dated != "" {
		return fill(m.ByDatedHours, "name", dated)
	}
	return m.ByWeeklyHours
}

// PersonEdge says why somebody may from a moment on, or no longer may.
func (l *Language) PersonEdge(before, after *access.Stretch) string {
	m := &l.Messages
	shut := after
	if after.Open {
		shut = before
	}
	switch shut.Why {
	case access.OutsideHours:
		return l.PlaceEdge(before, after)
	case access.NotStarted:
		return m.EdgeStart
	case access.ContractEnded:
		return m.EndsByContract
	case access.HasLeft:
		return m.EndsByLeaving
	case access.Locked:
		return m.EdgeLock
	case access.AssignmentNotInDates, access.NoAssignment, access.PermissionNotInTemplate:
		return m.EdgeDates
	case access.Withheld:
		return m.EdgeWithheld
	case access.BarredHere:
		return m.EdgeBar
	case access.QualificationMissing:
		return m.EdgeCertificate
	case access.NoticeNotAccepted:
		return m.EdgeNotice
	case access.ProofNotSufficient:
		return m.EdgeProof
	}
	return m.ByWeeklyHours
}
