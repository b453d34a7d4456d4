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

	// Where it stands in a record: one of these.
	Text       func(*Staff) *string
	Date       func(*Staff) *day.Date
	Engagement func(*Staff) *Engagement
	Site       func(*Staff) *estate.PlaceID // written as the code of the place
	Person     func(*Staff) *StaffID        // written as the number of the person
}

// Fields are all of them, in the order of a form.
var Fields = []Field{
	{Name: "staff_number", Longest: 32, Text: func(s *Staff) *string { return &s.Number }},
	{Name: "given_name", Longest: 80, Text: func(s *Staff) *string { return &s.GivenName }},
	{Name: "family_name", Longest: 80, Text: func(s *Staff) *string { return &s.FamilyName }},
	{Name: "known_as", Longest: 80, Text: func(s *Staff) *string { return &s.KnownAs }},
	{Name: "email", Longest: 254, Text: func(s *Staff) *string { return &s.Email }},
	{Name: "phone", Longest: 40, Text: func(s *Staff) *string { return &s.Phone }},
	{Name: "job_title", Longest: 120, Text: func(s *Staff) *string { return &s.JobTitle }},
	{Name: "engagement", Engagement: func(s *Staff) *Engagement { return &s.Engagement }},
	{Name: "employer", Longest: 120, Text: func(s *Staff) *string { return &s.Employer }},
	{Name: "home_site", Site: func(s *Staff) *estate.PlaceID { return &s.HomeSite }},
	{Name: "line_manager", Person: func(s *Staff) *StaffID { return &s.LineManager }},
	{Name: "start_date", Date: func(s *Staff) *day.Date { return &s.StartDate }},
	{Name: "contract_end", Date: func(s *Staff) *day.Date { return &s.ContractEnd }},
	{Name: "notes", Longest: 2000, Text: func(s *Staff) *string { return &s.Notes }},
	{Name: "external_id", Longest: 64, Text: func(s *Staff) *string { return &s.ExternalID }},
}
