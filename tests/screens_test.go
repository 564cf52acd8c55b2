package tests

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"net/http"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"yalvo/client"
	"yalvo/demo"
	"yalvo/internal/design/language"
)

// fens are ponds with rules and screens.
func fens(t *testing.T) string {
	return listedPonds(t) + `
screens:
  feed:   {timeline: home, page: 2, shows: [text, byline.name], marks: [liked], live: true}
  person:
    of: people
    by: mail
    parts:
      who:    {document: of, marks: [following]}
      page:   {list: page, page: 2, with: [author]}
      fans:   {leads: followers, shows: [name]}
  post:   {of: posts, parts: {post: {document: of, live: true}, notes: {list: notes_of, live: true}}}
  mine:   {parts: {me: {document: me}, saved: {list: liked}, best: {list: rated}, found: {list: about}}}
  top:    {list: rated, given: {least: 9}}
  secret: {parts: {rated: {list: rated}, popular: {list: popular}}}
access:
  rules:
    apart(a, b): "paired('block', a, b) || paired('block', b, a)"
  collections:
    people: {read: "!paired('block', doc, me)", create: true, edit: true, remove: true}
    posts: {read: "!apart(me, doc.author)", create: true, edit: true, remove: true}
    notes: {read: true, create: true, edit: true, remove: true}
  pairs: {follow: {read: true, set: true, unset: true}, like: {read: true, set: true, unset: true}, block: {read: true, set: true, unset: true}, see: {read: true}}
  timelines: {home: {read: "owner == me"}}
  lists: {everyone: {read: true}, page: {read: true}, liked: {read: "of == me"}, rated: {read: "me != null"}, popular: {read: "me != null"}, notes_of: {read: true}, starting: {read: true}, about: {read: true}, seen_by: {read: true}}
`
}

// populated has some people with posts.
func populated(t *testing.T) world {
	w := start(t, fens(t))
	for _, id := range []string{"ada", "ben", "cy"} {
		must2(w.Create(t.Context(), "people", id, map[string]any{"name": id, "mail": id + "@fen"}))(t)
	}
	w.follow("ben", "ada")
	for i := range 5 {
		must2(w.As("ada").Create(t.Context(), "posts", fmt.Sprint("p", i), map[string]any{"text": fmt.Sprint("heron ", i), "rating": 5 + i}))(t)
	}
	must2(w.As("ben").Create(t.Context(), "posts/p4/notes", "n1", map[string]any{"text": "where?"}))(t)
	must(w.As("ben").Set(t.Context(), "like", "ben", "p3"))(t)
	w.Settle()
	return w
}

func must2[A, B any](a A, _ B, err error) func(testing.TB) A {
	return func(t testing.TB) A { t.Helper(); return must(a, err)(t) }
}

// A screen is answered what its reads are answered by themselves, to whoever asks.
func TestAScreenAnswersWhatItsReadsDo(t *testing.T) {
	t.Parallel()
	w := populated(t)
	must(w.As("cy").Set(t.Context(), "block", "ada", "cy"))(t)
	w.Settle()
	screens := map[string]map[string]string{
		"/screens/feed": {"home": "/timelines/home/ME?limit=2&fields=byline,text&marks=liked"},
		"/screens/person/ada@fen": {"who": "/collections/people/ada?marks=following",
			"page": "/lists/page/ada?limit=2&with=author", "fans": "/collections/people/ada/followers?limit=30&fields=name"},
		"/screens/post/p4": {"post": "/collections/posts/p4", "notes": "/lists/notes_of/p4?limit=30"},
		"/screens/mine?words=heron&least=7": {"me": "/collections/people/ME", "saved": "/lists/liked/ME?limit=30",
			"best": "/lists/rated?limit=30&least=7", "found": "/lists/about?limit=30&words=heron"},
		"/screens/mine?words=heron&part=best": {"best": "/lists/rated?limit=30"},
		"/screens/top":                        {"rated": "/lists/rated?limit=30&least=9"},
	}
	for path, parts := range screens {
		for _, me := range []string{"ada", "ben", "cy"} {
			status, text := w.answer(me, "GET", path, "")
			var got struct{ Parts, Refused map[string]json.RawMessage }
			if err := json.Unmarshal([]byte(text), &got); err != nil {
				t.Fatalf("%s: %v: %s", path, err, text)
			}
			allowed := 0
			for name, read := range parts {
				alone, body := w.answer(me, "GET", strings.ReplaceAll(read, "ME", me), "")
				is := got.Parts[name]
				if alone != http.StatusOK {
					is = got.Refused[name]
				} else {
					allowed++
				}
				if status == http.StatusOK && strings.TrimSpace(body) != string(is) {
					t.Errorf("%s of %s as %s:\n got %s\nwant %s", name, path, me, is, body)
				}
				if status != http.StatusOK && status != alone {
					t.Errorf("%s as %s: %d, and alone it is %d", path, me, status, alone)
				}
			}
			if (allowed > 0) != (status == http.StatusOK) || status == http.StatusOK && len(got.Parts)+len(got.Refused) != len(parts) {
				t.Errorf("%s as %s: %d with %d parts, %d refused; %d can be read", path, me, status, len(got.Parts), len(got.Refused), allowed)
			}
		}
	}
}

