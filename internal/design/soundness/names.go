package soundness

import (
	"fmt"

	"yalvo/internal/design"
)

// checkPaths finds names that would mean two things. The path of a document
// followed by a name leads to its nested documents, to the other ends of its
// pairs, or to the documents that point at it: so these share one space of names.
func (r *review) checkPaths() {
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
func (r *review) checkTopNames() {
	for _, p := range r.design.Pairs {
		if r.design.Collection(p.Name) != nil {
			r.problem(p.Pos, design.CodeNameTaken, fmt.Sprintf("there is a collection %q already", p.Name),
				"call the pair something else")
		}
	}
}
