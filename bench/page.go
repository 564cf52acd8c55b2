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

// page: the first page of a timeline over HTTP, 16 readers, beside the same
// SQL run by pgbench with 16 clients and nothing else.
func (b *bench) page() error {
	if err := b.manyTimelines(); err != nil {
		return err
	}
	http, err := b.readPages()
	if err != nil {
		return err
	}
	plain, err := b.pgbench()
	if err != nil {
		return err
	}
	fmt.Printf("\nfirst page of a timeline, 30 entries, reads/s over %v, %d readers\n", readTime, readers)
	line("the same SQL by pgbench, no HTTP, no JSON", plain, 0)
	line("Yalvo over HTTP", http, plain)
	return nil
}

// owners of timelines with 100 entries each, by 50 authors.
const owners = 2000

func (b *bench) manyTimelines() error {
	people, posts, timeline := "(SELECT n FROM numbers WHERE kind = 'collection' AND name = 'people')", "(SELECT n FROM numbers WHERE kind = 'collection' AND name = 'posts')", "(SELECT n FROM numbers WHERE kind = 'timeline' AND name = 'home')"
	return b.sql(
		fmt.Sprintf(`INSERT INTO documents (collection, key, fields) SELECT %s, 'reader' || g, '{"name":"Reader"}' FROM generate_series(0, %d) g`, people, owners-1),
		fmt.Sprintf(`INSERT INTO documents (collection, key, fields) SELECT %s, 'page' || g, jsonb_build_object('text', repeat('A heron at Nine Posts. ', 8), 'author', 'reader' || g %% 50) FROM generate_series(1, 20000) g`, posts),
		`INSERT INTO kept (doc, "values") SELECT n, '{"byline":{"name":"Reader"},"likes_n":3}' FROM documents WHERE key LIKE 'page%'`,
		fmt.Sprintf(`INSERT INTO entries (timeline, owner, rank, doc, author)
			SELECT %s, o.n, 1000000 + g, p.n, a.n
			FROM documents o CROSS JOIN generate_series(1, 100) g
			JOIN documents p ON p.collection = %s AND p.key = 'page' || (1 + (substr(o.key, 7)::int * 37 + g * 101) %% 20000)
			JOIN documents a ON a.collection = %s AND a.key = p.fields->>'author'
			WHERE o.key LIKE 'reader%%'`, timeline, posts, people),
		`VACUUM ANALYZE`)
}

func (b *bench) readPages() (float64, error) {
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
const pageSQL = `\set r random(0, 1999)
SELECT n FROM documents WHERE collection = %[1]d AND key = 'reader' || :r;
SELECT e.rank, e.doc, coalesce(a.key, ''), coalesce(d.n, 0), d.collection, d.key, d.version, d.created, d.updated, d.fields, k.values FROM (SELECT rank, doc, author FROM entries WHERE timeline = %[2]d AND owner = %[3]d + :r AND (rank, doc) < (9223372036854775807, 9223372036854775807) ORDER BY rank DESC, doc DESC LIMIT 30) e LEFT JOIN documents d ON d.n = e.doc LEFT JOIN kept k ON k.doc = e.doc LEFT JOIN documents a ON a.n = e.author ORDER BY e.rank DESC, e.doc DESC;
`

func (b *bench) pgbench() (float64, error) {
	var people, timeline int16
	var first int64
	err := b.db.QueryRow(b.ctx, `SELECT (SELECT n FROM numbers WHERE kind = 'collection' AND name = 'people'), (SELECT n FROM numbers WHERE kind = 'timeline'), (SELECT n FROM documents WHERE key = 'reader0')`).Scan(&people, &timeline, &first)
	if err != nil {
		return 0, err
	}
	script := filepath.Join(os.TempDir(), fmt.Sprintf("yalvo-page-%d.sql", os.Getpid()))
	if err := os.WriteFile(script, fmt.Appendf(nil, pageSQL, people, timeline, first), 0o644); err != nil {
		return 0, err
	}
	defer os.Remove(script)
	cmd := exec.Command("pgbench", "-n", "-c", strconv.Itoa(readers), "-j", "2", "-T", strconv.Itoa(int(readTime.Seconds())), "-M", "prepared", "-f", script, b.database)
	cmd.Env = append(os.Environ(), "PGOPTIONS=-c search_path=yalvo -c plan_cache_mode=force_generic_plan")
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
