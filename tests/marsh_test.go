package tests

import (
	"cmp"
	_ "embed"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"yalvo/client"
	"yalvo/internal/design"
	"yalvo/internal/design/language"
	"yalvo/tests/harness"
)

//go:embed marsh.yaml
var marsh string

// deed is a write that the service acknowledged, or that it says has followed
// from one. Deeds on the same facts took effect in the order of their positions.
type deed struct {
	position int64
	cause    int64  // the client's change that it followed from, 0 if it is that itself
	kind     string // created, changed, removed, forgotten, set, unset
	path     string
	pair     *design.Pair
	from, to string // keys
	fields   map[string]any
	names    string // of the fields, where the journal tells no more
}

// throng is many clients that do random things to an app of any design, and
// the deeds they were told they did.
type throng struct {
	world
	design *design.Design
	source string

	populated bool // before anything else is done
	clients   []*client.Client
	reactions *reactions // of the deeds that were played
	forgotten map[string]bool
	mu        sync.Mutex
	deeds     []deed
	created   map[*design.Collection][]string
	late      int    // requests that came too late, as some must
	rough     bool   // services are killed meanwhile
	evolving  bool   // the design is changed meanwhile
	steady    string // the address of one that is not
	cutOff    int    // requests whose first answer never came
}

func newThrong(t *testing.T, w world, source string, clients ...*client.Client) *throng {
	return &throng{world: w, design: must(language.Read("test.yaml", []byte(source)))(t), source: source,
		clients: clients, created: map[*design.Collection][]string{}}
}

// run has workers do operations, each from its own stream of chances.
func (th *throng) run(seed uint64, operations, workers int) {
	th.t.Helper()
	var group sync.WaitGroup
	for w := range workers {
		group.Go(func() {
			r := rand.New(rand.NewPCG(seed, uint64(w)))
			for range max(1, operations/workers) {
				if err := th.act(r, th.clients[r.IntN(len(th.clients))]); err != nil {
					th.t.Error(err)
					return
				}
			}
		})
	}
	group.Wait()
}

// populate creates some documents of each collection, and pairs, so that little of what
// is done afterwards comes too early.
func (th *throng) populate(seed uint64) {
	th.t.Helper()
	th.populated = true
	r := rand.New(rand.NewPCG(seed, 0))
	many := min(40, 10+*operations/9) // of each collection
	for _, c := range th.design.Collections {
		for range many {
			d, do := th.creation(c, th.anyKey(r, c), th.anyFields(r, c.Fields, func(f *design.Field) bool { return f.Required || f.Type != design.Reference && r.IntN(2) == 0 }))
			if err := th.settleOn(d, do, th.clients[0]); err != nil {
				th.t.Fatal(err)
			}
		}
	}
	for range 4 * many {
		d, do := th.pairUp(r)
		if err := th.settleOn(d, do, th.clients[0]); err != nil {
			th.t.Fatal(err)
		}
	}
}

func (th *throng) act(r *rand.Rand, c *client.Client) error {
	if th.populated && !th.evolving && r.IntN(60) == 0 { // before there is anything, any design may follow
		return th.reapply(r, c)
	}
	d, do := th.draw(r)
	return th.settleOn(d, do, c.Once(fmt.Sprintf("%d-%d", r.Uint64(), r.Uint64())))
}

// reapply puts the design in force in other words.
func (th *throng) reapply(r *rand.Rand, c *client.Client) error {
	source := fmt.Sprintf("# version %d\n%s", r.IntN(5), th.source)
	_, err := th.insist(func(c *client.Client) (client.Position, error) {
		_, err := c.Apply(th.t.Context(), "test.yaml", []byte(source))
		return "", err
	}, c)
	return err
}

// settleOn does a deed, and notes it if it was done.
func (th *throng) settleOn(d deed, do doing, c *client.Client) error {
	position, err := th.insist(do, c)
	d.position = exact(position)
	var p *client.Problem
	if errors.As(err, &p) && (p.Status == 404 || p.Status == 409 || p.Code == "invalid") {
		th.mu.Lock()
		th.late++
		th.mu.Unlock()
		return nil
	}
	if err != nil || d.position == 0 {
		return err
	}
	th.mu.Lock()
	th.deeds = append(th.deeds, d)
	if d.kind == "created" {
		in, key := th.split(d.path)
		th.created[in] = append(th.created[in], key)
	}
	th.mu.Unlock()
	return nil
}

