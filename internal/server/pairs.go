package server

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"yalvo/internal/engine"
)

// linkIn reads /pairs/{pair}/{from}/{to}; a nested document's key has its slashes escaped.
func (s *Server) linkIn(c *echo.Context) (engine.Link, error) {
	parts, err := segments(c, "/pairs")
	if err != nil {
		return engine.Link{}, err
	}
	if len(parts) != 3 {
		return engine.Link{}, unknown("a pair is at %s/pairs/{pair}/{from}/{to}", Prefix)
	}
	link := engine.Link{Pair: parts[0], From: parts[1], To: parts[2]}
	p, err := s.engine.Plan(c.Request().Context())
	if err != nil {
		return link, err
	}
	if pair := p.Pair(link.Pair); pair != nil {
		if _, wrong := pair.From.ParseKey(link.From); wrong != "" {
			return link, badRequest("in the path, the from end: " + wrong)
		}
		if _, wrong := pair.To.ParseKey(link.To); wrong != "" {
			return link, badRequest("in the path, the to end: " + wrong)
		}
	}
	return link, nil
}

func (s *Server) getPair(c *echo.Context) error {
	link, err := s.linkIn(c)
	if err != nil {
		return err
	}
	if err := s.settle(c); err != nil {
		return err
	}
	state, err := s.engine.PairState(c.Request().Context(), link)
	if err != nil {
		return err
	}
	cost(c, 2, 0)
	return c.JSON(http.StatusOK, state)
}

func (s *Server) putPair(c *echo.Context) error    { return s.writePair(c, true) }
func (s *Server) deletePair(c *echo.Context) error { return s.writePair(c, false) }

func (s *Server) writePair(c *echo.Context, set bool) error {
	link, err := s.linkIn(c)
	if err != nil {
		return err
	}
	who, err := caller(c, nil)
	if err != nil {
		return err
	}
	act := s.engine.UnsetPair
	if set {
		act = s.engine.SetPair
	}
	result, err := act(c.Request().Context(), who, link)
	if err != nil {
		return err
	}
	cost(c, result.Read, result.Wrote)
	c.Response().Header().Set(headerPosition, string(result.Position))
	return c.NoContent(http.StatusNoContent)
}