func TestAScreenIsRefusedPartByPart(t *testing.T) {
	t.Parallel()
	w := populated(t)
	// A stranger has no account, and what is for everybody is theirs all the same.
	status, text := w.answer("~", "GET", "/screens/mine?words=heron", "")
	for _, word := range []string{`"parts":{"found":{`, `"refused":{"me":{`, `"saved":{`, "not-signed-in", "for whoever is signed in", "not-allowed"} {
		if status != http.StatusOK || !strings.Contains(text, word) {
			t.Errorf("%d: %q is not in %s", status, word, text)
		}
	}
	if status, text = w.answer("~", "GET", "/screens/secret", ""); status != http.StatusForbidden || !strings.Contains(text, `"code":"not-allowed"`) {
		t.Errorf("all of it is refused: %d %s", status, text)
	}
	for path, want := range map[string]string{
		"/screens/fed":                     "404 did you mean \\\"feed\\\"?",
		"/screens/":                        "404 a screen is at",
		"/screens/feed/ada":                "404 asked for no document",
		"/screens/person":                  "404 write its mail after the name of the screen",
		"/screens/person/none@fen":         "404 there is none of people with that mail",
		"/screens/post/p4/notes":           "404 a screen is at",
		"/screens/post/p4%2Fn1":            "400 one of posts has 1 ids",
		"/screens/post/p%204":              "400 in the path",
		"/screens/post/nothing":            "404 there is no document posts/nothing",
		"/screens/mine?word=x":             "400 word",
		"/screens/mine?part=mee":           "400 its parts are me, saved, best, found",
		"/screens/mine?cursor=x":           "400 a cursor is of one part",
		"/screens/feed?cursor=x":           "400 cursor",
		"/screens/feed?limit=3":            "400 limit",
		"/screens/mine?part=best&least=11": "422 least",
		"/live/screens/top":                "400 no part of the screen \\\"top\\\" is live",
		"/live/screens/feed?cursor=x":      "400 leave the cursor out",
		"/live/screens/person/none@fen":    "404 there is none",
		"/screens/feed?settled=99":         "422 was never given out",
	} {
		status, text := w.answer("ben", "GET", path, "")
		code, words, _ := strings.Cut(want, " ")
		if fmt.Sprint(status) != code || !strings.Contains(text, words) {
			t.Errorf("%s: %d %s, want %s", path, status, text, want)
		}
	}
}

// A part goes on with its cursor, and what has not changed is not sent again.
func TestAScreenGoesOnAndIsNotSentTwice(t *testing.T) {
	t.Parallel()
	w := populated(t)
	var ids []string
	for cursor := ""; ; {
		params := map[string]string{"part": "page"}
		if cursor != "" {
			params["cursor"] = cursor
		}
		got := must(w.As("ben").Show(t.Context(), "person", "ada@fen", params))(t)
		var page client.Documents
		if err := got.Part("page", &page); err != nil || len(got.Parts) != 1 {
			t.Fatalf("%v: %v", err, got)
		}
		for _, d := range page.Documents {
			ids = append(ids, d.ID)
		}
		if cursor = page.Next; cursor == "" {
			break
		}
	}
	same(t, "all pages", strings.Join(ids, " "), "p4 p3 p2 p1 p0")

	ask := func(tag string) *http.Response {
		resp, _ := w.ask("GET", "/v1/screens/post/p4", "", "", "If-None-Match", tag)
		return resp
	}
	first := ask("x")
	if first.StatusCode != http.StatusOK || first.Header.Get("Yalvo-Read") != "2" {
		t.Errorf("%d, read %s", first.StatusCode, first.Header.Get("Yalvo-Read"))
	}
	same(t, "asked again", ask(first.Header.Get("ETag")).StatusCode, http.StatusNotModified)
	must2(w.Create(t.Context(), "posts/p4/notes", "n2", map[string]any{"text": "there"}))(t)
	same(t, "after a note", ask(first.Header.Get("ETag")).StatusCode, http.StatusOK)
}

