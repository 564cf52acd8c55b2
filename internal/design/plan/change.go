package plan

import (
	"math"
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
	Touched    []string // the fields whose values differ, when changed
	RankBefore []int64  // the place in the order of each timeline the collection enters
	RankAfter  []int64

	Mark // of a removal, for what ends with it

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
			due = append(due, AddTo(count.Number, doc, amount))
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

// summaryWork looks anew at what a document contributes wherever it is a
// source, and refreshes what is shown of it. A condition may read any field.
func summaryWork(c Change) []Work {
	var due []Work
	for _, s := range c.Collection.Feeds {
		touched := func(name string) bool { return slices.Contains(c.Touched, name) }
		shown := c.Kind == Changed && slices.ContainsFunc(s.Fields, touched)
		if s.Pair != nil { // a pair is the source: it contributes when it is set
			if shown {
				due = append(due, RefreshOf(s.Number, c.Doc))
			}
			continue
		}
		contributes := c.Kind != Changed || s.Where != nil && len(c.Touched) > 0 ||
			s.Of.Field != nil && touched(s.Of.Field.Name) || s.Via != nil && c.Before[s.Via] != c.After[s.Via]
		if c.Kind == Created && startsEmpty(s, touched) {
			contributes = false
		}
		if contributes {
			due = append(due, ContributionOf(s.Number, c.Doc))
		}
		if shown {
			due = append(due, RefreshOf(s.Number, c.Doc))
		}
	}
	return due
}

// startsEmpty tells whether a new document contributes nothing: it lacks the
// value, or what is summed up begins at zero.
func startsEmpty(s *Summary, has func(string) bool) bool {
	if s.Of.Field != nil {
		return !has(s.Of.Field.Name)
	}
	zero := func(k *design.Kept) bool { return k != nil && (k.Kind == design.Count || k.Kind == design.Sum) }
	return s.Kind == design.Sum && zero(s.Of.Kept)
}

// entryWork follows an entry's author and place. The author's own timeline gets
// a new document in the write itself, so only a change delivers there.
func entryWork(c Change) []Work {
	var due []Work
	for i, t := range c.Collection.EntersInto {
		if t.Deliver == design.Pull {
			continue
		}
		was, is := at(c.RankBefore, i), at(c.RankAfter, i)
		before, after := AuthorAt(was, c.Before[t.By]), AuthorAt(is, c.After[t.By])
		if before == after && (before == 0 || was == is) {
			continue
		}
		if before != 0 {
			due = append(due, WithdrawEntry(Entry{t.Number, before, c.Doc, was}))
		}
		if after != 0 {
			due = append(due, DeliverEntry(Entry{t.Number, after, c.Doc, is}, t.Own && c.Kind == Changed))
		}
	}
	return due
}

// NoRank is the place in the order of a timeline of what does not meet its condition.
const NoRank int64 = math.MinInt64

// AuthorAt is an author in whose name a document stands at a place, 0 if it has none there.
func AuthorAt(rank, author int64) int64 {
	if rank == NoRank {
		return 0
	}
	return author
}

// at is a rank, 0 if there are none.
func at(ranks []int64, i int) int64 {
	if ranks == nil {
		return 0
	}
	return ranks[i]
}

// copyInWork: fields are copied in the write that points at them, which locks
// them. Kept values are not locked, so they are copied once more afterwards.
// What is built on a copy that came with an edit becomes due too.
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
			due = append(due, RecopyInto(kept.Number, c.After[kept.Via], c.Doc))
		}
	}
	return due
}

