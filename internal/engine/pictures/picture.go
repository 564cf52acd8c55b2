package pictures

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"image"
	"image/gif"
	"image/jpeg"
	"image/png"
	"net/http"

	"golang.org/x/image/draw"
	"golang.org/x/image/webp"
)

// What a picture may have.
const (
	MostBytes  = 12 << 20
	MostPixels = 25_000_000
	mostSide   = 16_384
)

// Sizes that are served.
const (
	Full      = "full"
	Medium    = "medium"    // 750 pixels wide at most
	Thumbnail = "thumbnail" // 160 by 160, cut from the middle
)

// Sizes are all of them, the largest first.
var Sizes = []string{Full, Medium, Thumbnail}

const (
	mediumWidth   = 750
	thumbnailSide = 160
	quality       = 85
)

// Picture is what is kept of a picture.
type Picture struct {
	ID            string // SHA-256 of what was uploaded, in hexadecimal digits
	Width, Height int
	Versions      map[string]Version // by size
}

// Version is a picture in one size.
type Version struct {
	Type string // image/jpeg or image/png
	Data []byte
}

// Refusal says why something is not taken for a picture, to whoever has sent it.
type Refusal struct{ text string }

// Error is the reason.
func (r Refusal) Error() string { return r.text }

func refuse(text string, args ...any) error { return Refusal{fmt.Sprintf(text, args...)} }

// The types of pictures that are taken, by what their first bytes say.
var types = map[string]struct {
	config func(*bytes.Reader) (image.Config, error)
	decode func(*bytes.Reader) (image.Image, error)
}{
	"image/jpeg": {func(r *bytes.Reader) (image.Config, error) { return jpeg.DecodeConfig(r) },
		func(r *bytes.Reader) (image.Image, error) { return jpeg.Decode(r) }},
	"image/png": {func(r *bytes.Reader) (image.Config, error) { return png.DecodeConfig(r) },
		func(r *bytes.Reader) (image.Image, error) { return png.Decode(r) }},
	"image/gif": {func(r *bytes.Reader) (image.Config, error) { return gif.DecodeConfig(r) },
		func(r *bytes.Reader) (image.Image, error) { return gif.Decode(r) }}, // its first frame
	"image/webp": {func(r *bytes.Reader) (image.Config, error) { return webp.DecodeConfig(r) },
		func(r *bytes.Reader) (image.Image, error) { return webp.Decode(r) }},
}

// Upload is a picture as it was sent, recognised and measured, and not decoded yet.
type Upload struct {
	ID            string
	Type          string
	Width, Height int // as they are stored, before the picture is turned upright
	data          []byte
}

// Recognise tells what somebody has sent, whatever they call it, and what it would take. A
// type that they have given must be the right one.
func Recognise(data []byte, called string) (*Upload, error) {
	if len(data) > MostBytes {
		return nil, refuse("the picture has %d bytes, %d are allowed", len(data), MostBytes)
	}
	is := http.DetectContentType(data)
	known, taken := types[is]
	if !taken {
		return nil, refuse("this is no picture: JPEG, PNG, GIF and WebP are taken")
	}
	if called != "" && called != is && called != "application/octet-stream" {
		return nil, refuse("it is called %s and is %s", called, is)
	}
	config, err := known.config(bytes.NewReader(data))
	if err != nil {
		return nil, refuse("the picture is broken: %s cannot be read", is)
	}
	w, h := config.Width, config.Height
	if w < 1 || h < 1 || w > mostSide || h > mostSide || w*h > MostPixels {
		return nil, refuse("the picture has %d by %d pixels: %d on a side are allowed, and %d in all", w, h, mostSide,
			MostPixels)
	}
	sum := sha256.Sum256(data)
	return &Upload{ID: hex.EncodeToString(sum[:]), Type: is, Width: w, Height: h, data: data}, nil
}

// Pixels is how many there are to decode, which says how much memory that takes.
func (u *Upload) Pixels() int64 { return int64(u.Width) * int64(u.Height) }

// Make decodes a picture and makes its versions.
func (u *Upload) Make() (*Picture, error) {
	img, err := types[u.Type].decode(bytes.NewReader(u.data))
	if err != nil {
		return nil, refuse("the picture is broken: %s cannot be decoded", u.Type)
	}
	if b := img.Bounds(); b.Dx() != u.Width || b.Dy() != u.Height {
		return nil, refuse("the picture is broken: it is not as large as it says")
	}
	if u.Type == "image/jpeg" {
		img = upright(img, orientation(u.data))
	}
	p := &Picture{ID: u.ID, Width: img.Bounds().Dx(), Height: img.Bounds().Dy(), Versions: map[string]Version{}}
	lossless := u.Type == "image/png" || u.Type == "image/gif"
	medium := scaled(img)
	for size, version := range map[string]struct {
		img      image.Image
		lossless bool
	}{Full: {img, lossless}, Medium: {medium, false}, Thumbnail: {cut(medium), false}} {
		if p.Versions[size], err = encode(version.img, version.lossless); err != nil {
			return nil, err
		}
	}
	return p, nil
}

// scaled is a picture that is 750 pixels wide at most.
func scaled(img image.Image) image.Image {
	b := img.Bounds()
	if b.Dx() <= mediumWidth {
		return img
	}
	h := max(1, b.Dy()*mediumWidth/b.Dx())
	out := image.NewRGBA(image.Rect(0, 0, mediumWidth, h))
	draw.CatmullRom.Scale(out, out.Bounds(), img, b, draw.Src, nil)
	return out
}

// cut is the middle of a picture, small.
func cut(img image.Image) image.Image {
	b := img.Bounds()
	side := min(b.Dx(), b.Dy())
	from := image.Rect(0, 0, side, side).Add(b.Min).Add(image.Pt((b.Dx()-side)/2, (b.Dy()-side)/2))
	out := image.NewRGBA(image.Rect(0, 0, min(side, thumbnailSide), min(side, thumbnailSide)))
	draw.CatmullRom.Scale(out, out.Bounds(), img, from, draw.Src, nil)
	return out
}

// encode writes a picture, as PNG if it must not lose anything or is not all opaque.
func encode(img image.Image, lossless bool) (Version, error) {
	var out bytes.Buffer
	opaque, tells := img.(interface{ Opaque() bool })
	if lossless || tells && !opaque.Opaque() {
		err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&out, img)
		return Version{"image/png", out.Bytes()}, err
	}
	err := jpeg.Encode(&out, img, &jpeg.Options{Quality: quality})
	return Version{"image/jpeg", out.Bytes()}, err
}

// IsRefusal tells whether an error says what is wrong with what was sent.
func IsRefusal(err error) bool {
	var r Refusal
	return errors.As(err, &r)
}
