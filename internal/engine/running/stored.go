package running

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json/jsontext"
)

// Stored is a value in JSON as PostgreSQL gives back what it has stored as jsonb: names in the order of their length,
// then of their bytes; a space behind each comma and colon; numbers without exponents. What is put together here and
// what is read as it stands are not to be told apart by their readers: whether something was left out of a text would
// show in how it is laid out. Messages in JSON are taken to have this form.
func Stored(v any) (json.RawMessage, error) { return appendStored(nil, v) }

func appendStored(to []byte, v any) (_ []byte, err error) {
	switch x := v.(type) {
	case nil:
		return append(to, "null"...), nil
	case json.RawMessage:
		return append(to, x...), nil
	case string:
		return jsontext.AppendQuote(to, x)
	case bool:
		return fmt.Append(to, x), nil
	case json.Number:
		return appendNumber(to, x.String())
	case map[string]json.RawMessage:
		return appendMembers(to, x)
	case map[string]any:
		return appendMembers(to, x)
	case []json.RawMessage:
		return appendElements(to, x)
	case []any:
		return appendElements(to, x)
	}
	text, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	if strings.ContainsRune("-0123456789", rune(text[0])) {
		return appendNumber(to, string(text))
	}
	return nil, fmt.Errorf("%T is no value of JSON", v)
}

func appendMembers[V any](to []byte, members map[string]V) (_ []byte, err error) {
	names := slices.SortedFunc(maps.Keys(members), func(a, b string) int {
		return cmp.Or(cmp.Compare(len(a), len(b)), cmp.Compare(a, b))
	})
	to = append(to, '{')
	for i, name := range names {
		if i > 0 {
			to = append(to, ", "...)
		}
		if to, err = jsontext.AppendQuote(to, name); err != nil {
			return nil, err
		}
		if to, err = appendStored(append(to, ": "...), members[name]); err != nil {
			return nil, err
		}
	}
	return append(to, '}'), nil
}

func appendElements[V any](to []byte, elements []V) (_ []byte, err error) {
	to = append(to, '[')
	for i, e := range elements {
		if i > 0 {
			to = append(to, ", "...)
		}
		if to, err = appendStored(to, e); err != nil {
			return nil, err
		}
	}
	return append(to, ']'), nil
}

// appendNumber writes a number as numeric has it: all its digits, and no sign of a zero.
func appendNumber(to []byte, text string) ([]byte, error) {
	if !strings.ContainsAny(text, "eE-") {
		return append(to, text...), nil
	}
	if strings.ContainsAny(text, "eE") {
		f, err := strconv.ParseFloat(text, 64)
		if err != nil {
			return nil, err
		}
		text = strconv.FormatFloat(f, 'f', -1, 64)
	}
	if strings.Trim(text, "-0.") == "" {
		text = strings.TrimPrefix(text, "-")
	}
	return append(to, text...), nil
}
