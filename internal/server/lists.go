package server

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/reading"
)

// listTime is how long a page of a list may take: there are lists that no index puts in order.
const listTime = 10 * time.Second

// getList answers /lists/{list} and, for lists that are asked for a document,
// /lists/{list}/{of}.
func (s *Server) getList(c *echo.Context) error {
	parts, err := segments(c, "/lists")
	if err != nil {
		return err
	}
	if len(parts) > 2 || parts[0] == "" {
		return unknown("a list is at %s/lists/{list}, or at %s/lists/{list}/{of} if it is asked for a document; the "+
			"slashes in the key of a nested one are escaped", Prefix, Prefix)
	}
	ask := reading.ListRequest{Name: parts[0], Params: map[string]string{}}
	if len(parts) == 2 {
		if ask.Of = parts[1]; ask.Of == "" {
			return badRequest("in the path: there is no id after the name of the list")
		}
		for _, id := range strings.Split(ask.Of, "/") {
			if wrong := design.CheckID(id); wrong != "" {
				return badRequest("in the path: " + wrong)
			}
		}
	}
	if err := s.listParams(c, &ask); err != nil {
		return err
	}
	if err := s.settle(c); err != nil {
		return err
	}
	asked, err := showingAsked(c)
	if err != nil {
		return err
	}
	page, err := s.cursors.page(c)
	if err != nil {
		return err
	}
	who, err := viewer(c)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(c.Request().Context(), listTime)
	defer cancel()
	got, err := s.Reading.List(ctx, who, ask, page)
	if err != nil && ctx.Err() != nil && c.Request().Context().Err() == nil {
		return busy(fmt.Sprintf("the list could not be read within %v", listTime))
	}
	if err != nil {
		return err
	}
	return s.answerPage(c, got, asked, got.Linked)
}

// listParams reads the parameters of a list. Nothing but these and those of every page may
// be in the query, nor anything twice.
func (s *Server) listParams(c *echo.Context, ask *reading.ListRequest) error {
	p, err := s.plan(c)
	if err != nil {
		return err
	}
	known := append([]string{"settled", "patience", "limit", "cursor"}, showParams...)
	l := p.List(ask.Name)
	if l == nil {
		return nil // the reader says so
	}
	own := design.FieldNames(l.Params)
	if looks := l.Looks(); looks != "" {
		own = append(own, looks)
	}
	if err := onlyAsks(c, append(known, own...)...); err != nil {
		return err
	}
	query := c.QueryParams()
	for _, name := range own {
		if query.Has(name) {
			ask.Params[name] = query.Get(name)
		}
	}
	return nil
}
