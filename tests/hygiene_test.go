package tests

import (
	"bytes"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"testing"

	"yalvo/internal/machine/service"
)

// from asks as a page of an origin does, and returns the answer with its body.
func (w world) from(origin, method, path string, headers ...string) (*http.Response, string) {
	w.t.Helper()
	req := w.Request(method, path, "")
	req.Header.Set("Origin", origin)
	req.Header.Set("Sec-Fetch-Site", "cross-site")
	for i := 0; i < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	resp := must(http.DefaultClient.Do(req))(w.t)
	defer resp.Body.Close()
	return resp, string(must(io.ReadAll(resp.Body))(w.t))
}

func TestOnlyPagesThatWereNamedMayCall(t *testing.T) {
	t.Parallel()
	w := start(t, ponds, func(o *service.Options) { o.Origins = []string{"https://app.pond.example"} })
	w.person("ada")
	named, text := w.from("https://app.pond.example", "GET", "/v1/collections/people/ada")
	if named.StatusCode != 200 || named.Header.Get("Access-Control-Allow-Origin") != "https://app.pond.example" ||
		!strings.Contains(named.Header.Get("Access-Control-Expose-Headers"), "Yalvo-Position") {
		t.Errorf("a page that was named: %d %v %s", named.StatusCode, named.Header, text)
	}
	before, _ := w.from("https://app.pond.example", "OPTIONS", "/v1/collections/people", "Access-Control-Request-Method", "POST",
		"Access-Control-Request-Headers", "content-type,yalvo-as")
	if before.StatusCode != 204 || !strings.Contains(before.Header.Get("Access-Control-Allow-Headers"), "Yalvo-As") {
		t.Errorf("before it writes: %d %v", before.StatusCode, before.Header)
	}
	for _, origin := range []string{"https://pond.example", "https://app.pond.example.evil.example", "null"} {
		if other, text := w.from(origin, "GET", "/v1/collections/people/ada"); other.StatusCode != 403 || !strings.Contains(text, "another origin") ||
			other.Header.Get("Access-Control-Allow-Origin") != "" {
			t.Errorf("%s: %d %v %s", origin, other.StatusCode, other.Header, text)
		}
	}
}

// Who asks too fast is turned away, by address and by account; whoever is slower is not.
func TestNobodyAsksTooFast(t *testing.T) {
	t.Parallel()
	w := start(t, "", func(o *service.Options) { o.Rate = 5 })
	statuses := map[int]int{}
	var last *http.Response
	for range 40 {
		resp, text := w.ask("GET", "/healthz", "", "")
		if statuses[resp.StatusCode]++; resp.StatusCode == http.StatusTooManyRequests {
			last = resp
			if !strings.Contains(string(text), "more than 5 requests a second come from this address") {
				t.Fatalf("got %s", text)
			}
		}
	}
	if statuses[200] < 10 || statuses[200] > 30 || statuses[429] == 0 || last.Header.Get("Retry-After") == "" {
		t.Errorf("answers by status: %v", statuses)
	}
}

func TestWhatTheServiceTellsAMonitor(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.Settle()
	w.answer("", "GET", "/collections/people/"+"a-stranger-that-nobody-knows", "")
	resp, raw := w.ask("GET", "/metrics", "", "")
	text := string(raw)
	for _, want := range []string{`yalvo_request_seconds_count{method="POST",route="/v1/collections/*",status="201"} 1`,
		`yalvo_request_seconds_count{method="GET",route="/v1/collections/*",status="404"} 1`, "yalvo_database_up 1",
		`yalvo_due_work{lane="delivering"}`, `yalvo_lag_seconds{lane=`, "yalvo_parked_work 0", `yalvo_database_connections{state="in use"}`,
		"yalvo_live_streams 0", "yalvo_pages_read_together_total 0"} {
		if !strings.Contains(text, want) {
			t.Errorf("%s is not in\n%s", want, text)
		}
	}
	if resp.StatusCode != 200 || strings.Contains(text, "stranger") {
		t.Errorf("%d: what strangers ask for is no name of anything:\n%s", resp.StatusCode, text)
	}
}

// tap is a log that is read.
type tap struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (l *tap) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

func TestTheLogTellsRequestsApartAndKeepsSecrets(t *testing.T) {
	t.Parallel()
	var log tap
	w := start(t, ponds, func(o *service.Options) {
		o.Log = slog.New(slog.NewJSONHandler(&log, &slog.HandlerOptions{Level: service.LevelRequests}))
	})
	w.person("ada")
	w.answer("ada", "GET", "/collections/people?mail=s3cr3t", "")
	resp, _ := w.ask("POST", "/v1/collections/people", "application/json", `{"facts": {"name": "s3cr3t"}}`)
	log.mu.Lock()
	defer log.mu.Unlock()
	text := log.text.String()
	if strings.Contains(text, "s3cr3t") {
		t.Errorf("the log tells what is in requests:\n%s", text)
	}
	ids := map[string]bool{}
	for line := range strings.Lines(text) {
		var entry struct{ Msg, ID, As, Method string }
		if err := json.Unmarshal([]byte(line), &entry); err != nil {
			t.Fatal(err)
		}
		if entry.Msg == "request" {
			if ids[entry.ID] || entry.ID == "" {
				t.Errorf("%q stands twice", entry.ID)
			}
			ids[entry.ID] = true
		}
	}
	if !ids[resp.Header.Get("X-Request-ID")] || !strings.Contains(text, ` as ada"`) {
		t.Errorf("the answer's %q is not in\n%s", resp.Header.Get("X-Request-ID"), text)
	}
}

func TestTheConsoleMayDoNothingElse(t *testing.T) {
	b := browse(t, ponds)
	resp, _ := b.ask("GET", "/", "", "", "Accept", "text/html")
	for name, want := range map[string]string{"Content-Security-Policy": "frame-ancestors 'none'", "X-Content-Type-Options": "nosniff",
		"Referrer-Policy": "no-referrer"} {
		if !strings.Contains(resp.Header.Get(name), want) {
			t.Errorf("%s: %q", name, resp.Header.Get(name))
		}
	}
}
