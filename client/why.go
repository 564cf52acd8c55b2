package client

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"time"
)

// Why says why an entry is in a timeline or not.
type Why struct {
	Timeline string   `json:"timeline"`
	Owner    string   `json:"owner"`
	Entry    string   `json:"entry"`
	There    bool     `json:"there"`
	Because  string   `json:"because"`
	Reasons  []Reason `json:"reasons"`
}

// Reason is one fact that bears on it.
type Reason struct {
	Code   string     `json:"code"`
	Holds  bool       `json:"holds"` // it speaks for the entry
	Says   string     `json:"says"`
	Since  *time.Time `json:"since"`
	Change int64      `json:"change"`
	As     string     `json:"as"`
}

// WhyEntry asks why a document is in an owner's timeline, or why not.
func (c *Client) WhyEntry(ctx context.Context, timeline, owner, entry string) (Why, error) {
	var why Why
	_, err := c.call(ctx, http.MethodGet, "/why/entry",
		url.Values{"timeline": {timeline}, "owner": {owner}, "entry": {entry}}, "", nil, &why)
	return why, err
}

// Sources says what a kept value is made of.
type Sources struct {
	Document string          `json:"document"`
	Name     string          `json:"name"`
	Kind     string          `json:"kind"`
	From     string          `json:"from"`
	Stored   json.RawMessage `json:"stored"`
	Many     int64           `json:"many"`
	Sources  []Source        `json:"sources"` // the newest or greatest of them
	Due      []Reason        `json:"due"`
}

// Source is one source of a kept value.
type Source struct {
	Path  string          `json:"path"`
	At    *time.Time      `json:"at"`
	Value json.RawMessage `json:"value"`
}

// WhyKept asks what a kept value of a document is made of.
func (c *Client) WhyKept(ctx context.Context, document, name string) (Sources, error) {
	var sources Sources
	_, err := c.call(ctx, http.MethodGet, "/why/kept", url.Values{"document": {document}, "name": {name}}, "", nil,
		&sources)
	return sources, err
}

// Place is somewhere that a document's values are duplicated to.
type Place struct {
	Where  string   `json:"where"`
	Kind   string   `json:"kind"`
	Values []string `json:"values"`
	Many   int64    `json:"many"`
}

// Places asks for everywhere that a document is duplicated to.
func (c *Client) Places(ctx context.Context, document string) ([]Place, error) {
	var got struct {
		Places []Place `json:"places"`
	}
	_, err := c.call(ctx, http.MethodGet, "/places", url.Values{"document": {document}}, "", nil, &got)
	return got.Places, err
}

// Cascade is a change with everything that followed from it.
type Cascade struct {
	Change  Change `json:"change"`
	Settled bool   `json:"settled"`
	TookMS  int64  `json:"took_ms"`
	Follows []Step `json:"follows"`
}

// Step is work that a change or other work made due, or further changes that
// such work made. Times count from the change, in milliseconds.
type Step struct {
	Says     string `json:"says"`
	Changes  bool   `json:"changes"`
	Many     int64  `json:"many"`
	Rows     int64  `json:"rows"`
	Chunks   int64  `json:"chunks"`
	Attempts int64  `json:"attempts"` // beyond the first of each
	Left     int64  `json:"left"`
	Parked   int64  `json:"parked"`
	Error    string `json:"error"`
	AfterMS  int64  `json:"after_ms"`
	DoneMS   *int64 `json:"done_ms"`
	Example  string `json:"example"`
	Follows  []Step `json:"follows"`
}

// Cascade asks what a change has caused.
func (c *Client) Cascade(ctx context.Context, position int64) (Cascade, error) {
	var got Cascade
	_, err := c.call(ctx, http.MethodGet, fmt.Sprintf("/changes/%d/cascade", position), nil, "", nil, &got)
	return got, err
}
