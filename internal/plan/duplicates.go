package plan

import (
	"cmp"
	"slices"

	"yalvo/internal/design"
)

// Duplicate is one kind of thing that the service keeps in line with the
// facts, as an audit sees it: what documents with fields and pairs say is
// true, and everything else must follow from it.
type Duplicate struct {
	Kind Aspect
	Name string // of the design: "posts.author", "follow", "home"

	// Where to look: documents of this collection are walked.
	Walked *Collection

	Reference *Reference
	Unique    *Unique
	Pair      *Pair
	Count     *Count
	Copy      *Copy
	Summary   *Summary
	Timeline  *Timeline
}

// Aspect is what an audit compares.
type Aspect string

// The aspects, in the order in which they are audited: what others are
// derived from comes first.
const (
	Pointing   Aspect = "reference"    // where a reference points, as looked up from both ends
	Taken      Aspect = "unique"       // the values of a unique field that are taken
	Paired     Aspect = "pair"         // pairs whose ends exist
	Lying      Aspect = "nested"       // nested documents whose parents exist
	Holding    Aspect = "kept"         // documents hold the kept values of their collection
	Posted     Aspect = "posted"       // what each author has posted
	Weighed    Aspect = "contribution" // what each source contributes to a summary
	Counted    Aspect = "count"
	Summed     Aspect = "sum"
	Copied     Aspect = "copy"
	Frozen     Aspect = "frozen copy" // with what it was given: what that was made from may have changed since
	ChosenFrom Aspect = "choice"      // least, greatest, latest, gathered
	Entered    Aspect = "timeline"
)

// Duplicates are everything there is to audit, what others are derived from first.
func (p *Plan) Duplicates() []Duplicate {
	var all []Duplicate
	for _, c := range p.Collections {
		for _, ref := range c.References {
			all = append(all, Duplicate{Kind: Pointing, Name: c.Name + "." + ref.Name, Walked: c, Reference: ref})
		}
		for _, u := range c.Uniques {
			all = append(all, Duplicate{Kind: Taken, Name: c.Name + "." + u.Name, Walked: c, Unique: u})
		}
	}
	for _, pair := range p.Pairs {
		all = append(all, Duplicate{Kind: Paired, Name: pair.Name, Walked: pair.To, Pair: pair})
	}
	for _, c := range p.Collections {
		if c.Parent != nil {
			all = append(all, Duplicate{Kind: Lying, Name: c.Name, Walked: c})
		}
		all = append(all, Duplicate{Kind: Holding, Name: c.Name, Walked: c})
	}
	for _, t := range p.Timelines {
		all = append(all, Duplicate{Kind: Posted, Name: t.Name, Walked: t.By.To, Timeline: t})
	}
	var kept []Duplicate
	for _, c := range p.Collections {
		kept = append(kept, c.keptDuplicates()...)
	}
	slices.SortStableFunc(kept, func(a, b Duplicate) int { return cmp.Compare(a.height(), b.height()) })
	all = append(all, kept...)
	for _, t := range p.Timelines {
		if t.Deliver == design.Pull {
			continue // nothing is stored
		}
		all = append(all, Duplicate{Kind: Entered, Name: t.Name, Walked: t.Owner, Timeline: t})
	}
	return all
}

// Duplicate finds one by its aspect and name, false if there is none.
func (p *Plan) Duplicate(kind Aspect, name string) (Duplicate, bool) {
	for _, d := range p.Duplicates() {
		if d.Kind == kind && d.Name == name {
			return d, true
		}
	}
	return Duplicate{}, false
}

func (c *Collection) keptDuplicates() []Duplicate {
	var all []Duplicate
	add := func(kind Aspect, k *design.Kept, d Duplicate) {
		d.Kind, d.Name, d.Walked = kind, c.Name+"."+k.Name, c
		all = append(all, d)
	}
	for _, count := range c.Counts {
		add(Counted, count.Kept, Duplicate{Count: count})
	}
	for _, s := range c.Summaries {
		all = append(all, Duplicate{Kind: Weighed, Name: c.Name + "." + s.Name, Walked: s.Sources, Summary: s})
		if s.Chosen() {
			add(ChosenFrom, s.Kept, Duplicate{Summary: s})
		} else {
			add(Summed, s.Kept, Duplicate{Summary: s})
		}
	}
	for _, kept := range c.Copies {
		aspect := Copied
		if kept.Frozen {
			aspect = Frozen
		}
		add(aspect, kept.Kept, Duplicate{Copy: kept})
	}
	return all
}

