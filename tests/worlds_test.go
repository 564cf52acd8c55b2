package tests

import (
	"bufio"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"

	"yalvo/internal/doors/tokens"
	"yalvo/internal/machine/service"
	"yalvo/tests/harness"
)

var calls = flag.Int("calls", 150, "how many calls are made in each of two worlds")

// The principle: what a caller is answered depends on nothing but what that caller may read. Ada lives in
// two worlds with the same made-up design, which differ only in what she may not read: other values in
// narrowed fields, other hidden documents and pairs. She makes the same calls in both, and is answered
// the same, but for ids and times.
func TestTwoWorldsThatDifferInWhatIsHiddenAnswerTheSame(t *testing.T) {
	t.Parallel()
	base := seeded(t)
	for nth := range *worlds {
		seed := base + uint64(nth)
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			r := rand.New(rand.NewPCG(seed, 26))
			twins := begin(t, r)
			hidden := twins.findHidden()
			if len(hidden.documents) == 0 || len(hidden.narrowed) == 0 {
				t.Fatal("nothing is hidden from ada")
			}
			wrong := 0
			for i := range *calls {
				if i%5 == 0 {
					twins.other.change(r, hidden)
				}
				if i%25 == 10 {
					twins.watch(t, r, hidden, i)
				}
				if !twins.compare(t, i, imagineCall(r)) {
					if wrong++; wrong == 12 {
						t.Fatal("and so on")
					}
				}
			}
			t.Logf("%d calls, answered %v", *calls, twins.one.statuses)
			if twins.one.statuses[200] == 0 || twins.one.statuses[404] == 0 || twins.one.statuses[403] == 0 {
				t.Error("the calls show little")
			}
			for _, w := range []*twin{twins.one, twins.other} {
				w.auditFindsNothing()
			}
		})
	}
}

var worlds = flag.Int("worlds", 1, "how many times two worlds are made up")

// twin is one of two worlds.
type twin struct {
	world
	token    string
	statuses map[int]int
	seen     map[string][]string // what came at a place, in the order in which it came first
	cursors  map[string]string   // the next page of a path
	tags     map[string]string   // the last tag of a document
}

type twins struct{ one, other *twin }

// trusting has a service believe tokens that are signed with the secret.
func trusting(o *service.Options) {
	o.Tokens = &tokens.Trust{Secret: []byte(twinSecret), Issuer: "https://id.example", Audience: "twin"}
}

const twinSecret = "reeds, rushes, sedge and bulrush: a secret"

// begin makes two worlds that are alike.
func begin(t *testing.T, r *rand.Rand) twins {
	t.Helper()
	design := imagineRules(r)
	token := must(jwt.NewWithClaims(jwt.SigningMethodHS256, jwt.RegisteredClaims{Issuer: "https://id.example", Subject: "ada",
		Audience: jwt.ClaimStrings{"twin"}, ExpiresAt: jwt.NewNumericDate(time.Now().Add(time.Hour))}).
		SignedString([]byte(twinSecret)))(t)
	both := make([]*twin, 2)
	facts := imagineFacts(r)
	for i := range both {
		w := world{harness.Start(t, design, trusting), t}
		both[i] = &twin{w, token, map[int]int{}, map[string][]string{}, map[string]string{}, map[string]string{}}
		for _, f := range facts {
			both[i].must(f)
		}
		w.Settle()
	}
	return twins{both[0], both[1]}
}

// call is a request, with what stands for what differs in each world.
type call struct {
	method, path, body string
	headers            []string
	media              string
}

func (c call) String() string {
	return fmt.Sprint(c.method, " ", c.path, " ", c.body, " ", c.headers)
}

// must has an operator make a call that has to succeed.
func (w *twin) must(c call) {
	w.t.Helper()
	media := "application/json"
	if c.body == "" {
		media = ""
	}
	resp, text := w.ask(c.method, "/v1"+c.path, media, c.body, c.headers...)
	if resp.StatusCode >= 300 {
		w.t.Fatalf("%s: %d %s", c, resp.StatusCode, text)
	}
}

