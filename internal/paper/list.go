package paper

import (
	"fmt"
	"io"
	"slices"
	"time"

	"loyallatch.example/latch/internal/core/words"
)

// Type is the media type of PDF.
const Type = "application/pdf"

// The measures of a list, on A4 that lies across. A column is as wide as what stands in it, up to a bound; columns that
// do not fit beside the others stand on further leaves, each with the first columns once more.
const (
	across, down = pageHeight, pageWidth
	margin       = 10.0
	lineHeight   = 4.6
	textSize     = 7.5
	widestColumn = 60.0
	widestLead   = 80.0 // of the columns that stand on each leaf
	padding      = 2.0
	firstLine    = margin + 9
	linesOnPage  = 38 // the header and the rows below it
)

// List writes lines of cells, their header first, as a table on as many pages as it takes. Columns without anything in
// them are left out; what does not fit into the widest column is cut off, with an ellipsis. Of a list that is cut off
// after many rows, total says how many there are.
func List(w io.Writer, lines [][]string, total int, at time.Time) error {
	s := newSheet(at)
	s.SetTitle("List", true)
	s.SetFont("go", "", textSize)
	widths := s.widths(lines)
	leaves := leavesOf(widths)
	count := max(len(lines)-1, 0)
	pages, page := max((count+linesOnPage-2)/(linesOnPage-1), 1)*len(leaves), 0
	said := words.Count(count, "row", "rows")
	if total > count {
		said = fmt.Sprintf("The first %d of %d rows", count, total)
	}
	for first := 1; first == 1 || first <= count; first += linesOnPage - 1 {
		for _, leaf := range leaves {
			page++
			s.AddPageFormat("L", s.GetPageSizeStr("A4"))
			s.heading(said+", printed "+at.Format("2 January 2006 15:04 MST"), fmt.Sprintf("Page %d of %d", page,
				pages))
			s.line("B", lines[0], leaf, widths, firstLine)
			for i := first; i < min(first+linesOnPage-1, len(lines)); i++ {
				s.line("", lines[i], leaf, widths, firstLine+float64(i-first+1)*lineHeight)
			}
		}
	}
	return s.Output(w)
}

// widths are how wide the columns are; 0 of one in which nothing stands.
func (s sheet) widths(lines [][]string) []float64 {
	widths := make([]float64, len(lines[0]))
	for _, line := range lines[1:] {
		for i, cell := range line {
			if cell != "" {
				widths[i] = min(max(widths[i], s.wide("", textSize, cell)+padding), widestColumn)
			}
		}
	}
	for i, name := range lines[0] {
		if widths[i] > 0 || len(lines) == 1 {
			widths[i] = min(max(widths[i], s.wide("B", textSize, name)+padding), widestColumn)
		}
	}
	return widths
}

// leavesOf lays columns out on leaves; the first ones stand on each, to say whose line it is.
func leavesOf(widths []float64) (leaves [][]int) {
	var shown []int
	for i, wide := range widths {
		if wide > 0 {
			shown = append(shown, i)
		}
	}
	if len(shown) == 0 {
		return [][]int{nil}
	}
	led, lead := 0, 0.0
	for led < len(shown) && (led == 0 || lead+widths[shown[led]] <= widestLead) {
		lead += widths[shown[led]]
		led++
	}
	leaf, used := slices.Clone(shown[:led]), lead
	for _, i := range shown[led:] {
		if used+widths[i] > across-2*margin && len(leaf) > led {
			leaves = append(leaves, leaf)
			leaf, used = slices.Clone(shown[:led]), lead
		}
		leaf, used = append(leaf, i), used+widths[i]
	}
	leaves = append(leaves, leaf)
	return leaves
}

func (s sheet) heading(left, right string) {
	s.SetFont("go", "", textSize)
	s.SetXY(margin, margin)
	s.CellFormat((across-2*margin)/2, lineHeight, left, "", 0, "LM", false, 0, "")
	s.CellFormat((across-2*margin)/2, lineHeight, right, "", 0, "RM", false, 0, "")
}

func (s sheet) line(style string, cells []string, leaf []int, widths []float64, y float64) {
	s.SetDrawColor(190, 190, 190)
	x := margin
	for _, i := range leaf {
		s.write(style, textSize, x, y, widths[i], lineHeight, s.fitting(style, textSize, cells[i], widths[i]-padding))
		s.Line(x, y+lineHeight, x+widths[i], y+lineHeight)
		x += widths[i]
	}
}
