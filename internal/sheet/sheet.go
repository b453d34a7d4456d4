// Package sheet reads tables that people keep in files: CSV (RFC 4180, with any usual delimiter and encoding) and XLSX
// (ISO/IEC 29500). What comes out is text in cells, with dates as ISO 8601 has them.
//
// # Bounds
//
// A file is bounded in bytes, in what it unpacks to, in rows, columns and letters of a cell, so that reading takes a
// few
// tens of megabytes whatever somebody sends.
//
// # Errors
//
// What cannot be read is a *fault.Fault that says what to do instead. No input makes it panic.
package sheet

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/intake"
)

// Bounds of a file.
const (
	MostBytes   = 4 << 20
	MostRows    = 20_000
	MostColumns = 60
	MostLetters = 4_000 // of a cell
)

// Weight returns how many bytes a file takes while it is read, by what its head says.
func Weight(content []byte) int64 {
	if bytes.HasPrefix(content, []byte("PK\x03\x04")) {
		return unpacked(content) + 2*mostText
	}
	return 4 * int64(len(content))
}

// Read reads the table that a file holds, while there is time. The first line that names more than one column is the
// header.
func Read(ctx context.Context, content []byte) (*intake.Table, error) {
	switch {
	case len(bytes.TrimSpace(content)) == 0:
		return nil, fault.Invalidf("file", "the file is empty; the first line names the columns")
	case len(content) > MostBytes:
		return nil, fault.Invalidf("file", "the file has more than %d MiB; send it in several", MostBytes>>20)
	case bytes.HasPrefix(content, []byte("PK\x03\x04")):
		return readXLSX(ctx, content)
	case bytes.HasPrefix(content, []byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1")):
		return nil, fault.Invalidf("file", "the workbook is protected by a password, or of the format before XLSX; "+
			"save "+
			"it as XLSX without a password, or as CSV")
	}
	return readCSV(content)
}

// decoded turns the text of a file into UTF-8, by its byte order mark or by what it can be.
func decoded(content []byte) ([]byte, error) {
	var from encoding.Encoding
	switch {
	case bytes.HasPrefix(content, []byte("\xef\xbb\xbf")):
		content = content[3:]
	case bytes.HasPrefix(content, []byte("\xff\xfe")), bytes.HasPrefix(content, []byte("\xfe\xff")):
		from = unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM)
	case utf8.Valid(content):
	default: // of the one-byte encodings the one that spreadsheets in this part of the world write
		from = charmap.Windows1252
	}
	if from != nil {
		var err error
		if content, err = from.NewDecoder().Bytes(content); err != nil {
			return nil, fault.Invalidf("file", "the encoding of the file cannot be read; save it as UTF-8")
		}
	}
	if bytes.IndexByte(content, 0) >= 0 || !utf8.Valid(content) {
		return nil, fault.Invalidf("file", "the file holds no text; send CSV or XLSX")
	}
	return content, nil
}

// delimiters are what may stand between cells, the likeliest first.
var delimiters = []rune{',', ';', '\t', '|'}

// delimiter is the one by which the first lines have the most cells, and the same number in each.
func delimiter(content []byte) rune {
	const looked = 20
	best, most := delimiters[0], 0
	for _, candidate := range delimiters {
		reader := reading(content, candidate)
		least, lines := 0, 0
		for ; lines < looked; lines++ {
			record, err := reader.Read()
			if err != nil {
				break
			}
			if least == 0 || len(record) < least {
				least = len(record)
			}
		}
		if least > most {
			best, most = candidate, least
		}
	}
	if most < 2 { // a title above the header, or one column: the one that the text has most of
		for _, candidate := range delimiters {
			if n := bytes.Count(content, []byte(string(candidate))); n > most {
				best, most = candidate, n
			}
		}
	}
	return best
}

func reading(content []byte, delimiter rune) *csv.Reader {
	reader := csv.NewReader(bytes.NewReader(content))
	reader.Comma, reader.FieldsPerRecord, reader.ReuseRecord = delimiter, -1, true
	return reader
}

func readCSV(content []byte) (*intake.Table, error) {
	content, err := decoded(content)
	if err != nil {
		return nil, err
	}
	// What tells a spreadsheet its delimiter in the first line tells it here too
	rest, told := bytes.CutPrefix(content, []byte("sep="))
	by, skipped := delimiter(content), 0
	if told && len(rest) > 1 && (rest[1] == '\n' || rest[1] == '\r') {
		by = rune(rest[0])
		content, skipped = bytes.TrimLeft(rest[1:], "\r\n"), 1
	}
	t := &building{}
	reader := reading(content, by)
	for {
		record, err := reader.Read()
		if errors.Is(err, io.EOF) {
			return t.done()
		}
		if err != nil {
			return nil, fault.Invalidf("file", "the file is not CSV: %s",
				strings.TrimPrefix(err.Error(), "record on "))
		}
		line, _ := reader.FieldPos(0)
		if err := t.add(line+skipped, record); err != nil {
			return nil, err
		}
	}
}

// building is a table that is being read.
type building struct {
	table  intake.Table
	titled bool // a line of one cell came before the header
}

// add takes a line; the first with more than one cell is the header.
func (b *building) add(number int, cells []string) error {
	filled := 0
	for i, cell := range cells {
		if utf8.RuneCountInString(cell) > MostLetters {
			return fault.Invalidf("file", "line %d, column %d has more than %d letters; nothing that is kept of a "+
				"person "+
				"is so long", number, i+1, MostLetters)
		}
		if strings.TrimSpace(cell) != "" {
			filled = i + 1
		}
	}
	switch {
	case filled == 0:
		return nil
	case filled > MostColumns:
		return fault.Invalidf("file", "line %d has more than %d columns", number, MostColumns)
	case len(b.table.Lines) >= MostRows:
		return fault.Invalidf("file", "the file has more than %d rows; send it in several", MostRows)
	}
	line := intake.Line{Number: number, Cells: make([]string, filled)}
	for i := range line.Cells {
		line.Cells[i] = strings.TrimSpace(strings.ToValidUTF8(cells[i], ""))
	}
	if b.table.Header == nil {
		if filled == 1 && !b.titled {
			b.titled, b.table.Lines = true, append(b.table.Lines, line)
			return nil
		}
		if filled > 1 {
			for _, title := range b.table.Lines {
				b.table.Notes = append(b.table.Notes, fmt.Sprintf("Line %d, “%s”, is taken for a title.", title.Number,
					title.Cells[0]))
			}
			b.table.Header, b.table.Lines = line.Cells, nil
			return nil
		}
		// One column: the first line was its name
		b.table.Header, b.table.Lines = b.table.Lines[0].Cells, nil
	}
	if filled > len(b.table.Header) {
		line.Problems = append(line.Problems, fmt.Sprintf("The line has %d cells, and the header names %d columns.",
			filled,
			len(b.table.Header)))
	}
	b.table.Lines = append(b.table.Lines, line)
	return nil
}

func (b *building) done() (*intake.Table, error) {
	if b.table.Header == nil || len(b.table.Lines) == 0 {
		return nil, fault.Invalidf("file", "the file has no row below the line that names the columns")
	}
	return &b.table, nil
}