// made makes a call as ada and answers with what she gets, in a form that does not tell times and ids.
func (w *twin) made(c call) string {
	w.t.Helper()
	path := c.path
	if strings.Contains(path, "cursor=NEXT") {
		bare := strings.Replace(path, "cursor=NEXT", "", 1)
		path = strings.Replace(path, "NEXT", w.cursors[bare], 1)
		if w.cursors[bare] == "" {
			path = bare
		}
	}
	req := must(http.NewRequestWithContext(w.t.Context(), c.method, w.URL+"/v1"+path, strings.NewReader(c.body)))(w.t)
	req.Header.Set("Authorization", "Bearer "+w.token)
	if c.body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	if c.media != "" {
		req.Header.Set("Content-Type", c.media)
	}
	for i := 0; i < len(c.headers); i += 2 {
		value := c.headers[i+1]
		if value == "SEEN" {
			if value = w.tags[c.path]; value == "" {
				value = `"1"`
			}
		}
		req.Header.Set(c.headers[i], value)
	}
	resp := must(http.DefaultClient.Do(req))(w.t)
	defer resp.Body.Close()
	if strings.HasPrefix(path, "/live/") && resp.StatusCode == http.StatusOK {
		w.statuses[resp.StatusCode]++
		return strings.Join(w.events(path, bufio.NewReader(resp.Body), ""), "\n")
	}
	text := must(io.ReadAll(resp.Body))(w.t)
	w.statuses[resp.StatusCode]++
	bare := strings.Replace(c.path, "cursor=NEXT", "", 1)
	var page struct{ Next string }
	if json.Unmarshal(text, &page) == nil {
		w.cursors[bare] = page.Next
	}
	if tag := resp.Header.Get("ETag"); tag != "" {
		w.tags[c.path] = tag
	}
	told := fmt.Sprintln(resp.StatusCode, "read", resp.Header.Get("Yalvo-Read"), "wrote", resp.Header.Get("Yalvo-Wrote"),
		"position", w.position(resp.Header.Get("Yalvo-Position")), "tag", w.tag(c.path, resp.Header.Get("ETag")),
		"location", w.plain("location", resp.Header.Get("Location")))
	return told + w.body(bare, text)
}

// events are those of a live read until it shows a text, and shows all that there is.
func (w *twin) events(path string, from *bufio.Reader, until string) (all []string) {
	w.t.Helper()
	name := ""
	for shown := false; ; {
		line, err := from.ReadString('\n')
		if err != nil {
			return append(all, "the stream ended")
		}
		line = strings.TrimSuffix(line, "\n")
		if event, is := strings.CutPrefix(line, "event: "); is {
			name = event
		}
		data, is := strings.CutPrefix(line, "data: ")
		if !is {
			continue
		}
		shown = shown || strings.Contains(data, until)
		all = append(all, name+" "+w.body(path, []byte(data)))
		if name == "current" && shown {
			return all
		}
	}
}

// follow reads live as ada until it shows all that there is.
func (w *twin) follow(path string) *bufio.Reader {
	w.t.Helper()
	req := must(http.NewRequestWithContext(w.t.Context(), "GET", w.URL+"/v1/live"+path, nil))(w.t)
	req.Header.Set("Authorization", "Bearer "+w.token)
	resp := must(http.DefaultClient.Do(req))(w.t)
	w.t.Cleanup(func() { _ = resp.Body.Close() }) // nothing more is read of it
	if resp.StatusCode != http.StatusOK {
		w.t.Fatalf("following %s: %d", path, resp.StatusCode)
	}
	from := bufio.NewReader(resp.Body)
	w.events(path, from, "")
	return from
}

// watch follows a read in both worlds while hidden things change in one, until ada sees a change of her own.
func (ts twins) watch(t *testing.T, r *rand.Rand, h hidden, nth int) {
	t.Helper()
	path := []string{"/timelines/home/ada", "/lists/everyone", "/lists/texts?words=marker", "/lists/page/ada",
		"/timelines/home/ada?marks=liked&limit=5", "/lists/everyone?limit=3", "/screens/mine"}[r.IntN(7)]
	one, other := ts.one.follow(path), ts.other.follow(path)
	ts.other.change(r, h)
	ts.other.change(r, h)
	marker := fmt.Sprintf("marker %d", nth)
	var told []string
	for i, w := range []*twin{ts.one, ts.other} {
		w.made(call{method: "POST", path: "/collections/posts", body: fmt.Sprintf(`{"id":"w%d","facts":{"text":%q}}`, nth, marker)})
		told = append(told, strings.Join(w.events(path, []*bufio.Reader{one, other}[i], marker), "\n"))
		w.Settle()
	}
	if told[0] != told[1] {
		t.Errorf("following %s:\n one   %s\n other %s", path, told[0], told[1])
	}
}

