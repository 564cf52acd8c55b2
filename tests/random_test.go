package tests

import (
	"bufio"
	"errors"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"yalvo/client"
	"yalvo/tests/harness"
)

var (
	seed       = flag.Uint64("seed", 0, "seed of the random operations; 0 takes one from the clock")
	operations = flag.Int("operations", 90, "how many random operations")
)

func seeded(t *testing.T) uint64 {
	s := *seed
	if s == 0 {
		s = uint64(time.Now().UnixNano())
	}
	t.Logf("to run this again: go test ./tests -run %s -seed %d -operations %d", t.Name(), s, *operations)
	return s
}

// crowd does random things to a small app, from several clients at once.
type crowd struct {
	world
	people, posts int
	refused       atomic.Int64 // requests that came too late, as some must
	clients       func(worker int) *client.Client
}

// tolerable are the refusals that come of racing with others.
func (c *crowd) tolerable(err error) bool {
	var p *client.Problem
	if errors.As(err, &p) && (p.Status == 404 || p.Status == 409 || p.Code == "invalid" && (strings.Contains(p.Error(), "no document") || strings.Contains(p.Error(), "itself"))) {
		c.refused.Add(1)
		return true
	}
	return err == nil
}

func (c *crowd) run(t *testing.T, seed uint64, operations, workers int) {
	t.Helper()
	var group sync.WaitGroup
	for w := range workers {
		group.Go(func() {
			r := rand.New(rand.NewPCG(seed, uint64(w)))
			for range max(1, operations/workers) {
				if err := c.act(r, c.clients(w)); !c.tolerable(err) {
					t.Error(err)
					return
				}
			}
		})
	}
	group.Wait()
	t.Logf("%d operations, %d of them came too late and were refused", operations, c.refused.Load())
}

func (c *crowd) act(r *rand.Rand, cl *client.Client) error {
	ctx := c.t.Context()
	person := func() string { return fmt.Sprintf("m%d", r.IntN(c.people)) }
	post := func() string { return fmt.Sprintf("p%d", r.IntN(c.posts)) }
	var err error
	switch n := r.IntN(100); {
	case n < 8:
		_, _, err = cl.Create(ctx, "people", person(), map[string]any{"name": fmt.Sprint("name ", r.IntN(9))})
	case n < 30:
		_, _, err = cl.As(person()).Create(ctx, "posts", post(), map[string]any{"text": fmt.Sprint("text ", r.IntN(9))})
	case n < 38:
		_, _, err = cl.Patch(ctx, "people/"+person(), map[string]any{"name": fmt.Sprint("name ", r.IntN(9))})
	case n < 44:
		_, _, err = cl.Patch(ctx, "posts/"+post(), map[string]any{"author": person()})
	case n < 52:
		_, _, err = cl.Remove(ctx, "posts/"+post())
	case n < 53:
		_, _, err = cl.Remove(ctx, "people/"+person())
	case n < 54:
		_, err = cl.Forget(ctx, "people/"+person())
	case n < 70:
		_, err = cl.Set(ctx, "follow", person(), person())
	case n < 80:
		_, err = cl.Unset(ctx, "follow", person(), person())
	case n < 87:
		_, err = cl.Set(ctx, "like", person(), post())
	case n < 92:
		_, err = cl.Unset(ctx, "like", person(), post())
	case n < 97:
		_, _, err = cl.As(person()).Create(ctx, "posts/"+post()+"/notes", "", map[string]any{"text": "hm"})
	default:
		_, _, err = cl.Patch(ctx, "posts/"+post(), map[string]any{"about": post()})
	}
	return err
}

// timelinesAreRight compares every timeline, as it is read, with the facts.
func (c *crowd) timelinesAreRight(length int) {
	c.t.Helper()
	rows, err := c.Pool().Query(c.t.Context(), `
		SELECT o.key, coalesce(array_agg(x.key ORDER BY x.created DESC, x.n DESC) FILTER (WHERE x.key IS NOT NULL), '{}')
		FROM documents o LEFT JOIN LATERAL (
			SELECT d.key, d.created, d.n
			FROM refs r JOIN documents d ON d.n = r.source
			WHERE r.reference = (SELECT n FROM numbers WHERE kind = 'reference' AND name = 'posts.author')
			  AND (r.target = o.n OR EXISTS (
				SELECT 1 FROM pairs p WHERE p.kind = (SELECT n FROM numbers WHERE kind = 'pair' AND name = 'follow') AND p.a = o.n AND p.b = r.target))
			ORDER BY d.created DESC, d.n DESC
			LIMIT $1
		) x ON true
		WHERE o.collection = (SELECT n FROM numbers WHERE kind = 'collection' AND name = 'people')
		GROUP BY o.key`, length)
	if err != nil {
		c.t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var owner string
		var want []string
		if err := rows.Scan(&owner, &want); err != nil {
			c.t.Fatal(err)
		}
		same(c.t, "the timeline of "+owner, c.home(owner), want)
	}
	if err := rows.Err(); err != nil {
		c.t.Fatal(err)
	}
}

