package tests

import (
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"testing"
)

type problem struct {
	Status int
	Code   string
	Detail string
	Errors []struct{ Pointer, Code, Detail string }
}

// raw sends a request as a stranger might, and reads the problem that comes back.
func (w world) raw(method, path, media, body string, headers ...string) problem {
	w.t.Helper()
	req := w.Request(method, "/v1"+path, body)
	if media != "" {
		req.Header.Set("Content-Type", media)
	}
	for i := 0; i < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	resp, err := w.HTTP.Do(req)
	if err != nil {
		w.t.Fatal(err)
	}
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	if err != nil {
		w.t.Fatal(err)
	}
	p := problem{Status: resp.StatusCode}
	if strings.Contains(resp.Header.Get("Content-Type"), "problem+json") {
		if err := json.Unmarshal(text, &p); err != nil {
			w.t.Fatalf("%v: %s", err, text)
		}
	}
	return p
}

func TestBadInputIsToldWhereAndWhat(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.person("ben")
	w.post("ada", "p1", "here")
	w.Settle()
	const js, patch = "application/json", "application/merge-patch+json"
	post := func(fields string) string { return `{"facts":` + fields + `}` }
	cases := []struct {
		name, method, path, media, body string
		status                          int
		code                            string // of the first mistake, or of the problem
		pointer                         string
	}{
		{"an unknown field", "POST", "/collections/people", js, post(`{"nmae":"x"}`), 422, "unknown-field", "/facts/nmae"},
		{"an unknown member", "POST", "/collections/people", js, `{"field":{}}`, 422, "unknown-field", "/field"},
		{"a wrong type", "POST", "/collections/people", js, post(`{"name":7}`), 422, "wrong-type", "/facts/name"},
		{"a wrong type deep inside", "POST", "/collections/posts", js, post(`{"text":"a","author":"ada","spot":{"name":"b","lat":"north"}}`), 422, "wrong-type", "/facts/spot/lat"},
		{"a wrong item", "POST", "/collections/posts", js, post(`{"text":"a","author":"ada","steps":[1,2.5]}`), 422, "wrong-type", "/facts/steps/1"},
		{"an item twice in a set", "POST", "/collections/posts", js, post(`{"text":"a","author":"ada","tags":["x","x"]}`), 422, "repeated", "/facts/tags/1"},
		{"a missing required value", "POST", "/collections/people", js, post(`{}`), 422, "required", "/facts/name"},
		{"a required value taken away", "PATCH", "/collections/people/ada", patch, post(`{"name":null}`), 422, "required", "/facts/name"},
		{"a text over its max", "POST", "/collections/people", js, post(`{"name":"` + strings.Repeat("ä", 41) + `"}`), 422, "too-large", "/facts/name"},
		{"no choice of the list", "POST", "/collections/posts", js, post(`{"text":"a","author":"ada","kind":"newt"}`), 422, "not-one-of", "/facts/kind"},
		{"no JSON", "POST", "/collections/people", js, `{"facts":`, 400, "not-json", "/facts"},
		{"two values", "POST", "/collections/people", js, `{} {}`, 400, "not-json", ""},
		{"a name twice", "POST", "/collections/people", js, `{"facts":{"name":"a","name":"b"}}`, 400, "not-json", "/facts/name"},
		{"an array", "POST", "/collections/people", js, `[]`, 422, "wrong-type", ""},
		{"no object of fields", "POST", "/collections/people", js, `{"facts":[]}`, 422, "wrong-type", "/facts"},
		{"invalid UTF-8", "POST", "/collections/people", js, "{\"facts\":{\"name\":\"\xff\"}}", 400, "not-json", "/facts/name"},
		{"a lone surrogate", "POST", "/collections/people", js, `{"facts":{"name":"\ud800"}}`, 400, "not-json", "/facts/name"},
		{"U+0000", "POST", "/collections/people", js, `{"facts":{"name":"a\u0000b"}}`, 422, "zero-character", "/facts/name"},
		{"U+0000 in a patch", "PATCH", "/collections/people/ada", patch, `{"facts":{"name":"a\u0000b"}}`, 422, "zero-character", "/facts/name"},
		{"U+0000 in a name", "POST", "/collections/people", js, `{"facts":{"name":"a","b\u0000":1}}`, 422, "unknown-field", "/facts/b\x00"},
		{"over 1 MiB", "POST", "/collections/people", js, post(`{"name":"` + strings.Repeat("a", 1<<20) + `"}`), 413, "too-big", ""},
		{"another media type", "POST", "/collections/people", "text/plain", post(`{"name":"a"}`), 415, "media-type", ""},
		{"an integer that does not fit", "POST", "/collections/posts", js, post(`{"text":"a","author":"ada","rating":9007199254740993}`), 422, "too-large", "/facts/rating"},
		{"an integer with a fraction", "POST", "/collections/posts", js, post(`{"text":"a","author":"ada","rating":1.5}`), 422, "wrong-type", "/facts/rating"},
		{"a number that does not fit", "POST", "/collections/posts", js, post(`{"text":"a","author":"ada","weight":1e999}`), 422, "too-large", "/facts/weight"},
		{"no timestamp", "POST", "/collections/posts", js, post(`{"text":"a","author":"ada","seen":"yesterday"}`), 422, "wrong-type", "/facts/seen"},
		{"an id with a dot", "POST", "/collections/people", js, `{"id":"a.b","facts":{"name":"a"}}`, 422, "wrong-type", "/id"},
		{"an id with a slash", "POST", "/collections/people", js, `{"id":"a/b","facts":{"name":"a"}}`, 422, "wrong-type", "/id"},
		{"an id of 500 characters", "POST", "/collections/people", js, `{"id":"` + strings.Repeat("a", 500) + `","facts":{"name":"a"}}`, 422, "wrong-type", "/id"},
		{"a path's id with a space", "GET", "/collections/people/a%20b", "", "", 400, "bad-request", ""},
		{"a path's id with an escaped slash", "GET", "/collections/people/a%2Fb", "", "", 400, "bad-request", ""},
		{"a path's id with U+0000", "GET", "/collections/people/a%00b", "", "", 400, "bad-request", ""},
		{"an owner with a dot", "GET", "/timelines/home/a.b", "", "", 400, "bad-request", ""},
		{"a reference to nobody", "POST", "/collections/posts", js, post(`{"text":"a","author":"nobody"}`), 422, "no-such-document", "/facts/author"},
		{"a reference that is no key", "POST", "/collections/posts", js, post(`{"text":"a","author":"a/b"}`), 422, "wrong-type", "/facts/author"},
		{"nobody's post", "POST", "/collections/posts", js, post(`{"text":"a"}`), 422, "no-account", "/facts/author"},
		{"a note under no post", "POST", "/collections/posts/none/notes", js, post(`{"text":"a"}`), 404, "not-found", ""},
		{"a kept value", "POST", "/collections/people", js, post(`{"name":"a","followers_n":5}`), 422, "kept-value", "/facts/followers_n"},
		{"a patched kept value", "PATCH", "/collections/people/ada", patch, post(`{"followers_n":5}`), 422, "kept-value", "/facts/followers_n"},
		{"kept values as such", "POST", "/collections/people", js, `{"facts":{"name":"a"},"kept":{}}`, 422, "kept-value", "/kept"},
		{"a pair with oneself", "PUT", "/pairs/follow/ada/ada", "", "", 422, "self", "/to"},
		{"a pair with nobody", "PUT", "/pairs/follow/ada/nobody", "", "", 404, "not-found", ""},
		{"no such pair", "PUT", "/pairs/folow/ada/ben", "", "", 404, "unknown-name", ""},
		{"no such collection", "GET", "/collections/peple", "", "", 404, "unknown-name", ""},
		{"no such document", "GET", "/collections/people/nobody", "", "", 404, "not-found", ""},
		{"no such link", "GET", "/collections/people/ada/enemies", "", "", 404, "unknown-name", ""},
		{"no such timeline", "GET", "/timelines/away/ada", "", "", 404, "unknown-name", ""},
		{"no such owner", "GET", "/timelines/home/nobody", "", "", 404, "not-found", ""},
		{"a cursor made up", "GET", "/timelines/home/ada?cursor=AAAAAAAAAAAAAAAAAAAAAAAAAAAA", "", "", 400, "bad-cursor", ""},
		{"a limit of zero", "GET", "/timelines/home/ada?limit=0", "", "", 400, "bad-request", ""},
		{"a position that is none", "GET", "/timelines/home/ada?settled=soon", "", "", 422, "invalid", ""},
		{"nothing at the path", "GET", "/nothing", "", "", 404, "no-route", ""},
		{"a method that is not there", "POST", "/collections/people/ada", js, post(`{}`), 404, "unknown-name", ""},
	}
	before := w.Number("SELECT (SELECT count(*) FROM documents) + (SELECT count(*) FROM journal) + (SELECT count(*) FROM pairs)")
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			p := w.raw(c.method, c.path, c.media, c.body)
			code, pointer := p.Code, ""
			if len(p.Errors) > 0 {
				code, pointer = p.Errors[0].Code, p.Errors[0].Pointer
			}
			if p.Status != c.status || code != c.code || pointer != c.pointer || p.Detail == "" {
				t.Errorf("got %d %q at %q (%+v), want %d %q at %q", p.Status, code, pointer, p, c.status, c.code, c.pointer)
			}
		})
	}
	after := w.Number("SELECT (SELECT count(*) FROM documents) + (SELECT count(*) FROM journal) + (SELECT count(*) FROM pairs)")
	same(t, "rows after all refusals", after, before)
}

