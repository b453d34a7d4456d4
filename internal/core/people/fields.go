package people

import (
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
)

// Field describes one field of a person's record that people write: by it the field is read, checked and shown. A field
// that is added to Staff stands here too, or a test names it.
type Field struct {
	Name    string // on the wire, in files and forms, in the audit log: "given_name"
	Longest int    // characters of a text
	Title   string // of a column of a file: "Given name"
	Says    string // what to write in it; empty where the title says it
	Example string
	Also    []string // what others call it, in small letters
	// It says who somebody is, and is erased when they have been gone for long enough
	Personal bool
	SeenBy   SeenBy // empty: by whoever sees the record whole

	// Where it stands in a record: one of these.
	Text       func(*Staff) *string
	Date       func(*Staff) *day.Date
	Engagement func(*Staff) *Engagement
	Site       func(*Staff) *estate.PlaceID // written as the code of the place
	Person     func(*Staff) *StaffID        // written as the number of the person
}

// Fields are all of them, in the order of a form.
var Fields = []Field{
	{Name: "staff_number", Longest: 32, Title: "Staff number", Says: "Left empty: made by the numbering rule. One " +
		"that is on record changes that person", Also: []string{"number", "personnel number", "employee number",
		"employee id", "staff no", "staff id", "clock number", "no"},
		Text: func(s *Staff) *string { return &s.Number }},
	{Name: "given_name", Personal: true, Longest: 80, Title: "Given name", Example: "Ana", Also: []string{"first name",
		"firstname",
		"forename", "given", "christian name"},
		Text: func(s *Staff) *string { return &s.GivenName }},
	{Name: "family_name", Personal: true, Longest: 80, Title: "Family name", Example: "Reyes",
		Also: []string{"last name", "lastname",
			"surname", "family"},
		Text: func(s *Staff) *string { return &s.FamilyName }},
	{Name: "known_as", Personal: true, Longest: 80, Title: "Known as", Says: "The name they go by",
		Also: []string{"nickname",
			"preferred name", "goes by"},
		Text: func(s *Staff) *string { return &s.KnownAs }},
	{Name: "email", Personal: true, Longest: 254, Title: "Work email", Also: []string{"email", "e-mail", "mail",
		"email address"},
		Text: func(s *Staff) *string { return &s.Email }},
	{Name: "phone", Personal: true, Longest: 40, Title: "Phone", Also: []string{"telephone", "mobile", "phone number",
		"mobile phone",
		"tel"},
		Text: func(s *Staff) *string { return &s.Phone }},
	{Name: "job_title", Longest: 120, Title: "Job title", Example: "Packer", Also: []string{"job", "title", "position",
		"role", "function"},
		Text: func(s *Staff) *string { return &s.JobTitle }},
	{Name: "engagement", Title: "Engagement", Says: "employee, agency, contractor or seasonal", Example: "seasonal",
		Also:       []string{"contract type", "employment type", "engaged as", "terms"},
		Engagement: func(s *Staff) *Engagement { return &s.Engagement }},
	{Name: "employer", Longest: 120, Title: "Employer", Says: "The agency or employer, where it is not us",
		Also: []string{"agency", "company", "supplier"},
		Text: func(s *Staff) *string { return &s.Employer }},
	{Name: "home_site", Title: "Home site", Says: "Code or name of the site they belong to", Also: []string{"site",
		"home", "base", "location", "home site code"},
		Site: func(s *Staff) *estate.PlaceID { return &s.HomeSite }},
	{Name: "line_manager", Title: "Line manager", Says: "Staff number of the line manager", Also: []string{"manager",
		"supervisor", "reports to",
		"line manager staff number"},
		Person: func(s *Staff) *StaffID { return &s.LineManager }},
	{Name: "start_date", Title: "Start date", Says: "First day, as 2026-11-30", Also: []string{"start", "starts",
		"starts on", "first day", "date of joining", "hire date", "joining date", "begin"},
		Date: func(s *Staff) *day.Date { return &s.StartDate }},
	{Name: "contract_end", Title: "Contract end", Says: "Last day of the contract", Also: []string{"end", "ends",
		"end date", "last day", "contract ends", "contract until", "leaves on"},
		Date: func(s *Staff) *day.Date { return &s.ContractEnd }},
	{Name: "notes", Personal: true, Longest: 2000, Title: "Notes", Also: []string{"note", "remarks", "comment",
		"comments"},
		Text: func(s *Staff) *string { return &s.Notes }},
	{Name: "external_id", Personal: true, Longest: 64, Title: "External id",
		Says: "Their number in another system. One that is on " +
			"record changes that person", Also: []string{"payroll number", "payroll id", "hr id", "reference",
			"external number"},
		Text: func(s *Staff) *string { return &s.ExternalID }},
	{Name: "driving_licence", Personal: true, Longest: 64, Title: "Driving licence",
		Says: "Number and classes. Where work depends on it, record it as a qualification",
		Also: []string{"driving license", "licence number", "driver licence", "drivers licence"},
		Text: func(s *Staff) *string { return &s.DrivingLicence }},
	{Name: "insurance_number", Personal: true, Longest: 64, Title: "Insurance number", SeenBy: Editors,
		Says: "National or social insurance number. Whoever changes records sees it",
		Also: []string{"insurance", "national insurance number", "social insurance number", "social security number"},
		Text: func(s *Staff) *string { return &s.InsuranceNumber }},
	{Name: "emergency_contact", Personal: true, Longest: 120, Title: "Emergency contact",
		Says: "Whom to call", Also: []string{"next of kin", "contact in an emergency", "ice"},
		Text: func(s *Staff) *string { return &s.EmergencyContact }},
	{Name: "emergency_phone", Personal: true, Longest: 40, Title: "Emergency phone",
		Says: "Of the emergency contact", Also: []string{"emergency number", "emergency contact phone"},
		Text: func(s *Staff) *string { return &s.EmergencyPhone }},
}
