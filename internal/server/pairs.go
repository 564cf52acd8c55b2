package server

import (
	"context"
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

// putPair sets a pair. A body is needed only for a pair's own fields.
func (s *Server) putPair(c *echo.Context) error {
	raw, fields, err := pairBody(c)
	if err != nil {
		return err
	}
	return s.writePair(c, raw, func(ctx context.Context, who engine.Caller, link engine.Link) (engine.Result, error) {
		return s.engine.SetPair(ctx, who, link, fields)
	})
}

func pairBody(c *echo.Context) ([]byte, map[string]any, error) {
	if c.Request().ContentLength == 0 {
		return nil, nil, nil
	}
	raw, err := body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return nil, nil, err
	}
	parts, err := members(raw, "fields")
	if err != nil || parts["fields"] == nil {
		return raw, nil, err
	}
	fields, err := object("/fields", parts["fields"])
	return raw, fields, err
}

func (s *Server) deletePair(c *echo.Context) error { return s.writePair(c, nil, s.engine.UnsetPair) }

func (s *Server) writePair(c *echo.Context, raw []byte, act func(context.Context, engine.Caller, engine.Link) (engine.Result, error)) error {
	link, err := s.linkIn(c)
	if err != nil {
		return err
	}
	who, err := caller(c, raw)
	if err != nil {
		return err
	}
	result, err := act(c.Request().Context(), who, link)
	if err != nil {
		return err
	}
	cost(c, result.Read, result.Wrote)
	c.Response().Header().Set(headerPosition, string(result.Position))
	return c.NoContent(http.StatusNoContent)
}
