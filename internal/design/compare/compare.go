package compare

import (
	"fmt"
	"maps"
	"slices"

	"yalvo/internal/design"
	"yalvo/internal/design/access"
	"yalvo/internal/design/expr"
	"yalvo/internal/design/plan"
)

// Comparison is what leads from one design to another.
type Comparison struct {
	From, To    *design.Design
	Differences []Difference
	Renames     []Rename            // numbers that go on under another name
	Retired     []Named             // numbers that are given up, with what is stored under them
	Rewrites    map[string]*Rewrite // by the new name of the collection or pair
	Steps       []Step              // in this order
}

// Difference is one thing that differs.
type Difference struct {
	Kind    string   // collection, field, check, kept value, pair, timeline, list, screen, trigger, rule or design
	Name    string   // in the new design; of what is dropped, in the old one; of a check its collection's
	Was     string   // its name in the old design, if that was another
	How     How      // it is added, dropped, renamed or changed
	What    []string // what has changed, in words; of a check what it says otherwise, and its condition
	Effects []Effect // on what is stored, none if there is none
}

// How is the way in which a thing differs.
type How string

// The ways.
const (
	Added   How = "added"
	Dropped How = "dropped"
	Renamed How = "renamed"
	Changed How = "changed"
)

// Effect is what a difference does to what is stored.
type Effect string

// The effects.
const (
	Fill      Effect = "fill"      // documents that lack a value get the default
	Carry     Effect = "carry"     // values go on under another name
	Convert   Effect = "convert"   // values are turned into others
	Check     Effect = "check"     // documents may not fit any more: they are listed
	Rebuild   Effect = "rebuild"   // duplicates are derived anew from the facts
	Redeliver Effect = "redeliver" // entries of authors whom many follow are collected when read, or written again
	Retract   Effect = "retract"   // duplicates are dropped; they can be derived again
	NewIndex  Effect = "index"     // an index is made over documents
	Drop      Effect = "drop"      // facts are lost: only with an explicit word
)

// Rename is a name that goes on under another one. The kinds are those of
// [plan.Numbering].
type Rename struct{ Kind, From, To string }

// Named is something that has a number.
type Named struct{ Kind, Name string }

// Step is one step of a change, to be done for all that is stored.
type Step struct {
	Do     Do
	Aspect plan.Aspect // of a [Build]
	Name   string      // of the duplicate, collection, pair, timeline, list or, as "kind name", what is swept
	Shows  Shows       // what readers see of it meanwhile

	IfMisfits bool // only where something was found before that did not fit: it may now
}

// Do is what a step does.
type Do string

// The kinds of steps.
const (
	Documents Do = "documents" // bring a collection's documents to the new form, list what does not fit
	Pairs     Do = "pairs"     // the same for a pair's own fields
	Ends      Do = "ends"      // references that were left dangling come to the end that they now have
	Build     Do = "build"     // derive a duplicate anew
	Strip     Do = "strip"     // take kept values that are gone out of a collection's documents
	Modes     Do = "modes"     // look which authors a mixed timeline collects from
	Unstore   Do = "unstore"   // drop the entries of a timeline that is collected when read
	Load      Do = "load"      // documents and pairs are being loaded: what follows from them waits
	Index     Do = "index"     // create the index of a list
	Unindex   Do = "unindex"   // drop the indexes that no list needs any more
	Sweep     Do = "sweep"     // drop what is stored under a number that was given up
)

// Shows is what readers see of a duplicate until its step is done.
type Shows string

// What they see.
const (
	AsBefore  Shows = ""          // what they will see afterwards
	Partly    Shows = "partly"    // each value as far as it has come, named as being built
	Hidden    Shows = "hidden"    // nothing, named as being built
	Collected Shows = "collected" // of a timeline: what it is to hold, collected when it is read
	Refused   Shows = "refused"   // of a timeline or a list: it cannot be read
)

// Designs compares two checked designs. The error, if any, is a
// [design.Problems] with places in the new file: what its `was` and `convert`
// say does not go with the old design.
func Designs(from, to *design.Design) (*Comparison, error) {
	c := &comparing{
		Comparison: &Comparison{From: from, To: to, Rewrites: map[string]*Rewrite{}},
		plan:       plan.New(to, numbering()),
		rights:     [2]map[*design.Kept]access.Right{access.Rights(from), access.Rights(to)},
		touched:    map[*design.Collection]map[string]bool{},
		dirty:      map[duplicate]Shows{},
	}
	c.collections = match(c, "collection", from.Collections, to.Collections, named[*design.Collection]{
		func(x *design.Collection) string { return x.Name }, func(x *design.Collection) string { return x.Was },
		func(x *design.Collection) design.Pos { return x.Pos }})
	c.moveCollections()
	c.pairs = match(c, "pair", from.Pairs, to.Pairs, named[*design.Pair]{
		func(x *design.Pair) string { return x.Name }, func(x *design.Pair) string { return x.Was },
		func(x *design.Pair) design.Pos { return x.Pos }})
	c.timelines = match(c, "timeline", from.Timelines, to.Timelines, named[*design.Timeline]{
		func(x *design.Timeline) string { return x.Name }, func(x *design.Timeline) string { return x.Was },
		func(x *design.Timeline) design.Pos { return x.Pos }})
	c.compareTop()
	c.compareCollections()
	c.comparePairs()
	c.compareKept()
	c.compareTimelines()
	c.compareTriggers()
	c.compareAccess()
	c.compareLists()
	c.compareScreens()
	if len(c.problems) > 0 {
		return nil, c.problems
	}
	c.listSteps()
	return c.Comparison, nil
}

