package server

import (
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/api"
	"yalvo/internal/doors/callers"
	"yalvo/internal/doors/operating"
)

// routes are the addresses of the API.
func (s *Server) routes(v1 *echo.Group) {
	s.callers.Routes(v1)
	apps := &api.API{App: s.App, Facts: s.Facts, Documents: s.Documents, Timelines: s.Timelines, Lists: s.Lists,
		Progress: s.Progress, Live: s.Live, Album: s.Album, Callers: s.callers, Telling: s.telling, Gate: s.gate,
		Cursors: s.cursors, Positions: s.positions, Ends: s.closing}
	apps.Routes(v1, s.anybody)
	operators := &operating.API{App: s.App, Progress: s.Progress, Proof: s.Proof,
		Versions: s.Versions, Drafts: s.Drafts, Bulk: s.Bulk, Album: s.Album}
	operators.Routes(v1, operating.Middleware{Operators: callers.Operators, Settled: apps.Settled})
}

// anybody has a handler serve accounts and strangers, for whom the rules of the design hold,
// and operators: with a key that may read, what is read, and with one that may write, what is
// written.
func (s *Server) anybody(h echo.HandlerFunc) echo.HandlerFunc {
	guarded := func(c *echo.Context) error {
		if err := s.callers.Serves(c); err != nil {
			return err
		}
		return h(c)
	}
	return func(c *echo.Context) error {
		// What has been written was allowed by the design that it was written by; a live read looks by itself.
		reads := callers.Reads(c.Request()) && !strings.HasPrefix(c.Request().URL.Path, api.LivePrefix)
		return s.withOneVersion(c, reads, guarded)
	}
}
