package api

import "time"

// NoticeRef names a notice.
type NoticeRef struct {
	Code  string `json:"code"`
	Title string `json:"title"`
}

// Notice is a text that people read and accept.
type Notice struct {
	ID        uint32          `json:"id"`
	Code      string          `json:"code"`
	Title     string          `json:"title"`
	Text      string          `json:"text"`
	Version   uint32          `json:"version"`
	Since     time.Time       `json:"since" doc:"When this version was published"`
	Places    []PlaceRef      `json:"places" doc:"Whoever works there is meant; with no templates either, everybody"`
	Templates []TemplateRef   `json:"templates" doc:"Whoever works by one of them is meant"`
	Refuses   bool            `json:"refuses" doc:"Until they have accepted it, they may do nothing there, or by that work"`
	Meant     int             `json:"meant" doc:"How many people are meant, of those you may see"`
	Accepted  int             `json:"accepted" doc:"How many of these have accepted this version"`
	Past      []NoticeVersion `json:"past" doc:"The versions before, the newest first"`
	Yours     bool            `json:"yours" doc:"Whether you may change it"`
	Retired   bool            `json:"retired,omitempty"`
	ETag      string          `json:"etag"`
}

// NoticeVersion is the text of a version of a notice.
type NoticeVersion struct {
	Version uint32    `json:"version"`
	Since   time.Time `json:"since"`
	Text    string    `json:"text"`
}

// NoticeFields are the fields of a notice that can be written.
type NoticeFields struct {
	Code      *string   `json:"code,omitempty" doc:"Such as SITE-RULES; it stays as it is once it is made"`
	Title     *string   `json:"title,omitempty"`
	Text      *string   `json:"text,omitempty" doc:"Stays as it is once somebody has accepted it; publish a new version then"`
	Places    *[]string `json:"places,omitempty" doc:"Codes of places"`
	Templates *[]string `json:"templates,omitempty" doc:"Codes of templates"`
	Refuses   *bool     `json:"refuses,omitempty"`
}

// NoticeWrite adds or changes a notice.
type NoticeWrite struct {
	NoticeFields
	Reasoned
}

// NoticePublish publishes a new version.
type NoticePublish struct {
	Text string `json:"text" maxLength:"20000"`
	Reasoned
}

// NoticeRecord puts on record that somebody accepted a notice on paper.
type NoticeRecord struct {
	Staff string `json:"staff" maxLength:"64" doc:"Staff number"`
	Reasoned
}

// NoticePerson is somebody for whom a notice is meant.
type NoticePerson struct {
	Staff    StaffRef   `json:"staff"`
	Notice   NoticeRef  `json:"notice"`
	Version  uint32     `json:"version" doc:"The present one"`
	Accepted *time.Time `json:"accepted,omitempty" doc:"When they accepted the present version"`
	How      string     `json:"how,omitempty" enum:"terminal,link,paper"`
	Place    *PlaceRef  `json:"place,omitempty" doc:"Of the terminal"`
	Before   uint32     `json:"before,omitempty" doc:"The newest version before that they accepted"`
}
