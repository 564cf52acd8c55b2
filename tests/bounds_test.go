package tests

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"yalvo/client"
)

// heldBy are the tests of each row of the limits in docs/http.md.
var heldBy = map[string]string{
	"a body":                          "TestWhatIsAskedIsBounded TestABodyThatDoesNotComeIsGivenUp TestABodyWithoutEndIsCut",
	"facts of a document or a pair":   "TestWhatIsAskedIsBounded TestHostileBodiesAreRefusedInShort",
	"a JSON Patch":                    "TestHostileBodiesAreRefusedInShort",
	"a request's header":              "TestWhatIsAskedIsBounded",
	"an id":                           "TestWhatIsAskedIsBounded",
	"requests worked on at once":      "TestOneCallerTakesNotAllPlaces TestWhoWaitsTakesNoPlace",
	"reads that wait for positions":   "TestWhatIsCountedIsBounded TestOneAccountFollowsSoMuch",
	"large answers not taken yet":     "TestWhoReadsSlowlyTakesNoPlace TestWhatIsCountedIsBounded",
	"positions a read waits for":      "TestWhatIsAskedIsBounded",
	"a page of a list":                "TestAListThatTakesTooLongIsGivenUp",
	"documents looked at for one":     "TestRulesHaveABudget TestAPageOfWhatMayNotBeReadEnds",
	"reads in one request":            "TestWhatIsAskedIsBounded TestPagesOfLargeDocumentsAreBoundedByTheirBytes",
	"names in":                        "TestWhatIsAskedIsBounded",
	"a picture":                       "TestPicturesOfStrangersAreRefused",
	"pictures on their way":           "TestTurnsAreShared TestWhatIsCountedIsBounded",
	"pictures of an account":          "TestWhatAnAccountKeepsIsBounded",
	"passwords looked at together":    "TestTurnsAreShared TestGuessingPasswordsTakesTime TestOthersDoNotKeepAnAccountOut",
	"keys; sign-ins of an account":    "TestWhatAnAccountKeepsIsBounded",
	"requests a second of an address": "TestNobodyAsksTooFast",
	"audits under way":                "TestAuditsQueueUpToANumber",
	"dumps at once":                   "TestADumpThatBreaksOffIsToldFromAWholeOne",
}

// Each limit that is stated has a test that holds it.
func TestEveryStatedLimitIsHeldByATest(t *testing.T) {
	t.Parallel()
	tests := map[string]bool{}
	for _, pattern := range []string{"*_test.go", "../internal/*/*_test.go", "../internal/*/*/*_test.go"} {
		files := must(filepath.Glob(pattern))(t)
		for _, file := range files {
			for _, name := range regexp.MustCompile(`(?m)^func (Test\w+)`).FindAllSubmatch(must(os.ReadFile(file))(t), -1) {
				tests[string(name[1])] = true
			}
		}
	}
	_, table, _ := strings.Cut(string(must(os.ReadFile("../docs/http.md"))(t)), "**Limits**")
	table, _, _ = strings.Cut(table, "\n\n**")
	rows := regexp.MustCompile(`(?m)^\| ([^|]+[^| ]) \| [^|]`).FindAllStringSubmatch(table, -1)
	if len(rows) < 20 {
		t.Fatalf("the table has %d rows", len(rows))
	}
	for _, row := range rows {
		what := ""
		for begins := range heldBy {
			if strings.HasPrefix(row[1], begins) && len(begins) > len(what) {
				what = begins
			}
		}
		for _, test := range strings.Fields(heldBy[what]) {
			if !tests[test] {
				t.Errorf("%q: there is no %s", row[1], test)
			}
		}
		if what == "" {
			t.Errorf("%q is held by no test", row[1])
		}
	}
}

