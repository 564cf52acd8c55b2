package language

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"yalvo/internal/design"
)

// Limits on screens: how many there may be, how many reads one is made of, and how much each of them shows. They are
// those of the requests that answer them.
const (
	MaxScreens    = 100
	MaxParts      = 10
	MaxPage       = 200
	usualPage     = 30
	maxShown      = 50
	maxMarks      = 10
	maxWith       = 5
	maxShownDepth = 6
)

// takenByScreens are parameters of screens besides those of their lists.
var takenByScreens = []string{"part", "cursor", "settled", "patience"}

func (r *reader) readScreens(n *node) {
	r.named(n, "screens", func(name string, at design.Pos, value *node) {
		if len(r.design.Screens) == MaxScreens {
			r.problem(at, design.CodeTooLarge, fmt.Sprintf("there are more than %d screens", MaxScreens), "")
		}
		if len(r.design.Screens) >= MaxScreens {
			return
		}
		s := &screenReader{reader: r, Screen: &design.Screen{Name: name, Pos: at}}
		r.design.Screens = append(r.design.Screens, s.Screen)
		s.read(value)
		r.screens = append(r.screens, s)
	})
}

// screenReader reads a screen. What it names is resolved when all that can be named is known, rules too.
type screenReader struct {
	*reader
	*design.Screen
	of, by *node
	parts  []*partReader
}

// partReader reads a part of a screen.
type partReader struct {
	*screenReader
	*design.ScreenPart
	given map[string]*node
	owner *design.Collection // of the document that it is for
}

// partKeys are what a part of a screen may say; the first four say what is read.
var partKeys = []string{"timeline", "list", "document", "leads", "for", "page", "shows", "marks", "with", "live",
	"given"}

const partReads = 4

func (s *screenReader) read(n *node) {
	what := fmt.Sprintf("screen %q", s.Name)
	known := keys{"of": func(n *node) { s.of = n }, "by": func(n *node) { s.by = n }}
	if n.shape == mapping && slices.ContainsFunc(n.entries, func(e entry) bool { return e.key == "parts" }) {
		known["parts"] = s.readParts
		s.mapping(n, what, known)
		return
	}
	// One read needs no name: it has that of what is read.
	p := s.part("", n.pos)
	p.note(known)
	s.mapping(n, what, known)
}

func (s *screenReader) readParts(n *node) {
	s.named(n, "parts", func(name string, at design.Pos, value *node) {
		if len(s.parts) == MaxParts {
			s.problem(at, design.CodeTooLarge, fmt.Sprintf("screen %q has more than %d parts", s.Name, MaxParts),
				"make two screens of it")
		}
		if len(s.parts) >= MaxParts {
			return
		}
		p, known := s.part(name, at), keys{}
		p.note(known)
		s.mapping(value, fmt.Sprintf("part %q", name), known)
	})
	if len(n.entries) == 0 && n.shape == mapping {
		s.problem(n.pos, design.CodeMissingKey, fmt.Sprintf("screen %q has no parts", s.Name), "say what it reads")
	}
}

func (s *screenReader) part(name string, at design.Pos) *partReader {
	p := &partReader{screenReader: s, ScreenPart: &design.ScreenPart{Name: name, Pos: at, Page: usualPage},
		given: map[string]*node{}}
	s.parts, s.Parts = append(s.parts, p), append(s.Parts, p.ScreenPart)
	return p
}

// note has a mapping note the keys of a part.
func (p *partReader) note(known keys) {
	for _, key := range partKeys {
		known[key] = func(n *node) { p.given[key] = n }
	}
}

// resolve finds what a screen names, and sees that what it shows is there.
func (s *screenReader) resolve() {
	if s.of != nil {
		s.Of = s.collection(s.of.pos, s.word(s.of, "of"))
		if s.Of == nil {
			return
		}
	}
	s.resolveBy()
	for _, p := range s.parts {
		p.resolve()
	}
	s.checkParams()
}

