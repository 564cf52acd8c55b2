package language

import (
	"fmt"
	"slices"

	"yalvo/internal/design"
)

// The length of a timeline: how many entries it holds for each owner.
const (
	DefaultLength = 1000
	MaxLength     = 10000
)

func (r *reader) readTimelines(n *node) {
	r.named(n, "timelines", func(name string, at design.Pos, value *node) {
		t := &design.Timeline{Name: name, Pos: at, Length: DefaultLength, Deliver: design.Push}
		r.design.Timelines = append(r.design.Timelines, t)
		r.mapping(value, fmt.Sprintf("timeline %q", name), keys{
			"owner":   func(n *node) { r.readEnd(n, &t.Owner) },
			"entries": func(n *node) { r.readEnd(n, &t.Entries) },
			"by":      func(n *node) { r.readBy(n, t) },
			"through": func(n *node) { r.readThrough(n, t) },
			"own":     r.boolean(&t.Own),
			"was":     r.was(&t.Was, name),
			"length":  func(n *node) { t.Length = r.length(n) },
			"carry":   func(n *node) { r.readCarry(n, t) },
			"order":   func(n *node) { r.readOrder(n, t) },
			"deliver": func(n *node) {
				t.Deliver = design.Deliver(r.choice(n, "deliver", []string{"push", "pull", "mixed"}, nil))
			},
			"above":  func(n *node) { t.Above = r.above(n) },
			"unless": func(n *node) { r.readUnless(n, t) },
		}, "owner", "entries", "by", "through")
		r.last = append(r.last, func() { r.checkTimeline(t) }) // after by and carry, which come last too
	})
}

func (r *reader) readBy(n *node, t *design.Timeline) {
	name := r.word(n, "by")
	r.last = append(r.last, func() {
		if t.Entries != nil {
			t.By = r.reference(n.pos, t.Entries, name)
		}
	})
}

func (r *reader) readThrough(n *node, t *design.Timeline) {
	name := r.word(n, "through")
	r.later = append(r.later, func() { t.Through = r.pair(n.pos, name) })
}

// readOrder: entries are in the order of their creation or of one of their fields.
func (r *reader) readOrder(n *node, t *design.Timeline) {
	name := r.word(n, "order")
	r.last = append(r.last, func() {
		if name == "created" || name == "" || t.Entries == nil {
			return
		}
		f := t.Entries.Field(name)
		switch {
		case f == nil && t.Entries.KeptValue(name) != nil:
			r.problem(n.pos, design.CodeContradicted,
				fmt.Sprintf("timeline %q cannot be ordered by the kept value %q: each change of it would move the "+
					"entry in every timeline", t.Name, name), "order by created, or by a timestamp or integer that "+
					"is a field")
		case f == nil:
			r.unknown(n.pos, design.CodeUnknownName,
				fmt.Sprintf("collection %q has no field %q to order by", t.Entries.Name, name), name,
				append(design.FieldNames(t.Entries.Fields), "created"))
		case f.Type != design.Timestamp && f.Type != design.Integer:
			r.problem(n.pos, design.CodeContradicted,
				fmt.Sprintf("timeline %q cannot be ordered by %q, which is of type %s", t.Name, name, f.Type),
				"order by created, or by a field of type timestamp or integer")
		case !f.Required && f.Default == nil:
			r.problem(n.pos, design.CodeContradicted,
				fmt.Sprintf("timeline %q is ordered by %q, and an entry may lack it", t.Name, name),
				"let the field be required")
		default:
			t.Order = f
		}
	})
}

func (r *reader) above(n *node) int {
	many, ok := n.scalar.(int64)
	if !ok || many < 1 {
		r.problem(n.pos, design.CodeBadValue,
			fmt.Sprintf("above must be a whole number of followers, at least 1, this is %s",
				describe(n)), "")
		return 1
	}
	return int(many)
}

// checkDelivery: how many follow an author must be known where it matters.
func (r *reader) checkDelivery(t *design.Timeline) {
	switch {
	case t.Deliver != design.Mixed && t.Above != 0:
		r.problem(t.Pos, design.CodeContradicted,
			fmt.Sprintf("timeline %q: above means nothing unless deliver is mixed",
				t.Name), "leave it out, or write `deliver: mixed`")
	case t.Deliver == design.Mixed && t.Above == 0:
		r.problem(t.Pos, design.CodeMissingKey,
			fmt.Sprintf("timeline %q is delivered mixed and needs the key \"above\"",
				t.Name), "write `above: 10000`: authors with more followers are collected from when read")
	case t.Deliver == design.Mixed && t.Followers() == nil:
		r.problem(t.Pos, design.CodeContradicted, fmt.Sprintf("timeline %q is delivered mixed, and nothing counts the "+
			"followers of %q", t.Name, t.By.To.Name),
			fmt.Sprintf("keep a count in %s, as in `follower_count: {count: %s.to}`", t.By.To.Name, t.Through.Name))
	}
}

