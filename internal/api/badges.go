package api

import "time"

// Badge is a badge, the thing that people hold one after another.
type Badge struct {
	ID          uint32      `json:"id"`
	Number      string      `json:"number" doc:"As its format writes it"`
	Format      string      `json:"format" enum:"wiegand26,wiegand34,wiegand35,wiegand37,wiegand37-plain,wiegand48,pair,uid4,uid7,uid10"`
	FormatWords string      `json:"format_words"`
	Label       string      `json:"label,omitempty"`
	Site        PlaceRef    `json:"site" doc:"Whose stock it belongs to"`
	State       string      `json:"state" enum:"stock,issued,suspended,overdue,lost,destroyed" doc:"suspended and overdue are issued and do not count"`
	Day         bool        `json:"day,omitempty" doc:"Lent for a shift, and due at its end"`
	Holder      *BadgeIssue `json:"holder,omitempty" doc:"Who has it, or had it when it was lost"`
	ETag        string      `json:"etag"`
}

// BadgeIssue is one time that somebody held a badge.
type BadgeIssue struct {
	Credential uint32     `json:"credential"`
	Staff      StaffRef   `json:"staff"`
	Status     string     `json:"status" enum:"prepared,active,left" doc:"Of the holder, now"`
	IssuedAt   time.Time  `json:"issued_at"`
	Until      *time.Time `json:"until,omitempty" doc:"When it stops counting; of a day badge when it is due"`
	State      string     `json:"state" enum:"valid,suspended,lost,withdrawn"`
	Since      *time.Time `json:"since,omitempty" doc:"Since when it is suspended, lost or taken back"`
	Reason     string     `json:"reason,omitempty" doc:"Why it is that"`
}

// BadgeRef names a badge.
type BadgeRef struct {
	ID     uint32 `json:"id"`
	Number string `json:"number"`
	Format string `json:"format"`
	Label  string `json:"label,omitempty"`
	Day    bool   `json:"day,omitempty"`
}

// BadgeFields are the fields of a badge, or of a range of them, that is added to the stock.
type BadgeFields struct {
	Format string `json:"format" doc:"Of the card, such as wiegand26 or uid7"`
	Number string `json:"number,omitempty" maxLength:"64" doc:"Such as 118-1603, or 04A23BC91D5E80"`
	Last   string `json:"last,omitempty" maxLength:"64" doc:"The last of a range that begins with the number"`
	Label  string `json:"label,omitempty" maxLength:"80" doc:"What is written on it, or what it is for"`
	Site   string `json:"site" maxLength:"64" doc:"Code of the site whose stock it belongs to"`
	Day    bool   `json:"day,omitempty" doc:"Lent for a shift, and due at its end"`

	More []BadgeLine `json:"more,omitempty" maxItems:"20000" doc:"More of the same format and site, as from a file"`
}

// BadgeLine is one of many badges, or ranges of them, that are added together.
type BadgeLine struct {
	Number string `json:"number" maxLength:"64"`
	Last   string `json:"last,omitempty" maxLength:"64"`
	Label  string `json:"label,omitempty" maxLength:"80"`
}

// BadgeEdit are the fields of a badge that can be changed. Fields not sent stay as they are.
type BadgeEdit struct {
	Label *string `json:"label,omitempty" maxLength:"80"`
	Site  *string `json:"site,omitempty" maxLength:"64"`
	Day   *bool   `json:"day,omitempty"`
}

// The bodies of what is done with badges.
type (
	// BadgeWrite adds a badge or a range of them.
	BadgeWrite struct {
		BadgeFields
		Reasoned
	}
	// BadgeEditWrite changes a badge.
	BadgeEditWrite struct {
		BadgeEdit
		Reasoned
	}
	// BadgeIssueWrite gives a badge to somebody.
	BadgeIssueWrite struct {
		Staff string `json:"staff" maxLength:"64" doc:"Staff number"`
		Until string `json:"until,omitempty" doc:"RFC 3339 moment; left out: of a day badge the end of the shift, of another until it is taken back"`
		Reasoned
	}
	// BadgeFoundWrite records that a badge was found.
	BadgeFoundWrite struct {
		Holder bool `json:"holder,omitempty" doc:"It goes back to whoever had it and counts again; left out: into stock"`
		Reasoned
	}
	// BadgeReplaceWrite gives the holder of a badge another one.
	BadgeReplaceWrite struct {
		With  string `json:"with" maxLength:"80" doc:"Number of a badge in stock"`
		Old   string `json:"old" enum:"lost,destroyed,returned,suspended" doc:"What has become of the one there is"`
		Until string `json:"until,omitempty" doc:"RFC 3339 moment from which the new one no longer counts"`
		Reasoned
	}
)

// CardReading is what a read means in one format.
type CardReading struct {
	Format      string `json:"format"`
	FormatWords string `json:"format_words"`
	Number      string `json:"number,omitempty" doc:"Empty where the read does not fit the format"`
	Reversed    bool   `json:"reversed,omitempty" doc:"With its bytes in the other order"`
	Problem     string `json:"problem,omitempty" doc:"Why the read does not fit"`
	Badge       *Badge `json:"badge,omitempty" doc:"The badge on record with this number, of those you may see"`
}
