package pictures

import (
	"bufio"
	"errors"
	"fmt"
	"image/jpeg"
	"image/png"
	"io"
	"net/http"
)

// Measure tells of what type a version is that was kept, and how large. It reads no more than
// the beginning; the error is one that [IsRefusal] knows if it is none that would have been kept.
func Measure(r io.Reader) (kind string, width, height int, err error) {
	begin := bufio.NewReader(r)
	head, err := begin.Peek(512) // what tells types apart
	if err != nil && !errors.Is(err, io.EOF) {
		return "", 0, 0, fmt.Errorf("a version of a picture cannot be read: %w", err)
	}
	config := png.DecodeConfig
	switch kind = http.DetectContentType(head); kind {
	case "image/png":
	case "image/jpeg":
		config = jpeg.DecodeConfig
	default:
		return "", 0, 0, refuse("a version of a picture is JPEG or PNG, this is %s", kind)
	}
	is, err := config(begin)
	if err != nil {
		return "", 0, 0, refuse("a version of a picture is broken: %s cannot be read", kind)
	}
	return kind, is.Width, is.Height, nil
}
