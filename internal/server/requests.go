package server

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/gate"
	"yalvo/internal/openapi"
	"yalvo/internal/problem"
	"yalvo/internal/running"
)

// Headers of the API.
const (
	headerAs       = openapi.HeaderAs       // request: the account the caller acts as
	headerPosition = openapi.HeaderPosition // answer to a write: what a read can wait for
	headerRead     = openapi.HeaderRead     // answer: documents read
	headerWrote    = openapi.HeaderWrote    // answer: documents and pairs written
	headerRepeat   = openapi.HeaderRepeat
)

// members decodes an object of which only some members may be there.
func members(raw []byte, known ...string) (map[string]json.RawMessage, error) {
	var all map[string]json.RawMessage
	if err := json.Unmarshal(raw, &all); err != nil || all == nil {
		return nil, wrongInput("", design.MistakeType, "the body must be an object with "+strings.Join(known, ", "))
	}
	for name := range all {
		switch {
		case slices.Contains(known, name):
		case name == "kept":
			return nil, wrongInput("/kept", design.MistakeKept,
				"kept values are Yalvo's to write: change the facts they are derived from")
		default:
			return nil, wrongInput("/"+problem.Clip(name), design.MistakeUnknown,
				"the body may have "+strings.Join(known, ", ")+", nothing else: what you may write goes into facts")
		}
	}
	return all, nil
}

func wrongInput(pointer, code, detail string) error {
	p := problem.New(http.StatusUnprocessableEntity, running.CodeInvalid, "the request does not fit the design")
	p.Errors = []problem.Mistake{problem.At(pointer, code, detail)}
	return p
}

// object decodes an object with its numbers kept exact.
func object(pointer string, raw json.RawMessage) (map[string]any, error) {
	dec := json.NewDecoder(bytes.NewReader(raw))
	dec.UseNumber()
	var m map[string]any
	if err := dec.Decode(&m); err != nil || m == nil {
		return nil, wrongInput(pointer, design.MistakeType, "this must be an object")
	}
	return m, nil
}

// caller reads who asks, and the key of a request that may be repeated.
func caller(c *echo.Context, body []byte) (running.Caller, error) {
	h := c.Request().Header
	who := running.Caller{Viewer: viewer(c), Key: h.Get(headerRepeat)}
	if who.Key == "" {
		return who, nil
	}
	if len(who.Key) > 200 || strings.ContainsFunc(who.Key, func(r rune) bool { return r < ' ' || r > '~' }) {
		return who, problem.BadRequest("the header " + headerRepeat +
			" must hold at most 200 printable ASCII characters")
	}
	sum := sha256.New()
	fmt.Fprintf(sum, "%s %s\n%s\n%s\n", c.Request().Method, c.Request().URL.EscapedPath(), who.Me, h.Get("If-Match"))
	sum.Write(body)
	who.Request = sum.Sum(nil)
	return who, nil
}

// segments are the parts of the path after a prefix, each unescaped by itself,
// so that an escaped slash stays within its part.
func segments(c *echo.Context, after string) ([]string, error) {
	rest := strings.TrimPrefix(c.Request().URL.EscapedPath(), Prefix+after)
	var parts []string
	for _, part := range strings.Split(strings.Trim(rest, "/"), "/") {
		plain, err := url.PathUnescape(part)
		if err != nil {
			return nil, problem.BadRequest(fmt.Sprintf("%q in the path cannot be unescaped", part))
		}
		parts = append(parts, plain)
	}
	return parts, nil
}

// How long a read waits for its positions to settle.
const (
	usualPatience = 10 * time.Second
	mostPatience  = 60 * time.Second
)

// settle waits as the request's `settled` and `patience` ask.
func (s *Server) settle(c *echo.Context) error {
	if c.Request().URL.RawQuery == "" {
		return nil
	}
	patience, err := patienceOf(c)
	if err != nil {
		return err
	}
	query := c.QueryParams()
	positions := query.Get("settled")
	switch {
	case positions == "" && query.Has("settled"):
		return problem.BadRequest("settled is empty: give what a write answered with, or `all`")
	case positions == "" && query.Has("patience"):
		return problem.BadRequest("patience is for how long to wait for positions: give settled too")
	case positions == "":
		return nil
	}
	end, fits := s.gate.Waiting.Add(1)
	if !fits {
		return problem.Busy("too many reads wait for a position")
	}
	defer end()
	return gate.Outside(c, func() error { return s.waitSettled(c, positions, patience) })
}

// patienceOf is how long a read waits for its positions.
func patienceOf(c *echo.Context) (time.Duration, error) {
	text := c.QueryParam("patience")
	if text == "" {
		return usualPatience, nil
	}
	seconds, err := strconv.ParseFloat(text, 64)
	if most := mostPatience.Seconds(); err != nil || !(seconds >= 0 && seconds <= most) {
		return 0, problem.BadRequest(fmt.Sprintf("patience must be a number of seconds from 0 to %v, not %q", most,
			problem.Clip(text)))
	}
	return time.Duration(seconds * float64(time.Second)), nil
}

// waitSettled waits as long as the client does and the service runs.
func (s *Server) waitSettled(c *echo.Context, positions string, patience time.Duration) error {
	ctx, cancel := context.WithCancel(c.Request().Context())
	defer cancel()
	go func() {
		select {
		case <-s.closing:
			cancel()
		case <-ctx.Done():
		}
	}()
	return s.Reading.WaitSettled(ctx, positions, patience)
}

// How many elements a page has.
const (
	usualLimit = 30
	mostLimit  = 200
)

func limit(c *echo.Context) (int, error) {
	text := c.QueryParam("limit")
	if text == "" {
		return usualLimit, nil
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 || n > mostLimit {
		return 0, problem.BadRequest(fmt.Sprintf("limit must be a whole number from 1 to %d, not %q", mostLimit,
			problem.Clip(text)))
	}
	return n, nil
}

func cost(c *echo.Context, read, wrote int) {
	c.Response().Header().Set(headerRead, strconv.Itoa(read))
	c.Response().Header().Set(headerWrote, strconv.Itoa(wrote))
}
