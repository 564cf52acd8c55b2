package tests

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"yalvo/client"
)

// audit runs an audit to its end and returns what it found.
func (w world) audit(scope client.Scope) (client.Audit, []client.Drift) {
	w.t.Helper()
	begun := must(w.BeginAudit(w.t.Context(), scope))(w.t)
	a := must(w.AwaitAudit(w.t.Context(), begun.ID, nil))(w.t)
	if a.State != "finished" {
		w.t.Fatalf("the audit is %s: %s", a.State, a.Error)
	}
	return a, must(w.Drift(w.t.Context(), a.ID))(w.t)
}

// auditFindsNothing sees that an audit of everything finds no drift.
func (w world) auditFindsNothing() {
	w.t.Helper()
	a, found := w.audit(client.Scope{})
	for i, d := range found {
		if i < 20 {
			w.t.Errorf("drift: %s %s %s at %s, %s: stored %s, expected %s", d.Aspect, d.Duplicate, d.Kind, d.Document, d.Other, d.Stored, d.Expected)
		}
	}
	if a.Checked == 0 && w.Number("SELECT count(*) FROM documents") > 0 {
		w.t.Error("the audit has looked at nothing")
	}
}

// A way to break a stored duplicate behind the service's back, and what an
// audit must call it. The statement says which rows it may take; it breaks one.
type breakage struct {
	aspect, duplicate, kind string
	sql                     string
}

// number of a name, for the statements below.
func num(kind, name string) string {
	return fmt.Sprintf("(SELECT n FROM numbers WHERE kind = '%s' AND name = '%s')", kind, name)
}

// one picks a row of a table at random, by its place in the table.
func one(table, where string) string {
	return fmt.Sprintf("(SELECT ctid FROM %s WHERE %s ORDER BY random() LIMIT 1)", table, where)
}

