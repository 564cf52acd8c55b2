package tests

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"yalvo/client"
)

func pageOf(limit int, cursor string) client.Page { return client.Page{Limit: limit, Cursor: cursor} }

// A timeline of five: everything that has to do with its length happens soon.
var shortPonds = strings.Replace(ponds, "length: 800", "length: 5", 1)

func TestATimelineHoldsItsNewestAndNoMore(t *testing.T) {
	t.Parallel()
	w := start(t, shortPonds)
	w.person("ada")
	w.person("ben")
	w.follow("ben", "ada")
	var newest []string
	for i := range 30 {
		id := fmt.Sprintf("p%02d", i)
		w.post("ada", id, "a")
		newest = append([]string{id}, newest...)
	}
	same(t, "before any sweep", w.home("ben"), newest[:5])

	w.sweep()
	stored := w.Number("SELECT count(*) FROM entries")
	if stored >= 60 {
		t.Errorf("the sweep left all %d entries", stored)
	}
	same(t, "after it", w.home("ben"), newest[:5])

	t.Run("older posts come back when newer ones go", func(t *testing.T) {
		for _, id := range newest[:20] {
			if _, _, err := w.Remove(t.Context(), "posts/"+id); err != nil {
				t.Fatal(err)
			}
		}
		same(t, "ben", w.home("ben"), newest[20:25])
		same(t, "ada", w.home("ada"), newest[20:25])
	})
	t.Run("and when an author is unfollowed", func(t *testing.T) {
		w.person("cora")
		w.follow("ben", "cora")
		for i := range 30 {
			w.post("cora", fmt.Sprintf("c%02d", i), "c")
		}
		w.Settle()
		w.sweep()
		same(t, "ben", w.home("ben"), []string{"c29", "c28", "c27", "c26", "c25"})
		w.unfollow("ben", "cora")
		same(t, "ben", w.home("ben"), newest[20:25])
	})
	t.Run("a follow brings in no more than fits", func(t *testing.T) {
		w.person("dora")
		w.follow("dora", "cora")
		same(t, "dora", w.home("dora"), []string{"c29", "c28", "c27", "c26", "c25"})
		same(t, "stored", w.Number("SELECT count(*) FROM entries e JOIN documents d ON d.n = e.owner WHERE d.key = 'dora'"), 5)
		for i := range 28 {
			if _, _, err := w.Remove(t.Context(), fmt.Sprintf("posts/c%02d", 29-i)); err != nil {
				t.Fatal(err)
			}
		}
		same(t, "dora", w.home("dora"), []string{"c01", "c00"})
	})
	w.noDrift()
}

// sweep makes the work of cutting timelines due, and waits until it is done.
func (w world) sweep() {
	w.t.Helper()
	w.SQL(`INSERT INTO due (lane, step, subject, doc) SELECT 5, 12, n, 0 FROM numbers WHERE kind = 'timeline'`)
	w.until("the sweep is done", func() bool { return w.Number("SELECT count(*) FROM due") == 0 })
}

// until waits for something that no position tells of.
func (w world) until(what string, is func() bool) {
	w.t.Helper()
	until(w.t, what, is)
}

// until looks again and again, and leaves the processor to others in between.
func until(t testing.TB, what string, is func() bool) {
	t.Helper()
	again := time.NewTicker(5 * time.Millisecond)
	defer again.Stop()
	for late := time.After(time.Minute); !is(); {
		select {
		case <-late:
			t.Fatalf("never: %s", what)
		case <-again.C:
		}
	}
}

