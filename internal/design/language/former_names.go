package language

import (
	"fmt"

	"yalvo/internal/design"
)

// was reads the name that something had in the version of the design before: it
// takes along what is stored under that name. When the version is in force, the
// key says nothing any more and may stay.
func (r *reader) was(into *string, name string) func(*node) {
	return func(n *node) {
		if *into = r.name(n, "was"); *into == name {
			r.problem(n.pos, design.CodeContradicted, fmt.Sprintf("%q has that name already", name), "leave was out")
		}
	}
}
