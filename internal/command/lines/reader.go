package lines

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"io"
)

// Numbered is a line with its number in the file.
type Numbered struct {
	Nth  int
	Text []byte
}

// Next yields lines one by one; io.EOF after the last.
type Next func() (Numbered, error)

// longestLine is how long a line may be that is sent at all.
const longestLine = 1 << 20

// Read reads lines of JSON. Of lines that are too long only the beginning is
// kept; the service tells why they are bad.
func Read(from io.Reader) Next {
	in := bufio.NewReaderSize(from, 1<<20)
	nth := 0
	return func() (Numbered, error) {
		var text []byte
		for {
			part, err := in.ReadSlice('\n')
			if len(text) < longestLine {
				text = append(text, part...)
			}
			if errors.Is(err, bufio.ErrBufferFull) {
				continue
			}
			if err != nil && (len(text) == 0 || !errors.Is(err, io.EOF)) {
				return Numbered{}, err
			}
			nth++
			return Numbered{nth, bytes.ReplaceAll(bytes.TrimRight(text, "\r\n"), []byte("\r"), nil)}, nil
		}
	}
}

// isFrame tells whether a line is the first or the last one of a dump.
func isFrame(text []byte) (frame, end bool) {
	var line struct {
		Yalvo *int
		End   *bool
	}
	if !bytes.HasPrefix(text, []byte(`{"yalvo"`)) && !bytes.HasPrefix(text, []byte(`{"end"`)) ||
		json.Unmarshal(text, &line) != nil {
		return false, false
	}
	return true, line.End != nil
}
