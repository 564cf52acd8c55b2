package tests

import (
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"yalvo/client"
	"yalvo/tests/harness"
)

// Each test here falls into one of the traps that the design names, unless a
// guard holds. docs/decisions/0002-traps.md says which guard that is.

// gate stops statements at a lock of the test's until it is opened.
type gate struct {
	w    world
	conn *pgx.Conn
}

const gateLock = 42

// stall makes inserts into a table wait at a gate, those for which a condition holds.
func (w world) stall(table, when string) gate {
	w.t.Helper()
	return w.stallOn("INSERT", table, when)
}

// stallOn is the same for another kind of statement.
func (w world) stallOn(event, table, when string) gate {
	w.t.Helper()
	w.SQL(`CREATE FUNCTION wait_at_gate() RETURNS trigger LANGUAGE plpgsql AS $$
		BEGIN PERFORM pg_advisory_lock_shared(42); PERFORM pg_advisory_unlock_shared(42); RETURN coalesce(NEW, OLD); END $$`)
	w.SQL(`CREATE TRIGGER gate BEFORE ` + event + ` ON ` + table + ` FOR EACH ROW WHEN (` + when + `) EXECUTE FUNCTION wait_at_gate()`)
	conn, err := pgx.Connect(w.t.Context(), w.Database)
	if err != nil {
		w.t.Fatal(err)
	}
	if _, err := conn.Exec(w.t.Context(), "SELECT pg_advisory_lock($1)", gateLock); err != nil {
		w.t.Fatal(err)
	}
	return gate{w, conn}
}

// byOthers: the author's own entry is written with the post, not by a fan-out.
const byOthers = "NEW.owner <> NEW.author"

// unguarded gives work of a step, or whatever else is meant to be held off,
// time enough to run if nothing prevents it. Whoever waits for a lock gives up after ten seconds.
func (w world) unguarded(done func() bool) {
	w.t.Helper()
	for began, looks := time.Now(), 0; looks < 40 && time.Since(began) < 3*time.Second; looks++ {
		if done() {
			return
		}
		if _, err := w.Status(w.t.Context()); err != nil {
			w.t.Fatal(err)
		}
	}
}

func (g gate) waiting() bool { return g.many() > 0 }

// many is how many wait at the gate.
func (g gate) many() int64 {
	return g.w.Number("SELECT count(*) FROM pg_locks WHERE locktype = 'advisory' AND objid = $1 AND NOT granted AND database = (SELECT oid FROM pg_database WHERE datname = current_database())", gateLock)
}

func (g gate) open() {
	g.w.t.Helper()
	if err := g.conn.Close(g.w.t.Context()); err != nil {
		g.w.t.Fatal(err)
	}
}

// A fan-out has read the followers and not yet written; meanwhile one of them
// unfollows, and that is cleaned up first if nothing prevents it.
func TestTrapLateInsertAfterAnUnfollow(t *testing.T) {
	t.Parallel()
	w := benFollowsAda(t)
	g := w.stall("entries", byOthers)
	w.post("ada", "p1", "late")
	w.until("the fan-out has read the followers", g.waiting)
	w.unfollow("ben", "ada")
	w.unguarded(func() bool { return w.Number("SELECT count(*) FROM due WHERE step = 5") == 0 })
	g.open()
	same(t, "ben", w.home("ben"), []string{})
	w.noDrift()
}

// The same with the post removed under the fan-out.
func TestTrapLateInsertAfterARemoval(t *testing.T) {
	t.Parallel()
	w := benFollowsAda(t)
	g := w.stall("entries", byOthers)
	w.post("ada", "p1", "late")
	w.until("the fan-out has read the followers", g.waiting)
	if _, _, err := w.Remove(t.Context(), "posts/p1"); err != nil {
		t.Fatal(err)
	}
	w.unguarded(func() bool { return w.Number("SELECT count(*) FROM due WHERE step = 4") == 0 })
	g.open()
	w.Settle()
	same(t, "stored entries", w.Number("SELECT count(*) FROM entries"), 0)
}

