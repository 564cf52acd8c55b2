package running

import (
	"bytes"
	"encoding/json"
	"sync"

	"github.com/go-json-experiment/json/jsontext"

	"yalvo/internal/design/plan"
)

// scanner reads one text after the other. Making one costs more than what an element takes to read.
type scanner struct {
	jsontext.Decoder
	text bytes.Buffer
}

var scanners = sync.Pool{New: func() any { return new(scanner) }}

// Members hands over the members of an object, or the elements of a list without a name, as they stand in the
// text from a place on, until each says that it has had enough. Names stand in their quotes. It is for texts that
// PostgreSQL has stored as jsonb: these are UTF-8 and name nothing twice, so that is not looked at again.
func Members(text json.RawMessage, each func(name []byte, value json.RawMessage, at int) (more bool)) error {
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

// WithoutSpare are kept values of a collection without what is stored of them besides what they show: see [plan.Spare].
func WithoutSpare(c *plan.Collection, kept json.RawMessage) json.RawMessage {
	if len(c.Spared) == 0 {
		return kept
	}
	var out json.RawMessage // nil: there is nothing besides
	done := 0               // so much of it is in out
	wrong := Members(kept, func(name []byte, value json.RawMessage, at int) bool {
		for _, s := range c.Spared {
			if string(name[1:len(name)-1]) != s.Name {
				continue
			}
			if shown := First(value, s.HowMany); len(shown) < len(value) {
				out = append(append(out, kept[done:at]...), shown...)
				done = at + len(value)
			}
		}
		return true
	})
	if wrong != nil || out == nil { // what is no object has no spare
		return kept
	}
	return append(out, kept[done:]...)
}

// First are the first elements of a list, all if there are no more.
func First(list json.RawMessage, many int) json.RawMessage {
	end, n := 1, 0
	wrong := Members(list, func(_ []byte, value json.RawMessage, at int) bool {
		if n++; n <= many {
			end = at + len(value)
		}
		return n <= many
	})
	if wrong != nil || n <= many {
		return list
	}
	return append(list[:end:end], ']')
}
