package sheet

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"regexp"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/intake"
)

// A workbook (ISO/IEC 29500-1, SpreadsheetML) is a ZIP archive of XML parts. It is read as a stream, part by part, with
// bounds on what each unpacks to: of a sheet, no more is kept than the text of its cells.

// Bounds of what a workbook unpacks to.
const (
	mostUnpacked = 32 << 20 // bytes of XML in the parts that are read
	mostParts    = 2_000
	mostText     = 12 << 20 // bytes of text in the cells, and of shared text: a text that many share counts for each
	mostStyles   = 65_500
	mostAreas    = 10_000 // merged
)

var (
	errWorkbook = fault.Invalidf("file", "the file is no workbook that can be read; save it as XLSX again, or as CSV")
	errUnpacks  = fault.Invalidf("file", "the workbook unpacks to more than %d MiB; send it in several, or as CSV",
		mostUnpacked>>20)
)

// book is a workbook that is being read.
type book struct {
	ctx    context.Context
	parts  map[string]*zip.File // by name in lower case
	left   int64                // of mostUnpacked
	text   int                  // bytes of text that were taken
	shared []string
	styles []style
	since  bool // dates count from 1904
}

func openBook(ctx context.Context, content []byte) (*book, error) {
	archive, err := zip.NewReader(bytes.NewReader(content), int64(len(content)))
	if err != nil || len(archive.File) > mostParts {
		return nil, errWorkbook
	}
	b := &book{ctx: ctx, parts: map[string]*zip.File{}, left: mostUnpacked}
	for _, part := range archive.File {
		b.parts[strings.ToLower(strings.ReplaceAll(strings.TrimPrefix(part.Name, "/"), "\\", "/"))] = part
	}
	return b, nil
}

// unpacked returns what a workbook says that its parts unpack to, and no more than what is taken.
func unpacked(content []byte) (weight int64) {
	archive, err := zip.NewReader(bytes.NewReader(content), int64(len(content)))
	if err != nil {
		return 0
	}
	for _, part := range archive.File {
		if weight += int64(min(part.UncompressedSize64, mostUnpacked)); weight > mostUnpacked {
			return mostUnpacked
		}
	}
	return weight
}

// tokens reads the XML of a part: no more than a workbook may unpack to in all, no deeper and in no larger pieces than
// a workbook has them, and only while there is time.
type tokens struct {
	of    *book
	from  io.Reader
	xml   *xml.Decoder
	depth int
	since int // bytes since the last piece
}

// Bounds of the XML of a part.
const (
	mostDepth = 64
	mostPiece = 1 << 20
)

func (t *tokens) Read(into []byte) (int, error) {
	if t.of.ctx.Err() != nil {
		return 0, errUnpacks
	}
	n, err := t.from.Read(into)
	t.of.left -= int64(n)
	if t.since += n; t.of.left < 0 || t.since > mostPiece {
		return n, errUnpacks
	}
	return n, err
}

// Token returns the next piece.
func (t *tokens) Token() (xml.Token, error) {
	t.since = 0
	token, err := t.xml.Token()
	switch token.(type) {
	case xml.StartElement:
		if t.depth++; t.depth > mostDepth {
			return nil, errWorkbook
		}
	case xml.EndElement:
		t.depth--
	}
	return token, err
}

// each reads a part and hands on each element that begins; take reads on from the decoder as far as it wants.
func (b *book) each(name string, take func(d *tokens, start xml.StartElement) error) error {
	part := b.parts[strings.ToLower(name)]
	if part == nil {
		return errWorkbook
	}
	opened, err := part.Open()
	if err != nil {
		return errWorkbook
	}
	defer func() { _ = opened.Close() }() // read only
	d := &tokens{of: b, from: opened}
	d.xml = xml.NewDecoder(d)
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err == nil {
			if start, is := token.(xml.StartElement); is {
				err = take(d, start)
			}
		}
		var f *fault.Fault
		if errors.As(err, &f) {
			return f
		}
		if err != nil {
			return errWorkbook
		}
	}
}

