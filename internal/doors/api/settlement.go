package api

import (
	"context"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/gate"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
)

// settle waits as the request's `settled` and `patience` ask.
func (s *API) settle(c *echo.Context) error {
	if c.Request().URL.RawQuery == "" {
		return nil
	}
	patience, err := request.Patience(c)
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
	if positions, err = s.Positions.Asked(c, positions); err != nil || positions == "" {
		return err
	}
	end, fits := s.Gate.Waiting.Add(1)
	if !fits {
		return problem.Busy("too many reads wait for a position")
	}
	defer end()
	return gate.Outside(c, func() error { return s.waitSettled(c, positions, patience) })
}

// waitSettled waits as long as the client does and the service runs.
func (s *API) waitSettled(c *echo.Context, positions string, patience time.Duration) error {
	ctx, cancel := context.WithCancel(c.Request().Context())
	defer cancel()
	go func() {
		select {
		case <-s.Ends:
			cancel()
		case <-ctx.Done():
		}
	}()
	return s.Progress.WaitSettled(ctx, positions, patience)
}

// Settled has a read wait as its query asks.
func (s *API) Settled(h echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if err := s.settle(c); err != nil {
			return err
		}
		return h(c)
	}
}
