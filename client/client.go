package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"
)

// Client calls one service. It may be used by several goroutines at once.
type Client struct {
	base    string
	bearer  string
	as      string
	settled string
	version int64
	key     string
	last    string
	http    *http.Client
}

// New makes a client for the service at a base URL, as in http://127.0.0.1:7480.
func New(base string) *Client {
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.MaxIdleConnsPerHost = 256
	return &Client{base: strings.TrimRight(base, "/"), http: &http.Client{Transport: transport}}
}

// Using is a client that sends its requests through another http.Client.
func (c *Client) Using(h *http.Client) *Client { return c.with(func(c *Client) { c.http = h }) }

// At is a client of another service, which may share the database.
func (c *Client) At(base string) *Client {
	return c.with(func(c *Client) { c.base = strings.TrimSuffix(base, "/") })
}

// With is a client that brings an operator's key, or an access token of an account.
func (c *Client) With(keyOrToken string) *Client {
	return c.with(func(c *Client) { c.bearer = keyOrToken })
}

// As is a client of an operator that acts as an account, or as a stranger if that is "~".
func (c *Client) As(account string) *Client { return c.with(func(c *Client) { c.as = account }) }

// After is a client whose reads wait until what follows from the positions is settled.
func (c *Client) After(positions ...Position) *Client {
	all := make([]string, len(positions))
	for i, p := range positions {
		all[i] = string(p)
	}
	return c.with(func(c *Client) { c.settled = strings.Join(all, ",") })
}

// AfterAll is a client whose reads wait until everything due so far is settled.
func (c *Client) AfterAll() *Client { return c.with(func(c *Client) { c.settled = "all" }) }

// If is a client whose edits and removals fail unless the document is at a version.
func (c *Client) If(version int64) *Client { return c.with(func(c *Client) { c.version = version }) }

// Once is a client whose next write takes effect once, however often it is
// sent with the same key. Use a new key for each write.
func (c *Client) Once(key string) *Client { return c.with(func(c *Client) { c.key = key }) }

// resuming is a client that takes a stream up again after what it has got.
func (c *Client) resuming(id string) *Client { return c.with(func(c *Client) { c.last = id }) }

func (c *Client) with(change func(*Client)) *Client {
	other := *c
	change(&other)
	return &other
}

// Position is a place in the journal: the answer to a write.
type Position string

// Problem is the service's refusal (RFC 9457).
type Problem struct {
	Title  string    `json:"title"`
	Status int       `json:"status"`
	Detail string    `json:"detail"`
	Code   string    `json:"code"` // stable
	Errors []Mistake `json:"errors"`
	Rule   *Refuser  `json:"rule"` // what has not allowed it; told to operators alone
}

// Refuser is the rule of a design that has refused a request.
type Refuser struct {
	Name      string `json:"name"`      // as in "members.edit"
	Condition string `json:"condition"` // empty: the design has no such rule, so nobody may
	Line      int    `json:"line"`      // where it stands in the design
}

// String says which rule it is.
func (r Refuser) String() string {
	if r.Condition == "" {
		return "the design has no rule " + r.Name + ", so nobody may"
	}
	return fmt.Sprintf("by the rule %s, line %d of the design: %s", r.Name, r.Line, r.Condition)
}

// Mistake is one offending place in a request.
type Mistake struct {
	Pointer string `json:"pointer"` // JSON Pointer into the body
	Code    string `json:"code"`    // stable
	Detail  string `json:"detail"`
}

// Error is the problem, with every mistake on a line of its own.
func (p *Problem) Error() string {
	s := p.Detail
	for _, m := range p.Errors {
		s += "\n  " + m.Pointer + ": " + m.Detail
	}
	if p.Rule != nil {
		s += "\n  " + p.Rule.String()
	}
	return s
}

// ErrUnreachable says that no service answers at the address.
var ErrUnreachable = errors.New("no service answers")

// call sends a request and decodes the answer into out, if given.
func (c *Client) call(ctx context.Context, method, path string, query url.Values, media string, body []byte,
	out any) (http.Header, error) {
	resp, err := c.send(ctx, method, path, query, media, body)
	if err != nil {
		return nil, err
	}
	defer resp.Body.Close()
	raw, err := io.ReadAll(resp.Body)
	if err != nil {
		return nil, fmt.Errorf("reading the answer of %s: %w", c.base, err)
	}
	if out == nil || len(raw) == 0 {
		return resp.Header, nil
	}
	if text, ok := out.(*[]byte); ok {
		*text = raw
		return resp.Header, nil
	}
	if err := json.Unmarshal(raw, out); err != nil {
		return nil, fmt.Errorf("the answer of %s cannot be read: %w", c.base, err)
	}
	return resp.Header, nil
}

