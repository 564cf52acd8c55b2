package client

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"time"
)

// Scope is what an audit looks at; the zero Scope is everything.
type Scope struct {
	Duplicate string `json:"duplicate,omitempty"` // by its name in the design, as in "members.follower_count" or "home"
	Document  string `json:"document,omitempty"`  // by its path
	Mend      bool   `json:"mend,omitempty"`      // repair what is found
}

// Audit is a comparison of stored duplicates with the facts.
type Audit struct {
	ID        int64      `json:"id"`
	Duplicate string     `json:"duplicate"`
	Document  string     `json:"document"`
	State     string     `json:"state"` // running, stopped, finished or failed
	Mending   bool       `json:"mending"`
	Progress  float64    `json:"progress"` // 0 to 1
	Checked   int64      `json:"checked"`
	Drifted   int64      `json:"drifted"`
	Started   time.Time  `json:"started"`
	Ended     *time.Time `json:"ended"`
	Error     string     `json:"error"`
	LeftOut   []string   `json:"left_out,omitempty"` // what was being derived anew
}

// Drift is a stored duplicate that differs from what the facts say.
type Drift struct {
	Seq       int64           `json:"seq"`
	Aspect    string          `json:"aspect"`
	Duplicate string          `json:"duplicate"`
	Kind      string          `json:"kind"`     // missing, surplus, different, dangling, orphaned or short
	Document  string          `json:"document"` // empty: it is gone
	Other     string          `json:"other"`
	Stored    json.RawMessage `json:"stored"`
	Expected  json.RawMessage `json:"expected"`
	Since     *time.Time      `json:"since"`
	Mended    *time.Time      `json:"mended"`
}

// BeginAudit starts an audit, which runs in the background.
func (c *Client) BeginAudit(ctx context.Context, scope Scope) (Audit, error) {
	raw, err := json.Marshal(scope)
	if err != nil {
		return Audit{}, err
	}
	var a Audit
	_, err = c.call(ctx, http.MethodPost, "/audits", nil, "application/json", raw, &a)
	return a, err
}

// Audits are the newest audits, newest first, and how often one runs by itself.
func (c *Client) Audits(ctx context.Context) ([]Audit, time.Duration, error) {
	var got struct {
		Audits []Audit `json:"audits"`
		Every  int64   `json:"every_seconds"`
	}
	_, err := c.call(ctx, http.MethodGet, "/audits", nil, "", nil, &got)
	return got.Audits, time.Duration(got.Every) * time.Second, err
}

// Audit reads how far an audit has come.
func (c *Client) Audit(ctx context.Context, id int64) (Audit, error) {
	return c.audit(ctx, http.MethodGet, id, "")
}

// StopAudit halts a running audit, ResumeAudit lets it go on, and MendAudit
// repairs what a finished one has found.
func (c *Client) StopAudit(ctx context.Context, id int64) (Audit, error) {
	return c.audit(ctx, http.MethodPost, id, "/stop")
}

// ResumeAudit lets a stopped audit go on.
func (c *Client) ResumeAudit(ctx context.Context, id int64) (Audit, error) {
	return c.audit(ctx, http.MethodPost, id, "/resume")
}

// MendAudit repairs what a finished audit has found.
func (c *Client) MendAudit(ctx context.Context, id int64) (Audit, error) {
	return c.audit(ctx, http.MethodPost, id, "/mend")
}

func (c *Client) audit(ctx context.Context, method string, id int64, act string) (Audit, error) {
	var a Audit
	_, err := c.call(ctx, method, fmt.Sprintf("/audits/%d%s", id, act), nil, "", nil, &a)
	return a, err
}

// How long to wait before asking again how far an audit has come: longer each time.
const (
	firstAuditPause   = 5 * time.Millisecond
	longestAuditPause = 300 * time.Millisecond
)

// AwaitAudit asks how an audit is doing until it no longer runs; show, if not
// nil, is told each time.
func (c *Client) AwaitAudit(ctx context.Context, id int64, show func(Audit)) (Audit, error) {
	for pause := firstAuditPause; ; pause = min(2*pause, longestAuditPause) {
		a, err := c.Audit(ctx, id)
		if err != nil || a.State != "running" {
			return a, err
		}
		if show != nil {
			show(a)
		}
		select {
		case <-time.After(pause):
		case <-ctx.Done():
			return a, ctx.Err()
		}
	}
}

// Drift is everything an audit has found.
func (c *Client) Drift(ctx context.Context, id int64) ([]Drift, error) {
	var all []Drift
	q := Page{Limit: 200}.query()
	for {
		var got struct {
			Drift []Drift `json:"drift"`
		}
		if _, err := c.call(ctx, http.MethodGet, fmt.Sprintf("/audits/%d/drift", id), q, "", nil, &got); err != nil {
			return all, err
		}
		if len(got.Drift) == 0 {
			return all, nil
		}
		all = append(all, got.Drift...)
		q.Set("after", fmt.Sprint(all[len(all)-1].Seq))
	}
}

// ScheduleAudit has everything audited by itself; 0 for never.
func (c *Client) ScheduleAudit(ctx context.Context, every time.Duration) error {
	raw := []byte(fmt.Sprintf(`{"every_seconds":%d}`, int64(every.Seconds())))
	_, err := c.call(ctx, http.MethodPut, "/audits/schedule", nil, "application/json", raw, nil)
	return err
}

// Forgotten is how far it has come to forget a document, and the report.
type Forgotten struct {
	ID       int64      `json:"id"`
	Document string     `json:"document"`
	Change   int64      `json:"change"`
	Places   []Place    `json:"places"` // where it was duplicated to
	Finished bool       `json:"finished"`
	Removed  []Rest     `json:"removed"` // documents that went, by collection
	Answers  int64      `json:"answers"` // kept answers to requests that were dropped
	Events   int64      `json:"events"`  // events for triggers that were dropped
	Journal  int64      `json:"journal"` // lines of the journal that name its path; they hold no values
	Left     []Rest     `json:"left"`    // what a search of every table has found still
	Started  time.Time  `json:"started"`
	Ended    *time.Time `json:"ended"`
}

// Rest is how much was found somewhere.
type Rest struct {
	Where string `json:"where"`
	Many  int64  `json:"many"`
}

// Forget removes a document with every copy of what it said. It goes on in the
// background: [Client.AwaitForgotten] waits for the report.
func (c *Client) Forget(ctx context.Context, document string) (Forgotten, error) {
	raw, err := json.Marshal(map[string]string{"document": document})
	if err != nil {
		return Forgotten{}, err
	}
	var f Forgotten
	_, err = c.call(ctx, http.MethodPost, "/forgotten", nil, "application/json", raw, &f)
	return f, err
}

// AwaitForgotten asks until a document is forgotten.
func (c *Client) AwaitForgotten(ctx context.Context, id int64) (Forgotten, error) {
	for pause := firstAuditPause; ; pause = min(2*pause, longestAuditPause) {
		var f Forgotten
		if _, err := c.call(ctx, http.MethodGet, fmt.Sprintf("/forgotten/%d", id), nil, "", nil, &f); err != nil ||
			f.Finished {
			return f, err
		}
		select {
		case <-time.After(pause):
		case <-ctx.Done():
			return f, ctx.Err()
		}
	}
}
