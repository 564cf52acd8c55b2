package gate

import (
	"errors"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/problem"
)

// Turns at what is slow are taken by so many together and waited for by so many of one caller: who fills the queue
// leaves room for others.
func TestTurnsAreShared(t *testing.T) {
	n := newNarrow("too many look at pictures")
	n.patience = time.Minute
	inside, release := make(chan string, 10*narrowWaiting), make(chan struct{})
	e := echo.New()
	e.HTTPErrorHandler = func(c *echo.Context, err error) {
		var p *problem.Problem
		if errors.As(err, &p) {
			_ = c.JSON(p.Status, p) // who asks reads it
		}
	}
	e.GET("/*", func(c *echo.Context) error {
		who := c.Request().Header.Get("Who")
		SetCaller(c, who, who)
		return n.Pass(c, func() error {
			inside <- who
			<-release
			return c.String(http.StatusOK, "done")
		})
	})
	web := httptest.NewServer(e)
	defer web.Close()
	answers := make(chan int, 1000)
	ask := func(who string) {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, web.URL, nil)
		if err != nil {
			t.Error(err)
			return
		}
		req.Header.Set("Who", who)
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Error(err)
			return
		}
		_ = resp.Body.Close() // nothing is read of it
		answers <- resp.StatusCode
	}
	const many = 80
	for range many {
		go ask("ada")
	}
	for range many - narrowOfOne { // those beyond her share are told so at once
		if status := <-answers; status != http.StatusServiceUnavailable {
			t.Errorf("beyond a share: %d", status)
		}
	}
	for range narrowAtOnce {
		<-inside
	}
	select {
	case who := <-inside:
		t.Errorf("%s is inside besides %d others", who, narrowAtOnce)
	default:
	}
	go ask("ben")
	close(release)
	for range narrowOfOne + 1 {
		if status := <-answers; status != http.StatusOK {
			t.Errorf("within a share: %d", status)
		}
	}
}
