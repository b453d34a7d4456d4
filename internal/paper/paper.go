// Package paper prints badges and PIN slips as PDF, for A4. It knows nothing of where they come from.
//
// A badge is as large as a card of the format ID-1 (ISO/IEC 7810: 85.60 by 53.98 mm); ten of them lie on a sheet, with
// marks to cut along. A slip is a sheet to be folded in three, with the PIN inside. Lengths are in millimetres.
//
// Nothing here keeps a state; everything may be used by any number of goroutines at once.
package paper

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"image"
	"image/color"
	"io"
	"strings"
	"time"

	"codeberg.org/go-pdf/fpdf"
	"github.com/boombuler/barcode"
	"github.com/boombuler/barcode/code128"
	"github.com/boombuler/barcode/qr"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
)

// The measures of a sheet of badges.
const (
	CardWidth, CardHeight = 85.60, 53.98
	PerSheet              = columns * rows

	columns, rows         = 2, 5
	pageWidth, pageHeight = 210.0, 297.0
	left                  = (pageWidth - columns*CardWidth) / 2
	top                   = (pageHeight - rows*CardHeight) / 2
)

// Code is how the number of a badge is printed for machines.
type Code string

// The codes.
const (
	Code128 Code = "code128" // ISO/IEC 15417
	QR      Code = "qr"      // ISO/IEC 18004
)

// Badge is what stands on one badge.
type Badge struct {
	Organisation string
	Name         string // of the holder; empty: what is written on it
	StaffNumber  string
	Site         string
	Label        string
	Number       string // of the badge, also in the code
	Photo        []byte // of the holder, a JPEG of 3 by 4; none where there is none
}

// Slip is what stands on one slip.
type Slip struct {
	Organisation string
	Name         string
	StaffNumber  string
	Site         string
	PIN          string
	MustChange   bool
	Until        string // in words; empty: for good
}

type sheet struct{ *fpdf.Fpdf }

