package tests

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"yalvo/client"
)

// pondsLists are the usual lists of a social app, over the ponds app.
const pondsLists = `
lists:
  everyone: {entries: posts, unless: {paired: block, either_way: true, with: author}}
  page:     {entries: posts, of: author, top: best}
  liked:    {entries: posts, through: like}
  rated:    {entries: posts, order: [rating, created up], params: {least: {type: integer, default: 5, max: 10}}, where: "doc.rating >= least"}
  popular:  {entries: posts, order: [likes_n, created]}
  notes_of: {entries: notes, of: parent, order: created up}
  starting: {entries: people, starts: name}
  about:    {entries: posts, words: [text, kind]}
  seen_by:  {entries: posts, through: see}
`

func listedPonds(t *testing.T) string {
	t.Helper()
	return changed(t, ponds, "mail: {type: string, unique: true}",
		"mail: {type: string, unique: true}\n      best: {type: reference, to: posts, when_gone: clear, inverse: best_of}",
		"  like:   {from", "  block:  {from: people, to: people, from_calls: blocking, to_calls: blockers}\n"+
			"  see:    {from: people, to: posts, from_calls: saw, to_calls: seers, fields: {from_where: {type: string}}}\n"+
			"  like:   {from") + pondsLists
}

// ids are the ids of a list's entries, all pages of it.
func (w world) ids(as, list, of string, params map[string]string) string {
	w.t.Helper()
	var all []string
	for cursor := ""; ; {
		c := w.Client
		if as != "" {
			c = c.As(as)
		}
		page := must(c.Named(w.t.Context(), list, of, params, client.Page{Limit: 2, Cursor: cursor}))(w.t)
		for _, d := range page.Documents {
			id := d.ID
			if d.Top {
				id += "!"
			}
			all = append(all, id)
		}
		if cursor = page.Next; cursor == "" {
			return strings.Join(all, " ")
		}
	}
}

func TestEveryScreenIsAList(t *testing.T) {
	t.Parallel()
	w := start(t, listedPonds(t))
	for _, p := range []string{"ada", "ben", "cleo", "dora"} {
		w.person(p)
	}
	for i, author := range []string{"ada", "ben", "ada", "cleo", "ben", "ada"} {
		w.post(author, fmt.Sprint("p", i+1), []string{"A Heron", "a coot", "herons fly", "the heron sits", "Coot", "a teal"}[i])
		must(w.amend(fmt.Sprint("posts/p", i+1), map[string]any{"rating": []int{5, 7, 5, 3, 9, 7}[i]}))(t)
	}
	for _, like := range []string{"ben p1", "ada p2", "ben p2", "cleo p2", "ada p4", "ben p4"} {
		from, to, _ := strings.Cut(like, " ")
		must(w.Set(t.Context(), "like", from, to))(t)
	}
	must(w.Set(t.Context(), "block", "cleo", "ben"))(t)
	for _, id := range []string{"n1", "n2", "n3"} {
		w.given("posts/p1/notes", id, map[string]any{"text": id})
	}
	must(w.amend("people/ada", map[string]any{"best": "p1"}))(t)
	must(w.SetWith(t.Context(), "see", "ada", "p5", map[string]any{"from_where": "the hide"}))(t)
	w.Settle()
	for _, c := range []struct {
		as, list, of string
		params       map[string]string
		want         string
	}{
		{"", "everyone", "", nil, "p6 p5 p4 p3 p2 p1"},
		{"ada", "everyone", "", nil, "p6 p5 p4 p3 p2 p1"},
		{"ben", "everyone", "", nil, "p6 p5 p3 p2 p1"}, // cleo has blocked ben
		{"cleo", "everyone", "", nil, "p6 p4 p3 p1"},
		{"", "page", "ada", nil, "p1! p6 p3"},
		{"", "page", "ben", nil, "p5 p2"},
		{"", "liked", "ben", nil, "p4 p2 p1"},
		{"", "rated", "", nil, "p5 p2 p6 p1 p3"},
		{"", "rated", "", map[string]string{"least": "7"}, "p5 p2 p6"},
		{"", "popular", "", nil, "p2 p4 p1 p6 p5 p3"},
		{"", "notes_of", "p1", nil, "n1 n2 n3"},
		{"", "starting", "", map[string]string{"starts": "B"}, "ben"},
		{"", "starting", "", map[string]string{"starts": "%"}, ""},
		{"", "about", "", map[string]string{"words": "HERON"}, "p4 p1"},
		{"", "about", "", map[string]string{"words": "bird the heron"}, "p4"},
		{"", "about", "", map[string]string{"words": "'; DROP TABLE documents; --"}, ""},
	} {
		same(t, fmt.Sprintf("%s of %q as %q with %v", c.list, c.of, c.as, c.params), w.ids(c.as, c.list, c.of, c.params), c.want)
	}
	page := must(w.As("ben").Named(t.Context(), "seen_by", "ada", nil, client.Page{Marks: []string{"liked"}}))(t)
	one := page.Documents[0]
	if one.ID != "p5" || one.Pair["from_where"] != "the hide" || one.Since == nil || one.Marks["liked"] != nil {
		t.Errorf("got %+v", one)
	}
	must(w.amend("people/ada", map[string]any{"best": "p2"}))(t) // that is ben's
	same(t, "nothing foreign is on top", w.ids("", "page", "ada", nil), "p6 p3 p1")
	w.auditFindsNothing()
}

