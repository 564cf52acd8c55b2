package request

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"io"
	"net/http"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/problem"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/store"
)

// Cursors turns places in a sequence into tokens and back. What a token says is nobody's
// business, such as how many entries were passed over that its bearer may not read: it is
// encrypted, together with the path it was given for, so that it works there and unaltered
// only (AES-GCM, NIST SP 800-38D). Its nonce is made of what it says: the same place has the
// same token, and so a page the same tag.
type Cursors struct {
	key   []byte // of the nonces
	aead  cipher.AEAD
	wrong error // the key cannot be used
}

// NewCursors encrypts with keys that are derived from one.
func NewCursors(key []byte) Cursors {
	derived := sha256.Sum256(append([]byte("cursors\n"), key...))
	block, err := aes.NewCipher(derived[:])
	if err != nil {
		return Cursors{wrong: err}
	}
	aead, err := cipher.NewGCM(block)
	return Cursors{key, aead, err}
}

type token struct {
	Key    string `json:"k,omitempty"`
	Rank   int64  `json:"r,omitempty"`
	Values string `json:"v,omitempty"`
	N      int64  `json:"n,omitempty"`
	Given  int    `json:"g,omitempty"`
	Top    int64  `json:"t,omitempty"`
}

// seal encrypts a text for a path.
func (cs Cursors) seal(path string, text []byte) []byte {
	mac := hmac.New(sha256.New, cs.key)
	mac.Write([]byte(path + "\n"))
	mac.Write(text)
	nonce := mac.Sum(nil)[:cs.aead.NonceSize()]
	return cs.aead.Seal(nonce, nonce, text, []byte(path))
}

// open is the text that was sealed for a path.
func (cs Cursors) open(path string, sealed []byte) ([]byte, error) {
	size := cs.aead.NonceSize()
	if len(sealed) < size {
		return nil, io.ErrUnexpectedEOF
	}
	return cs.aead.Open(nil, sealed[:size], sealed[size:], []byte(path))
}

// Write makes the token of the next page, "" if there is none.
func (cs Cursors) Write(c *echo.Context, next *documents.Page) (string, error) {
	if next == nil || cs.wrong != nil {
		return "", cs.wrong
	}
	after := next.After
	text, err := json.Marshal(token{after.Key, after.Rank, after.Values, after.N, next.Given, next.Top})
	if err != nil {
		return "", err
	}
	return base64.RawURLEncoding.EncodeToString(cs.seal(c.Request().URL.EscapedPath(), text)), nil
}

// Page reads which page a request asks for.
func (cs Cursors) Page(c *echo.Context) (documents.Page, error) {
	many, err := Limit(c)
	page := documents.Page{After: documents.FromTheTop, Limit: many}
	given := c.QueryParam("cursor")
	switch {
	case err != nil || given == "":
		return page, err
	case cs.wrong != nil:
		return page, cs.wrong
	}
	bad := problem.New(http.StatusBadRequest, problem.CodeBadCursor,
		"the cursor was not given out here: begin without one, then use `next` of each page for the following one")
	raw, err := base64.RawURLEncoding.DecodeString(given)
	if err != nil {
		return page, bad
	}
	text, err := cs.open(c.Request().URL.EscapedPath(), raw)
	if err != nil {
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
