package tests

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"yalvo/tests/harness"
)

// memoir is a design in which what a person said gets into every kind of copy:
// frozen ones, references that are left, answers, events.
const memoir = `yalvo: 1
app: memoir
accounts: people
collections:
  people:
    fields: {name: {type: string, required: true}, mail: {type: string, unique: true}}
    kept: {last: {latest: posts.author, fields: [text]}}
  posts:
    fields: {text: {type: string}, author: {type: reference, to: people, when_gone: remove, inverse: posts}}
    kept: {byline: {copy: author, fields: [name]}}
  quotes:
    fields:
      text: {type: string}
      of:   {type: reference, to: posts, when_gone: clear}
      who:  {type: reference, to: people, when_gone: leave}
    kept:
      said: {copy: of, fields: [text], frozen: true}
      name: {copy: who, fields: [name], frozen: true}
pairs: {follow: {from: people, to: people, from_calls: following, to_calls: followers}}
timelines: {home: {owner: people, entries: posts, by: author, through: follow, own: true}}
triggers: {log: {on: {created: posts}, do: [{create: quotes, id: "'log-' + key", fields: {text: "'a post'"}}]}}
`

func TestForgettingReachesEveryCopy(t *testing.T) {
	t.Parallel()
	w := start(t, memoir)
	const secret = "Adalbert Secretname"
	for _, id := range []string{"ada", "ben"} {
		name := map[string]string{"ada": secret, "ben": "Ben"}[id]
		if _, _, err := w.Once("made-"+id).Create(t.Context(), "people", id, map[string]any{"name": name, "mail": id + "@pond.example"}); err != nil {
			t.Fatal(err)
		}
	}
	w.follow("ben", "ada")
	w.follow("ada", "ben")
	for _, id := range []string{"p1", "p2"} {
		if _, _, err := w.Once("made-"+id).Create(t.Context(), "posts", id, map[string]any{"text": "a thought of " + secret, "author": "ada"}); err != nil {
			t.Fatal(err)
		}
	}
	if _, _, err := w.Create(t.Context(), "posts", "b1", map[string]any{"text": "mine", "author": "ben"}); err != nil {
		t.Fatal(err)
	}
	for _, q := range []map[string]any{{"text": "so true", "of": "p1", "who": "ada"}, {"text": "not so", "of": "p2", "who": "ada"}} {
		if _, _, err := w.Create(t.Context(), "quotes", "q-"+q["of"].(string), q); err != nil {
			t.Fatal(err)
		}
	}
	if _, _, err := w.Patch(t.Context(), "quotes/q-p2", map[string]any{"who": "ben", "of": "b1"}); err != nil {
		t.Fatal(err) // what it quotes stays as it was first written
	}
	w.Settle()
	same(t, "the quote", w.get("quotes/q-p2").Kept["said"], map[string]any{"text": "a thought of " + secret})

	begun := must(w.Forget(t.Context(), "people/ada"))(t)
	f := must(w.AwaitForgotten(t.Context(), begun.ID))(t)
	for _, l := range f.Left {
		t.Errorf("left: %d in %s", l.Many, l.Where)
	}
	removed := map[string]int64{}
	for _, r := range f.Removed {
		removed[r.Where] = r.Many
	}
	same(t, "removed", removed, map[string]int64{"people": 1, "posts": 2})
	stood := map[string]int64{}
	for _, p := range f.Places {
		stood[p.Where] = p.Many
	}
	// Of ada: her byline in two posts, her frozen name in one quote that points at her still. Of her
	// posts: what ben and she have in their timelines, her last posts, and a quote.
	same(t, "where it stood", stood, map[string]int64{"posts.byline": 2, "quotes.name": 1, "quotes.said": 1, "people.last": 2, "home": 4})
	if f.Answers != 3 || f.Events != 2 || f.Journal == 0 || len(f.Places) == 0 {
		t.Errorf("the report: %+v", f)
	}
	for _, id := range []string{"q-p1", "q-p2"} {
		quote := w.get("quotes/" + id)
		if quote.Kept["said"] != nil || quote.Kept["name"] != nil {
			t.Errorf("%s still says %v", id, quote.Kept)
		}
	}
	if _, _, err := w.Patch(t.Context(), "quotes/q-p1", map[string]any{"of": "b1", "who": "ben"}); err != nil {
		t.Fatal(err) // what was forgotten stays empty: it was given once
	}
	w.Settle()
	same(t, "what a quote of the forgotten says", canonical(w.get("quotes/q-p1").Kept), `{"name":null,"said":null}`)
	if _, _, err := w.Patch(t.Context(), "quotes/q-p1", map[string]any{"who": nil}); err != nil {
		t.Fatal(err)
	}
	same(t, "the reference that a removal leaves", w.get("quotes/q-p1").Facts["who"], nil)
	for table, column := range map[string]string{"documents": "fields", "kept": `"values"`, "answered": "answer", "events": "payload", "parked": "error", "uniques": "value"} {
		same(t, "mentions in "+table, w.Number(`SELECT count(*) FROM `+table+` WHERE `+column+`::text LIKE '%' || $1 || '%'`, secret), 0)
	}
	same(t, "ben's timeline", w.home("ben"), []string{"b1"})
	w.auditFindsNothing()
	if _, err := w.Forget(t.Context(), "people/ada"); err == nil || !strings.Contains(err.Error(), "there is no document people/ada") {
		t.Errorf("forgetting twice: %v", err)
	}
}

