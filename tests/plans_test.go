package tests

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/jackc/pgx/v5"

	"yalvo/client"
	"yalvo/internal/machine/postgres"
	"yalvo/tests/harness"
	"yalvo/tests/scratch"
)

// What is asked all the time goes by an index, however many rows there are:
// PostgreSQL is asked to note the plan of every statement it runs, the tables
// are filled, and the plans of hot statements are read.
func TestHotStatementsGoByAnIndex(t *testing.T) {
	t.Parallel()
	dir := must(scratch.Folder())(t)
	server := must(postgres.Start(t.Context(), postgres.Options{Dir: dir, Scratch: true, Log: scratch.Log()}))(t)
	t.Cleanup(func() {
		if err := server.Stop(); err != nil {
			t.Error(err)
		}
	})
	conn := must(pgx.Connect(t.Context(), server.Address()))(t)
	for _, setting := range []string{"session_preload_libraries = 'auto_explain'", "auto_explain.log_min_duration = 0", "auto_explain.log_format = 'json'"} {
		must(conn.Exec(t.Context(), "ALTER DATABASE yalvo SET "+setting))(t)
	}
	if err := conn.Close(t.Context()); err != nil {
		t.Fatal(err)
	}
	w := world{harness.StartOn(t, server.Address(), listedPonds(t)), t}
	for _, id := range []string{"ada", "ben", "cora"} {
		w.person(id)
	}
	w.follow("ben", "ada")
	w.post("ada", "p1", "a heron")
	w.Settle()
	fill(w)
	log := filepath.Join(dir, "postgres.log")
	before := len(must(os.ReadFile(log))(t))

	w.set("like", "ben", "p1")
	w.unset("like", "ben", "p1")
	w.home("ben", w.post("ada", "p2", "two herons"))
	w.follow("cora", "ada")
	w.unfollow("cora", "ada")
	w.get("posts/p1")
	must(w.List(t.Context(), "people/ada/followers", client.Page{Limit: 30}))(t)
	must(w.List(t.Context(), "people/ada/posts", client.Page{Limit: 30}))(t)
	if _, _, err := w.Patch(t.Context(), "posts/p1", map[string]any{"text": "three"}); err != nil {
		t.Fatal(err)
	}
	_, next, err := w.ChangesFrom(t.Context(), "", 30)
	if err == nil {
		_, _, err = w.ChangesFrom(t.Context(), next, 30)
	}
	if err != nil {
		t.Fatal(err)
	}
	for list, of := range map[string]string{"everyone": "", "page": "x1", "liked": "x1", "popular": "", "rated": "", "starting": ""} {
		page := client.Page{Limit: 30}
		params := map[string]string{}
		if list == "starting" {
			params["starts"] = "x1"
		}
		for range 2 {
			docs := must(w.As("ben").Named(t.Context(), list, of, params, page))(t)
			if page.Cursor = docs.Next; docs.Next == "" {
				break
			}
		}
	}
	for _, page := range []string{"lists/everyone", "lists/popular", "timelines/home/READER?marks=liked"} {
		var screens []screen
		for i := range 16 {
			reader := fmt.Sprintf("x%d", i+1001)
			screens = append(screens, screen{reader, "/v1/" + strings.Replace(page, "READER", reader, 1)})
		}
		if w.readersAtOnce(screens, 5) == 0 {
			t.Errorf("%s: none of 80 pages was read together with others", page)
		}
	}
	var likers sync.WaitGroup
	for i := range 24 {
		likers.Go(func() {
			for k := range 10 {
				w.set("like", fmt.Sprintf("x%d", 2*i+k+5001), fmt.Sprintf("y%d", i+7001))
			}
		})
	}
	likers.Wait()
	live := reader(t, w).watch("ben")
	w.post("ada", "p3", "live")
	live.changes()
	if _, _, err := w.Remove(t.Context(), "posts/p3"); err != nil {
		t.Fatal(err)
	}
	w.until("what is not held is done", func() bool { return w.Number("SELECT count(*) FROM due WHERE not_before IS NULL") == 0 })

	looked, lists, long, together, pairs := 0, 0, 0, 0, 0
	for _, p := range plansIn(t, string(must(os.ReadFile(log))(t)[before:])) {
		if !countsAll(p.Text) {
			looked++
			if strings.Contains(p.Text, "d.cursor > 0 AND d.step IN (3, 4)") {
				if long++; !p.uses("due_long") {
					t.Errorf("what is due is all gone over to find what is long, in\n%s", p.Text)
				}
			}
			if strings.Contains(p.Text, "AS asked (a0") {
				together++
			}
			if strings.Contains(p.Text, "INSERT INTO pairs") && strings.Contains(p.Text, "WITH ORDINALITY") {
				pairs++
			}
			if !ofAList.MatchString(p.Text) {
				p.goesByIndexes(t)
			} else if lists++; p.sorts() || strings.Contains(p.Text, ") < (") && !p.bounded() {
				t.Errorf("a list is not read in the order of its index, or not from where its page begins, in\n%s", p.Text)
			}
		}
	}
	if looked < 40 || lists < 10 || long == 0 || together == 0 || pairs == 0 {
		t.Errorf("only %d plans were looked at, %d of lists, %d of long work, %d for several readers, "+
			"%d for several likes", looked, lists, long, together, pairs)
	}
}

