package paper_test

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/oned"
	"github.com/makiuchi-d/gozxing/qrcode"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/paper"
)

var at = time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC)

func badges(count int) []paper.Badge {
	list := make([]paper.Badge, count)
	for i := range list {
		list[i] = paper.Badge{Organisation: "Quillmere Fruit Co-operative", Name: "Žofia Łukasiewicz-Ó Néill",
			StaffNumber: fmt.Sprintf("Q%04d", i), Site: "Harrow Bend Packhouse", Number: fmt.Sprintf("118-%d", 1000+i)}
	}
	return list
}

// drawn is the first page of a PDF as a picture, at so many dots per inch.
func drawn(t *testing.T, pdf []byte, dots int) image.Image {
	t.Helper()
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "page.pdf"), pdf, 0o600))
	out, err := exec.Command("pdftoppm", "-png", "-r", fmt.Sprint(dots), "-f", "1", "-l", "1", "-singlefile",
		filepath.Join(folder, "page.pdf"), filepath.Join(folder, "page")).CombinedOutput()
	require.NoError(t, err, string(out))
	file, err := os.Open(filepath.Join(folder, "page.png"))
	require.NoError(t, err)
	defer func() { _ = file.Close() }()
	page, err := png.Decode(file)
	require.NoError(t, err)
	return page
}

type cropped interface {
	SubImage(r image.Rectangle) image.Image
}

// A decoder reads every code of a sheet back, from a picture of it.
func TestCodesAreReadBackFromThePage(t *testing.T) {
	for code, reader := range map[paper.Code]gozxing.Reader{paper.Code128: oned.NewCode128Reader(),
		paper.QR: qrcode.NewQRCodeReader()} {
		var pdf bytes.Buffer
		require.NoError(t, paper.Badges(&pdf, badges(10), code, at))
		const dots = 200
		page := drawn(t, pdf.Bytes(), dots)
		mm := func(v float64) int { return int(v * dots / 25.4) }
		assert.InDelta(t, mm(210), page.Bounds().Dx(), 2)
		assert.InDelta(t, mm(297), page.Bounds().Dy(), 2)
		for i := range 10 {
			x := (210-2*paper.CardWidth)/2 + float64(i%2)*paper.CardWidth
			y := (297-5*paper.CardHeight)/2 + float64(i/2)*paper.CardHeight
			card := page.(cropped).SubImage(image.Rect(mm(x), mm(y+9.5), mm(x+paper.CardWidth), mm(y+paper.CardHeight)))
			bitmap, err := gozxing.NewBinaryBitmapFromImage(card)
			require.NoError(t, err)
			read, err := reader.Decode(bitmap, map[gozxing.DecodeHintType]any{gozxing.DecodeHintType_TRY_HARDER: true})
			if assert.NoError(t, err, "%s of badge %d", code, i) {
				assert.Equal(t, fmt.Sprintf("118-%d", 1000+i), read.GetText())
			}
		}
	}
}

func TestTenBadgesLieOnASheet(t *testing.T) {
	for count, pages := range map[int]int{1: 1, 10: 1, 11: 2, 100: 10} {
		var pdf bytes.Buffer
		require.NoError(t, paper.Badges(&pdf, badges(count), paper.Code128, at))
		assert.Equal(t, pages, strings.Count(pdf.String(), "/Type /Page\n"), count)
	}
}

// What is folded in lies between the marks: nothing of the PIN is drawn outside the middle third.
func TestThePINLiesInTheMiddleThird(t *testing.T) {
	slip := paper.Slip{Organisation: "Quillmere", Name: "Ana Reyes", StaffNumber: "Q0241", Site: "Harrow Bend",
		PIN: "480216", Until: "30 Nov 2026", MustChange: true}
	text := func(from, until int) string {
		var pdf bytes.Buffer
		require.NoError(t, paper.Slips(&pdf, []paper.Slip{slip}, at))
		path := filepath.Join(t.TempDir(), "slip.pdf")
		require.NoError(t, os.WriteFile(path, pdf.Bytes(), 0o600))
		out, err := exec.Command("pdftotext", "-r", "72", "-x", "0", "-W", "600", "-y", fmt.Sprint(from), "-H",
			fmt.Sprint(until-from), path, "-").Output()
		require.NoError(t, err)
		return string(out)
	}
	assert.NotContains(t, text(0, 280), "480216")
	assert.Contains(t, text(0, 280), "Ana Reyes")
	assert.Contains(t, text(281, 561), "480216")
	assert.Contains(t, text(281, 561), "30 Nov 2026")
	assert.NotContains(t, text(562, 842), "480216")
}

