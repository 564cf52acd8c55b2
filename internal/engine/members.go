package engine

import (
	"bytes"
	"encoding/json"
	"sync"

	"github.com/go-json-experiment/json/jsontext"
)

// decoders are kept for the next reader: making one costs more than what a
// timeline's entry takes to read.
var decoders = sync.Pool{New: func() any { return new(jsontext.Decoder) }}

// members visits the members of a JSON object, their values as they stand. It
// is for objects that PostgreSQL has stored as jsonb: these are UTF-8 and name
// nothing twice, so that is not looked at again.
func members(object []byte, visit func(name string, value jsontext.Value) error) error {
	dec := decoders.Get().(*jsontext.Decoder)
	defer decoders.Put(dec)
	dec.Reset(bytes.NewBuffer(object), jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true))
	if _, err := dec.ReadToken(); err != nil {
		return err
	}
	for dec.PeekKind() != '}' {
		token, err := dec.ReadToken()
		if err != nil {
			return err
		}
		name := token.String()
		value, err := dec.ReadValue()
		if err != nil {
			return err
		}
		if err := visit(name, value); err != nil {
			return err
		}
	}
	return nil
}

// object is a JSON object that is put together from members of others.
type object struct{ text []byte }

func (o *object) add(name string, value jsontext.Value, wanted bool) error {
	if !wanted {
		return nil
	}
	sep := byte(',')
	if o.text == nil {
		sep = '{'
	}
	var err error
	o.text, err = jsontext.AppendQuote(append(o.text, sep), name)
	o.text = append(append(o.text, ':'), value...)
	return err
}

func (o *object) whole() json.RawMessage {
	if o.text == nil {
		return json.RawMessage("{}")
	}
	return append(o.text, '}')
}