// A collection that has just begun to grow is looked up by its keys, though PostgreSQL still
// believes that there is next to nothing in it and its lists' indexes are small. So are pairs: one
// of them must not be looked for among all of one who has very many.
func TestWhatIsNewIsLookedUpByItsKey(t *testing.T) {
	t.Parallel()
	w := start(t, listedPonds(t))
	number := func(name string) int64 { return w.Number("SELECT n FROM numbers WHERE name = $1", name) }
	w.SQL(`INSERT INTO documents (collection, key, fields) SELECT $1::int, 'x' || g, '{"name": "x"}'
		FROM generate_series(1, 20000) g`, number("people"))
	w.SQL("INSERT INTO pairs (kind, b, a) SELECT $1::int, n, n + 1 FROM documents WHERE n > 1", number("follow"))
	w.SQL("VACUUM ANALYZE documents, pairs")
	w.SQL("INSERT INTO pairs (kind, b, a) SELECT $1::int, g, 1 FROM generate_series(1, 1500) g", number("like"))
	w.SQL(`INSERT INTO documents (collection, key, fields) SELECT $1::int, 'y' || g, '{"text": "y", "author": "x1"}'
		FROM generate_series(1, 1500) g`, number("posts"))
	conn := must(pgx.Connect(t.Context(), w.Database))(t)
	defer conn.Close(t.Context())
	for sql, index := range map[string]string{
		fmt.Sprintf("SELECT n FROM yalvo.documents WHERE collection = %d AND key = 'y1400' FOR KEY SHARE",
			number("posts")): "documents_collection_key_key",
		fmt.Sprintf("SELECT at FROM yalvo.pairs WHERE kind = %d AND b = 1400 AND a = 1", number("like")): "pairs_pkey",
	} {
		plan := must(pgx.CollectRows(must(conn.Query(t.Context(), "EXPLAIN "+sql))(t), pgx.RowTo[string]))(t)
		if text := strings.Join(plan, "\n"); !strings.Contains(text, index) {
			t.Errorf("a key is looked for otherwise:\n%s", text)
		}
	}
}

// countsAll tells of this test's own statement, and of those of the status.
func countsAll(sql string) bool {
	return strings.Contains(sql, "GROUP BY 1") || strings.Contains(sql, "GROUP BY lane") || strings.HasPrefix(sql, "SELECT count(*) FROM due")
}

// fill makes tables large: 20,000 posts of others with entries, pairs and a
// journal, and as much due work that waits for a later time.
func fill(w world) {
	w.t.Helper()
	kind := func(kind, name string) int64 {
		return w.Number("SELECT n FROM numbers WHERE kind = $1 AND name = $2", kind, name)
	}
	const many = 20_000
	w.SQL(`INSERT INTO documents (collection, key, fields) SELECT $1::int, 'x' || g, '{"name": "x"}' FROM generate_series(1, $2::int) g`, kind("collection", "people"), many)
	w.SQL(`INSERT INTO documents (collection, key, fields) SELECT $1::int, 'y' || g, '{"text": "y", "author": "x1"}' FROM generate_series(1, $2::int) g`, kind("collection", "posts"), many)
	w.SQL(`INSERT INTO kept (doc, "values") SELECT n, '{}' FROM documents WHERE key ~ '^[xy]'`)
	w.SQL(`UPDATE kept k SET collection = d.collection, "values" = '{"notes_n": 0, "byline": {"name": "x"}}' || jsonb_build_object('likes_n', d.n % 97) FROM documents d WHERE d.n = k.doc AND d.key LIKE 'y%'`)
	w.SQL(`UPDATE documents SET fields = fields || jsonb_build_object('rating', n % 11) WHERE key LIKE 'y%'`)
	w.SQL(`INSERT INTO refs (source, reference, target) SELECT p.n, $1::int, a.n FROM documents p JOIN documents a ON a.key = 'x' || substr(p.key, 2) WHERE p.key LIKE 'y%'`, kind("reference", "posts.author"))
	w.SQL(`INSERT INTO pairs (kind, b, a) SELECT $1::int, n, n + 1 FROM documents WHERE key LIKE 'x%'`, kind("pair", "follow"))
	w.SQL(`INSERT INTO pairs (kind, b, a) SELECT $1::int, n, n - $2::int FROM documents WHERE key LIKE 'y%'`, kind("pair", "like"), many)
	w.SQL(`INSERT INTO posted (timeline, author, rank, doc) SELECT $1::int, target, source, source FROM refs WHERE target > 100`, kind("timeline", "home"))
	w.SQL(`INSERT INTO entries (timeline, owner, rank, doc, author) SELECT timeline, author, rank, doc, author FROM posted WHERE rank < 1000000000`)
	w.SQL(`INSERT INTO journal (kind, subject) SELECT 'changed', 'posts/y' || g FROM generate_series(1, $1::int) g`, many)
	w.SQL(`INSERT INTO due (lane, step, subject, key, doc, change, not_before) SELECT 1 + g % 5, 1, 1, g, g, 1000000000 + g, 'infinity' FROM generate_series(1, $1::int) g`, many)
	w.SQL(`INSERT INTO done (change, step, subject, chunks, rows, attempts, since) SELECT g, 1, 1, 1, 1, 0, now() FROM generate_series(1, $1::int) g`, many)
	w.SQL("VACUUM ANALYZE")
}

