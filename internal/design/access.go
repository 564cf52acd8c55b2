package design

import (
	"slices"

	"yalvo/internal/design/expr"
)

// Op is an operation: what somebody wants to do.
type Op string

// The operations: on documents, on pairs, on the values of a document.
const (
	OpRead   Op = "read"
	OpCreate Op = "create"
	OpEdit   Op = "edit"
	OpRemove Op = "remove"
	OpSet    Op = "set"
	OpUnset  Op = "unset"
	OpWrite  Op = "write" // a field: as part of a creation or an edit
)

// The names that rules know. Of a document: doc as it is (of a creation null), new as
// it is to be, parent what it lies under. Of a pair: from and to, and pair, its facts. Of
// a timeline: owner.
const (
	NameMe     = "me" // the caller's account, null for a stranger
	NameDoc    = "doc"
	NameNew    = "new"
	NameParent = "parent"
	NameFrom   = "from"
	NameTo     = "to"
	NamePair   = "pair"
	NameOwner  = "owner"
	NameOf     = "of"  // the document that a list is asked for
	NameNow    = "now" // the service's clock
)

// Access says who may do what, of a collection, a pair, a timeline or a list. What no rule
// allows is not allowed.
type Access struct {
	Rules  map[Op]*Rule
	Fields map[string]map[Op]*Rule // of collections, by field or kept value: narrower rules to read or write it
}

// Rule is a condition under which something may be done.
type Rule struct {
	Pos       Pos
	Name      string     // what it is about and what may be done, as in "members.edit"
	That      *expr.Rule // nil: it always or never holds, as Fixed says
	Fixed     bool
	Named     string // of one that others use: its condition, which is compiled where it is used
	Otherwise string // what those are told whom it refuses, empty for the words of the rules it uses
}

// Text is the condition as it is written.
func (r *Rule) Text() string {
	switch {
	case r == nil:
		return "" // nobody
	case r.That != nil:
		return r.That.Text
	case r.Named != "":
		return r.Named
	case r.Fixed:
		return "true"
	}
	return "false"
}

// Names tells whether the rule names something.
func (r *Rule) Names(name string) bool { return r != nil && r.That != nil && r.That.Names(name) }

// Of is the rule for doing something, nil if there is none: then nobody may.
func (a *Access) Of(op Op) *Rule {
	if a == nil {
		return nil
	}
	return a.Rules[op]
}

// OfField is the rule for doing something with one value, nil if nothing narrows it.
func (a *Access) OfField(name string, op Op) *Rule {
	if a == nil {
		return nil
	}
	return a.Fields[name][op]
}

// Narrowed are the values that not everybody may read who may read the document, in
// order.
func (a *Access) Narrowed() []string {
	if a == nil {
		return nil
	}
	var names []string
	for name, rules := range a.Fields {
		if rule := rules[OpRead]; rule != nil && !(rule.That == nil && rule.Fixed) { // or it is for all
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// AccessRules are all rules of access by their names, in the order of the design: those
// that others use first.
func (d *Design) AccessRules() []*Rule {
	all := slices.Clone(d.Rules)
	add := func(a *Access, ops ...Op) {
		for _, op := range ops {
			if rule := a.Of(op); rule != nil {
				all = append(all, rule)
			}
		}
	}
	for _, c := range d.Collections {
		add(c.Access, OpRead, OpCreate, OpEdit, OpRemove)
		for _, name := range append(FieldNames(c.Fields), NamesOf(c.Kept, func(k *Kept) string { return k.Name })...) {
			for _, op := range []Op{OpRead, OpWrite} {
				if rule := c.Access.OfField(name, op); rule != nil {
					all = append(all, rule)
				}
			}
		}
	}
	for _, p := range d.Pairs {
		add(p.Access, OpRead, OpSet, OpUnset)
	}
	for _, t := range d.Timelines {
		add(t.Access, OpRead)
	}
	for _, l := range d.Lists {
		add(l.Access, OpRead)
	}
	return all
}
