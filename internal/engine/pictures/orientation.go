package pictures

import (
	"bytes"
	"encoding/binary"
	"image"

	"golang.org/x/image/draw"
)

// orientation is how a JPEG wants to be turned, 1 to 8, of which 1 is not at all (Exif 3.0,
// section 4.6.5: tag 0x0112 of the first directory in APP1; TIFF 6.0). What cannot be read
// says nothing.
func orientation(data []byte) int {
	for at := 2; at+4 <= len(data) && data[at] == 0xFF; {
		marker, size := data[at+1], int(binary.BigEndian.Uint16(data[at+2:]))
		if marker == 0xDA || size < 2 || at+2+size > len(data) { // the picture itself, or nonsense
			return 1
		}
		if segment := data[at+4 : at+2+size]; marker == 0xE1 && bytes.HasPrefix(segment, []byte("Exif\x00\x00")) {
			return orientationIn(segment[6:])
		}
		at += 2 + size
	}
	return 1
}

// orientationIn looks for the tag in a TIFF structure.
func orientationIn(tiff []byte) int {
	if len(tiff) < 8 {
		return 1
	}
	var order binary.ByteOrder = binary.BigEndian
	if tiff[0] == 'I' {
		order = binary.LittleEndian
	}
	at := int64(order.Uint32(tiff[4:]))
	if at+2 > int64(len(tiff)) {
		return 1
	}
	entries := int64(order.Uint16(tiff[at:]))
	for i := range entries {
		entry := at + 2 + 12*i
		if entry+12 > int64(len(tiff)) {
			return 1
		}
		if order.Uint16(tiff[entry:]) != 0x0112 {
			continue
		}
		if turn := int(order.Uint16(tiff[entry+8:])); turn >= 1 && turn <= 8 {
			return turn
		}
		return 1
	}
	return 1
}

// upright turns a picture as its orientation says.
func upright(img image.Image, turn int) image.Image {
	if turn <= 1 {
		return img
	}
	from := rgba(img)
	w, h := from.Bounds().Dx(), from.Bounds().Dy()
	size := image.Rect(0, 0, w, h)
	if turn >= 5 {
		size = image.Rect(0, 0, h, w)
	}
	to := image.NewRGBA(size)
	for y := range h {
		for x := range w {
			tx, ty := turned(turn, x, y, w, h)
			copy(to.Pix[to.PixOffset(tx, ty):][:4], from.Pix[from.PixOffset(x, y):][:4])
		}
	}
	return to
}

// turned is where a pixel comes.
func turned(turn, x, y, w, h int) (int, int) {
	switch turn {
	case 1:
		return x, y
	case 2:
		return w - 1 - x, y
	case 3:
		return w - 1 - x, h - 1 - y
	case 4:
		return x, h - 1 - y
	case 5:
		return y, x
	case 6:
		return h - 1 - y, x
	case 7:
		return h - 1 - y, w - 1 - x
	}
	return y, w - 1 - x
}

// rgba is a picture with its pixels in one piece, from zero on.
func rgba(img image.Image) *image.RGBA {
	if is, ok := img.(*image.RGBA); ok && is.Rect.Min == (image.Point{}) {
		return is
	}
	out := image.NewRGBA(image.Rect(0, 0, img.Bounds().Dx(), img.Bounds().Dy()))
	draw.Draw(out, out.Bounds(), img, img.Bounds().Min, draw.Src)
	return out
}
