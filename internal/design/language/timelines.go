package language

import (
	"fmt"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
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
			"where":  func(n *node) { r.conditions = append(r.conditions, timelineCondition{t, n, false}) },
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

// readThrough: the name of a pair, or that with what its own facts must be.
func (r *reader) readThrough(n *node, t *design.Timeline) {
	if n.shape != mapping {
		r.readThroughPair(n, t)
		return
	}
	r.mapping(n, "through", keys{
		"pair":  func(n *node) { r.readThroughPair(n, t) },
		"where": func(n *node) { r.conditions = append(r.conditions, timelineCondition{t, n, true}) },
	}, "pair", "where")
}

func (r *reader) readThroughPair(n *node, t *design.Timeline) {
	name := r.word(n, "through")
	r.later = append(r.later, func() { t.Through = r.pair(n.pos, name) })
}

// timelineCondition is what must hold of the entries of a timeline, or of the pairs that it
// goes through.
type timelineCondition struct {
	of     *design.Timeline
	at     *node
	ofPair bool
}

// ofTimelineCondition compiles it. The database decides it, for many entries and pairs at
// once and always in the same way.
func (a *accessReader) ofTimelineCondition(c timelineCondition) {
	t, name := c.of, design.NameDoc
	if c.ofPair {
		name = design.NamePair
	}
	if t.Entries == nil || t.Through == nil {
		return
	}
	fields := t.Entries.Fields
	shape := a.scope.Documents[t.Entries.Name]
	if c.ofPair {
		fields, shape = t.Through.Fields, design.ShapeOf(t.Through.Fields)
	}
	rule := a.rule(c.at, t.Name+".where", map[string]expr.Shape{name: shape})
	switch {
	case rule == nil:
	case rule.That == nil:
		a.problem(c.at.pos, design.CodeCondition, "where is always "+rule.Text()+" and decides nothing",
			"leave it out, or write a condition over "+name)
	case slices.ContainsFunc(fields, func(f *design.Field) bool { return f.Type == "" }): // that is a problem already
	case !decidable(rule, name, fields):
		a.problem(c.at.pos, design.CodeCondition, fmt.Sprintf("where of timeline %q is decided by what is stored of "+
			"%s alone, and this asks for more", t.Name, name),
			fmt.Sprintf("compare fields of %s with what stands in the condition (truths, whole numbers, times; texts "+
				"for being equal), ask for one with has(%s.…), and join that with &&, || and !", name, name))
	case c.ofPair:
		t.While = rule
	default:
		t.Where = rule
	}
}

// decidable tells whether a rule names nothing but some fields, in a way that a database
// can work out.
func decidable(rule *design.Rule, about string, fields []*design.Field) bool {
	filter, is := rule.That.Alone(about)
	return is && !slices.ContainsFunc(filter.Members(), func(name string) bool {
		return !slices.ContainsFunc(fields, func(f *design.Field) bool { return f.Name == name })
	})
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
		case f.Type == "": // that is a problem already
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

// readUnless: one pair that keeps entries out, or several.
func (r *reader) readUnless(n *node, t *design.Timeline) {
	items := []*node{n}
	if n.shape == sequence {
		items = n.items
	}
	if len(items) == 0 || len(items) > maxUnless {
		r.problem(n.pos, design.CodeTooLarge,
			fmt.Sprintf("unless names %d pairs, 1 to %d are allowed", len(items), maxUnless), "")
		return
	}
	for _, item := range items {
		u := design.Unless{}
		r.mapping(item, "unless", keys{
			"paired": func(n *node) {
				name := r.word(n, "paired")
				r.later = append(r.later, func() { u.Paired = r.pair(n.pos, name) })
			},
			"either_way": r.boolean(&u.EitherWay),
		}, "paired")
		r.last = append(r.last, func() {
			if p := u.Paired; p != nil && t.Owner != nil && t.By != nil && t.By.To != nil && p.From != nil &&
				p.To != nil && r.fitsUnless(item.pos, t, u) {
				t.Unless = append(t.Unless, u)
			}
		})
	}
}

// fitsUnless sees that the owner can be paired with the author.
func (r *reader) fitsUnless(at design.Pos, t *design.Timeline, u design.Unless) bool {
	p := u.Paired
	switch {
	case p == t.Through:
		r.problem(at, design.CodeContradicted,
			fmt.Sprintf("timeline %q brings entries through %q and leaves them out for "+
				"the same pair", t.Name, p.Name), "name another pair, such as a block")
	case !p.Joins(t.Owner, t.By.To):
		r.problem(at, design.CodeContradicted,
			fmt.Sprintf("pair %q goes from %q to %q, not from the owner of the timeline "+
				"(%s) to the author (%s)", p.Name, p.From.Name, p.To.Name, t.Owner.Name, t.By.To.Name), "")
	case u.EitherWay && t.Owner != t.By.To:
		r.problem(at, design.CodeContradicted,
			"either_way needs owners and authors of one collection", "leave either_way out")
	case slices.ContainsFunc(t.Unless, func(o design.Unless) bool { return o.Paired == p }):
		r.problem(at, design.CodeNameTaken, fmt.Sprintf("%q stands here twice", p.Name), "")
	default:
		return true
	}
	return false
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
