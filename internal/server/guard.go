package server

import (
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/labstack/echo/v5"
)

// Times that a connection has.
const (
	queueTime  = 10 * time.Second // for a place at the gate
	headerTime = 10 * time.Second
	idleTime   = 2 * time.Minute
	answerTime = 100 * time.Second // from the request to the end of its answer; reads may wait for 60
	eventTime  = 30 * time.Second  // for an event of a live read
	grace      = 4 * time.Second   // for requests under way when the service stops
)

// maxHeader is the most bytes the header of a request may have.
const maxHeader = 32 << 10

// LevelRequests is the level at which every request is logged: below what an
// operator needs day by day.
const LevelRequests = slog.LevelDebug + 2

func (s *Server) logRequest(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		ctx := c.Request().Context()
		id := rand.Text()
		c.Response().Header().Set(echo.HeaderXRequestID, id)
		if !s.log.Enabled(ctx, LevelRequests) {
			return next(c)
		}
		began := time.Now()
		err := next(c)
		if err != nil {
			s.answerError(c, err)
		}
		status := 0
		if r, err := echo.UnwrapResponse(c.Response()); err == nil {
			status = r.Status
		}
		// No query and no body: there may be what nobody is to read.
		s.log.Log(ctx, LevelRequests, "request", "id", id, "method", c.Request().Method, "path", c.Request().URL.Path,
			"status", status, "took", time.Since(began).Round(time.Microsecond), "from", c.Request().RemoteAddr, "as",
			clip(c.Request().Header.Get(headerAs)))
		return nil
	}
}

// guard turns away what no handler is to see: requests by a name or from a page
// that is not this service's, and addresses that are no text. It says how long
// the connection has.
func (s *Server) guard(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if err := s.checkOrigin(r); err != nil {
			return err
		}
		if err := checkAddress(r); err != nil {
			return err
		}
		if err := s.hasten(c, time.Now()); err != nil {
			return err
		}
		return next(c)
	}
}

// hasten sets the times by which a request's body must be there and its answer
// taken.
func (s *Server) hasten(c *echo.Context, now time.Time) error {
	control := http.NewResponseController(c.Response())
	err := control.SetWriteDeadline(now.Add(answerTime))
	if err == nil && c.Request().ContentLength != 0 {
		err = control.SetReadDeadline(now.Add(s.bodyTime))
	}
	if errors.Is(err, http.ErrNotSupported) { // not a connection, as in a test of a handler alone
		return nil
	}
	return err
}

// checkOrigin keeps pages of other sites off: a browser sends what they ask for,
// to loopback too, and a name of theirs can be made to lead here. Requests of
// programs have no Origin.
func (s *Server) checkOrigin(r *http.Request) error {
	if !s.isKnownAs(r.Host) {
		return newProblem(http.StatusMisdirectedRequest, codeForeign,
			fmt.Sprintf("this service is not known as %q: call it by its address, or start it with --known-as NAME",
				clip(r.Host)))
	}
	foreign := newProblem(http.StatusForbidden, codeForeign,
		"the request comes from a page of another origin, and only the service's own pages may call it")
	origin := r.Header.Get("Origin")
	if slices.Contains(s.origins, origin) {
		return nil
	}
	if origin != "" {
		from, err := url.Parse(origin)
		if err != nil || !strings.EqualFold(from.Host, r.Host) {
			return foreign
		}
	}
	if site := r.Header.Get("Sec-Fetch-Site"); strings.HasPrefix(r.URL.Path, Prefix) &&
		site != "" && site != "same-origin" && site != "none" {
		return foreign
	}
	return nil
}

// isKnownAs tells whether requests may name the service so. Addresses cannot be
// made to lead elsewhere. A service that listens beyond its machine and was not
// told its names takes all.
func (s *Server) isKnownAs(host string) bool {
	name := host
	if h, _, err := net.SplitHostPort(host); err == nil {
		name = h
	}
	name = strings.Trim(name, "[]")
	if strings.EqualFold(name, "localhost") || net.ParseIP(name) != nil {
		return true
	}
	if len(s.known) == 0 {
		return s.beyond
	}
	return slices.ContainsFunc(s.known, func(k string) bool { return strings.EqualFold(k, name) })
}

// checkAddress sees that the path and the query of a request are text.
func checkAddress(r *http.Request) error {
	if !isText(r.URL.Path) {
		return badRequest("the path must be UTF-8 without control characters")
	}
	if r.URL.RawQuery == "" {
		return nil
	}
	query, err := url.ParseQuery(r.URL.RawQuery)
	if err != nil {
		return badRequest("the query cannot be read: escape what is not a letter or digit, and join parameters with &")
	}
	for name, values := range query {
		if !isText(name) || slices.ContainsFunc(values, func(v string) bool { return !isText(v) }) {
			return badRequest("the query must be UTF-8 without control characters")
		}
		if len(values) > 1 {
			return badRequest(fmt.Sprintf("%q stands in the query twice", clip(name)))
		}
	}
	return nil
}

func isText(s string) bool {
	return utf8.ValidString(s) && !strings.ContainsFunc(s, func(r rune) bool { return r < ' ' || r == 0x7F })
}