// What somebody has read of a list stays read once, whatever is written meanwhile; what
// stands on top stays away from the rest, though it is unpinned.
func TestPagesOfAListGiveNothingTwiceAndSkipNothing(t *testing.T) {
	t.Parallel()
	w := start(t, listedPonds(t))
	w.person("ada")
	for i := range 9 {
		w.post("ada", fmt.Sprint("p", i), "a heron")
	}
	for _, list := range []string{"everyone", "page"} {
		must(w.amend("people/ada", map[string]any{"best": "p4"}))(t)
		of := map[string]string{"page": "ada"}[list]
		var got []string
		for cursor, round := "", 0; ; round++ {
			page := must(w.Named(t.Context(), list, of, nil, client.Page{Limit: 2, Cursor: cursor}))(t)
			for _, d := range page.Documents {
				got = append(got, d.ID)
			}
			if cursor = page.Next; cursor == "" {
				break
			}
			w.post("ada", fmt.Sprint(list, round), "a new one")
			if round == 1 {
				must(w.amend("people/ada", map[string]any{"best": nil}))(t)
			}
			must(w.amend("posts/p1", map[string]any{"text": fmt.Sprint("edited ", round)}))(t)
		}
		want := map[string]string{"everyone": "p8 p7 p6 p5 p4 p3 p2 p1 p0", "page": "p4 everyone3 everyone2 everyone1 everyone0 p8 p7 p6 p5 p3 p2 p1 p0"}[list]
		same(t, list, strings.Join(got, " "), want)
	}
}