func TestFiveOrManyThousandFollowersAreOneCodePath(t *testing.T) {
	w := start(t, ponds)
	w.person("ada")
	many, turns := 3_000, int64(2) // the first 500, and the rest
	if *operations > 1000 {
		many, turns = 61_000, 5 // and two parts of which each is more than a chunk
	}
	w.SQL(`INSERT INTO documents (collection, key, fields) SELECT (SELECT n FROM numbers WHERE kind = 'collection' AND name = 'people'), 'fan' || g, '{"name":"fan"}' FROM generate_series(1, $1::int) g`, many)
	w.SQL(`INSERT INTO kept (doc, "values") SELECT n, '{"followers_n":0,"following_n":1,"posts_n":0}' FROM documents WHERE key LIKE 'fan%'`)
	w.SQL(`INSERT INTO pairs (kind, b, a) SELECT (SELECT n FROM numbers WHERE kind = 'pair' AND name = 'follow'), (SELECT n FROM documents WHERE key = 'ada'), n FROM documents WHERE key LIKE 'fan%'`)
	w.SQL(`UPDATE kept SET "values" = "values" || jsonb_build_object('followers_n', $1::int) WHERE doc = (SELECT n FROM documents WHERE key = 'ada')`, many)

	same(t, "a late fan", w.home(fmt.Sprint("fan", many-1), w.post("ada", "p1", "to all")), []string{"p1"})
	same(t, "entries", w.Number("SELECT count(*) FROM entries"), int64(many+1))
	same(t, "turns it took", w.Number("SELECT sum(chunks)::bigint FROM done WHERE step = 3"), turns)

	_, position, err := w.Remove(t.Context(), "people/ada")
	if err != nil {
		t.Fatal(err)
	}
	for range 4 { // it looks at everybody's timeline: more than a read's patience where the machine is busy
		if w.After(position).Settle(t.Context()) == nil {
			break
		}
	}
	same(t, "a late fan", w.home(fmt.Sprint("fan", many-1), position), []string{})
	same(t, "entries", w.Number("SELECT count(*) FROM entries"), 0)
	w.noDrift()
}

// star makes an author with many followers who are no more than numbers.
func (w world) star(many int) {
	w.t.Helper()
	w.person("star")
	star := w.Number("SELECT n FROM documents WHERE key = 'star'")
	w.SQL(`INSERT INTO pairs (kind, b, a) SELECT (SELECT n FROM numbers WHERE kind = 'pair' AND name = 'follow'), $1::bigint, 1000000 + g FROM generate_series(1, $2::int) g`, star, many)
}

// entriesOf counts the entries of a post.
func (w world) entriesOf(post string) int64 {
	w.t.Helper()
	return w.Number("SELECT count(*) FROM entries WHERE doc = (SELECT n FROM documents WHERE key = $1)", post)
}

// The parts of a great fan-out are written at the same time, and a small post
// need not wait for them.
func TestAGreatFanOutIsSharedByTwoWorkersAndHoldsUpNobody(t *testing.T) {
	w := start(t, ponds)
	for _, id := range []string{"ada", "ben"} {
		w.person(id)
	}
	w.follow("ben", "ada")
	w.Settle()
	const many = 22_000
	w.star(many)
	g := w.stall("entries", "NEW.owner > 1000600") // after the first followers
	w.post("star", "big", "to everybody")
	w.until("two parts are about to be written", func() bool { return g.many() == 2 })
	same(t, "the small post", w.home("ben", w.post("ada", "small", "to ben")), []string{"small"})
	same(t, "parts that are not written yet", g.many(), 2)
	g.open()
	w.Settle()
	same(t, "entries", w.entriesOf("big"), many+1)
}

// So are the parts of a great withdrawal; nothing of its author goes out before
// both are done.
func TestAGreatWithdrawalIsSharedByTwoWorkersAndKeepsItsAuthorsPostsBack(t *testing.T) {
	w := start(t, ponds)
	const many = 22_000
	w.star(many)
	w.post("star", "big", "to everybody")
	w.Settle()
	big := w.Number("SELECT n FROM documents WHERE key = 'big'")
	g := w.stallOn("DELETE", "entries", "OLD.owner > 1000600")
	if _, _, err := w.Remove(t.Context(), "posts/big"); err != nil {
		t.Fatal(err)
	}
	w.until("two parts are about to be taken out", func() bool { return g.many() == 2 })
	w.post("star", "next", "to everybody")
	w.unguarded(func() bool { return w.Number("SELECT count(*) FROM due WHERE step = 3") == 0 })
	same(t, "entries of the next post, its author's own apart", w.entriesOf("next")-1, 0)
	g.open()
	w.Settle()
	same(t, "entries of the post that is gone", w.Number("SELECT count(*) FROM entries WHERE doc = $1", big), 0)
	same(t, "entries of the next post", w.entriesOf("next"), many+1)
}
