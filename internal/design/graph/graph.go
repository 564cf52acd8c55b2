package graph

import (
	"yalvo/internal/design"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/words"
)

// Graph is a design as things and what runs between them.
type Graph struct {
	App    string  `json:"app"`
	Things []Thing `json:"things"`
	Ties   []Tie   `json:"ties"`
	Feeds  []Feed  `json:"feeds"`
}

// Kind is the kind of a thing.
type Kind string

// The kinds of things.
const (
	Collection Kind = "collection"
	Pair       Kind = "pair"
	Timeline   Kind = "timeline"
	List       Kind = "list"
	Trigger    Kind = "trigger"
	Screen     Kind = "screen"
)

// Thing is what has a name of its own in the file.
type Thing struct {
	ID       string   `json:"id"` // its place in the file, as in "collections.members"
	Kind     Kind     `json:"kind"`
	Name     string   `json:"name"`
	Accounts bool     `json:"accounts"` // whoever is signed in is one of them
	Line     int      `json:"line"`     // in the file, from 1
	Says     []string `json:"says"`     // in sentences
	Members  []Member `json:"members"`  // of collections and pairs
	Costs    *Costs   `json:"costs,omitempty"`
}

// Member is a field or a kept value.
type Member struct {
	ID    string `json:"id"` // as in "collections.members.fields.name"
	Name  string `json:"name"`
	Kept  bool   `json:"kept"`  // derived from elsewhere; else it is a fact
	Type  string `json:"type"`  // of a field; how a kept value is derived
	Line  int    `json:"line"`  // in the file, from 1
	Rules int    `json:"rules"` // so many rules of access read it
	Says  string `json:"says"`
	Costs *Costs `json:"costs,omitempty"`
}

// Tie is how two things hang together.
type Tie struct {
	From string `json:"from"` // a thing
	To   string `json:"to"`
	By   string `json:"by"` // the member that points, the pair, or the nested collection
	Kind string `json:"kind"`
}

// The kinds of ties.
const (
	Points = "points" // a reference, to what it leads to
	Lies   = "lies"   // a nested collection, to what it lies under
	Ends   = "ends"   // a pair, to a collection that its ends are of
)

// Feed is how something gets where it is used: when the one changes, the other may.
type Feed struct {
	From string `json:"from"` // a thing or a member
	To   string `json:"to"`
}

// Costs are what a thing or a member comes to under the workload, on average.
type Costs struct {
	Copies  float64 `json:"copies"`    // so many are stored
	Bytes   float64 `json:"bytes"`     // so many, of all of them
	PerDay  float64 `json:"per_day"`   // how often one is rewritten; of a screen how often it is opened
	Seconds float64 `json:"seconds"`   // of a processor, a day
	Reads   float64 `json:"documents"` // of a screen: documents that a look reads
}

// builder puts a graph together.
type builder struct {
	d      *design.Design
	g      Graph
	passes map[string][]string // sentences by kind and name
	fed    map[Feed]bool
	readBy map[expr.Member]int // rules of access that read a value
}

// Of is the graph of a design; of its costs nothing is said (see [Graph.Weigh]).
func Of(d *design.Design) Graph {
	b := &builder{d: d, g: Graph{App: d.App, Things: []Thing{}, Ties: []Tie{}, Feeds: []Feed{}},
		passes: map[string][]string{}, fed: map[Feed]bool{}, readBy: readByRules(d)}
	for _, p := range words.Of(d) {
		b.passes[p.Kind+" "+p.About] = p.Sentences
	}
	for _, c := range d.Collections {
		b.collection(c)
	}
	for _, p := range d.Pairs {
		b.pair(p)
	}
	for _, t := range d.Timelines {
		b.timeline(t)
	}
	for _, l := range d.Lists {
		b.list(l)
	}
	for _, t := range d.Triggers {
		b.trigger(t)
	}
	for _, s := range d.Screens {
		b.screen(s)
	}
	return b.g
}

// thing adds a thing; its place in the file is that of its kind's section.
func (b *builder) thing(kind Kind, name string, pos design.Pos) *Thing {
	says := append([]string{}, b.passes[string(kind)+" "+name]...)
	b.g.Things = append(b.g.Things, Thing{ID: idOf(kind, name), Kind: kind, Name: name, Line: pos.Line, Says: says,
		Members: []Member{}})
	return &b.g.Things[len(b.g.Things)-1]
}

func idOf(kind Kind, name string) string { return string(kind) + "s." + name }

func collectionID(c *design.Collection) string { return idOf(Collection, c.Name) }
func pairID(p *design.Pair) string             { return idOf(Pair, p.Name) }

// fieldID is the place of a field of a collection; the parts of an object stand for the whole.
func fieldID(c *design.Collection, name string) string { return collectionID(c) + ".fields." + name }

func keptID(k *design.Kept) string { return collectionID(k.In) + ".kept." + k.Name }

// partID is the place of a value of a collection.
func partID(c *design.Collection, p design.Part) string {
	if p.Kept != nil {
		return keptID(p.Kept)
	}
	return fieldID(c, p.Field.Name)
}

// feed says that one thing feeds another, once.
func (b *builder) feed(from, to string) {
	f := Feed{from, to}
	if from == to || b.fed[f] {
		return
	}
	b.fed[f] = true
	b.g.Feeds = append(b.g.Feeds, f)
}

// member feeds from the value of a collection that has a name, if there is one.
func (b *builder) member(c *design.Collection, name, to string) {
	switch {
	case c == nil:
	case c.Field(name) != nil:
		b.feed(fieldID(c, name), to)
	case c.KeptValue(name) != nil:
		b.feed(keptID(c.KeptValue(name)), to)
	}
}

// reads feeds from all values that a rule reads, and the pairs that it asks for.
func (b *builder) reads(rule *design.Rule, to string) {
	if rule == nil || rule.That == nil {
		return
	}
	for _, m := range rule.That.Reads {
		b.member(b.d.Collection(m.Collection), m.Name, to)
	}
	for _, a := range rule.That.Asks {
		b.feed(idOf(Pair, a.Kind), to)
	}
}

// readByRules is how many rules of access read each value.
func readByRules(d *design.Design) map[expr.Member]int {
	many := map[expr.Member]int{}
	for _, rule := range d.AccessRules() {
		if rule.That == nil {
			continue
		}
		once := map[expr.Member]bool{}
		for _, m := range rule.That.Reads {
			if !once[m] {
				once[m] = true
				many[m]++
			}
		}
	}
	return many
}