// doing is a request to one of the services.
type doing func(*client.Client) (client.Position, error)

// insist makes a request and, if it was cut off and nobody knows whether it was
// carried out, makes it again with the same Idempotency-Key until it is answered.
func (th *throng) insist(do doing, c *client.Client) (client.Position, error) {
	for deadline := time.Now().Add(time.Minute); ; {
		position, err := do(c)
		var p *client.Problem
		cutOff := errors.As(err, &p) && p.Status >= 500 || err != nil && !errors.As(err, &p)
		if p != nil && p.Code == "busy" && !time.Now().After(deadline) {
			continue // nothing was written, and it says: try again
		}
		if !cutOff || !th.rough || time.Now().After(deadline) {
			return position, err
		}
		th.mu.Lock()
		th.cutOff++
		th.mu.Unlock()
		c = c.At(th.steady) // the service that is not killed
	}
}

// draw thinks of one thing to do.
func (th *throng) draw(r *rand.Rand) (deed, doing) {
	if r.IntN(100) < 45 {
		return th.pairUp(r)
	}
	in := th.design.Collections[weighted(r, len(th.design.Collections))]
	key := th.likely(r, in)
	d := deed{kind: "changed", path: in.Path(key)}
	ctx := th.t.Context()
	switch n := r.IntN(100); {
	case n < 45:
		return th.creation(in, th.anyKey(r, in), th.anyFields(r, in.Fields, func(f *design.Field) bool {
			return f.Required || r.IntN(5) > 2 && (f.Type != design.Reference || r.IntN(2) == 0)
		}))
	case n < 96 || in == th.design.Accounts && n < 99:
		d.fields = th.anyFields(r, in.Fields, func(*design.Field) bool { return r.IntN(5) > 2 })
		for _, f := range in.Fields {
			if _, is := d.fields[f.Name]; is && !f.Required && r.IntN(4) == 0 {
				d.fields[f.Name] = nil
			}
		}
		if r.IntN(2) == 0 {
			steps := stepwise(d.fields) // in the same order when it is made again: it must be the same request
			return d, func(c *client.Client) (client.Position, error) {
				_, position, err := c.Operate(ctx, d.path, steps...)
				return position, err
			}
		}
		return d, func(c *client.Client) (client.Position, error) {
			_, position, err := c.Patch(ctx, d.path, d.fields)
			return position, err
		}
	}
	if !th.rough && r.IntN(3) == 0 { // to forget is not safe to repeat
		d.kind = "forgotten"
		return d, func(c *client.Client) (client.Position, error) {
			f, err := c.Forget(ctx, d.path)
			return client.Position(fmt.Sprint(f.Change)), err
		}
	}
	d.kind = "removed"
	return d, func(c *client.Client) (client.Position, error) {
		_, position, err := c.Remove(ctx, d.path)
		return position, err
	}
}

// stepwise writes fields by operations.
func stepwise(fields map[string]any) []client.Operation {
	operations := []client.Operation{}
	for name, v := range fields {
		operations = append(operations, client.Operation{Op: "add", Path: "/facts/" + name, Value: v})
	}
	return operations
}

func (th *throng) creation(in *design.Collection, key string, fields map[string]any) (deed, doing) {
	d := deed{kind: "created", path: in.Path(key), fields: fields}
	cut := strings.LastIndexByte(d.path, '/')
	return d, func(c *client.Client) (client.Position, error) {
		_, position, err := c.Create(th.t.Context(), d.path[:cut], d.path[cut+1:], d.fields)
		return position, err
	}
}

// weighted prefers neither end: accounts are few and created early.
func weighted(r *rand.Rand, n int) int { return (r.IntN(n) + r.IntN(n) + 1) % n }

