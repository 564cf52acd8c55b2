package language

import (
	"fmt"

	"yalvo/internal/design"
)

func (r *reader) readCollections(n *node) {
	r.named(n, "collections", func(name string, at design.Pos, value *node) {
		c := &design.Collection{Name: name, Pos: at}
		r.design.Collections = append(r.design.Collections, c)
		r.mapping(value, fmt.Sprintf("collection %q", name), keys{
			"fields": func(n *node) { c.Fields = r.readFields(n, c) },
			"kept":   func(n *node) { r.readKept(n, c) },
			"under":  func(n *node) { r.readUnder(n, c) },
			"was":    r.was(&c.Was, name),
			"checks": func(n *node) { r.readChecks(n, c) },
		}, "fields")
	})
}

func (r *reader) readUnder(n *node, c *design.Collection) {
	name := r.word(n, "under")
	r.later = append(r.later, func() {
		c.Under = r.collection(n.pos, name)
		for up, steps := c.Under, 0; up != nil && steps <= len(r.design.Collections); up, steps = up.Under, steps+1 {
			if up == c {
				r.problem(n.pos, design.CodeContradicted, fmt.Sprintf("collection %q would lie under itself", c.Name),
					"let one of the circle stand alone")
				c.Under = nil
			}
		}
	})
}
