package tests

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"yalvo/client"
	"yalvo/tests/harness"
	"yalvo/tests/scratch"
)

func TestAReadWaitsForWhatItWroteAndThenSaysNotYet(t *testing.T) {
	t.Parallel()
	w := benFollowsAda(t)
	g := w.stall("entries", byOthers)
	position := w.post("ada", "p1", "held up")
	p := w.raw("GET", "/timelines/home/ben?patience=0.2&settled="+string(position), "", "")
	same(t, "while it is held up", []any{p.Status, p.Code}, []any{503, "not-yet"})
	same(t, "without a position", w.raw("GET", "/timelines/home/ben", "", "").Status, 200)
	same(t, "an earlier position", w.raw("GET", "/timelines/home/ben?patience=0.2&settled=1", "", "").Status, 200)
	g.open()
	same(t, "ben", w.home("ben", position), []string{"p1"})
}

// events reads the server-sent events of a timeline, those that belong together, with their
// id; as an account, if one is given.
func (w world) events(ctx context.Context, owner, lastID string, as ...string) func() (id, data string) {
	w.t.Helper()
	req := w.Request("GET", "/v1/live/timelines/home/"+owner, "").WithContext(ctx)
	req.Header.Set("Last-Event-ID", lastID)
	req.Header.Set("Yalvo-As", strings.Join(as, ""))
	resp, err := w.HTTP.Do(req)
	if err != nil {
		w.t.Fatal(err)
	}
	w.t.Cleanup(func() { resp.Body.Close() })
	lines := bufio.NewScanner(resp.Body)
	return func() (id, data string) {
		w.t.Helper()
		for lines.Scan() {
			if v, is := strings.CutPrefix(lines.Text(), "id: "); is {
				id = v
			}
			if v, is := strings.CutPrefix(lines.Text(), "data: "); is && v != "{}" {
				data += v
			} else if is && data != "" {
				return id, data
			}
		}
		w.t.Fatalf("the stream ended: %v", lines.Err())
		return "", ""
	}
}

func TestAStreamTakenUpAgainMissesNothingAndRepeatsNothing(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.post("ada", "p1", "first")
	w.Settle()
	id, data := w.events(t.Context(), "ada", "")()
	if !strings.Contains(data, "first") {
		t.Fatalf("the stream begins with %s", data)
	}
	w.post("ada", "p2", "missed meanwhile")
	w.Settle()
	next := w.events(t.Context(), "ada", id)
	id, data = next()
	if !strings.Contains(data, "missed meanwhile") {
		t.Errorf("taken up again, the stream goes on with %s", data)
	}
	again := w.events(t.Context(), "ada", id) // nothing has changed: it stays silent until something does
	w.post("ada", "p3", "third")
	if _, data = again(); !strings.Contains(data, "third") {
		t.Errorf("the stream repeats %s", data)
	}
}

func TestTwentyClientsCreateOneDocument(t *testing.T) {
	t.Parallel()
	for name, create := range map[string]func(w world, i int) error{
		"under one id": func(w world, _ int) error {
			_, _, err := w.Create(t.Context(), "people", "ada", map[string]any{"name": "Ada"})
			return err
		},
		"under one key": func(w world, _ int) error {
			_, _, err := w.Once("the key").Create(t.Context(), "people", "", map[string]any{"name": "Ada"})
			return err
		},
	} {
		t.Run(name, func(t *testing.T) {
			w := start(t, ponds)
			var group sync.WaitGroup
			for i := range 20 {
				group.Go(func() {
					if err := create(w, i); err != nil {
						t.Error(err)
					}
				})
			}
			group.Wait()
			same(t, "people", w.Number("SELECT count(*) FROM documents"), 1)
			same(t, "changes", w.Number("SELECT count(*) FROM journal"), 1)
		})
	}
}

