package plan

import (
	"encoding/json"
	"slices"
	"time"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
)

// Number stands for a name of the design in the database: small, and stable
// over all versions of the design.
type Number int16

// Numbering gives the number of a name. The kinds are "collection",
// "reference", "pair", "kept", "timeline" and "unique"; names of parts are
// dotted, as in "sightings.author".
type Numbering func(kind, name string) Number

// Counted is a numbering for a plan that no database will see: names are counted as they come.
func Counted() Numbering {
	numbers := map[[2]string]Number{}
	return func(kind, name string) Number {
		k := [2]string{kind, name}
		if numbers[k] == 0 {
			numbers[k] = Number(len(numbers) + 1)
		}
		return numbers[k]
	}
}

// Plan is a design made ready to be carried out.
type Plan struct {
	Design      *design.Design
	Collections []*Collection
	Pairs       []*Pair
	Timelines   []*Timeline
	Lists       []*List
	Triggers    []*Trigger

	references map[Number]*Reference
	counts     map[Number]*Count
	copies     map[Number]*Copy
	summaries  map[Number]*Summary
	duplicates []Duplicate
	rights     map[*design.Kept]access.Right
}

// Collection is a collection with everything that hangs on its documents.
type Collection struct {
	Number
	*design.Collection
	Parent     *Collection
	Nested     []*Collection
	References []*Reference // its own fields that point elsewhere
	PointedAt  []*Reference // the fields elsewhere that point here
	Uniques    []*Unique
	Counts     []*Count           // kept in its documents
	Copies     []*Copy            // kept in its documents
	Summaries  []*Summary         // kept in its documents
	FedCounts  []*Count           // kept in its parent's documents: how many are nested there
	Feeds      []*Summary         // kept elsewhere: its documents are the sources
	builtOn    map[string]builtOn // by kept value: what is derived from it
	From, To   []*Pair            // the pairs whose end it is
	Owned      []*Timeline
	EntersInto []*Timeline

	Form
	Building map[string]bool // kept values that are being derived anew; true: they are not shown meanwhile
	Spared   []*Summary      // kept in its documents: those that have more stored than they show
}

// Form is the form in which facts are stored.
type Form struct {
	Shape int // its number, 0 for the first one

	// Upcast brings facts of the form before to this one, while some are stored in that;
	// nil when none are. It takes the time at which they were made.
	Upcast func(facts json.RawMessage, made time.Time) json.RawMessage
}

// Reference is a reference field with the duplicates that follow it.
type Reference struct {
	Number
	*design.Field
	In, To *Collection
	Counts []*Count // kept in the target: how many point at it
	Copies []*Copy  // kept in the documents that point: the target's fields
}

// Unique is a field whose values no two documents share.
type Unique struct {
	Number
	*design.Field
}

// UniqueNamed is a unique field by its name, nil if there is none.
func (c *Collection) UniqueNamed(name string) *Unique {
	return first(c.Uniques, func(u *Unique) bool { return u.Name == name })
}

// LeadsTo are the names after a document: of what is nested, of the other ends of its
// pairs, and of the documents that point at it.
func (c *Collection) LeadsTo() []string {
	names := design.NamesOf(c.Nested, func(n *Collection) string { return n.Name })
	names = append(names, design.NamesOf(c.From, func(p *Pair) string { return p.FromCalls })...)
	names = append(names, design.NamesOf(c.To, func(p *Pair) string { return p.ToCalls })...)
	names = append(names, design.NamesOf(c.PointedAt, func(r *Reference) string { return r.Inverse })...)
	return slices.DeleteFunc(names, func(name string) bool { return name == "" })
}

// Pair is a kind of pair with the duplicates that follow it.
type Pair struct {
	Number
	*design.Pair
	From, To   *Collection
	FromCounts []*Count   // kept in the from document
	ToCounts   []*Count   // kept in the to document
	Feeds      []*Summary // whose sources are these pairs
	Timelines  []*Timeline
	Exclusions []*Timeline // which leave entries out for it
	Opposed    bool        // it dissolves another kind, or is dissolved by one
	Form
	DissolvedBy []*Pair // the kinds that end it
	Dissolves   []*Pair // what ends, between the two and either way, when it is set
}

// Count is a kept count without a condition: it needs to know of a source
// only that it is there.
type Count struct {
	Number
	*design.Kept
	In         *Collection
	Of         Number      // the pair, reference or nested collection that is counted
	Thresholds []*Timeline // mixed timelines that it counts the followers for
}

