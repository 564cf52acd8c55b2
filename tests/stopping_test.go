package tests

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"yalvo/tests/harness"
	"yalvo/tests/scratch"
)

// processesIn are the processes that work in a folder.
func processesIn(t *testing.T, dir string) []int {
	t.Helper()
	var found []int
	for _, entry := range must(os.ReadDir("/proc"))(t) {
		pid, err := strconv.Atoi(entry.Name())
		if err != nil {
			continue
		}
		if at, err := os.Readlink(filepath.Join("/proc", entry.Name(), "cwd")); err == nil && strings.HasPrefix(at, dir) {
			found = append(found, pid)
		}
	}
	return found
}

// A service is told to stop while everything hangs: a body that does not come, a
// live read, a receiver, and a database that no longer moves. It ends in time.
func TestAServiceStopsInTimeWhateverHangs(t *testing.T) {
	t.Parallel()
	dir := must(scratch.Folder())(t)
	p := spawn(t, "--scratch", "--data", dir, "--send-within", "127.0.0.1")
	c := harness.Client(t, p.url)
	release := make(chan struct{})
	var hung atomic.Int64
	receiver := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { hung.Add(1); <-release }))
	t.Cleanup(receiver.Close)
	t.Cleanup(func() { close(release) })
	must(c.Apply(t.Context(), "ponds.yaml", []byte(tells(receiver.URL))))(t)
	if _, _, err := c.Create(t.Context(), "people", "ada", map[string]any{"name": "Ada"}); err != nil {
		t.Fatal(err)
	}
	if _, _, err := c.As("ada").Create(t.Context(), "posts", "p1", map[string]any{"text": "hush"}); err != nil {
		t.Fatal(err)
	}
	conn := must(net.Dial("tcp", strings.TrimPrefix(p.url, "http://")))(t)
	defer conn.Close()
	key := harness.Key(t, p.url)
	fmt.Fprint(conn, "POST /v1/collections/posts HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer "+key+
		"\r\nContent-Type: application/json\r\nContent-Length: 9\r\n\r\n{")
	follow := must(http.NewRequestWithContext(t.Context(), "GET", p.url+"/v1/live/timelines/home/ada", nil))(t)
	follow.Header.Set("Authorization", "Bearer "+key)
	live := must(http.DefaultClient.Do(follow))(t)
	defer live.Body.Close()
	for hung.Load() == 0 {
		must(c.About(t.Context()))(t)
	}

	database := processesIn(t, dir)
	if len(database) < 2 {
		t.Fatalf("the database's processes are %v", database)
	}
	t.Cleanup(func() {
		for _, pid := range database {
			_ = syscall.Kill(pid, syscall.SIGKILL) // those that ended by themselves are gone
		}
	})
	for _, pid := range database {
		if err := syscall.Kill(pid, syscall.SIGSTOP); err != nil {
			t.Fatal(err)
		}
	}
	asked := make(chan error, 1)
	go func() {
		_, err := c.AfterAll().Get(t.Context(), "people/ada")
		asked <- err
	}()
	if err := p.cmd.Process.Signal(syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	told := time.Now()
	err := p.cmd.Wait()
	if took := time.Since(told); took > 14*time.Second { // nine, and what a busy machine adds
		t.Errorf("it took %v to stop", took)
	}
	t.Logf("it stopped after %v: %v", time.Since(told), err)
	if err := <-asked; err == nil {
		t.Error("a read was answered by a database that does not move")
	}
	if _, err := io.Copy(io.Discard, live.Body); err != nil {
		t.Logf("the live read broke off: %v", err)
	}
}
