package api

import (
	"strings"
	"time"
)

// What is looked at: the grid, and what somebody meets at a place.

// GridColumn is a permission, or a place.
type GridColumn struct {
	Key       string   `json:"key" doc:"Of a permission, or the code of a place"`
	Title     string   `json:"title"`
	Group     string   `json:"group,omitempty" doc:"Title of the group, or the kind of the place"`
	Words     []string `json:"words" doc:"What you can set it to; of a limit only none, as its numbers are many"`
	Unit      string   `json:"unit,omitempty"`
	Sensitive bool     `json:"sensitive,omitempty"`
	Most      string   `json:"most,omitempty" doc:"The most that you can give there, where that is not everything"`
	WhyNot    string   `json:"why_not_more,omitempty" doc:"Why you can give no more than that"`
}

// GridCell is what one person holds in one column.
type GridCell struct {
	Level   string `json:"level,omitempty" doc:"Empty: nothing"`
	Origin  string `json:"origin,omitempty" enum:",template,local,added,withheld,owner,below"`
	Drafted bool   `json:"drafted,omitempty" doc:"It differs in the draft from what is live"`
}

// GridRow is one person.
type GridRow struct {
	StaffNumber string     `json:"staff_number"`
	Name        string     `json:"name"`
	JobTitle    string     `json:"job_title,omitempty"`
	Engagement  string     `json:"engagement"`
	Employer    string     `json:"employer,omitempty"`
	Templates   []string   `json:"templates"`
	Cells       []GridCell `json:"cells" doc:"One for each column"`
	WhyNot      string     `json:"why_not,omitempty" doc:"Why you may not set anything for this person"`
}

// Grid is people × permissions at a place, or people × places for a permission.
type Grid struct {
	Place      *PlaceRef    `json:"place,omitempty"`
	Permission string       `json:"permission,omitempty" doc:"Title, where the columns are places"`
	Columns    []GridColumn `json:"columns"`
	WhyNot     string       `json:"why_not,omitempty" doc:"Why you may set nothing here"`
	Page[GridRow]
}

// Lines returns the grid as it is shown.
func (g Grid) Lines() [][]string {
	header := []string{"staff_number", "name", "job_title", "engagement", "employer", "templates"}
	for _, column := range g.Columns {
		header = append(header, column.Title)
	}
	lines := [][]string{header}
	for _, row := range g.Items {
		line := []string{row.StaffNumber, row.Name, row.JobTitle, row.Engagement, row.Employer,
			strings.Join(row.Templates, "; ")}
		for _, cell := range row.Cells {
			line = append(line, cell.Text())
		}
		lines = append(lines, line)
	}
	return lines
}

// Text says a cell in a word or two.
func (c GridCell) Text() string {
	switch c.Origin {
	case "withheld":
		return "withheld"
	case "local":
		return strings.TrimSpace(c.Level + " (local setting)")
	case "added", "owner":
		return c.Level + " (" + c.Origin + ")"
	case "below":
		return c.Level + " (further in)"
	}
	return c.Level
}

// GridSet sets whole rows or columns of a grid, in a draft.
type GridSet struct {
	Place       string   `json:"place,omitempty" maxLength:"64" doc:"Of people × permissions"`
	Permission  string   `json:"permission,omitempty" maxLength:"64" doc:"Of people × places"`
	Columns     []string `json:"columns" minItems:"1" maxItems:"200" doc:"Keys of the columns to set"`
	Staff       []string `json:"staff,omitempty" maxItems:"5000" doc:"Staff numbers of the rows; left out: all that the filter keeps"`
	Level       string   `json:"level,omitempty" maxLength:"40" doc:"The word to set; left out: back to what the templates give"`
	Template    string   `json:"template,omitempty" maxLength:"64"`
	Title       string   `json:"title,omitempty" maxLength:"120"`
	Engagement  string   `json:"engagement,omitempty" maxLength:"20"`
	Employer    string   `json:"employer,omitempty" maxLength:"120"`
	Q           string   `json:"q,omitempty" maxLength:"100"`
	ContainedIn string   `json:"under,omitempty" maxLength:"64" doc:"Of people × places: the place whose people the rows are"`
}

// PlaceLook is what somebody would meet at one place.
type PlaceLook struct {
	Place    PlaceRef `json:"place"`
	Kind     string   `json:"kind"`
	Depth    int      `json:"depth"`
	Opens    *bool    `json:"opens,omitempty" doc:"Of a door: whether it opens"`
	Sentence string   `json:"sentence,omitempty" doc:"Of a door: why it opens or stays shut"`
	Reason   string   `json:"reason,omitempty" doc:"Of a door: code of the decision"`
	Remedy   string   `json:"remedy,omitempty" doc:"Of a door that stays shut: what would change it"`
	Offers   []string `json:"offers" doc:"What a terminal there would offer, or what counts there as a whole"`
}

// Look is what somebody meets at a place and below it at a moment.
type Look struct {
	Staff      StaffRef    `json:"staff"`
	Place      PlaceRef    `json:"place"`
	At         time.Time   `json:"at"`
	Tense      string      `json:"tense" enum:"past,present,future" doc:"Whether it is from the kept history, live, or by what is on record now"`
	Status     string      `json:"status"`
	Obstacles  []Obstacle  `json:"obstacles"`
	Statements []Statement `json:"statements" doc:"Everywhere they can go and all they can do, in sentences"`
	Page[PlaceLook]
}
