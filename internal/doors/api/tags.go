package api

import (
	"encoding/json"
	"net/http"
	"strconv"
	"sync"

	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/request"

	"github.com/labstack/echo/v5"
)

// answerTagged answers with a JSON text, or with 304 if the client has it already
// (RFC 9110, section 13.1.2).
func (s *API) answerTagged(c *echo.Context, tag string, text []byte) error {
	h := c.Response().Header()
	h.Set("ETag", tag)
	h.Set(echo.HeaderCacheControl, "private, no-cache") // keep it, and ask whether it still holds
	h.Add(echo.HeaderVary, openapi.HeaderAs+", "+echo.HeaderAuthorization+", Cookie")
	unchanged := request.HasAlready(c.Request().Header.Get("If-None-Match"), tag)
	s.meter(c, text, unchanged)
	if unchanged {
		return c.NoContent(http.StatusNotModified)
	}
	h.Set(echo.HeaderContentLength, strconv.Itoa(len(text))) // else it goes out in chunks
	return s.send(c, text)
}

// send sends a JSON text that may be large.
func (s *API) send(c *echo.Context, text []byte) error {
	sent, err := s.Gate.Answer(text)
	if err != nil {
		return err
	}
	defer sent()
	return c.Blob(http.StatusOK, echo.MIMEApplicationJSON, text)
}

// paper is what pages are written on. It is used again, unless it has become large.
var paper = sync.Pool{New: func() any { return new([]byte) }}

const largePaper = 256 << 10

// answerPageText answers with a page that is written now.
func (s *API) answerPageText(c *echo.Context, write func([]byte) ([]byte, error)) error {
	sheet := paper.Get().(*[]byte)
	defer paper.Put(sheet)
	text, err := write((*sheet)[:0])
	if err != nil {
		return err
	}
	if cap(text) <= largePaper {
		*sheet = text
	}
	return s.answerTagged(c, request.TagOf(text), text)
}

// answerDocument answers with a document.
func (s *API) answerDocument(c *echo.Context, version int64, document any) error {
	text, err := json.Marshal(document)
	if err != nil {
		return err
	}
	return s.answerTagged(c, request.DocumentTag(version, text), text)
}
