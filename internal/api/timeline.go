package api

import "time"

// Timeline is when something is open, or allowed, over some days: a picture is drawn of it.
type Timeline struct {
	Title    string            `json:"title" doc:"What it is of"`
	Place    PlaceRef          `json:"place"`
	TimeZone string            `json:"time_zone"`
	From     time.Time         `json:"from"`
	Until    time.Time         `json:"until"`
	Days     []TimelineDay     `json:"days"`
	Open     []TimelineStretch `json:"open" doc:"When it is open, with the reason for each edge"`
}

// TimelineDay is a day of a timeline, from its first instant until that of the next: as clocks change, not each has 24
// hours.
type TimelineDay struct {
	Date  string    `json:"date" format:"date"`
	From  time.Time `json:"from"`
	Until time.Time `json:"until"`
	Note  string    `json:"note,omitempty" doc:"Dated hours that count, such as a holiday"`
}

// TimelineStretch is a stretch of time in which it is open.
type TimelineStretch struct {
	From   time.Time `json:"from"`
	Until  time.Time `json:"until"`
	Begins string    `json:"begins" doc:"Why it begins then"`
	Ends   string    `json:"ends" doc:"Why it ends then"`
}
