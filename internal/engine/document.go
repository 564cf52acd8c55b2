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
		ID: d.Key[strings.LastIndexByte(d.Key, '/')+1:], Path: c.Path(d.Key), Version: d.Version,
		Created: d.Created.UTC(), Updated: d.Updated.UTC(), Fields: d.Fields, Kept: d.Kept,
	}
}

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
	var all map[string]json.RawMessage
	if err := json.Unmarshal(target.Fields, &all); err != nil {
		return nil, err
	}
	some := map[string]json.RawMessage{}
	for _, name := range c.Copied() {
		if v, ok := all[name]; ok {
			some[name] = v
		}
	}
	return json.Marshal(some)
}
