package soundness

import (
	"fmt"

	"yalvo/internal/design"
)

// checkRemovals finds references that would refuse a removal that cannot be
// refused any more: a document that goes along with another one is gone
// before anybody could be told.
func (r *review) checkRemovals() {
	for _, c := range r.design.Collections {
		along := goesAlongWith(c)
		if along == "" {
			continue
		}
		for _, holder := range r.design.Collections {
			for _, f := range holder.References() {
				if f.To == c && f.WhenGone == design.GoneRefuse {
					r.problem(f.Pos, design.CodeContradicted,
						fmt.Sprintf("%q can be removed with %s, and %s.%s would refuse that", c.Name, along,
							holder.Name, f.Name),
						"give "+f.Name+" another when_gone: remove, clear or leave")
				}
			}
		}
	}
}

// goesAlongWith names what takes a collection's documents along when it is removed.
func goesAlongWith(c *design.Collection) string {
	if c.Under != nil {
		return "its parent in " + c.Under.Name
	}
	for _, f := range c.References() {
		if f.WhenGone == design.GoneRemove {
			return c.Name + "." + f.Name
		}
	}
	return ""
}
