package tests

import (
	"bufio"
	"encoding/json"
	"io"
	"net"
	"net/http"
	"strings"
	"testing"
	"testing/fstest"

	"yalvo/internal/machine/service"
	"yalvo/tests/harness"
)

// A page of another site, and a name that was made to lead here, get nothing and
// do nothing; the service's own pages do.
func TestOnlyItsOwnPagesMayCallTheService(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	host := strings.TrimPrefix(w.URL, "http://")
	for _, c := range []struct {
		name, method, path, media, body string
		headers                         []string
		status                          int
	}{
		{"by another name", "GET", "/v1/status", "", "", []string{"Host", "evil.example:80"}, 421},
		{"by another name, the console", "GET", "/", "", "", []string{"Host", "evil.example"}, 421},
		{"by localhost", "GET", "/v1/status", "", "", []string{"Host", "localhost:7480"}, 200},
		{"from another origin", "GET", "/v1/status", "", "", []string{"Origin", "http://evil.example"}, 403},
		{"from an origin that hides", "GET", "/v1/status", "", "", []string{"Origin", "null"}, 403},
		{"from its own origin", "GET", "/v1/status", "", "", []string{"Origin", "http://" + host}, 200},
		{"as an image of another site", "GET", "/v1/status", "", "", []string{"Sec-Fetch-Site", "cross-site"}, 403},
		{"an audit as another site's form", "POST", "/v1/audits", "application/x-www-form-urlencoded", "", []string{"Origin", "http://evil.example"}, 403},
		{"an audit as a form of an old browser", "POST", "/v1/audits", "application/x-www-form-urlencoded", "a=b", nil, 415},
		{"a removal from another site", "DELETE", "/v1/parked/1", "", "", []string{"Sec-Fetch-Site", "same-site"}, 403},
	} {
		resp, text := w.ask(c.method, c.path, c.media, c.body, c.headers...)
		if resp.StatusCode != c.status {
			t.Errorf("%s: got %d: %s", c.name, resp.StatusCode, text)
		}
	}
	same(t, "audits", len(first(w.Audits(t.Context()))), 0)
}

func first[T, U any](v T, _ U, _ error) T { return v }

// What HTTP itself refuses is a problem detail too, and HEAD, 405 and 404 are as
// the RFCs have them.
func TestHTTPIsAnsweredAsItsUsersExpect(t *testing.T) {
	t.Parallel()
	// With a console, which has an answer to every address.
	w := world{harness.Start(t, ponds, func(o *service.Options) {
		o.Console = fstest.MapFS{"index.html": &fstest.MapFile{Data: []byte("<html></html>")}}
	}), t}
	w.person("ada")
	for _, c := range []struct {
		name, sent string
		status     int
		says       string
	}{
		{"no HTTP", "HELLO\r\n\r\n", 400, "not HTTP as it should be"},
		{"a header without end", "GET /v1 HTTP/1.1\r\nHost: localhost\r\nX: " + strings.Repeat("x", 64<<10) + "\r\n\r\n", 431, "larger than 32768 bytes"},
		{"no host", "GET /v1 HTTP/1.1\r\n\r\n", 400, "not HTTP as it should be"},
		{"a method that is not for this", "PUT /v1/status HTTP/1.1\r\nHost: localhost\r\nContent-Length: 0\r\n\r\n", 405, "it takes OPTIONS, GET, HEAD"},
		{"nor for this", "DELETE /v1/openapi.json HTTP/1.1\r\nHost: localhost\r\n\r\n", 405, "it takes OPTIONS, GET, HEAD"},
		{"nor for a page", "POST /documents/people HTTP/1.1\r\nHost: localhost\r\nContent-Length: 0\r\n\r\n", 405, "it takes OPTIONS, GET, HEAD"},
		{"nor for one of many", "GET /v1/keys/k1 HTTP/1.1\r\nHost: localhost\r\n\r\n", 405, "it takes OPTIONS, DELETE"},
		{"a body that says itself that it is too large", "POST /v1/session HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: 2000000\r\n\r\n{", 413, "larger than 1048576 bytes"},
		{"an address outside", "GET /nowhere HTTP/1.1\r\nHost: localhost\r\n\r\n", 404, "there is nothing at /nowhere"},
		{"a folder's file", "GET /assets/../index.html HTTP/1.1\r\nHost: localhost\r\n\r\n", 404, "there is nothing at"},
		{"a packed body", "POST /v1/session HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Encoding: gzip\r\nContent-Length: 2\r\n\r\n{}", 415, "send it as it is"},
	} {
		conn := must(net.Dial("tcp", strings.TrimPrefix(w.URL, "http://")))(t)
		if _, err := io.WriteString(conn, c.sent); err != nil {
			t.Fatal(err)
		}
		resp := must(http.ReadResponse(bufio.NewReader(conn), nil))(t)
		text := must(io.ReadAll(io.LimitReader(resp.Body, max(resp.ContentLength, 0))))(t)
		var p problem
		if err := json.Unmarshal(text, &p); err != nil || resp.Header.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s: no problem detail: %v: %s", c.name, err, text)
		}
		if p.Status != c.status || resp.StatusCode != c.status || !strings.Contains(p.Detail, c.says) {
			t.Errorf("%s: got %d: %s", c.name, resp.StatusCode, text)
		}
		if c.status == 405 && !strings.Contains(c.says, resp.Header.Get("Allow")) {
			t.Errorf("%s: Allow is %q", c.name, resp.Header.Get("Allow"))
		}
		if err := conn.Close(); err != nil {
			t.Error(err)
		}
	}
	for _, path := range []string{"/v1/collections/people/ada", "/v1/timelines/home/ada", "/v1/live/timelines/home/ada", "/healthz"} {
		resp, text := w.ask("HEAD", path, "", "")
		if resp.StatusCode != 200 || len(text) > 0 {
			t.Errorf("HEAD %s: %d, %d bytes", path, resp.StatusCode, len(text))
		}
	}
	resp, _ := w.ask("HEAD", "/v1/collections/people/ada", "", "")
	same(t, "the ETag by HEAD", strings.HasPrefix(resp.Header.Get("ETag"), `"1.`), true)
}

