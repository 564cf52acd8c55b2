package server

import (
	"encoding/json"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/engine"
	"yalvo/internal/store"
)

// audit is a run over the duplicates as clients see it.
type audit struct {
	ID        int64      `json:"id"`
	Duplicate string     `json:"duplicate,omitempty"`
	Document  string     `json:"document,omitempty"`
	State     string     `json:"state"`
	Mending   bool       `json:"mending"`
	Progress  float64    `json:"progress"` // 0 to 1, by the duplicates that have been walked
	Checked   int64      `json:"checked"`
	Drifted   int64      `json:"drifted"`
	Started   time.Time  `json:"started"`
	Ended     *time.Time `json:"ended,omitempty"`
	Error     string     `json:"error,omitempty"`
}

func auditOf(a store.Audit) audit {
	out := audit{ID: a.ID, Duplicate: a.Name, Document: a.Document, State: a.State, Mending: a.Mending, Progress: 1,
		Checked: a.Checked, Drifted: a.Drifted, Started: a.Started.UTC(), Error: a.Error}
	if a.Steps > 0 {
		out.Progress = min(1, float64(a.Step)/float64(a.Steps))
	}
	if a.Ended != nil {
		ended := a.Ended.UTC()
		out.Ended = &ended
	}
	return out
}

// drift is a stored duplicate that differs from the facts.
type drift struct {
	Seq       int64           `json:"seq"`
	Aspect    string          `json:"aspect"`
	Duplicate string          `json:"duplicate"`
	Kind      string          `json:"kind"`
	Document  string          `json:"document,omitempty"` // empty: it is gone
	Other     string          `json:"other,omitempty"`
	Stored    json.RawMessage `json:"stored"`
	Expected  json.RawMessage `json:"expected"`
	Since     *time.Time      `json:"since,omitempty"`
	Mended    *time.Time      `json:"mended,omitempty"`
}

func (s *Server) postAudit(c *echo.Context) error {
	scope, err := scopeIn(c)
	if err != nil {
		return err
	}
	a, err := s.engine.Audit(c.Request().Context(), scope)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, auditOf(a))
}

func scopeIn(c *echo.Context) (engine.Scope, error) {
	var scope engine.Scope
	if c.Request().ContentLength == 0 {
		return scope, nil
	}
	raw, err := body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return scope, err
	}
	parts, err := members(raw, "duplicate", "document", "mend")
	if err != nil {
		return scope, err
	}
	for name, into := range map[string]any{"duplicate": &scope.Name, "document": &scope.Document, "mend": &scope.Mend} {
		if parts[name] == nil {
			continue
		}
		if err := json.Unmarshal(parts[name], into); err != nil {
			return scope, wrongInput("/"+name, design.MistakeType, "duplicate and document are strings, mend is true or false")
		}
	}
	return scope, nil
}

func (s *Server) getAudits(c *echo.Context) error {
	many, err := limit(c)
	if err != nil {
		return err
	}
	rows, err := s.engine.Audits(c.Request().Context(), many)
	if err != nil {
		return err
	}
	every, err := s.engine.AuditSchedule(c.Request().Context())
	if err != nil {
		return err
	}
	all := []audit{}
	for _, a := range rows {
		all = append(all, auditOf(a))
	}
	return c.JSON(http.StatusOK, map[string]any{"audits": all, "every_seconds": int64(every.Seconds())})
}

// numberIn is the number in the path.
func numberIn(c *echo.Context) (int64, error) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return 0, badRequest("the number in the path must be a whole number, not " + strconv.Quote(c.Param("id")))
	}
	return id, nil
}

// anAudit answers with an audit that something was done to.
func (s *Server) anAudit(act func(*echo.Context, int64) (store.Audit, error)) func(*echo.Context) error {
	return func(c *echo.Context) error {
		id, err := numberIn(c)
		if err != nil {
			return err
		}
		a, err := act(c, id)
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, auditOf(a))
	}
}

func (s *Server) getAudit(c *echo.Context, id int64) (store.Audit, error) {
	return s.engine.AuditState(c.Request().Context(), id)
}

func (s *Server) stopAudit(c *echo.Context, id int64) (store.Audit, error) {
	return s.engine.StopAudit(c.Request().Context(), id)
}

func (s *Server) resumeAudit(c *echo.Context, id int64) (store.Audit, error) {
	return s.engine.ResumeAudit(c.Request().Context(), id)
}

func (s *Server) mendAudit(c *echo.Context, id int64) (store.Audit, error) {
	return s.engine.Mend(c.Request().Context(), id)
}

// getDrift answers what an audit has found, in the order it was found; ?after=
// reads on.
func (s *Server) getDrift(c *echo.Context) error {
	id, err := numberIn(c)
	if err != nil {
		return err
	}
	many, err := limit(c)
	if err != nil {
		return err
	}
	var after int64
	if text := c.QueryParam("after"); text != "" {
		if after, err = strconv.ParseInt(text, 10, 64); err != nil {
			return badRequest("after must be the seq of the last row of the page before")
		}
	}
	rows, err := s.engine.Drift(c.Request().Context(), id, after, many)
	if err != nil {
		return err
	}
	all := []drift{}
	for _, d := range rows {
		all = append(all, drift{d.Seq, string(d.Aspect), d.Name, d.Kind, d.Path, d.OtherPath, d.Stored, d.Expected, utc(d.Since), utc(d.Mended)})
	}
	return c.JSON(http.StatusOK, map[string]any{"drift": all})
}

func utc(t *time.Time) *time.Time {
	if t == nil {
		return nil
	}
	u := t.UTC()
	return &u
}

// putAuditSchedule sets how often everything is audited by itself.
func (s *Server) putAuditSchedule(c *echo.Context) error {
	raw, err := body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	parts, err := members(raw, "every_seconds")
	if err != nil {
		return err
	}
	var seconds int64
	if err := json.Unmarshal(parts["every_seconds"], &seconds); err != nil || seconds < 0 {
		return wrongInput("/every_seconds", design.MistakeType, "every_seconds must be a whole number of seconds, 0 for never")
	}
	if err := s.engine.ScheduleAudit(c.Request().Context(), time.Duration(seconds)*time.Second); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}
