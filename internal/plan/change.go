package plan

import "slices"

// Change is a committed change of facts, in row numbers.
type Change struct {
	Kind Kind

	// Documents.
	Collection *Collection
	Doc        int64
	Parent     int64 // 0 for a document of its own
	Rank       int64 // its creation, microseconds since 1970
	Before     Targets
	After      Targets
	Touched    []string // the fields whose values differ, when changed

	// Pairs.
	Pair     *Pair
	From, To int64
}

// Kind is the kind of a change.
type Kind string

// The kinds of changes.
const (
	Created Kind = "created"
	Changed Kind = "changed"
	Removed Kind = "removed"
	Set     Kind = "set"   // a pair
	Unset   Kind = "unset" // a pair
)

// Targets says where a document's references point. What is absent points nowhere.
type Targets map[*Reference]int64

// Due is the work that a change makes necessary, in no particular order.
func (p *Plan) Due(c Change) []Work {
	switch c.Kind {
	case Set:
		return pairWork(c, +1)
	case Unset:
		return pairWork(c, -1)
	}
	var due []Work
	due = append(due, countWork(c)...)
	due = append(due, entryWork(c)...)
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

// entryWork follows an entry's author. The author's own timeline gets a new
// document in the write itself, so only a change of author delivers there.
func entryWork(c Change) []Work {
	var due []Work
	for _, t := range c.Collection.EntersInto {
		before, after := c.Before[t.By], c.After[t.By]
		if before == after {
			continue
		}
		if before != 0 {
			due = append(due, Work{Step: Withdraw, Subject: t.Number, Key: before, Doc: c.Doc, Rank: c.Rank})
		}
		if after != 0 {
			own := int64(0)
			if t.Own && c.Kind == Changed {
				own = 1
			}
			due = append(due, Work{Step: Deliver, Subject: t.Number, Key: after, Doc: c.Doc, Rank: c.Rank, Amount: own})
		}
	}
	return due
}

func recopyWork(c Change) []Work {
	var due []Work
	for _, ref := range c.Collection.PointedAt {
		for _, kept := range ref.Copies {
			if !kept.Frozen && slices.ContainsFunc(kept.Copied(), func(name string) bool { return slices.Contains(c.Touched, name) }) {
				due = append(due, Work{Step: Recopy, Subject: kept.Number, Doc: c.Doc})
			}
		}
	}
	return due
}

// endings is what hangs on a document that is gone. A reference that is left
// dangling changes no fact, but the copies that came through it are empty now.
func endings(c Change) []Work {
	var due []Work
	end := func(step Step, subject Number) {
		due = append(due, Work{Step: step, Subject: subject, Doc: c.Doc})
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

func pairWork(c Change, amount int64) []Work {
	var due []Work
	for _, count := range c.Pair.FromCounts {
		due = append(due, Work{Step: Add, Subject: count.Number, Doc: c.From, Amount: amount})
	}
	for _, count := range c.Pair.ToCounts {
		due = append(due, Work{Step: Add, Subject: count.Number, Doc: c.To, Amount: amount})
	}
	for _, t := range c.Pair.Timelines {
		due = append(due, Work{Step: Relate, Subject: t.Number, Key: c.To, Doc: c.From})
	}
	return due
}
