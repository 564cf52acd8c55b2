package tests

import (
	"bytes"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"testing"

	"yalvo/internal/harness"
	"yalvo/internal/postgres"
	"yalvo/internal/service"
)

// The database is stopped hard and started again. Meanwhile everybody is asked
// to come back, and the log says it once, whoever meets it how often; then all
// goes on.
func TestADatabaseThatIsAwayIsWaitedForAndSaidOnce(t *testing.T) {
	t.Parallel()
	dir := must(harness.Folder())(t)
	run := func() *postgres.Server {
		return must(postgres.Start(t.Context(), postgres.Options{Dir: dir, Log: harness.Log()}))(t)
	}
	database := run()
	t.Cleanup(func() {
		if err := database.Stop(); err != nil {
			t.Error(err)
		}
	})
	var said logged
	s := must(service.Start(t.Context(), service.Options{Listen: "127.0.0.1:0", Database: database.Address(),
		Log: slog.New(slog.NewTextHandler(&said, nil))}))(t)
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	harness.SignIn(t, s)
	w := world{harness.Connect(t, s.Address, database.Address(), marsh), t}
	w.person("ada")

	if err := database.Kill(); err != nil {
		t.Fatal(err)
	}
	for range 50 {
		for _, path := range []string{"/v1/collections/people/ada", "/v1/timelines/home/ada", "/readyz"} {
			answer := must(http.DefaultClient.Do(w.Request("GET", path, "")))(t)
			if err := answer.Body.Close(); err != nil {
				t.Error(err)
			}
			same(t, path, answer.StatusCode, http.StatusServiceUnavailable)
			same(t, "when to come back to "+path, answer.Header.Get("Retry-After"), "1")
		}
	}
	same(t, "lines of log about the outage", said.count("the database is away"), 1)
	same(t, "lines of log about errors", said.count("level=ERROR"), 1)

	database = run()
	for ready := 0; ready != http.StatusOK; {
		answer := must(http.Get(w.URL + "/readyz"))(t)
		ready = answer.StatusCode
		if err := answer.Body.Close(); err != nil {
			t.Error(err)
		}
	}
	w.person("ben")
	w.Settle()
	same(t, "lines of log about its return", said.count("the database is back"), 1)
}

// logged is a log that is looked at while it is written.
type logged struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (l *logged) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

func (l *logged) count(what string) int {
	l.mu.Lock()
	defer l.mu.Unlock()
	return strings.Count(l.text.String(), what)
}
