package main

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"sync"
	"time"
)

const (
	readers  = 16
	readTime = 6 * time.Second
)

// page: the first page of a timeline over HTTP, 16 readers, beside the same SQL
// run by pgbench with 16 clients and nothing else, with ever more entries
// stored; and beside what collecting the page from the authors would take.
func (b *bench) page() error {
	if err := b.readersAndPosts(); err != nil {
		return err
	}
	fmt.Printf("\nfirst page of a timeline, 30 entries, reads/s over %v, %d readers\n", readTime, readers)
	stored, over := 0, 0.0
	for _, entries := range []int{10_000, 1_000_000, 10_000_000} {
		if err := b.fill(stored, entries/perOwner); err != nil {
			return err
		}
		stored = entries / perOwner
		http, err := b.readPages(stored)
		if err != nil {
			return err
		}
		plain, err := b.pgbench(pageSQL, stored)
		if err != nil {
			return err
		}
		line(fmt.Sprintf("%8d entries stored: the same SQL by pgbench, no HTTP, no JSON", entries), plain, 0)
		line("                         Yalvo over HTTP", http, plain)
		over = http
	}
	for _, way := range []struct{ name, sql string }{
		{"collected from 300 authors, newest few of each, by pgbench", collectSQL},
		{"collected by a plain join and sort, by pgbench", joinSQL},
	} {
		collected, err := b.pgbench(way.sql, collectors)
		if err != nil {
			return err
		}
		line(way.name, collected, over)
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
	people, posts, home, follow := b.number("collection", "people"), b.number("collection", "posts"), b.number("timeline", "home"), b.number("pair", "follow")
	first := "(SELECT n FROM documents WHERE key = 'reader0')"
	return b.sql(
		fmt.Sprintf(`INSERT INTO documents (collection, key, fields) SELECT %s, 'reader' || g, '{"name":"Reader"}' FROM generate_series(0, %d) g`, people, mostOwners-1),
		fmt.Sprintf(`INSERT INTO documents (collection, key, fields) SELECT %s, 'page' || g, jsonb_build_object('text', repeat('A heron at Nine Posts. ', 8), 'author', 'reader' || g %% %d) FROM generate_series(1, 200000) g`, posts, authors),
		`INSERT INTO kept (doc, "values") SELECT n, '{"byline":{"name":"Reader"},"likes_n":3}' FROM documents WHERE key LIKE 'page%'`,
		fmt.Sprintf(`INSERT INTO posted SELECT %s, %s + g %% %d, g, (SELECT n FROM documents WHERE key = 'page1') + g %% 200000 FROM generate_series(0, 999999) g`, home, first, authors),
		fmt.Sprintf(`INSERT INTO pairs (kind, b, a) SELECT %s, %s + (o * 37 + f * 10) %% %d, %s + o FROM generate_series(0, %d) o, generate_series(1, 300) f`, follow, first, authors, first, collectors-1),
		`VACUUM ANALYZE`)
}

// fill gives owners their timelines, from one up to another.
func (b *bench) fill(from, to int) error {
	return b.sql(fmt.Sprintf(`
		INSERT INTO entries (timeline, owner, rank, doc, author)
		SELECT %s, r.n + o, 1000000 + g, p.n + (o * 37 + g * 101) %% 200000, r.n + (o * 37 + g * 101 + 1) %% %d
		FROM (SELECT n FROM documents WHERE key = 'reader0') r, (SELECT n FROM documents WHERE key = 'page1') p,
		     generate_series(%d, %d) o, generate_series(1, %d) g`, b.number("timeline", "home"), authors, from, to-1, perOwner),
		`VACUUM ANALYZE entries`)
}

func (b *bench) readPages(owners int) (float64, error) {
	transport := &http.Transport{MaxIdleConnsPerHost: readers}
	defer transport.CloseIdleConnections()
	client := &http.Client{Transport: transport}
	var group sync.WaitGroup
	var mu sync.Mutex
	var total int
	var failed error
	stop := time.Now().Add(readTime)
	for r := range readers {
		group.Go(func() {
			n := 0
			var err error
			for ; time.Now().Before(stop) && err == nil; n++ {
				err = readOnce(client, fmt.Sprintf("%s/v1/timelines/home/reader%d", b.url, (n*readers+r*127)%owners))
			}
			mu.Lock()
			defer mu.Unlock()
			total += n
			if err != nil {
				failed = err
			}
		})
	}
	group.Wait()
	return float64(total) / readTime.Seconds(), failed
}

func readOnce(client *http.Client, url string) error {
	resp, err := client.Get(url)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if _, err := io.Copy(io.Discard, resp.Body); err != nil {
		return err
	}
	if resp.StatusCode != http.StatusOK {
		return fmt.Errorf("%s: %s", url, resp.Status)
	}
	return nil
}

// pageSQL is what the store runs for a page: the owner by key, then the page.
// shown joins an entry e with what is shown of it.
const (
	pageSQL = `SELECT n FROM documents WHERE collection = :people AND key = 'reader' || :r;
SELECT ` + shown + ` FROM (SELECT rank, doc, author FROM entries WHERE timeline = :home AND owner = :first::bigint + :r AND (rank, doc) < (9223372036854775807, 9223372036854775807) ORDER BY rank DESC, doc DESC LIMIT 30) e ` + joined
	collectSQL = `SELECT ` + shown + ` FROM (SELECT x.rank, x.doc, p.b AS author FROM pairs p CROSS JOIN LATERAL (SELECT rank, doc FROM posted WHERE timeline = :home AND author = p.b ORDER BY rank DESC, doc DESC LIMIT 30) x WHERE p.kind = :follow AND p.a = :first::bigint + :r ORDER BY 1 DESC, 2 DESC LIMIT 30) e ` + joined
	joinSQL    = `SELECT ` + shown + ` FROM (SELECT x.rank, x.doc, p.b AS author FROM pairs p JOIN posted x ON x.timeline = :home AND x.author = p.b WHERE p.kind = :follow AND p.a = :first::bigint + :r ORDER BY 1 DESC, 2 DESC LIMIT 30) e ` + joined
	shown      = `e.rank, e.doc, coalesce(d.fields ->> 'author', ''), coalesce(d.n, 0), d.collection, d.key, d.version, d.created, d.updated, d.fields, k.values`
	joined     = `LEFT JOIN documents d ON d.n = e.doc LEFT JOIN kept k ON k.doc = e.doc ORDER BY e.rank DESC, e.doc DESC;
`
)

// pgbench runs SQL for a random one of some owners, and returns how many times a second.
func (b *bench) pgbench(sql string, owners int) (float64, error) {
	var people, home, follow int16
	var first int64
	err := b.db.QueryRow(b.ctx, "SELECT "+b.number("collection", "people")+", "+b.number("timeline", "home")+", "+b.number("pair", "follow")+", (SELECT n FROM documents WHERE key = 'reader0')").Scan(&people, &home, &follow, &first)
	if err != nil {
		return 0, err
	}
	script := filepath.Join(os.TempDir(), fmt.Sprintf("yalvo-page-%d.sql", os.Getpid()))
	if err := os.WriteFile(script, fmt.Appendf(nil, "\\set r random(0, %d)\n%s", owners-1, sql), 0o644); err != nil {
		return 0, err
	}
	defer os.Remove(script)
	args := []string{"-n", "-c", strconv.Itoa(readers), "-j", "2", "-T", strconv.Itoa(int(readTime.Seconds())), "-M", "prepared", "-f", script}
	for name, value := range map[string]any{"people": people, "home": home, "follow": follow, "first": first} {
		args = append(args, "-D", fmt.Sprintf("%s=%v", name, value))
	}
	cmd := exec.Command("pgbench", append(args, b.database)...)
	cmd.Env = append(os.Environ(), "PGOPTIONS=-c search_path=yalvo")
	out, err := cmd.CombinedOutput()
	if err != nil {
		return 0, fmt.Errorf("pgbench: %w\n%s", err, out)
	}
	tps := regexp.MustCompile(`tps = ([0-9.]+)`).FindSubmatch(out)
	if tps == nil {
		return 0, fmt.Errorf("pgbench said no rate:\n%s", out)
	}
	return strconv.ParseFloat(string(tps[1]), 64)
}
