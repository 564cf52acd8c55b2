package client

import (
	"context"
	"net/http"
)

// Outline is the design in force, as far as a program needs it that names and
// shows documents.
type Outline struct {
	App         string `json:"app"`
	Accounts    string `json:"accounts"` // the collection of those who are signed in, empty if there is none
	Collections []struct {
		Name   string `json:"name"`
		Under  string `json:"under"` // the parents' collection, empty for a collection of its own
		Fields []struct {
			Name string `json:"name"`
			Type string `json:"type"`
		} `json:"fields"`
	} `json:"collections"`
	Pairs []struct {
		Name string `json:"name"`
		From string `json:"from"`
		To   string `json:"to"`
	} `json:"pairs"`
	Timelines []struct {
		Name    string `json:"name"`
		Owner   string `json:"owner"`
		Entries string `json:"entries"`
	} `json:"timelines"`
}

// Outline reads the design in force.
func (c *Client) Outline(ctx context.Context) (Outline, error) {
	var o Outline
	_, err := c.call(ctx, http.MethodGet, "/design/outline", nil, "", nil, &o)
	return o, err
}

// Chain are the collections that the path of a document leads through, from the
// top down; empty if there is no such collection.
func (o Outline) Chain(collection string) []string {
	for _, c := range o.Collections {
		if c.Name != collection {
			continue
		}
		if c.Under == "" {
			return []string{c.Name}
		}
		return append(o.Chain(c.Under), c.Name)
	}
	return nil
}

// Has tells whether there is a collection of a name.
func (o Outline) Has(collection string) bool { return len(o.Chain(collection)) > 0 }
