package pictures

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"math"
	"strings"
	"testing"

	"yalvo/tests/bounds"
)

// corners is a picture whose corners are told apart: red, green, blue and white, from the top
// left on, clockwise.
func corners(w, h int) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			c := color.RGBA{255, 0, 0, 255}
			switch {
			case x >= w/2 && y < h/2:
				c = color.RGBA{0, 255, 0, 255}
			case x >= w/2:
				c = color.RGBA{0, 0, 255, 255}
			case y >= h/2:
				c = color.RGBA{255, 255, 255, 255}
			}
			img.SetRGBA(x, y, c)
		}
	}
	return img
}

// seen are the corners of a picture, by their first letters.
func seen(t *testing.T, v Version) string {
	t.Helper()
	img, _, err := image.Decode(bytes.NewReader(v.Data))
	if err != nil {
		t.Fatal(err)
	}
	b := img.Bounds()
	names := ""
	for _, at := range []image.Point{{b.Dx() / 8, b.Dy() / 8}, {b.Dx() * 7 / 8, b.Dy() / 8},
		{b.Dx() * 7 / 8, b.Dy() * 7 / 8}, {b.Dx() / 8, b.Dy() * 7 / 8}} {
		r, g, bl, _ := img.At(at.X, at.Y).RGBA()
		best, far := "", math.MaxFloat64
		for name, c := range map[string][3]float64{"R": {1, 0, 0}, "G": {0, 1, 0}, "B": {0, 0, 1}, "W": {1, 1, 1}} {
			d := 0.0
			for i, v := range []uint32{r, g, bl} {
				d += math.Pow(float64(v)/0xFFFF-c[i], 2)
			}
			if d < far {
				best, far = name, d
			}
		}
		names += best
	}
	return names
}

func jpegOf(t testing.TB, img image.Image) []byte {
	t.Helper()
	var out bytes.Buffer
	if err := jpeg.Encode(&out, img, &jpeg.Options{Quality: 95}); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// turnedBy is a JPEG whose Exif says how it is to be turned, and where it was taken.
func turnedBy(t testing.TB, img image.Image, turn int, order binary.AppendByteOrder) []byte {
	t.Helper()
	tiff := []byte("MM\x00*")
	if order == binary.LittleEndian {
		tiff = []byte("II*\x00")
	}
	tiff = order.AppendUint32(tiff, 8)
	tiff = order.AppendUint16(tiff, 2)
	for _, entry := range [][2]uint16{{0x010F, 1}, {0x0112, uint16(turn)}} {
		tiff = order.AppendUint32(order.AppendUint16(order.AppendUint16(tiff, entry[0]), 3), 1)
		tiff = order.AppendUint16(order.AppendUint16(tiff, entry[1]), 0)
	}
	tiff = append(tiff, "\x00\x00\x00\x00taken at the secret hide"...)
	plain := jpegOf(t, img)
	segment := append([]byte("Exif\x00\x00"), tiff...)
	out := append([]byte{0xFF, 0xD8, 0xFF, 0xE1}, binary.BigEndian.AppendUint16(nil, uint16(len(segment)+2))...)
	return append(append(out, segment...), plain[2:]...)
}

func made(t *testing.T, data []byte) *Picture {
	t.Helper()
	u, err := Recognise(data, "")
	if err != nil {
		t.Fatal(err)
	}
	p, err := u.Make()
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func TestAPictureStandsUprightInAllSizes(t *testing.T) {
	// What a camera held so has stored: each is RGBW when it is turned.
	for turn, stored := range map[int]string{1: "RGBW", 2: "GRWB", 3: "BWRG", 4: "WBGR", 5: "RWBG", 6: "GBWR",
		7: "BGRW", 8: "WRGB"} {
		for _, order := range []binary.AppendByteOrder{binary.BigEndian, binary.LittleEndian} {
			w, h := 250, 150
			if turn >= 5 {
				w, h = h, w
			}
			img := image.NewRGBA(image.Rect(0, 0, w, h))
			upright := corners(250, 150)
			for y := range h {
				for x := range w {
					tx, ty := turned(turn, x, y, w, h)
					img.Set(x, y, upright.At(tx, ty))
				}
			}
			data := turnedBy(t, img, turn, order)
			if got := seen(t, Version{"", data}); got != stored {
				t.Fatalf("as it is stored, turned by %d: %s, want %s", turn, got, stored)
			}
			p := made(t, data)
			if p.Width != 250 || p.Height != 150 {
				t.Errorf("turned by %d it has %d by %d", turn, p.Width, p.Height)
			}
			for size, v := range p.Versions {
				if got := seen(t, v); got != "RGBW" {
					t.Errorf("turned by %d, %s: %s", turn, size, got)
				}
				if bytes.Contains(v.Data, []byte("secret")) || bytes.Contains(v.Data, []byte("Exif")) {
					t.Errorf("%s still says where it was taken", size)
				}
			}
		}
	}
}

func TestAPictureComesInThreeSizes(t *testing.T) {
	p := made(t, jpegOf(t, corners(1500, 900)))
	for size, want := range map[string]image.Point{Full: {1500, 900}, Medium: {750, 450}, Thumbnail: {160, 160}} {
		got, kind, err := image.DecodeConfig(bytes.NewReader(p.Versions[size].Data))
		if err != nil || kind != "jpeg" || (image.Point{got.Width, got.Height}) != want {
			t.Errorf("%s is %s of %v by %v, %v", size, kind, got.Width, got.Height, err)
		}
	}
	small := made(t, jpegOf(t, corners(40, 90)))
	if got, _, err := image.DecodeConfig(bytes.NewReader(small.Versions[Thumbnail].Data)); err != nil ||
		got.Width != 40 ||
		got.Height != 40 {
		t.Errorf("a small one is not enlarged: %v, %v", got, err)
	}
}

func TestAVersionIsMeasuredAsItWasMade(t *testing.T) {
	p := made(t, jpegOf(t, corners(900, 600)))
	for size, want := range map[string]string{Full: "image/jpeg 900 600", Medium: "image/jpeg 750 500",
		Thumbnail: "image/jpeg 160 160"} {
		kind, w, h, err := Measure(bytes.NewReader(p.Versions[size].Data))
		if got := fmt.Sprintf("%s %d %d", kind, w, h); err != nil || got != want {
			t.Errorf("%s: got %s (%v), want %s", size, got, err, want)
		}
	}
	for _, text := range []string{"", "GIF89a\x01\x00\x01\x00", "\xff\xd8\xff\xe0 broken"} {
		if _, _, _, err := Measure(strings.NewReader(text)); !IsRefusal(err) {
			t.Errorf("%q: %v", text, err)
		}
	}
}

func TestWhatCanBeSeenThroughStaysSo(t *testing.T) {
	img := corners(200, 200)
	for y := range 200 {
		img.SetRGBA(100, y, color.RGBA{})
	}
	var text, moving bytes.Buffer
	if err := png.Encode(&text, img); err != nil {
		t.Fatal(err)
	}
	p := made(t, text.Bytes())
	for size, v := range p.Versions {
		if v.Type != "image/png" {
			t.Errorf("%s is %s", size, v.Type)
		}
	}
	frame := image.NewPaletted(image.Rect(0, 0, 20, 20), color.Palette{color.White, color.Black})
	if err := gif.EncodeAll(&moving, &gif.GIF{Image: []*image.Paletted{frame, frame}, Delay: []int{1, 1}}); err != nil {
		t.Fatal(err)
	}
	if p := made(t, moving.Bytes()); p.Versions[Full].Type != "image/png" {
		t.Errorf("a GIF became %s", p.Versions[Full].Type)
	}
}

// bomb is a PNG of few bytes that says it has many pixels.
func bomb(w, h uint32) []byte {
	chunk := func(kind string, data []byte) []byte {
		out := binary.BigEndian.AppendUint32(nil, uint32(len(data)))
		body := append([]byte(kind), data...)
		return binary.BigEndian.AppendUint32(append(out, body...), crc32.ChecksumIEEE(body))
	}
	header := binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, w), h)
	return append(
		[]byte("\x89PNG\r\n\x1a\n"),
		append(chunk("IHDR", append(header, 8, 2, 0, 0, 0)), chunk("IEND", nil)...)...)
}

