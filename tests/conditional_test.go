package tests

import (
	"net/http"
	"strings"
	"testing"
)

// Who has an answer already is told that it still holds, as long as nothing in it
// changes: facts, kept values, entries, marks.
func TestWhatIsUnchangedIsNotSentAgain(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.person("ben")
	must(w.Set(t.Context(), "follow", "ben", "ada"))(t)
	w.post("ada", "p1", "a heron")
	w.Settle()
	paths := []string{"/v1/collections/posts/p1", "/v1/collections/posts?marks=liked",
		"/v1/collections/people/ada/posts",
		"/v1/timelines/home/ben?marks=liked"}
	tags := make([]string, len(paths))
	read := func(i int) int {
		resp, text := w.ask("GET", paths[i], "", "", "Yalvo-As", "ben", "If-None-Match", `"other", W/`+tags[i])
		if tags[i] = resp.Header.Get("ETag"); tags[i] == "" || (resp.StatusCode == http.StatusNotModified) != (len(text) == 0) {
			t.Errorf("%s: %d, %d bytes, %s", paths[i], resp.StatusCode, len(text), tags[i])
		}
		return resp.StatusCode
	}
	all := func(want int, when string) {
		t.Helper()
		for i := range paths {
			if got := read(i); got != want {
				t.Errorf("%s, %s: %d, want %d", paths[i], when, got, want)
			}
		}
	}
	all(200, "at first")
	all(304, "again")
	must(w.Set(t.Context(), "like", "ben", "p1"))(t) // a count and a mark, no fact
	w.Settle()
	all(200, "after a like")
	all(304, "again")

	resp, _ := w.ask("PATCH", paths[0], "application/merge-patch+json", `{"facts":{"rating":3}}`, "If-Match", tags[0])
	same(t, "an edit of the version that was read", resp.StatusCode, 200)
	resp, _ = w.ask("PATCH", paths[0], "application/merge-patch+json", `{"facts":{"rating":4}}`, "If-Match", tags[0])
	same(t, "and of one that is gone", resp.StatusCode, 412)
	for _, tag := range []string{`3`, `"x"`, `"0.ab"`, `W/"1"`, strings.Repeat(`"`, 3)} {
		resp, _ = w.ask("PATCH", paths[0], "application/merge-patch+json", `{"facts":{"rating":4}}`, "If-Match", tag)
		same(t, "If-Match: "+tag, resp.StatusCode, 400)
	}
}
