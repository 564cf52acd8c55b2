package tests

import (
	"fmt"
	"sync"
	"sync/atomic"
	"testing"

	"yalvo/client"
	"yalvo/tests/harness"
)

// first is what the first entry of a timeline shows.
func (w world) first(owner string) client.Entry {
	w.t.Helper()
	return must(w.Timeline(w.t.Context(), "home", owner, client.Page{Limit: 1}))(w.t).Entries[0]
}

// Pages are shown from memory as long as nobody has written what they show: not the service, and
// nobody who writes into its database. Each page is read a moment after what it must show.
func TestAPageShowsWhatWasWrittenBehindItsBack(t *testing.T) {
	t.Parallel()
	w := benFollowsAda(t)
	w.post("ada", "p1", "a heron")
	w.Settle()
	for i := range 100 {
		w.SQL(`UPDATE kept SET "values" = "values" || jsonb_build_object('likes_n', $1::int)
			WHERE doc = (SELECT n FROM documents WHERE key = 'p1')`, i)
		same(t, "likes", w.first("ben").Kept["likes_n"], i)
		w.SQL(`UPDATE documents SET fields = fields || jsonb_build_object('text', $1::text) WHERE key = 'p1'`,
			fmt.Sprint(i))
		same(t, "text", w.first("ben").Facts["text"], i)
	}
	w.SQL("DELETE FROM kept WHERE doc = (SELECT n FROM documents WHERE key = 'p1')")
	same(t, "what is left of its kept values", w.first("ben").Kept, map[string]any{})
	w.SQL(`INSERT INTO kept (doc, "values") SELECT n, '{"likes_n": 7}' FROM documents WHERE key = 'p1'`)
	same(t, "likes", w.first("ben").Kept["likes_n"], 7)
	w.SQL("DELETE FROM documents WHERE key = 'p1'")
	same(t, "entries of what is gone", len(must(w.Timeline(t.Context(), "home", "ben", client.Page{}))(t).Entries), 0)
}

// Several write, through one service, what they then read through another, while transactions are
// open that began earlier and are committed later, what is old is dropped, and now and then
// nobody knows what was written.
func TestAPageShowsWhatWasAcknowledgedWhateverIsUnderWay(t *testing.T) {
	t.Parallel()
	const authors, rounds = 6, 60
	w := start(t, ponds)
	other := world{harness.StartOn(t, w.Database, ""), t}
	name := func(i int) string { return fmt.Sprintf("w%d", i) }
	for i := range authors {
		w.person(name(i))
		w.post(name(i), "p"+name(i), "0")
	}
	w.person("late")
	w.post("late", "l1", "0")
	w.Settle()
	var working sync.WaitGroup
	var done atomic.Int64
	for i := range authors {
		working.Go(func() {
			defer done.Add(1)
			for round := 1; round <= rounds && !t.Failed(); round++ {
				text := map[string]any{"text": fmt.Sprint(round)}
				if _, _, err := w.Patch(t.Context(), "posts/p"+name(i), text); err != nil {
					t.Error(err)
					return
				}
				for _, reader := range []world{other, w} {
					got, err := reader.Timeline(t.Context(), "home", name(i), client.Page{Limit: 1})
					if err != nil || fmt.Sprint(got.Entries[0].Facts["text"]) != fmt.Sprint(round) {
						t.Errorf("%s, round %d: %v, %v", name(i), round, got.Entries, err)
						return
					}
				}
			}
		})
	}
	for round := 1; done.Load() < authors && !t.Failed(); round++ {
		tx := must(w.Pool().Begin(t.Context()))(t)
		must(tx.Exec(t.Context(), `UPDATE documents SET fields = fields || jsonb_build_object('text', $1::text)
			WHERE key = 'l1'`, fmt.Sprint(round)))(t)
		shown := []any{other.first("late").Facts["text"], w.first("late").Facts["text"]}
		if err := tx.Commit(t.Context()); err != nil {
			t.Fatal(err)
		}
		shown = append(shown, other.first("late").Facts["text"], w.first("late").Facts["text"])
		same(t, "before and after somebody commits", shown, []int{round - 1, round - 1, round, round})
		switch round % 10 {
		case 3:
			w.SQL("UPDATE rewritten_since SET at = '-infinity'")
		case 8:
			w.SQL("WITH gone AS (DELETE FROM rewritten_since) DELETE FROM rewritten")
		}
	}
	working.Wait()
}
