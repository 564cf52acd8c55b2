package design

import "fmt"

// checkWhole finds names that would mean two things. The path of a document
// followed by a name leads to its nested documents, to the other ends of its
// pairs, or to the documents that point at it: so these share one space of names.
func (r *reader) checkWhole() {
	r.checkTopNames()
	type use struct{ what string }
	for _, c := range r.design.Collections {
		taken := map[string]use{}
		claim := func(at Pos, name, what string) {
			if name == "" {
				return
			}
			if first, ok := taken[name]; ok {
				r.problem(at, CodeNameTaken, fmt.Sprintf("%q of a document of %q would mean both %s and %s", name, c.Name, first.what, what), "choose another name")
				return
			}
			taken[name] = use{what}
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
			r.problem(p.Pos, CodeNameTaken, fmt.Sprintf("there is a collection %q already", p.Name), "call the pair something else")
		}
	}
}
