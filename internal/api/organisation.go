package api

// Organisation are the settings of the organisation.
type Organisation struct {
	Name                 string `json:"name"`
	NumberPattern        string `json:"number_pattern" doc:"By which staff numbers are made, such as {given:1}{family:3}{n:2}; empty: what they begin with, and a counter"`
	NumberPrefix         string `json:"number_prefix" doc:"Staff numbers begin with it"`
	NumberDigits         int    `json:"number_digits" doc:"Digits of a staff number"`
	MaxOwners            int    `json:"max_owners"`
	Seats                int    `json:"seats" doc:"How many people may be active or prepared at once; 0: as many as come"`
	SeatsUsed            int    `json:"seats_used" doc:"How many are; for those who may enrol"`
	RetentionMonths      int    `json:"retention_months" doc:"How many months after somebody has left their personal data is erased, for good; 0: never"`
	EventsMonths         int    `json:"events_months" doc:"How many months events are kept, by whole months; 0: for good"`
	AuditMonths          int    `json:"audit_months" doc:"How many months entries of the audit log are kept, 12 or more; 0: for good"`
	PhotoMonths          int    `json:"photo_months" doc:"How many months after somebody has left their photo is kept; 0: for as long as their record"`
	Archives             bool   `json:"archives" doc:"Events and entries of the audit log are written to signed files before they are removed"`
	FirstPasswordHours   int    `json:"first_password_hours" doc:"How long a first password counts"`
	IdleMinutes          int    `json:"idle_minutes" doc:"How long a session of the console counts without use"`
	TriesAllowed         int    `json:"tries_allowed" doc:"Wrong PINs, after which no more are taken"`
	TriesWindowMinutes   int    `json:"tries_window_minutes" doc:"Over how long they are counted"`
	TriesHoldMinutes     int    `json:"tries_hold_minutes" doc:"For how long at most a reader then takes none"`
	PINDigits            int    `json:"pin_digits" doc:"The fewest digits of a PIN"`
	PINRefuseSequences   bool   `json:"pin_refuse_sequences" doc:"PINs such as 123456"`
	PINRefuseRepeats     bool   `json:"pin_refuse_repeats" doc:"PINs such as 121212"`
	PINRefuseStaffNumber bool   `json:"pin_refuse_staff_number" doc:"PINs that are the holder's staff number"`
	PINRefuseDates       bool   `json:"pin_refuse_dates" doc:"PINs such as 0107 or 1990"`
	PINHistory           int    `json:"pin_history" doc:"How many of somebody's last PINs are not taken again"`
	PINDays              int    `json:"pin_days" doc:"For how many days a PIN counts; 0: until it is withdrawn"`
	PINMustChange        bool   `json:"pin_must_change" doc:"A PIN that was generated is changed at its first use"`
	RemindDays           int    `json:"remind_days" doc:"How many days before something runs out managers are written to; 0: not"`
	RemindAgainDays      int    `json:"remind_again_days" doc:"How many days before once more; 0: not"`
	DuressPINs           bool   `json:"duress_pins" doc:"People may have a second PIN, which opens and raises a silent alarm"`
}

// OrganisationFields are the settings that can be written. Fields not sent stay as they are.
type OrganisationFields struct {
	Name                 *string `json:"name,omitempty" doc:"Name of the organisation"`
	NumberPattern        *string `json:"number_pattern,omitempty" maxLength:"100" doc:"By which staff numbers are made: text with {n}, a counter, {n:4} with so many digits, {given:1} and {family:3}, letters of the names, and {site}; empty: what they begin with, and a counter"`
	NumberPrefix         *string `json:"number_prefix,omitempty" doc:"What staff numbers begin with"`
	NumberDigits         *int    `json:"number_digits,omitempty" doc:"Digits of a staff number"`
	MaxOwners            *int    `json:"max_owners,omitempty" doc:"How many owners there may be"`
	Seats                *int    `json:"seats,omitempty" doc:"How many people may be active or prepared at once; 0: as many as come"`
	RetentionMonths      *int    `json:"retention_months,omitempty" doc:"How many months after somebody has left their personal data is erased, for good; 0: never"`
	EventsMonths         *int    `json:"events_months,omitempty" doc:"How many months events are kept, by whole months; 0: for good"`
	AuditMonths          *int    `json:"audit_months,omitempty" doc:"How many months entries of the audit log are kept, 12 or more; 0: for good"`
	PhotoMonths          *int    `json:"photo_months,omitempty" doc:"How many months after somebody has left their photo is kept; 0: for as long as their record"`
	Archives             *bool   `json:"archives,omitempty" doc:"Write events and entries of the audit log to signed files before they are removed"`
	FirstPasswordHours   *int    `json:"first_password_hours,omitempty" doc:"How many hours a first password counts"`
	IdleMinutes          *int    `json:"idle_minutes,omitempty" doc:"How many minutes a session of the console counts without use"`
	TriesAllowed         *int    `json:"tries_allowed,omitempty" doc:"After how many wrong PINs no more are taken"`
	TriesWindowMinutes   *int    `json:"tries_window_minutes,omitempty" doc:"Over how many minutes they are counted"`
	TriesHoldMinutes     *int    `json:"tries_hold_minutes,omitempty" doc:"For how many minutes at most a reader then takes none"`
	PINDigits            *int    `json:"pin_digits,omitempty" doc:"The fewest digits of a PIN"`
	PINRefuseSequences   *bool   `json:"pin_refuse_sequences,omitempty" doc:"Refuse PINs such as 123456"`
	PINRefuseRepeats     *bool   `json:"pin_refuse_repeats,omitempty" doc:"Refuse PINs such as 121212"`
	PINRefuseStaffNumber *bool   `json:"pin_refuse_staff_number,omitempty" doc:"Refuse PINs that are the holder's staff number"`
	PINRefuseDates       *bool   `json:"pin_refuse_dates,omitempty" doc:"Refuse PINs such as 0107 or 1990"`
	PINHistory           *int    `json:"pin_history,omitempty" doc:"How many of somebody's last PINs are not taken again"`
	PINDays              *int    `json:"pin_days,omitempty" doc:"For how many days a PIN counts; 0: until it is withdrawn"`
	PINMustChange        *bool   `json:"pin_must_change,omitempty" doc:"A PIN that was generated is changed at its first use"`
	RemindDays           *int    `json:"remind_days,omitempty" doc:"How many days before something runs out managers are written to; 0: not"`
	RemindAgainDays      *int    `json:"remind_again_days,omitempty" doc:"How many days before once more; 0: not"`
	DuressPINs           *bool   `json:"duress_pins,omitempty" doc:"People may have a second PIN, which opens and raises a silent alarm"`
}

// OrganisationWrite changes the settings.
type OrganisationWrite struct {
	OrganisationFields
	Reasoned
}

// NextNumber is the staff number that somebody would get.
type NextNumber struct {
	StaffNumber string `json:"staff_number"`
}