// What somebody has said and removed again is still in frozen copies, answers and
// events: forgetting them reaches it, and reaches somebody who is gone already.
func TestForgettingReachesWhatWasRemovedBefore(t *testing.T) {
	t.Parallel()
	w := start(t, memoir)
	const secret = "Adalbert Secretname"
	for _, id := range []string{"ada", "ben", "cara"} {
		name := map[string]string{"ada": secret, "ben": "Ben", "cara": secret}[id]
		if _, _, err := w.Once("made-"+id).Create(t.Context(), "people", id, map[string]any{"name": name}); err != nil {
			t.Fatal(err)
		}
	}
	for _, p := range []struct{ id, author, text string }{{"p1", "ada", "a thought of " + secret}, {"b1", "ben", "mine"}} {
		if _, _, err := w.Once("made-"+p.id).Create(t.Context(), "posts", p.id, map[string]any{"text": p.text, "author": p.author}); err != nil {
			t.Fatal(err)
		}
	}
	for id, q := range map[string]map[string]any{"q1": {"text": "so true", "of": "p1", "who": "ben"}, "q2": {"text": "hear hear", "of": "b1", "who": "cara"}} {
		if _, _, err := w.Create(t.Context(), "quotes", id, q); err != nil {
			t.Fatal(err)
		}
	}
	w.Settle()
	for _, path := range []string{"posts/p1", "posts/b1", "people/cara"} {
		if _, _, err := w.Remove(t.Context(), path); err != nil {
			t.Fatal(err)
		}
	}
	w.Settle()
	same(t, "a frozen copy outlives what it is of", w.get("quotes/q1").Kept["said"], map[string]any{"text": "a thought of " + secret})
	same(t, "and that of a person", w.get("quotes/q2").Kept["name"], map[string]any{"name": secret})

	for _, path := range []string{"people/ada", "people/cara"} {
		f := must(w.AwaitForgotten(t.Context(), must(w.Forget(t.Context(), path))(t).ID))(t)
		for _, l := range f.Left {
			t.Errorf("left of %s: %d in %s", path, l.Many, l.Where)
		}
	}
	same(t, "what the quote of her removed post says", w.get("quotes/q1").Kept["said"], nil)
	same(t, "what is kept of who was gone", w.get("quotes/q2").Kept["name"], nil)
	same(t, "the reference that her removal left", w.get("quotes/q2").Facts["who"], nil)
	same(t, "what others said stays", w.get("quotes/q2").Kept["said"], map[string]any{"text": "mine"})
	for table, column := range map[string]string{"documents": "fields", "kept": `"values"`, "answered": "answer", "events": "payload", "origins": "value"} {
		same(t, "mentions in "+table, w.Number(`SELECT count(*) FROM `+table+` WHERE `+column+`::text LIKE '%' || $1 || '%'`, secret), 0)
	}
	w.auditFindsNothing()
	if _, err := w.Forget(t.Context(), "people/cara"); err == nil || !strings.Contains(err.Error(), "there is no document people/cara") {
		t.Errorf("forgetting somebody of whom no trace is left: %v", err)
	}
}

// Another service has put the design in other words, and this one does not know it yet.
func TestForgettingJustAfterTheDesignWasReworded(t *testing.T) {
	t.Parallel()
	w := start(t, memoir)
	other := world{harness.StartOn(t, w.Database, ""), t}
	w.person("ada")
	if _, _, err := w.Create(t.Context(), "posts", "p1", map[string]any{"text": "mine", "author": "ada"}); err != nil {
		t.Fatal(err)
	}
	w.Settle()
	same(t, "reworded", must(other.Apply(t.Context(), "memoir.yaml", []byte("# in other words\n"+memoir)))(t).Changed, true)
	f := must(w.AwaitForgotten(t.Context(), must(w.Forget(t.Context(), "posts/p1"))(t).ID))(t)
	same(t, "what is left", len(f.Left), 0)
	w.auditFindsNothing()
}

// What was removed a moment before it is forgotten may still be on its way out of timelines: the
// search waits for that, and does not say that it is left.
func TestForgettingWaitsForARemovalOnItsWay(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.person("ben")
	w.follow("ben", "ada")
	w.post("ada", "p1", "a heron")
	w.Settle()
	tx := must(w.Pool().Begin(t.Context()))(t)
	defer tx.Rollback(context.Background()) // else nothing could stop
	if _, err := tx.Exec(t.Context(), "SELECT FROM entries FOR UPDATE"); err != nil {
		t.Fatal(err)
	}
	w.remove("posts/p1")
	w.person("cy") // who has nothing to do with it
	f := must(w.Forget(t.Context(), "posts/p1"))(t)
	for range 200 {
		_, text := w.ask("GET", fmt.Sprint("/v1/forgotten/", f.ID), "", "")
		if !strings.Contains(string(text), `"finished":false`) {
			t.Fatalf("it has finished while entries cannot be taken out: %s", text)
		}
	}
	if err := tx.Rollback(t.Context()); err != nil {
		t.Fatal(err)
	}
	same(t, "what is left", len(must(w.AwaitForgotten(t.Context(), f.ID))(t).Left), 0)
}