// nth is which of the different things at a place a text is.
func (w *twin) nth(place, text string) string {
	at := slices.Index(w.seen[place], text)
	if at < 0 {
		at = len(w.seen[place])
		w.seen[place] = append(w.seen[place], text)
	}
	return fmt.Sprint("#", at)
}

var plainPosition = regexp.MustCompile(`^[.=]*[0-9]+$`)

func (w *twin) position(text string) string {
	if text == "" || plainPosition.MatchString(text) {
		return text
	}
	return w.nth("position", text)
}

// tag is the version in a tag, and which of those of the path it is.
func (w *twin) tag(path, tag string) string {
	version, print, is := strings.Cut(strings.Trim(tag, `"`), ".")
	if !is {
		return w.nth("tag "+path, tag)
	}
	return version + " " + w.nth("tag "+path, print)
}

var uuids = regexp.MustCompile(`[0-9a-f]{8}-[0-9a-f]{4}-7[0-9a-f]{3}-[0-9a-f]{4}-[0-9a-f]{12}`)

// plain is a text without ids that the service has made.
func (w *twin) plain(_, text string) string {
	return uuids.ReplaceAllStringFunc(text, func(id string) string { return w.nth("id", id) })
}

func (w *twin) body(path string, text []byte) string {
	if len(text) == 0 {
		return ""
	}
	var any any
	if err := json.Unmarshal(text, &any); err != nil {
		return w.plain(path, string(text))
	}
	raw := must(json.Marshal(w.timeless(path, "", any)))(w.t)
	return w.plain(path, string(raw)+" "+form(text))
}

var quoted = regexp.MustCompile(`"(?:[^"\\]|\\.)*":?`)

// form is how a text of JSON is laid out: its spaces, and its names in their order. That tells too how an answer came about.
func form(text []byte) string {
	return quoted.ReplaceAllStringFunc(string(text), func(s string) string {
		if strings.HasSuffix(s, ":") {
			return s
		}
		return "."
	})
}

// timeless is a value of an answer without times, tokens and tags.
func (w *twin) timeless(path, name string, v any) any {
	switch x := v.(type) {
	case map[string]any:
		of, is := x["path"].(string)
		if is {
			path = of
		}
		for name, inner := range x {
			x[name] = w.timeless(path, name, inner)
		}
		return x
	case []any:
		for i := range x {
			x[i] = w.timeless(path, name, x[i])
		}
		return x
	case string:
		switch name {
		case "created", "since", "at":
			return "a time"
		case "updated":
			return w.nth("updated "+path, x)
		case "position":
			return w.position(x)
		case "etag":
			return w.tag(path, x)
		case "next":
			return "a cursor"
		}
		if _, err := time.Parse(time.RFC3339Nano, x); err == nil { // a patch may copy one into a text
			return "a time"
		}
	}
	return v
}

// compare makes a call in both worlds.
func (ts twins) compare(t *testing.T, i int, c call) bool {
	t.Helper()
	one, other := ts.one.made(c), ts.other.made(c)
	if c.method != "GET" {
		ts.one.Settle()
		ts.other.Settle()
	}
	if one != other {
		at := 0
		for at < min(len(one), len(other)) && one[at] == other[at] {
			at++
		}
		around := func(text string) string { return text[max(at-150, 0):min(at+150, len(text))] }
		t.Errorf("call %d: %s\n one   …%s\n other …%s", i, c, around(one), around(other))
	}
	return one == other
}

// hidden is what ada may not read and nobody's right to read anything hangs on.
type hidden struct {
	documents []string            // paths
	narrowed  map[string][]string // by path, of documents that she may read: values
}

var free = map[string][]string{"people": {"name", "mail", "score", "tags", "friend", "face"},
	"posts": {"text", "size", "secret", "shot"}, "notes": {"text"}}