// height is how many kept values stand below one: contributions come before
// what is made of them, and both after the values they are made from.
func (d Duplicate) height() int {
	switch {
	case d.Count != nil:
		return 0
	case d.Copy != nil:
		return 2 * below(d.Copy.Kept)
	case d.Kind == Weighed:
		return 2*below(d.Summary.Kept) - 1
	}
	return 2 * below(d.Summary.Kept)
}

func below(k *design.Kept) int {
	most := 0
	for _, part := range append(slices.Clone(k.Parts), k.Of) {
		if part.Kept != nil {
			most = max(most, below(part.Kept))
		}
	}
	return most + 1
}

// Rest is drift elsewhere that explains a difference: an index, a contribution
// or a kept value that a duplicate is compared with.
type Rest struct {
	Kind Aspect
	Name string
	How  Relation
}

// Relation says how the documents of two differences must hang together for
// the one to explain the other.
type Relation int

// The relations.
const (
	SameHolder   Relation = iota // both are held by the same document
	HolderIsEnd                  // the holder is at the other end of the drift it rests on
	EndIsHolder                  // what it comes from holds the drift it rests on
	SameEnd                      // both lead to the same document
	SourceHolder                 // one of the sources holds the drift it rests on
	AcrossPair                   // both are about the same two documents, either way
)

// RestsOn lists what a difference of this duplicate may be due to.
func (d Duplicate) RestsOn() []Rest {
	var rests []Rest
	add := func(kind Aspect, name string, how Relation) { rests = append(rests, Rest{kind, name, how}) }
	through := func(ref *Reference, how Relation) { add(Pointing, ref.In.Name+"."+ref.Name, how) }
	built := func(c *Collection, parts []design.Part, how Relation) {
		for _, part := range parts {
			if part.Kept != nil {
				add(aspectOf(part.Kept), c.Name+"."+part.Kept.Name, how)
				add(Holding, c.Name, how)
			}
		}
	}
	switch d.Kind {
	case Posted:
		through(d.Timeline.By, EndIsHolder)
	case Entered:
		through(d.Timeline.By, EndIsHolder)
		add(Posted, d.Name, SameEnd)
	case Counted:
		add(Holding, d.Walked.Name, SameHolder)
		if d.Count.Via != nil {
			add(Pointing, d.Count.Via.In.Name+"."+d.Count.Via.Name, HolderIsEnd)
		}
		if d.Count.Pair != nil {
			add(Paired, d.Count.Pair.Name, SameHolder)
			add(Paired, d.Count.Pair.Name, HolderIsEnd)
		}
	case Frozen:
		add(Holding, d.Walked.Name, SameHolder)
	case Copied:
		add(Holding, d.Walked.Name, SameHolder)
		through(d.Copy.Via, SameHolder)
		built(d.Copy.Via.To, d.Copy.Parts, EndIsHolder)
	case Weighed:
		if d.Summary.Via != nil {
			through(d.Summary.Via, SameHolder)
		}
		if d.Summary.Pair != nil {
			add(Paired, d.Summary.Pair.Name, AcrossPair)
		}
		built(d.Summary.Sources, []design.Part{d.Summary.Of}, SameHolder)
	case Summed, ChosenFrom:
		add(Holding, d.Walked.Name, SameHolder)
		add(Weighed, d.Name, HolderIsEnd)
		built(d.Summary.Sources, d.Summary.Parts, SourceHolder)
	}
	return rests
}

func aspectOf(k *design.Kept) Aspect {
	switch {
	case k.Kind == design.Copy && k.Frozen:
		return Frozen
	case k.Kind == design.Copy:
		return Copied
	case k.Kind == design.Count && k.Where == nil:
		return Counted
	case k.Kind == design.Count || k.Kind == design.Sum:
		return Summed
	}
	return ChosenFrom
}
