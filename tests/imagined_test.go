package tests

import (
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"sync"
	"testing"

	"yalvo/client"
	"yalvo/internal/design/language"
	"yalvo/tests/harness"
)

var designs = flag.Int("designs", 1, "how many made-up designs are compared with the model")

// imagination makes up a design piece by piece. A piece that the check refuses
// (a circle, a field to order by that may be missing) is left out again.
type imagination struct {
	*rand.Rand
	collections, pairs, timelines, lists dict
}

type dict = map[string]any

// imagine makes up the source of a design. JSON is YAML too.
func imagine(r *rand.Rand) string {
	m := imagination{r, dict{}, dict{}, dict{}, dict{}}
	m.collections["people"] = dict{"fields": dict{"name": dict{"type": "string", "required": true}, "size": dict{"type": "integer"}}, "kept": dict{}}
	m.add(m.pairs, "follow", dict{"from": "people", "to": "people", "from_calls": "following", "to_calls": "followers", "self": m.IntN(4) == 0})
	for _, c := range []struct{ name, under string }{{"posts", ""}, {"notes", "posts"}, {"echoes", "notes"}, {"spots", ""}, {"rings", ""}}[:2+m.IntN(4)] {
		m.collect(c.name, c.under)
	}
	for range 8 {
		m.refer()
	}
	for i := range 2 + m.IntN(4) {
		m.pair(fmt.Sprint("bond", i))
	}
	for i := range 3 { // of people among themselves, such as a block
		m.bind(fmt.Sprint("kin", i), "people", "people")
	}
	for i := range 30 {
		m.keep(fmt.Sprint("kept_", i))
	}
	for i := range 1 + m.IntN(3) {
		m.line(fmt.Sprint("line", i))
	}
	m.ordereds()
	return m.source()
}

func (m imagination) source() string {
	whole := dict{"yalvo": 1, "app": "imagined", "accounts": "people", "collections": m.collections, "pairs": m.pairs, "timelines": m.timelines, "lists": m.lists}
	text, err := json.Marshal(whole)
	if err != nil {
		panic(err)
	}
	return string(text)
}

func (m imagination) add(in dict, name string, piece dict) {
	before, there := in[name]
	in[name] = piece
	if _, err := language.Read("imagined.yaml", []byte(m.source())); err != nil {
		if delete(in, name); there {
			in[name] = before
		}
	}
}

func (m imagination) one(of ...string) string { return of[m.IntN(len(of))] }

func (m imagination) named(in dict) string {
	var names []string
	for name := range in {
		names = append(names, name)
	}
	return m.one(slices.Sorted(slices.Values(names))...)
}

func (m imagination) collect(name, under string) {
	fields := dict{
		"text":   dict{"type": "string"},
		"size":   dict{"type": "integer", "required": m.IntN(2) == 0},
		"weight": dict{"type": "number"},
		"seen":   dict{"type": "timestamp", "required": m.IntN(2) == 0},
		"shown":  dict{"type": "boolean"},
		"author": dict{"type": "reference", "to": "people", "required": true, "when_gone": "remove", "inverse": "by_" + name, "fixed": m.IntN(3) == 0},
	}
	piece := dict{"fields": fields, "kept": dict{}}
	if under != "" {
		piece["under"] = under
	}
	m.add(m.collections, name, piece)
}

// refer adds a reference somewhere: to a collection of its own, a nested one, or the same.
func (m imagination) refer() {
	in := m.named(m.collections)
	name := fmt.Sprint("ref", m.IntN(3))
	m.add(m.collections[in].(dict)["fields"].(dict), name, dict{"type": "reference", "to": m.named(m.collections), "when_gone": m.one("remove", "clear", "clear", "leave", "refuse"), "inverse": in + "_" + name})
}

func (m imagination) pair(name string) {
	m.bind(name, m.one("people", m.named(m.collections)), m.named(m.collections))
}

func (m imagination) bind(name, from, to string) {
	p := dict{"from": from, "to": to, "from_calls": name + "_to", "to_calls": name + "_from", "self": m.IntN(2) == 0}
	if m.IntN(2) == 0 {
		p["fields"] = dict{"value": dict{"type": "integer", "required": true, "one_of": []int{-1, 1, 2}}}
	}
	if m.IntN(3) == 0 {
		p["dissolves"] = []string{m.named(m.pairs)}
	}
	m.add(m.pairs, name, p)
}

// keep adds a kept value to a collection, of any kind and from anywhere, often
// built on values kept before.
func (m imagination) keep(name string) {
	in := m.named(m.collections)
	k := dict{}
	kind, source := m.one("copy", "count", "sum", "min", "max", "latest", "gather"), ""
	shown := m.collections[in].(dict)["fields"].(dict)
	if kind == "copy" {
		source = m.named(shown)
		if to, is := shown[source].(dict)["to"].(string); is {
			k["fields"], k["frozen"] = m.parts(to), m.IntN(4) == 0
		}
		if k["frozen"] == true { // when kept values were as they were, nobody can tell
			k["fields"] = []string{m.named(m.collections[shown[source].(dict)["to"].(string)].(dict)["fields"].(dict))}
		}
	} else if kind = m.summary(kind, k); k["from"] != nil {
		source = k["from"].(string)
		delete(k, "from")
	}
	k[kind] = source
	m.add(m.collections[in].(dict)["kept"].(dict), name, k)
}

