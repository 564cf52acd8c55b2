package main

import (
	"fmt"
	"sync"
	"sync/atomic"
	"time"
)

// rules are the demo's usual ones, for the bench's design.
const rules = `
access:
  rules:
    apart(a, b): "paired('block', a, b) || paired('block', b, a)"
  collections:
    people: {read: "!paired('block', doc, me)"}
    posts:  {read: "!apart(me, doc.author)", create: "me != null && new.author == me"}
  pairs:
    like: {read: true}
  timelines:
    home: {read: "owner == me"}
  lists:
    everyone: {read: true}
lists:
  everyone: {entries: posts}
`

// listSQL is a page of everyone's posts for a viewer in one statement, as one would write it:
// without those of whom a block either way keeps them, and with the viewer's likes.
const listSQL = `SELECT d.key, d.version, d.created, d.updated, d.fields, k.values, m.at
	FROM documents d JOIN kept k ON k.doc = d.n
	LEFT JOIN pairs m ON m.kind = :like AND m.b = d.n AND m.a = :first::bigint + :r
	WHERE d.collection = :posts AND d.n > 0 -- for the list's index
	  AND NOT EXISTS (SELECT FROM pairs x WHERE x.kind = :block AND x.a = :first::bigint + :r
		AND x.b = (SELECT n FROM documents WHERE collection = :people AND key = d.fields ->> 'author'))
	  AND NOT EXISTS (SELECT FROM pairs x WHERE x.kind = :block AND x.b = :first::bigint + :r
		AND x.a = (SELECT n FROM documents WHERE collection = :people AND key = d.fields ->> 'author'))
	ORDER BY d.created DESC, d.n DESC LIMIT 30;
`

// timelineSQL is the same for a page of a viewer's timeline.
const timelineSQL = `SELECT e.rank, d.key, d.version, d.created, d.updated, d.fields, k.values, m.at
	FROM (SELECT rank, doc, author FROM entries WHERE timeline = :home AND owner = :first::bigint + :r
		ORDER BY rank DESC, doc DESC LIMIT 30) e
	JOIN documents d ON d.n = e.doc JOIN kept k ON k.doc = e.doc
	LEFT JOIN pairs m ON m.kind = :like AND m.b = e.doc AND m.a = :first::bigint + :r
	WHERE NOT EXISTS (SELECT FROM pairs x WHERE x.kind = :block AND x.a = :first::bigint + :r AND x.b = e.author)
	  AND NOT EXISTS (SELECT FROM pairs x WHERE x.kind = :block AND x.b = :first::bigint + :r AND x.a = e.author)
	ORDER BY e.rank DESC, e.doc DESC;
`

// Who reads under rules: so many viewers who are in 10 blocks, as many who are in 5,000, and as
// many who are in 50,000, with half of all authors; each author has one post.
const (
	viewers    = 16
	fewBlocks  = 10
	manyBlocks = 5_000
	halfBlocks = byAuthors / 2
	byAuthors  = 100_000
)

// access: reads and writes under rules, beside the same without, by turns; of each the
// median.
func (b *bench) access() error {
	if err := b.viewersAndPosts(); err != nil {
		return err
	}
	if _, err := b.client.Apply(b.ctx, "bench.yaml", []byte(appDesign+rules)); err != nil {
		return err
	}
	defer b.client.Apply(b.ctx, "bench.yaml", []byte(appDesign)) // the other parts know no rules
	home := func(kind string) func(r, n int) string {
		return func(r, _ int) string { return fmt.Sprintf("/v1/timelines/home/%s%d", kind, r) }
	}
	liked := func(r, _ int) string { return fmt.Sprintf("/v1/timelines/home/few%d?marks=liked", r) }
	posts := func(_, n int) string { return fmt.Sprintf("/v1/collections/posts?limit=30&prefix=ruled%d", n%90+10) }
	everyone := func(_, _ int) string { return "/v1/lists/everyone?limit=30&marks=liked" }
	nobody := func(int) string { return "" }
	as := func(kind string) func(int) string { return func(r int) string { return fmt.Sprint(kind, r) } }
	fmt.Printf("\nunder rules, reads/s over %v, %d readers (median of %d, in turns)\n", readTime, readers, turns)
	for _, block := range [][]way{
		{{"first page of a timeline, 30 entries, no rules", b.reading(nobody, home("few"))},
			{"with rules: a block either way hides an entry", b.reading(as("few"), home("few"))},
			{"of a viewer who is in 5,000 blocks, not 10", b.reading(as("many"), home("many"))},
			{"of one who is in 50,000", b.reading(as("half"), home("half"))}},
		{{"page of a timeline, 30 entries, with likes, one statement for it by pgbench", b.byItself(timelineSQL)},
			{"the timeline over HTTP, under rules", b.reading(as("few"), liked)}},
		{{"page of a collection, 30 documents, no rules", b.reading(nobody, posts)},
			{"with rules: a block either way hides a document", b.reading(as("few"), posts)},
			{"of a viewer who is in 5,000 blocks", b.reading(as("many"), posts)},
			{"of one who is in 50,000, with half of all authors", b.reading(as("half"), posts)}},
		{{"page of a list, 30 of 100,000, with likes, one statement for it by pgbench", b.byItself(listSQL)},
			{"the list over HTTP, under rules", b.reading(as("few"), everyone)},
			{"of a viewer who is in 5,000 blocks", b.reading(as("many"), everyone)},
			{"of one who is in 50,000, with half of all authors", b.reading(as("half"), everyone)}},
	} {
		if err := inTurns(block...); err != nil {
			return err
		}
	}
	fmt.Printf("writes/s over HTTP, %d clients (median of %d, in turns)\n", writers, turns)
	return inTurns(way{"posts, no rules", b.posting(false)},
		way{"with a rule: the author is the caller", b.posting(true)})
}