// send sends a request; the answer is one of success.
func (c *Client) send(ctx context.Context, method, path string, query url.Values, media string,
	body []byte) (*http.Response, error) {
	if query == nil {
		query = url.Values{}
	}
	if c.settled != "" && (method == http.MethodGet || path == "/reads") {
		query.Set("settled", c.settled)
		query.Set("patience", "60")
	}
	target := c.base + "/v1" + path
	if len(query) > 0 {
		target += "?" + query.Encode()
	}
	req, err := http.NewRequestWithContext(ctx, method, target, bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	c.setHeaders(req, media)
	resp, err := c.http.Do(req)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, fmt.Errorf("%w at %s: %w", ErrUnreachable, c.base, err)
	}
	if resp.StatusCode < 400 {
		return resp, nil
	}
	defer resp.Body.Close()
	return nil, problemIn(resp)
}

func (c *Client) setHeaders(req *http.Request, media string) {
	if media != "" {
		req.Header.Set("Content-Type", media)
	}
	if c.bearer != "" {
		req.Header.Set("Authorization", "Bearer "+c.bearer)
	}
	if c.as != "" {
		req.Header.Set("Yalvo-As", c.as)
	}
	if c.last != "" {
		req.Header.Set("Last-Event-ID", c.last)
	}
	if c.version != 0 {
		req.Header.Set("If-Match", fmt.Sprintf(`"%d"`, c.version))
	}
	if c.key != "" && req.Method != http.MethodGet {
		req.Header.Set("Idempotency-Key", c.key)
	}
}

func problemIn(resp *http.Response) error {
	raw, err := io.ReadAll(io.LimitReader(resp.Body, 1<<20))
	if err != nil {
		return err
	}
	p := &Problem{Status: resp.StatusCode, Detail: strings.TrimSpace(string(raw))}
	if strings.HasPrefix(resp.Header.Get("Content-Type"), "application/problem+json") {
		if err := json.Unmarshal(raw, p); err != nil {
			return fmt.Errorf("the service answered %s, and its problem cannot be read: %w", resp.Status, err)
		}
	}
	return p
}

// Document is a document: Facts are what may be written, Kept is kept true by the service.
type Document struct {
	ID      string         `json:"id"`
	Path    string         `json:"path"`
	Version int64          `json:"version"`
	Created time.Time      `json:"created"`
	Updated time.Time      `json:"updated"`
	Facts   map[string]any `json:"facts"`
	Kept    map[string]any `json:"kept"`
	Since   *time.Time     `json:"since,omitempty"` // on a page of another document's: since when
	Pair    map[string]any `json:"pair,omitempty"`  // of a list through pairs: the facts of the pair
	Top     bool           `json:"top,omitempty"`   // of a list: it stands on top whatever the order

	Building []string         `json:"building,omitempty"` // kept values that are being derived anew
	Marks    map[string]*Mark `json:"marks,omitempty"`    // those of [Page.Marks], nil where it is not paired
}

// Page says which part of a sequence to read.
type Page struct {
	Limit  int    // 0: the service's usual
	Cursor string // the Next of the page before, empty for the first

	// Marks are names by which the account of [Client.As] calls the other ends of its
	// pairs: each element says whether the account is paired with it.
	Marks []string

	Fields []string // facts and kept values; others are left out. None: all
	With   []string // references: what they lead to comes along
}

// Mark says how an account is paired with what was read.
type Mark struct {
	Since time.Time      `json:"since"`
	Facts map[string]any `json:"facts"` // the pair's own
}

func (p Page) query() url.Values {
	q := url.Values{}
	if p.Limit > 0 {
		q.Set("limit", fmt.Sprint(p.Limit))
	}
	if p.Cursor != "" {
		q.Set("cursor", p.Cursor)
	}
	if len(p.Marks) > 0 {
		q.Set("marks", strings.Join(p.Marks, ","))
	}
	if len(p.Fields) > 0 {
		q.Set("fields", strings.Join(p.Fields, ","))
	}
	if len(p.With) > 0 {
		q.Set("with", strings.Join(p.With, ","))
	}
	return q
}
