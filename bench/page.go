package main

import (
	"bufio"
	"bytes"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"time"
)

const (
	readers  = 16
	readTime = 2 * time.Second
	turns    = 9
)

// page: the first page of a timeline over HTTP, 16 readers, beside one statement
// for all of it, run by pgbench with 16 clients and nothing else, with ever more entries
// stored; and beside what collecting the page from the authors would take. All
// by turns; of each the median.
func (b *bench) page() error {
	if err := b.readersAndPosts(); err != nil {
		return err
	}
	fmt.Printf("\nfirst page of a timeline, 30 entries, reads/s over %v, %d readers (median of %d, in turns)\n",
		readTime, readers, turns)
	over := way{"Yalvo over HTTP", func() (float64, error) { return b.readPages(mostOwners) }}
	stored := 0
	for _, entries := range []int{10_000, 1_000_000, 10_000_000} {
		if err := b.fill(stored, entries/perOwner); err != nil {
			return err
		}
		stored = entries / perOwner
		fmt.Printf(" %d entries stored\n", entries)
		err := inTurns(
			way{"one statement for it by pgbench, no HTTP, no JSON", func() (float64,
				error) {
				return b.pgbench(pageSQL, stored)
			}},
			way{over.name, func() (float64, error) { return b.readPages(stored) }})
		if err != nil {
			return err
		}
	}
	if err := b.plainPosts(); err != nil {
		return err
	}
	fmt.Println(" and without timelines: collected from 300 authors when read, by pgbench")
	return inTurns(over,
		way{"newest few of each author (lateral)", func() (float64, error) {
			return b.pgbench(lateralSQL,
				collectors)
		}},
		way{"plain join and sort", func() (float64, error) { return b.pgbench(joinSQL, collectors) }},
		way{"newest few of each, from Yalvo's own index of posts", func() (float64,
			error) {
			return b.pgbench(collectSQL, collectors)
		}})
}

// way is a way of reading a page, and how often a second that can be done.
type way struct {
	name string
	rate func() (float64, error)
}

// inTurns measures ways one after the other, again and again, and prints the
// median of each, and of its ratio to the first.
func inTurns(ways ...way) error {
	rates, ratios := make([][]float64, len(ways)), make([][]float64, len(ways))
	for range turns {
		for i, w := range ways {
			rate, err := w.rate()
			if err != nil {
				return err
			}
			rates[i] = append(rates[i], rate)
			ratios[i] = append(ratios[i], rate/rates[0][len(rates[0])-1])
		}
	}
	line(ways[0].name, median(rates[0]), 0)
	for i, w := range ways[1:] {
		fmt.Printf("  %-58s %10.0f   %.3f\n", w.name, median(rates[i+1]), median(ratios[i+1]))
	}
	return nil
}

// How much there is to read: timelines of so many entries each, the newest of a
// million posts by so many authors; and owners who follow 300 of those.
const (
	perOwner   = 500
	mostOwners = 20_000
	authors    = 3_000
	collectors = 200
)

func (b *bench) number(kind, name string) string {
	return fmt.Sprintf("(SELECT n FROM numbers WHERE kind = '%s' AND name = '%s')", kind, name)
}

func (b *bench) readersAndPosts() error {
	people, posts, home, follow := b.number("collection", "people"), b.number("collection", "posts"),
		b.number("timeline", "home"), b.number("pair", "follow")
	first := "(SELECT n FROM documents WHERE key = 'reader0')"
	return b.sql(
		fmt.Sprintf(`INSERT INTO documents (collection, key, fields) SELECT %s, 'reader' || g, '{"name":"Reader"}'
			FROM generate_series(0, %d) g`, people, mostOwners-1),
		fmt.Sprintf(`INSERT INTO documents (collection, key, fields)
			SELECT %s, 'page' || g, jsonb_build_object('text', repeat('A heron at Nine Posts. ', 8),
				'author', 'reader' || g %% %d)
			FROM generate_series(1, 200000) g`, posts, authors),
		`INSERT INTO kept (doc, "values") SELECT n, '{"byline":{"name":"Reader"},"likes_n":3}' FROM documents
			WHERE key LIKE 'page%'`,
		fmt.Sprintf(`INSERT INTO posted
			SELECT %s, %s + g %% %d, g, (SELECT n FROM documents WHERE key = 'page1') + g %% 200000
			FROM generate_series(0, 999999) g`, home, first, authors),
		fmt.Sprintf(`INSERT INTO pairs (kind, b, a) SELECT %s, %s + (o * 37 + f * 10) %% %d, %s + o
			FROM generate_series(0, %d) o, generate_series(1, 300) f`, follow, first, authors, first, collectors-1),
		`VACUUM ANALYZE`)
}

