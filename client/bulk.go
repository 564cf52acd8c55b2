package client

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"time"
)

// Loaded says what became of some lines.
type Loaded struct {
	Documents int       `json:"documents"` // that were made
	Pairs     int       `json:"pairs"`     // that were made
	Passed    int       `json:"passed"`    // lines of what was there already, just so
	Bad       []BadLine `json:"bad"`

	WithoutPictures int `json:"without_pictures"` // documents that refer to pictures which are not there
}

// BadLine is a line that was not loaded.
type BadLine struct {
	Line  int      `json:"line"` // from 1, among those that were sent
	Why   []string `json:"why"`
	Waits bool     `json:"waits,omitempty"` // for a document that may come later: send it again at the end
}

// Dump writes all facts as of one moment: a line of JSON with what was dumped, then
// one for each document and pair, and a last one with how many there are. Without
// the last one it was cut off.
func (c *Client) Dump(ctx context.Context, w io.Writer) error { return c.dump(ctx, w, "/dump", nil) }

// SealedDump is [Client.Dump] with what accounts and operators sign in with, in lines that are sealed for an age
// recipient. Seal is kept in the first line: it says how whoever loads the dump comes by what opens them.
func (c *Client) SealedDump(ctx context.Context, w io.Writer, recipient, seal string) error {
	return c.dump(ctx, w, "/dump/sealed", url.Values{"to": {recipient}, "seal": {seal}})
}

// Secrets are how much accounts and operators sign in with.
type Secrets struct {
	Passwords int64 `json:"passwords"`
	SignIns   int64 `json:"sign_ins"`
	Keys      int64 `json:"keys"`
}

// LoadedSecrets says what became of what accounts and operators sign in with.
type LoadedSecrets struct {
	Secrets
	Missing int64 `json:"missing"` // accounts that are not there
}

// LoadSecrets gives accounts that are there what they sign in with, and keeps keys of operators: lines as they were
// sealed in a dump, opened. What is there stays.
func (c *Client) LoadSecrets(ctx context.Context, lines []byte) (LoadedSecrets, error) {
	var got LoadedSecrets
	_, err := c.call(ctx, http.MethodPost, "/load/secrets", nil, "application/x-ndjson", lines, &got)
	return got, err
}

func (c *Client) dump(ctx context.Context, w io.Writer, path string, query url.Values) error {
	resp, err := c.send(ctx, http.MethodGet, path, query, "", nil)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if _, err := io.Copy(w, resp.Body); err != nil {
		return fmt.Errorf("the dump broke off: %w", err)
	}
	return nil
}

// BeginLoad begins to load facts, or goes on with it. Until [Client.EndLoad] nothing
// that is derived follows them. It returns the version of the design in force.
func (c *Client) BeginLoad(ctx context.Context) (int, error) {
	version, _, err := c.load(ctx, "/load")
	return version, err
}

// Loose is how many loaded documents point by a reference at what is not there. What becomes of them is what the
// design says: they are removed, emptied, or, where it refuses, listed.
type Loose struct {
	Reference string `json:"reference"`
	WhenGone  string `json:"when_gone"`
	Documents int    `json:"documents"`
}

// EndLoad has everything that is derived follow what was loaded, in the background:
// see [Client.AwaitVersion].
func (c *Client) EndLoad(ctx context.Context) (int, []Loose, error) { return c.load(ctx, "/load/end") }

func (c *Client) load(ctx context.Context, path string) (int, []Loose, error) {
	var got struct {
		Version int     `json:"version"`
		Loose   []Loose `json:"loose"`
	}
	_, err := c.call(ctx, http.MethodPost, path, nil, "", nil, &got)
	return got.Version, got.Loose, err
}

// LoadLines loads lines as [Client.Dump] writes them, 10,000 and 5 MiB at most. What
// is there already, just so, is passed over: sending them again does no harm.
func (c *Client) LoadLines(ctx context.Context, lines []byte) (Loaded, error) {
	var got Loaded
	_, err := c.call(ctx, http.MethodPost, "/load/lines", nil, "application/x-ndjson", lines, &got)
	return got, err
}

// Brought is what bringing an app along came to.
type Brought struct {
	At        *time.Time `json:"at,omitempty"`
	Documents int        `json:"documents"`
	Pairs     int        `json:"pairs"`
	Checked   int        `json:"checked"` // old duplicates that were compared
	Wrong     []Wrong    `json:"wrong"`
}

// Wrong is one kind of thing that was wrong in one place.
type Wrong struct {
	Kind     string         `json:"kind"`
	Where    string         `json:"where"`
	Many     int            `json:"many"`
	Examples []WrongExample `json:"examples"`
}

// WrongExample is one of them.
type WrongExample struct {
	What string `json:"what"`
	Had  string `json:"had,omitempty"`
	Is   string `json:"is,omitempty"`
}

// NoteBrought has the service remember a report, for its console.
func (c *Client) NoteBrought(ctx context.Context, b Brought) error {
	raw, err := json.Marshal(b)
	if err != nil {
		return err
	}
	_, err = c.call(ctx, http.MethodPost, "/brought", nil, "application/json", raw, nil)
	return err
}

// Brought are the newest reports, newest first.
func (c *Client) Brought(ctx context.Context) ([]Brought, error) {
	var got struct {
		Brought []Brought `json:"brought"`
	}
	_, err := c.call(ctx, http.MethodGet, "/brought", nil, "", nil, &got)
	return got.Brought, err
}
