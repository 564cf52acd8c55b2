package language

import (
	"fmt"

	"yalvo/internal/design"
)

func (r *reader) readPairs(n *node) {
	r.named(n, "pairs", func(name string, at design.Pos, value *node) {
		p := &design.Pair{Name: name, Pos: at}
		r.design.Pairs = append(r.design.Pairs, p)
		r.mapping(value, fmt.Sprintf("pair %q", name), keys{
			"from":       func(n *node) { r.readEnd(n, &p.From) },
			"to":         func(n *node) { r.readEnd(n, &p.To) },
			"from_calls": func(n *node) { p.FromCalls = r.name(n, "from_calls") },
			"to_calls":   func(n *node) { p.ToCalls = r.name(n, "to_calls") },
			"self":       r.boolean(&p.Self),
			"dissolves":  func(n *node) { r.readDissolves(n, p) },
			"was":        r.was(&p.Was, name),
			"fields":     func(n *node) { p.Fields = r.readFields(n, nil) },
		}, "from", "to", "from_calls", "to_calls")
	})
}

func (r *reader) readEnd(n *node, into **design.Collection) {
	name := r.word(n, "an end of a pair")
	r.later = append(r.later, func() { *into = r.collection(n.pos, name) })
}

// readDissolves resolves the pairs that end when p is set, when the ends of
// all pairs are known.
func (r *reader) readDissolves(n *node, p *design.Pair) {
	words := r.words(n, "dissolves")
	r.last = append(r.last, func() {
		for _, w := range words {
			other := r.pair(w.pos, w.scalar.(string))
			switch {
			case other == nil:
			case other == p:
				r.problem(w.pos, design.CodeContradicted, fmt.Sprintf("pair %q would dissolve itself", p.Name), "")
			case !p.Joins(other.From, other.To) && !p.Joins(other.To, other.From):
				r.problem(w.pos, design.CodeContradicted,
					fmt.Sprintf("pair %q joins other collections than %q, so there is nothing to dissolve", other.Name,
						p.Name), "")
			default:
				p.Dissolves = append(p.Dissolves, other)
			}
		}
	})
}
