package request

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/gate"
	"yalvo/internal/doors/problem"
)

// Limits of a request's body.
const (
	MaxBody   = 1 << 20 // bytes
	MaxLevels = 64      // arrays and objects in one another
)

// Body reads a request's body and sees that it is JSON as RFC 7493 (I-JSON)
// has it: UTF-8, no name twice in an object, no lone surrogates.
func Body(c *echo.Context, types ...string) ([]byte, error) {
	if err := CheckMediaType(c, types...); err != nil {
		return nil, err
	}
	raw, err := RawBody(c, MaxBody)
	if err != nil {
		return nil, err
	}
	if len(bytes.TrimSpace(raw)) == 0 {
		return nil, problem.New(http.StatusBadRequest, problem.CodeNotJSON, "the body is empty: send a JSON value")
	}
	if bytes.HasPrefix(raw, []byte("\uFEFF")) {
		return nil, problem.New(http.StatusBadRequest, problem.CodeNotJSON,
			"the body begins with a byte order mark, which JSON does not have: send it without")
	}
	if at := tooDeep(raw); at >= 0 {
		return nil, problem.New(http.StatusBadRequest, problem.CodeNotJSON,
			fmt.Sprintf("the body is nested deeper than %d levels, from byte %d on", MaxLevels, at))
	}
	dec := jsontext.NewDecoder(bytes.NewReader(raw))
	if _, err := dec.ReadValue(); err != nil {
		return nil, notJSON(err, raw)
	}
	if _, err := dec.ReadToken(); err != io.EOF {
		return nil, problem.New(http.StatusBadRequest, problem.CodeNotJSON,
			"the body goes on after its JSON value: send one value")
	}
	return raw, nil
}

// CheckMediaType sees that a body is of one of some types, in UTF-8, and not
// packed.
func CheckMediaType(c *echo.Context, types ...string) error {
	h := c.Request().Header
	given := h.Get(echo.HeaderContentType)
	media, params, err := mime.ParseMediaType(given)
	if err != nil || !slices.Contains(types, media) {
		return problem.New(http.StatusUnsupportedMediaType, problem.CodeMediaType,
			fmt.Sprintf("the body's Content-Type is %q: send %s", problem.Clip(given), strings.Join(types, " or ")))
	}
	if charset := params["charset"]; charset != "" && !strings.EqualFold(charset, "utf-8") {
		return problem.New(http.StatusUnsupportedMediaType, problem.CodeMediaType,
			fmt.Sprintf("the body's charset is %q: send UTF-8", problem.Clip(charset)))
	}
	if packed := h.Get(echo.HeaderContentEncoding); packed != "" && !strings.EqualFold(packed, "identity") {
		return problem.New(http.StatusUnsupportedMediaType, problem.CodeMediaType,
			fmt.Sprintf("the body's Content-Encoding is %q: send it as it is", problem.Clip(packed)))
	}
	return nil
}

// RawBody reads a body of a bounded size within a bounded time.
func RawBody(c *echo.Context, most int64) ([]byte, error) {
	raw, err := ReadAll(c, most, gate.BodyTime)
	if err != nil {
		return nil, err
	}
	return raw, gate.EnterLarge(c, len(raw))
}

// ReadAll reads a body whole.
func ReadAll(c *echo.Context, most int64, within time.Duration) ([]byte, error) {
	if c.Request().ContentLength > most {
		return nil, tooBig(most)
	}
	raw, err := io.ReadAll(http.MaxBytesReader(c.Response(), c.Request().Body, most))
	var beyond *http.MaxBytesError
	switch {
	case errors.As(err, &beyond):
		return nil, tooBig(most)
	case errors.Is(err, os.ErrDeadlineExceeded):
		return nil, problem.New(http.StatusRequestTimeout, problem.CodeTooSlow,
			fmt.Sprintf("the body was not there after %v", within))
	case err != nil:
		return nil, problem.BadRequest(
			"the body could not be read to its end: it broke off, or is not sent as its header says")
	}
	// What follows may take longer than the body had.
	if err := http.NewResponseController(c.Response()).SetReadDeadline(time.Time{}); err != nil &&
		!errors.Is(err, http.ErrNotSupported) {
		return nil, err
	}
	return raw, nil
}

func tooBig(most int64) error {
	return problem.New(http.StatusRequestEntityTooLarge, problem.CodeTooBig,
		fmt.Sprintf("the body is larger than %d bytes", most))
}

// NoBody refuses a body where none means anything.
func NoBody(c *echo.Context) error {
	if c.Request().ContentLength != 0 {
		return problem.BadRequest("this request takes no body: send it without")
	}
	return nil
}

// tooDeep is the byte at which JSON is nested deeper than allowed, -1 if it is not.
func tooDeep(raw []byte) int {
	level, quoted := 0, false
	for i := 0; i < len(raw); i++ {
		switch c := raw[i]; {
		case quoted && c == '\\':
			i++
		case c == '"':
			quoted = !quoted
		case quoted:
		case c == '[' || c == '{':
			if level++; level > MaxLevels {
				return i
			}
		case c == ']' || c == '}':
			level--
		}
	}
	return -1
}

// notJSON says in which way and where a body is not JSON.
func notJSON(err error, raw []byte) error {
	p := problem.New(http.StatusBadRequest, problem.CodeNotJSON, "the body is not JSON")
	var syntax *jsontext.SyntacticError
	if !errors.As(err, &syntax) {
		if errors.Is(err, io.ErrUnexpectedEOF) {
			p.Detail = "the body is not JSON: it breaks off"
		}
		return p
	}
	said := strings.TrimPrefix(syntax.Err.Error(), "jsontext: ")
	switch {
	case errors.Is(syntax.Err, jsontext.ErrDuplicateName):
		said = "this name stands here twice"
	case errors.Is(syntax.Err, io.ErrUnexpectedEOF):
		said = "the body breaks off"
	}
	line := 1 + bytes.Count(raw[:min(int(syntax.ByteOffset), len(raw))], []byte("\n"))
	where := fmt.Sprintf("%s, at byte %d in line %d", said, syntax.ByteOffset, line)
	p.Detail += ": " + where
	p.Errors = []problem.Mistake{problem.At(problem.Clip(string(syntax.JSONPointer)), problem.CodeNotJSON, where)}
	return p
}
