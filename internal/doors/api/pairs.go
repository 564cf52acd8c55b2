package api

import (
	"context"
	"net/http"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/metering"
	"yalvo/internal/engine/running"
)

// linkIn reads /pairs/{pair}/{from}/{to}; a nested document's key has its slashes escaped.
func (s *API) linkIn(c *echo.Context) (running.Link, error) {
	parts, err := request.Segments(c, "/pairs")
	if err != nil {
		return running.Link{}, err
	}
	if len(parts) != 3 {
		return running.Link{}, unknown("a pair is at %s/pairs/{pair}/{from}/{to}", openapi.Prefix)
	}
	link := running.Link{Pair: parts[0], From: parts[1], To: parts[2]}
	v, err := s.App.Now(c.Request().Context())
	if err != nil {
		return link, err
	}
	if pair := v.Plan.Pair(link.Pair); pair != nil {
		if _, wrong := pair.From.ParseKey(link.From); wrong != "" {
			return link, problem.BadRequest("in the path, the from end: " + wrong)
		}
		if _, wrong := pair.To.ParseKey(link.To); wrong != "" {
			return link, problem.BadRequest("in the path, the to end: " + wrong)
		}
	}
	return link, nil
}

func (s *API) getPair(c *echo.Context) error {
	link, err := s.linkIn(c)
	if err != nil {
		return err
	}
	if err := request.OnlyAsks(c, "settled", "patience"); err != nil {
		return err
	}
	if err := s.settle(c); err != nil {
		return err
	}
	who := request.Viewer(c)
	state, err := s.Documents.PairState(c.Request().Context(), who, link)
	if err != nil {
		return err
	}
	request.Cost(c, 2, 0)
	s.App.Meter.Add(metering.Of{Kind: metering.Read, Name: "pair " + link.Pair},
		metering.Counts{Times: 1, Documents: 2, Pairs: 1})
	return c.JSON(http.StatusOK, state)
}

// putPair sets a pair. A body is needed only for facts of a pair's own.
func (s *API) putPair(c *echo.Context) error {
	raw, said, err := pairBody(c)
	if err != nil {
		return err
	}
	return s.writePair(c, raw, func(ctx context.Context, who running.Caller, link running.Link) (facts.Result, error) {
		return s.Facts.SetPair(ctx, who, link, said)
	})
}

func pairBody(c *echo.Context) ([]byte, map[string]any, error) {
	if c.Request().ContentLength == 0 {
		return nil, nil, nil
	}
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return nil, nil, err
	}
	parts, err := request.Members(raw, "facts")
	if err != nil || parts["facts"] == nil {
		return raw, nil, err
	}
	said, err := request.Object("/facts", parts["facts"])
	return raw, said, err
}

func (s *API) deletePair(c *echo.Context) error { return s.writePair(c, nil, s.Facts.UnsetPair) }

func (s *API) writePair(c *echo.Context, raw []byte,
	act func(context.Context, running.Caller, running.Link) (facts.Result, error)) error {
	link, err := s.linkIn(c)
	if err != nil {
		return err
	}
	who, err := request.Caller(c, raw)
	if err != nil {
		return err
	}
	result, err := act(c.Request().Context(), who, link)
	if err != nil {
		return err
	}
	request.Cost(c, result.Read, result.Wrote)
	if err := s.Positions.Tell(c, result.Position); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}
