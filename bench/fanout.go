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
	statement, err := b.beside("star", *followers, 11)
	if err != nil {
		return err
	}
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
		line(loop.name, float64(loop.rows)/seconds, statement)
	}
	return nil
}

// million: the same with a million followers, and what an entry costs there and
// with a thousand.
func (b *bench) million() error {
	const few, many = 1000, 1_000_000
	if _, err := b.beside("giant", many, 5); err != nil {
		return err
	}
	if err := b.star("dwarf", few); err != nil {
		return err
	}
	cost := func(author string, followers, rounds int) (float64, error) {
		var each []float64
		for i := range rounds {
			seconds, err := b.timed(func() error { return b.postToAll(author, 100+i) })
			if err != nil {
				return 0, err
			}
			each = append(each, seconds/float64(followers)*1e6)
		}
		return median(each), nil
	}
	small, err := cost("dwarf", few, 51)
	if err != nil {
		return err
	}
	large, err := cost("giant", many, 3)
	if err != nil {
		return err
	}
	fmt.Printf("what an entry costs, from the request to the last timeline, in microseconds: %.1f of %d, %.1f of "+
		"%d, %.2f\n", small, few, large, many, large/small)
	return nil
}

// beside measures posts of an author beside the one statement, by turns, and
// returns the statement's rate.
func (b *bench) beside(author string, many, rounds int) (float64, error) {
	if err := b.star(author, many); err != nil {
		return 0, err
	}
	if err := b.plainTables(many); err != nil {
		return 0, err
	}
	var service, statement []float64
	before := heap()
	watch := watchHeap()
	for i := range rounds { // turn by turn, so that a slow minute slows both
		seconds, err := b.timed(func() error { return b.plainStatement(i) })
		if err != nil {
			return 0, err
		}
		statement = append(statement, float64(many)/seconds)
		seconds, err = b.timed(func() error { return b.postToAll(author, i) })
		if err != nil {
			return 0, err
		}
		service = append(service, float64(many)/seconds)
	}
	most := watch()
	fmt.Printf("\none post to %d followers, of whom one in fifty is in a block, entries/s (median of %d, in turns)\n",
		many, rounds)
	line("one INSERT … SELECT, integer keys, no post, journal or blocks", median(statement), 0)
	line("Yalvo, from the request to the last timeline", median(service), median(statement))
	ratios := make([]float64, rounds)
	for i := range ratios {
		ratios[i] = service[i] / statement[i]
	}
	slices.Sort(ratios)
	fmt.Printf("  turn by turn the ratio was %.2f to %.2f, half of them between %.2f and %.2f\n", ratios[0],
		ratios[rounds-1], ratios[rounds/4], ratios[rounds-1-rounds/4])
	fmt.Printf("  seconds until the last timeline has it: %.2f; the one statement: %.2f\n",
		float64(many)/median(service), float64(many)/median(statement))
	fmt.Printf("  memory of the process, service and load: %.0f MB before, at most %.0f MB in between\n", before, most)
	return median(statement), nil
}

// star makes an author with many followers, behind the service's back: the
// writes themselves are measured elsewhere.
func (b *bench) star(author string, many int) error {
	if _, _, err := b.client.Create(b.ctx, "people", author, map[string]any{"name": "Star"}); err != nil {
		return err
	}
	block := `INSERT INTO pairs (kind, b, a) SELECT ` + b.number("pair", "block")
	star := `(SELECT n FROM documents WHERE key = '` + author + `')`
	fans := ` FROM documents WHERE key LIKE '` + author + `fan%`
	return b.sql(
		fmt.Sprintf(`INSERT INTO documents (collection, key, fields) SELECT %s, '%sfan' || g, '{"name":"Fan"}'
			FROM generate_series(1, %d) g`, b.number("collection", "people"), author, many),
		`INSERT INTO kept (doc, "values") SELECT n, '{"followers_n":0,"following_n":1}'`+fans+`'`,
		`INSERT INTO pairs (kind, b, a) SELECT `+b.number("pair", "follow")+`, `+star+`, n`+fans+`'`,
		// One in a hundred followers blocks the star, and is blocked by them.
		block+`, `+star+`, n`+fans+`00'`,
		block+`, n, `+star+fans+`50'`,
		`VACUUM ANALYZE`)
}

func (b *bench) postToAll(author string, i int) error {
	_, position, err := b.client.As(author).Create(b.ctx, "posts", fmt.Sprint(author, i),
		map[string]any{"text": strings.Repeat("A bittern at Reed Hollow. ", 10)})
	return b.settled(position, err)
}

// plainTables are those of a fan-out with nothing around it.
func (b *bench) plainTables(many int) error {
	return b.sql(
		`DROP SCHEMA IF EXISTS plain CASCADE`,
		`CREATE SCHEMA plain`,
		`CREATE TABLE plain.follows (author bigint, follower bigint, PRIMARY KEY (author, follower))`,
		fmt.Sprintf(`INSERT INTO plain.follows SELECT 1, g FROM generate_series(1, %d) g`, many),
		`CREATE TABLE plain.entries (rule smallint, owner bigint, rank bigint, doc bigint,
			PRIMARY KEY (rule, owner, rank, doc))`,
		`VACUUM ANALYZE plain.follows`)
}

func (b *bench) plainStatement(i int) error {
	return b.sql(fmt.Sprintf(`INSERT INTO plain.entries SELECT 1, follower, %d, %d FROM plain.follows
		WHERE author = 1`, 1000+i, i))
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

// watchHeap looks at the memory in use again and again, until it is asked what
// the most was.
func watchHeap() (most func() float64) {
	stop, found := make(chan struct{}), make(chan float64)
	go func() {
		highest := 0.0
		for {
			highest = max(highest, heap())
			select {
			case <-time.After(20 * time.Millisecond):
			case <-stop:
				found <- highest
				return
			}
		}
	}()
	return func() float64 { close(stop); return <-found }
}

// heap is the memory this process, service and load, has in use, in MB.
func heap() float64 {
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return float64(m.HeapInuse+m.StackInuse) / 1e6
}
