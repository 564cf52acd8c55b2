package bring

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"
)

// object is an object of an export, with its name where it lay in an object of objects.
type object struct {
	name    string
	members map[string]any
}

// MaxFile is how many bytes a file of an export may have.
const MaxFile = 1 << 30

// readObjects reads a file: a list of objects, an object of objects by their ids, or
// an object a line.
func readObjects(name string, in io.Reader) ([]object, error) {
	text, err := io.ReadAll(io.LimitReader(in, MaxFile+1))
	switch {
	case err != nil:
		return nil, fmt.Errorf("%s cannot be read: %w", name, err)
	case len(text) > MaxFile:
		return nil, fmt.Errorf("%s has more than %d bytes: split it into files of an object a line", name, MaxFile)
	}
	text = bytes.TrimPrefix(text, []byte("\uFEFF"))
	if at := notUTF8(text); at >= 0 {
		return nil, fmt.Errorf("%s is not UTF-8 at byte %d", name, at)
	}
	values, err := allValues(text)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	objects, err := objectsOf(values)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return objects, nil
}

func notUTF8(text []byte) int {
	for at := 0; at < len(text); {
		r, n := utf8.DecodeRune(text[at:])
		if r == utf8.RuneError && n == 1 {
			return at
		}
		at += n
	}
	return -1
}

// allValues are the JSON values of a text, one after the other.
func allValues(text []byte) ([]any, error) {
	dec := json.NewDecoder(bufio.NewReader(bytes.NewReader(text)))
	dec.UseNumber()
	var values []any
	for {
		var v any
		err := dec.Decode(&v)
		switch {
		case errors.Is(err, io.EOF):
			return values, nil
		case errors.Is(err, io.ErrUnexpectedEOF):
			return nil, errors.New("it ends in the middle of a value: it was cut off")
		case err != nil:
			return nil, fmt.Errorf("it is no JSON from byte %d on: %w", dec.InputOffset(), err)
		}
		values = append(values, v)
	}
}

func objectsOf(values []any) ([]object, error) {
	if len(values) == 0 {
		return nil, errors.New("it is empty")
	}
	if len(values) == 1 {
		switch v := values[0].(type) {
		case []any:
			values = v
		case map[string]any:
			if named := byName(v); named != nil {
				return named, nil
			}
		}
	}
	objects := make([]object, len(values))
	for i, v := range values {
		members, is := v.(map[string]any)
		if !is {
			return nil, fmt.Errorf("item %d is no object", i+1)
		}
		objects[i] = object{"", members}
	}
	return objects, nil
}

// byName are the objects of an object of objects, nil if it is none.
func byName(all map[string]any) []object {
	objects := make([]object, 0, len(all))
	for _, name := range sorted(all) {
		members, is := all[name].(map[string]any)
		if !is {
			return nil
		}
		objects = append(objects, object{name, members})
	}
	return objects
}

// at is the value at a path, false if there is none.
func at(v any, path string) (any, bool) {
	for _, name := range strings.Split(path, ".") {
		members, is := v.(map[string]any)
		if !is {
			return nil, false
		}
		if v, is = members[name]; !is {
			return nil, false
		}
	}
	return v, v != nil
}
