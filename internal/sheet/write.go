package sheet

import (
	"io"

	"github.com/xuri/excelize/v2"
)

// Write writes lines of cells as a workbook with one sheet, each cell as text, the first line bold and in sight.
func Write(w io.Writer, lines [][]string) error {
	f := excelize.NewFile()
	defer func() { _ = f.Close() }() // in memory
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	stream, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return err
	}
	if err := stream.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2",
		ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	for i, line := range lines {
		cells := make([]any, len(line))
		for j, text := range line {
			if cells[j] = text; i == 0 {
				cells[j] = excelize.Cell{StyleID: bold, Value: text}
			}
		}
		at, err := excelize.CoordinatesToCellName(1, i+1)
		if err != nil {
			return err
		}
		if err := stream.SetRow(at, cells); err != nil {
			return err
		}
	}
	if err := stream.Flush(); err != nil {
		return err
	}
	return f.Write(w)
}