func (s *screenReader) resolveBy() {
	if s.by == nil {
		return
	}
	name := s.word(s.by, "by")
	if s.Of == nil {
		s.problem(s.by.pos, design.CodeContradicted, fmt.Sprintf("screen %q is asked for no document", s.Name),
			"say for one of which collection, as in `of: members`")
		return
	}
	switch f := s.Of.Field(name); {
	case name == "":
	case f == nil:
		s.unknown(s.by.pos, design.CodeUnknownName, fmt.Sprintf("%q has no field %q", s.Of.Name,
			design.Clip(name)), name,
			design.FieldNames(s.Of.Fields))
	case !f.Unique || s.Of.Under != nil:
		s.problem(s.by.pos, design.CodeContradicted, fmt.Sprintf("%s.%s does not lead to one document", s.Of.Name,
			name),
			"name a unique field of a collection that lies under none, or leave `by` out")
	default:
		s.By = f
	}
}

// resolve finds what a part reads and for whom, and what it shows of that.
func (p *partReader) resolve() {
	what := slices.DeleteFunc(slices.Clone(partKeys[:partReads]), func(key string) bool { return p.given[key] == nil })
	if len(what) != 1 {
		p.problem(p.Pos, design.CodeContradicted,
			fmt.Sprintf("a part of screen %q reads one thing, this %s", p.screenReader.Name, saidOf(what)),
			"write one of timeline, list, document and leads; several reads are `parts`")
		return
	}
	n := p.given[what[0]]
	if !p.resolveRead(what[0], n) {
		return
	}
	if p.ScreenPart.Name == "" {
		p.ScreenPart.Name = what[0]
		if !p.Document {
			p.ScreenPart.Name = n.scalar.(string)
		}
	}
	p.resolveGiven()
	p.resolvePage()
	p.resolveMarks()
	p.resolveWith()
	p.resolveShown()
	if live := p.given["live"]; live != nil {
		p.boolean(&p.Live)(live)
		if p.Live && p.Leads != "" {
			p.problem(live.pos, design.CodeContradicted, "what a name leads to is not read live",
				"read a list of the design: it can be")
		}
	}
	if p.Live && len(p.With) > 0 {
		p.problem(p.given["with"].pos, design.CodeContradicted, "what is live brings nothing along",
			"show what is copied, or read that document as a part of its own")
	}
	p.checkRead(n)
}

func saidOf(what []string) string {
	if len(what) == 0 {
		return "reads nothing"
	}
	return "reads " + strings.Join(what, " and ")
}

// resolveRead finds what is read, and the document that it is for.
func (p *partReader) resolveRead(what string, n *node) bool {
	name := p.word(n, what)
	if name == "" {
		return false
	}
	switch what {
	case "timeline":
		if p.Timeline = p.design.Timeline(name); p.Timeline == nil {
			p.unknown(n.pos, design.CodeUnknownName, fmt.Sprintf("there is no timeline %q", design.Clip(name)), name,
				design.NamesOf(p.design.Timelines, func(t *design.Timeline) string { return t.Name }))
			return false
		}
		p.ScreenPart.Shows = p.Timeline.Entries
		return p.Timeline.Entries != nil && p.isFor(n, p.Timeline.Owner)
	case "list":
		if p.List = p.design.List(name); p.List == nil {
			p.unknown(n.pos, design.CodeUnknownName, fmt.Sprintf("there is no list %q", design.Clip(name)), name,
				design.NamesOf(p.design.Lists, func(l *design.Listing) string { return l.Name }))
			return false
		}
		p.ScreenPart.Shows = p.List.Entries
		return p.List.Entries != nil && p.isFor(n, p.List.Owner())
	case "document":
		p.Document, p.Page = true, 1
		whose := p.choice(n, "document", []string{string(design.Mine), string(design.OfOne)}, nil)
		if whose == "" || !p.whose(n, design.Whose(whose)) {
			return false
		}
		p.ScreenPart.Shows = p.owner
		return true
	}
	p.Leads = name
	return p.leads(n)
}

