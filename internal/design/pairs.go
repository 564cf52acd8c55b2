package design

import "fmt"

func (r *reader) readPairs(n *node) {
	r.named(n, "pairs", func(name string, at Pos, value *node) {
		p := &Pair{Name: name, Pos: at}
		r.design.Pairs = append(r.design.Pairs, p)
		r.mapping(value, fmt.Sprintf("pair %q", name), keys{
			"from":       func(n *node) { r.readEnd(n, &p.From) },
			"to":         func(n *node) { r.readEnd(n, &p.To) },
			"from_calls": func(n *node) { p.FromCalls = r.name(n, "from_calls") },
			"to_calls":   func(n *node) { p.ToCalls = r.name(n, "to_calls") },
			"self":       r.boolean(&p.Self),
			"dissolves":  notYet,
			"fields":     notYet,
		}, "from", "to", "from_calls", "to_calls")
	})
}

func (r *reader) readEnd(n *node, into **Collection) {
	name := r.word(n, "an end of a pair")
	r.later = append(r.later, func() { *into = r.collection(n.pos, name) })
}