// What a request has may be as large as is stated, and no larger.
func TestWhatIsAskedIsBounded(t *testing.T) {
	t.Parallel()
	w := wildest(t)
	w.create("notes", "n1", map[string]any{"author": "ada"})
	w.Settle()
	repeat := strings.Repeat
	body := func(bytes int) string { return `{"facts":` + repeat(" ", bytes-len(`{"facts":{}}`)) + `{}}` }
	names := func(n int) string { return strings.TrimSuffix(repeat("text,", n), ",") }
	positions := func(n int) string { return strings.TrimSuffix(repeat("1,", n), ",") }
	reads := func(n int) string {
		return `{"reads":[` + strings.TrimSuffix(repeat(`"/collections/notes/n1",`, n), ",") + `]}`
	}
	writes := func(n int) string {
		return `{"writes":[` + strings.TrimSuffix(repeat(`{"edit":"notes/n1","facts":{}},`, n), ",") + `]}`
	}
	id := func(n int) string { return `{"id":"` + repeat("i", n) + `","facts":{"author":"ada"}}` }
	text := func(n int) string { return fmt.Sprintf(`{"facts":{"author":"ada","text":"%s"}}`, repeat("t", n)) }
	const js = "application/json"
	for _, c := range []struct {
		name, method, path string
		body               func(n int) string
		query, header      func(n int) string
		most               int
		taken, refused     int
	}{
		{name: "a body", method: "POST", path: "/collections/people", body: body, most: 1 << 20, taken: 422, refused: 413},
		{name: "levels of a body", method: "PATCH", path: "/collections/notes/n1", most: 62, taken: 422, refused: 400, // and two around it
			body: func(n int) string { return `{"facts":{"inner":` + repeat(`{"a":`, n) + "1" + repeat("}", n) + "}}" }},
		{name: "an id", method: "POST", path: "/collections/notes", body: id, most: 128, taken: 201, refused: 422},
		{name: "facts", method: "POST", path: "/collections/notes", body: text, most: 256<<10 - len(`{"author":"ada","text":""}`),
			taken: 201, refused: 422},
		{name: "reads in one request", method: "POST", path: "/reads", body: reads, most: 10, taken: 200, refused: 422},
		{name: "writes in one request", method: "POST", path: "/writes", body: writes, most: 500, taken: 200, refused: 422},
		{name: "names in fields", method: "GET", path: "/collections/notes/n1?fields=", query: names, most: 50, taken: 200,
			refused: 400},
		{name: "names in with", method: "GET", path: "/collections/notes/n1?with=", most: 5, taken: 200, refused: 400,
			query: func(n int) string { return strings.TrimSuffix(repeat("author,", n), ",") }},
		{name: "positions", method: "GET", path: "/collections/notes/n1?settled=", query: positions, most: 100, taken: 200,
			refused: 422},
		{name: "a header", method: "GET", path: "/collections/notes/n1", most: 31 << 10, taken: 200, refused: 431,
			header: func(n int) string { return repeat("h", n+(n&1)*(10<<10)) }}, // the reader has 8 KiB of its own
	} {
		for over, want := range []int{c.taken, c.refused} {
			path, sent, media, headers := "/v1"+c.path, "", "", []string(nil)
			switch {
			case c.body != nil:
				sent, media = c.body(c.most+over), js
			case c.query != nil:
				path += c.query(c.most + over)
			default:
				headers = []string{"X-Long", c.header(c.most + over)}
			}
			resp, answer := w.ask(c.method, path, media, sent, headers...)
			if resp.StatusCode != want {
				t.Errorf("%s, %d more than the %d that are allowed: %d, want %d: %.300s", c.name, over, c.most, resp.StatusCode, want, answer)
			}
			if len(answer) > 4<<10 && want >= 400 {
				t.Errorf("%s: the refusal has %d bytes", c.name, len(answer))
			}
		}
	}
}

// An account has so many live reads, and others have theirs beside it.
func TestOneAccountFollowsSoMuch(t *testing.T) {
	t.Parallel()
	w := guarded(t)
	most := 200
	follow := func(who string) int {
		req := w.Request("GET", "/v1/live/collections/posts/a1", "")
		req.Header.Set("Yalvo-As", who)
		resp := must(http.DefaultClient.Do(req))(t)
		t.Cleanup(func() { _ = resp.Body.Close() }) // nothing is read of it
		return resp.StatusCode
	}
	for i := range most {
		if status := follow("ada"); status != http.StatusOK {
			t.Fatalf("live read %d of %d: %d", i+1, most, status)
		}
	}
	same(t, "one more", follow("ada"), http.StatusTooManyRequests)
	same(t, "somebody else's", follow("ben"), http.StatusOK)
}

