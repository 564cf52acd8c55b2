package tests

import (
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"testing"

	"yalvo/tests/harness"
	"yalvo/tests/scratch"
)

// memoryLimit is what the service is started with (GOMEMLIMIT), and mostMemory
// what its process may take at its peak, the program itself included.
const (
	memoryLimit = "256MiB"
	mostMemory  = 450 << 20 // bytes
)

// taken is the memory that a service has taken from its system, in bytes: what the race detector takes
// beside it, several times as much, does not count. It is as much as it was at its peak: nothing of it goes back.
func (w world) taken() float64 {
	w.t.Helper()
	_, said := w.ask("GET", "/metrics", "", "", "Accept-Encoding", "identity")
	_, after, found := strings.Cut(string(said), "\ngo_memstats_sys_bytes ")
	if !found {
		w.t.Fatalf("no memory in the metrics: %s", said)
	}
	return must(strconv.ParseFloat(strings.Fields(after)[0], 64))(w.t)
}

// Strangers send the worst there is, sixteen at a time, and an ordinary client is
// answered all along; the service stays within its memory.
func TestTheWorstRequestsStayWithinMemory(t *testing.T) {
	t.Parallel()
	address := scratch.Database(t)
	p := spawnWith(t, []string{"GOMEMLIMIT=" + memoryLimit}, "--database", address)
	t.Cleanup(func() { p.kill(t) })
	w := world{harness.Connect(t, p.url, address, strings.Replace(wild, "fields: [seen]", "fields: [text]", 1)), t}
	if _, _, err := w.Create(t.Context(), "people", "ada", map[string]any{"name": "Ada"}); err != nil {
		t.Fatal(err)
	}
	const large = 8
	for i := range large {
		w.create("notes", fmt.Sprintf("n%02d", i), map[string]any{"author": "ada", "text": strings.Repeat("x", 250_000), "inner": map[string]any{}})
	}
	const js, merge, ops = "application/json", "application/merge-patch+json", "application/json-patch+json"
	repeat := strings.Repeat
	several := func(n int, item string) string { return "[" + strings.TrimSuffix(repeat(item+",", n), ",") + "]" }
	worst := []struct{ method, path, media, body string }{
		{"PATCH", "/collections/notes/n00", merge, `{"facts":{"inner":` + repeat(`{"a":`, 80_000) + "1" + repeat("}", 80_001) + "}"},
		{"PATCH", "/collections/notes/n00", ops, several(200, `{"op":"copy","from":"/facts","path":"/facts/inner/a"}`)},
		{"PATCH", "/collections/notes/n00", ops, several(200, `{"op":"test","path":"/facts/author","value":"ada"}`)},
		{"PATCH", "/collections/notes/n00", ops, several(200, `{"op":"add","path":"/facts/words","value":`+several(1000, "[]")+`}`)},
		{"POST", "/collections/notes", js, `{"facts":` + several(500_000, "1") + `}`},
		{"POST", "/collections/notes", js, `{"facts":{"words":` + several(260_000, "{}") + `}}`},
		{"POST", "/collections/notes", js, `{"facts":{"text":"` + repeat(`\u00e9`, 170_000) + `"}}`},
		{"POST", "/load/lines", "application/x-ndjson",
			repeat(`{"document":"notes/n99","unfit":true,"facts":{"words":`+several(150, "[]")+"}}\n", 3_000)},
		{"POST", "/load/lines", "application/x-ndjson",
			repeat(`{"document":"notes/n99","facts":{"inner":`+repeat(`{"a":`, 60)+several(80_000, "{}")+repeat("}",
				60)+"}}\n", 8)},
		{"POST", "/writes", js, `{"writes":` + several(500, `{"create":"notes","facts":{"words":`+several(300,
			"{}")+`}}`) + `}`},
		{"GET", "/collections/notes?limit=200", "", ""},
		{"GET", "/collections/people/ada/notes?limit=200", "", ""},
		{"GET", "/timelines/home/ada?limit=200", "", ""},
		{"GET", "/collections/people/ada", "", ""},
		{"GET", "/why/kept?document=people/ada&name=last", "", ""},
		{"PUT", "/design", "application/yaml", repeat("[", 250_000)},
		{"PUT", "/design", "application/yaml", "yalvo: 1\napp: x\ncollections:\n" + repeat("  a: {fields: {b: {type: string}}}\n", 7000)},
		{"PUT", "/design", "application/yaml", "{" + repeat("a: {", 62) + repeat("k: [x, y],", 20_000)},
	}
	var group sync.WaitGroup
	jobs := make(chan int)
	for range 16 {
		group.Go(func() {
			for i := range jobs {
				c := worst[i%len(worst)]
				req := w.Request(c.method, "/v1"+c.path, c.body)
				if c.media != "" {
					req.Header.Set("Content-Type", c.media)
				}
				resp, err := http.DefaultClient.Do(req)
				if err != nil {
					t.Errorf("%s %s: %v", c.method, c.path, err)
					return
				}
				if _, err := io.Copy(io.Discard, resp.Body); err != nil {
					t.Error(err)
				}
				if err := resp.Body.Close(); err != nil {
					t.Error(err)
				}
				if resp.StatusCode >= 500 && resp.StatusCode != 503 {
					t.Errorf("%s %s: %d", c.method, c.path, resp.StatusCode)
				}
			}
		})
	}
	group.Go(func() {
		defer close(jobs)
		for i := range len(worst) {
			jobs <- i
			if _, err := harness.Client(t, p.url).Get(t.Context(), "people/ada"); err != nil {
				t.Errorf("an ordinary client: %v", err)
			}
		}
	})
	group.Wait()
	took := int(w.taken())
	t.Logf("at its peak the service took %d MiB", took>>20)
	if took > mostMemory {
		t.Errorf("that is more than %d MiB", mostMemory>>20)
	}
	w.Settle()
	w.auditFindsNothing()
}
