package tests

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"yalvo/client"
	"yalvo/tests/harness"
)

// guardedPonds is the ponds app with rules.
func guardedPonds(t *testing.T) string {
	t.Helper()
	return changed(t, ponds,
		"mail: {type: string, unique: true}",
		"mail: {type: string, unique: true}\n      muted: {type: boolean, default: false}",
		"  like:   {from",
		"  block:  {from: people, to: people, from_calls: blocking, to_calls: blockers}\n  like:   {from") + `
access:
  rules:
    active:      {that: "me != null && !me.muted", otherwise: "a muted one only reads"}
    apart(a, b): "paired('block', a, b) || paired('block', b, a)"
  collections:
    people:
      read:   "!paired('block', doc, me)"
      edit:   "doc == me"
      remove: "doc == me"
      fields:
        mail:  {read: "doc == me"}
        muted: {write: false}
    posts:
      read:   "!apart(me, doc.author)"
      create: "active() && new.author == me"
      edit:   "active() && doc.author == me"
      remove: "doc.author == me"
    notes:
      read:   "!has(doc.author) || !apart(me, doc.author)"
      create: "active() && (!has(new.author) || new.author == me)"
  pairs:
    follow: {read: true, set: "from == me", unset: "from == me"}
    block:  {read: "from == me", set: "from == me", unset: "from == me"}
    like:   {read: true, set: "active() && from == me", unset: "from == me"}
  timelines:
    home: {read: "owner == me"}
`
}

// guarded starts it. Ben has blocked cleo, dora is muted.
func guarded(t *testing.T) world {
	t.Helper()
	w := start(t, guardedPonds(t))
	w.pondsPeople()
	return w
}

// pondsPeople are those of the stories about access, with a post by ada and one by ben.
func (w world) pondsPeople() {
	w.t.Helper()
	t := w.t
	for _, id := range []string{"ada", "ben", "cleo", "dora"} {
		w.given("people", id, map[string]any{"name": id, "mail": id + "@fen", "muted": id == "dora"})
	}
	must(w.Set(t.Context(), "block", "ben", "cleo"))(t)
	for _, author := range []string{"ada", "ben"} {
		id := author[:1] + "1"
		w.post(author, id, "by "+author)
		w.given("posts/"+id+"/notes", "n1", map[string]any{"text": "noted", "author": "ada"})
	}
	w.Settle()
}

func (w world) given(in, id string, facts map[string]any) {
	w.t.Helper()
	if _, _, err := w.Create(w.t.Context(), in, id, facts); err != nil {
		w.t.Fatal(err)
	}
}

// answer is what somebody gets for a request.
func (w world) answer(as, method, path, body string, headers ...string) (int, string) {
	w.t.Helper()
	if as != "" {
		headers = append(headers, "Yalvo-As", as)
	}
	media := ""
	if body != "" {
		media = "application/json"
	}
	resp, text := w.ask(method, "/v1"+path, media, body, headers...)
	return resp.StatusCode, string(text)
}

