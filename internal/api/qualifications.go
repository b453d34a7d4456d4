package api

// QualificationRef names a qualification.
type QualificationRef struct {
	Code string `json:"code"`
	Name string `json:"name"`
}

// Qualification is what people may have to be qualified in for some work.
type Qualification struct {
	ID        uint32        `json:"id"`
	Code      string        `json:"code"`
	Name      string        `json:"name"`
	Summary   string        `json:"summary,omitempty"`
	Months    int           `json:"months,omitempty" doc:"For how long a certificate counts unless it says otherwise; none: until it is withdrawn"`
	Templates []TemplateRef `json:"templates" doc:"Places or templates that require it"`
	Places    []PlaceRef    `json:"places" doc:"Places or templates that require it"`
	Holders   int           `json:"holders" doc:"How many people hold it now, of those you may see"`
	Missing   int           `json:"missing" doc:"How many people lack it for what they are assigned to, of those you may see"`
	Retired   bool          `json:"retired,omitempty"`
	ETag      string        `json:"etag"`
}

// TemplateRef names a template.
type TemplateRef struct {
	Code string `json:"code"`
	Name string `json:"name"`
}

// QualificationFields are the fields of a qualification that can be written.
type QualificationFields struct {
	Code    *string `json:"code,omitempty" doc:"Such as FORKLIFT; it stays as it is once it is made"`
	Name    *string `json:"name,omitempty"`
	Summary *string `json:"summary,omitempty"`
	Months  *int    `json:"months,omitempty" doc:"For how long a certificate counts unless it says otherwise; 0: until it is withdrawn"`
}

// QualificationWrite adds or changes a qualification.
type QualificationWrite struct {
	QualificationFields
	Reasoned
}

// Certificate says that somebody is qualified in something.
type Certificate struct {
	ID            uint32           `json:"id"`
	Staff         StaffRef         `json:"staff"`
	Qualification QualificationRef `json:"qualification"`
	Number        string           `json:"number,omitempty" doc:"Number on the certificate"`
	Issued        string           `json:"issued" format:"date" doc:"The first day on which it counts"`
	Until         string           `json:"until,omitempty" doc:"The last day on which it counts"`
	State         string           `json:"state" enum:"counts,later,run_out,withdrawn"`
	Days          *int             `json:"days,omitempty" doc:"From today until the last day"`
	Scan          bool             `json:"scan" doc:"Whether there is a file that shows it, at /certificates/{id}/scan"`
	ETag          string           `json:"etag"`
}

// CertificateFields are the fields of a certificate that can be written.
type CertificateFields struct {
	Number *string `json:"number,omitempty"`
	Issued *string `json:"issued,omitempty" doc:"The first day on which it counts, such as 2026-03-02"`
	Until  *string `json:"until,omitempty" doc:"The last day on which it counts; empty: until it is withdrawn; left out of a new one: as long as certificates in it count"`
}

// CertificateAdd records a certificate.
type CertificateAdd struct {
	Qualification string `json:"qualification" maxLength:"32" doc:"Code of the qualification"`
	CertificateFields
	Reasoned
}

// CertificateWrite changes a certificate.
type CertificateWrite struct {
	CertificateFields
	Reasoned
}