func attribute(start xml.StartElement, name string) string {
	for i := range start.Attr {
		if start.Attr[i].Name.Local == name {
			return start.Attr[i].Value
		}
	}
	return ""
}

// related returns the parts that a part names, by the last part of their type and by their identifiers.
func (b *book) related(of string) (byType, byID map[string]string, err error) {
	byType, byID = map[string]string{}, map[string]string{}
	folder, name := path.Split(of)
	err = b.each(folder+"_rels/"+name+".rels", func(_ *tokens, start xml.StartElement) error {
		if start.Name.Local != "Relationship" || attribute(start, "TargetMode") == "External" || len(byID) > mostParts {
			return nil
		}
		target := attribute(start, "Target")
		if !strings.HasPrefix(target, "/") {
			target = path.Join(folder, target)
		}
		target = strings.TrimPrefix(path.Clean(target), "/")
		byType[path.Base(attribute(start, "Type"))], byID[attribute(start, "Id")] = target, target
		return nil
	})
	return byType, byID, err
}

// sheetOf is a sheet by its name, and the part that it is.
type sheetOf struct{ name, part string }

// sheets opens the workbook and returns the sheets that it shows.
func (b *book) sheets() (shown []sheetOf, err error) {
	top, _, err := b.related("")
	if err != nil {
		return nil, err
	}
	main := top["officeDocument"]
	byType, byID, err := b.related(main)
	if err != nil {
		return nil, err
	}
	if err := b.each(main, func(_ *tokens, start xml.StartElement) error {
		switch start.Name.Local {
		case "workbookPr":
			b.since = attribute(start, "date1904") == "1" || attribute(start, "date1904") == "true"
		case "sheet":
			part := ""
			for _, a := range start.Attr {
				if a.Name.Local == "id" {
					part = byID[a.Value]
				}
			}
			if state := attribute(start, "state"); state == "" || state == "visible" {
				shown = append(shown, sheetOf{attribute(start, "name"), part})
			}
		}
		return nil
	}); err != nil {
		return nil, err
	}
	if part := byType["styles"]; part != "" {
		if err := b.readStyles(part); err != nil {
			return nil, err
		}
	}
	if part := byType["sharedStrings"]; part != "" {
		err = b.readShared(part)
	}
	return shown, err
}

// style is how numbers are shown in cells that have it.
type style struct {
	date bool
	// As so many digits at least, between two texts; 0: as they are
	digits        int
	before, after string
}

// digitsOf reads a format of numbers that shows them as so many digits: 00000, or "Q"0000 (ISO/IEC 29500-1, 18.8.31).
func digitsOf(code string) (s style) {
	code, _, _ = strings.Cut(code, ";") // what follows is for negative numbers, for zero and for text
	if len(code) > mostFormat {
		return style{}
	}
	text := &s.before
	for quoted, escaped := false, false; code != ""; {
		r, size := utf8.DecodeRuneInString(code)
		code = code[size:]
		switch {
		case escaped, quoted && r != '"':
			*text += string(r)
			escaped = false
		case r == '"':
			quoted = !quoted
		case r == '\\':
			escaped = true
		case r == '0' && s.after == "":
			s.digits++
			text = &s.after
		default:
			return style{}
		}
	}
	if s.digits > mostDigits || s.digits < 2 && s.before+s.after == "" {
		return style{}
	}
	return s
}

// Bounds of how a number is shown: its digits, and the bytes of its format.
const (
	mostDigits = 18
	mostFormat = 64
)

