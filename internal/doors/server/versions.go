package server

import (
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"yalvo/internal/design/access"
	"yalvo/internal/engine/running"
)

// standing is an answer that is sent only if it still stands when it begins: see [running.App.Stands].
type standing struct {
	http.ResponseWriter
	stands func() error
	begun  bool
	falls  error // why it does not stand: nothing of it is sent
}

// Unwrap is for [http.ResponseController].
func (w *standing) Unwrap() http.ResponseWriter { return w.ResponseWriter }

// WriteHeader begins the answer, if it stands.
func (w *standing) WriteHeader(status int) {
	if !w.begun {
		w.begun, w.falls = true, w.stands()
	}
	if w.falls == nil {
		w.ResponseWriter.WriteHeader(status)
	}
}

// Write sends a part of the answer.
func (w *standing) Write(part []byte) (int, error) {
	if !w.begun {
		w.WriteHeader(http.StatusOK)
	}
	if w.falls != nil {
		return len(part), nil
	}
	return w.ResponseWriter.Write(part)
}

// mostReadings is how often a read is done again for a design that has come into force meanwhile.
const mostReadings = 3

// withOneVersion has a request be worked on with one version of the design and within a budget for rules. A read that
// took so long that another one has come into force is done again by that.
func (s *Server) withOneVersion(c *echo.Context, needed bool, h echo.HandlerFunc) error {
	request, response := c.Request(), c.Response()
	defer c.SetResponse(response)
	for try := 1; ; try++ {
		ctx := running.OneVersion(access.WithBudget(request.Context(), access.RuleTime))
		c.SetRequest(request.WithContext(ctx))
		if !needed {
			return h(c)
		}
		before := response.Header().Clone()
		answer := &standing{ResponseWriter: response, stands: func() error { return s.App.Stands(ctx) }}
		c.SetResponse(answer)
		err := h(c)
		if err != nil || answer.falls == nil {
			return err
		}
		clear(response.Header())
		for name, values := range before {
			response.Header()[name] = values
		}
		again := request.Method == http.MethodGet || request.Method == http.MethodHead // a body is read once
		if !errors.Is(answer.falls, running.ErrMoved) || try == mostReadings || !again {
			return answer.falls
		}
	}
}
