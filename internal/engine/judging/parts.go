package judging

import (
	"bytes"
	"encoding/json"
	"sync"

	"github.com/go-json-experiment/json/jsontext"
)

// scanner reads one text after the other. Making one costs more than what an element takes to read.
type scanner struct {
	jsontext.Decoder
	text bytes.Buffer
}

var scanners = sync.Pool{New: func() any { return new(scanner) }}

// scan hands over the members of an object, or the elements of a list without a name, as they stand in the
// text from a place on, until each says that it has had enough. It is for texts that PostgreSQL has stored as jsonb.
func scan(text json.RawMessage, each func(name []byte, value json.RawMessage, at int) (more bool)) error {
	s := scanners.Get().(*scanner)
	defer scanners.Put(s)
	s.text = *bytes.NewBuffer(text)
	s.Reset(&s.text, jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true))
	begin, err := s.ReadToken()
	if err != nil {
		return err
	}
	object := begin.Kind() == '{'
	for s.PeekKind() != '}' && s.PeekKind() != ']' {
		var name []byte
		if object {
			quoted, err := s.ReadValue()
			if err != nil {
				return err
			}
			at := int(s.InputOffset())
			name = text[at-len(quoted) : at]
		}
		value, err := s.ReadValue()
		if err != nil {
			return err
		}
		at := int(s.InputOffset()) - len(value)
		if !each(name, text[at:at+len(value)], at) {
			return nil
		}
	}
	return nil
}

// member is a member of an object by its name in quotes, nil if there is none.
func member(object json.RawMessage, quoted string) (found json.RawMessage, err error) {
	err = scan(object, func(name []byte, value json.RawMessage, _ int) bool {
		if string(name) == quoted {
			found = value
		}
		return found == nil
	})
	return found, err
}

// listed is a list of elements.
func listed(elements []item) json.RawMessage {
	size := 2
	for _, e := range elements {
		size += len(e.shown) + 1
	}
	out := append(make(json.RawMessage, 0, size), '[')
	for i, e := range elements {
		if i > 0 {
			out = append(out, ',')
		}
		out = append(out, e.shown...)
	}
	return append(out, ']')
}
