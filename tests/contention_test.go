package tests

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"yalvo/client"
)

// A refilled timeline is verified: an entry in it looks wrong. Before it is
// taken out a follow makes it rightful.
func TestTrapVerifyingMeetsAFollow(t *testing.T) {
	t.Parallel()
	w := benFollowsAda(t)
	w.person("cora")
	w.post("cora", "c1", "not for ben, yet")
	w.Settle()
	const entry = ` FROM entries e JOIN documents o ON o.key = 'ben' WHERE e.doc = (SELECT n FROM documents WHERE key = 'c1')`
	w.SQL(`INSERT INTO entries SELECT e.timeline, o.n, e.rank, e.doc, e.author` + entry)
	held := must(pgx.Connect(t.Context(), w.Database))(t)
	tx := must(held.Begin(t.Context()))(t)
	must(tx.Exec(t.Context(), `SELECT 1`+entry+` AND e.owner = o.n FOR UPDATE OF e`))(t)
	w.SQL(`INSERT INTO due (lane, step, subject, doc, cursor)
		SELECT 3, 6, t.n, o.n, 1 FROM numbers t, documents o WHERE t.kind = 'timeline' AND o.key = 'ben'`)
	w.until("the entry is about to be taken out", func() bool {
		return w.Number("SELECT count(*) FROM pg_locks WHERE NOT granted AND locktype = 'transactionid'") > 0
	})
	w.follow("ben", "cora")
	w.unguarded(func() bool { return w.Number("SELECT count(*) FROM due WHERE step = 5") == 0 })
	if err := tx.Rollback(t.Context()); err != nil {
		t.Fatal(err)
	}
	same(t, "ben", w.home("ben"), []string{"c1"})
	w.auditFindsNothing()
}

// A remark is being written, and holds on to its post: the post can be edited
// all the same.
func TestAPostIsEditedWhileOthersRemarkOnIt(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.person("ben")
	w.post("ada", "p1", "a heron")
	w.Settle()
	g := w.stall("documents", "NEW.parent IS NOT NULL")
	remarked := make(chan error)
	go func() {
		_, _, err := w.As("ben").Create(t.Context(), "posts/p1/notes", "n1", map[string]any{"text": "where?"})
		remarked <- err
	}()
	w.until("the remark is about to be written", g.waiting)
	soon, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	if _, _, err := w.Patch(soon, "posts/p1", map[string]any{"text": "two herons"}); err != nil {
		t.Error(err)
	}
	g.open()
	if err := <-remarked; err != nil {
		t.Error(err)
	}
	same(t, "remarks", w.get("posts/p1").Kept["notes_n"], 1)
}

// together does something so many times, eight at once.
func together(many int, do func(i int)) {
	var group sync.WaitGroup
	for first := range 8 {
		group.Go(func() {
			for i := first; i < many; i += 8 {
				do(i)
			}
		})
	}
	group.Wait()
}

// Hundreds follow somebody who has posted much; before all of that has been
// brought to them, somebody else's post is where it belongs.
func TestAQueueOfOneAuthorHoldsUpNoOther(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	for _, id := range []string{"much", "ada", "ben"} {
		w.person(id)
	}
	w.follow("ben", "ada")
	const people = `INSERT INTO documents (collection, key, fields) SELECT n, 'x' || i, jsonb_build_object('name', 'x' || i)
		FROM numbers, generate_series(1, 300) i WHERE kind = 'collection' AND name = 'people'`
	together(60, func(i int) { w.post("much", fmt.Sprint("m", i), "again") })
	w.Settle()
	w.SQL(people)
	w.SQL(`INSERT INTO kept (doc, "values") SELECT n, '{"followers_n": 0, "following_n": 0, "posts_n": 0}' FROM documents WHERE key LIKE 'x%'`)
	release := w.hold(5)
	together(300, func(i int) { w.follow(fmt.Sprint("x", i+1), "much") })
	release()
	same(t, "ben", w.home("ben", w.post("ada", "p1", "a heron")), []string{"p1"})
	if left := w.Number("SELECT count(*) FROM due WHERE step = 5"); left < 50 {
		t.Errorf("the post came when %d follows were left to be looked at", left)
	}
	w.auditFindsNothing()
}