// A post has copied its author's name and is not yet committed; meanwhile the
// author is renamed, and the posts there are get the new name.
func TestTrapACopyTakenWhileItsSourceChanges(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	g := w.stall("documents", "NEW.key = 'late'")
	var group sync.WaitGroup
	group.Go(func() { w.post("ada", "late", "who wrote this?") })
	w.until("the name has been copied", g.waiting)
	renamed := make(chan struct{})
	group.Go(func() {
		defer close(renamed)
		if _, _, err := w.Patch(t.Context(), "people/ada", map[string]any{"name": "Eda"}); err != nil {
			t.Error(err)
		}
	})
	w.unguarded(func() bool {
		select {
		case <-renamed:
			w.Settle()
			return true
		default:
			return false
		}
	})
	g.open()
	group.Wait()
	same(t, "byline", w.get("posts/late").Kept["byline"], map[string]any{"name": "Eda"})
	w.noDrift()
}

// A timeline that was cut is being refilled from the facts; one of the posts
// it has read is removed, and withdrawn, before the refill commits.
func TestTrapARefillThatComesAfterARemoval(t *testing.T) {
	t.Parallel()
	w := start(t, shortPonds)
	for _, id := range []string{"ada", "cora", "ben"} {
		w.person(id)
	}
	w.follow("ben", "ada")
	w.follow("ben", "cora")
	for i := range 25 {
		w.post("cora", fmt.Sprintf("c%02d", i), "old")
	}
	for i := range 25 {
		w.post("ada", fmt.Sprintf("a%02d", i), "new")
	}
	w.Settle()
	w.sweep()
	newest := w.Number("SELECT n FROM documents WHERE key = 'c24'")
	for range 2 { // workers that are not held up with the refill
		harness.StartOn(t, w.Database, "")
	}
	g := w.stall("entries", byOthers)
	if _, _, err := w.Remove(t.Context(), "people/ada"); err != nil {
		t.Fatal(err)
	}
	w.until("the refill is under way", g.waiting)
	if _, _, err := w.Remove(t.Context(), "posts/c24"); err != nil {
		t.Fatal(err)
	}
	w.unguarded(func() bool { return w.Number("SELECT count(*) FROM due WHERE step = 4 AND doc = $1", newest) == 0 })
	g.open()
	same(t, "ben", w.home("ben"), []string{"c23", "c22", "c21", "c20", "c19"})
	same(t, "stored entries of the removed post", w.Number("SELECT count(*) FROM entries WHERE doc = $1", newest), 0)
	w.noDrift()
}

// A writer must not see its mark merged into one that a worker is about to
// delete, and no mark is counted by the workers of two services.
func TestTrapLostMarksAndCountsStayExact(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	harness.StartOn(t, w.Database, "")
	const people, rounds = 16, 12
	for i := range people {
		w.person(fmt.Sprintf("p%d", i))
	}
	w.post("p0", "hot", "everybody likes this")
	var group sync.WaitGroup
	for i := range people {
		group.Go(func() {
			who := fmt.Sprintf("p%d", i)
			for range rounds {
				must(w.Set(t.Context(), "like", who, "hot"))(t)
				must(w.Unset(t.Context(), "like", who, "hot"))(t)
			}
			must(w.Set(t.Context(), "like", who, "hot"))(t)
		})
	}
	group.Wait()
	same(t, "likes", w.get("posts/hot").Kept["likes_n"], people)
	w.noDrift()
}

// Twenty clients set and unset the same pair at once: it ends in one clear state.
func TestOnePairToggledByTwentyClients(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.person("ben")
	w.post("ada", "p1", "toggled")
	var group sync.WaitGroup
	for i := range 20 {
		group.Go(func() {
			for range 5 {
				if i%2 == 0 {
					w.follow("ben", "ada")
				} else {
					w.unfollow("ben", "ada")
				}
			}
		})
	}
	group.Wait()
	w.Settle()
	want := []string{}
	if must(w.IsSet(t.Context(), "follow", "ben", "ada"))(t) {
		want = []string{"p1"}
	}
	same(t, "ben", w.home("ben"), want)
	w.noDrift()
}

