package api

// Reasoned says why.
type Reasoned struct {
	Reason string `json:"reason,omitempty" maxLength:"500"`
}

// The bodies of writes: the fields, and why.
type (
	// StaffWrite enrols somebody or changes their record.
	StaffWrite struct {
		StaffFields
		Reasoned
	}
	// LockWrite locks somebody.
	LockWrite struct {
		Reasoned
		Until string `json:"until,omitempty" doc:"Moment, RFC 3339; without an offset the time on the clock of the home site; left out: until unlocked"`
	}
	// LeaveWrite records that somebody leaves.
	LeaveWrite struct {
		Reasoned
		On string `json:"on,omitempty" format:"date" doc:"Last day that counts, an ISO 8601 date"`
		At string `json:"at,omitempty" maxLength:"40" doc:"Moment at which access ends, RFC 3339; without an offset the time on the clock of the home site; both left out: at once"`
	}
	// LikeWrite gives somebody what a colleague has.
	LikeWrite struct {
		Like       string `json:"like" maxLength:"32" doc:"Staff number of the colleague"`
		From       string `json:"from,omitempty" format:"date" doc:"First day; the start date, or today, where left out"`
		Until      string `json:"until,omitempty" format:"date" doc:"Last day; that of the contract, or of the colleague, where left out"`
		Exceptions bool   `json:"exceptions,omitempty" doc:"Exceptions too, not assignments alone"`
		Reasoned
	}
	// CoverWrite has an absence covered.
	CoverWrite struct {
		By          string   `json:"by" maxLength:"32" doc:"Staff number of who covers"`
		From        string   `json:"from,omitempty" format:"date" doc:"First day; today where left out"`
		Until       string   `json:"until" format:"date" doc:"Last day: what is covered ends with it"`
		Assignments []uint32 `json:"assignments,omitempty" maxItems:"200" doc:"Which of the absent one's; all where left out"`
		Pause       bool     `json:"pause,omitempty" doc:"The absent one's own do not count on these days"`
		Reasoned
	}
	// HandOverWrite hands over what somebody leaves behind.
	HandOverWrite struct {
		To          string   `json:"to" maxLength:"32" doc:"Staff number of the successor"`
		From        string   `json:"from,omitempty" format:"date" doc:"First day of what the successor gets; today where left out"`
		Assignments []uint32 `json:"assignments,omitempty" maxItems:"200" doc:"Which assignments go over"`
		All         bool     `json:"all,omitempty" doc:"All assignments that go on"`
		Exceptions  bool     `json:"exceptions,omitempty" doc:"Exceptions too"`
		Reports     bool     `json:"reports,omitempty" doc:"Those whose line manager they are have the successor for one"`
		Reasoned
	}
	// MoveWrite lets an assignment end and the next begin.
	MoveWrite struct {
		Place       string `json:"place,omitempty" maxLength:"64" doc:"The next place; the same where left out"`
		Template    string `json:"template,omitempty" maxLength:"64" doc:"The next template; the same where left out"`
		From        string `json:"from,omitempty" format:"date" doc:"First day of the next; today where left out"`
		Until       string `json:"until,omitempty" format:"date" doc:"Last day of the next; that of the one before where left out"`
		OverlapDays int    `json:"overlap_days,omitempty" minimum:"0" maximum:"366" doc:"Days on which both assignments count"`
		Reasoned
	}
	// StaffAct is one thing to be done about many people.
	StaffAct struct {
		Reasoned
		Op       string         `json:"op" doc:"An operation about a person or their assignments" example:"staff.lock"`
		Set      map[string]any `json:"set,omitempty" doc:"Its fields, but for the person"`
		Staff    []string       `json:"staff,omitempty" maxItems:"25000" doc:"Staff numbers"`
		Filter   *StaffFilter   `json:"filter,omitempty" doc:"In place of staff numbers: all whom it keeps; those about whom it cannot be done are left out"`
		Count    int            `json:"count,omitempty" doc:"With a filter: about how many it is to be done, as the preview says; refused where it is not that many"`
		Of       *AssignmentsOf `json:"of,omitempty" doc:"Of an operation about assignments or teams: of which ones; left out: of all that go on"`
		LeaveOut bool           `json:"leave_out,omitempty" doc:"Leave out those about whom it cannot be done; otherwise one such stops it"`
	}
	// AssignmentsOf chooses among the assignments of people, or their places in teams.
	AssignmentsOf struct {
		Place    string `json:"place,omitempty" maxLength:"64" doc:"At this place or below"`
		Template string `json:"template,omitempty" maxLength:"64" doc:"With this template"`
		Team     string `json:"team,omitempty" maxLength:"64" doc:"Of an operation about places in teams: in this one"`
	}
	// PlaceWrite adds or changes a place.
	PlaceWrite struct {
		PlaceFields
		Reasoned
	}
	// TemplateWrite makes or changes a template.
	TemplateWrite struct {
		TemplateFields
		Reasoned
	}
	// TemplateRetire retires a template and says what happens to those who have it.
	TemplateRetire struct {
		ReplaceWith    string `json:"replace_with,omitempty" maxLength:"64" doc:"Code of the template their assignments go on with"`
		EndAssignments bool   `json:"end_assignments,omitempty" doc:"Their assignments end"`
		Reasoned
	}
	// GroupWrite adds or changes a group of the catalogue.
	GroupWrite struct {
		GroupFields
		Reasoned
	}
	// PermissionWrite adds or changes a permission of the catalogue.
	PermissionWrite struct {
		PermissionFields
		Reasoned
	}
	// ExceptionEditWrite changes an exception.
	ExceptionEditWrite struct {
		ExceptionEdit
		Reasoned
	}
	// LocalSettingWrite makes a local setting.
	LocalSettingWrite struct {
		LocalSettingFields
		Reasoned
	}
	// LocalSettingEditWrite changes a local setting.
	LocalSettingEditWrite struct {
		LocalSettingEdit
		Reasoned
	}
	// AssignmentWrite assigns somebody or changes an assignment.
	AssignmentWrite struct {
		AssignmentFields
		Reasoned
	}
	// ExceptionWrite makes an exception.
	ExceptionWrite struct {
		ExceptionFields
		Reasoned
	}
	// PINWrite sets a PIN.
	PINWrite struct {
		PINFields
		Reasoned
	}
	// SlipsWrite generates PINs that are printed on slips.
	SlipsWrite struct {
		Staff      []string `json:"staff" minItems:"1" maxItems:"200" doc:"Staff numbers"`
		MustChange bool     `json:"must_change,omitempty" doc:"They choose one of their own at first use"`
		Until      string   `json:"until,omitempty" doc:"RFC 3339 moment from which they no longer count; left out: as the settings say"`
		Reasoned
	}
	// PasswordWrite issues a first password.
	PasswordWrite struct {
		Staff string `json:"staff" maxLength:"64" doc:"Staff number"`
		Reasoned
	}
	// DeviceWrite connects a device.
	DeviceWrite struct {
		Name  string `json:"name" maxLength:"120"`
		Place string `json:"place" maxLength:"64" doc:"Code of the place it may ask for, with all below it"`
		Reasoned
	}
)
