package sheet

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/intake"
)

// Bounds of what a workbook unpacks to.
const (
	mostUnpacked = 48 << 20
	mostParts    = 2_000
)

var errWorkbook = fault.Invalidf("file", "the file is no workbook that can be read; save it as XLSX again, or as CSV")

// unpacks sees that a workbook unpacks to no more than it may, whatever it says of itself.
func unpacks(content []byte) error {
	archive, err := zip.NewReader(bytes.NewReader(content), int64(len(content)))
	if err != nil || len(archive.File) > mostParts {
		return errWorkbook
	}
	left := int64(mostUnpacked)
	for _, part := range archive.File {
		opened, err := part.Open()
		if err != nil {
			return errWorkbook
		}
		n, err := io.Copy(io.Discard, io.LimitReader(opened, left+1))
		_ = opened.Close() // read only
		if left -= n; left < 0 {
			return fault.Invalidf("file", "the workbook unpacks to more than %d MiB; send it in several, or as CSV",
				mostUnpacked>>20)
		}
		if err != nil {
			return errWorkbook
		}
	}
	return nil
}

// readXLSX reads the first sheet of a workbook that holds anything.
func readXLSX(content []byte) (t *intake.Table, err error) {
	if err := unpacks(content); err != nil {
		return nil, err
	}
	// The package that reads workbooks is made for honest ones
	defer func() {
		if recover() != nil {
			t, err = nil, errWorkbook
		}
	}()
	f, err := excelize.OpenReader(bytes.NewReader(content), excelize.Options{RawCellValue: true,
		UnzipSizeLimit: mostUnpacked, UnzipXMLSizeLimit: mostUnpacked})
	if err != nil {
		return nil, errWorkbook
	}
	defer func() { _ = f.Close() }() // read only
	var skipped []string
	for _, name := range f.GetSheetList() {
		if t != nil {
			skipped = append(skipped, name)
			continue
		}
		if shown, err := f.GetSheetVisible(name); err != nil || !shown {
			continue
		}
		if t, err = readSheet(f, name); err != nil {
			return nil, err
		}
	}
	if t == nil {
		return nil, fault.Invalidf("file", "the workbook holds no row below a line that names the columns")
	}
	if len(skipped) > 0 {
		t.Notes = append(t.Notes, fmt.Sprintf("Only the first sheet is read; not read: %s.", strings.Join(skipped,
			", ")))
	}
	return t, nil
}

// readSheet reads a sheet; nil where it holds nothing. It streams once, so that it is known how large the sheet is
// before anything asks for all of it.
func readSheet(f *excelize.File, name string) (*intake.Table, error) {
	rows, err := f.Rows(name)
	if err != nil {
		return nil, errWorkbook
	}
	defer func() { _ = rows.Close() }() // read only
	var lines [][]string
	filled := 0
	for rows.Next() {
		cells, err := rows.Columns()
		if err != nil {
			return nil, errWorkbook
		}
		if len(cells) > MostColumns {
			return nil, fault.Invalidf("file", "row %d has more than %d columns", len(lines)+1, MostColumns)
		}
		if lines = append(lines, cells); len(cells) > 0 {
			filled++
		}
		if len(lines) > MostRows+100 {
			return nil, fault.Invalidf("file", "the sheet has more than %d rows; send it in several", MostRows)
		}
	}
	if filled == 0 {
		return nil, nil
	}
	merged, err := mergedRows(f, name)
	if err != nil {
		return nil, errWorkbook
	}
	dates := dating{file: f, sheet: name, known: map[int]bool{}}
	b := &building{}
	for i, cells := range lines {
		for j := range cells {
			if cells[j], err = dates.text(cells[j], i+1, j+1); err != nil {
				return nil, errWorkbook
			}
		}
		before := len(b.table.Lines)
		if err := b.add(i+1, cells); err != nil {
			return nil, err
		}
		if area := merged[i+1]; area != "" && len(b.table.Lines) > before && b.table.Header != nil {
			last := &b.table.Lines[len(b.table.Lines)-1]
			last.Problems = append(last.Problems, fmt.Sprintf("The cells %s are merged; take the merge apart and "+
				"fill in "+
				"each.", area))
		}
	}
	if len(b.table.Lines) == 0 || b.table.Header == nil {
		return nil, nil
	}
	return b.done()
}

// mergedRows are the rows that share a cell with another row or column, and the area.
func mergedRows(f *excelize.File, name string) (map[int]string, error) {
	areas, err := f.GetMergeCells(name, true)
	if err != nil {
		return nil, err
	}
	rows := map[int]string{}
	for _, area := range areas {
		_, first, err := excelize.CellNameToCoordinates(area.GetStartAxis())
		if err != nil {
			return nil, err
		}
		_, last, err := excelize.CellNameToCoordinates(area.GetEndAxis())
		if err != nil {
			return nil, err
		}
		for row := first; row <= min(last, MostRows+100); row++ {
			rows[row] = area.GetStartAxis() + ":" + area.GetEndAxis()
		}
	}
	return rows, nil
}

// dating tells the numbers that a sheet shows as dates from others.
type dating struct {
	file  *excelize.File
	sheet string
	known map[int]bool // by style: whether it shows a date
	since *bool        // 1904
}

// text is what a cell says: as it stands, and a date as ISO 8601 has it.
func (d *dating) text(raw string, row, column int) (string, error) {
	serial, err := strconv.ParseFloat(raw, 64)
	if err != nil || serial < 1 || serial > 110_000 { // until the year 2201
		return raw, nil
	}
	cell, err := excelize.CoordinatesToCellName(column, row)
	if err != nil {
		return "", err
	}
	style, err := d.file.GetCellStyle(d.sheet, cell)
	if err != nil {
		return "", err
	}
	if _, known := d.known[style]; !known {
		format, err := d.file.GetStyle(style)
		if err != nil {
			return "", err
		}
		d.known[style] = showsDate(format)
	}
	if !d.known[style] {
		return raw, nil
	}
	if kind, err := d.file.GetCellType(d.sheet, cell); err != nil || kind == excelize.CellTypeSharedString ||
		kind == excelize.CellTypeInlineString {
		return raw, err // digits that were typed as text
	}
	if d.since == nil {
		properties, err := d.file.GetWorkbookProps()
		if err != nil {
			return "", err
		}
		d.since = properties.Date1904
		if d.since == nil {
			d.since = new(bool)
		}
	}
	at, err := excelize.ExcelDateToTime(serial, *d.since)
	if err != nil {
		return "", err
	}
	return day.Of(at).String(), nil
}

// showsDate reports whether a format of numbers shows a date: one of those of ISO/IEC 29500-1, 18.8.30, or one of the
// sheet's own with a year, or with a day and a month.
func showsDate(style *excelize.Style) bool {
	switch n := style.NumFmt; {
	case n >= 14 && n <= 17, n == 22, n >= 27 && n <= 31, n == 36, n >= 50 && n <= 58:
		return true
	case style.CustomNumFmt == nil:
		return false
	}
	bare, quoted, bracketed := "", false, false
	for _, r := range strings.ToLower(*style.CustomNumFmt) {
		switch {
		case r == '"':
			quoted = !quoted
		case r == '[':
			bracketed = true
		case r == ']':
			bracketed = false
		case !quoted && !bracketed:
			bare += string(r)
		}
	}
	return strings.Contains(bare, "yy") || strings.Contains(bare, "d") && strings.Contains(bare, "m")
}