// Dropping are the names of the facts that would be lost.
func (c *Comparison) Dropping() []string {
	var names []string
	for _, d := range c.Differences {
		for _, e := range d.Effects {
			if e == Drop {
				names = append(names, d.Name)
			}
		}
	}
	return names
}

// OldName is what the old design calls a collection or a pair.
func (c *Comparison) OldName(name string) string {
	for _, d := range c.Differences {
		if (d.Kind == "collection" || d.Kind == "pair") && d.Name == name && d.Was != "" {
			return d.Was
		}
	}
	return name
}

// comparing is a comparison under way.
type comparing struct {
	*Comparison
	plan     *plan.Plan                       // of the new design, numbered for nobody
	rights   [2]map[*design.Kept]access.Right // of the old design and of the new one
	problems design.Problems

	collections matched[*design.Collection]
	pairs       matched[*design.Pair]
	timelines   matched[*design.Timeline]
	fields      map[*design.Collection]matched[*design.Field] // by the new collection
	kept        map[*design.Collection]matched[*design.Kept]

	touched map[*design.Collection]map[string]bool // fields whose stored value is another, or elsewhere
	dirty   map[duplicate]Shows
	strips  []string // collections that lose kept values
	ends    []string // references
	modes   []string // timelines
	unstore []string

	lists    []string // lists whose index is made
	unlisted bool     // lists are gone
}

// duplicate names one of the plan's duplicates.
type duplicate struct {
	aspect plan.Aspect
	name   string
}

func numbering() plan.Numbering {
	n := plan.Number(0)
	return func(string, string) plan.Number { n++; return n }
}

func (c *comparing) differ(d Difference) { c.Differences = append(c.Differences, d) }

func (c *comparing) problem(at design.Pos, code, message, remedy string) {
	c.problems = append(c.problems, design.Problem{Pos: at, Code: code, Message: message, Remedy: remedy})
}

// build has a duplicate derived anew. What readers see of it least wins.
func (c *comparing) build(aspect plan.Aspect, name string, shows Shows) {
	d := duplicate{aspect, name}
	if have, is := c.dirty[d]; !is || have == Partly {
		c.dirty[d] = shows
	}
}

func (c *comparing) touch(in *design.Collection, field string) {
	if c.touched[in] == nil {
		c.touched[in] = map[string]bool{}
	}
	c.touched[in][field] = true
}

func (c *comparing) retire(kind, name string) { c.Retired = append(c.Retired, Named{kind, name}) }

// carry notes that a number goes on under another name.
func (c *comparing) carry(kind, from, to string) {
	if from != to {
		c.Renames = append(c.Renames, Rename{kind, from, to})
	}
}

func (c *comparing) compareTop() {
	if c.From.App == "" {
		return // it is the first
	}
	d := Difference{Kind: "design", Name: c.To.App, How: Changed}
	if c.From.App != c.To.App {
		d.What = append(d.What, changed("app", c.From.App, c.To.App))
	}
	if was, is := nameOf(c.From.Accounts), nameOf(c.To.Accounts); was != is && c.newName(c.From.Accounts) != is {
		d.What = append(d.What, changed("accounts", was, is))
	}
	if was, is := signInOf(c.From), signInOf(c.To); was != is {
		d.What = append(d.What, changed("sign_in", was, is))
	}
	if len(d.What) > 0 {
		c.differ(d)
	}
}

func signInOf(d *design.Design) string {
	if d.SignIn == nil {
		return "none"
	}
	return d.SignIn.Name
}

func (c *comparing) compareTriggers() {
	m := match(c, "trigger", c.From.Triggers, c.To.Triggers, named[*design.Trigger]{
		func(x *design.Trigger) string { return x.Name }, func(x *design.Trigger) string { return x.Was },
		func(x *design.Trigger) design.Pos { return x.Pos }})
	for _, n := range c.To.Triggers {
		o := m.old[n]
		switch {
		case o == nil:
			c.differ(Difference{Kind: "trigger", Name: n.Name, How: Added})
		case o.Name != n.Name:
			c.carry("trigger", o.Name, n.Name)
			c.differ(Difference{Kind: "trigger", Name: n.Name, How: Renamed, Was: o.Name})
		case triggerInWords(o) != triggerInWords(n):
			c.differ(Difference{Kind: "trigger", Name: n.Name, How: Changed})
		}
	}
	for _, o := range m.gone {
		c.differ(Difference{Kind: "trigger", Name: o.Name, How: Dropped})
	}
}

// triggerInWords says all of a trigger, to tell two apart.
func triggerInWords(t *design.Trigger) string {
	s := fmt.Sprint(t.On, " ", nameOf(t.Collection))
	if t.Pair != nil {
		s += " " + t.Pair.Name
	}
	if t.When != nil {
		s += " when " + t.When.Text
	}
	for _, step := range t.Steps {
		s += fmt.Sprint("; ", step.Do, " ", nameOf(step.Collection), " ", step.URL, " ", step.Key)
		if step.Pair != nil {
			s += " " + step.Pair.Name
		}
		for _, v := range []*expr.Seen{step.ID, step.Under, step.From, step.To} {
			if s += " "; v != nil {
				s += v.Text
			}
		}
		for _, name := range slices.Sorted(maps.Keys(step.Fields)) {
			s += " " + name + " = " + step.Fields[name].Text
		}
	}
	return s
}

func changed(what string, from, to any) string { return fmt.Sprintf("%s: %v → %v", what, from, to) }

func nameOf(c *design.Collection) string {
	if c == nil {
		return "none"
	}
	return c.Name
}