// summary fills in where a summary's sources are and what it makes of them.
func (m imagination) summary(kind string, k dict) string {
	from, conditions, values := "", []string{"doc.size > 4", "has(doc.text)", "doc.shown", "doc.weight > 1.5"}, ""
	if m.IntN(2) == 0 {
		pair, side := m.named(m.pairs), m.one("from", "to")
		k["from"], conditions, values = pair+"."+side, []string{"pair.value > 0"}, "value"
		from = m.pairs[pair].(dict)[map[string]string{"from": "to", "to": "from"}[side]].(string)
	} else {
		from = m.named(m.collections)
		k["from"] = m.one(from, from+"."+m.named(m.collections[from].(dict)["fields"].(dict)))
		values = m.parts(from)[0]
	}
	switch kind {
	case "sum", "min", "max":
		k["of"] = values
	case "latest":
		k["fields"] = m.parts(from)
		fallthrough
	case "gather":
		k["how_many"] = 1 + m.IntN(3)
	}
	if m.IntN(4) == 0 {
		k["where"] = m.one(conditions...)
	}
	return kind
}

// parts are one to three of a collection's fields and kept values.
func (m imagination) parts(of string) []string {
	c := m.collections[of].(dict)
	found := map[string]bool{}
	for range 1 + m.IntN(3) {
		from := c["fields"].(dict)
		if kept := c["kept"].(dict); len(kept) > 0 && m.IntN(2) == 0 {
			from = kept
		}
		found[m.named(from)] = true
	}
	var names []string
	for name := range found {
		names = append(names, name)
	}
	return slices.Sorted(slices.Values(names))
}

// line makes up a timeline, over and over until it means something: few do.
func (m imagination) line(name string) {
	for range 50 {
		if m.add(m.timelines, name, m.lineOf()); m.timelines[name] != nil {
			return
		}
	}
}

func (m imagination) lineOf() dict {
	through := m.among(m.pairs, func(p dict) bool { return p["from"] == "people" && p["to"] == "people" })
	t := dict{"owner": "people", "entries": m.named(m.collections), "by": m.one("author", "author", "ref0", "ref1"), "through": through,
		"own": m.IntN(2) == 0, "length": []int{5, 12, 1000}[m.IntN(3)], "order": m.one("created", "created", "seen", "size"), "deliver": m.one("push", "push", "pull", "mixed")}
	if t["deliver"] == "mixed" {
		t["above"] = 2
		m.add(m.collections["people"].(dict)["kept"].(dict), "count_"+through, dict{"count": through + ".to"})
	}
	bars := []dict{}
	for range m.IntN(3) {
		bar := m.among(m.pairs, func(p dict) bool { return p["from"] == "people" && p["to"] == "people" })
		bars = append(bars, dict{"paired": bar, "either_way": m.IntN(2) == 0})
	}
	if len(bars) > 0 {
		t["unless"] = bars
	}
	if m.IntN(2) == 0 {
		t["where"] = m.one("doc.shown", "!doc.shown", "doc.size > 4", "has(doc.text) && doc.size != 3",
			"!has(doc.seen) || doc.size in [1, 2, 3]", "doc.shown != true || doc.seen > timestamp('2031-06-01T00:00:00Z')")
	}
	if m.pairs[through].(dict)["fields"] != nil && m.IntN(3) > 0 {
		t["through"] = dict{"pair": through, "where": m.one("pair.value > 0", "pair.value == 1", "!(pair.value == 2)")}
	}
	return t
}

// among is the name of one of those that fit.
func (m imagination) among(in dict, fits func(dict) bool) string {
	some := dict{}
	for name, piece := range in {
		if fits(piece.(dict)) {
			some[name] = piece
		}
	}
	return m.named(some)
}

// Thirty-two clients do random things to apps of made-up designs, over two
// services each; afterwards everything is as the model says.
func TestEverythingOfMadeUpDesignsIsAsTheModelSays(t *testing.T) {
	t.Parallel()
	for i := range *designs {
		t.Run(fmt.Sprint("design ", i), func(t *testing.T) {
			s := seeded(t)
			source := imagine(rand.New(rand.NewPCG(s, uint64(i))))
			w := start(t, source)
			other := harness.StartOn(t, w.Database, "")
			th := newThrong(t, w, source, w.Client, other.Client)
			th.populate(s)
			th.run(s, *operations/3, 32)
			file := filepath.Join(t.TempDir(), "dump.ndjson")
			w.yalvo("dump", file).says(t, 0, "documents")
			meanwhile := w.dump()
			m := th.asTheModelSays()
			w.auditFindsNothing()
			if i == 0 || *everyNth == 1 {
				isLoadedFrom(t, w, file, meanwhile, source)
			}
			th.rulesAgree(m, s+uint64(i))
			th.pagesAtOnce(m, rand.New(rand.NewPCG(s, uint64(i)+99)))
			if t.Failed() {
				t.Log(source)
			}
		})
	}
}

