package picture

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"io"
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

// A small file is not decoded where its head says that it unpacks to much, whatever format it is of.
func TestAPhotoThatUnpacksToMuchIsRefused(t *testing.T) {
	encode := func(write func(w io.Writer) error) []byte {
		var out bytes.Buffer
		require.NoError(t, write(&out))
		return out.Bytes()
	}
	deep := encode(func(w io.Writer) error { return png.Encode(w, image.NewNRGBA64(image.Rect(0, 0, 4000, 4000))) })
	wide := encode(func(w io.Writer) error { return png.Encode(w, image.NewGray(image.Rect(0, 0, 60_000, 1_000))) })
	plain := encode(func(w io.Writer) error {
		return jpeg.Encode(w, image.NewYCbCr(image.Rect(0, 0, 3000, 4000),
			image.YCbCrSubsampleRatio420), nil)
	})
	progressive := bytes.Clone(plain)
	at := bytes.Index(progressive, []byte{0xff, 0xc0})
	require.Positive(t, at)
	progressive[at+1] = 0xc2
	for name, content := range map[string][]byte{"16 bits": deep, "wide": wide, "progressive": progressive} {
		require.Less(t, len(content), MostBytes, name)
		_, err := Weight(content)
		assert.ErrorContains(t, err, "unpacks to more than", name)
		_, err = Photo(content)
		assert.ErrorContains(t, err, "make it smaller", name)
	}
	weight, err := Weight(plain)
	require.NoError(t, err)
	assert.EqualValues(t, 3000*4000*3/2, weight, "a byte for each of the light, a quarter for each of two colours")
	kept, err := Photo(plain)
	require.NoError(t, err)
	assert.Less(t, len(kept), 100_000)
}

func FuzzWeight(f *testing.F) {
	f.Add([]byte("\xff\xd8\xff\xc2\x00\x0b\x08\x10\x00\x10\x00\x03\x01\x22\x00"))
	f.Fuzz(func(t *testing.T, content []byte) {
		if weight, err := Weight(content); err == nil && (weight <= 0 || weight > mostWeight) {
			t.Fatalf("%d bytes", weight)
		}
	})
}
