package gate

import (
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
)

// LevelRequests is the level at which every request is logged: below what an
// operator needs day by day.
const LevelRequests = slog.LevelDebug + 2

// Guard turns requests away that no handler is to see, and logs the others.
type Guard struct {
	Log      *slog.Logger
	KnownAs  []string       // names that requests may call the service by, besides its addresses and localhost
	Beyond   bool           // it listens beyond its machine: without KnownAs any name is taken
	Origins  []string       // of pages elsewhere that may call the service, as in https://app.example
	Rate     float64        // requests a second of an address or an account, 0 for any number
	Behind   []netip.Prefix // proxies that are believed whose requests they pass on
	BodyTime time.Duration  // until a body must be there

	Refuse func(*echo.Context, error) // answers a request with an error
}

// Requests is the middleware that names every request, and logs it at [LevelRequests].
func (g *Guard) Requests(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		ctx := c.Request().Context()
		id := rand.Text()
		c.Response().Header().Set(echo.HeaderXRequestID, id)
		if !g.Log.Enabled(ctx, LevelRequests) {
			return next(c)
		}
		began := time.Now()
		err := next(c)
		if err != nil {
			g.Refuse(c, err)
		}
		status := 0
		if r, err := echo.UnwrapResponse(c.Response()); err == nil {
			status = r.Status
		}
		// No query and no body: there may be what nobody is to read.
		g.Log.Log(ctx, LevelRequests, "request", "id", id, "method", c.Request().Method, "path", c.Request().URL.Path,
			"status", status, "took", time.Since(began).Round(time.Microsecond), "from", c.RealIP(), "by", callerOf(c))
		return nil
	}
}

// Where a request's context keeps who has sent it.
const (
	callerKey  = "caller"
	accountKey = "account"
)

// SetCaller notes by what name the log knows who has sent a request, and as which account.
func SetCaller(c *echo.Context, name, account string) {
	c.Set(callerKey, name)
	c.Set(accountKey, account)
}

// callerOf is that name, empty for a stranger.
func callerOf(c *echo.Context) string { return noted(c, callerKey) }

func noted(c *echo.Context, key string) string {
	name, _ := c.Get(key).(string)
	return name
}

// Check is the middleware that turns away requests by a name or from a page that is not
// this service's, and addresses that are no text. It says how long the connection has.
func (g *Guard) Check(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if err := g.checkOrigin(r); err != nil {
			return err
		}
		if err := CheckAddress(r); err != nil {
			return err
		}
		if err := g.hasten(c, time.Now()); err != nil {
			return err
		}
		return next(c)
	}
}

// hasten sets the times by which a request's body must be there and its answer
// taken.
func (g *Guard) hasten(c *echo.Context, now time.Time) error {
	control := http.NewResponseController(c.Response())
	err := control.SetWriteDeadline(now.Add(answerTime))
	if err == nil && c.Request().ContentLength != 0 {
		err = control.SetReadDeadline(now.Add(g.BodyTime))
	}
	if errors.Is(err, http.ErrNotSupported) { // not a connection, as in a test of a handler alone
		return nil
	}
	return err
}

// checkOrigin keeps pages of other sites off: a browser sends what they ask for,
// to loopback too, and a name of theirs can be made to lead here. Requests of
// programs have no Origin.
func (g *Guard) checkOrigin(r *http.Request) error {
	if !g.isKnownAs(r.Host) {
		return problem.New(http.StatusMisdirectedRequest, problem.CodeForeign,
			fmt.Sprintf("this service is not known as %q: call it by its address, or start it with --known-as NAME",
				problem.Clip(r.Host)))
	}
	foreign := problem.New(http.StatusForbidden, problem.CodeForeign,
		"the request comes from a page of another origin, and only the service's own pages may call it")
	origin := r.Header.Get("Origin")
	if slices.Contains(g.Origins, origin) {
		return nil
	}
	if origin != "" {
		from, err := url.Parse(origin)
		if err != nil || !strings.EqualFold(from.Host, r.Host) {
			return foreign
		}
	}
	if site := r.Header.Get("Sec-Fetch-Site"); strings.HasPrefix(r.URL.Path, openapi.Prefix) &&
		site != "" && site != "same-origin" && site != "none" {
		return foreign
	}
	return nil
}

// isKnownAs tells whether requests may name the service so. Addresses cannot be
// made to lead elsewhere. A service that listens beyond its machine and was not
// told its names takes all.
func (g *Guard) isKnownAs(host string) bool {
	name := host
	if h, _, err := net.SplitHostPort(host); err == nil {
		name = h
	}
	name = strings.Trim(name, "[]")
	if strings.EqualFold(name, "localhost") || net.ParseIP(name) != nil {
		return true
	}
	if len(g.KnownAs) == 0 {
		return g.Beyond
	}
	return slices.ContainsFunc(g.KnownAs, func(k string) bool { return strings.EqualFold(k, name) })
}

// CheckAddress sees that the path and the query of a request are text.
func CheckAddress(r *http.Request) error {
	if !isText(r.URL.Path) {
		return problem.BadRequest("the path must be UTF-8 without control characters")
	}
	if r.URL.RawQuery == "" {
		return nil
	}
	query, err := url.ParseQuery(r.URL.RawQuery)
	if err != nil {
		return problem.BadRequest(
			"the query cannot be read: escape what is not a letter or digit, and join parameters with &")
	}
	for name, values := range query {
		if !isText(name) || slices.ContainsFunc(values, func(v string) bool { return !isText(v) }) {
			return problem.BadRequest("the query must be UTF-8 without control characters")
		}
		if len(values) > 1 {
			return problem.BadRequest(fmt.Sprintf("%q stands in the query twice", problem.Clip(name)))
		}
	}
	return nil
}

func isText(s string) bool {
	return utf8.ValidString(s) && !strings.ContainsFunc(s, func(r rune) bool { return r < ' ' || r == 0x7F })
}
