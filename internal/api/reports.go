package api

import "time"

// ReportKind describes one report.
type ReportKind struct {
	Kind    string         `json:"kind"`
	Title   string         `json:"title"`
	Says    string         `json:"says" doc:"What it tells, in a sentence"`
	Takes   []string       `json:"takes" doc:"Which query parameters it takes"`
	Columns []ReportColumn `json:"columns"`
}

// ReportColumn is a column of a report.
type ReportColumn struct {
	Name  string `json:"name"`
	Title string `json:"title"`
	Kind  string `json:"kind" enum:"text,number,date,moment,staff" doc:"How its cells are read; staff: a staff number"`
}

// Report is a report, as a table.
type Report struct {
	Kind    string         `json:"kind"`
	Title   string         `json:"title"`
	Says    string         `json:"says"`
	Columns []ReportColumn `json:"columns"`
	Across  string         `json:"across,omitempty" doc:"The column by which it is drawn as a picture"`
	Bars    []string       `json:"bars" doc:"Columns that are drawn as bars"`
	Curves  []string       `json:"curves" doc:"Columns that are drawn as lines"`
	Page[[]string]
}

// Lines returns the report with the names of its columns.
func (r Report) Lines() [][]string {
	header := make([]string, len(r.Columns))
	for i, c := range r.Columns {
		header[i] = c.Name
	}
	return append([][]string{header}, r.Items...)
}

// ReportAsked says what a report is about.
type ReportAsked struct {
	Site  string `query:"site" json:"site,omitempty" maxLength:"64" doc:"Code of a site"`
	Team  string `query:"team" json:"team,omitempty" maxLength:"64" doc:"Code of a team"`
	Staff string `query:"staff" json:"staff,omitempty" maxLength:"64" doc:"Staff number"`
	From  string `query:"from" json:"from,omitempty" maxLength:"10" doc:"First day, such as 2026-09-01"`
	Until string `query:"until" json:"until,omitempty" maxLength:"10" doc:"Last day"`
	Days  int    `query:"days" json:"days,omitempty" minimum:"0" maximum:"3650" doc:"How many days"`
}

// MailedReport is a report that is mailed to whoever asked for it.
type MailedReport struct {
	ID     uint64      `json:"id"`
	Report string      `json:"report"`
	Title  string      `json:"title"`
	About  ReportAsked `json:"about"`
	Often  string      `json:"often" enum:"daily,weekly,monthly"`
	NextAt time.Time   `json:"next_at"`
}

// MailedReportAdd lets a report be mailed.
type MailedReportAdd struct {
	Report string      `json:"report" maxLength:"32" doc:"Its kind, such as places"`
	About  ReportAsked `json:"about,omitzero"`
	Often  string      `json:"often" enum:"daily,weekly,monthly" doc:"At seven in the morning of each day, each Monday, or each first of a month"`
}
