package tests

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"yalvo/client"
	"yalvo/internal/engine/facts"
	"yalvo/internal/engine/store/queuesql"
)

// wild is a design that leaves strangers all the room there is.
const wild = `
yalvo: 1
app: wild
accounts: people
collections:
  people:
    fields:
      name:  {type: string, required: true}
      tag:   {type: string, unique: true}
    kept:
      loud:   {count: notes.author, where: "doc.words.all(a, doc.words.all(b, doc.words.all(c, a != '' || b == c)))"}
      weight: {sum: notes.author, of: weight}
      last:   {latest: notes.author, fields: [seen], how_many: 10}
  notes:
    fields:
      author: {type: reference, to: people, default: me, inverse: notes, when_gone: remove}
      text:   {type: string}
      code:   {type: string, pattern: "^([a-z ]{1,20}){10}$"}
      seen:   {type: timestamp}
      weight: {type: number}
      words:  {type: list, of: {type: string}, max: 1000}
      inner:  {type: object, fields: {a: {type: string}}}
  echoes:
    fields: {texts: {type: list, of: {type: string}, max: 1000}}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
timelines:
  home: {owner: people, entries: notes, by: author, through: follow, own: true}
triggers:
  swell:   {on: {created: notes}, when: "has(doc.text) && doc.text.startsWith('swell')", do: [{create: echoes, fields: {texts: "doc.words.map(w, doc.text)"}}]}
`

// wildest starts an app on it, with somebody who asks.
func wildest(t *testing.T) world {
	w := start(t, wild)
	if _, _, err := w.Create(t.Context(), "people", "ada", map[string]any{"name": "Ada"}); err != nil {
		t.Fatal(err)
	}
	return w
}

// create makes a document, as ada.
func (w world) create(collection, id string, facts map[string]any) {
	w.t.Helper()
	if _, _, err := w.As("ada").Create(w.t.Context(), collection, id, facts); err != nil {
		w.t.Fatal(err)
	}
}

// ask sends a request as a stranger might, and reads all of the answer.
func (w world) ask(method, path, media, body string, headers ...string) (*http.Response, []byte) {
	w.t.Helper()
	req := w.Request(method, path, body)
	if media != "" {
		req.Header.Set("Content-Type", media)
	}
	for i := 0; i < len(headers); i += 2 {
		if headers[i] == "Host" {
			req.Host = headers[i+1]
			continue
		}
		req.Header.Set(headers[i], headers[i+1])
	}
	resp := must(http.DefaultClient.Do(req))(w.t)
	text := must(io.ReadAll(resp.Body))(w.t)
	if err := resp.Body.Close(); err != nil {
		w.t.Error(err)
	}
	return resp, text
}