func TestWhatIsNoPictureIsRefused(t *testing.T) {
	good := jpegOf(t, corners(100, 100))
	for what, c := range map[string]struct {
		data         []byte
		called, says string
	}{
		"nothing":           {nil, "", "no picture"},
		"a page":            {[]byte("<html><script>alert(1)</script>"), "image/png", "no picture"},
		"a drawing":         {[]byte(`<svg xmlns="http://www.w3.org/2000/svg"/>`), "", "no picture"},
		"a lie":             {good, "image/png", "is called image/png and is image/jpeg"},
		"too many pixels":   {bomb(10_000, 10_000), "", "25000000 in all"},
		"too long a side":   {bomb(60_000, 1), "", "16384 on a side"},
		"no pixels":         {bomb(0, 10), "", "broken"},
		"a header alone":    {bomb(10, 10), "", "broken"},
		"cut off":           {good[:len(good)/2], "", "broken"},
		"too many bytes":    {append(bytes.Clone(good), make([]byte, MostBytes)...), "", "bytes"},
		"the first bytes":   {good[:4], "", "broken"},
		"webp with nothing": {[]byte("RIFF\x10\x00\x00\x00WEBPVP8 \x00\x00\x00\x00"), "", "broken"},
	} {
		u, err := Recognise(c.data, c.called)
		if err == nil {
			_, err = u.Make()
		}
		if err == nil || !IsRefusal(err) || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", what, err)
		}
	}
}

// A picture that is a page as well, or an archive, is a picture alone afterwards.
func TestWhatElseIsInAPictureIsGone(t *testing.T) {
	data := append(jpegOf(t, corners(100, 100)), "<script>alert('heron')</script>PK\x03\x04"...)
	p := made(t, data)
	for size, v := range p.Versions {
		if bytes.Contains(v.Data, []byte("script")) || bytes.Contains(v.Data, []byte("PK\x03\x04")) {
			t.Errorf("%s still has it", size)
		}
	}
}

func FuzzPicture(f *testing.F) {
	img := corners(30, 20)
	var text, frames bytes.Buffer
	if err := png.Encode(&text, img); err != nil {
		f.Fatal(err)
	}
	if err := gif.Encode(&frames, img, nil); err != nil {
		f.Fatal(err)
	}
	for _, seed := range [][]byte{jpegOf(f, img), turnedBy(f, img, 6, binary.LittleEndian), text.Bytes(),
		frames.Bytes(),
		bomb(5000, 5000), bomb(math.MaxUint32, 2), []byte("RIFF\x10\x00\x00\x00WEBPVP8L\x00\x00\x00\x00"),
		{0xFF, 0xD8, 0xFF, 0xE1}} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		bounds.Hold(t, func() {
			u, err := Recognise(data, "")
			if err == nil && u.Pixels() < 100_000 { // larger ones take what they may
				_, err = u.Make()
			}
			if err != nil && !IsRefusal(err) {
				t.Errorf("%v is not meant for who has sent it", err)
			}
		})
	})
}
