package tests

import (
	"flag"
	"fmt"
	"strings"
)

// noDrift recomputes every duplicate of the ponds app from the facts with
// statements of its own and compares it with what is stored. It is kept apart
// from the product's SQL on purpose.
func (w world) noDrift() {
	w.t.Helper()
	w.Settle()
	w.noDeadlock()
	number := func(kind, name string) string {
		return fmt.Sprintf("(SELECT n FROM numbers WHERE kind = '%s' AND name = '%s')", kind, name)
	}
	follow, like := number("pair", "follow"), number("pair", "like")
	author, noteAuthor := number("reference", "posts.author"), number("reference", "notes.author")
	count := func(collection, kept, truth string) string {
		return fmt.Sprintf(`SELECT count(*) FROM documents d JOIN kept k ON k.doc = d.n LEFT JOIN (%s GROUP BY 1) t ON t.doc = d.n
			WHERE d.collection = %s AND (k.values->>'%s')::int IS DISTINCT FROM coalesce(t.many, 0)`, truth, number("collection", collection), kept)
	}
	byline := func(ref string) string {
		return fmt.Sprintf(`SELECT count(*) FROM refs r JOIN kept k ON k.doc = r.source JOIN documents a ON a.n = r.target
			WHERE r.reference = %s AND k.values->'byline' IS DISTINCT FROM jsonb_build_object('name', a.fields->'name')`, ref)
	}
	justified := fmt.Sprintf(`(
		SELECT p.a AS owner, r.source AS doc FROM refs r JOIN pairs p ON p.kind = %s AND p.b = r.target WHERE r.reference = %s
		UNION SELECT r.target, r.source FROM refs r WHERE r.reference = %s)`, follow, author, author)
	for what, sql := range map[string]string{
		"followers_n":         count("people", "followers_n", "SELECT b AS doc, count(*) AS many FROM pairs WHERE kind = "+follow),
		"following_n":         count("people", "following_n", "SELECT a AS doc, count(*) AS many FROM pairs WHERE kind = "+follow),
		"posts_n":             count("people", "posts_n", "SELECT target AS doc, count(*) AS many FROM refs WHERE reference = "+author),
		"likes_n":             count("posts", "likes_n", "SELECT b AS doc, count(*) AS many FROM pairs WHERE kind = "+like),
		"notes_n":             count("posts", "notes_n", "SELECT parent AS doc, count(*) AS many FROM documents WHERE parent IS NOT NULL"),
		"bylines of posts":    byline(author),
		"bylines of notes":    byline(noteAuthor),
		"references":          "SELECT count(*) FROM refs r WHERE NOT EXISTS (SELECT 1 FROM documents d WHERE d.n = r.source)",
		"surplus entries":     "SELECT count(*) FROM entries e WHERE NOT EXISTS (SELECT 1 FROM " + justified + " j WHERE j.owner = e.owner AND j.doc = e.doc)",
		"missing entries":     "SELECT count(*) FROM " + justified + " j WHERE NOT EXISTS (SELECT 1 FROM cuts f WHERE f.owner = j.owner) AND NOT EXISTS (SELECT 1 FROM entries e WHERE e.owner = j.owner AND e.doc = j.doc)",
		"wrongly signed":      "SELECT count(*) FROM entries e JOIN refs r ON r.source = e.doc AND r.reference = " + author + " WHERE r.target <> e.author",
		"parked work":         "SELECT count(*) FROM parked",
		"work left":           "SELECT count(*) FROM due WHERE change <> 0",
		"pairs of the absent": "SELECT count(*) FROM pairs p WHERE NOT EXISTS (SELECT 1 FROM documents WHERE n = p.a) OR NOT EXISTS (SELECT 1 FROM documents WHERE n = p.b)",
	} {
		if n := w.Number(sql); n != 0 {
			w.t.Errorf("drift: %s: %d", what, n)
		}
	}
}

var deadlocks = flag.Bool("deadlocks", false, "whether a deadlock is a failure, and not only said")

// noDeadlock tells whether PostgreSQL has had to end a transaction because it
// and another waited for each other, and how the first came about. Such a
// transaction is run again: what is stored is right all the same, but a second
// is lost.
func (w world) noDeadlock() {
	w.T.Helper()
	many := w.Number("SELECT deadlocks FROM pg_stat_database WHERE datname = current_database()")
	w.T.Logf("%d deadlocks", many)
	if many == 0 {
		return
	}
	var log string
	if err := w.Pool().QueryRow(w.T.Context(), "SELECT pg_read_file(current_setting('data_directory') || '/../postgres.log')").Scan(&log); err != nil {
		w.T.Fatal(err)
	}
	if _, after, found := strings.Cut(log, "deadlock detected"); found {
		w.T.Log(after[:min(len(after), 6000)])
	}
	if *deadlocks {
		w.T.Errorf("%d deadlocks", many)
	}
}
