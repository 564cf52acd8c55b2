package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"
	"time"

	"yalvo/client"
)

// How much is loaded: people who follow 30 others each, and 16 posts of each.
const (
	loadPeople  = 10_000
	loadFollows = 30
	loadPosts   = 16
	loadBatch   = 5000
)

// load: documents and pairs as lines, until everything derived has followed; beside
// COPY of the same rows, duplicates included, into tables like those, and beside one
// request for each document.
func (b *bench) load() error {
	lines, err := b.lines()
	if err != nil {
		return err
	}
	facts, err := b.timed(func() error { return b.sendLines(lines) })
	if err != nil {
		return err
	}
	derived, err := b.timed(b.endLoad)
	if err != nil {
		return err
	}
	rows, copied, err := b.copyByHand()
	if err != nil {
		return err
	}
	one, err := b.oneAfterAnother()
	if err != nil {
		return err
	}
	single, err := b.singleRequests()
	if err != nil {
		return err
	}
	many := float64(loadPeople * (1 + loadFollows + loadPosts))
	fmt.Printf("\nloading %d documents and %d follows, with everything derived from them (%d rows), facts/s\n",
		loadPeople*(1+loadPosts), loadPeople*loadFollows, rows)
	line("COPY of all rows into tables like these, by hand", many/copied, 0)
	line("Yalvo, from the first line to the last duplicate", many/(facts+derived), many/copied)
	fmt.Printf("  facts in %.1f s, what is derived in %.1f s; by COPY %.1f s\n", facts, derived, copied)
	line("one request for each, one after another, settled", one, many/copied)
	line("one request for each, 16 clients, settled", single, many/copied)
	fmt.Printf("  of one request for each the load is %.1f times, of those of 16 clients %.1f times\n",
		many/(facts+derived)/one, many/(facts+derived)/single)
	return nil
}

// lines are those of the load, some thousand together.
func (b *bench) lines() ([][]byte, error) {
	var batches [][]byte
	var text bytes.Buffer
	many := 0
	add := func(line map[string]any) error {
		raw, err := json.Marshal(line)
		if err != nil {
			return err
		}
		text.Write(append(raw, '\n'))
		if many++; many%loadBatch == 0 {
			batches = append(batches, bytes.Clone(text.Bytes()))
			text.Reset()
		}
		return nil
	}
	var errs []error
	for i := range loadPeople {
		errs = append(errs, add(map[string]any{"document": fmt.Sprintf("people/l%d", i),
			"facts": map[string]any{"name": fmt.Sprint("Person ", i)}}))
	}
	for i := range loadPeople * loadPosts {
		errs = append(errs, add(map[string]any{"document": fmt.Sprintf("posts/lp%d", i),
			"created": time.Unix(1_900_000_000+int64(i), 0).UTC(),
			"facts": map[string]any{"text": "A heron at Nine Posts, fishing in the rain.",
				"author": fmt.Sprintf("l%d", i*7919%loadPeople)}}))
	}
	for i := range loadPeople {
		for k := range loadFollows {
			errs = append(errs, add(map[string]any{"pair": "follow", "from": fmt.Sprintf("l%d", i),
				"to": fmt.Sprintf("l%d", (i+1+k*k*11)%loadPeople)}))
		}
	}
	for _, err := range errs {
		if err != nil {
			return nil, err
		}
	}
	return append(batches, text.Bytes()), nil
}

