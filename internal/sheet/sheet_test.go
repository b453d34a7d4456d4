package sheet

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"loyallatch.example/latch/internal/core/intake"
	"loyallatch.example/latch/internal/core/org"
)

func encoded(t testing.TB, text string, encoder interface{ Bytes([]byte) ([]byte, error) }) []byte {
	out, err := encoder.Bytes([]byte(text))
	require.NoError(t, err)
	return out
}

// The same table, however a spreadsheet has written it.
func TestATableIsReadWhateverWritesIt(t *testing.T) {
	const plain = "Given name,Family name,Site\nZoë,Łukić,HB\nAna,\"Reyes, Pell\",SM\n"
	latin := strings.ReplaceAll(plain, "Łukić", "Lukic")
	for name, content := range map[string][]byte{
		"comma":           []byte(plain),
		"semicolon":       []byte("Given name;Family name;Site\r\nZoë;Łukić;HB\r\nAna;Reyes, Pell;SM\r\n"),
		"tab":             []byte("Given name\tFamily name\tSite\nZoë\tŁukić\tHB\nAna\tReyes, Pell\tSM"),
		"bar":             []byte("Given name|Family name|Site\nZoë|Łukić|HB\nAna|Reyes, Pell|SM\n"),
		"byte order mark": append([]byte("\xef\xbb\xbf"), plain...),
		"UTF-16":          encoded(t, plain, unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder()),
		"UTF-16 other":    encoded(t, plain, unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewEncoder()),
		"Windows":         encoded(t, latin, charmap.Windows1252.NewEncoder()),
		"told":            []byte("sep=;\r\nGiven name;Family name;Site\r\nZoë;Łukić;HB\r\nAna;Reyes, Pell;SM\r\n"),
		"spaces": []byte("Given name ,Family name, Site\n\n  Zoë ,Łukić,HB  \n,,\n Ana,\"Reyes, " +
			"Pell\",SM,\n\n"),
		"a title": []byte("Starters of the week\n\nGiven name,Family name,Site\nZoë,Łukić,HB\nAna,\"Reyes, " +
			"Pell\",SM\n"),
	} {
		table, err := Read(t.Context(), content)
		require.NoError(t, err, name)
		assert.Equal(t, []string{"Given name", "Family name", "Site"}, table.Header, name)
		require.Len(t, table.Lines, 2, name)
		want := []string{"Zoë", "Łukić", "HB"}
		if name == "Windows" {
			want[1] = "Lukic"
		}
		assert.Equal(t, want, table.Lines[0].Cells, name)
		assert.Equal(t, []string{"Ana", "Reyes, Pell", "SM"}, table.Lines[1].Cells, name)
		assert.Empty(t, table.Lines[1].Problems, name)
	}
}

func TestLinesAreCountedAsAnEditorDoes(t *testing.T) {
	table, err := Read(t.Context(), []byte("name,notes\nAna,\"two\nlines\"\n\nBea,x\nCai,x,more\n"))
	require.NoError(t, err)
	var at []int
	for _, line := range table.Lines {
		at = append(at, line.Number)
	}
	assert.Equal(t, []int{2, 5, 6}, at)
	assert.Contains(t, table.Lines[2].Problems[0], "The line has 3 cells, and the header names 2 columns")
	one, err := Read(t.Context(), []byte("staff\nQ1\nQ2\n"))
	require.NoError(t, err)
	assert.Equal(t, []string{"staff"}, one.Header)
	assert.Len(t, one.Lines, 2)
}

