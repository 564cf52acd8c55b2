package design

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
)

// Listing is a list: a sequence of documents that is asked for by name: those of a collection, of
// one parent, of one reference, or the other ends of a document's pairs. Nothing of it
// is stored but the index that it is read with.
type Listing struct {
	Name    string
	Pos     Pos
	Entries *Collection

	Under   bool   // it is asked for a document that the entries lie under
	By      *Field // a reference of the entries: it is asked for what that leads to
	Through *Pair  // it is asked for one end of pairs, and the entries are the others
	Side    Side   // of pairs: the side of the document that it is asked for

	Params []*Field // what is given with a request; strings, numbers, truths, times and references
	Where  *Rule    // what must hold of an entry, nil for nothing
	Unless []Apart
	Order  []Order
	Top    *Field   // a reference of the document that it is asked for: the entry shown first
	Starts *Field   // a text: the entries in which it begins with what is given
	Words  []*Field // texts: the entries in which all given words are
	Access *Access
}

// Apart keeps entries out of a list whose caller is paired with them.
type Apart struct {
	Paired    *Pair
	EitherWay bool
	With      *Field // the reference of the entry that leads to the other end; nil: the entry itself
}

// Order is a value by which a list is ordered: of the entries, or when their pair was made.
type Order struct {
	Part   Part
	System string // created, updated or paired, if it is no part
	Up     bool   // least first
}

// The values that a list can be ordered by besides those of its entries.
const (
	ByCreated = "created"
	ByUpdated = "updated"
	ByPaired  = "paired" // when the pair was made
)

// Name is what the order calls the value.
func (o Order) Name() string {
	if o.System != "" {
		return o.System
	}
	return o.Part.Name()
}

// String is the order as the design writes it.
func (o Order) String() string {
	if o.Up {
		return o.Name() + " up"
	}
	return o.Name()
}

// Owner is the collection of the document that a list is asked for, nil if for none.
func (l *Listing) Owner() *Collection {
	switch {
	case l.Under:
		return l.Entries.Under
	case l.By != nil:
		return l.By.To
	case l.Through == nil:
		return nil
	case l.Side == From:
		return l.Through.From
	}
	return l.Through.To
}

// Tells are the values of an entry that the list tells by which entries it has, and in which order. A
// condition without parameters tells what the design itself says of who belongs to it, as a rule does.
func (l *Listing) Tells() []string {
	names := FieldNames(l.Words)
	for _, f := range []*Field{l.By, l.Starts} {
		if f != nil {
			names = append(names, f.Name)
		}
	}
	for _, o := range l.Order {
		if o.System == "" {
			names = append(names, o.Name())
		}
	}
	if slices.ContainsFunc(l.Params, func(p *Field) bool { return l.Where.Names(p.Name) }) {
		for _, m := range l.Where.That.Reads {
			if m.Collection == l.Entries.Name {
				names = append(names, m.Name)
			}
		}
	}
	return names
}

// The names of the parameters of lists that look for texts.
const (
	ParamStarts = "starts"
	ParamWords  = "words"
)

// Looks is the parameter with the text that the list looks for, empty if it looks for none.
func (l *Listing) Looks() string {
	switch {
	case l.Starts != nil:
		return ParamStarts
	case len(l.Words) > 0:
		return ParamWords
	}
	return ""
}

// Serving says what the database reads a list by.
type Serving struct {
	Index string `json:"index"` // what the index holds, in its order
	Reads string `json:"reads"` // what is read for a page beyond its entries; empty: nothing
	None  bool   `json:"none"`  // no index can put the list in order: all that it could hold is read
}

// Serving is how the list is served.
func (l *Listing) Serving() Serving {
	s := Serving{Index: l.indexInWords()}
	var reads []string
	all := l.Entries.Name
	if owner := l.Owner(); owner != nil {
		all = fmt.Sprintf("%s of one of %s", all, owner.Name)
	}
	switch {
	case len(l.Words) > 0:
		reads = append(reads, "all that have the words, put in order")
	case l.Starts != nil && !l.OrderedByStart():
		reads = append(reads, "all that begin so, put in order")
	case l.Since() != "":
		return Serving{Index: s.Index, Reads: "all " + all + " since the time in the condition, put in order",
			None: true}
	case l.Sorted():
		s.None = true
		reads = append(reads, "all "+all+", put in order")
	case l.Mixed():
		reads = append(reads, "entries with the same "+l.Order[0].Name()+", put in order")
	}
	if l.Where != nil && len(l.Fixed()) == 0 {
		reads = append(reads, "what the condition leaves out")
	}
	s.Reads = strings.Join(reads, "; ")
	return s
}