func TestBadRequestsForListsAreToldWhereAndWhat(t *testing.T) {
	t.Parallel()
	w := start(t, listedPonds(t))
	w.person("ada")
	w.post("ada", "p1", "a heron")
	for _, c := range []struct {
		path   string
		status int
		says   string
	}{
		{"/lists/", 404, "a list is at /v1/lists/{list}"},
		{"/lists/everyon", 404, `did you mean \"everyone\"?`},
		{"/lists/everyone/ada", 404, "is asked for no document"},
		{"/lists/page", 404, "is asked for one of people"},
		{"/lists/page/nobody", 404, "people/nobody"},
		{"/lists/page/a%20b", 400, "in the path"},
		{"/lists/page/ada/more", 404, "a list is at"},
		{"/lists/everyone?least=3", 400, `no parameter \"least\"`},
		{"/lists/rated?leas=3", 400, `did you mean \"least\"?`},
		{"/lists/rated?least=3&least=4", 400, "twice"},
		{"/lists/rated?least=three", 422, `?least`},
		{"/lists/rated?least=11", 422, "more than the 10"},
		{"/lists/rated?least=1e400", 422, `?least`},
		{"/lists/starting", 422, "needs the parameter starts"},
		{"/lists/starting?starts=" + strings.Repeat("x", 201), 422, "200 bytes"},
		{"/lists/everyone?cursor=abc", 400, "was not given out here"},
		{"/lists/everyone?marks=liked", 400, "Yalvo-As"},
	} {
		status, text := w.answer("", "GET", c.path, "")
		if status != c.status || !strings.Contains(text, c.says) {
			t.Errorf("%s: got %d %s, want %d saying %s", c.path, status, text, c.status, c.says)
		}
	}
	_, err := w.Named(t.Context(), "rated", "", map[string]string{"least": "12"}, client.Page{})
	refused(t, err, "invalid", "least")
	status, text := w.answer("", "GET", "/lists/page/ada?starts=%00", "")
	if status != 400 {
		t.Errorf("got %d %s", status, text)
	}
}

// Lists show what their caller may read, and are full nevertheless; who may not ask for a
// list is told so.
func TestAListHoldsWhatItsCallerMayRead(t *testing.T) {
	t.Parallel()
	w := start(t, changed(t, guardedPonds(t), "access:\n", `lists:
  everyone: {entries: posts, unless: {paired: block, either_way: true, with: author}} # as the rule has it
  unread:   {entries: posts, unless: [{paired: block, with: author}, {paired: like}]}
  liked:    {entries: posts, through: like}
  notes_of: {entries: notes, of: parent}
  blocked:  {entries: people, through: block, of: from}
  mine:     {entries: posts, where: "doc.author == me"}
  secret:   {entries: posts}
access:
`, "  timelines:\n", "  lists: {everyone: {read: true}, unread: {read: true}, liked: {read: \"of == me\"}, notes_of: {read: true}, blocked: {read: true}, mine: {read: \"active()\"}}\n  timelines:\n"))
	w.pondsPeople()
	for i := range 5 {
		w.post("ben", fmt.Sprint("b", i+2), "by ben")
	}
	must(w.Set(t.Context(), "like", "cleo", "b1"))(t)
	must(w.Set(t.Context(), "like", "cleo", "a1"))(t)
	w.Settle()
	same(t, "everyone's to ada", w.ids("ada", "everyone", "", nil), "b6 b5 b4 b3 b2 b1 a1")
	same(t, "everyone's to cleo", w.ids("cleo", "everyone", "", nil), "a1")
	same(t, "everyone's to a stranger", w.ids("~", "everyone", "", nil), "b6 b5 b4 b3 b2 b1 a1")
	same(t, "what ada has not liked", w.ids("ada", "unread", "", nil), "b6 b5 b4 b3 b2 b1 a1")
	same(t, "what cleo has not liked", w.ids("cleo", "unread", "", nil), "")
	same(t, "cleo's likes", w.ids("cleo", "liked", "cleo", nil), "a1")
	same(t, "notes", w.ids("ada", "notes_of", "b1", nil), "n1")
	same(t, "whom ben has blocked, to ben", w.ids("ben", "blocked", "ben", nil), "cleo")
	same(t, "whom ben has blocked, to ada", w.ids("ada", "blocked", "ben", nil), "")
	same(t, "ben's own", w.ids("ben", "mine", "", nil), "b6 b5 b4 b3 b2 b1")
	for _, c := range []struct {
		as, path string
		status   int
		says     string
	}{
		{"ada", "/lists/secret", 403, "may not do this"},
		{"ada", "/lists/liked/cleo", 403, "may not do this"},
		{"dora", "/lists/mine", 403, "a muted one only reads"},
		{"~", "/lists/mine", 403, "a muted one only reads"},
		{"cleo", "/lists/notes_of/b1", 404, "posts/b1"},
		{"cleo", "/lists/liked/ben", 404, "people/ben"},
		{"cleo", "/collections/people?mail=ben@fen", 200, `{"documents":[]}`},
		{"ada", "/collections/people?mail=ben@fen", 200, `{"documents":[]}`}, // nor does she learn whose it is
		{"ben", "/collections/people?mail=ben@fen", 200, `"id":"ben"`},
		{"ada", "/collections/people?mail=ben@fen&cursor=x", 400, "one unique value"},
		{"ada", "/collections/people?name=ben", 400, `no parameter \"name\"`},
	} {
		status, text := w.answer(c.as, "GET", c.path, "")
		if status != c.status || !strings.Contains(text, c.says) {
			t.Errorf("%s as %s: got %d %s, want %d saying %s", c.path, c.as, status, text, c.status, c.says)
		}
	}
	if _, found, err := w.Find(t.Context(), "people", "mail", "ben@fen"); err != nil || !found {
		t.Errorf("an operator finds ben: %v, %v", found, err)
	}
}

