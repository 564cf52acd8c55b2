package request

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"net/http"

	"github.com/labstack/echo/v5"

	"yalvo/internal/problem"
	"yalvo/internal/reading"
	"yalvo/internal/store"
)

// Cursors turns places in a sequence into tokens and back. A token is signed
// together with the path it was given for, so it works there and unaltered only.
type Cursors struct{ key []byte }

// NewCursors signs with a key.
func NewCursors(key []byte) Cursors { return Cursors{key} }

type token struct {
	Key    string `json:"k,omitempty"`
	Rank   int64  `json:"r,omitempty"`
	Values string `json:"v,omitempty"`
	N      int64  `json:"n,omitempty"`
	Given  int    `json:"g,omitempty"`
	Top    int64  `json:"t,omitempty"`
}

const signatureSize = 16

func (cs Cursors) sign(path string, text []byte) []byte {
	mac := hmac.New(sha256.New, cs.key)
	mac.Write([]byte(path + "\n"))
	mac.Write(text)
	return mac.Sum(nil)[:signatureSize]
}

// Write makes the token of the next page, "" if there is none.
func (cs Cursors) Write(c *echo.Context, next *reading.Page) (string, error) {
	if next == nil {
		return "", nil
	}
	after := next.After
	text, err := json.Marshal(token{after.Key, after.Rank, after.Values, after.N, next.Given, next.Top})
	if err != nil {
		return "", err
	}
	return base64.RawURLEncoding.EncodeToString(append(cs.sign(c.Request().URL.EscapedPath(), text), text...)), nil
}

// Page reads which page a request asks for.
func (cs Cursors) Page(c *echo.Context) (reading.Page, error) {
	many, err := Limit(c)
	page := reading.Page{After: reading.FromTheTop, Limit: many}
	given := c.QueryParam("cursor")
	if err != nil || given == "" {
		return page, err
	}
	bad := problem.New(http.StatusBadRequest, problem.CodeBadCursor,
		"the cursor was not given out here: begin without one, then use `next` of each page for the following one")
	raw, err := base64.RawURLEncoding.DecodeString(given)
	if err != nil || len(raw) < signatureSize {
		return page, bad
	}
	signature, text := raw[:signatureSize], raw[signatureSize:]
	if !hmac.Equal(signature, cs.sign(c.Request().URL.EscapedPath(), text)) {
		return page, bad
	}
	var t token
	if err := json.Unmarshal(text, &t); err != nil {
		return page, bad
	}
	page.After = store.Boundary{Key: t.Key, Rank: t.Rank, Values: t.Values, N: t.N}
	page.Given, page.Top = t.Given, t.Top
	return page, nil
}