// Work that keeps failing is set aside, is visible, and holds up nothing else.
func TestTrapPoison(t *testing.T) {
	t.Parallel()
	w := benFollowsAda(t)
	w.SQL(`CREATE FUNCTION refuse() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE 'the disk of this entry is broken'; END $$`)
	w.SQL(`CREATE TRIGGER refuse BEFORE INSERT ON entries FOR EACH ROW WHEN (NEW.owner <> NEW.author) EXECUTE FUNCTION refuse()`)
	poison := w.post("ada", "p1", "cannot be delivered")
	w.until("it is parked", func() bool {
		w.SQL("UPDATE due SET not_before = NULL WHERE not_before > clock_timestamp()") // the pauses are long; what is being tried is left alone
		return w.Number("SELECT count(*) FROM parked") == 1
	})
	w.SQL("DROP TRIGGER refuse ON entries")

	same(t, "what comes after it", w.home("ben", w.post("ada", "p2", "can be")), []string{"p2"})
	_, err := w.After(poison).Timeline(t.Context(), "home", "ben", client.Page{})
	refused(t, err, "not-yet", "parked")
	parked := must(w.ParkedWork(t.Context()))(t)
	if len(parked) != 1 || parked[0].Step != "deliver" || fmt.Sprint(parked[0].Change) != string(poison) {
		t.Fatalf("parked: %+v", parked)
	}
	same(t, "attempts", parked[0].Attempts, 8)
	if status := must(w.Status(t.Context()))(t); status.Settled || status.Parked != 1 {
		t.Errorf("the status says %+v", status)
	}
	same(t, "retried", must(w.Retry(t.Context()))(t), 1)
	same(t, "after the retry", w.home("ben", poison), []string{"p2", "p1"})
	w.noDrift()
}

// hold keeps due work of a step from being done until it is released.
func (w world) hold(step int) (release func()) {
	w.t.Helper()
	w.SQL(fmt.Sprintf(`CREATE FUNCTION hold_%[1]d() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN NEW.not_before := 'infinity'; RETURN NEW; END $$`, step))
	w.SQL(fmt.Sprintf(`CREATE TRIGGER hold_%[1]d BEFORE INSERT ON due FOR EACH ROW WHEN (NEW.step = %[1]d) EXECUTE FUNCTION hold_%[1]d()`, step))
	return func() {
		w.t.Helper()
		w.SQL(fmt.Sprintf(`DROP TRIGGER hold_%d ON due`, step))
		w.SQL(`UPDATE due SET not_before = NULL WHERE step = $1 AND not_before > clock_timestamp()`, step)
	}
}

// Ben is not a follower for a moment, just as a post is withdrawn from all who
// are; when his timeline is looked at he is one again.
func TestTrapAPostWithdrawnWhileAFollowerIsOutForAMoment(t *testing.T) {
	t.Parallel()
	w := benFollowsAda(t)
	w.post("ada", "p1", "gone soon")
	w.post("ada", "p2", "stays")
	w.Settle()
	release := w.hold(5)
	w.unfollow("ben", "ada")
	if _, _, err := w.Remove(t.Context(), "posts/p1"); err != nil {
		t.Fatal(err)
	}
	w.until("the post is withdrawn", func() bool { return w.Number("SELECT count(*) FROM due WHERE step <> 5") == 0 })
	w.follow("ben", "ada")
	release()
	same(t, "ben", w.home("ben"), []string{"p2"})
	same(t, "stored entries", w.Number("SELECT count(*) FROM entries"), 2)
}

// A follow is about to be written when somebody shuns, which dissolves
// follows: neither sees the other, unless one waits.
func TestTrapAFollowAndWhatDissolvesItAtOneMoment(t *testing.T) {
	t.Parallel()
	w := start(t, marsh)
	w.person("ada")
	w.person("ben")
	w.Settle()
	g := w.stall("pairs", fmt.Sprintf("NEW.kind = %d", w.Number("SELECT n FROM numbers WHERE kind = 'pair' AND name = 'follow'")))
	var group sync.WaitGroup
	group.Go(func() { w.follow("ben", "ada") })
	w.until("the follow is about to be written", g.waiting)
	group.Go(func() { w.set("shun", "ada", "ben") })
	w.unguarded(func() bool { return w.Number("SELECT count(*) FROM pairs") > 0 })
	g.open()
	group.Wait()
	same(t, "the follow", must(w.AfterAll().IsSet(t.Context(), "follow", "ben", "ada"))(t), false)
	same(t, "the shun", must(w.IsSet(t.Context(), "shun", "ada", "ben"))(t), true)
	w.auditFindsNothing()
}

// A post has copied its author's count of followers and is not yet committed;
// meanwhile the count moves on, and the posts there are get the new one.
func TestTrapACopyOfAKeptValueThatMovesOn(t *testing.T) {
	t.Parallel()
	w := start(t, marsh)
	w.person("ada")
	w.person("ben")
	w.Settle()
	g := w.stall("documents", "NEW.key = 'late'")
	var group sync.WaitGroup
	group.Go(func() { w.sighting("ada", "late", 1) })
	w.until("the count has been copied", g.waiting)
	w.follow("ben", "ada")
	w.until("the new count has been brought to the posts there are", func() bool { return w.Number("SELECT count(*) FROM due WHERE change <> 0") == 0 })
	g.open()
	group.Wait()
	same(t, "the byline", w.get("posts/late").Kept["byline"], map[string]any{"name": "ADA", "followers_n": 1, "fame": 0})
	w.auditFindsNothing()
}