// Lists come and go while others write; one cannot be read before its index is there, and
// a service that finds a half-made index makes it anew. What no list needs is dropped.
func TestListsComeAndGoWhileOthersWrite(t *testing.T) {
	t.Parallel()
	plain := changed(t, listedPonds(t), pondsLists, "")
	w := start(t, plain)
	for i := range 30 {
		w.person(fmt.Sprint("m", i))
	}
	indexes := func() int64 {
		return w.Number("SELECT count(*) FROM pg_indexes WHERE schemaname = 'yalvo' AND indexname LIKE 'list%'")
	}
	same(t, "indexes before", indexes(), 0)
	var group sync.WaitGroup
	stop := make(chan struct{})
	for i := range 4 {
		group.Go(func() {
			pace := time.NewTicker(20 * time.Millisecond)
			defer pace.Stop()
			for n := 0; ; n++ {
				select {
				case <-stop:
					return
				case <-pace.C:
				}
				if _, _, err := w.As(fmt.Sprint("m", i)).Create(t.Context(), "posts", fmt.Sprintf("p%d-%d", i, n),
					map[string]any{"text": "a heron", "rating": n % 11}); err != nil {
					t.Error(err)
					return
				}
			}
		})
	}
	tx := must(w.Pool().Begin(t.Context()))(t) // whoever creates an index waits for this one
	if _, err := tx.Exec(t.Context(), "INSERT INTO documents (collection, key, fields) VALUES (0, 'x', '{}')"); err != nil {
		t.Fatal(err)
	}
	v := must(w.Apply(t.Context(), "ponds.yaml", []byte(listedPonds(t))))(t)
	w.until("an index is being made", func() bool { return indexes() > 0 })
	_, err := w.Named(t.Context(), "everyone", "", nil, client.Page{})
	refused(t, err, "being-built", "everyone", "Try again")
	w.SQL("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE query LIKE 'CREATE INDEX CONC%' AND datname = current_database()")
	if err := tx.Rollback(t.Context()); err != nil {
		t.Fatal(err)
	}
	must(w.AwaitVersion(t.Context(), v.Version, nil))(t)
	close(stop)
	group.Wait()
	same(t, "half-made indexes", w.Number("SELECT count(*) FROM pg_index WHERE NOT indisvalid"), 0)
	if made := indexes(); made < 7 {
		t.Errorf("there are %d indexes", made)
	}
	posts := must(w.List(t.Context(), "posts", client.Page{Limit: 200}))(t)
	listed := strings.Fields(w.ids("", "everyone", "", nil))
	if slices.Sort(listed); len(posts.Documents) < 200 && len(listed) != len(posts.Documents) || len(slices.Compact(listed)) != len(listed) {
		t.Errorf("%d posts, %d listed", len(posts.Documents), len(listed))
	}
	w.evolves(changed(t, listedPonds(t), "everyone: {entries: posts, ", "everyone: {entries: posts, order: created up, "))
	w.evolves(plain)
	same(t, "indexes of lists that are gone", indexes(), 0)
	_, err = w.Named(t.Context(), "everyone", "", nil, client.Page{})
	refused(t, err, "unknown-name", "no list")
}

