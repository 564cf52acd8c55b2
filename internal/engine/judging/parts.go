package judging

import (
	"encoding/json"

	"yalvo/internal/engine/running"
)

// member is a member of an object by its name in quotes, nil if there is none.
func member(object json.RawMessage, quoted string) (found json.RawMessage, err error) {
	err = running.Members(object, func(name []byte, value json.RawMessage, _ int) bool {
		if string(name) == quoted {
			found = value
		}
		return found == nil
	})
	return found, err
}

// listed is a list of elements, laid out as it would be stored: see [running.Stored].
func listed(elements []item) json.RawMessage {
	size := 2
	for _, e := range elements {
		size += len(e.shown) + 2
	}
	out := append(make(json.RawMessage, 0, size), '[')
	for i, e := range elements {
		if i > 0 {
			out = append(out, ", "...)
		}
		out = append(out, e.shown...)
	}
	return append(out, ']')
}