func TestWhatIsNoTableSaysWhatToDo(t *testing.T) {
	locked := append([]byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"), make([]byte, 512)...)
	for name, c := range map[string]struct {
		content []byte
		says    string
	}{
		"nothing":        {nil, "is empty"},
		"space":          {[]byte(" \r\n\t\n"), "is empty"},
		"a header alone": {[]byte("given name,family name\n"), "no row below"},
		"a picture":      {[]byte("\x89PNG\r\n\x1a\n\x00\x00\x00"), "holds no text"},
		"a password":     {locked, "protected by a password"},
		"a broken zip":   {[]byte("PK\x03\x04 and nothing more"), "no workbook that can be read"},
		"quotes":         {[]byte("a,b\n\"x,y\n"), "is not CSV"},
		"a long cell": {[]byte("a,b\n" + strings.Repeat("x", MostLetters+1) + ",y\n"),
			"line 2, column 1 has more than"},
		"ten megabytes": {bytes.Repeat([]byte("x"), 10<<20), "more than 4 MiB"},
		"many columns":  {[]byte("a,b\n" + strings.Repeat("x,", MostColumns+1) + "x\n"), "more than 60 columns"},
		"many rows":     {[]byte("a,b\n" + strings.Repeat("x,y\n", MostRows+1)), "more than 20000 rows"},
	} {
		_, err := Read(t.Context(), c.content)
		assert.ErrorContains(t, err, c.says, name)
	}
}

// workbook makes an XLSX file.
func workbook(t testing.TB, fill func(f *excelize.File)) []byte {
	f := excelize.NewFile()
	fill(f)
	out, err := f.WriteToBuffer()
	require.NoError(t, err)
	return out.Bytes()
}

func TestAWorkbookIsReadAsItShows(t *testing.T) {
	content := workbook(t, func(f *excelize.File) {
		dated, err := f.NewStyle(&excelize.Style{NumFmt: 14})
		require.NoError(t, err)
		own := "dd.mm.yyyy"
		custom, err := f.NewStyle(&excelize.Style{CustomNumFmt: &own})
		require.NoError(t, err)
		money := "#,##0.00 \"days\""
		amount, err := f.NewStyle(&excelize.Style{CustomNumFmt: &money})
		require.NoError(t, err)
		require.NoError(t, f.SetSheetRow("Sheet1", "A1", &[]any{"Starters", nil, nil, nil, nil, nil}))
		require.NoError(t, f.MergeCell("Sheet1", "A1", "F1"))
		require.NoError(t, f.SetSheetRow("Sheet1", "A2", &[]any{"Number", "Given", "Start", "End", "Amount", "Note"}))
		require.NoError(t, f.SetSheetRow("Sheet1", "A3", &[]any{1042, "Ana", 46356, 46386, 46356, "0171"}))
		require.NoError(t, f.SetSheetRow("Sheet1", "A4", &[]any{"0007", "Bea", "2026-12-01", "", "", true}))
		require.NoError(t, f.SetSheetRow("Sheet1", "A6", &[]any{"12", "Cai"}))
		require.NoError(t, f.SetCellStyle("Sheet1", "C3", "C3", dated))
		require.NoError(t, f.SetCellStyle("Sheet1", "D3", "D3", custom))
		require.NoError(t, f.SetCellStyle("Sheet1", "E3", "E3", amount))
		require.NoError(t, f.MergeCell("Sheet1", "B6", "B7"))
		_, err = f.NewSheet("More")
		require.NoError(t, err)
	})
	table, err := Read(t.Context(), content)
	require.NoError(t, err)
	assert.Equal(t, []string{"Number", "Given", "Start", "End", "Amount", "Note"}, table.Header)
	require.Len(t, table.Lines, 3)
	assert.Equal(t, intake.Line{Number: 3, Cells: []string{"1042", "Ana", "2026-11-30", "2026-12-30", "46356", "0171"}},
		table.Lines[0])
	assert.Equal(t, []string{"0007", "Bea", "2026-12-01"}, table.Lines[1].Cells[:3])
	assert.Contains(t, table.Lines[2].Problems[0], "The cells B6:B7 are merged")
	assert.Contains(t, strings.Join(table.Notes, " "), "not read: More")
}

// A number is read with the digits that its cell shows, and a formula that was never worked out is not taken for empty.
func TestACellSaysWhatItShowsAndNothingIsLost(t *testing.T) {
	table, err := Read(t.Context(), workbook(t, func(f *excelize.File) {
		styled := func(cell, format string) {
			style, err := f.NewStyle(&excelize.Style{CustomNumFmt: &format})
			require.NoError(t, err)
			require.NoError(t, f.SetCellStyle("Sheet1", cell, cell, style))
		}
		require.NoError(t, f.SetSheetRow("Sheet1", "A1", &[]any{"Number", "Other", "Phone", "Start", "End"}))
		require.NoError(t, f.SetSheetRow("Sheet1", "A2", &[]any{75, 7, 75, 46356, "2026-12-31"}))
		styled("A2", "00000")
		styled("B2", `"Q"0000`)
		styled("C2", "#,##0")
		styled("D2", "yyyy-mm-dd")
		require.NoError(t, f.SetSheetRow("Sheet1", "A3", &[]any{76, "Bo"}))
		require.NoError(t, f.SetCellFormula("Sheet1", "D3", "DATE(2026,12,6)"))
		styled("D3", "yyyy-mm-dd")
		require.NoError(t, f.SetSheetRow("Sheet1", "A4", &[]any{77, "Cai"}))
		require.NoError(t, f.SetCellFormula("Sheet1", "E4", `"`+strings.Repeat("Ł", 200)+`"`))
	}))
	require.NoError(t, err)
	assert.Equal(t, []string{"00075", "Q0007", "75", "2026-11-30", "2026-12-31"}, table.Lines[0].Cells)
	assert.Empty(t, table.Lines[0].Problems)
	assert.Equal(t, []string{"In column 4 stands a formula that was never worked out, =DATE(2026,12,6). Open the " +
		"file in a spreadsheet program and save it again, or write what it should be."}, table.Lines[1].Problems)
	assert.Contains(t, table.Lines[2].Problems[0], strings.Repeat("Ł", 59)+". Open")
}

// bomb is an archive that is made by hand.
func bomb(t *testing.T, fill func(z *zip.Writer)) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	fill(z)
	require.NoError(t, z.Close())
	return out.Bytes()
}