func breakages() []breakage {
	var all []breakage
	add := func(aspect, duplicate, kind, sql string) { all = append(all, breakage{aspect, duplicate, kind, sql}) }
	in := func(collection string) string {
		return fmt.Sprintf("doc IN (SELECT n FROM documents WHERE collection = %s)", num("collection", collection))
	}
	set := func(collection, name, value string) string {
		return fmt.Sprintf(`UPDATE kept SET "values" = jsonb_set("values", '{%s}', %s) WHERE ctid = %s`, name, value, one("kept", in(collection)))
	}
	for _, k := range []struct{ aspect, collection, name string }{
		{"count", "people", "followers_n"}, {"count", "people", "following_n"}, {"count", "people", "posts_n"}, {"count", "posts", "likes_n"}, {"count", "posts", "notes_n"},
		{"sum", "people", "flocks_n"}, {"sum", "people", "birds"}, {"sum", "people", "weight"}, {"sum", "people", "fame"}, {"sum", "people", "given"}, {"sum", "posts", "score"}, {"sum", "posts", "ups"},
		{"choice", "people", "most"}, {"choice", "people", "least"}, {"choice", "people", "best"}, {"choice", "posts", "top_vote"},
	} {
		add(k.aspect, k.collection+"."+k.name, "different", set(k.collection, k.name, `to_jsonb(coalesce(("values" ->> '`+k.name+`')::numeric, 0) + 7)`))
		add(k.aspect, k.collection+"."+k.name, "different", set(k.collection, k.name, `'"many"'`))
	}
	for _, k := range []struct{ aspect, collection, name string }{
		{"copy", "posts", "byline"}, {"copy", "posts", "finder"}, {"copy", "notes", "byline"}, {"copy", "people", "mentor_card"}, {"frozen copy", "posts", "credit"},
		{"choice", "people", "recent"}, {"choice", "people", "shelf"}, {"choice", "people", "last_seen"}, {"choice", "posts", "last_notes"}, {"choice", "posts", "likers_now"},
	} {
		add(k.aspect, k.collection+"."+k.name, "different", set(k.collection, k.name, `'{"name": "somebody else"}'`))
		add(k.aspect, k.collection+"."+k.name, "different", set(k.collection, k.name, `'[1]'`))
	}
	for _, c := range []string{"people", "posts", "notes"} {
		add("kept", c, "missing", `DELETE FROM kept WHERE ctid = `+one("kept", in(c)))
		add("kept", c, "different", `UPDATE kept SET "values" = "values" || '{"stray": 1}' WHERE ctid = `+one("kept", in(c)))
	}
	add("kept", "people", "surplus", `INSERT INTO kept (doc, "values") SELECT 900000 + (random() * 90000)::int, '{}'`)

	for _, t := range []string{"home", "calm"} {
		of := "timeline = " + num("timeline", t)
		add("timeline", t, "missing", "DELETE FROM entries WHERE (tableoid, ctid) = (SELECT tableoid, ctid FROM entries e WHERE "+of+" AND (rank, doc) > (SELECT coalesce(max(f.rank), -1), coalesce(max(f.doc), 0) FROM cuts f WHERE f.timeline = e.timeline AND f.owner = e.owner) ORDER BY random() LIMIT 1)")
		add("timeline", t, "surplus", "INSERT INTO entries SELECT timeline, owner, rank + 1, doc, author FROM entries WHERE "+of+" ORDER BY random() LIMIT 1")
		add("timeline", t, "surplus", "INSERT INTO entries SELECT e.timeline, d.n, e.rank, e.doc, e.author FROM entries e, documents d WHERE e."+of+" AND d.collection = "+num("collection", "people")+" AND d.n <> e.author AND NOT EXISTS (SELECT 1 FROM pairs p WHERE p.kind = "+num("pair", "follow")+" AND p.b = e.author AND p.a = d.n) AND NOT EXISTS (SELECT 1 FROM entries x WHERE x.timeline = e.timeline AND x.owner = d.n AND x.doc = e.doc) ORDER BY random() LIMIT 1")
		add("timeline", t, "surplus", "INSERT INTO entries SELECT timeline, 900000 + (random() * 90000)::int, rank, doc, author FROM entries WHERE "+of+" ORDER BY random() LIMIT 1")
		add("posted", t, "missing", "DELETE FROM posted WHERE ctid = "+one("posted", of))
		add("posted", t, "surplus", "INSERT INTO posted SELECT timeline, author, rank + 5, doc FROM posted WHERE "+of+" ORDER BY random() LIMIT 1")
	}
	for _, ref := range []string{"posts.author", "posts.about", "notes.author", "people.mentor"} {
		of := "reference = " + num("reference", ref)
		add("reference", ref, "missing", "DELETE FROM refs WHERE ctid = "+one("refs", of))
		add("reference", ref, "different", "UPDATE refs r SET target = (SELECT d.n FROM documents d JOIN documents t ON t.n = r.target WHERE d.collection = t.collection AND d.n <> t.n ORDER BY random() LIMIT 1) WHERE ctid = "+one("refs", of))
		add("reference", ref, "surplus", "INSERT INTO refs SELECT 900000 + (random() * 90000)::int, reference, target FROM refs WHERE "+of+" ORDER BY random() LIMIT 1")
	}
	add("reference", "posts.about", "surplus", "INSERT INTO refs SELECT d.n, "+num("reference", "posts.about")+", d.n FROM documents d WHERE d.collection = "+num("collection", "posts")+" AND NOT d.fields ? 'about' ORDER BY random() LIMIT 1")
	add("unique", "people.handle", "missing", "DELETE FROM uniques WHERE ctid = "+one("uniques", "true"))
	add("unique", "people.handle", "different", "UPDATE uniques SET value = 'x' || value WHERE ctid = "+one("uniques", "true"))
	add("unique", "people.handle", "surplus", "INSERT INTO uniques SELECT field, 'y' || value, doc FROM uniques ORDER BY random() LIMIT 1")
	add("unique", "people.handle", "surplus", "INSERT INTO uniques SELECT field, 'z' || value, 900000 + (random() * 90000)::int FROM uniques ORDER BY random() LIMIT 1")

	for _, s := range []string{"people.birds", "people.fame", "people.most", "people.recent", "people.shelf", "posts.score", "posts.likers_now", "posts.last_notes"} {
		of := "summary = " + num("kept", s)
		add("contribution", s, "missing", "DELETE FROM contributions WHERE ctid = "+one("contributions", of))
		add("contribution", s, "different", "UPDATE contributions SET value = value + 3 WHERE ctid = "+one("contributions", of))
		add("contribution", s, "surplus", "INSERT INTO contributions SELECT summary, 900000 + (random() * 90000)::int, target, value FROM contributions WHERE "+of+" ORDER BY random() LIMIT 1")
	}
	for _, p := range []string{"follow", "like", "vote"} {
		add("pair", p, "dangling", "INSERT INTO pairs (kind, b, a, fields) SELECT kind, b, 900000 + (random() * 90000)::int, fields FROM pairs WHERE kind = "+num("pair", p)+" ORDER BY random() LIMIT 1")
		add("pair", p, "dangling", "INSERT INTO pairs (kind, b, a, fields) SELECT kind, 900000 + (random() * 90000)::int, a, fields FROM pairs WHERE kind = "+num("pair", p)+" ORDER BY random() LIMIT 1")
	}
	return all
}

