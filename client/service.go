package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"time"
)

// About says what runs at the address.
type About struct {
	Service string `json:"service"`
	App     string `json:"app"`
	Design  int    `json:"design"`
}

// About asks what runs at the address.
func (c *Client) About(ctx context.Context) (About, error) {
	var a About
	_, err := c.call(ctx, http.MethodGet, "", nil, "", nil, &a)
	return a, err
}

// Applied says what applying a design did.
type Applied struct {
	Version int      `json:"version"`
	Changed bool     `json:"changed"`
	Steps   int      `json:"steps"`             // to be done to what is stored, in the background
	Without []string `json:"without,omitempty"` // services that have not taken it up yet
	Rules   []Rule   `json:"rules"`
}

// Rule is one derived trigger in words: what is done by itself, and when.
type Rule struct {
	When string `json:"when"`
	Then string `json:"then"`
}

// Apply puts a design in force. The file's name is used in messages. What it asks to
// be done to what is stored goes on in the background: see [Client.AwaitVersion].
func (c *Client) Apply(ctx context.Context, file string, source []byte, how ...Applying) (Applied, error) {
	var a Applied
	var more Applying
	if len(how) > 0 {
		more = how[0]
	}
	query := more.query()
	query.Set("name", file)
	_, err := c.If(int64(more.Base)).call(ctx, http.MethodPut, "/design", query, "application/yaml", source, &a)
	return a, err
}

// Design is the design in force, as it was applied.
func (c *Client) Design(ctx context.Context) ([]byte, error) {
	var text []byte
	_, err := c.call(ctx, http.MethodGet, "/design", nil, "", nil, &text)
	return text, err
}

// Workload measures how much the running app is used, as a design has it; what is done in a day by the last days.
func (c *Client) Workload(ctx context.Context, days float64) (string, error) {
	var text []byte
	_, err := c.call(ctx, http.MethodGet, "/workload", url.Values{"days": {strconv.FormatFloat(days, 'g', -1,
		64)}}, "", nil, &text)
	return string(text), err
}

// Status says how far upkeep is behind, and how much there is.
type Status struct {
	Settled   bool         `json:"settled"`
	LagMS     int64        `json:"lag_ms"`
	Due       int64        `json:"due"`
	Parked    int64        `json:"parked"`
	Lanes     []LaneStatus `json:"lanes"`
	Documents []Amount     `json:"documents"`
	Pairs     []Amount     `json:"pairs"`
	Entries   []Amount     `json:"entries"`
	Counted   time.Time    `json:"counted"`
}

// LaneStatus is the due work of one lane.
type LaneStatus struct {
	Lane  string `json:"lane"`
	Due   int64  `json:"due"`
	LagMS int64  `json:"lag_ms"`
}

// Amount is how many there are of something.
type Amount struct {
	Name string `json:"name"`
	Many int64  `json:"many"`
}

// Status asks whether everything is settled.
func (c *Client) Status(ctx context.Context) (Status, error) {
	var s Status
	_, err := c.call(ctx, http.MethodGet, "/status", nil, "", nil, &s)
	return s, err
}

// Change is an entry of the journal.
type Change struct {
	Position int64     `json:"position"`
	At       time.Time `json:"at"`
	Kind     string    `json:"kind"`
	Subject  string    `json:"subject"`
	Detail   string    `json:"detail"`
	As       string    `json:"as"`
	Cause    int64     `json:"cause"`
}

// Settle waits as [Client.After] or [Client.AfterAll] say, and reads next to nothing.
func (c *Client) Settle(ctx context.Context) error {
	_, err := c.Changes(ctx, 1)
	return err
}

// Changes reads the newest changes, newest first.
func (c *Client) Changes(ctx context.Context, limit int) ([]Change, error) {
	var got struct {
		Changes []Change `json:"changes"`
	}
	_, err := c.call(ctx, http.MethodGet, "/changes", Page{Limit: limit}.query(), "", nil, &got)
	return got.Changes, err
}

// ChangesFrom reads on from a place in the journal, oldest first, and returns
// the place to read on from next. Begin with an empty place; no change is missed.
func (c *Client) ChangesFrom(ctx context.Context, place string, limit int) ([]Change, string, error) {
	var got struct {
		Changes []Change `json:"changes"`
		Next    string   `json:"next"`
	}
	q := Page{Limit: limit}.query()
	q.Set("from", place)
	_, err := c.call(ctx, http.MethodGet, "/changes", q, "", nil, &got)
	return got.Changes, got.Next, err
}

// Parked is work that failed too often and waits for a person.
type Parked struct {
	Work     int64     `json:"work"` // its number
	Step     string    `json:"step"`
	Lane     string    `json:"lane"`
	About    string    `json:"about"` // the duplicate or the trigger it is for
	Change   int64     `json:"change"`
	Attempts int       `json:"attempts"`
	Since    time.Time `json:"since"`
	Parked   time.Time `json:"parked"`
	Error    string    `json:"error"`
}

// ParkedWork lists parked work, oldest first.
func (c *Client) ParkedWork(ctx context.Context) ([]Parked, error) {
	var got struct {
		Parked []Parked `json:"parked"`
	}
	_, err := c.call(ctx, http.MethodGet, "/parked", nil, "", nil, &got)
	return got.Parked, err
}

// Retry makes parked work due again and returns how much there was.
func (c *Client) Retry(ctx context.Context) (int64, error) {
	var got struct {
		Retried int64 `json:"retried"`
	}
	_, err := c.call(ctx, http.MethodPost, "/parked/retry", nil, "", nil, &got)
	return got.Retried, err
}

// DropParked gives up one piece of parked work, by its number. What it was to
// bring in line stays as it is, and an audit finds it.
func (c *Client) DropParked(ctx context.Context, work int64) error {
	_, err := c.call(ctx, http.MethodDelete, fmt.Sprintf("/parked/%d", work), nil, "", nil, nil)
	return err
}

// RetryOne makes one piece of parked work due again, by its number.
func (c *Client) RetryOne(ctx context.Context, work int64) error {
	_, err := c.call(ctx, http.MethodPost, fmt.Sprintf("/parked/%d/retry", work), nil, "", nil, nil)
	return err
}

// Replay has what a trigger sent sent again, from a position on, with the same
// ids, and returns how much that is.
func (c *Client) Replay(ctx context.Context, trigger string, from int64) (int64, error) {
	var got struct {
		Replayed int64 `json:"replayed"`
	}
	_, err := c.call(ctx, http.MethodPost, "/triggers/"+url.PathEscape(trigger)+"/replay", nil, "application/json",
		[]byte(fmt.Sprintf(`{"from":%d}`, from)), &got)
	return got.Replayed, err
}