// Summary is the summary of a kept value of the collection's own, nil if it is none.
func (c *Collection) Summary(k *design.Kept) *Summary {
	return first(c.Summaries, func(s *Summary) bool { return s.Kept == k })
}

// Told tells whether the journal tells of all that is counted: of pairs, nested
// documents, and references that are there from a document's creation to its end.
func (c *Count) Told() bool {
	return c.Pair != nil || c.Via == nil || c.Via.Required && c.Via.Fixed
}

// Copy is a kept copy of values of the document that Via points at.
type Copy struct {
	Number
	*design.Kept
	In                *Collection
	Via               *Reference
	Fields, KeptNames []string // what is copied
}

// Copied are the names of the values that are copied.
func (c *Copy) Copied() []string { return append(slices.Clone(c.Fields), c.KeptNames...) }

// Summary is a kept value that is worked out of what each of many sources
// contributes: a sum, a least or greatest, the newest few, a count under a
// condition.
type Summary struct {
	Number
	*design.Kept
	In                *Collection // whose documents hold it
	Sources           *Collection // documents that are summed up; of pairs, their other ends
	Via               *Reference  // sources that point here
	Pair              *Pair       // sources that are pairs
	Fields, KeptNames []string    // latest: what is shown of each source
	Spare             int         // see [Spare]
}

// Spare is how many sources of a latest or a gather are stored besides those that it shows, 0 of all others: where its
// reader is judged, they come in the place of what is hidden. That is two, and one more for each five that it shows:
// somebody who is barred from one in ten sources then sees all places filled without a further look in 19 pages
// of 20.
func Spare(k *design.Kept, by access.Right) int {
	if by != access.Judged || k.Kind != design.Latest && k.Kind != design.Gather {
		return 0
	}
	return 2 + k.HowMany/5
}

// Stored is how many sources are stored.
func (s *Summary) Stored() int { return s.HowMany + s.Spare }

// Empty is the value of a summary that has no sources.
func (s *Summary) Empty() json.RawMessage {
	switch s.Kind {
	case design.Count, design.Sum:
		return json.RawMessage("0")
	case design.Latest, design.Gather:
		return json.RawMessage("[]")
	}
	return json.RawMessage("null")
}

// Chosen tells whether the value is a choice among the contributions rather
// than their sum.
func (s *Summary) Chosen() bool { return s.Kind != design.Sum && s.Kind != design.Count }

// IsNumber tells whether the value is the least or greatest of numbers. What is
// new among them can only bring it further.
func (s *Summary) IsNumber() bool {
	return (s.Kind == design.Min || s.Kind == design.Max) && !s.Timed()
}

// builtOn is what is derived from a kept value.
type builtOn struct {
	copies      []*Copy
	contributes []*Summary // it is the value of a source
	shows       []*Summary // it is shown of a source
}

// Timeline is a timeline with what it is fed by.
type Timeline struct {
	Number
	*design.Timeline
	Owner, Entries *Collection
	By             *Reference
	Through        *Pair
	Exclusions     []Exclusion
}

// Exclusion is a pair of an owner with an author that keeps the author's entries out.
type Exclusion struct {
	*Pair
	EitherWay bool // or of the author with the owner
}

// Lower is the number of followers below which an author whose entries are
// collected has them written again. It is a fifth under [design.Timeline.Above],
// so that one follower more or less does not move a million entries to and fro.
func (t *Timeline) Lower() int { return t.Above - t.Above/5 }

// New makes the plan of a design.
func New(d *design.Design, number Numbering) *Plan {
	p := &Plan{Design: d, rights: access.Rights(d), references: map[Number]*Reference{},
		counts: map[Number]*Count{}, copies: map[Number]*Copy{},
		summaries: map[Number]*Summary{}}
	for _, c := range d.Collections {
		p.Collections = append(p.Collections,
			&Collection{Number: number("collection", c.Name), Collection: c, builtOn: map[string]builtOn{}})
	}
	for _, c := range p.Collections {
		p.addLinks(c, number)
	}
	for _, pair := range d.Pairs {
		p.addPair(pair, number)
	}
	for _, pair := range p.Pairs {
		for _, other := range pair.Pair.Dissolves {
			dissolved := p.pairOf(other)
			pair.Dissolves = append(pair.Dissolves, dissolved)
			dissolved.DissolvedBy = append(dissolved.DissolvedBy, pair)
			pair.Opposed, dissolved.Opposed = true, true
		}
	}
	for _, c := range p.Collections {
		for _, k := range c.Kept {
			p.addKept(c, k, number("kept", c.Name+"."+k.Name))
		}
	}
	for _, t := range d.Timelines {
		p.addTimeline(t, number("timeline", t.Name))
	}
	for _, l := range d.Lists {
		p.addList(l)
	}
	for _, t := range d.Triggers {
		p.addTrigger(t, number("trigger", t.Name))
	}
	p.duplicates = p.listDuplicates()
	return p
}

