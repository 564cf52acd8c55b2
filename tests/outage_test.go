package tests

import (
	"bytes"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"yalvo/client"
	"yalvo/internal/machine/postgres"
	"yalvo/internal/machine/service"
	"yalvo/tests/harness"
	"yalvo/tests/scratch"
)

// The database is stopped hard and started again. Meanwhile everybody is asked
// to come back, and the log says it once, whoever meets it how often; then all
// goes on.
func TestADatabaseThatIsAwayIsWaitedForAndSaidOnce(t *testing.T) {
	t.Parallel()
	dir := must(scratch.Folder())(t)
	run := func() *postgres.Server {
		return must(postgres.Start(t.Context(), postgres.Options{Dir: dir, Log: scratch.Log()}))(t)
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
	w.until("it is ready", func() bool {
		answer := must(http.Get(w.URL + "/readyz"))(t)
		return answer.Body.Close() == nil && answer.StatusCode == http.StatusOK
	})
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

func (l *logged) count(what string) int { return strings.Count(l.all(), what) }

func (l *logged) all() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.String()
}

// The database takes half a second for each write. Whoever writes waits or is told to come
// back; who reads is served meanwhile, and nothing that was acknowledged is lost.
func TestASlowDatabaseIsWaitedFor(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.Settle()
	w.SQL(`CREATE FUNCTION yalvo.slow() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN PERFORM pg_sleep(0.5); RETURN NEW; END $$`)
	w.SQL("CREATE TRIGGER slow BEFORE INSERT ON yalvo.journal FOR EACH ROW EXECUTE FUNCTION yalvo.slow()")
	const writers = 60
	answers := make(chan error, writers)
	for i := range writers {
		go func() {
			_, _, err := w.As("ada").Create(t.Context(), "posts", fmt.Sprint("p", i), map[string]any{"text": "a heron"})
			answers <- err
		}()
	}
	acknowledged := 0
	for range writers {
		for _, path := range []string{"/v1/collections/people/ada", "/readyz", "/healthz"} {
			answer := must(http.DefaultClient.Do(w.Request("GET", path, "")))(t)
			if err := answer.Body.Close(); err != nil {
				t.Error(err)
			}
			same(t, path+" meanwhile", answer.StatusCode, http.StatusOK)
		}
		var p *client.Problem
		switch err := <-answers; {
		case err == nil:
			acknowledged++
		case !errors.As(err, &p) || p.Status != http.StatusServiceUnavailable:
			t.Errorf("a write is answered %v", err)
		}
	}
	if acknowledged < writers/2 {
		t.Errorf("%d of %d writes were done", acknowledged, writers)
	}
	w.SQL("DROP FUNCTION yalvo.slow CASCADE")
	w.Settle()
	same(t, "posts", w.Number("SELECT count(*) FROM documents WHERE key LIKE 'p%'"), acknowledged)
	same(t, "ada's posts", w.get("people/ada").Kept["posts_n"], acknowledged)
	w.auditFindsNothing()
}

// A database whose processes do not move is away as well: requests are told so within five seconds, and what
// was asked before is given up. When it moves again all goes on, within a second or two.
func TestADatabaseThatHangsIsAway(t *testing.T) {
	t.Parallel()
	dir := must(scratch.Folder())(t)
	database := must(postgres.Start(t.Context(), postgres.Options{Dir: dir, Log: scratch.Log()}))(t)
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
	w.Settle()

	still := map[int]bool{}
	goOn := func() {
		for pid := range still {
			_ = syscall.Kill(pid, syscall.SIGCONT) // it may have ended
		}
	}
	t.Cleanup(goOn)
	for more := true; more; { // one may be begun while they are looked for, as long as its parent runs
		more = false
		for _, pid := range processesIn(t, dir) {
			if !still[pid] && syscall.Kill(pid, syscall.SIGSTOP) == nil {
				still[pid], more = true, true
			}
		}
	}
	began := time.Now()
	patient := http.Client{Timeout: 30 * time.Second}
	for _, path := range []string{"/v1/collections/people/ada", "/readyz", "/v1/timelines/home/ada"} {
		answer, err := patient.Do(w.Request("GET", path, ""))
		if err != nil {
			t.Fatalf("%v; %d processes were stopped, and the service said: %s", err, len(still), said.all())
		}
		answer.Body.Close()
		same(t, path, answer.StatusCode, http.StatusServiceUnavailable)
		same(t, "when to come back to "+path, answer.Header.Get("Retry-After"), "1")
		if took := time.Since(began); took > 8*time.Second { // five, and what a busy machine adds
			t.Errorf("%s was answered after %v", path, took)
		}
	}
	answer := must(http.DefaultClient.Do(w.Request("GET", "/healthz", "")))(t)
	answer.Body.Close()
	same(t, "the service itself lives", answer.StatusCode, 200)
	lines := said.count("the database does not answer") + said.count("the database is away") // whoever met it first
	same(t, "lines of log about the outage", lines, 1)

	goOn()
	w.until("it is back", func() bool {
		answer := must(http.DefaultClient.Do(w.Request("GET", "/v1/collections/people/ada", "")))(t)
		return answer.Body.Close() == nil && answer.StatusCode == http.StatusOK
	})
	w.person("ben")
	w.Settle()
}
