package picture

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func drawn(t *testing.T, wide, high int) []byte {
	picture := image.NewRGBA(image.Rect(0, 0, wide, high))
	for x := range wide {
		for y := range high {
			picture.Set(x, y, color.RGBA{R: uint8(255 * x / wide), G: uint8(255 * y / high), A: 255})
		}
	}
	var out bytes.Buffer
	require.NoError(t, png.Encode(&out, picture))
	return out.Bytes()
}

func TestAPhotoComesOutInOneSize(t *testing.T) {
	for _, size := range [][2]int{{360, 480}, {1200, 600}, {400, 1600}, {90, 120}} {
		photo, err := Photo(drawn(t, size[0], size[1]))
		require.NoError(t, err)
		got, format, err := image.DecodeConfig(bytes.NewReader(photo))
		require.NoError(t, err)
		assert.Equal(t, "jpeg", format)
		assert.Equal(t, image.Pt(Wide, High), image.Pt(got.Width, got.Height), "%v", size)
	}
	photo, err := Photo(drawn(t, 1200, 480))
	require.NoError(t, err)
	picture, _, err := image.Decode(bytes.NewReader(photo))
	require.NoError(t, err)
	red, _, _, _ := picture.At(Wide/2, High/2).RGBA()
	assert.InDelta(t, 127, red>>8, 4, "of a wide picture it is the middle")
}

func TestWhatIsNoPictureIsRefused(t *testing.T) {
	whole := drawn(t, 400, 400)
	for what, sent := range map[string][]byte{"nothing": nil, "a text": []byte("hello"), "half of one": whole[:900],
		"a small one": drawn(t, 40, 40), "a large file": make([]byte, MostBytes+1),
		"a PDF": []byte("%PDF-1.7 and so on")} {
		_, err := Photo(sent)
		assert.Error(t, err, what)
	}
}

func TestAScanIsAPaper(t *testing.T) {
	for sent, want := range map[string]string{"%PDF-1.7": PDF, string(drawn(t, 10, 10)): PNG, "<script>": "", "": "",
		"PK\x03\x04": ""} {
		got, err := Scan([]byte(sent))
		assert.Equal(t, want, got)
		assert.Equal(t, want == "", err != nil)
	}
}