// readStyles notes how styles show numbers.
func (b *book) readStyles(part string) error {
	formats, inCells := map[string]string{}, false
	return b.each(part, func(_ *tokens, start xml.StartElement) error {
		switch start.Name.Local {
		case "numFmt":
			if len(formats) < mostStyles {
				formats[attribute(start, "numFmtId")] = attribute(start, "formatCode")
			}
		case "cellStyleXfs", "cellStyles", "dxfs":
			inCells = false
		case "cellXfs":
			inCells = true
		case "xf":
			if !inCells || len(b.styles) >= mostStyles {
				return nil
			}
			id := attribute(start, "numFmtId")
			number, _ := strconv.Atoi(id)
			code, own := formats[id]
			shown := digitsOf(code)
			shown.date = showsDate(number, code, own)
			b.styles = append(b.styles, shown)
		}
		return nil
	})
}

// readShared reads the texts that cells share.
func (b *book) readShared(part string) error {
	return b.each(part, func(d *tokens, start xml.StartElement) error {
		if start.Name.Local != "si" {
			return nil
		}
		text, err := b.written(d)
		if err != nil {
			return err
		}
		b.shared = append(b.shared, text)
		return b.took(16) // for the entry itself
	})
}

// took counts text that is kept.
func (b *book) took(bytes int) error {
	if b.text += bytes; b.text > mostText {
		return fault.Invalidf("file", "the workbook holds more than %d MiB of text; send it in several, or as CSV",
			mostText>>20)
	}
	return nil
}

// written reads a text with its parts (ISO/IEC 29500-1, 18.4): what is in t, without how it is pronounced. The element
// that it stands in has begun, and has ended when it returns.
func (b *book) written(d *tokens) (string, error) {
	var text strings.Builder
	deep, spoken, inText := 1, 0, false
	for deep > 0 {
		token, err := d.Token()
		if err != nil {
			return "", err
		}
		switch token := token.(type) {
		case xml.StartElement:
			deep++
			if token.Name.Local == "rPh" {
				spoken = deep
			}
			inText = token.Name.Local == "t" && spoken == 0
		case xml.EndElement:
			if deep == spoken {
				spoken = 0
			}
			deep--
			inText = false
		case xml.CharData:
			if inText {
				if err := b.took(len(token)); err != nil {
					return "", err
				}
				text.Write(token)
			}
		}
	}
	return unescaped(text.String()), nil
}

var escape = regexp.MustCompile(`_x[0-9A-Fa-f]{4}_`)

// unescaped turns characters around that XML cannot hold, which stand as _xHHHH_ (ISO/IEC 29500-1, 22.9.2.19).
func unescaped(text string) string {
	if !strings.Contains(text, "_x") {
		return text
	}
	return escape.ReplaceAllStringFunc(text, func(code string) string {
		r, _ := strconv.ParseUint(code[2:6], 16, 32)
		return string(rune(r))
	})
}

// cell is one cell as the sheet holds it.
type cell struct {
	column int // from 1; 0 once: the one after the last
	kind   string
	style  int
	text   string
	// A formula that no program has worked out; empty: there is none
	formula string
}