func recopyWork(c Change) []Work {
	var due []Work
	for _, ref := range c.Collection.PointedAt {
		for _, kept := range ref.Copies {
			if !kept.Frozen && slices.ContainsFunc(kept.Fields,
				func(name string) bool { return slices.Contains(c.Touched, name) }) {
				due = append(due, RecopyFrom(kept.Number, c.Doc))
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
			due = append(due, RecopyFrom(kept.Number, doc))
		}
	}
	for _, s := range on.contributes {
		due = append(due, ContributionOf(s.Number, doc))
	}
	for _, s := range on.shows {
		due = append(due, RefreshOf(s.Number, doc))
	}
	return due
}

// BuiltOn tells whether other kept values are derived from one.
func (c *Collection) BuiltOn(name string) bool {
	_, is := c.builtOn[name]
	return is
}

// endings is what hangs on a document that is gone. A reference that is left
// dangling changes no fact, but the copies that came through it are empty now.
func endings(c Change) []Work {
	var due []Work
	end := func(step Step, subject Number) {
		due = append(due, EndOf(step, subject, c.Doc, c.Mark))
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

// LateEndings is what a document may have left that was removed before it is
// forgotten under a number: frozen copies, and references that were left dangling.
func LateEndings(c *Collection, doc, forgotten int64) []Work {
	return endings(Change{Kind: Removed, Collection: c, Doc: doc, Mark: Mark{Forgotten: forgotten}})
}

// Removing are the references whose documents go with what they point at.
func (p *Plan) Removing() []Number {
	var all []Number
	for n, ref := range p.references {
		if ref.WhenGone == design.GoneRemove {
			all = append(all, n)
		}
	}
	return all
}

// Traces are the references and the frozen copies by which something of a document
// may be left when it is gone.
func (p *Plan) Traces() (references, frozen []Number) {
	for n, ref := range p.references {
		if ref.WhenGone == design.GoneLeave {
			references = append(references, n)
		}
	}
	for n, c := range p.copies {
		if c.Frozen {
			frozen = append(frozen, n)
		}
	}
	return references, frozen
}

func pairWork(c Change) []Work {
	due := pairContributions(c)
	if c.Kind != Changed {
		due = append(due, pairCounts(c)...)
	}
	return append(due, subscriptions(c)...)
}

func pairContributions(c Change) []Work {
	var due []Work
	for _, s := range c.Pair.Feeds {
		target, source := c.To, c.From
		if s.Side == design.From {
			target, source = c.From, c.To
		}
		due = append(due, PairContribution(s.Number, source, target))
	}
	return due
}

func pairCounts(c Change) []Work {
	delta := int64(1)
	if c.Kind == Unset {
		delta = -1
	}
	var due []Work
	for _, count := range c.Pair.FromCounts {
		due = append(due, AddTo(count.Number, c.From, delta))
	}
	for _, count := range c.Pair.ToCounts {
		due = append(due, AddTo(count.Number, c.To, delta))
	}
	return due
}

// subscriptions: a pair can bring an author's entries in, or keep them out. Its own facts
// matter where a timeline has a condition on them.
func subscriptions(c Change) []Work {
	var due []Work
	for _, t := range c.Pair.Timelines {
		switch {
		case t.Deliver == design.Pull:
		case t.While != nil: // the same whether it is new or changed: nobody knows before it is written
			due = append(due, SubscribeTo(t.Number, c.From, c.To))
		case c.Kind == Set:
			due = append(due, BringInto(t.Number, c.From, c.To))
		case c.Kind == Unset:
			due = append(due, SubscribeTo(t.Number, c.From, c.To))
		}
	}
	for _, t := range c.Pair.Exclusions {
		if t.Deliver == design.Pull || c.Kind == Changed {
			continue
		}
		due = append(due, SubscribeTo(t.Number, c.From, c.To))
		if t.exclusion(c.Pair).EitherWay && c.From != c.To {
			due = append(due, SubscribeTo(t.Number, c.To, c.From))
		}
	}
	return due
}

// exclusion is what a pair is that keeps entries out.
func (t *Timeline) exclusion(p *Pair) Exclusion {
	return t.Exclusions[slices.IndexFunc(t.Exclusions, func(b Exclusion) bool { return b.Pair == p })]
}
