package tests

import (
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"
	"testing"

	"yalvo/client"
)

// A screen of an app is one request: its parts, with the caller's marks, the values it
// shows and the documents it needs, as the caller may see them.
func TestAScreenIsOneRequest(t *testing.T) {
	t.Parallel()
	w := start(t, changed(t, guardedPonds(t), "access:\n", "lists:\n  everyone: {entries: posts}\naccess:\n",
		"  timelines:\n", "  lists: {everyone: {read: true}}\n  timelines:\n"))
	w.pondsPeople()
	must(w.Set(t.Context(), "follow", "dora", "ada"))(t)
	position := must(w.Set(t.Context(), "like", "dora", "a1"))(t)
	answers := must(w.As("cleo").After(position).Reads(t.Context(), "/lists/everyone?limit=5&with=author&fields=text,likes_n",
		"/collections/people/ben", "/collections/posts/a1?with=author,about&marks=liked", "/timelines/home/dora",
		"/collections/people?mail=ada@fen", "/pairs/like/dora/a1"))(t)
	var statuses []int
	for _, a := range answers {
		statuses = append(statuses, a.Status)
	}
	same(t, "statuses", statuses, []int{200, 404, 200, 403, 200, 200})
	var everyone client.Documents
	if err := answers[0].Into(&everyone); err != nil {
		t.Fatal(err)
	}
	same(t, "what is chosen", []any{len(everyone.Documents), everyone.Documents[0].Facts, everyone.Documents[0].Kept},
		[]any{1, map[string]any{"text": "by ada"}, map[string]any{"likes_n": 1}})
	same(t, "who comes along", slices.Collect(maps.Keys(everyone.With)), []string{"people/ada"})
	if ada := everyone.With["people/ada"]; ada.Facts["name"] != "ada" || ada.Facts["mail"] != nil {
		t.Errorf("ada comes along as %+v, and her mail is for her alone", ada)
	}
	refused(t, answers[1].Into(nil), "not-found", "people/ben")
	refused(t, answers[3].Into(nil), "not-allowed")
	same(t, "several reads answer what each answers alone", string(answers[2].Body), func() string {
		_, text := w.answer("cleo", "GET", "/collections/posts/a1?with=author,about&marks=liked", "")
		return strings.TrimSpace(text)
	}())

	w.post("ben", "b2", "by ben") // a follower sees the author, though no entry carries that
	must(w.Set(t.Context(), "follow", "dora", "ben"))(t)
	w.Settle()
	home := must(w.As("dora").Timeline(t.Context(), "home", "dora", client.Page{With: []string{"author"}, Fields: []string{"text"}}))(t)
	same(t, "authors of a timeline", slices.Sorted(maps.Keys(home.With)), []string{"people/ada", "people/ben"})
	same(t, "what entries show", []any{home.Entries[0].Facts, home.Entries[0].Kept}, []any{map[string]any{"text": "by ben"}, map[string]any{}})
	same(t, "what others see is as it was", w.home("dora")[0], "b2")
	again := must(w.Timeline(t.Context(), "home", "dora", client.Page{}))(t)
	if again.Entries[0].Kept["byline"] == nil {
		t.Errorf("a choice of fields stays with who has chosen: %+v", again.Entries[0])
	}
}

func TestBadScreensAreToldWhereAndWhat(t *testing.T) {
	t.Parallel()
	w := start(t, listedPonds(t))
	w.person("ada")
	for _, c := range []struct {
		body   string
		status int
		says   string
	}{
		{`{}`, 422, "/reads"},
		{`{"reads": []}`, 422, "at least one"},
		{`{"reads": "/lists/everyone"}`, 422, "a list of paths"},
		{`{"reads": [` + strings.Repeat(`"/lists/everyone",`, 10) + `"/lists/everyone"]}`, 422, "11 reads, 10 are allowed"},
		{`{"reads": ["/lists/everyone", "/design"]}`, 422, `"/reads/1"`},
		{`{"reads": ["/live/timelines/home/ada"]}`, 422, "/reads/0"},
		{`{"reads": ["http://pond.example/v1/lists/everyone"]}`, 422, "no path"},
		{`{"reads": ["/lists/../design"]}`, 200, `"status":404`},
		{`{"reads": ["/lists/everyone?settled=all"]}`, 422, "all reads wait together"},
		{`{"reads": ["/lists/everyone?limit=0&limit=1"]}`, 200, "twice"},
		{`{"reads": ["/lists/everyone?fields=txt"]}`, 200, `did you mean \"text\"?`},
		{`{"reads": ["/lists/everyone?with=text"]}`, 200, `\"text\" of \"posts\" is no reference`},
		{`{"reads": ["/lists/everyone?with=a,b,c,d,e,f"]}`, 200, "with has 6 names, 5 are allowed"},
		{`{"reads": ["/collections/people/ada%00"]}`, 200, "control characters"},
		{`{"reads": ["/lists/` + strings.Repeat("x", 9000) + `"]}`, 422, "no path"},
	} {
		status, text := w.answer("", "POST", "/reads", c.body)
		if status != c.status || !strings.Contains(text, c.says) {
			t.Errorf("%.80s: got %d %.300s, want %d saying %s", c.body, status, text, c.status, c.says)
		}
	}
}

func TestLargeAnswersArePackedForWhoTakesThat(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	for i := range 20 {
		w.post("ada", fmt.Sprint("p", i), strings.Repeat("a heron ", 10))
	}
	ask := func(path, takes string) (*http.Response, []byte) {
		req := w.Request("GET", "/v1"+path, "")
		req.Header.Set("Accept-Encoding", takes)
		resp := must((&http.Transport{}).RoundTrip(req))(t)
		defer resp.Body.Close()
		return resp, must(io.ReadAll(resp.Body))(t)
	}
	plain, text := ask("/collections/posts", "identity")
	packed, small := ask("/collections/posts", "gzip")
	unpacked := must(io.ReadAll(must(gzip.NewReader(strings.NewReader(string(small))))(t)))(t)
	same(t, "what is packed", string(unpacked), string(text))
	if len(small) > len(text)/3 || packed.Header.Get("ETag") != plain.Header.Get("ETag") ||
		!slices.Contains(packed.Header.Values("Vary"), "Accept-Encoding") {
		t.Errorf("%d bytes of %d, header %v", len(small), len(text), packed.Header)
	}
	one, short := ask("/collections/people/ada", "gzip")
	if one.Header.Get("Content-Encoding") != "" || !json.Valid(short) {
		t.Errorf("a small answer goes as it is: %v %q", one.Header, short)
	}
}
