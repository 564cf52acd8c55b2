package request

import (
	"bytes"
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
	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
	"yalvo/internal/engine/running"
)

// Members decodes an object of which only some members may be there.
func Members(raw []byte, known ...string) (map[string]json.RawMessage, error) {
	var all map[string]json.RawMessage
	if err := json.Unmarshal(raw, &all); err != nil || all == nil {
		return nil, Wrong("", design.MistakeType, "the body must be an object with "+strings.Join(known, ", "))
	}
	for name := range all {
		switch {
		case slices.Contains(known, name):
		case name == "kept":
			return nil, Wrong("/kept", design.MistakeKept,
				"kept values are Yalvo's to write: change the facts they are derived from")
		default:
			return nil, Wrong("/"+problem.Clip(name), design.MistakeUnknown, notAMember(name, known))
		}
	}
	return all, nil
}

// notAMember says which members a body may have, and which one may be meant.
func notAMember(name string, known []string) string {
	if near := design.Nearest(name, known); near != "" {
		return fmt.Sprintf("there is no %q here, did you mean %q?", problem.Clip(name), near)
	}
	detail := "the body may have " + strings.Join(known, ", ") + ", nothing else"
	if slices.Contains(known, "facts") {
		detail += ": what you may write goes into facts"
	}
	return detail
}

// Wrong is the problem of what does not fit at a JSON Pointer.
func Wrong(pointer, code, detail string) error {
	p := problem.New(http.StatusUnprocessableEntity, running.CodeInvalid, "the request does not fit the design")
	p.Errors = []problem.Mistake{problem.At(pointer, code, detail)}
	return p
}

// Object decodes an object with its numbers kept exact.
func Object(pointer string, raw json.RawMessage) (map[string]any, error) {
	dec := json.NewDecoder(bytes.NewReader(raw))
	dec.UseNumber()
	var m map[string]any
	if err := dec.Decode(&m); err != nil || m == nil {
		return nil, Wrong(pointer, design.MistakeType, "this must be an object")
	}
	return m, nil
}

// Where a request's context keeps who asks, and whether they have an operator's key.
const (
	viewerKey   = "viewer"
	operatorKey = "operator"
)

// SetViewer notes who asks, and whether with an operator's key.
func SetViewer(c *echo.Context, v running.Viewer, operator bool) {
	c.Set(viewerKey, v)
	c.Set(operatorKey, operator)
}

// IsOperator tells whether a request has brought an operator's key, whoever it acts as.
func IsOperator(c *echo.Context) bool {
	is, _ := c.Get(operatorKey).(bool)
	return is
}

// Viewer is who asks: an operator, or an account or a stranger that one acts as. Of whom
// nothing was found out is a stranger.
func Viewer(c *echo.Context) running.Viewer {
	if v, is := c.Get(viewerKey).(running.Viewer); is {
		return v
	}
	return running.Viewer{Judged: true}
}

// Caller reads who asks, and the key of a request that may be repeated.
func Caller(c *echo.Context, body []byte) (running.Caller, error) {
	h := c.Request().Header
	who := running.Caller{Viewer: Viewer(c), Key: h.Get(openapi.HeaderRepeat)}
	if who.Key == "" {
		return who, nil
	}
	if who.Me == "" && !IsOperator(c) {
		return who, problem.BadRequest("the header " + openapi.HeaderRepeat + " is for who is signed in: strangers " +
			"could " +
			"not be told apart; what a stranger creates with an id of its own can be repeated")
	}
	if len(who.Key) > 200 || strings.ContainsFunc(who.Key, func(r rune) bool { return r < ' ' || r > '~' }) {
		return who, problem.BadRequest("the header " + openapi.HeaderRepeat +
			" must hold at most 200 printable ASCII characters")
	}
	sum := sha256.New()
	fmt.Fprintf(sum, "%s %s\n%s\n%s\n", c.Request().Method, c.Request().URL.EscapedPath(), who.Me, h.Get("If-Match"))
	sum.Write(body)
	who.Request = sum.Sum(nil)
	return who, nil
}

// Segments are the parts of the path after a prefix, each unescaped by itself,
// so that an escaped slash stays within its part.
func Segments(c *echo.Context, after string) ([]string, error) {
	rest := strings.TrimPrefix(c.Request().URL.EscapedPath(), openapi.Prefix+after)
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

// Patience is how long a read waits for its positions.
func Patience(c *echo.Context) (time.Duration, error) {
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

// How many elements a page has.
const (
	UsualLimit = 30
	MostLimit  = 200
)

// Limit is how many elements of a page are asked for.
func Limit(c *echo.Context) (int, error) {
	text := c.QueryParam("limit")
	if text == "" {
		return UsualLimit, nil
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 || n > MostLimit {
		return 0, problem.BadRequest(fmt.Sprintf("limit must be a whole number from 1 to %d, not %q", MostLimit,
			problem.Clip(text)))
	}
	return n, nil
}

// Cost says in the answer how many documents were read, and written.
func Cost(c *echo.Context, read, wrote int) {
	c.Response().Header().Set(openapi.HeaderRead, strconv.Itoa(read))
	c.Response().Header().Set(openapi.HeaderWrote, strconv.Itoa(wrote))
}
