package reading

import (
	"bytes"
	"sync"

	"github.com/go-json-experiment/json/jsontext"
)

// decoder reads one text after the other.
type decoder struct {
	jsontext.Decoder
	text bytes.Buffer
}

// decoders are kept for the next reader: making one costs more than what a
// timeline's entry takes to read.
var decoders = sync.Pool{New: func() any { return new(decoder) }}

// sift appends a JSON object of those members of another that are wanted, as
// they stand. Names are given in their quotes. It is for objects that
// PostgreSQL has stored as jsonb: these are UTF-8 and name nothing twice, so
// that is not looked at again.
func sift(into, object []byte, wanted func(name, value jsontext.Value) bool) ([]byte, error) {
	dec := decoders.Get().(*decoder)
	defer decoders.Put(dec)
	dec.text = *bytes.NewBuffer(object)
	dec.Reset(&dec.text, jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true))
	if _, err := dec.ReadToken(); err != nil {
		return into, err
	}
	begin := byte('{')
	for dec.PeekKind() != '}' {
		name, err := dec.ReadValue()
		if err != nil {
			return into, err
		}
		// the decoder's own is gone with the next read
		name = object[int(dec.InputOffset())-len(name) : dec.InputOffset()]
		value, err := dec.ReadValue()
		if err != nil {
			return into, err
		}
		if !wanted(name, value) {
			continue
		}
		into = append(append(append(append(into, begin), name...), ':'), value...)
		begin = ','
	}
	if begin == '{' {
		into = append(into, begin)
	}
	return append(into, '}'), nil
}

// names tells whether a quoted name is one that needs no escapes, as those of a design.
func names(quoted jsontext.Value, name string) bool {
	return len(quoted) == len(name)+2 && string(quoted[1:len(quoted)-1]) == name
}