// One stream tells of all live parts of a screen, each event of which.
func TestAScreenIsFollowedAsOne(t *testing.T) {
	t.Parallel()
	w := populated(t)
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	stage := 0
	var post client.Document
	var notes client.Documents
	err := w.As("ben").FollowScreen(ctx, "post", "p4", nil, func(s client.Screen) error {
		if err := errors.Join(s.Part("post", &post), s.Part("notes", &notes)); err != nil {
			return err
		}
		text, many := post.Facts["text"], len(notes.Documents)
		switch {
		case stage == 0 && text == "heron 4" && many == 1:
			must2(w.Patch(t.Context(), "posts/p4", map[string]any{"text": "two herons"}))(t)
		case stage == 1 && text == "two herons" && many == 1:
			must2(w.Create(t.Context(), "posts/p4/notes", "n2", map[string]any{"text": "there"}))(t)
		case stage == 2 && many == 2 && notes.Documents[1].ID == "n2":
			must2(w.Remove(t.Context(), "posts/p4/notes/n1"))(t)
		case stage == 3 && many == 1 && notes.Documents[0].ID == "n2":
			w.remove("posts/p4")
		case stage == 4 && many == 0:
			return errEnough
		default:
			return nil // one of both has been told, and not yet what is waited for
		}
		stage++
		return nil
	})
	if !errors.Is(err, errEnough) {
		t.Errorf("at stage %d: %v", stage, err)
	}
}

var errEnough = errors.New("enough was seen")

// Whoever takes a stream up again, and has missed nothing, is sent nothing again.
func TestAScreenIsTakenUpAgain(t *testing.T) {
	t.Parallel()
	w := populated(t)
	begin := func(id string) (event, current string) {
		resp := w.stream("/screens/post/p4", id)
		defer resp.Body.Close()
		lines := bufio.NewScanner(resp.Body)
		lines.Buffer(nil, 1<<20)
		for lines.Scan() {
			if name, is := strings.CutPrefix(lines.Text(), "event: "); is && name != "current" {
				event = name
			}
			if id, is := strings.CutPrefix(lines.Text(), "id: "); is {
				return event, id
			}
		}
		t.Fatal("the stream ended")
		return "", ""
	}
	event, id := begin("")
	same(t, "at first", event, "screen")
	again, _ := begin(id)
	same(t, "taken up again", again, "")
	must2(w.Create(t.Context(), "posts/p4/notes", "n2", map[string]any{"text": "there"}))(t)
	w.Settle()
	missed, _ := begin(id)
	same(t, "after something was missed", missed, "screen")
}

func (w world) stream(path, id string) *http.Response {
	w.t.Helper()
	req := w.Request("GET", "/v1/live"+path, "")
	if id != "" {
		req.Header.Set("Last-Event-ID", id)
	}
	return must(http.DefaultClient.Do(req))(w.t)
}