func newSheet(at time.Time) sheet {
	pdf := fpdf.New("P", "mm", "A4", "")
	pdf.SetCreationDate(at)
	pdf.SetCreator("Loyal Latch", true)
	pdf.SetMargins(0, 0, 0)
	pdf.SetAutoPageBreak(false, 0)
	pdf.AddUTF8FontFromBytes("go", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("go", "B", gobold.TTF)
	return sheet{pdf}
}

// Badges writes a PDF with the badges, ten to a sheet.
func Badges(w io.Writer, badges []Badge, code Code, at time.Time) error {
	s := newSheet(at)
	s.SetTitle("Badges", true)
	for i := range badges {
		place := i % PerSheet
		if place == 0 {
			s.AddPage()
			s.cutMarks()
		}
		x, y := left+float64(place%columns)*CardWidth, top+float64(place/columns)*CardHeight
		if err := s.badge(&badges[i], code, x, y); err != nil {
			return err
		}
	}
	return s.Output(w)
}

// cutMarks draws where to cut, outside the badges.
func (s sheet) cutMarks() {
	s.SetDrawColor(120, 120, 120)
	s.SetLineWidth(0.1)
	const long, gap = 5, 1.5
	for i := range columns + 1 {
		x := left + float64(i)*CardWidth
		s.Line(x, top-gap-long, x, top-gap)
		s.Line(x, pageHeight-top+gap, x, pageHeight-top+gap+long)
	}
	for i := range rows + 1 {
		y := top + float64(i)*CardHeight
		s.Line(left-gap-long, y, left-gap, y)
		s.Line(pageWidth-left+gap, y, pageWidth-left+gap+long, y)
	}
}

const inset = 5.0

func (s sheet) badge(b *Badge, code Code, x, y float64) error {
	s.SetFillColor(68, 32, 58)
	s.Rect(x, y, CardWidth, 9, "F")
	s.SetTextColor(253, 250, 243)
	s.text("B", 9, x+inset, y+1.5, CardWidth-2*inset, 6, b.Organisation)
	s.SetTextColor(33, 27, 22)
	name := b.Name
	if name == "" {
		name = b.Label
	}
	wide := CardWidth - 2*inset
	if code == QR {
		wide -= 25
	}
	at := x + inset
	if len(b.Photo) > 0 {
		if err := s.photo(b.Photo, at, y+11); err != nil {
			return err
		}
		at, wide = at+photoWidth+3, wide-photoWidth-3
	}
	s.text("B", 15, at, y+13, wide, 8, name)
	s.text("", 10, at, y+21, wide, 5, b.Site)
	s.text("", 10, at, y+26, wide, 5, b.StaffNumber)
	if b.Name != "" {
		s.text("", 8, at, y+31, wide, 4, b.Label)
	}
	wide = CardWidth - 2*inset
	s.text("", 8, x+inset, y+CardHeight-6.5, wide, 4, b.Number)
	if code == QR {
		return s.code(b.Number, code, x+CardWidth-inset-24, y+CardHeight-inset-24, 24, 24)
	}
	return s.code(b.Number, code, x+inset, y+37, CardWidth-2*inset, 10)
}

// photoWidth and photoHeight are the size of a photo on a badge.
const photoWidth, photoHeight = 18.75, 25.0

// photo draws a photo. One that is on several badges stands in the file once.
func (s sheet) photo(jpeg []byte, x, y float64) error {
	name := fmt.Sprintf("%x", sha256.Sum256(jpeg))
	options := fpdf.ImageOptions{ImageType: "JPEG"}
	if s.GetImageInfo(name) == nil {
		s.RegisterImageOptionsReader(name, options, bytes.NewReader(jpeg))
	}
	s.ImageOptions(name, x, y, photoWidth, photoHeight, false, options, 0, "")
	return s.Error()
}

// smallest is the smallest size of a text, in points.
const smallest = 5.0

// text writes a text within its width: smaller where it does not fit, on two lines where it would become small, and cut
// off with an ellipsis where that is not enough.
func (s sheet) text(style string, size, x, y, wide, high float64, text string) {
	text = strings.Join(strings.Fields(text), " ")
	if at, fits := s.fits(style, size, 0.6*size, wide, text); fits {
		s.write(style, at, x, y, wide, high, text)
		return
	}
	if first, second, split := halves(text); split {
		longer := first
		if s.wide(style, size, second) > s.wide(style, size, first) {
			longer = second
		}
		if at, fits := s.fits(style, min(size, 0.5*high*pointsPerMillimetre), smallest, wide, longer); fits {
			s.write(style, at, x, y, wide, high/2, first)
			s.write(style, at, x, y+high/2, wide, high/2, second)
			return
		}
	}
	s.write(style, smallest, x, y, wide, high, s.fitting(style, smallest, text, wide-2*s.GetCellMargin()))
}

// fits returns the largest size, from one down to another, at which a text is not wider than it may be.
func (s sheet) fits(style string, size, least, wide float64, text string) (at float64, fits bool) {
	for at = size; at >= max(least, smallest); at -= 0.5 {
		if s.wide(style, at, text) <= wide-2*s.GetCellMargin() {
			return at, true
		}
	}
	return at, false
}

// halves parts a text at the blank nearest to its middle.
func halves(text string) (first, second string, split bool) {
	best := -1
	for at, r := range text {
		if r == ' ' && (best < 0 || abs(2*at-len(text)) < abs(2*best-len(text))) {
			best = at
		}
	}
	if best < 0 {
		return "", "", false
	}
	return text[:best], text[best+1:], true
}

func abs(n int) int { return max(n, -n) }

// fitting cuts off what is too wide.
func (s sheet) fitting(style string, size float64, text string, wide float64) string {
	if s.wide(style, size, text) <= wide+0.01 {
		return text
	}
	runes := []rune(text)
	for len(runes) > 0 && s.wide(style, size, string(runes)+"…") > wide {
		runes = runes[:len(runes)-1]
	}
	return string(runes) + "…"
}

// code draws the number for machines, as areas that stay sharp at any size. Around it is the quiet zone it needs.
func (s sheet) code(number string, code Code, x, y, wide, high float64) error {
	var drawn barcode.Barcode
	var err error
	if code == QR {
		drawn, err = qr.Encode(number, qr.M, qr.Auto)
	} else {
		drawn, err = code128.Encode(number)
	}
	if err != nil {
		return fmt.Errorf("the number %q cannot be printed as %s: %w", number, code, err)
	}
	const quiet = 4 // modules of a QR code; a Code 128 has ten, of which the badge's own edge gives the rest
	bounds := drawn.Bounds()
	across, down := bounds.Dx(), bounds.Dy()
	module := wide / float64(across+2*quiet)
	tall := high
	if code == QR {
		tall = module
	} else {
		down = 1
	}
	s.SetFillColor(0, 0, 0)
	for row := range down {
		for column := 0; column < across; {
			run := 0
			for column+run < across && dark(drawn, bounds, column+run, row) {
				run++
			}
			if run > 0 {
				at := y
				if code == QR {
					at += float64(quiet+row) * module
				}
				s.Rect(x+float64(quiet+column)*module, at, float64(run)*module, tall, "F")
			}
			column += max(run, 1)
		}
	}
	return nil
}

func dark(code image.Image, bounds image.Rectangle, column, row int) bool {
	return color.GrayModel.Convert(code.At(bounds.Min.X+column, bounds.Min.Y+row)).(color.Gray).Y < 128
}

// Slips writes a PDF with one sheet for each slip. Folded along its two marks the PIN lies inside.
func Slips(w io.Writer, slips []Slip, at time.Time) error {
	s := newSheet(at)
	s.SetTitle("PIN slips", true)
	for i := range slips {
		s.AddPage()
		s.slip(&slips[i])
	}
	return s.Output(w)
}

func (s sheet) slip(slip *Slip) {
	const third, margin, wide = pageHeight / 3, 25.0, pageWidth - 2*25.0
	s.SetDrawColor(120, 120, 120)
	s.SetLineWidth(0.1)
	for i := range 2 {
		y := third * float64(i+1)
		s.Line(5, y, 12, y)
		s.Line(pageWidth-12, y, pageWidth-5, y)
	}
	s.SetTextColor(33, 27, 22)
	s.text("B", 12, margin, 25, wide, 7, slip.Organisation)
	s.text("", 11, margin, 34, wide, 6, "For the hands of")
	s.text("B", 18, margin, 41, wide, 9, slip.Name)
	s.text("", 12, margin, 51, wide, 6, slip.StaffNumber+" · "+slip.Site)
	s.text("", 10, margin, 80, wide, 5, "Fold along the marks. Hand it over closed.")

	s.text("", 12, margin, third+20, wide, 6, "Your PIN")
	s.text("B", 34, margin, third+30, wide, 16, slip.PIN)
	until := "It counts until somebody issues you another."
	if slip.Until != "" {
		until = "It counts until " + slip.Until + "."
	}
	s.text("", 11, margin, third+52, wide, 6, until)
	if slip.MustChange {
		s.text("B", 11, margin, third+60, wide, 6, "Choose a PIN of your own at a terminal, the first time you use it.")
	}

	s.text("B", 12, margin, 2*third+20, wide, 6, "Keep it to yourself")
	for i, line := range []string{"Nobody who works here asks you for your PIN.",
		"Do not write it on your badge, and do not lend it.",
		"After too many wrong tries the door takes none for a while: tell your supervisor.",
		"If somebody has seen it, have a new one issued.",
		"This slip is the only copy: destroy it once you know the PIN."} {
		s.text("", 11, margin, 2*third+30+float64(i)*7, wide, 6, line)
	}
}
