package client

import (
	"context"
	"net/http"
	"net/url"
	"time"
)

// Entry is an entry of a timeline.
type Entry struct {
	ID     string         `json:"id"`
	Path   string         `json:"path"`
	At     time.Time      `json:"at"`
	Author string         `json:"author"`
	Facts  map[string]any `json:"facts"`
	Kept   map[string]any `json:"kept"`

	Building []string         `json:"building,omitempty"` // kept values that are being derived anew
	Marks    map[string]*Mark `json:"marks,omitempty"`    // those of [Page.Marks], nil where it is not paired
}

// Timeline is a page of a timeline, newest first. Next is empty on the last one.
type Timeline struct {
	Entries []Entry `json:"entries"`
	Next    string  `json:"next"`

	With map[string]Document `json:"with,omitempty"` // what references of [Page.With] lead to, by path
}

func timelinePath(timeline, owner string) string {
	return "/timelines/" + url.PathEscape(timeline) + "/" + url.PathEscape(owner)
}

// Timeline reads a page of an owner's timeline.
func (c *Client) Timeline(ctx context.Context, timeline, owner string, page Page) (Timeline, error) {
	var t Timeline
	_, err := c.call(ctx, http.MethodGet, timelinePath(timeline, owner), page.query(), "", nil, &t)
	return t, err
}
