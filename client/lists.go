package client

import (
	"context"
	"net/http"
	"net/url"
)

// Named reads a page of a list of the design. of is the key of the document that it is
// asked for, empty if it is asked for none; params are its parameters as a query has them.
func (c *Client) Named(ctx context.Context, list, of string, params map[string]string, page Page) (Documents, error) {
	path, query := listPath(list, of, params, page)
	var docs Documents
	_, err := c.call(ctx, http.MethodGet, path, query, "", nil, &docs)
	return docs, err
}

func listPath(list, of string, params map[string]string, page Page) (string, url.Values) {
	path := "/lists/" + url.PathEscape(list)
	if of != "" {
		path += "/" + url.PathEscape(of)
	}
	query := page.query()
	for name, value := range params {
		query.Set(name, value)
	}
	return path, query
}