func BenchmarkThousandBadges(b *testing.B) {
	list := badges(1000)
	for b.Loop() {
		if err := paper.Badges(&bytes.Buffer{}, list, paper.Code128, at); err != nil {
			b.Fatal(err)
		}
	}
}

// A list stands on as many pages as it takes, wide ones on several leaves; columns without anything are left out.
func TestAListIsPrintedWhole(t *testing.T) {
	lines := [][]string{{"Number", "Name", "Nothing", "Notes", "More", "Most"}}
	for i := range 100 {
		lines = append(lines, []string{fmt.Sprintf("Q%04d", i), "Žofia Ó Néill", "", strings.Repeat("long ", 40),
			strings.Repeat("w", 90), strings.Repeat("w", 90)})
	}
	text := func(lines [][]string, total int) string {
		var pdf bytes.Buffer
		require.NoError(t, paper.List(&pdf, lines, total, at))
		file := filepath.Join(t.TempDir(), "list.pdf")
		require.NoError(t, os.WriteFile(file, pdf.Bytes(), 0o600))
		out, err := exec.Command("pdftotext", "-layout", file, "-").CombinedOutput()
		require.NoError(t, err, string(out))
		return string(out)
	}
	said := text(lines, 100)
	for i := range 100 {
		assert.Equal(t, 1, strings.Count(said, fmt.Sprintf("Q%04d", i)), i)
	}
	assert.Contains(t, said, "100 rows, printed")
	assert.Contains(t, said, "Page 3 of 3")
	assert.Contains(t, said, "…", "what is cut off says so")
	assert.NotContains(t, said, "Nothing")
	assert.Contains(t, text(lines[:1], 0), "0 rows")
	assert.Contains(t, text(lines, 250), "The first 100 of 250 rows")
	for i := range lines {
		lines[i] = append(lines[i], slices.Repeat([]string{strings.Repeat("x", 100)}, 4)...)
	}
	wide := text(lines, 100)
	assert.Contains(t, wide, "Page 6 of 6")
	assert.Equal(t, 2, strings.Count(wide, "Q0042"), "the first column stands on each leaf")
}

// Names print in their own script, and no name, however long, crosses the line along which badges are cut.
func TestEveryNamePrintsWithinItsBadge(t *testing.T) {
	plain := paper.Badge{Organisation: "Quillmere", Site: "Harrow Bend", StaffNumber: "Q0011", Number: "118-1603"}
	ink := func(name string) (inside, outside int) {
		b := plain
		b.Name = name
		var out bytes.Buffer
		require.NoError(t, paper.Badges(&out, []paper.Badge{b}, paper.Code128, time.Now()), name)
		page := drawn(t, out.Bytes(), 100)
		at := func(mm float64) int { return int(mm * 100 / 25.4) }
		left, top := (210-2*paper.CardWidth)/2, (297-5*paper.CardHeight)/2
		for y := at(top + 12); y < at(top+22); y++ {
			for x := range page.Bounds().Dx() {
				if color.GrayModel.Convert(page.At(x, y)).(color.Gray).Y > 128 {
					continue
				}
				switch {
				case x < at(left+paper.CardWidth) && x > at(left):
					inside++
				default:
					outside++
				}
			}
		}
		return inside, outside
	}
	empty, _ := ink("😀")
	for script, name := range map[string]string{"Latin": "Zoë Łukić", "Vietnamese": "Nguyễn Thị Ánh Tuyết",
		"a character outside the basic plane": "𠮷", "Japanese": "𠮷野 さくら", "Chinese": "王小明", "Korean": "김민준",
		"Arabic": "محمد الأحمد", "Hebrew": "יעל כהן", "Devanagari": "सुनीता शर्मा", "Thai": "สมชาย ใจดี",
		"with an emoji": "Zoë 😀",
		"long":          "Maximiliane-Henriette von Hohenstein-Wartenberg zu Altenstein-Sonnenburg",
		"one word":      strings.Repeat("Donaudampfschiff", 12), "long in another script": strings.Repeat("王小明", 60)} {
		inside, outside := ink(name)
		assert.Greater(t, inside, empty+40, "%s is there", script)
		assert.Zero(t, outside, "%s stays on its badge", script)
	}
	var slips, list bytes.Buffer
	require.NoError(t, paper.Slips(&slips, []paper.Slip{{Name: "𠮷野 😀", PIN: "480216", StaffNumber: "Q1"}}, time.Now()))
	require.NoError(t, paper.List(&list, [][]string{{"name", "note"}, {"𠮷野", "محمد"}, {"Zoë", "😀"}}, 2, time.Now()))
}
