package client

import (
	"context"
	"encoding/json"
	"net/http"
)

// Write is one write of a batch: made by [Creating], [Editing], [Removing], [Setting] or
// [Unsetting].
type Write map[string]any

// Creating is a document to be created in a collection, or under a document, as in
// "posts/p1/notes"; with an id, or an empty one for one of the service's.
func Creating(collection, id string, facts map[string]any) Write {
	w := Write{"create": collection, "facts": facts}
	if id != "" {
		w["id"] = id
	}
	return w
}

// Editing is a JSON Merge Patch of a document's facts.
func Editing(path string, facts map[string]any) Write { return Write{"edit": path, "facts": facts} }

// Removing is a document to be removed.
func Removing(path string) Write { return Write{"remove": path} }

// Setting is a pair to be set, with facts of its own, nil for those it has.
func Setting(pair, from, to string, facts map[string]any) Write {
	w := Write{"set": pair, "from": from, "to": to}
	if facts != nil {
		w["facts"] = facts
	}
	return w
}

// Unsetting is a pair to be unset.
func Unsetting(pair, from, to string) Write { return Write{"unset": pair, "from": from, "to": to} }

// Written is what became of one write of a batch.
type Written struct {
	Position Position  `json:"position"`
	Fresh    bool      `json:"fresh"` // something was written; false: it was so already
	Document *Document `json:"document"`
}

// Batch does several writes, 500 at most, in their order: all of them or none. It returns
// what became of each, and a position by which all are done.
func (c *Client) Batch(ctx context.Context, writes ...Write) ([]Written, Position, error) {
	raw, err := json.Marshal(map[string]any{"writes": writes})
	if err != nil {
		return nil, "", err
	}
	var answer struct{ Written []Written }
	header, err := c.call(ctx, http.MethodPost, "/writes", nil, "application/json", raw, &answer)
	return answer.Written, Position(header.Get("Yalvo-Position")), err
}
