package gate

import (
	"fmt"
	"hash/maphash"
	"net"
	"net/http"
	"net/netip"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
)

// rateBuckets is how many callers are told apart: so many at most are remembered, whatever
// is sent, and two that meet in one share its rate.
const rateBuckets = 1 << 16

// burst is how many seconds' worth of requests may come at once.
const burst = 2

// RateByAddress bounds how many requests a second each address is answered.
func (g *Guard) RateByAddress() []echo.MiddlewareFunc {
	return g.rate("address", (*echo.Context).RealIP)
}

// Address finds the address that a request comes from: the one that the connection has, or,
// of proxies that are believed, the one they have put into X-Forwarded-For. Of IPv6 it is the
// network, of which whoever has one address has them all.
func (g *Guard) Address() echo.IPExtractor {
	find := echo.ExtractIPDirect()
	if len(g.Behind) > 0 {
		trust := []echo.TrustOption{echo.TrustLoopback(false), echo.TrustLinkLocal(false), echo.TrustPrivateNet(false)}
		for _, network := range g.Behind {
			trust = append(trust, echo.TrustIPRange(&net.IPNet{IP: network.Addr().AsSlice(),
				Mask: net.CIDRMask(network.Bits(), network.Addr().BitLen())}))
		}
		find = echo.ExtractIPFromXFFHeader(trust...)
	}
	return func(r *http.Request) string {
		text := find(r)
		ip, err := netip.ParseAddr(text)
		if err != nil || ip.Unmap().Is4() {
			return text
		}
		return netip.PrefixFrom(ip, 64).Masked().String()
	}
}

// RateByAccount bounds how many requests a second each account is answered.
func (g *Guard) RateByAccount() []echo.MiddlewareFunc {
	return g.rate("account", func(c *echo.Context) string { return noted(c, accountKey) })
}

func (g *Guard) rate(what string, of func(*echo.Context) string) []echo.MiddlewareFunc {
	if g.Rate <= 0 {
		return nil
	}
	return []echo.MiddlewareFunc{middleware.RateLimiterWithConfig(middleware.RateLimiterConfig{
		Skipper: func(c *echo.Context) bool { return of(c) == "" },
		Store: middleware.NewRateLimiterMemoryStoreWithConfig(middleware.RateLimiterMemoryStoreConfig{
			Rate: g.Rate, Burst: max(1, int(burst*g.Rate)), ExpiresIn: time.Minute}),
		IdentifierExtractor: func(c *echo.Context) (string, error) { return bucketOf(of(c)), nil },
		DenyHandler: func(*echo.Context, string, error) error {
			return problem.New(http.StatusTooManyRequests, problem.CodeTooFast, fmt.Sprintf(
				"more than %g requests a second come from this %s: wait, and then ask again", g.Rate, what))
		},
	})}
}

// rateSeed is another one in each process: nobody can find callers that share a bucket.
var rateSeed = maphash.MakeSeed()

// bucketOf is the bucket of a caller.
func bucketOf(caller string) string {
	return fmt.Sprint(maphash.String(rateSeed, caller) % rateBuckets)
}

// ForeignPages lets pages of other origins call the service that were named to it (Fetch
// Standard, CORS protocol).
func (g *Guard) ForeignPages() []echo.MiddlewareFunc {
	if len(g.Origins) == 0 {
		return nil
	}
	return []echo.MiddlewareFunc{middleware.CORSWithConfig(middleware.CORSConfig{AllowOrigins: g.Origins,
		AllowMethods: []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch,
			http.MethodDelete},
		AllowHeaders: []string{echo.HeaderAuthorization, echo.HeaderContentType, "If-Match", "If-None-Match",
			"Last-Event-ID", openapi.HeaderAs, openapi.HeaderRepeat},
		ExposeHeaders: []string{"ETag", "Location", "Retry-After", openapi.HeaderPosition, openapi.HeaderRead,
			openapi.HeaderWrote,
			echo.HeaderXRequestID},
		MaxAge: 600})}
}
