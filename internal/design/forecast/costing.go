package forecast

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/plan"
)

// costing works out one forecast.
type costing struct {
	p      *plan.Plan
	d      *design.Design
	w      *design.Workload
	rates  Rates
	scale  float64
	spread map[string]Spread // by relation

	without *design.Kept // is not kept; nil: all are

	level Level // whose deed is being worked out
	up    Written
	made  map[Part]Written // what that is made of
}

func (m *Model) costing(scale float64) *costing {
	c := &costing{p: m.p, d: m.p.Design, w: m.w, rates: m.rates, scale: scale, spread: m.spreads[scale], level: Mean}
	if c.spread != nil {
		return c
	}
	c.spread = map[string]Spread{}
	for name, r := range c.d.Relations() {
		if said, is := c.w.Spreads[name]; is {
			c.spread[name] = At(said, scale)
			continue
		}
		if r.Timeline == nil {
			c.spread[name] = Each(c.unsaid(r))
		}
	}
	m.spreads[scale] = c.spread
	return c
}

// unsaid is how many of something each has if nobody says how they are spread: all have the same share of all that
// there are.
func (c *costing) unsaid(r design.Relation) float64 {
	all := c.total(r.Others)
	if r.Pair != nil {
		other := string(design.From)
		if r.Side == design.From {
			other = string(design.To)
		}
		all = c.w.Spreads[r.Pair.Name+"."+other].MeanOf() * c.total(r.Others)
	}
	if of := c.total(r.Of); of > 0 {
		return all / of
	}
	return 0
}

// assumed are the relations and collections of which nobody says how many there are.
func (c *costing) assumed() []string {
	all := append([]string{}, c.lookedFor()...)
	relations := c.d.Relations()
	for _, name := range slices.Sorted(maps.Keys(relations)) {
		if _, said := c.w.Spreads[name]; !said && relations[name].Timeline == nil {
			all = append(all, fmt.Sprintf("each of %s has %.4g of %s", relations[name].Of.Name,
				c.spread[name].Mean(), name))
		}
	}
	for _, col := range c.d.Collections {
		if _, said := c.w.Documents[col.Name]; !said && col != c.d.Accounts {
			all = append(all, "there are none of "+col.Name)
		}
	}
	return all
}

func (c *costing) total(of *design.Collection) float64 { return c.w.Total(c.d, of, c.scale) }

// many is something that depends on how many of a relation one has, of whoever the level means.
func (c *costing) many(relation string, level Level, f func(many float64) float64) float64 {
	s := c.spread[relation]
	switch level {
	case Typical:
		return f(s.Quantile(0.5))
	case High:
		return f(s.Quantile(0.99))
	case Most:
		return f(s.Most())
	}
	return s.MeanOf(f)
}

func same(n float64) float64 { return n }

// atMost is a function that a page or a length cuts off.
func atMost(most float64) func(float64) float64 {
	return func(n float64) float64 { return min(n, most) }
}

// relationOf is what a reference, as a relation, is called.
func relationOf(ref *design.Field) string { return ref.In.Name + "." + ref.Name }

// pushed is how many timelines an entry is written into, by how many followers its author has.
func pushed(t *design.Timeline) func(followers float64) float64 {
	return func(followers float64) float64 {
		if t.Deliver == design.Pull || t.Deliver == design.Mixed && followers > float64(t.Above) {
			return 0
		}
		return followers
	}
}

// distinct is how many different of so many are met in some draws.
func distinct(draws, of float64) float64 {
	if of <= 0 || draws <= 0 {
		return 0
	}
	if of == 1 {
		return 1
	}
	return of * -math.Expm1(draws*math.Log1p(-1/of))
}