// Whatever many do at once leaves no drift, nor does a dump that is taken meanwhile and loaded elsewhere.
func TestRandomOperationsLeaveNoDrift(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		design string
		length int
	}{"long timelines": {ponds, 800}, "short timelines": {shortPonds, 5}} {
		t.Run(name, func(t *testing.T) {
			s := seeded(t)
			w := start(t, c.design)
			other := harness.StartOn(t, w.Database, "") // a second service on the same database
			both := []*client.Client{w.Client, other.Client}
			crowd := &crowd{world: w, people: 25, posts: 120, clients: func(i int) *client.Client { return both[i%2] }}
			dump := filepath.Join(t.TempDir(), "dump.ndjson")
			for round := range 3 {
				var group sync.WaitGroup
				if round == 1 { // what is on its way then is in it, or not, as a whole
					group.Go(func() { w.yalvo("dump", dump).says(t, 0, "documents") })
				}
				crowd.run(t, s+uint64(round), *operations/3, 16)
				group.Wait()
				w.SQL(`INSERT INTO due (lane, step, subject, doc) SELECT 5, 12, n, 0 FROM numbers WHERE kind = 'timeline'`) // a sweep meanwhile
			}
			w.noDrift()
			crowd.timelinesAreRight(c.length)

			elsewhere := start(t, c.design)
			elsewhere.yalvo("load", dump).says(t, 0, "Loaded")
			elsewhere.noDrift()
			same(t, "what does not fit, of what was dumped meanwhile", elsewhere.misfits(), "")
		})
	}
}

// process is a service in a process of its own, which can be killed.
type process struct {
	cmd *exec.Cmd
	url string
}

func spawn(t *testing.T, args ...string) *process {
	t.Helper()
	return spawnWith(t, nil, args...)
}

// spawnWith is spawn with more in the environment.
func spawnWith(t *testing.T, env []string, args ...string) *process {
	t.Helper()
	cmd := command(t, append([]string{"up", "--listen", "127.0.0.1:0"}, args...)...)
	cmd.Env = append(cmd.Env, env...)
	cmd.Stderr = os.Stderr
	if os.Getenv("YALVO_TEST_LOG") == "" {
		cmd.Stderr = nil
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	p := &process{cmd: cmd}
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if url, is := strings.CutPrefix(lines.Text(), "Yalvo answers at "); is {
			p.url = url
			break
		}
	}
	if p.url == "" {
		t.Fatalf("the service did not start: %v", cmd.Wait())
	}
	return p
}

func (p *process) kill(t *testing.T) {
	t.Helper()
	if err := p.cmd.Process.Kill(); err != nil {
		t.Error(err)
	}
	_ = p.cmd.Wait() // killed, so it ends with an error
}

// One of two services on a database is killed again and again while both are
// written to and great fan-outs run: what was acknowledged is there, once.
func TestKillingAServiceLosesNothingAndDoublesNothing(t *testing.T) {
	t.Parallel()
	s := seeded(t)
	w := start(t, ponds)
	const fans = 40_000
	w.person("star")
	w.SQL(`INSERT INTO documents (collection, key, fields) SELECT (SELECT n FROM numbers WHERE kind = 'collection' AND name = 'people'), 'fan' || g, '{"name":"fan"}' FROM generate_series(1, $1::int) g`, fans)
	w.SQL(`INSERT INTO kept (doc, "values") SELECT n, '{"followers_n":0,"following_n":1,"posts_n":0}' FROM documents WHERE key LIKE 'fan%'`)
	w.SQL(`INSERT INTO pairs (kind, b, a) SELECT (SELECT n FROM numbers WHERE kind = 'pair' AND name = 'follow'), (SELECT n FROM documents WHERE key = 'star'), n FROM documents WHERE key LIKE 'fan%'`)
	w.SQL(`UPDATE kept SET "values" = "values" || jsonb_build_object('followers_n', $1::int) WHERE doc = (SELECT n FROM documents WHERE key = 'star')`, fans)

	crowd := &crowd{world: w, people: 20, posts: 60, clients: func(int) *client.Client { return w.Client }}
	acknowledged := map[string]bool{}
	for round := range 2 {
		victim := spawn(t, "--database", w.Database)
		doomed := harness.Client(t, victim.url)
		for i := range 3 {
			id := fmt.Sprintf("star%d_%d", round, i)
			if _, _, err := doomed.As("star").Create(t.Context(), "posts", id, map[string]any{"text": "to all"}); err != nil {
				t.Fatal(err)
			}
			acknowledged[id] = true
		}
		var group sync.WaitGroup
		group.Go(func() { crowd.run(t, s+uint64(round), *operations/10, 8) })
		w.until("a fan-out is half way", func() bool {
			return w.Number("SELECT count(*) FROM due WHERE cursor > 0") > 0 || w.Number("SELECT count(*) FROM due WHERE step = 2") == 0
		})
		victim.kill(t)
		group.Wait()
	}
	w.noDrift()
	for id := range acknowledged {
		same(t, "entries of "+id, w.Number("SELECT count(*) FROM entries WHERE doc = (SELECT n FROM documents WHERE key = $1)", id), fans+1)
	}
}