// planNode is a part of a plan as PostgreSQL writes it in JSON.
type planNode struct {
	Text     string      `json:"Query Text"`
	Plan     *planNode   // at the top only
	Type     string      `json:"Node Type"`
	Relation string      `json:"Relation Name"`
	Index    string      `json:"Index Name"`
	Cond     string      `json:"Index Cond"`
	Plans    []*planNode `json:"Plans"`
}

// ofAList is the statement of a page of a list: the versions of what stands on it, for one
// reader or for several.
var ofAList = regexp.MustCompile(`(?s)SELECT d\.n, d\.xmin.*FROM (documents d\s|kept k JOIN|pairs p JOIN)|^WITH head AS`)

// plansIn reads the plans out of a log.
func plansIn(t *testing.T, log string) []*planNode {
	t.Helper()
	var all []*planNode
	for _, part := range strings.Split(log, " plan:\n")[1:] {
		p := &planNode{}
		if err := json.NewDecoder(strings.NewReader(part)).Decode(p); err != nil {
			t.Fatalf("%v in %.300s", err, part)
		}
		all = append(all, p)
	}
	return all
}

// large are the tables that grow with the app.
var large = []string{"documents", "kept", "refs", "pairs", "posted", "entries", "journal", "due", "done"}

// uses tells whether a part of the plan reads an index.
func (p *planNode) uses(index string) bool {
	return p.Plan != nil && p.Plan.uses(index) || p.Index == index ||
		slices.ContainsFunc(p.Plans, func(n *planNode) bool { return n.uses(index) })
}

// bounded tells whether an index is read from some place on.
func (p *planNode) bounded() bool {
	return p.Plan != nil && p.Plan.bounded() || strings.HasPrefix(p.Index, "list_") && p.Cond != "" ||
		strings.HasPrefix(p.Index, "pairs_") || slices.ContainsFunc(p.Plans, (*planNode).bounded)
}

// sorts tells whether a part of the plan puts all that it is given in order.
func (p *planNode) sorts() bool {
	return p.Plan != nil && p.Plan.sorts() || p.Type == "Sort" || slices.ContainsFunc(p.Plans, (*planNode).sorts)
}

func (p *planNode) goesByIndexes(t *testing.T) {
	t.Helper()
	var walk func(n *planNode, limited bool)
	walk = func(n *planNode, limited bool) {
		if n.Relation == "pairs" && n.Index != "pairs_pkey" &&
			strings.Contains(n.Cond, "(a = ") && strings.Contains(n.Cond, "(b = ") {
			t.Errorf("a single pair is looked for in %s, among all of one of the two, in\n%s", n.Index, p.Text)
		}
		whole := n.Type == "Seq Scan" && isLarge(n.Relation) || strings.Contains(n.Type, "Index") && n.Cond == "" && !limited && isLarge(n.Relation)
		if whole {
			t.Errorf("%s of %s %s goes over all of it, in\n%s", n.Type, n.Relation, n.Index, p.Text)
		}
		for _, below := range n.Plans {
			walk(below, n.Type == "Limit" || limited && (n.Type == "LockRows" || n.Type == "Subquery Scan"))
		}
	}
	walk(p.Plan, false)
}

func isLarge(relation string) bool {
	for _, name := range large {
		if relation == name || strings.HasPrefix(relation, name+"_") {
			return true
		}
	}
	return false
}