// What was broken hides that something built on it is wrong too: a mend goes on
// until a further audit finds nothing.
func TestAMendGoesOnUntilNothingIsLeft(t *testing.T) {
	t.Parallel()
	w := benFollowsAda(t)
	w.post("ada", "p1", "a heron")
	w.post("ada", "p2", "two herons")
	w.Settle()
	w.SQL(`DELETE FROM refs WHERE source = (SELECT n FROM documents WHERE key = 'p1')`)
	w.SQL(`UPDATE kept SET "values" = "values" || '{"posts_n": 1}' WHERE doc = (SELECT n FROM documents WHERE key = 'ada')`)
	_, found := w.audit(client.Scope{Mend: true})
	for _, d := range found {
		if d.Mended == nil {
			t.Errorf("not mended: %+v", d)
		}
	}
	same(t, "what was found", len(found), 2)
	same(t, "posts", w.get("people/ada").Kept["posts_n"], 2)
	w.auditFindsNothing()
}

// An entry that stands in another place is one finding, not one too many and
// one missing.
func TestAMovedEntryIsOneFinding(t *testing.T) {
	t.Parallel()
	w := benFollowsAda(t)
	w.post("ada", "p1", "a heron")
	w.Settle()
	w.SQL("UPDATE entries SET rank = rank - 1000 WHERE owner <> author")
	_, found := w.audit(client.Scope{Mend: true})
	if len(found) != 1 || found[0].Kind != "different" || found[0].Mended == nil {
		t.Errorf("found %+v", found)
	}
	w.auditFindsNothing()
}

// What a pulled timeline has stored, though it should not, is found.
func TestStoredEntriesOfAPulledTimelineAreDrift(t *testing.T) {
	t.Parallel()
	w := start(t, strings.Replace(ponds, "through: follow,", "through: follow, deliver: pull,", 1))
	w.person("ada")
	w.post("ada", "p1", "a heron")
	w.Settle()
	w.SQL(`INSERT INTO entries (timeline, owner, rank, doc, author)
		SELECT t.n, a.n, 5, a.n, a.n FROM numbers t, documents a WHERE t.kind = 'timeline' AND a.key = 'ada'`)
	same(t, "the page", w.home("ada"), []string{"p1"})
	_, found := w.audit(client.Scope{Mend: true})
	if len(found) != 1 || found[0].Kind != "surplus" || found[0].Mended == nil {
		t.Errorf("found %+v", found)
	}
	same(t, "stored entries", w.Number("SELECT count(*) FROM entries"), 0)
}

// Documents that point at themselves and at one made before them are edited by
// many at once: nobody waits in a circle.
func TestEditsOfWhatPointsAtItselfDoNotWaitInACircle(t *testing.T) {
	t.Parallel()
	w := start(t, `
yalvo: 1
app: echoes
collections:
  echoes:
    fields:
      name: {type: string, required: true}
      of: {type: reference, to: echoes, when_gone: leave, inverse: echoed_by}
      self: {type: reference, to: echoes, when_gone: leave, inverse: same}
    kept: {card: {copy: of, fields: [name]}}
`)
	for _, id := range []string{"a", "b", "c"} {
		if _, _, err := w.Create(t.Context(), "echoes", id, map[string]any{"name": id}); err != nil {
			t.Fatal(err)
		}
	}
	together(200, func(i int) {
		edit := map[string]any{"name": fmt.Sprint("b", i), "of": "a", "self": []any{"b", "c"}[i/2%2]}
		if i%2 == 0 {
			edit["of"], edit["self"] = nil, nil
		}
		if _, _, err := w.Patch(t.Context(), []string{"echoes/b", "echoes/c"}[i/4%2], edit); err != nil {
			t.Error(err)
		}
	})
	same(t, "deadlocks", w.Number("SELECT deadlocks FROM pg_stat_database WHERE datname = current_database()"), 0)
}