// isLoadedFrom sees that a dump from when removals were on their way is as one of now, and that loaded elsewhere it is
// this app.
func isLoadedFrom(t *testing.T, w world, file string, meanwhile []string, source string) {
	t.Helper()
	now := plainly(w.dump())
	if got := plainly(meanwhile); got != now {
		t.Errorf("the dump of before everything was settled differs:\n%s", firstDifference(now, got))
	}
	elsewhere := start(t, source)
	elsewhere.Evolving.Store(true)
	elsewhere.yalvo("load", file).says(t, 0, "Loaded")
	elsewhere.Settle()
	elsewhere.auditFindsNothing()
	if got := plainly(elsewhere.dump()); got != now {
		t.Errorf("the app elsewhere differs:\n%s", firstDifference(now, got))
	}
}

// evolve changes a made-up design in what is derived: some kept values and timelines
// go, some are derived otherwise, some are new. Frozen copies stay: what they were
// given when nobody knows.
func (m imagination) evolve(nth int) {
	for _, c := range m.collections {
		kept := c.(dict)["kept"].(dict)
		for name, k := range kept {
			if m.IntN(3) == 0 && k.(dict)["frozen"] != true {
				m.without(kept, name)
			}
		}
	}
	for _, all := range []dict{m.timelines, m.lists} {
		for name := range all {
			if m.IntN(2) == 0 {
				m.without(all, name)
			}
		}
	}
	for i := range 12 {
		name := m.one(fmt.Sprint("kept_", i), fmt.Sprint("kept_", nth, "_", i)) // a name that was there, or a new one
		if len(m.frozen(name)) > 0 {
			continue
		}
		m.keep(name)
		for _, kept := range m.frozen(name) { // there is none of before to keep
			delete(kept, name)
		}
	}
	for i := range 1 + m.IntN(3) {
		if name := fmt.Sprint("line", i); m.timelines[name] == nil {
			m.line(name)
		}
	}
	m.ordereds()
}

// ordereds makes up lists: of those that are made up, many mean nothing.
func (m imagination) ordereds() {
	for i := range 15 {
		if name := fmt.Sprint("list", i%5); m.lists[name] == nil {
			m.ordered(name)
		}
	}
}

// without takes a piece away, unless others need it.
func (m imagination) without(in dict, name string) {
	piece := in[name]
	delete(in, name)
	if _, err := language.Read("imagined.yaml", []byte(m.source())); err != nil {
		in[name] = piece
	}
}

// frozen are the kept values of collections among which a frozen copy has a name.
func (m imagination) frozen(name string) (all []dict) {
	for _, c := range m.collections {
		kept := c.(dict)["kept"].(dict)
		if k, is := kept[name]; is && k.(dict)["frozen"] == true {
			all = append(all, kept)
		}
	}
	return all
}

// Designs of made-up apps follow one another, there and back, while clients do random
// things over two services, one of which is killed again and again. Afterwards
// everything is as the model says of the last design.
func TestMadeUpDesignsFollowOneAnother(t *testing.T) {
	t.Parallel()
	for i := range *designs {
		t.Run(fmt.Sprint("design ", i), func(t *testing.T) {
			s := seeded(t)
			m := imagination{Rand: rand.New(rand.NewPCG(s, uint64(i)))}
			first := imagine(m.Rand)
			if err := json.Unmarshal([]byte(first), &struct {
				Collections, Pairs, Timelines, Lists *dict
			}{&m.collections, &m.pairs, &m.timelines, &m.lists}); err != nil {
				t.Fatal(err)
			}
			w := start(t, first)
			th := newThrong(t, w, first)
			w.Evolving.Store(true)
			th.rough, th.steady, th.evolving, th.clients = true, w.URL, true, []*client.Client{w.Client}
			th.populate(s)
			sources := []string{first}
			for round := range 3 {
				victim := spawn(t, "--database", w.Database)
				th.clients = []*client.Client{w.Client, harness.Client(t, victim.url)}
				var group sync.WaitGroup
				group.Go(func() { th.run(s+uint64(round), *operations/4, 16) })
				before := th.done()
				for th.done() < before+*operations/16 { // well under way
					must(w.About(t.Context()))(t)
				}
				next := first // there and back
				if round < 2 {
					m.evolve(round)
					next = m.source()
				}
				got := must(w.Apply(t.Context(), "test.yaml", []byte(next)))(t)
				victim.kill(t)
				must(w.AwaitVersion(t.Context(), got.Version, nil))(t)
				t.Logf("version %d: %d steps", got.Version, got.Steps)
				group.Wait()
				sources = append(sources, next)
			}
			w.Evolving.Store(false)
			th.source = sources[len(sources)-1]
			th.design = must(language.Read("test.yaml", []byte(th.source)))(t)
			th.asTheModelSays()
			w.auditFindsNothing()
			if t.Failed() {
				for _, source := range sources {
					t.Log(source)
				}
			}
		})
	}
}