// Each request with what it is answered for a stranger, ada, ben, cleo and dora.
func TestWhoGetsIn(t *testing.T) {
	t.Parallel()
	w := guarded(t)
	callers := []string{"~", "ada", "ben", "cleo", "dora"}
	note := `{"facts": {"text": "x"}}`
	for _, c := range []struct {
		method, path, body string
		want               [5]int
	}{
		{"GET", "/collections/people/ben", "", [5]int{200, 200, 200, 404, 200}},
		{"GET", "/collections/people/cleo", "", [5]int{200, 200, 200, 200, 200}},
		{"GET", "/collections/people/ben/posts", "", [5]int{200, 200, 200, 404, 200}},
		{"GET", "/collections/people/ben/followers", "", [5]int{200, 200, 200, 404, 200}},
		{"GET", "/collections/posts/b1", "", [5]int{200, 200, 200, 404, 200}},
		{"GET", "/collections/posts/b1/notes", "", [5]int{200, 200, 200, 404, 200}},
		{"GET", "/collections/posts/b1/notes/n1", "", [5]int{200, 200, 200, 404, 200}},
		{"GET", "/collections/posts/b1/likers", "", [5]int{200, 200, 200, 404, 200}},
		{"GET", "/collections/pools", "", [5]int{200, 200, 200, 200, 200}}, // nothing of it, for anybody
		{"GET", "/timelines/home/ada", "", [5]int{403, 200, 403, 403, 403}},
		{"GET", "/timelines/home/ben", "", [5]int{403, 403, 200, 404, 403}},
		{"GET", "/timelines/home/nobody", "", [5]int{404, 404, 404, 404, 404}},
		{"GET", "/live/timelines/home/ben", "", [5]int{403, 403, 0, 404, 403}},
		{"GET", "/pairs/follow/ada/ben", "", [5]int{200, 200, 200, 404, 200}},
		{"PUT", "/pairs/follow/ada/ben", "", [5]int{403, 204, 403, 404, 403}},
		{"PUT", "/pairs/follow/cleo/ben", "", [5]int{403, 403, 403, 404, 403}},
		{"PUT", "/pairs/like/cleo/b1", "", [5]int{403, 403, 403, 404, 403}},
		{"PUT", "/pairs/like/dora/a1", "", [5]int{403, 403, 403, 403, 403}},
		{"PUT", "/pairs/follow/ada/dora", "", [5]int{403, 204, 403, 403, 403}},
		{"DELETE", "/pairs/follow/ada/dora", "", [5]int{403, 204, 403, 403, 403}},
		{"DELETE", "/pairs/follow/ada/ben", "", [5]int{403, 204, 403, 404, 403}}, // there is none any more
		{"DELETE", "/pairs/block/ben/cleo", "", [5]int{403, 403, 0, 404, 403}},
		{"POST", "/collections/people", `{"facts": {"name": "x"}}`, [5]int{403, 403, 403, 403, 403}},
		{"POST", "/collections/posts", note, [5]int{422, 201, 201, 201, 403}}, // a stranger cannot be its author
		{"POST", "/collections/posts", `{"facts": {"text": "x", "author": "ada"}}`, [5]int{403, 201, 403, 403, 403}},
		{"POST", "/collections/posts", `{"facts": {"text": "x", "about": "b1"}}`, [5]int{422, 201, 201, 422, 403}},
		{"POST", "/collections/posts/b1/notes", note, [5]int{403, 201, 201, 404, 403}},
		{"POST", "/collections/posts/none/notes", note, [5]int{404, 404, 404, 404, 404}},
		{"PATCH", "/collections/posts/b1", note, [5]int{403, 403, 200, 404, 403}},
		{"PATCH", "/collections/posts/b1", `{"facts": {"text": 3}}`, [5]int{403, 403, 422, 404, 403}},
		{"PATCH", "/collections/posts/a1", `{"facts": {"about": "b1"}}`, [5]int{403, 200, 403, 403, 403}},
		{"PATCH", "/collections/people/ada", `{"facts": {"muted": true}}`, [5]int{403, 403, 403, 403, 403}},
		{"PATCH", "/collections/posts/b1/notes/n1", note, [5]int{403, 403, 403, 404, 403}},
		{"DELETE", "/collections/posts/b1/notes/n1", "", [5]int{403, 403, 403, 404, 403}},
		{"DELETE", "/collections/posts/b1", "", [5]int{403, 403, 0, 404, 403}},
		{"DELETE", "/collections/posts/none", "", [5]int{404, 404, 404, 404, 404}},
	} {
		for i, as := range callers {
			if c.want[i] == 0 {
				continue // it would end what the others need, or go on
			}
			status, text := w.answer(as, c.method, c.path, c.body)
			if status != c.want[i] {
				t.Errorf("%s %s %s as %s: %d, want %d: %s", c.method, c.path, c.body, as, status, c.want[i], text)
			}
		}
		if c.method != "GET" || strings.Contains(c.path, "nobody") || strings.Contains(c.path, "live") {
			continue
		}
		if status, text := w.answer("", c.method, c.path, ""); status != 200 {
			t.Errorf("%s %s as an operator: %d: %s", c.method, c.path, status, text)
		}
	}
	w.noDrift()
}

