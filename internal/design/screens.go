package design

import "slices"

// Screen is what an app shows after one tap: one or several reads that are asked for by one name and answered
// together. It says what is shown; where that is read from is said by timelines, lists and kept values.
type Screen struct {
	Name  string
	Pos   Pos
	Of    *Collection // it is asked for one of these; nil: for whoever asks alone
	By    *Field      // by what it has in this field, which is unique; nil: by its key
	Parts []*ScreenPart
}

// ScreenPart is one read of a screen.
type ScreenPart struct {
	Name string
	Pos  Pos

	// One of these is read.
	Timeline *Timeline
	List     *Listing
	// a name of the document that the part is for: nested documents, other ends of pairs, what points at it
	Leads    string
	Document bool // that document itself

	For   Whose       // the document that it is for, "" if it is for none
	Shows *Collection // what it shows
	Page  int         // how many of them at once; 1 for a document
	Given map[string]string
	Names []Shown  // what is shown of each; none: all
	Marks []string // how whoever asks is paired with each
	With  []*Field // references whose documents come along
	Live  bool     // it goes on being shown as it changes
}

// Whose is the document that a part of a screen is for.
type Whose string

// Those are the caller's account, and the one that the screen is asked for.
const (
	Mine  Whose = "me"
	OfOne Whose = "of"
)

// Shown is a value that a screen shows: a name of a document, and what lies in it.
type Shown struct {
	Pos  Pos
	Path []string
}

// What every document is answered with, whatever a screen shows of it; the last two of a list through pairs.
var shownAnyway = []string{"id", "path", ByCreated, ByUpdated, "since", "pair"}

// ShownAnyway tells whether a name is answered with every document.
func ShownAnyway(name string) bool { return slices.Contains(shownAnyway, name) }

// Fields are the values to be answered with, in order and each once; none: all.
func (p *ScreenPart) Fields() []string {
	var names []string
	for _, s := range p.Names {
		if !ShownAnyway(s.Path[0]) {
			names = append(names, s.Path[0])
		}
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// Params are the parameters that the part takes from whoever asks for the screen: those of its list that the
// screen does not give; and the name of the one with what is looked for, empty if nothing is.
func (p *ScreenPart) Params() (own []*Field, looks string) {
	if p.List == nil {
		return nil, ""
	}
	for _, f := range p.List.Params {
		if _, is := p.Given[f.Name]; !is {
			own = append(own, f)
		}
	}
	if looks = p.List.Looks(); p.Given[looks] != "" {
		looks = ""
	}
	return own, looks
}

// Reads says what a part reads: timeline, list, leads or document, and its name; of a document its collection.
func (p *ScreenPart) Reads() (what, name string) {
	switch {
	case p.Timeline != nil:
		return "timeline", p.Timeline.Name
	case p.List != nil:
		return "list", p.List.Name
	case p.Leads != "":
		return "leads", p.Leads
	}
	return "document", p.Shows.Name
}

// Params are the parameters that a screen takes, each once: those of its lists, and the names of those with what is
// looked for.
func (s *Screen) Params() (params []*Field, looks []string) {
	for _, p := range s.Parts {
		own, look := p.Params()
		for _, f := range own {
			if FieldNamed(params, f.Name) == nil {
				params = append(params, f)
			}
		}
		if look != "" && !slices.Contains(looks, look) {
			looks = append(looks, look)
		}
	}
	return params, looks
}

// Screen finds a screen by name, nil if there is none.
func (d *Design) Screen(name string) *Screen {
	return find(d.Screens, name, func(s *Screen) string { return s.Name })
}

// Part finds a part of a screen by name, nil if there is none.
func (s *Screen) Part(name string) *ScreenPart {
	return find(s.Parts, name, func(p *ScreenPart) string { return p.Name })
}

// Led is what a name of a document leads to.
type Led struct {
	To     *Collection
	Nested bool
	Pair   *Pair
	Side   Side   // of pairs: the end that has the name
	By     *Field // the reference that points at it
}

// Leads are the names that lead from a document of a collection to others.
func (d *Design) Leads(c *Collection) map[string]Led {
	all := map[string]Led{}
	for _, other := range d.Collections {
		if other.Under == c {
			all[other.Name] = Led{To: other, Nested: true}
		}
		for _, f := range other.References() {
			if f.To == c && f.Inverse != "" {
				all[f.Inverse] = Led{To: other, By: f}
			}
		}
	}
	for _, p := range d.Pairs {
		if p.From == c && p.FromCalls != "" {
			all[p.FromCalls] = Led{To: p.To, Pair: p, Side: From}
		}
		if p.To == c && p.ToCalls != "" {
			all[p.ToCalls] = Led{To: p.From, Pair: p, Side: To}
		}
	}
	return all
}

// MarkNames are the names by which an account calls its pairs with documents of a collection.
func (d *Design) MarkNames(c *Collection) map[string]*Pair {
	names := map[string]*Pair{}
	for _, p := range d.Pairs {
		if p.From == d.Accounts && p.To == c && p.FromCalls != "" {
			names[p.FromCalls] = p
		}
		if p.To == d.Accounts && p.From == c && p.ToCalls != "" {
			names[p.ToCalls] = p
		}
	}
	return names
}
