package design

import (
	"slices"

	"yalvo/internal/design/expr"
)

// MaxDepth is how many times in a row triggers may set one another off.
const MaxDepth = 8

// Trigger is a rule of the developer's own: on a change, when a condition
// holds, do some steps.
type Trigger struct {
	Name       string
	Pos        Pos
	Was        string // what it was called in the version before, if that was otherwise
	On         Event
	Collection *Collection // of a document's change
	Pair       *Pair       // of a pair's change
	When       *expr.Seen  // nil: always
	Steps      []*Step
}

// Sees are the expressions of the trigger that see documents.
func (t *Trigger) Sees() []*expr.Rule {
	var rules []*expr.Rule
	add := func(s *expr.Seen) {
		if s != nil && s.Rule != nil {
			rules = append(rules, s.Rule)
		}
	}
	add(t.When)
	for _, step := range t.Steps {
		for _, s := range []*expr.Seen{step.ID, step.Under, step.From, step.To} {
			add(s)
		}
		for _, s := range step.Fields {
			add(s)
		}
	}
	return rules
}

// Event is the kind of change a trigger waits for.
type Event string

// The events: of documents created, changed and removed, of pairs set and unset.
const (
	OnCreated Event = "created"
	OnChanged Event = "changed"
	OnRemoved Event = "removed"
	OnSet     Event = "set"
	OnUnset   Event = "unset"
)

// Senders are the names of the triggers that send something.
func (d *Design) Senders() []string {
	names := []string{}
	for _, t := range d.Triggers {
		if slices.ContainsFunc(t.Steps, func(s *Step) bool { return s.Do == DoSend }) {
			names = append(names, t.Name)
		}
	}
	return names
}

// Step is one thing that a trigger does.
type Step struct {
	Pos        Pos
	Do         StepKind
	Collection *Collection           // create, remove
	Pair       *Pair                 // pair, unpair
	ID         *expr.Seen            // create: may be nil; remove: the key
	Under      *expr.Seen            // create: the parent's key
	From, To   *expr.Seen            // pair, unpair: keys
	Fields     map[string]*expr.Seen // edit, create, pair; send: what is sent, nil for the change
	URL        string                // send
	Key        string                // send: the environment variable that holds the signing key, empty for none
}

// StepKind is what a step does.
type StepKind string

// The kinds of steps.
const (
	DoEdit   StepKind = "edit"   // fields of the document itself
	DoCreate StepKind = "create" // a document
	DoRemove StepKind = "remove" // a document
	DoPair   StepKind = "pair"   // set a pair
	DoUnpair StepKind = "unpair" // unset a pair
	DoSend   StepKind = "send"   // the change, as an HTTP request
)
