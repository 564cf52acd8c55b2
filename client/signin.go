package client

import (
	"context"
	"encoding/json"
	"net/http"
)

// Signed is what an account is given that has signed in (RFC 6749, section 5.1). Give the
// access token to [Client.With]; before it expires, get the next with [Client.Refresh].
type Signed struct {
	Account string `json:"account"`
	Access  string `json:"access_token"`
	Type    string `json:"token_type"`
	Expires int    `json:"expires_in"` // seconds
	Refresh string `json:"refresh_token"`
}

// SignUp creates an account with a password, as far as the design lets a stranger.
func (c *Client) SignUp(ctx context.Context, facts map[string]any, password string) (Signed, Document, Position,
	error) {
	var out struct {
		Signed
		Document Document `json:"document"`
	}
	header, err := c.post(ctx, http.MethodPost, "/sign-up", map[string]any{"facts": facts, "password": password}, &out)
	return out.Signed, out.Document, Position(header.Get("Yalvo-Position")), err
}

// Enrol creates the document of the account whose token of the app's identity provider this
// client brings.
func (c *Client) Enrol(ctx context.Context, facts map[string]any) (Document, Position, error) {
	var out struct {
		Document Document `json:"document"`
	}
	header, err := c.post(ctx, http.MethodPost, "/sign-up", map[string]any{"facts": facts}, &out)
	return out.Document, Position(header.Get("Yalvo-Position")), err
}

// SignIn signs an account in: field is what the design says that accounts sign in by.
func (c *Client) SignIn(ctx context.Context, field, name, password string) (Signed, error) {
	var signed Signed
	_, err := c.post(ctx, http.MethodPost, "/sign-in", map[string]any{field: name, "password": password}, &signed)
	return signed, err
}

// Refresh gets a new access token, and a refresh token in the place of this one, which holds
// no more: one that comes twice ends the sign-in.
func (c *Client) Refresh(ctx context.Context, refresh string) (Signed, error) {
	var signed Signed
	_, err := c.post(ctx, http.MethodPost, "/sign-in/refresh", map[string]any{"refresh_token": refresh}, &signed)
	return signed, err
}

// SignOut ends the sign-in of a refresh token. Its access token holds until it expires.
func (c *Client) SignOut(ctx context.Context, refresh string) error {
	_, err := c.post(ctx, http.MethodPost, "/sign-out", map[string]any{"refresh_token": refresh}, nil)
	return err
}

// ChangePassword changes the password of the account whose access token this client brings,
// and ends its sign-ins.
func (c *Client) ChangePassword(ctx context.Context, was, is string) error {
	_, err := c.post(ctx, http.MethodPut, "/password", map[string]any{"old": was, "new": is}, nil)
	return err
}

// GivePassword gives an account a password, as an operator.
func (c *Client) GivePassword(ctx context.Context, account, password string) error {
	_, err := c.post(ctx, http.MethodPut, "/password", map[string]any{"account": account, "new": password}, nil)
	return err
}

// post sends a body in JSON.
func (c *Client) post(ctx context.Context, method, path string, body, out any) (http.Header, error) {
	text, err := json.Marshal(body)
	if err != nil {
		return nil, err
	}
	return c.call(ctx, method, path, nil, "application/json", text, out)
}
