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
	Lists   []ListOutline   `json:"lists"`
	Screens []ScreenOutline `json:"screens"`
}

// ScreenOutline is a screen of the design.
type ScreenOutline struct {
	Name   string `json:"name"`
	Of     string `json:"of,omitempty"` // the collection of the document that it is asked for
	By     string `json:"by,omitempty"` // by what it is asked for, if not by its id
	Params []struct {
		Name     string `json:"name"`
		Type     string `json:"type"`
		Required bool   `json:"required"`
	} `json:"params"`
	Looks []string `json:"looks"` // parameters with what is looked for
	Parts []struct {
		Name  string `json:"name"`
		Reads string `json:"reads"` // timeline, list, document or leads
		What  string `json:"what"`  // its name; of a document its collection
		For   string `json:"for,omitempty"`
		Shows string `json:"shows"` // the collection of what it shows
		Live  bool   `json:"live"`
	} `json:"parts"`
}

// Takes are the names of all parameters.
func (s ScreenOutline) Takes() []string {
	var names []string
	for _, p := range s.Params {
		names = append(names, p.Name)
	}
	return append(names, s.Looks...)
}

// ListOutline is a list of the design.
type ListOutline struct {
	Name    string   `json:"name"`
	Entries string   `json:"entries"`
	Of      string   `json:"of,omitempty"` // the collection of the document that it is asked for
	Order   []string `json:"order"`
	Params  []struct {
		Name     string `json:"name"`
		Type     string `json:"type"`
		Required bool   `json:"required"`
	} `json:"params"`
	Looks   string `json:"looks,omitempty"` // the parameter with what is looked for: starts or words
	Serving struct {
		Index string `json:"index"` // what the index holds, in its order
		Reads string `json:"reads"` // what is read for a page beyond its entries
		None  bool   `json:"none"`  // no index can put the list in order
	} `json:"serving"`
}

// Takes are the names of all parameters.
func (l ListOutline) Takes() []string {
	var names []string
	for _, p := range l.Params {
		names = append(names, p.Name)
	}
	if l.Looks != "" {
		names = append(names, l.Looks)
	}
	return names
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
