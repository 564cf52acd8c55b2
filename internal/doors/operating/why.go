package operating

import (
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
)

// whyEntry answers why an entry is in a timeline or not.
func (s *API) whyEntry(c *echo.Context) error {
	q, err := request.Needed(c, "timeline", "owner", "entry")
	if err != nil {
		return err
	}
	why, err := s.Proof.WhyEntry(c.Request().Context(), q[0], q[1], q[2])
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, why)
}

// whyKept answers what a kept value is made of.
func (s *API) whyKept(c *echo.Context) error {
	q, err := request.Needed(c, "document", "name")
	if err != nil {
		return err
	}
	sources, err := s.Proof.WhyKept(c.Request().Context(), q[0], q[1])
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, sources)
}

// getRemoval answers what the removal of a document would take along.
func (s *API) getRemoval(c *echo.Context) error {
	q, err := request.Needed(c, "document")
	if err != nil {
		return err
	}
	removal, err := s.Proof.Removal(c.Request().Context(), q[0])
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, removal)
}

// getPlaces answers everywhere a document is duplicated to.
func (s *API) getPlaces(c *echo.Context) error {
	q, err := request.Needed(c, "document")
	if err != nil {
		return err
	}
	places, err := s.Proof.Places(c.Request().Context(), q[0])
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"places": places})
}

func (s *API) getCascade(c *echo.Context) error {
	position, err := strconv.ParseInt(c.Param("position"), 10, 64)
	if err != nil {
		return problem.BadRequest("a change is named by its position, a whole number, not " +
			strconv.Quote(c.Param("position")))
	}
	got, err := s.Proof.Trace(c.Request().Context(), position)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, got)
}
