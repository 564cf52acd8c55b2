package tests

import (
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"

	"yalvo/client"
)

// shoals is an app in which much is hidden from somebody: what is narrowed, what is closed, who has blocked.
const shoals = `
yalvo: 1
app: shoals
accounts: people
collections:
  people:
    fields:
      name:  {type: string, required: true}
      mail:  {type: string, unique: true}
      notes: {type: list, of: {type: string}, max: 9}
    kept:
      newest: {latest: posts.author, how_many: 2, fields: [text]}
      fans:   {gather: follow.to, how_many: 2}
  posts:
    fields:
      text:   {type: string, max: 60}
      closed: {type: boolean, default: false}
      score:  {type: integer}
      about:  {type: reference, to: posts, inverse: echoes, when_gone: clear}
      author: {type: reference, to: people, required: true, default: me, fixed: true, inverse: posts, when_gone: remove}
    kept:
      card:   {copy: about, fields: [text]}
      byline: {copy: author, fields: [name]}
  replies:
    under: posts
    fields:
      text:   {type: string}
      author: {type: reference, to: people, default: me, inverse: replies, when_gone: remove}
  chats:
    fields:
      with:  {type: reference, to: people, required: true, inverse: chats, when_gone: remove}
      topic: {type: string, unique: true}
pairs:
  follow: {from: people, to: people, from_calls: following, to_calls: followers}
  block:  {from: people, to: people, from_calls: blocking, to_calls: blockers}
  trust:  {from: people, to: people, from_calls: trusting, to_calls: trusted, fields: {level: {type: integer, required: true}}}
lists:
  scores: {entries: posts, order: score}
  mails:  {entries: people, starts: mail}
access:
  collections:
    people:
      read:   "!paired('block', doc, me)"
      create: true
      edit:   "me != null"
      fields:
        mail:  {read: "doc == me"}
        notes: {read: "doc == me"}
    posts:
      read:   "!doc.closed || doc.author == me"
      create: "new.author == me"
      edit:   "me != null"
      fields:
        score: {read: "doc.author == me", write: "new.author == me"}
    replies:
      read:   true
      create: "!parent.closed"
    chats:
      read:   "!paired('block', doc.with, me)"
      create: "!paired('block', new.with, me)"
  pairs:
    follow: {read: true, set: "from == me", unset: "from == me"}
    block:  {read: "from == me", set: "from == me", unset: "from == me"}
    trust:  {read: false, set: "from == me", unset: "from == me"}
  lists: {scores: {read: true}, mails: {read: true}}
`

// shoal starts it. Ben has blocked ada, and nothing of his is there for her.
func shoal(t *testing.T) world {
	t.Helper()
	w := start(t, shoals, trusting)
	for _, id := range []string{"ada", "ben", "cleo"} {
		w.given("people", id, map[string]any{"name": id, "mail": id + "@fen", "notes": []string{"one", "two"}})
	}
	must(w.Set(t.Context(), "block", "ben", "ada"))(t)
	return w
}

// tokenFor is an access token of the app's identity provider.
func tokenFor(t testing.TB, account string) string {
	t.Helper()
	return must(jwt.NewWithClaims(jwt.SigningMethodHS256, jwt.RegisteredClaims{Issuer: "https://id.example", Subject: account,
		Audience: jwt.ClaimStrings{"twin"}, ExpiresAt: jwt.NewNumericDate(time.Now().Add(time.Hour))}).
		SignedString([]byte(twinSecret)))(t)
}

// account is a client with a token, as an app has one.
func (w world) account(id string) *client.Client {
	w.t.Helper()
	return w.stranger().With(tokenFor(w.t, id))
}

// told is what an account is answered by raw HTTP.
func (w world) told(id, method, path, media, body string, headers ...string) (*http.Response, string) {
	w.t.Helper()
	headers = append(headers, "Authorization", "Bearer "+tokenFor(w.t, id))
	resp, text := w.ask(method, "/v1"+path, media, body, headers...)
	return resp, string(text)
}