// isFor decides for which document a part is: what it says, else the screen's, else who asks.
func (p *partReader) isFor(n *node, owner *design.Collection) bool {
	said := p.given["for"]
	if owner == nil {
		if said != nil {
			p.problem(said.pos, design.CodeContradicted, fmt.Sprintf("%q is asked for no document", n.scalar),
				"leave `for` out")
		}
		return said == nil
	}
	whose := design.Whose("")
	switch {
	case said != nil:
		if whose = design.Whose(p.choice(said, "for", []string{string(design.Mine), string(design.OfOne)},
			nil)); whose == "" {
			return false
		}
	case owner == p.screenReader.Of:
		whose = design.OfOne
	case owner == p.design.Accounts:
		whose = design.Mine
	default:
		p.problem(n.pos, design.CodeContradicted, fmt.Sprintf("%q is asked for one of %q, and screen %q is for none",
			n.scalar, owner.Name, p.screenReader.Name), fmt.Sprintf("write `of: %s` at the screen", owner.Name))
		return false
	}
	if !p.whose(n, whose) {
		return false
	}
	if p.owner != owner {
		p.problem(n.pos, design.CodeContradicted, fmt.Sprintf("%q is asked for one of %q, not of %q", n.scalar,
			owner.Name,
			p.owner.Name), "")
	}
	return p.owner == owner
}

// whose notes the document that a part is for.
func (p *partReader) whose(n *node, whose design.Whose) bool {
	p.For, p.owner = whose, p.design.Accounts
	if whose == design.OfOne {
		p.owner = p.screenReader.Of
	}
	if p.owner != nil {
		return true
	}
	if whose == design.OfOne {
		p.problem(n.pos, design.CodeContradicted, fmt.Sprintf("screen %q is asked for no document",
			p.screenReader.Name),
			"say for one of which collection, as in `of: members`")
	} else {
		p.problem(n.pos, design.CodeContradicted, "this is about the caller, and the design has no accounts",
			"say which collection they are, as in `accounts: members`")
	}
	return false
}

func (p *partReader) leads(n *node) bool {
	whose := design.OfOne
	if said := p.given["for"]; said != nil {
		whose = design.Whose(p.choice(said, "for", []string{string(design.Mine), string(design.OfOne)}, nil))
	} else if p.screenReader.Of == nil {
		whose = design.Mine
	}
	if whose == "" || !p.whose(n, whose) {
		return false
	}
	names := p.design.Leads(p.owner)
	led, is := names[p.Leads]
	if !is {
		p.unknown(n.pos, design.CodeUnknownName, fmt.Sprintf("nothing that %q has is called %q and leads to others",
			p.owner.Name, design.Clip(p.Leads)), p.Leads, slices.Sorted(maps.Keys(names)))
		return false
	}
	p.ScreenPart.Shows = led.To
	return led.To != nil
}

func (p *partReader) resolvePage() {
	n := p.given["page"]
	if n == nil {
		return
	}
	many, is := n.scalar.(int64)
	switch {
	case p.Document:
		p.problem(n.pos, design.CodeContradicted, "one document has no pages", "leave `page` out")
	case !is || many < 1 || many > MaxPage:
		p.problem(n.pos, design.CodeBadValue, fmt.Sprintf("page must be a whole number from 1 to %d, not %s", MaxPage,
			describe(n)), "it says how many are shown at once")
	default:
		p.Page = int(many)
	}
}

// resolveGiven reads the parameters of a list that the screen gives: they fit as those of a request must.
func (p *partReader) resolveGiven() {
	n := p.given["given"]
	if n == nil {
		return
	}
	if p.List == nil {
		p.problem(n.pos, design.CodeContradicted, "parameters are given to lists alone", "leave `given` out")
		return
	}
	known := keys{}
	p.Given = map[string]string{}
	take := func(name string, fits func(any) string) {
		known[name] = func(n *node) {
			if n.shape != word || n.scalar == nil {
				p.problem(n.pos, design.CodeShape, fmt.Sprintf("%s must be a single value, this is %s", name,
					describe(n)), "")
			} else if wrong := fits(n.scalar); wrong != "" {
				p.problem(n.pos, design.CodeBadValue, wrong, "")
			} else {
				p.Given[name] = fmt.Sprint(n.scalar)
			}
		}
	}
	for _, f := range p.List.Params {
		take(f.Name, func(v any) string {
			if _, wrong := f.Accept(v); len(wrong) > 0 {
				return wrong[0].Detail
			}
			return ""
		})
	}
	if looks := p.List.Looks(); looks != "" {
		take(looks, func(v any) string {
			if text, is := v.(string); !is || text == "" {
				return looks + " must be a text"
			}
			return ""
		})
	}
	p.mapping(n, "given", known)
}