// with puts other content in the place of a part of an honest workbook.
func with(t *testing.T, name string, write func(w io.Writer)) []byte {
	t.Helper()
	honest := workbook(t, func(f *excelize.File) {
		require.NoError(t, f.SetSheetRow("Sheet1", "A1", &[]any{"a", "b"}))
		require.NoError(t, f.SetSheetRow("Sheet1", "A2", &[]any{"1", "2"}))
	})
	archive, err := zip.NewReader(bytes.NewReader(honest), int64(len(honest)))
	require.NoError(t, err)
	return bomb(t, func(z *zip.Writer) {
		for _, part := range archive.File {
			w, err := z.Create(part.Name)
			require.NoError(t, err)
			if part.Name == name {
				write(w)
				continue
			}
			from, err := part.Open()
			require.NoError(t, err)
			_, err = io.Copy(w, from)
			require.NoError(t, err)
		}
	})
}

// much writes the same many times.
func much(before, each string, times int) func(w io.Writer) {
	return func(w io.Writer) {
		_, _ = io.WriteString(w, before)
		chunk := strings.Repeat(each, 1000)
		for range times / 1000 {
			_, _ = io.WriteString(w, chunk)
		}
	}
}

func TestAWorkbookIsBoundedWhateverItSays(t *testing.T) {
	const sheet1, shared = "xl/worksheets/sheet1.xml", "xl/sharedStrings.xml"
	zeros := with(t, sheet1, much("<worksheet><sheetData>", "<row><c><v/></c></row><!--"+strings.Repeat(" ", 4000)+
		"-->", 10_000))
	attributes := with(t, sheet1, much("<worksheet><row ", `a="" `, 2_000_000))
	deep := with(t, sheet1, much("<worksheet>", "<a>", 5_000_000))
	rows := with(t, sheet1, much("<worksheet><sheetData>", "<row/>", 3_000_000))
	texts := with(t, shared, much("<sst>", "<si><t>"+strings.Repeat("x", 60)+"</t></si>", 400_000))
	long := strings.Repeat("<si><t>"+strings.Repeat("y", 30_000)+"</t></si>", 3)
	repeated := with(t, shared, func(w io.Writer) { _, _ = io.WriteString(w, "<sst>"+long+"</sst>") })
	repeated = bomb(t, func(z *zip.Writer) { // the same long text in each of many cells
		archive, err := zip.NewReader(bytes.NewReader(repeated), int64(len(repeated)))
		require.NoError(t, err)
		for _, part := range archive.File {
			w, err := z.Create(part.Name)
			require.NoError(t, err)
			if part.Name == sheet1 {
				much("<worksheet><sheetData>", `<row><c t="s"><v>1</v></c><c t="s"><v>1</v></c></row>`, 19_000)(w)
				continue
			}
			from, err := part.Open()
			require.NoError(t, err)
			_, err = io.Copy(w, from)
			require.NoError(t, err)
		}
	})
	require.Less(t, len(zeros), MostBytes)
	parts := bomb(t, func(z *zip.Writer) {
		for i := range mostParts + 1 {
			_, err := z.Create(fmt.Sprint("part", i))
			require.NoError(t, err)
		}
	})
	far := workbook(t, func(f *excelize.File) {
		require.NoError(t, f.SetSheetRow("Sheet1", "A1", &[]any{"a", "b"}))
		require.NoError(t, f.SetCellStr("Sheet1", "XFD2", "far away"))
	})
	for name, c := range map[string]struct {
		content []byte
		says    string
	}{
		"a zip bomb": {zeros, "unpacks to more than"}, "one element with a million attributes": {attributes,
			"unpacks to"},
		"elements in elements": {deep, "no workbook"}, "a million rows": {rows, "more than 20000 rows"},
		"too many texts": {texts, "MiB of text"}, "one long text in all cells": {repeated, "MiB of text"},
		"many parts":              {parts, "no workbook"},
		"a cell far to the right": {far, "more than 60 columns"},
		"an empty one":            {workbook(t, func(*excelize.File) {}), "holds no row"},
		"a document of another kind": {bomb(t, func(z *zip.Writer) {
			w, err := z.Create("word/document.xml")
			require.NoError(t, err)
			_, err = w.Write([]byte("<x/>"))
			require.NoError(t, err)
		}), ""},
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, err := Read(t.Context(), c.content)
		runtime.ReadMemStats(&after)
		require.Error(t, err, name)
		assert.ErrorContains(t, err, c.says, name)
		assert.Less(t, after.Sys-before.Sys, uint64(150<<20), "%s: what the process has more", name)
	}
	late, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := Read(late, workbook(t, func(f *excelize.File) {}))
	assert.Error(t, err, "nothing is read once there is no time")
}