// What does not fit a field any more, however long it is, stops neither the index of a list
// nor the list: it counts as absent.
func TestAListPutsUpWithWhatDoesNotFit(t *testing.T) {
	t.Parallel()
	w := start(t, changed(t, ponds, "      text:   {type: string, required: true, max: 200}", "      text:   {type: string}\n      note: {type: string}"))
	w.person("ada")
	w.Evolving.Store(true)
	long := must(os.ReadFile("lists_test.go"))(t)[:9000]
	for id, note := range map[string]string{"p1": "7", "p2": string(long), "p3": "9"} {
		w.given("posts", id, map[string]any{"text": string(long), "note": note, "author": "ada"})
	}
	w.evolves(changed(t, ponds, "      text:   {type: string, required: true, max: 200}", "      text:   {type: string}\n      note: {type: integer}") + `lists:
  noted:  {entries: posts, order: note}
  of_ada: {entries: posts, of: author, order: [text up, note], where: "!has(doc.note) || doc.note > 8"}
  seven:  {entries: posts, where: "doc.note == 7"}
  said:   {entries: posts, starts: text, where: "doc.text != 'x'"}
  words:  {entries: posts, words: [text]}
`)
	same(t, "what does not fit", w.misfits(), "posts.note conversion 1")
	same(t, "the list", w.ids("", "noted", "", nil), "p3 p1 p2")
	same(t, "what is left of ada's", strings.Fields(w.ids("", "of_ada", "ada", nil))[0], "p3")
	same(t, "what is seven", w.ids("", "seven", "", nil), "p1")
	same(t, "what begins so", len(strings.Fields(w.ids("", "said", "", map[string]string{"starts": "package TESTS"}))), 3)
	same(t, "what has a word", len(strings.Fields(w.ids("", "words", "", map[string]string{"words": "tests"}))), 3)
}

// A list that cannot be read in time is given up, and holds nothing up.
func TestAListThatTakesTooLongIsGivenUp(t *testing.T) {
	t.Parallel()
	w := start(t, listedPonds(t))
	w.person("ada")
	tx := must(w.Pool().Begin(t.Context()))(t)
	defer tx.Rollback(t.Context())
	if _, err := tx.Exec(t.Context(), "LOCK TABLE documents IN ACCESS EXCLUSIVE MODE"); err != nil {
		t.Fatal(err)
	}
	status, text := w.answer("", "GET", "/lists/everyone", "")
	// PostgreSQL waits as long for the lock: whichever gives up first says so.
	if status != 503 || !strings.Contains(text, `"busy"`) {
		t.Errorf("got %d %s", status, text)
	}
	// That it was given up reaches PostgreSQL a moment after who asked.
	w.until("nothing waits on", func() bool {
		return w.Number("SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND datname = current_database()") == 0
	})
}

