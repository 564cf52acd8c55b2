package client

import (
	"context"
	"net/http"
	"net/url"
	"time"
)

// Key is an operator's key without its secret.
type Key struct {
	ID      string     `json:"id"`
	Name    string     `json:"name"`
	Scope   string     `json:"scope"` // read, write or operate: each may do what those before it may
	Made    time.Time  `json:"made"`
	Used    *time.Time `json:"used,omitempty"`    // the minute in which it was used last
	Revoked *time.Time `json:"revoked,omitempty"` // it holds no more
}

// Caller is who the service takes a client for: an operator with a key, an account, both if
// the operator acts as one, or nobody.
type Caller struct {
	Key     *Key   `json:"key,omitempty"`
	Account string `json:"account,omitempty"`
}

// Whoami says who the service takes this client for.
func (c *Client) Whoami(ctx context.Context) (Caller, error) {
	var who Caller
	_, err := c.call(ctx, http.MethodGet, "/session", nil, "", nil, &who)
	return who, err
}

// MakeKey makes a key of a scope. Its text is shown this once.
func (c *Client) MakeKey(ctx context.Context, name, scope string) (text string, key Key, err error) {
	var made struct {
		Key  Key    `json:"key"`
		Text string `json:"text"`
	}
	_, err = c.post(ctx, http.MethodPost, "/keys", map[string]any{"name": name, "scope": scope}, &made)
	return made.Text, made.Key, err
}

// Keys are the keys, the newest first, with some that were revoked lately.
func (c *Client) Keys(ctx context.Context) ([]Key, error) {
	var all struct {
		Keys []Key `json:"keys"`
	}
	_, err := c.call(ctx, http.MethodGet, "/keys", nil, "", nil, &all)
	return all.Keys, err
}

// RevokeKey ends a key, and the sessions of the console that stand for it.
func (c *Client) RevokeKey(ctx context.Context, id string) error {
	_, err := c.call(ctx, http.MethodDelete, "/keys/"+url.PathEscape(id), nil, "", nil, nil)
	return err
}

// Link makes an address that signs in to the console once, with the key of this client.
func (c *Client) Link(ctx context.Context) (address string, until time.Time, err error) {
	var made struct {
		Path  string    `json:"path"`
		Until time.Time `json:"until"`
	}
	_, err = c.call(ctx, http.MethodPost, "/session/link", nil, "", nil, &made)
	return c.base + made.Path, made.Until, err
}
