package client

import (
	"context"
	"encoding/json"
	"net/http"
	"net/url"
	"strings"
	"time"
)

// Documents is a page of documents. Next is empty on the last one.
type Documents struct {
	Documents []Document `json:"documents"`
	Next      string     `json:"next"`

	With map[string]Document `json:"with,omitempty"` // what references of [Page.With] lead to, by path
}

// at is where a path leads to, each part of it escaped by itself.
func at(path string) string {
	parts := strings.Split(path, "/")
	for i, part := range parts {
		parts[i] = url.PathEscape(part)
	}
	return "/collections/" + strings.Join(parts, "/")
}

// Create adds a document to the collection at a path, as in "members" or
// "sightings/s1/remarks". An empty id lets the service choose one; with an id
// of your own the call is safe to repeat.
func (c *Client) Create(ctx context.Context, collection, id string, facts map[string]any) (Document, Position, error) {
	body := map[string]any{}
	if facts != nil {
		body["facts"] = facts
	}
	if id != "" {
		body["id"] = id
	}
	return c.write(ctx, http.MethodPost, at(collection), "application/json", body)
}

// Patch edits a document by a JSON Merge Patch: null takes a field away.
func (c *Client) Patch(ctx context.Context, path string, facts map[string]any) (Document, Position, error) {
	return c.write(ctx, http.MethodPatch, at(path), "application/merge-patch+json", map[string]any{"facts": facts})
}

// Operation is one of a JSON Patch (RFC 6902): add, remove, replace, move, copy
// or test. Paths begin at the document, as in "/facts/text".
type Operation struct {
	Op    string `json:"op"`
	Path  string `json:"path"`
	From  string `json:"from"`  // move, copy
	Value any    `json:"value"` // add, replace, test
}

// MarshalJSON writes the members that the operation has, a value of null too.
func (o Operation) MarshalJSON() ([]byte, error) {
	members := map[string]any{"op": o.Op, "path": o.Path}
	switch o.Op {
	case "move", "copy":
		members["from"] = o.From
	case "add", "replace", "test":
		members["value"] = o.Value
	}
	return json.Marshal(members)
}

// Operate edits a document by a JSON Patch, all of it or nothing. All of the
// document can be tested, only its facts can change.
func (c *Client) Operate(ctx context.Context, path string, operations ...Operation) (Document, Position, error) {
	return c.write(ctx, http.MethodPatch, at(path), "application/json-patch+json", operations)
}

// Remove takes a document away and returns it as it was.
func (c *Client) Remove(ctx context.Context, path string) (Document, Position, error) {
	return c.write(ctx, http.MethodDelete, at(path), "", nil)
}

func (c *Client) write(ctx context.Context, method, path, media string, body any) (Document, Position, error) {
	var raw []byte
	if body != nil {
		var err error
		if raw, err = json.Marshal(body); err != nil {
			return Document{}, "", err
		}
	}
	var doc Document
	header, err := c.call(ctx, method, path, nil, media, raw, &doc)
	return doc, Position(header.Get("Yalvo-Position")), err
}

// Get reads a document, with marks as of [Page.Marks].
func (c *Client) Get(ctx context.Context, path string, marks ...string) (Document, error) {
	var doc Document
	_, err := c.call(ctx, http.MethodGet, at(path), Page{Marks: marks}.query(), "", nil, &doc)
	return doc, err
}

// List reads a page of what a path leads to: a collection, or a name after a
// document, as in "members/ada/followers".
func (c *Client) List(ctx context.Context, path string, page Page) (Documents, error) {
	var docs Documents
	_, err := c.call(ctx, http.MethodGet, at(path), page.query(), "", nil, &docs)
	return docs, err
}

// Find reads the document of a collection that has a value in a unique field; false if there
// is none.
func (c *Client) Find(ctx context.Context, collection, field, value string, marks ...string) (Document, bool, error) {
	query := Page{Marks: marks}.query()
	query.Set(field, value)
	var docs Documents
	_, err := c.call(ctx, http.MethodGet, at(collection), query, "", nil, &docs)
	if err != nil || len(docs.Documents) == 0 {
		return Document{}, false, err
	}
	return docs.Documents[0], true, nil
}

func pairPath(pair, from, to string) string {
	return "/pairs/" + url.PathEscape(pair) + "/" + url.PathEscape(from) + "/" + url.PathEscape(to)
}

// Set makes a pair between two documents, named by their keys. Setting it
// twice is the same as once.
func (c *Client) Set(ctx context.Context, pair, from, to string) (Position, error) {
	header, err := c.call(ctx, http.MethodPut, pairPath(pair, from, to), nil, "", nil, nil)
	return Position(header.Get("Yalvo-Position")), err
}

// SetWith makes a pair with facts of its own, or gives one that stands other facts.
func (c *Client) SetWith(ctx context.Context, pair, from, to string, facts map[string]any) (Position, error) {
	raw, err := json.Marshal(map[string]any{"facts": facts})
	if err != nil {
		return "", err
	}
	header, err := c.call(ctx, http.MethodPut, pairPath(pair, from, to), nil, "application/json", raw, nil)
	return Position(header.Get("Yalvo-Position")), err
}

// Unset ends a pair. Unsetting it twice is the same as once.
func (c *Client) Unset(ctx context.Context, pair, from, to string) (Position, error) {
	header, err := c.call(ctx, http.MethodDelete, pairPath(pair, from, to), nil, "", nil, nil)
	return Position(header.Get("Yalvo-Position")), err
}

// PairState is how a pair stands.
type PairState struct {
	Set   bool           `json:"set"`
	Since *time.Time     `json:"since"`
	Facts map[string]any `json:"facts"` // the pair's own, if its kind has some
}

// Pair reads how a pair stands.
func (c *Client) Pair(ctx context.Context, pair, from, to string) (PairState, error) {
	var state PairState
	_, err := c.call(ctx, http.MethodGet, pairPath(pair, from, to), nil, "", nil, &state)
	return state, err
}

// IsSet tells whether a pair stands.
func (c *Client) IsSet(ctx context.Context, pair, from, to string) (bool, error) {
	state, err := c.Pair(ctx, pair, from, to)
	return state.Set, err
}
