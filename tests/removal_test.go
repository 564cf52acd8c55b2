package tests

import (
	"flag"
	"strings"
	"testing"
	"time"

	"yalvo/tests/harness"
)

var removalSize = flag.Int("removal", 80, "posts of the member whose removal is interrupted; "+
	"ten times as many notes of others, five times as many followers")

// crowded is the ponds app with a star of many posts, others' notes under each,
// and many followers: written behind the service's back, and proved true by an audit.
func crowded(t *testing.T, posts int) world {
	t.Helper()
	length, design := 800, ponds
	if posts > length { // then timelines are cut, to a length that a machine bears
		length, design = 100, strings.Replace(ponds, "length: 800", "length: 100", 1)
	}
	w := start(t, design)
	w.person("star")
	w.person("noter")
	fans := 5 * posts
	people, post, note := num("collection", "people"), num("collection", "posts"), num("collection", "notes")
	star, noter := "(SELECT n FROM documents WHERE key = 'star')", "(SELECT n FROM documents WHERE key = 'noter')"
	for _, sql := range []struct {
		text string
		args []any
	}{
		{`INSERT INTO documents (collection, key, fields) SELECT ` + people + `, 'fan' || g, '{"name":"fan"}' FROM generate_series(1, $1::int) g`, []any{fans}},
		{`INSERT INTO documents (collection, key, fields) SELECT ` + post + `, 's' || g, '{"text":"a post","author":"star"}' FROM generate_series(1, $1::int) g`, []any{posts}},
		{`INSERT INTO documents (collection, key, parent, fields) SELECT ` + note + `, d.key || '/n' || g, d.n, '{"text":"hm","author":"noter"}' FROM documents d, generate_series(1, 10) g WHERE d.key LIKE 's%' AND d.collection = ` + post, nil},
		{`INSERT INTO refs SELECT n, ` + num("reference", "posts.author") + `, ` + star + ` FROM documents WHERE collection = ` + post, nil},
		{`INSERT INTO refs SELECT n, ` + num("reference", "notes.author") + `, ` + noter + ` FROM documents WHERE collection = ` + note, nil},
		{`INSERT INTO pairs (kind, b, a) SELECT ` + num("pair", "follow") + `, ` + star + `, n FROM documents WHERE key LIKE 'fan%'`, nil},
		{`INSERT INTO posted SELECT ` + num("timeline", "home") + `, ` + star + `, (extract(epoch FROM created) * 1000000)::bigint, n FROM documents WHERE collection = ` + post, nil},
		{`INSERT INTO entries (timeline, owner, rank, doc, author) SELECT p.timeline, o.n, p.rank, p.doc, p.author FROM (SELECT * FROM posted ORDER BY rank DESC, doc DESC LIMIT $1) p, documents o WHERE o.key LIKE 'fan%' OR o.key = 'star'`, []any{length}},
		{`INSERT INTO cuts (timeline, owner, rank, doc, surplus) SELECT p.timeline, o.n, p.rank, p.doc, 0 FROM (SELECT * FROM posted ORDER BY rank DESC, doc DESC OFFSET $1 LIMIT 1) p, documents o WHERE o.key LIKE 'fan%' OR o.key = 'star'`, []any{length}},
		{`INSERT INTO kept (doc, "values") SELECT n, '{"followers_n":0,"following_n":1,"posts_n":0}' FROM documents WHERE key LIKE 'fan%'`, nil},
		{`INSERT INTO kept (doc, "values") SELECT n, '{"byline":{"name":"STAR"},"likes_n":0,"notes_n":10}' FROM documents WHERE collection = ` + post, nil},
		{`INSERT INTO kept (doc, "values") SELECT n, '{"byline":{"name":"NOTER"}}' FROM documents WHERE collection = ` + note, nil},
		{`UPDATE kept SET "values" = "values" || jsonb_build_object('followers_n', $1::int, 'posts_n', $2::int) WHERE doc = ` + star, []any{fans, posts}},
	} {
		w.SQL(sql.text, sql.args...)
	}
	w.SQL("ANALYZE")
	w.auditFindsNothing()
	return w
}

// The removal of somebody with many posts, with many remarks of others under
// them and many followers, goes in chunks. The service that does it is killed
// in the middle, twice; another one brings it to its end.
func TestTheRemovalOfSomeoneLargeIsInterruptedAndEndsComplete(t *testing.T) {
	w := crowded(t, *removalSize)
	victim := spawn(t, "--database", w.Database)
	_, position, err := harness.Client(t, victim.url).Remove(t.Context(), "people/star")
	if err != nil {
		t.Fatal(err)
	}
	left := func() int64 {
		return w.Number("SELECT count(*) FROM documents WHERE collection = " + num("collection", "posts"))
	}
	for range 2 {
		before := left()
		w.until("it is under way", func() bool { n := left(); return n < before || n == 0 })
		victim.kill(t)
		victim = spawn(t, "--database", w.Database)
	}
	for deadline := time.Now().Add(20 * time.Minute); ; { // a read waits a minute at most
		if _, err := w.After(position).Status(t.Context()); err == nil {
			break
		} else if time.Now().After(deadline) {
			t.Fatal(err)
		}
	}
	victim.kill(t)
	for what, sql := range map[string]string{
		"posts": "SELECT count(*) FROM documents WHERE collection = " + num("collection", "posts"), "notes": "SELECT count(*) FROM documents WHERE collection = " + num("collection", "notes"),
		"pairs": "SELECT count(*) FROM pairs", "entries": "SELECT count(*) FROM entries", "posted": "SELECT count(*) FROM posted",
		"followed by anybody": `SELECT count(*) FROM kept WHERE ("values" ->> 'following_n')::int <> 0`,
	} {
		same(t, what, w.Number(sql), 0)
	}
	same(t, "removals in the journal", w.Number("SELECT count(*) FROM journal WHERE kind = 'removed'"), 1+11**removalSize)
	w.auditFindsNothing()
}
