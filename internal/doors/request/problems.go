package request

import (
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/doors/openapi"
	"yalvo/internal/doors/problem"
	"yalvo/internal/doors/signin"
	"yalvo/internal/engine/running"
	"yalvo/internal/engine/store"
)

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
	running.CodeNoSignIn:    http.StatusConflict,
	running.CodeNoPicture:   http.StatusUnprocessableEntity,
	running.CodeNoPictures:  http.StatusConflict,

	running.CodeWrongPassword: http.StatusUnauthorized,
	running.CodeSignedOut:     http.StatusUnauthorized,
}

// Telling tells clients of errors.
type Telling struct {
	App *running.App
	Log *slog.Logger
}

// Answer is where every error of a request ends: told to the client in a
// way that helps, and logged if it is the service's own fault.
func (t *Telling) Answer(c *echo.Context, err error) {
	if r, _ := echo.UnwrapResponse(c.Response()); r != nil && r.Committed {
		return
	}
	p := t.problemOf(c, err)
	var soon signin.TooSoon
	switch {
	case errors.As(err, &soon):
		c.Response().Header().Set("Retry-After", strconv.Itoa(int(soon.Wait.Seconds())))
	case p.Status == http.StatusServiceUnavailable || p.Status == http.StatusTooManyRequests:
		c.Response().Header().Set("Retry-After", "1")
	case p.Status == http.StatusUnauthorized && c.Response().Header().Get(echo.HeaderWWWAuthenticate) == "":
		c.Response().Header().Set(echo.HeaderWWWAuthenticate, `Bearer realm="yalvo"`)
	}
	c.Response().Header().Set(echo.HeaderContentType, echo.MIMEApplicationProblemJSON)
	if err := c.JSON(p.Status, p); err != nil {
		t.Log.Warn("a problem could not be sent", "error", err)
	}
}

func (t *Telling) problemOf(c *echo.Context, err error) *problem.Problem {
	var p *problem.Problem
	if errors.As(err, &p) {
		return p
	}
	var refusal *running.Refusal
	if errors.As(err, &refusal) {
		p := problem.New(statusOf[refusal.Code], refusal.Code, refusal.Detail)
		p.Errors = mistakesOf(refusal.Mistakes)
		if refusal.Rule != nil && IsOperator(c) {
			p.Rule = refusal.Rule
		}
		return p
	}
	var status echo.HTTPStatusCoder
	if errors.As(err, &status) && status.StatusCode() < 500 {
		return notRouted(c, status.StatusCode())
	}
	if c.Request().Context().Err() != nil {
		return problem.New(http.StatusServiceUnavailable, problem.CodeInternal, "the request was given up")
	}
	if t.App.IsAway(err) {
		return problem.New(http.StatusServiceUnavailable, problem.CodeNoDatabase,
			"the database is away: try again; a write that "+
				"may have been made is made once if it is repeated with its id or Idempotency-Key")
	}
	if errors.Is(err, running.ErrMoved) {
		return problem.New(http.StatusServiceUnavailable, problem.CodeBusy, "another design has come into force while "+
			"this was worked on: try again; a write that may have been made is made once if it is repeated with its "+
			"id or Idempotency-Key")
	}
	if errors.Is(err, access.ErrBudget) {
		return problem.New(http.StatusServiceUnavailable, problem.CodeBusy, err.Error()+
			": ask for less at once")
	}
	if store.IsBusy(err) {
		return problem.New(http.StatusServiceUnavailable, problem.CodeBusy,
			"something that this needs has been held by others for too long: nothing was written, try again")
	}
	if t.App.IsFull(err) {
		return problem.New(http.StatusServiceUnavailable, problem.CodeNoRoom,
			"the database has run out of room, on its disk most likely: nothing was written; its operator must "+
				"make room")
	}
	t.Log.Error("request failed", "id", c.Response().Header().Get(echo.HeaderXRequestID), "method",
		c.Request().Method, "path", c.Request().URL.Path, "error", err)
	return problem.New(http.StatusInternalServerError, problem.CodeInternal,
		"the service could not answer; its log says why")
}

// allowHead adds HEAD to the methods of an address that answers GET: the router answers
// it, and does not say so.
func allowHead(h http.Header) {
	methods := strings.Split(h.Get("Allow"), ", ")
	if at := slices.Index(methods, http.MethodGet); at >= 0 && !slices.Contains(methods, http.MethodHead) {
		h.Set("Allow", strings.Join(slices.Insert(methods, at+1, http.MethodHead), ", "))
	}
}

// notRouted says why a request leads to no handler.
func notRouted(c *echo.Context, status int) *problem.Problem {
	r := c.Request()
	if status == http.StatusMethodNotAllowed {
		allowHead(c.Response().Header())
		return problem.New(status, problem.CodeNoMethod, fmt.Sprintf("%s cannot be done to %s: it takes %s", r.Method,
			problem.Clip(r.URL.Path), c.Response().Header().Get("Allow")))
	}
	return problem.New(status, problem.CodeNoRoute, "there is nothing at "+problem.Clip(r.URL.Path)+": see "+
		openapi.Prefix+
		"/openapi.json for what there is")
}

// mostMistakes is how many are told at once.
const mostMistakes = 50

func mistakesOf(all []design.Mistake) []problem.Mistake {
	var out []problem.Mistake
	for i, m := range all {
		if i == mostMistakes {
			return append(out, problem.At("", "more", fmt.Sprintf("and %d more: mend those above first", len(all)-i)))
		}
		out = append(out, problem.At(problem.Clip(m.Pointer), m.Code, m.Detail))
	}
	return out
}
