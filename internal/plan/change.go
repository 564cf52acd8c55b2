package plan

import (
	"slices"

	"yalvo/internal/design"
)

// Change is a committed change of facts, in row numbers.
type Change struct {
	Kind Kind

	// Documents.
	Collection *Collection
	Doc        int64
	Parent     int64 // 0 for a document of its own
	Before     Targets
	After      Targets
	Touched    []string            // the fields whose values differ, when changed
	RankBefore map[*Timeline]int64 // the place in the order of each timeline it enters
	RankAfter  map[*Timeline]int64

	Depth     int64 // how many triggers in a row led to it
	Forgotten int64 // of a removal: the number under which it is forgotten, 0 if it is only removed

	// Pairs.
	Pair     *Pair
	From, To int64
}

// Kind is the kind of a change.
type Kind string

// The kinds of changes.
const (
	Created Kind = "created"
	Changed Kind = "changed" // a document, or the fields of a pair
	Removed Kind = "removed"
	Set     Kind = "set"   // a pair
	Unset   Kind = "unset" // a pair
)

// Targets says where a document's references point. What is absent points nowhere.
type Targets map[*Reference]int64

// Due is the work that a change makes necessary, in no particular order.
func (p *Plan) Due(c Change) []Work {
	if c.Pair != nil {
		return pairWork(c)
	}
	var due []Work
	due = append(due, countWork(c)...)
	due = append(due, summaryWork(c)...)
	due = append(due, entryWork(c)...)
	due = append(due, copyInWork(c)...)
	switch c.Kind {
	case Changed:
		due = append(due, recopyWork(c)...)
	case Removed:
		due = append(due, endings(c)...)
	}
	return due
}

func countWork(c Change) []Work {
	var due []Work
	add := func(counts []*Count, doc, amount int64) {
		for _, count := range counts {
			due = append(due, Work{Step: Add, Subject: count.Number, Doc: doc, Amount: amount})
		}
	}
	for _, ref := range c.Collection.References {
		before, after := c.Before[ref], c.After[ref]
		if before == after {
			continue
		}
		if before != 0 {
			add(ref.Counts, before, -1)
		}
		if after != 0 {
			add(ref.Counts, after, +1)
		}
	}
	switch c.Kind {
	case Created:
		add(c.Collection.FedCounts, c.Parent, +1)
	case Removed:
		add(c.Collection.FedCounts, c.Parent, -1)
	}
	return due
}

// summaryWork weighs a document anew wherever it is a source, and has what is
// shown of it shown anew. A condition may read any field.
func summaryWork(c Change) []Work {
	var due []Work
	for _, s := range c.Collection.Feeds {
		touched := func(name string) bool { return slices.Contains(c.Touched, name) }
		shown := c.Kind == Changed && slices.ContainsFunc(s.Fields, touched)
		if s.Pair != nil { // a pair is the source: it is weighed when it is set or unset
			if shown {
				due = append(due, Work{Step: Reshow, Subject: s.Number, Doc: c.Doc})
			}
			continue
		}
		weighed := c.Kind != Changed || s.Where != nil && len(c.Touched) > 0 ||
			s.Of.Field != nil && touched(s.Of.Field.Name) || s.Via != nil && c.Before[s.Via] != c.After[s.Via]
		if weighed {
			due = append(due, Work{Step: Weigh, Subject: s.Number, Doc: c.Doc})
		}
		if shown {
			due = append(due, Work{Step: Reshow, Subject: s.Number, Doc: c.Doc})
		}
	}
	return due
}

// entryWork follows an entry's author and place. The author's own timeline gets
// a new document in the write itself, so only a change delivers there.
func entryWork(c Change) []Work {
	var due []Work
	for _, t := range c.Collection.EntersInto {
		if t.Deliver == design.Pull {
			continue
		}
		before, after := c.Before[t.By], c.After[t.By]
		was, is := c.RankBefore[t], c.RankAfter[t]
		if before == after && (before == 0 || was == is) {
			continue
		}
		if before != 0 {
			due = append(due, Work{Step: Withdraw, Subject: t.Number, Key: before, Doc: c.Doc, Rank: was})
		}
		if after != 0 {
			own := int64(0)
			if t.Own && c.Kind == Changed {
				own = 1
			}
			due = append(due, Work{Step: Deliver, Subject: t.Number, Key: after, Doc: c.Doc, Rank: is, Amount: own})
		}
	}
	return due
}

