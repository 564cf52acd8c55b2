package access

import (
	"strings"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// Law is what a design says about who may do what.
type Law struct {
	design *design.Design
	shapes map[string]expr.Shape
	reads  map[expr.Member]bool // the values that any rule names
	asks   map[string]bool      // the kinds of pairs that any rule asks for
	follow map[string]bool      // the collections to which any rule follows a reference and reads on
	rights map[*design.Kept]Right
	judges map[*design.Kept]bool
	names  map[*design.Collection][][]byte
	told   map[string][]string // by list or timeline: narrowed values of its entries that it tells
}

// New is the law of a design.
func New(d *design.Design) *Law {
	l := &Law{d, map[string]expr.Shape{}, map[expr.Member]bool{}, map[string]bool{}, map[string]bool{},
		map[*design.Kept]Right{}, map[*design.Kept]bool{},
		map[*design.Collection][][]byte{}, map[string][]string{}}
	for _, c := range d.Collections {
		l.shapes[c.Name] = c.ShapeOf()
	}
	for _, t := range d.Triggers {
		for _, seen := range t.Sees() {
			for _, m := range seen.Reads {
				l.reads[m] = true
			}
		}
	}
	rules := d.AccessRules()
	for _, list := range d.Lists {
		rules = append(rules, list.Where)
	}
	for _, r := range rules {
		if r == nil || r.That == nil {
			continue
		}
		for _, m := range r.That.Reads {
			l.reads[m] = true
		}
		for _, ask := range r.That.Asks {
			l.asks[ask.Kind] = true
		}
		for _, collection := range r.That.Beyond {
			l.follow[collection] = true
		}
	}
	l.findRights()
	l.findTold()
	return l
}

// Reads tells whether any rule names a value of the documents of a collection: what none
// does need not be fetched.
func (l *Law) Reads(collection, name string) bool {
	return l.reads[expr.Member{Collection: collection, Name: name}]
}

// Asks tells whether any rule asks for pairs of a kind.
func (l *Law) Asks(kind string) bool { return l.asks[kind] }

// Follows tells whether any rule reads values of documents of a collection that it comes to
// over a reference, from a parent or from another end: not those that it is about.
func (l *Law) Follows(collection string) bool { return l.follow[collection] }

// Alike tells whether a rule asks the same for every caller at any time: it reads no clock, and of
// callers no values, but who they are and whom they are paired with.
func Alike(rule *design.Rule) bool {
	return rule == nil || rule.That == nil || !rule.That.Reading(design.NameMe) && !rule.That.Names(design.NameNow)
}

// Guards tells whether the design says anything about access.
func (l *Law) Guards() bool { return l.design.Guarded }

// Document is a document as rules see it. Values are its facts, kept values and system
// values; nil for one that is to be fetched if a rule wants to know more than which it is.
func (l *Law) Document(c *design.Collection, key string, values map[string]any) *expr.Document {
	return &expr.Document{Collection: c.Name, Key: key, Shape: l.shapes[c.Name], Values: values}
}

// Condition is a rule that has to hold for a request, with what it is about.
type Condition struct {
	Name   string                    // as [design.Rule.Name]
	Rule   *design.Rule              // nil: there is none, so nobody may
	Given  map[string]*expr.Document // by name; the caller's account is added
	Pair   map[string]any            // the facts of the pair
	Values map[string]any            // what else it names
	Hidden *expr.Document            // of reading: what counts as missing if the rule does not hold
}

// Reading are the conditions to read a document: what lies under another is read by those
// who may read that.
func (l *Law) Reading(c *design.Collection, doc *expr.Document) []Condition {
	var all []Condition
	parent := l.parent(c, doc.Key)
	if parent != nil {
		all = l.Reading(c.Under, parent)
	}
	return append(all, Condition{Name: c.Name + "." + string(design.OpRead), Rule: c.Access.Of(design.OpRead),
		Given: given(doc, nil, parent), Hidden: doc})
}

// parent is what a document of a nested collection lies under, nil of others.
func (l *Law) parent(c *design.Collection, key string) *expr.Document {
	if c.Under == nil {
		return nil
	}
	return l.Document(c.Under, key[:max(strings.LastIndexByte(key, '/'), 0)], nil)
}

func given(doc, changed, parent *expr.Document) map[string]*expr.Document {
	return map[string]*expr.Document{design.NameDoc: doc, design.NameNew: changed, design.NameParent: parent}
}

// ReadingField are the conditions to read one value of a document that may be read.
func (l *Law) ReadingField(c *design.Collection, doc *expr.Document, name string) []Condition {
	return []Condition{{Name: c.Name + "." + name + "." + string(design.OpRead),
		Rule: c.Access.OfField(name, design.OpRead), Given: given(doc, nil, l.parent(c, doc.Key))}}
}

// Sourcing are the conditions to be shown a source of a kept value by who may read the document that holds it:
// to read the source, the reference by which the two belong together, and of pairs the pair.
func (l *Law) Sourcing(k *design.Kept, holder, source *expr.Document, pair map[string]any) []Condition {
	in := l.design.Collection(source.Collection)
	switch {
	case k.Kind == design.Copy:
		return append(l.fieldOf(k.In, holder, k.Via.Name), l.Reading(in, source)...)
	case k.Nested != nil: // what it lies under is the holder, which may be read
		return []Condition{{Name: in.Name + "." + string(design.OpRead), Rule: in.Access.Of(design.OpRead),
			Given: given(source, nil, holder), Hidden: source}}
	case k.Via != nil:
		return append(l.Reading(in, source), l.fieldOf(in, source, k.Via.Name)...)
	case k.Side == design.From:
		return append(l.Reading(in, source), l.ReadingPair(k.Pair, holder, source, pair)...)
	}
	return append(l.Reading(in, source), l.ReadingPair(k.Pair, source, holder, pair)...)
}

// fieldOf are the conditions to read a value of a document if it is narrowed.
func (l *Law) fieldOf(c *design.Collection, doc *expr.Document, name string) []Condition {
	if c.Access.OfField(name, design.OpRead) == nil {
		return nil
	}
	return l.ReadingField(c, doc, name)
}

// Creating are the conditions to create a document with values for some fields.
func (l *Law) Creating(c *design.Collection, made *expr.Document, fields []string) []Condition {
	var all []Condition
	if parent := l.parent(c, made.Key); parent != nil {
		all = l.Reading(c.Under, parent)
	}
	return append(all, l.writing(c, design.OpCreate, nil, made, fields)...)
}

// Editing are the conditions to change some fields of a document.
func (l *Law) Editing(c *design.Collection, doc, changed *expr.Document, fields []string) []Condition {
	return append(l.Reading(c, doc), l.writing(c, design.OpEdit, doc, changed, fields)...)
}

func (l *Law) writing(c *design.Collection, op design.Op, doc, changed *expr.Document, fields []string) []Condition {
	names := given(doc, changed, l.parent(c, changed.Key))
	all := []Condition{{Name: c.Name + "." + string(op), Rule: c.Access.Of(op), Given: names}}
	for _, name := range fields {
		if rule := c.Access.OfField(name, design.OpWrite); rule != nil {
			all = append(all, Condition{Name: rule.Name, Rule: rule, Given: names})
		}
	}
	return all
}

// Removing are the conditions to remove a document.
func (l *Law) Removing(c *design.Collection, doc *expr.Document) []Condition {
	return append(l.Reading(c, doc), Condition{Name: c.Name + "." + string(design.OpRemove),
		Rule: c.Access.Of(design.OpRemove), Given: given(doc, nil, l.parent(c, doc.Key))})
}

// ReadingPair are the conditions to read a pair whose ends may be read.
func (l *Law) ReadingPair(p *design.Pair, from, to *expr.Document, facts map[string]any) []Condition {
	return []Condition{pairCondition(p, design.OpRead, from, to, facts)}
}

// Setting are the conditions to set a pair: both ends must be there for the caller.
func (l *Law) Setting(p *design.Pair, from, to *expr.Document, facts map[string]any) []Condition {
	return append(append(l.Reading(p.From, from), l.Reading(p.To, to)...),
		pairCondition(p, design.OpSet, from, to, facts))
}

// Unsetting are the conditions to end a pair. Its ends need not be readable: who has been
// blocked may still take back what they did.
func (l *Law) Unsetting(p *design.Pair, from, to *expr.Document, facts map[string]any) []Condition {
	return []Condition{pairCondition(p, design.OpUnset, from, to, facts)}
}

func pairCondition(p *design.Pair, op design.Op, from, to *expr.Document, facts map[string]any) Condition {
	return Condition{Name: p.Name + "." + string(op), Rule: p.Access.Of(op), Pair: facts,
		Given: map[string]*expr.Document{design.NameFrom: from, design.NameTo: to}}
}

// ReadingTimeline are the conditions to read the timeline of an owner.
func (l *Law) ReadingTimeline(t *design.Timeline, owner *expr.Document) []Condition {
	return append(l.Reading(t.Owner, owner), Condition{Name: t.Name + "." + string(design.OpRead),
		Rule: t.Access.Of(design.OpRead), Given: map[string]*expr.Document{design.NameOwner: owner}})
}