// What is kept of an account, and of operators, has a number.
func TestWhatAnAccountKeepsIsBounded(t *testing.T) {
	t.Parallel()
	w := start(t, signingPonds(t))
	ctx := t.Context()
	up, _, _, err := w.stranger().SignUp(ctx, map[string]any{"name": "Ada"}, password)
	if err != nil {
		t.Fatal(err)
	}
	w.SQL(`INSERT INTO pictures (id, width, height, types) SELECT 'some' || g, 1, 1, '' FROM generate_series(1, 500) g`)
	w.SQL(`INSERT INTO picture_uploads (account, picture, bytes) SELECT $1, id, 1 FROM pictures`, up.Account)
	_, err = w.stranger().With(up.Access).Upload(ctx, aPicture(t, 1))
	refused(t, err, "too-many", "500 pictures")
	w.SQL(`DELETE FROM picture_uploads WHERE picture <> 'some1'`)
	w.SQL(`UPDATE picture_uploads SET bytes = 1 << 30`)
	_, err = w.stranger().With(up.Access).Upload(ctx, aPicture(t, 1))
	refused(t, err, "too-many", "1024 MiB")
	w.SQL(`UPDATE picture_uploads SET uploaded = now() - interval '25 hours'`)
	if _, err = w.stranger().With(up.Access).Upload(ctx, aPicture(t, 1)); err != nil {
		t.Error("a day later:", err)
	}

	w.SQL(`INSERT INTO sign_ins (id, account, token, expires, rotated)
		SELECT 'other' || g, account, token, expires, now() - g * interval '1 hour' FROM sign_ins, generate_series(1, 30) g`)
	must(w.stranger().SignIn(ctx, "name", "Ada", password))(t)
	same(t, "sign-ins", w.Number("SELECT count(*) FROM sign_ins"), 20)
	same(t, "the newest are left", w.Number("SELECT count(*) FROM sign_ins WHERE id IN ('other18', 'other19')"), 1)

	w.SQL(`INSERT INTO operator_keys (id, name, scope, hash) SELECT 'k' || g, 'one of many', 'read', '\x00'
		FROM generate_series(1, 1000 - (SELECT count(*) FROM operator_keys)) g`)
	_, _, err = w.MakeKey(ctx, "one more", "read")
	refused(t, err, "conflict", "1000 keys")
}

// A page of what may not be read ends where so much has been looked at, with where it goes on.
func TestAPageOfWhatMayNotBeReadEnds(t *testing.T) {
	t.Parallel()
	w := start(t, changed(t, guardedPonds(t), `read:   "!apart(me, doc.author)"`, `read:   "doc.text.matches('^by')"`))
	w.pondsPeople()
	w.SQL(`INSERT INTO documents (collection, key, fields) SELECT (SELECT n FROM numbers WHERE kind = 'collection' AND name = 'posts'),
		'x' || to_char(g, 'FM00000'), '{"text": "others", "author": "ben"}' FROM generate_series(1, 11000) g`)
	w.SQL(`INSERT INTO kept (doc, "values") SELECT n, '{}' FROM documents WHERE key LIKE 'x%'`)
	seen, pages := []string{}, 0
	for page := (client.Page{Limit: 5}); ; {
		got := must(w.As("ada").List(t.Context(), "posts", page))(t)
		pages++
		for _, d := range got.Documents {
			seen = append(seen, d.ID)
		}
		if got.Next == "" {
			break
		}
		page.Cursor = got.Next
	}
	slices.Sort(seen)
	if pages < 2 { // on a slow machine the time for rules ends them before
		t.Errorf("%d pages", pages)
	}
	same(t, "what ada sees", seen, []string{"a1", "b1"})
}