func TestTheConsoleShowsListsAsAnAccountSeesThem(t *testing.T) {
	b := browse(t, changed(t, guardedPonds(t), "access:\n", `lists:
  page:   {entries: posts, of: author}
  rated:  {entries: posts, order: [likes_n, rating], params: {least: {type: integer, default: 1}}, where: "doc.rating >= least"}
  secret: {entries: posts}
  named:  {entries: people, starts: name}
access:
`, "  timelines:\n", "  lists: {page: {read: true}, rated: {read: true}, named: {read: true}}\n  timelines:\n"))
	b.pondsPeople()
	for id, rating := range map[string]int{"a1": 3, "b1": 9} {
		must(b.amend("posts/"+id, map[string]any{"rating": rating}))(t)
	}
	must(b.Set(t.Context(), "like", "cleo", "a1"))(t)
	b.Settle()
	rows := `[...document.querySelectorAll('[data-part="entries"] tbody tr')].map(r => r.innerText.replace(/\s+/g, ' '))`
	b.do(chromedp.Navigate(b.URL + "/lists/rated"))
	b.sees("the liked one first", rows+`.map(r => r.slice(0, 2)).join() === 'a1,b1'`)
	b.sees("a kept value as such", `document.querySelector('[data-part="entries"] td .kept').innerText === '1'`)
	b.do(chromedp.Navigate(b.URL + "/lists/rated?as=cleo&least=2"))
	b.sees("what cleo may read, and has liked", rows+`.length === 1 && `+rows+`[0].includes('liked')`)
	b.do(chromedp.Navigate(b.URL + "/lists/rated?least=10"))
	b.sees("nothing", `document.querySelector('.content').innerText.includes('Nothing is in it')`)
	b.do(chromedp.Navigate(b.URL + "/lists/rated?least=many"))
	b.sees("what is wrong", `document.querySelector('.el-alert').innerText.includes('least')`)
	b.do(chromedp.Navigate(b.URL + "/lists/named"))
	b.sees("what is missing", `document.querySelector('.content').innerText.includes('It is asked for starts')`)
	b.do(chromedp.Navigate(b.URL + "/lists/secret?as=ada"))
	b.sees("a refusal", `document.querySelector('.el-alert').innerText.includes('may not do this')`)
	b.do(chromedp.Navigate(b.URL + "/access?as=ada&kind=list&list=secret"))
	b.sees("which rule refuses it", `document.querySelector('h1').innerText === 'ada may not read secret'`)
}

// Posts are rated up and down while others read them in the order of their ratings: what they
// are shown is in that order.
func TestAListAndItsDocumentsAreOfOneMoment(t *testing.T) {
	t.Parallel()
	w := start(t, listedPonds(t)+"  best_first: {entries: posts, order: rating}\n")
	w.person("ada")
	var writers, readers sync.WaitGroup
	done := make(chan struct{})
	for writer := range 4 {
		w.given("posts", fmt.Sprint("p", writer), map[string]any{"text": "a heron", "author": "ada", "rating": 1})
		writers.Go(func() {
			for i := range 60 {
				if _, err := w.amend(fmt.Sprint("posts/p", writer), map[string]any{"rating": 1 + i*7%10}); err != nil {
					t.Error(err)
				}
			}
		})
	}
	readers.Go(func() {
		for {
			select {
			case <-done:
				return
			default:
			}
			page, err := w.Named(t.Context(), "best_first", "", nil, client.Page{})
			if err != nil {
				t.Error(err)
				return
			}
			var ratings []string
			for _, d := range page.Documents {
				ratings = append(ratings, fmt.Sprintf("%2v", d.Facts["rating"]))
			}
			if !slices.IsSortedFunc(ratings, func(a, b string) int { return strings.Compare(b, a) }) {
				t.Errorf("best first: %v", ratings)
			}
		}
	})
	writers.Wait()
	close(done)
	readers.Wait()
}

// Somebody who blocks more than a few sees the same as somebody who blocks a few, from the
// first page on and after they have let most of them go.
func TestAListForSomebodyWhoBlocksMany(t *testing.T) {
	t.Parallel()
	w := start(t, listedPonds(t))
	w.person("ada")
	var blocked []string
	for i := range 60 {
		blocked = append(blocked, fmt.Sprint("b", i))
		w.person(blocked[i])
		w.post(blocked[i], fmt.Sprint("p", i), "a heron")
	}
	w.person("ben")
	w.post("ben", "own", "a coot")
	for i, b := range blocked {
		if i == 0 {
			same(t, "before", strings.Count(w.ids("ada", "everyone", "", nil), "p"), 60)
		}
		must(w.Set(t.Context(), "block", "ada", b))(t)
	}
	same(t, "all are blocked", w.ids("ada", "everyone", "", nil), "own")
	for _, b := range blocked[2:] {
		must(w.Unset(t.Context(), "block", "ada", b))(t)
	}
	same(t, "two still are", strings.Count(w.ids("ada", "everyone", "", nil), "p"), 58)
}
