package forecast

import (
	"fmt"
	"math"
	"regexp/syntax"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/expr"
)

// Bytes of what a row takes in the database with its indexes, besides what it holds: measured with the demo's data, as
// pg_total_relation_size by the number of rows.
const (
	DocumentBytes  = 330.0 // a document
	IndexBytes     = 42.0  // its place in the index of one list
	PairBytes      = 244.0
	ReferenceBytes = 148.0 // what a document's reference leads to

	rowKept         = 110.0
	rowEntry        = 128.0
	rowContribution = 200.0
	rowUnique       = 156.0
	rowPosted       = 131.0
	rowJournal      = 164.0
)

// Bytes of an answer around what is shown.
const (
	aroundDocument = 131.0
	aroundEntry    = 92.0
	aroundPage     = 60.0
	idBytes        = 36.0 // an id that the service makes
	aroundMark     = 12.0 // the marks of a document
)

// member is what a value takes in JSON, with its name.
func member(name string, value float64) float64 { return float64(len(name)) + 4 + value }

// field is what a value of a field takes, as somebody says or as its type has it.
func (c *costing) field(f *design.Field) float64 {
	if f.In != nil {
		if said, is := c.w.Sizes[f.In.Name+"."+f.Name]; is {
			return said
		}
	}
	return usual(f)
}

func usual(f *design.Field) float64 {
	switch f.Type {
	case design.String:
		if len(f.OneOf) > 0 {
			sum := 0
			for _, choice := range f.OneOf {
				sum += len(fmt.Sprint(choice)) + 2
			}
			return float64(sum) / float64(len(f.OneOf))
		}
		if f.Max == nil {
			return 42
		}
		return min(*f.Max, 160)/2 + 2
	case design.Boolean:
		return 5
	case design.Number:
		return 8
	case design.Timestamp:
		return 29
	case design.Reference:
		return 20 + 2
	case design.Media:
		return 55
	case design.Object:
		sum := 2.0
		for _, in := range f.Fields {
			sum += member(in.Name, usual(in))
		}
		return sum
	case design.List, design.Set:
		return 2 + 2*(usual(f.Of)+2)
	}
	return 3
}

// id is what an id of a collection takes, and path what the path to one of its documents does.
func (c *costing) id(of *design.Collection) float64 {
	if said, is := c.w.Sizes[of.Name+".id"]; is {
		return said
	}
	return idBytes
}

func (c *costing) path(of *design.Collection) float64 {
	own := float64(len(of.Name)) + 1 + c.id(of)
	if of.Under != nil {
		return c.path(of.Under) + 1 + own
	}
	return own
}

// given is what a field takes in an answer: nothing where it is absent.
func (c *costing) given(f *design.Field) float64 {
	size := member(f.Name, c.field(f))
	if f.In != nil {
		size *= c.w.Share(f.In, f.Name)
	}
	return size
}

// parts are what some values take that are shown elsewhere.
func (c *costing) parts(parts []design.Part) float64 {
	sum := 2.0
	for _, p := range parts {
		if p.Kept != nil {
			sum += member(p.Kept.Name, c.kept(p.Kept))
			continue
		}
		sum += c.given(p.Field)
	}
	return sum
}

// kept is what a kept value takes.
func (c *costing) kept(k *design.Kept) float64 {
	switch k.Kind {
	case design.Copy:
		return c.parts(k.Parts)
	case design.Latest:
		many := c.many(k.Relation(), Mean, atMost(float64(k.HowMany)))
		of := k.Sources()
		return 2 + many*(c.parts(k.Parts)+member("id", c.id(of)+2)+member("path", c.path(of)+2))
	case design.Gather:
		return 2 + c.many(k.Relation(), Mean, atMost(float64(k.HowMany)))*(c.id(k.Sources())+3)
	}
	return 2
}

// facts and values are what those of a document take; names are those that are shown, none for all.
func (c *costing) facts(of *design.Collection, names []string) float64 {
	sum := 2.0
	for _, f := range of.Fields {
		if len(names) == 0 || slices.Contains(names, f.Name) {
			sum += c.given(f)
		}
	}
	return sum
}

