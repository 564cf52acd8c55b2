package design

import (
	"fmt"
	"slices"
)

// Nearest finds the known name closest to a mistyped one, "" if none is near.
// Distance is Damerau's (optimal string alignment): insert, delete, replace or
// swap neighbours. A third of the word may be wrong, at least one letter.
func Nearest(name string, known []string) string {
	best, bestDistance := "", max(1, len(name)/3)+1
	for _, k := range slices.Sorted(slices.Values(known)) {
		if max(len(name)-len(k), len(k)-len(name)) >= bestDistance { // so is their distance: a long name costs nothing
			continue
		}
		if d := editDistance(name, k); d < bestDistance {
			best, bestDistance = k, d
		}
	}
	return best
}

// Meant says after a name that nobody knows which one may be meant, or which there are.
func Meant(name string, known []string) string {
	if near := Nearest(name, known); near != "" {
		return fmt.Sprintf("did you mean %q?", near)
	}
	if len(known) == 0 {
		return "it has none"
	}
	return "it has " + Listed(known)
}

// NoSuch says that a design has none of a kind with a name ("collection", "pair", "collection
// or pair", "timeline" or "list"), and which one may be meant.
func (d *Design) NoSuch(kind, name string) string {
	var known []string
	switch kind {
	case "collection":
		known = NamesOf(d.Collections, func(c *Collection) string { return c.Name })
	case "pair":
		known = NamesOf(d.Pairs, func(p *Pair) string { return p.Name })
	case "collection or pair":
		known = append(NamesOf(d.Collections, func(c *Collection) string { return c.Name }),
			NamesOf(d.Pairs, func(p *Pair) string { return p.Name })...)
	case "timeline":
		known = NamesOf(d.Timelines, func(t *Timeline) string { return t.Name })
	case "list":
		known = NamesOf(d.Lists, func(l *Listing) string { return l.Name })
	case "screen":
		known = NamesOf(d.Screens, func(s *Screen) string { return s.Name })
	}
	return fmt.Sprintf("the design has no %s %q: %s", kind, Clip(name), Meant(name, known))
}

func editDistance(a, b string) int {
	before, above, row := []int(nil), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range above {
		above[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(above[j]+1, row[j-1]+1, above[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, above, row = above, row, make([]int, len(b)+1)
	}
	return above[len(b)]
}