// Audits that one caller asks for in a row wait for their turn, up to a number.
func TestAuditsQueueUpToANumber(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	begun, refused := 0, 0
	for range 300 {
		switch p := w.raw("POST", "/audits", "", ""); p.Status {
		case 201:
			begun++
		case 429:
			refused++
		default:
			t.Fatalf("got %+v", p)
		}
	}
	if refused == 0 || begun+refused != 300 {
		t.Errorf("%d audits were begun, %d refused", begun, refused)
	}
}

// The database says that it has no room, as it does when its disk is full: what
// writes is asked to come back, reads are answered, and /readyz agrees, until
// there is room again.
func TestAFullDatabaseIsSaidToBeFull(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.Settle()
	w.SQL(`CREATE FUNCTION full_disk() RETURNS trigger LANGUAGE plpgsql AS
		$$ BEGIN RAISE EXCEPTION 'could not extend file: No space left on device' USING ERRCODE = 'disk_full'; END $$`)
	w.SQL(`CREATE FUNCTION full_disk_too() RETURNS event_trigger LANGUAGE plpgsql AS
		$$ BEGIN RAISE EXCEPTION 'could not extend file: No space left on device' USING ERRCODE = 'disk_full'; END $$`)
	w.SQL("CREATE TRIGGER full_disk BEFORE INSERT ON documents EXECUTE FUNCTION full_disk()")
	w.SQL("CREATE EVENT TRIGGER full_disk_too ON ddl_command_end WHEN TAG IN ('CREATE TABLE AS') EXECUTE FUNCTION full_disk_too()")

	p := w.raw("POST", "/collections/people", "application/json", `{"id":"ben","facts":{"name":"Ben"}}`)
	if p.Status != 503 || !strings.Contains(p.Detail, "run out of room") {
		t.Errorf("a write: %+v", p)
	}
	same(t, "a read", w.raw("GET", "/collections/people/ada", "", "").Status, 200)
	resp, text := w.ask("GET", "/readyz", "", "")
	if resp.StatusCode != 503 || !strings.Contains(string(text), "run out of room") {
		t.Errorf("/readyz: %d %s", resp.StatusCode, text)
	}
	w.SQL("DROP EVENT TRIGGER full_disk_too")
	w.SQL("DROP TRIGGER full_disk ON documents")
	resp, _ = w.ask("GET", "/readyz", "", "")
	same(t, "/readyz with room again", resp.StatusCode, 200)
	w.person("ben")
	w.auditFindsNothing()
}