func (b *bench) sendLines(batches [][]byte) error {
	if _, err := b.client.BeginLoad(b.ctx); err != nil {
		return err
	}
	for _, batch := range batches {
		got, err := b.client.LoadLines(b.ctx, batch)
		if err == nil && len(got.Bad) > 0 {
			err = fmt.Errorf("a line is bad: %v", got.Bad[0].Why)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func (b *bench) endLoad() error {
	version, _, err := b.client.EndLoad(b.ctx)
	if err == nil {
		_, err = b.client.AwaitVersion(b.ctx, version, nil)
	}
	return err
}

// copyByHand copies all rows that the load has made into tables like theirs, indexes
// included, and tells how many there are and how long that took.
func (b *bench) copyByHand() (rows int64, seconds float64, err error) {
	if err := b.sql("CREATE SCHEMA copied"); err != nil {
		return 0, 0, err
	}
	conn, err := b.db.Acquire(b.ctx)
	if err != nil {
		return 0, 0, err
	}
	defer conn.Release()
	for _, table := range []string{"documents", "kept", "refs", "pairs", "posted", "entries"} {
		if err := b.sql("CREATE TABLE copied." + table + " (LIKE yalvo." + table + " INCLUDING ALL " +
			"EXCLUDING IDENTITY)"); err != nil {
			return 0, 0, err
		}
		data, in := io.Pipe()
		var text bytes.Buffer
		read := make(chan error, 1)
		go func() { _, err := io.Copy(&text, data); read <- err }()
		whole := "COPY (SELECT * FROM yalvo." + table + ") TO STDOUT"
		if _, err = conn.Conn().PgConn().CopyTo(b.ctx, in, whole); err != nil {
			return 0, 0, err
		}
		in.Close()
		if err := <-read; err != nil {
			return 0, 0, err
		}
		took, err := b.timed(func() error {
			tag, err := conn.Conn().PgConn().CopyFrom(b.ctx, &text, "COPY copied."+table+" FROM STDIN")
			rows += tag.RowsAffected()
			return err
		})
		if err != nil {
			return 0, 0, err
		}
		seconds += took
	}
	return rows, seconds, b.sql("DROP SCHEMA copied CASCADE")
}

// oneAfterAnother is how many documents and pairs a second one client makes, which
// waits for each answer, until all is settled: as many of each as the load has.
func (b *bench) oneAfterAnother() (float64, error) {
	const many = 60
	seconds, err := b.timed(func() error {
		for i := range many {
			if _, _, err := b.client.As(fmt.Sprintf("l%d", i*7)).Create(b.ctx, "posts", "",
				map[string]any{"text": "A heron at Nine Posts."}); err != nil {
				return err
			}
			for k := range loadFollows / loadPosts {
				if _, err := b.client.Set(b.ctx, "follow", fmt.Sprintf("l%d", i*7),
					fmt.Sprintf("l%d", (i*31+k*17+5000)%loadPeople)); err != nil {
					return err
				}
			}
		}
		return b.client.AfterAll().Settle(b.ctx)
	})
	return many * (1 + loadFollows/loadPosts) / seconds, err
}

// singleRequests is how many documents a second 16 clients create, one request each,
// until all is settled.
func (b *bench) singleRequests() (float64, error) {
	const each = 150
	seconds, err := b.timed(func() error {
		err := together(each, func(w, i int) error {
			_, _, err := b.client.As(fmt.Sprintf("l%d", w*100+i%100)).Create(b.ctx, "posts", "",
				map[string]any{"text": "A heron at Nine Posts."})
			return err
		})
		if err != nil {
			return err
		}
		return b.client.AfterAll().Settle(b.ctx)
	})
	return writers * each / seconds, err
}

// likes is how many pairs are counted anew.
const likesCounted = 5_000_000

// rebuild: a new timeline and a new count over what there is, while others read and
// write; beside one statement for each. It needs the facts of [bench.load].
func (b *bench) rebuild() error {
	if err := b.sql(
		fmt.Sprintf(`INSERT INTO pairs (kind, b, a)
			SELECT %s, p.n, a.n
			FROM (SELECT n, row_number() OVER () AS i FROM documents WHERE key LIKE 'lp%%' LIMIT 50000) p
			CROSS JOIN LATERAL (SELECT n FROM documents WHERE collection = %s AND key LIKE 'l%%'
				AND key NOT LIKE 'lp%%' ORDER BY n OFFSET (p.i %% 9000) LIMIT %d) a`,
			b.number("pair", "like"), b.number("collection", "people"), likesCounted/50_000),
		"CREATE SCHEMA plain2", `CREATE TABLE plain2.kept (LIKE yalvo.kept INCLUDING ALL)`,
		`INSERT INTO plain2.kept SELECT * FROM yalvo.kept`,
		`CREATE TABLE plain2.entries (LIKE yalvo.entries INCLUDING ALL)`, "ANALYZE"); err != nil {
		return err
	}
	if err := b.rebuildCount(); err != nil {
		return err
	}
	return b.rebuildTimeline()
}

func (b *bench) rebuildCount() error {
	statement, err := b.timed(func() error {
		return b.sql(fmt.Sprintf(`UPDATE plain2.kept k
			SET "values" = k.values || jsonb_build_object('hearts_n', coalesce(f.many, 0))
			FROM documents d LEFT JOIN (SELECT b, count(*) AS many FROM pairs WHERE kind = %s GROUP BY b) f ON f.b = d.n
			WHERE k.doc = d.n AND d.collection = %s`, b.number("pair", "like"), b.number("collection", "posts")))
	})
	if err != nil {
		return err
	}
	with := strings.Replace(appDesign, "likes_n: {count: like.to}",
		"likes_n: {count: like.to}, hearts_n: {count: like.to}", 1)
	return b.rebuilt(fmt.Sprintf("a new count over %d pairs in %d documents", likesCounted, loadPeople*loadPosts),
		"pairs/s", likesCounted, statement, with, appDesign)
}

func (b *bench) rebuildTimeline() error {
	home := b.number("timeline", "home")
	var entries int64
	statement, err := b.timed(func() error {
		return b.db.QueryRow(b.ctx,
			fmt.Sprintf(`WITH put AS (INSERT INTO plain2.entries (timeline, owner, rank, doc, author)
			SELECT 1, x.a, x.rank, x.doc, x.b FROM (
				SELECT f.a, p.rank, p.doc, f.b, row_number()
					OVER (PARTITION BY f.a ORDER BY p.rank DESC, p.doc DESC) AS place
				FROM pairs f JOIN posted p ON p.timeline = %s AND p.author = f.b WHERE f.kind = %s) x
			WHERE x.place <= 800 RETURNING 1) SELECT count(*) FROM put`, home,
				b.number("pair", "follow"))).Scan(&entries)
	})
	if err != nil {
		return err
	}
	with := strings.Replace(appDesign, "timelines:", "timelines:\n  feed: {owner: people, entries: posts, by: author, "+
		"through: follow, length: 800, carry: [text]}", 1)
	return b.rebuilt(fmt.Sprintf("a new timeline with %d entries", entries), "entries/s", float64(entries),
		statement, with, appDesign)
}

// rebuilt measures how long a design takes until it is carried out, with nobody there
// and with readers and writers, and goes back to the one before.
func (b *bench) rebuilt(what, unit string, many, statement float64, with, without string) error {
	fmt.Printf("\n%s, %s\n", what, unit)
	line("one statement", many/statement, 0)
	alone, err := b.timed(func() error { return b.carriedOut(with) })
	if err != nil {
		return err
	}
	line("Yalvo, from the request to the last row, nobody there", many/alone, many/statement)
	if err := b.carriedOut(without); err != nil {
		return err
	}
	restRead, restWrite := b.traffic(func() error { time.Sleep(4 * time.Second); return nil })
	var beside float64
	read, write := b.traffic(func() error {
		var err error
		beside, err = b.timed(func() error { return b.carriedOut(with) })
		return err
	})
	line("the same while 4 read and 2 write", many/beside, many/statement)
	fmt.Printf("  pages, 99th percentile: at rest %.1f ms, meanwhile %.1f ms (%.2f); writes/s: %.0f, "+
		"meanwhile %.0f (%.2f)\n",
		restRead, read, read/restRead, restWrite, write, write/restWrite)
	return b.carriedOut(without)
}

func (b *bench) carriedOut(source string) error {
	got, err := b.client.Apply(b.ctx, "bench.yaml", []byte(source))
	if err == nil {
		_, err = b.client.AwaitVersion(b.ctx, got.Version, nil)
	}
	return err
}

// traffic has 4 clients read pages and 2 like posts while something runs. It tells the
// 99th percentile of the reads in milliseconds, and the writes a second.
func (b *bench) traffic(during func() error) (p99, writes float64) {
	ctx, stop := context.WithCancel(b.ctx)
	var mu sync.Mutex
	var reads []float64
	wrote := 0
	var group sync.WaitGroup
	for r := range 4 {
		group.Go(func() {
			for i := 0; ctx.Err() == nil; i++ {
				took, err := b.timed(func() error {
					_, err := b.client.Timeline(ctx, "home", fmt.Sprintf("l%d", (r*2503+i*13)%loadPeople),
						client.Page{Limit: 30})
					return err
				})
				if err == nil {
					mu.Lock()
					reads = append(reads, took*1000)
					mu.Unlock()
				}
				time.Sleep(2 * time.Millisecond)
			}
		})
	}
	for w := range 2 {
		group.Go(func() {
			for i := 0; ctx.Err() == nil; i++ {
				if _, err := b.client.Set(ctx, "like", fmt.Sprintf("l%d", 9500+w),
					fmt.Sprintf("lp%d", 60_000+i)); err == nil {
					mu.Lock()
					wrote++
					mu.Unlock()
				}
			}
		})
	}
	began := time.Now()
	if err := during(); err != nil {
		fmt.Println("  failed:", err)
	}
	seconds := time.Since(began).Seconds()
	stop()
	group.Wait()
	slices.Sort(reads)
	if len(reads) == 0 {
		return 0, 0
	}
	return reads[len(reads)*99/100], float64(wrote) / seconds
}
