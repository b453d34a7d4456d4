package picture

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
)

// mostWeight bounds what one photo unpacks to, in bytes.
const mostWeight = 48 << 20

// Weight returns how many bytes a photo takes while it is decoded, by what its head says. It is an error where that is
// more than is taken, or the content is no picture.
func Weight(content []byte) (int64, error) {
	size, format, err := image.DecodeConfig(bytes.NewReader(content))
	if err != nil || format != "jpeg" && format != "png" || size.Width <= 0 || size.Height <= 0 {
		return 0, errNoPicture
	}
	quarters := int64(4 * 4) // of a byte for each pixel: four bytes
	switch {
	case format == "jpeg":
		quarters = jpegQuarters(content)
	case size.ColorModel == color.NRGBA64Model || size.ColorModel == color.RGBA64Model ||
		size.ColorModel == color.Gray16Model:
		quarters *= 2
	}
	if format == "png" && len(content) > 28 && content[28] != 0 {
		quarters *= 2 // interlaced: each pass is a picture of its own before it is put in
	}
	pixels := int64(size.Width) * int64(size.Height)
	if weight := pixels * quarters / 4; pixels <= 1<<32 && weight <= mostWeight {
		return weight, nil
	}
	return 0, fmt.Errorf("the photo is %d by %d pixels large and unpacks to more than %d MiB; make it smaller, such "+
		"as "+
		"1500 by 2000 pixels", size.Width, size.Height, mostWeight>>20)
}

// jpegQuarters returns how many quarters of a byte a pixel of a JPEG takes: a byte for each component, less where it is
// sampled more coarsely; of a progressive one four bytes more for each, as all of it is gathered before any is drawn
// (ITU-T T.81, B.2.2).
func jpegQuarters(content []byte) int64 {
	const worst = 4 * 4 * 5
	for at := 2; at+4 <= len(content); {
		if content[at] != 0xff {
			return worst
		}
		marker, length := content[at+1], int(binary.BigEndian.Uint16(content[at+2:]))
		switch {
		case marker == 0xff:
			at++
			continue
		case marker < 0xc0 || marker > 0xc2:
			at += 2 + length
			continue
		}
		head := content[at+4:]
		if len(head) < 6 || len(head) < 6+3*int(head[5]) {
			return worst
		}
		areas, largest := 0, 1
		for i := range int(head[5]) {
			sampled := head[6+3*i+1]
			area := max(int(sampled>>4), 1) * max(int(sampled&15), 1)
			areas, largest = areas+area, max(largest, area)
		}
		quarters := int64(4*areas+largest-1) / int64(largest)
		if marker == 0xc2 {
			quarters *= 5
		}
		return quarters
	}
	return worst
}
