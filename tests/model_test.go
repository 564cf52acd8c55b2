package tests

import (
	"cmp"
	"encoding/json"
	"fmt"
	"math/big"
	"slices"
	"strings"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// A model is a small, slow, in-memory version of what a design means: facts,
// and functions that derive every duplicate from all of them anew. It has no
// SQL, no queues and no upkeep, so there is nothing in it that could drift.
type model struct {
	design *design.Design
	docs   map[string]*thing // by path
	pairs  map[string]map[ends]*couple
}

type thing struct {
	in      *design.Collection
	key     string
	parent  *thing
	created time.Time
	updated time.Time
	fields  map[string]any
	refs    map[string]*thing // where references pointed when they were written
	frozen  map[string]any    // the frozen copies it was given
	origins map[string]*thing // and of whom
	gone    bool
}

type ends struct{ from, to *thing }

type couple struct {
	since  time.Time
	fields map[string]any
}

func newModel(d *design.Design) *model {
	m := &model{design: d, docs: map[string]*thing{}, pairs: map[string]map[ends]*couple{}}
	for _, p := range d.Pairs {
		m.pairs[p.Name] = map[ends]*couple{}
	}
	return m
}

func (m *model) all(c *design.Collection) []*thing {
	var found []*thing
	for _, d := range m.docs {
		if d.in == c {
			found = append(found, d)
		}
	}
	return found
}

// write sets fields of a document, as its creation and its patches do: null
// takes a field away, and a reference points at what bears the key by then.
func (m *model) write(d *thing, fields map[string]any) {
	var moved []*design.Field
	for name, v := range fields {
		f := d.in.Field(name)
		if f.Type == design.Reference && d.fields[name] != v {
			delete(d.refs, name)
			if v != nil {
				d.refs[name] = m.docs[f.To.Path(v.(string))]
				moved = append(moved, f)
			}
		}
		d.fields[name] = v
		if v == nil {
			delete(d.fields, name)
		}
	}
	for _, f := range moved {
		m.freeze(d, f)
	}
}

// freeze gives a document the frozen copies that it has not got yet.
func (m *model) freeze(d *thing, via *design.Field) {
	for _, k := range d.in.Kept {
		if _, given := d.frozen[k.Name]; k.Frozen && k.Via == via && !given {
			d.frozen[k.Name], d.origins[k.Name] = m.parts(d.refs[via.Name], k.Parts), d.refs[via.Name]
		}
	}
}

// bond is a pair that stood.
type bond struct {
	*design.Pair
	ends
	fields map[string]any
}

// remove takes a document away, and returns the pairs that ended with it.
func (m *model) remove(path string) []bond {
	d := m.docs[path]
	d.gone = true
	delete(m.docs, path)
	var ended []bond
	for _, p := range m.design.Pairs {
		for e := range m.pairs[p.Name] {
			if e.from == d || e.to == d {
				ended = append(ended, m.unset(p, e)...)
			}
		}
	}
	return ended
}

// forget empties the frozen copies of a document that is gone. They stay empty.
func (m *model) forget(gone *thing) {
	for _, d := range m.docs {
		for name, origin := range d.origins {
			if origin == gone {
				d.frozen[name] = nil
			}
		}
	}
}

func (m *model) unset(p *design.Pair, e ends) []bond {
	stood := m.pairs[p.Name][e]
	if stood == nil {
		return nil
	}
	delete(m.pairs[p.Name], e)
	return []bond{{p, e, stood.fields}}
}

// set makes a pair, or changes the fields of one that stands. It tells whether
// it is new, and returns the pairs that it dissolved.
func (m *model) set(p *design.Pair, from, to *thing, fields map[string]any) (fresh bool, ended []bond) {
	e := ends{from, to}
	if fresh = m.pairs[p.Name][e] == nil; fresh {
		m.pairs[p.Name][e] = &couple{}
		for _, other := range p.Dissolves {
			same, reversed := p.EndsWith(other)
			if same {
				ended = append(ended, m.unset(other, e)...)
			}
			if reversed {
				ended = append(ended, m.unset(other, ends{to, from})...)
			}
		}
	}
	if fields != nil {
		m.pairs[p.Name][e].fields = fields
	}
	return fresh, ended
}

// paired tells whether a pair of a kind stands.
func (m *model) paired(p *design.Pair, from, to *thing) bool {
	return m.pairs[p.Name][ends{from, to}] != nil
}

// source is one of what a kept value sums up.
type source struct {
	doc    *thing // of a pair, the other end
	fields map[string]any
	at     time.Time
}

// holds: without a condition, always.
func holds(condition *expr.Expr, values map[string]any) bool {
	if condition == nil {
		return true
	}
	is, err := condition.Holds(values)
	return err == nil && is
}

func (m *model) sources(d *thing, k *design.Kept) []source {
	var found []source
	add := func(s source, condition string) {
		if holds(k.Where, map[string]any{condition: typed(s.fields)}) {
			found = append(found, s)
		}
	}
	if k.Pair != nil {
		for e, c := range m.pairs[k.Pair.Name] {
			here, there := e.from, e.to
			if k.Side == design.To {
				here, there = e.to, e.from
			}
			if here == d {
				add(source{there, c.fields, c.since}, "pair")
			}
		}
		return found
	}
	for _, s := range m.all(k.Sources()) {
		if k.Nested != nil && s.parent == d || k.Via != nil && s.refs[k.Via.Name] == d {
			add(source{s, s.fields, s.created}, "doc")
		}
	}
	return found
}

// typed: conditions see whole numbers as such.
func typed(fields map[string]any) map[string]any {
	out := map[string]any{}
	for name, v := range fields {
		if x, ok := v.(float64); ok && x == float64(int64(x)) {
			v = int64(x)
		}
		out[name] = v
	}
	return out
}

// kept derives a kept value.
func (m *model) kept(d *thing, k *design.Kept) any {
	if k.Frozen {
		return d.frozen[k.Name]
	}
	if k.Kind == design.Copy {
		target := d.refs[k.Via.Name]
		if target == nil || target.gone {
			return nil
		}
		return m.parts(target, k.Parts)
	}
	sources := m.sources(d, k)
	switch k.Kind {
	case design.Count:
		return len(sources)
	case design.Sum, design.Min, design.Max:
		return m.total(k, sources)
	}
	slices.SortFunc(sources, func(a, b source) int { return b.at.Compare(a.at) })
	list := []any{}
	for _, s := range sources[:min(len(sources), k.HowMany)] {
		if k.Kind == design.Gather {
			list = append(list, s.doc.key)
			continue
		}
		item := m.parts(s.doc, k.Parts)
		item["id"], item["path"] = s.doc.key[strings.LastIndexByte(s.doc.key, '/')+1:], s.doc.in.Path(s.doc.key)
		list = append(list, item)
	}
	return list
}

func (m *model) parts(d *thing, parts []design.Part) map[string]any {
	out := map[string]any{}
	for _, p := range parts {
		if p.Kept != nil {
			out[p.Kept.Name] = m.kept(d, p.Kept)
		} else if v, has := d.fields[p.Field.Name]; has {
			out[p.Field.Name] = v
		}
	}
	return out
}

func (m *model) total(k *design.Kept, sources []source) any {
	var values []*big.Rat
	for _, s := range sources {
		v := s.fields[k.Of.Name()]
		if k.Of.Kept != nil {
			v = m.kept(s.doc, k.Of.Kept)
		}
		if v == nil {
			continue
		}
		if at, is := v.(string); is {
			t, err := time.Parse(time.RFC3339Nano, at)
			if err != nil {
				panic(err)
			}
			v = t.UnixMicro()
		}
		x, ok := new(big.Rat).SetString(fmt.Sprint(v))
		if !ok {
			panic(fmt.Sprint("no number: ", v))
		}
		values = append(values, x)
	}
	sum := new(big.Rat)
	for _, x := range values {
		sum.Add(sum, x)
	}
	if k.Kind == design.Sum {
		return number(sum)
	}
	if len(values) == 0 {
		return nil
	}
	best := slices.MinFunc(values, (*big.Rat).Cmp)
	if k.Kind == design.Max {
		best = slices.MaxFunc(values, (*big.Rat).Cmp)
	}
	if k.Timed() {
		return design.FormatTime(time.UnixMicro(best.Num().Int64()))
	}
	return number(best)
}

func number(x *big.Rat) float64 {
	f, _ := x.Float64()
	return f
}

// timeline derives the entries of an owner's timeline, newest first.
func (m *model) timeline(t *design.Timeline, owner *thing) []string {
	paths := m.timelineOfAll(t, owner)
	return paths[:min(len(paths), t.Length)]
}

// timelineOfAll is the timeline as it would be if it had no end.
func (m *model) timelineOfAll(t *design.Timeline, owner *thing) []string {
	var entries []*thing
	for _, d := range m.all(t.Entries) {
		if author := d.refs[t.By.Name]; author != nil && !author.gone && m.sees(t, owner, author) &&
			m.allows(t.Where, design.NameDoc, m.seen(d)) {
			entries = append(entries, d)
		}
	}
	rank := func(d *thing) int64 {
		if t.Order == nil {
			return d.created.UnixMicro()
		}
		if t.Order.Type == design.Integer {
			return int64(d.fields[t.Order.Name].(int))
		}
		at, err := time.Parse(time.RFC3339Nano, d.fields[t.Order.Name].(string))
		if err != nil {
			panic(err)
		}
		return at.UnixMicro()
	}
	slices.SortFunc(entries, func(a, b *thing) int { return cmp.Or(cmp.Compare(rank(b), rank(a)), b.created.Compare(a.created)) })
	paths := []string{}
	for _, d := range entries {
		paths = append(paths, d.in.Path(d.key))
	}
	return paths
}

func (m *model) sees(t *design.Timeline, owner, author *thing) bool {
	if t.Own && owner == author {
		return true
	}
	barred := slices.ContainsFunc(t.Unless, func(u design.Unless) bool {
		return m.paired(u.Paired, owner, author) || u.EitherWay && m.paired(u.Paired, author, owner)
	})
	tie := m.pairs[t.Through.Name][ends{owner, author}]
	return tie != nil && !barred && m.allows(t.While, design.NamePair, typed(tie.fields))
}

// allows tells whether a condition that names one thing holds, as CEL works it out.
func (m *model) allows(r *design.Rule, name string, value any) bool {
	if r == nil {
		return true
	}
	is, err := r.That.Allows(map[string]any{name: value}, nil)
	return err == nil && is
}

// canonical is a value as JSON with sorted keys, to compare by.
func canonical(v any) string {
	raw, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	var plain any
	if err := json.Unmarshal(raw, &plain); err != nil {
		panic(err)
	}
	raw, err = json.Marshal(plain)
	if err != nil {
		panic(err)
	}
	return string(raw)
}