func TestAPatchReachesNothingThatIsHidden(t *testing.T) {
	t.Parallel()
	w := shoal(t)
	for _, c := range []struct {
		patch string
		want  int
	}{
		{`[{"op":"copy","from":"/facts/mail","path":"/facts/name"}]`, 422},
		{`[{"op":"copy","from":"","path":"/facts/name"}]`, 422}, // the whole of it, as they see it
		{`[{"op":"move","from":"/facts/mail","path":"/facts/name"}]`, 422},
		{`[{"op":"test","path":"/facts/mail","value":"cleo@fen"}]`, 409},
		{`[{"op":"test","path":"/facts/mail","value":"other@fen"}]`, 409},
		{`[{"op":"remove","path":"/facts/notes/1"}]`, 422},
		{`[{"op":"remove","path":"/facts/notes/7"}]`, 422},
		{`[{"op":"test","path":"/facts","value":{"name":"cleo"}}]`, 200},
		{`[{"op":"replace","path":"/facts","value":{"name":"cleo again"}}]`, 200},
	} {
		resp, text := w.told("ada", "PATCH", "/collections/people/cleo", "application/json-patch+json", c.patch)
		if resp.StatusCode != c.want || strings.Contains(text, "@fen") || strings.Contains(text, "two") {
			t.Errorf("%s: %d, want %d: %s", c.patch, resp.StatusCode, c.want, text)
		}
	}
	same(t, "what is hidden stays", w.get("people/cleo").Facts["mail"], any("cleo@fen"))
	if _, _, err := w.account("ada").Patch(t.Context(), "people/cleo", map[string]any{"mail": nil}); err != nil {
		t.Error("by its name it can be taken away:", err)
	}
	same(t, "what is taken away by its name", w.get("people/cleo").Facts["mail"], nil)
}

// A value that is given blindly counts as another one, whatever it was: for the rule, for the version, for all.
func TestAnEqualHiddenValueIsAsAnyOther(t *testing.T) {
	t.Parallel()
	w := shoal(t)
	w.given("posts", "p1", map[string]any{"text": "a heron", "score": 7, "author": "cleo"})
	ada := w.account("ada")
	for _, score := range []int{7, 8} {
		_, _, err := ada.Patch(t.Context(), "posts/p1", map[string]any{"score": score})
		refused(t, err, "not-allowed")
	}
	for nth, mail := range []string{"cleo@fen", "cleo@fen", "cleo@reed"} {
		resp, text := w.told("ada", "PATCH", "/collections/people/cleo", "application/json", `{"facts": {"mail": "`+mail+`"}}`)
		same(t, "documents written, "+text, resp.Header.Get("Yalvo-Wrote"), "1")
		same(t, "the version", w.get("people/cleo").Version, int64(2+nth))
	}
}

// Versions, times and tags tell of edits of what one may read, and of no others.
func TestVersionsAreOfWhatOneMayRead(t *testing.T) {
	t.Parallel()
	w := shoal(t)
	ctx := t.Context()
	tag := func(id string) (string, string) {
		resp, text := w.told(id, "GET", "/collections/people/cleo", "", "")
		return resp.Header.Get("ETag"), text
	}
	before, was := tag("ada")
	for _, mail := range []string{"1@fen", "2@fen", "3@fen"} {
		w.edit2("people/cleo", map[string]any{"mail": mail})
	}
	after, is := tag("ada")
	same(t, "the tag for ada", after, before)
	same(t, "what she reads", is, was)
	_, hers := tag("cleo")
	if !strings.Contains(hers, `"version":4`) {
		t.Errorf("cleo reads %s", hers)
	}
	got, _, err := w.account("ada").If(1).Patch(ctx, "people/cleo", map[string]any{"name": "Cleo"})
	if err != nil {
		t.Fatal("an edit of the version that ada has seen:", err)
	}
	same(t, "the version for ada", got.Version, int64(2))
	same(t, "the version", w.get("people/cleo").Version, int64(5))
	_, _, err = w.account("ada").If(5).Patch(ctx, "people/cleo", map[string]any{"name": "cleo"})
	refused(t, err, "stale", "at version 2")
}

func (w world) edit2(path string, facts map[string]any) {
	w.t.Helper()
	if _, _, err := w.Patch(w.t.Context(), path, facts); err != nil {
		w.t.Fatal(err)
	}
}