func TestScreensOfAnotherVersionAreTold(t *testing.T) {
	t.Parallel()
	w := populated(t)
	another := changed(t, fens(t), "top:    {list: rated, given: {least: 9}}", "best:   {list: rated, given: {least: 9}}",
		"page: 2, with: [author]", "page: 3, with: [author]", "fans:   {leads: followers, shows: [name]}", "fans:   {leads: following}")
	w.yalvo("diff", designFile(t, another)).says(t, 0, "screen", "best", "top", "page.page: 2 → 3", "fans.reads: leads followers → leads following", "fans.shows: name → none")
	w.yalvo("apply", designFile(t, another)).says(t, 0)
	if status, _ := w.answer("ben", "GET", "/screens/top", ""); status != http.StatusNotFound {
		t.Errorf("a screen that is gone: %d", status)
	}
	w.yalvo("--as", "ben", "screen", "best").says(t, 0, "posts/p4")
	w.yalvo("screen").says(t, 0, "people by mail", "list page", "least, words", "6 screens")
	w.yalvo("--as", "ben", "screen", "person", "ada@fen").says(t, 0, "who", "people/ada", "marks", "following", "fans")
	w.yalvo("--as", "ben", "screen", "mine", "words=heron", "--part", "found").says(t, 0, "posts/p0")
	w.yalvo("screen", "mine", "words=heron").says(t, 0, "refused:", "operators say for whom with Yalvo-As", "posts/p0")
	w.yalvo("screen", "mien").says(t, 1, `did you mean "mine"?`)
	w.yalvo("screen", "mine", "words").says(t, 1, "asked for no document")
}

var drawScreens = flag.Bool("draw-screens", false, "write the table of screens in docs/http.md anew")

// The screens of the demo, as the docs have them: what each is called, asks for and costs. With
// -draw-screens the whole demo is loaded and the table written.
func TestTheDocsTellTheScreensOfTheDemo(t *testing.T) {
	t.Parallel()
	d := must(language.Read("fenwatch.yaml", demo.Design))(t)
	asked := []struct{ what, screen, of, query string }{
		{"home", "home", "", ""}, {"everyone's", "everyone", "", ""},
		{"a profile by its handle, with their page, the pinned one on top", "profile", "arno_marshwood", ""},
		{"their followers, and whom I follow too", "followers", "arno_marshwood", ""},
		{"what I saved, newest saved first", "saved", "", ""}, {"a sighting with its remarks", "sighting", "s00008", ""},
		{"most liked this week", "liked_most", "", ""}, {"find somebody", "find_member", "", "starts=ar"},
		{"find a sighting", "find_sighting", "", "words=ruff%20hide"}, {"large flocks", "flocks", "", ""},
		{"what is about me", "around_me", "", ""},
	}
	row := func(i int) string {
		a := asked[i]
		path := "/screens/" + a.screen
		if a.of != "" {
			path += "/" + a.of
		}
		if a.query != "" {
			path += "?" + a.query
		}
		return fmt.Sprintf("| %s | `%s` |", a.what, path)
	}
	for _, s := range d.Screens {
		if !slices.ContainsFunc(asked, func(a struct{ what, screen, of, query string }) bool { return a.screen == s.Name }) {
			t.Errorf("the docs do not have the screen %s", s.Name)
		}
	}
	text := string(must(os.ReadFile("../docs/http.md"))(t))
	if *drawScreens {
		text = drawnScreens(t, text, row, len(asked))
		if err := os.WriteFile("../docs/http.md", []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for i := range asked {
		if !regexp.MustCompile(regexp.QuoteMeta(row(i)) + ` [0-9]+ \| [0-9,]+ \|\n`).MatchString(text) {
			t.Errorf("docs/http.md does not have %s", row(i))
		}
	}
}

// drawnScreens is the text with the table written anew, of the whole demo.
func drawnScreens(t *testing.T, text string, row func(int) string, many int) string {
	w := start(t, "")
	must(demo.Load(t.Context(), w.Client, demo.Make(demo.Full, 1), 1, func(float64) {}))(t)
	w.Settle()
	var table strings.Builder
	table.WriteString("| screen | call | read | bytes |\n|---|---|--:|--:|\n")
	for i := range many {
		path := strings.Split(row(i), "`")[1]
		resp, body := w.ask("GET", "/v1"+path, "", "", "Yalvo-As", "fenna_meredale")
		if resp.StatusCode != http.StatusOK {
			t.Fatalf("%s: %d %s", path, resp.StatusCode, body)
		}
		size := fmt.Sprint(len(body))
		if len(size) > 3 {
			size = size[:len(size)-3] + "," + size[len(size)-3:]
		}
		fmt.Fprintf(&table, "%s %s | %s |\n", row(i), resp.Header.Get("Yalvo-Read"), size)
	}
	begin := strings.Index(text, "| screen | call |")
	end := begin + strings.Index(text[begin:], "\n\n") + 1
	return text[:begin] + table.String() + text[end:]
}
