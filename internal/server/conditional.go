package server

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/problem"
)

// The tag of a page is a fingerprint of what is answered. That of a document begins with
// the version of its facts, for [ifMatch]: kept values change without it.

func tagOf(text []byte) string { return `"` + fingerprint(text) + `"` }

func documentTag(version int64, text []byte) string {
	return fmt.Sprintf(`"%d.%s"`, version, fingerprint(text))
}

// etag stands for a version of a document's facts alone.
func etag(version int64) string { return fmt.Sprintf("%q", strconv.FormatInt(version, 10)) }

// ifMatch reads the version a client has seen, 0 if it does not care.
func ifMatch(c *echo.Context) (int64, error) {
	tag := c.Request().Header.Get("If-Match")
	if tag == "" || tag == "*" {
		return 0, nil
	}
	version, _, _ := strings.Cut(strings.Trim(tag, `"`), ".")
	n, err := strconv.ParseInt(version, 10, 64)
	if err != nil || n < 1 || !strings.HasPrefix(tag, `"`) || !strings.HasSuffix(tag, `"`) {
		return 0, problem.BadRequest(fmt.Sprintf("If-Match must hold the ETag of one version, as in %s, not %q",
			etag(3),
			problem.Clip(tag)))
	}
	return n, nil
}

// answerTagged answers with a JSON text, or with 304 if the client has it already
// (RFC 9110, section 13.1.2).
func (s *Server) answerTagged(c *echo.Context, tag string, text []byte) error {
	h := c.Response().Header()
	h.Set("ETag", tag)
	h.Set(echo.HeaderCacheControl, "private, no-cache") // keep it, and ask whether it still holds
	h.Add(echo.HeaderVary, headerAs+", "+echo.HeaderAuthorization+", Cookie")
	if hasAlready(c.Request().Header.Get("If-None-Match"), tag) {
		return c.NoContent(http.StatusNotModified)
	}
	h.Set(echo.HeaderContentLength, strconv.Itoa(len(text))) // else it goes out in chunks
	return s.send(c, text)
}

// send sends a JSON text that may be large.
func (s *Server) send(c *echo.Context, text []byte) error {
	sent, err := s.gate.Answer(text)
	if err != nil {
		return err
	}
	defer sent()
	return c.Blob(http.StatusOK, echo.MIMEApplicationJSON, text)
}

// hasAlready tells whether a list of tags has one, or stands for any.
func hasAlready(list, tag string) bool {
	return list != "" && slices.ContainsFunc(strings.Split(list, ","), func(one string) bool {
		one = strings.TrimSpace(one)
		return one == "*" || strings.TrimPrefix(one, "W/") == tag
	})
}

// answerDocument answers with a document.
func (s *Server) answerDocument(c *echo.Context, version int64, document any) error {
	text, err := json.Marshal(document)
	if err != nil {
		return err
	}
	return s.answerTagged(c, documentTag(version, text), text)
}

func fingerprint(text []byte) string {
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:8])
}