// Pairs with somebody hidden are like pairs with nobody, whether they stand or not.
func TestPairsWithWhoIsHiddenTellNothing(t *testing.T) {
	t.Parallel()
	w := shoal(t)
	ctx := t.Context()
	must(w.Set(ctx, "follow", "ada", "ben"))(t)
	must(w.SetWith(ctx, "trust", "ada", "ben", map[string]any{"level": 1}))(t)
	must(w.SetWith(ctx, "trust", "ada", "cleo", map[string]any{"level": 1}))(t)
	ask := func(method, path, body string) string {
		media := ""
		if body != "" {
			media = "application/json"
		}
		resp, text := w.told("ada", method, path, media, body)
		return strings.NewReplacer("ben", "WHO", "nobody", "WHO", "cleo", "WHO").Replace(
			strings.Join([]string{resp.Status, resp.Header.Get("Yalvo-Read"), resp.Header.Get("Yalvo-Wrote"), text}, " "))
	}
	for _, c := range []struct{ method, path, body string }{
		{"GET", "/pairs/follow/ada/WHO", ""}, {"PUT", "/pairs/follow/ada/WHO", ""}, {"PUT", "/pairs/trust/ada/WHO", ""},
		{"PUT", "/pairs/trust/ada/WHO", `{"facts": {"level": 2}}`}, {"DELETE", "/pairs/follow/cleo/WHO", ""},
		{"DELETE", "/pairs/trust/ada/WHO", ""}, {"DELETE", "/pairs/follow/ada/WHO", ""},
		{"POST", "/writes", `{"writes": [{"unset": "follow", "from": "ada", "to": "WHO"}, {"set": "follow", "from": "ada", "to": "WHO"}]}`},
	} {
		at := func(who string) string {
			return ask(c.method, strings.ReplaceAll(c.path, "WHO", who), strings.ReplaceAll(c.body, "WHO", who))
		}
		same(t, c.method+" "+c.path+" "+c.body, at("ben"), at("nobody"))
	}
	same(t, "ada has taken back what she could", w.Number("SELECT count(*) FROM pairs WHERE kind <> (SELECT n FROM numbers WHERE kind = 'pair' AND name = 'block')"), 1)

	// What she may set and not read: whether it stood is not told.
	stood, no := ask("PUT", "/pairs/trust/ada/cleo", `{"facts": {"level": 1}}`), ask("PUT", "/pairs/trust/cleo/cleo", "")
	fresh := ask("PUT", "/pairs/trust/ada/ada", `{"facts": {"level": 1}}`)
	if !strings.HasPrefix(stood, "204") || !strings.HasPrefix(no, "422") || !strings.HasPrefix(fresh, "422") {
		t.Errorf("got %q, %q, %q", stood, no, fresh)
	}
	same(t, "again", ask("PUT", "/pairs/trust/ada/cleo", `{"facts": {"level": 1}}`), stood)
	same(t, "without facts it is as if there were none", ask("PUT", "/pairs/trust/ada/cleo", "")[:3], "422")
}

func TestARepeatedCreationShowsWhatMayBeRead(t *testing.T) {
	t.Parallel()
	w := shoal(t)
	ctx := t.Context()
	ada := w.account("ada")
	w.given("people", "dora", map[string]any{"name": "Dora"})
	w.given("chats", "ben", map[string]any{"with": "ben"})
	chat := map[string]any{"with": "dora", "topic": "terns"}
	for _, what := range []string{"made", "repeated, with a unique value of its own"} {
		if _, _, err := ada.Create(ctx, "chats", "dora", chat); err != nil {
			t.Errorf("%s: %v", what, err)
		}
	}
	_, _, err := ada.Create(ctx, "chats", "eve", chat)
	refused(t, err, "invalid", "is taken")
	must(w.Set(ctx, "block", "dora", "ada"))(t)
	_, _, err = ada.Create(ctx, "chats", "dora", map[string]any{"with": "cleo"})
	_, _, other := ada.Create(ctx, "chats", "ben", map[string]any{"with": "cleo"})
	refused(t, err, "conflict")
	same(t, "as one of somebody else", strings.ReplaceAll(err.Error(), "dora", "ben"), other.Error())

	secret := map[string]any{"text": "closed at once", "closed": true, "author": "ada"}
	got, _, err := w.account("ada").Create(ctx, "posts", "p1", secret)
	if err != nil || got.Kept["byline"] == nil {
		t.Errorf("her own: %v %v", got, err)
	}
}

// What a batch has opened for itself is open for nobody else.
func TestABatchLeavesNothingOpen(t *testing.T) {
	t.Parallel()
	w := shoal(t)
	ctx := t.Context()
	w.given("posts", "p1", map[string]any{"text": "a heron", "author": "cleo", "closed": true})
	cleo := w.account("cleo")
	for range 3 {
		_, _, err := cleo.Batch(ctx,
			client.Editing("posts/p1", map[string]any{"closed": false}),
			client.Creating("posts/p1/replies", "", map[string]any{"text": "x"}),
			client.Editing("posts/p1", map[string]any{"closed": true}))
		if err != nil {
			t.Fatal(err)
		}
		_, _, err = cleo.Create(ctx, "posts/p1/replies", "", map[string]any{"text": "y"})
		refused(t, err, "not-allowed")
	}
}