func (p *Plan) addLinks(c *Collection, number Numbering) {
	if c.Under != nil {
		c.Parent = p.of(c.Under)
		c.Parent.Nested = append(c.Parent.Nested, c)
	}
	for _, f := range c.Fields {
		name := c.Name + "." + f.Name
		if f.Unique {
			c.Uniques = append(c.Uniques, &Unique{number("unique", name), f})
		}
		if f.Type != design.Reference {
			continue
		}
		ref := &Reference{Number: number("reference", name), Field: f, In: c, To: p.of(f.To)}
		c.References = append(c.References, ref)
		ref.To.PointedAt = append(ref.To.PointedAt, ref)
		p.references[ref.Number] = ref
	}
}

func (p *Plan) addPair(d *design.Pair, number Numbering) {
	pair := &Pair{Number: number("pair", d.Name), Pair: d, From: p.of(d.From), To: p.of(d.To)}
	pair.From.From = append(pair.From.From, pair)
	pair.To.To = append(pair.To.To, pair)
	p.Pairs = append(p.Pairs, pair)
}

func (p *Plan) addKept(c *Collection, k *design.Kept, n Number) {
	switch {
	case k.Kind == design.Copy:
		p.addCopy(c, k, n)
	case k.Kind == design.Count && k.Where == nil:
		p.addCount(c, k, n)
	default:
		p.addSummary(c, k, n)
	}
}

func (p *Plan) addCopy(c *Collection, k *design.Kept, n Number) {
	ref := p.reference(k.Via)
	kept := &Copy{Number: n, Kept: k, In: c, Via: ref}
	kept.Fields, kept.KeptNames = design.Names(k.Parts)
	c.Copies = append(c.Copies, kept)
	ref.Copies = append(ref.Copies, kept)
	p.copies[n] = kept
	for _, name := range kept.KeptNames {
		on := ref.To.builtOn[name]
		on.copies = append(on.copies, kept)
		ref.To.builtOn[name] = on
	}
}

func (p *Plan) addCount(c *Collection, k *design.Kept, n Number) {
	count := &Count{Number: n, Kept: k, In: c}
	c.Counts = append(c.Counts, count)
	p.counts[n] = count
	switch {
	case k.Nested != nil:
		nested := p.of(k.Nested)
		count.Of = nested.Number
		nested.FedCounts = append(nested.FedCounts, count)
	case k.Via != nil:
		ref := p.reference(k.Via)
		count.Of = ref.Number
		ref.Counts = append(ref.Counts, count)
	case k.Side == design.From:
		pair := p.pairOf(k.Pair)
		count.Of = pair.Number
		pair.FromCounts = append(pair.FromCounts, count)
	default:
		pair := p.pairOf(k.Pair)
		count.Of = pair.Number
		pair.ToCounts = append(pair.ToCounts, count)
	}
}

func (p *Plan) addSummary(c *Collection, k *design.Kept, n Number) {
	s := &Summary{Number: n, Kept: k, In: c, Sources: p.of(k.Sources())}
	s.Fields, s.KeptNames = design.Names(k.Parts)
	s.Spare = Spare(k, p.rights[k])
	c.Summaries = append(c.Summaries, s)
	if s.Spare > 0 {
		c.Spared = append(c.Spared, s)
	}
	p.summaries[n] = s
	switch {
	case k.Pair != nil:
		s.Pair = p.pairOf(k.Pair)
		s.Pair.Feeds = append(s.Pair.Feeds, s)
	case k.Via != nil:
		s.Via = p.reference(k.Via)
	}
	s.Sources.Feeds = append(s.Sources.Feeds, s)
	if k.Of.Kept != nil {
		on := s.Sources.builtOn[k.Of.Kept.Name]
		on.contributes = append(on.contributes, s)
		s.Sources.builtOn[k.Of.Kept.Name] = on
	}
	for _, name := range s.KeptNames {
		on := s.Sources.builtOn[name]
		on.shows = append(on.shows, s)
		s.Sources.builtOn[name] = on
	}
}