func (r *reader) readUnless(n *node, t *design.Timeline) {
	u := &design.Unless{}
	t.Unless = u
	r.mapping(n, "unless", keys{
		"paired": func(n *node) {
			name := r.word(n, "paired")
			r.later = append(r.later, func() { u.Paired = r.pair(n.pos, name) })
		},
		"either_way": r.boolean(&u.EitherWay),
	}, "paired")
	r.last = append(r.last, func() {
		if p := u.Paired; p != nil && t.Owner != nil && t.By != nil && t.By.To != nil && p.From != nil && p.To != nil {
			r.checkUnless(n.pos, t, p)
		}
	})
}

func (r *reader) checkUnless(at design.Pos, t *design.Timeline, p *design.Pair) {
	switch {
	case p == t.Through:
		r.problem(at, design.CodeContradicted,
			fmt.Sprintf("timeline %q brings entries through %q and leaves them out for "+
				"the same pair", t.Name, p.Name), "name another pair, such as a block")
	case !p.Joins(t.Owner, t.By.To):
		r.problem(at, design.CodeContradicted,
			fmt.Sprintf("pair %q goes from %q to %q, not from the owner of the timeline "+
				"(%s) to the author (%s)", p.Name, p.From.Name, p.To.Name, t.Owner.Name, t.By.To.Name), "")
	case t.Unless.EitherWay && t.Owner != t.By.To:
		r.problem(at, design.CodeContradicted,
			"either_way needs owners and authors of one collection", "leave either_way out")
	}
}

func (r *reader) length(n *node) int {
	l, ok := n.scalar.(int64)
	if !ok || l < 1 || l > MaxLength {
		r.problem(n.pos, design.CodeBadValue,
			fmt.Sprintf("length must be a whole number from 1 to %d, this is %s", MaxLength,
				describe(n)), "")
		return DefaultLength
	}
	return int(l)
}

func (r *reader) readCarry(n *node, t *design.Timeline) {
	words := r.words(n, "carry")
	r.last = append(r.last, func() {
		if t.Entries != nil {
			t.Carry = r.parts(words, t.Entries, "carry")
		}
	})
}

// parts resolves names of fields and kept values of a collection; verb says
// what is done with them.
func (r *reader) parts(words []*node, c *design.Collection, verb string) []design.Part {
	var parts []design.Part
	for _, w := range words {
		p, ok := r.part(w, c, verb)
		switch {
		case !ok:
		case slices.Contains(parts, p):
			r.problem(w.pos, design.CodeNameTaken, fmt.Sprintf("%q stands here twice", p.Name()), "")
		default:
			parts = append(parts, p)
		}
	}
	return parts
}

func (r *reader) part(w *node, c *design.Collection, verb string) (design.Part, bool) {
	name := w.scalar.(string)
	p := design.Part{Field: c.Field(name), Kept: c.KeptValue(name)}
	if p.Field == nil && p.Kept == nil {
		known := append(design.FieldNames(c.Fields),
			design.NamesOf(c.Kept, func(k *design.Kept) string { return k.Name })...)
		r.unknown(w.pos, design.CodeUnknownName,
			fmt.Sprintf("collection %q has nothing called %q to %s", c.Name, name, verb),
			name, known)
		return p, false
	}
	return p, true
}

// checkTimeline sees that owner, pair and author fit together.
func (r *reader) checkTimeline(t *design.Timeline) {
	if t.Owner == nil || t.Through == nil || t.By == nil || t.By.To == nil || t.Through.From == nil ||
		t.Through.To == nil {
		return // already a problem
	}
	if t.Through.From != t.Owner {
		r.problem(t.Pos, design.CodeContradicted,
			fmt.Sprintf("timeline %q is owned by %q, but pair %q goes from %q", t.Name,
				t.Owner.Name, t.Through.Name, t.Through.From.Name), "the owner must be the pair's from side")
	}
	if t.Through.To != t.By.To {
		r.problem(t.Pos, design.CodeContradicted,
			fmt.Sprintf("timeline %q: pair %q goes to %q, but %q points at %q", t.Name,
				t.Through.Name, t.Through.To.Name, t.By.Name, t.By.To.Name), "")
	}
	r.checkDelivery(t)
	if t.Own && t.By.To != t.Owner {
		r.problem(t.Pos, design.CodeContradicted,
			fmt.Sprintf("timeline %q: own entries need authors that own timelines",
				t.Name), "leave own out")
	}
}