func TestAllMistakesOfARequestAreToldAtOnce(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	p := w.raw("POST", "/collections/posts", "application/json", `{"facts":{"text":7,"rating":11,"kind":"newt","author":"ada","tags":["much too long"]}}`)
	var pointers []string
	for _, e := range p.Errors {
		pointers = append(pointers, e.Pointer)
	}
	same(t, "pointers", pointers, []string{"/facts/kind", "/facts/rating", "/facts/tags/0", "/facts/text"})
}

func TestACursorWorksOnlyWhereItWasGiven(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	for i := range 5 {
		w.person(fmt.Sprintf("p%d", i))
	}
	page := must(w.List(t.Context(), "people", pageOf(2, "")))(t)
	same(t, "in place", w.raw("GET", "/collections/people?cursor="+page.Next, "", "").Status, 200)
	same(t, "elsewhere", w.raw("GET", "/collections/posts?cursor="+page.Next, "", "").Code, "bad-cursor")
	altered := []byte(page.Next)
	altered[len(altered)-2] ^= 1
	same(t, "altered", w.raw("GET", "/collections/people?cursor="+string(altered), "", "").Code, "bad-cursor")
}

func TestAStaleEditIsRefused(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	if _, _, err := w.If(1).Patch(t.Context(), "people/ada", map[string]any{"name": "Ada"}); err != nil {
		t.Fatal(err)
	}
	_, _, err := w.If(1).Patch(t.Context(), "people/ada", map[string]any{"name": "Eda"})
	refused(t, err, "stale", "version 2")
	_, _, err = w.If(1).Remove(t.Context(), "people/ada")
	refused(t, err, "stale")
	same(t, "name", w.get("people/ada").Facts["name"], "Ada")
}