// What may not be read is told apart from what is not there by nothing.
func TestWhatMayNotBeReadIsAsMissing(t *testing.T) {
	t.Parallel()
	w := guarded(t)
	for _, c := range []struct{ method, there, missing string }{
		{"GET", "/collections/posts/b1", "/collections/posts/zz"},
		{"GET", "/collections/posts/b1/notes/n1", "/collections/posts/zz/notes/n1"},
		{"PATCH", "/collections/posts/b1", "/collections/posts/zz"},
		{"DELETE", "/collections/posts/b1", "/collections/posts/zz"},
		{"PUT", "/pairs/like/cleo/b1", "/pairs/like/cleo/zz"},
		{"DELETE", "/pairs/like/cleo/b1", "/pairs/like/cleo/zz"},
		{"PUT", "/pairs/like/ada/b1", "/pairs/like/ada/zz"}, // for somebody else
	} {
		body := ""
		if c.method == "PATCH" {
			body = `{"facts": {"text": "x"}}`
		}
		_, there := w.answer("cleo", c.method, c.there, body)
		_, missing := w.answer("cleo", c.method, c.missing, body)
		same(t, c.method+" "+c.there, strings.ReplaceAll(there, "b1", "zz"), missing)
	}
	_, there := w.answer("cleo", "POST", "/collections/posts", `{"facts": {"text": "x", "about": "b1"}}`)
	_, missing := w.answer("cleo", "POST", "/collections/posts", `{"facts": {"text": "x", "about": "zz"}}`)
	same(t, "a reference", strings.ReplaceAll(there, "b1", "zz"), missing)
}

func TestPagesAreFullOfWhatMayBeRead(t *testing.T) {
	t.Parallel()
	w := guarded(t)
	must(w.Set(t.Context(), "follow", "cleo", "ada"))(t)
	must(w.Set(t.Context(), "follow", "cleo", "ben"))(t)
	want := []string{"a1"}
	for i := range 60 {
		author := "ben"
		if i%4 == 3 {
			author = "ada"
			want = append(want, fmt.Sprintf("p%02d", i))
		}
		w.post(author, fmt.Sprintf("p%02d", i), "x")
		must(w.Set(t.Context(), "like", "ada", fmt.Sprintf("p%02d", i)))(t)
	}
	w.Settle()
	slices.Sort(want)
	cleo := w.As("cleo")
	sorted := func(ids []string) []string { slices.Sort(ids); return ids }
	docs := func(path string) (ids []string, pages []int) {
		for page := (client.Page{Limit: 7}); ; {
			got := must(cleo.List(t.Context(), path, page))(t)
			for _, d := range got.Documents {
				ids = append(ids, d.ID)
			}
			if pages = append(pages, len(got.Documents)); got.Next == "" {
				return ids, pages
			}
			page.Cursor = got.Next
		}
	}
	ids, pages := docs("posts")
	same(t, "posts", ids, want)
	same(t, "their pages", pages, []int{7, 7, 2})
	ids, pages = docs("people/ada/liked")
	same(t, "what ada likes", sorted(ids), want[1:])
	same(t, "its pages", pages, []int{7, 7, 1})
	ids, _ = docs("people/ada/posts")
	same(t, "ada's", sorted(ids), want)
	ids, _ = docs("people/cleo/following")
	same(t, "whom cleo follows", ids, []string{"ada"})
	ids, _ = docs("people/cleo/blockers") // ben's block is ben's
	same(t, "who has blocked cleo", ids, []string(nil))

	var entries, sizes = []string{}, []int{}
	for page := (client.Page{Limit: 7}); ; {
		got := must(cleo.Timeline(t.Context(), "home", "cleo", page))(t)
		for _, e := range got.Entries {
			entries = append(entries, e.ID)
		}
		if sizes = append(sizes, len(got.Entries)); got.Next == "" {
			break
		}
		page.Cursor = got.Next
	}
	same(t, "cleo's timeline", sorted(entries), want)
	same(t, "its pages", sizes, []int{7, 7, 2})
}

