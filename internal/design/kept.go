package design

import (
	"fmt"
	"slices"
	"strings"
)

var keptLater = []string{"sum", "min", "max", "latest", "gather"}

func (r *reader) readKept(n *node, c *Collection) {
	r.named(n, "kept", func(name string, at Pos, value *node) {
		if slices.Contains(systemValues, name) || c.Field(name) != nil {
			r.problem(at, CodeNameTaken, fmt.Sprintf("collection %q has a %q already", c.Name, name), "choose another name")
		}
		k := &Kept{Name: name, Pos: at, In: c}
		c.Kept = append(c.Kept, k)
		if value.shape != mapping {
			r.problem(value.pos, CodeShape, fmt.Sprintf("kept value %q must say how it is derived, as in `{count: follow.to}`", name), "")
			return
		}
		r.readKeptKind(k, value)
	})
}

func (r *reader) readKeptKind(k *Kept, n *node) {
	what := fmt.Sprintf("kept value %q", k.Name)
	known := keys{
		"copy":   func(n *node) { r.readCopy(n, k) },
		"count":  func(n *node) { r.readCount(n, k) },
		"frozen": r.boolean(&k.Frozen),
		"where":  notYet, "how_many": notYet, "of": notYet,
	}
	for _, kind := range keptLater {
		known[kind] = notYet
	}
	var fields *node
	known["fields"] = func(n *node) { fields = n }
	before := len(r.problems)
	r.mapping(n, what, known)
	if len(r.problems) > before {
		return
	}
	switch {
	case k.Kind == "":
		r.problem(n.pos, CodeMissingKey, what+" does not say how it is derived", "add copy or count")
	case k.Kind == Copy && fields == nil:
		r.problem(n.pos, CodeMissingKey, what+" copies nothing", "add fields: [name, ...]")
	case k.Kind == Copy:
		words := r.words(fields, "fields")
		r.last = append(r.last, func() { r.resolveCopied(k, words) })
	case k.Frozen:
		r.problem(n.pos, CodeContradicted, "a count cannot be frozen", "leave frozen out")
	case fields != nil:
		r.problem(fields.pos, CodeContradicted, "a count has no fields", "leave fields out")
	}
}

func (r *reader) oneKind(k *Kept, kind KeptKind, at Pos) {
	if k.Kind != "" {
		r.problem(at, CodeContradicted, fmt.Sprintf("kept value %q is derived in two ways", k.Name), "make two kept values of it")
	}
	k.Kind = kind
}

func (r *reader) readCopy(n *node, k *Kept) {
	r.oneKind(k, Copy, n.pos)
	via := r.word(n, "copy")
	r.later = append(r.later, func() { k.Via = r.reference(n.pos, k.In, via) })
}

// reference resolves the name of a reference field of a collection.
func (r *reader) reference(at Pos, c *Collection, name string) *Field {
	f := c.Field(name)
	if f == nil {
		r.unknown(at, CodeUnknownName, fmt.Sprintf("collection %q has no field %q", c.Name, name), name, fieldNames(c.References()))
		return nil
	}
	if f.Type != Reference {
		r.problem(at, CodeContradicted, fmt.Sprintf("field %q of %q is no reference but of type %s", name, c.Name, f.Type), "")
		return nil
	}
	return f
}

// resolveCopied runs after the reference itself has been resolved.
func (r *reader) resolveCopied(k *Kept, words []*node) {
	if k.Via == nil || k.Via.To == nil {
		return
	}
	for _, w := range words {
		name := w.scalar.(string)
		f := k.Via.To.Field(name)
		switch {
		case f != nil && slices.Contains(k.Fields, f):
			r.problem(w.pos, CodeNameTaken, fmt.Sprintf("%q is copied twice", name), "")
		case f != nil:
			k.Fields = append(k.Fields, f)
		case k.Via.To.KeptValue(name) != nil:
			r.problem(w.pos, CodeNotYet, fmt.Sprintf("copying the kept value %q is not supported yet", name), "copy fields only")
		default:
			r.unknown(w.pos, CodeUnknownName, fmt.Sprintf("collection %q has no field %q to copy", k.Via.To.Name, name), name, fieldNames(k.Via.To.Fields))
		}
	}
}

// readCount reads what is counted: `pair.side`, `collection.field`, or a nested collection.
func (r *reader) readCount(n *node, k *Kept) {
	r.oneKind(k, Count, n.pos)
	source := r.word(n, "count")
	r.last = append(r.last, func() { r.resolveCount(n.pos, k, source) })
}

func (r *reader) resolveCount(at Pos, k *Kept, source string) {
	name, part, dotted := strings.Cut(source, ".")
	p, c := r.design.Pair(name), r.design.Collection(name)
	switch {
	case p == nil && c == nil:
		known := append(namesOf(r.design.Pairs, func(p *Pair) string { return p.Name }), namesOf(r.design.Collections, func(c *Collection) string { return c.Name })...)
		r.unknown(at, CodeUnknownName, fmt.Sprintf("there is no pair or collection %q to count", name), name, known)
	case p != nil && dotted:
		r.resolveCountOfPairs(at, k, p, part)
	case p != nil:
		r.problem(at, CodeBadValue, fmt.Sprintf("count of pair %q does not say which side", name), fmt.Sprintf("write %s.from or %s.to: the side this document stands on", name, name))
	case dotted:
		if k.Via = r.reference(at, c, part); k.Via != nil && k.Via.To != nil && k.Via.To != k.In {
			r.problem(at, CodeContradicted, fmt.Sprintf("%s points at %q, not at %q", source, k.Via.To.Name, k.In.Name), "")
		}
	case c.Under != k.In:
		r.problem(at, CodeContradicted, fmt.Sprintf("collection %q does not lie under %q", name, k.In.Name), fmt.Sprintf("write %s.field with the reference that points here", name))
	default:
		k.Nested = c
	}
}

func (r *reader) resolveCountOfPairs(at Pos, k *Kept, p *Pair, side string) {
	k.Pair, k.Side = p, Side(side)
	end := p.From
	switch k.Side {
	case From:
	case To:
		end = p.To
	default:
		r.unknown(at, CodeUnknownName, fmt.Sprintf("pair %q has no side %q", p.Name, side), side, []string{"from", "to"})
		return
	}
	if end != nil && end != k.In {
		r.problem(at, CodeContradicted, fmt.Sprintf("the %s side of %q is a document of %q, not of %q", side, p.Name, end.Name, k.In.Name), "")
	}
}

func fieldNames(fields []*Field) []string {
	return namesOf(fields, func(f *Field) string { return f.Name })
}

// Source is what a kept value is derived from, as the design file writes it.
func (k *Kept) Source() string {
	switch {
	case k.Pair != nil:
		return k.Pair.Name + "." + string(k.Side)
	case k.Nested != nil:
		return k.Nested.Name
	case k.Kind == Copy:
		return k.Via.Name
	}
	return k.Via.In.Name + "." + k.Via.Name
}
