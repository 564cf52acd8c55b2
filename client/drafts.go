package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"time"
)

// Draft is a design that somebody works on, finished or not.
type Draft struct {
	Name    string    `json:"name"`
	Edition int64     `json:"edition"` // goes up whenever it is kept
	Base    int       `json:"base"`    // the version of the design that it goes from, 0: none
	Bytes   int       `json:"bytes"`
	Author  string    `json:"author,omitempty"` // who kept it last
	Changed time.Time `json:"changed"`
	Source  string    `json:"source,omitempty"` // left out of lists
}

// Drafts are all drafts without their texts, the one changed last first.
func (c *Client) Drafts(ctx context.Context) ([]Draft, error) {
	var got struct {
		Drafts []Draft `json:"drafts"`
	}
	_, err := c.call(ctx, http.MethodGet, "/design/drafts", nil, "", nil, &got)
	return got.Drafts, err
}

// Draft is one with its text. Errors: not-found.
func (c *Client) Draft(ctx context.Context, name string) (Draft, error) {
	var d Draft
	_, err := c.call(ctx, http.MethodGet, draftAt(name), nil, "", nil, &d)
	return d, err
}

// KeepDraft keeps a draft: with edition 0 a new one, else in place of that edition. A base below 0 leaves the one it
// had; of a new one it is the version in force then. Errors: invalid, conflict, stale, too-many.
func (c *Client) KeepDraft(ctx context.Context, d Draft) (Draft, error) {
	query := url.Values{}
	if d.Base >= 0 {
		query.Set("base", strconv.Itoa(d.Base))
	}
	if d.Author != "" {
		query.Set("by", d.Author)
	}
	var kept Draft
	_, err := c.If(d.Edition).call(ctx, http.MethodPut, draftAt(d.Name), query, "application/yaml",
		[]byte(d.Source), &kept)
	return kept, err
}

// DropDraft forgets a draft; edition 0 stands for whichever is kept. Errors: not-found, stale.
func (c *Client) DropDraft(ctx context.Context, name string, edition int64) error {
	_, err := c.If(edition).call(ctx, http.MethodDelete, draftAt(name), nil, "", nil, nil)
	return err
}

func draftAt(name string) string { return "/design/drafts/" + url.PathEscape(name) }