func TestSomeValuesAreForSomeAlone(t *testing.T) {
	t.Parallel()
	w := guarded(t)
	mail := func(as, path string) string {
		t.Helper()
		status, text := w.answer(as, "GET", "/collections/"+path, "")
		if status != 200 {
			t.Fatalf("%s as %s: %d %s", path, as, status, text)
		}
		return fmt.Sprint(strings.Count(text, "@fen"))
	}
	same(t, "own", mail("ada", "people/ada"), "1")
	same(t, "another's", mail("ada", "people/dora"), "0")
	same(t, "a page", mail("ada", "people"), "1")
	same(t, "a stranger's page", mail("~", "people"), "0")
	same(t, "an operator's page", mail("", "people"), "4")

	status, text := w.answer("ada", "PATCH", "/collections/people/ada",
		`[{"op": "test", "path": "/facts/mail", "value": "ada@fen"}, {"op": "replace", "path": "/facts/name", "value": "A"}]`,
		"Content-Type", "application/json-patch+json")
	same(t, "a test of one's own", status, 200)
	if !strings.Contains(text, "@fen") {
		t.Errorf("the answer lacks what ada may read: %s", text)
	}
	// Who may not edit learns nothing by trying.
	status, text = w.answer("dora", "PATCH", "/collections/people/ada",
		`[{"op": "test", "path": "/facts/mail", "value": "ada@fen"}]`, "Content-Type", "application/json-patch+json")
	status2, text2 := w.answer("dora", "PATCH", "/collections/people/ada",
		`[{"op": "test", "path": "/facts/mail", "value": "guess"}]`, "Content-Type", "application/json-patch+json")
	same(t, "a test by another", []any{status, text}, []any{status2, text2})
	same(t, "which is", status, 403)
}

// What rules were told before is not believed any more once it has changed, at whichever
// service: neither that somebody may write, nor that they may not.
func TestWhoIsMutedStopsWritingAtOnce(t *testing.T) {
	t.Parallel()
	w := guarded(t)
	other := world{harness.StartOn(t, w.Database, ""), t}
	n := 0
	posts := func(at world, want string) {
		t.Helper()
		for range 2 {
			n++
			_, _, err := at.As("ada").Create(t.Context(), "posts", fmt.Sprint("n", n), map[string]any{"text": "x"})
			if got := fmt.Sprint(err); want == "" && err != nil || !strings.Contains(got, want) {
				t.Fatalf("post %d of ada: %v, wanted %q", n, err, want)
			}
		}
	}
	for round := range 3 {
		posts(w, "")
		posts(other, "")
		if _, _, err := other.Patch(t.Context(), "people/ada", map[string]any{"muted": true}); err != nil {
			t.Fatal(err)
		}
		posts(w, "a muted one only reads")
		posts(other, "a muted one only reads")
		_, _, err := w.As("ada").Batch(t.Context(), client.Creating("posts", fmt.Sprint("b", round), map[string]any{"text": "x"}))
		refused(t, err, "invalid", "a muted one only reads")
		if _, _, err := w.Patch(t.Context(), "people/ada", map[string]any{"muted": false}); err != nil {
			t.Fatal(err)
		}
	}
	posts(w, "")
	if _, _, err := other.Remove(t.Context(), "people/ada"); err != nil {
		t.Fatal(err)
	}
	posts(w, "there is no account ada")
}

func TestARefusalSaysWhoRefused(t *testing.T) {
	t.Parallel()
	w := guarded(t)
	status, text := w.answer("dora", "POST", "/collections/posts", `{"facts": {"text": "x"}}`)
	var p struct {
		Code, Detail string
		Rule         struct {
			Name, Condition string
			Line            int
		}
	}
	if err := json.Unmarshal([]byte(text), &p); err != nil {
		t.Fatal(err)
	}
	same(t, "a muted one posts", []any{status, p.Code, p.Detail, p.Rule.Name, p.Rule.Condition},
		[]any{403, "not-allowed", "a muted one only reads", "posts.create", "active() && new.author == me"})
	_, _, err := w.As("ada").Create(t.Context(), "posts", "", map[string]any{"text": "x", "author": "ben"})
	refused(t, err, "not-allowed", "this account may not do this")
	w.yalvo("--as", "ada", "add", "posts", "text=x", "author=ben").
		says(t, 1, "this account may not do this", "by the rule posts.create, line", "active() && new.author == me")
	_, _, err = w.As("~").Create(t.Context(), "pools", "", map[string]any{"name": "x"})
	refused(t, err, "not-allowed", "a stranger may not do this")

	_, _, err = w.As("ada").Batch(t.Context(), client.Creating("posts", "p1", map[string]any{"text": "x"}),
		client.Setting("like", "ada", "p1", nil), client.Editing("posts/b1", map[string]any{"text": "mine"}),
		client.Removing("posts/p1"))
	refused(t, err, "invalid", "/writes/2", "1 of 4 writes cannot be done")
	if _, _, err := w.As("ada").Batch(t.Context(), client.Creating("posts", "p1", map[string]any{"text": "x"}),
		client.Setting("like", "ada", "p1", nil), client.Removing("posts/p1")); err != nil {
		t.Error(err)
	}

	// A key that an operator has used tells a stranger nothing.
	key, body := []string{"Idempotency-Key", "once"}, `{"facts": {"name": "x"}}`
	status, _ = w.answer("", "POST", "/collections/pools", body, key...)
	same(t, "an operator", status, 201)
	status, _ = w.answer("~", "POST", "/collections/pools", body, key...)
	same(t, "a stranger", status, 403)
}

