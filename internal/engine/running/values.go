package running

import (
	"encoding/json"
	"math/big"
	"time"

	"yalvo/internal/design"
)

// Typed reads stored fields in the types that expressions compute with. A value
// that no longer fits its field counts as absent.
func Typed(fields []*design.Field, raw json.RawMessage) (map[string]any, error) {
	all, err := Decode(raw)
	if err != nil {
		return nil, err
	}
	typed, _ := design.AcceptAll(fields, all)
	return typed, nil
}

// Measured is a value as a number: of times, microseconds since 1970; nil if it
// is neither.
func Measured(v any) *big.Rat {
	switch v := v.(type) {
	case int64:
		return new(big.Rat).SetInt64(v)
	case json.Number:
		if x, ok := new(big.Rat).SetString(v.String()); ok {
			return x
		}
	case string:
		if at, err := time.Parse(time.RFC3339Nano, v); err == nil {
			return new(big.Rat).SetInt64(at.UnixMicro())
		}
	}
	return nil
}

// Pick adds the members of an object that have one of the names.
func Pick(into map[string]json.RawMessage, object json.RawMessage, names []string) error {
	if len(names) == 0 {
		return nil
	}
	var all map[string]json.RawMessage
	if err := json.Unmarshal(object, &all); err != nil {
		return err
	}
	for _, name := range names {
		if v, ok := all[name]; ok {
			into[name] = v
		}
	}
	return nil
}