// A document is about to be created under an id that another one bears, which
// goes just then: the journal has the removal first, and the creation after it.
func TestTrapPositionsOutOfOrder(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	w.person("ada")
	w.Settle()
	g := w.stall("documents", "NEW.key = 'ada'")
	var created client.Position
	var group sync.WaitGroup
	group.Go(func() {
		var err error
		if _, created, err = w.Create(t.Context(), "people", "ada", map[string]any{"name": "Ada again"}); err != nil {
			t.Error(err)
		}
	})
	w.until("the creation is about to be written", g.waiting)
	_, removed, err := w.Remove(t.Context(), "people/ada")
	if err != nil {
		t.Fatal(err)
	}
	g.open()
	group.Wait()
	if exact(created) <= exact(removed) {
		t.Errorf("created at %s, and the one before it was removed at %s", created, removed)
	}
	same(t, "the name", w.get("people/ada").Facts["name"], "Ada again")
}

// What a post points at goes, and with its author gone the post would too; but
// just as they are seen to it the post is made to point elsewhere.
func TestTrapAReferenceThatMovesOnWhileItsTargetGoes(t *testing.T) {
	t.Parallel()
	w := start(t, marsh)
	w.person("ada")
	w.person("ben")
	w.sighting("ada", "old", 1)
	w.sighting("ada", "new", 1)
	_, _, err := w.Create(t.Context(), "posts", "moving", map[string]any{"seen": "2031-04-05T06:07:08Z", "author": "ben", "about": "old"})
	if err != nil {
		t.Fatal(err)
	}
	release := w.hold(7)
	for _, path := range []string{"people/ben", "posts/old"} {
		if _, _, err := w.Remove(t.Context(), path); err != nil {
			t.Fatal(err)
		}
	}
	g := w.stall("refs", fmt.Sprintf("NEW.target = %d", w.Number("SELECT n FROM documents WHERE key = 'new'")))
	var group sync.WaitGroup
	group.Go(func() {
		if _, _, err := w.Patch(t.Context(), "posts/moving", map[string]any{"author": "ada", "about": "new"}); err != nil {
			t.Error(err)
		}
	})
	w.until("the edit is about to be written", g.waiting)
	release()
	w.until("what ends passes over the edited post", func() bool {
		return w.Number("SELECT coalesce(max(chunks), 0) FROM due WHERE lane = 4") > 0
	})
	g.open()
	group.Wait()
	w.Settle()
	post := w.get("posts/moving")
	same(t, "the author", post.Facts["author"], "ada")
	same(t, "what it is about", post.Facts["about"], "new")
	w.auditFindsNothing()
}

// A refill that saw a post as ada's has put it into ben's timeline when it is
// ben's own again. It becomes his own just as it is verified: the entry has been
// seen as ada's, and is ben's when its row has been waited for.
func TestTrapAnEntryThatBecomesOnesOwnWhileItIsVerified(t *testing.T) {
	t.Parallel()
	w := start(t, ponds)
	for _, id := range []string{"ada", "ben"} {
		w.person(id)
	}
	w.post("ben", "p1", "his own")
	w.Settle()
	w.SQL(`UPDATE entries SET author = (SELECT n FROM documents WHERE key = 'ada')`)
	g := w.stallOn("UPDATE", "entries", "NEW.author <> OLD.author")
	due := func(step int, doc, rest string) {
		w.SQL(fmt.Sprintf(`INSERT INTO due (lane, step, subject, key, doc, rank, amount, cursor)
			SELECT 3, %d, e.timeline, %s FROM entries e`, step, strings.ReplaceAll(rest, "DOC", doc)))
	}
	due(3, "e.doc", "e.owner, DOC, e.rank, 1, 0") // delivered to ben himself
	w.until("the entry is about to become ben's own", g.waiting)
	due(6, "e.owner", "0, DOC, 0, 0, 1") // verified
	w.until("it is about to be taken out", func() bool {
		return w.Number("SELECT count(*) FROM pg_locks WHERE locktype = 'transactionid' AND NOT granted") > 0
	})
	g.open()
	w.until("both are done", func() bool { return w.Number("SELECT count(*) FROM due") == 0 })
	same(t, "ben", w.home("ben"), []string{"p1"})
	w.noDrift()
}