func TestARuleCanBeTried(t *testing.T) {
	t.Parallel()
	w := guarded(t)
	ada, cleo := "ada", "cleo"
	try := func(trial client.Trial) client.Outcome {
		t.Helper()
		return must(w.Try(t.Context(), trial))(t)
	}
	out := try(client.Trial{As: &cleo, Do: "read", Document: "posts/b1/notes/n1"})
	same(t, "cleo reads a note", []any{out.Allowed, out.Missing, out.Refused, len(out.Steps)},
		[]any{false, true, "posts.read", 2})
	same(t, "because", out.Steps[0].Parts[0].Parts[1].Text+" "+out.Steps[0].Parts[0].Parts[1].Value,
		`paired('block', doc.author, me) true`)
	same(t, "nobody edits a pool", try(client.Trial{As: &ada, Do: "create", Document: "pools"}).Refused, "pools.create")
	same(t, "ada likes", try(client.Trial{As: &ada, Do: "set", Pair: "like", From: "ada", To: "b1"}).Allowed, true)
	same(t, "ada posts",
		try(client.Trial{As: &ada, Do: "create", Document: "posts", Facts: map[string]any{"text": "x"}}).Allowed,
		true)
	same(t, "a stranger's mail", try(client.Trial{Do: "read", Document: "people/ada", Field: "mail"}).Refused,
		"people.mail.read")
	same(t, "ada's timeline",
		try(client.Trial{As: &cleo, Do: "read", Timeline: "home", Owner: "ada"}).Refused, "home.read")
	same(t, "nothing was made", w.Number("SELECT count(*) FROM documents WHERE key = 'new'"), 0)
	for body, says := range map[string]string{
		`{"do": "fly", "document": "posts/b1"}`:                      "do is one of",
		`{"do": "read"}`:                                             "about one thing",
		`{"do": "read", "document": "posts/zz"}`:                     "there is no document posts/zz",
		`{"do": "read", "document": "posts"}`:                        "no path of a document",
		`{"do": "read", "pair": "likes", "from": "a", "to": "b"}`:    "no pair",
		`{"do": "set", "pair": "like", "from": "a/b", "to": "b"}`:    "from:",
		`{"do": "edit", "timeline": "home", "owner": "ada"}`:         "can be read",
		`{"do": "read", "document": 3}`:                              "must be a text",
		`{"as": "a b", "do": "read", "document": "posts/b1"}`:        "id of an account",
		`{"do": "create", "document": "posts", "facts": {"text":3}}`: "/text",
		`{"do": "create", "document": "posts", "facts": 3}`:          "must be an object",
	} {
		status, text := w.answer("", "POST", "/access/try", body)
		if status != 422 || !strings.Contains(text, says) {
			t.Errorf("%s: %d %s", body, status, text)
		}
	}
}

func TestMarksShowThePairsThatMayBeRead(t *testing.T) {
	t.Parallel()
	w := guarded(t)
	must(w.Set(t.Context(), "block", "ada", "dora"))(t)
	_, text := w.answer("ada", "GET", "/collections/people/dora?marks=blocking", "")
	if !strings.Contains(text, `"blocking":{"since"`) {
		t.Errorf("ada does not see her own block: %s", text)
	}
	_, text = w.answer("cleo", "GET", "/collections/people?marks=blockers", "")
	if strings.Contains(text, "since") {
		t.Errorf("cleo sees who has blocked her: %s", text)
	}
}