// fill gives owners their timelines, from one up to another.
func (b *bench) fill(from, to int) error {
	return b.sql(fmt.Sprintf(`
		INSERT INTO entries (timeline, owner, rank, doc, author)
		SELECT %s, r.n + o, 1000000 + g, p.n + (o * 37 + g * 101) %% 200000, r.n + (o * 37 + g * 101 + 1) %% %d
		FROM (SELECT n FROM documents WHERE key = 'reader0') r, (SELECT n FROM documents WHERE key = 'page1') p,
		     generate_series(%d, %d) o, generate_series(1, %d) g`, b.number("timeline", "home"), authors,
		from, to-1, perOwner),
		`VACUUM ANALYZE entries`, `CHECKPOINT`)
}

func (b *bench) readPages(owners int) (float64, error) {
	return b.reading(func(int) string { return "" }, func(r, n int) string {
		return fmt.Sprintf("/v1/timelines/home/reader%d", (n*readers+r*127)%owners)
	})()
}

// readUntil asks for one path after the other on a connection of its own, with
// as little ado as pgbench makes.
func (b *bench) readUntil(stop time.Time, header string, path func(n int) string) (int, error) {
	host := strings.TrimPrefix(b.url, "http://")
	conn, err := net.Dial("tcp", host)
	if err != nil {
		return 0, err
	}
	defer conn.Close()
	answers := bufio.NewReaderSize(conn, 64<<10)
	n := 0
	for ; time.Now().Before(stop); n++ {
		const get = "GET %s HTTP/1.1\r\nHost: %s\r\n%s\r\n"
		if _, err := fmt.Fprintf(conn, get, path(n), host, b.header+header); err != nil {
			return n, err
		}
		if err := skipAnswer(answers); err != nil {
			return n, fmt.Errorf("%s: %w", path(n), err)
		}
	}
	return n, nil
}

// skipAnswer reads an answer that must be 200 and say how long it is.
func skipAnswer(from *bufio.Reader) error {
	status, err := from.ReadString('\n')
	if err != nil {
		return err
	}
	if !strings.HasPrefix(status, "HTTP/1.1 200 ") {
		return fmt.Errorf("answered %q", status)
	}
	for length := -1; ; {
		header, err := from.ReadSlice('\n')
		if err != nil {
			return err
		}
		if value, is := bytes.CutPrefix(header, []byte("Content-Length: ")); is {
			if length, err = strconv.Atoi(string(bytes.TrimSpace(value))); err != nil {
				return err
			}
		}
		if len(header) > len("\r\n") {
			continue
		}
		_, err = from.Discard(length)
		return err // of a length that was not said as well
	}
}

// plainPosts are a million posts and the follows of some readers as one would
// lay them out without timelines, with the index that serves best.
func (b *bench) plainPosts() error {
	return b.sql(
		`CREATE TABLE plain_posts (n bigint PRIMARY KEY, author bigint, at timestamptz, body jsonb)`,
		`INSERT INTO plain_posts
			SELECT g, g % 10000, now() - (g || ' sec')::interval, jsonb_build_object('text', repeat('hi ', 30))
			FROM generate_series(1, 1000000) g`,
		`CREATE INDEX ON plain_posts (author, at DESC)`,
		`CREATE TABLE plain_following (follower bigint, author bigint, PRIMARY KEY (follower, author))`,
		fmt.Sprintf(`INSERT INTO plain_following SELECT f, (f * 7919 + a * 104729) %% 10000
			FROM generate_series(0, %d) f, generate_series(1, 300) a ON CONFLICT DO NOTHING`, collectors-1),
		`VACUUM ANALYZE plain_posts`, `VACUUM ANALYZE plain_following`, `CHECKPOINT`)
}

