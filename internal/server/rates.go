package server

import (
	"fmt"
	"hash/fnv"
	"net"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
)

// rateBuckets is how many callers are told apart: so many at most are remembered, whatever
// is sent, and two that meet in one share its rate.
const rateBuckets = 1 << 16

// burst is how many seconds' worth of requests may come at once.
const burst = 2

// limited bounds how many requests a second each address, and each account, is answered.
func (s *Server) limited() []echo.MiddlewareFunc {
	if s.rate <= 0 {
		return nil
	}
	by := func(what string, of func(*echo.Context) string) echo.MiddlewareFunc {
		return middleware.RateLimiterWithConfig(middleware.RateLimiterConfig{
			Skipper: func(c *echo.Context) bool { return of(c) == "" },
			Store: middleware.NewRateLimiterMemoryStoreWithConfig(middleware.RateLimiterMemoryStoreConfig{
				Rate: s.rate, Burst: max(1, int(burst*s.rate)), ExpiresIn: time.Minute}),
			IdentifierExtractor: func(c *echo.Context) (string, error) { return bucketOf(of(c)), nil },
			DenyHandler: func(*echo.Context, string, error) error {
				return newProblem(http.StatusTooManyRequests, codeTooFast, fmt.Sprintf(
					"more than %g requests a second come from this %s: wait, and then ask again", s.rate, what))
			},
		})
	}
	return []echo.MiddlewareFunc{
		by("address", func(c *echo.Context) string {
			host, _, err := net.SplitHostPort(c.Request().RemoteAddr)
			if err != nil {
				return c.Request().RemoteAddr
			}
			return host
		}),
		by("account", func(c *echo.Context) string { return c.Request().Header.Get(headerAs) }),
	}
}

// bucketOf is the bucket of a caller.
func bucketOf(caller string) string {
	h := fnv.New32a()
	h.Write([]byte(caller)) // never fails
	return fmt.Sprint(h.Sum32() % rateBuckets)
}

// foreignPages lets pages of other origins call the service that were named to it (Fetch
// Standard, CORS protocol).
func (s *Server) foreignPages() []echo.MiddlewareFunc {
	if len(s.origins) == 0 {
		return nil
	}
	return []echo.MiddlewareFunc{middleware.CORSWithConfig(middleware.CORSConfig{AllowOrigins: s.origins,
		AllowMethods: []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch,
			http.MethodDelete},
		AllowHeaders: []string{echo.HeaderContentType, "If-Match", "If-None-Match", "Last-Event-ID", headerAs,
			headerRepeat},
		ExposeHeaders: []string{"ETag", "Location", "Retry-After", headerPosition, headerRead, headerWrote,
			echo.HeaderXRequestID},
		MaxAge: 600})}
}
