package api

import "time"

// What a file of people is brought in by.

// WhatIsWrong names the column, in a file of rows to be mended, that says what is wrong with each. It is not read.
const WhatIsWrong = "What is wrong"

// ImportColumn is a column of the first line of a file, and what it is read as.
type ImportColumn struct {
	Header  string   `json:"header" doc:"As it stands in the file"`
	Column  string   `json:"column" doc:"What it is read as; empty: not read"`
	Example []string `json:"example" doc:"The first few cells below it"`
}

// ColumnKind is a column that a file may have.
type ColumnKind struct {
	Name     string `json:"name"`
	Title    string `json:"title"`
	Says     string `json:"says,omitempty" doc:"What to write in it"`
	Example  string `json:"example,omitempty"`
	Required bool   `json:"required,omitempty" doc:"Of somebody new"`
}

// ImportFault is one thing that is wrong with a row, or with the columns.
type ImportFault struct {
	Column  string `json:"column,omitempty" doc:"Name of the column; left out: the row as such"`
	Value   string `json:"value,omitempty" doc:"What stands there"`
	Message string `json:"message"`
	Nearest string `json:"nearest,omitempty" doc:"What may be meant"`
}

// ImportRow is what becomes of a row.
type ImportRow struct {
	Line    int               `json:"line" doc:"In the file, as an editor or a spreadsheet counts"`
	Outcome string            `json:"outcome" enum:"new,update,back,same,asked,faulty,in,out"`
	Name    string            `json:"name"`
	Person  *StaffRef         `json:"person,omitempty" doc:"Who it is, of somebody on record"`
	Why     string            `json:"why,omitempty" doc:"Why it is left out"`
	Does    []string          `json:"does" doc:"What is done, in words"`
	Faults  []ImportFault     `json:"faults"`
	Maybe   []Duplicate       `json:"maybe" doc:"Who it may be: say which, or that it is somebody new"`
	Values  map[string]string `json:"values" doc:"By column"`
	Said    ImportDecision    `json:"said" doc:"What was said of it so far"`
}

// Import is a file of people that is looked at, brought in, or done.
type Import struct {
	ID        uint64            `json:"id"`
	Name      string            `json:"name" doc:"Of the file"`
	State     string            `json:"state" enum:"open,running,done"`
	Version   uint32            `json:"version" doc:"Send it with an edit, which is refused where somebody else was quicker"`
	CreatedAt time.Time         `json:"created_at"`
	Problem   string            `json:"problem,omitempty" doc:"Why it could not be brought in"`
	Progress  int               `json:"progress" doc:"While it runs: how many of the PINs are made"`
	Total     int               `json:"total" doc:"While it runs: how many PINs there are to make"`
	Changes   []uint64          `json:"changes" doc:"What came of it"`
	HasPINs   bool              `json:"has_pins" doc:"New PINs wait to be handed out"`
	Rows      int               `json:"rows"`
	Counts    map[string]int    `json:"counts" doc:"How many rows have each outcome"`
	Columns   []ImportColumn    `json:"columns"`
	Otherwise map[string]string `json:"otherwise" doc:"By column: what stands for an empty cell"`
	DateOrder string            `json:"date_order,omitempty" enum:"dmy,mdy,ymd" doc:"In which order dates in digits are written"`
	Faults    []ImportFault     `json:"faults" doc:"What is wrong with the columns"`
	Notes     []string          `json:"notes" doc:"What was read otherwise than it stands in the file"`
	Effect    *Effect           `json:"effect,omitempty" doc:"Effect of bringing in the rows that can be"`
}

// ImportEdit changes how a file is read, or what becomes of its rows; what is left out stays.
type ImportEdit struct {
	Version   uint32                    `json:"version,omitempty"`
	Columns   map[string]string         `json:"columns,omitempty" doc:"By the name in the first line: the column that it is; empty: it is not read"`
	Otherwise map[string]string         `json:"otherwise,omitempty" doc:"By column: what stands for an empty cell; replaces all that was said before"`
	DateOrder *string                   `json:"date_order,omitempty" enum:",dmy,mdy,ymd"`
	Rows      map[string]ImportDecision `json:"rows,omitempty" doc:"By the line"`
}

// ImportDecision is what is said of a row, in the place of what was said before.
type ImportDecision struct {
	Out   bool              `json:"out,omitempty" doc:"Leave it out"`
	Is    string            `json:"is,omitempty" maxLength:"32" doc:"Staff number of who it is, or new"`
	Cells map[string]string `json:"cells,omitempty" doc:"By column: what is to stand in the place of the cell"`
}

// ImportRun has an import brought in.
type ImportRun struct {
	Reasoned
	LeaveOut bool `json:"leave_out,omitempty" doc:"Leave out the rows that are wrong; they can be mended and brought in later"`
}

// NewPIN is the PIN of somebody who was brought in.
type NewPIN struct {
	StaffNumber string `json:"staff_number"`
	Name        string `json:"name"`
	PIN         string `json:"pin"`
}
