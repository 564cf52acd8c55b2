package soundness

import (
	"fmt"
	"slices"
	"strings"

	"yalvo/internal/design"
)

// checkCircles finds kept values that would be derived from themselves.
func (r *review) checkCircles() {
	done := map[*design.Kept]bool{}
	var path []*design.Kept
	var walk func(*design.Kept)
	walk = func(k *design.Kept) {
		if at := slices.Index(path, k); at >= 0 {
			r.circle(path[at:])
			return
		}
		if done[k] {
			return
		}
		done[k] = true
		path = append(path, k)
		for _, next := range buildsOn(k) {
			walk(next)
		}
		path = path[:len(path)-1]
	}
	for _, c := range r.design.Collections {
		for _, k := range c.Kept {
			walk(k)
		}
	}
}

func buildsOn(k *design.Kept) []*design.Kept {
	var on []*design.Kept
	for _, p := range append(slices.Clone(k.Parts), k.Of) {
		if p.Kept != nil {
			on = append(on, p.Kept)
		}
	}
	return on
}

func (r *review) circle(members []*design.Kept) {
	var names []string
	for _, k := range append(slices.Clone(members), members[0]) {
		names = append(names, k.In.Name+"."+k.Name)
	}
	if len(members) == 1 {
		r.problem(members[0].Pos, design.CodeContradicted,
			fmt.Sprintf("kept value %s would be derived from itself", names[0]), "leave it out of its own values")
		return
	}
	r.problem(members[0].Pos, design.CodeContradicted,
		"kept values would be derived from one another in a circle: "+strings.Join(names, " from "),
		"let one of them do without the next")
}