// byItself is how many pages PostgreSQL answers by itself.
func (b *bench) byItself(sql string) func() (float64, error) {
	return func() (float64, error) {
		named := map[string]string{"like": b.number("pair", "like"), "block": b.number("pair", "block"),
			"posts": b.number("collection", "posts"), "people": b.number("collection", "people"),
			"home": b.number("timeline", "home"), "first": "(SELECT n FROM documents WHERE key = 'few0')"}
		for name, number := range named {
			var n int64
			if err := b.db.QueryRow(b.ctx, "SELECT "+number).Scan(&n); err != nil {
				return 0, err
			}
			named[name] = fmt.Sprint(n)
		}
		return b.pgbenchWith(sql, viewers, named)
	}
}

func (b *bench) viewersAndPosts() error {
	people, posts := b.number("collection", "people"), b.number("collection", "posts")
	home := b.number("timeline", "home")
	return b.sql(
		fmt.Sprintf(`INSERT INTO documents (collection, key, fields) SELECT %s, x.key, '{"name":"Somebody"}' FROM (
			SELECT 'ruler' || g AS key, g FROM generate_series(0, %d) g
			UNION ALL SELECT kind.name || g, %d + kind.nth * %d + g
			FROM (VALUES ('few', 0), ('many', 1), ('half', 2)) kind (name, nth), generate_series(0, %d) g) x
			ORDER BY g`,
			people, byAuthors-1, byAuthors, viewers, viewers-1),
		fmt.Sprintf(`INSERT INTO documents (collection, key, fields) SELECT %s, 'ruled' || g,
			jsonb_build_object('text', repeat('A heron at Nine Posts. ', 8), 'author', 'ruler' || (g * 7919) %% %d)
			FROM generate_series(0, 99999) g`, posts, byAuthors),
		`INSERT INTO kept (doc, "values") SELECT n, '{"byline":{"name":"Somebody"},"likes_n":3}' FROM documents
			WHERE key LIKE 'ruled%'`,
		b.blocks("few", fewBlocks), b.blocks("many", manyBlocks), b.blocks("half", halfBlocks),
		// Their timelines hold posts of whom no block keeps from them: of odd authors.
		fmt.Sprintf(`INSERT INTO entries (timeline, owner, rank, doc, author)
			SELECT %s, %s + v, g, d.n, (SELECT n FROM documents WHERE collection = %s AND key = d.fields ->> 'author')
			FROM generate_series(0, %d) v, (SELECT n, fields, row_number() OVER (ORDER BY n) AS g FROM documents
				WHERE key LIKE 'ruled%%' AND substr(fields ->> 'author', 6)::int %% 2 = 1 ORDER BY n LIMIT 500) d`,
			home, document("few0"), people, 3*viewers-1),
		`VACUUM ANALYZE`)
}

// blocks puts the viewers of a kind into so many blocks each with even authors, evenly spread:
// every other block is the viewer's own.
func (b *bench) blocks(viewer string, many int) string {
	return fmt.Sprintf(`INSERT INTO pairs (kind, b, a)
		SELECT %s, CASE f %% 2 WHEN 0 THEN v ELSE who END, CASE f %% 2 WHEN 0 THEN who ELSE v END
		FROM generate_series(0, %d - 1) f, LATERAL (SELECT %s + f * (%d / %d) AS who) x,
			LATERAL (SELECT %s + g AS v FROM generate_series(0, %d) g) y`,
		b.number("pair", "block"), many, document("ruler0"), byAuthors, many, document(viewer+"0"), viewers-1)
}

func document(key string) string {
	return fmt.Sprintf("(SELECT n FROM documents WHERE key = '%s')", key)
}

// reading has every reader ask for one page after the other, as somebody.
func (b *bench) reading(as func(r int) string, path func(r, n int) string) func() (float64, error) {
	return func() (float64, error) {
		var group sync.WaitGroup
		var total atomic.Int64
		failed := make(chan error, readers)
		stop := time.Now().Add(readTime)
		for r := range readers {
			group.Go(func() {
				header := ""
				if as(r) != "" {
					header = "Yalvo-As: " + as(r) + "\r\n"
				}
				n, err := b.readUntil(stop, header, func(n int) string { return path(r, n) })
				total.Add(int64(n))
				if err != nil {
					failed <- err
				}
			})
		}
		group.Wait()
		close(failed)
		return float64(total.Load()) / readTime.Seconds(), <-failed
	}
}

// posting is how many posts a second are acknowledged, as an operator who says whose they
// are, or as their author.
func (b *bench) posting(judged bool) func() (float64, error) {
	const each = 100
	return func() (float64, error) {
		seconds, err := b.timed(func() error {
			return together(each, func(w, _ int) error {
				author := fmt.Sprint("few", w)
				c, facts := b.client, map[string]any{"text": "A heron at Nine Posts.", "author": author}
				if judged {
					c = c.As(author)
				}
				_, _, err := c.Create(b.ctx, "posts", "", facts)
				return err
			})
		})
		if err == nil {
			err = b.client.AfterAll().Settle(b.ctx)
		}
		return writers * each / seconds, err
	}
}