func (th *throng) pairUp(r *rand.Rand) (deed, doing) {
	p := th.design.Pairs[r.IntN(len(th.design.Pairs))]
	if r.IntN(3) == 0 {
		p = th.design.Pairs[0]
	}
	d := deed{kind: "set", pair: p, from: th.likely(r, p.From), to: th.likely(r, p.To)}
	ctx := th.t.Context()
	switch {
	case r.IntN(100) < 35:
		d.kind = "unset"
		return d, func(c *client.Client) (client.Position, error) { return c.Unset(ctx, p.Name, d.from, d.to) }
	case len(p.Fields) > 0:
		d.fields = th.anyFields(r, p.Fields, func(*design.Field) bool { return true })
		return d, func(c *client.Client) (client.Position, error) {
			return c.SetWith(ctx, p.Name, d.from, d.to, d.fields)
		}
	}
	return d, func(c *client.Client) (client.Position, error) { return c.Set(ctx, p.Name, d.from, d.to) }
}

// exact is the change a position stands for, 0 if it changed nothing.
func exact(p client.Position) int64 {
	n, err := strconv.ParseInt(string(p), 10, 64)
	if err != nil {
		return 0
	}
	return n
}

// anyKey names a document to create, if it is not there: one of a dozen or two
// of each kind, under a parent of a few.
func (th *throng) anyKey(r *rand.Rand, c *design.Collection) string {
	if c.Under != nil {
		return th.likely(r, c.Under) + "/" + fmt.Sprint(c.Name[:1], r.IntN(3))
	}
	many := 20
	if c.Name == "people" {
		many = 12
	}
	return fmt.Sprint(c.Name[:1], r.IntN(many))
}

// likely names a document that has been created, though it may be gone.
func (th *throng) likely(r *rand.Rand, c *design.Collection) string {
	th.mu.Lock()
	created := th.created[c]
	th.mu.Unlock()
	if len(created) == 0 || r.IntN(10) == 0 {
		return th.anyKey(r, c)
	}
	return created[len(created)-1-r.IntN(min(len(created), 30))]
}

// anyFields are values for the fields that are wanted.
func (th *throng) anyFields(r *rand.Rand, fields []*design.Field, wanted func(*design.Field) bool) map[string]any {
	out := map[string]any{}
	for _, f := range fields {
		if wanted(f) {
			out[f.Name] = th.anyValue(r, f)
		}
	}
	return out
}

func (th *throng) anyValue(r *rand.Rand, f *design.Field) any {
	if f.OneOf != nil {
		return f.OneOf[r.IntN(len(f.OneOf))]
	}
	switch f.Type {
	case design.Integer:
		return r.IntN(10)
	case design.Number:
		return float64(r.IntN(1000)-300) / 100
	case design.Boolean:
		return r.IntN(2) == 0
	case design.Timestamp:
		return design.FormatTime(time.Unix(1_900_000_000+int64(r.IntN(1000)), 0))
	case design.Reference:
		return th.likely(r, f.To)
	}
	return fmt.Sprint("text ", r.IntN(30))
}

// model plays all deeds in the order of their positions, with what followed
// from them: documents that were removed along, references that were cleared,
// what triggers did.
func (th *throng) model() *model {
	th.t.Helper()
	deeds := append(slices.Clone(th.deeds), th.consequences()...)
	slices.SortStableFunc(deeds, func(a, b deed) int { return int(a.position - b.position) })
	m := newModel(th.design)
	th.reactions = newReactions()
	th.forgotten = map[string]bool{}
	forgotten := map[int64]bool{}
	departed := maps.Clone(m.docs)
	clear(departed)
	var last int64
	for _, d := range deeds {
		gone := m.docs[d.path]
		if d.kind == "forgotten" && gone == nil && departed[d.path] != nil { // what was left of it is forgotten
			m.forget(departed[d.path])
			th.forgotten[d.path] = true
			continue
		}
		if d.position == last { // a creation that was repeated
			continue
		}
		last = d.position
		th.play(m, d)
		if gone != nil && gone.gone {
			departed[d.path] = gone
		}
		root := cmp.Or(d.cause, d.position)
		if forgotten[root] = forgotten[root] || d.kind == "forgotten"; forgotten[root] && gone != nil && gone.gone {
			m.forget(gone)
			th.forgotten[d.path] = true
		}
	}
	return m
}