func TestRulesAreToldToOperatorsAlone(t *testing.T) {
	t.Parallel()
	w := shoal(t)
	w.given("posts", "p1", map[string]any{"text": "a heron", "author": "cleo", "closed": true})
	_, text := w.told("cleo", "POST", "/collections/posts/p1/replies", "application/json", `{"facts": {"text": "x"}}`)
	if strings.Contains(text, "rule") || strings.Contains(text, "closed") || !strings.Contains(text, "not-allowed") {
		t.Errorf("cleo is told %s", text)
	}
	_, text = w.answer("cleo", "POST", "/collections/posts/p1/replies", `{"facts": {"text": "x"}}`)
	if !strings.Contains(text, "!parent.closed") {
		t.Errorf("an operator who acts as cleo is told %s", text)
	}
}

// A chat with somebody who has blocked ada is a chat with nobody, and so is a share of what is hidden from her.
func TestRulesSeeNothingThatIsHidden(t *testing.T) {
	t.Parallel()
	w := shoal(t)
	w.given("posts", "hidden", map[string]any{"text": "a heron", "author": "cleo", "closed": true})
	for path, body := range map[string]string{
		"/collections/chats": `{"facts": {"with": "WHO"}}`,
		"/collections/posts": `{"facts": {"about": "WHO"}}`,
	} {
		var answers []string
		for _, who := range []string{"ben", "hidden", "nobody"} {
			_, text := w.told("ada", "POST", path, "application/json", strings.ReplaceAll(body, "WHO", who))
			answers = append(answers, strings.ReplaceAll(text, who, "WHO"))
		}
		same(t, "with ben", answers[0], answers[2])
		same(t, "with what is hidden", answers[1], answers[2])
	}
}

// Positions are tokens: equal if they are the same, good for waiting, and they say nothing else.
func TestPositionsTellNothing(t *testing.T) {
	t.Parallel()
	w := shoal(t)
	ctx := t.Context()
	ada := w.account("ada")
	_, first, err := ada.Create(ctx, "posts", "p1", map[string]any{"text": "a heron"})
	if err != nil {
		t.Fatal(err)
	}
	_, again, _ := ada.Create(ctx, "posts", "p1", map[string]any{"text": "a heron"})
	same(t, "the same creation", again, first)
	if len(first) != 22 {
		t.Errorf("the position is %q", first)
	}
	_, all, _ := ada.Batch(ctx, client.Editing("posts/p1", map[string]any{"text": "two"}))
	_, same1, _ := ada.Batch(ctx, client.Editing("posts/p1", map[string]any{"text": "two"}))
	if all == same1 {
		t.Error("two batches with nothing between them have the same position")
	}
	for _, at := range []string{string(first), string(all), string(first) + "," + string(all), "AAAAAAAAAAAAAAAAAAAAAA", "all"} {
		if resp, text := w.told("ada", "GET", "/collections/posts/p1?settled="+at, "", ""); resp.StatusCode != 200 {
			t.Errorf("waiting for %s: %s", at, text)
		}
	}
	for _, at := range []string{"1", "..1", "=1", "99999999", "x"} {
		if resp, text := w.told("ada", "GET", "/collections/posts/p1?settled="+at, "", ""); resp.StatusCode != 422 || strings.Contains(text, "given out") {
			t.Errorf("waiting for %s: %d %s", at, resp.StatusCode, text)
		}
	}
	_, number, _ := w.As("ada").Create(ctx, "posts", "p2", map[string]any{"text": "x"})
	if !plainPosition.MatchString(string(number)) {
		t.Errorf("an operator is told %q", number)
	}
}

func TestStrangersHaveNoKeysOfTheirOwn(t *testing.T) {
	t.Parallel()
	w := shoal(t)
	req := w.Request("POST", "/v1/collections/people", `{"facts": {"name": "Dora"}}`)
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Idempotency-Key", "k1")
	req.Header.Del("Authorization")
	resp := must(http.DefaultClient.Do(req))(t)
	resp.Body.Close()
	same(t, "a stranger's key", resp.StatusCode, 400)
	for range 2 {
		if _, _, err := w.stranger().Create(t.Context(), "chats", "c1", map[string]any{"with": "ben"}); err != nil {
			t.Error("an id of its own makes it repeatable:", err)
		}
	}
}

