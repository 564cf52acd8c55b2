package design

import (
	"fmt"
	"slices"
	"strings"
)

// checkCircles finds kept values that would be derived from themselves.
func (r *reader) checkCircles() {
	done := map[*Kept]bool{}
	var path []*Kept
	var walk func(*Kept)
	walk = func(k *Kept) {
		if at := slices.Index(path, k); at >= 0 {
			r.circle(path[at:])
			return
		}
		if done[k] {
			return
		}
		done[k] = true
		path = append(path, k)
		for _, next := range k.buildsOn() {
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

func (k *Kept) buildsOn() []*Kept {
	var on []*Kept
	for _, p := range append(slices.Clone(k.Parts), k.Of) {
		if p.Kept != nil {
			on = append(on, p.Kept)
		}
	}
	return on
}

func (r *reader) circle(members []*Kept) {
	var names []string
	for _, k := range append(slices.Clone(members), members[0]) {
		names = append(names, k.In.Name+"."+k.Name)
	}
	if len(members) == 1 {
		r.problem(members[0].Pos, CodeContradicted,
			fmt.Sprintf("kept value %s would be derived from itself", names[0]), "leave it out of its own values")
		return
	}
	r.problem(members[0].Pos, CodeContradicted,
		"kept values would be derived from one another in a circle: "+strings.Join(names, " from "),
		"let one of them do without the next")
}