// A workbook that other programs write otherwise: without positions, with texts in parts, in two systems of dates.
func TestAWorkbookOfAnotherMakeIsRead(t *testing.T) {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for name, text := range map[string]string{
		"_rels/.rels": `<Relationships><Relationship Id="1" Type="http://purl.oclc.org/ooxml/officeDocument/relationships/` +
			`officeDocument" Target="/book/main.xml"/></Relationships>`,
		"book/_rels/main.xml.rels": `<Relationships><Relationship Id="a" Type="x/worksheet" Target="One.xml"/>` +
			`<Relationship Id="b" Type="x/worksheet" Target="two.xml"/><Relationship Id="c" Type="x/styles" ` +
			`Target="../styles.xml"/><Relationship Id="d" Type="x/sharedStrings" Target="texts.xml"/></Relationships>`,
		"book/main.xml": `<x:workbook xmlns:x="m" xmlns:r="r"><x:workbookPr date1904="1"/><x:sheets>` +
			`<x:sheet name="Hidden" state="hidden" r:id="a"/><x:sheet name="Staff" r:id="b"/></x:sheets></x:workbook>`,
		"styles.xml": `<styleSheet><numFmts><numFmt numFmtId="164" formatCode="yyyy\-mm\-dd"/></numFmts><cellStyleXfs><xf ` +
			`numFmtId="14"/></cellStyleXfs><cellXfs><xf numFmtId="0"/><xf numFmtId="164"/></cellXfs></styleSheet>`,
		"book/texts.xml": `<sst><si><r><t>Fam</t></r><r><t xml:space="preserve">ily name</t></r><rPh><t>nonsense</t></rPh>` +
			`</si><si><t>𠮷野_x000D__x005F_</t></si></sst>`,
		"book/ONE.XML": `<worksheet/>`,
		"book/two.xml": `<worksheet><sheetData><row><c t="s"><v>0</v></c><c t="inlineStr"><is><t>Start</t></is></c>` +
			`<c t="str"><f>A1</f><v>Note</v></c></row><row r="4"><c r="A4" t="s"><v>1</v></c><c r="B4" s="1"><v>44894</v>` +
			`</c><c r="D4"><v/></c></row></sheetData></worksheet>`,
	} {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = io.WriteString(w, text)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	table, err := Read(t.Context(), out.Bytes())
	require.NoError(t, err)
	assert.Equal(t, []string{"Family name", "Start", "Note"}, table.Header)
	require.Len(t, table.Lines, 1)
	assert.Equal(t, intake.Line{Number: 4, Cells: []string{"𠮷野\r_", "2026-11-30"}}, table.Lines[0])
}

var kinds = intake.ColumnsOf(&org.Settings{}, true)

// The file to start from can be read, its columns are known by their titles, and its example is nobody.
func TestTheFileToStartFromIsRead(t *testing.T) {
	content, err := Sample(kinds, kinds.Sample())
	require.NoError(t, err)
	table, err := Read(t.Context(), content)
	require.NoError(t, err)
	for i, name := range kinds.Match(table.Header, nil) {
		assert.NotEmpty(t, name, table.Header[i])
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("a,b\n1,2\n"))
	f.Add([]byte("sep=;\na;\"b\"\n\xff\n"))
	f.Add([]byte("\xff\xfea\x00,\x00b\x00\n\x00"))
	f.Add(workbook(f, func(x *excelize.File) {
		if err := x.SetSheetRow("Sheet1", "A1", &[]any{"a", "b", time.Now()}); err != nil {
			panic(err)
		}
		if err := x.SetSheetRow("Sheet1", "A2", &[]any{"1", 46356, "c"}); err != nil {
			panic(err)
		}
	}))
	f.Fuzz(func(t *testing.T, content []byte) {
		table, err := Read(t.Context(), content)
		if err != nil {
			return
		}
		if len(table.Lines) == 0 || len(table.Header) == 0 || len(table.Header) > MostColumns || len(
			table.Lines) > MostRows {
			t.Fatalf("%d lines of %d columns", len(table.Lines), len(table.Header))
		}
		last := 0
		for _, line := range table.Lines {
			if line.Number <= last {
				t.Fatalf("line %d after %d", line.Number, last)
			}
			last = line.Number
		}
		kinds.Match(table.Header, nil)
	})
}
