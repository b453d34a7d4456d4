package paper

import (
	"bytes"
	"embed"
	"slices"
	"strings"
	"sync"

	"github.com/go-text/typesetting/di"
	"github.com/go-text/typesetting/font"
	"github.com/go-text/typesetting/font/opentype"
	"github.com/go-text/typesetting/language"
	"github.com/go-text/typesetting/shaping"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/math/fixed"
	"golang.org/x/text/unicode/bidi"
)

// A name prints in its own script. Text that the face of the house has all letters of is written with it. Any other is
// shaped (ligatures, marks, the order of scripts that run from the right) with the faces of Noto Sans, and drawn as
// outlines, so that nothing depends on the fonts of whoever prints. What no face has, such as an emoji, is left out.

//go:embed fonts
var fonts embed.FS

// A face is parsed when it is first needed.
type face struct {
	file string
	read func() *font.Face
}

func faceOf(file string) *face {
	return &face{file, sync.OnceValue(func() *font.Face {
		content, err := fonts.ReadFile("fonts/" + file + ".ttf")
		if err != nil {
			return nil // built without it
		}
		parsed, err := font.ParseTTF(bytes.NewReader(content))
		if err != nil {
			return nil
		}
		return parsed
	})}
}

// The faces, in the order in which a letter is looked for.
var (
	regular = faceOf("NotoSans_400Regular")
	bold    = faceOf("NotoSans_700Bold")
	scripts = []*face{faceOf("NotoSansHebrew_400Regular"), faceOf("NotoSansArabic_400Regular"),
		faceOf("NotoSansDevanagari_400Regular"), faceOf("NotoSansThai_400Regular"), faceOf("NotoSansJP_400Regular"),
		faceOf("NotoSansSC_400Regular"), faceOf("NotoSansKR_400Regular")}
)

// house is the face in which everything else is printed.
var house = sync.OnceValue(func() *font.Face {
	parsed, err := font.ParseTTF(bytes.NewReader(goregular.TTF))
	if err != nil {
		panic(err) // it is part of the program
	}
	return parsed
})

// inHouse reports whether the face of the house has all letters of a text, left to right.
func inHouse(text string) bool {
	for _, r := range text {
		if r < 0x7f {
			continue
		}
		if _, has := house().NominalGlyph(r); !has || r > 0xffff {
			return false
		}
	}
	return true
}

// shaping is not safe for use by several at once, and cheap beside reading a face.
var shaper struct {
	sync.Mutex
	shaping.HarfbuzzShaper
	shaping.Segmenter
	shaping.LineWrapper
}

// chain finds the face of a letter.
type chain []*font.Face

// ResolveFace returns the first face that has a letter.
func (c chain) ResolveFace(r rune) *font.Face {
	for _, f := range c {
		if _, has := f.NominalGlyph(r); has {
			return f
		}
	}
	return c[0]
}

// faces are those of a style, as far as a text needs them.
func faces(style string, text []rune) (all chain) {
	order := append([]*face{regular}, scripts...)
	if style == "B" {
		order[0] = bold
	}
	left := slices.Clone(text)
	for _, one := range order {
		if len(left) == 0 && len(all) > 0 {
			break
		}
		f := one.read()
		if f == nil {
			continue
		}
		before := len(left)
		left = slices.DeleteFunc(left, func(r rune) bool { _, has := f.NominalGlyph(r); return has })
		if len(left) < before || len(all) == 0 {
			all = append(all, f)
		}
	}
	return all
}

// joins are characters that shape their neighbours and have no glyph themselves: joiners, marks of direction, selectors
// of a variation.
func joins(r rune) bool {
	return r == 0x200c || r == 0x200d || r >= 0x200e && r <= 0x200f || r >= 0x2066 && r <= 0x2069
}

// drawn is a glyph at its place, in parts of the size of the text: 1 is as wide as the text is large.
type drawn struct {
	face *font.Face
	id   font.GID
	x, y float64
}

// shaped is a text as glyphs, and how wide it is in parts of its size.
type shaped struct {
	glyphs []drawn
	wide   float64
}

const unit = 1000 // the size at which text is shaped

