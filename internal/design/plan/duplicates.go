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
	AspectReference    Aspect = "reference"    // where a reference points, as looked up from both ends
	AspectUnique       Aspect = "unique"       // the values of a unique field that are taken
	AspectPicture      Aspect = "picture"      // which pictures a document refers to
	AspectPair         Aspect = "pair"         // pairs whose ends exist
	AspectNested       Aspect = "nested"       // nested documents whose parents exist
	AspectKept         Aspect = "kept"         // documents hold the kept values of their collection
	AspectPosted       Aspect = "posted"       // what each author has posted
	AspectContribution Aspect = "contribution" // what each source contributes to a summary
	AspectCount        Aspect = "count"
	AspectSum          Aspect = "sum"
	AspectCopy         Aspect = "copy"
	AspectFrozen       Aspect = "frozen copy" // with what it was given: what that was made from may have changed since
	AspectChoice       Aspect = "choice"      // least, greatest, latest, gathered
	AspectTimeline     Aspect = "timeline"
)

// Duplicates are everything there is to audit, what others are derived from
// first. They are the plan's own: nobody changes the slice.
func (p *Plan) Duplicates() []Duplicate { return p.duplicates }

func (p *Plan) listDuplicates() []Duplicate {
	var all []Duplicate
	for _, c := range p.Collections {
		for _, ref := range c.References {
			all = append(all, Duplicate{Kind: AspectReference, Name: c.Name + "." + ref.Name, Walked: c,
				Reference: ref})
		}
		for _, u := range c.Uniques {
			all = append(all, Duplicate{Kind: AspectUnique, Name: c.Name + "." + u.Name, Walked: c, Unique: u})
		}
		if design.HoldMedia(c.Collection.Fields) {
			all = append(all, Duplicate{Kind: AspectPicture, Name: c.Name, Walked: c})
		}
	}
	for _, pair := range p.Pairs {
		all = append(all, Duplicate{Kind: AspectPair, Name: pair.Name, Walked: pair.To, Pair: pair})
	}
	for _, c := range p.Collections {
		if c.Parent != nil {
			all = append(all, Duplicate{Kind: AspectNested, Name: c.Name, Walked: c})
		}
		all = append(all, Duplicate{Kind: AspectKept, Name: c.Name, Walked: c})
	}
	for _, t := range p.Timelines {
		all = append(all, Duplicate{Kind: AspectPosted, Name: t.Name, Walked: t.By.To, Timeline: t})
	}
	var kept []Duplicate
	for _, c := range p.Collections {
		kept = append(kept, c.keptDuplicates()...)
	}
	slices.SortStableFunc(kept, func(a, b Duplicate) int { return cmp.Compare(a.height(), b.height()) })
	all = append(all, kept...)
	for _, t := range p.Timelines {
		all = append(all, Duplicate{Kind: AspectTimeline, Name: t.Name, Walked: t.Owner, Timeline: t})
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
		add(AspectCount, count.Kept, Duplicate{Count: count})
	}
	for _, s := range c.Summaries {
		all = append(all, Duplicate{Kind: AspectContribution, Name: c.Name + "." + s.Name, Walked: s.Sources,
			Summary: s})
		if s.Chosen() {
			add(AspectChoice, s.Kept, Duplicate{Summary: s})
		} else {
			add(AspectSum, s.Kept, Duplicate{Summary: s})
		}
	}
	for _, kept := range c.Copies {
		aspect := AspectCopy
		if kept.Frozen {
			aspect = AspectFrozen
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
	case d.Kind == AspectContribution:
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

// Basis is something that a duplicate is compared with: an index, a
// contribution or a kept value. Drift there explains a difference here.
type Basis struct {
	Kind Aspect
	Name string
	How  Overlap
}

// Overlap says how the documents of two differences must meet for the one to
// explain the other.
type Overlap int

// The overlaps.
const (
	SameHolder   Overlap = iota // both are held by the same document
	HolderIsEnd                 // the holder is at the other end of the drift in the basis
	EndIsHolder                 // what it comes from holds the drift in the basis
	SameEnd                     // both lead to the same document
	SourceHolder                // one of the sources holds the drift in the basis
	AcrossPair                  // both are about the same two documents, either way
)

// BasedOn lists what drift can explain a difference of this duplicate.
func (d Duplicate) BasedOn() []Basis {
	var bases []Basis
	add := func(kind Aspect, name string, how Overlap) { bases = append(bases, Basis{kind, name, how}) }
	through := func(ref *Reference, how Overlap) { add(AspectReference, ref.In.Name+"."+ref.Name, how) }
	built := func(c *Collection, parts []design.Part, how Overlap) {
		for _, part := range parts {
			if part.Kept != nil {
				add(AspectOf(part.Kept), c.Name+"."+part.Kept.Name, how)
				add(AspectKept, c.Name, how)
			}
		}
	}
	switch d.Kind {
	case AspectPosted:
		through(d.Timeline.By, EndIsHolder)
	case AspectTimeline:
		through(d.Timeline.By, EndIsHolder)
		add(AspectPosted, d.Name, SameEnd)
	case AspectCount:
		add(AspectKept, d.Walked.Name, SameHolder)
		if d.Count.Via != nil {
			add(AspectReference, d.Count.Via.In.Name+"."+d.Count.Via.Name, HolderIsEnd)
		}
		if d.Count.Pair != nil {
			add(AspectPair, d.Count.Pair.Name, SameHolder)
			add(AspectPair, d.Count.Pair.Name, HolderIsEnd)
		}
	case AspectFrozen:
		add(AspectKept, d.Walked.Name, SameHolder)
	case AspectCopy:
		add(AspectKept, d.Walked.Name, SameHolder)
		through(d.Copy.Via, SameHolder)
		built(d.Copy.Via.To, d.Copy.Parts, EndIsHolder)
	case AspectContribution:
		if d.Summary.Via != nil {
			through(d.Summary.Via, SameHolder)
		}
		if d.Summary.Pair != nil {
			add(AspectPair, d.Summary.Pair.Name, AcrossPair)
		}
		built(d.Summary.Sources, []design.Part{d.Summary.Of}, SameHolder)
	case AspectSum, AspectChoice:
		add(AspectKept, d.Walked.Name, SameHolder)
		add(AspectContribution, d.Name, HolderIsEnd)
		built(d.Summary.Sources, d.Summary.Parts, SourceHolder)
	}
	return bases
}

// AspectOf is what an audit compares of a kept value.
func AspectOf(k *design.Kept) Aspect {
	switch {
	case k.Kind == design.Copy && k.Frozen:
		return AspectFrozen
	case k.Kind == design.Copy:
		return AspectCopy
	case k.Kind == design.Count && k.Where == nil:
		return AspectCount
	case k.Kind == design.Count || k.Kind == design.Sum:
		return AspectSum
	}
	return AspectChoice
}
