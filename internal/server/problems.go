package server

import (
	"errors"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/running"
)

// problem is a problem detail (RFC 9457) with a stable code and, for bad
// input, each offending place as a JSON Pointer (RFC 6901) into the body.
type problem struct {
	Type   string    `json:"type"`
	Title  string    `json:"title"`
	Status int       `json:"status"`
	Detail string    `json:"detail"`
	Code   string    `json:"code"`
	Errors []mistake `json:"errors,omitempty"`

	Rule *running.RefusedBy `json:"rule,omitempty"` // the rule that has refused the request
}

type mistake struct {
	Pointer string `json:"pointer"`
	Code    string `json:"code"`
	Detail  string `json:"detail"`
}

// Error is the problem's detail.
func (p *problem) Error() string { return p.Detail }

// The codes of problems that no refusal of the app stands for.
const (
	codeBadRequest = "bad-request"
	codeNotJSON    = "not-json"
	codeTooBig     = "too-big"
	codeMediaType  = "media-type"
	codeBadCursor  = "bad-cursor"
	codeNoRoute    = "no-route"
	codeNoDatabase = "no-database"
	codeNoRoom     = "no-room"
	codeInternal   = "internal"
	codeTooSlow    = "too-slow"
	codeForeign    = "foreign"
	codeTooFast    = "too-fast"
	codeNoMethod   = "no-such-method"
	codeBusy       = "busy"
)

func newProblem(status int, code, detail string) *problem {
	return &problem{Type: "urn:yalvo:problem:" + code, Title: http.StatusText(status), Status: status, Detail: detail,
		Code: code}
}

func badRequest(detail string) *problem {
	return newProblem(http.StatusBadRequest, codeBadRequest, detail)
}

var statusOf = map[string]int{
	running.CodeNoDesign:    http.StatusConflict,
	running.CodeUnknownName: http.StatusNotFound,
	running.CodeNotFound:    http.StatusNotFound,
	running.CodeInvalid:     http.StatusUnprocessableEntity,
	running.CodeConflict:    http.StatusConflict,
	running.CodeStale:       http.StatusPreconditionFailed,
	running.CodeTestFailed:  http.StatusConflict,
	running.CodeHeld:        http.StatusConflict,
	running.CodeNotYet:      http.StatusServiceUnavailable,
	running.CodeReused:      http.StatusUnprocessableEntity,
	running.CodeLoop:        http.StatusConflict,
	running.CodeNoNumbers:   http.StatusConflict,
	running.CodeWouldDrop:   http.StatusConflict,
	running.CodeOtherBase:   http.StatusConflict,
	running.CodeBuilding:    http.StatusServiceUnavailable,
	running.CodeTooMany:     http.StatusTooManyRequests,
	running.CodeNotAllowed:  http.StatusForbidden,
	running.CodeCannotTry:   http.StatusUnprocessableEntity,
}

// answerError is where every error of a request ends: told to the client in a
// way that helps, and logged if it is the service's own fault.
func (s *Server) answerError(c *echo.Context, err error) {
	if r, _ := echo.UnwrapResponse(c.Response()); r != nil && r.Committed {
		return
	}
	p := s.problemOf(c, err)
	if p.Status == http.StatusServiceUnavailable || p.Status == http.StatusTooManyRequests {
		c.Response().Header().Set("Retry-After", "1")
	}
	c.Response().Header().Set(echo.HeaderContentType, echo.MIMEApplicationProblemJSON)
	if err := c.JSON(p.Status, p); err != nil {
		s.log.Warn("a problem could not be sent", "error", err)
	}
}

func (s *Server) problemOf(c *echo.Context, err error) *problem {
	var p *problem
	if errors.As(err, &p) {
		return p
	}
	var refusal *running.Refusal
	if errors.As(err, &refusal) {
		p := newProblem(statusOf[refusal.Code], refusal.Code, refusal.Detail)
		p.Errors, p.Rule = mistakesOf(refusal.Mistakes), refusal.Rule
		return p
	}
	var status echo.HTTPStatusCoder
	if errors.As(err, &status) && status.StatusCode() < 500 {
		return notRouted(c, status.StatusCode())
	}
	if c.Request().Context().Err() != nil {
		return newProblem(http.StatusServiceUnavailable, codeInternal, "the request was given up")
	}
	if s.App.IsAway(err) {
		return newProblem(http.StatusServiceUnavailable, codeNoDatabase,
			"the database is away: try again; a write that "+
				"may have been made is made once if it is repeated with its id or Idempotency-Key")
	}
	if s.App.IsFull(err) {
		return newProblem(http.StatusServiceUnavailable, codeNoRoom,
			"the database has run out of room, on its disk most likely: nothing was written; its operator must "+
				"make room")
	}
	s.log.Error("request failed", "id", c.Response().Header().Get(echo.HeaderXRequestID), "method",
		c.Request().Method, "path", c.Request().URL.Path, "error", err)
	return newProblem(http.StatusInternalServerError, codeInternal, "the service could not answer; its log says why")
}

// notRouted says why a request leads to no handler.
func notRouted(c *echo.Context, status int) *problem {
	r := c.Request()
	if status == http.StatusMethodNotAllowed {
		return newProblem(status, codeNoMethod, fmt.Sprintf("%s cannot be done to %s: it takes %s", r.Method,
			clip(r.URL.Path), c.Response().Header().Get("Allow")))
	}
	return newProblem(status, codeNoRoute, "there is nothing at "+clip(r.URL.Path)+": see "+Prefix+
		"/openapi.json for what there is")
}

// mostMistakes is how many are told at once.
const mostMistakes = 50

func mistakesOf(all []design.Mistake) []mistake {
	var out []mistake
	for i, m := range all {
		if i == mostMistakes {
			return append(out, mistake{"", "more", fmt.Sprintf("and %d more: mend those above first", len(all)-i)})
		}
		out = append(out, mistake{clip(m.Pointer), m.Code, m.Detail})
	}
	return out
}