// Whatever the body, the answer is a short one that says what is wrong, and
// nothing has been written.
func TestHostileBodiesAreRefusedInShort(t *testing.T) {
	t.Parallel()
	w := wildest(t)
	w.create("notes", "n1", map[string]any{"author": "ada", "text": strings.Repeat("x", 200_000), "inner": map[string]any{}})
	w.Settle()
	before := must(w.Changes(t.Context(), 1))(t)[0].Position
	const js, merge, ops = "application/json", "application/merge-patch+json", "application/json-patch+json"
	repeat := strings.Repeat
	many := func(n int, item string) string { return "[" + strings.TrimSuffix(repeat(item+",", n), ",") + "]" }
	members := func(n int) string {
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, `"nobody_knows_%d":1,`, i)
		}
		return `{"facts":{` + strings.TrimSuffix(b.String(), ",") + `}}`
	}
	note := func(fields string) string { return `{"facts":{"author":"ada",` + fields + `}}` }
	words := `"words":` + many(1000, `"w"`)
	for _, c := range []struct {
		name, method, path, media, body string
		status                          int
		says                            string
	}{
		{"a deep merge patch", "PATCH", "/collections/notes/n1", merge, `{"facts":{"inner":` + repeat(`{"a":`, 20_000) + "1" + repeat("}", 20_001) + "}", 400, "nested deeper than 64 levels"},
		{"a patch that copies and copies", "PATCH", "/collections/notes/n1", ops, many(100, `{"op":"copy","from":"/facts","path":"/facts/inner/a"}`), 422, "comes to more than"},
		{"a patch of 1,600 tests", "PATCH", "/collections/notes/n1", ops, many(1600, `{"op":"test","path":"/facts/author","value":"ada"}`), 422, "1600 operations, 200 are allowed"},
		{"200 tests, the last of which fails", "PATCH", "/collections/notes/n1", ops, many(199, `{"op":"test","path":"/facts/author","value":"ada"}`)[:199*len(`{"op":"test","path":"/facts/author","value":"ada"},`)] + `,{"op":"test","path":"/facts/author","value":"ben"}]`, 409, "operation 199 tests for"},
		{"20,000 names nobody knows", "POST", "/collections/notes", js, members(20_000), 422, "and 19950 more"},
		{"a name of half a megabyte", "POST", "/collections/notes", js, `{"facts":{"` + repeat("n", 500_000) + `":1}}`, 422, "there is no field"},
		{"a text of half a megabyte", "POST", "/collections/notes", js, note(`"text":"` + repeat("t", 500_000) + `"`), 422, "262144 are allowed"},
		{"a number of half a megabyte", "POST", "/collections/notes", js, note(`"weight":` + repeat("9", 500_000)), 422, "does not fit"},
		{"a number whose sums would not fit", "POST", "/collections/notes", js, note(`"weight":1e300`), 422, "within ±1e+250"},
		{"a text a costly pattern is matched against", "POST", "/collections/notes", js, note(`"code":"` + repeat("a", 200_000) + `"`), 422, "is matched against"},
		{"a condition that takes too many steps", "POST", "/collections/notes", js, note(words), 422, "takes more than 100000 steps"},
		{"an edit that makes it so", "PATCH", "/collections/notes/n1", merge, `{"facts":{` + words + `}}`, 422, "takes more than 100000 steps"},
		{"a year that is none", "POST", "/collections/notes", js, note(`"seen":"0000-01-01T00:00:00Z"`), 422, "outside the years 1 to 9999"},
		{"a year that is none in UTC", "POST", "/collections/notes", js, note(`"seen":"9999-12-31T23:59:59-01:00"`), 422, "outside the years 1 to 9999"},
		{"an hour of one digit", "POST", "/collections/notes", js, note(`"seen":"2031-01-01T1:00:00Z"`), 422, "no RFC 3339 timestamp"},
		{"a comma in a second", "POST", "/collections/notes", js, note(`"seen":"2031-01-01T01:00:00,5Z"`), 422, "no RFC 3339 timestamp"},
		{"an offset of two days", "POST", "/collections/notes", js, note(`"seen":"2031-01-01T01:00:00+48:00"`), 422, "no RFC 3339 timestamp"},
		{"a unique text that no index holds", "POST", "/collections/people", js, `{"facts":{"name":"x","tag":"` + repeat("é", 2000) + `"}}`, 422, "1000 bytes at most"},
		{"an empty body", "POST", "/collections/notes", js, " ", 400, "the body is empty"},
		{"a byte order mark", "POST", "/collections/notes", js, "\uFEFF{}", 400, "byte order mark"},
		{"a name twice", "POST", "/collections/notes", js, `{"facts":{"text":"a","text":"b"}}`, 400, "stands here twice"},
		{"a body that breaks off", "POST", "/collections/notes", js, `{"facts":{"text"`, 400, "breaks off"},
		{"an empty required text", "POST", "/collections/people", js, `{"facts":{"name":""}}`, 422, "less than the 1"},
		{"another charset", "POST", "/collections/notes", js + "; charset=latin1", `{}`, 415, "send UTF-8"},
		{"a design in broken UTF-8", "PUT", "/design", "application/yaml", "yalvo: 1\napp: \xff", 422, "is no UTF-8"},
		{"a design with U+0000", "PUT", "/design", "application/yaml", "yalvo: 1\napp: a\x00", 422, "U+0000"},
		{"a design of 40,000 brackets", "PUT", "/design", "application/yaml", repeat("[", 40_000), 422, "nested deeper than 64 levels"},
		{"a design that is too large", "PUT", "/design", "application/yaml", repeat("#\n", 200_000), 413, "larger than 262144 bytes"},
		{"a query in broken UTF-8", "GET", "/collections/notes?cursor=%ff", "", "", 400, "must be UTF-8"},
		{"a query with U+0000", "GET", "/why/kept?document=people/ada&name=%00", "", "", 400, "must be UTF-8"},
		{"a query that cannot be read", "GET", "/collections/notes?limit=%zz", "", "", 400, "cannot be read"},
		{"a mistyped parameter", "GET", "/collections/people/ada?setled=all", "", "", 400, "did you mean"},
		{"a parameter that means nothing", "GET", "/collections/people?handle=ada", "", "", 400, "it takes settled"},
		{"a position never given out", "GET", "/collections/people/ada?settled=999999", "", "", 422, "was never given out"},
		{"a thousand positions", "GET", "/status?settled=1" + repeat(",1", 999), "", "", 422, "1000 positions are given"},
		{"patience without positions", "GET", "/status?patience=3", "", "", 400, "give settled too"},
		{"patience that is no number", "GET", "/status?settled=all&patience=NaN", "", "", 400, "must be a number of seconds"},
		{"a parameter twice", "GET", "/collections/people?limit=1&limit=2", "", "", 400, "twice"},
	} {
		t.Run(c.name, func(t *testing.T) {
			w := world{w.App, t}
			resp, text := w.ask(c.method, "/v1"+c.path, c.media, c.body)
			if resp.StatusCode != c.status || !bytes.Contains(text, []byte(c.says)) || len(text) > 32<<10 {
				t.Errorf("got %d, %d bytes: %.600s\nwant %d: %s", resp.StatusCode, len(text), text, c.status, c.says)
			}
		})
	}
	same(t, "the newest change", must(w.Changes(t.Context(), 1))(t)[0].Position, before)
}

