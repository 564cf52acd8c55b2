package server

import (
	"bufio"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/labstack/echo/v5"
)

// dial sends the beginning of a request and reads the answer.
func dial(t *testing.T, s *httptest.Server, sent string) (net.Conn, *http.Response) {
	t.Helper()
	conn, err := net.Dial("tcp", s.Listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close() })
	if _, err := io.WriteString(conn, sent); err != nil {
		t.Fatal(err)
	}
	resp, err := http.ReadResponse(bufio.NewReader(conn), nil)
	if err != nil {
		t.Fatal(err)
	}
	return conn, resp
}

func quiet() *slog.Logger { return slog.New(slog.NewTextHandler(io.Discard, nil)) }

func TestABodyThatDoesNotComeIsGivenUp(t *testing.T) {
	s := New(Rooms{}, Options{Log: quiet()})
	s.bodyTime = 50 * time.Millisecond
	web := httptest.NewServer(s.Handler())
	defer web.Close()
	conn, resp := dial(t, web, "PUT /v1/design HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/yaml\r\n"+
		"Content-Length: 100\r\n\r\nyalvo: ")
	if resp.StatusCode != http.StatusRequestTimeout {
		t.Errorf("got %d", resp.StatusCode)
	}
	if _, err := io.Copy(io.Discard, conn); err != nil {
		t.Errorf("the connection stays open: %v", err)
	}
}

// A body that is not read is not waited for either.
func TestABodyThatNobodyAskedForIsNotWaitedFor(t *testing.T) {
	s := New(Rooms{}, Options{Log: quiet()})
	s.bodyTime = 50 * time.Millisecond
	web := httptest.NewServer(s.Handler())
	defer web.Close()
	conn, resp := dial(t, web, "GET /healthz HTTP/1.1\r\nHost: localhost\r\nContent-Length: 100\r\n\r\nx")
	if resp.StatusCode != http.StatusOK {
		t.Errorf("got %d", resp.StatusCode)
	}
	if _, err := io.Copy(io.Discard, conn); err != nil {
		t.Errorf("the connection stays open: %v", err)
	}
}

func TestABodyWithoutEndIsCut(t *testing.T) {
	web := httptest.NewServer(New(Rooms{}, Options{Log: quiet()}).Handler())
	defer web.Close()
	req, err := http.NewRequestWithContext(t.Context(), "PUT", web.URL+"/v1/design", endless{})
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/yaml")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusRequestEntityTooLarge {
		t.Errorf("got %d", resp.StatusCode)
	}
}

type endless struct{}

func (endless) Read(p []byte) (int, error) { return copy(p, strings.Repeat("#", len(p))), nil }

// behind is a handler behind a gate with one place.
func behind(t *testing.T, h echo.HandlerFunc) (*httptest.Server, *gate) {
	s := New(Rooms{}, Options{Log: quiet()})
	s.gate = newGate(1, 1)
	e := echo.New()
	e.HTTPErrorHandler = s.answerError
	e.Use(s.gate.pass)
	e.GET("/*", h)
	web := httptest.NewServer(e)
	t.Cleanup(web.Close)
	return web, s.gate
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
		if _, resp := dial(t, web, "GET /large HTTP/1.1\r\nHost: localhost\r\n\r\n"); resp.StatusCode != http.StatusOK {
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
			if err := outside(c, hold); err != nil {
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
	g := newGate(1, 1)
	for i := range 3 {
		if got := add(&g.streams, 1, 2); got != (i < 2) {
			t.Errorf("number %d of 2: %v", i+1, got)
		}
	}
	g.streams.Add(-1)
	if !add(&g.streams, 1, 2) {
		t.Error("one has gone, and no other may come")
	}
}
