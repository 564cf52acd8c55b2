package tests

import (
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"yalvo/client"
	"yalvo/tests/harness"
	"yalvo/tests/scratch"
)

// A service with its own PostgreSQL is killed, comes back on the database that
// still runs, is interrupted, and comes back once more: the data is kept.
func TestAServiceOnItsOwnDatabaseComesBack(t *testing.T) {
	t.Parallel()
	dir, err := scratch.Folder()
	if err != nil {
		t.Fatal(err)
	}
	up := func() (*process, *client.Client) {
		p := spawn(t, "--scratch", "--data", dir)
		return p, harness.Client(t, p.url)
	}
	database := func() int {
		t.Helper()
		text, err := os.ReadFile(filepath.Join(dir, "postgres", "postmaster.pid"))
		if err != nil {
			return 0
		}
		return must(strconv.Atoi(strings.SplitN(string(text), "\n", 2)[0]))(t)
	}

	first, c := up()
	must(c.Apply(t.Context(), "ponds.yaml", []byte(ponds)))(t)
	if _, _, err := c.Create(t.Context(), "people", "ada", map[string]any{"name": "Ada"}); err != nil {
		t.Fatal(err)
	}
	running := database()
	first.kill(t)

	second, c := up()
	same(t, "the database's process", database(), running)
	same(t, "the name", must(c.Get(t.Context(), "people/ada"))(t).Facts["name"], "Ada")
	if err := second.cmd.Process.Signal(syscall.SIGINT); err != nil {
		t.Fatal(err)
	}
	if err := second.cmd.Wait(); err != nil {
		t.Errorf("interrupted, the service ends with %v", err)
	}
	same(t, "the database's process after the interrupt", database(), 0)

	third, c := up()
	same(t, "the name", must(c.Get(t.Context(), "people/ada"))(t).Facts["name"], "Ada")
	if err := third.cmd.Process.Signal(syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	if err := third.cmd.Wait(); err != nil {
		t.Errorf("terminated, the service ends with %v", err)
	}
}

func TestWhatTheServiceSaysOfItself(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	for _, path := range []string{"", "/design/outline", "/design/schema.json", "/openapi.json", "/status", "/changes", "/parked"} {
		same(t, path, w.raw("GET", path, "", "").Status, 200) // and as the OpenAPI document describes it
	}
	for _, path := range []string{"/healthz", "/readyz"} {
		resp, err := w.HTTP.Get(w.URL + path)
		if err != nil {
			t.Fatal(err)
		}
		if err := resp.Body.Close(); err != nil || resp.StatusCode != 200 {
			t.Errorf("%s: %d %v", path, resp.StatusCode, err)
		}
	}
	same(t, "the design", string(must(w.Design(t.Context()))(t)), ponds)
}