func (p *partReader) resolveMarks() {
	n := p.given["marks"]
	if n == nil {
		return
	}
	names := p.design.MarkNames(p.ScreenPart.Shows)
	words := p.atMost(n, "marks", maxMarks)
	for _, w := range words {
		name := w.scalar.(string)
		pair, is := names[name]
		switch {
		case !is && len(names) == 0:
			p.problem(w.pos, design.CodeUnknownName, fmt.Sprintf("no pair joins accounts and %q: there is no mark %q",
				p.ScreenPart.Shows.Name, design.Clip(name)), p.pairThatWouldMark(name))
		case !is:
			p.unknown(w.pos, design.CodeUnknownName, fmt.Sprintf("whoever asks has no pair with %q that they call %q",
				p.ScreenPart.Shows.Name, design.Clip(name)), name, slices.Sorted(maps.Keys(names)))
		case p.never(pair.Access.Of(design.OpRead)):
			p.neverRead(w.pos, "pairs of "+pair.Name, "access.pairs."+pair.Name)
		default:
			p.Marks = append(p.Marks, name)
		}
	}
}

func (p *partReader) pairThatWouldMark(name string) string {
	accounts := "accounts"
	if p.design.Accounts != nil {
		accounts = p.design.Accounts.Name
	}
	return fmt.Sprintf("add a pair to `pairs`: `%s: {from: %s, to: %s, from_calls: %s}`", strings.TrimSuffix(name, "d"),
		accounts, p.ScreenPart.Shows.Name, design.Clip(name))
}

func (p *partReader) resolveWith() {
	n := p.given["with"]
	if n == nil {
		return
	}
	for _, w := range p.atMost(n, "with", maxWith) {
		f := p.reference(w.pos, p.ScreenPart.Shows, w.scalar.(string))
		switch {
		case f == nil || f.To == nil:
		case p.Timeline != nil && f != p.Timeline.By && !p.carries(f.Name):
			p.notCarried(w.pos, f.Name)
		case p.never(f.To.Access.Of(design.OpRead)):
			p.neverRead(w.pos, f.To.Name, "access.collections."+f.To.Name)
		default:
			p.With = append(p.With, f)
		}
	}
}

// atMost are words of which there may be so many, each once.
func (p *partReader) atMost(n *node, what string, most int) []*node {
	words := p.words(n, what)
	if len(words) > most {
		p.problem(n.pos, design.CodeTooLarge, fmt.Sprintf("%s has %d names, %d are allowed", what, len(words),
			most), "")
		return words[:most]
	}
	seen := map[string]bool{}
	return slices.DeleteFunc(words, func(w *node) bool {
		name := w.scalar.(string)
		if seen[name] {
			p.problem(w.pos, design.CodeNameTaken, fmt.Sprintf("%q stands in %s twice", design.Clip(name), what), "")
		}
		again := seen[name]
		seen[name] = true
		return again
	})
}

// checkParams sees that parameters of the same name, of several lists, mean the same.
func (s *screenReader) checkParams() {
	in := map[string]*partReader{}
	of := map[string]*design.Field{}
	for _, p := range s.parts {
		own, looks := p.Params()
		if looks != "" {
			own = append(own, &design.Field{Name: looks, Type: design.String})
		}
		for _, f := range own {
			before := of[f.Name]
			switch {
			case slices.Contains(takenByScreens, f.Name):
				s.problem(p.Pos, design.CodeNameTaken, fmt.Sprintf("list %q takes the parameter %q, which means "+
					"something "+
					"else of a screen", p.List.Name, f.Name), "give it in the screen, or call it something else")
			case before != nil && before.Type != f.Type:
				s.problem(p.Pos, design.CodeContradicted, fmt.Sprintf("the parameter %q is of type %s in part %q, "+
					"and of type "+
					"%s in %q", f.Name, before.Type, in[f.Name].ScreenPart.Name, f.Type, p.ScreenPart.Name),
					"give one of them in the screen")
			default:
				of[f.Name], in[f.Name] = f, p
			}
		}
	}
	seen := map[string]bool{}
	for _, p := range s.parts {
		if name := p.ScreenPart.Name; seen[name] {
			s.problem(p.Pos, design.CodeNameTaken, fmt.Sprintf("two parts of screen %q are called %q", s.Name,
				name), "")
		} else {
			seen[name] = name != ""
		}
	}
}
