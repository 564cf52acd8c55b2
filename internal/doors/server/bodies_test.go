package server

import (
	"bufio"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"yalvo/internal/engine/running"
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
	s := New(Rooms{App: &running.App{}}, Options{Log: quiet()})
	s.guard.BodyTime = 50 * time.Millisecond
	web := httptest.NewServer(s.Handler())
	defer web.Close()
	conn, resp := dial(t, web, "POST /v1/session HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\n"+
		"Content-Length: 100\r\n\r\n{")
	if resp.StatusCode != http.StatusRequestTimeout {
		t.Errorf("got %d", resp.StatusCode)
	}
	if _, err := io.Copy(io.Discard, conn); err != nil {
		t.Errorf("the connection stays open: %v", err)
	}
}

// A body that is not read is not waited for either.
func TestABodyThatNobodyAskedForIsNotWaitedFor(t *testing.T) {
	s := New(Rooms{App: &running.App{}}, Options{Log: quiet()})
	s.guard.BodyTime = 50 * time.Millisecond
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
	web := httptest.NewServer(New(Rooms{App: &running.App{}}, Options{Log: quiet()}).Handler())
	defer web.Close()
	req, err := http.NewRequestWithContext(t.Context(), "POST", web.URL+"/v1/session", endless{})
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/json")
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