// pageSQL is a page of a known owner in one statement, as the store would run it
// if it remembered nothing of what entries show. shown joins an entry e with that. The plain ways show less:
// the post alone.
const (
	pageSQL = `SELECT ` + shown + ` FROM (SELECT rank, doc, author FROM entries WHERE timeline = :home
		AND owner = :first::bigint + :r AND (rank, doc) < (9223372036854775807, 9223372036854775807)
		ORDER BY rank DESC, doc DESC LIMIT 30) e ` + joined +
		` WHERE EXISTS (SELECT 1 FROM documents WHERE n = :first::bigint + :r AND collection = :people
			AND key = 'reader' || :r)` + newest
	collectSQL = `SELECT ` + shown + ` FROM (SELECT x.rank, x.doc, p.b AS author FROM pairs p
		CROSS JOIN LATERAL (SELECT rank, doc FROM posted WHERE timeline = :home AND author = p.b
		ORDER BY rank DESC, doc DESC LIMIT 30) x WHERE p.kind = :follow AND p.a = :first::bigint + :r
		ORDER BY 1 DESC, 2 DESC LIMIT 30) e ` + joined + newest
	lateralSQL = `SELECT p.* FROM plain_following f CROSS JOIN LATERAL (SELECT * FROM plain_posts p
		WHERE p.author = f.author ORDER BY at DESC LIMIT 30) p WHERE f.follower = :r ORDER BY p.at DESC LIMIT 30;
`
	joinSQL = `SELECT p.* FROM plain_following f JOIN plain_posts p ON p.author = f.author WHERE f.follower = :r
		ORDER BY p.at DESC LIMIT 30;
`
	shown = `e.rank, e.doc, coalesce(d.key, ''), coalesce(d.created, 'epoch'), coalesce(d.fields, '{}'),
		coalesce(k.values, '{}')`
	joined = `LEFT JOIN documents d ON d.n = e.doc LEFT JOIN kept k ON k.doc = e.doc`
	newest = ` ORDER BY e.rank DESC, e.doc DESC;
`
)

// pgbench runs SQL for a random one of some owners, and returns how many times a second.
func (b *bench) pgbench(sql string, owners int) (float64, error) {
	var people, home, follow int16
	var first int64
	err := b.db.QueryRow(b.ctx, "SELECT "+b.number("collection", "people")+", "+b.number("timeline", "home")+", "+
		b.number("pair", "follow")+", (SELECT n FROM documents WHERE key = 'reader0')").
		Scan(&people, &home, &follow, &first)
	if err != nil {
		return 0, err
	}
	return b.pgbenchWith(sql, owners, map[string]string{"people": fmt.Sprint(people), "home": fmt.Sprint(home),
		"follow": fmt.Sprint(follow), "first": fmt.Sprint(first)})
}

// pgbenchWith puts values in the place of names: they are the same in all that is run.
func (b *bench) pgbenchWith(sql string, owners int, named map[string]string) (float64, error) {
	for name, value := range named {
		sql = strings.ReplaceAll(sql, ":"+name, value)
	}
	script := filepath.Join(os.TempDir(), fmt.Sprintf("yalvo-page-%d.sql", os.Getpid()))
	if err := os.WriteFile(script, fmt.Appendf(nil, "\\set r random(0, %d)\n%s", owners-1, sql), 0o644); err != nil {
		return 0, err
	}
	defer os.Remove(script)
	args := []string{"-n", "-c", strconv.Itoa(readers), "-j", "2", "-T", strconv.Itoa(int(readTime.Seconds())), "-M",
		"prepared", "-f", script}
	cmd := exec.Command("pgbench", append(args, b.database)...)
	cmd.Env = append(os.Environ(), "PGOPTIONS=-c search_path=yalvo")
	out, err := cmd.CombinedOutput()
	if err != nil {
		return 0, fmt.Errorf("pgbench: %w\n%s", err, out)
	}
	if bytes.Contains(out, []byte("actually processed: 0\n")) {
		return 0, nil // the machine stood still; then it names no rate
	}
	tps := regexp.MustCompile(`tps = ([0-9.]+)`).FindSubmatch(out)
	if tps == nil {
		return 0, fmt.Errorf("pgbench said no rate:\n%s", out)
	}
	return strconv.ParseFloat(string(tps[1]), 64)
}