// shape turns a text into glyphs in the order in which they stand on paper.
func shape(style, text string) shaped {
	runes := []rune(strings.Join(strings.Fields(text), " "))
	all := faces(style, runes)
	if len(all) == 0 {
		return shaped{}
	}
	runes = slices.DeleteFunc(runes, func(r rune) bool {
		if joins(r) {
			return false
		}
		_, has := all.ResolveFace(r).NominalGlyph(r)
		return !has
	})
	runes = []rune(strings.Join(strings.Fields(string(runes)), " ")) // of what was left out the blanks stay
	if len(runes) == 0 {
		return shaped{}
	}
	shaper.Lock()
	defer shaper.Unlock()
	direction := di.DirectionLTR
	if fromTheRight(runes) {
		direction = di.DirectionRTL
	}
	runs := shaper.Split(shaping.Input{Text: runes, RunEnd: len(runes), Direction: direction, Face: all[0],
		Size: fixed.I(unit), Language: language.NewLanguage("und")}, all)
	outputs := make([]shaping.Output, len(runs))
	for i, run := range runs {
		outputs[i] = shaper.Shape(run)
	}
	lines, _ := shaper.WrapParagraph(shaping.WrapConfig{Direction: direction}, 1<<24, runes,
		shaping.NewSliceIterator(outputs))
	var out shaped
	for _, line := range lines {
		slices.SortFunc(line, func(a, b shaping.Output) int { return int(a.VisualIndex) - int(b.VisualIndex) })
		for _, run := range line {
			for _, g := range run.Glyphs {
				out.glyphs = append(out.glyphs, drawn{run.Face, g.GlyphID, out.wide + part(g.XOffset), part(g.YOffset)})
				out.wide += part(g.Advance)
			}
		}
	}
	return out
}

func part(of fixed.Int26_6) float64 { return float64(of) / 64 / unit }

// fromTheRight reports whether a text runs from the right: by its first letter that has a direction.
func fromTheRight(text []rune) bool {
	for _, r := range text {
		properties, _ := bidi.LookupRune(r)
		switch properties.Class() {
		case bidi.L:
			return false
		case bidi.R, bidi.AL:
			return true
		}
	}
	return false
}

const pointsPerMillimetre = 72 / 25.4

// wide is how wide a text is at a size in points, in millimetres.
func (s sheet) wide(style string, size float64, text string) float64 {
	if !inHouse(text) {
		return shape(style, text).wide * size / pointsPerMillimetre
	}
	s.SetFont("go", style, size)
	return s.GetStringWidth(text)
}

// write writes a text on a line whose middle is at y, in the colour of text.
func (s sheet) write(style string, size, x, y, wide, high float64, text string) {
	if inHouse(text) {
		s.SetFont("go", style, size)
		s.SetXY(x, y)
		s.CellFormat(wide, high, text, "", 0, "LM", false, 0, "")
		return
	}
	r, g, b := s.GetTextColor()
	fr, fg, fb := s.GetFillColor()
	s.SetFillColor(r, g, b)
	defer s.SetFillColor(fr, fg, fb)
	em := size / pointsPerMillimetre
	base := y + high/2 + 0.36*em
	x += s.GetCellMargin() // as the house's face has it
	for _, glyph := range shape(style, text).glyphs {
		s.outline(glyph, x+glyph.x*em, base-glyph.y*em, em, style == "B" && glyph.face != bold.read())
	}
}

// outline fills the outline of a glyph, whose origin is at x and y. One that is to be heavier is drawn around as well.
func (s sheet) outline(glyph drawn, x, y, em float64, heavier bool) {
	data, is := glyph.face.GlyphData(glyph.id).(font.GlyphOutline)
	if !is || len(data.Segments) == 0 {
		return
	}
	scale := em / float64(glyph.face.Upem())
	at := func(p font.SegmentPoint) (float64, float64) { return x + float64(p.X)*scale, y - float64(p.Y)*scale }
	open := false
	for _, segment := range data.Segments {
		x0, y0 := at(segment.Args[0])
		x1, y1 := at(segment.Args[1])
		x2, y2 := at(segment.Args[2])
		switch segment.Op {
		case opentype.SegmentOpMoveTo:
			if open {
				s.ClosePath()
			}
			s.MoveTo(x0, y0)
			open = true
		case opentype.SegmentOpLineTo:
			s.LineTo(x0, y0)
		case opentype.SegmentOpQuadTo:
			s.CurveTo(x0, y0, x1, y1)
		case opentype.SegmentOpCubeTo:
			s.CurveBezierCubicTo(x0, y0, x1, y1, x2, y2)
		}
	}
	s.ClosePath()
	if !heavier {
		s.DrawPath("F")
		return
	}
	line := s.GetLineWidth()
	r, g, b := s.GetDrawColor()
	s.SetLineWidth(0.03 * em)
	s.SetDrawColor(s.GetFillColor())
	s.DrawPath("FD")
	s.SetLineWidth(line)
	s.SetDrawColor(r, g, b)
}
