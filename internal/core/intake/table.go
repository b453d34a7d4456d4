package intake

// Table is what a file holds: names of columns, and lines below them. It belongs to whoever reads it and is not
// changed.
type Table struct {
	Header []string
	Lines  []Line
	Notes  []string // what was read otherwise than it stands in the file, in sentences
}

// Line is a line of a table.
type Line struct {
	Number   int // in the file, from 1, as an editor or a spreadsheet counts
	Cells    []string
	Problems []string // what is wrong with the line as such, in sentences
}
