package design

import "yalvo/internal/design/expr"

// Design is a checked design: every name in it has been resolved.
type Design struct {
	App         string      // the app's name
	Accounts    *Collection // who is signed in is a document of this collection; nil if the design names none
	SignIn      *Field      // what accounts sign in by with the service's own issuer; nil: they do not
	Collections []*Collection
	Pairs       []*Pair
	Timelines   []*Timeline
	Lists       []*Listing
	Screens     []*Screen
	Triggers    []*Trigger
	Accepted    []Accepted
	Workload    *Workload // how much it is used; nil if the file does not say
	Guarded     bool      // it says who may do what
	Rules       []*Rule   // conditions with names, which the rules of access use
	Source      []byte    // the file as it was read
}

// Accepted is a finding that is taken as it is: see package findings.
type Accepted struct {
	Pos     Pos
	Finding string // its code
	At      string // its place
	Because string
	Ground  string // what it rested on when it was accepted; empty: whatever it rests on
}

// Collection is a kind of document.
type Collection struct {
	Name   string
	Pos    Pos
	Was    string      // what it was called in the version before, if that was otherwise
	Under  *Collection // the parent's collection; nil for a collection of its own
	Fields []*Field
	Kept   []*Kept
	Checks []*Check
	Access *Access
}

// Type is the type of a field's values.
type Type string

// The types a field can have.
const (
	String    Type = "string"
	Integer   Type = "integer"
	Number    Type = "number"
	Boolean   Type = "boolean"
	Timestamp Type = "timestamp"
	Reference Type = "reference"
	Media     Type = "media"
	Object    Type = "object"
	List      Type = "list"
	Set       Type = "set"
)

// Field is one field of a collection, of an object, or the items of a list or set.
type Field struct {
	Name     string
	Pos      Pos
	Was      string   // what it was called in the version before, if that was otherwise
	Convert  *Convert // how its value is made of the facts of the version before; nil: it is the value it had
	Type     Type
	Required bool
	Default  *Default
	Min, Max *float64      // characters of a string, items of a list or set, else the value itself
	Pattern  *expr.Pattern // strings only
	OneOf    []any         // nil: no restriction
	Unique   bool          // no two documents of the collection share the value
	Fixed    bool          // never changes after creation

	In       *Collection // the collection the field belongs to, nil inside objects and lists
	To       *Collection // references: the collection of the target
	WhenGone WhenGone    // references: what becomes of this document when the target goes
	Inverse  string      // references: what the target calls the documents that point at it

	Fields []*Field // objects: the members
	Of     *Field   // lists and sets: the items
}

// Convert is a CEL expression over a document (or a pair) as the version of the
// design before has it. Only together with that version can it be compiled.
type Convert struct {
	Text string
	Pos  Pos
}

// Default is the value a field gets when a new document leaves it out.
type Default struct {
	Now     bool // the server's clock
	Me      bool // the caller's account
	Literal any  // otherwise
}

// WhenGone says what becomes of a document when the target of its reference is removed.
type WhenGone string

// The ends a reference can come to.
const (
	GoneRemove WhenGone = "remove" // the document goes too
	GoneClear  WhenGone = "clear"  // the reference is emptied
	GoneRefuse WhenGone = "refuse" // the target may not be removed
	GoneLeave  WhenGone = "leave"  // the reference keeps pointing at nothing
)

// KeptKind is the way a kept value is derived.
type KeptKind string

// The kinds of kept values.
const (
	Copy   KeptKind = "copy"   // values of the document a reference points at
	Count  KeptKind = "count"  // how many sources there are
	Sum    KeptKind = "sum"    // the sum of a value of each source
	Min    KeptKind = "min"    // the least value of a source
	Max    KeptKind = "max"    // the greatest value of a source
	Latest KeptKind = "latest" // the newest few sources, embedded
	Gather KeptKind = "gather" // the newest few sources, as references
)

// Kept is a value in a document that is derived from elsewhere. A copy comes
// from the one document its reference points at. Every other kind is a summary
// of sources: documents that point here, documents nested here, or pairs.
type Kept struct {
	Name string
	Pos  Pos
	Was  string // what it was called in the version before, if that was otherwise
	In   *Collection
	Kind KeptKind

	Via    *Field // copy: the reference in this collection; else the reference of the sources that points here
	Parts  []Part // copy: what is copied of Via.To; latest: what is shown of each source
	Frozen bool   // copy: it stays as it was when the reference was first set

	Pair    *Pair       // the sources are pairs
	Side    Side        // of pairs: the side this document stands on
	Nested  *Collection // the sources are nested documents
	Of      Part        // sum, min, max: the value of each source
	Where   *expr.Expr  // summaries: the condition a source must meet, nil for none
	HowMany int         // latest, gather: how many
}

// Sources is the collection that a summary's sources belong to; of pairs, the
// collection of their other ends.
func (k *Kept) Sources() *Collection {
	switch {
	case k.Nested != nil:
		return k.Nested
	case k.Via != nil:
		return k.Via.In
	case k.Side == From:
		return k.Pair.To
	}
	return k.Pair.From
}