// copyInWork: fields are copied in the write that points at them, which holds
// them still. Kept values move on meanwhile, so they are copied again after it.
// What is built on a copy that came with an edit has to hear of it.
func copyInWork(c Change) []Work {
	var due []Work
	for _, kept := range c.Collection.Copies {
		if c.Before[kept.Via] == c.After[kept.Via] {
			continue
		}
		if c.Kind == Changed {
			due = append(due, c.Collection.KeptChanged(kept.Name, c.Doc)...)
		}
		if len(kept.KeptNames) > 0 && !kept.Frozen && c.After[kept.Via] != 0 {
			due = append(due, Work{Step: Recopy, Subject: kept.Number, Doc: c.After[kept.Via], Key: c.Doc})
		}
	}
	return due
}

func recopyWork(c Change) []Work {
	var due []Work
	for _, ref := range c.Collection.PointedAt {
		for _, kept := range ref.Copies {
			if !kept.Frozen && slices.ContainsFunc(kept.Fields, func(name string) bool { return slices.Contains(c.Touched, name) }) {
				due = append(due, Work{Step: Recopy, Subject: kept.Number, Doc: c.Doc})
			}
		}
	}
	return due
}

// KeptChanged is the work that follows when a kept value of a document has
// changed: other kept values may be built on it.
func (c *Collection) KeptChanged(name string, doc int64) []Work {
	var due []Work
	on := c.builtOn[name]
	for _, kept := range on.copies {
		if !kept.Frozen {
			due = append(due, Work{Step: Recopy, Subject: kept.Number, Doc: doc})
		}
	}
	for _, s := range on.weighs {
		due = append(due, Work{Step: Weigh, Subject: s.Number, Doc: doc})
	}
	for _, s := range on.shows {
		due = append(due, Work{Step: Reshow, Subject: s.Number, Doc: doc})
	}
	return due
}

// BuiltOn tells whether other kept values are derived from one.
func (c *Collection) BuiltOn(name string) bool {
	_, is := c.builtOn[name]
	return is
}

// Mark is what the ends of a removal carry along: its depth and the number
// under which it is forgotten. [MarkOf] reads it.
func (c Change) Mark() int64 { return c.Forgotten<<8 | c.Depth }

// MarkOf reads the mark of work that ends something.
func MarkOf(amount int64) (depth, forgotten int64) { return amount & 0xff, amount >> 8 }

// endings is what hangs on a document that is gone. A reference that is left
// dangling changes no fact, but the copies that came through it are empty now.
func endings(c Change) []Work {
	var due []Work
	end := func(step Step, subject Number) {
		due = append(due, Work{Step: step, Subject: subject, Doc: c.Doc, Amount: c.Mark()})
	}
	for _, ref := range c.Collection.PointedAt {
		switch ref.WhenGone {
		case "remove", "clear":
			end(EndReference, ref.Number)
		case "leave":
			for _, kept := range ref.Copies {
				if !kept.Frozen {
					end(Recopy, kept.Number)
				}
			}
			if c.Forgotten != 0 && !ref.Required {
				end(EndReference, ref.Number) // its key is to go as well
			}
		}
		for _, kept := range ref.Copies {
			if c.Forgotten != 0 && kept.Frozen {
				end(EndFrozen, kept.Number)
			}
		}
	}
	for _, pair := range c.Collection.From {
		end(EndFrom, pair.Number)
	}
	for _, pair := range c.Collection.To {
		end(EndTo, pair.Number)
	}
	for _, nested := range c.Collection.Nested {
		end(EndNested, nested.Number)
	}
	for _, t := range c.Collection.Owned {
		end(EndTimeline, t.Number)
	}
	return due
}

func pairWork(c Change) []Work {
	var due []Work
	for _, s := range c.Pair.Feeds {
		target, source := c.To, c.From
		if s.Side == "from" {
			target, source = c.From, c.To
		}
		due = append(due, Work{Step: Weigh, Subject: s.Number, Doc: source, Key: target})
	}
	if c.Kind == Changed {
		return due
	}
	amount := int64(1)
	if c.Kind == Unset {
		amount = -1
	}
	for _, count := range c.Pair.FromCounts {
		due = append(due, Work{Step: Add, Subject: count.Number, Doc: c.From, Amount: amount})
	}
	for _, count := range c.Pair.ToCounts {
		due = append(due, Work{Step: Add, Subject: count.Number, Doc: c.To, Amount: amount})
	}
	for _, t := range c.Pair.Timelines {
		if t.Deliver == design.Pull {
			continue
		}
		due = append(due, Work{Step: Relate, Subject: t.Number, Key: c.To, Doc: c.From})
	}
	for _, t := range c.Pair.Bars {
		if t.Deliver == design.Pull {
			continue
		}
		due = append(due, Work{Step: Relate, Subject: t.Number, Key: c.To, Doc: c.From})
		if t.Timeline.Unless.EitherWay && c.From != c.To {
			due = append(due, Work{Step: Relate, Subject: t.Number, Key: c.From, Doc: c.To})
		}
	}
	return due
}
