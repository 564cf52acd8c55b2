package language

import (
	"fmt"

	"yalvo/internal/design"
)

// checkWhole finds names that would mean two things. The path of a document
// followed by a name leads to its nested documents, to the other ends of its
// pairs, or to the documents that point at it: so these share one space of names.
func (r *reader) checkWhole() {
	r.checkTopNames()
	r.checkDepth()
	r.checkCircles()
	r.checkShown()
	r.checkLoops()
	r.checkRemovals()
	for _, c := range r.design.Collections {
		taken := map[string]string{}
		claim := func(at design.Pos, name, what string) {
			if name == "" {
				return
			}
			if first, ok := taken[name]; ok {
				r.problem(at, design.CodeNameTaken,
					fmt.Sprintf("%q of a document of %q would mean both %s and %s", name,
						c.Name, first, what), "choose another name")
				return
			}
			taken[name] = what
		}
		for _, other := range r.design.Collections {
			if other.Under == c {
				claim(other.Pos, other.Name, "its nested documents")
			}
		}
		for _, p := range r.design.Pairs {
			if p.From == c {
				claim(p.Pos, p.FromCalls, fmt.Sprintf("the other ends of pair %q", p.Name))
			}
			if p.To == c {
				claim(p.Pos, p.ToCalls, fmt.Sprintf("the other ends of pair %q", p.Name))
			}
		}
		for _, other := range r.design.Collections {
			for _, f := range other.References() {
				if f.To == c {
					claim(f.Pos, f.Inverse, fmt.Sprintf("the inverse of %s.%s", other.Name, f.Name))
				}
			}
		}
	}
}

// checkTopNames: counts name pairs and collections alike, so they must differ.
func (r *reader) checkTopNames() {
	for _, p := range r.design.Pairs {
		if r.design.Collection(p.Name) != nil {
			r.problem(p.Pos, design.CodeNameTaken, fmt.Sprintf("there is a collection %q already", p.Name),
				"call the pair something else")
		}
	}
}

// checkRemovals finds references that would refuse a removal that cannot be
// refused any more: a document that goes along with another one is gone
// before anybody could be told.
func (r *reader) checkRemovals() {
	for _, c := range r.design.Collections {
		along := r.goesAlongWith(c)
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
func (r *reader) goesAlongWith(c *design.Collection) string {
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
