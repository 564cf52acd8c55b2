package client

import (
	"context"
	"net/http"
	"net/url"
)

// Removal is what the removal of a document would take along.
type Removal struct {
	Document  string  `json:"document"`
	Documents []Rest  `json:"documents"` // other documents, by collection
	Pairs     []Rest  `json:"pairs"`     // pairs that would end, by kind
	Places    []Place `json:"places"`    // where the document itself is duplicated to
	More      bool    `json:"more"`      // there is more than was counted
}

// Removal asks what hangs on a document. Nothing is removed.
func (c *Client) Removal(ctx context.Context, document string) (Removal, error) {
	var r Removal
	_, err := c.call(ctx, http.MethodGet, "/removal", url.Values{"document": {document}}, "", nil, &r)
	return r, err
}