func TestNoEditIsLostWhenVersionsAreChecked(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	if _, _, err := w.As("ada").Create(t.Context(), "posts", "p1", map[string]any{"text": "a", "weight": 0}); err != nil {
		t.Fatal(err)
	}
	var group sync.WaitGroup
	var stale atomic.Int64
	for range 8 {
		group.Go(func() {
			for done := 0; done < 5; {
				doc, err := w.Get(t.Context(), "posts/p1")
				if err != nil {
					t.Error(err)
					return
				}
				_, _, err = w.If(doc.Version).Patch(t.Context(), "posts/p1", map[string]any{"weight": doc.Facts["weight"].(float64) + 1})
				var p *client.Problem
				switch {
				case err == nil:
					done++
				case errors.As(err, &p) && p.Code == "stale":
					stale.Add(1)
				default:
					t.Error(err)
					return
				}
			}
		})
	}
	group.Wait()
	same(t, "the sum", w.get("posts/p1").Facts["weight"], 40)
	t.Logf("%d edits were stale and made again", stale.Load())
}

func TestAnAuthorGoesWhilePostsAndFollowsArrive(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	const fans = 12
	w.person("ada")
	for i := range fans {
		w.person(fmt.Sprintf("fan%d", i))
	}
	var group sync.WaitGroup
	crowd := &crowd{world: w}
	busy := func(act func(i int) error) {
		group.Go(func() {
			for i := range 40 {
				if err := act(i); !crowd.tolerable(err) {
					t.Error(err)
				}
			}
		})
	}
	busy(func(i int) error {
		_, _, err := w.As("ada").Create(t.Context(), "posts", fmt.Sprintf("p%d", i), map[string]any{"text": "mine"})
		return err
	})
	busy(func(i int) error {
		_, err := w.Set(t.Context(), "follow", fmt.Sprintf("fan%d", i%fans), "ada")
		return err
	})
	busy(func(i int) error {
		_, err := w.Set(t.Context(), "like", fmt.Sprintf("fan%d", i%fans), fmt.Sprintf("p%d", i/2))
		return err
	})
	w.until("some of it has happened", func() bool { return w.Number("SELECT count(*) FROM journal") > 40 })
	if _, _, err := w.Remove(t.Context(), "people/ada"); err != nil {
		t.Fatal(err)
	}
	group.Wait()
	w.Settle()
	same(t, "posts left", w.Number("SELECT count(*) FROM documents WHERE key LIKE 'p%'"), 0)
	same(t, "entries left", w.Number("SELECT count(*) FROM entries"), 0)
	same(t, "follows left", w.Number("SELECT count(*) FROM pairs"), 0)
	w.noDrift()
}

func TestAReaderOfTheJournalSeesEveryChangeOnce(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	const writers, each = 8, 20
	var group sync.WaitGroup
	for i := range writers {
		group.Go(func() {
			for j := range each {
				w.post("ada", fmt.Sprintf("p%d_%d", i, j), "a")
			}
		})
	}
	var seen []int64
	place := ""
	read := func() bool {
		changes, next, err := w.ChangesFrom(t.Context(), place, 7)
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range changes {
			seen = append(seen, c.Position)
		}
		place = next
		return len(changes) == 0
	}
	w.until("all was seen", func() bool { return read() && len(seen) > writers*each })
	group.Wait()
	w.until("there is nothing more", read)
	slices.Sort(seen)
	if different := len(slices.Compact(slices.Clone(seen))); different != 1+writers*each || len(seen) != different {
		t.Errorf("%d changes were seen, %d different ones, of %d", len(seen), different, 1+writers*each)
	}
	p := w.raw("GET", "/changes?from=yesterday", "", "")
	same(t, "a place that is none", []any{p.Status, p.Code}, []any{422, "invalid"})
}

func TestTwoServicesAgreeOnTheDesign(t *testing.T) {
	t.Parallel()
	database := scratch.Database(t)
	a := world{harness.StartOn(t, database, ""), t}
	b := world{harness.StartOn(t, database, ""), t}
	_, err := b.Get(t.Context(), "people/ada")
	refused(t, err, "no-design", "yalvo apply")
	must(a.Apply(t.Context(), "ponds.yaml", []byte(strings.Replace(ponds, "max: 40", "max: 3", 1))))(t)
	_, _, err = b.Create(t.Context(), "people", "ada", map[string]any{"name": "Adamantia"})
	refused(t, err, "invalid", "9 characters")
	must(a.Apply(t.Context(), "ponds.yaml", []byte(ponds)))(t)
	b.person("ada") // b still has the first design in mind, until it writes
	same(t, "the design in force", string(must(b.Design(t.Context()))(t)), ponds)
}