// findHidden asks for everything as ada.
func (ts twins) findHidden() hidden {
	out := hidden{narrowed: map[string][]string{}}
	w := ts.one
	for _, collection := range []string{"people", "posts", "notes"} {
		_, text := w.ask("GET", "/v1/collections/"+collection+"?limit=200", "", "")
		if collection == "notes" {
			text = nil
			for i := range madePosts {
				_, some := w.ask("GET", fmt.Sprintf("/v1/collections/posts/s%d/notes?limit=200", i), "", "")
				text = append(append(text, some...), '\n')
			}
		}
		dec := json.NewDecoder(strings.NewReader(string(text)))
		for {
			var page struct {
				Documents []struct{ Path string }
			}
			if dec.Decode(&page) != nil {
				break
			}
			for _, d := range page.Documents {
				seen := w.made(call{method: "GET", path: "/collections/" + d.Path})
				if strings.HasPrefix(seen, "404") {
					out.documents = append(out.documents, d.Path)
					continue
				}
				for _, name := range []string{"mail", "score", "tags", "friend", "secret", "face"} {
					if slices.Contains(free[collection], name) && !strings.Contains(seen, `"`+name+`":`) {
						out.narrowed[d.Path] = append(out.narrowed[d.Path], name)
					}
				}
			}
		}
	}
	*w = twin{w.world, w.token, map[int]int{}, map[string][]string{}, map[string]string{}, map[string]string{}}
	return out
}

func (h hidden) path(r *rand.Rand) string { return h.documents[r.IntN(len(h.documents))] }

// change changes something that ada may not read.
func (w *twin) change(r *rand.Rand, h hidden) {
	w.t.Helper()
	if r.IntN(2) == 0 {
		paths := slices.Sorted(func(yield func(string) bool) {
			for p := range h.narrowed {
				if !yield(p) {
					return
				}
			}
		})
		path := paths[r.IntN(len(paths))]
		if path != "people/ada" {
			name := h.narrowed[path][r.IntN(len(h.narrowed[path]))]
			w.edit(path, name, imagineValue(r, name))
		}
		w.Settle()
		return
	}
	path := h.path(r)
	parts := strings.Split(path, "/")
	if len(parts) == 4 && r.IntN(2) == 0 { // another note by whoever wrote one that is hidden, or that one goes
		w.another(r, path)
		w.Settle()
		return
	}
	switch r.IntN(4) {
	case 0, 1:
		names := free[parts[len(parts)-2]]
		name := names[r.IntN(len(names))]
		w.edit(path, name, imagineValue(r, name))
	case 2: // somebody hidden likes, or follows
		if parts[0] == "people" {
			w.ask("PUT", "/v1/pairs/like/"+parts[1]+"/"+imaginePost(r), "application/json", `{"facts":{"value":1}}`)
			w.ask("PUT", "/v1/pairs/follow/"+parts[1]+"/"+imaginePerson(r), "", "")
		}
	case 3:
		if parts[0] == "people" { // what somebody hidden writes is hidden, if it is a draft of theirs or she is blocked
			id := fmt.Sprint("h", r.IntN(1000))
			w.ask("POST", "/v1/collections/posts", "application/json", fmt.Sprintf(
				`{"id":%q,"facts":{"text":"hidden","draft":true,"author":%q}}`, id, parts[1]))
		}
	}
	w.Settle()
}

func (w *twin) another(r *rand.Rand, note string) {
	w.t.Helper()
	if r.IntN(3) == 0 {
		w.ask("DELETE", "/v1/collections/"+note, "", "")
		return
	}
	_, text := w.ask("GET", "/v1/collections/"+note, "", "")
	var doc struct{ Facts struct{ Author string } }
	if json.Unmarshal(text, &doc) != nil || doc.Facts.Author == "" {
		return // it is gone
	}
	w.ask("POST", "/v1/collections/"+note[:strings.LastIndexByte(note, '/')], "application/json", fmt.Sprintf(
		`{"id":"h%d","facts":{"text":"hidden","hushed":true,"author":%q}}`, r.IntN(1000), doc.Facts.Author))
}

func (w *twin) edit(path, name, value string) {
	w.t.Helper()
	if name == "face" || name == "shot" { // of somebody who has uploaded it
		for n := range somePictures {
			if value == fmt.Sprintf("%q", pictureCalled(n)) {
				w.ask("POST", "/v1/pictures", "image/png", string(somePicture(n)))
			}
		}
	}
	resp, text := w.ask("PATCH", "/v1/collections/"+path, "application/json", fmt.Sprintf(`{"facts":{%q:%s}}`, name, value))
	if resp.StatusCode >= 300 && resp.StatusCode != 404 { // ada may have removed what it stood in
		w.t.Fatalf("changing %s of %s: %d %s", name, path, resp.StatusCode, text)
	}
}
