package gate

import (
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/labstack/echo/v5"

	"yalvo/internal/doors/problem"
)

// behind is a handler behind a gate with one place.
func behind(t *testing.T, h echo.HandlerFunc) (*httptest.Server, *Gate) {
	g := newGate("/open", 1, 1)
	e := echo.New()
	e.HTTPErrorHandler = func(c *echo.Context, err error) {
		var p *problem.Problem
		if errors.As(err, &p) {
			err = c.JSON(p.Status, p)
		}
		if err != nil {
			t.Log("an answer that was not taken:", err)
		}
	}
	e.Use(g.Pass)
	e.GET("/*", h)
	web := httptest.NewServer(e)
	t.Cleanup(web.Close)
	return web, g
}

func get(t *testing.T, url string) int {
	t.Helper()
	resp, err := http.Get(url)
	if err != nil {
		t.Fatal(err)
	}
	if err := resp.Body.Close(); err != nil {
		t.Error(err)
	}
	return resp.StatusCode
}

// Who does not take the answer holds no place: others are answered meanwhile.
func TestWhoReadsSlowlyTakesNoPlace(t *testing.T) {
	large := []byte(strings.Repeat("x", 64<<20))
	web, _ := behind(t, func(c *echo.Context) error {
		if c.Request().URL.Path == "/large" {
			return c.Blob(http.StatusOK, "text/plain", large)
		}
		return c.String(http.StatusOK, "small")
	})
	for range 3 {
		resp, err := http.Get(web.URL + "/large")
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		if resp.StatusCode != http.StatusOK {
			t.Fatalf("got %d", resp.StatusCode)
		}
	}
	if got := get(t, web.URL+"/small"); got != http.StatusOK {
		t.Errorf("beside slow readers: %d", got)
	}
}

// What waits for something else holds no place, and a place is queued for.
func TestWhoWaitsTakesNoPlace(t *testing.T) {
	release, inside := make(chan struct{}), make(chan struct{})
	web, gate := behind(t, func(c *echo.Context) error {
		hold := func() error { inside <- struct{}{}; <-release; return nil }
		switch c.Request().URL.Path {
		case "/waits":
			if err := Outside(c, hold); err != nil {
				return err
			}
		case "/works":
			if err := hold(); err != nil {
				return err
			}
		}
		return c.String(http.StatusOK, "done")
	})
	answers := make(chan string, 2)
	ask := func(path string) { answers <- fmt.Sprint(path, get(t, web.URL+path)) }
	go ask("/waits")
	<-inside
	if got := get(t, web.URL+"/"); got != http.StatusOK {
		t.Errorf("beside one that waits: %d", got)
	}
	release <- struct{}{}
	if got := <-answers; got != "/waits200" {
		t.Errorf("got %s", got)
	}
	go ask("/works")
	<-inside
	gate.patience = 20 * time.Millisecond
	if got := get(t, web.URL+"/"); got != http.StatusServiceUnavailable {
		t.Errorf("beside one that works, with one place: %d", got)
	}
	release <- struct{}{}
	if got := <-answers; got != "/works200" {
		t.Errorf("got %s", got)
	}
}

func TestWhatIsCountedIsBounded(t *testing.T) {
	c := Counter{Most: 2}
	var leave func()
	for i := range 3 {
		giveUp, fits := c.Add(1)
		if fits != (i < 2) {
			t.Errorf("number %d of 2: %v", i+1, fits)
		}
		if fits {
			leave = giveUp
		}
	}
	leave()
	if _, fits := c.Add(1); !fits {
		t.Error("one has gone, and no other may come")
	}
}

// Whoever asks for much has a share of the places, and others do not wait for them.
func TestOneCallerTakesNotAllPlaces(t *testing.T) {
	release := make(chan struct{})
	g := newGate("/open", 8, 1)
	e := echo.New()
	e.Use(func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			SetCaller(c, c.Request().Header.Get("Who"), c.Request().Header.Get("Who"))
			return next(c)
		}
	}, g.Pass)
	inside := make(chan string, 100)
	e.GET("/*", func(c *echo.Context) error {
		inside <- c.Request().Header.Get("Who")
		<-release
		return c.String(http.StatusOK, "done")
	})
	web := httptest.NewServer(e)
	defer web.Close()
	ask := func(who string) {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, web.URL, nil)
		if err != nil {
			t.Error(err)
			return
		}
		req.Header.Set("Who", who)
		if resp, err := http.DefaultClient.Do(req); err == nil {
			_ = resp.Body.Close() // nothing is read of it
		}
	}
	for range 20 {
		go ask("ada")
	}
	for range 6 { // 48 of 64
		if who := <-inside; who != "ada" {
			t.Errorf("%s is inside", who)
		}
	}
	go ask("ben")
	if who := <-inside; who != "ben" {
		t.Errorf("%s is inside, and ben waits", who)
	}
	close(release)
}
