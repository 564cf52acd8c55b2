package operating

import (
	"context"
	"encoding/json"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/request"
	"yalvo/internal/engine/proof"
)

func (s *API) postAudit(c *echo.Context) error {
	scope, err := scopeIn(c)
	if err != nil {
		return err
	}
	a, err := s.Proof.Audit(c.Request().Context(), scope)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, a)
}

func scopeIn(c *echo.Context) (proof.Scope, error) {
	var scope proof.Scope
	if c.Request().ContentLength == 0 {
		return scope, nil
	}
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return scope, err
	}
	parts, err := request.Members(raw, "duplicate", "document", "mend")
	if err != nil {
		return scope, err
	}
	for name, into := range map[string]any{"duplicate": &scope.Name, "document": &scope.Document, "mend": &scope.Mend} {
		if parts[name] == nil {
			continue
		}
		if err := json.Unmarshal(parts[name], into); err != nil {
			return scope, request.Wrong("/"+name, design.MistakeType,
				"duplicate and document are strings, mend is true or false")
		}
	}
	return scope, nil
}

func (s *API) getAudits(c *echo.Context) error {
	many, err := request.Limit(c)
	if err != nil {
		return err
	}
	all, err := s.Proof.Audits(c.Request().Context(), many)
	if err != nil {
		return err
	}
	every, err := s.Proof.AuditSchedule(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"audits": all, "every_seconds": int64(every.Seconds())})
}

// anAudit answers with an audit that something was done to.
func (s *API) anAudit(act func(context.Context, int64) (proof.Audit, error)) func(*echo.Context) error {
	return func(c *echo.Context) error {
		id, err := request.Number(c)
		if err != nil {
			return err
		}
		if err := request.NoBody(c); err != nil {
			return err
		}
		a, err := act(c.Request().Context(), id)
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, a)
	}
}

// getDrift answers what an audit has found, in the order it was found; ?after=
// reads on.
func (s *API) getDrift(c *echo.Context) error {
	id, err := request.Number(c)
	if err != nil {
		return err
	}
	many, err := request.Limit(c)
	if err != nil {
		return err
	}
	var after int64
	if text := c.QueryParam("after"); text != "" {
		if after, err = strconv.ParseInt(text, 10, 64); err != nil {
			return problem.BadRequest("after must be the seq of the last row of the page before")
		}
	}
	all, err := s.Proof.Drift(c.Request().Context(), id, after, many)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"drift": all})
}

// putAuditSchedule sets how often everything is audited by itself.
func (s *API) putAuditSchedule(c *echo.Context) error {
	raw, err := request.Body(c, echo.MIMEApplicationJSON)
	if err != nil {
		return err
	}
	parts, err := request.Members(raw, "every_seconds")
	if err != nil {
		return err
	}
	var seconds int64
	if err := json.Unmarshal(parts["every_seconds"], &seconds); err != nil || seconds < 0 {
		return request.Wrong("/every_seconds", design.MistakeType,
			"every_seconds must be a whole number of seconds, 0 for never")
	}
	if err := s.Proof.ScheduleAudit(c.Request().Context(), time.Duration(seconds)*time.Second); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}
