package server

import (
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/engine"
)

// needed reads query parameters that must be there.
func needed(c *echo.Context, names ...string) ([]string, error) {
	values := make([]string, len(names))
	for i, name := range names {
		if values[i] = c.QueryParam(name); values[i] == "" {
			return nil, badRequest("the query needs " + name)
		}
	}
	return values, nil
}

// whyEntry answers why an entry is in a timeline or not.
func (s *Server) whyEntry(c *echo.Context) error {
	q, err := needed(c, "timeline", "owner", "entry")
	if err != nil {
		return err
	}
	why, err := s.engine.WhyEntry(c.Request().Context(), q[0], q[1], q[2])
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, why)
}

// whyKept answers what a kept value is made of.
func (s *Server) whyKept(c *echo.Context) error {
	q, err := needed(c, "document", "name")
	if err != nil {
		return err
	}
	sources, err := s.engine.WhyKept(c.Request().Context(), q[0], q[1])
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, sources)
}

// getPlaces answers everywhere a document is duplicated to.
func (s *Server) getPlaces(c *echo.Context) error {
	q, err := needed(c, "document")
	if err != nil {
		return err
	}
	places, err := s.engine.Places(c.Request().Context(), q[0])
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"places": places})
}

// cascade is a change with everything that followed from it.
type cascade struct {
	Change  change `json:"change"`
	Settled bool   `json:"settled"`
	TookMS  int64  `json:"took_ms"`
	Follows []step `json:"follows"`
}

type step struct {
	Says     string `json:"says"`
	Changes  bool   `json:"changes"`
	Many     int64  `json:"many"`
	Rows     int64  `json:"rows"`
	Chunks   int64  `json:"chunks"`
	Attempts int64  `json:"attempts"`
	Left     int64  `json:"left"`
	Parked   int64  `json:"parked"`
	Error    string `json:"error,omitempty"`
	AfterMS  int64  `json:"after_ms"`          // from the change to when it became due
	DoneMS   *int64 `json:"done_ms,omitempty"` // from the change to when the last of it was done
	Example  string `json:"example,omitempty"`
	Follows  []step `json:"follows"`
}

func stepsOf(all []*engine.Step, began time.Time) []step {
	out := []step{}
	for _, s := range all {
		one := step{s.Says, s.Changes, s.Many, s.Rows, s.Chunks, s.Attempts, s.Left, s.Parked, s.Error,
			s.Since.Sub(began).Milliseconds(), nil, s.Example, stepsOf(s.Follows, began)}
		if s.Done != nil && s.Left == 0 {
			ms := s.Done.Sub(began).Milliseconds()
			one.DoneMS = &ms
		}
		out = append(out, one)
	}
	return out
}

func (s *Server) getCascade(c *echo.Context) error {
	position, err := strconv.ParseInt(c.Param("position"), 10, 64)
	if err != nil {
		return badRequest("a change is named by its position, a whole number, not " + strconv.Quote(c.Param("position")))
	}
	if err := s.settle(c); err != nil {
		return err
	}
	got, err := s.engine.Trace(c.Request().Context(), position)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, cascade{changeOf(got.Change), got.Settled, got.Took.Milliseconds(), stepsOf(got.Follows, got.Change.At)})
}
