package store

import (
	"database/sql"

	"gorm.io/gorm"
)

// The three tables that grow with the number of staff are scanned column by column: reading hundreds of thousands
// of rows by reflection takes several times as long, and a service is to be ready within seconds of its start.

func scan(l *loading, kind string, query *gorm.DB, columns string, one func(*sql.Rows) error) error {
	rows, err := query.Select(columns).Order("id").Rows()
	if err != nil {
		return err
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		if err := one(rows); err != nil {
			l.unread(kind, rows, err)
		}
	}
	return rows.Err()
}

func readStaff(l *loading) error {
	const columns = "id, staff_number, given_name, family_name, known_as, email, phone, job_title, engagement, employer, home_site_id, line_manager_id, " +
		"start_date, contract_end, notes, external_id, activated, owner, lock_cause, lock_reason, locked_since, locked_until, locked_by, leaving_date, departed_at, revision"
	return scan(l, "staff", l.of("staff", "id"), columns, func(rows *sql.Rows) error {
		var r staffRow
		err := rows.Scan(&r.ID, &r.StaffNumber, &r.GivenName, &r.FamilyName, &r.KnownAs, &r.Email, &r.Phone, &r.JobTitle, &r.Engagement, &r.Employer,
			&r.HomeSiteID, &r.LineManagerID, &r.StartDate, &r.ContractEnd, &r.Notes, &r.ExternalID, &r.Activated, &r.Owner, &r.LockCause, &r.LockReason,
			&r.LockedSince, &r.LockedUntil, &r.LockedBy, &r.LeavingDate, &r.DepartedAt, &r.Revision)
		if err != nil {
			return err
		}
		return put(l, "staff", r.ID, 0, l.into.PutStaff, r.record(), nil)
	})
}

func readAssignments(l *loading) error {
	const columns = "id, staff_id, place_id, template_id, from_date, until_date, hours, ended, revision"
	return scan(l, "assignment", l.of("assignments", "staff_id"), columns, func(rows *sql.Rows) error {
		var r assignmentRow
		if err := rows.Scan(&r.ID, &r.StaffID, &r.PlaceID, &r.TemplateID, &r.FromDate, &r.UntilDate, &r.Hours, &r.Ended, &r.Revision); err != nil {
			return err
		}
		a, err := r.record()
		return put(l, "assignment", r.ID, 0, l.into.PutAssignment, a, err)
	})
}

func readCredentials(l *loading) error {
	const columns = "id, staff_id, kind, digest, hash, sealed, state, valid_from, valid_until, must_change, issued_at, revision"
	return scan(l, "credential", l.of("credentials", "staff_id"), columns, func(rows *sql.Rows) error {
		var r credentialRow
		err := rows.Scan(&r.ID, &r.StaffID, &r.Kind, &r.Digest, &r.Hash, &r.Sealed, &r.State, &r.ValidFrom, &r.ValidUntil, &r.MustChange, &r.IssuedAt, &r.Revision)
		if err != nil {
			return err
		}
		return put(l, "credential", r.ID, 0, l.into.PutCredential, r.record(), nil)
	})
}
