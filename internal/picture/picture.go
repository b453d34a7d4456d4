// Package picture takes in files that people send: photos of faces, which come out small and with nothing in them but
// the picture, and scans of papers, which stay as they are.
//
// Whatever is sent is bounded before it is decoded. Nothing here keeps a state.
package picture

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	_ "image/png" // decoded by image.Decode
	"net/http"

	"golang.org/x/image/draw"
)

// Bounds on what is taken, and the size of a photo as it is kept, in pixels.
const (
	MostBytes   = 3 << 20
	Wide, High  = 360, 480
	photoDetail = 85 // of a JPEG, out of 100
)

// The media types that are taken.
const (
	JPEG = "image/jpeg"
	PNG  = "image/png"
	PDF  = "application/pdf"
)

var errNoPicture = errors.New("send a picture as JPEG or PNG")

// Photo reads a JPEG or a PNG and returns a JPEG of 360 by 480 pixels: the middle of the picture, without whatever else
// the file said, such as where it was taken.
func Photo(content []byte) ([]byte, error) {
	if len(content) > MostBytes {
		return nil, fmt.Errorf("a photo has at most %d MiB", MostBytes>>20)
	}
	if _, err := Weight(content); err != nil {
		return nil, err
	}
	size, _, err := image.DecodeConfig(bytes.NewReader(content))
	switch {
	case err != nil:
		return nil, errNoPicture
	case size.Width < Wide/4 || size.Height < High/4:
		return nil, fmt.Errorf("a photo is at least %d by %d pixels large", Wide/4, High/4)
	}
	from, _, err := image.Decode(bytes.NewReader(content))
	if err != nil {
		return nil, errNoPicture
	}
	to := image.NewRGBA(image.Rect(0, 0, Wide, High))
	draw.Draw(to, to.Bounds(), image.White, image.Point{}, draw.Src)
	draw.CatmullRom.Scale(to, to.Bounds(), from, middle(from.Bounds()), draw.Over, nil)
	var out bytes.Buffer
	err = jpeg.Encode(&out, to, &jpeg.Options{Quality: photoDetail})
	return out.Bytes(), err
}

// middle is the largest part of a picture in the shape of a photo: the middle of its width, the upper part of its
// height, where the face is.
func middle(of image.Rectangle) image.Rectangle {
	if wide := of.Dy() * Wide / High; wide < of.Dx() {
		left := of.Min.X + (of.Dx()-wide)/2
		return image.Rect(left, of.Min.Y, left+wide, of.Max.Y)
	}
	high := of.Dx() * High / Wide
	top := of.Min.Y + (of.Dy()-high)/4
	return image.Rect(of.Min.X, top, of.Max.X, top+high)
}

// Scan returns the media type of a scan: a PDF, a JPEG or a PNG.
func Scan(content []byte) (mediaType string, err error) {
	if len(content) > MostBytes {
		return "", fmt.Errorf("a scan has at most %d MiB", MostBytes>>20)
	}
	switch mediaType := http.DetectContentType(content); mediaType {
	case PDF, JPEG, PNG:
		return mediaType, nil
	}
	return "", errors.New("send a scan as PDF, JPEG or PNG")
}