func TestTheConsoleSaysWhoMayDoWhat(t *testing.T) {
	b := browse(t, guardedPonds(t))
	b.pondsPeople()
	b.do(chromedp.Navigate(b.URL + "/access?as=cleo&kind=read&document=posts/b1"))
	b.sees("the verdict",
		`document.querySelector('[data-part="verdict"] h1').innerText === 'cleo may not read posts/b1'`)
	b.sees("the part that decided",
		`[...document.querySelectorAll('li.true code')].some(e => e.innerText === "paired('block', doc.author, me)")`)
	b.sees("the rules in force", `document.querySelector('[data-part="rules"]').innerText.includes('posts.create')`)
	b.sees("what nobody may", `document.querySelector('[data-part="rules"]').innerText.includes('people.create')`)
	b.do(chromedp.Navigate(b.URL + "/access?as=ada&kind=set&pair=like&from=ada&to=b1"))
	b.sees("what is allowed", `document.querySelector('h1').innerText === 'ada may set like ada → b1'`)
	b.do(chromedp.Navigate(b.URL + "/access?kind=create&document=posts&facts=%7B%22text%22"))
	b.sees("facts that are none", `document.querySelector('.el-alert').innerText.includes('must be JSON')`)
	b.do(chromedp.Navigate(b.URL + "/documents/posts/b1"))
	b.press(`[data-act="access"]`)
	b.sees("a stranger", `document.querySelector('h1').innerText === 'A stranger may not edit posts/b1'`)
}

// A live page shows what its reader may read, though nothing of it has changed itself.
func TestALivePageFollowsWhoMayReadIt(t *testing.T) {
	t.Parallel()
	w := guarded(t)
	w.follow("ada", "ben")
	w.follow("ada", "dora")
	w.SQL(`UPDATE yalvo.documents SET fields = fields || '{"muted": false}' WHERE key = 'dora'`)
	w.post("dora", "d1", "by dora")
	w.Settle()
	pages := make(chan client.Timeline)
	go func() {
		_ = w.As("ada").Follow(t.Context(), "home", "ada", client.Page{}, func(page client.Timeline) error { // ends with the test
			select {
			case pages <- page:
			case <-t.Context().Done():
			}
			return nil
		})
	}()
	shows := func(what string, want ...string) {
		t.Helper()
		var ids []string
		for _, e := range (<-pages).Entries {
			ids = append(ids, e.ID)
		}
		slices.Sort(ids)
		same(t, what, ids, want)
	}
	shows("at first", "a1", "b1", "d1")
	must(w.Set(t.Context(), "block", "ben", "ada"))(t)
	shows("when ben has blocked ada", "a1", "d1")
	must(w.Set(t.Context(), "block", "ada", "dora"))(t)
	shows("when ada has blocked dora", "a1")
	must(w.Unset(t.Context(), "block", "ben", "ada"))(t)
	shows("when ben no longer does", "a1", "b1")
}

// What rules say of a timeline is worked out once for all of whom they ask the same, and for each
// of whom they ask something of their own. Each is tried twice, and after ada has blocked herself:
// then she is gone for herself.
func TestTimelinesAreReadByWhomTheRulesLet(t *testing.T) {
	t.Parallel()
	for rule, want := range map[string]string{
		"owner == me":                                           "ada 200, ben 200, dora 200, cleo 403",
		"owner == me && !me.muted":                              "ada 200, ben 200, dora 403, cleo 403",
		"owner == me && paired('block', me, me)":                "ada 403, ben 200, dora 403, cleo 403",
		"owner == me || paired('follow', me, owner)":            "ada 200, ben 200, dora 200, cleo 200",
		"owner == me && has(owner.name) && now > owner.created": "ada 200, ben 200, dora 200, cleo 403",
	} {
		source := changed(t, guardedPonds(t), `read:   "!paired('block', doc, me)"`,
			`read:   "!paired('block', doc, me) || doc.name == 'ben'"`,
			"to_calls: blockers}", "to_calls: blockers, self: true}")
		source = strings.Replace(source, `home: {read: "owner == me"}`, "home: {read: "+strconv.Quote(rule)+"}", 1)
		w := start(t, source)
		w.pondsPeople()
		w.set("block", "ben", "ben")
		w.set("follow", "cleo", "ada")
		w.Settle()
		see := func() string {
			var got []string
			for _, who := range []string{"ada ada", "ben ben", "dora dora", "cleo ada"} {
				reader, owner, _ := strings.Cut(who, " ")
				status, _ := w.answer(reader, "GET", "/timelines/home/"+owner, "")
				got = append(got, fmt.Sprint(reader, " ", status))
			}
			return strings.Join(got, ", ")
		}
		same(t, rule, see(), want)
		same(t, rule+", again", see(), want)
		w.set("block", "ada", "ada")
		same(t, rule+", once ada has blocked herself", see(), "ada 404"+want[len("ada 200"):])
	}
}