// play does in the model what was done, and sets off triggers.
func (th *throng) play(m *model, d deed) {
	th.t.Helper()
	root := cmp.Or(d.cause, d.position)
	fire := func(on design.Event, c *design.Collection, p *design.Pair, payload map[string]any) {
		th.reactions.fire(th.design, root, on, c, p, payload)
	}
	over := func(ended []bond) {
		for _, b := range ended {
			fire(design.OnUnset, nil, b.Pair, ofPair(b.from, b.to, b.fields))
		}
	}
	doc := m.docs[d.path]
	if d.pair == nil && (doc != nil) != (d.kind != "created") {
		th.t.Fatalf("%s was %s at %d; stood it before: %t", d.path, d.kind, d.position, doc != nil)
	}
	switch d.kind {
	case "created":
		in, key := th.split(d.path)
		made := &thing{in: in, key: key, fields: map[string]any{}, refs: map[string]*thing{}, frozen: map[string]any{}, origins: map[string]*thing{}}
		if in.Under != nil {
			made.parent = m.docs[d.path[:strings.LastIndex(d.path, "/"+in.Name+"/")]]
		}
		if d.cause != 0 {
			d.fields = th.reactions.writes[about(root, d.path)]
		}
		m.write(made, d.fields)
		m.docs[d.path] = made
		fire(design.OnCreated, in, nil, ofDocument(made, nil))
	case "changed":
		if d.cause != 0 {
			d.fields = th.reactions.inForce(root, d.path, d.names)
		}
		old := maps.Clone(doc.fields)
		m.write(doc, d.fields)
		fire(design.OnChanged, doc.in, nil, ofDocument(doc, old))
	case "removed", "forgotten":
		ended := m.remove(d.path)
		fire(design.OnRemoved, doc.in, nil, ofDocument(doc, nil))
		over(ended)
	default:
		from, to := m.docs[d.pair.From.Path(d.from)], m.docs[d.pair.To.Path(d.to)]
		if from == nil || to == nil {
			th.t.Fatalf("%s %s → %s was %s at %d and an end was not there", d.pair.Name, d.from, d.to, d.kind, d.position)
		}
		if d.kind == "unset" {
			over(m.unset(d.pair, ends{from, to}))
			return
		}
		fresh, ended := m.set(d.pair, from, to, d.fields)
		if fresh {
			fire(design.OnSet, nil, d.pair, ofPair(from, to, d.fields))
		}
		over(ended)
	}
}

// split finds the collection and the key of a path.
func (th *throng) split(path string) (*design.Collection, string) {
	parts := strings.Split(path, "/")
	var ids []string
	for i := 1; i < len(parts); i += 2 {
		ids = append(ids, parts[i])
	}
	return th.design.Collection(parts[len(parts)-2]), strings.Join(ids, "/")
}

// consequences reads from the journal what followed from the clients' deeds,
// and sees that it holds each of those once. A reader who misses nothing waits
// for the oldest transaction of the whole PostgreSQL, here of other tests too.
func (th *throng) consequences() []deed {
	th.t.Helper()
	told, forgot := map[int64]int{}, map[int64]bool{}
	for _, d := range th.deeds {
		if d.kind == "forgotten" { // of what had just gone, the position is that of whatever came last
			forgot[d.position] = true
			continue
		}
		told[d.position]++
	}
	th.until("the whole journal may be read", func() bool {
		return th.Number("SELECT count(*) FROM journal WHERE xid >= pg_snapshot_xmin(pg_current_snapshot())::text::bigint") == 0
	})
	var found []deed
	for from := ""; ; {
		changes, next, err := th.ChangesFrom(th.t.Context(), from, 200)
		if err != nil {
			th.t.Fatal(err)
		}
		for _, c := range changes {
			switch {
			case c.Cause == 0 && told[c.Position] == 0 && !forgot[c.Position]:
				th.t.Errorf("the journal has a change nobody was told of: %+v", c)
			case c.Cause == 0:
				delete(told, c.Position)
			case c.Kind == "set": // by a trigger; what is unset the model knows by itself
				p := th.design.Pair(c.Subject)
				from, to, _ := strings.Cut(c.Detail, " → ")
				_, fromKey := th.split(from)
				_, toKey := th.split(to)
				found = append(found, deed{position: c.Position, cause: c.Cause, kind: c.Kind, pair: p, from: fromKey, to: toKey})
			case c.Kind != "unset":
				found = append(found, deed{position: c.Position, cause: c.Cause, kind: c.Kind, path: c.Subject, names: c.Detail})
			}
		}
		if len(changes) == 0 {
			break
		}
		from = next
	}
	for position := range told {
		th.t.Errorf("a change that was acknowledged is not in the journal: %d", position)
	}
	return found
}

