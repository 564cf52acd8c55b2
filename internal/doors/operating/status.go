package operating

import (
	"encoding/json"
	"net/http"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/progress"
)

// getStatus answers "is everything settled, and how much is there?".
func (s *API) getStatus(c *echo.Context) error {
	status, err := s.Progress.Status(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, status)
}

// getHistory answers how much was due in the last hour.
func (s *API) getHistory(c *echo.Context) error {
	return c.JSON(http.StatusOK, map[string]any{"samples": s.Progress.History()})
}

type changePage struct {
	Changes []progress.Change `json:"changes"`
	Next    string            `json:"next,omitempty"`
}

// getChanges answers the newest changes, newest first; with ?from= those after
// a place, oldest first, for a program that must miss none.
func (s *API) getChanges(c *echo.Context) error {
	many, err := request.Limit(c)
	if err != nil {
		return err
	}
	var page changePage
	if c.QueryParams().Has("from") {
		page.Changes, page.Next, err = s.Progress.ChangesFrom(c.Request().Context(), c.QueryParam("from"), many)
	} else {
		page.Changes, err = s.Progress.Recent(c.Request().Context(), many)
	}
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, page)
}

func (s *API) getParked(c *echo.Context) error {
	many, err := request.Limit(c)
	if err != nil {
		return err
	}
	all, err := s.Progress.Parked(c.Request().Context(), many)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string][]progress.Parked{"parked": all})
}

func (s *API) retryParked(c *echo.Context) error {
	if err := request.NoBody(c); err != nil {
		return err
	}
	n, err := s.Progress.Retry(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]int64{"retried": n})
}

func (s *API) retryOne(c *echo.Context) error {
	if err := request.NoBody(c); err != nil {
		return err
	}
	work, err := request.Number(c)
	if err != nil {
		return err
	}
	if err := s.Progress.RetryOne(c.Request().Context(), work); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]int64{"retried": 1})
}

// dropParked gives up one piece of parked work.
func (s *API) dropParked(c *echo.Context) error {
	work, err := request.Number(c)
	if err != nil {
		return err
	}
	if err := s.Progress.Drop(c.Request().Context(), work); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// replayTrigger has what a trigger sent sent again, from a position on.
func (s *API) replayTrigger(c *echo.Context) error {
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	parts, err := request.Members(raw, "from")
	if err != nil {
		return err
	}
	var from int64
	if err := json.Unmarshal(parts["from"], &from); err != nil || from < 0 {
		return request.Wrong("/from", design.MistakeType, "from must be a position, a whole number")
	}
	n, err := s.Progress.Replay(c.Request().Context(), c.Param("trigger"), from)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]int64{"replayed": n})
}
