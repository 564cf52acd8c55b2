package running

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"yalvo/internal/design/plan"
	"yalvo/internal/engine/store"
	"yalvo/internal/engine/store/factsql"
)

// Document is a document as clients see it: facts are what they may write, kept
// is kept for them.
type Document struct {
	ID      string          `json:"id"`
	Path    string          `json:"path"`
	Version int64           `json:"version"`
	Created time.Time       `json:"created"`
	Updated time.Time       `json:"updated"`
	Facts   json.RawMessage `json:"facts"`
	Kept    json.RawMessage `json:"kept"`

	// Building are kept values that are being derived anew: they are missing in kept, or
	// show what they showed before as far as they have not been reached.
	Building []string `json:"building,omitempty"`
}

// See shows a stored document of a collection.
func See(c *plan.Collection, d store.Document) Document {
	seen := SeeWithSpare(c, d)
	seen.Kept = WithoutSpare(c, seen.Kept)
	return seen
}

// SeeWithSpare is the same with all that is stored of kept values: see [WithoutSpare].
func SeeWithSpare(c *plan.Collection, d store.Document) Document {
	version, updated := d.As(nil)
	seen := Document{
		ID: IDOf(d.Key), Path: c.Path(d.Key), Version: version,
		Created: d.Created.UTC(), Updated: updated.UTC(), Facts: d.Fields, Kept: d.Kept,
	}
	if c.Upcast != nil && d.Shape != c.Shape {
		seen.Facts = c.Upcast(d.Fields, d.Created)
	}
	if c.Building != nil {
		seen.Kept, seen.Building = Finished(c, d.Kept)
	}
	return seen
}

// Finished is what may be shown of kept values while some are being derived anew,
// and which those are.
func Finished(c *plan.Collection, kept json.RawMessage) (json.RawMessage, []string) {
	var all map[string]json.RawMessage
	if json.Unmarshal(kept, &all) != nil {
		return kept, nil
	}
	for name, hidden := range c.Building {
		if hidden {
			delete(all, name)
		}
	}
	for name, value := range all {
		switch k := c.KeptValue(name); {
		case k == nil: // of the version before
			delete(all, name)
		case k.HowMany > 0: // it may have been stored with more than it shows, or with less: see [plan.Spare]
			all[name] = First(value, k.HowMany)
		}
	}
	shown, err := Stored(all)
	if err != nil {
		return kept, nil
	}
	return shown, slices.Sorted(maps.Keys(c.Building))
}

// IDOf is the last id of a key.
func IDOf(key string) string { return key[strings.LastIndexByte(key, '/')+1:] }

// Address is where a document of a collection is stored.
func Address(c *plan.Collection, key string) store.Address {
	return store.Address{Collection: c.Number, Key: key}
}

// Find reads a document by its path.
func (a *App) Find(ctx context.Context, v *Version, path string) (*plan.Collection, store.Document, error) {
	c, key, err := v.Locate(path)
	if err != nil {
		return nil, store.Document{}, err
	}
	doc, found, err := factsql.Document(a.Store.Looking(ctx), c, key)
	if err == nil && !found {
		err = NotFound(c, key)
	}
	return c, doc, err
}

// Number is a document's row number, or a refusal if there is no such document.
func (a *App) Number(ctx context.Context, c *plan.Collection, key string) (int64, error) {
	n, err := factsql.Number(ctx, a.Store, Address(c, key))
	if err == nil && n == 0 {
		err = NotFound(c, key)
	}
	return n, err
}

// Decode reads a stored or patched JSON object, numbers kept exact.
func Decode(raw []byte) (map[string]any, error) {
	dec := json.NewDecoder(bytes.NewReader(raw))
	dec.UseNumber()
	var fields map[string]any
	if err := dec.Decode(&fields); err != nil {
		return nil, fmt.Errorf("fields cannot be read: %w", err)
	}
	return fields, nil
}

// Without is an object without some of its members.
func Without(object json.RawMessage, names []string) (json.RawMessage, error) {
	var all map[string]json.RawMessage
	if err := json.Unmarshal(object, &all); err != nil {
		return nil, err
	}
	for _, name := range names {
		delete(all, name)
	}
	return Stored(all)
}