// asTheModelSays compares everything the service shows with the model.
func (th *throng) asTheModelSays() *model {
	th.t.Helper()
	th.Settle()
	th.noDeadlock()
	th.until("everything is forgotten", func() bool { return th.Number("SELECT count(*) FROM forgotten WHERE report IS NULL") == 0 })
	m := th.model()
	th.readTimes(m)
	wrong := 0
	differ := func(what string, got, want any) {
		if g, w := canonical(got), canonical(want); g != w {
			if wrong++; wrong <= 20 {
				th.t.Errorf("%s:\n got %s\nwant %s", what, g, w)
			}
		}
	}
	for _, d := range m.docs {
		path := d.in.Path(d.key)
		stored := must(th.Get(th.t.Context(), path))(th.t)
		differ(path+" fields", stored.Facts, d.fields)
		for _, k := range d.in.Kept {
			differ(path+" kept "+k.Name, stored.Kept[k.Name], m.kept(d, k))
		}
		th.linksAgree(m, d, differ)
	}
	for _, t := range th.design.Timelines {
		for _, owner := range m.all(t.Owner) {
			differ(t.Name+" of "+owner.key, th.entries(t.Name, owner.key), m.timeline(t, owner))
		}
	}
	for _, c := range th.design.Collections {
		differ("how many "+c.Name, th.Number("SELECT count(*) FROM documents WHERE collection = (SELECT n FROM numbers WHERE kind = 'collection' AND name = $1)", c.Name), len(m.all(c)))
	}
	th.listsAgree(m, differ)
	differ("what set off triggers", th.remembered(th.fired()), th.remembered(th.reactions.fired))
	differ("what was not forgotten", th.remains(), []string{})
	standing := 0
	for _, pairs := range m.pairs {
		standing += len(pairs)
	}
	differ("how many pairs", th.Number("SELECT count(*) FROM pairs"), standing)
	if parked := th.Number("SELECT count(*) FROM parked"); parked > 0 || wrong > 20 {
		th.t.Errorf("%d differences in all, %d pieces of work parked", wrong, parked)
	}
	th.t.Logf("%d deeds, %d requests too late, %d documents forgotten, %d events for triggers; %d documents and %d pairs compared",
		len(th.deeds), th.late, len(th.forgotten), len(th.reactions.fired), len(m.docs), standing)
	return m
}

// readTimes takes over the times the service's clock decided.
func (th *throng) readTimes(m *model) {
	th.t.Helper()
	for path, d := range m.docs {
		doc, err := th.Get(th.t.Context(), path)
		if err != nil {
			th.t.Fatalf("%s should be there: %v; its history: %v", path, err, th.history(path))
		}
		d.created, d.updated = doc.Created, doc.Updated
	}
	for name, pairs := range m.pairs {
		for e, c := range pairs {
			state := must(th.Pair(th.t.Context(), name, e.from.key, e.to.key))(th.t)
			if !state.Set {
				th.t.Errorf("%s %s → %s should stand", name, e.from.key, e.to.key)
				continue
			}
			c.since = *state.Since
			if canonical(state.Facts) != canonical(c.fields) {
				th.t.Errorf("%s %s → %s: got fields %v, want %v", name, e.from.key, e.to.key, state.Facts, c.fields)
			}
		}
	}
}

// linksAgree compares both sides of a document's pairs, and what points at it.
func (th *throng) linksAgree(m *model, d *thing, differ func(string, any, any)) {
	check := func(name string, in *design.Collection, belongs func(*thing) bool) {
		want := []string{}
		for _, other := range m.all(in) {
			if belongs(other) {
				want = append(want, other.in.Path(other.key))
			}
		}
		got := th.linked(d.in.Path(d.key) + "/" + name)
		slices.Sort(want)
		slices.Sort(got)
		differ(d.in.Path(d.key)+" "+name, got, want)
	}
	for _, p := range th.design.Pairs {
		if p.From == d.in {
			check(p.FromCalls, p.To, func(other *thing) bool { return m.paired(p, d, other) })
		}
		if p.To == d.in {
			check(p.ToCalls, p.From, func(other *thing) bool { return m.paired(p, other, d) })
		}
	}
	for _, c := range th.design.Collections {
		if c.Under == d.in {
			check(c.Name, c, func(other *thing) bool { return other.parent == d })
		}
		for _, f := range c.References() {
			if f.To == d.in && f.Inverse != "" {
				check(f.Inverse, c, func(other *thing) bool { return other.refs[f.Name] == d })
			}
		}
	}
}

