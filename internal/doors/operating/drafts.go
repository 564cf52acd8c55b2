package operating

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/store/versionsql"
)

func (s *API) getDrafts(c *echo.Context) error {
	all, err := s.Drafts.All(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"drafts": all})
}

func (s *API) getDraft(c *echo.Context) error {
	d, err := s.Drafts.Draft(c.Request().Context(), c.Param("draft"))
	if err != nil {
		return err
	}
	c.Response().Header().Set("ETag", request.ETag(d.Edition))
	return c.JSON(http.StatusOK, d)
}

// putDraft keeps a design that somebody works on, finished or not. If-Match names the edition that it was changed from;
// without, it is a new one. ?base= is the version that it goes from, ?by= who keeps it.
func (s *API) putDraft(c *echo.Context) error {
	edition, err := request.IfMatch(c)
	if err != nil {
		return err
	}
	base := -1
	if asked := c.QueryParam("base"); asked != "" {
		if base, err = strconv.Atoi(asked); err != nil || base < 0 {
			return problem.BadRequest(fmt.Sprintf("base is a version of the design, or 0 for none, not %q",
				problem.Clip(asked)))
		}
	}
	_, raw, err := designText(c)
	if err != nil {
		return err
	}
	kept, err := s.Drafts.Keep(c.Request().Context(), versionsql.Draft{Name: c.Param("draft"), Edition: edition,
		Base: base, Source: string(raw), Author: c.QueryParam("by")})
	if err != nil {
		return err
	}
	kept.Source = "" // whoever asks has it
	c.Response().Header().Set("ETag", request.ETag(kept.Edition))
	return c.JSON(http.StatusOK, kept)
}

func (s *API) deleteDraft(c *echo.Context) error {
	edition, err := request.IfMatch(c)
	if err != nil {
		return err
	}
	if err := s.Drafts.Drop(c.Request().Context(), c.Param("draft"), edition); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}
