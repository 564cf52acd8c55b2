package soundness

import (
	"fmt"
	"slices"

	"yalvo/internal/design"
)

// Limits of a design. They bound what a design in force costs, for each document and in all.
const (
	MaxNames    = 2000 // collections, fields, kept values, pairs, timelines and triggers together
	MaxTriggers = 100
	MaxUnder    = 8      // ids in the key of a nested document
	MaxShown    = 2000   // values that the kept values of one document show together
	MaxShownAll = 20_000 // values that the kept values of the whole design show, of one document each
)

// top is the place of what concerns the whole file.
var top = design.Pos{Line: 1, Column: 1}

// checkSize sees that a design has no more names than a service can work by.
func (r *review) checkSize() bool {
	d := r.design
	names := len(d.Collections) + len(d.Pairs) + len(d.Timelines) + len(d.Triggers)
	for _, c := range d.Collections {
		names += countFields(c.Fields) + len(c.Kept) + len(c.Checks)
	}
	for _, p := range d.Pairs {
		names += countFields(p.Fields)
	}
	if names > MaxNames {
		r.problem(top, design.CodeTooLarge,
			fmt.Sprintf("the design has %d names, %d are allowed: collections, fields, "+
				"kept values, pairs, timelines and triggers together", names, MaxNames), "")
	}
	if len(d.Triggers) > MaxTriggers {
		r.problem(d.Triggers[MaxTriggers].Pos, design.CodeTooLarge,
			fmt.Sprintf("the design has %d triggers, %d are allowed",
				len(d.Triggers), MaxTriggers), "")
	}
	return names <= MaxNames && len(d.Triggers) <= MaxTriggers
}

// checkDepth sees that keys do not grow without end.
func (r *review) checkDepth() {
	for _, c := range r.design.Collections {
		if depth := c.Depth(); depth > MaxUnder {
			r.problem(c.Pos, design.CodeTooLarge,
				fmt.Sprintf("documents of %q lie %d deep, %d are allowed", c.Name, depth,
					MaxUnder), "let one of them stand alone and point at its parent")
			return
		}
	}
}

func countFields(fields []*design.Field) int {
	n := len(fields)
	for _, f := range fields {
		n += countFields(f.Fields)
		if f.Of != nil {
			n += countFields(f.Of.Fields)
		}
	}
	return n
}

// checkShown sees that what documents show of others stays within bounds: a
// copy of copies, or the latest of latest, can double at every step.
func (r *review) checkShown() {
	if len(r.problems) > 0 {
		return // a circle never ends
	}
	known, all := map[*design.Kept]int{}, 0
	for _, c := range r.design.Collections {
		sum := 0
		for _, k := range c.Kept {
			sum += shownBy(k, known)
		}
		if all += min(sum, MaxShown); sum > MaxShown {
			largest := slices.MaxFunc(c.Kept, func(a, b *design.Kept) int {
				return shownBy(a, known) - shownBy(b, known)
			})
			r.problem(largest.Pos, design.CodeTooLarge,
				fmt.Sprintf("the kept values of %q show %s values together, %d are "+
					"allowed", c.Name, atMost(sum), MaxShown), "show fewer fields, or less of what is itself kept")
		}
	}
	if all > MaxShownAll {
		r.problem(top, design.CodeTooLarge,
			fmt.Sprintf("the kept values of the design show %d values together, %d are "+
				"allowed", all, MaxShownAll), "show fewer fields")
	}
}

// muchShown is where counting what is shown ends.
const muchShown = 1_000_000

func atMost(n int) string {
	if n >= muchShown {
		return fmt.Sprintf("%d or more", n)
	}
	return fmt.Sprint(n)
}

// shownBy is how many single values a kept value shows, up to [muchShown].
func shownBy(k *design.Kept, known map[*design.Kept]int) int {
	if n, is := known[k]; is {
		return n
	}
	each := 1
	for _, p := range k.Parts {
		if p.Kept != nil {
			each += shownBy(p.Kept, known)
		} else {
			each += 1 + countFields([]*design.Field{p.Field})
		}
	}
	known[k] = min(each*max(k.HowMany, 1), muchShown)
	return known[k]
}