// Lists leave out those whose value they would tell.
func TestListsTellNoHiddenValues(t *testing.T) {
	t.Parallel()
	w := shoal(t)
	for id, author := range map[string]string{"a1": "ada", "c1": "cleo", "a2": "ada"} {
		w.given("posts", id, map[string]any{"text": id, "score": len(id) * int(id[0]), "author": author})
	}
	_, hers := w.told("ada", "GET", "/lists/scores", "", "")
	_, all := w.answer("", "GET", "/lists/scores", "")
	same(t, "by scores, for ada", strings.Count(hers, `"path":"posts/`), 2)
	same(t, "for an operator", strings.Count(all, `"path":"posts/`), 3)
	for starts, want := range map[string]int{"ada": 1, "cleo": 0, "ben": 0} {
		resp, text := w.told("ada", "GET", "/lists/mails?starts="+starts, "", "")
		if resp.StatusCode != 200 || strings.Count(text, `"path":"people/`) != want {
			t.Errorf("mails that begin with %s: %s", starts, text)
		}
	}
}

// What stands in a duplicate is for those who may read where it is from; the next ones come in its place.
func TestDuplicatesShowWhatTheirReaderMayRead(t *testing.T) {
	t.Parallel()
	w := shoal(t)
	for i := range 26 {
		w.given("posts", "p"+string(rune('a'+i)), map[string]any{"text": string(rune('a' + i)), "author": "cleo", "closed": i != 3 && i > 1})
	}
	must(w.Set(t.Context(), "follow", "ben", "cleo"))(t)
	must(w.Set(t.Context(), "follow", "ada", "cleo"))(t)
	w.given("posts", "echo", map[string]any{"text": "see", "about": "pc", "author": "ada"})
	w.Settle()
	texts := func(as *client.Client) (got string) {
		for _, item := range must(as.Get(t.Context(), "people/cleo"))(t).Kept["newest"].([]any) {
			got += item.(map[string]any)["text"].(string) + " "
		}
		return got
	}
	same(t, "the newest for ada", texts(w.account("ada")), "d b ")
	if all := texts(w.account("cleo")); !strings.HasPrefix(all, "z") {
		t.Errorf("the newest for herself: %s", all)
	}
	fans := func(as *client.Client) any { return must(as.Get(t.Context(), "people/cleo"))(t).Kept["fans"] }
	same(t, "the fans for ada, whom ben has blocked", fans(w.account("ada")), []any{"ada"})
	same(t, "the fans", fans(w.Client), []any{"ada", "ben"})
	same(t, "a card of what is closed", must(w.account("ada").Get(t.Context(), "posts/echo"))(t).Kept["card"], nil)
	same(t, "her own byline", must(w.account("ada").Get(t.Context(), "posts/echo"))(t).Kept["byline"], map[string]any{"name": "ada"})
	same(t, "the card", w.get("posts/echo").Kept["card"], map[string]any{"text": "c"})
}

// A live list of somebody who blocks its reader has its items removed, and they come back when that ends.
func TestALiveListOfWhoBlocksItsReaderBecomesEmpty(t *testing.T) {
	t.Parallel()
	w := start(t, changed(t, shoals, "  mails:  {entries: people, starts: mail}", "  mails:  {entries: people, starts: mail}\n  page:   {entries: posts, of: author}",
		"mails: {read: true}}", "mails: {read: true}, page: {read: true}}"))
	ctx := t.Context()
	for _, id := range []string{"ada", "cleo"} {
		w.given("people", id, map[string]any{"name": id})
	}
	w.given("posts", "p1", map[string]any{"text": "a heron", "author": "cleo"})
	w.Settle()
	shown := make(chan int, 10)
	go func() {
		_ = w.As("ada").FollowList(ctx, "page", "cleo", nil, client.Page{}, func(d client.Documents) error { // ends with the test
			shown <- len(d.Documents)
			return nil
		})
	}()
	becomes := func(what string, many int) { // it may be shown again as it was, as when a stream begins anew
		t.Helper()
		for late := time.After(time.Minute); ; {
			select {
			case got := <-shown:
				if got == many {
					return
				}
			case <-late:
				t.Fatalf("%s: never %d", what, many)
			}
		}
	}
	becomes("at first", 1)
	must(w.Set(ctx, "block", "cleo", "ada"))(t)
	becomes("after the block", 0)
	must(w.Unset(ctx, "block", "cleo", "ada"))(t)
	becomes("after its end", 1)
}
