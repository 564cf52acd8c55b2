package engine

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"yalvo/internal/plan"
	"yalvo/internal/store"
)

// Document is a document as clients see it: Fields are facts, Kept is kept for them.
type Document struct {
	ID      string          `json:"id"`
	Path    string          `json:"path"`
	Version int64           `json:"version"`
	Created time.Time       `json:"created"`
	Updated time.Time       `json:"updated"`
	Fields  json.RawMessage `json:"fields"`
	Kept    json.RawMessage `json:"kept"`
}

func view(c *plan.Collection, d store.Document) Document {
	return Document{
		ID: idOf(d.Key), Path: c.Path(d.Key), Version: d.Version,
		Created: d.Created.UTC(), Updated: d.Updated.UTC(), Fields: d.Fields, Kept: d.Kept,
	}
}

// idOf is the last id of a key.
func idOf(key string) string { return key[strings.LastIndexByte(key, '/')+1:] }

// decodeFields reads a stored or patched object of fields, numbers kept exact.
func decodeFields(raw []byte) (map[string]any, error) {
	dec := json.NewDecoder(bytes.NewReader(raw))
	dec.UseNumber()
	var fields map[string]any
	if err := dec.Decode(&fields); err != nil {
		return nil, fmt.Errorf("fields cannot be read: %w", err)
	}
	return fields, nil
}

// card is the value of a kept copy: the copied fields of a target as far as
// it has them, null if there is no target.
func card(c *plan.Copy, target *store.Document) (json.RawMessage, error) {
	if target == nil {
		return json.RawMessage("null"), nil
	}
	some := map[string]json.RawMessage{}
	if err := pick(some, target.Fields, c.Fields); err != nil {
		return nil, err
	}
	if err := pick(some, target.Kept, c.KeptNames); err != nil {
		return nil, err
	}
	return json.Marshal(some)
}

// pick adds the members of an object that have one of the names.
func pick(into map[string]json.RawMessage, object json.RawMessage, names []string) error {
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

// ranks are a document's places in the orders of the timelines it enters:
// its creation, or the value of one of its fields; of times, microseconds
// since 1970.
func ranks(c *plan.Collection, created time.Time, fields map[string]any) map[*plan.Timeline]int64 {
	at := make(map[*plan.Timeline]int64, len(c.EntersInto))
	for _, t := range c.EntersInto {
		at[t] = created.UnixMicro()
		if t.Order != nil {
			at[t] = rank(fields[t.Order.Name])
		}
	}
	return at
}

func rank(v any) int64 {
	if n, is := v.(int64); is {
		return n
	}
	x := measured(v)
	if x == nil {
		return 0
	}
	return x.Num().Int64()
}