// Fixed are the fields that the condition compares with what is the same for all of a page:
// the index begins with them.
func (l *Listing) Fixed() []*Field {
	if l.Where == nil || l.Where.That == nil || l.Through != nil || l.OnKept() || len(l.Words) > 0 || l.Starts != nil {
		return nil
	}
	var fields []*Field
	for _, name := range l.Where.That.Fixes(NameDoc) {
		if f := l.Entries.Field(name); f != nil && f.Indexable() && f.Type != Number && f.Type != Timestamp &&
			len(fields) < maxFixed {
			fields = append(fields, f)
		}
	}
	return fields
}

// How many characters a text may have that an index holds whole, and how many values may
// stand before the order: a row of an index has a bound.
const (
	maxIndexed = 60
	maxFixed   = 2
)

// Indexable tells whether every value that fits the field is short enough for an index.
func (f *Field) Indexable() bool {
	switch f.Type {
	case Boolean, Integer, Number, Timestamp:
		return true
	case String:
		long := func(choice any) bool { return utf8.RuneCountInString(fmt.Sprint(choice)) > maxIndexed }
		return f.OneOf != nil && !slices.ContainsFunc(f.OneOf, long) || f.Max != nil && *f.Max <= maxIndexed
	}
	return false
}

// OnKept tells whether the list is read in the order of a kept value.
func (l *Listing) OnKept() bool { return !l.ByPairs() && l.Order[0].Part.Kept != nil }

// ReadByKept tells whether an index on a kept value holds the list's order.
func (l *Listing) ReadByKept() bool {
	return l.OnKept() && l.Owner() == nil && l.Since() == "" && len(l.Words) == 0 && l.Starts == nil
}

// Since is the system time that the condition bounds from below, if the list is in another
// order: then all that is as new is read and put in order, however much there was before.
func (l *Listing) Since() string {
	if l.Where == nil || l.Where.That == nil || l.Owner() != nil || len(l.Words) > 0 || l.Starts != nil {
		return ""
	}
	for _, name := range l.Where.That.Since(NameDoc) {
		if (name == ByCreated || name == ByUpdated) && l.Order[0].System != name {
			return name
		}
	}
	return ""
}

// ByPairs tells whether the list is read in the order in which pairs were made.
func (l *Listing) ByPairs() bool {
	return l.Through != nil && l.Order[0].System == ByPaired
}

// OrderedByStart tells whether a list is in the order of the text that it looks for.
func (l *Listing) OrderedByStart() bool {
	return l.Starts != nil && len(l.Order) == 1 && l.Order[0].Part.Field == l.Starts && l.Order[0].Up
}

// Sorted tells whether no index holds the list's order: it joins what lies in two tables.
func (l *Listing) Sorted() bool {
	return l.Through != nil && !l.ByPairs() || l.OnKept() && l.Owner() != nil
}

// Mixed tells whether an index holds the first value of the order alone.
func (l *Listing) Mixed() bool {
	return len(l.Order) > 1 && (l.Order[0].Part.Kept != nil) != (l.Order[1].Part.Kept != nil)
}

func (l *Listing) indexInWords() string {
	if len(l.Words) > 0 {
		return "the words of " + strings.Join(FieldNames(l.Words), ", ")
	}
	if l.Starts != nil {
		return "the beginning of " + l.Starts.Name
	}
	var parts []string
	switch {
	case l.Through != nil:
		return "the pairs, by when they were made"
	case l.Under:
		parts = append(parts, "parent")
	case l.By != nil:
		parts = append(parts, l.By.Name)
	}
	parts = append(parts, FieldNames(l.Fixed())...)
	if since := l.Since(); since != "" {
		return strings.Join(append(parts, since), ", ")
	}
	if l.Sorted() {
		return strings.Join(parts, ", ")
	}
	for i, o := range l.Order {
		if i == 0 || !l.Mixed() {
			parts = append(parts, o.String())
		}
	}
	return strings.Join(parts, ", ")
}

// List finds a list by name, nil if there is none.
func (d *Design) List(name string) *Listing {
	return find(d.Lists, name, func(l *Listing) string { return l.Name })
}