func TestCreatingTwiceUnderOneIdIsOnce(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.person("ada")
	_, _, err := w.Create(t.Context(), "people", "ada", map[string]any{"name": "Another"})
	refused(t, err, "conflict")
	same(t, "people", w.Number("SELECT count(*) FROM documents"), 1)
}

func TestARequestRepeatedUnderOneKeyHasOneEffect(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	c := w.As("ada").Once("key-1")
	first, at, err := c.Create(t.Context(), "posts", "", map[string]any{"text": "once"})
	if err != nil {
		t.Fatal(err)
	}
	again, atAgain, err := c.Create(t.Context(), "posts", "", map[string]any{"text": "once"})
	if err != nil {
		t.Fatal(err)
	}
	same(t, "the repeated answer", []any{again.ID, atAgain}, []any{first.ID, at})
	same(t, "posts", w.Number("SELECT count(*) FROM documents WHERE parent IS NULL"), 2)
	_, _, err = c.Create(t.Context(), "posts", "", map[string]any{"text": "twice"})
	refused(t, err, "key-reused")
}

// The same id and text by somebody else is another creation, and the same key
// another request.
func TestRepetitionsAreOfOneAccount(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.person("ben")
	w.post("ada", "p1", "a heron")
	_, _, err := w.As("ben").Create(t.Context(), "posts", "p1", map[string]any{"text": "a heron"})
	refused(t, err, "conflict")
	for _, who := range []string{"ada", "ben"} {
		got, _, err := w.As(who).Once("key-1").Create(t.Context(), "posts", "", map[string]any{"text": "by " + who})
		if err != nil {
			t.Fatal(err)
		}
		same(t, "the text", got.Facts["text"], "by "+who)
		same(t, "the author", got.Facts["author"], who)
	}
}

func TestAUniqueValueIsTakenOnce(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	mail := func(id string) error {
		_, _, err := w.Create(t.Context(), "people", id, map[string]any{"name": id, "mail": "a@pond"})
		return err
	}
	if err := mail("ada"); err != nil {
		t.Fatal(err)
	}
	refused(t, mail("ben"), "invalid", "/facts/mail")
	if _, _, err := w.Remove(t.Context(), "people/ada"); err != nil {
		t.Fatal(err)
	}
	if err := mail("ben"); err != nil {
		t.Errorf("the value was not given free: %v", err)
	}
}