func (p *Plan) addTimeline(d *design.Timeline, n Number) {
	t := &Timeline{Number: n, Timeline: d, Owner: p.of(d.Owner), Entries: p.of(d.Entries), By: p.reference(d.By),
		Through: p.pairOf(d.Through)}
	t.Owner.Owned = append(t.Owner.Owned, t)
	t.Entries.EntersInto = append(t.Entries.EntersInto, t)
	t.Through.Timelines = append(t.Through.Timelines, t)
	if d.Deliver == design.Mixed {
		for _, count := range t.Through.ToCounts {
			if count.Kept == d.Followers() {
				count.Thresholds = append(count.Thresholds, t)
			}
		}
	}
	for _, u := range d.Unless {
		exclusion := Exclusion{p.pairOf(u.Paired), u.EitherWay}
		t.Exclusions, exclusion.Pair.Exclusions = append(t.Exclusions, exclusion), append(exclusion.Pair.Exclusions, t)
	}
	p.Timelines = append(p.Timelines, t)
}

// first is the first of some that fits, nil if none does.
func first[T any](all []*T, fits func(*T) bool) *T {
	if i := slices.IndexFunc(all, fits); i >= 0 {
		return all[i]
	}
	return nil
}

// Collection finds a collection by name, nil if there is none.
func (p *Plan) Collection(name string) *Collection {
	return first(p.Collections, func(c *Collection) bool { return c.Name == name })
}

// CollectionNumbered finds a collection by number, nil if there is none.
func (p *Plan) CollectionNumbered(n Number) *Collection {
	return first(p.Collections, func(c *Collection) bool { return c.Number == n })
}

// Pair finds a pair by name, nil if there is none.
func (p *Plan) Pair(name string) *Pair {
	return first(p.Pairs, func(p *Pair) bool { return p.Name == name })
}

// PairNumbered finds a pair by number, nil if there is none.
func (p *Plan) PairNumbered(n Number) *Pair {
	return first(p.Pairs, func(p *Pair) bool { return p.Number == n })
}

// Timeline finds a timeline by name, nil if there is none.
func (p *Plan) Timeline(name string) *Timeline {
	return first(p.Timelines, func(t *Timeline) bool { return t.Name == name })
}

// TimelineNumbered finds a timeline by number, nil if there is none.
func (p *Plan) TimelineNumbered(n Number) *Timeline {
	return first(p.Timelines, func(t *Timeline) bool { return t.Number == n })
}

// ReferenceNumbered finds a reference by number, nil if there is none.
func (p *Plan) ReferenceNumbered(n Number) *Reference { return p.references[n] }

// CountNumbered finds a kept count by number, nil if there is none.
func (p *Plan) CountNumbered(n Number) *Count { return p.counts[n] }

// CopyNumbered finds a kept copy by number, nil if there is none.
func (p *Plan) CopyNumbered(n Number) *Copy { return p.copies[n] }

// SummaryNumbered finds a summary by number, nil if there is none.
func (p *Plan) SummaryNumbered(n Number) *Summary { return p.summaries[n] }

// Kept is a kept value of any kind, by number: its collection and its design;
// nil if there is none.
func (p *Plan) Kept(n Number) (*Collection, *design.Kept) {
	if c := p.counts[n]; c != nil {
		return c.In, c.Kept
	}
	if c := p.copies[n]; c != nil {
		return c.In, c.Kept
	}
	if s := p.summaries[n]; s != nil {
		return s.In, s.Kept
	}
	return nil, nil
}

func (p *Plan) of(c *design.Collection) *Collection {
	for _, have := range p.Collections {
		if have.Collection == c {
			return have
		}
	}
	return nil
}

func (p *Plan) pairOf(d *design.Pair) *Pair {
	for _, have := range p.Pairs {
		if have.Pair == d {
			return have
		}
	}
	return nil
}

func (p *Plan) reference(f *design.Field) *Reference {
	for _, have := range p.references {
		if have.Field == f {
			return have
		}
	}
	return nil
}