func (c *costing) values(of *design.Collection, names []string) float64 {
	sum := 2.0
	for _, k := range of.Kept {
		if k == c.without {
			continue
		}
		if len(names) == 0 || slices.Contains(names, k.Name) {
			sum += member(k.Name, c.kept(k))
		}
	}
	return sum
}

// document is what one takes in an answer.
func (c *costing) document(of *design.Collection, names []string) float64 {
	return aroundDocument + c.id(of) + c.path(of) + c.facts(of, names) + c.values(of, names)
}

// entry is what an entry of a timeline takes in an answer.
func (c *costing) entry(t *design.Timeline, names []string) float64 {
	if len(names) == 0 && len(t.Carry) > 0 {
		fields, kept := design.Names(t.Carry)
		names = slices.Concat(fields, kept)
	}
	return aroundEntry + c.id(t.Entries) + c.path(t.Entries) + c.id(t.Owner) + c.facts(t.Entries, names) +
		c.values(t.Entries, names)
}

// row is what a document takes in the database, with its kept values and the indexes of lists.
func (c *costing) row(of *design.Collection) float64 {
	lists := 0.0
	for _, l := range c.d.Lists {
		if l.Entries == of && !l.ByPairs() {
			lists++
		}
	}
	return DocumentBytes + IndexBytes*lists + c.facts(of, nil) + rowKept + c.values(of, nil)
}

// largest is the largest document that may be: what the service takes at most is 1 MiB.
func (c *costing) largest() Largest {
	out := Largest{}
	for _, col := range c.d.Collections {
		sum, unbounded := aroundDocument+c.values(col, nil), ""
		for _, f := range col.Fields {
			size, is := bound(f)
			if !is && unbounded == "" {
				unbounded = col.Name + "." + f.Name
			}
			sum += member(f.Name, size)
		}
		if unbounded != "" {
			sum = mostDocument
		}
		if sum > out.Bytes {
			out = Largest{col.Name, min(sum, mostDocument), unbounded}
		}
	}
	return out
}

const mostDocument = 1 << 20

// boundOf is what a text may take that a pattern fits, if that has an end.
func boundOf(p *expr.Pattern) (bytes float64, is bool) {
	if p == nil {
		return mostDocument, false
	}
	re, err := syntax.Parse(p.Text, syntax.Perl)
	if err != nil {
		return mostDocument, false
	}
	re = re.Simplify()
	ends := re.Op == syntax.OpConcat && len(re.Sub) > 1 && re.Sub[0].Op == syntax.OpBeginText &&
		re.Sub[len(re.Sub)-1].Op == syntax.OpEndText
	if most := longest(re); ends && most <= mostDocument {
		return 4*most + 2, true
	}
	return mostDocument, false
}

// longest is how many characters a pattern fits at most.
func longest(re *syntax.Regexp) float64 {
	switch re.Op {
	case syntax.OpStar, syntax.OpPlus:
		return math.Inf(1)
	case syntax.OpLiteral:
		return float64(len(re.Rune))
	case syntax.OpCharClass, syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		return 1
	}
	sum := 0.0
	for _, sub := range re.Sub {
		if re.Op == syntax.OpAlternate {
			sum = max(sum, longest(sub))
			continue
		}
		sum += longest(sub)
	}
	return sum
}

// bound is what a value may take at most, and whether the design says so. A character takes up to four bytes.
func bound(f *design.Field) (bytes float64, is bool) {
	switch f.Type {
	case design.String:
		if len(f.OneOf) > 0 {
			return usual(f), true
		}
		if f.Max == nil {
			return boundOf(f.Pattern)
		}
		return 4**f.Max + 2, true
	case design.Object:
		sum := 2.0
		for _, in := range f.Fields {
			size, is := bound(in)
			if !is {
				return mostDocument, false
			}
			sum += member(in.Name, size)
		}
		return sum, true
	case design.List, design.Set:
		size, is := bound(f.Of)
		if f.Max == nil || !is {
			return mostDocument, false
		}
		return *f.Max * (size + 2), true
	}
	return usual(f), true
}
