package sheet

import (
	"github.com/xuri/excelize/v2"

	"loyallatch.example/latch/internal/core/intake"
)

// Type is the media type of XLSX.
const Type = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"

// Sample makes a workbook to start from: the lines on its first sheet, and on the second what each column is.
func Sample(columns []intake.Column, lines [][]string) ([]byte, error) {
	f := excelize.NewFile()
	defer func() { _ = f.Close() }() // in memory
	const people, about = "People", "Columns"
	if err := f.SetSheetName("Sheet1", people); err != nil {
		return nil, err
	}
	if _, err := f.NewSheet(about); err != nil {
		return nil, err
	}
	// Text, so that no number is shortened and no code becomes a date
	text, err := f.NewStyle(&excelize.Style{NumFmt: 49})
	if err != nil {
		return nil, err
	}
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return nil, err
	}
	last, err := excelize.ColumnNumberToName(len(lines[0]))
	if err != nil {
		return nil, err
	}
	explained := [][]string{{"Column", "What to write in it", "Needed for somebody new"}}
	for _, c := range columns {
		needed := ""
		if c.Required {
			needed = "yes"
		}
		explained = append(explained, []string{c.Title, c.Says, needed})
	}
	if err := f.SetColStyle(people, "A:"+last, text); err != nil {
		return nil, err
	}
	for name, rows := range map[string][][]string{people: lines, about: explained} {
		for i, row := range rows {
			for j, cell := range row {
				at, err := excelize.CoordinatesToCellName(j+1, i+1)
				if err != nil {
					return nil, err
				}
				if err := f.SetCellStr(name, at, cell); err != nil {
					return nil, err
				}
			}
		}
		if err := f.SetRowStyle(name, 1, 1, bold); err != nil {
			return nil, err
		}
	}
	for _, width := range []struct {
		sheet, from, to string
		letters         float64
	}{{people, "A", last, 16}, {about, "A", "A", 18}, {about, "B", "B", 90}, {about, "C", "C", 26}} {
		if err := f.SetColWidth(width.sheet, width.from, width.to, width.letters); err != nil {
			return nil, err
		}
	}
	out, err := f.WriteToBuffer()
	if err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}