var breakings = flag.Int("breakings", 5, "in how many ways duplicates are broken")

// Each kind of stored duplicate is changed, removed, doubled or invented by
// hand: every one is found, called by its name and mended, and nothing else is.
func TestAnAuditFindsWhateverIsBrokenAndNothingElse(t *testing.T) {
	t.Parallel()
	s := seeded(t)
	w := start(t, marsh)
	th := newThrong(t, w, marsh, w.Client)
	th.run(s, 600, 16)
	w.Settle()
	w.auditFindsNothing()
	before := w.everything()
	all := breakages()
	r := rand.New(rand.NewPCG(s, 1))
	broken, took := 0, time.Duration(0)
	for n := range *breakings {
		if n%len(all) == 0 {
			r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
		}
		b := all[n%len(all)]
		tag := must(w.Pool().Exec(t.Context(), b.sql))(t)
		if tag.RowsAffected() != 1 {
			continue // nothing there to be broken in this way
		}
		broken++
		a, found := w.audit(client.Scope{Mend: true})
		took += a.Ended.Sub(a.Started)
		if len(found) != 1 || found[0].Aspect != b.aspect || found[0].Duplicate != b.duplicate || found[0].Kind != b.kind {
			t.Errorf("broken: %s\nwant one %s %s %s, found:", b.sql, b.aspect, b.duplicate, b.kind)
			for _, d := range found {
				t.Errorf("   %s %s %s at %s, %s: stored %s, expected %s", d.Aspect, d.Duplicate, d.Kind, d.Document, d.Other, d.Stored, d.Expected)
			}
		}
		for _, d := range found {
			if d.Mended == nil {
				t.Errorf("not mended: %s %s %s; broken by %s", d.Aspect, d.Duplicate, d.Kind, b.sql)
			}
		}
		w.until("what the mending made due is done, before the next thing is broken", func() bool { return w.Number("SELECT count(*) FROM due") == 0 })
		if now := w.everything(); now != before {
			t.Fatalf("after mending what was broken by %s something is not as it was:\n%s", b.sql, firstDifference(before, now))
		}
	}
	if t.Logf("%v for an audit", took/time.Duration(broken)); broken < *breakings*8/10 {
		t.Errorf("broken in %d of %d ways only", broken, *breakings)
	}
}

// An audit of one document looks at what it holds, at what it contributes to
// others, and at what contributes to it.
func TestAnAuditOfOneDocumentLooksBothWays(t *testing.T) {
	t.Parallel()
	w := start(t, marsh)
	for _, name := range []string{"ada", "ben"} {
		w.person(name)
		w.sighting(name, name+"s", 3)
	}
	w.Settle()
	w.SQL("UPDATE contributions SET value = value + 1 WHERE summary = " + num("kept", "people.birds"))
	for document, want := range map[string]string{"people/ada": "posts/adas", "posts/bens": "posts/bens"} {
		_, found := w.audit(client.Scope{Document: document})
		if len(found) != 1 || found[0].Duplicate != "people.birds" || found[0].Aspect != "contribution" || found[0].Document != want {
			t.Errorf("an audit of %s found %+v", document, found)
		}
	}
	_, found := w.audit(client.Scope{Document: "people/ben", Mend: true})
	same(t, "found and mended", len(found) == 1 && found[0].Mended != nil, true)
	_, found = w.audit(client.Scope{})
	same(t, "left", len(found), 1)
}

// The journal knows when the facts became what a duplicate should be.
func TestDriftSaysSinceWhen(t *testing.T) {
	t.Parallel()
	w := start(t, marsh)
	for _, name := range []string{"ada", "ben"} {
		w.person(name)
	}
	w.sighting("ada", "p1", 3)
	at := map[string]client.Position{}
	patch := func(what, path string, fields map[string]any) {
		t.Helper()
		_, position, err := w.Patch(t.Context(), path, fields)
		if err != nil {
			t.Fatal(err)
		}
		at[what] = position
	}
	patch("unique people.handle", "people/ada", map[string]any{"handle": "ada_of_the_marsh"})
	patch("reference posts.about", "posts/p1", map[string]any{"about": "p1"})
	at["contribution posts.score"] = must(w.SetWith(t.Context(), "vote", "ben", "p1", map[string]any{"value": 2}))(t)
	patch("contribution people.birds", "posts/p1", map[string]any{"birds": 5})
	patch("nothing else", "people/ada", map[string]any{"name": "Adelheid"})
	w.Settle()
	for what, sql := range map[string]string{
		"unique people.handle":      "DELETE FROM uniques",
		"reference posts.about":     "DELETE FROM refs WHERE reference = " + num("reference", "posts.about"),
		"contribution posts.score":  "DELETE FROM contributions WHERE summary = " + num("kept", "posts.score"),
		"contribution people.birds": "UPDATE contributions SET value = 3 WHERE summary = " + num("kept", "people.birds"),
	} {
		w.SQL(sql)
		_, found := w.audit(client.Scope{Mend: true})
		if len(found) != 1 || found[0].Aspect+" "+found[0].Duplicate != what || found[0].Since == nil {
			t.Errorf("%s: found %+v", what, found)
			continue
		}
		change := must(w.Cascade(t.Context(), exact(at[what])))(t).Change
		same(t, what, found[0].Since.UTC(), change.At.UTC())
		w.Settle()
	}
}

