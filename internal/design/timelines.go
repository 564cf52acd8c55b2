package design

import (
	"fmt"
	"slices"
)

// The length of a timeline: how many entries it holds for each owner.
const (
	DefaultLength = 1000
	MaxLength     = 10000
)

func (r *reader) readTimelines(n *node) {
	r.named(n, "timelines", func(name string, at Pos, value *node) {
		t := &Timeline{Name: name, Pos: at, Length: DefaultLength}
		r.design.Timelines = append(r.design.Timelines, t)
		r.mapping(value, fmt.Sprintf("timeline %q", name), keys{
			"owner":   func(n *node) { r.readEnd(n, &t.Owner) },
			"entries": func(n *node) { r.readEnd(n, &t.Entries) },
			"by":      func(n *node) { r.readBy(n, t) },
			"through": func(n *node) { r.readThrough(n, t) },
			"own":     r.boolean(&t.Own),
			"length":  func(n *node) { t.Length = r.length(n) },
			"carry":   func(n *node) { r.readCarry(n, t) },
			"order": func(n *node) {
				if order := r.word(n, "order"); order != "created" {
					r.problem(n.pos, CodeNotYet, fmt.Sprintf("order %q is not supported yet", order), "write `order: created`")
				}
			},
			"deliver": func(n *node) { r.choice(n, "deliver", []string{"push"}, []string{"pull", "mixed"}) },
			"unless":  notYet,
		}, "owner", "entries", "by", "through")
		r.last = append(r.last, func() { r.checkTimeline(t) }) // after by and carry, which come last too
	})
}

func (r *reader) readBy(n *node, t *Timeline) {
	name := r.word(n, "by")
	r.last = append(r.last, func() {
		if t.Entries != nil {
			t.By = r.reference(n.pos, t.Entries, name)
		}
	})
}

func (r *reader) readThrough(n *node, t *Timeline) {
	name := r.word(n, "through")
	r.later = append(r.later, func() { t.Through = r.pair(n.pos, name) })
}

func (r *reader) length(n *node) int {
	l, ok := n.scalar.(int64)
	if !ok || l < 1 || l > MaxLength {
		r.problem(n.pos, CodeBadValue, fmt.Sprintf("length must be a whole number from 1 to %d, this is %s", MaxLength, describe(n)), "")
		return DefaultLength
	}
	return int(l)
}

func (r *reader) readCarry(n *node, t *Timeline) {
	words := r.words(n, "carry")
	r.last = append(r.last, func() {
		if t.Entries == nil {
			return
		}
		for _, w := range words {
			r.resolveCarried(w, t)
		}
	})
}

func (r *reader) resolveCarried(w *node, t *Timeline) {
	name := w.scalar.(string)
	c := Carried{Field: t.Entries.Field(name), Kept: t.Entries.KeptValue(name)}
	if c.Field == nil && c.Kept == nil {
		known := append(fieldNames(t.Entries.Fields), namesOf(t.Entries.Kept, func(k *Kept) string { return k.Name })...)
		r.unknown(w.pos, CodeUnknownName, fmt.Sprintf("collection %q has nothing called %q to carry", t.Entries.Name, name), name, known)
		return
	}
	if slices.Contains(t.Carry, c) {
		r.problem(w.pos, CodeNameTaken, fmt.Sprintf("%q is carried twice", name), "")
		return
	}
	t.Carry = append(t.Carry, c)
}

// checkTimeline sees that owner, pair and author fit together.
func (r *reader) checkTimeline(t *Timeline) {
	if t.Owner == nil || t.Through == nil || t.By == nil || t.By.To == nil || t.Through.From == nil || t.Through.To == nil {
		return // already a problem
	}
	if t.Through.From != t.Owner {
		r.problem(t.Pos, CodeContradicted, fmt.Sprintf("timeline %q is owned by %q, but pair %q goes from %q", t.Name, t.Owner.Name, t.Through.Name, t.Through.From.Name), "the owner must be the pair's from side")
	}
	if t.Through.To != t.By.To {
		r.problem(t.Pos, CodeContradicted, fmt.Sprintf("timeline %q: pair %q goes to %q, but %q points at %q", t.Name, t.Through.Name, t.Through.To.Name, t.By.Name, t.By.To.Name), "")
	}
	if t.Own && t.By.To != t.Owner {
		r.problem(t.Pos, CodeContradicted, fmt.Sprintf("timeline %q: own entries need authors that own timelines", t.Name), "leave own out")
	}
}