// Shown is the collection whose values it shows.
func (k *Kept) Shown() *Collection {
	if k.Kind == Copy {
		return k.Via.To
	}
	return k.Sources()
}

// Part is a value that is shown elsewhere: a field, or a kept value.
type Part struct {
	Field *Field
	Kept  *Kept
}

// Name is the value's name in its collection.
func (p Part) Name() string {
	if p.Kept != nil {
		return p.Kept.Name
	}
	return p.Field.Name
}

// Names are the names of the fields and of the kept values among some parts.
func Names(parts []Part) (fields, kept []string) {
	for _, p := range parts {
		if p.Kept != nil {
			kept = append(kept, p.Kept.Name)
			continue
		}
		fields = append(fields, p.Field.Name)
	}
	return fields, kept
}

// PartsApart are the fields and the kept values among some parts.
func PartsApart(parts []Part) (fields []*Field, kept []*Kept) {
	for _, p := range parts {
		if p.Kept != nil {
			kept = append(kept, p.Kept)
			continue
		}
		fields = append(fields, p.Field)
	}
	return fields, kept
}

// Side is one end of a pair.
type Side string

// The two ends of a pair.
const (
	From Side = "from"
	To   Side = "to"
)

// Pair is a kind of fact between two documents.
type Pair struct {
	Name      string
	Pos       Pos
	Was       string // what it was called in the version before, if that was otherwise
	From, To  *Collection
	FromCalls string  // what the from document calls the other ends
	ToCalls   string  // what the to document calls the other ends
	Self      bool    // a document may be paired with itself
	Dissolves []*Pair // the pairs between the two, either way, that end when this one is set
	Fields    []*Field
	Access    *Access
}

// Timeline is a kind of duplicate with an owner: the entries one account should see.
type Timeline struct {
	Name    string
	Pos     Pos
	Was     string // what it was called in the version before, if that was otherwise
	Owner   *Collection
	Entries *Collection
	By      *Field // the reference from an entry to its author
	Through *Pair  // who is followed: from the owner, to the author
	Where   *Rule  // what must hold of an entry's facts, nil for nothing
	While   *Rule  // what must hold of the own facts of the pair that it goes through
	Own     bool   // an author sees their own entries
	Unless  []Unless
	Order   *Field // an integer or timestamp of the entries, greatest first; nil: their creation
	Length  int    // how many of the newest entries the timeline holds
	Deliver Deliver
	Above   int // mixed: authors with more followers are collected from when read
	Carry   []Part
	Access  *Access
}

// Deliver is the way entries get into a timeline.
type Deliver string

// The ways.
const (
	Push  Deliver = "push"  // written into every follower's timeline when posted
	Pull  Deliver = "pull"  // collected from the authors when read
	Mixed Deliver = "mixed" // pushed, but for authors with many followers
)

// Unless keeps an author's entries out of a timeline whose owner is paired
// with the author.
type Unless struct {
	Paired    *Pair // from the owner, to the author
	EitherWay bool  // or the other way round
}

// Collection finds a collection by name, nil if there is none.
func (d *Design) Collection(name string) *Collection {
	return find(d.Collections, name, func(c *Collection) string { return c.Name })
}

// Pair finds a kind of pair by name, nil if there is none.
func (d *Design) Pair(name string) *Pair {
	return find(d.Pairs, name, func(p *Pair) string { return p.Name })
}

// Timeline finds a timeline by name, nil if there is none.
func (d *Design) Timeline(name string) *Timeline {
	return find(d.Timelines, name, func(t *Timeline) string { return t.Name })
}

// Names are those of the collection's fields and kept values.
func (c *Collection) Names() []string {
	return append(FieldNames(c.Fields), NamesOf(c.Kept, func(k *Kept) string { return k.Name })...)
}

// Field finds a field by name, nil if there is none.
func (c *Collection) Field(name string) *Field {
	return FieldNamed(c.Fields, name)
}

// KeptValue finds a kept value by name, nil if there is none.
func (c *Collection) KeptValue(name string) *Kept {
	return find(c.Kept, name, func(k *Kept) string { return k.Name })
}

// References are the collection's fields that point at other documents.
func (c *Collection) References() []*Field {
	var refs []*Field
	for _, f := range c.Fields {
		if f.Type == Reference {
			refs = append(refs, f)
		}
	}
	return refs
}

// Depth is the number of ids in the path of one of its documents: 1 for a
// collection of its own, 2 for one nested under such a one, and so on.
func (c *Collection) Depth() int {
	if c.Under == nil {
		return 1
	}
	return c.Under.Depth() + 1
}

// FieldNamed finds a field by name, nil if there is none.
func FieldNamed(fields []*Field, name string) *Field {
	return find(fields, name, func(f *Field) string { return f.Name })
}

func find[T any](all []*T, name string, nameOf func(*T) string) *T {
	for _, one := range all {
		if nameOf(one) == name {
			return one
		}
	}
	return nil
}