// everything is all that is stored, as text: facts and duplicates.
func (w world) everything() string {
	w.t.Helper()
	var all string
	err := w.Pool().QueryRow(w.t.Context(), `SELECT string_agg(line, E'\n' ORDER BY line) FROM (
		SELECT 'document ' || n || ' ' || key || ' ' || fields AS line FROM documents
		UNION ALL SELECT 'kept ' || doc || ' ' || "values" FROM kept
		UNION ALL SELECT 'ref ' || source || ' ' || reference || ' ' || target FROM refs
		UNION ALL SELECT 'unique ' || field || ' ' || value || ' ' || doc FROM uniques
		UNION ALL SELECT 'pair ' || kind || ' ' || a || ' ' || b || ' ' || coalesce(fields::text, '') FROM pairs
		UNION ALL SELECT 'posted ' || timeline || ' ' || author || ' ' || rank || ' ' || doc FROM posted
		UNION ALL SELECT 'contribution ' || summary || ' ' || source || ' ' || target || ' ' || trim_scale(value) FROM contributions
		UNION ALL SELECT 'entry ' || timeline || ' ' || owner || ' ' || rank || ' ' || doc || ' ' || author FROM entries) x`).Scan(&all)
	if err != nil {
		w.t.Fatal(err)
	}
	return all
}

func firstDifference(a, b string) string {
	was, is := map[string]bool{}, map[string]bool{}
	for _, line := range strings.Split(a, "\n") {
		was[line] = true
	}
	for _, line := range strings.Split(b, "\n") {
		is[line] = true
	}
	var out []string
	for line := range was {
		if !is[line] {
			out = append(out, "- "+line)
		}
	}
	for line := range is {
		if !was[line] {
			out = append(out, "+ "+line)
		}
	}
	slices.Sort(out)
	return strings.Join(out[:min(len(out), 10)], "\n")
}

// A follow that survived a later block is drift: the block should have ended it. One that was set after the block
// stands, and so do those from before the design said so.
func TestAnAuditComparesWhatPairsDissolve(t *testing.T) {
	t.Parallel()
	const dissolving = "dissolves: [follow]"
	with := strings.Replace(ponds, "  like:   {from", "  block:  {from: people, to: people, from_calls: blocking, to_calls: blockers, "+dissolving+"}\n  like:   {from", 1)
	w := start(t, strings.Replace(with, ", "+dissolving, "", 1))
	for _, p := range []string{"ada", "ben", "cy", "dora"} {
		w.person(p)
	}
	w.follow("ada", "dora") // and has blocked her since: nothing said that these do not go together
	must(w.Set(t.Context(), "block", "dora", "ada"))(t)
	w.evolves(with)
	w.auditFindsNothing()
	must(w.Set(t.Context(), "block", "ada", "ben"))(t)
	w.follow("ben", "ada") // no rule forbids it
	w.follow("ada", "ben")
	w.follow("cy", "ada")
	w.Settle()
	w.auditFindsNothing()
	w.SQL(`UPDATE yalvo.pairs SET at = at - interval '1 hour' WHERE kind IN (SELECT n FROM yalvo.numbers WHERE kind = 'pair' AND name = 'follow')`)
	a, found := w.audit(client.Scope{Mend: true})
	same(t, "what an audit finds", []any{a.Drifted, len(found)}, []any{int64(2), 2})
	for _, d := range found {
		if d.Duplicate != "follow" || d.Kind != "surplus" || d.Mended == nil {
			t.Errorf("got %+v", d)
		}
	}
	w.Settle()
	ada := w.get("people/ada").Kept
	same(t, "who follows ada, and whom she follows", fmt.Sprint(ada["followers_n"], ada["following_n"]), "1 1")
	w.auditFindsNothing()
}