// history is what the journal says about a document.
func (th *throng) history(path string) []string {
	th.t.Helper()
	rows, err := th.Pool().Query(th.t.Context(), "SELECT seq || ' ' || kind || ' ' || detail || coalesce(' by ' || cause, '') FROM journal WHERE subject = $1 ORDER BY seq", path)
	if err != nil {
		th.t.Fatal(err)
	}
	return must(pgx.CollectRows(rows, pgx.RowTo[string]))(th.t)
}

// fired is how often triggers were set off, by each document or pair.
func (th *throng) fired() map[string]int {
	th.t.Helper()
	rows, err := th.Pool().Query(th.t.Context(), "SELECT n.name || ' ' || f.subject, count(*) FROM events f JOIN numbers n ON n.n = f.trigger GROUP BY 1")
	if err != nil {
		th.t.Fatal(err)
	}
	fired := map[string]int{}
	var event string
	var many int
	if _, err := pgx.ForEachRow(rows, []any{&event, &many}, func() error { fired[event] = many; return nil }); err != nil {
		th.t.Fatal(err)
	}
	return fired
}

// remembered leaves out the events of documents that were forgotten, or had gone before somebody
// with whom they would have been.
func (th *throng) remembered(fired map[string]int) map[string]int {
	th.t.Helper()
	rows := must(th.Pool().Query(th.t.Context(), "SELECT path FROM forgotten_documents"))(th.t)
	for _, path := range must(pgx.CollectRows(rows, pgx.RowTo[string]))(th.t) {
		th.forgotten[path] = true
	}
	maps.DeleteFunc(fired, func(event string, _ int) bool {
		_, subject, _ := strings.Cut(event, " ")
		from, to, _ := strings.Cut(subject, " → ")
		return th.forgotten[from] || th.forgotten[to]
	})
	return fired
}

// remains is what a search has found of those who were forgotten.
func (th *throng) remains() []string {
	th.t.Helper()
	rows, err := th.Pool().Query(th.t.Context(), "SELECT path || ': ' || (report -> 'left') FROM forgotten WHERE report -> 'left' NOT IN ('[]', 'null')")
	if err != nil {
		th.t.Fatal(err)
	}
	left, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		th.t.Fatal(err)
	}
	return append([]string{}, left...)
}

func (th *throng) linked(path string) []string {
	th.t.Helper()
	paths := []string{}
	for cursor := ""; ; {
		page := must(th.List(th.t.Context(), path, client.Page{Limit: 200, Cursor: cursor}))(th.t)
		for _, d := range page.Documents {
			paths = append(paths, d.Path)
		}
		if cursor = page.Next; cursor == "" {
			return paths
		}
	}
}

func (th *throng) entries(timeline, owner string) []string {
	th.t.Helper()
	paths := []string{}
	for cursor := ""; ; {
		page := must(th.Timeline(th.t.Context(), timeline, owner, client.Page{Limit: 7, Cursor: cursor}))(th.t)
		for _, e := range page.Entries {
			paths = append(paths, e.Path)
		}
		if cursor = page.Next; cursor == "" {
			return paths
		}
	}
}

// Thirty-two clients do random things to an app with every kind of duplicate,
// over two services; afterwards everything is as the model says.
func TestEverythingIsAsTheModelSays(t *testing.T) {
	t.Parallel()
	for _, design := range []struct{ name, source string }{
		{"pushed", marsh + marshTriggers},
		{"collected and mixed", strings.NewReplacer("length: 12,", "length: 12, deliver: mixed, above: 3,", "order: seen,", "order: seen, deliver: pull,").Replace(marsh) + marshTriggers},
	} {
		t.Run(design.name, func(t *testing.T) {
			t.Parallel()
			s := seeded(t)
			w := start(t, design.source)
			other := harness.StartOn(t, w.Database, "")
			th := newThrong(t, w, design.source, w.Client, other.Client)
			th.populate(s)
			for round := range 2 {
				th.run(s+uint64(round), *operations/3, 32)
				th.asTheModelSays()
				w.auditFindsNothing()
			}
		})
	}
}