// What is not stored can change while the app runs: triggers, and what a
// timeline carries.
func TestATriggerIsAddedToARunningApp(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	other := world{harness.StartOn(t, w.Database, ""), t}
	w.person("ada")
	w.post("ada", "p1", "before")
	next := strings.Replace(ponds, "carry: [text, byline, likes_n]", "carry: [text]", 1) +
		"triggers: {mark: {on: {created: posts}, do: [{edit: {rating: \"7\"}}]}}\n"
	if next == ponds {
		t.Fatal("nothing is changed")
	}
	same(t, "changed", must(w.Apply(t.Context(), "ponds.yaml", []byte(next)))(t).Changed, true)
	position := other.post("ada", "p2", "after") // this service has the first design in mind, until it writes
	other.home("ada", position)
	same(t, "what the trigger wrote", other.get("posts/p2").Facts["rating"], any(7.0))
	same(t, "what was there before", other.get("posts/p1").Facts["rating"], nil)
	page := must(w.Timeline(t.Context(), "home", "ada", client.Page{}))(t)
	same(t, "what an entry carries", len(page.Entries[0].Kept), 0)
	w.auditFindsNothing()
}

const shelves = `
yalvo: 1
app: shelves
collections:
  rooms:
    fields: {name: {type: string}}
    kept: {cases_n: {count: cases}}
  cases:
    under: rooms
    fields: {name: {type: string}}
    kept: {books_n: {count: books}}
  books:
    under: cases
    fields: {name: {type: string}, next: {type: reference, to: books, when_gone: clear, inverse: before}}
    kept: {before_n: {count: books.next}, then: {copy: next, fields: [name]}}
`

func TestNestedDocumentsToAnyDepth(t *testing.T) {
	t.Parallel()
	w := start(t, shelves)
	create := func(collection, id string, fields map[string]any) {
		t.Helper()
		if _, _, err := w.Create(t.Context(), collection, id, fields); err != nil {
			t.Fatal(err)
		}
	}
	for _, room := range []string{"r1", "r2"} {
		create("rooms", room, map[string]any{"name": room})
		create("rooms/"+room+"/cases", "c1", map[string]any{"name": "first"}) // the same id under another parent is another document
		create("rooms/"+room+"/cases/c1/books", "b1", map[string]any{"name": "Herons of " + room})
	}
	create("rooms/r1/cases/c1/books", "b2", map[string]any{"name": "Coots", "next": "r2/c1/b1"})
	same(t, "the room", w.get("rooms/r1").Kept["cases_n"], 1)
	same(t, "the case", w.get("rooms/r1/cases/c1").Kept["books_n"], 2)
	book := w.get("rooms/r1/cases/c1/books/b2")
	same(t, "the copy from far away", book.Kept["then"], map[string]any{"name": "Herons of r2"})
	same(t, "its path", book.Path, "rooms/r1/cases/c1/books/b2")
	list := func(path string) (ids []string) {
		for _, d := range must(w.List(t.Context(), path, client.Page{}))(t).Documents {
			ids = append(ids, d.Path)
		}
		return ids
	}
	same(t, "the case's books", list("rooms/r1/cases/c1/books"), []string{"rooms/r1/cases/c1/books/b1", "rooms/r1/cases/c1/books/b2"})
	same(t, "all books", len(list("books")), 3)
	same(t, "what points at a book", list("rooms/r2/cases/c1/books/b1/before"), []string{"rooms/r1/cases/c1/books/b2"})

	if _, _, err := w.Remove(t.Context(), "rooms/r2"); err != nil {
		t.Fatal(err)
	}
	book = w.get("rooms/r1/cases/c1/books/b2")
	same(t, "the cleared reference", book.Facts["next"], nil)
	same(t, "its copy", book.Kept["then"], nil)
	same(t, "documents left", w.Number("SELECT count(*) FROM documents"), 4)
	_, _, err := w.Create(t.Context(), "rooms/r2/cases", "c9", nil)
	refused(t, err, "not-found", "there is no parent rooms/r2")
}
