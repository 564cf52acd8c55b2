package compare

import (
	"strings"

	"yalvo/internal/design"
)

func (c *comparing) comparePairs() {
	for _, n := range c.To.Pairs {
		o := c.pairs.old[n]
		if o != nil && (c.newName(o.From) != n.From.Name || c.newName(o.To) != n.To.Name) {
			c.pairs.part(o, n) // it joins other documents: what is stored of it is of another kind
			o = nil
		}
		if o == nil {
			c.differ(Difference{Kind: "pair", Name: n.Name, How: Added})
		}
	}
	for _, n := range c.To.Pairs {
		if o := c.pairs.old[n]; o != nil {
			c.comparePair(o, n)
		}
	}
	for _, o := range c.pairs.gone {
		c.differ(Difference{Kind: "pair", Name: o.Name, How: Dropped, Effects: []Effect{Drop}})
		c.retire("pair", o.Name)
	}
}

func (c *comparing) comparePair(o, n *design.Pair) {
	c.carry("pair", o.Name, n.Name)
	d := Difference{Kind: "pair", Name: n.Name}
	if o.Name != n.Name {
		d.How, d.Was = Renamed, o.Name
	}
	for _, w := range []struct{ what, from, to string }{
		{"from_calls", o.FromCalls, n.FromCalls}, {"to_calls", o.ToCalls, n.ToCalls},
		{"self", yes(o.Self), yes(n.Self)},
		{"dissolves", dissolved(o, c.newPair), dissolved(n, func(p *design.Pair) string { return p.Name })},
	} {
		if w.from != w.to {
			d.What = append(d.What, changed(w.what, w.from, w.to))
		}
	}
	if len(d.What) > 0 && d.How == "" {
		d.How = Changed
	}
	alone := o.Self && !n.Self && n.From == n.To // those with themselves do not fit
	if alone {
		d.Effects = append(d.Effects, Check)
	}
	if d.How != "" {
		c.differ(d)
	}
	r := c.rewrite(n.Name+".", match(c, "field", o.Fields, n.Fields, fieldNames), n.Fields, nil)
	r.of, r.name, r.old = design.ShapeOf(o.Fields), "pair", o.Fields
	r.Checks = r.Checks || alone
	r.Looser = r.Looser || n.Self && !o.Self
	c.compile(r)
	if r.Needed || r.Checks || r.Looser {
		c.Rewrites[n.Name] = r
	}
}

func dissolved(p *design.Pair, name func(*design.Pair) string) string {
	var all []string
	for _, other := range p.Dissolves {
		all = append(all, name(other))
	}
	return none(strings.Join(all, ", "))
}

func yes(b bool) string {
	if b {
		return "true"
	}
	return "false"
}
