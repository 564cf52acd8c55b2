package main

import (
	"fmt"
	"runtime"
	"slices"
	"strings"
	"time"
)

// fanout: one author with many followers posts over HTTP, and the clock runs
// until the last timeline has the post. Beside it, on the same server: the one
// statement with integer keys, and the loops that a trigger would be.
func (b *bench) fanout() error {
	if err := b.star(*followers); err != nil {
		return err
	}
	if err := b.plainTables(); err != nil {
		return err
	}
	const rounds = 11
	var service, statement []float64
	before := heap()
	most := before
	for i := range rounds { // turn by turn, so that a slow minute slows both
		seconds, err := b.timed(func() error { return b.plainStatement(i) })
		if err != nil {
			return err
		}
		statement = append(statement, float64(*followers)/seconds)
		seconds, err = b.timed(func() error { return b.postToAll(i) })
		if err != nil {
			return err
		}
		service = append(service, float64(*followers)/seconds)
		most = max(most, heap())
	}
	fmt.Printf("\none post to %d followers, of whom one in fifty is in a block, entries/s (median of %d, in turns)\n", *followers, rounds)
	line("one INSERT … SELECT, integer keys, no post, journal or blocks", median(statement), 0)
	line("Yalvo, from the request to the last timeline", median(service), median(statement))
	fmt.Printf("  seconds until the last timeline has it: %.2f; the one statement: %.2f\n", float64(*followers)/median(service), float64(*followers)/median(statement))
	for _, loop := range []struct {
		name string
		rows int
		run  func(int) error
	}{
		{"loop of single writes, one transaction each", 5000, b.singleWrites},
		{"the same in one transaction", 50_000, b.oneTransaction},
		{"batches of 500 writes", 100_000, b.batches},
	} {
		seconds, err := b.timed(func() error { return loop.run(loop.rows) })
		if err != nil {
			return err
		}
		line(loop.name, float64(loop.rows)/seconds, median(statement))
	}
	fmt.Printf("memory of the process: %.0f MB before, at most %.0f MB in between\n", before, most)
	return nil
}

// star makes an author with many followers, behind the service's back: the
// writes themselves are measured elsewhere.
func (b *bench) star(many int) error {
	if _, _, err := b.client.Create(b.ctx, "people", "star", map[string]any{"name": "Star"}); err != nil {
		return err
	}
	number := func(kind, name string) string {
		return fmt.Sprintf("(SELECT n FROM numbers WHERE kind = '%s' AND name = '%s')", kind, name)
	}
	block := `INSERT INTO pairs (kind, b, a) SELECT ` + number("pair", "block")
	star := `(SELECT n FROM documents WHERE key = 'star')`
	return b.sql(
		fmt.Sprintf(`INSERT INTO documents (collection, key, fields) SELECT (SELECT n FROM numbers WHERE kind = 'collection' AND name = 'people'), 'fan' || g, '{"name":"Fan"}' FROM generate_series(1, %d) g`, many),
		`INSERT INTO kept (doc, "values") SELECT n, '{"followers_n":0,"following_n":1}' FROM documents WHERE key LIKE 'fan%'`,
		`INSERT INTO pairs (kind, b, a) SELECT (SELECT n FROM numbers WHERE kind = 'pair' AND name = 'follow'), (SELECT n FROM documents WHERE key = 'star'), n FROM documents WHERE key LIKE 'fan%'`,
		// One in a hundred followers blocks the star, and is blocked by them.
		block+`, `+star+`, n FROM documents WHERE key LIKE 'fan%00'`,
		block+`, n, `+star+` FROM documents WHERE key LIKE 'fan%50'`,
		`VACUUM ANALYZE`)
}

func (b *bench) postToAll(i int) error {
	_, position, err := b.client.As("star").Create(b.ctx, "posts", fmt.Sprintf("star%d", i), map[string]any{"text": strings.Repeat("A bittern at Reed Hollow. ", 10)})
	return b.settled(position, err)
}

// plainTables are those of a fan-out with nothing around it.
func (b *bench) plainTables() error {
	return b.sql(
		`CREATE SCHEMA plain`,
		`CREATE TABLE plain.follows (author bigint, follower bigint, PRIMARY KEY (author, follower))`,
		fmt.Sprintf(`INSERT INTO plain.follows SELECT 1, g FROM generate_series(1, %d) g`, *followers),
		`CREATE TABLE plain.entries (rule smallint, owner bigint, rank bigint, doc bigint, PRIMARY KEY (rule, owner, rank, doc))`,
		`VACUUM ANALYZE plain.follows`)
}

func (b *bench) plainStatement(i int) error {
	return b.sql(fmt.Sprintf(`INSERT INTO plain.entries SELECT 1, follower, %d, %d FROM plain.follows WHERE author = 1`, 1000+i, i))
}

func (b *bench) singleWrites(rows int) error {
	conn, err := b.db.Acquire(b.ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	for g := range rows {
		if _, err := conn.Exec(b.ctx, `INSERT INTO plain.entries VALUES (1, $1, 2000, 20)`, g); err != nil {
			return err
		}
	}
	return nil
}

func (b *bench) oneTransaction(rows int) error {
	tx, err := b.db.Begin(b.ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback(b.ctx)
	for g := range rows {
		if _, err := tx.Exec(b.ctx, `INSERT INTO plain.entries VALUES (1, $1, 2001, 21)`, g); err != nil {
			return err
		}
	}
	return tx.Commit(b.ctx)
}

func (b *bench) batches(rows int) error {
	for from := 0; from < rows; from += 500 {
		var sql strings.Builder
		sql.WriteString(`INSERT INTO plain.entries VALUES `)
		for g := from; g < min(from+500, rows); g++ {
			if g > from {
				sql.WriteByte(',')
			}
			fmt.Fprintf(&sql, "(1, %d, 2002, 22)", g)
		}
		if err := b.sql(sql.String()); err != nil {
			return err
		}
	}
	return nil
}

func (b *bench) timed(run func() error) (float64, error) {
	started := time.Now()
	err := run()
	return time.Since(started).Seconds(), err
}

// line prints a figure, and its ratio to another one if that is given.
func line(what string, rate, beside float64) {
	if beside == 0 {
		fmt.Printf("  %-58s %10.0f\n", what, rate)
		return
	}
	fmt.Printf("  %-58s %10.0f   %.2f\n", what, rate, rate/beside)
}

func median(xs []float64) float64 {
	sorted := slices.Sorted(slices.Values(xs))
	return sorted[len(sorted)/2]
}

// heap is the memory this process, service and load, has in use, in MB.
func heap() float64 {
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return float64(m.HeapInuse+m.StackInuse) / 1e6
}
