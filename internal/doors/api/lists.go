package api

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/documents"
	"yalvo/internal/engine/lists"
	"yalvo/internal/engine/metering"
)

// listTime is how long a page of a list may take: there are lists that no index puts in order.
const listTime = 10 * time.Second

// getList answers /lists/{list} and, for lists that are asked for a document,
// /lists/{list}/{of}.
func (s *API) getList(c *echo.Context) error {
	ask, own, err := s.listIn(c)
	if err != nil {
		return err
	}
	known := append([]string{"settled", "patience", "limit", "cursor"}, showParams...)
	if err := request.OnlyAsks(c, append(known, own...)...); err != nil {
		return err
	}
	if err := s.settle(c); err != nil {
		return err
	}
	asked, err := showingAsked(c)
	if err != nil {
		return err
	}
	page, err := s.Cursors.Page(c)
	if err != nil {
		return err
	}
	ask.Marks = asked.names
	got, err := s.listPage(c, ask, page)
	if err != nil {
		return err
	}
	countAs(c, metering.Read, "list "+ask.Name)
	return s.answerPage(c, got, asked, got.Linked)
}

func (s *API) listPage(c *echo.Context, ask lists.Request, page documents.Page) (documents.Documents, error) {
	ctx, cancel := context.WithTimeout(c.Request().Context(), listTime)
	defer cancel()
	got, err := s.Lists.List(ctx, request.Viewer(c), ask, page)
	if err != nil && ctx.Err() != nil && c.Request().Context().Err() == nil {
		err = problem.Busy(fmt.Sprintf("the list could not be read within %v", listTime))
	}
	return got, err
}

// listIn is the list that a path names, with what the query says for its parameters, and their
// names.
func (s *API) listIn(c *echo.Context) (ask lists.Request, own []string, err error) {
	parts, err := request.Segments(c, "/lists")
	if err != nil {
		return ask, nil, err
	}
	if len(parts) > 2 || parts[0] == "" {
		return ask, nil, unknown(
			"a list is at %s/lists/{list}, or at %s/lists/{list}/{of} if it is asked for a document; "+
				"the slashes in the key of a nested one are escaped",
			openapi.Prefix,
			openapi.Prefix,
		)
	}
	ask = lists.Request{Name: parts[0], Params: map[string]string{}}
	if len(parts) == 2 {
		if ask.Of = parts[1]; ask.Of == "" {
			return ask, nil, problem.BadRequest("in the path: there is no id after the name of the list")
		}
		for _, id := range strings.Split(ask.Of, "/") {
			if wrong := design.CheckID(id); wrong != "" {
				return ask, nil, problem.BadRequest("in the path: " + wrong)
			}
		}
	}
	own, err = s.listParams(c, &ask)
	return ask, own, err
}

// listParams reads the parameters of a list, and tells their names.
func (s *API) listParams(c *echo.Context, ask *lists.Request) ([]string, error) {
	v, err := s.App.Now(c.Request().Context())
	if err != nil {
		return nil, err
	}
	l, err := v.List(ask.Name)
	if err != nil {
		return nil, err
	}
	own := design.FieldNames(l.Params)
	if looks := l.Looks(); looks != "" {
		own = append(own, looks)
	}
	query := c.QueryParams()
	for _, name := range own {
		if query.Has(name) {
			ask.Params[name] = query.Get(name)
		}
	}
	return own, nil
}
