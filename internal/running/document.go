package running

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"yalvo/internal/plan"
	"yalvo/internal/store"
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
}

// See shows a stored document of a collection.
func See(c *plan.Collection, d store.Document) Document {
	return Document{
		ID: IDOf(d.Key), Path: c.Path(d.Key), Version: d.Version,
		Created: d.Created.UTC(), Updated: d.Updated.UTC(), Facts: d.Fields, Kept: d.Kept,
	}
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
	doc, found, err := a.Store.Document(ctx, c, key)
	if err == nil && !found {
		err = NotFound(c, key)
	}
	return c, doc, err
}

// Number is a document's row number, or a refusal if there is no such document.
func (a *App) Number(ctx context.Context, c *plan.Collection, key string) (int64, error) {
	n, err := a.Store.Number(ctx, Address(c, key))
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
