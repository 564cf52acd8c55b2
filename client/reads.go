package client

import (
	"context"
	"encoding/json"
	"net/http"
	"net/url"
)

// Answer is what one of several reads is answered.
type Answer struct {
	Status int             `json:"status"`
	ETag   string          `json:"etag,omitempty"`
	Body   json.RawMessage `json:"body"`
}

// Into decodes the answer into v, such as a [Document], [Documents] or a [Timeline]. A read
// that was refused is a [*Problem].
func (a Answer) Into(v any) error {
	if a.Status == http.StatusOK {
		return json.Unmarshal(a.Body, v)
	}
	p := &Problem{}
	if err := json.Unmarshal(a.Body, p); err != nil {
		return err
	}
	return p
}

// Reads does several reads in one request, 10 at most: paths with their queries, as in
// "/lists/everyone?limit=10". Each is answered as it is alone.
func (c *Client) Reads(ctx context.Context, paths ...string) ([]Answer, error) {
	raw, err := json.Marshal(map[string]any{"reads": paths})
	if err != nil {
		return nil, err
	}
	var got struct {
		Answers []Answer `json:"answers"`
	}
	_, err = c.call(ctx, http.MethodPost, "/reads", url.Values{}, "application/json", raw, &got)
	return got.Answers, err
}