// readXLSX reads the first sheet of a workbook that holds anything.
func readXLSX(ctx context.Context, content []byte) (t *intake.Table, err error) {
	b, err := openBook(ctx, content)
	if err != nil {
		return nil, err
	}
	shown, err := b.sheets()
	if err != nil {
		return nil, err
	}
	var skipped []string
	for _, s := range shown {
		if t != nil {
			skipped = append(skipped, s.name)
			continue
		}
		if t, err = b.sheet(s.part); err != nil {
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

// sheet reads a sheet; nil where it holds nothing.
func (b *book) sheet(part string) (*intake.Table, error) {
	lines, filled := [][]string{}, 0
	unsolved := map[int][]string{} // by row
	merged, areas := map[int]string{}, 0
	err := b.each(part, func(d *tokens, start xml.StartElement) error {
		switch start.Name.Local {
		case "row":
			at := len(lines) + 1
			if stated, err := strconv.Atoi(attribute(start, "r")); err == nil && stated >= at {
				at = stated
			}
			if at > MostRows+100 {
				return fault.Invalidf("file", "the sheet has more than %d rows; send it in several", MostRows)
			}
			cells, formulas, err := b.row(d, at)
			if err != nil {
				return err
			}
			if len(formulas) > 0 {
				unsolved[at] = formulas
			}
			for len(lines) < at-1 {
				lines = append(lines, nil)
			}
			if lines = append(lines, cells); len(cells) > 0 {
				filled++
			}
		case "mergeCell":
			if areas++; areas > mostAreas {
				return fault.Invalidf("file", "the sheet has more than %d merged areas; take them apart", mostAreas)
			}
			area := attribute(start, "ref")
			first, last, _ := strings.Cut(area, ":")
			from, _, ok := position(first)
			until, _, also := position(last)
			for row := from; ok && also && row <= min(until, MostRows+100); row++ {
				if merged[row] == "" {
					merged[row] = area
				}
			}
		}
		return nil
	})
	if err != nil || filled == 0 {
		return nil, err
	}
	of := &building{}
	for i, cells := range lines {
		before := len(of.table.Lines)
		if err := of.add(i+1, cells); err != nil {
			return nil, err
		}
		if problems := unsolved[i+1]; len(problems) > 0 && len(of.table.Lines) > before {
			last := &of.table.Lines[len(of.table.Lines)-1]
			last.Problems = append(last.Problems, problems...)
		}
		if area := merged[i+1]; area != "" && len(of.table.Lines) > before && of.table.Header != nil {
			last := &of.table.Lines[len(of.table.Lines)-1]
			last.Problems = append(last.Problems, fmt.Sprintf("The cells %s are merged; take the merge apart and "+
				"fill in each.", area))
		}
	}
	if len(of.table.Lines) == 0 || of.table.Header == nil {
		return nil, nil
	}
	return of.done()
}

// mostFormula is how much is said of a formula.
const mostFormula = 60

// row reads the cells of a row that has begun, up to the last that says something. unsolved says which of them hold a
// formula that was never worked out: they would be taken for empty.
func (b *book) row(d *tokens, number int) (cells, unsolved []string, err error) {
	next := 1
	for {
		token, err := d.Token()
		if err != nil {
			return nil, nil, err
		}
		switch token := token.(type) {
		case xml.EndElement:
			if token.Name.Local == "row" {
				return cells, unsolved, nil
			}
		case xml.StartElement:
			if token.Name.Local != "c" {
				continue
			}
			c := cell{column: next, kind: attribute(token, "t")}
			if _, column, ok := position(attribute(token, "r")); ok {
				c.column = column
			}
			c.style, _ = strconv.Atoi(attribute(token, "s"))
			if err := b.content(d, &c); err != nil {
				return nil, nil, err
			}
			if c.formula != "" && c.column <= MostColumns {
				unsolved = append(unsolved, fmt.Sprintf("In column %d stands a formula that was never worked out, "+
					"=%s. Open the file in a spreadsheet program and save it again, or write what it should be.",
					c.column, c.formula))
			}
			if next = c.column + 1; c.text == "" {
				continue
			}
			if c.column > MostColumns {
				return nil, nil, fault.Invalidf("file", "row %d has more than %d columns", number, MostColumns)
			}
			for len(cells) < c.column {
				cells = append(cells, "")
			}
			cells[c.column-1] = c.text
		}
	}
}

// content reads what a cell says that has begun, as a person would read it.
func (b *book) content(d *tokens, c *cell) error {
	var value, formula strings.Builder
	valued := false
	for in := ""; ; {
		token, err := d.Token()
		if err != nil {
			return err
		}
		switch token := token.(type) {
		case xml.StartElement:
			if in = token.Name.Local; in == "is" {
				if c.text, err = b.written(d); err != nil {
					return err
				}
				in = ""
			}
			valued = valued || in == "v"
		case xml.CharData:
			switch {
			case in == "v":
				if err := b.took(len(token)); err != nil {
					return err
				}
				value.Write(token)
			case in == "f" && formula.Len() < mostFormula*utf8.UTFMax:
				formula.Write(token[:min(len(token), mostFormula*utf8.UTFMax)])
			}
		case xml.EndElement:
			if in = ""; token.Name.Local != "c" {
				continue
			}
			if c.kind == "inlineStr" {
				return nil
			}
			if value.Len() == 0 && (c.kind != "str" || !valued) { // one whose result is an empty text has that
				written := []rune(strings.TrimPrefix(formula.String(), "="))
				c.formula = string(written[:min(len(written), mostFormula)])
			}
			c.text, err = b.shows(c, value.String())
			return err
		}
	}
}

// shows is what a value says: a text that is shared, a date as ISO 8601 has it, anything else as it stands.
func (b *book) shows(c *cell, value string) (string, error) {
	switch c.kind {
	case "s":
		at, err := strconv.Atoi(strings.TrimSpace(value))
		if err != nil || at < 0 || at >= len(b.shared) {
			return "", errWorkbook
		}
		return b.shared[at], b.took(len(b.shared[at]))
	case "str":
		return unescaped(value), nil
	case "", "n":
		if c.style < 0 || c.style >= len(b.styles) {
			return value, nil
		}
		shown := &b.styles[c.style]
		if number, err := strconv.ParseUint(value, 10, 63); err == nil && shown.digits > 0 && !shown.date {
			text := fmt.Sprintf("%s%0*d%s", shown.before, shown.digits, number, shown.after)
			return text, b.took(len(text))
		}
		if !shown.date {
			return value, nil
		}
		serial, err := strconv.ParseFloat(value, 64)
		if err != nil || serial < 1 || serial > 110_000 { // until the year 2201
			return value, nil
		}
		return dateOf(serial, b.since).String(), nil
	}
	return value, nil
}

// dateOf is the day of a serial number (ISO/IEC 29500-1, 18.17.4): counted from 1900, in which a day that never was is
// the sixtieth, or from 1904.
func dateOf(serial float64, since1904 bool) day.Date {
	days := int(serial)
	from := time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)
	switch {
	case since1904:
		from = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
	case days < 60:
		from = from.AddDate(0, 0, 1)
	}
	return day.Of(from.AddDate(0, 0, days))
}

// position reads where a cell stands, such as B12; both count from 1.
func position(name string) (row, column int, ok bool) {
	name = strings.ReplaceAll(name, "$", "")
	at := strings.IndexAny(name, "0123456789")
	if at < 1 || at > 3 || len(name)-at > 7 {
		return 0, 0, false
	}
	for _, letter := range strings.ToUpper(name[:at]) {
		if letter < 'A' || letter > 'Z' {
			return 0, 0, false
		}
		column = column*26 + int(letter-'A') + 1
	}
	row, err := strconv.Atoi(name[at:])
	return row, column, err == nil && row > 0
}

// showsDate reports whether a format of numbers shows a date: one of those of ISO/IEC 29500-1, 18.8.30, or one of the
// workbook's own with a year, or with a day and a month.
func showsDate(number int, code string, own bool) bool {
	switch n := number; {
	case own:
	case n >= 14 && n <= 17, n == 22, n >= 27 && n <= 31, n == 36, n >= 50 && n <= 58:
		return true
	default:
		return false
	}
	bare, quoted, bracketed := strings.Builder{}, false, false
	for _, r := range strings.ToLower(code) {
		switch {
		case r == '"':
			quoted = !quoted
		case r == '[':
			bracketed = true
		case r == ']':
			bracketed = false
		case !quoted && !bracketed:
			bare.WriteRune(r)
		}
	}
	text := bare.String()
	return strings.Contains(text, "yy") || strings.Contains(text, "d") && strings.Contains(text, "m")
}