// What is at the edge of what is allowed is taken, and is what an audit expects.
func TestValuesAtTheEdgeAreTakenAndKeptTrue(t *testing.T) {
	t.Parallel()
	w := wildest(t)
	for i, seen := range []string{"0001-01-01T00:00:00Z", "9999-12-31T23:59:59.999999Z", "9999-12-31T23:59:59+01:00",
		"2031-01-01t01:00:00z"} {
		w.create("notes", fmt.Sprint("seen", i), map[string]any{"author": "ada", "seen": seen, "words": []any{"a"}})
	}
	for i, weight := range []any{-1e250, 1e250, 5e-324, json.Number("-0.0"), 1e250} {
		w.create("notes", fmt.Sprint("weight", i), map[string]any{"author": "ada", "weight": weight, "words": []any{}})
	}
	w.Settle()
	same(t, "minus zero", w.get("notes/weight3").Facts["weight"], any(0.0))
	same(t, "the sum", w.get("people/ada").Kept["weight"], any(1e250))
	w.auditFindsNothing()
}

// Pages end where they have come to a megabyte, whatever number was asked for,
// and the next one goes on from there.
func TestPagesOfLargeDocumentsAreBoundedByTheirBytes(t *testing.T) {
	t.Parallel()
	w := wildest(t)
	w.create("people", "fan", map[string]any{"name": "Fan"})
	w.follow("fan", "ada")
	const many = 11
	for i := range many {
		w.create("notes", fmt.Sprintf("n%02d", i), map[string]any{"author": "ada", "text": strings.Repeat("x", 200_000)})
	}
	w.Settle()
	for _, path := range []string{"/collections/notes", "/collections/people/ada/notes", "/timelines/home/fan"} {
		seen := map[string]bool{}
		for cursor, pages := "", 0; pages == 0 || cursor != ""; pages++ {
			resp, text := w.ask("GET", "/v1"+path+"?limit=200&cursor="+cursor, "", "")
			if resp.StatusCode != 200 || len(text) > 3<<19 {
				t.Fatalf("%s: %d, %d bytes", path, resp.StatusCode, len(text))
			}
			var page struct {
				Documents, Entries []struct{ ID string }
				Next               string
			}
			if err := json.Unmarshal(text, &page); err != nil {
				t.Fatal(err)
			}
			for _, d := range append(page.Documents, page.Entries...) {
				if seen[d.ID] {
					t.Errorf("%s: %s stands on two pages", path, d.ID)
				}
				seen[d.ID] = true
			}
			cursor = page.Next
		}
		same(t, "documents on the pages of "+path, len(seen), many)
	}
}

// A trigger whose value is far larger than what it is made of is parked with the
// reason; the service goes on.
func TestATriggerThatExplodesIsParked(t *testing.T) {
	t.Parallel()
	w := wildest(t)
	words := make([]any, 20)
	for i := range words {
		words[i] = "w"
	}
	w.create("notes", "n1", map[string]any{"author": "ada", "text": "swell" + strings.Repeat("x", 100_000), "words": words})
	w.until("it is parked", func() bool { return len(must(w.ParkedWork(t.Context()))(t)) > 0 })
	parked := must(w.ParkedWork(t.Context()))(t)
	if !strings.Contains(parked[0].Error, fmt.Sprintf("larger than %d bytes", facts.MaxFacts)) {
		t.Errorf("parked with: %s", parked[0].Error)
	}
}

// Work that has ended the services which tried it is not tried for ever: an
// attempt is counted before it is made.
func TestWorkThatEndsItsServiceIsParked(t *testing.T) {
	t.Parallel()
	w := wildest(t)
	w.SQL(`
		WITH trigger AS (SELECT n FROM numbers WHERE kind = 'trigger' AND name = 'swell'),
		event AS (
			INSERT INTO events (trigger, change, subject, doc, other, depth, payload)
			SELECT n, 1, 'notes/n1', 1, 0, 1, '{"doc": {"text": "swell", "words": ["a"]}, "key": "n1", "me": "ada"}'
			FROM trigger RETURNING n)
		INSERT INTO due (lane, step, subject, doc, change, attempts)
		SELECT 6, 19, trigger.n, event.n, 1, $1 FROM trigger, event`, queuesql.MaxAttempts)
	w.until("it is parked", func() bool { return len(must(w.ParkedWork(t.Context()))(t)) > 0 })
	if p := must(w.ParkedWork(t.Context()))(t)[0]; !strings.Contains(p.Error, "the service ended before it was done") {
		t.Errorf("parked with: %s", p.Error)
	}
	same(t, "echoes", len(must(w.List(t.Context(), "echoes", client.Page{}))(t).Documents), 0)
}
